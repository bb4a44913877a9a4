"""Universes by sACN."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from choreon.wire import sacn
from choreon.wire.outputs.base import Packet, Stream


class _Sacn(Protocol):
    @property
    def priority(self) -> int:
        """The priority, 0…200 (E1.31, section 6.2.3)."""

    @property
    def sync(self) -> int:
        """The universe of synchronisation packets; 0 for none."""


class SacnStream(Stream):
    """An output by sACN (ANSI E1.31)."""

    sequence_at, address_at = sacn.SEQUENCE_AT, sacn.UNIVERSE_AT

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
        return Packet(data, slots, row, to)

    def count(self, data: bytearray) -> None:
        """Put the next sequence number into a packet."""
        data[sacn.SEQUENCE_AT] = (data[sacn.SEQUENCE_AT] + 1) & 0xFF

    def count_sync(self) -> None:
        """Put the next sequence number into the synchronisation packet."""
        if self.sync is not None:
            at = sacn.SYNC_SEQUENCE_AT
            self.sync[0][at] = (self.sync[0][at] + 1) & 0xFF

    def mark_ended(self, packet: Packet) -> None:
        """Set the terminated bit (E1.31, section 6.2.6)."""
        packet.data[sacn.OPTIONS_AT] |= sacn.TERMINATED
