"""Patterns: which one, over which lamps in which order, what it drives and how fast;
each moves before it is taken.
"""

from __future__ import annotations

import time

from PySide6.QtCore import QRect, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QHideEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractScrollArea,
    QCheckBox,
    QComboBox,
    QDialog,
    QFrame,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from choreon.model import attributes as at
from choreon.model import chases, edits
from choreon.model.patterns import RULES, Rule, cells_of, found, items_of
from choreon.model.playables import Chase, Scene
from choreon.model.playables.chase import Lie, Pattern, Unit
from choreon.model.refs import Ref, name_of
from choreon.model.values import Value
from choreon.ui import theme
from choreon.ui.compose.hand import Hand
from choreon.ui.compose.spread_panel import ColourButton
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.values import ValueField

WIDE, TALL = 176, 58
GAP = 6
RATE = 84  # milliseconds between pictures
LEVEL, COLOURS, SCENES, OTHER = "level", "colours", "scenes", "other"
DRIVES = (
    (LEVEL, "A level"),
    (COLOURS, "Two colours"),
    (SCENES, "Two scenes"),
    (OTHER, "Any attribute"),
)
LIES = (
    (Lie.CHOSEN, "As in the list"),
    (Lie.ADDRESS, "By address"),
    (Lie.PLACE, "Across the stage"),
)


