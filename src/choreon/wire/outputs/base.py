"""What all outputs have in common: packets built beforehand, a socket, a
rate, counts.
"""

from __future__ import annotations

import contextlib
import logging
import socket
import time
from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import ClassVar, NamedTuple, Protocol

import numpy as np
import numpy.typing as npt

log = logging.getLogger(__name__)

AGAIN = 2.0  # seconds between attempts to open a stream that failed
REPEATS = 3  # how often the same is sent before a stream rests (E1.31, section 6.6.1)
KEEP_ALIVE = 0.9  # seconds between packets of a stream that rests (E1.31: 0.8 to 1)

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
    def host(self) -> str:
        """Who it is sent to; empty for everybody."""

    @property
    def port(self) -> int:
        """The UDP port."""

    @property
    def shift(self) -> int:
        """What is added to a show's universe on the wire."""

    @property
    def interface(self) -> str:
        """The address of the network card; empty for any."""

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
    """A packet, the slots within it, the row of the frame that fills them, and where it
    goes.
    """

    data: bytearray
    slots: Frame
    row: int
    to: tuple[str, int]


class Stream(ABC):
    """One output. A kind of it builds packets, counts them and ends them."""

    sequence_at: ClassVar[int]
    address_at: ClassVar[int]

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
        self.sync: tuple[bytearray, tuple[str, int]] | None = None

        self._due = self._again = 0.0
        self._socket: socket.socket | None = None
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
    def count(self, data: bytearray) -> None:
        """Put the next sequence number into a packet."""

    @abstractmethod
    def mark_ended(self, packet: Packet) -> None:
        """Have a packet say that its stream ends."""

    @abstractmethod
    def count_sync(self) -> None:
        """Put the next sequence number into the synchronisation packet."""

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
        line = self._open(now)
        if line is None:
            self.errors += len(self.packets)
            return

        failed = ""
        for packet in self.packets:
            self.count(packet.data)
            try:
                line.sendto(packet.data, packet.to)
                self.sent += 1
            except OSError as error:
                self.errors += 1
                if not isinstance(error, BlockingIOError):
                    failed = error.strerror or str(error)

        if self.sync is not None and self.packets:
            self.count_sync()
            with contextlib.suppress(OSError):
                line.sendto(*self.sync)

        self._judge(failed, now)

    def _open(self, now: float) -> socket.socket | None:
        """The stream's socket; None while it cannot be had."""
        if self._socket is not None or now < self._again:
            return self._socket

        self._again = now + AGAIN
        made = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        interface = self.destination.interface

        try:
            made.setblocking(False)
            made.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 1 << 20)
            made.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_TTL, 8)
            made.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)

            if interface:
                address = socket.inet_aton(interface)
                made.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, address)
                made.bind((interface, 0))
        except OSError as error:
            made.close()
            what = f"The network interface {interface} is not there"
            self.trouble = f"{what} ({error.strerror})."

            return None

        self._socket, self.trouble = made, ""
        return made

    def _judge(self, failed: str, now: float) -> None:
        """A stream that fails is closed, to be opened anew."""
        if failed:
            self.trouble = f"{self.packets[0].to[0]} cannot be reached: {failed}."
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
        self.trouble = f"It cannot send: {type(error).__name__}: {error}."
        self._again = time.monotonic() + AGAIN
        with contextlib.suppress(Exception):
            self.shut()

    # following each other

    def keys(self) -> dict[tuple[str, int, int], Packet]:
        """Returns the packets by where they go and which universe they are."""
        at = self.address_at
        return {(*p.to, p.data[at] << 8 | p.data[at + 1]): p for p in self.packets}

    def follow(self, before: Stream) -> None:
        """Go on with the counts and the sequence numbers of `before`, and end what this
        stream no longer sends.
        """
        mine = self.keys()
        for key, packet in before.keys().items():
            if key in mine:
                at = self.sequence_at
                mine[key].data[at] = packet.data[before.sequence_at]
            else:
                before.end(packet)
        self.sent, self.errors = before.sent, before.errors
        before.shut()

    def end(self, packet: Packet) -> None:
        """End what a packet belongs to: it is said three times."""
        for _ in range(REPEATS):
            self.mark_ended(packet)
            self.count(packet.data)
            if self._socket is not None:
                with contextlib.suppress(OSError, ValueError, OverflowError):
                    self._socket.sendto(packet.data, packet.to)

    def close(self) -> None:
        """End every universe."""
        for packet in self.packets:
            self.end(packet)
        self.shut()

    def shut(self) -> None:
        """Close the socket without a word."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None


class Idle(Stream):
    """An output that cannot send: it only says why."""

    sequence_at = address_at = 0

    def __init__(
        self, source: str, cid: bytes, destination: Destination, why: str
    ) -> None:
        super().__init__(source, cid, destination, ())
        self.trouble = f"{why}. Nothing is sent here until that is changed."

    def build(self, universe: int, row: int) -> Packet | None:
        """There is none."""
        return None

    def send(self, frame: Frame, now: float) -> None:
        """Send nothing."""

    def repeat(self, now: float) -> None:
        """Send nothing."""

    def count(self, data: bytearray) -> None:
        """There is nothing to count."""

    def mark_ended(self, packet: Packet) -> None:
        """There is nothing to end."""

    def count_sync(self) -> None:
        """There is nothing to count."""
