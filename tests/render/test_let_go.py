"""What was compiled is freed as soon as it is let go: it does not wait for garbage to
be sought, which an engine never does, and a window seldom.
"""

from __future__ import annotations

import gc
import random
import weakref

import pytest

from tests import play
from tests.render import wander


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("kind", [wander.Walk, wander.PlayedWalk])
def test_a_compiled_show_is_freed_when_it_is_let_go(kind, seed):
    """A random show with chases, effects, a draft, over which hands have gone."""
    gc.collect()
    gc.disable()
    try:
        walk = kind(random.Random(seed))
        play.compile_all(walk.compiled)
        walk.scan(step=0.2)
        compiled = walk.compiled
        layers = [layer for layer, _ in compiled.plan.found]
        things = [compiled, *compiled.sources.values(), *layers]
        held = [weakref.ref(thing) for thing in things]
        assert len(held) > 5
        del compiled, layers, things
        vars(walk).clear()
        assert not [thing for ref in held if (thing := ref()) is not None]
    finally:
        gc.enable()
