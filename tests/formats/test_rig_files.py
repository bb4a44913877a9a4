"""Hang lists, MVR and paper."""

from __future__ import annotations

import csv
import io
import re
import zipfile

import pymvr
import pypdf
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.formats import hang_list, mvr
from choreon.formats.package import FormatError
from choreon.formats.paper import Paper
from choreon.library import library
from choreon.model import edits, patch
from choreon.model.show import Area, Bar, Room, Screen, Seats, Show
from choreon.model.turns import matrix_of
from tests.formats.test_gdtf import packed

SHOW = low_tide()
EMPTY = Show(id="e", name="Empty")


def same(one, other) -> bool:
    """Whether two fixtures hang alike, whatever they are called."""
    names = ("name", "type", "mode", "universe", "address", "place")
    turns = zip(matrix_of(one.hanging), matrix_of(other.hanging), strict=True)
    return all(getattr(one, n) == getattr(other, n) for n in names) and all(
        a == pytest.approx(b, abs=1e-4) for a, b in turns
    )


# hang lists


def test_a_hang_list_out_and_in_again_hangs_the_same():
    found = hang_list.read(hang_list.write(SHOW).encode(), EMPTY, library())
    assert (len(found.added), found.bad, found.unknown) == (50, (), ())
    by_name = {f.name: f for f in found.show.fixtures.values()}
    assert all(same(f, by_name[f.name]) for f in SHOW.fixtures.values())
    again = hang_list.read(hang_list.write(SHOW).encode(), SHOW, library())
    assert (again.added, again.changed, again.show) == ((), (), SHOW)


LIST = "Name;Fixture type;DMX Mode;Universe;Start address;Height (m);Colour\nPar 1;;;2;300;3,9;red\nKübel;Tarnby Par 7;4;4;1.0;;\n"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
@pytest.mark.parametrize("comma", [";", "\t"])
def test_encodings_separators_and_other_names_of_columns(encoding, comma):
    found = hang_list.read(LIST.replace(";", comma).encode(encoding), SHOW, library())
    par = found.show.fixtures["par-1"]
    assert (par.universe, par.address, par.place.z, par.type) == (
        2,
        300,
        3.9,
        "tarnby-par-7",
    )
    assert par.place.x == SHOW.fixtures["par-1"].place.x
    (made,) = found.added
    new = found.show.fixtures[made]
    assert (new.name, new.mode, new.universe, new.address) == (
        "Kübel",
        "4 channel",
        4,
        1,
    )
    assert found.unknown == ("Colour",)


def test_bad_rows_are_told_with_line_and_reason_and_good_ones_kept():
    text = (
        "name,type,mode,universe,address,x\nA,Nowhere Lamp,,1,1,0\nB,Tarnby Par 7,99,5,1,0\nC,Tarnby Par 7,8 channel,5,600,0\n"
        "D,Tarnby Par 7,8 channel,5,1,far\nE,Tarnby Par 7,8 channel,5,17,1.5\nF,,,5,1,0\nG,Pellow Dot,,7.30,,\nH,Pellow Dot,,,7.33,\n"
    )
    found = hang_list.read(text.encode(), EMPTY, library())
    assert [row.line for row in found.bad] == [2, 3, 4, 5, 7, 8]
    reasons = " | ".join(row.reason for row in found.bad)
    for words in ("“Nowhere Lamp” is not in the library", "has no mode “99”; it has 8 channel", "“600” is not a whole number",
                  "x “far” is not a number", "names no type", "the universe “7.30”"):  # fmt: skip
        assert words in reasons
    kept = {f.name: (f.universe, f.address) for f in found.show.fixtures.values()}
    assert kept == {"E": (5, 17), "H": (7, 33)}


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "is empty"),
        (b"\n\n  \n", "is empty"),
        (b"a,b\n1,2\n", "has no columns"),
        (b"x" * (17 << 20), "cannot be read as a list"),
    ],
)
def test_what_is_no_hang_list_is_refused(data, words):
    with pytest.raises(FormatError, match=words):
        hang_list.read(data, SHOW, library(), "list.csv")


