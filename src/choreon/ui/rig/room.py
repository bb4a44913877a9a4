"""The room: how large the stage is, its bars, the screen, the seats, where beams must
not go, the venue's own plan.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPointF, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QFileDialog, QInputDialog, QLineEdit, QVBoxLayout, QWidget

from choreon.formats.pictures import PAGE_SIZE
from choreon.language import tr
from choreon.model import edits
from choreon.model.show import Area, Bar, Room, Screen, Seats, Underlay
from choreon.ui import pictures, pixmaps, renaming
from choreon.ui.parts import Parts
from choreon.ui.rig.plan import PlanView
from choreon.ui.widgets import basics
from choreon.ui.widgets.values import ValueField
from choreon.ui.widgets.work import Work

SIZE = (
    (tr("Width"), "width", 1, 40),
    (tr("Depth"), "depth", 1, 40),
    (tr("Grid"), "height", 1, 20),
    (tr("House"), "house", 0, 60),
)
BAR = (("x", "x1"), ("y", "y1"), (tr("to x"), "x2"), ("y", "y2"), (tr("height"), "z"))
AREA = (
    ("x", "x1"),
    ("y", "y1"),
    (tr("to x"), "x2"),
    ("y", "y2"),
    (tr("from"), "low"),
    (tr("up to"), "high"),
)
SEATS = (
    (tr("Rows"), "rows"),
    (tr("Width"), "width"),
    (tr("First at"), "distance"),
    (tr("Apart"), "spacing"),
)
SCREEN = (
    (tr("Middle x"), "x"),
    ("y", "y"),
    (tr("Lower edge"), "z"),
    (tr("Width"), "width"),
    (tr("Height"), "height"),
)


class RoomPanel(QWidget):
    """The room in numbers, on the right of the plan that shows it."""

    closed = Signal()
    scale_asked = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._shown: Room | None = None
        self.work = Work(self)
        self.work.told.connect(parts.notices.working)

        parts.notices.stopped.connect(self.work.stop)
        self.inner = QVBoxLayout()
        self.inner.setSpacing(6)
        holder = QWidget()
        holder.setLayout(self.inner)

        self.inner.setContentsMargins(12, 4, 12, 12)
        done = basics.button(
            tr("Done"), self.closed.emit, "quiet", tip=tr("Back to the fixture in hand")
        )

        head = basics.row(basics.label(tr("The room"), "big"), 1, done)
        head.setContentsMargins(12, 8, 8, 0)
        panel = basics.panel(head, basics.scroller(holder), margins=0, spacing=4)
        basics.grow(panel, 1)

        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        self.setMinimumWidth(232)
        parts.document.show_changed.connect(lambda _: self._fill())

    def showEvent(self, event: QShowEvent) -> None:
        self._fill()

    @property
    def room(self) -> Room:
        """The room as it is now."""
        return self.parts.document.show.room

    def _shape(self, room: Room) -> tuple[object, ...]:
        """What decides which lines there are."""
        names = tuple(b.name for b in room.bars), tuple(a.name for a in room.keep_out)
        under = room.underlay.picture if room.underlay else None
        return (*names, room.screen is None, room.seats.rows > 0, under)

    def _fill(self) -> None:
        if not self.isVisible() or self._shown is self.room:
            return
        fresh = self._shown is None or self._shape(self._shown) != self._shape(
            self.room
        )
        self._shown = self.room
        if fresh:
            self._rebuild()
        for field, read in self.fields:
            value = read()
            if value is not None:
                field.set_value(float(value))

    def _rebuild(self) -> None:
        """Lay out what there is to say of the room."""
        basics.clear(self.inner)
        self.fields: list[tuple[ValueField, Callable[[], float | None]]] = []
        room = self.room
        self.inner.addWidget(self._name_line())

        for title, key, low, high in SIZE:
            read, write = partial(self._of_room, key), partial(self._set_room, key)
            self.inner.addWidget(self._number(title, low, high, read, write))

        self._heading(tr("Bars"), tr("Another bar"), self.add_bar)
        for i, bar in enumerate(room.bars):
            self._item("bars", i, bar.name, BAR, -40, 40)

        add = "" if room.seats.rows else tr("Rows of seats")
        self._heading(tr("Seats"), add, lambda: self._put("seats", seats=Seats(rows=6)))
        if room.seats.rows:
            self._seat_lines()

        self._heading(
            tr("Screen"), "" if room.screen else tr("A screen"), self._add_screen
        )
        if room.screen:
            self._screen_lines()

        self._heading(tr("Keep beams out"), tr("Another area"), self.add_area)
        for i, area in enumerate(room.keep_out):
            self._item("keep_out", i, area.name, AREA, -60, 60)

        add = "" if room.underlay else tr("Choose a picture…")
        self._heading(tr("The venue's plan"), add, self._ask_picture)
        if room.underlay:
            self._underlay_lines()

        self.inner.addStretch(1)

    def _name_line(self) -> QLineEdit:
        name = QLineEdit(self.room.name)
        name.setPlaceholderText(tr("What the room is called"))
        name.setAccessibleName(tr("Name of the room"))
        name.setToolTip(tr("What the room is called on plans and prints"))
        name.editingFinished.connect(
            lambda: self._put(tr("name the room"), name=name.text().strip())
        )
        return name

    def _seat_lines(self) -> None:
        for title, key in SEATS:
            digits = 0 if key == "rows" else 2
            read, write = partial(self._of_seats, key), partial(self._seats, key)
            self.inner.addWidget(self._number(title, 0, 60, read, write, digits))

    def _screen_lines(self) -> None:
        for title, key in SCREEN:
            read, write = partial(self._of_screen, key), partial(self._screen, key)
            self.inner.addWidget(self._number(title, -40, 40, read, write))
        take_down = basics.button(
            tr("Take it down"), lambda: self._put(tr("no screen"), screen=None), "quiet"
        )
        self.inner.addWidget(basics.row(1, take_down))

    def _heading(self, text: str, add: str, act: Callable[[], object]) -> None:
        widgets: list[QWidget | int] = [basics.label(text, "heading"), 1]
        if add:
            widgets.append(basics.tool("plus", add, act))
        self.inner.addWidget(basics.row(*widgets))

    def _number(
        self,
        title: str,
        low: float,
        high: float,
        read: Callable[[], float | None],
        write: Callable[[float], object],
        digits: int = 2,
    ) -> ValueField:
        field = ValueField(
            title, low, high, "m" if digits == 2 else "", digits, None, bar=False
        )
        field.changed.connect(write)
        self.fields.append((field, read))

        return field

    def _item(
        self,
        collection: str,
        i: int,
        title: str,
        columns: Sequence[tuple[str, str]],
        low: float,
        high: float,
    ) -> None:
        """A bar or an area: its name, its numbers, and a way to remove it."""
        name = QLineEdit(title)
        name.setAccessibleName(tr("Name of {title}", title=title))
        name.setToolTip(tr("What it is called on the plan"))
        name.editingFinished.connect(lambda: self._rename(collection, i, name.text()))
        gone = basics.tool(
            "trash",
            tr("Remove {title}", title=title),
            lambda: self._remove(collection, i),
        )

        self.inner.addWidget(basics.row(name, gone, spacing=4))

        for j in range(0, len(columns), 2):
            pair = [
                self._number(
                    label,
                    low,
                    high,
                    partial(self._of_item, collection, i, key),
                    partial(self._change, collection, i, key),
                )
                for label, key in columns[j : j + 2]
            ]
            self.inner.addWidget(basics.row(*pair, spacing=4))

    def _of_room(self, key: str) -> float:
        size: float = getattr(self.room, key)
        return size

    def _set_room(self, key: str, metres: float) -> None:
        self._put(tr("the room"), **{key: metres})

    def _of_seats(self, key: str) -> float:
        number: float = getattr(self.room.seats, key)
        return number

    def _of_screen(self, key: str) -> float | None:
        return getattr(self.room.screen, key, None)

    def _of_item(self, collection: str, i: int, key: str) -> float | None:
        items = getattr(self.room, collection)
        return getattr(items[i], key) if i < len(items) else None

    def _put(self, step: str, **fields: object) -> None:
        room = edits.replace(self.room, **fields)
        if room != self.room:
            self.parts.document.edit(
                step, edits.replace(self.parts.document.show, room=room)
            )

    def _change(self, collection: str, i: int, key: str, value: object) -> None:
        items = list(getattr(self.room, collection))
        if i < len(items):
            items[i] = edits.replace(items[i], **{key: value})
            self._put(
                tr("change {name}", name=items[i].name), **{collection: tuple(items)}
            )

    def _rename(self, collection: str, i: int, name: str) -> None:
        """Call a bar or an area by another name."""
        items, name = getattr(self.room, collection), name.strip()
        if i >= len(items) or not name or name == items[i].name:
            return
        others = (item.name for n, item in enumerate(items) if n != i)
        called = edits.free_name(name, others)
        self._change(collection, i, "name", called)
        renaming.tell(self.parts, name, called)

    def _remove(self, collection: str, i: int) -> None:
        items = list(getattr(self.room, collection))
        gone = items.pop(i)
        self._put(tr("remove {name}", name=gone.name), **{collection: tuple(items)})

    def _seats(self, key: str, value: float) -> None:
        self._put(
            "seats",
            seats=edits.replace(
                self.room.seats, **{key: int(value) if key == "rows" else value}
            ),
        )

    def _screen(self, key: str, value: float) -> None:
        if self.room.screen:
            self._put("screen", screen=edits.replace(self.room.screen, **{key: value}))

    def _add_screen(self) -> None:
        room = self.room
        self._put(
            tr("a screen"),
            screen=Screen(
                0.0, room.depth - 0.2, 1.0, room.width * 0.6, room.width * 0.35
            ),
        )

    def add_bar(self) -> None:
        """A bar across the stage, where none is yet."""
        room = self.room
        name = edits.fresh_name(
            tr("Bar {number}", number=len(room.bars) + 1), [b.name for b in room.bars]
        )
        used = [b.y1 for b in room.bars]
        y = max(
            (room.depth * p for p in (0.25, 0.55, 0.85, 0.1, 0.7)),
            key=lambda d: min((abs(d - u) for u in used), default=9),
        )
        bar = Bar(
            name, -room.width / 2, round(y, 2), room.width / 2, round(y, 2), room.height
        )
        self._put(tr("hang {name}", name=name), bars=(*room.bars, bar))

    def add_area(self) -> None:
        """An area before the stage, where eyes are."""
        room = self.room
        name = edits.fresh_name(
            tr("Audience") if not room.keep_out else tr("Area"),
            [a.name for a in room.keep_out],
        )
        half = room.width / 2
        area = Area(name, -half, -max(1.5, room.house), half, -1.5, 0.0, 2.0)
        self._put(
            tr("keep beams out of {name}", name=name), keep_out=(*room.keep_out, area)
        )

    # the picture

    def _underlay_lines(self) -> None:
        add = self.inner.addWidget
        scale = ValueField(tr("Scale"), 0.01, 100, "cm/px", 3, None, bar=False)
        scale.changed.connect(lambda v: self._under(scale=v / 100))
        strength = ValueField(tr("Strength"), 0, 100, "%", 0, 50.0)
        strength.changed.connect(lambda v: self._under(strength=v / 100))

        turn = ValueField(tr("Turned"), -180, 180, "°", 1, 0.0, bar=False)
        turn.changed.connect(lambda v: self._under(turn=v))
        self.fields += [
            (scale, lambda: self._of_underlay("scale", 100)),
            (strength, lambda: self._of_underlay("strength", 100)),
            (turn, lambda: self._of_underlay("turn")),
        ]

        add(scale)
        for title, key in ((tr("Left edge"), "x"), (tr("Upper edge"), "y")):
            write = self._under_writer(key)
            add(self._number(title, -200, 200, partial(self._of_underlay, key), write))

        points = basics.button(
            tr("Scale by two points…"),
            self.scale_asked.emit,
            "",
            "ruler",
            tr("Press on two points whose distance you know"),
        )

        gone = basics.button(
            tr("Remove the picture"),
            lambda: self._put(tr("no picture"), underlay=None),
            "quiet",
            "trash",
        )

        for widget in (turn, strength, points, gone):
            add(widget)

    def _of_underlay(self, key: str, factor: float = 1.0) -> float | None:
        under = self.room.underlay
        return factor * getattr(under, key) if under else None

    def _under_writer(self, key: str) -> Callable[[float], None]:
        return lambda value: self._under(**{key: value})

    def _under(self, **fields: float) -> None:
        if self.room.underlay:
            self._put(
                tr("place the plan"),
                underlay=edits.replace(self.room.underlay, **fields),
            )

    def _ask_picture(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("The venue's plan"), "", pictures.KINDS
        )
        if name:
            self.take_picture(Path(name))

    def take_picture(self, path: Path) -> None:
        """Lay a picture below the plan; it travels in the show, made smaller where it
        is very large.
        """
        pictures.read(
            self.work,
            path,
            PAGE_SIZE,
            lambda data: self._lay_below(path.name, data),
            lambda text: self.parts.notices.told.emit(text, "alarm"),
        )

    def _lay_below(self, name: str, data: bytes) -> None:
        show, room = self.parts.document.show, self.room
        picture = edits.picture_of(show, name, data)
        wide, pixels = room.width + 2, pixmaps.pixmap(data).width()
        under = Underlay(picture.id, -wide / 2, room.depth + 1, wide / max(1, pixels))
        show = edits.replace(
            edits.put(show, "pictures", picture),
            room=edits.replace(room, underlay=under),
        )
        self.parts.document.edit(tr("lay the venue's plan below"), show)

    def ask_distance(self, plan: PlanView, a: QPointF, b: QPointF) -> None:
        """Two points were clicked: ask how far they are apart."""
        metres, sure = QInputDialog.getDouble(
            self, tr("Scale"), tr("Metres between the two points"), 1.0, 0.05, 500.0, 2
        )
        if sure:
            self.scale_to(plan, a, b, metres)

    def scale_to(self, plan: PlanView, a: QPointF, b: QPointF, metres: float) -> None:
        """Scale the picture so that two points of it are so far apart; the first stays
        where it is.
        """
        under = self.room.underlay
        if under is None or metres <= 0:
            return

        one, other = plan.place_of(a), plan.place_of(b)
        now = math.hypot(other[0] - one[0], other[1] - one[1])
        if now < 1e-6:
            self.parts.notices.told.emit(
                tr("The two points are the same; the scale stays as it was."), "alarm"
            )
            return

        factor = metres / now
        x = one[0] + (under.x - one[0]) * factor
        y = one[1] + (under.y - one[1]) * factor
        self._put(
            tr("scale the plan"),
            underlay=edits.replace(under, scale=under.scale * factor, x=x, y=y),
        )
