"""What doing something may bring: looked at ahead of it, so that it is made ready."""

from __future__ import annotations

from choreon.engine.actions import cues, opening, players, tiles
from choreon.engine.actions.tile_context import playing
from choreon.engine.do import Do
from choreon.model.refs import DEED, PAGE, PLAYER, TILE, Ref
from choreon.model.show import Show
from choreon.model.tiles import CueTile, Pad
from choreon.model.verbs import Verb
from choreon.render.state import Player, PlayState

CUE_VERBS = (Verb.GO, Verb.NEXT, Verb.BACK, Verb.STEP)
"""What may bring something to another cue."""


def may_start(show: Show, state: PlayState, do: Do) -> list[Ref]:
    """Returns what doing something may start."""
    if do.ref.kind == DEED:
        return _of_deed(show, state, do.ref.id)
    if do.ref.kind == PAGE:
        page = show.pages.get(do.ref.id)
        return [] if page is None else opening.starts(show, page.opens, (page,))
    if do.verb in CUE_VERBS and players.playing_now(state, do.ref):
        return []  # it goes on from where it is
    if do.ref.kind != TILE:
        return [do.ref] if players.playable_of(show, do.ref) is not None else []

    found = show.tile(do.ref.id)
    return [] if found is None else tiles.may_start(show, state, *found, do)


def _of_deed(show: Show, state: PlayState, deed: str) -> list[Ref]:
    """What a deed may start."""
    if deed == "safe":
        return [part.ref for part in show.safe]
    if deed == "normal":
        return opening.starts(show, show.opens, show.pages.values())
    if deed == "undo" and state.past:
        return [player.ref for player in state.past[-1].players]
    return []


def driven(show: Show, state: PlayState, do: Do) -> list[Player]:
    """Returns the players that are on and would be brought to another of their cues by
    doing something.
    """
    return [p for p in _reached(show, state, do) if cues.cursor_of(p) is not None]


def _reached(show: Show, state: PlayState, do: Do) -> list[Player]:
    """The players that are on and that doing something goes to."""
    found = show.tile(do.ref.id) if do.ref.kind == TILE else None
    if found is not None and isinstance(found[1], CueTile):
        return players.playing_now(state, found[1].of)
    if do.verb not in CUE_VERBS:
        return []

    if found is not None:
        on = (one.is_on(state) for one in playing(show, *found))
        return [player for player in on if player is not None]
    if do.ref.kind == PLAYER:
        player = state.player(do.ref.id)
        return [] if player is None else [player]
    return players.playing_now(state, do.ref)


def exclusive(show: Show, ref: Ref) -> list[Ref]:
    """Returns what else the choice of a pad can go to; nothing for all else."""
    found = show.tile(ref.id) if ref.kind == TILE else None
    if found is None:
        return []

    page, tile = found
    if not isinstance(tile, Pad) or not tile.choice:
        return []
    return [
        part.ref
        for other in page.tiles
        if isinstance(other, Pad) and other.choice == tile.choice and other is not tile
        for part in other.plays
    ]
