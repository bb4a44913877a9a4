"""Moving heads as a table, and how they go from one point in the room to another: along
the line between the two, so that heads that meet in a point stay together all the way.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from choreon.render import aim

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]

# A line that passes close under a head makes its pan whirl. In degrees of pan, in the
# time of the whole fade, at the fastest: in two seconds a head can just do that.
WHIRL = 700.0
NEAR = 1.0  # degrees by which the ends may be off the line
SAMPLES = 8  # points of a line at which a head's limits are looked at


@dataclass(frozen=True)
class Heads:
    """H heads: whose they are, their rows of pan and tilt, where they hang, how far and
    how fast they turn.
    """

    of: Mapping[str, int]
    rows: Ints  # H, 2: pan and tilt
    place: Floats  # H, 3, metres
    hanging: Floats  # H, 3, 3
    low: Floats  # H, 2, degrees, limits included
    high: Floats  # H, 2
    pan_speed: Floats  # H, degrees a second at the most

    def __len__(self) -> int:
        return len(self.of)

    def solve(self, which: Ints, points: Floats, now: Floats) -> tuple[Floats, Floats]:
        """Pan and tilt (n, 2) that send heads to points (n, 3), the way nearest to
        `now` (n, 2), and by how many degrees (n) each misses.
        """
        pan = np.stack([self.low[which, 0], self.high[which, 0]], axis=1)
        tilt = np.stack([self.low[which, 1], self.high[which, 1]], axis=1)
        return aim.solve_all(
            self.hanging[which], points - self.place[which], pan, tilt, now
        )

    def between(
        self,
        which: Ints,
        start: Floats,
        end: Floats,
        here: Floats,
        there: Floats,
        share: Floats,
    ) -> tuple[Flags, Floats]:
        """Heads (n) on their way from the points `start` (n, 3), where they stand at
        `here` (n, 2, degrees), to `end`, `there`; `share` (n) of it is done.

        Returns which of them go along the line, and pan and tilt (n, 2) of these. The
        others have a point on one side only, or would have to turn over on the way:
        they go by their angles.
        """
        known = np.isfinite(start + end).all(axis=1)
        known &= (share > 0) & (share < 1)
        angles = here + share[:, None] * (there - here)

        if known.any():
            line = _Line(self, which[known], start[known], end[known], here[known])
            able, along = line.lead(there[known], share[known])
            angles[known] = np.where(able[:, None], along, angles[known])
            known[known] = able

        return known, angles


class _Line:
    """The ways of heads (n) along the lines from `start` to `end` (n, 3), from where
    they stand, `here` (n, 2, degrees), seen in their own axes: pan is the angle about
    the z axis, tilt that away from it (see aim.beam).
    """

    def __init__(
        self, heads: Heads, which: Ints, start: Floats, end: Floats, here: Floats
    ) -> None:
        turned = heads.hanging[which]
        self.here = here
        self.side = np.where(here[:, 1] < 0, -1.0, 1.0)
        self.start = np.einsum("nji,nj->ni", turned, start - heads.place[which])
        self.end = np.einsum("nji,nj->ni", turned, end - heads.place[which])

    def at(self, share: Floats | float) -> Floats:
        """Pan and tilt (n, 2) at a share (n) of the way."""
        part = np.broadcast_to(share, len(self.here))[:, None]
        return self._towards(self.start + part * (self.end - self.start))

    def _towards(self, point: Floats) -> Floats:
        """Pan and tilt (…, n, 2) to points (…, n, 3)."""
        pan = self.here[:, 0] + _turned(self.start, point)
        return np.stack([pan, self.side * _away(point)], axis=-1)

    @property
    def calm(self) -> Flags:
        """Which lines stay far enough from the head's own axis."""
        x, y = self.start[:, 0], self.start[:, 1]
        along_x, along_y = self.end[:, 0] - x, self.end[:, 1] - y
        length = np.maximum(np.hypot(along_x, along_y), 1e-9)
        foot = -(x * along_x + y * along_y) / (length * length)
        foot = np.minimum(np.maximum(foot, 0.0), 1.0)
        nearest = np.hypot(x + foot * along_x, y + foot * along_y)
        return length / np.maximum(nearest, 1e-9) <= np.radians(WHIRL)

    def lead(self, there: Floats, share: Floats) -> tuple[Flags, Floats]:
        """Which heads follow their line and arrive at `there` (n, 2) so, and pan and
        tilt (n, 2) at a share (n) of the way.
        """
        now = self.start + share[:, None] * (self.end - self.start)
        begin, end, angles = self._towards(np.stack([self.start, self.end, now]))
        off = np.abs(np.stack([begin - self.here, end - there])).max(axis=(0, 2))
        return self.calm & (off < NEAR), angles


