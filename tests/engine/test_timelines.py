"""What happens along timelines: once a pass and in order, whatever frames come; jumps,
pauses, from here; rings; the end.
"""

from __future__ import annotations

import itertools
import math
import random

import msgspec
import numpy as np
import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import cues, motion, timelines
from choreon.engine.do import Do
from choreon.engine.precompiler import Precompiler
from choreon.engine.voices import with_inner_events
from choreon.model import edits
from choreon.model.playables import Stack, Timeline
from choreon.model.playables.stack import Cue, CueAct
from choreon.model.playables.timeline import (
    Clip,
    Event,
    LineEnd,
    Mark,
    Track,
    WhenStopped,
    loop_of,
)
from choreon.model.refs import BLACKOUT, GRAND, TEMPO, Ref
from choreon.model.tempo_map import Beats, TempoMap
from choreon.model.tiles import Part
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.explain import explain
from choreon.render.state import PlayState, Running
from choreon.wire.time_code import Place, Rate
from tests import play

LINE = Ref("timeline", "line")


def event(at: float, ref: Ref = BLACKOUT, verb=Verb.SWITCH, value: float = 1.0):
    return Event(id=f"{at} {ref}", at=at, act=CueAct(ref, verb, value))


def with_line(*events: Event, timeline_id: str = "line", show=None, **fields):
    show = low_tide() if show is None else show
    fields.setdefault("length", 10.0)
    track = Track(id="a", events=events)
    made = Timeline(id=timeline_id, name=timeline_id, tracks=(track,), **fields)
    return edits.put(show, "playables", made)


class Evening:
    """A show that plays by frames."""

    def __init__(self, show, begun: float = 100.0) -> None:
        self.show, self.compiled = show, compile_show(show)
        self.now, self.state = begun, play.blank()

    def do(self, verb: Verb, value: float = 1.0, ref: Ref = LINE) -> None:
        do = Do(ref, verb, value)
        self.state = actions.perform(self.show, self.state, do, self.now)

    def to(self, now: float, frame: float = 0.0227) -> None:
        while self.now < now:
            self.now = min(now, self.now + frame)
            self.state = motion.follow(self.compiled, self.state, self.now)

    @property
    def player(self):
        return next((p for p in self.state.players if p.ref == LINE), None)

    @property
    def place(self) -> float:
        line = self.show.playables["line"]
        return timelines.place_of(line, timelines.cursor_of(self.player), self.now)


@pytest.fixture
def done(monkeypatch):
    """What was done, with the time at which it was."""
    found: list[tuple[str, float]] = []
    real = cues.do_all

    def record(show, state, acts, by, now, ways):
        acts = list(acts)
        found.extend((f"{act.ref} {act.value:g}", now) for act in acts)
        return real(show, state, acts, by, now, ways)

    monkeypatch.setattr(cues, "do_all", record)
    return found


@pytest.mark.parametrize("seed", range(40))
def test_each_happens_once_a_pass_whatever_frames_come(done, seed):
    """Against a walk through the rounds, counted apart from the code."""
    dice = random.Random(seed)
    begin = dice.choice([0.0, 0.5, 2.0])
    end = begin + dice.choice([0.25, 1.0, 3.3])
    at = [begin, end, 0.0, *(dice.uniform(0.0, end + 1.0) for _ in range(4))]
    events = [event(t, GRAND, Verb.LEVEL, round(t, 6)) for t in dict.fromkeys(at)]
    loops = dice.random() < 0.7
    show = with_line(
        *events,
        length=end + 2.0,
        end=LineEnd.LOOP if loops else LineEnd.HOLD,
        region=(begin, end) if loops else None,
    )
    evening = Evening(show)
    evening.do(Verb.START)
    last = dice.uniform(3.0, 9.0)
    while evening.now < 100.0 + last:
        step = dice.choice([0.0227, dice.uniform(0.001, 0.4), dice.uniform(0.5, 1.5)])
        evening.now = min(100.0 + last, evening.now + step)
        evening.state = motion.follow(evening.compiled, evening.state, evening.now)

    counted = []
    for one in events:
        value = one.act.value
        passes = [one.at]
        if loops:
            passes = [one.at] if one.at < end else []
            if begin <= one.at < end:
                passes += [one.at + n * (end - begin) for n in range(1, 60)]
        counted += [(t, f"{GRAND} {value:g}") for t in passes if t <= last]
    assert sorted(name for name, _ in done) == sorted(name for _, name in counted)
    times = [when for _, when in done]
    assert times == sorted(times)


