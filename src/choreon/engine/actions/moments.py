"""Undo for playing: back to what was on before the last press, within a minute."""

from __future__ import annotations

import msgspec

from choreon.engine.actions import envelopes, players
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Moment, Player, PlayState

replace = msgspec.structs.replace

LONGEST = 60.0  # seconds for which a moment is remembered
MOST = 8  # moments

PRESSES = (
    Verb.PRESS,
    Verb.SWITCH,
    Verb.RELEASE,
    Verb.STEP,
    Verb.NEXT,
    Verb.BACK,
)
"""What is taken back: what is done at once. Levels are brought back by hand."""


def remembered(
    before: PlayState, after: PlayState, verb: Verb, edge: Edge, now: float
) -> PlayState:
    """Returns the state after something was done, with what was on before it, where
    other things are on now.
    """
    pressed = verb in PRESSES and edge != Edge.UP
    if not pressed or _kinds(before) == _kinds(after):
        return after
    past = tuple(m for m in before.past if now - m.at < LONGEST)
    there = tuple(player for player in before.players if _stays(player))
    return replace(after, past=(*past[-MOST + 1 :], Moment(now, there)))


def _stays(player: Player) -> bool:
    return not (player.lifts or player.releasing or player.held)


def _kinds(state: PlayState) -> list[tuple[object, ...]]:
    """What is on, whatever its level."""
    return sorted((p.id, p.ref, p.steps[-1].only) for p in state.players if _stays(p))


def go_back(show: Show, state: PlayState, now: float) -> PlayState:
    """Returns the state on its way to what was on before the last press; the same where
    that is too long ago.
    """
    past = tuple(m for m in state.past if now - m.at < LONGEST)
    if not past:
        return state if len(past) == len(state.past) else replace(state, past=())
    moment = past[-1]
    state = replace(state, past=past[:-1])
    there = {player.id for player in moment.players}
    for player in state.players:
        if player.id not in there and _stays(player):
            state = players.release(show, state, player.id, now)
    for player in moment.players:
        state = _brought_back(show, state, player, now)
    return state


def _brought_back(show: Show, state: PlayState, was: Player, now: float) -> PlayState:
    """Have a player be at what it was at."""
    playable = players.played_by(show, was)
    if playable is None:
        return state
    known, only = state.player(was.id), was.steps[-1].only
    if known is None:
        return players.start(
            state,
            was.id,
            playable,
            now,
            envelopes.coming(playable, now),
            was.level,
            was.steps[-1].aims,
            only,
            fades=was.fades,
            protected=was.protected,
            priority=was.priority,
        )
    if known.ref != was.ref or known.steps[-1].only != only:
        state = players.change(
            state,
            known,
            lambda p: players.go_to(
                p, playable, now, state.clock, was.steps[-1].aims, only
            ),
        )
        known = state.player(was.id) or known
    if known.releasing:
        state = players.come_back(show, state, known, now)
    return state
