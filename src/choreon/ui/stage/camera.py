"""Where the room is seen from, and where its points fall on the screen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QRectF

from choreon.model.show import Room

Array = npt.NDArray[np.float64]


@dataclass(frozen=True)
class View:
    """A pinhole camera fitted to a rectangle."""

    eye: Array
    axes: Array  # rows: right, up, forward
    focal: float
    centre: tuple[float, float]

    def project(self, points: npt.ArrayLike) -> Array:
        """Points (n, 3) in metres → (n, 3): x, y on the screen, and depth in metres (at least 0.3)."""
        seen = (np.asarray(points, float).reshape(-1, 3) - self.eye) @ self.axes.T
        depth = np.maximum(seen[:, 2], 0.3)
        x = self.centre[0] + self.focal * seen[:, 0] / depth
        y = self.centre[1] - self.focal * seen[:, 1] / depth
        return np.stack([x, y, depth], axis=1)


def from_the_house(room: Room, rect: QRectF) -> View:
    """From the middle of the audience, fitted so that the whole stage opening shows."""
    back = max(8.0, 1.15 * room.width)
    eye = np.array([0.0, -back, 0.66 * room.height])
    target = np.array([0.0, 0.45 * room.depth, 0.47 * room.height])
    forward = target - eye
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, [0.0, 0.0, 1.0])
    right /= np.linalg.norm(right)
    axes = np.stack([right, np.cross(right, forward), forward])
    wide = 1.12 * room.width / back
    tall = 0.60 * max(room.height / 4.2, 0.6)
    focal = min(rect.width() / wide, rect.height() / tall)
    return View(eye, axes, focal, (rect.center().x(), rect.center().y() + 0.028 * focal))
