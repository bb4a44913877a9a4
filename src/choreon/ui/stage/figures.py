"""Marks on the stage, and a simple figure at each of them."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from choreon.model.show import Show
from choreon.ui import theme
from choreon.ui.stage.camera import View

TALL = 1.7  # metres
ARM = 0.16  # metres: half the length of a mark's tapes


def draw(painter: QPainter, view: View, show: Show, named: bool = False) -> None:
    """Every mark: crossed tapes, a figure where it lies on the floor, a line down where
    it hangs; names if `named`.
    """
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for mark in show.marks.values():
        x, y, z = mark.x, mark.y, mark.z
        points = view.project(
            [
                (x, y, z),
                (x - ARM, y - ARM, z),
                (x + ARM, y + ARM, z),
                (x - ARM, y + ARM, z),
                (x + ARM, y - ARM, z),
                (x, y, z + TALL),
                (x, y, 0.0),
            ]
        )
        at = [QPointF(px, py) for px, py, _ in points]
        if z < 0.3:
            _figure(painter, at[0], at[5], view.focal / points[0, 2])
        else:
            painter.setPen(QPen(theme.colour(theme.KEEP, 0.35), 1, Qt.PenStyle.DotLine))
            painter.drawLine(at[0], at[6])
        painter.setPen(QPen(theme.colour(theme.KEEP, 0.9 if named else 0.45), 1.6))
        painter.drawLine(at[1], at[2])
        painter.drawLine(at[3], at[4])
        if named:
            painter.setFont(theme.font(12))
            painter.setPen(QColor(theme.KEEP))
            painter.drawText(
                QRectF(at[0].x() - 60, at[0].y() + 6, 120, 16),
                Qt.AlignmentFlag.AlignHCenter,
                mark.name,
            )


def _figure(painter: QPainter, feet: QPointF, head: QPointF, unit: float) -> None:
    """Somebody who stands there, as an outline: a head, and a body that narrows to the
    feet.
    """
    up = head - feet
    tall = float(np.hypot(up.x(), up.y()))
    if tall < 8:
        return
    wide = 0.24 * unit
    path = QPainterPath()
    shoulder = feet + up * 0.80
    path.moveTo(feet + QPointF(-0.28 * wide, 0))
    path.lineTo(shoulder + QPointF(-0.8 * wide, 0))
    path.quadTo(feet + up * 0.88, shoulder + QPointF(0.8 * wide, 0))
    path.lineTo(feet + QPointF(0.28 * wide, 0))
    path.closeSubpath()
    path.addEllipse(feet + up * 0.925, 0.42 * wide, 0.46 * wide)
    painter.setPen(QPen(QColor(255, 255, 255, 46), 1))
    painter.setBrush(QColor(0, 0, 0, 120))
    painter.drawPath(path)
