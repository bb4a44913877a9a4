"""Waves, colours that roll and phases: by numbers worked out by hand, and closed in
time.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.model import edits
from choreon.model.motion import ColourRoll, ColourStop, Rate, Shape, Spread, Wave
from choreon.model.show import Show
from choreon.render import rolls, waves

EMPTY = Show(id="s", name="S")


def heights(motion: Wave, *at: float) -> list[float]:
    position = np.array(at)
    within, number = waves.cycle(
        position, motion.backward, motion.active, motion.there_and_back
    )
    group = np.zeros(len(at), np.int64)
    return waves.wave(motion, within, number, group, waves.own_curve(motion)).tolist()


@pytest.mark.parametrize(
    ("motion", "at", "expected"),
    [
        (Wave(), (0, 0.25, 0.5, 0.75, 1.0), (0, 0.5, 1, 0.5, 0)),
        (Wave(shape=Shape.TRIANGLE), (0, 0.25, 0.5, 0.9), (0, 0.5, 1, 0.2)),
        (Wave(shape=Shape.UP), (0, 0.25, 0.999, 1.0), (0, 0.25, 0.999, 0)),
        (Wave(shape=Shape.DOWN), (0, 0.25, 1.0), (1, 0.75, 1)),
        (Wave(shape=Shape.PULSE, width=0.3), (0, 0.299, 0.3, 0.9), (1, 1, 0, 0)),
        (Wave(shape=Shape.STEPS, steps=4), (0, 0.26, 0.51, 0.99), (0, 1 / 3, 2 / 3, 1)),
        # active for half a cycle: the wave runs twice as fast, then rests
        (Wave(shape=Shape.UP, active=0.5), (0.25, 0.49, 0.5, 0.75), (0.5, 0.98, 0, 0)),
        (Wave(shape=Shape.UP, there_and_back=True), (0.25, 0.5, 0.75), (0.5, 1, 0.5)),
        (Wave(shape=Shape.UP, backward=True), (0.25, 0.75), (0.75, 0.25)),
        (
            Wave(shape=Shape.OWN, smooth=False, curve=((0, 0.2), (0.5, 1), (1, 0.2))),
            (0, 0.25, 0.5, 0.75),
            (0.2, 0.6, 1, 0.6),
        ),
        # points that say nothing of the ends: they keep the height of the nearest
        (
            Wave(shape=Shape.OWN, smooth=False, curve=((0.5, 0.4),)),
            (0, 0.5, 0.99),
            (0.4, 0.4, 0.4),
        ),
    ],
)
def test_waves_have_these_heights(motion, at, expected):
    assert heights(motion, *at) == pytest.approx(list(expected), abs=1e-9)


@pytest.mark.parametrize(
    ("motion", "mean"),
    [
        (Wave(), 0.5),
        (Wave(shape=Shape.TRIANGLE), 0.5),
        (Wave(shape=Shape.UP), 0.5),
        (Wave(shape=Shape.PULSE, width=0.2), 0.2),
        (Wave(shape=Shape.STEPS, steps=5), 0.5),
        (Wave(active=0.4), 0.2),
    ],
)
def test_a_waves_mean_and_extent_are_what_was_typed(motion, mean):
    found = np.array(heights(motion, *np.linspace(0, 1, 5000, endpoint=False)))
    assert found.mean() == pytest.approx(mean, abs=2e-3)
    assert found.min() == pytest.approx(0.0, abs=1e-3)
    assert found.max() == pytest.approx(1.0, abs=1e-3)


def test_a_round_curve_goes_no_higher_than_its_points():
    motion = Wave(shape=Shape.OWN, curve=((0, 0.1), (0.2, 0.8), (0.3, 0.8), (1, 0.1)))
    found = heights(motion, *np.linspace(0, 0.9999, 2000))
    assert max(found) <= 0.8 + 1e-9
    assert min(found) >= 0.1 - 1e-9
    assert heights(motion, 0.2, 0.25, 0.3) == pytest.approx([0.8, 0.8, 0.8], abs=1e-3)


@given(
    shape=st.sampled_from(list(Shape)),
    at=st.lists(st.floats(-1e4, 1e4), min_size=1, max_size=20),
    seed=st.integers(0, 99),
)
def test_the_same_time_gives_the_same_in_any_order(shape, at, seed):
    motion = Wave(shape=shape, seed=seed)
    together = heights(motion, *at)
    alone = [heights(motion, one)[0] for one in reversed(at)][::-1]
    assert together == pytest.approx(alone, abs=1e-12)
    assert all(0.0 <= value <= 1.0 for value in together)


def test_random_is_soft_and_another_for_every_lamp_and_cycle():
    motion = Wave(shape=Shape.RANDOM)
    at = np.linspace(0, 50, 20001)
    found = np.array(heights(motion, *at))
    assert np.abs(np.diff(found)).max() < 1.5 * (at[1] - at[0]) + 1e-9
    assert 0.4 < found.mean() < 0.6
    number = np.arange(2000.0)
    lamps = waves.chance(number, np.arange(2000), 1)
    assert len(set(lamps.tolist())) == 2000
    assert 0.45 < lamps.mean() < 0.55


@pytest.mark.parametrize(
    ("count", "spread", "expected"),
    [
        (4, Spread(), (0, 90, 180, 270)),
        (8, Spread(), (0, 45, 90, 135, 180, 225, 270, 315)),
        (4, Spread(amount=180), (0, 45, 90, 135)),
        (4, Spread(amount=0), (0, 0, 0, 0)),
        (8, Spread(together=2), (0, 0, 90, 90, 180, 180, 270, 270)),
        (8, Spread(repeats=2), (0, 90, 180, 270) * 2),
        (8, Spread(parts=2), (0, 90, 180, 270, 270, 180, 90, 0)),
        (7, Spread(parts=2), (0, 90, 180, 270, 180, 90, 0)),
        (8, Spread(parts=4), (0, 180, 180, 0, 0, 180, 180, 0)),
        (1, Spread(), (0,)),
    ],
)
def test_phases_lie_like_this(count, spread, expected):
    phase, _ = waves.places(count, spread)
    assert (-360 * phase).tolist() == pytest.approx(list(expected), abs=1e-6)
    back, _ = waves.places(count, edits.replace(spread, backward=True))
    assert (360 * back).tolist() == pytest.approx(list(expected), abs=1e-6)


@given(count=st.integers(1, 60))
def test_360_degrees_are_even_and_close(count):
    phase, _ = waves.places(count, Spread())
    ring = np.sort(np.mod(phase, 1.0))
    gaps = np.diff([*ring, ring[0] + 1.0])
    assert gaps == pytest.approx(np.full(count, 1.0 / count), abs=1e-9)


@pytest.mark.parametrize(
    ("rate", "speed", "by_tempo"),
    [
        (Rate(seconds=4.0), 0.25, False),
        (Rate(beats=2.0), 0.5, True),
        (Rate(beats=2.0, factor=2.0), 1.0, True),
        (Rate(seconds=0.0), 0.0, False),
        (Rate(seconds=float("nan")), 0.0, False),
        (Rate(seconds=1e-9), 50.0, False),
        (Rate(factor=-1.0), 0.0, False),
    ],
)
def test_rates_that_are_no_times_stand_still(rate, speed, by_tempo):
    assert rate.speed == pytest.approx(speed)
    assert rate.by_tempo is by_tempo


def test_a_hard_roll_has_each_colour_over_its_part():
    roll = ColourRoll(
        stops=(ColourStop((1, 0, 0)), ColourStop((0, 1, 0)), ColourStop((0, 0, 1))),
        hard=True,
    )
    table = rolls.table_of(EMPTY, roll, 6)
    lab, level, _ = rolls.read(table, np.arange(6) / 6)
    light = rolls.from_oklab(lab.T).round(6) + 0.0
    assert light.tolist() == [[1, 0, 0]] * 2 + [[0, 1, 0]] * 2 + [[0, 0, 1]] * 2
    assert level.tolist() == [1.0] * 6


def test_a_soft_roll_is_pure_in_the_middle_of_its_parts_and_closes():
    roll = ColourRoll(stops=(ColourStop((1, 0, 0)), ColourStop((0, 0, 1))))
    table = rolls.table_of(EMPTY, roll, 4)
    lab, _, _ = rolls.read(table, np.array([0.25, 0.75, 0.5, 0.0, 0.9999]))
    light = rolls.from_oklab(lab.T)
    assert light[0] == pytest.approx([1, 0, 0], abs=0.02)
    assert light[1] == pytest.approx([0, 0, 1], abs=0.02)
    middle = (rolls.to_oklab([1.0, 0, 0]) + rolls.to_oklab([0, 0, 1.0])) / 2
    assert lab[:, 2] == pytest.approx(middle, abs=0.01)
    assert lab[:, 3] == pytest.approx(lab[:, 4], abs=0.01)


@pytest.mark.parametrize("gap", [0.0, 2.0])
@pytest.mark.parametrize("brightness", [False, True])
def test_a_slow_roll_goes_on_without_steps(gap, brightness):
    """A round of ten minutes at 44 frames a second: no frame is like the one before,
    and none differs from it by more than an even share.
    """
    stops = (
        ColourStop((1.0, 0.1, 0.0)),
        ColourStop((0.0, 0.2, 1.0)),
        ColourStop((0.1, 0.6, 0.1)),
    )
    roll = ColourRoll(stops=stops, gap=gap, brightness=brightness)
    table = rolls.table_of(EMPTY, roll, 6)
    inside = np.arange(0.01, 0.7, 1 / (600 * 44))
    lab, level, _ = rolls.read(table, inside)
    steps = np.abs(np.diff(lab, axis=1)).max(axis=0)
    even = 3 * np.ptp(table.lab, axis=1).max() / (600 * 44) / table.colours
    assert steps.min() > 0.0
    assert steps.max() <= 1.05 * even
    assert (
        np.abs(np.diff(level)).max()
        <= 3.15 * np.ptp(table.level) / (600 * 44) / table.colours
    )
    whole = rolls.table_of(EMPTY, ColourRoll(stops=stops), 6)
    seam = rolls.read(whole, np.array([1.0 - 1e-9, 1.0]))[0]
    assert seam[:, 0] == pytest.approx(seam[:, 1], abs=1e-6)


def test_a_gap_is_dark_where_brightness_is_part_of_the_colours():
    roll = ColourRoll(
        stops=(ColourStop((0.5, 0.5, 0.5)),), length=2, gap=2, brightness=True
    )
    table = rolls.table_of(EMPTY, roll, 8)
    assert table.whole == 4
    _, level, place = rolls.read(table, np.array([0.0, 0.25, 0.5, 0.75]))
    assert level.tolist() == [0.5, 0.5, 0.0, 0.0]
    assert place.tolist()[2:] == [-1, -1]
    plain = rolls.table_of(EMPTY, edits.replace(roll, brightness=False), 8)
    assert rolls.read(plain, np.array([0.75]))[1].tolist() == [1.0]


def test_a_dark_colour_goes_out_in_the_colour_before_it():
    roll = ColourRoll(
        stops=(ColourStop((1, 0, 0)), ColourStop((0, 0, 0))), brightness=True
    )
    table = rolls.table_of(EMPTY, roll, 4)
    lab, level, _ = rolls.read(table, np.linspace(0, 0.99, 50))
    light = rolls.from_oklab(lab.T)
    assert light == pytest.approx(np.tile([1, 0, 0], (50, 1)), abs=1e-6)
    assert level.min() < 0.03
    assert level.max() > 0.97
