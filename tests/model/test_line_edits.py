"""Edits of timelines: moved, trimmed, split, doubled; snapped; what is shown at each
time stays what it was.
"""

from __future__ import annotations

import random

import pytest

from choreon.demo.low_tide import low_tide
from choreon.model import edits, timelines
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import (
    Clip,
    LineEnd,
    LinePoint,
    Mark,
    Track,
    TrackSort,
    loop_of,
)
from choreon.model.refs import Ref
from choreon.model.tempo_map import Beats, TempoMap

SCENE = Ref("scene", "x")


def line(*lanes: tuple[Clip, ...], **fields) -> Timeline:
    tracks = [Track(id=str(n), clips=clips) for n, clips in enumerate(lanes)]
    tracks.append(Track(id="events", sort=TrackSort.EVENTS))
    fields.setdefault("tempo", TempoMap(bpm=120.0))
    return Timeline(id="t", name="T", tracks=tuple(tracks), **fields)


def clip(name: str, start: float, length: float, **fields) -> Clip:
    return Clip(id=name, plays=SCENE, start=start, length=length, **fields)


def starts(made: Timeline) -> dict[str, tuple[str, float, float]]:
    return {
        one.id: (track.id, one.start, one.length)
        for track, one in timelines.clips_of(made)
    }


def test_a_fresh_one_has_a_track_for_light_and_one_for_events():
    show, ref = timelines.add(low_tide(), "Waves and wind")
    made = show.playables[ref.id]
    assert made.name != "Waves and wind"  # there is one already
    assert [track.sort for track in made.tracks] == ["light", "events"]


def test_things_come_one_behind_the_other():
    made, ids = timelines.put_clips(line(()), "0", 2.0, [(SCENE, 3.0), (SCENE, 1.0)])
    assert len(set(ids)) == 2
    assert sorted(starts(made).values()) == [("0", 2.0, 3.0), ("0", 5.0, 1.0)]
    assert timelines.put_clips(made, "gone", 0.0, [(SCENE, 1.0)]) == (made, [])


def test_moving_keeps_what_lies_between_and_never_leaves_the_line():
    made = line((clip("a", 1.0, 2.0), clip("b", 4.0, 1.0)), (clip("c", 0.5, 1.0),))
    moved = timelines.move(made, {"a", "b"}, 2.0, 1)
    assert starts(moved) == {
        "a": ("1", 3.0, 2.0),
        "b": ("1", 6.0, 1.0),
        "c": ("1", 0.5, 1.0),
    }
    back = timelines.move(made, {"a", "b"}, -9.0)
    assert (starts(back)["a"][1], starts(back)["b"][1]) == (0.0, 3.0)
    # there is no such track for one of them: none goes there
    assert timelines.move(made, {"a", "c"}, 0.0, 1) == made


@pytest.mark.parametrize("seed", range(30))
def test_trimmed_at_its_begin_it_shows_the_same_at_each_time(seed):
    dice = random.Random(seed)
    one = clip(
        "a",
        dice.uniform(1, 5),
        dice.uniform(2, 6),
        entry=dice.uniform(3, 20),
        rate=dice.choice([1.0, 0.5, 2.0]),
        line=(LinePoint(0.5, 0.2), LinePoint(1.5, 0.9)),
    )
    to = one.start + dice.uniform(-1.0, 1.5)
    made = timelines.trim_start(one, to)
    assert made.end == pytest.approx(one.end)
    for at in (to + 0.1, to + 1.0):
        own = [c.entry + c.rate * (at - c.start) for c in (one, made)]
        assert own[0] == pytest.approx(own[1])
    places = [one.start + p.at for p in one.line]
    assert [made.start + p.at for p in made.line] == pytest.approx(places)


def test_trimming_stops_where_nothing_would_be_left():
    one = clip("a", 1.0, 2.0)
    assert timelines.trim_start(one, 99.0).length == pytest.approx(timelines.SHORTEST)
    assert timelines.trim_end(one, -5.0).length == timelines.SHORTEST
    assert timelines.trim_start(one, -5.0).start == 0.0
    assert timelines.trim_start(one, -5.0).entry == 0.0


