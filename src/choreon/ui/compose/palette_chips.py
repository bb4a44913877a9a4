"""The palettes of one family as chips: a press gives one to the choice, as a link that
follows its changes.
"""

from __future__ import annotations

from PySide6.QtCore import QPoint, QRectF, Qt
from PySide6.QtGui import QColor, QContextMenuEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from choreon.model import attributes as at
from choreon.model import edits, links, palettes
from choreon.model.refs import PALETTE, Ref
from choreon.model.show import Palette
from choreon.ui import theme, words
from choreon.ui.compose.hand import Hand
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.chip_row import GAP, ChipRow
from choreon.ui.widgets.colour_field import on_screen

TALL = 32


def colour_of(palette: Palette) -> tuple[float, float, float] | None:
    """The colour that a palette gives by meaning, linear light."""
    parts = [palette.values.get(n) for n in at.TARGET_COLOUR]
    if any(not isinstance(p, float | int) for p in parts):
        return None
    r, g, b = (float(p) for p in parts if isinstance(p, float | int))
    return r, g, b


class PaletteChips(ChipRow):
    """All palettes of a family, in the user's order: dragged, or moved with Ctrl and
    the arrows.
    """

    movable = True

    def __init__(self, hand: Hand, family: at.Family) -> None:
        super().__init__(f"Palettes: {family}", TALL, 12)
        self.hand, self.family = hand, family
        self.parts = hand.parts
        self.picked.connect(lambda i: give(self.hand, self.palettes()[i]))
        self.carried.connect(self._carry)
        self.parts.document.show_changed.connect(lambda _: self.fit())
        self.parts.engine.state_changed.connect(lambda _: self.update())

    def palettes(self) -> list[Palette]:
        return [
            p
            for p in self.parts.document.show.palettes.values()
            if p.family == self.family
        ]

    def count(self) -> int:
        return len(self.palettes())

    def wide(self, index: int) -> float:
        palette = self.palettes()[index]
        if colour_of(palette) is not None:
            return (self.width() - 2 - 5 * GAP) / 6
        return max(44.0, self.fontMetrics().horizontalAdvance(palette.name) + 18.0)

    def rect_of(self, palette_id: str) -> QRectF:
        """Where a palette is drawn."""
        return self.rect_at([p.id for p in self.palettes()].index(palette_id))

    def tip(self, index: int) -> str:
        palette = self.palettes()[index]
        users = [s.name for s in palettes.users(self.parts.document.show, palette.id)]
        return f"{palette.name}: {used_by(users)}"

    def draw(self, painter: QPainter, index: int, rect: QRectF) -> None:
        palette = self.palettes()[index]
        rgb = colour_of(palette)
        if rgb is None:
            self.draw_name(painter, rect, palette.name, index == self.hover)
        else:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(on_screen(rgb))
            painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        used = links.to_palette(palette.id) in self._used
        if used or self.has_keys(index):
            inner = rect.adjusted(1, 1, -1, -1)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.PIT), 4))
            painter.drawRoundedRect(inner, theme.RADIUS, theme.RADIUS)
            painter.setPen(QPen(QColor(theme.TEXT if used else theme.CHOSEN), 2))
            painter.drawRoundedRect(inner, theme.RADIUS, theme.RADIUS)

    def paintEvent(self, event: QPaintEvent) -> None:
        draft = self.parts.engine.state.draft.look
        self._used = set(
            links.links_in(
                {i: v for i, v in draft.items() if i in self.parts.selection.chosen}
            )
        )
        super().paintEvent(event)

    def _carry(self, index: int, to: int) -> None:
        palette = self.palettes()[index]
        show = palettes.move_palette(self.parts.document.show, palette.id, to)
        self.parts.document.edit(f"move the palette {palette.name}", show)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        found = self.chip_at(QPoint(event.pos()).toPointF())
        if found >= 0:
            menu(self, self.hand, self.palettes()[found]).exec(event.globalPos())


def used_by(users: list[str]) -> str:
    """“used by 2 scenes: Mudlight and Spring Tide”."""
    return (
        f"used by {len(users)} scene{'s' * (len(users) > 1)}: {words.some(users)}"
        if users
        else "used by no scene"
    )


