"""Edits, checks, addresses, history and differences."""

from __future__ import annotations

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.library import library
from choreon.model import changes, edits, pages, patch
from choreon.model.checks import check, check_type
from choreon.model.fixture_type import Channel, FixtureType, Mode, Range, Use
from choreon.model.history import History
from choreon.model.inputs import midi_control
from choreon.model.refs import COLLECTION_OF, GRAND, Ref, name_of, to_tile
from choreon.model.show import Show

SHOW = low_tide()


def paths(show: Show) -> list[str]:
    return [p.path for p in check(show)]


def test_the_sample_show_and_the_library_are_sound():
    assert check(SHOW) == []
    assert {k.id for k in library().values()} >= set(SHOW.types)
    assert all(check_type(kind) == [] for kind in library().values())


def test_the_sample_rig_is_that_of_the_plan():
    counts: dict[str, int] = {}
    for fixture in SHOW.fixtures.values():
        label = SHOW.types[fixture.type].label
        counts[label] = counts.get(label, 0) + 1
    assert counts == {
        "Holmwick 6-way pack": 6,
        "Generic Dimmer": 2,
        "Tarnby Par 7": 8,
        "Tarnby Flood 6": 4,
        "Pellow Bar 8": 2,
        "Ostrey Spot 160": 4,
        "Ostrey Wash 90": 2,
        "Pellow Dot": 20,
        "Holmwick Mist": 1,
        "Tarnby Panel": 1,
    }
    assert patch.universes(SHOW) == [1, 2, 3]


@pytest.mark.parametrize(
    ("change", "path", "words"),
    [
        ({"address": 0}, "fixtures/par-1/address", "0 is not within 1…512"),
        ({"address": 513}, "fixtures/par-1/address", "513 is not within 1…512"),
        ({"address": 506}, "fixtures/par-1/address", "would end on slot 513, past 512"),
        (
            {"address": 15},
            "fixtures/par-2/address",
            "Par 2 and Par 1 both have slots 19–22 of universe 1",
        ),
        (
            {"type": "x"},
            "fixtures/par-1/type",
            "“x” is unknown; Par 1 is kept but cannot be lit",
        ),
        ({"mode": "99 channel"}, "fixtures/par-1/mode", "has no mode “99 channel”"),
        ({"universe": 0}, "fixtures/par-1/universe", "0 is not within"),
    ],
)
def test_checks_name_the_path_to_the_wrong_value(change, path, words):
    found = check(edits.change_fixtures(SHOW, {"par-1": change}))
    assert (path, True) in [(p.path, words in p.text) for p in found]


def test_checks_of_what_leads_nowhere():
    show = edits.drop(SHOW, "playables", ["cello"])
    assert "pages/low-tide/tiles/cello-pad" in paths(show)
    show = edits.drop(SHOW, "pages", ["low-tide"])
    assert any(p.startswith("inputs/") for p in paths(show))
    show = edits.take_down(SHOW, ["spot-1"])
    assert {"groups/spots/fixtures", "playables/spring-tide/look/spot-1"} <= set(
        paths(show)
    )


def test_checks_of_a_type():
    wrong = FixtureType(
        id="w",
        maker="",
        name="W",
        kind="",
        channels=(
            Channel(
                key="a",
                home=300,
                ranges=(
                    Range(start=0, end=100, attribute="Dimmer"),
                    Range(start=50, end=60, attribute="Dimmer"),
                    Range(start=200, end=256, attribute="Dimmer"),
                ),
            ),
        ),
        modes=(
            Mode(
                name="m", uses=(Use("a", (1,)), Use("b", (1,)), Use("a", (0,), cell=4))
            ),
        ),
    )
    found = [p.path for p in check_type(wrong)]
    assert found == [
        "types/w/channels/a/home",
        "types/w/channels/a/ranges/1",
        "types/w/channels/a/ranges/2",
        "types/w/modes/m/b",
        "types/w/modes/m/b/slots",
        "types/w/modes/m/a/cell",
        "types/w/modes/m/a/slots",
    ]