def test_they_come_at_their_own_times_and_not_at_those_of_frames(done):
    show = with_line(event(1.0), event(1.004, GRAND, Verb.LEVEL, 0.5))
    evening = Evening(show)
    evening.do(Verb.START)
    evening.to(101.2, frame=0.021)
    assert [when for _, when in done] == pytest.approx([101.0, 101.004])


def test_what_was_missed_for_long_is_passed_over(done):
    evening = Evening(with_line(event(1.0), event(6.0, GRAND, Verb.LEVEL, 0.5)))
    evening.do(Verb.START)
    evening.now = 107.0  # nobody looked
    evening.state = motion.follow(evening.compiled, evening.state, evening.now)
    assert [name for name, _ in done] == [f"{GRAND} 0.5"]
    assert not evening.state.masters.blackout


def test_a_jump_does_nothing_and_from_here_does_what_lies_here(done):
    evening = Evening(with_line(event(2.0), event(3.0, GRAND, Verb.LEVEL, 0.5)))
    evening.do(Verb.STEP, 2.0)  # starts it there
    assert evening.place == pytest.approx(2.0)
    evening.to(100.5)
    assert done == []
    evening.do(Verb.PAUSE)
    evening.do(Verb.STEP, 2.0)
    evening.to(103.0)
    assert done == []
    assert evening.place == pytest.approx(2.0)

    evening.do(Verb.GO)
    evening.to(103.1)
    assert [name for name, _ in done] == [f"{BLACKOUT} 1"]
    evening.to(104.5)
    assert [name for name, _ in done] == [f"{BLACKOUT} 1", f"{GRAND} 0.5"]
    evening.do(Verb.STEP, 1.0)
    evening.to(106.6)
    assert len(done) == 4  # they lie ahead again


def test_it_pauses_goes_at_another_rate_and_on():
    evening = Evening(with_line())
    evening.do(Verb.START)
    evening.to(101.0)
    evening.do(Verb.PAUSE)
    evening.to(105.0)
    assert evening.place == pytest.approx(1.0)
    evening.do(Verb.PAUSE)
    evening.do(Verb.RATE, 2.0, Ref("player", evening.player.id))
    evening.to(106.0)
    assert evening.place == pytest.approx(3.0)


def test_marks_are_gone_to():
    marks = (Mark(id="1", at=2.0), Mark(id="2", at=5.0))
    evening = Evening(with_line(marks=marks))
    evening.do(Verb.START)
    places = []
    for verb in (Verb.NEXT, Verb.NEXT, Verb.NEXT, Verb.BACK, Verb.BACK, Verb.BACK):
        evening.do(verb)
        places.append(evening.place)
    assert places == pytest.approx([2.0, 5.0, 5.0, 2.0, 0.0, 0.0])


@pytest.mark.parametrize(
    ("end", "is_on"),
    [(LineEnd.RELEASE, False), (LineEnd.HOLD, True), (LineEnd.LOOP, True)],
)
def test_at_its_end(end, is_on):
    evening = Evening(with_line(length=2.0, end=end, fade_out=0.5))
    evening.do(Verb.START)
    evening.to(101.9)
    assert not evening.player.releasing
    evening.to(102.1)
    assert evening.player.releasing != is_on


def test_one_starts_another_and_a_ring_does_not_hang(done):
    one, other = LINE, Ref("timeline", "other")
    show = with_line(event(0.0, other, Verb.START), event(1.0, other, Verb.RELEASE))
    show = with_line(
        event(0.0, one, Verb.START), timeline_id="other", show=show, length=1.0
    )
    evening = Evening(show)
    evening.do(Verb.START)
    evening.to(100.1)
    assert {p.ref for p in evening.state.players} == {one, other}
    evening.to(101.1)
    assert all(p.releasing for p in evening.state.players if p.ref == other)
    assert len(done) < 10

    # each restarts the other at once, for ever: a frame still ends
    show = with_line(event(0.0, other, Verb.STEP, 0.0))
    show = with_line(event(0.0, one, Verb.STEP, 0.0), timeline_id="other", show=show)
    ring = Evening(show)
    ring.do(Verb.START)
    ring.to(100.5)
    assert len(ring.state.players) <= 2


