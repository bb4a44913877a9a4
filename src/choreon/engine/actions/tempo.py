"""The tempo in the hands: tapped, typed, nudged. Pure functions from clock to clock.

A change of tempo moves no position: the beat goes on from where it is.
"""

from __future__ import annotations

import math
from itertools import pairwise

import msgspec

from choreon.render.state import BeatClock

replace = msgspec.structs.replace

Taps = tuple[float, ...]
"""When something was tapped, the latest last."""

SLOWEST, FASTEST = 20.0, 400.0  # beats a minute
AGAIN = 4.0  # seconds after which a tap begins a new count: more than a slow beat takes
MISSED = 3.5  # beats that were tapped before, after which one does so as well
BOUNCE = 0.06  # seconds within which a second tap is the same one
MOST_TAPS = 9  # that are looked at

# how well a beat fits what was tapped
OFF = 0.2  # of a beat by which a tap may be off before it counts as a wrong one
AGE = 0.7  # what is left of a tap's weight with every one after it
SKIPPED = 0.2  # what a beat that was not tapped costs, where a wrong tap costs 1


def within(bpm: float) -> float:
    """Returns a tempo that the clock can have."""
    return min(FASTEST, max(SLOWEST, bpm))


def at_tempo(clock: BeatClock, bpm: float, now: float) -> BeatClock:
    """Returns the clock at another tempo from now on, the beat where it is. What is no
    tempo changes nothing.
    """
    if not math.isfinite(bpm) or bpm <= 0.0:
        return clock
    beat = clock.beat_at(now)
    return replace(clock, bpm=within(bpm), at=now, beat=beat, pull=0.0)


def tapped(clock: BeatClock, now: float) -> BeatClock:
    """Returns the clock after a tap: at the tempo of the taps of late, and on its way
    to have the beat fall on them.
    """
    taps = with_tap(clock.taps, now)
    if taps is clock.taps:
        return clock

    length = beat_of(taps)
    if length is None:
        return replace(clock, taps=taps)

    beat = clock.beat_at(now)
    pull = round(beat) - beat
    return replace(
        clock, bpm=within(60.0 / length), at=now, beat=beat, pull=pull, taps=taps
    )


def aligned(clock: BeatClock, when: float, now: float) -> BeatClock:
    """Returns the clock on its way to have a beat fall on a time, `when`."""
    if not math.isfinite(when) or abs(when - now) > AGAIN:
        return clock
    beat = clock.beat_at(when)
    here = clock.beat_at(now)
    return replace(clock, at=now, beat=here, pull=round(beat) - beat)


def with_tap(taps: Taps, now: float) -> Taps:
    """Returns taps with one more: in a new count where it comes late, the same object
    where it is the last one once again.
    """
    if not taps:
        return (now,)
    since = now - taps[-1]
    if since < BOUNCE:
        return taps

    length = beat_of(taps)
    late = AGAIN if length is None else min(AGAIN, MISSED * length)
    return (now,) if since > late else (*taps, now)[-MOST_TAPS:]


def beat_of(taps: Taps) -> float | None:
    """Returns the seconds of a beat that taps are likeliest to mean; None where there
    are too few.

    Each time from tap to tap is tried as the beat. The others may be several beats, if
    some were not tapped. What is left over, of late ones more, decides; the mean of all
    that fit is the answer.
    """
    gaps = [after - before for before, after in pairwise(taps)]
    if not gaps:
        return None

    # of several that fit alike the latest
    likeliest = min(reversed(gaps), key=lambda length: _misfit(gaps, length))
    fitting = [
        (gap, beats)
        for gap in gaps
        if abs(gap - (beats := _beats_in(gap, likeliest)) * likeliest)
        <= OFF * likeliest
    ]

    return sum(gap for gap, _ in fitting) / sum(beats for _, beats in fitting)


def _beats_in(gap: float, length: float) -> int:
    return max(1, round(gap / length))


def _misfit(gaps: list[float], length: float) -> float:
    """How badly times from tap to tap fit a beat of a length."""
    found, weight = 0.0, 1.0
    for gap in reversed(gaps):
        beats = _beats_in(gap, length)
        off = abs(gap - beats * length) / (OFF * length)
        # a little off is as good as human hands are: it grows with the square
        found += weight * (min(1.0, off * off) + SKIPPED * (beats - 1))
        weight *= AGE
    return found


def on_bar(clock: BeatClock, now: float) -> BeatClock:
    """Returns the clock whose nearest beat is the first of a bar."""
    return replace(clock, first=round(clock.beat_at(now)))
