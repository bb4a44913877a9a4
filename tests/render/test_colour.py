"""Colour sums: against published values and by properties."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from choreon.render.colour import from_oklab, to_oklab, to_screen
from tests.render.test_mixing import mix_white

light = arrays(np.float64, (5, 3), elements=st.floats(0.0, 1.0))


@pytest.mark.parametrize(
    ("rgb", "lab"),
    [
        # The OKLab coordinates of the sRGB primaries, as published with the definition.
        ((1.0, 1.0, 1.0), (1.0, 0.0, 0.0)),
        ((1.0, 0.0, 0.0), (0.6279554, 0.2248631, 0.1258463)),
        ((0.0, 1.0, 0.0), (0.8664396, -0.2338874, 0.1794985)),
        ((0.0, 0.0, 1.0), (0.4520137, -0.0324570, -0.3115281)),
        ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0)),
    ],
)
def test_oklab_of_the_primaries(rgb, lab):
    assert to_oklab([rgb])[0] == pytest.approx(lab, abs=2e-4)


@given(light)
def test_oklab_and_back(rgb):
    assert from_oklab(to_oklab(rgb)) == pytest.approx(rgb, abs=1e-9)


@given(light)
def test_screen_values_are_those_of_the_standard(rgb):
    """IEC 61966-2-1, backwards: a screen makes this light of them."""
    value = to_screen(rgb)
    light = np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4)
    assert light == pytest.approx(rgb, abs=1e-6)


@pytest.mark.parametrize(
    ("linear", "screen"),
    [(0.0, 0.0), (0.0031308, 0.0404499), (0.2140411, 0.5), (1.0, 1.0)],
)
def test_the_screen_curve_by_the_standard(linear, screen):
    assert float(to_screen(linear)) == pytest.approx(screen, abs=1e-5)


@given(light)
def test_white_mix_keeps_the_chromaticity_within_the_emitters(rgb):
    mixed = mix_white(rgb)
    assert (mixed >= 0).all()
    assert (mixed <= 1 + 1e-12).all()
    made = mixed[:, :3] + mixed[:, 3:]
    for target, got in zip(rgb, made, strict=True):
        if target.max() > 1e-6:
            assert got / got.max() == pytest.approx(target / target.max(), abs=1e-9)


@given(light)
def test_white_mix_is_never_darker_than_without_white_and_black_is_black(rgb):
    mixed = mix_white(rgb)
    assert ((mixed[:, :3] + mixed[:, 3:]).max(axis=1) >= rgb.max(axis=1) - 1e-12).all()
    assert (mix_white(np.zeros((1, 3))) == 0).all()


@pytest.mark.parametrize(
    ("target", "emitters"),
    [
        ((1.0, 1.0, 1.0), (1.0, 1.0, 1.0, 1.0)),
        ((1.0, 0.0, 0.0), (1.0, 0.0, 0.0, 0.0)),
        ((0.5, 0.0, 0.0), (0.5, 0.0, 0.0, 0.0)),
        ((1.0, 0.5, 0.5), (1.0, 0.0, 0.0, 1.0)),
        ((1.0, 0.25, 0.25), (1.0, 0.0, 0.0, 1 / 3)),
        ((1.0, 0.75, 0.75), (1.0, 0.5, 0.5, 1.0)),
        ((0.5, 0.5, 0.5), (0.5, 0.5, 0.5, 0.5)),
    ],
)
def test_white_mix_by_hand(target, emitters):
    """(1, .25, .25): scale 1/(1−.25) = 4/3, white a third, red 4/3 − 1/3 = 1. (1, .75,
    .75): white is at its end, so scale 2, red 2 − 1, the others 1.5 − 1.
    """
    assert mix_white(np.array([target]))[0] == pytest.approx(emitters)
