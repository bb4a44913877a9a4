"""What four and more emitters make of any colour, as a table: levels at a lattice of
colours, and straight lines between them.

The brightest mix of a colour is unique, but between two colours that look alike it may
jump: an amber that is all but on the line from red to green is off at yellow and full
beside it. What is drawn as a fade must not do that. So the mix is worked out at a
lattice of colours alone, and laid between its points by the same shares that lay the
colours there: the sum is linear, so every colour in between is exact too, and no level
moves faster than from one point of the lattice to the next.
"""

from __future__ import annotations

from functools import cache
from itertools import combinations

import numpy as np
import numpy.typing as npt

from choreon.render.colour import from_oklab_rows, to_oklab_rows

Array = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

TINY = 1e-9
CLOSE = 1e-10  # of a colour: nearer than that it is met
ALIKE = 1e-6  # of a light's strength: nearer than that is the same direction, or plane
LUMINANCE = np.array([0.2126, 0.7152, 0.0722])  # ITU-R BT.709-6, item 3.2
SIZE = 12  # cells along an edge of the finest lattice
COARSER = (1, 2, 3, 4, 6)  # how many of them may go together
EASE = 1.0005  # how far above the least effort levels may be, to share the work evenly
STEP = 5.5 / 255.0  # the most that a level may move in a frame of a slow fade
FRAMES = 440  # of a slow fade: ten seconds
LOOKS = 6000  # so many places of such fades are looked at


class MixTable:
    """Levels of emitters whose light at full is `light` (N, 3), linear Rec.709, for
    every colour that they can give. They must span three dimensions.
    """

    def __init__(self, light: Array) -> None:
        self._light = light
        corners = _corners(light)
        self._cones = _cones(corners)
        self._place, places = _lattice()
        colours = np.concatenate([_points(cone, places) for cone in self._cones])
        able = np.concatenate([_able(light, cone, places) for cone in self._cones])
        most = EASE * _least_effort(light, colours)
        # for each point of each cone's lattice the levels, for light of strength 1
        self._levels: Array = _even(light, colours, able * most[:, None]).T.copy()
        self._inverses = np.asarray(np.linalg.inv(self._cones.transpose(0, 2, 1)))
        self._stride = len(places)
        self._together = self._coarse_enough()

    def levels(self, colours: Array) -> tuple[Array, npt.NDArray[np.bool_]]:
        """Returns levels (N, K), the strongest at 1, of colours (3, K), and which of
        them (K) cannot be given.
        """
        shares, least, cone = self._shares(colours)
        shares = np.maximum(shares[cone, :, np.arange(len(cone))], 0.0)
        size = SIZE // self._together
        along = shares[:, 1:] * (size / shares.sum(axis=1))[:, None]
        points, weights = self._cell(along[:, 0], along[:, 1], size)

        points += cone * self._stride
        levels = weights[0] * self._levels.take(points[0], axis=1)
        levels += weights[1] * self._levels.take(points[1], axis=1)
        levels += weights[2] * self._levels.take(points[2], axis=1)
        top = levels.max(axis=0)
        levels = np.maximum(levels, 0.0) / np.maximum(top, TINY)

        return levels, least < -TINY

    def _shares(self, colours: Array) -> tuple[Array, Array, Ints]:
        """How colours (3, K) are made of the three edges of each cone (F, 3, K), the
        least share in the cone that they lie in (K), and which that is (K).
        """
        shares = self._inverses @ colours
        least = shares.min(axis=1)
        cone = least.argmax(axis=0)
        return shares, least.max(axis=0), cone

    def _cell(self, along: Array, across: Array, size: int) -> tuple[Ints, Array]:
        """The three points of the lattice (3, K) that a place in a cone lies between,
        and their weights (3, K).
        """
        # the far edge belongs to the last cells before it
        column = np.minimum(along.astype(np.int64), size - 1)
        row = np.minimum(across.astype(np.int64), size - 1 - column)
        right, up = along - column, across - row
        upper = (right + up > 1.0) & (column + row < size - 1)
        times = self._together
        corner = self._place[
            times * (column + upper), times * np.minimum(row + upper, size)
        ]

        beside = self._place[times * (column + 1), times * row]
        above = self._place[times * column, times * (row + 1)]
        first = np.where(upper, 1.0 - up, right)
        second = np.where(upper, 1.0 - right, up)
        points = np.stack([corner, beside, above])

        return points, np.stack([1.0 - first - second, first, second])

    def _coarse_enough(self) -> int:
        """How many cells go together so that no fade is too steep; where all are, those
        that are least so.
        """
        steps = {}
        for self._together in COARSER:
            steps[self._together] = self._steepest()
            if steps[self._together] <= STEP:
                return self._together
        return min(steps, key=lambda together: steps[together])

    def _steepest(self) -> float:
        """The most that a level moves in a frame of a slow fade, over many of them."""
        begin, end, at = _fades()
        way = end - begin
        now = self._levels_of(begin + way * at)
        after = self._levels_of(begin + way * (at + 1.0 / FRAMES))
        return float(np.nanmax(np.abs(after - now), initial=0.0))

    def _levels_of(self, lab: Array) -> Array:
        """Levels (N, K) of OKLab colours (3, K); none where they cannot be given."""
        light = np.minimum(np.maximum(from_oklab_rows(lab), 0.0), 1.0)
        levels, gone = self.levels(light)
        levels *= light.max(axis=0)
        levels[:, gone] = np.nan
        return levels


