"""How much memory processes hold, and how that grows."""

from __future__ import annotations

from pathlib import Path

import numpy as np

WORD = 1 << 10  # bytes that /proc counts in


def held(pid: int) -> int:
    """Bytes in memory that are this process's alone and not a file's; 0 where it has
    gone.
    """
    try:
        lines = Path(f"/proc/{pid}/status").read_text().splitlines()
    except OSError:
        return 0
    words = dict(line.split(":", 1) for line in lines)
    return int(words.get("RssAnon", "0 kB").split()[0]) * WORD


class Lives:
    """The memory of processes that follow each other: how it grows in each, once it has
    warmed up for `warm` seconds.
    """

    def __init__(self, warm: float) -> None:
        self.warm = warm
        self._born: dict[int, float] = {}
        self._samples: dict[int, list[tuple[float, int]]] = {}

    def look(self, pid: int, now: float) -> None:
        """Take a sample, at a time in seconds."""
        born = self._born.setdefault(pid, now)
        size = held(pid)
        if size and now - born >= self.warm:
            self._samples.setdefault(pid, []).append((now, size))

    @property
    def last(self) -> int:
        """Bytes of the last sample."""
        samples = list(self._samples.values())
        return samples[-1][-1][1] if samples else 0

    @property
    def minutes(self) -> float:
        """For how long they were looked at, all together."""
        return sum(s[-1][0] - s[0][0] for s in self._samples.values()) / 60

    def slope(self) -> float:
        """MB an hour, by least squares through (seconds, bytes), alike for all."""
        above = below = 0.0
        for samples in self._samples.values():
            at, size = np.array(samples, float).T
            away = at - at.mean()
            above += float((away * (size - size.mean())).sum())
            below += float((away * away).sum())
        return above / below * 3600 / 1e6 if below else 0.0
