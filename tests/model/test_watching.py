"""What a control is found to be by watching it, for each of the ways in which controls
speak; and how a control's way becomes a value.
"""

from __future__ import annotations

import math
import random

import pytest

from choreon.model.inputs import Answer, Coding, Curve, midi_control
from choreon.model.inputs.watching import ENOUGH, Learnt, Seen, judge


def cc(number: int, channel: int = 0):
    return midi_control("D", "cc", channel, number)


def note(number: int):
    return midi_control("D", "note", 0, number)


def sent(control, *data: int, begin: float = 0.0, every: float = 0.02) -> list[Seen]:
    return [Seen(control, d / 127, begin + n * every) for n, d in enumerate(data)]


def test_nothing_is_learnt_of_nothing_and_of_a_hand_that_still_moves():
    assert judge([], 10.0) is None
    moving = sent(cc(7), 10, 11, 12)
    assert judge(moving, moving[-1].at + 0.1) is None
    assert judge(moving, moving[-1].at + 1.0) == Learnt(cc(7))


def test_a_fader_that_is_moved_on_and_on_is_learnt_meanwhile():
    moving = sent(cc(7), *range(ENOUGH))
    assert judge(moving, moving[-1].at) == Learnt(cc(7))


@pytest.mark.parametrize(
    ("data", "coding"),
    [
        ((1, 1, 2, 1, 3), Coding.TWOS),
        ((127, 127, 126, 1, 1), Coding.TWOS),
        ((65, 65, 66, 63, 63), Coding.MIDDLE),
        ((65, 65, 67, 65), Coding.MIDDLE),
        ((1, 2, 1, 65, 66, 65), Coding.SIGNED),
        ((60, 61, 62, 63, 64, 65, 66), Coding.PLACE),
        ((0, 1, 1, 2, 3), Coding.PLACE),
        ((127, 120, 110, 90), Coding.PLACE),
    ],
)
def test_a_dial_without_an_end_is_told_from_a_fader(data, coding):
    assert judge(sent(cc(3), *data), 9.0) == Learnt(cc(3), coding)


@pytest.mark.parametrize("coding", [Coding.TWOS, Coding.MIDDLE, Coding.SIGNED])
def test_every_step_that_a_dial_turns_is_counted_with_its_way(coding):
    """What dials send, worked out apart: MIDI has no rule of its own for it."""
    sends = {
        Coding.TWOS: lambda n: n % 128,
        Coding.MIDDLE: lambda n: 64 + n,
        Coding.SIGNED: lambda n: n if n > 0 else 64 - n,
    }[coding]
    for steps in (*range(-12, 0), *range(1, 13)):
        assert coding.steps(sends(steps)) == steps


def test_a_dial_turned_both_ways_at_random_is_found():
    dice = random.Random(4)
    for _ in range(50):
        steps = [dice.choice((-1, 1)) * dice.choice((1, 1, 1, 2, 3)) for _ in range(20)]
        found = judge(sent(cc(9), *(n % 128 for n in steps)), 9.0)
        assert found == Learnt(cc(9), Coding.TWOS)


def test_two_halves_that_speak_together_are_one_fine_control():
    halves = []
    for n in range(6):
        value = 3000 + 411 * n
        halves += sent(cc(2), value >> 7, begin=0.02 * n)
        halves += sent(cc(34), value & 127, begin=0.02 * n + 0.001)
    fine = midi_control("D", "fine", 0, 2)
    assert judge(halves, 9.0) == Learnt(fine)


def test_two_faders_that_are_moved_after_each_other_are_no_fine_one():
    one = sent(cc(2), *range(10, 20))
    other = sent(cc(34), *range(50, 54), begin=1.0)
    assert judge([*one, *other], 9.0) == Learnt(cc(2))


def test_a_motor_fader_is_its_bend_and_not_the_note_of_its_touch():
    bend = midi_control("D", "bend", 3, 0)
    touch = midi_control("D", "note", 0, 104)
    moves = sent(touch, 127) + sent(bend, 10, 30, 60, begin=0.1)
    assert judge([*moves, *sent(touch, 0, begin=0.5)], 9.0) == Learnt(bend)


def test_a_pad_is_its_note_and_not_how_hard_it_is_held():
    press = midi_control("D", "touch", 0, 40)
    moves = sent(note(40), 90) + sent(press, 20, 50, 80, 40, begin=0.05)
    assert judge([*moves, *sent(note(40), 0, begin=0.3)], 9.0) == Learnt(note(40))
    assert judge(sent(press, 20, 50), 9.0) == Learnt(press)


def test_keys_that_hold_for_themselves_are_told_from_those_that_are_held():
    tapped = sent(note(5), 100, 0, every=0.1)
    assert judge(tapped, 9.0) == Learnt(note(5))
    twice = sent(note(5), 100, 0, every=2.0)
    assert judge(twice, 9.0) == Learnt(note(5), toggles=True)
    assert judge(sent(cc(64), 127, 0), 9.0) == Learnt(cc(64))
    assert judge(sent(cc(64), 127), 9.0) == Learnt(cc(64), toggles=True)


def test_a_program_change_is_a_key():
    program = midi_control("D", "program", 0, 12)
    assert judge(sent(program, 127), 9.0) == Learnt(program)


# how a control answers


@pytest.mark.parametrize("curve", list(Curve))
def test_curves_begin_and_end_where_they_should_rise_and_can_be_gone_back(curve):
    answer = Answer(curve=curve)
    ways = [n / 200 for n in range(201)]
    values = [answer.value(way) for way in ways]
    assert (values[0], values[-1]) == (0.0, 1.0)
    assert values == sorted(values)
    for way, value in zip(ways, values, strict=True):
        assert math.isclose(answer.way(value), way, abs_tol=1e-6)


def test_a_range_may_lie_the_other_way_round():
    answer = Answer(low=0.8, high=0.2)
    assert [answer.value(x) for x in (0.0, 0.5, 1.0)] == pytest.approx([0.8, 0.5, 0.2])
    assert answer.way(0.35) == pytest.approx(0.75)
    assert answer.way(0.95) == 0.0
    assert answer.way(0.0) == 1.0


def test_steps_are_places_between_the_ends():
    answer = Answer(steps=4)
    got = {answer.value(n / 127) for n in range(128)}
    assert got == {0.0, 0.25, 0.5, 0.75, 1.0}
    assert Answer(steps=10**9).value(0.5) == pytest.approx(0.5, abs=0.01)


def test_a_range_of_nothing_stands_still():
    answer = Answer(low=0.4, high=0.4)
    assert {answer.value(x) for x in (0.0, 0.3, 1.0)} == {0.4}
    assert answer.way(0.4) == 0.0
