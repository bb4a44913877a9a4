"""Undo for playing: back to what was on before the last press, within a minute."""

from __future__ import annotations

import msgspec

from choreon.engine.actions import envelopes, players
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import FULL, Cued, Envelope, Moment, Player, PlayState

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
    Verb.GO,
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
    there = tuple(
        replace(player, order=players.height(before, player))
        for player in before.players
        if _stays(player)
    )

    return replace(after, past=(*past[-MOST + 1 :], Moment(now, there)))


def _stays(player: Player) -> bool:
    return not (player.lifts or player.releasing or player.held)


def _kinds(state: PlayState) -> list[tuple[object, ...]]:
    """What is on, whatever its level."""
    return sorted((p.id, *_what(p)) for p in state.players if _stays(p))


def go_back(show: Show, state: PlayState, now: float) -> PlayState:
    """Returns the state on its way to what was on before the last press, in the order
    in which it lay and where it would be by now; the same where that is too long ago.
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

    before = sorted(moment.players, key=lambda p: p.place)
    return players.in_order(show, state, [player.id for player in before], now)


def _brought_back(show: Show, state: PlayState, was: Player, now: float) -> PlayState:
    """Have a player be at what it was at; where it lies is left as it is."""
    playable = players.played_by(show, was)
    if playable is None:
        return state

    step = replace(was.steps[-1], at=now, until=None)
    if isinstance(step.cursor, Cued):
        # what would follow it by itself has waited long enough to surprise
        step = replace(step, cursor=replace(step.cursor, waits=True), lamps=())
    known = state.player(was.id)
    if known is None:
        # it would still be there: it comes in below what lay above it
        back = replace(step, progress=Envelope(), fall=FULL)
        weight = envelopes.coming(playable, now)
        player = replace(was, steps=(back,), weight=weight)

        return replace(state, players=(*state.players, player))

    if _what(known) != _what(was):
        progress = envelopes.coming(playable, now)
        fading = players.StepFade(progress, playable.fade_out)
        driven = replace(known, name=was.name, rate=was.rate, paused=was.paused)
        driven = replace(driven, size=was.size, phase=was.phase)
        over = players.over_to(driven, step, now, fading)
        state = players.put(state, over)
        # what brings it to the top would bring what is left to the top
        lifting = {p.id for p in players.lifts_of(state, over)}
        kept = tuple(p for p in state.players if p.id not in lifting)
        state = replace(state, players=kept)

    known = state.player(was.id) or known
    return players.turned_back(show, state, known, now) if known.releasing else state


def _what(player: Player) -> tuple[object, ...]:
    """What a player plays, or goes to, and how much of it."""
    step = player.steps[-1]
    return (step.ref, step.only, step.level, str(step.cursor.key))
