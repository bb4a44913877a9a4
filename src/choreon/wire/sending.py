"""Frames on their way out: one line for each output, by sACN or Art-Net, from packets
that were built beforehand.

A line that fails, because its network interface went away, say, is tried anew every few
seconds and disturbs no other.
"""

from __future__ import annotations

import contextlib
import socket
from collections.abc import Iterable, Sequence
from typing import NamedTuple, Protocol

import numpy as np
import numpy.typing as npt

from choreon.wire import artnet, sacn

AGAIN = 2.0  # seconds between attempts to open a line that failed

Frame = npt.NDArray[np.uint8]


class Destination(Protocol):
    """Where universes go; see the model's Output for what each field means."""

    @property
    def id(self) -> str: ...
    @property
    def protocol(self) -> str: ...
    @property
    def host(self) -> str: ...
    @property
    def port(self) -> int: ...
    @property
    def priority(self) -> int: ...
    @property
    def sync(self) -> int: ...
    @property
    def shift(self) -> int: ...
    @property
    def interface(self) -> str: ...
    @property
    def rate(self) -> float: ...
    @property
    def universes(self) -> Sequence[int]: ...
    @property
    def on(self) -> bool: ...


class Tally(NamedTuple):
    """What a line has done so far; `trouble` in words, empty while all is well."""

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


class Line:
    """One output."""

    def __init__(
        self,
        source: str,
        cid: bytes,
        destination: Destination,
        universes: Sequence[int],
    ) -> None:
        self.destination, self.universes = destination, tuple(universes)
        self.sent = self.errors = 0
        self.trouble = ""
        self._due = 0.0
        self._again = 0.0
        self._counter = 0
        self._socket: socket.socket | None = None
        art = destination.protocol == "artnet"
        self._build = self._artnet if art else self._sacn
        self._sequence_at = artnet.SEQUENCE_AT if art else sacn.SEQUENCE_AT
        self._source, self._cid = source, cid
        self._sync: tuple[bytearray, tuple[str, int]] | None = None
        self.packets = [
            packet
            for row, universe in enumerate(self.universes)
            if not destination.universes or universe in destination.universes
            if (packet := self._build(universe, row)) is not None
        ]

    def _sacn(self, universe: int, row: int) -> Packet | None:
        d = self.destination
        number = universe + d.shift
        if not 1 <= number <= 63999:
            return None
        data = sacn.build(self._cid, self._source, number, d.priority, d.sync)
        if d.sync and self._sync is None:
            to = (d.host or sacn.multicast_address(d.sync), d.port or sacn.PORT)
            self._sync = (sacn.build_sync(self._cid, d.sync), to)
        to = (d.host or sacn.multicast_address(number), d.port or sacn.PORT)
        return Packet(data, np.frombuffer(data, np.uint8)[sacn.DATA_AT :], row, to)

    def _artnet(self, universe: int, row: int) -> Packet | None:
        d = self.destination
        number = universe + d.shift
        if not 0 <= number <= artnet.MAX_ADDRESS:
            return None
        data = artnet.build_dmx(number)
        to = (d.host or "255.255.255.255", d.port or artnet.PORT)
        if d.sync and self._sync is None:
            self._sync = (bytearray(artnet.build_sync()), to)
        return Packet(data, np.frombuffer(data, np.uint8)[artnet.DATA_AT :], row, to)

    def _open(self, now: float) -> socket.socket | None:
        """The line's socket; None while it cannot be had."""
        if self._socket is not None or now < self._again:
            return self._socket
        self._again = now + AGAIN
        made = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            made.setblocking(False)
            made.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 1 << 20)
            made.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_TTL, 8)
            made.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
            if self.destination.interface:
                address = socket.inet_aton(self.destination.interface)
                made.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, address)
                made.bind((self.destination.interface, 0))
        except OSError as error:
            made.close()
            self.trouble = (
                f"The network interface {self.destination.interface} is "
                f"not there ({error.strerror})."
            )
            return None
        self._socket, self.trouble = made, ""
        return made

    def send(self, frame: Frame, now: float) -> None:
        """Send a frame (U, 512), rows in the order of `universes`, where the line's own
        rate makes it due.
        """
        rate = self.destination.rate
        if rate > 0:
            if now < self._due:
                return
            self._due = max(self._due + 1.0 / rate, now)
        line = self._open(now)
        if line is None:
            self.errors += len(self.packets)
            return
        failed = ""
        for packet in self.packets:
            packet.slots[:] = frame[packet.row]
            self._count(packet.data)
            try:
                line.sendto(packet.data, packet.to)
                self.sent += 1
            except OSError as error:
                self.errors += 1
                if not isinstance(error, BlockingIOError):
                    failed = error.strerror or str(error)
        if self._sync is not None and self.packets:
            self._count_sync()
            with contextlib.suppress(OSError):
                line.sendto(self._sync[0], self._sync[1])
        self._judge(failed, now)

    def _judge(self, failed: str, now: float) -> None:
        """A line that fails is closed, to be opened anew."""
        if failed:
            self.trouble = f"{self.packets[0].to[0]} cannot be reached: {failed}."
            self._again = now + AGAIN
            if self._socket is not None:
                self._socket.close()
                self._socket = None

    def _count(self, data: bytearray) -> None:
        data[self._sequence_at] = (data[self._sequence_at] + 1) & 0xFF
        if self._sequence_at == artnet.SEQUENCE_AT and data[artnet.SEQUENCE_AT] == 0:
            data[artnet.SEQUENCE_AT] = 1  # 0 would mean that packets are not counted

    def _count_sync(self) -> None:
        if self._sync is not None and self.destination.protocol == "sacn":
            data = self._sync[0]
            data[sacn.SYNC_SEQUENCE_AT] = (data[sacn.SYNC_SEQUENCE_AT] + 1) & 0xFF

    def keys(self) -> dict[tuple[str, int, int], Packet]:
        """The line's streams by where they go and which universe they are."""
        at = (
            artnet.ADDRESS_AT
            if self.destination.protocol == "artnet"
            else sacn.UNIVERSE_AT
        )
        return {(*p.to, p.data[at] << 8 | p.data[at + 1]): p for p in self.packets}

    def follow(self, before: Line) -> None:
        """Go on with the counts and the sequence numbers of `before`, and end what this
        line no longer sends.
        """
        mine = self.keys()
        for key, packet in before.keys().items():
            if key in mine:
                mine[key].data[self._sequence_at] = packet.data[before._sequence_at]
            else:
                before._end(packet)
        self.sent, self.errors = before.sent, before.errors
        before.shut()

    def _end(self, packet: Packet) -> None:
        """Three packets with the terminated bit (E1.31, section 6.2.6); Art-Net gets
        three dark ones.
        """
        for _ in range(3):
            if self.destination.protocol == "sacn":
                packet.data[sacn.OPTIONS_AT] |= sacn.TERMINATED
            else:
                packet.slots[:] = 0
            self._count(packet.data)
            if self._socket is not None:
                with contextlib.suppress(OSError):
                    self._socket.sendto(packet.data, packet.to)

    def close(self) -> None:
        """End every stream."""
        for packet in self.packets:
            self._end(packet)
        self.shut()

    def shut(self) -> None:
        if self._socket is not None:
            self._socket.close()
            self._socket = None


