"""The stage from above, to aim at: its marks, and a cross where heads aim."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from choreon.language import tr
from choreon.model import links
from choreon.model.show import Mark, Room
from choreon.ui import theme
from choreon.ui.widgets.spoken import Role, Spoken

NAMED = 150.0  # pixels of a stage that has room for the names of its marks
NEAR = 16.0  # pixels from a mark at which it is aimed at


class FloorPad(QWidget):
    """Gives the link to the mark, or to the point, that is pressed."""

    aimed = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.room, self.marks = Room(), list[Mark]()
        self.point: tuple[float, float] | None = None
        self.setMinimumHeight(60)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName(tr("The stage from above"))
        self.setToolTip(tr("Drag where the heads shall aim, or press a mark"))

    def sizeHint(self) -> QSize:
        return QSize(240, 150)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        if self.point is None:
            return Spoken(Role.Graphic, tr("no point"))
        x, y = self.point
        return Spoken(Role.Graphic, tr("{x:.1f} m across, {y:.1f} m upstage", x=x, y=y))

    def show_stage(self, room: Room, marks: Sequence[Mark]) -> None:
        """Show a stage and its marks."""
        self.room, self.marks = room, list(marks)
        self.update()

    def show_point(self, point: tuple[float, float] | None) -> None:
        """Show where heads aim, in metres."""
        if point != self.point:
            self.point = point
            self.update()

    def floor(self) -> QRectF:
        """Where the stage is drawn."""
        area = QRectF(self.rect()).adjusted(4, 4, -4, -4)
        scale = min(area.width() / self.room.width, area.height() / self.room.depth)
        made = QRectF(0, 0, scale * self.room.width, scale * self.room.depth)
        made.moveCenter(area.center())
        return made

    def to_screen(self, x: float, y: float) -> QPointF:
        """Where a point of the stage, in metres, is drawn."""
        floor = self.floor()
        return QPointF(
            floor.center().x() + x / self.room.width * floor.width(),
            floor.bottom() - y / self.room.depth * floor.height(),
        )

    def to_stage(self, point: QPointF) -> tuple[float, float]:
        """The point of the stage under a finger, in metres."""
        floor = self.floor()
        x = (point.x() - floor.center().x()) / floor.width() * self.room.width
        y = (floor.bottom() - point.y()) / floor.height() * self.room.depth
        return x, y

    def aim(self, point: QPointF) -> str:
        """Go to where a finger is, at a mark near it to that. Returns the link."""
        for mark in self.marks:
            if (self.to_screen(mark.x, mark.y) - point).manhattanLength() < NEAR:
                self.show_point((mark.x, mark.y))
                return links.to_mark(mark.id)
        return self._at(*self.to_stage(point))

    def step(self, dx: float, dy: float) -> str:
        """Go so many metres on. Returns the link."""
        x, y = self.point or (0.0, self.room.depth / 2)
        return self._at(x + dx, y + dy)

    def _at(self, x: float, y: float) -> str:
        self.show_point((x, y))
        return f"{links.POINT}{x:.3f},{y:.3f},0"

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Aim there."""
        if event.button() == Qt.MouseButton.LeftButton:
            self.aimed.emit(self.aim(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Go along."""
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.aimed.emit(self.aim(event.position()))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.BATTEN), 1.5))
        painter.setBrush(QColor(theme.STAGE_BLACK))
        painter.drawRoundedRect(self.floor(), 4, 4)
        painter.setFont(theme.font(12))

        for mark in self.marks:
            self._draw_mark(painter, mark)
        if self.point is not None:
            spot = self.to_screen(*self.point)
            painter.setPen(QPen(QColor(theme.LIVE), 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(spot, 9, 9)
            for away in (QPointF(14, 0), QPointF(0, 14)):
                painter.drawLine(spot - away, spot + away)

    def _draw_mark(self, painter: QPainter, mark: Mark) -> None:
        spot = self.to_screen(mark.x, mark.y)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.SOFT))
        painter.drawEllipse(spot, 3.5, 3.5)
        if self.floor().width() < NAMED:
            return
        painter.setPen(QColor(theme.SOFT))
        wide = painter.fontMetrics().horizontalAdvance(mark.name)
        left = min(spot.x() + 6, self.width() - wide - 4)
        painter.drawText(QPointF(left, spot.y() - 5), mark.name)
