"""Where the room is seen from, and where its points fall on the screen."""

from __future__ import annotations

from dataclasses import dataclass, replace

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
        """Points (n, 3) in metres → (n, 3): x, y on the screen, and depth in metres (at
        least 0.3).
        """
        seen = (np.asarray(points, float).reshape(-1, 3) - self.eye) @ self.axes.T
        depth = np.maximum(seen[:, 2], 0.3)
        x = self.centre[0] + self.focal * seen[:, 0] / depth
        y = self.centre[1] - self.focal * seen[:, 1] / depth
        return np.stack([x, y, depth], axis=1)

    def on_surface(self, x: float, y: float, room: Room) -> Array | None:
        """The point (3) of the floor, or of the back wall, that is seen at a place of
        the screen; None beside them.
        """
        ray = (
            np.array(
                [
                    (x - self.centre[0]) / self.focal,
                    (self.centre[1] - y) / self.focal,
                    1.0,
                ]
            )
            @ self.axes
        )

        found = []
        if ray[2] < -1e-9:
            found.append(-self.eye[2] / ray[2])
        if ray[1] > 1e-9 and self.eye[1] < room.depth:
            found.append((room.depth - self.eye[1]) / ray[1])
        point = self.eye + ray * min(found) if found else None

        if (
            point is None
            or point[2] > 2 * room.height
            or abs(point[0]) > 2 * room.width
        ):
            return None

        if point[1] < -room.house - 3 or point[1] > room.depth + 1e-6:
            return None
        return np.asarray(np.maximum(point, [-np.inf, -np.inf, 0.0]))


@dataclass(frozen=True)
class Viewpoint:
    """How the room is turned before the eye: degrees to the side and upwards, and how
    near it is (1: all of it).
    """

    side: float = 0.0
    up: float = 0.0
    zoom: float = 1.0

    def turned(self, side: float, up: float) -> Viewpoint:
        """The view from further round, and from further up."""
        return replace(
            self,
            side=min(85.0, max(-85.0, self.side + side)),
            up=min(UP[1], max(UP[0], self.up + up)),
        )

    def nearer(self, factor: float) -> Viewpoint:
        """Returns the view from nearer by; from farther away below 1."""
        return replace(self, zoom=min(6.0, max(0.5, self.zoom * factor)))

    def text(self) -> str:
        """The view in words that can be read back."""
        return f"{self.side:g} {self.up:g} {self.zoom:g}"


UP = (-8.0, 82.0)
HOUSE, ABOVE, ASIDE = (
    Viewpoint(),
    Viewpoint(0.0, 80.0, 0.85),
    Viewpoint(58.0, 14.0, 0.8),
)


def read_viewpoint(text: str, otherwise: Viewpoint) -> Viewpoint:
    """A viewpoint as it was kept; `otherwise` where it is none."""
    try:
        side, up, zoom = (float(v) for v in text.split())
    except ValueError:
        return otherwise
    return (
        Viewpoint().turned(side, up).nearer(zoom)
        if np.isfinite(side + up + zoom)
        else otherwise
    )


def look(room: Room, rect: QRectF, viewpoint: Viewpoint = HOUSE) -> View:
    """From the middle of the audience, fitted so that the whole opening shows; turned
    about the stage's middle.
    """
    back = max(8.0, 1.15 * room.width)
    eye = np.array([0.0, -back, 0.66 * room.height])
    target = np.array([0.0, 0.45 * room.depth, 0.47 * room.height])
    away = eye - target
    far = float(np.linalg.norm(away))
    side = np.radians(viewpoint.side)
    up = np.arcsin(away[2] / far) + np.radians(viewpoint.up)
    flat = np.cos(up)
    eye = target + far * np.array(
        [np.sin(side) * flat, -np.cos(side) * flat, np.sin(up)]
    )

    forward = target - eye
    forward /= np.linalg.norm(forward)
    right = np.array([np.cos(side), np.sin(side), 0.0])
    axes = np.stack([right, np.cross(right, forward), forward])
    wide = 1.12 * room.width / back
    tall = 0.60 * max(room.height / 4.2, 0.6)
    focal = min(rect.width() / wide, rect.height() / tall) * viewpoint.zoom
    return View(
        eye, axes, focal, (rect.center().x(), rect.center().y() + 0.028 * focal)
    )


def from_the_house(room: Room, rect: QRectF) -> View:
    """The usual view."""
    return look(room, rect)
