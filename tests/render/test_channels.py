"""Channels of several meanings, bare values, identify, commands, opening up, and why."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.library import library
from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.fixture_type import Channel, FixtureType, Mode, Range, Use
from choreon.model.playables import Scene
from choreon.model.show import Show
from choreon.render import open_up
from choreon.render.commands import commands_of, lamps_on, send
from choreon.render.compiled import compile_show
from choreon.render.compositor import levels, render
from choreon.render.decode import decoder_for
from choreon.render.explain import explain
from choreon.render.state import (
    DraftState,
    Identify,
    Masters,
    Player,
    PlayState,
    Ramp,
    Sent,
)
from tests import play

SPOT = library()["ostrey-spot-160"]
GOBO, TURN, SHUTTER = 8, 9, 6  # slots of the 13-channel mode, from 0


def hung(kind: FixtureType, mode: str, **fields) -> Show:
    show, (made,) = edits.hang(Show(id="t", name="T"), kind, mode, 1, 1, 1)
    one = edits.replace(show.fixtures[made], id="f", **fields)
    return edits.put(edits.drop(show, "fixtures", [made]), "fixtures", one)


def out(show: Show, look: dict, **state) -> list[int]:
    return render(
        compile_show(show), PlayState(draft=DraftState({"f": look}), **state), 10.0
    )[0].tolist()


SPOT_SHOW = hung(SPOT, "13 channel")


@pytest.mark.parametrize(
    ("look", "slot", "raw"),
    [
        ({"Gobo1": 3.0}, GOBO, 41),  # 36…47, the middle
        ({"Gobo1": 99.0}, GOBO, 77),  # the last slot is the nearest: 72…83
        (
            {"Gobo1": 3.0, "Gobo1WheelSpin": 30.0},
            GOBO,
            255,
        ),  # the speed wins while it is not 0
        ({"Gobo1": 3.0, "Gobo1WheelSpin": 0.0}, GOBO, 41),
        ({"Gobo1Pos": 180.0}, TURN, 64),  # 127 / 2 = 63.5, rounded up
        ({"Gobo1Pos": 180.0, "Gobo1PosRotate": -60.0}, TURN, 128),
        ({"Gobo1PosRotate": 60.0}, TURN, 255),
        ({"Gobo1PosRotate": 30.5}, TURN, 225),  # halfway from 194 to 255 is 224.5
        (
            {"Shutter1": 0.0, "Shutter1Strobe": 10.0},
            SHUTTER,
            15,
        ),  # shut is shut, whatever strobes
        ({"Shutter1": 1.0, "Shutter1Strobe": 25.0}, SHUTTER, 255),
        ({"Color1": 4.0}, 7, 44),
    ],
)
def test_the_range_that_is_wanted_is_found(look, slot, raw):
    assert out(SPOT_SHOW, look)[slot] == raw


def test_a_shaking_gobo_is_that_of_its_slot():
    spot = library()["ostrey-spot-250"]
    channel = spot.channel("gobo")
    show = hung(spot, spot.modes[0].name)
    slot = next(u.slots[0] for u in spot.modes[0].uses if u.channel == "gobo") - 1
    shaking = next(
        r for r in channel.ranges if r.attribute == "Gobo1SelectShake" and r.slot == 3
    )
    assert out(show, {"Gobo1": 3.0, "Gobo1SelectShake": 8.0})[slot] == shaking.end
    assert (
        out(show, {"Gobo1": 3.0})[slot]
        == (channel.ranges[3].start + channel.ranges[3].end) // 2
    )


def test_programs_and_idle_ranges_rest_until_they_are_asked_for():
    show = hung(library()["tarnby-par-7"], "8 channel")
    assert out(show, {})[6] == 0
    assert out(show, {"Effects1": 1.0})[6] == 16
    assert out(show, {"Effects1": 27.0})[6] == 239  # by sound: 224…255


def test_commands_are_no_values_and_a_channel_left_alone_stays_at_home():
    assert "LampControl" not in compile_show(SPOT_SHOW).rig.where["f"]
    rest = Channel(
        key="r",
        home=77,
        rest=True,
        ranges=(Range(start=0, end=255, attribute="Dimmer"),),
    )
    kind = FixtureType(
        id="k",
        maker="",
        name="K",
        kind="",
        channels=(rest,),
        modes=(Mode(name="m", uses=(Use("r", (1,)),)),),
    )
    show = hung(kind, "m")
    assert compile_show(show).rig.where == {}
    assert out(show, {"Dimmer": 1.0, "dmx:r": 200.0})[0] == 77


def test_twenty_four_bits_in_any_order():
    """Pan −180…180 over 24 bits, fine bytes first: 90° is three quarters, 0xBFFFFF.4 → 0xBFFFFF."""
    pan = Channel(
        key="p",
        resolution=3,
        ranges=(Range(start=0, end=256**3 - 1, attribute="Pan", low=-180, high=180),),
    )
    kind = FixtureType(
        id="k",
        maker="",
        name="K",
        kind="",
        channels=(pan,),
        modes=(Mode(name="m", uses=(Use("p", (3, 2, 1)),)),),
    )
    assert out(hung(kind, "m"), {"Pan": 90.0})[:3] == [0xFF, 0xFF, 0xBF]


def test_cyan_magenta_and_yellow_take_from_white():
    wash = library()["ostrey-wash-700"]
    show = (
        hung(wash, "10 channel")
        if wash.mode("10 channel")
        else hung(wash, wash.modes[1].name)
    )
    colour = dict(zip(at.TARGET_COLOUR, (1.0, 0.5, 0.0), strict=True))
    assert out(show, {"Dimmer": 1.0, **colour})[4:7] == [0, 128, 255]
    rig = compile_show(show).rig
    light = decoder_for(rig, show.types.values()).read(
        render(
            compile_show(show),
            PlayState(draft=DraftState({"f": {"Dimmer": 1.0, **colour}})),
            0.0,
        )
    )
    assert light.rgb[0] == pytest.approx([1.0, 0.5, 0.0], abs=0.005)


def test_a_colour_wheel_colours_the_picture():
    show = SPOT_SHOW
    compiled = compile_show(show)
    decoder = decoder_for(compiled.rig, show.types.values())
    red = decoder.read(
        render(
            compiled,
            PlayState(draft=DraftState({"f": {"Dimmer": 1.0, "Color1": 1.0}})),
            0.0,
        )
    ).rgb[0]
    assert red[0] > 0.9
    assert red[2] < 0.05


def motion_of(kind: str, look) -> tuple[float, list[float], bool]:
    """A head's gobo, how gobo and prism stand and move, and whether that keeps the picture moving."""
    chosen = library()[kind]
    show = hung(chosen, chosen.modes[0].name)
    compiled = compile_show(show)
    frame = render(
        compiled, PlayState(draft=DraftState({"f": {"Dimmer": 1.0, **look}})), 0.0
    )
    light = decoder_for(compiled.rig, show.types.values()).read(frame)
    return float(light.gobo[0]), light.motion[0].tolist(), light.moving