def test_what_is_gone_or_takes_no_such_verb_is_passed_over():
    show = with_line(
        event(0.1, Ref("scene", "gone"), Verb.START),
        event(0.2, TEMPO, Verb.GO),
        event(0.3),
    )
    evening = Evening(show)
    evening.do(Verb.START)
    evening.to(101.0)
    assert evening.state.masters.blackout


def test_an_edit_while_it_plays_moves_nothing_and_repeats_nothing(done):
    evening = Evening(with_line(event(1.0)))
    evening.do(Verb.START)
    evening.to(102.0)
    before = evening.compiled
    evening.show = with_line(event(1.0), event(0.5), event(2.5, GRAND, Verb.LEVEL, 0.5))
    evening.compiled = compile_show(evening.show, before)
    evening.state = motion.carried(before, evening.compiled, evening.state, evening.now)
    assert evening.place == pytest.approx(2.0)
    evening.to(103.0)
    assert [name for name, _ in done] == [f"{BLACKOUT} 1", f"{GRAND} 0.5"]


def test_where_it_is_outlives_the_engine():
    evening = Evening(with_line(event(3.0)))
    evening.do(Verb.START)
    evening.to(102.0)
    packed = msgspec.msgpack.encode(evening.state)
    kept = msgspec.msgpack.decode(packed, type=PlayState)
    assert isinstance(kept.players[0].steps[-1].cursor, Running)
    evening.state = kept
    evening.to(103.5)
    assert evening.state.masters.blackout


def test_a_beam_of_nonsense_does_no_harm():
    clip = Clip(id="c", plays=LINE, start=-5.0, length=1e8, rate=-3.0, repeat=-1.0)
    show = with_line(event(-3.0), event(1e8), end=LineEnd.LOOP, region=(9.0, -9.0))
    line = show.playables["line"]
    track = edits.replace(line.tracks[0], clips=(clip,))
    show = edits.put(show, "playables", edits.replace(line, tracks=(track,)))
    assert loop_of(show.playables["line"]) is None
    evening = Evening(show)
    evening.do(Verb.START)
    evening.to(101.0)
    evening.do(Verb.STEP, -8.0)
    evening.to(102.0)
    assert 0.0 <= evening.place < math.inf


def test_what_comes_on_the_line_is_known_before(done):
    show = with_line(
        event(1.0),
        event(1.5, GRAND, Verb.LEVEL, 0.5),
        event(3.0, GRAND, Verb.LEVEL, 0.7),
        end=LineEnd.LOOP,
        region=(0.0, 2.0),
    )
    evening = Evening(show)
    evening.do(Verb.START)

    def refs(since: float, until: float) -> list[str]:
        acts = timelines.coming(show, evening.player, since, until)
        return [f"{act.ref} {act.value:g}" for act in acts]

    first, second = f"{BLACKOUT} 1", f"{GRAND} 0.5"
    assert refs(0.0, 0.9) == []
    assert refs(0.0, 1.2) == [first]
    assert refs(0.0, 3.2) == [first, second, first]
    assert len(refs(0.0, 1e6)) == 64  # no more than that is looked at


def test_what_it_starts_is_compiled_before_it_comes():
    """Frames never compile: the precompiler has it before the event."""
    thunder = Ref("timeline", "thunder-near")
    show = with_line(event(1.5, thunder, Verb.START))
    evening = Evening(show)
    evening.do(Verb.START)
    ahead = Precompiler(evening.compiled, lambda: evening.state, lambda: evening.now)
    evening.to(100.1)

    def knows() -> bool:
        return any(key.playable == thunder.id for key, _ in sources.items())

    sources = evening.compiled.sources
    assert not knows()
    ahead.foresee_lines()
    assert knows()
    before = list(sources.items())
    ahead.foresee_lines()
    assert list(sources.items()) == before  # it is asked once


# by another's clock


def followed(evening: Evening, clock, seconds: float, frame: float = 0.0227) -> None:
    """Frames in which the line is led by `clock(now)`."""
    end = evening.now + seconds
    while evening.now < end:
        evening.now += frame
        places = {"Tape": clock(evening.now)}
        evening.state = timelines.led(evening.show, evening.state, places, evening.now)
        evening.state = motion.follow(evening.compiled, evening.state, evening.now)


