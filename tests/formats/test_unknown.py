"""Kinds that are not known here survive a file, whatever they are and wherever they
lie: read and written again, they stand as they stood.
"""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.formats import showfile
from choreon.model import edits, pages
from choreon.model.checks import check, sent_nowhere
from choreon.model.inputs import INPUTS
from choreon.model.motion import MOTIONS, Effect, Wave, title
from choreon.model.outputs import OUTPUTS
from choreon.model.playables import KINDS
from choreon.model.refs import Ref
from choreon.model.tiles import TILES, Spot
from choreon.render.compiled import compile_show
from choreon.ui.compose.motion_fields import FORMS as MOTION_FORMS
from choreon.ui.kinds import KINDS as UI_KINDS
from choreon.ui.rig.output_fields import FORMS as OUTPUT_FORMS
from choreon.ui.tiles import WIDGETS
from choreon.wire.outputs import STREAMS
from tests.changed_files import changed_file, document_of

SHOW = low_tide()
DATA = showfile.to_bytes(SHOW)


def with_document(changed: dict[str, Any]) -> bytes:
    """The demo show's file with another `show.json`."""
    return changed_file(SHOW, lambda document: document.update(changed))


def things(show: dict[str, Any]) -> list[dict[str, Any]]:
    """All that has a kind in a show as it is stored."""
    found = [
        *show["playables"].values(),
        *show["inputs"].values(),
        *show["outputs"].values(),
        *(tile for page in show["pages"].values() for tile in page["tiles"]),
        *(p["motion"] for p in show["palettes"].values() if p.get("motion")),
    ]
    effects: list[dict[str, Any]] = []

    def look_for_effects(part: Any) -> None:
        if isinstance(part, dict):
            effects.extend(part.get("effects", []))
            for inner in part.values():
                look_for_effects(inner)
        elif isinstance(part, list):
            for inner in part:
                look_for_effects(inner)

    look_for_effects(show["playables"])
    return [*found, *(effect["motion"] for effect in effects)]


COUNT = len(things(document_of(DATA)["show"]))


def test_the_demo_show_has_one_of_each():
    kinds = {thing["kind"] for thing in things(document_of(DATA)["show"])}
    assert {"scene", "chase", "midi", "sacn", "pad", "wave", "roll", "path"} <= kinds


@settings(max_examples=60, deadline=None)
@given(st.sets(st.integers(0, COUNT - 1), max_size=40), st.booleans())
def test_what_is_not_known_is_written_as_it_was_read(places, own_fields):
    stored = document_of(DATA)
    for n, thing in enumerate(things(stored["show"])):
        if n in places:
            thing["kind"] = f"of-{thing['kind']}-to-come"
            if own_fields:
                thing["more"] = {"kind": "deep", "list": [1, {"motion": {"kind": "x"}}]}

    show = showfile.from_bytes(with_document(stored))
    assert document_of(showfile.to_bytes(show))["show"] == stored["show"]
    told = [problem.path for problem in check(show) if "-to-come" in problem.text]
    assert bool(told) == bool(places)


@pytest.mark.parametrize(
    ("collection", "thing"),
    [
        ("playables", {"kind": "later"}),
        ("playables", {}),
        ("inputs", {"kind": "later"}),
        ("inputs", {"kind": "later", "target": "somewhere"}),
        ("outputs", {"kind": "later", "name": "Out"}),
    ],
)
def test_so_is_what_says_hardly_anything(collection, thing):
    stored = document_of(DATA)
    stored["show"][collection]["x"] = thing
    show = showfile.from_bytes(with_document(stored))
    assert document_of(showfile.to_bytes(show))["show"][collection]["x"] == thing


@pytest.mark.parametrize("thing", [3, "later", None, [1]])
@pytest.mark.parametrize("collection", ["playables", "inputs", "outputs", "pages"])
def test_what_is_no_thing_at_all_is_refused(collection, thing):
    stored = document_of(DATA)
    stored["show"][collection]["x"] = thing
    with pytest.raises(showfile.ShowFileError):
        showfile.from_bytes(with_document(stored))


