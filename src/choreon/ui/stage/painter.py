"""Draws the lit room with QPainter: haze and pools softly at a lower resolution, bodies and cells sharp on top."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QLinearGradient,
    QPainter,
    QPen,
    QPolygonF,
    QRadialGradient,
    QTransform,
)

from choreon.model.show import Room
from choreon.render.colour import to_screen
from choreon.render.decode import Lamp, Light
from choreon.ui import theme
from choreon.ui.stage.camera import View, from_the_house

FAINTEST = 0.003
GLOWS = ("dot", "bar")  # bodies whose cells are looked into rather than throw a beam
_UNIT = QRectF(-1, -1, 2, 2)


class StagePainter:
    """Draws what a set of lamps put out."""

    def __init__(self, lamps: list[Lamp], room: Room) -> None:
        self.lamps, self.room = lamps, room
        self.places = np.array([[p.place.x, p.place.y, p.place.z] for p in lamps]).reshape(-1, 3)
        self.spread = np.tan(np.radians(np.array([max(p.beam, 6.0) for p in lamps]) / 2)).reshape(-1)
        self.glows = np.array([p.body in GLOWS for p in lamps], bool)
        self._soft: QImage | None = None
        self._view: tuple[QRectF, View] | None = None

    def view(self, rect: QRectF) -> View:
        if self._view is None or self._view[0] != rect:
            self._view = (QRectF(rect), from_the_house(self.room, rect))
        return self._view[1]

    def paint(
        self,
        painter: QPainter,
        rect: QRectF,
        light: Light | None,
        chosen: Collection[str] = (),
        names: bool = False,
        soften: float = 2.0,
        bodies: bool = True,
    ) -> None:
        """Draw into `rect`; `light` None shows the dark room."""
        painter.save()
        painter.setClipRect(rect)
        painter.fillRect(rect, QColor(theme.STAGE_BLACK))
        view = self.view(rect)
        self._room(painter, view)
        if light is not None and len(self.lamps):
            self._haze(painter, rect, light, soften)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if bodies or light is not None:
            self._bodies(painter, view, light, chosen, names, bodies)
        painter.restore()

    # the room

    def _room(self, painter: QPainter, view: View) -> None:
        w, d, h = self.room.width / 2, self.room.depth, self.room.height
        points = view.project(
            [(-w, 0, 0), (w, 0, 0), (w, d, 0), (-w, d, 0), (-w, d, h), (w, d, h), (-w, 0, h), (w, 0, h)]
        )
        at = [QPointF(x, y) for x, y, _ in points]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor("#161617"))
        painter.drawPolygon(QPolygonF([at[0], at[1], at[2], at[3]]))
        painter.setBrush(QColor("#1A1A1C"))
        painter.drawPolygon(QPolygonF([at[3], at[2], at[5], at[4]]))
        painter.setPen(QPen(QColor("#2A2A2D"), 1))
        for a, b in ((0, 3), (1, 2), (3, 2), (0, 1), (4, 5), (3, 4), (2, 5)):
            painter.drawLine(at[a], at[b])
        painter.setPen(QPen(QColor("#202023"), 1))
        bars = sorted({round(float(y), 1) for (_, y, z) in self.places if z > 0.7 * h})
        for y in bars:
            ends = view.project([(-w, y, h + 0.12), (w, y, h + 0.12)])
            painter.drawLine(QPointF(ends[0, 0], ends[0, 1]), QPointF(ends[1, 0], ends[1, 1]))

    # beams and pools

    def _haze(self, painter: QPainter, rect: QRectF, light: Light, soften: float) -> None:
        strength = light.rgb.max(axis=1)
        lit = np.flatnonzero(strength > FAINTEST)
        if not len(lit):
            return
        size = (max(1, int(rect.width() / soften)), max(1, int(rect.height() / soften)))
        if self._soft is None or (self._soft.width(), self._soft.height()) != size:
            self._soft = QImage(*size, QImage.Format.Format_ARGB32_Premultiplied)
        self._soft.fill(0xFF000000)
        soft = QPainter(self._soft)
        soft.setRenderHint(QPainter.RenderHint.Antialiasing)
        soft.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
        soft.setPen(Qt.PenStyle.NoPen)
        self._beams(soft, self.view_at(rect, soften), light, lit, strength)
        soft.end()
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(rect, self._soft)
        painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_SourceOver)

    def view_at(self, rect: QRectF, soften: float) -> View:
        """The view for the soft picture, whose origin is its own corner."""
        full = self.view(rect)
        centre = ((full.centre[0] - rect.x()) / soften, (full.centre[1] - rect.y()) / soften)
        return View(full.eye, full.axes, full.focal / soften, centre)

    def _beams(self, soft: QPainter, view: View, light: Light, lit: np.ndarray, strength: np.ndarray) -> None:
        start, way = self.places[lit], light.direction[lit]
        length, normal = self._reach(start, way)
        end = start + way * length[:, None]
        radius = np.maximum(0.08, length * self.spread[lit])
        a, b = view.project(start), view.project(end)
        shade = np.clip(to_screen(light.rgb[lit] / strength[lit, None]) * 255, 0, 255).astype(int)
        power = to_screen(strength[lit])
        across, along = _footprint(way, normal, radius)
        one, two = view.project(end + across), view.project(end + along)
        for i, lamp in enumerate(lit):
            rgb, p = shade[i], float(power[i])
            if self.glows[lamp]:
                self._glow(soft, a[i], view.focal, rgb, p, self.lamps[lamp].body)
                continue
            wide_a = 0.07 * view.focal / a[i, 2]
            wide_b = float(radius[i]) * view.focal / b[i, 2]
            thin = 1.0 / (1.0 + 0.55 * float(radius[i]))
            if self.lamps[lamp].body != "panel":
                _beam(soft, a[i], b[i], wide_a, wide_b, rgb, 0.30 * p * thin)
                _beam(soft, a[i], b[i], wide_a * 0.5, wide_b * 0.5, rgb, 0.24 * p * thin)
            if normal[i].any():
                spread = 1.0 / (1.0 + 0.12 * float(radius[i]) ** 2)
                _pool(soft, b[i], one[i], two[i], rgb, 0.62 * p * spread)
            _disc(soft, a[i], max(3.0, 0.30 * view.focal / a[i, 2]), rgb, 0.5 * p)

    def _glow(self, soft: QPainter, at: np.ndarray, focal: float, rgb: np.ndarray, power: float, body: str) -> None:
        size = 0.30 if body == "dot" else 0.75
        _disc(soft, at, size * focal / at[2], rgb, (0.45 if body == "dot" else 0.30) * power)

    def _reach(self, start: np.ndarray, way: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """How far each beam goes (metres) and the normal of what it meets: floor, back wall, or nothing."""
        with np.errstate(divide="ignore", invalid="ignore"):
            floor = np.where(way[:, 2] < -1e-6, -start[:, 2] / way[:, 2], np.inf)
            wall = np.where(way[:, 1] > 1e-6, (self.room.depth - start[:, 1]) / way[:, 1], np.inf)
        floor = np.where(floor < 0.02, np.inf, floor)
        wall = np.where(wall < 0.02, np.inf, wall)
        length = np.minimum(np.minimum(floor, wall), 7.0)
        normal = np.zeros_like(start)
        normal[(floor <= wall) & (floor <= 7.0), 2] = 1.0
        normal[(wall < floor) & (wall <= 7.0), 1] = -1.0
        return length, normal

    # bodies

    def _bodies(
        self,
        painter: QPainter,
        view: View,
        light: Light | None,
        chosen: Collection[str],
        names: bool,
        bodies: bool,
    ) -> None:
        at = view.project(self.places)
        screen = None
        if light is not None:
            strength = light.rgb.max(axis=1)
            hue = light.rgb / np.maximum(strength, 1e-6)[:, None]
            screen = np.clip(to_screen(hue * to_screen(strength)[:, None]) * 255, 0, 255).astype(int)
        named: set[str] = set()
        for i, lamp in enumerate(self.lamps):
            x, y, depth = at[i]
            unit = view.focal / depth
            lens = QColor(*screen[i].tolist()) if screen is not None else QColor("#2c2c30")
            body = _body(lamp.body, x, y, unit)
            if bodies or (screen is not None and screen[i].max() > 30):
                painter.setPen(QPen(QColor("#3a393e"), 1) if bodies else Qt.PenStyle.NoPen)
                painter.setBrush(_lens(lens))
                if lamp.body in ("bar", "dot", "panel"):
                    painter.drawRoundedRect(body, 1.5, 1.5)
                else:
                    painter.drawEllipse(body)
            if lamp.fixture in chosen:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(theme.CHOSEN), 1.8))
                painter.drawRoundedRect(body.adjusted(-4, -4, 4, 4), 5, 5)
            if light is not None and light.strobe[i] > 0 and screen is not None and screen[i].max() > 8:
                _strobe_mark(painter, x, y - body.height() / 2 - 7)
            if names and lamp.fixture in chosen and lamp.fixture not in named:
                named.add(lamp.fixture)


def _body(kind: str, x: float, y: float, unit: float) -> QRectF:
    wide, tall = {
        "bar": (0.11, 0.10),
        "dot": (0.16, 0.16),
        "panel": (0.55, 0.26),
        "spot": (0.26, 0.26),
        "wash": (0.26, 0.26),
    }.get(kind, (0.20, 0.20))
    w, h = max(4.0, wide * unit), max(4.0, tall * unit)
    return QRectF(x - w / 2, y - h / 2, w, h)


def _lens(lens: QColor) -> QColor:
    dark = QColor("#1f1e22")
    return QColor(max(lens.red(), dark.red()), max(lens.green(), dark.green()), max(lens.blue(), dark.blue()))


def _footprint(way: np.ndarray, normal: np.ndarray, radius: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Half axes (n, 3) of the ellipse that a cone leaves on a surface: across the beam, and along its slope."""
    across = np.cross(way, normal)
    size = np.linalg.norm(across, axis=1, keepdims=True)
    across = np.where(size > 1e-3, across / np.maximum(size, 1e-9), np.array([1.0, 0.0, 0.0]))
    along = np.cross(normal, across)
    slope = np.abs((way * normal).sum(axis=1))
    stretch = radius / np.maximum(slope, 0.28)
    return across * radius[:, None], along * stretch[:, None]


