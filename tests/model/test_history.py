"""Undo, bounded by what it holds."""

from __future__ import annotations

import random
import tracemalloc

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.model import edits
from choreon.model.history import Held, History, same
from choreon.model.show import Show


def changed(show: Show, dice: random.Random) -> Show:
    """Another value for one lamp in one scene."""
    scenes = [p for p in show.playables.values() if hasattr(p, "look") and p.look]
    scene = dice.choice(scenes)
    lamp = dice.choice(list(scene.look))
    look = {**scene.look, lamp: {**scene.look[lamp], "Dimmer": dice.random()}}
    return edits.put(show, "playables", edits.replace(scene, look=look))


@pytest.mark.parametrize("most", [1 << 20, 4 << 20])
def test_what_undo_holds_is_bounded_and_measured_about_rightly(most):
    dice = random.Random(1)
    history = History(low_tide(), most)
    for _ in range(20):
        history.do("warm up", changed(history.show, dice))
    tracemalloc.start()
    try:
        for i in range(3000):
            history.do(f"step {i}", changed(history.show, dice))
        held = tracemalloc.get_traced_memory()[0]
    finally:
        tracemalloc.stop()
    assert most / 2 < history.bytes_held <= most
    assert held < 2 * most
    taken_back = 0
    while history.undo():
        taken_back += 1
    assert taken_back > 40
    assert history.undo_name == ""
    assert history.show != low_tide()  # the way back to there was forgotten
    for _ in range(taken_back):
        assert history.redo()
    assert history.redo_name == ""


@given(
    st.lists(st.sampled_from(["do", "same gesture", "undo", "redo"]), max_size=60),
    st.sampled_from([0, 3000, 1 << 30]),
)
def test_whatever_is_forgotten_undo_goes_back_in_order(acts, most):
    """Beside a list of all shows there ever were: undo gives the one before, as long as
    there is one, and the last step can always be taken back.
    """
    base = Show(id="s", name="0")
    history = History(base, most)
    been, at = [base], 0
    for n, act in enumerate(acts, 1):
        if act in ("do", "same gesture"):
            show = edits.replace(history.show, name=str(n))
            history.do(str(n), show, gesture=None if act == "do" else n)
            been, at = [*been[: at + 1], show], at + 1
            assert history.undo_name == str(n)
        elif act == "undo" and history.undo():
            at -= 1
        elif act == "redo" and history.redo():
            at += 1
        assert history.show == been[at]


def test_one_huge_step_can_be_taken_back():
    history = History(low_tide(), 100)
    many = {f"l{i}": {"Dimmer": 0.5} for i in range(5000)}
    history.do("all", edits.replace(history.show, name="x"), None, Held(), Held(many))
    assert history.bytes_held > 100
    assert history.undo() is not None
    assert history.show == low_tide()


def test_an_edit_that_changes_nothing_is_no_step():
    """Built anew, with the same in it: nothing to take back. Another order is a
    change.
    """
    show = low_tide()
    history = History(show)
    pages = {key: edits.replace(page) for key, page in show.pages.items()}
    history.do("tidy", edits.replace(show, pages=pages))
    assert history.undo_name == ""
    assert history.show is show

    turned = dict(reversed(pages.items()))
    history.do("move a page", edits.replace(show, pages=turned))
    assert history.undo_name == "move a page"
    assert list(history.show.pages) == list(reversed(show.pages))


def test_a_gesture_that_comes_back_to_where_it_began_is_no_step():
    show = edits.replace(low_tide(), name="one")
    history = History(show)
    history.do("first", edits.replace(show, name="two"), gesture=1)
    history.do("drag", edits.replace(show, name="three"), gesture=2)
    history.do("drag", edits.replace(show, name="two"), gesture=2)
    assert history.undo_name == "first"
    history.do("drag", edits.replace(show, name="four"), gesture=2)
    assert history.undo_name == "drag"
    history.undo()
    assert history.show.name == "two"


@given(st.lists(st.sampled_from(["same", "other", "order"]), min_size=1, max_size=8))
def test_what_is_alike_is_found_whatever_it_is_made_of(acts):
    """Beside what the two shows say when they are written out whole."""
    one = low_tide()
    other = edits.replace(one)
    dice = random.Random(len(acts))
    for act in acts:
        if act == "same":
            other = edits.replace(other, fixtures=dict(other.fixtures))
        elif act == "other":
            other = changed(other, dice)
        else:
            first, *rest = other.groups.items()
            other = edits.replace(other, groups=dict([*rest, first]))
    written = [msgspec.msgpack.encode(show) for show in (one, other)]
    assert same(one, other) == (written[0] == written[1])
