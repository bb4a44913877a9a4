"""Ways in: a file a kind. Each turns what its devices send into `Do`."""

from __future__ import annotations

from choreon.engine.inputs.base import Way
from choreon.engine.inputs.midi import MidiWay

__all__ = ["MidiWay", "Way"]
