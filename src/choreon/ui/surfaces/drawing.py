"""A controller drawn as it lies on the table: every part with what it does, and its
light as it is told.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from choreon.engine.actions import level_of
from choreon.engine.protocol import Control
from choreon.model.inputs import MidiInput
from choreon.model.refs import Ref
from choreon.sim.controller import (
    FADER_CC,
    FADERS,
    KNOB_CC,
    KNOBS,
    NAME,
    PAD_NOTE,
    PADS,
)
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.widgets.labels import fit

SMALLEST = 10  # pixels of letters on a part that is narrow

Part = tuple[str, int, int]  # kind, channel, number


def shape_of(port: str, part: Part) -> str:
    """What a part of a controller looks like: fader, knob or pad."""
    kind, channel, number = part
    if kind == "note":
        return "pad"
    if port == NAME and channel == 0 and KNOB_CC <= number < KNOB_CC + KNOBS:
        return "knob"
    return "fader"


def part_name(port: str, kind: str, channel: int, number: int) -> str:
    """What a part is called: by its place on controllers that are known, else by its
    number.
    """
    if port == NAME and channel == 0:
        if kind == "note" and PAD_NOTE <= number < PAD_NOTE + PADS:
            return f"pad {number - PAD_NOTE + 1}"
        if kind == "cc" and FADER_CC <= number < FADER_CC + FADERS:
            return f"fader {number - FADER_CC + 1}"
        if kind == "cc" and KNOB_CC <= number < KNOB_CC + KNOBS:
            return f"knob {number - KNOB_CC + 1}"
    where = f" ch {channel + 1}" if channel else ""
    return f"{'note' if kind == 'note' else 'control'} {number}{where}"


def part_of(tied: MidiInput) -> Part:
    """Returns the part of a controller that an input is."""
    return (str(tied.message), tied.channel, tied.number)


class ControllerDrawing(QWidget):
    """The practice controller as it is; any other controller from the parts that were
    moved or taught.
    """

    picked = Signal(object)  # what the part acts on, or None
    """The Ref of what a part does; None for one that does nothing."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.port, self.open = "", False
        self.values: dict[tuple[str, Part], float] = {}
        self.seen: dict[str, dict[Part, None]] = {}
        self.last: Part | None = None
        self.chosen: Part | None = None
        self.setMinimumSize(420, 320)
        self.setAccessibleName("Controller")
        self.setToolTip("Click a part to find what it does on the right.")

    def sizeHint(self) -> QSize:
        return QSize(620, 520)

    def show_port(self, port: str, is_open: bool) -> None:
        """Draw a controller, and whether it is there."""
        if (port, is_open) != (self.port, self.open):
            if port != self.port:
                self.last = self.chosen = None
            self.port, self.open = port, is_open
        self.update()

    def moved(self, control: Control) -> None:
        """Follow a control that was moved."""
        part = (control.kind, control.channel, control.number)
        self.values[(control.port, part)] = control.value
        self.seen.setdefault(control.port, {})[part] = None
        if control.port == self.port:
            self.last = part
            self.update()

    def drawn(self) -> dict[Part, QRectF]:
        """Every part of the controller and where it is drawn."""
        area = QRectF(self.rect()).adjusted(22, 18, -22, -18)
        if self.port == NAME:
            return _practice(area)
        known = dict(self.seen.get(self.port, {}))
        for tied in self.parts.document.show.inputs.values():
            if tied.port == self.port:
                known[part_of(tied)] = None
        return _assembled(area, sorted(known))

    def _inputs(self) -> dict[Part, Ref]:
        return {
            part_of(tied): tied.target
            for tied in self.parts.document.show.inputs.values()
            if tied.port == self.port
        }

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.port:
            return
        painter.setPen(QPen(QColor(theme.BATTEN), 1.5))
        painter.setBrush(QColor("#17141A"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(2, 2, -2, -2), 16, 16)
        drawn, ties = self.drawn(), self._inputs()
        if not drawn:
            painter.setPen(QColor(theme.SOFT))
            text = (
                "Move any control: it appears here.\nStart with Learn on the "
                "right to give it something to do."
            )
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
        painter.setOpacity(1.0 if self.open else 0.55)
        for part, rect in drawn.items():
            target = ties.get(part)
            level = (
                level_of(self.parts.document.show, self.parts.engine.state, target)
                if target
                else None
            ) or 0.0
            {"fader": self._fader, "knob": self._knob, "pad": self._pad}[
                shape_of(self.port, part)
            ](painter, rect, part, target, level)

    def _pen(self, part: Part) -> QPen:
        if part == self.chosen:
            return QPen(QColor(theme.CHOSEN), 2)
        if part == self.last:
            return QPen(QColor(theme.TEXT), 1.5)
        return QPen(QColor(theme.BATTEN), 1)

    def _label(
        self, painter: QPainter, rect: QRectF, part: Part, target: Ref | None
    ) -> None:
        name = words.target_name(self.parts.document.show, target) if target else ""
        painter.setPen(QColor(theme.TEXT if name else theme.FAINT))
        text = (name or part_name(self.port, *part)).split()
        fitted = fit(painter, text, rect.width(), 12, SMALLEST, strong=bool(name))
        flags = (
            Qt.AlignmentFlag.AlignHCenter
            | Qt.AlignmentFlag.AlignTop
            | Qt.TextFlag.TextWordWrap
        )
        painter.drawText(rect, flags, " ".join(fitted))

    def _fader(
        self,
        painter: QPainter,
        rect: QRectF,
        part: Part,
        target: Ref | None,
        level: float,
    ) -> None:
        value = level if target else self.values.get((self.port, part), 0.0)
        track = QRectF(rect.center().x() - 3, rect.top() + 10, 6, rect.height() - 56)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.BATTEN))
        painter.drawRoundedRect(track, 3, 3)
        y = track.bottom() - value * track.height()
        painter.setBrush(QColor(theme.LIVE if target else theme.FAINT))
        painter.drawRoundedRect(QRectF(track.left(), y, 6, track.bottom() - y), 3, 3)
        painter.setPen(self._pen(part))
        painter.setBrush(QColor("#E3DBE0" if target else theme.FLAT))
        painter.drawRoundedRect(QRectF(track.center().x() - 17, y - 8, 34, 16), 4, 4)
        self._label(
            painter,
            QRectF(rect.left(), rect.bottom() - 36, rect.width(), 36),
            part,
            target,
        )

    def _knob(
        self,
        painter: QPainter,
        rect: QRectF,
        part: Part,
        target: Ref | None,
        level: float,
    ) -> None:
        value = level if target else self.values.get((self.port, part), 0.5)
        size = min(rect.width() - 12, rect.height() - 30, 44.0)
        circle = QRectF(rect.center().x() - size / 2, rect.top() + 2, size, size)
        painter.setPen(self._pen(part))
        painter.setBrush(QColor(theme.FLAT))
        painter.drawEllipse(circle)
        painter.setPen(QPen(QColor(theme.LIVE if target else theme.FAINT), 3))
        ring = circle.adjusted(4, 4, -4, -4)
        painter.drawArc(ring, 225 * 16, int(-270 * 16 * value))
        self._label(
            painter,
            QRectF(rect.left(), circle.bottom() + 4, rect.width(), 30),
            part,
            target,
        )

    def _pad(
        self,
        painter: QPainter,
        rect: QRectF,
        part: Part,
        target: Ref | None,
        level: float,
    ) -> None:
        painter.setPen(self._pen(part))
        lit = (
            QColor(theme.LIVE)
            if level > 0
            else QColor(theme.FLAT if target else "#1D1920")
        )
        lit.setAlphaF(0.30 if level > 0 else 1.0)
        painter.setBrush(lit)
        painter.drawRoundedRect(rect, 8, 8)
        if level > 0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.LIVE))
            painter.drawEllipse(QPointF(rect.left() + 12, rect.top() + 12), 4.5, 4.5)
        middle = rect.adjusted(2, max(8.0, rect.height() / 2 - 12), -2, -2)
        self._label(painter, middle, part, target)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the part under the pointer."""
        for part, rect in self.drawn().items():
            if rect.contains(event.position()):
                self.chosen = part
                self.picked.emit(self._inputs().get(part))
                self.update()
                return


def _practice(area: QRectF) -> dict[Part, QRectF]:
    """Knobs above, faders below them, the pads in two lines at the front."""
    parts: dict[Part, QRectF] = {}
    column = area.width() / 8
    top, pads = 84.0, min(160.0, area.height() * 0.36)
    middle = area.height() - top - pads - 14
    for i in range(KNOBS):
        parts[("cc", 0, KNOB_CC + i)] = QRectF(
            area.left() + i * column, area.top(), column, top
        )
    for i in range(FADERS):
        parts[("cc", 0, FADER_CC + i)] = QRectF(
            area.left() + i * column + 4, area.top() + top, column - 8, middle
        )
    high = pads / 2
    for i in range(PADS):
        x = area.left() + (i % 8) * column
        y = area.bottom() - pads + (i // 8) * high
        parts[("note", 0, PAD_NOTE + i)] = QRectF(x + 4, y + 4, column - 8, high - 8)
    return parts


def _assembled(area: QRectF, known: list[Part]) -> dict[Part, QRectF]:
    """Faders in a line above, pads in lines of eight below."""
    faders = [p for p in known if p[0] == "cc"]
    pads = [p for p in known if p[0] == "note"]
    parts: dict[Part, QRectF] = {}
    per = max(8, len(faders))
    column = area.width() / per
    high = min(area.height() * 0.5, 260.0) if faders else 0.0
    for i, part in enumerate(faders):
        parts[part] = QRectF(area.left() + i * column + 4, area.top(), column - 8, high)
    wide = area.width() / 8
    for i, part in enumerate(pads):
        x, y = area.left() + (i % 8) * wide, area.top() + high + 16 + (i // 8) * 70
        parts[part] = QRectF(x + 4, y, wide - 8, 62)
    return parts
