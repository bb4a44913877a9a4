"""Words on a picture: of a size that fits, and so that none runs into another."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter

from choreon.ui import theme

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


def fit(
    painter: QPainter,
    words: Sequence[str],
    room: float,
    largest: int,
    least: int,
    strong: bool = True,
) -> list[str]:
    """Take the largest letters, down to `least` pixels, in which no word is wider than
    the room (pixels). Returns the words; what fits in none of them is cut.
    """
    # a width is told in whole pixels, and may be more
    size, wide = largest, int(room) - 1
    painter.setFont(theme.font(size, strong))
    while size > least and any(
        painter.fontMetrics().horizontalAdvance(word) > wide for word in words
    ):
        size -= 1
        painter.setFont(theme.font(size, strong))
    cut = painter.fontMetrics().elidedText
    return [cut(word, Qt.TextElideMode.ElideRight, int(room)) for word in words]
