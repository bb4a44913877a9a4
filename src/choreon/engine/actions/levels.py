"""Levels, as hands give them."""

from __future__ import annotations

import math


def within(value: float) -> float:
    """Returns a level, 0…1; 0 for what is no number."""
    return min(1.0, max(0.0, value)) if math.isfinite(value) else 0.0
