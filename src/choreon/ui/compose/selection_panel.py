"""Who: groups and fixtures to choose from, in step with the stage picture."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import groupby

from PySide6.QtCore import (
    QEvent,
    QItemSelection,
    QItemSelectionModel,
    QObject,
    QPoint,
    QPointF,
    Qt,
)
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from choreon.language import tr
from choreon.model import choosing, edits
from choreon.model.arrange import By, suggested_groups
from choreon.model.effects import unlinked
from choreon.model.refs import FIXTURE, GROUP, Ref
from choreon.model.show import Group, Show
from choreon.ui import theme, words
from choreon.ui.drags import DragsOut
from choreon.ui.grouping import keep_groups
from choreon.ui.lamp_marks import LampMarks, draw_mark
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.items import AnyIndex
from choreon.ui.widgets.menu import Menu

ID = Qt.ItemDataRole.UserRole


def runs(rows: Sequence[int]) -> Iterator[tuple[int, int]]:
    """Rows that follow each other, as the first and the last of each run."""
    for _, run in groupby(enumerate(rows), key=lambda one: one[1] - one[0]):
        found = [row for _, row in run]
        yield found[0], found[-1]


class Numbered(QStyledItemDelegate):
    """Draws a fixture's place in the order of choosing at the right of its line."""

    def __init__(self, parts: Parts, parent: QWidget) -> None:
        super().__init__(parent)
        self.parts = parts
        self.held = LampMarks(parts, parent)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: AnyIndex
    ) -> None:
        """Draw the line, and the place in the order at its right."""
        super().paint(painter, option, index)
        fixture = index.data(ID)
        if fixture in self.held.lamps:
            middle = QPointF(option.rect.right() - 34, option.rect.center().y())
            draw_mark(painter, middle, self.held.lamps[fixture])

        if (
            fixture in self.parts.selection.chosen
            and len(self.parts.selection.chosen) > 1
        ):
            painter.save()
            painter.setFont(theme.font(12))
            painter.setPen(QColor(theme.CHOSEN))
            place = str(self.parts.selection.chosen.index(fixture) + 1)
            rect = option.rect.adjusted(0, 0, -8, 0)
            painter.drawText(
                rect, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, place
            )

            painter.restore()