def test_text_that_a_spreadsheet_would_run_stays_text():
    show = edits.change_fixtures(SHOW, {"par-1": {"name": "=1+1", "note": "@x"}})
    rows = list(csv.reader(io.StringIO(hang_list.write(show))))
    assert rows[9][1] == "'=1+1"
    found = hang_list.read(hang_list.write(show).encode(), show, library())
    assert found.show == show


@pytest.mark.parametrize(
    "name", ["＝1+1", "\t=x", "\r\n-2", "\n@x", "'=1", "''+2", "-3", "O'Neill", "＠x"]
)
def test_odd_beginnings_are_defused_and_come_back(name):
    show = edits.change_fixtures(SHOW, {"par-1": {"note": name}})
    written = hang_list.write(show)
    (cell,) = [
        row[13]
        for row in csv.reader(io.StringIO(written, newline=""))
        if row[14] == "par-1"
    ]
    assert cell[0] == "'" or cell[0].isalnum()
    found = hang_list.read(written.encode(), SHOW, library())
    assert found.show.fixtures["par-1"].note == name
    assert found.bad == ()


@pytest.mark.parametrize("end", ["\r", "\n", "\r\n"])
@pytest.mark.parametrize("first", ["", "sep=;{end}", "\ufeffSEP=;{end}"])
def test_line_ends_and_a_line_that_says_how_columns_are_parted(end, first):
    lines = [
        "name;type;mode;universe;address",
        "Lamp, left;Par 7;8 channel;4;11",
        "Odd;None;;4;30",
    ]
    text = first.format(end=end) + end.join(lines) + end
    found = hang_list.read(text.encode(), EMPTY, library())
    (lamp,) = found.show.fixtures.values()
    assert (lamp.name, lamp.universe, lamp.address) == ("Lamp, left", 4, 11)
    assert [row.line for row in found.bad] == [4 if first else 3]


@settings(max_examples=500, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.one_of(
        st.binary(max_size=300),
        st.text(max_size=300).map(
            lambda t: f"name,type,mode,universe,address\n{t}".encode()
        ),
    )
)
def test_fuzz_lists(data):
    try:
        found = hang_list.read(data, SHOW, library())
    except FormatError:
        return
    assert set(SHOW.fixtures) <= set(found.show.fixtures)


CELLS = st.sampled_from(
    [
        "",
        "Par 1",
        "Tarnby Par 7",
        "8 channel",
        "1",
        "512",
        "-3",
        "1e9",
        "x" * 50,
        "=A1",
        "7.12",
        "0,5",
        "NaN",
    ]
)


@settings(max_examples=300)
@given(st.lists(st.lists(CELLS, min_size=5, max_size=9), max_size=12))
def test_fuzz_rows(rows):
    text = "name,type,mode,universe,address,x,y,number,note\n" + "\n".join(
        ",".join(r) for r in rows
    )
    found = hang_list.read(text.encode(), SHOW, library())
    for fixture in found.show.fixtures.values():
        assert 1 <= fixture.address <= 512
        assert patch.mode_of(found.show.types, fixture) is not None


# MVR


def test_a_rig_out_and_in_again_hangs_the_same():
    found = mvr.read(mvr.write(SHOW), EMPTY, {})
    assert (len(found.added), found.notes) == (50, ())
    by_name = {f.name: f for f in found.show.fixtures.values()}
    assert all(same(f, by_name[f.name]) for f in SHOW.fixtures.values())
    assert found.show.types == {i: SHOW.types[i] for i in found.show.types}


def test_a_rig_that_comes_back_changes_those_it_came_from():
    moved = edits.change_fixtures(SHOW, {"par-1": {"address": 400}})
    found = mvr.read(mvr.write(moved), SHOW, library())
    assert found.added == ()
    assert found.changed == ("par-1", *found.changed[1:])
    assert found.show.fixtures["par-1"].address == 400
    assert found.show.playables is SHOW.playables


