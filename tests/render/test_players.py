"""Ramps, steps and layers."""

import itertools
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from choreon.demo import low_tide
from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.refs import Ref
from choreon.model.values import Look
from choreon.render.colour import from_oklab, to_oklab
from choreon.render.compiled import PILES, compile_show
from choreon.render.compositor import blend, render
from choreon.render.fades import Fade
from choreon.render.plan import Plan
from choreon.render.recent import InUse
from choreon.render.state import (
    DraftState,
    Envelope,
    Leaving,
    Masters,
    Player,
    PlayState,
    Ramp,
    Step,
)
from tests import play
from tests.render.test_frame import PARS, playing_scene, rig_of, with_scenes

RED = {at.RED: 1.0, at.GREEN: 0.0, at.BLUE: 0.0}
BLUE = {at.RED: 0.0, at.GREEN: 0.0, at.BLUE: 1.0}


def colour_of(show, state, now=0.0):
    compiled = compile_show(show)
    rig = compiled.rig
    return from_oklab(blend(compiled, state, now)[rig.colour_rows].reshape(3, -1).T)[0]


@given(
    st.floats(0, 1),
    st.floats(0, 1),
    st.floats(0, 100),
    st.floats(0.001, 100),
    st.floats(0, 300),
)
def test_ramps_stay_between_their_ends(start, end, begin, seconds, now):
    ramp = Ramp(start, end, begin, seconds)
    assert min(start, end) - 1e-9 <= ramp.at(now) <= max(start, end) + 1e-9
    assert ramp.at(begin) == pytest.approx(start)
    assert ramp.at(begin + seconds) == end
    assert ramp.done(begin + seconds)


def test_a_ramp_of_no_time_is_there_at_once():
    assert Ramp(0.0, 1.0, 5.0, 0.0).at(5.0) == 1.0
    assert Ramp(0.0, 1.0, 5.0, 2.0).at(4.0) == 0.0


def test_players_know_when_they_are_gone_and_settled():
    player = playing_scene("s", weight=Ramp(1.0, 0.0, 10.0, 2.0))
    assert player.releasing
    assert not player.gone(11.9)
    assert player.gone(12.0)
    assert playing_scene("s", level=0.0).gone(0.0)
    assert not playing_scene("s", weight=Ramp(0.0, 1.0, 0.0, 3.0)).settled(2.0)


def test_later_on_top_and_priority_above_all():
    show = with_scenes(
        rig_of(PARS[0]),
        r={"a": {at.DIMMER: 1.0, **RED}},
        b={"a": {at.DIMMER: 1.0, **BLUE}},
    )
    both = (playing_scene("r", 1), playing_scene("b", 2))
    assert colour_of(show, PlayState(both)) == pytest.approx((0, 0, 1), abs=1e-6)
    assert colour_of(show, PlayState(both[::-1])) == pytest.approx((0, 0, 1), abs=1e-6)
    high = play.player("r", play.step("r", 0, 0, 0), level=1.0, order=1, priority=2)
    assert colour_of(show, PlayState((high, both[1]))) == pytest.approx(
        (1, 0, 0), abs=1e-6
    )


def test_half_a_weight_is_half_way_in_oklab_where_both_light_alike():
    show = with_scenes(
        rig_of(PARS[0]),
        r={"a": {at.DIMMER: 0.5, **RED}},
        b={"a": {at.DIMMER: 1.0, **BLUE}},
    )
    state = PlayState((playing_scene("r", 1), playing_scene("b", 2, level=0.5)))
    middle = from_oklab((to_oklab([1.0, 0, 0]) + to_oklab([0, 0, 1.0])) / 2)
    assert colour_of(show, state) == pytest.approx(middle, abs=1e-6)


def test_a_scene_of_colour_alone_blends_by_its_level_and_nothing_more():
    show = with_scenes(
        rig_of(PARS[0]), lit={"a": {at.DIMMER: 1.0, **RED}}, tint={"a": BLUE}
    )
    for order in (1, 3):
        quarter = PlayState(
            (playing_scene("lit", 2), playing_scene("tint", order, level=0.25))
        )
        want = (
            (1.0, 0.0, 0.0)
            if order == 1
            else from_oklab(0.75 * to_oklab([1.0, 0, 0]) + 0.25 * to_oklab([0, 0, 1.0]))
        )
        assert colour_of(show, quarter) == pytest.approx(want, abs=1e-6)


