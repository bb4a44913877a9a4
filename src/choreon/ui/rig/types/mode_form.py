"""A mode in the type editor: which channel stands on which slot, and the cells as they
are laid out.
"""

from __future__ import annotations

import re

from PySide6.QtCore import QPointF, QRectF, QSize, QStringListModel, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCompleter, QLineEdit, QPushButton, QVBoxLayout, QWidget

from choreon.language import plural, tr
from choreon.model import type_edits
from choreon.model.edits import free_name
from choreon.model.fixture_type import FixtureType, Mode
from choreon.ui import theme
from choreon.ui.commands import ENTRY
from choreon.ui.widgets import basics
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.values import ValueField


class CellGrid(QWidget):
    """The cells where they lie; dragging one moves it."""

    moved = Signal(int, float, float)

    def __init__(self) -> None:
        super().__init__()
        self.mode: Mode | None = None
        self._held: int | None = None
        self.setMinimumHeight(90)
        self.setAccessibleName(tr("Cells"))
        self.setToolTip(
            tr("The cells from the fixture's own front; drag one to where it is")
        )

    def sizeHint(self) -> QSize:
        return QSize(260, 100)

    def show_mode(self, mode: Mode) -> None:
        """Show a mode's cells."""
        self.mode = mode
        self.update()

    def _scale(self) -> float:
        cells = self.mode.cells if self.mode else ()
        wide = max((abs(c.x) for c in cells), default=0.5) * 2 + 0.2
        tall = max((abs(c.y) for c in cells), default=0.1) * 2 + 0.2
        return min((self.width() - 20) / wide, (self.height() - 12) / tall)

    def at(self, i: int) -> QPointF:
        """Where a cell is drawn."""
        assert self.mode is not None
        cell, scale = self.mode.cells[i], self._scale()
        return QPointF(
            self.width() / 2 + scale * cell.x, self.height() / 2 - scale * cell.y
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.PIT))
        painter.drawRoundedRect(QRectF(self.rect()), theme.RADIUS, theme.RADIUS)
        painter.setFont(theme.font(10))

        for i, cell in enumerate(self.mode.cells if self.mode else ()):
            at = self.at(i)
            painter.setPen(
                QPen(QColor(theme.CHOSEN if i == self._held else theme.SOFT), 1.2)
            )
            painter.setBrush(QColor(theme.FLAT))
            painter.drawEllipse(at, 9, 9)
            painter.drawText(
                QRectF(at.x() - 14, at.y() - 7, 28, 14),
                Qt.AlignmentFlag.AlignCenter,
                cell.name[:4],
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of a cell."""
        near = [
            ((self.at(i) - event.position()).manhattanLength(), i)
            for i in range(len(self.mode.cells if self.mode else ()))
        ]
        best = min(near, default=(99.0, -1))
        self._held = best[1] if best[0] < 16 else None
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Leave the cell where it was carried."""
        if self._held is not None:
            scale = self._scale()
            x = (event.position().x() - self.width() / 2) / scale
            y = (self.height() / 2 - event.position().y()) / scale
            held, self._held = self._held, None
            self.moved.emit(held, round(x, 3), round(y, 3))
        self.update()


class ModeForm(QWidget):
    """`edited` gives the mode as it is after every change; `chosen` the channel that
    was clicked.
    """

    edited = Signal(Mode)
    chosen = Signal(str)
    refused = Signal(str)
    removed = Signal()
    named = Signal(str)  # channels to add, as they were typed

    def __init__(self) -> None:
        super().__init__()
        self.kind = type_edits.blank([])
        self.mode = Mode(name="", uses=())
        self._buttons: list[tuple[QPushButton, str]] = []
        self._busy = False
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the mode"))
        self.name.setToolTip(tr("The mode's name, as the fixture's menu has it"))
        self.name.editingFinished.connect(self._rename)
        self.footprint = basics.label("", "soft")
        gone = basics.tool("trash", tr("Remove the mode"), self.removed.emit)
        gone.setObjectName("remove mode")
        self.rows = QVBoxLayout()
        self.rows.setSpacing(2)
        self.add = QLineEdit()
        self.add.setProperty(ENTRY, True)
        self.add.setAccessibleName(tr("Add channels"))
        self.add.setPlaceholderText(tr("Add: Dimmer, Red, Pan, Pan fine…"))
        self.add.setToolTip(
            tr(
                "Type or paste the fixture's channel table: names parted by commas or "
                "lines, in order.\n"
                "“Zoom 16 bit” takes two slots, “Pan fine” is Pan's second byte.\n"
                "The name of a channel that the type has already puts it into this "
                "mode."
            )
        )

        self.add.returnPressed.connect(self._add)
        self._names = QStringListModel()
        known = QCompleter(self._names, self)
        known.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.add.setCompleter(known)
        self.columns = NumberField(tr("Columns of cells"), 0, 64, 0)
        self.lines = NumberField(tr("Rows of cells"), 0, 64, 0)
        self.pitch = ValueField(tr("apart"), 0.005, 2.0, "m", 3, None, bar=False)
        self.pitch.set_value(0.1)
        lay = basics.button(
            tr("Lay out"),
            self._grid,
            "",
            "grid",
            tr("Lay the cells in rows from the upper left"),
        )

        self.repeat = basics.button(
            tr("Same for every cell"),
            self._repeat,
            "quiet",
            tip=tr("The first cell's channels once for each"),
        )

        self.cells = CellGrid()
        self.cells.moved.connect(self._cell_moved)
        head = basics.row(self.name, self.footprint, gone)
        basics.grow(head, 0)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(head)
        box.addLayout(self.rows)
        box.addWidget(self.add)
        box.addWidget(basics.label(tr("Cells"), "heading"))

        for field in (self.columns, self.lines):
            field.setFixedWidth(56)
        box.addWidget(
            basics.row(
                self.columns,
                basics.label("×", "soft"),
                self.lines,
                self.pitch,
                spacing=4,
            )
        )
        box.addWidget(basics.row(lay, self.repeat, 1, spacing=4))
        box.addWidget(self.cells)

    def show_mode(self, kind: FixtureType, mode: Mode, chosen: str) -> None:
        """Show a mode, one of its channels chosen."""
        self._busy = True
        fresh = mode != self.mode or kind.channels != self.kind.channels
        self.kind, self.mode = kind, mode
        self.name.setText(mode.name)
        self.footprint.setText(plural(mode.footprint, "{n} slot", "{n} slots"))

        if fresh:
            self._rebuild(kind, mode)
            columns, lines, pitch = type_edits.grid_of(mode)
            self.columns.setValue(columns)
            self.lines.setValue(lines)
            if pitch:
                self.pitch.set_value(pitch)

        for row, key in self._buttons:
            row.setChecked(key == chosen)
        self.cells.setVisible(bool(mode.cells))
        self.repeat.setVisible(len(mode.cells) > 1)
        self.cells.show_mode(mode)
        self._busy = False

    def _rebuild(self, kind: FixtureType, mode: Mode) -> None:
        basics.clear(self.rows)
        self._buttons = []
        for i in sorted(range(len(mode.uses)), key=lambda n: mode.uses[n].slots):
            self.rows.addWidget(self._row(kind, mode, i))
        used = {use.channel for use in mode.uses}
        self._names.setStringList([c.label for c in kind.channels if c.key not in used])

    def _row(self, kind: FixtureType, mode: Mode, i: int) -> QWidget:
        use = mode.uses[i]
        channel = kind.channel(use.channel, mode)
        label = channel.label if channel else tr("? {channel}", channel=use.channel)
        slots = QLineEdit(", ".join(str(s) for s in use.slots))
        slots.setFixedWidth(62)
        slots.setAccessibleName(tr("Slots of {label}", label=label))
        slots.setToolTip(tr("Its slots, the coarse byte first: 5, or 5, 6, or 6, 5"))
        slots.editingFinished.connect(lambda: self._slots_typed(i, slots.text()))
        own = any(c.key == use.channel for c in mode.overrides)
        name = basics.button(
            f"{label}{' *' if own else ''}",
            lambda: self.chosen.emit(use.channel),
            "quiet",
            tip=tr("Edit {label}", label=label),
        )
        name.setCheckable(True)
        name.setStyleSheet("text-align: left; padding: 5px 6px; min-width: 20px;")
        self._buttons.append((name, use.channel))
        widgets: list[QWidget | int] = [slots, name]

        if mode.cells:
            cell = NumberField(
                tr("Cell of {label}", label=label), 0, len(mode.cells), use.cell
            )
            cell.setFixedWidth(44)
            cell.setToolTip(tr("The cell it belongs to; 0: the whole fixture"))
            cell.editingFinished.connect(
                lambda: self._emit(type_edits.set_cell(self.mode, i, cell.value()))
            )
            widgets.append(cell)

        widgets.append(
            basics.tool(
                "up",
                tr("{label}: one up", label=label),
                lambda: self._emit(type_edits.move_use(self.mode, i, -1)),
            )
        )
        widgets.append(
            basics.tool(
                "down",
                tr("{label}: one down", label=label),
                lambda: self._emit(type_edits.move_use(self.mode, i, 1)),
            )
        )
        widgets.append(
            basics.tool(
                "close",
                tr("Take {label} out of the mode", label=label),
                lambda: self._emit(type_edits.remove_use(self.mode, i)),
            )
        )

        row = basics.row(*widgets, spacing=2)
        basics.grow(row, 1)
        return row

    def _emit(self, mode: Mode) -> None:
        if not self._busy and mode != self.mode:
            self.edited.emit(mode)

    def _rename(self) -> None:
        name = self.name.text().strip()
        if self._busy or name == self.mode.name:
            return
        if not name:
            self.refused.emit(tr("A mode needs a name."))
            self.name.setText(self.mode.name)
            return

        others = (mode.name for mode in self.kind.modes if mode.name != self.mode.name)
        called = free_name(name, others)
        self.edited.emit(type_edits.replace(self.mode, name=called))

        if called != name:
            self.refused.emit(
                tr(
                    "There is a {name} already; this one is called {called}.",
                    name=name,
                    called=called,
                )
            )

    def _slots_typed(self, i: int, text: str) -> None:
        found = [int(n) for n in re.findall(r"\d+", text)]
        if self._busy:
            return
        if not found or len(found) > 3 or not all(0 <= n <= 512 for n in found):
            self.refused.emit(
                tr(
                    "Slots are one to three numbers from 1 to 512, the coarse byte "
                    "first."
                )
            )
            self._rebuild(self.kind, self.mode)
            return
        self._emit(type_edits.type_slots(self.mode, i, tuple(found)))

    def _add(self) -> None:
        text = self.add.text()
        self.add.setText("")  # and forget what was typed: undo is for the channels
        if text.strip():
            self.named.emit(text)

    def _grid(self) -> None:
        pitch = self.pitch.value or 0.1
        self._emit(
            type_edits.grid(self.mode, self.columns.value(), self.lines.value(), pitch)
        )

    def _repeat(self) -> None:
        self._emit(type_edits.repeat_for_cells(self.mode))

    def _cell_moved(self, i: int, x: float, y: float) -> None:
        if i < len(self.mode.cells):
            cells = list(self.mode.cells)
            cells[i] = type_edits.replace(cells[i], x=x, y=y)
            self._emit(type_edits.replace(self.mode, cells=tuple(cells)))
