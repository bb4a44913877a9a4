"""Emitters → colour: exact within what they can give, by the numbers of the standard and of usual LEDs."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.library.parts import EMITTERS
from choreon.model.colours import from_xyy
from choreon.render.colour import from_oklab_rows, to_oklab, to_oklab_rows
from choreon.render.mixing import USUAL, Mixer


def light(name: str) -> np.ndarray:
    """Linear Rec.709 light of an emitter, negative parts and all."""
    e = EMITTERS[name]
    scale = e.strength / e.y
    matrix = np.array([
        [3.2404541621, -1.5371385128, -0.4985314096],
        [-0.9692660305, 1.8760108454, 0.0415560175],
        [0.0556434310, -0.2040259135, 1.0572251882],
    ])  # fmt: skip
    return matrix @ np.array([e.x * scale, e.strength, (1 - e.x - e.y) * scale])


SETS = {
    "RGB": "red green blue", "RGBW": "red green blue white", "RGBA": "red green blue amber",
    "RGBAW": "red green blue white amber", "RGBLC": "red green blue lime cyan", "RGBLWW": "red green blue lime warm",
}  # fmt: skip
MIXERS = {
    name: Mixer([light(n) for n in names.split()]) for name, names in SETS.items()
}


def mix_white(rgb: np.ndarray) -> np.ndarray:
    """Linear light (n, 3) → red, green, blue and white emitters (n, 4), the brightest mix of that chromaticity.

    White is taken to be as strong as red, green and blue together, all at D65. With the target scaled to a
    strongest part of 1, the mix is s·target = rgb + white with every emitter within 0…1. White replaces as much
    of the target as its weakest part allows (r = min target): s·target − s·r ≤ 1 gives s = 1 / (max − min), and
    where white alone reaches its end first (s·r > 1), s = 2 / max. The whole is then scaled to the target's own
    strength, so that half the target is half the light.
    """
    top = rgb.max(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        unit = np.where(top[:, None] > 0, rgb / top[:, None], 0.0)
        low = unit.min(axis=1)
        scale = np.where(low > 0.5, 2.0, 1.0 / (1.0 - low))
    white = np.minimum(scale * low, 1.0)
    mixed = np.empty((len(rgb), 4))
    mixed[:, :3] = np.clip(unit * scale[:, None] - white[:, None], 0.0, 1.0)
    mixed[:, 3] = white
    mixed *= top[:, None]
    return mixed


UNIT = st.tuples(*[st.floats(0.0, 1.0)] * 3)


def delta(made: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """Distance in OKLab of two colours at the same strongest part."""
    a = made / np.maximum(made.max(axis=1, keepdims=True), 1e-12)
    b = wanted / np.maximum(wanted.max(axis=1, keepdims=True), 1e-12)
    return np.linalg.norm(to_oklab(np.maximum(a, 0)) - to_oklab(b), axis=1)


@pytest.mark.parametrize("name", list(SETS))
@settings(max_examples=200, deadline=None)
@given(st.lists(UNIT, min_size=1, max_size=8))
def test_within_the_gamut_the_colour_is_exact(name, targets):
    rgb = np.array([t for t in targets if max(t) > 0.02] or [(1.0, 1.0, 1.0)])
    mixer = MIXERS[name]
    levels = mixer.mix(rgb)
    assert levels.min() >= 0
    assert levels.max() <= 1 + 1e-9
    inside = ~mixer.brightest((rgb / rgb.max(axis=1, keepdims=True)).T)[1]
    if inside.any():
        assert delta(mixer.light_of(levels)[inside], rgb[inside]).max() < 0.01


def brightest(light: np.ndarray, unit: np.ndarray) -> float:
    """How far along a colour (3) any mix goes, by linear programming."""
    from scipy.optimize import linprog

    n = len(light)
    best = linprog(
        np.r_[np.zeros(n), -1.0],
        A_eq=np.c_[light.T, -unit],
        b_eq=np.zeros(3),
        bounds=[(0, 1)] * n + [(0, None)],
    )
    return -best.fun


@pytest.mark.parametrize("name", list(SETS))
def test_it_is_nearly_as_bright_as_any_mix_of_the_colour(name):
    """Brightness is given up only beside colours that some emitter cannot be in."""
    dice = np.random.default_rng(4)
    rgb = dice.random((60, 3))
    unit = rgb / rgb.max(axis=1, keepdims=True)
    mixer = MIXERS[name]
    levels, gone = mixer.brightest(unit.T)
    made = mixer.light_of(levels.T).max(axis=1)
    best = np.array([brightest(mixer.light, u) for u in unit])
    assert not gone.any()
    assert (made <= best * (1 + 1e-6)).all()
    assert (made / best).mean() > 0.85
    assert levels.max(axis=0) == pytest.approx(np.ones(60))


@given(UNIT)
def test_rec709_primaries_with_a_white_are_near_the_closed_form(target):
    mixer = Mixer([[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 1]])
    rgb = np.array([target]).round(6)
    made, closed = mixer.light_of(mixer.mix(rgb)), mixer.light_of(mix_white(rgb))
    assert made.max() >= 0.9 * closed.max()
    assert made * closed.max() == pytest.approx(closed * made.max(), abs=1e-6)


def test_primaries_and_a_white_are_all_full_at_white_and_alone_at_themselves():
    mixer = Mixer([[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 1]])
    wanted = np.array([[1, 1, 1], [1, 0, 0], [0, 1, 1], [0.5, 0.5, 0.5]], float)
    levels = [[1, 1, 1, 1], [1, 0, 0, 0], [0, 1, 1, 0], [0.5, 0.5, 0.5, 0.5]]
    assert mixer.mix(wanted) == pytest.approx(np.array(levels, float), abs=0.002)


USUAL_SETS = [
    *("R G B C", "R G B W C", "R G B RY", "R G B W RY", "R G B GY WW", "R G B Y"),
    *("R G B W RY UV", "R G B C M Y", "R G B W RY C", "R G B WW CW"),
]
IN_ONE_PLANE = {
    "amber on the edge": [[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 0.5, 0]],
    "cyan on the edge": [[1, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0.5, 0.5]],
    "two whites": [[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 1, 1], [1, 1, 1]],
    "two ambers": [[1, 0, 0], [0, 1, 0], [0, 0, 1], [1, 0.5, 0], [1, 0.5, 0]],
    "all edges": [
        *([1, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0.8, 0.8], [0.8, 0.8, 0], [0.8, 0, 0.8]),
        [1, 1, 1],
    ],
}
ALL_SETS = {
    **{name: mixer.light for name, mixer in MIXERS.items()},
    **{s: np.array([USUAL[f"ColorAdd_{n}"] for n in s.split()]) for s in USUAL_SETS},
    **{name: np.array(light, float) for name, light in IN_ONE_PLANE.items()},
}


def ends(dice: np.random.Generator, count: int) -> np.ndarray:
    """Colours to fade between: any, and the strongest there are."""
    corners = np.array([[n >> b & 1 for b in range(3)] for n in range(1, 8)], float)
    some = dice.random((count, 3))
    strong = dice.random(count) < 0.5
    some[strong] = corners[dice.integers(7, size=strong.sum())]
    return some


@pytest.mark.parametrize("name", list(ALL_SETS))
def test_no_emitter_jumps_in_a_slow_fade_and_each_colour_on_the_way_is_exact(name):
    """Ten seconds are 440 frames: no more than 10 of 255 from one to the next."""
    mixer, dice = Mixer(ALL_SETS[name]), np.random.default_rng(6)
    begin, end = (to_oklab_rows(ends(dice, 150).T)[:, :, None] for _ in range(2))
    way = np.linspace(0.0, 1.0, 441)
    rgb = from_oklab_rows((begin + (end - begin) * way).reshape(3, -1))
    rgb = np.clip(rgb, 0.0, 1.0)
    levels = mixer.mix_rows(rgb)
    steps = np.abs(np.diff(levels.reshape(len(levels), -1, 441), axis=2))
    assert 255 * steps.max() <= 10.0
    top = rgb.max(axis=0)
    seen = (top > 0.02) & ~mixer.brightest(rgb / np.maximum(top, 1e-9))[1]
    made = mixer.light_of(levels.T)[seen]
    assert seen.mean() > 0.9
    scale = (made * rgb.T[seen]).sum(axis=1) / (rgb.T[seen] ** 2).sum(axis=1)
    off = np.abs(made - scale[:, None] * rgb.T[seen]).max(axis=1) / scale
    assert off.max() < 1e-6


def test_plain_primaries_are_driven_straight():
    mixer = Mixer(np.eye(3).tolist())
    rgb = np.array([[1.0, 0.5, 0.0], [0.2, 0.2, 0.2], [0.0, 0.0, 0.0]])
    assert mixer.mix(rgb) == pytest.approx(rgb, abs=1e-9)


def test_a_colour_out_of_reach_keeps_its_hue():
    """Three pale emitters cannot give full red: they give the most saturated of its hue."""
    mixer = Mixer([[1, 0.3, 0.3], [0.3, 1, 0.3], [0.3, 0.3, 1]])
    wanted = np.array([[1.0, 0.0, 0.0], [0.0, 0.9, 0.6]])
    assert mixer.brightest((wanted / wanted.max(axis=1, keepdims=True)).T)[1].all()
    made, asked = to_oklab(mixer.light_of(mixer.mix(wanted))), to_oklab(wanted)
    hue = np.arctan2(made[:, 2], made[:, 1]) - np.arctan2(asked[:, 2], asked[:, 1])
    assert np.abs(np.angle(np.exp(1j * hue))).max() < np.radians(3)
    assert (np.hypot(made[:, 1], made[:, 2]) > 0.05).all()


def test_half_the_target_is_half_the_light():
    mixer = MIXERS["RGBAW"]
    rgb = np.array([[0.8, 0.5, 0.3]])
    assert mixer.mix(rgb / 2) == pytest.approx(mixer.mix(rgb) / 2)


def test_too_few_emitters_span_nothing():
    assert not Mixer([light("warm"), light("cold")]).spans()
    assert MIXERS["RGB"].spans()
    assert from_xyy(0.3127, 0.329, 1.0) == pytest.approx((1, 1, 1), abs=0.01)


def test_a_colour_is_mixed_alike_whatever_was_asked_before_and_beside_it():
    """To the last bit: what is remembered from frame to frame changes nothing."""
    dice = np.random.default_rng(3)
    for light in (m.light for m in MIXERS.values()):
        mixer, targets = Mixer(light), dice.random((40, 3))
        for _ in range(12):
            some = dice.integers(0, 40, 5)
            targets = targets.copy()
            targets[some] = dice.random((5, 3)) * dice.choice([1.0, 0.2], (5, 1))
            asked = targets.copy()
            assert np.array_equal(mixer.mix(asked), Mixer(light).mix(targets))
            assert np.array_equal(asked, targets)
        assert np.array_equal(mixer.mix(targets[:7]), mixer.mix(targets)[:7])
