"""Where a beam goes: pan, tilt and hanging → a direction in the room."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]


def turn_x(degrees: npt.ArrayLike) -> Array:
    """Rotation about x, (…, 3, 3); positive tips a downward beam upstage (+y).
    Elementary rotation, right-handed.
    """
    return _turn(degrees, 1, 2)


def turn_y(degrees: npt.ArrayLike) -> Array:
    """Rotation about y, (…, 3, 3); negative tips a downward beam to audience right
    (+x).
    """
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


def hanging_matrix(
    yaw: npt.ArrayLike, pitch: npt.ArrayLike, roll: npt.ArrayLike
) -> Array:
    """A fixture's own axes in the room, (…, 3, 3): yaw · pitch · roll."""
    return np.asarray(turn_z(yaw) @ turn_x(pitch) @ turn_y(-np.asarray(roll, float)))


def beam(hanging: Array, pan: npt.ArrayLike, tilt: npt.ArrayLike) -> Array:
    """Unit beam directions (n, 3) from hanging matrices (n, 3, 3) and pan, tilt in
    degrees.

    Pan 0, tilt 0 is the fixture's own straight down; pan turns about its z, tilt about
    its x axis after that.
    """
    return np.asarray(-(hanging @ turn_z(pan) @ turn_x(tilt))[..., :, 2])


def solve(
    hanging: Array,
    way: npt.ArrayLike,
    pan: tuple[float, float],
    tilt: tuple[float, float],
    now: tuple[float, float],
) -> tuple[float, float, float]:
    """Pan and tilt (degrees) that send one beam along `way` (3, any length), and by how
    many degrees it misses.

    `hanging` (3, 3); `pan`, `tilt`: lowest and highest. As `solve_all` does it for
    many.
    """
    angles, miss = solve_all(
        hanging[None],
        np.asarray(way, float)[None],
        np.array([pan], float),
        np.array([tilt], float),
        np.array([now]),
    )
    return float(angles[0, 0]), float(angles[0, 1]), float(miss[0])


_TURNS = 360.0 * np.arange(-3, 4)
_SIGNS = np.repeat([1.0, -1.0], len(_TURNS))
_ROUND = np.concatenate([_TURNS, 180.0 + _TURNS])


def solve_all(
    hanging: Array, ways: Array, pan: Array, tilt: Array, now: Array
) -> tuple[Array, Array]:
    """Pan and tilt (n, 2, degrees) that send beams along `ways` (n, 3, any length), and
    by how many degrees (n) each misses.

    `hanging` (n, 3, 3); `pan`, `tilt` (n, 2): lowest and highest. Of all legal answers
    the one with the least travel from `now` (n, 2) is taken; where none is legal, the
    one that misses least. From `beam`: with d the way in the fixture's own axes, cos
    tilt = −d_z and (−sin pan, cos pan) = (d_x, d_y) / sin tilt; tilt may have either
    sign, pan any turn of 360°.
    """
    d = np.einsum("nji,nj->ni", hanging, ways)
    d = d / np.maximum(np.linalg.norm(d, axis=1, keepdims=True), 1e-12)
    level = np.degrees(np.arccos(np.clip(-d[:, 2], -1.0, 1.0)))
    upright = (
        np.hypot(d[:, 0], d[:, 1]) < 1e-9
    )  # straight along the pan axis: any pan will do
    first = np.where(upright, now[:, 0], np.degrees(np.arctan2(-d[:, 0], d[:, 1])))
    wanted = np.stack(
        [first[:, None] + _ROUND, level[:, None] * _SIGNS]
    )  # 2, n, 14 answers

    ends = np.stack([pan, tilt])
    legal = np.clip(wanted, ends[:, :, :1], ends[:, :, 1:])
    p, t = np.radians(legal)
    sent = np.stack(
        [-np.sin(p) * np.sin(t), np.cos(p) * np.sin(t), -np.cos(t)], axis=-1
    )  # beam(), in its own axes
    away = np.degrees(np.arccos(np.clip(np.einsum("nki,ni->nk", sent, d), -1.0, 1.0)))
    miss = np.round(np.where((legal == wanted).all(axis=0), 0.0, away), 6)

    travel = np.abs(legal - now.T[:, :, None]).sum(axis=0)
    best = np.where(miss == miss.min(axis=1, keepdims=True), travel, np.inf).argmin(
        axis=1
    )

    rows = np.arange(len(best))

    return legal[:, rows, best].T, miss[rows, best]
