"""What pads, flashes and faders do when they are played."""

from __future__ import annotations

import msgspec

from choreon.engine.actions import darkly, envelopes, players
from choreon.engine.actions.levels import within
from choreon.engine.actions.pressed import Playing, Pressed
from choreon.engine.do import Do
from choreon.model.playables import Priority
from choreon.model.tiles import PadAction
from choreon.model.verbs import Edge
from choreon.render.state import Envelope, Player, PlayState

replace = msgspec.structs.replace

ASKS = 3.0  # seconds in which a pad that asks waits for its second press


# pads


def press_pad(hand: Pressed, do: Do) -> PlayState:
    """On, off, or, within a choice, over to it. Letting a pad up does nothing."""
    if do.edge == Edge.UP or not hand.playing:
        return hand.state

    if hand.tile.ask and not _sure(hand):
        until = hand.now + ASKS
        asking = {**hand.state.asking, hand.tile.id: until}
        return replace(hand.state, asking=asking)

    hand = hand.after(_answered(hand))
    is_on = bool(hand.on)
    if hand.tile.action == PadAction.OFF or (
        is_on and hand.tile.action == PadAction.TOGGLE
    ):
        return let_go(hand, do)

    return hand.state if is_on else bring_in(hand)


def _sure(hand: Pressed) -> bool:
    """Whether a pad that asks was pressed a moment ago."""
    return hand.state.asking.get(hand.tile.id, 0.0) > hand.now


def _answered(hand: Pressed) -> PlayState:
    asking = {i: t for i, t in hand.state.asking.items() if i != hand.tile.id}
    if len(asking) == len(hand.state.asking):
        return hand.state
    return replace(hand.state, asking=asking)


def bring_in(hand: Pressed, level: float = 1.0) -> PlayState:
    """Have all that a tile plays come in, in its time."""
    state = hand.state
    for one in hand.playing:
        state = _bring_in(hand.after(state), one, level)
    return _without_rest(hand, state)


def _bring_in(hand: Pressed, one: Playing, level: float) -> PlayState:
    state, now, part = hand.state, hand.now, one.part
    playable = players.timed(one.playable, hand.fades)
    player = state.player(one.player_id)

    if player is None:
        return players.start(
            state,
            one.player_id,
            playable,
            now,
            envelopes.coming(playable, now),
            level * one.full,
            hand.ways.get(one.part.ref),
            part.only,
            one.light,
            fades=hand.fades,
            protected=hand.tile.protected,
        )

    if not one.plays(player):
        change = getattr(hand.tile, "change", None)
        state = darkly.over(hand, state, player, one, playable, change)

    player = state.player(one.player_id) or player
    kept = replace(player, fades=hand.fades, protected=hand.tile.protected)
    state = players.put(state, kept)

    return players.come_back(hand.show, state, kept, now) if kept.releasing else state


def _without_rest(hand: Pressed, state: PlayState) -> PlayState:
    """Of a choice, let go what only the pad before played."""
    if not getattr(hand.tile, "choice", ""):
        return state
    base = hand.playing[0].player_id.partition("/")[0]
    own = {one.player_id for one in hand.playing}
    for player in state.players:
        shared = player.id == base or player.id.startswith(f"{base}/")
        if shared and player.id not in own and not player.lifts:
            state = players.release(hand.show, state, player.id, hand.now)
    return state


def switch_pad(hand: Pressed, do: Do) -> PlayState:
    """On from half on, else off."""
    if (do.value >= 0.5) == (hand.level > 0):
        return hand.state
    return press_pad(hand, replace(do, edge=Edge.DOWN))


def dim(hand: Pressed, do: Do) -> PlayState:
    """Dim what a tile has on; what is off stays off."""
    state, level = hand.state, within(do.value)
    for one, player in hand.on:
        state = _levelled(state, player, level * one.full)
    return state


def _levelled(state: PlayState, player: Player, level: float) -> PlayState:
    return players.change(state, player, lambda p: replace(p, level=level))


