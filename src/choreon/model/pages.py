"""Pages: where their tiles lie, and edits of them. Pure functions."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import msgspec

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.masters import GroupMaster
from choreon.model.patch import mode_of
from choreon.model.refs import FIXTURE, GROUP, MASTER, PALETTE, Ref, name_of
from choreon.model.show import Palette, Show
from choreon.model.tiles import (
    AimTile,
    AnyTile,
    ColourTile,
    MasterTile,
    Pad,
    Page,
    Section,
    Spot,
    Tile,
    parts,
)

replace = msgspec.structs.replace

MOST_ROWS = 200  # of a section


# where tiles lie


def spots(page: Page, section: str = "") -> dict[str, Spot]:
    """Returns where the tiles of a section lie. Those without a place, and those that
    would cover another, lie where there is room, in their order.
    """
    own = [tile for tile in page.tiles if section_of(page, tile) == section]
    found: dict[str, Spot] = {}

    for tile in own:
        if tile.spot is not None:
            spot = within(tile.spot, page.columns)
            if not any(spot.overlaps(other) for other in found.values()):
                found[tile.id] = spot

    for tile in own:
        if tile.id not in found:
            found[tile.id] = free_spot(page, found.values(), _size(tile))

    return {tile.id: found[tile.id] for tile in own}


def section_of(page: Page, tile: Tile) -> str:
    """Returns the section that a tile lies in; empty for none, or one that is gone."""
    known = any(section.id == tile.section for section in page.sections)
    return tile.section if known else ""


def as_read(page: Page) -> list[AnyTile]:
    """Returns its tiles as they are read: section by section, line by line, and each
    from the left.
    """
    tiles = {tile.id: tile for tile in page.tiles}
    found: list[AnyTile] = []
    for section in ("", *(section.id for section in page.sections)):
        lie = spots(page, section)
        order = sorted(lie, key=lambda i: (lie[i].y, lie[i].x))
        found += [tiles[i] for i in order]
    return found


def within(spot: Spot, columns: int) -> Spot:
    """Returns the spot moved, and made smaller, so that it lies in the grid."""
    width = min(max(1, spot.w), columns)
    x = min(max(0, spot.x), columns - width)
    return Spot(x, max(0, spot.y), width, max(1, spot.h))


def _size(tile: Tile) -> Spot:
    if tile.spot is not None:
        return tile.spot
    width, height = tile.size
    return Spot(0, 0, width, height)


def free_spot(page: Page, taken: Iterable[Spot], size: Spot) -> Spot:
    """Returns the first place, in reading order, where there is room."""
    others = list(taken)
    width = min(max(1, size.w), page.columns)
    for y in range(MOST_ROWS):
        for x in range(page.columns - width + 1):
            spot = Spot(x, y, width, max(1, size.h))
            if not any(spot.overlaps(other) for other in others):
                return spot
    return Spot(0, MOST_ROWS, width, max(1, size.h))


def rows(found: Mapping[str, Spot]) -> int:
    """Returns how many rows of cells spots take."""
    return max((spot.y + spot.h for spot in found.values()), default=0)


def all_spots(page: Page) -> dict[str, Spot]:
    """Returns where all tiles of a page lie, each in its section."""
    found = spots(page)
    for section in page.sections:
        found |= spots(page, section.id)
    return found


# placing


def place(
    show: Show, page_id: str, where: Mapping[str, Spot], section: str | None = None
) -> Show:
    """Put tiles in places; those that they would cover make room by moving down. Where
    a section is given they go into it.
    """
    page = show.pages[page_id]
    before = all_spots(page)
    tiles = []

    for tile in page.tiles:
        spot = where.get(tile.id, before[tile.id])
        if tile.id in where and section is not None:
            tile = replace(tile, section=section)

        tiles.append(replace(tile, spot=within(spot, page.columns)))

    page = replace(page, tiles=tuple(tiles))
    return edits.put(show, "pages", _made_room(page, set(where)))


def _made_room(page: Page, moved: set[str]) -> Page:
    """A page on which whatever lies under moved tiles has moved down past them."""
    laid: dict[str, dict[str, Spot]] = {}
    ordered = sorted(
        page.tiles, key=lambda t: (t.id not in moved, t.spot.y if t.spot else 0)
    )

    for tile in ordered:
        here = laid.setdefault(section_of(page, tile), {})
        spot = tile.spot or Spot()
        while any(spot.overlaps(other) for other in here.values()):
            spot = replace(spot, y=spot.y + 1)

        here[tile.id] = spot

    found = {i: spot for own in laid.values() for i, spot in own.items()}
    tiles = tuple(replace(tile, spot=found[tile.id]) for tile in page.tiles)
    return replace(page, tiles=tiles)


def tidy(show: Show, page_id: str) -> Show:
    """Close the gaps: each section's tiles in reading order, as close as they go."""
    page = show.pages[page_id]
    found: dict[str, Spot] = {}
    for section in ("", *(section.id for section in page.sections)):
        own = spots(page, section)
        laid: dict[str, Spot] = {}
        for tile_id, spot in sorted(own.items(), key=lambda i: (i[1].y, i[1].x)):
            laid[tile_id] = free_spot(page, laid.values(), spot)
        found |= laid
    return place(show, page_id, found)


