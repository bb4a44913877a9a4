"""Capturing the stage: what is on, as one look. Read off the compositor's trace."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.edits import merge_looks
from choreon.model.effects import beside, motion_of, rate_of
from choreon.model.motion import (
    MOTIONS,
    AnyMotion,
    Effect,
    EffectMode,
    Effects,
    Shape,
    Wave,
)
from choreon.model.patch import footprint
from choreon.model.show import SLOTS, Show
from choreon.model.values import Look, Value
from choreon.render import waves
from choreon.render.choice import rows as choice_rows
from choreon.render.colour import from_oklab_rows
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import compose, driven_values, trace, unmastered
from choreon.render.effects import row_of
from choreon.render.rig import Floats, Ints, Rig
from choreon.render.state import (
    AnyCursor,
    Going,
    Masters,
    Player,
    PlayState,
    Step,
    Still,
    Time,
    replace,
)
from choreon.render.trace import Trace, TracePart

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
        if not part.running or part.on <= DARK:
            continue

        rate = 1.0 if part.player is None else part.player.rate
        size = 1.0 if part.player is None else part.player.size
        step = _step(part)
        going = state.draft.going if part.player is None else _going(step)
        time = going.time(now, state.beat(now))

        on = part.on * (1.0 if step is None else step.level)

        own: list[Effect] = []
        for effect in part.running:
            runs = _as_it_runs(
                compiled.show, effect, tuple(part.running), time, rate, bar
            )
            strong = _as_strong(_as_wide(compiled.show, runs, size), on)
            seen = _above(compiled, strong, _beside(traced, part))
            own += [] if seen is None else [seen]

        made = beside(made, tuple(own))

    return made


def _step(part: TracePart) -> Step | None:
    """The step of its player that a part is; None for drafts."""
    if part.player is None:
        return None
    steps = reversed(part.player.steps)
    return next((step for step in steps if step.ref == part.source), None)


def _going(step: Step | None) -> Going:
    """The cursor of a step."""
    found = step is not None and isinstance(step.cursor, Going)
    return step.cursor if found else Going()  # type: ignore[union-attr, return-value]


def _beside(traced: Trace, part: TracePart) -> Floats:
    """How strongly (I + 1) all that stands beside a part lights the lamps."""
    level = np.zeros(traced.rig.intensities + 1)
    for other in traced.parts:
        if other is not part and not other.running:
            level[other.lamps] = np.maximum(level[other.lamps], other.levels)
    return level


CURVE = 96  # points by which a wave is kept that others' light cuts off below


def _above(compiled: CompiledShow, effect: Effect, level: Floats) -> Effect | None:
    """An effect as it is seen above the light (I + 1) that others give its lamps, which
    one scene cannot hold beside it: a wave that nowhere rises above it is none, and one
    that does is cut off at it, where that is alike for all its lamps.
    """
    motion = motion_of(compiled.show, effect)
    is_level = isinstance(motion, Wave) and motion.attribute == at.DIMMER
    if (
        not isinstance(motion, Wave)
        or not is_level
        or motion.mode != EffectMode.REPLACES
    ):
        return effect

    rows = [
        row
        for item in row_of(compiled.show, compiled.rig, effect)
        for row in choice_rows(compiled.rig, [item], at.DIMMER)
    ]
    floors = level[np.array(rows, np.int64)] if rows else np.zeros(1)
    low, high = sorted((motion.low, motion.high))

    if floors.min() >= high - DARK:
        return None

    floor = float(floors.max())
    if floor <= low + DARK or np.ptp(floors) > DARK or motion.shape == Shape.RANDOM:
        return effect

    return replace(effect, motion=_cut(motion, floor), palette="")


def _cut(motion: Wave, floor: float) -> Wave:
    """A wave that nowhere comes below a level."""
    if motion.shape == Shape.PULSE:
        low, high = (max(floor, end) for end in (motion.low, motion.high))
        return replace(motion, low=low, high=high)

    # as a curve from the floor to its highest
    at_ = np.arange(CURVE + 1) / CURVE
    nobody = np.zeros(len(at_), np.int64)
    shape = waves.wave(motion, at_, np.zeros(len(at_)), nobody, waves.own_curve(motion))
    values = np.maximum(floor, motion.low + shape * (motion.high - motion.low))
    top = max(motion.low, motion.high)
    curve = tuple(
        (float(x), float((value - floor) / (top - floor)))
        for x, value in zip(at_, values, strict=True)
    )

    return replace(
        motion, shape=Shape.OWN, curve=curve, smooth=False, low=floor, high=top
    )


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
    position = kept.cycles(*time[:2]) + effect.start
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

    sized = MOTIONS[motion.kind].sized(motion, size)
    return effect if sized is motion else replace(effect, motion=sized, palette="")


def _as_strong(effect: Effect, on: float) -> Effect:
    """An effect on levels of what is partly up."""
    motion = effect.motion
    is_level = isinstance(motion, Wave) and motion.attribute == at.DIMMER
    if on >= WHOLE or not isinstance(motion, Wave) or not is_level:
        return effect
    low, high = on * motion.low, on * motion.high
    if motion.mode == EffectMode.SCALES:
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


AHEAD = (0.0, 0.02, 0.31, 0.67, 1.13, 1.61, 2.27, 2.9, 3.43, 4.19, 4.87, 5.51)
LATER = (6.13, 6.79, 7.37, 8.03, 8.59, 9.17, 9.71, 9.99)
"""Seconds after now at which a captured scene is held against what it was made of."""

OFF = 0.75  # of a step of 255, by which a channel may differ


def not_alike(
    compiled: CompiledShow, state: PlayState, now: float, look: Look, effects: Effects
) -> list[str]:
    """Returns the fixtures that a scene of what was captured does not light, now and in
    the next ten seconds, as they are lit by what is on; lamps that are dark aside.
    """
    show, ref = edits.keep_scene(compiled.show, "c", look, 0.0, 0.0, effects=effects)
    after = compile_show(show, compiled)
    clear = replace(state, masters=Masters(), identify=None, sent=(), past=())
    cursor = _begun(effects, clear, now)
    scene = Player("captured", "", (Step(ref=ref, cursor=cursor),))
    alone = PlayState(players=(scene,), clock=clear.clock)

    rig = compiled.rig
    channels = channels_of(compiled)
    found: set[str] = set()

    for later in (*AHEAD, *LATER):
        as_is = compose(after, clear, now + later, alone=True)
        kept = compose(after, alone, now + later, alone=True)
        one = driven_values(rig, as_is, apart=True)
        other = driven_values(rig, kept, apart=True)
        apart = np.abs(one - other) / np.maximum(rig.full, 1.0) * 255.0 > OFF

        lit = as_is.values[: rig.intensities] > DARK
        shines = kept.values[: rig.intensities] > DARK

        for fixture, own in channels.items():
            if fixture not in found and apart[own].any():
                rows = [r for _, r in rig.where.get(fixture, {}).get(at.DIMMER, ())]
                dark = rows and not (lit[rows].any() or shines[rows].any())
                found |= set() if dark else {fixture}

    return [fixture for fixture in channels if fixture in found]


def _begun(effects: Effects, state: PlayState, now: float) -> AnyCursor:
    """The cursor with which a scene of effects begins now."""
    if not any(effect.on for effect in effects):
        return Still()
    beat = state.beat(now)
    return Going(now, beat, 0.0, beat - state.clock.first)


def channels_of(compiled: CompiledShow) -> dict[str, Ints]:
    """Returns fixture → its channels, as places among all."""
    rig = compiled.rig
    found: dict[str, Ints] = {}
    for fixture in rig.fixtures.values():
        if fixture.universe not in rig.universes:
            continue
        first = SLOTS * rig.universes.index(fixture.universe) + fixture.address - 1
        end = first + footprint(compiled.show, fixture)
        own = (rig.byte_at >= first) & (rig.byte_at < end)
        found[fixture.id] = np.unique(rig.byte_channel[own])
    return found


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
