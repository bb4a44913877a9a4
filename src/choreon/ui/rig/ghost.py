"""What would be hung, before it is: shown on the plan and among the addresses."""

from __future__ import annotations

import msgspec

from choreon.model.show import Place


class Ghost(msgspec.Struct):
    """What would be hung: universe, first and last slot of each, whether they clash,
    and where they would stand.
    """

    spans: list[tuple[int, int, int]]
    clash: bool
    places: list[Place]
    body: str = "par"

    @property
    def universe(self) -> int:
        """The universe of the first."""
        return self.spans[0][0]
