"""Chases: where they are at a time, by numbers worked out by hand, and their light."""

from __future__ import annotations

import gc
import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.engine.actions import motion, tempo
from choreon.model import chases, edits
from choreon.model.checks import check
from choreon.model.motion import Effect, Rate, Wave
from choreon.model.playables import Chase, Scene
from choreon.model.playables.chase import ChaseStep, End, Run, Unit
from choreon.model.playables.nesting import too_deep
from choreon.model.refs import Ref
from choreon.render.compiled import compile_show
from choreon.render.compositor import blend
from choreon.render.explain import explain
from choreon.render.sources.chase import LiveChase, Rounds
from choreon.render.state import BeatClock, Going, Time
from tests import play

STAGE = low_tide()


def rounds(count: int, fade=1.0, hold=1.0, run=Run.FORWARD, times=0, first=0, seed=1):
    return Rounds([fade] * count, [fade + hold] * count, run, times, first, seed)


def steps_of(found: Rounds, many: int) -> list[int]:
    return [found.step_at(n) for n in range(many)]


@pytest.mark.parametrize(
    ("run", "first", "expected"),
    [
        (Run.FORWARD, 0, [0, 1, 2, 0, 1, 2, 0]),
        (Run.FORWARD, 1, [1, 2, 0, 1, 2, 0, 1]),
        (Run.BACKWARD, 0, [2, 1, 0, 2, 1, 0, 2]),
        (Run.BACKWARD, 1, [1, 0, 2, 1, 0, 2, 1]),
        (Run.BOUNCE, 0, [0, 1, 2, 1, 0, 1, 2]),
    ],
)
def test_steps_follow_in_this_order(run, first, expected):
    assert steps_of(rounds(3, run=run, first=first), 7) == expected


def test_where_it_is_by_hand():
    found = rounds(3)  # a second of fade, a second of hold
    assert found.at(0.5)[:3] == (-1, 0, 1.0)  # nothing is before the first
    assert found.at(2.25)[:3] == (0, 1, 0.25)
    assert found.at(3.5)[:3] == (0, 1, 1.0)
    assert found.at(6.5)[:3] == (2, 0, 0.5)  # round again
    assert found.at(6.5).number == 3
    assert found.at(-3.0)[:3] == (-1, 0, 1.0)


def test_a_chase_that_runs_twice_stays_at_its_last_step():
    found = rounds(3, times=2)
    assert found.total == 12.0
    assert found.at(11.9)[:3] == (1, 2, 1.0)
    assert found.at(100.0)[1:3] == (2, 1.0)
    # there and back once ends where it began
    back = rounds(3, run=Run.BOUNCE, times=1)
    assert back.total == 10.0
    assert [back.at(t).step for t in (1, 3, 5, 7, 9, 50)] == [0, 1, 2, 1, 0, 0]


@given(count=st.integers(3, 9), seed=st.integers(0, 50))
def test_shuffled_never_plays_the_same_step_twice_running(count, seed):
    found = steps_of(rounds(count, run=Run.SHUFFLE, seed=seed), 6 * count)
    assert all(a != b for a, b in itertools.pairwise(found))
    for start in range(0, 6 * count, count):
        assert sorted(found[start : start + count]) == list(range(count))


@given(
    at=st.lists(st.floats(0, 500), min_size=1, max_size=12),
    run=st.sampled_from(list(Run)),
    count=st.integers(1, 6),
)
def test_the_same_time_is_the_same_place_in_any_order(at, run, count):
    once = rounds(count, run=run)
    forward = [once.at(t) for t in at]
    assert [rounds(count, run=run).at(t) for t in reversed(at)] == forward[::-1]


def show_of(*steps: ChaseStep, **fields):
    scenes = {
        "red": {"par-1": {"Dimmer": 1.0, "ColorRGB_Red": 1.0}},
        "dim": {
            "par-1": {"Dimmer": 0.2, "ColorRGB_Red": 1.0},
            "par-2": {"Dimmer": 0.5},
        },
    }
    show = play.with_scenes(edits.replace(STAGE, playables={}), **scenes)
    return chases.keep_chase(show, "C", steps, **fields)


