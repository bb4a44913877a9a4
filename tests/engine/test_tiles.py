"""Tiles as they are played: what is on after a press, and the bytes of it, by numbers
worked out by hand.
"""

import itertools

import numpy as np
import pytest

from choreon.engine import actions
from choreon.engine.actions import choices, dials, hands, housekeeping, opening
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.masters import GroupMaster, Override
from choreon.model.motion import Effect, Rate, Spread, Wave
from choreon.model.playables import Chase, Scene
from choreon.model.playables.chase import ChaseStep, Unit
from choreon.model.refs import FIXTURE, Ref, to_deed, to_tile
from choreon.model.tiles import (
    AsideTile,
    Choice,
    ColourTile,
    DarkChange,
    Dial,
    Fader,
    Flash,
    MasterTile,
    Pad,
    PadAction,
    Page,
    Part,
    Start,
    Turns,
    parts,
)
from choreon.model.verbs import Edge, Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import compose, render
from choreon.render.state import PlayState
from tests import play
from tests.render.test_frame import PARS, rig_of

RED = {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}
BLUE = {"ColorRGB_Red": 0.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 1.0}


def scene(name: str, look, fade_in=2.0, fade_out=2.0, **more) -> Scene:
    return Scene(
        id=name, name=name, look=look, fade_in=fade_in, fade_out=fade_out, **more
    )


PULSE = Effect(
    id="e",
    motion=Wave(rate=Rate(seconds=4.0), spread=Spread(amount=0.0)),
    fixtures=("d",),
)


def page_of(*tiles, show=None):
    """Four pars, scenes on them, and a page with tiles."""
    show = show or rig_of(*PARS)
    show = edits.put(
        show,
        "playables",
        scene("red", {"a": {"Dimmer": 1.0, **RED}, "b": {"Dimmer": 0.6, **RED}}),
        scene("blue", {"a": {"Dimmer": 0.5, **BLUE}}, 4.0, 1.0),
        scene("back", {"c": {"Dimmer": 0.8, **BLUE}}),
        scene("pulse", {"d": {"Dimmer": 0.0}}, 0.0, 0.0, effects=(PULSE,)),
    )
    return edits.put(show, "pages", Page(id="p", name="P", tiles=tiles))


def ref(name: str) -> Ref:
    return Ref("scene", name)


def do(show, state, tile, verb=Verb.PRESS, value=1.0, now=0.0, edge=Edge.DOWN, by=""):
    asked = Do(to_tile(tile), verb, value, edge)
    return housekeeping.prune(actions.perform(show, state, asked, now, by=by), now)


def frame(show, state: PlayState, now: float) -> list[int]:
    return render(compile_show(show), state, now)[0].tolist()


def levels(show, state: PlayState, now: float) -> list[int]:
    return frame(show, state, now)[0:32:8]


def level(show, state: PlayState, tile: str) -> float:
    found = actions.level_of(show, state, to_tile(tile))
    assert found is not None
    return found


# several things on one tile


def test_a_tile_plays_several_things_each_at_its_own_level_and_in_its_own_times():
    """Red at .5 and the back at .25, 4 s in and 1 s out in place of 2 and 2: half in at
    2 s, half out .5 s after.
    """
    both = (Part(ref("red"), 0.5), Part(ref("back"), 0.25))
    pad = Pad(id="t", plays=both, fade_in=4.0, fade_out=1.0)
    show = page_of(pad)
    state = do(show, play.blank(), "t")
    assert levels(show, state, 2.0) == [64, 38, 26, 0]
    assert levels(show, state, 4.0) == [128, 77, 51, 0]
    assert level(show, state, "t") == 1.0
    dimmed = do(show, state, "t", Verb.LEVEL, 0.5, 10.0)
    assert levels(show, dimmed, 10.0) == [64, 38, 26, 0]
    assert level(show, dimmed, "t") == 0.5
    out = do(show, state, "t", now=20.0)
    assert levels(show, out, 20.5) == [64, 38, 26, 0]
    assert housekeeping.prune(out, 21.0).players == ()


def test_a_tile_carries_only_some_families():
    """The colour of *red* is ready in the dark, and gives no light; the level comes by
    another tile, at once in that colour.
    """
    show = page_of(
        Pad(id="colour", plays=(Part(ref("red"), 1.0, ("colour",)),)),
        Fader(id="level", plays=(Part(ref("red"), 1.0, ("intensity",)),)),
    )
    state = do(show, play.blank(), "colour")
    assert frame(show, state, 5.0)[:5] == [0, 255, 0, 0, 0]
    state = do(show, state, "level", Verb.LEVEL, 0.4, 5.0)
    assert frame(show, state, 5.0)[:5] == [102, 255, 0, 0, 0]
    gone = do(show, state, "colour", now=6.0)
    assert frame(show, gone, 9.0)[:5] == [102, 255, 255, 255, 255]  # home: white


