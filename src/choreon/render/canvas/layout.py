"""Where the cells of a canvas lie: places in the room made places in a picture."""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import msgspec
import numpy as np

from choreon.model import attributes as at
from choreon.model.fixture_type import Cell
from choreon.model.playables.canvas import (
    Along,
    Corner,
    Frame,
    Layout,
    View,
    fixtures_of,
)
from choreon.model.show import Show
from choreon.render.canvas.sane import within
from choreon.render.choice import Item, cell_count
from choreon.render.recent import Recent
from choreon.render.rig import Flags, Floats, Ints, Rig, hanging_matrices

CLOSE = 1e-6  # metres within which two cells are in one place
FAR = 1e6  # metres
CHUNK = 512  # cells whose distances to all others are worked out at once
replace = msgspec.structs.replace
XY = tuple[float, float]

KEPT = 16  # layouts of a rig that are kept
MOST = 64  # things that are kept of one of them


@dataclass(frozen=True, eq=False)
class CanvasCells:
    """The cells (n) of a canvas.

    `ground` (2, n): where they lie, metres; `at` (2, n): the same in the frame, 0…1
    from left to right and from below to above; `half` (2, n): half of their width and
    height there. `aspect`: width of the frame by its height. `columns`, `rows`: about
    how many cells lie side by side, and above each other. `outside` (n): whether the
    picture does not reach a cell.
    """

    items: tuple[Item, ...]
    ground: Floats
    at: Floats
    half: Floats
    frame: Frame
    outside: Flags
    columns: int
    rows: int
    kept: Recent[Hashable, Any] = field(default_factory=lambda: Recent(MOST))
    """What was worked out for these cells, before edits of what is painted on them."""

    @property
    def aspect(self) -> float:
        """Width of the frame by its height."""
        return self.frame.width / self.frame.height

    @property
    def reach(self) -> tuple[float, float]:
        """How far the frame goes to the side and up from its middle, of which the
        longer is 1.
        """
        longer = max(self.aspect, 1.0)
        return self.aspect / longer, 1.0 / longer

    @property
    def round(self) -> Floats:
        """The places (2, n) from the middle, in which circles are round."""
        wide, high = self.reach
        return (self.at - 0.5) * np.array([[2.0 * wide], [2.0 * high]])


def cells_of(show: Show, rig: Rig, layout: Layout) -> CanvasCells:
    """Returns the cells of a layout on a rig, worked out once for it."""
    fixtures = tuple(f for f in fixtures_of(show, layout) if f in rig.fixtures)
    known: list[tuple[Layout, tuple[str, ...], CanvasCells]]
    known = rig.__dict__.setdefault("canvas_cells", [])
    for before, those, cells in known:
        if those == fixtures and (before is layout or before == layout):
            return cells

    cells = _find(show, rig, layout, fixtures)
    # another list: one thread may look through this one while another adds to it
    rig.__dict__["canvas_cells"] = [*known[-KEPT + 1 :], (layout, fixtures, cells)]
    return cells


def _find(show: Show, rig: Rig, layout: Layout, fixtures: Sequence[str]) -> CanvasCells:
    items, places, spans = _in_room(show, rig, layout, fixtures)
    ground = _on_ground(items, places, layout)
    for n, place in _kept_places(items, layout.places).items():
        ground[:, n] = place

    own = _turned(ground, layout)
    size = _sizes(own, spans)
    frame = _around(own, size) if layout.frame is None else _sane(layout.frame)
    middle = np.array([[frame.x], [frame.y]])
    wide, tall = (within(n, 1e-3, 1e3, 1.0) for n in (layout.wide, layout.tall))
    stretch = np.array([[wide], [tall]])
    own = middle + stretch * (own - middle)

    whole = np.array([[frame.width], [frame.height]])
    at_ = (own - middle) / whole + 0.5
    half = size / whole / 2.0
    outside = (np.abs(at_ - 0.5) > 0.5 + half - CLOSE).any(axis=0)

    pitch = np.median(size, axis=1) if len(items) else np.ones(2)
    columns, rows = (
        max(1, round(w / p)) for w, p in zip(whole[:, 0], pitch, strict=True)
    )
    return CanvasCells(items, own, at_, half, frame, outside, columns, rows)


def _sane(frame: Frame) -> Frame:
    """A frame that has a size."""
    return Frame(
        within(frame.x, -FAR, FAR, 0.0),
        within(frame.y, -FAR, FAR, 0.0),
        within(frame.width, CLOSE, FAR, 1.0),
        within(frame.height, CLOSE, FAR, 1.0),
    )


