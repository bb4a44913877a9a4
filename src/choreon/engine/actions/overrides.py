"""Override faders in the hand: gripped by being moved, let go by being released."""

from __future__ import annotations

import msgspec

from choreon.render.state import Grip, PlayState, Ramp

replace = msgspec.structs.replace

TAKES = 0.3  # seconds in which a grip takes hold
BACK = 2.0  # seconds in which lamps go back to what plays


def hold(state: PlayState, master: str, level: float, now: float) -> PlayState:
    """Hold an override fader's lamps at a level."""
    known = state.masters.grip(master)
    if known is None:
        grip = Grip(master, level, Ramp(0.0, 1.0, now, TAKES))
    elif known.held.end == 0.0:
        here = known.held.at(now)
        grip = Grip(master, level, Ramp(here, 1.0, now, TAKES * (1.0 - here)))
    else:
        grip = replace(known, level=level)
    return _put(state, grip)


def let_go(
    state: PlayState, master: str, now: float, seconds: float = BACK
) -> PlayState:
    """Let an override fader's lamps go back."""
    known = state.masters.grip(master)
    if known is None or known.held.end == 0.0:
        return state
    here = known.held.at(now)
    return _put(state, replace(known, held=Ramp(here, 0.0, now, seconds)))


def let_all_go(state: PlayState, now: float) -> PlayState:
    """Let all override faders' lamps go back."""
    for grip in state.masters.grips:
        state = let_go(state, grip.id, now)
    return state


def is_held(state: PlayState, master: str) -> bool:
    """Whether an override fader is in hand, and not on its way back."""
    grip = state.masters.grip(master)
    return grip is not None and grip.held.end > 0.0


def pruned(grips: tuple[Grip, ...], now: float) -> tuple[Grip, ...]:
    """Returns the grips without those that are gone; the same where none is."""
    kept = tuple(g for g in grips if g.held.end > 0.0 or not g.held.done(now))
    return grips if len(kept) == len(grips) else kept


def _put(state: PlayState, grip: Grip) -> PlayState:
    others = tuple(g for g in state.masters.grips if g.id != grip.id)
    masters = replace(state.masters, grips=(*others, grip))
    return replace(state, masters=masters)
