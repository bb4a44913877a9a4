"""Edits: pure functions from show to show. None of them changes what it is given."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TypeVar

import msgspec

from choreon.model import attributes as at
from choreon.model import links
from choreon.model.fixture_type import FixtureType
from choreon.model.patch import run_of
from choreon.model.show import (
    ControlMapping,
    Fixture,
    Group,
    Hanging,
    Look,
    Page,
    Place,
    Scene,
    Show,
    Tile,
    Value,
)

T = TypeVar("T")
replace = msgspec.structs.replace


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
    return next(
        f"{words} {i}" for i in range(2, len(used) + 3) if f"{words} {i}" not in used
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
    """Hang `count` fixtures of a type from `address` on; gives the show and the new
    fixtures' ids.

    `addresses`: universe and address of each, where they do not simply follow each
    other. `name`: a stem that numbers are put to, or a pattern in which `#` stands for
    them; numbers go on from the highest in use, or from `number`. Raises ValueError
    where the mode is unknown.
    """
    found = kind.mode(mode)
    if found is None:
        raise ValueError(f"{kind.label} has no mode “{mode}”")
    pattern = name.strip() or stem_for(show, kind)
    pattern = pattern if "#" in pattern else f"{pattern} #"
    stem = pattern.split("#")[0]
    first = number or next_number(show, pattern)
    short = (
        re.sub(r"[^a-z]", "", stem.lower().split()[0] if stem.split() else "") or "f"
    )
    shorts = {f.short for f in show.fixtures.values()}
    names = {f.name for f in show.fixtures.values()}
    ids = set(show.fixtures)
    serial = 1 + max((f.number for f in show.fixtures.values()), default=0)
    starts = list(addresses) or [
        (universe, start) for start, _ in run_of(count, found.footprint, address, gap)
    ]
    made: list[Fixture] = []
    for i, (own_universe, start) in enumerate(starts[:count]):
        counted = first + i
        tag = next(
            t
            for n in range(counted, counted + len(shorts) + count + 1)
            if (t := f"{short}{n}") not in shorts
        )
        called = fresh_name(pattern.replace("#", str(counted)), names)
        shorts.add(tag)
        names.add(called)
        made.append(
            Fixture(
                id=fresh_id(called, ids),
                name=called,
                short=tag,
                type=kind.id,
                mode=mode,
                universe=own_universe,
                address=start,
                place=places[i] if i < len(places) else Place(z=show.room.height),
                hanging=hanging or Hanging(),
                number=serial + i,
                pack=pack,
            )
        )
        ids.add(made[-1].id)
    show = put(show, "types", kind) if show.types.get(kind.id) is not kind else show
    return put(show, "fixtures", *made), tuple(f.id for f in made)


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


def rename(show: Show, ids: Sequence[str], pattern: str, first: int = 1) -> Show:
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


def stem_for(show: Show, kind: FixtureType) -> str:
    """What fixtures of a type are called here: as those of the type that hang already,
    else after the type.
    """
    like = [f.name for f in show.fixtures.values() if f.type == kind.id]
    return (
        re.sub(r"[\s\d]+$", "", like[-1] if like else kind.name)
        or kind.kind.capitalize()
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
    show: Show, name: str, look: Look, fade_in: float, fade_out: float, folder: str = ""
) -> tuple[Show, str]:
    """Store `look` as a new scene; gives the show and the scene's id."""
    name = fresh_name(name.strip() or "Scene", (s.name for s in show.scenes.values()))
    scene = Scene(
        id=fresh_id(name, show.scenes),
        name=name,
        look=look,
        fade_in=fade_in,
        fade_out=fade_out,
        folder=folder.strip(),
    )
    return put(show, "scenes", scene), scene.id


def change_scene(show: Show, scene_id: str, **fields: Any) -> Show:
    """Change fields of a scene."""
    return put(show, "scenes", replace(show.scenes[scene_id], **fields))


def duplicate_scene(show: Show, scene_id: str) -> tuple[Show, str]:
    """The same scene once more under another name; gives the show and its id."""
    scene = show.scenes[scene_id]
    name = fresh_name(scene.name, (s.name for s in show.scenes.values()))
    made = replace(scene, id=fresh_id(name, show.scenes), name=name)
    return put(show, "scenes", made), made.id


def merge_scenes(show: Show, lower: str, upper: str) -> tuple[Show, str]:
    """A new scene of both; where both have a value, that of `upper`. Gives the show and
    its id.
    """
    one, two = show.scenes[lower], show.scenes[upper]
    show, made = keep_scene(
        show,
        f"{one.name} + {two.name}",
        merge_looks(one.look, two.look),
        max(one.fade_in, two.fade_in),
        max(one.fade_out, two.fade_out),
        one.folder if one.folder == two.folder else "",
    )
    return change_scene(
        show,
        made,
        times={**one.times, **two.times},
        tags=tuple({**dict.fromkeys(one.tags), **dict.fromkeys(two.tags)}),
    ), made


