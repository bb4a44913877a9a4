"""The practice controller's window: drag its faders and knobs, press its pads; they
light as they are told.
"""

from __future__ import annotations

import signal
import sys

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QApplication, QWidget

from choreon.language import tr
from choreon.sim.controller import FADERS, KNOBS, PADS, PracticeController
from choreon.ui import display, garbage, theme

Part = tuple[str, int]


class ControllerWindow(QWidget):
    """A small device on the screen."""

    told = Signal()

    def __init__(self, controller: PracticeController) -> None:
        super().__init__()
        self.controller = controller
        self.setWindowTitle(tr("Practice controller"))
        self.resize(560, 430)
        self.setMinimumSize(420, 340)
        self._held: tuple[Part, QPointF, int] | None = None
        controller.told = self.told.emit
        self.told.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(560, 430)

    def parts(self) -> dict[Part, QRectF]:
        """Every part and where it is."""
        area = QRectF(self.rect()).adjusted(16, 34, -16, -16)
        w, h = area.width() / 8, area.height()
        parts: dict[Part, QRectF] = {}
        for i in range(KNOBS):
            parts[("knob", i)] = QRectF(area.left() + i * w, area.top(), w, 56)
        for i in range(FADERS):
            parts[("fader", i)] = QRectF(
                area.left() + i * w, area.top() + 60, w, h - 60 - 128
            )
        for i in range(PADS):
            x, y = area.left() + (i % 8) * w, area.bottom() - 120 + (i // 8) * 62
            parts[("pad", i)] = QRectF(x + 4, y, w - 8, 54)
        return parts

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor("#2A262D"))
        painter.setPen(QColor(theme.SOFT))
        painter.setFont(theme.font(12))
        text = "connected" if self.controller.connected else tr("waiting for an engine")
        painter.drawText(
            QRectF(18, 8, self.width() - 36, 20),
            Qt.AlignmentFlag.AlignLeft,
            tr("Practice controller"),
        )
        painter.drawText(
            QRectF(18, 8, self.width() - 36, 20), Qt.AlignmentFlag.AlignRight, text
        )

        for (kind, index), rect in self.parts().items():
            getattr(self, f"_draw_{kind}")(painter, rect, index)

    def _draw_knob(self, painter: QPainter, rect: QRectF, index: int) -> None:
        circle = QRectF(rect.center().x() - 19, rect.center().y() - 19, 38, 38)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.PIT))
        painter.drawEllipse(circle)
        painter.setPen(QPen(QColor("#E3DBE0"), 3))
        painter.drawArc(
            circle.adjusted(5, 5, -5, -5),
            225 * 16,
            int(-270 * 16 * self.controller.knobs[index] / 127),
        )

    def _draw_fader(self, painter: QPainter, rect: QRectF, index: int) -> None:
        track = QRectF(rect.center().x() - 3, rect.top() + 10, 6, rect.height() - 20)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.PIT))
        painter.drawRoundedRect(track, 3, 3)
        y = track.bottom() - track.height() * self.controller.faders[index] / 127
        painter.setBrush(QColor("#E3DBE0"))
        painter.drawRoundedRect(QRectF(track.center().x() - 18, y - 9, 36, 18), 4, 4)
        painter.setBrush(QColor(theme.PIT))
        painter.drawRect(QRectF(track.center().x() - 12, y - 1, 24, 2))

    def _draw_pad(self, painter: QPainter, rect: QRectF, index: int) -> None:
        light = self.controller.lights[index]
        colour = QColor("#3A343D")
        if light >= 64:
            colour = QColor(theme.LIVE)
        elif light:
            colour = QColor("#3E5A55")
        down = self._held is not None and self._held[0] == ("pad", index)
        painter.setPen(QPen(QColor(theme.TEXT), 2) if down else Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawRoundedRect(rect, 7, 7)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Hit a pad, or take hold of a fader or a knob."""
        for part, rect in self.parts().items():
            if rect.contains(event.position()):
                kind, index = part
                value = {
                    "fader": self.controller.faders,
                    "knob": self.controller.knobs,
                }.get(kind, self.controller.lights)
                self._held = (part, event.position(), value[index])
                if kind == "pad":
                    self.controller.hit_pad(index)
                self.update()
                return

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move what is held."""
        if self._held is None or self._held[0][0] == "pad":
            return
        (kind, index), start, value = self._held
        rect = self.parts()[(kind, index)]
        reach = rect.height() - 20 if kind == "fader" else 120
        new = max(
            0, min(127, round(value + 127 * (start.y() - event.position().y()) / reach))
        )
        if kind == "fader" and new != self.controller.faders[index]:
            self.controller.move_fader(index, new)
        elif kind == "knob" and new != self.controller.knobs[index]:
            self.controller.turn_knob(index, new)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        if self._held is not None and self._held[0][0] == "pad":
            self.controller.let_pad(self._held[0][1])
        self._held = None
        self.update()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Put the controller away."""
        self.controller.close()
        super().closeEvent(event)


def run() -> int:
    """Show the practice controller; gives the exit code."""
    display.find()
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    garbage.keep_to_this_thread()
    controller = PracticeController()
    window = ControllerWindow(controller)
    window.show()
    signal.signal(signal.SIGINT, lambda *_: window.close())
    signal.signal(signal.SIGTERM, lambda *_: window.close())
    beat = QTimer(interval=200)
    beat.timeout.connect(lambda: None)
    beat.start()
    return app.exec()
