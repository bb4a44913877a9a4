"""GDTF in and out; and files that mean no good."""

from __future__ import annotations

import io
import re
import zipfile

import pygdtf
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from choreon.formats import gdtf, package
from choreon.formats.package import FormatError
from choreon.library import library
from choreon.model import edits
from choreon.model.fixture_type import (
    Channel,
    FixtureType,
    Mode,
    Range,
    Slot,
    Use,
    Wheel,
)
from choreon.model.show import Show
from choreon.model.type_checks import check_type, errors
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.state import DraftState, PlayState

SPOT = library()["ostrey-spot-160"]
BAR = library()["pellow-bar-8"]


def packed(xml: str | bytes, name: str = "description.xml", **more: bytes) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, xml)
        for file, data in more.items():
            archive.writestr(file, data)
    return buffer.getvalue()


def described(
    channels: str,
    modes: int = 1,
    extra: str = "",
    geometry: str = '<Geometry Name="Base"/>',
) -> str:
    mode = "".join(
        f'<DMXMode Name="M{i}" Geometry="Base"><DMXChannels>{channels}</DMXChannels></DMXMode>'
        for i in range(modes)
    )
    return (
        '<?xml version="1.0"?><GDTF DataVersion="1.2"><FixtureType Name="Odd" LongName="Odd one" Manufacturer="Tarnby" '
        f'FixtureTypeID="8EAC5323-C63A-4C21-96CF-5DBF4AF049B6">{extra}<Geometries>{geometry}</Geometries>'
        f"<DMXModes>{mode}</DMXModes></FixtureType></GDTF>"
    )


def channel(
    offset: str, *functions: str, attribute: str = "Dimmer", more: str = ""
) -> str:
    inside = "".join(functions)
    return (
        f'<DMXChannel DMXBreak="1" Offset="{offset}" Geometry="Base" {more}>'
        f'<LogicalChannel Attribute="{attribute}">{inside}</LogicalChannel></DMXChannel>'
    )


def function(
    attribute: str,
    start: str,
    low: float = 0,
    high: float = 1,
    inside: str = "",
    more: str = "",
) -> str:
    return (
        f'<ChannelFunction Name="{attribute} {start}" Attribute="{attribute}" DMXFrom="{start}" Default="0/1" '
        f'PhysicalFrom="{low}" PhysicalTo="{high}" {more}>{inside}</ChannelFunction>'
    )


# out and in again


@pytest.mark.parametrize("type_id", list(library()))
def test_out_and_in_again_is_the_same_type(type_id):
    found = gdtf.read(gdtf.write(library()[type_id]), type_id)
    assert found.kind == library()[type_id]
    assert found.notes == ()


def test_an_independent_reader_understands_what_is_written(tmp_path):
    path = tmp_path / "spot.gdtf"
    path.write_bytes(gdtf.write(SPOT))
    with pygdtf.FixtureType(str(path)) as read:
        assert (read.manufacturer, read.name) == ("Ostrey", "Spot 160")
        assert [m.name for m in read.dmx_modes] == ["13 channel", "9 channel"]
        mode = read.dmx_modes[0]
        assert mode.dmx_channels_count == 13
        pan = mode.dmx_channels[0]
        assert pan.offset == [1, 2]
        assert pan.logical_channels[0].channel_functions[0].physical_from.value == -270
        assert pan.default.value == 0x8000
        assert [w.name for w in read.wheels] == ["Colour wheel", "Gobo wheel"]
        assert read.wheels[1].wheel_slots[1].name == "Ripples"
        gobo = next(c for c in mode.dmx_channels if str(c.attribute) == "Gobo1")
        sets = gobo.logical_channels[0].channel_functions[0].channel_sets
        assert [(s.name, s.wheel_slot_index) for s in sets][:2] == [
            ("Open", 1),
            ("Ripples", 2),
        ]
    assert {n for n in zipfile.ZipFile(path).namelist() if n.startswith("wheels/")} >= {
        "wheels/gobo-1.png"
    }


