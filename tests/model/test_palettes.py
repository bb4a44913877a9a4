"""Palettes, marks and links: who follows whom, and what is left when something goes."""

from __future__ import annotations

import pytest

from choreon.demo import low_tide
from choreon.library import library
from choreon.model import attributes as at
from choreon.model import copying, edits, links, palettes, swap
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.model.show import Mark, Show

MOON = {at.RED: 0.3, at.GREEN: 0.48, at.BLUE: 1.0}
DEEP = {at.RED: 0.01, at.GREEN: 0.06, at.BLUE: 0.95}


@pytest.fixture
def show() -> Show:
    """The sample rig with nothing stored."""
    return edits.replace(low_tide(), playables={}, palettes={}, marks={}, pages={})


def with_moon(show: Show) -> tuple[Show, str]:
    return palettes.keep_palette(
        show, "Moon", "colour", {"par-1": MOON, "spot-1": {**MOON, "Dimmer": 1.0}}
    )


def test_what_all_have_alike_is_kept_by_meaning(show):
    show, moon = with_moon(show)
    assert show.palettes[moon].values == MOON
    assert show.palettes[moon].each == {}
    show, odd = palettes.keep_palette(
        show, "Odd", "colour", {"par-1": MOON, "par-2": DEEP}
    )
    assert show.palettes[odd].values == {}
    assert show.palettes[odd].each == {"par-1": MOON, "par-2": DEEP}
    show, exact = palettes.keep_palette(
        show, "Exact", "colour", {"par-1": MOON}, exact=True
    )
    assert show.palettes[exact].each == {"par-1": MOON}
    with pytest.raises(ValueError, match="nothing of beam"):
        palettes.keep_palette(show, "No", "beam", {"par-1": MOON})


def test_a_palette_by_meaning_reaches_fixtures_hung_later_of_any_make(show):
    show, moon = with_moon(show)
    show, (new,) = edits.hang(
        show,
        library()["generic-led-par-rgb"]
        if "generic-led-par-rgb" in library()
        else show.types["tarnby-par-7"],
        next(iter(show.types["tarnby-par-7"].modes)).name,
        1,
        9,
        1,
    )
    look = links.from_palette(
        show, show.palettes[moon], [new, "hazer-1"], {new: set(MOON), "hazer-1": set()}
    )
    assert look == {new: dict.fromkeys(MOON, "palette:moon")}
    assert links.resolve(show, look) == {new: MOON}


def test_gobos_are_kept_for_each_lamp_and_reach_others_of_its_type(show):
    """Slot 3 of one wheel is another picture on the next; but open is open everywhere."""
    show, leaf = palettes.keep_palette(
        show, "Leaf", "beam", {"spot-1": {"Gobo1": 3.0}, "spot-2": {"Gobo1": 3.0}}
    )
    assert show.palettes[leaf].values == {}
    assert links.held(show, show.palettes[leaf], "spot-4", "Gobo1") == 3.0
    assert links.held(show, show.palettes[leaf], "wash-1", "Gobo1") is None
    show, open_ = palettes.keep_palette(
        show, "No gobo", "beam", {"spot-1": {"Gobo1": 0.0}}
    )
    assert show.palettes[open_].values == {"Gobo1": 0.0}


def test_scenes_follow_their_palette_and_get_its_new_attributes(show):
    show, tight = palettes.keep_palette(
        show, "Tight", "beam", {"wash-1": {"Zoom": 8.0}}
    )
    link = links.to_palette(tight)
    show, scene = edits.keep_scene(
        show,
        "Look",
        {"wash-1": {"Zoom": link, "Dimmer": 1.0}, "wash-2": {"Zoom": 30.0}},
        1,
        1,
    )
    assert [s.ref for s in palettes.users(show, tight)] == [scene]
    show = palettes.update_palette(
        show, tight, {"wash-1": {"Zoom": 12.0, at.STROBE: 4.0, "Dimmer": 0.2}}
    )
    look = links.resolve(show, show.playables[scene.id].look)
    assert look == {
        "wash-1": {"Zoom": 12.0, "Dimmer": 1.0, at.STROBE: 4.0},
        "wash-2": {"Zoom": 30.0},
    }


def test_a_changed_colour_by_meaning_ends_the_exact_ones_of_those_it_was_changed_on(
    show,
):
    show, blue = palettes.keep_palette(
        show, "Blue", "colour", {"par-1": MOON, "par-2": DEEP}
    )
    show = palettes.update_palette(show, blue, {"par-1": MOON, "par-2": MOON})
    assert show.palettes[blue].values == MOON
    assert show.palettes[blue].each == {}
    show = palettes.update_palette(show, blue, {"par-1": MOON, "par-2": DEEP})
    assert show.palettes[blue].values == MOON
    assert links.held(show, show.palettes[blue], "par-2", at.BLUE) == 0.95


