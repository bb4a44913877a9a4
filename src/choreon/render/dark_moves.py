"""Lamps that are dark go ahead to where the next cue wants them: heads, wheels, zooms.
What goes ahead lies right above home and below all that plays, and gives no light. It
stops in the frame in which anything begins, wherever it is, and is planned anew when
that is over: so nobody sees a lamp on its way.
"""

from __future__ import annotations

import numpy as np

from choreon.model.values import Look
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import compose
from choreon.render.looks import CompiledLook
from choreon.render.masters import dimmer_rows
from choreon.render.rig import POSITION, Flags, Ints
from choreon.render.state import PlayState, Ramp, Ready, Step, replace

DARK = 1e-4  # a level that nobody sees
CALM = 30.0  # degrees a second
LEAST = 1.0  # seconds that it takes at least
SAME = 1e-3  # in a row's unit


def stopped(state: PlayState, now: float) -> PlayState:
    """Returns the state in which all that goes ahead stands where it is."""
    if all(one.ramp.done(now) for one in state.ready):
        return state
    return replace(state, ready=tuple(_stopped(one, now) for one in state.ready))


def _stopped(ready: Ready, now: float) -> Ready:
    come = ready.ramp.at(now)
    if ready.ramp.done(now):
        return ready
    here: Look = {
        fixture: {
            name: _between(ready.before.get(fixture, {}).get(name, value), value, come)
            for name, value in values.items()
        }
        for fixture, values in ready.after.items()
    }
    return replace(ready, before=here, after=here, ramp=Ramp(), moves=())


def _between(start: object, end: object, come: float) -> float:
    """Where a value is; what snaps has done so as soon as it set out, which it goes on
    from as from any other number.
    """
    low = start if isinstance(start, float | int) else 0.0
    high = end if isinstance(end, float | int) else 0.0
    return low + come * (high - low)


def planned(
    compiled: CompiledShow, state: PlayState, now: float, player: str, step: Step
) -> Ready | None:
    """Returns how the lamps of a player's next step go there from where they are; None
    where there is nothing to be done. What it brought somewhere before stays there.
    """
    cue = getattr(step.cursor, "cue", "")
    known = next((one for one in state.ready if one.player == player), None)
    look = compiled.look_of(step)
    rows = _free_rows(compiled, state, look)
    here = compose(compiled, state, now, alone=True).values[rows]
    there = look.values[np.searchsorted(look.rows, rows)]
    moves = np.abs(there - here) > SAME

    if not moves.any():
        return None

    rig = compiled.rig
    turning = moves & (rig.families[rows] == POSITION)
    most = float(np.abs(there - here)[turning].max(initial=0.0))
    seconds = max(LEAST, most / CALM)

    before: Look = {} if known is None else _where(known, now)
    after: Look = {fixture: dict(values) for fixture, values in before.items()}
    before = {fixture: dict(values) for fixture, values in before.items()}
    for row, start, end in zip(
        rows.tolist(), here.tolist(), there.tolist(), strict=True
    ):
        fixture, name = rig.owners[row], rig.names[row]
        before.setdefault(fixture, {})[name] = start
        after.setdefault(fixture, {})[name] = end

    moving = [rig.owners[row] for row in rows[moves].tolist()]
    ramp = Ramp(0.0, 1.0, now, seconds)
    return Ready(player, cue, before, after, ramp, tuple(dict.fromkeys(moving)))


def _where(ready: Ready, now: float) -> Look:
    """Where a player's lamps were brought so far."""
    return ready.after if ready.ramp.done(now) else _stopped(ready, now).after


def _free_rows(compiled: CompiledShow, state: PlayState, look: CompiledLook) -> Ints:
    """The rows that a look gives lamps which it lights, and which nothing lights now
    or has in hand: places, wheels, zooms.
    """
    rig = compiled.rig
    lights = np.zeros(rig.intensities + 1, bool)
    lamps, levels = look.shining
    lights[lamps[levels > DARK]] = True
    lights &= ~_taken(compiled, state)
    lights[-1] = False  # lamps that are always lit are never dark

    rows = look.plain_rows
    goes = (rows >= rig.snaps_from) | (rows >= rig.colour_rows.stop)
    rows = rows[goes & lights[rig.light[rows]]]
    # of one value a fixture: cells that turn apart are left to their cue
    alone = [len(rig.where[rig.owners[r]][rig.names[r]]) == 1 for r in rows.tolist()]
    return rows[np.array(alone, bool)] if len(rows) else rows


def _taken(compiled: CompiledShow, state: PlayState) -> Flags:
    """The lamps (I + 1) that anything lights, or has in hand."""
    rig = compiled.rig
    taken = np.zeros(rig.intensities + 1, bool)
    for player in state.players:
        for step in player.steps:
            lamps, levels = compiled.look_of(step).shining
            taken[lamps[levels > DARK]] = True

    hands = [state.draft.look, *(hand.look for hand in state.live)]
    hands += [hand.look for hand in state.asides]
    hands += [one.look for one in state.draft.leaving]
    for own in hands:
        taken[dimmer_rows(rig, own)] = True

    moved = [state.draft.effects, *(one.effects for one in state.draft.leaving)]
    for effects in moved:
        for effect in effects:
            taken[dimmer_rows(rig, effect.fixtures)] = True

    taken[compiled.masters.held_rows(state.masters)] = True
    if state.identify is not None:
        taken[dimmer_rows(rig, state.identify.fixtures)] = True
    return taken
