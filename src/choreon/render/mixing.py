"""What any set of emitters makes of a target colour: the brightest mix of that
chromaticity.

The light that N emitters can give is a zonotope: the sum of N segments in linear RGB.
The brightest mix of a colour is where the ray of that colour leaves it. Each face is
spanned by two emitters; on it the others are off or full, as they lie behind or before
it (G. M. Ziegler, “Lectures on Polytopes”, chapter 7: faces of zonotopes).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import combinations

import numpy as np
import numpy.typing as npt

from choreon.model.colours import light_of
from choreon.model.fixture_type import Emitter
from choreon.render.colour import from_oklab, to_oklab

Array = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

TINY = 1e-9
THROUGH = 1e-7  # a face that comes nearer to black than this goes through it
STEPS = 24  # halvings in the search for the most saturated colour that can be made


USUAL = {
    "ColorAdd_R": (1.0, 0.0, 0.0),
    "ColorAdd_G": (0.0, 1.0, 0.0),
    "ColorAdd_B": (0.0, 0.0, 1.0),
    "ColorAdd_W": (1.0, 1.0, 1.0),
    "ColorAdd_RY": (1.0, 0.42, 0.02),
    "ColorAdd_UV": (0.16, 0.02, 0.55),
    "ColorAdd_GY": (0.62, 1.0, 0.05),
    "ColorAdd_C": (0.0, 0.85, 0.9),
    "ColorAdd_WW": (1.0, 0.76, 0.48),
    "ColorAdd_CW": (0.82, 0.92, 1.0),
    "ColorAdd_M": (0.9, 0.1, 0.85),
    "ColorAdd_Y": (1.0, 0.85, 0.05),
    "ColorAdd_GC": (0.0, 0.95, 0.6),
    "ColorAdd_BC": (0.1, 0.45, 1.0),
    "ColorAdd_BM": (0.35, 0.05, 1.0),
    "ColorAdd_RM": (1.0, 0.1, 0.4),
}
"""Light at full, linear Rec.709, of emitters whose type says nothing of them: the
primaries themselves, a white as strong as all three, the others as they usually look.
"""


def light_at_full(names: Sequence[str], known: Mapping[str, Emitter]) -> Array:
    """The light (N, 3) of emitters at full: as the type says where it says it of all,
    else as usual.

    It is scaled so that red, green and blue together make white of strength 1, as far
    as there are such.
    """
    if not all(n in known and known[n].y > 0 for n in names):
        return np.array([USUAL[n] for n in names])
    light = np.array(
        [light_of(known[n].x, known[n].y, known[n].strength) for n in names]
    )
    primaries = [
        i
        for i, n in enumerate(names)
        if n in ("ColorAdd_R", "ColorAdd_G", "ColorAdd_B")
    ]
    white = Mixer(light[primaries] if len(primaries) == 3 else light)
    top = (
        float(white.light_of(white.mix(np.ones((1, 3)))).max())
        if white.spans()
        else float(light.max())
    )
    return np.asarray(light / max(top, TINY))


def _dot(parts: Array, ways: Array) -> Array:
    """Colours (3, K) along ways (F, 3), as (F, K): to the last bit the same for a
    colour, whichever others are with it.
    """
    return np.asarray(
        ways[:, 0:1] * parts[0] + ways[:, 1:2] * parts[1] + ways[:, 2:3] * parts[2]
    )


class Mixer:
    """Mixes colours with emitters whose light at full is `light` (N, 3), linear
    Rec.709.
    """

    def __init__(self, light: Sequence[Sequence[float]] | Array) -> None:
        self.light = np.array(light, float).reshape(-1, 3)
        faces = [
            f
            for i, j in combinations(range(len(self.light)), 2)
            for f in self._faces(i, j)
        ]
        normals = np.array([f[1] for f in faces]).reshape(-1, 3)
        fixed = np.array([f[2] for f in faces]).reshape(-1, len(self.light))
        reach = np.einsum(
            "fc,fc->f", normals, fixed @ self.light
        )  # how far from black a face lies
        outer = reach > THROUGH
        self.beyond: Array = normals[
            ~outer
        ]  # faces through black: a colour behind one of them cannot be given
        self.outward: Array = normals[outer] / reach[outer, None]
        self.pairs: Ints = np.array([f[0] for f in faces], np.int64).reshape(-1, 2)[
            outer
        ]
        self.fixed: Array = fixed[outer]
        self.solve: Array = np.array([f[3] for f in faces]).reshape(-1, 2, 3)[outer]
        self.corner: Array = self.fixed @ self.light

    def _faces(
        self, i: int, j: int
    ) -> list[tuple[tuple[int, int], Array, Array, Array]]:
        """The two faces that a pair of emitters spans: outward normal, the others'
        levels, levels from a point.
        """
        normal = np.cross(self.light[i], self.light[j])
        size = float(np.linalg.norm(normal))
        if size < TINY:
            return []
        normal /= size
        plane = np.stack([self.light[i], self.light[j]], axis=1)
        solve = np.linalg.pinv(plane)
        found = []
        for side in (1.0, -1.0):
            full = (self.light @ (side * normal) > TINY).astype(float)
            full[[i, j]] = 0.0
            found.append(((i, j), side * normal, full, solve))
        return found

    def spans(self) -> bool:
        """Whether the emitters make more than a line of colours."""
        return (
            len(self.light) >= 3
            and abs(float(np.linalg.matrix_rank(self.light, tol=1e-6))) == 3
        )

    def mix(self, rgb: Array) -> Array:
        """Levels 0…1 of the emitters (K, N) for targets (K, 3) in linear Rec.709, 0…1.

        Their chromaticity is the target's where the emitters reach it, else the most
        saturated of its hue (in OKLab) that they do; the mix is the brightest of that
        chromaticity, scaled by the target's strongest part.
        """
        top = np.maximum(np.maximum(rgb[:, 0], rgb[:, 1]), rgb[:, 2])
        unit = np.where(top[:, None] > TINY, rgb / np.maximum(top, TINY)[:, None], 1.0)
        return np.asarray(self._solved(unit) * top[:, None])

    def _solved(self, unit: Array) -> Array:
        levels, gone = self._brightest(unit)
        if self.beyond.size and gone.any():
            levels[gone] = self._brightest(self._inside(unit[gone]))[0]
        return levels

    def _brightest(self, unit: Array) -> tuple[Array, npt.NDArray[np.bool_]]:
        """Levels where the rays of the colours leave what the emitters can give, and
        which cannot be given at all.
        """
        count = np.arange(len(unit))
        if not self.outward.size:
            return np.zeros((len(unit), len(self.light))), np.zeros(len(unit), bool)
        parts = np.ascontiguousarray(unit.T)
        along = _dot(parts, self.outward)
        face = along.argmax(axis=0)
        most = along[face, count]
        scale = np.where(most > TINY, 1.0 / np.maximum(most, TINY), 0.0)
        inside = unit * scale[:, None] - self.corner.take(face, axis=0)
        levels = self.fixed.take(face, axis=0)
        solve, pairs = self.solve.take(face, axis=0), self.pairs.take(face, axis=0)
        for side in (0, 1):
            one, two, three = solve[:, side, 0], solve[:, side, 1], solve[:, side, 2]
            level = one * inside[:, 0] + two * inside[:, 1] + three * inside[:, 2]
            levels[count, pairs[:, side]] = np.minimum(np.maximum(level, 0.0), 1.0)
        gone = np.zeros(len(unit), bool)
        for behind in _dot(parts, self.beyond) > TINY:
            gone |= behind
        return levels, gone

    def _inside(self, unit: Array) -> Array:
        """The colours made paler, hue and lightness kept, until they can be given."""
        lab = to_oklab(unit)
        low, high = np.zeros(len(unit)), np.ones(len(unit))
        for _ in range(STEPS):
            middle = (low + high) / 2
            gone = self._brightest(self._paler(lab, middle))[1]
            low, high = np.where(gone, low, middle), np.where(gone, middle, high)
        return self._paler(lab, low)

    @staticmethod
    def _paler(lab: Array, share: Array) -> Array:
        paler = lab * np.stack([np.ones(len(lab)), share, share], axis=1)
        return np.maximum(from_oklab(paler), 0.0)

    def light_of(self, levels: Array) -> Array:
        """The light (K, 3) of levels (K, N)."""
        return np.asarray(levels @ self.light)