def test_cells_become_geometry_with_places(tmp_path):
    path = tmp_path / "bar.gdtf"
    path.write_bytes(gdtf.write(BAR))
    with pygdtf.FixtureType(str(path)) as read:
        beams = read.geometries[0].geometries
        assert len(beams) == 8
        assert beams[0].position.matrix[0][3] == pytest.approx(-0.4375)
        assert {c.geometry for c in read.dmx_modes[0].dmx_channels} == {
            str(i) for i in range(1, 9)
        }


# what others write


@pytest.mark.parametrize(
    ("turn", "wanted"),
    [
        ("{1,0,0,0.5}{0,1,0,0}{0,0,1,0}{0,0,0,1}", [(0.4, 0.0), (0.6, 0.0)]),
        (
            "{0,-1,0,0}{1,0,0,0.5}{0,0,1,0}{0,0,0,1}",
            [(0.0, 0.4), (0.0, 0.6)],
        ),  # a quarter turn seen from above
        (
            "{-1,0,0,0}{0,-1,0,0}{0,0,1,0}{0,0,0,1}",
            [(0.1, 0.0), (-0.1, 0.0)],
        ),  # half a turn: the other way round
        (
            "{0,0,1,0}{0,1,0,0}{-1,0,0,0}{0,0,0,1}",
            [(0.0, 0.1), (0.0, -0.1)],
        ),  # upright: along the height
    ],
)
def test_cells_go_with_the_turn_of_what_they_hang_on(turn, wanted):
    """Two cells at x = −0.1 and 0.1 in a part that is moved or turned in the fixture, worked out by hand."""
    cells = "".join(
        f'<Beam Name="{n}" Position="{{1,0,0,{x}}}{{0,1,0,0}}{{0,0,1,0}}{{0,0,0,1}}"/>'
        for n, x in (("A", -0.1), ("B", 0.1))
    )
    part = f'<Geometry Name="Base"><Geometry Name="Part" Position="{turn}">{cells}</Geometry></Geometry>'
    lights = "".join(
        channel(str(i), function("Dimmer", "0/1")).replace(
            'Geometry="Base"', f'Geometry="{n}"'
        )
        for i, n in enumerate("AB", 1)
    )
    kind = gdtf.read(packed(described(lights, geometry=part)), "odd.gdtf").kind
    found = [(c.x, c.y) for c in kind.modes[0].cells]
    assert found == [pytest.approx(w) for w in wanted]


def test_a_file_of_others_by_hand():
    """16 bits with an 8-bit default (128/1 → 0x8080), a wheel by slots, strobe in Hz, a highlight, a shared channel."""
    wheels = (
        '<Wheels><Wheel Name="Hue"><Slot Name="Open" Color="0.3127,0.3290,100"/>'
        '<Slot Name="Red" Color="0.6400,0.3300,21.26"/></Wheel></Wheels>'
    )
    slots = '<ChannelSet Name="Open" DMXFrom="0/1" WheelSlotIndex="1"/><ChannelSet Name="Red" DMXFrom="20/1" WheelSlotIndex="2"/>'
    xml = described(
        channel("1,2", function("Pan", "0/1", -180, 180), attribute="Pan", more='Default="128/1"')
        + channel("3", function("Color1", "0/1", 0, 1, slots, 'Wheel="Hue"'), function("Color1WheelSpin", "100/1", 0.5, 12),
                  attribute="Color1")
        + channel("4", function("Shutter1", "0/1", 0, 0), function("Shutter1", "10/1", 1, 1),
                  function("Shutter1Strobe", "20/1", 1, 20), attribute="Shutter1", more='Highlight="15/1"'),
        modes=2, extra=wheels,
    )  # fmt: skip
    found = gdtf.read(packed(xml), "odd.gdtf")
    kind = found.kind
    assert found.notes == ()
    assert (kind.label, kind.kind, kind.body) == ("Tarnby Odd one", "wash head", "wash")
    assert len(kind.channels) == 3
    assert kind.modes[0].overrides == kind.modes[1].overrides == ()
    pan, hue, shutter = kind.channels
    assert (pan.resolution, pan.home, pan.ranges[0].low) == (2, 0x8080, -180)
    assert [(r.attribute, r.start, r.end, r.low) for r in hue.ranges] == [
        ("Color1", 0, 19, 0), ("Color1", 20, 99, 1), ("Color1WheelSpin", 100, 255, 0.5)
    ]  # fmt: skip
    assert kind.wheel(hue.wheel).slots[1].colour == "#FF0000"
    assert (shutter.open, shutter.at(15).low, shutter.at(255).value_at(255)) == (
        15,
        1,
        20,
    )
    assert errors(check_type(kind)) == []