def items_of(rig: Rig, layout: Layout, fixtures: Sequence[str]) -> list[Item]:
    """Returns the cells that take part, one by one and in order."""
    found: list[Item] = []
    for fixture in fixtures:
        has = rig.where.get(fixture, {})
        lights = [n for n in (at.RED, at.DIMMER) if n in has]
        count = max((c for n in lights for c, _ in has[n]), default=0)
        count = count or (0 if lights else cell_count(rig, fixture))
        cells = range(1, count + 1) if count else (0,)
        out = layout.left_out.get(fixture, ())
        found += [(fixture, cell) for cell in cells if cell not in out]
    return found


def _in_room(
    show: Show, rig: Rig, layout: Layout, fixtures: Sequence[str]
) -> tuple[tuple[Item, ...], Floats, Floats]:
    """The cells, where in the room they are (n, 3), and how far lamps of one piece
    reach that are as large as several cells (n, 3; 0 for all else), metres.
    """
    items = items_of(rig, layout, fixtures)
    hung = [rig.fixtures[fixture] for fixture in fixtures]
    turns = dict(zip(fixtures, hanging_matrices(hung), strict=True))

    places = np.zeros((len(items), 3))
    spans = np.zeros((len(items), 3))
    for n, (fixture, cell) in enumerate(items):
        lamp = rig.fixtures[fixture]
        kind = show.types.get(lamp.type)
        mode = None if kind is None else kind.mode(lamp.mode)
        places[n] = (lamp.place.x, lamp.place.y, lamp.place.z)
        if cell and mode is not None and cell <= len(mode.cells):
            own = mode.cells[cell - 1]
            places[n] += turns[fixture] @ (own.x, own.y, 0.0)
        elif not cell and kind is not None:
            most = max((m.cells for m in kind.modes), key=len, default=())
            if len(most) > 1:
                spans[n] = np.abs(turns[fixture] @ _span(most))

    return tuple(items), places, spans


def _span(cells: Sequence[Cell]) -> tuple[float, float, float]:
    across = [cell.x for cell in cells]
    down = [cell.y for cell in cells]
    more = 1.0 + 1.0 / max(1, len(cells) - 1)
    return (max(across) - min(across)) * more, (max(down) - min(down)) * more, 0.0


def _on_ground(items: Sequence[Item], places: Floats, layout: Layout) -> Floats:
    """Where cells lie on the flat ground (2, n)."""
    if layout.view == View.ABOVE:
        return places[:, :2].T.copy()
    if layout.view == View.LINE:
        return _along_line(places, layout)
    if layout.view == View.GRID:
        return _in_grid(len(items), layout)
    return places[:, (0, 2)].T.copy()


def _along_line(places: Floats, layout: Layout) -> Floats:
    """Cells one after the other, as far apart as they are in the room, or evenly."""
    count = len(places)
    if not count:
        return np.zeros((2, 0))

    order = np.arange(count)
    along = layout.along
    if along == Along.ROUND:
        away = places - places.mean(axis=0)
        # from the left, clockwise as seen from above
        order = np.argsort(-np.arctan2(away[:, 1], away[:, 0]), kind="stable")
    elif along == Along.NEAREST:
        order = _by_nearest(places)

    steps = np.linalg.norm(np.diff(places[order], axis=0), axis=1)
    far = steps[steps > CLOSE]
    # cells in one place, the panes of one lamp, say, lie side by side nevertheless
    steps = np.maximum(steps, float(far.min()) if len(far) else 1.0)
    if layout.even:
        steps = np.ones(count - 1)
    line = np.zeros((2, count))
    line[0, order] = np.concatenate([[0.0], np.cumsum(steps)])
    return line


def _by_nearest(places: Floats) -> Ints:
    left = np.ones(len(places), bool)
    order = [0]
    left[0] = False
    while left.any():
        away = ((places - places[order[-1]]) ** 2).sum(axis=1)
        away[~left] = np.inf
        order.append(int(away.argmin()))
        left[order[-1]] = False
    return np.array(order, np.int64)


def grid_size(count: int, layout: Layout) -> tuple[int, int]:
    """Returns the columns and rows of a grid of one's own for so many cells."""
    columns = layout.columns or math.ceil(math.sqrt(count))
    columns = max(1, columns)
    return columns, max(1, math.ceil(count / columns))


