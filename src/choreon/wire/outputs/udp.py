"""What outputs over a network have in common: a UDP socket, and packets that are
counted.
"""

from __future__ import annotations

import contextlib
import socket
from abc import abstractmethod
from collections.abc import Sequence
from typing import ClassVar, Protocol

from choreon.language import tr
from choreon.wire.outputs.base import Destination, Packet, Stream


class NetworkDestination(Destination, Protocol):
    """Where universes go over a network; the model's NetworkOutput says what each field
    means.
    """

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


Address = tuple[str, int]


class UdpStream(Stream):
    """An output by UDP. A kind of it builds packets and counts them."""

    sequence_at: ClassVar[int]

    destination: NetworkDestination

    def __init__(
        self,
        source: str,
        cid: bytes,
        destination: NetworkDestination,
        universes: Sequence[int],
    ) -> None:
        self.sync: tuple[bytearray, Address] | None = None
        self.line: socket.socket | None = None
        super().__init__(source, cid, destination, universes)

    # what a kind of protocol says

    @abstractmethod
    def count(self, data: bytearray) -> None:
        """Put the next sequence number into a packet."""

    @abstractmethod
    def count_sync(self) -> None:
        """Put the next sequence number into the synchronisation packet."""

    # what a stream does

    def open(self) -> None:
        """Make the socket. Raises OSError with a text for users."""
        interface = self.destination.interface
        made = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)

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
            what = tr(
                "The network interface {interface} is not there", interface=interface
            )
            raise OSError(f"{what} ({error.strerror}).") from None

        self.line = made

    def write(self, packet: Packet) -> None:
        """Send a packet with its next number. Raises OSError."""
        self.count(packet.data)
        assert self.line is not None
        self.line.sendto(packet.data, packet.to)

    def written(self) -> None:
        """Have receivers show together what they were sent."""
        if self.sync is not None and self.line is not None:
            self.count_sync()
            with contextlib.suppress(OSError):
                self.line.sendto(*self.sync)

    @property
    def is_open(self) -> bool:
        """Whether there is a socket."""
        return self.line is not None

    def shut(self) -> None:
        """Close the socket without a word."""
        if self.line is not None:
            self.line.close()
            self.line = None

    def go_on(self, packet: Packet, before: Packet) -> None:
        """Count on from a packet of the stream before."""
        packet.data[self.sequence_at] = before.data[self.sequence_at]

    @property
    def receiver(self) -> str:
        """Who its packets go to."""
        return str(self.packets[0].to[0]) if self.packets else self.destination.host