def test_no_weight_no_effect():
    show = with_scenes(
        rig_of(PARS[0]), s={"a": {at.DIMMER: 1.0, at.STROBE: 9.0, **RED}}
    )
    compiled = compile_show(show)
    off = PlayState(
        (
            playing_scene("s", level=0.0),
            playing_scene("s", weight=Ramp(0.0, 1.0, 50.0, 1.0)),
        )
    )
    assert np.array_equal(blend(compiled, off, 0.0), blend(compiled, PlayState(), 0.0))


def test_a_released_light_keeps_its_colour_until_it_is_out():
    show = with_scenes(rig_of(PARS[0]), s={"a": {at.DIMMER: 1.0, **RED}})
    state = PlayState((playing_scene("s", weight=Ramp(1.0, 0.0, 0.0, 4.0)),))
    for now in (1.0, 2.0, 3.9):
        assert colour_of(show, state, now) == pytest.approx((1, 0, 0), abs=1e-6)
    assert colour_of(show, state, 4.0) == pytest.approx((1, 1, 1), abs=1e-6)


def test_strobes_and_other_modes_snap_when_a_fade_begins():
    show = with_scenes(rig_of(PARS[0]), s={"a": {at.DIMMER: 1.0, at.STROBE: 9.0}})
    compiled = compile_show(show)
    row = compiled.rig.where["a"][at.STROBE][0][1]
    state = PlayState((playing_scene("s", weight=Ramp(0.0, 1.0, 0.0, 4.0)),))
    assert blend(compiled, state, 0.0)[row] == 0.0
    assert blend(compiled, state, 0.1)[row] == 9.0


def test_in_a_crossfade_the_dark_side_takes_the_lit_sides_colour():
    """Par a goes out, b comes up; neither shows a colour on the way that nobody asked
    for.
    """
    show = with_scenes(
        rig_of(*PARS[:2]),
        one={"a": {at.DIMMER: 1.0, **RED}},
        two={"b": {at.DIMMER: 1.0, **BLUE}},
    )
    compiled = compile_show(show)
    player = play.player(
        "p", play.step("one", 0, 0, 0), play.step("two", 10.0, 4.0, 4.0)
    )
    rig = compiled.rig
    for now in (10.5, 12.0, 13.9):
        colours = from_oklab(
            blend(compiled, PlayState((player,)), now)[rig.colour_rows].reshape(3, -1).T
        )
        assert colours[0] == pytest.approx((1, 0, 0), abs=1e-6)
        assert colours[1] == pytest.approx((0, 0, 1), abs=1e-6)
    after = from_oklab(
        blend(compiled, PlayState((player,)), 14.0)[rig.colour_rows].reshape(3, -1).T
    )
    assert after[0] == pytest.approx((1, 1, 1), abs=1e-6)


def test_a_crossfade_between_lit_scenes_is_a_straight_line():
    show = with_scenes(
        rig_of(PARS[0]),
        one={"a": {at.DIMMER: 0.8, **RED}},
        two={"a": {at.DIMMER: 0.8, **BLUE}},
    )
    compiled = compile_show(show)
    steps = (play.step("one", 0, 0, 0), play.step("two", 0.0, 10.0, 10.0))
    for now in (0.0, 2.5, 5.0, 9.0):
        values = blend(compiled, PlayState((play.player("p", *steps),)), now)
        part = now / 10
        want = (1 - part) * to_oklab([1.0, 0, 0]) + part * to_oklab([0, 0, 1.0])
        assert values[0] == pytest.approx(0.8)
        assert values[compiled.rig.colour_rows] == pytest.approx(want, abs=1e-9)


def test_a_cleared_draft_leaves_the_stage_smoothly():
    show = with_scenes(rig_of(PARS[0]), s={"a": {at.DIMMER: 0.2, **RED}})
    leaving = (Leaving({"a": {at.DIMMER: 1.0, **BLUE}}, Ramp(1.0, 0.0, 0.0, 1.0)),)
    state = PlayState((playing_scene("s"),), DraftState({}, leaving))
    compiled = compile_show(show)
    levels = [blend(compiled, state, t)[0] for t in (0.0, 0.25, 0.5, 0.75, 1.0)]
    assert levels == pytest.approx([1.0, 0.8, 0.6, 0.4, 0.2])


def test_blackout_and_grand_master_are_above_the_draft():
    show = rig_of(PARS[0])
    compiled = compile_show(show)
    draft = DraftState({"a": {at.DIMMER: 0.8}})
    assert blend(compiled, PlayState(draft=draft, masters=Masters(0.5)), 0.0)[
        0
    ] == pytest.approx(0.4)
    assert (
        blend(compiled, PlayState(draft=draft, masters=Masters(0.5, True)), 0.0)[0]
        == 0.0
    )


