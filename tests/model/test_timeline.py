"""Time along a timeline: places, rounds, passes, beats; each against a count by hand."""

from __future__ import annotations

import itertools
import math
import random

import pytest

from choreon.demo.low_tide import low_tide
from choreon.model import checks, edits
from choreon.model.playables import Timeline
from choreon.model.playables.stack import CueAct
from choreon.model.playables.timeline import (
    Clip,
    Event,
    LineEnd,
    Track,
    fade_at,
    loop_of,
    over_at,
    passes,
    place_at,
)
from choreon.model.refs import BLACKOUT, Ref
from choreon.model.tempo_map import Beats, TempoMap, bar_at, tapped_along

SCENE = Ref("scene", "x")


def line(*clips: Clip, events: tuple[Event, ...] = (), **fields) -> Timeline:
    tracks = (Track(id="a", clips=clips, events=events),)
    return Timeline(id="t", name="Storm", tracks=tracks, **fields)


def clip(start: float, length: float, **fields) -> Clip:
    return Clip(id=f"{start:g}", plays=SCENE, start=start, length=length, **fields)


def event(at: float) -> Event:
    return Event(id=f"{at:g}", at=at, act=CueAct(BLACKOUT))


def test_it_is_over_where_the_last_of_it_is():
    assert over_at(line()) == 0.0
    assert over_at(line(clip(2, 5), clip(1, 3))) == 7.0
    assert over_at(line(clip(2, 5), events=(event(9.0),))) == 9.0
    assert over_at(line(clip(2, 5), length=4.0)) == 4.0
    assert over_at(line(clip(0, -3))) == 0.0
    assert over_at(line(clip(0, 1e9))) == 86_400.0


def test_without_a_loop_it_stands_at_its_end():
    made = line(clip(0, 4))
    assert [place_at(made, own) for own in (-1, 0, 3.5, 4, 99)] == [0, 0, 3.5, 4, 4]


@pytest.mark.parametrize("bars", [1, 2, 7])
@pytest.mark.parametrize("bpm", [97.3, 128.0, 61.0])
def test_a_loop_of_bars_closes_to_the_sample_over_a_thousand_rounds(bars, bpm):
    span = bars * 4 * 60.0 / bpm
    made = line(clip(0, 99), end=LineEnd.LOOP, region=(1.25, 1.25 + span))
    dice = random.Random(1)
    for n in range(1000):
        within = dice.uniform(0.0, span)
        there = place_at(made, 1.25 + n * span + within)
        off = abs(there - (1.25 + within))
        assert min(off, span - off) < 1 / 48_000


def test_what_cannot_be_played_again_does_not_loop():
    for region in ((2.0, 2.0), (5.0, 1.0), (0.0, 0.01)):
        made = line(clip(0, 4), end=LineEnd.LOOP, region=region)
        assert loop_of(made) is None
        assert place_at(made, 9.0) == 4.0
    assert loop_of(line(clip(0, 4), region=(1.0, 2.0))) is None
    assert loop_of(line(clip(0, 4), end=LineEnd.LOOP)) == (0.0, 4.0)
    assert loop_of(line(end=LineEnd.LOOP)) is None  # an empty one


@pytest.mark.parametrize("seed", range(40))
def test_passes_are_as_they_are_counted(seed):
    """Every pass of a place in order, against a walk through the rounds."""
    dice = random.Random(seed)
    begin = dice.choice([0.0, dice.uniform(0.0, 3.0)])
    span = dice.uniform(0.1, 4.0)
    made = line(clip(0, 99), end=LineEnd.LOOP, region=(begin, begin + span))
    at = dice.choice([begin, 0.0, dice.uniform(0.0, begin + span + 1.0), begin + span])

    counted = [at] if at < begin + span else []
    if begin <= at < begin + span:
        counted += [at + n * span for n in range(1, 60)]
    found, since = [], 0.0
    for _ in range(50):
        there = passes(made, at, since)
        if math.isinf(there):
            break
        found.append(there)
        since = there + 1e-6
    assert found == pytest.approx(counted[:50])


