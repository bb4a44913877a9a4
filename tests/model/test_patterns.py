"""Patterns: many, exact, and only over who takes part."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.model import chases, edits, links
from choreon.model.patterns import (
    RULES,
    SAME_AS,
    found,
    items_of,
    steps_of_pattern,
)
from choreon.model.playables.chase import Lie, Pattern
from choreon.model.refs import Ref

SHOW = low_tide()
PARS = tuple(f"par-{n}" for n in range(1, 9))


def lit(rule: str, lamps: int) -> list[str]:
    """The table in signs: # on, - off, + between."""
    signs = {0.0: "-", 1.0: "#"}
    return [
        "".join(signs.get(v, "+") for v in line) for line in RULES[rule].table(lamps)
    ]


def test_there_are_so_many_and_each_is_called_differently():
    assert len(RULES) == 143
    assert len({rule.name for rule in RULES.values()}) == len(RULES)


def turned_to_begin_alike(table):
    """The same round, begun where it is lowest: two rules that differ in where they
    begin are one.
    """
    return min(tuple(table[i:] + table[:i]) for i in range(len(table)))


def test_no_two_patterns_are_the_same():
    rounds = {}
    for rule in RULES.values():
        own = tuple(turned_to_begin_alike(rule.table(n)) for n in range(1, 25))
        assert own not in rounds, (rule.id, rounds[own])
        rounds[own] = rule.id


GROWING = ("fills", "builds", "gates")  # what is on stays on: the first longest


@pytest.mark.parametrize("rule", RULES.values(), ids=lambda rule: rule.id)
def test_each_lamp_takes_part_fairly_and_the_round_closes(rule):
    for lamps in range(1, 25):
        table = rule.table(lamps)
        turns = [sum(column) for column in zip(*table, strict=True)]
        assert min(turns) > 0.0, lamps
        if rule.kind not in GROWING:
            # blocks that turn at the ends pass the middle with all their lamps, twice
            most = 6.0 if rule.id.endswith("-bounce") else 2.0
            assert max(turns) <= most * min(turns) + 1e-9, (lamps, turns)
        # nothing stands still, at the seam neither, but where a rhythm rests
        if rule.kind != "rhythms" and lamps >= max(5, rule.over):
            after = [*table[1:], table[0]]
            assert all(a != b for a, b in zip(table, after, strict=True)), lamps


@pytest.mark.parametrize("beats", [4, 8, 16])
def test_sparkling_lamps_come_equally_often(beats):
    for lamps in range(3, 60):
        table = RULES[f"sparkle-over-{beats}-beats"].table(lamps)
        turns = [sum(column) for column in zip(*table, strict=True)]
        assert max(turns) - min(turns) <= 1.0
        assert len({sum(line) for line in table}) == 1


@pytest.mark.parametrize("old", list(SAME_AS))
def test_what_older_shows_call_otherwise_still_plays(old):
    assert old not in RULES
    assert steps_of_pattern(SHOW, Pattern(rule=old, lamps=PARS))


@pytest.mark.parametrize(
    ("rule", "lamps", "expected"),
    [
        ("run", 3, ["#--", "-#-", "--#"]),
        ("run-back", 3, ["--#", "-#-", "#--"]),
        ("run-bounce", 4, ["#---", "-#--", "--#-", "---#", "--#-", "-#--"]),
        ("pair-bounce", 4, ["##--", "-##-", "--##", "-##-"]),
        ("run-in-threes", 5, ["#--#-", "-#--#", "--#--"]),
        ("hole", 3, ["-##", "#-#", "##-"]),
        ("fill", 3, ["#--", "##-", "###"]),
        ("fill-and-empty", 2, ["#-", "##", "-#", "--"]),
        ("stack-up", 3, ["#--", "-#-", "--#", "#-#", "-##", "###"]),
        ("alternate-one-by-one", 5, ["#-#-#", "-#-#-"]),
        ("alternate-two-by-two", 6, ["##--##", "--##--"]),
        ("from-the-middle", 5, ["--#--", "-#-#-", "#---#"]),
        ("to-the-middle", 4, ["#--#", "-##-"]),
        ("gate-opens", 4, ["-##-", "####"]),
        ("crossing", 4, ["#--+", "-#+-", "-+#-", "+--#"]),
        ("to-the-middle", 5, ["#---#", "-#-#-", "--#--"]),
        ("all-three-three-two", 2, ["##", "--", "--", "##", "--", "--", "##", "--"]),
        ("call-and-answer", 4, ["##--", "--##"]),
        ("quarters", 8, ["##------", "--##----", "----##--", "------##"]),
        ("leap-by-twos", 4, ["#---", "--#-", "-#--", "---#"]),
        ("comet-in-fours", 4, ["#-++", "+#-+", "++#-", "-++#"]),
    ],
)
def test_patterns_go_like_this(rule, lamps, expected):
    assert lit(rule, lamps) == expected


