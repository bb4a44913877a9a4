"""Ways in: a file a kind. Each turns what its devices send into `Do`."""

from __future__ import annotations

from choreon.engine.inputs.asking import ControlMove
from choreon.engine.inputs.base import InputDevice, Surroundings
from choreon.engine.inputs.dmx import DmxDevice
from choreon.engine.inputs.feedback import Feedback
from choreon.engine.inputs.keys import KeysDevice
from choreon.engine.inputs.midi import MidiDevice
from choreon.engine.inputs.music import MusicDevice
from choreon.engine.inputs.osc import OscDevice

DEVICES: dict[str, type[InputDevice]] = {
    MidiDevice.kind: MidiDevice,
    OscDevice.kind: OscDevice,
    KeysDevice.kind: KeysDevice,
    DmxDevice.kind: DmxDevice,
    MusicDevice.kind: MusicDevice,
}
"""Kind of input → what listens to its devices."""

__all__ = [
    "DEVICES",
    "ControlMove",
    "DmxDevice",
    "Feedback",
    "InputDevice",
    "KeysDevice",
    "MidiDevice",
    "MusicDevice",
    "OscDevice",
    "Surroundings",
]