def test_without_a_loop_a_place_is_passed_once():
    made = line(clip(0, 4))
    assert passes(made, 3.0, 0.0) == 3.0
    assert passes(made, 3.0, 3.0 + 1e-6) == math.inf
    assert passes(made, 4.0, 1.0) == 4.0  # at its very end
    assert passes(made, 4.5, 1.0) == math.inf
    assert passes(made, -1.0, 0.0) == math.inf


def test_fades_at_both_ends():
    made = clip(0, 10, fade_in=2.0, fade_out=4.0)
    assert [fade_at(made, t) for t in (0, 1, 2, 5, 6, 8, 10)] == [
        0.0,
        0.5,
        1.0,
        1.0,
        1.0,
        0.5,
        0.0,
    ]


# beats


def test_a_steady_tempo():
    beats = Beats(TempoMap(bpm=120.0, start=0.25, bar=3, first=1))
    assert beats.at(0.25) == 0.0
    assert beats.at(1.25) == pytest.approx(2.0)
    assert beats.time_of(-1.0) == pytest.approx(-0.25)
    assert [n for n in range(8) if beats.bar_line(n)] == [1, 4, 7]
    assert beats.bpm_at(5.0) == pytest.approx(120.0)


@pytest.mark.parametrize("seed", range(20))
def test_found_beats_there_and_back(seed):
    dice = random.Random(seed)
    at, found = dice.uniform(0, 2), []
    for _ in range(dice.randrange(2, 60)):
        found.append(at)
        at += dice.uniform(0.2, 1.1)
    shuffled = dice.sample(found, len(found))
    beats = Beats(TempoMap(beats=tuple(shuffled)))
    for n, when in enumerate(found):
        assert beats.at(when) == pytest.approx(n)
        assert beats.time_of(n) == pytest.approx(when)
    for _ in range(200):
        when = dice.uniform(-5.0, at + 5.0)
        assert beats.time_of(beats.at(when)) == pytest.approx(when)
    grid = [beats.at(-3.0 + 0.01 * n) for n in range(2000)]
    assert all(a < b for a, b in itertools.pairwise(grid))


def test_beats_that_cannot_be_are_passed_over():
    assert TempoMap(beats=(1.0,)).known == ()
    assert TempoMap(beats=(1.0, 1.0, 1.01)).known == ()
    assert TempoMap(beats=(2.0, 1.0, 1.0)).known == (1.0, 2.0)
    assert Beats(TempoMap(bpm=0.0)).at(6.0) == pytest.approx(1.0)  # the slowest


# the check of a show


def test_the_check_tells_of_what_is_gone_and_of_rings():
    show = low_tide()
    ring = Timeline(
        id="ring",
        name="Ring",
        tracks=(
            Track(
                id="a",
                clips=(Clip(id="1", plays=Ref("timeline", "ring"), start=0, length=1),),
            ),
        ),
    )
    gone = edits.replace(line(clip(0, 1)), id="gone", name="Gone")
    found = [p.text for p in checks.check(edits.put(show, "playables", ring, gone))]
    assert any("Ring contains itself" in text for text in found)
    assert any("Gone plays what is gone (scene:x)" in text for text in found)


def test_beats_that_are_tapped_along_take_the_place_of_those_there():
    found = TempoMap(beats=tuple(0.5 * n for n in range(1, 21)), bar=4)
    taps = [4.1, 4.62, 5.13]
    made = tapped_along(found, taps)
    assert made.beats == (
        *(0.5 * n for n in range(1, 8)),
        *taps,
        *(5.5, 6.0),
        *(0.5 * n for n in range(13, 21)),
    )
    assert tapped_along(found, [4.0]) == found
    steady = tapped_along(TempoMap(bpm=120.0), [1.0, 1.5, 2.0, 2.5])
    assert steady.beats == ()
    assert steady.bpm == pytest.approx(120.0)
    assert Beats(steady).at(1.5) % 1.0 == pytest.approx(0.0, abs=1e-9)


def test_a_bar_begins_where_it_is_said():
    tempo = TempoMap(bpm=60.0, bar=3)
    for at in (4.0, 5.2, 6.9):
        beats = Beats(bar_at(tempo, at))
        assert beats.bar_line(round(at))
