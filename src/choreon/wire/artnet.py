"""Art-Net 4: building, sending and reading its packets, and finding the nodes that
speak it.

Section names are those of the Art-Net 4 specification, document revision 1.4.
"""

from __future__ import annotations

import contextlib
import selectors
import socket
import struct
import threading
import time
from collections.abc import Callable, Iterable
from typing import NamedTuple

from choreon.language import tr

PORT = 6454  # 0x1936
ID = b"Art-Net\0"
PROTOCOL = 14
POLL, POLL_REPLY, DMX, SYNC = 0x2000, 0x2100, 0x5000, 0x5200
SEQUENCE_AT, ADDRESS_AT, DATA_AT = 12, 14, 18
BIND_AT = 207  # address of a node's root, then the number of a reply among its others
MAX_ADDRESS = 0x7FFF  # net 7 bits, sub-net 4, universe 4


class Dmx(NamedTuple):
    """An ArtDmx packet that was read. `sequence` 0: not counted."""

    sequence: int
    address: int
    slots: bytes


class Reply(NamedTuple):
    """What a node says of itself: its addresses, and the port-addresses it puts out.
    A node with more than four outputs says it in several replies, each with a number
    `bind` of its own (“BindIndex”; 0 or 1: the first) and the address of the `root`.
    """

    host: str
    name: str
    long_name: str
    outputs: tuple[int, ...]
    report: str
    root: str = ""
    bind: int = 0


def _head(code: int) -> bytes:
    return ID + struct.pack("<H", code) + struct.pack(">H", PROTOCOL)


def build_dmx(address: int) -> bytearray:
    """An ArtDmx packet of 512 slots of zero to a port-address 0…32767. Sequence and
    slots are filled in when sent.
    """
    if not 0 <= address <= MAX_ADDRESS:
        raise ValueError(
            tr(
                "{address} is no Art-Net port-address; they go from 0 to {most}",
                address=address,
                most=MAX_ADDRESS,
            )
        )
    return bytearray(
        _head(DMX)
        + struct.pack("<BBH", 0, 0, address)
        + struct.pack(">H", 512)
        + bytes(512)
    )


def build_poll() -> bytes:
    """An ArtPoll that asks every node to answer."""
    return _head(POLL) + bytes([0x00, 0x00])


def build_sync() -> bytes:
    """An ArtSync: nodes put out together what they were sent."""
    return _head(SYNC) + bytes(2)


def build_replies(
    host: str, name: str, outputs: Iterable[int], report: str = ""
) -> list[bytes]:
    """As many ArtPollReplies as a node needs for its outputs: four in each, which share
    a net and sub-net.
    """
    groups: list[list[int]] = []
    for port in outputs:
        last = groups[-1] if groups else []
        if not last or len(last) == 4 or last[0] >> 4 != port >> 4:
            groups.append([])

        groups[-1].append(port)

    return [
        build_reply(host, name, group, report, index)
        for index, group in enumerate(groups or [[]], 1)
    ]


def build_reply(
    host: str, name: str, outputs: Iterable[int], report: str = "", index: int = 1
) -> bytes:
    """An ArtPollReply of 239 bytes for up to four outputs that share a net and
    sub-net. `index`: the number of this reply among those of the node.
    """
    ports = list(outputs)[:4]
    net, sub = (ports[0] >> 8 & 0x7F, ports[0] >> 4 & 0xF) if ports else (0, 0)
    packet = bytearray(239)
    packet[0:10] = ID + struct.pack("<H", POLL_REPLY)
    packet[10:14] = socket.inet_aton(host)

    struct.pack_into("<H", packet, 14, PORT)
    struct.pack_into(">H", packet, 16, 1)  # firmware
    packet[18], packet[19] = net, sub
    packet[23] = 0xD0  # status: ready, set by network
    packet[26:44] = name.encode()[:17].ljust(18, b"\0")

    packet[44:108] = (
        tr("{name}, simulated by Choreon", name=name).encode()[:63].ljust(64, b"\0")
    )
    packet[108:172] = report.encode()[:63].ljust(64, b"\0")
    struct.pack_into(">H", packet, 172, len(ports))

    for i, port in enumerate(ports):
        packet[174 + i] = 0x80  # puts out DMX512
        packet[182 + i] = 0x80  # data goes out
        packet[190 + i] = port & 0xF

    packet[BIND_AT : BIND_AT + 4] = socket.inet_aton(host)
    packet[BIND_AT + 4] = index
    return bytes(packet)


def code_of(data: bytes) -> int | None:
    """The operation of a packet; None where it is not Art-Net."""
    if len(data) < 10 or data[:8] != ID:
        return None
    return int(struct.unpack_from("<H", data, 8)[0])


