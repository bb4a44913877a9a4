"""Words that change many times a second, as a time that runs."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from choreon.ui import theme


class Counter(QWidget):
    """Soft words on a ground. Unlike a label it is laid out anew only when it gets
    longer or shorter, and what lies below it is not drawn again.
    """

    def __init__(self, ground: str) -> None:
        super().__init__()
        self._text, self._ground = "", QColor(ground)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFont(theme.font(12))

    def text(self) -> str:
        """What stands there."""
        return self._text

    def setText(self, text: str) -> None:
        """Have this stand there."""
        before, self._text = self._text, text
        if len(text) != len(before):
            self.setFixedSize(self.sizeHint())
        if text != before:
            self.update()

    def sizeHint(self) -> QSize:
        """Room for as many letters, whatever their digits are."""
        metrics = QFontMetrics(self.font())
        digits = "".join("0" if c.isdigit() else c for c in self._text)
        wide = metrics.horizontalAdvance(digits) + 4 if digits else 0
        return QSize(wide, metrics.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._ground)
        painter.setFont(self.font())
        painter.setPen(QColor(theme.SOFT))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, self._text)
