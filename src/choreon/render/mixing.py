"""What any set of emitters makes of a target colour: its chromaticity, as bright as it
goes without a jump between two colours that look alike.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from choreon.model.colours import light_of
from choreon.model.fixture_type import Emitter
from choreon.render.colour import from_oklab_rows, to_oklab_rows
from choreon.render.mix_table import MixTable

Array = npt.NDArray[np.float64]

TINY = 1e-9
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


@lru_cache(64)
def _table(light: tuple[tuple[float, ...], ...]) -> MixTable:
    """Types whose emitters are alike share their table, and so do edits of a show."""
    return MixTable(np.array(light))


class Mixer:
    """Mixes colours with emitters whose light at full is `light` (N, 3), linear
    Rec.709.
    """

    def __init__(self, light: Sequence[Sequence[float]] | Array) -> None:
        self.light = np.array(light, float).reshape(-1, 3)
        self._inverse: Array | None = None
        self._table: MixTable | None = None
        if not self.spans():
            return
        if len(self.light) == 3:  # they have but one mix of a colour
            self._inverse = np.linalg.inv(self.light.T)
        else:
            self._table = _table(tuple(map(tuple, self.light.tolist())))

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
        saturated of its hue (in OKLab) that they do; one of them is at full, or all are
        scaled by the target's strongest part.
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
        """Returns levels (N, K), the strongest at 1, of colours (3, K), and which
        colours (K) cannot be given at all.
        """
        if self._inverse is not None:
            return self._of_three(unit)
        if self._table is None:
            nothing = np.zeros((len(self.light), unit.shape[1]))
            return nothing, np.zeros(unit.shape[1], bool)
        return self._table.levels(unit)

    def _of_three(self, unit: Array) -> tuple[Array, npt.NDArray[np.bool_]]:
        assert self._inverse is not None
        levels = _dot(unit, self._inverse)
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


def _dot(parts: Array, ways: Array) -> Array:
    """Colours (3, K) along ways (F, 3), as (F, K): to the last bit the same for a
    colour, whichever others are with it.
    """
    along = ways[:, 0:1] * parts[0]
    along += ways[:, 1:2] * parts[1]
    along += ways[:, 2:3] * parts[2]
    return np.asarray(along)


def _one_over(most: Array) -> Array:
    """1 / most; 0 where there is nothing."""
    return np.where(most > TINY, 1.0 / np.maximum(most, TINY), 0.0)


def _paler(lab: Array, share: Array) -> Array:
    """OKLab colours (3, K) with that share (K) of their saturation, as light (3, K)."""
    paler = lab.copy()
    paler[1:] *= share
    return np.maximum(from_oklab_rows(paler), 0.0)
