"""Hang fixtures: which type and mode, how many, from which address; clashes are told
before anything is placed.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from choreon.language import facts, plural, sentences, tr
from choreon.library import own
from choreon.model import arrange, canvases, edits, patch, patching
from choreon.model.arrange import Wall
from choreon.model.fixture_type import FixtureType, Mode
from choreon.model.playables.canvas import Layout, View
from choreon.model.show import MAX_UNIVERSE, SLOTS, Hanging, Place, Show
from choreon.model.type_checks import check_type, errors
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.rig import bodies
from choreon.ui.rig.ghost import Ghost
from choreon.ui.rig.type_list import ID, TypeList, recently, searched
from choreon.ui.rig.wall_dialog import WallDialog
from choreon.ui.widgets import basics
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.tick import Tick

MOST = 500
FURTHER = 32  # universes in which room is looked for


def channel_map(kind: FixtureType, mode: Mode) -> str:
    """What stands in which slot, in words: “1 Dimmer · 2–3 Pan · cells of 3 from 4”."""
    parts: list[str] = []
    cells: list[str] = []

    for use, channel in kind.used(mode):
        slots = (
            f"{use.slots[0]}–{use.slots[-1]}"
            if len(use.slots) > 1
            else str(use.slots[0])
        )
        text = (
            tr("{slots} {label} of cell 1", slots=slots, label=channel.label)
            if use.cell
            else tr("{slots} {label}", slots=slots, label=channel.label)
        )
        (cells if use.cell > 1 else parts).append(text)

    more = tr("and so on for {n} cells", n=len(mode.cells)) if cells else ""
    return facts(*parts, more)


class HangPanel(QWidget):
    """Types above, the run to hang below."""

    planned = Signal(object)  # a Ghost, or None
    edit_type = Signal(str)  # what to do: new, copy, edit, import, export

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._own_address = self._hanging = False
        self._seen: dict[str, FixtureType] = {}
        self._wrong_type = ""

        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find: maker, name, kind, slots"))
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName(tr("Find a type"))
        self.search.setToolTip(
            tr(
                "Types by maker, name, kind or number of slots; each word narrows it "
                "down"
            )
        )

        self.search.textChanged.connect(self._fill)
        self.more = basics.tool(
            "more", tr("New types, editing, GDTF in and out"), self._type_menu
        )

        self.types = TypeList()
        self.types.currentItemChanged.connect(lambda *_: self._type_changed())
        self._make_fields()

        panel = basics.panel(
            basics.row(basics.label(tr("Hang"), "heading"), 1, self.more),
            self.search,
            self.types,
            self._line(tr("Mode"), self.mode),
            self.map,
            basics.row(
                self._short(tr("How many")),
                self.count,
                basics.label(tr("from no"), "soft"),
                self.first,
            ),
            basics.row(
                self._short(tr("Universe")),
                self.universe,
                basics.label(tr("Address"), "soft"),
                self.address,
            ),
            basics.row(self._short(tr("Gap")), self.gap, self.over),
            self._line(tr("Name"), self.name),
            self.preview,
            flow(self.next_free, 1, self.wall, self.go, spacing=4),
            spacing=6,
        )

        basics.grow(panel, 2)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)

        self.setMinimumWidth(268)
        parts.document.show_changed.connect(self._show_changed)
        parts.document.types_changed.connect(self._fill)
        self._fill()

    def _make_fields(self) -> None:
        self.mode = QComboBox()
        self.mode.setAccessibleName(tr("Mode"))
        self.mode.setToolTip(
            tr("The mode as it is set on the fixture; its slots are listed below")
        )
        self.map = basics.label("", "small", wrap=True)
        self.map.setMaximumHeight(50)

        self.map.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.count = NumberField(tr("How many"), 1, MOST, 1)
        self.first = NumberField(tr("First number"), 1, 9999, 1)
        self.universe = NumberField(tr("Universe"), 1, MAX_UNIVERSE, 1)
        self.address = NumberField(tr("Address"), 1, SLOTS, 1)

        self.gap = NumberField(tr("Gap"), 0, SLOTS, 0)
        self.gap.setToolTip(tr("Slots left free between one and the next"))
        self.gap.setMaximumWidth(72)
        self.over = Tick(tr("and go on"))
        self.over.setChecked(True)
        self.over.setToolTip(
            tr("What does not fit into the universe goes on in the next one")
        )

        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name"))
        self.name.setToolTip(tr("A name; # stands for the number"))
        self.preview = basics.label("", "small", wrap=True)
        self.preview.setMinimumHeight(50)

        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.next_free = basics.button(
            tr("Next free"),
            self._to_free,
            "quiet",
            tip=tr("The next address where all of it fits"),
        )

        self.go = basics.button(tr("Hang"), self.hang, "main", "plus")
        self.wall = basics.tool(
            "canvas", tr("Hang many as a panel, or as a strip"), self.ask_wall
        )
        self.mode.currentIndexChanged.connect(lambda _: self._mode_changed())
        self.mode.highlighted.connect(self._show_map)

        for field in (self.count, self.universe, self.gap):
            field.valueChanged.connect(
                lambda _: self._replan(find=not self._own_address)
            )

        self.first.valueChanged.connect(lambda _: self._replan())
        self.over.toggled.connect(lambda _: self._replan(find=not self._own_address))
        self.address.valueChanged.connect(self._address_typed)
        self.address.returnPressed.connect(self._replan)
        self.name.textChanged.connect(lambda _: self._number())

    def _short(self, text: str) -> QWidget:
        made = basics.name_label(text, "soft")
        made.setFixedWidth(66)
        return made

    def _line(self, text: str, widget: QWidget) -> QWidget:
        row = basics.row(self._short(text), widget)
        basics.grow(row, 1)
        return row

    # types

    def kinds(self) -> dict[str, FixtureType]:
        """What can be hung."""
        return self.parts.document.kinds()

    def _show_changed(self, show: Show) -> None:
        if self._hanging:
            return  # what comes next is worked out once the run hangs
        kinds = self.kinds()
        if kinds.keys() != self._seen.keys() or any(
            kinds[i] is not kind for i, kind in self._seen.items()
        ):
            self._fill()
        else:
            self._replan(find=not self._own_address)

    def _fill(self) -> None:
        now = self.types.currentItem().data(ID) if self.types.currentItem() else ""
        recent = recently()
        self._seen = self.kinds()
        found = searched(self._seen, self.search.text(), recent)
        self.types.blockSignals(True)
        self.types.fill(found, set(recent), now)
        if self.types.currentItem() is None and self.search.text().strip() and found:
            self.types.setCurrentRow(0)
        self.types.blockSignals(False)
        self._type_changed()

    @property
    def kind(self) -> FixtureType | None:
        """The type that is chosen; None for none."""
        item = self.types.currentItem()
        return self.kinds().get(item.data(ID)) if item else None

    def choose_type(self, type_id: str) -> None:
        """Choose a type in the list."""
        for i in range(self.types.count()):
            if self.types.item(i).data(ID) == type_id:
                self.types.setCurrentRow(i)

    def _type_changed(self) -> None:
        kind, before = self.kind, self.mode.currentData()
        self.mode.blockSignals(True)
        self.mode.clear()

        for mode in kind.modes if kind else ():
            slots = mode.footprint
            plain = mode.name.split()[:1] == [str(slots)]
            self.mode.addItem(
                mode.name
                if plain
                else tr("{name} ({slots})", name=mode.name, slots=slots),
                mode.name,
            )

        if before is not None and (i := self.mode.findData(before)) >= 0:
            self.mode.setCurrentIndex(i)

        self.mode.blockSignals(False)
        wrong = errors(check_type(kind)) if kind and kind.id not in _sound(kind) else []
        self._wrong_type = wrong[0].text if wrong else ""
        self.name.setPlaceholderText(
            tr("{stem} #", stem=edits.stem_for(self.parts.document.show, kind))
            if kind
            else ""
        )
        self._mode_changed()

        self._number()

    def _mode_changed(self) -> None:
        self._show_map(self.mode.currentIndex())
        self._replan(find=not self._own_address)

    def _show_map(self, index: int) -> None:
        kind = self.kind
        mode = kind.mode(self.mode.itemData(index)) if kind and index >= 0 else None
        text = channel_map(kind, mode) if kind and mode else ""
        self.map.setToolTip(text)
        self.map.setText(
            text if len(text) <= 120 else f"{text[:117].rsplit(' · ', 1)[0]} …"
        )
        self.map.setVisible(bool(text))

    def _number(self, find: bool = False) -> None:
        """Numbers go on from those in use; and, where asked, the next free address is
        found.
        """
        pattern = self.name.text().strip() or self.name.placeholderText()
        if pattern:
            self.first.blockSignals(True)
            self.first.setValue(edits.next_number(self.parts.document.show, pattern))
            self.first.blockSignals(False)
        self._replan(find)

    def _type_menu(self) -> None:
        menu = Menu(self)
        for text, what in (
            (tr("New type…"), "new"),
            (tr("New type as a copy of this…"), "copy"),
            (tr("Edit this type…"), "edit"),
        ):
            menu.addAction(text, partial(self.edit_type.emit, what)).setEnabled(
                what == "new" or bool(self.kind)
            )

        menu.addSeparator()
        menu.addAction(
            tr("Read a type from GDTF…"), lambda: self.edit_type.emit("import")
        )
        menu.addAction(
            tr("Write this type as GDTF…"), lambda: self.edit_type.emit("export")
        ).setEnabled(bool(self.kind))

        if self.kind is not None and self.kind.id in self.parts.document.own_types:
            menu.addSeparator()
            menu.addAction(
                tr("Delete from my types"), lambda: self.edit_type.emit("delete")
            )

        for gone in own.deleted()[:5]:
            menu.addAction(
                tr("Bring back {label}", label=gone.label),
                partial(self.edit_type.emit, f"back:{gone.id}"),
            )

        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    # the run

    def _slots(self) -> int:
        kind = self.kind
        mode = (
            kind.mode(self.mode.currentData())
            if kind and self.mode.currentData()
            else None
        )
        return mode.footprint if mode else 0

    def set_universe(self, universe: int) -> None:
        """Follow the universe that the addresses below show."""
        self.universe.setValue(universe)

    def _address_typed(self, _: int) -> None:
        self._own_address = True
        self._replan()

    def _to_free(self) -> None:
        self._own_address = False
        self._replan(find=True)

    def _find(self, universe: int, slots: int, count: int) -> None:
        """The next address where all fits; where none is, and it may go on, where the
        first fits.
        """
        show, gap = self.parts.document.show, self.gap.value()
        free = patch.next_free(show, universe, count * (slots + gap) - gap)
        if free is None and self.over.isChecked():
            taken = patch.occupied(show, universe)
            free = max(taken, default=0) + 1
            free = free if free + slots - 1 <= SLOTS else None
        self.address.blockSignals(True)
        self.address.setValue(free or 1)
        self.address.blockSignals(False)

    def _replan(self, find: bool = False) -> None:
        """Work out where the run would stand and tell what is in its way."""
        slots, count = self._slots(), self.count.value()
        self.go.setText(tr("Hang {count}", count=count) if count > 1 else tr("Hang"))
        if not slots:
            text = tr("Choose a type above; the next free address is found for it.")
            self._tell(
                text
                if self.types.count()
                else tr("No type is called that. Read one from GDTF, or make it: ⋯"),
                False,
            )

            self.planned.emit(None)
            return

        universe = self.universe.value()
        if find:
            self._own_address = False
            self._find(universe, slots, count)

        self.spots = patching.spill(
            self.parts.document.show,
            count,
            slots,
            universe,
            self.address.value(),
            self.gap.value(),
            self.over.isChecked(),
        )

        self._plan(slots)

    def _plan(self, slots: int) -> None:
        """Say whether the run would hang where it is planned, and show it."""
        show = self.parts.document.show
        spans = [(u, a, a + slots - 1) for u, a in self.spots]
        past = [span for span in spans if span[2] > SLOTS]
        taken = patching.in_the_way(show, self.spots, slots)
        where = _where(spans)

        if self._wrong_type:
            self._tell(
                tr(
                    "This type cannot be hung yet: {why}.",
                    why=self._wrong_type,
                ),
                True,
            )
        elif past:
            fit = len(spans) - len(past)
            self._tell(
                sentences(
                    tr("{where}: ends past 512.", where=where),
                    tr("{fit} would fit from here.", fit=fit)
                    if fit
                    else tr("None would fit from here."),
                ),
                True,
            )
        elif taken:
            text = plural(
                len(taken),
                "{where}: {names} already has slots here.",
                "{where}: {names} already have slots here.",
                where=where,
                names=words.fixtures_named(show, taken),
            )
            self._tell(text, True)
        else:
            self._tell(tr("{where}: free.", where=where), False)

        body = bodies.body_of(self.kind, self.mode.currentData() or "")
        places = self.places_of(len(spans))
        self.planned.emit(Ghost(spans, bool(past or taken), places, body))

    def _tell(self, text: str, wrong: bool) -> None:
        if text:
            self.preview.setText(tr("▲ {text}", text=text) if wrong else text)
        basics.set_role(self.preview, "alarm" if wrong else "small")
        self.go.setEnabled(bool(self._slots()) and not wrong)
        self.wall.setEnabled(bool(self._slots()) and not self._wrong_type)

    def places_of(self, count: int) -> list[Place]:
        """Along the bar that has room, else in a row across the stage at a depth where
        nothing hangs yet.
        """
        show, room = self.parts.document.show, self.parts.document.show.room
        hung = [fixture.place for fixture in show.fixtures.values()]
        taken = [arrange.bar_of(room, place) for place in hung]

        for bar in room.bars:
            if not any(other is bar for other in taken):
                return arrange.along(bar, count)

        used = [place.y for place in hung if place.z > 0.6 * room.height]
        depths = [room.depth * part for part in (0.45, 0.25, 0.65, 0.1, 0.85)]
        y = max(depths, key=lambda d: min((abs(d - u) for u in used), default=9.0))
        wide = 0.8 * room.width
        step = wide / max(1, count - 1)

        left = -wide / 2 if count > 1 else 0.0
        return [
            Place(round(left + step * i, 2), round(y, 2), room.height)
            for i in range(count)
        ]

    def hang(self) -> None:
        """Hang the run, and choose what was hung."""
        kind = self.kind
        if kind is None or not self.go.isEnabled():
            return
        self._hang(
            kind,
            self.mode.currentData(),
            self.spots,
            self.places_of(len(self.spots)),
            self.first.value(),
        )

    # panels and strips

    def spots_of(self, count: int) -> tuple[list[tuple[int, int]], str]:
        """Returns where so many of the chosen type would stand, none where they cannot,
        and that in words: from the address that was typed, else where there is room.
        """
        show, slots = self.parts.document.show, self._slots()
        start = self.universe.value(), self.address.value()
        if not self._own_address:
            start = self._room_for(count, slots)
        spots = patching.spill(show, count, slots, *start, self.gap.value(), True)
        spans = [(u, a, a + slots - 1) for u, a in spots]
        where = _where(spans)
        if any(last > SLOTS for _, _, last in spans):
            return [], tr("{where}: ends past 512.", where=where)
        if patching.in_the_way(show, spots, slots):
            return [], tr("{where}: something has slots here.", where=where)
        return spots, where

    def _room_for(self, count: int, slots: int) -> tuple[int, int]:
        """Where so many have room, in a row: in the universe at hand or after it, from
        the first one on that is empty where no one holds them all.
        """
        show, gap, first = (
            self.parts.document.show,
            self.gap.value(),
            self.universe.value(),
        )
        whole = count * (slots + gap) - gap
        for universe in range(first, first + FURTHER):
            free = patch.next_free(show, universe, min(whole, SLOTS))
            if free is not None:
                return universe, free
        return first, self.address.value()

    def ask_wall(self) -> None:
        """Ask how a panel is hung, and hang it."""
        if self.kind is None or not self._slots():
            return
        room = self.parts.document.show.room
        dialog = WallDialog(self, room, self.spots_of)
        if dialog.exec():
            self.hang_wall(dialog.wall, dialog.name.text(), dialog.canvas.isChecked())
        discard(dialog)

    def hang_wall(self, wall: Wall, name: str, canvas: bool) -> None:
        """Hang lamps as a panel; they are a group then, and, where wanted, a canvas."""
        kind, mode = self.kind, self.mode.currentData()
        spots, _ = self.spots_of(wall.count)
        if kind is None or not spots:
            return
        places = arrange.on_wall(wall)
        pitch = -90.0 if wall.upright else 0.0
        self._hang(
            kind, mode, spots, places, self.first.value(), hanging=Hanging(pitch=pitch)
        )
        document, made = self.parts.document, self.parts.selection.chosen
        called = name.strip() or tr("Wall")
        show, group = edits.keep_group(document.show, called, made)
        if canvas:
            view = View.FRONT if wall.upright else View.ABOVE
            layout = Layout(group=group, view=view)
            show, _ = canvases.add(show, called, layout=layout)
        document.edit(tr("keep {name} as a group", name=called), show)

    def hang_one(
        self, type_id: str, universe: int, address: int | None, place: Place | None
    ) -> None:
        """Hang one of a type with what suggests itself: dropped on the plan, or on an
        address.
        """
        kind = self.kinds().get(type_id)
        if kind is None or errors(check_type(kind)):
            return

        name = self.mode.currentData() if kind is self.kind else None
        mode = (kind.mode(name) if name else None) or kind.modes[0]
        slots, show = mode.footprint, self.parts.document.show

        if address is None:
            universe, address = _next_free(show, universe, slots)
        else:
            text = _in_the_way(show, kind, universe, address, slots)
            if text:
                self.parts.notices.told.emit(text, "alarm")
                return

        places = [place] if place else self.places_of(1)
        self._hang(kind, mode.name, [(universe, address)], places, 0, name="")

    def _hang(
        self,
        kind: FixtureType,
        mode: str,
        spots: list[tuple[int, int]],
        places: list[Place],
        first: int,
        name: str | None = None,
        hanging: Hanging | None = None,
    ) -> None:
        name = self.name.text().strip() if name is None else name
        found = kind.mode(mode)
        single = found is not None and not found.cells
        pack = kind.name if "pack" in kind.name and single else ""
        show, made = edits.hang(
            self.parts.document.show,
            kind,
            mode,
            len(spots),
            0,
            0,
            name=name,
            number=first,
            addresses=spots,
            places=places,
            hanging=hanging or Hanging(),
            pack=pack,
        )

        own.used(kind.id)
        self._own_address = False
        self._hanging = True

        try:
            self.parts.document.edit(
                tr("hang {n} × {name}", n=len(spots), name=kind.name), show
            )
            self.parts.selection.choose(made)
        finally:
            self._hanging = False

        self.parts.notices.told.emit(
            plural(
                len(made),
                "{names} hangs.",
                "{names} hang.",
                names=words.fixtures_named(show, made),
            ),
            "info",
        )

        self._number(find=True)


def _sound(kind: FixtureType) -> set[str]:
    """The shipped types are sound; only others are checked on the way."""
    from choreon.library import library

    return {kind.id} if library().get(kind.id) is kind else set()


def _where(spans: list[tuple[int, int, int]]) -> str:
    parts = []
    for universe in dict.fromkeys(s[0] for s in spans):
        first = min(s[1] for s in spans if s[0] == universe)
        last = max(s[2] for s in spans if s[0] == universe)
        parts.append(
            tr(
                "Universe {universe}, {first}–{last}",
                universe=universe,
                first=first,
                last=last,
            )
            if last > first
            else tr("Universe {universe}, {first}", universe=universe, first=first)
        )

    return facts(*parts)


def _next_free(show: Show, universe: int, slots: int) -> tuple[int, int]:
    """The first universe from one on, and its address, with so many slots free."""
    address = patch.next_free(show, universe, slots)
    while address is None and universe < MAX_UNIVERSE:
        universe += 1
        address = patch.next_free(show, universe, slots)
    return universe, address or 1


def _in_the_way(
    show: Show, kind: FixtureType, universe: int, address: int, slots: int
) -> str:
    """Why a fixture cannot hang at an address; empty where it can."""
    if address + slots - 1 > SLOTS:
        return plural(
            slots,
            "{label} takes {n} slot; from {address} it would end past 512.",
            "{label} takes {n} slots; from {address} it would end past 512.",
            label=kind.label,
            address=address,
        )

    taken = patching.in_the_way(show, [(universe, address)], slots)
    if not taken:
        return ""
    return plural(
        len(taken),
        "{names} already has slots there; nothing was hung.",
        "{names} already have slots there; nothing was hung.",
        names=words.fixtures_named(show, taken),
    )
