"""A printed channel table, read."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.library import library
from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.channel_table import add_named, meant_by, names_in


def added(text: str, kind=None):
    made, keys = add_named(kind or type_edits.blank([]), type_edits.NEW_MODE, text)
    return made, keys, [(use.channel, use.slots) for use in made.modes[0].uses]


@pytest.mark.parametrize(
    ("words", "name"),
    [
        ("Dimmer", "Dimmer"),
        ("Master dimmer", "Dimmer"),
        ("LED dimmer control", "Dimmer"),
        ("RED", "ColorAdd_R"),
        ("Amber", "ColorAdd_RY"),
        ("Color wheel", "Color1"),
        ("Colour wheel 2", "Color2"),
        ("Gobo 2", "Gobo2"),
        ("Gobo rotation", "Gobo1PosRotate"),
        ("Pan/Tilt speed", "PositionMSpeed"),
        ("Shutter / strobe", "Shutter1"),
        ("Strobe", "Shutter1Strobe"),
        ("Focus", "Focus1"),
        ("Zoom", "Zoom"),
        ("Reserved", "NoFeature"),
        ("Wobble", "NoFeature"),
        ("", "NoFeature"),
    ],
)
def test_usual_names_have_their_meaning(words, name):
    assert meant_by(words) == name


def test_every_usual_name_is_that_of_an_attribute_with_a_meaning():
    assert set(at._NAMES.values()) <= set(at.TEMPLATES)


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("Dimmer, Red;Green", ["Dimmer", "Red", "Green"]),
        (
            "1 Dimmer\n2: Red\n3) Green\n4. Blue\r\nCH5 White",
            ["Dimmer", "Red", "Green", "Blue", "White"],
        ),
        ("1\tDimmer\t0-255\tdark to full\n2-3\tPan\t0-65535", ["Dimmer", "Pan"]),
        ("  , ;\n", []),
        ("3 colours", ["colours"]),
        ("Gobo 2", ["Gobo 2"]),
    ],
)
def test_names_are_parted_and_freed_of_their_numbers(text, names):
    assert names_in(text) == names


def test_bytes_are_said_beside_or_behind_the_name():
    _, keys, uses = added("Pan, Tilt, Pan fine, Tilt (fine), Zoom 16 bit, Focus 24")
    assert uses == [
        ("pan", (1, 3)),
        ("tilt", (2, 4)),
        ("zoom", (5, 6)),
        ("focus", (7, 8, 9)),
    ]
    assert keys == ["pan", "tilt", "pan", "tilt", "zoom", "focus"]


def test_a_fine_byte_of_nothing_is_a_channel_of_its_own():
    kind, _, uses = added("Wobble fine")
    assert uses == [("wobble-fine", (1,))]
    assert kind.channels[0].name == "Wobble fine"


def test_a_channel_of_the_type_is_shared_by_a_mode_that_lacks_it():
    kind = library()["ostrey-spot-160"]
    kind, name = type_edits.add_mode(kind)
    dimmer = next(c for c in kind.channels if c.label == "Dimmer")
    made, keys = add_named(kind, name, "dimmer, Dimmer")
    assert keys[0] == dimmer.key
    assert keys[1] != dimmer.key  # twice in one mode: a second channel
    assert len(made.channels) == len(kind.channels) + 1


def test_a_mode_is_named_by_its_slots_until_somebody_names_it():
    kind, _, _ = added("Red, Green")
    before = type_edits.blank([]).modes[0]
    kind, name = type_edits.name_by_size(kind, before)
    assert name == kind.modes[0].name == "2 channel"
    mine = type_edits.put_mode(
        kind, name, type_edits.replace(kind.modes[0], name="Short")
    )
    longer, _ = add_named(mine, "Short", "Blue")
    assert type_edits.name_by_size(longer, mine.modes[0]) == (longer, "Short")


def test_the_last_range_leaves_what_it_gives_up_to_another():
    kind, _, _ = added("Strobe")
    channel = type_edits.end_range(kind.channels[0], 0, 9)
    assert [(r.start, r.end, r.attribute) for r in channel.ranges] == [
        (0, 9, "Shutter1Strobe"), (10, 255, "NoFeature")
    ]  # fmt: skip
    channel = type_edits.end_range(
        channel, 0, 19
    )  # not the last any more: its neighbour gives way
    assert [(r.start, r.end) for r in channel.ranges] == [(0, 19), (20, 255)]
    assert type_edits.end_range(channel, 1, 255) == channel
    assert [(r.start, r.end) for r in type_edits.end_range(channel, 1, 999).ranges] == [
        (0, 19),
        (20, 255),
    ]


def test_a_byte_typed_behind_a_channel_makes_room():
    kind, _, _ = added("Red, Green, Blue")
    mode = kind.modes[0]
    assert [u.slots for u in type_edits.type_slots(mode, 0, (1, 2)).uses] == [
        (1, 2),
        (3,),
        (4,),
    ]
    assert [u.slots for u in type_edits.type_slots(mode, 0, (1, 9)).uses] == [
        (1, 9),
        (2,),
        (3,),
    ]
    assert [u.slots for u in type_edits.type_slots(mode, 1, (1,)).uses] == [
        (1,),
        (1,),
        (3,),
    ]  # as typed; the check says so


def test_a_grid_of_cells_is_known_again():
    mode = type_edits.blank([]).modes[0]
    assert type_edits.grid_of(mode) == (0, 0, 0.0)
    for columns, rows in ((8, 1), (1, 5), (5, 4), (1, 1)):
        pitch = 0.0 if columns == rows == 1 else 0.12
        assert type_edits.grid_of(type_edits.grid(mode, columns, rows, 0.12)) == (
            columns,
            rows,
            pitch,
        )
    ring = type_edits.grid(mode, 3, 1, 0.1)
    ring = type_edits.replace(
        ring, cells=(*ring.cells[:2], type_edits.replace(ring.cells[2], y=0.3))
    )
    assert type_edits.grid_of(ring)[:2] == (3, 1)


@given(st.text(max_size=200))
def test_any_text_makes_channels_that_fill_slots_without_a_gap(text):
    kind, keys, uses = added(text)
    slots = sorted(slot for _, taken in uses for slot in taken)
    assert slots == list(range(1, len(slots) + 1))
    assert set(keys) == {key for key, _ in uses}
    assert all(kind.channel(key) for key in keys)
