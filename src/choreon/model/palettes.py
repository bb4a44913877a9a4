"""Palettes and marks: kept, changed, deleted; what uses them follows, or gets the
values in their place.
"""

from __future__ import annotations

from collections.abc import Iterable

from choreon.language import capital, tr
from choreon.model import attributes as at
from choreon.model import edits, links
from choreon.model import effects as model_effects
from choreon.model.playables import AnyPlayable, kind_of
from choreon.model.refs import MARK, PALETTE, Ref, name_of
from choreon.model.show import Mark, Palette, Show
from choreon.model.values import Look, Value
from choreon.terms import term

FAMILIES = (at.Family.INTENSITY, at.Family.COLOUR, at.Family.POSITION, at.Family.BEAM)


def keep_palette(
    show: Show, name: str, family: str, look: Look, exact: bool = False
) -> tuple[Show, str]:
    """Store what a look has of one family; gives the show and the palette's id.

    What all its fixtures have alike is stored by meaning, for whatever fixture; the
    rest, or with `exact` all of it, for each by itself. Raises ValueError where the
    look has nothing of the family.
    """
    own = part(links.resolve(show, look), {family})
    if not own:
        raise ValueError(tr("there is nothing of {family} to keep", family=family))

    name = edits.fresh_name(
        name.strip() or capital(term(family)), (p.name for p in show.palettes.values())
    )

    values, each = ({}, own) if exact else by_meaning(own)
    palette = Palette(
        id=edits.fresh_id(name, show.palettes),
        name=name,
        family=family,
        values=values,
        each=each,
    )

    return edits.put(show, "palettes", palette), palette.id


def by_meaning(look: Look) -> tuple[dict[str, Value], Look]:
    """Returns what the fixtures have alike, and what remains for each. A target colour,
    or an aim, is alike as a whole or not at all.
    """
    names = {name for values in look.values() for name in values}
    single = names - {*at.TARGET_COLOUR, *links.AIMS}
    common: dict[str, Value] = {}

    for group in (at.TARGET_COLOUR, links.AIMS, *((n,) for n in sorted(single))):
        common |= _alike(look, group)

    each: Look = {}
    for fixture, values in look.items():
        rest = {name: value for name, value in values.items() if name not in common}
        if rest:
            each[fixture] = rest

    return common, each


def _alike(look: Look, group: tuple[str, ...]) -> dict[str, Value]:
    """The values of attributes that belong together, where all that have some of them
    have the same; else nothing.
    """
    had = {tuple(values.get(name) for name in group) for values in look.values()}
    had.discard((None,) * len(group))
    if len(had) != 1:
        return {}
    found = zip(group, had.pop(), strict=True)
    plain = {name: value for name, value in found if value is not None}
    return {} if _own(group, plain) else plain


WHEELS = ("Gobo(n)", "Color(n)", "AnimationWheel(n)")


def _own(group: tuple[str, ...], values: dict[str, Value]) -> bool:
    """Whether values mean something to one lamp only: plain angles, slots of a wheel
    but its first, raw values.
    """
    if group == links.AIMS:
        return not all(isinstance(v, str) for v in values.values())
    return any(
        n.startswith(at.RAW)
        or (at.template(n) in WHEELS and v != 0 and not isinstance(v, str))
        for n, v in values.items()
    )


def part(
    look: Look, families: Iterable[str], fixtures: Iterable[str] | None = None
) -> Look:
    """What a look has of some families, of all or some fixtures."""
    wanted = set(families)
    only = None if fixtures is None else set(fixtures)
    made = {
        i: {n: v for n, v in values.items() if at.attribute(n).family in wanted}
        for i, values in look.items()
        if only is None or i in only
    }
    return {i: values for i, values in made.items() if values}


def update_palette(show: Show, palette_id: str, look: Look) -> Show:
    """Lay what a look has of the palette's family over it. Everything that uses it
    follows.

    Where all the look's fixtures agree the value is for whatever fixture, and ends the
    exact ones of theirs.
    """
    palette = show.palettes[palette_id]
    own = part(links.resolve(show, look), {palette.family})
    common, each = by_meaning(own)
    kept = {
        i: {n: v for n, v in values.items() if n not in common}
        for i, values in palette.each.items()
    }
    ended = {**palette.values, **common}

    if at.RED in common:
        ended = {n: v for n, v in ended.items() if n in common or n not in at.MIXED}

    merged = edits.merge_looks({i: v for i, v in kept.items() if v}, each)
    changed = edits.replace(palette, values=ended, each=merged)
    show = edits.put(show, "palettes", changed)

    return edits.looks_changed(show, lambda look: _linked_wholly(show, look, changed))


def _linked_wholly(show: Show, look: Look, palette: Palette) -> Look:
    """The look with a link for every attribute that the palette has by now."""
    link = links.to_palette(palette.id)
    if not links.touches(look, link):
        return look

    made: Look = {}
    for fixture, values in look.items():
        own = values
        if any(v == link for v in values.values()):
            own = {
                **values,
                **{
                    n: link
                    for n in links.names_in(show, palette, fixture)
                    if n not in values
                },
            }

        made[fixture] = own

    return made


