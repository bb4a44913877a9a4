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
    RATE = "rate"
    """Play it that many times as fast as it is stored."""
    PAUSE = "pause"
    """Have it stand still, or go on."""
    NEXT = "next"
    """Over to the next step."""
    BACK = "back"
    """Over to the step before."""
    STEP = "step"
    """Over to the step of a number, from 0."""
    TAP = "tap"
    """One beat, now."""
    BPM = "bpm"
    """Beats a minute."""
    NUDGE = "nudge"
    """So many beats a minute more."""
    HALF = "half"
    """Half as fast."""
    DOUBLE = "double"
    """Twice as fast."""
    BAR = "bar"
    """The nearest beat is the first of a bar."""


class Edge(StrEnum):
    """Which way a control went."""

    DOWN = "down"
    UP = "up"
    TURN = "turn"
    """It was turned or pushed along: it has a position, not two ends."""
