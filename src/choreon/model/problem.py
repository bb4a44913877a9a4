"""Something that is wrong, and where."""

from __future__ import annotations

from typing import Literal

import msgspec


class Problem(msgspec.Struct, frozen=True):
    """`path` leads to the value, as in `fixtures/par-3/address`; an error keeps the
    value out of the light.
    """

    path: str
    text: str
    level: Literal["error", "warning"] = "error"

    def __str__(self) -> str:
        return f"{self.path}: {self.text}"
