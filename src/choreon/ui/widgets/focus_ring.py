"""A ring around what has the focus, where that came by keys: the same one for whatever
it is, so that nobody has to look for it.
"""

from __future__ import annotations

import shiboken6
from PySide6.QtCore import QEvent, QObject, QRectF, Qt
from PySide6.QtGui import QColor, QFocusEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from choreon.ui import theme
from choreon.ui.widgets.discard import discard

BY_KEYS = {
    Qt.FocusReason.TabFocusReason,
    Qt.FocusReason.BacktabFocusReason,
    Qt.FocusReason.ShortcutFocusReason,
}
BACK_AGAIN = {
    Qt.FocusReason.ActiveWindowFocusReason,
    Qt.FocusReason.PopupFocusReason,
    Qt.FocusReason.MenuBarFocusReason,
}
"""The focus comes back to where it was, however it came there."""

WIDTH = 2  # pixels


class Ring(QWidget):
    """Lies over a widget, and is as large."""

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setGeometry(over.rect())
        over.installEventFilter(self)
        self.show()
        self.raise_()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Stay as large as what it lies over."""
        if event.type() == QEvent.Type.Resize and isinstance(watched, QWidget):
            self.setGeometry(watched.rect())
        return False

    def paintEvent(self, event: QPaintEvent) -> None:
        """A frame, and nothing in it."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.CHOSEN), WIDTH))
        inside = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.drawRoundedRect(inside, theme.RADIUS, theme.RADIUS)


class FocusRing:
    """Follows the focus of the window."""

    def __init__(self) -> None:
        self._ring: Ring | None = None

    def follow(self, watched: QObject, event: QFocusEvent, by_key: bool) -> None:
        """The focus comes, or goes. `by_key`: what hands did last was a key."""
        if not isinstance(watched, QWidget) or watched.isWindow():
            return
        if event.reason() in BACK_AGAIN:
            return
        if event.type() == QEvent.Type.FocusOut:
            self.put_away()
        elif event.type() == QEvent.Type.FocusIn:
            self.put_away()
            other = event.reason() == Qt.FocusReason.OtherFocusReason
            if event.reason() in BY_KEYS or (other and by_key):
                self._ring = Ring(watched)

    def put_away(self) -> None:
        """Have none."""
        ring, self._ring = self._ring, None
        if ring is not None and shiboken6.isValid(ring):
            ring.hide()
            discard(ring)