def plays(scene: str, **fields) -> ChaseStep:
    return ChaseStep(id="step", plays=Ref("scene", scene), **fields)


def on(show, ref: Ref, now: float = 0.0):
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    show = edits.change(show, ref, fade_in=0.0)
    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), now)
    return show, state


def level(compiled, state, now: float, lamp: str = "par-1") -> float:
    row = compiled.rig.where[lamp]["Dimmer"][0][1]
    return float(blend(compiled, state, now)[row])


def test_a_chase_fades_from_step_to_step():
    show, ref = show_of(plays("red"), plays("dim"))
    show, state = on(show, ref)
    compiled = compile_show(show)
    at = (0.0, 1.9, 2.0, 2.5, 3.0, 3.9, 4.25)
    found = [level(compiled, state, t) for t in at]
    assert found == pytest.approx([1, 1, 1, 0.6, 0.2, 0.2, 0.4])
    other = [level(compiled, state, t, "par-2") for t in (1.0, 2.5, 3.5, 4.5)]
    assert other == pytest.approx([0.0, 0.25, 0.5, 0.25])


def test_steps_may_have_their_own_times_and_hard_edges():
    show, ref = show_of(
        plays("red", fade=0.0, hold=1.0), plays("dim", fade=0.0, hold=3.0)
    )
    show, state = on(show, ref)
    compiled = compile_show(show)
    found = [level(compiled, state, t) for t in (0.5, 0.99, 1.0, 3.99, 4.0)]
    assert found == pytest.approx([1, 1, 0.2, 0.2, 1])


def test_the_first_step_fades_in_from_what_was_on_stage():
    show, ref = show_of(plays("dim"), plays("red"), fade=1.0, hold=5.0)
    show = edits.change(show, ref, fade_in=2.0)
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), 10.0)
    compiled = compile_show(show)
    found = [level(compiled, state, t, "par-2") for t in (10.0, 11.0, 12.0)]
    assert found == pytest.approx([0.0, 0.25, 0.5])


def test_by_the_beat_steps_fall_on_the_nearest_one():
    show, ref = show_of(plays("red"), plays("dim"), unit=Unit.BEATS, fade=0.0, hold=1.0)
    show = edits.change(show, ref, fade_in=0.0)
    compiled = compile_show(show)
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    clock = BeatClock(bpm=60.0)
    state = edits.replace(play.blank(), clock=clock)
    # pressed a little late: the first step is shorter; a little early: longer
    for pressed, change in ((10.2, 11.0), (9.8, 11.0)):
        now = actions.perform(show, state, Do(ref, Verb.PRESS), pressed)
        assert level(compiled, now, change - 0.01) == pytest.approx(1.0)
        assert level(compiled, now, change + 0.01) == pytest.approx(0.2)


def test_a_change_of_tempo_in_mid_beat_moves_no_value():
    effect = Effect(id="e", motion=Wave(rate=Rate(beats=3.0)), fixtures=("par-3",))
    show, ref = show_of(plays("red"), plays("dim"), unit=Unit.BEATS)
    show, scene = edits.keep_scene(show, "Moves", {}, 0.0, 0.0, effects=(effect,))
    show, state = on(show, ref)
    compiled = compile_show(show)
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    state = actions.perform(show, state, Do(scene, Verb.PRESS), 0.0)
    state = edits.replace(state, clock=tempo.at_tempo(state.clock, 60.0, 0.0))
    now = 7.37
    before = blend(compiled, state, now)
    fast = edits.replace(state, clock=tempo.at_tempo(state.clock, 120.0, now))
    assert blend(compiled, fast, now) == pytest.approx(before, abs=1e-12)
    # from then on twice as fast: half a second brings it as far as a second did
    later = blend(compiled, state, now + 1.0)
    assert blend(compiled, fast, now + 0.5) == pytest.approx(later, abs=1e-9)


