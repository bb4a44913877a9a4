"""Garbage is sought in the window's thread alone.

The interpreter looks for garbage in whichever thread happens to make an object. Where
that is a worker and the garbage holds widgets, these are taken apart beside the window
that they belong to, and the process dies. So it is told not to look by itself; a timer
of the window has it look instead, by the same measure.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QApplication

EVERY = 200  # milliseconds from look to look


class _Collector(QObject):
    def __init__(self, application: QObject) -> None:
        super().__init__(application)
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(_look)
        self._timer.start()


def _look() -> None:
    """Look through the oldest generation that is due."""
    counts, limits = gc.get_count(), gc.get_threshold()
    for generation in (2, 1, 0):
        if counts[generation] > limits[generation]:
            gc.collect(generation)
            return


_collector: _Collector | None = None


def keep_to_this_thread() -> None:
    """From now on garbage is sought in this thread alone, as long as the application
    lives.
    """
    global _collector
    application = QApplication.instance()
    if _collector is None and application is not None:
        gc.disable()
        _collector = _Collector(application)
