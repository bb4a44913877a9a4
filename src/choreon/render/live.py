"""What moves by itself, as a layer asks it: what it gives at a time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple, Protocol

import numpy as np

from choreon.model.motion import EffectMode
from choreon.model.refs import Ref
from choreon.render import aim, sphere
from choreon.render.heads import Heads
from choreon.render.looks import CompiledLook
from choreon.render.rig import Floats, Ints
from choreon.render.state import Pace, Time


@dataclass
class Given:
    """What something gives: `values` (n) by `presence` (n; None: wholly) of its look's
    rows, and how much of `freed` it ends (None: all).
    """

    values: Floats
    presence: Floats | None = None
    freed: Floats | None = None
    points: Floats | None = None


@dataclass
class LevelChange:
    """An effect on levels of others: scales or adds to those of `lamps` (m) by `values`
    (m), which are new at every time.
    """

    name: str
    lamps: Ints
    mode: EffectMode
    values: Floats

    def apply(self, level: Floats, weight: float) -> None:
        """Change levels (I + 1) in place, as far as `weight`."""
        here = level[self.lamps]
        if self.mode == EffectMode.SCALES:
            here *= 1.0 - weight * (1.0 - self.values)
        else:
            here = np.clip(here + weight * self.values, 0.0, 1.0)
        level[self.lamps] = here


@dataclass
class ValueChange:
    """An effect on other values of others: scales or adds to those of `rows` (n)."""

    name: str
    rows: Ints
    mode: EffectMode
    values: Floats

    def offset(self, values: Floats, offset: Floats) -> Floats:
        """Returns what is added to `values` (P), on which an `offset` (P) lies
        already.
        """
        if self.mode == EffectMode.ADDS:
            return self.values
        return (values[self.rows] + offset[self.rows]) * (self.values - 1.0)


@dataclass
class AimChange:
    """A path around wherever heads aim: `away` (h, 2), degrees on the sphere about
    that, as seen from the house; `outline` (k, 2): how far it goes at all, and how fast
    at most, `speed`, degrees a second.
    """

    name: str
    heads: Heads
    which: Ints
    away: Floats
    outline: Floats
    speed: float

    @property
    def rows(self) -> Ints:
        """The rows of pan and tilt (2 · h), those of a head side by side."""
        return self.heads.rows[self.which].reshape(-1)

    def offset(self, values: Floats, offset: Floats) -> Floats:
        """Returns what is added to pan and tilt (2 · h): less of the path where limits
        are near.
        """
        rows = self.heads.rows[self.which]
        base = values[rows] + offset[rows]
        low, high = self.heads.low[self.which], self.heads.high[self.which]
        base = np.minimum(np.maximum(base, low), high)

        least = np.degrees(self.speed / self.heads.pan_speed[self.which])
        hanging = self.heads.hanging[self.which]
        scale = self._scale(base, hanging, low, high, least)
        away = scale[:, None] * self.away
        there = base + around(base, hanging, away[:, None], least)[:, 0]

        return (np.minimum(np.maximum(there, low), high) - base).reshape(-1)

    def _scale(
        self, base: Floats, hanging: Floats, low: Floats, high: Floats, least: Floats
    ) -> Floats:
        """How much of the path (h, 0…1) stays within the limits."""
        outline = np.broadcast_to(self.outline, (len(base), *self.outline.shape))
        turned = around(base, hanging, outline, least)
        lowest, highest = turned.min(axis=1), turned.max(axis=1)
        down = (base - low) / np.maximum(-lowest, 1e-9)
        up = (high - base) / np.maximum(highest, 1e-9)
        return np.minimum(np.minimum(down, up).min(axis=1), 1.0)


UPRIGHT = 0.08
"""How soon pan does less, as the aim of a head comes near its pole."""


def around(
    base: Floats, hanging: Floats, away: Floats, least: float | Floats
) -> Floats:
    """Returns by how much pan and tilt (h, k, 2) differ from `base` (h, 2) so that the
    beams of heads hung as `hanging` (h, 3, 3) say go `away` (h, k, 2; degrees on the
    sphere) from where they go.

    In the plane about the head's pole, with a along the way that the head leans and c
    across it, pan turns by atan2(c, a). Nearer to the pole than `least` degrees (h) it
    turns by atan2(c, least) alone, and tilt goes as far as is left: so pan keeps up,
    and the beam leaves its path by no more than that takes.

    A path that goes round the pole no pan can follow for ever: the half of it to which
    the head leans is followed, of the other half what tilt reaches. Where the path goes
    farther out than the head leans, pan does less; at the pole itself, where the halves
    change places, nothing: a head whose aim moves through its pole does not whip round.
    """
    pan, tilt = base[:, 0], base[:, 1]
    middle = aim.beam(hanging, pan, tilt)
    ways = sphere.aside(np.broadcast_to(middle[:, None], (*away.shape[:2], 3)), away)
    own = np.einsum("hkj,hji->hki", ways, hanging)
    far = np.degrees(np.arctan2(np.hypot(own[..., 0], own[..., 1]), -own[..., 2]))

    turned = np.arctan2(-own[..., 0], own[..., 1]) - np.radians(pan)[:, None]
    along, across = far * np.cos(turned), far * np.sin(turned)

    side = np.where(tilt < 0.0, -1.0, 1.0)[:, None]
    out = np.maximum(np.hypot(away[..., 0], away[..., 1]), 1e-6)
    leans = np.clip(np.abs(tilt)[:, None], 1e-6, out)
    least_here = np.maximum(np.reshape(least, (-1, 1)), 1e-3) + UPRIGHT * (
        out * out / leans - leans
    )
    by = np.arctan2(side * across, np.maximum(side * along, least_here))
    there = along * np.cos(by) + across * np.sin(by)

    return np.stack([np.degrees(by), there - tilt[:, None]], axis=-1)


Change = LevelChange | ValueChange | AimChange


class Followed(NamedTuple):
    """Heads (h) that a path moves: how far it has them, 0…1 (one number, or one a
    head), and how far each is dark as it turns back (h); None where none does.
    """

    heads: Ints
    on: float | Floats = 1.0
    back: Floats | None = None

    def scaled(self, on: float | Floats) -> Followed:
        """Returns the same, as far as `on` of what it was."""
        return self._replace(on=self.on * on)


Dimming = Sequence[tuple[frozenset[Ref], float]]
"""Masters that are not full: what plays of that each is over, and what it leaves."""


class Moved(NamedTuple):
    """An effect by name, the rows that it moves, and what it gives them now; `how`
    says where it scales or adds to what is there.
    """

    name: str
    rows: Ints
    values: Floats
    how: str = ""


class Live(Protocol):
    """Something that moves, in one layer. What it gives is of the time that it was
    moved to last.
    """

    look: CompiledLook
    """What it is made of: all rows and lamps that it ever gives, the lamps at their
    strongest."""

    @property
    def levels(self) -> Floats:
        """The intensities (m) of `look.lamps` now."""

    @property
    def light(self) -> Floats:
        """How strongly it counts as lighting `look.shining` (m): as strongly as it ever
        does, so that no share follows a wave."""

    @property
    def shine(self) -> Floats:
        """The same for the lamps of `look.claims` (k)."""

    modifies: bool
    """Whether it ever changes what others give."""

    asks: bool
    """Whether what it gives hangs on how others light its lamps; where not, it gives
    all its rows wholly."""

    size: float
    """How far its effects go, 0…1 of what is stored."""

    pace: Pace
    """How fast it goes."""

    def dim(self, masters: Dimming) -> None:
        """Have masters scale what it plays. Those over itself have done so already."""

    def move(self, time: Time) -> None:
        """Go to a time."""

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities. `weight`: how far it is on; `others` (k):
        how strongly anything else lights the lamps of `look.claims`.
        """

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give, and how far each is on."""

    def followed(self) -> list[Followed]:
        """Returns the heads that paths move, and how far each path is on."""

    def names(self) -> list[Moved]:
        """Returns its effects, with the rows, intensities among them, that each moves,
        and the values that these have by it now.
        """
