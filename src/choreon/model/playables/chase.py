"""A chase: steps in an order, or a pattern that makes them by rule."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from enum import StrEnum
from typing import TYPE_CHECKING, ClassVar

import msgspec

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.motion import Effects
from choreon.model.numbers import Count, Number
from choreon.model.playables.base import Playable, PlayableKind
from choreon.model.playables.nesting import contains, in_words, too_deep
from choreon.model.problem import Problem
from choreon.model.refs import Ref, exists
from choreon.model.sameness import very_same
from choreon.model.values import Look, Value

if TYPE_CHECKING:
    from choreon.model.show import Show

replace = msgspec.structs.replace

SHORTEST = 0.02  # seconds, or beats, of a step


class Unit(StrEnum):
    """What the times of a chase are in."""

    SECONDS = "s"
    BEATS = "beats"


class Run(StrEnum):
    """In which order steps follow each other."""

    FORWARD = "forward"
    BACKWARD = "backward"
    BOUNCE = "there and back"
    SHUFFLE = "shuffled"


class End(StrEnum):
    """What happens after the last round."""

    STAY = "stay"
    RELEASE = "release"
    START = "start another"


class ChaseStep(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One step: what it `plays`, or a look of its own. `fade` and `hold`: its own
    times, in the chase's unit; None takes those that all share.
    """

    id: str
    name: str = ""
    plays: Ref | None = None
    look: Look = {}
    effects: Effects = ()
    fade: Number | None = None
    hold: Number | None = None


class Lie(StrEnum):
    """In which order the lamps of a pattern lie."""

    CHOSEN = "chosen"
    ADDRESS = "address"
    PLACE = "place"


