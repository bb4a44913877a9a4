"""The numeric heart: bytes worked out by hand, and properties that every show must
keep.
"""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.library import library
from choreon.model import edits
from choreon.model.show import Show
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend, render
from choreon.render.state import DraftState, Masters, Player, PlayState, Ramp
from tests import play

# The shipped types without what they say of their emitters: then the primaries are
# those of Rec.709.
PLAIN = {i: edits.replace(kind, emitters=()) for i, kind in library().items()}


def rig_of(*hung) -> Show:
    """A show with fixtures hung: (type, mode, address), ids `a`, `b`, … on universe 1."""
    show = Show(id="t", name="T")
    for letter, (kind, mode, address) in zip("abcdefgh", hung, strict=False):
        show, (made,) = edits.hang(show, PLAIN[kind], mode, 1, 1, address)
        fixture = edits.replace(show.fixtures[made], id=letter)
        show = edits.put(edits.drop(show, "fixtures", [made]), "fixtures", fixture)
    return show


PARS = [("tarnby-par-7", "8 channel", 1 + 8 * i) for i in range(4)]


def with_scenes(show: Show, **looks) -> Show:
    return play.with_scenes(show, **looks)


def playing_scene(
    name: str, order: int = 1, level: float = 1.0, weight: Ramp | None = None
) -> Player:
    return play.player(
        name,
        play.step(name, 0.0, 0.0, 0.0),
        weight=weight or Ramp(),
        level=level,
        order=order,
    )


def frame_of(
    show: Show, *players: Player, draft=None, masters=None, now: float = 100.0
) -> list[int]:
    state = PlayState(tuple(players), DraftState(draft or {}), masters or Masters())
    return render(compile_show(show), state, now)[0].tolist()


def test_every_byte_of_a_par_in_its_eight_channel_mode():
    """Dimmer .5 → 127.5 rounds up to 128. Target (1, .5, 0): weakest part 0, so no
    white. Shutter open is the middle of 240…255, 247. Program and its speed rest at 0.
    """
    show = with_scenes(
        rig_of(PARS[0]),
        s={
            "a": {
                "Dimmer": 0.5,
                "ColorRGB_Red": 1.0,
                "ColorRGB_Green": 0.5,
                "ColorRGB_Blue": 0.0,
            }
        },
    )
    assert frame_of(show, playing_scene("s"))[:9] == [128, 255, 128, 0, 0, 247, 0, 0, 0]


def test_white_emitter_takes_the_brightest_mix():
    """Target (1, .5, .5): scale 1 / (1 − .5) = 2, white 2·.5 = 1, colours 2·(1, .5, .5)
    − 1 = (1, 0, 0).
    """
    pink = {
        "Dimmer": 1.0,
        "ColorRGB_Red": 1.0,
        "ColorRGB_Green": 0.5,
        "ColorRGB_Blue": 0.5,
    }
    assert frame_of(with_scenes(rig_of(PARS[0]), s={"a": pink}), playing_scene("s"))[
        :5
    ] == [255, 255, 0, 0, 255]


def test_virtual_dimmer_scales_emitters_amber_and_uv():
    """Six channels without a dimmer: red .4 and amber 1 at level .5 → 51 and 127.5,
    which rounds up.
    """
    show = rig_of(("tarnby-flood-6", "6 channel", 10))
    look = {
        "Dimmer": 0.5,
        "ColorRGB_Red": 0.4,
        "ColorRGB_Green": 0.0,
        "ColorRGB_Blue": 0.0,
        "ColorAdd_RY": 1.0,
    }
    assert frame_of(with_scenes(show, s={"a": look}), playing_scene("s"))[9:15] == [
        51,
        0,
        0,
        0,
        128,
        0,
    ]


def test_sixteen_bit_pan_and_tilt():
    """Pan 540° wide: −135° is a quarter of 65535 = 16383.75 → 16384 = 0x4000. Tilt 270°
    wide: 67.5° is three quarters, 49151.25 → 49151 = 0xBFFF.
    """
    show = rig_of(("ostrey-spot-160", "13 channel", 1))
    bytes_ = frame_of(
        with_scenes(show, s={"a": {"Pan": -135.0, "Tilt": 67.5}}), playing_scene("s")
    )
    assert bytes_[:4] == [0x40, 0x00, 0xBF, 0xFF]