def test_pause_and_rate_move_no_value():
    effect = Effect(id="e", motion=Wave(rate=Rate(seconds=4.0)), fixtures=("par-3",))
    show, ref = show_of(ChaseStep(id="s", effects=(effect,)), plays("dim"))
    show, state = on(show, ref)
    compiled = compile_show(show)
    player = state.players[0]
    before = blend(compiled, state, 2.6)
    fast = motion.set_rate(state, player, 3.0, 2.6)
    assert blend(compiled, fast, 2.6) == pytest.approx(before, abs=1e-12)
    assert blend(compiled, fast, 2.7) == pytest.approx(blend(compiled, state, 2.9))
    stands = motion.pause(state, player, None, 2.6)
    assert blend(compiled, stands, 90.0) == pytest.approx(before, abs=1e-12)
    assert compiled.settles(stands) < 90.0
    assert compiled.settles(state) == float("inf")
    goes = motion.pause(stands, stands.players[0], None, 90.0)
    assert blend(compiled, goes, 90.3) == pytest.approx(blend(compiled, state, 2.9))
    assert motion.set_rate(state, player, float("nan"), 1.0) is state


def test_a_step_by_hand_is_a_crossfade_from_what_is_there():
    show, ref = show_of(plays("red"), plays("dim"), hold=60.0)
    show, state = on(show, ref)
    compiled = compile_show(show)
    player = state.players[0]
    stepped = motion.go_by(show, state, player, 1, 5.0)
    found = [level(compiled, stepped, t) for t in (5.0, 5.5, 6.0, 30.0)]
    assert found == pytest.approx([1.0, 0.6, 0.2, 0.2])
    back = motion.go_by(show, stepped, stepped.players[0], -1, 5.5)
    found = [level(compiled, back, t) for t in (5.5, 6.0, 6.5)]
    assert found == pytest.approx([0.6, 0.8, 1.0])
    there = motion.go_to_step(show, state, player, 1, 5.0)
    assert level(compiled, there, 6.0) == pytest.approx(0.2)
    assert motion.go_to_step(show, state, player, 9, 5.0) is state


@pytest.mark.parametrize(("fade", "hold"), [(4.0, 1.0), (4.0, 0.0), (1.0, 3.0)])
@pytest.mark.parametrize("rate", [1.0, 2.0])
def test_a_step_by_hand_is_gone_to_wholly_and_stands_as_long_as_it_is_stored(
    fade, hold, rate
):
    """*red* (1) to *dim* (.2) by hand at 5 s, back to *red* by itself."""
    show, ref = show_of(plays("red"), plays("dim"), fade=fade, hold=hold)
    show, state = on(show, ref)
    compiled = compile_show(show)
    state = motion.set_rate(state, state.players[0], rate, 0.0)
    before = level(compiled, state, 0.5)
    stepped = motion.go_by(show, state, state.players[0], 1, 0.5)
    there = 0.5 + fade / rate
    left = there + hold / rate
    found = [level(compiled, stepped, t) for t in (0.5, (0.5 + there) / 2, there)]
    assert found == pytest.approx([before, (before + 0.2) / 2, 0.2])
    assert level(compiled, stepped, left) == pytest.approx(0.2)
    assert level(compiled, stepped, left + fade / rate / 2) == pytest.approx(0.6)
    assert level(compiled, stepped, left + fade / rate) == pytest.approx(1.0)


def test_what_waits_after_a_step_by_hand_survives_a_pause_and_another_rate():
    show, ref = show_of(plays("red"), plays("dim"), fade=4.0, hold=1.0)
    show, state = on(show, ref)
    compiled = compile_show(show)
    stepped = motion.go_by(show, state, state.players[0], 1, 0.0)
    stands = motion.pause(stepped, stepped.players[0], True, 2.0)
    goes = motion.pause(stands, stands.players[0], False, 3.0)
    assert level(compiled, goes, 5.0) == pytest.approx(0.2)
    assert level(compiled, goes, 7.0) == pytest.approx(0.6)
    fast = motion.set_rate(stepped, stepped.players[0], 2.0, 2.0)
    assert level(compiled, fast, 4.5) == pytest.approx(0.2)
    assert level(compiled, fast, 5.5) == pytest.approx(0.6)


