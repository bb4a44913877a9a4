"""Patterns: which one, over which lamps in which order, what it drives and how fast;
each moves before it is taken.
"""

from __future__ import annotations

import time
from collections.abc import Mapping

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from choreon.language import plural, tr
from choreon.model import attributes as at
from choreon.model import chases, edits
from choreon.model.patterns import (
    RULES,
    Rule,
    cells_of,
    found,
    items_of,
    rule_of,
)
from choreon.model.playables import Chase, Scene
from choreon.model.playables.chase import Lie, Pattern, Unit
from choreon.model.refs import Ref, name_of
from choreon.model.values import Value
from choreon.terms import a_round
from choreon.ui import theme
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.spread_panel import ColourButton
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import SEARCH, Dialog
from choreon.ui.widgets.moving_grid import MovingGrid
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

LEVEL, COLOURS, SCENES, OTHER = "level", "colours", "scenes", "other"
DRIVES = (
    (LEVEL, tr("A level")),
    (COLOURS, tr("Two colours")),
    (SCENES, tr("Two scenes")),
    (OTHER, tr("Any attribute")),
)
LIES = (
    (Lie.CHOSEN, tr("As in the list")),
    (Lie.ADDRESS, tr("By address")),
    (Lie.PLACE, tr("Across the stage")),
)


