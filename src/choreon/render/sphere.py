"""Directions of beams as points of a sphere: what lies so many degrees to the right of
a direction, and above it, as it is seen from the house.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

VIEW = np.array([0.0, np.sqrt(0.5), -np.sqrt(0.5)])
"""How the house looks at the stage: upstage and down."""

RIGHT = np.array([1.0, 0.0, 0.0])
UP = np.array([0.0, np.sqrt(0.5), np.sqrt(0.5)])


def frame(ways: Floats) -> tuple[Floats, Floats]:
    """Returns what is to the right of directions (…, 3, unit), and what is above them,
    (…, 3) each, unit and at right angles.

    The view's own right and up are turned along with it by the shortest turn that takes
    it to the direction: w − (d·w) / (1 + v·d) · (v + d). So neighbouring directions
    have frames alike, whatever way a head hangs; only straight into the viewer's eyes
    there is none that would be better than others.
    """
    both = VIEW + ways
    along = np.maximum(1.0 + ways @ VIEW, 1e-9)
    right = RIGHT - (ways @ RIGHT / along)[..., None] * both
    up = UP - (ways @ UP / along)[..., None] * both
    return right, up


def aside(ways: Floats, away: Floats) -> Floats:
    """Returns the directions (…, 3) that lie `away` (…, 2; degrees to the right, and
    up) from others (…, 3, unit), along great circles: as far in every direction.
    """
    right, up = frame(ways)
    angle = np.radians(np.hypot(away[..., 0], away[..., 1]))
    # sin(angle) / angle, in degrees' measure; its limit where nothing is away
    part = np.radians(np.sinc(angle / np.pi))
    across = away[..., :1] * right + away[..., 1:] * up
    return np.cos(angle)[..., None] * ways + part[..., None] * across
