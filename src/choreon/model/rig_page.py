"""A page from the rig: for each group its level, its colours, its aims, its beams, what
moves, laid out section by section, without a scene being made first.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import msgspec

from choreon.language import capital, tr
from choreon.model import arrange, edits, givens, pages, stops
from choreon.model import attributes as at
from choreon.model.lamps import fixtures_of
from choreon.model.playables.given import MOTION
from choreon.model.refs import BLACKOUT, GRAND, GROUP, Ref, name_of
from choreon.model.show import Group, Show
from choreon.model.tiles import (
    AnyTile,
    Choice,
    DarkChange,
    DeedTile,
    Dial,
    Fader,
    Flash,
    MasterTile,
    Page,
    Section,
    Spot,
    TempoTile,
    Tile,
    Turns,
    parts,
)
from choreon.model.values import Value
from choreon.terms import term

replace = msgspec.structs.replace

WHOLE = "whole-stage"  # the section of all lamps
FULL: dict[str, Value] = {at.DIMMER: 1.0}
COLUMNS = 12
BESIDE = 2  # columns of level and flash, beside which strips lie
LETTERS = 7.5  # of a name that a column has room for
PICTURES_HIGH = 3  # lines, so that pictures have room above their names
DIAL_HIGH = 4  # lines, so that what it is at can be read above its name


class Wanted(msgspec.Struct, frozen=True):
    """What a page from the rig is to have: of which groups, the levels, flashes, the
    families of palettes, what goes by steps (pictures, prism, zoom, strobe), and what
    is for all that plays. `dark`: pictures and wheels change while the heads are dark.
    `large`: tiles of half as many to a line.
    """

    groups: tuple[Ref, ...]
    levels: bool = True
    flashes: bool = True
    families: tuple[str, ...] = (
        at.Family.COLOUR,
        at.Family.POSITION,
        at.Family.BEAM,
        MOTION,
    )
    steps: bool = True
    whole: bool = True
    dark: bool = False
    large: bool = False


def groups_for(show: Show) -> tuple[Show, tuple[Ref, ...]]:
    """Returns the groups of a show, and the show; where it has none, with those that
    suggest themselves by kind, by bar and by side.
    """
    if show.groups:
        return show, tuple(Ref(GROUP, group) for group in show.groups)
    made: list[Group] = []
    for name, fixtures in arrange.suggested_groups(show, *arrange.By):
        called = edits.fresh_name(name, [group.name for group in made])
        group_id = edits.fresh_id(called, [group.id for group in made])
        made.append(Group(id=group_id, name=called, fixtures=tuple(fixtures)))
    if not made:
        return show, ()
    show = edits.put(show, "groups", *made)
    return show, tuple(Ref(GROUP, group.id) for group in made)


class _Laid:
    """Tiles as they are laid in one section: each in the first place that has room,
    from the left, line by line.
    """

    def __init__(self, section: str, large: bool) -> None:
        self.section, self.factor = section, 2 if large else 1
        self.grid = Page(id=section, name=section, columns=COLUMNS)
        self.tiles: list[AnyTile] = []
        self._taken: list[Spot] = []

    def put(self, tile: AnyTile, wide: int, high: int) -> None:
        """Put a tile where there is room."""
        size = Spot(0, 0, min(COLUMNS, wide * self.factor), high)
        spot = pages.free_spot(self.grid, self._taken, size)
        self._taken.append(spot)
        self.tiles.append(replace(tile, spot=spot, section=self.section))

    def put_beside(self, one: AnyTile, other: AnyTile, wide: int, high: int) -> None:
        """Put two tiles that belong together side by side."""
        both = min(COLUMNS, 2 * wide * self.factor)
        room = pages.free_spot(self.grid, self._taken, Spot(0, 0, both, high))
        half = both // 2
        for n, tile in enumerate((one, other)):
            spot = Spot(room.x + n * half, room.y, half, high)
            self._taken.append(spot)
            self.tiles.append(replace(tile, spot=spot, section=self.section))

    def put_strip(self, strip: Choice, high: int = 2) -> None:
        """Put a strip, as wide as its names ask for."""
        columns = 1.0 + sum(max(1.0, len(name) / LETTERS) for name in strip.names)
        wide = max(3, min(COLUMNS - BESIDE, math.ceil(columns)))
        self.put(strip, wide, high)


def page_from_rig(show: Show, page_id: str, wanted: Wanted) -> Show:
    """A show in which a page has what is wanted of the rig. What it has already stays
    where it is; a strip that lacks a palette gets it at its end.
    """
    page = show.pages[page_id]
    sections = list(page.sections)
    made: list[AnyTile] = []

    if wanted.whole:
        show, tiles = _for_all(show, wanted)
        made += tiles
        sections = _with_section(sections, WHOLE, tr("The whole stage"))
    for group in wanted.groups:
        show, tiles = _for_group(show, group, wanted)
        if tiles:
            made += tiles
            sections = _with_section(sections, group.id, name_of(show, group))

    page = replace(show.pages[page_id], sections=tuple(sections))
    page = _with_tiles(page, made)
    return edits.put(show, "pages", page)


def _with_section(known: list[Section], section_id: str, name: str) -> list[Section]:
    if any(section.id == section_id for section in known):
        return known
    return [*known, Section(section_id, name)]


def _for_all(show: Show, wanted: Wanted) -> tuple[Show, list[AnyTile]]:
    """What is for the whole stage, and for all that plays."""
    laid = _Laid(WHOLE, wanted.large)
    lamps = fixtures_of(show, wanted.groups) or list(show.fixtures)
    dims = [lamp for lamp in lamps if at.DIMMER in _has(show, lamp)]
    if dims and wanted.levels:
        show, ref = givens.values_to(show, dims, tr("The whole stage"), FULL)
        laid.put(Fader(id="", name=tr("All"), plays=parts(ref)), 1, 4)

    # one column is too narrow for the whole name of the grand master
    if GRAND.id in show.masters:
        laid.put(MasterTile(id="", name=tr("Grand"), drives=GRAND), 1, 4)
    if BLACKOUT.id in show.masters:
        laid.put(MasterTile(id="", drives=BLACKOUT), 2, 4)

    laid.put(TempoTile(id=""), 2, 4)
    for deed in ("undo", "release"):
        laid.put(DeedTile(id="", deed=deed), 2, 2)
    return show, laid.tiles


def _has(show: Show, lamp: str) -> set[str]:
    has = pages.attributes_of(show, lamp)
    return has | {at.DIMMER} if pages.mixes(has) else has


def _for_group(show: Show, group: Ref, wanted: Wanted) -> tuple[Show, list[AnyTile]]:
    """What a group can do: its level, by a fader and flashed, then a strip a family,
    then what goes by steps.
    """
    laid = _Laid(group.id, wanted.large)
    show = _lay_levels(show, group, wanted, laid)
    for family in wanted.families:
        own = givens.palettes_for(show, group, family)
        if own:
            show, strip = givens.choice_of(show, group, own)
            _lay_family(show, group, family, strip, wanted, laid)

    if wanted.steps:
        show, strips = stops.strips_for(show, group, wanted.dark)
        for strip in strips:
            laid.put_strip(strip, PICTURES_HIGH if _pictured(show, strip) else 2)
    return show, laid.tiles


def _lay_levels(show: Show, group: Ref, wanted: Wanted, laid: _Laid) -> Show:
    """The level of a group, and its flash, where it has one."""
    if not any(at.DIMMER in _has(show, lamp) for lamp in fixtures_of(show, [group])):
        return show
    if wanted.levels:
        show, ref = givens.give_values(show, group, tr("level"), FULL)
        laid.put(Fader(id="", name=tr("Level"), plays=parts(ref)), 1, 4)
    if wanted.flashes:
        show, ref = givens.give_values(show, group, tr("flash"), FULL)
        laid.put(Flash(id="", name=tr("Flash"), plays=parts(ref)), 1, 4)
    return show


def _lay_family(
    show: Show, group: Ref, family: str, strip: Choice, wanted: Wanted, laid: _Laid
) -> None:
    """A strip of a family; what moves has dials beside it."""
    if wanted.dark and _on_wheels(show, group, family):
        strip = replace(strip, change=DarkChange())
    laid.put_strip(replace(strip, name=capital(term(family))))
    if family != MOTION:
        return

    rate, size = (
        Dial(id="", of=strip.leads_to, turns=turns, name=DIALS[turns])
        for turns in (Turns.RATE, Turns.SIZE)
    )
    laid.put_beside(rate, size, 2, DIAL_HIGH)


def _pictured(show: Show, strip: Choice) -> bool:
    """Whether the looks of a strip are pictures of a wheel."""
    given = [givens.given_of(show, ref) for ref in strip.leads_to]
    slots = [None if one is None else stops.slot_given(show, one) for one in given]
    return any(slot is not None and bool(slot.picture) for slot in slots)


def _on_wheels(show: Show, group: Ref, family: str) -> bool:
    """Whether a family of palettes turns wheels of a group: beams do where there are
    gobos, colours where no lamp mixes them.
    """
    has = [pages.attributes_of(show, lamp) for lamp in fixtures_of(show, [group])]
    if family == at.Family.BEAM:
        return any(name in own for own in has for name in stops.WHEELS)
    if family != at.Family.COLOUR:
        return False
    mixing = {*at.ALL_EMITTERS, *at.FILTERS, *at.TARGET_COLOUR}
    return not any(own & mixing for own in has)


DIALS = {Turns.RATE: tr("How fast"), Turns.SIZE: tr("How large")}


def _with_tiles(page: Page, made: Sequence[AnyTile]) -> Page:
    """A page with tiles more, each that it has already as it is."""
    tiles = list(page.tiles)
    for tile in made:
        known = next((n for n, one in enumerate(tiles) if _alike(one, tile)), None)
        if known is not None:
            tiles[known] = _with_more(tiles[known], tile)
            continue
        spot = tile.spot or Spot()
        taken = pages.spots(replace(page, tiles=tuple(tiles)), tile.section).values()
        if any(spot.overlaps(other) for other in taken):
            spot = pages.free_spot(page, taken, spot)
        ids = [one.id for one in tiles]
        stem = tile.name or tile.kind
        own = edits.fresh_id(f"{page.id} {tile.section} {stem}", ids)
        tiles.append(replace(tile, id=own, spot=spot))
    return replace(page, tiles=tuple(tiles))


def _alike(one: Tile, other: Tile) -> bool:
    """Whether a tile is there for the same."""
    if type(one) is not type(other) or one.section != other.section:
        return False
    if isinstance(one, Choice) and isinstance(other, Choice):
        return bool(set(one.leads_to) & set(other.leads_to))
    if isinstance(one, Dial) and isinstance(other, Dial):
        same = bool(set(one.of) & set(other.of))
        return same and one.turns == other.turns
    if isinstance(one, DeedTile) and isinstance(other, DeedTile):
        return one.deed == other.deed
    return one.leads_to == other.leads_to


def _with_more(known: AnyTile, made: AnyTile) -> AnyTile:
    """A strip with what it lacks at its end; all else as it is."""
    if not isinstance(known, Choice) or not isinstance(made, Choice):
        return known
    there = set(known.leads_to)
    more = [n for n, part in enumerate(made.plays) if part.ref not in there]
    if not more:
        return known
    plays = (*known.plays, *(made.plays[n] for n in more))
    names = tuple(known.names[: len(known.plays)])
    names += ("",) * (len(known.plays) - len(names))
    return replace(known, plays=plays, names=(*names, *(made.names[n] for n in more)))


def families_there(show: Show, groups: Iterable[Ref]) -> list[str]:
    """Returns the families of which any of some groups can take palettes."""
    found: dict[str, None] = {}
    for group in groups:
        found |= dict.fromkeys(givens.families_for(show, group))
    return [f for f in (*at.Family, MOTION) if f in found]
