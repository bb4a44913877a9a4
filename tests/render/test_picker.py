"""How colours are picked, and how a choice of cells is given values."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.model.colours import read_hex, to_xy
from choreon.render import choice
from choreon.render.colour import to_oklab
from choreon.render.picker import (
    COLDEST,
    WARMEST,
    colour_at,
    kelvin_of,
    of_kelvin,
    place_of,
    strongest,
)
from choreon.render.rig import compile_rig


@given(st.floats(0, 359.9), st.floats(0.05, 1.0))
def test_where_a_colour_stands_it_is_picked_again(hue, strength):
    rgb = colour_at(hue, strength).tolist()
    again = colour_at(*place_of(rgb))
    assert max(rgb) == pytest.approx(1.0)
    assert np.linalg.norm(to_oklab(again) - to_oklab(np.array(rgb))) < 0.01


def test_hues_go_round_in_even_steps():
    steps = np.linalg.norm(
        np.diff(to_oklab(strongest(np.arange(0, 361, 4))), axis=0), axis=1
    )
    middle = np.median(steps)
    assert steps.max() < 1.01 * middle
    assert (steps < 0.98 * middle).sum() <= 6  # those that cut a corner of the gamut
    assert strongest(0.0) == pytest.approx([1.0, 0.0, 0.0], abs=1e-6)
    assert strongest(360.0) == pytest.approx([1.0, 0.0, 0.0], abs=1e-6)


def test_no_strength_is_white_and_black_has_no_place():
    assert colour_at(200.0, 0.0) == pytest.approx([1.0, 1.0, 1.0], abs=1e-6)
    assert place_of((0.4, 0.4, 0.4)) == (0.0, 0.0)
    assert place_of((0.0, 0.0, 0.0)) == (0.0, 0.0)


@pytest.mark.parametrize(
    ("kelvin", "x", "y"),
    [
        (2856, 0.4476, 0.4074),
        (4000, 0.3805, 0.3768),
        (5000, 0.3451, 0.3516),
        (6500, 0.3135, 0.3237),
    ],
)
def test_colour_temperatures_lie_on_the_black_body(kelvin, x, y):
    """Against CIE 1931 chromaticities of Planckian radiators; 2856 K is CIE illuminant
    A.
    """
    assert to_xy(of_kelvin(kelvin)) == (
        pytest.approx(x, abs=0.002),
        pytest.approx(y, abs=0.002),
    )


@given(st.floats(2000, 12000))
def test_a_temperature_is_read_back(kelvin):
    assert kelvin_of(of_kelvin(kelvin)) == pytest.approx(kelvin, rel=0.02)


def test_temperatures_end_where_the_fit_does_and_colours_have_none():
    assert of_kelvin(100) == of_kelvin(WARMEST)
    assert of_kelvin(1e6) == of_kelvin(COLDEST)
    assert kelvin_of((0.0, 0.0, 1.0)) is None
    assert kelvin_of((0.0, 0.0, 0.0)) is None


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("#a0B1c2", "#A0B1C2"),
        ("f80", "#FF8800"),
        (" 112233 ", "#112233"),
        ("", None),
        ("#12", None),
        ("#GG0000", None),
    ],
)
def test_typed_colours(text, found):
    assert read_hex(text) == found


SHOW = low_tide()
RIG = compile_rig(SHOW.types, SHOW.fixtures)


def test_a_choice_goes_by_fixtures_or_by_cells():
    assert choice.items(RIG, ["bar-1", "par-1"], {}, False) == [
        ("bar-1", 0),
        ("par-1", 0),
    ]
    assert choice.items(RIG, ["bar-1", "par-1"], {}, True) == [
        *(("bar-1", c) for c in range(1, 9)),
        ("par-1", 0),
    ]
    assert choice.items(RIG, ["bar-1"], {"bar-1": (7, 2, 99)}, False) == [
        ("bar-1", 7),
        ("bar-1", 2),
    ]
    assert len(choice.rows(RIG, [("bar-1", 0)], "ColorRGB_Red")) == 8
    assert len(choice.rows(RIG, [("bar-1", 3)], "ColorRGB_Red")) == 1


def test_what_is_given_to_cells_leaves_the_others_alone():
    items = [("bar-1", 2), ("bar-1", 3), ("spot-1", 0)]
    look = choice.give(
        RIG, items, {"ColorRGB_Red": [1.0, 0.5, 0.2], "Pan": [9.0, 9.0, 10.0]}
    )
    assert look["bar-1"] == {
        "ColorRGB_Red": (None, 1.0, 0.5, None, None, None, None, None)
    }
    assert look["spot-1"] == {"ColorRGB_Red": 0.2, "Pan": 10.0}
    every = [("bar-1", c) for c in range(1, 9)]
    assert choice.give(RIG, every, {"ColorRGB_Red": [0.3] * 8}) == {
        "bar-1": {"ColorRGB_Red": 0.3}
    }
    assert choice.give(RIG, [("gone", 0)], {"Dimmer": [1.0]}) == {}