@pytest.mark.parametrize("hold", [0.0, 0.3, 9.0])
@pytest.mark.parametrize("unit", [Unit.SECONDS, Unit.BEATS])
def test_another_hold_in_the_middle_of_a_crossfade_moves_no_value(hold, unit):
    show, ref = show_of(plays("red"), plays("dim"), fade=2.0, hold=2.0, unit=unit)
    show, state = on(show, ref)
    beats = 2.0 if unit == Unit.BEATS else 1.0
    now = 5.0 / beats
    before = compile_show(show)
    after = compile_show(edits.change(show, ref, hold=hold), before)
    carried = motion.carried(before, after, state, now)
    assert level(before, state, now) == pytest.approx(0.6)
    assert level(after, carried, now) == pytest.approx(0.6)
    assert level(after, carried, now + 1.0 / beats) == pytest.approx(0.2)
    # another fade keeps the share as well
    slow = compile_show(edits.change(show, ref, fade=5.0), before)
    slowed = motion.carried(before, slow, state, now)
    assert level(slow, slowed, now) == pytest.approx(0.6)


def test_a_chase_lifted_between_two_steps_gives_no_more_than_one():
    from choreon.engine.actions import players

    red = {"par-1": {"ColorRGB_Red": 0.2}}  # the other step gives it no colour
    own = ChaseStep(id="a", look=red), ChaseStep(id="b", look={"par-2": {"Dimmer": 1}})
    show, ref = show_of(*own, fade=1.0, hold=0.0)
    lit = Scene(id="lit", name="lit", look={"par-1": {"Dimmer": 1.0}}, fade_in=0.0)
    show, state = on(play.put_scenes(show, [lit]), ref)
    show, other = on(show, lit.ref)
    after = edits.replace(other.players[0], order=2)
    state = edits.replace(state, players=(*state.players, after), started=2)
    show = edits.change(show, ref, fade_in=2.0)
    lifted = players.lift(show, state, state.players[0], 10.0)
    assert len(lifted.players) == 3
    compiled = compile_show(show)
    row = compiled.rig.where["par-1"]["ColorRGB_Red"][0][1]
    for t in (10.25, 11.25, 11.75, 12.0, 12.25):
        expected = blend(compiled, state, t)[row]
        # a lamp that others light, with nobody else's colour
        assert blend(compiled, lifted, t)[row] == pytest.approx(expected)


def test_called_for_at_a_step_it_comes_in_with_that_step_alone():
    lit = {"par-2": {"Dimmer": 1.0}}
    show, ref = show_of(plays("dim"), ChaseStep(id="own", look=lit))
    show = edits.change(show, ref, fade_in=2.0)
    from choreon.engine import actions
    from choreon.engine.do import Do
    from choreon.model.verbs import Verb

    state = actions.perform(show, play.blank(), Do(ref, Verb.PRESS), 4.0)
    for verb, value in ((Verb.PAUSE, 1.0), (Verb.STEP, 1.0)):
        state = actions.perform(show, state, Do(ref, verb, value), 4.003)
    compiled = compile_show(show)
    seen = [level(compiled, state, 4.003 + t / 50) for t in range(200)]
    assert max(seen) == 0.0  # only the other step lights this lamp
    found = [level(compiled, state, t, "par-2") for t in (4.0, 5.0, 6.0, 60.0)]
    assert found == pytest.approx([0.0, 0.5, 1.0, 1.0])
    # on its way in it is a crossfade as ever
    later = actions.perform(show, state, Do(ref, Verb.STEP, 0.0), 5.0)
    assert level(compiled, later, 5.0, "par-2") == pytest.approx(0.5)


@pytest.mark.parametrize(
    ("end", "at_13", "players_at_20"), [(End.STAY, 0.2, 1), (End.RELEASE, 0.1, 0)]
)
def test_the_end_comes_on_time(end, at_13, players_at_20):
    show, ref = show_of(plays("red"), plays("dim"), rounds=3, end=end)
    show = edits.change(show, ref, fade_out=2.0)
    show, state = on(show, ref)
    compiled = compile_show(show)
    for now in np.arange(0.0, 13.01, 0.02):
        state = motion.follow(compiled, state, float(now))
    assert level(compiled, state, 13.0) == pytest.approx(at_13, abs=0.01)
    assert len(play.prune(state, 20.0).players) == players_at_20


