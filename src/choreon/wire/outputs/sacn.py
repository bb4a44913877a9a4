"""Universes by sACN."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from typing import Protocol

import numpy as np

from choreon.wire import sacn
from choreon.wire.outputs.base import Packet, Stream
from choreon.wire.outputs.udp import NetworkDestination, UdpStream


class _Sacn(NetworkDestination, Protocol):
    @property
    def priority(self) -> int:
        """The priority, 0…200 (E1.31, section 6.2.3)."""

    @property
    def sync(self) -> int:
        """The universe of synchronisation packets; 0 for none."""


class SacnStream(UdpStream):
    """An output by sACN (ANSI E1.31)."""

    sequence_at = sacn.SEQUENCE_AT

    def build(self, universe: int, row: int) -> Packet | None:
        """Returns the packet of a universe; None beyond 1…63999."""
        d = self.destination
        own: _Sacn = d  # type: ignore[assignment]
        number = universe + d.shift

        if not 1 <= number <= sacn.MOST:
            return None

        port = d.port or sacn.PORT
        if own.sync and self.sync is None:
            to = (d.host or sacn.multicast_address(own.sync), port)
            self.sync = (sacn.build_sync(self.cid, own.sync), to)

        data = sacn.build(self.cid, self.source, number, own.priority, own.sync)
        slots = np.frombuffer(data, np.uint8)[sacn.DATA_AT :]
        to = (d.host or sacn.multicast_address(number), port)

        return Packet(data, slots, row, to, number)

    def count(self, data: bytearray) -> None:
        """Put the next sequence number into a packet."""
        data[sacn.SEQUENCE_AT] = (data[sacn.SEQUENCE_AT] + 1) & 0xFF

    def count_sync(self) -> None:
        """Put the next sequence number into the synchronisation packet."""
        if self.sync is not None:
            at = sacn.SYNC_SEQUENCE_AT
            self.sync[0][at] = (self.sync[0][at] + 1) & 0xFF

    def follow(self, before: Stream) -> None:
        """Go on with the sequence of synchronisation packets too."""
        super().follow(before)
        if not isinstance(before, SacnStream):
            return
        if self.sync is not None and before.sync is not None:
            at = sacn.SYNC_SEQUENCE_AT
            self.sync[0][at] = before.sync[0][at]

    def numbers(self) -> list[int]:
        """The universes on the wire."""
        return [packet.number for packet in self.packets]

    def announce(self, universes: Sequence[int]) -> None:
        """Tell which universes this source sends, on this and other outputs."""
        d = self.destination
        to = (d.host or sacn.multicast_address(sacn.DISCOVERY), d.port or sacn.PORT)
        if self.line is None:
            return
        for packet in sacn.build_discovery(self.cid, self.source, universes):
            with contextlib.suppress(OSError):
                self.line.sendto(packet, to)

    def mark_ended(self, packet: Packet) -> None:
        """Set the terminated bit (E1.31, section 6.2.6)."""
        packet.data[sacn.OPTIONS_AT] |= sacn.TERMINATED
