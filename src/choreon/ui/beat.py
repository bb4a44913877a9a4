"""Which beat of the bar it is, for lights that blink with it: looked at when it
changes, not in between.
"""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, Signal

from choreon.ui.parts import Parts
from choreon.ui.widgets import basics

LIT = 0.18  # the part of a beat that its light is on
LEAST, MOST = 4, 500  # milliseconds between looks


class Beat(QObject):
    """`beat`: from 0, in the bar. `lit`: whether it has just come. Tells of changes
    between `start` and `stop`.
    """

    changed = Signal()

    def __init__(self, parts: Parts, parent: QObject) -> None:
        super().__init__(parent)
        self._parts = parts
        self.beat, self.lit = 0, False
        self._on = False
        self._next = basics.once(self, MOST, self._look)
        parts.engine.state_changed.connect(lambda _: self._look())

    def start(self) -> None:
        """Follow it from now on."""
        self._on = True
        self._look()

    def stop(self) -> None:
        """Follow it no more."""
        self._on = False
        self._next.stop()

    def _look(self) -> None:
        if not self._on:
            return
        clock = self._parts.engine.state.clock
        beat, within = clock.in_bar(time.monotonic())
        lit = within < LIT
        if (beat, lit) != (self.beat, self.lit):
            self.beat, self.lit = beat, lit
            self.changed.emit()
        rest = (LIT if lit else 1.0) - within  # beats until it is another
        wait = int(1000 * rest * 60.0 / max(1.0, clock.bpm)) + 1
        self._next.setInterval(min(MOST, max(LEAST, wait)))
        self._next.start()
