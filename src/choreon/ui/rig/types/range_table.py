"""The ranges of a channel as a table, laid out as the lamp's paper prints them: typed
from top to bottom.
"""

from __future__ import annotations

import re

from PySide6.QtCore import QAbstractItemModel, QEvent, QObject, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)
from PySide6.QtWidgets import QTableWidgetItem as Item

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.fixture_type import Channel, FixtureType, Range
from choreon.ui import theme
from choreon.ui.rig.types.meaning import MeaningField, said
from choreon.ui.slots import slot_of, slot_picture
from choreon.ui.widgets.items import AnyIndex
from choreon.ui.widgets.values import parse

COLUMNS = (
    tr("From"),
    tr("To"),
    tr("Meaning"),
    tr("Name"),
    tr("At start"),
    tr("At end"),
)
FROM, TO, MEANING, NAME, LOW, HIGH = range(6)
ROW = 32
SHUT, OPEN = "closed", "open"


def shown(span: Range, value: float) -> str:
    """A value at an end of a range, in its unit."""
    known = at.attribute(span.attribute)
    if span.attribute == at.NOTHING:
        return ""
    if (
        known.kind == "slot"
        and at.template(span.attribute) == "Shutter(n)"
        and value in (0, 1)
    ):
        return OPEN if value else SHUT

    scaled = value * 100 if known.unit == "%" else value
    if known.unit == "°":
        return tr("{value:.6g}°", value=scaled)
    if known.unit:
        return tr("{value:.6g} {unit}", value=scaled, unit=known.unit)
    return tr("{value:.6g}", value=scaled)


def read(span: Range, text: str, now: float) -> float | None:
    """The value that was typed for an end of a range; None where it is none. Raises
    nothing.
    """
    words = text.strip().lower()
    if words in (SHUT, OPEN):
        return float(words == OPEN)
    unit = at.attribute(span.attribute).unit
    scale = 100.0 if unit == "%" else 1.0
    number = (
        re.sub(rf"\s*{re.escape(unit)}$", "", words, flags=re.IGNORECASE)
        if unit
        else words
    )
    found = parse(number, now * scale)
    return None if found is None else found / scale


WIDTHS = {FROM: 58, TO: 58, LOW: 80, HIGH: 80}  # pixels of what are numbers
READABLE = 104  # pixels of what is in words


