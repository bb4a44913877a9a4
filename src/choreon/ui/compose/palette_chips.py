"""The palettes of one family as chips: a press gives one to the choice, as a link that
follows its changes.
"""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QContextMenuEvent, QKeyEvent
from PySide6.QtWidgets import QMenu, QWidget

from choreon.language import capital, tr
from choreon.model import attributes as at
from choreon.model import links, palettes
from choreon.model.refs import PALETTE, Ref
from choreon.model.show import Palette
from choreon.ui import palettes as palette_deeds
from choreon.ui.compose.hand import Hand, Items
from choreon.ui.drags import DragsOut
from choreon.ui.parts.brush import look_of
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import Chip, ChipList
from choreon.ui.widgets.colour_field import on_screen
from choreon.ui.widgets.menu import Menu


class PaletteChips(ChipList):
    """All palettes of a family, in the user's order. One that the draft gives to some
    of the chosen is on.
    """

    def __init__(self, hand: Hand, family: at.Family) -> None:
        super().__init__(
            tr("Palettes: {family}", family=family), self._about, 12, movable=True
        )
        self.hand, self.family = hand, family
        self.parts = hand.parts
        self._shown: object = None
        self.picked.connect(lambda i: give(self.hand, self.palettes()[i]))
        self.carried.connect(self._move)
        DragsOut(self.viewport(), self._refs_at, outside=True)
        self.parts.document.show_changed.connect(self._fill)
        self.parts.engine.state_changed.connect(self._follow)
        self.parts.selection.changed.connect(self._follow)
        self._fill()

    def palettes(self) -> list[Palette]:
        """Returns the palettes of the family in their order."""
        known = self.parts.document.show.palettes.values()
        return [palette for palette in known if palette.family == self.family]

    def _refs_at(self, point: QPoint) -> list[Ref]:
        place = self.place_under(point)
        return [Ref(PALETTE, self.palettes()[place].id)] if place >= 0 else []

    def _about(self, chip: Chip) -> str:
        users = palettes.users(self.parts.document.show, chip.id)
        return tr(
            "{name}: {used_by}",
            name=chip.name,
            used_by=palette_deeds.used_by([s.name for s in users]),
        )

    def _fill(self) -> None:
        known = self.parts.document.show.palettes
        if known is self._shown:
            return
        self._shown = known
        chips = []
        for palette in self.palettes():
            rgb = palette_deeds.colour_of(palette)
            colour = on_screen(rgb) if rgb else None
            chips.append(Chip(palette.id, palette.name, colour=colour))
        self.chips.show_chips(chips)
        self._follow()

    def _follow(self) -> None:
        draft = self.parts.engine.state.draft.look
        chosen = {i: draft[i] for i in self.parts.selection.chosen if i in draft}
        used = set(links.links_in(chosen))
        on = [
            place
            for place, chip in enumerate(self.chips.chips)
            if links.to_palette(chip.id) in used
        ]
        self.chips.show_on(on)

    def _move(self, place: int, to: int) -> None:
        palette = self.palettes()[place]
        show = palettes.move_palette(self.parts.document.show, palette.id, to)
        self.parts.document.edit(tr("move the palette {name}", name=palette.name), show)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """B takes the palette as a brush, or puts it down."""
        place = self.currentIndex().row()
        if event.key() == Qt.Key.Key_B and place >= 0 and not event.modifiers():
            self.parts.brush.hold(self.palettes()[place])
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open the menu of the palette under the pointer."""
        place = self.place_under(event.pos())
        if place >= 0:
            menu(self, self.hand, self.palettes()[place]).exec(event.globalPos())


def give(hand: Hand, palette: Palette) -> None:
    """Give a palette to the choice: as a link to whole fixtures, as values to single
    cells.
    """
    parts = hand.parts
    whole = [fixture for fixture, cell in hand.items() if cell == 0]
    cells = [item for item in hand.items() if item[1]]
    look = look_of(parts.document.show, hand.rig, palette, whole)
    if look:
        parts.draft.touch(look)
    if cells:
        _give_to_cells(hand, palette, cells)
    if not look and not cells:
        text = tr("None of the chosen has what {name} is about.", name=palette.name)
        parts.notices.told.emit(text, "alarm")


def _give_to_cells(hand: Hand, palette: Palette, cells: Items) -> None:
    show = hand.parts.document.show
    names = {n for i, _ in cells for n in links.names_in(show, palette, i)}
    for name in names:
        held = [(item, links.held(show, palette, item[0], name)) for item in cells]
        given = [(item, value) for item, value in held if value is not None]
        values = [value for _, value in given]
        hand.give_each({name: values}, [item for item, _ in given])


def menu(parent: QWidget, hand: Hand, palette: Palette) -> QMenu:
    """What can be done with a palette."""
    parts = hand.parts
    made = Menu(parent)
    users = [s.name for s in palettes.users(parts.document.show, palette.id)]
    made.addAction(capital(palette_deeds.used_by(users))).setEnabled(False)
    made.addSeparator()
    held = parts.brush.palette is palette
    made.addAction(
        tr("Put the brush down (B)") if held else tr("Brush with it (B)"),
        lambda: parts.brush.hold(palette),
    )
    made.addAction(tr("Take into draft"), lambda: palette_deeds.take(parts, palette))
    made.addAction(
        tr("Update from the draft"), lambda: palette_deeds.update(parts, palette.id)
    ).setEnabled(bool(palettes.part(parts.engine.state.draft.look, {palette.family})))
    made.addAction(tr("Rename…"), lambda: palette_deeds.rename(parent, parts, palette))
    made.addAction(tr("Delete"), lambda: palette_deeds.delete(parts, palette))
    return made


def keep_button(hand: Hand, family: at.Family) -> QWidget:
    """A small button that keeps what the draft has of a family as a palette."""
    tip = tr("Keep what the draft has of {family} as a palette", family=family)
    made: QWidget = basics.tool(
        "plus", tip, lambda: palette_deeds.ask_to_keep(made, hand.parts, family)
    )
    return made
