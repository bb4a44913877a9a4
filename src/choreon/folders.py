"""Where Choreon keeps things, after the XDG base directory specification.

A folder is made once in a process. One that vanishes later, a stick pulled out, say, is
not made anew below its mount point: what is to be written there fails, and is kept
elsewhere.
"""

from __future__ import annotations

import contextlib
import errno
import os
import stat
import tempfile
import uuid
from pathlib import Path
from typing import BinaryIO

import platformdirs

from choreon.language import tr

APP = "choreon"
MOST_LOG = 4 << 20  # bytes

_made: set[Path] = set()


class FolderRefused(OSError):
    """A folder that must not be used. `strerror` says why, and what to do."""

    def __init__(self, why: str) -> None:
        super().__init__(why)
        self.why = self.strerror = why

    def __str__(self) -> str:
        return self.why


def runtime() -> Path:
    """Sockets and locks of this user's session: $XDG_RUNTIME_DIR/choreon, mode 0700;
    without one, a folder of our own among the temporary ones. Raises FolderRefused
    where that is not this user's alone.
    """
    base = os.environ.get("XDG_RUNTIME_DIR") or ""
    if base and os.access(base, os.W_OK):
        return _own(Path(base) / APP)
    return _own(Path(tempfile.gettempdir()) / f"{APP}-runtime-{os.getuid()}")


def _own(folder: Path) -> Path:
    """A folder that is ours, no link, and closed to others. Raises FolderRefused."""
    with contextlib.suppress(FileExistsError):
        folder.mkdir(mode=0o700)

    found = folder.lstat()
    if stat.S_ISLNK(found.st_mode) or not stat.S_ISDIR(found.st_mode):
        raise FolderRefused(
            tr(
                "{folder} is not a folder of its own but something else that was put "
                "there. Take it away, or set XDG_RUNTIME_DIR to a folder of yours.",
                folder=folder,
            )
        )

    if found.st_uid != os.getuid():
        raise FolderRefused(
            tr(
                "{folder} belongs to another user. Take it away, or set "
                "XDG_RUNTIME_DIR to a folder of yours.",
                folder=folder,
            )
        )

    if found.st_mode & 0o077:
        folder.chmod(0o700)

    return folder


def open_own(path: Path, flags: int = os.O_RDWR | os.O_CREAT) -> int:
    """Open a file in one of our folders, mode 0600, without following a link. Returns
    the handle. Raises OSError.
    """
    return os.open(path, flags | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)


def read_file(path: Path, most: int | None = None) -> bytes:
    """The bytes of a file. Raises OSError where it is none, but a pipe or a device that
    may never end, or where it holds more than `most` bytes.
    """
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    try:
        found = os.fstat(handle)
        if stat.S_ISDIR(found.st_mode):
            raise IsADirectoryError(errno.EISDIR, tr("it is a folder"), str(path))
        if not stat.S_ISREG(found.st_mode):
            raise OSError(errno.EINVAL, tr("it is no file"), str(path))
        if most is not None and found.st_size > most:
            raise OSError(
                errno.EFBIG,
                tr("it has {size} MB", size=found.st_size >> 20),
                str(path),
            )

        with os.fdopen(handle, "rb", closefd=False) as file:
            return file.read()
    finally:
        os.close(handle)


def _once(folder: Path) -> Path:
    if folder not in _made:
        with contextlib.suppress(OSError):  # whoever writes there is told
            folder.mkdir(parents=True, exist_ok=True)
        _made.add(folder)
    return folder


def state() -> Path:
    """What is to survive a restart and is not the user's work:
    $XDG_STATE_HOME/choreon.
    """
    return _once(platformdirs.user_state_path(APP))


def cache() -> Path:
    """What can be made anew: $XDG_CACHE_HOME/choreon."""
    return _once(platformdirs.user_cache_path(APP))


def data() -> Path:
    """The user's own: $XDG_DATA_HOME/choreon."""
    return _once(platformdirs.user_data_path(APP))


def shows() -> Path:
    """Where shows go when the user names no other place."""
    return _once(data() / "shows")


def open_log(name: str) -> BinaryIO:
    """A log, to be written on; one that has grown large begins anew, the one before it
    stays as `NAME.1`. Where it cannot be kept, it goes nowhere.
    """
    flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NONBLOCK
    for folder in (state, runtime):
        with contextlib.suppress(OSError):
            path = folder() / name
            if path.exists() and path.stat().st_size > MOST_LOG:
                path.replace(path.with_name(f"{name}.1"))
            return os.fdopen(open_own(path, flags), "ab")
    return Path(os.devnull).open("ab")


def types() -> Path:
    """Where the user's own fixture types lie."""
    return _once(data() / "types")


def source_id() -> bytes:
    """This installation's component identifier for sACN (16 bytes, a version 4 UUID),
    made once and kept. Where it cannot be kept, one that follows from machine and user,
    so that it stays the same.
    """
    file = state() / "source-id"
    try:
        return uuid.UUID(read_file(file, 256).decode().strip()).bytes
    except (OSError, ValueError):
        pass

    made = uuid.uuid4()
    try:
        if file.exists():
            put_aside(file)

        handle = open_own(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
        with os.fdopen(handle, "w") as out:
            out.write(str(made))
    except OSError:
        made = uuid.uuid3(uuid.NAMESPACE_OID, f"{uuid.getnode()}-{os.getuid()}")

    return made.bytes


def put_aside(path: Path) -> Path | None:
    """Rename what cannot be read, so that a new one can take its place and nothing is
    lost. Returns the new path; None where it cannot be renamed.
    """
    for i in range(1, 100):
        target = path.with_name(f"{path.name}.damaged{f'-{i}' if i > 1 else ''}")
        if not os.path.lexists(target):
            with contextlib.suppress(OSError):
                path.rename(target)
                return target
            return None
    return None


def write_whole(path: Path, data: bytes) -> None:
    """Write a file of ours so that it is whole or the one before it. Raises OSError."""
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        handle = open_own(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        part.replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            part.unlink()
        raise
