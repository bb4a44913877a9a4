"""A stand-in for a sound card: it is plugged in for as long as this runs."""

from __future__ import annotations

from choreon.sim.plugged import stay
from choreon.sound.cards import Practice, plug


def run(name: str, fast: float, keeps: str) -> int:
    """Plug a practice card in until this is stopped. Returns the exit status."""
    return stay(name, plug(name, Practice(fast=fast, keeps=keeps)))
