"""Colour sums: linear Rec.709 light, OKLab, and what emitters make of a target. All
vectorised over rows.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from choreon.model.colours import TO_LAB, TO_LMS

Array = npt.NDArray[np.float64]

_TO_LMS, _TO_LAB = np.array(TO_LMS), np.array(TO_LAB)
_FROM_LMS = np.linalg.inv(_TO_LMS)
_FROM_LAB = np.linalg.inv(_TO_LAB)


def to_oklab(rgb: npt.ArrayLike) -> Array:
    """Linear Rec.709 light (…, 3) → OKLab (…, 3)."""
    return np.asarray(np.cbrt(np.asarray(rgb, float) @ _TO_LMS.T) @ _TO_LAB.T)


def from_oklab(lab: npt.ArrayLike) -> Array:
    """OKLab (…, 3) → linear Rec.709 light (…, 3); colours outside the gamut come out
    negative or above 1.
    """
    lms = np.asarray(lab, float) @ _FROM_LAB.T
    return np.asarray(
        lms * lms * lms @ _FROM_LMS.T
    )  # a power takes several times as long


def to_oklab_rows(rgb: Array) -> Array:
    """Linear Rec.709 light (3, n) → OKLab (3, n)."""
    return np.asarray(_TO_LAB @ np.cbrt(_TO_LMS @ rgb))


def from_oklab_rows(lab: Array) -> Array:
    """OKLab (3, n) → linear Rec.709 light (3, n)."""
    lms = _FROM_LAB @ lab
    lms *= lms * lms  # a power would take several times as long
    return np.asarray(_FROM_LMS @ lms)


def to_screen(rgb: npt.ArrayLike) -> Array:
    """Linear light → sRGB screen values 0…1 (IEC 61966-2-1)."""
    light = np.clip(np.asarray(rgb, float), 0.0, 1.0)
    return np.where(
        light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055
    )