def test_strobe_in_hertz_and_closed_shutter():
    """Par 7 strobes on 10…239 for 1…20 Hz: 10.5 Hz is the middle, 124.5 → 125. Closed
    is the middle of 0…9.
    """
    show = with_scenes(
        rig_of(PARS[0]),
        slow={"a": {"Shutter1Strobe": 10.5}},
        shut={"a": {"Shutter1": 0.0}},
    )
    assert frame_of(show, playing_scene("slow"))[5] == 125
    assert frame_of(show, playing_scene("shut"))[5] == 4


def test_cells_take_one_value_or_their_own():
    """A bar of eight cells: a number reaches all cells, a tuple gives each its own."""
    show = rig_of(("pellow-bar-8", "24 channel", 1))
    red = {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}
    levels = tuple(i / 8 for i in range(1, 9))
    show = with_scenes(
        show, all={"a": {"Dimmer": 1.0, **red}}, each={"a": {"Dimmer": levels, **red}}
    )
    assert frame_of(show, playing_scene("all"))[:24] == [255, 0, 0] * 8
    assert frame_of(show, playing_scene("each"))[:24:3] == [
        int(255 * level + 0.5) for level in levels
    ]


def test_home_rests_and_device_channels_are_raw():
    """Spot at rest: pan, tilt in the middle (0x8000), no light, shutter open (47),
    focus 128, wheels at their home, 0. The second gobo stands on 24…35, the middle is
    29.
    """
    show = rig_of(("ostrey-spot-160", "13 channel", 1))
    assert frame_of(show)[:13] == [0x80, 0, 0x80, 0, 0, 0, 47, 0, 0, 0, 0, 128, 0]
    assert (
        frame_of(with_scenes(show, s={"a": {"Gobo1": 2}}), playing_scene("s"))[8] == 29
    )
    assert (
        frame_of(with_scenes(show, s={"a": {"dmx:gobo": 30}}), playing_scene("s"))[8]
        == 30
    )


def test_masters_scale_intensity_only():
    show = with_scenes(rig_of(PARS[0]), s={"a": {"Dimmer": 0.8}})
    assert frame_of(show, playing_scene("s"), masters=Masters(0.5))[:6] == [
        102,
        255,
        255,
        255,
        255,
        247,
    ]
    assert frame_of(show, playing_scene("s"), masters=Masters(1.0, True))[0] == 0


def test_draft_is_above_all_and_masters_above_the_draft():
    show = with_scenes(rig_of(PARS[0]), s={"a": {"Dimmer": 1.0}})
    assert frame_of(show, playing_scene("s"), draft={"a": {"Dimmer": 0.2}})[0] == 51
    assert (
        frame_of(
            show, playing_scene("s"), draft={"a": {"Dimmer": 0.2}}, masters=Masters(0.5)
        )[0]
        == 26
    )


def test_a_light_comes_up_in_its_own_colour():
    """Fading in from dark, the colour is the scene's from the first frame, not a way
    there from white.
    """
    blue = {
        "Dimmer": 1.0,
        "ColorRGB_Red": 0.0,
        "ColorRGB_Green": 0.0,
        "ColorRGB_Blue": 1.0,
    }
    show = with_scenes(rig_of(PARS[0]), s={"a": blue})
    half = playing_scene("s", weight=Ramp(0.0, 1.0, 0.0, 4.0))
    assert frame_of(show, half, now=2.0)[:5] == [128, 0, 0, 255, 0]


def test_different_times_in_and_out():
    """Rising in 2 s and falling in 4 s: after 1 s, half up and a quarter down."""
    show = with_scenes(
        rig_of(*PARS[:2]), one={"a": {"Dimmer": 1.0}}, two={"b": {"Dimmer": 1.0}}
    )
    player = play.player(
        "p", play.step("one", 0.0, 0.0, 0.0), play.step("two", 10.0, 2.0, 4.0)
    )
    frame = frame_of(show, player, now=11.0)
    assert (frame[0], frame[8]) == (191, 128)


def test_an_interrupted_crossfade_goes_on_from_where_it_was():
    show = with_scenes(
        rig_of(PARS[0]), dark={"a": {"Dimmer": 0.0}}, full={"a": {"Dimmer": 1.0}}
    )
    steps = (
        play.step("dark", 0.0, 0.0, 0.0),
        play.step("full", 10.0, 4.0, 4.0),
        play.step("dark", 12.0, 4.0, 4.0),
    )
    player = play.player("p", *steps)
    assert frame_of(show, player, now=12.0)[0] == 128
    assert frame_of(show, player, now=14.0)[0] == 64


