"""The engine's side of its supervisor, and of signals."""

from __future__ import annotations

import contextlib
import logging
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable

from choreon.engine import logs
from choreon.engine.beat import Heartbeat

log = logging.getLogger(__name__)

AGAIN = 5.0  # seconds between two attempts to find another supervisor


class Parent:
    """Knows who watches this engine, and finds another one where that has died."""

    def __init__(self, beat: Heartbeat, watched: bool) -> None:
        self._beat, self._watched = beat, watched
        self._pid = os.getppid()
        self._made: subprocess.Popen[bytes] | None = None
        self._due = 0.0

    def look(self, ended: bool) -> None:
        """Have another supervisor watch where the last one has gone."""
        if not self._watched or ended:
            return
        if self._made is not None:
            gone = self._made.poll() is not None
        else:
            gone = os.getppid() != self._pid
        now = time.monotonic()
        if gone and now >= self._due:
            self._due = now + AGAIN
            threading.Thread(target=self._find, name="parent", daemon=True).start()

    def _find(self) -> None:
        log.warning("the supervisor has gone; another one is started")
        handle = self._beat.handle
        command = [sys.executable, "-m", "choreon", "engine"]
        with contextlib.suppress(OSError):
            self._made = subprocess.Popen(
                [*command, "--adopt", str(os.getpid()), "--beat", str(handle)],
                stdin=subprocess.DEVNULL,
                stderr=logs.outside(),
                pass_fds=(handle,),
                start_new_session=True,
            )

    def end_within(self, seconds: float) -> None:
        """End this process in so many seconds, whatever hangs in it."""

        def end() -> None:
            time.sleep(seconds)
            log.error("it did not end in time, and is let go")
            os._exit(0)

        threading.Thread(target=end, name="end", daemon=True).start()


def heed_signals(stop: Callable[[], None]) -> None:
    """Have SIGTERM and SIGINT end the engine, also where the thread that Python tells
    of signals hangs: another thread hears of them as well.
    """
    hears, told = socket.socketpair()
    told.setblocking(False)

    def wait() -> None:
        while True:
            numbers = hears.recv(16)
            if signal.SIGTERM in numbers or signal.SIGINT in numbers:
                stop()

    threading.Thread(target=wait, name="signals", daemon=True).start()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: None)

    signal.set_wakeup_fd(told.fileno(), warn_on_full_buffer=False)
    _kept.append(told)


_kept: list[socket.socket] = []
