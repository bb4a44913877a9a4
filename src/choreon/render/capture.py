"""Capturing the stage: what is on, as one look. Read off the compositor's trace."""

from __future__ import annotations

import numpy as np

from choreon.model import attributes as at
from choreon.model.edits import merge_looks
from choreon.model.values import Look, Value
from choreon.render.colour import from_oklab_rows
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import trace, unmastered
from choreon.render.rig import Floats, Rig
from choreon.render.state import PlayState
from choreon.render.trace import Trace

DARK = 1e-4  # an intensity that is none
WHOLE = 1.0 - 1e-6  # a share that is all of it

Given = dict[str, dict[str, tuple[Value, bool]]]
"""Fixture → attribute → the uppermost value that is stored, and whether it is all that
is to be seen of the attribute."""


def capture(compiled: CompiledShow, state: PlayState, now: float) -> Look:
    """Returns everything that players and draft put on stage, before the masters, as
    one look.

    Levels are as they are now. Links stay where what has them is wholly on; what moves
    by itself in the lamp (strobes, turning wheels) is kept as it moves. Lamps that are
    dark are left out, but for those that have no intensity.
    """
    rig = compiled.rig
    values = unmastered(compiled, state, now)
    plain = with_light(rig, values)
    made: Look = {}
    for fixture, names in given_values(compiled, state, now).items():
        own = _captured(rig, plain, fixture, names)
        if own:
            made[fixture] = own
    return made


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
            own[name] = _of_cells(plain, where[name])
        elif not is_link:
            own[name] = value
    if dimmers:
        own[at.DIMMER] = _of_cells(plain, dimmers)
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


def _of_cells(plain: Floats, places: list[tuple[int, int]]) -> Value:
    """One value where all cells have it, else one for each."""
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
