"""Edits of chases: their steps and their times. Pure functions from show to show."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Collection, Iterable, Sequence
from typing import Any

import msgspec

from choreon.language import sentences, tr
from choreon.model import attributes as at
from choreon.model import edits, links
from choreon.model.motion import Effects
from choreon.model.playables import Chase, Scene
from choreon.model.playables.chase import (
    SHORTEST,
    ChaseStep,
    Pattern,
    Run,
    Unit,
    steps_of,
)
from choreon.model.playables.nesting import DEEPEST, contains, in_words, too_deep
from choreon.model.refs import Ref, name_of
from choreon.model.show import Show
from choreon.model.values import Look, Value

replace = msgspec.structs.replace

STEP = "step"
"""The kind of a ref to one step of a chase; its id is `CHASE/STEP`."""

Rgb = tuple[float, float, float]


class ContainsItself(ValueError):
    """A chase was to play what plays it, or what lies too deep within others."""


def chase_of(show: Show, ref: Ref) -> Chase:
    """Returns the chase that a ref leads to. Raises KeyError where there is none."""
    found = show.playables.get(ref.id)
    if not isinstance(found, Chase):
        raise KeyError(ref.id)
    return found


def to_step(chase: Ref, step_id: str) -> Ref:
    """Returns a ref to one step of a chase."""
    return Ref(STEP, f"{chase.id}/{step_id}")


def find_step(show: Show, ref: Ref) -> tuple[Chase, ChaseStep] | None:
    """Returns the chase and the step that a ref leads to; None where it is gone."""
    chase_id, _, step_id = ref.id.partition("/")
    chase = show.playables.get(chase_id)
    if ref.kind != STEP or not isinstance(chase, Chase):
        return None
    step = next((s for s in steps_of(show, chase) if s.id == step_id), None)
    return None if step is None else (chase, step)


def keep_chase(
    show: Show, name: str, steps: Iterable[ChaseStep] = (), **fields: Any
) -> tuple[Show, Ref]:
    """Store a new chase of steps; returns the show and its ref."""
    name = edits.fresh_name(
        name.strip() or tr("Chase"), edits.names_in(show, "playables")
    )
    chase_id = edits.fresh_id(name, show.playables)
    numbered = _numbered(steps)
    chase = Chase(id=chase_id, name=name, steps=numbered, fade_in=1.0, fade_out=1.0)
    return edits.put(show, "playables", replace(chase, **fields)), chase.ref


def keep_pattern(
    show: Show, name: str, pattern: Pattern, **fields: Any
) -> tuple[Show, Ref]:
    """Store a new chase that a pattern makes; returns the show and its ref."""
    return keep_chase(show, name, pattern=pattern, **fields)


def _numbered(
    steps: Iterable[ChaseStep], taken: Iterable[str] = ()
) -> tuple[ChaseStep, ...]:
    """Steps under ids that differ from each other, and from those taken."""
    used = set(taken)
    made = []
    for step in steps:
        step_id = edits.fresh_id(step.id or "step", used)
        used.add(step_id)
        made.append(step if step_id == step.id else replace(step, id=step_id))
    return tuple(made)


# steps


def add_steps(
    show: Show, ref: Ref, steps: Sequence[ChaseStep], index: int | None = None
) -> tuple[Show, tuple[str, ...]]:
    """Put steps into a chase, at the end or before the step of an index; returns the
    show and their ids. A pattern becomes steps of its own first. Raises
    ContainsItself.
    """
    for step in steps:
        _refuse_itself(show, ref, step.plays)

    show = made_plain(show, ref)
    chase = chase_of(show, ref)
    fresh = _numbered(steps, [s.id for s in chase.steps])
    place = len(chase.steps) if index is None else index
    after = (*chase.steps[:place], *fresh, *chase.steps[place:])
    changed = edits.put(show, "playables", replace(chase, steps=after))

    if any(step.plays is not None for step in fresh):
        _refuse_depth(changed, ref)

    return changed, tuple(step.id for step in fresh)


def _refuse_itself(show: Show, ref: Ref, plays: Ref | None) -> None:
    if plays is None:
        return
    if plays == ref or contains(show, plays, ref):
        whole, part = name_of(show, ref), name_of(show, plays)
        text = tr("{whole} cannot contain itself.", whole=whole)
        if plays != ref:
            text = tr(
                "{part} plays {whole}: it cannot be a step of it.",
                part=part,
                whole=whole,
            )
        raise ContainsItself(sentences(text, tr("The chase stays as it was.")))


def _refuse_depth(show: Show, ref: Ref) -> None:
    """Raises ContainsItself where a chase, or one that it is part of, plays what lies
    too deep.
    """
    wholes = [p.ref for p in show.playables.values() if contains(show, p.ref, ref)]
    for whole in (ref, *wholes):
        way = too_deep(show, whole)
        if way:
            words = in_words(show, way)
            text = tr(
                "Only {deepest} may play within each other, these are more: {words}.",
                deepest=DEEPEST,
                words=words,
            )
            raise ContainsItself(sentences(text, tr("The chase stays as it was.")))


def made_plain(show: Show, ref: Ref) -> Show:
    """Returns the show with a pattern turned into steps that can be edited one by
    one.
    """
    chase = chase_of(show, ref)
    if chase.pattern is None:
        return show
    steps = steps_of(show, chase)
    return edits.put(show, "playables", replace(chase, steps=steps, pattern=None))


def remove_steps(show: Show, ref: Ref, ids: Collection[str]) -> Show:
    """Take steps out of a chase."""
    show = made_plain(show, ref)
    chase = chase_of(show, ref)
    kept = tuple(step for step in chase.steps if step.id not in ids)
    first = min(chase.first, max(0, len(kept) - 1))
    return edits.put(show, "playables", replace(chase, steps=kept, first=first))


def move_steps(show: Show, ref: Ref, ids: Collection[str], index: int) -> Show:
    """Bring steps, in the order that they have, before the one that is at an index
    now.
    """
    show = made_plain(show, ref)
    chase = chase_of(show, ref)
    moved = [step for step in chase.steps if step.id in ids]
    before = [step for step in chase.steps[:index] if step.id not in ids]
    after = [step for step in chase.steps[index:] if step.id not in ids]
    steps = (*before, *moved, *after)
    return edits.put(show, "playables", replace(chase, steps=steps))


def duplicate_steps(
    show: Show, ref: Ref, ids: Collection[str]
) -> tuple[Show, tuple[str, ...]]:
    """The same steps once more, behind the last of them; returns the show and the new
    ids.
    """
    show = made_plain(show, ref)
    chase = chase_of(show, ref)
    places = [n for n, step in enumerate(chase.steps) if step.id in ids]
    if not places:
        return show, ()
    again = [chase.steps[n] for n in places]
    return add_steps(show, ref, again, places[-1] + 1)


def change_steps(
    show: Show,
    ref: Ref,
    ids: Collection[str],
    make: Callable[[ChaseStep], ChaseStep],
) -> Show:
    """Put some steps of a chase through a function."""
    show = made_plain(show, ref)
    chase = chase_of(show, ref)
    steps = tuple(make(s) if s.id in ids else s for s in chase.steps)
    return edits.put(show, "playables", replace(chase, steps=steps))


def own_step(show: Show, step: ChaseStep) -> ChaseStep:
    """Returns a step as a look of its own, where it plays a scene; others stay."""
    scene = None if step.plays is None else show.playables.get(step.plays.id)
    if not isinstance(scene, Scene):
        return step
    name = step.name or scene.name
    return replace(step, plays=None, look=scene.look, effects=scene.effects, name=name)


def set_look(show: Show, step_ref: Ref, look: Look, effects: Effects) -> Show:
    """Give a step another look of its own."""
    found = find_step(show, step_ref)
    if found is None:
        return show
    chase, step = found
    return change_steps(
        show,
        chase.ref,
        {step.id},
        lambda s: replace(s, plays=None, look=look, effects=effects),
    )


def give(show: Show, ref: Ref, ids: Collection[str], look: Look) -> Show:
    """Lay values over the looks of some steps; those that play a scene become looks of
    their own.
    """

    def given(step: ChaseStep) -> ChaseStep:
        own = own_step(show, step)
        if own.plays is not None:
            return step
        return replace(own, look=edits.merge_looks(own.look, look))

    return change_steps(show, ref, ids, given)


def recolour(
    show: Show,
    ref: Ref,
    ids: Collection[str],
    old: Rgb | str,
    new: Rgb | str,
) -> Show:
    """Put one colour (linear light, or a link to a palette) in the place of another in
    the looks of some steps.
    """

    def changed(step: ChaseStep) -> ChaseStep:
        own = own_step(show, step)
        if own.plays is not None:
            return step

        look = {i: _recoloured(v, old, new) for i, v in own.look.items()}
        same = all(look[i] is own.look[i] for i in look)
        return step if same else replace(own, look=look)

    return change_steps(show, ref, ids, changed)


def _recoloured(
    values: dict[str, Value], old: Rgb | str, new: Rgb | str
) -> dict[str, Value]:
    if not is_colour(values, old):
        return values
    given = [new] * 3 if isinstance(new, str) else new
    return {**values, **dict(zip(at.TARGET_COLOUR, given, strict=True))}


def is_colour(values: dict[str, Value], colour: Rgb | str) -> bool:
    """Returns whether a lamp's values have a colour, by number or by link."""
    had = [values.get(name) for name in at.TARGET_COLOUR]
    if isinstance(colour, str):
        return all(part == colour for part in had)
    return all(
        isinstance(part, float | int) and abs(part - wanted) < 0.02
        for part, wanted in zip(had, colour, strict=True)
    )


