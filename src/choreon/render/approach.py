"""How heads come to the points of what is about to play: along the line in the room from
where they aim now, so that they stay together on the way.

It is asked once, before something starts; what it answers is kept with the step.
"""

from __future__ import annotations

import numpy as np

from choreon.render import heads as moving
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import compose
from choreon.render.looks import Angles, CompiledLook
from choreon.render.state import PlayState

SAME = 0.01  # degrees
DARK = 1e-4  # an intensity at which a head may jump


def approach(
    compiled: CompiledShow, state: PlayState, now: float, look: CompiledLook
) -> dict[str, Angles]:
    """Returns pan and tilt, in degrees, of those heads of a look that shall reach their
    point another way than the one nearest to home.

    Heads that are lit and aim at a point go along the line, where they can; lit ones
    that aim at none take the way of least travel. Dark ones jump.
    """
    if look.points is None:
        return {}
    heads = compiled.rig.heads
    canvas = compose(compiled, state, now, alone=True)
    lit = canvas.values[compiled.rig.light[heads.rows[look.heads, 0]]] > DARK
    moved = np.flatnonzero(np.isfinite(look.points).all(axis=1) & lit)
    if not len(moved):
        return {}
    which, ends = look.heads[moved], look.points[moved]
    here = canvas.values[heads.rows[which]]
    angles = heads.solve(which, ends, here)[0]
    if canvas.trail.points is not None:
        start = canvas.trail.points[which]
        known = np.flatnonzero(np.isfinite(start).all(axis=1))
        able, there = moving.plan(
            heads, which[known], start[known], ends[known], here[known]
        )
        angles[known[able]] = there[able]
    usual = look.values[look.head_rows[moved]]
    other = np.flatnonzero((np.abs(angles - usual) > SAME).any(axis=1))
    names = {n: fixture for fixture, n in heads.of.items()}
    return {
        names[int(which[n])]: (float(angles[n, 0]), float(angles[n, 1])) for n in other
    }