def test_what_is_not_understood_is_listed_and_kept():
    master = 'ModeMaster="Base_Dimmer" ModeFrom="0/1" ModeTo="9/1"'
    xml = described(
        channel("1", function("Wobble7", "0/1", 0, 3), attribute="Wobble7")
        + channel(
            "2", function("Dimmer", "0/1"), function("Dimmer", "0/1", 0, 1, "", master)
        )
    )
    found = gdtf.read(packed(xml), "odd.gdtf")
    assert any(
        "Wobble7 has no meaning here; it is kept" in note for note in found.notes
    )
    assert any("depend on another channel" in note for note in found.notes)
    assert found.kind.channels[0].ranges[0].attribute == "Wobble7"
    assert errors(check_type(found.kind)) == []


def test_a_channel_that_always_depends_on_another_keeps_its_first_meaning():
    """Common on heads: what turns a gobo is an angle or a speed, by where the gobo channel stands."""

    def while_(low: int, high: int) -> str:
        return f'ModeMaster="Base_Gobo1" ModeFrom="{low}/1" ModeTo="{high}/1"'

    turn = channel(
        "2",
        function("NoFeature", "0/1"),
        function("Gobo1Pos", "0/1", 0, 360, "", while_(0, 127)),
        function("Gobo1PosRotate", "0/1", -30, 30, "", while_(128, 255)),
        attribute="Gobo1Pos",
    )
    found = gdtf.read(
        packed(
            described(channel("1", function("Gobo1", "0/1"), attribute="Gobo1") + turn)
        ),
        "odd.gdtf",
    )
    gobo_turn = found.kind.channels[1]
    assert [(r.attribute, r.start, r.end, r.low, r.high) for r in gobo_turn.ranges] == [
        ("Gobo1Pos", 0, 255, 0, 360)
    ]
    assert any(
        "is read as it is while Base_Gobo1 is at 0…127" in note for note in found.notes
    )


def test_modes_share_what_is_alike_and_override_what_differs():
    one, other = (
        channel("1", function("Dimmer", "0/1", 0, 1)),
        channel("1", function("Dimmer", "0/1", 1, 0)),
    )
    xml = described(one).replace(
        "</DMXModes>",
        f'<DMXMode Name="B" Geometry="Base"><DMXChannels>{other}</DMXChannels></DMXMode></DMXModes>',
    )
    kind = gdtf.read(packed(xml), "odd.gdtf").kind
    assert len(kind.channels) == 1
    assert kind.modes[0].overrides == ()
    assert kind.modes[1].overrides[0].ranges[0].low == 1


# bad input: a clear message, nothing else


