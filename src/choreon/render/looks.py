"""Compiling looks: a scene's or a draft's values become rows and numbers of the compiled rig."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from choreon.model.show import Look
from choreon.render.colour import to_oklab
from choreon.render.rig import Floats, Ints, Rig

Flags = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Compiled:
    """A look on a rig. `intensity` is dense (I + 1: the last stands for “always lit” and is 0), `held` says which
    intensities it gives. Other rows are sparse; `shown` says for each whether this look also lights it."""

    intensity: Floats
    held: Flags
    rows: Ints
    values: Floats
    snap: Flags
    light: Ints
    shown: Flags
    all_shown: bool
    any_snap: bool


def compile_look(rig: Rig, look: Look) -> Compiled:
    """Compile a look; fixtures and attributes that the rig does not have are passed over, values are clipped."""
    values: dict[int, float] = {}
    for fixture, wanted in look.items():
        has = rig.where.get(fixture)
        if has:
            for name, value in wanted.items():
                values.update(_rows(rig, has.get(name, ()), value))
    intensity = np.zeros(rig.intensities + 1)
    held = np.zeros(rig.intensities + 1, bool)
    for row in [r for r in values if r < rig.intensities]:
        intensity[row] = values.pop(row)
        held[row] = True
    _colours(rig, values)
    rows = np.array(sorted(values), np.int64)
    return look_of(rig, intensity, held, rows, np.array([values[int(r)] for r in rows]))


def look_of(rig: Rig, intensity: Floats, held: Flags, rows: Ints, values: Floats) -> Compiled:
    """A compiled look from its numbers; what follows from them is filled in."""
    snap, light = rows >= rig.snaps_from, rig.light[rows]
    shown = intensity[light] > 0
    return Compiled(intensity, held, rows, values, snap, light, shown, bool(shown.all()), bool(snap.any()))


def stack(rig: Rig, looks: Sequence[Compiled]) -> Compiled:
    """Looks laid over each other at full weight, the first lowest, as one."""
    values, given = np.zeros(rig.size), np.zeros(rig.size, bool)
    intensity = np.zeros(rig.intensities + 1)
    held = np.zeros(rig.intensities + 1, bool)
    for look in looks:
        values[look.rows] = look.values
        given[look.rows] = True
        np.maximum(intensity, look.intensity, out=intensity)
        held |= look.held
    rows = np.flatnonzero(given)
    return look_of(rig, intensity, held, rows, values[rows])


def _rows(
    rig: Rig, places: list[tuple[int, int]] | tuple[()], value: float | tuple[float, ...]
) -> Iterator[tuple[int, float]]:
    """A number reaches every cell; of a tuple, each cell takes its own, the last one standing in for any missing."""
    for cell, row in places:
        if isinstance(value, tuple):
            one = value[min(max(cell - 1, 0), len(value) - 1)] if value else rig.home[row]
        else:
            one = value
        if np.isfinite(one):
            yield row, float(min(max(one, rig.low[row]), rig.high[row]))


def _colours(rig: Rig, values: dict[int, float]) -> None:
    """Turn the target colours among `values` into OKLab; a part that is not given is 0."""
    first = rig.intensities
    found = sorted({(row - first) // 3 for row in values if first <= row < rig.colour_rows.stop})
    if not found:
        return
    rgb = [[values.get(first + 3 * k + i, 0.0) for i in range(3)] for k in found]
    for k, lab in zip(found, to_oklab(rgb), strict=True):
        values.update({first + 3 * k + i: float(lab[i]) for i in range(3)})
