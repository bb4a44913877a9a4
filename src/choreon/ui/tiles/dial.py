"""Dials: they turn what is on now, and stand where that is."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QLineEdit

from choreon.engine.actions import dials
from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.lamps import fixtures_of
from choreon.model.refs import name_of
from choreon.model.tiles import Turns
from choreon.model.verbs import Verb
from choreon.render.state import PlayState
from choreon.ui import theme, words
from choreon.ui.tiles.base import TileWidget, draw_fitting
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.keys import HELD_WITH
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.values import parse

TRAVEL = 180.0  # pixels of a drag from one end to the other
GAP = 60.0  # degrees at the foot that a dial with two ends leaves open
NAMES = {
    Turns.RATE: "rate",
    Turns.SIZE: "size",
    Turns.PHASE: "phase",
    Turns.FADE: "fade time",
}


class DialTile(TileWidget):
    """A dial. Drag up or right to turn it up; double-click: as stored."""

    outlined = False
    takes_level = False

    def __init__(self, *parts: object) -> None:
        self.stage_value: float | None = None
        self.drives = True
        super().__init__(*parts)  # type: ignore[arg-type]
        self._grip: tuple[QPointF, float] | None = None
        self._editor: QLineEdit | None = None

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: how far it is turned up."""
        share = self.share
        return Spoken(Role.Dial, tr("{share:.0f} %", share=100 * share), share)

    def speak_value(self, value: float) -> None:
        """A screen reader turns it."""
        self.set_share(value)

    def tip(self) -> str:
        """How it is turned."""
        note = str(self.tile.note)
        return note or (
            tr(
                "{name}: drag up or right, wheel (Shift: fine), type a number; "
                "double-click: as stored",
                name=self.name,
            )
        )

    @property
    def name(self) -> str:
        """What it turns, and of what."""
        if self.tile.name or self.is_dead:
            return super().name
        show = self.parts.document.show
        what = NAMES.get(self.tile.turns)
        if what is None:
            what = (
                at.attribute(self.tile.attribute).label if self.tile.attribute else ""
            )
        of = " + ".join(name_of(show, ref) for ref in self.tile.of[:2])
        return (
            tr("{of}: {what}", of=of, what=what)
            if of and what
            else of or what or tr("Dial")
        )

    @property
    def wraps(self) -> bool:
        """Whether it goes round and round: a phase, an angle through a full turn."""
        if self.tile.turns == Turns.PHASE:
            return True
        if self.tile.turns != Turns.ATTRIBUTE or not self.tile.attribute:
            return False
        low, high = dials.span(self.tile)
        unit = at.attribute(self.tile.attribute).unit
        return unit == "°" and high - low == 360.0

    # following

    def show_state(self, state: PlayState) -> None:
        """Follow what it turns; a dial of lamps that gives nothing shows what they
        have.
        """
        show, dial = self.parts.document.show, self.tile
        drives = dial.turns in dials.NOT_DRIVEN or bool(dials.driven(show, state, dial))
        stage = None

        if dial.turns == Turns.ATTRIBUTE:
            held = any(h.id == dial.id and not h.leaving for h in state.live)
            stage = None if held else self._on_stage()
            drives = held or stage is not None

        if (drives, stage) != (self.drives, self.stage_value):
            self.drives, self.stage_value = drives, stage
            self.update()

        super().show_state(state)

    def _on_stage(self) -> float | None:
        """What the first of its lamps has, in the attribute's unit."""
        preview = self.parts.preview
        for fixture in fixtures_of(self.parts.document.show, self.tile.of):
            if preview.ready:
                value = preview.on_stage(fixture, self.tile.attribute)
                if value is not None:
                    return value
        return None

    @property
    def share(self) -> float:
        """Where it stands, 0…1."""
        if self.stage_value is None:
            return self.level
        low, high = dials.span(self.tile)
        return min(1.0, max(0.0, (self.stage_value - low) / max(high - low, 1e-9)))

    def figures(self) -> str:
        """What it stands at, in words."""
        share, turns = self.share, self.tile.turns
        if turns == Turns.RATE:
            return tr("×{rate:g}", rate=round(dials.rate_at(share), 2))
        if turns == Turns.SIZE:
            return tr("{share:.0f} %", share=100 * share)
        if turns == Turns.PHASE:
            return tr("{share:.0f}°", share=360 * share)
        if turns == Turns.FADE:
            return tr("{seconds:.1f} s", seconds=dials.fade_at(share))
        if not self.tile.attribute:
            return ""

        low, high = dials.span(self.tile)
        return words.number(self.tile.attribute, low + share * (high - low))

    # hands

    def set_share(self, share: float) -> None:
        """Turn it to a share, 0…1; one without ends goes round."""
        share = share % 1.0 if self.wraps else min(1.0, max(0.0, share))
        self.dim(share)

    def hand_down(self, point: QPointF) -> None:
        """Take hold of it where it stands, or press a named stop."""
        self.setFocus()
        for stop, spot in self._stops():
            if (spot - point).manhattanLength() < 18:
                self.do(Verb.VALUE, stop)
                return
        self._grip = (point, self.share)

    def hand_moved(self, point: QPointF, fine: bool = False) -> None:
        """Turn it by as much as the finger moves up, or to the right."""
        if self._grip is not None:
            start, share = self._grip
            way = (point.x() - start.x()) - (point.y() - start.y())
            self.set_share(share + way / TRAVEL * (0.1 if fine else 1.0))

    def hand_up(self) -> None:
        """Let it go."""
        self._grip = None

    def key_down(self) -> None:
        """Its key takes it in hand."""
        self.setFocus()

    def key_up(self) -> None:
        """It stays in hand."""

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """As stored."""
        if not self.arranged:
            self.do(Verb.STORED)

    def turn(self, by: float) -> bool:
        """Turn it a little."""
        self.set_share(self.share + by)
        return True

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A digit begins a number; Home is as stored."""
        is_command = event.modifiers() & HELD_WITH
        text = "" if is_command or self.arranged else event.text()
        if text and text in "0123456789+-*/.,":
            self._open(text)
        elif event.key() == Qt.Key.Key_Home and not is_command:
            self.do(Verb.STORED)
        else:
            super().keyPressEvent(event)

    def _open(self, first: str) -> None:
        editor = self._editor = QLineEdit(first, self)
        editor.setFont(theme.font(18, strong=True))
        editor.setGeometry(10, self.height() // 2 - 20, self.width() - 20, 40)
        editor.setAccessibleName(tr("{name}, typed", name=self.name))
        editor.editingFinished.connect(self._take_typed)
        editor.show()
        editor.setFocus()

    def _take_typed(self) -> None:
        editor, self._editor = self._editor, None
        if editor is None:
            return
        value = parse(editor.text().replace("×", ""), self.value())
        discard(editor)
        if value is not None:
            self.set_value(value)
        self.setFocus()

    def value(self) -> float:
        """What it stands at: a rate, per cent, degrees, seconds, or its attribute's
        number as it is read.
        """
        share, turns = self.share, self.tile.turns
        if turns == Turns.RATE:
            return dials.rate_at(share)
        if turns == Turns.SIZE:
            return 100.0 * share
        if turns == Turns.PHASE:
            return 360.0 * share
        if turns == Turns.FADE:
            return dials.fade_at(share)

        low, high = dials.span(self.tile)
        return (low + share * (high - low)) * self._shown_as

    @property
    def _shown_as(self) -> float:
        """How many times a number is larger as it is read."""
        return 100.0 if at.attribute(self.tile.attribute).unit == "%" else 1.0

    def set_value(self, value: float) -> None:
        """Turn it to what was typed."""
        turns = self.tile.turns
        if turns == Turns.SIZE:
            value /= 100.0
        elif turns == Turns.PHASE:
            value = (value / 360.0) % 1.0
        elif turns == Turns.ATTRIBUTE:
            value /= self._shown_as
        self.do(Verb.VALUE, value)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Whoever goes elsewhere is done."""
        super().focusOutEvent(event)
        self.update()

    # drawing

    def _ring(self) -> QRectF:
        foot = self.foot().top()
        size = min(self.width() - 24, foot - 12)
        return QRectF((self.width() - size) / 2, 8 + (foot - 12 - size) / 2, size, size)

    def _angle(self, share: float) -> float:
        """Where on the ring a share is: degrees, clockwise from the top."""
        if self.wraps:
            return 360.0 * share
        return -180.0 + GAP / 2 + share * (360.0 - GAP)

    def _at(self, share: float, radius: float) -> QPointF:
        angle, ring = math.radians(self._angle(share)), self._ring()
        return ring.center() + QPointF(
            math.sin(angle) * radius, -math.cos(angle) * radius
        )

    def _stops(self) -> list[tuple[float, QPointF]]:
        """The named stops, and where they are drawn."""
        if self.tile.turns != Turns.ATTRIBUTE or not self.tile.stops:
            return []
        low, high = dials.span(self.tile)
        ring = self._ring()
        return [
            (
                stop.at,
                self._at((stop.at - low) / max(high - low, 1e-9), ring.width() / 2 - 6),
            )
            for stop in self.tile.stops
        ]

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """A ring that is filled as far as it is turned, and the number in it."""
        ring = self._ring()
        inner = ring.adjusted(7, 7, -7, -7)
        token = QColor(theme.LIVE if self.drives else theme.FAINT)
        held = self.stage_value is None and self.drives
        pen = QPen(QColor(theme.BATTEN), 8)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)

        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(pen)
        first, last = self._angle(0.0), self._angle(1.0)
        painter.drawArc(inner, _turned(first), -round(16 * (last - first)))
        pen.setColor(token)

        if not held:
            pen.setWidth(3)

        painter.setPen(pen)
        now = self._angle(self.share)
        painter.drawArc(inner, _turned(first), -round(16 * (now - first)))
        self._draw_stops(painter)
        painter.setPen(QPen(QColor(theme.TEXT if held else theme.SOFT), 3))

        radius = ring.width() / 2
        painter.drawLine(
            self._at(self.share, radius - 15), self._at(self.share, radius)
        )
        painter.setPen(QColor(theme.TEXT if self.drives else theme.SOFT))
        edge = 16.0 if ring.width() > 80 else 9.0
        middle = ring.adjusted(edge, edge, -edge, -edge)

        text = self.figures()
        if not self.drives:
            text = tr("not on") if self.tile.turns != Turns.ATTRIBUTE else "–"

        draw_fitting(painter, middle, text, 20, Qt.AlignmentFlag.AlignHCenter)
        self.draw_foot(painter, dot=False)

    def _draw_stops(self, painter: QPainter) -> None:
        for (_, spot), stop in zip(self._stops(), self.tile.stops, strict=False):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.TEXT))
            painter.drawEllipse(spot, 4, 4)
            painter.setPen(QColor(theme.SOFT))
            painter.setFont(theme.font(12))
            inward = spot + (self._ring().center() - spot) * 0.32
            box = QRectF(inward.x() - 40, inward.y() - 9, 80, 18)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, stop.name)


def _turned(angle: float) -> int:
    """Degrees clockwise from the top, as Qt counts arcs."""
    return round(16 * (90.0 - angle))
