"""Universes that others send: sACN and Art-Net, heard."""

from __future__ import annotations

import contextlib
import socket
from typing import NamedTuple

from choreon.wire import artnet, sacn

LARGEST = 2048  # bytes of a packet


class Heard(NamedTuple):
    """A packet with levels. `source`: who sent it, the same from packet to packet;
    `name`: what it calls itself. `ended`: it says that it stops.
    """

    number: int
    source: bytes
    name: str
    priority: int
    slots: bytes
    ended: bool = False


def read(protocol: str, data: bytes, sender: str) -> Heard | None:
    """Returns what a packet holds; None where it holds no levels."""
    if protocol == "artnet":
        art = artnet.read_dmx(data)
        if art is None:
            return None
        return Heard(art.address, sender.encode(), sender, 100, art.slots)

    packet = sacn.read(data)
    if packet is None:
        return None
    return Heard(
        packet.universe,
        packet.cid,
        packet.source or sender,
        packet.priority,
        packet.slots,
        packet.terminated,
    )


class DmxPort:
    """A UDP port on which universes come in. Never waits."""

    def __init__(self, protocol: str, port: int) -> None:
        """Raises OSError where it is taken."""
        self.protocol = protocol
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            self._socket.setblocking(False)
            # other programs of this machine may listen too
            self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            usual = artnet.PORT if protocol == "artnet" else sacn.PORT
            self._socket.bind(("", port or usual))
        except (OSError, OverflowError):
            self._socket.close()
            raise

    def join(self, universe: int) -> None:
        """Listen to a universe that is sent to all who ask for it."""
        if self.protocol != "sacn" or not 1 <= universe <= sacn.MOST:
            return
        group = socket.inet_aton(sacn.multicast_address(universe))
        with contextlib.suppress(OSError):  # without a network there is nobody
            self._socket.setsockopt(
                socket.IPPROTO_IP,
                socket.IP_ADD_MEMBERSHIP,
                group + socket.inet_aton("0.0.0.0"),
            )

    def fileno(self) -> int:
        """The socket's number, to be waited for."""
        return self._socket.fileno()

    def receive(self) -> tuple[Heard, str] | None:
        """Returns what came, and from which address; None where nothing waits. What
        holds no levels is passed over.
        """
        while True:
            try:
                data, sender = self._socket.recvfrom(LARGEST)
            except OSError:
                return None
            heard = read(self.protocol, data, sender[0])
            if heard is not None:
                return heard, sender[0]

    def close(self) -> None:
        """Let the port go."""
        self._socket.close()