def test_what_gobos_do_is_read_back():
    """One step of a channel of one byte is 360°/127 of the angle, and 59 rpm over 62 values of the turning."""
    gobo, motion, moving = motion_of(
        "ostrey-spot-160", {"Gobo1": 2.0, "Gobo1Pos": 90.0}
    )
    assert (gobo, moving) == (2.0, False)
    assert motion == pytest.approx([90.0, 0, 0, 0, 0], abs=360 / 127)
    gobo, motion, moving = motion_of(
        "ostrey-spot-160", {"Gobo1": 2.0, "Gobo1PosRotate": -30.0}
    )
    assert (gobo, moving) == (2.0, True)
    assert motion == pytest.approx([0, -30.0, 0, 0, 0], abs=1.0)
    gobo, motion, moving = motion_of(
        "ostrey-spot-250", {"Gobo1": 1.0, "Gobo1SelectShake": 4.0}
    )
    assert (gobo, moving) == (1.0, True)
    assert motion == pytest.approx([0, 0, 4.0, 0, 0], abs=0.6)
    gobo, motion, moving = motion_of("ostrey-spot-160", {"Gobo1WheelSpin": 10.0})
    assert gobo >= 1.0  # some gobo is in the beam
    assert motion[1] == pytest.approx(10.0, abs=0.3)
    assert not motion_of("ostrey-spot-160", {"Gobo1PosRotate": -30.0})[
        2
    ]  # nothing in the beam that turns
    assert not motion_of(
        "ostrey-spot-160", {"Dimmer": 0.0, "Gobo1": 2.0, "Gobo1PosRotate": -30.0}
    )[2]


