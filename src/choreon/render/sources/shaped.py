"""Playables of which only some families are taken."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from choreon.model import attributes as at
from choreon.model.effects import motion_of
from choreon.model.motion import ColourRoll, Effect, Effects, family
from choreon.model.playables import kind_of
from choreon.model.show import Show
from choreon.model.values import Look

replace = msgspec.structs.replace


def shaped(show: Show, playable: Any, only: Sequence[str]) -> Any:
    """Returns a playable with the values and effects of some families alone. What it
    plays of others is not touched: that is shaped when it is compiled.
    """
    kind = kind_of(playable)
    taken = kind.with_looks(kind.only(playable, only), lambda look: look_of(look, only))
    return kind.with_effects(taken, lambda effects: _effects_of(show, effects, only))


def look_of(look: Look, only: Sequence[str]) -> Look:
    """Returns the values of some families; raw values count as those of the device."""
    made: Look = {}
    for fixture, values in look.items():
        own = {n: v for n, v in values.items() if at.attribute(n).family in only}
        if own:
            made[fixture] = own
    return made


def _effects_of(show: Show, effects: Effects, only: Sequence[str]) -> Effects:
    made = []
    for effect in effects:
        motion = motion_of(show, effect)
        if family(motion) in only:
            made.append(_without_levels(effect, only))
    return tuple(made)


def _without_levels(effect: Effect, only: Sequence[str]) -> Effect:
    """A roll of colours whose brightness is not asked for."""
    motion = effect.motion
    dims = isinstance(motion, ColourRoll) and motion.brightness
    if not dims or at.Family.INTENSITY in only:
        return effect
    return replace(effect, motion=replace(motion, brightness=False), palette="")
