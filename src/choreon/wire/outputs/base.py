"""What all outputs have in common: packets built beforehand, a rate, counts."""

from __future__ import annotations

import contextlib
import logging
import time
from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import Any, NamedTuple, Protocol

import numpy as np
import numpy.typing as npt

from choreon.language import tr

log = logging.getLogger(__name__)

AGAIN = 2.0  # seconds between attempts to open a stream that failed
REPEATS = 3  # how often the same is sent before a stream rests (E1.31, section 6.6.1)
KEEP_ALIVE = 0.9  # seconds between packets of a stream that rests (E1.31: 0.8 to 1)

UNTIL_CHANGED = tr("Nothing is sent here until that is changed.")
"""What the trouble of an output ends with that is not tried again by itself."""

Frame = npt.NDArray[np.uint8]


class Destination(Protocol):
    """Where universes go; the model's Output says what each field means."""

    @property
    def id(self) -> str:
        """The output's id in the show."""

    @property
    def kind(self) -> str:
        """The protocol."""

    @property
    def rate(self) -> float:
        """Frames a second at most; 0 for all."""

    @property
    def rest(self) -> bool:
        """Whether it rests while nothing changes."""

    @property
    def universes(self) -> Sequence[int]:
        """The universes it sends; none for all."""

    @property
    def on(self) -> bool:
        """Whether it sends at all."""


class Tally(NamedTuple):
    """What a stream has done so far; `trouble` in words, empty while all is well."""

    id: str
    sent: int
    errors: int
    trouble: str


class Packet(NamedTuple):
    """A packet, the slots within it, the row of the frame that fills them, where it
    goes as its stream knows it, and the number of its universe there.
    """

    data: bytearray
    slots: Frame
    row: int
    to: Any
    number: int