def test_the_end_may_start_another():
    show, ref = show_of(plays("red"), rounds=1, end=End.START, then=Ref("scene", "dim"))
    show, state = on(show, ref)
    compiled = compile_show(show)
    state = motion.follow(compiled, state, 2.0)
    assert state.players[0].ref == Ref("scene", "dim")
    assert level(compiled, state, 2.0) == pytest.approx(1.0)
    assert level(compiled, state, 4.0) == pytest.approx(0.2)


@pytest.mark.parametrize("count", [0, 1, 2000])
def test_no_steps_one_step_and_two_thousand(count):
    steps = [plays("red" if n % 2 else "dim", fade=0.0, hold=0.1) for n in range(count)]
    show, ref = show_of(*steps)
    show, state = on(show, ref)
    compiled = compile_show(show)
    found = {round(level(compiled, state, t), 6) for t in (0.0, 0.05, 0.15, 77.7)}
    assert found == {0: {0.0}, 1: {0.2}, 2000: {0.2, 1.0}}[count]


def test_a_chase_cannot_contain_itself():
    show, ref = show_of(plays("red"))
    with pytest.raises(chases.ContainsItself, match="C cannot contain itself"):
        chases.add_steps(show, ref, [ChaseStep(id="s", plays=ref)])
    show, outer = chases.keep_chase(show, "Outer", [ChaseStep(id="s", plays=ref)])
    with pytest.raises(chases.ContainsItself, match="Outer plays C"):
        chases.add_steps(show, ref, [ChaseStep(id="s", plays=outer)])
    # a file that has one all the same: that step is dark, the others play
    bad = ChaseStep(id="bad", plays=ref, fade=0.0)
    loop = edits.change(show, ref, steps=(plays("red", fade=0.0), bad))
    compiled = compile_show(loop)
    loop, state = on(loop, ref)
    assert level(compiled, state, 0.5) == pytest.approx(1.0)
    assert level(compiled, state, 1.5) == pytest.approx(0.0)


def test_a_chase_within_a_chase_begins_with_its_step():
    inner = (plays("red", fade=0.0, hold=0.5), plays("dim", fade=0.0, hold=0.5))
    show, ref = show_of(*inner)
    blackout = ChaseStep(id="dark", fade=0.0, hold=1.25)
    show, outer = chases.keep_chase(
        show, "Outer", [blackout, ChaseStep(id="in", plays=ref, fade=0.0, hold=1.0)]
    )
    show, state = on(show, outer)
    compiled = compile_show(show)
    at = (0.5, 1.3, 1.7, 1.8, 2.2, 2.3)
    found = [level(compiled, state, t) for t in at]
    assert found == pytest.approx([0.0, 1.0, 1.0, 0.2, 0.2, 0.0])


def test_what_a_deleted_scene_leaves_is_a_dark_step_that_is_told():
    from choreon.model.checks import check

    show, ref = show_of(plays("red"), plays("dim"))
    show = edits.remove(show, Ref("scene", "dim"))
    texts = [p.text for p in check(show)]
    assert any("C plays what is gone (scene:dim)" in text for text in texts)
    show, state = on(show, ref)
    assert level(compile_show(show), state, 3.5) == pytest.approx(0.0)


def test_edits_of_a_chase_that_plays_go_on_at_the_same_step():
    show, ref = show_of(plays("red"), plays("dim"), hold=3.0)
    show, state = on(show, ref)
    before = compile_show(show)
    now = 6.0  # in the middle of the second step
    slower = chases.retime(show, ref, [], fade=1.0, hold=9.0)
    after = compile_show(slower, before)
    carried = motion.carried(before, after, state, now)
    assert level(after, carried, now) == pytest.approx(level(before, state, now))
    cursor = carried.players[0].steps[-1].cursor
    assert isinstance(cursor, Going)
    source = after.source(carried.players[0].steps[-1])
    assert source.sequence.at(source.own(cursor.time(now, 0.0))).step == 1
    first = edits.replace(slower.playables[ref.id].steps[0], id="new")
    longer, _ = chases.add_steps(slower, ref, [first], 0)
    third = compile_show(longer, after)
    carried = motion.carried(after, third, carried, now)
    source = third.source(carried.players[0].steps[-1])
    time = carried.players[0].steps[-1].cursor.time(now, 0.0)
    assert source.sequence.at(source.own(time)).step == 2


