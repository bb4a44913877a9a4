"""Gestures: from press to release, or one typed entry. What is done in one is one step
for undo.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication

from choreon.ui.widgets import basics

WHEEL = 500  # milliseconds without a notch after which turning the wheel is over


class Gestures(QObject):
    """Watches all that hands do in the window. `now` is a number for the gesture that
    goes on; None between them.
    """

    def __init__(self) -> None:
        super().__init__()
        self.now: int | None = None
        self._count = 0
        self._wheel = False
        self._wheel_over = basics.once(self, WHEEL, self._end)
        application = QApplication.instance()
        if application is not None:
            application.installEventFilter(self)

    def _begin(self) -> None:
        self._count += 1
        self.now, self._wheel = self._count, False
        self._wheel_over.stop()

    def _end(self) -> None:
        self.now, self._wheel = None, False

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """See what begins and what ends; nothing is kept from anyone."""
        kind = event.type()
        if kind in BEGINS or _is_new_key(event):
            if not self._is_the_same(event):
                self._begin()
        elif kind == QEvent.Type.Wheel:
            if not self._wheel:
                self._begin()
                self._wheel = True
            self._wheel_over.start()
        elif kind in ENDS:
            # What the release itself does belongs to the gesture still.
            basics.once(self, 0, self._end).start()
        return False

    def _is_the_same(self, event: QEvent) -> bool:
        """An event goes on to the parent of a widget that does not take it: that is the
        same press once more.
        """
        stamp = getattr(event, "timestamp", lambda: 0)()
        same = bool(stamp) and stamp == getattr(self, "_stamp", None)
        self._stamp = stamp
        return same and self.now is not None


BEGINS = {
    QEvent.Type.MouseButtonPress,
    QEvent.Type.MouseButtonDblClick,
    QEvent.Type.TouchBegin,
}
ENDS = {QEvent.Type.MouseButtonRelease, QEvent.Type.TouchEnd, QEvent.Type.KeyRelease}


def _is_new_key(event: QEvent) -> bool:
    return isinstance(event, QKeyEvent) and (
        event.type() == QEvent.Type.KeyPress and not event.isAutoRepeat()
    )
