"""Numbers as they may come from outside. Where a message, a session, a show or a type
is decoded, what is no number (NaN), has no end, or lies beyond all measure is refused,
with the path to it.
"""

from __future__ import annotations

from typing import Annotated

import msgspec

from choreon.language import tr

MOST = 1e9
"""No attribute, time or place in the field comes near it."""

Number = Annotated[float, msgspec.Meta(ge=-MOST, le=MOST)]
"""Any number that can be meant. The comparison with a bound is what refuses NaN."""

Count = Annotated[int, msgspec.Meta(ge=-(2**31), le=2**31 - 1)]
"""A whole number that is counted: of places, beats, lamps. Qt's integers hold it."""

Whole = Annotated[int, msgspec.Meta(ge=-(2**53), le=2**53)]
"""An order, or a value of a channel, which may have 32 bits."""


def wild(plain: object) -> str:
    """Returns the path to the first number in decoded plain values that is none, or is
    beyond all measure; empty where all are meant.
    """
    waiting: list[tuple[str, object]] = [("$", plain)]
    while waiting:
        path, thing = waiting.pop()
        if isinstance(thing, dict):
            waiting += [(f"{path}.{key}", value) for key, value in thing.items()]
        elif isinstance(thing, list | tuple):
            waiting += [(f"{path}[{i}]", value) for i, value in enumerate(thing)]
        elif isinstance(thing, float) and not -MOST <= thing <= MOST:
            return tr("{path} is {thing:g}", path=path, thing=thing)
    return ""