def _faded(rgb: np.ndarray, alpha: float) -> QColor:
    return QColor(int(rgb[0]), int(rgb[1]), int(rgb[2]), max(0, min(255, int(255 * alpha))))


def _beam(
    painter: QPainter, a: np.ndarray, b: np.ndarray, wide_a: float, wide_b: float, rgb: np.ndarray, alpha: float
) -> None:
    dx, dy = b[0] - a[0], b[1] - a[1]
    long = float(np.hypot(dx, dy)) or 1.0
    nx, ny = -dy / long, dx / long
    corners = QPolygonF(
        [
            QPointF(a[0] + nx * wide_a, a[1] + ny * wide_a),
            QPointF(b[0] + nx * wide_b, b[1] + ny * wide_b),
            QPointF(b[0] - nx * wide_b, b[1] - ny * wide_b),
            QPointF(a[0] - nx * wide_a, a[1] - ny * wide_a),
        ]
    )
    gradient = QLinearGradient(a[0], a[1], b[0], b[1])
    gradient.setColorAt(0.0, _faded(rgb, alpha))
    gradient.setColorAt(0.45, _faded(rgb, alpha * 0.42))
    gradient.setColorAt(1.0, _faded(rgb, alpha * 0.16))
    painter.setBrush(QBrush(gradient))
    painter.drawPolygon(corners)