def test_stretched_all_of_it_is_shown_in_another_time():
    one = clip("a", 1.0, 4.0, fade_in=1.0, line=(LinePoint(2.0, 0.5),))
    made = timelines.stretch(one, 9.0)
    assert (made.length, made.rate, made.fade_in) == (8.0, 0.5, 2.0)
    assert made.line == (LinePoint(4.0, 0.5),)
    assert made.rate * made.length == one.rate * one.length


def test_split_both_parts_show_what_the_whole_did():
    one = clip("a", 1.0, 4.0, fade_in=1.0, fade_out=1.0, entry=2.0)
    made = timelines.split(line((one,)), {"a"}, 3.0)
    first, second = (c for _, c in timelines.clips_of(made))
    assert (first.start, first.length, first.fade_out) == (1.0, 2.0, 0.0)
    assert (second.start, second.length, second.entry) == (3.0, 2.0, 4.0)
    assert (second.fade_in, second.fade_out) == (0.0, 1.0)
    assert timelines.split(line((one,)), {"a"}, 0.5) == line((one,))


def test_doubled_it_follows_right_behind():
    made = line((clip("a", 1.0, 2.0),), (clip("b", 2.0, 3.0),))
    twice, ids = timelines.double(made, {"a", "b"})
    assert {starts(twice)[i] for i in ids} == {("0", 5.0, 2.0), ("1", 6.0, 3.0)}
    assert timelines.double(made, ()) == (made, [])


def test_ids_are_of_one_thing_alone():
    made, ids = timelines.put_clips(line(()), "0", 0.0, [(SCENE, 1.0)])
    made, event = timelines.put_event(made, "events", 1.0, timelines.start_of(SCENE))
    assert event not in ids
    made, more = timelines.double(made, {*ids, event})
    assert len(timelines.ids_of(made)) == 4
    assert not timelines.ids_of(timelines.remove(made, timelines.ids_of(made)))
    assert len(more) == 2


@pytest.mark.parametrize("seed", range(30))
def test_a_loop_is_fitted_to_whole_bars(seed):
    dice = random.Random(seed)
    tempo = TempoMap(
        bpm=dice.uniform(40, 200),
        start=dice.uniform(0, 3),
        bar=dice.randrange(1, 8),
        first=dice.randrange(0, 4),
    )
    begin = dice.uniform(0, 10)
    made = timelines.loop_bars(
        line((clip("a", 0, 60),), tempo=tempo), begin, begin + dice.uniform(0, 9)
    )
    assert made.end == LineEnd.LOOP
    first, last = loop_of(made)
    beats = Beats(tempo)
    for at in (first, last):
        assert beats.bar_line(round(beats.at(at)))
        assert beats.at(at) == pytest.approx(round(beats.at(at)), abs=1e-6)
    assert first >= 0.0
    bars = (beats.at(last) - beats.at(first)) / tempo.bar
    assert bars == pytest.approx(max(1, round(bars)))


def test_it_snaps_to_what_lies_nearest_then_to_a_beat():
    made = line((clip("a", 1.13, 2.0),), marks=(Mark(id="m", at=7.77),))
    points = timelines.snap_points(made)
    assert points == [0.0, 1.13, 3.13, 7.77]
    assert timelines.snap_points(made, {"a"}) == [0.0, 7.77]
    assert timelines.snapped(made, 7.8, 0.1, points) == 7.77
    assert timelines.snapped(made, 5.04, 0.1, points) == 5.0  # 120 bpm
    assert timelines.snapped(made, 5.2, 0.1, points) is None


def test_a_clip_of_a_line_is_as_long_as_that():
    show = low_tide()
    assert timelines.length_for(show, Ref("timeline", "waves")) == pytest.approx(
        8 * 4 * 60 / 72
    )
    assert timelines.length_for(show, Ref("scene", "swell")) == timelines.USUAL


def test_tracks_are_added_changed_and_dropped():
    made = timelines.add_track(line(()), "More", TrackSort.LIGHT)
    own = made.tracks[-1].id
    made = timelines.change_track(made, own, name="Wind", on=False)
    assert (made.track(own).name, made.track(own).on) == ("Wind", False)
    assert timelines.drop_track(made, own) == line(())
    marked = timelines.add_mark(timelines.add_mark(line(()), 5.0, "b"), 2.0, "a")
    assert [mark.name for mark in marked.marks] == ["a", "b"]
    show = edits.put(low_tide(), "playables", made)
    assert [one.id for one in timelines.timelines_of(show)][-1] == "t"
