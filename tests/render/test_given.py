"""What groups are given from tiles, byte by byte: families mixed from several tiles, one
let go, palettes and groups that change while they are on, aside, capture, why.
"""

from __future__ import annotations

import itertools

import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import hands, overrides
from choreon.engine.do import Do
from choreon.model import edits, givens, pages, stops
from choreon.model import links as model_links
from choreon.model.lamps import fixtures_of
from choreon.model.masters import Override
from choreon.model.playables import Given, kind_of
from choreon.model.refs import GROUP, PALETTE, Ref, to_tile
from choreon.model.show import Group
from choreon.model.tiles import DarkChange, Fader, Pad, Page, parts
from choreon.model.verbs import Verb
from choreon.render.capture import capture
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.explain import explain
from tests import play

PARS, SPOTS = Ref(GROUP, "pars"), Ref(GROUP, "spots")


@pytest.fixture
def show():
    """The sample show without what groups are given in it."""
    sample = low_tide()
    return givens.tidied(edits.drop(sample, "pages", ["by-groups"]))


def frame(show, state, now):
    return render(compile_show(show), state, now)


def on(show, *refs, at=100.0):
    state = play.blank()
    for n, ref in enumerate(refs):
        state = actions.perform(show, state, Do(ref, Verb.PRESS), at + n / 10.0)
    return state


def scene_of(show, name, look):
    show, ref = edits.keep_scene(show, name, look, 1.0, 1.0)
    return show, ref


def linked(show, group, palette_id):
    palette = show.palettes[palette_id]
    link = model_links.to_palette(palette_id)
    return {
        lamp: dict.fromkeys(model_links.names_in(show, palette, lamp), link)
        for lamp in fixtures_of(show, [group])
    }


@pytest.mark.parametrize(
    ("group", "palette"), [(PARS, "teal"), (SPOTS, "rust"), (SPOTS, "on-cello")]
)
def test_a_palette_of_a_group_gives_what_a_scene_of_it_would(
    show, group, palette
) -> None:
    show, given = givens.give(show, group, palette)
    show, scene = scene_of(show, "Same", linked(show, group, palette))
    level = {lamp: {"Dimmer": 0.7} for lamp in fixtures_of(show, [group])}
    show, light = scene_of(show, "Light", level)
    one = frame(show, on(show, light, given), 110.0)
    same = frame(show, on(show, light, scene), 110.0)
    assert (one == same).all()
    # beside the light there is a difference: it gives something
    assert (one != frame(show, on(show, light), 110.0)).any()


def test_families_are_mixed_from_three_tiles_and_one_is_let_go(show) -> None:
    show, teal = givens.give(show, PARS, "teal")
    show, level = givens.give_values(show, PARS, "60 %", {"Dimmer": 0.6})
    show, rust = givens.give(show, PARS, "rust")
    state = on(show, teal, level, rust)
    all_three = frame(show, state, 110.0)
    state = actions.perform(show, state, Do(rust, Verb.PRESS), 120.0)
    back = frame(show, state, 130.0)
    # what it let go of falls back to what is below
    assert (back == frame(show, on(show, teal, level), 130.0)).all()
    assert (all_three != back).any()
    state = actions.perform(show, state, Do(level, Verb.PRESS), 140.0)
    dark = frame(show, state, 150.0)
    pars = [show.fixtures[i] for i in fixtures_of(show, [PARS])]
    assert all(dark[0, lamp.address - 1] == 0 for lamp in pars)


def test_one_of_a_strip_is_on_at_a_time_and_goes_over_without_a_dip(show) -> None:
    own = givens.palettes_for(show, PARS, "colour")[:3]
    show, strip = givens.choice_of(show, PARS, own)
    assert strip.names == tuple(palette.name for palette in own)
    show = edits.put(show, "pages", Page(id="p", name="P"))
    show, tile = pages.add(show, "p", strip)
    show, level = givens.give_values(show, PARS, "Full", {"Dimmer": 1.0})
    state = on(show, level)
    for step in (0.0, 1.0, 2.0):
        state = actions.perform(
            show, state, Do(to_tile(tile), Verb.STEP, step), 105.0 + step * 5
        )
    assert len([p for p in state.players if p.ref.kind == "given"]) == 2
    show2, alone = givens.give(show, PARS, own[2].id)
    assert show2 is show or show2 == show
    assert (
        frame(show, state, 130.0) == frame(show, on(show, level, alone), 130.0)
    ).all()