def colours_in(show: Show, ref: Ref) -> list[Rgb | str]:
    """Returns the colours that a chase's steps have, each once: links, or linear
    light.
    """
    found: dict[Rgb | str, None] = {}
    for step in steps_of(show, chase_of(show, ref)):
        for values in own_step(show, step).look.values():
            had = [values.get(name) for name in at.TARGET_COLOUR]
            if all(isinstance(part, str) for part in had):
                found[str(had[0])] = None
            elif all(isinstance(part, float | int) for part in had):
                r, g, b = (round(float(p), 3) for p in had if not isinstance(p, str))  # type: ignore[arg-type]
                found[(r, g, b)] = None
    return list(found)


def mirror(show: Show, ref: Ref, ids: Collection[str]) -> Show:
    """Swap left and right in the looks of some steps: what a lamp had, its counterpart
    on the other side of the stage gets.
    """
    partner = counterparts(show)

    def mirrored(step: ChaseStep) -> ChaseStep:
        own = own_step(show, step)
        if own.plays is not None:
            return step

        look = {
            partner.get(i, i): _mirrored_values(values)
            for i, values in own.look.items()
        }
        return replace(own, look=look)

    return change_steps(show, ref, ids, mirrored)


def _mirrored_values(values: dict[str, Value]) -> dict[str, Value]:
    """Cells from the other end, pan the other way."""
    made: dict[str, Value] = {}
    for name, value in values.items():
        if isinstance(value, tuple):
            made[name] = value[::-1]
        elif name == at.PAN and isinstance(value, float | int):
            made[name] = -float(value)
        elif name in links.AIMS and str(value).startswith(links.POINT):
            x, y, z = str(value).removeprefix(links.POINT).split(",")
            made[name] = links.to_point((-float(x), float(y), float(z)))
        else:
            made[name] = value
    return made


