"""What ways in by the network have in common: a thread that listens, and lets go at
once when it is told to.
"""

from __future__ import annotations

import contextlib
import select
import socket
import threading
import time
from abc import abstractmethod
from collections.abc import Iterable

from choreon.engine.inputs.base import InputDevice, Surroundings


class Listener(InputDevice):
    """A way in whose thread comes round whenever something came, and now and then. A
    kind of it calls `begin` when it is made.
    """

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self._wake_in, self._wake_out = socket.socketpair()
        self._wake_in.setblocking(False)
        self._ended = False
        self._beat = time.monotonic()
        self._thread = threading.Thread(target=self._run, name=self.kind, daemon=True)

    # what a kind says

    @abstractmethod
    def adjust(self, now: float) -> None:
        """Listen to what the show wants, and to nothing else."""

    @abstractmethod
    def handles(self) -> Iterable[int]:
        """Returns what is listened to."""

    @abstractmethod
    def patience(self) -> float:
        """Returns for how many seconds nothing need be looked at."""

    @abstractmethod
    def came_round(self) -> None:
        """Take what came."""

    @abstractmethod
    def shut(self) -> None:
        """Let the ports go."""

    # what a listener does

    def begin(self) -> None:
        """Begin to listen."""
        self._thread.start()

    def _run(self) -> None:
        while not self._ended:
            self._beat = now = time.monotonic()
            self.adjust(now)
            waits = [self._wake_in.fileno(), *self.handles()]
            with contextlib.suppress(OSError, ValueError):
                select.select(waits, [], [], self.patience())
            self.came_round()

    @property
    def thread(self) -> threading.Thread:
        """What listens."""
        return self._thread

    @property
    def beat(self) -> float:
        """When it last came round."""
        return self._beat

    def abandon(self) -> None:
        """Give it up."""
        self._ended = True

    def close(self) -> None:
        """Let the ports go."""
        self._ended = True
        with contextlib.suppress(OSError):
            self._wake_out.send(b"q")
        self._thread.join(2)
        self.shut()
        self._wake_in.close()
        self._wake_out.close()
