"""Spreading: a first and a last value over a choice, and what lies between."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np
import numpy.typing as npt

from choreon.render.colour import from_oklab, to_oklab

Floats = npt.NDArray[np.float64]
Shape = Literal["line", "middle", "wings"]
SHAPES: tuple[Shape, ...] = ("line", "middle", "wings")


def positions(count: int, shape: Shape = "line", repeat: int = 0) -> Floats:
    """Where each of `count` stands between the first value (0) and the last (1).

    `line`: from one end to the other. `middle`: from the middle out, both ends have the
    last value. `wings`: from both ends inwards, the middle has the last value.
    `repeat`: anew after so many; 0 is never.
    """
    if count <= 0:
        return np.zeros(0)

    run = min(repeat, count) if repeat > 0 else count
    one = np.linspace(0.0, 1.0, run) if run > 1 else np.zeros(1)
    if shape != "line" and run > 1:
        away = np.abs(np.arange(run) - (run - 1) / 2)  # from the middle, in places
        least, most = away.min(), away.max()
        one = (away - least) / (most - least) if most > least else np.zeros(run)
        one = one if shape == "middle" else 1.0 - one

    return np.asarray(np.tile(one, -(-count // run))[:count])


def between(first: npt.ArrayLike, last: npt.ArrayLike, at: Floats) -> Floats:
    """Values (n, …) on the straight line from `first` to `last`: levels, degrees,
    points in metres.
    """
    one, two = np.asarray(first, float), np.asarray(last, float)
    share = at.reshape(-1, *([1] * one.ndim))
    return np.asarray(one + (two - one) * share)


def colours_between(
    first: Sequence[float], last: Sequence[float], at: Floats
) -> Floats:
    """Colours (n, 3), linear light 0…1, on the straight line through OKLab."""
    return np.asarray(
        np.clip(from_oklab(between(to_oklab(first), to_oklab(last), at)), 0.0, 1.0)
    )