def counterparts(show: Show) -> dict[str, str]:
    """Returns for each fixture the one of its type that hangs where its mirror image
    would, within half a metre; itself where there is none.
    """
    made: dict[str, str] = {}
    fixtures = show.fixtures

    for i, fixture in fixtures.items():
        alike = [j for j, f in fixtures.items() if f.type == fixture.type]
        here = fixture.place

        def away(j: str, here=here) -> float:  # type: ignore[no-untyped-def]
            there = fixtures[j].place
            return abs(there.x + here.x) + abs(there.y - here.y) + abs(there.z - here.z)

        best = min(alike, key=away)
        made[i] = best if away(best) < 0.5 else i

    return made


# times


def retime(
    show: Show,
    ref: Ref,
    ids: Collection[str],
    fade: float | None = None,
    hold: float | None = None,
) -> Show:
    """Give steps their own times, in the chase's unit; a time that is not given stays.
    All of them together: the times that they share.
    """
    chase = chase_of(show, ref)
    times = {"fade": fade, "hold": hold}
    given = {name: max(0.0, t) for name, t in times.items() if t is not None}

    if not ids or set(ids) >= {s.id for s in chase.steps}:
        steps = tuple(replace(s, **dict.fromkeys(given)) for s in chase.steps)
        return edits.put(show, "playables", replace(chase, steps=steps, **given))

    return change_steps(show, ref, ids, lambda step: replace(step, **given))


def crossfade(show: Show, ref: Ref, share: float) -> Show:
    """Have each step spend a share, 0…1, of its time on going over, the rest on
    standing.
    """
    chase = chase_of(show, ref)
    share = min(1.0, max(0.0, share))

    def shared(step: ChaseStep) -> ChaseStep:
        if step.fade is None and step.hold is None:
            return step

        length = chase.length_of(step)
        return replace(step, fade=share * length, hold=(1.0 - share) * length)

    whole = chase.fade + chase.hold
    changed = replace(
        chase,
        steps=tuple(shared(step) for step in chase.steps),
        fade=share * whole,
        hold=(1.0 - share) * whole,
    )

    return edits.put(show, "playables", changed)


