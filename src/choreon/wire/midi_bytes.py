"""MIDI 1.0 as a stream of bytes: what a cable or a socket carries, in any pieces."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

REAL_TIME = 0xF8  # and above: single bytes that may stand within other messages
SYSEX, SYSEX_END = 0xF0, 0xF7
LONGEST = 512  # bytes of what is exclusive to a system

# data bytes of a message by its status: MIDI 1.0 Detailed Specification, table I and V
_BY_KIND = {0x80: 2, 0x90: 2, 0xA0: 2, 0xB0: 2, 0xC0: 1, 0xD0: 1, 0xE0: 2}
_COMMON = {0xF1: 1, 0xF2: 2, 0xF3: 1}


class Voice(NamedTuple):
    """A message of one of the 16 channels: its kind (0x80…0xE0), channel 0…15, and data
    of 0…127; the second is 0 where the kind has one.
    """

    kind: int
    channel: int
    first: int
    second: int = 0


def length_of(status: int) -> int:
    """How many data bytes follow a status byte; 0 where none do, or any number."""
    return _BY_KIND.get(status & 0xF0, _COMMON.get(status, 0))


class Parser:
    """Reads channel messages out of a stream: with running status, with real-time
    messages anywhere. What is exclusive to a system is passed over as it comes, however
    long it is, or given to `exclusive`, whole, where it is no longer than LONGEST.
    `real_time` is given each single byte of that kind; `common` the other messages of
    the system.
    """

    def __init__(
        self,
        exclusive: Callable[[bytes], None] | None = None,
        real_time: Callable[[int], None] | None = None,
        common: Callable[[bytes], None] | None = None,
    ) -> None:
        self._status = 0
        self._data: list[int] = []
        self._exclusive, self._real_time = exclusive, real_time
        self._common = common

    def feed(self, data: bytes) -> list[Voice]:
        """The messages that these bytes complete."""
        found = []
        for byte in data:
            if byte >= REAL_TIME:
                if self._real_time is not None:
                    self._real_time(byte)
                continue
            if byte & 0x80:
                self._ended(byte)
                self._status = byte
                self._data.clear()
            elif self._status == SYSEX:
                self._keep(byte)
            elif length_of(self._status):
                self._data.append(byte)
                if len(self._data) == length_of(self._status):
                    found += self._whole()
        return found

    def _keep(self, byte: int) -> None:
        """A byte that is exclusive to a system; of one that is too long none counts."""
        if self._exclusive is not None and len(self._data) <= LONGEST:
            self._data.append(byte)

    def _ended(self, byte: int) -> None:
        """A status byte came; what is exclusive to a system ends with its own."""
        whole = self._status == SYSEX and byte == SYSEX_END
        if whole and self._exclusive is not None and len(self._data) <= LONGEST:
            self._exclusive(bytes((SYSEX, *self._data, SYSEX_END)))

    def _whole(self) -> list[Voice]:
        status, data = self._status, tuple(self._data)
        self._data.clear()
        if status >= SYSEX:
            self._status = 0  # a system message has no running status
            if self._common is not None:
                self._common(bytes((status, *data)))
            return []
        return [Voice(status & 0xF0, status & 0x0F, *data)]


def message(data: bytes | list[int]) -> Voice | None:
    """The one message in whole bytes; None where it is of no channel, or not whole."""
    found = Parser().feed(bytes(b & 0xFF for b in data))
    return found[0] if len(found) == 1 else None
