"""What hands give lamps beside what plays: live values of tiles, and lamps that are
aside. Pure functions from state to state.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable

import msgspec

from choreon.model.edits import merge_looks
from choreon.model.sameness import very_same
from choreon.model.values import Look
from choreon.render.state import HeldValues, PlayState, Ramp

replace = msgspec.structs.replace

LET_GO = 0.8  # seconds in which what a tile gave lamps leaves the stage
TAKES = 0.4  # seconds in which lamps that go aside stand still
COME = 1.0  # seconds in which lamps come to what a tile keeps for them
BACK = 2.0  # seconds in which lamps that were aside come back
MOST = 64  # hands that are remembered while they leave


def live_of(state: PlayState, tile: str) -> HeldValues | None:
    """Returns what a tile gives lamps, where it holds anything."""
    return next((h for h in state.live if h.id == tile and not h.leaving), None)


def give(state: PlayState, tile: str, look: Look) -> PlayState:
    """Have a tile give lamps values, over those that it gives already."""
    known = live_of(state, tile)
    if known is None:
        return replace(state, live=(*state.live[-MOST:], HeldValues(tile, look)))
    given = replace(known, look=merge_looks(known.look, look))
    return replace(state, live=tuple(given if h is known else h for h in state.live))


def let_go(state: PlayState, tile: str, now: float) -> PlayState:
    """What a tile gives lamps leaves the stage."""
    known = live_of(state, tile)
    if known is None:
        return state
    gone = replace(known, held=Ramp(known.held.at(now), 0.0, now, LET_GO))
    return replace(state, live=tuple(gone if h is known else h for h in state.live))


def let_all_go(state: PlayState, now: float) -> PlayState:
    """What any tile gives lamps leaves the stage."""
    for hand in state.live:
        state = let_go(state, hand.id, now)
    return state


# aside


def take(
    state: PlayState, hand_id: str, look: Look, now: float, seconds: float = TAKES
) -> PlayState:
    """Take lamps out of what plays, and give them values within `seconds`. Lamps that
    are aside already stay as they are.
    """
    taken = {i: values for i, values in look.items() if i not in state.aside}
    if not taken:
        return state
    hand = HeldValues(_free_id(state, hand_id), taken, Ramp(0.0, 1.0, now, seconds))
    return replace(state, asides=(*state.asides[-MOST:], hand))


def _free_id(state: PlayState, wanted: str) -> str:
    taken = {hand.id for hand in state.asides}
    free, number = wanted, 1
    while free in taken:
        number += 1
        free = f"{wanted} {number}"
    return free


def set_aside(state: PlayState, look: Look) -> PlayState:
    """Give lamps that are aside other values; those that are not are passed over."""
    hands = []
    for hand in state.asides:
        own = {} if hand.leaving else {i: v for i, v in look.items() if i in hand.look}
        hands.append(replace(hand, look=merge_looks(hand.look, own)) if own else hand)
    if very_same(hands, state.asides):
        return state
    return replace(state, asides=tuple(hands))


def bring_back(
    state: PlayState, fixtures: Iterable[str], now: float, seconds: float = BACK
) -> PlayState:
    """Bring lamps back to what plays, within `seconds`."""
    back = set(fixtures)
    hands: list[HeldValues] = []

    for hand in state.asides:
        own = {i: values for i, values in hand.look.items() if i in back}
        if hand.leaving or not own:
            hands.append(hand)
            continue

        out = Ramp(hand.held.at(now), 0.0, now, max(0.0, seconds))
        hands.append(HeldValues(f"{hand.id} back", own, out))
        kept = _without(hand, own)

        if kept.look:
            hands.append(kept)

    return replace(state, asides=tuple(hands))


def _without(hand: HeldValues, fixtures: Collection[str]) -> HeldValues:
    look = {i: values for i, values in hand.look.items() if i not in fixtures}
    return hand if len(look) == len(hand.look) else replace(hand, look=look)


def pruned(hands: tuple[HeldValues, ...], now: float) -> tuple[HeldValues, ...]:
    """Returns the hands without those that have left; the same where none has."""
    kept = tuple(h for h in hands if not (h.leaving and h.held.done(now)))
    return hands if len(kept) == len(hands) else kept
