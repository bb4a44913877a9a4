"""Inputs, what the controls of devices do: a file a kind, one registry."""

from __future__ import annotations

from choreon.model.inputs.answer import Answer, Curve, Pickup
from choreon.model.inputs.base import Coding, Control, Input, InputKind
from choreon.model.inputs.dmx import DMX, Desk, DmxInput, Lost, Merge, dmx_control
from choreon.model.inputs.keys import KEYS, KeyInput, key_control
from choreon.model.inputs.midi import (
    MIDI,
    MidiInput,
    MidiMessage,
    MidiSettings,
    midi_control,
)
from choreon.model.inputs.music import (
    LIVE_MUSIC,
    MusicInput,
    MusicSettings,
    music_control,
)
from choreon.model.inputs.osc import OSC, OscInput, OscSettings, osc_control
from choreon.model.inputs.unknown import UNKNOWN_INPUT, UnknownInput
from choreon.model.refs import Ref

AnyInput = MidiInput | OscInput | KeyInput | DmxInput | MusicInput | UnknownInput

INPUTS: dict[str, InputKind] = {
    kind.type.kind: kind
    for kind in (
        MIDI,
        OSC,
        KEYS,
        DMX,
        LIVE_MUSIC,
        UNKNOWN_INPUT,
    )
}


def tied(input_id: str, target: Ref, control: Control) -> AnyInput:
    """Returns an input that ties a control to a target. Raises ValueError where its
    kind has no such control, KeyError where the kind is not known.
    """
    made: AnyInput = INPUTS[control.kind].tied(input_id, target, control)
    return made


def is_key(control: Control) -> bool:
    """Returns whether a control is pressed and let go rather than moved."""
    return INPUTS[control.kind].is_key(control.name)


def called(control: Control) -> str:
    """Returns what a control is called where nothing is known of its device."""
    return INPUTS[control.kind].called(control.name)


__all__ = [
    "INPUTS",
    "Answer",
    "AnyInput",
    "Coding",
    "Control",
    "Curve",
    "Desk",
    "DmxInput",
    "Input",
    "InputKind",
    "KeyInput",
    "Lost",
    "Merge",
    "MidiInput",
    "MidiMessage",
    "MidiSettings",
    "MusicInput",
    "MusicSettings",
    "OscInput",
    "OscSettings",
    "Pickup",
    "UnknownInput",
    "called",
    "dmx_control",
    "is_key",
    "key_control",
    "midi_control",
    "music_control",
    "osc_control",
    "tied",
]