@settings(max_examples=60)
@given(st.integers(1, 40), st.integers(1, 512))
def test_next_free_is_free_and_the_first_that_is(slots, start):
    found = patch.next_free(SHOW, 1, slots, start)
    taken = patch.occupied(SHOW, 1)

    def free(address: int) -> bool:
        return address + slots - 1 <= 512 and not any(
            s in taken for s in range(address, address + slots)
        )

    expected = next((a for a in range(start, 513) if free(a)), None)
    assert found == expected


def test_hanging_numbers_on_and_changes_nothing_that_was():
    show, made = edits.hang(
        SHOW, library()["tarnby-par-7"], "6 channel", 3, 4, 100, gap=2
    )
    assert [show.fixtures[i].name for i in made] == ["Par 9", "Par 10", "Par 11"]
    assert [show.fixtures[i].short for i in made] == ["par9", "par10", "par11"]
    assert [show.fixtures[i].address for i in made] == [100, 108, 116]
    assert all(show.fixtures[i] is SHOW.fixtures[i] for i in SHOW.fixtures)
    assert show.playables is SHOW.playables
    with pytest.raises(ValueError, match="has no mode"):
        edits.hang(SHOW, library()["tarnby-par-7"], "nope", 1, 1, 1)


def test_scenes_survive_taking_down_and_hanging_again():
    show = edits.take_down(SHOW, ["spot-1"])
    assert show.playables["spring-tide"].look["spot-1"]["Dimmer"] == 1.0


PORT = "Practice controller"


def test_learning_ties_one_control_to_one_target():
    show = edits.learn(SHOW, midi_control(PORT, "note", 0, 36), to_tile("dots-pad"))
    ties = [(m.number, m.target) for m in show.inputs.values() if m.message == "note"]
    assert (36, to_tile("dots-pad")) in ties
    assert not any(t == to_tile("slack-water-pad") for _, t in ties)
    assert sum(t == to_tile("dots-pad") for _, t in ties) == 1
    with pytest.raises(ValueError, match="wheel"):
        edits.learn(SHOW, midi_control("p", "wheel", 0, 1), GRAND)


names = st.sampled_from(["par-1", "spot-2", "dot-7", "bar-1"])


@settings(max_examples=60, deadline=None)
@given(
    st.lists(
        st.one_of(
            st.tuples(st.just("move"), names, st.integers(1, 400)),
            st.tuples(st.just("drop"), names, st.just(0)),
            st.tuples(st.just("scene"), names, st.integers(0, 3)),
            st.tuples(st.just("tile"), names, st.integers(0, 5)),
            st.tuples(st.just("hang"), names, st.integers(1, 300)),
        ),
        max_size=6,
    )
)
def test_a_difference_leads_from_one_show_to_the_other(steps):
    show = SHOW
    for what, name, number in steps:
        if what == "move":
            show = edits.change_fixtures(show, {name: {"address": number}})
        elif what == "drop":
            show = edits.take_down(show, [name])
        elif what == "scene":
            show, _ = edits.keep_scene(
                show, f"S{number}", {name: {"Dimmer": number / 3}}, 1.0, 2.0
            )
        elif what == "tile":
            show = edits.move(show, to_tile("cello-pad"), number)
        else:
            show, _ = edits.hang(
                show, library()["pellow-dot"], "3 channel", 1, 9, number
            )
    delta = msgspec.msgpack.decode(
        msgspec.msgpack.encode(changes.difference(SHOW, show)), type=changes.Delta
    )
    there = changes.apply(SHOW, delta)
    assert there == show
    assert list(there.fixtures) == list(show.fixtures)


def test_a_difference_that_does_not_fit_is_refused():
    bad = changes.Delta({}, (changes.Change("nonsense"),))
    with pytest.raises(msgspec.ValidationError):
        changes.apply(SHOW, bad)


