"""Edits: pure functions from show to show. None of them changes what it is given."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Container, Iterable, Mapping, Sequence, Set
from typing import Any, NamedTuple, TypeVar

import msgspec

from choreon.language import capital, tr
from choreon.model import attributes as at
from choreon.model import effects as model_effects
from choreon.model import inputs, links
from choreon.model.fixture_type import FixtureType
from choreon.model.inputs import AnyInput, Control
from choreon.model.motion import Effects
from choreon.model.patch import run_of
from choreon.model.playables import AnyPlayable, Scene, kind_of
from choreon.model.refs import (
    COLLECTION_OF,
    FIXTURE,
    GROUP,
    IMAGE,
    MARK,
    PAGE,
    PALETTE,
    TILE,
    Ref,
    find,
)
from choreon.model.show import Fixture, Group, Hanging, Palette, Picture, Place, Show
from choreon.model.tiles import PLAYING, AnyTile, Pad, Page, parts
from choreon.model.values import Look, Value
from choreon.terms import term

T = TypeVar("T")
replace = msgspec.structs.replace


def picture_of(show: Show, name: str, data: bytes) -> Picture:
    """A picture for a show, under an id that is free."""
    stem = name.rpartition(".")[0] or name
    return Picture(id=fresh_id(stem, show.pictures), name=name, data=data)


def fresh_id(words: str, taken: Iterable[str]) -> str:
    """An id made of `words` that is not among `taken`: `Par 7` → `par-7`, then
    `par-7-2` …
    """
    stem = re.sub(r"[^a-z0-9]+", "-", words.lower()).strip("-") or "item"
    used = taken if isinstance(taken, set | dict) else set(taken)
    if stem not in used:
        return stem
    return next(
        f"{stem}-{i}" for i in range(2, len(used) + 3) if f"{stem}-{i}" not in used
    )


def fresh_name(words: str, taken: Iterable[str]) -> str:
    """A name made of `words` that is not among `taken`: `Blue`, `Blue 2` …"""
    used = taken if isinstance(taken, set | dict) else set(taken)
    if words not in used:
        return words
    return _numbered(words, used)


def free_name(name: str, others: Iterable[str]) -> str:
    """Returns a name as it was typed, or, where another thing has it, with the next
    free number: the one rule for renaming.
    """
    used = set(others)
    if name not in used:
        return name
    parts = re.fullmatch(r"(.+) (\d{1,9})", name)
    if parts is None:
        return _numbered(name, used)
    return _numbered(parts[1], used, int(parts[2]) + 1)


def _numbered(words: str, used: Container[str], first: int = 2) -> str:
    return next(
        f"{words} {i}" for i in itertools.count(first) if f"{words} {i}" not in used
    )


def put(show: Show, collection: str, *items: Any) -> Show:
    """The show with `items` added to, or replaced in, one of its collections."""
    return replace(
        show,
        **{
            collection: {
                **getattr(show, collection),
                **{item.id: item for item in items},
            }
        },
    )


def drop(show: Show, collection: str, ids: Iterable[str]) -> Show:
    """The show without the objects called `ids`."""
    gone = set(ids)
    return replace(
        show,
        **{
            collection: {
                k: v for k, v in getattr(show, collection).items() if k not in gone
            }
        },
    )


def hang(
    show: Show,
    kind: FixtureType,
    mode: str,
    count: int,
    universe: int,
    address: int,
    *,
    name: str = "",
    gap: int = 0,
    number: int = 0,
    addresses: Sequence[tuple[int, int]] = (),
    places: Sequence[Place] = (),
    hanging: Hanging | None = None,
    pack: str = "",
) -> tuple[Show, tuple[str, ...]]:
    """Hang `count` fixtures of a type from `address` on; returns the show and the new
    fixtures' ids.

    `addresses`: universe and address of each, where they do not simply follow each
    other. `name`: a stem that numbers are put to, or a pattern in which `#` stands for
    them; numbers go on from the highest in use, or from `number`. Raises ValueError
    where the mode is unknown.
    """
    found = kind.mode(mode)
    if found is None:
        raise ValueError(
            tr("{label} has no mode “{mode}”", label=kind.label, mode=mode)
        )

    run = run_of(count, found.footprint, address, gap)
    starts = list(addresses) or [(universe, start) for start, _ in run]
    labels = _labels(show, name.strip() or stem_for(show, kind), count, number)
    serial = 1 + max((f.number for f in show.fixtures.values()), default=0)
    made = [
        Fixture(
            id=label.id,
            name=label.name,
            short=label.short,
            type=kind.id,
            mode=mode,
            universe=own_universe,
            address=start,
            place=places[n] if n < len(places) else Place(z=show.room.height),
            hanging=hanging or Hanging(),
            number=serial + n,
            pack=pack,
        )
        for n, (label, (own_universe, start)) in enumerate(
            zip(labels, starts, strict=False)
        )
    ]

    if show.types.get(kind.id) is not kind:
        show = put(show, "types", kind)

    return put(show, "fixtures", *made), tuple(fixture.id for fixture in made)


class _Label(NamedTuple):
    """What a new fixture is called."""

    id: str
    name: str
    short: str


def _labels(show: Show, pattern: str, count: int, number: int) -> list[_Label]:
    """Names for so many new fixtures, none of them in use: of a pattern in which `#`
    stands for the number, or of a stem; from `number`, or from the next one, on.
    """
    if "#" not in pattern:
        pattern = f"{pattern} #"

    words = pattern.split("#")[0].lower().split()
    short = re.sub(r"[^a-z]", "", words[0]) if words else ""
    names = {fixture.name for fixture in show.fixtures.values()}
    shorts = {fixture.short for fixture in show.fixtures.values()}
    ids = set(show.fixtures)

    first = number or next_number(show, pattern)
    labels = []

    for counted in range(first, first + count):
        called = fresh_name(pattern.replace("#", str(counted)), names)
        label = _Label(
            fresh_id(called, ids), called, _fresh_short(short or "f", counted, shorts)
        )
        names.add(label.name)
        shorts.add(label.short)
        ids.add(label.id)

        labels.append(label)

    return labels


def _fresh_short(stem: str, number: int, taken: Set[str]) -> str:
    """The first short name from a number on that is not taken."""
    while f"{stem}{number}" in taken:
        number += 1
    return f"{stem}{number}"


def next_number(show: Show, pattern: str) -> int:
    """The number after the highest that fixtures named after a pattern have; `Par`
    means `Par #`.
    """
    pattern = pattern if "#" in pattern else f"{pattern} #"
    wanted = re.escape(pattern).replace(r"\#", r"(\d+)")
    numbers = [
        int(m.group(1))
        for f in show.fixtures.values()
        if (m := re.fullmatch(wanted, f.name))
    ]
    return 1 + max(numbers, default=0)


def renumber(show: Show, ids: Sequence[str], first: int) -> Show:
    """Number fixtures in the order given."""
    return change_fixtures(show, {i: {"number": first + n} for n, i in enumerate(ids)})


def rename_fixtures(
    show: Show, ids: Sequence[str], pattern: str, first: int = 1
) -> Show:
    """Name fixtures in the order given after a pattern in which `#` stands for the
    number; names in use get another.
    """
    pattern = pattern if "#" in pattern or len(ids) == 1 else f"{pattern} #"
    names = {f.name for i, f in show.fixtures.items() if i not in ids}
    changes = {}

    for n, i in enumerate(ids):
        called = fresh_name(
            pattern.replace("#", str(first + n)).strip() or show.fixtures[i].name, names
        )
        names.add(called)
        changes[i] = {"name": called}

    return change_fixtures(show, changes)


def name_for(show: Show, fixture_id: str, field: str, wanted: str) -> str:
    """Returns the name, or the short one, that a fixture gets when that is wanted: one
    that another fixture has gets the next free number.
    """
    others = {getattr(f, field) for i, f in show.fixtures.items() if i != fixture_id}
    if field != "short":
        return free_name(wanted, others)
    if wanted not in others:
        return wanted
    return _fresh_short(wanted.rstrip("0123456789") or "f", 2, others)


def stem_for(show: Show, kind: FixtureType) -> str:
    """What fixtures of a type are called here: as those of the type that hang already,
    else after the type.
    """
    like = [f.name for f in show.fixtures.values() if f.type == kind.id]
    return re.sub(r"[\s\d]+$", "", like[-1] if like else kind.name) or capital(
        term(kind.kind)
    )


def change_fixtures(show: Show, changes: Mapping[str, Mapping[str, Any]]) -> Show:
    """Change fields of fixtures: id → field → new value."""
    changed = [
        replace(show.fixtures[i], **fields)
        for i, fields in changes.items()
        if i in show.fixtures
    ]
    return put(show, "fixtures", *changed)


def take_down(show: Show, ids: Iterable[str]) -> Show:
    """Take fixtures down. Scenes and groups keep naming them, so that undo, or hanging
    them again, restores all.
    """
    return drop(show, "fixtures", ids)


def keep_scene(
    show: Show,
    name: str,
    look: Look,
    fade_in: float,
    fade_out: float,
    folder: str = "",
    effects: Effects = (),
) -> tuple[Show, Ref]:
    """Store `look`, and effects, as a new scene; returns the show and the scene's
    ref.
    """
    name = fresh_name(name.strip() or tr("Scene"), names_in(show, "playables"))
    scene = Scene(
        id=fresh_id(name, show.playables),
        name=name,
        look=look,
        effects=effects,
        fade_in=fade_in,
        fade_out=fade_out,
        folder=folder.strip(),
    )

    return put(show, "playables", scene), scene.ref


def merge_scenes(show: Show, lower: Ref, upper: Ref) -> tuple[Show, Ref]:
    """A new scene of both; where both have a value, that of `upper`. Returns the show
    and its ref.
    """
    below, above = show.playables[lower.id], show.playables[upper.id]
    assert isinstance(below, Scene)
    assert isinstance(above, Scene)
    show, made = keep_scene(
        show,
        f"{below.name} + {above.name}",
        merge_looks(below.look, above.look),
        max(below.fade_in, above.fade_in),
        max(below.fade_out, above.fade_out),
        below.folder if below.folder == above.folder else "",
        model_effects.beside(below.effects, above.effects),
    )

    tags = tuple(dict.fromkeys([*below.tags, *above.tags]))
    times = {**below.times, **above.times}
    return change(show, made, times=times, tags=tags), made


def update_scene(
    show: Show, ref: Ref, look: Look, effects: Effects = (), whole: bool = False
) -> Show:
    """Lay `look` over what the scene holds. What changes single cells only ends the
    link that the rest had. `whole`: the effects are all that it has then; else they
    come beside those that it has.
    """
    scene = show.playables[ref.id]
    assert isinstance(scene, Scene)
    merged = merge_looks(scene.look, filled(show, scene.look, look))
    own = effects if whole else model_effects.beside(scene.effects, effects)
    return change(show, ref, look=merged, effects=own)


def looks_changed(show: Show, make: Callable[[Look], Look]) -> Show:
    """Returns the show with every look that is stored in a playable put through `make`;
    what `make` returns as it was stays the same object.
    """
    changed = []
    for playable in show.playables.values():
        after = kind_of(playable).with_looks(playable, make)
        if after is not playable:
            changed.append(after)
    return put(show, "playables", *changed) if changed else show


def filled(show: Show, below: Look, above: Look) -> Look:
    """`above`, where it gives single cells over a link in `below`, with what the link
    comes to in the other cells.
    """
    made = dict(above)
    for fixture, values in above.items():
        for name, value in values.items():
            held = below.get(fixture, {}).get(name)
            if isinstance(held, str) and isinstance(value, tuple) and None in value:
                plain = links.resolved(show, fixture, name, held)
                made[fixture] = {**made[fixture], name: _over(plain, value)}
    return made


def merge_looks(below: Look, above: Look) -> Look:
    """Both looks; where both have a value, the one from `above`, cell by cell. A target
    colour from above ends the raw values that emitters, and the slots that colour
    wheels, had below: both say the colour.
    """
    merged = dict(below)
    for fixture, values in above.items():
        held = merged.get(fixture, {})
        if at.RED in values:
            held = {
                n: v
                for n, v in held.items()
                if n not in at.MIXED and at.template(n) != "Color(n)"
            }

        merged[fixture] = {
            **held,
            **{n: _over(held.get(n), value) for n, value in values.items()},
        }

    return merged


def _over(below: Value | None, above: Value) -> Value:
    """A value over another; cells that it leaves out keep what they had."""
    if not isinstance(above, tuple) or None not in above:
        return above
    if isinstance(below, float | int):
        return tuple(below if v is None else v for v in above)
    if not isinstance(below, tuple) or not below:
        return above
    under = [*below, *[below[-1]] * (len(above) - len(below))]
    over = [*above, *[None] * (len(under) - len(above))]
    return tuple(
        low if high is None else high for low, high in zip(under, over, strict=True)
    )


def names_in(show: Show, collection: str) -> list[str]:
    """Returns the names in use in a collection."""
    return [thing.name for thing in getattr(show, collection).values()]


def collection_of(ref: Ref) -> str:
    """Returns the collection that holds what a ref points at. Raises ValueError for a
    tile, which lies on a page.
    """
    if ref.kind == TILE:
        raise ValueError(tr("tiles lie on pages"))
    return COLLECTION_OF.get(ref.kind, "playables")


def change(show: Show, ref: Ref, **fields: Any) -> Show:
    """Change fields of whatever a ref points at; a show without it comes back as it
    was.
    """
    if ref.kind == TILE:
        return _change_tile(show, ref.id, fields)
    collection = collection_of(ref)
    thing = getattr(show, collection).get(ref.id)
    return show if thing is None else put(show, collection, replace(thing, **fields))


def rename(show: Show, ref: Ref, name: str) -> Show:
    """Give a thing another name; one that is in use gets a number."""
    name = name.strip()
    thing = find(show, ref)
    if thing is None or not name or name == thing.name:
        return show
    if ref.kind != TILE:
        things = getattr(show, collection_of(ref))
        name = free_name(name, (t.name for i, t in things.items() if i != ref.id))
    return change(show, ref, name=name)


def duplicate(show: Show, ref: Ref) -> tuple[Show, Ref]:
    """The same thing once more under another name, behind the others; returns the show
    and the ref to it.
    """
    collection = collection_of(ref)
    things = getattr(show, collection)
    thing = things[ref.id]
    name = fresh_name(thing.name, names_in(show, collection))
    made = replace(thing, id=fresh_id(name, things), name=name)
    return put(show, collection, made), Ref(ref.kind, made.id)


def move(show: Show, ref: Ref, index: int) -> Show:
    """Give a thing another position, from 0, in the order of its collection; a tile in
    that of its page.
    """
    if ref.kind == TILE:
        return _move_tile(show, ref.id, index)
    collection = collection_of(ref)
    things = getattr(show, collection)
    if ref.id not in things:
        return show
    order = [i for i in things if i != ref.id]
    order.insert(max(0, min(index, len(order))), ref.id)
    return replace(show, **{collection: {i: things[i] for i in order}})


def remove(show: Show, *refs: Ref) -> Show:
    """Take things out of the show. What used a palette keeps its values, what aimed at
    a mark aims at the place where it was, lamps that had times of their own as a group
    keep them, what controllers did to a thing is forgotten.
    """
    for ref in refs:
        if find(show, ref) is None:
            continue

        if ref.kind in (PALETTE, MARK, GROUP):
            show = unlink_everywhere(show, str(ref))

        if ref.kind == GROUP:
            show = _spelled_out(show, ref)

        show = unlearn(show, ref)
        if ref.kind == TILE:
            show = _without_tile(show, ref.id)
        else:
            show = drop(show, collection_of(ref), [ref.id])

    if any(ref.kind in (TILE, PAGE) for ref in refs):
        from choreon.model import givens  # it edits by this

        show = givens.tidied(show)

    return show


def _spelled_out(show: Show, group: Ref) -> Show:
    """Lamps that had times of their own as a group keep them, each by itself."""
    fixtures = tuple(Ref(FIXTURE, i) for i in show.groups[group.id].fixtures)
    changed = []
    for playable in show.playables.values():
        after = kind_of(playable).spelled_out(playable, group, fixtures)
        if after is not playable:
            changed.append(after)
    return put(show, "playables", *changed) if changed else show


def used_by(show: Show, ref: Ref) -> list[Ref]:
    """Returns what uses a thing: tiles that play it, playables that start it or have a
    link to it or times for it, palettes with a link to it, groups it is in, inputs that
    act on it. Effects count as part of what has them.
    """
    tiles = (tile for page in show.pages.values() for tile in page.tiles)
    users = [tile.ref for tile in tiles if ref in tile.leads_to]
    users += [p.ref for p in show.playables.values() if _uses(p, ref)]
    users += _linked_to(show, ref)
    return users + [Ref("input", i.id) for i in show.inputs.values() if i.target == ref]


def _linked_to(show: Show, ref: Ref) -> list[Ref]:
    """The palettes with a link to a thing, or the groups that it is in."""
    if ref.kind in (PALETTE, MARK):
        linked = [p for p in show.palettes.values() if _links_to(p, str(ref))]
        return [Ref(PALETTE, palette.id) for palette in linked]
    if ref.kind == FIXTURE:
        groups = [g for g in show.groups.values() if ref.id in g.fixtures]
        return [Ref(GROUP, group.id) for group in groups]
    return []


def _uses(playable: AnyPlayable, ref: Ref) -> bool:
    """Whether a playable plays a thing, links to it, or gives it values."""
    kind = kind_of(playable)
    looks, effects = kind.looks(playable), kind.effects(playable)
    if ref in kind.times_of(playable):
        return True
    if ref.kind in (PALETTE, MARK, GROUP):
        linked = any(links.touches(look, str(ref)) for look in looks)
        linked = linked or str(ref) in kind.links(playable)
        return linked or str(ref) in model_effects.links_in(effects)
    if ref.kind == IMAGE:
        return str(ref) in kind.links(playable)
    if ref.kind == FIXTURE:
        in_looks = any(ref.id in look for look in looks)
        return in_looks or any(ref.id in effect.fixtures for effect in effects)
    return ref in kind.plays(playable)


def _links_to(palette: Palette, link: str) -> bool:
    if palette.motion is not None and link in model_effects.links_in_motion(
        palette.motion
    ):
        return True
    return link in palette.values.values() or links.touches(palette.each, link)


def where_used(show: Show, ref: Ref) -> list[str]:
    """Returns the names of the pages that have a tile of a playable."""
    return [
        page.name
        for page in show.pages.values()
        if any(ref in tile.leads_to for tile in page.tiles)
    ]


def unlink_everywhere(show: Show, link: str) -> Show:
    """Give all that has a link what it comes to now, in its place."""
    changed = looks_changed(show, lambda look: links.unlinked(show, look, link))
    changed = model_effects.effects_changed(
        changed, lambda effects: model_effects.unlinked(show, effects, link)
    )
    for playable in show.playables.values():
        loose_one = kind_of(playable).unlinked(playable, show, link)
        if loose_one is not playable:
            changed = put(changed, "playables", loose_one)

    for palette in show.palettes.values():
        after = _palette_unlinked(show, palette, link)
        if after is not palette:
            changed = put(changed, "palettes", after)
    return changed


def _palette_unlinked(show: Show, palette: Palette, link: str) -> Palette:
    loose = {"any": palette.values}
    values = links.unlinked(show, loose, link)["any"]
    each = links.unlinked(show, palette.each, link)
    motion = palette.motion
    if motion is not None:
        motion = model_effects.motion_unlinked(show, motion, link)
    same = values is palette.values and each is palette.each
    if same and motion is palette.motion:
        return palette
    return replace(palette, values=values, each=each, motion=motion)


def keep_group(show: Show, name: str, fixtures: Sequence[str]) -> tuple[Show, str]:
    """Store fixtures as a group; gives the show and the group's id."""
    name = fresh_name(name.strip() or tr("Group"), names_in(show, "groups"))
    group = Group(id=fresh_id(name, show.groups), name=name, fixtures=tuple(fixtures))
    return put(show, "groups", group), group.id


