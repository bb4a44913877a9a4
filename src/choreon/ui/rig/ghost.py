"""What would be hung, before it is: shown on the plan and among the addresses."""

from __future__ import annotations

import msgspec

from choreon.model.show import Place


class Ghost(msgspec.Struct):
    """What would be hung: slots by fixture and whether they clash, and where it would stand."""

    universe: int
    spans: list[tuple[int, int]]
    clash: bool
    places: list[Place]
