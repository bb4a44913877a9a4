"""What becomes of a state by itself, and what is done past all that plays."""

from __future__ import annotations

import msgspec

from choreon.engine.actions import hands, overrides
from choreon.engine.actions import tempo as tempos
from choreon.model.masters import Tempo
from choreon.model.refs import TEMPO
from choreon.model.show import SLOTS, Show
from choreon.render import dark_moves
from choreon.render.state import (
    BeatClock,
    HeldValues,
    Identify,
    Player,
    PlayState,
    Sent,
)

replace = msgspec.structs.replace

LONGEST = 60.0  # seconds that lamps blink, or bytes stand, at most
MOST_SENT = 255


def blank(show: Show | None = None) -> PlayState:
    """Returns the state in which nothing is on, the grand master full, at the tempo
    that a show opens with.
    """
    tempo = None if show is None else show.masters.get(TEMPO.id)
    if not isinstance(tempo, Tempo):
        return PlayState()
    return PlayState(clock=BeatClock(bpm=tempos.within(tempo.bpm), bar=tempo.bar))


def prune(state: PlayState, now: float) -> PlayState:
    """Returns the state without what has faded out, and without the steps that
    finished fades leave behind. One in which there is nothing to forget stays the same
    object.
    """
    players = _remaining(state.players, now)
    leaving = tuple(one for one in state.draft.leaving if not one.ramp.done(now))
    changes: dict[str, object] = {**_hands(state, now), **_orders(state, now)}
    if players is not state.players:
        changes["players"] = players

    if len(leaving) != len(state.draft.leaving):
        changes["draft"] = replace(state.draft, leaving=leaving)

    return replace(state, **changes) if changes else state


def _orders(state: PlayState, now: float) -> dict[str, object]:
    """What is over of what lasts for a while: blinking, bytes that were sent on
    purpose, lamps that were dark while something in them was changed.
    """
    changes: dict[str, object] = {}
    if state.identify is not None and now >= state.identify.until:
        changes["identify"] = None

    sent = tuple(order for order in state.sent if now < order.until)
    if len(sent) != len(state.sent):
        changes["sent"] = sent

    shades = tuple(shade for shade in state.shades if not shade.done(now))
    if len(shades) != len(state.shades):
        changes["shades"] = shades
    return changes


def _hands(state: PlayState, now: float) -> dict[str, object]:
    """What hands that have left, grips that are gone, and questions that are too old
    leave to change.
    """
    changes: dict[str, object] = {}
    live, asides = hands.pruned(state.live, now), hands.pruned(state.asides, now)
    if live is not state.live:
        changes["live"] = live

    if asides is not state.asides:
        changes["asides"] = asides

    grips = overrides.pruned(state.masters.grips, now)
    before = state.masters.before
    if before is not None and before.come.done(now):
        before = None

    if grips is not state.masters.grips or before is not state.masters.before:
        changes["masters"] = replace(state.masters, grips=grips, before=before)

    if any(until <= now for until in state.asking.values()):
        changes["asking"] = {i: t for i, t in state.asking.items() if t > now}

    return changes


def without_held(state: PlayState) -> PlayState:
    """Returns the state without what a hand held on: that hand is gone."""
    players = tuple(player for player in state.players if not player.held)
    return replace(state, players=players, asking={})


def _remaining(players: tuple[Player, ...], now: float) -> tuple[Player, ...]:
    """The players that are still there, trimmed; the same object where all are as they
    were.
    """
    kept = tuple(_trimmed(p, now) for p in players if not p.gone(now))
    if any(player.lifts for player in kept):
        kept = _lifted(kept, now)
    same = len(kept) == len(players) and all(
        one is other for one, other in zip(kept, players, strict=True)
    )
    return players if same else kept


def _trimmed(player: Player, now: float) -> Player:
    """What finished fades leave behind is not needed; nor are times that have
    passed.
    """
    if len(player.steps) > 1 and player.steps[-1].done(now):
        return replace(player, steps=player.steps[-1:])
    return player


