"""What is on when a show, or a page, is opened."""

from __future__ import annotations

from collections.abc import Iterable

from choreon.engine.actions import choices, envelopes, masters, players, tiles
from choreon.engine.actions.tile_context import TileContext, playing
from choreon.engine.do import Do
from choreon.model.refs import MASTER, TILE, Ref
from choreon.model.show import Show
from choreon.model.tiles import Choice, Page, Start
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState


def opened(show: Show, state: PlayState, now: float) -> PlayState:
    """Returns the state with what is on when the show opens; choices of which one is
    always on have one.
    """
    state = open_all(show, state, show.opens, now)
    for page in show.pages.values():
        state = _begun(show, state, page, now)
    return state


def open_page(show: Show, state: PlayState, page: Page, now: float) -> PlayState:
    """Returns the state with what a page does when it is opened."""
    return _begun(show, open_all(show, state, page.opens, now), page, now)


def open_all(
    show: Show, state: PlayState, starts: Iterable[Start], now: float
) -> PlayState:
    """Bring things to their levels: what plays in its own time."""
    for one in starts:
        state = _open(show, state, one, now)
    return state


def starts(show: Show, opens: Iterable[Start], pages: Iterable[Page]) -> list[Ref]:
    """Returns what plays that opening something may start."""
    found: list[Ref] = []
    for one in opens:
        known = show.tile(one.ref.id) if one.ref.kind == TILE else None
        found += [one.ref] if known is None else known[1].leads_to
    for page in pages:
        for tile in page.tiles:
            if isinstance(tile, Choice) and tile.always:
                found += tile.leads_to[:1]
    return [ref for ref in found if players.playable_of(show, ref) is not None]


def _begun(show: Show, state: PlayState, page: Page, now: float) -> PlayState:
    for tile in page.tiles:
        if isinstance(tile, Choice) and tile.always:
            state = choices.begin(TileContext(show, page, tile, state, now, {}))
    return state


def _open(show: Show, state: PlayState, one: Start, now: float) -> PlayState:
    if one.ref.kind == MASTER:
        do = Do(one.ref, Verb.LEVEL, one.level, Edge.TURN)
        after = masters.act(show, state, do, now)
        return state if after is None else after
    if one.ref.kind == TILE:
        return _open_tile(show, state, one, now)
    playable = players.playable_of(show, one.ref)
    if playable is None or state.player(str(one.ref)) is not None:
        return state
    return players.start(
        state, str(one.ref), playable, now, envelopes.coming(playable, now), one.level
    )


def _open_tile(show: Show, state: PlayState, one: Start, now: float) -> PlayState:
    found = show.tile(one.ref.id)
    if found is None:
        return state
    page, tile = found
    hand = TileContext(show, page, tile, state, now, {})
    if hand.playing:
        return tiles.bring_in(hand, one.level)
    do = Do(one.ref, tiles.natural(tile), one.level, Edge.TURN)
    after = tiles.act(show, state, do, now, {})
    return state if after is None else after


def without_others(
    show: Show, state: PlayState, normal: set[Ref], now: float
) -> PlayState:
    """Returns the state with all let go that does not belong to what is normal, nor to
    choices of which one is always on.
    """
    stays = set()
    for page in show.pages.values():
        for tile in page.tiles:
            always = isinstance(tile, Choice) and tile.always
            if tile.ref in normal or always:
                stays |= {
                    (one.player_id, one.part.ref) for one in playing(show, page, tile)
                }

    for player in state.players:
        if player.lifts or (player.id, player.ref) in stays or player.ref in normal:
            continue

        state = players.release(show, state, player.id, now)

    return state
