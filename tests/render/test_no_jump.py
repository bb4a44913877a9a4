"""No value of a lit lamp moves faster than a fade explains: random shows, pressed at
random times, looked at every millisecond.
"""

from __future__ import annotations

import random

import pytest

from tests.render import wander

pytestmark = pytest.mark.slow


@pytest.mark.parametrize("seed", [0, 1])
def test_no_lit_lamp_jumps(seed):
    walk = wander.Walk(random.Random(seed))
    worst = walk.scan(step=0.002)
    assert worst.step <= worst.allowed, worst.story


@pytest.mark.parametrize("seed", [0, 1])
def test_no_lit_lamp_jumps_whatever_is_done_on_a_page(seed):
    """Choices, flashes, masters, override faders, lamps aside, the order of what is on,
    back to before: no lit lamp jumps by any of it.
    """
    walk = wander.PlayedWalk(random.Random(seed))
    worst = walk.scan(step=0.002)
    assert worst.step <= worst.allowed, worst.story


@pytest.mark.parametrize("seed", [0, 1])
def test_no_lit_lamp_jumps_by_canvases(seed):
    """Nor by pictures, their dark cells among them, that come, go, follow each other in
    a choice and stand beside scenes.
    """
    walk = wander.CanvasWalk(random.Random(seed))
    worst = walk.scan(step=0.002)
    assert worst.step <= worst.allowed, worst.story
    assert wander.CanvasWalk(random.Random(seed)).apart() < 1e-9


@pytest.mark.parametrize("seed", [0, 1])
def test_no_lit_lamp_jumps_by_what_groups_are_given(seed):
    """Nor by palettes, levels and motions of groups, in strips, on pads and faders, that
    mix with scenes and with each other.
    """
    walk = wander.GivenWalk(random.Random(seed))
    worst = walk.scan(step=0.002)
    assert worst.step <= worst.allowed, worst.story
    assert wander.GivenWalk(random.Random(seed)).apart() < 1e-9


@pytest.mark.parametrize("seed", range(8))
def test_the_trace_tells_the_same_light(seed):
    """Laid one by one and recorded, or what stands laid together: the same values."""
    walk = wander.Walk(random.Random(1000 + seed))
    assert walk.apart() < 1e-9
    played = wander.PlayedWalk(random.Random(1000 + seed))
    assert played.apart() < 1e-9


def test_a_rule_that_forgets_who_else_lights_the_lamp_is_caught(monkeypatch):
    """The scan sees what it is there to see: with every layer weighed by itself alone,
    lamps jump.
    """
    from choreon.render import layers

    monkeypatch.setattr(
        layers, "part_of", lambda light, whole: layers.np.zeros(len(light))
    )
    walks = (wander.Walk(random.Random(seed)).scan(step=0.004) for seed in range(12))
    assert any(worst.step > worst.allowed for worst in walks)
