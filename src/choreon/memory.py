"""Memory that was let go, given back to the machine.

The C library keeps what is freed, in pieces between what is still in use: over hours of
edits, each of which is compiled anew, a process seems to grow though it holds no more.
"""

from __future__ import annotations

import contextlib
import ctypes
import time

EVERY = 60.0  # seconds

# what mallopt(3) is told, and the numbers of its parameters in glibc's malloc.h
LARGE = 256 << 10  # bytes from which a piece is taken from the machine by itself
ARENAS = 2  # in which small pieces of all threads lie
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8


def settle() -> None:
    """Have large pieces go back to the machine as soon as they are let go, and threads
    share their memory. To be called at the start of a process that runs for hours: left
    to itself the C library keeps what arrays leave behind, in pieces.
    """
    with contextlib.suppress(OSError, AttributeError):  # not every C library can
        c = ctypes.CDLL(None)
        c.mallopt(M_MMAP_THRESHOLD, LARGE)
        c.mallopt(M_TRIM_THRESHOLD, LARGE)
        c.mallopt(M_ARENA_MAX, ARENAS)


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