class Stream(ABC):
    """One output. A kind of it builds packets, writes them and ends them."""

    def __init__(
        self,
        source: str,
        cid: bytes,
        destination: Destination,
        universes: Sequence[int],
    ) -> None:
        self.source, self.cid = source, cid
        self.destination, self.universes = destination, tuple(universes)
        self.sent = self.errors = 0
        self.trouble = ""

        self._due = self._again = 0.0
        self._late: Frame | None = None  # a frame that the rate did not let through yet
        self._repeats = 0
        self._last = 0.0  # when it last sent

        self._logged = False  # a fault that was not foreseen
        self.packets = [
            packet
            for row, universe in enumerate(self.universes)
            if not destination.universes or universe in destination.universes
            if (packet := self.build(universe, row)) is not None
        ]

    # what a kind of output says

    @abstractmethod
    def build(self, universe: int, row: int) -> Packet | None:
        """Returns the packet of a universe; None where the protocol has no number for
        it.
        """

    @abstractmethod
    def open(self) -> None:
        """Open the way out. Never waits. Raises OSError with a text for users."""

    @property
    @abstractmethod
    def is_open(self) -> bool:
        """Whether it is open."""

    @abstractmethod
    def write(self, packet: Packet) -> None:
        """Put a packet on the way out. Never waits. Raises OSError."""

    @abstractmethod
    def shut(self) -> None:
        """Close the way out without a word."""

    @abstractmethod
    def mark_ended(self, packet: Packet) -> None:
        """Have a packet say that its stream ends."""

    def written(self) -> None:  # noqa: B027 - a kind may have nothing to do then
        """All packets of a frame have been written."""

    def go_on(self, packet: Packet, before: Packet) -> None:  # noqa: B027 - likewise
        """A packet follows one of the stream before."""

    @property
    def receiver(self) -> str:
        """Who its packets go to, in words."""
        return tr("The receiver")

    # sending

    def send(self, frame: Frame, now: float) -> None:
        """Send a frame (U, 512), rows in the order of `universes`, where the stream's
        own rate makes it due.
        """
        self._repeats = 0
        if not self._is_due(now):
            self._late = frame
            return
        for packet in self.packets:
            packet.slots[:] = frame[packet.row]
        self._late = None
        self._out(now)

    def repeat(self, now: float) -> None:
        """Nothing changed: send the same once more, or rest, as the output wants it."""
        resting = self.destination.rest and self._repeats >= REPEATS
        if resting and self._late is None and now < self._last + KEEP_ALIVE:
            return
        if not self._is_due(now):
            return
        if self._late is not None:
            for packet in self.packets:
                packet.slots[:] = self._late[packet.row]
            self._late = None
        self._repeats += 1
        self._out(now)

    def _is_due(self, now: float) -> bool:
        rate = self.destination.rate
        if rate <= 0:
            return True
        if now < self._due:
            return False
        self._due = max(self._due + 1.0 / rate, now)
        return True

    def _out(self, now: float) -> None:
        """Send all packets as they are."""
        self._last = now
        if not self._opened(now):
            self.errors += len(self.packets)
            return

        failed = ""
        for packet in self.packets:
            try:
                self.write(packet)
                self.sent += 1
            except OSError as error:
                self.errors += 1
                if not isinstance(error, BlockingIOError):
                    failed = error.strerror or str(error)

        if self.packets:
            self.written()

        self._judge(failed, now)

    def _opened(self, now: float) -> bool:
        """Whether it is open by now; one that cannot be opened is tried anew later."""
        if self.is_open or now < self._again:
            return self.is_open

        self._again = now + AGAIN
        try:
            self.open()
        except OSError as error:
            self.trouble = str(error)
            return False

        self.trouble = ""
        return True

    def _judge(self, failed: str, now: float) -> None:
        """A stream that fails is closed, to be opened anew."""
        if failed:
            self.trouble = tr(
                "{receiver} cannot be reached: {failed}.",
                receiver=self.receiver,
                failed=failed,
            )
            self._again = now + AGAIN
            self.shut()

    def fail(self, error: Exception) -> None:
        """Something that is not foreseen went wrong: it is told, and tried anew
        later.
        """
        self.errors += max(1, len(self.packets))
        if not self._logged:
            self._logged = True
            log.error("the output %s failed", self.destination.id, exc_info=error)
        self.trouble = tr(
            "It cannot send: {name}: {error}.", name=type(error).__name__, error=error
        )
        self._again = time.monotonic() + AGAIN
        with contextlib.suppress(Exception):
            self.shut()

    # following each other

    def keys(self) -> dict[tuple[Any, int], Packet]:
        """Returns the packets by where they go and which universe they are there."""
        return {(packet.to, packet.number): packet for packet in self.packets}

    def follow(self, before: Stream) -> None:
        """Go on with the counts of `before`, a stream of the same kind, and end what
        this one no longer sends.
        """
        mine = self.keys()
        for key, packet in before.keys().items():
            if key in mine:
                self.go_on(mine[key], packet)
            else:
                before.end(packet)
        self.sent, self.errors = before.sent, before.errors
        before.shut()

    def end(self, packet: Packet) -> None:
        """End what a packet belongs to: it is said three times."""
        for _ in range(REPEATS):
            self.mark_ended(packet)
            if self.is_open:
                with contextlib.suppress(OSError, ValueError, OverflowError):
                    self.write(packet)

    def close(self) -> None:
        """End every universe."""
        for packet in self.packets:
            self.end(packet)
        self.shut()


class Idle(Stream):
    """An output that cannot send: it only says why."""

    is_open = False

    def __init__(
        self, source: str, cid: bytes, destination: Destination, why: str
    ) -> None:
        super().__init__(source, cid, destination, ())
        self.trouble = f"{why}. {UNTIL_CHANGED}"

    def build(self, universe: int, row: int) -> Packet | None:
        """There is none."""
        return None

    def send(self, frame: Frame, now: float) -> None:
        """Send nothing."""

    def repeat(self, now: float) -> None:
        """Send nothing."""

    def open(self) -> None:
        """There is no way out."""

    def write(self, packet: Packet) -> None:
        """There is no way out."""

    def shut(self) -> None:
        """There is no way out."""

    def mark_ended(self, packet: Packet) -> None:
        """There is nothing to end."""
