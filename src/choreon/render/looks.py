"""Compiling looks: values of fixtures become rows and numbers of the compiled rig.

It goes in two steps. A *piece* is what one fixture is given; pieces are put together to
a compiled look, where colours are turned to OKLab and heads to their points all at
once. A draft keeps its pieces, so that only those of the lamps touched are made anew.
"""

from __future__ import annotations

import logging
import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from choreon.model import attributes as at
from choreon.model import links
from choreon.model.show import Show
from choreon.model.values import Look, Value
from choreon.render import aim
from choreon.render.colour import to_oklab_rows
from choreon.render.rig import FAMILIES, Flags, Floats, Ints, Rig

log = logging.getLogger(__name__)

Angles = tuple[float, float]
Point = tuple[float, float, float]

NO_ROWS: Ints = np.zeros(0, np.int64)
NO_NUMBERS: Floats = np.zeros(0)

WIDE = 8  # a look of an eighth of the colours is wide
MISSES = 0.5  # degrees by which a beam may miss its point and still count as there
DEVICE = FAMILIES.index(at.Family.DEVICE)


@dataclass(frozen=True)
class Aimed:
    """What follows one link in a look: the heads (k), their axis, 0 for pan and 1 for
    tilt, and where among the look's rows it is.
    """

    heads: Ints
    axes: Ints
    places: Ints


@dataclass(eq=False)
class CompiledLook:
    """A look on a rig.

    `lamps` (m): the intensity rows that it gives `levels` (m). `rows` (n, ascending):
    what else it gives `values` (n); rows from P on are raw values of channels. `freed`:
    raw rows that its target colours end. `heads` (h): the heads that it turns,
    `head_rows` (h, 2): where among `rows` their pan and tilt are, `points` (h, 3):
    where in the room to, NaN for plain angles; None where all are. `uses`: the links it
    follows.
    """

    rig: Rig
    lamps: Ints = field(default_factory=lambda: NO_ROWS)
    levels: Floats = field(default_factory=lambda: NO_NUMBERS)
    rows: Ints = field(default_factory=lambda: NO_ROWS)
    values: Floats = field(default_factory=lambda: NO_NUMBERS)
    freed: Ints = field(default_factory=lambda: NO_ROWS)
    heads: Ints = field(default_factory=lambda: NO_ROWS)
    head_rows: Ints = field(default_factory=lambda: np.zeros((0, 2), np.int64))
    points: Floats | None = None
    uses: frozenset[str] = frozenset()
    aimed: dict[str, Aimed] = field(default_factory=dict)  # link → heads that follow it

    @cached_property
    def first_snap(self) -> int:
        """Where among `rows` those begin that snap."""
        return int(np.searchsorted(self.rows, self.rig.snaps_from))

    @cached_property
    def first_raw(self) -> int:
        """Where among `rows` the raw values of channels begin."""
        return int(np.searchsorted(self.rows, self.rig.size))

    @cached_property
    def colours(self) -> Ints:
        """The target colours (m) that it gives. Their rows are the first 3 · m of
        `rows`, in three blocks.
        """
        count = int(np.searchsorted(self.rows, self.rig.colour_rows.stop)) // 3
        return self.rows[:count] - self.rig.intensities

    @cached_property
    def is_wide(self) -> bool:
        """Whether it gives so many of the colours that all of them are laid faster than
        those alone, by runs of memory in the place of single numbers.
        """
        return len(self.colours) * WIDE >= self.rig.colours > 0

    @cached_property
    def all_colours(self) -> Floats:
        """The colours (3, K) that it gives; 0 for those that it does not."""
        dense = np.zeros((3, self.rig.colours))
        dense[:, self.colours] = self.values[: 3 * len(self.colours)].reshape(3, -1)
        return dense

    @cached_property
    def plain_rows(self) -> Ints:
        """Those of `rows` that are no raw values."""
        return self.rows[: self.first_raw]

    @cached_property
    def channels(self) -> Ints:
        """The channels that it gives raw values."""
        return self.rows[self.first_raw :] - self.rig.size

    @cached_property
    def row_lights(self) -> Ints:
        """For each of `rows` the lamp (0…I) that shows it."""
        return lights_of(self.rig, self.rows)

    @cached_property
    def freed_by(self) -> Ints:
        """For each of `freed` where among `rows` the target colour is that ends it."""
        return np.searchsorted(self.rows, colour_rows_of(self.rig, self.freed))

    @cached_property
    def families(self) -> Ints:
        """For each of `rows` its family, as a place in FAMILIES."""
        return families_of(self.rig, self.rows)

    @cached_property
    def shining(self) -> tuple[Ints, Floats]:
        """The lamps that it lights, and how strongly: its levels, or, where it drives a
        dimmer's channel past all meaning, what that comes to.
        """
        if not len(self.channels):
            return self.lamps, self.levels

        dims = self.rig.channel_dims[self.channels]
        raw = dims >= 0
        if not raw.any():
            return self.lamps, self.levels

        channels = self.channels[raw]
        full = np.maximum(self.rig.full[channels], 1.0)
        light = dict(zip(self.lamps.tolist(), self.levels.tolist(), strict=True))
        share = self.values[self.first_raw :][raw] / full
        light.update(zip(dims[raw].tolist(), share.tolist(), strict=True))

        lamps = np.array(sorted(light), np.int64)
        return lamps, np.array([light[int(i)] for i in lamps])

    @cached_property
    def claims(self) -> tuple[Ints, Ints, Floats]:
        """The lamps whose rows it gives (k), for each row which of them shows it (n),
        and how strongly it lights each (k).
        """
        lights, which = np.unique(self.row_lights, return_inverse=True)
        dense = np.zeros(self.rig.intensities + 1)
        lamps, levels = self.shining
        dense[lamps] = levels
        return lights, which.astype(np.int64), dense[lights]

    @cached_property
    def touches(self) -> Flags:
        """Which lamps (I + 1) it lights or shows something by."""
        found = np.zeros(self.rig.intensities + 1, bool)
        found[self.lamps] = True
        found[self.row_lights] = True
        return found


