"""A part of a scene: some families, some fixtures."""

from __future__ import annotations

import pytest

from choreon.demo import low_tide
from choreon.model import attributes as at
from choreon.model import edits
from choreon.model.effects import fixtures_of
from choreon.model.motion import Effect, Wave
from choreon.model.only import keep_part, only
from choreon.model.playables import Scene

ALL = tuple(str(name) for name in at.Family)
LOOK = {
    "par-1": {"Dimmer": 0.5, "ColorRGB_Red": 1.0},
    "spot-1": {"Dimmer": 1.0, "Pan": 30.0},
}


@pytest.fixture(scope="module")
def show():
    made = low_tide()
    made, _ = edits.keep_group(made, "Both", ["par-1", "par-2"])
    return made


def wave(effect_id: str, attribute: str, **fields) -> Effect:
    return Effect(id=effect_id, motion=Wave(attribute=attribute), **fields)


def test_all_of_it_is_all_of_it(show):
    effects = (wave("a", "Dimmer", fixtures=("par-1",)),)
    assert only(show, LOOK, effects, ALL) == (LOOK, effects)


def test_families_are_told_apart(show):
    look, _ = only(show, LOOK, (), ["colour"])
    assert look == {"par-1": {"ColorRGB_Red": 1.0}}
    look, _ = only(show, LOOK, (), ["position"])
    assert look == {"spot-1": {"Pan": 30.0}}
    assert only(show, LOOK, (), ["beam"]) == ({}, ())


def test_fixtures_are_told_apart(show):
    look, _ = only(show, LOOK, (), ALL, ["spot-1", "par-9"])
    assert look == {"spot-1": LOOK["spot-1"]}


def test_an_effect_goes_with_its_family_and_its_fixtures(show):
    level = wave("a", "Dimmer", fixtures=("par-1", "par-2"), cells={"par-2": (1,)})
    pan = wave("b", "Pan", fixtures=("spot-1",))
    _, effects = only(show, {}, (level, pan), ["intensity"], ["par-1", "spot-1"])
    assert len(effects) == 1
    assert effects[0].fixtures == ("par-1",)
    assert effects[0].cells == {}


def test_an_effect_on_a_group_follows_it_as_long_as_nobody_is_left_out(show):
    group = next(i for i, g in show.groups.items() if g.name == "Both")
    effect = wave("a", "Dimmer", group=group)
    _, whole = only(show, {}, (effect,), ALL, ["par-1", "par-2", "par-3"])
    assert whole == (effect,)
    _, part = only(show, {}, (effect,), ALL, ["par-2"])
    assert part[0].group == ""
    assert fixtures_of(show, part[0]) == ("par-2",)


def test_a_clock_that_is_left_behind_is_not_followed(show):
    lead = wave("lead", "Pan", fixtures=("spot-1",))
    follows = wave("a", "Dimmer", fixtures=("par-1",), clock="lead")
    _, both = only(show, {}, (lead, follows), ALL)
    assert both[1].clock == "lead"
    _, one = only(show, {}, (lead, follows), ["intensity"])
    assert [e.clock for e in one] == [""]


def test_a_part_is_kept_beside_its_scene_with_its_times(show):
    scene = next(p for p in show.playables.values() if isinstance(p, Scene))
    after, ref = keep_part(show, scene, scene.name, LOOK, ())
    made = after.playables[ref.id]
    assert after.playables[scene.id] is scene
    assert made.look == LOOK
    assert made.name != scene.name  # a name that is taken gets a number
    assert (made.fade_in, made.fade_out) == (scene.fade_in, scene.fade_out)
