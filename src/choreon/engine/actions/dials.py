"""What dials do when they are turned, and where they stand: what they turn is what is
on now, so that they never show anything else.
"""

from __future__ import annotations

import math

import msgspec

from choreon.engine.actions import driving, hands, players
from choreon.engine.actions.levels import within
from choreon.engine.actions.tile_context import TileContext, playing
from choreon.engine.do import Do
from choreon.model import attributes as at
from choreon.model.lamps import fixtures_of
from choreon.model.refs import TILE
from choreon.model.show import Show
from choreon.model.tiles import Dial, Page, Tile, Turns
from choreon.model.values import Look
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Player, PlayState

replace = msgspec.structs.replace

OCTAVES = 4.0  # from a quarter of the rate to four times it
LONGEST_FADE = 20.0  # seconds at the end of a dial


def rate_at(share: float) -> float:
    """Returns how many times as fast a dial is that stands at a share, 0…1."""
    return float(2.0 ** ((share - 0.5) * OCTAVES))


def share_of_rate(rate: float) -> float:
    """Returns where a dial stands, 0…1, for a rate."""
    return within(0.5 + math.log2(max(rate, 1e-6)) / OCTAVES)


def fade_at(share: float) -> float:
    """Returns the seconds of a fade-time dial: finer where they are short."""
    return LONGEST_FADE * share * share


def share_of_fade(seconds: float) -> float:
    """Returns where a dial stands, 0…1, for a fade time."""
    return within(math.sqrt(max(seconds, 0.0) / LONGEST_FADE))


def driven(show: Show, state: PlayState, dial: Dial) -> list[Player]:
    """Returns what is on of what a dial turns something of."""
    found: dict[str, Player] = {}
    for ref in dial.of:
        if ref.kind == TILE:
            known = show.tile(ref.id)
            on = () if known is None else playing(show, *known)

            for one in on:
                player = one.is_on(state)
                if player is not None:
                    found[player.id] = player

            continue

        for player in state.players:
            if player.ref == ref and not player.lifts and not player.releasing:
                found[player.id] = player

    return list(found.values())


def faded(show: Show, dial: Dial) -> list[Tile]:
    """Returns the tiles whose fade time a dial sets: those named, and those that play
    what is named.
    """
    found: dict[str, Tile] = {}
    for page in show.pages.values():
        for tile in page.tiles:
            plays = getattr(tile, "plays", ())
            named = tile.ref in dial.of or any(part.ref in dial.of for part in plays)
            if plays and named:
                found[tile.id] = tile
    return list(found.values())


def span(dial: Dial) -> tuple[float, float]:
    """Returns the lowest and highest value of an attribute's dial, in its unit."""
    known = at.attribute(dial.attribute)
    return known.low, known.high


def level_of(show: Show, state: PlayState, page: Page, dial: Dial) -> float:
    """Returns where a dial stands, 0…1: of what is on the first."""
    if dial.turns == Turns.FADE:
        return _level_of_fade(show, state, dial)
    if dial.turns == Turns.ATTRIBUTE:
        return _level_of_attribute(state, dial)
    for player in driven(show, state, dial):
        if dial.turns == Turns.RATE:
            return share_of_rate(player.rate)
        return player.size if dial.turns == Turns.SIZE else player.phase
    return {Turns.RATE: 0.5, Turns.SIZE: 1.0}.get(dial.turns, 0.0)


def _level_of_fade(show: Show, state: PlayState, dial: Dial) -> float:
    for tile in faded(show, dial):
        if tile.id in state.fade_times:
            return share_of_fade(state.fade_times[tile.id])
        own = getattr(tile, "fade_in", None)
        if own is not None:
            return share_of_fade(own)
        for part in getattr(tile, "plays", ()):
            playable = players.playable_of(show, part.ref)
            if playable is not None:
                return share_of_fade(playable.fade_in)
    return 0.0


def _level_of_attribute(state: PlayState, dial: Dial) -> float:
    context = hands.live_of(state, dial.id)
    low, high = span(dial)
    for values in context.look.values() if context is not None else ():
        value = values.get(dial.attribute)
        if isinstance(value, float | int):
            return within((value - low) / (high - low)) if high > low else 0.0
    return 0.0


def turn(context: TileContext, do: Do) -> PlayState:
    """Turn it to a share, 0…1."""
    dial, share = context.tile, within(do.value)
    if dial.turns == Turns.FADE:
        return set_fade(context, fade_at(share))
    if dial.turns == Turns.ATTRIBUTE:
        low, high = span(dial)
        return set_attribute(context, low + share * (high - low))
    verb, value = {
        Turns.RATE: (Verb.RATE, rate_at(share)),
        Turns.SIZE: (Verb.SIZE, share),
        Turns.PHASE: (Verb.PHASE, share),
    }[dial.turns]
    return _drive(context, replace(do, verb=verb, value=value))


def _drive(context: TileContext, do: Do) -> PlayState:
    state = context.state
    for player in driven(context.show, state, context.tile):
        state = driving.drive(context.show, state, player, do, context.now)
    return state


def drive(context: TileContext, do: Do) -> PlayState:
    """Drive what is on of what it turns, whatever it turns of it."""
    return context.state if context.tile.turns in NOT_DRIVEN else _drive(context, do)


NOT_DRIVEN = (Turns.FADE, Turns.ATTRIBUTE)


def set_fade(context: TileContext, seconds: float) -> PlayState:
    """Have what its tiles play come and go in so many seconds."""
    times = dict(context.state.fade_times)
    for tile in faded(context.show, context.tile):
        times[tile.id] = seconds
    return replace(context.state, fade_times=times)


def set_attribute(context: TileContext, value: float) -> PlayState:
    """Give its lamps a value, in the attribute's unit."""
    if not math.isfinite(value) or not context.tile.attribute:
        return context.state
    low, high = span(context.tile)
    value = min(high, max(low, value))
    lamps = fixtures_of(context.show, context.tile.of)
    look: Look = {fixture: {context.tile.attribute: value} for fixture in lamps}
    return hands.give(context.state, context.tile.id, look) if look else context.state


def set_value(context: TileContext, do: Do) -> PlayState:
    """Turn it to a value, in the unit of what it turns."""
    dial = context.tile
    if not math.isfinite(do.value):
        return context.state
    if dial.turns == Turns.ATTRIBUTE:
        return set_attribute(context, do.value)
    if dial.turns == Turns.FADE:
        return set_fade(context, max(0.0, do.value))
    return _drive(context, replace(do, verb=Verb(str(dial.turns))))


def as_stored(context: TileContext, do: Do) -> PlayState:
    """Back to what is stored: let go of what it gives lamps."""
    if do.edge == Edge.UP:
        return context.state
    dial, state = context.tile, context.state
    if dial.turns == Turns.ATTRIBUTE:
        return hands.let_go(state, dial.id, context.now)
    if dial.turns == Turns.FADE:
        own = {tile.id for tile in faded(context.show, dial)}
        times = {i: t for i, t in state.fade_times.items() if i not in own}
        return replace(state, fade_times=times)
    verb = {Turns.RATE: Verb.RATE, Turns.SIZE: Verb.SIZE}.get(dial.turns, Verb.PHASE)
    value = 0.0 if verb == Verb.PHASE else 1.0
    return _drive(context, replace(do, verb=verb, value=value))