def test_an_independent_reader_understands_the_rig(tmp_path):
    path = tmp_path / "rig.mvr"
    path.write_bytes(mvr.write(SHOW))
    with pymvr.GeneralSceneDescription(str(path)) as read:
        fixtures = read.scene.layers[0].child_list.fixtures
    par = next(f for f in fixtures if f.name == "Par 1")
    place = SHOW.fixtures["par-1"].place
    assert par.matrix.matrix[3][:3] == pytest.approx(
        [1000 * place.x, 1000 * place.y, 1000 * place.z]
    )
    assert (
        par.gdtf_mode,
        par.addresses.addresses[0].universe,
        par.addresses.addresses[0].address,
    ) == (
        "8 channel",
        1,
        11,
    )
    assert par.gdtf_spec in zipfile.ZipFile(path).namelist()


SCENE = """<?xml version="1.0"?><GeneralSceneDescription verMajor="1" verMinor="6"><Scene><Layers><Layer name="L" uuid="u">
<Matrix>{1,0,0}{0,1,0}{0,0,1}{1000,0,0}</Matrix><ChildList><GroupObject name="G" uuid="g">
<Matrix>{0,1,0}{-1,0,0}{0,0,1}{0,0,4000}</Matrix><ChildList>%s</ChildList></GroupObject></ChildList></Layer></Layers></Scene>
</GeneralSceneDescription>"""
LAMP = """<Fixture name="Lamp" uuid="f1"><Matrix>{1,0,0}{0,1,0}{0,0,1}{2000,0,0}</Matrix><GDTFSpec>%s</GDTFSpec>
<GDTFMode>8 channel</GDTFMode><Addresses>%s</Addresses><FixtureID>7</FixtureID></Fixture>"""


def rig(
    spec: str = "Tarnby@Par 7", address: str = '<Address break="0">2.17</Address>'
) -> bytes:
    return packed(SCENE % (LAMP % (spec, address)), mvr.SCENE)


def test_groups_and_layers_add_up_and_types_are_found_by_name():
    """1 m to the right by the layer, then 2 m along an x axis that the group turned upstage, 4 m up."""
    found = mvr.read(rig(), EMPTY, library())
    (lamp,) = found.show.fixtures.values()
    assert (lamp.place.x, lamp.place.y, lamp.place.z) == (1.0, 2.0, 4.0)
    assert lamp.hanging.yaw == pytest.approx(90)
    assert (lamp.type, lamp.mode, lamp.universe, lamp.address) == (
        "tarnby-par-7",
        "8 channel",
        2,
        17,
    )


def test_what_is_missing_is_told_and_the_lamp_kept():
    found = mvr.read(rig("Nobody@Lamp"), EMPTY, library())
    assert any(
        "is not in the file; its fixtures cannot be lit yet" in n for n in found.notes
    )
    assert next(iter(found.show.fixtures.values())).type == "Nobody@Lamp"
    found = mvr.read(rig(address=""), EMPTY, library())
    assert any("has no address" in n for n in found.notes)


