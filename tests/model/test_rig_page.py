"""A page from the rig: what each group can do, laid out; done again it adds what is
missing and moves nothing.
"""

from __future__ import annotations

import pytest

from choreon.demo.low_tide import low_tide
from choreon.library import library
from choreon.model import edits, givens, pages, palettes, rig_page
from choreon.model.pages import all_spots
from choreon.model.refs import GROUP, Ref
from choreon.model.rig_page import Wanted
from choreon.model.show import Group, Show
from choreon.model.tiles import Choice, Dial, Fader, Flash, MasterTile, Page

PAGE = "from-rig"


def bare(show: Show) -> Show:
    """The sample rig with nothing to be played, and an empty page."""
    gone = dict.fromkeys(("playables", "pages", "inputs", "sends"))
    for collection in gone:
        show = edits.drop(show, collection, list(getattr(show, collection)))
    show = edits.replace(show, opens=(), safe=())
    return edits.put(show, "pages", Page(id=PAGE, name="Page"))


def made(show: Show, **wanted) -> Show:
    show, groups = rig_page.groups_for(show)
    return rig_page.page_from_rig(show, PAGE, Wanted(groups=groups, **wanted))


def no_overlap(page: Page) -> None:
    for section in ("", *(s.id for s in page.sections)):
        spots = list(pages.spots(page, section).values())
        for n, one in enumerate(spots):
            assert one.x + one.w <= page.columns
            assert not any(one.overlaps(other) for other in spots[n + 1 :])


def test_each_group_has_its_level_its_flash_and_a_strip_a_family() -> None:
    show = made(bare(low_tide()))
    page = show.pages[PAGE]
    no_overlap(page)
    assert len(page.tiles) > 30
    of_pars = [tile for tile in page.tiles if tile.section == "pars"]
    kinds = [type(tile) for tile in of_pars]
    assert kinds.count(Fader) == kinds.count(Flash) == 1
    strips = {tile.name for tile in of_pars if isinstance(tile, Choice)}
    assert "Colour" in strips
    assert "Position" not in strips  # pars do not turn
    of_spots = {
        t.name for t in page.tiles if t.section == "spots" and isinstance(t, Choice)
    }
    assert {"Colour", "Position", "Beam", "Motion"} <= of_spots
    turned = [t for t in page.tiles if t.section == "spots" and isinstance(t, Dial)]
    assert len(turned) == 2
    whole = [t for t in page.tiles if t.section == rig_page.WHOLE]
    assert {type(t) for t in whole} >= {Fader, MasterTile}
    assert all(show.playables[p].kind == "given" for p in show.playables)


def test_done_again_it_adds_what_is_missing_and_moves_nothing() -> None:
    show = made(bare(low_tide()))
    before = show.pages[PAGE]
    assert made(show).pages[PAGE] == before

    # a tile that was moved, one that was taken, a palette and a group that are new
    moved = before.tiles[4]
    show = edits.remove(show, before.tiles[5].ref)
    look = {"any": {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.9, "ColorRGB_Blue": 0.1}}
    show, _ = palettes.keep_palette(show, "Straw", "colour", look)
    new = Group(id="left", name="Left", fixtures=("par-1", "par-5"))
    show = edits.put(show, "groups", new)
    again = made(show).pages[PAGE]
    no_overlap(again)
    where, was = all_spots(again), all_spots(show.pages[PAGE])
    assert all(where[tile] == spot for tile, spot in was.items())
    assert moved.id in where
    assert any(section.id == "left" for section in again.sections)
    strip = next(
        t for t in again.tiles if t.section == "pars" and isinstance(t, Choice)
    )
    assert strip.names[-1] == "Straw"
    assert len(strip.names) == len(strip.plays)


def test_only_what_is_wanted() -> None:
    show = bare(low_tide())
    few = made(show, families=("colour",), flashes=False, whole=False)
    tiles = few.pages[PAGE].tiles
    assert {type(tile) for tile in tiles} == {Fader, Choice}
    large = made(show, large=True).pages[PAGE]
    no_overlap(large)
    none = rig_page.page_from_rig(show, PAGE, Wanted(groups=(), whole=False))
    assert none.pages[PAGE].tiles == ()


@pytest.mark.parametrize("count", [1, 2, 300])
def test_a_rig_without_groups_of_any_size(count) -> None:
    show = bare(Show(id="r", name="R"))
    kinds = (
        list(library().values())[:40] if count == 300 else [library()["generic-dimmer"]]
    )
    for n in range(count):
        kind = kinds[n % len(kinds)]
        show, _ = edits.hang(show, kind, kind.modes[0].name, 1, 1 + n, 1)
    show = palettes.sample(show)
    show = made(show)
    page = show.pages[PAGE]
    no_overlap(page)
    assert any(isinstance(tile, Fader) for tile in page.tiles)
    if count == 1:
        assert not show.groups
    else:
        assert show.groups


def test_a_group_that_was_emptied_has_nothing() -> None:
    show = bare(low_tide())
    show = edits.put(show, "groups", Group(id="pars", name="Pars", fixtures=()))
    page = made(show).pages[PAGE]
    assert not any(tile.section == "pars" for tile in page.tiles)
    assert givens.families_for(show, Ref(GROUP, "pars")) == []
