"""Live music, as it is told: light enough for engines and windows to know it."""

from __future__ import annotations

import msgspec

SURE = 0.3  # how sure it is from which on it is gone by


class Music(msgspec.Struct, frozen=True, omit_defaults=True):
    """A line: how loud it is in each band, 0…1; the tempo, when a beat was, how sure
    that is, where that is told anew; which sources there are; what is wrong.
    """

    levels: tuple[float, ...] = ()
    bpm: float = 0.0
    at: float = 0.0
    sure: float = 0.0
    sources: tuple[str, ...] = ()
    trouble: str = ""


def read_line(line: bytes) -> Music | None:
    """Returns what a line says; None where it says nothing of the kind."""
    try:
        return msgspec.json.decode(line, type=Music)
    except msgspec.DecodeError:
        return None