def test_what_is_gone_of_a_tile_leaves_the_rest():
    show = page_of(Pad(id="t", plays=parts(ref("nothing"), ref("back"))))
    state = do(show, play.blank(), "t")
    assert levels(show, state, 2.0) == [0, 0, 204, 0]
    assert level(show, state, "t") == 1.0
    empty = page_of(Pad(id="t"), Choice(id="c"), Fader(id="f"))
    for tile in "tcf":
        assert do(empty, play.blank(), tile).players == ()


def test_pads_that_only_switch_on_or_only_off():
    show = page_of(
        Pad(id="on", plays=parts(ref("red")), action=PadAction.ON),
        Pad(id="off", plays=parts(ref("red")), action=PadAction.OFF),
    )
    state = do(show, play.blank(), "off")
    assert state.players == ()
    state = do(show, state, "on")
    assert do(show, state, "on", now=5.0).players == state.players


def test_a_pad_that_asks_plays_at_the_second_press_within_three_seconds():
    show = page_of(Pad(id="t", plays=parts(ref("red")), ask=True))
    asked = do(show, play.blank(), "t", now=10.0)
    assert asked.players == ()
    assert asked.asking == {"t": 13.0}
    assert do(show, asked, "t", now=12.9).players
    late = do(show, housekeeping.prune(asked, 13.1), "t", now=13.1)
    assert late.players == ()
    assert late.asking == {"t": 16.1}


def test_what_is_protected_stays_when_all_is_let_go():
    show = page_of(
        Pad(id="house", plays=parts(ref("back")), protected=True),
        Pad(id="t", plays=parts(ref("red"))),
    )
    state = do(show, do(show, play.blank(), "house"), "t")
    state = actions.perform(show, state, Do(to_deed("release"), Verb.PRESS), 10.0)
    assert levels(show, housekeeping.prune(state, 13.0), 13.0) == [0, 0, 204, 0]


# flash


def test_a_flash_over_all_takes_its_lamps_and_gives_them_back():
    """*blue* at .5 over *red* at full, at once: 128 in blue; then 255 in red again.
    With its own fades it comes in 4 s: half-way the level is (1 + .5) / 2.
    """
    show = page_of(
        Pad(id="t", plays=parts(ref("red"))),
        Flash(id="f", plays=parts(ref("blue"))),
        Flash(id="soft", plays=parts(ref("blue")), fades=True),
    )
    state = do(show, play.blank(), "t")
    down = do(show, state, "f", now=5.0, by="w")
    assert frame(show, down, 5.0)[:4] == [128, 0, 0, 255]
    assert levels(show, down, 5.0)[1] == 153
    up = do(show, down, "f", now=6.0, edge=Edge.UP, by="w")
    assert frame(show, up, 6.0)[:4] == [255, 255, 0, 0]
    soft = do(show, state, "soft", now=5.0)
    assert levels(show, soft, 7.0)[0] == 191


def test_a_flash_that_only_adds_changes_no_colour_that_is_lit():
    """*blue* adds to *red* at .3: the level of .5, in red. Alone it is blue."""
    flash = Flash(id="f", plays=parts(ref("blue")), over=False)
    show = page_of(Fader(id="t", plays=parts(ref("red"))), flash)
    alone = do(show, play.blank(), "f")
    assert frame(show, alone, 0.0)[:4] == [128, 0, 0, 255]
    state = do(show, play.blank(), "t", Verb.LEVEL, 0.3)
    both = do(show, state, "f", now=1.0)
    assert frame(show, both, 1.0)[:4] == [128, 255, 0, 0]


@pytest.mark.parametrize("fades", [False, True])
def test_a_flash_over_a_choice_that_fades_gives_it_back_where_it_has_come_to(fades):
    """Under the flash the crossfade goes on: let up, it is where it would have been
    without.
    """
    show = page_of(
        Choice(id="c", plays=parts(ref("red"), ref("blue"))),
        Flash(id="f", plays=parts(ref("back"), ref("blue")), fades=fades),
    )
    plain = do(show, play.blank(), "c", Verb.STEP, 0.0)
    plain = do(show, plain, "c", Verb.STEP, 1.0, 5.0)
    state = do(show, plain, "f", now=6.0)
    assert levels(show, state, 6.5)[2] > 0
    state = do(show, state, "f", now=7.0, edge=Edge.UP)
    state = housekeeping.prune(state, 9.5)
    assert frame(show, state, 9.5) == frame(show, plain, 9.5)


def test_only_the_hand_that_holds_a_flash_ends_it_and_a_hand_that_is_gone_does():
    show = page_of(Flash(id="f", plays=parts(ref("blue"))))
    state = do(show, play.blank(), "f", by="window:1;")
    other = do(show, state, "f", edge=Edge.UP, by="midi:pads")
    assert other.players == state.players
    taken = do(show, state, "f", by="midi:pads")
    assert do(show, taken, "f", edge=Edge.UP, by="window:1;").players
    assert housekeeping.without_held(state).players == ()