class RangeTable(QTableWidget):
    """`edited` gives the channel as it is after every change; `chosen` the row that was
    gone to.

    While one types, Tab goes on to the next field, Enter to the next that one types;
    else Tab leaves the table, and arrows walk through it. Where the last range ends
    before the top of the line, the next one opens.
    """

    edited = Signal(Channel)
    chosen = Signal(int)
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__(0, len(COLUMNS))
        self.channel: Channel | None = None
        self._busy = False
        self.setHorizontalHeaderLabels(COLUMNS)
        self.setAccessibleName(tr("Ranges in numbers"))
        self.setToolTip(
            tr(
                "Type over a field; Tab and Enter go on to the next one.\nDelete "
                "removes the range."
            )
        )

        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(ROW)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)  # but from field to field while one types
        self.setIconSize(QSize(20, 20))
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        triggers = QAbstractItemView.EditTrigger
        self.setEditTriggers(
            triggers.DoubleClicked | triggers.AnyKeyPressed | triggers.SelectedClicked
        )

        self.setItemDelegate(_Fields(self))
        head = self.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        head.setHighlightSections(False)
        head.setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )

        for column, width in WIDTHS.items():
            self.setColumnWidth(column, width)
        self.currentCellChanged.connect(self._moved)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What is in words takes the room that numbers leave; where that is too little
        to be read, the table scrolls.
        """
        super().resizeEvent(event)
        left = self.viewport().width() - sum(WIDTHS.values())
        for column in (MEANING, NAME):
            self.setColumnWidth(column, max(READABLE, left // 2))

    # showing

    def show_channel(
        self, kind: FixtureType, channel: Channel | None, index: int
    ) -> None:
        """Show a channel's ranges, one of them chosen."""
        self._busy = True
        self.channel = channel
        ranges = channel.ranges if channel else ()
        self.setRowCount(len(ranges))
        for row, span in enumerate(ranges):
            self._fill(row, span, kind)
        self._busy = False
        self.choose(index)

    def _fill(self, row: int, span: Range, kind: FixtureType) -> None:
        """Show a range in its line."""
        assert self.channel is not None
        same = span.discrete and at.attribute(span.attribute).kind in ("slot", "mode")
        texts = (
            str(span.start),
            str(span.end),
            at.attribute(span.attribute).label,
            span.name,
            shown(span, span.low),
            "" if same else shown(span, span.high),
        )

        items = [self._item(row, column) for column in range(len(texts))]
        for item, text in zip(items, texts, strict=True):
            item.setText(text)

        meaning, name = items[MEANING], items[NAME]
        quiet = span.attribute in (at.NOTHING, "")
        meaning.setToolTip(said(span.attribute))
        meaning.setForeground(QColor(theme.SOFT if quiet else theme.TEXT))
        slot = slot_of(kind, self.channel, span)
        name.setIcon(QIcon(slot_picture(slot, 20)) if slot else QIcon())
        name.setToolTip(tr("Only reached on purpose") if span.on_purpose else "")
        name.setForeground(QColor(theme.KEEP if span.on_purpose else theme.TEXT))

    def _item(self, row: int, column: int) -> QTableWidgetItem:
        item = self.item(row, column)
        if item is None:
            item = Item()
            self.setItem(row, column, item)
        return item

    def choose(self, index: int) -> None:
        """Go to a range, in the column where one is."""
        if index != self.currentRow() and 0 <= index < self.rowCount():
            self._busy = True
            self.setCurrentCell(index, max(0, self.currentColumn()))
            self._busy = False

    def _moved(self, row: int, _column: int, before: int, _from: int) -> None:
        if not self._busy and row >= 0 and row != before:
            self.chosen.emit(row)

    # typing

    def take(self, row: int, column: int, text: str) -> None:
        """What was typed into a field; for the meaning, the attribute's name."""
        channel = self.channel
        if (
            channel is None
            or not 0 <= row < len(channel.ranges)
            or text == self._words(row, column)
        ):
            return

        span = channel.ranges[row]
        if column in (FROM, TO):
            made = self._bordered(channel, row, column, text)
        elif column in (LOW, HIGH):
            made = self._valued(channel, row, column, text)
        elif column == MEANING:
            meant = type_edits.mean(span, text)
            made = type_edits.put_range(
                channel, row, attribute=text, low=meant.low, high=meant.high
            )
        else:
            made = type_edits.put_range(channel, row, name=text.strip())

        if made is None:
            self.refused.emit(
                tr(
                    "“{text}” is no number. {column}: {words}, as it was.",
                    text=text,
                    column=COLUMNS[column],
                    words=self._words(row, column),
                )
            )
        elif made != channel:
            self.edited.emit(made)

    @staticmethod
    def _bordered(channel: Channel, row: int, column: int, text: str) -> Channel | None:
        span = channel.ranges[row]
        found = parse(text, span.start if column == FROM else span.end)
        if found is None:
            return None
        if column == TO:
            return type_edits.end_range(channel, row, round(found))
        return type_edits.put_range(channel, row, start=min(span.end, round(found)))

    @staticmethod
    def _valued(channel: Channel, row: int, column: int, text: str) -> Channel | None:
        span = channel.ranges[row]
        value = read(span, text, span.low if column == LOW else span.high)
        if value is None:
            return None
        one = (
            column == LOW
            and span.discrete
            and at.attribute(span.attribute).kind in ("slot", "mode")
        )

        fields = (
            {"low": value, "high": value}
            if one
            else {"low" if column == LOW else "high": value}
        )
        return type_edits.put_range(channel, row, **fields)

    def _words(self, row: int, column: int) -> str:
        item = self.item(row, column)
        return item.text() if item is not None else ""

    def go_on(self) -> None:
        """To the field that is typed next: through a range, then on to where the next
        one ends.
        """
        row, column = self.currentRow(), self.currentColumn() + 1
        if column > HIGH or (column == HIGH and not self._words(row, HIGH)):
            row, column = row + 1, TO
        item = self.item(row, column)
        if item is not None:
            self.setCurrentCell(row, column)
            self.editItem(item)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter goes on to what is typed next, Del removes a range."""
        channel, row = self.channel, self.currentRow()
        if (
            event.key() == Qt.Key.Key_Delete
            and channel is not None
            and len(channel.ranges) > 1
            and row >= 0
        ):
            self.edited.emit(type_edits.remove_range(channel, row))
        elif (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and self.currentItem() is not None
        ):
            self.editItem(self.currentItem())
        else:
            super().keyPressEvent(event)


class _Fields(QStyledItemDelegate):
    """A field over the cell while it is typed in."""

    def __init__(self, table: RangeTable) -> None:
        super().__init__(table)
        self.table = table

    def createEditor(
        self, parent: QWidget, option: QStyleOptionViewItem, index: AnyIndex
    ) -> QLineEdit:
        """A field over the cell."""
        if index.column() == MEANING:
            meaning = MeaningField(parent)
            meaning.picked.connect(lambda _: self.commitData.emit(meaning))
            made: QLineEdit = meaning
        else:
            made = QLineEdit(parent)

        made.setProperty("kind", "cell")
        made.setAccessibleName(
            tr(
                "{column} of range {row}",
                column=COLUMNS[index.column()],
                row=index.row() + 1,
            )
        )

        return made

    def setEditorData(self, editor: QWidget, index: AnyIndex) -> None:
        """Begin with what the cell has."""
        if isinstance(editor, MeaningField):
            channel = self.table.channel
            if channel is not None and index.row() < len(channel.ranges):
                editor.show_name(channel.ranges[index.row()].attribute)
        elif isinstance(editor, QLineEdit) and not editor.isModified():
            editor.setText(index.data() or "")
        if isinstance(editor, QLineEdit):
            editor.selectAll()

    def setModelData(
        self, editor: QWidget, model: QAbstractItemModel, index: AnyIndex
    ) -> None:
        """Hand what was typed to the table."""
        if isinstance(editor, MeaningField):
            editor.settle()
            if (
                self.table.channel
                and editor.name != self.table.channel.ranges[index.row()].attribute
            ):
                self.table.take(index.row(), MEANING, editor.name)
        elif isinstance(editor, QLineEdit):
            self.table.take(index.row(), index.column(), editor.text())

    def eventFilter(self, editor: QObject, event: QEvent) -> bool:
        """Enter goes on to what is typed next."""
        if event.type() != QEvent.Type.KeyPress or not isinstance(event, QKeyEvent):
            return super().eventFilter(editor, event)
        if isinstance(editor, QWidget) and event.key() in (
            Qt.Key.Key_Return,
            Qt.Key.Key_Enter,
        ):
            self.commitData.emit(editor)
            self.closeEditor.emit(editor, QStyledItemDelegate.EndEditHint.NoHint)
            self.table.go_on()
            return True
        return super().eventFilter(editor, event)