def give(hand: Hand, palette: Palette) -> None:
    """Give a palette to the choice: as a link to whole fixtures, as values to single
    cells.
    """
    parts = hand.parts
    rig = hand.rig
    whole = [i for i, cell in hand.items() if cell == 0]
    takes = {i: {*rig.where.get(i, {}), *rig.direct.get(i, {})} for i in whole}
    for i in whole:
        takes[i] |= set(at.TARGET_COLOUR) if i in rig.wheels else set()
    look = links.from_palette(parts.document.show, palette, whole, takes)
    cells = [item for item in hand.items() if item[1]]
    if look:
        parts.draft.touch(look)
    if cells:
        names = {
            n for i, _ in cells for n in links.names_in(parts.document.show, palette, i)
        }
        for name in names:
            own = [
                i
                for i in cells
                if links.held(parts.document.show, palette, i[0], name) is not None
            ]
            values = [links.held(parts.document.show, palette, i, name) for i, _ in own]
            hand.give_each({name: [v for v in values if v is not None]}, own)
    if not look and not cells:
        parts.notices.told.emit(
            f"Nobody chosen has what {palette.name} is about.", "alarm"
        )


def menu(parent: QWidget, hand: Hand, palette: Palette) -> QMenu:
    """What can be done with a palette."""
    parts = hand.parts
    made = QMenu(parent)
    users = [s.name for s in palettes.users(parts.document.show, palette.id)]
    made.addAction(used_by(users).capitalize()).setEnabled(False)
    made.addSeparator()
    made.addAction("Take into draft", lambda: take(hand, palette))
    made.addAction(
        "Update from the draft", lambda: update(parts, palette.id)
    ).setEnabled(bool(palettes.part(parts.engine.state.draft.look, {palette.family})))
    made.addAction("Rename…", lambda: rename(parent, hand, palette))
    made.addAction("Delete", lambda: delete(hand, palette))
    return made


def take(hand: Hand, palette: Palette) -> None:
    """Take a palette's values into the draft, to change them and then update it."""
    parts = hand.parts
    targets = (
        list(parts.selection.chosen)
        or list(palette.each)
        or [
            i
            for i in parts.document.show.fixtures
            if any(parts.preview.takes(i, n) for n in palette.values)
        ]
    )
    look = {}
    for i in targets:
        own = {
            n: v
            for n in links.names_in(parts.document.show, palette, i)
            if parts.preview.takes(i, n)
            and (v := links.held(parts.document.show, palette, i, n)) is not None
        }
        if own:
            look[i] = own
    if look:
        parts.draft.take(Ref(PALETTE, palette.id), look)


def update(parts: Parts, palette_id: str) -> None:
    """Lay what the draft has of a palette's family over it; that part of the draft is
    let go, the rest stays.
    """
    palette = parts.document.show.palettes[palette_id]
    look = parts.engine.state.draft.look
    rest = palettes.part(look, {f for f in at.Family if f != palette.family})
    users = len(palettes.users(parts.document.show, palette_id))
    show = palettes.update_palette(parts.document.show, palette_id, look)
    parts.draft.edit(f"update {palette.name}", show, rest)
    parts.notices.told.emit(
        f"{palette.name} is updated, and {users} scene{'s' * (users != 1)} with it.",
        "info",
    )


def rename(parent: QWidget, hand: Hand, palette: Palette) -> None:
    name, sure = QInputDialog.getText(
        parent, "Rename the palette", "Name", text=palette.name
    )
    if sure and name.strip():
        show = edits.rename(hand.parts.document.show, Ref(PALETTE, palette.id), name)
        hand.parts.document.edit(f"rename {palette.name}", show)


def delete(hand: Hand, palette: Palette) -> None:
    """Delete a palette: what used it, the draft too, keeps its values."""
    parts = hand.parts
    users = [s.name for s in palettes.users(parts.document.show, palette.id)]
    link = links.to_palette(palette.id)
    draft = parts.engine.state.draft.look
    plain = links.unlinked(parts.document.show, draft, link)
    parts.draft.edit(
        f"delete the palette {palette.name}",
        edits.remove(parts.document.show, Ref(PALETTE, palette.id)),
        plain,
    )
    kept = (
        f" {words.some(users)} keep{'s' * (len(users) == 1)} its values."
        if users
        else ""
    )
    parts.notices.told.emit(
        f"{palette.name} is deleted.{kept} Ctrl+Z brings it back.", "info"
    )


def keep_button(hand: Hand, family: at.Family) -> QWidget:
    """A small button that keeps what the draft has of a family as a palette."""

    def keep() -> None:
        parts = hand.parts
        own = palettes.part(parts.engine.state.draft.look, {family})
        chosen = palettes.part(own, {family}, parts.selection.chosen) or own
        if not chosen:
            parts.notices.told.emit(
                f"The draft has nothing of {family} yet: give it first, then keep it.",
                "alarm",
            )
            return
        name, sure = QInputDialog.getText(
            made, "Keep a palette", f"Name of the {family} palette"
        )
        if sure and name.strip():
            show, made_id = palettes.keep_palette(
                parts.document.show, name, family, chosen
            )
            parts.document.edit(f"keep the palette {show.palettes[made_id].name}", show)

    made = basics.tool(
        "plus", f"Keep what the draft has of {family} as a palette", keep
    )
    return made