def _in_grid(count: int, layout: Layout) -> Floats:
    columns, rows = grid_size(count, layout)
    n = np.arange(count)
    if layout.by_columns:
        column, row = n // rows, n % rows
        if layout.snake:
            row = np.where(column % 2 == 1, rows - 1 - row, row)
    else:
        row, column = n // columns, n % columns
        if layout.snake:
            column = np.where(row % 2 == 1, columns - 1 - column, column)

    if layout.corner in (Corner.UPPER_RIGHT, Corner.LOWER_RIGHT):
        column = columns - 1 - column
    if layout.corner in (Corner.UPPER_LEFT, Corner.UPPER_RIGHT):
        row = rows - 1 - row
    return np.array([column, row], float)


def _kept_places(
    items: Sequence[Item], places: Mapping[str, Sequence[tuple[float, float]]]
) -> dict[int, tuple[float, float]]:
    """Cells that lie where they were put, whatever the plan says."""
    found = {}
    for n, (fixture, cell) in enumerate(items):
        own = places.get(fixture, ())
        place = max(0, cell - 1)
        if place < len(own):
            found[n] = own[place]
    return found


def _turned(ground: Floats, layout: Layout) -> Floats:
    """The ground mirrored, turned and bent."""
    own = ground.copy()
    if not own.shape[1]:
        return own

    middle = (own.min(axis=1, keepdims=True) + own.max(axis=1, keepdims=True)) / 2.0
    own -= middle
    if layout.mirrored:
        own[0] = -own[0]
    if layout.flipped:
        own[1] = -own[1]

    arc = math.radians(within(layout.bend, -359.0, 359.0, 0.0))
    wide = float(np.ptp(own[0]))
    if abs(arc) > 1e-3 and wide > CLOSE:
        radius = wide / arc
        by, out = own[0] / radius, radius + own[1]
        own = np.array([out * np.sin(by), out * np.cos(by) - radius])

    turn = math.radians(within(layout.turn, -36_000.0, 36_000.0, 0.0))
    if turn:
        cos, sin = math.cos(turn), math.sin(turn)
        own = np.array([[cos, -sin], [sin, cos]]) @ own
    return own + middle


def _sizes(ground: Floats, spans: Floats) -> Floats:
    """How wide and high each cell is (2, n): as far as it is to the nearest other one;
    a lamp of one piece that is as long as several cells, as long as it is.
    """
    near = nearest(ground)
    size = np.array([near, near])
    long = spans.max(axis=1) > 0.0
    # seen from the front and from above the first part of a span lies across
    size[0, long] = np.maximum(spans[long, 0], CLOSE * 10)
    size[1, long] = np.minimum(near[long], spans[long, 0])
    return size


def nearest(ground: Floats) -> Floats:
    """Returns how far it is from each place (2, n) to the nearest that is not the same;
    1 where there is none.
    """
    count = ground.shape[1]
    found = np.full(count, np.inf)
    squares = (ground * ground).sum(axis=0)
    for first in range(0, count, CHUNK):
        part = slice(first, min(count, first + CHUNK))
        away = squares[part, None] + squares[None, :] - 2.0 * ground[:, part].T @ ground
        away[away < CLOSE] = np.inf
        found[part] = away.min(axis=1)

    found = np.sqrt(found)
    real = found[np.isfinite(found)]
    found[~np.isfinite(found)] = float(np.median(real)) if len(real) else 1.0
    return found


def _around(ground: Floats, size: Floats) -> Frame:
    """The frame that holds all cells."""
    if not ground.shape[1]:
        return Frame()
    low = (ground - size / 2.0).min(axis=1)
    high = (ground + size / 2.0).max(axis=1)
    x, y = (low + high) / 2.0
    wide, tall = high - low
    return Frame(float(x), float(y), float(wide), float(tall))


def places_now(show: Show, rig: Rig, layout: Layout) -> dict[str, tuple[XY, ...]]:
    """Returns where on the ground the cells lie as the plan is now, by fixture: all of
    one, those that are left out among them.
    """
    whole = replace(layout, left_out={}, places={})
    fixtures = tuple(f for f in fixtures_of(show, layout) if f in rig.fixtures)
    items, room, _ = _in_room(show, rig, whole, fixtures)
    ground = _on_ground(items, room, whole)
    found: dict[str, tuple[XY, ...]] = {}
    for n, (fixture, _) in enumerate(items):
        place = (float(ground[0, n]), float(ground[1, n]))
        found[fixture] = (*found.get(fixture, ()), place)
    return found
