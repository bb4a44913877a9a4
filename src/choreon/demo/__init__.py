"""The sample show: *Low Tide* at Quillmere Boathouse."""

from __future__ import annotations

import msgspec

from choreon.demo.low_tide import OPENING, low_tide
from choreon.model.show import Show


def opening_show(port: int = 5568) -> Show:
    """Returns the sample show with what is on when it is opened."""
    return msgspec.structs.replace(low_tide(port=port), opens=OPENING)


__all__ = ["OPENING", "low_tide", "opening_show"]
