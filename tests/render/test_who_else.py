"""Who else lights this lamp? Every fault that was found, by numbers worked out by hand."""

from __future__ import annotations

import numpy as np
import pytest

from choreon.demo import low_tide
from choreon.engine.actions import envelopes, players
from choreon.model import attributes as at
from choreon.model import edits, links
from choreon.model.playables import Scene, Times
from choreon.model.refs import Ref
from choreon.model.show import Hanging, Mark, Place
from choreon.model.tiles import Pad, Page, parts
from choreon.render import aim
from choreon.render import heads as moving
from choreon.render.approach import approach
from choreon.render.capture import capture
from choreon.render.colour import to_oklab
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend, render, trace
from choreon.render.explain import explain
from choreon.render.fades import Fade
from choreon.render.state import BeatClock, DraftState, PlayState, Ramp, Step
from tests import play
from tests.render.test_frame import PARS, rig_of

RED, GREEN, BLUE, WHITE = (
    dict(zip(at.TARGET_COLOUR, rgb, strict=True))
    for rgb in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (1.0, 1.0, 1.0))
)


def lab(colour) -> np.ndarray:
    return to_oklab([colour[n] for n in at.TARGET_COLOUR])


def between(one, other, part: float) -> np.ndarray:
    return (1 - part) * lab(one) + part * lab(other)


def colour(compiled, state, now=0.0) -> np.ndarray:
    return blend(compiled, state, now)[compiled.rig.colour_rows]


def one_par(**looks):
    return compile_show(play.with_scenes(rig_of(PARS[0]), **looks))


def test_a_choice_over_a_lit_scene_goes_to_the_colour_of_its_dark_side():
    """Others light the lamp at 1. Only a lights it: q = p · 1 / max(1, 1 − p) = p."""
    compiled = one_par(
        under={"a": {"Dimmer": 1.0, **RED}},
        lit={"a": {"Dimmer": 1.0, **BLUE}},
        dark={"a": {"Dimmer": 0.0, **GREEN}},
    )
    choice = play.player("c", play.step("lit"), play.step("dark", 10, 4, 4), order=2)
    state = PlayState((play.player("under"), choice))
    for now, part in ((10.0, 0.0), (11.0, 0.25), (13.0, 0.75), (14.0, 1.0)):
        assert colour(compiled, state, now) == pytest.approx(
            between(BLUE, GREEN, part), abs=1e-9
        )


def test_where_others_are_dimmer_the_lit_side_keeps_its_colour_longer():
    """Others at .25, p = .5: A = .5, so q = .5 · .25 / .5 = .25."""
    compiled = one_par(
        under={"a": {"Dimmer": 0.25, **RED}},
        lit={"a": {"Dimmer": 1.0, **BLUE}},
        dark={"a": {"Dimmer": 0.0, **GREEN}},
    )
    choice = play.player("c", play.step("lit"), play.step("dark", 0, 4, 4), order=2)
    state = PlayState((play.player("under"), choice))
    assert colour(compiled, state, 2.0) == pytest.approx(
        between(BLUE, GREEN, 0.25), abs=1e-9
    )


def test_what_only_one_side_gives_comes_and_goes_with_its_light():
    """Others at 1, red. Only a gives a colour: it stays by 1 − p · 1 / max(1, A) = 1 − p."""
    compiled = one_par(
        under={"a": {"Dimmer": 1.0, **RED}},
        tinted={"a": {"Dimmer": 1.0, **BLUE}},
        plain={"a": {"Dimmer": 1.0}},
    )
    choice = play.player("c", play.step("tinted"), play.step("plain", 0, 4, 4), order=2)
    state = PlayState((play.player("under"), choice))
    assert colour(compiled, state, 1.0) == pytest.approx(
        between(BLUE, RED, 0.25), abs=1e-9
    )


def test_a_scene_going_out_below_one_of_intensity_alone_takes_its_colour_along():
    """The other lights the lamp at 1: the share is the weight, so home's white comes."""
    compiled = one_par(red={"a": {"Dimmer": 1.0, **RED}}, full={"a": {"Dimmer": 1.0}})
    out = play.player("red", order=1, weight=Ramp(1.0, 0.0, 0.0, 4.0))
    state = PlayState((out, play.player("full", order=2)))
    for now, part in ((1.0, 0.25), (2.0, 0.5), (3.96, 0.99)):
        assert colour(compiled, state, now) == pytest.approx(
            between(RED, WHITE, part), abs=1e-9
        )


