"""Edits of timelines. Pure functions: clips are put, moved, trimmed, split and copied,
and snapped to what lies near.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterable, Iterator
from typing import Any, NamedTuple

from choreon.language import tr
from choreon.model import edits
from choreon.model.playables import Timeline
from choreon.model.playables.stack import CueAct
from choreon.model.playables.timeline import (
    LONGEST,
    Clip,
    Event,
    LineEnd,
    Mark,
    Track,
    TrackSort,
    over_at,
)
from choreon.model.refs import SOUND, Ref
from choreon.model.show import Show
from choreon.model.tempo_map import Beats, TempoMap
from choreon.model.verbs import Verb

replace = edits.replace

SHORTEST = 0.05  # seconds of a clip
USUAL = 8.0  # seconds of a clip of what has no length of its own
BPM = 120.0


def timelines_of(show: Show) -> list[Timeline]:
    """Returns all timelines of a show."""
    return [one for one in show.playables.values() if isinstance(one, Timeline)]


def add(show: Show, name: str = "") -> tuple[Show, Ref]:
    """A timeline with a track for light and one for events."""
    called = edits.fresh_name(
        name.strip() or tr("Timeline"), edits.names_in(show, "playables")
    )
    made = Timeline(
        id=edits.fresh_id(called, show.playables),
        name=called,
        fade_in=0.0,
        fade_out=1.0,
        tracks=(
            Track(id="light", name=tr("Light")),
            Track(id="events", name=tr("Events"), sort=TrackSort.EVENTS),
        ),
        tempo=TempoMap(bpm=BPM),
    )
    return edits.put(show, "playables", made), made.ref


# tracks


def add_track(timeline: Timeline, name: str, sort: TrackSort) -> Timeline:
    """One more track, above the others of light."""
    taken = [track.id for track in timeline.tracks]
    made = Track(id=edits.fresh_id(name, taken), name=name, sort=sort)
    return replace(timeline, tracks=(*timeline.tracks, made))


def drop_track(timeline: Timeline, track_id: str) -> Timeline:
    """Without a track and all that lies on it."""
    kept = tuple(track for track in timeline.tracks if track.id != track_id)
    return replace(timeline, tracks=kept)


def change_track(timeline: Timeline, track_id: str, **fields: Any) -> Timeline:
    """With some fields of a track changed."""
    made = (
        replace(track, **fields) if track.id == track_id else track
        for track in timeline.tracks
    )
    return replace(timeline, tracks=tuple(made))


# clips


def clips_of(timeline: Timeline) -> Iterator[tuple[Track, Clip]]:
    """Yields all clips, with the track that each lies on."""
    for track in timeline.tracks:
        for clip in track.clips:
            yield track, clip


def clip_of(timeline: Timeline, clip_id: str) -> tuple[Track, Clip] | None:
    """Returns a clip, with its track."""
    return next((one for one in clips_of(timeline) if one[1].id == clip_id), None)


def events_of(timeline: Timeline) -> Iterator[tuple[Track, Event]]:
    """Yields all events, with the track that each lies on."""
    for track in timeline.tracks:
        for event in track.events:
            yield track, event


def ids_of(timeline: Timeline) -> set[str]:
    """Returns the ids of all clips and events."""
    clips = {clip.id for _, clip in clips_of(timeline)}
    return clips | {event.id for _, event in events_of(timeline)}


def put_clips(
    timeline: Timeline, track_id: str, at: float, things: Iterable[tuple[Ref, float]]
) -> tuple[Timeline, list[str]]:
    """With clips of things and lengths, one behind the other from a time on; returns
    the ids of the new ones as well.
    """
    track = timeline.track(track_id)
    if track is None:
        return timeline, []
    taken = ids_of(timeline)
    made: list[Clip] = []
    start = max(0.0, at)
    for ref, length in things:
        clip_id = edits.fresh_id(ref.id, taken)
        taken.add(clip_id)
        made.append(Clip(id=clip_id, plays=ref, start=start, length=length))
        start += length
    clips = (*track.clips, *made)
    return change_track(timeline, track_id, clips=clips), [clip.id for clip in made]


def put_event(
    timeline: Timeline, track_id: str, at: float, act: CueAct
) -> tuple[Timeline, str]:
    """With something that is done at a time; returns its id as well."""
    track = timeline.track(track_id)
    if track is None:
        return timeline, ""
    event_id = edits.fresh_id(act.ref.id or "event", ids_of(timeline))
    made = Event(id=event_id, at=max(0.0, at), act=act)
    return change_track(timeline, track_id, events=(*track.events, made)), made.id


def start_of(ref: Ref) -> CueAct:
    """Returns what starts something, as an event."""
    return CueAct(ref, Verb.START)


def length_for(show: Show, ref: Ref) -> float:
    """Returns the length that a clip of something has at first."""
    playable = show.playables.get(ref.id)
    own = over_at(playable) if isinstance(playable, Timeline) else 0.0
    if ref.kind == SOUND and ref.id in show.sounds:
        own = show.sounds[ref.id].seconds
    return own if own >= SHORTEST else USUAL


def change_clips(
    timeline: Timeline, ids: Collection[str], change: Callable[[Clip], Clip]
) -> Timeline:
    """With some clips put through a function."""
    wanted = set(ids)

    def changed(track: Track) -> Track:
        if not any(clip.id in wanted for clip in track.clips):
            return track
        own = (change(clip) if clip.id in wanted else clip for clip in track.clips)
        return replace(track, clips=tuple(own))

    return replace(timeline, tracks=tuple(changed(t) for t in timeline.tracks))


def change_events(
    timeline: Timeline, ids: Collection[str], change: Callable[[Event], Event]
) -> Timeline:
    """With some events put through a function."""
    wanted = set(ids)

    def changed(track: Track) -> Track:
        if not any(event.id in wanted for event in track.events):
            return track
        own = (change(one) if one.id in wanted else one for one in track.events)
        return replace(track, events=tuple(own))

    return replace(timeline, tracks=tuple(changed(t) for t in timeline.tracks))


def move(
    timeline: Timeline, ids: Collection[str], by: float, rows: int = 0
) -> Timeline:
    """With clips and events moved by so many seconds, and tracks, as far as there is
    room for all of them.
    """
    wanted = set(ids)
    starts = [c.start for _, c in clips_of(timeline) if c.id in wanted]
    starts += [e.at for _, e in events_of(timeline) if e.id in wanted]
    if not starts:
        return timeline
    by = max(by, -min(starts))

    moved = change_clips(timeline, wanted, lambda c: replace(c, start=c.start + by))
    moved = change_events(moved, wanted, lambda e: replace(e, at=e.at + by))
    return _to_rows(moved, wanted, rows) if rows else moved


def lanes_of(timeline: Timeline, track: Track) -> list[str]:
    """Returns the tracks that a clip of a track may lie on."""
    return [one.id for one in timeline.tracks if one.sort == track.sort]


def _to_rows(timeline: Timeline, wanted: set[str], rows: int) -> Timeline:
    """With clips on other tracks of their sort; where one has none there, all stay."""
    to: dict[str, list[Clip]] = {track.id: [] for track in timeline.tracks}
    for track, clip in clips_of(timeline):
        if clip.id not in wanted:
            continue
        lanes = lanes_of(timeline, track)
        place = lanes.index(track.id) + rows
        if not 0 <= place < len(lanes):
            return timeline
        to[lanes[place]].append(clip)

    def filled(track: Track) -> Track:
        kept = [clip for clip in track.clips if clip.id not in wanted]
        return replace(track, clips=(*kept, *to[track.id]))

    return replace(timeline, tracks=tuple(filled(t) for t in timeline.tracks))


def trim_start(clip: Clip, to: float) -> Clip:
    """Returns a clip that begins at another time and shows the same at each time."""
    to = min(max(0.0, to), clip.end - SHORTEST)
    by = to - clip.start
    entry = clip.entry + by * max(0.0, clip.rate)
    if entry < 0.0 and clip.repeat <= 0.0:
        entry = 0.0  # what it plays has nothing before its begin
    line = tuple(replace(point, at=point.at - by) for point in clip.line)
    return replace(clip, start=to, length=clip.end - to, entry=entry, line=line)


def trim_end(clip: Clip, to: float) -> Clip:
    """Returns a clip that is over at another time."""
    return replace(clip, length=min(LONGEST, max(SHORTEST, to - clip.start)))


def stretch(clip: Clip, to: float) -> Clip:
    """Returns a clip that is over at another time, by going at another rate; a sound
    is heard at its own.
    """
    made = trim_end(clip, to)
    if clip.plays.kind == SOUND:
        return made
    factor = made.length / clip.length if clip.length > 0.0 else 1.0
    line = tuple(replace(point, at=point.at * factor) for point in clip.line)
    return replace(
        made,
        rate=clip.rate / factor,
        fade_in=clip.fade_in * factor,
        fade_out=clip.fade_out * factor,
        line=line,
    )


def split(timeline: Timeline, ids: Collection[str], at: float) -> Timeline:
    """With clips cut in two at a time, where they are on then."""
    wanted = set(ids)
    taken = ids_of(timeline)

    def parts(clip: Clip) -> Iterator[Clip]:
        inside = clip.start + SHORTEST <= at <= clip.end - SHORTEST
        if clip.id not in wanted or not inside:
            yield clip
            return
        yield replace(trim_end(clip, at), fade_out=0.0)
        rest_id = edits.fresh_id(clip.id, taken)
        taken.add(rest_id)
        yield replace(trim_start(clip, at), id=rest_id, fade_in=0.0)

    def cut(track: Track) -> Track:
        made = tuple(part for clip in track.clips for part in parts(clip))
        return replace(track, clips=made)

    return replace(timeline, tracks=tuple(cut(track) for track in timeline.tracks))


def cleared(
    timeline: Timeline, tracks: Collection[str], begin: float, end: float
) -> Timeline:
    """With nothing in a stretch of some tracks: what reaches into it is cut off."""
    taken = ids_of(timeline)

    def kept(clip: Clip) -> Iterator[Clip]:
        if clip.end <= begin or clip.start >= end:
            yield clip
            return
        if clip.start < begin - SHORTEST:
            yield replace(trim_end(clip, begin), fade_out=0.0)
        if clip.end > end + SHORTEST:
            rest = clip.id
            if clip.start < begin - SHORTEST:
                rest = edits.fresh_id(clip.id, taken)
                taken.add(rest)
            yield replace(trim_start(clip, end), id=rest, fade_in=0.0)

    def cut(track: Track) -> Track:
        if track.id not in tracks:
            return track
        made = tuple(part for clip in track.clips for part in kept(clip))
        return replace(track, clips=made)

    return replace(timeline, tracks=tuple(cut(track) for track in timeline.tracks))


def remove(timeline: Timeline, ids: Collection[str]) -> Timeline:
    """Without some clips and events."""
    wanted = set(ids)
    tracks = (
        replace(
            track,
            clips=tuple(clip for clip in track.clips if clip.id not in wanted),
            events=tuple(event for event in track.events if event.id not in wanted),
        )
        for track in timeline.tracks
    )
    return replace(timeline, tracks=tuple(tracks))


def double(timeline: Timeline, ids: Collection[str]) -> tuple[Timeline, list[str]]:
    """With clips and events once more, right behind the last of them; returns the ids
    of the new ones as well.
    """
    wanted = set(ids)
    by = _span(timeline, wanted)
    taken, fresh = ids_of(timeline), []

    def another(own_id: str) -> str:
        made = edits.fresh_id(own_id, taken)
        taken.add(made)
        fresh.append(made)
        return made

    def later_clips(track: Track) -> Iterator[Clip]:
        for clip in track.clips:
            if clip.id in wanted:
                yield replace(clip, id=another(clip.id), start=clip.start + by)

    def later_events(track: Track) -> Iterator[Event]:
        for event in track.events:
            if event.id in wanted:
                yield replace(event, id=another(event.id), at=event.at + by)

    tracks = tuple(
        replace(
            track,
            clips=(*track.clips, *later_clips(track)),
            events=(*track.events, *later_events(track)),
        )
        for track in timeline.tracks
    )
    made = replace(timeline, tracks=tracks)
    return (made, fresh) if fresh else (timeline, [])


class Copied(NamedTuple):
    """Clips and events that were copied, each with the sort of its track, and the time
    at which the first of them begins.
    """

    at: float
    clips: tuple[tuple[TrackSort, Clip], ...] = ()
    events: tuple[Event, ...] = ()


def copied(timeline: Timeline, ids: Collection[str]) -> Copied | None:
    """Returns what is to be pasted elsewhere; None where nothing is chosen."""
    clips = tuple((t.sort, c) for t, c in clips_of(timeline) if c.id in ids)
    events = tuple(event for _, event in events_of(timeline) if event.id in ids)
    starts = [clip.start for _, clip in clips] + [event.at for event in events]
    return Copied(min(starts), clips, events) if starts else None


def pasted(
    timeline: Timeline, things: Copied, at: float, track_id: str = ""
) -> tuple[Timeline, list[str]]:
    """With what was copied from a time on: onto a track where that is of the sort, else
    onto the first that is; what has none is left out. Returns the ids of the new ones.
    """
    by, taken, fresh = at - things.at, ids_of(timeline), []

    def another(own_id: str) -> str:
        made = edits.fresh_id(own_id, taken)
        taken.add(made)
        fresh.append(made)
        return made

    def place_for(sort: TrackSort) -> str:
        fit = [track.id for track in timeline.tracks if track.sort == sort]
        return track_id if track_id in fit else next(iter(fit), "")

    clips: dict[str, list[Clip]] = {}
    for sort, clip in things.clips:
        to = place_for(sort)
        if to:
            made = replace(clip, id=another(clip.id), start=max(0.0, clip.start + by))
            clips.setdefault(to, []).append(made)
    to = place_for(TrackSort.EVENTS)
    events = [
        replace(event, id=another(event.id), at=max(0.0, event.at + by))
        for event in (things.events if to else ())
    ]
    tracks = tuple(
        replace(
            track,
            clips=(*track.clips, *clips.get(track.id, ())),
            events=(*track.events, *(events if track.id == to else ())),
        )
        for track in timeline.tracks
    )
    return replace(timeline, tracks=tracks), fresh


def _span(timeline: Timeline, wanted: set[str]) -> float:
    """How long some clips and events are together; a beat where that is nothing."""
    clips = [clip for _, clip in clips_of(timeline) if clip.id in wanted]
    at = [event.at for _, event in events_of(timeline) if event.id in wanted]
    begins = [clip.start for clip in clips] + at
    ends = [clip.end for clip in clips] + at
    beats = Beats(timeline.tempo)
    a_beat = beats.time_of(1.0) - beats.time_of(0.0)
    return (max(ends) - min(begins) if begins else 0.0) or a_beat


# the line


def add_mark(timeline: Timeline, at: float, name: str = "") -> Timeline:
    """With a mark at a time."""
    mark_id = edits.fresh_id(name or "mark", [mark.id for mark in timeline.marks])
    mark = Mark(id=mark_id, at=max(0.0, at), name=name)
    marks = sorted((*timeline.marks, mark), key=lambda one: one.at)
    return replace(timeline, marks=tuple(marks))


def loop_bars(timeline: Timeline, begin: float, end: float) -> Timeline:
    """With the stretch between two times played again and again, fitted to bars: it
    begins and ends with the bars that lie nearest, and holds one at least.
    """
    beats, tempo = Beats(timeline.tempo), timeline.tempo
    bar = max(1, tempo.bar)

    def nearest(at: float) -> int:
        return round((beats.at(at) - tempo.first) / bar)

    earliest = math.ceil((beats.at(0.0) - tempo.first) / bar - 1e-9)
    first = max(nearest(begin), earliest)
    last = max(first + 1, nearest(end))
    region = (
        max(0.0, beats.time_of(tempo.first + first * bar)),
        beats.time_of(tempo.first + last * bar),
    )
    return replace(timeline, end=LineEnd.LOOP, region=region)


def snap_points(timeline: Timeline, without: Collection[str] = ()) -> list[float]:
    """Returns the times at which something begins or ends, in order: clips, events,
    marks, the begin of the line, the loop.
    """
    but = set(without)
    found = {0.0}
    for _, clip in clips_of(timeline):
        if clip.id not in but:
            found |= {clip.start, clip.end}
    found |= {event.at for _, event in events_of(timeline) if event.id not in but}
    found |= {mark.at for mark in timeline.marks}
    if timeline.region is not None:
        found |= set(timeline.region)
    return sorted(found)


def snapped(
    timeline: Timeline, at: float, near: float, points: Iterable[float]
) -> float | None:
    """Returns the time that `at` snaps to: the nearest of `points`, else the nearest
    beat, neither farther off than `near` seconds; None where there is none.
    """
    beats = Beats(timeline.tempo)
    around = min(points, key=lambda point: abs(point - at), default=None)
    if around is not None and abs(around - at) <= near:
        return around
    beat = beats.time_of(float(round(beats.at(at))))
    return beat if beat >= 0.0 and abs(beat - at) <= near else None
