"""Timelines as light: at a place on the line what lies there, composed as players would
be: tracks above each other, clips of one track gone over from one to the next. All of
it follows from the place alone.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from itertools import accumulate
from typing import NamedTuple, cast

import numpy as np

from choreon.language import tr
from choreon.model.edits import merge_looks
from choreon.model.motion import Effect
from choreon.model.playables import Timeline
from choreon.model.playables.nesting import DEEPEST, contains, too_deep
from choreon.model.playables.timeline import (
    Clip,
    Track,
    TrackSort,
    fade_at,
    loop_of,
    over_at,
    place_at,
)
from choreon.model.refs import Ref, name_of
from choreon.model.show import Show
from choreon.model.tempo_map import Beats
from choreon.model.values import Look
from choreon.render.effects import PathBegin
from choreon.render.fades import Fade, Move
from choreon.render.live import Change, Dimming, Followed, Given, Live, Moved
from choreon.render.looks import Angles, whole_of
from choreon.render.mixed import Mixed
from choreon.render.recent import Recent
from choreon.render.rig import Floats, Rig
from choreon.render.sources.base import CompileContext, Source
from choreon.render.sources.chase import InWhole
from choreon.render.sources.together import Thing, Together, TogetherLive
from choreon.render.state import AnyCursor, Pace, Time

MOMENTS = 64  # sets of clips that are kept compiled
AT_FIRST = 12  # of them that are compiled ahead
MOST_OVER = 8  # clips of one track that lie over each other at once


class Placed(NamedTuple):
    """A clip with what it plays."""

    clip: Clip
    source: Source
    points: tuple[Floats, Floats] | None

    def level(self, after: float) -> float:
        """Its level some seconds after its begin, without its fades."""
        level = min(1.0, max(0.0, self.clip.level))
        if self.points is None:
            return level
        return level * min(1.0, max(0.0, float(np.interp(after, *self.points))))


class Lane:
    """The clips of one track, by when they begin."""

    def __init__(self, track: Track, placed: Sequence[Placed]) -> None:
        self.track = track
        self.placed = sorted(placed, key=lambda one: one.clip.start)
        self.starts = [one.clip.start for one in self.placed]
        self._latest = list(
            accumulate((one.clip.end for one in self.placed), max, initial=-math.inf)
        )
        self.comes, self.goes = self._free_ends()

    def _free_ends(self) -> tuple[list[bool], list[bool]]:
        """Whether each clip comes, and goes, by itself: not at an end at which another
        is there that it is gone over to from, or goes over into.
        """
        comes, goes = [True] * len(self.placed), [True] * len(self.placed)
        there: list[int] = []
        for n, one in enumerate(self.placed):
            clip = one.clip
            there = [k for k in there if self.placed[k].clip.end > clip.start]
            for k in there:
                before = self.placed[k].clip
                if before.start < clip.start and before.end < clip.end:
                    comes[n] = goes[k] = False
            there.append(n)
        return comes, goes

    def fade(self, n: int, place: float) -> float:
        """Returns what its fades leave of a clip at a place, at its free ends."""
        clip = self.placed[n].clip
        come = goes = 1.0
        if self.comes[n] and clip.fade_in > 0.0:
            come = (place - clip.start) / clip.fade_in
        if self.goes[n] and clip.fade_out > 0.0:
            goes = (clip.end - place) / clip.fade_out
        return min(1.0, max(0.0, come)) * min(1.0, max(0.0, goes))

    def at(self, place: float) -> list[int]:
        """Returns the clips at a place, those that began first before the others."""
        n = bisect_right(self.starts, place)
        found: list[int] = []
        # before that, all are over
        while n and self._latest[n] > place and len(found) < MOST_OVER:
            n -= 1
            if self.placed[n].clip.end > place:
                found.append(n)
        return found[::-1]


class Blend(NamedTuple):
    """What a track gives at a place: clips one over the other, how far each is on, and
    how far it has gone over from those before to each but the first.
    """

    clips: tuple[int, ...]
    levels: tuple[float, ...]
    moves: tuple[float, ...]

    @property
    def level(self) -> float:
        """How far the whole is on."""
        level = self.levels[0]
        for to, share in zip(self.levels[1:], self.moves, strict=True):
            level += share * (to - level)
        return level


def blend(lane: Lane, place: float) -> Blend | None:
    """Returns what a track gives at a place; None where nothing lies there.

    Where a clip outlasts those before it, it is gone over to while both are there,
    evenly, and their fades there do not count. Where it is over before they are, it
    lies over them by its own fades.
    """
    found = lane.at(place)
    if not found:
        return None

    levels: list[float] = []
    moves: list[float] = []
    before_end = -math.inf
    for n in found:
        clip = lane.placed[n].clip
        after = place - clip.start
        level = lane.placed[n].level(after)
        own = lane.fade(n, place)
        if not levels:
            level *= own
        elif clip.end > before_end:
            moves.append((place - clip.start) / (before_end - clip.start))
            level *= own
        else:
            moves.append(fade_at(clip, after))
        levels.append(level)
        before_end = max(before_end, clip.end)

    return Blend(tuple(found), tuple(levels), tuple(moves))


class TimelineSource:
    """A timeline, its clips compiled."""

    still = False
    own_clock = True

    def __init__(
        self,
        rig: Rig,
        timeline: Timeline,
        lanes: Sequence[Lane],
        names: Mapping[Ref, str],
    ) -> None:
        self.rig, self.timeline = rig, timeline
        self.lanes, self.names = list(lanes), dict(names)
        self.beats = Beats(timeline.tempo)
        placed = [one for lane in lanes for one in lane.placed]
        sources = self.sources = list(
            {id(one.source): one.source for one in placed}.values()
        )
        refs = frozenset(str(one.clip.plays) for one in placed)
        self.uses = refs.union(*(source.uses for source in sources))
        self.modifies = any(source.modifies for source in sources)
        self.look = whole_of(rig, [source.look for source in sources], self.uses)
        self.moments: Recent[Blends, Together] = Recent(MOMENTS)
        for place in sorted({at for lane in lanes for at in lane.starts})[:AT_FIRST]:
            self.moment(self.blends(place))

    # what lies where

    def blends(self, place: float) -> list[Blend | None]:
        """Returns what each track gives at a place on the line."""
        return [blend(lane, place) for lane in self.lanes]

    def moment(self, blends: Sequence[Blend | None]) -> Together:
        """Returns what is on where tracks give these, as one."""
        key = tuple(
            () if one is None else tuple(id(self._source(k, n)) for n in one.clips)
            for k, one in enumerate(blends)
        )
        return self.moments.get(key, lambda: self._compose(blends))

    def _source(self, lane: int, n: int) -> Source:
        return self.lanes[lane].placed[n].source

    def _compose(self, blends: Sequence[Blend | None]) -> Together:
        things = []
        for k, one in enumerate(blends):
            if one is None:
                continue
            placed = [self.lanes[k].placed[n] for n in one.clips]
            source = placed[0].source
            ref: Ref | None = placed[0].clip.plays
            if len(placed) > 1:
                source, ref = cast("Source", Over(self.rig, placed)), None
            things.append(Thing(str(k), ref, source, 1.0))
        return Together(self.rig, things, "")

    def time_of(self, placed: Placed, place: float) -> Time:
        """Returns the own time of what a clip plays at a place on the line. What has no
        clock of its own goes with the bars of the line.
        """
        clip = placed.clip
        rate = max(0.0, clip.rate)
        own = clip.entry + rate * (place - clip.start)
        if clip.repeat > 0.0:
            own = math.fmod(own, clip.repeat) if own >= 0.0 else own % clip.repeat

        tempo = self.beats.bpm_at(clip.start) / 60.0
        if clip.repeat > 0.0:
            return Time(own, own * tempo)  # each round like the first
        beat = self.beats.at(place)
        if not placed.source.own_clock and rate == 1.0:
            return Time(own, beat - self.timeline.tempo.first)
        begun = self.beats.at(clip.start)
        return Time(own, clip.entry * tempo + rate * (beat - begun))

    # what a source is asked

    def followed(self, show: Show, moved: set[str]) -> TimelineSource | None:
        """It is compiled anew."""
        return None

    def length(self) -> Time:
        """Returns how long the line is."""
        return Time(over_at(self.timeline))

    def path_begins(self) -> Sequence[PathBegin]:
        """Returns nothing: what it plays begins anew with each clip."""
        return ()

    def prepare(self, size: float) -> None:
        """Work out what its clips are at a size of their effects."""
        for source in self.sources:
            source.prepare(size)

    def live(self, offsets: Mapping[str, float]) -> LiveTimeline:
        """Returns what a layer asks."""
        return LiveTimeline(self)

    def _on_at(self, time: Time) -> list[tuple[Placed, float]]:
        """The clips that are on at a time of its own, and where on the line that is."""
        place = place_at(self.timeline, time.seconds)
        return [
            (lane.placed[n], place)
            for lane in self.lanes
            if (one := blend(lane, place)) is not None
            for n in one.clips
        ]

    def stored(self, time: Time) -> Look:
        """Returns what is stored of the clips that are on."""
        made: Look = {}
        for placed, place in self._on_at(time):
            made = merge_looks(made, placed.source.stored(self.time_of(placed, place)))
        return made

    def place(self, time: Time) -> str:
        """Returns where on the line it is, in words, and what is on there."""
        where = clock_words(place_at(self.timeline, time.seconds))
        on = [self.names.get(placed.clip.plays, "") for placed, _ in self._on_at(time)]
        named = [name for name in dict.fromkeys(on) if name]
        if not named:
            return where
        return tr("{place}  {name}", place=where, name=named[-1])

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """Returns nothing: what a clip plays runs by the line."""
        return []

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """It goes on where it is on the line."""
        return cursor

    def ends(self) -> Time | None:
        """Returns when the line is over; None where it loops."""
        if loop_of(self.timeline) is not None:
            return None
        return Time(over_at(self.timeline), math.inf)


Blends = tuple[tuple[int, ...], ...]
"""Which sources each track has at a place, one over the other."""


def clock_words(seconds: float) -> str:
    """Returns a place on a line: “1:05.3”."""
    tenths = round(10.0 * max(0.0, seconds))
    minutes, rest = divmod(tenths, 600)
    return f"{minutes}:{rest // 10:02}.{rest % 10}"


class Over:
    """Clips of one track that lie over each other, as one thing."""

    still = False
    own_clock = True

    def __init__(self, rig: Rig, placed: Sequence[Placed]) -> None:
        self.rig, self.placed = rig, tuple(placed)
        sources = [one.source for one in placed]
        self.uses = frozenset[str]().union(*(source.uses for source in sources))
        self.modifies = any(source.modifies for source in sources)
        self.fade = Fade(rig, [source.look for source in sources])
        self.look = whole_of(rig, [source.look for source in sources], self.uses)

    def live(self, offsets: Mapping[str, float]) -> LiveOver:
        """Returns what a layer asks."""
        return LiveOver(self)

    def prepare(self, size: float) -> None:
        """Nothing: its parts were prepared."""


class LiveOver:
    """Clips that lie over each other, in one layer. `times`, `moves` and `left` say
    where it is: the time of each, how far each but the first has come, and how much of
    its light each has.
    """

    asks = True

    def __init__(self, source: Over) -> None:
        self.source, self.look = source, source.look
        lives = [placed.source.live({}) for placed in source.placed]
        self.mixed = Mixed(source.fade, lives)
        self.into = InWhole(self.look, source.fade)
        self.levels = np.zeros(len(self.look.lamps))
        self.light, self.shine = self.look.shining[1], self.look.claims[2]
        self.modifies = source.modifies
        self.times: list[Time] = [Time()] * len(lives)
        self.moves: list[Move] = []
        self.left = np.ones(len(lives))
        self._dimmed = np.ones(len(lives))
        self._size, self._pace = 1.0, Pace()
        self._values = self.look.values.copy()
        self._presence = np.zeros(len(self.look.rows))
        self._freed = np.zeros(len(self.look.freed))

    @property
    def _lives(self) -> list[Live]:
        return [live for live in self.mixed.lives if live is not None]

    @property
    def size(self) -> float:
        """How far effects go."""
        return self._size

    @size.setter
    def size(self, size: float) -> None:
        self._size = size
        for live in self._lives:
            live.size = size

    @property
    def pace(self) -> Pace:
        """How fast it goes."""
        return self._pace

    @pace.setter
    def pace(self, pace: Pace) -> None:
        self._pace = pace
        for live in self._lives:
            live.pace = pace

    def dim(self, masters: Dimming) -> None:
        """Have masters scale what its clips play."""
        for n, placed in enumerate(self.source.placed):
            plays = placed.clip.plays
            self._dimmed[n] = math.prod(
                level for refs, level in masters if plays in refs
            )
            live = self.mixed.lives[n]
            if live is not None:
                live.dim([one for one in masters if plays not in one[0]])

    def move(self, time: Time) -> None:
        """Go to where it was told to be."""
        self.mixed.left = self.left * self._dimmed
        self.mixed.move(self.times)
        self.levels[:] = 0.0
        self.levels[self.into.lamps] = self.mixed.level(self.moves)

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities."""
        outcome = self.mixed.outcome(self.moves, weight, others[self.into.claims])
        self._presence[:] = 0.0
        self._freed[:] = 0.0
        self._values[self.into.rows] = outcome.values
        self._presence[self.into.rows] = outcome.presence
        self._freed[self.into.freed] = outcome.freed
        return Given(self._values, self._presence, self._freed)

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what its clips do to what others give."""
        return self.mixed.changes(self.moves)

    def followed(self) -> list[Followed]:
        """Returns the heads that paths of its clips move."""
        return self.mixed.followed(self.moves)

    def names(self) -> list[Moved]:
        """Returns the effects of its clips."""
        return [moved for live in self._lives for moved in live.names()]


class Moment(TogetherLive):
    """What is on at a place on the line, each track as far as it is on there."""

    def __init__(self, source: Together) -> None:
        super().__init__(source, {})
        self.asks = True
        self._full = source.own_light

    def set(self, on: Sequence[float]) -> None:
        """Have each track be on so far."""
        self.on = list(on)
        self._own = self._full * np.reshape(on, (-1, 1))


class LiveTimeline:
    """A timeline in one layer."""

    asks = True
    size = 1.0
    pace = Pace()

    def __init__(self, source: TimelineSource) -> None:
        self.source, self.look = source, source.look
        self.levels = np.zeros(len(self.look.lamps))
        self.light, self.shine = self.look.shining[1], self.look.claims[2]
        self.modifies = source.modifies
        self._moments: Recent[int, tuple[Moment, InWhole]] = Recent(MOMENTS)
        self._now: tuple[Moment, InWhole] | None = None
        self._masters: Dimming = ()
        self._values = self.look.values.copy()
        self._presence = np.zeros(len(self.look.rows))
        self._freed = np.zeros(len(self.look.freed))

    def dim(self, masters: Dimming) -> None:
        """Have masters scale those clips that play what they are over."""
        self._masters = masters

    def move(self, time: Time) -> None:
        """Go to a time."""
        place = place_at(self.source.timeline, time.seconds)
        blends = self.source.blends(place)
        self.levels[:] = 0.0
        if not any(blends):
            self._now = None
            return

        moment, into = self._now = self._moment(blends)
        there = [(k, one) for k, one in enumerate(blends) if one is not None]
        times: dict[str, tuple[float, float]] = {}
        for n, (k, one) in enumerate(there):
            lane = self.source.lanes[k]
            own = [self.source.time_of(lane.placed[c], place) for c in one.clips]
            times[str(k)] = own[0][:2]
            live = moment.lives[n]
            if isinstance(live, LiveOver):
                _put_over(live, one, own)

        moment.size, moment.pace = self.size, self.pace
        moment.dim(self._masters)
        moment.set([one.level for _, one in there])
        moment.move(Time(0.0, 0.0, times))
        self.levels[into.lamps] = moment.levels

    def _moment(self, blends: Sequence[Blend | None]) -> tuple[Moment, InWhole]:
        together = self.source.moment(blends)
        return self._moments.get(
            id(together),
            lambda: (Moment(together), InWhole(self.look, together.look)),
        )

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities."""
        self._presence[:] = 0.0
        self._freed[:] = 0.0
        if self._now is not None:
            moment, into = self._now
            given = moment.give(weight, others[into.claims])
            self._values[into.rows] = given.values
            self._presence[into.rows] = _wholly(given.presence)
            self._freed[into.freed] = _wholly(given.freed)
        return Given(self._values, self._presence, self._freed)

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what its clips do to what others give."""
        return [] if self._now is None else self._now[0].changes()

    def followed(self) -> list[Followed]:
        """Returns the heads that paths of its clips move."""
        return [] if self._now is None else self._now[0].followed()

    def names(self) -> list[Moved]:
        """Returns the effects of its clips."""
        return [] if self._now is None else self._now[0].names()


def _put_over(live: LiveOver, one: Blend, times: Sequence[Time]) -> None:
    """Tell clips that lie over each other where they are. The whole is as far on as
    they are together: each has its share of that.
    """
    live.times = list(times)
    live.moves = [Move(share, share, share) for share in one.moves]
    whole = one.level
    live.left = np.array(one.levels) / whole if whole > 0.0 else np.ones(len(times))


def _wholly(presence: Floats | None) -> Floats | float:
    return 1.0 if presence is None else presence


def compile_timeline(
    context: CompileContext, timeline: Timeline, aims: Mapping[str, Angles]
) -> TimelineSource:
    """Compile a timeline. Clips of what is gone, of no length, or of the timeline
    itself, stay dark.
    """
    show = context.show
    lanes, names = [], {}
    dark: dict[Ref, bool] = {}
    for track in timeline.tracks:
        placed = []
        lit = track.on and track.sort == TrackSort.LIGHT
        for clip in track.clips if lit else ():
            ref = clip.plays
            if ref not in dark:
                dark[ref] = _stays_dark(show, timeline, ref)
            source = None if dark[ref] else context.source_of(ref, clip.only)
            if source is not None and clip.length > 0.0:
                placed.append(Placed(clip, source, _points(clip)))
                names[ref] = name_of(show, ref)
        lanes.append(Lane(track, placed))
    return TimelineSource(context.rig, timeline, lanes, names)


def _stays_dark(show: Show, timeline: Timeline, ref: Ref) -> bool:
    itself = ref == timeline.ref or contains(show, ref, timeline.ref)
    return itself or bool(too_deep(show, ref, DEEPEST - 1))


def _points(clip: Clip) -> tuple[Floats, Floats] | None:
    """The points of a level line, in their order; None where it has none."""
    if not clip.line:
        return None
    line = sorted(clip.line, key=lambda point: point.at)
    return (
        np.array([point.at for point in line]),
        np.array([point.level for point in line]),
    )
