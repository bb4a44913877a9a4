"""What differs between two states of a show, in words."""

from __future__ import annotations

import pytest

from choreon.demo import low_tide
from choreon.model import edits
from choreon.model.compare import MOST, Difference, compare, told
from choreon.model.refs import Ref


@pytest.fixture(scope="module")
def show():
    return low_tide()


def test_a_show_does_not_differ_from_itself(show):
    assert compare(show, show) == []
    assert compare(show, low_tide()) == []  # nor from an equal one


def test_a_fixture_that_was_moved_and_renamed_is_told_with_both(show):
    after = edits.change_fixtures(
        show, {"front-1": {"universe": 9, "address": 100, "name": "Left"}}
    )
    assert compare(show, after) == [
        Difference(
            "fixture",
            "changed",
            "Left",
            ("address 1.1 → 9.100", "was called Front 1"),
        )
    ]
    assert told(compare(show, after)) == [
        "Fixture Left: address 1.1 → 9.100 · was called Front 1"
    ]


def test_values_of_a_scene_are_counted_by_fixtures(show):
    scene = next(p for p in show.playables.values() if p.kind == "scene")
    one, two, *_ = scene.look
    look = {i: v for i, v in scene.look.items() if i != two}
    look[one] = {**look[one], "Dimmer": 0.123}
    after = edits.put(show, "playables", edits.replace(scene, look=look))
    assert told(compare(show, after)) == [f"Scene {scene.name}: values (2 fixtures)"]


def test_what_came_and_went_is_told_by_kind(show):
    after, _ = edits.add_page(show, "Matinee")
    after, _ = edits.keep_group(after, "Odd ones", ["par-1", "par-3"])
    pages = list(show.pages.values())
    after = edits.remove(after, Ref("page", pages[0].id))
    lines = told(compare(show, after))
    assert "1 group added: Odd ones" in lines
    assert "1 page added: Matinee" in lines
    assert f"1 page removed: {pages[0].name}" in lines
    back = told(compare(after, show))
    assert "1 group removed: Odd ones" in back
    assert f"1 page added: {pages[0].name}" in back


def test_of_many_the_first_are_named_and_the_rest_counted(show):
    ids = list(show.fixtures)[: MOST + 3]
    after = edits.change_fixtures(show, {i: {"note": "dusty"} for i in ids})
    lines = told(compare(show, after))
    assert len(lines) == MOST + 1
    assert lines[0].endswith("note none → dusty")
    assert lines[-1] == "and 3 fixtures more"


def test_what_there_is_once_and_an_order_are_told(show):
    after = edits.replace(show, name="High Tide", safe=())
    after = edits.move(after, Ref("group", list(show.groups)[-1]), 0)
    lines = told(compare(show, after))
    assert "The show's name: High Tide: was called Low Tide" in lines
    assert "The safe look" in lines or show.safe == ()
    assert "The order of groups" in lines
