"""A stack: cues in an order, of which one is on at a time."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator
from enum import StrEnum
from typing import TYPE_CHECKING, ClassVar, NamedTuple

import msgspec

from choreon.language import listed, tr
from choreon.model.motion import Effects
from choreon.model.numbers import Number
from choreon.model.playables.base import Playable, PlayableKind, Times
from choreon.model.playables.nesting import contains, in_words, too_deep
from choreon.model.problem import Problem
from choreon.model.refs import Ref, exists
from choreon.model.sameness import very_same
from choreon.model.script import Paragraphs, TextPlace
from choreon.model.tiles import Part
from choreon.model.values import Look
from choreon.model.verbs import Verb

if TYPE_CHECKING:
    from choreon.model.show import Show

replace = msgspec.structs.replace

GUARD = 0.25  # seconds after a GO in which another one is not taken
LONGEST = 86_400.0  # seconds, a day: of a fade, a delay, a wait


class FollowKind(StrEnum):
    """What a cue waits for."""

    GO = "on GO"
    BEGUN = "after it began"
    COMPLETE = "after it was complete"
    BEAT = "on a beat"
    BAR = "on a bar"
    CLOCK = "at a time of day"


class Follow(msgspec.Struct, frozen=True, omit_defaults=True):
    """When a cue comes: on GO alone; `after` seconds after the cue before it began, or
    was complete; on the n-th beat or bar line since that began; or at a time of day, in
    seconds since midnight.
    """

    kind: FollowKind = FollowKind.GO
    after: Number = 0.0


ON_GO = Follow()


class LampTimes(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """How some lamps, those of `of` (groups, fixtures), come and go in a cue in times
    of their own; None takes those of the cue.
    """

    of: tuple[Ref, ...] = ()
    fade_in: Number | None = None
    fade_out: Number | None = None
    delay_in: Number | None = None
    delay_out: Number | None = None


class CueAct(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a cue does besides: a verb to something, as a hand would."""

    ref: Ref
    verb: Verb = Verb.SWITCH
    value: Number = 1.0


