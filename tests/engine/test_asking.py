"""What controls ask for: taken hold of without a jump, in ranges, steps and curves, on
pages and in layers, by keys of each sort, by dials without an end; and what they show.
"""

from __future__ import annotations

import random

import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import hands
from choreon.engine.inputs import midi as lights
from choreon.engine.inputs.base import LOST
from choreon.engine.inputs.feedback import Feedback
from choreon.model import edits
from choreon.model.inputs import Answer, Coding, Curve, Pickup, midi_control
from choreon.model.refs import (
    BLACKOUT,
    GRAND,
    GROUP,
    TURN,
    Ref,
    lamps_of,
    name_of,
    to_deed,
    to_lamps,
    to_tile,
)
from choreon.model.surfaces import (
    Display,
    PartSort,
    Shade,
    Shows,
    Surface,
    SurfacePart,
    faults,
)
from choreon.model.tiles import Fader, Flash, Pad, Page, parts
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Envelope, Ramp
from tests.engine.controls_by_hand import Desk

FADER, OTHER = midi_control("D", "cc", 0, 1), midi_control("D", "cc", 0, 2)
KEY, SHIFT = midi_control("D", "note", 0, 40), midi_control("D", "note", 0, 41)


def bare():
    """The sample show without its controls."""
    return edits.replace(low_tide(), inputs={})


def desk(*ties, show=None) -> Desk:
    show = show or bare()
    for control, target, *how in ties:
        show = edits.learn(show, control, target, **(how[0] if how else {}))
    return Desk(show)


def grand(hand: Desk) -> float:
    return actions.level_of(hand.now_show, hand.state, GRAND)


# taking hold


@pytest.mark.parametrize("pickup", list(Pickup))
def test_how_a_fader_takes_hold_of_a_level_that_stands_elsewhere(pickup):
    hand = desk((FADER, GRAND, {"answer": Answer(pickup=pickup)}))
    seen = []
    for value in (0.2, 0.3, 0.5):
        hand.move(FADER, value)
        hand.frame()
        seen.append(round(grand(hand), 3))
    assert (
        seen
        == {
            Pickup.JUMP: [0.2, 0.3, 0.5],
            Pickup.CATCH: [1.0, 1.0, 1.0],
            Pickup.MEET: [1.0, 1.0, 1.0],
        }[pickup]
    )

    hand.move(FADER, 1.0)
    hand.frame()
    hand.move(FADER, 0.4)
    hand.frame()
    assert grand(hand) == pytest.approx(0.4)  # from the end on they are one


def test_catching_waits_until_the_level_is_passed():
    hand = desk((FADER, GRAND, {"answer": Answer(pickup=Pickup.CATCH)}))
    for value, level in ((1.0, 1.0), (0.6, 0.6)):
        hand.move(FADER, value)
        hand.frame()
        assert grand(hand) == pytest.approx(level)
    hand.state = actions.perform(  # the mouse, meanwhile
        hand.now_show, hand.state, lights_do(GRAND, 0.2), hand.now
    )
    for value, level in ((0.5, 0.2), (0.3, 0.2), (0.1, 0.1), (0.3, 0.3)):
        hand.move(FADER, value)
        hand.frame()
        assert grand(hand) == pytest.approx(level)


def lights_do(ref, level):
    from choreon.engine.do import Do

    return Do(ref, Verb.LEVEL, level, Edge.TURN)


@pytest.mark.parametrize("pickup", [Pickup.MEET, Pickup.CATCH])
def test_one_fader_on_two_things_jumps_on_neither(pickup):
    """Where it stood counts for both, whichever is asked first."""
    dice = random.Random(7)
    answer = {"answer": Answer(pickup=pickup)}
    show = bare()
    page = Page(
        id="own",
        name="Own",
        tiles=tuple(
            Fader(id=f"f{n}", plays=parts(playable.ref))
            for n, playable in enumerate(list(show.playables.values())[:2])
        ),
    )
    show = edits.put(show, "pages", page)
    show = edits.learn(show, FADER, to_tile("f0"), **answer)
    tie = edits.learn(edits.replace(show, inputs={}), FADER, to_tile("f1"), **answer)
    second = next(iter(tie.inputs.values()))
    show = edits.replace(
        show, inputs={**show.inputs, "x": edits.replace(second, id="x")}
    )
    hand = Desk(show)
    hand.state = actions.perform(
        show, hand.state, lights_do(to_tile("f0"), 0.9), hand.now
    )
    hand.state = actions.perform(
        show, hand.state, lights_do(to_tile("f1"), 0.3), hand.now
    )

    at = 0.5
    for _ in range(60):
        before = [actions.level_of(show, hand.state, to_tile(f"f{n}")) for n in (0, 1)]
        to = min(0.95, max(0.05, at + dice.uniform(-0.04, 0.04)))
        hand.move(FADER, to)
        hand.frame()
        for n in (0, 1):
            after = actions.level_of(show, hand.state, to_tile(f"f{n}"))
            # in proportion: never more than what is left of level over what of the way
            assert abs(after - before[n]) <= 0.04 * 20 * abs(to - at) / 0.04 + 0.021
        at = to


