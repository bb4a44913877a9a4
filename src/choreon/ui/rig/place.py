"""The place Rig: “that is my room, and I know what to set on every lamp.”

The plan is the largest thing. Types come from the left, the fixture in hand stands on
the right, the addresses run below; list, front and outputs take the plan's place, so
that the sides stay where they are.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property, partial

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QInputDialog,
    QMenu,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from choreon.language import tr
from choreon.library import own
from choreon.model import arrange, links, type_edits
from choreon.model.fixture_type import FixtureType
from choreon.model.show import Bar, Place
from choreon.render.looks import aims
from choreon.ui import words
from choreon.ui.commands import bind
from choreon.ui.grouping import keep_groups
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.rig.arrange import ArrangeBar, put
from choreon.ui.rig.begin_bar import BeginBar
from choreon.ui.rig.files import Files
from choreon.ui.rig.hang import HangPanel
from choreon.ui.rig.in_hand import InHand
from choreon.ui.rig.outputs import OutputsView
from choreon.ui.rig.plan import PlanView, take_down
from choreon.ui.rig.ribbon import RibbonPanel
from choreon.ui.rig.room import RoomPanel
from choreon.ui.rig.swap import SwapDialog
from choreon.ui.rig.table import HangTable
from choreon.ui.rig.types.editor import TypeEditor
from choreon.ui.rig.walk import WalkBar
from choreon.ui.settings import open_settings, whole_of
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu

VIEWS = (
    (tr("Above"), tr("The room from above")),
    (tr("Front"), tr("The room from the front")),
    (tr("List"), tr("The hang list")),
    (tr("Outputs"), tr("Where the universes go")),
)
OUTPUTS_VIEW = 3


class RigPlace(QStackedWidget):
    """The room, and the type editor that opens in its place."""

    def __init__(self, parts: Parts, learner: Learner | None = None) -> None:
        super().__init__()
        self.parts = parts
        self.files = Files(parts, self)
        self.hang = HangPanel(parts)
        self.plan = PlanView(parts)

        self.front = PlanView(parts, front=True)
        self.table = HangTable(parts)
        self.outputs = OutputsView(parts)
        self.in_hand = InHand(parts)
        self.room = RoomPanel(parts)

        self.ribbon = RibbonPanel(parts)
        self.walk = WalkBar(parts, learner)
        self.arrange = ArrangeBar(parts)
        self.begin = BeginBar(parts)

        self._connect()
        self.views = QStackedWidget()
        for view in (self.plan, self.front, self.table, self.outputs):
            self.views.addWidget(view)

        self.centre = QWidget()
        basics.stack(
            self.centre,
            self._bar(),
            self.begin,
            self.walk,
            self.arrange,
            self.views,
            spacing=6,
        ).setStretch(4, 1)
        self.right = QStackedWidget()

        for side in (self.in_hand, self.room):
            self.right.addWidget(side)

        self.middle = QSplitter(Qt.Orientation.Vertical)
        self.middle.addWidget(self.centre)
        self.middle.addWidget(self.ribbon)
        self.middle.setStretchFactor(0, 1)
        self.middle.setSizes([500, 180])

        across = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.hang, self.middle, self.right):
            across.addWidget(widget)

        across.setStretchFactor(1, 1)
        across.setSizes([274, 640, 266])
        for i in range(3):
            across.setCollapsible(i, False)

        page, self._editing = QWidget(), QWidget()
        for holder in (page, self._editing):
            box = QVBoxLayout(holder)
            box.setContentsMargins(8, 0, 8, 8)
            self.addWidget(holder)

        basics.put_into(page, across)

        bind(page, "walk", self.walk.start)
        self.go(next(iter(whole_of(open_settings(), "rig/view")), 0))

    LATER = ("editor",)
    """What of it is made when it is first needed, or got ready before."""

    @cached_property
    def editor(self) -> TypeEditor:
        """Where types are made and changed."""
        made = TypeEditor(self.parts)
        made.closed.connect(lambda: self.setCurrentIndex(0))
        basics.put_into(self._editing, made)
        return made

    @property
    def edits_type(self) -> bool:
        """Whether the type editor is open."""
        return self.currentIndex() == 1

    def _connect(self) -> None:
        for plan in (self.plan, self.front):
            self.hang.planned.connect(plan.show_ghost)
            plan.menu_asked.connect(self._plan_menu)
            plan.type_dropped.connect(
                lambda t, place: self.hang.hang_one(
                    t, self.ribbon.ribbon.universe, None, place
                )
            )

            self.arrange.previewed.connect(plan.preview)

        self.hang.planned.connect(self.ribbon.show_ghost)
        self.hang.edit_type.connect(self._edit_type)
        self.ribbon.universe_changed.connect(self.hang.set_universe)
        self.ribbon.whole_map.connect(self._whole_map)
        self.ribbon.ribbon.why_asked.connect(self._why)

        self.ribbon.ribbon.type_dropped.connect(
            lambda t, u, a: self.hang.hang_one(t, u, a, None)
        )

        self.in_hand.swap_asked.connect(self._swap)
        self.room.closed.connect(lambda: self.show_room(False))
        self.room.scale_asked.connect(self.ask_scale)
        self.plan.two_points.connect(
            lambda a, b: self.room.ask_distance(self.plan, a, b)
        )

    def _bar(self) -> QWidget:
        """Which view, and what is done to many."""
        self.buttons = QButtonGroup(self)
        made: list[QWidget | int] = []

        for i, (name, tip) in enumerate(VIEWS):
            button = basics.button(name, partial(self.go, i), "quiet", tip=tip)
            button.setCheckable(True)
            button.setStyleSheet("padding: 5px 9px; min-width: 20px;")
            self.buttons.addButton(button, i)
            made.append(button)

        self.arrange_button = basics.tool(
            "grid", tr("Arrange the chosen"), self._arrange_menu
        )
        self.group_button = basics.tool(
            "groups", tr("Groups: of the chosen, by type, by bar"), self._group_menu
        )
        self.walk_button = basics.tool(
            "walk", tr("Walk the rig, fixture by fixture (W)"), self.walk.start
        )

        self.room_button = basics.tool(
            "room",
            tr("The room: stage, bars, seats, screen, the venue's plan"),
            lambda: None,
            True,
        )

        self.room_button.toggled.connect(self.show_room)
        self.file_button = basics.tool(
            "printer", tr("Print; hang lists and rigs in and out"), self._file_menu
        )

        tools = (
            self.arrange_button,
            self.group_button,
            self.walk_button,
            self.room_button,
            self.file_button,
        )

        return flow(*made, 1, *tools, spacing=2)

    def escape(self) -> bool:
        """Close what is open in this place. Returns whether there was anything."""
        if self.edits_type:
            self.editor.escape()
        elif self.walk.walking:
            self.walk.end()
        elif self.arrange.how:
            self.arrange.leave()
        elif self.ribbon.whole.isChecked():
            self.ribbon.whole.setChecked(False)
        elif self.room_button.isChecked():
            self.room_button.setChecked(False)
        else:
            return False
        return True

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Keys that nobody below took: the walk's."""
        walk, key = self.walk, event.key()
        if walk.walking and key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            walk.step(1 if key == Qt.Key.Key_PageDown else -1)
        else:
            super().keyPressEvent(event)

    def go(self, view: int) -> None:
        """Show a view: 0 from above, 1 from the front, 2 the list, 3 the outputs."""
        view = view if 0 <= view < len(VIEWS) else 0
        self.views.setCurrentIndex(view)
        self.buttons.button(view).setChecked(True)
        open_settings().setValue("rig/view", view)

    def _whole_map(self, on: bool) -> None:
        self.centre.setVisible(not on)

    def _why(self, universe: int, slot: int) -> None:
        self.show_room(False)
        self.in_hand.show_why(universe, slot)

    def show_room(self, on: bool) -> None:
        """Show the room's numbers in place of the fixture in hand, or not."""
        self.right.setCurrentIndex(1 if on else 0)
        self.room_button.setChecked(on)

    def ask_scale(self) -> None:
        """Ask how far apart two points of the underlay are."""
        self.go(0)
        self.plan.ask_two_points()

    # types

    def _edit_type(self, what: str) -> None:
        """Do what was chosen in the menu of types."""
        known = self.parts.document.kinds()
        if what == "new":
            self.edit_type(type_edits.blank(list(known)))
        elif what.startswith("back:"):
            self.bring_back(what.removeprefix("back:"))
        elif what == "import":
            self.files.ask_type(self._type_read)
        elif self.hang.kind is not None:
            self._edit_known_type(what, self.hang.kind)

    def _edit_known_type(self, what: str, kind: FixtureType) -> None:
        if what == "copy":
            names = [other.name for other in self.parts.document.kinds().values()]
            self.edit_type(type_edits.copy_of(kind, names))
        elif what == "edit":
            self.edit_type(kind, self.hang.mode.currentData() or "")
        elif what == "export":
            self.files.ask_write_type(kind)
        elif what == "delete":
            self.delete_type(kind)

    def _type_read(self, kind: FixtureType) -> None:
        self.hang.search.setText(kind.label)
        self.hang.choose_type(kind.id)

    def edit_type(self, kind: FixtureType, mode: str = "") -> None:
        """Open the type editor."""
        self.editor.open(kind, mode)
        self.setCurrentIndex(1)

    def delete_type(self, kind: FixtureType) -> None:
        """Delete one of the user's types; shows that use it have it with them."""
        try:
            own.forget(kind.id)
        except OSError as error:
            self.parts.notices.told.emit(
                tr(
                    "{label} could not be deleted: {strerror}.",
                    label=kind.label,
                    strerror=error.strerror,
                ),
                "alarm",
            )
            return

        self.parts.document.read_types()
        text = tr(
            "{label} is no longer among your types; shows that use it keep it. The "
            "menu ⋯ brings it back.",
            label=kind.label,
        )

        self.parts.notices.told.emit(text, "info")

    def bring_back(self, type_id: str) -> None:
        """Bring a deleted type back."""
        try:
            own.bring_back(type_id)
        except OSError as error:
            self.parts.notices.told.emit(
                tr(
                    "The type could not be brought back: {strerror}.",
                    strerror=error.strerror,
                ),
                "alarm",
            )
            return
        self.parts.document.read_types()
        self.hang.search.clear()
        self.hang.choose_type(type_id)

    # many at once

    def _plan_menu(self, at: QPoint, floor: tuple[float, float] | None) -> None:
        menu = Menu(self)
        chosen = bool(self.parts.selection.chosen)
        self._aiming(menu, floor)

        for text, act in (
            (tr("Open up"), self.parts.draft.open_up),
            (tr("Home"), self.parts.draft.home),
            (
                tr("Identify"),
                lambda: self.parts.engine.blink(self.parts.selection.chosen),
            ),
            (tr("Swap…"), self._swap),
        ):
            menu.addAction(text, act).setEnabled(chosen)

        menu.addSeparator()
        menu.addMenu(self._arranging(menu)).setEnabled(chosen)
        menu.addAction(tr("Make a group…"), self._ask_group).setEnabled(chosen)
        menu.addSeparator()
        menu.addAction(tr("Take down"), lambda: take_down(self.parts)).setEnabled(
            chosen
        )

        menu.exec(at)

    def _aiming(self, menu: QMenu, floor: tuple[float, float] | None) -> None:
        """What sends the chosen heads somewhere: to the place on the floor that was
        pressed, or to a mark.
        """
        if not any(
            i in self.parts.preview.compiled.rig.axes
            for i in self.parts.selection.chosen
        ):
            return

        if floor is not None:
            menu.addAction(
                tr("Aim here"), lambda: self.aim(links.to_point((*floor, 0.0)))
            )

        marks = Menu(tr("Aim at"), menu)
        for mark in self.parts.document.show.marks.values():
            marks.addAction(mark.name, partial(self.aim, links.to_mark(mark.id)))

        menu.addMenu(marks).setEnabled(not marks.isEmpty())
        menu.addSeparator()

    def aim(self, link: str) -> None:
        """Send the chosen heads to a point or a mark, in the draft; who cannot get
        there is named.
        """
        show = self.parts.document.show
        look, short = aims(
            self.parts.preview.compiled.rig, show, self.parts.selection.chosen, link
        )
        self.parts.draft.touch(look)
        if short:
            names = words.some([show.fixtures[i].name for i in short])
            self.parts.notices.told.emit(
                tr(
                    "{names} cannot reach there; aimed as near as they can.",
                    names=names,
                ),
                "info",
            )

    def _arranging(self, parent: QWidget) -> QMenu:
        menu = Menu(tr("Arrange"), parent)
        many = len(self.parts.selection.chosen) > 1

        for how, title in (
            ("line", tr("In a line…")),
            ("arc", tr("On an arc…")),
            ("grid", tr("In a grid…")),
        ):
            menu.addAction(title, partial(self._begin_arranging, how)).setEnabled(many)

        menu.addAction(
            tr("Evenly between first and last"),
            lambda: self._place("evenly", arrange.evenly),
        ).setEnabled(len(self.parts.selection.chosen) > 2)
        menu.addAction(
            tr("Mirror to the other side"),
            lambda: self._place("mirror", arrange.mirrored),
        )

        for bar in self.parts.document.show.room.bars:
            menu.addAction(
                tr("Along {name}", name=bar.name),
                partial(self._place_along, bar),
            )

        return menu

    def _begin_arranging(self, how: str) -> None:
        self.go(0)
        self.arrange.begin(how)

    def _place(self, name: str, act: Callable[[list[Place]], Sequence[Place]]) -> None:
        fixtures = self.parts.document.show.fixtures
        ids = [i for i in self.parts.selection.chosen if i in fixtures]
        put(
            self.parts,
            name,
            dict(zip(ids, act([fixtures[i].place for i in ids]), strict=True)),
        )

    def _place_along(self, bar: Bar) -> None:
        self._place(bar.name, lambda places: arrange.along(bar, len(places)))

    def _arrange_menu(self) -> None:
        menu = self._arranging(self)
        menu.exec(
            self.arrange_button.mapToGlobal(self.arrange_button.rect().bottomLeft())
        )

    def _group_menu(self) -> None:
        menu = Menu(self)
        menu.addAction(tr("Make a group of the chosen…"), self._ask_group).setEnabled(
            bool(self.parts.selection.chosen)
        )
        found = arrange.suggested_groups(self.parts.document.show, *arrange.By)

        if found:
            menu.addSeparator()
            menu.addAction(
                tr("Make all {n} that suggest themselves", n=len(found)),
                lambda: self.make_groups(found),
            )

            for name, ids in found[:12]:
                menu.addAction(
                    tr("{name} ({n})", name=name, n=len(ids)),
                    partial(self.make_groups, [(name, ids)]),
                )

        menu.exec(self.group_button.mapToGlobal(self.group_button.rect().bottomLeft()))

    def make_groups(self, found: arrange.Groups) -> None:
        """Make groups, as one step."""
        keep_groups(self.parts, found)

    def _ask_group(self) -> None:
        name, sure = QInputDialog.getText(
            self, tr("Keep a group"), tr("Name of the group")
        )
        if sure and name.strip():
            self.make_groups([(name.strip(), tuple(self.parts.selection.chosen))])

    def _file_menu(self) -> None:
        self.files.menu().exec(
            self.file_button.mapToGlobal(self.file_button.rect().bottomLeft())
        )

    def _swap(self) -> None:
        if self.parts.selection.chosen:
            SwapDialog(self.parts, self).exec()
