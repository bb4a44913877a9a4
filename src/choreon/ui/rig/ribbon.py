"""The addresses as a ribbon: the 512 slots of a universe, who has them, and what is in them now."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QBrush, QColor, QHelpEvent, QMouseEvent, QPainter, QPen
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QToolTip, QVBoxLayout, QWidget

from choreon.model import edits, patch
from choreon.model.show import SLOTS
from choreon.ui import theme, words
from choreon.ui.session import Session
from choreon.ui.widgets import basics

ROWS, PER_ROW = 4, 128


class Ribbon(QWidget):
    """Four lines of 128 slots. Dragging a block gives its fixture another address."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.universe = 1
        self.ghost = None
        self._live = np.zeros(SLOTS, np.uint8)
        self._number = -1
        self._press: tuple[int, dict[str, int]] | None = None
        self._shift = 0
        self.setMinimumHeight(4 * 28)
        self.setMouseTracking(True)
        self.setAccessibleName("Address map")
        self._timer = QTimer(self, interval=66)
        self._timer.timeout.connect(self._follow)

    def sizeHint(self) -> QSize:
        return QSize(640, 132)

    def showEvent(self, event) -> None:
        self._timer.start()

    def hideEvent(self, event) -> None:
        self._timer.stop()

    def _follow(self) -> None:
        found = self.session.frame()
        if found is None or found[0] == self._number:
            return
        self._number, slots = found
        live = slots.get(self.universe, np.zeros(SLOTS, np.uint8))
        if not np.array_equal(live, self._live):
            self._live = live
            self.update()

    # geometry

    def _cell(self) -> tuple[float, float]:
        return (self.width() - 2) / PER_ROW, self.height() / ROWS

    def rect_of(self, first: int, last: int) -> list[QRectF]:
        """The rectangles of a run of slots, one a line."""
        w, h = self._cell()
        rects = []
        slot = max(1, first)
        while slot <= min(last, SLOTS):
            row = (slot - 1) // PER_ROW
            end = min(last, SLOTS, (row + 1) * PER_ROW)
            x = 1 + ((slot - 1) % PER_ROW) * w
            rects.append(QRectF(x, row * h + 2, (end - slot + 1) * w, h - 4))
            slot = end + 1
        return rects

    def slot_at(self, point: QPointF) -> int:
        w, h = self._cell()
        row = min(ROWS - 1, max(0, int(point.y() / h)))
        return row * PER_ROW + min(PER_ROW - 1, max(0, int((point.x() - 1) / w))) + 1

    def on_slot(self, slot: int) -> list[str]:
        return patch.occupied(self.session.show, self.universe).get(slot, [])

    # drawing

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        w, h = self._cell()
        for row in range(ROWS):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor("#161318"))
            painter.drawRoundedRect(QRectF(0, row * h + 1, self.width(), h - 2), 4, 4)
        moving = self._press[1] if self._press and self._shift else {}
        for fixture in self.session.show.fixtures.values():
            if fixture.universe == self.universe:
                self._block(painter, fixture, fixture.address, faded=fixture.id in moving)
        self._levels(painter, w, h)
        self._clash_marks(painter)
        if self.ghost is not None and self.ghost.universe == self.universe and not moving:
            for first, last in self.ghost.spans:
                self._outline(painter, first, last, self.ghost.clash)
        if moving:
            spans, wrong = self._moved_spans(moving)
            for first, last in spans:
                self._outline(painter, first, last, wrong)

    def _block(self, painter: QPainter, fixture, address: int, faded: bool) -> None:
        slots = patch.footprint(self.session.show, fixture)
        chosen = fixture.id in self.session.chosen
        known = patch.mode_of(self.session.show.types, fixture) is not None
        rects = self.rect_of(address, address + slots - 1)
        for rect in rects:
            inner = rect.adjusted(0.6, 0, -0.6, 0)
            painter.setPen(QPen(QColor(theme.CHOSEN), 1.6) if chosen else Qt.PenStyle.NoPen)
            painter.setBrush(theme.colour(theme.BATTEN if known else theme.ALARM, 0.4 if faded else 0.9))
            painter.drawRoundedRect(inner, 3, 3)
        if rects:
            painter.setFont(theme.font(11))
            painter.setPen(QColor(theme.TEXT if not faded else theme.FAINT))
            wide = max(rects, key=lambda r: r.width())
            if wide.width() > 17:
                text = _fitting(painter, fixture.short, wide.width() - 4)
                painter.drawText(wide.adjusted(3, 0, -1, -5), Qt.AlignmentFlag.AlignVCenter, text)

    def _levels(self, painter: QPainter, w: float, h: float) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LIVE))
        for index in np.flatnonzero(self._live).tolist():
            row, column = divmod(index, PER_ROW)
            tall = max(1.5, float(self._live[index]) / 255 * (h - 6) * 0.5)
            painter.drawRect(QRectF(1 + column * w + 0.5, (row + 1) * h - 3 - tall, max(1.0, w - 1.0), tall))

    def _clash_marks(self, painter: QPainter) -> None:
        for clash in patch.clashes(self.session.show):
            if clash.universe == self.universe:
                for rect in self.rect_of(clash.first, clash.last):
                    painter.setPen(QPen(QColor(theme.ALARM), 1.4))
                    painter.setBrush(QBrush(QColor(theme.ALARM), Qt.BrushStyle.BDiagPattern))
                    painter.drawRect(rect)

    def _outline(self, painter: QPainter, first: int, last: int, wrong: bool) -> None:
        pen = QPen(QColor(theme.ALARM if wrong else theme.DRAFT), 1.6)
        pen.setDashPattern([3, 2])
        painter.setPen(pen)
        painter.setBrush(theme.colour(theme.ALARM, 0.25) if wrong else Qt.BrushStyle.NoBrush)
        for rect in self.rect_of(first, last):
            painter.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5))

    # dragging

    def _moved_spans(self, moving: dict[str, int]) -> tuple[list[tuple[int, int]], bool]:
        show = self.session.show
        spans = []
        for i, address in moving.items():
            start = address + self._shift
            spans.append((start, start + patch.footprint(show, show.fixtures[i]) - 1))
        wrong = any(a < 1 or b > SLOTS for a, b in spans) or bool(patch.taken_by(show, self.universe, spans, moving))
        return spans, wrong

    def mousePressEvent(self, event: QMouseEvent) -> None:
        slot = self.slot_at(event.position())
        here = self.on_slot(slot)
        adding = bool(event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier))
        if not here:
            if not adding:
                self.session.choose(())
            return
        if adding:
            self.session.toggle(here[-1:])
        elif here[-1] not in self.session.chosen:
            self.session.choose(here[-1:])
        fixtures = self.session.show.fixtures
        held = {i: fixtures[i].address for i in self.session.chosen if fixtures[i].universe == self.universe}
        self._press = (slot, held)
        self._shift = 0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._press is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._shift = self.slot_at(event.position()) - self._press[0]
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._press is not None and self._shift:
            moving = self._press[1]
            spans, wrong = self._moved_spans(moving)
            if wrong:
                show = self.session.show
                taken = patch.taken_by(show, self.universe, [s for s in spans if s[0] > 0], moving)
                names = words.some([show.fixtures[i].name for i in taken])
                why = f"{names} {'is' if len(taken) == 1 else 'are'} there" if taken else "it would leave the universe"
                self.session.told.emit(f"It does not fit there: {why}. The address stays as it was.", "alarm")
            else:
                changes = {i: {"address": a + self._shift} for i, a in moving.items()}
                name = f"readdress {len(changes)} fixture{'s' if len(changes) > 1 else ''}"
                self.session.edit(name, edits.change_fixtures(self.session.show, changes))
        self._press, self._shift = None, 0
        self.update()

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._press, self._shift = None, 0
            self.update()
        else:
            super().keyPressEvent(event)

    def event(self, event) -> bool:
        if isinstance(event, QHelpEvent):
            slot = self.slot_at(QPointF(event.pos()))
            show = self.session.show
            text = f"Slot {slot}: {self._live[slot - 1]}"
            for i in self.on_slot(slot):
                fixture = show.fixtures[i]
                text += f"\n{fixture.name}, {fixture.universe}.{fixture.address}"
                text += self._channel_name(fixture, slot - fixture.address + 1)
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)

    def _channel_name(self, fixture, slot: int) -> str:
        mode = patch.mode_of(self.session.show.types, fixture)
        for use in mode.uses if mode else ():
            if slot in use.slots:
                channel = self.session.show.types[fixture.type].channel(use.channel)
                cell = f", cell {use.cell}" if use.cell else ""
                fine = ", fine" if use.slots.index(slot) else ""
                return f", {channel.label if channel else use.channel}{cell}{fine}"
        return ""


