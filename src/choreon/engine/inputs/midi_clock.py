"""MIDI clock: the tempo that others tell by 24 ticks a beat, made steady."""

from __future__ import annotations

from collections import deque
from typing import NamedTuple

import numpy as np

TICKS = 24  # a beat: MIDI 1.0, system real time
CLOCK, START, CONTINUE, STOP = 0xF8, 0xFA, 0xFB, 0xFC
LOOKED_AT = 8 * TICKS  # ticks that the line is laid through
FEWEST = TICKS  # ticks after which a tempo is told
LOST = 0.5  # seconds without a tick after which a count begins anew
OFF = 0.012  # seconds by which the newest lie off the line where the tempo has changed
NEWEST = 6  # ticks that say so
SLOWEST, FASTEST = 20.0, 400.0


class Beat(NamedTuple):
    """What ticks say: beats a minute, and when the last beat was, in seconds."""

    bpm: float
    at: float


class ClockFollower:
    """Lays a straight line through the ticks of late: its slope is the tempo, and where
    it crosses a beat is when that was (least squares).
    """

    def __init__(self) -> None:
        self._ticks: deque[tuple[int, float]] = deque(maxlen=LOOKED_AT)
        self._count = 0
        self.runs = True
        """Whether the other plays: ticks go on while it does not."""

    def take(self, byte: int, now: float) -> Beat | None:
        """Follow a message. Returns what is known, once a beat; None between."""
        if byte == START:
            self._count, self.runs = 0, True
            self._ticks.clear()
        elif byte == CONTINUE:
            self.runs = True
        elif byte == STOP:
            self.runs = False
        elif byte == CLOCK:
            return self._tick(now)
        return None

    def _tick(self, now: float) -> Beat | None:
        if self._ticks and now - self._ticks[-1][1] > LOST:
            self._ticks.clear()
            self._count = 0

        self._ticks.append((self._count, now))
        on_beat = self._count % TICKS == 0
        self._count += 1
        if not on_beat or len(self._ticks) <= FEWEST:
            return None

        slope, first = self._line()
        if self._has_changed(slope, first):
            for _ in range(len(self._ticks) - FEWEST - 1):
                self._ticks.popleft()
            slope, first = self._line()
        if slope <= 0.0:
            return None

        bpm = 60.0 / (TICKS * slope)
        if not SLOWEST <= bpm <= FASTEST:
            return None
        return Beat(bpm, first + slope * (self._count - 1))

    def _line(self) -> tuple[float, float]:
        """Seconds a tick, and when tick 0 was, by the line."""
        numbers = np.array([number for number, _ in self._ticks], float)
        times = np.array([at for _, at in self._ticks])
        middle, mean = numbers.mean(), times.mean()
        away = numbers - middle
        slope = float((away * (times - mean)).sum() / (away * away).sum())
        return slope, float(mean - slope * middle)

    def _has_changed(self, slope: float, first: float) -> bool:
        """Whether the newest all lie off the line on one side."""
        off = [at - (first + slope * n) for n, at in list(self._ticks)[-NEWEST:]]
        return min(off) > OFF or max(off) < -OFF
