"""How strongly a lamp lights each pixel of a picture: its beam in the haze, the pool
where it lands, the glow of its lens. Shapes are drawn by formulas made by eye.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from choreon.model.show import Room
from choreon.ui.stage.camera import View

Array = npt.NDArray[np.float64]
Soft = npt.NDArray[np.float32]
Point = tuple[float, float]

GLOWS = ("dot", "bar")  # bodies whose cells are looked into rather than throw a beam
FARTHEST = 7.0  # metres that a beam is seen to go
OFF = 1e6  # pixels: what lies farther off is not drawn
LENS = 0.07  # metres: half the width of a beam where it begins

# A beam is lit more in its middle (0 at its edge … 1), and fades on its way (0 … 1).
_STEPS = 256
_V = np.linspace(0.0, 1.0, _STEPS)
_ACROSS = (1.05 * _V**0.6).astype(np.float32)
_T = np.linspace(0.0, 1.0, _STEPS)
_ALONG = np.interp(_T, (0.0, 0.45, 0.85, 1.0), (1.0, 0.60, 0.26, 0.04)).astype(
    np.float32
)
# Pools and glows by the square of the way from their middle (0) to their edge (1).
_Q = np.linspace(0.0, 1.0, _STEPS)
_POOL = ((1 - _Q) ** 2 * (1 + _Q)).astype(np.float32)
_R = 1 - np.sqrt(_Q)
_GLOW = (_R * (1 + _R**3) / 2).astype(np.float32)


class Mask(NamedTuple):
    """The part of a picture that a lamp reaches: its corner, and how strongly (rows,
    columns).
    """

    row: int
    column: int
    light: Soft

    @property
    def place(self) -> tuple[slice, slice]:
        """Rows and columns of the picture."""
        rows, columns = self.light.shape
        return (
            slice(self.row, self.row + rows),
            slice(self.column, self.column + columns),
        )


NOTHING = Mask(0, 0, np.zeros((0, 0), np.float32))


class _Box(NamedTuple):
    """Rows and columns of a picture, from and to."""

    top: int
    low: int
    left: int
    right: int


class MaskCanvas:
    """A picture of `width` × `height` pixels on which light is added up."""

    def __init__(self, width: int, height: int) -> None:
        self._light = np.zeros((height, width), np.float32)
        self._x = np.arange(width, dtype=np.float32) + np.float32(0.5)
        self._y = (np.arange(height, dtype=np.float32) + np.float32(0.5))[:, None]
        self._touched: list[_Box] = []

    def _box(self, x: Point, y: Point) -> _Box | None:
        """The pixels between two columns and two rows; None where there are none."""
        height, width = self._light.shape
        if not max(map(abs, (*x, *y))) < OFF:
            return None

        box = _Box(
            max(0, int(y[0]) - 1),
            min(height, int(y[1]) + 2),
            max(0, int(x[0]) - 1),
            min(width, int(x[1]) + 2),
        )

        if box.top >= box.low or box.left >= box.right:
            return None

        self._touched.append(box)
        return box

    def _parts(self, box: _Box) -> tuple[Soft, Soft, Soft]:
        """What is drawn on, and the middles of its columns and rows."""
        return (
            self._light[box.top : box.low, box.left : box.right],
            self._x[box.left : box.right],
            self._y[box.top : box.low],
        )

    def cone(self, a: Point, b: Point, near: float, far: float, power: float) -> None:
        """A beam from `a` to `b`, at these half so wide (pixels)."""
        dx, dy = b[0] - a[0], b[1] - a[1]
        long = float(np.hypot(dx, dy))
        if not 0.5 < long < OFF:
            return

        ux, uy = dx / long, dy / long
        xs = [
            p[0] + side * r * uy for p, r in ((a, near), (b, far)) for side in (1, -1)
        ]
        ys = [
            p[1] + side * r * ux for p, r in ((a, near), (b, far)) for side in (1, -1)
        ]
        box = self._box((min(xs), max(xs)), (min(ys), max(ys)))

        if box is None:
            return

        light, x, y = self._parts(box)
        along = (x - a[0]) * (ux / long) + (y - a[1]) * (uy / long)
        aside = np.abs((x - a[0]) * uy - (y - a[1]) * ux)
        half = np.maximum(near + (far - near) * along, 0.5)
        inside = (along >= 0) & (along <= 1)

        inside &= aside < half
        aside /= half
        light += (
            np.float32(power) * inside * _at(_ACROSS, 1 - aside) * _at(_ALONG, along)
        )

    def pool(self, at: Point, one: Point, two: Point, power: float) -> None:
        """An ellipse about `at` through `one` and `two`, ends of half its axes."""
        ax, ay, bx, by = one[0] - at[0], one[1] - at[1], two[0] - at[0], two[1] - at[1]
        flat = ax * by - ay * bx
        if not abs(flat) > 1e-6:
            return

        wide, tall = float(np.hypot(ax, bx)), float(np.hypot(ay, by))
        box = self._box((at[0] - wide, at[0] + wide), (at[1] - tall, at[1] + tall))
        if box is None:
            return

        light, x, y = self._parts(box)
        x, y = x - at[0], y - at[1]
        u = x * (by / flat) - y * (bx / flat)
        v = y * (ax / flat) - x * (ay / flat)
        light += np.float32(power) * _at(_POOL, u * u + v * v)

    def glow(self, at: Point, size: float, power: float) -> None:
        """A disc about `at` that is brightest in its middle."""
        box = self._box((at[0] - size, at[0] + size), (at[1] - size, at[1] + size))
        if box is None:
            return
        light, x, y = self._parts(box)
        x, y = (x - at[0]) / size, (y - at[1]) / size
        light += np.float32(power) * _at(_GLOW, x * x + y * y)

    def cut(self) -> Mask:
        """What was drawn, squared, since it was drawn by eye; the canvas is empty
        again.
        """
        if not self._touched:
            return NOTHING

        boxes = np.array(self._touched)
        box = _Box(*(int(f(boxes[:, i])) for i, f in enumerate((min, max, min, max))))
        self._touched.clear()
        light = self._parts(box)[0]
        mask = np.square(np.minimum(light, 1))

        light[:] = 0
        rows, columns = (np.flatnonzero(mask.any(axis=i)) for i in (1, 0))
        if not len(rows):
            return NOTHING

        top, left = int(rows[0]), int(columns[0])
        part = mask[top : rows[-1] + 1, left : columns[-1] + 1]
        return Mask(box.top + top, box.left + left, np.ascontiguousarray(part))


def _at(steps: Soft, part: Soft) -> Soft:
    """The values of a curve at parts (0 … 1) of its length; at its ends beyond."""
    found = np.take(steps, (part * (_STEPS - 1)).astype(np.intp), mode="clip")
    return np.asarray(found, np.float32)


class Beams:
    """Where beams (n) begin and land in a room, and where that is in a picture.
    `shape` (n, 8): direction, width (tangent of half the angle), gobo, prism, and how
    these are turned (radians).
    """

    def __init__(self, room: Room, view: View, places: Array, shape: Array) -> None:
        way, spread = shape[:, :3], shape[:, 3]
        self._marks = shape[:, 4:]
        length, normal = reach(room, places, way)
        end = places + way * length[:, None]
        self._radius = np.maximum(0.08, length * spread)
        across, along = footprint(way, normal, self._radius)
        self._a, self._b = view.project(places), view.project(end)
        self._one, self._two = view.project(end + across), view.project(end + along)
        self._lands = (normal != 0).any(axis=1)
        # Lambert: a grazing beam lights a surface less
        slant = np.abs((way * normal).sum(axis=1))
        self._strong = 0.92 * slant**0.7 / (1.0 + 0.10 * self._radius**2)
        self._focal = view.focal

    def draw(self, canvas: MaskCanvas, i: int, body: str) -> None:
        """Draw one of them, out of such a body."""
        x, y, depth = self._a[i].tolist()
        unit = self._focal / depth
        if body in GLOWS:
            canvas.glow((x, y), (0.34 if body == "dot" else 0.95) * unit, 0.62)
            return

        bx, by, far = self._b[i].tolist()
        radius, strong = float(self._radius[i]), float(self._strong[i])
        one, two = (
            (p[i, :2] - self._b[i, :2]).tolist() for p in (self._one, self._two)
        )

        gobo, prism, gobo_turn, prism_turn = self._marks[i].tolist()

        for u, v, size, share in _parts(int(gobo), prism >= 1, gobo_turn, prism_turn):
            at = (bx + u * one[0] + v * two[0], by + u * one[1] + v * two[1])
            wide = radius * size
            if body != "panel":
                power = 0.46 * share / (1.0 + 0.45 * wide)
                canvas.cone((x, y), at, LENS * unit, wide * self._focal / far, power)

            if self._lands[i]:
                canvas.pool(
                    at,
                    (at[0] + one[0] * size, at[1] + one[1] * size),
                    (at[0] + two[0] * size, at[1] + two[1] * size),
                    strong * min(1.0, 1.6 * share),
                )

        canvas.glow((x, y), max(2.0, 0.30 * unit), 0.75)


def _parts(
    slot: int, prism: bool, turn: float, prism_turn: float
) -> list[tuple[float, float, float, float]]:
    """What a beam is broken into: places across and along it, in its radii, size and
    share of light. A gobo gives patches, more of them in later slots; a prism three of
    everything. Both are turned by radians.
    """
    parts = [(0.0, 0.0, 1.0, 1.0)]
    if slot >= 1:
        count = 3 + slot % 4
        turns = 2 * np.pi * (np.arange(count) / count + 0.13 * slot) + turn
        parts = [
            (0.62 * float(np.cos(t)), 0.62 * float(np.sin(t)), 0.30, 0.62)
            for t in turns
        ]
        parts.append((0.0, 0.0, 0.26, 0.62))

    if prism:
        thirds = 2 * np.pi * np.arange(3) / 3 + 0.5 + prism_turn
        parts = [
            (
                x + 0.95 * float(np.cos(t)),
                y + 0.95 * float(np.sin(t)),
                size * 0.85,
                share * 0.55,
            )
            for t in thirds
            for x, y, size, share in parts
        ]

    return parts


def reach(room: Room, start: Array, way: Array) -> tuple[Array, Array]:
    """How far beams go (n, metres) and the normal (n, 3) of what they meet: floor, back
    wall, or nothing.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        floor = np.where(way[:, 2] < -1e-6, -start[:, 2] / way[:, 2], np.inf)
        wall = np.where(
            way[:, 1] > 1e-6, (room.depth - start[:, 1]) / way[:, 1], np.inf
        )

    floor = np.where(floor < 0.02, np.inf, floor)
    wall = np.where(wall < 0.02, np.inf, wall)
    length = np.minimum(np.minimum(floor, wall), FARTHEST)
    normal = np.zeros_like(start)
    normal[(floor <= wall) & (floor <= FARTHEST), 2] = 1.0

    normal[(wall < floor) & (wall <= FARTHEST), 1] = -1.0
    return length, normal


def footprint(way: Array, normal: Array, radius: Array) -> tuple[Array, Array]:
    """Half axes (n, 3) of the ellipse that a cone leaves on a surface: across the beam,
    and along its slope.
    """
    across = np.cross(way, normal)
    size = np.linalg.norm(across, axis=1, keepdims=True)
    across = np.where(
        size > 1e-3, across / np.maximum(size, 1e-9), np.array([1.0, 0.0, 0.0])
    )
    along = np.cross(normal, across)
    slope = np.abs((way * normal).sum(axis=1))
    stretch = radius / np.maximum(slope, 0.28)
    return across * radius[:, None], along * stretch[:, None]
