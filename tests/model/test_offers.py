"""What can be put on a page, as what, where it lies, and what takes it."""

from __future__ import annotations

import contextlib
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.engine import actions
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import checks, edits, givens, offers, pages
from choreon.model.offers import As, Sort
from choreon.model.refs import DEEDS, GROUP, MASTER, PALETTE, Ref, exists
from choreon.model.rig_page import Wanted, page_from_rig
from choreon.model.tiles import (
    AimTile,
    Choice,
    ColourTile,
    CueTile,
    DarkChange,
    DeedTile,
    Dial,
    Fader,
    Flash,
    LabelTile,
    MasterTile,
    Pad,
    Page,
    Spot,
    Turns,
    parts,
)
from choreon.model.verbs import Verb
from tests import play

SHOW = low_tide()
PARS, SPOTS, HOUSE = (Ref(GROUP, name) for name in ("pars", "spots", "house"))
CELLO, DOTS = Ref("scene", "cello"), Ref("scene", "dots")
STACK = Ref("stack", "last-ferry")


def with_page(show=SHOW, *tiles):
    page = Page(id="new", name="New", tiles=tiles)
    return edits.put(show, "pages", page)


def palette_for(group: Ref, family: str) -> Ref:
    return Ref(PALETTE, givens.palettes_for(SHOW, group, family)[0].id)


# what is offered


def test_all_that_plays_palettes_lamps_masters_and_acts_are_offered_once():
    found = offers.offers(SHOW)
    refs = [one.ref for one in found]
    assert len(refs) == len(set(refs))
    of = {sort: {one.ref.id for one in found if one.sort == sort} for sort in Sort}
    given = {i for i, p in SHOW.playables.items() if p.kind == "given"}
    assert given
    assert of[Sort.PLAYS] == set(SHOW.playables) - given
    assert of[Sort.PALETTES] | of[Sort.MOTIONS] == set(SHOW.palettes)
    assert of[Sort.GROUPS] == set(SHOW.groups)
    assert of[Sort.FIXTURES] == set(SHOW.fixtures)
    assert of[Sort.MASTERS] == set(SHOW.masters) - {"tempo"}
    assert of[Sort.ACTS] == {*DEEDS, "tempo", "clock", "label"}


def test_what_a_group_is_given_is_offered_by_its_palette_alone():
    show, _ = givens.give(SHOW, PARS, palette_for(PARS, "colour").id)
    assert offers.offers(show) == offers.offers(SHOW)


def test_things_are_found_by_all_words_in_name_folder_kind_or_tag():
    (cello,) = [one for one in offers.offers(SHOW) if one.ref == CELLO]
    assert cello.is_meant("")
    assert cello.is_meant("cel")
    assert cello.is_meant("scene cello")
    assert not cello.is_meant("cello chase")


@pytest.mark.parametrize(
    ("refs", "expected"),
    [
        ([CELLO], {As.PAD, As.FLASH, As.FADER, As.CHOICE, As.DIAL}),
        (
            [CELLO, STACK],
            {As.PAD, As.FLASH, As.FADER, As.CHOICE, As.DIAL},
        ),
        ([STACK, PARS], {As.FADER, As.FLASH}),
        ([Ref(MASTER, "grand")], set()),
        ([Ref("deed", "undo"), CELLO], set()),
    ],
)
def test_several_can_be_what_all_of_them_can(refs, expected):
    assert offers.ways(SHOW, refs)[0] == As.FIT
    assert set(offers.ways(SHOW, refs)[1:]) == expected


def test_lamps_that_neither_mix_nor_turn_are_offered_no_colour_and_no_aim():
    dims, heads = offers.ways(SHOW, [HOUSE]), offers.ways(SHOW, [SPOTS])
    assert not {As.COLOUR, As.AIM} & set(dims)
    assert As.AIM in heads


def test_every_way_that_is_offered_makes_tiles_that_lead_somewhere():
    for offer in offers.offers(SHOW):
        for way in offers.ways(SHOW, [offer.ref]):
            show, tiles = offers.tiles_for(with_page(), [offer.ref], way)
            if not tiles:
                assert offer.ref.kind == PALETTE
                continue
            show, ids = offers.put(show, "new", tiles)
            for tile_id in ids:
                tile = show.tile(tile_id)[1]
                assert all(exists(show, ref) for ref in tile.leads_to)


