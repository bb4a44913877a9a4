"""Pages: where tiles lie, and what is done to them."""

from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.formats import showfile
from choreon.model import changes, checks, edits, pages
from choreon.model.masters import GroupMaster
from choreon.model.refs import GROUP, PALETTE, Ref, to_tile
from choreon.model.show import Show
from choreon.model.tiles import (
    TILES,
    Choice,
    Fader,
    Guest,
    Pad,
    Page,
    Part,
    Section,
    Spot,
    Start,
    UnknownTile,
    parts,
)

SHOW = low_tide()

CELLS = st.integers(-3, 30)
SIZES = st.integers(0, 20)
SPOTS = st.none() | st.builds(Spot, CELLS, CELLS, SIZES, SIZES)


def page_of(spots, columns=12, sections=()) -> Show:
    tiles = tuple(
        Pad(id=f"t{n}", spot=spot, section=("", "a", "gone")[n % 3])
        for n, spot in enumerate(spots)
    )
    page = Page(id="p", name="P", tiles=tiles, columns=columns, sections=sections)
    return edits.put(Show(id="s", name="S"), "pages", page)


def none_overlaps(page: Page) -> bool:
    for section in ("", *(s.id for s in page.sections)):
        spots = list(pages.spots(page, section).values())
        if any(a.overlaps(b) for n, a in enumerate(spots) for b in spots[:n]):
            return False
    return True


def inside(page: Page) -> bool:
    spots = pages.all_spots(page).values()
    return all(s.x >= 0 and s.y >= 0 and s.x + s.w <= page.columns for s in spots)


@given(st.lists(SPOTS, max_size=12), st.integers(1, 24), st.booleans())
def test_no_two_tiles_cover_each_other_wherever_they_are_said_to_lie(
    spots, columns, sectioned
):
    sections = (Section("a", "A"),) if sectioned else ()
    page = page_of(spots, columns, sections).pages["p"]
    assert none_overlaps(page)
    assert inside(page)
    assert set(pages.all_spots(page)) == {tile.id for tile in page.tiles}


@given(
    st.lists(SPOTS, min_size=2, max_size=10),
    st.dictionaries(
        st.sampled_from(["t0", "t1"]), st.builds(Spot, CELLS, CELLS, SIZES, SIZES)
    ),
)
def test_placed_tiles_lie_where_they_were_put_and_others_make_room(spots, where):
    show = pages.place(page_of(spots), "p", where)
    page = show.pages["p"]
    assert none_overlaps(page)
    assert inside(page)
    found = pages.all_spots(page)
    if len(where) == 1:
        ((tile, spot),) = where.items()
        assert found[tile] == pages.within(spot, 12)
    assert all(tile.spot == found[tile.id] for tile in page.tiles)


@given(st.lists(SPOTS, min_size=3, max_size=10))
def test_tidy_closes_gaps_and_keeps_sizes_and_order(spots):
    show = page_of(spots)
    before = pages.all_spots(show.pages["p"])
    page = pages.tidy(show, "p").pages["p"]
    after = pages.all_spots(page)
    assert none_overlaps(page)
    assert {i: (s.w, s.h) for i, s in after.items()} == {
        i: (s.w, s.h) for i, s in before.items()
    }
    assert pages.rows(pages.spots(page)) <= max(
        pages.rows(pages.spots(show.pages["p"])), 1
    )


def test_tiles_are_aligned_and_made_alike_by_hand_numbers():
    spots = [Spot(0, 0, 2, 2), Spot(4, 2, 3, 1), Spot(9, 5, 1, 4)]
    show = page_of(spots)
    ids = ["t0", "t1", "t2"]
    left = pages.all_spots(pages.align(show, "p", ids, "left").pages["p"])
    assert [left[i].x for i in ids] == [0, 0, 0]
    right = pages.all_spots(pages.align(show, "p", ids, "right").pages["p"])
    assert [right[i].x + right[i].w for i in ids] == [10, 10, 10]
    alike = pages.all_spots(pages.same_size(show, "p", ids).pages["p"])
    assert {(s.w, s.h) for s in alike.values()} == {(2, 2)}
    assert pages.align(show, "p", ["t0"], "left") is show


def test_copies_are_tiles_of_their_own():
    show, made = pages.copy(SHOW, ["cello-pad", "gone", "haze-fader"], "low-tide")
    assert len(made) == 2
    assert len(set(pages.tile_ids(show))) == len(pages.tile_ids(show))
    assert show.tile(made[0])[1].plays == show.tile("cello-pad")[1].plays
    assert none_overlaps(show.pages["low-tide"])