def test_a_group_that_grows_while_its_tile_is_on(show) -> None:
    show, teal = givens.give(show, PARS, "teal")
    lamps = show.groups["pars"].fixtures
    light = {
        lamp: {"Dimmer": 1.0} for lamp in (*lamps, *show.groups["uplights"].fixtures)
    }
    show, scene = scene_of(show, "Light", light)
    compiled = compile_show(show)
    state = on(show, scene, teal)
    before = render(compiled, state, 110.0)
    more = Group(id="pars", name="Pars", fixtures=(*lamps, "uplight-1"))
    grown = edits.put(show, "groups", more)
    after = render(compile_show(grown, compiled), state, 110.0)
    lamp = show.fixtures["uplight-1"]
    own = slice(lamp.address - 1, lamp.address + 7)
    assert (before[0, own] != after[0, own]).any()
    rest = [n for n in range(512) if not own.start <= n < own.stop]
    assert (before[0, rest] == after[0, rest]).all()


def test_a_palette_that_changes_while_it_is_on_and_one_that_goes(show) -> None:
    show, teal = givens.give(show, PARS, "teal")
    show, level = givens.give_values(show, PARS, "Full", {"Dimmer": 1.0})
    compiled = compile_show(show)
    state = on(show, level, teal)
    before = render(compiled, state, 110.0)
    red = {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}
    palette = edits.replace(show.palettes["teal"], values=red)
    changed = edits.put(show, "palettes", palette)
    after = render(compile_show(changed, compiled), state, 110.0)
    assert (before != after).any()
    gone = edits.remove(changed, Ref(PALETTE, "teal"))
    assert (render(compile_show(gone), state, 110.0) == after).all()
    without = edits.remove(gone, PARS)
    assert (render(compile_show(without), state, 110.0) == after).all()
    given = givens.given_of(without, teal)
    assert given.palette == given.group == ""


def test_a_motion_of_a_group_moves_and_can_be_turned(show) -> None:
    motion = next(p for p in show.palettes.values() if p.motion is not None)
    heads = next(
        Ref(GROUP, g) for g in show.groups if givens.takes(show, Ref(GROUP, g), motion)
    )
    show, given = givens.give(show, heads, motion.id)
    show, level = givens.give_values(show, heads, "Full", {"Dimmer": 1.0})
    state = on(show, level, given)
    seen = [frame(show, state, 110.0 + n / 3.0) for n in range(8)]
    assert any((one != seen[0]).any() for one in seen[1:])
    quicker = actions.perform(show, state, Do(given, Verb.RATE, 2.0), 111.0)
    assert quicker.players != state.players


def test_a_motion_goes_on_where_its_palette_goes(show) -> None:
    motion = next(p for p in show.palettes.values() if p.motion is not None)
    heads = next(
        Ref(GROUP, g) for g in show.groups if givens.takes(show, Ref(GROUP, g), motion)
    )
    show, given = givens.give(show, heads, motion.id)
    show, level = givens.give_values(show, heads, "Full", {"Dimmer": 1.0})
    state = on(show, level, given)
    gone = edits.remove(show, Ref(PALETTE, motion.id))
    alone = edits.remove(gone, heads)

    before = [frame(show, state, 110.0 + n / 3.0) for n in range(8)]
    assert any((one != before[0]).any() for one in before[1:])
    for after in (gone, alone):
        seen = [frame(after, state, 110.0 + n / 3.0) for n in range(8)]
        assert all((a == b).all() for a, b in zip(before, seen, strict=True))
        assert givens.given_of(after, given).moves


def test_an_aim_stays_where_its_palette_and_then_its_mark_go(show) -> None:
    show, given = givens.give(show, SPOTS, "on-cello")
    show, level = givens.give_values(show, SPOTS, "Full", {"Dimmer": 1.0})
    state = on(show, level, given)
    before = frame(show, state, 110.0)
    gone = edits.remove(show, Ref(PALETTE, "on-cello"))
    marks = [
        value
        for values in givens.given_of(gone, given).each.values()
        for value in values.values()
        if isinstance(value, str)
    ]
    assert marks  # it follows the mark still
    assert (frame(gone, state, 110.0) == before).all()
    bare = edits.remove(gone, Ref("mark", marks[0].removeprefix("mark:")))
    assert (frame(bare, state, 110.0) == before).all()


def test_why_capture_and_aside_know_it(show) -> None:
    show, teal = givens.give(show, PARS, "teal")
    show, level = givens.give_values(show, PARS, "60 %", {"Dimmer": 0.6})
    state = on(show, level, teal)
    compiled = compile_show(show)
    lamp = show.fixtures[show.groups["pars"].fixtures[0]]
    told = [
        layer.source
        for n in range(8)
        for why in explain(compiled, state, 110.0, lamp.universe, lamp.address + n)
        for layer in why.layers
    ]
    assert any("Pars: Teal" in text for text in told)
    assert any("Pars: 60 %" in text for text in told)

    look = capture(compiled, state, 110.0)
    kept, scene = scene_of(show, "Kept", look)
    assert (frame(kept, on(kept, scene), 120.0) == render(compiled, state, 110.0)).all()


