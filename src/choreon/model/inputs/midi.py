"""Controls of MIDI controllers."""

from __future__ import annotations

from enum import StrEnum
from typing import ClassVar

from choreon.language import tr
from choreon.model.inputs.base import Control, Input, InputKind
from choreon.model.numbers import Count
from choreon.model.refs import Ref


class MidiMessage(StrEnum):
    """The messages that controls send."""

    CONTROL_CHANGE = "cc"
    NOTE = "note"


class MidiInput(Input, frozen=True, kw_only=True, tag="midi"):
    """A control of a MIDI controller. `channel` 0…15, `number` 0…127."""

    kind: ClassVar[str] = "midi"

    port: str
    message: MidiMessage
    channel: Count
    number: Count

    @property
    def control(self) -> Control:
        """What tells this control from others."""
        return midi_control(self.port, self.message, self.channel, self.number)


def midi_control(port: str, message: str, channel: int, number: int) -> Control:
    """Returns the control of a MIDI controller that sends a message."""
    return Control(MidiInput.kind, port, f"{message} {channel} {number}")


def midi_parts(name: str) -> tuple[MidiMessage, int, int]:
    """Returns message, channel and number of a control. Raises ValueError where it is
    no name of one.
    """
    message, channel, number = name.split(" ")
    return MidiMessage(message), int(channel), int(number)


def _tied(input_id: str, target: Ref, control: Control) -> MidiInput:
    message, channel, number = midi_parts(control.name)
    return MidiInput(
        id=input_id,
        target=target,
        port=control.device,
        message=message,
        channel=channel,
        number=number,
    )


def _is_key(name: str) -> bool:
    return name.startswith(f"{MidiMessage.NOTE} ")


def _called(name: str) -> str:
    _, channel, number = midi_parts(name)
    if _is_key(name):
        said = tr("note {number}", number=number)
    else:
        said = tr("control {number}", number=number)
    if not channel:
        return said
    return tr("{control} ch {channel}", control=said, channel=channel + 1)


MIDI = InputKind("MIDI", MidiInput, _tied, _called, _is_key)