BOMB = """<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]><GDTF>&b;</GDTF>"""


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"no zip at all", "is not a zip file"),
        (b"", "is not a zip file"),
        (packed("x", "other.xml"), "holds no description.xml"),
        (packed("<GDTF><broken"), "is broken XML"),
        (packed(b"\xff\xfe\x00\x00<"), "is broken XML"),
        (packed(BOMB), "defines entities of its own"),
        (packed('<!DOCTYPE x SYSTEM "file:///etc/passwd"><GDTF/>'), "defines entities of its own"),
        (packed("<GDTF/>"), "describes no fixture type"),
        (packed(described("", modes=0)), "describes no DMX mode"),
        (packed(described(channel("99999999", function("Dimmer", "0/1")))), "puts a channel on slot 99999999"),
        (packed(described(channel("513", function("Dimmer", "0/1")))), "puts a channel on slot 513"),
        (packed(described(channel("1", function("Dimmer", "0/1", 0, 1, "", 'RealFade="much"')))), "does not keep to the standard"),
        (packed(described("x"), **{"../../evil": b"x"}), "would lie outside of it"),
        (packed(described("x"), **{"/etc/evil": b"x"}), "would lie outside of it"),
        (packed(described("x"), **{"c:\\evil": b"x"}), "would lie outside of it"),
        (packed(described("x"), big=bytes(40 << 20)), "far too large when unpacked"),
    ],
)  # fmt: skip
def test_bad_files_are_told_and_opened_no_further(data, words):
    with pytest.raises(FormatError, match=words):
        gdtf.read(data, "odd.gdtf")


def test_too_many_files_and_too_much_unpacked(monkeypatch):
    data = packed(described("x"), **{f"f{i}": b"" for i in range(20)})
    monkeypatch.setattr(package, "MOST_FILES", 10)
    with pytest.raises(FormatError, match="holds 21 files"):
        gdtf.read(data, "odd.gdtf")
    monkeypatch.setattr(package, "MOST_FILES", 100)
    monkeypatch.setattr(package, "MOST_BYTES", 10)
    with pytest.raises(FormatError, match="would unpack to more than"):
        gdtf.read(data, "odd.gdtf")


def test_geometry_that_refers_to_itself_ends():
    loop = '<Geometry Name="Base"><GeometryReference Name="r" Geometry="Base"><Break DMXOffset="1" DMXBreak="1"/></GeometryReference></Geometry>'
    xml = described(channel("1", function("Dimmer", "0/1")), geometry=loop)
    assert gdtf.read(packed(xml), "odd.gdtf").kind.modes[0].footprint <= 512


# what can be said in two ways


def one_channel(xml: str | bytes):
    """The type in a description, and its first channel."""
    found = gdtf.read(packed(xml), "odd.gdtf")
    return found, found.kind.channels[0]


@pytest.mark.parametrize(
    ("value", "raw"),
    [
        ("32768/2s", 32768),
        ("128/1s", 128 << 8),
        ("128/1", 128 << 8 | 128),  # without the s its bytes are repeated
        ("255/1s", 0xFF00),
        ("1/1", 257),
        ("8388608/3s", 32768),
    ],
)
def test_byte_shifted_values_are_not_repeated(value, raw):
    """DIN SPEC 15800, type DMXValue: 255/1 in 16 bits is 65535, 255/1s is 65280."""
    inside = (
        '<ChannelFunction Name="a" Attribute="Pan" DMXFrom="0/1" Default="0/1" '
        'PhysicalFrom="-270" PhysicalTo="0"/>'
        f'<ChannelFunction Name="b" Attribute="Tilt" DMXFrom="{value}" '
        f'Default="{value}" PhysicalFrom="0" PhysicalTo="270"/>'
    )
    odd = channel("1,2", inside, attribute="Pan", more=f'Default="{value}"')
    _, made = one_channel(described(odd))
    assert made.home == raw
    assert [r.start for r in made.ranges] == [0, raw]


def test_without_a_word_on_it_the_first_function_says_where_home_is():
    inside = (
        '<ChannelFunction Name="a" Attribute="Zoom" DMXFrom="0/1" Default="77/1"/>'
        '<ChannelFunction Name="b" Attribute="Zoom" DMXFrom="200/1" Default="210/1"/>'
    )
    _, made = one_channel(described(channel("1", inside, attribute="Zoom")))
    assert made.home == 77
    named = channel(
        "1", inside, attribute="Zoom", more='InitialFunction="Base_Zoom.Zoom.b"'
    )
    _, made = one_channel(described(named))
    assert made.home == 210


