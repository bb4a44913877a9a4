"""What was heard in a file, as it is told: light enough for a window to know it."""

from __future__ import annotations

from typing import NamedTuple

import msgspec

WELL = 0.4  # how sure it is from which on beats can be gone by unseen


class Found(NamedTuple):
    """Beats that were found: when each is, in seconds; how many a bar has, which is the
    first of one, the tempo in the middle, and how sure it is, 0…1.
    """

    beats: tuple[float, ...]
    bar: int = 4
    first: int = 0
    bpm: float = 0.0
    sure: float = 0.0


class Section(NamedTuple):
    """A section: when it begins, in seconds; which it is, as a number, those that are
    alike have the same; how lively it is, 0…1 of the piece.
    """

    begin: float
    which: int
    energy: float


class Told(msgspec.Struct, frozen=True, omit_defaults=True):
    """A line: how far it is, 0…1; at last what was found, or why nothing was."""

    done: float
    found: Found | None = None
    digest: str = ""
    size: int = 0
    seconds: float = 0.0
    sections: tuple[Section, ...] = ()
    error: str = ""


def read_line(line: bytes) -> Told | None:
    """Returns what a line says; None where it says nothing of the kind."""
    try:
        return msgspec.json.decode(line, type=Told)
    except msgspec.DecodeError:
        return None