def test_a_range_a_curve_and_steps():
    answer = Answer(low=1.0, high=0.2, curve=Curve.SLOW, steps=2, pickup=Pickup.JUMP)
    hand = desk((FADER, GRAND, {"answer": answer}))
    got = []
    for value in (0.0, 0.3, 0.6, 1.0):
        hand.move(FADER, value)
        hand.frame()
        got.append(grand(hand))
    assert got == pytest.approx([1.0, 0.8, 0.8, 0.2])


@pytest.mark.parametrize("coding", [Coding.TWOS, Coding.MIDDLE, Coding.SIGNED])
def test_a_dial_without_an_end_turns_on_from_where_it_is(coding):
    sends = {
        Coding.TWOS: lambda n: n % 128,
        Coding.MIDDLE: lambda n: 64 + n,
        Coding.SIGNED: lambda n: n if n > 0 else 64 - n,
    }[coding]
    hand = desk((FADER, GRAND, {"coding": coding}))
    for steps, level in ((-10, 117), (-5, 112), (3, 115), (40, 127)):
        hand.move(FADER, sends(steps) / 127)
        hand.frame()
        assert grand(hand) == pytest.approx(level / 127)

    # all that comes within a frame counts
    for _ in range(20):
        hand.move(FADER, sends(-1) / 127)
    hand.frame()
    assert grand(hand) == pytest.approx(107 / 127)


# keys


def test_a_key_and_one_that_holds_for_itself_press_a_pad_alike():
    page = next(iter(bare().pages.values()))
    pad = next(tile for tile in page.tiles if isinstance(tile, Pad))
    held = desk((KEY, pad.ref))
    latched = desk((KEY, pad.ref, {"toggles": True}))

    for value in (1.0, 0.0):
        held.move(KEY, value)
        held.frame()
    latched.move(KEY, 1.0)
    latched.frame()
    on = [actions.level_of(d.now_show, d.state, pad.ref) for d in (held, latched)]
    assert on == [1.0, 1.0]

    for value in (1.0, 0.0):
        held.move(KEY, value)
        held.frame()
    latched.move(KEY, 0.0)
    latched.frame()
    off = [actions.level_of(d.now_show, d.state, pad.ref) for d in (held, latched)]
    assert off == [0.0, 0.0]


def test_a_fader_presses_what_can_only_be_pressed_once_as_it_passes_its_middle():
    hand = desk((FADER, to_deed("release")))
    done = []
    for value in (0.1, 0.4, 0.6, 0.7, 0.9, 0.8, 0.55, 0.3, 0.6):
        hand.move(FADER, value)
        done += hand.frame()
    assert [do.edge for do in done] == [Edge.DOWN, Edge.UP, Edge.DOWN]


def test_a_key_that_is_a_control_change_is_not_missed_within_a_frame():
    hand = desk((FADER, BLACKOUT, {"does": Verb.PRESS}))
    hand.move(FADER, 1.0)
    hand.move(FADER, 0.0)
    hand.frame()
    assert hand.state.masters.blackout


def test_a_key_can_bring_something_to_a_level():
    how = {"does": Verb.LEVEL, "answer": Answer(high=0.4)}
    hand = desk((KEY, GRAND, how))
    hand.move(KEY, 1.0)
    hand.frame()
    hand.move(KEY, 0.0)
    hand.frame()
    assert grand(hand) == pytest.approx(0.4)


