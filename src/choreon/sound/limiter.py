"""Sounds that come together may be louder than a card can be: they are held down as a
whole, softly, and never cut off.
"""

from __future__ import annotations

import numpy as np

from choreon.sound.samples import Sound

MOST = 0.98  # of what the card takes
STEP = 64  # samples that one gain is worked out for
RELEASE = 0.25  # seconds in which it comes back by two thirds


class Limiter:
    """Holds down what is too loud. It looks ahead by no more than the block it is
    given: the gain falls in a straight line to the loudest of it.
    """

    def __init__(self, rate: int) -> None:
        self._rate = rate
        self._gain = 1.0

    def limit(self, block: Sound) -> Sound:
        """Hold down a block (n, 2), in place, and return it."""
        loudest = float(np.abs(block).max(initial=0.0))
        if loudest <= MOST and self._gain >= 1.0:
            return block

        # never over what each piece takes, and coming back slowly behind it
        n = len(block)
        pieces = -(-n // STEP)
        padded = np.zeros((pieces * STEP, block.shape[1]), np.float32)
        padded[:n] = block
        peaks = np.abs(padded).reshape(pieces, -1).max(axis=1)
        takes = np.minimum(1.0, MOST / np.maximum(peaks, MOST))
        gains = self._gains(takes)
        marks = np.arange(pieces + 1) * STEP
        block *= np.interp(np.arange(n), marks, gains)[:, None].astype(np.float32)
        return np.clip(block, -1.0, 1.0, out=block)

    def _gains(self, takes: np.ndarray) -> np.ndarray:
        """The gains at the borders of the pieces."""
        back = 1.0 - np.exp(-STEP / (RELEASE * self._rate))
        gains = [min(self._gain, float(takes[0]))]
        for n, most in enumerate(takes):
            ahead = float(takes[n + 1]) if n + 1 < len(takes) else 1.0
            wanted = gains[-1] + back * (1.0 - gains[-1])
            gains.append(min(wanted, float(most), ahead))
        self._gain = gains[-1]
        return np.array(gains)