def test_equal_raw_values_stay_equal_in_a_crossfade_and_when_it_is_interrupted():
    raw = {"a": {"Dimmer": 1.0, "dmx:red": 77.0}}
    compiled = one_par(one=raw, two=raw, three=raw)
    steps = (play.step("one"), play.step("two", 1, 4, 4), play.step("three", 2, 4, 4))
    state = PlayState((play.player("p", *steps),))
    for now in np.linspace(0.0, 7.0, 29):
        assert render(compiled, state, float(now))[0, 1] == 77


def test_levels_of_a_fade_that_was_interrupted_twice():
    """0 → 1 over 4 s, left after 2 s at .5; → .2 over 4 s, left after 1 s at .425; → 1:
    after 2 of 4 s it is half way from .425, .7125.
    """
    compiled = one_par(
        dark={"a": {"Dimmer": 0.0}},
        full={"a": {"Dimmer": 1.0}},
        low={"a": {"Dimmer": 0.2}},
        again={"a": {"Dimmer": 1.0}},
    )
    steps = (
        play.step("dark"),
        play.step("full", 10, 4, 4),
        play.step("low", 12, 4, 4),
        play.step("again", 13, 4, 4),
    )
    state = PlayState((play.player("p", *steps),))
    for now, level in ((12.0, 0.5), (13.0, 0.425), (15.0, 0.7125), (17.0, 1.0)):
        assert blend(compiled, state, now)[0] == pytest.approx(level)


TIMED = Scene(
    id="t",
    name="t",
    look={"a": {"Dimmer": 1.0, **BLUE}},
    fade_in=2.0,
    fade_out=2.0,
    times={"colour": Times(1.0, 2.0)},
)


def test_families_times_hold_on_the_way_out():
    """Over red at 1. Let go at 10: the colour waits 1 s and goes in 2 s, the level at
    once.
    """
    show = play.with_scenes(rig_of(PARS[0]), red={"a": {"Dimmer": 1.0, **RED}})
    compiled = compile_show(edits.put(show, "playables", TIMED))
    out = play.player("t", order=2, weight=envelopes.going(TIMED, 10.0, FULL))
    state = PlayState((play.player("red"), out))
    for now, part in ((10.5, 0.0), (11.0, 0.0), (12.0, 0.5), (13.0, 1.0)):
        assert colour(compiled, state, now) == pytest.approx(
            between(BLUE, RED, part), abs=1e-9
        )
    assert not out.gone(12.9)
    assert out.gone(13.0)


FULL = play.player("x").weight


def test_left_while_it_comes_up_a_scene_with_times_does_not_flash():
    """After 1.5 s the level is .75, the colour (1.5 − 1) / 2 = .25 of its way. Let go
    then, both go on from there.
    """
    weight = envelopes.coming(TIMED, 0.0)
    assert weight.level(1.5) == pytest.approx(0.75)
    assert weight.of("colour").at(1.5) == pytest.approx(0.25)
    back = envelopes.going(TIMED, 1.5, weight)
    assert back.level(1.5) == pytest.approx(0.75)
    assert back.of("colour").at(1.5) == pytest.approx(0.25)
    assert back.level(1.5 + 0.75) == pytest.approx(0.375)  # 2 s for the whole of it
    levels = [back.level(t) for t in np.linspace(1.5, 6, 50)]
    assert levels == sorted(levels, reverse=True)


def test_a_lamp_that_a_fader_lights_keeps_its_colour_when_its_level_is_taken_in_hand():
    """Own .5, drafted 1: .5 is more than a quarter of 1, so the fader holds its colour.
    At .1 it holds by 1 − .9 · (1 − .1 / .25) = .46.
    """
    compiled = one_par(blue={"a": {"Dimmer": 1.0, **BLUE}})
    draft = DraftState({"a": {"Dimmer": 1.0}})
    half = PlayState((play.player("blue", level=0.5),), draft)
    assert colour(compiled, half) == pytest.approx(lab(BLUE), abs=1e-9)
    low = PlayState((play.player("blue", level=0.1),), draft)
    assert colour(compiled, low) == pytest.approx(between(WHITE, BLUE, 0.46), abs=1e-9)


