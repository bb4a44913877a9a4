"""Words on a picture that do not run into each other."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QRectF

WIDE, TALL = 200, 20  # pixels: cells by which words are found, no smaller than they


class Labels:
    """Where words lie on one picture."""

    def __init__(self) -> None:
        self._taken: dict[tuple[int, int], list[QRectF]] = {}

    def place(self, rooms: Iterable[QRectF]) -> QRectF | None:
        """Take the first of some places, each at most WIDE × TALL pixels, at which
        nothing lies; None where there is none.
        """
        for room in rooms:
            x, y = int(room.left() // WIDE), int(room.top() // TALL)
            cells = [(x + c, y + r) for c in (0, 1) for r in (0, 1)]
            others = (other for cell in cells for other in self._taken.get(cell, ()))
            if not any(room.intersects(other) for other in others):
                for cell in cells:
                    self._taken.setdefault(cell, []).append(room)
                return room
        return None
