"""The tempo in the hands: tapped, typed, nudged. Pure functions from clock to clock.

A change of tempo moves no position: the beat goes on from where it is.
"""

from __future__ import annotations

import math

import msgspec

from choreon.render.state import BeatClock

replace = msgspec.structs.replace

SLOWEST, FASTEST = 20.0, 400.0  # beats a minute
AGAIN = 2.5  # seconds after which a tap begins a new count
MOST_TAPS = 8  # of which the mean is taken


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
    taps = clock.taps
    if taps and now - taps[-1] > AGAIN:
        taps = ()
    if taps and now <= taps[-1]:
        return clock
    taps = (*taps, now)[-MOST_TAPS:]
    if len(taps) < 2:
        return replace(clock, taps=taps)
    mean = (taps[-1] - taps[0]) / (len(taps) - 1)
    beat = clock.beat_at(now)
    pull = round(beat) - beat
    return replace(
        clock, bpm=within(60.0 / mean), at=now, beat=beat, pull=pull, taps=taps
    )


def on_bar(clock: BeatClock, now: float) -> BeatClock:
    """Returns the clock whose nearest beat is the first of a bar."""
    return replace(clock, first=round(clock.beat_at(now)))
