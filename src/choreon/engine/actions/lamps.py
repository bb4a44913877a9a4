"""An attribute of certain lamps in a hand of its own: a control turns it, whoever is
chosen, and a press lets it go.
"""

from __future__ import annotations

import math

from choreon.engine.actions import hands
from choreon.engine.actions.levels import within
from choreon.engine.do import Do
from choreon.model import attributes
from choreon.model.lamps import fixtures_of
from choreon.model.refs import Ref, lamps_of
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState


def hand_of(ref: Ref) -> str:
    """Returns what the hand is called that gives lamps an attribute."""
    return f"control {ref.id}"


def level_of(show: Show, state: PlayState, ref: Ref) -> float | None:
    """Returns how far the lamps are on the attribute's way, 0…1; None where the hand
    gives them nothing.
    """
    name, _ = lamps_of(ref)
    held = hands.live_of(state, hand_of(ref))
    known = attributes.attribute(name)
    for values in held.look.values() if held is not None else ():
        value = values.get(name)
        if isinstance(value, float | int) and known.high > known.low:
            return within((value - known.low) / (known.high - known.low))
    return None


def act(show: Show, state: PlayState, do: Do, now: float) -> PlayState | None:
    """Returns the state after something was asked of the attribute of lamps; None for a
    verb that it does not take.
    """
    if do.verb in (Verb.LEVEL, Verb.SWITCH):
        return _give(show, state, do.ref, do.value)
    if do.verb == Verb.RELEASE:
        return hands.let_go(state, hand_of(do.ref), now)
    if do.verb != Verb.PRESS:
        return None
    if do.edge == Edge.UP:
        return state
    if hands.live_of(state, hand_of(do.ref)) is not None:
        return hands.let_go(state, hand_of(do.ref), now)
    return _give(show, state, do.ref, 1.0)


def _give(show: Show, state: PlayState, ref: Ref, share: float) -> PlayState:
    """Give the lamps a share of the attribute's way."""
    if not math.isfinite(share):
        return state
    name, of = lamps_of(ref)
    known = attributes.attribute(name)
    value = known.low + within(share) * (known.high - known.low)
    look: Look = {fixture: {name: value} for fixture in fixtures_of(show, (of,))}
    return hands.give(state, hand_of(ref), look) if look else state
