"""Effects in looks: what they follow, and edits of them. Pure functions."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

import msgspec

from choreon.language import tr
from choreon.model.choosing import by_place
from choreon.model.motion import (
    MOTIONS,
    PALETTE,
    AnyMotion,
    Effect,
    Effects,
    Order,
    Rate,
    Spread,
)
from choreon.model.sameness import very_same
from choreon.model.show import Palette, Show

if TYPE_CHECKING:
    from choreon.model.playables import AnyPlayable

replace = msgspec.structs.replace

MOTION = "motion"  # the family of palettes that hold motions
GROUP = "group:"  # links to groups begin so


def motion_of(show: Show, effect: Effect) -> AnyMotion:
    """Returns the motion of an effect: its palette's, where it follows one that is
    there, else its own.
    """
    palette = show.palettes.get(effect.palette)
    held = palette.motion if palette is not None else None
    return effect.motion if held is None else held


def rate_of(show: Show, effect: Effect, all_effects: Effects) -> Rate:
    """Returns the rate at which an effect runs: that of the one whose clock it
    shares.
    """
    seen = {effect.id}
    lead = effect
    while lead.clock:
        found = next((e for e in all_effects if e.id == lead.clock), None)
        if found is None or found.id in seen:
            break
        seen.add(found.id)
        lead = found
    return motion_of(show, lead).rate


def fixtures_of(show: Show, effect: Effect) -> tuple[str, ...]:
    """Returns the fixtures that an effect moves, in its motion's order; those that do
    not hang are left out.
    """
    ids: Sequence[str] = effect.fixtures
    if effect.group:
        group = show.groups.get(effect.group)
        ids = group.fixtures if group is not None else effect.fixtures
    hung = [i for i in dict.fromkeys(ids) if i in show.fixtures]
    return in_order(show, hung, motion_of(show, effect).spread)


def in_order(show: Show, ids: Sequence[str], spread: Spread) -> tuple[str, ...]:
    """Returns fixtures in the order that a spread asks for."""
    if spread.order == Order.ACROSS:
        return by_place(show, ids)
    if spread.order == Order.NAME:
        return tuple(sorted(ids, key=lambda i: natural(show.fixtures[i].name)))
    if spread.order == Order.SHUFFLED:
        made = list(ids)
        random.Random(spread.seed).shuffle(made)
        return tuple(made)
    return tuple(ids)


def natural(name: str) -> tuple[tuple[int, object], ...]:
    """Returns a key that sorts names as people do: `Par 2` before `Par 10`."""
    parts: list[tuple[int, object]] = []
    digits = ""
    for letter in f"{name.lower()} ":
        if letter.isdigit():
            digits += letter
            continue
        if digits:
            parts.append((0, int(digits)))
            digits = ""
        parts.append((1, letter))
    return tuple(parts)


def links_of(show: Show, effects: Effects) -> Iterator[str]:
    """Returns every link that effects follow: palettes, marks, groups."""
    for effect in effects:
        if effect.palette:
            yield f"{PALETTE}{effect.palette}"
        if effect.group:
            yield f"{GROUP}{effect.group}"
        yield from links_in_motion(motion_of(show, effect))


def links_in_motion(motion: AnyMotion) -> Iterator[str]:
    """Returns every link in a motion."""
    return MOTIONS[motion.kind].links(motion)


def links_in(effects: Effects) -> Iterator[str]:
    """Returns every link that effects themselves have."""
    for effect in effects:
        if effect.palette:
            yield f"{PALETTE}{effect.palette}"
        if effect.group:
            yield f"{GROUP}{effect.group}"
        yield from links_in_motion(effect.motion)


def unlinked(show: Show, effects: Effects, link: str) -> Effects:
    """Returns effects with what a link comes to now in its place; the same object where
    none has it.
    """
    made = tuple(_unlinked(show, effect, link) for effect in effects)
    return effects if very_same(made, effects) else made


def _unlinked(show: Show, effect: Effect, link: str) -> Effect:
    if effect.palette and link == f"{PALETTE}{effect.palette}":
        effect = replace(effect, motion=motion_of(show, effect), palette="")
    if effect.group and link == f"{GROUP}{effect.group}":
        group = show.groups.get(effect.group)
        members = group.fixtures if group is not None else effect.fixtures
        effect = replace(effect, fixtures=members, group="")
    motion = motion_unlinked(show, effect.motion, link)
    return effect if motion is effect.motion else replace(effect, motion=motion)


def motion_unlinked(show: Show, motion: AnyMotion, link: str) -> AnyMotion:
    """Returns a motion with what a link comes to in its place."""
    made: AnyMotion = MOTIONS[motion.kind].unlinked(motion, show, link)
    return made


# effects of a look


def fresh_effect_id(effects: Iterable[Effect], words: str = "effect") -> str:
    """Returns an id that none of the effects has."""
    taken = {effect.id for effect in effects}
    number = 1
    while f"{words}-{number}" in taken:
        number += 1
    return f"{words}-{number}"


def with_effect(effects: Effects, effect: Effect) -> Effects:
    """Returns effects with one more, or with one changed."""
    if any(known.id == effect.id for known in effects):
        return tuple(effect if e.id == effect.id else e for e in effects)
    return (*effects, effect)


def without_effect(effects: Effects, effect_id: str) -> Effects:
    """Returns effects without one; what shared its clock keeps its own rate."""
    kept = (e for e in effects if e.id != effect_id)
    return tuple(replace(e, clock="") if e.clock == effect_id else e for e in kept)


def moved_effect(effects: Effects, effect_id: str, index: int) -> Effects:
    """Returns effects with one at another place, from 0."""
    moved = [e for e in effects if e.id == effect_id]
    rest = [e for e in effects if e.id != effect_id]
    rest[index:index] = moved
    return tuple(rest)


def merged(below: Effects, above: Effects) -> Effects:
    """Returns both; of two with the same id the one from `above`, in the place of the
    other.
    """
    newer = {effect.id: effect for effect in above}
    kept = [newer.pop(effect.id, effect) for effect in below]
    return (*kept, *newer.values())


def beside(below: Effects, above: Effects) -> Effects:
    """Returns both, those from `above` under ids that are not in use below."""
    made = list(below)
    names: dict[str, str] = {}
    for effect in above:
        own = effect.id
        if any(e.id == own for e in made):
            own = fresh_effect_id([*made, *above])
        names[effect.id] = own
        made.append(replace(effect, id=own))
    fresh = made[len(below) :]
    clocked = [replace(e, clock=names.get(e.clock, "")) for e in fresh]
    return (*below, *clocked)


def on_fixtures(show: Show, effects: Effects, fixtures: Iterable[str]) -> Effects:
    """Returns what effects are for some fixtures alone; those for none of them are left
    out.
    """
    wanted = set(fixtures)
    made = []

    for effect in effects:
        moved = fixtures_of(show, effect)
        own = tuple(i for i in moved if i in wanted)
        if len(own) == len(moved) and own:
            made.append(effect)
        elif own:
            cells = {i: c for i, c in effect.cells.items() if i in wanted}
            made.append(replace(effect, fixtures=own, group="", cells=cells))

    return tuple(made)


# in the whole show


def effects_changed(show: Show, make: Callable[[Effects], Effects]) -> Show:
    """Returns the show with the effects of every look put through `make`; what it
    returns as it was stays the same object.
    """
    from choreon.model import edits
    from choreon.model.playables import kind_of

    changed: list[AnyPlayable] = []
    for playable in show.playables.values():
        after = kind_of(playable).with_effects(playable, make)
        if after is not playable:
            changed.append(after)
    return edits.put(show, "playables", *changed) if changed else show


def keep_motion(show: Show, name: str, motion: AnyMotion) -> tuple[Show, str]:
    """Store a motion as a palette; returns the show and the palette's id."""
    from choreon.model import edits

    name = edits.fresh_name(
        name.strip() or tr("Motion"), edits.names_in(show, "palettes")
    )
    palette_id = edits.fresh_id(name, show.palettes)
    palette = Palette(id=palette_id, name=name, family=MOTION, motion=motion)
    return edits.put(show, "palettes", palette), palette_id


def update_motion(show: Show, palette_id: str, motion: AnyMotion) -> Show:
    """Give a motion palette another motion; all that follows it does so."""
    from choreon.model import edits

    palette = replace(show.palettes[palette_id], motion=motion)
    return edits.put(show, "palettes", palette)
