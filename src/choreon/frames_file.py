"""Frames of films that were made ready, in a file that one process fills and others
have in their memory. Its head says how many are ready.
"""

from __future__ import annotations

import struct
from pathlib import Path
from typing import NamedTuple

from choreon import folders

MAGIC = b"chfilm01"
HEAD = struct.Struct("<8sIIdIIQd")
HEAD_SIZE = 64
MAKING, DONE, FAILED = 0, 1, 2
MOST_FRAMES = 30_000  # that a film is made ready of


class FilmHead(NamedTuple):
    """What is said at the beginning: pixels, frames a second, how it stands, how many
    frames there will be, how many are ready, and when it last grew (monotonic s).
    """

    magic: bytes
    width: int
    height: int
    rate: float
    state: int
    whole: int
    ready: int
    grown: float


def frames_file(key: str) -> Path:
    """Returns where the frames of a film lie."""
    name = "".join(c for c in key if c.isalnum())[:64]
    return folders.cache() / "films" / f"{name or 'unknown'}.frames"


def read_head(data: bytes) -> FilmHead | None:
    """Read a head; None where it is none."""
    if len(data) < HEAD.size:
        return None
    head = FilmHead(*HEAD.unpack(data[: HEAD.size]))
    sane = head.magic == MAGIC and 0 < head.width <= 512 and 0 < head.height <= 512
    return head if sane and head.rate > 0.0 else None
