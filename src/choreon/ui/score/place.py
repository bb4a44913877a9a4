"""The place Score: “I see what comes next and when.”"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QKeySequence,
    QResizeEvent,
    QShortcut,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QInputDialog,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from choreon.language import plural, tr
from choreon.model import cues, edits, timelines
from choreon.model.cue_words import NotUnderstood, parse_times
from choreon.model.playables import AnyPlayable, Timeline
from choreon.model.playables.stack import called
from choreon.model.refs import Ref
from choreon.render.cue_checks import by_cue
from choreon.ui import renaming, theme
from choreon.ui.commands import BY_ID, edits_text
from choreon.ui.drags import all_carried
from choreon.ui.parts import Parts
from choreon.ui.score.checking import Checking
from choreon.ui.score.cue_form import CueForm, TimeField
from choreon.ui.score.cue_table import CueTable
from choreon.ui.score.dry_pane import DryPane
from choreon.ui.score.evening_pane import EveningPane
from choreon.ui.score.files import ScoreFiles
from choreon.ui.score.go_slab import GoSlab
from choreon.ui.score.hand import ScoreHand
from choreon.ui.score.line_pane import LinePane
from choreon.ui.score.script_view import ScriptPane
from choreon.ui.score.things import ThingList
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu

MOST_PROBLEMS = 24  # that are told one by one
ROOMY = 1060  # points from which the list of what plays has room beside the others


class ScorePlace(QWidget):
    """What plays, the cues, the chosen one, and below them GO."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.hand = ScoreHand(parts, self)
        self._shown_id, self._roomy = "", False
        self.minis = MiniStages(parts, self)

        self.head = self._make_head()
        self.table = CueTable(self.hand)
        self.things = ThingList(
            self.hand,
            self.minis,
            (
                tr("A cue of each"),
                tr("Make a cue of each that is chosen (Enter), behind the chosen cue"),
            ),
            (tr("Into the cue"), tr("Have the chosen cues play them as well")),
            tr("Drag to the list of cues, or press Enter; several at once"),
        )
        self.form = CueForm(self.hand)
        self.text = ScriptPane(self.hand)
        self.files = ScoreFiles(self.hand, self, self.text.put)
        self.text.file_wanted.connect(self.files.ask_text)
        self.dry = DryPane(self.hand)
        self.checking = Checking(self.hand, self)
        self.checking.changed.connect(self._checked)
        self.hand.dry_changed.connect(self._dry_changed)
        self.empty = self._make_empty()
        self.slab = GoSlab(self.hand, self.minis)

        middle = basics.panel(self.head, self.table, self.empty, margins=10)
        basics.grow(middle, 1)
        middle.setMinimumWidth(240)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self.things, middle, self.text, self.form, self.dry):
            self.splitter.addWidget(widget)
        self.splitter.setStretchFactor(1, 2)
        self.splitter.setStretchFactor(2, 3)
        self.splitter.setStretchFactor(4, 3)
        self.splitter.setSizes([200, 560, 420, 280, 460])
        self.splitter.setChildrenCollapsible(False)

        self.of_cues = QWidget()
        cues_box = basics.stack(self.of_cues, self.splitter, self.slab, spacing=8)
        cues_box.setStretch(0, 1)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.of_cues)
        self._lines: LinePane | None = None
        self._evening: EveningPane | None = None
        self._before: QWidget | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 0, 8, 8)
        box.addWidget(self.pages)

        self._keys()
        self.hand.changed.connect(self._follow)
        self._follow()

    def _make_head(self) -> QWidget:
        hand = self.hand
        self.chooser = self._make_chooser()
        self.new = basics.tool(
            "plus", tr("Make another"), lambda: self._menu_of_new(self.new)
        )
        self.times = TimeField(tr("the stack"), "", self._type_times)
        self.times.setToolTip(
            tr("In and out, in seconds, of cues that have no times of their own: 3/2")
        )
        self.count = basics.label("", "small")

        self.from_stage = basics.button(
            tr("From what is on"),
            hand.add_on_now,
            icon="capture",
            tip=tr("Put in a cue of what plays now, at its levels, and of the draft"),
        )
        self.from_draft = basics.button(
            tr("From the draft"),
            hand.add_draft,
            "quiet",
            tip=tr("Put in a cue with the draft as a look of its own"),
        )
        self.more = basics.tool("more", tr("More with this stack"), self._menu)
        self.own = basics.label(tr("in/out"), "soft")
        self.run_dry = basics.button(
            tr("Dry run"),
            lambda: hand.run_dry(hand.dry is None),
            "quiet",
            tip=tr("Run the cues from the chosen one on, while the stage stays"),
        )
        self.run_dry.setCheckable(True)
        self.problems = basics.button(
            "", self._menu_of_problems, "quiet", tip=tr("What the check of it found")
        )
        self.taking = basics.button(
            tr("Taking times  ·  End"),
            lambda: hand.take_times(False),
            "quiet",
            tip=tr("Cues come by themselves then, as they were gone to by hand"),
        )
        self.taking.hide()
        hand.went.connect(lambda: self.taking.setVisible(hand.takes_times))
        self.panes = {
            "things": self._toggle("things", tr("Plays"), tr("Show what plays")),
            "text": self._toggle("text", tr("Text"), tr("Show the text of the play")),
            "cue": self._toggle("cue", tr("Cue"), tr("Show all of the chosen cue")),
        }
        return flow(
            self.chooser,
            self.new,
            self.own,
            self.times,
            self.count,
            1,
            self.from_stage,
            self.from_draft,
            self.taking,
            self.problems,
            self.run_dry,
            *self.panes.values(),
            self.more,
        )

    def _make_chooser(self) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(tr("Stack or timeline"))
        made.setToolTip(tr("Which stack, or timeline, is shown"))
        made.setMinimumWidth(140)
        made.activated.connect(lambda place: self._choose(made.itemData(place)))
        return made

    @property
    def lines(self) -> LinePane:
        """Timelines; made when one is first looked at."""
        if self._lines is None:
            self._lines = LinePane(self.parts, self.minis, self._make_chooser())
            new = self._lines.new
            new.clicked.connect(lambda: self._menu_of_new(new))
            self.pages.addWidget(self._lines)
            self._lines.hand.changed.connect(self._follow_lines)
            self._follow()
        return self._lines

    @property
    def shows_line(self) -> bool:
        """Whether a timeline is looked at, and no stack."""
        return self._lines is not None and self.pages.currentWidget() is self._lines

    @property
    def evening(self) -> EveningPane:
        """Evenings; made when one is first looked at."""
        if self._evening is None:
            self._evening = EveningPane(self.parts)
            self._evening.left.connect(self._leave_evening)
            self._evening.kept.connect(self._kept_of_evening)
            self.pages.addWidget(self._evening)
        return self._evening

    def turn_back(self) -> None:
        """Look at the last evening."""
        self._before = self.pages.currentWidget()
        self.evening.refresh()
        self.pages.setCurrentWidget(self.evening)
        self.evening.view.setFocus()

    def _leave_evening(self) -> None:
        self.pages.setCurrentWidget(self._before or self.of_cues)

    def _kept_of_evening(self, ref: Ref) -> None:
        """A timeline that was made of it is shown at once."""
        made = self.hand.show.playables.get(ref.id)
        if isinstance(made, Timeline):
            self.open(made)

    def _follow_lines(self) -> None:
        """Where the timeline that was looked at is gone, another is."""
        if not self.shows_line or self.lines.hand.line is not None:
            return
        left = timelines.timelines_of(self.hand.show)
        if left:
            self.lines.hand.open(left[0].id)
        else:
            self.pages.setCurrentWidget(self.of_cues)
        self._fill_choosers()

    def _menu_of_new(self, button: QWidget) -> None:
        menu = Menu(self)
        menu.addAction(tr("A stack of cues…"), self.ask_new)
        menu.addAction(tr("A timeline…"), self.ask_new_line)
        menu.addSeparator()
        menu.addAction(tr("Turn an evening back…"), self.turn_back)
        menu.exec(button.mapToGlobal(button.rect().bottomLeft()))

    def _toggle(self, name: str, text: str, tip: str) -> QPushButton:
        made = basics.button(text, partial(self._toggled, name), "quiet", tip=tip)
        made.setCheckable(True)
        return made

    def _toggled(self, name: str) -> None:
        """Show something beside the cues; where there is little room instead of what
        was there.
        """
        if not self._roomy and self.panes[name].isChecked():
            for other, button in self.panes.items():
                button.setChecked(other == name)
        self._arrange()

    def _make_empty(self) -> QWidget:
        """What is said where there is no stack."""
        made = EmptyPane(self.hand)
        basics.stack(
            made,
            1,
            basics.label(tr("No stack of cues yet"), "big"),
            basics.label(
                tr(
                    "A stack is a list of cues, gone through by GO. Drag scenes here "
                    "from the left, several at once, or begin with an empty one and "
                    "type."
                ),
                "soft",
                wrap=True,
            ),
            basics.row(
                basics.button(tr("Begin a stack"), self.begin, "main", "plus"),
                basics.button(tr("Begin a timeline"), self.begin_line, "", "timeline"),
                1,
                spacing=8,
            ),
            2,
            margins=16,
        )
        return made

    def _keys(self) -> None:
        """Space is GO here, or plays a timeline, and does so nowhere else, and never
        while something is typed.
        """
        acts = {"go": self.hand.go, "go-back": self.hand.back, "hold": self.hand.hold}
        for command, act in acts.items():
            for key in BY_ID[command].keys:
                shortcut = QShortcut(QKeySequence(key), self)
                shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
                shortcut.setAutoRepeat(False)
                shortcut.activated.connect(lambda a=act: self._by_key(a))

    def _by_key(self, act: Callable[[], object]) -> None:
        if edits_text(QApplication.focusWidget()):
            return
        if self._evening is not None and self.pages.currentWidget() is self._evening:
            return
        if not self.shows_line:
            act()
        elif act == self.hand.go:
            self.lines.hand.play()

    def _follow(self) -> None:
        self._fill_choosers()
        stack = self.hand.stack
        there = stack is not None
        self.table.setVisible(there)
        self.slab.setVisible(there)
        self.empty.setVisible(not there)
        for button in (*self.panes.values(), self.from_stage, self.from_draft):
            button.setVisible(there)
        self.run_dry.setVisible(there)
        self.problems.setVisible(there and bool(self.checking.found))
        if stack is not None and stack.id != self._shown_id:
            self._shown_id = stack.id
            self._usual_panes(bool(stack.text))
        self._arrange()
        for widget in (self.times, self.count, self.more, self.own):
            widget.setVisible(there)
        self.chooser.setVisible(self.chooser.count() > 0)

        if stack is not None:
            text = f"{stack.fade_in:g}/{stack.fade_out:g}"
            if stack.fade_in == stack.fade_out:
                text = f"{stack.fade_in:g}"
            self.times.show_text(text)
            basics.say(self.count, plural(len(stack.cues), "{n} cue", "{n} cues"))

    def _fill_choosers(self) -> None:
        """List all stacks and timelines, and which one is looked at."""
        show = self.hand.show
        names = [(stack.name, stack.id) for stack in cues.stacks_of(show)]
        names += [(line.name, line.id) for line in timelines.timelines_of(show)]
        boxes = [(self.chooser, self.hand.stack_id)]
        if self._lines is not None:
            boxes.append((self._lines.chooser, self._lines.hand.line_id))
        for box, own in boxes:
            shown = [(box.itemText(n), box.itemData(n)) for n in range(box.count())]
            if names != shown:
                box.clear()
                for name, thing_id in names:
                    box.addItem(name, thing_id)
            box.setCurrentIndex(box.findData(own))

    def _choose(self, thing_id: str) -> None:
        found = self.hand.show.playables.get(thing_id)
        if found is not None:
            self.open(found)

    def _type_times(self, text: str) -> bool:
        try:
            typed = parse_times(text)
        except NotUnderstood as error:
            self.parts.notices.told.emit(str(error), "alarm")
            return False
        stack = self.hand.stack
        if stack is None or typed.fade_in is None or typed.fade_out is None:
            return False
        show = edits.change(
            self.hand.show,
            stack.ref,
            fade_in=typed.fade_in,
            fade_out=typed.fade_out,
        )
        self.parts.document.edit(tr("times of the stack"), show)
        return True

    def begin(self) -> None:
        """Make the first stack, ready to be typed into."""
        self.hand.new_stack()
        self.table.setFocus()
        self.table.edit_new()

    def ask_new(self) -> None:
        """Ask for a name, and make a stack."""
        name, sure = QInputDialog.getText(self, tr("New stack"), tr("Name"))
        if sure:
            self.hand.new_stack(name)
            self.table.setFocus()

    def begin_line(self) -> None:
        """Make the first timeline."""
        self._new_line("")

    def ask_new_line(self) -> None:
        """Ask for a name, and make a timeline."""
        name, sure = QInputDialog.getText(self, tr("New timeline"), tr("Name"))
        if sure:
            self._new_line(name)

    def _new_line(self, name: str) -> None:
        self.lines.hand.new(name)
        self.pages.setCurrentWidget(self.lines)
        self._fill_choosers()
        self.lines.view.setFocus()

    def open(self, thing: AnyPlayable) -> None:
        """Show a stack, or a timeline."""
        if isinstance(thing, Timeline):
            self.lines.hand.open(thing.id)
            self.pages.setCurrentWidget(self.lines)
            self.lines.view.setFocus()  # Space plays it
        else:
            self.hand.open(thing.id)
            self.pages.setCurrentWidget(self.of_cues)
        self._fill_choosers()

    def _menu(self) -> None:
        stack = self.hand.stack
        if stack is None:
            return

        menu = Menu(self)
        menu.addAction(
            tr("Rename…"),
            lambda: renaming.ask(self, self.parts, stack.ref, tr("Rename the stack")),
        )
        menu.addAction(tr("Double it"), self._double)
        menu.addAction(tr("Renumber all cues"), self.hand.renumber)

        guard = menu.addMenu(tr("A second GO is taken"))
        for seconds, words in GUARDS:
            action = guard.addAction(words)
            action.setCheckable(True)
            action.setChecked(stack.guard == seconds)
            action.triggered.connect(lambda *_, s=seconds: self._set_guard(s))

        ahead = menu.addAction(tr("Dark lamps go ahead to the next cue"))
        ahead.setCheckable(True)
        ahead.setChecked(stack.dark_moves)
        ahead.triggered.connect(lambda on: self._set_dark_moves(bool(on)))

        taking = menu.addAction(tr("Take the times by hand"))
        taking.setCheckable(True)
        taking.setChecked(self.hand.takes_times)
        taking.triggered.connect(lambda on: self.hand.take_times(bool(on)))

        menu.addSeparator()
        self.files.fill(menu)
        menu.addSeparator()
        menu.addAction(tr("Delete the stack"), self._delete)
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _double(self) -> None:
        stack = self.hand.stack
        if stack is not None:
            show, ref = edits.duplicate(self.hand.show, stack.ref)
            self.parts.document.edit(tr("double {name}", name=stack.name), show)
            self.hand.open(ref.id)

    def _set_guard(self, seconds: float) -> None:
        stack = self.hand.stack
        if stack is not None:
            show = edits.change(self.hand.show, stack.ref, guard=seconds)
            self.parts.document.edit(tr("guard time of GO"), show)

    def _set_dark_moves(self, on: bool) -> None:
        stack = self.hand.stack
        if stack is not None:
            show = edits.change(self.hand.show, stack.ref, dark_moves=on)
            self.parts.document.edit(tr("whether dark lamps go ahead"), show)

    def _delete(self) -> None:
        stack = self.hand.stack
        if stack is not None:
            show = edits.remove(self.hand.show, stack.ref)
            self.parts.document.edit(tr("delete {name}", name=stack.name), show)

    def _usual_panes(self, has_text: bool) -> None:
        """What is shown beside the cues at first: the text, where there is one."""
        self.panes["text"].setChecked(has_text)
        self.panes["things"].setChecked(self._roomy and not has_text)
        self.panes["cue"].setChecked(self._roomy and not has_text)

    def _arrange(self) -> None:
        """Show what is wanted beside the cues."""
        there, dry = self.hand.stack is not None, self.hand.dry is not None
        beside = there and (self._roomy or not dry)
        self.things.setVisible(not there or self._wants("things", beside and not dry))
        self.text.setVisible(self._wants("text", beside))
        self.form.setVisible(self._wants("cue", beside and not dry))
        self.dry.setVisible(dry)

    def _wants(self, pane: str, room: bool) -> bool:
        return room and self.panes[pane].isChecked()

    def _dry_changed(self) -> None:
        on = self.hand.dry is not None
        self.run_dry.setChecked(on)
        self._arrange()
        if on:
            self.dry.begin()

    def _checked(self) -> None:
        """Show what the check found."""
        found = self.checking.found
        self.table.cues.show_problems(by_cue(found))
        self.hand.moving = {one.cue: one.text for one in found if one.moves}
        self.slab.follow()
        self.problems.setText(plural(len(found), "{n} to look at", "{n} to look at"))
        token = theme.ALARM if any(one.grave for one in found) else theme.KEEP
        self.problems.setIcon(theme.icon("shield", token))
        self.problems.setVisible(bool(found) and self.hand.stack is not None)

    def _menu_of_problems(self) -> None:
        menu = Menu(self)
        names = {cue.id: called(cue) for cue in self.hand.cues}
        for problem in self.checking.found[:MOST_PROBLEMS]:
            cue = names.get(problem.cue)
            text = problem.text
            if cue is not None:
                text = tr("{cue}: {problem}", cue=cue, problem=problem.text)
            menu.addAction(text, partial(self.hand.choose, [problem.cue]))
        rest = len(self.checking.found) - MOST_PROBLEMS
        if rest > 0:
            more = plural(rest, "and {n} more", "and {n} more")
            menu.addAction(more).setEnabled(False)
        below = self.problems.rect().bottomLeft()
        menu.exec(self.problems.mapToGlobal(below))

    def showEvent(self, event: QShowEvent) -> None:
        """What was edited elsewhere is checked."""
        super().showEvent(event)
        self.checking.soon()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room the cues have it."""
        roomy = self.width() >= ROOMY
        if roomy != self._roomy:
            self._roomy = roomy
            stack = self.hand.stack
            self._usual_panes(stack is not None and bool(stack.text))
            self._arrange()
        super().resizeEvent(event)

    def escape(self) -> bool:
        """End the dry run, or choose no cue, or no clip. Returns whether there was
        anything.
        """
        if self.shows_line:
            return self.lines.escape()
        if self.hand.dry is not None:
            self.hand.run_dry(False)
            return True
        if not self.hand.chosen:
            return False
        self.hand.choose([])
        return True


class EmptyPane(QWidget):
    """Where there is no stack yet: what plays begins one where it is dropped."""

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self.setAcceptDrops(True)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if all_carried(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A stack with a cue of each."""
        self.hand.add_of(all_carried(event.mimeData()))
        event.acceptProposedAction()


GUARDS = (
    (0.0, tr("at once")),
    (0.25, tr("after 0.25 s")),
    (0.5, tr("after 0.5 s")),
    (1.0, tr("after 1 s")),
)
"""Seconds after a GO in which another one by hand is not taken."""
