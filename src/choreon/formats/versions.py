"""The earlier versions of a show file, beside it in a folder of their own. They are
numbered; dates say when they were kept, and decide nothing.
"""

from __future__ import annotations

import contextlib
import os
import time
from pathlib import Path

from choreon.language import tr

SUFFIX = ".choreon"
VERSIONS = 10
# seconds: a version is kept at most this often, so that ten of them reach back a while
VERSION_GAP = 180.0

_kept: dict[Path, float] = {}  # when this process kept one, monotonic seconds


def versions_folder(path: Path) -> Path:
    """Where the earlier versions of a show file lie."""
    return path.parent / f".{path.stem}-versions"


def _number(version: Path) -> int:
    """The number at the beginning of a version's name; 0 where there is none."""
    digits = version.name.partition("-")[0]
    return int(digits) if digits.isascii() and digits.isdigit() else 0


def versions(path: Path) -> list[Path]:
    """The earlier versions of a show file, newest first."""
    try:
        found = [p for p in versions_folder(path).iterdir() if p.suffix == SUFFIX]
    except OSError:
        return []
    return sorted(found, key=lambda p: (_number(p), p.name), reverse=True)


def keep_version(path: Path, due: bool = False) -> None:
    """Keep the file as it is now as a version, where the last one is old enough, or it
    is `due` anyway. Never raises.
    """
    if not path.exists() or not (due or _due(path)):
        return
    with contextlib.suppress(OSError):
        kept = versions(path)
        folder = versions_folder(path)
        folder.mkdir(exist_ok=True)
        number = _number(kept[0]) + 1 if kept else 1
        stamp = time.strftime("%Y%m%d-%H%M%S")
        target = folder / f"{number:06d}-{stamp}{SUFFIX}"
        os.link(path, target)
        os.utime(target)
        _kept[path] = time.monotonic()

    for old in versions(path)[VERSIONS:]:
        with contextlib.suppress(OSError):
            old.unlink()


def _due(path: Path) -> bool:
    """Whether the last version is old enough. A date in the future says nothing."""
    if path in _kept:
        return time.monotonic() - _kept[path] >= VERSION_GAP
    kept = versions(path)
    if not kept:
        return True
    try:
        age = time.time() - kept[0].stat().st_mtime
    except OSError:
        return True
    return not 0.0 <= age < VERSION_GAP


def kept_at(version: Path) -> float:
    """Returns when a version was kept, wall clock seconds: as its name says, else as
    the file system does; 0 where neither does.
    """
    stamp = version.stem.partition("-")[2]
    try:
        return time.mktime(time.strptime(stamp, "%Y%m%d-%H%M%S"))
    except (ValueError, OverflowError):
        pass
    try:
        return version.stat().st_mtime
    except OSError:
        return 0.0


def when(version: Path) -> str:
    """Returns when a version was kept, in words."""
    return time.strftime(tr("%H:%M on %d %B"), time.localtime(kept_at(version)))
