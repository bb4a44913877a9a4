"""Links: values that stand for something stored elsewhere, and what they come to.

`palette:ID` is what the palette holds for the attribute. On pan and tilt, `mark:ID` and
`point:X,Y,Z` (metres) are whatever turns the head there.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from choreon.model import attributes as at
from choreon.model.show import Palette, Show
from choreon.model.values import Look, Value

PALETTE, MARK, POINT = "palette:", "mark:", "point:"

AIMS = (at.PAN, at.TILT)


def to_palette(palette_id: str) -> str:
    """Returns a link to a palette."""
    return f"{PALETTE}{palette_id}"


def to_mark(mark_id: str) -> str:
    """Returns a link to a mark."""
    return f"{MARK}{mark_id}"


def to_point(point: Sequence[float]) -> str:
    """A link to a place in the room, to the millimetre."""
    return POINT + ",".join(f"{round(float(v), 3) + 0.0:g}" for v in point)


def aim(link: str) -> dict[str, Value]:
    """What sends a head to a mark or a point."""
    return dict.fromkeys(AIMS, link)


def point_of(show: Show, value: Value) -> tuple[float, float, float] | None:
    """Where a value of pan or tilt aims at; None for plain degrees, and where the mark
    is gone.
    """
    if not isinstance(value, str):
        return None

    if value.startswith(MARK):
        mark = show.marks.get(value.removeprefix(MARK))
        return (mark.x, mark.y, mark.z) if mark else None

    if value.startswith(POINT):
        try:
            x, y, z = (float(v) for v in value.removeprefix(POINT).split(","))
        except ValueError:
            return None

        return (x, y, z) if math.isfinite(x + y + z) else None

    return None


def held(show: Show, palette: Palette, fixture: str, name: str) -> Value | None:
    """What a palette holds for a fixture's attribute: exactly for it, for whatever
    fixture, or for one of its type.
    """
    own = palette.each.get(fixture, {}).get(name)
    if own is None:
        own = palette.values.get(name)

    if own is None and fixture in show.fixtures:
        kind = show.fixtures[fixture].type
        alike = [
            i
            for i in palette.each
            if i in show.fixtures and show.fixtures[i].type == kind
        ]

        own = next(
            (v for i in alike if (v := palette.each[i].get(name)) is not None), None
        )

    return own


def names_in(show: Show, palette: Palette, fixture: str) -> list[str]:
    """The attributes that a palette has something to say of to a fixture."""
    names = dict.fromkeys(
        [*palette.values, *(n for values in palette.each.values() for n in values)]
    )
    return [n for n in names if held(show, palette, fixture, n) is not None]


def resolved(show: Show, fixture: str, name: str, value: Value) -> Value | None:
    """The value with its palette looked up; None where the palette is gone or says
    nothing of the attribute.
    """
    if isinstance(value, str) and value.startswith(PALETTE):
        palette = show.palettes.get(value.removeprefix(PALETTE))
        found = held(show, palette, fixture, name) if palette else None
        return None if isinstance(found, str) and found.startswith(PALETTE) else found
    return value


def resolve(show: Show, look: Look) -> Look:
    """The look with all its palettes looked up; aims at marks and points stay what they
    are.
    """
    made: Look = {}
    for fixture, values in look.items():
        made[fixture] = {}
        for name, value in values.items():
            found = resolved(show, fixture, name, value)
            if found is not None:
                made[fixture][name] = found
    return made


def linked(look: Look) -> bool:
    """Whether anything in the look stands elsewhere."""
    return any(isinstance(v, str) for values in look.values() for v in values.values())


def links_in(look: Look) -> Iterator[str]:
    """Every link in a look, as often as it is there."""
    for values in look.values():
        for value in values.values():
            if isinstance(value, str):
                yield value


def touches(look: Look, link: str) -> bool:
    """Whether the look has that link."""
    return any(found == link for found in links_in(look))


def from_palette(
    show: Show, palette: Palette, fixtures: Sequence[str], takes: dict[str, set[str]]
) -> Look:
    """The look that gives fixtures what a palette holds, as links. `takes`: fixture →
    attributes that it has.
    """
    made: Look = {}
    for fixture in fixtures:
        names = names_in(show, palette, fixture)
        own: dict[str, Value] = {
            n: to_palette(palette.id) for n in names if n in takes.get(fixture, ())
        }
        if own:
            made[fixture] = own

    return made


def unlinked(show: Show, look: Look, link: str) -> Look:
    """The look with one link replaced by what it comes to now; a palette's by its
    values, a mark's by its point.
    """
    if not touches(look, link):
        return look
    return {i: _values(show, i, values, link) for i, values in look.items()}


def _values(
    show: Show, fixture: str, values: dict[str, Value], link: str
) -> dict[str, Value]:
    made: dict[str, Value] = {}
    for name, value in values.items():
        if value != link:
            made[name] = value
        elif link.startswith(MARK):
            point = point_of(show, link)
            if point is not None:
                made[name] = to_point(point)
        elif (found := resolved(show, fixture, name, value)) is not None:
            made[name] = found
    return made