def test_reversed_cells_count_from_the_other_end():
    bar = library()["pellow-bar-8"]
    red = {
        "Dimmer": tuple(i / 8 for i in range(1, 9)),
        "ColorRGB_Red": 1.0,
        "ColorRGB_Green": 0.0,
        "ColorRGB_Blue": 0.0,
    }
    plain = out(hung(bar, "24 channel"), red)[:24:3]
    assert out(hung(bar, "24 channel", reversed=True), red)[:24:3] == plain[::-1]


def test_a_master_over_cells_that_dim_themselves_stays_open():
    blinder = library()["holmwick-blinder-2"]
    kind = edits.replace(
        blinder,
        modes=(
            Mode(
                name="m",
                uses=(
                    Use("dimmer", (1,)),
                    Use("dimmer", (2,), 1),
                    Use("dimmer", (3,), 2),
                ),
                cells=blinder.modes[1].cells,
            ),
        ),
    )
    assert out(hung(kind, "m"), {"Dimmer": (0.2, 0.6)})[:3] == [255, 51, 153]


@settings(max_examples=80, deadline=None)
@given(
    st.sampled_from(
        [
            (k.id, m.name)
            for k in library().values()
            for m in k.modes
            if k.kind.endswith("head")
        ]
    ),
    st.data(),
)
def test_what_is_asked_for_is_read_back(which, data):
    """Any value within an attribute's span comes back from the bytes, as near as the channel can tell it."""
    kind = library()[which[0]]
    show = hung(kind, which[1])
    rig = compile_show(show).rig
    spans = {
        r.attribute: (r, 256.0 ** (len(use.slots) - c.resolution))
        for use, c in kind.used(kind.mode(which[1]))
        for r in c.ranges
        if not r.discrete and r.slot < 0
    }
    name = data.draw(
        st.sampled_from(sorted(set(spans) & set(rig.where["f"]) - {at.DIMMER}))
    )
    span, scale = spans[name]
    wanted = data.draw(st.floats(min(span.low, span.high), max(span.low, span.high)))
    bytes_ = render(
        compile_show(show),
        PlayState(draft=DraftState({"f": {name: wanted, "Dimmer": 1.0}})),
        0.0,
    )
    got = decoder_for(rig, show.types.values()).sources_of(bytes_)[
        rig.where["f"][name][0][1]
    ]
    step = abs(span.high - span.low) / max(1.0, (span.end - span.start) * scale)
    if abs(wanted) > 1e-9:
        assert got == pytest.approx(wanted, abs=0.52 * step + 1e-6)


# bare values


