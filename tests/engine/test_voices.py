"""What is heard along timelines within timelines, against walking through them."""

from __future__ import annotations

import itertools
import math
import random

import pytest

from choreon.engine.voices import voices_of
from choreon.model import edits
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import (
    Clip,
    LineEnd,
    LinePoint,
    Track,
    TrackSort,
    fade_at,
    place_at,
)
from choreon.model.refs import Ref
from choreon.model.show import Show, Sound

SONG = Ref("sound", "song")


def heard_at(show: Show, line: Timeline, own: float, depth: int = 0):
    """What is heard at a moment: {(file, its own time): level}, gone through by hand."""
    found: dict[tuple[str, float], float] = {}
    place = place_at(line, own)
    for track in line.tracks:
        if not track.on:
            continue
        for clip in track.clips:
            after = place - clip.start
            if not 0.0 <= after < clip.length or clip.rate != 1.0:
                continue
            level = clip.level * fade_at(clip, after)
            if clip.line:
                level *= drawn(clip, after)
            inner_own = clip.entry + after
            if clip.repeat > 0.0:
                inner_own = math.fmod(inner_own, clip.repeat)
            inner = show.playables.get(clip.plays.id)
            if clip.plays.kind == "sound" and track.sort == TrackSort.SOUND:
                key = clip.plays.id, round(inner_own, 6)
                found[key] = found.get(key, 0.0) + level
            elif isinstance(inner, Timeline) and track.sort == TrackSort.LIGHT:
                stands = inner.end != LineEnd.LOOP and inner_own >= inner.length
                for key, part in (
                    {} if stands else heard_at(show, inner, inner_own, depth + 1)
                ).items():
                    found[key] = found.get(key, 0.0) + level * part
    return {key: level for key, level in found.items() if level > 1e-9}


def drawn(clip: Clip, after: float) -> float:
    points = sorted((p.at, p.level) for p in clip.line)
    if after <= points[0][0]:
        return points[0][1]
    for (a, low), (b, high) in itertools.pairwise(points):
        if a <= after < b:
            return low + (high - low) * (after - a) / (b - a)
    return points[-1][1]


def told_at(show: Show, line: Timeline, own: float):
    """The same, by its voices."""
    found: dict[tuple[str, float], float] = {}
    place = place_at(line, own)
    for voice in voices_of(show, line):
        after = place - voice.start
        if not 0.0 <= after < voice.length:
            continue
        level = voice.level
        if voice.points:
            clip = Clip(
                id="",
                plays=SONG,
                start=0.0,
                length=voice.length,
                line=tuple(LinePoint(*p) for p in voice.points),
            )
            level *= drawn(clip, after)
        if voice.fade_in > 0.0:
            level *= min(1.0, after / voice.fade_in)
        if voice.fade_out > 0.0:
            level *= min(1.0, (voice.length - after) / voice.fade_out)
        at = voice.entry + after
        if voice.repeat > 0.0:
            at = math.fmod(at, voice.repeat)
        key = voice.file, round(at, 6)
        found[key] = found.get(key, 0.0) + level
    return {key: level for key, level in found.items() if level > 1e-9}


def random_show(chance: random.Random, fades: bool) -> Show:
    def clip(n: int, plays: Ref, longest: float) -> Clip:
        length = chance.choice([0.0, 1.0, chance.uniform(0.2, longest)])
        return Clip(
            id=str(n),
            plays=plays,
            start=chance.choice([0.0, chance.uniform(0.0, 8.0)]),
            length=length,
            entry=chance.choice([0.0, chance.uniform(0.0, 3.0)]),
            repeat=chance.choice([0.0, 0.0, chance.uniform(0.3, 4.0)]),
            rate=chance.choice([1.0, 1.0, 1.0, 0.5]),
            level=chance.choice([1.0, 0.5]),
            fade_in=chance.choice([0.0, length / 3]) if fades else 0.0,
            fade_out=chance.choice([0.0, length / 4]) if fades else 0.0,
        )

    def timeline(name: str, inner: list[Ref]) -> Timeline:
        heard = tuple(clip(n, SONG, 6.0) for n in range(chance.randint(0, 3)))
        lies = tuple(clip(10 + n, ref, 9.0) for n, ref in enumerate(inner))
        loops = chance.random() < 0.4
        return Timeline(
            id=name,
            name=name,
            length=chance.uniform(3.0, 9.0),
            end=LineEnd.LOOP if loops else LineEnd.HOLD,
            region=(1.0, chance.uniform(1.5, 3.0)) if loops else None,
            tracks=(
                Track(id="l", clips=lies),
                Track(id="s", sort=TrackSort.SOUND, clips=heard),
                Track(id="e", sort=TrackSort.EVENTS),
            ),
        )

    show = Show(id="s", name="s", sounds={"song": Sound(id="song", name="Song")})
    refs: list[Ref] = []
    for n in range(3):
        inner = [chance.choice(refs) for _ in range(2)] if refs else []
        made = timeline(f"line-{n}", inner)
        show = edits.put(show, "playables", made)
        refs.append(made.ref)
    return show


@pytest.mark.parametrize("seed", range(40))
def test_voices_are_what_is_heard_when_the_line_is_walked_through(seed):
    chance = random.Random(seed)
    show = random_show(chance, fades=False)
    line = show.playables["line-2"]
    for _ in range(60):
        own = chance.uniform(0.0, line.length)
        if any(
            abs(place_at(line, own) - edge) < 1e-3
            for voice in voices_of(show, line)
            for edge in (voice.start, voice.end)
        ):
            continue
        assert told_at(show, line, own) == pytest.approx(heard_at(show, line, own))


@pytest.mark.parametrize("seed", range(10))
def test_fades_of_what_lies_within_are_kept_as_near_as_can_be_heard(seed):
    chance = random.Random(100 + seed)
    show = random_show(chance, fades=True)
    line = show.playables["line-2"]
    for _ in range(60):
        own = chance.uniform(0.0, line.length)
        wanted, told = heard_at(show, line, own), told_at(show, line, own)
        for key in wanted.keys() & told.keys():
            assert told[key] == pytest.approx(wanted[key], abs=0.06)


def test_a_line_that_lies_within_itself_is_silent_there_and_ends():
    own = Clip(id="x", plays=Ref("timeline", "line"), start=0.0, length=5.0)
    song = Clip(id="y", plays=SONG, start=0.0, length=5.0)
    line = Timeline(
        id="line",
        name="Line",
        tracks=(
            Track(id="l", clips=(own,)),
            Track(id="s", sort=TrackSort.SOUND, clips=(song,)),
        ),
    )
    show = Show(id="s", name="s", playables={"line": line})
    assert len(voices_of(show, line)) == 1


def test_however_often_it_goes_round_the_voices_are_bounded():
    song = Clip(id="y", plays=SONG, start=0.0, length=5.0)
    inner = Timeline(
        id="inner",
        name="Inner",
        end=LineEnd.LOOP,
        region=(0.0, 0.06),
        tracks=(Track(id="s", sort=TrackSort.SOUND, clips=(song,)),),
    )
    around = Clip(id="x", plays=inner.ref, start=0.0, length=80_000.0)
    outer = Timeline(id="outer", name="Outer", tracks=(Track(id="l", clips=(around,)),))
    show = Show(id="s", name="s", playables={"inner": inner, "outer": outer})
    assert 1000 < len(voices_of(show, outer)) <= 4096
