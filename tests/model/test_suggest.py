"""Looks suggested along sections: lively ones where it is lively, the same again."""

from __future__ import annotations

import itertools
import random

import pytest

from choreon.demo.low_tide import low_tide
from choreon.model import edits, suggest, timelines
from choreon.model.playables import Scene, Timeline
from choreon.model.playables.timeline import Mark
from choreon.model.show import Show
from choreon.model.suggest import Part
from choreon.model.tempo_map import TempoMap


def line_of(*marks: tuple[float, str], length: float = 80.0) -> Timeline:
    made = tuple(
        Mark(id=str(n), at=at, name=name) for n, (at, name) in enumerate(marks)
    )
    return Timeline(
        id="line", name="Line", length=length, marks=made, tempo=TempoMap(bpm=120.0)
    )


def test_quiet_sections_get_quiet_looks_and_lively_ones_lively_ones():
    show = low_tide()
    line = line_of((0.0, "A"), (20.0, "B"), (40.0, "C"), (60.0, "B"))
    made, choices = suggest.suggest(show, line, [0.0, 1.0, 0.5, 1.0])
    lively = [suggest.liveliness(show, show.playables[one.ref.id]) for one in choices]
    assert lively[0] < lively[2] < lively[1] == lively[3]
    assert choices[1].ref == choices[3].ref
    (track,) = [t for t in made.tracks if t.clips]
    assert [clip.start for clip in track.clips] == [0.0, 20.0, 40.0, 60.0]
    assert [clip.plays for clip in track.clips] == [one.ref for one in choices]
    # each goes over into the next: at once where much changes
    overlaps = [
        a.end - b.start for a, b in zip(track.clips, track.clips[1:], strict=False)
    ]
    assert overlaps[0] == pytest.approx(suggest.SUDDEN)
    assert all(0.0 < one < 10.0 for one in overlaps)
    assert suggest.in_words(show, choices).count("→") == 3


def test_again_makes_room_for_itself_and_leaves_the_rest_alone():
    show = low_tide()
    line = line_of((0.0, "A"), (40.0, "B"))
    line = timelines.add_track(line, "Mine", timelines.TrackSort.LIGHT)
    once, _ = suggest.suggest(show, line, [0.2, 0.8])
    twice, _ = suggest.suggest(show, once, [0.2, 0.8])
    assert [t.id for t in twice.tracks] == [t.id for t in once.tracks]
    assert twice.tracks[0] == line.tracks[0]


@pytest.mark.parametrize("seed", range(20))
def test_whatever_the_sections_are_clips_fill_them_and_no_look_comes_twice(seed):
    dice = random.Random(seed)
    show = low_tide()
    at = sorted(dice.uniform(0.0, 79.0) for _ in range(dice.randint(1, 9)))
    line = line_of(*((t, dice.choice("ABC")) for t in at))
    parts = suggest.parts_of(line, [dice.random() for _ in range(10)])
    assert parts[0].begin == (0.0 if at[0] > 0.5 else at[0])
    assert parts[-1].end == 80.0
    made, choices = suggest.suggest(show, line, [dice.random() for _ in range(10)])
    (track,) = [t for t in made.tracks if t.clips]
    for a, b in itertools.pairwise(choices):
        assert a.ref != b.ref
    for clip, choice in zip(track.clips, choices, strict=True):
        assert clip.start == choice.part.begin
        assert clip.end >= choice.part.end - 1e-9
        assert clip.length > 0.0
        assert clip.fade_in <= clip.length


def test_a_show_without_looks_or_a_line_without_sections_gets_nothing():
    assert suggest.choose(Show(id="s", name="s"), [Part(0.0, 5.0, 0.5, "A")]) == []
    line = line_of()
    assert suggest.suggest(low_tide(), line, []) == (line, [])


def test_one_look_alone_fills_all():
    show = edits.put(
        Show(id="s", name="s", fixtures=low_tide().fixtures),
        "playables",
        Scene(id="a", name="A", look={"par-1": {"Dimmer": 1.0}}),
    )
    choices = suggest.choose(show, [Part(n, n + 1.0, 0.5, "") for n in range(3)])
    assert len(choices) == 3