def test_a_flash_goes_out_with_its_controller():
    show = bare()
    scene = next(iter(show.playables.values()))
    flash = Flash(id="boom", plays=parts(scene.ref), fade_in=0.0, fade_out=0.0)
    show = edits.put(show, "pages", Page(id="own", name="Own", tiles=(flash,)))
    hand = desk((KEY, flash.ref), show=show)
    hand.move(KEY, 1.0)
    hand.frame()
    assert actions.level_of(show, hand.state, flash.ref) == 1.0
    assert all(p.held == ("midi:D;",) for p in hand.state.players if p.held)


# pages and layers


def test_a_control_does_on_each_page_what_it_was_taught_there():
    first, second, *_ = bare().pages
    show = edits.learn(bare(), KEY, BLACKOUT, page=first)
    show = edits.learn(show, KEY, to_deed("release"), page=second)
    show = edits.learn(show, KEY, to_deed("safe"))
    hand = Desk(show)
    for front, target in ((first, BLACKOUT), (second, to_deed("release"))):
        hand.layers.front = front
        hand.move(KEY, 1.0)
        assert [do.ref for do in hand.frame()] == [target]
    hand.layers.front = "another"
    hand.move(KEY, 1.0)
    assert [do.ref for do in hand.frame()] == [to_deed("safe")]


def test_a_layer_holds_while_its_key_is_down():
    show = edits.learn(bare(), KEY, BLACKOUT)
    show = edits.learn(show, KEY, to_deed("undo"), shift=SHIFT.name)
    hand = Desk(show)

    def press() -> list[Ref]:
        hand.move(KEY, 1.0)
        found = [do.ref for do in hand.frame()]
        hand.move(KEY, 0.0)
        hand.frame()
        return found

    assert press() == [BLACKOUT]
    hand.move(SHIFT, 1.0)
    assert press() == [to_deed("undo")]
    hand.move(SHIFT, 0.0)
    assert press() == [BLACKOUT]
    hand.move(SHIFT, 1.0)
    hand.ports_changed({"D": False}, "")  # unplugged with the key held down
    assert press() == [BLACKOUT]


def test_a_key_is_let_go_where_it_was_pressed_though_the_page_was_turned():
    first, second, *_ = bare().pages
    scene = next(iter(bare().playables.values()))
    flash = Flash(id="boom", plays=parts(scene.ref), fade_in=0.0, fade_out=0.0)
    page = bare().pages[first]
    show = edits.put(bare(), "pages", edits.replace(page, tiles=(*page.tiles, flash)))
    show = edits.learn(show, KEY, flash.ref, page=first)
    show = edits.learn(show, KEY, BLACKOUT, page=second)
    hand = Desk(show)
    hand.layers.front = first
    hand.move(KEY, 1.0)
    hand.frame()
    assert actions.level_of(show, hand.state, flash.ref) == 1.0
    hand.layers.front = second
    hand.move(KEY, 0.0)
    hand.frame()
    assert not any(p.held for p in hand.state.players)
    assert not hand.state.masters.blackout


def test_a_device_with_pages_of_its_own_turns_by_its_own_keys():
    first, second, *_ = pages = list(bare().pages)
    show = edits.put(bare(), "surfaces", Surface(id="D", name="D", own_pages=True))
    show = edits.learn(show, SHIFT, Ref(TURN, "next"))
    show = edits.learn(show, KEY, BLACKOUT, page=second)
    hand = Desk(show)
    hand.layers.front = first
    hand.move(KEY, 1.0)
    assert hand.frame() == []
    hand.move(SHIFT, 1.0)
    hand.move(KEY, 1.0)
    assert [do.ref for do in hand.frame()] == [BLACKOUT]
    for _ in pages:
        hand.move(SHIFT, 1.0)
    hand.move(KEY, 1.0)
    assert [do.ref for do in hand.frame()] == [BLACKOUT]  # once round


# lamps that are fixed


def test_lamps_are_turned_without_being_chosen_and_let_go_by_a_press():
    show = bare()
    group = next(iter(show.groups.values()))
    level = to_lamps("Dimmer", Ref(GROUP, group.id))
    assert name_of(show, level).endswith(group.name)
    assert lamps_of(level) == ("Dimmer", Ref(GROUP, group.id))

    hand = desk((FADER, level), (KEY, level, {"does": Verb.PRESS}), show=show)
    hand.move(FADER, 0.5)
    hand.frame()
    held = hands.live_of(hand.state, f"control {level.id}")
    assert held.look == {i: {"Dimmer": 0.5} for i in group.fixtures}
    assert actions.level_of(show, hand.state, level) == 0.5
    hand.ports_changed({"D": False}, "")  # unplugged it stays
    hand.frame()
    assert hands.live_of(hand.state, f"control {level.id}") is not None

    hand.move(KEY, 1.0)
    hand.frame()
    assert hands.live_of(hand.state, f"control {level.id}") is None


