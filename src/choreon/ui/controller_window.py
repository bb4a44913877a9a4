"""The practice controller's window: drag its faders and dials, press its pads; they
light as they are told.
"""

from __future__ import annotations

import signal
import sys
from typing import NamedTuple

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QCloseEvent, QColor, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QApplication, QWidget

from choreon.formats.surface_file import STANDARD
from choreon.language import tr
from choreon.model.surfaces import PartSort, Shows, SurfacePart
from choreon.sim.controller import PracticeController, name_of
from choreon.ui import display, garbage, theme
from choreon.ui.surfaces.layout import colour_shown, placed
from choreon.ui.surfaces.part_painter import PartLook, paint_part

UNIT, LEAST_UNIT = 64, 40  # pixels of a unit of the drawing
MARGIN, HEAD = 16, 34
REACH = 120  # pixels that a hand moves for the whole way of a dial
STEP = 6  # pixels for a step of a dial without an end
PRESSED = frozenset(
    (
        PartSort.PAD,
        PartSort.KEY,
        PartSort.PEDAL,
        PartSort.WHITE,
        PartSort.BLACK,
    )
)


class Held(NamedTuple):
    """A part in hand: where the pointer was, and where the part was then."""

    part: SurfacePart
    since: float
    place: float


class ControllerWindow(QWidget):
    """A small device on the screen."""

    told = Signal()

    def __init__(self, controller: PracticeController) -> None:
        super().__init__()
        self.controller = controller
        self.setWindowTitle(controller.surface.id)
        self.resize(self._size_of(UNIT))
        self.setMinimumSize(self._size_of(LEAST_UNIT))
        self._held: Held | None = None
        controller.told = self.told.emit
        self.told.connect(self.update)

    def _size_of(self, unit: float) -> QSize:
        left, top, right, bottom = self.controller.surface.extent
        wide, high = (right - left) * unit, (bottom - top) * unit
        return QSize(int(max(300, wide) + 2 * MARGIN), int(high + HEAD + MARGIN))

    def sizeHint(self) -> QSize:
        return self._size_of(UNIT)

    def parts(self) -> dict[str, QRectF]:
        """Every part and where it is."""
        area = QRectF(self.rect()).adjusted(MARGIN, HEAD, -MARGIN, -MARGIN)
        return placed(self.controller.surface, area, stretch=True)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor("#2A262D"))
        painter.setPen(QColor(theme.SOFT))
        painter.setFont(theme.font(12))

        connected = self.controller.connected
        text = tr("connected") if connected else tr("waiting for an engine")
        head = QRectF(18, 8, self.width() - 36, 20)
        painter.drawText(head, Qt.AlignmentFlag.AlignLeft, self.controller.surface.name)
        painter.drawText(head, Qt.AlignmentFlag.AlignRight, text)

        drawn = self.parts()
        for part in self.controller.surface.parts:
            paint_part(painter, part.sort, drawn[part.id], self._look(part))

    def _look(self, part: SurfacePart) -> PartLook:
        controller = self.controller
        lit = controller.lit.get(part.id, 0)
        light = colour_shown(part, lit, controller.colours.get(part.id))
        place = controller.data.get(part.id, lit / 127)
        words = controller.texts.get(part.id, part.name)
        down = part.id in controller.held
        dim = part.shows.how == Shows.LIGHT and 0 < lit < part.shows.on
        return PartLook(place, light, dim, words, True, down)

    # hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Hit a pad, or take hold of a fader or a dial."""
        drawn = self.parts()
        # black keys lie on the white ones
        for part in reversed(self.controller.surface.parts):
            if drawn[part.id].contains(event.position()):
                self._take(part, event.position().y())
                return

    def _take(self, part: SurfacePart, y: float) -> None:
        place = self.controller.data.get(part.id, 0.0)
        self._held = Held(part, y, place)
        if part.sort in PRESSED:
            self.controller.press(part.id)
        self.controller.touch(part.id, True)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move what is held."""
        held = self._held
        if held is None or held.part.sort in PRESSED:
            return

        up = held.since - event.position().y()
        if held.part.sort == PartSort.ENDLESS:
            steps = int(up / STEP)
            if steps:
                self.controller.turn(held.part.id, steps)
                self._held = held._replace(since=held.since - steps * STEP)
        else:
            long = held.part.sort in (PartSort.FADER, PartSort.WHEEL)
            rect = self.parts()[held.part.id]
            reach = max(20.0, rect.height() - 20) if long else REACH
            place = min(1.0, max(0.0, held.place + up / reach))
            if place != self.controller.data[held.part.id]:
                self.controller.move(held.part.id, place)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        held, self._held = self._held, None
        if held is not None:
            if held.part.sort in PRESSED:
                self.controller.let_go(held.part.id)
            self.controller.touch(held.part.id, False)
        self.update()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Put the controller away."""
        self.controller.close()
        super().closeEvent(event)


def run(layout: str = STANDARD, name: str = "") -> int:
    """Show the practice controller with the parts of a surface; gives the exit code."""
    display.find()
    app = QApplication(sys.argv[:1])
    theme.apply(app)
    garbage.keep_to_this_thread()
    controller = PracticeController(name=name or name_of(layout), layout=layout)
    window = ControllerWindow(controller)
    window.show()
    signal.signal(signal.SIGINT, lambda *_: window.close())
    signal.signal(signal.SIGTERM, lambda *_: window.close())
    beat = QTimer(interval=200)
    beat.timeout.connect(lambda: None)
    beat.start()
    return app.exec()
