"""What pressing and dragging does, as plain values."""

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from choreon.demo import low_tide
from choreon.engine import actions
from choreon.engine.actions import draft as drafts
from choreon.engine.actions import housekeeping
from choreon.engine.do import Do
from choreon.engine.inputs import base
from choreon.engine.inputs import midi as controls
from choreon.engine.inputs.soft_takeover import SoftTakeover
from choreon.model import edits
from choreon.model.attributes import TARGET_COLOUR
from choreon.model.inputs import midi_control
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import compose
from choreon.wire.midi import Event
from tests import play
from tests.engine import controls_by_hand

SHOW = low_tide()


def on(state) -> list[str]:
    return [p.ref.id for p in state.players if not p.releasing]


def test_pads_of_a_choice_exclude_each_other_and_share_a_player():
    state = play.press(SHOW, play.blank(), "slack-water-pad", 0.0)
    state = play.press(SHOW, state, "mudlight-pad", 10.0)
    assert on(state) == ["mudlight"]
    assert [s.ref.id for s in state.players[0].steps] == ["slack-water", "mudlight"]
    assert [s.ref.id for s in play.prune(state, 20.0).players[0].steps] == ["mudlight"]


def test_a_pad_pressed_twice_goes_out_and_is_forgotten():
    state = play.press(SHOW, play.blank(), "cello-pad", 0.0)
    state = play.press(SHOW, state, "cello-pad", 10.0)
    assert state.players[0].releasing
    assert play.prune(state, 12.9).players
    assert play.prune(state, 13.1).players == ()


def test_pressed_again_while_going_out_it_comes_back_from_where_it_is():
    state = play.press(SHOW, play.blank(), "cello-pad", 0.0)
    state = play.press(SHOW, state, "cello-pad", 10.0)
    before = state.players[0].weight_at(11.5)
    state = play.press(SHOW, state, "cello-pad", 11.5)
    assert (
        state.players[0].weight_at(11.5) == pytest.approx(before) == pytest.approx(0.5)
    )
    assert not state.players[0].releasing


def test_faders_start_and_end_their_player():
    state = play.set_level(SHOW, play.blank(), "front-wash-fader", 0.4, 0.0)
    assert state.players[0].level == 0.4
    assert (
        play.set_level(SHOW, state, "front-wash-fader", 7.0, 1.0).players[0].level
        == 1.0
    )
    assert play.set_level(SHOW, state, "front-wash-fader", 0.0, 1.0).players == ()


def test_what_is_not_there_changes_nothing():
    state = play.blank()
    gone = edits.drop(SHOW, "playables", ["cello"])
    assert play.press(SHOW, state, "nothing", 0.0) is state
    assert play.press(gone, state, "cello-pad", 0.0) is state
    assert play.set_level(SHOW, state, "cello-pad", 0.5, 0.0) is state
    assert play.release(SHOW, state, "nobody", 0.0) is state


def test_draft_lines_come_and_go():
    state = play.touch(play.blank(), {"par-1": {"Dimmer": 0.5, "ColorRGB_Red": 1.0}})
    state = play.touch(state, {"par-1": {"Dimmer": 0.7}, "par-2": {"Dimmer": 0.1}})
    assert state.draft.look == {
        "par-1": {"Dimmer": 0.7, "ColorRGB_Red": 1.0},
        "par-2": {"Dimmer": 0.1},
    }
    state = play.untouch(state, {"par-2": ("Dimmer",), "par-1": ("Dimmer",)})
    assert state.draft.look == {"par-1": {"ColorRGB_Red": 1.0}}
    state = play.clear_draft(state, 5.0)
    assert state.draft.look == {}
    assert state.draft.leaving[0].look == {"par-1": {"ColorRGB_Red": 1.0}}
    assert play.prune(state, 6.0).draft.leaving == ()


def test_a_clock_that_began_anew_leaves_what_plays_as_it_was():
    state = play.press(SHOW, play.blank(), "slack-water-pad", 100.0)
    moved = play.shift(state, -90.0)
    assert moved.players[0].weight_at(12.0) == state.players[0].weight_at(102.0)