@pytest.mark.parametrize(("home", "attribute"), [(0, "Gobo1"), (200, "Gobo1WheelSpin")])
def test_a_channel_is_read_as_it_is_while_its_master_is_at_home(home, attribute):
    low = 'ModeMaster="Base_Control1" ModeFrom="0/1" ModeTo="99/1"'
    high = 'ModeMaster="Base_Control1" ModeFrom="100/1" ModeTo="255/1"'
    odd = channel(
        "1",
        function("Control1", "0/1"),
        attribute="Control1",
        more=f'Default="{home}/1"',
    ) + channel(
        "2",
        function("Gobo1", "0/1", more=low),
        function("Gobo1WheelSpin", "0/1", more=high),
        attribute="Gobo1",
    )
    found = gdtf.read(packed(described(odd)), "odd.gdtf")
    assert attribute in found.kind.attributes
    assert len(found.kind.attributes) == 2
    assert any("depends on another channel" in note for note in found.notes)


CELLS = (
    '<Geometry Name="Base">'
    '<GeometryReference Name="A" Geometry="Part" Position="{1,0,0,-1}{0,1,0,0}{0,0,1,0}{0,0,0,1}">'
    '<Break DMXBreak="1" DMXOffset="1"/></GeometryReference>'
    '<GeometryReference Name="B" Geometry="Part" Position="{1,0,0,1}{0,1,0,0}{0,0,1,0}{0,0,0,1}">'
    '<Break DMXBreak="1" DMXOffset="5"/></GeometryReference></Geometry>'
    '<Geometry Name="Part"><Beam Name="Inner"/></Geometry>'
)


def test_channels_on_what_lies_within_a_part_that_is_used_twice():
    """The colours stand on the beam within the part, its dimmer on the part itself."""

    def on(geometry: str, offset: int, attribute: str) -> str:
        made = channel(str(offset), function(attribute, "0/1"), attribute=attribute)
        return made.replace('Geometry="Base"', f'Geometry="{geometry}"')

    odd = on("Part", 1, "Dimmer") + "".join(
        on("Inner", n, f"ColorAdd_{c}") for n, c in enumerate("RGB", 2)
    )
    kind = gdtf.read(packed(described(odd, geometry=CELLS)), "odd.gdtf").kind
    (mode,) = kind.modes
    assert mode.footprint == 8
    assert [(cell.name, cell.x) for cell in mode.cells] == [
        ("A Inner", -1.0),
        ("B Inner", 1.0),
    ]
    assert [(use.channel, use.slots, use.cell) for use in mode.uses] == [
        *(("dimmer", (1,), 1), ("red", (2,), 1), ("green", (3,), 1), ("blue", (4,), 1)),
        *(("dimmer", (5,), 2), ("red", (6,), 2), ("green", (7,), 2), ("blue", (8,), 2)),
    ]


def test_parts_within_parts_light_each():
    two = (
        '<GeometryReference Name="{n}" Geometry="{of}"><Break DMXBreak="1" '
        'DMXOffset="{at}"/></GeometryReference>'
    )
    geometry = (
        '<Geometry Name="Base">'
        + two.format(n="L", of="Row", at=1)
        + two.format(n="R", of="Row", at=7)
        + '</Geometry><Geometry Name="Row">'
        + two.format(n="1", of="Dot", at=1)
        + two.format(n="2", of="Dot", at=4)
        + '</Geometry><Beam Name="Dot"/>'
    )
    odd = "".join(
        channel(str(n), function(f"ColorAdd_{c}", "0/1"), attribute=f"ColorAdd_{c}")
        for n, c in enumerate("RGB", 1)
    ).replace('Geometry="Base"', 'Geometry="Dot"')
    kind = gdtf.read(packed(described(odd, geometry=geometry)), "odd.gdtf").kind
    (mode,) = kind.modes
    assert mode.footprint == 12
    assert [cell.name for cell in mode.cells] == ["L 1", "L 2", "R 1", "R 2"]
    assert [use.slots for use in mode.uses] == [(n,) for n in range(1, 13)]
    assert [use.cell for use in mode.uses] == [c for c in (1, 2, 3, 4) for _ in "RGB"]


