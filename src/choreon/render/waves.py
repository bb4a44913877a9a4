"""Waves: numbers 0…1 as closed functions of a position in cycles.

The same position gives the same number, in whatever order it is asked.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from choreon.model.motion import Shape, Spread, Wave

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

CURVE = 512  # points that an own, smooth curve is kept in
TURN = 2.0 * np.pi


def places(count: int, spread: Spread) -> tuple[Floats, Ints]:
    """Returns the phase (count, cycles) of each of a row, and which group of neighbours
    that move as one each is in.

    The first has 0; over `amount` 360° all are even and the last is one step before the
    first.
    """
    index = np.arange(count)
    group = index // max(1, spread.together)
    groups = max(1, int(group[-1]) + 1 if count else 1)
    repeats, parts = max(1, spread.repeats), max(1, spread.parts)
    run = groups / repeats  # groups in a run
    # the middle of each group, as a part of its run
    within = np.mod((group + 0.5) / run, 1.0)

    if parts > 1:
        fold = within * parts
        part = np.floor(fold + 1e-9)
        fold -= part
        fold = np.where(part % 2 == 1, 1.0 - fold, fold)
        length = run / parts
        steps = np.ceil(length - 1e-9)
        phase = np.floor(fold * length + 1e-9) / max(1.0, steps)
    else:
        phase = within - 0.5 / run

    phase = phase * (spread.amount / 360.0)
    # what is later in the row comes later in time
    return (phase if spread.backward else -phase), group


def cycle(
    position: Floats, backward: bool, active: float, there_and_back: bool
) -> tuple[Floats, Floats]:
    """Returns how far each (n) is in its cycle, 0…1, and the number of the cycle; −1
    where it rests.
    """
    if backward:
        position = -position

    number = np.floor(position)
    within = position - number
    if active < 1.0:
        share = max(active, 1e-6)
        within = np.where(within < share, within / share, -1.0)

    if there_and_back:
        turned = 1.0 - np.abs(2.0 * within - 1.0)
        within = np.where(within < 0, within, turned)

    return within, number


def wave(
    motion: Wave,
    within: Floats,
    number: Floats,
    group: Ints,
    curve: Floats | None,
    least: float = 0.0,
) -> Floats:
    """Returns a wave (n, 0…1) at `within` of cycle `number`; 0 where it rests.
    `group`: who moves as one, which decides what is random; `curve` as own_curve gives
    it. `least`: the part of a cycle that a pulse is up at least, so that it is seen.
    """
    u = within
    if motion.shape == Shape.SINE:
        value = 0.5 - 0.5 * np.cos(TURN * u)
    elif motion.shape == Shape.TRIANGLE:
        value = 1.0 - np.abs(2.0 * u - 1.0)
    elif motion.shape == Shape.UP:
        value = u
    elif motion.shape == Shape.DOWN:
        value = 1.0 - u
    elif motion.shape == Shape.PULSE:
        width = max(motion.width, least) if motion.width > 0.0 else 0.0
        value = np.less(u, width).astype(float)
    elif motion.shape == Shape.STEPS:
        count = max(2, motion.steps)
        value = np.minimum(np.floor(u * count), count - 1) / (count - 1)
    elif motion.shape == Shape.RANDOM:
        value = _random(u, number, group, motion.seed)
    else:
        value = _along(curve, u, motion)

    if motion.active < 1.0 and motion.shape != Shape.RANDOM:
        value = np.where(u < 0, 0.0, value)

    return value


def _random(u: Floats, number: Floats, group: Ints, seed: int) -> Floats:
    return between(u, *drawn(number, group, seed))


def drawn(number: Floats, group: Ints, seed: int) -> tuple[Floats, Floats]:
    """Returns between which random numbers (n) each goes in its cycle."""
    return chance(number, group, seed), chance(number + 1.0, group, seed)


def between(u: Floats, begin: Floats, end: Floats) -> Floats:
    """From one random number to the next, softly."""
    return begin + (end - begin) * (u * u * (3.0 - 2.0 * u))


def chance(number: Floats, group: Ints, seed: int) -> Floats:
    """Returns a number 0…1 for each cycle and group, the same every time.

    The finaliser of SplitMix64: G. Steele, D. Lea, C. Flood, “Fast splittable
    pseudorandom number generators” (2014).
    """
    with np.errstate(over="ignore"):
        x = number.astype(np.int64).astype(np.uint64)
        x = x * np.uint64(0x9E3779B97F4A7C15)
        x += (group.astype(np.uint64) + np.uint64(1)) * np.uint64(0xD1B54A32D192ED03)
        x += np.uint64(seed & 0xFFFFFFFF) * np.uint64(0x8CB92BA72F3D8DD7)
        x ^= x >> np.uint64(30)

        x *= np.uint64(0xBF58476D1CE4E5B9)
        x ^= x >> np.uint64(27)
        x *= np.uint64(0x94D049BB133111EB)
        x ^= x >> np.uint64(31)

    return (x >> np.uint64(11)).astype(float) / float(1 << 53)


def own_curve(motion: Wave) -> Floats | None:
    """Returns the points (n, 2) that an own curve goes through, x ascending from 0 to
    1; None for other shapes.
    """
    if motion.shape != Shape.OWN:
        return None
    points = _in_order(motion.curve)
    if not motion.smooth or len(points) < 3:
        return points
    return _rounded(points)


def _in_order(curve: Sequence[tuple[float, float]]) -> Floats:
    """Points from x = 0 to x = 1; the ends keep the height of the nearest."""
    known = sorted((min(1.0, max(0.0, x)), min(1.0, max(0.0, y))) for x, y in curve)
    if not known:
        known = [(0.0, 0.0)]
    if known[0][0] > 0.0:
        known.insert(0, (0.0, known[0][1]))
    if known[-1][0] < 1.0:
        known.append((1.0, known[-1][1]))
    return np.array(known)


def _rounded(points: Floats) -> Floats:
    """A monotone cubic through points: it goes no higher and no lower than they do.

    F. Fritsch, J. Butland, “A method for constructing local monotone piecewise cubic
    interpolants” (1984), with zero slope at the ends.
    """
    x, y = points.T
    step = np.maximum(np.diff(x), 1e-9)
    slope = np.diff(y) / step
    tangent = np.zeros(len(x))
    before, after = slope[:-1], slope[1:]
    same_way = before * after > 0

    w1, w2 = 2.0 * step[1:] + step[:-1], step[1:] + 2.0 * step[:-1]
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = (w1 + w2) / (w1 / before + w2 / after)

    tangent[1:-1] = np.where(same_way, mean, 0.0)
    at = np.linspace(0.0, 1.0, CURVE + 1)
    k = np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(step) - 1)
    t = (at - x[k]) / step[k]
    h00 = (1.0 + 2.0 * t) * (1.0 - t) ** 2

    h10 = t * (1.0 - t) ** 2
    h01 = t * t * (3.0 - 2.0 * t)
    h11 = t * t * (t - 1.0)
    smooth = h00 * y[k] + h10 * step[k] * tangent[k]
    smooth += h01 * y[k + 1] + h11 * step[k] * tangent[k + 1]

    return np.stack([at, np.clip(smooth, 0.0, 1.0)], axis=1)


def _along(curve: Floats | None, u: Floats, motion: Wave) -> Floats:
    if curve is None:
        curve = own_curve(motion)
    if curve is None:
        return np.zeros(len(u))
    return np.interp(u, curve[:, 0], curve[:, 1])
