"""The place Surfaces: “I see my controller on the screen and what each part does.”"""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from choreon.engine.actions import level_of
from choreon.engine.protocol import ControlMoved
from choreon.language import in_a_row, tr
from choreon.model.refs import DEEDS, Ref, to_deed
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.model.tiles import SEEN_ONLY
from choreon.render.state import PlayState
from choreon.ui import theme, words
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.surfaces.drawing import ControllerDrawing, part_name
from choreon.ui.widgets import basics

ID = Qt.ItemDataRole.UserRole
WIDE = 1150  # points from which the sides have all the room that they like
SIDES, NARROW = (230, 320), (172, 296)  # points of left and right


TURN = 6  # rows that are made at once


class SurfacesPlace(QWidget):
    """Controllers on the left, the drawing, and on the right what can be tied to a
    control.
    """

    def __init__(self, parts: Parts, learner: Learner) -> None:
        super().__init__()
        self.parts, self.learner = parts, learner
        self.ports = QListWidget()
        self.ports.setAccessibleName(tr("Controllers"))
        self.ports.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

        self.ports.setToolTip(tr("The controllers that were found; ● is connected"))
        self.ports.currentItemChanged.connect(lambda *_: self._port_chosen())
        self.trouble = basics.label("", "small", wrap=True)
        self.none = basics.label(
            tr(
                "No controller yet. Plug one in: it is found and opened by itself. "
                "“choreon sim controller” opens one to practise with."
            ),
            "soft",
            wrap=True,
        )

        left = basics.panel(
            basics.label(tr("Controllers"), "heading"),
            self.none,
            self.ports,
            self.trouble,
        )

        basics.grow(left, 2)
        self.drawing = ControllerDrawing(parts)
        self.drawing.picked.connect(self._control_picked)
        self.drawing.entered.connect(self._control_entered)
        self.caption = basics.label("", "big")

        self.hint = basics.label("", "soft")
        middle = basics.panel(basics.row(self.caption, 1, self.hint), self.drawing)
        basics.grow(middle, 1)
        self._rows: dict[Ref, TargetRow] = {}
        self._waiting: list[ControlLine | str] = []  # to be listed, in turns
        self._turn = basics.once(self, 0, self._go_on)
        self._seen: tuple[object, ...] = ()

        self._shown: list[tuple[str, list[ControlLine]]] = []
        holder = QWidget()
        self.list = QVBoxLayout(holder)
        self.list.setContentsMargins(0, 0, 6, 0)
        self.list.setSpacing(4)

        right = basics.panel(
            basics.label(tr("Tiles and masters"), "heading"), basics.scroller(holder)
        )

        self._sides = (left, right)
        box = QHBoxLayout(self)
        box.setContentsMargins(8, 0, 8, 8)
        box.setSpacing(8)

        box.addWidget(left)
        box.addWidget(middle, 1)
        box.addWidget(right)
        parts.engine.ports_changed.connect(lambda _: self._fill_ports())
        parts.document.show_changed.connect(lambda _: self._fill())

        parts.engine.state_changed.connect(self._state)
        parts.engine.control_moved.connect(self._moved)
        learner.changed.connect(self._learning)
        self._fill_ports()
        self._fill()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room the sides leave more of it to the drawing."""
        wide = self.width() >= WIDE
        for side, width in zip(self._sides, SIDES if wide else NARROW, strict=True):
            side.setFixedWidth(width)

    # controllers

    def _fill_ports(self) -> None:
        ports = dict(self.parts.engine.ports.ports)
        for tied in self.parts.document.show.inputs.values():
            if tied.control.device:
                ports.setdefault(tied.control.device, False)

        now = self.ports.currentItem().data(ID) if self.ports.currentItem() else ""
        self.ports.clear()

        for name, is_open in ports.items():
            item = QListWidgetItem(f"{'●' if is_open else '○'}  {name}")
            item.setData(ID, name)
            item.setToolTip(
                tr("Connected")
                if is_open
                else tr(
                    "Not connected. It is opened again by itself when it comes back; "
                    "what it does is kept."
                )
            )

            self.ports.addItem(item)
            if name == now:
                self.ports.setCurrentItem(item)

        if self.ports.currentItem() is None and self.ports.count():
            self.ports.setCurrentRow(0)

        self.none.setVisible(not ports)
        self.trouble.setText(self.parts.engine.ports.trouble)
        self.trouble.setVisible(bool(self.parts.engine.ports.trouble))
        self._port_chosen()

    @property
    def port(self) -> str:
        """The controller that is shown."""
        item = self.ports.currentItem()
        return item.data(ID) if item else ""

    def _port_chosen(self) -> None:
        self.caption.setText(self.port)
        is_open = self.parts.engine.ports.ports.get(self.port, False)
        self.hint.setText(
            ""
            if not self.port
            else tr("connected")
            if is_open
            else tr("not connected; what it does is kept")
        )
        self.drawing.show_port(self.port, is_open)

    def _moved(self, moved: ControlMoved) -> None:
        self.drawing.moved(moved)

    def _control_picked(self, target: Ref | None) -> None:
        for name, row in self.targets.items():
            row.mark(name == target)

    def _control_entered(self, target: Ref | None) -> None:
        """The keys go on to what a control does; one that does nothing can be taught
        there.
        """
        row = self.targets.get(target) if target else next(iter(self.targets.values()))
        if row is not None:
            row.learn.setFocus(Qt.FocusReason.TabFocusReason)

    # targets

    def showEvent(self, event: QShowEvent) -> None:
        self._fill()

    def _fill(self) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at

        show = self.parts.document.show
        seen = (show.pages, show.playables, show.inputs, show.masters)
        if very_same(seen, self._seen):
            return

        if not self._seen or show.inputs is not self._seen[2]:
            self._fill_ports()

        self._seen = seen
        sections = self._sections(show)
        before, self._shown = self._shown, sections
        if _alike(before, sections):
            self._change(before, sections)
        else:
            self._list_anew()

        self.drawing.update()
        self._state(self.parts.engine.state)

    @property
    def targets(self) -> dict[Ref, TargetRow]:
        """The rows, by what they are of: all of them."""
        self._go_on(all_of_them=True)
        return self._rows

    @property
    def is_listed(self) -> bool:
        """Whether all rows are there."""
        return not self._waiting

    def _list_anew(self) -> None:
        """Make all rows: those that are seen at once, the others in turns."""
        basics.clear(self.list)
        self._rows = {}
        self._waiting = []
        for title, lines in self._shown:
            if lines:
                self._waiting += [title, *lines]
        self.list.addStretch(1)
        self._go_on()

    def _go_on(self, all_of_them: bool = False) -> None:
        """Make some more rows, so many as take no time that is noticed."""
        count = len(self._waiting) if all_of_them else TURN
        now, self._waiting = self._waiting[:count], self._waiting[count:]
        for entry in now:
            place = self.list.count() - 1
            if isinstance(entry, str):
                self.list.insertWidget(place, basics.label(entry, "small"))
                continue
            row = TargetRow(self.learner, entry)
            row.teach(self.learner.target == entry.target)
            self._rows[entry.target] = row
            self.list.insertWidget(place, row)
            _dressed(row)

        # none is seen squeezed into the room of those that were there before
        inner = self.list.parentWidget()
        assert inner is not None
        needed = self.list.minimumSize().height()
        inner.resize(inner.width(), max(inner.height(), needed))

        if self._waiting:
            self._turn.start()
        elif now:
            self._state(self.parts.engine.state)

    def _change(self, before: Sections, after: Sections) -> None:
        """Change the rows of which something else is said than before."""
        for (_, old), (_, new) in zip(before, after, strict=True):
            for was, line in zip(old, new, strict=True):
                if was != line:
                    self.targets[line.target].show_line(line)

    @staticmethod
    def _sections(show: Show) -> list[tuple[str, list[ControlLine]]]:
        """What is listed, by title."""
        listed: list[tuple[str, list[Ref]]] = [
            (tr("Masters"), [master.ref for master in show.masters.values()]),
            (tr("For all that plays"), [to_deed(deed) for deed in DEEDS]),
        ]
        for page in show.pages.values():
            seen = (tile for tile in page.tiles if tile.kind not in SEEN_ONLY)
            listed.append((page.name, [tile.ref for tile in seen]))
        return [(title, [_line(show, ref) for ref in refs]) for title, refs in listed]

    def _state(self, state: PlayState) -> None:
        for target, row in self._rows.items():
            row.follow(level_of(self.parts.document.show, state, target) or 0.0)
        self.drawing.update()

    def _learning(self, target: Ref | None) -> None:
        for name, row in self._rows.items():
            row.teach(name == target)


class ControlLine(NamedTuple):
    """What stands in the row of a thing: its name, and the controls that it is tied
    to.
    """

    target: Ref
    name: str
    controls: tuple[str, ...]


def _line(show: Show, target: Ref) -> ControlLine:
    tied = (known for known in show.inputs.values() if known.target == target)
    controls = tuple(part_name(known.control) for known in tied)
    return ControlLine(target, words.target_name(show, target), controls)


Sections = list[tuple[str, list[ControlLine]]]
"""What is listed, by title."""


def _dressed(row: QWidget) -> None:
    """Have a row be as tall as its parts will be, before it is seen."""
    for part in (row, *row.findChildren(QWidget)):
        part.ensurePolished()


def _alike(one: Sections, other: Sections) -> bool:
    """Whether the same things are listed in the same order."""

    def refs(sections: Sections) -> list[tuple[str, list[Ref]]]:
        return [(title, [line.target for line in lines]) for title, lines in sections]

    return refs(one) == refs(other)


class TargetRow(QWidget):
    """One thing that a control can do, and which control does it."""

    def __init__(self, learner: Learner, line: ControlLine) -> None:
        super().__init__()
        self.target, self.learner = line.target, learner
        self.dot = basics.label("○", rich=True)
        self.dot.setFixedWidth(14)
        self.title = basics.name_label()

        # a long name, or a second control, does not push the buttons out of sight
        free, usual = QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred
        self.title.setSizePolicy(free, usual)
        self.tied = basics.label("", "soft")
        self.learn = basics.button(tr("Learn"), self._learn)
        self.unlearn = basics.tool("unlink", "", lambda: learner.forget(self.target))

        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        across = basics.row(
            self.dot, self.title, self.tied, self.unlearn, self.learn, spacing=6
        )
        basics.grow(across, 1)
        basics.stack(self, across).setContentsMargins(8, 2, 4, 2)

        self.setProperty("picked", False)
        self.show_line(line)

    @property
    def name_text(self) -> str:
        """What the thing is called."""
        return self.title.text()

    def show_line(self, line: ControlLine) -> None:
        """Show what it is called, and which controls it is tied to."""
        name, controls = line.name, line.controls
        self.title.setText(name)
        self.title.setToolTip(name)
        tied = "".join(controls[:1])

        if len(controls) > 1:
            tied = tr("{control} +{n}", control=tied, n=len(controls) - 1)
        self.tied.setText(tied)
        self.tied.setToolTip(in_a_row(controls))

        for button, does in (
            (self.learn, tr("Tie a control to {name}", name=name)),
            (self.unlearn, tr("Untie {name}", name=name)),
        ):
            button.setToolTip(does)
            button.setAccessibleName(does)

        basics.set_kind(self.learn, "quiet" if controls else "")
        self.unlearn.setVisible(bool(controls))

    def _learn(self) -> None:
        if self.learner.target == self.target:
            self.learner.cancel()
        else:
            self.learner.start(self.target)

    def follow(self, level: float) -> None:
        """Show whether it is on."""
        live = f'<span style="color:{theme.LIVE}">●</span>'
        basics.say(self.dot, live if level > 0 else "○")

    def mark(self, on: bool) -> None:
        """Show that its control was picked on the drawing."""
        if on != self.property("picked"):
            self.setProperty("picked", on)
            self.style().unpolish(self)
            self.style().polish(self)

    def teach(self, on: bool) -> None:
        """Show that it waits for a control."""
        words = tr("Move it …") if on else tr("Learn")
        if self.learn.text() != words:
            waits = f"border: 1px dashed {theme.DRAFT}; color: {theme.DRAFT};"
            self.learn.setText(words)
            self.learn.setStyleSheet(waits if on else "")
