"""Words that end in dots where there is no room for all of them."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QStyle, QStyleOption

LEAST = 48  # pixels that such words take at least


class Elided(QLabel):
    """A line of plain words that may be shorter than they are. Its tooltip says them
    whole (see tips.py).
    """

    least = LEAST
    """Pixels that it takes at least, where it has as many."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)

    def minimumSizeHint(self) -> QSize:
        """A few letters of it."""
        hint = super().minimumSizeHint()
        return QSize(min(self.least, hint.width()), hint.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw as much as there is room for."""
        painter = QPainter(self)
        option = QStyleOption()
        option.initFrom(self)
        rect = self.contentsRect()
        words = self.fontMetrics().elidedText(
            self.text(), Qt.TextElideMode.ElideRight, rect.width()
        )
        align = int(self.alignment() | Qt.AlignmentFlag.AlignVCenter)
        enabled = bool(option.state & QStyle.StateFlag.State_Enabled)
        self.style().drawItemText(
            painter, rect, align, self.palette(), enabled, words, self.foregroundRole()
        )
