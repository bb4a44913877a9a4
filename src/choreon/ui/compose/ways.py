"""The ways of heads around their aims, in degrees, as the pad shows them."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from choreon.render.effects import AroundOp, CompiledEffects, PathOp
from choreon.render.heads import Heads
from choreon.render.live import around
from choreon.render.rig import Floats
from choreon.ui.widgets.aim_pad import Span

Spot = tuple[float, float]

LEAST_LEAN = 3.0  # degrees from straight down, nearer to which pan does not follow
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
        if op.running.id != effect_id:
            continue

        if isinstance(op, PathOp):
            found.which.extend(op.table.heads.tolist())
            found.lines.extend(_spots(own[::COARSE]) for own in op.table.angles)
            found.points.extend(_spots(op.table.at(position + op.phase)[0]))
        elif isinstance(op, AroundOp):
            base = values[heads.rows[op.which]]
            found.which.extend(op.which.tolist())
            hanging = heads.hanging[op.which]
            shape = op.flat[::COARSE]
            line = np.broadcast_to(shape, (len(base), *shape.shape))
            lines = base[:, None] + around(base, hanging, line, LEAST_LEAN)
            found.lines.extend(_spots(own) for own in lines)

            away = op.away(position)[:, None]
            there = base + around(base, hanging, away, LEAST_LEAN)[:, 0]
            found.points.extend(_spots(there))

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
