"""What of a show can be put on a page, as what, and where several of it lie. Pure
functions.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from enum import StrEnum
from typing import NamedTuple

import msgspec

from choreon.language import capital, tr
from choreon.model import attributes as at
from choreon.model import edits, givens, pages, stops
from choreon.model.lamps import fixtures_of
from choreon.model.masters import GroupMaster, Override
from choreon.model.playables import Given, Stack
from choreon.model.playables.given import MOTION
from choreon.model.refs import (
    DEED,
    DEEDS,
    FIXTURE,
    GROUP,
    MASTER,
    PALETTE,
    TEMPO,
    Ref,
    name_of,
    to_deed,
)
from choreon.model.show import Show
from choreon.model.tiles import (
    AimTile,
    AnyTile,
    Choice,
    ClockTile,
    ColourTile,
    CueDeed,
    CueTile,
    DeedTile,
    Dial,
    Fader,
    Flash,
    LabelTile,
    LampTile,
    MasterTile,
    Pad,
    Page,
    Part,
    PlayingTile,
    Spot,
    TempoTile,
    Tile,
    Turns,
    parts,
)
from choreon.model.values import Value
from choreon.terms import term

replace = msgspec.structs.replace

PLAIN = "plain"
"""The kind of a ref to a tile that leads to nothing of the show."""
PLAIN_TILES: dict[str, Tile] = {
    "tempo": TempoTile(id="tempo"),
    "clock": ClockTile(id="clock"),
    "label": LabelTile(id="label", name=tr("Label")),
}
STEPS = (0.25, 0.5, 0.75, 1.0)  # levels of a group that are set in steps


class Sort(StrEnum):
    """What things on offer are sorted by."""

    PLAYS = "plays"
    PALETTES = "palettes"
    MOTIONS = "motions"
    GROUPS = "groups"
    FIXTURES = "fixtures"
    MASTERS = "masters"
    ACTS = "acts"


class Offer(NamedTuple):
    """Something that can be put on a page. `words`: by which it is found beside its
    name.
    """

    ref: Ref
    name: str
    sort: Sort
    folder: str = ""
    words: str = ""

    def is_meant(self, wanted: str) -> bool:
        """Whether words in lower case, all of them, are in what it is found by."""
        there = f"{self.name} {self.folder} {self.words}".lower()
        return all(word in there for word in wanted.split())


def offers(show: Show) -> list[Offer]:
    """Returns all that can be put on a page, sort by sort; what plays the newest
    first.
    """
    return [
        *_plays(show),
        *_palettes(show),
        *_lamps(show),
        *_masters(show),
        *_acts(),
    ]


def _plays(show: Show) -> list[Offer]:
    shelved = [p for p in show.playables.values() if not isinstance(p, Given)]
    return [
        Offer(
            p.ref,
            p.name,
            Sort.PLAYS,
            p.folder,
            " ".join((term(p.kind), *p.tags)),
        )
        for p in reversed(shelved)
    ]


def _palettes(show: Show) -> list[Offer]:
    found = []
    for palette in show.palettes.values():
        sort = Sort.PALETTES if palette.motion is None else Sort.MOTIONS
        family = capital(term(palette.family))
        folder = family if sort == Sort.PALETTES else ""
        ref = Ref(PALETTE, palette.id)
        found.append(Offer(ref, palette.name, sort, folder, family))
    order = [*at.Family, MOTION]
    return sorted(found, key=lambda one: order.index(show.palettes[one.ref.id].family))


def _lamps(show: Show) -> list[Offer]:
    groups = [
        Offer(Ref(GROUP, group.id), group.name, Sort.GROUPS)
        for group in show.groups.values()
    ]
    fixtures = []
    for fixture in show.fixtures.values():
        kind = show.types.get(fixture.type)
        label = "" if kind is None else kind.name
        ref = Ref(FIXTURE, fixture.id)
        fixtures.append(Offer(ref, fixture.name, Sort.FIXTURES, label, fixture.short))
    return [*groups, *fixtures]


def _masters(show: Show) -> list[Offer]:
    return [
        Offer(master.ref, master.name, Sort.MASTERS)
        for master in show.masters.values()
        if master.ref != TEMPO
    ]


def _acts() -> list[Offer]:
    deeds = [Offer(to_deed(deed), name, Sort.ACTS) for deed, name in DEEDS.items()]
    plain = [
        Offer(Ref(PLAIN, key), capital(term(key)), Sort.ACTS) for key in PLAIN_TILES
    ]
    return [*deeds, *plain]


# as what


class As(StrEnum):
    """As what things are put on a page. `FIT`: each as the tile that fits it."""

    FIT = "fit"
    PAD = "pad"
    FLASH = "flash"
    FADER = "fader"
    CHOICE = "choice"
    DIAL = "dial"
    GO = "go"
    BACK = "back"
    LIST = "list"
    COLOUR = "colour"
    AIM = "aim"
    STEPS = "steps"
    MASTER = "master"
    OVERRIDE = "override"
    STRIPS = "strips"
    PADS = "pads"


PLAYED: dict[As, type[PlayingTile]] = {
    As.PAD: Pad,
    As.FLASH: Flash,
    As.FADER: Fader,
    As.CHOICE: Choice,
}
CUES = {As.GO: CueDeed.GO, As.BACK: CueDeed.BACK, As.LIST: CueDeed.LIST}


def ways(show: Show, refs: Sequence[Ref]) -> list[As]:
    """Returns as what all of these can be put on a page: first the usual way."""
    allowed: list[As] | None = None
    for ref in refs:
        own = _ways_of(show, ref)
        allowed = own if allowed is None else [way for way in allowed if way in own]
    return [As.FIT, *(allowed or [])]


def _ways_of(show: Show, ref: Ref) -> list[As]:
    if isinstance(show.playables.get(ref.id), Stack):
        return [*PLAYED, As.DIAL, *CUES]
    if ref.id in show.playables and ref.kind not in _OTHERS:
        return [*PLAYED, As.DIAL]
    if ref.kind == PALETTE:
        return list(PLAYED)
    if ref.kind in (GROUP, FIXTURE):
        return _ways_of_lamps(show, ref)
    return []


_OTHERS = (PALETTE, GROUP, FIXTURE, MASTER, DEED, PLAIN)


def _ways_of_lamps(show: Show, ref: Ref) -> list[As]:
    has = [pages.attributes_of(show, lamp) for lamp in fixtures_of(show, [ref])]
    mixes = any(pages.mixes(own) for own in has)
    found: list[As] = []
    if mixes or any(at.DIMMER in own for own in has):
        found += [As.FADER, As.FLASH, As.STEPS]
    if mixes:
        found.append(As.COLOUR)
    if any(at.PAN in own for own in has):
        found.append(As.AIM)
    found += [As.MASTER, As.OVERRIDE]
    families = givens.families_for(show, ref)
    if families or stops.stops_of(show, ref):
        found.append(As.STRIPS)
    return [*found, As.PADS] if families else found


def tiles_for(
    show: Show, refs: Sequence[Ref], way: As = As.FIT, of: Ref | None = None
) -> tuple[Show, tuple[AnyTile, ...]]:
    """Returns the tiles of things, in their order, and the show with what these need.
    `of`: the group that palettes are given to; None: all who can take them.
    """
    if way == As.CHOICE:
        return _one_choice(show, refs, of)

    made: list[AnyTile] = []
    for ref in refs:
        show, tiles = _tiles_of(show, ref, way, of)
        made += tiles
    return show, tuple(made)


def _tiles_of(
    show: Show, ref: Ref, way: As, of: Ref | None
) -> tuple[Show, Sequence[AnyTile]]:
    """The tiles of one thing."""
    if ref.kind == PALETTE:
        show, played = given_from(show, ref, of)
        kind = PLAYED.get(way, Pad)
        if played is None:
            return show, ()
        tile = _playing(kind, show.palettes[ref.id].name, played)
        if isinstance(tile, Pad) and of is not None:
            tile = replace(tile, choice=f"{of} {show.palettes[ref.id].family}")
        return show, (tile,)

    if ref.kind == DEED:
        return show, (DeedTile(id="", deed=ref.id),)
    if ref.kind == PLAIN:
        plain = PLAIN_TILES.get(ref.id)
        return show, () if plain is None else (plain,)  # type: ignore[return-value]
    if ref.kind in (GROUP, FIXTURE):
        return _of_lamps(show, ref, way)
    if way in CUES:
        return show, (CueTile(id="", of=ref, does=CUES[way]),)
    if way == As.DIAL:
        return show, (Dial(id="", of=(ref,)),)
    if way in PLAYED and ref.id in show.playables:
        return show, (_playing(PLAYED[way], "", ref),)

    show, fits = pages.fitting(show, [ref])
    return show, () if fits is None else (fits,)


def _playing(kind: type[PlayingTile], name: str, *refs: Ref) -> AnyTile:
    return kind(id="", name=name, plays=parts(*refs))  # type: ignore[return-value]


def given_from(show: Show, ref: Ref, of: Ref | None) -> tuple[Show, Ref | None]:
    """A show in which a palette is given to a group, or to all who can take it, and
    what plays that; None where none of them can.
    """
    palette = show.palettes.get(ref.id)
    if palette is None:
        return show, None
    if of is not None:
        if not givens.takes(show, of, palette):
            return show, None
        return givens.give(show, of, palette.id)

    takers = pages.takers(show, palette)
    if not takers:
        return show, None
    return givens.give_to(show, takers, palette.id)


def _one_choice(
    show: Show, refs: Sequence[Ref], of: Ref | None
) -> tuple[Show, tuple[AnyTile, ...]]:
    """All of them in one strip."""
    played, names = [], []
    for ref in refs:
        plays: Ref | None = ref
        name = ""
        if ref.kind == PALETTE:
            show, plays = given_from(show, ref, of)
            name = "" if plays is None else show.palettes[ref.id].name
        if plays is not None:
            played.append(plays)
            names.append(name)

    if not played:
        return show, ()
    called = "" if of is None else name_of(show, of)
    own_names = tuple(names) if any(names) else ()
    strip = Choice(id="", name=called, plays=parts(*played), names=own_names)
    return show, (strip,)


# lamps

FULL: dict[str, Value] = {at.DIMMER: 1.0}


def _of_lamps(show: Show, ref: Ref, way: As) -> tuple[Show, Sequence[AnyTile]]:
    if way in (As.FADER, As.FLASH):
        called = tr("level") if way == As.FADER else tr("flash")
        show, played = givens.give_values(show, ref, called, FULL)
        return show, (_playing(PLAYED[way], name_of(show, ref), played),)

    if way in (As.STRIPS, As.PADS):
        return _families(show, ref, way)
    if way == As.OVERRIDE:
        show, master = add_override(show, ref)
        return show, (MasterTile(id="", drives=master),)
    if way == As.MASTER:
        show, master = pages.add_group_master(show, (ref,))
        return show, (MasterTile(id="", drives=master),)
    if way == As.STEPS:
        return level_steps(show, ref)

    if way in (As.COLOUR, As.AIM):
        kind: type[LampTile] = ColourTile if way == As.COLOUR else AimTile
        return show, (kind(id="", of=(ref,)),)  # type: ignore[return-value]

    show, fits = pages.fitting(show, [ref])
    return show, () if fits is None else (fits,)


def level_steps(show: Show, ref: Ref) -> tuple[Show, Sequence[AnyTile]]:
    """A strip of levels of lamps, of which one is on."""
    played, names = [], []
    for level in STEPS:
        name = tr("{percent:.0f} %", percent=100 * level)
        show, one = givens.give_values(show, ref, name, {at.DIMMER: level})
        played.append(one)
        names.append(name)
    title = tr("{group}: level", group=name_of(show, ref))
    strip = Choice(id="", name=title, plays=parts(*played), names=tuple(names))
    return show, (strip,)


def _families(show: Show, ref: Ref, way: As) -> tuple[Show, Sequence[AnyTile]]:
    """All palettes that a group can take: a strip a family, or pads."""
    made: list[AnyTile] = []
    for family in givens.families_for(show, ref):
        own = givens.palettes_for(show, ref, family)
        if way == As.PADS:
            show, pads = givens.pads_of(show, ref, own)
            made += pads
            continue

        show, strip = givens.choice_of(show, ref, own)
        group, called = name_of(show, ref), term(family)
        title = tr("{group}: {what}", group=group, what=called)
        made.append(replace(strip, name=title))

    if way == As.STRIPS:
        show, steps = stops.strips_for(show, ref)
        made += [replace(one, name=stops.title(show, ref, one)) for one in steps]
    return show, made


def add_override(show: Show, over: Ref) -> tuple[Show, Ref]:
    """A new override over lamps."""
    names = [master.name for master in show.masters.values()]
    wanted = tr("{name_of} override", name_of=name_of(show, over))
    name = edits.fresh_name(wanted, names)
    made = Override(id=edits.fresh_id(name, show.masters), name=name, over=(over,))
    return edits.put(show, "masters", made), made.ref


# where they lie


def put(
    show: Show,
    page_id: str,
    tiles: Sequence[AnyTile],
    at_spot: Spot | None = None,
    section: str = "",
) -> tuple[Show, tuple[str, ...]]:
    """Put tiles on a page in their order: from a cell on, where what lies there makes
    room, else where there is room. Returns the show and the ids of the tiles.
    """
    ids = []
    for tile in tiles:
        show, tile_id = pages.add(show, page_id, tile, section=section)
        ids.append(tile_id)

    if at_spot is not None and ids:
        where = laid_from(show.pages[page_id], tiles, at_spot)
        placed = dict(zip(ids, where, strict=True))
        show = pages.place(show, page_id, placed, section)
    return show, tuple(ids)


def laid_from(page: Page, tiles: Sequence[Tile], begin: Spot) -> list[Spot]:
    """Returns where tiles lie from a cell on: side by side to the edge of the page,
    then in a line below, which begins where the first one does.
    """
    found: list[Spot] = []
    x, y, deep = begin.x, begin.y, 0
    for tile in tiles:
        width, height = tile.size
        width = min(width, page.columns)
        if found and x + width > page.columns:
            x, y, deep = begin.x, y + deep, 0
        spot = pages.within(Spot(x, y, width, height), page.columns)
        if any(spot.overlaps(other) for other in found):
            y += deep
            spot = replace(spot, y=y)

        found.append(spot)
        x, deep = spot.x + width, max(deep, height)
    return found


# joining a tile that is there


def joined(show: Show, tile: Tile, refs: Sequence[Ref]) -> Show | None:
    """A show in which a tile takes these as well: what plays, palettes of its group,
    lamps that it reaches. None where it takes none of them.
    """
    if isinstance(tile, PlayingTile):
        return _joined_playing(show, tile, refs)
    if isinstance(tile, LampTile | Dial):
        lamps = [ref for ref in refs if _is_reached(show, tile, ref)]
        if not lamps:
            return None
        grown = tuple(dict.fromkeys((*tile.of, *lamps)))
        return pages.change(show, tile.id, of=grown)
    if isinstance(tile, MasterTile):
        return _joined_master(show, tile, refs)
    return None


def _is_reached(show: Show, tile: Tile, ref: Ref) -> bool:
    """Whether a tile of lamps, or a dial, may reach something."""
    if ref.kind in (GROUP, FIXTURE):
        return not isinstance(tile, Dial) or tile.turns == Turns.ATTRIBUTE
    return ref.kind not in _OTHERS and ref.id in show.playables


def _joined_master(show: Show, tile: MasterTile, refs: Sequence[Ref]) -> Show | None:
    """A master over more lamps; a group master over what plays, too."""
    master = show.masters.get(tile.drives.id)
    if not isinstance(master, GroupMaster | Override):
        return None
    lamps = [ref for ref in refs if ref.kind in (GROUP, FIXTURE)]
    if isinstance(master, GroupMaster):
        lamps += [ref for ref in refs if ref.id in show.playables and ref not in lamps]
    grown = tuple(dict.fromkeys((*master.over, *lamps)))
    return None if grown == master.over else edits.change(show, tile.drives, over=grown)


def _joined_playing(show: Show, tile: PlayingTile, refs: Sequence[Ref]) -> Show | None:
    show, names = _played_by(show, tile, refs)
    for ref in tile.leads_to:
        names.pop(ref, None)  # it is there already
    if not names:
        return None

    plays = (*tile.plays, *parts(*names))
    if not isinstance(tile, Choice):
        return pages.change(show, tile.id, plays=plays)

    known = (*tile.names, *("" for _ in tile.plays[len(tile.names) :]))
    grown = (*known[: len(tile.plays)], *names.values())
    called = grown if any(grown) else ()
    return pages.change(show, tile.id, plays=plays, names=called)


def _played_by(
    show: Show, tile: Tile, refs: Sequence[Ref]
) -> tuple[Show, dict[Ref, str]]:
    """What of some things a tile that plays can play, in their order, each with what
    stands on it where that is not its own name: palettes are given to the tile's group.
    """
    group = givens.group_of_tile(show, tile)
    names: dict[Ref, str] = {}
    for ref in refs:
        if ref.kind == PALETTE:
            show, given = given_from(show, ref, group)
            if given is not None:
                names[given] = show.palettes[ref.id].name
        elif ref.kind not in _OTHERS and ref.id in show.playables:
            names[ref] = ""
    return show, names


# several at once


def turned_into(
    show: Show, ids: Iterable[str], way: As
) -> tuple[Show, tuple[str, ...]]:
    """Tiles that play, as another kind: pads, flashes, faders, or choices. They keep
    what they play, their place, name, colour and times; a choice becomes one of each of
    its looks. Returns the show and the ids of the tiles that it is now.
    """
    made: list[str] = []
    for tile_id in ids:
        found = show.tile(tile_id)
        if found is None:
            continue
        page, tile = found
        if not isinstance(tile, PlayingTile):
            continue
        if isinstance(tile, PLAYED[way]):
            made.append(tile_id)
            continue

        show, own = _turned(show, page, tile, _pieces(show, tile, way))
        made += own
    return show, tuple(made)


def _pieces(show: Show, tile: PlayingTile, way: As) -> list[AnyTile]:
    """What a tile becomes as another kind: itself, or one of each look of a choice.
    Pads of these exclude each other, as the looks did.
    """
    kind = PLAYED[way]
    same = {name: getattr(tile, name) for name in PlayingTile.__struct_fields__}
    if not isinstance(tile, Choice) or len(tile.plays) < 2:
        return [kind(**same)]  # type: ignore[list-item]

    pieces: list[AnyTile] = []
    for part, name in zip(tile.plays, _names(show, tile), strict=True):
        one = kind(**{**same, "plays": (part,), "name": name})
        if isinstance(one, Pad):
            one = replace(one, choice=tile.name or tile.id, change=tile.change)
        pieces.append(one)  # type: ignore[arg-type]
    return pieces


def _turned(
    show: Show, page: Page, tile: PlayingTile, pieces: Sequence[AnyTile]
) -> tuple[Show, list[str]]:
    """A show in which pieces are in the place of a tile: the first is called as it was,
    so that what is tied to it stays so.
    """
    spot = pages.all_spots(page)[tile.id]
    section = pages.section_of(page, tile)
    first, *rest = pieces
    tiles = tuple(first if one.id == tile.id else one for one in page.tiles)
    show = edits.put(show, "pages", replace(page, tiles=tiles))
    if not rest:
        return show, [tile.id]

    ids = [tile.id]
    for one in rest:
        show, own = pages.add(show, page.id, replace(one, id=""), None, section)
        ids.append(own)
    where = laid_from(page, pieces, spot)
    show = pages.place(show, page.id, dict(zip(ids, where, strict=True)), section)
    return show, ids


def gathered(show: Show, page_id: str, ids: Sequence[str]) -> tuple[Show, str]:
    """Tiles that play, as one choice in the place of the first: what each of them plays
    first is one of its looks. Returns the show and the id of the choice; empty where
    there were not two.
    """
    page = show.pages[page_id]
    own = [t for i in ids for t in page.tiles if t.id == i and _has_looks(t)]
    if len(own) < 2:
        return show, ""

    plays = [part for tile in own for part in _looks(tile)]
    names = [name for tile in own for name in _names(show, tile)]
    first = own[0]
    spot = pages.all_spots(page)[first.id]
    strip = Choice(id="", plays=tuple(plays), names=tuple(names), colour=first.colour)

    # there before they go: what groups are given goes with its last tile
    section = pages.section_of(page, first)
    show, tile_id = pages.add(show, page_id, strip, None, section)
    show = edits.remove(show, *(tile.ref for tile in own))
    wide = replace(spot, w=min(page.columns, max(spot.w, len(plays))))
    show = pages.place(show, page_id, {tile_id: wide}, section)
    return show, tile_id


def _has_looks(tile: Tile) -> bool:
    return isinstance(tile, PlayingTile) and bool(tile.plays)


def _looks(tile: AnyTile) -> list[Part]:
    plays = tile.plays if isinstance(tile, PlayingTile) else ()
    return list(plays if isinstance(tile, Choice) else plays[:1])


def _names(show: Show, tile: AnyTile) -> list[str]:
    if isinstance(tile, Choice):
        return [*tile.names, *("" for _ in tile.plays[len(tile.names) :])]
    return [name_of(show, tile.ref)]


# with another group in its place


def groups_on(show: Show, tiles: Iterable[Tile]) -> list[Ref]:
    """Returns the groups that tiles reach, or give something, in their order."""
    found: dict[Ref, None] = {}
    for tile in tiles:
        own = givens.group_of_tile(show, tile)
        if own is not None:
            found[own] = None
        found |= dict.fromkeys(ref for ref in _reaches(show, tile) if ref.kind == GROUP)
    return [ref for ref in found if ref.id in show.groups]


def _reaches(show: Show, tile: Tile) -> tuple[Ref, ...]:
    if isinstance(tile, MasterTile):
        return tuple(getattr(show.masters.get(tile.drives.id), "over", ()))
    return tile.leads_to


def for_group(
    show: Show, tile: AnyTile, groups: Mapping[Ref, Ref]
) -> tuple[Show, AnyTile | None]:
    """The same tile with other groups in their places, and the show with what that
    needs. A palette that the other group cannot take is left out; None where nothing
    of the tile is left.
    """
    if isinstance(tile, PlayingTile):
        return _playing_for(show, tile, groups)
    if isinstance(tile, LampTile | Dial):
        return _reaching_for(show, tile, groups)
    if isinstance(tile, MasterTile):
        return _master_for(show, tile, groups)
    return show, tile


def _playing_for(
    show: Show, tile: PlayingTile, groups: Mapping[Ref, Ref]
) -> tuple[Show, AnyTile | None]:
    named = isinstance(tile, Choice) and bool(tile.names)
    plays, names = [], []
    for n, part in enumerate(tile.plays):
        show, ref = _given_for(show, part.ref, groups)
        if ref is None:
            continue
        plays.append(replace(part, ref=ref))
        if named and isinstance(tile, Choice):
            names.append(tile.names[n] if n < len(tile.names) else "")

    if tile.plays and not plays:
        return show, None
    fields: dict[str, object] = {
        "plays": tuple(plays),
        "name": _renamed(show, tile.name, groups),
    }
    if named:
        fields["names"] = tuple(names)
    if isinstance(tile, Pad):
        for old, new in groups.items():
            if tile.choice.startswith(f"{old} "):
                fields["choice"] = tile.choice.replace(str(old), str(new), 1)
    return show, replace(tile, **fields)  # type: ignore[return-value]


def _given_for(
    show: Show, ref: Ref, groups: Mapping[Ref, Ref]
) -> tuple[Show, Ref | None]:
    """What another group is given in the place of one; what is for nobody of these is
    the same.
    """
    given = givens.given_of(show, ref)
    other = None if given is None else groups.get(Ref(GROUP, given.group))
    if given is None or other is None:
        return show, ref
    return givens.again_for(show, given, other)


def _renamed(show: Show, name: str, groups: Mapping[Ref, Ref]) -> str:
    """A name with the other group's in the place of a group's."""
    for old, new in groups.items():
        called = name_of(show, old)
        if name == called or name.startswith(f"{called}:"):
            return name.replace(called, name_of(show, new), 1)
    return name


def _reaching_for(
    show: Show, tile: LampTile | Dial, groups: Mapping[Ref, Ref]
) -> tuple[Show, AnyTile | None]:
    of: list[Ref] = []
    for ref in tile.of:
        show, given = _given_for(show, groups.get(ref, ref), groups)
        if given is not None:
            of.append(given)
    if tile.of and not of:
        return show, None
    name = _renamed(show, tile.name, groups)
    return show, replace(tile, of=tuple(dict.fromkeys(of)), name=name)  # type: ignore[return-value]


def _master_for(
    show: Show, tile: MasterTile, groups: Mapping[Ref, Ref]
) -> tuple[Show, AnyTile]:
    over = _reaches(show, tile)
    if not any(ref in groups for ref in over):
        return show, tile
    others = tuple(groups.get(ref, ref) for ref in over)
    master = show.masters[tile.drives.id]
    names = [one.name for one in show.masters.values()]
    wanted = _renamed(show, master.name, groups)
    name = edits.fresh_name(wanted, names)
    own = edits.fresh_id(name, show.masters)
    made = replace(master, id=own, name=name, over=others)
    return edits.put(show, "masters", made), replace(tile, drives=made.ref)


def copy_section(
    show: Show, page_id: str, section: str, groups: Mapping[Ref, Ref]
) -> tuple[Show, str]:
    """A section once more at the end of its page, with other groups in their places.
    Returns the show and the new section's id.
    """
    page = show.pages[page_id]
    lie = pages.spots(page, section)
    own = [tile for tile in page.tiles if tile.id in lie]
    name = next((s.name for s in page.sections if s.id == section), tr("Section"))
    show, made = pages.add_section(show, page_id, _title(show, name, groups))

    where: dict[str, Spot] = {}
    for tile in own:
        show, copied = for_group(show, tile, groups)
        if copied is not None:
            fresh = replace(copied, id=f"{made} {tile.kind}")
            show, tile_id = pages.add(show, page_id, fresh, None, made)
            where[tile_id] = lie[tile.id]
    return pages.place(show, page_id, where, made), made


def _title(show: Show, name: str, groups: Mapping[Ref, Ref]) -> str:
    renamed = _renamed(show, name, groups)
    if renamed != name or len(groups) != 1:
        return renamed
    (other,) = groups.values()
    return name_of(show, other)


def copy_page_for(
    show: Show, page_id: str, groups: Mapping[Ref, Ref]
) -> tuple[Show, str]:
    """A page once more, with other groups in their places. Returns the show and the new
    page's id.
    """
    show, made = pages.copy_page(show, page_id)
    tiles: list[AnyTile] = []
    for tile in show.pages[made].tiles:
        show, copied = for_group(show, tile, groups)
        if copied is not None:
            tiles.append(copied)

    page = show.pages[made]
    sections = tuple(
        replace(one, name=_renamed(show, one.name, groups)) for one in page.sections
    )
    page = replace(page, tiles=tuple(tiles), sections=sections)
    return edits.put(show, "pages", page), made