# the model


def test_the_same_is_made_once_and_goes_with_its_last_tile(show) -> None:
    count = len(show.playables)
    page = next(iter(show.pages))
    show, pads = givens.pads_of(
        show, PARS, givens.palettes_for(show, PARS, "colour")[:2]
    )
    ids = []
    for pad in pads:
        show, tile = pages.add(show, page, pad)
        ids.append(tile)
    show, again = givens.give(
        show, PARS, givens.palettes_for(show, PARS, "colour")[0].id
    )
    assert len(show.playables) == count + 2
    show, fader = pages.add(show, page, Fader(id="", plays=parts(again)))
    show = edits.remove(show, *(to_tile(tile) for tile in ids))
    assert len(show.playables) == count + 1  # the fader has one of them
    show = edits.remove(show, to_tile(fader))
    assert len(show.playables) == count
    assert {pad.choice for pad in pads} == {"group:pars colour"}


def test_only_what_a_group_can_take_is_offered(show) -> None:
    assert "position" not in givens.families_for(show, PARS)
    assert "position" in givens.families_for(show, SPOTS)
    dimmers = Ref(GROUP, "house")
    assert givens.palettes_for(show, dimmers, "colour") == []
    empty = edits.put(show, "groups", Group(id="none", name="None", fixtures=()))
    assert givens.families_for(empty, Ref(GROUP, "none")) == []


def test_a_palette_dropped_on_a_page_makes_a_tile_and_no_scene(show) -> None:
    scenes = [p for p in show.playables.values() if p.kind == "scene"]
    show, tile = pages.fitting(show, [Ref(PALETTE, "teal")])
    assert isinstance(tile, Pad)
    assert [p for p in show.playables.values() if p.kind == "scene"] == scenes
    given = givens.given_of(show, tile.plays[0].ref)
    assert "par-1" in given.fixtures
    assert "house-1" not in given.fixtures


def test_a_group_that_is_emptied_is_told(show) -> None:
    show, ref = givens.give(show, PARS, "teal")
    show = edits.put(show, "groups", Group(id="pars", name="Pars", fixtures=()))
    given = givens.given_of(show, ref)
    assert isinstance(given, Given)
    assert any("no fixtures" in p.text for p in kind_of(given).check(show, given))


# in the dark, two hands, masters


def slot_of(show, fixture: str, attribute: str) -> tuple[int, int]:
    """The universe's row and the slot, from 0, of a fixture's attribute."""
    lamp = show.fixtures[fixture]
    kind = show.types[lamp.type]
    mode = kind.mode(lamp.mode)
    for use, channel in kind.used(mode):
        if any(span.attribute == attribute for span in channel.ranges):
            row = compile_show(show).rig.universes.index(lamp.universe)
            return row, lamp.address - 1 + use.slots[0] - 1
    raise LookupError(attribute)


def with_strip(show, group, change):
    """A page with a strip of a group's pictures, whose first is the open one."""
    show = edits.put(show, "pages", Page(id="p", name="P"))
    show, strips = stops.strips_for(show, group, in_the_dark=True)
    gobo = next(strip for strip in strips if strip.name == "Gobo")
    gobo = edits.replace(gobo, change=change)
    return pages.add(show, "p", gobo)


def test_a_picture_changes_while_the_heads_are_dark_whoever_lights_them(show) -> None:
    """The light is another tile's; the picture turns between one look and the next, as
    the strip comes on, and as it is let go.
    """
    change = DarkChange(down=0.5, dark=0.5, up=1.0)
    show, tile = with_strip(show, SPOTS, change)
    show, level = givens.give_values(show, SPOTS, "Full", {"Dimmer": 1.0})
    compiled = compile_show(show)
    gobo, dim = (slot_of(show, "spot-1", name) for name in ("Gobo1", "Dimmer"))

    state = on(show, level)
    for step, at in ((2.0, 110.0), (4.0, 115.0), (-1.0, 120.0)):
        before = render(compiled, state, at - 0.01)
        state = actions.perform(show, state, Do(to_tile(tile), Verb.STEP, step), at)
        frames = [render(compiled, state, at + n * 0.02) for n in range(200)]
        pictures = [int(f[gobo]) for f in (before, *frames)]
        light = [int(f[dim]) for f in (before, *frames)]

        turned = [n for n in range(1, 201) if pictures[n] != pictures[n - 1]]
        assert len(turned) == 1
        assert light[turned[0]] == 0
        assert light[0] == light[-1] == 255
        # down in half a second, dark for half a second, up in one
        assert 25 <= light.index(0) <= 27
        assert light[51] == 0 < light[55]
        assert light[60] < light[90] < 255
        steps = [abs(b - a) for a, b in itertools.pairwise(light)]
        assert max(steps) <= 255 * 0.02 / 0.5 + 1

    assert not play.prune(state, 130.0).shades