def test_why_names_the_step_and_its_value():
    show, ref = show_of(plays("red"), plays("dim"))
    show, state = on(show, ref)
    compiled = compile_show(show)
    fixture = show.fixtures["par-1"]
    mode = show.types[fixture.type].mode(fixture.mode)
    slot = next(
        fixture.address + use.slots[0] - 1
        for use, channel in show.types[fixture.type].used(mode)
        if channel.key == "dimmer"
    )
    layers = explain(compiled, state, 3.5, fixture.universe, slot)[0].layers
    won = next(layer for layer in layers if layer.wins)
    assert won.source == "chase C, step 2 of 2: dim"
    assert won.value == pytest.approx(0.2)
    half = explain(compiled, state, 2.5, fixture.universe, slot)[0].layers
    assert next(layer for layer in half if layer.wins).value == pytest.approx(0.6)


TIMES = st.one_of(st.none(), st.just(0.0), st.floats(0.0, 5.0))


@given(
    st.lists(st.tuples(TIMES, TIMES), min_size=1, max_size=9),
    st.sampled_from([0.0, 0.01, 1.0]),
    st.sampled_from([0.0, 2.0]),
    st.sampled_from(list(Run)),
    st.integers(1, 16),
)
def test_a_chase_fits_its_bars_exactly(times, fade, hold, run, bars):
    """Also with steps of no length, which last as long as the shortest there are."""
    steps = [
        ChaseStep(id=f"{n}", plays=Ref("scene", "red"), fade=f, hold=h)
        for n, (f, h) in enumerate(times)
    ]
    show, ref = show_of(*steps, fade=fade, hold=hold, run=run)
    fitted = chases.fit_bars(show, ref, bars, 4)
    chase = chases.chase_of(fitted, ref)
    assert chases.round_length(fitted, chase) == pytest.approx(4.0 * bars)
    assert Rounds(
        [chase.fade_of(s) for s in chase.steps],
        [chase.length_of(s) for s in chase.steps],
        run,
        0,
        0,
        1,
    ).round == pytest.approx(4.0 * bars)


def test_a_chase_of_more_steps_than_fit_is_as_short_as_it_goes():
    steps = [ChaseStep(id=f"{n}", plays=Ref("scene", "red")) for n in range(300)]
    show, ref = show_of(*steps)
    fitted = chases.fit_bars(show, ref, 1, 4)
    chase = chases.chase_of(fitted, ref)
    assert chases.round_length(fitted, chase) == pytest.approx(300 * 0.02)


def test_times_of_chases_by_hand():
    show, ref = show_of(plays("red"), plays("dim", fade=0.5, hold=2.5))
    chase = chases.chase_of(show, ref)
    assert chases.round_length(show, chase) == 5.0
    fitted = chases.fit_bars(show, ref, 2, 4)
    chase = chases.chase_of(fitted, ref)
    assert (chase.unit, chases.round_length(fitted, chase)) == (Unit.BEATS, 8.0)
    seconds = chases.set_unit(fitted, ref, Unit.SECONDS, 120.0)
    chase = chases.chase_of(seconds, ref)
    assert chases.round_length(seconds, chase) == pytest.approx(4.0)
    crossed = chases.chase_of(chases.crossfade(show, ref, 1.0), ref)
    assert [crossed.fade_of(s) for s in crossed.steps] == [2.0, 3.0]
    assert [crossed.hold_of(s) for s in crossed.steps] == [0.0, 0.0]
    hard = chases.chase_of(chases.crossfade(show, ref, 0.0), ref)
    assert [hard.hold_of(s) for s in hard.steps] == [2.0, 3.0]
    nothing = Chase(id="c", name="c", steps=(plays("red"),), fade=0.0, hold=0.0)
    assert nothing.length_of(nothing.steps[0]) > 0.0
    assert Time(1.0, 2.0).beats == 2.0
    assert isinstance(show.playables["red"], Scene)