@pytest.mark.parametrize("fades", [False, True])
@pytest.mark.parametrize("ends", ["let up", "gone"])
@pytest.mark.parametrize("first", ["window:1;", "midi:pads"])
def test_a_flash_that_two_hands_hold_ends_with_the_last_of_them(fades, ends, first):
    show = page_of(Flash(id="f", plays=parts(ref("blue")), fades=fades))

    def end(state, by, now):
        if ends == "let up":
            return do(show, state, "f", now=now, edge=Edge.UP, by=by)
        return actions.hands_off(show, state, by, now)

    state = do(show, play.blank(), "f", by="window:1;")
    state = do(show, state, "f", now=5.0, by="midi:pads")
    state = end(state, first, 6.0)
    assert levels(show, state, 9.0)[0] == 128
    last = {"window:1;": "midi:pads", "midi:pads": "window:1;"}[first]
    assert housekeeping.prune(end(state, last, 10.0), 19.0).players == ()


# choices


def test_a_choice_crossfades_and_never_dips():
    """*red* to *blue*: a falls from 255 to 128 in 2 s, never below."""
    show = page_of(Choice(id="c", plays=parts(ref("red"), ref("blue"))))
    state = do(show, play.blank(), "c")
    assert choices.chosen(show, state, *show.tile("c")) == 0
    state = do(show, state, "c", now=10.0)
    compiled = compile_show(show)
    seen = [int(render(compiled, state, t)[0][0]) for t in np.arange(10.0, 15.0, 0.1)]
    assert seen[0] == 255
    assert min(seen) == seen[-1] == 128
    assert level(show, state, "c") == 1.0
    off = do(show, state, "c", now=20.0)
    assert level(show, off, "c") == 0.0
    assert housekeeping.prune(off, 22.0).players == ()


def test_a_choice_of_which_one_is_always_on():
    show = page_of(Choice(id="c", plays=parts(ref("red"), ref("blue")), always=True))
    state = opening.opened(show, play.blank(), 0.0)
    assert level(show, state, "c") == 0.0  # the first of two
    assert [p.ref for p in state.players] == [ref("red")]
    for verb, value in ((Verb.STEP, 0.0), (Verb.STEP, -1.0), (Verb.RELEASE, 1.0)):
        assert do(show, state, "c", verb, value, 3.0).players == state.players
    state = do(show, state, "c", Verb.LEVEL, 1.0, 3.0)
    assert [p.ref for p in state.players] == [ref("blue")]
    assert [p.ref for p in do(show, state, "c", now=9.0).players] == [ref("red")]


def test_a_choice_emptied_while_it_is_on_plays_on_until_it_is_let_go():
    show = page_of(Choice(id="c", plays=parts(ref("red"))))
    state = do(show, play.blank(), "c")
    empty = edits.change(show, to_tile("c"), plays=())
    assert levels(empty, state, 3.0)[0] == 255
    assert level(empty, state, "c") == 0.0
    assert do(empty, state, "c", now=3.0).players == state.players
    gone = actions.perform(empty, state, Do(actions.EVERYTHING, Verb.RELEASE), 3.0)
    assert housekeeping.prune(gone, 6.0).players == ()


SPOT = ("ostrey-spot-160", "13 channel", 1)
TURN = DarkChange(down=1.0, dark=0.5, up=2.0)


def spots(change):
    """A head with a choice of two gobos in two places, and a par that only changes
    colour: at .8 both times.
    """
    show = rig_of(SPOT, ("tarnby-par-7", "8 channel", 101))
    left = {"Dimmer": 0.8, "Pan": -40.0, "Tilt": 20.0, "Gobo1": 1.0}
    right = {"Dimmer": 0.8, "Pan": 60.0, "Tilt": 30.0, "Gobo1": 3.0}
    show = edits.put(
        show,
        "playables",
        scene("left", {"a": left, "b": {"Dimmer": 0.8, **RED}}, 0.0, 0.0),
        scene("right", {"a": right, "b": {"Dimmer": 0.8, **BLUE}}, 3.5, 3.5),
    )
    tile = Choice(id="c", plays=parts(ref("left"), ref("right")), change=change)
    return edits.put(show, "pages", Page(id="p", name="P", tiles=(tile,)))


