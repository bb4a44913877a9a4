"""Masters, override faders and lamps that are aside: bytes worked out by hand."""

import itertools

import numpy as np
import pytest

from choreon.engine import actions
from choreon.engine.actions import hands, housekeeping, overrides
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.masters import GroupMaster, Override
from choreon.model.playables import Chase
from choreon.model.playables.chase import ChaseStep
from choreon.model.refs import BLACKOUT, FIXTURE, GRAND, GROUP, Ref, to_tile
from choreon.model.show import Group
from choreon.model.tiles import Fader, Pad, Page, Part
from choreon.model.verbs import Edge, Verb
from choreon.render.capture import frozen
from choreon.render.compiled import compile_show
from choreon.render.compositor import compose, render
from choreon.render.explain import explain
from choreon.render.state import DraftState, Masters, PlayState
from tests import play
from tests.render.test_frame import PARS, playing_scene, rig_of, with_scenes

RED = {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}
BLUE = {"ColorRGB_Red": 0.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 1.0}


def lamps(*letters: str) -> tuple[Ref, ...]:
    return tuple(Ref(FIXTURE, letter) for letter in letters)


def pars(*masters, exempt: tuple[Ref, ...] = ()):
    """Four pars with scenes: all at full, and `a` and `b` in blue at half."""
    show = with_scenes(
        rig_of(*PARS),
        full={letter: {"Dimmer": 1.0, **RED} for letter in "abcd"},
        half={letter: {"Dimmer": 0.5, **BLUE} for letter in "ab"},
    )
    show = edits.put(
        show, "groups", Group(id="house", name="House", fixtures=("c", "d"))
    )
    grand = edits.replace(show.masters["grand"], exempt=exempt)
    return edits.put(show, "masters", grand, *masters)


def levels(show, state: PlayState, now: float = 100.0) -> list[int]:
    """The dimmers' bytes of the four pars."""
    frame = render(compile_show(show), state, now)[0]
    return [int(frame[8 * n]) for n in range(4)]


def on(*names: str, **masters) -> PlayState:
    players = tuple(playing_scene(name, order=n) for n, name in enumerate(names))
    return PlayState(players, masters=Masters(**masters))


def do(show, state: PlayState, ref: Ref, verb: Verb, value=1.0, now=0.0) -> PlayState:
    return actions.perform(show, state, Do(ref, verb, value, Edge.TURN), now)


AREA = GroupMaster(id="area", name="Area", over=lamps("a", "b"))
HOUSE = GroupMaster(id="house", name="House", over=(Ref(GROUP, "house"), *lamps("b")))


def test_group_masters_scale_their_lamps_and_multiply_where_they_overlap():
    """.5 on a and b, .4 on b, c and d, grand .8: .4, .16, .32, .32 of 255."""
    show = pars(AREA, HOUSE)
    state = on("full", grand=0.8, levels={"area": 0.5, "house": 0.4})
    assert levels(show, state) == [102, 41, 82, 82]


def test_a_group_master_is_over_the_draft_as_well():
    show = pars(AREA)
    state = edits.replace(
        on(levels={"area": 0.5}),
        draft=DraftState({"a": {"Dimmer": 0.6}, "c": {"Dimmer": 1.0}}),
    )
    assert levels(show, state) == [round(0.3 * 255 + 1e-9), 0, 255, 0]


def test_a_master_over_what_plays_scales_that_alone():
    """Over *half*, at .4: blue .2 where nothing else plays; below *full* it is not the
    highest any more.
    """
    master = GroupMaster(id="m", name="M", over=(Ref("scene", "half"),))
    show = pars(master)
    assert levels(show, on("half", levels={"m": 0.4})) == [51, 51, 0, 0]
    assert levels(show, on("full", "half", levels={"m": 0.4})) == [255] * 4