def add_page(show: Show, name: str) -> tuple[Show, str]:
    """A new, empty page; gives the show and the page's id."""
    name = fresh_name(name, names_in(show, "pages"))
    page = Page(id=fresh_id(name, show.pages), name=name)
    return put(show, "pages", page), page.id


def add_tile(
    show: Show, page_id: str, plays: Ref, kind: str = Pad.kind, choice: str = ""
) -> tuple[Show, str]:
    """Put something on a page as a tile of a kind; gives the show and the tile's id."""
    taken = [tile.id for page in show.pages.values() for tile in page.tiles]
    tile_id = fresh_id(f"{plays.id} {kind}", taken)
    tile = PLAYING[kind](id=tile_id, plays=parts(plays))
    if isinstance(tile, Pad):
        tile = replace(tile, choice=choice)
    page = show.pages[page_id]
    return put(show, "pages", replace(page, tiles=(*page.tiles, tile))), tile.id


def _with_tiles(show: Show, page: Page, tiles: Iterable[AnyTile]) -> Show:
    return put(show, "pages", replace(page, tiles=tuple(tiles)))


def _change_tile(show: Show, tile_id: str, fields: dict[str, Any]) -> Show:
    found = show.tile(tile_id)
    if found is None:
        return show
    page, _ = found
    changed = [replace(t, **fields) if t.id == tile_id else t for t in page.tiles]
    return _with_tiles(show, page, changed)


