"""Shows from outside whose numbers no part of Choreon could take."""

from __future__ import annotations

import json

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.formats import showfile
from choreon.model import edits, pages
from choreon.model.masters import EVERY_SHOW
from choreon.model.mending import COLUMNS, MOST_TILES, ROWS, mended
from choreon.model.numbers import Count
from choreon.model.refs import Ref, name_of, to_tile
from choreon.model.tiles import Dial, Fader, Pad, Page, Part, Spot
from tests.changed_files import changed_file

DEMO = low_tide()
WHOLE = st.integers(-(2**31), 2**31 - 1)


def with_page(page: Page):
    return edits.put(DEMO, "pages", page)


def test_what_is_within_bounds_stays_the_same_object():
    assert mended(DEMO) == (DEMO, [])
    assert mended(DEMO)[0] is DEMO


@given(columns=WHOLE, x=WHOLE, y=WHOLE, w=WHOLE, h=WHOLE)
def test_a_grid_of_any_size_becomes_one_in_which_tiles_lie(columns, x, y, w, h):
    tiles = (Pad(id="a", spot=Spot(x, y, w, h)), Pad(id="b"), Pad(id="c", spot=Spot()))
    show, told = mended(
        with_page(Page(id="odd", name="Odd", columns=columns, tiles=tiles))
    )
    page = show.pages["odd"]
    assert 1 <= page.columns <= COLUMNS
    found = pages.spots(page)
    assert set(found) == {"a", "b", "c"}
    for spot in found.values():
        assert 0 <= spot.x < spot.x + spot.w <= page.columns
        assert 0 <= spot.y <= ROWS
    assert all(problem.path.startswith("pages/odd/") for problem in told)
    assert bool(told) == (
        (show is not None and page.columns != columns) or page.tiles != tiles
    )
    assert mended(show)[1] == []


def test_ten_thousand_tiles_lie_on_pages_of_their_own_and_none_is_lost():
    tiles = tuple(Pad(id=f"t{n}", spot=Spot(0, n)) for n in range(10_000))
    other = Page(id="many-2", name="In the way")
    show = edits.put(DEMO, "pages", other, Page(id="many", name="Many", tiles=tiles))
    show, told = mended(show)
    assert max(len(page.tiles) for page in show.pages.values()) <= MOST_TILES
    found = [tile.id for page in show.pages.values() for tile in page.tiles]
    assert [i for i in found if i.startswith("t") and i[1:].isdigit()] == [
        tile.id for tile in tiles
    ]
    assert show.pages["many-2"] == other
    assert any("10000 tiles" in problem.text for problem in told)


def test_a_tile_that_plays_itself_plays_what_else_it_has_and_has_a_name():
    part = Part(Ref("scene", next(iter(DEMO.playables))))
    tile = Pad(id="me", plays=(Part(to_tile("me")), part))
    show, told = mended(with_page(Page(id="p9", name="P", tiles=(tile,))))
    assert show.pages["p9"].tiles[0].plays == (part,)
    assert told[0].path == "pages/p9/tiles/me/plays"
    # those that turn each other round have names as well
    dials = tuple(Dial(id=a, of=(to_tile(b),)) for a, b in (("x", "y"), ("y", "x")))
    round_ = with_page(Page(id="p9", name="P", tiles=(*dials, Fader(id="f"))))
    assert name_of(round_, to_tile("x")) == "Dial"


def test_masters_that_every_show_has_are_there():
    show, told = mended(edits.replace(DEMO, masters={}))
    assert dict(show.masters) == EVERY_SHOW
    assert {problem.path for problem in told} == {f"masters/{i}" for i in EVERY_SHOW}


@pytest.mark.parametrize("number", [2**31, 2**53, 2**64, -(2**64), 10**30])
@pytest.mark.parametrize(
    ("path", "where"),
    [
        ("fixtures", lambda s: (s["fixtures"]["par-1"], "address")),
        ("fixtures", lambda s: (s["fixtures"]["par-1"], "universe")),
        ("pages", lambda s: (next(iter(s["pages"].values())), "columns")),
        ("outputs", lambda s: (next(iter(s["outputs"].values())), "port")),
        ("masters", lambda s: (s["masters"]["tempo"], "bar")),
    ],
)
def test_whole_numbers_beyond_all_count_are_refused_with_their_path(
    path, where, number
):
    def change(show):
        thing, name = where(show)
        thing[name] = number

    with pytest.raises(showfile.ShowFileError, match=rf"\$.*{path}"):
        showfile.from_bytes(
            changed_file(DEMO, lambda document: change(document["show"]))
        )


def test_every_whole_number_of_the_model_has_bounds():
    """So that none is taken that a message, or a field on the screen, cannot hold."""
    schema = json.dumps(showfile.schema())
    found = [
        part
        for part in schema.split("{")
        if '"type": "integer"' in part.partition("}")[0]
    ]
    inside = [p for p in found if '"minimum"' in p or '"maximum"' in p or "enum" in p]
    # format, and how often the file was changed
    assert len(found) - len(inside) <= 3, [p[:120] for p in found if p not in inside]
    with pytest.raises(msgspec.ValidationError):
        msgspec.convert(2**31, Count)


def test_a_file_that_was_put_right_says_so_when_it_is_opened(tmp_path):
    path = tmp_path / "Odd.choreon"

    def change(show):
        page = next(iter(show["pages"].values()))
        page["columns"] = 0
        show["masters"] = {}

    path.write_bytes(changed_file(DEMO, lambda document: change(document["show"])))
    show, note = showfile.open_best(path)
    assert "grand" in show.masters
    assert "put right" in note
    assert "more like it" in note
    assert path.exists()