@cache
def _fades() -> tuple[Array, Array, Array]:
    """Ends of fades in OKLab (3, K), of any colours and of the strongest, and where
    each is looked at (K, 0…1).
    """
    dice = np.random.default_rng(1)
    ends = dice.random((2, 3, LOOKS))
    strong = np.array([[n >> bit & 1 for n in range(1, 8)] for bit in range(3)], float)
    for side in (0, 1):
        some = dice.random(LOOKS) < 0.6
        ends[side][:, some] = strong[:, dice.integers(7, size=int(some.sum()))]
    return to_oklab_rows(ends[0]), to_oklab_rows(ends[1]), dice.random(LOOKS)


def _corners(light: Array) -> Array:
    """The emitters (H, 3) that no others can stand in for, in their order around the
    colours that can be given: the convex hull of their chromaticities.

    A. M. Andrew, “Another efficient algorithm for convex hulls in two dimensions”
    (1979).
    """
    flat = light[:, :2] / (light @ LUMINANCE)[:, None]
    order = np.lexsort((flat[:, 1], flat[:, 0])).tolist()

    def half(ways: list[int]) -> list[int]:
        hull: list[int] = []
        for i in ways:
            while len(hull) > 1:
                side, turn = flat[hull[-1]] - flat[hull[-2]], flat[i] - flat[hull[-2]]
                if side[0] * turn[1] - side[1] * turn[0] > ALIKE:
                    break

                hull.pop()

            hull.append(i)

        return hull[:-1]

    found = light[half(order) + half(order[::-1])]
    return np.asarray(found / found.max(axis=1, keepdims=True))


def _cones(corners: Array) -> Array:
    """The colours that can be given, cut like a cake (F, 3, 3): from white, where it is
    well inside, to one corner and the next.
    """
    following = np.roll(corners, -1, axis=0)
    white = np.ones(3)
    if np.linalg.det(_cone(white, corners, following)).min() < 0.02:
        white = corners.mean(axis=0)
        white = white / white.max()
    return _cone(white, corners, following)


def _cone(middle: Array, corners: Array, following: Array) -> Array:
    return np.stack(
        [np.broadcast_to(middle, corners.shape), corners, following], axis=1
    )


def _lattice() -> tuple[Ints, Ints]:
    """The number of each point of a triangular lattice, by column and row, and column
    and row of each point (P, 2).
    """
    places = np.array(
        [(j, k) for j in range(SIZE + 1) for k in range(SIZE + 1 - j)], np.int64
    )
    number = np.zeros((SIZE + 2, SIZE + 2), np.int64)
    number[places[:, 0], places[:, 1]] = np.arange(len(places))
    return number, places


