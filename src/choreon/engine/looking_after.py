"""Who looks after the threads that help the frame loop: one that has died, or stands
still, is replaced, and the frames go on meanwhile.
"""

from __future__ import annotations

import logging
import threading
import time
from typing import Protocol

from choreon.language import tr

log = logging.getLogger(__name__)

PATIENCE = 5.0  # seconds a helper may take over one thing before it counts as hung


class Helper(Protocol):
    """A thread that beats."""

    @property
    def thread(self) -> threading.Thread:
        """The thread."""

    @property
    def beat(self) -> float:
        """When it last came round, monotonic seconds."""


class Nurse:
    """Tells which helpers are well. Time in which the frame loop did not run either,
    while the machine slept or stood still, is not counted.
    """

    def __init__(self) -> None:
        self._looked = time.monotonic()
        self._stuck: dict[threading.Thread, tuple[float, float]] = {}

    def unwell(self, helpers: list[Helper], now: float) -> list[Helper]:
        """Returns the helpers that have died or hang."""
        step, self._looked = min(now - self._looked, 1.0), now
        found: list[Helper] = []
        stuck: dict[threading.Thread, tuple[float, float]] = {}

        for helper in helpers:
            thread, beat = helper.thread, helper.beat
            if thread.ident is None:
                continue  # it has not begun

            before, waited = self._stuck.get(thread, (beat, 0.0))
            waited = waited + step if before == beat else 0.0
            stuck[thread] = (beat, waited)

            if not thread.is_alive() or waited > PATIENCE:
                log.error("the thread “%s” %s", thread.name, _state(thread))
                found.append(helper)

        self._stuck = stuck
        return found


def _state(thread: threading.Thread) -> str:
    return (
        tr("hangs and is replaced")
        if thread.is_alive()
        else tr("has ended and is replaced")
    )
