"""Colour sums: linear Rec.709 light, OKLab, and what emitters make of a target. All vectorised over rows."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]

# Linear sRGB → cone response → OKLab: B. Ottosson, “A perceptual color space for image processing” (2020).
_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)
_FROM_LMS = np.linalg.inv(_TO_LMS)
_FROM_LAB = np.linalg.inv(_TO_LAB)


def to_oklab(rgb: npt.ArrayLike) -> Array:
    """Linear Rec.709 light (…, 3) → OKLab (…, 3)."""
    return np.asarray(np.cbrt(np.asarray(rgb, float) @ _TO_LMS.T) @ _TO_LAB.T)


def from_oklab(lab: npt.ArrayLike) -> Array:
    """OKLab (…, 3) → linear Rec.709 light (…, 3); colours outside the gamut come out negative or above 1."""
    return np.asarray((np.asarray(lab, float) @ _FROM_LAB.T) ** 3 @ _FROM_LMS.T)


def to_screen(rgb: npt.ArrayLike) -> Array:
    """Linear light → sRGB screen values 0…1 (IEC 61966-2-1)."""
    light = np.clip(np.asarray(rgb, float), 0.0, 1.0)
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


def from_screen(rgb: npt.ArrayLike) -> Array:
    """sRGB screen values 0…1 → linear light (IEC 61966-2-1)."""
    value = np.clip(np.asarray(rgb, float), 0.0, 1.0)
    return np.where(value <= 0.04045, value / 12.92, ((value + 0.055) / 1.055) ** 2.4)


def mix_white(rgb: Array) -> Array:
    """Linear light (n, 3) → red, green, blue and white emitters (n, 4), the brightest mix of that chromaticity.

    White is taken to be as strong as red, green and blue together, all at D65. With the target scaled to a
    strongest part of 1, the mix is s·target = rgb + white with every emitter within 0…1. White replaces as much
    of the target as its weakest part allows (r = min target): s·target − s·r ≤ 1 gives s = 1 / (max − min), and
    where white alone reaches its end first (s·r > 1), s = 2 / max. The whole is then scaled to the target's own
    strength, so that half the target is half the light.
    """
    top = rgb.max(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        unit = np.where(top[:, None] > 0, rgb / top[:, None], 0.0)
        low = unit.min(axis=1)
        scale = np.where(low > 0.5, 2.0, 1.0 / (1.0 - low))
    white = np.minimum(scale * low, 1.0)
    mixed = np.empty((len(rgb), 4))
    mixed[:, :3] = np.clip(unit * scale[:, None] - white[:, None], 0.0, 1.0)
    mixed[:, 3] = white
    mixed *= top[:, None]
    return mixed