def test_controls_press_and_move_and_show_what_is_on():
    port = "Practice controller"
    hand = controls_by_hand.Desk(SHOW)

    def moved(state, event, now):
        for do in hand.resolve(SHOW, state, controls.move_of(event)):
            state = actions.perform(SHOW, state, do, now)
        return state

    def shown(state, *key):
        ties = SHOW.inputs.values()
        lit = base.lights(SHOW, state, ties)
        by_key = {
            controls.key_of(control): (control, at) for control, at in lit.items()
        }
        return controls.shown_on(None, *by_key[key]).turns[0][2]

    state = moved(play.blank(), Event(port, "note", 0, 36, 1.0), 0.0)
    state = moved(state, Event(port, "note", 0, 36, 0.0), 0.1)
    assert on(state) == ["slack-water"]
    state = moved(state, Event(port, "cc", 0, 1, 0.2), 0.2)
    assert shown(state, port, "note", 0, 36) == controls.LIT
    assert shown(state, port, "note", 0, 37) == controls.READY
    assert shown(state, port, "cc", 0, 1) == 25
    assert shown(state, port, "cc", 0, 7) == 127
    state = moved(state, Event(port, "note", 0, 51, 1.0), 1.0)
    assert state.masters.blackout
    assert moved(state, Event("another", "note", 0, 51, 1.0), 1.0) is state


def test_a_fader_that_stands_elsewhere_never_makes_the_light_jump():
    """The level is 1, the fader at the bottom: it goes up in proportion, and both reach
    the top together.
    """
    hand, fader = SoftTakeover(), midi_control("desk", "cc", 0, 1)
    assert hand.move(fader, 1.0, 0.2) == 1.0  # nobody knows where it stood
    level = 0.8
    steps = []
    for to in (0.3, 0.5, 0.7, 0.9):
        new = hand.move(fader, level, to)
        steps.append(abs(new - level))
        level = new
    assert max(steps) <= 0.2
    assert hand.move(fader, level, 1.0) == 1.0
    assert hand.move(fader, 1.0, 0.9) == 0.9  # now they are one


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 2**31))
def test_what_is_kept_and_stays_on_changes_no_light(seed):
    """A draft of random values, over random things that play: the scene made of it
    comes on below it at once, and the draft goes; a look every 4 ms.
    """
    dice = random.Random(seed)
    show = low_tide()
    state = housekeeping.blank(show)
    others = dice.choice([0, 2])
    for ref in dice.sample([p.ref for p in show.playables.values()], others):
        state = actions.perform(show, state, Do(ref, Verb.PRESS), 0.0)
    lamps = dice.sample(["par-1", "par-2", "spot-1", "wash-1", "front-1"], 3)
    look = {lamp: {"Dimmer": dice.random()} for lamp in lamps}
    for lamp in lamps:
        if not lamp.startswith("front"):
            look[lamp] |= dict(
                zip(TARGET_COLOUR, (dice.random(), 0.3, 1.0), strict=True)
            )
        if lamp.startswith(("spot", "wash")):
            look[lamp] |= {"Pan": dice.uniform(-90, 90), "Tilt": dice.uniform(-60, 60)}
    state = drafts.set_draft(state, look)
    show, ref = edits.keep_scene(show, "Kept", look, 2.0, 2.0, "", ())
    compiled = compile_show(show)
    now = 20.0
    after = actions.perform(show, state, Do(ref, Verb.START), now)
    after = drafts.clear(after, now)
    rows = [compiled.rig.where[lamp]["Dimmer"][0][1] for lamp in lamps]
    wanted = compose(compiled, state, now).values[rows]
    for n in range(0, 300, 2 if others else 1):
        found = compose(compiled, after, now + 0.004 * n).values[rows]
        assert (found >= wanted - 1e-6).all(), n  # what others light more comes through
        if not others:
            assert found == pytest.approx(wanted, abs=1e-6), n
    assert actions.perform(show, after, Do(ref, Verb.START), now + 3.0) is after
    (kept,) = [player for player in after.players if player.ref == ref]
    gone = actions.perform(show, after, Do(ref, Verb.PRESS), now + 3.0)
    if not others:  # it goes out in its own two seconds
        half = compose(compiled, gone, now + 4.0).values[rows]
        assert half == pytest.approx(wanted / 2, abs=0.01)
    assert kept.weight.level(now) == 1.0