class Pattern(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A rule that makes the steps (model/patterns.py has the rules).

    `lamps` take part in their order, but for those `left_out`; `cells`: cell by cell.
    What is on gets `on`, what is not `off`: attribute → value, whoever the lamp is; or
    what a scene gives it, `on_scene` and `off_scene`.
    """

    rule: str
    lamps: tuple[str, ...]
    left_out: tuple[str, ...] = ()
    cells: bool = False
    lie: Lie = Lie.CHOSEN
    on: dict[str, Value] = msgspec.field(default_factory=lambda: {at.DIMMER: 1.0})
    off: dict[str, Value] = msgspec.field(default_factory=lambda: {at.DIMMER: 0.0})
    on_scene: Ref | None = None
    off_scene: Ref | None = None


class Chase(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="chase"):
    """Steps that follow each other.

    A step goes over into the next within its `fade` and stands for its `hold`. `times`
    of its base are of families; `rounds`: how often it runs through, 0 for ever.
    `first`: the step that it begins with. `then`: what is started at the end.
    """

    kind: ClassVar[str] = "chase"

    steps: tuple[ChaseStep, ...] = ()
    pattern: Pattern | None = None
    unit: Unit = Unit.SECONDS
    fade: Number = 1.0
    hold: Number = 1.0
    run: Run = Run.FORWARD
    rounds: Count = 0
    first: Count = 0
    end: End = End.STAY
    then: Ref | None = None
    seed: Count = 1

    def fade_of(self, step: ChaseStep) -> float:
        """Returns the fade of a step, in the chase's unit."""
        fade = self.fade if step.fade is None else step.fade
        return max(0.0, fade) if fade == fade else 0.0

    def hold_of(self, step: ChaseStep) -> float:
        """Returns how long a step stands, in the chase's unit; a step takes SHORTEST at
        least.
        """
        hold = self.hold if step.hold is None else step.hold
        hold = max(0.0, hold) if hold == hold else 0.0
        return max(hold, SHORTEST - self.fade_of(step))

    def length_of(self, step: ChaseStep) -> float:
        """Returns how long a step takes, in the chase's unit."""
        return self.fade_of(step) + self.hold_of(step)


def steps_of(show: Show, chase: Chase) -> tuple[ChaseStep, ...]:
    """Returns the steps of a chase: its own, or those that its pattern makes."""
    if chase.pattern is None:
        return chase.steps
    from choreon.model.patterns import steps_of_pattern

    return steps_of_pattern(show, chase.pattern)


def _check(show: Show, chase: Chase) -> Iterator[Problem]:
    found = [("steps", text) for text in _wrong_steps(show, chase)]
    if chase.end == End.START and not _starts_something(show, chase):
        text = tr("what {name} starts at its end is gone; it stays", name=chase.name)
        found.append(("then", text))

    lamps = () if chase.pattern is None else chase.pattern.lamps
    away = [i for i in lamps if i not in show.fixtures]
    if away:
        text = tr(
            "{away} of the pattern {name} does not hang; it is kept",
            away=away[0],
            name=chase.name,
        )
        found.append(("pattern", text))

    for part, text in found:
        yield Problem(f"playables/{chase.id}/{part}", text, "warning")


def _wrong_steps(show: Show, chase: Chase) -> Iterator[str]:
    if chase.pattern is None and not chase.steps:
        yield tr("{name} has no steps; it plays nothing", name=chase.name)
    for ref in dict.fromkeys(_plays(chase)):
        if not exists(show, ref):
            yield tr(
                "{name} plays what is gone ({ref}); that step stays dark",
                name=chase.name,
                ref=ref,
            )

    if contains(show, chase.ref, chase.ref):
        yield tr("{name} contains itself; those steps stay dark", name=chase.name)
    else:
        way = too_deep(show, chase.ref)
        if way:
            words = in_words(show, way)
            yield tr(
                "{name} is nested too deep ({words}); such steps stay dark",
                name=chase.name,
                words=words,
            )


def _starts_something(show: Show, chase: Chase) -> bool:
    return chase.then is not None and exists(show, chase.then)


def _parts(chase: Chase) -> tuple[Ref, ...]:
    refs = [step.plays for step in chase.steps if step.plays is not None]
    if chase.pattern is not None:
        ends = (chase.pattern.on_scene, chase.pattern.off_scene)
        refs += [ref for ref in ends if ref is not None]
    return tuple(dict.fromkeys(refs))


def _looks(chase: Chase) -> tuple[Look, ...]:
    looks = [step.look for step in chase.steps]
    if chase.pattern is not None:
        looks += [{"any": chase.pattern.on}, {"any": chase.pattern.off}]
    return tuple(looks)


def _with_looks(chase: Chase, change: Callable[[Look], Look]) -> Chase:
    made = []
    for step in chase.steps:
        look = change(step.look)
        made.append(step if look is step.look else replace(step, look=look))

    if not very_same(made, chase.steps):
        chase = replace(chase, steps=tuple(made))

    pattern = chase.pattern
    if pattern is None:
        return chase

    ends = {}
    for name in ("on", "off"):
        values = getattr(pattern, name)
        after = change({"any": values}).get("any", {})
        if after != values:
            ends[name] = after

    return replace(chase, pattern=replace(pattern, **ends)) if ends else chase


def _effects(chase: Chase) -> Effects:
    return tuple(effect for step in chase.steps for effect in step.effects)


def _with_effects(chase: Chase, change: Callable[[Effects], Effects]) -> Chase:
    made = []
    for step in chase.steps:
        effects = change(step.effects)
        same = effects is step.effects
        made.append(step if same else replace(step, effects=effects))
    if very_same(made, chase.steps):
        return chase
    return replace(chase, steps=tuple(made))


def _plays(chase: Chase) -> tuple[Ref, ...]:
    then = [chase.then] if chase.then is not None else []
    return tuple(dict.fromkeys([*_parts(chase), *then]))


def _light(chase: Chase) -> tuple[object, ...]:
    """What of a chase makes its light and its course."""
    times = (chase.unit, chase.fade, chase.hold, chase.rounds, chase.first)
    return (chase.steps, chase.pattern, *times, chase.run, chase.seed)


CHASE = PlayableKind(
    light=_light,
    title="chase",
    type=Chase,
    check=_check,
    looks=_looks,
    with_looks=_with_looks,
    effects=_effects,
    with_effects=_with_effects,
    parts=_parts,
    plays=_plays,
)