def test_a_master_over_a_tile_scales_what_that_tile_plays():
    """*full* is on twice, by a pad and by a fader: the fader alone is half down. Of a
    choice, one pad's look alone is.
    """
    tiles = (
        Pad(id="pad", plays=(Part(Ref("scene", "half")),), choice="x"),
        Pad(id="other", plays=(Part(Ref("scene", "full"), 0.8),), choice="x"),
        Fader(id="fader", plays=(Part(Ref("scene", "full")),)),
    )
    over = tuple(Ref("tile", name) for name in ("fader", "other"))
    show = edits.put(
        pars(GroupMaster(id="m", name="M", over=over)),
        "pages",
        Page(id="p", name="P", tiles=tiles),
    )
    half = PlayState(masters=Masters(levels={"m": 0.5}))
    fader = do(show, half, to_tile("fader"), Verb.LEVEL)
    assert levels(show, fader) == [128] * 4
    pad = do(show, fader, to_tile("pad"), Verb.PRESS)
    assert levels(show, pad) == [128] * 4
    assert levels(show, do(show, half, to_tile("pad"), Verb.PRESS))[:2] == [128, 128]
    other = do(
        show, do(show, half, to_tile("pad"), Verb.PRESS), to_tile("other"), Verb.PRESS
    )
    assert levels(show, other) == [102] * 4
    # another page that is edited does not make it forget what it is over
    moved = edits.put(show, "pages", Page(id="p", name="P", tiles=tiles[:2]))
    after = compile_show(moved, compile_show(show))
    assert int(render(after, fader, 100.0)[0][0]) == 255


def test_a_master_over_a_scene_reaches_it_inside_a_chase():
    """*full* for a second, over to *half* within a second, and so on; *full* is under a
    master at .4: 102, half-way (102 + 128) / 2 on a, 102 / 2 on c.
    """
    steps = (
        ChaseStep(id="1", plays=Ref("scene", "full")),
        ChaseStep(id="2", plays=Ref("scene", "half")),
    )
    show = edits.put(
        pars(GroupMaster(id="m", name="M", over=(Ref("scene", "full"),))),
        "playables",
        Chase(id="c", name="C", steps=steps, fade_in=0.0),
        Chase(
            id="outer",
            name="Outer",
            steps=(ChaseStep(id="1", plays=Ref("chase", "c"), hold=50.0),),
            fade_in=0.0,
        ),
    )
    for name in ("c", "outer"):
        state = PlayState(masters=Masters(levels={"m": 0.4}))
        state = do(show, state, Ref("chase", name), Verb.PRESS)
        assert levels(show, state, 1.5) == [102] * 4
        assert levels(show, state, 2.5) == pytest.approx([115, 115, 51, 51], abs=1)
        assert levels(show, state, 3.5) == [128, 128, 0, 0]
        full = edits.replace(state, masters=Masters())
        assert levels(show, full, 1.5) == [255] * 4


def test_a_master_over_a_chase_and_a_scene_in_it_scales_once():
    over = (Ref("scene", "full"), Ref("chase", "c"))
    chase = Chase(
        id="c",
        name="C",
        steps=(ChaseStep(id="1", plays=Ref("scene", "full")),),
        fade_in=0.0,
    )
    show = edits.put(pars(GroupMaster(id="m", name="M", over=over)), "playables", chase)
    state = PlayState(masters=Masters(levels={"m": 0.4}))
    state = do(show, state, Ref("chase", "c"), Verb.PRESS)
    assert levels(show, state, 1.5) == [102] * 4


def test_a_master_over_what_plays_goes_softly_from_one_thing_to_the_next():
    """A crossfade of 2 s from what is not scaled to what is at .5 of .5: straight."""
    master = GroupMaster(id="m", name="M", over=(Ref("scene", "half"),))
    show = pars(master)
    player = play.player("p", play.step("full"), play.step("half", 10.0, 2.0, 2.0))
    state = PlayState((player,), masters=Masters(levels={"m": 0.5}))
    seen = [levels(show, state, t)[0] for t in np.arange(9.9, 12.11, 0.05)]
    assert seen[0] == 255
    assert seen[-1] == 64
    assert max(abs(a - b) for a, b in itertools.pairwise(seen)) < 10


