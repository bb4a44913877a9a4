"""Ready figures, by rule: what each gives at a place and at a part of its cycle.

Each closes in time: parts of a cycle come in by whole turns and whole counts alone, so
that its end is its beginning. What looks random is a hash of where it is.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

TURN = 2.0 * math.pi
EDGE = 0.02  # of a softness of nothing: what is left of it keeps edges from flickering


@dataclass(frozen=True)
class Dials:
    """What can be said of a figure, as in FigureLayer."""

    count: float = 2.0
    width: float = 0.5
    soft: float = 0.3
    seed: int = 1

    @property
    def whole(self) -> int:
        """So many of something of which there is no half."""
        return max(1, round(self.count))

    @cached_property
    def edge(self) -> float:
        """How much of what is drawn its edge takes."""
        return EDGE + 0.98 * min(1.0, max(0.0, self.soft))


class Ground:
    """Places (n) from the middle, x to the right and y up, and how far the frame goes
    to the side and up from there. What follows from them is worked out once.
    """

    def __init__(self, x: Floats, y: Floats, wide: float, high: float) -> None:
        self.x, self.y, self.wide, self.high = x, y, wide, high
        self._kept: dict[object, Floats] = {}

    def with_y(self, y: Floats) -> Ground:
        """Returns the same with other heights."""
        return Ground(self.x, y, self.wide, self.high)

    def kept(self, key: object, make: Callable[[], Floats]) -> Floats:
        """Returns what hangs on places and dials alone, made once."""
        found = self._kept.get(key)
        if found is None:
            found = self._kept[key] = make()
        return found

    @cached_property
    def across(self) -> Floats:
        """From left to right, 0…1 within the frame."""
        return self.x / (2.0 * self.wide) + 0.5

    @cached_property
    def up(self) -> Floats:
        """From below to above, 0…1 within the frame."""
        return self.y / (2.0 * self.high) + 0.5

    @cached_property
    def away(self) -> Floats:
        """How far from the middle; 1 at the longer side of the frame."""
        return np.hypot(self.x, self.y)

    @cached_property
    def turned(self) -> Floats:
        """In which direction from the middle, 0…1 counter-clockwise."""
        return np.arctan2(self.y, self.x) / TURN % 1.0


class Seen(NamedTuple):
    """What a figure gives: where along its colours (n), 0…1, and how far it covers."""

    along: Floats
    cover: Floats


Paint = Callable[[Ground, float, Dials], Seen]


# means


def part(value: Floats) -> Floats:
    """Returns what is above the whole number below."""
    return value - np.floor(value)


def swing(value: Floats | float) -> Floats:
    """Returns 0…1…0 in a cycle, as a sine."""
    return np.asarray(0.5 - 0.5 * np.cos(TURN * np.asarray(value)))


def smooth(value: Floats) -> Floats:
    """Returns 0 below 0, 1 above 1, and a smooth way between."""
    held = np.minimum(np.maximum(value, 0.0), 1.0)
    return held * held * (3.0 - 2.0 * held)


def band(cycle: Floats, dials: Dials) -> Floats:
    """Returns how far places in a cycle, 0…1, lie within its middle part."""
    away = np.abs(part(cycle) - 0.5) * 2.0
    width = min(1.0, max(0.0, dials.width))
    return smooth((width - away) / dials.edge + 0.5)


def disc(away: Floats, radius: Floats | float, dials: Dials) -> Floats:
    """Returns how far places are within a radius."""
    edge = 0.02 + 0.5 * dials.edge * np.asarray(radius)
    return smooth((radius - away) / edge + 0.5)


def chance(number: Floats | Ints, seed: int) -> Floats:
    """Returns 0…1 for whole numbers, as if by chance: a hash of 32 bits (after
    T. Mueller's mixing of integers by multiplication and shifts).
    """
    x = (np.asarray(number).astype(np.int64) + seed * 7919) & 0xFFFFFFFF
    x = ((x >> 16) ^ x) * 0x45D9F3B & 0xFFFFFFFF
    x = ((x >> 16) ^ x) * 0x45D9F3B & 0xFFFFFFFF
    x = (x >> 16) ^ x
    return (x & 0xFFFFFF) / float(1 << 24)


def cloud(ground: Ground, t: float, dials: Dials, fine: float = 1.0) -> Floats:
    """Returns 0…1 that drifts and changes: a sum of waves of hashed directions, each of
    which goes through whole turns in a cycle.
    """
    waves = 6
    n = np.arange(waves)
    direction = TURN * chance(n, dials.seed)
    length = fine * (0.6 + 1.2 * n / waves) * math.pi * max(0.1, dials.count) / 2.0
    turns = np.where(n % 2 == 0, 1.0, -1.0) * (1 + n // 3)
    first = TURN * chance(n + 100, dials.seed)

    total = np.zeros(len(ground.x))
    for d, k, m, f in zip(direction, length, turns, first, strict=True):
        total += np.sin(
            k * (math.cos(d) * ground.x + math.sin(d) * ground.y) + TURN * m * t + f
        )
    return np.asarray(0.5 + total / (2.0 * math.sqrt(2.0 * waves)))


def everywhere(ground: Ground) -> Floats:
    """Returns a cover that is whole."""
    return np.ones(len(ground.x))


def _held(value: Floats) -> Floats:
    return np.minimum(np.maximum(value, 0.0), 1.0)


# bands, gradients


def _slope(g: Ground, t: float, d: Dials) -> Seen:
    return Seen(part(g.across * d.count / 2.0 - t), everywhere(g))


def _still_slope(g: Ground, t: float, d: Dials) -> Seen:
    return Seen(_held(g.across), everywhere(g))


def _bands(g: Ground, t: float, d: Dials) -> Seen:
    cycle = g.across * d.whole - t * d.whole
    return Seen(part(np.floor(cycle) / d.whole), band(cycle, d))


def _runner(g: Ground, t: float, d: Dials) -> Seen:
    cycle = g.across * d.whole - t
    return Seen(_held(g.across), band(cycle, d))


def _zigzag(g: Ground, t: float, d: Dials) -> Seen:
    teeth = np.abs(part(g.x * d.count) - 0.5)
    return Seen(part(g.up * d.count / 2.0 + teeth - t), everywhere(g))


def _blinds(g: Ground, t: float, d: Dials) -> Seen:
    opened = float(swing(t))
    away = np.abs(part(g.across * d.whole) - 0.5) * 2.0
    cover = smooth((opened * (1.0 + d.edge) - away) / d.edge)
    return Seen(part(np.floor(g.across * d.whole) / d.whole), cover)


def _curtain(g: Ground, t: float, d: Dials) -> Seen:
    opened = float(swing(t)) * (1.0 + d.edge)
    away = np.abs(g.x) / g.wide
    return Seen(_held(away), smooth((opened - away) / d.edge))


def _weave(g: Ground, t: float, d: Dials) -> Seen:
    across = swing(g.x * d.count - t)
    up = swing(g.y * d.count + t)
    return Seen(_held(0.5 + 0.5 * (across - up)), np.maximum(across, up))


def _checkers(g: Ground, t: float, d: Dials) -> Seen:
    column, row = np.floor(g.x * d.count), np.floor(g.y * d.count)
    odd = (column + row) % 2.0
    share = float(smooth(np.array((float(swing(t)) - 0.5) / d.edge + 0.5)))
    return Seen(_held(odd * (1.0 - share) + (1.0 - odd) * share), everywhere(g))


def _board(g: Ground, t: float, d: Dials) -> Seen:
    column = np.floor(g.x * d.count - 2.0 * t)
    row = np.floor(g.y * d.count - 2.0 * t)
    return Seen((column + row) % 2.0, everywhere(g))


# waves


def _wave(g: Ground, t: float, d: Dials) -> Seen:
    return Seen(swing(g.across * d.count / 2.0 - t), everywhere(g))


def _swell(g: Ground, t: float, d: Dials) -> Seen:
    one = swing(g.x * d.count / 2.0 - t)
    other = swing(0.6 * g.y * d.count + 0.35 * g.x + t)
    return Seen(0.5 * (one + other), everywhere(g))


def _tide(g: Ground, t: float, d: Dials) -> Seen:
    level = float(swing(t)) * (1.0 + d.edge)
    ripple = 0.06 * np.sin(TURN * (g.across * d.count - 2.0 * t))
    cover = smooth((level + ripple - g.up) / d.edge)
    return Seen(_held(g.up), cover)


def _ribbon(g: Ground, t: float, d: Dials) -> Seen:
    middle = 0.55 * g.high * np.sin(TURN * (g.across * d.count / 2.0 - t))
    away = np.abs(g.y - middle) / g.high
    width = max(0.02, min(1.0, d.width))
    return Seen(part(g.across - t), smooth((width - away) / (d.edge * width) + 0.5))


def _plasma(g: Ground, t: float, d: Dials) -> Seen:
    return Seen(part(cloud(g, t, d) * 1.5), everywhere(g))


def _clouds(g: Ground, t: float, d: Dials) -> Seen:
    drifts = cloud(g, t, d)
    cover = smooth((drifts - 1.0 + min(1.0, max(0.0, d.width))) / d.edge + 0.5)
    return Seen(_held(drifts), cover)


def _water(g: Ground, t: float, d: Dials) -> Seen:
    one, other = cloud(g, t, d, 1.6), cloud(g, -t, d, 1.1)
    bright = 1.0 - np.abs(one - other) * 3.0
    return Seen(_held(bright), everywhere(g))


# rings and turns


def _rings(g: Ground, t: float, d: Dials) -> Seen:
    return Seen(part(g.away * d.count / 2.0 - t), everywhere(g))


def _ripple(g: Ground, t: float, d: Dials) -> Seen:
    fades = _held(1.2 - g.away)
    return Seen(_held(g.away), band(g.away * d.count - t, d) * fades)


def _heart(g: Ground, t: float, d: Dials) -> Seen:
    # two beats, close together, then a rest
    beats = sum(math.exp(-(((t - at) / 0.07) ** 2)) for at in (0.2, 0.45, 1.2, -0.55))
    radius = min(1.0, d.width) * (0.5 + 0.6 * min(1.0, beats))
    return Seen(_held(g.away), disc(g.away, radius, d))


def _bloom(g: Ground, t: float, d: Dials) -> Seen:
    radius = 1.5 * t
    fades = float(smooth(np.array(8.0 * t)) * (1.0 - smooth(np.array(2.0 * t - 1.0))))
    return Seen(_held(g.away), disc(g.away, radius, d) * fades)


def _squares(g: Ground, t: float, d: Dials) -> Seen:
    away = np.maximum(np.abs(g.x), np.abs(g.y))
    return Seen(part(away * d.count / 2.0 - t), everywhere(g))


def _diamonds(g: Ground, t: float, d: Dials) -> Seen:
    away = np.abs(g.x) + np.abs(g.y)
    return Seen(part(away * d.count / 2.0 - t), band(away * d.count - 2.0 * t, d))


def _spiral(g: Ground, t: float, d: Dials) -> Seen:
    return Seen(part(g.away * d.count / 2.0 + g.turned - t), everywhere(g))


def _pinwheel(g: Ground, t: float, d: Dials) -> Seen:
    cycle = g.turned * d.whole - t * d.whole
    return Seen(part(g.turned - t), band(cycle, d))


def _lighthouse(g: Ground, t: float, d: Dials) -> Seen:
    behind = part(t - g.turned)
    tail = max(0.02, min(1.0, d.width))
    ahead = smooth(part(g.turned - t) / (0.1 * d.edge))
    return Seen(_held(behind / tail), _held(1.0 - behind / tail) * ahead)


def _fan(g: Ground, t: float, d: Dials) -> Seen:
    opened = float(swing(t)) / 2.0 * (1.0 + d.edge)
    away = np.abs(part(g.turned + 0.25) - 0.5)
    return Seen(_held(2.0 * away), smooth((opened - away) / (0.5 * d.edge)))


# what moves as one


def _sweep(g: Ground, t: float, d: Dials) -> Seen:
    where = float(swing(t))
    width = max(0.02, min(1.0, d.width)) / 2.0
    away = np.abs(g.across - where)
    return Seen(_held(g.across), smooth((width - away) / (d.edge * width) + 0.5))


def _crossing(g: Ground, t: float, d: Dials) -> Seen:
    width = max(0.02, min(1.0, d.width)) / 2.0
    where = float(swing(t))
    one = smooth((width - np.abs(g.across - where)) / (d.edge * width) + 0.5)
    other = smooth((width - np.abs(g.up - where)) / (d.edge * width) + 0.5)
    return Seen(_held(0.5 + 0.5 * (other - one)), np.maximum(one, other))


def _comet(g: Ground, t: float, d: Dials) -> Seen:
    radius = 0.65 * min(1.0, 2.0 * min(g.wide, g.high))
    away = np.abs(g.away - radius)
    behind = part(t - g.turned)
    tail = 1.0 - behind / max(0.05, min(1.0, d.width))
    near = smooth((0.3 - away) / (0.3 * d.edge) + 0.5)
    # its head is round: what lies ahead of it is all of a cycle behind
    head = smooth((1.0 - behind) / (0.05 + 0.1 * d.edge))
    front = 1.0 - head
    along = np.minimum(behind, 20.0 * (1.0 - behind))
    return Seen(_held(along), np.maximum(_held(tail), front) * near)


def _ball(g: Ground, t: float, d: Dials) -> Seen:
    x = g.wide * 0.8 * math.sin(TURN * t)
    y = g.high * 0.8 * math.sin(TURN * 2.0 * t)
    radius = max(0.05, 0.6 * d.width)
    away = np.hypot(g.x - x, g.y - y)
    return Seen(_held(away / radius), disc(away, radius, d))


def _swarm(g: Ground, t: float, d: Dials) -> Seen:
    total = np.zeros(len(g.x))
    hue = np.zeros(len(g.x))
    size = 0.1 + 0.4 * min(1.0, d.width)
    for n in range(min(12, d.whole)):
        own = TURN * chance(np.array([n, n + 50, n + 90]), d.seed)
        x = g.wide * 0.85 * math.sin(TURN * t * (1 + n % 2) + own[0])
        y = g.high * 0.85 * math.sin(TURN * t * (1 + n % 3) + own[1])
        glow = np.exp(-(((g.x - x) ** 2 + (g.y - y) ** 2) / (size * size)))
        hue += glow * (own[2] / TURN)
        total += glow
    return Seen(_held(hue / np.maximum(total, 1e-6)), _held(1.3 * total))


def _lava(g: Ground, t: float, d: Dials) -> Seen:
    total = np.zeros(len(g.x))
    for n in range(min(12, d.whole + 2)):
        own = chance(np.array([n, n + 40]), d.seed)
        x = g.wide * (1.8 * own[0] - 0.9)
        y = g.high * math.sin(TURN * (t * (1 + n % 2) + own[1]))
        size = 0.06 + 0.25 * min(1.0, d.width)
        total += size * size / ((g.x - x) ** 2 + (g.y - y) ** 2 + 0.02)
    return Seen(_held(total / 2.0), smooth((total - 0.8) / d.edge + 0.5))


# what falls, rises, sparkles


def _lanes(g: Ground, d: Dials) -> Ints:
    lanes = g.kept(
        ("lanes", d.whole), lambda: np.floor(g.across * max(1, 4 * d.whole) + 1e-9)
    )
    return lanes.astype(np.int64)


def _rain(g: Ground, t: float, d: Dials) -> Seen:
    def falls() -> Floats:
        lane = _lanes(g, d)
        speed = 1 + np.floor(2.0 * chance(lane + 17, d.seed))
        return np.array([speed, g.up + chance(lane, d.seed)])

    speed, begins = g.kept(("rain", d.whole, d.seed), falls)
    drop = part(begins + speed * t)
    tail = max(0.03, min(1.0, d.width))
    edge = smooth(drop / (0.3 * d.edge * tail))
    return Seen(_held(drop / tail), _held(1.0 - drop / tail) * edge)


def _rise(g: Ground, t: float, d: Dials) -> Seen:
    turned = g.with_y(-g.y)
    return _rain(turned, t, d)


def _snow(g: Ground, t: float, d: Dials) -> Seen:
    size = 4.0 * d.whole
    sway = 0.03 * math.sin(TURN * t)
    column = np.floor(g.across * size)
    x = (g.across + sway) * size - column - 0.5
    height = (
        g.up * size / 2.0
        + t * max(1, d.whole)
        + 7.0 * chance(column.astype(np.int64), d.seed)
    )
    row = np.floor(height)
    # rows come again after a cycle, and so do their flakes
    flake = chance((column * 131 + row % max(1, d.whole)).astype(np.int64), d.seed)
    away = np.hypot(x, (height - row - 0.5) * 2.0)
    seen = flake < min(1.0, d.width)
    return Seen(flake, np.where(seen, disc(away, 0.6, d), 0.0))


def _bubbles(g: Ground, t: float, d: Dials) -> Seen:
    total, hue = np.zeros(len(g.x)), np.zeros(len(g.x))
    for n in range(min(24, 3 * d.whole)):
        own = chance(np.array([n, n + 30, n + 60]), d.seed)
        size = (0.1 + 0.3 * d.width) * (0.5 + own[2])
        height = (t * (1 + n % 2) + own[1]) % 1.0
        x = g.wide * (1.9 * own[0] - 0.95 + 0.1 * math.sin(TURN * (2.0 * t + own[1])))
        y = g.high * (2.0 * height - 1.0) * (1.0 + size) + size * (2.0 * height - 1.0)
        bubble = disc(np.hypot(g.x - x, g.y - y), size / 2.0, d)
        hue = np.where(bubble > total, own[2], hue)
        total = np.maximum(total, bubble)
    return Seen(hue, total)


def _spots(g: Ground, d: Dials) -> Ints:
    fine = 6.0 * d.whole
    column, row = np.floor(g.x * fine), np.floor(g.y * fine)
    return (column * 313 + row).astype(np.int64)


def _sparks(g: Ground, t: float, d: Dials) -> Seen:
    spot = _spots(g, d)
    moments = 8
    step = t * moments
    now = math.floor(step) % moments
    lit = chance(spot * moments + now, d.seed) < 0.4 * min(1.0, d.width)
    fades = 1.0 - (step - math.floor(step)) * (1.0 - 0.9 * (1.0 - d.edge))
    return Seen(chance(spot, d.seed + 1), np.where(lit, fades, 0.0))


def _stars(g: Ground, t: float, d: Dials) -> Seen:
    def hashed() -> Floats:
        spot = _spots(g, d)
        turns = 1 + np.floor(3.0 * chance(spot + 5, d.seed))
        first, there = chance(spot, d.seed), chance(spot + 9, d.seed)
        return np.array([turns, first, there, chance(spot, d.seed + 1)])

    turns, first, there, along = g.kept(("stars", d.whole, d.seed), hashed)
    shine = swing(turns * t + first)
    light = shine * shine * shine
    return Seen(along, np.where(there < min(1.0, d.width), light, 0.0))


def _shuffle(g: Ground, t: float, d: Dials) -> Seen:
    spot = _spots(g, d)
    steps = 4
    at_ = t * steps
    now, share = math.floor(at_) % steps, at_ - math.floor(at_)
    one = chance(spot * steps + now, d.seed)
    other = chance(spot * steps + (now + 1) % steps, d.seed)
    come = float(smooth(np.array((share - 1.0) / d.edge + 1.0)))
    return Seen(one + come * (other - one), everywhere(g))


def _fire(g: Ground, t: float, d: Dials) -> Seen:
    up = g.with_y(g.y - 2.0 * g.high * 0.15)
    tongues = 0.5 * cloud(up, t, d, 1.4) + 0.5 * cloud(
        up.with_y(0.4 * up.y), -2.0 * t, d, 2.2
    )
    height = 0.35 + 0.9 * min(1.0, d.width)
    heat = tongues + height - 1.35 * g.up
    return Seen(_held(1.15 - heat), smooth((heat - 0.35) / d.edge + 0.5))


def _embers(g: Ground, t: float, d: Dials) -> Seen:
    glow = cloud(g, t, d, 2.0) * (1.0 - 0.8 * _held(g.up))
    return Seen(_held(1.0 - glow * 1.4), _held(glow * (0.6 + d.width)))


def _storm(g: Ground, t: float, d: Dials) -> Seen:
    flash = 0.0
    for n in range(d.whole):
        when = float(chance(np.array([n]), d.seed)[0])
        after = (t - when) % 1.0
        flash = max(
            flash, math.exp(-after * 30.0) * (0.6 + 0.4 * math.cos(90.0 * after))
        )
    where = cloud(g, 0.0, d)
    return Seen(_held(1.0 - where), _held(flash * (0.4 + where) * (0.5 + d.width)))


def _columns(g: Ground, t: float, d: Dials) -> Seen:
    def hashed() -> Floats:
        lane = np.floor(g.across * 4.0 * d.whole).astype(np.int64)
        turns = 1 + np.floor(3.0 * chance(lane, d.seed))
        return np.array([turns, chance(lane + 3, d.seed), chance(lane + 8, d.seed)])

    turns, one, other = g.kept(("columns", d.whole, d.seed), hashed)
    height = 0.15 + 0.85 * swing(turns * t + one)
    height = height * (0.4 + 0.6 * swing(2.0 * turns * t + other))
    return Seen(_held(g.up), smooth((height - g.up) / (0.3 * d.edge) + 0.5))


@dataclass(frozen=True)
class Figure:
    """A ready figure. `paint`: what it gives. `ring`: its colours close to a ring.
    `uses`: which dials mean something to it. `dials`: those that it begins with.
    """

    paint: Paint
    ring: bool
    uses: tuple[str, ...] = ("count",)
    dials: Dials = Dials()


C, W, S, R = "count", "width", "soft", "seed"

FIGURES: dict[str, Figure] = {
    "slope": Figure(_slope, True),
    "still": Figure(_still_slope, False, ()),
    "bands": Figure(_bands, True, (C, W, S)),
    "runner": Figure(_runner, False, (C, W, S)),
    "zigzag": Figure(_zigzag, True),
    "blinds": Figure(_blinds, True, (C, S), Dials(4.0)),
    "curtain": Figure(_curtain, False, (S,)),
    "weave": Figure(_weave, False),
    "checkers": Figure(_checkers, False, (C, S)),
    "board": Figure(_board, False),
    "wave": Figure(_wave, False),
    "swell": Figure(_swell, False),
    "tide": Figure(_tide, False, (C, S)),
    "ribbon": Figure(_ribbon, True, (C, W, S)),
    "plasma": Figure(_plasma, True, (C, R)),
    "clouds": Figure(_clouds, False, (C, W, S, R), Dials(2.0, 0.5, 0.6)),
    "water": Figure(_water, False, (C, R), Dials(3.0)),
    "rings": Figure(_rings, True),
    "ripple": Figure(_ripple, False, (C, W, S)),
    "heart": Figure(_heart, False, (W, S), Dials(width=0.7)),
    "bloom": Figure(_bloom, False, (S,)),
    "squares": Figure(_squares, True),
    "diamonds": Figure(_diamonds, True, (C, W, S)),
    "spiral": Figure(_spiral, True),
    "pinwheel": Figure(_pinwheel, True, (C, W, S), Dials(3.0)),
    "lighthouse": Figure(_lighthouse, False, (W, S)),
    "fan": Figure(_fan, False, (S,)),
    "sweep": Figure(_sweep, False, (W, S), Dials(width=0.3)),
    "crossing": Figure(_crossing, False, (W, S), Dials(width=0.3)),
    "comet": Figure(_comet, False, (W, S)),
    "ball": Figure(_ball, False, (W, S)),
    "swarm": Figure(_swarm, True, (C, W, R), Dials(4.0)),
    "lava": Figure(_lava, False, (C, W, S, R), Dials(3.0)),
    "rain": Figure(_rain, False, (C, W, S, R)),
    "rise": Figure(_rise, False, (C, W, S, R)),
    "snow": Figure(_snow, True, (C, W, S, R), Dials(2.0)),
    "bubbles": Figure(_bubbles, True, (C, W, S, R), Dials(3.0)),
    "sparks": Figure(_sparks, True, (C, W, S, R)),
    "stars": Figure(_stars, True, (C, W, R)),
    "shuffle": Figure(_shuffle, True, (C, S, R), Dials(1.0)),
    "fire": Figure(_fire, False, (C, W, S, R), Dials(3.0, 0.5, 0.6)),
    "embers": Figure(_embers, False, (C, W, R), Dials(3.0)),
    "storm": Figure(_storm, False, (C, W, R), Dials(3.0)),
    "columns": Figure(_columns, False, (C, S, R)),
}
"""Figure → what paints it; `model/figures.py` says what each is called."""
