"""The clock of a sound card, against one that is made up."""

from __future__ import annotations

import random

import pytest

from choreon.sound.clock import CardClock

RATE, BLOCK = 48_000, 960


def calls(fast: float, jitter: float, seconds: float, seed: int = 1):
    """When a card calls for each block, and when it truly would without being late."""
    chance = random.Random(seed)
    frame, period = 0, BLOCK / (RATE * (1.0 + fast))
    number = 0
    while number * period < seconds:
        true = 100.0 + number * period
        yield frame, true + chance.random() * jitter, true
        frame += BLOCK
        number += 1


@pytest.mark.parametrize("fast", [0.0, 200e-6, -200e-6])
def test_ten_minutes_by_a_card_whose_clock_is_wrong_stay_within_two_milliseconds(fast):
    clock = CardClock(RATE)
    worst = 0.0
    for frame, at, true in calls(fast, 0.015, 600.0):
        clock.called(frame, at)
        if true > 103.0:
            worst = max(worst, abs(clock.time_of(frame) - true))
    assert worst < 0.002


def test_it_goes_on_without_a_leap_where_calls_are_late_for_a_while():
    clock = CardClock(RATE)
    before = None
    for frame, at, true in calls(0.0, 0.002, 20.0):
        late = 0.2 if 110.0 < true < 110.5 else 0.0
        clock.called(frame, at + late)
        here = clock.time_of(0)
        assert before is None or abs(here - before) < 0.0005
        before = here


def test_a_card_that_stood_still_is_followed_within_half_a_second():
    clock = CardClock(RATE)
    for frame, at, true in calls(0.0, 0.0, 20.0):
        stood = 0.4 if true > 110.0 else 0.0
        clock.called(frame, at + stood)
        if true > 110.0 + 2.0 + 0.5:
            assert clock.time_of(frame) == pytest.approx(at + stood, abs=0.005)


def test_frames_and_times_are_two_sides_of_one_thing():
    clock = CardClock(RATE)
    clock.called(0, 50.0)
    clock.called(480, 50.01)
    assert clock.frame_at(clock.time_of(12_345)) == pytest.approx(12_345)
    assert clock.time_of(48_000) == pytest.approx(51.0)
