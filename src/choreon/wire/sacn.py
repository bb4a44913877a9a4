"""sACN (ANSI E1.31-2018): building, sending and reading its data packets."""

from __future__ import annotations

import contextlib
import socket
import struct
from collections.abc import Iterable, Sequence
from typing import NamedTuple, Protocol

import numpy as np
import numpy.typing as npt

PORT = 5568
SIZE = 638  # root 38 + framing 77 + DMP 523, table 4-1
SEQUENCE_AT, OPTIONS_AT, UNIVERSE_AT, DATA_AT = 111, 112, 113, 126
TERMINATED = 0x40  # options bit 6, section 6.2.6
_ACN = b"ASC-E1.17\0\0\0"


class Destination(Protocol):
    """Where universes go; `host` empty means multicast, `universes` empty means all."""

    @property
    def host(self) -> str: ...
    @property
    def port(self) -> int: ...
    @property
    def priority(self) -> int: ...
    @property
    def universes(self) -> Sequence[int]: ...
    @property
    def on(self) -> bool: ...


class Packet(NamedTuple):
    """A data packet that was read. `slots` holds up to 512 values."""

    cid: bytes
    source: str
    priority: int
    sequence: int
    terminated: bool
    universe: int
    slots: bytes


def build(cid: bytes, source: str, universe: int, priority: int = 100) -> bytearray:
    """A data packet of 638 bytes for 512 slots of zero. Sequence, options and slots are filled in place when sent.

    `cid` has 16 bytes; `source` is cut to 63 bytes of UTF-8.
    """
    name = source.encode()[:63].decode(errors="ignore").encode()
    root = struct.pack(">HH12sHI16s", 0x0010, 0, _ACN, 0x7000 | 622, 4, cid)
    framing = struct.pack(">HI64sBHBBH", 0x7000 | 600, 2, name, priority, 0, 0, 0, universe)
    dmp = struct.pack(">HBBHHHB", 0x7000 | 523, 0x02, 0xA1, 0, 1, 513, 0)
    return bytearray(root + framing + dmp + bytes(512))


def read(data: bytes) -> Packet | None:
    """Read a packet; None where it is not a whole E1.31 data packet with start code 0."""
    if len(data) < DATA_AT or data[4:16] != _ACN or data[18:22] != b"\0\0\0\4" or data[40:44] != b"\0\0\0\2":
        return None
    count = struct.unpack_from(">H", data, 123)[0]
    if data[117] != 0x02 or data[125] != 0 or not 1 <= count <= 513 or len(data) < DATA_AT + count - 1:
        return None
    source = data[44:108].split(b"\0")[0].decode(errors="replace")
    universe = struct.unpack_from(">H", data, UNIVERSE_AT)[0]
    slots = bytes(data[DATA_AT : DATA_AT + count - 1])
    ended = bool(data[OPTIONS_AT] & TERMINATED)
    return Packet(bytes(data[22:38]), source, data[108], data[SEQUENCE_AT], ended, universe, slots)


def multicast_address(universe: int) -> str:
    """239.255.hi.lo of the universe, section 9.3.1."""
    return f"239.255.{universe >> 8}.{universe & 0xFF}"


class Sender:
    """Sends frames to destinations from packets that were built beforehand."""

    def __init__(
        self,
        source: str,
        cid: bytes,
        destinations: Iterable[Destination],
        universes: Sequence[int],
        interface: str = "",
    ) -> None:
        """`interface`: the address of the network interface that multicast leaves by; empty: the system's choice."""
        self.universes = tuple(universes)
        self.errors = 0
        self.sent = 0
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.setblocking(False)
        self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 1 << 20)
        self._socket.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_TTL, 8)
        if interface:
            self._socket.setsockopt(socket.IPPROTO_IP, socket.IP_MULTICAST_IF, socket.inet_aton(interface))
        self._packets: list[tuple[bytearray, npt.NDArray[np.uint8], int, tuple[str, int]]] = []
        for destination in destinations:
            for row, universe in enumerate(self.universes if destination.on else ()):
                if not destination.universes or universe in destination.universes:
                    packet = build(cid, source, universe, destination.priority)
                    slots = np.frombuffer(packet, np.uint8)[DATA_AT:]
                    address = (destination.host or multicast_address(universe), destination.port)
                    self._packets.append((packet, slots, row, address))

    def take_over(self, before: Sender) -> None:
        """Go on with the sequence numbers of `before`, and end the streams that this sender no longer sends."""
        mine = {(address, p[UNIVERSE_AT], p[UNIVERSE_AT + 1]): p for p, _, _, address in self._packets}
        for packet, _, _, address in before._packets:
            key = (address, packet[UNIVERSE_AT], packet[UNIVERSE_AT + 1])
            if key in mine:
                mine[key][SEQUENCE_AT] = packet[SEQUENCE_AT]
            else:
                before._end(packet, address)
        before._socket.close()

    def send(self, frame: npt.NDArray[np.uint8]) -> None:
        """Send a frame (U, 512), rows in the order of `universes`. What cannot be sent is counted in `errors`."""
        for packet, slots, row, address in self._packets:
            slots[:] = frame[row]
            packet[SEQUENCE_AT] = (packet[SEQUENCE_AT] + 1) & 0xFF
            try:
                self._socket.sendto(packet, address)
                self.sent += 1
            except OSError:
                self.errors += 1

    def close(self) -> None:
        """End every stream: three packets with the terminated bit, section 6.2.6."""
        for packet, _, _, address in self._packets:
            self._end(packet, address)
        self._socket.close()

    def _end(self, packet: bytearray, address: tuple[str, int]) -> None:
        packet[OPTIONS_AT] |= TERMINATED
        for _ in range(3):
            packet[SEQUENCE_AT] = (packet[SEQUENCE_AT] + 1) & 0xFF
            with contextlib.suppress(OSError):
                self._socket.sendto(packet, address)