def _fitting(painter: QPainter, short: str, width: float) -> str:
    """A short name that fits: `uplight3`, or `u3` where there is no room."""
    if painter.fontMetrics().horizontalAdvance(short) <= width:
        return short
    number = short.lstrip("".join(c for c in short if not c.isdigit()))
    return short[:1] + number if short[-1:].isdigit() else short[:2]


class RibbonPanel(QWidget):
    """The ribbon with a tab for each universe, and clashes in words."""

    universe_changed = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.ribbon = Ribbon(session)
        self.tabs = QHBoxLayout()
        self.tabs.setSpacing(4)
        self.group = QButtonGroup(self)
        self.note = basics.label("", "small")
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(basics.label("Addresses", "heading"))
        line.addLayout(self.tabs)
        line.addStretch(1)
        line.addWidget(self.note)
        panel = basics.panel(head, self.ribbon, margins=10, spacing=6)
        panel.layout().setStretch(1, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        session.show_changed.connect(lambda _: self._fill())
        session.chosen_changed.connect(self._chosen)
        self._shown: list[int] = []
        self._fill()

    def _fill(self) -> None:
        show = self.session.show
        ghost = self.ribbon.ghost
        numbers = sorted({*patch.universes(show), self.ribbon.universe, *([ghost.universe] if ghost else [])})
        if numbers != self._shown:
            self._shown = numbers
            basics.clear(self.tabs)
            for number in numbers:
                tab = basics.button(str(number), lambda n=number: self.go(n), "quiet", tip=f"Universe {number}")
                tab.setCheckable(True)
                tab.setStyleSheet("padding: 4px 10px;")
                tab.setChecked(number == self.ribbon.universe)
                self.group.addButton(tab, number)
                self.tabs.addWidget(tab)
        self._tell()
        self.ribbon.update()

    def _tell(self) -> None:
        show = self.session.show
        found = patch.clashes(show)
        if found:
            first = found[0]
            names = f"{show.fixtures[first.one].name} and {show.fixtures[first.other].name}"
            more = f" (and {len(found) - 1} more)" if len(found) > 1 else ""
            text = f"▲ {names} share {first.universe}.{first.first}–{first.last}{more}"
            role = "alarm"
        else:
            used = len(patch.occupied(show, self.ribbon.universe))
            text, role = f"{used} of 512 slots taken · no clashes", "small"
        self.note.setText(text)
        basics.set_role(self.note, role)

    def go(self, universe: int) -> None:
        """Show a universe."""
        if universe != self.ribbon.universe:
            self.ribbon.universe = universe
            self.ribbon._number = -1
            self._shown = []
            self._fill()
            self.universe_changed.emit(universe)

    def show_ghost(self, ghost) -> None:
        """Show where a run would stand."""
        self.ribbon.ghost = ghost
        if ghost is not None and ghost.universe != self.ribbon.universe:
            self.ribbon.universe = ghost.universe
            self._shown = []
        self._fill()

    def _chosen(self, chosen) -> None:
        show = self.session.show
        found = [show.fixtures[i].universe for i in chosen]
        if found and self.ribbon.universe not in found:
            self.go(found[0])
        self.ribbon.update()
