"""Memory that was let go, given back to the machine.

The C library keeps what is freed, in pieces between what is still in use: over hours of
edits, each of which is compiled anew, a process seems to grow though it holds no more.
"""

from __future__ import annotations

import contextlib
import ctypes
import time

LARGE = 192 << 10  # bytes from which pieces are the machine's, each by itself
SPARE = 32 << 20  # bytes that may lie free at the end until they are given back
_TRIM_THRESHOLD, _MMAP_THRESHOLD = -1, -3  # mallopt(3)


def keep_large_apart() -> None:
    """Have large pieces be taken from the machine one by one, and given back whole as
    soon as they are let go. Else the C library puts all that are no larger than the
    largest that was ever let go between small ones which stay.
    """
    with contextlib.suppress(OSError, AttributeError):  # not every C library can
        library = ctypes.CDLL(None)
        library.mallopt(_MMAP_THRESHOLD, LARGE)
        # without this the end would be given back and asked for again all the time
        library.mallopt(_TRIM_THRESHOLD, SPARE)


class Tidier:
    """Gives memory back every so many seconds, where `look` is called more often."""

    def __init__(self, every: float) -> None:
        self._every = every
        self._due = time.monotonic() + every

    def look(self) -> None:
        """Give back what is free, if it is time to. Takes a few milliseconds, in which
        other threads go on until they ask for memory.
        """
        now = time.monotonic()
        if now < self._due:
            return
        self._due = now + self._every
        with contextlib.suppress(OSError, AttributeError):  # not every C library can
            ctypes.CDLL(None).malloc_trim(0)