def where_used(show: Show, scene_id: str) -> list[str]:
    """The pages that have a tile of a scene."""
    return [
        p.name for p in show.pages.values() if any(t.scene == scene_id for t in p.tiles)
    ]


def update_scene(show: Show, scene_id: str, look: Look) -> Show:
    """Lay `look` over what the scene holds. What changes single cells only ends the
    link that the rest had.
    """
    scene = show.scenes[scene_id]
    return put(
        show,
        "scenes",
        replace(scene, look=merge_looks(scene.look, filled(show, scene.look, look))),
    )


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
    colour from above ends the bare values that emitters, and the slots that colour
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
    if isinstance(below, tuple) and below:
        last = below[-1]
        under = [*below, *[last] * (len(above) - len(below))]
        return tuple(
            u if i >= len(above) or above[i] is None else above[i]
            for i, u in enumerate(under)
        )
    if isinstance(below, float | int):
        return tuple(below if v is None else v for v in above)
    return above


def keep_group(show: Show, name: str, fixtures: Sequence[str]) -> tuple[Show, str]:
    """Store fixtures as a group; gives the show and the group's id."""
    name = fresh_name(name.strip() or "Group", (g.name for g in show.groups.values()))
    group = Group(id=fresh_id(name, show.groups), name=name, fixtures=tuple(fixtures))
    return put(show, "groups", group), group.id


def add_page(show: Show, name: str) -> tuple[Show, str]:
    """A new, empty page; gives the show and the page's id."""
    name = fresh_name(name, (p.name for p in show.pages.values()))
    page = Page(id=fresh_id(name, show.pages), name=name)
    return put(show, "pages", page), page.id


def add_tile(
    show: Show, page_id: str, scene_id: str, kind: str = "pad", choice: str = ""
) -> tuple[Show, str]:
    """Put a scene on a page as a tile; gives the show and the tile's id."""
    taken = [tile.id for page in show.pages.values() for tile in page.tiles]
    tile_id = fresh_id(f"{scene_id} {kind}", taken)
    tile = msgspec.convert(
        {"id": tile_id, "kind": kind, "scene": scene_id, "choice": choice}, Tile
    )
    page = show.pages[page_id]
    return put(show, "pages", replace(page, tiles=(*page.tiles, tile))), tile.id


def change_tile(show: Show, tile_id: str, **fields: Any) -> Show:
    """Change fields of a tile; a show without the tile comes back as it was."""
    found = show.tile(tile_id)
    if found is None:
        return show
    page, _ = found
    tiles = tuple(replace(t, **fields) if t.id == tile_id else t for t in page.tiles)
    return put(show, "pages", replace(page, tiles=tiles))


def move_tile(show: Show, tile_id: str, index: int) -> Show:
    """Give a tile another position in its page's order."""
    found = show.tile(tile_id)
    if found is None:
        return show
    page, tile = found
    rest = [t for t in page.tiles if t.id != tile_id]
    rest.insert(max(0, min(index, len(rest))), tile)
    return put(show, "pages", replace(page, tiles=tuple(rest)))


def remove_tile(show: Show, tile_id: str) -> Show:
    """Take a tile off its page, and with it what controllers do to it."""
    found = show.tile(tile_id)
    if found is None:
        return show
    page, _ = found
    show = put(
        show,
        "pages",
        replace(page, tiles=tuple(t for t in page.tiles if t.id != tile_id)),
    )
    return unlearn(show, f"tile:{tile_id}")


def learn(
    show: Show, port: str, kind: str, channel: int, number: int, target: str
) -> Show:
    """Tie a control to a target. The control's, and the target's, earlier ties on that
    port are undone.
    """
    kept = {
        i: m
        for i, m in show.mappings.items()
        if m.control != (port, kind, channel, number)
        and not (m.target == target and m.port == port)
    }
    fields = {
        "port": port,
        "kind": kind,
        "channel": channel,
        "number": number,
        "target": target,
    }
    mapping_id = fresh_id(f"{kind} {channel} {number}", kept)
    mapping = msgspec.convert({"id": mapping_id, **fields}, ControlMapping)
    return replace(show, mappings={**kept, mapping.id: mapping})


def unlearn(show: Show, target: str) -> Show:
    """Untie every control from a target."""
    return drop(
        show, "mappings", [i for i, m in show.mappings.items() if m.target == target]
    )
