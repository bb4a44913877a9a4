"""A path of heads in the stage picture: the line, who runs along it, and handles that
are dragged.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from choreon.model.motion import XY, Effect, Path, PathShape, Plane
from choreon.model.show import Show
from choreon.render import path_tables
from choreon.render.rig import Floats
from choreon.ui import theme
from choreon.ui.stage.camera import View

CENTRE, SIZE = "centre", "size"
NEAR = 14.0  # pixels within which a press takes a handle


class Handle(NamedTuple):
    """What can be dragged: the middle, the size, or a point of a free path by its
    number; and where it is, metres.
    """

    name: str
    place: tuple[float, float, float]


class PathOnStage:
    """A path in the room as it is drawn."""

    def __init__(self, show: Show, effect: Effect, path: Path) -> None:
        self.effect, self.path = effect, path
        self.centre, self.points = path_tables.points_of(show, path)

    def handles(self) -> list[Handle]:
        """Returns what can be dragged."""
        found = [Handle(CENTRE, _three(self.centre))]
        if self.path.shape == PathShape.FREE:
            for n, point in enumerate(self.path.points):
                found.append(Handle(str(n), _three(self._place(point))))
        else:
            found.append(Handle(SIZE, _three(self._place((1.0, 0.0)))))
        return found

    def _place(self, point: XY) -> Floats:
        """Where a point of the path, −1…1, is in the room."""
        path = self.path
        x, y = point[0] * path.size, point[1] * path.size * path.stretch
        angle = np.radians(path.turn)
        across = x * np.cos(angle) - y * np.sin(angle)
        along = x * np.sin(angle) + y * np.cos(angle)
        place = self.centre.copy()
        place[0] += across
        place[1 if path.plane == Plane.FLOOR else 2] += along
        return place

    def point_at(self, place: Sequence[float]) -> XY:
        """Returns the point of the path, −1…1, that is at a place in the room."""
        path = self.path
        away = np.asarray(place, float) - self.centre
        across, along = away[0], away[1 if path.plane == Plane.FLOOR else 2]
        angle = np.radians(-path.turn)
        x = across * np.cos(angle) - along * np.sin(angle)
        y = across * np.sin(angle) + along * np.cos(angle)
        size = max(path.size, 1e-6)
        return (
            round(float(x) / size, 3),
            round(float(y) / (size * max(path.stretch, 1e-6)), 3),
        )

    def size_at(self, place: Sequence[float]) -> float:
        """Returns the size with which the path passes through a place."""
        x, y = self.point_at(place)
        return float(max(0.05, np.hypot(x, y) * self.path.size))

    def handle_at(self, view: View, point: QPointF) -> str:
        """Returns the handle drawn at a point; empty for none."""
        best, nearest = NEAR, ""
        for handle in self.handles():
            x, y, _ = view.project([handle.place])[0]
            away = float(np.hypot(x - point.x(), y - point.y()))
            if away <= best:
                best, nearest = away, handle.name
        return nearest

    def draw(self, painter: QPainter, view: View, runners: Floats) -> None:
        """Draw the path, its handles, and where heads are on it (n, 3)."""
        line = [QPointF(x, y) for x, y, _ in view.project(self.points[::4])]
        pen = QPen(QColor(theme.DRAFT), 1.5)
        pen.setDashPattern([5, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(line))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LIVE))

        for x, y, _ in view.project(runners) if len(runners) else ():
            painter.drawEllipse(QPointF(x, y), 4.0, 4.0)
        painter.setPen(QPen(QColor(theme.PIT), 1))
        painter.setBrush(QColor(theme.DRAFT))

        for handle in self.handles():
            x, y, _ = view.project([handle.place])[0]
            painter.drawRect(int(x) - 5, int(y) - 5, 10, 10)


def _three(place: Floats) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in place)
    return x, y, z
