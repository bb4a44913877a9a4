"""A controller drawn as it lies on the table: every part with what it does, and its
light as it is told.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QWidget

from choreon.engine.actions import level_of
from choreon.engine.protocol import ControlMoved
from choreon.language import tr
from choreon.model.effects import natural
from choreon.model.inputs import Control, called, is_key, midi_control
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
from choreon.terms import term
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.widgets.keys import PRESSES
from choreon.ui.widgets.labels import fit
from choreon.ui.widgets.spoken import Role, Spoken, tell

SMALLEST = 10  # pixels of letters on a part that is narrow

PRACTICE: dict[str, list[Control]] = {
    "fader": [midi_control(NAME, "cc", 0, FADER_CC + i) for i in range(FADERS)],
    "knob": [midi_control(NAME, "cc", 0, KNOB_CC + i) for i in range(KNOBS)],
    "pad": [midi_control(NAME, "note", 0, PAD_NOTE + i) for i in range(PADS)],
}
"""The practice controller's parts, by what they look like."""


def shape_of(part: Control) -> str:
    """What a part of a controller looks like: fader, knob or pad."""
    if is_key(part):
        return "pad"
    return "knob" if part in PRACTICE["knob"] else "fader"


def part_name(part: Control) -> str:
    """What a part is called: by its place on controllers that are known, else by its
    number.
    """
    for shape, parts in PRACTICE.items():
        if part in parts:
            return tr(
                "{shape} {number}",
                shape=term(shape),
                number=parts.index(part) + 1,
            )
    return called(part)


class ControllerDrawing(QWidget):
    """The practice controller as it is; any other controller from the parts that were
    moved or taught.
    """

    picked = Signal(object)  # what the part acts on, or None
    """The Ref of what a part does; None for one that does nothing."""
    entered = Signal(object)
    """The same, of the part that Enter was pressed on."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.port, self.open = "", False
        self.values: dict[Control, float] = {}
        self.last: Control | None = None
        self.chosen: Control | None = None
        self.setMinimumSize(420, 320)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Controller"))
        self.setToolTip(tr("Press a part to find what it does on the right."))

    def sizeHint(self) -> QSize:
        return QSize(620, 520)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: what the part in hand does."""
        if self.chosen is None:
            return Spoken(Role.Graphic, tr("{n} controls", n=len(self.drawn())))
        target = self._inputs().get(self.chosen)
        show = self.parts.document.show
        does = words.target_name(show, target) if target else tr("nothing yet")
        return Spoken(
            Role.Graphic,
            tr("{control}: {does}", control=part_name(self.chosen), does=does),
        )

    def show_port(self, port: str, is_open: bool) -> None:
        """Draw a controller, and whether it is there."""
        if (port, is_open) != (self.port, self.open):
            if port != self.port:
                self.last = self.chosen = None
            self.port, self.open = port, is_open
        self.update()

    def moved(self, moved: ControlMoved) -> None:
        """Follow a control that was moved."""
        self.values[moved.control] = moved.value
        if moved.control.device == self.port:
            self.last = moved.control
            self.update()

    def drawn(self) -> dict[Control, QRectF]:
        """Every part of the controller and where it is drawn."""
        area = QRectF(self.rect()).adjusted(22, 18, -22, -18)
        if self.port == NAME:
            return _practice(area)
        moved = (part for part in self.values if part.device == self.port)
        known = {*moved, *self._inputs()}
        return _assembled(area, sorted(known, key=lambda part: natural(part.name)))

    def _inputs(self) -> dict[Control, Ref]:
        return {
            tied.control: tied.target
            for tied in self.parts.document.show.inputs.values()
            if tied.control.device == self.port
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
            text = tr(
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
                shape_of(part)
            ](painter, rect, part, target, level)

    def _pen(self, part: Control) -> QPen:
        if part == self.chosen:
            return QPen(QColor(theme.CHOSEN), 2)
        if part == self.last:
            return QPen(QColor(theme.TEXT), 1.5)
        return QPen(QColor(theme.BATTEN), 1)

    def _label(
        self, painter: QPainter, rect: QRectF, part: Control, target: Ref | None
    ) -> None:
        name = words.target_name(self.parts.document.show, target) if target else ""
        painter.setPen(QColor(theme.TEXT if name else theme.FAINT))
        text = (name or part_name(part)).split()
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
        part: Control,
        target: Ref | None,
        level: float,
    ) -> None:
        value = level if target else self.values.get(part, 0.0)
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
        part: Control,
        target: Ref | None,
        level: float,
    ) -> None:
        value = level if target else self.values.get(part, 0.5)
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
        part: Control,
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
                self.choose(part)
                return

    def choose(self, part: Control) -> None:
        """Choose a part: what it does is found on the right."""
        self.chosen = part
        self.picked.emit(self._inputs().get(part))
        self.update()
        tell(self)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from part to part, Enter to what it does."""
        drawn = self.drawn()
        way = WAYS.get(Qt.Key(event.key()))
        if way and drawn:
            here = drawn.get(self.chosen) if self.chosen else None
            self.choose(beside(drawn, here, way) if here else next(iter(drawn)))
        elif event.key() in PRESSES and self.chosen:
            self.entered.emit(self._inputs().get(self.chosen))
        else:
            super().keyPressEvent(event)


WAYS = {
    Qt.Key.Key_Left: QPointF(-1, 0),
    Qt.Key.Key_Right: QPointF(1, 0),
    Qt.Key.Key_Up: QPointF(0, -1),
    Qt.Key.Key_Down: QPointF(0, 1),
}


def beside(drawn: dict[Control, QRectF], here: QRectF, way: QPointF) -> Control:
    """Returns the part that lies nearest in a direction; the one that is there, where
    none does.
    """

    def far(part: Control) -> float:
        away = drawn[part].center() - here.center()
        along = QPointF.dotProduct(away, way)
        aside = abs(away.x() * way.y() - away.y() * way.x())
        if drawn[part] == here:
            return 1e6
        return along + 3.0 * aside if along > 1.0 else 1e9

    return min(drawn, key=far)


def _practice(area: QRectF) -> dict[Control, QRectF]:
    """Knobs above, faders below them, the pads in two lines at the front."""
    parts: dict[Control, QRectF] = {}
    column = area.width() / 8
    top, pads = 84.0, min(160.0, area.height() * 0.36)
    middle = area.height() - top - pads - 14
    high = pads / 2

    for i, part in enumerate(PRACTICE["knob"]):
        parts[part] = QRectF(area.left() + i * column, area.top(), column, top)

    for i, part in enumerate(PRACTICE["fader"]):
        x = area.left() + i * column
        parts[part] = QRectF(x + 4, area.top() + top, column - 8, middle)

    for i, part in enumerate(PRACTICE["pad"]):
        x = area.left() + (i % 8) * column
        y = area.bottom() - pads + (i // 8) * high
        parts[part] = QRectF(x + 4, y + 4, column - 8, high - 8)

    return parts


def _assembled(area: QRectF, known: list[Control]) -> dict[Control, QRectF]:
    """Faders in a line above, pads in lines of eight below."""
    faders = [part for part in known if not is_key(part)]
    pads = [part for part in known if is_key(part)]
    parts: dict[Control, QRectF] = {}
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
