"""Cells of a canvas as a small picture: each at its place and size, as bright as it
is.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QRadialGradient

from choreon.render.canvas.layout import CanvasCells
from choreon.render.colour import to_screen
from choreon.render.rig import Floats
from choreon.ui import theme

SOFT_UP_TO = 160  # cells that are drawn with a soft edge; more are plain fields
GAP = 0.08  # of a cell, left free around it
LEAST = 5.0  # pixels
DARK = QColor(30, 28, 34)


def frame_in(cells: CanvasCells, room: QRectF) -> QRectF:
    """Returns where the frame of a canvas is drawn in a room, as large as it fits."""
    aspect = cells.aspect
    wide = min(room.width(), room.height() * aspect)
    high = wide / aspect
    left = room.left() + (room.width() - wide) / 2.0
    top = room.top() + (room.height() - high) / 2.0
    return QRectF(left, top, wide, high)


def rects_of(cells: CanvasCells, frame: QRectF) -> list[QRectF]:
    """Returns where each cell is drawn."""
    size = np.array([[frame.width()], [frame.height()]])
    half = np.maximum(cells.half * (1.0 - GAP) * size, LEAST / 2.0)
    x = frame.left() + cells.at[0] * frame.width()
    y = frame.bottom() - cells.at[1] * frame.height()
    return [
        QRectF(left, top, 2.0 * w, 2.0 * h)
        for left, top, w, h in zip(
            (x - half[0]).tolist(),
            (y - half[1]).tolist(),
            half[0].tolist(),
            half[1].tolist(),
            strict=True,
        )
    ]


def colours_of(light: Floats) -> list[QColor]:
    """Returns light (3 or 4, n) as colours on the screen."""
    seen = (to_screen(light[:3]) * 255.0 + 0.5).astype(int)
    return [QColor(r, g, b) for r, g, b in seen.T.tolist()]


def draw(
    painter: QPainter,
    cells: CanvasCells,
    light: Floats,
    room: QRectF,
    ground: bool = True,
) -> QRectF:
    """Draw cells lit by `light` (3 or 4, n). Returns where their frame is."""
    frame = frame_in(cells, room)
    if ground:
        painter.fillRect(room, QColor(theme.STAGE_BLACK))
    if len(cells.items) > SOFT_UP_TO:
        painter.drawImage(frame, _fields(cells, light, frame))
        return frame
    painter.setPen(Qt.PenStyle.NoPen)
    for rect, colour in zip(rects_of(cells, frame), colours_of(light), strict=True):
        draw_soft(painter, rect, colour)
    return frame


def _fields(cells: CanvasCells, light: Floats, frame: QRectF) -> QImage:
    """Very many cells as plain fields, all at once."""
    wide, high = max(1, round(frame.width())), max(1, round(frame.height()))
    which = cells.kept.get(("fields", wide, high), lambda: _which(cells, wide, high))
    seen = (to_screen(light[:3]) * 255.0 + 0.5).astype(np.uint8)
    # where no cell lies it is as dark as the ground
    ground = QColor(theme.STAGE_BLACK)
    dark = np.array([[ground.red()], [ground.green()], [ground.blue()]], np.uint8)
    palette = np.concatenate([seen, dark], axis=1).T
    pixels = np.ascontiguousarray(palette[which])
    shape = QImage.Format.Format_RGB888
    return QImage(pixels.data, wide, high, 3 * wide, shape).copy()


def _which(cells: CanvasCells, wide: int, high: int) -> npt.NDArray[np.int64]:
    """The cell that each point of a picture shows (high, wide); one past the last where
    there is none.
    """
    found = np.full((high, wide), len(cells.items), np.int64)
    for n, rect in enumerate(rects_of(cells, QRectF(0, 0, wide, high))):
        left, top = max(0, int(rect.left())), max(0, int(rect.top()))
        right, low = int(np.ceil(rect.right())), int(np.ceil(rect.bottom()))
        found[top:low, left:right] = n
    return found


def draw_soft(painter: QPainter, rect: QRectF, colour: QColor) -> None:
    """Draw a cell as it looks: brightest in its middle, soft at its edge, and a rim
    where it is dark.
    """
    radius = max(1.0, min(rect.width(), rect.height()) / 2.0)
    painter.setBrush(DARK)
    painter.drawRoundedRect(rect, radius, radius)
    if max(colour.red(), colour.green(), colour.blue()) < 3:
        return
    glow = QRadialGradient(rect.center(), max(rect.width(), rect.height()) * 0.62)
    edge = QColor(colour)
    edge.setAlphaF(0.35)
    glow.setColorAt(0.0, colour)
    glow.setColorAt(0.55, colour)
    glow.setColorAt(1.0, edge)
    painter.setBrush(glow)
    painter.drawRoundedRect(rect, radius, radius)
