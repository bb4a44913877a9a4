"""Garbage is sought in the window's thread alone.

The interpreter looks for garbage in whichever thread happens to make an object. Where
that is a worker and the garbage holds widgets, these are taken apart beside the window
that they belong to, and the process dies. So it is told not to look by itself; a timer
of the window has it look instead, by the same measure.
"""

from __future__ import annotations

import gc
import time

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QApplication

from choreon.memory import Tidier, keep_large_apart

EVERY = 200  # milliseconds from look to look
TIDY = 15.0  # seconds until memory that was let go is given back
SELDOM = 1000  # times as long as it took, until all is looked through again


class _Collector(QObject):
    def __init__(self, application: QObject) -> None:
        super().__init__(application)
        self._all_due = 0.0  # when all may be looked through again
        self._tidier = Tidier(TIDY)
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    def _look(self) -> None:
        """Look through the oldest generation that is due. To look through all takes as
        long as the show is large, so it is done the more seldom.
        """
        counts, limits = gc.get_count(), gc.get_threshold()
        begin = time.monotonic()
        if counts[2] > limits[2] and begin >= self._all_due:
            gc.collect(2)
            self._all_due = begin + SELDOM * (time.monotonic() - begin)
        elif counts[1] > limits[1]:
            gc.collect(1)
        elif counts[0] > limits[0]:
            gc.collect(0)
        self._tidier.look()


_collector: _Collector | None = None


def keep_to_this_thread() -> None:
    """From now on garbage is sought in this thread alone, as long as the application
    lives.
    """
    global _collector
    application = QApplication.instance()
    if _collector is None and application is not None:
        gc.disable()
        keep_large_apart()
        _collector = _Collector(application)
