"""Compiling rigs and looks, and reading frames back, for every type in the library."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.library import library
from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.fixture_type import Cell, Channel, FixtureType, Mode, Range, Use
from choreon.model.show import Hanging, Show
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.decode import decoder_for
from choreon.render.looks import compile_look
from choreon.render.looks import merged as laid_over
from choreon.render.rig import compile_rig
from choreon.render.state import DraftState, PlayState, Step
from tests import play

# The shipped types without what they say of their emitters: then the primaries are
# those of Rec.709.
PLAIN = {i: edits.replace(kind, emitters=()) for i, kind in library().items()}

EVERY = [(kind.id, mode.name) for kind in library().values() for mode in kind.modes]


def one(kind: FixtureType, mode: str, address: int = 1, **fields) -> Show:
    show, (made,) = edits.hang(Show(id="t", name="T"), kind, mode, 1, 1, address)
    fixture = edits.replace(show.fixtures[made], id="f", **fields)
    return edits.put(edits.drop(show, "fixtures", [made]), "fixtures", fixture)


def frame(show: Show, look: dict) -> np.ndarray:
    return render(compile_show(show), PlayState(draft=DraftState(look)), 0.0)


def light(show: Show, look: dict):
    compiled = compile_show(show)
    decoder = decoder_for(compiled.rig, show.types.values())
    return decoder.read(render(compiled, PlayState(draft=DraftState(look)), 0.0))


@pytest.mark.parametrize(("kind", "mode"), EVERY)
def test_every_mode_writes_within_its_footprint(kind, mode):
    show = one(PLAIN[kind], mode, address=100)
    footprint = PLAIN[kind].mode(mode).footprint
    rig = compile_show(show).rig
    everything = dict.fromkeys(rig.where["f"], 1.0)
    bytes_ = frame(show, {"f": everything})[0]
    assert not bytes_[:99].any()
    assert not bytes_[99 + footprint :].any()
    assert bytes_[99 : 99 + footprint].any()


@pytest.mark.parametrize(("kind", "mode"), EVERY)
def test_every_mode_is_dark_at_home_and_lights_when_opened(kind, mode):
    show = one(PLAIN[kind], mode)
    lit = light(show, {})
    if not len(lit.rgb):
        assert PLAIN[kind].kind in ("hazer", "fogger", "fan")
        return
    assert lit.rgb.max() == 0
    opened = light(show, {"f": {at.DIMMER: 1.0, at.SHUTTER: 1.0}})
    assert (opened.rgb[mixing(show)].max(axis=1) > 0.9).all()
    if at.SHUTTER in compile_show(show).rig.where["f"]:
        shut = light(show, {"f": {at.DIMMER: 1.0, at.SHUTTER: 0.0}})
        closes = any(
            r.attribute == at.SHUTTER and r.low < 0.5
            for use in PLAIN[kind].mode(mode).uses
            for r in PLAIN[kind].channel(use.channel).ranges
        )
        assert (shut.rgb.max() == 0) == closes


def mixing(show: Show) -> np.ndarray:
    """Which lamps of the one fixture mix a colour; all of them where none does. An
    emitter that others share is driven by itself, and stays off.
    """
    parts = decoder_for(compile_show(show).rig, show.types.values()).parts
    found = np.array([at.RED in part.rows for part in parts])
    return found if found.any() else ~found


@pytest.mark.parametrize(("kind", "mode"), EVERY)
def test_a_red_target_is_red_in_every_lamp_and_nothing_else_shines(kind, mode):
    show = one(library()[kind], mode)
    compiled = compile_show(show)
    if at.RED not in compiled.rig.where["f"]:
        return  # it mixes no colours
    decoder = decoder_for(compiled.rig, show.types.values())
    mixed = np.array([at.RED in part.rows for part in decoder.parts])
    for colour, wanted in enumerate(np.eye(3)):
        target = dict(zip(at.TARGET_COLOUR, wanted.tolist(), strict=True))
        look = {"f": {at.DIMMER: 1.0, at.SHUTTER: 1.0, **target}}
        state = PlayState(draft=DraftState(look))
        lit = decoder.read(render(compiled, state, 0.0)).rgb
        assert (lit[mixed].argmax(axis=1) == colour).all()
        others = np.delete(lit[mixed], colour, axis=1)
        assert (others.max(axis=1) < 0.3 * lit[mixed][:, colour]).all()
        assert (lit[~mixed] == 0).all()


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(
        [m for m in EVERY if m[0] in ("ostrey-spot-160", "ostrey-wash-90")]
    ),
    st.floats(-100, 100),
    st.floats(-100, 100),
    st.floats(-90, 90),
)
def test_direction_read_back_is_the_direction_that_was_meant(which, pan, tilt, pitch):
    from choreon.render import aim

    show = one(PLAIN[which[0]], which[1], hanging=Hanging(pitch=pitch))
    got = light(show, {"f": {"Pan": pan, "Tilt": tilt}}).direction[0]
    meant = aim.beam(aim.hanging_matrix([0.0], [pitch], [0.0]), [pan], [tilt])[0]
    fine = "13" in which[1] or "12" in which[1]
    assert np.degrees(np.arccos(np.clip(got @ meant, -1, 1))) < (0.02 if fine else 2.2)


@settings(max_examples=40, deadline=None)
@given(st.floats(0, 1), st.tuples(*[st.floats(0, 1)] * 3))
def test_colour_read_back_is_the_colour_that_was_meant(level, rgb):
    show = one(PLAIN["pellow-dot"], "3 channel")
    look = {"f": {at.DIMMER: level, **dict(zip(at.TARGET_COLOUR, rgb, strict=True))}}
    assert light(show, look).rgb[0] == pytest.approx(np.array(rgb) * level, abs=0.003)


@pytest.mark.parametrize("hertz", [1.0, 4.0, 12.5, 20.0])
def test_strobe_read_back_in_hertz(hertz):
    show = one(PLAIN["tarnby-par-7"], "8 channel")
    assert light(show, {"f": {at.STROBE: hertz}}).strobe[0] == pytest.approx(
        hertz, abs=0.05
    )
    assert light(show, {"f": {at.STROBE: 0.0}}).strobe[0] == 0.0


def test_cells_lie_where_their_fixture_turns_them():
    show = one(PLAIN["pellow-bar-8"], "24 channel", hanging=Hanging(yaw=90))
    lamps = decoder_for(compile_show(show).rig, show.types.values()).lamps
    assert [lamp.cell for lamp in lamps] == list(range(1, 9))
    assert lamps[0].place.x == pytest.approx(0.0, abs=1e-9)
    assert lamps[0].place.y == pytest.approx(-0.4375)
    assert lamps[7].place.y == pytest.approx(0.4375)


def odd_type(
    *ranges: Range, slots: tuple[int, ...] = (1,), resolution: int = 1, home: int = 0
) -> FixtureType:
    channel = Channel(key="c", ranges=ranges, resolution=resolution, home=home)
    return FixtureType(
        id="odd",
        maker="",
        name="Odd",
        kind="",
        channels=(channel,),
        modes=(Mode(name="m", uses=(Use("c", slots),)),),
    )


def test_a_descending_range():
    show = one(
        odd_type(Range(start=0, end=255, attribute="Dimmer", low=1.0, high=0.0)), "m"
    )
    assert [frame(show, {"f": {"Dimmer": v}})[0, 0] for v in (0.0, 0.2, 1.0)] == [
        255,
        204,
        0,
    ]


def test_fine_before_coarse_and_a_range_in_sixteen_bits():
    """Slots given coarse first: (2, 1) puts the coarse byte second. Half of 65535 is
    32767.5 → 32768 = 0x8000.
    """
    kind = odd_type(
        Range(start=0, end=65535, attribute="Dimmer"), slots=(2, 1), resolution=2
    )
    assert frame(one(kind, "m"), {"f": {"Dimmer": 0.5}})[0, :2].tolist() == [0x00, 0x80]


def test_three_bytes():
    """A quarter of 16777215 is 4194303.75 → 4194304 = 0x400000."""
    kind = odd_type(Range(start=0, end=255, attribute="Dimmer"), slots=(1, 2, 3))
    assert frame(one(kind, "m"), {"f": {"Dimmer": 0.25}})[0, :3].tolist() == [
        0x40,
        0,
        0,
    ]


def test_a_part_of_a_channel():
    """Pan on 20…219 only: −90° → 20, 0° → 119.5 rounds up, 90° → 219."""
    show = one(
        odd_type(Range(start=20, end=219, attribute="Pan", low=-90, high=90), home=120),
        "m",
    )
    assert [frame(show, {"f": {"Pan": v}})[0, 0] for v in (-90, 0, 90, 500)] == [
        20,
        120,
        219,
        219,
    ]
    assert frame(show, {})[0, 0] == 120


def test_a_channel_without_ranges_rests_at_home_and_a_lone_white_is_dimmed():
    empty = FixtureType(
        id="e",
        maker="",
        name="E",
        kind="",
        channels=(
            Channel(
                key="w",
                home=7,
                ranges=(Range(start=0, end=255, attribute="ColorAdd_W"),),
            ),
            Channel(key="n", home=9, ranges=()),
        ),
        modes=(Mode(name="m", uses=(Use("w", (1,)), Use("n", (2,)))),),
    )
    show = one(empty, "m")
    assert frame(show, {})[0, :2].tolist() == [0, 9]
    assert frame(show, {"f": {at.DIMMER: 0.5}})[0, :2].tolist() == [128, 9]
    assert frame(show, {"f": {"dmx:n": 33.0}})[0, :2].tolist() == [0, 33]


def test_a_pack_of_six_is_one_fixture_with_six_cells():
    show = one(PLAIN["holmwick-6-way"], "Six outputs")
    levels = (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)
    assert frame(show, {"f": {"Dimmer": levels}})[0, :6].tolist() == [
        0,
        51,
        102,
        153,
        204,
        255,
    ]
    assert frame(show, {"f": {"Dimmer": (0.2, 0.4)}})[0, :6].tolist() == [
        51,
        102,
        102,
        102,
        102,
        102,
    ]


def test_a_look_survives_another_mode_of_the_type():
    """What was stored for eight channels lights the four-channel mode: its dimmer is
    then a virtual one.
    """
    kind = PLAIN["tarnby-par-7"]
    look = {
        "f": {at.DIMMER: 0.5, at.RED: 1.0, at.GREEN: 0.0, at.BLUE: 0.0, at.STROBE: 5.0}
    }
    assert frame(one(kind, "8 channel"), look)[0, :2].tolist() == [128, 255]
    assert frame(one(kind, "4 channel"), look)[0, :4].tolist() == [128, 0, 0, 0]


def test_a_rig_of_nothing():
    rig = compile_rig({}, {})
    assert rig.universes == ()
    assert frame(Show(id="t", name="T"), {"nobody": {"Dimmer": 1.0}}).shape == (0, 512)
    assert compile_look(rig, {"nobody": {"Dimmer": 1.0}}).rows.size == 0


names = st.sampled_from(["par-1", "par-2", "par-3"])
values = st.fixed_dictionaries(
    {at.DIMMER: st.floats(0, 1)},
    optional={at.RED: st.floats(0, 1), at.STROBE: st.floats(0, 20)},
)


@settings(max_examples=50, deadline=None)
@given(st.lists(st.dictionaries(names, values, max_size=3), max_size=4))
def test_looks_stacked_are_looks_laid_one_by_one(many):
    show, _ = edits.hang(
        Show(id="t", name="T"), PLAIN["tarnby-par-7"], "8 channel", 3, 1, 1
    )
    rig = compile_show(show).rig
    looks = [compile_look(rig, look) for look in many]
    merged = laid_over(rig, looks)
    plain, lit = rig.home.copy(), np.zeros(rig.intensities)
    for look in looks:
        plain[look.rows] = look.values
        lit[look.lamps] = np.maximum(lit[look.lamps], look.levels)
    together = rig.home.copy()
    together[merged.rows] = merged.values
    assert np.array_equal(together, plain)
    shining = np.zeros(rig.intensities)
    shining[merged.lamps] = merged.levels
    assert np.array_equal(shining, lit)


def test_cells_that_are_not_there_are_passed_over():
    kind = FixtureType(
        id="k",
        maker="",
        name="K",
        kind="",
        channels=(
            Channel(key="d", ranges=(Range(start=0, end=255, attribute="Dimmer"),)),
        ),
        modes=(
            Mode(
                name="m",
                uses=(Use("d", (1,), 1), Use("d", (2,), 2)),
                cells=(Cell("a"), Cell("b")),
            ),
        ),
    )
    show = one(kind, "m")
    assert frame(show, {"f": {"Dimmer": (1.0, 0.2, 0.4, 0.9)}})[0, :2].tolist() == [
        255,
        51,
    ]
    assert frame(show, {"f": {"Dimmer": ()}})[0, :2].tolist() == [0, 0]


def test_recompiling_takes_over_what_did_not_change():
    show = one(PLAIN["pellow-dot"], "3 channel")
    show, a = edits.keep_scene(show, "A", {"f": {at.DIMMER: 1.0}}, 1, 1)
    show, b = edits.keep_scene(show, "B", {"f": {at.DIMMER: 0.5}}, 1, 1)
    first = compile_show(show)
    play.compile_all(first)
    changed = edits.update_scene(show, b, {"f": {at.DIMMER: 0.1}})
    second = compile_show(changed, first)
    assert second.rig is first.rig
    step_a, step_b = Step(ref=a), Step(ref=b)
    assert second.source(step_a) is first.source(step_a)
    assert second.source(step_b) is not first.source(step_b)
    moved = edits.change_fixtures(changed, {"f": {"address": 9}})
    assert compile_show(moved, second).rig is not second.rig