def lights_of(rig: Rig, rows: Ints) -> Ints:
    """Returns for each row, raw ones included, the lamp that shows it."""
    found = np.empty(len(rows), np.int64)
    raw = rows >= rig.size
    found[~raw] = rig.light[rows[~raw]]
    found[raw] = rig.channel_light[rows[raw] - rig.size]
    return found


def colour_rows_of(rig: Rig, raw_rows: Ints) -> Ints:
    """Returns for raw rows of emitters the row of red of the target colour that they
    mix.
    """
    return rig.intensities + rig.channel_colour[raw_rows - rig.size]


def families_of(rig: Rig, rows: Ints) -> Ints:
    """Returns for each row its family; raw values belong to the device."""
    found = np.full(len(rows), DEVICE, np.int64)
    plain = rows < rig.size
    found[plain] = rig.families[rows[plain]]
    return found


# one fixture


@dataclass(eq=False)
class Piece:
    """What one fixture is given: row → value, colours still as light; raw channel →
    value; and where in the room its head is to aim.
    """

    rows: dict[int, float] = field(default_factory=dict)
    raw: dict[int, float] = field(default_factory=dict)
    aims: dict[int, tuple[str, Point]] = field(default_factory=dict)
    """Row of pan or tilt → the link and the point it leads to."""
    point: Point | None = None  # where both pan and tilt lead to
    uses: frozenset[str] = frozenset()


def piece_of(
    rig: Rig, show: Show | None, fixture: str, wanted: Mapping[str, Value]
) -> Piece:
    """Returns what the rig gets of a fixture's values. Attributes that it does not have
    are passed over, as are links that lead nowhere and numbers that are none.
    """
    piece = Piece()
    plain, uses = _followed_links(show, fixture, wanted)
    has, direct = rig.where.get(fixture, {}), rig.direct.get(fixture, {})

    for name, value in _with_wheel(rig, fixture, plain).items():
        if isinstance(value, str):
            point = links.point_of(show, value) if show is not None else None
            if point is not None and name in links.AIMS and fixture in rig.heads.of:
                piece.aims[has[name][0][1]] = (value, point)
        elif name in has:
            piece.rows.update(_of_cells(rig, has[name], value))
        elif name in direct:
            piece.raw.update(_of_channels(direct[name], value))

    ends = {point for _, point in piece.aims.values()}
    if len(piece.aims) == len(links.AIMS) and len(ends) == 1:
        piece.point = ends.pop()

    piece.uses = uses
    return piece


def safe_piece_of(
    rig: Rig, show: Show | None, fixture: str, wanted: Mapping[str, Value]
) -> Piece:
    """As `piece_of`; nothing where the values of this one fixture cannot be compiled,
    which is logged.
    """
    try:
        return piece_of(rig, show, fixture, wanted)
    except Exception:
        if fixture not in _told:
            log.exception("values of %s cannot be compiled and are left out", fixture)
            _told.add(fixture)
        return Piece()


