"""The addresses as a ribbon: the 512 slots of a universe, who has them, and what is in
them now.
"""

from __future__ import annotations

import time
from functools import partial

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import (
    QEvent,
    QPoint,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import (
    QBrush,
    QColor,
    QDropEvent,
    QFont,
    QHelpEvent,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QShowEvent,
    QStaticText,
)
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QInputDialog,
    QToolTip,
    QVBoxLayout,
    QWidget,
)

from choreon.language import facts, in_a_row, plural, sentences, tr
from choreon.model import edits, patch, patching
from choreon.model.sameness import very_same
from choreon.model.show import MAX_UNIVERSE, SLOTS, Fixture
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.refresh_timer import RefreshTimer
from choreon.ui.rig.ghost import Ghost
from choreon.ui.rig.type_list import TakesTypes, dropped
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.keys import HELD_WITH, PRESSES
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.spoken import Role, Spoken

LIVE = 40  # milliseconds between looks at the frame


class Ribbon(TakesTypes):
    """Lines of slots, more of them where there is room. Dragging a block gives its
    fixture another address.
    """

    why_asked = Signal(int, int)
    type_dropped = Signal(str, int, int)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.universe = 1
        self.ghost: Ghost | None = None
        self._live = np.zeros(SLOTS, np.uint8)

        self._number = -1
        self._press: tuple[int, dict[str, int]] | None = None
        self._shift = 0
        self._blocks: QPixmap | None = None
        self._drawn: tuple[object, ...] = ()

        self._taken: tuple[tuple[object, ...], dict[int, list[str]]] = ((), {})
        self._numbers: tuple[QFont | None, list[tuple[QStaticText, float]]] = (None, [])
        self._cost = 0.003  # seconds that it takes to draw, smoothed
        self.setMinimumHeight(4 * 28)
        self.setMouseTracking(True)

        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Address map"))
        self.setToolTip(
            tr("Who has which slot: drag a block, or carry it with Ctrl+arrows")
        )

        self._looks = RefreshTimer(parts, self, LIVE, self._follow)

    def sizeHint(self) -> QSize:
        return QSize(640, 132)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: whose addresses are in hand."""
        fixtures = self.parts.document.show.fixtures
        here = self._chosen_here()
        chosen = words.some(
            [tr("{name} at {a}", name=fixtures[i].name, a=a) for i, a in here.items()]
        )
        taken = plural(
            len(self.taken()),
            "universe {universe}, {n} slot taken",
            "universe {universe}, {n} slots taken",
            universe=self.universe,
        )
        names = tr("chosen: {names}", names=chosen or tr("nobody"))
        return Spoken(Role.Graphic, facts(taken, names))

    def showEvent(self, event: QShowEvent) -> None:
        self._looks.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._looks.stop()

    def _follow(self) -> bool:
        """Draw what has changed; returns whether something has."""
        found = self.parts.preview.frame()
        if found is None or found[0] == self._number:
            return False
        self._number, slots = found
        live = slots.get(self.universe, np.zeros(SLOTS, np.uint8))
        changed = np.flatnonzero(live != self._live)
        if len(changed):
            self._live = live
            self.update(self.area_of(changed))
        self._looks.cost = self._cost  # slow machines get fewer pictures
        return bool(len(changed))

    def area_of(self, slots: npt.NDArray[np.int64]) -> QRect:
        """The part of the picture that shows slots, counted from 0: whole lines where
        they lie on several.
        """
        w, h = self._cell()
        rows, columns = np.divmod(slots, self.per_row)
        first, last = (0, self.per_row - 1) if rows[0] != rows[-1] else columns[[0, -1]]
        left, top = int(first * w) - 1, int(rows[0] * h) - 1
        right, foot = int((last + 1) * w) + 3, int((rows[-1] + 1) * h) + 3
        return QRect(left, top, right - left, foot - top)

    # geometry

    @property
    def per_row(self) -> int:
        """Slots in a line: few where there is height for many lines."""
        return 32 if self.height() >= 340 else 64 if self.height() >= 220 else 128

    @property
    def rows(self) -> int:
        """How many lines the slots take."""
        return SLOTS // self.per_row

    def _cell(self) -> tuple[float, float]:
        return (self.width() - 2) / self.per_row, self.height() / self.rows

    def rect_of(self, first: int, last: int) -> list[QRectF]:
        """The rectangles of a run of slots, one a line."""
        w, h = self._cell()
        per_row = self.per_row
        rects = []
        slot = max(1, first)
        while slot <= min(last, SLOTS):
            row = (slot - 1) // per_row
            end = min(last, SLOTS, (row + 1) * per_row)
            x = 1 + ((slot - 1) % per_row) * w
            rects.append(QRectF(x, row * h + 2, (end - slot + 1) * w, h - 4))
            slot = end + 1
        return rects

    def slot_at(self, point: QPointF) -> int:
        """Returns the slot at a point, 1…512."""
        w, h = self._cell()
        row = min(self.rows - 1, max(0, int(point.y() / h)))
        return (
            row * self.per_row
            + min(self.per_row - 1, max(0, int((point.x() - 1) / w)))
            + 1
        )

    def taken(self) -> dict[int, list[str]]:
        """Who has which slot of the universe."""
        key = (
            self.parts.document.show.fixtures,
            self.parts.document.show.types,
            self.universe,
        )
        if not very_same(self._taken[0], key):
            self._taken = (key, patch.occupied(self.parts.document.show, self.universe))
        return self._taken[1]

    def on_slot(self, slot: int) -> list[str]:
        """Returns the fixtures that have a slot."""
        return self.taken().get(slot, [])

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        begin = time.perf_counter()
        moving = self._press[1] if self._press and self._shift else {}
        painter = QPainter(self)
        painter.drawPixmap(0, 0, self._base(moving))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

        self._levels(painter, event.rect())
        if self.ghost is not None and not moving:
            for universe, first, last in self.ghost.spans:
                if universe == self.universe:
                    self._outline(painter, first, last, self.ghost.clash)

        if moving:
            spans, wrong = self._moved_spans(moving)
            for first, last in spans:
                self._outline(painter, first, last, wrong)

        painter.end()
        self._cost += 0.1 * (time.perf_counter() - begin - self._cost)

    def _base(self, moving: dict[str, int]) -> QPixmap:
        """All that does not change with the light, drawn once."""
        show = self.parts.document.show
        key = (
            show.fixtures,
            show.types,
            self.parts.selection.chosen,
            self.universe,
            self.size(),
            tuple(moving),
        )

        same = (
            [old is new for old, new in zip(self._drawn[:3], key[:3], strict=True)]
            if self._drawn
            else [False]
        )

        if self._blocks is None or not all(same) or self._drawn[3:] != key[3:]:
            ratio = self.devicePixelRatioF()
            made = QPixmap(self.size() * ratio)
            made.setDevicePixelRatio(ratio)
            made.fill(QColor(theme.DECK))
            painter = QPainter(made)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)

            self._ground(painter)
            for fixture in show.fixtures.values():
                if fixture.universe == self.universe:
                    self._block(painter, fixture, fixture.id in moving)

            self._clash_marks(painter)
            painter.end()
            self._blocks, self._drawn = made, key

        return self._blocks

    def _ground(self, painter: QPainter) -> None:
        w, h = self._cell()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor("#161318"))
        for row in range(self.rows):
            painter.drawRoundedRect(QRectF(0, row * h + 1, self.width(), h - 2), 4, 4)
        painter.setFont(theme.font(11))
        painter.setPen(QColor(theme.SOFT))
        every = 16 if w < 5 else 8 if w < 12 else 4 if w < 20 else 1
        for slot in range(1, SLOTS + 1, every):
            rect = self.rect_of(slot, slot)[0]
            flags = Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft
            painter.drawText(rect.adjusted(2, 0, 24, -1), flags, str(slot))

    def _block(self, painter: QPainter, fixture: Fixture, faded: bool) -> None:
        slots = patch.footprint(self.parts.document.show, fixture)
        chosen = fixture.id in self.parts.selection.chosen
        known = patch.mode_of(self.parts.document.show.types, fixture) is not None
        rects = self.rect_of(fixture.address, fixture.address + slots - 1)

        for rect in rects:
            inner = rect.adjusted(0.6, 0, -0.6, 0)
            painter.setPen(
                QPen(QColor(theme.CHOSEN), 1.6) if chosen else Qt.PenStyle.NoPen
            )
            painter.setBrush(
                theme.colour(
                    theme.LIFT if known else theme.ALARM, 0.4 if faded else 0.9
                )
            )

            painter.drawRoundedRect(inner, 3, 3)

        if rects:
            painter.setFont(theme.font(11))
            painter.setPen(QColor(theme.TEXT if not faded else theme.FAINT))
            wide = max(rects, key=lambda r: r.width())

            if wide.width() > 17:
                text = _fitting(painter, fixture.short, wide.width() - 4)
                tall = wide.height() > 30  # then the levels stand in numbers below
                flags = (
                    Qt.AlignmentFlag.AlignTop if tall else Qt.AlignmentFlag.AlignVCenter
                )
                painter.drawText(
                    wide.adjusted(3, 0, -1, 0 if tall else -5), flags, text
                )

    def _levels(self, painter: QPainter, within: QRect) -> None:
        """The levels, as far as they lie in the part that is drawn anew."""
        w, h = self._cell()
        per_row = self.per_row
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LIVE))
        begin = max(0, int(within.top() / h)) * per_row

        end = (int(within.bottom() / h) + 1) * per_row
        lit = begin + np.flatnonzero(self._live[begin:end])
        rows, columns = np.divmod(lit, per_row)
        numbered = w >= 18 and h > 34
        full = (
            min((h - 6) * 0.5, h - 29) if numbered else (h - 6) * 0.5
        )  # below the numbers

        tall = np.maximum(1.5, self._live[lit] / 255.0 * full)
        places = zip(
            (1.5 + columns * w).tolist(),
            ((rows + 1) * h - 3 - tall).tolist(),
            tall.tolist(),
            strict=True,
        )

        wide = max(1.0, w - 1.0)
        painter.drawRects([QRectF(x, y, wide, high) for x, y, high in places])
        if numbered:
            font = theme.font(10)
            font.setStretch(
                100 if w >= 24 else 84
            )  # three figures stand clear of those beside them
            numbers = self._texts(font)
            painter.setFont(font)
            painter.setPen(QColor(theme.LIVE))

            for index, level in zip(
                lit.tolist(), self._live[lit].tolist(), strict=True
            ):
                row, column = divmod(index, per_row)
                text, wide = numbers[level]
                painter.drawStaticText(
                    QPointF(column * w + w - 1 - wide, row * h + 14), text
                )

    def _texts(self, font: QFont) -> list[tuple[QStaticText, float]]:
        """The numbers 0 to 255 laid out once, and how wide each is."""
        if self._numbers[0] != font:
            made = []
            for level in range(256):
                text = QStaticText(str(level))
                text.setTextFormat(Qt.TextFormat.PlainText)
                text.prepare(font=font)
                made.append((text, text.size().width()))
            self._numbers = (font, made)
        return self._numbers[1]

    def _clash_marks(self, painter: QPainter) -> None:
        for clash in patch.clashes(self.parts.document.show):
            if clash.universe == self.universe:
                for rect in self.rect_of(clash.first, clash.last):
                    painter.setPen(QPen(QColor(theme.ALARM), 1.4))
                    painter.setBrush(
                        QBrush(QColor(theme.ALARM), Qt.BrushStyle.BDiagPattern)
                    )
                    painter.drawRect(rect)

    def _outline(self, painter: QPainter, first: int, last: int, wrong: bool) -> None:
        pen = QPen(QColor(theme.ALARM if wrong else theme.DRAFT), 1.6)
        pen.setDashPattern([3, 2])
        painter.setPen(pen)
        painter.setBrush(
            theme.colour(theme.ALARM, 0.25) if wrong else Qt.BrushStyle.NoBrush
        )
        for rect in self.rect_of(first, last):
            painter.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5))

    # dragging

    def _moved_spans(
        self, moving: dict[str, int]
    ) -> tuple[list[tuple[int, int]], bool]:
        show = self.parts.document.show
        spans = []
        for i, address in moving.items():
            start = address + self._shift
            spans.append((start, start + patch.footprint(show, show.fixtures[i]) - 1))

        taken, held = self.taken(), set(moving)
        wrong = any(a < 1 or b > SLOTS for a, b in spans) or any(
            not held.issuperset(taken.get(s, ()))
            for a, b in spans
            for s in range(a, b + 1)
        )

        return spans, wrong

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose what is pressed, and take hold of it."""
        slot = self.slot_at(event.position())
        if event.button() == Qt.MouseButton.RightButton:
            self.slot_menu(slot, event.globalPosition().toPoint())
            return

        here = self.on_slot(slot)
        adding = bool(
            event.modifiers()
            & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier)
        )
        if not here:
            if not adding:
                self.parts.selection.choose(())

            return

        if adding:
            self.parts.selection.toggle(here[-1:])
        elif here[-1] not in self.parts.selection.chosen:
            self.parts.selection.choose(here[-1:])

        self._press = (slot, self._chosen_here())
        self._shift = 0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry it along the slots."""
        if self._press is not None and event.buttons() & Qt.MouseButton.LeftButton:
            shift = self.slot_at(event.position()) - self._press[0]
            if shift != self._shift:
                self._shift = shift
                self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """What was carried gets its new address, where that is free."""
        if self._press is not None and self._shift:
            self._readdress(self._press[1])
        self._press, self._shift = None, 0
        self.update()

    def _readdress(self, moving: dict[str, int]) -> None:
        """Give fixtures, by their addresses now, those that they were carried to."""
        document = self.parts.document
        show = document.show
        spans, wrong = self._moved_spans(moving)

        if not wrong:
            changes = {i: {"address": a + self._shift} for i, a in moving.items()}
            name = plural(
                len(changes), "readdress {n} fixture", "readdress {n} fixtures"
            )
            document.edit(name, edits.change_fixtures(show, changes))

            return

        inside = [span for span in spans if span[0] > 0]
        taken = patch.taken_by(show, self.universe, inside, moving)
        why = tr("It does not fit there: it would leave the universe.")

        if taken:
            why = plural(
                len(taken),
                "It does not fit there: {names} is there.",
                "It does not fit there: {names} are there.",
                names=words.fixtures_named(show, taken),
            )

        text = sentences(why, tr("The address stays as it was."))
        self.parts.notices.told.emit(text, "alarm")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from fixture to fixture, with Ctrl they carry the chosen by a slot;
        Enter asks what can be done with the slot, Escape puts back what is carried.
        """
        key = event.key()
        way = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key))
        if key == Qt.Key.Key_Escape and self._press is not None:
            self._press, self._shift = None, 0
            self.update()
        elif way and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._carry(way)
        elif way and not event.modifiers() & HELD_WITH:
            self._go(way)
        elif key in PRESSES:
            slot = min(self._chosen_here().values(), default=1)
            corner = self.rect_of(slot, slot)[0].bottomLeft().toPoint()
            self.slot_menu(slot, self.mapToGlobal(corner))
        else:
            super().keyPressEvent(event)

    def _chosen_here(self) -> dict[str, int]:
        """The chosen of this universe, and their addresses."""
        fixtures, chosen = (
            self.parts.document.show.fixtures,
            self.parts.selection.chosen,
        )
        return {
            i: fixtures[i].address
            for i in chosen
            if i in fixtures and fixtures[i].universe == self.universe
        }

    def _go(self, way: int) -> None:
        """Choose the fixture before or after, by address."""
        fixtures = self.parts.document.show.fixtures.values()
        here = [f for f in fixtures if f.universe == self.universe]
        order = [f.id for f in sorted(here, key=lambda f: f.address)]
        if not order:
            return
        last = next((i for i in self.parts.selection.chosen[::-1] if i in order), "")
        place = order.index(last) + way if last else 0
        self.parts.selection.choose([order[place % len(order)]])

    def _carry(self, by: int) -> None:
        """Give the chosen an address further on, where that is free."""
        moving = self._chosen_here()
        if moving:
            self._shift = by
            self._readdress(moving)
            self._shift = 0

    def dropEvent(self, event: QDropEvent) -> None:
        """Hang the type that is dropped."""
        if type_id := dropped(event.mimeData()):
            event.acceptProposedAction()
            self.type_dropped.emit(
                type_id, self.universe, self.slot_at(event.position())
            )

    # words

    def slot_menu(self, slot: int, at: QPoint) -> None:
        """Show what can be done with a slot."""
        menu = Menu(self)
        here = self.on_slot(slot)
        text = tr(
            "Why is {universe}.{slot} at {live}?",
            universe=self.universe,
            slot=slot,
            live=self._live[slot - 1],
        )

        menu.addAction(text, lambda: self.why_asked.emit(self.universe, slot))
        if here:
            names = words.some(
                [self.parts.document.show.fixtures[i].name for i in here]
            )
            menu.addAction(
                tr("Choose {names}", names=names),
                lambda: self.parts.selection.choose(here),
            )
            menu.addAction(
                tr("Identify {names}", names=names),
                lambda: self.parts.engine.blink(here),
            )

        menu.exec(at)

    def event(self, event: QEvent) -> bool:
        """Say what is under the pointer."""
        if isinstance(event, QHelpEvent):
            slot = self.slot_at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), self.told_of(slot), self)
            return True
        return super().event(event)

    def told_of(self, slot: int) -> str:
        """What there is to say of a slot."""
        show = self.parts.document.show
        lines = [
            tr(
                "Slot {slot}: {live}  (right button: why)",
                slot=slot,
                live=self._live[slot - 1],
            )
        ]
        for i in self.on_slot(slot):
            fixture = show.fixtures[i]
            where = f"{fixture.universe}.{fixture.address}"
            channel = self.channel_name(fixture, slot - fixture.address + 1)
            lines.append(in_a_row(filter(None, (fixture.name, where, channel))))
        return "\n".join(lines)

    def channel_name(self, fixture: Fixture, slot: int) -> str:
        """Returns what the channel at a slot is called; empty where there is none."""
        mode = patch.mode_of(self.parts.document.show.types, fixture)
        for use in mode.uses if mode else ():
            if slot in use.slots:
                channel = self.parts.document.show.types[fixture.type].channel(
                    use.channel, mode
                )
                said = [channel.label if channel else use.channel]
                if use.cell:
                    said.append(tr("cell {cell}", cell=use.cell))
                if use.slots.index(slot):
                    said.append(tr("fine"))
                return in_a_row(said)
        return ""


