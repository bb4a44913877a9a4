"""One channel in the type editor: its line, and the range that is chosen, in numbers."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.colours import from_xyy, hex_of
from choreon.model.fixture_type import Channel, FixtureType, Range
from choreon.ui import theme
from choreon.ui.rig.types.line import RangeLine
from choreon.ui.rig.types.meaning import MeaningField
from choreon.ui.widgets import basics
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.values import ValueField

replace = type_edits.replace


class ChannelForm(QWidget):
    """`edited` gives the channel as it is after every change."""

    edited = Signal(object)
    removed = Signal()
    own_toggled = Signal(bool)
    pointed = Signal(int)
    emitter_edited = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.kind = type_edits.blank([])
        self.channel: Channel | None = None
        self.index = 0
        self._busy = False
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the channel")
        self.name.editingFinished.connect(lambda: self._put(name=self.name.text().strip()))
        self.resolution = QComboBox()
        self.resolution.setAccessibleName("Counts in")
        for bytes_ in (1, 2, 3):
            self.resolution.addItem(f"{8 * bytes_} bit", bytes_)
            self.resolution.setItemData(bytes_ - 1, f"0…{256**bytes_ - 1}", Qt.ItemDataRole.ToolTipRole)
        self.resolution.activated.connect(lambda _: self._resolve())
        self.home = NumberField("Home", 0, 255, 0)
        self.open = NumberField("Open up", -1, 255, -1)
        self.open.setToolTip("Its value when the fixture is opened up; −1: its home, or as intensity and shutter do")
        self.home.editingFinished.connect(lambda: self._put(home=self.home.value()))
        self.open.editingFinished.connect(lambda: self._put(open=None if self.open.value() < 0 else self.open.value()))
        self.wheel = QComboBox()
        self.wheel.setAccessibleName("Wheel")
        self.wheel.activated.connect(lambda _: self._put(wheel=self.wheel.currentData() or ""))
        self.rest = QCheckBox("Leave alone")
        self.rest.setToolTip("It rests at home and is not offered anywhere")
        self.rest.toggled.connect(lambda on: self._put(rest=on))
        self.own = QCheckBox("Only in this mode")
        self.own.setToolTip("This mode has a definition of its own; the others keep the common one")
        self.own.toggled.connect(lambda on: None if self._busy else self.own_toggled.emit(on))
        gone = basics.tool("trash", "Remove the channel from the type", self.removed.emit)
        self.line = RangeLine()
        self.line.chosen.connect(self.choose)
        self.line.edited.connect(self._emit)
        self.line.pointed.connect(self.pointed.emit)
        head = basics.row(self.name, self.resolution, basics.label("home", "soft"), self.home,
                          basics.label("open", "soft"), self.open, gone, spacing=6)  # fmt: skip
        head.layout().setStretch(0, 1)
        for field in (self.home, self.open):
            field.setFixedWidth(72)
        flags = basics.row(basics.label("Slots of", "soft"), self.wheel, 1, self.own, self.rest)
        self._make_range()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        for widget in (head, flags, self.line, self.range, self._make_emitter()):
            box.addWidget(widget)

    def _make_emitter(self) -> QWidget:
        """Where the colour of an emitter lies, and how strong it is."""
        self.emitter_x = ValueField("x", 0.0, 0.8, "", 4, None, bar=False)
        self.emitter_y = ValueField("y", 0.0, 0.9, "", 4, None, bar=False)
        self.strength = ValueField("Strength", 0.0, 100_000.0, "", 2, None, bar=False)
        fields = ((self.emitter_x, "x"), (self.emitter_y, "y"), (self.strength, "strength"))
        for field, key in fields:
            field.changed.connect(lambda v, k=key: self._emit_emitter({k: v}))
        self.swatch = basics.label("")
        self.swatch.setFixedSize(32, 32)
        self.emitter = basics.row(basics.label("Colour of the light", "soft"), *(f for f, _ in fields), self.swatch)
        self.emitter.setToolTip("CIE 1931 chromaticity, and the light at full against the other emitters")
        return self.emitter

    def _emit_emitter(self, fields: dict[str, float]) -> None:
        if self.span is not None and not self._busy:
            self.emitter_edited.emit(self.span.attribute, fields)

    def _show_emitter(self) -> None:
        name = self.span.attribute if self.span else ""
        self.emitter.setVisible(name in at.ALL_EMITTERS)
        known = type_edits.emitter_of(self.kind, name) if name in at.ALL_EMITTERS else None
        x, y, strength = (known.x, known.y, known.strength) if known else (0.3127, 0.329, 1.0)
        for field, value in ((self.emitter_x, x), (self.emitter_y, y), (self.strength, strength)):
            field.set_value(value if known else None)
        light = from_xyy(x, y, 1.0)
        top = max(light) or 1.0
        colour = hex_of((light[0] / top, light[1] / top, light[2] / top)) if known else theme.FLAT
        self.swatch.setStyleSheet(f"background: {colour}; border-radius: 16px;")

    def _make_range(self) -> None:
        """The range that is chosen."""
        self.start = NumberField("From", 0, 255, 0)
        self.end = NumberField("To", 0, 255, 0)
        for field, key in ((self.start, "start"), (self.end, "end")):
            field.editingFinished.connect(lambda f=field, k=key: self._range(**{k: f.value()}))
        self.meaning = MeaningField()
        self.meaning.picked.connect(self._mean)
        self.title = QLineEdit()
        self.title.setAccessibleName("Name of the range")
        self.title.setPlaceholderText("Name, as on the lamp's list")
        self.title.editingFinished.connect(lambda: self._range(name=self.title.text().strip()))
        self.low = ValueField("at its start", -1e6, 1e6, "", 2, None, bar=False)
        self.high = ValueField("at its end", -1e6, 1e6, "", 2, None, bar=False)
        self.low.changed.connect(lambda v: self._values(low=v))
        self.high.changed.connect(lambda v: self._values(high=v))
        self.slot = NumberField("Slot", -1, 200, -1)
        self.slot.setToolTip("The slot, from 0, that turns or shakes here; −1: none")
        self.slot.editingFinished.connect(lambda: self._range(slot=self.slot.value()))
        self.hold = ValueField("hold", 0, 60, "s", 1, 0.0, bar=False)
        self.hold.changed.connect(lambda v: self._range(hold=v))
        self.private = QCheckBox("Only on purpose")
        self.private.setToolTip("A program of the lamp's own, a sound mode: nothing may choose it by itself")
        self.private.toggled.connect(lambda on: self._range(private=on))
        self.split = basics.button(
            "Part it", self._split, "quiet", tip="Part this range in the middle (double click on the line)"
        )
        self.drop = basics.button("Remove", self._drop, "quiet", tip="Remove this range (Delete on the line)")
        self.range = QWidget()
        grid = QGridLayout(self.range)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        grid.addWidget(basics.row(basics.label("From", "soft"), self.start, basics.label("to", "soft"), self.end), 0, 0)
        grid.addWidget(self.meaning, 0, 1)
        grid.addWidget(self.title, 1, 0)
        grid.addWidget(basics.row(self.low, self.high, spacing=4), 1, 1)
        grid.addWidget(basics.row(basics.label("Slot", "soft"), self.slot, self.hold, spacing=6), 2, 0)
        grid.addWidget(basics.row(self.private, 1, self.split, self.drop, spacing=4), 2, 1)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)

    # showing

    def show_channel(self, kind: FixtureType, channel: Channel | None, own: bool) -> None:
        """Show a channel of a type; `own`: the mode at hand has a definition of its own."""
        self._busy = True
        self.kind, self.channel = kind, channel
        self.setEnabled(channel is not None)
        if channel is not None:
            self.index = min(self.index, max(0, len(channel.ranges) - 1))
            for field in (self.home, self.open, self.start, self.end):
                field.high = channel.top
            self.name.setText(channel.name)
            self.resolution.setCurrentIndex(channel.resolution - 1)
            self.home.setValue(channel.home)
            self.open.setValue(-1 if channel.open is None else channel.open)
            self.wheel.clear()
            self.wheel.addItem("no wheel", "")
            for wheel in kind.wheels:
                self.wheel.addItem(wheel.name, wheel.key)
            self.wheel.setCurrentIndex(max(0, self.wheel.findData(channel.wheel)))
            self.rest.setChecked(channel.rest)
            self.own.setChecked(own)
        self.line.show_channel(kind, channel, self.index)
        self._busy = False
        self._show_range()

    def choose(self, index: int) -> None:
        """Choose a range."""
        self.index = index
        self.line.index = index
        self.line.update()
        self._show_range()

    @property
    def span(self) -> Range | None:
        ranges = self.channel.ranges if self.channel else ()
        return ranges[self.index] if 0 <= self.index < len(ranges) else None

    def _show_range(self) -> None:
        span = self.span
        self._show_emitter()
        self.range.setEnabled(span is not None)
        if span is None:
            return
        self._busy = True
        known = at.attribute(span.attribute)
        scale = 100 if known.unit == "%" else 1
        self.start.setValue(span.start)
        self.end.setValue(span.end)
        self.meaning.show_name(span.attribute)
        self.title.setText(span.name)
        for field, value in ((self.low, span.low), (self.high, span.high)):
            field.unit = known.unit
            field.set_value(value * scale)
        self.slot.setValue(span.slot)
        self.hold.set_value(span.hold)
        self.hold.setVisible(known.command)
        self.private.setChecked(span.private)
        self._busy = False

    # changing

    def _emit(self, channel: Channel) -> None:
        if not self._busy and channel != self.channel:
            self.edited.emit(channel)

    def _put(self, **fields: object) -> None:
        if self.channel is not None:
            self._emit(replace(self.channel, **fields))

    def _resolve(self) -> None:
        if self.channel is not None:
            self._emit(type_edits.set_resolution(self.channel, self.resolution.currentData()))

    def _range(self, **fields: object) -> None:
        if self.channel is not None and self.span is not None and not self._busy:
            self._emit(type_edits.put_range(self.channel, self.index, **fields))

    def _values(self, **fields: float) -> None:
        if self.span is not None:
            scale = 100 if at.attribute(self.span.attribute).unit == "%" else 1
            self._range(**{k: v / scale for k, v in fields.items()})

    def _mean(self, name: str) -> None:
        if self.channel is not None and self.span is not None and not self._busy:
            meant = type_edits.mean(self.span, name)
            self._range(attribute=name, low=meant.low, high=meant.high)

    def _split(self) -> None:
        if self.channel is not None and self.span is not None and self.span.end > self.span.start:
            middle = (self.span.start + self.span.end + 1) // 2
            channel, self.index = type_edits.split(self.channel, middle)
            self._emit(channel)

    def _drop(self) -> None:
        if self.channel is not None and len(self.channel.ranges) > 1:
            self._emit(type_edits.remove_range(self.channel, self.index))
