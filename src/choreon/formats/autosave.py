"""Keeps a show on disk while it is edited: no save button, no waiting, and a copy
elsewhere where the disk refuses.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable
from pathlib import Path

import msgspec

from choreon import folders
from choreon.formats import showfile
from choreon.model.show import Show


class Kept(msgspec.Struct, frozen=True):
    """How the last writing went: when (wall clock), where to, and what the user must
    know.
    """

    when: float
    path: Path
    trouble: str = ""


def rescue_path(path: Path) -> Path:
    """Where the copy of a show goes whose own place cannot be written."""
    return folders.data() / "rescued" / path.name


def newer_rescue(path: Path) -> Path | None:
    """The rescued copy of a show, where it is newer than the show itself."""
    copy = rescue_path(path)
    with contextlib.suppress(OSError):
        if copy.stat().st_mtime > path.stat().st_mtime:
            return copy
    return None


class Autosave:
    """Writes the newest show within `delay` seconds of its edit, in a thread of its
    own.
    """

    def __init__(
        self, path: Path, done: Callable[[Kept], None], delay: float = 0.25
    ) -> None:
        self.path = path
        self._done = done
        self._delay = delay
        self._waiting: Show | None = None
        self._changed = threading.Condition()
        self._busy = False
        self._ended = False
        self._thread = threading.Thread(target=self._run, name="autosave", daemon=True)
        self._thread.start()

    def keep(self, show: Show) -> None:
        """Write this show soon; it replaces one that still waits."""
        with self._changed:
            self._waiting = show
            self._changed.notify_all()

    def flush(self, timeout: float = 10.0) -> bool:
        """Wait until all is written; False where that took longer."""
        with self._changed:
            return self._changed.wait_for(
                lambda: self._waiting is None and not self._busy, timeout
            )

    def close(self) -> None:
        """Write what waits and end."""
        self.flush()
        with self._changed:
            self._ended = True
            self._changed.notify_all()
        self._thread.join(5)

    def _run(self) -> None:
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._waiting is not None or self._ended)
                if self._waiting is None:
                    return
            time.sleep(self._delay)
            with self._changed:
                show, self._waiting, self._busy = self._waiting, None, True
            try:
                kept = save(self.path, show)
            finally:
                with self._changed:
                    self._busy = False
                    self._changed.notify_all()
            self._done(kept)


def save(path: Path, show: Show) -> Kept:
    """Write a show to its place, or else to the rescue folder; never raises."""
    try:
        showfile.write(path, show)
        return Kept(time.time(), path)
    except Exception as error:
        why = getattr(error, "strerror", None) or str(error)
        copy = rescue_path(path)
        try:
            showfile.write(copy, show)
            return Kept(
                time.time(),
                copy,
                f"{path.parent} cannot be written ({why}). A copy is kept in {copy}.",
            )
        except Exception as second:
            also = getattr(second, "strerror", None) or str(second)
            text = (
                f"Nothing can be written: {why}; nor to {copy.parent} ({also}). "
                "Free some space; the show goes on."
            )
            return Kept(0.0, path, text)
