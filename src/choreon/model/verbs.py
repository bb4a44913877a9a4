"""Verbs: what can be asked of a thing that is played, from wherever the hand is."""

from __future__ import annotations

from enum import StrEnum


class Verb(StrEnum):
    """What is to be done."""

    PRESS = "press"
    """As a finger on a pad: on, off, or over to it within a choice."""
    SWITCH = "switch"
    """On where the value is half or more, else off; nothing where it is so already."""
    LEVEL = "level"
    """Bring it to a level, 0…1."""
    RELEASE = "release"
    """Let it go, in its own time."""


class Edge(StrEnum):
    """Which way a control went."""

    DOWN = "down"
    UP = "up"
    TURN = "turn"
    """It was turned or pushed along: it has a position, not two ends."""