def test_lamps_that_are_gone_are_nothing_to_turn():
    gone = to_lamps("Dimmer", Ref(GROUP, "nobody"))
    hand = desk((FADER, gone))
    before = hand.state
    hand.move(FADER, 0.5)
    hand.frame()
    assert hand.state is before


# at speed


def test_of_a_thousand_moves_in_a_frame_the_newest_counts_and_one_is_asked():
    hand = desk((FADER, GRAND, {"answer": Answer(pickup=Pickup.JUMP)}))
    for n in range(1000):
        hand.move(FADER, n / 999)
    assert len(hand.asked) == 1
    hand.frame()
    assert grand(hand) == 1.0
    assert len(hand.told) < 1000


def test_what_was_not_told_at_once_is_told_at_last():
    hand = desk((FADER, GRAND))
    for value in (0.1, 0.2, 0.75):
        hand.move(FADER, value)
    for _ in range(200):
        hand.frame()
        if hand.told[-1].value == 0.75:
            break
        import time

        time.sleep(0.002)
    assert hand.told[-1].value == 0.75


def test_a_move_that_no_frame_took_is_asked_for_again(monkeypatch):
    import choreon.engine.inputs.base as base

    hand = desk((FADER, GRAND, {"answer": Answer(pickup=Pickup.JUMP)}))
    hand.move(FADER, 0.3)
    hand.asked.clear()  # lost
    later = base.time.monotonic() + 2 * LOST
    monkeypatch.setattr(base.time, "monotonic", lambda: later)
    hand.move(FADER, 0.6)
    hand.frame()
    assert grand(hand) == pytest.approx(0.6)


def test_while_something_is_learnt_all_is_told_and_nothing_done():
    hand = desk((FADER, GRAND))
    hand.learning = True
    for n in range(50):
        hand.move(FADER, n / 50)
    assert len(hand.told) == 50
    assert hand.frame() == []


# what is shown


def part(how: Shows, **fields) -> SurfacePart:
    display = Display(how=how, **fields)
    return SurfacePart(id="p", sort=PartSort.PAD, x=0, y=0, shows=display)


def sent(part_, level: float, **fields) -> bytes:
    light = Feedback(GRAND, level, **fields)
    return lights.shown_on(part_, KEY, light).turns[0]


def test_lights_by_three_values_and_by_brightness():
    three = part(Shows.LIGHT, off=0, there=5, on=9)
    assert [sent(three, level)[2] for level in (1.0, 0.0)] == [9, 5]
    assert lights.shown_on(three, KEY, Feedback(GRAND, 0.0)).dark[2] == 0
    levels = part(Shows.LEVELS, off=0, there=7, on=107)
    assert [sent(levels, level)[2] for level in (0.0, 0.5, 1.0)] == [7, 57, 107]


def test_a_colour_is_the_nearest_of_the_table_and_dimmer_while_it_is_off():
    shades = (
        Shade(0, "#000000"),
        Shade(5, "#FF0000"),
        Shade(7, "#300000"),
        Shade(21, "#00FF00"),
        Shade(45, "#0000FF"),
    )
    pad = part(Shows.COLOURS, shades=shades)
    assert sent(pad, 1.0, colour="#F01020")[2] == 5
    assert sent(pad, 0.0, colour="#F01020")[2] == 7
    assert sent(pad, 1.0, colour="#20D030")[2] == 21
    assert lights.shown_on(pad, KEY, Feedback(GRAND, 0.0)).dark[2] == 0


def test_a_mixed_colour_goes_by_its_own_message():
    pad = part(Shows.MIX, bytes="F0 7D 01 {r} {g} {b} F7")
    on, off = (sent(pad, level, colour="#FF0000") for level in (1.0, 0.0))
    assert on == bytes((0xF0, 0x7D, 1, 127, 0, 0, 0xF7))
    assert 0 < off[3] < on[3]
    assert off[4:6] == b"\0\0"


