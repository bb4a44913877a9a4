"""Stand-ins that are there for as long as their process runs."""

from __future__ import annotations

import contextlib
import signal
import threading
from pathlib import Path

from choreon.language import tr


def stay(name: str, path: Path) -> int:
    """Say that something is plugged in, and take its file away when this is stopped.
    Returns the exit status.
    """
    stopped = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopped.set())

    print(tr("{name} is plugged in. Ctrl+C unplugs it.", name=name), flush=True)
    try:
        stopped.wait()
    finally:
        with contextlib.suppress(OSError):
            path.unlink()
    return 0
