"""Paths of heads: pan and tilt over a cycle, as tables.

On a path in the room all makes follow the same points. What a head cannot reach is
rescaled about the middle, never cut off; where its beam would enter an area that is to
be kept out of, its path bends or it goes dark.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

import numpy as np
import numpy.typing as npt

from choreon.model import links
from choreon.model.motion import KeepOut, Path, Plane
from choreon.model.show import Room, Show
from choreon.render import aim, reaching
from choreon.render.heads import Heads
from choreon.render.paths import SAMPLES, shape_of

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Flags = npt.NDArray[np.bool_]

FULL = 360.0  # degrees
COARSE = 64  # samples of a cycle at which areas and limits are looked for
RAYS = 24  # steps from the middle outwards in which a path is bent
BEND = 0.125  # most that a bent path comes in from one coarse sample to the next
HALVINGS = 10  # of the size, in search of what fits
STEEP = 20.0  # degrees of tilt below which pan is not widened any more
TURN_BACK = 1.5  # seconds that a head takes for a turn back
SOFT = 0.02  # of a cycle, in which a head goes dark
FALLBACK = (0.0, 3.0, 0.0)  # metres; where a path lies whose mark is gone


class Trouble(StrEnum):
    """What is to be told of a head on a path before it goes."""

    SMALLER = "goes a smaller way, within its limits"
    STANDS = "cannot get there; it stands as near as it can"
    BENT = "bends away from what is to be kept out of"
    DARK = "goes dark over what is to be kept out of"
    TURNS_BACK = "hangs over its path; it goes dark while it turns back"


@dataclass
class PathTable:
    """The ways of heads (h): `angles` (h, SAMPLES + 1, 2) in degrees, and how far each
    may shine there, `light` (h, SAMPLES + 1), None where all may always. `points`:
    where in the room they look (h, SAMPLES + 1, 3), None for paths in degrees.
    """

    heads: Ints
    angles: Floats
    light: Floats | None = None
    points: Floats | None = None
    troubles: dict[int, Trouble] = field(default_factory=dict)

    def at(self, position: Floats) -> tuple[Floats, Floats | None]:
        """Returns pan and tilt (h, 2), and how far each may shine (h), at positions
        (h) in cycles.
        """
        place = (position - np.floor(position)) * SAMPLES
        index = np.minimum(place.astype(np.int64), SAMPLES - 1)
        share = place - index
        index += self._starts
        flat = self.angles.reshape(-1, 2)
        here = flat.take(index, axis=0)
        angles = flat.take(index + 1, axis=0)
        angles -= here
        angles *= share[:, None]
        angles += here
        if self.light is None:
            return angles, None
        light = self.light.reshape(-1)
        dim = light.take(index)
        dim = dim + share * (light.take(index + 1) - dim)
        return angles, dim

    @cached_property
    def middle(self) -> Floats:
        """The middle of each head's way (h, 2), degrees."""
        return np.asarray(self.angles.mean(axis=1))

    @cached_property
    def _starts(self) -> Ints:
        """Where the samples of each head begin, counted through."""
        return np.arange(len(self.heads)) * (SAMPLES + 1)


def in_room(
    show: Show, heads: Heads, which: Ints, path: Path, near: Floats, seconds: float
) -> PathTable:
    """Returns the table of heads (h) on a path in the room. `near` (h, 2): pan and tilt
    that they come from. `seconds`: what a cycle takes, about.
    """
    centre, places = points_of(show, path)
    table = PathTable(which, np.zeros((len(which), SAMPLES + 1, 2)))
    points = np.zeros((len(which), SAMPLES + 1, 3))
    lights = np.ones((len(which), SAMPLES + 1))
    for n, head in enumerate(which):
        way = _Way(heads, int(head), near[n])
        own, bent = places, False
        if _guarded(show.room) and path.keep_out == KeepOut.BEND:
            own, bent = _bent(show.room, way, centre, places)
        found = _fitted(way, centre, own, seconds)
        table.angles[n], lights[n], trouble, points[n] = found
        dark = np.zeros(SAMPLES + 1, bool)
        if _guarded(show.room):
            dark = _angles_hit(show.room, way, table.angles[n])
            lights[n] *= _softened(~dark)
        trouble = _worst(trouble, bent, bool(dark.any()))
        if trouble is not None:
            table.troubles[int(head)] = trouble
    table.points = points
    table.light = lights if (lights < 1.0).any() else None
    return table