def tape(at: float, since: float, runs: bool = True) -> Place:
    return Place(at, since, runs, Rate.EUROPE)


def test_a_line_is_where_the_time_code_is(done):
    events = (event(4.0), event(6.0, GRAND, Verb.LEVEL, 0.5))
    evening = Evening(with_line(*events, follows="Tape", offset=3600.0))
    evening.do(Verb.START)
    followed(evening, lambda now: tape(3605.0, 100.0), 0.3)
    assert evening.place == pytest.approx(evening.now - 95.0, abs=0.01)
    assert done == []  # what was jumped over
    followed(evening, lambda now: tape(3605.0, 100.0), 1.0)
    assert [name for name, _ in done] == [f"{GRAND} 0.5"]


def test_a_clock_that_runs_at_another_speed_is_kept_up_with():
    evening = Evening(with_line(length=100.0, follows="Tape"))
    evening.do(Verb.START)

    def fast(now: float) -> Place:  # 200 ppm, read with some unrest
        true = (now - 100.0) * 1.0002
        unrest = 0.002 * math.sin(37.0 * now)
        return tape(true + unrest, now)

    places = []
    for _ in range(90):
        followed(evening, fast, 1.0)
        places.append(evening.place - (evening.now - 100.0) * 1.0002)
    assert max(map(abs, places)) < 0.01


@pytest.mark.parametrize("stopped", list(WhenStopped))
def test_when_the_clock_stands_it_goes_on_or_holds_and_is_there_again(stopped):
    evening = Evening(with_line(follows="Tape", stopped=stopped))
    evening.do(Verb.START)
    followed(evening, lambda now: tape(0.0, 100.0), 2.0)
    followed(evening, lambda now: tape(2.0, 102.0, runs=False), 1.0)
    wanted = evening.now - 100.0 if stopped == WhenStopped.GO_ON else 2.0
    assert evening.place == pytest.approx(wanted, abs=0.05)
    begun = evening.now
    followed(evening, lambda now: tape(2.0, begun), 0.5)
    assert evening.place == pytest.approx(2.0 + evening.now - begun, abs=0.01)


def test_it_goes_back_with_the_clock_and_does_what_lies_there_again(done):
    evening = Evening(with_line(event(1.0), follows="Tape"))
    evening.do(Verb.START)
    followed(evening, lambda now: tape(0.0, 100.0), 1.5)
    begun = evening.now
    followed(evening, lambda now: tape(0.5, begun), 1.0)
    assert len(done) == 2


def test_a_hand_that_pauses_it_goes_before_the_clock():
    evening = Evening(with_line(follows="Tape"))
    evening.do(Verb.START)
    evening.to(101.0)
    evening.do(Verb.PAUSE)
    followed(evening, lambda now: tape(50.0, 100.0), 1.0)
    assert evening.place == pytest.approx(1.0)
    other = Evening(with_line(follows="Tape"))
    other.do(Verb.START)
    other.state = timelines.led(other.show, other.state, {"Else": tape(5, 0)}, 100.5)
    assert other.place == pytest.approx(0.0)


def test_in_a_cue_it_goes_on_from_one_to_the_next():
    """In both cues it is one thing that goes on; as it would by itself."""
    show = low_tide()
    waves = Ref("timeline", "waves")
    cues_on = [
        Cue(id=str(n), number=float(n), plays=(Part(waves), *more))
        for n, more in ((1, ()), (2, (Part(Ref("scene", "dots"), 0.0),)))
    ]
    stack = Stack(id="s", name="S", cues=tuple(cues_on), fade_in=0.0, fade_out=0.0)
    show = edits.put(show, "playables", stack)
    compiled = compile_show(show)
    state = actions.perform(show, play.blank(), Do(stack.ref, Verb.START), 50.0)
    alone = actions.perform(show, play.blank(), Do(waves, Verb.START), 50.0)
    state = actions.perform(show, state, Do(stack.ref, Verb.GO), 55.0)
    packed = msgspec.msgpack.encode(state)
    assert msgspec.msgpack.decode(packed, type=PlayState) == state
    for now in (55.5, 60.0, 63.0):
        assert np.array_equal(
            render(compiled, state, now), render(compiled, alone, now)
        )