def align(show: Show, page_id: str, ids: Sequence[str], edge: str) -> Show:
    """Bring tiles to the edge of the outermost: left, right, top or bottom. Those that
    would cover each other make room.
    """
    known = all_spots(show.pages[page_id])
    own = {i: known[i] for i in ids if i in known}
    if len(own) < 2:
        return show

    left = min(s.x for s in own.values())
    right = max(s.x + s.w for s in own.values())
    top = min(s.y for s in own.values())
    bottom = max(s.y + s.h for s in own.values())
    moves = {
        "left": lambda s: replace(s, x=left),
        "right": lambda s: replace(s, x=right - s.w),
        "top": lambda s: replace(s, y=top),
        "bottom": lambda s: replace(s, y=bottom - s.h),
    }

    return place(show, page_id, {i: moves[edge](spot) for i, spot in own.items()})


def same_size(show: Show, page_id: str, ids: Sequence[str]) -> Show:
    """Make tiles as large as the first of them."""
    known = all_spots(show.pages[page_id])
    own = [i for i in ids if i in known]
    if len(own) < 2:
        return show
    first = known[own[0]]
    return place(
        show, page_id, {i: replace(known[i], w=first.w, h=first.h) for i in own}
    )


# tiles


def tile_ids(show: Show) -> list[str]:
    """Returns the ids of all tiles."""
    return [tile.id for page in show.pages.values() for tile in page.tiles]


def add(
    show: Show, page_id: str, tile: Tile, spot: Spot | None = None, section: str = ""
) -> tuple[Show, str]:
    """Put a tile on a page, under an id that is free; with a spot there, and what lies
    there makes room. Returns the show and the tile's id.
    """
    page = show.pages[page_id]
    wanted = tile.id or f"{_stem(show, tile)} {tile.kind}"
    tile_id = edits.fresh_id(wanted, tile_ids(show))
    made = replace(tile, id=tile_id, spot=None, section=section)
    tiles = (*page.tiles, made)
    show = edits.put(show, "pages", replace(page, tiles=tiles))

    if spot is not None:
        show = place(show, page_id, {tile_id: spot})

    return show, tile_id


def _stem(show: Show, tile: Tile) -> str:
    leads_to = tile.leads_to
    return name_of(show, leads_to[0]) if leads_to else tile.kind


def copy(show: Show, ids: Iterable[str], page_id: str) -> tuple[Show, tuple[str, ...]]:
    """Put copies of tiles on a page, where there is room. Returns the show and the ids
    of the copies.
    """
    made = []
    for tile_id in ids:
        found = show.tile(tile_id)
        if found is None:
            continue

        tile = found[1]
        size = all_spots(found[0])[tile.id]
        fresh = replace(tile, id=tile.id)
        show, fresh_id = add(show, page_id, fresh)
        page = show.pages[page_id]
        others = {i: s for i, s in all_spots(page).items() if i != fresh_id}
        show = place(show, page_id, {fresh_id: free_spot(page, others.values(), size)})

        made.append(fresh_id)

    return show, tuple(made)


def change(show: Show, tile_id: str, **fields: object) -> Show:
    """Change fields of a tile."""
    return edits.change(show, Ref("tile", tile_id), **fields)


# what is dropped on a page


def fitting(show: Show, refs: Sequence[Ref]) -> tuple[Show, AnyTile | None]:
    """Returns the tile that fits what is dropped on a page, and the show with what that
    needs: things that play on one pad; a palette of all who can take it on one; a
    colour for lamps that mix, an aim for heads, a master for all others.
    """
    played = [ref for ref in refs if ref.id in show.playables]
    if played:
        return show, Pad(id="", plays=parts(*played))
    if refs and refs[0].kind == PALETTE:
        return _for_palette(show, show.palettes.get(refs[0].id))
    if refs and refs[0].kind == MASTER:
        return show, MasterTile(id="", drives=refs[0])
    lamps = tuple(ref for ref in refs if ref.kind in (GROUP, FIXTURE))
    return _for_lamps(show, lamps) if lamps else (show, None)


def _for_palette(show: Show, palette: Palette | None) -> tuple[Show, AnyTile | None]:
    """A palette of all fixtures that can do something with it, or of those that it has
    values for.
    """
    from choreon.model import givens

    if palette is None:
        return show, None
    takes = takers(show, palette)
    if not takes:
        return show, None
    show, ref = givens.give_to(show, takes, palette.id)
    return show, Pad(id="", name=palette.name, plays=parts(ref))


