"""What a canvas drives of the lamps, and what lies above all its layers."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QWidget

from choreon.language import capital, tr
from choreon.model import attributes as at
from choreon.model.motion import ColourStop
from choreon.model.playables.canvas import (
    FASTEST_STROBE,
    Canvas,
    Channel,
    Drives,
    fixtures_of,
)
from choreon.terms import term
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.compose.motion_parts import show_chips
from choreon.ui.compose.stops_row import StopsRow
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import ChipList
from choreon.ui.widgets.values import ValueField

NOT = (at.Family.INTENSITY, at.Family.COLOUR)


class LightForm(QWidget):
    """Fields of the canvas as a whole."""

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand
        self._times = 1.0  # what is stored of the attribute makes what is shown
        self.attribute_part = QWidget()
        self.drives = ChipList(tr("What it drives"), font_size=12)
        self.drives.picked.connect(lambda n: self._set_drives(list(Drives)[n]))
        self.told = basics.label("", "small", wrap=True)
        self._make_attribute()
        self.bright = ValueField(tr("Level"), 0, 100, "%", 0, 100.0)
        self.bright.changed.connect(lambda v: hand.change(brightness=v / 100.0))
        self.strobe = ValueField(
            tr("Strobe"), 0, FASTEST_STROBE, "Hz", 1, 0.0, bar=False
        )
        self.strobe.none = tr("none")
        self.strobe.changed.connect(lambda v: hand.change(strobe=v))
        self.tint = StopsRow(hand.parts, most=1)
        self.tint.changed.connect(self._set_tint)
        basics.stack(
            self,
            basics.label(tr("It drives"), "soft"),
            self.drives,
            self.told,
            self.attribute_part,
            basics.label(tr("Above all layers"), "soft"),
            self.bright,
            self.strobe,
            basics.row(basics.label(tr("Tint"), "soft"), self.tint, 1, spacing=6),
            1,
            margins=0,
            spacing=6,
        )
        hand.changed.connect(self.follow)

    def _make_attribute(self) -> None:
        hand = self.hand
        self.attribute = QComboBox()
        self.attribute.setAccessibleName(tr("Attribute"))
        self.attribute.activated.connect(lambda _: self._set_attribute())
        self.channel = QComboBox()
        self.channel.setAccessibleName(tr("By what of the picture"))
        self.channel.setToolTip(tr("What of the picture says how far it goes"))
        for channel in Channel:
            self.channel.addItem(term(channel), channel)
        self.channel.activated.connect(
            lambda _: hand.change(channel=Channel(self.channel.currentData()))
        )
        self.low = ValueField(tr("Where dark"), 0, 1, bar=False)
        self.high = ValueField(tr("Where bright"), 0, 1, bar=False)
        self.low.changed.connect(lambda v: hand.change(low=v / self._times))
        self.high.changed.connect(lambda v: hand.change(high=v / self._times))
        basics.stack(
            self.attribute_part,
            basics.row(self.attribute, self.channel, spacing=4),
            basics.row(self.low, self.high, spacing=4),
            margins=0,
            spacing=4,
        )

    def follow(self) -> None:
        """Show the canvas as it is now."""
        canvas = self.hand.canvas
        if canvas is None:
            return
        options = tuple((d, term(d)) for d in Drives)
        show_chips(self.drives, options, canvas.drives)
        self.bright.set_value(100.0 * canvas.brightness)
        self.strobe.set_value(canvas.strobe)
        self.tint.show_stops((canvas.tint or ColourStop(),))
        by_attribute = canvas.drives == Drives.ATTRIBUTE
        self.attribute_part.setVisible(by_attribute)
        if by_attribute:
            self._show_attribute(canvas)
        lacking = self._lacking(canvas)
        text = tr("{n} fixtures have not got what it drives.", n=lacking)
        basics.say(self.told, text if lacking else "")
        self.told.setVisible(bool(lacking))

    def _lacking(self, canvas: Canvas) -> int:
        """How many fixtures lack what it drives."""
        rig = self.hand.parts.preview.compiled.rig
        names = {
            Drives.LIGHT: (at.DIMMER, at.RED),
            Drives.COLOUR: (at.RED,),
            Drives.LEVEL: (at.DIMMER,),
            Drives.ATTRIBUTE: (canvas.attribute,),
        }[canvas.drives]
        fixtures = fixtures_of(self.hand.show, canvas.layout)
        return sum(
            fixture in rig.where
            and not any(name in rig.where[fixture] for name in names)
            for fixture in fixtures
        )

    def _names(self, canvas: Canvas) -> list[str]:
        """The attributes that its fixtures have, beside levels and colours."""
        rig = self.hand.parts.preview.compiled.rig
        found: dict[str, None] = {}
        for fixture in fixtures_of(self.hand.show, canvas.layout):
            for name in rig.where.get(fixture, {}):
                known = at.attribute(name)
                if known.family not in NOT and not known.command:
                    found[name] = None
        return list(found)

    def _show_attribute(self, canvas: Canvas) -> None:
        names = self._names(canvas)
        if canvas.attribute not in names:
            names.insert(0, canvas.attribute)
        now = [self.attribute.itemData(n) for n in range(self.attribute.count())]
        if now != names:
            self.attribute.clear()
            for name in names:
                self.attribute.addItem(capital(at.attribute(name).label), name)
        self.attribute.setCurrentIndex(names.index(canvas.attribute))
        self.channel.setCurrentIndex(max(0, self.channel.findData(canvas.channel)))

        known = at.attribute(canvas.attribute)
        self._times = 100.0 if known.unit == "%" else 1.0
        for field, value in ((self.low, canvas.low), (self.high, canvas.high)):
            field.low, field.high = known.low * self._times, known.high * self._times
            field.unit = known.unit
            field.set_value(value * self._times)

    def _set_drives(self, drives: Drives) -> None:
        canvas = self.hand.canvas
        if canvas is None or canvas.drives == drives:
            return
        if drives != Drives.ATTRIBUTE:
            self.hand.change(drives=drives)
            return
        names = self._names(canvas)
        name = (
            canvas.attribute if canvas.attribute in names else (names or [at.TILT])[0]
        )
        known = at.attribute(name)
        self.hand.change(drives=drives, attribute=name, low=known.low, high=known.high)

    def _set_attribute(self) -> None:
        name = str(self.attribute.currentData() or "")
        known = at.attribute(name)
        self.hand.change(attribute=name, low=known.low, high=known.high)

    def _set_tint(self, stops: tuple[ColourStop, ...]) -> None:
        tint = stops[0] if stops else None
        white = tint == ColourStop()
        self.hand.change(tint=None if white else tint)
