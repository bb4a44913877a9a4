"""Fixture types: the attributes, the checks, the edits, and the library."""

from __future__ import annotations

import itertools
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from choreon.library import library, own
from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.fixture_type import (
    Channel,
    FixtureType,
    Mode,
    Range,
    Slot,
    Use,
    Wheel,
    bytes_of,
    main_attribute,
)
from choreon.model.type_checks import check_type, errors

SPOT = library()["ostrey-spot-160"]
replace = type_edits.replace


def whole(attribute: str = "Dimmer", **more) -> Channel:
    return Channel(
        key="c", ranges=(Range(start=0, end=255, attribute=attribute),), **more
    )


def of(
    *channels: Channel, modes: tuple[Mode, ...] | None = None, **more
) -> FixtureType:
    uses = tuple(Use(c.key, (i,)) for i, c in enumerate(channels, 1))
    modes = modes if modes is not None else (Mode(name="m", uses=uses),)
    return FixtureType(
        id="t", maker="", name="T", kind="", channels=channels, modes=modes, **more
    )


def told(kind: FixtureType) -> list[str]:
    return [f"{p.level} {p}" for p in check_type(kind)]


# the library


def test_the_library_covers_what_small_rooms_hang():
    kinds = library()
    assert len(kinds) >= 60
    assert {k.maker for k in kinds.values()} == {
        "Generic",
        "Holmwick",
        "Tarnby",
        "Pellow",
        "Ostrey",
    }
    for count in (1, 4, 6, 12):
        pack = kinds[f"holmwick-{count}-way"]
        assert [m.footprint for m in pack.modes] == ([1] if count == 1 else [1, count])
    pars = [k for k in kinds.values() if k.kind == "LED par"]
    emitters = {
        len(k.emitters)
        for k in pars
        if not k.id.startswith(("tarnby-white", "tarnby-fresnel"))
    }
    assert emitters >= {3, 4, 5, 6}
    assert all(3 <= len(k.modes) <= 5 for k in pars)
    for cells in (4, 8, 16):
        modes = kinds[f"pellow-bar-{cells}"].modes
        assert [len(m.cells) for m in modes] == [cells, cells, 0, 0]
        assert [m.footprint for m in modes] == [3 * cells, 3 * cells + 2, 3, 7]
    for kind in ("spot head", "wash head", "beam head", "profile head", "scanner", "mirror effect", "panel", "blinder",
                 "strobe", "hazer", "fan", "multi-beam effect", "pixel tape"):  # fmt: skip
        assert any(k.kind == kind for k in kinds.values()), kind
    profile = kinds["ostrey-profile-300"].attributes
    assert profile >= {
        "ColorSub_C",
        "Zoom",
        "Iris",
        "Blade1A",
        "ShaperRot",
        "Gobo1",
        "Color1",
        "CTO",
    }


def test_a_mirror_is_position_below_and_free_spin_above():
    mirror = library()["tarnby-turnmirror"].channel("mirror")
    assert (mirror.at(127).attribute, mirror.at(128).attribute) == (
        "Effects1Pos",
        "Effects1PosRotate",
    )
    assert mirror.at(0).value_at(0) == 0
    assert mirror.at(255).value_at(255) == 40


@pytest.mark.parametrize("type_id", list(library()))
def test_every_shipped_type_passes_every_check(type_id):
    assert told(library()[type_id]) == []


def test_wheels_have_a_colour_or_a_picture_for_every_slot():
    for kind in library().values():
        for wheel in kind.wheels:
            assert all(slot.colour or slot.picture for slot in wheel.slots), kind.id


# attributes


def test_numbered_attributes_follow_their_template():
    assert at.attribute("Gobo2WheelSpin").label == "Gobo wheel, turning 2"
    assert at.attribute("Gobo2WheelSpin").unit == "rpm"
    assert at.attribute("Gobo1").label == "Gobo"
    assert at.known("Blade4A")
    assert not at.known("Wobble3")
    assert at.attribute("Wobble3").family is at.Family.DEVICE
    assert at.attribute("dmx:gobo").label == "Gobo"


@pytest.mark.parametrize(
    ("words", "name"),
    [("strobe", "Shutter1Strobe"), ("gobo", "Gobo1"), ("pan", "Pan"), ("amber", "ColorAdd_RY"), ("zoom", "Zoom"),
     ("lamp on", "LampControl"), ("gobo turning", "Gobo1PosRotate"), ("colour temperature", "CTC")],
)  # fmt: skip
def test_meanings_are_found_by_plain_words(words, name):
    assert name in [a.name for a in at.find(words)[:3]]


def test_every_attribute_of_the_table_is_one_of_the_standard():
    from pygdtf.utils.attribute_definitions_data import ANNEX_ATTRIBUTE_DEFINITIONS

    standard = {a["name"] for a in ANNEX_ATTRIBUTE_DEFINITIONS["attributes"]}
    assert set(at.TEMPLATES) <= standard


# ranges


