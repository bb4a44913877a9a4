"""Gestures: from press to release, or one typed entry. What is done in one is one step
for undo.
"""

from __future__ import annotations

import contextlib
import time
from collections.abc import Iterator

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QFocusEvent, QHelpEvent, QInputEvent, QKeyEvent
from PySide6.QtWidgets import QApplication

from choreon.ui.widgets import basics
from choreon.ui.widgets.focus_ring import FocusRing
from choreon.ui.widgets.tips import show_tip

WHEEL = 500  # milliseconds without a notch, or a nudge, after which it is over
OUTSIDE = 700  # milliseconds of rest of a device's control that end its gesture


class Gestures(QObject):
    """Watches all that hands do in the window. `now` is a number for the gesture that
    goes on; None between them.
    """

    def __init__(self) -> None:
        super().__init__()
        self.now: int | None = None
        self._count = 0
        self._wheel = self._nudging = False
        self.ring = FocusRing()
        self._by_key = False  # what hands did last
        self._last = time.monotonic()
        self._released = basics.once(self, 0, self._end)
        self._wheel_over = basics.once(self, WHEEL, self._end)
        self._outside_over = basics.once(self, OUTSIDE, self._end)
        application = QApplication.instance()
        if application is not None:
            application.installEventFilter(self)

    @property
    def resting(self) -> float:
        """For how many seconds hands have done nothing."""
        return time.monotonic() - self._last

    @contextlib.contextmanager
    def paused(self) -> Iterator[None]:
        """See nothing while a window, or a place of it, is built: no hand can reach it,
        and it brings some twenty thousand events.
        """
        application = QApplication.instance()
        if application is not None:
            application.removeEventFilter(self)
        try:
            yield
        finally:
            if application is not None:
                application.installEventFilter(self)

    def outside(self) -> None:
        """A control of a device is moved: till it rests that is one gesture."""
        if not self._outside_over.isActive():
            self._begin()
        self._last = time.monotonic()
        self._outside_over.start()

    def _begin(self) -> None:
        self._count += 1
        self.now, self._wheel, self._nudging = self._count, False, False
        self._wheel_over.stop()
        self._released.stop()

    def _end(self) -> None:
        self.now, self._wheel, self._nudging = None, False, False

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """See what begins and what ends; nothing is kept from anyone."""
        if not isinstance(event, QInputEvent):  # nearly all of them
            return isinstance(event, SEEN) and self._see(watched, event)
        self._last = time.monotonic()
        kind = event.type()

        if kind in BEGINS:
            self._by_key = False
            if not self._is_the_same(event):
                self._begin()
        elif isinstance(event, QKeyEvent) and _is_new(event):
            self._by_key = True
            self._key(event)
        elif kind == QEvent.Type.Wheel:
            if not self._wheel:
                self._begin()
                self._wheel = True
            self._wheel_over.start()
        elif kind in ENDS and not self._nudging:
            # What the release itself does belongs to the gesture still.
            self._released.start()

        return False

    def _see(self, watched: QObject, event: QHelpEvent | QFocusEvent) -> bool:
        """See where the focus goes, and what is asked of. Returns whether that is
        answered.
        """
        if isinstance(event, QHelpEvent):
            return show_tip(watched, event)
        self.ring.follow(watched, event, self._by_key)
        return False

    def _key(self, event: QKeyEvent) -> None:
        """A key begins a gesture. Arrow keys nudge: pressed quickly one after the other
        they are one, as the notches of a wheel are.
        """
        nudges = event.key() in ARROWS
        if nudges and self._nudging and self.now is not None:
            self._wheel_over.start()
            return
        if not self._is_the_same(event):
            self._begin()
        if nudges:
            self._nudging = True
            self._wheel_over.start()

    def _is_the_same(self, event: QEvent) -> bool:
        """An event goes on to the parent of a widget that does not take it: that is the
        same press once more.
        """
        stamp = getattr(event, "timestamp", lambda: 0)()
        same = bool(stamp) and stamp == getattr(self, "_stamp", None)
        self._stamp = stamp
        return same and self.now is not None


SEEN = (QHelpEvent, QFocusEvent)


_watching: Gestures | None = None


def gestures() -> Gestures:
    """Returns the one that watches this application: each more would see every event
    once more.
    """
    global _watching
    if _watching is None:
        _watching = Gestures()
    return _watching


BEGINS = {
    QEvent.Type.MouseButtonPress,
    QEvent.Type.MouseButtonDblClick,
    QEvent.Type.TouchBegin,
}
ENDS = {QEvent.Type.MouseButtonRelease, QEvent.Type.TouchEnd, QEvent.Type.KeyRelease}


ARROWS = {Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down}


def _is_new(event: QKeyEvent) -> bool:
    return event.type() == QEvent.Type.KeyPress and not event.isAutoRepeat()
