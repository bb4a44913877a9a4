"""The file of an evening: blocks of records, packed, each readable by itself or after
those before it.

A block is its kind (a byte), the time of its first record on the clock of its engine
(eight bytes, a double), its length (four bytes), and as many bytes. Blocks of the
kind WHOLE begin a stream of zlib anew, MORE go on with it; SHOW and NAMES are packed
each by itself. What is torn at the end of a file is passed over.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterator
from enum import IntEnum
from typing import Any, NamedTuple

import msgspec

from choreon.model.changes import Delta
from choreon.model.numbers import Number
from choreon.model.refs import Ref
from choreon.render.state import PlayState

HEAD = struct.Struct("<BdI")
MOST = 64 << 20  # bytes that a block may unpack to
LEFT_OUT = ("past", "asking", "started")
"""What of a state says nothing of the light."""


class Kind(IntEnum):
    """What a block holds."""

    BEGIN = 1
    WHOLE = 2
    MORE = 3
    SHOW = 4
    NAMES = 5


class Begin(msgspec.Struct, frozen=True):
    """The first block. At `now` on the engine's clock it was `wall` on the clock on the
    wall, in seconds since 1970.
    """

    version: str
    show: str
    name: str
    wall: float
    now: float


class Record(msgspec.Struct, frozen=True, array_like=True):
    """A state: the fields that are others than before, encoded."""

    at: Number
    fields: dict[str, msgspec.Raw]
    left_out: tuple[str, ...] = ()


class Edited(msgspec.Struct, frozen=True, array_like=True):
    """Another show from a time on: the whole of it, encoded, or what differs."""

    at: Number
    whole: bytes = b""
    delta: Delta | None = None


class OnNow(msgspec.Struct, frozen=True, array_like=True):
    """What was on from a time on: by player, what it plays; those that go are left
    out.
    """

    at: Number
    on: tuple[tuple[str, Ref], ...]


TYPES: dict[str, Any] = {
    field.name: field.type for field in msgspec.structs.fields(PlayState)
}
FIELDS = tuple(name for name in TYPES if name not in LEFT_OUT)
_DECODERS = {
    name: msgspec.msgpack.Decoder(kind)
    for name, kind in TYPES.items()
    if name in FIELDS
}
encode = msgspec.msgpack.encode


def fields_of(before: PlayState | None, state: PlayState) -> dict[str, msgspec.Raw]:
    """Returns the fields of a state that are others than before, encoded."""
    found = {}
    for name in FIELDS:
        value = getattr(state, name)
        if before is None or getattr(before, name) is not value:
            found[name] = msgspec.Raw(encode(value))
    return found


def with_fields(state: PlayState, fields: dict[str, msgspec.Raw]) -> PlayState:
    """Returns a state with fields as they were kept. Raises msgspec.DecodeError."""
    known = {
        name: _DECODERS[name].decode(raw)
        for name, raw in fields.items()
        if name in _DECODERS
    }
    return msgspec.structs.replace(state, **known) if known else state


class Block(NamedTuple):
    """A block of a file."""

    kind: Kind
    at: float
    data: bytes


def block(kind: Kind, at: float, data: bytes) -> bytes:
    """Returns a block as bytes."""
    return HEAD.pack(kind, at, len(data)) + data


def blocks(data: bytes) -> Iterator[Block]:
    """Yields the whole blocks of a file; behind one that is none there is nothing."""
    place = 0
    while place + HEAD.size <= len(data):
        kind, at, length = HEAD.unpack_from(data, place)
        place += HEAD.size
        if kind not in list(Kind) or place + length > len(data):
            return
        yield Block(Kind(kind), at, data[place : place + length])
        place += length


def packed(value: object) -> bytes:
    """Returns something as a block of its own holds it."""
    return zlib.compress(encode(value), 6)


def unpacked(data: bytes) -> bytes:
    """Returns what a block of its own holds, as it was encoded. Raises ValueError."""
    try:
        machine = zlib.decompressobj()
        return machine.decompress(data, MOST)
    except zlib.error as error:
        raise ValueError(str(error)) from None


class Stream:
    """Packs records one behind the other: what is alike costs little."""

    def __init__(self) -> None:
        self._machine = zlib.compressobj(6)

    def pack(self, records: list[Record]) -> bytes:
        """Returns records as a block."""
        body = b"".join(_framed(encode(record)) for record in records)
        return self._machine.compress(body) + self._machine.flush(zlib.Z_SYNC_FLUSH)


def _framed(body: bytes) -> bytes:
    return struct.pack("<I", len(body)) + body


def records(stream: list[bytes]) -> Iterator[Record]:
    """Yields the records of blocks that follow each other, the first one WHOLE; up to
    where they are torn.
    """
    machine = zlib.decompressobj()
    rest = b""
    for data in stream:
        try:
            rest += machine.decompress(data, MOST)
        except zlib.error:
            return
        while len(rest) >= 4:
            (length,) = struct.unpack_from("<I", rest)
            if len(rest) < 4 + length:
                break
            try:
                yield msgspec.msgpack.decode(rest[4 : 4 + length], type=Record)
            except msgspec.DecodeError:
                return
            rest = rest[4 + length :]