def test_history_goes_back_to_the_start_and_forward_again():
    history = History(SHOW)
    shows = [edits.replace(SHOW, name=str(i)) for i in range(5)]
    for i, show in enumerate(shows):
        history.do(f"edit {i}", show)

    def back() -> str:
        history.undo()
        return history.show.name

    def forward() -> str:
        history.redo()
        return history.show.name

    assert [back() for _ in range(6)] == ["3", "2", "1", "0", "Low Tide", "Low Tide"]
    assert history.undo_name == ""
    assert history.undo() is None
    assert history.redo_name == "edit 0"
    assert [forward() for _ in range(6)] == ["0", "1", "2", "3", "4", "4"]
    assert history.redo() is None
    history.do("drag", edits.replace(SHOW, name="a"), gesture=1)
    history.do("drag", edits.replace(SHOW, name="b"), gesture=1)
    assert back() == "4"
    history.do("other", SHOW)
    assert history.redo_name == ""


def test_history_remembers_the_draft_beside_the_show():
    history = History(SHOW)
    one, two, three = ({"par-1": {"Dimmer": v}} for v in (0.1, 0.2, 0.3))
    history.do("draft", SHOW, True, {}, one)
    history.do("draft", SHOW, True, one, two)
    history.do("draft", SHOW, False, two, three)
    history.do("nothing", SHOW, False, three, three)
    assert (history.undo_name, history.show) == ("draft", SHOW)
    assert history.undo().before == two
    step = history.undo()
    assert (step.before, step.after) == ({}, two)
    assert history.redo().after == two


# one rule for names that collide


@pytest.mark.parametrize(
    ("wanted", "others", "got"),
    [
        ("Blue", [], "Blue"),
        ("Blue", ["Red"], "Blue"),
        ("Blue", ["Blue"], "Blue 2"),
        ("Blue", ["Blue", "Blue 2"], "Blue 3"),
        ("Par 1", ["Par 1", "Par 2", "Par 3"], "Par 4"),
        ("Take 5", ["Take 5"], "Take 6"),
        ("1999", ["1999"], "1999 2"),
        ("blue", ["Blue"], "blue"),
    ],
)
def test_a_name_in_use_gets_the_next_number(wanted, others, got):
    assert edits.free_name(wanted, others) == got


@pytest.mark.parametrize(
    "kind", ["group", "page", "mark", "palette", "master", "playable"]
)
def test_renaming_goes_by_one_rule_for_all(kind):
    show = low_tide()
    if kind == "playable":
        one, other = [p.ref for p in show.playables.values()][:2]
    else:
        things = getattr(show, COLLECTION_OF[kind])
        if len(things) < 2:
            pytest.skip("there is but one")
        one, other = (Ref(kind, i) for i in list(things)[:2])
    taken = name_of(show, other)
    after = edits.rename(show, one, f" {taken} ")
    assert name_of(after, one) == edits.free_name(
        taken, [t.name for t in _all(show, one) if t.id != one.id]
    )
    assert name_of(after, one) != taken
    assert name_of(after, other) == taken
    # the name it has is its own: to be given it again changes nothing
    assert edits.rename(after, one, name_of(after, one)) is after
    assert edits.rename(after, one, "  ") is after


def _all(show, ref):
    return getattr(show, edits.collection_of(ref)).values()


def test_fixtures_sections_and_short_names_go_by_it_too():
    show = low_tide()
    assert edits.name_for(show, "par-1", "name", "Par 2") == "Par 9"
    assert edits.name_for(show, "par-1", "name", "Par 1") == "Par 1"
    assert edits.name_for(show, "par-1", "short", "par2") == "par9"
    page = next(iter(show.pages))
    show, _ = pages.add_section(show, page, "Wings")
    show, second = pages.add_section(show, page, "Pit")
    after = pages.rename_section(show, page, second, "Wings")
    assert [s.name for s in after.pages[page].sections][-2:] == ["Wings", "Wings 2"]
