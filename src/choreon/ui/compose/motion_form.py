"""The form of one effect: its shape, what it does, how fast, and how it lies."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QPushButton, QVBoxLayout, QWidget

from choreon.language import tr
from choreon.model.effects import fixtures_of, motion_of
from choreon.model.motion import AnyMotion, By, Effect, title
from choreon.ui.compose import motion_fields as fields
from choreon.ui.compose.motion_fields import ChoiceField, Entry, Number, Toggle
from choreon.ui.compose.motion_parts import PARTS, MotionPart, show_chips
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import Chip, ChipList
from choreon.ui.widgets.values import ValueField

replace = fields.replace

BYS = (
    (By.FIXTURES, tr("Fixtures")),
    (By.CELLS, tr("Cells")),
    (By.EACH, tr("Each by itself")),
)
SECONDS, BEATS = "seconds", "beats"
CHOSEN = tr("chosen now")  # stands among the groups for the lamps that are chosen


class MotionForm(QWidget):
    """Fields of one effect. `changed` tells the effect as it is to be, and what was
    changed.
    """

    changed = Signal(object, str)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.effect: Effect | None = None
        self.rows: list[tuple[Entry, QWidget]] = []
        self._built: object = None

        self._made: dict[str, MotionPart] = {}

        self._make_rate()
        self._make_whom()
        self.own = QVBoxLayout()
        self.fields = QWidget()
        self.box = QVBoxLayout(self.fields)

        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(4)

        whole = basics.stack(
            self,
            self.rates,
            basics.row(self.seconds, self.beats, self.factor, spacing=4),
            self.clocks,
            self.whom,
            self.bys,
            self.fields,
            spacing=6,
        )
        whole.insertLayout(0, self.own)

    def _make_rate(self) -> None:
        """How fast it goes, and by whose clock."""
        self.rates = ChipList(tr("Rate in"), font_size=12)
        self.rates.chips.show_chips(
            [Chip(SECONDS, tr("Seconds")), Chip(BEATS, tr("Beats of the tempo"))]
        )
        self.rates.picked.connect(self._set_unit)

        self.seconds = ValueField(tr("A cycle takes"), 0.1, 60, "s", 2, 4.0, bar=False)
        self.beats = ValueField(
            tr("A cycle takes"), 0.25, 64, "beats", 2, 4.0, bar=False
        )
        self.factor = ValueField(tr("Times as fast"), 0.125, 8, "×", 3, 1.0, bar=False)
        self.seconds.changed.connect(partial(self._set, "rate.seconds"))
        self.beats.changed.connect(partial(self._set, "rate.beats"))

        self.factor.changed.connect(partial(self._set, "rate.factor"))

        self.clocks = QComboBox()
        self.clocks.setAccessibleName(tr("Clock"))
        self.clocks.setToolTip(tr("Run by itself, or at the rate of another effect"))
        self.clocks.activated.connect(lambda _: self._set_clock())

    def _make_whom(self) -> None:
        """Whom it moves, and what is one in the row."""
        self.whom = QComboBox()
        self.whom.setAccessibleName(tr("Whom it moves"))
        self.whom.setToolTip(tr("Fixtures in their order, or a group that it follows"))
        self.whom.activated.connect(lambda _: self._set_whom())

        self.bys = ChipList(tr("What is one in the row"), font_size=12)
        self.bys.picked.connect(lambda i: self._put(by=BYS[i][0]))

    # showing

    @property
    def motion(self) -> AnyMotion:
        """The motion that is shown."""
        assert self.effect is not None
        return motion_of(self.parts.document.show, self.effect)

    def show_effect(self, effect: Effect, others: tuple[Effect, ...]) -> None:
        """Show an effect; `others` of the same look may lend it their clock."""
        self.effect = effect
        motion = self.motion
        self._show_part(motion)

        built = (type(motion), getattr(motion, "attribute", ""))
        if built != self._built:
            self._built = built
            self._build(motion)

        for entry, widget in self.rows:
            widget.setVisible(entry.when(motion))
            self._show_entry(entry, widget, motion)

        self._show_rate(motion, others)
        self._show_whom(effect)
        show_chips(self.bys, BYS, effect.by)
        self.bys.setVisible(self.part is None or self.part.has_rows)

    @property
    def part(self) -> MotionPart | None:
        """What is shown for the kind of its motion alone."""
        return self._made.get(self.motion.kind)

    def _show_part(self, motion: AnyMotion) -> None:
        """What only this kind of motion has, made when it is first shown."""
        make = PARTS.get(motion.kind)
        if make is not None and motion.kind not in self._made:
            made = self._made[motion.kind] = make(self.parts, self.put_motion)
            self.own.addWidget(made)

        for kind, part in self._made.items():
            part.setVisible(kind == motion.kind)
        if self.part is not None:
            self.part.show_motion(motion)

    def _build(self, motion: AnyMotion) -> None:
        basics.clear(self.box)
        self.rows = []
        line: list[QWidget] = []

        for entry in fields.FORMS[motion.kind]:
            widget = self._widget(entry)
            self.rows.append((entry, widget))
            if isinstance(entry, ChoiceField):
                self.box.addWidget(widget)
                continue

            line.append(widget)
            if len(line) == 2:
                self.box.addWidget(basics.row(*line, spacing=4))
                line = []

        if line:
            self.box.addWidget(basics.row(*line, spacing=4))

    def _widget(self, entry: Entry) -> QWidget:
        if isinstance(entry, Number):
            field = ValueField(
                entry.label, entry.low, entry.high, entry.unit, entry.digits, bar=False
            )
            field.changed.connect(partial(self._set_number, entry))
            return field

        if isinstance(entry, Toggle):
            button = basics.button(entry.label, lambda: None, "", "", entry.tip)
            button.setCheckable(True)
            button.setStyleSheet("padding: 5px 6px; min-width: 20px;")
            button.toggled.connect(partial(self._set, entry.field))

            return button

        chips = ChipList(entry.label, font_size=12)
        chips.picked.connect(lambda i, e=entry: self._set(e.field, e.options[i][0]))
        return chips

    def _show_entry(self, entry: Entry, widget: QWidget, motion: AnyMotion) -> None:
        if not entry.when(motion):
            return
        value = fields.read(motion, entry.field)
        if isinstance(entry, Number) and isinstance(widget, ValueField):
            widget.set_value(value * entry.times)
        elif isinstance(entry, Toggle) and isinstance(widget, QPushButton):
            widget.blockSignals(True)
            widget.setChecked(bool(value))
            widget.blockSignals(False)
        elif isinstance(entry, ChoiceField) and isinstance(widget, ChipList):
            show_chips(widget, entry.options, value)

    def _show_rate(self, motion: AnyMotion, others: tuple[Effect, ...]) -> None:
        assert self.effect is not None
        rate = motion.rate
        shared = bool(self.effect.clock)
        self.rates.chips.show_on([int(rate.by_tempo)])
        self.rates.setVisible(not shared)

        self.seconds.setVisible(not rate.by_tempo and not shared)
        self.beats.setVisible(rate.by_tempo and not shared)
        self.factor.setVisible(rate.by_tempo and not shared)
        self.seconds.set_value(rate.seconds)
        self.beats.set_value(rate.beats)

        self.factor.set_value(rate.factor)
        entries = [(tr("Own clock"), "")]
        show = self.parts.document.show

        for n, other in enumerate(others, 1):
            if other.id != self.effect.id:
                words = title(motion_of(show, other))
                entries.append(
                    (tr("Clock of {number}: {words}", number=n, words=words), other.id)
                )

        box = self.clocks
        now = [(box.itemText(i), box.itemData(i)) for i in range(box.count())]
        if now != entries:
            box.clear()
            for text, data in entries:
                box.addItem(text, data)

        box.setCurrentIndex(max(0, box.findData(self.effect.clock)))
        box.setVisible(len(entries) > 1)

    def _show_whom(self, effect: Effect) -> None:
        """Offer the lamps that it moves, those chosen now, and the groups."""
        show, chosen = self.parts.document.show, self.parts.selection.chosen
        count = len(fixtures_of(show, replace(effect, group="")))
        entries = [(tr("On its {count} fixtures", count=count), "")]

        if chosen and chosen != effect.fixtures:
            entries.append((tr("On the {n} chosen", n=len(chosen)), CHOSEN))

        for group in show.groups.values():
            entries.append((tr("On the group {name}", name=group.name), group.id))

        box = self.whom
        now = [(box.itemText(i), box.itemData(i)) for i in range(box.count())]
        if now != entries:
            box.clear()
            for text, data in entries:
                box.addItem(text, data)

        box.setCurrentIndex(max(0, box.findData(effect.group)))

    def _set_whom(self) -> None:
        whom = str(self.whom.currentData() or "")
        if whom == CHOSEN:
            selection = self.parts.selection
            cells = dict(selection.cells)
            self._put(fixtures=selection.chosen, cells=cells, group="")
        else:
            self._put(group=whom)

    # changing

    def _put(self, **changes: Any) -> None:
        """Tell the effect with fields changed. What followed a palette has a motion of
        its own from then on.
        """
        if self.effect is None:
            return
        made = replace(self.effect, **changes)
        if made != self.effect:
            self.effect = made
            self.changed.emit(made, tr("change an effect"))

    def put_motion(self, motion: AnyMotion) -> None:
        """Give the effect another motion."""
        if motion != self.motion:
            self._put(motion=motion, palette="")

    def _set(self, field: str, value: Any) -> None:
        self.put_motion(fields.changed(self.motion, field, value))

    def _set_number(self, entry: Number, value: float) -> None:
        stored: float = value / entry.times
        if entry.field.rpartition(".")[2] in fields.WHOLE_NUMBERS:
            stored = round(stored)
        self._set(entry.field, stored)

    def _set_unit(self, place: int) -> None:
        motion = self.motion
        by_tempo = place == 1
        if motion.rate.by_tempo == by_tempo:
            return
        bpm = self.parts.engine.state.clock.bpm
        if by_tempo:
            beats = max(0.25, round(4 * motion.rate.seconds * bpm / 60) / 4)
            rate = replace(motion.rate, beats=beats)
        else:
            seconds = motion.rate.beats * 60 / bpm / motion.rate.factor
            rate = replace(motion.rate, seconds=seconds, beats=0.0, factor=1.0)
        self.put_motion(replace(motion, rate=rate))

    def _set_clock(self) -> None:
        self._put(clock=str(self.clocks.currentData() or ""))
