"""What sound is here: numbers, −1…1."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Sound = npt.NDArray[np.float32]
"""Samples (n) or frames of two channels (n, 2)."""

RATE = 22_050  # samples a second of what is listened to
