"""Places for many at once: in a line, on an arc, in a grid, evenly, mirrored; and
groups that suggest themselves.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from enum import StrEnum

import msgspec

from choreon.language import tr
from choreon.model.fixture_type import FixtureType
from choreon.model.numbers import Count, Number
from choreon.model.playables.canvas import Corner
from choreon.model.show import Bar, Fixture, Place, Room, Show

replace = msgspec.structs.replace
NEAR = 0.35  # metres from a bar within which a lamp hangs on it
MIDDLE = 0.25  # metres from the stage's middle within which a lamp is on neither side


def _round(place: Place, x: float, y: float) -> Place:
    return replace(place, x=round(x, 3), y=round(y, 3))


def in_line(
    places: Sequence[Place], start: tuple[float, float], end: tuple[float, float]
) -> list[Place]:
    """From one point to another, heights as they are."""
    last = max(1, len(places) - 1)
    found = []

    for i, p in enumerate(places):
        part = i / last if len(places) > 1 else 0.5
        found.append(
            _round(
                p,
                start[0] + part * (end[0] - start[0]),
                start[1] + part * (end[1] - start[1]),
            )
        )

    return found


def on_arc(
    places: Sequence[Place],
    middle: tuple[float, float],
    radius: float,
    begin: float,
    end: float,
) -> list[Place]:
    """On a circle about `middle`, from one angle to another; degrees, 0 to audience
    right, counter-clockwise.
    """
    last = max(1, len(places) - 1)
    found = []

    for i, p in enumerate(places):
        angle = math.radians(
            begin + (i / last if len(places) > 1 else 0.5) * (end - begin)
        )
        found.append(
            _round(
                p,
                middle[0] + radius * math.cos(angle),
                middle[1] + radius * math.sin(angle),
            )
        )

    return found


def in_grid(
    places: Sequence[Place],
    corner: tuple[float, float],
    columns: int,
    across: float,
    up: float,
) -> list[Place]:
    """Row by row from the corner that is nearest the audience on the left; steps in
    metres.
    """
    columns = max(1, columns)
    return [
        _round(p, corner[0] + across * (i % columns), corner[1] + up * (i // columns))
        for i, p in enumerate(places)
    ]


def evenly(places: Sequence[Place]) -> list[Place]:
    """The same distance from each to the next; the first and the last stay where they
    are.
    """
    if len(places) < 3:
        return list(places)
    first, last = places[0], places[-1]
    spread = in_line(places, (first.x, first.y), (last.x, last.y))
    rise = (last.z - first.z) / (len(places) - 1)
    return [replace(p, z=round(first.z + i * rise, 3)) for i, p in enumerate(spread)]


def mirrored(places: Sequence[Place]) -> list[Place]:
    """Over to the other side of the stage's middle."""
    return [replace(p, x=-p.x if p.x else 0.0) for p in places]


def bar_of(room: Room, place: Place) -> Bar | None:
    """The bar that a lamp at a place hangs on."""
    best, away = None, NEAR
    for bar in room.bars:
        d = _distance(bar, place)
        if d <= away and abs(bar.z - place.z) <= 0.6:
            best, away = bar, d
    return best


def _distance(bar: Bar, place: Place) -> float:
    """From the bar's line to the place, seen from above."""
    dx, dy = bar.x2 - bar.x1, bar.y2 - bar.y1
    length = dx * dx + dy * dy
    part = (
        0.0
        if length == 0
        else ((place.x - bar.x1) * dx + (place.y - bar.y1) * dy) / length
    )
    part = min(1.0, max(0.0, part))
    return math.hypot(place.x - bar.x1 - part * dx, place.y - bar.y1 - part * dy)


def along(bar: Bar, count: int) -> list[Place]:
    """Places evenly along a bar, half a step from its ends."""
    found = []
    for i in range(count):
        part = (i + 0.5) / count
        x, y = bar.x1 + part * (bar.x2 - bar.x1), bar.y1 + part * (bar.y2 - bar.y1)
        found.append(Place(round(x, 3), round(y, 3), bar.z))
    return found


class By(StrEnum):
    """What fixtures of a group have in common."""

    KIND = "kind"
    BAR = "bar"
    SIDE = "side"


