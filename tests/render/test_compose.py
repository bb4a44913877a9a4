"""What Compose asks of the core: links, cells, limits, families' times, blind, spread,
capture, what each make does.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.engine.actions import envelopes, players
from choreon.library import library
from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.model.playables import Scene, Times
from choreon.model.show import Area, Hanging, Limits, Mark, Place, Screen, Show
from choreon.render import aim, reaching, spread
from choreon.render.capture import capture, lit
from choreon.render.colour import from_oklab, to_oklab
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend, render
from choreon.render.decode import decoder_for
from choreon.render.explain import explain
from choreon.render.looks import aimed, compile_look
from choreon.render.rig import compile_rig
from choreon.render.state import BeatClock, DraftState, PlayState
from tests import play

SHOW = edits.replace(low_tide(), playables={}, pages={}, marks={}, palettes={})
MOON = {at.RED: 0.3, at.GREEN: 0.48, at.BLUE: 1.0}


def drafted(show: Show, look, **more):
    programme = compile_show(show)
    return programme, PlayState(draft=DraftState(look, **more))


def value_of(
    show: Show, look, fixture: str, name: str, now: float = 0.0
) -> list[float]:
    programme, state = drafted(show, look)
    values = blend(programme, state, now)
    rows = programme.rig.colour_rows
    values[rows] = from_oklab(values[rows].reshape(3, -1).T).reshape(-1)
    return [float(values[row]) for _, row in programme.rig.where[fixture][name]]


# links


def test_a_scene_follows_its_palette_through_the_programme():
    show, moon = palettes.keep_palette(SHOW, "Moon", "colour", {"par-1": MOON})
    show = edits.put(
        show,
        "playables",
        Scene(id="s", name="s", look={"par-1": dict.fromkeys(MOON, "palette:moon")}),
        Scene(id="plain", name="p", look={"par-2": dict(MOON)}),
    )
    before = compile_show(show)
    play.compile_all(before)
    changed = palettes.update_palette(
        show, moon, {"par-1": {at.RED: 1.0, at.GREEN: 0.0, at.BLUE: 0.0}}
    )
    after = compile_show(changed, before)
    assert source(after, "plain") is source(before, "plain")
    assert source(after, "s") is not source(before, "s")
    lab = source(after, "s").look.values
    assert from_oklab(lab) == pytest.approx([1, 0, 0], abs=1e-6)


def source(compiled, scene_id):
    """What a scene is compiled to."""
    return compiled.source(play.step(scene_id))


def test_heads_turn_to_their_mark_wherever_it_goes():
    for x in (-2.0, 1.5):
        show = edits.put(SHOW, "marks", Mark(id="cello", name="Cello", x=x, y=1.0))
        heads = [f"spot-{i}" for i in range(1, 5)] + ["wash-1", "wash-2"]
        programme, state = drafted(show, {i: links.aim("mark:cello") for i in heads})
        decoder = decoder_for(programme.rig, show.types.values())
        light = decoder.read(render(programme, state, 0.0))
        for lamp, way in zip(decoder.lamps, light.direction, strict=True):
            if lamp.fixture in heads:
                to = np.array([x, 1.0, 0.0]) - [
                    lamp.place.x,
                    lamp.place.y,
                    lamp.place.z,
                ]
                assert (
                    np.linalg.norm(to - way * (way @ to)) < 0.05
                )  # 12 and 16 bits: a degree is 75 steps and more


def test_what_is_gone_has_no_effect_and_is_kept():
    look = {
        "spot-1": links.aim("mark:gone"),
        "nobody": {"Dimmer": 1.0},
        "par-1": {at.RED: "palette:gone"},
    }
    compiled = compile_look(compile_show(SHOW).rig, look, SHOW)
    assert len(compiled.rows) == 0
    show = edits.take_down(
        edits.put(
            SHOW, "playables", Scene(id="s", name="s", look={"par-1": {"Dimmer": 1.0}})
        ),
        ["par-1"],
    )
    assert len(source(compile_show(show), "s").look.lamps) == 0
    back = edits.put(show, "fixtures", SHOW.fixtures["par-1"])
    assert source(compile_show(back), "s").look.levels.max() == 1


def test_a_wheel_takes_the_slot_nearest_to_a_colour():
    wheel = SHOW.types["ostrey-spot-160"].wheels[0]
    rig = compile_show(SHOW).rig
    own = rig.wheels["spot-1"]
    for number, slot in enumerate(wheel.slots):
        rgb = dict(zip(at.TARGET_COLOUR, own.light[number].tolist(), strict=True))
        assert value_of(SHOW, {"spot-1": rgb}, "spot-1", own.attribute) == [
            float(number)
        ], slot.name
        answer = reaching.colour_answer(rig, "spot-1", own.light[number].tolist())
        assert (answer.kind, answer.slot) == ("nearest", slot.name)
        assert answer.distance < 1e-6
    both = {"spot-1": {**MOON, own.attribute: 1.0}}
    assert value_of(SHOW, both, "spot-1", own.attribute) == [
        1.0
    ]  # a slot that is asked for goes before


# cells


def test_cells_that_are_not_given_keep_what_lies_below():
    show = edits.put(
        SHOW,
        "playables",
        Scene(id="s", name="s", look={"bar-1": {"Dimmer": 1.0, **MOON}}),
    )
    programme = compile_show(show)
    state = play.touch(
        PlayState(),
        {"bar-1": {at.RED: (None, 0.9), at.GREEN: (None, 0.0), at.BLUE: (None, 0.0)}},
    )
    look = programme.draft(state.draft.look)
    rows = [row for _, row in programme.rig.where["bar-1"][at.RED]]
    assert rows[0] not in look.rows
    assert set(rows[1:]) <= set(look.rows.tolist())


# limits


@pytest.mark.slow
@settings(max_examples=60)
@given(
    st.tuples(*[st.floats(-180, 180)] * 3),
    st.floats(-400, 400),
    st.floats(-300, 300),
    st.data(),
)
def test_limits_hold_for_values_aims_and_bare_values(turned, pan, tilt, data):
    """For each example of a head: 170 values, aims and bare values; together over
    10,000 cases.
    """
    low_pan, high_pan = sorted(
        (data.draw(st.floats(-270, 269)), data.draw(st.floats(-269, 270)))
    )
    low_tilt, high_tilt = sorted(
        (data.draw(st.floats(-135, 134)), data.draw(st.floats(-134, 135)))
    )
    limits = Limits((low_pan, high_pan), (low_tilt, high_tilt))
    fixture = edits.replace(
        SHOW.fixtures["spot-1"], limits=limits, hanging=Hanging(*turned)
    )
    show = edits.replace(SHOW, fixtures={"spot-1": fixture})
    programme = compile_show(show)
    rig = programme.rig
    rows = [rig.where["spot-1"][n][0][1] for n in ("Pan", "Tilt")]
    step = 540 / 65535 + 1e-9  # of the sixteen bits
    rng = np.random.default_rng(abs(hash((pan, tilt))) % 2**32)
    wishes = [{"Pan": pan, "Tilt": tilt}]
    wishes += [
        {"Pan": float(p), "Tilt": float(t)} for p, t in rng.uniform(-400, 400, (80, 2))
    ]
    wishes += [
        links.aim(links.to_point(point)) for point in rng.uniform(-6, 6, (60, 3))
    ]
    wishes += [
        {"dmx:pan": float(p), "dmx:tilt": float(t)}
        for p, t in rng.uniform(0, 255, (30, 2))
    ]
    decoder = decoder_for(rig, show.types.values())
    for wish in wishes:
        frame = render(programme, PlayState(draft=DraftState({"spot-1": wish})), 0.0)
        got = decoder.sources_of(frame)[rows]
        assert low_pan - step <= got[0] <= high_pan + step
        assert low_tilt - step <= got[1] <= high_tilt + step


def test_limits_that_leave_nothing_of_a_type_are_passed_over():
    fixture = edits.replace(
        SHOW.fixtures["spot-1"], limits=Limits((500.0, 600.0), None)
    )
    rig = compile_rig(SHOW.types, {"spot-1": fixture})
    assert rig.span("spot-1", "Pan") == pytest.approx((-270, 270))


def test_aiming_out_of_reach_is_told_and_as_near_as_can_be():
    fixture = edits.replace(
        SHOW.fixtures["wash-1"],
        limits=Limits((-10.0, 10.0), (-10.0, 10.0)),
        place=Place(0, 0, 4),
    )
    rig = compile_rig(SHOW.types, {"wash-1": fixture})
    pan, tilt, miss = aimed(rig, "wash-1", (4.0, 0.0, 0.0))
    assert miss > 20
    assert -10 <= pan <= 10
    assert abs(tilt) <= 10
    assert aimed(rig, "wash-1", (0.0, 0.0, 0.0))[2] == pytest.approx(0, abs=0.2)


# families' times and blind


def test_families_come_up_in_their_own_time():
    """Position at once, colour within 1 s, light from 2 s on within 2 s; the whole
    takes 4 s.
    """
    times = {
        "intensity": Times(2.0, 2.0),
        "colour": Times(0.0, 1.0),
        "position": Times(0.0, 0.0),
    }
    look = {
        "wash-1": {
            "Dimmer": 1.0,
            "Pan": 40.0,
            "Tilt": 10.0,
            at.RED: 1.0,
            at.GREEN: 0.0,
            at.BLUE: 0.0,
        }
    }
    scene = Scene(id="s", name="s", look=look, fade_in=1.0, times=times)
    under = Scene(
        id="u", name="u", look={"wash-1": {at.RED: 1.0, at.GREEN: 1.0, at.BLUE: 1.0}}
    )
    programme = compile_show(edits.put(SHOW, "playables", scene, under))
    rig = programme.rig
    row = {n: rig.where["wash-1"][n][0][1] for n in ("Dimmer", "Pan")}

    def at_time(now: float):
        player = play.player(
            "p", play.step("s"), weight=envelopes.coming(scene, 0.0), order=2
        )
        return blend(programme, PlayState((player,)), now)

    assert at_time(1.9)[row["Dimmer"]] == 0.0
    assert at_time(0.1)[row["Pan"]] == pytest.approx(40.0)
    assert at_time(3.0)[row["Dimmer"]] == pytest.approx(0.5)
    assert at_time(4.0)[row["Dimmer"]] == 1.0
    assert at_time(9.0)[row["Dimmer"]] == 1.0


def test_families_times_hold_in_a_choice_too():
    one = Scene(id="a", name="a", look={"wash-1": {"Dimmer": 1.0, "Pan": 0.0}})
    two = Scene(
        id="b",
        name="b",
        look={"wash-1": {"Dimmer": 0.5, "Pan": 90.0}},
        fade_in=2.0,
        times={"position": Times(3.0, 1.0)},
    )
    programme = compile_show(edits.put(SHOW, "playables", one, two))
    row = {n: programme.rig.where["wash-1"][n][0][1] for n in ("Dimmer", "Pan")}
    two = edits.replace(two, fade_out=1.0)
    player = players.go_to(play.player("c", play.step("a")), two, 10.0, BeatClock(), {})

    def at_time(now: float):
        return blend(programme, PlayState((player,)), now)

    assert at_time(12.9)[row["Pan"]] == pytest.approx(0.0)
    assert at_time(13.5)[row["Pan"]] == pytest.approx(45.0)
    assert at_time(10.5)[row["Dimmer"]] == pytest.approx(
        0.75
    )  # it falls in the out time, half way after .5 s
    assert at_time(14.0)[row["Pan"]] == pytest.approx(90.0)


def test_a_blind_draft_is_not_on_stage_and_comes_back_softly():
    programme = compile_show(SHOW)
    row = programme.rig.where["par-1"]["Dimmer"][0][1]
    state = play.set_blind(PlayState(), True, 0.0)
    state = play.touch(state, {"par-1": {"Dimmer": 1.0}})
    assert state.draft.blind
    assert blend(programme, state, 5.0)[row] == 0.0
    shown = play.set_blind(state, False, 10.0, 1.0)
    assert blend(programme, shown, 10.0)[row] == 0.0
    assert blend(programme, shown, 10.5)[row] == pytest.approx(0.5)
    assert blend(programme, shown, 11.0)[row] == 1.0
    cleared = play.clear_draft(state, 20.0)
    assert (
        blend(programme, cleared, 20.0)[row] == 0.0
    )  # what nobody saw does not flash up when it goes
    assert play.set_blind(state, True, 30.0) is state
    why = explain(
        programme,
        state,
        5.0,
        SHOW.fixtures["par-1"].universe,
        SHOW.fixtures["par-1"].address,
    )
    assert all(layer.source != "draft" for layer in why[0].layers)


# spread


def test_spread_positions_by_hand():
    assert spread.positions(5).tolist() == [0, 0.25, 0.5, 0.75, 1]
    assert spread.positions(5, "middle").tolist() == [1, 0.5, 0, 0.5, 1]
    assert spread.positions(4, "middle").tolist() == [1, 0, 0, 1]
    assert spread.positions(5, "wings").tolist() == [0, 0.5, 1, 0.5, 0]
    assert spread.positions(5, repeat=2).tolist() == [0, 1, 0, 1, 0]
    assert spread.positions(6, repeat=3).tolist() == [0, 0.5, 1, 0, 0.5, 1]
    assert spread.positions(7, "wings", repeat=3).tolist() == [0, 1, 0, 0, 1, 0, 0]
    assert spread.positions(8, "middle", repeat=4).tolist() == [1, 0, 0, 1, 1, 0, 0, 1]
    assert spread.positions(1).tolist() == [0]
    assert spread.positions(0).tolist() == []
    assert spread.positions(2, "middle").tolist() == [0, 0]


@given(st.integers(1, 60), st.sampled_from(spread.SHAPES), st.integers(0, 70))
def test_spreads_stay_between_their_ends(count, shape, repeat):
    at_ = spread.positions(count, shape, repeat)
    assert len(at_) == count
    assert at_.min() >= 0
    assert at_.max() <= 1
    if shape != "line" and not repeat:
        assert at_.tolist() == at_[::-1].tolist()


def test_spread_values_by_hand():
    assert spread.between(10, 20, spread.positions(3)).tolist() == [10, 15, 20]
    points = spread.between((-2, 1, 0), (2, 3, 0), spread.positions(3))
    assert points.tolist() == [[-2, 1, 0], [0, 2, 0], [2, 3, 0]]
    colours = spread.colours_between((1, 0, 0), (0, 0, 1), spread.positions(3))
    assert colours[0] == pytest.approx([1, 0, 0], abs=1e-6)
    assert colours[2] == pytest.approx([0, 0, 1], abs=1e-6)
    middle = (to_oklab((1, 0, 0)) + to_oklab((0, 0, 1))) / 2
    assert to_oklab(colours[1]) == pytest.approx(middle, abs=1e-6)


# capture


def test_capture_is_what_is_on_stage():
    look = {
        "par-1": {"Dimmer": 0.8, **dict.fromkeys(MOON, "palette:moon")},
        "hazer-1": {"Fog1": 0.5},
        "spot-1": {"Dimmer": 0.0},
        "panel-1": {"Dimmer": 1.0, at.STROBE: 8.0},
    }
    show, _ = palettes.keep_palette(SHOW, "Moon", "colour", {"par-1": MOON})
    show = edits.put(show, "playables", Scene(id="s", name="s", look=look))
    programme = compile_show(show)
    player = play.player("p", play.step("s", 0, 0, 0), level=0.5)
    state = PlayState(
        (player,),
        DraftState(
            {"bar-1": {"Dimmer": 1.0, at.RED: (1.0, 0.0), at.GREEN: 0.0, at.BLUE: 0.0}}
        ),
    )
    state = play.set_masters(state, grand=0.1)
    made = capture(programme, state, 5.0)
    assert made["par-1"] == {
        "Dimmer": pytest.approx(0.4),
        **dict.fromkeys(MOON, "palette:moon"),
    }
    assert made["hazer-1"] == {"Fog1": pytest.approx(0.25)}
    assert "spot-1" not in made  # dark
    assert made["panel-1"][at.STROBE] == pytest.approx(8.0)
    assert made["bar-1"][at.RED] == pytest.approx((1.0,) + (0.0,) * 7, abs=1e-6)
    assert set(lit(programme, state, 5.0)) == {"par-1", "panel-1", "bar-1"}
    again = compile_show(
        edits.put(show, "playables", Scene(id="c", name="c", look=made))
    )
    other = PlayState(
        (play.player("q", play.step("c", 0, 0, 0)),), masters=state.masters
    )
    assert (
        np.abs(
            render(again, other, 9.0).astype(int)
            - render(programme, state, 5.0).astype(int)
        ).max()
        <= 1
    )


# what each make does


@pytest.mark.slow
@settings(max_examples=150)
@given(st.tuples(*[st.floats(0, 1)] * 3))
def test_mixing_lamps_meet_colours_within_a_hundredth(rgb):
    """ΔE in OKLab below 0.01 for all that emitters with a gamut around it can give;
    told where they cannot.
    """
    if max(rgb) < 0.05:
        rgb = (1.0, 0.5, 0.2)
    rig = compile_show(SHOW).rig
    for fixture in ("par-1", "uplight-1", "bar-1", "wash-1"):
        answer = reaching.colour_answer(rig, fixture, rgb)
        assert answer.kind == ("exact" if answer.distance < 0.01 else "mixed")
        colour = rig.where[fixture][at.RED][0][1] - rig.intensities
        got = reaching.predicted(rig, colour, np.array(rgb) / max(rgb))
        if answer.kind == "exact":
            assert reaching.distance(np.array(rgb) / max(rgb), got) < 0.01
    assert reaching.colour_answer(rig, "front-1", rgb).kind == "none"


def test_the_usual_sets_of_emitters_are_exact_inside_their_gamut():
    """RGB, RGBW, RGBA, RGBWA+UV and CMY, for colours made of their own primaries."""
    rng = np.random.default_rng(5)
    tried = set()
    for kind in library().values():
        for mode in kind.modes:
            show, ids = edits.hang(Show(id="t", name="t"), kind, mode.name, 1, 1, 1)
            rig = compile_show(show).rig
            if at.RED not in rig.where.get(ids[0], {}):
                continue
            names = tuple(
                sorted(
                    n for n in kind.attributes if n in (*at.ALL_EMITTERS, *at.FILTERS)
                )
            )
            if names in tried:
                continue
            tried.add(names)
            mix = rig.mixes[0]
            for share in rng.uniform(0, 1, (20, len(mix.light))):
                target = np.clip(share @ mix.light, 0, None)
                target = target / max(target.max(), 1e-9)
                if (share @ mix.light).min() < 0:
                    continue  # beyond Rec.709, which the target cannot say
                assert reaching.colour_answer(rig, ids[0], target).distance < 0.01, (
                    kind.id,
                    names,
                )
    wanted = {
        ("ColorAdd_B", "ColorAdd_G", "ColorAdd_R"),
        ("ColorAdd_B", "ColorAdd_G", "ColorAdd_R", "ColorAdd_W"),
        ("ColorSub_C", "ColorSub_M", "ColorSub_Y"),
        (
            "ColorAdd_B",
            "ColorAdd_G",
            "ColorAdd_R",
            "ColorAdd_RY",
            "ColorAdd_UV",
            "ColorAdd_W",
        ),
    }
    assert wanted <= tried
    assert any("ColorAdd_RY" in names and "ColorAdd_W" not in names for names in tried)


# keep-out


def test_beams_that_enter_an_area_are_found():
    box = Area("Audience", -1, -3, 1, -1, 0.0, 2.0)
    down = (0.0, -0.6, -0.8)
    assert reaching.enters(box, (0, 0, 4), down, 5.0)
    assert not reaching.enters(box, (0, 0, 4), (0, 0.6, -0.8), 5.0)
    assert not reaching.enters(box, (0, 0, 4), down, 1.0)
    assert not reaching.enters(box, (3, 0, 4), (0, -0.6, -0.8), 5.0)
    assert reaching.enters(box, (0, -2, 1), (0, 0, 1), 0.1)  # from inside
    room = edits.replace(SHOW.room, keep_out=(box,), screen=Screen(0, 5, 1, 2, 2))
    assert reaching.kept_out(room, (0, 0, 4), down) == "Audience"
    assert reaching.kept_out(room, (0, 0, 2), (0, 1, 0)) == "the screen"
    assert reaching.kept_out(room, (3.5, 0, 2), (0, 1, 0)) == ""


@given(st.tuples(*[st.floats(-5, 5)] * 3), st.tuples(*[st.floats(-1, 1)] * 3))
def test_a_beam_enters_a_box_just_where_some_point_of_it_does(start, way):
    way = np.array(way) if np.linalg.norm(way) > 0.1 else np.array([0.0, 0.0, -1.0])
    way = way / np.linalg.norm(way)
    box = Area("b", -1, -1, 1, 1, 0, 2)
    points = np.array(start) + np.linspace(0, 8, 4000)[:, None] * way
    hair = 1e-9  # what lies on the surface to the last digit may count either way
    inside = (
        (
            (points >= np.array([-1, -1, 0]) + hair)
            & (points <= np.array([1, 1, 2]) - hair)
        )
        .all(axis=1)
        .any()
    )
    if inside:
        assert reaching.enters(box, start, way, 8.0)
    elif reaching.enters(
        box, start, way, 8.0
    ):  # only a corner grazed between two of the points
        away = np.maximum(np.maximum([-1, -1, 0] - points, points - [1, 1, 2]), 0).max(
            axis=1
        )
        assert away.min() < 0.003


def test_aims_meet_for_all_hangings_of_two_makes():
    """Heads of 540° by 270° and of 300° by 220° at any hanging hit one point within a
    centimetre.
    """
    rng = np.random.default_rng(3)
    hit = 0
    for _ in range(300):
        yaw, pitch, roll = rng.uniform(-180, 180, 3)
        turn = aim.hanging_matrix([yaw], [pitch], [roll])[0]
        point, place = (
            rng.uniform((-4, 0, 0), (4, 6, 2)),
            rng.uniform((-4, 0, 3), (4, 6, 5)),
        )
        for pans, tilts in (((-270, 270), (-135, 135)), ((-150, 150), (-110, 110))):
            pan, tilt, miss = aim.solve(turn, point - place, pans, tilts, (0.0, 0.0))
            got = aim.beam(turn[None], [pan], [tilt])[0]
            to = point - place
            off = np.linalg.norm(to - got * (got @ to)) if got @ to > 0 else 9.0
            assert (miss == 0) == (off < 0.01)
            hit += miss == 0
    assert hit > 250


def test_a_gel_colours_the_picture_of_a_plain_lamp():
    fixture = edits.replace(SHOW.fixtures["front-1"], gel="#0000FF")
    show = edits.put(SHOW, "fixtures", fixture)
    programme, state = drafted(
        show, {"front-1": {"Dimmer": 1.0}, "front-2": {"Dimmer": 1.0}}
    )
    decoder = decoder_for(programme.rig, show.types.values())
    light = decoder.read(render(programme, state, 0.0)).rgb
    by = {lamp.fixture: light[i] for i, lamp in enumerate(decoder.lamps)}
    assert by["front-1"][:2].max() == 0
    assert by["front-1"][2] > 0
    assert by["front-2"][0] > by["front-2"][2]


def test_split_slots_light_both_halves_and_are_no_answer_to_a_colour():
    kind = library()["ostrey-spot-60"]
    wheel = kind.wheel("colour")
    split = next(
        i for i, slot in enumerate(wheel.slots) if slot.name == "Deep red / Yellow"
    )
    assert (wheel.slots[split].colour, wheel.slots[split].split) == (
        wheel.slots[1].colour,
        wheel.slots[2].colour,
    )
    show, _ = edits.hang(Show(id="t", name="T"), kind, kind.modes[0].name, 1, 1, 1)
    programme = compile_show(show)
    decoder = decoder_for(programme.rig, show.types.values())

    def light(slot: float):
        look = {"spot-1": {"Dimmer": 1.0, "Color1": slot}}
        return decoder.read(render(programme, play.touch(play.blank(), look), 0.0)).rgb[
            0
        ]

    assert np.allclose(light(split), (light(1.0) + light(2.0)) / 2, atol=1e-6)
    for rgb in np.random.default_rng(5).random((200, 3)):
        assert programme.rig.wheels["spot-1"].nearest(rgb) < 6  # whole slots only
