"""Our tempo to others: 24 ticks a beat, by a thread of its own that sleeps while nobody
wants it.
"""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable

from choreon.engine.actions.following import when_beat
from choreon.engine.inputs.midi_clock import CLOCK, START, STOP, TICKS
from choreon.render.state import BeatClock

IDLE = 0.25  # seconds to sleep at the most


class ClockSender:
    """Ticks on the beats of a clock. `say` sends a message to a device."""

    def __init__(self, say: Callable[[str, bytes], None]) -> None:
        self._say = say
        self._clock = BeatClock()
        self._to: tuple[str, ...] = ()
        self._wake = threading.Event()
        self._thread: threading.Thread | None = None
        self._ended = False

    def follow(self, clock: BeatClock, to: tuple[str, ...]) -> None:
        """Tick by a clock, for these devices. Never waits."""
        if clock is not self._clock:
            self._clock = clock
            self._wake.set()
        if to == self._to:
            return

        for port in set(self._to) - set(to):
            self._say(port, bytes((STOP,)))
        for port in set(to) - set(self._to):
            self._say(port, bytes((START,)))
        self._to = to
        self._wake.set()
        if to and self._thread is None and not self._ended:
            self._thread = threading.Thread(
                target=self._run, name="midi clock", daemon=True
            )
            self._thread.start()

    def end(self) -> None:
        """Tick no more."""
        self._ended = True
        self._wake.set()
        for port in self._to:
            self._say(port, bytes((STOP,)))
        self._to = ()

    def _run(self) -> None:
        tick = next_tick(self._clock, time.monotonic())
        while not self._ended:
            if not self._to:
                self._wake.wait()
                self._wake.clear()
                tick = next_tick(self._clock, time.monotonic())
                continue

            now = time.monotonic()
            due = when_beat(self._clock, tick / TICKS)
            if due > now:
                self._wake.wait(min(IDLE, due - now))
                if self._wake.is_set():
                    self._wake.clear()
                    # the tempo changed: no tick twice, and none left out
                    tick = max(tick, next_tick(self._clock, time.monotonic()))
                continue

            for port in self._to:
                self._say(port, bytes((CLOCK,)))
            # what was missed while the machine stood still is not made up for
            behind = next_tick(self._clock, now - 1.0 / TICKS)
            tick = max(tick + 1, behind)


def next_tick(clock: BeatClock, now: float) -> int:
    """Returns the number of the first tick after a time."""
    return math.floor(clock.beat_at(now) * TICKS + 1e-6) + 1