def _guarded(room: Room) -> bool:
    """Whether there is anything to keep out of."""
    return bool(room.keep_out) or room.screen is not None


def _worst(trouble: Trouble | None, bent: bool, dark: bool) -> Trouble | None:
    """What is to be told, of what was found of a way by itself and in its room."""
    if dark and trouble != Trouble.STANDS:
        return Trouble.DARK
    return Trouble.BENT if trouble is None and bent else trouble


def points_of(show: Show, path: Path) -> tuple[Floats, Floats]:
    """Returns the middle (3) of a path in the room and its points (SAMPLES + 1, 3)."""
    centre = np.array(links.point_of(show, path.centre) or FALLBACK)
    flat = shape_of(path)
    points = np.repeat(centre[None], len(flat), axis=0)
    points[:, 0] += flat[:, 0]
    points[:, 1 if path.plane == Plane.FLOOR else 2] += flat[:, 1]
    return centre, points


def around(
    show: Show, heads: Heads, which: Ints, path: Path, base: Floats
) -> PathTable:
    """Returns the table of heads (h) on a path in degrees around `base` (h, 2)."""
    table = PathTable(which, np.zeros((len(which), SAMPLES + 1, 2)))
    lights = np.ones((len(which), SAMPLES + 1))
    flat = shape_of(path)
    room = show.room
    for n, head in enumerate(which):
        way = _Way(heads, int(head), base[n])
        offsets = flat / np.array([float(widening(base[n, 1])), 1.0])
        scale = fitting(base[n], flat, base[n, 1], way.low, way.high)
        table.angles[n] = way.legal(base[n] + scale * offsets)
        if scale < 1.0 - 1e-9:
            table.troubles[int(head)] = Trouble.SMALLER
        if not _guarded(room):
            continue
        if path.keep_out == KeepOut.BEND:
            bent = _bent_angles(room, way, base[n], scale * offsets)
            if not np.array_equal(bent, table.angles[n]):
                table.angles[n] = bent
                table.troubles[int(head)] = Trouble.BENT
        dark = _angles_hit(room, way, table.angles[n])
        if dark.any():
            lights[n] = _softened(~dark)
            table.troubles[int(head)] = Trouble.DARK
    table.light = lights if (lights < 1.0).any() else None
    return table


def widening(tilt: float | Floats) -> Floats:
    """Returns how much of a degree at the beam a degree of pan is, at a tilt: its sine,
    but no less than at STEEP.
    """
    return np.maximum(np.abs(np.sin(np.radians(tilt))), np.sin(np.radians(STEEP)))


def fitting(
    base: Floats, flat: Floats, tilt: float, low: Floats, high: Floats
) -> float:
    """Returns the scale, 0…1, at which a path (n, 2, degrees) around `base` (2) stays
    between `low` and `high` (2).
    """
    width = np.array([float(widening(tilt)), 1.0])
    least, most = flat.min(axis=0) / width, flat.max(axis=0) / width
    down = (base - low) / np.maximum(-least, 1e-9)
    up = (high - base) / np.maximum(most, 1e-9)
    return float(np.clip(min(down.min(), up.min()), 0.0, 1.0))


