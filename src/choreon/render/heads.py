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

# Degrees of pan. A line that asks for more passes close under the head, where pan would
# whirl: at 150° its fastest part takes 430° in the time of the whole fade, which a head
# can just do in two seconds.
FURTHEST = 150.0
# A tilt that changes its side passes through the head's own axis; with more pan than
# this it is another way to the same point, and the head would turn over.
UPRIGHT = 30.0
LEAP = 90.0  # degrees of pan from one sample of a line to the next: it turned over
MISS = 0.5  # degrees


@dataclass(frozen=True)
class Heads:
    """H heads: whose they are, their rows of pan and tilt, where they hang and how far
    they turn.
    """

    of: Mapping[str, int]
    rows: Ints  # H, 2: pan and tilt
    place: Floats  # H, 3, metres
    hanging: Floats  # H, 3, 3
    low: Floats  # H, 2, degrees, limits included
    high: Floats  # H, 2

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
        known = (
            np.isfinite(start).all(axis=1)
            & np.isfinite(end).all(axis=1)
            & (share > 0)
            & (share < 1)
        )
        pan = np.abs(there[:, 0] - here[:, 0])
        over = (here[:, 1] * there[:, 1] < 0) & (pan > UPRIGHT)
        known &= ~over & (pan <= FURTHEST)
        angles = here + share[:, None] * (there - here)
        if known.any():
            part = share[known, None]
            points = start[known] + part * (end[known] - start[known])
            angles[known] = self.solve(which[known], points, angles[known])[0]
        return known, angles


NO_HEADS = Heads(
    {},
    np.zeros((0, 2), np.int64),
    np.zeros((0, 3)),
    np.zeros((0, 3, 3)),
    np.zeros((0, 2)),
    np.zeros((0, 2)),
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


SAMPLES = 24  # points of a line at which a head is tried


def plan(
    heads: Heads, which: Ints, start: Floats, end: Floats, here: Floats
) -> tuple[Flags, Floats]:
    """Plan the way of heads (n) along the lines from `start` to `end` (n, 3), from
    where they stand, `here` (n, 2, degrees).

    Returns which of them can follow the line, within their limits, without turning over
    and without whirling, and pan and tilt (n, 2) at which those arrive.
    """
    angles = here.copy()
    able = np.ones(len(which), bool)
    for part in np.linspace(0.0, 1.0, SAMPLES + 1)[1:]:
        points = start + part * (end - start)
        next_, miss = heads.solve(which, points, angles)
        jump = np.abs(next_[:, 0] - angles[:, 0]) > LEAP
        able &= (miss < MISS) & ~jump
        angles = next_
    able &= np.abs(angles[:, 0] - here[:, 0]) <= FURTHEST
    return able, angles
