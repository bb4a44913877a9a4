"""What acting does to what plays: `Do` and a state become the next state.

A registry entry a kind: tiles in `tiles.py`, masters in `masters.py`, what plays in
`kinds.py`.
"""

from __future__ import annotations

import math

import msgspec

from choreon.engine.actions import (
    cues,
    deeds,
    driving,
    lamps,
    masters,
    moments,
    opening,
    overrides,
    players,
    tiles,
)
from choreon.engine.actions.kinds import KINDS
from choreon.engine.actions.levels import within
from choreon.engine.actions.players import RoutesByRef
from choreon.engine.do import Do
from choreon.language import tr
from choreon.model.masters import Override
from choreon.model.refs import (
    DEED,
    LAMPS,
    MASTER,
    PAGE,
    PLAYER,
    TILE,
    WALK,
    Ref,
    exists,
    to_deed,
)
from choreon.model.show import Show
from choreon.model.tiles import MasterTile, Pad, Page, parts
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Envelope, Fades, Player, PlayState

replace = msgspec.structs.replace

EVERYTHING = Ref(PLAYER, "")
"""All that is on."""


class NotTaken(ValueError):
    """A verb was asked of a thing that does not take it."""


def perform(
    show: Show,
    state: PlayState,
    do: Do,
    now: float,
    ways: RoutesByRef | None = None,
    by: str = "",
) -> PlayState:
    """Returns the state after something was done; the same where what it points at is
    gone. `ways`: how heads of what starts reach their points. `by`: the
    hand that does it. Raises NotTaken.
    """
    if not math.isfinite(do.value):
        raise NotTaken(
            tr(
                "{ref}: “{verb}” needs a number, not {value}",
                ref=do.ref,
                verb=do.verb,
                value=do.value,
            )
        )

    after = _perform(show, state, do, now, ways or {}, by)
    if after is None:
        raise NotTaken(tr("{ref} does not take “{verb}”", ref=do.ref, verb=do.verb))
    if after is state:
        return after

    after = cues.begun(show, after, now)
    if do.ref in NOT_REMEMBERED:
        return after

    return moments.remembered(state, after, do.verb, do.edge, now)


NOT_REMEMBERED = (to_deed("undo"),)


def _perform(
    show: Show, state: PlayState, do: Do, now: float, ways: RoutesByRef, by: str
) -> PlayState | None:
    if do.ref.kind == TILE:
        return tiles.act(show, state, do, now, ways, by)
    if do.ref.kind == MASTER:
        return masters.act(show, state, do, now)
    if do.ref.kind == PLAYER:
        return _to_player(show, state, do, now, ways)
    if do.ref.kind == DEED:
        return _deed(show, state, do, now)
    if do.ref.kind == LAMPS:
        return lamps.act(show, state, do, now)

    if do.ref.kind == PAGE:
        page = show.pages.get(do.ref.id)
        return state if page is None else opening.open_page(show, state, page, now)

    if do.ref.kind == WALK or not exists(show, do.ref):
        return state  # the window does it, or it is gone
    if players.playable_of(show, do.ref) is None:
        return None
    if do.verb == Verb.START:
        return _start(show, state, do, now, ways, by)
    if do.verb in KINDS[do.ref.kind].acts:
        return _step_by_hand(show, state, do, now, ways, by)

    return _press(show, state, do, now, ways, by)


def _deed(show: Show, state: PlayState, do: Do, now: float) -> PlayState:
    """One of the deeds that need nothing else; done on the way down."""
    deed = deeds.DEEDS.get(do.ref.id)
    return state if deed is None or do.edge == Edge.UP else deed(show, state, now)


def _press(
    show: Show, state: PlayState, do: Do, now: float, ways: RoutesByRef, by: str
) -> PlayState | None:
    """Something that plays, without a tile: as a pad of its own."""
    pad = Pad(id=str(do.ref), plays=parts(do.ref))
    return tiles.act_on(show, state, Page(id="", name=""), pad, do, now, ways, by)


