"""How far paths have the heads of a rig, when all layers are laid: what is judged by
where beams go in the end, whoever lights the lamps. A head that a path leads into what
is to be kept out of goes dark, and so does one whose path has it turn back.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from choreon.model import attributes as at
from choreon.model.show import Room
from choreon.render import keep_out
from choreon.render.live import Followed
from choreon.render.path_tables import guarded
from choreon.render.rig import Floats, Ints, Rig

ENOUGH = 0.2
"""The part of a head's pan from which on a path that turns back has it wholly dark: a
fifth of a turn of 360° is seen as well."""


class Turning(Protocol):
    """A layer that may turn heads."""

    @property
    def turned(self) -> tuple[Ints, float | Floats]:
        """The heads (h) that it gives a pan of its own, and the share of it that each
        got; one number where it is the same for all.
        """

    @property
    def turns(self) -> float:
        """How far on it is where it moves heads that others aim."""

    def followed(self) -> Sequence[Followed]:
        """Returns the heads that paths move, and how far each path is on within it."""


class OnPaths:
    """How far paths have each head (H), `on`, 0…1. `turns`: for each path that has
    heads turn back, how far it has them (H), and how far they are dark (H).
    """

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.on = np.zeros(len(rig.heads))
        self.turns: list[tuple[Floats, Floats]] = []

    def lay(self, layer: Turning) -> None:
        """Lay one above what is there: it takes heads from the paths below."""
        heads, share = layer.turned
        self.cover(heads, share)

        has = np.full(len(self.on), layer.turns)
        has[heads] = share
        for which, on, back in layer.followed():
            on = on * has[which]
            self.on[which] = np.minimum(self.on[which] + on, 1.0)
            if back is not None:
                turn = np.zeros((2, len(self.on)))
                turn[:, which] = on, back
                self.turns.append((turn[0], turn[1]))

    def cover(self, heads: Ints, share: float | Floats) -> None:
        """Something gives heads (h) another pan, by `share`."""
        self.on[heads] *= 1.0 - share
        for on, _ in self.turns:
            on[heads] *= 1.0 - share

    def turning(self) -> Floats:
        """Returns how far each head (H) may shine, 0…1, as it turns back."""
        light = np.ones(len(self.on))
        for on, back in self.turns:
            light *= 1.0 - back * np.minimum(on / ENOUGH, 1.0)
        return light

    def clear(self, room: Room, values: Floats) -> Floats:
        """Returns how far each head (H) may shine, 0…1, as its beam is clear of what is
        to be kept out of. `values` (P): all parameters as they come out.
        """
        light = np.ones(len(self.on))
        moved = np.flatnonzero(self.on)
        if guarded(room) and len(moved):
            clear = keep_out.clear_of(room, self.rig.heads, moved, values)
            light[moved] = 1.0 - self.on[moved] * (1.0 - clear)
        return light


def of_lamps(rig: Rig, light: Floats) -> Floats:
    """Returns how far lamps may shine (I + 1, the last stands for those without an
    intensity), where heads may by `light` (H).
    """
    left = np.ones(rig.intensities + 1)
    for fixture, head in rig.heads.of.items():
        if light[head] < 1.0:
            rows = [row for _, row in rig.where[fixture].get(at.DIMMER, ())]
            left[rows] = light[head]
    return left
