"""Numbers of a show, kept within what can be worked with."""

from __future__ import annotations

import math


def within(number: float, low: float, high: float, otherwise: float) -> float:
    """Returns a number within bounds; `otherwise` where it is none."""
    if not math.isfinite(number):
        return otherwise
    return min(high, max(low, number))
