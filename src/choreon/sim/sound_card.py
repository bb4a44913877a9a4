"""A stand-in for a sound card: it is plugged in for as long as this runs."""

from __future__ import annotations

import contextlib
import signal
import threading

from choreon.language import tr
from choreon.sound.cards import Practice, plug


def run(name: str, fast: float, keeps: str) -> int:
    """Plug a practice card in until this is stopped. Returns the exit status."""
    stopped = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stopped.set())

    path = plug(name, Practice(fast=fast, keeps=keeps))
    print(tr("{name} is plugged in. Ctrl+C unplugs it.", name=name), flush=True)
    try:
        stopped.wait()
    finally:
        with contextlib.suppress(OSError):
            path.unlink()
    return 0
