"""Draws the lit room: haze and pools softly at a lower resolution, the room's edges and the lamps sharp on top."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from choreon.model.show import Room
from choreon.render.colour import to_screen
from choreon.render.decode import Lamp, Light
from choreon.ui import theme
from choreon.ui.stage.camera import View, from_the_house
from choreon.ui.stage.haze import PIXELS, Haze

DARK_LENS = QColor("#1f1e22")


class StagePainter:
    """Draws what a set of lamps put out."""

    def __init__(self, lamps: list[Lamp], room: Room) -> None:
        self.lamps, self.room = lamps, room
        self.places = np.array([[p.place.x, p.place.y, p.place.z] for p in lamps]).reshape(-1, 3)
        self._view: tuple[QRectF, View] | None = None
        self._haze: Haze | None = None

    def view(self, rect: QRectF) -> View:
        """The view fitted to a rectangle."""
        if self._view is None or self._view[0] != rect:
            self._view = (QRectF(rect), from_the_house(self.room, rect))
        return self._view[1]

    def paint(
        self, painter: QPainter, rect: QRectF, light: Light | None, chosen: Collection[str] = (), bodies: bool = True
    ) -> None:
        """Draw into `rect`; `light` None shows the dark room. Without `bodies` only lamps that are lit are drawn."""
        painter.save()
        painter.setClipRect(rect)
        view = self.view(rect)
        if light is None:
            light = Light(np.zeros((len(self.lamps), 3)), np.zeros((len(self.lamps), 3)), np.zeros(len(self.lamps)))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(rect, self._haze_for(rect).image(light))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._edges(painter, view)
        self._bodies(painter, view, light, chosen, bodies)
        painter.restore()

    def _haze_for(self, rect: QRectF) -> Haze:
        """The soft picture for a rectangle of this size; its view begins at its own corner."""
        soften = max(1.0, float(np.sqrt(rect.width() * rect.height() / PIXELS)))
        width, height = max(2, round(rect.width() / soften)), max(2, round(rect.height() / soften))
        if self._haze is None or self._haze.size != (width, height):
            view = from_the_house(self.room, QRectF(0, 0, width, height))
            self._haze = Haze(self.lamps, self.room, view, width, height)
        return self._haze

    def _edges(self, painter: QPainter, view: View) -> None:
        w, d, h = self.room.width / 2, self.room.depth, self.room.height
        points = view.project([(-w, 0, 0), (w, 0, 0), (w, d, 0), (-w, d, 0), (-w, d, h), (w, d, h)])
        at = [QPointF(x, y) for x, y, _ in points]
        painter.setPen(QPen(QColor(255, 255, 255, 26), 1))
        for a, b in ((0, 3), (1, 2), (3, 2), (0, 1), (4, 5), (3, 4), (2, 5)):
            painter.drawLine(at[a], at[b])
        painter.setPen(QPen(QColor(255, 255, 255, 20), 1))
        for y in sorted({round(float(y), 1) for (_, y, z) in self.places if z > 0.7 * h}):
            ends = view.project([(-w, y, h + 0.12), (w, y, h + 0.12)])
            painter.drawLine(QPointF(ends[0, 0], ends[0, 1]), QPointF(ends[1, 0], ends[1, 1]))

    def _bodies(self, painter: QPainter, view: View, light: Light, chosen: Collection[str], bodies: bool) -> None:
        at = view.project(self.places)
        strength = light.rgb.max(axis=1)
        hue = light.rgb / np.maximum(strength, 1e-6)[:, None]
        glow = np.minimum(1.0, np.sqrt(strength))[:, None]
        screen = np.clip(to_screen(hue) * 255 * glow, 0, 255).astype(int)
        for i, lamp in enumerate(self.lamps):
            lit = screen[i].max() > 30
            if not (bodies or lit):
                continue
            x, y, depth = at[i]
            body = _body(lamp.body, x, y, view.focal / depth)
            painter.setPen(QPen(QColor("#47454c"), 1) if bodies and not lit else Qt.PenStyle.NoPen)
            painter.setBrush(QColor(*screen[i].tolist()) if lit else DARK_LENS)
            if lamp.body in ("bar", "dot", "panel"):
                painter.drawRoundedRect(body, 1.5, 1.5)
            else:
                painter.drawEllipse(body)
            if lamp.fixture in chosen:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(QColor(theme.CHOSEN), 1.8))
                painter.drawRoundedRect(body.adjusted(-4, -4, 4, 4), 5, 5)
            if light.strobe[i] > 0 and lit:
                _strobe_mark(painter, x, y - body.height() / 2 - 7)


def _body(kind: str, x: float, y: float, unit: float) -> QRectF:
    wide, tall = {
        "bar": (0.11, 0.10),
        "dot": (0.16, 0.16),
        "panel": (0.55, 0.26),
        "spot": (0.24, 0.24),
        "wash": (0.24, 0.24),
    }.get(kind, (0.18, 0.18))
    w, h = max(3.0, wide * unit), max(3.0, tall * unit)
    return QRectF(x - w / 2, y - h / 2, w, h)


def _strobe_mark(painter: QPainter, x: float, y: float) -> None:
    """Strobing is told by a mark, never by flashing the screen."""
    painter.setPen(QPen(QColor(theme.TEXT), 1.4))
    for step in (-5, 0, 5):
        painter.drawLine(QPointF(x + step, y - 3), QPointF(x + step, y + 3))