def test_what_is_past_the_universe_or_unknown_is_left_out():
    show = edits.change_fixtures(rig_of(PARS[0]), {"a": {"address": 509}})
    assert frame_of(with_scenes(show, s={"a": {"Dimmer": 1.0}}), playing_scene("s"))[
        508:
    ] == [255, 255, 255, 255]
    ghost = edits.change_fixtures(rig_of(*PARS[:2]), {"a": {"type": "nobody-knows"}})
    assert frame_of(ghost)[8:14] == [0, 255, 255, 255, 255, 247]


level = st.floats(0.0, 1.0)


@settings(max_examples=60, deadline=None)
@given(shared=level, when=level, red=level, blue=level)
def test_no_dip_between_two_scenes_with_the_same_level(shared, when, red, blue):
    looks = {
        name: {
            "a": {
                "Dimmer": shared,
                "ColorRGB_Red": red if name == "one" else 1.0,
                "ColorRGB_Blue": blue,
            }
        }
        for name in ("one", "two")
    }
    show = with_scenes(rig_of(PARS[0]), **looks)
    player = play.player(
        "p", play.step("one", 0.0, 0.0, 0.0), play.step("two", 10.0, 3.0, 5.0)
    )
    assert frame_of(show, player, now=10.0 + 6 * when)[0] == int(255 * shared + 0.5)


looks = st.dictionaries(
    st.sampled_from("abcd"),
    st.fixed_dictionaries({"Dimmer": level, "ColorRGB_Red": level}),
    max_size=4,
)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(looks, level), min_size=1, max_size=5), st.randoms())
def test_order_of_independent_players_does_not_matter_for_intensity(them, random):
    show = with_scenes(
        rig_of(*PARS), **{f"s{i}": look for i, (look, _) in enumerate(them)}
    )
    players = [playing_scene(f"s{i}", i, weight) for i, (_, weight) in enumerate(them)]
    shuffled = list(range(len(players)))
    random.shuffle(shuffled)
    turned = [edits.replace(p, order=o) for p, o in zip(players, shuffled, strict=True)]
    compiled = compile_show(show)
    count = compiled.rig.intensities
    one = blend(compiled, PlayState(tuple(players)), 1.0)[:count]
    other = blend(compiled, PlayState(tuple(turned)), 1.0)[:count]
    assert np.array_equal(one, other)


@settings(max_examples=40, deadline=None)
@given(look=looks, weight=level, after=level)
def test_a_released_scene_leaves_home_values(look, weight, after):
    show = with_scenes(rig_of(*PARS), s=look)
    state = PlayState((playing_scene("s", weight=Ramp(weight, 1.0, 0.0, 1.0)),))
    state = play.release(show, state, "s", after)
    compiled = compile_show(show)
    assert np.array_equal(
        render(compiled, state, after + 2.01), render(compiled, PlayState(), 0.0)
    )
    assert play.prune(state, after + 2.01).players == ()


@settings(max_examples=40, deadline=None)
@given(st.lists(st.tuples(looks, level), min_size=1, max_size=4), level)
def test_same_inputs_same_bytes_whatever_was_rendered_before(them, when):
    show = with_scenes(
        rig_of(*PARS), **{f"s{i}": look for i, (look, _) in enumerate(them)}
    )
    steps = tuple(
        play.step(f"s{i}", float(i), 2.0 * gap, 1.0) for i, (_, gap) in enumerate(them)
    )
    state = PlayState((play.player("p", *steps, weight=Ramp(0.0, 1.0, 0.0, 2.0)),))
    warm = compile_show(show)
    for t in (0.1, 3.0, 1.5):
        render(warm, state, t)
    assert np.array_equal(
        render(warm, state, 5 * when), render(compile_show(show), state, 5 * when)
    )


def test_cells_with_a_master_keep_one_dimmer():
    show = rig_of(("pellow-bar-8", "26 channel", 1))
    rig = compile_show(show).rig
    assert rig.intensities == 1
    frame = frame_of(
        show,
        draft={"a": {"Dimmer": 1.0, "ColorRGB_Red": (1.0, 0.5), "ColorRGB_Green": 0.0}},
    )
    assert frame[:5] == [255, 3, 255, 0, 0]
    assert frame[5] == 128


@pytest.mark.parametrize("value", [float("nan"), float("inf"), -3.0, 7.0])
def test_values_beyond_their_range_never_reach_the_wire_as_garbage(value):
    assert frame_of(rig_of(PARS[0]), draft={"a": {"Dimmer": value}})[0] in (0, 255)