class RuleGrid(QAbstractScrollArea):
    """Rules in lines, each with the lamps as they go on and off."""

    chosen = Signal(str)
    taken = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.rules: list[Rule] = []
        self.lamps = 8
        self.step_beats = 1.0
        self.rule = ""
        self._tables: dict[tuple[str, int], list[tuple[float, ...]]] = {}
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setStyleSheet("background: transparent;")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Patterns")
        self.setToolTip("Patterns: press one to take it in hand")
        self._tick = QTimer(self, interval=RATE)
        self._tick.timeout.connect(self.viewport().update)

    def showEvent(self, event: QShowEvent) -> None:
        self._tick.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._tick.stop()

    def show_rules(self, rules: list[Rule], lamps: int) -> None:
        """Show rules as they are over so many lamps."""
        self.rules, self.lamps = rules, max(1, lamps)
        self._fit()
        self.viewport().update()

    @property
    def columns(self) -> int:
        """How many lie side by side."""
        return max(1, (self.viewport().width() + GAP) // (WIDE + GAP))

    def rect_of(self, index: int) -> QRect:
        """Where a rule is drawn."""
        row, column = divmod(index, self.columns)
        top = row * (TALL + GAP) - self.verticalScrollBar().value()
        return QRect(column * (WIDE + GAP), top, WIDE, TALL)

    def _fit(self) -> None:
        tall = -(-len(self.rules) // self.columns) * (TALL + GAP)
        bar = self.verticalScrollBar()
        bar.setRange(0, max(0, tall - self.viewport().height()))
        bar.setPageStep(self.viewport().height())
        bar.setSingleStep(TALL + GAP)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.viewport().update()

    def _table(self, rule: Rule) -> list[tuple[float, ...]]:
        key = (rule.id, self.lamps)
        if key not in self._tables:
            if len(self._tables) > 600:
                self._tables.clear()
            self._tables[key] = rule.table(self.lamps)
        return self._tables[key]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        beat = self.parts.engine.state.beat(time.monotonic()) / self.step_beats
        for index, rule in enumerate(self.rules):
            rect = self.rect_of(index)
            if rect.bottom() >= 0 and rect.top() <= self.viewport().height():
                self._draw(painter, QRectF(rect), rule, beat)

    def _draw(self, painter: QPainter, rect: QRectF, rule: Rule, beat: float) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        chosen = rule.id == self.rule
        painter.setBrush(QColor(theme.BATTEN if chosen else theme.FLAT))
        painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        if chosen:
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        table = self._table(rule)
        line = table[int(beat) % len(table)] if table else ()
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
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(12))
        low = QRectF(rect.left() + 10, rect.bottom() - 24, rect.width() - 20, 20)
        beats = f"{len(table)}"
        painter.setPen(QColor(theme.SOFT))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(low, right, beats)
        room = low.width() - painter.fontMetrics().horizontalAdvance(beats) - 6
        painter.setPen(QColor(theme.TEXT))
        name = painter.fontMetrics().elidedText(
            rule.name, Qt.TextElideMode.ElideRight, int(room)
        )
        painter.drawText(low, Qt.AlignmentFlag.AlignVCenter, name)

    def choose(self, rule: str) -> None:
        """Take a rule in hand."""
        self.rule = rule
        self.viewport().update()
        self.chosen.emit(rule)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take the one that is pressed in hand."""
        self.setFocus()
        for index, rule in enumerate(self.rules):
            if self.rect_of(index).contains(event.position().toPoint()):
                self.choose(rule.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Keep it."""
        self.taken.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from one to the next."""
        by = {
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: -self.columns,
            Qt.Key.Key_Down: self.columns,
        }.get(Qt.Key(event.key()), 0)
        if not by or not self.rules:
            super().keyPressEvent(event)
            return
        ids = [rule.id for rule in self.rules]
        now = ids.index(self.rule) if self.rule in ids else 0
        index = min(len(ids) - 1, max(0, now + by))
        self.choose(ids[index])
        rect, bar = self.rect_of(index), self.verticalScrollBar()
        if rect.top() < 0:
            bar.setValue(bar.value() + rect.top())
        elif rect.bottom() > self.viewport().height():
            bar.setValue(bar.value() + rect.bottom() - self.viewport().height())


class PatternDialog(QDialog):
    """One pattern: a new one over the chosen lamps, or that of a chase. While it is
    open the pattern is seen in the stage picture. `kept` is the chase.
    """

    def __init__(
        self, parts: Parts, hand: Hand, parent: QWidget, chase: Ref | None = None
    ) -> None:
        super().__init__(parent)
        self.parts, self.hand, self.chase = parts, hand, chase
        self.kept: Ref | None = None
        self.setWindowTitle("Pattern")
        self.resize(940, 620)
        show = parts.document.show
        known = None if chase is None else chases.chase_of(show, chase).pattern
        self.before: Pattern | None = known
        lamps = parts.selection.chosen if known is None else known.lamps
        self.words = QLineEdit()
        self.words.setPlaceholderText("Find by name")
        self.words.setAccessibleName("Find a pattern by name")
        self.over = _box("Repeats over", ["any number of lamps", "the whole row"])
        for number in (1, 2, 3, 4, 5, 6, 8):
            self.over.addItem(f"{number} lamp{'s' * (number > 1)}", number)
        self.over.setItemData(1, 0)
        self.beats = _box("Lasts", ["any number of beats"])
        for number in (1, 2, 3, 4, 5, 6, 7, 8, 12, 14, 16):
            self.beats.addItem(f"{number} beat{'s' * (number > 1)}", number)
        self.grid = RuleGrid(parts)
        self.list = QListWidget()
        self.list.setAccessibleName("Lamps, in their order")
        self.list.setToolTip("Drag lamps to order; take the tick away to leave one out")
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.cells = QCheckBox("cell by cell")
        self.lie = _box("Order", [])
        for lie, text in LIES:
            self.lie.addItem(text, lie)
        self.drives = _box("What it drives", [])
        for drive, text in DRIVES:
            self.drives.addItem(text, drive)
        self.high = ValueField("On", 0, 100, "%", 0, 100.0)
        self.low = ValueField("Off", 0, 100, "%", 0, 0.0)
        self.high.set_value(100.0)
        self.low.set_value(0.0)
        self.colours = [ColourButton("Colour on"), ColourButton("Colour off")]
        self.colours[1].set_rgb((0.02, 0.05, 0.4))
        self.scenes = [_box("Scene on", []), _box("Scene off", [])]
        for box in self.scenes:
            for playable in show.playables.values():
                if isinstance(playable, Scene):
                    box.addItem(playable.name, playable.ref)
        self.attribute = _box("Attribute", [])
        self.step = ValueField("A step", 0.125, 16, "beats", 3, 1.0, bar=False)
        self.step.set_value(1.0)
        self.fade = ValueField("of it fading", 0, 100, "%", 0, 0.0)
        self.fade.set_value(0.0)
        self.told = basics.label("", "soft", wrap=True)
        self.name = QLineEdit()
        self.name.setPlaceholderText("Name")
        self.name.setAccessibleName("Name")
        self.keep = basics.button("Keep", self.keep_it, "main", "check")
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
            basics.label("Lamps", "soft"),
            self.list,
            self.lie,
            self.cells,
            basics.label("Drives", "soft"),
            self.drives,
            self.attribute,
            self.ends,
            self.swatches,
            self.pair,
            basics.row(self.step, self.fade, spacing=4),
            self.told,
            self.name,
            basics.row(1, basics.button("Not now", self.reject, "quiet"), self.keep),
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
            item = QListWidgetItem(hung.name if hung else f"{fixture} (gone)")
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
            self.name.setText("Pattern")
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
        drive = LEVEL
        if known.on_scene is not None or known.off_scene is not None:
            drive = SCENES
            for box, ref in zip(
                self.scenes, (known.on_scene, known.off_scene), strict=True
            ):
                box.setCurrentIndex(max(0, box.findData(ref)))
        elif at.RED in known.on:
            drive = COLOURS
            for button, values in zip(self.colours, (known.on, known.off), strict=True):
                rgb = [values.get(n, 0.0) for n in at.TARGET_COLOUR]
                plain = [float(v) if isinstance(v, float | int) else 0.5 for v in rgb]
                button.set_rgb((plain[0], plain[1], plain[2]))
        elif at.DIMMER not in known.on:
            drive = OTHER
            self.attribute.setCurrentIndex(
                self.attribute.findData(next(iter(known.on)))
            )
        self.drives.setCurrentIndex(self.drives.findData(drive))
        name = next(iter(known.on), at.DIMMER)
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
        rule = RULES.get(pattern.rule)
        self.grid.step_beats = max(0.125, self.step.value or 1.0)
        if rule is None or not count:
            self.told.setText("Nobody takes part: tick some lamps.")
        else:
            beats = rule.beats(count) * (self.step.value or 1.0)
            self.told.setText(
                f"{rule.name} over {count}: {rule.beats(count)} steps, {beats:g} "
                f"{self.step.unit} a round."
            )
        self.keep.setEnabled(rule is not None and count > 0)
        chase = Chase(
            id="tried",
            name="Tried",
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
        name = self.name.text().strip() or "Pattern"
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
        document.edit(f"keep the pattern {name_of(show, self.kept)}", show)
        self.accept()


def _box(name: str, entries: list[str]) -> QComboBox:
    made = QComboBox()
    made.setAccessibleName(name)
    made.setToolTip(name)
    for text in entries:
        made.addItem(text, None)
    return made
