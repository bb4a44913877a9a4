"""Lamps that a hand holds: aside, or by an override fader. How they are marked wherever
lamps are drawn.
"""

from __future__ import annotations

from functools import cache

from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QWidget

from choreon.language import tr
from choreon.model.lamps import fixtures_of
from choreon.model.masters import Override
from choreon.model.show import Show
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.parts import Parts

ASIDE, GRIPPED = "aside", tr("held by an override fader")


def held(show: Show, state: PlayState) -> dict[str, str]:
    """Returns the lamps that a hand holds, and how: ASIDE or GRIPPED."""
    found: dict[str, str] = {}
    for grip in state.masters.grips:
        master = show.masters.get(grip.id)
        if isinstance(master, Override) and grip.held.end > 0.0:
            found |= dict.fromkeys(fixtures_of(show, master.over), GRIPPED)
    return found | dict.fromkeys(state.aside, ASIDE)


class LampMarks(QObject):
    """Knows the lamps that a hand holds, and has a widget drawn anew when these are
    others.
    """

    changed = Signal()

    def __init__(self, parts: Parts, on: QWidget) -> None:
        super().__init__(on)
        self._parts, self._on = parts, on
        self.lamps: dict[str, str] = {}
        parts.engine.state_changed.connect(self._follow)
        self._follow(parts.engine.state)

    def _follow(self, state: PlayState) -> None:
        lamps = {}
        if state.asides or state.masters.grips:
            lamps = held(self._parts.document.show, state)
        if lamps != self.lamps:
            self.lamps = lamps
            self.changed.emit()
            self._on.update()


@cache
def mark_picture(how: str) -> QPixmap:
    """Returns the mark as a picture, for lists."""
    made = QPixmap(20, 16)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    draw_mark(painter, QPointF(10, 8), how)
    painter.end()
    return made


def draw_mark(painter: QPainter, middle: QPointF, how: str) -> None:
    """Draw the mark beside a lamp: a piece of tape for one that is aside, a clamp for
    one that is held by an override fader.
    """
    painter.setPen(Qt.PenStyle.NoPen)
    if how == ASIDE:
        painter.setBrush(QColor(theme.KEEP))
        painter.drawRect(QRectF(middle.x() - 6, middle.y() - 3, 12, 6))
        return

    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(theme.KEEP), 2))

    for side in (-1.0, 1.0):
        x = middle.x() + 7 * side
        painter.drawPolyline(
            [
                QPointF(x - 4 * side, middle.y() - 5),
                QPointF(x, middle.y() - 5),
                QPointF(x, middle.y() + 5),
                QPointF(x - 4 * side, middle.y() + 5),
            ]
        )
