"""What a group can do in steps without a palette: by the library's own tables."""

from __future__ import annotations

import pytest

from choreon.demo import low_tide
from choreon.model import attributes as at
from choreon.model import edits, givens, stops
from choreon.model.refs import GROUP, Ref
from choreon.model.rig_page import Wanted, page_from_rig
from choreon.model.show import Group
from choreon.model.tiles import Choice, Page

SHOW = low_tide()
PARS, SPOTS, WASHES, HOUSE = (
    Ref(GROUP, name) for name in ("pars", "spots", "washes", "house")
)


def slots_of(type_id: str, attribute: str) -> list[tuple[float, str]]:
    """The discrete slots of an attribute, read from the type by hand."""
    kind = SHOW.types[type_id]
    spans = [
        (span.low, span.name)
        for channel in kind.channels
        for span in channel.ranges
        if span.attribute == attribute and span.start <= span.end and span.slot < 0
    ]
    return list(dict.fromkeys((low, name) for low, name in spans))


def test_the_pictures_of_heads_are_the_slots_of_their_wheel_by_name():
    found = stops.stops_of(SHOW, SPOTS)["Gobo1"]
    type_id = SHOW.fixtures["spot-1"].type
    wheel = SHOW.types[type_id].wheels[-1]
    numbers = [stop.values["Gobo1"] for stop in found]
    assert numbers == sorted({low for low, _ in slots_of(type_id, "Gobo1")})
    by_name = {slot.name for w in SHOW.types[type_id].wheels for slot in w.slots}
    assert {stop.name for stop in found} <= by_name, wheel.name


def test_zoom_goes_from_narrow_to_wide_and_strobe_no_faster_than_its_limit():
    zoom = [stop.values["Zoom"] for stop in stops.stops_of(SHOW, WASHES)["Zoom"]]
    assert zoom == [10.0, 30.0, 50.0]
    for group in SHOW.groups:
        for stop in stops.stops_of(SHOW, Ref(GROUP, group)).get(at.STROBE, ()):
            assert 0 < stop.values[at.STROBE] <= 10.0
            assert stop.values.get(at.SHUTTER) == 1.0


def test_dimmers_and_lamps_that_are_gone_do_nothing_in_steps():
    assert stops.stops_of(SHOW, HOUSE) == {}
    assert stops.stops_of(SHOW, Ref(GROUP, "gone")) == {}
    empty = edits.put(SHOW, "groups", Group(id="none", name="None", fixtures=()))
    assert stops.stops_of(empty, Ref(GROUP, "none")) == {}


def test_in_a_mixed_group_most_count():
    mixed = ("spot-1", "spot-2", "wash-1", "par-1")
    show = edits.put(SHOW, "groups", Group(id="mix", name="Mix", fixtures=mixed))
    found = stops.stops_of(show, Ref(GROUP, "mix"))
    assert found["Gobo1"] == stops.stops_of(SHOW, SPOTS)["Gobo1"]
    assert "Zoom" in found


@pytest.mark.parametrize("dark", [False, True])
def test_a_page_from_the_rig_has_strips_of_them(dark):
    page = Page(id="new", name="New")
    show = edits.put(SHOW, "pages", page)
    wanted = Wanted(groups=(SPOTS, WASHES), dark=dark)
    show = page_from_rig(show, "new", wanted)
    strips = {
        (t.section, t.name): t for t in show.pages["new"].tiles if isinstance(t, Choice)
    }
    gobo, zoom = strips["spots", "Gobo"], strips["washes", "Zoom"]
    assert (gobo.change is not None) is dark
    assert zoom.change is None
    assert strips["spots", "Colour"].change is None or dark

    first = show.playables[gobo.plays[1].ref.id]
    assert first.group == "spots"
    assert stops.slot_given(show, first).picture
    # done again, nothing more
    assert page_from_rig(show, "new", wanted) == show


def test_values_that_another_group_does_not_have_are_not_given_to_it():
    show, ref = givens.give_values(SHOW, SPOTS, "Reeds", {"Gobo1": 2.0})
    given = givens.given_of(show, ref)
    assert givens.again_for(show, given, HOUSE) == (show, None)
    assert givens.again_for(show, given, PARS) == (show, None)
