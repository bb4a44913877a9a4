"""Compiling looks: a scene's or a draft's values become rows and numbers of the
compiled rig.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from choreon.model import attributes as at
from choreon.model import links
from choreon.model.show import Look, Show, Value
from choreon.render import aim
from choreon.render.colour import to_oklab
from choreon.render.heads import Trail
from choreon.render.rig import Floats, Ints, Rig

Flags = npt.NDArray[np.bool_]


NO_CHANNELS: Ints = np.zeros(0, np.int64)


@dataclass(frozen=True)
class Bare:
    """Raw values of channels (n), past all meaning."""

    channel: Ints
    raw: Floats

    def __len__(self) -> int:
        return len(self.channel)


NO_BARE = Bare(NO_CHANNELS, np.zeros(0))


@dataclass(frozen=True)
class Compiled:
    """A look on a rig. `intensity` is dense (I + 1: the last stands for “always lit”
    and is 0), `held` says which intensities it gives. Other rows are sparse; `shown`
    says for each whether this look also lights it. `bare` holds values that go straight
    to channels, `freed` the channels whose bare value its target colours end. `heads`
    are those it turns, `points` (n, 3) where in the room to, NaN for plain angles, None
    where all are.
    """

    intensity: Floats
    held: Flags
    rows: Ints
    values: Floats
    snap: Flags
    light: Ints
    shown: Flags
    all_shown: bool
    any_snap: bool
    bare: Bare = field(default_factory=lambda: NO_BARE)
    freed: Ints = field(default_factory=lambda: NO_CHANNELS)
    linked: bool = False  # it follows palettes or marks
    heads: Ints = field(default_factory=lambda: NO_CHANNELS)
    turned: Ints = field(
        default_factory=lambda: np.zeros((0, 2), np.int64)
    )  # n, 2: where in `rows` they are
    points: Floats | None = None


def plain_values(
    rig: Rig, fixture: str, wanted: dict[str, Value], show: Show | None
) -> dict[str, Value]:
    """A fixture's values with every link looked up in `show`: a head turns to its mark,
    a wheel stands on the slot nearest to a target colour. What a link no longer leads
    to is left out.
    """
    made: dict[str, Value] = {}
    for name, value in wanted.items():
        found = (
            links.resolved(show, fixture, name, value) if show is not None else value
        )
        if found is not None:
            made[name] = found
    aims = {n: v for n, v in made.items() if isinstance(v, str)}
    for name, value in aims.items():
        del made[name]
        point = (
            links.point_of(show, value)
            if show is not None and name in links.AIMS
            else None
        )
        if point is not None and fixture in rig.turns:
            made[name] = aimed(rig, fixture, point)[links.AIMS.index(name)]
    wheel = rig.wheels.get(fixture)
    if wheel is not None and at.RED in made and wheel.attribute not in made:
        rgb = [_first(made.get(n, 0.0)) for n in at.TARGET_COLOUR]
        made[wheel.attribute] = float(wheel.nearest(rgb))
    return made


def aimed(
    rig: Rig,
    fixture: str,
    point: Sequence[float],
    now: tuple[float, float] | None = None,
) -> tuple[float, float, float]:
    """Pan and tilt (degrees) that turn a head to a point (metres), and by how many
    degrees it misses.

    Of several ways the one nearest to `now` is taken, else to home.
    """
    place = rig.fixtures[fixture].place
    way = np.asarray(point, float) - (place.x, place.y, place.z)
    rows = [rig.where[fixture][n][0][1] for n in links.AIMS]
    home = now or (float(rig.home[rows[0]]), float(rig.home[rows[1]]))
    return aim.solve(
        rig.turns[fixture],
        way,
        rig.span(fixture, at.PAN),
        rig.span(fixture, at.TILT),
        home,
    )


def aims(
    rig: Rig, show: Show, fixtures: Iterable[str], link: str
) -> tuple[Look, list[str]]:
    """What sends those of the fixtures that are heads to a point or a mark, and who
    cannot get there; nothing where the link leads nowhere.
    """
    point = links.point_of(show, link)
    heads = [i for i in fixtures if i in rig.turns] if point is not None else []
    return {i: links.aim(link) for i in heads}, [
        i for i in heads if point and aimed(rig, i, point)[2] > MISSES
    ]


MISSES = 0.5  # degrees


def _first(value: Value) -> float:
    one = (
        next((v for v in value if v is not None), 0.0)
        if isinstance(value, tuple)
        else value
    )
    return float(one) if isinstance(one, float | int) else 0.0


def compile_look(rig: Rig, look: Look, show: Show | None = None) -> Compiled:
    """Compile a look, its links looked up in `show`; fixtures and attributes that the
    rig does not have are passed over, values are clipped.
    """
    values: dict[int, float] = {}
    bare: dict[int, float] = {}
    linked = False
    points: dict[int, tuple[float, float, float]] = {}
    for fixture, wanted in look.items():
        has = rig.where.get(fixture)
        direct = rig.direct.get(fixture)
        texts = any(isinstance(v, str) for v in wanted.values())
        linked = linked or texts
        if (
            texts
            and show is not None
            and (point := _point(show, fixture, wanted))
            and fixture in rig.heads.of
        ):
            points[rig.heads.of[fixture]] = point
        if texts or (fixture in rig.wheels and at.RED in wanted):
            wanted = plain_values(rig, fixture, wanted, show)
        for name, value in wanted.items():
            if isinstance(value, str):
                continue
            if has and name in has:
                values.update(_rows(rig, has[name], value))
            elif direct and name in direct:
                bare.update(_bare(direct[name], value))
    intensity = np.zeros(rig.intensities + 1)
    held = np.zeros(rig.intensities + 1, bool)
    for row in [r for r in values if r < rig.intensities]:
        intensity[row] = values.pop(row)
        held[row] = True
    coloured = _colours(rig, values)
    rows = np.array(sorted(values), np.int64)
    dense = None
    if points:
        dense = np.full((len(rig.heads), 3), np.nan)
        dense[list(points)] = list(points.values())
    made = look_of(
        rig, intensity, held, rows, np.array([values[int(r)] for r in rows]), dense
    )
    made = replace(made, linked=True) if linked else made
    freed = [c for k in coloured for c in rig.mixing.get(k, ()) if c not in bare]
    if not bare and not freed:
        return made
    channels = np.array(sorted(bare), np.int64)
    raw = np.array([bare[int(c)] for c in channels])
    return replace(made, bare=Bare(channels, raw), freed=np.array(freed, np.int64))


def _point(
    show: Show, fixture: str, wanted: dict[str, Value]
) -> tuple[float, float, float] | None:
    """The point that both pan and tilt of a fixture lead to."""
    both = [
        links.resolved(show, fixture, n, wanted[n]) for n in links.AIMS if n in wanted
    ]
    return (
        links.point_of(show, both[0])
        if len(both) == 2 and both[0] == both[1] and both[0] is not None
        else None
    )


def look_of(
    rig: Rig,
    intensity: Floats,
    held: Flags,
    rows: Ints,
    values: Floats,
    points: Floats | None = None,
) -> Compiled:
    """A compiled look from its numbers (rows ascending); what follows from them is
    filled in. `points` (H, 3): where heads aim at, NaN for plain angles.
    """
    snap, light = rows >= rig.snaps_from, rig.light[rows]
    shown = intensity[light] > 0
    made = Compiled(
        intensity,
        held,
        rows,
        values,
        snap,
        light,
        shown,
        bool(shown.all()),
        bool(snap.any()),
    )
    if not len(rig.heads) or not len(rows):
        return made
    place = np.minimum(np.searchsorted(rows, rig.heads.rows), len(rows) - 1)
    heads = np.flatnonzero((rows[place] == rig.heads.rows).all(axis=1))
    if not len(heads):
        return made
    return replace(
        made,
        heads=heads,
        turned=place[heads],
        points=None if points is None else points[heads],
    )


def stack(rig: Rig, looks: Sequence[Compiled]) -> Compiled:
    """Looks laid over each other at full weight, the first lowest, as one."""
    values, given = np.zeros(rig.size), np.zeros(rig.size, bool)
    intensity = np.zeros(rig.intensities + 1)
    held = np.zeros(rig.intensities + 1, bool)
    trail = Trail(rig.heads)
    for look in looks:
        values[look.rows] = look.values
        trail.cover(look.heads, look.points)
        given[look.rows] = True
        np.maximum(intensity, look.intensity, out=intensity)
        held |= look.held
    rows = np.flatnonzero(given)
    made = look_of(rig, intensity, held, rows, values[rows], trail.points)
    if not any(len(look.bare) for look in looks):
        return made
    bare: dict[int, float] = {}
    for look in looks:
        for channel in look.freed.tolist():
            bare.pop(channel, None)
        bare.update(
            zip(look.bare.channel.tolist(), look.bare.raw.tolist(), strict=True)
        )
    freed = np.unique(np.concatenate([look.freed for look in looks]))
    channels = np.array(sorted(bare), np.int64)
    return replace(
        made,
        bare=Bare(channels, np.array([bare[c] for c in channels.tolist()])),
        freed=freed,
    )


Plain = float | tuple[float | None, ...]


def _bare(
    places: list[tuple[int, int, float, float]], value: Plain
) -> Iterator[tuple[int, float]]:
    for cell, channel, slope, offset in places:
        one = (
            value[min(max(cell - 1, 0), len(value) - 1)]
            if isinstance(value, tuple) and value
            else value
        )
        if isinstance(one, float | int) and np.isfinite(one):
            yield channel, float(one) * slope + offset


def _rows(
    rig: Rig, places: list[tuple[int, int]] | tuple[()], value: Plain
) -> Iterator[tuple[int, float]]:
    """A number reaches every cell; of a tuple, each cell takes its own, the last one
    standing in for any missing.
    """
    one: float | None
    for cell, row in places:
        if isinstance(value, tuple):
            one = (
                value[min(max(cell - 1, 0), len(value) - 1)] if value else rig.home[row]
            )
        else:
            one = value
        if one is not None and np.isfinite(one):
            yield row, float(min(max(one, rig.low[row]), rig.high[row]))


def _colours(rig: Rig, values: dict[int, float]) -> list[int]:
    """Turn the target colours among `values` into OKLab; a part that is not given is 0.
    Gives which they are.
    """
    first = rig.intensities
    found = sorted(
        {(row - first) // 3 for row in values if first <= row < rig.colour_rows.stop}
    )
    if not found:
        return []
    rgb = [[values.get(first + 3 * k + i, 0.0) for i in range(3)] for k in found]
    for k, lab in zip(found, to_oklab(rgb), strict=True):
        values.update({first + 3 * k + i: float(lab[i]) for i in range(3)})
    return found
