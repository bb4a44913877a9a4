"""What is said of the tiles in hand while a page is arranged; of the page, where none
is.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QApplication,
    QColorDialog,
    QComboBox,
    QFileDialog,
    QFrame,
    QLineEdit,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from choreon.formats.pictures import PAGE_SIZE
from choreon.language import plural, tr
from choreon.model import attributes as at
from choreon.model import edits, givens, offers, pages
from choreon.model.cues import stacks_of
from choreon.model.lamps import fixtures_of
from choreon.model.masters import GroupMaster, Override
from choreon.model.refs import DEEDS, Ref, exists, name_of, to_tile
from choreon.model.sameness import very_same
from choreon.model.show import Show
from choreon.model.tiles import (
    CueDeed,
    DarkChange,
    Dial,
    DialStop,
    LampTile,
    MasterTile,
    Pad,
    PadAction,
    Part,
    PlayingTile,
    Spot,
    Tile,
    Turns,
)
from choreon.terms import term
from choreon.ui import pictures, renaming, theme
from choreon.ui.parts import Parts
from choreon.ui.perform.arranging import Arranger
from choreon.ui.signs import sign_name
from choreon.ui.tiles import named
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField
from choreon.ui.widgets.work import Work

ACTIONS = {
    PadAction.TOGGLE: tr("On, and off again"),
    PadAction.ON: tr("On only"),
    PadAction.OFF: tr("Off only"),
}
TURNS = {
    Turns.RATE: tr("Rate"),
    Turns.SIZE: tr("Size of effects"),
    Turns.PHASE: tr("Phase of effects"),
    Turns.FADE: tr("Fade time"),
    Turns.ATTRIBUTE: tr("An attribute of fixtures"),
}
FAMILIES = [at.Family.INTENSITY, at.Family.COLOUR, at.Family.POSITION, at.Family.BEAM]
SHORT = {
    at.Family.INTENSITY: tr("Level"),
    at.Family.COLOUR: tr("Colour"),
    at.Family.POSITION: tr("Aim"),
    at.Family.BEAM: tr("Beam"),
}
NO_SIGN = tr("No sign")
KINDS = {
    "pad": tr("Pad"),
    "flash": tr("Flash"),
    "fader": tr("Fader"),
    "choice": tr("Choice"),
}
MOST_HIGH = 24  # cells that a tile is high


class Inspector(QWidget):
    """Fields for the tiles in hand, all at once where there are several."""

    def __init__(self, parts: Parts, arranger: Arranger, page: QWidget) -> None:
        """`page`: what is shown while no tile is in hand."""
        super().__init__()
        self.parts, self.arranger = parts, arranger
        self.fields: dict[str, QWidget] = {}
        self._shown: tuple[object, ...] = ()
        self.work = Work(self)

        self.work.told.connect(parts.notices.working)
        parts.notices.stopped.connect(self.work.stop)
        self.form = QWidget()
        self.column = QVBoxLayout(self.form)
        self.column.setContentsMargins(2, 2, 8, 2)

        self.column.setSpacing(6)
        self.page = page
        self.scroller = basics.scroller(self.form)
        basics.stack(self, self.page, self.scroller)
        arranger.changed.connect(self.fill)

        parts.document.show_changed.connect(lambda _: self.fill())

    @property
    def show_(self) -> Show:
        """The show as it is now."""
        return self.parts.document.show

    @property
    def tiles(self) -> list[Any]:
        """The tiles in hand."""
        found = (self.show_.tile(i) for i in self.arranger.chosen)
        return [tile[1] for tile in found if tile is not None]

    def fill(self) -> None:
        """Make the fields of what is in hand."""
        tiles = self.tiles if self.arranger.on else []
        self.page.setVisible(not tiles)
        self.scroller.setVisible(bool(tiles))
        show, page = self.show_, self.arranger.view.page
        sections = () if page is None else page.sections
        shown = (
            tuple(edits.replace(tile, spot=None) for tile in tiles),
            sections,
            show.playables,
            show.groups,
            show.masters,
        )

        if tiles and _alike(shown, self._shown):
            self._show_sizes(tiles)  # at most they lie elsewhere
            return

        self._shown = shown
        focused = next((n for n, w in self.fields.items() if w.hasFocus()), "")
        focus = QApplication.focusWidget()
        if focus is not None and self.form.isAncestorOf(focus):
            focus.clearFocus()  # going away it would hand it on to the page
        basics.clear(self.column)
        self.fields = {}

        if tiles:
            self._fill(tiles)

        if focused in self.fields:
            self.fields[focused].setFocus()

    def _fill(self, tiles: list[Any]) -> None:
        first = tiles[0]
        title = (
            named(first)
            if len(tiles) == 1
            else plural(len(tiles), "{n} tile", "{n} tiles")
        )
        self.column.addWidget(basics.label(title, "heading"))
        self._deeds(len(tiles))
        self._looks(tiles)
        self._sizes(tiles)

        if all(isinstance(tile, PlayingTile) for tile in tiles):
            self._kinds(tiles)
            if len(tiles) == 1:
                self._plays(first)
            self._times(tiles)

        if len(tiles) == 1:
            self._own(first)
        self.column.addStretch(1)

    # helpers

    def change(self, what: str, **fields: object) -> None:
        """Change fields of all the tiles in hand that have them."""
        show = self.show_
        for tile in self.tiles:
            own = {n: v for n, v in fields.items() if hasattr(tile, n)}
            if any(getattr(tile, n) != v for n, v in own.items()):
                show = pages.change(show, tile.id, **own)
        if "plays" in fields:
            show = givens.tidied(show)
        if show is not self.show_:
            self.parts.document.edit(what, show)

    def _line(self, label: str, widget: QWidget, name: str = "") -> QWidget:
        words = basics.name_label(label, "soft")
        words.setFixedWidth(84)
        line = basics.row(words, widget, spacing=6)
        basics.grow(line, 1)
        self.column.addWidget(line)
        widget.setAccessibleName(label)
        self.fields[name or label.lower()] = widget
        return widget

    def _text(self, label: str, field: str, value: str, hint: str = "") -> None:
        edit = QLineEdit(value)
        edit.setPlaceholderText(hint)
        edit.editingFinished.connect(
            lambda: self.change(
                tr("{label} of a tile", label=label), **{field: edit.text()}
            )
        )
        self._line(label, edit, field)

    def _tick(self, label: str, field: str, value: bool, tip: str = "") -> None:
        box = Tick(label)
        box.setChecked(value)
        box.setToolTip(tip or label)
        box.clicked.connect(
            lambda on: self.change(tr("{label} of a tile", label=label), **{field: on})
        )
        self.column.addWidget(box)
        self.fields[field] = box

    def _pick(
        self,
        label: str,
        field: str,
        options: dict[Any, str],
        value: object,
        picked: Callable[[Any], None] | None = None,
    ) -> QComboBox:
        box = QComboBox()
        box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        for key, text in options.items():
            box.addItem(text, key)

        keys = list(options)
        if value in keys:
            box.setCurrentIndex(keys.index(value))

        def chosen(index: int) -> None:
            if picked is not None:
                picked(keys[index])
            else:
                self.change(
                    tr("{label} of a tile", label=label), **{field: keys[index]}
                )

        box.activated.connect(chosen)
        self._line(label, box, field)
        return box

    # what every tile has

    def _deeds(self, number: int) -> None:
        arranger = self.arranger
        many = [
            basics.tool(f"align-{edge}", tip, partial(arranger.align, edge))
            for edge, tip in EDGES.items()
        ]
        many.append(
            basics.tool("equal", tr("As large as the first"), arranger.same_size)
        )
        for button in many:
            button.setVisible(number > 1)
        copy = basics.tool("copy", tr("Copy (Ctrl+D)"), arranger.copy)
        gone = basics.tool("trash", tr("Take off the page (Delete)"), arranger.remove)
        self.column.addWidget(flow(copy, gone, *many, spacing=2))

    def _looks(self, tiles: list[Any]) -> None:
        first = tiles[0]
        if len(tiles) == 1:
            called = name_of(self.show_, first.ref) if not first.name else ""
            self._text(tr("Name"), "name", first.name, called)
            self._text(tr("Help"), "note", first.note, tr("A line for guests"))

        colour = basics.button("", self._ask_colour, "quiet")
        colour.setText(first.colour or tr("None"))
        if first.colour:
            colour.setStyleSheet(f"border-left: 12px solid {first.colour};")

        self._line(tr("Colour"), colour, "colour")
        self._sign(first)
        page = self.arranger.view.page

        if page is not None and page.sections:
            sections = {"": tr("Top of the page")}
            sections |= {section.id: section.name for section in page.sections}
            self._pick(
                tr("Section"), "section", sections, first.section, self._to_section
            )

    def _sizes(self, tiles: list[Any]) -> None:
        """How many cells they are wide and high."""
        page = self.arranger.view.page
        if page is None:
            return
        spots = pages.all_spots(page)
        first = spots.get(tiles[0].id, Spot())

        wide = NumberField(tr("Cells wide"), 1, page.columns, first.w)
        high = NumberField(tr("Cells high"), 1, MOST_HIGH, first.h)
        wide.valueChanged.connect(lambda w: self.arranger.set_size(w=w))
        high.valueChanged.connect(lambda h: self.arranger.set_size(h=h))
        self.fields["wide"], self.fields["high"] = wide, high

        words = basics.name_label(tr("Cells"), "soft")
        words.setFixedWidth(84)
        times = basics.label("×", "soft")
        for field in (wide, high):
            field.setMinimumWidth(44)
        self.column.addWidget(basics.row(words, wide, times, high, spacing=4))

    def _show_sizes(self, tiles: list[Any]) -> None:
        """Follow how large they are."""
        page = self.arranger.view.page
        first = None if page is None else pages.all_spots(page).get(tiles[0].id)
        if first is None:
            return
        for name, cells in (("wide", first.w), ("high", first.h)):
            field = self.fields.get(name)
            if isinstance(field, NumberField):
                field.blockSignals(True)
                field.setValue(cells)
                field.blockSignals(False)

    def _kinds(self, tiles: list[Any]) -> None:
        """What kind they are, all at once; and, of several, one choice of them all."""
        same = {tile.kind for tile in tiles}
        first = tiles[0].kind if len(same) == 1 else None
        options: dict[Any, str] = {} if first else {None: tr("Several kinds")}
        options |= KINDS
        self._pick(tr("Kind"), "kind", options, first, self._turn_into)

        if len(tiles) > 1:
            gather = basics.button(
                tr("One choice of these"),
                self._gather,
                "quiet",
                "strips",
                tr("A strip in place of these tiles, with a look of each"),
            )
            self.fields["gather"] = gather
            self.column.addWidget(gather)

    def _turn_into(self, kind: str | None) -> None:
        if kind is None:
            return
        ids = [tile.id for tile in self.tiles]
        show, made = offers.turned_into(self.show_, ids, offers.As(kind))
        if show is not self.show_:
            name = plural(len(ids), "kind of {n} tile", "kind of {n} tiles")
            self.parts.document.edit(name, show)
            self.arranger.choose(made)

    def _gather(self) -> None:
        ids = [tile.id for tile in self.tiles]
        show, made = offers.gathered(self.show_, self.arranger.view.page_id, ids)
        if made:
            name = plural(len(ids), "a choice of {n} tile", "a choice of {n} tiles")
            self.parts.document.edit(name, show)
            self.arranger.choose((made,))

    def _sign(self, first: Any) -> None:
        """Which icon or letters stand before the name."""
        names = sorted(theme.icon_names())
        signs = {"": NO_SIGN, **{name: sign_name(name) for name in names}}
        if first.sign and first.sign not in signs:
            signs[first.sign] = first.sign
        box = self._pick(tr("Sign"), "sign", signs, first.sign)
        for n, name in enumerate(signs):
            if name in theme.icon_names():
                box.setItemIcon(n, theme.icon(name))

    def _to_section(self, section: str) -> None:
        show, page_id = self.show_, self.arranger.view.page_id
        for tile in self.tiles:
            show = pages.change(show, tile.id, section=section, spot=None)
        page = show.pages[page_id]
        show = pages.place(show, page_id, pages.all_spots(page))
        self.parts.document.edit(tr("move tiles to a section"), show)

    def _ask_colour(self) -> None:
        before = QColor(self.tiles[0].colour or theme.LIVE)
        picked = QColorDialog.getColor(before, self, tr("Colour of the tile"))
        self.change(
            tr("colour of a tile"), colour=picked.name() if picked.isValid() else ""
        )

    # what playing tiles have

    def _plays(self, tile: PlayingTile) -> None:
        self.column.addWidget(basics.label(tr("Plays"), "heading"))
        for n, part in enumerate(tile.plays):
            self.column.addWidget(PartRow(self, tile, n, part))
        self._more("add part")

    def _more(self, name: str) -> None:
        """The way to what the tile could take beside: the shelf."""
        add = basics.button(
            tr("Add from the shelf"),
            self.arranger.shelf_wanted.emit,
            "quiet",
            "plus",
            tr(
                "Choose on the shelf, and press Join the tile; or drag it onto the tile"
            ),
        )
        self.fields[name] = add
        self.column.addWidget(add)

    def _times(self, tiles: list[Any]) -> None:
        first = tiles[0]
        for label, field in ((tr("Fade in"), "fade_in"), (tr("Fade out"), "fade_out")):
            value = getattr(first, field)
            box = ValueField(label, 0.0, 600.0, "s", 1, 0.0, bar=False)
            box.set_value(value)
            box.setToolTip(
                tr(
                    "{label}: goes before the times of what it plays; double-click: "
                    "theirs",
                    label=label,
                )
            )
            box.changed.connect(partial(self._set_time, field))

            box.homed.connect(partial(self._set_time, field, None))
            self.column.addWidget(box)
            self.fields[field] = box

        if hasattr(first, "protected"):
            tip = tr("It stays on when all is let go")
            self._tick(
                tr("Stays when all is let go"), "protected", first.protected, tip
            )

    def _set_time(self, field: str, value: float | None) -> None:
        self.change(tr("fade time of a tile"), **{field: value})

    # what single kinds have

    def _own(self, tile: Tile) -> None:
        own = OWN.get(tile.kind)
        if own is not None:
            own(self, tile)

    def _of_pad(self, tile: Any) -> None:
        self._pick(tr("A press is"), "action", ACTIONS, tile.action)
        self._tick(tr("Ask first: a second press plays"), "ask", tile.ask)
        known = [
            other.choice
            for page in self.show_.pages.values()
            for other in page.tiles
            if isinstance(other, Pad) and other.choice
        ]

        box = QComboBox()
        box.setEditable(True)
        box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        box.addItems(["", *dict.fromkeys(known)])
        box.setCurrentText(tile.choice)
        box.setToolTip(tr("Pads of one choice exclude each other and crossfade"))

        edit = box.lineEdit()
        assert edit is not None
        edit.editingFinished.connect(
            lambda: self.change(tr("choice of a pad"), choice=box.currentText().strip())
        )
        box.activated.connect(
            lambda _: self.change(
                tr("choice of a pad"), choice=box.currentText().strip()
            )
        )

        self._line(tr("One of"), box, "choice")

        if tile.choice:
            self._darkly(tile)

    def _of_flash(self, tile: Any) -> None:
        self._tick(tr("With its fades"), "fades", tile.fades)
        options = {True: tr("Over all that plays"), False: tr("Only adds to it")}
        self._pick(tr("Lies"), "over", options, tile.over)

    def _of_fader(self, tile: Any) -> None:
        self._tick(tr("Horizontal"), "lying", tile.lying)

    def _of_choice(self, tile: Any) -> None:
        self._tick(tr("May be off"), "off", tile.off)
        self._tick(tr("One is always on"), "always", tile.always)
        self._darkly(tile)

    def _darkly(self, tile: Any) -> None:
        box = Tick(tr("Change in the dark"))
        box.setToolTip(
            tr(
                "Fixtures whose wheels, gobos or places change go down, change, and "
                "come up"
            )
        )
        box.setChecked(tile.change is not None)
        box.clicked.connect(
            lambda on: self.change(
                tr("change in the dark"), change=DarkChange() if on else None
            )
        )

        self.fields["dark"] = box
        self.column.addWidget(box)
        if tile.change is None:
            return

        for field, label in (
            ("down", tr("Down")),
            ("dark", tr("Dark")),
            ("up", tr("Up")),
        ):
            value = ValueField(label, 0.0, 60.0, "s", 1, 0.5, bar=False)
            value.set_value(getattr(tile.change, field))
            value.changed.connect(partial(self._set_dark, tile.change, field))
            self.column.addWidget(value)
            self.fields[f"dark {field}"] = value

    def _set_dark(self, change: DarkChange, field: str, value: float) -> None:
        self.change(
            tr("change in the dark"), change=edits.replace(change, **{field: value})
        )

    def _of_dial(self, tile: Dial) -> None:
        self._pick(tr("Turns"), "turns", TURNS, tile.turns)
        if tile.turns == Turns.ATTRIBUTE:
            lamps = fixtures_of(self.show_, tile.of)
            self._of_refs(tile.of)
            names = self._attributes(lamps)

            if tile.attribute and tile.attribute not in names:
                names[tile.attribute] = at.attribute(tile.attribute).label

            self._pick(
                tr("Attribute"),
                "attribute",
                {"": tr("Choose…"), **names},
                tile.attribute,
            )
            text = ", ".join(f"{stop.name}={stop.at:g}" for stop in tile.stops)
            edit = QLineEdit(text)
            edit.setPlaceholderText(tr("Left=0, Right=180"))
            edit.setToolTip(
                tr("Named stops: a name, =, and the value, set off by commas")
            )

            edit.editingFinished.connect(lambda: self._set_stops(edit.text()))
            self._line(tr("Stops"), edit, "stops")
        else:
            self._of_refs(tile.of)

    def _set_stops(self, text: str) -> None:
        stops = []
        for piece in text.split(","):
            name, equals, number = piece.partition("=")
            if not equals:
                continue
            try:
                stops.append(DialStop(name.strip(), float(number)))
            except ValueError:
                words = tr(
                    "“{strip}” is no stop: write a name, =, and a number.",
                    strip=piece.strip(),
                )
                self.parts.notices.told.emit(words, "alarm")
                return

        self.change(tr("stops of a dial"), stops=tuple(stops))

    def _attributes(self, lamps: list[str]) -> dict[str, str]:
        found: dict[str, str] = {}
        for fixture in lamps:
            for name in sorted(pages.attributes_of(self.show_, fixture)):
                known = at.attribute(name)
                if known.kind != "command" and not name.startswith("Color"):
                    found[name] = known.label
        return dict(sorted(found.items(), key=lambda item: item[1]))

    def _of_colour(self, tile: LampTile) -> None:
        self._of_refs(tile.of)

    def _of_refs(self, of: tuple[Ref, ...]) -> None:
        self.column.addWidget(basics.label(tr("Of"), "soft"))
        show = self.show_
        for ref in of:
            name = name_of(show, ref) if exists(show, ref) else tr("gone")
            gone = basics.tool(
                "close", tr("Without {name}", name=name), partial(self._without, ref)
            )
            words = basics.name_label(
                tr("{kind}: {name}", kind=term(ref.kind), name=name)
            )
            self.column.addWidget(basics.row(words, 1, gone, spacing=2))

        self._more("add of")

    def _without(self, ref: Ref) -> None:
        (tile,) = self.tiles
        self.change(tr("what a tile reaches"), of=tuple(r for r in tile.of if r != ref))

    def _of_master(self, tile: MasterTile) -> None:
        show = self.show_
        self._tick(tr("Horizontal"), "lying", tile.lying)
        options = {master.ref: master.name for master in show.masters.values()}
        self._pick(tr("Drives"), "drives", options, tile.drives)
        master = show.masters.get(tile.drives.id)

        if isinstance(master, GroupMaster | Override):
            edit = QLineEdit(master.name)
            edit.editingFinished.connect(
                lambda: self._rename_master(tile.drives, edit.text())
            )
            self._line(tr("Called"), edit, tr("master name"))
            self._reach(tile.drives, master.over)

        if isinstance(master, Override):
            ways = {True: tr("Its level alone counts"), False: tr("The highest counts")}
            self._pick(
                tr("Holds"),
                "alone",
                ways,
                master.alone,
                lambda alone: self._edit_master(tile.drives, alone=alone),
            )

    def _rename_master(self, ref: Ref, name: str) -> None:
        renaming.rename(self.parts, ref, name)

    def _reach(self, master: Ref, over: tuple[Ref, ...]) -> None:
        show = self.show_
        for ref in over:
            name = name_of(show, ref) if exists(show, ref) else tr("gone")
            rest = tuple(r for r in over if r != ref)
            gone = basics.tool(
                "close",
                tr("Without {name}", name=name),
                partial(self._edit_master, master, over=rest),
            )

            words = basics.name_label(
                tr("{kind}: {name}", kind=term(ref.kind), name=name)
            )
            self.column.addWidget(basics.row(words, 1, gone, spacing=2))

        self._more("add over")

    def _edit_master(self, ref: Ref, **fields: object) -> None:
        show = edits.change(self.show_, ref, **fields)
        self.parts.document.edit(
            tr("change {name_of}", name_of=name_of(show, ref)), show
        )

    def _of_deed(self, tile: Any) -> None:
        self._pick(tr("Does"), "deed", dict(DEEDS), tile.deed)

    def _of_cue(self, tile: Any) -> None:
        deeds = {
            CueDeed.GO: tr("GO, with now and next"),
            CueDeed.BACK: tr("Back"),
            CueDeed.LIST: tr("GO, with the cues that come"),
        }
        stacks = {stack.ref: stack.name for stack in stacks_of(self.show_)}
        self._pick(tr("Stack"), "of", stacks, tile.of)
        self._pick(tr("A press is"), "does", deeds, tile.does)

    def _of_label(self, tile: Any) -> None:
        known = {"": tr("No picture")}
        known |= {p.id: p.name for p in self.show_.pictures.values()}
        self._pick(tr("Picture"), "picture", known, tile.picture)
        load = basics.button(tr("Load a picture…"), self._ask_picture, "quiet", "image")
        self.fields["load picture"] = load
        self.column.addWidget(load)

    def _ask_picture(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Picture"), "", pictures.KINDS)
        if name:
            self.take_picture(Path(name))

    def take_picture(self, path: Path) -> None:
        """Give the tile in hand a picture from a file."""
        (tile,) = self.tiles
        pictures.read(
            self.work,
            path,
            PAGE_SIZE,
            lambda data: self._put_picture(tile.id, path.name, data),
            lambda text: self.parts.notices.told.emit(text, "alarm"),
        )

    def _put_picture(self, tile: str, name: str, data: bytes) -> None:
        show = self.show_
        if not exists(show, to_tile(tile)):
            return  # it was removed meanwhile
        picture = edits.picture_of(show, name, data)
        show = edits.put(show, "pictures", picture)
        show = pages.change(show, tile, picture=picture.id)
        self.parts.document.edit(tr("picture {name} on a tile", name=name), show)


def _alike(one: tuple[Any, ...], other: tuple[Any, ...]) -> bool:
    """Whether the same is to be shown: equal tiles and sections of the same show."""
    return bool(other) and one[:2] == other[:2] and very_same(one[2:], other[2:])


EDGES = {
    "left": tr("To the left edge"),
    "right": tr("To the right edge"),
    "top": tr("To the upper edge"),
    "bottom": tr("To the lower edge"),
}


OWN: dict[str, Callable[[Inspector, Any], None]] = {
    "pad": Inspector._of_pad,
    "flash": Inspector._of_flash,
    "fader": Inspector._of_fader,
    "choice": Inspector._of_choice,
    "dial": Inspector._of_dial,
    "colour": Inspector._of_colour,
    "aim": Inspector._of_colour,
    "master": Inspector._of_master,
    "deed": Inspector._of_deed,
    "cue": Inspector._of_cue,
    "label": Inspector._of_label,
}
"""Kind of tile → the fields that it has beside those of every tile."""


class PartRow(QFrame):
    """One thing that a tile plays: its level, its families, its place among them."""

    def __init__(self, owner: Inspector, tile: PlayingTile, n: int, part: Part) -> None:
        super().__init__()
        self.owner, self.tile, self.n, self.part = owner, tile, n, part
        self.setProperty("panel", "true")
        show = owner.parts.document.show
        name = name_of(show, part.ref) if exists(show, part.ref) else tr("gone")

        self.level = ValueField(tr("Level"), 0, 100, "%", 0, 100.0)
        self.level.set_value(100.0 * part.level)
        self.level.changed.connect(lambda level: self._change(level=level / 100.0))
        up = basics.tool("up", tr("{name} earlier", name=name), partial(self._move, -1))
        gone = basics.tool("close", tr("Without {name}", name=name), self._remove)

        self.families: dict[str, QToolButton] = {}
        for family in FAMILIES:
            button = QToolButton()
            button.setText(SHORT[family])
            button.setCheckable(True)
            button.setChecked(family in part.only)
            button.setToolTip(
                tr(
                    "Only {family}: with none chosen, the tile carries all of it",
                    family=family,
                )
            )

            button.clicked.connect(self._families)
            self.families[str(family)] = button

        basics.stack(
            self,
            basics.row(basics.name_label(name), 1, up, gone, spacing=2),
            self.level,
            flow(*self.families.values(), spacing=2),
            margins=8,
            spacing=4,
        )

    def _put(self, plays: list[Part]) -> None:
        self.owner.change(tr("what a tile plays"), plays=tuple(plays))

    def _change(self, **fields: object) -> None:
        plays = list(self.tile.plays)
        plays[self.n] = edits.replace(self.part, **fields)
        self._put(plays)

    def _families(self) -> None:
        only = tuple(name for name, b in self.families.items() if b.isChecked())
        self._change(only=only)

    def _move(self, by: int) -> None:
        plays = list(self.tile.plays)
        there = max(0, self.n + by)
        plays.insert(there, plays.pop(self.n))
        self._put(plays)

    def _remove(self) -> None:
        plays = list(self.tile.plays)
        del plays[self.n]
        self._put(plays)