class Cue(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What is on after a GO, whole: things that play, and a look of its own above them.

    `number`: cues are counted by it, in tenths where one was put between others.
    `leaves`: what the cues before it gave stays, but for what this one names; a thing
    at level 0 is taken away. Times in seconds; None takes those of the stack. `times`:
    of families that come in their own. `lamps`: of lamps that have their own; the first
    that has a lamp counts. `does`: what is done besides, on GO. `at`: the word of the
    stack's text that it stands at.
    """

    id: str
    number: Number
    name: str = ""
    note: str = ""
    plays: tuple[Part, ...] = ()
    look: Look = {}
    effects: Effects = ()
    leaves: bool = False
    fade_in: Number | None = None
    fade_out: Number | None = None
    delay_in: Number = 0.0
    delay_out: Number = 0.0
    times: dict[str, Times] = {}
    lamps: tuple[LampTimes, ...] = ()
    follow: Follow = ON_GO
    does: tuple[CueAct, ...] = ()
    at: TextPlace | None = None


class Stack(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="stack"):
    """Cues that are gone to one after the other, in the order of their numbers.

    `fade_in`, `fade_out` and `times` of its base are those of cues that have none of
    their own. `guard`: seconds after a GO in which a hand's next one is not taken.
    `text`: the text that it is played to, a paragraph each. `dark_moves`: lamps that
    are dark go ahead to where the next cue wants them.
    """

    kind: ClassVar[str] = "stack"

    cues: tuple[Cue, ...] = ()
    guard: Number = GUARD
    text: Paragraphs = ()
    dark_moves: bool = True

    def cue(self, cue_id: str) -> Cue | None:
        """Returns the cue of an id, if there is one."""
        place = self.place_of(cue_id)
        return None if place is None else self.cues[place]

    def place_of(self, cue_id: str) -> int | None:
        """Returns the place of a cue in the list, from 0."""
        return _places(self.cues).get(cue_id)

    def after(self, number: float) -> Cue | None:
        """Returns the first cue with a higher number."""
        return next((cue for cue in self.cues if cue.number > number), None)

    def before(self, number: float) -> Cue | None:
        """Returns the last cue with a lower number."""
        lower = [cue for cue in self.cues if cue.number < number]
        return lower[-1] if lower else None


_KNOWN: dict[int, tuple[tuple[Cue, ...], dict[str, int]]] = {}
"""Where each cue is, of the lists that were asked for last."""
MOST_KNOWN = 16


def _places(cues: tuple[Cue, ...]) -> dict[str, int]:
    """The place of each cue by its id, found once for a list: a thousand cues are
    looked for again and again.
    """
    known = _KNOWN.get(id(cues))
    if known is not None and known[0] is cues:
        return known[1]

    # of an id that is there twice the first counts
    places = {cue.id: n for n, cue in reversed(list(enumerate(cues)))}
    for old in list(_KNOWN)[: len(_KNOWN) - MOST_KNOWN + 1]:
        _KNOWN.pop(old, None)
    _KNOWN[id(cues)] = cues, places
    return places


class Contents(NamedTuple):
    """What is on after a cue: things that play, the lowest first, and above them a look
    and its effects.
    """

    plays: tuple[Part, ...]
    look: Look
    effects: Effects


class CueTimes(NamedTuple):
    """In which seconds a cue comes: levels that rise, with all else, after `delay_in`;
    levels that fall after `delay_out`; families that have their own.
    """

    fade_in: float
    fade_out: float
    delay_in: float
    delay_out: float
    families: dict[str, Times]


def contents(stack: Stack, cue: Cue) -> Contents:
    """Returns what is on after a cue: of one that leaves what is there, with what the
    cues before it gave, back to the nearest that does not.
    """
    from choreon.model.effects import beside  # it knows the show

    if not cue.leaves:
        return Contents(_lit(cue.plays), cue.look, cue.effects)

    plays: dict[str, Part] = {}
    look: Look = {}
    effects: Effects = ()
    for one in chain(stack, cue):
        plays |= {key_of(part): part for part in one.plays}
        look = {
            **look,
            **{i: {**look.get(i, {}), **values} for i, values in one.look.items()},
        }
        effects = beside(effects, one.effects)

    return Contents(_lit(tuple(plays.values())), look, effects)


def _lit(plays: tuple[Part, ...]) -> tuple[Part, ...]:
    """Without what is taken away; of what is named twice the later one."""
    own = {key_of(part): part for part in plays}
    if len(own) == len(plays) and all(part.level > 0.0 for part in plays):
        return plays
    return tuple(part for part in own.values() if part.level > 0.0)


def key_of(part: Part) -> str:
    """Returns what tells something that a cue plays from the rest of it."""
    return " ".join([str(part.ref), *part.only])


def chain(stack: Stack, cue: Cue) -> list[Cue]:
    """Returns the cues whose contents a cue has: itself, and of one that leaves what is
    there those before it, back to the nearest that does not; the first one first.
    """
    place = stack.place_of(cue.id)
    found = [cue]
    while found[0].leaves and place:
        place -= 1
        found.insert(0, stack.cues[place])
    return found


def seconds(value: float | None, otherwise: float = 0.0) -> float:
    """Returns a time that can be played: none that is negative, or beyond a day."""
    wanted = otherwise if value is None else value
    return min(LONGEST, max(0.0, wanted)) if wanted == wanted else 0.0


def times_of(stack: Stack, cue: Cue) -> CueTimes:
    """Returns the times of a cue, those of the stack where it has none of its own."""
    return CueTimes(
        seconds(cue.fade_in, stack.fade_in),
        seconds(cue.fade_out, stack.fade_out),
        seconds(cue.delay_in),
        seconds(cue.delay_out),
        {**stack.times, **cue.times},
    )


def number_in_words(number: float) -> str:
    """“12”, “12.5”: at most three decimals."""
    return f"{round(number, 3):g}" if abs(number) < 100_000 else f"{number:.0f}"


def called(cue: Cue) -> str:
    """“12 Mudlight”."""
    number = number_in_words(cue.number)
    if not cue.name:
        return number
    return tr("{number} {name}", number=number, name=cue.name)


# what the model must know of it


def _check(show: Show, stack: Stack) -> Iterator[Problem]:
    found = [("cues", text) for text in _wrong_cues(show, stack)]
    if contains(show, stack.ref, stack.ref):
        text = tr("{name} contains itself; there it stays dark", name=stack.name)
        found.append(("cues", text))
    else:
        way = too_deep(show, stack.ref)
        if way:
            text = tr(
                "{name} is nested too deep ({words}); such cues stay dark",
                name=stack.name,
                words=in_words(show, way),
            )
            found.append(("cues", text))

    for part, text in found:
        yield Problem(f"playables/{stack.id}/{part}", text, "warning")


def _wrong_cues(show: Show, stack: Stack) -> Iterator[str]:
    for cue in stack.cues:
        gone = [str(ref) for ref in _refs(cue) if not exists(show, ref)]
        if gone:
            yield tr(
                "cue {cue} of {name} plays what is gone ({refs})",
                cue=called(cue),
                name=stack.name,
                refs=listed(gone, 3),
            )

    numbers = [cue.number for cue in stack.cues]
    twice = {number_in_words(n) for n in numbers if numbers.count(n) > 1}
    if twice:
        yield tr(
            "cue numbers of {name} are there twice ({numbers}): GO passes over the "
            "second; renumber them",
            name=stack.name,
            numbers=listed(sorted(twice), 3),
        )


def _refs(cue: Cue) -> list[Ref]:
    played = [part.ref for part in cue.plays]
    return list(dict.fromkeys([*played, *(act.ref for act in cue.does)]))


def _parts(stack: Stack) -> tuple[Ref, ...]:
    refs = [part.ref for cue in stack.cues for part in cue.plays]
    return tuple(dict.fromkeys(refs))


def _plays(stack: Stack) -> tuple[Ref, ...]:
    return tuple(dict.fromkeys(ref for cue in stack.cues for ref in _refs(cue)))


def _looks(stack: Stack) -> tuple[Look, ...]:
    return tuple(cue.look for cue in stack.cues)


def _with_looks(stack: Stack, change: Callable[[Look], Look]) -> Stack:
    made = []
    for cue in stack.cues:
        look = change(cue.look)
        made.append(cue if look is cue.look else replace(cue, look=look))
    return stack if very_same(made, stack.cues) else replace(stack, cues=tuple(made))


def _effects(stack: Stack) -> Effects:
    return tuple(effect for cue in stack.cues for effect in cue.effects)


def _with_effects(stack: Stack, change: Callable[[Effects], Effects]) -> Stack:
    made = []
    for cue in stack.cues:
        effects = change(cue.effects)
        same = effects is cue.effects
        made.append(cue if same else replace(cue, effects=effects))
    return stack if very_same(made, stack.cues) else replace(stack, cues=tuple(made))


def _times_of(stack: Stack) -> tuple[Ref, ...]:
    refs = [ref for cue in stack.cues for part in cue.lamps for ref in part.of]
    return tuple(dict.fromkeys(refs))


def _spelled_out(stack: Stack, group: Ref, fixtures: tuple[Ref, ...]) -> Stack:
    def of(part: LampTimes) -> LampTimes:
        if group not in part.of:
            return part
        place = part.of.index(group)
        instead = (*part.of[:place], *fixtures, *part.of[place + 1 :])
        return replace(part, of=tuple(dict.fromkeys(instead)))

    made = []
    for cue in stack.cues:
        lamps = tuple(of(part) for part in cue.lamps)
        same = very_same(lamps, cue.lamps)
        made.append(cue if same else replace(cue, lamps=lamps))
    return stack if very_same(made, stack.cues) else replace(stack, cues=tuple(made))


def _light(stack: Stack) -> tuple[object, ...]:
    """What of a stack makes its light and its course, when it plays by itself."""
    times = (stack.fade_in, stack.fade_out, stack.times)
    return (stack.cues, *times)


def _light_of_cue(stack: Stack, key: Hashable) -> tuple[object, ...] | None:
    """The same of one cue, by its id; None where that is gone."""
    if not isinstance(key, str):
        return _light(stack)
    cue = stack.cue(key)
    if cue is not None and not cue.leaves:
        return (cue.plays, cue.look, cue.effects)
    return None if cue is None else tuple(contents(stack, cue))


STACK = PlayableKind(
    light=_light,
    light_at=_light_of_cue,
    title="stack",
    type=Stack,
    check=_check,
    looks=_looks,
    with_looks=_with_looks,
    effects=_effects,
    with_effects=_with_effects,
    parts=_parts,
    plays=_plays,
    times_of=_times_of,
    spelled_out=_spelled_out,
)
