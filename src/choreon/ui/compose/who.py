"""Who: groups and fixtures to choose from, in step with the stage picture."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QInputDialog, QListWidget, QListWidgetItem, QMenu, QVBoxLayout, QWidget

from choreon.model import edits
from choreon.ui import words
from choreon.ui.session import Session
from choreon.ui.widgets import basics

ID = Qt.ItemDataRole.UserRole


class Who(QWidget):
    """Two lists: groups above, fixtures below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._shown: tuple[object, object] = (None, None)
        self._busy = False
        self.groups = self._list("Groups")
        self.fixtures = self._list("Fixtures")
        self.groups.itemClicked.connect(self._group_clicked)
        self.groups.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.groups.customContextMenuRequested.connect(self._group_menu)
        self.fixtures.itemSelectionChanged.connect(self._fixtures_chosen)
        self.make_group = basics.tool("plus", "Make a group of the chosen fixtures", self._make_group)
        self.count = basics.label("", "small")
        everything = basics.button("All", self._all, "quiet", tip="Choose all (Ctrl+A)")
        nothing = basics.button("None", lambda: session.choose(()), "quiet", tip="Choose none")
        panel = basics.panel(
            basics.row(basics.label("Groups", "heading"), 1, self.make_group),
            self.groups,
            basics.row(basics.label("Fixtures", "heading"), 1, everything, nothing, spacing=0),
            self.fixtures,
            self.count,
            spacing=4,
        )
        panel.layout().setStretch(1, 2)
        panel.layout().setStretch(3, 3)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        self.setMinimumWidth(196)
        session.show_changed.connect(self._fill)
        session.chosen_changed.connect(self._mirror)
        self._fill(session.show)

    def _list(self, name: str) -> QListWidget:
        made = QListWidget()
        made.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        made.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setAccessibleName(name)
        return made

    def _fill(self, show) -> None:
        if self._shown == (show.groups, show.fixtures):
            return
        self._shown = (show.groups, show.fixtures)
        self._busy = True
        self.groups.clear()
        for group in show.groups.values():
            here = [i for i in group.fixtures if i in show.fixtures]
            item = QListWidgetItem(f"{group.name}  ·  {len(here)}")
            item.setData(ID, group.id)
            item.setToolTip(words.some([show.fixtures[i].name for i in here], 6) or "empty")
            self.groups.addItem(item)
        self.fixtures.clear()
        for fixture in show.fixtures.values():
            item = QListWidgetItem(fixture.name)
            item.setData(ID, fixture.id)
            kind = show.types.get(fixture.type)
            what = kind.label if kind else f"unknown type “{fixture.type}”"
            item.setToolTip(f"{what}, {fixture.universe}.{fixture.address}, typed {fixture.short}")
            self.fixtures.addItem(item)
        self._busy = False
        self._mirror(self.session.chosen)

    def _mirror(self, chosen) -> None:
        self._busy = True
        wanted = set(chosen)
        for i in range(self.fixtures.count()):
            item = self.fixtures.item(i)
            item.setSelected(item.data(ID) in wanted)
        for i in range(self.groups.count()):
            item = self.groups.item(i)
            members = set(self.session.show.groups[item.data(ID)].fixtures)
            item.setSelected(bool(members) and members <= wanted)
        self.count.setText(f"{len(chosen)} chosen" if chosen else "Nobody chosen")
        self.make_group.setEnabled(bool(chosen))
        self._busy = False

    def _group_clicked(self, item: QListWidgetItem) -> None:
        members = [i for i in self.session.show.groups[item.data(ID)].fixtures if i in self.session.show.fixtures]
        from PySide6.QtWidgets import QApplication

        held = QApplication.keyboardModifiers()
        if held & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier):
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
        menu.addAction("Set to the chosen fixtures", lambda: self._reset(group)).setEnabled(bool(self.session.chosen))
        menu.addAction(
            "Delete",
            lambda: self.session.edit(
                f"delete the group {group.name}", edits.drop(self.session.show, "groups", [group.id])
            ),
        )
        menu.exec(self.groups.mapToGlobal(point))

    def _reset(self, group) -> None:
        changed = edits.replace(group, fixtures=self.session.chosen)
        self.session.edit(f"change the group {group.name}", edits.put(self.session.show, "groups", changed))
