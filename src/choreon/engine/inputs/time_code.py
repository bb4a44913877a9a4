"""Time code: where another's clock is, made steady; and ours to others, by a thread of
its own that sleeps while nobody is told.
"""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Callable, Mapping
from typing import NamedTuple

from choreon.wire.time_code import (
    PIECES,
    Place,
    Rate,
    Read,
    TimeCodeReader,
    full_frame,
    of_number,
    quarter_frame,
    time_code,
)

LOOKED_AT = 16  # times that the place is found by: some 1.3 seconds
LOST = 0.3  # seconds without a piece after which it stands
JUMP = 0.1  # seconds off by which it has gone elsewhere
IDLE, SOON = 0.25, 0.0005  # seconds to sleep at the most, and at the least


class TimeCodeFollower:
    """Knows where another's clock is. What came late on its way counts for little: the
    place is the middle one of those that the last times say.
    """

    def __init__(self) -> None:
        self._reader = TimeCodeReader()
        self._ahead: deque[float] = deque(maxlen=LOOKED_AT)
        self._heard = -LOST
        self._place: Place | None = None

    def take(self, message: bytes, now: float) -> bool:
        """Follow a message. Returns whether it told a time."""
        read = self._reader.read(message)
        if len(message) == 2:
            self._heard = now
        if read is None:
            return False

        if read.stands:
            self._ahead.clear()
            self._heard = now - LOST
            self._place = Place(read.at, now, False, read.code.rate)
        else:
            self._go_on(read, now)
        return True

    def _go_on(self, read: Read, now: float) -> None:
        """A time that runs: by how much its clock is ahead of ours."""
        ahead = read.at - now
        if self._ahead and abs(ahead - self._middle) > JUMP:
            self._ahead.clear()
        self._ahead.append(ahead)
        self._place = Place(now + self._middle, now, True, read.code.rate)

    @property
    def _middle(self) -> float:
        known = sorted(self._ahead)
        half = len(known) // 2
        return known[half] if len(known) % 2 else (known[half - 1] + known[half]) / 2

    def place(self, now: float) -> Place | None:
        """Returns where the other is; one that is not heard stands where it was heard
        last. None where it has never been heard.
        """
        place = self._place
        if place is not None and place.runs and now - self._heard > LOST:
            self._ahead.clear()
            at = place.now(self._heard)
            self._place = place = Place(at, now, False, place.rate)
        return place


class Running(NamedTuple):
    """What somebody is told: when it began, on this machine's clock, and its frames."""

    began: float
    rate: Rate


class TimeCodeSender:
    """Tells others the time since something began. `say` sends to a device."""

    def __init__(self, say: Callable[[str, bytes], None]) -> None:
        self._say = say
        self._told: dict[str, Running] = {}
        self._next: dict[str, int] = {}  # the quarter that is told next
        self._changed = threading.Lock()
        self._wake = threading.Event()
        self._thread: threading.Thread | None = None
        self._ended = False

    def follow(self, wanted: Mapping[str, Running]) -> None:
        """Tell these devices, and no others. Never waits."""
        if wanted == self._told or self._ended:
            return

        now = time.monotonic()
        with self._changed:
            for port, running in wanted.items():
                if self._told.get(port) != running:
                    self._begin(port, running, now)
            self._told = dict(wanted)
        self._wake.set()
        if wanted and self._thread is None:
            self._thread = threading.Thread(
                target=self._run, name="time code", daemon=True
            )
            self._thread.start()

    def _begin(self, port: str, running: Running, now: float) -> None:
        """Say where it is, whole; the pieces begin with the next even frame."""
        at = max(0.0, now - running.began)
        self._say(port, full_frame(time_code(at, running.rate)))
        quarters = at / running.rate.seconds * 4.0
        self._next[port] = PIECES * -(-int(quarters) // PIECES)

    def end(self) -> None:
        """Tell nobody any more."""
        self._ended = True
        self._told = {}
        self._wake.set()

    def _run(self) -> None:
        while not self._ended:
            wait = IDLE if self._told else None
            with self._changed:
                for port, running in self._told.items():
                    wait = min(wait or IDLE, self._tell(port, running))
            self._wake.wait(wait)
            self._wake.clear()

    def _tell(self, port: str, running: Running) -> float:
        """Tell what is due. Returns in how many seconds the next is."""
        quarter = running.rate.seconds / 4.0
        now = time.monotonic()
        due = running.began + self._next[port] * quarter
        if now - due > LOST:
            self._begin(port, running, now)  # the machine stood still
            due = running.began + self._next[port] * quarter

        while due <= now:
            number, piece = divmod(self._next[port], PIECES)
            self._say(port, quarter_frame(of_number(2 * number, running.rate), piece))
            self._next[port] += 1
            due += quarter
        return max(SOON, due - time.monotonic())