def test_who_asks_why_while_it_plays_is_told():
    show = low_tide()
    compiled = compile_show(show)
    do = Do(Ref("timeline", "waves"), Verb.STEP, 3.0)
    state = actions.perform(show, play.blank(), do, 50.0)
    par = show.fixtures["par-1"]
    slots = range(par.address, par.address + 8)
    whys = [explain(compiled, state, 50.0, par.universe, slot) for slot in slots]
    assert any("Waves" in str(why) for why in whys)


# what comes by a line goes with it


SWELL = Ref("scene", "swell")
THUNDER = Ref("timeline", "thunder-near")


def with_thunder(**fields) -> Evening:
    """A line that starts thunder, and a scene, after a second."""
    return Evening(
        with_line(
            event(1.0, THUNDER, Verb.START),
            event(1.0, SWELL, Verb.START),
            length=60.0,
            **fields,
        )
    )


def player_of(evening: Evening, ref: Ref):
    found = [p for p in evening.state.players if p.ref == ref and not p.releasing]
    return found[0] if found else None


def test_what_a_line_started_stands_and_goes_on_with_it():
    evening = with_thunder()
    evening.do(Verb.START)
    evening.to(101.3)
    assert player_of(evening, THUNDER)
    assert not player_of(evening, THUNDER).paused
    evening.do(Verb.PAUSE)
    evening.to(101.4)
    thunder = player_of(evening, THUNDER)
    assert thunder.paused
    stood = timelines.cursor_of(thunder).time(evening.now, 0.0).seconds
    evening.to(108.0)
    thunder = player_of(evening, THUNDER)
    assert timelines.cursor_of(thunder).time(evening.now, 0.0).seconds == stood
    evening.do(Verb.GO)
    evening.to(108.3)
    assert not player_of(evening, THUNDER).paused


@pytest.mark.parametrize("ends", [Verb.RELEASE, Verb.STEP])
def test_what_a_line_started_is_let_go_with_it_and_by_a_jump(ends):
    evening = with_thunder()
    evening.do(Verb.START)
    evening.to(101.3)
    assert player_of(evening, SWELL)
    evening.do(ends, 30.0)
    evening.to(101.5)
    assert player_of(evening, SWELL) is None
    assert player_of(evening, THUNDER) is None
    # and a hand that starts it then has it for itself
    evening.do(Verb.START, 1.0, SWELL)
    evening.to(102.0)
    if ends == Verb.STEP:
        evening.do(Verb.RELEASE)
        evening.to(103.0)
    assert player_of(evening, SWELL)


def test_what_was_on_before_is_left_alone():
    evening = with_thunder()
    evening.do(Verb.START, 1.0, SWELL)
    evening.do(Verb.START)
    evening.to(101.3)
    evening.do(Verb.PAUSE)
    evening.to(101.5)
    assert not player_of(evening, SWELL).paused
    evening.do(Verb.GO)
    evening.do(Verb.RELEASE)
    evening.to(102.0)
    assert player_of(evening, SWELL) is not None


def test_a_round_of_a_loop_is_no_jump():
    evening = with_thunder(end=LineEnd.LOOP, region=(0.0, 2.0))
    evening.do(Verb.START)
    evening.to(102.5)
    assert player_of(evening, SWELL)
    evening.to(111.0)
    assert player_of(evening, SWELL)
    assert len(timelines.cursor_of(evening.player).began) <= 3


# the tempo of the music


def with_music(**fields) -> Evening:
    """A line of music whose beats were found: 90 a minute, then 100, in threes."""
    beats = [0.4 + n * 60 / 90 for n in range(30)]
    beats += [beats[-1] + (n + 1) * 0.6 for n in range(60)]
    tempo = TempoMap(bpm=95.0, beats=tuple(beats), bar=3, first=1)
    return Evening(with_line(length=60.0, tempo=tempo, **fields))


def led(evening: Evening, until: float) -> list[float]:
    """The beats of the heading, frame by frame."""
    found = []
    while evening.now < until:
        evening.to(min(until, evening.now + 0.0227))
        evening.state = timelines.beaten(evening.show, evening.state, evening.now)
        found.append(evening.state.clock.beat_at(evening.now))
    return found


