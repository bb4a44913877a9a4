"""The one place that there is for an engine, in the folder of this user's session: who
has it, and where its heart beats.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import time
from pathlib import Path

from choreon import folders
from choreon.engine.beat import NAME, Heartbeat
from choreon.language import tr

LOCK_WAIT = 1.0  # seconds in which an engine that is just ending may give up its place


class AlreadyRunning(Exception):
    """Another engine holds this runtime folder."""


def lock_of(folder: Path, beat: Heartbeat) -> int:
    """Take the one place there is for an engine, and write down who has it and where
    its heart beats. Returns the handle that keeps it. Raises AlreadyRunning.
    """
    handle = folders.open_own(folder / "engine.lock")
    end = time.monotonic() + LOCK_WAIT

    while True:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            break
        except OSError:
            if time.monotonic() > end:
                os.close(handle)
                raise AlreadyRunning(
                    tr("An engine is already running in {folder}.", folder=folder)
                ) from None

            time.sleep(0.02)

    with contextlib.suppress(OSError):  # the folder is full: it is found all the same
        os.ftruncate(handle, 0)
        os.pwrite(handle, f"{os.getpid()} {os.getppid()} {beat.handle}".encode(), 0)

    return handle


def holder(folder: Path) -> tuple[int, int]:
    """Returns the process of the engine that has the place, and that of its parent; 0
    where nobody has it.
    """
    engine, parent, _ = _written(folder)
    return engine, parent


def heartbeat(folder: Path) -> tuple[int, Heartbeat] | None:
    """Returns the process of the engine that has the place, and its heartbeat; None
    where there is none that can be watched.
    """
    engine, _, handle = _written(folder)
    if not engine:
        return None
    try:
        return engine, Heartbeat(os.open(f"/proc/{engine}/fd/{handle}", os.O_RDWR))
    except (OSError, ValueError):
        return None


def _written(folder: Path) -> tuple[int, int, int]:
    """Who has the place: engine, parent, and the engine's handle of its heartbeat."""
    try:
        handle = folders.open_own(folder / "engine.lock", os.O_RDWR)
    except OSError:
        return 0, 0, -1

    try:
        fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
        return 0, 0, -1
    except OSError:
        words = os.pread(handle, 64, 0).split()
        if len(words) != 3 or not all(word.isdigit() for word in words):
            return _found(os.fstat(handle).st_ino)

        return int(words[0]), int(words[1]), int(words[2])
    finally:
        os.close(handle)


def _found(inode: int) -> tuple[int, int, int]:
    """Who holds a lock on a file, where nothing could be written into that: by what the
    kernel says of locks and processes (proc(5)).
    """
    for line in Path("/proc/locks").read_text().splitlines():
        words = line.split()
        if words[1] == "FLOCK" and words[5].rpartition(":")[2] == str(inode):
            pid = int(words[4])
            break
    else:
        return 0, 0, -1

    try:
        stat = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        for link in Path(f"/proc/{pid}/fd").iterdir():
            if NAME in os.readlink(link):
                return pid, int(stat[1]), int(link.name)

        return pid, int(stat[1]), -1
    except OSError:
        return 0, 0, -1