def test_sections_come_and_go_and_their_tiles_stay():
    show, section = pages.add_section(SHOW, "low-tide", "Extras")
    show = pages.change(show, "cello-pad", section=section, spot=None)
    page = show.pages["low-tide"]
    assert list(pages.spots(page, section)) == ["cello-pad"]
    show = pages.rename_section(show, "low-tide", section, "  More ")
    assert show.pages["low-tide"].sections[0].name == "More"
    show = pages.remove_section(show, "low-tide", section)
    page = show.pages["low-tide"]
    assert page.sections == ()
    assert "cello-pad" in pages.spots(page)
    assert none_overlaps(page)


def test_an_event_is_a_set_of_pages_that_is_copied_whole():
    show, name = pages.copy_event(SHOW, "Open mic hour", "Open mic hour")
    assert name == "Open mic hour 2"
    assert pages.events(show) == ["Open mic hour", name]
    before, after = (pages.pages_of(show, e) for e in ("Open mic hour", name))
    assert [p.name for p in before] == [p.name for p in after]
    ids = pages.tile_ids(show)
    assert len(set(ids)) == len(ids)


def test_what_is_dropped_makes_the_tile_that_fits():
    def kind(*refs: Ref) -> str:
        return pages.fitting(SHOW, refs)[1].kind

    groups = {g.name: Ref(GROUP, g.id) for g in SHOW.groups.values()}
    assert kind(Ref("scene", "cello"), Ref("scene", "dots")) == "pad"
    assert kind(groups["Pars"]) == "colour"
    assert kind(groups["Front"]) == "master"
    assert pages.fitting(SHOW, [Ref("mark", "centre")])[1] is None
    motion = next(p for p in SHOW.palettes.values() if p.motion is not None)
    assert kind(Ref(PALETTE, motion.id)) == "pad"
    colour = next(p for p in SHOW.palettes.values() if p.family == "colour")
    show, tile = pages.fitting(SHOW, [Ref(PALETTE, colour.id)])
    given = show.playables[tile.plays[0].ref.id]
    assert (given.kind, given.palette) == ("given", colour.id)
    assert {p.id for p in show.playables.values()} - set(SHOW.playables) == {given.id}


def test_a_show_with_every_kind_of_tile_is_written_and_read_and_sent():
    known = (kind(id=name) for name, kind in TILES.items() if kind is not UnknownTile)
    stored = {"kind": "lantern", "id": "strange"}
    tiles = (*known, UnknownTile(id="strange", stored=stored))
    guest = Guest(pages=("p",), pin="00:11", levels=False)
    show = edits.put(SHOW, "pages", Page(id="p", name="P", tiles=tiles))
    show = edits.put(
        show, "masters", GroupMaster(id="m", name="M", over=(Ref(GROUP, "pars"),))
    )
    show = edits.replace(
        show,
        opens=(Start(to_tile("pad"), 0.5),),
        safe=(Part(Ref("scene", "cello"), 0.5, ("colour",)),),
        guest=guest,
    )
    assert showfile.from_bytes(showfile.to_bytes(show)) == show
    assert changes.apply(SHOW, changes.difference(SHOW, show)) == show
    assert changes.difference(show, show) == changes.Delta()


def test_checks_tell_of_masters_starts_and_safe_looks_that_lead_nowhere():
    over = GroupMaster(id="m", name="M", over=(Ref(GROUP, "gone"),))
    show = edits.put(SHOW, "masters", over)
    show = edits.replace(
        show, opens=(Start(to_tile("gone")),), safe=parts(Ref("scene", "gone"))
    )
    paths = {problem.path for problem in checks.check(show)}
    assert {"masters/m", "opens", "safe"} <= paths
    assert not {"masters/m", "opens", "safe"} & {p.path for p in checks.check(SHOW)}


def test_what_uses_something_counts_its_tiles():
    assert to_tile("cello-pad") in edits.used_by(SHOW, Ref("scene", "cello"))
    both = edits.put(
        SHOW,
        "pages",
        Page(
            id="q",
            name="Q",
            tiles=(
                Choice(
                    id="c", plays=parts(Ref("scene", "dots"), Ref("scene", "cello"))
                ),
                Fader(id="f", plays=parts(Ref("scene", "dots"))),
            ),
        ),
    )
    assert to_tile("c") in edits.used_by(both, Ref("scene", "cello"))
    assert "Q" in edits.where_used(both, Ref("scene", "cello"))
