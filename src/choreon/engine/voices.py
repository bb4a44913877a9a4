"""What is heard, and what happens, along a timeline: of its own, and of timelines that
lie on it, as if it were all its own.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from typing import cast

import msgspec
import numpy as np

from choreon.model.playables import Timeline
from choreon.model.playables.nesting import DEEPEST
from choreon.model.playables.timeline import (
    Clip,
    Event,
    Track,
    TrackSort,
    loop_of,
    over_at,
)
from choreon.model.refs import SOUND
from choreon.model.show import Show
from choreon.sound.asked import Voice

MOST = 4096  # voices of a timeline, and what happens within those that lie on it
SHORTEST = 1e-4  # seconds
INNER = "inner"  # the track of what happens within timelines that lie on one


def voices_of(show: Show, timeline: Timeline) -> tuple[Voice, ...]:
    """Returns what is heard along a timeline. `file` is the id of a sound. What lies
    on it at another rate than its own is silent, as are sounds in stacks and chases.
    """
    found: list[Voice] = []
    for voice in _voices(show, timeline, ()):
        found.append(voice)
        if len(found) == MOST:
            break
    return tuple(found)


def _voices(show: Show, timeline: Timeline, within: tuple[str, ...]) -> Iterator[Voice]:
    if timeline.id in within or len(within) >= DEEPEST:
        return
    for track in timeline.tracks:
        if not track.on or track.sort != TrackSort.SOUND:
            continue
        for clip in track.clips:
            if clip.plays.kind == SOUND and clip.rate == 1.0 and clip.length > 0.0:
                yield _voice(clip)

    for clip, inner in _timelines_on(show, timeline):
        own = list(_voices(show, inner, (*within, timeline.id)))
        yield from _within(clip, inner, own)


def _voice(clip: Clip) -> Voice:
    return Voice(
        clip.plays.id,
        clip.start,
        clip.length,
        clip.entry,
        clip.repeat,
        clip.fade_in,
        clip.fade_out,
        clip.level,
        _line_of(clip),
    )


def _line_of(clip: Clip) -> tuple[tuple[float, float], ...]:
    return tuple(sorted((point.at, point.level) for point in clip.line))


def _within(clip: Clip, inner: Timeline, own: list[Voice]) -> Iterator[Voice]:
    """What is heard of a timeline that lies on another: each of its rounds."""
    for begin, entry, length in rounds(clip, inner):
        for voice in own:
            start = max(voice.start, entry)
            end = min(voice.end, entry + length)
            if end - start > SHORTEST:
                yield _cut(voice, start, end, begin - entry, clip)


def rounds(clip: Clip, inner: Timeline) -> Iterator[tuple[float, float, float]]:
    """Yields the stretches of a timeline that are gone through while it lies on
    another: from when on there, from where on its own line, for how long.
    """
    repeat = clip.repeat if clip.repeat > 0.0 else math.inf
    at, own = clip.start, clip.entry

    for _ in range(MOST):
        left = clip.end - at
        if left <= SHORTEST:
            return
        own = _begun_anew(own, repeat)
        place, until = _on_its_line(inner, own, repeat)

        room = min(until - place, repeat - own)
        if room <= SHORTEST:
            if math.isinf(repeat):
                return  # it stands at its end, where nothing more happens
            room = repeat - own
        length = min(left, room)
        yield at, place, length
        at, own = at + length, own + length


def _begun_anew(own: float, repeat: float) -> float:
    """Its own time, where it begins anew after a while."""
    if own < repeat - SHORTEST:
        return own
    own = math.fmod(own, repeat)
    return 0.0 if repeat - own <= SHORTEST else own


def _on_its_line(inner: Timeline, own: float, repeat: float) -> tuple[float, float]:
    """Where a timeline is by its own time, and where what it goes through ends."""
    loop = loop_of(inner)
    if loop is None:
        return own, min(over_at(inner), repeat)

    begin, close = loop
    if own < close - SHORTEST:
        return own, close
    place = begin + math.fmod(own - begin, close - begin)
    return (begin if close - place <= SHORTEST else place), close


def _cut(voice: Voice, start: float, end: float, by: float, clip: Clip) -> Voice:
    """A part of a voice, that many seconds later: as loud as before, times how loud
    the clip is that it lies in.
    """
    cut = start - voice.start
    points = _points(voice, clip, by)
    entry = voice.entry + cut
    if voice.repeat > 0.0:
        entry = math.fmod(entry, voice.repeat)
    moved = tuple((at - cut, level) for at, level in points)
    return Voice(
        *(voice.file, start + by, end - start, entry, voice.repeat),
        *(0.0, 0.0, min(1.0, max(0.0, voice.level)), moved),
    )


def _points(voice: Voice, clip: Clip, by: float) -> tuple[tuple[float, float], ...]:
    """How loud a voice is, by seconds after its begin: its own level line and fades,
    times those of the clip, point by point. None where it is full throughout.
    """
    plain = not voice.points and voice.fade_in <= 0.0 and voice.fade_out <= 0.0
    if plain and not clip.line and clip.fade_in <= 0.0 and clip.fade_out <= 0.0:
        return ((0.0, clip.level),) if clip.level != 1.0 else ()

    own = LevelLine(voice.length, voice.fade_in, voice.fade_out, voice.points)
    line = _line_of(clip)
    others = LevelLine(clip.length, clip.fade_in, clip.fade_out, line)
    ahead = voice.start + by - clip.start
    times = set(own.times) | {at - ahead for at in others.times}
    times = {at for at in times if -SHORTEST <= at <= voice.length + SHORTEST}
    fine = _finer(sorted(times))
    return tuple((at, clip.level * own.at(at) * others.at(at + ahead)) for at in fine)


def _finer(times: list[float]) -> list[float]:
    """Two falls that meet are no straight line: points between them as well."""
    found: list[float] = []
    for at, to in itertools.pairwise(times):
        found += [at + (to - at) * n / 4 for n in range(4)]
    return [*found, *times[-1:]]


class LevelLine:
    """A level line with fades at its ends."""

    def __init__(
        self,
        length: float,
        fade_in: float,
        fade_out: float,
        points: tuple[tuple[float, float], ...],
    ) -> None:
        self.length, self.fade_in, self.fade_out = length, fade_in, fade_out
        self.points = points
        ends = (0.0, min(length, fade_in), max(0.0, length - fade_out), length)
        self.times = {*ends, *(at for at, _ in points)}

    def at(self, after: float) -> float:
        """Returns the level some seconds after its begin."""
        level = 1.0
        if self.points:
            xs, ys = zip(*self.points, strict=True)
            level = min(1.0, max(0.0, float(np.interp(after, xs, ys))))
        if self.fade_in > 0.0:
            level *= min(1.0, max(0.0, after / self.fade_in))
        if self.fade_out > 0.0:
            level *= min(1.0, max(0.0, (self.length - after) / self.fade_out))
        return level


# what happens


_KNOWN: dict[int, tuple[Timeline, object, Timeline]] = {}
"""Timelines with what happens within those that lie on them, by which they were."""
MOST_KNOWN = 32


def with_inner_events(show: Show, timeline: Timeline) -> Timeline:
    """Returns a timeline with what happens along those that lie on it, at their own
    rate, as its own; the same where none does.
    """
    known = _KNOWN.get(id(timeline))
    if known is not None and known[0] is timeline and known[1] is show.playables:
        return known[2]

    inner = tuple(itertools.islice(_inner_events(show, timeline, ()), MOST))
    made = timeline
    if inner:
        own = Track(id=INNER, sort=TrackSort.EVENTS, events=inner)
        made = msgspec.structs.replace(timeline, tracks=(*timeline.tracks, own))
    for old in list(_KNOWN)[: len(_KNOWN) - MOST_KNOWN + 1]:
        _KNOWN.pop(old, None)
    _KNOWN[id(timeline)] = timeline, show.playables, made
    return made


def _inner_events(
    show: Show, timeline: Timeline, within: tuple[str, ...]
) -> Iterator[Event]:
    """What happens along timelines that lie on one, at the times of that."""
    if timeline.id in within or len(within) >= DEEPEST:
        return
    for clip, inner in _timelines_on(show, timeline):
        events = [e for t in inner.tracks if t.on for e in t.events]
        events += _inner_events(show, inner, (*within, timeline.id))
        if events:
            yield from _as_they_pass(clip, inner, events)


def _timelines_on(show: Show, timeline: Timeline) -> Iterator[tuple[Clip, Timeline]]:
    """The timelines that lie on one and go at their own rate."""
    for track in timeline.tracks:
        if not track.on or track.sort != TrackSort.LIGHT:
            continue
        for clip in track.clips:
            inner = show.playables.get(clip.plays.id)
            plays = isinstance(inner, Timeline) and clip.plays == inner.ref
            if plays and clip.rate == 1.0 and clip.length > 0.0:
                yield clip, cast("Timeline", inner)


def _as_they_pass(
    clip: Clip, inner: Timeline, events: Sequence[Event]
) -> Iterator[Event]:
    """Events of a timeline at the times at which it comes to them."""
    for at, place, length in rounds(clip, inner):
        for event in events:
            if place <= event.at < place + length - SHORTEST:
                yield msgspec.structs.replace(event, at=at + event.at - place)