def test_bare_values_are_over_all_and_later_colours_end_them():
    show = hung(edits.replace(library()["tarnby-par-7"], emitters=()), "4 channel")
    scenes = {
        "bare": Scene(
            id="bare", name="b", look={"f": {"Dimmer": 1.0, "ColorAdd_R": 0.2}}
        ),
        "teal": Scene(
            id="teal",
            name="t",
            look={"f": dict.fromkeys(at.TARGET_COLOUR, 0.0) | {"ColorRGB_Blue": 1.0}},
        ),
    }
    compiled = compile_show(edits.replace(show, playables=scenes))

    def at_(state: PlayState, now: float = 1.0) -> list[int]:
        return render(compiled, state, now)[0, :4].tolist()

    def on(scene: str, order: int, weight: Ramp | None = None) -> Player:
        return play.player(
            scene, play.step(scene, 0, 0, 0), weight=weight or Ramp(), order=order
        )

    assert at_(PlayState((on("bare", 1),)))[0] == 51
    assert at_(PlayState((on("bare", 1), on("teal", 2)))) == [0, 0, 255, 0]
    half = at_(PlayState((on("bare", 1, Ramp(0.0, 1.0, 0.0, 2.0)),)))
    assert (
        half[0] == 26
    )  # half the light, in its own colour: nobody else lights the lamp
    assert at_(PlayState((on("bare", 1),), masters=Masters(0.5)))[0] == 26
    assert at_(PlayState((on("bare", 1),), masters=Masters(1.0, True)))[0] == 0


def test_a_bare_dimmer_obeys_the_masters():
    assert out(SPOT_SHOW, {"dmx:dimmer": 200.0})[5] == 200
    assert out(SPOT_SHOW, {"dmx:dimmer": 200.0}, masters=Masters(0.5))[5] == 100
    assert out(SPOT_SHOW, {"dmx:dimmer": 200.0}, masters=Masters(1.0, True))[5] == 0


def test_bare_fine_values():
    assert out(SPOT_SHOW, {"dmx:pan": 100.5})[:2] == [100, 128]


# identify, commands, opening up


def test_identify_blinks_above_blackout_and_ends_by_itself():
    compiled = compile_show(SPOT_SHOW)
    state = PlayState(
        draft=DraftState({"f": {"Shutter1": 0.0, "Pan": 90.0}}),
        masters=Masters(0.0, True),
    )
    state = edits.replace(state, identify=Identify(("f",), 100.0, 104.0))

    def at_(now: float) -> list[int]:
        return render(compiled, state, now)[0].tolist()

    assert (at_(100.1)[5], at_(100.1)[SHUTTER]) == (255, 47)
    assert at_(100.6)[5] == 0
    assert at_(101.1)[5] == 255
    assert at_(100.1)[:2] == at_(90.0)[:2]  # it does not move
    assert (at_(104.1)[5], at_(104.1)[SHUTTER]) == (0, 15)


def test_commands_stand_on_their_slot_for_a_while():
    fixture = SPOT_SHOW.fixtures["f"]
    told = {c.label: c for c in commands_of(SPOT, "13 channel")}
    assert set(told) == {"Lamp on", "Lamp off", "Reset", "Reset pan and tilt"}
    sent = send(fixture, told["Reset"], 20.0)
    assert [(s.universe, s.address, s.slots) for s in sent] == [(1, 13, bytes([214]))]
    state = PlayState(sent=tuple(sent))
    assert render(compile_show(SPOT_SHOW), state, 19.9)[0, 12] == 214
    assert render(compile_show(SPOT_SHOW), state, 20.1)[0, 12] == 0
    assert lamps_on(SPOT_SHOW, 0.0) == ()
    lit = edits.change_fixtures(SPOT_SHOW, {"f": {"lamp_on": True}})
    assert [(s.address, s.slots[0], s.until) for s in lamps_on(lit, 5.0)] == [
        (13, 204, 8.0)
    ]


def test_bytes_sent_past_the_end_are_cut():
    state = PlayState(
        sent=(
            Sent("k", 1, 510, bytes([1, 2, 3]), 9.0),
            Sent("k2", 77, 1, bytes([9]), 9.0),
        )
    )
    assert render(compile_show(SPOT_SHOW), state, 1.0)[0, 509:].tolist() == [1, 2, 3]


