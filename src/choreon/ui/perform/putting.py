"""Putting things on a page: where they were let go, onto tiles that take them, or where
there is room.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from PySide6.QtCore import QMimeData, QPointF

from choreon.language import plural, tr
from choreon.model import edits, givens, offers, pages
from choreon.model.offers import As
from choreon.model.refs import PALETTE, Ref, exists, name_of, to_tile
from choreon.model.show import Show
from choreon.model.tiles import AnyTile, Choice, Pad, PlayingTile, Spot, Tile
from choreon.ui.drags import all_carried, carried_tiles
from choreon.ui.parts import Parts
from choreon.ui.perform.arranging import Arranger
from choreon.ui.perform.page_view import PageView
from choreon.ui.tiles import TileWidget
from choreon.ui.words import some


class Carried(NamedTuple):
    """What is dragged: things, as what, and of which group. `each`: every one of them
    makes a tile; else they make one together.
    """

    refs: tuple[Ref, ...]
    way: As = As.FIT
    of: Ref | None = None
    each: bool = False


class Putting:
    """Puts things on the page that a view shows, and has the arranger take them in
    hand.
    """

    def __init__(self, parts: Parts, view: PageView, arranger: Arranger) -> None:
        self.parts, self.view, self.arranger = parts, view, arranger
        self._sizes: tuple[Carried, Show, Sequence[Tile]] | None = None

    @property
    def _show(self) -> Show:
        return self.parts.document.show

    def carried(self, data: QMimeData) -> Carried | None:
        """Returns what is dragged, as far as it is there; None for nothing of ours."""
        if self.view.page is None:
            return None
        tiles = carried_tiles(data)
        if tiles is not None:
            refs, way, of = tiles
            there = tuple(ref for ref in refs if self._is_there(ref))
            known = way in list(As)
            return Carried(there, As(way), of, True) if there and known else None

        refs = [ref for ref in all_carried(data) if exists(self._show, ref)]
        return Carried(tuple(refs)) if refs else None

    def _is_there(self, ref: Ref) -> bool:
        return ref.kind == offers.PLAIN or exists(self._show, ref)

    # where things would lie

    def tile_at(self, point: QPointF) -> TileWidget | None:
        """Returns the tile under a point of the page; None where there is none."""
        for widget in self.view.tiles.values():
            there = widget.mapFrom(self.view.body, point)
            if widget.isVisible() and widget.rect().contains(there.toPoint()):
                return widget
        return None

    def ghosts(self, carried: Carried, point: QPointF) -> tuple[str, list[Spot]]:
        """Returns where what is dragged would lie: the section, and the spots; that of
        the tile that would take it.
        """
        widget = self.tile_at(point)
        if widget is not None and self._taking(widget.tile, carried) is not None:
            page = self.view.page
            assert page is not None
            lies = pages.all_spots(page)[widget.tile.id]
            return pages.section_of(page, widget.tile), [lies]

        tiles = self._tiles(carried)
        if not tiles:
            return "", []
        spot, section = self._cell_at(point, tiles[0])
        page = self.view.page
        if spot is None or page is None:
            return section, []
        if not carried.each and not self._is_free(spot, section):
            taken = self.view.grids[section].spots.values()
            return section, [pages.free_spot(page, taken, spot)]
        return section, offers.laid_from(page, tiles, spot)

    def _tiles(self, carried: Carried) -> Sequence[Tile]:
        """The tiles that what is dragged would make, worked out once a drag."""
        known, show = self._sizes, self._show
        if known is not None and known[0] == carried and known[1] is show:
            return known[2]
        _, tiles = self._made(show, carried)
        self._sizes = (carried, show, tiles)
        return tiles

    def _made(self, show: Show, carried: Carried) -> tuple[Show, Sequence[AnyTile]]:
        if carried.each:
            return offers.tiles_for(show, carried.refs, carried.way, carried.of)
        show, tile = pages.fitting(show, carried.refs)
        return show, () if tile is None else (tile,)

    def _cell_at(self, point: QPointF, tile: Tile) -> tuple[Spot | None, str]:
        # the lowest that begins above the point: below the last there is room too
        above = [
            (section, grid)
            for section, grid in self.view.grids.items()
            if grid.isVisible() and grid.y() <= point.y()
        ]
        if not above:
            return None, ""

        section, grid = above[-1]
        column, row = grid.cell_at(point - QPointF(grid.pos()))
        width, height = tile.size
        return Spot(max(0, column), max(0, row), width, height), section

    # letting go

    def drop(self, carried: Carried, point: QPointF) -> None:
        """Let go over a point of the page: over a tile that takes it, it joins that;
        else it lies there.
        """
        widget = self.tile_at(point)
        joined = None if widget is None else self._taking(widget.tile, carried)
        if widget is not None and joined is not None:
            self._edit_joined(widget.tile, joined)
            return

        asked = carried.refs
        if widget is not None:
            carried = _as_the_tile(self._show, widget.tile, carried)
        show, tiles = self._made(self._show, carried)
        tiles = [_like(tile, widget) for tile in tiles]
        if not tiles:
            self._tell_none(carried)
            return

        spot, section = self._cell_at(point, tiles[0])
        if spot is not None and not carried.each and not self._is_free(spot, section):
            spot = None  # where there is room: nothing that was there moves
        self._put(show, tiles, spot, section)
        self._tell_left_out(carried._replace(refs=asked))

    def _is_free(self, spot: Spot, section: str) -> bool:
        grid = self.view.grids[section]
        return not any(spot.overlaps(other) for other in grid.spots.values())

    def _taking(self, tile: Tile, carried: Carried) -> Show | None:
        """The show in which a tile takes what is let go over it; None where that lies
        beside it.
        """
        if isinstance(tile, Pad) and tile.choice:
            return None  # one more pad of the same choice
        of_group = givens.group_of_tile(self._show, tile) is not None
        has_palettes = any(ref.kind == PALETTE for ref in carried.refs)
        if has_palettes and of_group and not isinstance(tile, Choice):
            return None  # one more tile of the same group
        plain = isinstance(tile, PlayingTile) and not isinstance(tile, Choice)
        if plain and has_palettes:
            return None
        return offers.joined(self._show, tile, carried.refs)

    def join(self, refs: Sequence[Ref]) -> None:
        """Have the tile in hand take things as well."""
        page = self.view.page
        own = {t.id: t for t in page.tiles} if page is not None else {}
        tile = next((own[i] for i in self.arranger.chosen if i in own), None)
        if tile is None:
            return

        joined = offers.joined(self._show, tile, refs)
        if joined is not None:
            self._edit_joined(tile, joined)
            return
        text = tr(
            "{tile} takes none of these.", tile=name_of(self._show, to_tile(tile.id))
        )
        self.parts.notices.told.emit(text, "alarm")

    def _edit_joined(self, tile: Tile, show: Show) -> None:
        name = name_of(self._show, to_tile(tile.id))
        self.parts.document.edit(tr("more for the tile {name}", name=name), show)
        if self.arranger.on:
            self.arranger.choose((tile.id,))

    # putting where there is room

    def put(self, refs: Sequence[Ref], way: str, of: Ref | None) -> None:
        """Put things on the page where there is room, in the section of the tile in
        hand.
        """
        carried = Carried(tuple(refs), As(way), of, True)
        show, tiles = self._made(self._show, carried)
        if not tiles:
            self._tell_none(carried)
            return
        self._put(show, tiles, None, self._section_in_hand())
        self._tell_left_out(carried)

    def _section_in_hand(self) -> str:
        page = self.view.page
        if page is None or not self.arranger.chosen:
            return ""
        last = self.arranger.chosen[-1]
        own = [tile for tile in page.tiles if tile.id == last]
        return pages.section_of(page, own[0]) if own else ""

    def _put(
        self,
        show: Show,
        tiles: Sequence[AnyTile],
        spot: Spot | None = None,
        section: str = "",
    ) -> tuple[str, ...]:
        page = self.view.page
        if page is None:
            return ()
        show, ids = offers.put(show, page.id, tiles, spot, section)
        names = [name_of(show, to_tile(i)) for i in ids]
        if len(ids) == 1:
            what = tr("put {name} on {name2}", name=names[0], name2=page.name)
        else:
            what = plural(len(ids), "put {n} tile on a page", "put {n} tiles on a page")
        self.parts.document.edit(what, show)

        if self.arranger.on:
            self.arranger.choose(ids)
            self.view.show_tile(ids[-1])
        return ids

    def add(self, tile: AnyTile, spot: Spot | None = None, section: str = "") -> str:
        """Put a tile on the page. Returns its id; empty where there is no page."""
        return "".join(self._put(self._show, (tile,), spot, section))

    # what cannot be put

    def _tell_left_out(self, carried: Carried) -> None:
        """Say which of several palettes nobody can do anything with."""
        names = [
            self._show.palettes[ref.id].name
            for ref in carried.refs
            if ref.kind == PALETTE and not self._takes(ref, carried.of)
        ]
        if not names:
            return
        if carried.of is None:
            text = tr(
                "None of the fixtures can do anything with {names}: left out.",
                names=some(names),
            )
        else:
            text = tr(
                "{group} can do nothing with {names}: left out.",
                group=name_of(self._show, carried.of),
                names=some(names),
            )
        self.parts.notices.told.emit(text, "info")

    def _takes(self, ref: Ref, of: Ref | None) -> bool:
        """Whether a group, or anybody, can do anything with a palette."""
        palette = self._show.palettes[ref.id]
        if of is None:
            return bool(pages.takers(self._show, palette))
        return bool(givens.takes(self._show, of, palette))

    def _tell_none(self, carried: Carried) -> None:
        """Say why nothing came of it, and what is nearest."""
        first = carried.refs[0]
        if first.kind != PALETTE:
            text = tr(
                "This makes no tile by itself: keep it in a scene, and drag that."
            )
            self.parts.notices.told.emit(text, "alarm")
            return

        palette = self._show.palettes[first.id]
        if carried.of is None:
            text = tr("None of the fixtures can do anything with this palette.")
            self.parts.notices.told.emit(text, "alarm")
            return

        text = givens.cannot(self._show, carried.of, palette)
        self.parts.notices.told.emit(tr("{text}.", text=text), "alarm")


def _as_the_tile(show: Show, tile: Tile, carried: Carried) -> Carried:
    """What is let go over a tile of a group is of that group too."""
    group = givens.group_of_tile(show, tile)
    palettes = [ref for ref in carried.refs if ref.kind == PALETTE]
    if group is None or len(palettes) != len(carried.refs):
        return carried
    taken = [
        ref for ref in palettes if givens.takes(show, group, show.palettes[ref.id])
    ]
    if not taken:
        return carried
    return Carried(tuple(taken), carried.way, group, True)


def _like(tile: AnyTile, widget: TileWidget | None) -> AnyTile:
    """A pad that was let go over one of a choice is of that choice."""
    over = None if widget is None else widget.tile
    if not isinstance(tile, Pad) or tile.choice or not isinstance(over, Pad):
        return tile
    return edits.replace(tile, choice=over.choice) if over.choice else tile
