"""What lamps of different makes do with the same wish: a colour, and where beams may
not go.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import msgspec
import numpy as np
import numpy.typing as npt

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.show import Area, Room
from choreon.render.colour import to_oklab
from choreon.render.rig import Floats, Rig

EXACT = 0.01  # OKLab distance that counts as the same colour
FAR = 30.0  # metres that a beam goes at most


class ColourAnswer(msgspec.Struct, frozen=True):
    """What a lamp makes of a colour: it is mixed as wished, mixed as near as can be,
    the nearest slot of a wheel, or nothing. `distance` in OKLab, brightness aside;
    `slot` is the wheel's.
    """

    kind: Literal["exact", "mixed", "nearest", "none"]
    distance: float = 0.0
    slot: str = ""


def colour_answer(rig: Rig, fixture: str, rgb: Sequence[float]) -> ColourAnswer:
    """What a fixture makes of linear light (3)."""
    wanted = np.asarray(rgb, float)
    wanted = wanted / wanted.max() if wanted.max() > 0 else np.ones(3)
    wheel = rig.wheels.get(fixture)

    if wheel is not None:
        slot = wheel.nearest(wanted)
        away = float(np.linalg.norm(wheel.lab[slot] - to_oklab(wanted)))
        return ColourAnswer("nearest", away, wheel.names[slot])

    rows = rig.where.get(fixture, {}).get(at.RED)
    if not rows:
        return ColourAnswer("none")

    colour = rows[0][1] - rig.intensities
    away = distance(wanted, predicted(rig, colour, wanted))
    return ColourAnswer("exact" if away < EXACT else "mixed", away)


def predicted(rig: Rig, colour: int, rgb: Floats) -> Floats:
    """The light (3) that the emitters of one of the rig's target colours give for a
    target.
    """
    for mix in rig.mixes:
        if colour in mix.colours:
            if mix.mixer is None:
                return np.asarray(rgb, float)
            return np.asarray(
                mix.mixer.light_of(mix.mixer.mix(np.asarray(rgb, float)[None]))[0]
            )
    return np.asarray(rgb, float)


def distance(one: Floats, other: Floats) -> float:
    """How far two lights (3) are apart in OKLab, each scaled to the luminance of the
    first.
    """
    weights = np.array([0.2126, 0.7152, 0.0722])  # ITU-R BT.709-6, item 3.2
    strength = float(np.maximum(other, 0.0) @ weights)
    scaled = np.maximum(other, 0.0) * (
        float(one @ weights) / strength if strength > 0 else 1.0
    )
    return float(np.linalg.norm(to_oklab(one) - to_oklab(scaled)))


def enters(
    area: Area, start: Sequence[float], way: Sequence[float], length: float
) -> bool:
    """Whether a beam from `start` along `way` (unit) for `length` metres passes through
    an area.

    The slab method: T. Kay, J. Kajiya, “Ray tracing complex scenes” (1986).
    """
    low, high = corners(area)
    begin, direction = np.asarray(start, float), np.asarray(way, float)
    near, far = 0.0, length

    for i in range(3):
        if abs(direction[i]) < 1e-12:
            if not low[i] <= begin[i] <= high[i]:
                return False

            continue

        a, b = sorted(
            ((low[i] - begin[i]) / direction[i], (high[i] - begin[i]) / direction[i])
        )
        near, far = max(near, float(a)), min(far, float(b))

    return near <= far


def kept_areas(room: Room) -> list[Area]:
    """Returns the areas that beams keep out of; the screen is one."""
    areas = list(room.keep_out)
    if room.screen is not None:
        s = room.screen
        areas.append(
            Area(
                tr("the screen"),
                s.x - s.width / 2,
                s.y - 0.05,
                s.x + s.width / 2,
                s.y + 0.05,
                s.z,
                s.z + s.height,
            )
        )

    return areas


def kept_out(room: Room, start: Sequence[float], way: Sequence[float]) -> str:
    """The name of the area, or the screen, that a beam from `start` along `way` (unit)
    enters; empty for none.
    """
    length = to_floor_or_wall(room, start, way)
    areas = kept_areas(room)
    return next((a.name for a in areas if enters(a, start, way, length)), "")


def hits(room: Room, start: Floats, ways: Floats) -> npt.NDArray[np.bool_]:
    """Returns which beams from `start` (3) along `ways` (n, 3, unit) enter an area, as
    `kept_out` does it for one.
    """
    found = np.zeros(len(ways), bool)
    starts = np.broadcast_to(start, ways.shape)
    far = lengths(room, starts, ways)
    for area in kept_areas(room):
        found |= enter(*corners(area), starts, ways, far)
    return found


def lengths(room: Room, starts: Floats, ways: Floats) -> Floats:
    """Returns how far beams (n) from `starts` (n, 3) along `ways` (n, 3, unit) go, as
    `to_floor_or_wall` does it for one.
    """
    far = np.full(len(ways), FAR)
    with np.errstate(divide="ignore", invalid="ignore"):
        floor = np.maximum(0.0, -starts[:, 2] / ways[:, 2])
        wall = np.maximum(0.0, (room.depth - starts[:, 1]) / ways[:, 1])
    far = np.where(ways[:, 2] < -1e-9, np.minimum(far, floor), far)
    return np.where(ways[:, 1] > 1e-9, np.minimum(far, wall), far)


def enter(
    low: Floats, high: Floats, starts: Floats, ways: Floats, far: Floats
) -> npt.NDArray[np.bool_]:
    """Returns which beams (n) of length `far` (n) pass through a box."""
    with np.errstate(divide="ignore", invalid="ignore"):
        one, other = (low - starts) / ways, (high - starts) / ways

    begin, end = np.minimum(one, other), np.maximum(one, other)

    # along an axis that it does not move on, it is within always or never
    still = np.abs(ways) < 1e-12
    inside = (low <= starts) & (starts <= high)
    begin = np.where(still, np.where(inside, -np.inf, np.inf), begin)
    end = np.where(still, np.where(inside, np.inf, -np.inf), end)

    near = np.maximum(begin.max(axis=1), 0.0)
    return np.asarray(near <= np.minimum(end.min(axis=1), far))


def corners(area: Area) -> tuple[Floats, Floats]:
    """Returns the lowest and the highest corner (3) of an area."""
    one = np.array([area.x1, area.y1, area.low], float)
    other = np.array([area.x2, area.y2, area.high], float)
    return np.minimum(one, other), np.maximum(one, other)


def to_floor_or_wall(room: Room, start: Sequence[float], way: Sequence[float]) -> float:
    """How far a beam goes, metres, before it meets the floor, the back wall or the end
    of the room.
    """
    far = FAR
    if way[2] < -1e-9:
        far = min(far, max(0.0, -start[2] / way[2]))
    if way[1] > 1e-9:
        far = min(far, max(0.0, (room.depth - start[1]) / way[1]))
    return far