def test_a_channel_of_32_bits_is_driven_to_its_last_slot():
    found, made = one_channel(described(channel("1,2,3,4", function("Dimmer", "0/1"))))
    assert made.resolution == 4
    assert errors(check_type(found.kind)) == []
    show, (lamp,) = edits.hang(Show(id="s", name="S"), found.kind, "M0", 1, 1, 1)
    compiled = compile_show(show)
    for level, wanted in ((1.0, [255] * 4), (0.5, [128, 0, 0, 0]), (0.0, [0] * 4)):
        state = PlayState(draft=DraftState({lamp: {"Dimmer": level}}))
        assert render(compiled, state, 0.0)[0, :4].tolist() == wanted
    again = gdtf.read(gdtf.write(found.kind), "odd.gdtf")
    assert again.kind == found.kind


def test_another_alphabet_of_bytes_and_a_namespace():
    xml = described(channel("1", function("Dimmer", "0/1")))
    wide = xml.replace(
        '<?xml version="1.0"?>', '<?xml version="1.0" encoding="UTF-16"?>'
    )
    named = xml.replace("<GDTF ", '<GDTF xmlns="http://schemas.example/gdtf" ')
    plain = gdtf.read(packed(xml), "odd.gdtf").kind
    assert gdtf.read(packed(wide.encode("utf-16")), "odd.gdtf").kind == plain
    assert gdtf.read(packed(named), "odd.gdtf").kind == plain


@pytest.mark.parametrize("offset", ["0", "-3"])
def test_a_channel_on_no_slot_is_left_out_and_named(offset):
    odd = channel(offset, function("Zoom", "0/1"), attribute="Zoom")
    odd += channel("1", function("Dimmer", "0/1"))
    found = gdtf.read(packed(described(odd)), "odd.gdtf")
    assert found.kind.attributes == {"Dimmer"}
    told = f"M0: Base_Zoom is on slot {offset}, which does not exist (slots count from 1); it was left out."
    assert told in found.notes


def test_slots_and_ranges_without_names_are_kept_apart():
    wheel = Wheel(
        key="w",
        name="Wheel",
        slots=tuple(Slot(name="", colour=c) for c in ("#FF0000", "#00FF00", "")),
    )
    ranges = tuple(
        Range(start=10 * n, end=10 * n + 9, attribute="Color1", low=n, high=n)
        for n in range(3)
    )
    effects = tuple(
        Range(start=10 * n, end=10 * n + 9, attribute="Effects1", low=n, high=n)
        for n in range(3)
    )
    kind = FixtureType(
        id="odd",
        maker="Tarnby",
        name="Odd",
        kind="other",
        channels=(
            Channel(key="colour", ranges=ranges, wheel="w"),
            Channel(key="effect", ranges=effects),
        ),
        modes=(Mode(name="M", uses=(Use("colour", (1,)), Use("effect", (2,)))),),
        wheels=(wheel,),
    )
    assert gdtf.read(gdtf.write(kind), "odd.gdtf").kind == kind
    bare = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(gdtf.write(kind))) as full:
        bare = packed(full.read("description.xml"))
    found = gdtf.read(bare, "odd.gdtf").kind
    assert [[(r.start, r.low) for r in c.ranges[:3]] for c in found.channels] == [
        [(0, 0.0), (10, 1.0), (20, 2.0)]
    ] * 2


