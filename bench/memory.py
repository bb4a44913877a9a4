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


def slope(samples: list[tuple[float, int]]) -> float:
    """MB an hour, by least squares through (seconds, bytes)."""
    if len(samples) < 3:
        return 0.0
    at, size = np.array(samples, float).T
    return float(np.polyfit(at, size, 1)[0]) * 3600 / 1e6