def _fitting(painter: QPainter, short: str, width: float) -> str:
    """A short name that fits: `uplight3`, or `u3` where there is no room."""
    if painter.fontMetrics().horizontalAdvance(short) <= width:
        return short
    number = short.lstrip("".join(c for c in short if not c.isdigit()))
    return short[:1] + number if short[-1:].isdigit() else short[:2]


ROOMY = 520  # pixels of width for a whole sentence above the addresses


EDGE, BELOW = 10, 6  # pixels around the panel, and between what stands in it


class RibbonPanel(QWidget):
    """The ribbon with a tab for each universe, clashes in words, and what is done to
    many addresses at once.
    """

    universe_changed = Signal(int)
    whole_map = Signal(bool)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.ribbon = Ribbon(parts)
        self.tabs = QHBoxLayout()
        self.tabs.setSpacing(4)

        self.group = QButtonGroup(self)
        self.note = basics.button(
            "",
            self._next_clash,
            "quiet",
            tip=tr("Choose those who clash, one pair after the other"),
        )

        self.note.setStyleSheet("padding: 5px 6px; min-width: 20px; font-size: 12px;")
        self.whole = basics.tool(
            "map", tr("Show the addresses large"), lambda: None, checkable=True
        )

        self.whole.toggled.connect(self.whole_map)
        self.more = basics.tool("more", tr("Pack, move, merge"), self._menu)
        tabs = QWidget()
        tabs.setLayout(self.tabs)
        self.tabs.setContentsMargins(0, 0, 0, 0)
        title = basics.label(tr("Addresses"), "heading")
        head = self.head = flow(title, tabs, 1, self.note, self.whole, self.more)

        panel = basics.panel(head, self.ribbon, margins=EDGE, spacing=BELOW)
        basics.grow(panel, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)

        parts.document.show_changed.connect(lambda _: self._fill())
        parts.selection.changed.connect(self._chosen)
        self._shown: list[int] = []
        self._at_clash = -1
        self._fill()

        self._chosen(parts.selection.chosen)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow, less is said; where the words above the addresses need a
        second line, these keep their room.
        """
        super().resizeEvent(event)
        high = self.head.heightForWidth(event.size().width() - 2 * EDGE)
        self.setMinimumHeight(high + self.ribbon.minimumHeight() + 2 * EDGE + BELOW)
        if (event.size().width() >= ROOMY) != self._roomy:
            self._tell()

    def _fill(self) -> None:
        show = self.parts.document.show
        planned: set[int] = (
            {span[0] for span in self.ribbon.ghost.spans}
            if self.ribbon.ghost
            else set()
        )

        numbers = sorted({*patch.universes(show), self.ribbon.universe} | planned)
        if numbers != self._shown:
            self._shown = numbers
            basics.clear(self.tabs)

            for number in numbers[:16]:
                tab = basics.button(
                    str(number),
                    partial(self.go, number),
                    "quiet",
                    tip=tr("Universe {number}", number=number),
                )
                tab.setCheckable(True)
                tab.setStyleSheet("padding: 5px 10px; min-width: 20px;")
                tab.setChecked(number == self.ribbon.universe)
                self.group.addButton(tab, number)

                self.tabs.addWidget(tab)

            other = basics.button(
                "…", self._ask_universe, "quiet", tip=tr("Another universe")
            )
            other.setStyleSheet("padding: 5px 8px; min-width: 20px;")
            self.tabs.addWidget(other)

        self._tell()
        self.ribbon.update()

    def _tell(self) -> None:
        self._roomy = self.width() >= ROOMY
        show = self.parts.document.show
        found = patch.clashes(show)

        if found:
            first = found[0]
            text = tr(
                "▲ {one} and {other} share {universe}.{first}–{last}",
                one=show.fixtures[first.one].name,
                other=show.fixtures[first.other].name,
                universe=first.universe,
                first=first.first,
                last=first.last,
            )
            if len(found) > 1:
                text = tr("{clash} (and {n} more)", clash=text, n=len(found) - 1)
        else:
            taken = len(self.ribbon.taken())
            text = tr("{n} of 512 taken", n=taken)
            if self._roomy:
                text = tr("{n} of 512 slots taken · no clashes", n=taken)

        colour = theme.ALARM if found else theme.SOFT
        self.note.setText(text)
        self.note.setToolTip(self._all_clashes() or tr("Nothing clashes"))
        self.note.setEnabled(bool(found))
        self.note.setStyleSheet(
            "padding: 5px 6px; min-width: 20px; font-size: 12px; "
            f"color: {colour}; background: transparent;"
        )

    def _all_clashes(self) -> str:
        show = self.parts.document.show
        return "\n".join(
            f"{show.fixtures[c.one].name} and {show.fixtures[c.other].name}: "
            f"{c.universe}.{c.first}–{c.last}"
            for c in patch.clashes(show)[:20]
        )

    def _next_clash(self) -> None:
        found = patch.clashes(self.parts.document.show)
        if found:
            self._at_clash = (self._at_clash + 1) % len(found)
            clash = found[self._at_clash]
            self.go(clash.universe)
            self.parts.selection.choose([clash.one, clash.other])

    def go(self, universe: int) -> None:
        """Show a universe."""
        if universe != self.ribbon.universe:
            self.ribbon.universe = universe
            self.ribbon._number = -1
            self._shown = []
            self._fill()
            self.universe_changed.emit(universe)

    def _ask_universe(self) -> None:
        number, sure = QInputDialog.getInt(
            self,
            tr("Universe"),
            tr("Show universe"),
            self.ribbon.universe,
            1,
            MAX_UNIVERSE,
        )
        if sure:
            self.go(number)

    def show_ghost(self, ghost: Ghost | None) -> None:
        """Show where a run would stand."""
        self.ribbon.ghost = ghost
        if ghost is not None and self.ribbon.universe not in {
            s[0] for s in ghost.spans
        }:
            self.ribbon.universe = ghost.universe
            self._shown = []
        self._fill()

    def _chosen(self, chosen: tuple[str, ...]) -> None:
        show = self.parts.document.show
        found = [show.fixtures[i].universe for i in chosen]
        if found and self.ribbon.universe not in found:
            self.go(found[0])
        self.ribbon.update()

    # many at once

    def _menu(self) -> None:
        universe, chosen = self.ribbon.universe, len(self.parts.selection.chosen)
        menu = Menu(self)
        menu.addAction(
            tr("Pack universe {universe} tightly", universe=universe), self.pack
        )
        menu.addAction(
            tr("Pack the chosen tightly"), lambda: self.pack(True)
        ).setEnabled(chosen > 1)
        menu.addSeparator()

        menu.addAction(
            tr("Move all of universe {universe} to…", universe=universe),
            lambda: self._ask_move(False),
        )
        menu.addAction(
            tr("Move the chosen to another universe…"), lambda: self._ask_move(True)
        ).setEnabled(chosen > 0)
        menu.addAction(
            tr("Merge universe {universe} into…", universe=universe), self._ask_merge
        )
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _ask_move(self, chosen: bool) -> None:
        number, sure = QInputDialog.getInt(
            self,
            tr("Move"),
            tr("To universe"),
            self.ribbon.universe + 1,
            1,
            MAX_UNIVERSE,
        )
        if sure:
            self.move_to(number, chosen)

    def _ask_merge(self) -> None:
        number, sure = QInputDialog.getInt(
            self, tr("Merge"), tr("Into universe"), 1, 1, MAX_UNIVERSE
        )
        if sure and number != self.ribbon.universe:
            self.merge_into(number)

    def pack(self, chosen: bool = False) -> None:
        """Close the gaps of the universe, or between the chosen."""
        universe = self.ribbon.universe
        ids = (
            [
                i
                for i in self.parts.selection.chosen
                if self.parts.document.show.fixtures[i].universe == universe
            ]
            if chosen
            else []
        )

        self._do(
            tr("pack universe {universe}", universe=universe),
            patching.pack(self.parts.document.show, universe, ids),
            universe,
        )

    def move_to(self, universe: int, chosen: bool = False) -> None:
        """Move all of the universe shown, or the chosen, to another, at the addresses
        they have.
        """
        show = self.parts.document.show
        ids = self.parts.selection.chosen or () if chosen else ()
        if not chosen:
            ids = tuple(
                i
                for i, f in show.fixtures.items()
                if f.universe == self.ribbon.universe
            )

        self._do(
            tr("move {n} to universe {universe}", n=len(ids), universe=universe),
            patching.to_universe(show, ids, universe),
            universe,
        )

    def merge_into(self, universe: int) -> None:
        """Move what fits of the universe shown into the free slots of another."""
        source = self.ribbon.universe
        self._do(
            tr(
                "merge universe {source} into {universe}",
                source=source,
                universe=universe,
            ),
            patching.merge(self.parts.document.show, source, universe),
            universe,
        )

    def _do(self, name: str, move: patching.Readdress, universe: int) -> None:
        show = self.parts.document.show
        if move.changes:
            self.parts.document.edit(name, edits.change_fixtures(show, move.changes))
            self.go(universe)

        left = words.some([show.fixtures[i].name for i in move.left])
        done = tr(
            "{n} readdressed; their programming is as it was.", n=len(move.changes)
        )

        if move.left:
            verb = "does" if len(move.left) == 1 else "do"
            self.parts.notices.told.emit(
                tr(
                    "{done} {left} {verb} not fit and stayed.",
                    done=done,
                    left=left,
                    verb=verb,
                ),
                "alarm",
            )
        else:
            self.parts.notices.told.emit(
                done if move.changes else tr("Nothing had to move."), "info"
            )
