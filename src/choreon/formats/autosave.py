"""Keeps a show on disk while it is edited: no save button, no waiting, and a copy
elsewhere where the disk refuses, for as long as it does.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

import msgspec

from choreon.formats import rescue, showfile
from choreon.language import tr
from choreon.model.show import Show

Edited = tuple[Show, int]
"""A show, and how often it has been changed."""

RETRY = 5.0  # seconds between attempts to write what was refused


class SaveStatus(msgspec.Struct, frozen=True):
    """How the last writing went: when (wall clock), where to, and what the user must
    know.
    """

    when: float
    path: Path
    trouble: str = ""


class Autosave:
    """Writes the newest show within `delay` seconds of its edit, in a thread of its
    own; what was refused again every `retry` seconds.
    """

    def __init__(
        self,
        path: Path,
        done: Callable[[SaveStatus], None],
        delay: float = 0.25,
        retry: float = RETRY,
    ) -> None:
        self.path = path
        self._done = done
        self._delay, self._retry = delay, retry
        self._base = rescue.digest_of(path)
        self._waiting: Edited | None = None

        self._refused: Edited | None = None
        self._changed = threading.Condition()
        self._busy = False
        self._ended = False
        showfile.sweep(path)

        self._thread = threading.Thread(target=self._run, name="autosave", daemon=True)
        self._thread.start()

    def keep(self, show: Show, edits: int = 0) -> None:
        """Write this show soon, which has been changed so often; it replaces one that
        still waits.
        """
        with self._changed:
            self._waiting = show, edits
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
        while (edited := self._next()) is not None:
            show, edits = edited
            kept, base = save(self.path, show, self._base, edits)
            self._base = base
            self._done(kept)  # before anyone who waits goes on
            with self._changed:
                self._refused = edited if kept.trouble else None
                self._busy = False
                self._changed.notify_all()

    def _next(self) -> Edited | None:
        """What is to be written next, when it is time to; None where all is over."""
        with self._changed:
            self._changed.wait_for(
                lambda: self._waiting is not None or self._ended,
                self._retry if self._refused is not None else None,
            )
            if self._ended and self._waiting is None:
                return None

            if self._waiting is None:  # once more
                self._busy = True
                return self._refused

        time.sleep(self._delay)
        with self._changed:
            edited, self._waiting, self._busy = self._waiting, None, True
            return edited


def save(
    path: Path, show: Show, base: str = "", edits: int = 0
) -> tuple[SaveStatus, str]:
    """Write a show to its place, or else where copies are kept; never raises. Returns
    how it went, and the digest of the file as it was written well last.
    """
    try:
        base = showfile.write(path, show, edits=edits)
    except Exception as error:
        why = getattr(error, "strerror", None) or str(error)
        return _rescued(path, show, base, why, edits), base
    rescue.clear(path, show.id)
    return SaveStatus(time.time(), path), base


def _rescued(path: Path, show: Show, base: str, why: str, edits: int) -> SaveStatus:
    try:
        copy = rescue.keep(path, show, base, edits)
    except Exception as second:
        also = getattr(second, "strerror", None) or str(second)
        text = tr(
            "Nothing can be written: {why}; nor is there a place for a copy ({also}). "
            "Free some space; the show goes on.",
            why=why,
            also=also,
        )
        return SaveStatus(0.0, path, text)

    return SaveStatus(
        time.time(),
        copy,
        tr(
            "{parent} cannot be written ({why}). A copy is kept in {copy}; it is "
            "written there again as soon as that can be.",
            parent=path.parent,
            why=why,
            copy=copy,
        ),
    )