@given(rule=st.sampled_from(list(RULES)), lamps=st.integers(1, 40))
def test_every_pattern_is_a_table_over_any_number_of_lamps(rule, lamps):
    table = RULES[rule].table(lamps)
    assert table
    assert RULES[rule].beats(lamps) == len(table)
    assert all(len(line) == lamps for line in table)
    assert all(0.0 <= level <= 1.0 for line in table for level in line)
    assert table == RULES[rule].table(lamps)  # the same every time
    assert any(level > 0 for line in table for level in line)
    over = RULES[rule].over
    if over:
        assert all(line[i] == line[i % over] for line in table for i in range(lamps))


@given(seed=st.integers(1, 3), lamps=st.integers(1, 30))
def test_scattered_lamps_come_once_a_round(seed, lamps):
    table = RULES[f"scatter-one-at-a-time-{seed}"].table(lamps)
    assert [sum(line) for line in table] == [1.0] * lamps
    assert [sum(column) for column in zip(*table, strict=True)] == [1.0] * lamps


def test_patterns_are_found_by_name_lamps_and_beats():
    assert {r.id for r in found("there back pair", over=4)} == {"pair-in-fours-bounce"}
    assert all(r.over == 3 for r in found(over=3))
    assert all(r.beats(6) == 6 for r in found(beats=6, lamps=6))
    assert found("nothing is called so") == []


@given(
    rule=st.sampled_from(list(RULES)), out=st.sets(st.sampled_from(PARS), max_size=8)
)
def test_no_lamp_is_lit_that_is_left_out(rule, out):
    pattern = Pattern(rule=rule, lamps=PARS, left_out=tuple(out))
    steps = steps_of_pattern(SHOW, pattern)
    assert bool(steps) == (len(out) < len(PARS))
    assert not {i for step in steps for i in step.look} & out


def test_a_bounce_in_pairs_over_eight_pars_with_two_left_out():
    pattern = Pattern(rule="pair-bounce", lamps=PARS, left_out=("par-1", "par-8"))
    steps = steps_of_pattern(SHOW, pattern)
    on = [
        [i for i, values in step.look.items() if values["Dimmer"] == 1.0]
        for step in steps
    ]
    pairs = [
        ["par-2", "par-3"],
        ["par-3", "par-4"],
        ["par-4", "par-5"],
        ["par-5", "par-6"],
    ]
    assert on == [*pairs, ["par-6", "par-7"], *pairs[:0:-1]]


def test_cells_take_part_one_by_one_and_colours_may_be_links():
    on = {
        "Dimmer": 1.0,
        **dict.fromkeys(
            ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue"),
            links.to_palette("moon"),
        ),
    }
    pattern = Pattern(
        rule="run", lamps=("bar-1", "bar-2"), cells=True, on=on, off={"Dimmer": 0.0}
    )
    assert len(items_of(SHOW, pattern)) == 16
    steps = steps_of_pattern(SHOW, pattern)
    assert len(steps) == 16
    first = steps[0].look["bar-1"]
    assert first["Dimmer"] == (1.0, *[0.0] * 7)
    assert first["ColorRGB_Blue"][0] == SHOW.palettes["moon"].values["ColorRGB_Blue"]
    assert first["ColorRGB_Blue"][1:] == (None,) * 7
    assert steps[8].look["bar-2"]["Dimmer"][0] == 1.0