def test_a_change_in_the_dark_goes_down_changes_and_comes_up():
    """1 s down, .5 s dark, 2 s up: at .5 s .4 with the old gobo and place, dark from 1
    to 1.5 with the new ones there, at 2.5 s .4 with them. The par never dips.
    """
    show = spots(TURN)
    compiled, rig = compile_show(show), compile_show(show).rig
    rows = {n: rig.where["a"][n][0][1] for n in ("Dimmer", "Pan", "Tilt", "Gobo1")}
    par = rig.where["b"]["Dimmer"][0][1]
    state = do(show, play.blank(), "c", Verb.STEP, 0.0)
    state = do(show, state, "c", Verb.STEP, 1.0, 10.0)

    def at(now: float) -> dict[str, float]:
        values = compose(compiled, housekeeping.prune(state, now), now).values
        return {n: round(float(values[row]), 6) for n, row in rows.items()}

    old = {"Pan": -40.0, "Tilt": 20.0, "Gobo1": 1.0}
    new = {"Pan": 60.0, "Tilt": 30.0, "Gobo1": 3.0}
    assert at(10.5) == {"Dimmer": 0.4, **old}
    assert at(11.01) == {"Dimmer": 0.0, **new}
    assert at(11.49) == {"Dimmer": 0.0, **new}
    assert at(12.5) == {"Dimmer": 0.4, **new}
    assert at(13.5) == {"Dimmer": 0.8, **new}
    lit = [
        float(compose(compiled, state, t).values[par])
        for t in np.arange(10.0, 14.0, 0.05)
    ]
    assert min(lit) == pytest.approx(0.8)


def test_a_gobo_that_only_the_look_before_gives_goes_in_the_dark_too():
    """From gobo 1 to none, the place as it is: the gobo is gone before it comes up."""
    show = spots(TURN)
    here = {"Pan": -40.0, "Tilt": 20.0}
    show = edits.put(
        show, "playables", scene("right", {"a": {"Dimmer": 0.8, **here}}, 1.0, 1.0)
    )
    compiled = compile_show(show)
    dimmer, gobo = (compiled.rig.where["a"][n][0][1] for n in ("Dimmer", "Gobo1"))
    state = do(show, play.blank(), "c", Verb.STEP, 0.0)
    state = do(show, state, "c", Verb.STEP, 1.0, 10.0)
    seen = {}
    for now in np.arange(10.0, 14.0, 0.02):
        state = housekeeping.prune(state, float(now))
        values = compose(compiled, state, float(now)).values
        if values[dimmer] > 0.0:
            seen.setdefault(round(float(values[gobo])), []).append(float(now))

    (old, went), (new, came) = seen.items()
    assert (old, new) == (1, 0)
    assert max(went) < 11.01
    assert min(came) > 11.49


def test_at_once_the_head_is_seen_on_its_way():
    show = spots(None)
    rig = compile_show(show).rig
    dimmer, pan = (rig.where["a"][n][0][1] for n in ("Dimmer", "Pan"))
    state = do(show, play.blank(), "c", Verb.STEP, 0.0)
    state = do(show, state, "c", Verb.STEP, 1.0, 10.0)
    values = compose(compile_show(show), state, 11.75).values
    assert values[dimmer] == pytest.approx(0.8)
    assert values[pan] == pytest.approx(10.0)


@pytest.mark.parametrize("again", [10.3, 11.2, 11.7, 12.4])
def test_a_change_in_the_dark_that_is_interrupted_jumps_nowhere(again):
    """Back to the first look, whenever: no level moves by more than 2 % in 4 ms, and
    the head moves only while it is dark.
    """
    show = spots(TURN)
    compiled = compile_show(show)
    dimmer, pan = (compiled.rig.where["a"][n][0][1] for n in ("Dimmer", "Pan"))
    state = do(show, play.blank(), "c", Verb.STEP, 0.0)
    state = do(show, state, "c", Verb.STEP, 1.0, 10.0)
    before, pressed = None, False
    for now in np.arange(10.0, 18.0, 0.004):
        if now >= again and not pressed:
            pressed, state = True, do(show, state, "c", Verb.STEP, 0.0, float(now))
        state = housekeeping.prune(state, float(now))
        values = compose(compiled, state, float(now)).values
        here = float(values[dimmer]), float(values[pan])
        if before is not None:
            assert abs(here[0] - before[0]) < 0.02, now
            if min(here[0], before[0]) > 0.03:
                assert abs(here[1] - before[1]) < 1.0, now
        before = here
    assert before == (pytest.approx(0.8), pytest.approx(-40.0))


# dials


def test_a_rate_dial_turns_what_is_on_and_shows_what_is():
    """Three quarters up is twice as fast; as stored brings it back."""
    show = page_of(
        Pad(id="t", plays=parts(ref("pulse"))),
        Dial(id="d", turns=Turns.RATE, of=(to_tile("t"),)),
    )
    assert level(show, play.blank(), "d") == 0.5
    assert do(show, play.blank(), "d", Verb.LEVEL, 0.75) == play.blank()
    state = do(show, play.blank(), "t")
    state = do(show, state, "d", Verb.LEVEL, 0.75, 1.0)
    assert state.players[0].rate == 2.0
    assert level(show, state, "d") == pytest.approx(0.75)
    state = do(show, state, "t", Verb.HALF, now=1.0)
    assert level(show, state, "d") == pytest.approx(0.5)
    state = do(show, state, "d", Verb.LEVEL, 1.0, 1.0)
    assert do(show, state, "d", now=2.0).players[0].rate == 1.0


