"""sACN (ANSI E1.31-2018): building and reading its packets."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from typing import NamedTuple

PORT = 5568
MOST = 63999  # the highest universe, section 6.2.7
SIZE = 638  # root 38 + framing 77 + DMP 523, table 4-1
SEQUENCE_AT, OPTIONS_AT, UNIVERSE_AT, DATA_AT = 111, 112, 113, 126
SYNC_AT, SYNC_SEQUENCE_AT = 109, 44
DISCOVERY = 64214  # the universe of discovery packets, section 6.2.7
DISCOVERY_EVERY = 10.0  # seconds, appendix A: E131_UNIVERSE_DISCOVERY_INTERVAL
DISCOVERY_PAGE = 512  # universes in a packet, section 8
TERMINATED = 0x40  # options bit 6, section 6.2.6
_ACN = b"ASC-E1.17\0\0\0"


class SacnPacket(NamedTuple):
    """A data packet that was read. `slots` holds up to 512 values."""

    cid: bytes
    source: str
    priority: int
    sequence: int
    terminated: bool
    universe: int
    slots: bytes
    sync: int = 0


def build(
    cid: bytes, source: str, universe: int, priority: int = 100, sync: int = 0
) -> bytearray:
    """A data packet of 638 bytes for 512 slots of zero. Sequence, options and slots are
    filled in place when sent.

    `cid` has 16 bytes; `source` is cut to 63 bytes of UTF-8. `sync`: the universe of
    the synchronisation packets that the receiver shall wait for (section 6.2.4); 0: it
    does not wait.
    """
    name = source.encode()[:63].decode(errors="ignore").encode()
    root = struct.pack(">HH12sHI16s", 0x0010, 0, _ACN, 0x7000 | 622, 4, cid)
    framing = struct.pack(
        ">HI64sBHBBH", 0x7000 | 600, 2, name, priority, sync, 0, 0, universe
    )
    dmp = struct.pack(">HBBHHHB", 0x7000 | 523, 0x02, 0xA1, 0, 1, 513, 0)

    return bytearray(root + framing + dmp + bytes(512))


def read(data: bytes) -> SacnPacket | None:
    """Read a packet; None where it is not a whole E1.31 data packet with start
    code 0.
    """
    if (
        len(data) < DATA_AT
        or data[4:16] != _ACN
        or data[18:22] != b"\0\0\0\4"
        or data[40:44] != b"\0\0\0\2"
    ):
        return None

    count = struct.unpack_from(">H", data, 123)[0]
    if (
        data[117] != 0x02
        or data[125] != 0
        or not 1 <= count <= 513
        or len(data) < DATA_AT + count - 1
    ):
        return None

    source = data[44:108].split(b"\0")[0].decode(errors="replace")
    universe = struct.unpack_from(">H", data, UNIVERSE_AT)[0]
    slots = bytes(data[DATA_AT : DATA_AT + count - 1])
    ended = bool(data[OPTIONS_AT] & TERMINATED)
    sync = struct.unpack_from(">H", data, SYNC_AT)[0]

    return SacnPacket(
        bytes(data[22:38]),
        source,
        data[108],
        data[SEQUENCE_AT],
        ended,
        universe,
        slots,
        sync,
    )


def build_sync(cid: bytes, universe: int) -> bytearray:
    """A synchronisation packet of 49 bytes, table 4-2 and section 6.3."""
    root = struct.pack(">HH12sHI16s", 0x0010, 0, _ACN, 0x7000 | 33, 8, cid)
    return bytearray(root + struct.pack(">HIBHH", 0x7000 | 11, 1, 0, universe, 0))


def read_sync(data: bytes) -> int | None:
    """The universe of a synchronisation packet; None where it is none."""
    if (
        len(data) < 49
        or data[4:16] != _ACN
        or data[18:22] != b"\0\0\0\x08"
        or data[40:44] != b"\0\0\0\x01"
    ):
        return None
    return int(struct.unpack_from(">H", data, 45)[0])


def build_discovery(cid: bytes, source: str, universes: Sequence[int]) -> list[bytes]:
    """The packets that tell which universes a source sends, in pages of up to 512
    (sections 4.3 and 8, table 8-9).
    """
    numbers = sorted(set(universes))
    pages = [
        numbers[at : at + DISCOVERY_PAGE]
        for at in range(0, max(1, len(numbers)), DISCOVERY_PAGE)
    ]

    name = source.encode()[:63].decode(errors="ignore").encode()
    packets = []

    for page, on_it in enumerate(pages):
        count = 2 * len(on_it)
        root = struct.pack(
            ">HH12sHI16s", 0x0010, 0, _ACN, 0x7000 | (104 + count), 8, cid
        )
        framing = struct.pack(">HI64sI", 0x7000 | (82 + count), 2, name, 0)
        layer = struct.pack(">HIBB", 0x7000 | (8 + count), 1, page, len(pages) - 1)
        packets.append(root + framing + layer + struct.pack(f">{len(on_it)}H", *on_it))

    return packets


def read_discovery(data: bytes) -> tuple[int, int, tuple[int, ...]] | None:
    """Page, last page and universes of a discovery packet; None where it is none."""
    if (
        len(data) < 120
        or data[4:16] != _ACN
        or data[18:22] != b"\0\0\0\x08"
        or data[40:44] != b"\0\0\0\x02"
        or data[114:118] != b"\0\0\0\x01"
    ):
        return None
    count = (len(data) - 120) // 2
    return data[118], data[119], struct.unpack_from(f">{count}H", data, 120)


def multicast_address(universe: int) -> str:
    """239.255.hi.lo of the universe, section 9.3.1."""
    return f"239.255.{universe >> 8}.{universe & 0xFF}"