def users(show: Show, palette_id: str) -> list[AnyPlayable]:
    """Returns the playables that use a palette."""
    used = edits.used_by(show, Ref(PALETTE, palette_id))
    return [show.playables[r.id] for r in used if r.id in show.playables]


def aiming_at(show: Show, mark_id: str) -> list[str]:
    """Returns the names of what aims at a mark: playables and palettes."""
    used = edits.used_by(show, Ref(MARK, mark_id))
    return [name_of(show, r) for r in used]


def unlink(show: Show, ref: Ref, link: str) -> Show:
    """Give a playable its own values in the place of a link."""
    playable = show.playables[ref.id]
    kind = kind_of(playable)
    own = kind.with_looks(playable, lambda look: links.unlinked(show, look, link))
    own = kind.with_effects(
        own, lambda effects: model_effects.unlinked(show, effects, link)
    )
    own = kind.unlinked(own, show, link)
    return edits.put(show, "playables", own)


def move_palette(show: Show, palette_id: str, index: int) -> Show:
    """Give a palette another place, from 0, among those of its family; the other
    families stay where they are.
    """
    family = show.palettes[palette_id].family
    own = [
        i for i, p in show.palettes.items() if p.family == family and i != palette_id
    ]
    own.insert(index, palette_id)
    order = iter(own)
    ids = [next(order) if p.family == family else i for i, p in show.palettes.items()]
    return edits.replace(show, palettes={i: show.palettes[i] for i in ids})


def keep_mark(show: Show, name: str, x: float, y: float, z: float) -> tuple[Show, str]:
    """Store a mark; gives the show and its id."""
    name = edits.fresh_name(
        name.strip() or tr("Mark"), (m.name for m in show.marks.values())
    )
    mark = Mark(
        id=edits.fresh_id(name, show.marks),
        name=name,
        x=round(x, 3),
        y=round(y, 3),
        z=round(z, 3),
    )
    return edits.put(show, "marks", mark), mark.id


def sample(show: Show) -> Show:
    """A show with the sets that a new one comes with: colours, marks by the size of its
    room, beams.

    Left and right are those of the performers, facing the audience.
    """
    for name, rgb in COLOURS:
        look: Look = {"any": dict(zip(at.TARGET_COLOUR, rgb, strict=True))}
        show, _ = keep_palette(show, name, at.Family.COLOUR, look)

    across, deep = show.room.width / 4, show.room.depth
    for name, x, y in (
        (tr("Centre"), 0.0, 0.5),
        (tr("Down right"), -1.0, 0.2),
        (tr("Down left"), 1.0, 0.2),
        (tr("Up right"), -1.0, 0.8),
        (tr("Up left"), 1.0, 0.8),
    ):
        if name not in {m.name for m in show.marks.values()}:
            show, _ = keep_mark(show, name, x * across, y * deep, 0.0)

    for mark in show.marks.values():
        show, _ = keep_palette(
            show,
            mark.name,
            at.Family.POSITION,
            {"any": links.aim(links.to_mark(mark.id))},
        )

    for name, values in BEAMS:
        show, _ = keep_palette(show, name, at.Family.BEAM, {"any": dict(values)})

    return show


COLOURS: tuple[tuple[str, tuple[float, float, float]], ...] = (
    (tr("White"), (1.0, 1.0, 1.0)),
    (tr("Candle"), (1.0, 0.42, 0.08)),
    (tr("Straw"), (1.0, 0.75, 0.25)),
    (tr("Amber"), (1.0, 0.26, 0.0)),
    (tr("Red"), (1.0, 0.0, 0.0)),
    (tr("Rose"), (1.0, 0.12, 0.22)),
    (tr("Magenta"), (1.0, 0.0, 0.8)),
    (tr("Violet"), (0.35, 0.0, 1.0)),
    (tr("Blue"), (0.0, 0.0, 1.0)),
    (tr("Moon"), (0.30, 0.48, 1.0)),
    (tr("Teal"), (0.0, 0.62, 0.50)),
    (tr("Green"), (0.0, 1.0, 0.0)),
)
"""Linear light."""

BEAMS: tuple[tuple[str, dict[str, Value]], ...] = (
    (
        tr("Open"),
        {at.SHUTTER: 1.0, at.STROBE: 0.0, "Gobo1": 0.0, "Prism1": 0.0, "Frost1": 0.0},
    ),
    (tr("Tight"), {"Zoom": 8.0, "Frost1": 0.0}),
    (tr("Wide"), {"Zoom": 50.0}),
    (tr("Soft"), {"Frost1": 1.0, "Focus1": 0.5}),
    (tr("Slow strobe"), {at.SHUTTER: 1.0, at.STROBE: 3.0}),
)
