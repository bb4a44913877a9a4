"""Capturing the stage: what is on, as one look."""

from __future__ import annotations

import numpy as np

from choreon.model import attributes as at
from choreon.model.edits import merge_looks
from choreon.model.show import Look, Value
from choreon.render.colour import from_oklab
from choreon.render.frame import unmastered
from choreon.render.players import PlayState
from choreon.render.programme import Programme

DARK = 1e-4


def capture(programme: Programme, state: PlayState, now: float) -> Look:
    """Everything that players and draft put on stage, before the masters, as one look.

    Levels are as they are now. Links stay where what has them is wholly on; what moves
    by itself in the lamp (strobes, turning wheels) is kept as it moves. Lamps that are
    dark are left out, but for those that have no intensity.
    """
    values = unmastered(programme, state, now)
    rig, given = programme.rig, given_values(programme, state, now)
    rgb = values[rig.colour_rows]
    plain = values.copy()
    plain[rig.colour_rows] = from_oklab(rgb.reshape(-1, 3)).clip(0, 1).reshape(-1)
    made: Look = {}
    for fixture, names in given.items():
        where = rig.where.get(fixture, {})
        levels = [plain[row] for _, row in where.get(at.DIMMER, ())]
        if levels and max(levels) <= DARK:
            continue
        own: dict[str, Value] = {}
        for name, (value, whole) in names.items():
            if isinstance(value, str) and whole and name != at.DIMMER:
                own[name] = value
            elif name in where:
                own[name] = _of_cells(
                    [(cell, float(plain[row])) for cell, row in where[name]]
                )
            elif not isinstance(value, str):
                own[name] = value
        if levels and at.DIMMER not in own:
            own[at.DIMMER] = _of_cells(
                [(cell, float(plain[row])) for cell, row in where[at.DIMMER]]
            )
        if own:
            made[fixture] = own
    return made


def given_values(
    programme: Programme, state: PlayState, now: float
) -> dict[str, dict[str, tuple[Value, bool]]]:
    """For each fixture and attribute that some layer gives: the uppermost one's value,
    and whether it is wholly on.
    """
    layers: list[tuple[Look, float]] = []
    for player in sorted(state.players, key=lambda p: (p.priority, p.order)):
        scene = programme.show.scenes.get(player.scene)
        weight = player.weight_at(now)
        if scene is not None and weight > 0:
            layers.append(
                (
                    scene.look,
                    1.0 if player.weight.end > 0 and len(player.steps) == 1 else 0.0,
                )
            )
    if not state.draft.blind:
        layers.append((state.draft.look, 1.0))
    found: dict[str, dict[str, tuple[Value, bool]]] = {}
    below: Look = {}
    for look, share in layers:
        for fixture, values in look.items():
            own = found.setdefault(fixture, {})
            merged = merge_looks({fixture: below.get(fixture, {})}, {fixture: values})[
                fixture
            ]
            found[fixture] = {
                n: own[n] if n in own and n not in values else (merged[n], share >= 1.0)
                for n in merged
            }
            below[fixture] = merged
    return found


def _of_cells(values: list[tuple[int, float]]) -> Value:
    """One value where all cells have it, else one for each."""
    numbers = [v for _, v in values]
    if np.ptp(numbers) < 1e-9 or len(numbers) == 1:
        return numbers[0]
    by_cell = dict(values)
    return tuple(by_cell.get(c) for c in range(1, max(by_cell) + 1))


def lit(programme: Programme, state: PlayState, now: float) -> list[str]:
    """The fixtures that shine now, before the masters."""
    values, rig = unmastered(programme, state, now), programme.rig
    return [
        i
        for i, names in rig.where.items()
        if any(values[row] > DARK for _, row in names.get(at.DIMMER, ()))
    ]
