"""A timeline: what plays, and what happens, laid along a line of time."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from enum import StrEnum
from typing import TYPE_CHECKING, ClassVar, NamedTuple

import msgspec

from choreon.language import listed, tr
from choreon.model.numbers import Number
from choreon.model.playables.base import Playable, PlayableKind
from choreon.model.playables.nesting import contains, in_words, too_deep
from choreon.model.playables.stack import CueAct
from choreon.model.problem import Problem
from choreon.model.refs import Ref, exists
from choreon.model.tempo_map import Beats, TempoMap

if TYPE_CHECKING:
    from choreon.model.show import Show

LONGEST = 86_400.0  # seconds, a day
SAME = 1e-7  # seconds apart that two times are taken for one
SHORTEST_LOOP = 0.05  # seconds of a stretch that is played again and again


class LinePoint(msgspec.Struct, frozen=True, array_like=True):
    """A point of a level line: seconds after its clip begins, and the level there."""

    at: Number
    level: Number


class Clip(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Something that plays from `start` on for `length` seconds.

    `entry`: its own time at which it is entered; `rate`: how many times as fast as
    stored it goes; `repeat`: the seconds of its own after which it begins anew, 0 for
    never. `fade_in`, `fade_out`: seconds at either end, within it. `line`: points that
    a level line goes through, straight from one to the next; none for full. `only`:
    the families that are taken of it; empty for all.
    """

    id: str
    plays: Ref
    start: Number
    length: Number
    entry: Number = 0.0
    rate: Number = 1.0
    repeat: Number = 0.0
    fade_in: Number = 0.0
    fade_out: Number = 0.0
    level: Number = 1.0
    line: tuple[LinePoint, ...] = ()
    only: tuple[str, ...] = ()

    @property
    def end(self) -> float:
        """When it is over."""
        return self.start + max(0.0, self.length)


