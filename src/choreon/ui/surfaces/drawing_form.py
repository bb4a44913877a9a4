"""Drawing a controller of one's own: press and move each part, and the drawing grows;
what a part looks like, and what it shows.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QComboBox, QLineEdit, QSizePolicy, QWidget

from choreon.formats.surface_file import part_words
from choreon.language import tr
from choreon.model import edits
from choreon.model.inputs import Coding
from choreon.model.inputs.watching import Learnt
from choreon.model.surfaces import (
    MOST_PARTS,
    Display,
    PartSort,
    Shows,
    Surface,
    SurfacePart,
)
from choreon.ui.parts import Parts
from choreon.ui.surfaces.display_form import DisplayForm
from choreon.ui.surfaces.drawing import ControllerDrawing
from choreon.ui.surfaces.layout import TALL, sort_of
from choreon.ui.widgets import basics
from choreon.ui.widgets.values import ValueField

SORTS = {
    PartSort.FADER: tr("fader"),
    PartSort.DIAL: tr("dial"),
    PartSort.ENDLESS: tr("dial without an end"),
    PartSort.PAD: tr("pad"),
    PartSort.KEY: tr("key"),
    PartSort.WHEEL: tr("wheel"),
    PartSort.PEDAL: tr("pedal"),
    PartSort.WHITE: tr("white key"),
    PartSort.BLACK: tr("black key"),
}
SHOWN = {
    Shows.NOTHING: tr("shows nothing"),
    Shows.LIGHT: tr("light: off, there, on"),
    Shows.LEVELS: tr("light as bright as its level"),
    Shows.COLOURS: tr("colours by a table"),
    Shows.MIX: tr("colours mixed"),
    Shows.RING: tr("ring"),
    Shows.MOTOR: tr("motor"),
    Shows.TEXT: tr("a line of text"),
}
USUAL = {
    PartSort.FADER: Shows.NOTHING,
    PartSort.ENDLESS: Shows.RING,
    PartSort.PAD: Shows.LIGHT,
    PartSort.KEY: Shows.LIGHT,
}
ROW_WIDTH = 16  # units after which a row of one sort goes on in the next


def grown(surface: Surface, found: Learnt) -> Surface:
    """Returns a surface with a part for a control that was found: beside the last of
    its sort, or in a row of its own. The same where it has one.
    """
    control = found.control
    if surface.part(control.name) or len(surface.parts) >= MOST_PARTS:
        return surface

    sort = sort_of(control)
    if found.coding != Coding.PLACE:
        sort = PartSort.ENDLESS
    high = TALL if sort == PartSort.FADER else 1.0
    x, y = _place_for(surface, sort)
    number = 1 + sum(part.sort == sort for part in surface.parts)
    part = SurfacePart(
        id=_free_id(surface, f"{sort.value} {number}"),
        sort=sort,
        x=x,
        y=y,
        h=high,
        sends=control.name,
        coding=found.coding,
        toggles=found.toggles,
        shows=Display(how=USUAL.get(sort, Shows.NOTHING)),
    )
    return edits.replace(surface, parts=(*surface.parts, part))


def _place_for(surface: Surface, sort: PartSort) -> tuple[float, float]:
    """Where the next part of a sort comes to lie."""
    if not surface.parts:
        return 0.0, 0.0
    last = surface.parts[-1]
    if last.sort == sort and last.x + 2 * last.w <= ROW_WIDTH:
        return last.x + last.w, last.y
    left, _, _, bottom = surface.extent
    return left, bottom + 0.1


def _free_id(surface: Surface, wanted: str) -> str:
    taken = {part.id for part in surface.parts}
    free, n = wanted, 1
    while free in taken:
        n += 1
        free = f"{wanted} {n}"
    return free


class DrawingForm(QWidget):
    """What the part in hand looks like, while its controller is drawn."""

    def __init__(self, parts: Parts, drawing: ControllerDrawing) -> None:
        super().__init__()
        self.parts, self.drawing = parts, drawing
        self.hint = basics.label(
            tr(
                "Press or move each part of the controller, one after the other: the "
                "drawing grows. Drag parts where they lie on the table; Delete takes "
                "one off."
            ),
            "soft",
            wrap=True,
        )
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the part"))
        self.name.setPlaceholderText(tr("name"))
        self.name.editingFinished.connect(
            lambda: self._change(name=self.name.text().strip())
        )

        self.sort = _box(tr("Looks like"), SORTS)
        self.sort.activated.connect(lambda i: self._change(sort=self.sort.itemData(i)))
        self.shows = _box(tr("Shows"), SHOWN)
        self.shows.activated.connect(lambda i: self._show_by(self.shows.itemData(i)))
        self.wide = ValueField(tr("Wide"), 0.25, 8, "", 2, home=1)
        self.high = ValueField(tr("High"), 0.25, 8, "", 2, home=1)
        self.wide.changed.connect(lambda v: self._change(w=v))
        self.high.changed.connect(lambda v: self._change(h=v))

        self.display = DisplayForm(
            lambda text: parts.notices.told.emit(text, "problem")
        )
        self.display.changed.connect(lambda shows: self._change(shows=shows))
        self.display.spread.connect(self._spread)

        self.fields = QWidget()
        first = basics.row(self.name, self.sort, self.shows, spacing=8)
        second = basics.row(self.wide, self.high, spacing=8)
        for index in range(3):
            basics.grow(first, index)
        basics.stack(self.fields, first, second, self.display, spacing=4)
        basics.stack(self, self.hint, self.fields, spacing=6)

        drawing.shifted.connect(self.shift)
        drawing.removed.connect(self.remove)
        drawing.picked.connect(lambda _: self.follow())
        self.follow()

    @property
    def surface(self) -> Surface:
        """What is drawn, as one's own."""
        return self.drawing.surface

    @property
    def part(self) -> SurfacePart | None:
        """The part in hand."""
        chosen = self.drawing.chosen
        return None if chosen is None else self.surface.part(chosen.name)

    def begin(self) -> None:
        """Begin with what is drawn; with nothing where nobody has described it."""
        surface = self.surface
        if surface.id not in self.parts.document.show.surfaces:
            described = any(part.id != part.sends for part in surface.parts)
            parts = surface.parts if described else ()
            self._put(edits.replace(surface, parts=parts))

    def found(self, found: Learnt) -> None:
        """A part was moved: it comes onto the drawing, and into the hand."""
        surface = self.surface
        if found.control.device != surface.id:
            return
        made = grown(surface, found)
        if made is not surface:
            self._put(made)
        self.drawing.choose(found.control)

    def follow(self) -> None:
        """Show the part in hand."""
        part = self.part
        self.fields.setVisible(part is not None)
        if part is None:
            return
        self.name.setText(part.name)
        self.name.setPlaceholderText(part_words(part))
        self.sort.setCurrentIndex(list(SORTS).index(part.sort))
        self.shows.setCurrentIndex(list(SHOWN).index(part.shows.how))
        self.display.show_display(part.shows)
        self.wide.set_value(part.w)
        self.high.set_value(part.h)

    def shift(self, part_id: str, dx: float, dy: float) -> None:
        """Move a part on the drawing."""
        part = next((p for p in self.surface.parts if p.id == part_id), None)
        if part is not None:
            self._replace(edits.replace(part, x=part.x + dx, y=part.y + dy))

    def remove(self, part_id: str) -> None:
        """Take a part off the drawing; what it does is kept."""
        surface = self.surface
        left = tuple(part for part in surface.parts if part.id != part_id)
        self.drawing.chosen, self.drawing.row = None, ()
        self._put(edits.replace(surface, parts=left))
        self.follow()

    def _change(self, **fields: Any) -> None:
        part = self.part
        if part is not None:
            self._replace(edits.replace(part, **fields))

    def _show_by(self, how: Shows) -> None:
        part = self.part
        if part is not None:
            shows = edits.replace(part.shows, how=how)
            self._replace(edits.replace(part, shows=shows))
            self.display.show_display(shows)

    def _spread(self) -> None:
        """Have all parts of the sort show as the one in hand does; a message of its own
        is each part's own.
        """
        part, surface = self.part, self.surface
        if part is None:
            return

        def alike(other: SurfacePart) -> SurfacePart:
            if other.sort != part.sort or other.id == part.id:
                return other
            shows = edits.replace(
                part.shows, by=other.shows.by, bytes=other.shows.bytes
            )
            return edits.replace(other, shows=shows)

        made = tuple(alike(other) for other in surface.parts)
        self._put(edits.replace(surface, parts=made))

    def _replace(self, made: SurfacePart) -> None:
        surface = self.surface
        parts = tuple(made if part.id == made.id else part for part in surface.parts)
        self._put(edits.replace(surface, parts=parts))

    def _put(self, surface: Surface) -> None:
        document = self.parts.document
        if document.show.surfaces.get(surface.id) != surface:
            show = edits.put(document.show, "surfaces", surface)
            document.edit(tr("draw a controller"), show)
        self.drawing.update()


def _box(name: str, options: dict[Any, str]) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setToolTip(name)
    box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
    for key, text in options.items():
        box.addItem(text, key)
    return box
