"""The address slip of a fixture: the switches as they stand on the lamp."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from choreon.language import facts, tr
from choreon.ui import theme


class Slip(QWidget):
    """Ten switches as they stand on the lamp for a start address: the first nine count
    1, 2, 4 … 256.
    """

    def __init__(self) -> None:
        super().__init__()
        self._address = 1
        self.setFixedHeight(66)
        self.setAccessibleName(tr("DIP switches"))

    def sizeHint(self) -> QSize:
        return QSize(220, 66)

    def show_address(self, address: int, mode: str) -> None:
        """Show how the switches stand for an address."""
        self._address = address
        on = ", ".join(str(i + 1) for i in range(9) if address >> i & 1)
        self.setToolTip(
            facts(
                tr("Address {address}: switches {on} on", address=address, on=on),
                tr("mode {mode}", mode=mode) if mode else "",
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)
        step = (self.width() - 16) / 10
        painter.setFont(theme.font(11))

        for i in range(10):
            on = i < 9 and bool(self._address >> i & 1)
            x = 8 + i * step
            well = QRectF(x + step * 0.18, 8, step * 0.64, 34)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.PIT))
            painter.drawRoundedRect(well, 3, 3)
            painter.setBrush(QColor(theme.TEXT if on else theme.FAINT))
            top = well.top() + 2 if on else well.bottom() - 17
            painter.drawRoundedRect(
                QRectF(well.left() + 2, top, well.width() - 4, 15), 2, 2
            )
            painter.setPen(QColor(theme.TEXT if on else theme.FAINT))
            painter.drawText(
                QRectF(x, 44, step, 16), Qt.AlignmentFlag.AlignHCenter, str(i + 1)
            )