def test_the_heading_takes_the_tempo_beat_and_bar_of_music_that_plays():
    evening = with_music()
    evening.state = play.blank()
    evening.do(Verb.START)
    line = evening.show.playables["line"]
    beats = Beats(line.tempo)
    seen = led(evening, 112.0)
    assert all(b >= a for a, b in itertools.pairwise(seen))  # never back
    clock = evening.state.clock
    assert clock.bpm == pytest.approx(90.0, rel=0.01)
    assert clock.bar == 3
    here = beats.at(evening.place)
    assert abs((clock.beat_at(evening.now) - here + 0.5) % 1.0 - 0.5) < 0.06
    in_bar, _ = clock.in_bar(evening.now + 1e-6)
    assert in_bar == (int(here + 0.06) - 1) % 3 or in_bar == (int(here) - 1) % 3

    led(evening, 130.0)
    assert evening.state.clock.bpm == pytest.approx(100.0, rel=0.01)
    evening.do(Verb.PAUSE)
    before = evening.state.clock
    led(evening, 133.0)
    assert evening.state.clock is before  # while it stands the tempo goes on


def test_a_line_without_music_leaves_the_tempo_alone():
    evening = Evening(with_line(length=30.0, tempo=TempoMap(bpm=60.0)))
    evening.do(Verb.START)
    before = evening.state.clock
    led(evening, 103.0)
    assert evening.state.clock is before


# what happens within timelines that lie on another


def nested(clip: Clip, inner: Timeline, **fields) -> Evening:
    show = edits.put(low_tide(), "playables", inner)
    outer = Timeline(
        id="line", name="Line", tracks=(Track(id="l", clips=(clip,)),), **fields
    )
    return Evening(edits.put(show, "playables", outer))


def inner_of(*events: Event, **fields) -> Timeline:
    fields.setdefault("length", 4.0)
    tracks = (Track(id="e", events=events),)
    return Timeline(id="inner", name="Inner", tracks=tracks, **fields)


def test_events_of_a_timeline_that_lies_on_another_happen_at_its_times(done):
    inner = inner_of(
        event(1.0, GRAND, Verb.LEVEL, 0.25), event(3.0, GRAND, Verb.LEVEL, 0.75)
    )
    clip = Clip(id="c", plays=inner.ref, start=10.0, length=30.0, entry=0.5)
    evening = nested(clip, inner, length=60.0)
    evening.do(Verb.START)
    evening.to(130.0)
    assert [(n, round(at - 100.0, 3)) for n, at in done] == [
        (f"{GRAND} 0.25", 10.5),
        (f"{GRAND} 0.75", 12.5),
    ]


def test_those_of_one_that_loops_there_happen_each_round_and_at_another_rate_not(done):
    inner = inner_of(
        event(1.0, GRAND, Verb.LEVEL, 0.5),
        end=LineEnd.LOOP,
        region=(0.0, 2.0),
    )
    clip = Clip(id="c", plays=inner.ref, start=0.0, length=7.5)
    evening = nested(clip, inner, length=20.0)
    evening.do(Verb.START)
    evening.to(118.0)
    assert [round(at - 100.0, 3) for _, at in done] == [1.0, 3.0, 5.0, 7.0]
    done.clear()
    faster = nested(edits.replace(clip, rate=2.0), inner, length=20.0)
    faster.do(Verb.START)
    faster.to(118.0)
    assert done == []


def test_one_within_itself_and_a_thousand_rounds_are_bounded():
    inner = inner_of(
        event(0.01, GRAND, Verb.LEVEL, 0.5), end=LineEnd.LOOP, region=(0.0, 0.06)
    )
    clip = Clip(id="c", plays=inner.ref, start=0.0, length=80_000.0)
    evening = nested(clip, inner)
    flat = with_inner_events(evening.show, evening.show.playables["line"])
    assert len(flat.tracks[-1].events) <= 4096
    itself = Timeline(
        id="line",
        name="Line",
        tracks=(
            Track(
                id="l",
                clips=(Clip(id="c", plays=LINE, start=0.0, length=9.0),),
                events=(event(1.0, BLACKOUT),),
            ),
        ),
    )
    show = edits.put(low_tide(), "playables", itself)
    assert len(with_inner_events(show, itself).tracks) <= 2