def test_a_size_dial_draws_an_effect_together_about_its_middle():
    """A wave from 0 to 1, at its top at 2 s: .5 + s · .5."""
    show = page_of(
        Pad(id="t", plays=parts(ref("pulse"))),
        Dial(id="d", turns=Turns.SIZE, of=(ref("pulse"),)),
    )
    state = do(show, play.blank(), "t")
    for size, top in ((1.0, 255), (0.5, 191), (0.0, 128)):
        sized = do(show, state, "d", Verb.LEVEL, size, 0.5)
        assert levels(show, sized, 2.0)[3] == top
        assert level(show, sized, "d") == size


def test_a_phase_dial_has_an_effect_be_ahead():
    """A quarter of a cycle of 4 s ahead: now what would be in 1 s."""
    show = page_of(
        Pad(id="t", plays=parts(ref("pulse"))),
        Dial(id="d", turns=Turns.PHASE, of=(ref("pulse"),)),
    )
    plain = do(show, play.blank(), "t")
    ahead = do(show, plain, "d", Verb.LEVEL, 0.25, 0.5)
    assert levels(show, ahead, 1.3) == levels(show, plain, 2.3)
    assert level(show, ahead, "d") == 0.25
    stored = do(show, ahead, "t", Verb.STORED, now=2.0)
    assert levels(show, stored, 2.3) == levels(show, plain, 2.3)


def test_a_fade_dial_sets_the_times_of_its_tiles_and_shows_them_at_the_start():
    """*red* takes 2 s as stored: the dial stands there. At 8 s it is half in at 4."""
    show = page_of(
        Pad(id="t", plays=parts(ref("red"))),
        Dial(id="d", turns=Turns.FADE, of=(ref("red"),)),
    )
    assert dials.fade_at(level(show, play.blank(), "d")) == pytest.approx(2.0)
    state = do(show, play.blank(), "d", Verb.VALUE, 8.0)
    assert dials.fade_at(level(show, state, "d")) == pytest.approx(8.0)
    state = do(show, state, "t")
    assert levels(show, state, 4.0)[0] == 128
    out = do(show, state, "t", now=10.0)
    assert levels(show, out, 14.0)[0] == 128
    assert do(show, state, "d").fade_times == {}


def test_a_dial_gives_lamps_an_attribute_until_it_is_let_go():
    show = spots(None)
    dial = Dial(
        id="d",
        turns=Turns.ATTRIBUTE,
        attribute="Shutter1Strobe",
        of=(Ref(FIXTURE, "a"), Ref(FIXTURE, "gone")),
    )
    show = edits.put(show, "pages", Page(id="q", name="Q", tiles=(dial,)))
    state = do(show, play.blank(), "d", Verb.LEVEL, 0.4)
    assert state.live[0].look == {"a": {"Shutter1Strobe": 10.0}}
    assert level(show, state, "d") == pytest.approx(0.4)
    rig = compile_show(show).rig
    row = rig.where["a"]["Shutter1Strobe"][0][1]
    assert compose(compile_show(show), state, 1.0).values[row] == 10.0
    gone = housekeeping.prune(do(show, state, "d", now=2.0), 9.0)
    assert gone.live == ()


# live colours, aside, masters on a page


def test_a_live_colour_is_above_what_plays_and_below_the_draft():
    show = page_of(
        Pad(id="t", plays=parts(ref("red"))),
        ColourTile(id="c", of=(Ref(FIXTURE, "a"),)),
    )
    state = do(show, play.blank(), "t")
    state = hands.give(state, "c", {"a": BLUE})
    assert frame(show, state, 5.0)[:4] == [255, 0, 0, 255]
    drafted = play.touch(state, {"a": RED})
    assert frame(show, drafted, 5.0)[:4] == [255, 255, 0, 0]
    gone = do(show, state, "c", now=6.0)
    assert frame(show, housekeeping.prune(gone, 7.0), 7.0)[:4] == [255, 255, 0, 0]


def test_an_aside_kept_as_a_tile_takes_its_lamps_and_brings_them_back():
    look = {"a": {"Dimmer": 0.4, **BLUE}}
    show = page_of(Pad(id="t", plays=parts(ref("red"))), AsideTile(id="x", look=look))
    state = do(show, play.blank(), "t")
    state = do(show, state, "x", now=5.0)
    assert levels(show, state, 5.5)[0] == 179
    assert frame(show, state, 6.0)[:4] == [102, 0, 0, 255]
    assert level(show, state, "x") == 1.0
    back = housekeeping.prune(do(show, state, "x", now=7.0), 9.0)
    assert back.asides == ()
    assert levels(show, back, 9.0)[0] == 255


def test_a_master_tile_does_what_its_master_does():
    show = page_of(
        Pad(id="t", plays=parts(ref("red"))),
        MasterTile(id="m", drives=Ref("master", "grand")),
    )
    state = do(show, do(show, play.blank(), "t"), "m", Verb.LEVEL, 0.5, edge=Edge.TURN)
    assert levels(show, state, 5.0)[0] == 128
    assert level(show, state, "m") == 0.5


