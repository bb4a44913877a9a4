"""Who: groups and fixtures to choose from, in step with the stage picture."""

from __future__ import annotations

from PySide6.QtCore import QItemSelection, QItemSelectionModel, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)

from choreon.model import choosing, edits
from choreon.ui import theme, words
from choreon.ui.session import Session
from choreon.ui.widgets import basics

ID = Qt.ItemDataRole.UserRole


class Numbered(QStyledItemDelegate):
    """Draws a fixture's place in the order of choosing at the right of its line."""

    def __init__(self, session: Session, parent) -> None:
        super().__init__(parent)
        self.session = session

    def paint(self, painter, option, index) -> None:
        super().paint(painter, option, index)
        fixture = index.data(ID)
        if fixture in self.session.chosen and len(self.session.chosen) > 1:
            painter.save()
            painter.setFont(theme.font(12))
            painter.setPen(QColor(theme.CHOSEN))
            place = str(self.session.chosen.index(fixture) + 1)
            rect = option.rect.adjusted(0, 0, -8, 0)
            painter.drawText(
                rect, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, place
            )
            painter.restore()


class Who(QWidget):
    """Two lists: groups above, fixtures below; and ways to choose."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: tuple[object, object] = (None, None)
        self._busy = False
        self._shuffles = 0
        self.typed = QLineEdit()
        self.typed.setPlaceholderText("par 1-4, spot odd…")
        self.typed.setAccessibleName("Choose by typing short names")
        self.typed.setToolTip(
            "Short names, groups or numbers: par3, par 1-4, spot odd, dots every "
            "3, par + wash, - par2, all, invert"
        )
        self.typed.returnPressed.connect(self._choose_typed)
        self.groups = self._list("Groups")
        self.fixtures = self._list("Fixtures")
        self.fixtures.setItemDelegate(Numbered(session, self.fixtures))
        self.groups.itemClicked.connect(self._group_clicked)
        self.groups.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.groups.customContextMenuRequested.connect(self._group_menu)
        self.fixtures.itemSelectionChanged.connect(self._fixtures_chosen)
        self.make_group = basics.tool(
            "plus", "Make a group of the chosen fixtures", self._make_group
        )
        self.count = basics.label("", "small")
        everything = basics.button("All", self._all, "quiet", tip="Choose all (Ctrl+A)")
        nothing = basics.button(
            "None",
            lambda: session.choose(()),
            "quiet",
            tip="Choose none (Esc on the stage)",
        )
        self.which = basics.button(
            "Which…",
            self._which_menu,
            "quiet",
            "",
            "Odd, even, every third, all of the type…",
        )
        self.order = basics.button(
            "Order…",
            self._order_menu,
            "quiet",
            "",
            "Turn the order, mirror, shuffle, sort",
        )
        for button in (everything, nothing, self.which, self.order):
            button.setStyleSheet("padding: 6px 6px;")
        self.back = basics.tool(
            "before",
            "The one before, alone (Left on the stage)",
            lambda: session.choose_alone(-1),
        )
        self.forth = basics.tool(
            "after",
            "The next one alone (Right on the stage)",
            lambda: session.choose_alone(1),
        )
        self.whole = basics.button(
            "All again",
            session.choose_pool,
            "quiet",
            "",
            "The whole choice (Up on the stage)",
        )
        self.cells = basics.tool(
            "cells",
            "Choose cells rather than whole fixtures",
            self._cells,
            checkable=True,
        )
        panel = basics.panel(
            self.typed,
            basics.row(basics.label("Groups", "heading"), 1, self.make_group),
            self.groups,
            basics.row(
                basics.label("Fixtures", "heading"), 1, everything, nothing, spacing=0
            ),
            self.fixtures,
            basics.row(self.which, self.order, 1, self.cells, spacing=0),
            basics.row(self.back, self.forth, self.whole, 1, spacing=0),
            self.count,
            spacing=4,
        )
        panel.layout().setStretch(2, 2)
        panel.layout().setStretch(4, 3)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        self.setMinimumWidth(196)
        session.show_changed.connect(self._fill)
        session.chosen_changed.connect(self._mirror)
        self._fill(session.show)

    # ways to choose

    def _choose_typed(self) -> None:
        words_ = self.typed.text()
        found = choosing.typed(self.session.show, words_, self.session.chosen)
        if found is None:
            self.session.told.emit(
                f"“{words_}” means nobody; the choice is as it was.", "info"
            )
        else:
            self.session.choose(found)
            self.typed.selectAll()

    def _which_menu(self) -> None:
        session, chosen = self.session, self.session.chosen
        menu = QMenu(self)
        entries = [
            (
                "All of the same type",
                lambda: session.choose(choosing.alike(session.show, chosen)),
            ),
            ("Odd ones", lambda: session.choose(choosing.every(chosen, 2))),
            ("Even ones", lambda: session.choose(choosing.every(chosen, 2, 2))),
            ("Every third", lambda: session.choose(choosing.every(chosen, 3))),
            ("Every nth…", self._nth),
        ]
        for text, act in entries:
            menu.addAction(text, act).setEnabled(bool(chosen))
        menu.addSeparator()
        menu.addAction(
            "All the others\tCtrl+I",
            lambda: session.choose(choosing.inverted(session.show, chosen)),
        )
        menu.addAction("Those that are lit", lambda: session.choose(session.lit()))
        menu.addAction(
            "The choice before this one", lambda: session.choose(session.chosen_before)
        ).setEnabled(bool(session.chosen_before))
        menu.exec(self.which.mapToGlobal(self.which.rect().topLeft()))

    def _nth(self) -> None:
        step, sure = QInputDialog.getInt(self, "Every nth", "Choose every", 4, 2, 999)
        if sure:
            self.session.choose(choosing.every(self.session.chosen, step))

    def _order_menu(self) -> None:
        session, chosen = self.session, self.session.chosen
        menu = QMenu(self)
        for text, act in (
            ("Turn round", lambda: choosing.turned(chosen)),
            ("Mirror: from both ends inwards", lambda: choosing.mirrored(chosen)),
            ("Shuffle", self._shuffled),
            (
                "Sort by place, left to right",
                lambda: choosing.by_place(session.show, chosen),
            ),
        ):
            menu.addAction(
                text, lambda a=act: session.choose(a(), session.cells)
            ).setEnabled(len(chosen) > 1)
        menu.exec(self.order.mapToGlobal(self.order.rect().topLeft()))

    def _shuffled(self) -> tuple[str, ...]:
        self._shuffles += 1
        return choosing.shuffled(self.session.chosen, self._shuffles)

    def _cells(self) -> None:
        self.session.set_each_cell(self.cells.isChecked())

    def _list(self, name: str) -> QListWidget:
        made = QListWidget()
        made.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        made.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setAccessibleName(name)
        made.setToolTip("Click chooses; Ctrl and Shift add to it or take away from it")
        return made

    def showEvent(self, event) -> None:
        self._fill(self.session.show)

    def _fill(self, show) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at
        if self._shown[0] is show.groups and self._shown[1] is show.fixtures:
            self._mirror(self.session.chosen)
            return
        self._shown = (show.groups, show.fixtures)
        self._busy = True
        self.groups.clear()
        for group in show.groups.values():
            here = [i for i in group.fixtures if i in show.fixtures]
            item = QListWidgetItem(f"{group.name}  ·  {len(here)}")
            item.setData(ID, group.id)
            item.setToolTip(
                words.some([show.fixtures[i].name for i in here], 6) or "empty"
            )
            self.groups.addItem(item)
        self.fixtures.clear()
        for fixture in show.fixtures.values():
            item = QListWidgetItem(fixture.name)
            item.setData(ID, fixture.id)
            kind = show.types.get(fixture.type)
            what = kind.label if kind else f"unknown type “{fixture.type}”"
            item.setToolTip(
                f"{what}, {fixture.universe}.{fixture.address}, typed {fixture.short}"
            )
            self.fixtures.addItem(item)
        self._busy = False
        self._mirror(self.session.chosen)

    def _mirror(self, chosen) -> None:
        if not self.isVisible():
            return
        self._busy = True
        wanted = set(chosen)
        model, found = self.fixtures.model(), QItemSelection()
        for i in range(self.fixtures.count()):
            if self.fixtures.item(i).data(ID) in wanted:
                found.select(model.index(i, 0), model.index(i, 0))
        self.fixtures.selectionModel().select(
            found, QItemSelectionModel.SelectionFlag.ClearAndSelect
        )
        for i in range(self.groups.count()):
            item = self.groups.item(i)
            members = set(self.session.show.groups[item.data(ID)].fixtures)
            item.setSelected(bool(members) and members <= wanted)
        pool = self.session.pool
        text = f"{len(chosen)} chosen" if chosen else "Nobody chosen"
        self.count.setText(f"1 of {len(pool)} alone" if pool else text)
        self.make_group.setEnabled(bool(chosen))
        self.whole.setEnabled(bool(pool))
        for button in (self.back, self.forth):
            button.setEnabled(len(pool or chosen) > 1)
        self.cells.setChecked(self.session.each_cell)
        self.fixtures.viewport().update()
        self._busy = False

    def _group_clicked(self, item: QListWidgetItem) -> None:
        members = [
            i
            for i in self.session.show.groups[item.data(ID)].fixtures
            if i in self.session.show.fixtures
        ]
        held = QApplication.keyboardModifiers()
        if held & (
            Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
        ):
            self.session.toggle(members)
        else:
            self.session.choose(members)
        self._mirror(self.session.chosen)

    def _fixtures_chosen(self) -> None:
        if self._busy:
            return
        now = {item.data(ID) for item in self.fixtures.selectedItems()}
        kept = [i for i in self.session.chosen if i in now]
        new = [i for i in self.session.show.fixtures if i in now and i not in kept]
        self.session.choose([*kept, *new])

    def _all(self) -> None:
        self.session.choose(list(self.session.show.fixtures))

    def _make_group(self) -> None:
        name, sure = QInputDialog.getText(self, "Keep a group", "Name of the group")
        if sure and name.strip():
            show, _ = edits.keep_group(self.session.show, name, self.session.chosen)
            self.session.edit(f"make the group {name}", show)

    def _group_menu(self, point) -> None:
        item = self.groups.itemAt(point)
        if item is None:
            return
        group = self.session.show.groups[item.data(ID)]
        menu = QMenu(self)
        menu.addAction(
            "Set to the chosen fixtures", lambda: self._reset(group)
        ).setEnabled(bool(self.session.chosen))
        menu.addAction(
            "Delete",
            lambda: self.session.edit(
                f"delete the group {group.name}",
                edits.drop(self.session.show, "groups", [group.id]),
            ),
        )
        menu.exec(self.groups.mapToGlobal(point))

    def _reset(self, group) -> None:
        changed = edits.replace(group, fixtures=self.session.chosen)
        self.session.edit(
            f"change the group {group.name}",
            edits.put(self.session.show, "groups", changed),
        )
