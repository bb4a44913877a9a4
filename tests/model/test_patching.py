"""Readdressing many at once, arranging, swapping."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.library import library
from choreon.model import arrange, edits, links, patch, patching
from choreon.model import attributes as at
from choreon.model.checks import check, sent_nowhere
from choreon.model.outputs import SacnOutput
from choreon.model.show import SLOTS, Bar, Hanging, Place, Room, Show
from choreon.model.swap import swap, translate
from choreon.model.turns import hanging_of, matrix_of

SHOW = low_tide()
PAR, DOT = library()["tarnby-par-7"], library()["pellow-dot"]


def apply(show: Show, move: patching.Readdress) -> Show:
    return edits.change_fixtures(show, move.changes)


def test_a_run_spills_into_the_next_universe_behind_what_stands_there():
    places = patching.spill(SHOW, 4, 8, 1, 497, 0)
    assert places == [
        (1, 497),
        (1, 505),
        (2, 145),
        (2, 153),
    ]  # 49…60 of universe 2 would hold but one of the two
    assert patching.in_the_way(SHOW, places, 8) == []
    past = patching.spill(SHOW, 4, 8, 1, 497, 0, over=False)
    assert past[-1] == (1, 521)


@settings(max_examples=60)
@given(st.integers(1, 120), st.integers(1, 40), st.integers(1, 512), st.integers(0, 9))
def test_a_spilled_run_stays_within_universes_and_overlaps_nowhere(
    count, slots, address, gap
):
    show = Show(id="e", name="E")
    places = patching.spill(show, count, slots, 1, address, gap)
    assert len(places) == count
    seen = set()
    for universe, start in places:
        assert 1 <= start <= SLOTS - slots + 1
        own = {(universe, s) for s in range(start, start + slots)}
        assert not own & seen
        seen |= own


def test_packing_closes_gaps_and_keeps_the_order():
    move = patching.pack(SHOW, 2)
    packed = apply(SHOW, move)
    taken = patch.occupied(packed, 2)
    assert sorted(taken) == list(range(1, len(taken) + 1))
    assert patch.clashes(packed) == []
    assert packed.playables is SHOW.playables
    spots = [packed.fixtures[f"spot-{i}"].address for i in range(1, 5)]
    assert spots == sorted(spots) == [49, 62, 75, 88]


def test_moving_to_a_universe_keeps_addresses_and_leaves_who_clashes():
    move = patching.to_universe(SHOW, ["bar-1", "bar-2"], 4)
    moved = apply(SHOW, move)
    assert [
        (moved.fixtures[b].universe, moved.fixtures[b].address)
        for b in ("bar-1", "bar-2")
    ] == [(4, 1), (4, 25)]
    blocked = patching.to_universe(SHOW, ["bar-1", "wash-1"], 1)
    assert blocked.left == ("bar-1",)
    assert blocked.changes["wash-1"] == {"universe": 1, "address": 121}


def test_merging_takes_what_fits_and_tells_what_does_not():
    merged = patching.merge(SHOW, 3, 1)
    after = apply(SHOW, merged)
    assert merged.left == ()
    assert patch.universes(after) == [1, 2]
    assert patch.clashes(after) == []
    full, _ = edits.hang(SHOW, DOT, "3 channel", 133, 1, 113)
    tight = patching.merge(full, 2, 1)
    assert tight.left
    assert patch.clashes(apply(full, tight)) == []


def hung(*places: tuple[int, int, int]) -> Show:
    """A show with lamps of so many slots, at universe and address each."""
    show = Show(id="e", name="E")
    for n, (slots, universe, address) in enumerate(places):
        kind = library()["generic-rgba-par" if slots == 6 else "generic-dimmer"]
        mode = next(m.name for m in kind.modes if m.footprint == slots)
        show, (made,) = edits.hang(show, kind, mode, 1, universe, address)
        fixture = edits.replace(show.fixtures[made], id=f"f{n}")
        show = edits.put(edits.drop(show, "fixtures", [made]), "fixtures", fixture)
    return show


def clashes(show: Show) -> set[frozenset[str]]:
    """Pairs that share a slot."""
    found = set()
    for universe in {f.universe for f in show.fixtures.values()}:
        for on in patch.occupied(show, universe).values():
            found |= {frozenset((a, b)) for a in on for b in on if a != b}
    return found


PLACES = st.lists(
    st.tuples(
        st.sampled_from([1, 6]),
        st.integers(1, 3),
        st.one_of(st.integers(1, 24), st.integers(495, 507)),
    ),
    min_size=2,
    max_size=14,
)


@settings(max_examples=300, deadline=None)
@given(PLACES, st.integers(0, 3), st.data())
def test_nothing_is_moved_onto_what_stays(places, how, data):
    show = hung(*places)
    ids = data.draw(st.lists(st.sampled_from(list(show.fixtures)), unique=True))
    universe = data.draw(st.integers(1, 3))
    if how == 0:
        move = patching.to_universe(show, ids, universe)
    elif how == 1:
        address = data.draw(st.integers(1, 512))
        move = patching.together(show, ids, universe, address)
    elif how == 2:
        move = patching.pack(show, universe, ids)
    else:
        move = patching.merge(show, universe, universe % 3 + 1)
    after = apply(show, move)
    assert clashes(after) <= clashes(show)
    for i in move.left:
        assert after.fixtures[i] == show.fixtures[i]


def test_moving_to_a_universe_leaves_alone_who_is_there_already():
    """Two on the same slots: the one that is there stays, so the other cannot come."""
    show = hung((6, 1, 1), (6, 2, 1))
    move = patching.to_universe(show, ["f0", "f1"], 1)
    assert move.changes == {}
    assert move.left == ("f1",)


def test_one_that_stays_is_not_built_over_by_those_put_together():
    """The second of three finds no place, as a lamp that is not moved is there: it stays
    on 7…12, where the third may then not go either.
    """
    show = hung((6, 1, 100), (6, 1, 13), (6, 1, 200), (6, 1, 7))
    move = patching.together(show, ["f0", "f1", "f2"], 1, 1)
    assert move.changes == {"f0": {"universe": 1, "address": 1}}
    assert move.left == ("f1", "f2")


def test_merging_looks_for_room_before_the_last_one_too():
    """The first takes 500…505; the gap at 1…5 still holds the single ones."""
    blocked = [(1, 1, n) for n in range(6, 500)]
    show = hung((6, 2, 200), (1, 2, 300), (1, 2, 301), *blocked)
    move = patching.merge(show, 2, 1)
    assert move.left == ()
    assert move.changes["f0"] == {"universe": 1, "address": 500}
    assert {move.changes[i]["address"] for i in ("f1", "f2")} == {1, 2}


def test_together_puts_one_behind_the_other():
    move = patching.together(SHOW, ["par-2", "bar-1"], 4, 500)
    assert move.changes == {"par-2": {"universe": 4, "address": 500}}
    assert move.left == ("bar-1",)


def test_a_universe_sent_nowhere_is_told():
    assert sent_nowhere(SHOW) == []
    some = edits.put(
        edits.drop(SHOW, "outputs", ["node"]),
        "outputs",
        SacnOutput(id="o", universes=(1, 3)),
    )
    assert sent_nowhere(some) == [2]
    assert any("universe 2 is sent nowhere" in p.text for p in check(some))


def test_hanging_by_pattern_number_and_address():
    addresses = [(5, 1), (5, 20), (6, 1)]
    show, made = edits.hang(
        SHOW,
        PAR,
        "8 channel",
        3,
        5,
        1,
        name="Back # left",
        number=7,
        addresses=addresses,
    )
    fixtures = [show.fixtures[i] for i in made]
    assert [f.name for f in fixtures] == ["Back 7 left", "Back 8 left", "Back 9 left"]
    assert [(f.universe, f.address) for f in fixtures] == addresses
    assert [f.number for f in fixtures] == [51, 52, 53]
    assert edits.next_number(show, "Back # left") == 10
    renamed = edits.rename_fixtures(show, made, "Top #", 1)
    assert [renamed.fixtures[i].name for i in made] == ["Top 1", "Top 2", "Top 3"]
    assert [edits.renumber(show, made, 101).fixtures[i].number for i in made] == [
        101,
        102,
        103,
    ]


# places


def test_places_in_numbers():
    places = [Place(0, 0, 4)] * 3
    assert [(p.x, p.y) for p in arrange.in_line(places, (-2, 1), (2, 3))] == [
        (-2, 1),
        (0, 2),
        (2, 3),
    ]
    arc = arrange.on_arc(places, (0, 0), 2, 0, 180)
    assert [(p.x, p.y) for p in arc] == [(2, 0), (0, 2), (-2, 0)]
    assert [(p.x, p.y) for p in arrange.in_grid(places, (0, 0), 2, 1.5, 1)] == [
        (0, 0),
        (1.5, 0),
        (0, 1),
    ]
    uneven = [Place(0, 0, 4), Place(0.2, 5, 2), Place(4, 2, 3)]
    assert arrange.evenly(uneven)[1] == Place(2, 1, 3.5)
    assert [p.x for p in arrange.mirrored(uneven)] == [0, -0.2, -4]
    assert [p.x for p in arrange.along(Bar("B", -4, 2, 4, 2), 4)] == [-3, -1, 1, 3]


def test_groups_suggest_themselves_by_type_and_by_bar():
    bar = Bar("First bar", -4, 1.6, 4, 1.6)
    show = edits.replace(SHOW, groups={}, room=Room("R", bars=(bar,)))
    found = dict(arrange.suggested_groups(show))
    assert found["First bar"] == ("par-1", "par-2", "par-3", "par-4")
    assert found["Spot 160"] == ("spot-1", "spot-2", "spot-3", "spot-4")
    kept, _ = edits.keep_group(show, "Mine", found["First bar"][::-1])
    assert "First bar" not in dict(arrange.suggested_groups(kept))


@given(*[st.floats(-179, 179)] * 3)
def test_a_hanging_survives_its_matrix(yaw, pitch, roll):
    rows = matrix_of(Hanging(yaw, pitch, roll))
    again = matrix_of(hanging_of(rows))
    for a, b in zip(rows, again, strict=True):
        assert a == pytest.approx(b, abs=1e-4)


def test_the_matrix_is_the_one_the_light_is_computed_with():
    from choreon.render.aim import hanging_matrix

    assert matrix_of(Hanging(30, -20, 10)) == pytest.approx(
        hanging_matrix(30, -20, 10), abs=1e-12
    )


# swapping


def test_spots_swapped_for_another_make_keep_what_can_be_kept():
    ids = [f"spot-{i}" for i in range(1, 5)]
    done = swap(SHOW, ids, library()["tarnby-turn-150"], "13 channel")
    fates = {(line.attribute, line.fate) for line in done.lines}
    assert fates == {
        ("Dimmer", "kept"),
        ("Pan", "kept"),
        ("Tilt", "kept"),
        ("Gobo1", "near"),
        *((name, "kept") for name in at.TARGET_COLOUR),
    }
    assert any("Reeds becomes Net" in line.text for line in done.lines)
    assert done.show.playables["spring-tide"] == SHOW.playables["spring-tide"]
    assert done.readdressed == ()
    assert patch.clashes(done.show) == []


def test_a_colour_goes_to_the_nearest_slot_and_a_slot_is_mixed():
    rose = SHOW.playables["stage-rose"]
    linked = swap(SHOW, ["par-1"], library()["ostrey-spot-160"], "13 channel")
    assert (
        linked.show.playables["stage-rose"] is rose
    )  # a palette says what is meant, for any lamp
    plain = edits.put(
        SHOW, "playables", edits.replace(rose, look=links.resolve(SHOW, rose.look))
    )
    par = swap(plain, ["par-1"], library()["ostrey-spot-160"], "13 channel")
    look = par.show.playables["stage-rose"].look["par-1"]
    slot = library()["ostrey-spot-160"].wheel("colour").slots[int(look["Color1"])]
    assert slot.name in ("Deep red", "Pink")
    assert look["ColorRGB_Red"] == 1.0  # kept for the way back
    assert par.readdressed == ("par-1",)
    show = edits.put(
        SHOW,
        "playables",
        edits.replace(
            SHOW.playables["dots"], look={"spot-1": {"Color1": 6.0, "dmx:gobo": 40.0}}
        ),
    )
    mixed = swap(show, ["spot-1"], library()["ostrey-wash-90"], "12 channel")
    look = mixed.show.playables["dots"].look["spot-1"]
    assert look["ColorRGB_Blue"] == 1.0
    assert "Color1" not in look
    assert "dmx:gobo" not in look
    assert {line.fate for line in mixed.lines} >= {"near", "lost"}


def test_cells_are_spread_and_ranges_are_told():
    show = edits.put(SHOW, "playables", edits.replace(SHOW.playables["dots"], look={
        "bar-1": {"Dimmer": (0.0, 0.0, 0.0, 0.0, 1.0, 1.0, 1.0, 1.0)}, "wash-1": {"Zoom": 10.0}}))  # fmt: skip
    bar = swap(show, ["bar-1"], library()["pellow-bar-4"], "12 channel")
    spread = bar.show.playables["dots"].look["bar-1"]["Dimmer"]
    assert len(spread) == 4
    assert (spread[0], spread[3]) == (0.0, 1.0)
    zoom = swap(show, ["wash-1"], library()["tarnby-fresnel-tw"], "4 channel")
    assert any(line.fate == "near" and "15…60" in line.text for line in zoom.lines)
    draft = translate(
        show,
        {"bar-1": {"Dimmer": (0.0, 1.0) * 4}},
        ["bar-1"],
        library()["pellow-bar-8"],
        "3 channel",
    )
    assert draft["bar-1"]["Dimmer"] == 0.5


def test_a_swap_that_finds_no_room_says_so():
    full, _ = edits.hang(SHOW, DOT, "3 channel", 133, 1, 113)
    profile = library()["ostrey-profile-300"]
    done = swap(full, ["front-1"], profile, profile.modes[0].name)
    assert done.homeless == ("front-1",)
    with pytest.raises(ValueError, match="has no mode"):
        swap(SHOW, ["par-1"], PAR, "nope")
