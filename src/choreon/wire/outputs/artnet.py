"""Universes by Art-Net."""

from __future__ import annotations

import numpy as np

from choreon.wire import artnet
from choreon.wire.outputs.base import Packet
from choreon.wire.outputs.udp import UdpStream


class ArtnetStream(UdpStream):
    """An output by Art-Net 4."""

    sequence_at = artnet.SEQUENCE_AT

    def build(self, universe: int, row: int) -> Packet | None:
        """Returns the packet of a universe; None beyond the port-addresses."""
        d = self.destination
        number = universe + d.shift
        if not 0 <= number <= artnet.MAX_ADDRESS:
            return None
        data = artnet.build_dmx(number)
        to = (d.host or "255.255.255.255", d.port or artnet.PORT)
        if getattr(d, "sync", False) and self.sync is None:
            self.sync = (bytearray(artnet.build_sync()), to)
        slots = np.frombuffer(data, np.uint8)[artnet.DATA_AT :]
        return Packet(data, slots, row, to, number)

    def count(self, data: bytearray) -> None:
        """Put the next sequence number, 1…255, into a packet: 0 would mean that packets
        are not counted.
        """
        number = (data[artnet.SEQUENCE_AT] + 1) & 0xFF
        data[artnet.SEQUENCE_AT] = number or 1

    def count_sync(self) -> None:
        """ArtSync is not counted."""

    def mark_ended(self, packet: Packet) -> None:
        """Art-Net has no word for it: the last packets are dark."""
        packet.slots[:] = 0
