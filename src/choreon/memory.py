"""Memory that was let go, given back to the machine.

The C library keeps what is freed, in pieces between what is still in use: over hours of
edits, each of which is compiled anew, a process seems to grow though it holds no more.
"""

from __future__ import annotations

import contextlib
import ctypes
import time

EVERY = 60.0  # seconds


class Tidier:
    """Gives memory back once a minute, where `look` is called more often than that."""

    def __init__(self) -> None:
        self._due = time.monotonic() + EVERY

    def look(self) -> None:
        """Give back what is free, if it is time to. Takes a few milliseconds, in which
        other threads go on.
        """
        now = time.monotonic()
        if now < self._due:
            return
        self._due = now + EVERY
        with contextlib.suppress(OSError, AttributeError):  # not every C library can
            ctypes.CDLL(None).malloc_trim(0)
