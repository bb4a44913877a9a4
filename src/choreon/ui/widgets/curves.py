"""Motions in small: a curve with a point that runs along it, colours that roll, a path;
and an editor for points that are dragged.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QWidget

from choreon.language import facts, plural, tr
from choreon.model.motion import XY, AnyMotion, ColourRoll, Path, Wave
from choreon.model.show import Show
from choreon.render import paths, rolls, waves
from choreon.ui import theme
from choreon.ui.widgets.colour_field import on_screen
from choreon.ui.widgets.spoken import Role, Spoken

POINTS = 48  # that a curve is drawn with


def wave_heights(motion: Wave, at: Sequence[float]) -> list[float]:
    """Returns how high a wave is, 0…1, at positions in cycles."""
    position = np.asarray(at, float)
    within, number = waves.cycle(
        position, motion.backward, motion.active, motion.there_and_back
    )
    group = np.zeros(len(position), np.int64)
    curve = waves.own_curve(motion)
    heights: list[float] = waves.wave(motion, within, number, group, curve).tolist()
    return heights


def draw_motion(
    painter: QPainter, rect: QRectF, show: Show, motion: AnyMotion, position: float
) -> None:
    """Draw a motion into a rectangle, as it is at a position in cycles."""
    draw = DRAWN.get(motion.kind)
    if draw is not None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw(painter, rect, show, motion, position)


def _draw_wave(
    painter: QPainter, rect: QRectF, show: Show, motion: Wave, position: float
) -> None:
    at = np.linspace(0.0, 1.0, POINTS, endpoint=False)
    heights = wave_heights(motion, [*at, 0.999999])
    xs = [*at, 1.0]
    line = [
        QPointF(rect.left() + x * rect.width(), rect.bottom() - h * rect.height())
        for x, h in zip(xs, heights, strict=True)
    ]

    painter.setPen(QPen(QColor(theme.SOFT), 1.5))

    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(line))
    here = position % 1.0
    height = wave_heights(motion, [here])[0]
    point = QPointF(
        rect.left() + here * rect.width(), rect.bottom() - height * rect.height()
    )

    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.LIVE))
    painter.drawEllipse(point, 3.0, 3.0)


def _draw_roll(
    painter: QPainter, rect: QRectF, show: Show, motion: ColourRoll, position: float
) -> None:
    count = max(4, int(rect.width() // 7))
    table = rolls.table_of(show, motion, count)
    at = position * (-1.0 if motion.backward else 1.0) - np.arange(count) / table.whole
    _, level, place = rolls.read(table, at)
    light = table.light()

    wide = rect.width() / count
    painter.setPen(Qt.PenStyle.NoPen)

    for n in range(count):
        rgb = light[place[n]] * level[n]
        painter.setBrush(on_screen((float(rgb[0]), float(rgb[1]), float(rgb[2]))))
        painter.drawRect(
            QRectF(rect.left() + n * wide, rect.top(), wide - 1.0, rect.height())
        )


def _draw_path(
    painter: QPainter, rect: QRectF, show: Show, motion: Path, position: float
) -> None:
    places = paths.shape_of(motion, 96)
    least, most = paths.extent(places)
    size = max(float((most - least).max()), 1e-6)
    middle = (least + most) / 2.0
    scale = min(rect.width(), rect.height()) / size

    def at(place: np.ndarray) -> QPointF:
        away = (place - middle) * scale
        return QPointF(rect.center().x() + away[0], rect.center().y() - away[1])

    painter.setPen(QPen(QColor(theme.SOFT), 1.5))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF([at(p) for p in places]))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.LIVE))

    for n in range(3):
        part = (position - n / 3.0) % 1.0
        painter.drawEllipse(at(places[int(part * 96)]), 3.0, 3.0)


Draw = Callable[[QPainter, QRectF, Show, Any, float], None]

DRAWN: dict[str, Draw] = {
    Wave.kind: _draw_wave,
    ColourRoll.kind: _draw_roll,
    Path.kind: _draw_path,
}
"""Kind of motion → what draws it."""


class PointEditor(QWidget):
    """Points in a square, −1…1 or 0…1 each way: dragged, added by a press on an empty
    place, taken out by a double press or Del. `joined` draws the line between them.
    """

    changed = Signal(tuple)

    NEAR = 10.0  # pixels within which a press takes a point

    def __init__(self, title: str, low: float, high: float, sorted_: bool) -> None:
        super().__init__()
        self.low, self.high, self.sorted = low, high, sorted_
        self.points: tuple[XY, ...] = ()
        self.line: list[XY] = []
        self.held = -1
        self.setFixedHeight(110)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(title)
        self.setToolTip(
            tr(
                "{title}: drag points, press on an empty place for one more, Del or a "
                "double press takes one out",
                title=title,
            )
        )

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        held = self.points[self.held] if 0 <= self.held < len(self.points) else None
        where = tr("in hand {x:.2f}, {y:.2f}", x=held[0], y=held[1]) if held else ""
        count = plural(len(self.points), "{n} point", "{n} points")
        return Spoken(Role.Graphic, facts(count, where))

    def show_points(self, points: tuple[XY, ...], line: list[XY]) -> None:
        """Show points, and the line that they make."""
        self.points, self.line = points, line
        self.held = min(self.held, len(points) - 1)
        self.update()

    def place_of(self, point: XY) -> QPointF:
        """Where a point is drawn."""
        x, y = ((v - self.low) / (self.high - self.low) for v in point)
        return QPointF(
            8 + x * (self.width() - 16), self.height() - 8 - y * (self.height() - 16)
        )

    def _point_at(self, place: QPointF) -> XY:
        x = (place.x() - 8) / max(1, self.width() - 16)
        y = (self.height() - 8 - place.y()) / max(1, self.height() - 16)
        span = self.high - self.low
        return tuple(  # type: ignore[return-value]
            round(self.low + span * min(1.0, max(0.0, v)), 3) for v in (x, y)
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)
        painter.setPen(QPen(QColor(theme.SOFT), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([self.place_of(p) for p in self.line]))
        for n, point in enumerate(self.points):
            painter.setPen(QPen(QColor(theme.PIT), 1))
            here = n == self.held and self.hasFocus()
            painter.setBrush(QColor(theme.CHOSEN if here else theme.TEXT))
            painter.drawEllipse(self.place_of(point), 5.0, 5.0)

    def _tell(self, points: list[XY]) -> None:
        held = points[self.held] if 0 <= self.held < len(points) else None
        if self.sorted:
            points = sorted(points)
        if held is not None:
            self.held = points.index(held)
        self.points = tuple(points)
        self.update()
        self.changed.emit(self.points)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a point, or make one."""
        self.setFocus()
        near = [
            (QPointF(self.place_of(p) - event.position()).manhattanLength(), n)
            for n, p in enumerate(self.points)
        ]
        away, nearest = min(near, default=(1e9, -1))
        if away <= 2 * self.NEAR:
            self.held = nearest
            self.update()
            return
        self.held = len(self.points)
        self._tell([*self.points, self._point_at(event.position())])

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it."""
        if self.held >= 0 and event.buttons() & Qt.MouseButton.LeftButton:
            points = list(self.points)
            points[self.held] = self._point_at(event.position())
            self._tell(points)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Take it out."""
        self.take_out()

    def take_out(self) -> None:
        """Take the point that is held out; two stay."""
        if 0 <= self.held < len(self.points) and len(self.points) > 2:
            points = list(self.points)
            del points[self.held]
            self.held = -1
            self._tell(points)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Del takes out, arrows move."""
        steps = {
            Qt.Key.Key_Left: (-0.02, 0.0),
            Qt.Key.Key_Right: (0.02, 0.0),
            Qt.Key.Key_Up: (0.0, 0.02),
            Qt.Key.Key_Down: (0.0, -0.02),
        }

        key = Qt.Key(event.key())
        if key == Qt.Key.Key_Delete:
            self.take_out()
        elif key in steps and 0 <= self.held < len(self.points):
            span = self.high - self.low
            x, y = self.points[self.held]
            dx, dy = steps[key]
            points = list(self.points)
            points[self.held] = (
                round(min(self.high, max(self.low, x + dx * span)), 3),
                round(min(self.high, max(self.low, y + dy * span)), 3),
            )

            self._tell(points)
        else:
            super().keyPressEvent(event)
