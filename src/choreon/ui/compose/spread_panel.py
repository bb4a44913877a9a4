"""Spread: a first and a last value over the choice, in its order, and all between; live
while it is dragged.
"""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QComboBox, QSizePolicy, QWidget, QWidgetAction

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import links
from choreon.model.values import Value
from choreon.render import aim as sums
from choreon.render import choice, spread
from choreon.render.channels import Floats
from choreon.render.reaching import to_floor_or_wall
from choreon.ui import theme
from choreon.ui.compose.hand import Hand, Items
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import Chip, ChipList
from choreon.ui.widgets.colour_field import ColourField, on_screen
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.values import ValueField

COLOUR, POINT = "colour", "point"
SHAPES = (
    (tr("Straight"), "line"),
    (tr("From the middle out"), "middle"),
    (tr("Mirrored"), "wings"),
)
Rgb = tuple[float, float, float]


class SpreadBars(QWidget):
    """What each of the choice gets, in order. The ends are dragged up and down."""

    dragged = Signal(int, float)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(84)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("What each gets"))
        self.setToolTip(tr("Drag the first or the last up and down"))
        self.shares: list[float] = []
        self.colours: list[Rgb] = []
        self._end = -1

    def show_shares(self, shares: list[float], colours: list[Rgb]) -> None:
        """Heights 0…1, and colours where colour is spread."""
        self.shares, self.colours = shares, colours
        self.update()

    def rect_of(self, index: int) -> QRectF:
        """The column of one of the choice."""
        count = max(1, len(self.shares))
        wide = self.width() / count
        return QRectF(
            index * wide, 0, max(1.0, wide - (2 if wide > 5 else 0)), self.height()
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)

        for i, share in enumerate(self.shares):
            rect = self.rect_of(i)
            high = self.height() if self.colours else max(2.0, share * self.height())
            painter.setBrush(
                on_screen(self.colours[i]) if self.colours else QColor(theme.SOFT)
            )
            painter.drawRect(
                QRectF(rect.left(), self.height() - high, rect.width(), high)
            )

        for end in (
            {0, len(self.shares) - 1} if self.shares and not self.colours else ()
        ):
            rect = self.rect_of(end)
            y = self.height() - self.shares[end] * self.height()
            painter.setPen(QPen(QColor(theme.DRAFT), 3))
            painter.drawLine(
                int(rect.left()), int(max(2, y)), int(rect.right()), int(max(2, y))
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the end on this side."""
        if self.shares and not self.colours:
            self._end = 0 if event.position().x() < self.width() / 2 else 1
            self._drag(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the end that is held."""
        if self._end >= 0:
            self._drag(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let the end go."""
        self._end = -1

    def _drag(self, event: QMouseEvent) -> None:
        share = min(1.0, max(0.0, 1.0 - event.position().y() / self.height()))
        self.dragged.emit(self._end, share)


class ColourButton(QWidget):
    """A colour that opens a field to change it."""

    changed = Signal(tuple)

    def __init__(self, title: str) -> None:
        super().__init__()
        self.rgb: Rgb = (1.0, 1.0, 1.0)
        self.title = title
        self.setFixedHeight(34)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(title)
        self.setToolTip(tr("{title}: press to choose a colour", title=title))

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        return Spoken(Role.Button, on_screen(self.rgb).name())

    def speak_press(self) -> None:
        """A screen reader presses it."""
        self.open()

    def set_rgb(self, rgb: Rgb) -> None:
        """Show a colour, linear light."""
        self.rgb = rgb
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(
            QPen(QColor(theme.CHOSEN), 2) if self.hasFocus() else Qt.PenStyle.NoPen
        )
        painter.setBrush(on_screen(self.rgb))
        painter.drawRoundedRect(
            QRectF(self.rect()).adjusted(1, 1, -1, -1), theme.RADIUS, theme.RADIUS
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Ask for a colour."""
        self.open()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter and Space ask for a colour."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.open()
        else:
            super().keyPressEvent(event)

    def open(self) -> None:
        """Let a colour be chosen."""
        menu = Menu(self)
        field = ColourField()
        field.setFixedSize(260, 130)
        field.set_rgb(self.rgb)
        field.changed.connect(self.take)
        action = QWidgetAction(menu)
        action.setDefaultWidget(field)
        menu.addAction(action)
        menu.exec(self.mapToGlobal(self.rect().bottomLeft()))

    def take(self, rgb: Rgb) -> None:
        """Take a colour, and tell it."""
        self.set_rgb(rgb)
        self.changed.emit(rgb)


class SpreadPanel(QWidget):
    """Which attribute, from what to what, in which shape."""

    def __init__(self, hand: Hand) -> None:
        super().__init__()
        self.hand = hand
        self.ends: list[float] = [0.0, 1.0]
        self.rgbs: list[Rgb] = [(1.0, 1.0, 1.0), (1.0, 1.0, 1.0)]
        self.points: list[list[float]] = [[0.0] * 3, [0.0] * 3]

        self._busy = False
        self._for: object = None
        self.what = QComboBox()
        self.what.setAccessibleName(tr("What is spread"))
        self.what.setToolTip(tr("What goes from the first of the choice to the last"))

        self.what.currentIndexChanged.connect(lambda _: self._begin())
        self.bars = SpreadBars()
        self.bars.dragged.connect(self._dragged)
        self.first, self.last = (
            ValueField(tr("First"), 0, 100),
            ValueField(tr("Last"), 0, 100),
        )
        self.first.changed.connect(lambda v: self._number(0, v))

        self.last.changed.connect(lambda v: self._number(1, v))
        self.numbers = basics.row(self.first, self.last, spacing=4)
        self.colours = [
            ColourButton(tr("First colour")),
            ColourButton(tr("Last colour")),
        ]

        for i, button in enumerate(self.colours):
            button.changed.connect(lambda rgb, n=i: self._rgb(n, rgb))

        self.swatches = basics.row(*self.colours, spacing=4)
        self.places: list[list[ValueField]] = []
        rows = []

        for end, title in enumerate((tr("First"), tr("Last"))):
            own = [ValueField(axis, -20, 20, "m", 1, bar=False) for axis in "xyz"]
            for axis, field in enumerate(own):
                field.setMinimumWidth(60)
                field.changed.connect(lambda v, e=end, a=axis: self._place(e, a, v))

            self.places.append(own)
            rows += [
                basics.label(tr("{title} point", title=title), "small"),
                basics.row(*own, spacing=4),
            ]

        self.spots = QWidget()
        basics.stack(self.spots, *rows, spacing=4)
        self.shapes = ChipList(tr("Shape"))
        self.shapes.chips.show_chips([Chip(name, name) for name, _ in SHAPES])
        self.shapes.chips.show_on([0])

        self.shapes.picked.connect(self._shape)
        self.repeat = ValueField(tr("Repeat every"), 0, 64, "", 0, 0, bar=False)
        self.repeat.setToolTip(tr("Begin anew after so many; 0 never does"))
        self.repeat.changed.connect(lambda _: self.apply())
        self.swap = basics.button(
            tr("Swap ends"), self._swap, "", "", tr("First becomes last")
        )

        self.apply_now = basics.button(
            tr("Spread"), self.apply, "main", "", tr("Fill in between the two ends")
        )

        self.hint = basics.label(
            tr("Choose at least two fixtures, or one with cells."), "soft", wrap=True
        )

        self.body = QWidget()
        basics.stack(
            self.body,
            self.what,
            self.bars,
            self.numbers,
            self.swatches,
            self.spots,
            self.shapes,
            self.repeat,
            basics.row(self.swap, 1, self.apply_now),
            spacing=8,
        )

        basics.stack(self, self.hint, self.body)

    def items(self) -> Items:
        """The choice one by one; a single fixture goes by its cells."""
        parts = self.hand.parts
        found = parts.selection.items()
        if len(found) == 1 and found[0][1] == 0:
            found = choice.items(self.hand.rig, parts.selection.chosen, {}, True)
        name = self.name()
        wanted = {COLOUR: at.RED, POINT: at.PAN}.get(name, name)
        return [i for i in found if not wanted or self.hand.rig.takes(i[0], wanted)]

    def name(self) -> str:
        """What is spread: an attribute, a colour or a line of points."""
        return str(self.what.currentData() or "")

    def rebuild(self, counts: dict[str, int]) -> None:
        """Offer what the choice has."""
        entries = _entries(counts)
        box, now = self.what, self.name()
        self._busy = True

        if [(box.itemText(i), box.itemData(i)) for i in range(box.count())] != entries:
            box.clear()
            for label, name in entries:
                box.addItem(label, name)

            index = box.findData(now)
            if index < 0:
                index = max(0, box.findData(at.DIMMER))

            box.setCurrentIndex(index)

        self._busy = False
        enough = bool(entries) and len(self.items()) > 1
        self.hint.setVisible(not enough)
        self.body.setVisible(enough)

        if enough and (self.name(), tuple(self.items())) != self._for:
            self._begin()

    def _begin(self) -> None:
        """Take the ends from what the first and the last have now."""
        if self._busy or not self.what.count():
            return

        items = self.items()
        self._for = (self.name(), tuple(items))
        if not items:
            return

        name = self.name()
        first, last = items[0], items[-1]
        self.numbers.setVisible(name not in (COLOUR, POINT))
        self.bars.setVisible(name != POINT)
        self.swatches.setVisible(name == COLOUR)

        self.spots.setVisible(name == POINT)
        self.hand.look_again()
        if name == COLOUR:
            white = [(1.0, 1.0, 1.0)]
            begins = self.hand.colours([first]) or white
            ends = self.hand.colours([last]) or white
            self.rgbs = [begins[0], ends[-1]]
        elif name == POINT:
            self.points = [self._lands(first[0]), self._lands(last[0])]
        else:
            self._begin_numbers(name, first, last)

        self._show()

    def _begin_numbers(self, name: str, first: choice.Item, last: choice.Item) -> None:
        known = at.attribute(name)
        scale = 100.0 if known.unit == "%" else 1.0
        low, high = self.hand.span(name)
        for field in (self.first, self.last):
            field.low, field.high = low * scale, high * scale
            field.unit = known.unit
            field.digits = 0 if scale == 100 else 1
        begins = self.hand.numbers(name, [first]) or [low]
        ends = self.hand.numbers(name, [last]) or [high]
        self.ends = [begins[0], ends[-1]]

    def _lands(self, fixture: str) -> list[float]:
        """Where a head's beam falls now."""
        rig, values = self.hand.rig, self.hand.values()
        pan, tilt = (float(values[rig.where[fixture][n][0][1]]) for n in links.AIMS)
        way = sums.beam(rig.axes[fixture][None], [pan], [tilt])[0]
        place = rig.fixtures[fixture].place
        start = (place.x, place.y, place.z)
        length = min(
            20.0,
            to_floor_or_wall(self.hand.parts.document.show.room, start, way.tolist()),
        )
        return [
            round(float(s + w * length), 2) for s, w in zip(start, way, strict=True)
        ]

    def _positions(self) -> Floats:
        shape = SHAPES[next(iter(self.shapes.chips.on))][1]
        return spread.positions(len(self.items()), shape, int(self.repeat.value or 0))  # type: ignore[arg-type]

    def _show(self) -> None:
        name, along = self.name(), self._positions()
        scale = 100.0 if at.attribute(name).unit == "%" else 1.0
        if name == COLOUR:
            made = [
                (r, g, b)
                for r, g, b in spread.colours_between(
                    self.rgbs[0], self.rgbs[1], along
                ).tolist()
            ]
            self.bars.show_shares([1.0] * len(made), made)
            for button, rgb in zip(self.colours, self.rgbs, strict=True):
                button.set_rgb(rgb)
        elif name == POINT:
            for own, point in zip(self.places, self.points, strict=True):
                for field, v in zip(own, point, strict=True):
                    field.set_value(v)
        else:
            low, high = self.hand.span(name)
            values = spread.between(self.ends[0], self.ends[1], along)
            self.bars.show_shares(
                ((values - low) / max(high - low, 1e-9)).clip(0, 1).tolist(), []
            )
            self.first.set_value(self.ends[0] * scale)
            self.last.set_value(self.ends[1] * scale)

    # changes

    def _number(self, end: int, value: float) -> None:
        scale = 100.0 if at.attribute(self.name()).unit == "%" else 1.0
        self.ends[end] = value / scale
        self.apply()

    def _dragged(self, end: int, share: float) -> None:
        low, high = self.hand.span(self.name())
        self.ends[end] = low + (high - low) * share
        self.apply()

    def _rgb(self, end: int, rgb: Rgb) -> None:
        self.rgbs[end] = rgb
        self.apply()

    def _place(self, end: int, axis: int, value: float) -> None:
        self.points[end][axis] = value
        self.apply()

    def _shape(self, index: int) -> None:
        self.shapes.chips.show_on([index])
        self.apply()

    def _swap(self) -> None:
        self.ends.reverse()
        self.rgbs.reverse()
        self.points.reverse()
        self.apply()

    def apply(self) -> None:
        """Give everybody their share."""
        items, along, name = self.items(), self._positions(), self.name()
        if len(items) < 2:
            return

        if name == COLOUR:
            made = spread.colours_between(self.rgbs[0], self.rgbs[1], along)
            values = {n: made[:, i].tolist() for i, n in enumerate(at.TARGET_COLOUR)}
        elif name == POINT:
            aims: list[Value] = [
                links.to_point(p)
                for p in spread.between(self.points[0], self.points[1], along).tolist()
            ]
            values = dict.fromkeys(links.AIMS, aims)
        else:
            values = {name: spread.between(self.ends[0], self.ends[1], along).tolist()}

        self.hand.give_each(values, items)
        self.hand.look_again()
        self._show()


def _entries(counts: dict[str, int]) -> list[tuple[str, str]]:
    """What can be spread of what the choice has: label and name."""
    entries = []
    for name in counts:
        known = at.attribute(name)
        stepped = known.command or known.kind in ("slot", "program", "mode")
        if name not in at.TARGET_COLOUR and not stepped:
            entries.append((known.label, name))
    if at.RED in counts:
        entries.insert(0, (tr("Colour"), COLOUR))
    if at.PAN in counts and at.TILT in counts:
        entries.append((tr("Direction: a line of points"), POINT))
    return entries