def test_without_a_change_in_the_dark_the_light_stays(show) -> None:
    show, tile = with_strip(show, SPOTS, None)
    show, level = givens.give_values(show, SPOTS, "Full", {"Dimmer": 1.0})
    compiled = compile_show(show)
    dim = slot_of(show, "spot-1", "Dimmer")
    state = on(show, level)
    for step in (2.0, 4.0, -1.0):
        at = 110.0 + step
        state = actions.perform(show, state, Do(to_tile(tile), Verb.STEP, step), at)
        assert not state.shades
        assert all(
            render(compiled, state, at + n * 0.05)[dim] == 255 for n in range(20)
        )


def test_a_second_press_in_the_dark_makes_no_jump_and_ends_at_the_second(show) -> None:
    show, tile = with_strip(show, SPOTS, DarkChange(down=0.5, dark=0.5, up=1.0))
    show, level = givens.give_values(show, SPOTS, "Full", {"Dimmer": 1.0})
    compiled = compile_show(show)
    gobo, dim = (slot_of(show, "spot-1", name) for name in ("Gobo1", "Dimmer"))
    state = on(show, level)
    presses = {110.0: 2.0, 110.3: 4.0, 110.9: 1.0, 111.4: 3.0}
    light, now = [], 109.9
    while now < 116.0:
        for at in [t for t in presses if t <= now]:
            do = Do(to_tile(tile), Verb.STEP, presses.pop(at))
            state = actions.perform(show, state, do, now)
        state = play.prune(state, now)
        light.append(int(render(compiled, state, now)[dim]))
        now += 0.01
    steps = [abs(b - a) for a, b in itertools.pairwise(light)]
    assert max(steps) <= 255 * 0.01 / 0.5 * 2 + 1
    assert light[-1] == 255

    show, third = with_strip(show, SPOTS, None)
    alone = on(show, level)
    alone = actions.perform(show, alone, Do(to_tile(third), Verb.STEP, 3.0), 110.0)
    want = render(compile_show(show), alone, 120.0)[gobo]
    assert render(compiled, state, 120.0)[gobo] == want


def test_a_strip_that_is_turned_through_like_mad_keeps_few_shades(show) -> None:
    """Five hundred presses in a second: it ends at the last one, and in its light."""
    show, tile = with_strip(show, SPOTS, DarkChange(down=0.5, dark=0.5, up=1.0))
    show, level = givens.give_values(show, SPOTS, "Full", {"Dimmer": 1.0})
    compiled = compile_show(show)
    gobo, dim = (slot_of(show, "spot-1", name) for name in ("Gobo1", "Dimmer"))
    state = on(show, level)
    for n in range(500):
        now = 110.0 + n * 0.002
        do = Do(to_tile(tile), Verb.STEP, float(n % 6))
        state = play.prune(actions.perform(show, state, do, now), now)
        assert len(state.shades) <= 64
    assert render(compiled, state, 111.0)[dim] == 0

    state = play.prune(state, 120.0)
    assert not state.shades
    after = render(compiled, state, 120.0)
    show, plain = with_strip(show, SPOTS, None)
    alone = on(show, level)
    do = Do(to_tile(plain), Verb.STEP, float(499 % 6))
    alone = actions.perform(show, alone, do, 110.0)
    assert after[dim] == 255
    assert after[gobo] == render(compile_show(show), alone, 120.0)[gobo]


def test_heads_that_are_aside_are_not_shaded(show) -> None:
    show, tile = with_strip(show, SPOTS, DarkChange())
    show, level = givens.give_values(show, SPOTS, "Full", {"Dimmer": 1.0})
    compiled = compile_show(show)
    state = on(show, level)
    look = {"spot-1": {"Dimmer": 1.0, "Gobo1": 0.0}}
    state = hands.take(state, "aside", look, 105.0)
    state = actions.perform(show, state, Do(to_tile(tile), Verb.STEP, 3.0), 110.0)
    one, other = (slot_of(show, f"spot-{n}", "Dimmer") for n in (1, 2))
    dark = render(compiled, state, 110.8)
    assert dark[one] == 255
    assert dark[other] == 0
    lamp = show.fixtures["spot-2"]
    whys = explain(compiled, state, 110.8, lamp.universe, other[1] + 1)
    said = [layer.source for why in whys for layer in why.layers]
    assert any("something in it is changed" in text for text in said)


