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
    VALUE = "value"
    """Bring it to a value, in the unit of what a dial turns."""
    RELEASE = "release"
    """Let it go, in its own time."""
    SIZE = "size"
    """Have its effects go so far of what is stored, 0…1."""
    PHASE = "phase"
    """Have its effects be ahead by that part of a cycle, 0…1."""
    FADE = "fade"
    """Have what a tile plays come and go in so many seconds."""
    STORED = "stored"
    """As it is stored: rate, size, phase and fade time."""
    RAISE = "raise"
    """Up among what is on, past so many others."""
    LOWER = "lower"
    """Down among what is on, past so many others."""
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
