"""The hang list: every fixture a row, for those who think in lists."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QSortFilterProxyModel,
    Qt,
)
from PySide6.QtGui import QColor, QKeySequence, QShortcut, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QInputDialog,
    QLineEdit,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from choreon.language import plural, tr
from choreon.model import edits, patch
from choreon.model.show import MAX_UNIVERSE, SLOTS, Fixture, Show
from choreon.ui import renaming, theme
from choreon.ui.lamp_marks import LampMarks, mark_picture
from choreon.ui.parts import Parts
from choreon.ui.rig.plan import take_down
from choreon.ui.settings import open_settings, whole_of
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.items import NO_PARENT, AnyIndex
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import parse

Get = Callable[[Show, Fixture], Any]


def _type(show: Show, f: Fixture) -> str:
    return (
        show.types[f.type].label
        if f.type in show.types
        else tr("? {type}", type=f.type)
    )


# title, how to read it, the field that is edited (empty: it is not)
COLUMNS: tuple[tuple[str, Get, str], ...] = (
    (tr("No"), lambda s, f: f.number or "", "number"),
    (tr("Name"), lambda s, f: f.name, "name"),
    (tr("Short"), lambda s, f: f.short, "short"),
    (tr("Type"), _type, ""),
    (tr("Mode"), lambda s, f: f.mode, ""),
    (tr("Universe"), lambda s, f: f.universe, "universe"),
    (tr("Address"), lambda s, f: f.address, "address"),
    (tr("Slots"), lambda s, f: patch.footprint(s, f), ""),
    (tr("Across"), lambda s, f: f.place.x, "x"),
    (tr("Upstage"), lambda s, f: f.place.y, "y"),
    (tr("Height"), lambda s, f: f.place.z, "z"),
    (tr("Yaw"), lambda s, f: f.hanging.yaw, "yaw"),
    (tr("Pitch"), lambda s, f: f.hanging.pitch, "pitch"),
    (tr("Roll"), lambda s, f: f.hanging.roll, "roll"),
    (tr("Note"), lambda s, f: f.note, "note"),
)
SHOWN_AT_FIRST = {0, 1, 2, 3, 4, 5, 6, 10}
LIMITS = {"number": (0, 999_999), "universe": (1, MAX_UNIVERSE), "address": (1, SLOTS)}


MOST = 1000  # metres or degrees that can be typed


class Model(QAbstractTableModel):
    """The fixtures of the show as rows."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.ids: list[str] = []
        self.clashing: set[str] = set()
        self.held: dict[str, str] = {}  # lamps that a hand holds, and how
        self.edited: Callable[[str, int, str], bool] = lambda i, c, t: False
        self.refill()

    def refill(self) -> None:
        """Read the show anew."""
        show = self.parts.document.show
        ids = list(show.fixtures)
        self.clashing = {i for c in patch.clashes(show) for i in (c.one, c.other)}
        if ids == self.ids:
            if ids:
                self.dataChanged.emit(
                    self.index(0, 0), self.index(len(ids) - 1, len(COLUMNS) - 1)
                )
            return
        self.beginResetModel()
        self.ids = ids
        self.endResetModel()

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.ids)

    def columnCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> str | None:
        if (
            role == Qt.ItemDataRole.DisplayRole
            and orientation == Qt.Orientation.Horizontal
        ):
            return COLUMNS[section][0]
        return None

    def data(self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        show = self.parts.document.show
        if not index.isValid() or self.ids[index.row()] not in show.fixtures:
            return None
        fixture = show.fixtures[self.ids[index.row()]]
        _, get, field = COLUMNS[index.column()]
        if role == Qt.ItemDataRole.EditRole:
            return get(show, fixture)
        if role == Qt.ItemDataRole.DisplayRole:
            value = get(show, fixture)
            return tr("{value:g}", value=value) if isinstance(value, float) else value
        if role == Qt.ItemDataRole.UserRole:
            return _sorted_by(show, fixture, get, field)
        return self._looks(fixture, field, role)

    def _looks(self, fixture: Fixture, field: str, role: int) -> object:
        """How a cell is shown: its colour, its tip, a mark before the name."""
        if role == Qt.ItemDataRole.ForegroundRole:
            if self._is_wrong(fixture, field):
                return QColor(theme.ALARM)
            return QColor(theme.TEXT if field else theme.SOFT)
        if role == Qt.ItemDataRole.ToolTipRole:
            return self._tip(fixture)
        how = self.held.get(fixture.id)
        if role == Qt.ItemDataRole.DecorationRole and how and field == "name":
            return mark_picture(how)
        return None

    def _tip(self, fixture: Fixture) -> str | None:
        if fixture.id in self.clashing:
            return tr("Clashes with another fixture")
        how = self.held.get(fixture.id)
        return tr("{name} is {how}", name=fixture.name, how=how) if how else None

    def _is_wrong(self, fixture: Fixture, field: str) -> bool:
        """Whether a cell is shown in alarm: its type is unknown, or it clashes."""
        clashes = fixture.id in self.clashing and field in ("address", "universe")
        return clashes or fixture.type not in self.parts.document.show.types

    def setData(
        self, index: AnyIndex, value: object, role: int = Qt.ItemDataRole.EditRole
    ) -> bool:
        """Take what was typed into a cell."""
        return self.edited(self.ids[index.row()], index.column(), str(value))

    def flags(self, index: AnyIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        return (
            flags | Qt.ItemFlag.ItemIsEditable if COLUMNS[index.column()][2] else flags
        )


class HangTable(QWidget):
    """Sort by a column, filter, edit many at once, renumber, choose columns."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._busy = False
        self.model = Model(parts)
        self.model.edited = self._edited

        self.proxy = QSortFilterProxyModel()
        self.proxy.setSourceModel(self.model)
        self.proxy.setFilterKeyColumn(-1)
        self.proxy.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.proxy.setSortRole(Qt.ItemDataRole.UserRole)

        self.filter = QLineEdit()
        self.filter.setPlaceholderText(tr("Filter"))
        self.filter.setAccessibleName(tr("Filter the hang list"))
        self.filter.setToolTip(tr("Show only rows that hold this text in some column"))
        self.filter.setClearButtonEnabled(True)

        self.filter.textChanged.connect(self.proxy.setFilterFixedString)
        self.count = basics.label("", "small")
        self.renumber_button = basics.button(
            tr("Renumber…"),
            self._ask_renumber,
            "quiet",
            tip=tr("Number the chosen in the order shown"),
        )

        self.rename_button = basics.button(
            tr("Rename…"),
            self._ask_rename,
            "quiet",
            tip=tr("Name the chosen; # stands for the number"),
        )

        self.columns = basics.tool(
            "more", tr("Which columns are shown"), self._column_menu
        )

        self._make_view()
        self.held = LampMarks(parts, self.view.viewport())
        self.held.changed.connect(self._held)

        self._held()
        head = flow(
            self.filter,
            self.count,
            1,
            self.renumber_button,
            self.rename_button,
            self.columns,
        )

        panel = basics.panel(head, self.view)
        basics.grow(panel, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)

        self.settings = open_settings()
        shown = set(whole_of(self.settings, "list/columns")) or SHOWN_AT_FIRST
        for i in range(len(COLUMNS)):
            self.view.setColumnHidden(i, i not in shown)

        parts.document.show_changed.connect(lambda _: self._refill())
        parts.selection.changed.connect(lambda _: self._mirror())
        self._refill()

    def _held(self) -> None:
        self.model.held = self.held.lamps

    def _make_view(self) -> None:
        self.view = view = QTableView()
        view.setModel(self.proxy)
        view.setSortingEnabled(True)
        view.sortByColumn(5, Qt.SortOrder.AscendingOrder)
        view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)

        view.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        triggers = QAbstractItemView.EditTrigger
        view.setEditTriggers(
            triggers.DoubleClicked | triggers.EditKeyPressed | triggers.AnyKeyPressed
        )
        view.setShowGrid(False)
        view.setAlternatingRowColors(False)

        view.verticalHeader().hide()
        view.verticalHeader().setDefaultSectionSize(30)
        header = view.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        header.setStretchLastSection(True)

        header.setHighlightSections(False)
        header.setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        header.setSectionsMovable(True)

        for i, width in enumerate(
            (44, 96, 72, 148, 92, 74, 68, 48, 64, 68, 60, 56, 56, 56, 160)
        ):
            view.setColumnWidth(i, width)

        view.setTabKeyNavigation(False)
        view.setAccessibleName(tr("Hang list"))
        view.setToolTip(
            tr(
                "Press a heading to sort. Type over a field to change it for all "
                "chosen rows. Delete takes the chosen down"
            )
        )
        view.selectionModel().selectionChanged.connect(lambda *_: self._chosen())
        gone = QShortcut(QKeySequence.StandardKey.Delete, view)
        gone.setContext(Qt.ShortcutContext.WidgetShortcut)

        gone.activated.connect(
            lambda: take_down(self.parts) if self.parts.selection.chosen else None
        )

    def showEvent(self, event: QShowEvent) -> None:
        self._refill()

    def _refill(self) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at
        self._busy = True
        self.model.refill()
        self._busy = False
        self._mirror()

    def _mirror(self) -> None:
        """Show who is chosen."""
        if not self.isVisible():
            return

        chosen = set(self.parts.selection.chosen)
        self.count.setText(
            tr("{n} hang, {chosen} chosen", n=len(self.model.ids), chosen=len(chosen))
        )
        for button in (self.renumber_button, self.rename_button):
            button.setEnabled(bool(chosen))

        if (
            self._busy
            or {self.model.ids[i.row()] for i in self.chosen_rows()} == chosen
        ):
            return

        self._busy = True
        selection = QItemSelection()

        for row, one in enumerate(self.model.ids):
            if one in chosen:
                here = self.proxy.mapFromSource(self.model.index(row, 0))
                selection.select(here, here)

        flags = QItemSelectionModel.SelectionFlag
        self.view.selectionModel().select(selection, flags.ClearAndSelect | flags.Rows)
        if rows := self.chosen_rows():
            self.view.scrollTo(self.proxy.mapFromSource(rows[0]))

        self._busy = False

    def chosen_rows(self) -> list[QModelIndex]:
        """The selected rows of the model, in the order they are shown."""
        rows = sorted(self.view.selectionModel().selectedRows(), key=lambda i: i.row())
        return [self.proxy.mapToSource(i) for i in rows]

    def _chosen(self) -> None:
        if not self._busy:
            self._busy = True
            self.parts.selection.choose(
                [self.model.ids[i.row()] for i in self.chosen_rows()]
            )
            self._busy = False

    # editing

    def _edited(self, one: str, column: int, text: str) -> bool:
        """Take what was typed: for the row, or, where it is among the chosen, for all
        of them.
        """
        field = COLUMNS[column][2]
        chosen = [
            i
            for i in self.parts.selection.chosen
            if i in self.parts.document.show.fixtures
        ]

        ids = chosen if one in chosen else [one]
        changes = self._changes(field, text.strip(), ids, one)
        if not changes:
            return False

        self.parts.document.edit(
            plural(
                len(changes),
                "{column} of {n} fixture",
                "{column} of {n} fixtures",
                column=COLUMNS[column][0],
            ),
            edits.change_fixtures(self.parts.document.show, changes),
        )

        if field in ("universe", "address") and any(
            i in self.model.clashing for i in changes
        ):
            self.parts.notices.told.emit(
                tr("There is a clash now; it is hatched among the addresses below."),
                "alarm",
            )

        return True

    def _changes(
        self, field: str, text: str, ids: list[str], one: str
    ) -> dict[str, dict[str, Any]]:
        """What typing into a cell changes; nothing where it cannot be."""
        if field in ("name", "short"):
            return self._renaming(field, text, ids, one)
        if field == "note":
            return {i: {"note": text} for i in ids}
        if field in LIMITS:
            return self._whole(field, text, ids)

        part = "place" if field in ("x", "y", "z") else "hanging"
        changes = {}

        for i in ids:
            held = getattr(self.parts.document.show.fixtures[i], part)
            value = parse(text.replace(",", "."), getattr(held, field))
            if value is None or abs(value) > MOST:
                told = tr("“{text}” is no number; nothing was changed.", text=text)
                self.parts.notices.told.emit(told, "alarm")
                return {}

            changes[i] = {part: edits.replace(held, **{field: round(value, 4)})}

        return changes

    def _renaming(
        self, field: str, text: str, ids: list[str], one: str
    ) -> dict[str, dict[str, Any]]:
        show = self.parts.document.show
        if not text or getattr(show.fixtures[one], field) == text:
            return {}
        if len(ids) > 1 and field == "name":
            renamed = edits.rename_fixtures(show, ids, text).fixtures
            return {i: {"name": renamed[i].name} for i in ids}
        called = edits.name_for(show, one, field, text)
        renaming.tell(self.parts, text, called)
        return {one: {field: called}}

    def _whole(
        self, field: str, text: str, ids: list[str]
    ) -> dict[str, dict[str, Any]]:
        low, high = LIMITS[field]
        show = self.parts.document.show
        both = re.fullmatch(r"(\d+)\.(\d+)", text) if field == "address" else None
        start = parse(
            both.group(2) if both else text, getattr(show.fixtures[ids[0]], field)
        )

        if (
            start is None
            or not low <= start <= high
            or (both and not 1 <= int(both.group(1)) <= MAX_UNIVERSE)
        ):
            self.parts.notices.told.emit(
                tr(
                    "“{text}” is not within {low}…{high}; nothing was changed.",
                    text=text,
                    low=low,
                    high=high,
                ),
                "alarm",
            )
            return {}

        value, changes = round(start), {}
        for i in ids:  # addresses follow each other, numbers count on
            changes[i] = {field: min(high, value)} | (
                {"universe": int(both.group(1))} if both else {}
            )
            value += (
                patch.footprint(show, show.fixtures[i])
                if field == "address"
                else field == "number"
            )

        return changes

    def _ask_renumber(self) -> None:
        first, sure = QInputDialog.getInt(
            self, tr("Renumber"), tr("First number"), 1, 0, 999_999
        )
        if sure:
            self.renumber(first)

    def renumber(self, first: int) -> None:
        """Number the chosen in the order shown."""
        ids = [self.model.ids[i.row()] for i in self.chosen_rows()]
        self.parts.document.edit(
            tr("renumber {n}", n=len(ids)),
            edits.renumber(self.parts.document.show, ids, first),
        )

    def _ask_rename(self) -> None:
        pattern, sure = QInputDialog.getText(
            self, tr("Rename"), tr("Name (# stands for the number)")
        )
        if sure and pattern.strip():
            ids = [self.model.ids[i.row()] for i in self.chosen_rows()]
            self.parts.document.edit(
                tr("rename {n}", n=len(ids)),
                edits.rename_fixtures(self.parts.document.show, ids, pattern.strip()),
            )

    def _column_menu(self) -> None:
        menu = Menu(self)
        for i, (title, *_) in enumerate(COLUMNS):
            action = menu.addAction(title)
            action.setCheckable(True)
            action.setChecked(not self.view.isColumnHidden(i))
            action.toggled.connect(lambda on, c=i: self.show_column(c, on))
        menu.exec(self.columns.mapToGlobal(self.columns.rect().bottomLeft()))

    def show_column(self, column: int, on: bool) -> None:
        """Show a column, or hide it; kept for the next time."""
        self.view.setColumnHidden(column, not on)
        shown = [str(i) for i in range(len(COLUMNS)) if not self.view.isColumnHidden(i)]
        self.settings.setValue("list/columns", " ".join(shown))


def _sorted_by(show: Show, fixture: Fixture, get: Get, field: str) -> object:
    """What a cell is sorted by."""
    if field == "universe":
        return 1000 * fixture.universe + fixture.address
    if field == "number":
        return fixture.number or 0
    return get(show, fixture)