def test_masters_are_moved_and_pressed():
    show = pars(AREA)
    state = do(show, on("full"), AREA.ref, Verb.LEVEL, 0.25)
    assert levels(show, state) == [64, 64, 255, 255]
    assert actions.level_of(show, state, AREA.ref) == 0.25
    state = actions.perform(show, state, Do(AREA.ref, Verb.PRESS), 0.0)
    assert levels(show, state) == [0, 0, 255, 255]
    state = actions.perform(show, state, Do(AREA.ref, Verb.PRESS), 0.0)
    assert state.masters.levels == {}


# exempt


def test_exempt_lamps_are_reached_by_neither_grand_nor_blackout():
    show = pars(AREA, exempt=(Ref(GROUP, "house"),))
    assert levels(show, on("full", grand=0.5)) == [128, 128, 255, 255]
    assert levels(show, on("full", blackout=True)) == [0, 0, 255, 255]
    # a group master still is over them, and the end of the engine is over all
    house = pars(HOUSE, exempt=(Ref(GROUP, "house"),))
    scaled = on("full", grand=0.0, levels={"house": 0.2})
    assert levels(house, scaled) == [0, 0, 51, 51]
    assert levels(show, on("full", closing=0.5)) == [128] * 4


def test_raw_dimmers_follow_the_masters_of_their_lamp():
    show = with_scenes(pars(AREA), bare={"a": {"dmx:dimmer": 200.0}})
    bare = {"a": {"dmx:dimmer": 200.0}, "d": {"dmx:dimmer": 200.0}}
    show = with_scenes(show, bare=bare)
    show = edits.put(
        show, "masters", edits.replace(show.masters["grand"], exempt=lamps("d"))
    )
    state = on("bare", grand=0.5, levels={"area": 0.5})
    assert levels(show, state) == [50, 0, 0, 200]


# override


ALONE = Override(id="o", name="House override", over=lamps("a", "c"))
HIGHEST = edits.replace(ALONE, alone=False)


@pytest.mark.parametrize(
    ("master", "level", "expected"),
    [
        (ALONE, 0.8, [204, 255, 204, 255]),
        (ALONE, 0.0, [0, 255, 0, 255]),
        (HIGHEST, 0.8, [255, 255, 255, 255]),
    ],
)
def test_an_override_sets_its_lamps_above_all_that_plays(master, level, expected):
    show = pars(master)
    state = do(show, on("full"), master.ref, Verb.LEVEL, level)
    assert levels(show, state) == expected


@pytest.mark.parametrize("alone", [True, False])
def test_an_override_is_above_grand_master_blackout_and_draft(alone):
    """Held at .6 with everything else out: 153."""
    master = edits.replace(ALONE, alone=alone)
    show = pars(master, AREA)
    state = on("full", grand=0.1, blackout=True, levels={"area": 0.0})
    state = edits.replace(state, draft=DraftState({"a": {"Dimmer": 0.1}}))
    state = do(show, state, master.ref, Verb.LEVEL, 0.6)
    assert levels(show, state) == [153, 0, 153, 0]


def test_an_override_takes_hold_and_lets_go_without_a_jump():
    """From 255 to 51 in .3 s, back in 2 s: half-way 153 both times."""
    show = pars(ALONE)
    state = do(show, on("full"), ALONE.ref, Verb.LEVEL, 0.2, now=10.0)
    assert levels(show, state, 10.0)[0] == 255
    assert levels(show, state, 10.15)[0] == 153
    assert levels(show, state, 11.0)[0] == 51
    state = do(show, state, ALONE.ref, Verb.RELEASE, now=20.0)
    assert levels(show, state, 20.0)[0] == 51
    assert levels(show, state, 21.0)[0] == 153
    assert levels(show, state, 22.0)[0] == 255
    assert housekeeping.prune(state, 22.0).masters.grips == ()


