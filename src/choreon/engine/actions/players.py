"""Players: started, brought over to something else, let go. Pure functions from state
to state.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise, takewhile
from typing import Any

import msgspec

from choreon.engine.actions import envelopes
from choreon.engine.actions.kinds import KINDS, HeadRoutes, RoutesByRef
from choreon.model.playables import Playable, Priority
from choreon.model.refs import Ref, find
from choreon.model.show import Show
from choreon.render.state import (
    BeatClock,
    Envelope,
    Fades,
    Player,
    PlayState,
    Ramp,
    Step,
)

__all__ = ["HeadRoutes", "RoutesByRef"]

replace = msgspec.structs.replace

LONGEST_CHAIN = 24  # interrupted fades that one player remembers
MOST_LIFTS = 2  # that are on their way to the top for one player
UNSEEN = 1e-6  # a share that makes no difference to a 16-bit value


def playable_of(show: Show, ref: Ref) -> Playable | None:
    """Returns what a ref leads to, where it is something that can be started."""
    found = find(show, ref) if ref.kind in KINDS else None
    return found if isinstance(found, Playable) else None


def playing_now(state: PlayState, ref: Ref) -> list[Player]:
    """Returns the players that play something, and are not on their way out."""
    return [
        player
        for player in state.players
        if player.ref == ref and not (player.releasing or player.lifts)
    ]


def timed(playable: Playable, fades: Fades) -> Playable:
    """Returns what plays with other times to come and go in: those of its families are
    not asked then.
    """
    times: dict[str, object] = {}
    if fades.fade_in is not None:
        times["fade_in"] = fades.fade_in
    if fades.fade_out is not None:
        times["fade_out"] = fades.fade_out
    return replace(playable, times={}, **times) if times else playable


def played_by(show: Show, player: Player) -> Playable | None:
    """Returns what a player plays, in the player's own times; None where that is
    gone.
    """
    playable = playable_of(show, player.ref)
    return None if playable is None else timed(playable, player.fades)


def step_of(
    playable: Playable,
    now: float,
    clock: BeatClock,
    aims: HeadRoutes,
    only: tuple[str, ...] = (),
    light: float = 1.0,
) -> Step:
    """Returns the step of something that is there from the beginning; `only` some of
    its families, `light` of its light.
    """
    cursor = KINDS[playable.kind].start(playable, now, clock)
    return Step(
        ref=playable.ref,
        at=now,
        aims=dict(aims),
        cursor=cursor,
        only=only,
        level=light,
    )


def start(
    state: PlayState,
    player_id: str,
    playable: Playable,
    now: float,
    weight: Envelope,
    level: float = 1.0,
    aims: HeadRoutes | None = None,
    only: tuple[str, ...] = (),
    light: float = 1.0,
    **more: Any,
) -> PlayState:
    """Start something, on top of all of its priority. `more`: what else is said of its
    player.
    """
    order = state.started + 1
    player = Player(
        player_id,
        playable.name,
        (step_of(playable, now, state.clock, aims or {}, only, light),),
        weight,
        level,
        order,
        playable.priority,
    )

    player = replace(player, **more)
    return replace(state, players=(*state.players, player), started=order)


def go_to(
    player: Player,
    playable: Playable,
    now: float,
    clock: BeatClock,
    aims: HeadRoutes,
    only: tuple[str, ...] = (),
    light: float = 1.0,
) -> Player:
    """Returns the player on its way to something else: a crossfade from what it puts
    out now.
    """
    fresh = step_of(playable, now, clock, aims, only, light)
    fade = StepFade(envelopes.coming(playable, now), playable.fade_out)
    gone = replace(player, name=playable.name, rate=1.0, paused=False)

    return over_to(gone, fresh, now, fade)


@dataclass(frozen=True)
class StepFade:
    """How a step comes in, and in how many seconds levels fall after a `delay`.
    `begin`: when that begins, where it is not at once. `longest`: how many interrupted
    fades are remembered.
    """

    progress: Envelope
    fall: float
    delay: float = 0.0
    begin: float | None = None
    longest: int = LONGEST_CHAIN


def over_to(player: Player, fresh: Step, now: float, fading: StepFade) -> Player:
    """Returns the player on its way to another step."""
    last = player.steps[-1]
    if last.done(now):
        kept: tuple[Step, ...] = (replace(last, until=None),)
    else:
        before = (_stopped(step, now) for step in player.steps[:-1])
        # one that is held stays where it was held
        until = now if last.until is None else min(now, last.until)
        kept = (*before, replace(last, until=until))

    begin = now if fading.begin is None else fading.begin
    fall = Ramp(0.0, 1.0, begin + fading.delay, fading.fall)
    fresh = replace(fresh, progress=fading.progress, fall=fall)
    return replace(player, steps=thinned((*kept, fresh), fading.longest))


def _stopped(step: Step, now: float) -> Step:
    """A step that was to be left later is left now."""
    later = step.until is not None and step.until > now
    return replace(step, until=now) if later else step


def thinned(steps: tuple[Step, ...], longest: int = LONGEST_CHAIN) -> tuple[Step, ...]:
    """Returns the steps without those that are not to be seen; of more than `longest`,
    without those that are least.
    """
    kept = list(steps)
    while len(kept) > 2:
        shares = _shares(kept)
        least = min(range(len(kept) - 1), key=shares.__getitem__)
        if shares[least] > UNSEEN and len(kept) <= longest:
            break
        del kept[least]
    return tuple(kept)


def _shares(steps: list[Step]) -> list[float]:
    """How much of each step there is where the last one begins: the most that any
    family, or any level, has of it.
    """
    shares: list[float] = []
    left = 1.0

    for step in reversed(steps[:-1]):
        if step.until is None:
            shares.append(left)
            continue

        ways = [step.progress.main, step.fall, *step.progress.families.values()]
        for one in step.lamps:
            ways += [one.progress.main, one.fall, *one.progress.families.values()]
        come = [way.at(step.until) for way in ways]
        shares.append(left * max(come))
        left *= 1.0 - min(come)

    return [*shares[::-1], 1.0]


def come_back(show: Show, state: PlayState, player: Player, now: float) -> PlayState:
    """Bring back what is on its way out, and to the top: there it would lie if it had
    been started just after it was gone.
    """
    back = turned_back(show, state, player, now)
    known = back.player(player.id)
    return state if known is None or back is state else lift(show, back, known, now)


def turned_back(show: Show, state: PlayState, player: Player, now: float) -> PlayState:
    """Bring back what is on its way out, where it lies."""
    playable = played_by(show, player)
    if playable is None:
        return state
    for known in lifts_of(state, player):
        weight = envelopes.coming(playable, now, known.weight)
        state = put(state, replace(known, weight=envelopes.unlit(weight)))
    weight = envelopes.coming(playable, now, player.weight)
    return put(state, replace(player, weight=weight))


def lift(show: Show, state: PlayState, player: Player, now: float) -> PlayState:
    """Bring a player to the top of its priority without a jump.

    Another one comes in above all, playing the same: it gives no light, only colours,
    places and beams. When it is there wholly the player takes its place. Of one that is
    called for again and again before that, so that MOST_LIFTS are on their way, no more
    comes of it.
    """
    lifting_it = lifts_of(state, player)
    if len(lifting_it) >= MOST_LIFTS:
        return state

    top = max((player, *lifting_it), key=lambda p: p.order)
    others = [p for p in state.players if p.priority == player.priority]
    playable = played_by(show, player)

    if playable is None or all(p.order <= top.order for p in others):
        return state

    order = state.started + 1
    lifting = replace(
        player,
        id=f"{player.id}~{order}",
        weight=envelopes.unlit(envelopes.coming(playable, now)),
        order=order,
        lifts=player.id,
    )

    return replace(state, players=(*state.players, lifting), started=order)


def lifts_of(state: PlayState, player: Player) -> list[Player]:
    """Returns the players that lift a player to the top."""
    return [p for p in state.players if p.lifts == player.id]


def change(
    state: PlayState, player: Player, make: Callable[[Player], Player]
) -> PlayState:
    """Returns the state with a player, and what lifts it, put through a function."""
    for known in (player, *lifts_of(state, player)):
        state = put(state, make(known))
    return state


def release(
    show: Show, state: PlayState, player_id: str, now: float, wait: float = 0.0
) -> PlayState:
    """Fade a player out, in the time of what it plays, after so many seconds."""
    player = state.player(player_id)
    if player is None or player.releasing:
        return state
    playable = played_by(show, player)
    for lifting in lifts_of(state, player):
        going = envelopes.going(playable, now, lifting.weight).shifted(wait)
        state = put(state, replace(lifting, weight=envelopes.unlit(going)))
    weight = envelopes.going(playable, now, player.weight).shifted(wait)
    return put(state, replace(player, weight=weight))


def release_all(show: Show, state: PlayState, now: float) -> PlayState:
    """Fade out everything that is on, but what is protected."""
    for player in state.players:
        if not player.lifts and not player.protected:
            state = release(show, state, player.id, now)
    return state


def reorder(
    show: Show, state: PlayState, player: Player, by: int, now: float
) -> PlayState:
    """Bring a player up among those of its priority, or down, past so many others. What
    lies above its new place is brought to the top one after the other, without a jump.
    What is on its way out stays where it is.
    """
    alike = [
        p
        for p in state.players
        if p.priority == player.priority and not (p.lifts or p.releasing)
    ]
    if player not in alike:
        return state

    ids = [p.id for p in sorted(alike, key=lambda p: height(state, p))]
    place = ids.index(player.id)
    there = min(len(ids) - 1, max(0, place + by))
    ids.insert(there, ids.pop(place))

    return in_order(show, state, ids, now)


def in_order(show: Show, state: PlayState, ids: list[str], now: float) -> PlayState:
    """Have players lie in an order, the lowest first, each among those of its priority.
    Those from the first one on that lies below the one before it are brought to the top
    one after the other, without a jump.
    """
    for priority in Priority:
        players = (state.player(i) for i in ids)
        wanted = [p for p in players if p is not None and p.priority == priority]
        heights = [height(state, p) for p in wanted]
        rises = (above > below for below, above in pairwise(heights))
        stays = 1 + sum(takewhile(bool, rises))

        for player in wanted[stays:]:
            known = state.player(player.id)
            if known is not None:
                state = lift(show, state, known, now)

    return state


def height(state: PlayState, player: Player) -> int:
    """Returns the order that a player has, or will have when what lifts it is there."""
    return max(p.order for p in (player, *lifts_of(state, player)))


def put(state: PlayState, player: Player) -> PlayState:
    """Returns the state with a player in the place of the one of its id."""
    players = tuple(player if p.id == player.id else p for p in state.players)
    return replace(state, players=players)


def without(state: PlayState, player_id: str) -> PlayState:
    """Returns the state without a player, and without what lifts it."""
    players = tuple(p for p in state.players if player_id not in (p.id, p.lifts))
    return replace(state, players=players)