# levels that are stored with a look


@pytest.mark.parametrize("as_pads", [False, True])
def test_each_look_of_a_choice_comes_at_its_own_level(as_pads):
    """*red* (a at 1) whole, *blue* (a at .5) at .3, *back* (c at .8) at .5."""
    stored = (Part(ref("red")), Part(ref("blue"), 0.3), Part(ref("back"), 0.5))
    if as_pads:
        pads = (Pad(id=f"p{n}", plays=(p,), choice="x") for n, p in enumerate(stored))
        show = page_of(*pads)
    else:
        show = page_of(Choice(id="c", plays=stored))

    def go(state, n, now):
        if as_pads:
            return do(show, state, f"p{n}", now=now)
        return do(show, state, "c", Verb.STEP, float(n), now)

    state, now = play.blank(), 0.0
    for n in (0, 1, 2, 1, 0, 2, 0):
        state = go(state, n, now)
        want = ([255, 153, 0, 0], [38, 0, 0, 0], [0, 0, 102, 0])[n]
        assert levels(show, housekeeping.prune(state, now + 9.0), now + 9.0) == want
        now += 10.0
    # half-way from a at 1 to a at .15 (2 s down): in one straight line
    state = go(state, 1, now)
    assert levels(show, state, now + 0.5)[0] == pytest.approx(
        255 * (1 + 0.15) / 2, abs=1
    )


def test_two_looks_of_a_choice_that_differ_in_their_level_alone():
    show = page_of(Choice(id="c", plays=(Part(ref("red"), 0.2), Part(ref("red")))))
    state = do(show, play.blank(), "c", Verb.STEP, 1.0)
    assert choices.chosen(show, state, *show.tile("c")) == 1
    state = do(show, state, "c", Verb.STEP, 0.0, 10.0)
    assert choices.chosen(show, state, *show.tile("c")) == 0
    assert levels(show, state, 20.0)[0] == 51


@pytest.mark.parametrize("stored", [1.0, 0.3, 0.0])
def test_a_flash_over_all_brings_lamps_to_its_own_level(stored):
    """*blue* gives a .5; b, which it does not give, stays."""
    show = page_of(
        Fader(id="t", plays=parts(ref("red"))),
        Flash(id="f", plays=(Part(ref("blue"), stored),), over=True),
    )
    state = do(show, play.blank(), "t", Verb.LEVEL, 1.0)
    state = do(show, state, "f", now=1.0)
    at_a = round(255 * 0.5 * stored)
    assert levels(show, state, 1.0)[0] == pytest.approx(at_a, abs=1)
    assert levels(show, state, 1.0)[1] == 153


# all that plays


def test_back_to_what_was_on_before_the_last_press():
    """*blue* came in the place of *red*, then *back* was let go: both are taken back,
    the last first; after a minute neither.
    """
    show = page_of(
        Pad(id="red", plays=parts(ref("red")), choice="x"),
        Pad(id="blue", plays=parts(ref("blue")), choice="x"),
        Fader(id="back", plays=parts(ref("back"))),
    )
    state = do(show, play.blank(), "red")
    state = do(show, state, "back", Verb.LEVEL, 0.5, 1.0)
    state = do(show, state, "blue", now=10.0)
    state = do(show, state, "back", Verb.RELEASE, now=20.0)
    state = housekeeping.prune(state, 25.0)
    undo = Do(to_deed("undo"), Verb.PRESS)
    once = actions.perform(show, state, undo, 25.0)
    assert levels(show, once, 30.0) == [128, 0, 102, 0]
    twice = actions.perform(show, once, undo, 30.0)
    assert levels(show, housekeeping.prune(twice, 40.0), 40.0) == [255, 153, 102, 0]
    late = actions.perform(show, state, undo, 85.0)
    assert levels(show, late, 90.0) == [128, 0, 0, 0]


@pytest.mark.parametrize("first", ["red", "blue"])
def test_what_is_taken_back_lies_where_it_lay(first):
    """Both light *a*, one in red, one in blue: the upper one's colour is seen before
    and after, whichever was let go.
    """
    show = page_of(
        Pad(id="red", plays=parts(ref("red"))), Pad(id="blue", plays=parts(ref("blue")))
    )
    second = {"red": "blue", "blue": "red"}[first]
    state = do(show, do(show, play.blank(), first), second, now=5.0)
    was = frame(show, state, 20.0)
    undo = Do(to_deed("undo"), Verb.PRESS)
    for gone in (first, second):
        for later in (20.5, 30.0):
            left = housekeeping.prune(do(show, state, gone, now=20.0), later)
            back = housekeeping.prune(actions.perform(show, left, undo, later), later)
            assert frame(show, back, 45.0) == was, (gone, later)
            settled = housekeeping.prune(housekeeping.prune(back, 45.0), 46.0)
            places = [
                (p.id, p.level) for p in sorted(settled.players, key=lambda p: p.place)
            ]
            assert places == [(f"tile:{first}", 1.0), (f"tile:{second}", 1.0)]


