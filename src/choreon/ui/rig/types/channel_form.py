"""One channel in the type editor: its line, and the range that is chosen,
in numbers.
"""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.colours import from_xyy, hex_of
from choreon.model.fixture_type import Channel, FixtureType, Range
from choreon.ui import theme
from choreon.ui.rig.types.line import RangeLine
from choreon.ui.rig.types.range_table import RangeTable
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

replace = type_edits.replace


class ChannelForm(QWidget):
    """`edited` gives the channel as it is after every change."""

    edited = Signal(Channel)
    removed = Signal()
    own_toggled = Signal(bool)
    wheel_wanted = Signal()  # a new one, for this channel
    pointed = Signal(object)  # a raw value, of up to 32 bits
    emitter_edited = Signal(str, dict)

    def __init__(self) -> None:
        super().__init__()
        self.kind = type_edits.blank([])
        self.channel: Channel | None = None
        self.index = 0
        self._busy = False

        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the channel"))
        self.name.setToolTip(tr("The channel's name, as in the fixture's manual"))
        self.name.editingFinished.connect(
            lambda: self._put(name=self.name.text().strip())
        )
        self.resolution = QComboBox()

        self.resolution.setAccessibleName(tr("Counts in"))
        self.resolution.setToolTip(
            tr("How finely it is counted; in this mode it takes a slot for each 8 bits")
        )

        for bytes_ in (1, 2, 3, 4):
            self.resolution.addItem(tr("{bytes} bit", bytes=8 * bytes_), bytes_)
            self.resolution.setItemData(
                bytes_ - 1,
                tr("0…{bytes}", bytes=256**bytes_ - 1),
                Qt.ItemDataRole.ToolTipRole,
            )

        self.resolution.activated.connect(lambda _: self._resolve())
        self.home = NumberField(tr("Home"), 0, 255, 0)
        self.open = NumberField(tr("Open up"), -1, 255, -1, none=tr("auto"))
        self.open.setToolTip(
            tr(
                "Its value when the fixture is opened up. Nothing typed: intensity "
                "full, shutter open, the rest at home"
            )
        )
        self.home.editingFinished.connect(lambda: self._put(home=self.home.value()))

        self.open.editingFinished.connect(
            lambda: self._put(open=None if self.open.value() < 0 else self.open.value())
        )
        self.wheel = QComboBox()
        self.wheel.setAccessibleName(tr("Wheel"))
        self.wheel.setToolTip(tr("The wheel whose slots this channel chooses"))
        self.wheel.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)

        self.wheel.activated.connect(self._wheel_picked)
        self.rest = Tick(tr("Leave alone"))
        self.rest.setToolTip(tr("It rests at home and is not offered anywhere"))
        self.rest.toggled.connect(lambda on: self._put(rest=on))
        self.own = Tick(tr("Only in this mode"))

        self.own.setToolTip(
            tr("This mode has a definition of its own; the others keep the common one")
        )
        self.own.toggled.connect(
            lambda on: None if self._busy else self.own_toggled.emit(on)
        )
        gone = basics.tool(
            "trash", tr("Remove the channel from the type"), self.removed.emit
        )

        self.line = RangeLine()
        self.line.chosen.connect(self.choose)

        self.line.edited.connect(self._emit)
        self.line.pointed.connect(self.pointed.emit)
        head = flow(
            self.name,
            self.resolution,
            basics.row(basics.label(tr("Home"), "soft"), self.home, spacing=6),
            basics.row(basics.label(tr("Open up"), "soft"), self.open, spacing=6),
            gone,
            spacing=6,
        )

        for field in (self.home, self.open):
            field.setFixedWidth(72)

        self.spread = basics.button(
            tr("As ranges"),
            self._from_wheel,
            "quiet",
            tip=tr("One range for each slot of the wheel, alike wide"),
        )

        self.of_wheel = basics.row(
            basics.label(tr("Wheel"), "soft"), self.wheel, self.spread
        )

        flags = flow(self.of_wheel, 1, self.own, self.rest)
        self._make_range()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)

        box.setSpacing(8)
        for widget in (head, flags, self.line, self._make_emitter(), self.range):
            box.addWidget(widget)

        box.addWidget(self.table, 1)

    def _make_emitter(self) -> QWidget:
        """Where the colour of an emitter lies, and how strong it is."""
        self.emitter_x = ValueField("x", 0.0, 0.8, "", 4, None, bar=False)
        self.emitter_y = ValueField("y", 0.0, 0.9, "", 4, None, bar=False)
        self.strength = ValueField(
            tr("Strength"), 0.0, 100_000.0, "", 2, None, bar=False
        )
        fields = (
            (self.emitter_x, "x"),
            (self.emitter_y, "y"),
            (self.strength, "strength"),
        )

        for field, key in fields:
            field.changed.connect(lambda v, k=key: self._emit_emitter({k: v}))

        self.swatch = basics.label("")
        self.swatch.setFixedSize(32, 32)
        self.emitter = flow(
            basics.label(tr("Colour of the light"), "soft"),
            *(f for f, _ in fields),
            self.swatch,
        )

        self.emitter.setToolTip(
            tr(
                "CIE 1931 chromaticity, and the light at full against the other "
                "emitters"
            )
        )

        return self.emitter

    def _emit_emitter(self, fields: dict[str, float]) -> None:
        if self.span is not None and not self._busy:
            self.emitter_edited.emit(self.span.attribute, fields)

    def _show_emitter(self) -> None:
        name = self.span.attribute if self.span else ""
        self.emitter.setVisible(name in at.ALL_EMITTERS)
        known = (
            type_edits.emitter_of(self.kind, name) if name in at.ALL_EMITTERS else None
        )

        x, y, strength = (
            (known.x, known.y, known.strength) if known else (0.3127, 0.329, 1.0)
        )

        for field, value in (
            (self.emitter_x, x),
            (self.emitter_y, y),
            (self.strength, strength),
        ):
            field.set_value(value if known else None)

        light = from_xyy(x, y, 1.0)
        top = max(light) or 1.0
        colour = (
            hex_of((light[0] / top, light[1] / top, light[2] / top))
            if known
            else theme.FLAT
        )

        self.swatch.setStyleSheet(f"background: {colour}; border-radius: 16px;")

    def _make_range(self) -> None:
        """What is asked of the chosen range beside the table."""
        self.table = RangeTable()
        self.table.setMinimumHeight(180)
        self.table.chosen.connect(self.choose)
        self.table.edited.connect(self._emit)
        self.slot = NumberField(tr("Slot"), -1, 200, -1, none=tr("none"))

        self.slot.setToolTip(
            tr("The slot, counted from 0, that turns or shakes in this range")
        )

        self.slot.setFixedWidth(64)
        self.slot.editingFinished.connect(lambda: self._range(slot=self.slot.value()))
        self.slot_row = basics.row(
            basics.label(tr("Turns slot"), "soft"), self.slot, spacing=6
        )

        self.hold = ValueField(tr("Hold"), 0, 60, "s", 1, 0.0, bar=False)

        self.hold.setFixedWidth(120)
        self.hold.changed.connect(lambda v: self._range(hold=v))
        self.travel = ValueField(tr("End to end"), 0, 60, "s", 2, 0.0, bar=False)
        self.travel.setFixedWidth(150)
        self.travel.setToolTip(
            tr(
                "Seconds that the head takes from the one end of pan to the other. "
                "Paths turn it no faster"
            )
        )

        self.travel.changed.connect(lambda v: self._range(travel=v))
        self.private = Tick(tr("Only on purpose"))
        self.private.setToolTip(
            tr(
                "A program of the fixture's own, a sound mode: nothing may choose it "
                "by itself"
            )
        )

        self.private.toggled.connect(lambda on: self._range(private=on))
        self.split = basics.button(
            tr("Split"),
            self._split,
            "quiet",
            tip=tr("Part this range in the middle (double click on the line)"),
        )

        self.drop = basics.button(
            tr("Remove"),
            self._drop,
            "quiet",
            tip=tr("Remove this range (Delete on the line)"),
        )

        self.range = flow(
            self.slot_row,
            self.hold,
            self.travel,
            self.private,
            1,
            self.split,
            self.drop,
            spacing=6,
        )

    # showing

    def show_channel(
        self, kind: FixtureType, channel: Channel | None, own: bool
    ) -> None:
        """Show a channel of a type; `own`: the mode at hand has a definition of its
        own.
        """
        self._busy = True
        self.kind, self.channel = kind, channel
        self.setEnabled(channel is not None)

        if channel is not None:
            self.index = min(self.index, max(0, len(channel.ranges) - 1))
            for field in (self.home, self.open):
                field.high = channel.top

            self.name.setText(channel.name)
            self.resolution.setCurrentIndex(channel.resolution - 1)
            self.home.setValue(channel.home)
            self.open.setValue(-1 if channel.open is None else channel.open)
            self.wheel.clear()

            self.wheel.addItem(tr("no wheel"), "")
            for wheel in kind.wheels:
                self.wheel.addItem(wheel.name, wheel.key)

            self.wheel.addItem(tr("New wheel…"), "+")
            self.wheel.setCurrentIndex(max(0, self.wheel.findData(channel.wheel)))
            self.of_wheel.setVisible(bool(kind.wheels) or type_edits.has_slots(channel))
            self.spread.setEnabled(bool(channel.wheel))
            self.rest.setChecked(channel.rest)

            self.own.setChecked(own)

        self.line.show_channel(kind, channel, self.index)
        self.table.show_channel(kind, channel, self.index)
        self._busy = False
        self._show_range()

    def choose(self, index: int) -> None:
        """Choose a range."""
        self.index = index
        self.line.index = index
        self.line.update()
        self.table.choose(index)
        self._show_range()

    @property
    def span(self) -> Range | None:
        """The range that is chosen; None for none."""
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
        self.slot.setValue(span.slot)
        self.slot_row.setVisible(
            bool(self.channel and self.channel.wheel) and known.kind != "slot"
        )
        self.hold.set_value(span.hold)

        self.hold.setVisible(known.command)
        self.travel.set_value(span.travel or None)
        self.travel.setVisible(span.attribute == at.PAN)
        self.private.setChecked(span.private)
        self.drop.setEnabled(bool(self.channel and len(self.channel.ranges) > 1))

        self.split.setEnabled(span.end > span.start)
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
            self._emit(
                type_edits.set_resolution(self.channel, self.resolution.currentData())
            )

    def _range(self, **fields: object) -> None:
        if self.channel is not None and self.span is not None and not self._busy:
            self._emit(type_edits.put_range(self.channel, self.index, **fields))

    def _wheel_picked(self) -> None:
        if self.wheel.currentData() == "+":
            self.wheel_wanted.emit()
        else:
            self._put(wheel=self.wheel.currentData())

    def _from_wheel(self) -> None:
        """One range for each slot of the channel's wheel."""
        wheel = self.kind.wheel(self.channel.wheel) if self.channel else None
        if self.channel is not None and wheel is not None:
            self.index = 0
            self._emit(type_edits.ranges_of_slots(self.channel, wheel))

    def _split(self) -> None:
        if (
            self.channel is not None
            and self.span is not None
            and self.span.end > self.span.start
        ):
            middle = (self.span.start + self.span.end + 1) // 2
            channel, self.index = type_edits.split(self.channel, middle)
            self._emit(channel)

    def _drop(self) -> None:
        if self.channel is not None and len(self.channel.ranges) > 1:
            self._emit(type_edits.remove_range(self.channel, self.index))
