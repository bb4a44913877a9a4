"""Ways in: a file a kind. Each turns what its devices send into `Do`."""

from __future__ import annotations

from choreon.engine.inputs.base import InputDevice
from choreon.engine.inputs.midi import MidiDevice

__all__ = ["InputDevice", "MidiDevice"]
