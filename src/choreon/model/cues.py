"""Edits of stacks: their cues, numbers and times. Pure functions from show to show."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Collection, Iterable, Sequence
from typing import Any

import msgspec

from choreon.language import sentences, tr
from choreon.model import edits
from choreon.model.effects import beside
from choreon.model.motion import Effects
from choreon.model.playables import Scene, Stack
from choreon.model.playables.nesting import DEEPEST, contains, in_words, too_deep
from choreon.model.playables.stack import Cue, Follow, FollowKind, number_in_words
from choreon.model.refs import Ref, name_of
from choreon.model.show import Show
from choreon.model.tiles import Part
from choreon.model.values import Look

replace = msgspec.structs.replace

MOST_NUMBER = 99_999.0
FINEST = 3  # decimals of a number


class NumberTaken(ValueError):
    """A cue was to have the number of another one."""


class PlaysItself(ValueError):
    """A cue was to play its own stack, or what lies too deep within others."""


def stack_of(show: Show, ref: Ref) -> Stack:
    """Returns the stack that a ref leads to. Raises KeyError where there is none."""
    found = show.playables.get(ref.id)
    if not isinstance(found, Stack):
        raise KeyError(ref.id)
    return found


def stacks_of(show: Show) -> list[Stack]:
    """Returns all stacks in their order."""
    return [one for one in show.playables.values() if isinstance(one, Stack)]


def keep_stack(show: Show, name: str, **fields: Any) -> tuple[Show, Ref]:
    """Store a new stack; returns the show and its ref."""
    name = edits.fresh_name(
        name.strip() or tr("Stack"), edits.names_in(show, "playables")
    )
    stack_id = edits.fresh_id(name, show.playables)
    stack = Stack(id=stack_id, name=name, fade_in=3.0, fade_out=3.0)
    stack = replace(stack, **fields)
    return edits.put(show, "playables", stack), stack.ref


# cues


def cue_of(
    name: str = "",
    plays: tuple[Part, ...] = (),
    look: Look | None = None,
    effects: Effects = (),
    **fields: Any,
) -> Cue:
    """Returns a cue that has no number yet: it gets one where it is put."""
    own = {"id": "", "number": 0.0, **fields}
    return Cue(name=name, plays=plays, look=look or {}, effects=effects, **own)


def add_cues(
    show: Show, ref: Ref, cues: Sequence[Cue], after: str | None = None
) -> tuple[Show, tuple[str, ...]]:
    """Put cues into a stack behind the one called `after` (None: at the end; empty: as
    the first), under numbers that lie between; returns the show and their ids. Raises
    PlaysItself.
    """
    for cue in cues:
        for part in cue.plays:
            _refuse_itself(show, ref, part.ref)

    stack = stack_of(show, ref)
    place = _place_after(stack, after)
    taken = {cue.id for cue in stack.cues}
    fresh = []

    for cue in cues:
        cue_id = edits.fresh_id(cue.id or "cue", taken)
        taken.add(cue_id)
        fresh.append(replace(cue, id=cue_id))

    them = _with_numbers([*stack.cues[:place]], fresh, [*stack.cues[place:]])
    changed = edits.put(show, "playables", replace(stack, cues=tuple(them)))
    _refuse_depth(changed, ref)
    return changed, tuple(cue.id for cue in fresh)


def _place_after(stack: Stack, after: str | None) -> int:
    """Where in the list what is put behind a cue lies."""
    if after is None:
        return len(stack.cues)
    place = stack.place_of(after)
    return 0 if place is None else place + 1


def _with_numbers(
    before: list[Cue], fresh: Sequence[Cue], behind: list[Cue]
) -> list[Cue]:
    """Cues with those between numbered; where there is no room for that all that comes
    behind is counted on.
    """
    low = before[-1].number if before else None
    high = behind[0].number if behind else None
    numbers = numbers_between(low, high, len(fresh))

    if numbers is None:
        first = 1.0 if low is None else math.floor(low) + 1.0
        counted = [*fresh, *behind]
        return [
            *before,
            *(replace(cue, number=first + n) for n, cue in enumerate(counted)),
        ]

    pairs = zip(fresh, numbers, strict=True)
    return [*before, *(replace(cue, number=n) for cue, n in pairs), *behind]


def numbers_between(
    low: float | None, high: float | None, count: int
) -> list[float] | None:
    """Returns so many numbers between two, whole ones where there is room, else tenths,
    hundredths, thousandths; None where there is room for none of these.
    """
    for decimals in range(FINEST + 1):
        step = 10.0**-decimals
        begin = 0.0 if low is None else low
        first = math.floor(begin / step + 1e-6) + 1
        if high is None:
            return [round((first + n) * step, decimals) for n in range(count)]

        # where the first is to lie below another one, it may be below 1
        last = math.ceil(high / step - 1e-6) - 1
        room = last - first + 1
        if room >= count:
            # in the middle of the room, so that more finds room on both sides
            spread = room // count if decimals else 1
            begin_at = first + (spread - 1) // 2
            if decimals and spread > 1:
                begin_at = first + (room - (count - 1) * spread - 1) // 2
            return [
                round((begin_at + n * spread) * step, decimals) for n in range(count)
            ]

    return None


def remove_cues(show: Show, ref: Ref, ids: Collection[str]) -> Show:
    """The show without some cues of a stack."""
    stack = stack_of(show, ref)
    kept = tuple(cue for cue in stack.cues if cue.id not in ids)
    return edits.put(show, "playables", replace(stack, cues=kept))


def change_cues(show: Show, ref: Ref, ids: Collection[str], **fields: Any) -> Show:
    """The show with the same said of some cues of a stack. Raises PlaysItself."""
    return made_of_cues(show, ref, ids, lambda cue: replace(cue, **fields))


def made_of_cues(
    show: Show, ref: Ref, ids: Collection[str], make: Callable[[Cue], Cue]
) -> Show:
    """The show with some cues of a stack put through a function. Raises
    PlaysItself.
    """
    stack = stack_of(show, ref)
    made = tuple(make(cue) if cue.id in ids else cue for cue in stack.cues)
    for cue in made:
        if cue.id in ids:
            for part in cue.plays:
                _refuse_itself(show, ref, part.ref)

    changed = edits.put(show, "playables", replace(stack, cues=made))
    _refuse_depth(changed, ref)
    return changed


def add_parts(show: Show, ref: Ref, ids: Collection[str], refs: Iterable[Ref]) -> Show:
    """The show with things among those that some cues play. Raises PlaysItself."""
    refs = list(refs)

    def with_them(cue: Cue) -> Cue:
        there = {part.ref for part in cue.plays}
        fresh = tuple(Part(one) for one in refs if one not in there)
        return replace(cue, plays=(*cue.plays, *fresh))

    return made_of_cues(show, ref, ids, with_them)


def set_number(show: Show, ref: Ref, cue_id: str, number: float) -> Show:
    """The show with a cue under another number, in the place that this gives it. Raises
    NumberTaken, ValueError where it is no number for a cue.
    """
    stack = stack_of(show, ref)
    if not 0.0 <= number <= MOST_NUMBER:
        raise ValueError(
            tr("A cue's number is between 0 and {most}.", most=f"{MOST_NUMBER:.0f}")
        )

    number = round(number, FINEST)
    for cue in stack.cues:
        if cue.number == number and cue.id != cue_id:
            raise NumberTaken(
                tr(
                    "There is a cue {number} already; this one keeps its number.",
                    number=number_in_words(number),
                )
            )

    made = [replace(c, number=number) if c.id == cue_id else c for c in stack.cues]
    made.sort(key=lambda cue: cue.number)
    return edits.put(show, "playables", replace(stack, cues=tuple(made)))


def renumber(show: Show, ref: Ref, first: float = 1.0, step: float = 1.0) -> Show:
    """The show with the cues of a stack counted anew."""
    stack = stack_of(show, ref)
    made = tuple(
        replace(cue, number=round(first + n * step, FINEST))
        for n, cue in enumerate(stack.cues)
    )
    return edits.put(show, "playables", replace(stack, cues=made))


def move_cues(show: Show, ref: Ref, ids: Collection[str], index: int) -> Show:
    """The show with some cues of a stack before the one that is at `index`, under
    numbers that lie there.
    """
    stack = stack_of(show, ref)
    moved = [cue for cue in stack.cues if cue.id in ids]
    before = [cue for cue in stack.cues[:index] if cue.id not in ids]
    behind = [cue for cue in stack.cues[index:] if cue.id not in ids]
    made = _with_numbers(before, moved, behind)
    if [cue.id for cue in made] == [cue.id for cue in stack.cues]:
        return show
    return edits.put(show, "playables", replace(stack, cues=tuple(made)))


def repeat_cues(
    show: Show, ref: Ref, ids: Collection[str]
) -> tuple[Show, tuple[str, ...]]:
    """The show with some cues of a stack once more, behind the last of them; returns
    the ids of those.
    """
    chosen = [cue for cue in stack_of(show, ref).cues if cue.id in ids]
    if not chosen:
        return show, ()
    copies = [replace(cue, id="cue") for cue in chosen]
    return add_cues(show, ref, copies, chosen[-1].id)


# changed on purpose


def into_cue(
    show: Show, ref: Ref, cue_id: str, look: Look, effects: Effects = ()
) -> Show:
    """The show with a look laid over the own look of a cue."""

    def laid(cue: Cue) -> Cue:
        whole = edits.merge_looks(cue.look, look)
        return replace(cue, look=whole, effects=beside(cue.effects, effects))

    return made_of_cues(show, ref, (cue_id,), laid)


def put_back(
    show: Show, ref: Ref, cue_id: str, look: Look, effects: Effects = ()
) -> Show:
    """The show with a look in the place of the own look of a cue."""
    return change_cues(show, ref, (cue_id,), look=look, effects=effects)


def into_scene(show: Show, scene: Ref, look: Look) -> tuple[Show, Look]:
    """The show with those values of a look in a scene that the scene gives itself;
    returns what is left of the look.
    """
    found = show.playables.get(scene.id)
    if not isinstance(found, Scene):
        return show, look

    taken: Look = {}
    rest: Look = {}
    for fixture, values in look.items():
        given = found.look.get(fixture, {})
        own = {name: value for name, value in values.items() if name in given}
        left = {name: value for name, value in values.items() if name not in given}
        if own:
            taken[fixture] = own
        if left:
            rest[fixture] = left

    if not taken:
        return show, look
    return edits.change(show, scene, look=edits.merge_looks(found.look, taken)), rest


def users_of(show: Show, thing: Ref, but: tuple[Ref, str] | None = None) -> list[str]:
    """Returns the cues that play a thing, in words: “12 Mudlight of Low Tide”; `but`:
    one of them that is not named.
    """
    found = []
    for stack in stacks_of(show):
        for cue in stack.cues:
            plays = any(part.ref == thing for part in cue.plays)
            if plays and (stack.ref, cue.id) != but:
                number = number_in_words(cue.number)
                found.append(
                    tr("cue {number} of {stack}", number=number, stack=stack.name)
                )
    return found


def _refuse_itself(show: Show, ref: Ref, plays: Ref) -> None:
    if plays == ref or contains(show, plays, ref):
        raise PlaysItself(
            tr(
                "{name} plays this stack: the cue stays as it was.",
                name=name_of(show, plays),
            )
        )


def _refuse_depth(show: Show, ref: Ref) -> None:
    way = too_deep(show, ref)
    if way:
        raise PlaysItself(
            sentences(
                tr(
                    "Things that play others lie at most {deepest} deep within each "
                    "other.",
                    deepest=DEEPEST,
                ),
                tr("This would be too deep: {way}.", way=in_words(show, way)),
            )
        )


def taken(show: Show, ref: Ref, went: Sequence[tuple[str, float]]) -> Show:
    """Have the cues of a stack come by themselves, as they were gone to by hand: cues
    and times, in seconds, in the order in which they came. The first one is as it was.
    """
    after: dict[str, float] = {}
    for (_, before), (cue_id, at) in itertools.pairwise(went):
        after.setdefault(cue_id, at - before)
    for cue_id, seconds in after.items():
        follow = Follow(FollowKind.BEGUN, max(0.0, seconds))
        show = change_cues(show, ref, (cue_id,), follow=follow)
    return show
