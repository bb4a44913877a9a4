"""What moves, in a real engine: effects of the draft, chases at their end, a tempo that
is tapped, and an engine that died.
"""

from __future__ import annotations

import itertools
import math
import random
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.engine import protocol, session
from choreon.engine.actions import masters, tempo
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.motion import Effect, Rate, Wave
from choreon.model.playables.chase import ChaseStep, End, Unit
from choreon.model.refs import TEMPO, Ref
from choreon.model.verbs import Edge, Verb
from choreon.render.state import BeatClock
from tests import play
from tests.conftest import until, values


def state_of(client) -> protocol.State:
    return client.wait_for(protocol.State, 60.0).state


def test_a_change_of_tempo_keeps_the_beat():
    clock = BeatClock(bpm=60.0, at=10.0, beat=4.0)
    fast = tempo.at_tempo(clock, 120.0, 12.5)
    assert fast.beat_at(12.5) == pytest.approx(6.5)
    assert fast.beat_at(13.0) == pytest.approx(7.5)
    assert fast.beat_at(13.5) == pytest.approx(8.5)


@pytest.mark.parametrize("bpm", [0.0, -3.0, float("nan"), float("inf")])
def test_what_is_no_tempo_changes_nothing(bpm):
    clock = BeatClock()
    assert tempo.at_tempo(clock, bpm, 1.0) is clock


def test_tempos_stay_within_what_hands_can_play():
    assert tempo.at_tempo(BeatClock(), 999.0, 0.0).bpm == tempo.FASTEST
    assert tempo.at_tempo(BeatClock(), 1.0, 0.0).bpm == tempo.SLOWEST


def test_taps_give_the_tempo_and_the_beat_comes_to_them_without_a_jump():
    clock = BeatClock(bpm=120.0)
    for n in range(6):
        now = 20.3 + 0.6 * n
        before = clock.beat_at(now)
        clock = tempo.tapped(clock, now)
        assert clock.beat_at(now) == pytest.approx(before)  # nothing jumps
    assert clock.bpm == pytest.approx(100.0)
    beats = [clock.beat_at(now + t / 50) for t in range(300)]
    assert all(b > a for a, b in itertools.pairwise(beats))
    later = clock.beat_at(now + 0.6 * 8)  # eight beats on, it is on the beat
    assert later == pytest.approx(round(later), abs=1e-6)


def test_a_late_tap_begins_a_new_count_and_a_bar_begins_where_it_is_said():
    clock = tempo.tapped(BeatClock(bpm=90.0), 1.0)
    clock = tempo.tapped(clock, 9.0)
    assert clock.bpm == 90.0
    assert len(clock.taps) == 1
    clock = tempo.on_bar(clock, 10.1)
    assert clock.in_bar(10.1)[0] in (0, clock.bar - 1)


def tapped_at(*times: float, bpm: float = 90.0) -> BeatClock:
    clock = BeatClock(bpm=bpm)
    for now in times:
        clock = tempo.tapped(clock, now)
    return clock


@given(
    bpm=st.floats(21.0, 300.0),
    missed=st.integers(3, 8),
    jitter=st.floats(0.0, 0.035),
    seed=st.integers(0, 99),
)
def test_a_beat_that_was_not_tapped_changes_no_tempo(bpm, missed, jitter, seed):
    """Taps of human hands, one of them left out, or one that bounced. Of fewer than
    three before it none can say which of two times was the beat.
    """
    beat = 60.0 / bpm
    dice = random.Random(seed)
    times = [5.0 + beat * (n + dice.uniform(-jitter, jitter)) for n in range(12)]
    gap = beat * (2 + 2 * jitter)
    some = times[:missed] + times[missed + 1 :]
    if gap < tempo.AGAIN:
        for end in range(missed + 1, 12):
            assert tapped_at(*some[:end]).bpm == pytest.approx(bpm, rel=0.05 + jitter)
    twice = sorted([*times, times[missed] + 0.02])
    assert tapped_at(*twice).bpm == pytest.approx(bpm, rel=0.02 + jitter)
    again = tapped_at(*times)
    assert tempo.tapped(again, times[-1]) is again  # one moment is one tap


@given(st.floats(20.0, 400.0), st.floats(20.0, 400.0))
def test_another_tempo_is_heard_within_four_taps(first, then):
    """Without a pause, and after one."""
    before = [5.0 + 60.0 / first * n for n in range(8)]
    for pause in (60.0 / then, 9.0):
        after = [before[-1] + pause + 60.0 / then * n for n in range(5)]
        assert tapped_at(*before, *after).bpm == pytest.approx(then, rel=0.13)


