"""How colours are picked: by hue and strength, even to the eye, and by colour
temperature. All give the brightest.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache

import numpy as np
import numpy.typing as npt

from choreon.model.colours import light_of
from choreon.render.colour import from_oklab, to_oklab

Floats = npt.NDArray[np.float64]

_SIDES = 1536  # colours along the edge of the gamut


@cache
def _edge() -> tuple[Floats, Floats]:
    """The strongest colours of linear Rec.709, one part full and one at 0, from red
    round to red, and where they stand: 0…360, as far apart as they look (by their
    distance in OKLab).
    """
    turn = np.arange(_SIDES + 1) / _SIDES
    shift = np.array([0.0, 2 / 3, 1 / 3])
    rgb = np.clip(np.abs(((turn[:, None] + shift) % 1.0) * 6 - 3) - 1, 0, 1) ** 2.2
    steps = np.linalg.norm(np.diff(to_oklab(rgb), axis=0), axis=1)
    along = np.concatenate(([0.0], np.cumsum(steps)))
    return 360.0 * along / along[-1], rgb


def strongest(hue: npt.ArrayLike) -> Floats:
    """The strongest colour (…, 3), linear light, of hues (…), 0…360: round the colours
    in even steps to the eye.
    """
    at, (hues, edge) = np.asarray(hue, float) % 360.0, _edge()
    return np.asarray(
        np.stack([np.interp(at, hues, edge[:, i]) for i in range(3)], axis=-1)
    )


def colour_at(hue: npt.ArrayLike, strength: npt.ArrayLike) -> Floats:
    """Linear light (…, 3), its highest part 1: from white (strength 0) to the strongest
    of a hue (1), through OKLab.
    """
    full = to_oklab(strongest(hue))
    share = np.asarray(strength, float)[..., None]
    white = to_oklab(np.ones(3))
    rgb = np.clip(from_oklab(white + (full - white) * share), 0.0, None)
    return np.asarray(rgb / np.maximum(rgb.max(axis=-1, keepdims=True), 1e-9))


_GRID_HUES, _GRID_STRENGTHS = np.arange(0.0, 360.0, 2.0), np.linspace(0.0, 1.0, 51)


@cache
def _grid() -> Floats:
    """The colours of some hues and strengths, in OKLab."""
    return to_oklab(colour_at(_GRID_HUES[:, None], _GRID_STRENGTHS[None, :]))


def place_of(rgb: Sequence[float]) -> tuple[float, float]:
    """Hue (0…360) and strength (0…1) at which `colour_at` gives the chromaticity of
    linear light (3), or comes nearest.
    """
    top = max(rgb)
    if top <= 0:
        return 0.0, 0.0

    lab = to_oklab(np.asarray(rgb, float) / top)
    if float(np.hypot(lab[1], lab[2])) < 1e-4:
        return 0.0, 0.0

    grid = _grid()
    row, column = np.unravel_index(
        int(np.linalg.norm(grid - lab, axis=-1).argmin()), grid.shape[:2]
    )
    hue, strength = float(_GRID_HUES[row]), float(_GRID_STRENGTHS[column])

    for width in (2.0, 0.25):
        hues = hue + width * np.linspace(-1, 1, 17)
        strengths = np.clip(strength + 0.01 * width * np.linspace(-1, 1, 17), 0.0, 1.0)
        away = np.linalg.norm(
            to_oklab(colour_at(hues[:, None], strengths[None, :])) - lab, axis=-1
        )
        row, column = np.unravel_index(int(away.argmin()), away.shape)
        hue, strength = float(hues[row]), float(strengths[column])

    return hue % 360.0, strength


WARMEST, COLDEST = 1700.0, 20000.0


def of_kelvin(kelvin: float) -> tuple[float, float, float]:
    """Linear light, its highest part 1, of a black body at 1,700…20,000 K.

    Chromaticity by the cubic fit of B. Kang et al., “Design of advanced color
    temperature control system for HDTV applications”, J. Korean Phys. Soc. 41 (2002).
    """
    t = min(COLDEST, max(WARMEST, kelvin))
    if t <= 4000.0:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390

    if t <= 2222.0:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t <= 4000.0:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483

    r, g, b = (max(0.0, v) for v in light_of(x, y, 1.0))
    top = max(r, g, b)
    return r / top, g / top, b / top


_KELVINS = np.geomspace(WARMEST, COLDEST, 240)
NEAR = (
    0.03  # OKLab distance from the black body within which a colour has a temperature
)


@cache
def _black_body() -> Floats:
    """The colours of a black body at some temperatures, in OKLab."""
    return to_oklab(np.array([of_kelvin(float(k)) for k in _KELVINS]))


def kelvin_of(rgb: Sequence[float]) -> float | None:
    """The temperature of linear light (3); None for what is no white."""
    top = max(rgb)
    if top <= 0:
        return None
    away = np.linalg.norm(
        _black_body() - to_oklab(np.asarray(rgb, float) / top), axis=1
    )
    best = int(away.argmin())
    return float(_KELVINS[best]) if away[best] < NEAR else None