def let_go(hand: Pressed, do: Do) -> PlayState:
    """Fade out what a tile has on."""
    state = hand.state
    for _, player in hand.on:
        kept = replace(player, fades=hand.fades)
        state = players.release(
            hand.show, players.put(state, kept), player.id, hand.now
        )
    return state


# flashes


def press_flash(hand: Pressed, do: Do) -> PlayState:
    """On while it is down; with several hands, till the last of them lets go."""
    if do.edge == Edge.UP:
        return release_flash(hand, hand.by or SOMEBODY)
    state = hand.state
    for one in hand.playing:
        state = _flash(hand, state, one)
    return state


def _flash(hand: Pressed, state: PlayState, one: Playing) -> PlayState:
    tile, now, by = hand.tile, hand.now, hand.by or SOMEBODY
    known = one.is_on(state)
    if known is not None:
        others = tuple(hand for hand in known.held if hand != by)
        return players.put(state, replace(known, held=(*others, by)))

    playable = players.timed(one.playable, hand.fades)
    before = state.player(one.player_id)
    begun = envelopes.GONE if before is None else before.weight
    weight = envelopes.coming(playable, now, begun) if tile.fades else Envelope()
    state = players.without(state, one.player_id)

    if tile.over:
        how = {"priority": Priority.HIGH, "takes_over": True}
    else:
        # below all else, that so keeps its colours
        how = {"priority": Priority.LOW, "adds": True, "order": -state.started - 1}

    return players.start(
        state,
        one.player_id,
        playable,
        now,
        weight,
        one.full,
        hand.ways.get(one.part.ref),
        one.part.only,
        one.light,
        fades=hand.fades,
        held=(by,),
        **how,
    )


SOMEBODY = "somebody"  # holds a flash, where nobody says who


def release_flash(hand: Pressed, by: str = "") -> PlayState:
    """Let a flash go: the hand `by`, or, with none, all of them. It ends with the last
    one.
    """
    state = hand.state
    for _, player in hand.on:
        left = () if not by else tuple(h for h in player.held if h != by)
        if left:
            state = players.put(state, replace(player, held=left))
            continue

        if not hand.tile.fades:
            state = players.without(state, player.id)
            continue

        state = players.put(state, replace(player, held=()))
        state = players.release(hand.show, state, player.id, hand.now)

    return state


def switch_flash(hand: Pressed, do: Do) -> PlayState:
    """Down from half on, else up."""
    edge = Edge.DOWN if do.value >= 0.5 else Edge.UP
    return press_flash(hand, replace(do, edge=edge))


def let_flash_go(hand: Pressed, do: Do) -> PlayState:
    """End it, whoever holds it."""
    return release_flash(hand)


# faders


def press_fader(hand: Pressed, do: Do) -> PlayState:
    """Full, or off."""
    if do.edge == Edge.UP:
        return hand.state
    return set_fader(hand, replace(do, value=0.0 if hand.level > 0 else 1.0))


def switch_fader(hand: Pressed, do: Do) -> PlayState:
    """Full from half on, else off."""
    return set_fader(hand, replace(do, value=float(do.value >= 0.5)))


def set_fader(hand: Pressed, do: Do) -> PlayState:
    """Bring it to a level by hand; at 0 it is off."""
    state, level = hand.state, within(do.value)
    for one in hand.playing:
        state = _fade_by_hand(hand, state, one, level * one.full)
    return state


def _fade_by_hand(
    hand: Pressed, state: PlayState, one: Playing, level: float
) -> PlayState:
    player = state.player(one.player_id)
    if level <= 0.0:
        return state if player is None else players.without(state, player.id)

    if player is not None and one.plays(player):
        if not player.releasing:
            return _levelled(state, player, level)

        # It was let go and is on its way out: the hand takes it up where it is.
        taken = replace(player, level=level, weight=Envelope())
        return players.lift(hand.show, players.put(state, taken), taken, hand.now)

    state = players.without(state, one.player_id)
    return players.start(
        state,
        one.player_id,
        one.playable,
        hand.now,
        Envelope(),
        level,
        hand.ways.get(one.part.ref),
        one.part.only,
        fades=hand.fades,
        protected=hand.tile.protected,
    )