@pytest.mark.parametrize("bpm", [20.0, 22.0, 24.0, 400.0])
def test_the_slowest_and_the_fastest_can_be_tapped(bpm):
    times = [3.0 + 60.0 / bpm * n for n in range(4)]
    assert tapped_at(*times[:2]).bpm == pytest.approx(bpm)
    assert tapped_at(*times).bpm == pytest.approx(bpm)


@pytest.mark.parametrize(
    ("verb", "value", "bpm"),
    [
        (Verb.BPM, 87.5, 87.5),
        (Verb.HALF, 1.0, 60.0),
        (Verb.DOUBLE, 1.0, 240.0),
        (Verb.NUDGE, -2.5, 117.5),
        (Verb.LEVEL, 0.5, 120.0),
        (Verb.LEVEL, 1.0, 180.0),
    ],
)
def test_the_tempo_takes_these(demo_show, verb, value, bpm):
    state = edits.replace(play.blank(), clock=BeatClock(bpm=120.0))
    after = masters.act(demo_show, state, Do(TEMPO, verb, value), 3.0)
    assert after.clock.bpm == pytest.approx(bpm)
    assert after.clock.beat_at(3.0) == pytest.approx(state.clock.beat_at(3.0))
    up = masters.act(demo_show, state, Do(TEMPO, Verb.TAP, edge=Edge.UP), 3.0)
    assert up is state


def test_a_show_opens_with_its_tempo(engines, demo_path):
    client = engines.start(demo_path)
    welcome = client.wait_for(protocol.Welcome)
    assert welcome.state.clock.bpm == 96.0


def test_an_effect_of_the_draft_moves_the_lamps_and_is_let_go(engines, demo_path, node):
    client = engines.start(demo_path)
    client.wait_for(protocol.Welcome)
    wave = Wave(rate=Rate(seconds=0.5))
    effect = Effect(id="e", motion=wave, fixtures=("par-1",))
    client.send(protocol.SetEffects(effects=(effect,), revision=1))
    seen: set[int] = set()

    def moves() -> bool:
        found = values(node, 1)
        seen.update(found[10:11])
        return len(seen) > 6

    until(moves)
    client.send(protocol.ClearDraft(seconds=0.0))
    until(lambda: values(node, 1)[10] == 0)


def test_a_chase_is_let_go_at_its_end_by_itself(engines, demo_show, own_folders, node):
    from choreon.formats import showfile
    from choreon.model import chases

    step = ChaseStep(id="s", look={"par-1": {"Dimmer": 1.0}})
    show, ref = chases.keep_chase(
        demo_show,
        "Short",
        [step],
        fade=0.0,
        hold=0.4,
        unit=Unit.SECONDS,
        rounds=1,
        end=End.RELEASE,
    )
    show = edits.change(show, ref, fade_in=0.0, fade_out=0.1)
    path = own_folders / "Short.choreon"
    showfile.write(path, show)
    client = engines.start(path)
    client.wait_for(protocol.Welcome)
    client.send(Do(ref, Verb.PRESS))
    until(lambda: values(node, 1)[10:11] == [255])
    until(lambda: values(node, 1)[10] == 0)


def test_an_engine_that_died_goes_on_in_the_middle_of_a_chase(engines, demo_path, node):
    client = engines.start(demo_path)
    client.wait_for(protocol.Welcome)
    client.send(Do(Ref("chase", "tide-turns"), Verb.PRESS))
    client.send(Do(TEMPO, Verb.BPM, 77.0))
    until(lambda: sum(values(node, 1)) > 0)
    state = None

    def played() -> bool:
        nonlocal state
        state = state_of(client)
        return bool(state.players) and state.clock.bpm == 77.0

    until(played)
    until(lambda: session_of(state.players[0].id))
    engines.kill()
    again = engines.start(demo_path).wait_for(protocol.Welcome)
    player = again.state.players[0]
    assert player.ref == Ref("chase", "tide-turns")
    assert again.state.clock.bpm == 77.0
    before = state.players[0].steps[-1].cursor
    after = player.steps[-1].cursor
    beat = again.state.clock.beat_at(time.monotonic())
    want = before.time(time.monotonic(), state.clock.beat_at(time.monotonic())).beats
    found = after.time(time.monotonic(), beat).beats
    assert math.isclose(found, want, abs_tol=0.2)


def session_of(player: str) -> bool:
    """Whether what plays is on disk, with a player and the tempo."""
    kept = session.load("low-tide")
    return kept is not None and kept.clock.bpm == 77.0 and bool(kept.player(player))