def test_what_is_taken_back_goes_on_where_it_would_be():
    show = page_of(
        Pad(id="red", plays=parts(ref("red")), choice="x"),
        Pad(id="pulse", plays=parts(ref("pulse")), choice="x"),
    )
    state = do(show, play.blank(), "pulse", now=0.7)
    undo = Do(to_deed("undo"), Verb.PRESS)
    other = housekeeping.prune(do(show, state, "red", now=11.0), 14.0)
    back = housekeeping.prune(actions.perform(show, other, undo, 15.2), 19.0)
    for now in np.arange(20.0, 24.0, 0.3):
        assert frame(show, back, now) == frame(show, state, now)


def test_the_safe_look_is_seen_whatever_hands_did_to_lamps_and_masters():
    """*back* gives c .8, the safe look plays it at .5, with the grand at .9: .36."""
    show = page_of(
        Pad(id="t", plays=parts(ref("red"))),
        AsideTile(id="away", look={"c": {"Dimmer": 0.0}}),
        MasterTile(id="m", drives=Ref("master", "area")),
        MasterTile(id="o", drives=Ref("master", "held")),
    )
    lamps = (Ref(FIXTURE, "c"), Ref(FIXTURE, "a"))
    show = edits.put(
        show,
        "masters",
        GroupMaster(id="area", name="Area", over=lamps),
        Override(id="held", name="Held", over=lamps),
    )
    show = edits.replace(show, safe=(Part(ref("back"), 0.5),), safe_grand=0.9)
    state = do(show, play.blank(), "t")
    state = do(show, state, "away", now=1.0)
    state = do(show, state, "o", Verb.LEVEL, 0.0, 2.0)
    state = do(show, state, "m", Verb.LEVEL, 0.0, 3.0)
    state = play.set_masters(
        state, grand=0.2, levels=state.masters.levels, grips=state.masters.grips
    )
    after = actions.perform(show, state, Do(to_deed("safe"), Verb.PRESS), 10.0)
    seen = [levels(show, after, t) for t in np.arange(10.0, 15.0, 1 / 44)]
    assert seen[-1] == [0, 0, round(255 * 0.36), 0]
    # b is on its way out from .6 under a grand of .2 and never flares up
    assert max(line[1] for line in seen) <= 2 * seen[0][1]
    assert all(abs(np.subtract(a, b)).max() <= 6 for a, b in itertools.pairwise(seen))
    settled = housekeeping.prune(after, 15.0)
    assert settled.masters.before is None
    assert levels(show, settled, 15.0) == seen[-1]


def test_a_master_that_a_hand_moves_after_the_safe_look_is_there_at_once():
    show = edits.replace(page_of(), safe=(Part(ref("back")),))
    state = play.set_masters(play.blank(), grand=0.2)
    state = actions.perform(show, state, Do(to_deed("safe"), Verb.PRESS), 10.0)
    dark = actions.perform(show, state, Do(Ref("master", "blackout"), Verb.PRESS), 10.5)
    assert levels(show, dark, 10.5) == [0, 0, 0, 0]
    set_ = Do(Ref("master", "grand"), Verb.LEVEL, 0.5, Edge.TURN)
    assert levels(show, actions.perform(show, state, set_, 15.0), 15.0)[2] == 102


def test_the_safe_look_takes_the_place_of_all_but_the_protected():
    """Also out of a blackout: it comes up from the dark, and nothing else with it."""
    show = page_of(
        Pad(id="t", plays=parts(ref("red"))),
        Pad(id="house", plays=parts(ref("pulse")), protected=True),
    )
    show = edits.replace(show, safe=(Part(ref("back"), 0.5),))
    state = do(show, do(show, play.blank(), "t"), "house")
    safe = Do(to_deed("safe"), Verb.PRESS)
    after = housekeeping.prune(actions.perform(show, state, safe, 10.0), 14.0)
    assert {p.ref.id for p in after.players} == {"back", "pulse"}
    assert levels(show, after, 14.0)[:3] == [0, 0, 102]
    dark = play.set_masters(state, blackout=True)
    lit = actions.perform(show, dark, safe, 10.0)
    assert levels(show, lit, 10.0)[0] == 0
    assert levels(show, lit, 12.0)[:3] == [0, 0, 102]


def test_what_is_on_when_a_show_or_a_page_opens():
    show = page_of(
        Fader(id="f", plays=parts(ref("back"))), Pad(id="t", plays=parts(ref("red")))
    )
    starts = (Start(to_tile("f"), 0.5), Start(Ref("master", "grand"), 0.8))
    show = edits.replace(show, opens=starts)
    state = opening.opened(show, play.blank(), 0.0)
    assert levels(show, state, 3.0) == [0, 0, round(255 * 0.8 * 0.5 * 0.8), 0]
    assert level(show, state, "f") == pytest.approx(0.5)
    page = edits.replace(show.pages["p"], opens=(Start(to_tile("t")),))
    show = edits.put(show, "pages", page)
    state = actions.perform(show, state, Do(Ref("page", "p"), Verb.PRESS), 5.0)
    assert level(show, state, "t") == 1.0
    normal = actions.perform(show, state, Do(to_deed("normal"), Verb.PRESS), 10.0)
    assert {p.ref.id for p in housekeeping.prune(normal, 20.0).players} == {"back"}