def _step_by_hand(
    show: Show, state: PlayState, do: Do, now: float, ways: RoutesByRef, by: str
) -> PlayState | None:
    """Something that has cues goes on, wherever it is on; GO starts it where it is not,
    and going to a cue starts it there.
    """
    on = players.playing_now(state, do.ref)
    for player in on:
        state = driving.drive(show, state, player, do, now, ways)
    if on or do.verb not in (Verb.GO, Verb.STEP) or do.edge == Edge.UP:
        return state

    if do.verb == Verb.STEP and not cues.has_step(show, do):
        return state

    begun = _press(show, state, replace(do, verb=Verb.PRESS), now, ways, by)
    if begun is None or do.verb == Verb.GO:
        return begun
    for player in players.playing_now(begun, do.ref):
        # from nothing that is there wholly, by the times of the cue that is gone to
        whole = replace(player, weight=Envelope())
        begun = players.put(begun, whole)
        begun = driving.drive(show, begun, whole, do, now, ways)
    return begun


def _start(
    show: Show, state: PlayState, do: Do, now: float, ways: RoutesByRef, by: str
) -> PlayState | None:
    """On at once, without its time to come in; as it is where it is on already."""
    on = (player for player in state.players if not player.releasing)
    if any(player.ref == do.ref for player in on):
        return state
    press = replace(do, verb=Verb.PRESS)
    after = _press(_without_fade_in(show, do.ref), state, press, now, ways, by)
    return None if after is None else cues.begun(show, after, now, at_once=True)


def _without_fade_in(show: Show, ref: Ref) -> Show:
    """The show with something that plays coming in at once."""
    playable = players.playable_of(show, ref)
    assert playable is not None
    quick = players.timed(playable, Fades(fade_in=0.0))
    return replace(show, playables={**show.playables, ref.id: quick})


def _to_player(
    show: Show, state: PlayState, do: Do, now: float, ways: RoutesByRef
) -> PlayState | None:
    """What is done to something that is on, or to all of it."""
    if do.verb == Verb.RELEASE and do.ref == EVERYTHING:
        return deeds.let_go(show, state, now)
    player = state.player(do.ref.id)
    if do.verb == Verb.RELEASE:
        return players.release(show, state, do.ref.id, now)
    if do.verb == Verb.LEVEL:
        return state if player is None else _levelled(state, player, do.value)
    if do.verb not in driving.MOVING:
        return None
    if player is None:
        return state
    return driving.drive(show, state, player, do, now, ways)


def _levelled(state: PlayState, player: Player, level: float) -> PlayState:
    """Something that is on at another level; at 0 it is let go by the hand."""
    level = within(level)
    if level <= 0.0:
        return players.without(state, player.id)
    return players.change(state, player, lambda p: replace(p, level=level))


def hands_off(show: Show, state: PlayState, by: str, now: float) -> PlayState:
    """Returns the state without what a hand that is gone held."""
    for player in state.players:
        if by not in player.held or player.lifts:
            continue
        left = tuple(hand for hand in player.held if hand != by)
        state = players.put(state, replace(player, held=left))
        if not left:
            state = players.release(show, state, player.id, now)
    return state


def level_of(show: Show, state: PlayState, ref: Ref) -> float | None:
    """Returns the level of what a ref leads to, 0…1, as lights and drawings show it;
    None where it leads nowhere.
    """
    if ref.kind == MASTER:
        return masters.level_of(show, state, ref.id)
    if ref.kind == DEED:
        return 0.0
    if ref.kind == LAMPS:
        return lamps.level_of(show, state, ref)
    if ref.kind == TILE:
        found = show.tile(ref.id)
        return tiles.level_of(show, state, *found) if found else None
    if players.playable_of(show, ref) is None:
        return None
    on = players.playing_now(state, ref)
    return max((player.level for player in on), default=0.0)


def grips(show: Show, state: PlayState, ref: Ref) -> bool:
    """Returns whether moving a fader takes hold of lamps wherever it stands: an
    override fader's that is not in hand.
    """
    found = show.tile(ref.id) if ref.kind == TILE else None
    if found is not None and isinstance(found[1], MasterTile):
        ref = found[1].drives
    is_override = isinstance(show.masters.get(ref.id), Override)
    return ref.kind == MASTER and is_override and not overrides.is_held(state, ref.id)