class RuleGrid(MovingGrid):
    """Rules in lines, each with the lamps as they go on and off."""

    chosen = Signal(str)
    taken = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__(
            tr("Patterns"), tr("Patterns: press one to take it in hand"), 176, 58
        )
        self.parts = parts
        self.rules: list[Rule] = []
        self.lamps = 8
        self.step_beats = 1.0
        self.rule = ""
        self._tables: dict[tuple[str, int], list[tuple[float, ...]]] = {}

    def count(self) -> int:
        """How many rules are shown."""
        return len(self.rules)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: the pattern in hand."""
        names = [rule.name for rule in self.rules if rule.id == self.rule]
        return Spoken(
            Role.List,
            "".join(names) or plural(len(self.rules), "{n} pattern", "{n} patterns"),
        )

    def show_rules(self, rules: list[Rule], lamps: int) -> None:
        """Show rules as they are over so many lamps."""
        self.rules, self.lamps = rules, max(1, lamps)
        self.fit()

    def _table(self, rule: Rule) -> list[tuple[float, ...]]:
        key = (rule.id, self.lamps)
        if key not in self._tables:
            if len(self._tables) > 600:
                self._tables.clear()
            self._tables[key] = rule.table(self.lamps)
        return self._tables[key]

    def draw(self, painter: QPainter, rect: QRectF, index: int) -> None:
        """Draw a rule: its lamps as they are at this beat, its name, its beats."""
        rule = self.rules[index]
        chosen = rule.id == self.rule
        self.draw_ground(painter, rect, chosen, chosen)
        table = self._table(rule)
        beat = self.parts.engine.state.beat(time.monotonic()) / self.step_beats
        self._draw_lamps(painter, rect, table[int(beat) % len(table)] if table else ())
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(12))
        self.draw_name(painter, rect, rule.name, str(len(table)))

    def _draw_lamps(
        self, painter: QPainter, rect: QRectF, line: tuple[float, ...]
    ) -> None:
        step = (rect.width() - 20) / max(1, len(line))
        size = min(12.0, step * 0.8)
        painter.setPen(Qt.PenStyle.NoPen)
        for n, level in enumerate(line):
            middle = rect.left() + 10 + step * (n + 0.5)
            painter.setBrush(QColor(theme.PIT))
            dot = QRectF(middle - size / 2, rect.top() + 18 - size / 2, size, size)
            painter.drawEllipse(dot)
            painter.setBrush(theme.colour(theme.TEXT, level))
            painter.drawEllipse(dot)

    def choose(self, rule: str) -> None:
        """Take a rule in hand."""
        self.rule = rule
        self.viewport().update()
        self.chosen.emit(rule)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the one that is pressed in hand."""
        self.setFocus()
        index = self.index_at(event.position().toPoint())
        if index >= 0:
            self.choose(self.rules[index].id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Keep it."""
        self.taken.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from one to the next."""
        ids = [rule.id for rule in self.rules]
        now = ids.index(self.rule) if self.rule in ids else 0
        index = self.beside(event, now)
        if index is None:
            super().keyPressEvent(event)
            return
        self.choose(ids[index])
        self.into_sight(index)


def driven_by(pattern: Pattern) -> str:
    """Returns what a pattern drives: LEVEL, COLOURS, SCENES or OTHER."""
    if pattern.on_scene is not None or pattern.off_scene is not None:
        return SCENES
    if at.RED in pattern.on:
        return COLOURS
    return LEVEL if at.DIMMER in pattern.on else OTHER


def _rgb_of(values: Mapping[str, Value]) -> tuple[float, float, float]:
    """A colour among values; links, which have no number here, half up."""
    found = [values.get(name, 0.0) for name in at.TARGET_COLOUR]
    r, g, b = (float(v) if isinstance(v, float | int) else 0.5 for v in found)
    return r, g, b


class PatternDialog(Dialog):
    """One pattern: a new one over the chosen lamps, or that of a chase. While it is
    open the pattern is seen in the stage picture. `kept` is the chase.
    """

    def __init__(
        self, parts: Parts, hand: Hand, parent: QWidget, chase: Ref | None = None
    ) -> None:
        super().__init__(parent)
        self.parts, self.hand, self.chase = parts, hand, chase
        self.kept: Ref | None = None
        self.setWindowTitle(tr("Pattern"))
        self.resize(940, 620)

        show = parts.document.show
        known = None if chase is None else chases.chase_of(show, chase).pattern
        self.before: Pattern | None = known
        lamps = parts.selection.chosen if known is None else known.lamps
        self.words = QLineEdit()
        self.words.setProperty(SEARCH, True)

        self.words.setPlaceholderText(tr("Find one of {n} by name", n=len(RULES)))
        self.words.setAccessibleName(tr("Find a pattern by name"))
        self.over = _box(
            tr("Repeats over"), [tr("any number of fixtures"), tr("the whole row")]
        )

        for number in (1, 2, 3, 4, 5, 6, 8):
            self.over.addItem(
                plural(number, "{n} fixture", "{n} fixtures"),
                number,
            )

        self.over.setItemData(1, 0)
        self.beats = _box(tr("Lasts"), [tr("any number of beats")])
        for number in (1, 2, 3, 4, 5, 6, 7, 8, 12, 14, 16):
            self.beats.addItem(
                plural(number, "{n} beat", "{n} beats"),
                number,
            )

        self.grid = RuleGrid(parts)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Fixtures, in their order"))
        self.list.setToolTip(tr("Drag to order; take the tick away to leave one out"))
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)

        self.cells = Tick(tr("cell by cell"))
        self.lie = _box(tr("Order"), [])
        for lie, text in LIES:
            self.lie.addItem(text, lie)

        self.drives = _box(tr("What it drives"), [])
        for drive, text in DRIVES:
            self.drives.addItem(text, drive)

        self.high = ValueField(tr("On"), 0, 100, "%", 0, 100.0)
        self.low = ValueField(tr("Off"), 0, 100, "%", 0, 0.0)
        self.high.set_value(100.0)
        self.low.set_value(0.0)
        self.colours = [ColourButton(tr("Colour on")), ColourButton(tr("Colour off"))]

        self.colours[1].set_rgb((0.02, 0.05, 0.4))
        self.scenes = [_box(tr("Scene on"), []), _box(tr("Scene off"), [])]

        for box in self.scenes:
            for playable in show.playables.values():
                if isinstance(playable, Scene):
                    box.addItem(playable.name, playable.ref)

        self.attribute = _box(tr("Attribute"), [])
        self.step = ValueField(tr("A step"), 0.125, 16, "beats", 3, 1.0, bar=False)
        self.step.set_value(1.0)
        self.fade = ValueField(tr("of it fading"), 0, 100, "%", 0, 0.0)
        self.fade.set_value(0.0)

        self.told = basics.label("", "soft", wrap=True)
        self.name = QLineEdit()
        self.name.setPlaceholderText(tr("Name"))
        self.name.setAccessibleName(tr("Name"))
        self.keep = basics.button(tr("Keep"), self.keep_it, "main", "check")

        self._fill_lamps(lamps, known)
        self._fill_attributes(lamps)
        self._lay_out()
        self._show(known)
        self._wire()

        self._find()
        self._changed()

    def _lay_out(self) -> None:
        left = QWidget()
        basics.stack(
            left,
            basics.row(self.words, self.over, self.beats, spacing=6),
            self.grid,
            spacing=8,
        ).setStretch(1, 1)

        right = QWidget()
        right.setFixedWidth(270)
        self.ends = basics.row(self.high, self.low, spacing=4)
        self.swatches = basics.row(*self.colours, spacing=4)
        self.pair = QWidget()

        basics.stack(self.pair, *self.scenes, spacing=4)
        basics.stack(
            right,
            basics.label(tr("Fixtures"), "soft"),
            self.list,
            self.lie,
            self.cells,
            basics.label(tr("Drives"), "soft"),
            self.drives,
            self.attribute,
            self.ends,
            self.swatches,
            self.pair,
            self.step,
            self.fade,
            self.told,
            self.name,
            basics.row(1, basics.button(tr("Cancel"), self.reject, "quiet"), self.keep),
            spacing=6,
        ).setStretch(1, 1)

        whole = basics.row(left, right, spacing=14)
        basics.grow(whole, 0)
        basics.stack(self, whole, margins=14)

    def _fill_lamps(self, lamps: tuple[str, ...], known: Pattern | None) -> None:
        show = self.parts.document.show
        left_out = set() if known is None else set(known.left_out)

        for fixture in lamps:
            hung = show.fixtures.get(fixture)
            item = QListWidgetItem(
                hung.name if hung else tr("{fixture} (gone)", fixture=fixture)
            )
            item.setData(Qt.ItemDataRole.UserRole, fixture)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            on = (
                Qt.CheckState.Unchecked
                if fixture in left_out
                else Qt.CheckState.Checked
            )
            item.setCheckState(on)

            self.list.addItem(item)

        cells = [i for i in lamps if i in show.fixtures and cells_of(show, i) > 1]
        self.cells.setVisible(bool(cells))
        self.cells.setChecked(bool(cells) if known is None else known.cells)

    def _fill_attributes(self, lamps: tuple[str, ...]) -> None:
        names: dict[str, None] = {}
        for fixture in lamps:
            names |= dict.fromkeys(self.hand.rig.where.get(fixture, {}))
        for name in sorted(names, key=lambda n: at.attribute(n).label):
            known = at.attribute(name)
            if name not in at.TARGET_COLOUR and not known.command and not known.program:
                self.attribute.addItem(known.label, name)

    def _show(self, known: Pattern | None) -> None:
        """Show a pattern that there is."""
        if known is None or self.chase is None:
            self.grid.rule = "pair-bounce"
            self.name.setText(tr("Pattern"))
            return
        chase = chases.chase_of(self.parts.document.show, self.chase)
        self.grid.rule = known.rule
        self.lie.setCurrentIndex(self.lie.findData(known.lie))
        self.name.setText(chase.name)
        self.step.set_value(chase.fade + chase.hold)
        self.fade.set_value(100 * chases.share_of(chase))
        self.step.unit = str(chase.unit)
        self._show_drive(known)

    def _show_drive(self, known: Pattern) -> None:
        name = next(iter(known.on), at.DIMMER)
        self.drives.setCurrentIndex(self.drives.findData(driven_by(known)))
        self.attribute.setCurrentIndex(max(0, self.attribute.findData(name)))
        scenes = zip(self.scenes, (known.on_scene, known.off_scene), strict=True)

        for box, ref in scenes:
            box.setCurrentIndex(max(0, box.findData(ref)))

        if at.RED in known.on:
            for button, values in zip(self.colours, (known.on, known.off), strict=True):
                button.set_rgb(_rgb_of(values))

        times = 100.0 if at.attribute(name).unit == "%" else 1.0
        for field, values in ((self.high, known.on), (self.low, known.off)):
            value = values.get(name, 0.0)
            if isinstance(value, float | int):
                field.set_value(value * times)

    def _wire(self) -> None:
        self.words.textChanged.connect(lambda _: self._find())
        self.over.currentIndexChanged.connect(lambda _: self._find())
        self.beats.currentIndexChanged.connect(lambda _: self._find())
        self.grid.chosen.connect(lambda _: self._changed())
        self.grid.taken.connect(self.keep_it)

        self.list.itemChanged.connect(lambda _: self._changed())
        self.list.model().rowsMoved.connect(lambda *_: self._changed())
        self.cells.toggled.connect(lambda _: self._changed())

        for box in (self.lie, self.drives, self.attribute, *self.scenes):
            box.currentIndexChanged.connect(lambda _: self._changed())

        for field in (self.high, self.low, self.step, self.fade):
            field.changed.connect(lambda _: self._changed())

        for button in self.colours:
            button.changed.connect(lambda _: self._changed())

        self.finished.connect(lambda _: self.parts.preview.try_chase(None))

    # what it comes to

    def lamps(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Returns the lamps in their order, and those that are left out."""
        ids, left_out = [], []
        for row in range(self.list.count()):
            item = self.list.item(row)
            ids.append(str(item.data(Qt.ItemDataRole.UserRole)))
            if item.checkState() != Qt.CheckState.Checked:
                left_out.append(ids[-1])
        return tuple(ids), tuple(left_out)

    def pattern(self) -> Pattern:
        """Returns the pattern as it is set."""
        ids, left_out = self.lamps()
        drive = self.drives.currentData()
        on, off = self._ends(drive)
        refs = [box.currentData() for box in self.scenes]

        return Pattern(
            rule=self.grid.rule,
            lamps=ids,
            left_out=left_out,
            cells=self.cells.isChecked() and self.cells.isVisibleTo(self),
            lie=self.lie.currentData(),
            on=on,
            off=off,
            on_scene=refs[0] if drive == SCENES else None,
            off_scene=refs[1] if drive == SCENES else None,
        )

    def _ends(self, drive: str) -> tuple[dict[str, Value], dict[str, Value]]:
        """What lamps get that are on, and that are off."""
        if drive == COLOURS:
            made = []
            for button in self.colours:
                values: dict[str, Value] = dict(
                    zip(at.TARGET_COLOUR, button.rgb, strict=True)
                )
                made.append(values)
            return made[0], made[1]
        name = at.DIMMER if drive != OTHER else str(self.attribute.currentData())
        times = 100.0 if at.attribute(name).unit == "%" else 1.0
        high, low = self.high.value or 0.0, self.low.value or 0.0
        return {name: high / times}, {name: low / times}

    def _times(self) -> dict[str, float]:
        whole = self.step.value or 1.0
        share = (self.fade.value or 0.0) / 100
        return {"fade": share * whole, "hold": (1.0 - share) * whole}

    def _find(self) -> None:
        count = len(items_of(self.parts.document.show, self.pattern()))
        rules = found(
            self.words.text(), self.over.currentData(), self.beats.currentData(), count
        )
        self.grid.show_rules(rules, count)

    def _changed(self) -> None:
        """Show what is set, in the picture too."""
        drive = self.drives.currentData()
        self.attribute.setVisible(drive == OTHER)
        self.ends.setVisible(drive in (LEVEL, OTHER))
        self.swatches.setVisible(drive == COLOURS)
        self.pair.setVisible(drive == SCENES)

        if drive == OTHER and self.attribute.count():
            known = at.attribute(str(self.attribute.currentData()))
            times = 100.0 if known.unit == "%" else 1.0
            for field in (self.high, self.low):
                field.low, field.high = known.low * times, known.high * times
                field.unit = known.unit

        self._find()
        pattern = self.pattern()
        count = len(items_of(self.parts.document.show, pattern))
        rule = rule_of(pattern.rule)
        self.grid.step_beats = max(0.125, self.step.value or 1.0)

        if rule is None or not count:
            self.told.setText(tr("No fixture takes part: tick some."))
        else:
            beats = rule.beats(count) * (self.step.value or 1.0)
            self.told.setText(
                plural(
                    rule.beats(count),
                    "{name} over {count}: {n} step, {a_round}.",
                    "{name} over {count}: {n} steps, {a_round}.",
                    name=rule.name,
                    count=count,
                    a_round=a_round(beats, self.step.unit),
                )
            )

        self.keep.setEnabled(rule is not None and count > 0)
        chase = Chase(
            id="tried",
            name=tr("Tried"),
            pattern=pattern,
            unit=Unit.BEATS,
            fade=self._times()["fade"],
            hold=self._times()["hold"],
        )

        self.parts.preview.try_chase(chase if count else None)

    def keep_it(self) -> None:
        """Store it."""
        if not self.keep.isEnabled():
            return

        document, pattern = self.parts.document, self.pattern()
        name = self.name.text().strip() or tr("Pattern")
        if self.chase is not None:
            show = edits.change(
                document.show, self.chase, pattern=pattern, **self._times()
            )
            show = edits.rename(show, self.chase, name)
            self.kept = self.chase
        else:
            show, self.kept = chases.keep_pattern(
                document.show, name, pattern, unit=Unit.BEATS, **self._times()
            )

        document.edit(
            tr("keep the pattern {name}", name=name_of(show, self.kept)), show
        )

        self.accept()


def _box(name: str, entries: list[str]) -> QComboBox:
    made = QComboBox()
    made.setAccessibleName(name)
    made.setToolTip(name)
    for text in entries:
        made.addItem(text, None)
    return made