def test_deleting_a_palette_leaves_its_values(show):
    show, moon = with_moon(show)
    look = {"par-1": {**dict.fromkeys(MOON, "palette:moon"), "Dimmer": 0.5}}
    show, scene = edits.keep_scene(show, "Look", look, 1, 1)
    gone = edits.remove(show, Ref("palette", moon))
    assert gone.palettes == {}
    assert gone.playables[scene.id].look == {"par-1": {**MOON, "Dimmer": 0.5}}
    single = palettes.unlink(show, scene, "palette:moon")
    assert single.playables[scene.id].look == gone.playables[scene.id].look
    assert "moon" in single.palettes


def test_marks_are_followed_and_leave_their_place(show):
    show, cello = palettes.keep_mark(show, "Cello", -2, 1, 0)
    aim = links.aim(links.to_mark(cello))
    show, scene = edits.keep_scene(show, "Look", {"spot-1": aim}, 1, 1)
    show, at_cello = palettes.keep_palette(
        show, "At the cello", "position", {"spot-1": aim}
    )
    assert palettes.aiming_at(show, cello) == ["Look", "At the cello"]
    moved = edits.put(show, "marks", Mark(id=cello, name="Cello", x=1.0))
    assert links.point_of(moved, aim["Pan"]) == (1.0, 0.0, 0.0)
    gone = edits.remove(show, Ref("mark", cello))
    assert gone.playables[scene.id].look == {
        "spot-1": {"Pan": "point:-2,1,0", "Tilt": "point:-2,1,0"}
    }
    assert gone.palettes[at_cello].values == {
        "Pan": "point:-2,1,0",
        "Tilt": "point:-2,1,0",
    }
    assert edits.remove(gone, Ref("mark", cello)) is gone


def test_bare_angles_are_each_lamps_own(show):
    show, there = palettes.keep_palette(
        show, "There", "position", {"spot-1": {"Pan": 10.0, "Tilt": -20.0}}
    )
    assert show.palettes[there].values == {}
    assert show.palettes[there].each == {"spot-1": {"Pan": 10.0, "Tilt": -20.0}}


@pytest.mark.parametrize(
    "link",
    [
        "point:",
        "point:1,2",
        "point:a,b,c",
        "point:nan,0,0",
        "mark:gone",
        "palette:gone",
        "x",
    ],
)
def test_links_that_lead_nowhere_give_nothing(show, link):
    assert links.point_of(show, link) is None
    if link.startswith("palette:"):
        assert links.resolve(show, {"par-1": {at.RED: link}}) == {"par-1": {}}


def test_palettes_do_not_lead_in_circles(show):
    show, moon = with_moon(show)
    looped = edits.replace(show.palettes[moon], values={at.RED: "palette:moon"})
    assert (
        links.resolved(
            edits.put(show, "palettes", looped), "par-1", at.RED, "palette:moon"
        )
        is None
    )


def test_a_new_show_has_sample_sets(show):
    made = palettes.sample(show)
    families = {p.family for p in made.palettes.values()}
    assert families == {"colour", "position", "beam"}
    assert {m.name for m in made.marks.values()} >= {"Centre", "Down left"}
    assert all(
        0 <= m.y <= show.room.depth and abs(m.x) <= show.room.width / 2
        for m in made.marks.values()
    )
    assert made.palettes["centre"].values == links.aim("mark:centre")


def test_single_cells_lie_over_what_the_others_have():
    below = {"bar-1": {at.RED: 0.5, at.GREEN: (0.1, 0.2), "Dimmer": "palette:x"}}
    above = {"bar-1": {at.GREEN: (None, 0.9, 0.8), "Dimmer": (None, 1.0)}}
    merged = edits.merge_looks(below, above)["bar-1"]
    assert merged == {at.RED: 0.5, at.GREEN: (0.1, 0.9, 0.8), "Dimmer": (None, 1.0)}
    assert edits.merge_looks({"b": {"Dimmer": 0.4}}, {"b": {"Dimmer": (None, 1.0)}})[
        "b"
    ]["Dimmer"] == (0.4, 1.0)


def test_updating_a_scene_with_single_cells_ends_the_link_of_the_others(show):
    show, _ = with_moon(show)
    show, scene = edits.keep_scene(
        show, "Bars", {"bar-1": dict.fromkeys(MOON, "palette:moon")}, 1, 1
    )
    show = edits.update_scene(show, scene, {"bar-1": {at.RED: (None, 1.0)}})
    assert show.playables[scene.id].look["bar-1"] == {
        at.RED: (0.3, 1.0),
        at.GREEN: "palette:moon",
        at.BLUE: "palette:moon",
    }


def test_a_target_colour_ends_wheel_slots_and_bare_emitters():
    below = {"a": {"Color1": 3.0, "ColorAdd_W": 0.5, "Dimmer": 1.0}}
    assert edits.merge_looks(below, {"a": dict(MOON)})["a"] == {"Dimmer": 1.0, **MOON}