class Sender:
    """All outputs of a show. A destination that is off has no line."""

    def __init__(
        self,
        source: str,
        cid: bytes,
        destinations: Iterable[Destination],
        universes: Sequence[int],
    ) -> None:
        self.universes = tuple(universes)
        self._source = source
        self.lines = {
            d.id: Line(source, cid, d, universes) for d in destinations if d.on
        }

    @property
    def sent(self) -> int:
        return sum(line.sent for line in self.lines.values())

    @property
    def errors(self) -> int:
        return sum(line.errors for line in self.lines.values())

    def tallies(self) -> list[Tally]:
        return [
            Tally(i, line.sent, line.errors, line.trouble)
            for i, line in self.lines.items()
        ]

    def take_over(self, before: Sender) -> None:
        """Go on where `before` is: lines that stay the same are kept as they are,
        changed ones follow, others end.
        """
        for i, old in before.lines.items():
            new = self.lines.get(i)
            same = (
                new is not None
                and before._source == self._source
                and old.universes == new.universes
            )
            if same and new is not None and old.destination == new.destination:
                self.lines[i] = old
            elif (
                new is not None and new.destination.protocol == old.destination.protocol
            ):
                new.follow(old)
            else:
                old.close()

    def send(self, frame: Frame, now: float) -> None:
        """Send a frame (U, 512), rows in the order of `universes`. What cannot be sent
        is counted in `errors`.
        """
        for line in self.lines.values():
            line.send(frame, now)

    def close(self) -> None:
        """End every stream."""
        for line in self.lines.values():
            line.close()