def test_up_and_down_in_the_order_of_what_is_on():
    """Three on the same lamp, all full: the uppermost gives the colour. *red* from the
    bottom to the top and down again, by fades.
    """
    show = rig_of(PARS[0])
    green = {"ColorRGB_Red": 0.0, "ColorRGB_Green": 1.0, "ColorRGB_Blue": 0.0}
    colours = {"red": RED, "green": green, "blue": BLUE}
    show = edits.put(
        show,
        "playables",
        *(scene(n, {"a": {"Dimmer": 1.0, **c}}, 1, 1) for n, c in colours.items()),
    )
    tiles = tuple(Pad(id=n, plays=parts(ref(n))) for n in colours)
    show = edits.put(show, "pages", Page(id="p", name="P", tiles=tiles))
    state = play.blank()
    for n, name in enumerate(colours):
        state = do(show, state, name, now=float(n))

    def order(state: PlayState) -> list[str]:
        return [p.ref.id for p in sorted(state.players, key=lambda p: p.place)]

    def move(state: PlayState, verb: Verb, now: float, by: float = 1.0) -> PlayState:
        asked = Do(Ref("player", "tile:red"), verb, by)
        state = actions.perform(show, state, asked, now)
        assert frame(show, state, now)[:4] == before
        return housekeeping.prune(housekeeping.prune(state, now + 3.0), now + 3.0)

    before = frame(show, state, 10.0)[:4]
    state = move(state, Verb.RAISE, 10.0)
    assert order(state) == ["green", "red", "blue"]
    state = move(state, Verb.RAISE, 20.0)
    assert order(state) == ["green", "blue", "red"]
    before = [255, 255, 0, 0]
    state = move(state, Verb.LOWER, 30.0, 2.0)
    assert order(state) == ["red", "green", "blue"]


def test_tapped_to_time_a_cycle_takes_as_long_as_from_tap_to_tap():
    """A wave of 4 s tapped every 2 s runs twice as fast; a chase of steps of 1.5 s
    tapped every .5 s three times as fast. A pause begins a new count.
    """
    steps = [ChaseStep(id=n, name=n, look={"a": {"Dimmer": 1.0}}) for n in "xy"]
    chase = Chase(
        id="c", name="c", steps=tuple(steps), fade=0.5, hold=1.0, unit=Unit.SECONDS
    )
    show = page_of(Pad(id="t", plays=parts(ref("pulse"))))
    show = edits.put(show, "playables", chase)
    show = edits.put(
        show,
        "pages",
        Page(id="q", name="Q", tiles=(Pad(id="u", plays=parts(chase.ref)),)),
    )
    state = do(show, do(show, play.blank(), "t"), "u")
    for now in (10.0, 12.0, 14.0):
        state = do(show, state, "t", Verb.TAP, now=now)
    for now in (20.0, 20.5):
        state = do(show, state, "u", Verb.TAP, now=now)
    rates = {p.ref.id: p.rate for p in state.players}
    assert rates == {"pulse": 2.0, "c": 3.0}
    state = do(show, state, "t", Verb.TAP, now=30.0)
    assert {p.ref.id: p.rate for p in state.players} == rates


@pytest.mark.parametrize("value", [float("nan"), float("inf"), -1e300, 1e300])
@pytest.mark.parametrize("verb", list(Verb))
def test_no_number_harms_any_tile(verb, value):
    """Whatever verb a tile gets, with whatever number: it takes it, or refuses it, and
    the light is made of numbers.
    """
    lamps = (Ref(FIXTURE, "a"),)
    show = page_of(
        Pad(id="pad", plays=parts(ref("red"))),
        Flash(id="flash", plays=parts(ref("blue"))),
        Fader(id="fader", plays=parts(ref("back"))),
        Choice(id="choice", plays=parts(ref("red"), ref("blue"))),
        *(Dial(id=str(t), turns=t, of=(ref("pulse"),)) for t in Turns),
        Dial(id="d", turns=Turns.ATTRIBUTE, attribute="Dimmer", of=lamps),
        MasterTile(id="m", drives=Ref("master", "grand")),
    )
    compiled = compile_show(show)
    state = do(show, do(show, play.blank(), "pad"), "choice")
    for tile in show.pages["p"].tiles:
        try:
            state = do(show, state, tile.id, verb, value, 1.0)
        except actions.NotTaken:
            continue
    assert np.isfinite(compose(compiled, state, 2.0).values).all()
