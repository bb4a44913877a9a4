"""Which pictures of a show, or of a type, are our own PNGs. All others are drawn anew,
in a process of its own, before a window sees them; what cannot be read is left out.

The digests of PNGs that were made here are kept, so that a show is looked through once.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import threading
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from typing import TypeVar

import msgspec

from choreon import folders
from choreon.formats import apart
from choreon.formats.package import FormatError
from choreon.formats.pictures import PAGE_SIZE, SLOT_SIZE
from choreon.language import tr
from choreon.library import library
from choreon.model.fixture_type import FixtureType
from choreon.model.show import Show

FILE = "pictures"  # among what is kept: a digest (SHA-256, hex) a line
MOST = 4 << 20  # bytes of that
PATIENCE = 20.0  # seconds in which the pictures of a show must be drawn

Changed = TypeVar("Changed", Show, FixtureType)
replace = msgspec.structs.replace
_made: set[str] = set()  # in this process
_read: dict[str, set[str]] = {}  # by the file it was read from


def digest(data: bytes) -> str:
    """The digest of a picture."""
    return hashlib.sha256(data).hexdigest()


@cache
def _of_library() -> frozenset[str]:
    return frozenset(
        digest(d) for kind in library().values() for d in pictures_of_type(kind)
    )


def _kept() -> set[str]:
    file = folders.state() / FILE
    if str(file) not in _read:
        found: set[str] = set()
        with contextlib.suppress(OSError, UnicodeDecodeError):
            found = set(folders.read_file(file, MOST).decode("ascii").split())
        _read[str(file)] = found
    return _read[str(file)]


def is_own(data: bytes) -> bool:
    """Whether a picture is a PNG that was made here, or in the library."""
    found = digest(data)
    return found in _made or found in _of_library() or found in _kept()


def made_here(pictures: Iterable[bytes]) -> None:
    """Remember pictures as our own: they came from the process that draws them."""
    new = {digest(data) for data in pictures if data} - _kept() - _made
    if not new:
        return
    _made.update(new)
    with contextlib.suppress(OSError):
        file = folders.state() / FILE
        flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NONBLOCK
        with os.fdopen(folders.open_own(file, flags), "w") as out:
            out.write("".join(f"{one}\n" for one in sorted(new)))


def pictures_of_type(kind: FixtureType) -> Iterator[bytes]:
    """The pictures of a type's wheels."""
    return (s.picture for wheel in kind.wheels for s in wheel.slots if s.picture)


def pictures_of(show: Show) -> dict[bytes, int]:
    """Every picture in a show, and the most pixels that it may have along a side."""
    found = {
        data: SLOT_SIZE
        for kind in show.types.values()
        for data in pictures_of_type(kind)
    }
    return found | {p.data: PAGE_SIZE for p in show.pictures.values() if p.data}


def draw(pictures: Mapping[bytes, int], name: str) -> tuple[dict[bytes, bytes], str]:
    """PNGs of our own for pictures from strangers, which are not among them where they
    cannot be read; and in words what is wrong with the first such one.
    """
    job = apart.ReadPictures(tuple(pictures), tuple(pictures.values()), name)
    drawing = apart.Apart(job)
    enough = threading.Timer(PATIENCE, drawing.kill)
    enough.start()
    try:
        drawn = msgspec.msgpack.decode(drawing.run(), type=apart.Drawn)
    except FormatError as error:
        return {}, str(error)
    finally:
        enough.cancel()
    made_here(drawn.pictures)
    pairs = zip(pictures, drawn.pictures, strict=True)
    return {old: new for old, new in pairs if new}, drawn.wrong


def clean_type(kind: FixtureType, drawn: Mapping[bytes, bytes]) -> FixtureType:
    """A type with its pictures as they were drawn; those that were not are left out."""
    if all(is_own(data) for data in pictures_of_type(kind)):
        return kind
    wheels = tuple(
        replace(
            wheel,
            slots=tuple(
                replace(s, picture=_own(s.picture, drawn)) for s in wheel.slots
            ),
        )
        for wheel in kind.wheels
    )
    return replace(kind, wheels=wheels)


def _own(data: bytes, drawn: Mapping[bytes, bytes]) -> bytes:
    return data if not data or is_own(data) else drawn.get(data, b"")


def clean(show: Show) -> tuple[Show, str]:
    """A show whose pictures are all our own, and what the user must know of it; empty
    where nothing was lost.
    """
    strange = {d: size for d, size in pictures_of(show).items() if not is_own(d)}
    if not strange:
        return show, ""
    drawn, wrong = draw(strange, tr("a picture in the show"))
    types = {i: clean_type(kind, drawn) for i, kind in show.types.items()}
    pictures = {
        i: replace(p, data=_own(p.data, drawn)) for i, p in show.pictures.items()
    }

    lost = len(strange) - len(drawn)
    note = tr(
        "{lost} pictures in the show cannot be read and were left out: {wrong}",
        lost=lost,
        wrong=wrong,
    )
    return replace(show, types=types, pictures=pictures), note if lost else ""


def clean_types(kinds: dict[str, FixtureType]) -> dict[str, FixtureType]:
    """Types whose pictures are all our own."""
    strange = {
        data: SLOT_SIZE
        for kind in kinds.values()
        for data in pictures_of_type(kind)
        if not is_own(data)
    }
    if not strange:
        return kinds
    drawn, _ = draw(strange, tr("a picture of a wheel"))
    return {i: clean_type(kind, drawn) for i, kind in kinds.items()}