class Event(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Something that is done at a moment, as a hand would."""

    id: str
    at: Number
    act: CueAct


class TrackSort(StrEnum):
    """What lies on a track."""

    LIGHT = "light"
    EVENTS = "events"
    SOUND = "sound"


class Track(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A lane of a timeline: clips that play, clips that are heard, or events. Those
    farther down in the list lie above those before them. `on`: else nothing of it
    counts.
    """

    id: str
    name: str = ""
    sort: TrackSort = TrackSort.LIGHT
    clips: tuple[Clip, ...] = ()
    events: tuple[Event, ...] = ()
    on: bool = True


class Mark(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A moment with a name."""

    id: str
    at: Number
    name: str = ""


class LineEnd(StrEnum):
    """What happens at the end of the line."""

    RELEASE = "release"
    HOLD = "hold"
    LOOP = "loop"


class WhenStopped(StrEnum):
    """What a timeline does that follows another's clock, when that stands."""

    GO_ON = "goes on"
    HOLD = "holds"


class Timeline(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="timeline"):
    """Tracks along one line, from 0 on, in seconds.

    `length`: how long it is; 0: to the end of what lies last. `end`: what happens
    there. `region`: the stretch that is played again and again where it loops; none:
    the whole. `tempo`: where its beats are. `follows`: the device whose time code says
    where it is while it is on, `offset` the time there, in seconds, at which it begins;
    `stopped`: what it does when that clock stands.
    """

    kind: ClassVar[str] = "timeline"

    tracks: tuple[Track, ...] = ()
    marks: tuple[Mark, ...] = ()
    length: Number = 0.0
    end: LineEnd = LineEnd.RELEASE
    region: tuple[Number, Number] | None = None
    tempo: TempoMap = TempoMap()
    follows: str = ""
    offset: Number = 0.0
    stopped: WhenStopped = WhenStopped.GO_ON

    def track(self, track_id: str) -> Track | None:
        """Returns the track of an id, if there is one."""
        return next((track for track in self.tracks if track.id == track_id), None)


# its time


class Course(NamedTuple):
    """What of a timeline decides how it runs: when it is over, the stretch that is
    played again and again, and what happens, by when it does; whether anything is
    heard along it, and its beats.
    """

    over: float
    loop: tuple[float, float] | None
    times: tuple[float, ...]
    events: tuple[Event, ...]
    sounds: bool
    beats: Beats


_KNOWN: dict[int, tuple[Timeline, Course]] = {}
"""The courses that were asked for last: in a frame they are asked again and again."""
MOST_KNOWN = 32


def course_of(timeline: Timeline) -> Course:
    """Returns how a timeline runs, found once for each."""
    known = _KNOWN.get(id(timeline))
    if known is not None and known[0] is timeline:
        return known[1]

    course = _make_course(timeline)
    for old in list(_KNOWN)[: len(_KNOWN) - MOST_KNOWN + 1]:
        _KNOWN.pop(old, None)
    _KNOWN[id(timeline)] = timeline, course
    return course


def _make_course(timeline: Timeline) -> Course:
    over = timeline.length if timeline.length > 0.0 else _last_end(timeline)
    over = min(LONGEST, over)

    events = sorted(_events_on(timeline), key=lambda event: event.at)
    times = tuple(event.at for event in events)
    sounds = any(t.sort == TrackSort.SOUND and t.clips for t in timeline.tracks)
    return Course(
        over,
        _loop(timeline, over),
        times,
        tuple(events),
        sounds,
        Beats(timeline.tempo),
    )


def _last_end(timeline: Timeline) -> float:
    """When the last of all that lies on it is over."""
    ends = [0.0]
    for track in timeline.tracks:
        ends += [clip.end for clip in track.clips]
        ends += [event.at for event in track.events]
    return max(ends)


def _loop(timeline: Timeline, over: float) -> tuple[float, float] | None:
    """The stretch that is played again and again, if any is."""
    if timeline.end != LineEnd.LOOP:
        return None
    begin, end = timeline.region or (0.0, over)
    begin, end = max(0.0, begin), min(LONGEST, end)
    return (begin, end) if end - begin >= SHORTEST_LOOP else None


def _events_on(timeline: Timeline) -> Iterator[Event]:
    """What happens on tracks that count."""
    for track in timeline.tracks:
        if track.on:
            yield from (event for event in track.events if event.at >= 0.0)


def over_at(timeline: Timeline) -> float:
    """Returns when a timeline is over, in seconds of its own."""
    return course_of(timeline).over


def loop_of(timeline: Timeline) -> tuple[float, float] | None:
    """Returns the stretch that is played again and again, from and to; None where it
    does not loop, or the stretch is too short to be.
    """
    return course_of(timeline).loop


def place_at(timeline: Timeline, own: float) -> float:
    """Returns where on the line it is after it has run for `own` seconds: what loops
    goes on from the begin of its stretch whenever it comes to the end of it.
    """
    own = max(0.0, own)
    over, loop = course_of(timeline)[:2]
    if loop is None:
        return min(own, over)
    begin, end = loop
    if own < end:
        return own
    return begin + math.fmod(own - begin, end - begin)


def passes(timeline: Timeline, at: float, since: float) -> float:
    """Returns the first time that it has run at which it comes to a place on its line,
    not before it has run for `since`; infinite where it never does again.
    """
    over, loop = course_of(timeline)[:2]
    if at >= since - SAME:
        inside = at <= over if loop is None else at < loop[1]
        return at if inside and at >= 0.0 else math.inf
    if loop is None or not loop[0] <= at < loop[1]:
        return math.inf
    begin, end = loop
    rounds = max(1, math.ceil((since - at - SAME) / (end - begin)))
    return at + rounds * (end - begin)


def next_pass(timeline: Timeline, since: float) -> float:
    """Returns the first time that it has run at which something happens, not before
    `since`; infinite where nothing does any more.
    """
    course = course_of(timeline)
    if not course.times:
        return math.inf
    # what lies ahead on this round, and the first of the next
    here = bisect_left(course.times, place_at(timeline, since) - SAME)
    first = 0 if course.loop is None else bisect_left(course.times, course.loop[0])
    near = {here - 1, here, here + 1, first}
    there = (course.times[n] for n in near if 0 <= n < len(course.times))
    return min((passes(timeline, at, since) for at in there), default=math.inf)


def happen_at(timeline: Timeline, own: float, since: float) -> list[Event]:
    """Returns what happens when it has run for `own` seconds, of what was not done
    before it had run for `since`; in the order of its tracks.
    """
    course = course_of(timeline)
    place = place_at(timeline, own)
    places = [place]
    if course.loop is not None and course.loop[1] - place < 2.0 * SAME:
        places.append(course.loop[0])  # the same moment, said from the other side
    found: list[Event] = []
    for at in places:
        begin = bisect_left(course.times, at - 2.0 * SAME)
        found += course.events[begin : bisect_right(course.times, at + 2.0 * SAME)]
    latest = own + 2.0 * SAME
    return [one for one in found if passes(timeline, one.at, since) <= latest]


# levels


def fade_at(clip: Clip, after: float) -> float:
    """Returns what the fades at its ends leave of a clip some seconds after its begin,
    0…1.
    """
    left = clip.length - after
    come = after / clip.fade_in if clip.fade_in > 0.0 else 1.0
    goes = left / clip.fade_out if clip.fade_out > 0.0 else 1.0
    return min(1.0, max(0.0, come)) * min(1.0, max(0.0, goes))


# what the model must know of it


def _check(show: Show, timeline: Timeline) -> Iterator[Problem]:
    path = f"playables/{timeline.id}/tracks"
    gone = [str(ref) for ref in _refs(timeline) if not exists(show, ref)]
    if gone:
        text = tr(
            "{name} plays what is gone ({refs}); there it stays dark",
            name=timeline.name,
            refs=listed(gone, 3),
        )
        yield Problem(path, text, "warning")

    if contains(show, timeline.ref, timeline.ref):
        text = tr("{name} contains itself; there it stays dark", name=timeline.name)
        yield Problem(path, text, "warning")
        return
    way = too_deep(show, timeline.ref)
    if way:
        text = tr(
            "{name} is nested too deep ({words}); such clips stay dark",
            name=timeline.name,
            words=in_words(show, way),
        )
        yield Problem(path, text, "warning")


def _refs(timeline: Timeline) -> tuple[Ref, ...]:
    heard = [clip.plays for track in timeline.tracks for clip in track.clips]
    acts = [event.act.ref for track in timeline.tracks for event in track.events]
    return tuple(dict.fromkeys([*_parts(timeline), *heard, *acts]))


def _parts(timeline: Timeline) -> tuple[Ref, ...]:
    lit = (track for track in timeline.tracks if track.sort == TrackSort.LIGHT)
    return tuple(dict.fromkeys(clip.plays for track in lit for clip in track.clips))


def _light(timeline: Timeline) -> tuple[object, ...]:
    course = (timeline.length, timeline.end, timeline.region, timeline.tempo)
    return (timeline.tracks, *course)


TIMELINE = PlayableKind(
    light=_light,
    title="timeline",
    type=Timeline,
    check=_check,
    parts=_parts,
    plays=_refs,
)
