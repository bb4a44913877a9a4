"""Beams, pools and glows in the haze, added up in linear light.

Each lamp's shape is drawn once into a small mask, and again only when it turns; a picture is then one matrix product
of the lamps' light with their masks. That is what lets the stage run at thirty pictures a second beside the window.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QImage, QLinearGradient, QPainter, QPolygonF, QRadialGradient, QTransform

from choreon.model.show import Room
from choreon.render.colour import to_screen
from choreon.render.decode import Lamp, Light
from choreon.ui.stage.camera import View

Array = npt.NDArray[np.float64]

GLOWS = ("dot", "bar")  # bodies whose cells are looked into rather than throw a beam
TURN = 1.5e-3  # change of direction, as a length on the unit sphere, that is worth a new mask
PIXELS = 72_000  # of the whole picture; it is drawn larger, softly
FLOOR = 0.0075  # how light the dark room is

_UNIT = QRectF(-1, -1, 2, 2)
# Light → screen: a shoulder so that many beams together glow rather than clip, then the sRGB curve.
_STEPS = 2048
_REACH = 4.0
_CURVE = (255 * to_screen(1.0 - np.exp(-2.0 * np.linspace(0, _REACH, _STEPS)))).astype(np.uint8)


class Haze:
    """The soft picture of a set of lamps, seen through `view`, which is fitted to `width` × `height` pixels."""

    def __init__(self, lamps: list[Lamp], room: Room, view: View, width: int, height: int) -> None:
        self.lamps, self.room, self.view, self.size = lamps, room, view, (width, height)
        self.places = np.array([[p.place.x, p.place.y, p.place.z] for p in lamps]).reshape(-1, 3)
        self.spread = np.tan(np.radians(np.array([max(p.beam, 6.0) for p in lamps]) / 2)).reshape(-1)
        self._masks = np.zeros((len(lamps), width * height), np.float32)
        self._drawn = np.full((len(lamps), 3), np.nan)
        self._base = self._dark_room()

    def image(self, light: Light) -> QImage:
        """What the lamps put into the room."""
        lit = light.rgb.max(axis=1) > 1e-4
        turned = lit & ~(np.abs(light.direction - self._drawn).max(axis=1) < TURN)
        if turned.any():
            self._draw(np.flatnonzero(turned), light.direction)
        width, height = self.size
        sums = light.rgb.T.astype(np.float32) @ self._masks + self._base
        sums *= (_STEPS - 1) / _REACH
        np.minimum(sums, _STEPS - 1, out=sums)
        screen = _CURVE[sums.astype(np.int16)]
        data = np.full((height, width, 4), 255, np.uint8)
        for i, plane in enumerate((2, 1, 0)):  # blue first in memory
            data[..., i] = screen[plane].reshape(height, width)
        return QImage(data.data, width, height, 4 * width, QImage.Format.Format_RGB32).copy()

    # masks

    def _draw(self, which: npt.NDArray[np.int64], direction: Array) -> None:
        start, way = self.places[which], direction[which]
        length, normal = reach(self.room, start, way)
        end = start + way * length[:, None]
        radius = np.maximum(0.08, length * self.spread[which])
        across, along = footprint(way, normal, radius)
        a, b = self.view.project(start), self.view.project(end)
        one, two = self.view.project(end + across), self.view.project(end + along)
        width, height = self.size
        canvas = QImage(width, height, QImage.Format.Format_ARGB32_Premultiplied)
        for i, lamp in enumerate(which):
            canvas.fill(0)
            painter = QPainter(canvas)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
            painter.setPen(Qt.PenStyle.NoPen)
            body = self.lamps[lamp].body
            if body in GLOWS:
                near = (0.34, 0.62) if body == "dot" else (0.95, 0.62)
                _disc(painter, a[i], near[0] * self.view.focal / a[i, 2], near[1])
            else:
                self._throw(painter, body, a[i], b[i], float(radius[i]))
                if normal[i].any():
                    slant = float(np.abs((way[i] * normal[i]).sum()))  # Lambert: a grazing beam lights a surface less
                    _pool(painter, b[i], one[i], two[i], 0.92 * slant**0.7 / (1.0 + 0.10 * float(radius[i]) ** 2))
                _disc(painter, a[i], max(2.0, 0.30 * self.view.focal / a[i, 2]), 0.75)
            painter.end()
            grey = np.frombuffer(canvas.constBits(), np.uint8).reshape(height, -1)[:, : 4 * width]
            # Drawn by eye, so its square is the light.
            self._masks[lamp] = (grey[:, 3::4].astype(np.float32).reshape(-1) / 255) ** 2
        self._drawn[which] = way

    def _throw(self, painter: QPainter, body: str, a: Array, b: Array, radius: float) -> None:
        if body == "panel":
            return
        near = 0.07 * self.view.focal / a[2]
        far = radius * self.view.focal / b[2]
        strength = 0.46 / (1.0 + 0.45 * radius)
        for part, share in ((1.0, 0.5), (0.72, 0.3), (0.42, 0.3)):
            _cone(painter, a, b, near * part, far * part, strength * share)

    def _dark_room(self) -> npt.NDArray[np.float32]:
        """Floor and back wall as they show with no lamp lit."""
        width, height = self.size
        w, d, h = self.room.width / 2, self.room.depth, self.room.height
        points = self.view.project([(-w, 0, 0), (w, 0, 0), (w, d, 0), (-w, d, 0), (-w, d, h), (w, d, h)])
        at = [QPointF(x, y) for x, y, _ in points]
        canvas = QImage(width, height, QImage.Format.Format_Grayscale8)
        canvas.fill(0)
        painter = QPainter(canvas)
        painter.setPen(Qt.PenStyle.NoPen)
        for shade, corners in ((150, (0, 1, 2, 3)), (205, (3, 2, 5, 4))):
            painter.setBrush(QColor(shade, shade, shade))
            painter.drawPolygon(QPolygonF([at[i] for i in corners]))
        painter.end()
        grey = np.frombuffer(canvas.constBits(), np.uint8).reshape(height, -1)[:, :width]
        return np.float32(0.0025) + np.float32(FLOOR / 255) * grey.astype(np.float32).reshape(1, -1)


def reach(room: Room, start: Array, way: Array) -> tuple[Array, Array]:
    """How far beams go (n, metres) and the normal (n, 3) of what they meet: floor, back wall, or nothing."""
    with np.errstate(divide="ignore", invalid="ignore"):
        floor = np.where(way[:, 2] < -1e-6, -start[:, 2] / way[:, 2], np.inf)
        wall = np.where(way[:, 1] > 1e-6, (room.depth - start[:, 1]) / way[:, 1], np.inf)
    floor = np.where(floor < 0.02, np.inf, floor)
    wall = np.where(wall < 0.02, np.inf, wall)
    length = np.minimum(np.minimum(floor, wall), 7.0)
    normal = np.zeros_like(start)
    normal[(floor <= wall) & (floor <= 7.0), 2] = 1.0
    normal[(wall < floor) & (wall <= 7.0), 1] = -1.0
    return length, normal


def footprint(way: Array, normal: Array, radius: Array) -> tuple[Array, Array]:
    """Half axes (n, 3) of the ellipse that a cone leaves on a surface: across the beam, and along its slope."""
    across = np.cross(way, normal)
    size = np.linalg.norm(across, axis=1, keepdims=True)
    across = np.where(size > 1e-3, across / np.maximum(size, 1e-9), np.array([1.0, 0.0, 0.0]))
    along = np.cross(normal, across)
    slope = np.abs((way * normal).sum(axis=1))
    stretch = radius / np.maximum(slope, 0.28)
    return across * radius[:, None], along * stretch[:, None]


def _white(alpha: float) -> QColor:
    return QColor(255, 255, 255, max(0, min(255, round(255 * alpha))))


def _cone(painter: QPainter, a: Array, b: Array, near: float, far: float, alpha: float) -> None:
    dx, dy = b[0] - a[0], b[1] - a[1]
    long = float(np.hypot(dx, dy)) or 1.0
    nx, ny = -dy / long, dx / long
    gradient = QLinearGradient(a[0], a[1], b[0], b[1])
    gradient.setColorAt(0.0, _white(alpha))
    gradient.setColorAt(0.45, _white(alpha * 0.60))
    gradient.setColorAt(0.85, _white(alpha * 0.26))
    gradient.setColorAt(1.0, _white(alpha * 0.04))
    painter.setBrush(QBrush(gradient))
    painter.drawPolygon(
        QPolygonF(
            [
                QPointF(a[0] + nx * near, a[1] + ny * near),
                QPointF(b[0] + nx * far, b[1] + ny * far),
                QPointF(b[0] - nx * far, b[1] - ny * far),
                QPointF(a[0] - nx * near, a[1] - ny * near),
            ]
        )
    )


def _pool(painter: QPainter, at: Array, one: Array, two: Array, alpha: float) -> None:
    painter.setTransform(QTransform(one[0] - at[0], one[1] - at[1], two[0] - at[0], two[1] - at[1], at[0], at[1]))
    painter.setBrush(_round(alpha, 0.5, 0.72))
    painter.drawEllipse(_UNIT)
    painter.resetTransform()


def _disc(painter: QPainter, at: Array, size: float, alpha: float) -> None:
    painter.setTransform(QTransform(size, 0, 0, size, at[0], at[1]))
    painter.setBrush(_round(alpha, 0.2, 0.55))
    painter.drawEllipse(_UNIT)
    painter.resetTransform()


def _round(alpha: float, core: float, at_core: float) -> QBrush:
    gradient = QRadialGradient(0, 0, 1)
    gradient.setColorAt(0.0, _white(alpha))
    gradient.setColorAt(core, _white(alpha * at_core))
    gradient.setColorAt((1 + core) / 2, _white(alpha * at_core * 0.42))
    gradient.setColorAt(1.0, _white(0.0))
    return QBrush(gradient)
