"""Choosing: typed words, every nth, orders."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.model import choosing

SHOW = low_tide()


def names(found) -> list[str]:
    return [SHOW.fixtures[i].short for i in found]


@pytest.mark.parametrize(
    ("words", "expected"),
    [
        ("par", [f"par{i}" for i in range(1, 9)]),
        ("par3", ["par3"]),
        ("Par 3", ["par3"]),
        ("par 1-4", ["par1", "par2", "par3", "par4"]),
        ("par 4-1", ["par1", "par2", "par3", "par4"]),
        ("par 1 3 7-", ["par1", "par3", "par7", "par8"]),
        ("spot odd", ["spot1", "spot3"]),
        ("spot even", ["spot2", "spot4"]),
        ("par every 3", ["par1", "par4", "par7"]),
        ("spots", ["spot1", "spot2", "spot3", "spot4"]),
        ("spot + wash", ["spot1", "spot2", "spot3", "spot4", "wash1", "wash2"]),
        ("spot, wash2", ["spot1", "spot2", "spot3", "spot4", "wash2"]),
        ("spot -spot2", ["spot1", "spot3", "spot4"]),
        ("bar", ["bar1", "bar2"]),
        ("upl", ["uplight1", "uplight2", "uplight3", "uplight4"]),
        ("1-3", ["front1", "front2", "front3"]),
        ("none", []),
    ],
)
def test_what_typed_words_mean(words, expected):
    assert names(choosing.typed(SHOW, words)) == expected


def test_typed_words_that_go_on_from_the_choice():
    assert names(choosing.typed(SHOW, "+ wash", ("spot-1",))) == [
        "spot1",
        "wash1",
        "wash2",
    ]
    assert names(
        choosing.typed(SHOW, "- par 2-8", tuple(f"par-{i}" for i in range(1, 9)))
    ) == ["par1"]
    everyone = choosing.typed(SHOW, "all")
    assert everyone == tuple(SHOW.fixtures)
    assert choosing.typed(SHOW, "invert", everyone[:-1]) == everyone[-1:]


@pytest.mark.parametrize(
    "words", ["", "   ", "zebra", "par 99", "par + zebra", "+", "every", "par every 0x"]
)
def test_words_that_mean_nobody(words):
    assert choosing.typed(SHOW, words) is None


@given(st.text(max_size=30))
def test_no_words_break_it(words):
    found = choosing.typed(SHOW, words, ("par-1",))
    assert found is None or set(found) <= set(SHOW.fixtures)


IDS = st.lists(st.sampled_from(list(SHOW.fixtures)), unique=True)


@given(IDS, st.integers(0, 99))
def test_orders_keep_everyone(ids, seed):
    for made in (
        choosing.turned(ids),
        choosing.mirrored(ids),
        choosing.shuffled(ids, seed),
        choosing.by_place(SHOW, ids),
    ):
        assert sorted(made) == sorted(ids)
    assert choosing.turned(choosing.turned(ids)) == tuple(ids)
    assert choosing.shuffled(ids, seed) == choosing.shuffled(ids, seed)


def test_orders_by_hand():
    assert choosing.mirrored("abcde") == ("a", "e", "b", "d", "c")
    assert choosing.mirrored("abcd") == ("a", "d", "b", "c")
    assert choosing.every("abcdefg", 3) == ("a", "d", "g")
    assert choosing.every("abcdefg", 2, 2) == ("b", "d", "f")
    pars = [f"par-{i}" for i in (8, 1, 5, 4)]
    assert choosing.by_place(SHOW, pars) == (
        "par-1",
        "par-5",
        "par-4",
        "par-8",
    )  # −3 (1.6 m, 3.6 m), 3 (1.6 m, 3.6 m)
    assert choosing.alike(SHOW, ["bar-1"]) == ("bar-1", "bar-2")


def test_going_through_a_choice_one_by_one():
    assert choosing.next_of("abc", None, 1) == "a"
    assert choosing.next_of("abc", None, -1) == "c"
    assert choosing.next_of("abc", "a", 1) == "b"
    assert choosing.next_of("abc", "c", 1) == "a"
    assert choosing.next_of("abc", "a", -1) == "c"
    assert choosing.next_of("", None, 1) is None
