"""What acting does to what plays: `Do` and a state become the next state.

A registry entry a kind: tiles in `tiles.py`, masters in `masters.py`, what plays in
`kinds.py`.
"""

from __future__ import annotations

from choreon.engine.actions import masters, players, tiles
from choreon.engine.actions.players import Aims
from choreon.engine.do import Do
from choreon.model.refs import MASTER, PLAYER, TILE, WALK, Ref, exists
from choreon.model.show import Show
from choreon.model.tiles import Pad, Page
from choreon.model.verbs import Verb
from choreon.render.state import PlayState

EVERYTHING = Ref(PLAYER, "")
"""All that is on."""


class NotTaken(ValueError):
    """A verb was asked of a thing that does not take it."""


def perform(
    show: Show, state: PlayState, do: Do, now: float, aims: Aims | None = None
) -> PlayState:
    """Returns the state after something was done; the same where what it points at is
    gone. `aims`: the way in which heads of what starts reach their points. Raises
    NotTaken.
    """
    after = _perform(show, state, do, now, aims or {})
    if after is None:
        raise NotTaken(f"{do.ref} does not take “{do.verb}”")
    return after


def _perform(
    show: Show, state: PlayState, do: Do, now: float, aims: Aims
) -> PlayState | None:
    if do.ref.kind == TILE:
        return tiles.act(show, state, do, now, aims)
    if do.ref.kind == MASTER:
        return masters.act(show, state, do, now)
    if do.ref.kind == PLAYER:
        return _to_player(show, state, do, now)
    if do.ref.kind == WALK or not exists(show, do.ref):
        return state  # the window does it, or it is gone
    if players.playable_of(show, do.ref) is None:
        return None
    # Something that plays, without a tile: as a pad of its own.
    pad = Pad(id=str(do.ref), plays=do.ref)
    verb = tiles.TILES[Pad.kind].get(do.verb)
    hand = tiles.Pressed(show, Page(id="", name=""), pad, state, now, aims)
    return None if verb is None else verb(hand, do)


def _to_player(show: Show, state: PlayState, do: Do, now: float) -> PlayState | None:
    """What is done to something that is on, or to all of it."""
    if do.verb == Verb.RELEASE and do.ref == EVERYTHING:
        return players.release_all(show, state, now)
    if do.verb == Verb.RELEASE:
        return players.release(show, state, do.ref.id, now)
    if do.verb not in tiles.MOVING:
        return None
    player = state.player(do.ref.id)
    return state if player is None else tiles.drive(show, state, player, do, now)


def level_of(show: Show, state: PlayState, ref: Ref) -> float | None:
    """Returns the level of what a ref leads to, 0…1, as lights and drawings show it;
    None where it leads nowhere.
    """
    if ref.kind == MASTER:
        return masters.level_of(show, state, ref.id)
    found = show.tile(ref.id) if ref.kind == TILE else None
    return tiles.level_of(state, *found) if found else None


def plays(show: Show, ref: Ref) -> Ref | None:
    """Returns what acting on a ref may start; None where it starts nothing."""
    if ref.kind == TILE:
        found = show.tile(ref.id)
        return found[1].plays if found else None
    return ref if players.playable_of(show, ref) is not None else None


def exclusive(show: Show, ref: Ref) -> list[Ref]:
    """Returns what else the choice of a pad can go to; nothing for all else."""
    found = show.tile(ref.id) if ref.kind == TILE else None
    if found is None:
        return []
    page, tile = found
    if not isinstance(tile, Pad) or not tile.choice:
        return []
    return [
        other.plays
        for other in page.tiles
        if isinstance(other, Pad) and other.choice == tile.choice and other is not tile
    ]
