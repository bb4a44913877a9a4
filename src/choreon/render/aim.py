"""Where a beam goes: pan, tilt and hanging → a direction in the room."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]


def turn_x(degrees: npt.ArrayLike) -> Array:
    """Rotation about x, (…, 3, 3); positive tips a downward beam upstage (+y). Elementary rotation, right-handed."""
    return _turn(degrees, 1, 2)


def turn_y(degrees: npt.ArrayLike) -> Array:
    """Rotation about y, (…, 3, 3); negative tips a downward beam to audience right (+x)."""
    return _turn(degrees, 2, 0)


def turn_z(degrees: npt.ArrayLike) -> Array:
    """Rotation about z, (…, 3, 3); positive is counter-clockwise from above."""
    return _turn(degrees, 0, 1)


def _turn(degrees: npt.ArrayLike, i: int, j: int) -> Array:
    angle = np.radians(np.asarray(degrees, float))
    matrix = np.zeros((*angle.shape, 3, 3))
    matrix[..., 3 - i - j, 3 - i - j] = 1.0
    matrix[..., i, i] = matrix[..., j, j] = np.cos(angle)
    matrix[..., i, j] = -np.sin(angle)
    matrix[..., j, i] = np.sin(angle)
    return matrix


def hanging_matrix(yaw: npt.ArrayLike, pitch: npt.ArrayLike, roll: npt.ArrayLike) -> Array:
    """A fixture's own axes in the room, (…, 3, 3): yaw · pitch · roll."""
    return np.asarray(turn_z(yaw) @ turn_x(pitch) @ turn_y(-np.asarray(roll, float)))


def beam(hanging: Array, pan: npt.ArrayLike, tilt: npt.ArrayLike) -> Array:
    """Unit beam directions (n, 3) from hanging matrices (n, 3, 3) and pan, tilt in degrees.

    Pan 0, tilt 0 is the fixture's own straight down; pan turns about its z, tilt about its x axis after that.
    """
    return np.asarray(-(hanging @ turn_z(pan) @ turn_x(tilt))[..., :, 2])
