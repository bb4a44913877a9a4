"""The shelf while a page is arranged: all that can be put on it, with pictures, to be
found by words, by sort and by folder.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QMimeData, Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from choreon.language import plural, tr
from choreon.model.offers import As, Offer, Sort, offers, ways
from choreon.model.refs import GROUP, PALETTE, Ref, name_of
from choreon.model.sameness import very_same
from choreon.ui.drags import carry_tiles
from choreon.ui.parts import Parts
from choreon.ui.perform.offer_list import OfferList
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.pick_box import PickBox
from choreon.ui.widgets.tick import Tick

WIDE = 226  # pixels

SORTS = {
    Sort.PLAYS: tr("What plays"),
    Sort.PALETTES: tr("Palettes"),
    Sort.MOTIONS: tr("Motions"),
    Sort.GROUPS: tr("Groups"),
    Sort.FIXTURES: tr("Fixtures"),
    Sort.MASTERS: tr("Masters"),
    Sort.ACTS: tr("Acts, tempo, labels"),
}
WAYS = {
    As.FIT: tr("What fits"),
    As.PAD: tr("Pads"),
    As.FLASH: tr("Flashes"),
    As.FADER: tr("Faders"),
    As.CHOICE: tr("One choice"),
    As.DIAL: tr("Dials"),
    As.GO: tr("GO"),
    As.BACK: tr("Back"),
    As.LIST: tr("GO with a short list"),
    As.COLOUR: tr("Colour fields"),
    As.AIM: tr("Aim fields"),
    As.STEPS: tr("Level in steps"),
    As.MASTER: tr("Masters"),
    As.OVERRIDE: tr("Override faders"),
    As.STRIPS: tr("Strips of palettes"),
    As.PADS: tr("Pads of palettes"),
}
Place = tuple[Sort | None, str]
"""What is shown of the shelf: one sort or all, one folder of it or all."""


class ArrangeShelf(QWidget):
    """All that can be put on the page. What is chosen is dragged, or put by Enter."""

    put = Signal(list, str, object)
    """Refs, as what, and of which group: to be put on the page."""
    joins = Signal(list)
    """Refs that the tile in hand shall take as well."""

    def __init__(self, parts: Parts, minis: MiniStages) -> None:
        super().__init__()
        self.parts = parts
        self._all: list[Offer] = []
        self._seen: tuple[object, ...] = ()
        self.setFixedWidth(WIDE)

        self._make_search()
        self.list = OfferList(minis, self.carried)
        self.list.chosen.connect(self._chosen)
        self.list.wanted.connect(self.put_chosen)
        self._make_foot()
        self._lay_out()

        parts.document.show_changed.connect(lambda _: self.fill())
        self.fill()

    def _make_search(self) -> None:
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find"))
        self.search.setAccessibleName(tr("Find what can be put on the page"))
        self.search.setToolTip(
            tr("Names, folders, tags, kinds; Enter goes on to what is found")
        )
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._filter())
        self.search.returnPressed.connect(self.list_first)

        self.sort: PickBox[Place] = PickBox(
            tr("Sort and folder"), tr("Show one sort of things, or one folder")
        )
        self.sort.currentIndexChanged.connect(lambda _: self._filter())

    def _make_foot(self) -> None:
        """As what, of whom, and putting it there."""
        self.way: PickBox[As] = PickBox(
            tr("As what"), tr("As what those chosen are put on the page")
        )
        self.of: PickBox[Ref | None] = PickBox(
            tr("Of which group"), tr("The group that the palettes are given to")
        )

        self.several = Tick(tr("Several"))
        self.several.setToolTip(tr("Each press takes one more, as a finger needs it"))
        self.several.clicked.connect(self.list.set_several)

        self.put_button = basics.button(
            tr("Put"), self.put_chosen, "main", "", tr("Put those chosen on the page")
        )
        self.join_button = basics.button(
            tr("Join the tile"),
            lambda: self.joins.emit(self.list.refs()),
            "",
            "",
            tr("The tile in hand takes those chosen as well"),
        )
        self.join_button.hide()

    def _lay_out(self) -> None:
        self.as_line = self._line(tr("As"), self.way)
        self.of_line = self._line(tr("Of"), self.of)
        self.none = basics.label(tr("Nothing of that is here."), "soft", wrap=True)
        foot = basics.row(self.several, 1, self.put_button, spacing=4)
        panel = basics.panel(
            self.search,
            self.sort,
            self.none,
            self.list,
            self.as_line,
            self.of_line,
            foot,
            self.join_button,
            margins=8,
            spacing=6,
        )
        basics.grow(panel, 3)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)

    def _line(self, text: str, field: QWidget) -> QWidget:
        words = basics.label(text, "soft")
        words.setFixedWidth(24)
        line = basics.row(words, field, spacing=6)
        basics.grow(line, 1)
        return line

    def showEvent(self, event: QShowEvent) -> None:
        self.fill()

    # what is shown

    def fill(self) -> None:
        """Follow the show, while it is looked at."""
        show = self.parts.document.show
        seen = (
            show.playables,
            show.palettes,
            show.groups,
            show.fixtures,
            show.masters,
        )
        known = bool(self._seen) and very_same(seen, self._seen)
        if known or not self.isVisible():
            return
        self._seen = seen
        self._all = offers(show)
        self._fill_sorts()
        self._filter()
        self._chosen()

    def _fill_sorts(self) -> None:
        """Every sort that there is something of, and its folders below it."""
        places: list[tuple[str, Place]] = [(tr("Everything"), (None, ""))]
        for sort, title in SORTS.items():
            own = [one for one in self._all if one.sort == sort]
            if not own:
                continue
            places.append((title, (sort, "")))
            for folder in dict.fromkeys(one.folder for one in own if one.folder):
                places.append((f"    {folder}", (sort, folder)))

        self.sort.fill(places)

    def show_sort(self, sort: Sort | None, folder: str = "") -> None:
        """Show one sort of things, or a folder of it."""
        self.sort.pick((sort, folder))

    def _filter(self) -> None:
        sort, folder = self.sort.value or (None, "")
        wanted = self.search.text().strip().lower()
        found = [
            one
            for one in self._all
            if sort in (None, one.sort)
            and folder in ("", one.folder)
            and one.is_meant(wanted)
        ]
        # what is called so goes before what only has the words about it
        by_name = sorted(found, key=lambda one: wanted not in one.name.lower())
        self.list.show_offers(by_name)
        self.none.setVisible(not found)

    def list_first(self) -> None:
        """The keys go on to what was found."""
        self.list.setFocus()
        if not self.list.refs() and self.list.offers.offers:
            self.list.choose(self.list.offers.offers[0].ref)

    # what is chosen

    def _chosen(self) -> None:
        """Offer what can be done with those chosen."""
        refs = self.list.refs()
        self._fill_ways(refs)
        palettes = bool(refs) and all(ref.kind == PALETTE for ref in refs)
        self.of_line.setVisible(palettes and bool(self.parts.document.show.groups))
        if palettes:
            self._fill_groups()
        self.put_button.setEnabled(bool(refs))
        self.join_button.setEnabled(bool(refs))
        several = len(refs) > 1
        text = plural(len(refs), "Put {n}", "Put {n}") if several else tr("Put")
        self.put_button.setText(text)

    def _fill_ways(self, refs: Sequence[Ref]) -> None:
        allowed = ways(self.parts.document.show, refs)
        self.way.fill([(WAYS[way], way) for way in allowed])

    def _fill_groups(self) -> None:
        show = self.parts.document.show
        groups = [Ref(GROUP, group) for group in show.groups]
        entries = [(name_of(show, group), group) for group in groups]
        self.of.fill([(tr("All who can"), None), *entries])

    def group(self) -> Ref | None:
        """The group that palettes are given to; None: all who can take them."""
        return None if self.of_line.isHidden() else self.of.value

    def carried(self) -> QMimeData:
        """What is dragged."""
        way = self.way.value or As.FIT
        return carry_tiles(self.list.refs(), str(way), self.group())

    def put_chosen(self) -> None:
        """Put those chosen on the page, where there is room."""
        refs = self.list.refs()
        if refs:
            way = self.way.value or As.FIT
            self.put.emit(refs, str(way), self.group())

    def show_in_hand(self, name: str) -> None:
        """Offer to join the tile in hand; empty for none."""
        self.join_button.setVisible(bool(name))
        self.join_button.setToolTip(tr("{name} takes those chosen as well", name=name))