def takers(show: Show, palette: Palette) -> list[str]:
    """Returns the fixtures that can do something with a palette: of those that it has
    values for, where it has such; else of all.
    """
    from choreon.model import givens

    lamps = list(palette.each) or list(show.fixtures)
    return [one for one in lamps if givens.takes(show, Ref(FIXTURE, one), palette)]


def attributes_of(show: Show, fixture_id: str) -> set[str]:
    """Returns the attributes that a fixture's type knows in its mode."""
    fixture = show.fixtures.get(fixture_id)
    mode = None if fixture is None else mode_of(show.types, fixture)
    if fixture is None or mode is None:
        return set()
    return {
        span.attribute
        for _, channel in show.types[fixture.type].used(mode)
        for span in channel.ranges
    }


def _takes(has: set[str], name: str) -> bool:
    if name in at.TARGET_COLOUR:
        return mixes(has)
    return name in has


def mixes(has: set[str]) -> bool:
    """Whether attributes are those of a lamp that takes a colour."""
    emits = has & {*at.ALL_EMITTERS, *at.FILTERS}
    return bool(emits) or any(name in has for name in ("Color1", *at.TARGET_COLOUR))


def _for_lamps(show: Show, lamps: tuple[Ref, ...]) -> tuple[Show, AnyTile]:
    from choreon.model.lamps import fixtures_of

    has = [attributes_of(show, fixture) for fixture in fixtures_of(show, lamps)]
    if any(mixes(own) for own in has):
        return show, ColourTile(id="", of=lamps)
    if any(at.PAN in own for own in has):
        return show, AimTile(id="", of=lamps)
    show, ref = add_group_master(show, lamps)
    return show, MasterTile(id="", drives=ref)


def add_group_master(show: Show, over: tuple[Ref, ...]) -> tuple[Show, Ref]:
    """A new group master over lamps, or over what plays."""
    names = [name_of(show, ref) for ref in over]
    name = edits.fresh_name(" + ".join(names[:3]) or tr("Group master"), _names(show))
    made = GroupMaster(id=edits.fresh_id(name, show.masters), name=name, over=over)
    return edits.put(show, "masters", made), made.ref


def _names(show: Show) -> list[str]:
    return [master.name for master in show.masters.values()]


# sections and events


def add_section(show: Show, page_id: str, name: str) -> tuple[Show, str]:
    """A new section at the end of a page; returns the show and the section's id."""
    page = show.pages[page_id]
    name = edits.fresh_name(name, [section.name for section in page.sections])
    section_id = edits.fresh_id(name, [section.id for section in page.sections])
    sections = (*page.sections, Section(section_id, name))
    return edits.put(show, "pages", replace(page, sections=sections)), section_id


def rename_section(show: Show, page_id: str, section_id: str, name: str) -> Show:
    """Give a section another title; one that is in use gets a number."""
    page = show.pages[page_id]
    others = (section.name for section in page.sections if section.id != section_id)
    name = edits.free_name(name.strip(), others)
    sections = tuple(
        replace(section, name=name or section.name)
        if section.id == section_id
        else section
        for section in page.sections
    )
    return edits.put(show, "pages", replace(page, sections=sections))


def remove_section(show: Show, page_id: str, section_id: str) -> Show:
    """Take a section's title away; its tiles go to the top of the page, where there is
    room.
    """
    page = show.pages[page_id]
    sections = tuple(s for s in page.sections if s.id != section_id)
    tiles = tuple(
        replace(tile, section="", spot=None) if tile.section == section_id else tile
        for tile in page.tiles
    )
    return edits.put(show, "pages", replace(page, sections=sections, tiles=tiles))


def events(show: Show) -> list[str]:
    """Returns the names of the events that there are pages for, in their order."""
    return list(dict.fromkeys(page.event for page in show.pages.values() if page.event))


def pages_of(show: Show, event: str) -> list[Page]:
    """Returns the pages of an event; with none chosen, all of them."""
    return [p for p in show.pages.values() if not event or p.event == event]


def copy_page(show: Show, page_id: str, event: str | None = None) -> tuple[Show, str]:
    """The same page once more, in the same event or another; its tiles are its own."""
    page = show.pages[page_id]
    into = page.event if event is None else event
    name = page.name

    if into == page.event:
        name = edits.fresh_name(name, edits.names_in(show, "pages"))

    taken = tile_ids(show)
    tiles = []

    for tile in page.tiles:
        fresh = edits.fresh_id(tile.id, taken)
        taken.append(fresh)
        tiles.append(replace(tile, id=fresh))

    made = replace(
        page,
        id=edits.fresh_id(f"{into} {name}", show.pages),
        name=name,
        event=into,
        tiles=tuple(tiles),
    )
    return edits.put(show, "pages", made), made.id


def copy_event(show: Show, event: str, name: str) -> tuple[Show, str]:
    """A new event with copies of all the pages of another; returns the show and the
    event's name.
    """
    name = edits.fresh_name(name.strip() or tr("Event"), events(show))
    for page in pages_of(show, event):
        show, _ = copy_page(show, page.id, name)
    return show, name