def test_an_override_opens_what_keeps_the_light_in():
    """A scene that closes the shutter: channel 6 of the par is open, 247, while the
    lamp is held, and shut before and after.
    """
    show = with_scenes(
        pars(ALONE), shut={"a": {"Dimmer": 1.0, "Shutter1": 0.0}, "c": {"Dimmer": 0.0}}
    )
    compiled, state = compile_show(show), on("shut")
    shut = int(render(compiled, state, 1.0)[0][5])
    held = do(show, state, ALONE.ref, Verb.LEVEL, 1.0)
    assert shut != 247
    assert render(compiled, held, 1.0)[0][5] == 247
    back = do(show, held, ALONE.ref, Verb.RELEASE, now=2.0)
    assert render(compiled, back, 5.0)[0][5] == shut


def test_an_override_whose_lamps_were_taken_down_holds_the_others():
    show = edits.take_down(pars(ALONE), ["a"])
    state = do(show, on("full"), ALONE.ref, Verb.LEVEL, 0.4)
    frame = render(compile_show(show), state, 9.0)[0]
    assert frame[16] == 102


# aside


def aside(show, state: PlayState, *fixtures: str, now: float = 50.0) -> PlayState:
    look = frozen(compile_show(show), state, now, fixtures)
    return hands.take(state, "aside", look, now)


def test_lamps_go_aside_as_they_are_and_nothing_else_reaches_them():
    """Half up in blue below a grand master of .5: nothing moves; then a scene, a draft
    and a group master do not reach the lamp, grand master and blackout do.
    """
    show = pars(AREA)
    before = on("half", grand=0.5)
    state = aside(show, before, "a")
    compiled = compile_show(show)
    assert (
        render(compiled, state, 50.0).tolist()
        == render(compiled, before, 50.0).tolist()
    )
    busy = edits.replace(
        state,
        players=(*state.players, playing_scene("full", order=5)),
        draft=DraftState({"a": {"Dimmer": 0.1, **RED}}),
        masters=Masters(0.5, levels={"area": 0.0}),
    )
    frame = render(compiled, busy, 51.0)[0]
    assert frame[:4].tolist() == [64, 0, 0, 255]
    assert frame[8] == 0  # beside it, the group master holds the lamp down
    dark = edits.replace(busy, masters=Masters(blackout=True))
    assert levels(show, dark) == [0, 0, 0, 0]


def test_lamps_aside_are_given_values_and_come_back_with_a_fade():
    """At full in red they come back in 2 s to half in blue: half-way 191."""
    show = pars()
    state = aside(show, on("half"), "a", "b")
    state = hands.set_aside(state, {"a": {"Dimmer": 1.0, **RED}, "c": {"Dimmer": 1.0}})
    assert levels(show, state) == [255, 128, 0, 0]
    back = hands.bring_back(state, ["a"], 60.0, 2.0)
    assert set(back.aside) == {"b"}
    assert levels(show, back, 60.0)[0] == 255
    assert levels(show, back, 61.0)[0] == 191
    assert levels(show, back, 62.0)[0] == 128
    compiled = compile_show(show)
    assert render(compiled, back, 62.0)[0][1:4].tolist() == [0, 0, 255]
    assert set(housekeeping.prune(back, 62.0).asides[0].look) == {"b"}


def test_no_value_jumps_as_lamps_go_aside_and_come_back():
    """Taken while they fade, brought back while something else comes in, and taken once
    more on the way: at every 4 ms no level moves by more than 1 % of its span.
    """
    show = pars()
    compiled = compile_show(show)
    players = (
        play.player("p", play.step("full"), play.step("half", 50.0, 2.0, 2.0)),
        playing_scene("full", order=3, weight=play.Ramp(0.0, 1.0, 52.0, 2.0)),
    )
    state = PlayState(players)
    rig, before = compiled.rig, None
    for now in np.arange(49.5, 58.0, 0.004):
        if abs(now - 51.0) < 1e-6 or abs(now - 54.0) < 1e-6:
            state = aside(show, state, "a", "b", now=float(now))
        if abs(now - 52.5) < 1e-6 or abs(now - 56.0) < 1e-6:
            state = hands.bring_back(state, ["a", "b"], float(now), 1.5)
        values = compose(compiled, state, float(now)).values[: rig.snaps_from].copy()
        if before is not None:
            assert np.abs(values - before).max() < 0.01, now
        before = values


