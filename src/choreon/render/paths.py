"""Paths: closed curves in a plane, from −1 to 1, as functions of a cycle."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from choreon.model.motion import Path, PathShape

Floats = npt.NDArray[np.float64]

SAMPLES = 512  # places of a path that are kept; between them lines are straight
WAYPOINTS = 12  # that a wandering head passes in a cycle
TURN = 2.0 * np.pi


def shape_of(path: Path, samples: int = SAMPLES) -> Floats:
    """Returns the places (samples + 1, 2) of a path in a cycle, turned and stretched,
    times its size; the last is the first again.
    """
    at = np.arange(samples + 1) / samples
    if path.there_and_back:
        at = 1.0 - np.abs(2.0 * at - 1.0)
    if path.backward:
        at = 1.0 - at
    places = _unit(path, at)
    places = places * (path.size, path.size * path.stretch)
    angle = np.radians(path.turn)
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    return places @ turn


def _unit(path: Path, at: Floats) -> Floats:
    if path.shape in (PathShape.CIRCLE, PathShape.ELLIPSE):
        return np.stack([np.cos(TURN * at), np.sin(TURN * at)], axis=1)
    if path.shape == PathShape.LINE:
        # softly round at both ends
        return np.stack([-np.cos(TURN * at), np.zeros(len(at))], axis=1)
    if path.shape == PathShape.EIGHT:
        # Gerono's lemniscate, stretched to fill the square
        return np.stack([np.sin(TURN * at), np.sin(2.0 * TURN * at)], axis=1)

    if path.shape == PathShape.POLYGON:
        sides = min(24, max(3, path.sides))
        angles = TURN * np.arange(sides) / sides
        corners = np.stack([np.sin(angles), np.cos(angles)], axis=1)

        return _along(np.concatenate([corners, corners[:1]]), at)

    if path.shape == PathShape.WANDER:
        dice = np.random.default_rng(path.seed)
        radius = np.sqrt(dice.uniform(0.05, 1.0, WAYPOINTS))
        angles = dice.uniform(0.0, TURN, WAYPOINTS)
        points = np.stack([radius * np.cos(angles), radius * np.sin(angles)], axis=1)

        return _along(_rounded(points, closed=True), at)

    return _free(path, at)


def _free(path: Path, at: Floats) -> Floats:
    points = clean(path.points)
    if len(points) < 2:
        return np.repeat(points, len(at), axis=0)
    if path.smooth and len(points) > 2:
        line = _rounded(points, path.closed)
    elif path.closed:
        line = np.concatenate([points, points[:1]])
    else:
        line = points
    if not path.closed:
        # an open path is gone back the same way
        at = 1.0 - np.abs(2.0 * at - 1.0)
    return _along(line, at)


def clean(points: Sequence[tuple[float, float]]) -> Floats:
    """Returns the points (n, 2) of a path that are numbers; at least one."""
    made = np.array([p for p in points if np.isfinite(p).all()], float).reshape(-1, 2)
    return made if len(made) else np.zeros((1, 2))


def _along(line: Floats, at: Floats) -> Floats:
    """Places on a line of points (m, 2), at an even speed."""
    lengths = np.linalg.norm(np.diff(line, axis=0), axis=1)
    done = np.concatenate([[0.0], np.cumsum(lengths)])
    if done[-1] <= 0:
        return np.repeat(line[:1], len(at), axis=0)
    want = at * done[-1]
    return np.stack([np.interp(want, done, line[:, i]) for i in (0, 1)], axis=1)


def _rounded(points: Floats, closed: bool, between: int = 24) -> Floats:
    """A curve through points: centripetal-free Catmull–Rom.

    E. Catmull, R. Rom, “A class of local interpolating splines” (1974).
    """
    if closed:
        known = np.concatenate([points[-1:], points, points[:2]])
    else:
        known = np.concatenate([points[:1], points, points[-1:]])

    t = np.arange(between) / between
    pieces = []

    for p0, p1, p2, p3 in zip(known, known[1:], known[2:], known[3:], strict=False):
        a = 2.0 * p1
        b = p2 - p0
        c = 2.0 * p0 - 5.0 * p1 + 4.0 * p2 - p3
        d = 3.0 * p1 - p0 - 3.0 * p2 + p3
        steps = t[:, None]
        pieces.append(0.5 * (a + b * steps + c * steps**2 + d * steps**3))

    end = points[:1] if closed else points[-1:]
    return np.concatenate([*pieces, end])


def extent(places: Floats) -> tuple[Floats, Floats]:
    """Returns the lowest and the highest (2, 2) of places (n, 2)."""
    return places.min(axis=0), places.max(axis=0)
