"""What a tied control asks for when it is moved. Pure functions, a tie at a time."""

from __future__ import annotations

from typing import NamedTuple

from choreon.engine import actions
from choreon.engine.actions import dials, tiles
from choreon.engine.do import Do
from choreon.engine.inputs.soft_takeover import taken
from choreon.model.inputs import AnyInput, Coding, Control, is_key
from choreon.model.refs import (
    BLACKOUT,
    CHOOSE,
    CHOSEN,
    DEED,
    EDIT,
    LAMPS,
    MASTER,
    TILE,
    TURN,
    WALK,
    Ref,
)
from choreon.model.show import Show
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState

TOP = 127
HALF = 0.5  # of its way, above which a fader has pressed what can only be pressed
OF_THE_WINDOW = frozenset((CHOOSE, CHOSEN, EDIT, TURN, WALK))
"""Kinds of targets that the window acts on, and no engine."""

TURNED = frozenset(
    (Verb.LEVEL, Verb.SWITCH, Verb.VALUE, Verb.RATE, Verb.SIZE, Verb.PHASE, Verb.FADE)
)
"""Verbs that take a place between two ends; all others are done by a press."""


class ControlMove(NamedTuple):
    """A control was moved to `value`, 0…1; of a key 0 is its end. Of a dial without an
    end `steps` is how far it was turned since the move before that was taken. `first`:
    where it came by first, where it was moved on before that was taken.
    """

    control: Control
    value: float
    steps: int = 0
    first: float | None = None


class Stands(NamedTuple):
    """Where a control was before it was moved, 0…1; None where that is not known."""

    before: float | None

    @property
    def pressed(self) -> bool:
        """Whether it was in its upper half."""
        return self.before is not None and self.before >= HALF


def turned(show: Show, target: Ref) -> Verb:
    """Returns what turning a control does to its target."""
    if target.kind == TILE:
        found = show.tile(target.id)
        return tiles.natural(found[1]) if found else Verb.LEVEL
    if target.kind in (MASTER, LAMPS) and target != BLACKOUT:
        return Verb.LEVEL
    return Verb.PRESS if target.kind == DEED else Verb.SWITCH


def verb_of(show: Show, tie: AnyInput) -> Verb:
    """Returns what is asked of a tie's target."""
    if tie.does is not None:
        return tie.does
    return Verb.PRESS if is_key(tie.control) else turned(show, tie.target)


def likely(show: Show, tie: AnyInput, move: ControlMove, stood: Stands) -> list[Do]:
    """Returns what a tie most likely asks for, whatever is on: what a press may start
    is made ready by it. Nothing where the window acts, or a key is let go that does
    nothing then.
    """
    if tie.target.kind in OF_THE_WINDOW:
        return []

    verb = verb_of(show, tie)
    if verb in TURNED:
        return _placed(tie, verb, move)
    return _pressed(tie, verb, move, stood)


def _placed(tie: AnyInput, verb: Verb, move: ControlMove) -> list[Do]:
    """A place between two ends: a key goes to the upper one."""
    if is_key(tie.control):
        value = tie.answer.high if move.value > 0.0 else None
    else:
        value = tie.answer.value(move.value)
    if value is None:
        return []
    return [Do(tie.target, verb, _in_its_unit(verb, value), Edge.TURN)]


def _in_its_unit(verb: Verb, share: float) -> float:
    """What a share of the way means to a verb."""
    if verb == Verb.RATE:
        return dials.rate_at(share)
    return dials.fade_at(share) if verb == Verb.FADE else share


def _pressed(tie: AnyInput, verb: Verb, move: ControlMove, stood: Stands) -> list[Do]:
    """A press. What is moved along presses where it passes its middle, and a key that
    holds for itself each time that it says anything.
    """
    down = Do(tie.target, verb, move.value, Edge.DOWN)
    up = Do(tie.target, verb, 0.0, Edge.UP)
    if tie.toggles:
        return [down, up] if verb == Verb.PRESS else [down]

    if is_key(tie.control):
        is_down = move.value > 0.0
    else:
        is_down = move.value >= HALF
        if is_down == stood.pressed:
            return []

    if is_down:
        return [down]
    return [up] if verb == Verb.PRESS else []


def asked(
    show: Show, state: PlayState, tie: AnyInput, move: ControlMove, stood: Stands
) -> list[Do]:
    """Returns what a tie asks for while this is on: what has a place between two ends
    is taken hold of without a jump, or turned on from where it is.
    """
    dos = likely(show, tie, move, stood)
    if len(dos) != 1 or dos[0].verb != Verb.LEVEL or is_key(tie.control):
        return dos

    level = actions.level_of(show, state, tie.target)
    answer = tie.answer
    if tie.coding != Coding.PLACE:
        way = answer.turned(answer.way(level or 0.0), move.steps)
    elif level is None or actions.grips(show, state, tie.target):
        way = move.value
    else:
        here = answer.way(level)
        before = stood.before
        if before is None and move.first is not None:
            # its first place says whether it held at once
            held = taken(None, here, move.first, answer.pickup) != here
            before = here if held else move.first
        way = taken(before, here, move.value, answer.pickup)
        if way == here:
            return [Do(tie.target, Verb.LEVEL, level, Edge.TURN)]

    return [Do(tie.target, Verb.LEVEL, answer.value(way), Edge.TURN)]