def test_of_two_that_a_fader_lights_less_than_a_hand_the_stronger_has_a_part():
    """Blue at .1 over red at .05, drafted 1: blue has 1 − .9 · (1 − .05 / .25) = .28 of
    it, red .05 of what is below.
    """
    compiled = one_par(
        red={"a": {"Dimmer": 1.0, **RED}}, blue={"a": {"Dimmer": 1.0, **BLUE}}
    )
    plays = [
        play.player("red", level=0.05),
        play.player("blue", level=0.1, order=2),
    ]
    state = PlayState(tuple(plays), DraftState({"a": {"Dimmer": 1.0}}))
    below = between(WHITE, RED, 0.05)
    expected = 0.72 * below + 0.28 * lab(BLUE)
    assert colour(compiled, state) == pytest.approx(expected, abs=1e-9)


def test_a_colour_goes_no_faster_as_its_light_falls_below_that_of_another():
    """The lamp is in hand at 1. Blue falls from .2 to nothing over red at .03: its part
    goes with it, and does not jump where it passes .03.
    """
    compiled = one_par(
        red={"a": {"Dimmer": 1.0, **RED}}, blue={"a": {"Dimmer": 1.0, **BLUE}}
    )
    draft = DraftState({"a": {"Dimmer": 1.0}})
    seen = []
    for level in np.linspace(0.2, 0.0, 101):
        plays = play.player("red", level=0.03), play.player("blue", level=level)
        seen.append(colour(compiled, PlayState(plays, draft)))
    whole = np.linalg.norm(lab(BLUE) - lab(WHITE))
    steps = np.linalg.norm(np.diff(seen, axis=0), axis=1) / whole
    assert steps.max() < 0.02  # of 0.2 in 101 steps, by one part of 0.25: under 0.01


# what tells of it


def test_capture_and_why_know_both_sides_of_a_crossfade():
    show = play.with_scenes(
        rig_of(*PARS[:2]),
        one={"a": {"Dimmer": 1.0, **RED}},
        two={"b": {"Dimmer": 0.8, **BLUE}},
    )
    compiled = compile_show(show)
    choice = play.player("c", play.step("one"), play.step("two", 0, 4, 4))
    state = PlayState((choice,))
    made = capture(compiled, state, 1.0)
    assert made["a"]["Dimmer"] == pytest.approx(0.75)
    assert made["b"]["Dimmer"] == pytest.approx(0.2)
    assert made["a"]["ColorRGB_Red"] == pytest.approx(1.0, abs=1e-6)
    (dimmer,) = explain(compiled, state, 1.0, 1, 1)
    named = [(x.source, round(x.weight, 2), x.wins) for x in dimmer.layers]
    assert named == [("home", 1.0, False), ("scene one", 0.75, True)]


def test_why_tells_how_much_of_each_side_is_in_a_value():
    compiled = one_par(
        one={"a": {"Dimmer": 1.0, **RED}}, two={"a": {"Dimmer": 1.0, **BLUE}}
    )
    choice = play.player("c", play.step("one"), play.step("two", 0, 4, 4))
    found = trace(compiled, PlayState((choice,)), 1.0)
    row = compiled.rig.where["a"][at.RED][0][1]
    assert found.weights(row) == pytest.approx([0.75, 0.25])


# order


def pads():
    show = rig_of(PARS[0])
    scenes = (
        Scene(id=i, name=i, look={"a": {"Dimmer": 1.0, **c}}, fade_in=2, fade_out=2)
        for i, c in (("red", RED), ("blue", BLUE))
    )
    show = edits.put(show, "playables", *scenes)
    tiles = tuple(
        Pad(id=f"{i}-pad", plays=parts(Ref("scene", i))) for i in ("red", "blue")
    )
    return edits.put(show, "pages", Page(id="p", name="P", tiles=tiles))


