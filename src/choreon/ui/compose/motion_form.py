"""The form of one effect: its shape, what it does, how fast, and how it lies."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QMenu, QPushButton, QVBoxLayout, QWidget

from choreon.model import attributes as at
from choreon.model import links
from choreon.model.effects import fixtures_of, motion_of
from choreon.model.motion import (
    AnyMotion,
    By,
    ColourRoll,
    ColourStop,
    Effect,
    EffectMode,
    Path,
    PathShape,
    Shape,
    Wave,
    colour_of_stop,
    title,
)
from choreon.render import paths, waves
from choreon.ui import palettes as palette_deeds
from choreon.ui.compose import motion_fields as fields
from choreon.ui.compose.motion_fields import ChoiceField, Entry, Number, Toggle
from choreon.ui.compose.spread_panel import ColourButton
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import Chip, ChipList
from choreon.ui.widgets.curves import PointEditor
from choreon.ui.widgets.values import ValueField

replace = fields.replace

BYS = ((By.FIXTURES, "Fixtures"), (By.CELLS, "Cells"), (By.EACH, "Each by itself"))
SECONDS, BEATS = "seconds", "beats"
CHOSEN = "chosen now"  # stands among the groups for the lamps that are chosen


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

        self.shapes = ChipList("Shape", font_size=12)
        self.modes = ChipList("What it does", font_size=12)
        self.spaces = ChipList("Where", font_size=12)
        self.bys = ChipList("What is one in the row", font_size=12)
        self.clocks = QComboBox()

        self.clocks.setAccessibleName("Clock")
        self.clocks.setToolTip("Run by itself, or at the rate of another effect")
        self.clocks.activated.connect(lambda _: self._set_clock())
        self.whom = QComboBox()
        self.whom.setAccessibleName("Whom it moves")

        self.whom.setToolTip("Fixtures in their order, or a group that it follows")
        self.whom.activated.connect(lambda _: self._set_whom())
        self.rates = ChipList("Rate in", font_size=12)
        self.rates.chips.show_chips(
            [Chip(SECONDS, "Seconds"), Chip(BEATS, "Beats of the tempo")]
        )
        self.seconds = ValueField("A cycle takes", 0.1, 60, "s", 2, 4.0, bar=False)

        self.beats = ValueField("A cycle takes", 0.25, 64, "beats", 2, 4.0, bar=False)
        self.factor = ValueField("Times as fast", 0.125, 8, "×", 3, 1.0, bar=False)
        self.curve = PointEditor("Own curve", 0.0, 1.0, sorted_=True)
        self.path = PointEditor("Free path", -1.0, 1.0, sorted_=False)
        self.stops = QWidget()

        self.stop_box = QVBoxLayout(self.stops)
        self.stop_box.setContentsMargins(0, 0, 0, 0)
        self.stop_box.setSpacing(4)
        self.centre = basics.button(
            "Centre…", self._centre_menu, "", "", "Put its middle on a mark"
        )
        self.low, self.high = ValueField("Low", 0, 100), ValueField("High", 0, 100)

        self.by_middle = basics.button(
            "±", self._show_again, "", "", "Give the middle and the size instead"
        )
        self.by_middle.setCheckable(True)
        self.by_middle.setFixedWidth(34)
        self.by_middle.setAccessibleName("By middle and size")
        self.fields = QWidget()

        self.box = QVBoxLayout(self.fields)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(4)
        self._wire()
        self.ends = basics.row(self.low, self.high, self.by_middle, spacing=4)

        basics.stack(
            self,
            self.spaces,
            self.shapes,
            self.modes,
            self.ends,
            self.curve,
            self.path,
            self.stops,
            self.centre,
            self.rates,
            basics.row(self.seconds, self.beats, self.factor, spacing=4),
            self.clocks,
            self.whom,
            self.bys,
            self.fields,
            spacing=6,
        )

    def _wire(self) -> None:
        self.shapes.picked.connect(partial(self._chip, self.shapes, "shape"))
        self.modes.picked.connect(partial(self._chip, self.modes, "mode"))
        self.spaces.picked.connect(self._set_space)
        self.bys.picked.connect(lambda i: self._put(by=BYS[i][0]))
        self.rates.picked.connect(self._set_unit)
        self.seconds.changed.connect(partial(self._set, "rate.seconds"))
        self.beats.changed.connect(partial(self._set, "rate.beats"))
        self.factor.changed.connect(partial(self._set, "rate.factor"))
        self.curve.changed.connect(partial(self._set, "curve"))
        self.path.changed.connect(partial(self._set, "points"))
        self.low.changed.connect(lambda v: self._set_end(0, v))
        self.high.changed.connect(lambda v: self._set_end(1, v))

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
        self._show_choices(motion)
        built = (type(motion), getattr(motion, "attribute", ""))

        if built != self._built:
            self._built = built
            self._build(motion)

        for entry, widget in self.rows:
            widget.setVisible(entry.when(motion))
            self._show_entry(entry, widget, motion)

        self._show_ends(motion)
        self._show_points(motion)
        self._show_stops(motion)
        self._show_rate(motion, others)
        is_path = isinstance(motion, Path)

        self.centre.setVisible(isinstance(motion, Path) and motion.in_room)
        if isinstance(motion, Path):
            self.centre.setText(f"Centre: {self._centre_name(motion)}")

        self._show_whom(effect)
        _show_chips(self.bys, BYS, effect.by)
        self.bys.setVisible(not is_path)

    def _show_choices(self, motion: AnyMotion) -> None:
        is_wave, is_path = isinstance(motion, Wave), isinstance(motion, Path)
        self.shapes.setVisible(is_wave or is_path)
        self.modes.setVisible(is_wave)
        self.spaces.setVisible(is_path)
        if isinstance(motion, Wave):
            _show_chips(self.shapes, fields.SHAPES.options, motion.shape)
            _show_chips(self.modes, fields.MODES.options, motion.mode)
        elif isinstance(motion, Path):
            _show_chips(self.shapes, fields.PATHS.options, motion.shape)
            _show_chips(self.spaces, fields.SPACES.options, motion.in_room)

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
            button.setStyleSheet("padding: 5px 6px;")
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
            _show_chips(widget, entry.options, value)

    def _show_ends(self, motion: AnyMotion) -> None:
        self.ends.setVisible(isinstance(motion, Wave))
        if not isinstance(motion, Wave):
            return

        entries, values = fields.wave_ends(motion), (motion.low, motion.high)
        if self.by_middle.isChecked():
            entries = fields.middle_and_size(motion)
            values = (motion.low + motion.high) / 2, abs(motion.high - motion.low)

        trio = zip((self.low, self.high), entries, values, strict=True)
        for field, entry, value in trio:
            field.label, field.unit = entry.label, entry.unit
            field.low, field.high = entry.low, entry.high
            field.digits = entry.digits
            field.setAccessibleName(entry.label)
            field.set_value(value * entry.times)

    def _show_again(self) -> None:
        if self.effect is not None:
            self._show_ends(self.motion)

    def _show_points(self, motion: AnyMotion) -> None:
        own = isinstance(motion, Wave) and motion.shape == Shape.OWN
        free = isinstance(motion, Path) and motion.shape == PathShape.FREE
        self.curve.setVisible(own)
        self.path.setVisible(free)
        if isinstance(motion, Wave) and own:
            line = waves.own_curve(motion)
            known = [] if line is None else [(x, y) for x, y in line.tolist()]
            self.curve.show_points(motion.curve, known)
        elif isinstance(motion, Path) and free:
            plain = replace(motion, size=1.0, stretch=1.0, turn=0.0)
            places = paths.shape_of(plain, 96).tolist()
            self.path.show_points(motion.points, [(x, y) for x, y in places])

    def _show_stops(self, motion: AnyMotion) -> None:
        self.stops.setVisible(isinstance(motion, ColourRoll))
        if not isinstance(motion, ColourRoll):
            return
        basics.clear(self.stop_box)
        line: list[QWidget | int] = []
        for n, stop in enumerate(motion.stops):
            line.append(self._stop(n, stop))
        line.append(
            basics.tool("plus", "One colour more", partial(self._add_stop, motion))
        )
        for first in range(0, len(line), 5):
            self.stop_box.addWidget(basics.row(*line[first : first + 5], spacing=4))

    def _stop(self, n: int, stop: ColourStop) -> QWidget:
        show = self.parts.document.show
        palette = show.palettes.get(stop.palette)
        name = palette.name if palette is not None else "a colour of its own"
        button = ColourButton(f"Colour {n + 1}: {name}")
        button.setMinimumWidth(40)
        button.set_rgb(colour_of_stop(show, stop))
        button.changed.connect(lambda rgb: self._set_stop(n, ColourStop(tuple(rgb))))
        more = basics.tool(
            "more", f"Colour {n + 1}: from a palette, or out", lambda: None
        )
        more.clicked.connect(lambda: self._stop_menu(n, more))
        more.setFixedWidth(20)
        return basics.row(button, more, spacing=0)

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
        entries = [("Own clock", "")]
        show = self.parts.document.show

        for n, other in enumerate(others, 1):
            if other.id != self.effect.id:
                words = title(motion_of(show, other))
                entries.append((f"Clock of {n}: {words}", other.id))

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
        entries = [(f"On its {count} fixtures", "")]

        if chosen and chosen != effect.fixtures:
            entries.append((f"On the {len(chosen)} chosen", CHOSEN))

        for group in show.groups.values():
            entries.append((f"On the group {group.name}", group.id))

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

    def _centre_name(self, motion: Path) -> str:
        show = self.parts.document.show
        if motion.centre.startswith(links.MARK):
            mark = show.marks.get(motion.centre.removeprefix(links.MARK))
            return mark.name if mark is not None else "a mark that is gone"
        point = links.point_of(show, motion.centre)
        return (
            "in the room"
            if point is None
            else "{:.1f} / {:.1f} / {:.1f} m".format(*point)
        )

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
            self.changed.emit(made, "change an effect")

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

    def _chip(self, chips: ChipList, field: str, place: int) -> None:
        options = {
            id(self.shapes): fields.PATHS.options
            if isinstance(self.motion, Path)
            else fields.SHAPES.options,
            id(self.modes): fields.MODES.options,
        }[id(chips)]
        value = options[place][0]
        motion = self.motion

        if field == "mode" and isinstance(motion, Wave):
            self.put_motion(in_mode(motion, value))
            return

        if value == PathShape.ELLIPSE and isinstance(motion, Path):
            motion = replace(motion, stretch=0.5)
        elif value == PathShape.CIRCLE and isinstance(motion, Path):
            motion = replace(motion, stretch=1.0)

        self.put_motion(fields.changed(motion, field, value))

    def _set_space(self, place: int) -> None:
        motion = self.motion
        in_room = fields.SPACES.options[place][0]
        if isinstance(motion, Path) and motion.in_room != in_room:
            size = 1.5 if in_room else 15.0
            self.put_motion(replace(motion, in_room=in_room, size=size))

    def _set_end(self, end: int, value: float) -> None:
        motion = self.motion
        assert isinstance(motion, Wave)
        entry = fields.wave_ends(motion)[end]
        value /= entry.times
        if not self.by_middle.isChecked():
            self._set(entry.field, value)
        elif end == 0:
            self.put_motion(fields.with_middle(motion, value))
        else:
            self.put_motion(fields.with_size(motion, value))

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

    def _add_stop(self, motion: ColourRoll) -> None:
        self._set("stops", (*motion.stops, motion.stops[-1]))

    def _set_stop(self, n: int, stop: ColourStop) -> None:
        motion = self.motion
        assert isinstance(motion, ColourRoll)
        stops = tuple(stop if i == n else s for i, s in enumerate(motion.stops))
        self._set("stops", stops)

    def _stop_menu(self, n: int, button: QWidget) -> None:
        menu = self.stop_menu(n)
        menu.exec(button.mapToGlobal(button.rect().bottomLeft()))

    def stop_menu(self, n: int) -> QMenu:
        """The ways to change a colour of a roll."""
        motion = self.motion
        assert isinstance(motion, ColourRoll)
        menu = QMenu(self)

        for palette in self.parts.document.show.palettes.values():
            rgb = palette_deeds.colour_of(palette)
            if rgb is not None:
                stop = ColourStop(rgb, palette.id)
                menu.addAction(palette.name, partial(self._set_stop, n, stop))

        menu.addSeparator()
        rest = tuple(s for i, s in enumerate(motion.stops) if i != n)
        out = menu.addAction("Take it out", partial(self._set, "stops", rest))
        out.setEnabled(len(rest) > 0)

        return menu

    def _centre_menu(self) -> None:
        menu = QMenu(self)
        for mark in self.parts.document.show.marks.values():
            link = links.to_mark(mark.id)
            menu.addAction(f"On {mark.name}", partial(self._set, "centre", link))
        menu.addAction(
            "In the middle of the stage",
            partial(
                self._set,
                "centre",
                links.to_point((0.0, self.parts.document.show.room.depth / 2, 0.0)),
            ),
        )
        menu.exec(self.centre.mapToGlobal(self.centre.rect().bottomLeft()))


def in_mode(motion: Wave, mode: EffectMode) -> Wave:
    """Returns a wave that does something else, from ends that are usual for that."""
    if mode == motion.mode:
        return motion
    known = at.attribute(motion.attribute)
    span = known.high - known.low
    ends = {
        EffectMode.REPLACES: (known.low, known.high),
        EffectMode.SCALES: (0.2, 1.0),
        EffectMode.ADDS: (-0.1 * span, 0.1 * span),
    }
    low, high = ends[mode]
    return replace(motion, mode=mode, low=low, high=high)


def _show_chips(
    chips: ChipList, options: tuple[tuple[Any, str], ...], value: object
) -> None:
    made = [Chip(str(option), name) for option, name in options]
    if chips.chips.chips != made:
        chips.chips.show_chips(made)
    chips.chips.show_on([n for n, (option, _) in enumerate(options) if option == value])
