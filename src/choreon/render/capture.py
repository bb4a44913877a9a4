"""Capturing the stage: what is on, as one look. Read off the compositor's trace."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from choreon.model import attributes as at
from choreon.model.edits import merge_looks
from choreon.model.effects import beside, motion_of, rate_of
from choreon.model.motion import AnyMotion, Effect, Effects, Mode, Path, Shape, Wave
from choreon.model.show import Show
from choreon.model.values import Look, Value
from choreon.render.colour import from_oklab_rows
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import compose, driven_values, trace, unmastered
from choreon.render.rig import Floats, Rig
from choreon.render.state import Going, Masters, PlayState, Time, replace
from choreon.render.trace import Part, Trace

DARK = 1e-4  # an intensity that is none
WHOLE = 1.0 - 1e-6  # a share that is all of it

Given = dict[str, dict[str, tuple[Value, bool]]]
"""Fixture → attribute → the uppermost value that is stored, and whether it is all that
is to be seen of the attribute."""


def capture_effects(compiled: CompiledShow, state: PlayState, now: float) -> Effects:
    """Returns the effects of everything on stage, to be stored beside what `capture`
    gives: they go on from where they are, at the rate at which they run. Levels of what
    is half up move half as far.
    """
    traced = trace(compiled, state, now)
    bar = state.beat(now) - state.clock.first
    made: Effects = ()
    for part in traced.parts:
        if part.running and part.on > DARK:
            rate = 1.0 if part.player is None else part.player.rate
            going = _going(state, part)
            time = going.time(now, state.beat(now))
            own = tuple(
                _as_it_runs(compiled.show, effect, tuple(part.running), time, rate, bar)
                for effect in part.running
            )
            size = 1.0 if part.player is None else part.player.size
            own = tuple(_as_wide(compiled.show, effect, size) for effect in own)
            own = tuple(_as_strong(effect, part.on) for effect in own)
            made = beside(made, own)
    return made


def _going(state: PlayState, part: Part) -> Going:
    """The cursor of a part."""
    if part.player is None:
        return state.draft.going
    for step in reversed(part.player.steps):
        if step.ref == part.source and isinstance(step.cursor, Going):
            return step.cursor
    return Going()


def _as_it_runs(
    show: Show,
    effect: Effect,
    all_effects: Effects,
    time: Time,
    rate: float,
    bar: float,
) -> Effect:
    """An effect that starts where it is now, as fast as it runs now. `bar`: beats since
    the bar began that those by the beat go with.
    """
    motion = motion_of(show, effect)
    kept = rate_of(show, effect, all_effects)
    position = kept.cycles(*time) + effect.start
    own = replace(kept, factor=kept.factor * rate)
    start = position
    if own.by_tempo:
        # what goes by the beat goes on with the bar: it starts as far from that
        start -= own.speed * bar
    if rate == 1.0 and own == motion.rate:
        return replace(effect, start=start % 1.0 if not _is_random(motion) else start)
    motion = replace(motion, rate=own)
    return replace(effect, motion=motion, palette="", clock="", start=start)


def _is_random(motion: AnyMotion) -> bool:
    return isinstance(motion, Wave) and motion.shape == Shape.RANDOM


def _as_wide(show: Show, effect: Effect, size: float) -> Effect:
    """An effect of what goes only so far, 0…1, of what is stored."""
    motion = motion_of(show, effect)
    if size >= 1.0:
        return effect
    if isinstance(motion, Path):
        return replace(
            effect, motion=replace(motion, size=motion.size * size), palette=""
        )
    if not isinstance(motion, Wave):
        return effect
    rests = (motion.low + motion.high) / 2.0
    if motion.mode != Mode.REPLACES:
        rests = 1.0 if motion.mode == Mode.SCALES else 0.0
    low, high = (rests + size * (end - rests) for end in (motion.low, motion.high))
    return replace(effect, motion=replace(motion, low=low, high=high), palette="")


def _as_strong(effect: Effect, on: float) -> Effect:
    """An effect on levels of what is partly up."""
    motion = effect.motion
    is_level = isinstance(motion, Wave) and motion.attribute == at.DIMMER
    if on >= WHOLE or not isinstance(motion, Wave) or not is_level:
        return effect
    low, high = on * motion.low, on * motion.high
    if motion.mode == Mode.SCALES:
        low, high = 1.0 - on * (1.0 - motion.low), 1.0 - on * (1.0 - motion.high)
    return replace(effect, motion=replace(motion, low=low, high=high), palette="")


def capture(compiled: CompiledShow, state: PlayState, now: float) -> Look:
    """Returns everything that players and draft put on stage, before the masters, as
    one look; what effects do to it is left to `capture_effects`.

    Levels are as they are now. Links stay where what has them is wholly on; what moves
    by itself in the lamp (strobes, turning wheels) is kept as it moves. Lamps that are
    dark are left out, but for those that have no intensity.
    """
    rig = compiled.rig
    values = unmastered(compiled, state, now, steady=True)
    plain = with_light(rig, values)
    made: Look = {}
    for fixture, names in given_values(compiled, state, now).items():
        own = _captured(rig, plain, fixture, names)
        if own:
            made[fixture] = own
    return made


def frozen(
    compiled: CompiledShow, state: PlayState, now: float, fixtures: Iterable[str]
) -> Look:
    """Returns all that fixtures have now, before the masters, as plain values: given
    back to them, nothing of them changes. Links stay where they are wholly on. Another
    thread may compose meanwhile.
    """
    rig = compiled.rig
    before_masters = replace(state, masters=Masters(), identify=None)
    canvas = compose(compiled, before_masters, now, alone=True)
    plain = with_light(rig, canvas.values[: rig.size])
    raw = driven_values(rig, canvas, apart=True)
    given = given_values(compiled, state, now)
    made: Look = {}
    for fixture in fixtures:
        where = rig.where.get(fixture, {})
        own: dict[str, Value] = {
            name: of_cells(plain, places) for name, places in where.items()
        }
        for name, (value, whole) in given.get(fixture, {}).items():
            if name.startswith(at.RAW):
                own[name] = _as_driven(raw, rig.direct[fixture].get(name, ()))
            elif isinstance(value, str) and whole and name != at.DIMMER:
                own[name] = value
        if own:
            made[fixture] = own
    return made


def _as_driven(raw: Floats, places: Sequence[tuple[int, int, float, float]]) -> Value:
    """The raw value that the channels of an attribute have, one for each cell where
    they differ.
    """
    found = {
        cell: float((raw[channel] - offset) / slope)
        for cell, channel, slope, offset in places
    }
    numbers = [found[cell] for cell in sorted(found)]
    return numbers[0] if len(numbers) == 1 else tuple(numbers)


def with_light(rig: Rig, values: Floats) -> Floats:
    """Returns the values (P) with target colours as linear light, 0…1."""
    plain = values.copy()
    lab = values[rig.colour_rows].reshape(3, -1)
    plain[rig.colour_rows] = from_oklab_rows(lab).clip(0.0, 1.0).reshape(-1)
    return plain


def _captured(
    rig: Rig, plain: Floats, fixture: str, names: dict[str, tuple[Value, bool]]
) -> dict[str, Value]:
    """What is captured of one fixture; nothing where it is dark."""
    where = rig.where.get(fixture, {})
    dimmers = where.get(at.DIMMER, [])
    if dimmers and not any(plain[row] > DARK for _, row in dimmers):
        return {}
    own: dict[str, Value] = {}
    for name, (value, whole) in names.items():
        is_link = isinstance(value, str)
        if is_link and whole and name != at.DIMMER:
            own[name] = value
        elif name in where:
            own[name] = of_cells(plain, where[name])
        elif not is_link:
            own[name] = value
    if dimmers:
        own[at.DIMMER] = of_cells(plain, dimmers)
    return own


def given_values(compiled: CompiledShow, state: PlayState, now: float) -> Given:
    """Returns for each fixture and attribute that some layer gives the uppermost one's
    value, and whether nothing else of it is to be seen. Both sides of a crossfade
    count.
    """
    traced = trace(compiled, state, now)
    whole = _wholly(traced)
    found: Given = {}
    below: Look = {}
    for n, part in enumerate(traced.parts):
        for fixture, values in part.look.items():
            held = {fixture: below.get(fixture, {})}
            merged = merge_looks(held, {fixture: values})[fixture]
            own = found.get(fixture, {})
            below[fixture] = merged
            found[fixture] = {
                name: own[name]
                if name in own and name not in values
                else (value, _is_whole(compiled.rig, whole[n], fixture, name))
                for name, value in merged.items()
            }
    return found


def _wholly(traced: Trace) -> list[set[int]]:
    """For each part the rows on which it alone is to be seen."""
    found: list[set[int]] = []
    left = np.ones(traced.rig.size + traced.rig.channels)
    for part in reversed(traced.parts):
        alone = part.share * left[part.rows] >= WHOLE
        found.append(set(part.rows[alone].tolist()))
        left[part.rows] *= 1.0 - part.share
    return found[::-1]


def _is_whole(rig: Rig, rows: set[int], fixture: str, name: str) -> bool:
    places = rig.where.get(fixture, {}).get(name)
    if places is not None:
        return all(row in rows for _, row in places)
    wheel = rig.wheels.get(fixture)
    if wheel is not None and name in at.TARGET_COLOUR:
        return wheel.row in rows
    direct = rig.direct.get(fixture, {}).get(name, ())
    return all(rig.size + channel in rows for _, channel, *_ in direct)


def of_cells(plain: Floats, places: list[tuple[int, int]]) -> Value:
    """Returns one value where all cells have it, else one for each."""
    numbers = {cell: float(plain[row]) for cell, row in places}
    if len(numbers) == 1 or np.ptp(list(numbers.values())) < 1e-9:
        return next(iter(numbers.values()))
    return tuple(numbers.get(cell) for cell in range(1, max(numbers) + 1))


def lit(compiled: CompiledShow, state: PlayState, now: float) -> list[str]:
    """Returns the fixtures that shine now, before the masters."""
    values = unmastered(compiled, state, now)
    return [
        fixture
        for fixture, names in compiled.rig.where.items()
        if any(values[row] > DARK for _, row in names.get(at.DIMMER, ()))
    ]
