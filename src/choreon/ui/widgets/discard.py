"""Taking widgets apart.

A widget that is put away is destroyed by Qt a moment later, with all that is in it.
What Python knows of these must not go at that very moment: destroying one lets go of
the last hold on what Python knows of it, and the process dies in the middle of that.
So all of it is held until they are destroyed.
"""

from __future__ import annotations

import shiboken6
from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QWidget

LOOK = 500  # milliseconds after which it is looked whether they are destroyed

_held: list[list[QObject]] = []
_timer: QTimer | None = None


def discard(widget: QWidget) -> None:
    """Have a widget, and all that is in it, destroyed when what goes on now is over."""
    global _timer
    _held.append([widget, *widget.findChildren(QObject)])
    widget.deleteLater()
    if _timer is None or not shiboken6.isValid(_timer):
        _timer = QTimer(interval=LOOK)
        _timer.timeout.connect(_look)
    if not _timer.isActive():
        _timer.start()


def _look() -> None:
    _held[:] = [them for them in _held if shiboken6.isValid(them[0])]
    if not _held and _timer is not None:
        _timer.stop()
