"""Log lines that nobody waits for: a terminal that is held, or a pipe that nobody
reads, never stops what logs.

Lines go into a bounded queue, from which a thread writes them. What finds no room is
counted, and the count is told when there is room again.
"""

from __future__ import annotations

import contextlib
import io
import logging
import os
import queue
import sys
import threading
import time

MOST = 1000  # lines that wait to be read
LEAVING = 0.3  # seconds in which a process that ends has what waits written
FORMAT = "%(asctime)s %(levelname)s %(message)s"


class Lines:
    """A queue of lines for a file that may take none for ever."""

    def __init__(self, handle: int, most: int = MOST) -> None:
        self._handle = handle
        self._queue: queue.Queue[bytes] = queue.Queue(most)
        self._left_out = 0
        self._writing = False
        threading.Thread(target=self._write, name="log", daemon=True).start()

    def put(self, line: str) -> None:
        """Have a line written; where too many wait already it is counted alone."""
        left_out, self._left_out = self._left_out, 0
        if left_out:
            line = f"… {left_out} lines were left out here\n{line}"
        try:
            self._queue.put_nowait(line.encode(errors="backslashreplace"))
        except queue.Full:
            self._left_out = left_out + 1

    def drain(self, seconds: float = LEAVING) -> None:
        """Wait until all is written, but no longer than so many seconds."""
        end = time.monotonic() + seconds
        while (self._writing or not self._queue.empty()) and time.monotonic() < end:
            time.sleep(0.005)

    def _write(self) -> None:
        while True:
            rest = self._queue.get()
            self._writing = True
            # a reader that has gone takes no more: what is told goes nowhere
            with contextlib.suppress(OSError):
                while rest:
                    rest = rest[os.write(self._handle, rest) :]
            self._writing = False


class _Handler(logging.Handler):
    """Logs into lines."""

    def __init__(self, lines: Lines) -> None:
        super().__init__()
        self.lines = lines
        self.setFormatter(logging.Formatter(FORMAT))

    def emit(self, record: logging.LogRecord) -> None:
        """Have a record written."""
        try:
            self.lines.put(f"{self.format(record)}\n")
        except Exception:
            self.lines.put("a log line could not be put into words\n")

    def close(self) -> None:
        """Have what waits written, when the process ends."""
        self.lines.drain()
        super().close()


class _Stream(io.TextIOBase):
    """What is printed, as lines: tracebacks of threads among them."""

    def __init__(self, lines: Lines, handle: int) -> None:
        super().__init__()
        self._lines, self._handle = lines, handle

    def writable(self) -> bool:
        """It can be written to."""
        return True

    def fileno(self) -> int:
        """The file that lines go to in the end."""
        return self._handle

    def write(self, text: str) -> int:
        """Have a text written; never waits."""
        if text:
            self._lines.put(text)
        return len(text)


def begin(level: int = logging.INFO) -> None:
    """Have all that this process logs and prints as errors go by a queue, from here on;
    what libraries in C write among it.
    """
    global _outside
    try:
        _outside = os.dup(STDERR)
    except OSError:
        return  # there is nothing to write to

    lines = Lines(_outside)

    # a pipe of our own takes what goes past Python; full, it drops
    reads, writes = os.pipe2(os.O_CLOEXEC)
    os.set_blocking(writes, False)
    os.dup2(writes, STDERR)
    os.close(writes)
    threading.Thread(target=_relay, args=(reads, lines), daemon=True).start()

    sys.stderr = _Stream(lines, _outside)
    root = logging.getLogger()
    root.setLevel(level)
    root.addHandler(_Handler(lines))


def outside() -> int:
    """Returns the handle to which errors of this process go in the end, for processes
    that it starts: they have a queue of their own.
    """
    return STDERR if _outside is None else _outside


def _relay(reads: int, lines: Lines) -> None:
    while True:
        lines.put(os.read(reads, 1 << 16).decode(errors="replace"))


STDERR = 2
_outside: int | None = None