def test_the_state_with_all_hands_survives_a_session():
    """What hands hold goes through the session's bytes, moved to another clock."""
    import msgspec

    show = pars(ALONE, AREA)
    state = aside(show, on("full"), "a")
    state = hands.give(state, "tile", {"b": {"Dimmer": 0.2}})
    state = overrides.hold(state, "o", 0.7, 50.0)
    again = msgspec.msgpack.decode(msgspec.msgpack.encode(state), type=PlayState)
    assert again == state
    assert levels(show, housekeeping.shift(again, 30.0), 90.0) == levels(
        show, state, 60.0
    )


def test_blackout_and_grand_still_are_what_they_were():
    show = pars()
    state = do(show, on("full"), GRAND, Verb.LEVEL, 0.5)
    assert levels(show, state) == [128] * 4
    state = do(show, state, BLACKOUT, Verb.SWITCH, 1.0)
    assert levels(show, state) == [0] * 4


def why(show, state: PlayState, fixture: str = "a") -> list[tuple[str, bool]]:
    """The layers on a lamp's dimmer, and which wins."""
    address = show.fixtures[fixture].address
    (found,) = explain(compile_show(show), state, 100.0, 1, address)
    return [(layer.source, layer.wins) for layer in found.layers]


def test_why_names_every_hand_on_a_lamp_and_the_one_that_wins():
    show = pars(AREA, ALONE)
    state = on("full", grand=0.5, levels={"area": 0.5})
    assert why(show, state) == [
        ("home", False),
        ("scene full", True),
        ("group master Area", False),
        ("grand master", False),
    ]
    held = do(show, state, ALONE.ref, Verb.LEVEL, 0.2)
    assert why(show, held)[-1] == ("override House override", True)
    assert [wins for _, wins in why(show, held)].count(True) == 1
    gone = aside(show, state, "a")
    assert [source for source, wins in why(show, gone) if wins] == ["aside"]
    assert "group master Area" not in dict(why(show, gone))
    dark = play.set_masters(held, blackout=True)
    assert [source for source, wins in why(show, dark) if wins] == [
        "override House override"
    ]


@pytest.mark.parametrize(("level", "wins"), [(0.2, "scene full"), (0.9, "override")])
def test_why_of_an_override_where_the_highest_counts(level, wins):
    show = pars(HIGHEST)
    state = do(show, on("full", grand=0.5), HIGHEST.ref, Verb.LEVEL, level)
    (winner,) = [source for source, won in why(show, state) if won]
    assert winner.startswith(wins)


@pytest.mark.parametrize("after", [0.0, 0.5, 1.0, 1.5])
def test_an_override_that_is_gripped_on_its_way_back_goes_on_from_there(after):
    """Let go it goes back in two seconds; gripped then, what is lacking is taken in as
    much of .3 seconds as is lacking.
    """
    state = overrides.hold(play.blank(), "o", 0.7, 0.0)
    state = overrides.let_go(state, "o", 10.0)
    here = 1.0 - after / overrides.BACK
    state = overrides.hold(state, "o", 0.4, 10.0 + after)
    grip = state.masters.grip("o")
    assert grip.level == 0.4
    assert grip.held.at(10.0 + after) == pytest.approx(here)
    takes = overrides.TAKES * (1.0 - here)
    assert grip.held.at(10.0 + after + takes / 2) == pytest.approx((1.0 + here) / 2)
    assert grip.held.at(10.0 + after + takes) == pytest.approx(1.0)
