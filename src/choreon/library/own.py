"""The user's own fixture types: a JSON file each in the data folder; and which types
were hung last.
"""

from __future__ import annotations

import contextlib
import os
import re
from pathlib import Path

import msgspec

from choreon import folders
from choreon.model.fixture_type import FixtureType

MOST_RECENT = 12
MOST = 16 << 20  # bytes of one type


def own_types() -> tuple[dict[str, FixtureType], list[str]]:
    """The user's types by id, and in words which files could not be read; they are left
    as they are.
    """
    found, trouble = {}, []
    for file in sorted(folders.types().glob("*.json")):
        try:
            kind = _read(file)
            found[kind.id] = kind
        except (msgspec.DecodeError, RecursionError, OSError) as error:
            trouble.append(f"{file.name} among your fixture types could not be read ({error}); it was left as it is.")
    return found, trouble


def _read(file: Path) -> FixtureType:
    return msgspec.json.decode(folders.read_file(file, MOST), type=FixtureType)


def _file(type_id: str) -> str:
    return re.sub(r"[^A-Za-z0-9._-]", "_", type_id)[:100] + ".json"


def keep(kind: FixtureType) -> None:
    """Write a type; the file is whole or the one before it. Raises OSError."""
    target = folders.types() / _file(kind.id)
    part = target.with_suffix(".part")
    try:
        with part.open("wb") as file:
            file.write(msgspec.json.format(msgspec.json.encode(kind), indent=1))
            file.flush()
            os.fsync(file.fileno())
        part.replace(target)
    except BaseException:
        with contextlib.suppress(OSError):
            part.unlink()
        raise


def _deleted() -> Path:
    folder = folders.types() / "deleted"
    folder.mkdir(exist_ok=True)
    return folder


def forget(type_id: str) -> bool:
    """Delete a type: its file goes among the deleted ones. Shows that use it have it
    with them. Raises OSError.
    """
    target = folders.types() / _file(type_id)
    if not target.exists():
        return False
    target.replace(_deleted() / target.name)
    os.utime(_deleted() / target.name)
    return True


def deleted() -> list[FixtureType]:
    """The types that were deleted and can be brought back, the last one first."""
    found: list[tuple[float, FixtureType]] = []
    with contextlib.suppress(OSError):
        for file in _deleted().glob("*.json"):
            with contextlib.suppress(msgspec.DecodeError, RecursionError, OSError):
                found.append((file.stat().st_mtime, _read(file)))
    return [kind for _, kind in sorted(found, key=lambda pair: -pair[0])]


def bring_back(type_id: str) -> None:
    """Undo the deleting of a type. Raises OSError."""
    (_deleted() / _file(type_id)).replace(folders.types() / _file(type_id))


def recent() -> list[str]:
    """Ids of the types that were hung last, newest first. A file that cannot be read is
    set aside.
    """
    file = folders.state() / "recent-types.json"
    try:
        return msgspec.json.decode(folders.read_file(file, MOST), type=list[str])
    except FileNotFoundError:
        return []
    except (OSError, RecursionError, msgspec.DecodeError):
        folders.put_aside(file)
        return []


def used(type_id: str) -> None:
    """Remember that a type was hung."""
    ids = [type_id, *(i for i in recent() if i != type_id)][:MOST_RECENT]
    with contextlib.suppress(OSError):
        folders.write_whole(folders.state() / "recent-types.json", msgspec.json.encode(ids))
