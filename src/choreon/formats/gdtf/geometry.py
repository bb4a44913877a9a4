"""The geometry of a GDTF file: what hangs on what, and where cells lie as one looks at
them.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

FURTHEST = 100.0  # metres of a cell from its fixture's middle
DEEPEST = 40  # parts of parts of parts
Turned = npt.NDArray[np.float64]


def all_geometries(found, depth: int = 0) -> Iterable[object]:  # type: ignore[no-untyped-def]
    """Every geometry, those within others too."""
    for one in found:
        yield one
        if depth < DEEPEST:
            yield from all_geometries(getattr(one, "geometries", ()), depth + 1)


def places_of(found, parent: Turned | None = None, depth: int = 0) -> dict[str, Turned]:  # type: ignore[no-untyped-def]
    """Geometry name → its frame in the fixture's (4, 4; metres), the turns of all it
    hangs on taken along.
    """
    places: dict[str, Turned] = {}
    for one in found:
        matrix = np.array(one.position.matrix, float)
        own = (
            matrix
            if matrix.shape == (4, 4) and np.isfinite(matrix).all()
            else np.eye(4)
        )
        own = np.clip(own if parent is None else parent @ own, -FURTHEST, FURTHEST)
        places[one.name] = own
        if depth < DEEPEST:
            places |= places_of(getattr(one, "geometries", ()), own, depth + 1)
    return places


def belonging(found, cells: Sequence[str]) -> dict[str, int]:  # type: ignore[no-untyped-def]
    """Geometry name → the cell (from 1) that it is, is part of, or has as its only one;
    all else belongs to the whole.
    """
    numbers = {name: i for i, name in enumerate(cells, 1)}
    belongs: dict[str, int] = {}

    def below(one: Any, above: int, depth: int) -> set[int]:
        own = numbers.get(one.name, above)
        inner = {own} if own else set()
        if depth < DEEPEST:
            for child in getattr(one, "geometries", ()):
                inner |= below(child, own, depth + 1)
        if len(inner) == 1:
            belongs[one.name] = next(iter(inner))
        return inner

    for one in found:
        below(one, 0, 0)
    return belongs if len(cells) > 1 else numbers


def layout(
    names: Sequence[str], places: Mapping[str, Turned]
) -> list[tuple[float, float]]:
    """Where cells lie (metres) as seen by who looks at them: across and along the face
    of the fixture, or, where they stand one above the other, across and up.
    """
    spots = np.array(
        [places[n][:3, 3] if n in places else np.zeros(3) for n in names]
    ).reshape(-1, 3)
    extent = np.ptp(spots, axis=0) if len(spots) else np.zeros(3)
    up = 2 if extent[2] > 1e-4 and extent[1] <= 1e-4 else 1
    return [(round(float(s[0]), 5), round(float(s[up]), 5)) for s in spots]