def test_as_what_things_are_put():
    kinds = {
        As.FIT: (CELLO, Pad),
        As.FLASH: (CELLO, Flash),
        As.FADER: (PARS, Fader),
        As.DIAL: (CELLO, Dial),
        As.GO: (STACK, CueTile),
        As.COLOUR: (PARS, ColourTile),
        As.AIM: (SPOTS, AimTile),
        As.MASTER: (PARS, MasterTile),
        As.STEPS: (PARS, Choice),
    }
    for way, (ref, kind) in kinds.items():
        _, (tile,) = offers.tiles_for(SHOW, [ref], way)
        assert type(tile) is kind, way


def test_levels_of_a_group_in_steps_are_a_strip_of_levels():
    show, (strip,) = offers.tiles_for(SHOW, [PARS], As.STEPS)
    levels = [show.playables[ref.id].values for ref in strip.leads_to]
    assert levels == [{"Dimmer": x} for x in (0.25, 0.5, 0.75, 1.0)]
    assert {show.playables[ref.id].group for ref in strip.leads_to} == {"pars"}


def test_palettes_of_a_group_are_pads_of_which_one_is_on_and_a_strip_of_all():
    own = [Ref(PALETTE, p.id) for p in givens.palettes_for(SHOW, PARS, "colour")[:3]]
    show, pads = offers.tiles_for(SHOW, own, As.PAD, PARS)
    assert [pad.name for pad in pads] == [show.palettes[ref.id].name for ref in own]
    assert {pad.choice for pad in pads} == {"group:pars colour"}
    assert {show.playables[p.plays[0].ref.id].group for p in pads} == {"pars"}

    show, (strip,) = offers.tiles_for(show, own, As.CHOICE, PARS)
    assert [part.ref for part in strip.plays] == [pad.plays[0].ref for pad in pads]
    assert len(strip.names) == 3


def test_a_palette_that_the_group_cannot_do_makes_no_tile():
    aim = palette_for(SPOTS, "position")
    show, tiles = offers.tiles_for(SHOW, [aim], As.PAD, HOUSE)
    assert tiles == ()
    assert show is SHOW


# where they lie


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.sampled_from([Pad, Fader, Choice, LabelTile]), min_size=1, max_size=14),
    st.integers(0, 11),
    st.integers(0, 6),
    st.lists(
        st.tuples(st.integers(0, 10), st.integers(0, 8), st.integers(1, 4)), max_size=6
    ),
)
def test_several_lie_in_their_order_from_a_cell_on_and_cover_nothing(
    kinds, x, y, others
):
    there = [
        LabelTile(id=f"l{n}", spot=Spot(x, y, size, size))
        for n, (x, y, size) in enumerate(others)
    ]
    show = with_page(SHOW, *there)
    tiles = [kind(id="") for kind in kinds]
    show, ids = offers.put(show, "new", tiles, Spot(x, y, 2, 2))

    spots = pages.all_spots(show.pages["new"])
    lie = list(spots.values())
    assert len(lie) == len(kinds) + len(there)
    assert not any(a.overlaps(b) for n, a in enumerate(lie) for b in lie[n + 1 :])
    assert all(spot.x + spot.w <= 12 for spot in lie)

    mine = [spots[i] for i in ids]
    assert mine[0].y == y
    read = sorted(mine, key=lambda s: (s.y, s.x))
    assert read == mine
    assert list(show.pages["new"].tiles)[-len(ids) :] == [show.tile(i)[1] for i in ids]


# joining


def test_what_a_tile_takes_joins_it_and_all_else_does_not():
    pad, fader = Pad(id="p", plays=parts(CELLO)), Fader(id="f", plays=parts(CELLO))
    colour = ColourTile(id="c", of=(PARS,))
    dial = Dial(id="d", of=(CELLO,))
    turned = Dial(id="t", of=(PARS,), turns=Turns.ATTRIBUTE, attribute="Zoom")
    label = LabelTile(id="l", name="Hello")
    show = with_page(SHOW, pad, fader, colour, dial, turned, label)

    def after(tile, *refs):
        joined = offers.joined(show, tile, refs)
        return None if joined is None else joined.tile(tile.id)[1].leads_to

    for tile in (pad, fader):
        assert after(tile, DOTS, STACK) == (CELLO, DOTS, STACK)
        assert after(tile, CELLO) is None
        assert after(tile, PARS) is None
    assert after(colour, SPOTS, PARS) == (PARS, SPOTS)
    assert after(colour, DOTS) == (PARS, DOTS)
    assert after(dial, DOTS) == (CELLO, DOTS)
    assert after(dial, PARS) is None
    assert after(turned, SPOTS) == (PARS, SPOTS)
    assert after(label, CELLO, PARS) is None