def _turned(start: Floats, point: Floats) -> Floats:
    """By how many degrees, −180…180, points (…, n, 3) are turned about z from `start`
    (n, 3).
    """
    x, y = point[..., 0], point[..., 1]
    cross = start[:, 0] * y - start[:, 1] * x
    dot = start[:, 0] * x + start[:, 1] * y
    return np.degrees(np.arctan2(cross, dot))


def _away(point: Floats) -> Floats:
    """By how many degrees points (…, n, 3) are away from straight down."""
    flat = np.hypot(point[..., 0], point[..., 1])
    return np.degrees(np.arctan2(flat, -point[..., 2]))


NO_HEADS = Heads(
    {},
    np.zeros((0, 2), np.int64),
    np.zeros((0, 3)),
    np.zeros((0, 3, 3)),
    np.zeros((0, 2)),
    np.zeros((0, 2)),
    np.zeros(0),
)


class Trail:
    """Where in the room each head aims as the layers pile up: made only where some
    layer aims at points.
    """

    def __init__(self, heads: Heads, points: Floats | None = None) -> None:
        self.heads = heads
        self.points = points  # H, 3; NaN for heads that stand at plain angles

    def copy(self) -> Trail:
        """Returns the same once more, to go on from."""
        points = None if self.points is None else self.points.copy()
        return Trail(self.heads, points)

    def _made(self) -> Floats:
        if self.points is None:
            self.points = np.full((len(self.heads), 3), np.nan)
        return self.points

    def replace(self, which: Ints, points: Floats | None) -> None:
        """A layer turns heads (n) wholly: to points (n, 3), or to plain angles."""
        if points is not None:
            self._made()[which] = points
        elif self.points is not None:
            self.points[which] = np.nan

    def blend(
        self,
        which: Ints,
        points: Floats | None,
        here: Floats,
        there: Floats,
        share: Floats,
    ) -> tuple[Ints, Floats] | None:
        """A layer turns heads (n) from `here` to `there` (n, 2, degrees) by a share (n)
        of the way. Returns rows (m, 2) and angles (m, 2) of those that go along a line
        in the room; None where none does.
        """
        if (self.points is None and points is None) or not len(which):
            return None

        aimed = self._made()
        before = aimed[which]
        end = np.full((len(which), 3), np.nan) if points is None else points
        along, angles = self.heads.between(which, before, end, here, there, share)
        aimed[which] = on_the_way(before, end, along, share)

        return (self.heads.rows[which[along]], angles[along]) if along.any() else None


def on_the_way(start: Floats, end: Floats, along: Flags, share: Floats) -> Floats:
    """Returns the points (n, 3) between `start` and `end` at `share` (n) of the way;
    NaN for heads that do not go along the line and are neither here nor there.
    """
    part = share[:, None]
    line = np.where(along[:, None], start + part * (end - start), np.nan)
    return np.where(part <= 0, start, np.where(part >= 1, end, line))


def plan(
    heads: Heads, which: Ints, start: Floats, end: Floats, here: Floats
) -> tuple[Flags, Floats]:
    """Plan the way of heads (n) along the lines from `start` to `end` (n, 3), from
    where they stand, `here` (n, 2, degrees).

    Returns which of them can follow the line, within their limits and without whirling,
    and pan and tilt (n, 2) at which those arrive.
    """
    line = _Line(heads, which, start, end, here)
    able = line.calm & (np.abs(line.at(0.0) - here).max(axis=1) < NEAR)

    for part in np.linspace(0.0, 1.0, SAMPLES + 1):
        angles = line.at(part)
        inside = (angles >= heads.low[which] - 1e-9) & (angles <= heads.high[which])
        able &= inside.all(axis=1)

    return able, line.at(1.0)
