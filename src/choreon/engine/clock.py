"""When frames are due: 44 a second, on a monotonic clock. What is late is counted,
never caught up in a burst.
"""

from __future__ import annotations

import threading
import time

RATE = 44.0
PERIOD = 1.0 / RATE
LATE = 0.004  # seconds after which a frame counts as late


class Clock:
    """Gives the moments at which frames are due.

    While nothing changes the same is sent again at every one of them. Something new
    does not wait for the next: it comes at once, but never sooner than a period after
    the last frame that was new.
    """

    def __init__(self, period: float = PERIOD) -> None:
        self.period = period
        self.frames = self.late = self.missed = 0
        self.wake = threading.Event()
        """Set, from any thread, when there is something new."""
        self._lateness: list[float] = []  # seconds, since it was last read
        self._due = time.monotonic()
        self._earliest = self._due

    def wait(self) -> float:
        """Sleep until the next frame is due; returns the time. Frames whose whole time
        has gone by are missed.
        """
        while True:
            now = time.monotonic()
            if now >= self._due:
                lateness = now - self._due
                break

            if not self.wake.is_set():
                self.wake.wait(self._due - now)
            elif now < self._earliest:
                time.sleep(min(self._due, self._earliest) - now)
            else:  # something new, at once: the beat goes on from here
                lateness, self._due = 0.0, now
                break

        self.wake.clear()
        self.frames += 1
        self.late += lateness > LATE
        self._lateness.append(lateness)
        skipped = int(lateness / self.period)
        self.missed += skipped

        self._due += self.period * (1 + skipped)
        return now

    def changed(self, now: float) -> None:
        """The frame that came at `now` was new."""
        self._earliest = now + self.period

    def read_lateness(self) -> tuple[float, float]:
        """Returns median and worst lateness since this was last asked, in seconds."""
        taken, self._lateness = sorted(self._lateness), []
        return (taken[len(taken) // 2], taken[-1]) if taken else (0.0, 0.0)
