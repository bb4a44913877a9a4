"""Stacks edited: numbers, what is typed, and what cannot be."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.formats import showfile
from choreon.model import cues, edits
from choreon.model.changes import apply, difference
from choreon.model.checks import check
from choreon.model.cue_plays import parse_plays, plays_in_words
from choreon.model.cue_words import (
    NotUnderstood,
    follow_as_typed,
    parse_follow,
    parse_times,
    times_in_words,
)
from choreon.model.cues import NumberTaken, PlaysItself, cue_of, numbers_between
from choreon.model.playables import Stack
from choreon.model.playables.stack import (
    Cue,
    CueAct,
    Follow,
    FollowKind,
    LampTimes,
    contents,
    number_in_words,
    seconds,
    times_of,
)
from choreon.model.refs import Ref
from choreon.model.script import TextPlace
from choreon.model.show import Show
from choreon.model.tiles import Part
from choreon.model.verbs import Verb

SHOW = low_tide()
FERRY = Ref("stack", "last-ferry")


def empty() -> tuple[Show, Ref]:
    return cues.keep_stack(SHOW, "Dusk")


def numbers(show: Show, ref: Ref) -> list[float]:
    return [cue.number for cue in cues.stack_of(show, ref).cues]


def filled(count: int) -> tuple[Show, Ref]:
    show, ref = empty()
    show, _ = cues.add_cues(show, ref, [cue_of(f"C{n}") for n in range(count)])
    return show, ref


def test_cues_are_counted_and_those_between_get_numbers_between():
    show, ref = filled(3)
    assert numbers(show, ref) == [1.0, 2.0, 3.0]
    first = cues.stack_of(show, ref).cues[0].id
    show, ids = cues.add_cues(show, ref, [cue_of("between")], first)
    assert numbers(show, ref) == [1.0, 1.5, 2.0, 3.0]
    show, _ = cues.add_cues(show, ref, [cue_of(), cue_of()], ids[0])
    made = numbers(show, ref)
    assert made[:2] == [1.0, 1.5]
    assert 1.5 < made[2] < made[3] < 2.0
    show, _ = cues.add_cues(show, ref, [cue_of("first")], "")
    assert 0.0 < numbers(show, ref)[0] < 1.0


@given(
    low=st.integers(0, 2000).map(lambda n: n / 100),
    gap=st.integers(1, 3000).map(lambda n: n / 1000),
    count=st.integers(1, 40),
)
def test_numbers_between_lie_between_and_rise(low, gap, count):
    high = low + gap
    found = numbers_between(low, high, count)
    if found is None:
        # there is no room at thousandths
        assert math.ceil(high * 1000) - math.floor(low * 1000) - 1 <= count
        return
    assert len(found) == count
    assert all(a < b for a, b in zip([low, *found], [*found, high], strict=True))
    assert all(round(n, 3) == n for n in found)


def test_where_there_is_no_room_what_comes_behind_is_counted_on():
    show, ref = empty()
    tight = [cue_of(id="a", number=1.0), cue_of(id="b", number=1.001)]
    stack = edits.replace(cues.stack_of(show, ref), cues=tuple(tight))
    show = edits.put(show, "playables", stack)
    show, _ = cues.add_cues(show, ref, [cue_of("new")], "a")
    assert numbers(show, ref) == [1.0, 2.0, 3.0]


def test_a_number_that_is_taken_is_refused_and_another_moves_the_cue():
    show, ref = filled(3)
    last = cues.stack_of(show, ref).cues[2].id
    with pytest.raises(NumberTaken):
        cues.set_number(show, ref, last, 1.0)
    show = cues.set_number(show, ref, last, 0.5)
    assert [cue.name for cue in cues.stack_of(show, ref).cues] == ["C2", "C0", "C1"]
    for wrong in (-1.0, 1e9, float("nan")):
        with pytest.raises(ValueError):
            cues.set_number(show, ref, last, wrong)


def test_move_repeat_remove_and_renumber():
    show, ref = filled(4)
    ids = [cue.id for cue in cues.stack_of(show, ref).cues]
    show = cues.move_cues(show, ref, [ids[3], ids[0]], 2)
    names = [cue.name for cue in cues.stack_of(show, ref).cues]
    assert names == ["C1", "C0", "C3", "C2"]
    made = numbers(show, ref)
    assert made == sorted(made)
    assert len(set(made)) == 4
    assert cues.move_cues(show, ref, [ids[1]], 0) is show

    show, fresh = cues.repeat_cues(show, ref, [ids[1]])
    assert [cue.name for cue in cues.stack_of(show, ref).cues][:2] == ["C1", "C1"]
    show = cues.remove_cues(show, ref, fresh)
    show = cues.renumber(show, ref, 10.0, 5.0)
    assert numbers(show, ref) == [10.0, 15.0, 20.0, 25.0]


def test_a_stack_that_would_play_itself_is_refused():
    show, ref = filled(1)
    cue = cues.stack_of(show, ref).cues[0]
    with pytest.raises(PlaysItself):
        cues.add_parts(show, ref, [cue.id], [ref])
    other, there = cues.keep_stack(show, "Outer")
    other, _ = cues.add_cues(other, there, [cue_of(plays=(Part(ref),))])
    with pytest.raises(PlaysItself):
        cues.add_parts(other, ref, [cue.id], [there])


def test_nested_too_deep_is_refused():
    show, ref = filled(1)
    for n in range(7):
        show, outer = cues.keep_stack(show, f"Outer {n}")
        show, _ = cues.add_cues(show, outer, [cue_of(plays=(Part(ref),))])
        ref = outer
    show, last = cues.keep_stack(show, "Last")
    show, _ = cues.add_cues(show, last, [cue_of(plays=(Part(ref),))])
    show, beyond = cues.keep_stack(show, "Beyond")
    with pytest.raises(PlaysItself):
        cues.add_cues(show, beyond, [cue_of(plays=(Part(last),))])


@pytest.mark.parametrize(
    ("typed", "times"),
    [
        ("2", (2.0, 2.0, 0.0, 0.0)),
        ("2/3", (2.0, 3.0, 0.0, 0.0)),
        ("/3", (None, 3.0, 0.0, 0.0)),
        ("2/", (2.0, None, 0.0, 0.0)),
        ("1+2/0.5", (2.0, 0.5, 1.0, 0.0)),
        ("1+2", (2.0, 2.0, 1.0, 1.0)),
        ("1:30 / 2,5 s", (90.0, 2.5, 0.0, 0.0)),
        ("0", (0.0, 0.0, 0.0, 0.0)),
        ("", (None, None, 0.0, 0.0)),
    ],
)
def test_times_as_they_are_typed(typed, times):
    assert tuple(parse_times(typed)) == times


@pytest.mark.parametrize(
    "typed", ["2/3/4", "x", "-1", "1e99", "nan", "inf", "1:2:3:4", "+", "2//3", "٣x"]
)
def test_times_that_mean_nothing_are_refused(typed):
    with pytest.raises(NotUnderstood):
        parse_times(typed)


@pytest.mark.parametrize(
    ("typed", "follow"),
    [
        ("", Follow()),
        ("GO", Follow()),
        ("+4", Follow(FollowKind.BEGUN, 4.0)),
        ("4,5", Follow(FollowKind.BEGUN, 4.5)),
        ("+1:30", Follow(FollowKind.BEGUN, 90.0)),
        ("done", Follow(FollowKind.COMPLETE)),
        ("done 2", Follow(FollowKind.COMPLETE, 2.0)),
        ("2 beats", Follow(FollowKind.BEAT, 2.0)),
        ("bar", Follow(FollowKind.BAR, 1.0)),
        ("21:30", Follow(FollowKind.CLOCK, 77_400.0)),
        ("at 09:05:30", Follow(FollowKind.CLOCK, 32_730.0)),
    ],
)
def test_what_a_cue_waits_for_as_it_is_typed(typed, follow):
    assert parse_follow(typed) == follow
    assert parse_follow(follow_as_typed(follow)) == follow


@pytest.mark.parametrize("typed", ["25:00", "12:75", "x", "-4", "beatles", "+", "1e9"])
def test_what_nobody_can_wait_for_is_refused(typed):
    with pytest.raises(NotUnderstood):
        parse_follow(typed)


@given(
    st.builds(
        Cue,
        id=st.just("q"),
        number=st.just(1.0),
        fade_in=st.one_of(st.none(), st.floats(0, 600).map(lambda t: round(t, 2))),
        fade_out=st.one_of(st.none(), st.floats(0, 600).map(lambda t: round(t, 2))),
        delay_in=st.floats(0, 60).map(lambda t: round(t, 1)),
        delay_out=st.floats(0, 60).map(lambda t: round(t, 1)),
    )
)
def test_times_in_words_can_be_typed_again(cue):
    stack = Stack(id="s", name="S", fade_in=3.0, fade_out=2.0, cues=(cue,))
    typed = parse_times(times_in_words(stack, cue))
    again = edits.replace(cue, **typed._asdict())
    assert times_of(stack, again) == times_of(stack, cue)


@pytest.mark.parametrize("wrong", [-3.0, float("nan"), float("inf"), 1e9])
def test_no_time_is_beyond_what_can_be_played(wrong):
    assert 0.0 <= seconds(wrong) <= 86_400.0


def test_what_a_cue_plays_is_typed_by_name():
    but = Ref("stack", "other")
    plays = parse_plays(SHOW, "mudlight, Front wash 40 %", (), but)
    assert plays == (
        Part(Ref("scene", "mudlight"), 1.0),
        Part(Ref("scene", "front-wash"), 0.4),
    )
    cue = Cue(id="q", number=1.0, plays=plays)
    assert parse_plays(SHOW, plays_in_words(SHOW, cue), (), but) == plays
    assert parse_plays(SHOW, "", plays, but) == ()
    kept = (Part(Ref("scene", "mudlight"), 1.0, ("colour",)),)
    assert parse_plays(SHOW, "Mudlight 50%", kept, but)[0].only == ("colour",)
    with pytest.raises(NotUnderstood):
        parse_plays(SHOW, "Mudlight, Nobody", (), but)
    with pytest.raises(NotUnderstood):
        parse_plays(SHOW, "The Last Ferry", (), FERRY)


def test_a_number_is_said_as_short_as_it_is():
    assert [number_in_words(n) for n in (1.0, 12.5, 0.125, 99_999.0)] == [
        "1",
        "12.5",
        "0.125",
        "99999",
    ]


def test_the_sample_play_is_whole():
    stack = cues.stack_of(SHOW, FERRY)
    assert len(stack.cues) == 24
    assert all(cue.at is not None for cue in stack.cues)
    places = [cue.at for cue in stack.cues]
    assert places == sorted(places)
    assert not [p for p in check(SHOW) if "last-ferry" in p.path]


def test_a_stack_is_kept_in_the_file_and_told_as_a_difference(tmp_path):
    path = tmp_path / "play.choreon"
    showfile.write(path, SHOW)
    assert showfile.read(path).playables["last-ferry"] == SHOW.playables["last-ferry"]
    after = cues.change_cues(SHOW, FERRY, ["ferry-3"], name="Otherwise")
    assert apply(SHOW, difference(SHOW, after)) == after


def test_what_is_gone_is_told_and_what_is_renamed_is_followed():
    gone = edits.remove(SHOW, Ref("scene", "cello"))
    told = [p.text for p in check(gone) if "last-ferry" in p.path]
    assert any("plays what is gone" in text for text in told)
    assert Ref("stack", "last-ferry") in edits.used_by(SHOW, Ref("scene", "cello"))


def test_lamps_keep_their_own_times_when_the_group_they_had_them_by_goes():
    group, lone = (
        next(iter(SHOW.groups.values())),
        Ref("fixture", next(iter(SHOW.fixtures))),
    )
    of = Ref("group", group.id)
    parts = (LampTimes(of=(lone, of), fade_in=7.0), LampTimes(of=(lone,), fade_in=1.0))
    show = cues.change_cues(SHOW, FERRY, ["ferry-3"], lamps=parts)
    assert FERRY in edits.used_by(show, of)
    assert FERRY in edits.used_by(show, lone)

    after = edits.remove(show, of)
    wide, narrow = after.playables["last-ferry"].cue("ferry-3").lamps
    members = [Ref("fixture", i) for i in group.fixtures]
    assert list(wide.of) == list(dict.fromkeys([lone, *members]))
    assert wide.fade_in == 7.0
    assert narrow == parts[1]


def test_of_what_is_named_twice_in_a_cue_the_later_counts():
    part = Part(Ref("scene", "cello"), 0.5)
    twice = Cue(id="q", number=1.0, plays=(Part(part.ref), part))
    assert contents(Stack(id="s", name="S", cues=(twice,)), twice).plays == (part,)


def test_numbers_that_are_there_twice_are_told():
    twice = tuple(Cue(id=f"q{n}", number=3.0) for n in range(2))
    show = edits.put(SHOW, "playables", Stack(id="s", name="S", cues=twice))
    assert any("there twice" in p.text for p in check(show))


def test_acts_and_places_travel_with_a_copy():
    rich = cue_of(
        "rich",
        does=(CueAct(Ref("master", "tempo"), Verb.BPM, 90.0),),
        at=TextPlace(3, 2),
        note="n",
    )
    show, ref = empty()
    show, ids = cues.add_cues(show, ref, [rich])
    show, again = cues.repeat_cues(show, ref, ids)
    first, second = cues.stack_of(show, ref).cues
    assert edits.replace(second, id=first.id, number=first.number) == first
    assert again == (second.id,)
