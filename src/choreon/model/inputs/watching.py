"""What a control is, found by watching what it sends while it is moved."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import NamedTuple

from choreon.model.inputs.base import Coding, Control
from choreon.model.inputs.midi import MidiInput, MidiMessage, midi_control, midi_parts

QUIET = 0.35  # seconds without a message after which a hand has moved what it wanted
HELD = 0.5  # seconds after which a key that is down is one that is held
ENOUGH = 24  # messages of one control that say what it is, though it be moved on
TOP = 127
FINER = 32  # the lower half of a value of 14 bits has the number of the upper and this
NEAR_ZERO = 12  # steps at once that a dial without an end is turned at the most


class Seen(NamedTuple):
    """A message of a control: its value, 0…1, and when it came, in seconds."""

    control: Control
    value: float
    at: float


class Learnt(NamedTuple):
    """A control as it was found to be."""

    control: Control
    coding: Coding = Coding.PLACE
    toggles: bool = False


def judge(seen: Sequence[Seen], now: float) -> Learnt | None:
    """Returns the control that a hand moves, as far as that is known by now; None while
    it has to be watched on.
    """
    if not seen:
        return None

    by_control: dict[Control, list[Seen]] = {}
    for one in seen:
        by_control.setdefault(one.control, []).append(one)

    if not _told_enough(by_control, now):
        return None

    control = max(by_control, key=lambda name: _weight(name, by_control))
    return _learnt(control, by_control)


def _told_enough(by_control: dict[Control, list[Seen]], now: float) -> bool:
    """Whether the hand has come to an end, or has said all that it will."""
    last = max(moves[-1].at for moves in by_control.values())
    if any(len(moves) >= ENOUGH for moves in by_control.values()):
        return True

    keys = [m for c, m in by_control.items() if _message(c) == MidiMessage.NOTE]
    down = any(moves[-1].value > 0.0 for moves in keys)
    return now - last >= (HELD if down else QUIET)


def _message(control: Control) -> str:
    """What sort of message a control sends; empty for what is no MIDI."""
    if control.kind != MidiInput.kind:
        return ""
    return midi_parts(control.name)[0]


def _weight(control: Control, by_control: dict[Control, list[Seen]]) -> tuple[int, int]:
    """How much speaks for a control. What is moved goes before the key that says that
    it is touched; a key before how hard it is held.
    """
    moves = by_control[control]
    message = _message(control)
    order = 1
    if message in (MidiMessage.PRESSURE, MidiMessage.TOUCH):
        order = 0
    elif message == MidiMessage.BEND or (
        message == MidiMessage.CONTROL_CHANGE and len({m.value for m in moves}) > 2
    ):
        order = 2
    return order, len(moves)


def _learnt(control: Control, by_control: dict[Control, list[Seen]]) -> Learnt:
    moves = by_control[control]
    if _message(control) == MidiMessage.CONTROL_CHANGE:
        return _turned(control, by_control)
    if _message(control) != MidiMessage.NOTE:
        return Learnt(control)

    # one press that says on and nothing more, and the next that says off, come of a key
    # that holds for itself
    pressed = [move for move in moves if move.value > 0.0]
    let_go = [move for move in moves if move.value == 0.0]
    alone = len(let_go) == len(moves)
    slow = bool(pressed and let_go) and let_go[0].at - pressed[0].at > 2 * HELD
    return Learnt(control, toggles=alone or slow)


def _turned(control: Control, by_control: dict[Control, list[Seen]]) -> Learnt:
    """A control change: a fader, a finer one, a dial without an end, or a key."""
    data = [round(TOP * move.value) for move in by_control[control]]
    fine = _fine(control, by_control)
    if fine is not None:
        return Learnt(fine)

    coding = _coding(data)
    if coding != Coding.PLACE:
        return Learnt(control, coding)

    ends = set(data) <= {0, TOP}
    once = len(data) == 1 or all(a == b for a, b in itertools.pairwise(data))
    return Learnt(control, toggles=ends and once)


def _fine(control: Control, by_control: dict[Control, list[Seen]]) -> Control | None:
    """The control of 14 bits of which a control change is a half; None of none."""
    _, channel, number = midi_parts(control.name)
    upper = number if number < FINER else number - FINER
    if upper >= FINER:
        return None

    halves = [
        midi_control(control.device, MidiMessage.CONTROL_CHANGE, channel, half)
        for half in (upper, upper + FINER)
    ]
    counts = [len(by_control.get(half, ())) for half in halves]
    if min(counts) < 2 or max(counts) > 4 * min(counts):
        return None  # two of their own that were moved after each other
    if not _taking_turns(*(by_control[half] for half in halves)):
        return None
    return midi_control(control.device, MidiMessage.FINE, channel, upper)


def _taking_turns(one: list[Seen], other: list[Seen]) -> bool:
    """Whether two controls spoke in the same stretch of time."""
    begun = max(one[0].at, other[0].at)
    ended = min(one[-1].at, other[-1].at)
    return ended > begun


def _coding(data: Sequence[int]) -> Coding:
    """How a dial says how far it was turned: by numbers that stay near where nothing is
    turned, and are said again and again, which a place is not. One that was turned one
    way alone is taken for the commoner of those that it may be.
    """
    pairs = list(itertools.pairwise(data))
    again = any(a == b for a, b in pairs)
    jumps = any(abs(a - b) > 2 * NEAR_ZERO for a, b in pairs)
    if len(data) < 3 or 0 in data or not (again or jumps):
        return Coding.PLACE  # it goes from place to place

    for coding, numbers in _TURNED.items():
        if all(value in numbers for value in data):
            return coding
    return Coding.PLACE


_UP = range(1, NEAR_ZERO + 1)
_TURNED = {
    Coding.TWOS: {*_UP, *range(128 - NEAR_ZERO, 128)},
    Coding.MIDDLE: {*range(64 - NEAR_ZERO, 64), *range(65, 65 + NEAR_ZERO)},
    Coding.SIGNED: {*_UP, *range(65, 65 + NEAR_ZERO)},
}
"""Coding → the numbers that a dial sends that is turned by a few steps at once."""
