"""What cells see of a picture: the average over their own area, in linear light.

By sums over all that lies below and to the left (summed-area table: F. C. Crow,
Summed-area tables for texture mapping, 1984): between pixels such sums go straight in
both directions, so that four of them give the exact average over any upright box.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Bytes = npt.NDArray[np.uint8]

LEAST = 1e-3  # pixels that a box is wide at least


def _linear() -> Floats:
    """IEC 61966-2-1, the other way round."""
    value = np.arange(256) / 255.0
    low = value / 12.92
    return np.where(value <= 0.04045, low, ((value + 0.055) / 1.055) ** 2.4)


LINEAR = _linear()
"""Bytes as on screens → linear light."""


def from_bytes(pixels: Bytes) -> Floats:
    """Returns pixels (h, w, 3 or 4) as linear light (h, w, 4), multiplied by what
    covers.
    """
    made = np.ones((*pixels.shape[:2], 4))
    made[..., :3] = LINEAR.take(pixels[..., :3])
    if pixels.shape[2] == 4:
        cover = pixels[..., 3:] / 255.0
        made[..., :3] *= cover
        made[..., 3:] = cover
    return made


class Sums:
    """A picture (h, w, 4), the first row uppermost, as sums. `tiled`: it goes on beside
    itself.
    """

    def __init__(self, picture: Floats, tiled: bool = False) -> None:
        self.high, self.wide = picture.shape[:2]
        self.tiled = tiled
        sums = np.zeros((self.high + 1, self.wide + 1, 4))
        # from below upwards, as cells are counted
        np.cumsum(picture[::-1], axis=0, out=sums[1:, 1:])
        np.cumsum(sums[1:, 1:], axis=1, out=sums[1:, 1:])
        self.sums = sums
        self._flat = sums.reshape(-1, 4)

    def average(self, middle: Floats, half: Floats) -> Floats:
        """Returns what boxes about `middle` (2, n) see, reaching `half` (2, n) to each
        side, in parts of the picture from its lower left corner: light and cover (4,
        n). Beside the picture there is nothing.
        """
        size = np.array([[float(self.wide)], [float(self.high)]])
        centre = middle * size
        reach = np.maximum(half * size, LEAST)
        low, high = centre - reach, centre + reach
        area = 4.0 * reach[0] * reach[1]

        whole = self._sum(high[0], high[1]) - self._sum(low[0], high[1])
        whole -= self._sum(high[0], low[1])
        whole += self._sum(low[0], low[1])
        return np.maximum(whole.T, 0.0) / area

    def _sum(self, x: Floats, y: Floats) -> Floats:
        """The sum (n, 4) of all below and left of places, pixels."""
        if not self.tiled:
            x = np.minimum(np.maximum(x, 0.0), self.wide)
            y = np.minimum(np.maximum(y, 0.0), self.high)
            return self._within(x, y)

        # whole pictures beside and below, then what is left of one
        over_x, over_y = np.floor(x / self.wide), np.floor(y / self.high)
        x, y = x - over_x * self.wide, y - over_y * self.high
        ends_x, ends_y = np.full(len(x), self.wide), np.full(len(y), self.high)
        found = self._within(x, y)
        found += over_x[:, None] * self._within(ends_x, y)
        found += over_y[:, None] * self._within(x, ends_y)
        return found + (over_x * over_y)[:, None] * self._flat[-1]

    def _within(self, x: Floats, y: Floats) -> Floats:
        column = np.minimum(x.astype(np.int64), self.wide - 1)
        row = np.minimum(y.astype(np.int64), self.high - 1)
        along, up = (x - column)[:, None], (y - row)[:, None]
        first = row * (self.wide + 1) + column

        flat = self._flat
        below = flat.take(first, axis=0)
        below += along * (flat.take(first + 1, axis=0) - below)
        first += self.wide + 1
        above = flat.take(first, axis=0)
        above += along * (flat.take(first + 1, axis=0) - above)
        above -= below
        above *= up
        above += below
        return above


class Overlaps:
    """Which pixels each of the same boxes lies over, and how far: for pictures that
    change while the boxes stay. `fits`: whether they are so few that it is quicker than
    sums.
    """

    MOST = 12  # pixels that a box may lie over

    def __init__(self, middle: Floats, half: Floats, wide: int, high: int) -> None:
        size = np.array([[float(wide)], [float(high)]])
        reach = np.maximum(half * size, LEAST)
        low, end = middle * size - reach, middle * size + reach
        first = np.floor(low)
        count = np.ceil(end) - first
        across, up = (int(n) for n in count.max(axis=1, initial=0.0))
        self.fits = across * up <= self.MOST
        if not self.fits:
            return

        area = 4.0 * reach[0] * reach[1]
        columns = [_overlap(first[0] + n, low[0], end[0], wide) for n in range(across)]
        rows = [_overlap(first[1] + n, low[1], end[1], high) for n in range(up)]
        self.parts = []
        for row, tall in rows:
            for column, broad in columns:
                share = tall * broad / area
                if share.any():
                    # rows are counted from below, pixels lie from above
                    place = (high - 1 - row) * wide + column
                    self.parts.append((place, share))
        nothing = np.zeros(middle.shape[1])
        self.cover = sum((share for _, share in self.parts), nothing)

    def average(self, planes: Floats) -> Floats:
        """Returns what the boxes see (c, n) of a picture's planes (c, h · w), its first
        row uppermost.
        """
        made = np.zeros((len(planes), len(self.cover)))
        for place, share in self.parts:
            seen = planes.take(place, axis=1)
            seen *= share
            made += seen
        return made


def _overlap(
    pixel: Floats, low: Floats, end: Floats, count: int
) -> tuple[npt.NDArray[np.int64], Floats]:
    """A pixel of each box in one direction, and how much of it lies below the box."""
    over = np.minimum(end, pixel + 1.0) - np.maximum(low, pixel)
    inside = (pixel >= 0.0) & (pixel < count)
    over = np.where(inside, np.maximum(over, 0.0), 0.0)
    return np.clip(pixel, 0, count - 1).astype(np.int64), over


def planes_of(pixels: Bytes) -> Floats:
    """Returns pixels (h, w, 3 or 4) as planes (3 or 4, h · w) of linear light,
    multiplied by what covers.
    """
    flat = pixels.reshape(-1, pixels.shape[2]).T
    if len(flat) == 3:
        return LINEAR.take(flat)
    made = np.empty(flat.shape)
    made[3] = flat[3] / 255.0
    np.multiply(LINEAR.take(flat[:3]), made[3], out=made[:3])
    return made
