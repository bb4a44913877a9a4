"""Colours from stops: tables in linear light."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from choreon.model.motion import ColourStop, colour_of_stop
from choreon.model.show import Show
from choreon.render.colour import from_oklab_rows, to_oklab_rows

Floats = npt.NDArray[np.float64]

SIZE = 256


class Stops:
    """Colours (3, SIZE) between stops, linear light, mixed in OKLab: from the first to
    the last, and, with `ring`, on to the first again. `hard`: side by side.
    """

    def __init__(
        self, show: Show, stops: Sequence[ColourStop], ring: bool, hard: bool = False
    ) -> None:
        light = [colour_of_stop(show, stop) for stop in stops] or [(1.0, 1.0, 1.0)]
        own = np.clip(np.array(light, float).T, 0.0, 1.0)
        count, place = own.shape[1], (np.arange(SIZE) + 0.5) / SIZE
        if hard:
            self.table = own[:, (place * count).astype(np.int64)]
            return

        lab = to_oklab_rows(own)
        if ring:
            lab = np.concatenate([lab, lab[:, :1]], axis=1)
        # the ends of a table are the stops themselves
        along = np.arange(SIZE) / (SIZE if ring else SIZE - 1) * (lab.shape[1] - 1)
        first = np.minimum(along.astype(np.int64), max(0, lab.shape[1] - 2))
        share = along - first
        after = np.minimum(first + 1, lab.shape[1] - 1)
        mixed = lab[:, first] + share * (lab[:, after] - lab[:, first])
        self.table = np.clip(from_oklab_rows(mixed), 0.0, 1.0)

    def at(self, along: Floats) -> Floats:
        """Returns the colours (3, n) at places (n), 0…1, along the stops."""
        place = (along * SIZE).astype(np.int64)
        return self.table.take(np.clip(place, 0, SIZE - 1, out=place), axis=1)
