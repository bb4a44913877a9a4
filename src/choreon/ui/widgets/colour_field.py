"""The colour field: hue across, strength of colour upwards, all at their brightest; and a row of swatches."""

from __future__ import annotations

import colorsys

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from choreon.render.colour import from_screen, to_screen
from choreon.ui import theme

Rgb = tuple[float, float, float]

SWATCHES: tuple[tuple[str, Rgb], ...] = (
    ("White", (1.0, 1.0, 1.0)),
    ("Candle", (1.0, 0.42, 0.08)),
    ("Amber", (1.0, 0.26, 0.0)),
    ("Red", (1.0, 0.0, 0.0)),
    ("Rose", (1.0, 0.12, 0.22)),
    ("Magenta", (1.0, 0.0, 0.8)),
    ("Violet", (0.35, 0.0, 1.0)),
    ("Blue", (0.0, 0.0, 1.0)),
    ("Moon", (0.30, 0.48, 1.0)),
    ("Teal", (0.0, 0.62, 0.50)),
    ("Green", (0.0, 1.0, 0.0)),
    ("Straw", (1.0, 0.75, 0.25)),
)


def on_screen(rgb: Rgb) -> QColor:
    """Linear light as a screen colour."""
    r, g, b = (to_screen(rgb) * 255).round().astype(int).tolist()
    return QColor(r, g, b)


class ColourField(QWidget):
    """Gives linear light. Its brightest part is always 1: how bright a lamp is, is its intensity."""

    changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._rgb: Rgb | None = (1.0, 1.0, 1.0)
        self._spot = QPointF(0.0, 0.0)
        self._image: QImage | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumHeight(118)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName("Colour field")
        self.setToolTip("Colour: hue across, stronger colour upwards")

    def sizeHint(self) -> QSize:
        return QSize(240, 118)

    def set_rgb(self, rgb: Rgb | None) -> None:
        """Show a colour; None where the chosen differ."""
        if rgb != self._rgb:
            self._rgb = rgb
            if rgb is not None and max(rgb) > 0:
                hue, strength, _ = colorsys.rgb_to_hsv(*to_screen(np.array(rgb) / max(rgb)).tolist())
                self._spot = QPointF(hue, strength)
            self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._image is None or self._image.size() != self.size():
            self._image = _field(max(2, self.width()), max(2, self.height()))
        painter.drawImage(0, 0, self._image)
        if self._rgb is not None:
            at = QPointF(self._spot.x() * self.width(), (1 - self._spot.y()) * self.height())
            painter.setBrush(on_screen(self._rgb))
            painter.setPen(QPen(QColor(theme.PIT), 3.5))
            painter.drawEllipse(at, 9, 9)
            painter.setPen(QPen(QColor(theme.TEXT), 1.8))
            painter.drawEllipse(at, 9, 9)

    def _pick(self, event: QMouseEvent) -> None:
        hue = min(1.0, max(0.0, event.position().x() / self.width()))
        strength = min(1.0, max(0.0, 1 - event.position().y() / self.height()))
        self._spot = QPointF(hue, strength)
        r, g, b = from_screen(colorsys.hsv_to_rgb(hue, strength, 1.0)).tolist()
        self._rgb = (r, g, b)
        self.update()
        self.changed.emit(self._rgb)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pick(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._pick(event)


def _field(width: int, height: int) -> QImage:
    hue = np.linspace(0, 1, width)[None, :, None]
    strength = np.linspace(1, 0, height)[:, None, None]
    shift = np.array([0.0, 2 / 3, 1 / 3])
    pure = np.clip(np.abs(((hue + shift) % 1.0) * 6 - 3) - 1, 0, 1)
    rgb = (255 * (1 - strength * (1 - pure))).astype(np.uint8)
    data = np.ascontiguousarray(rgb)
    return QImage(data.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


class Swatches(QWidget):
    """Colours to hit at once."""

    picked = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(64)
        self.setAccessibleName("Colours")
        self.setMouseTracking(True)

    def _rects(self) -> list[QRectF]:
        per, gap = 6, 4.0
        w = (self.width() - (per - 1) * gap) / per
        return [QRectF((i % per) * (w + gap), (i // per) * 34, w, 30) for i in range(len(SWATCHES))]

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        for rect, (_, rgb) in zip(self._rects(), SWATCHES, strict=True):
            painter.setBrush(on_screen(rgb))
            painter.drawRoundedRect(rect, 5, 5)

    def _at(self, point: QPointF) -> int | None:
        return next((i for i, r in enumerate(self._rects()) if r.contains(point)), None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        found = self._at(event.position())
        self.setToolTip(SWATCHES[found][0] if found is not None else "")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        found = self._at(event.position())
        if found is not None:
            self.picked.emit(SWATCHES[found][1])


class AimPad(QWidget):
    """Pan across, tilt up: the dot is where the chosen heads point within their span."""

    changed = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumHeight(120)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setAccessibleName("Pan and tilt")
        self.setToolTip("Pan across, tilt upwards; hold Shift for fine")
        self.spans = ((-270.0, 270.0), (-135.0, 135.0))
        self.points: list[tuple[float, float]] = []
        self._grip: tuple[QPointF, float, float] | None = None

    def show_points(self, points: list[tuple[float, float]], spans) -> None:
        """Where each chosen head stands, in degrees."""
        if self._grip is None:
            self.points, self.spans = points, spans
            self.update()

    def _to_screen(self, pan: float, tilt: float) -> QPointF:
        (a, b), (c, d) = self.spans
        return QPointF((pan - a) / (b - a) * self.width(), (d - tilt) / (d - c) * self.height())

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)
        painter.setPen(QPen(QColor(theme.BATTEN), 1))
        home = self._to_screen(0, 0)
        painter.drawLine(QPointF(home.x(), 0), QPointF(home.x(), self.height()))
        painter.drawLine(QPointF(0, home.y()), QPointF(self.width(), home.y()))
        painter.setPen(QPen(QColor(theme.PIT), 1))
        painter.setBrush(QColor(theme.TEXT))
        for pan, tilt in self.points:
            painter.drawEllipse(self._to_screen(pan, tilt), 6, 6)

    def _middle(self) -> tuple[float, float]:
        if not self.points:
            return 0.0, 0.0
        pans, tilts = zip(*self.points, strict=True)
        return sum(pans) / len(pans), sum(tilts) / len(tilts)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if not self.points:
            return
        middle = self._middle()
        self._grip = (event.position(), *middle)
        if not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            (a, b), (c, d) = self.spans
            pan = a + (b - a) * event.position().x() / self.width()
            tilt = d - (d - c) * event.position().y() / self.height()
            self._grip = (event.position(), pan, tilt)
            self._set(pan, tilt)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._grip is None:
            return
        fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        (a, b), (c, d) = self.spans
        away = event.position() - self._grip[0]
        pan = self._grip[1] + fine * away.x() / self.width() * (b - a)
        self._set(pan, self._grip[2] - fine * away.y() / self.height() * (d - c))

    def _set(self, pan: float, tilt: float) -> None:
        (a, b), (c, d) = self.spans
        pan, tilt = min(b, max(a, pan)), min(d, max(c, tilt))
        self.points = [(pan, tilt)]
        self.update()
        self.changed.emit(pan, tilt)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grip = None
