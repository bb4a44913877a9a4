"""Copies of shows whose own place cannot be written. Each is that of one show at one
full path, and says which state of the file it goes on from: it is opened for nothing
else, and goes when its show has been written well.
"""

from __future__ import annotations

import contextlib
import hashlib
import re
from collections.abc import Iterator
from pathlib import Path

import msgspec

from choreon import folders
from choreon.formats import showfile
from choreon.formats.versions import SUFFIX
from choreon.language import tr
from choreon.model.show import Show


class Origin(msgspec.Struct, frozen=True):
    """Where a copy comes from. `base`: the digest of the file as it was last read or
    written well; empty where that is not known.
    """

    path: str
    show: str
    base: str = ""


class Rescued(msgspec.Struct, frozen=True):
    """A copy that was found: its show, and where it lies."""

    show: Show
    path: Path
    goes_on: bool = True
    """Whether the file is still as it was when the copy was made."""
    edits: int = 0


def digest_of(path: Path) -> str:
    """The digest of a file (SHA-256, hex); empty where it cannot be read."""
    try:
        return hashlib.sha256(folders.read_file(path)).hexdigest()
    except OSError:
        return ""


def _places() -> Iterator[Path]:
    """Where copies go: among the user's own, else beside the sockets, in memory."""
    yield folders.data() / "rescued"
    with contextlib.suppress(OSError):
        yield folders.runtime() / "rescued"


def _mark(path: Path) -> str:
    full = str(path.absolute()).encode(errors="surrogateescape")
    return hashlib.sha256(full).hexdigest()[:12]


def name_of(path: Path, show_id: str) -> str:
    """The name of the copy of a show that belongs to a path."""
    stem = re.sub(r"[^\w .-]", "_", path.stem)[:60]
    show = hashlib.sha256(show_id.encode()).hexdigest()[:8]
    return f"{stem}-{_mark(path)}-{show}{SUFFIX}"


def rescue_path(path: Path, show_id: str) -> Path:
    """Where the copy of a show goes first."""
    return next(_places()) / name_of(path, show_id)


def keep(path: Path, show: Show, base: str, edits: int = 0) -> Path:
    """Keep a copy. Returns where. Raises OSError where it can be kept nowhere."""
    trouble: OSError | None = None
    for place in _places():
        copy = place / name_of(path, show.id)
        try:
            place.mkdir(exist_ok=True)
            showfile.write(copy, show, versions=False, edits=edits)
            origin = Origin(str(path.absolute()), show.id, base)
            folders.write_whole(_note(copy), msgspec.json.encode(origin))
            return copy
        except OSError as error:
            trouble = error
    raise trouble or OSError(tr("there is no place for it"))


def _note(copy: Path) -> Path:
    return copy.with_suffix(".json")


def clear(path: Path, show_id: str) -> None:
    """The show was written well: its copies are not needed any more."""
    for place in _places():
        copy = place / name_of(path, show_id)
        for file in (copy, _note(copy)):
            with contextlib.suppress(OSError):
                file.unlink()


def find(path: Path) -> Rescued | None:
    """The copy that belongs to what lies at a path; None where there is none. Of a file
    that can be read it must be the same show.
    """
    here = digest_of(path)
    there = _show_id(path) if here else None
    for place in _places():
        with contextlib.suppress(OSError):
            for copy in sorted(place.glob(f"*-{_mark(path)}-*{SUFFIX}")):
                with contextlib.suppress(OSError, showfile.ShowFileError):
                    show = showfile.read(copy)
                    if there is None or show.id == there:
                        goes_on = not here or _base(copy) == here
                        return Rescued(show, copy, goes_on, showfile.edits_of(copy))
    return None


def _base(copy: Path) -> str:
    try:
        return msgspec.json.decode(
            folders.read_file(_note(copy), 1 << 16), type=Origin
        ).base
    except (OSError, msgspec.DecodeError):
        return ""


def _show_id(path: Path) -> str | None:
    """The id of the show at a path; None where that cannot be read."""
    try:
        return showfile.read(path).id
    except (OSError, showfile.ShowFileError):
        return None
