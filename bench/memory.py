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


class Memory:
    """What a process holds, looked at again and again."""

    def __init__(self) -> None:
        self.samples: list[tuple[float, int]] = []
        """When it was looked at (seconds), and what it held (bytes)."""
        self._of = 0

    def look(self, pid: int, now: float) -> None:
        """Take a sample. Of another process than before all begins anew."""
        if pid != self._of:
            self._of, self.samples = pid, []
        size = held(pid)
        if size:
            self.samples.append((now, size))

    @property
    def last(self) -> int:
        """Bytes of the last sample."""
        return self.samples[-1][1] if self.samples else 0

    @property
    def minutes(self) -> float:
        """For how long it was looked at."""
        return (self.samples[-1][0] - self.samples[0][0]) / 60 if self.samples else 0.0

    def slope(self) -> float:
        """How it grows, MB an hour, by least squares."""
        if len(self.samples) < 2:
            return 0.0
        at, size = np.array(self.samples, float).T
        return float(np.polyfit(at / 3600, size / 1e6, 1)[0])