class _Strokes(QObject):
    """While a brush is held, a list gives it to what is pressed and drawn over: lamps,
    or all of a group.
    """

    def __init__(
        self,
        parts: Parts,
        on: QListWidget,
        fixtures_of: Callable[[str], tuple[str, ...]],
    ) -> None:
        super().__init__(on)
        self._parts, self._list, self._fixtures_of = parts, on, fixtures_of
        on.viewport().installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Take presses and moves of a stroke; all else goes on to the list."""
        brush = self._parts.brush
        if brush.palette is None or not isinstance(event, QMouseEvent):
            return False
        left = Qt.MouseButton.LeftButton
        if event.type() == QEvent.Type.MouseButtonPress and event.button() == left:
            brush.begin()
        elif not event.buttons() & left:
            return event.type() == QEvent.Type.MouseButtonRelease
        item = self._list.itemAt(event.position().toPoint())
        if item is not None:
            brush.touch(self._fixtures_of(item.data(ID)))
        return True


class SelectionPanel(QWidget):
    """Two lists: groups above, fixtures below; and ways to choose."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._shown: tuple[object, object] = (None, None)
        self._busy = False
        self._shuffles = 0
        self._offered: dict[str, tuple[str, ...]] = {}
        """Groups that suggest themselves, by name: chosen from while there are none."""

        self._make_lists()
        self._make_ways()
        self._make_steps()
        self._lay_out()

        parts.document.show_changed.connect(self._fill)
        parts.selection.changed.connect(self._mirror)
        self._fill(parts.document.show)

    def _make_lists(self) -> None:
        """What is typed, the groups and the fixtures."""
        self.typed = QLineEdit()
        self.typed.setPlaceholderText(tr("par 1-4, spot odd…"))
        self.typed.setAccessibleName(tr("Choose by typing short names"))
        self.typed.setToolTip(
            tr(
                "Short names, groups or numbers: par3, par 1-4, spot odd, dots every "
                "3, par + wash, - par2, all, invert"
            )
        )
        self.typed.returnPressed.connect(self._choose_typed)

        self.groups = self._list(tr("Groups"))
        self.fixtures = self._list(tr("Fixtures"))
        self._listed: list[str] = []  # the fixtures, row by row
        self.fixtures.setItemDelegate(Numbered(self.parts, self.fixtures))
        DragsOut(self.groups.viewport(), self._groups_at)

        DragsOut(self.fixtures.viewport(), self._lamps_at)

        self.groups.itemClicked.connect(self._group_clicked)
        self.groups.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.groups.customContextMenuRequested.connect(self.group_menu)
        self.fixtures.itemSelectionChanged.connect(self._fixtures_chosen)

        self._strokes = (
            _Strokes(self.parts, self.groups, self._members),
            _Strokes(self.parts, self.fixtures, lambda fixture: (fixture,)),
        )

        self.count = basics.label("", "small")

    def _make_ways(self) -> None:
        """Ways to choose many at once."""
        self.make_group = basics.tool(
            "plus", tr("Make a group of the chosen fixtures"), self._make_group
        )
        self.everything = basics.button(
            tr("All"), self._all, "quiet", tip=tr("Choose all (Ctrl+A)")
        )

        self.nothing = basics.button(
            tr("None"),
            lambda: self.parts.selection.choose(()),
            "quiet",
            tip=tr("Choose none (Esc on the stage)"),
        )

        self.which = basics.button(
            tr("Which…"),
            self._which_menu,
            "quiet",
            "",
            tr("Odd, even, every third, all of the type…"),
        )

        self.order = basics.button(
            tr("Order…"),
            self._order_menu,
            "quiet",
            "",
            tr("Turn the order, mirror, shuffle, sort"),
        )

        for button in (self.everything, self.nothing, self.which, self.order):
            button.setStyleSheet("padding: 6px 6px; min-width: 20px;")

    def _make_steps(self) -> None:
        """Ways through the choice, one by one."""
        selection = self.parts.selection
        self.back = basics.tool(
            "before",
            tr("The one before, alone (Left on the stage)"),
            lambda: selection.choose_alone(-1),
        )

        self.forth = basics.tool(
            "after",
            tr("The next one alone (Right on the stage)"),
            lambda: selection.choose_alone(1),
        )

        self.whole = basics.button(
            tr("All again"),
            selection.choose_pool,
            "quiet",
            "",
            tr("The whole choice (Up on the stage)"),
        )

        self.cells = basics.tool(
            "cells",
            tr("Choose cells rather than whole fixtures"),
            self._cells,
            checkable=True,
        )

    def _lay_out(self) -> None:
        groups = basics.row(basics.label(tr("Groups"), "heading"), 1, self.make_group)
        both = (self.everything, self.nothing)
        fixtures = basics.row(
            basics.label(tr("Fixtures"), "heading"), 1, *both, spacing=0
        )

        panel = basics.panel(
            self.typed,
            groups,
            self.groups,
            fixtures,
            self.fixtures,
            flow(self.which, self.order, 1, self.cells, spacing=0),
            flow(self.back, self.forth, self.whole, spacing=0),
            self.count,
            spacing=4,
        )

        basics.grow(panel, 2, 2)
        basics.grow(panel, 4, 3)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)

        box.addWidget(panel)
        self.setMinimumWidth(196)

    # ways to choose

    def _choose_typed(self) -> None:
        words_ = self.typed.text()
        found = choosing.typed(
            self.parts.document.show, words_, self.parts.selection.chosen
        )
        if found is None:
            self.parts.notices.told.emit(
                tr(
                    "“{words}” means no fixture; the choice is as it was.", words=words_
                ),
                "info",
            )
        else:
            self.parts.selection.choose(found)
            self.typed.selectAll()

    def _which_menu(self) -> None:
        parts, chosen = self.parts, self.parts.selection.chosen
        menu = Menu(self)
        entries = [
            (
                tr("All of the same type"),
                lambda: parts.selection.choose(
                    choosing.alike(parts.document.show, chosen)
                ),
            ),
            (tr("Odd ones"), lambda: parts.selection.choose(choosing.every(chosen, 2))),
            (
                tr("Even ones"),
                lambda: parts.selection.choose(choosing.every(chosen, 2, 2)),
            ),
            (
                tr("Every third"),
                lambda: parts.selection.choose(choosing.every(chosen, 3)),
            ),
            (tr("Every nth…"), self._nth),
        ]

        for text, act in entries:
            menu.addAction(text, act).setEnabled(bool(chosen))

        menu.addSeparator()
        menu.addAction(
            tr("All the others\tCtrl+I"),
            lambda: parts.selection.choose(
                choosing.inverted(parts.document.show, chosen)
            ),
        )

        menu.addAction(
            tr("Those that are lit"),
            lambda: parts.selection.choose(parts.preview.lit()),
        )
        menu.addAction(
            tr("The choice before this one"),
            lambda: parts.selection.choose(parts.selection.before),
        ).setEnabled(bool(parts.selection.before))
        menu.exec(self.which.mapToGlobal(self.which.rect().topLeft()))

    def _nth(self) -> None:
        step, sure = QInputDialog.getInt(
            self, tr("Every nth"), tr("Choose every"), 4, 2, 999
        )
        if sure:
            self.parts.selection.choose(
                choosing.every(self.parts.selection.chosen, step)
            )

    def _order_menu(self) -> None:
        parts, chosen = self.parts, self.parts.selection.chosen
        menu = Menu(self)

        for text, act in (
            (tr("Turn round"), lambda: choosing.turned(chosen)),
            (tr("Mirror: from both ends inwards"), lambda: choosing.mirrored(chosen)),
            (tr("Shuffle"), self._shuffled),
            (
                tr("Sort by place, left to right"),
                lambda: choosing.by_place(parts.document.show, chosen),
            ),
        ):
            menu.addAction(text, partial(self._reorder, act)).setEnabled(
                len(chosen) > 1
            )

        menu.exec(self.order.mapToGlobal(self.order.rect().topLeft()))

    def _reorder(self, order: Callable[[], tuple[str, ...]]) -> None:
        selection = self.parts.selection
        selection.choose(order(), selection.cells)

    def _shuffled(self) -> tuple[str, ...]:
        self._shuffles += 1
        return choosing.shuffled(self.parts.selection.chosen, self._shuffles)

    def _cells(self) -> None:
        self.parts.selection.set_each_cell(self.cells.isChecked())

    def _list(self, name: str) -> QListWidget:
        made = QListWidget()
        made.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        made.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setAccessibleName(name)
        made.setToolTip(tr("A press chooses; Ctrl and Shift add to it or take away"))
        return made

    def _members(self, group_id: str) -> tuple[str, ...]:
        """The fixtures of a group, or of one that suggests itself, that are there."""
        show = self.parts.document.show
        group = show.groups.get(group_id)
        offered = self._offered.get(group_id, ())
        fixtures = offered if group is None else group.fixtures
        return tuple(i for i in fixtures if i in show.fixtures)

    def _groups_at(self, point: QPoint) -> list[Ref]:
        item = self.groups.itemAt(point)
        if item is None:
            return []
        if item.data(ID) in self._offered:
            return [Ref(FIXTURE, lamp) for lamp in self._members(item.data(ID))]
        return [Ref(GROUP, item.data(ID))]

    def _lamps_at(self, point: QPoint) -> list[Ref]:
        """The lamps that are chosen, where the one under the pointer is: any other is
        chosen by pulling over it.
        """
        item = self.fixtures.itemAt(point)
        if item is None or not item.isSelected():
            return []
        return [Ref(FIXTURE, lamp) for lamp in self.parts.selection.chosen]

    def showEvent(self, event: QShowEvent) -> None:
        self._fill(self.parts.document.show)

    def _fill(self, show: Show) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at

        if self._shown[0] is show.groups and self._shown[1] is show.fixtures:
            self._mirror(self.parts.selection.chosen)
            return

        self._shown = (show.groups, show.fixtures)
        self._busy = True
        self.groups.clear()

        for group in show.groups.values():
            self._add_group(group.id, group.name)
        self._offer_groups(show)

        self.fixtures.clear()
        self._listed = list(show.fixtures)

        for fixture in show.fixtures.values():
            item = QListWidgetItem(fixture.name)
            item.setData(ID, fixture.id)
            kind = show.types.get(fixture.type)
            what = (
                kind.label if kind else tr("unknown type “{type}”", type=fixture.type)
            )
            item.setToolTip(
                tr(
                    "{what}, {universe}.{address}, typed {short}",
                    what=what,
                    universe=fixture.universe,
                    address=fixture.address,
                    short=fixture.short,
                )
            )

            self.fixtures.addItem(item)

        self._busy = False
        self._mirror(self.parts.selection.chosen)

    def _add_group(self, group_id: str, name: str) -> QListWidgetItem:
        """A line for a group."""
        here = self._members(group_id)
        fixtures = self.parts.document.show.fixtures
        item = QListWidgetItem(tr("{name}  ·  {n}", name=name, n=len(here)))
        item.setData(ID, group_id)
        members = words.some([fixtures[i].name for i in here], 6)
        item.setToolTip(members or tr("empty"))
        self.groups.addItem(item)
        return item

    def _offer_groups(self, show: Show) -> None:
        """Where there are no groups, lines for those that suggest themselves."""
        suggested = [] if show.groups else suggested_groups(show, *By)
        self._offered = {f"offered {name}": ids for name, ids in suggested}
        for name, _ in suggested:
            item = self._add_group(f"offered {name}", name)
            item.setForeground(QColor(theme.SOFT))
            members = item.toolTip()
            item.setToolTip(
                tr(
                    "{members}. No group yet: a press chooses them, the other button "
                    "of the mouse keeps them as a group.",
                    members=members,
                )
            )

    def _mirror(self, chosen: tuple[str, ...]) -> None:
        if not self.isVisible():
            return

        self._busy = True
        wanted = set(chosen)
        model, found = self.fixtures.model(), QItemSelection()
        rows = [n for n, i in enumerate(self._listed) if i in wanted]

        for first, last in runs(rows):
            found.select(model.index(first, 0), model.index(last, 0))

        self.fixtures.selectionModel().select(
            found, QItemSelectionModel.SelectionFlag.ClearAndSelect
        )
        for i in range(self.groups.count()):
            item = self.groups.item(i)
            members = set(self._members(item.data(ID)))
            item.setSelected(bool(members) and members <= wanted)

        pool = self.parts.selection.pool
        text = tr("{n} chosen", n=len(chosen)) if chosen else tr("None chosen")
        self.count.setText(tr("1 of {n} alone", n=len(pool)) if pool else text)
        self.make_group.setEnabled(bool(chosen))
        self.whole.setEnabled(bool(pool))

        for button in (self.back, self.forth):
            button.setEnabled(len(pool or chosen) > 1)

        self.cells.setChecked(self.parts.selection.each_cell)
        self.fixtures.viewport().update()
        self._busy = False

    def _group_clicked(self, item: QListWidgetItem) -> None:
        members = self._members(item.data(ID))
        held = QApplication.keyboardModifiers()
        if held & (
            Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
        ):
            self.parts.selection.toggle(members)
        else:
            self.parts.selection.choose(members)
        self._mirror(self.parts.selection.chosen)

    def _fixtures_chosen(self) -> None:
        if self._busy:
            return
        now = {item.data(ID) for item in self.fixtures.selectedItems()}
        kept = [i for i in self.parts.selection.chosen if i in now]
        new = [
            i for i in self.parts.document.show.fixtures if i in now and i not in kept
        ]
        self.parts.selection.choose([*kept, *new])

    def _all(self) -> None:
        self.parts.selection.choose(list(self.parts.document.show.fixtures))

    def _make_group(self) -> None:
        name, sure = QInputDialog.getText(
            self, tr("Keep a group"), tr("Name of the group")
        )
        if sure and name.strip():
            show, _ = edits.keep_group(
                self.parts.document.show, name, self.parts.selection.chosen
            )
            self.parts.document.edit(tr("make the group {name}", name=name), show)

    def group_menu(self, point: QPoint) -> None:
        """Show what can be done with a group."""
        item = self.groups.itemAt(point)
        if item is None:
            return

        menu, group_id = Menu(self), item.data(ID)
        if group_id in self._offered:
            menu.addAction(tr("Keep as a group"), partial(self._keep, group_id))
            menu.addAction(tr("Keep all of these as groups"), self._keep_all)
            menu.exec(self.groups.mapToGlobal(point))
            return

        group = self.parts.document.show.groups[group_id]
        menu.addAction(
            tr("Set to the chosen fixtures"), lambda: self._reset(group)
        ).setEnabled(bool(self.parts.selection.chosen))
        menu.addAction(
            tr("Delete"),
            lambda: self._delete_group(group),
        )
        menu.exec(self.groups.mapToGlobal(point))

    def _keep(self, offered: str) -> None:
        """Keep a group that suggests itself."""
        name = offered.removeprefix("offered ")
        keep_groups(self.parts, [(name, self._members(offered))])

    def _keep_all(self) -> None:
        keep_groups(self.parts, suggested_groups(self.parts.document.show, *By))

    def _delete_group(self, group: Group) -> None:
        """Delete a group; effects that follow it, the draft's too, keep its lamps."""
        show, draft, ref = (
            self.parts.document.show,
            self.parts.draft,
            Ref(GROUP, group.id),
        )
        effects = unlinked(show, draft.effects, str(ref))
        after = edits.remove(show, ref)
        draft.edit(
            tr("delete the group {name}", name=group.name), after, draft.look, effects
        )

    def _reset(self, group: Group) -> None:
        changed = edits.replace(group, fixtures=self.parts.selection.chosen)
        self.parts.document.edit(
            tr("change the group {name}", name=group.name),
            edits.put(self.parts.document.show, "groups", changed),
        )
