"""The colour field: hue across, strength of colour upwards, even to the eye, all at
their brightest.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from PySide6.QtCore import QPointF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from choreon.language import tr
from choreon.render.colour import to_screen
from choreon.render.picker import colour_at, place_of
from choreon.ui import theme
from choreon.ui.widgets.spoken import Role, Spoken

Rgb = tuple[float, float, float]
FIELD = (192, 96)  # pixels of the field before it is drawn larger


def on_screen(rgb: Rgb) -> QColor:
    """Linear light as a screen colour."""
    r, g, b = (to_screen(rgb) * 255).round().astype(int).tolist()
    return QColor(r, g, b)


class ColourField(QWidget):
    """Gives linear light. Its brightest part is always 1: how bright a lamp is, is its
    intensity.
    """

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._rgb: Rgb | None = (1.0, 1.0, 1.0)
        self._spot = QPointF(0.0, 0.0)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumHeight(118)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName(tr("Colour field"))
        self.setToolTip(tr("Colour: hue across, stronger colour upwards"))

    def sizeHint(self) -> QSize:
        return QSize(240, 118)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        value = tr("several") if self._rgb is None else on_screen(self._rgb).name()
        return Spoken(Role.ColorChooser, value)

    def set_rgb(self, rgb: Rgb | None) -> None:
        """Show a colour; None where the chosen differ."""
        if rgb != self._rgb:
            self._rgb = rgb
            if rgb is not None and max(rgb) > 0:
                hue, strength = place_of(rgb)
                self._spot = QPointF(hue / 360, strength)
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.rect(), _field())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._rgb is not None:
            at = QPointF(
                self._spot.x() * self.width(), (1 - self._spot.y()) * self.height()
            )
            painter.setBrush(on_screen(self._rgb))
            painter.setPen(QPen(QColor(theme.PIT), 3.5))
            painter.drawEllipse(at, 9, 9)
            painter.setPen(QPen(QColor(theme.TEXT), 1.8))
            painter.drawEllipse(at, 9, 9)

    def _pick(self, event: QMouseEvent) -> None:
        self.changed.emit(self.pick(event.position()))

    def pick(self, point: QPointF) -> Rgb:
        """Go to the colour at a point of the field. Returns it."""
        return self._go(point.x() / self.width(), 1 - point.y() / self.height())

    def step(self, by: float) -> Rgb:
        """Go round the hues by a part of all of them. Returns the colour."""
        return self._go((self._spot.x() + by) % 1.0, self._spot.y() or 1.0)

    def _go(self, hue: float, strength: float) -> Rgb:
        hue, strength = min(1.0, max(0.0, hue)), min(1.0, max(0.0, strength))
        self._spot = QPointF(hue, strength)
        r, g, b = colour_at(360 * hue, strength).tolist()
        self._rgb = (r, g, b)
        self.update()
        return self._rgb

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the colour under the pointer."""
        self._pick(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag to another colour."""
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._pick(event)


@cache
def _field() -> QImage:
    """All colours, hue across, stronger upwards; drawn larger, softly."""
    width, height = FIELD
    hue, strength = np.linspace(0, 360, width)[None], np.linspace(1, 0, height)[:, None]
    data = np.ascontiguousarray(
        (255 * to_screen(colour_at(hue, strength))).astype(np.uint8)
    )
    return QImage(
        data.data, width, height, 3 * width, QImage.Format.Format_RGB888
    ).convertToFormat(QImage.Format.Format_RGB32)