def _pool(painter: QPainter, at: np.ndarray, one: np.ndarray, two: np.ndarray, rgb: np.ndarray, alpha: float) -> None:
    turn = QTransform(one[0] - at[0], one[1] - at[1], two[0] - at[0], two[1] - at[1], at[0], at[1])
    painter.save()
    painter.setTransform(turn)
    painter.setBrush(_round(rgb, alpha, 0.5))
    painter.drawEllipse(_UNIT)
    painter.restore()


def _disc(painter: QPainter, at: np.ndarray, size: float, rgb: np.ndarray, alpha: float) -> None:
    painter.save()
    painter.setTransform(QTransform(size, 0, 0, size, at[0], at[1]))
    painter.setBrush(_round(rgb, alpha, 0.18))
    painter.drawEllipse(_UNIT)
    painter.restore()


def _round(rgb: np.ndarray, alpha: float, core: float) -> QBrush:
    gradient = QRadialGradient(0, 0, 1)
    gradient.setColorAt(0.0, _faded(rgb, alpha))
    gradient.setColorAt(core, _faded(rgb, alpha * 0.62))
    gradient.setColorAt(1.0, _faded(rgb, 0.0))
    return QBrush(gradient)


def _strobe_mark(painter: QPainter, x: float, y: float) -> None:
    """Strobing is told by a mark, never by flashing the screen."""
    painter.setPen(QPen(QColor(theme.TEXT), 1.4))
    for step in (-5, 0, 5):
        painter.drawLine(QPointF(x + step, y - 3), QPointF(x + step, y + 3))