def _points(cone: Array, places: Ints) -> Array:
    """The colours (P, 3) at the points of a cone's lattice."""
    shares = np.column_stack([SIZE - places.sum(axis=1), places]) / SIZE
    return np.asarray(shares @ cone)


def _able(light: Array, cone: Array, places: Ints) -> npt.NDArray[np.bool_]:
    """Which emitters (P, N) may take part at the points of a cone's lattice: on the
    outer edge only those that lie on it.
    """
    strength = ALIKE * np.linalg.norm(light, axis=1)
    _, corner, following = cone
    outward = np.cross(corner, following)
    outward /= np.linalg.norm(outward)
    able = np.ones((len(places), len(light)), bool)
    able[places.sum(axis=1) == SIZE] &= np.abs(light @ outward) < strength
    for column, end in enumerate((corner, following)):
        like = np.linalg.norm(np.cross(light, end), axis=1) < strength
        able[places[:, column] == SIZE] &= like
    return able


def _least_effort(light: Array, colours: Array) -> Array:
    """How far the strongest level must go (P) to give each of the colours (P, 3).

    The light that N emitters can give is a zonotope, the sum of N segments. Each of its
    faces is spanned by two emitters, and the others are off or full on it, as they lie
    behind or before it (G. M. Ziegler, “Lectures on Polytopes”, chapter 7).
    """
    faces = []
    for one, other in combinations(light, 2):
        normal = np.cross(one, other)
        size = np.linalg.norm(normal)
        if size < TINY:
            continue

        for outward in (normal / size, -normal / size):
            reach = np.maximum(light @ outward, 0.0).sum()
            if reach > TINY:
                faces.append(outward / reach)

    return np.asarray((np.array(faces) @ colours.T).max(axis=0))


def _even(light: Array, colours: Array, most: Array) -> Array:
    """Returns levels (P, N) between 0 and `most` (P, N) that give colours (P, 3)
    exactly, as even as can be: those with the least sum of squares.

    It is the dual that is solved, three unknowns a colour, by Newton's way with a
    damped step (D. P. Bertsekas, “Nonlinear Programming”, 2nd edition, sections 1.2
    and 5.1).
    """
    unknowns = np.asarray(np.linalg.solve(light.T @ light, colours.T).T)
    strength = float((light**2).sum())
    levels = np.zeros_like(most)
    todo = np.arange(len(colours))

    for _ in range(60):
        target, top = colours[todo], most[todo]
        now = unknowns[todo]
        value, asked = _dual(light, target, top, now)
        levels[todo] = np.minimum(np.maximum(asked, 0.0), top)
        missing = target - levels[todo] @ light
        off = np.linalg.norm(missing, axis=1) / np.linalg.norm(target, axis=1)

        if off.max(initial=0.0) < CLOSE:
            break

        free = ((asked > 0.0) & (asked < top)).astype(float)
        curve = np.einsum("pn,na,nb->pab", free, light, light)
        curve += ((1e-3 * off + 1e-13) * strength)[:, None, None] * np.eye(3)
        step = np.linalg.solve(curve, missing[:, :, None])[:, :, 0]
        fall = -(missing * step).sum(axis=1)

        part = np.ones(len(todo))
        for _ in range(40):
            after, _ = _dual(light, target, top, now + part[:, None] * step)
            worse = after > value + 1e-4 * part * fall + 1e-15
            if not worse.any():
                break

            part[worse] /= 2

        unknowns[todo] = now + part[:, None] * step
        todo = todo[off >= CLOSE]

    return levels


def _dual(
    light: Array, colours: Array, most: Array, unknowns: Array
) -> tuple[Array, Array]:
    """The dual's value (P), and what it asks of the emitters (P, N)."""
    asked = unknowns @ light.T
    levels = np.minimum(np.maximum(asked, 0.0), most)
    value = (levels * asked - levels * levels / 2).sum(axis=1)
    return value - (unknowns * colours).sum(axis=1), asked
