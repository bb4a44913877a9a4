"""How heads come to the points of what is about to play: along the line in the room
from where they aim now, so that they stay together on the way.

It is asked once, before something starts; what it answers is kept with the step.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from choreon.render import heads as moving
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import compose
from choreon.render.looks import Angles, CompiledLook
from choreon.render.pile import Pile
from choreon.render.rig import Floats, Ints
from choreon.render.sources import Source
from choreon.render.state import PlayState

SAME = 0.01  # degrees
DARK = 1e-4  # an intensity at which a head may jump


def approach(
    compiled: CompiledShow,
    state: PlayState,
    now: float,
    look: CompiledLook,
    next_looks: Sequence[CompiledLook] = (),
) -> dict[str, Angles]:
    """Returns pan and tilt, in degrees, of those heads of a look that shall reach their
    point another way than the one nearest to home.

    Heads that are lit and aim at a point go along the line, where they can; lit ones
    that aim at none take the way of least travel. Dark ones jump: of all ways to their
    point they take the one from which they can follow the lines to the most of
    `next_looks`, what they may go to from there.
    """
    if look.points is None:
        return {}

    pile = compose(compiled, state, now, alone=True)
    aimed = np.flatnonzero(np.isfinite(look.points).all(axis=1))
    heads = compiled.rig.heads
    lit = pile.values[compiled.rig.light[heads.rows[look.heads[aimed], 0]]] > DARK
    angles = look.values[look.head_rows[aimed]].copy()

    moved, free = aimed[lit], aimed[~lit]
    if len(moved):
        angles[lit] = _along(compiled, pile, look, moved)

    if len(free) and next_looks:
        angles[~lit] = _foreseeing(compiled, look, free, next_looks)

    usual = look.values[look.head_rows[aimed]]
    other = np.flatnonzero((np.abs(angles - usual) > SAME).any(axis=1))
    names = {n: fixture for fixture, n in heads.of.items()}
    which = look.heads[aimed]

    return {
        names[int(which[n])]: (float(angles[n, 0]), float(angles[n, 1])) for n in other
    }


FURTHER = 30.0  # degrees that a head may travel further than it would have to
ROUGHLY = 5.0  # degrees to which is told where a head comes from


def onto_paths(
    compiled: CompiledShow, state: PlayState, now: float, source: Source | None
) -> dict[str, Angles]:
    """Returns from where, roughly, those heads come that a source moves along paths in
    the room, and that would have a longer way to where they begin than they need.
    """
    begins = [] if source is None else source.path_begins()
    if not begins:
        return {}

    heads = compiled.rig.heads
    names = {n: fixture for fixture, n in heads.of.items()}
    pile = compose(compiled, state, now, alone=True)

    found: dict[str, Angles] = {}
    for which, begin, points in begins:
        here = pile.values[heads.rows[which]]
        shortest = heads.solve(which, points, here)[0]
        travel = np.abs(begin - here).sum(axis=1)

        needed = np.abs(shortest - here).sum(axis=1)
        for n in np.flatnonzero(travel > needed + FURTHER).tolist():
            pan, tilt = (ROUGHLY * np.round(here[n] / ROUGHLY)).tolist()
            found[names[int(which[n])]] = (pan, tilt)

    return found


def _along(
    compiled: CompiledShow, pile: Pile, look: CompiledLook, moved: Ints
) -> Floats:
    """Pan and tilt (n, 2) at which lit heads, `moved` (n) of the look's, arrive."""
    heads = compiled.rig.heads
    assert look.points is not None
    which, ends = look.heads[moved], look.points[moved]
    here = pile.values[heads.rows[which]]
    angles = heads.solve(which, ends, here)[0]

    if pile.trail.points is not None:
        start = pile.trail.points[which]
        known = np.flatnonzero(np.isfinite(start).all(axis=1))
        able, there = moving.plan(
            heads, which[known], start[known], ends[known], here[known]
        )
        angles[known[able]] = there[able]

    return angles


SEEDS = [(pan, tilt) for pan in range(-270, 271, 90) for tilt in (-60, 60)]
"""Angles near which a head is tried: each legal way to a point is found from one."""


def _foreseeing(
    compiled: CompiledShow,
    look: CompiledLook,
    free: Ints,
    next_looks: Sequence[CompiledLook],
) -> Floats:
    """Pan and tilt (n, 2) of dark heads, `free` (n) of the look's."""
    heads = compiled.rig.heads
    assert look.points is not None
    which, points = look.heads[free], look.points[free]
    best = look.values[look.head_rows[free]].copy()
    score = _lines_from(compiled, which, points, best, next_looks) + 0.5

    for seed in SEEDS:
        near = np.broadcast_to(np.array(seed, float), (len(which), 2))
        there, miss = heads.solve(which, points, near)
        found = _lines_from(compiled, which, points, there, next_looks)
        better = (found > score) & (miss < SAME)
        best[better], score[better] = there[better], found[better]

    return best


def _lines_from(
    compiled: CompiledShow,
    which: Ints,
    points: Floats,
    here: Floats,
    next_looks: Sequence[CompiledLook],
) -> Floats:
    """For each head (n) how many of the looks it can go to along a line."""
    heads = compiled.rig.heads
    count = np.zeros(len(which))

    for look in next_looks:
        if look.points is None:
            continue

        ends = np.full((len(heads), 3), np.nan)
        ends[look.heads] = look.points
        known = np.flatnonzero(np.isfinite(ends[which]).all(axis=1))
        able, _ = moving.plan(
            heads, which[known], points[known], ends[which[known]], here[known]
        )
        count[known] += able

    return count
