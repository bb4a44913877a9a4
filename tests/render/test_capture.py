"""What is on, captured as one scene: alone it gives the same light, now and for the next
ten seconds, or says which lamps do not.
"""

from __future__ import annotations

import random

import numpy as np
import pytest

from choreon.engine import actions
from choreon.engine.actions import housekeeping
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.motion import EffectMode, Rate, Shape
from choreon.model.refs import Ref
from choreon.model.verbs import Verb
from choreon.render.capture import (
    capture,
    capture_effects,
    channels_of,
    not_alike,
)
from choreon.render.compiled import compile_show
from choreon.render.compositor import levels
from choreon.render.state import Masters
from tests import play
from tests.render.test_effects import lit, on, scene, value, wave
from tests.render.wander import PlayedWalk


def captured(compiled, state, now):
    """What is captured, whom it names, the show that has it, and the state in which it
    alone is on.
    """
    look = capture(compiled, state, now)
    effects = capture_effects(compiled, state, now)
    told = not_alike(compiled, state, now, look, effects)
    show, ref = edits.keep_scene(
        compiled.show, "Captured", look, 0.0, 0.0, effects=effects
    )
    alone = edits.replace(play.blank(), clock=state.clock)
    alone = actions.perform(show, alone, Do(ref, Verb.PRESS), now)
    return effects, told, compile_show(show, compiled), alone


@pytest.mark.parametrize("seed", range(40))
def test_of_random_situations_capture_gives_the_same_light_or_names_the_lamps(seed):
    walk = PlayedWalk(random.Random(f"capture {seed}"))
    state, now = walk.state_at_start(), 0.0
    for now, what, tile, number in walk.deeds:
        state = housekeeping.prune(walk.act(state, what, tile, number, now), now)
    now += walk.dice.uniform(0.0, 4.0)
    state = housekeeping.prune(state, now)
    _, told, after, alone = captured(walk.compiled, state, now)
    clear = edits.replace(state, masters=Masters(), identify=None)
    rig = after.rig
    for later in (0.0, *np.random.default_rng(seed).uniform(0, 10, 12)):
        as_it_is = levels(after, clear, now + later)
        kept = levels(after, alone, now + later)
        apart = np.abs(as_it_is - kept) / np.maximum(rig.full, 1.0) * 255.0
        shines = {
            fixture: max(
                value(after, one, now + later, fixture) for one in (clear, alone)
            )
            for fixture in rig.where
        }
        for fixture in after.show.fixtures:
            if fixture not in told and shines.get(fixture, 0.0) > 0.02:
                own = channels_of(after)[fixture]
                assert apart[own].max(initial=0.0) <= 3.0, (fixture, later)


@pytest.mark.slow
def test_captures_are_not_all_told():
    """What stands, and what moves by itself alone, is kept to the byte."""
    silent = 0
    for seed in range(40):
        walk = PlayedWalk(random.Random(f"capture {seed}"))
        state = walk.state_at_start()
        for now, what, tile, number in walk.deeds[:2]:
            state = housekeeping.prune(walk.act(state, what, tile, number, now), now)
        told = captured(walk.compiled, housekeeping.prune(state, 20.0), 20.0)[1]
        silent += len(walk.compiled.show.fixtures) - len(told)
    assert silent > 60


@pytest.mark.parametrize("shape", [s for s in Shape if s != Shape.RANDOM])
@pytest.mark.parametrize("still", [0.3, 0.5, 0.9])
def test_a_wave_below_a_brighter_still_scene_is_cut_off_at_it(shape, still):
    compiled, state = on(
        scene("a", lit(still)),
        scene("w", lit(0.0), wave(shape=shape, low=0.1, high=0.8, width=0.4)),
    )
    effects, told, after, alone = captured(compiled, state, 2.3)
    assert bool(effects) == (still < 0.8)
    if shape not in (Shape.STEPS,):
        assert not told
    for later in np.arange(0.0, 10.0, 0.37):
        want = value(after, state, 2.3 + later, "par-1")
        assert value(after, alone, 2.3 + later, "par-1") == pytest.approx(
            want, abs=0.02
        )


def test_what_one_scene_cannot_hold_is_named_before():
    """Two waves on the same lamps, a path on its way in, a chase."""
    two = (
        scene("a", lit(0.0), wave(rate=Rate(seconds=3.0))),
        scene(
            "b",
            lit(0.0, "par-1"),
            edits.replace(wave(fixtures=("par-1",), rate=Rate(seconds=2.0)), id="f"),
        ),
    )
    compiled, state = on(*two)
    _, told, after, alone = captured(compiled, state, 1.0)
    assert told == ["par-1"]
    for later in (0.0, 1.1, 7.3):
        want = value(after, state, 1.0 + later, "par-2")
        assert value(after, alone, 1.0 + later, "par-2") == pytest.approx(
            want, abs=0.003
        )


def test_a_look_at_a_level_in_a_choice_is_captured_at_that_level():
    from choreon.model.tiles import Choice, Page, Part

    compiled, _ = on(
        scene("w", lit(0.4), wave(mode=EffectMode.REPLACES, low=0.2, high=1.0))
    )
    tile = Choice(id="c", plays=(Part(Ref("scene", "w"), 0.5),))
    show = edits.put(compiled.show, "pages", Page(id="p", name="P", tiles=(tile,)))
    state = actions.perform(show, play.blank(), Do(tile.ref, Verb.PRESS), 0.0)
    _, told, after, alone = captured(compile_show(show), state, 1.3)
    assert not told
    for later in (0.0, 0.9, 3.3):
        want = value(after, state, 1.3 + later, "par-1")
        assert want <= 0.5
        assert value(after, alone, 1.3 + later, "par-1") == pytest.approx(
            want, abs=1e-6
        )