_told: set[str] = set()  # fixtures of which that was logged


def _followed_links(
    show: Show | None, fixture: str, wanted: Mapping[str, Value]
) -> tuple[Mapping[str, Value], frozenset[str]]:
    """A fixture's values with palettes looked up, and all the links on the way."""
    uses = {value for value in wanted.values() if isinstance(value, str)}
    if not uses:
        return wanted, frozenset()
    plain = _resolved(show, fixture, wanted) if show is not None else {}
    uses |= {value for value in plain.values() if isinstance(value, str)}
    return plain, frozenset(uses)


def _resolved(
    show: Show, fixture: str, wanted: Mapping[str, Value]
) -> dict[str, Value]:
    """The values with every palette looked up; aims stay links."""
    made: dict[str, Value] = {}
    for name, value in wanted.items():
        found = links.resolved(show, fixture, name, value)
        if found is not None:
            made[name] = found
    return made


def _with_wheel(
    rig: Rig, fixture: str, values: Mapping[str, Value]
) -> Mapping[str, Value]:
    """The values, with the slot nearest to a target colour where a wheel has to stand
    for it.
    """
    wheel = rig.wheels.get(fixture)
    if wheel is None or at.RED not in values or wheel.attribute in values:
        return values
    rgb = tuple(_first(values.get(n, 0.0)) for n in at.TARGET_COLOUR)
    return {**values, wheel.attribute: float(wheel.nearest_to(rgb))}


def _first(value: Value) -> float:
    """One number of a value: of cells, the first that has one."""
    if isinstance(value, tuple):
        value = next((v for v in value if v is not None), 0.0)
    return float(value) if isinstance(value, float | int) else 0.0


Plain = float | tuple[float | None, ...]


def _of_cells(
    rig: Rig, places: Sequence[tuple[int, int]], value: Plain
) -> Iterator[tuple[int, float]]:
    """Rows and their numbers. A number reaches every cell; of a tuple, each cell takes
    its own, the last one standing in for any missing.
    """
    for cell, row in places:
        own: Plain | None = value
        if isinstance(value, tuple):
            own = _of_cell(value, cell) if value else float(rig.home[row])
        if isinstance(own, float | int) and math.isfinite(own):
            yield row, float(own)


def _of_cell(value: tuple[float | None, ...], cell: int) -> float | None:
    return value[min(max(cell - 1, 0), len(value) - 1)]


def _of_channels(
    places: Sequence[tuple[int, int, float, float]], value: Plain
) -> Iterator[tuple[int, float]]:
    """Channels and their raw values."""
    for cell, channel, slope, offset in places:
        own = _of_cell(value, cell) if isinstance(value, tuple) and value else value
        if isinstance(own, float | int) and math.isfinite(own):
            yield channel, float(own) * slope + offset


# all together


def compile_look(
    rig: Rig,
    look: Look,
    show: Show | None = None,
    near: Mapping[str, Angles] | None = None,
) -> CompiledLook:
    """Compile a look, its links looked up in `show`; values are clipped to what the rig
    can do.

    `near`: pan and tilt in degrees of heads that shall reach their point the way
    nearest to these, in place of the way nearest to home.
    """
    pieces = {i: safe_piece_of(rig, show, i, w) for i, w in look.items()}
    return assemble(rig, pieces, near or {})


def assemble(
    rig: Rig, pieces: Mapping[str, Piece], near: Mapping[str, Angles]
) -> CompiledLook:
    """Put pieces together to a compiled look."""
    given: dict[int, float] = {}
    raw: dict[int, float] = {}
    uses: set[str] = set()

    for piece in pieces.values():
        given.update(piece.rows)
        raw.update(piece.raw)
        uses |= piece.uses

    given.update(_aimed(rig, pieces, near))
    if not given and not raw:
        return CompiledLook(rig, uses=frozenset(uses))

    _fill_colours(rig, given)
    rows = np.fromiter(given.keys(), np.int64, len(given))
    values = np.fromiter(given.values(), float, len(given))
    values = np.minimum(np.maximum(values, rig.low[rows]), rig.high[rows])
    order = rows.argsort(kind="stable")
    rows, values = rows[order], values[order]
    split = int(np.searchsorted(rows, rig.intensities))
    lamps, levels = rows[:split], values[:split]

    rows, values = rows[split:], values[split:]
    colours = _to_oklab(rig, rows, values)
    if raw:
        channels = np.array(sorted(raw), np.int64)
        rows = np.concatenate([rows, rig.size + channels])
        values = np.concatenate([values, [raw[int(c)] for c in channels]])

    ended = {c for k in colours for c in rig.mixing.get(k, ())} - set(raw)
    freed = rig.size + np.array(sorted(ended), np.int64)
    made = CompiledLook(rig, lamps, levels, rows, values, freed, uses=frozenset(uses))
    find_heads(made, pieces)
    _follow_links(made, pieces)

    return made


