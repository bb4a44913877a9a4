"""Shows of every earlier format open with all they hold; what is not known is never lost."""

from __future__ import annotations

from pathlib import Path

import pytest

from choreon.demo import low_tide
from choreon.formats import showfile
from choreon.formats.migrations import FORMAT
from choreon.model import attributes as at
from choreon.model.checks import check
from choreon.model.edits import rename
from choreon.model.outputs import ArtnetOutput, SacnOutput
from choreon.model.playables import Scene, Unknown
from choreon.model.refs import BLACKOUT, GRAND, Ref, to_tile
from choreon.model.tiles import Fader, Pad, parts
from tests.changed_files import changed_file, document_of

SHOWS = Path(__file__).parent / "shows"
SHOW = low_tide()
LATER = ("Motion", "The storm")
STILL = [
    i for i, p in SHOW.playables.items() if p.folder not in LATER and p.kind == "scene"
]
"""What the sample show had before anything in it moved."""


def with_show(change, number: int = FORMAT) -> bytes:
    """The sample show's file with its show changed, as one of a format."""

    def changed(document) -> None:
        document["format"] = number
        change(document["show"])

    return changed_file(SHOW, changed)


def test_a_show_of_format_3_opens_with_all_it_holds():
    show = showfile.read(SHOWS / "format-3.choreon")
    assert list(show.playables) == STILL
    assert all(isinstance(p, Scene) for p in show.playables.values())
    assert show.playables["spring-tide"].look == SHOW.playables["spring-tide"].look
    assert show.playables["lanterns-home"].times["position"].fade == 1.5
    tiles = {tile.id: tile for page in show.pages.values() for tile in page.tiles}
    assert tiles["mudlight-pad"] == Pad(
        id="mudlight-pad", plays=parts(Ref("scene", "mudlight")), choice="parts"
    )
    assert tiles["haze-fader"] == Fader(
        id="haze-fader", plays=parts(Ref("scene", "haze"))
    )
    targets = {(i.message, i.number): i.target for i in show.inputs.values()}
    assert targets["cc", 7] == GRAND
    assert targets["note", 50] == BLACKOUT
    assert targets["note", 36] == to_tile("slack-water-pad")
    assert show.outputs["art"] == ArtnetOutput(
        id="art",
        name="Upstage",
        host="127.0.0.1",
        shift=-1,
        sync=True,
        rate=30.0,
        universes=(1, 2),
    )
    assert show.outputs["net"] == SacnOutput(
        id="net", priority=120, sync=7999, on=False
    )
    assert show.marks == SHOW.marks
    kept = {i: p for i, p in SHOW.palettes.items() if p.motion is None}
    assert show.palettes == kept
    assert not [p for p in check(show) if p.level == "error"]


def test_a_show_of_format_4_opens_with_all_it_holds_and_a_tempo():
    show = showfile.read(SHOWS / "format-4.choreon")
    assert list(show.playables) == STILL
    assert show.playables["mudlight"] == SHOW.playables["mudlight"]
    assert all(not p.effects for p in show.playables.values())
    assert list(show.masters) == ["grand", "blackout", "tempo"]
    assert show.masters["tempo"].bpm == 120.0
    assert not [p for p in check(show) if p.level == "error"]


def test_what_moves_is_written_and_read_again():
    again = showfile.from_bytes(showfile.to_bytes(SHOW))
    assert again == SHOW
    assert again.playables["oars"].pattern == SHOW.playables["oars"].pattern
    assert again.playables["harbour-light"].effects[0].motion.in_room


def test_a_show_of_format_2_opens_with_all_it_holds():
    show = showfile.read(SHOWS / "format-2.choreon")
    assert list(show.fixtures) == list(SHOW.fixtures)
    assert len(show.playables) == 14
    assert show.playables["strobe-hit"].look


def test_a_show_of_format_1_means_what_it_meant():
    show = showfile.read(SHOWS / "format-1.choreon")
    look = show.playables["haze"].look
    assert look["spot-1"]["Gobo1"] == 2.0  # 30 lies in 24…35
    assert look["spot-1"]["Focus1"] == pytest.approx(100 / 255)
    assert look["mist"] == {"Haze1": 128.0, "Fan1": 64.0}  # it does not hang; kept
    assert show.playables["haze"].fade_in == 3.0
    assert show.pages["p"].tiles == (
        Pad(id="haze-pad", plays=parts(Ref("scene", "haze"))),
    )


@pytest.mark.parametrize("name", ["format-1", "format-2", "format-3", "format-4"])
def test_what_was_brought_up_to_date_stays_so(name):
    show = showfile.read(SHOWS / f"{name}.choreon")
    assert showfile.from_bytes(showfile.to_bytes(show)) == show


def test_something_of_an_unknown_kind_is_kept_word_for_word():
    stored = {"kind": "tide", "id": "t", "name": "Tide", "moon": [1, {"deep": 0.5}]}
    data = with_show(lambda show: show["playables"].update(t=stored))
    show = showfile.from_bytes(data)
    thing = show.playables["t"]
    assert isinstance(thing, Unknown)
    assert (thing.name, thing.stored_kind) == ("Tide", "tide")
    assert any("this Choreon cannot play it" in p.text for p in check(show))
    show = rename(show, thing.ref, "Ebb")
    again = document_of(showfile.to_bytes(show))["show"]["playables"]["t"]
    assert again == {**stored, "name": "Ebb"}


def test_a_collection_that_is_not_known_is_refused_not_dropped():
    data = with_show(lambda show: show.update(tides={"a": 1}))
    with pytest.raises(showfile.NewerFormat, match="“tides”, which this Choreon"):
        showfile.from_bytes(data, "Evening")


def test_a_newer_format_is_refused():
    data = with_show(lambda show: None, FORMAT + 1)
    with pytest.raises(showfile.NewerFormat, match=f"format {FORMAT + 1}"):
        showfile.from_bytes(data)


def test_a_show_from_before_says_which_lamps_are_mixed_anew(tmp_path):
    path = tmp_path / "Low Tide.choreon"
    for number in (3, 4, 5, FORMAT):
        path.write_bytes(with_show(lambda show: None, number=number))
        note = showfile.open_best(path)[1]
        told = {k.name for k in SHOW.types.values() if f"“{k.name}”" in note}
        many = {
            k.name for k in SHOW.types.values() if len(k.attributes & set(at.MIXED)) > 4
        }
        assert told == (many if number < FORMAT else set())
        assert many
