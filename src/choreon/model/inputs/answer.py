"""How a control answers: what its way from end to end does to what it is tied to."""

from __future__ import annotations

import math
from enum import StrEnum

import msgspec

from choreon.model.numbers import Count, Number

MOST_STEPS = 127


class Curve(StrEnum):
    """How a value goes along the way of a control."""

    EVEN = "even"
    SLOW = "slow"
    """Slowly at first: more of the way is for what is dark."""
    QUICK = "quick"
    """Quickly at first."""
    SOFT = "soft"
    """Slowly at both ends."""


class Pickup(StrEnum):
    """How a control takes hold of a value that stands elsewhere."""

    MEET = "meet"
    """It moves the value in proportion, so that both reach the end together."""
    CATCH = "catch"
    """It moves nothing until it passes where the value stands."""
    JUMP = "jump"
    """The value goes where the control is."""


class Answer(msgspec.Struct, frozen=True, omit_defaults=True):
    """`low` and `high`: the values, 0…1, at the lower and at the upper end of its way;
    the other way round where low lies above high. `steps`: it stops at so many places
    between the ends, 0 for all of them.
    """

    low: Number = 0.0
    high: Number = 1.0
    curve: Curve = Curve.EVEN
    steps: Count = 0
    pickup: Pickup = Pickup.MEET

    def value(self, way: float) -> float:
        """Returns the value, 0…1, where a control has come so far, 0…1, on its way."""
        way = min(1.0, max(0.0, way))
        if self.steps:
            count = min(self.steps, MOST_STEPS)
            way = math.floor(way * count + 0.5) / count
        shaped = _SHAPES[self.curve](way)
        return min(1.0, max(0.0, self.low + shaped * (self.high - self.low)))

    def way(self, value: float) -> float:
        """Returns how far a control has come, 0…1, where it gives a value: the end that
        lies nearer where it gives none like it.
        """
        if self.high == self.low:
            return 0.0
        shaped = min(1.0, max(0.0, (value - self.low) / (self.high - self.low)))
        return _BACK[self.curve](shaped)

    def turned(self, way: float, by: int) -> float:
        """Returns how far a dial without an end has come that was turned on from a way
        by so many of its own steps: where there are places to stop at, one for each.
        """
        places = min(self.steps, MOST_STEPS) or MOST_STEPS
        return min(1.0, max(0.0, way + by / places))

    @property
    def plain(self) -> bool:
        """Whether a value is where its control is."""
        return (self.low, self.high, self.curve, self.steps) == (0, 1, Curve.EVEN, 0)


def _soft(way: float) -> float:
    return way * way * (3.0 - 2.0 * way)


def _soft_back(shaped: float) -> float:
    """The inverse of 3w² − 2w³, by the angle of which it is a sine."""
    return 0.5 - math.sin(math.asin(1.0 - 2.0 * shaped) / 3.0)


_SHAPES = {
    Curve.EVEN: lambda way: way,
    Curve.SLOW: lambda way: way * way,
    Curve.QUICK: lambda way: 1.0 - (1.0 - way) * (1.0 - way),
    Curve.SOFT: _soft,
}
_BACK = {
    Curve.EVEN: lambda shaped: shaped,
    Curve.SLOW: math.sqrt,
    Curve.QUICK: lambda shaped: 1.0 - math.sqrt(1.0 - shaped),
    Curve.SOFT: _soft_back,
}