def test_a_palette_takes_another_place_among_its_own_family():
    show = low_tide()
    families = [p.family for p in show.palettes.values()]
    own = [i for i, p in show.palettes.items() if p.family == "colour"]
    moved = palettes.move_palette(show, own[0], 2)
    assert [i for i, p in moved.palettes.items() if p.family == "colour"] == [
        own[1],
        own[2],
        own[0],
        *own[3:],
    ]
    assert [p.family for p in moved.palettes.values()] == families
    assert moved.palettes == show.palettes  # the same things in another order


def test_scenes_are_doubled_and_merged(show):
    show, one = edits.keep_scene(
        show, "One", {"par-1": {"Dimmer": 0.2, **MOON}}, 1, 2, "Part 1"
    )
    show, two = edits.keep_scene(
        show,
        "Two",
        {"par-1": {"Dimmer": 0.9}, "par-2": {"Dimmer": 0.4}},
        3,
        1,
        "Part 1",
    )
    show, copy = edits.duplicate(show, one)
    assert show.playables[copy.id].look is show.playables[one.id].look
    assert show.playables[copy.id].name == "One 2"
    show, both = edits.merge_scenes(show, one, two)
    merged = show.playables[both.id]
    assert merged.look == {"par-1": {"Dimmer": 0.9, **MOON}, "par-2": {"Dimmer": 0.4}}
    assert (merged.fade_in, merged.fade_out, merged.folder, merged.name) == (
        3,
        2,
        "Part 1",
        "One + Two",
    )


@pytest.mark.parametrize("name", ["", "   ", "x" * 5000, "قاعة الضوء", "a\nb", "Moon"])
def test_names_of_every_kind_are_kept(show, name):
    show, _ = with_moon(show)
    show, made = palettes.keep_palette(show, name, "colour", {"par-1": MOON})
    assert made
    assert show.palettes[made].name.strip()
    assert len({p.name for p in show.palettes.values()}) == 2
    show, mark = palettes.keep_mark(show, name, 0, 0, 0)
    assert show.marks[mark].name.strip()


def test_copying_across_makes_goes_by_meaning(show):
    takes = {
        "spot-2": {"Color1", "Gobo1", "Pan"},
        "wash-1": {*MOON, "Pan", "Zoom"},
        "front-1": {"Dimmer"},
    }

    def takes_(fixture: str, name: str) -> bool:
        return name in takes.get(fixture, set())

    wheel = show.types["ostrey-spot-160"].wheels[0]
    slot = next(
        i for i, s in enumerate(wheel.slots) if s.colour and s.colour != "#FFFFFF"
    )
    values = {"Color1": float(slot), "Gobo1": 2.0, "Pan": 12.0, "Dimmer": 0.7}
    made = copying.pasted(
        show,
        "spot-1",
        values,
        ["spot-1", "spot-2", "wash-1", "front-1", "gone"],
        takes_,
    )
    assert made["spot-2"] == {"Color1": float(slot), "Gobo1": 2.0, "Pan": 12.0}
    assert set(made["wash-1"]) == {*MOON, "Pan"}
    assert made["front-1"] == {"Dimmer": 0.7}
    assert set(made) == {"spot-2", "wash-1", "front-1"}
    only = copying.pasted(
        show,
        "spot-1",
        values,
        ["spot-2"],
        takes_,
        copying.of_families(values, {"beam"}),
    )
    assert only == {"spot-2": {"Gobo1": 2.0}}


def test_swapping_a_lamp_takes_links_along_and_translates_exact_values(show):
    show, exact = palettes.keep_palette(
        show, "There", "position", {"spot-1": {"Pan": 200.0, "Tilt": 0.0}}
    )
    show, scene = edits.keep_scene(
        show,
        "Look",
        {"spot-1": {**links.aim("point:0,2,0"), **dict.fromkeys(MOON, "palette:moon")}},
        1,
        1,
    )
    kind = library()["ostrey-wash-90"]
    done = swap.swap(show, ["spot-1"], kind, kind.modes[0].name)
    assert done.show.playables[scene.id].look == show.playables[scene.id].look
    assert set(done.show.palettes[exact].each) == {"spot-1"}


def test_shows_with_links_survive_their_file(show):
    from choreon.formats import showfile

    show = palettes.sample(show)
    look = {
        "par-1": {**dict.fromkeys(MOON, "palette:moon"), "Dimmer": (None, 0.5)},
        "spot-1": links.aim("mark:centre"),
    }
    scene = Scene(
        id="s", name="S", look=look, tags=("a", "b"), folder="Part", colour="#FF0000"
    )
    show = edits.put(show, "playables", scene)
    again = showfile.from_bytes(showfile.to_bytes(show))
    assert again.playables["s"] == scene
    assert again.palettes == show.palettes
    assert again.marks == show.marks