def test_every_kind_has_its_entries():
    """What ships has an entry a layer where there must be one."""
    assert set(WIDGETS) == set(TILES)
    assert set(UI_KINDS) == set(KINDS)
    assert set(OUTPUT_FORMS) == set(OUTPUTS)
    assert set(STREAMS) == set(OUTPUTS) - {"unknown"}
    assert set(MOTION_FORMS) == set(MOTIONS) - {"unknown"}
    assert "unknown" in INPUTS


def test_an_effect_that_is_not_known_moves_nothing_and_says_so():
    scene = edits.replace(
        next(p for p in SHOW.playables.values() if p.kind == "scene"),
        effects=(Effect(id="e", motion=Wave(), fixtures=("par-1",)),),
    )
    stored = document_of(showfile.to_bytes(edits.put(SHOW, "playables", scene)))
    (effect,) = stored["show"]["playables"][scene.id]["effects"]
    effect["motion"] = {"kind": "later", "depth": 3}
    show = showfile.from_bytes(with_document(stored))
    (kept,) = show.playables[scene.id].effects
    assert title(kept.motion) == "later, not known here"
    now, before = (compile_show(s).source_of(scene.ref) for s in (show, SHOW))
    assert now is not None
    assert before is not None
    assert now.look.lamps.tolist() == before.look.lamps.tolist()
    assert now.look.levels.tolist() == before.look.levels.tolist()


def test_what_is_changed_of_it_here_is_written():
    """Its name, where it lies, whether it sends: set, and set back to nothing."""
    stored = document_of(DATA)
    page_id = next(iter(stored["show"]["pages"]))
    tile = stored["show"]["pages"][page_id]["tiles"][0]
    tile |= {"kind": "lantern", "name": "Lamp", "colour": "#102030", "wick": 2}
    stored["show"]["outputs"]["post"] = {
        "kind": "post",
        "id": "post",
        "name": "Letters",
        "on": False,
        "rate": "whenever",  # which none here could be
        "stamps": [1, 2],
    }
    show = showfile.from_bytes(with_document(stored))
    output, page = show.outputs["post"], show.pages[page_id]
    assert (output.on, output.rate) == (False, 0.0)
    assert (page.tiles[0].name, page.tiles[0].colour) == ("Lamp", "#102030")

    show = edits.put(show, "outputs", edits.replace(output, on=True, name=""))
    bare = edits.replace(page.tiles[0], name="", colour="", spot=Spot(3, 4, 2, 2))
    tiles = (bare, *page.tiles[1:])
    show = edits.put(show, "pages", edits.replace(page, tiles=tiles))
    data = showfile.to_bytes(show)
    assert showfile.from_bytes(data).outputs["post"].on
    again = showfile.from_bytes(data).pages[page_id].tiles[0]
    assert (again.name, again.colour, again.spot) == ("", "", Spot(3, 4, 2, 2))
    written = document_of(data)["show"]["outputs"]["post"]
    assert (written["stamps"], written["rate"]) == ([1, 2], "whenever")


def test_copies_of_it_are_things_of_their_own():
    stored = document_of(DATA)
    page_id = next(iter(stored["show"]["pages"]))
    stored["show"]["pages"][page_id]["tiles"][0]["kind"] = "lantern"
    scene = next(i for i, p in stored["show"]["playables"].items() if "look" in p)
    stored["show"]["playables"][scene]["kind"] = "lantern"
    show = showfile.from_bytes(with_document(stored))
    before = show.pages[page_id].tiles[0]
    show, (copied,) = pages.copy(show, [before.id], page_id)
    show, doubled = edits.duplicate(show, Ref("unknown", scene))
    again = showfile.from_bytes(showfile.to_bytes(show))
    assert document_of(showfile.to_bytes(again)) == document_of(showfile.to_bytes(show))
    assert again.playables[doubled.id].name == show.playables[doubled.id].name
    assert again.tile(copied)[1].stored["plays"] == before.stored["plays"]
    assert again.playables[doubled.id].stored_kind == "lantern"


def test_of_outputs_that_cannot_send_nothing_is_expected():
    stored = document_of(DATA)
    for output in stored["show"]["outputs"].values():
        output["kind"] = "post"
    show = showfile.from_bytes(with_document(stored))
    assert sent_nowhere(show) == [1, 2, 3]