def test_values_of_ranges_by_hand():
    strobe = Range(start=64, end=255, attribute="Shutter1Strobe", low=1, high=25)
    assert strobe.value_at(64) == 1
    assert strobe.value_at(255) == 25
    assert strobe.raw_at(13) == 160  # 64 + 0.5 · 191 = 159.5, rounded up
    falling = Range(start=0, end=255, attribute="Iris", low=1, high=0)
    assert falling.raw_at(0.25) == 191
    assert Range(start=10, end=19, attribute="Color1", low=3, high=3).raw_at(99) == 14
    assert main_attribute(SPOT.channel("gobo")) == "Gobo1"
    assert main_attribute(SPOT.channel("shutter")) == "Shutter1"


@given(st.integers(0, 255), st.integers(1, 3))
def test_bytes_of_a_value_keep_its_coarse_byte(raw, slots):
    data = bytes_of(raw, 1, slots)
    assert len(data) == slots
    assert data[0] == raw
    assert bytes_of(int.from_bytes(data, "big"), slots, 1) == bytes([raw])


# checks: each of what can be wrong is told, where it is


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        (of(whole(), modes=()), "error types/t/modes: a type needs at least one mode"),
        (of(replace(whole(), ranges=())), "warning types/t/channels/c: c is empty"),
        (of(replace(whole(), ranges=(Range(start=0, end=100, attribute="Dimmer"),))), "c: 101…255 has no meaning (a gap)"),
        (of(Channel(key="c", ranges=(Range(start=0, end=99, attribute="Dimmer"), Range(start=90, end=255, attribute="Pan")))),
         "error types/t/channels/c/ranges/1: 90…255 of c overlaps"),
        (of(Channel(key="c", ranges=(Range(start=0, end=255, attribute="Shutter1", low=0, high=0),))), "has no open range"),
        (of(whole(home=300)), "error types/t/channels/c/home: home 300 is not within 0…255"),
        (of(Channel(key="c", home=120, ranges=(Range(start=0, end=99, attribute="Dimmer"),))), "120, lies in no range"),
        (of(whole("Wobble")), "warning types/t/channels/c/ranges/0: Wobble has no meaning here"),
        (of(whole(), modes=(Mode(name="a", uses=(Use("c", (1,)),)), Mode(name="b", uses=(Use("c", (1,)),)))),
         "warning types/t/modes/b: b and a are alike"),
        (of(whole(), modes=(Mode(name="a", uses=(Use("c", (0, 2)),)),)), "error types/t/modes/a/c/slots: a: c has a fine slot"),
        (of(whole(), modes=(type_edits.grid(Mode(name="a", uses=(Use("c", (1,)),)), 2, 1, 0.1),)),
         "warning types/t/modes/a/cells/1: a: cell 1 has no light"),
        (of(whole(), modes=(Mode(name="a", uses=(Use("c", (3,)),)),)), "a: slot 1, 2 is nobody's"),
        (of(whole(), modes=(Mode(name="a", uses=(Use("x", (1,)),)),)), "the type has no channel x"),
        (of(whole(), modes=(Mode(name="a", uses=(Use("c", (1,)), Use("c", (1,)))),)), "another channel has the slot of c"),
        (of(whole(), modes=(Mode(name="a", uses=()),)), "a has no channels"),
        (of(Channel(key="c", wheel="w", ranges=(Range(start=0, end=255, attribute="Gobo1", low=5, high=5),)),
            wheels=(Wheel(key="w", name="W", slots=(Slot(name="Open"),)),)), "is slot 5; W has 1"),
        (of(whole(), whole()), "two channels have this key"),
        (replace(of(whole()), name=" "), "a type needs a name"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told_with_its_place(kind, words):
    assert any(words in line for line in told(kind)), told(kind)


def test_a_sound_type_has_nothing_to_tell():
    assert told(of(whole())) == []
    assert errors(check_type(of(replace(whole(), ranges=())))) == []


# edits


def test_borders_push_their_neighbours_and_parting_keeps_the_values():
    channel = SPOT.channel("shutter")
    wider = type_edits.put_range(channel, 0, end=40)
    assert [(r.start, r.end) for r in wider.ranges] == [(0, 40), (41, 63), (64, 255)]
    parted, index = type_edits.split(channel, 160)
    assert index == 3
    assert [(r.start, r.end) for r in parted.ranges] == [
        (0, 31),
        (32, 63),
        (64, 159),
        (160, 255),
    ]
    assert parted.ranges[3].value_at(255) == 25
    assert parted.ranges[2].value_at(100) == pytest.approx(
        channel.ranges[2].value_at(100)
    )
    assert type_edits.remove_range(parted, 3).ranges[2].end == 255
    gap = replace(channel, ranges=channel.ranges[:2])
    filled, index = type_edits.split(gap, 100)
    assert (filled.ranges[index].start, filled.ranges[index].end) == (64, 255)


@given(st.integers(0, 255), st.sampled_from([1, 2, 3]))
def test_counting_in_more_bytes_and_back_is_the_same(home, resolution):
    channel = replace(SPOT.channel("colour"), home=home)
    there = type_edits.set_resolution(channel, resolution)
    assert there.ranges[-1].end == 256**resolution - 1
    assert type_edits.set_resolution(there, 1) == channel


def test_modes_close_up_make_room_and_repeat_for_cells():
    mode = SPOT.mode("13 channel")
    without = type_edits.remove_use(mode, 0)
    assert without.footprint == 11
    assert without.uses[0].slots == (1, 2)
    wide = type_edits.resize_use(SPOT.mode("9 channel"), 0, 2)
    assert [u.slots for u in wide.uses[:2]] == [(1, 2), (3,)]
    moved = type_edits.move_use(mode, 2, -1)
    assert [(u.channel, u.slots) for u in sorted(moved.uses, key=lambda u: u.slots)][1:3] == [
        ("head-speed", (3,)), ("tilt", (4, 5))
    ]  # fmt: skip
    cells = type_edits.grid(
        Mode(name="m", uses=(Use("r", (1,), 1), Use("g", (2,), 1))), 3, 1, 0.2
    )
    cells = replace(cells, uses=(Use("r", (1,), 1), Use("g", (2,), 1)))
    assert [c.x for c in cells.cells] == [-0.2, 0.0, 0.2]
    assert [u.cell for u in type_edits.repeat_for_cells(cells).uses] == [
        1,
        1,
        2,
        2,
        3,
        3,
    ]
    assert type_edits.repeat_for_cells(cells).footprint == 6


def test_an_override_is_one_modes_own():
    kind = type_edits.override(SPOT, "9 channel", "shutter", True)
    short = replace(
        kind.channel("shutter"),
        ranges=(Range(start=0, end=255, attribute="Shutter1", low=1, high=1),),
    )
    kind = type_edits.put_channel(kind, short, "9 channel")
    assert kind.channel("shutter", kind.mode("9 channel")) == short
    assert kind.channel("shutter", kind.mode("13 channel")) == SPOT.channel("shutter")
    assert type_edits.override(kind, "9 channel", "shutter", False) == SPOT


def test_removing_a_channel_and_a_wheel_leaves_nothing_hanging():
    kind = type_edits.remove_channel(SPOT, "gobo")
    assert kind.mode("13 channel").footprint == 12
    assert errors(check_type(kind)) == []
    assert errors(check_type(type_edits.remove_wheel(SPOT, "gobo"))) == []


def test_another_meaning_brings_its_usual_span():
    meant = type_edits.mean(Range(start=0, end=255, attribute="Dimmer"), "Zoom")
    assert (meant.attribute, meant.low, meant.high) == ("Zoom", 5, 60)
    assert type_edits.mean(meant, "LampControl").low == 1
    assert type_edits.mean(meant, "Gobo2").discrete


# the user's own


def test_own_types_are_kept_and_a_damaged_file_harms_no_other(own_folders):
    own.keep(replace(SPOT, id="mine/../x"))
    own.keep(replace(SPOT, id="other"))
    from choreon import folders

    assert len(list(folders.types().glob("*.json"))) == 2
    (folders.types() / "broken.json").write_text("{")
    found, trouble = own.own_types()
    assert set(found) == {"mine/../x", "other"}
    assert len(trouble) == 1
    assert "broken.json" in trouble[0]
    assert own.forget("other")
    assert not own.forget("other")
    assert set(own.own_types()[0]) == {"mine/../x"}
    assert [k.id for k in own.deleted()] == ["other"]
    own.bring_back("other")
    assert set(own.own_types()[0]) == {"mine/../x", "other"}
    assert own.deleted() == []


def test_recently_hung_types_come_first_and_are_few(own_folders):
    for i in range(20):
        own.used(f"t{i}")
    own.used("t10")
    assert own.recent()[:2] == ["t10", "t19"]
    assert len(own.recent()) == own.MOST_RECENT


@pytest.mark.parametrize("type_id", list(library()))
def test_what_shines_says_how_wide_and_no_ranges_overlap(type_id):
    """A beam angle of a lamp that could be; ranges in order, each within its channel;
    as many slots as the name of a mode says.
    """
    kind = library()[type_id]
    # pixels glow to all sides; air has no light, and a switch none that is known
    beamless = {"hazer", "fan", "dot", "tape"}
    assert (kind.beam == 0.0) == (kind.body in beamless or kind.name == "Switch")
    assert 0.0 <= kind.beam <= 180.0
    words = {"One": 1, "Four": 4, "Six": 6, "Twelve": 12}
    for mode in kind.modes:
        named = re.match(r"(\d+) channel|(\w+) outputs?", mode.name)
        assert named is not None
        count = int(named[1]) if named[1] else words[named[2]]
        assert count == mode.footprint
        for _, channel in kind.used(mode):
            ranges = sorted(channel.ranges, key=lambda r: r.start)
            assert all(0 <= r.start <= r.end <= channel.top for r in ranges)
            assert all(a.end < b.start for a, b in itertools.pairwise(ranges))
