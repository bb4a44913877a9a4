"""What a control can do: a list of all that can be tied, and who is tied to each."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDragLeaveEvent,
    QDragMoveEvent,
    QDropEvent,
    QShowEvent,
)
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from choreon.engine.actions import level_of
from choreon.language import in_a_row, tr
from choreon.model.attributes import DIMMER
from choreon.model.pages import as_read
from choreon.model.playables import Stack
from choreon.model.refs import (
    CHOOSE,
    CHOSEN,
    DEEDS,
    EDIT,
    EDITS,
    GROUP,
    TURN,
    TURNS,
    WALK,
    Ref,
    to_deed,
    to_lamps,
)
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.model.tiles import SEEN_ONLY
from choreon.model.timelines import timelines_of
from choreon.render.state import PlayState
from choreon.ui import theme, words
from choreon.ui.drags import carried_controls
from choreon.ui.learn import Learner
from choreon.ui.parts import Parts
from choreon.ui.surfaces.drawing import part_name
from choreon.ui.widgets import basics

TURNED = (
    DIMMER,
    "hue",
    "strength",
    "Pan",
    "Tilt",
    "Zoom",
    "Focus1",
    "Iris",
    "Shutter1Strobe",
)
"""What can be turned of the lamps that are chosen."""
LINES_AT_ONCE = 6  # rows that are made at once


class TargetList(QWidget):
    """The rows, by section. `tied`: a row was pressed for the controls in hand;
    `dropped`: controls were let go on it.
    """

    tied = Signal(object)  # the Ref of the row
    dropped = Signal(object, object)  # the controls, and the Ref

    def __init__(self, parts: Parts, learner: Learner) -> None:
        super().__init__()
        self.parts, self.learner = parts, learner
        self._rows: dict[Ref, TargetRow] = {}
        self._waiting: list[ControlLine | Section] = []  # to be listed, in turns
        self._turn = basics.once(self, 0, self._go_on)
        self._seen: tuple[object, ...] = ()
        self._shown: Sections = []
        self.in_hand = False
        """Whether a control is in hand that rows can be tied to."""

        self.list = QVBoxLayout(self)
        self.list.setContentsMargins(0, 0, 6, 0)
        self.list.setSpacing(4)
        self.setAcceptDrops(True)
        parts.engine.state_changed.connect(self._state)
        learner.changed.connect(self._learning)

    def showEvent(self, event: QShowEvent) -> None:
        self.fill()

    def fill(self) -> None:
        """List what there is, where anything of it is another now."""
        if not self.isVisible():
            return  # it is filled when it is looked at

        show = self.parts.document.show
        seen = (
            show.pages,
            show.playables,
            show.inputs,
            show.masters,
            show.groups,
            show.surfaces,
        )
        if very_same(seen, self._seen):
            return

        self._seen = seen
        sections = _sections(show)
        before, self._shown = self._shown, sections
        if _alike(before, sections):
            self._change(before, sections)
        else:
            self._list_anew()
        self._state(self.parts.engine.state)

    def onward(self, target: Ref) -> list[Ref]:
        """Returns a row and those that follow it in its section."""
        for _, lines in self._shown:
            refs = [line.target for line in lines]
            if target in refs:
                return refs[refs.index(target) :]
        return []

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Controls can be let go here."""
        if carried_controls(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """On a row alone; the first that it goes to is marked."""
        row = self._row_at(event.position().toPoint())
        for known in self._rows.values():
            known.mark(known is row)
        event.setAccepted(row is not None)

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        """Nothing is marked any more."""
        for row in self._rows.values():
            row.mark(False)

    def dropEvent(self, event: QDropEvent) -> None:
        """Let controls do a row, and those that follow it."""
        row = self._row_at(event.position().toPoint())
        controls = carried_controls(event.mimeData())
        if row is not None and controls:
            event.acceptProposedAction()
            self.dropped.emit(controls, row.target)

    def _row_at(self, point: QPoint) -> TargetRow | None:
        rows = self._rows.values()
        return next((row for row in rows if row.geometry().contains(point)), None)

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
                refs = tuple(line.target for line in lines)
                self._waiting += [Section(title, refs), *lines]
        self.list.addStretch(1)
        self._go_on()

    def _go_on(self, all_of_them: bool = False) -> None:
        """Make some more rows, so many as take no time that is noticed."""
        count = len(self._waiting) if all_of_them else LINES_AT_ONCE
        now, self._waiting = self._waiting[:count], self._waiting[count:]
        for entry in now:
            place = self.list.count() - 1
            if isinstance(entry, Section):
                self.list.insertWidget(place, self._section(entry))
                continue
            row = TargetRow(self.learner, entry)
            row.tie.clicked.connect(lambda _=False, t=entry.target: self.tied.emit(t))
            row.offer(self.in_hand)
            row.teach(self.learner.target == entry.target)
            self._rows[entry.target] = row
            self.list.insertWidget(place, row)
            _dressed(row)

        # none is seen squeezed into the room of those that were there before
        needed = self.list.minimumSize().height()
        self.resize(self.width(), max(self.height(), needed))

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

    def _state(self, state: PlayState) -> None:
        for target, row in self._rows.items():
            row.follow(level_of(self.parts.document.show, state, target) or 0.0)

    def _learning(self, target: Ref | None) -> None:
        for name, row in self._rows.items():
            row.teach(name == target)

    def mark(self, target: Ref | None, in_hand: bool) -> None:
        """Show what the control in hand does, and whether one is."""
        self.in_hand = in_hand
        for name, row in self.targets.items():
            row.mark(name == target)
            row.offer(in_hand and name != target)

    def _section(self, section: Section) -> QWidget:
        """The head of a section, from which all of it can be learnt in a row."""
        learn = basics.button(
            tr("Learn all…"),
            lambda: self.learner.start_row(section.refs),
            "quiet",
            tip=tr(
                "Move one control after the other: each goes to the next of {section}",
                section=section.title,
            ),
        )
        learn.setAccessibleName(tr("Learn all of {section}", section=section.title))
        title = basics.name_label(section.title, "small")
        title.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        line = basics.row(title, learn, spacing=4)
        basics.grow(line, 0)
        return line


class Section(NamedTuple):
    """The head of a section, and what stands in it."""

    title: str
    refs: tuple[Ref, ...]


def _listed(show: Show) -> Iterator[tuple[str, Sequence[Ref]]]:
    """What is listed, by title."""
    yield tr("Masters"), [master.ref for master in show.masters.values()]
    yield tr("For all that plays"), [to_deed(deed) for deed in DEEDS]
    for page in show.pages.values():
        yield (
            page.name,
            [tile.ref for tile in as_read(page) if tile.kind not in SEEN_ONLY],
        )

    stacks = [p for p in show.playables.values() if isinstance(p, Stack)]
    yield tr("Cues"), [stack.ref for stack in stacks]
    yield tr("Timelines"), [line.ref for line in timelines_of(show)]
    yield from _of_window(show)


def _of_window(show: Show) -> Iterator[tuple[str, Sequence[Ref]]]:
    """What the window does: pages, and the lamps that are chosen."""
    turns = [Ref(TURN, turn) for turn in TURNS]
    yield tr("Pages"), [*turns, *(Ref(TURN, page) for page in show.pages)]
    yield tr("The chosen lamps"), [Ref(CHOSEN, name) for name in TURNED]
    yield tr("Who is chosen"), [Ref(CHOOSE, group) for group in show.groups]
    levels = [to_lamps(DIMMER, Ref(GROUP, group)) for group in show.groups]
    yield tr("Lamps, whoever is chosen"), levels
    yield tr("Edits"), [Ref(EDIT, name) for name in EDITS]
    yield tr("Walk the rig"), [Ref(WALK, "next"), Ref(WALK, "back")]


def _sections(show: Show) -> Sections:
    return [
        (title, [_line(show, ref) for ref in refs]) for title, refs in _listed(show)
    ]


class ControlLine(NamedTuple):
    """What stands in the row of a thing: its name, and the controls that it is tied
    to.
    """

    target: Ref
    name: str
    controls: tuple[str, ...]


def _line(show: Show, target: Ref) -> ControlLine:
    tied = (known for known in show.inputs.values() if known.target == target)
    controls = tuple(part_name(show, known.control) for known in tied)
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
        self.tie = basics.tool("link", "", lambda: None)
        self.tie.hide()
        self.unlearn = basics.tool("unlink", "", lambda: learner.forget(self.target))

        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        across = basics.row(
            self.dot,
            self.title,
            self.tied,
            self.tie,
            self.unlearn,
            self.learn,
            spacing=6,
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
            (self.tie, tr("Have the control in hand do {name}", name=name)),
        ):
            button.setToolTip(does)
            button.setAccessibleName(does)

        basics.set_kind(self.learn, "quiet" if controls else "")
        self.unlearn.setVisible(bool(controls) and not self.tie.isVisibleTo(self))

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

    def offer(self, on: bool) -> None:
        """Show that the control in hand can be tied to it."""
        self.tie.setVisible(on)
        self.unlearn.setVisible(bool(self.tied.text()) and not on)

    def teach(self, on: bool) -> None:
        """Show that it waits for a control."""
        words = tr("Move it …") if on else tr("Learn")
        if self.learn.text() != words:
            waits = f"border: 1px dashed {theme.DRAFT}; color: {theme.DRAFT};"
            self.learn.setText(words)
            self.learn.setStyleSheet(waits if on else "")