def read_dmx(data: bytes) -> Dmx | None:
    """Read an ArtDmx packet; None where it is none, or is cut off."""
    if code_of(data) != DMX or len(data) < DATA_AT:
        return None
    count = struct.unpack_from(">H", data, 16)[0]
    if not 2 <= count <= 512 or len(data) < DATA_AT + count:
        return None
    address = struct.unpack_from("<H", data, ADDRESS_AT)[0] & MAX_ADDRESS
    return Dmx(data[SEQUENCE_AT], address, bytes(data[DATA_AT : DATA_AT + count]))


def read_reply(data: bytes) -> Reply | None:
    """Read an ArtPollReply; None where it is none, or too short to say anything."""
    if code_of(data) != POLL_REPLY or len(data) < 194:
        return None

    host = socket.inet_ntoa(data[10:14])

    def text(start: int, end: int) -> str:
        return data[start:end].split(b"\0")[0].decode(errors="replace")

    base = (data[18] & 0x7F) << 8 | (data[19] & 0xF) << 4
    outputs = tuple(
        base | data[190 + i] & 0xF for i in range(4) if data[174 + i] & 0x80
    )
    root, bind = host, 0

    if len(data) > BIND_AT + 4:
        bound = data[BIND_AT : BIND_AT + 4]
        root = socket.inet_ntoa(bound) if any(bound) else host
        bind = data[BIND_AT + 4]

    names = text(26, 44), text(44, 108)
    return Reply(host, *names, outputs, text(108, 172), root, bind)


def as_nodes(replies: Iterable[Reply]) -> list[Reply]:
    """Replies of the same node as one, with the outputs of all of them."""
    nodes: dict[tuple[str, str], list[Reply]] = {}
    for reply in replies:
        alone = "" if reply.bind else reply.name
        nodes.setdefault((reply.root, alone), []).append(reply)
    found = []
    for parts in nodes.values():
        parts.sort(key=lambda reply: reply.bind)
        outputs = (port for reply in parts for port in reply.outputs)
        found.append(parts[0]._replace(outputs=tuple(dict.fromkeys(outputs))))
    return found


EVERYBODY = ("255.255.255.255", PORT)
"""Whom a broadcast reaches."""


class Finder:
    """Asks for nodes every few seconds, and hears them answer. `found(nodes)` is called
    in its own thread.
    """

    EVERY = 2.8  # “ArtPoll”: a controller polls every 2.5 to 3 seconds
    GONE = 10.0

    def __init__(
        self,
        found: Callable[[list[Reply]], None],
        hosts: Iterable[str] = (),
        port: int = PORT,
        everywhere: bool = False,
    ) -> None:
        """`hosts`: asked directly at `port`; all others only if `everywhere`. Raises
        OSError where no socket is to be had.
        """
        self._found = found
        self.asked = [(host, port) for host in hosts]
        if everywhere:
            self.asked.append(EVERYBODY)

        self._sockets = [_open("", 0)]

        with contextlib.suppress(
            OSError
        ):  # nodes answer to the protocol's own port, where it is to be had
            self._sockets.append(_open("", PORT))

        self._nodes: dict[tuple[str, str, int], tuple[float, Reply]] = {}
        self._ended = False
        self._thread = threading.Thread(target=self._run, name="art-poll", daemon=True)
        self._thread.start()

    def _run(self) -> None:
        due = 0.0
        with selectors.DefaultSelector() as selector:
            for one in self._sockets:
                selector.register(one, selectors.EVENT_READ)
            while not self._ended:
                if time.monotonic() >= due:
                    due = time.monotonic() + self.EVERY
                    self._ask()
                for key, _ in selector.select(0.1):
                    assert isinstance(key.fileobj, socket.socket)
                    with contextlib.suppress(OSError):
                        self._hear(key.fileobj.recv(1024))

    def _ask(self) -> None:
        for asked in self.asked:
            with contextlib.suppress(OSError):
                self._sockets[0].sendto(build_poll(), asked)
        now = time.monotonic()
        gone = [key for key, (seen, _) in self._nodes.items() if now - seen > self.GONE]
        for key in gone:
            del self._nodes[key]
        if gone:
            self._tell()

    def _hear(self, data: bytes) -> None:
        reply = read_reply(data)
        if reply is None:
            return
        key = (reply.root, reply.name, reply.bind)
        known = self._nodes.get(key)
        self._nodes[key] = (time.monotonic(), reply)
        if known is None or known[1]._replace(report="") != reply._replace(report=""):
            self._tell()

    def _tell(self) -> None:
        self._found(as_nodes(reply for _, reply in self._nodes.values()))

    def close(self) -> None:
        """Stop looking for nodes."""
        self._ended = True
        self._thread.join(1)
        for one in self._sockets:
            one.close()


def _open(interface: str, port: int) -> socket.socket:
    made = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    try:
        made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        made.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
        made.bind((interface, port))
        made.setblocking(False)
    except OSError:
        made.close()
        raise
    return made