@pytest.mark.parametrize(
    ("address", "wanted"),
    [
        ('<Address break="0">1</Address>', (1, 1)),
        ('<Address break="0">512</Address>', (1, 512)),
        ('<Address break="0">513</Address>', (2, 1)),
        ('<Address break="0">1101</Address>', (3, 77)),
        ('<Address break="0">3.77</Address>', (3, 77)),
        # the first break is where it hangs, wherever it stands in the file
        ('<Address break="2">4.9</Address><Address break="1">2.5</Address>', (2, 5)),
    ],
)
def test_addresses_by_universe_or_counted_through(address, wanted):
    """DIN SPEC 15801, Address: an absolute address counts 512 to a universe."""
    found = mvr.read(rig(address=address), EMPTY, library())
    (lamp,) = found.show.fixtures.values()
    assert (lamp.universe, lamp.address) == wanted
    told = any("has 2 addresses. It hangs at the first, 2.5" in n for n in found.notes)
    assert told == (address.count("break") == 2)


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"PK", "is not a zip"), (packed("<x/>", "other"), "holds no GeneralSceneDescription"),
        (packed(SCENE % "", mvr.SCENE), "holds no fixtures"), (packed("<a", mvr.SCENE), "is broken XML"),
        (packed((SCENE % (LAMP % ("x", ""))).replace("{2000,0,0}", "{nan,0,0}"), mvr.SCENE), "not given in numbers"),
        (packed((SCENE % (LAMP % ("x", ""))).replace("{2000,0,0}", "{a}"), mvr.SCENE), "does not keep to the standard"),
    ],
)  # fmt: skip
def test_bad_rigs_are_told(data, words):
    with pytest.raises(FormatError, match=words):
        mvr.read(data, SHOW, library(), "rig.mvr")


RIG = mvr.write(edits.drop(SHOW, "fixtures", list(SHOW.fixtures)[3:]))


@settings(max_examples=300, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(st.tuples(st.integers(0, len(RIG) - 1), st.integers(0, 255)), max_size=5)
)
def test_fuzz_rigs(changes):
    data = bytearray(RIG)
    for at, value in changes:
        data[at] = value
    try:
        found = mvr.read(bytes(data), EMPTY, library())
    except FormatError:
        return
    assert len(found.show.fixtures) <= 5000


# paper


def words_of(data: bytes) -> list[str]:
    return [page.extract_text() for page in pypdf.PdfReader(io.BytesIO(data)).pages]


def test_every_fixture_is_on_the_list_on_its_universe_and_has_a_slip():
    pages = words_of(Paper(SHOW).write())
    text = "\n".join(pages)
    for fixture in SHOW.fixtures.values():
        assert text.count(fixture.name + "\n") >= 2, fixture.name
        assert f"{fixture.universe}.{fixture.address}" in text
    assert [p.count("Universe 2\n") for p in pages].count(1) == 1
    assert sum("Address slips" in p for p in pages) == 5  # fifty, ten a page


def test_switches_on_paper_are_those_of_the_address():
    """97 = 64 + 32 + 1: switches 1, 6 and 7. A switch that is on is drawn filled."""
    data = Paper(
        edits.drop(SHOW, "fixtures", [i for i in SHOW.fixtures if i != "uplight-3"])
    ).write(["slips"])
    content = (
        pypdf.PdfReader(io.BytesIO(data))
        .pages[0]
        .get_contents()
        .get_data()
        .decode("latin-1")
    )
    tall = [
        m
        for m in re.findall(
            r"([\d.]+) ([\d.]+) ([\d.]+) ([\d.]+) re (B|S|b|s)\b", content
        )
        if float(m[3]) == 10
    ]
    assert [i + 1 for i, m in enumerate(tall) if m[4] in "Bb"] == [1, 6, 7]


def test_a_clash_is_told_on_paper_and_odd_rigs_print():
    clash = edits.change_fixtures(SHOW, {"par-2": {"address": 12}})
    assert "Clash: Par 1 and Par 2 on 12–18." in "\n".join(
        words_of(Paper(clash).write(["universes"]))
    )
    assert all(words_of(Paper(EMPTY).write()))
    room = Room(
        "A" * 90,
        bars=(Bar("B", -3, 1, 3, 1),),
        screen=Screen(0, 5, 1, 3, 2),
        seats=Seats(4),
        keep_out=(Area("K", -1, -3, 1, -1),),
    )
    odd = edits.replace(
        edits.change_fixtures(SHOW, {"par-1": {"type": "x", "name": "日本語 <b>"}}),
        room=room,
        name="مسرح " * 30,
    )
    assert all(words_of(Paper(odd).write()))