Groups = list[tuple[str, tuple[str, ...]]]
"""Names of groups that suggest themselves, with their fixtures."""


def grouped(show: Show, by: By) -> Groups:
    """Returns groups of two or more fixtures that have something in common, each in
    order from audience left.
    """
    found: dict[str, list[str]] = {}
    for fixture in show.fixtures.values():
        name = _shared(show, fixture, by)
        if name:
            found.setdefault(name, []).append(fixture.id)

    def where(fixture_id: str) -> tuple[float, float, str]:
        place = show.fixtures[fixture_id].place
        return place.x, place.y, fixture_id

    return [
        (name, tuple(sorted(ids, key=where)))
        for name, ids in found.items()
        if len(ids) > 1
    ]


def _shared(show: Show, fixture: Fixture, by: By) -> str:
    """The name of what a fixture shares with others; empty for nothing."""
    if by == By.KIND:
        return _type_name(show.types, fixture)

    if by == By.BAR:
        bar = bar_of(show.room, fixture.place)
        return "" if bar is None else bar.name

    if abs(fixture.place.x) < MIDDLE:
        return ""
    return tr("Left side") if fixture.place.x < 0 else tr("Right side")


def suggested_groups(show: Show, *ways: By) -> Groups:
    """Groups of two or more, by kind and by bar where nothing else is said, that no
    group holds yet. What two ways find alike is there once.
    """
    known = {frozenset(group.fixtures) for group in show.groups.values()}
    made: Groups = []

    for by in ways or (By.KIND, By.BAR):
        for name, fixtures in grouped(show, by):
            if frozenset(fixtures) not in known:
                known.add(frozenset(fixtures))
                made.append((name, fixtures))

    return made


def _type_name(types: Mapping[str, FixtureType], fixture: Fixture) -> str:
    kind = types.get(fixture.type)
    return kind.name if kind else fixture.type


class Wall(msgspec.Struct, frozen=True):
    """Lamps hung as a panel: `columns` × `rows`, `pitch` metres apart, wired from a
    corner on. `snake`: every other run goes back; `by_columns`: it goes down, or up,
    before it goes on. `upright`: on a wall, else flat. `middle`: of its width, metres;
    `depth`: how far upstage its (front) edge is, `low` how high its lowest row.
    """

    columns: Count = 5
    rows: Count = 4
    pitch: Number = 0.25
    corner: Corner = Corner.LOWER_LEFT
    snake: bool = False
    by_columns: bool = False
    upright: bool = True
    middle: Number = 0.0
    depth: Number = 5.5
    low: Number = 0.5

    @property
    def count(self) -> int:
        """How many lamps it has."""
        return max(1, self.columns) * max(1, self.rows)


def wired(wall: Wall) -> list[tuple[int, int]]:
    """Returns column and row, from the lower left, of each lamp in the order in which
    they are wired.
    """
    columns, rows = max(1, wall.columns), max(1, wall.rows)
    from_right = wall.corner in (Corner.UPPER_RIGHT, Corner.LOWER_RIGHT)
    from_above = wall.corner in (Corner.UPPER_LEFT, Corner.UPPER_RIGHT)
    runs, length = (columns, rows) if wall.by_columns else (rows, columns)

    found = []
    for n in range(columns * rows):
        run, along = divmod(n, length)
        if wall.snake and run % 2:
            along = length - 1 - along
        column, row = (run, along) if wall.by_columns else (along, run)
        found.append(
            (
                columns - 1 - column if from_right else column,
                rows - 1 - row if from_above else row,
            )
        )
    assert len(found) == runs * length
    return found


def on_wall(wall: Wall) -> list[Place]:
    """Returns where the lamps of a panel hang, in the order in which they are wired."""
    left = wall.middle - wall.pitch * (max(1, wall.columns) - 1) / 2.0
    places = []
    for column, row in wired(wall):
        x, away = left + wall.pitch * column, wall.pitch * row
        y = wall.depth if wall.upright else wall.depth + away
        z = wall.low + away if wall.upright else wall.low
        places.append(Place(round(x, 3), round(y, 3), round(z, 3)))
    return places