def test_a_line_of_letters_holds_nothing_that_is_no_letter():
    line = part(Shows.TEXT, bytes="F0 7D {text} F7")
    message = sent(line, 1.0, name="Dämmerung")
    assert message == b"\xf0\x7dD?mmerung       \xf7"
    assert all(byte < 128 for byte in message[1:-1])


def test_what_goes_out_blinks_between_on_and_there():
    three = part(Shows.LIGHT)
    shown = lights.shown_on(three, KEY, Feedback(GRAND, 0.0, blinks=True))
    assert [turn[2] for turn in shown.turns] == [127, 20]
    own = part(Shows.LIGHT, blink=3)
    assert lights.shown_on(own, KEY, Feedback(GRAND, 0.0, blinks=True)).turns[0][2] == 3


def test_what_is_let_go_blinks_until_it_is_gone():
    page = next(iter(bare().pages.values()))
    pad = next(tile for tile in page.tiles if isinstance(tile, Pad))
    hand = desk((KEY, pad.ref))
    hand.move(KEY, 1.0)
    hand.frame()
    assert (hand.lit[KEY].level, hand.lit[KEY].blinks) == (1.0, False)
    hand.state = edits.replace(
        hand.state,
        players=tuple(
            edits.replace(p, weight=Envelope(Ramp(1.0, 0.0, hand.now, 5.0)))
            for p in hand.state.players
        ),
    )
    hand.frame()
    assert (hand.lit[KEY].level, hand.lit[KEY].blinks) == (0.0, True)


def test_a_tile_that_asks_once_more_blinks():
    page = next(iter(bare().pages.values()))
    pad = next(tile for tile in page.tiles if isinstance(tile, Pad))
    hand = desk((KEY, pad.ref))
    hand.state = edits.replace(hand.state, asking={pad.id: 99.0})
    hand.frame()
    assert hand.lit[KEY].blinks


def test_a_surface_from_a_stranger_is_looked_through():
    def surface(**fields) -> Surface:
        one = SurfacePart(**{"id": "a", "sort": PartSort.PAD, "x": 0, "y": 0, **fields})
        return Surface(id="D", name="D", parts=(one,))

    assert faults(surface(sends="note 0 36")) == []
    for wrong in (
        {"sends": "note 99 3"},
        {"sends": "blow 0 3"},
        {"sends": "note 0"},
        {"touch": "cc 0 999"},
        {"w": 0},
        {"x": 1e8},
        {"shows": Display(how=Shows.MIX, bytes="F0 ZZ")},
        {"shows": Display(how=Shows.MIX, bytes="00" * 2000)},
    ):
        assert faults(surface(**wrong)), wrong
    twice = edits.replace(surface(), parts=surface().parts * 2)
    assert faults(twice)
    assert len(faults(edits.replace(surface(), parts=surface().parts * 2000))) > 1


@pytest.mark.parametrize("pickup", [Pickup.MEET, Pickup.CATCH])
def test_a_fader_that_is_thrown_up_within_a_frame_takes_its_level_along(pickup):
    """Nobody knew where it stood; its first place, below, is what says that it holds."""
    page = next(iter(bare().pages.values()))
    show = bare()
    scene = next(iter(show.playables.values()))
    fader = Fader(id="f", plays=parts(scene.ref))
    show = edits.put(show, "pages", edits.replace(page, tiles=(fader,)))
    how = {"answer": Answer(pickup=pickup)}
    hand = desk((FADER, fader.ref, how), show=show)
    for value in (0.1, 0.4, 0.8):
        hand.move(FADER, value)
    hand.frame()
    assert actions.level_of(show, hand.state, fader.ref) == pytest.approx(0.8)

    # and one that begins elsewhere does not make it jump
    hand = desk((FADER, fader.ref, how), show=show)
    for value in (0.6, 0.7, 0.75):
        hand.move(FADER, value)
    hand.frame()
    assert actions.level_of(show, hand.state, fader.ref) < 0.5


def test_a_dial_without_an_end_goes_from_place_to_place_where_there_are_few():
    """One of its steps is one place: a part of one would be rounded away for ever."""
    how = {"coding": Coding.TWOS, "answer": Answer(low=0.9, high=0.1, steps=2)}
    hand = desk((FADER, GRAND, how))
    seen = []
    for data in (1, 1, 1, 127):
        hand.move(FADER, data / 127)
        hand.frame()
        seen.append(round(grand(hand), 6))
    assert seen == [0.5, 0.1, 0.1, 0.5]
