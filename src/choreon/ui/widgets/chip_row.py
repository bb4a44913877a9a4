"""Names or pictures side by side, in as many lines as they need: hit by mouse or by
keys, carried to another place.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import QApplication, QSizePolicy, QWidget

from choreon.ui import theme

GAP = 4


class ChipRow(QWidget):
    """What is common to all rows of chips: where each lies, what is under the pointer,
    which one the keys are on.

    A row says how many there are (`count`), how wide each is (`wide`), what it looks
    like (`draw`) and what it is (`tip`). Where `movable`, a chip can be dragged to
    another place in the row.
    """

    picked = Signal(int)
    carried = Signal(int, int)  # from where, to where

    movable = False

    def __init__(self, title: str, tall: int, size: int) -> None:
        super().__init__()
        self.tall, self.size_of_text = tall, size
        self.hover = -1
        self.at_key = 0
        self._pressed = -1
        self._from = QPoint()
        self._gap = -1  # where a chip that is carried would go
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(title)
        self.setToolTip(title)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    # what a row says

    def count(self) -> int:
        raise NotImplementedError

    def wide(self, index: int) -> float:
        raise NotImplementedError

    def draw(self, painter: QPainter, index: int, rect: QRectF) -> None:
        raise NotImplementedError

    def tip(self, index: int) -> str:
        raise NotImplementedError

    # where things are

    def sizeHint(self) -> QSize:
        return QSize(200, self.height())

    def fit(self) -> None:
        """Make the row as tall as its lines."""
        rects = self._rects()
        self.setFixedHeight(int(rects[-1].bottom()) + 2 if rects else GAP)
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.fit()

    def showEvent(self, event: QShowEvent) -> None:
        self.fit()

    def _rects(self) -> list[QRectF]:
        found, x, y = [], 1.0, 1.0
        for index in range(self.count()):
            wide = min(self.width() - 2.0, self.wide(index))
            if x > 1 and x + wide > self.width():
                x, y = 1.0, y + self.tall + GAP
            found.append(QRectF(x, y, wide, self.tall))
            x += wide + GAP
        return found

    def rect_at(self, index: int) -> QRectF:
        """Where a chip is drawn."""
        return self._rects()[index]

    def chip_at(self, point: QPointF) -> int:
        """The chip at a point; -1 for none."""
        return next((i for i, r in enumerate(self._rects()) if r.contains(point)), -1)

    def _place_at(self, point: QPointF) -> int:
        """The place in the row that a point is nearest to, 0 to the number of chips."""
        rects = self._rects()
        lines = [
            r for r in rects if r.top() - GAP / 2 <= point.y() < r.bottom() + GAP / 2
        ] or rects
        after = [r for r in lines if r.center().x() < point.x()]
        return rects.index(after[-1]) + 1 if after else rects.index(lines[0])

    # what is drawn

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(self.size_of_text))
        rects = self._rects()
        for index, rect in enumerate(rects):
            painter.setOpacity(
                0.4 if self._gap >= 0 and index == self._pressed else 1.0
            )
            self.draw(painter, index, rect)
        if self._gap >= 0 and rects:
            painter.setOpacity(1.0)
            beside = rects[min(self._gap, len(rects) - 1)]
            x = (
                beside.left() - GAP / 2
                if self._gap < len(rects)
                else beside.right() + GAP / 2
            )
            painter.setPen(QPen(QColor(theme.TEXT), 2))
            painter.drawLine(QPointF(x, beside.top()), QPointF(x, beside.bottom()))

    def draw_name(
        self, painter: QPainter, rect: QRectF, name: str, raised: bool
    ) -> None:
        """A chip that is a name."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.BATTEN if raised else theme.FLAT))
        painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        painter.setPen(QColor(theme.TEXT))
        text = painter.fontMetrics().elidedText(
            name, Qt.TextElideMode.ElideRight, int(rect.width() - 10)
        )
        painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, text)

    def has_keys(self, index: int) -> bool:
        """Whether the keys are on a chip."""
        return self.hasFocus() and index == self.at_key

    # hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self.chip_at(event.position())
        if found >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._from = found, event.position().toPoint()
            self.at_key = found

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        point = event.position()
        if self._pressed >= 0 and self.movable:
            far = (
                point.toPoint() - self._from
            ).manhattanLength() >= QApplication.startDragDistance()
            if far or self._gap >= 0:
                self._gap = self._place_at(point)
        else:
            self.hover = self.chip_at(point)
            if self.hover >= 0:
                self.setToolTip(self.tip(self.hover))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, gap = self._pressed, self._gap
        self._pressed = self._gap = -1
        self.update()
        if (
            event.button() != Qt.MouseButton.LeftButton
            or not 0 <= pressed < self.count()
        ):
            return
        if gap >= 0:
            to = gap - (gap > pressed)
            self.at_key = to
            if to != pressed:
                self.carried.emit(pressed, to)
        elif self.chip_at(event.position()) == pressed:
            self.picked.emit(pressed)

    def leaveEvent(self, event: QEvent) -> None:
        self.hover = -1
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        count, key = self.count(), Qt.Key(event.key())
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(key, 0)
        if key == Qt.Key.Key_Escape and self._gap >= 0:
            self._pressed = self._gap = -1
        elif step and count:
            to = (min(self.at_key, count - 1) + step) % count
            if event.modifiers() & Qt.KeyboardModifier.ControlModifier and self.movable:
                self.carried.emit(min(self.at_key, count - 1), to)
            self.at_key = to
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Space) and 0 <= self.at_key < count:
            self.picked.emit(self.at_key)
        else:
            super().keyPressEvent(event)
            return
        self.update()
