"""A dry run: the cues in the stage picture and as values, while the stage stays as it
is.
"""

from __future__ import annotations

import time
from collections.abc import Mapping
from typing import NamedTuple

from PySide6.QtCore import QAbstractTableModel, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QFrame, QHeaderView, QTableView

from choreon.engine.dry_run import DryRun
from choreon.language import plural, tr
from choreon.model.lamps import fixtures_of
from choreon.model.playables import Stack
from choreon.model.show import Show
from choreon.model.values import Look, Value
from choreon.render.capture import frozen
from choreon.render.sources.stack import step_at
from choreon.render.state import Player, PlayState
from choreon.ui import theme, words
from choreon.ui.score.hand import ScoreHand
from choreon.ui.stage.picture import StagePicture
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.items import NO_PARENT, AnyIndex
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

AGAIN = 0.4  # seconds between looks at values while they fade
TITLES = (tr("Lamp"), tr("What"), tr("Now"), tr("Before"))


class Line(NamedTuple):
    """One value of a lamp: what it is now, and in the cue before."""

    lamp: str
    what: str
    now: str
    before: str

    @property
    def changed(self) -> bool:
        """Whether it is another one than before."""
        return self.now != self.before


def lines_of(show: Show, now: Look, before: Look) -> list[Line]:
    """Returns the values of lamps line by line, beside those of the cue before."""
    found = []
    for fixture, what, attributes in words.lines(now):
        known = show.fixtures.get(fixture)
        name = fixture if known is None else known.name
        here = _in_words(show, attributes, now[fixture])
        there = _in_words(show, attributes, before.get(fixture, {}))
        found.append(Line(name, what, here, there))
    return found


def _in_words(
    show: Show, attributes: tuple[str, ...], values: Mapping[str, Value]
) -> str:
    """The values of some attributes of a lamp; a colour as one."""
    given = [values[name] for name in attributes if name in values]
    if len(given) < len(attributes):
        return "–"
    plain = [value for value in given if isinstance(value, float | int)]
    if len(attributes) == 3 and len(plain) == 3:
        return words.hex_colour(plain)
    pairs = zip(attributes, given, strict=True)
    texts = [words.value(name, value, show) for name, value in pairs]
    return "  ".join(dict.fromkeys(texts))


def _whole(dry: DryRun, stack: Stack, lamps: list[str]) -> Look:
    """What the cue before the one that a dry run is at gives, wholly there."""
    place = stack.place_of(dry.cue)
    if not place:
        return {}
    step = step_at(stack, stack.cues[place - 1])
    only = PlayState((Player("before", "", (step,)),))
    return frozen(dry.compiled, only, dry.now, lamps)


class ValueModel(QAbstractTableModel):
    """The values of the lamps that a stack uses."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[Line] = []

    def show_lines(self, lines: list[Line]) -> None:
        """Show these."""
        if len(lines) != len(self.lines):
            self.beginResetModel()
            self.lines = lines
            self.endResetModel()
        elif lines != self.lines:
            self.lines = lines
            last = self.index(len(lines) - 1, len(TITLES) - 1)
            self.dataChanged.emit(self.index(0, 0), last)

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.lines)

    def columnCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(TITLES)

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> str | None:
        shown = role == Qt.ItemDataRole.DisplayRole
        across = orientation == Qt.Orientation.Horizontal
        return TITLES[section] if shown and across else None

    def data(self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        line = self.lines[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return line[index.column()]
        if role == Qt.ItemDataRole.ForegroundRole:
            strong = line.changed and index.column() != 3
            return QColor(theme.TEXT if strong else theme.SOFT)
        if role == Qt.ItemDataRole.FontRole:
            return theme.font(13, strong=line.changed and index.column() == 2)
        return None


class DryPane(QFrame):
    """The stage as it would be, and the values of the lamps that the stack uses."""

    def __init__(self, hand: ScoreHand) -> None:
        super().__init__()
        self.hand = hand
        self.setProperty("panel", "true")
        self._cue, self._looked = "", 0.0
        self._before: Look = {}
        self._now: Look = {}

        self.picture = StagePicture(hand.parts, choosing=False)
        self.speed = ValueField(tr("Speed"), 0.25, 16.0, "×", 2, 1.0, bar=False)
        self.speed.set_value(1.0)
        self.speed.setFixedWidth(130)
        self.speed.setToolTip(tr("How fast the dry run goes; ×1 is as it will be"))
        self.speed.changed.connect(hand.set_dry_speed)
        self.end = basics.button(
            tr("To the end of the fade"),
            hand.end_dry_fades,
            "quiet",
            tip=tr("Have all fades that are under way be over"),
        )
        self.only = Tick(tr("only what changes"))
        self.only.setChecked(True)
        self.only.toggled.connect(lambda _: self._show())
        self.close_it = basics.button(
            tr("End the dry run"), lambda: hand.run_dry(False), "main"
        )
        self.count = basics.label("", "small")

        self.values = ValueModel()
        self.table = QTableView()
        self.table.setModel(self.values)
        self.table.setAccessibleName(tr("Values in the dry run"))
        self.table.setSelectionMode(QTableView.SelectionMode.NoSelection)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setWordWrap(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(24)
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        header.setDefaultAlignment(left)

        box = basics.stack(
            self,
            flow(
                basics.label(tr("Dry run: the stage stays as it is"), "heading"),
                1,
                self.close_it,
            ),
            self.picture,
            flow(self.speed, self.end, 1, self.only, self.count),
            self.table,
            margins=10,
        )
        box.setStretch(1, 3)
        box.setStretch(3, 2)
        hand.went.connect(self._follow)

    def begin(self) -> None:
        """A dry run begins."""
        self._cue, self._looked = "", 0.0
        self._before, self._now = {}, {}
        self.speed.set_value(1.0)
        self._follow()

    def _follow(self) -> None:
        dry = self.hand.dry
        if dry is None or not self.isVisible():
            return

        now = time.monotonic()
        stack, another = self.hand.stack, dry.cue != self._cue
        if stack is None or (not another and now - self._looked < AGAIN):
            return

        self._looked = now
        lamps = fixtures_of(self.hand.show, [stack.ref])
        if another:
            self._cue = dry.cue
            self._before = _whole(dry, stack, lamps)
        self._now = frozen(dry.compiled, dry.state, dry.now, lamps)
        self._show()

    def _show(self) -> None:
        lines = lines_of(self.hand.show, self._now, self._before)
        changed = [line for line in lines if line.changed]
        self.values.show_lines(changed if self.only.isChecked() else lines)
        text = plural(
            len(lines) - len(changed),
            "{n} value stays",
            "{n} values stay",
        )
        basics.say(self.count, text)
