"""How what is on is driven from a tile, a dial or the list of what is on: rate, size,
phase, pause, steps, order. Pure functions from state to state.
"""

from __future__ import annotations

import math

import msgspec

from choreon.engine.actions import cues, motion, players, tempo
from choreon.engine.actions.kinds import KINDS, Drive, RoutesByRef
from choreon.engine.actions.levels import within
from choreon.engine.do import Do
from choreon.model.playables import kind_of
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Cued, Player, PlayState, Step

replace = msgspec.structs.replace


def drive(
    show: Show,
    state: PlayState,
    player: Player,
    do: Do,
    now: float,
    ways: RoutesByRef | None = None,
) -> PlayState:
    """Drive something that is on by one of MOVING, as its kind takes that; letting up
    does nothing. `ways`: how heads of what comes reach their points.
    """
    if do.edge == Edge.UP:
        return state

    kind = KINDS.get(player.ref.kind)
    own = None if kind is None else kind.acts.get(do.verb)
    if own is not None:
        return own(show, state, player, do, now, ways or {})
    return MOVING[do.verb](show, state, player, do, now)


MOST = 100_000  # steps, or places in an order


def _whole(value: float) -> int:
    """A whole number; 0 for what is none."""
    return int(min(MOST, max(-MOST, value))) if math.isfinite(value) else 0


def _rate(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return motion.set_rate(state, player, do.value, now)


def _pause(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return motion.pause(state, player, None, now)


def _next(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return motion.go_by(show, state, player, 1, now)


def _back(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return motion.go_by(show, state, player, -1, now)


def _step(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return motion.go_to_step(show, state, player, _whole(do.value), now)


def _half(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return motion.set_rate(state, player, player.rate / 2.0, now)


def _double(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return motion.set_rate(state, player, player.rate * 2.0, now)


def _size(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    size = within(do.value)
    return players.change(state, player, lambda p: replace(p, size=size))


def _phase(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    if not math.isfinite(do.value):
        return state
    return set_phase(show, state, player, do.value % 1.0)


def set_phase(show: Show, state: PlayState, player: Player, phase: float) -> PlayState:
    """Have the effects of a player be ahead by a part of a cycle, 0…1."""
    by = phase - player.phase

    def ahead(step: Step) -> Step:
        if isinstance(step.cursor, Cued):
            return replace(step, cursor=cues.with_ahead(show, step, by))

        playable = show.playables.get(step.ref.id)
        clocks = () if playable is None else kind_of(playable).clocks(playable)
        cursor = step.cursor.with_ahead(dict.fromkeys(clocks, by))
        return replace(step, cursor=cursor)

    def moved(one: Player) -> Player:
        return replace(one, phase=phase, steps=tuple(ahead(s) for s in one.steps))

    return state if by == 0.0 else players.change(state, player, moved)


def _stored(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    """As it is stored: rate, size, phase, and its pause is over."""
    state = motion.set_rate(state, player, 1.0, now)
    state = motion.pause(state, state.player(player.id) or player, False, now)
    known = state.player(player.id) or player
    state = set_phase(show, state, known, 0.0)
    known = state.player(player.id) or known
    return players.change(state, known, lambda p: replace(p, size=1.0))


def _tap(show: Show, state: PlayState, player: Player, do: Do, now: float) -> PlayState:
    """Tapped to time: a cycle of its effects, or a step, takes as long as it is from
    tap to tap.
    """
    taps = tempo.with_tap(player.taps, now)
    if taps is player.taps:
        return state
    state = players.change(state, player, lambda p: replace(p, taps=taps))

    natural, tapped = natural_beat(show, state, player), tempo.beat_of(taps)
    if natural is None or tapped is None:
        return state
    known = state.player(player.id) or player
    return motion.set_rate(state, known, natural / tapped, now)


def natural_beat(show: Show, state: PlayState, player: Player) -> float | None:
    """Returns the seconds that a cycle of what plays takes as stored, or a step of a
    chase; None where nothing moves.
    """
    playable = show.playables.get(player.ref.id)
    known = None if playable is None else KINDS.get(playable.kind)
    return None if known is None else known.beat(show, playable, state.clock)


def _raise(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return players.reorder(show, state, player, _whole(do.value), now)


def _lower(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return players.reorder(show, state, player, -_whole(do.value), now)


def _nothing(
    show: Show, state: PlayState, player: Player, do: Do, now: float
) -> PlayState:
    return state  # it has no steps that could be chosen


MOVING: dict[Verb, Drive] = {
    Verb.RATE: _rate,
    Verb.SIZE: _size,
    Verb.PHASE: _phase,
    Verb.STORED: _stored,
    Verb.HALF: _half,
    Verb.DOUBLE: _double,
    Verb.TAP: _tap,
    Verb.PAUSE: _pause,
    Verb.NEXT: _next,
    Verb.BACK: _back,
    Verb.STEP: _step,
    Verb.GO: _next,
    Verb.READY: _nothing,
    Verb.HOLD: _pause,
    Verb.RAISE: _raise,
    Verb.LOWER: _lower,
}
