"""What a choice does when it is played: several looks, of which one is on."""

from __future__ import annotations

import msgspec

from choreon.engine.actions import envelopes, move_in_black, players
from choreon.engine.actions.levels import within
from choreon.engine.actions.tile_context import Playing, TileContext
from choreon.engine.do import Do
from choreon.model.show import Show
from choreon.model.tiles import Choice, Page
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState

replace = msgspec.structs.replace


MOST = 10_000  # looks of a choice


def chosen(show: Show, state: PlayState, page: Page, tile: Choice) -> int | None:
    """Returns which of its looks is on, from 0; None for none. Of two that are alike
    the first.
    """
    player = state.player(f"tile:{tile.id}")
    if player is None or player.releasing:
        return None
    step = player.steps[-1]
    for n, part in enumerate(tile.plays):
        if (part.ref, part.only, part.level) == (step.ref, step.only, step.level):
            return n
    return None


def level_of(show: Show, state: PlayState, page: Page, tile: Choice) -> float:
    """Returns how far along its looks the one is that is on, 0…1; with an *off*, that
    is 0.
    """
    now = chosen(show, state, page, tile)
    if now is None:
        return 0.0
    off = may_be_off(tile)
    places = len(tile.plays) - 1 + off
    return (now + off) / places if places else 1.0


def wanted(show: Show, state: PlayState, page: Page, tile: Choice, do: Do) -> int:
    """Returns which look a message asks for, from 0; below 0 for none. A press goes to
    the next one, after the last to the first by way of *off* where there is one; STEP
    goes to its number, or off where that one is on; LEVEL goes along the looks.
    """
    now, count = chosen(show, state, page, tile), len(tile.plays)
    none = -1 if may_be_off(tile) else 0
    if do.verb == Verb.STEP:
        index = int(do.value) if abs(do.value) < MOST else -1
        is_on = index == now
        return (-1 if may_be_off(tile) else index) if is_on else index

    if do.verb == Verb.LEVEL:
        places = count - 1 + may_be_off(tile)
        return round(within(do.value) * places) - may_be_off(tile)

    after = 0 if now is None else now + 1
    return after if after < count else none


def press(context: TileContext, do: Do) -> PlayState:
    """Over to the look that is asked for. Letting up does nothing."""
    tile = context.tile
    if do.edge == Edge.UP or not tile.plays:
        return context.state
    index = wanted(context.show, context.state, context.page, tile, do)
    if index < 0 and not may_be_off(tile):
        return context.state
    if index == chosen(context.show, context.state, context.page, tile):
        return context.state
    return go_to(context, index)


def let_go(context: TileContext, do: Do) -> PlayState:
    """Off, where none of them may be on."""
    return go_to(context, -1) if may_be_off(context.tile) else context.state


def may_be_off(tile: Choice) -> bool:
    """Whether none of its looks need be on."""
    return tile.off and not tile.always


def go_to(context: TileContext, index: int) -> PlayState:
    """Bring a choice over to a look by its number; below 0 to none."""
    state, tile = context.state, context.tile
    player = state.player(f"tile:{tile.id}")
    if index < 0:
        if player is None:
            return state

        return move_in_black.going(context, state, player, tile.change)

    one = _at(context, index)
    if one is None:
        return state

    playable = players.timed(one.playable, context.fades)
    if player is None:
        state, wait = move_in_black.coming(context, state, one, playable, tile.change)
        return players.start(
            state,
            one.player_id,
            playable,
            context.now,
            envelopes.coming(playable, context.now).shifted(wait),
            one.full,
            context.ways.get(one.part.ref),
            one.part.only,
            one.light,
            fades=context.fades,
            protected=tile.protected,
        )

    if not one.plays(player):
        state = move_in_black.over(context, state, player, one, playable, tile.change)

    player = state.player(one.player_id) or player
    kept = replace(player, fades=context.fades, protected=tile.protected)
    state = players.put(state, kept)

    return (
        players.come_back(context.show, state, kept, context.now)
        if kept.releasing
        else state
    )


def _at(context: TileContext, index: int) -> Playing | None:
    """One of its looks; None where that is gone."""
    if index >= len(context.tile.plays):
        return None
    part = context.tile.plays[index]
    return next((one for one in context.playing if one.part is part), None)


def begin(context: TileContext) -> PlayState:
    """Where one must always be on, the first of them is, unless another one is."""
    if chosen(context.show, context.state, context.page, context.tile) is not None:
        return context.state
    return go_to(context, 0)
