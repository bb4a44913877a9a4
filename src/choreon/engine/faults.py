"""Faults on purpose, for the tests and the bench. They can be made only in an engine
that was started with CHOREON_FAULTS=1 around it.
"""

from __future__ import annotations

import ctypes
import os
import threading
import time

from choreon.language import tr
from choreon.render.state import PlayState

SWITCH = "CHOREON_FAULTS"
LONG = 3600.0  # seconds


class NoFaults:
    """None is ever made."""

    def make(self, kind: str) -> None:
        """Pass over what is asked."""

    def frame(self) -> None:
        """Let the frame be."""

    def draw(self, state: PlayState) -> None:
        """Let it be drawn."""


class Faults(NoFaults):
    """Makes what a message asks for: `frames`, `link` or `controllers` hang, `spin`
    (the frame thread never comes round), `grip` (nothing of the process runs), `crash`,
    `memory`, `render:ID` (frames with that player or draft fail).
    """

    def __init__(self) -> None:
        self._frame = ""
        self._broken: set[str] = set()

    def make(self, kind: str) -> None:
        """Make a fault; called in the link's thread."""
        if kind == "link":
            time.sleep(LONG)
        elif kind == "link dies":
            raise SystemExit
        elif kind == "grip":
            ctypes.PyDLL(None).sleep(int(LONG))
        elif kind == "crash":
            os.abort()
        elif kind.startswith("render:"):
            self._broken.add(kind.removeprefix("render:"))
        elif kind == "mended":
            self._broken.clear()
        else:
            self._frame = kind

    def frame(self) -> None:
        """Hang or fail where the frame thread was asked to."""
        kind, self._frame = self._frame, ""
        if kind == "frames":
            time.sleep(LONG)
        elif kind == "spin":
            while True:
                pass
        elif kind == "memory":
            raise MemoryError
        elif kind == "controllers":
            for thread in threading.enumerate():
                if thread.name == "controllers":
                    thread.__dict__["hang"] = True

    def draw(self, state: PlayState) -> None:
        """Fail where what is drawn was asked to."""
        if not self._broken:
            return
        found = {player.ref.id for player in state.players}
        if not state.draft.empty:
            found.add("draft")
        if "base" in self._broken or found & self._broken:
            raise ZeroDivisionError(tr("a fault on purpose"))


def for_tests() -> NoFaults:
    """Returns what makes faults, where that is allowed."""
    return Faults() if os.environ.get(SWITCH) == "1" else NoFaults()
