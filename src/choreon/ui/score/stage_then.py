"""The stage as it is not now."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from choreon.language import tr
from choreon.render.decode import Light
from choreon.ui import theme
from choreon.ui.stage.painter import StagePainter


class StageThen(QWidget):
    """The stage as it was."""

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(240, 150)
        self.setAccessibleName(tr("The stage as it was"))
        self._painter: StagePainter | None = None
        self.light: Light | None = None

    def sizeHint(self) -> QSize:
        return QSize(360, 240)

    def show_light(self, painter: StagePainter | None, light: Light | None) -> None:
        """Show another moment."""
        self._painter, self.light = painter, light
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.PIT))
        if self._painter is not None:
            self._painter.paint(painter, QRectF(self.rect()), self.light)