def share_of(chase: Chase) -> float:
    """Returns the share of a step's time that is spent on going over."""
    whole = chase.fade + chase.hold
    return chase.fade / whole if whole > 0 else 0.0


def round_length(show: Show, chase: Chase) -> float:
    """Returns how long one round takes, in the chase's unit."""
    return sum(_round_lengths(show, chase))


def _round_lengths(show: Show, chase: Chase) -> list[float]:
    """How long each step of a round takes, in the chase's unit."""
    lengths = [chase.length_of(step) for step in steps_of(show, chase)]
    back = lengths[1:-1] if chase.run == Run.BOUNCE else []
    return lengths + back


def scale_times(show: Show, ref: Ref, factor: float) -> Show:
    """Make all times of a chase that many times as long."""
    chase = chase_of(show, ref)

    def scaled(step: ChaseStep) -> ChaseStep:
        fade = None if step.fade is None else step.fade * factor
        hold = None if step.hold is None else step.hold * factor
        return replace(step, fade=fade, hold=hold)

    changed = replace(
        chase,
        steps=tuple(scaled(step) for step in chase.steps),
        fade=chase.fade * factor,
        hold=chase.hold * factor,
    )
    return edits.put(show, "playables", changed)


def fit_bars(show: Show, ref: Ref, bars: float, beats_a_bar: int) -> Show:
    """Have one round last exactly so many bars, by the tempo; where its steps are too
    many for that, as short as they go. Steps of no length count as the shortest there
    are, and grow with the others.
    """
    chase = _with_lengths(chase_of(show, ref))
    lengths = _round_lengths(show, chase)
    if not lengths or bars <= 0:
        return show

    factor = _scale_to(lengths, bars * beats_a_bar)
    show = scale_times(edits.put(show, "playables", chase), ref, factor)
    return edits.change(show, ref, unit=Unit.BEATS)


def _with_lengths(chase: Chase) -> Chase:
    """A chase whose steps say how long they take, the shortest too."""

    def said(step: ChaseStep) -> ChaseStep:
        if step.fade is None and step.hold is None:
            return step
        return replace(step, hold=chase.hold_of(step))

    shared = chase.hold_of(ChaseStep(id=""))
    steps = tuple(said(step) for step in chase.steps)
    return replace(chase, steps=steps, hold=shared)


def _scale_to(lengths: list[float], whole: float) -> float:
    """By how much lengths are to be scaled for their sum to be `whole`, where none of
    them gets below SHORTEST.
    """
    # the shortest reach their end first: what is left is shared by the others
    rising = sorted(lengths)
    for short in range(len(rising)):
        left = whole - short * SHORTEST
        factor = left / sum(rising[short:])
        if factor * rising[short] >= SHORTEST:
            return factor
    return SHORTEST / rising[-1]


def set_unit(show: Show, ref: Ref, unit: Unit, bpm: float) -> Show:
    """Have a chase's times be seconds, or beats, that come to the same at a tempo."""
    chase = chase_of(show, ref)
    if chase.unit == unit or bpm <= 0:
        return edits.change(show, ref, unit=unit)
    factor = bpm / 60 if unit == Unit.BEATS else 60 / bpm
    return edits.change(scale_times(show, ref, factor), ref, unit=unit)


def taken(show: Show, ref: Ref, times: Sequence[float], bpm: float) -> Show:
    """Give the steps of a chase, from its first one on, the times at which they were
    gone to by hand, in seconds; a step ends where the next one begins. Those in beats
    are counted at a tempo. Fades stay as they are where they have room. Steps that were
    not gone to keep their times.
    """
    show = made_plain(show, ref)
    chase = chase_of(show, ref)
    per_second = 1.0 if chase.unit == Unit.SECONDS else bpm / 60.0
    made = list(chase.steps)
    for n, (begin, end) in enumerate(itertools.pairwise(times)):
        if n >= len(made):
            break
        length = max(SHORTEST, (end - begin) * per_second)
        fade = min(chase.fade_of(made[n]), length)
        made[n] = replace(made[n], fade=fade, hold=length - fade)
    return edits.put(show, "playables", replace(chase, steps=tuple(made)))
