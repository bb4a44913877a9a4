"""Baking: what moves, sampled into the steps of a chase."""

from __future__ import annotations

import numpy as np

from choreon.model import attributes as at
from choreon.model.effects import rate_of
from choreon.model.motion import Effects, Rate
from choreon.model.playables import Canvas
from choreon.model.playables.chase import ChaseStep, Unit
from choreon.model.refs import Ref
from choreon.model.values import Look
from choreon.render.capture import of_cells, with_light
from choreon.render.compiled import CompiledShow
from choreon.render.looks import CompiledLook
from choreon.render.rig import Flags, Floats, Rig
from choreon.render.state import Step, Time

LEAST, MOST = 2, 256  # steps


class Baked:
    """The steps of a cycle: how long it takes, in which unit."""

    def __init__(self, steps: tuple[ChaseStep, ...], length: float, unit: Unit) -> None:
        self.steps, self.length, self.unit = steps, length, unit

    @property
    def fade(self) -> float:
        """How long each step takes, in the unit: it goes over all the time."""
        return self.length / max(1, len(self.steps))


def slowest(compiled: CompiledShow, effects: Effects) -> Rate:
    """Returns the rate of the effect with the longest cycle."""
    rates = [rate_of(compiled.show, e, effects) for e in effects if e.on]
    moving = [rate for rate in rates if rate.speed > 0]
    return min(moving, key=lambda rate: rate.speed, default=Rate())


def bake(compiled: CompiledShow, ref: Ref, effects: Effects, density: int) -> Baked:
    """Returns a scene's look with its effects as so many steps over the cycle of the
    slowest; what scales or adds to others' light is not in it.
    """
    return _sampled(compiled, ref, slowest(compiled, effects), density)


def bake_canvas(compiled: CompiledShow, canvas: Canvas, density: int) -> Baked:
    """Returns what a canvas paints as so many steps over the cycle of the slowest of
    its layers.
    """
    rates = [layer.rate for layer in canvas.layers if layer.on and layer.rate.speed > 0]
    rate = min(rates, key=lambda rate: rate.speed, default=Rate())
    return _sampled(compiled, canvas.ref, rate, density)


def _sampled(compiled: CompiledShow, ref: Ref, rate: Rate, density: int) -> Baked:
    """What something gives at so many moments of a cycle."""
    source = compiled.source(Step(ref=ref))
    if source is None or source.still:
        return Baked((), 0.0, Unit.SECONDS)

    live = source.live({})
    assert live is not None
    count = min(MOST, max(LEAST, density))
    length = 1.0 / rate.speed if rate.speed > 0 else 1.0

    steps = []
    for n in range(count):
        part = length * n / count
        # a beat counts as a second where both are asked for
        live.move(Time(part, part))
        given = live.give(1.0, np.zeros(len(live.look.claims[0])))
        look = _look(compiled.rig, live.look, live.levels, given.values)
        steps.append(ChaseStep(id=f"step-{n + 1}", look=look))

    unit = Unit.BEATS if rate.by_tempo else Unit.SECONDS
    return Baked(tuple(steps), length, unit)


def _look(rig: Rig, look: CompiledLook, levels: Floats, values: Floats) -> Look:
    """What rows come to, as a look to be stored."""
    dense, given = np.zeros(rig.size), np.zeros(rig.size, bool)
    dense[look.lamps], given[look.lamps] = levels, True
    plain_rows = look.plain_rows
    dense[plain_rows], given[plain_rows] = values[: len(plain_rows)], True
    plain = with_light(rig, dense)

    made: Look = {}
    for fixture, names in rig.where.items():
        own = {
            name: of_cells(plain, places)
            for name, places in names.items()
            if _is_given(given, places) and not at.attribute(name).command
        }
        if own:
            made[fixture] = own

    return made


def _is_given(given: Flags, places: list[tuple[int, int]]) -> bool:
    return all(given[row] for _, row in places)
