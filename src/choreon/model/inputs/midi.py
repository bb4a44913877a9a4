"""Controls of MIDI controllers."""

from __future__ import annotations

from enum import StrEnum
from typing import ClassVar

import msgspec

from choreon.language import tr
from choreon.model.inputs.base import Control, Input, InputKind
from choreon.model.numbers import Count
from choreon.model.refs import Ref


class MidiMessage(StrEnum):
    """The messages that controls send."""

    CONTROL_CHANGE = "cc"
    NOTE = "note"
    FINE = "fine"
    """A control change of 14 bits: of its number, and of that and 32."""
    BEND = "bend"
    """Pitch bend: 14 bits."""
    PRESSURE = "pressure"
    """Channel pressure: how hard all keys are held."""
    TOUCH = "touch"
    """Polyphonic key pressure: how hard one key is held."""
    PROGRAM = "program"
    TRANSPORT = "transport"
    """Start, continue and stop of the system: numbers 0, 1, 2."""


class MidiSettings(msgspec.Struct, frozen=True, omit_defaults=True):
    """`clock_from`: the device whose clock sets the tempo; `clock_to`: those that are
    sent ours.
    """

    clock_from: str = ""
    clock_to: tuple[str, ...] = ()


class MidiInput(Input, frozen=True, kw_only=True, tag="midi", omit_defaults=True):
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


PRESSED = tuple(
    f"{message} "
    for message in (MidiMessage.NOTE, MidiMessage.PROGRAM, MidiMessage.TRANSPORT)
)


def _is_key(name: str) -> bool:
    return name.startswith(PRESSED)


def _called(name: str) -> str:
    message, channel, number = midi_parts(name)
    if message == MidiMessage.TRANSPORT:
        return _TRANSPORT[number % len(_TRANSPORT)]
    said = _SAID[message].format(number=number)
    if not channel:
        return said
    return tr("{control} ch {channel}", control=said, channel=channel + 1)


_SAID = {
    MidiMessage.CONTROL_CHANGE: tr("control {number}"),
    MidiMessage.NOTE: tr("note {number}"),
    MidiMessage.FINE: tr("fine control {number}"),
    MidiMessage.BEND: tr("pitch bend"),
    MidiMessage.PRESSURE: tr("pressure"),
    MidiMessage.TOUCH: tr("pressure on note {number}"),
    MidiMessage.PROGRAM: tr("program {number}"),
}
_TRANSPORT = (tr("start"), tr("continue"), tr("stop"))

MIDI = InputKind("MIDI", MidiInput, _tied, _called, _is_key)