@pytest.mark.parametrize("again", [21.0, 22.5])
def test_pressed_again_while_it_goes_or_just_after_it_lies_on_top(again):
    """Red below blue, let go at 20 and gone at 22: either way red is on top in the end,
    and no step on the way is larger than a fade of 2 s explains.
    """
    show = pads()
    compiled = compile_show(show)
    state = play.press(show, play.blank(), "red-pad", 0.0)
    state = play.press(show, state, "blue-pad", 10.0)
    state = play.press(show, play.prune(state, 20.0), "red-pad", 20.0)
    seen, pressed = [], False
    for now in np.arange(20.0, 26.0, 0.01):
        state = play.prune(state, float(now))
        if now >= again and not pressed:
            pressed = True
            state = play.press(show, state, "red-pad", float(now))
        seen.append(colour(compiled, state, float(now)))
    colours = np.array(seen)
    assert np.abs(np.diff(colours, axis=0)).max() < 0.02
    assert colours[-1] == pytest.approx(lab(RED), abs=1e-9)
    assert [p.ref.id for p in sorted(state.players, key=lambda p: p.place)][-1] == "red"
    assert len(state.players) == 2


def test_a_chain_of_interrupted_fades_never_grows_without_end():
    scenes = [Scene(id=i, name=i, look={}, fade_in=60.0) for i in "ab"]
    player = play.player("p", play.step("a"))
    for n in range(400):
        player = players.go_to(player, scenes[n % 2], float(n) / 20, BeatClock(), {})
    assert len(player.steps) <= players.LONGEST_CHAIN + 1


# heads


@pytest.mark.slow
def test_heads_of_any_make_stay_together_between_two_marks():
    """Random rooms: where the line lies within a head's means, it is followed to a
    centimetre; of all, apart by more than 30 cm in fewer than 2 of 100.
    """
    dice = np.random.default_rng(11)
    stage = low_tide()
    heads = ["spot-1", "spot-2", "wash-1", "wash-2"]
    able = apart = 0
    for _ in range(120):
        hung = {
            i: edits.replace(
                stage.fixtures[i],
                place=Place(*dice.uniform((-4, 0, 3.5), (4, 6, 5))),
                hanging=Hanging(yaw=dice.uniform(-180, 180)),
            )
            for i in heads
        }
        marks = [
            Mark(id=n, name=n, x=x, y=y, z=z)
            for n, (x, y, z) in zip(
                "mn", dice.uniform((-4, 0, 0), (4, 6, 1.8), (2, 3)), strict=True
            )
        ]
        show = edits.replace(stage, fixtures=hung, playables={}, marks={})
        show = edits.put(show, "marks", *marks)
        scenes = {
            n: {i: {"Dimmer": 1.0, **links.aim(f"mark:{n}")} for i in heads}
            for n in "mn"
        }
        compiled = compile_show(play.with_scenes(show, **scenes))
        to_m, to_n = (compiled.look_of(Step(ref=Ref("scene", i))) for i in "mn")
        first = approach(compiled, PlayState(), 0.0, to_m, [to_n])
        at_m = edits.replace(play.step("m"), aims=first)
        standing = PlayState((play.player("c", at_m),))
        aims = approach(compiled, standing, 0.0, to_n)
        way = edits.replace(play.step("n", 0, 4, 4), aims=aims)
        state = PlayState((play.player("c", at_m, way),))
        start, end = (np.array([k.x, k.y, k.z]) for k in marks)
        if not line_exists(compiled.rig.heads, start, end):
            continue
        worst = 0.0
        for part in (0.25, 0.5, 0.75):
            point = start + part * (end - start)
            values = blend(compiled, state, 4.0 * part)
            worst = max(worst, *misses(compiled.rig.heads, values, point))
        able += 1
        apart += worst > 0.3
    assert able > 60
    assert apart < 0.02 * able


def line_exists(heads, start, end) -> bool:
    """Whether every head has some way of standing at `start` from which it can follow
    the line to `end`, found by trying all of them.
    """
    which = np.arange(len(heads))
    ends = [np.broadcast_to(p, (len(which), 3)) for p in (start, end)]
    can = np.zeros(len(which), bool)
    for pan in np.arange(-270.0, 271.0, 60.0):
        for tilt in (-60.0, 60.0):
            near = np.broadcast_to((pan, tilt), (len(which), 2))
            here, miss = heads.solve(which, ends[0], near)
            can |= moving.plan(heads, which, *ends, here)[0] & (miss < 0.1)
    return bool(can.all())


