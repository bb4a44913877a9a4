"""Where beats lie along a line of time: at a steady tempo, or one by one as they were
found in music. Pure functions of the map.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from itertools import pairwise

import msgspec

from choreon.model.numbers import Count, Number

replace = msgspec.structs.replace

SLOWEST, FASTEST = 10.0, 1000.0  # beats a minute
SHORTEST = 60.0 / FASTEST  # seconds from beat to beat


class TempoMap(msgspec.Struct, frozen=True, omit_defaults=True):
    """`beats`: when each beat is, in seconds, where they were found one by one; else
    beats come `bpm` times a minute, the first of them (beat 0) at `start`. Before the
    first and after the last that is known they go on at the tempo beside them. A bar
    of `bar` beats begins with beat `first`.
    """

    bpm: Number = 120.0
    start: Number = 0.0
    bar: Count = 4
    first: Count = 0
    beats: tuple[Number, ...] = ()

    @property
    def steady(self) -> float:
        """Beats a minute, as far as they can be played."""
        return min(FASTEST, max(SLOWEST, self.bpm))

    @property
    def known(self) -> tuple[float, ...]:
        """The beats that were found, in order, none nearer to the one before it than a
        beat can be; empty where there are fewer than two.
        """
        kept: list[float] = []
        for at in sorted(self.beats):
            if not kept or at - kept[-1] >= SHORTEST:
                kept.append(at)
        return tuple(kept) if len(kept) > 1 else ()


def halved(tempo: TempoMap) -> TempoMap:
    """Returns a map with half as many beats: the first of a bar stays one."""
    if not tempo.known:
        return replace(tempo, bpm=tempo.steady / 2.0)
    start = tempo.first % 2
    first = (tempo.first - start) // 2
    return replace(tempo, beats=tempo.known[start::2], first=first)


def doubled(tempo: TempoMap) -> TempoMap:
    """Returns a map with twice as many beats."""
    known = tempo.known
    if not known:
        return replace(tempo, bpm=tempo.steady * 2.0)
    between = [(a + b) / 2.0 for a, b in pairwise(known)]
    return replace(
        tempo, beats=tuple(sorted((*known, *between))), first=2 * tempo.first
    )


def with_beat(tempo: TempoMap, n: int, at: float) -> TempoMap:
    """Returns a map whose n-th found beat is at another time, between those beside
    it; the same where there is no such beat.
    """
    known = list(tempo.known)
    if not 0 <= n < len(known):
        return tempo
    low = known[n - 1] + SHORTEST if n else 0.0
    high = known[n + 1] - SHORTEST if n + 1 < len(known) else at
    known[n] = min(high, max(low, at))
    return replace(tempo, beats=tuple(known))


def shifted(tempo: TempoMap) -> TempoMap:
    """Returns a map whose bars begin a beat later."""
    return replace(tempo, first=(tempo.first + 1) % max(1, tempo.bar))


def steadied(tempo: TempoMap) -> TempoMap:
    """Returns a map with one tempo: that of the line through the beats that were
    found (least squares).
    """
    known = tempo.known
    if not known:
        return tempo
    middle = (len(known) - 1) / 2.0
    mean = sum(known) / len(known)
    over = sum((n - middle) * (at - mean) for n, at in enumerate(known))
    under = sum((n - middle) ** 2 for n in range(len(known)))
    slope = max(SHORTEST, over / under)
    start = mean - slope * middle
    return replace(tempo, bpm=60.0 / slope, start=start, beats=())


class Beats:
    """A tempo map, made ready to be asked."""

    def __init__(self, tempo: TempoMap) -> None:
        self.tempo = tempo
        self.known = tempo.known
        apart = [b - a for a, b in pairwise(self.known)]
        self._before = apart[0] if apart else 60.0 / tempo.steady
        self._after = apart[-1] if apart else 60.0 / tempo.steady

    def at(self, seconds: float) -> float:
        """Returns the beat at a time, in parts."""
        known = self.known
        if not known:
            return (seconds - self.tempo.start) / self._before
        if seconds < known[0]:
            return (seconds - known[0]) / self._before
        last = len(known) - 1
        if seconds >= known[last]:
            return last + (seconds - known[last]) / self._after
        place = bisect_right(known, seconds) - 1
        return place + (seconds - known[place]) / (known[place + 1] - known[place])

    def time_of(self, beat: float) -> float:
        """Returns when a beat is, in seconds; the other way round than `at`."""
        known = self.known
        if not known:
            return self.tempo.start + beat * self._before
        if beat < 0.0:
            return known[0] + beat * self._before
        last = len(known) - 1
        if beat >= last:
            return known[last] + (beat - last) * self._after
        place = int(beat)
        return known[place] + (beat - place) * (known[place + 1] - known[place])

    def bpm_at(self, seconds: float) -> float:
        """Returns the tempo at a time, in beats a minute."""
        beat = int(self.at(seconds) // 1.0)
        return 60.0 / (self.time_of(beat + 1.0) - self.time_of(beat))

    def bar_line(self, beat: float) -> bool:
        """Returns whether a bar begins with a whole beat."""
        return (round(beat) - self.tempo.first) % max(1, self.tempo.bar) == 0


def tapped_along(tempo: TempoMap, taps: Sequence[float]) -> TempoMap:
    """Returns a map whose beats are those that were tapped, where they were: others
    stay before and after. One without found beats is steady through the taps.
    """
    kept = sorted(taps)
    if len(kept) < 2:
        return tempo
    if not tempo.known:
        return steadied(replace(tempo, beats=tuple(kept)))
    half = (kept[-1] - kept[0]) / (len(kept) - 1) / 2.0
    before = [at for at in tempo.known if at < kept[0] - half]
    after = [at for at in tempo.known if at > kept[-1] + half]
    return replace(tempo, beats=(*before, *kept, *after))


def bar_at(tempo: TempoMap, at: float) -> TempoMap:
    """Returns a map in which a bar begins with the beat nearest to a time."""
    bar = max(1, tempo.bar)
    return replace(tempo, first=round(Beats(tempo).at(at)) % bar)