def test_names_keep_to_the_characters_of_the_standard():
    wheel = Wheel(
        key="w",
        name="Rad, groß?",
        slots=tuple(Slot(name=n) for n in ("Ä.1", "Ä.1", "2,5 m")),
    )
    kind = FixtureType(
        id="odd",
        maker="Tårnby",
        name="Par 7½ “Süd”",
        kind="LED bar",
        channels=(
            Channel(
                key="w",
                ranges=(Range(start=0, end=255, attribute="Color1", low=0, high=2),),
                wheel="w",
            ),
        ),
        modes=(
            Mode(
                name="2.5 m",
                uses=(Use("w", (1,)),),
            ),
        ),
        wheels=(wheel,),
    )
    data = gdtf.write(kind)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        text = archive.read("description.xml").decode()
    names = re.findall(r' (?:Name|Geometry|InitialFunction|Wheel)="([^"]*)"', text)
    assert all(re.fullmatch(r"[A-Za-z0-9 ()*+/:;<=>@_#%.-]*", name) for name in names)
    found = gdtf.read(data, "odd.gdtf").kind
    assert found == kind


def test_a_damaged_extra_file_is_passed_over():
    data = io.BytesIO(gdtf.write(SPOT))
    with (
        zipfile.ZipFile(data, "a") as archive,
        pytest.warns(UserWarning, match="Duplicate name"),
    ):
        archive.writestr(gdtf.EXTRA, b"{")
    found = gdtf.read(data.getvalue(), "spot.gdtf")
    assert any("was left out" in note for note in found.notes)
    assert [m.footprint for m in found.kind.modes] == [13, 9]
    assert errors(check_type(found.kind)) == []


# fuzz: whatever comes, a type or a FormatError, never anything else


def survives(data: bytes) -> None:
    try:
        found = gdtf.read(data, "fuzz.gdtf")
    except FormatError:
        return
    assert found.kind.modes


@settings(max_examples=250, suppress_health_check=[HealthCheck.too_slow])
@given(st.binary(max_size=600))
def test_fuzz_bytes(data):
    survives(data)


GOOD = gdtf.write(library()["tarnby-turn-150"])
XML = zipfile.ZipFile(io.BytesIO(GOOD)).read("description.xml").decode()


@settings(max_examples=350, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.lists(
        st.tuples(st.integers(0, len(GOOD) - 1), st.integers(0, 255)),
        min_size=1,
        max_size=6,
    )
)
def test_fuzz_a_damaged_file(changes):
    data = bytearray(GOOD)
    for at, value in changes:
        data[at] = value
    survives(bytes(data))


WORDS = (
    "",
    "0",
    "-1",
    "1/0",
    "999999999999/9",
    "nan",
    "inf",
    "None",
    "../x",
    "0/1",
    "255/1s",
    "1,2,3,4",
    "{1}{2}",
    "é" * 40,
)


@pytest.mark.slow
@settings(max_examples=350, suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_fuzz_odd_values_in_a_whole_file(data):
    """Attribute values of the description, some of them replaced by what does not belong there."""
    parts = XML.split('"')
    for _ in range(data.draw(st.integers(1, 8))):
        at = 2 * data.draw(st.integers(0, (len(parts) - 3) // 2)) + 1
        parts[at] = data.draw(st.sampled_from(WORDS))
    survives(packed('"'.join(parts)))


@settings(max_examples=300, suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_fuzz_lines_left_out_or_doubled(data):
    lines = XML.splitlines()
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(1, len(lines) - 1))
        lines[at : at + 1] = data.draw(st.sampled_from(([], [lines[at]] * 2)))
    survives(packed("\n".join(lines)))


def test_how_long_pan_takes_is_read_and_written():
    """RealFade of a channel function (DIN SPEC 15800): seconds from end to end."""
    turns = function("Pan", "0/1", -270, 270, "", 'RealFade="2.25"')
    tilts = function("Tilt", "0/1", -90, 90)
    xml = described(channel("1", turns) + channel("2", tilts))
    kind = gdtf.read(packed(xml), "odd.gdtf").kind
    for read in (kind, gdtf.read(gdtf.write(kind), "again.gdtf").kind):
        travel = {r.attribute: r.travel for c in read.channels for r in c.ranges}
        assert travel == {"Pan": 2.25, "Tilt": 0.0}
