"""What pads, flashes and faders do when they are played."""

from __future__ import annotations

import msgspec

from choreon.engine.actions import envelopes, move_in_black, players
from choreon.engine.actions.levels import within
from choreon.engine.actions.tile_context import Playing, TileContext
from choreon.engine.do import Do
from choreon.model.playables import Priority
from choreon.model.tiles import PadAction
from choreon.model.verbs import Edge
from choreon.render.state import Envelope, Player, PlayState

replace = msgspec.structs.replace

ASKS = 3.0  # seconds in which a pad that asks waits for its second press


# pads


def press_pad(context: TileContext, do: Do) -> PlayState:
    """On, off, or, within a choice, over to it. Letting a pad up does nothing."""
    if do.edge == Edge.UP or not context.playing:
        return context.state

    if context.tile.ask and not _sure(context):
        until = context.now + ASKS
        asking = {**context.state.asking, context.tile.id: until}
        return replace(context.state, asking=asking)

    context = context.after(_answered(context))
    is_on = bool(context.on)
    if context.tile.action == PadAction.OFF or (
        is_on and context.tile.action == PadAction.TOGGLE
    ):
        return let_go(context, do)

    return context.state if is_on else bring_in(context)


def _sure(context: TileContext) -> bool:
    """Whether a pad that asks was pressed a moment ago."""
    return context.state.asking.get(context.tile.id, 0.0) > context.now


def _answered(context: TileContext) -> PlayState:
    asking = {i: t for i, t in context.state.asking.items() if i != context.tile.id}
    if len(asking) == len(context.state.asking):
        return context.state
    return replace(context.state, asking=asking)


def bring_in(context: TileContext, level: float = 1.0) -> PlayState:
    """Have all that a tile plays come in, in its time."""
    state = context.state
    for one in context.playing:
        state = _bring_in(context.after(state), one, level)
    return _without_rest(context, state)


def _bring_in(context: TileContext, one: Playing, level: float) -> PlayState:
    state, now, part = context.state, context.now, one.part
    playable = players.timed(one.playable, context.fades)
    player = state.player(one.player_id)

    if player is None:
        change = getattr(context.tile, "change", None)
        state, wait = move_in_black.coming(context, state, one, playable, change)
        return players.start(
            state,
            one.player_id,
            playable,
            now,
            envelopes.coming(playable, now).shifted(wait),
            level * one.full,
            context.ways.get(one.part.ref),
            part.only,
            one.light,
            fades=context.fades,
            protected=context.tile.protected,
        )

    if not one.plays(player):
        change = getattr(context.tile, "change", None)
        state = move_in_black.over(context, state, player, one, playable, change)

    player = state.player(one.player_id) or player
    kept = replace(player, fades=context.fades, protected=context.tile.protected)
    state = players.put(state, kept)

    return (
        players.come_back(context.show, state, kept, now) if kept.releasing else state
    )


def _without_rest(context: TileContext, state: PlayState) -> PlayState:
    """Of a choice, let go what only the pad before played."""
    if not getattr(context.tile, "choice", ""):
        return state
    base = context.playing[0].player_id.partition("/")[0]
    own = {one.player_id for one in context.playing}
    for player in state.players:
        shared = player.id == base or player.id.startswith(f"{base}/")
        if shared and player.id not in own and not player.lifts:
            state = players.release(context.show, state, player.id, context.now)
    return state


def switch_pad(context: TileContext, do: Do) -> PlayState:
    """On from half on, else off."""
    if (do.value >= 0.5) == (context.level > 0):
        return context.state
    return press_pad(context, replace(do, edge=Edge.DOWN))


def dim(context: TileContext, do: Do) -> PlayState:
    """Dim what a tile has on; what is off stays off."""
    state, level = context.state, within(do.value)
    for one, player in context.on:
        state = _levelled(state, player, level * one.full)
    return state


def _levelled(state: PlayState, player: Player, level: float) -> PlayState:
    return players.change(state, player, lambda p: replace(p, level=level))


def let_go(context: TileContext, do: Do) -> PlayState:
    """Fade out what a tile has on."""
    state = context.state
    for _, player in context.on:
        kept = replace(player, fades=context.fades)
        change = getattr(context.tile, "change", None)
        state = players.put(state, kept)
        state = move_in_black.going(context, state, kept, change)
    return state


# flashes


def press_flash(context: TileContext, do: Do) -> PlayState:
    """On while it is down; with several hands, till the last of them lets go."""
    if do.edge == Edge.UP:
        return release_flash(context, context.by or SOMEBODY)
    state = context.state
    for one in context.playing:
        state = _flash(context, state, one)
    return state


def _flash(context: TileContext, state: PlayState, one: Playing) -> PlayState:
    tile, now, by = context.tile, context.now, context.by or SOMEBODY
    known = one.is_on(state)
    if known is not None:
        others = tuple(context for context in known.held if context != by)
        return players.put(state, replace(known, held=(*others, by)))

    playable = players.timed(one.playable, context.fades)
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
        context.ways.get(one.part.ref),
        one.part.only,
        one.light,
        fades=context.fades,
        held=(by,),
        **how,
    )


SOMEBODY = "somebody"  # holds a flash, where nobody says who


def release_flash(context: TileContext, by: str = "") -> PlayState:
    """Let a flash go: the hand `by`, or, with none, all of them. It ends with the last
    one.
    """
    state = context.state
    for _, player in context.on:
        left = () if not by else tuple(h for h in player.held if h != by)
        if left:
            state = players.put(state, replace(player, held=left))
            continue

        if not context.tile.fades:
            state = players.without(state, player.id)
            continue

        state = players.put(state, replace(player, held=()))
        state = players.release(context.show, state, player.id, context.now)

    return state


def switch_flash(context: TileContext, do: Do) -> PlayState:
    """Down from half on, else up."""
    edge = Edge.DOWN if do.value >= 0.5 else Edge.UP
    return press_flash(context, replace(do, edge=edge))


def let_flash_go(context: TileContext, do: Do) -> PlayState:
    """End it, whoever holds it."""
    return release_flash(context)


# faders


def press_fader(context: TileContext, do: Do) -> PlayState:
    """Full, or off."""
    if do.edge == Edge.UP:
        return context.state
    return set_fader(context, replace(do, value=0.0 if context.level > 0 else 1.0))


def switch_fader(context: TileContext, do: Do) -> PlayState:
    """Full from half on, else off."""
    return set_fader(context, replace(do, value=float(do.value >= 0.5)))


def set_fader(context: TileContext, do: Do) -> PlayState:
    """Bring it to a level by hand; at 0 it is off."""
    state, level = context.state, within(do.value)
    for one in context.playing:
        state = _fade_by_hand(context, state, one, level * one.full)
    return state


def _fade_by_hand(
    context: TileContext, state: PlayState, one: Playing, level: float
) -> PlayState:
    player = state.player(one.player_id)
    if level <= 0.0:
        return state if player is None else players.without(state, player.id)

    if player is not None and one.plays(player):
        if not player.releasing:
            return _levelled(state, player, level)

        # It was let go and is on its way out: the hand takes it up where it is.
        taken = replace(player, level=level, weight=Envelope())
        return players.lift(context.show, players.put(state, taken), taken, context.now)

    state = players.without(state, one.player_id)
    return players.start(
        state,
        one.player_id,
        one.playable,
        context.now,
        Envelope(),
        level,
        context.ways.get(one.part.ref),
        one.part.only,
        fades=context.fades,
        protected=context.tile.protected,
    )