@given(
    st.lists(st.sampled_from([0.02, 0.3, 0.5]), min_size=2, max_size=5),
    st.sampled_from([1.0, 4.0]),
    st.floats(0.0, 1.0),
)
def test_of_every_step_a_frame_is_seen_where_there_is_time_for_it(holds, rate, begin):
    """Steps of a fiftieth of a second and less between others."""
    if 0.5 not in holds:
        holds = [*holds, 0.5]
    count = len(holds)
    found = Rounds([0.0] * count, holds, Run.FORWARD, 0, 0, 1)
    frames = np.arange(begin, begin + 4 * found.round, rate / 44)
    seen = [found.at(t, rate * 1.1 / 44).step for t in frames]
    changes = [a for a, b in itertools.pairwise(seen) if a != b]
    expected = [(changes[0] + n) % count for n in range(len(changes))]
    if found.round >= 4 * count * 1.1 / 44:
        assert changes == expected
    assert found.at(found.round - 1e-6).step == count - 1


def nested(many: int, times: int = 2, show=STAGE):
    """Chases of which each plays the one below it several times, and the outermost."""
    below = Ref("scene", "red")
    made = []
    for n in range(many):
        steps = tuple(ChaseStep(id=f"{k}", plays=below) for k in range(times))
        below = Ref("chase", f"n{n}")
        made.append(
            Chase(
                id=f"n{n}", name=f"N{n}", steps=steps, fade=0.5, hold=0.5, fade_in=0.0
            )
        )
    show = play.with_scenes(show, red={"par-1": {"Dimmer": 1.0}})
    return edits.put(show, "playables", *made), below


@pytest.mark.parametrize("times", [1, 2, 10])
def test_eight_that_play_within_each_other_give_light_at_little_cost(times):
    """Work and memory follow their steps, not the ways that lead through them."""
    show, ref = nested(8, times)
    show, state = on(show, ref)
    compiled = compile_show(show)
    moments = np.arange(0.0, 40.0, 0.37)
    assert all(level(compiled, state, t) == pytest.approx(1.0) for t in moments)
    assert len(compiled.sources) <= 9
    lives = [o for o in gc.get_objects() if type(o) is LiveChase]
    assert len(lives) <= 4 * 8 + 256
    assert not [p for p in check(show) if "nested" in p.text]


@pytest.mark.parametrize("many", [9, 20, 300])
def test_what_is_nested_deeper_stays_dark_and_is_told_with_its_path(many):
    show, ref = nested(many)
    show, state = on(show, ref)
    compiled = compile_show(show)
    assert level(compiled, state, 0.3) == 0.0
    way = too_deep(show, ref)
    assert way[0] == ref
    assert len(way) == 9
    assert all(Ref("chase", f"n{many - 1 - n}") == way[n] for n in range(9))
    told = [p for p in check(show) if p.path == "playables/n8/steps"]
    assert "N8 › N7 › N6 › N5 › N4 › N3 › N2 › N1 › N0" in told[0].text


def test_no_step_is_added_that_would_lie_too_deep():
    """Neither at the bottom nor at the top."""
    show, ref = nested(8)
    show, outer = chases.keep_chase(
        show, "Outer", [ChaseStep(id="1", plays=Ref("scene", "red"))]
    )
    with pytest.raises(chases.ContainsItself, match="Outer › N7 › N6"):
        chases.add_steps(show, outer, [ChaseStep(id="2", plays=ref)])
    with pytest.raises(chases.ContainsItself, match="N0 › Outer"):
        chases.add_steps(show, Ref("chase", "n0"), [ChaseStep(id="9", plays=outer)])
    chases.add_steps(show, Ref("chase", "n1"), [ChaseStep(id="9", plays=outer)])
