"""What an engine begins with. Whatever lies on disk, it starts."""

from __future__ import annotations

import fcntl
import logging
import os
import time
from dataclasses import dataclass, field
from pathlib import Path

from choreon import folders
from choreon.engine import session
from choreon.engine.beat import Beat
from choreon.formats import showfile
from choreon.model.show import Show

log = logging.getLogger(__name__)

LOCK_WAIT = 1.0  # seconds in which an engine that is just ending may give up its place


class AlreadyRunning(Exception):
    """Another engine holds this runtime folder."""


@dataclass
class Opening:
    """The show, None where none can be read; what the user must be told; and what was
    sent last, to go on where there is no show.
    """

    show: Show | None
    path: str = ""
    note: str = ""
    last: session.Session | None = None
    beat: Beat = field(default_factory=Beat.make)
    supervised: bool = False
    bare: bool = False
    """What played is not to be taken up: it made engines fail."""


def lock_of(folder: Path) -> int:
    """Take the one place there is for an engine, and write down who has it. Returns the
    handle that keeps it. Raises AlreadyRunning.
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
                    f"An engine is already running in {folder}."
                ) from None
            time.sleep(0.02)
    os.ftruncate(handle, 0)
    os.pwrite(handle, f"{os.getpid()} {os.getppid()}".encode(), 0)
    return handle


def holder(folder: Path) -> tuple[int, int]:
    """Returns the process of the engine that has the place, and that of its parent; 0
    where nobody has it.
    """
    try:
        handle = folders.open_own(folder / "engine.lock", os.O_RDWR)
    except OSError:
        return 0, 0
    try:
        fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
        return 0, 0
    except OSError:
        words = os.pread(handle, 64, 0).split()
        return (int(words[0]), int(words[1])) if len(words) == 2 else (0, 0)
    finally:
        os.close(handle)


def find(path: Path | None, show: Show | None, why: str, bare: bool) -> Opening:
    """Returns what to begin with. `path`, or `show`: what was asked for; `why`: how the
    engine before this one ended, empty where it is the first; `bare`: that has happened
    again and again, so what was sent last is held, and nothing else is tried.
    """
    played = session.load_show() if why or path is not None else None
    if why and played is not None and not bare:
        return Opening(played.show, played.path)
    if bare and played is not None:
        note = (
            "The engine failed again and again with this show. The lamps keep what "
            "was sent last. Take out what you changed last, or go back to an earlier "
            "version."
        )
        known = session.know(played.show.id).session
        return Opening(None, played.path, note, known, bare=True)
    if path is None:
        return Opening(show)
    try:
        found, note = showfile.open_best(path)
        return Opening(found, str(path), note)
    except Exception as error:
        log.exception("%s cannot be read", path)
        text = getattr(error, "strerror", None) or str(error)
    if played is None or played.path != str(path):
        note = f"{path.name} cannot be played: {text}"
        return Opening(None, str(path), note)
    note = (
        f"{path.name} cannot be read: {text} The lamps keep what was sent last until "
        "a show is opened."
    )
    return Opening(None, str(path), note, session.know(played.show.id).session)
