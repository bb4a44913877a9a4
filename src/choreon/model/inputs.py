"""Inputs: what the controls of devices do."""

from __future__ import annotations

from enum import StrEnum
from typing import ClassVar

import msgspec

from choreon.model.numbers import Count
from choreon.model.refs import Ref


class Input(msgspec.Struct, frozen=True, kw_only=True, tag_field="kind"):
    """A control that is tied to something. `target` is what it acts on."""

    kind: ClassVar[str] = ""

    id: str
    target: Ref


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
    def control(self) -> tuple[str, str, int, int]:
        """What tells this control from others."""
        return (self.port, str(self.message), self.channel, self.number)


AnyInput = MidiInput