def test_a_strip_of_a_group_takes_palettes_with_their_names():
    own = [Ref(PALETTE, p.id) for p in givens.palettes_for(SHOW, PARS, "colour")]
    show, (strip,) = offers.tiles_for(with_page(), own[:2], As.CHOICE, PARS)
    show, (tile_id,) = offers.put(show, "new", [strip])
    strip = show.tile(tile_id)[1]

    grown = offers.joined(show, strip, [own[1], own[2], DOTS])
    after = grown.tile(tile_id)[1]
    assert len(after.plays) == 4
    assert after.names[2:] == (SHOW.palettes[own[2].id].name, "")
    assert grown.playables[after.plays[2].ref.id].group == "pars"


def test_a_master_takes_more_lamps_and_the_grand_master_none():
    show, ref = pages.add_group_master(SHOW, (PARS,))
    own, grand = MasterTile(id="m", drives=ref), MasterTile(id="g")
    show = with_page(show, own, grand)
    after = offers.joined(show, own, [SPOTS, CELLO])
    assert after.masters[ref.id].over == (PARS, SPOTS, CELLO)
    assert offers.joined(show, grand, [SPOTS]) is None


# several at once


def test_tiles_change_their_kind_and_keep_all_that_is_said_of_them():
    pad = Pad(
        id="p",
        name="Solo",
        plays=parts(CELLO),
        colour="#112233",
        sign="sun",
        note="n",
        fade_in=3.0,
        spot=Spot(4, 2, 3, 3),
        protected=True,
    )
    flash = Flash(id="f", plays=parts(DOTS), spot=Spot(0, 0, 2, 2))
    label = LabelTile(id="l", spot=Spot(8, 0, 2, 2))
    show = with_page(SHOW, pad, flash, label)
    after, ids = offers.turned_into(show, ["p", "f", "l", "gone"], As.FADER)
    assert ids == ("p", "f")

    made = after.tile("p")[1]
    assert isinstance(made, Fader)
    for field in ("name", "plays", "colour", "sign", "note", "fade_in", "spot"):
        assert getattr(made, field) == getattr(pad, field)
    assert made.protected
    assert isinstance(after.tile("f")[1], Fader)
    assert after.tile("l")[1] == label
    assert [t.id for t in after.pages["new"].tiles] == ["p", "f", "l"]
    assert offers.turned_into(after, ["p", "f"], As.FADER) == (after, ("p", "f"))


def test_a_choice_becomes_pads_that_exclude_each_other_and_a_choice_again():
    """One of each look, side by side from its place on; what is tied to it stays."""
    own = [Ref(PALETTE, p.id) for p in givens.palettes_for(SHOW, PARS, "colour")[:4]]
    show, (strip,) = offers.tiles_for(with_page(), own, As.CHOICE, PARS)
    strip = edits.replace(strip, change=DarkChange(), colour="#445566")
    show, (strip_id,) = offers.put(show, "new", [strip], Spot(3, 2, 6, 2))

    after, ids = offers.turned_into(show, [strip_id], As.PAD)
    pads = [after.tile(i)[1] for i in ids]
    assert ids[0] == strip_id
    assert len(set(ids)) == 4
    assert all(isinstance(pad, Pad) for pad in pads)
    assert [pad.plays[0] for pad in pads] == list(strip.plays)
    assert [pad.name for pad in pads] == list(strip.names)
    assert {pad.choice for pad in pads} == {"Pars"}
    assert {(pad.change, pad.colour) for pad in pads} == {(DarkChange(), "#445566")}
    spots = pages.all_spots(after.pages["new"])
    assert [(spots[i].x, spots[i].y) for i in ids] == [(3, 2), (5, 2), (7, 2), (9, 2)]

    again, made = offers.gathered(after, "new", ids)
    whole = again.tile(made)[1]
    assert (whole.plays, whole.names) == (strip.plays, strip.names)


