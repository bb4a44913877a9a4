"""Bringing a show that came from outside within what every part of Choreon can take: a
grid that has cells, tiles that lie in it, masters that every show has. What was changed
is told with its path; nothing is thrown away but what could never do anything.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from choreon.language import tr
from choreon.model.masters import EVERY_SHOW
from choreon.model.problem import Problem
from choreon.model.refs import TILE
from choreon.model.show import Room, Show
from choreon.model.tiles import AnyTile, Page, PlayingTile, Spot

replace = msgspec.structs.replace

COLUMNS = 48  # cells across a page
ROWS = 400  # cells down
TALLEST = 24  # cells of one tile
SMALLEST, LARGEST = 0.5, 500.0  # metres that a room may measure
MOST_ROWS = 200  # of seats
MOST_TILES = 240  # on a page; more of them get pages of their own


def mended(show: Show) -> tuple[Show, list[Problem]]:
    """Returns a show that is within bounds, and what of it was changed; the same object
    where nothing was.
    """
    found: list[Problem] = []
    missing = {i: m for i, m in EVERY_SHOW.items() if i not in show.masters}
    for name, master in missing.items():
        found.append(
            _told(f"masters/{name}", tr("{name} was missing", name=master.name))
        )

    pages: dict[str, Page] = {}
    for page_id, page in show.pages.items():
        mended_page = _within(page, found)
        first, *rest = _parted(mended_page, {**show.pages, **pages}, found)
        pages[page_id] = first
        pages |= {part.id: part for part in rest}

    room = _room_within(show.room, found)
    if not found:
        return show, found

    masters = {**missing, **show.masters}
    return replace(show, masters=masters, pages=pages, room=room), found


def _room_within(room: Room, found: list[Problem]) -> Room:
    """A room that can be drawn."""
    told = {
        "width": tr("the room's width is {now:g} m, not {side:g}"),
        "depth": tr("the room's depth is {now:g} m, not {side:g}"),
        "height": tr("the room's height is {now:g} m, not {side:g}"),
        "house": tr("the house is {now:g} m deep, not {side:g}"),
    }

    sides = {name: getattr(room, name) for name in told}
    inside = {n: min(LARGEST, max(SMALLEST, side)) for n, side in sides.items()}

    for name, side in sides.items():
        if inside[name] != side:
            text = told[name].format(now=inside[name], side=side)
            found.append(_told(f"room/{name}", text))

    rows = min(MOST_ROWS, max(0, room.seats.rows))
    if rows != room.seats.rows:
        text = tr(
            "there are {rows} rows of seats, not {before}",
            rows=rows,
            before=room.seats.rows,
        )
        found.append(_told("room/seats/rows", text))

    return replace(room, **inside, seats=replace(room.seats, rows=rows))


def _told(path: str, text: str) -> Problem:
    return Problem(path, text, "warning")


def _within(page: Page, found: list[Problem]) -> Page:
    """A page with its grid, and its tiles in that."""
    path = f"pages/{page.id}"
    columns = min(COLUMNS, max(1, page.columns))
    if columns != page.columns:
        text = tr(
            "{name} is {columns} cells across, not {before}",
            name=page.name,
            columns=columns,
            before=page.columns,
        )
        found.append(_told(f"{path}/columns", text))

    tiles = []
    for tile in page.tiles:
        inside = _in_grid(_not_itself(tile, path, found), columns, path, found)
        tiles.append(inside)

    return replace(page, columns=columns, tiles=tuple(tiles))


def _in_grid(tile: AnyTile, columns: int, path: str, found: list[Problem]) -> AnyTile:
    spot = tile.spot
    if spot is None:
        return tile

    inside = Spot(
        min(max(0, spot.x), columns - 1),
        min(max(0, spot.y), ROWS),
        min(max(1, spot.w), columns),
        min(max(1, spot.h), TALLEST),
    )

    if inside == spot:
        return tile

    text = tr("a tile lay outside of its page, at {x}, {y}", x=spot.x, y=spot.y)
    found.append(_told(f"{path}/tiles/{tile.id}/spot", text))
    return replace(tile, spot=inside)


def _not_itself(tile: AnyTile, path: str, found: list[Problem]) -> AnyTile:
    """A tile that plays no tiles: those play nothing that could be played so."""
    if not isinstance(tile, PlayingTile):
        return tile
    plays = tuple(part for part in tile.plays if part.ref.kind != TILE)
    if len(plays) == len(tile.plays):
        return tile
    text = tr("a tile was to play a tile; it plays what else it was given")
    found.append(_told(f"{path}/tiles/{tile.id}/plays", text))
    return replace(tile, plays=plays)


def _parted(page: Page, taken: dict[str, Page], found: list[Problem]) -> Iterator[Page]:
    """A page; the tiles that are too many for it on pages that follow."""
    if len(page.tiles) <= MOST_TILES:
        yield page
        return

    text = tr(
        "{name} had {n} tiles; they lie on several pages now",
        name=page.name,
        n=len(page.tiles),
    )
    found.append(_told(f"pages/{page.id}/tiles", text))

    for first in range(0, len(page.tiles), MOST_TILES):
        tiles = page.tiles[first : first + MOST_TILES]
        if not first:
            yield replace(page, tiles=tiles)
            continue

        number = first // MOST_TILES + 1
        free = f"{page.id}-{number}"
        while free in taken:
            free += "-"

        loose = tuple(replace(tile, spot=None) for tile in tiles)
        yield replace(page, id=free, name=f"{page.name} {number}", tiles=loose)