def misses(heads, values, point):
    """By how many metres each head's beam passes a point."""
    which = np.arange(len(heads))
    pan, tilt = values[heads.rows].T
    way = aim.beam(heads.hanging[which], pan, tilt)
    to = point - heads.place
    return np.linalg.norm(to - way * (way * to).sum(axis=1, keepdims=True), axis=1)


@pytest.mark.parametrize("families", [False, True])
def test_looks_of_the_same_lamps_cross_as_by_the_rule(families, monkeypatch):
    """A crossfade of looks that give the same to the same lamps takes a shortcut of the
    rule; it comes to the same.
    """
    looks = {
        name: {f: {"Dimmer": level, "Shutter1": level, **rgb} for f in "abcd"}
        for name, level, rgb in (("lit", 0.2, RED), ("more", 0.9, BLUE))
    }
    compiled = compile_show(play.with_scenes(rig_of(*PARS), **looks))
    step = play.step("more", 10, 4, 4)
    if families:
        own = {at.Family.COLOUR: Ramp(0.0, 1.0, 11.0, 1.0)}
        progress = edits.replace(step.progress, families=own)
        step = edits.replace(step, progress=progress)
    state = PlayState((play.player("c", play.step("lit"), step),))
    moments = (10.0, 11.0, 11.7, 13.9)
    assert compiled.fade(
        tuple(compiled.look_of(s) for s in state.players[0].steps)
    ).alike
    short = [blend(compiled, state, now) for now in moments]
    monkeypatch.setattr(Fade, "_are_alike", lambda self: False)
    compiled = compile_show(play.with_scenes(rig_of(*PARS), **looks))
    for now, values in zip(moments, short, strict=True):
        assert blend(compiled, state, now) == pytest.approx(values, abs=1e-12)


def test_faders_that_share_a_lamp_do_so_whatever_comes_up_beside_them():
    """Two faders stand half up on lamp a: red of w = .2, own = .2, others = .4; its
    share is 1 − .8 · .4 / .4 = .2. A scene that lights only b, as the second fader
    does too, changes nothing of it.
    """
    compiled = compile_show(
        play.with_scenes(
            rig_of(*PARS[:2]),
            red={"a": {"Dimmer": 1.0, **RED}},
            both={f: {"Dimmer": 1.0} for f in "ab"},
            beside={"b": {"Dimmer": 1.0, **BLUE}},
        )
    )
    faders = (
        play.player("red", level=0.2, order=1),
        play.player("both", level=0.4, order=2),
    )
    coming = play.player("beside", weight=Ramp(0.0, 1.0, 0.0, 4.0), order=3)
    reds = [compiled.rig.colour_rows.start + 2 * part for part in range(3)]
    for state in (PlayState(faders), PlayState((*faders, coming))):
        for now in (0.0, 1.0, 3.0):
            mixed = blend(compiled, state, now)[reds]
            assert mixed == pytest.approx(between(WHITE, RED, 0.2), abs=1e-9)


def test_a_dark_fade_that_was_left_holds_while_a_later_look_lights_the_lamp():
    """Red is given by a look without light, and was a quarter gone (p = .25) when the
    next look came, which lights the lamp. That look is others to the fade that was
    left: red stays by 1 − .25, whether or not a trace of light is beside it.
    """
    compiled = one_par(
        red={"a": {**RED}},
        none={"a": {"Shutter1": 1.0}},
        lit={"a": {"Dimmer": 1.0}},
        trace={"a": {"Dimmer": 1.0}},
    )
    left = edits.replace(play.step("none", 10, 4, 4), until=11.0)
    choice = play.player("c", play.step("red"), left, play.step("lit", 11, 2, 2))
    trace = play.player("trace", level=1e-4, order=0)
    alone = colour(compiled, PlayState((choice,)), 12.0)
    beside = colour(compiled, PlayState((trace, choice)), 12.0)
    assert alone == pytest.approx(between(WHITE, RED, 0.375), abs=1e-6)
    assert beside == pytest.approx(alone, abs=1e-3)