def _move_tile(show: Show, tile_id: str, index: int) -> Show:
    found = show.tile(tile_id)
    if found is None:
        return show
    page, tile = found
    rest = [t for t in page.tiles if t.id != tile_id]
    rest.insert(max(0, min(index, len(rest))), tile)
    return _with_tiles(show, page, rest)


def _without_tile(show: Show, tile_id: str) -> Show:
    found = show.tile(tile_id)
    if found is None:
        return show
    page, _ = found
    return _with_tiles(show, page, [t for t in page.tiles if t.id != tile_id])


def learn(show: Show, control: Control, target: Ref, **how: Any) -> Show:
    """Tie a control to a target. The control's, and the target's, earlier ties on that
    device are undone, as far as they hold on the same page and in the same layer.
    `how`: fields of the tie. Raises ValueError where no such control can be.
    """
    made = replace(inputs.tied("", target, control), **how)
    kept = {i: tie for i, tie in show.inputs.items() if not _in_its_place(tie, made)}
    named = replace(made, id=fresh_id(control.name, kept))
    return replace(show, inputs={**kept, named.id: named})


def _in_its_place(known: AnyInput, made: AnyInput) -> bool:
    """Whether a tie gives way to another."""
    if (known.page, known.shift) != (made.page, made.shift):
        return False
    if known.control == made.control:
        return True
    same_device = known.control[:2] == made.control[:2]
    return same_device and (known.target, known.does) == (made.target, made.does)


def unlearn(show: Show, target: Ref) -> Show:
    """Untie every control from a target."""
    tied = [i for i, known in show.inputs.items() if known.target == target]
    return drop(show, "inputs", tied) if tied else show
