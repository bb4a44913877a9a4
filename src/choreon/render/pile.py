"""What layers come to as they are laid over each other."""

from __future__ import annotations

import numpy as np

from choreon.render.fades import Fade
from choreon.render.heads import Trail
from choreon.render.live import AimChange, ValueChange
from choreon.render.looks import CompiledLook
from choreon.render.rig import Floats, Ints, Rig


class Pile:
    """What the layers come to as they pile up: `values` (P + C, raw values of channels
    after the parameters), the share that raw values have (C), where heads aim.
    """

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.values = np.concatenate([rig.home, np.zeros(rig.channels)])
        self.raw_share = np.zeros(rig.channels)
        self.driven = False  # whether any raw value has a share
        self.trail = Trail(rig.heads)
        # what effects on what others give add to the parameters (2, P): waves, and
        # paths by themselves, so that none goes around another; None for nothing
        self.offset: Floats | None = None

    def copy(self) -> Pile:
        """Returns the same once more, to go on from."""
        made = Pile.__new__(Pile)
        made.rig, made.driven = self.rig, self.driven
        made.values = self.values.copy()
        made.raw_share = self.raw_share.copy() if self.driven else self.raw_share
        made.trail = self.trail.copy()
        made.offset = None if self.offset is None else self.offset.copy()
        return made

    def raw(self) -> tuple[Floats, Floats] | None:
        """Returns raw values (C) and their share (C); None where there are none."""
        if not self.driven:
            return None
        return self.values[self.rig.size :], self.raw_share

    def _own_raw(self) -> Floats:
        if not self.driven:
            self.driven, self.raw_share = True, np.zeros(self.rig.channels)
        return self.raw_share

    def put(
        self,
        look: CompiledLook,
        values: Floats | None = None,
        points: Floats | None = None,
    ) -> None:
        """Lay a look wholly over what is there; `values` (n) and `points` (h, 3) in the
        place of its own, where it moves.
        """
        if self.driven and len(look.freed):
            self.raw_share[look.freed - self.rig.size] = 0.0

        moves = values is not None
        self.values[look.rows] = values if values is not None else look.values
        if len(look.channels):
            self._own_raw()[look.channels] = 1.0

        if self.offset is not None:
            self.offset[:, look.plain_rows] = 0.0

        self.trail.replace(look.heads, points if moves else look.points)

    def change(self, change: ValueChange | AimChange, weight: float | Floats) -> None:
        """An effect changes what is there, as far as `weight` (one number, or one a
        row).
        """
        if self.offset is None:
            self.offset = np.zeros((2, self.rig.size))

        rows = change.rows
        if not (rows < self.rig.size).all():
            return

        if isinstance(change, AimChange):
            added, under = self.offset[1], self.offset[0]
        else:
            added, under = self.offset[0], self.offset.sum(axis=0)

        added[rows] += weight * change.offset(self.values, under)

    def settle(self) -> None:
        """Add what effects on others add, within what the rows can be."""
        if self.offset is None:
            return
        rig, offset = self.rig, self.offset.sum(axis=0)
        rows = np.flatnonzero(offset)
        moved = self.values[rows] + offset[rows]
        self.values[rows] = np.minimum(np.maximum(moved, rig.low[rows]), rig.high[rows])

    def blend(
        self,
        look: CompiledLook | Fade,
        values: Floats,
        share: Floats,
        points: Floats | None,
        first: int = 0,
    ) -> None:
        """Lay `values` (n) of a look's rows from `first` on over what is there, by
        `share` (n − first).
        """
        end = look.first_raw
        rows = look.plain_rows[first:]
        before = self.values.take(rows)
        turned = None

        # heads on a line take their angles from it, not from a mix of angles:
        # they are worked out from what is there before, and put in after
        if len(look.heads) and not (self.trail.points is None and points is None):
            here = self.values[self.rig.heads.rows[look.heads]]
            there = values[look.head_rows]
            way = share[look.head_rows[:, 0] - first]
            turned = self.trail.blend(look.heads, points, here, there, way)

        moved = values[first:end] - before
        moved *= share[: end - first]
        moved += before
        self.values[rows] = moved

        if self.offset is not None:
            self.offset[:, rows] *= 1.0 - share[: end - first]

        if turned is not None:
            self.values[turned[0]] = turned[1]

        if end < len(look.rows):
            self._blend_raw(look.rows[end:], values[end:], share[end - first :])

    def blend_colours(self, colours: Floats, share: Floats) -> None:
        """Lay colours (3, K) over those that are there by `share` (K)."""
        # a view: what is laid here is laid on the pile
        here = self.values[self.rig.colour_rows].reshape(3, -1)
        moved = colours - here
        moved *= share
        here += moved

    def _blend_raw(self, rows: Ints, values: Floats, share: Floats) -> None:
        """Raw values over raw values; below them is what the parameters make, so each
        has a share of its own.
        """
        held = self._own_raw()
        channels = rows - self.rig.size
        before = (1.0 - share) * held[channels]
        after = share + before
        mixed = share * values + before * self.values[rows]
        old = self.values[rows]
        self.values[rows] = np.divide(mixed, after, out=old, where=after > 0)
        # a share of nothing leaves the number as it is; it shows nowhere
        held[channels] = after

    def free(self, rows: Ints, share: Floats | float) -> None:
        """A target colour ends the raw values that emitters had below it."""
        if self.driven and len(rows):
            self.raw_share[rows - self.rig.size] *= 1.0 - share