def test_tiles_become_one_choice_with_a_look_of_each():
    pads = [
        Pad(id="a", plays=parts(CELLO), spot=Spot(2, 2, 2, 2)),
        Pad(id="b", name="Points", plays=parts(DOTS), spot=Spot(6, 2, 2, 2)),
        LabelTile(id="l", spot=Spot(0, 0, 2, 2)),
    ]
    show = with_page(SHOW, *pads)
    after, made = offers.gathered(show, "new", ["a", "l", "b"])
    strip = after.tile(made)[1]
    assert isinstance(strip, Choice)
    assert strip.leads_to == (CELLO, DOTS)
    assert strip.names == ("Cello", "Points")
    assert (strip.spot.x, strip.spot.y) == (2, 2)
    assert {t.id for t in after.pages["new"].tiles} == {"l", made}
    assert offers.gathered(show, "new", ["a", "l"]) == (show, "")


# with another group in its place


def rig_page():
    show = with_page()
    return page_from_rig(show, "new", Wanted(groups=(PARS, SPOTS)))


def test_a_section_is_copied_for_another_group():
    show = rig_page()
    before = [t for t in show.pages["new"].tiles if t.section == "pars"]
    assert offers.groups_on(show, before) == [PARS]
    after, made = offers.copy_section(show, "new", "pars", {PARS: SPOTS})

    page = after.pages["new"]
    own = [tile for tile in page.tiles if tile.section == made]
    assert offers.groups_on(after, own) == [SPOTS]
    assert [s.name for s in page.sections if s.id == made] == ["Spots 2"]
    assert [t for t in page.tiles if t.section == "pars"] == before

    # what is given is the same that the other group's own section gives, no other
    known = set(show.playables)
    assert set(after.playables) - known == set() or all(
        after.playables[i].group == "spots" for i in set(after.playables) - known
    )
    for tile in own:
        for ref in tile.leads_to:
            palette = after.playables[ref.id].palette
            if palette:
                assert givens.takes(after, SPOTS, after.palettes[palette])


def test_what_the_other_group_cannot_do_is_left_out():
    show = rig_page()
    after, made = offers.copy_section(show, "new", "spots", {SPOTS: HOUSE})
    own = [tile for tile in after.pages["new"].tiles if tile.section == made]
    strips = [tile for tile in own if isinstance(tile, Choice)]
    families = {after.playables[r.id].family for s in strips for r in s.leads_to}
    assert families == {"motion"}  # dimmers have no colour, no aim and no beam
    assert {tile.kind for tile in own} == {"fader", "flash", "choice", "dial"}
    assert offers.groups_on(after, own) == [HOUSE]


def test_a_page_is_copied_with_two_groups_that_change_places():
    show = rig_page()
    after, made = offers.copy_page_for(show, "new", {PARS: SPOTS, SPOTS: PARS})
    names = {s.id: s.name for s in after.pages[made].sections}
    assert names["pars"] == "Spots"
    for section, group in (("pars", SPOTS), ("spots", PARS)):
        own = [t for t in after.pages[made].tiles if t.section == section]
        assert offers.groups_on(after, own) == [group]
    assert after.pages["new"] == show.pages["new"]
    ids = pages.tile_ids(after)
    assert len(ids) == len(set(ids))


def test_a_master_over_a_group_is_copied_as_one_of_its_own():
    show, ref = pages.add_group_master(SHOW, (PARS,))
    tile = MasterTile(id="m", drives=ref)
    after, copied = offers.for_group(with_page(show, tile), tile, {PARS: SPOTS})
    assert copied.drives != ref
    assert after.masters[copied.drives.id].over == (SPOTS,)
    assert after.masters[ref.id].over == (PARS,)


def test_acts_and_scenes_are_copied_as_they_are():
    tile = DeedTile(id="u", deed="undo")
    pad = Pad(id="p", plays=parts(CELLO))
    for one in (tile, pad):
        show, same = offers.for_group(SHOW, one, {PARS: SPOTS})
        assert show is SHOW
        assert same == one


# what can do nothing


