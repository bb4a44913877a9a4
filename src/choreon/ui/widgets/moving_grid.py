"""A grid of small things that move, as many in a line as there is room for."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRect, QRectF, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QHideEvent,
    QKeyEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QFrame

from choreon.ui import theme
from choreon.ui.settings import is_calm, open_settings

GAP = 6
RATE = 84  # milliseconds between pictures: twelve a second, all together


class MovingGrid(QAbstractScrollArea):
    """Things side by side, `wide` × `tall` pixels each, or as much wider as fills the
    line; what is not seen is not drawn, and nothing is while the grid is hidden.
    """

    def __init__(self, name: str, tip: str, wide: int, tall: int) -> None:
        super().__init__()
        self.wide, self.tall = wide, tall
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setStyleSheet("background: transparent;")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self._tick = QTimer(self, interval=RATE)
        self._tick.timeout.connect(self.viewport().update)

    # what a grid says of itself

    def count(self) -> int:
        """How many things there are."""
        raise NotImplementedError

    def draw(self, painter: QPainter, rect: QRectF, index: int) -> None:
        """Draw one of them."""
        raise NotImplementedError

    # where things are

    @property
    def columns(self) -> int:
        """How many lie side by side."""
        return max(1, (self.viewport().width() + GAP) // (self.wide + GAP))

    def rect_of(self, index: int) -> QRect:
        """Where a thing is drawn."""
        columns = self.columns
        row, column = divmod(index, columns)
        top = row * (self.tall + GAP) - self.verticalScrollBar().value()

        # what a whole number of them leaves of the line is shared among them
        room = self.viewport().width() + GAP
        left, right = room * column // columns, room * (column + 1) // columns
        return QRect(left, top, right - left - GAP, self.tall)

    def index_at(self, point: QPoint) -> int:
        """Returns the thing at a point; −1 for none."""
        places = range(self.count())
        return next((i for i in places if self.rect_of(i).contains(point)), -1)

    def into_sight(self, index: int) -> None:
        """Scroll to a thing."""
        rect, bar = self.rect_of(index), self.verticalScrollBar()
        if rect.top() < 0:
            bar.setValue(bar.value() + rect.top())
        elif rect.bottom() > self.viewport().height():
            bar.setValue(bar.value() + rect.bottom() - self.viewport().height())

    def beside(self, event: QKeyEvent, index: int) -> int | None:
        """Returns the thing that an arrow key leads to from another; None where it is
        no arrow, or there is nothing.
        """
        by = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns,
            Qt.Key.Key_Down: self.columns,
        }.get(Qt.Key(event.key()), 0)
        if not by or not self.count():
            return None
        return min(self.count() - 1, max(0, index + by))

    def fit(self) -> None:
        """There are more things, or fewer: scroll as far as there are."""
        rows = -(-self.count() // self.columns)
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, rows * (self.tall + GAP) - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(self.tall + GAP)
        self.viewport().update()

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for index in range(self.count()):
            rect = self.rect_of(index)
            if rect.bottom() >= 0 and rect.top() <= self.viewport().height():
                self.draw(painter, QRectF(rect), index)

    def draw_ground(
        self, painter: QPainter, rect: QRectF, lifted: bool, framed: bool
    ) -> None:
        """Draw what a thing stands on."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LIFT if lifted else theme.FLAT))
        painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        if framed:
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)

    def draw_name(
        self, painter: QPainter, rect: QRectF, name: str, tail: str = ""
    ) -> None:
        """Draw a name at the foot of a thing, and something short at its right end."""
        low = QRectF(rect.left() + 9, rect.bottom() - 24, rect.width() - 18, 20)
        middle, metrics = Qt.AlignmentFlag.AlignVCenter, painter.fontMetrics()
        room = low.width()
        if tail:
            room -= metrics.horizontalAdvance(tail) + 6
        name = metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(low, middle, name)
        painter.setPen(QColor(theme.SOFT))
        painter.drawText(low, middle | Qt.AlignmentFlag.AlignRight, tail)

    # Qt's own

    def showEvent(self, event: QShowEvent) -> None:
        if not is_calm(open_settings()):
            self._tick.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.viewport().update()