@pytest.mark.parametrize(
    ("kind", "mode"), [(k.id, m.name) for k in library().values() for m in k.modes]
)
def test_opened_up_every_light_shines_and_home_is_dark(kind, mode):
    show = hung(library()[kind], mode)
    compiled = compile_show(show)
    decoder = decoder_for(compiled.rig, show.types.values())
    if not decoder.lamps:
        return
    look = {"f": open_up.opened(compiled.rig, library()[kind], show.fixtures["f"])}
    assert (
        decoder.read(render(compiled, PlayState(draft=DraftState(look)), 0.0)).rgb.max()
        > 0.9
    )
    dark = {"f": open_up.home(compiled.rig, "f")}
    assert (
        decoder.read(render(compiled, PlayState(draft=DraftState(dark)), 0.0)).rgb.max()
        == 0
    )
    assert out(show, dark["f"]) == out(show, {})


def test_a_type_says_what_opens_it():
    iris = Channel(
        key="i", home=0, open=255, ranges=(Range(start=0, end=255, attribute="Iris"),)
    )
    dimmer = Channel(key="d", ranges=(Range(start=0, end=255, attribute="Dimmer"),))
    kind = FixtureType(
        id="k",
        maker="",
        name="K",
        kind="",
        channels=(dimmer, iris),
        modes=(Mode(name="m", uses=(Use("d", (1,)), Use("i", (2,)))),),
    )
    show = hung(kind, "m")
    assert out(show, open_up.opened(compile_show(show).rig, kind, show.fixtures["f"]))[
        :2
    ] == [255, 255]


# why


def test_why_names_every_layer_and_the_one_that_wins():
    show = low_tide()
    compiled = compile_show(show)
    players = (
        play.player("a", play.step("front-wash", 0, 0, 0), order=1),
        play.player("b", play.step("spring-tide", 0, 0, 0), level=0.9, order=2),
    )
    state = PlayState(
        players,
        DraftState(
            {
                "par-1": {
                    "ColorRGB_Red": 0.5,
                    "ColorRGB_Green": 0.0,
                    "ColorRGB_Blue": 0.0,
                }
            }
        ),
        Masters(0.8),
    )
    (dimmer,) = explain(compiled, state, 5.0, 1, 1)
    assert [(layer.source, layer.wins) for layer in dimmer.layers] == [
        ("home", False), ("scene Front wash", True), ("scene Spring Tide", False), ("grand master", False)
    ]  # fmt: skip
    (red,) = explain(compiled, state, 5.0, 1, 12)
    assert (red.fixture.id, red.channel.key) == ("par-1", "red")
    assert {layer.source for layer in red.layers if layer.wins} == {"draft"}
    (pan,) = explain(compiled, state, 5.0, 2, 62)
    assert (pan.channel.key, pan.byte, pan.layers[-1].target) == (
        "pan",
        1,
        play.scene_ref("spring-tide"),
    )
    assert explain(compiled, state, 5.0, 1, 500) == []
    dark = edits.replace(state, masters=Masters(1.0, True))
    assert [
        layer.source
        for layer in explain(compiled, dark, 5.0, 1, 1)[0].layers
        if layer.wins
    ] == ["blackout"]
    blinking = edits.replace(dark, identify=Identify(("front-1",), 0.0, 9.0))
    assert [
        x.source for x in explain(compiled, blinking, 5.0, 1, 1)[0].layers if x.wins
    ] == ["identify: it blinks"]


def test_why_tells_both_who_clash():
    show = edits.change_fixtures(low_tide(), {"par-2": {"address": 12}})
    found = explain(compile_show(show), PlayState(), 0.0, 1, 13)
    assert {w.fixture.id for w in found} == {"par-1", "par-2"}


def test_levels_are_those_of_the_frame():
    show = low_tide()
    compiled = compile_show(show)
    state = PlayState(
        (play.player("b", play.step("spring-tide", 0, 0, 0)),),
        DraftState({"par-1": {"dmx:red": 12.0}}),
    )
    raw = levels(compiled, state, 1.0)
    bytes_ = render(compiled, state, 1.0)
    rig = compiled.rig
    shown = np.floor(raw + 0.5 + 1e-6).astype(int)[rig.byte_channel] >> rig.byte_shift
    assert (bytes_.reshape(-1)[rig.byte_at] == shown.astype(np.uint8)).all()
