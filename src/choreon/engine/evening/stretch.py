"""A stretch of what was on, as clips: what hands did, to be laid along a line."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Sequence
from typing import NamedTuple

import numpy as np

from choreon.engine.evening.book import Then
from choreon.model import edits
from choreon.model.playables.timeline import Clip, LinePoint, Track
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.state import Player, Running, Time

HELD = 0.25  # seconds after which a level that comes next has come at once
PUT_RIGHT = 2.0  # seconds by which a begin may be put right
NEAR = 0.005  # of full, by which a line that is thinned may be off
SHORTEST = 0.05  # seconds of a clip


class Part(NamedTuple):
    """Something that was on: what, from when to when, how long it had been on by then;
    how it came and went, and its levels (seconds, level) as they were.
    """

    ref: Ref
    begin: float
    end: float
    entry: float
    rate: float
    fade_in: float
    fade_out: float
    levels: tuple[tuple[float, float], ...]


def parts_of(
    thens: Iterable[Then], end: float, but: Callable[[Player], bool] = lambda _: False
) -> list[list[Part]]:
    """Returns what was on in moments that follow each other, up to a time: the parts
    of each player, in the order in which they lie above each other. `but`: players that
    are passed over.
    """
    made: dict[str, _Maker] = {}
    for then in thens:
        seen = set()
        for player in then.state.players:
            if player.lifts or but(player):
                continue
            seen.add(player.id)
            made.setdefault(player.id, _Maker()).see(player, then.at)
        for key, maker in made.items():
            if key not in seen:
                maker.gone(then.at)
    for maker in made.values():
        maker.close(end)
    kept = sorted(made.values(), key=lambda one: one.order)
    return [
        [part._replace(end=min(end, part.end)) for part in maker.parts]
        for maker in kept
        if maker.parts
    ]


class _Maker:
    """Follows one player."""

    def __init__(self) -> None:
        self.parts: list[Part] = []
        self.order = 0
        self._player: Player | None = None
        self._begin = self._entry = self._fade_in = 0.0
        self._levels: list[tuple[float, float]] = []
        self._goes: tuple[float, float] | None = None  # when, and for how long

    def see(self, player: Player, at: float) -> None:
        """It is on at a time."""
        before = self._player
        self.order = player.order
        if player.releasing:
            if before is not None and self._goes is None:
                ramp = player.weight.main  # it may have been seen a frame later
                self._goes = min(at, ramp.begin), ramp.seconds
            return
        if before is not None and self._goes is not None:
            self._end(at, 0.0)  # it came back
            before = None
        if before is not None and before.ref != player.ref:
            over = max(0.0, player.steps[-1].progress.until - at)
            self._end(at + over, 0.0)
            before = None
        if before is None:
            self._start(player, at)
        elif 0.0 < player.steps[-1].at - before.steps[-1].at < PUT_RIGHT:
            # a window had it begin at once; now it says when it truly did
            self._begin = player.steps[-1].at
        self._player = player
        self._level(at, player.level)

    def _start(self, player: Player, at: float) -> None:
        step = player.steps[-1]
        begun = step.at if at - step.at < HELD else at
        self._begin, self._goes, self._levels = begun, None, []
        self._fade_in = max(0.0, player.weight.main.until - begun)
        self._entry = _entry(player, begun)

    def _level(self, at: float, level: float) -> None:
        if self._levels and at - self._levels[-1][0] > HELD:
            self._levels.append((at - HELD / 2, self._levels[-1][1]))
        self._levels.append((at, level))

    def gone(self, at: float) -> None:
        """It is not on any more."""
        if self._player is None:
            return
        if self._goes is not None:
            self._end(min(at, sum(self._goes)), self._goes[1])
        else:
            self._end(at, 0.0)

    def close(self, end: float) -> None:
        """The stretch is over."""
        if self._player is None:
            return
        if self._goes is not None and sum(self._goes) <= end:
            self._end(sum(self._goes), self._goes[1])
        else:
            self._end(end, 0.0)

    def _end(self, at: float, fade_out: float) -> None:
        player, self._player = self._player, None
        self._goes = None
        if player is None or at - self._begin < SHORTEST:
            return
        self.parts.append(
            Part(
                *(player.ref, self._begin, at, self._entry, player.rate),
                *(min(self._fade_in, at - self._begin), fade_out),
                tuple(self._levels),
            )
        )


def _entry(player: Player, at: float) -> float:
    """For how long what a player plays has gone on, in seconds of its own."""
    step = player.steps[-1]
    if isinstance(step.cursor, Running):
        return max(0.0, step.cursor.time(at, 0.0).seconds)
    begun: Time = step.cursor.time(at, 0.0)
    return max(0.0, begun.seconds) if begun.seconds > 0.0 else max(0.0, at - step.at)


def clip_of(part: Part, clip_id: str, place: Callable[[float], float]) -> Clip:
    """Returns a part as a clip. `place`: where on the line a time lies."""
    start, end = place(part.begin), place(part.end)
    levels = [(place(at) - start, level) for at, level in part.levels]
    thin = thinned([(at, level) for at, level in levels if at <= end - start], NEAR)
    even = len({level for _, level in thin}) <= 1
    return Clip(
        id=clip_id,
        plays=part.ref,
        start=start,
        length=max(SHORTEST, end - start),
        entry=part.entry,
        rate=part.rate,
        fade_in=part.fade_in,
        fade_out=part.fade_out,
        level=thin[0][1] if even and thin else 1.0,
        line=() if even else tuple(LinePoint(at, level) for at, level in thin),
    )


def thinned(
    points: Sequence[tuple[float, float]], near: float
) -> list[tuple[float, float]]:
    """Returns fewer points that a line may go through which is nowhere off by more.

    U. Ramer, “An iterative procedure for the polygonal approximation of plane curves”,
    1972, with the distance taken along the level.
    """
    if len(points) < 3:
        return list(points)
    at = np.array([point[0] for point in points])
    level = np.array([point[1] for point in points])
    kept = {0, len(points) - 1}
    asked = [(0, len(points) - 1)]
    while asked:
        first, last = asked.pop()
        if last - first < 2:
            continue
        inner = slice(first + 1, last)
        line = np.interp(at[inner], [at[first], at[last]], [level[first], level[last]])
        off = np.abs(level[inner] - line)
        worst = int(off.argmax())
        if off[worst] > near:
            middle = first + 1 + worst
            kept.add(middle)
            asked += [(first, middle), (middle, last)]
    return [points[n] for n in sorted(kept)]


def tracks_of(
    show: Show,
    players: Sequence[Sequence[Part]],
    place: Callable[[float], float],
    name: str,
    taken: Iterable[str] = (),
) -> list[Track]:
    """Returns tracks with what players played, those above above; as few as can be.
    What the show does not have is left out. `taken`: ids that clips cannot have.
    """
    ids = set(taken)
    rows: list[list[Clip]] = []
    for parts in players:
        clips = []
        for part in parts:
            if part.ref.id not in show.playables:
                continue
            clip_id = edits.fresh_id(part.ref.id, ids)
            ids.add(clip_id)
            clips.append(clip_of(part, clip_id, place))
        if clips:
            _lay(rows, clips)
    own = edits.fresh_id(name, ())
    return [
        Track(id=f"{own}-{n}", name=f"{name} {n}", clips=tuple(row))
        for n, row in enumerate(rows, 1)
    ]


def _lay(rows: list[list[Clip]], clips: list[Clip]) -> None:
    """Put clips onto the topmost row, where they lie over nothing there; else above."""
    if rows and all(
        clip.end <= other.start or other.end <= clip.start
        for clip, other in itertools.product(clips, rows[-1])
    ):
        rows[-1] += clips
    else:
        rows.append(list(clips))
