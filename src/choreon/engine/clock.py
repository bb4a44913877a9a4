"""When frames are due: 44 a second, on a monotonic clock. What is late is counted,
never caught up in a burst.
"""

from __future__ import annotations

import time

RATE = 44.0
PERIOD = 1.0 / RATE
LATE = 0.004  # seconds after which a frame counts as late


class Clock:
    """Gives the moments at which frames are due."""

    def __init__(self, period: float = PERIOD) -> None:
        self.period = period
        self.frames = self.late = self.missed = 0
        self._lateness: list[
            float
        ] = []  # seconds, a frame each, since it was last read
        self._due = time.monotonic()

    def wait(self) -> float:
        """Sleep until the next frame is due; gives the time. Frames whose whole time
        has gone by are missed.
        """
        now = time.monotonic()
        if now < self._due:
            time.sleep(self._due - now)
            now = time.monotonic()
        lateness = now - self._due
        self.frames += 1
        self.late += lateness > LATE
        self._lateness.append(lateness)
        skipped = int(lateness / self.period)
        self.missed += skipped
        self._due += self.period * (1 + skipped)
        return now

    def read_lateness(self) -> tuple[float, float]:
        """Median and worst lateness since this was last asked, in seconds."""
        taken, self._lateness = sorted(self._lateness), []
        return (taken[len(taken) // 2], taken[-1]) if taken else (0.0, 0.0)
