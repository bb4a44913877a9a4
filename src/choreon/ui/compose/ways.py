"""The ways of heads around their aims, in degrees, as the pad shows them."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from choreon.render.effects import CompiledEffects
from choreon.render.heads import Heads
from choreon.render.rig import Floats
from choreon.ui.widgets.aim_pad import Span

Spot = tuple[float, float]

COARSE = 8  # every so many samples of a way are drawn
LEAST = 60.0  # degrees that are seen at least, across and up
ROUND = 30.0  # degrees at which what is seen ends: it does not shift all the time


class Ways(NamedTuple):
    """Ways of heads (pan and tilt), where each is on its way, and which heads."""

    lines: list[list[Spot]]
    points: list[Spot]
    which: list[int]


def ways_of(
    moving: CompiledEffects,
    effect_id: str,
    heads: Heads,
    values: Floats,
    position: float,
) -> Ways:
    """Returns the ways of an effect at a position (cycles). `values`: what is on stage,
    around which heads go that the look does not aim.
    """
    found = Ways([], [], [])
    for op in moving.ops:
        own = None
        if op.running.id == effect_id:
            own = op.ways(heads, values, position, COARSE)

        if own is not None:
            found.which.extend(own.heads.tolist())
            found.lines.extend(_spots(line) for line in own.lines)
            found.points.extend(_spots(own.here))

    return found


def seen(ways: Ways, heads: Heads) -> tuple[Span, Span]:
    """Returns the part of pan and of tilt in which the ways are, with some room around
    them, within what the heads can do.
    """
    all_spots = np.array([spot for line in ways.lines for spot in line])
    low, high = heads.low[ways.which].min(axis=0), heads.high[ways.which].max(axis=0)
    pan, tilt = (
        _span(all_spots[:, n].min(), all_spots[:, n].max(), low[n], high[n])
        for n in (0, 1)
    )
    return pan, tilt


def _span(least: float, most: float, low: float, high: float) -> Span:
    room = max(0.0, LEAST - (most - least)) / 2 + ROUND / 3
    begin = max(low, ROUND * math.floor((least - room) / ROUND))
    end = min(high, ROUND * math.ceil((most + room) / ROUND))
    return float(begin), float(max(end, begin + 1.0))


def _spots(angles: Floats) -> list[Spot]:
    return [(float(pan), float(tilt)) for pan, tilt in angles.tolist()]