def _aimed(
    rig: Rig, pieces: Mapping[str, Piece], near: Mapping[str, Angles]
) -> dict[int, float]:
    """Pan and tilt of all heads that aim at points, row → degrees. What lies at a point
    for all heads of the rig is worked out once for it.
    """
    found: dict[int, float] = {}
    for fixture, piece in pieces.items():
        if not piece.aims:
            continue

        head = rig.heads.of[fixture]
        for row, (_, point) in piece.aims.items():
            axis = int(rig.heads.rows[head, 1] == row)
            if fixture in near:
                angles = aimed(rig, fixture, point, near[fixture])[:2]
                found[row] = angles[axis]
            else:
                found[row] = float(rig.aims_at(point)[head, axis])

    return found


def _follow_links(look: CompiledLook, pieces: Mapping[str, Piece]) -> None:
    """Fill in what follows which link, so that a mark that moves is followed
    at once.
    """
    rig = look.rig
    found: dict[str, list[tuple[int, int, int]]] = {}
    for fixture, piece in pieces.items():
        for row, (link, _) in piece.aims.items():
            head = rig.heads.of[fixture]
            axis = int(rig.heads.rows[head, 1] == row)
            place = int(np.searchsorted(look.rows, row))
            found.setdefault(link, []).append((head, axis, place))
    for link, those in found.items():
        look.aimed[link] = Aimed(*np.array(those, np.int64).T)


def followed(look: CompiledLook, show: Show, moved: set[str]) -> CompiledLook | None:
    """Returns a look after marks moved; None where more than that is asked of it."""
    changed = moved & look.uses
    if not changed <= set(look.aimed):
        return None

    values = look.values.copy()
    points = None if look.points is None else look.points.copy()

    for link in changed:
        point, those = links.point_of(show, link), look.aimed[link]
        if point is None:
            return None

        angles = look.rig.aims_at(point)
        values[those.places] = angles[those.heads, those.axes]
        if points is not None:
            own = np.searchsorted(look.heads, those.heads)
            aims = np.isfinite(points[own, 0])
            points[own[aims]] = point

    return replace(look, values=values, points=points)


def _fill_colours(rig: Rig, given: dict[int, float]) -> None:
    """A part of a target colour that is not given is 0."""
    first, stop = rig.colour_rows.start, rig.colour_rows.stop
    colours = {(row - first) % rig.colours for row in given if first <= row < stop}
    for colour in colours:
        for part in range(3):
            given.setdefault(first + part * rig.colours + colour, 0.0)


