"""Random controls tied at random to everything there is, moved at random, with pages
turned, edits and unplugging in between: nothing is raised, numbers stay numbers, and no
light is held by a key that is up.
"""

from __future__ import annotations

import math
import random

import pytest

from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import housekeeping
from choreon.engine.actions.taken import verbs_of
from choreon.engine.do import Do
from choreon.engine.inputs import midi as controls
from choreon.formats.surface_file import named
from choreon.model import edits
from choreon.model.inputs import Answer, Coding, Curve, Pickup, is_key, midi_control
from choreon.model.refs import (
    CHOOSE,
    CHOSEN,
    DEED,
    DEEDS,
    EDIT,
    GROUP,
    PAGE,
    TURN,
    WALK,
    Ref,
    exists,
    to_deed,
    to_lamps,
)
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.state import PlayState
from tests import play
from tests.engine.controls_by_hand import Desk

DEVICE = "D"
KEYS = [midi_control(DEVICE, "note", 0, n) for n in range(6)]
MOVED = [
    *(midi_control(DEVICE, "cc", 0, n) for n in range(6)),
    midi_control(DEVICE, "fine", 0, 9),
    midi_control(DEVICE, "bend", 0, 0),
    midi_control(DEVICE, "pressure", 0, 0),
]


def targets(show) -> list[Ref]:
    """All that a control can act on, what is gone too."""
    found = [tile.ref for page in show.pages.values() for tile in page.tiles]
    found += [master.ref for master in show.masters.values()]
    found += [playable.ref for playable in show.playables.values()]
    found += [to_deed(deed) for deed in DEEDS]
    found += [Ref(TURN, page) for page in (*show.pages, "next", "back")]
    found += [Ref(PAGE, page) for page in show.pages]
    found += [Ref(CHOSEN, "Dimmer"), Ref(CHOSEN, "hue"), Ref(WALK, "next")]
    found += [Ref(EDIT, "undo"), Ref(EDIT, "redo")]
    found += [Ref(CHOOSE, group) for group in show.groups]
    found += [to_lamps(name, Ref(GROUP, g)) for g in show.groups for name in LAMPS]
    return [*found, Ref("tile", "gone"), Ref("scene", "gone"), Ref("what", "x")]


LAMPS = ("Dimmer", "Pan", "Zoom")


def tied_at_random(dice: random.Random):
    show = edits.replace(low_tide(), inputs={})
    wanted = targets(show)
    for control in (*KEYS, *MOVED):
        for _ in range(dice.choice((1, 1, 2, 3))):
            low, high = dice.random(), dice.random()
            answer = Answer(
                low=dice.choice((0.0, low)),
                high=dice.choice((1.0, high)),
                curve=dice.choice(list(Curve)),
                steps=dice.choice((0, 0, 3)),
                pickup=dice.choice(list(Pickup)),
            )
            show = edits.learn(
                show,
                control,
                dice.choice(wanted),
                does=dice.choice([None, None, *Verb]),
                answer=answer,
                coding=dice.choice(list(Coding)),
                toggles=dice.random() < 0.1,
                page=dice.choice(["", "", *show.pages]),
                shift=dice.choice(["", "", KEYS[0].name]),
            )
    own = edits.replace(named("faders-8", DEVICE), own_pages=dice.random() < 0.5)
    return edits.put(show, "surfaces", own)


def numbers_are_numbers(state: PlayState) -> bool:
    levels = [player.level for player in state.players]
    levels += [player.rate for player in state.players]
    levels += [state.masters.grand, state.clock.bpm, state.clock.beat]
    return all(math.isfinite(level) for level in levels)


def move_at_random(hand: Desk, dice: random.Random, down: set) -> None:
    what = dice.random()
    if what < 0.45:
        control = dice.choice(KEYS)
        (down.discard if control in down else down.add)(control)
        hand.move(control, float(control in down))
    elif what < 0.9:
        for _ in range(dice.choice((1, 1, 4))):
            hand.move(dice.choice(MOVED), dice.randrange(128) / 127)
    elif what < 0.95:
        hand.layers.front = dice.choice(list(hand.now_show.pages))
    else:
        page = dice.choice(list(hand.now_show.pages.values()))
        fewer = edits.replace(page, tiles=page.tiles[1:])
        hand.now_show = edits.put(hand.now_show, "pages", fewer)


def test_what_is_said_to_be_taken_is_taken_and_nothing_else():
    """Every verb of every thing there is, against what acting says."""
    show, state = low_tide(), play.blank()
    for ref in targets(show):
        if ref.kind in (TURN, CHOSEN, CHOOSE, EDIT, WALK, PAGE) or not exists(
            show, ref
        ):
            assert not verbs_of(show, ref)
            continue
        taken = verbs_of(show, ref)
        for verb in Verb:
            try:
                actions.perform(show, state, Do(ref, verb, 0.5), 1.0)
            except actions.NotTaken:
                assert verb not in taken, (ref, verb)
            else:  # a deed is done by whatever is asked of it
                assert verb in taken or ref.kind == DEED, (ref, verb)


@pytest.mark.parametrize("seed", range(12))
def test_whatever_is_tied_to_whatever_nothing_breaks_or_stays_held(seed):
    dice = random.Random(seed)
    hand, down = Desk(tied_at_random(dice)), set()
    for _ in range(150):
        move_at_random(hand, dice, down)
        hand.frame()
        hand.state = housekeeping.prune(hand.state, hand.now)
        for control, light in hand.lit.items():
            assert 0.0 <= light.level <= 1.0
            controls.shown_on(None, control, light)
        assert numbers_are_numbers(hand.state)

    for control in list(down):
        hand.move(control, 0.0)
    hand.frame()
    keys_up = [p for p in hand.state.players if f"midi:{DEVICE};" in p.held]
    toggling = any(
        tie.toggles for tie in hand.now_show.inputs.values() if is_key(tie.control)
    )
    assert toggling or not keys_up

    compiled = compile_show(hand.now_show)
    assert render(compiled, hand.state, hand.now).shape[1] == 512
    gone = actions.hands_off(hand.now_show, hand.state, f"midi:{DEVICE};", hand.now)
    assert not any(f"midi:{DEVICE};" in p.held for p in gone.players)