def test_a_palette_that_none_of_a_group_can_do_is_told_with_what_is_nearest():
    aim = palette_for(SPOTS, "position")
    show, ref = givens.give(SHOW, PARS, aim.id)
    given = givens.given_of(show, ref)
    told = givens.idle(show, given)
    assert told.startswith("Pars can do nothing with ")
    assert "colour" in told
    page = show.pages["low-tide"]
    assert any(told == problem.text for problem in checks.check(show)), page

    # another colour, for whom there are colours: those are named
    rust = Ref(PALETTE, "rust")
    fine, ref = givens.give(SHOW, PARS, rust.id)
    assert givens.idle(fine, givens.given_of(fine, ref)) == ""
    nearest = givens.nearest(SHOW, PARS, "colour")
    assert nearest == [p.name for p in givens.palettes_for(SHOW, PARS, "colour")]

    # the group becomes another one
    dims = edits.replace(show.groups["pars"], fixtures=("house-1",))
    other = edits.put(fine, "groups", dims)
    assert givens.idle(other, givens.given_of(other, ref))
    empty = edits.put(fine, "groups", edits.replace(dims, fixtures=()))
    assert "no fixtures" in givens.idle(empty, givens.given_of(empty, ref))


# any hand


@pytest.mark.parametrize("seed", range(20))
def test_whatever_is_put_joined_turned_and_copied_the_page_stays_whole(seed, tmp_path):
    """No tile covers another, each id is there once, all leads somewhere, what was
    given is used, the file keeps it, and every tile can be pressed.
    """
    dice = random.Random(seed)
    show = edits.drop(SHOW, "pages", ["by-groups"])
    show = with_page(givens.tidied(show))
    refs = [one.ref for one in offers.offers(show)]
    groups = [Ref(GROUP, group) for group in show.groups]
    for _ in range(14):
        show = _some_deed(dice, show, refs, groups)
    show = givens.tidied(show)

    ids = pages.tile_ids(show)
    assert len(ids) == len(set(ids))
    for page in show.pages.values():
        for section in ("", *(one.id for one in page.sections)):
            lie = list(pages.spots(page, section).values())
            assert not any(
                a.overlaps(b) for n, a in enumerate(lie) for b in lie[n + 1 :]
            )
        for tile in page.tiles:
            assert all(exists(show, ref) for ref in tile.leads_to), tile

    used = {ref for p in show.pages.values() for t in p.tiles for ref in t.leads_to}
    given = {p.ref for p in show.playables.values() if p.kind == "given"}
    assert given <= used
    showfile.write(tmp_path / "any.choreon", show, versions=False)
    assert showfile.read(tmp_path / "any.choreon") == show

    state = play.blank()
    for n, tile in enumerate(show.pages["new"].tiles):
        with contextlib.suppress(actions.NotTaken):
            do = Do(tile.ref, Verb.PRESS)
            state = actions.perform(show, state, do, 10.0 + n / 10)


def _some_deed(dice, show, refs, groups):
    """One thing that a hand may do to the page, by chance."""
    page = show.pages["new"]
    tiles = list(page.tiles)
    deed = dice.choice(("put", "put", "put", "join", "turn", "gather", "copy", "take"))
    if deed == "put" or not tiles:
        some = dice.sample(refs, dice.randint(1, 4))
        way = dice.choice(offers.ways(show, some))
        of = dice.choice([None, *groups])
        show, made = offers.tiles_for(show, some, way, of)
        spot = Spot(dice.randrange(12), dice.randrange(9), 2, 2)
        return offers.put(show, "new", made, dice.choice((None, spot)))[0]

    tile = dice.choice(tiles)
    if deed == "join":
        return offers.joined(show, tile, dice.sample(refs, 3)) or show
    if deed == "turn":
        way = dice.choice(list(offers.PLAYED))
        return offers.turned_into(show, [one.id for one in tiles[:3]], way)[0]
    if deed == "gather":
        return offers.gathered(show, "new", [one.id for one in tiles[:3]])[0]
    if deed == "copy":
        own = offers.groups_on(show, tiles)
        instead = {one: dice.choice(groups) for one in own[:2]}
        return offers.copy_section(show, "new", "", instead)[0]
    return edits.remove(show, tile.ref)