def test_the_order_may_be_by_address_or_across_the_stage():
    mixed = ("par-5", "par-1", "par-8", "par-4")
    by_address = items_of(SHOW, Pattern(rule="run", lamps=mixed, lie=Lie.ADDRESS))
    assert [i for i, _ in by_address] == ["par-1", "par-4", "par-5", "par-8"]
    across = items_of(SHOW, Pattern(rule="run", lamps=mixed, lie=Lie.PLACE))
    assert [SHOW.fixtures[i].place.x for i, _ in across] == sorted(
        SHOW.fixtures[i].place.x for i in mixed
    )


def test_two_scenes_go_over_the_lamps():
    pattern = Pattern(
        rule="run",
        lamps=("par-1", "par-2"),
        on_scene=Ref("scene", "stage-rose"),
        off_scene=Ref("scene", "stage-blue"),
    )
    steps = steps_of_pattern(SHOW, pattern)
    rose, blue = (SHOW.playables[n].look for n in ("stage-rose", "stage-blue"))
    assert steps[0].look == {"par-1": rose["par-1"], "par-2": blue["par-2"]}


def test_a_rule_that_is_not_known_and_lamps_that_do_not_hang_play_nothing():
    assert steps_of_pattern(SHOW, Pattern(rule="gone", lamps=PARS)) == ()
    assert steps_of_pattern(SHOW, Pattern(rule="run", lamps=("gone",))) == ()
    assert steps_of_pattern(SHOW, Pattern(rule="run", lamps=())) == ()


def test_a_pattern_that_is_edited_step_by_step_becomes_steps():
    show, ref = chases.keep_pattern(SHOW, "P", Pattern(rule="run", lamps=PARS[:3]))
    assert chases.chase_of(show, ref).steps == ()
    plain = chases.remove_steps(show, ref, ["beat-2"])
    chase = chases.chase_of(plain, ref)
    assert chase.pattern is None
    assert [step.id for step in chase.steps] == ["beat-1", "beat-3"]


def test_steps_are_mirrored_recoloured_given_values_moved_and_doubled():
    red = dict(
        zip(
            ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue"),
            (1.0, 0.0, 0.0),
            strict=True,
        )
    )
    from choreon.model.playables.chase import ChaseStep

    steps = [
        ChaseStep(id="a", look={"par-1": {"Dimmer": 1.0, **red}}),
        ChaseStep(id="b", plays=Ref("scene", "stage-blue")),
        ChaseStep(id="c", look={"par-2": {"Dimmer": 0.5}}),
    ]
    show, ref = chases.keep_chase(SHOW, "C", steps)
    mirrored = chases.chase_of(chases.mirror(show, ref, ["a"]), ref)
    assert list(mirrored.steps[0].look) == ["par-4"]
    moon = links.to_palette("moon")
    coloured = chases.chase_of(
        chases.recolour(show, ref, ["a", "c"], (1.0, 0.0, 0.0), moon), ref
    )
    assert coloured.steps[0].look["par-1"]["ColorRGB_Red"] == moon
    assert coloured.steps[2] is chases.chase_of(show, ref).steps[2]
    given_ = chases.chase_of(
        chases.give(show, ref, ["a", "b"], {"par-1": {"Dimmer": 0.3}}), ref
    )
    assert given_.steps[0].look["par-1"]["Dimmer"] == 0.3
    assert given_.steps[1].plays is None  # it became a look of its own
    assert given_.steps[1].look["par-1"]["Dimmer"] == 0.3
    assert given_.steps[1].look["par-2"] == SHOW.playables["stage-blue"].look["par-2"]
    moved = chases.chase_of(chases.move_steps(show, ref, ["c"], 0), ref)
    assert [s.id for s in moved.steps] == ["c", "a", "b"]
    twice, fresh = chases.duplicate_steps(show, ref, ["a", "c"])
    assert [s.id for s in chases.chase_of(twice, ref).steps] == ["a", "b", "c", *fresh]
    assert SHOW.playables["stage-blue"] is show.playables["stage-blue"]
    assert edits.used_by(show, Ref("scene", "stage-blue"))[-1] == ref
