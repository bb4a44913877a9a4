"""A stand-in for a band in the room: it plays a sound file, again and again."""

from __future__ import annotations

from pathlib import Path

from choreon.sim.plugged import stay
from choreon.sound.listening import plug


def run(name: str, file: Path) -> int:
    """Play until this is stopped. Returns the exit status."""
    return stay(name, plug(name, file.absolute()))