def _lifted(players: tuple[Player, ...], now: float) -> tuple[Player, ...]:
    """What is lifted to the top and there wholly takes the place of what lifted it."""
    made = {player.id: player for player in players}
    for lifting in sorted(players, key=lambda p: p.order):
        if not lifting.lifts:
            continue
        main = made.get(lifting.lifts)
        if main is None:
            if not lifting.releasing:
                del made[lifting.id]
        elif lifting.settled(now) and main.settled(now) and not main.releasing:
            made[main.id] = replace(main, order=lifting.order)
            del made[lifting.id]
    return tuple(made.values())


def shift(state: PlayState, seconds: float) -> PlayState:
    """Returns the same state with every time moved: for a clock that started anew."""
    players = tuple(
        replace(
            player,
            steps=tuple(step.shifted(seconds) for step in player.steps),
            weight=player.weight.shifted(seconds),
        )
        for player in state.players
    )

    draft = state.draft
    leaving = tuple(
        replace(one, ramp=one.ramp.shifted(seconds), going=one.going.shifted(seconds))
        for one in draft.leaving
    )

    draft = replace(
        draft,
        leaving=leaving,
        shown=draft.shown.shifted(seconds),
        going=draft.going.shifted(seconds),
    )

    grips = tuple(
        replace(grip, held=grip.held.shifted(seconds)) for grip in state.masters.grips
    )

    before = state.masters.before
    if before is not None:
        before = replace(before, come=before.come.shifted(seconds))

    return replace(
        state,
        players=players,
        draft=draft,
        clock=state.clock.shifted(seconds),
        masters=replace(state.masters, grips=grips, before=before),
        live=tuple(_shifted(hand, seconds) for hand in state.live),
        asides=tuple(_shifted(hand, seconds) for hand in state.asides),
        asking={},
        past=(),
        ready=tuple(
            replace(one, ramp=one.ramp.shifted(seconds)) for one in state.ready
        ),
        shades=tuple(shade.shifted(seconds) for shade in state.shades),
    )


def _shifted(hand: HeldValues, seconds: float) -> HeldValues:
    return replace(hand, held=hand.held.shifted(seconds))


def calmed(after: PlayState, before: PlayState, now: float) -> PlayState:
    """Returns the state in which lamps that went ahead in the dark stand where they
    are, if anything else than that changed since `before`; what no player is there for
    any more is forgotten.
    """
    if not after.ready or all(
        getattr(after, name) is getattr(before, name) for name in DISTURBS
    ):
        return after

    there = {player.id for player in after.players}
    kept = tuple(one for one in after.ready if one.player in there)
    if len(kept) != len(after.ready):
        after = replace(after, ready=kept)
    return dark_moves.stopped(after, now)


DISTURBS = ("players", "draft", "live", "asides", "masters", "identify")
"""What stops lamps that go ahead in the dark when it changes."""


def blink(
    state: PlayState, fixtures: tuple[str, ...], now: float, seconds: float
) -> PlayState:
    """Have fixtures blink for a while; none of them, or no time, ends it."""
    asked = None
    if fixtures and seconds > 0:
        asked = Identify(fixtures, now, now + min(seconds, LONGEST))
    return replace(state, identify=asked)


def send_bytes(
    state: PlayState,
    key: str,
    universe: int,
    address: int,
    slots: bytes,
    now: float,
    seconds: float,
) -> PlayState:
    """Put bytes on slots for a while, in place of what has the same key."""
    kept = tuple(s for s in state.sent if s.key != key)
    room = max(0, SLOTS + 1 - address)
    if seconds <= 0 or not 1 <= address <= SLOTS or not slots:
        return replace(state, sent=kept)

    until = now + min(seconds, LONGEST)
    sent = Sent(key, universe, address, slots[:room], until)
    return replace(state, sent=(*kept[-MOST_SENT:], sent))
