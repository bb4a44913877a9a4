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
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from choreon.model.colours import light_of
from choreon.model.fixture_type import Emitter
from choreon.render.colour import from_oklab_rows, to_oklab_rows

Array = npt.NDArray[np.float64]

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
    along = ways[:, 0:1] * parts[0]
    along += ways[:, 1:2] * parts[1]
    along += ways[:, 2:3] * parts[2]
    return np.asarray(along)


class _Face(NamedTuple):
    """A face of what the emitters can give: which two span it, its normal away from
    black, the levels of the others, and levels of the two (2, 3) from a point of it.
    """

    pair: tuple[int, int]
    outward: Array
    full: Array
    solve: Array


class Mixer:
    """Mixes colours with emitters whose light at full is `light` (N, 3), linear
    Rec.709.
    """

    def __init__(self, light: Sequence[Sequence[float]] | Array) -> None:
        self.light = np.array(light, float).reshape(-1, 3)
        self._inverse: Array | None = None
        self._gives_all = False  # three that give any colour of positive parts
        if len(self.light) == 3 and self.spans():
            self._inverse = np.linalg.inv(self.light.T)
            self._gives_all = bool(self._inverse.min() >= 0.0)
        faces = [
            face
            for i, j in combinations(range(len(self.light)), 2)
            for face in self._faces(i, j)
        ]
        normals = np.array([face.outward for face in faces]).reshape(-1, 3)
        full = np.array([face.full for face in faces]).reshape(-1, len(self.light))
        # how far from black a face lies; one through black bounds what can be given
        reach = np.einsum("fc,fc->f", normals, full @ self.light)
        outer = reach > THROUGH
        # what no emitter lies before bounds the colours that can be given; a face that
        # no colour of positive parts lies behind bounds nothing
        self.beyond: Array = normals[~outer & (normals.max(axis=1) > TINY)]
        self.outward: Array = normals[outer] / reach[outer, None]
        self.maps: Array = self._all_maps(
            [face for face, is_outer in zip(faces, outer, strict=True) if is_outer]
        )

    def _all_maps(self, faces: list[_Face]) -> Array:
        """For each face (F) how levels follow from a point of it: N factors for each of
        the three parts of its light, and N constants; (4 · N, F).
        """
        count = len(self.light)
        maps = np.zeros((4, count, len(faces)))
        for n, face in enumerate(faces):
            pair = list(face.pair)
            maps[3, :, n] = face.full
            maps[3, pair, n] = -face.solve @ (face.full @ self.light)
            maps[:3, pair, n] = face.solve.T
        return maps.reshape(4 * count, len(faces))

    def _faces(self, i: int, j: int) -> list[_Face]:
        """The two faces that a pair of emitters spans; none where they are alike."""
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
            found.append(_Face((i, j), side * normal, full, solve))
        return found

    def spans(self) -> bool:
        """Whether the emitters make more than a line of colours."""
        return (
            len(self.light) >= 3
            and abs(float(np.linalg.matrix_rank(self.light, tol=1e-6))) == 3
        )

    def mix(self, rgb: Array) -> Array:
        """Returns levels 0…1 of the emitters (K, N) for targets (K, 3) in linear
        Rec.709, 0…1.

        Their chromaticity is the target's where the emitters reach it, else the most
        saturated of its hue (in OKLab) that they do; the mix is the brightest of that
        chromaticity, scaled by the target's strongest part.
        """
        return self.mix_rows(np.ascontiguousarray(rgb.T)).T

    def mix_rows(self, rgb: Array) -> Array:
        """Returns the same as `mix`, from (3, K) to (N, K)."""
        top = np.maximum(np.maximum(rgb[0], rgb[1]), rgb[2])
        unit = np.where(top > TINY, rgb / np.maximum(top, TINY), 1.0)
        levels, gone = self.brightest(unit)
        if gone.any():
            levels[:, gone] = self.brightest(self._inside(unit[:, gone]))[0]
        levels *= top
        return levels

    def brightest(self, unit: Array) -> tuple[Array, npt.NDArray[np.bool_]]:
        """Returns levels (N, K) where the rays of colours (3, K) leave what the
        emitters can give, and which colours (K) cannot be given at all.
        """
        if self._inverse is not None:
            return self._brightest_of_three(unit)
        count = len(self.light)
        if not self.outward.size:
            return np.zeros((count, unit.shape[1])), np.zeros(unit.shape[1], bool)
        # how far along the outward normals, in reaches: the face with the most is met
        # first, at one over that
        along = _dot(unit, self.outward)
        face = along.argmax(axis=0)
        # each colour's ray leaves through one face, and there levels follow from the
        # point by that face's map: three factors and a constant
        maps = self.maps.take(face, axis=1).reshape(4, count, -1)
        point = unit * _one_over(along.max(axis=0))
        levels = maps[3]
        for part in range(3):
            maps[part] *= point[part]
            levels += maps[part]
        np.minimum(np.maximum(levels, 0.0, out=levels), 1.0, out=levels)
        gone = np.zeros(unit.shape[1], bool)
        for behind in _dot(unit, self.beyond) > TINY:
            gone |= behind
        return levels, gone

    def _brightest_of_three(self, unit: Array) -> tuple[Array, npt.NDArray[np.bool_]]:
        """Three emitters have but one mix of a colour; at its brightest the strongest
        of them is full.
        """
        assert self._inverse is not None
        levels = _dot(unit, self._inverse)
        if self._gives_all:
            gone = np.zeros(unit.shape[1], bool)
        else:
            gone = levels.min(axis=0) < -TINY
        levels *= _one_over(levels.max(axis=0))
        np.minimum(np.maximum(levels, 0.0, out=levels), 1.0, out=levels)
        return levels, gone

    def _inside(self, unit: Array) -> Array:
        """The colours (3, K) made paler, hue and lightness kept, until they can be
        given.
        """
        lab = to_oklab_rows(unit)
        low, high = np.zeros(unit.shape[1]), np.ones(unit.shape[1])
        for _ in range(STEPS):
            middle = (low + high) / 2
            gone = self.brightest(_paler(lab, middle))[1]
            low, high = np.where(gone, low, middle), np.where(gone, middle, high)
        return _paler(lab, low)

    def light_of(self, levels: Array) -> Array:
        """Returns the light (K, 3) of levels (K, N)."""
        return np.asarray(levels @ self.light)


def _one_over(most: Array) -> Array:
    """1 / most; 0 where there is nothing."""
    return np.where(most > TINY, 1.0 / np.maximum(most, TINY), 0.0)


def _paler(lab: Array, share: Array) -> Array:
    """OKLab colours (3, K) with that share (K) of their saturation, as light (3, K)."""
    paler = lab.copy()
    paler[1:] *= share
    return np.maximum(from_oklab_rows(paler), 0.0)