def test_a_scene_that_is_gone_lights_nothing():
    compiled = compile_show(rig_of(PARS[0]))
    one = PlayState((playing_scene("gone"),))
    fading = PlayState(
        (
            play.player(
                "p", play.step("gone", 0, 0, 0), play.step("lost", 1.0, 4.0, 4.0)
            ),
        )
    )
    for state in (one, fading):
        assert np.array_equal(
            blend(compiled, state, 2.0), blend(compiled, PlayState(), 2.0)
        )


def some_look(dice: random.Random) -> Look:
    """A few of the lamps, some of their attributes."""
    return {
        fixture: {
            name: dice.random()
            for name in ("Dimmer", at.RED, at.BLUE, "Shutter1")
            if dice.random() < 0.7
        }
        for fixture in "abcd"
        if dice.random() < 0.7
    }


@pytest.mark.parametrize("seed", range(6))
def test_a_crowd_comes_to_the_same_as_layers_one_by_one(seed, monkeypatch):
    """To the last bit: players that fade are worked out together."""
    dice = random.Random(seed)
    looks = {f"s{n}": some_look(dice) for n in range(6)}
    compiled = compile_show(with_scenes(rig_of(*PARS), **looks))
    players = []
    for n in range(6):
        end = 0.0 if dice.random() < 0.3 else dice.random()
        weight = Ramp(dice.random(), end, 0.0, 2.0)
        level = dice.choice([1.0, 0.4, 0.0])
        players.append(playing_scene(f"s{n}", n, level, weight))
    state = PlayState(tuple(players), started=6)
    moments = (0.3, 1.1, 1.9)
    assert Plan(compiled, state, 0.3).crowd is not None
    together = [blend(compiled, state, now) for now in moments]
    monkeypatch.setattr(Plan, "crowd", None)
    compiled.plan = None
    for now, values in zip(moments, together, strict=True):
        assert np.array_equal(blend(compiled, state, now), values)


def test_fades_of_many_looks_are_kept_apart_and_few():
    """A hand that presses again and again piles up looks in a player; what is kept of
    that stays small, and keeps no crossfade of two looks from being kept.
    """
    compiled = compile_show(low_tide())
    scenes = [p for p in compiled.show.playables.values() if p.kind == "scene"]
    looks = [compiled.look_of(Step(ref=scene.ref)) for scene in scenes]
    pairs = list(itertools.permutations(looks, 2))[:40]
    kept = [compiled.fade(pair) for pair in pairs]
    dice = random.Random(1)
    for _ in range(200):
        compiled.turn()  # each press makes a new plan
        pile = tuple(dice.choices(looks, k=dice.randint(3, 12)))
        assert compiled.fade(pile).looks == pile
    assert len(compiled.piles) <= PILES + 1
    assert all(compiled.fade(p) is k for p, k in zip(pairs, kept, strict=True))


def test_what_plays_is_compiled_once_however_much_it_is(monkeypatch):
    """More crossfades at once than are kept: a press, which makes a new plan, does not
    have those that go on compiled anew.
    """
    compiled = compile_show(low_tide())
    compiled.fades = InUse(4)
    scenes = [p.ref for p in compiled.show.playables.values() if p.kind == "scene"]
    hour = Ramp(0.0, 1.0, 0.0, 3600.0)

    def crossfade(n: int, pair: tuple[Ref, Ref]) -> Player:
        coming = Step(ref=pair[1], progress=Envelope(hour), fall=hour)
        return Player(f"p{n}", "", (Step(ref=pair[0]), coming), order=n)

    pairs = list(itertools.permutations(scenes, 2))[:20]
    state = PlayState(tuple(crossfade(n, pair) for n, pair in enumerate(pairs)))
    render(compiled, state, 1.0)
    made: list[int] = []
    monkeypatch.setattr(
        "choreon.render.compiled.Fade",
        lambda rig, looks: made.append(1) or Fade(rig, looks),
    )
    for n in range(3):
        fresh = Player(f"fresh{n}", "", (Step(ref=scenes[n]),), order=100 + n)
        state = replace(state, players=(*state.players, fresh))
        render(compiled, state, 2.0 + n)
        edited = edits.replace(compiled.show, name=f"Low Tide {n}")
        compiled = compile_show(edited, compiled)
    assert not made
    few = PlayState(state.players[:1])
    for n, pair in enumerate(itertools.permutations(scenes[::-1], 2)):
        two = replace(few, players=(crossfade(200 + n, pair),))
        render(compiled, two, 10.0 + n)
    assert len(compiled.fades) <= 6  # what is over goes