def test_the_same_palette_from_two_tiles_stays_while_one_of_them_is_on(show) -> None:
    show, teal = givens.give(show, PARS, "teal")
    show, level = givens.give_values(show, PARS, "Full", {"Dimmer": 1.0})
    show = edits.put(show, "pages", Page(id="p", name="P"))
    ids = []
    for name in ("One", "Other"):
        show, tile = pages.add(show, "p", Pad(id="", name=name, plays=parts(teal)))
        ids.append(tile)
    state = on(show, level, to_tile(ids[0]), to_tile(ids[1]))
    both = frame(show, state, 110.0)
    state = actions.perform(show, state, Do(to_tile(ids[0]), Verb.PRESS), 112.0)
    assert (frame(show, state, 120.0) == both).all()
    state = actions.perform(show, state, Do(to_tile(ids[1]), Verb.PRESS), 122.0)
    assert (frame(show, state, 130.0) == frame(show, on(show, level), 130.0)).all()


def test_two_hands_press_two_of_a_family_in_one_moment(show) -> None:
    """The later one counts, whichever it is; let go, the other one is there."""
    show, level = givens.give_values(show, PARS, "Full", {"Dimmer": 1.0})
    show, teal = givens.give(show, PARS, "teal")
    show, rust = givens.give(show, PARS, "rust")
    for first, second in ((teal, rust), (rust, teal)):
        state = on(show, level)
        for ref in (first, second):
            state = actions.perform(show, state, Do(ref, Verb.PRESS), 105.0)
        alone = frame(show, on(show, level, second), 110.0)
        assert (frame(show, state, 110.0) == alone).all()
        state = actions.perform(show, state, Do(second, Verb.PRESS), 112.0)
        other = frame(show, on(show, level, first), 120.0)
        assert (frame(show, state, 120.0) == other).all()


def test_an_override_holds_the_level_and_leaves_the_colour(show) -> None:
    show, level = givens.give_values(show, PARS, "Full", {"Dimmer": 1.0})
    show, teal = givens.give(show, PARS, "teal")
    held = Override(id="hold", name="Hold", over=(PARS,), alone=True)
    show = edits.put(show, "masters", held)
    state = on(show, level, teal)
    free = frame(show, state, 110.0)
    state = overrides.hold(state, "hold", 0.5, 111.0)
    half = frame(show, state, 120.0)
    dim = slot_of(show, "par-1", "Dimmer")
    assert (free[dim], half[dim]) == (255, 128)
    red = slot_of(show, "par-1", "ColorAdd_G")
    assert half[red] == free[red]


def test_marks_are_aimed_at_without_a_palette_and_followed(show) -> None:
    """The same bytes as a scene of it; the mark moves, and they follow; it goes, and
    they stay.
    """
    show = edits.drop(show, "palettes", [p for p in show.palettes if p != "teal"])
    show = edits.put(show, "pages", Page(id="p", name="P"))
    show, strips = stops.strips_for(show, SPOTS)
    aims = next(strip for strip in strips if strip.name == "Aim")
    assert set(aims.names) == {mark.name for mark in show.marks.values()}
    ref = aims.plays[aims.names.index("Cello")].ref

    link = model_links.to_mark("cello")
    heads = fixtures_of(show, [SPOTS])
    show, scene = scene_of(show, "Same", {i: model_links.aim(link) for i in heads})
    assert (
        frame(show, on(show, ref), 110.0) == frame(show, on(show, scene), 110.0)
    ).all()

    state = on(show, ref)
    before = frame(show, state, 110.0)
    mark = edits.replace(show.marks["cello"], x=show.marks["cello"].x + 2.0)
    moved = edits.put(show, "marks", mark)
    after = render(compile_show(moved, compile_show(show)), state, 110.0)
    assert (after != before).any()
    assert (after == frame(moved, on(moved, scene), 110.0)).all()

    gone = edits.remove(show, Ref("mark", "cello"))
    assert (frame(gone, state, 110.0) == before).all()
    given = givens.given_of(gone, ref)
    assert given.group == "spots"  # the group is followed still
    assert all(value.startswith("point:") for value in given.values.values())


def test_marks_that_a_palette_aims_at_are_not_offered_twice(show) -> None:
    assert "Aim" not in [strip.name for strip in stops.strips_for(show, SPOTS)[1]]
