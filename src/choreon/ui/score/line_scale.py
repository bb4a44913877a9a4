"""Where on the screen the times and tracks of a timeline are."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import QRectF

from choreon.model.playables import Timeline
from choreon.model.playables.timeline import Clip, Track, TrackSort

GUTTER = 112  # points of the names of tracks
RULER = 34  # points of the times above the tracks
ROW, LOW_ROW, GAP = 54, 34, 4  # points of a track for light, for events; between them
NEAREST, FARTHEST = 400.0, 0.02  # points a second
APART = 64  # points between two times that are written
STEPS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600)


class LineScale:
    """`per_second`: points that a second is wide; `left`: the time at the left edge;
    `top`: points that are scrolled past.
    """

    def __init__(self) -> None:
        self.per_second, self.left, self.top = 40.0, 0.0, 0.0

    def x(self, seconds: float) -> float:
        """Returns where a time is."""
        return GUTTER + (seconds - self.left) * self.per_second

    def seconds(self, x: float) -> float:
        """Returns the time at a point."""
        return self.left + (x - GUTTER) / self.per_second

    def zoom(self, factor: float, x: float) -> None:
        """Show more, or less; what is at a point stays there."""
        here = self.seconds(x)
        self.per_second = min(NEAREST, max(FARTHEST, self.per_second * factor))
        self.left = max(0.0, here - (x - GUTTER) / self.per_second)

    def fit(self, begin: float, end: float, width: float) -> None:
        """Show all from a time to another."""
        span = max(0.5, end - begin)
        room = max(40.0, width - GUTTER - 24)
        self.per_second = min(NEAREST, max(FARTHEST, room / span))
        self.left = max(0.0, begin - 8.0 / self.per_second)

    @property
    def step(self) -> float:
        """Seconds from one written time to the next."""
        wanted = APART / self.per_second
        return next((float(step) for step in STEPS if step >= wanted), 7200.0)

    def ticks(self, width: float) -> Iterator[float]:
        """Yields the times that are written."""
        step = self.step
        number = int(self.left / step)
        while self.x(number * step) < width:
            yield number * step
            number += 1

    def rows(self, line: Timeline, width: float) -> dict[str, QRectF]:
        """Returns where each track is; the one that lies above the others on top."""
        found: dict[str, QRectF] = {}
        y = RULER + GAP - self.top
        for track in reversed(line.tracks):
            high = _high(track)
            found[track.id] = QRectF(GUTTER, y, max(0.0, width - GUTTER), high)
            y += high + GAP
        return found

    def height(self, line: Timeline) -> float:
        """Returns how high all tracks are together."""
        return RULER + GAP + sum(_high(track) + GAP for track in line.tracks)

    def clip(self, clip: Clip, row: QRectF) -> QRectF:
        """Returns where a clip is on its track; never narrower than can be seen."""
        wide = max(3.0, (clip.end - clip.start) * self.per_second)
        return QRectF(self.x(clip.start), row.y() + 1, wide, row.height() - 2)


def _high(track: Track) -> float:
    return LOW_ROW if track.sort == TrackSort.EVENTS else ROW
