"""What beams keep out of, judged at the very end: where the beams of heads that a path
moves go when all layers are laid. Close to an area such a head goes dark, softly.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from choreon.model.show import Room
from choreon.render import aim, reaching
from choreon.render.heads import Heads

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

EDGE = (
    0.1  # metres about an area in which a beam is dark: no head turns finer than that
)
MARGIN = 0.4  # metres about an area, from which on inwards a beam goes dark
SEARCH = 18  # steps in search of where a beam comes nearest to an area


def clear_of(room: Room, heads: Heads, which: Ints, values: Floats) -> Floats:
    """Returns how clear of all areas the beams of heads (h) are, 0…1. `values` (P): all
    parameters as they come out.
    """
    angles = values[heads.rows[which]]
    ways = aim.beam(heads.hanging[which], angles[:, 0], angles[:, 1])
    return clearance(room, heads.place[which], ways)


def clearance(room: Room, places: Floats, ways: Floats) -> Floats:
    """Returns how clear beams (n) from `places` (n, 3) along `ways` (n, 3, unit) are of
    all areas: 0 up to EDGE metres away, 1 from MARGIN on.
    """
    clear = np.ones(len(ways))
    ends = reaching.lengths(room, places, ways)

    for area in reaching.kept_areas(room):
        low, high = reaching.corners(area)
        near = reaching.enter(low - MARGIN, high + MARGIN, places, ways, ends)
        if not near.any():
            continue

        away = _nearest(low, high, places[near], ways[near], ends[near])
        soft = np.clip((away - EDGE) / (MARGIN - EDGE), 0.0, 1.0)
        clear[near] = np.minimum(clear[near], soft)

    return clear


def _nearest(
    low: Floats, high: Floats, places: Floats, ways: Floats, ends: Floats
) -> Floats:
    """How near (n, metres) beams come to a box. Along a line the distance to a box
    falls and then rises, so that it is found by thirds.
    """

    def distance(along: Floats) -> Floats:
        point = places + along[:, None] * ways
        beside = np.maximum(np.maximum(low - point, point - high), 0.0)
        return np.asarray(np.linalg.norm(beside, axis=1))

    begin, end = np.zeros(len(ends)), ends.copy()
    for _ in range(SEARCH):
        third = (end - begin) / 3.0
        one, other = begin + third, end - third
        nearer = distance(one) < distance(other)
        end = np.where(nearer, other, end)
        begin = np.where(nearer, begin, one)

    return distance((begin + end) / 2.0)