def _to_oklab(rig: Rig, rows: Ints, values: Floats) -> list[int]:
    """Turn the target colours among `values` (n) into OKLab, in place. Returns which
    colours they are.
    """
    begin = int(np.searchsorted(rows, rig.colour_rows.start))
    end = int(np.searchsorted(rows, rig.colour_rows.stop))
    if begin == end:
        return []
    values[begin:end] = to_oklab_rows(values[begin:end].reshape(3, -1)).reshape(-1)
    reds = rows[begin : begin + (end - begin) // 3] - rig.intensities
    colours: list[int] = reds.tolist()
    return colours


def find_heads(look: CompiledLook, pieces: Mapping[str, Piece]) -> None:
    """Fill in which heads a look turns, and where to."""
    heads, rows = look.rig.heads, look.rows
    if not len(heads) or not len(rows):
        return

    place = np.minimum(np.searchsorted(rows, heads.rows), len(rows) - 1)
    turned = np.flatnonzero((rows[place] == heads.rows).all(axis=1))
    if not len(turned):
        return

    look.heads, look.head_rows = turned, place[turned]
    aimed = {heads.of[i]: p.point for i, p in pieces.items() if p.point is not None}
    if aimed:
        dense = np.full((len(heads), 3), np.nan)
        dense[list(aimed)] = list(aimed.values())
        look.points = dense[turned]


def merged(rig: Rig, looks: Sequence[CompiledLook]) -> CompiledLook:
    """Returns looks laid over each other at full weight, the first lowest, as one:
    highest intensity, the last of all else.
    """
    if len(looks) == 1:
        return looks[0]

    size = rig.size + rig.channels
    values, given = np.zeros(size), np.zeros(size, bool)
    level, lit = np.zeros(rig.intensities), np.zeros(rig.intensities, bool)
    freed = np.zeros(size, bool)
    points = np.full((len(rig.heads), 3), np.nan)

    for look in looks:
        given[look.freed] = False
        freed[look.freed] = True
        values[look.rows], given[look.rows] = look.values, True
        level[look.lamps] = np.maximum(level[look.lamps], look.levels)
        lit[look.lamps] = True

        points[look.heads] = np.nan if look.points is None else look.points

    rows, lamps = np.flatnonzero(given), np.flatnonzero(lit)
    made = CompiledLook(
        rig, lamps, level[lamps], rows, values[rows], np.flatnonzero(freed)
    )
    find_heads(made, {})

    if np.isfinite(points).any():
        made.points = points[made.heads]

    return made


def whole_of(
    rig: Rig, looks: Sequence[CompiledLook], uses: frozenset[str]
) -> CompiledLook:
    """Returns all that looks of which one is seen ever give: every lamp at its
    strongest, every row.
    """
    if not looks:
        return CompiledLook(rig, uses=uses)

    size = rig.size + rig.channels
    given, freed = np.zeros(size, bool), np.zeros(size, bool)
    lit, shown = np.zeros((2, rig.intensities + 1), bool)
    level, light = np.zeros((2, rig.intensities + 1))
    values = np.zeros(size)

    for look in looks:
        lit[look.lamps] = True
        level[look.lamps] = np.maximum(level[look.lamps], look.levels)
        where, strong = look.shining
        shown[where] = True
        light[where] = np.maximum(light[where], strong)
        given[look.rows] = True
        values[look.rows] = look.values
        freed[look.freed] = True

    lamps, rows = np.flatnonzero(lit), np.flatnonzero(given)
    made = CompiledLook(
        rig,
        lamps,
        level[lamps],
        rows,
        values[rows],
        np.flatnonzero(freed),
        uses=uses,
    )
    shining = np.flatnonzero(shown)
    # raw values of its steps may light lamps that it gives no level
    made.__dict__["shining"] = (shining, light[shining])
    find_heads(made, {})

    return made


# what else is asked of looks


def plain_values(
    rig: Rig, fixture: str, wanted: Mapping[str, Value], show: Show | None
) -> dict[str, Value]:
    """Returns a fixture's values with every link looked up in `show`: a head turns to
    its mark, a wheel stands on the slot nearest to a target colour. What a link no
    longer leads to is left out.
    """
    made: dict[str, Value] = {}
    found = _resolved(show, fixture, wanted) if show is not None else dict(wanted)

    for name, value in _with_wheel(rig, fixture, found).items():
        if not isinstance(value, str):
            made[name] = value
            continue

        point = links.point_of(show, value) if show is not None else None
        if point is not None and name in links.AIMS and fixture in rig.axes:
            made[name] = aimed(rig, fixture, point)[links.AIMS.index(name)]

    return made


def aimed(
    rig: Rig, fixture: str, point: Sequence[float], now: Angles | None = None
) -> tuple[float, float, float]:
    """Returns pan and tilt (degrees) that turn a head to a point (metres), and by how
    many degrees it misses. Of several ways the one nearest to `now` is taken, else to
    home.
    """
    place = rig.fixtures[fixture].place
    way = np.asarray(point, float) - (place.x, place.y, place.z)
    rows = [rig.where[fixture][n][0][1] for n in links.AIMS]
    home = now or (float(rig.home[rows[0]]), float(rig.home[rows[1]]))

    return aim.solve(
        rig.axes[fixture],
        way,
        rig.span(fixture, at.PAN),
        rig.span(fixture, at.TILT),
        home,
    )


def aims(
    rig: Rig, show: Show, fixtures: Iterable[str], link: str
) -> tuple[Look, list[str]]:
    """Returns what sends those of the fixtures that are heads to a point or a mark, and
    who cannot get there; nothing where the link leads nowhere.
    """
    point = links.point_of(show, link)
    if point is None:
        return {}, []
    heads = [i for i in fixtures if i in rig.axes]
    short = [i for i in heads if aimed(rig, i, point)[2] > MISSES]
    return {i: links.aim(link) for i in heads}, short