class _Way:
    """One head: where it hangs, how far it turns, where it comes from (2, degrees)."""

    def __init__(self, heads: Heads, head: int, near: Floats) -> None:
        self.heads, self.head, self.near = heads, head, near
        self.place, self.hanging = heads.place[head], heads.hanging[head]
        self.low, self.high = heads.low[head], heads.high[head]

    def legal(self, angles: Floats) -> Floats:
        """Returns angles (n, 2) within the limits."""
        return np.clip(angles, self.low, self.high)

    def track(self, points: Floats) -> tuple[Floats, int] | None:
        """Returns pan and tilt (n, 2) along points (n, 3, closed) without a jump,
        within the limits, and where it has to turn back: a sample, or -1. None where
        there is no such way.
        """
        d = (points - self.place) @ self.hanging
        d /= np.maximum(np.linalg.norm(d, axis=1, keepdims=True), 1e-12)
        flat = np.hypot(d[:, 0], d[:, 1])
        pan = np.degrees(np.arctan2(-d[:, 0], d[:, 1]))
        _carry(pan, flat < 1e-9)
        pan = np.unwrap(pan, period=FULL)
        tilt = np.degrees(np.arctan2(flat, -d[:, 2]))
        rounds = round((pan[-1] - pan[0]) / FULL)
        best: tuple[float, Floats, int] | None = None
        for first, sign in ((pan, 1.0), (pan + 180.0, -1.0)):
            own = sign * tilt
            if own.min() < self.low[1] or own.max() > self.high[1]:
                continue
            found = self._turned(first) if rounds == 0 else self._wound(first, rounds)
            for turned, back in found:
                travel = abs(turned[0] - self.near[0]) + abs(own[0] - self.near[1])
                if best is None or travel < best[0] - 1e-9:
                    best = travel, np.stack([turned, own], axis=1), back
        return None if best is None else best[1:]

    def _turned(self, pan: Floats) -> list[tuple[Floats, int]]:
        """The same pan with whole turns more or less, as far as they are legal."""
        made = []
        lowest = int(np.ceil((self.low[0] - pan.min()) / FULL - 1e-9))
        highest = int(np.floor((self.high[0] - pan.max()) / FULL + 1e-9))
        for turns in range(lowest, highest + 1):
            made.append((pan + FULL * turns, -1))
        return made

    def _wound(self, pan: Floats, rounds: int) -> list[tuple[Floats, int]]:
        """A pan that goes all round in a cycle, cut where the most room is left."""
        if abs(rounds) != 1:
            return []
        count = len(pan) - 1
        twice = np.concatenate([pan[:-1], pan[:-1] + FULL * rounds])
        best: tuple[float, Floats, int] | None = None
        for cut in range(0, count, max(1, count // COARSE)):
            span = twice[cut : cut + count + 1] if cut < count else twice[cut:]
            middle = (span.min() + span.max()) / 2.0
            wanted = (self.low[0] + self.high[0]) / 2.0
            turns = FULL * round((wanted - middle) / FULL)
            over = max(
                self.low[0] - (span.min() + turns), span.max() + turns - self.high[0]
            )
            if best is None or over < best[0]:
                made = np.empty(count + 1)
                made[cut:count] = twice[cut:count]
                made[:cut] = twice[count : count + cut]
                made[count] = twice[count]
                best = over, made + turns, cut
        if best is None or best[0] > 1e-9:
            return []
        return [best[1:]]


def _carry(pan: Floats, upright: Flags) -> None:
    """Straight along the axis any pan will do: it keeps the one before."""
    known = np.flatnonzero(~upright)
    for i in np.flatnonzero(upright):
        before = known[known < i]
        pan[i] = pan[before[-1]] if len(before) else pan[known[0]] if len(known) else 0


def _fitted(
    way: _Way, centre: Floats, points: Floats, seconds: float
) -> tuple[Floats, Floats, Trouble | None, Floats]:
    """Pan and tilt, light, what is to be told, and the points that are followed; the
    path made smaller about its middle until the head can follow it.
    """
    whole = np.ones(len(points))
    found = way.track(points)
    if found is not None:
        angles, back = found
        if back < 0:
            return angles, whole, None, points
        return angles, _turning(back, seconds), Trouble.TURNS_BACK, points
    coarse = points[:: SAMPLES // COARSE]
    fits, least = 0.0, 1.0
    for _ in range(HALVINGS):
        half = (fits + least) / 2.0
        if way.track(centre + half * (coarse - centre)) is not None:
            fits = half
        else:
            least = half
    for _ in range(HALVINGS if fits > 0.0 else 0):
        smaller = centre + fits * (points - centre)
        found = way.track(smaller)
        if found is not None:
            angles, back = found
            light = whole if back < 0 else _turning(back, seconds)
            return way.legal(angles), light, Trouble.SMALLER, smaller
        fits *= 0.95  # between the coarse samples it is less legal than at them
    stands, _ = way.heads.solve(
        np.array([way.head]), centre[None], way.near[None].astype(float)
    )
    still = np.repeat(stands, len(points), axis=0)
    return still, whole, Trouble.STANDS, np.repeat(centre[None], len(points), axis=0)


def _turning(back: int, seconds: float) -> Floats:
    """The light of a head that turns back at a sample: dark from there on until it is
    round.
    """
    dark = min(0.25, TURN_BACK / max(seconds, 0.1))
    at = np.arange(SAMPLES + 1) / SAMPLES
    since = np.mod(at - back / SAMPLES, 1.0)
    lit = (since > dark) & (since < 1.0 - 1.5 / SAMPLES)
    return _softened(lit)


def _softened(lit: Flags) -> Floats:
    """Light that is out where it shall be and gets there softly, 0…1."""
    if lit.all():
        return np.ones(len(lit))
    ring = lit[:-1]
    reach = max(1, int(SOFT * SAMPLES))
    light = ring.astype(float)
    out = ~ring
    for step in range(1, reach):
        near = np.roll(out, step) | np.roll(out, -step)
        light = np.where(near, np.minimum(light, step / reach), light)
    return np.concatenate([light, light[:1]])


# what is to be kept out of


def _hits(room: Room, place: Floats, points: Floats) -> Flags:
    """Which of the beams from a place towards points (n, 3) enter an area."""
    ways = points - place
    ways = ways / np.maximum(np.linalg.norm(ways, axis=1, keepdims=True), 1e-9)
    return reaching.hits(room, place, ways)


def _angles_hit(room: Room, way: _Way, angles: Floats) -> Flags:
    hanging = np.repeat(way.hanging[None], len(angles), axis=0)
    ways = aim.beam(hanging, angles[:, 0], angles[:, 1])
    return reaching.hits(room, way.place, ways)


def _inner(clear: Flags) -> Floats:
    """How far out (n, 0…1) each way from the middle is clear; `clear` (n, RAYS + 1) of
    the steps outwards. It changes no faster than BEND from one to the next.
    """
    blocked = ~clear
    first = np.where(blocked.any(axis=1), blocked.argmax(axis=1) - 1, RAYS)
    reach = np.maximum(first, 0) / RAYS
    for _ in range(COARSE):
        beside = np.minimum(np.roll(reach, 1), np.roll(reach, -1)) + BEND
        calmer = np.minimum(reach, beside)
        if np.array_equal(calmer, reach):
            break
        reach = calmer
    return reach


def _to_all(reach: Floats) -> Floats:
    """From coarse samples to all of them."""
    ring = np.concatenate([reach, reach[:1]])
    at = np.arange(SAMPLES + 1) / SAMPLES * COARSE
    return np.interp(at, np.arange(COARSE + 1), ring)


def _bent(room: Room, way: _Way, centre: Floats, points: Floats) -> tuple[Floats, bool]:
    """Points drawn in towards their middle as far as the beam has to; and whether any
    is. Where even the middle is not clear they stay.
    """
    coarse = points[:: SAMPLES // COARSE][:COARSE]
    steps = np.arange(RAYS + 1) / RAYS
    rays = centre + steps[None, :, None] * (coarse - centre)[:, None]
    clear = ~_hits(room, way.place, rays.reshape(-1, 3)).reshape(COARSE, RAYS + 1)
    if not clear[:, 0].all() or clear.all():
        return points, False
    reach = _to_all(_inner(clear))
    return centre + reach[:, None] * (points - centre), True


def _bent_angles(room: Room, way: _Way, base: Floats, offsets: Floats) -> Floats:
    """The same for a path in degrees around `base`."""
    coarse = offsets[:: SAMPLES // COARSE][:COARSE]
    steps = np.arange(RAYS + 1) / RAYS
    rays = way.legal(base + steps[None, :, None] * coarse[:, None])
    clear = ~_angles_hit(room, way, rays.reshape(-1, 2)).reshape(COARSE, RAYS + 1)
    if not clear[:, 0].all() or clear.all():
        return way.legal(base + offsets)
    reach = _to_all(_inner(clear))
    return way.legal(base + reach[:, None] * offsets)
