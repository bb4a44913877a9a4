"""Cues: what is on after each, and the way from one to the next, on numbers and bytes."""

from __future__ import annotations

import random

import numpy as np
import pytest

from choreon.engine import actions, precompiler
from choreon.engine.actions import cues, following, housekeeping, motion
from choreon.engine.actions.following import Wall
from choreon.engine.do import Do
from choreon.engine.dry_run import DryRun
from choreon.engine.precompiler import Precompiler
from choreon.model import edits
from choreon.model.motion import Effect, EffectMode, Rate, Wave
from choreon.model.playables import Scene, Stack, Times
from choreon.model.playables.stack import (
    Cue,
    CueAct,
    Follow,
    FollowKind,
    LampTimes,
    contents,
)
from choreon.model.refs import Ref, to_tile
from choreon.model.show import Show
from choreon.model.tiles import (
    Choice,
    CueDeed,
    CueTile,
    Fader,
    Flash,
    Pad,
    Page,
    Part,
    parts,
)
from choreon.model.verbs import Edge, Verb
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import compose, render
from choreon.render.cue_checks import by_cue
from choreon.render.cue_checks import check as check_cues
from choreon.render.explain import WhyLayer, explain
from choreon.render.state import BeatClock, PlayState, Step
from tests import play
from tests.render import wander

STACK = Ref("stack", "k")


def part(scene: str, level: float = 1.0, *only: str) -> Part:
    return Part(Ref("scene", scene), level, only)


def stack(*them: Cue, **fields) -> Stack:
    fields = {"fade_in": 0.0, "fade_out": 0.0, "guard": 0.0, **fields}
    return Stack(id="k", name="K", cues=them, **fields)


def cue(number: float, *plays: Part, **fields) -> Cue:
    return Cue(id=f"q{number:g}", number=number, plays=plays, **fields)


def room() -> Show:
    """Two dimmers, left and right, and a wash of both."""
    show = Show(id="r", name="R")
    kind = wander.library()["generic-dimmer"]
    show, _ = edits.hang(show, kind, kind.modes[0].name, 2, 1, 1)
    left, right = show.fixtures
    return play.with_scenes(
        show,
        left={left: {"Dimmer": 1.0}},
        right={right: {"Dimmer": 1.0}},
        both={left: {"Dimmer": 1.0}, right: {"Dimmer": 1.0}},
        half={left: {"Dimmer": 0.5}, right: {"Dimmer": 0.5}},
    )


class Hand:
    """One at the controls, with a clock in hand."""

    def __init__(self, show: Show, *playables, clock: BeatClock | None = None) -> None:
        self.show = edits.put(show, "playables", *playables)
        self.compiled: CompiledShow = compile_show(self.show)
        self.state = PlayState(clock=clock or BeatClock())
        self.now = 0.0
        self.wall = 1_000_000.0

    def do(self, verb: Verb, value: float = 1.0, ref: Ref = STACK) -> None:
        do = Do(ref, verb, value)
        self.state = actions.perform(self.show, self.state, do, self.now)

    def go(self) -> None:
        self.do(Verb.GO)

    def wait(self, seconds: float, frames: float = 0.025) -> None:
        """Let time go by, frame by frame."""
        end = self.now + seconds
        while self.now < end - 1e-9:
            step = min(frames, end - self.now)
            self.now += step
            self.wall, before = self.wall + step, self.wall
            self.frame(Wall(self.wall, before))

    def frame(self, wall: Wall | None = None) -> None:
        followed = motion.follow(
            self.compiled, self.state, self.now, wall or Wall(self.wall)
        )
        self.state = play.prune(followed, self.now)

    def edit(self, *playables) -> None:
        before, self.show = self.compiled, edits.put(self.show, "playables", *playables)
        self.compiled = compile_show(self.show, before)
        self.state = motion.carried(before, self.compiled, self.state, self.now)

    @property
    def slots(self) -> list[int]:
        """What the first slots get."""
        return render(self.compiled, self.state, self.now)[0, :2].tolist()

    @property
    def levels(self) -> list[float]:
        canvas = compose(self.compiled, self.state, self.now)
        return [round(float(v), 4) for v in canvas.values[:2]]

    @property
    def cue(self) -> str:
        for player in self.state.players:
            cursor = cues.cursor_of(player)
            if cursor is not None and player.ref == STACK:
                return cursor.cue
        return ""


# what is on


def test_a_cue_is_a_state_and_not_a_change():
    hand = Hand(room(), stack(cue(1, part("left")), cue(2, part("right"))))
    hand.go()
    assert hand.slots == [255, 0]
    hand.go()
    assert hand.slots == [0, 255]
    hand.do(Verb.BACK)
    assert hand.slots == [255, 0]


def test_what_is_left_there_stays_till_it_is_named_again():
    kept = stack(
        cue(1, part("left")),
        cue(2, part("right", 0.5), leaves=True),
        cue(3, part("left", 0.0), leaves=True),
        cue(4, part("both"), leaves=False),
    )
    hand = Hand(room(), kept)
    seen = []
    for _ in kept.cues:
        hand.go()
        seen.append(hand.levels)
    assert seen == [[1.0, 0.0], [1.0, 0.5], [0.0, 0.5], [1.0, 1.0]]


def test_of_looks_that_are_left_there_the_later_value_wins():
    looks = stack(
        cue(1, look={"a": {"Dimmer": 1.0, "Zoom": 10.0}}),
        cue(2, look={"a": {"Zoom": 20.0}, "b": {"Dimmer": 0.5}}, leaves=True),
    )
    there = contents(looks, looks.cues[1])
    assert there.look == {"a": {"Dimmer": 1.0, "Zoom": 20.0}, "b": {"Dimmer": 0.5}}


def test_a_stack_leaves_alone_what_is_not_its_own():
    hand = Hand(room(), stack(cue(1, part("left")), cue(2)))
    hand.do(Verb.PRESS, ref=Ref("scene", "half"))
    hand.wait(3.0)
    hand.go()
    assert hand.levels == [1.0, 0.5]
    hand.go()  # a blackout of the stack
    assert hand.levels == [0.5, 0.5]


# times, by hand


def test_levels_that_rise_and_levels_that_fall_have_their_own_times():
    hand = Hand(
        room(),
        stack(
            cue(1, part("left")),
            cue(2, part("right"), fade_in=2.0, fade_out=4.0, delay_in=1.0),
        ),
    )
    hand.go()
    hand.go()
    hand.wait(2.0)
    assert hand.levels == [0.5, 0.5]
    hand.wait(1.0)
    assert hand.levels == [0.25, 1.0]
    hand.wait(1.0)
    assert hand.levels == [0.0, 1.0]


def test_the_first_cue_comes_in_its_own_time():
    hand = Hand(room(), stack(cue(1, part("both"), fade_in=4.0, delay_in=1.0)))
    hand.go()
    assert hand.levels == [0.0, 0.0]
    hand.wait(3.0)
    assert hand.levels == [0.5, 0.5]


def test_a_cue_without_times_has_those_of_the_stack():
    hand = Hand(room(), stack(cue(1, part("left")), cue(2), fade_in=2.0, fade_out=1.0))
    hand.go()
    hand.wait(1.0)
    assert hand.levels == [0.5, 0.0]
    hand.wait(1.0)
    hand.go()
    hand.wait(0.5)
    assert hand.levels == [0.5, 0.0]


def test_one_side_in_a_second_the_other_in_three():
    show = room()
    left = next(iter(show.fixtures))
    sides = LampTimes(of=(Ref("fixture", left),), fade_in=1.0)
    hand = Hand(show, stack(cue(1, part("both"), fade_in=3.0, lamps=(sides,))))
    hand.go()
    hand.wait(0.75)
    assert hand.levels == [0.75, 0.25]
    hand.wait(1.5)
    assert hand.levels == [1.0, 0.75]


def test_lamps_with_their_own_times_that_are_left_half_way_do_not_jump():
    show = room()
    left = next(iter(show.fixtures))
    sides = LampTimes(of=(Ref("fixture", left),), fade_in=1.0, fade_out=4.0)
    hand = Hand(
        show,
        stack(
            cue(1, part("both"), fade_in=3.0, lamps=(sides,)),
            cue(2, fade_out=1.0, lamps=(sides,)),
        ),
    )
    hand.go()
    hand.wait(0.75)
    before = hand.levels
    hand.go()
    assert hand.levels == before == [0.75, 0.25]
    hand.wait(1.0)
    assert hand.levels == [0.5625, 0.0]


def test_a_blackout_in_no_time_and_one_after_a_fade():
    hand = Hand(room(), stack(cue(1, part("both"), fade_in=2.0), cue(2), cue(3)))
    hand.go()
    hand.wait(1.0)
    assert hand.levels == [0.5, 0.5]
    hand.go()
    assert hand.levels == [0.0, 0.0]
    hand.do(Verb.BACK)
    hand.wait(1.0)
    assert hand.levels == [0.5, 0.5]


def test_go_and_back_half_way_go_on_from_what_is_seen():
    hand = Hand(
        room(),
        stack(
            cue(1, part("left")),
            cue(2, part("right"), fade_in=2.0, fade_out=2.0),
            cue(3, part("both"), fade_in=2.0),
        ),
    )
    hand.go()
    hand.go()
    hand.wait(1.0)
    assert hand.levels == [0.5, 0.5]
    hand.go()
    assert hand.levels == [0.5, 0.5]
    hand.wait(1.0)
    assert hand.levels == [0.75, 0.75]
    hand.do(Verb.BACK)
    hand.wait(1.0)
    assert hand.levels == [0.375, 0.875]


def test_two_goes_in_a_fade_whose_delay_has_not_begun():
    hand = Hand(
        room(),
        stack(
            cue(1, part("left")),
            cue(2, part("right"), delay_in=5.0, delay_out=5.0, fade_in=1.0),
            cue(3, part("half"), fade_in=1.0, fade_out=1.0),
        ),
    )
    hand.go()
    hand.go()
    hand.wait(0.5)
    assert hand.levels == [1.0, 0.0]
    hand.go()
    assert hand.levels == [1.0, 0.0]
    hand.wait(0.5)
    assert hand.levels == [0.75, 0.25]


def test_what_two_cues_share_goes_on_without_a_dip_and_keeps_its_place():
    show = room()
    wave = Wave(low=0.0, high=1.0, rate=Rate(seconds=4.0))
    breath = Scene(
        id="breath",
        name="B",
        look={i: {"Dimmer": 0.0} for i in show.fixtures},
        effects=(Effect(id="e", motion=wave, fixtures=tuple(show.fixtures)),),
    )
    shared = stack(
        cue(1, part("breath"), fade_in=0.0),
        cue(2, part("breath"), part("half"), fade_in=3.0, fade_out=3.0),
    )
    hand = Hand(show, breath, shared)
    hand.go()
    alone = Hand(show, breath)
    alone.do(Verb.START, ref=Ref("scene", "breath"))
    for _ in range(10):
        hand.wait(0.13)
        alone.wait(0.13)
        assert hand.levels == alone.levels
    hand.go()
    for _ in range(40):
        hand.wait(0.1)
        alone.wait(0.1)
        assert all(
            here >= there for here, there in zip(hand.levels, alone.levels, strict=True)
        )


def test_a_pulse_in_both_cues_scales_once():
    """Done once a look it would leave 0.56 half-way."""
    show = room()
    wave = Wave(low=0.5, high=0.5, mode=EffectMode.SCALES, rate=Rate(seconds=1.0))
    dims = Scene(
        id="dims",
        name="D",
        effects=(Effect(id="e", motion=wave, fixtures=tuple(show.fixtures)),),
    )
    pulsing = stack(
        cue(1, part("dims")),
        cue(2, part("dims"), fade_in=2.0, fade_out=5.0),
        cue(3, part("both"), part("dims"), fade_in=2.0),
    )
    hand = Hand(show, dims, pulsing)
    hand.do(Verb.START, ref=Ref("scene", "both"))
    hand.go()
    assert hand.levels == [0.5, 0.5]
    hand.go()
    for _ in range(8):
        hand.wait(0.3)
        assert hand.levels == [0.5, 0.5]
    hand.go()
    hand.wait(3.0)
    assert hand.levels == [0.5, 0.5]  # what lies below it in its own cue, too


# GO, and what it is not


def test_a_second_go_within_the_guard_is_not_two():
    hand = Hand(room(), stack(cue(1), cue(2), cue(3), guard=0.25))
    hand.go()
    hand.go()
    assert hand.cue == "q1"
    hand.wait(0.3)
    hand.go()
    hand.go()
    assert hand.cue == "q2"


def test_go_at_the_end_stays_there():
    hand = Hand(room(), stack(cue(1), cue(2, part("left"))))
    for _ in range(5):
        hand.go()
    assert hand.cue == "q2"
    assert hand.levels == [1.0, 0.0]


def test_any_cue_can_be_gone_to_or_be_made_the_next():
    hand = Hand(room(), stack(*(cue(n) for n in range(1, 6))))
    hand.go()
    hand.do(Verb.STEP, 3.0)
    assert hand.cue == "q4"
    hand.do(Verb.READY, 1.0)
    assert hand.cue == "q4"
    hand.go()
    assert hand.cue == "q2"
    hand.go()
    assert hand.cue == "q3"
    for nowhere in (-1.0, 99.0, 1e9):
        hand.do(Verb.STEP, nowhere)
        assert hand.cue == "q3"


def test_held_fades_and_waits_stand_and_go_on():
    hand = Hand(
        room(),
        stack(
            cue(1, part("both"), fade_in=2.0),
            cue(2, part("left"), follow=Follow(FollowKind.COMPLETE, 1.0)),
        ),
    )
    hand.go()
    hand.wait(1.0)
    hand.do(Verb.HOLD)
    hand.wait(7.0)
    assert hand.levels == [0.5, 0.5]
    hand.do(Verb.HOLD)
    hand.wait(0.5)
    assert hand.levels == [0.75, 0.75]
    hand.wait(1.4)
    assert hand.cue == "q1"
    hand.wait(0.2)
    assert hand.cue == "q2"


def test_the_rate_divides_what_is_left():
    hand = Hand(
        room(),
        stack(
            cue(1, part("both"), fade_in=4.0),
            cue(2, follow=Follow(FollowKind.BEGUN, 6.0)),
        ),
    )
    hand.go()
    hand.wait(2.0)
    assert hand.levels == [0.5, 0.5]
    hand.do(Verb.RATE, 2.0)
    assert hand.levels == [0.5, 0.5]
    hand.wait(0.5)
    assert hand.levels == [0.75, 0.75]
    hand.wait(1.4)  # 2 + 1.9 · 2 = 5.8 of its 6 seconds
    assert hand.cue == "q1"
    hand.wait(0.2)
    assert hand.cue == "q2"


# what follows


@pytest.mark.parametrize(
    ("follow", "comes"),
    [
        (Follow(FollowKind.BEGUN, 2.5), 2.5),
        (Follow(FollowKind.COMPLETE, 0.5), 3.5),
        (Follow(FollowKind.BEAT, 3), 1.5),  # at 120 a minute
        (Follow(FollowKind.BAR, 2), 4.0),
    ],
)
def test_a_cue_comes_by_itself(follow, comes):
    hand = Hand(
        room(),
        stack(cue(1, part("left"), fade_in=3.0, fade_out=9.0), cue(2, follow=follow)),
    )
    hand.go()
    hand.wait(comes - 0.03)
    assert hand.cue == "q1"
    hand.wait(0.06)
    assert hand.cue == "q2"


def test_a_cue_that_only_takes_away_is_complete_when_that_is_done():
    hand = Hand(
        room(),
        stack(
            cue(1, part("left")),
            cue(2, fade_in=9.0, fade_out=1.0),
            cue(3, part("right"), follow=Follow(FollowKind.COMPLETE)),
        ),
    )
    hand.go()
    hand.go()
    hand.wait(0.9)
    assert hand.cue == "q2"
    hand.wait(0.2)
    assert hand.cue == "q3"


def test_a_beat_is_waited_for_at_the_tempo_as_it_is_now():
    hand = Hand(room(), stack(cue(1), cue(2, follow=Follow(FollowKind.BEAT, 4))))
    hand.go()
    hand.wait(1.0)  # two beats
    hand.do(Verb.BPM, 60.0, Ref("master", "tempo"))
    hand.wait(1.9)
    assert hand.cue == "q1"
    hand.wait(0.2)
    assert hand.cue == "q2"


def test_twenty_that_follow_each_other_keep_their_sum():
    """Counted from when each was due, not from the frame that played it."""
    each = [cue(n, follow=Follow(FollowKind.BEGUN, 0.1)) for n in range(2, 22)]
    hand = Hand(room(), stack(cue(1), *each))
    hand.go()
    hand.wait(1.995, frames=0.0237)
    assert hand.cue == "q20"
    hand.wait(0.01)
    assert hand.cue == "q21"
    player = next(p for p in hand.state.players if p.ref == STACK)
    cursor = cues.cursor_of(player)
    assert cursor is not None
    assert cursor.going.at == pytest.approx(2.0)


def test_back_waits_for_go():
    hand = Hand(
        room(), stack(cue(1), cue(2, follow=Follow(FollowKind.BEGUN, 1.0)), cue(3))
    )
    hand.go()
    hand.wait(1.1)
    assert hand.cue == "q2"
    hand.do(Verb.BACK)
    hand.wait(5.0)
    assert hand.cue == "q1"
    hand.go()
    assert hand.cue == "q2"


def test_away_for_long_it_holds_and_says_so():
    follows = stack(
        cue(1), *(cue(n, follow=Follow(FollowKind.BEGUN, 1.0)) for n in (2, 3))
    )
    hand = Hand(room(), follows)
    hand.go()
    hand.frame()
    hand.now += 2.5  # a stall of less than two seconds beyond: all of it, in order
    hand.frame()
    assert hand.cue == "q3"

    hand = Hand(room(), follows)
    hand.go()
    hand.frame()
    hand.now += 60.0
    hand.frame()
    assert hand.cue == "q1"
    cursor = cues.cursor_of(hand.state.players[0])
    assert cursor is not None
    assert cursor.missed
    assert cursor.waits


def at_clock(hour: int, minute: int = 0) -> Follow:
    return Follow(FollowKind.CLOCK, 3600.0 * hour + 60.0 * minute)


def midnight(wall: float) -> float:
    return following.next_time(0.0, wall)


def test_a_time_of_day_also_across_midnight():
    hand = Hand(room(), stack(cue(1), cue(2, follow=at_clock(0, 1))))
    hand.wall = midnight(hand.wall) - 30.0
    hand.go()
    hand.wait(89.0, frames=0.5)
    assert hand.cue == "q1"
    hand.wait(2.0, frames=0.5)
    assert hand.cue == "q2"


def test_the_clock_on_the_wall_is_set():
    timed = stack(cue(1), cue(2, follow=at_clock(12)), cue(3, follow=at_clock(12)))
    noon = following.next_time(43_200.0, 1_000_000.0)

    hand = Hand(room(), timed)
    hand.wall = noon - 600.0
    hand.go()
    hand.wait(1.0)
    hand.wall += 3600.0  # over it: it comes, once
    hand.frame(Wall(hand.wall, hand.wall - 3600.0))
    assert hand.cue == "q2"
    hand.wall -= 3600.0  # and back after it came: the next one waits for noon
    hand.wait(5.0)
    assert hand.cue == "q2"

    missed = Hand(room(), timed)
    missed.wall = noon - 600.0
    missed.go()
    missed.frame()
    missed.wall = noon + 61.0  # nobody looked meanwhile
    missed.now += 661.0
    missed.frame(Wall(missed.wall))
    assert missed.cue == "q1"

    late = Hand(room(), timed)
    late.wall = noon - 600.0
    late.go()
    late.frame()
    late.wall = noon + 20.0
    late.now += 620.0
    late.frame(Wall(late.wall))
    assert late.cue == "q2"


# besides


def test_a_cue_does_things_besides():
    show = room()
    acts = (
        CueAct(Ref("scene", "half"), Verb.SWITCH),
        CueAct(Ref("master", "grand"), Verb.LEVEL, 0.5),
        CueAct(Ref("master", "tempo"), Verb.BPM, 90.0),
    )
    hand = Hand(show, stack(cue(1, part("left")), cue(2, part("left"), does=acts)))
    hand.go()
    hand.go()
    hand.wait(3.0)
    assert hand.levels == [0.5, 0.25]
    assert hand.state.clock.bpm == 90.0
    hand.do(Verb.BACK)
    assert hand.state.masters.grand == 0.5


def test_stacks_that_start_each_other_in_a_ring_come_to_an_end():
    other = Ref("stack", "m")
    one = stack(*(cue(n, does=(CueAct(other, Verb.GO),)) for n in (1, 2, 3)))
    two = edits.replace(
        stack(*(cue(n, does=(CueAct(STACK, Verb.GO),)) for n in (1, 2, 3))), id="m"
    )
    hand = Hand(room(), one, two)
    hand.go()
    assert hand.cue in ("q1", "q2")
    hand.wait(1.0)
    hand.go()
    places = {
        player.ref.id: cues.cursor_of(player).cue  # type: ignore[union-attr]
        for player in hand.state.players
    }
    assert set(places) == {"k", "m"}


def test_undo_takes_go_for_a_press():
    hand = Hand(room(), stack(cue(1, part("left")), cue(2, part("right"))))
    hand.go()
    hand.wait(1.0)
    hand.go()
    assert hand.slots == [0, 255]
    hand.do(Verb.PRESS, ref=Ref("deed", "undo"))
    hand.wait(0.1)
    assert hand.cue == "q1"
    assert hand.slots == [255, 0]


# edits of what is on


def test_an_edit_of_the_cue_that_is_on_is_gone_over_to():
    hand = Hand(room(), stack(cue(1, part("left"))))
    hand.go()
    hand.wait(1.0)
    hand.edit(stack(cue(1, part("right"))))
    assert hand.levels == [1.0, 0.0]
    hand.wait(0.25)
    assert hand.levels == [0.5, 0.5]
    hand.wait(0.25)
    assert hand.levels == [0.0, 1.0]


def test_an_edit_elsewhere_changes_nothing_of_what_is_on():
    hand = Hand(room(), stack(cue(1, part("left")), cue(2)))
    hand.go()
    before = hand.state
    hand.edit(stack(cue(1, part("left"), name="Dusk"), cue(2, part("both"))))
    assert hand.state is before


def test_a_cue_deleted_while_it_is_on_stays_till_it_is_left():
    hand = Hand(room(), stack(cue(1), cue(2, part("left")), cue(3, part("right"))))
    hand.go()
    hand.go()
    assert hand.levels == [1.0, 0.0]
    hand.edit(stack(cue(1), cue(3, part("right"))))
    hand.wait(1.0)
    assert hand.levels == [1.0, 0.0]
    hand.go()
    assert hand.cue == "q3"


def test_a_cue_put_in_between_comes_next():
    hand = Hand(room(), stack(cue(12), cue(13)))
    hand.go()
    hand.edit(stack(cue(12), cue(12.5), cue(13)))
    hand.go()
    assert hand.cue == "q12.5"


# within each other


def test_a_stack_within_a_cue_goes_on_by_what_follows_alone():
    inner = Stack(
        id="inner",
        name="I",
        fade_in=0.0,
        fade_out=0.0,
        cues=(
            cue(1, part("left")),
            cue(2, part("right"), follow=Follow(FollowKind.BEGUN, 2.0), fade_in=1.0),
            cue(3, part("both")),
        ),
    )
    hand = Hand(room(), inner, stack(cue(1, Part(inner.ref))))
    hand.go()
    assert hand.levels == [1.0, 0.0]
    hand.wait(2.5)
    assert hand.levels[1] == pytest.approx(0.5, abs=1e-3)
    hand.wait(30.0, frames=0.5)
    assert hand.levels == [0.0, 1.0]


def test_a_stack_within_itself_is_dark_there_and_told():
    from choreon.model.checks import check

    hand = Hand(room(), stack(cue(1, Part(STACK), part("left"))))
    hand.go()
    assert hand.levels == [1.0, 0.0]
    assert any("contains itself" in problem.text for problem in check(hand.show))


def test_a_master_over_a_scene_in_a_chase_in_a_cue():
    from choreon.model.masters import GroupMaster
    from choreon.model.playables import Chase
    from choreon.model.playables.chase import ChaseStep

    show = room()
    master = GroupMaster(id="m", name="M", over=(Ref("scene", "left"),))
    show = edits.put(show, "masters", master)
    steps = (ChaseStep(id="a", plays=Ref("scene", "left")),)
    chase = Chase(id="c", name="C", steps=steps)
    hand = Hand(show, chase, stack(cue(1, Part(chase.ref), part("right"))))
    hand.go()
    hand.state = play.set_masters(hand.state, levels={"m": 0.25})
    assert hand.levels == [0.25, 1.0]


# families


def test_families_come_in_their_own_times():
    show = Show(id="r", name="R")
    kind = wander.library()["ostrey-wash-90"]
    show, _ = edits.hang(show, kind, kind.modes[0].name, 1, 1, 1)
    head = next(iter(show.fixtures))
    show = play.with_scenes(
        show,
        a={head: {"Dimmer": 1.0, "Pan": 0.0, "Tilt": 0.0, "Zoom": 10.0}},
        b={head: {"Dimmer": 1.0, "Pan": 40.0, "Tilt": 20.0, "Zoom": 30.0}},
    )
    times = {"position": Times(delay=1.0, fade=2.0)}
    hand = Hand(
        show, stack(cue(1, part("a")), cue(2, part("b"), fade_in=4.0, times=times))
    )
    hand.go()
    hand.go()
    hand.wait(2.0)
    rig = hand.compiled.rig
    values = compose(hand.compiled, hand.state, hand.now).values
    here = {
        name: values[row] for name, row in zip(rig.names, range(rig.size), strict=True)
    }
    assert here["Pan"] == pytest.approx(20.0, abs=1e-6)
    assert here["Zoom"] == pytest.approx(20.0, abs=1e-6)


# random shows


def still_show(dice: random.Random) -> Show:
    """Lamps and scenes, none of which moves."""
    show = wander.show_of(dice)
    stand = [
        edits.replace(p, effects=())
        for p in show.playables.values()
        if isinstance(p, Scene)
    ]
    return edits.put(show, "playables", *stand)


def random_stack(dice: random.Random, show: Show, count: int = 6) -> Stack:
    """Cues of scenes at levels, of some families, of looks of their own."""
    scenes = [p for p in show.playables if p.startswith("s")]
    made = []
    for n in range(count):
        only = dice.choice([(), (), (), ("intensity",), ("colour", "position")])
        plays = tuple(
            Part(Ref("scene", i), dice.choice([1.0, 1.0, 0.4, dice.random()]), only)
            for i in dice.sample(scenes, dice.randint(0, 3))
        )
        made.append(
            Cue(
                id=f"q{n}",
                number=float(n + 1),
                plays=plays,
                look=wander._look(dice, show) if dice.random() < 0.3 else {},
                leaves=dice.random() < 0.25,
                fade_in=dice.uniform(*wander.FADES),
                fade_out=dice.uniform(*wander.FADES),
                delay_in=dice.choice([0.0, dice.random()]),
                delay_out=dice.choice([0.0, dice.random()]),
                times=wander._times(dice),
                lamps=random_sides(dice, show),
                follow=dice.choice(
                    [Follow(), Follow(), Follow(FollowKind.BEGUN, dice.uniform(0.2, 2))]
                ),
            )
        )
    return stack(*made, fade_in=2.0, fade_out=2.0)


def random_sides(dice: random.Random, show: Show) -> tuple[LampTimes, ...]:
    if dice.random() < 0.6:
        return ()
    lamps = dice.sample(list(show.fixtures), 2)
    return tuple(
        LampTimes(
            of=(Ref("fixture", lamp),),
            fade_in=dice.uniform(*wander.FADES),
            fade_out=dice.uniform(*wander.FADES),
            delay_in=dice.random(),
        )
        for lamp in lamps
    )


def lit_bytes(hand: Hand) -> tuple[np.ndarray, np.ndarray]:
    """All values, and which of them belong to lamps that are lit."""
    canvas = compose(hand.compiled, hand.state, hand.now)
    rig = hand.compiled.rig
    light = np.append(canvas.values[: rig.intensities], 1.0)
    lights = np.concatenate([rig.light, rig.channel_light])
    lit = light[np.minimum(lights, rig.intensities)] > 1e-6
    shares = canvas.raw_share if canvas.driven else np.zeros(rig.channels)
    lit[rig.size :] &= shares > 1e-9
    return canvas.values, lit


@pytest.mark.parametrize("seed", range(40))
def test_go_to_n_and_play_through_to_n_give_the_same_light(seed):
    dice = random.Random(seed)
    show = still_show(dice)
    random_one = random_stack(dice, show)
    unfollowed = edits.replace(
        random_one,
        cues=tuple(edits.replace(c, follow=Follow()) for c in random_one.cues),
    )
    through, there = Hand(show, unfollowed), Hand(show, unfollowed)
    for place in range(len(unfollowed.cues)):
        through.go()
        through.wait(dice.choice([0.4, 9.0]), frames=0.2)
        if place and dice.random() < 0.3:
            through.do(Verb.BACK)
            through.wait(dice.uniform(0.1, 5.0), frames=0.2)
            through.go()
        if not there.state.players:
            there.go()
        there.do(Verb.STEP, float(place))
        through.wait(9.0, frames=1.0)
        there.wait(9.0, frames=1.0)
        (values, lit), (others, lit_there) = lit_bytes(through), lit_bytes(there)
        assert (lit == lit_there).all()
        assert np.abs(values - others)[lit].max(initial=0.0) < 1e-9


@pytest.mark.parametrize("seed", range(40))
def test_a_cue_of_what_is_on_gives_the_same_light(seed):
    """Players at levels, and one cue of the same things at those levels."""
    dice = random.Random(100 + seed)
    show = wander.show_of(dice) if seed % 2 else still_show(dice)
    scenes = [p for p in show.playables if p.startswith("s")]
    plays = tuple(
        Part(Ref("scene", i), dice.choice([1.0, 0.4, dice.random()]))
        for i in dice.sample(scenes, dice.randint(1, 5))
    )
    hand = Hand(show, stack(Cue(id="q", number=1.0, plays=plays)))
    beside = Hand(show, stack(Cue(id="q", number=1.0, plays=plays)))
    hand.go()
    for one in plays:
        beside.do(Verb.START, ref=one.ref)
        player = next(p for p in beside.state.players if p.ref == one.ref)
        beside.do(Verb.LEVEL, one.level, Ref("player", player.id))
    for _ in range(3):
        hand.wait(0.37)
        beside.wait(0.37)
        ours = render(hand.compiled, hand.state, hand.now)
        theirs = render(beside.compiled, beside.state, beside.now)
        assert (ours == theirs).all()


class CueWalk(wander.Walk):
    """Random hands on a stack, beside pads and faders."""

    def _show_of(self, dice: random.Random) -> Show:
        show = wander.show_of(dice)
        made = random_stack(dice, show)
        self.stack = made
        return edits.put(show, "playables", made)

    def next_deed(self) -> tuple[str, str, float]:
        if self.dice.random() < 0.3:
            return super().next_deed()
        what = self.dice.choice(
            ["go"] * 6 + ["go back", "hold", "to", "pace", "edit", "halt"]
        )
        return what, "", self.dice.random()

    def act(self, state, what, tile, value, now):
        verb = {
            "go": Verb.GO,
            "go back": Verb.BACK,
            "hold": Verb.HOLD,
            "to": Verb.STEP,
            "pace": Verb.RATE,
            "halt": Verb.RELEASE,
        }.get(what)
        if what == "edit":
            return self._edited(state, value, now)
        if verb is None:
            return super().act(state, what, tile, value, now)
        self.state, self.now = state, now
        own = next((p for p in state.players if p.ref == STACK), None)
        ref = STACK
        if verb in (Verb.HOLD, Verb.RATE, Verb.RELEASE):
            if own is None:
                return state
            ref = Ref("player", own.id)
        number = {"to": float(int(value * 6)), "pace": 0.6 + 0.6 * value}.get(what, 1.0)
        do = Do(ref, verb, number)
        ways = self.ahead.ask([do])[do.ref]
        return actions.perform(self.show, state, do, now, ways)

    def meanwhile(self, before, state, now):
        """Lamps that are dark go ahead, and stop when anything begins."""
        state = housekeeping.calmed(state, before, now)
        if int(now * 250) % 25 == 0:  # ten times a second
            self.state, self.now = state, now
            self.ahead.foresee()
            ready = self.ahead.ready(state)
            if ready is not None:
                self.went_ahead += 1
                return edits.replace(state, ready=ready)
        return state

    went_ahead = 0

    def _edited(self, state, value, now):
        place = int(value * len(self.stack.cues))
        other = self.stack.cues[(place + 1) % len(self.stack.cues)]
        changed = edits.replace(self.stack.cues[place], plays=other.plays)
        them = [*self.stack.cues]
        them[place] = changed
        self.stack = edits.replace(self.stack, cues=tuple(them))
        self.show = edits.put(self.show, "playables", self.stack)
        before = self.compiled
        self.state, self.now = state, now
        self.compiled = self.ahead.adopt(self.show)
        return motion.carried(before, self.compiled, state, now)


@pytest.mark.parametrize("seed", [0, 4])
def test_no_lit_lamp_jumps_by_any_hand_on_a_stack(seed):
    walk = CueWalk(random.Random(seed))
    worst = walk.scan(step=0.004)
    assert worst.step <= worst.allowed, worst.story


@pytest.mark.parametrize("seed", range(6))
def test_the_trace_tells_the_same_light_of_cues(seed):
    assert CueWalk(random.Random(50 + seed)).apart() < 1e-9


def test_steps_of_a_stack_stay_few_however_often_go_is_pressed():
    hand = Hand(
        room(),
        stack(*(cue(n, part("left", n / 99)) for n in range(1, 99)), fade_in=5.0),
    )
    for _ in range(97):
        hand.go()
        hand.wait(0.01, frames=0.01)
    player = next(p for p in hand.state.players if p.ref == STACK)
    assert len(player.steps) <= cues.LONGEST_CHAIN
    assert Step(ref=STACK) != player.steps[-1]


# tiles


def page_of(*tiles) -> Page:
    return Page(id="p", name="P", tiles=tiles)


def test_tiles_are_go_and_back_of_a_stack_wherever_it_is_on():
    show = edits.put(
        room(),
        "pages",
        page_of(
            CueTile(id="go", of=STACK),
            CueTile(id="back", of=STACK, does=CueDeed.BACK),
            CueTile(id="list", of=STACK, does=CueDeed.LIST),
            Pad(id="pad", plays=parts(STACK)),
        ),
    )
    hand = Hand(show, stack(cue(1, part("left")), cue(2), cue(3, part("right"))))
    go, back, listed = (to_tile(i) for i in ("go", "back", "list"))
    hand.do(Verb.PRESS, ref=back)
    assert not hand.state.players
    hand.do(Verb.PRESS, ref=go)
    assert hand.cue == "q1"
    hand.do(Verb.PRESS, ref=listed)
    assert hand.cue == "q2"
    hand.do(Verb.GO, ref=go)
    assert hand.cue == "q3"
    hand.do(Verb.PRESS, ref=back)
    assert hand.cue == "q2"
    hand.do(Verb.RELEASE, ref=go)
    assert all(player.releasing for player in hand.state.players)
    hand.wait(0.1)

    # one that a pad brought in is the same stack
    hand.do(Verb.PRESS, ref=to_tile("pad"))
    hand.do(Verb.PRESS, ref=go)
    assert hand.cue == "q2"
    assert len(hand.state.players) == 1
    hand.do(Verb.PRESS, ref=to_tile("pad"))
    hand.wait(0.1)
    assert not hand.state.players


def test_letting_a_key_up_is_no_second_go():
    show = edits.put(room(), "pages", page_of(CueTile(id="go", of=STACK)))
    hand = Hand(show, stack(cue(1), cue(2)))
    for edge in (Edge.DOWN, Edge.UP):
        do = Do(to_tile("go"), Verb.PRESS, 1.0, edge)
        hand.state = actions.perform(hand.show, hand.state, do, hand.now)
    assert hand.cue == "q1"


def test_a_fader_and_a_flash_bring_the_first_cue_at_once():
    show = edits.put(
        room(),
        "pages",
        page_of(Fader(id="f", plays=parts(STACK)), Flash(id="x", plays=parts(STACK))),
    )
    hand = Hand(show, stack(cue(1, part("left"), fade_in=9.0)))
    hand.do(Verb.LEVEL, 0.5, to_tile("f"))
    assert hand.levels == [0.5, 0.0]
    hand.do(Verb.PRESS, ref=to_tile("x"))
    assert hand.levels == [1.0, 0.0]


def test_a_choice_of_a_scene_and_a_stack_is_one_crossfade():
    show = edits.put(
        room(),
        "pages",
        page_of(Choice(id="c", plays=parts(Ref("scene", "left"), STACK))),
    )
    hand = Hand(show, stack(cue(1, part("right"), fade_in=2.0, fade_out=2.0)))
    hand.do(Verb.STEP, 0.0, to_tile("c"))
    hand.wait(3.0)
    hand.do(Verb.STEP, 1.0, to_tile("c"))
    hand.wait(1.0)
    assert hand.levels == [0.5, 0.5]
    hand.wait(1.0)
    assert hand.levels == [0.0, 1.0]


# the check, and the dry run


def test_the_check_finds_what_is_to_be_looked_at():
    show = room()
    kind = wander.library()["ostrey-wash-90"]
    show, _ = edits.hang(show, kind, kind.modes[0].name, 1, 1, 20)
    head = list(show.fixtures)[-1]
    show = edits.put(
        show,
        "playables",
        Scene(id="a", name="a", look={head: {"Dimmer": 1.0, "Pan": 0.0}}),
        Scene(id="b", name="b", look={head: {"Dimmer": 0.5, "Pan": 40.0}}),
        Scene(id="dark", name="dark", look={head: {"Dimmer": 0.0, "Pan": 90.0}}),
    )
    checked = stack(
        cue(1, part("a")),
        cue(2, part("b"), fade_in=4.0),
        cue(3, part("b")),
        cue(4, part("dark"), follow=Follow(FollowKind.BEGUN, 1.0), fade_in=9.0),
        cue(5, part("a"), follow=Follow(FollowKind.BEGUN, 2.0)),
        cue(6, part("nobody")),
    )
    compiled = compile_show(edits.put(show, "playables", checked))
    texts = by_cue(check_cues(compiled, checked))
    assert any("seen moving, for 4.0 s" in text for text in texts["q2"])
    assert any("changes nothing" in text for text in texts["q3"])
    assert "q4" not in texts  # it goes there in the dark
    assert any("overtaken" in text for text in texts["q5"])
    assert any("gone" in text for text in texts["q6"])
    alone = stack(cue(1, part("dark")))
    compiled = compile_show(edits.put(show, "playables", alone))
    assert "never any light" in check_cues(compiled, alone)[0].text


def test_a_dry_run_plays_as_the_stage_does():
    show = edits.put(
        room(),
        "playables",
        stack(
            cue(1, part("left"), fade_in=2.0, fade_out=1.0),
            cue(2, part("right"), follow=Follow(FollowKind.COMPLETE, 1.0), fade_in=1.0),
        ),
    )
    compiled = compile_show(show)
    dry = DryRun(compiled, STACK, BeatClock(), 1_000_000.0)
    hand = Hand(show)
    dry.do(Verb.GO)
    hand.go()
    for _ in range(60):
        dry.advance(0.073)
        hand.wait(0.073)
        assert (dry.frame == render(hand.compiled, hand.state, hand.now)).all()
    assert dry.cue == hand.cue == "q2"
    dry.do(Verb.BACK)
    assert dry.frame[0, 1] > 0
    dry.to_the_end()
    assert dry.frame[0, :2].tolist() == [255, 0]


# found by reading it with a stranger's eyes


def breathing(show: Show, seconds: float = 4.0) -> Scene:
    wave = Wave(low=0.0, high=1.0, rate=Rate(seconds=seconds))
    return Scene(
        id="breath",
        name="B",
        look={i: {"Dimmer": 0.0} for i in show.fixtures},
        effects=(Effect(id="e", motion=wave, fixtures=tuple(show.fixtures)),),
    )


def test_an_empty_stack_is_not_started_and_its_first_cue_does_not_come_by_itself():
    hand = Hand(room(), stack())
    hand.go()
    assert not hand.state.players
    hand.edit(stack(cue(1, part("both"))))
    hand.do(Verb.PRESS, ref=Ref("scene", "half"))
    hand.wait(1.0)
    assert all(player.ref != STACK for player in hand.state.players)


def test_a_time_of_day_that_is_edited_is_the_new_one():
    hand = Hand(room(), stack(cue(1), cue(2, follow=at_clock(12))))
    hand.wall = following.next_time(43_200.0, hand.wall) - 60.0
    hand.go()
    hand.wait(1.0, frames=0.5)
    hand.edit(stack(cue(1), cue(2, follow=at_clock(12, 5))))
    hand.wait(120.0, frames=0.5)
    assert hand.cue == "q1"
    hand.wait(241.0, frames=0.5)
    assert hand.cue == "q2"


def test_what_is_on_already_is_not_started_again_by_a_cue_and_is_let_go_wherever():
    show = edits.put(
        room(), "pages", page_of(Pad(id="p", plays=parts(Ref("scene", "half"))))
    )
    half = Ref("scene", "half")
    hand = Hand(
        show,
        stack(
            cue(1, does=(CueAct(half, Verb.SWITCH),)),
            cue(2, does=(CueAct(half, Verb.RELEASE),)),
        ),
    )
    hand.do(Verb.PRESS, ref=to_tile("p"))
    hand.go()
    assert sum(player.ref == half for player in hand.state.players) == 1
    hand.go()
    assert all(player.releasing for player in hand.state.players if player.ref == half)


def test_a_stacks_own_go_of_another_is_not_kept_from_it_by_the_guard():
    other = edits.replace(stack(cue(1), cue(2), cue(3), guard=60.0), id="m")
    act = CueAct(other.ref, Verb.GO)
    hand = Hand(room(), other, stack(*(cue(n, does=(act,)) for n in (1, 2, 3))))
    for place in ("q1", "q2", "q3"):
        hand.go()
        hand.wait(0.05)
        (there,) = [p for p in hand.state.players if p.ref == other.ref]
        assert cues.cursor_of(there).cue == place


def test_what_moves_in_a_cue_is_captured_where_it_is():
    from choreon.render.capture import capture_effects

    show = room()
    hand = Hand(show, breathing(show), stack(cue(1), cue(2, part("breath"))))
    alone = Hand(show, breathing(show))
    hand.go()
    for one in (hand, alone):
        one.wait(1.3)
    hand.go()
    alone.do(Verb.START, ref=Ref("scene", "breath"))
    for one in (hand, alone):
        one.wait(0.9)
    (ours,) = capture_effects(hand.compiled, hand.state, hand.now)
    (theirs,) = capture_effects(alone.compiled, alone.state, alone.now)
    apart = (ours.start - theirs.start) % 1.0
    assert min(apart, 1.0 - apart) < 1e-6


def test_two_stacks_beside_each_other_each_let_go_of_their_own():
    other = edits.replace(stack(cue(1, part("right")), cue(2)), id="m")
    hand = Hand(room(), other, stack(cue(1, part("left")), cue(2)))
    hand.go()
    hand.do(Verb.GO, ref=other.ref)
    assert hand.levels == [1.0, 1.0]
    hand.go()
    assert hand.levels == [0.0, 1.0]
    hand.do(Verb.GO, ref=other.ref)
    assert hand.levels == [0.0, 0.0]


def test_a_bouncing_key_and_a_hundred_goes_a_second():
    hand = Hand(room(), stack(*(cue(n) for n in range(1, 50)), guard=0.25))
    for _ in range(100):
        hand.go()
        hand.wait(0.01, frames=0.01)
    assert hand.cue == "q4"  # one each quarter of a second
    open_to_all = Hand(room(), stack(*(cue(n) for n in range(1, 50)), guard=0.0))
    for _ in range(40):
        open_to_all.go()
    assert open_to_all.cue == "q40"


def test_the_whole_stack_deleted_while_it_is_on():
    hand = Hand(room(), stack(cue(1, part("left"))))
    hand.go()
    hand.wait(1.0)
    before, hand.show = hand.compiled, edits.remove(hand.show, STACK)
    hand.compiled = compile_show(hand.show, before)
    hand.state = motion.carried(before, hand.compiled, hand.state, hand.now)
    hand.wait(1.0)
    hand.go()
    for player in hand.state.players:
        hand.do(Verb.RELEASE, ref=Ref("player", player.id))
    hand.wait(1.0)
    assert not hand.state.players


def test_a_state_with_cues_is_kept_and_read_again():
    import msgspec

    show = room()
    left = next(iter(show.fixtures))
    sides = LampTimes(of=(Ref("fixture", left),), fade_in=1.0)
    hand = Hand(show, stack(cue(1), cue(2, part("both"), fade_in=9.0, lamps=(sides,))))
    hand.go()
    hand.go()
    hand.wait(0.5)
    data = msgspec.msgpack.encode(hand.state)
    again = msgspec.msgpack.decode(data, type=PlayState)
    assert again == hand.state
    shifted = play.shift(again, 100.0)
    here = render(hand.compiled, hand.state, hand.now)
    assert (render(hand.compiled, shifted, hand.now + 100.0) == here).all()


# in the dark

HOME = pytest.approx(0.0, abs=0.01)  # within a step of its channel


def heads_room() -> tuple[Show, str, str]:
    """A dimmer and a head."""
    show = Show(id="r", name="R")
    dimmer = wander.library()["generic-dimmer"]
    show, _ = edits.hang(show, dimmer, dimmer.modes[0].name, 1, 1, 1)
    spot = wander.library()["ostrey-spot-160"]
    show, _ = edits.hang(show, spot, "13 channel", 1, 1, 20)
    lamp, head = show.fixtures
    there = {"Dimmer": 1.0, "Pan": 60.0, "Tilt": 30.0, "Gobo1": 3.0}
    show = play.with_scenes(
        show,
        front={lamp: {"Dimmer": 1.0}},
        spot={head: there},
        knock={head: {"Dimmer": 1.0}},
    )
    return show, lamp, head


class DarkHand(Hand):
    """The same, with the thread beside that has lamps go ahead."""

    def __init__(self, show: Show, *playables, **more) -> None:
        super().__init__(show, *playables, **more)
        self.ahead = Precompiler(self.compiled, lambda: self.state, lambda: self.now)

    def do(self, verb: Verb, value: float = 1.0, ref: Ref = STACK) -> None:
        before = self.state
        do = Do(ref, verb, value)
        ways = self.ahead.ask([do])[ref]
        self.state = actions.perform(self.show, self.state, do, self.now, ways)
        self.state = housekeeping.calmed(self.state, before, self.now)

    def frame(self, wall: Wall | None = None) -> None:
        before = self.state
        super().frame(wall)
        self.state = housekeeping.calmed(self.state, before, self.now)
        self.ahead.foresee()
        ready = self.ahead.ready(self.state)
        if ready is not None:
            self.state = edits.replace(self.state, ready=ready)

    def value(self, name: str) -> float:
        rig = self.compiled.rig
        values = compose(self.compiled, self.state, self.now).values
        return float(values[rig.names.index(name)])


def test_a_dark_head_goes_ahead_calmly_and_gives_no_light():
    show, _, head = heads_room()
    hand = DarkHand(show, stack(cue(1, part("front")), cue(2, part("spot"))))
    hand.go()
    hand.wait(1.9)
    assert hand.value("Pan") == HOME
    hand.wait(1.2)
    pan = hand.value("Pan")
    assert 20.0 < pan < 40.0  # a second of its way, at thirty degrees a second
    hand.wait(1.5)
    assert (hand.value("Pan"), hand.value("Tilt")) == (60.0, 30.0)
    assert hand.value("Gobo1") == 3.0
    rows = hand.compiled.rig.where[head]["Dimmer"]
    light = compose(hand.compiled, hand.state, hand.now).values
    assert all(light[row] == 0.0 for _, row in rows)
    hand.go()
    assert (hand.value("Pan"), hand.value("Tilt")) == (60.0, 30.0)


def test_why_names_the_cue_that_a_dark_lamp_is_ready_for():
    show, _, _ = heads_room()
    hand = DarkHand(show, stack(cue(1, part("front")), cue(2, part("spot"))))

    def why() -> list[WhyLayer]:
        slots = [
            explain(hand.compiled, hand.state, hand.now, 1, n) for n in range(20, 33)
        ]
        coarse = next(one for (one,) in slots if one.layers[0].attribute == "Pan")
        return list(coarse.layers)

    hand.go()
    assert [layer.source for layer in why()] == ["home"]
    hand.wait(3.0)
    assert [layer.source for layer in why()] == ["home", "ready for cue 2 of K"]
    assert why()[-1].wins
    assert why()[-1].value == pytest.approx(hand.value("Pan"))
    hand.go()
    hand.wait(0.5)
    assert [layer.source for layer in why()] == ["home", "stack K, 2"]
    assert why()[-1].wins


def test_it_stops_in_the_frame_in_which_anybody_lights_it_and_stays_till_dark():
    show, _, _ = heads_room()
    show = edits.put(
        show, "pages", page_of(Flash(id="x", plays=parts(Ref("scene", "knock"))))
    )
    hand = DarkHand(show, stack(cue(1, part("front")), cue(2, part("spot"))))
    hand.go()
    hand.wait(3.0)
    where = hand.value("Pan")
    assert 0.0 < where < 60.0
    hand.do(Verb.PRESS, ref=to_tile("x"))
    assert hand.value("Pan") == pytest.approx(where)
    hand.wait(2.0)
    assert hand.value("Pan") == pytest.approx(where)
    do = Do(to_tile("x"), Verb.PRESS, 1.0, Edge.UP)
    hand.state = actions.perform(hand.show, hand.state, do, hand.now)
    hand.wait(8.0)
    assert hand.value("Pan") == pytest.approx(60.0)


def test_what_is_lit_or_in_hand_does_not_go_ahead():
    show, _, head = heads_room()
    lit = DarkHand(show, stack(cue(1, part("knock")), cue(2, part("spot"))))
    lit.go()
    lit.wait(9.0)
    assert lit.value("Pan") == HOME

    held = DarkHand(show, stack(cue(1, part("front")), cue(2, part("spot"))))
    held.go()
    held.state = play.touch(held.state, {head: {"Tilt": 5.0}})
    held.wait(9.0)
    assert (held.value("Pan"), held.value("Tilt")) == (HOME, 5.0)

    off = edits.replace(
        stack(cue(1, part("front")), cue(2, part("spot"))), dark_moves=False
    )
    told_not_to = DarkHand(show, off)
    told_not_to.go()
    told_not_to.wait(9.0)
    assert told_not_to.value("Pan") == HOME


def test_a_lamp_that_was_brought_somewhere_stays_there_for_the_cues_without_it():
    show, _, _ = heads_room()
    hand = DarkHand(
        show, stack(cue(1, part("front")), cue(2, part("spot")), cue(3, part("front")))
    )
    hand.go()
    hand.wait(9.0)
    hand.do(Verb.STEP, 2.0)
    hand.wait(9.0)
    assert hand.value("Pan") == 60.0
    player = hand.state.players[0].id
    hand.do(Verb.RELEASE, ref=Ref("player", player))
    hand.wait(1.0)
    assert hand.value("Pan") == HOME  # nothing of the stack is left


def test_of_two_stacks_that_want_one_lamp_the_higher_has_it():
    show, _, head = heads_room()
    show = play.with_scenes(
        show, other={head: {"Dimmer": 1.0, "Pan": -40.0, "Tilt": 10.0}}
    )
    upper = edits.replace(stack(cue(1, part("front")), cue(2, part("other"))), id="m")
    hand = DarkHand(show, upper, stack(cue(1, part("front")), cue(2, part("spot"))))
    hand.go()
    hand.do(Verb.GO, ref=upper.ref)
    hand.wait(15.0)
    assert hand.value("Pan") == -40.0


class SparseWalk(CueWalk):
    """Cues that light a lamp or two each: the others are dark, and go ahead."""

    def _show_of(self, dice: random.Random) -> Show:
        show = wander.show_of(dice)
        turning = [i for i in show.fixtures if i.startswith(("wash", "spot"))]
        made = []
        for n in range(6):
            look = {}
            for lamp in dice.sample(list(show.fixtures), dice.choice((1, 1, 2))):
                look[lamp] = {"Dimmer": dice.choice((0.6, 1.0))}
                if lamp in turning:
                    look[lamp] |= {**wander._aim(dice), "Zoom": dice.uniform(10, 40)}
            fades = (dice.uniform(*wander.FADES), dice.uniform(*wander.FADES))
            made.append(
                Cue(
                    id=f"q{n}",
                    number=n + 1.0,
                    look=look,
                    fade_in=fades[0],
                    fade_out=fades[1],
                )
            )
        self.stack = stack(*made, fade_in=2.0, fade_out=2.0)
        return edits.put(show, "playables", self.stack)

    def state_at_start(self) -> PlayState:
        return play.blank()

    def next_deed(self) -> tuple[str, str, float]:
        what = self.dice.choice(["go"] * 6 + ["go back", "to", "press", "hold"])
        return what, f"t{self.dice.randrange(4)}", self.dice.random()


@pytest.mark.parametrize("seed", [0, 3])
def test_no_lit_lamp_jumps_beside_lamps_that_go_ahead(seed, monkeypatch):
    monkeypatch.setattr(precompiler, "WAIT", 0.05)
    monkeypatch.setattr(wander, "LENGTH", 16.0)
    walk = SparseWalk(random.Random(300 + seed))
    worst = walk.scan(step=0.004)
    assert worst.step <= worst.allowed, worst.story


def test_lamps_do_go_ahead_in_random_walks(monkeypatch):
    """Else those walks would show nothing of it."""
    monkeypatch.setattr(precompiler, "WAIT", 0.05)
    monkeypatch.setattr(wander, "LENGTH", 16.0)
    walks = [SparseWalk(random.Random(300 + seed)) for seed in (0, 3)]
    for walk in walks:
        walk.scan(step=0.04)
    assert sum(walk.went_ahead for walk in walks) > 1


def test_going_to_a_cue_of_a_stack_that_is_off_begins_there_and_does_nothing_besides():
    act = CueAct(Ref("scene", "half"), Verb.SWITCH)
    hand = Hand(
        room(),
        stack(cue(1, part("left"), does=(act,)), cue(2, part("right"), fade_in=2.0)),
    )
    hand.do(Verb.STEP, 1.0)
    assert hand.cue == "q2"
    assert len(hand.state.players) == 1
    hand.wait(1.0)
    assert hand.levels == [0.0, 0.5]
    hand.do(Verb.STEP, 99.0)
    assert hand.cue == "q2"
    nowhere = Hand(room(), stack(cue(1, part("left"))))
    nowhere.do(Verb.STEP, 99.0)
    assert not nowhere.state.players


# by a stranger's hands


def test_forty_stacks_within_each_other_silence_nothing_beside_them():
    made = [stack(cue(1, part("left")))]
    for n in range(40):
        inner = Part(made[-1].ref)
        outer = stack(cue(1, inner, part("right")))
        made.append(edits.replace(outer, id=f"n{n}", name=f"N{n}"))

    hand = Hand(room(), *made)
    hand.do(Verb.START, ref=Ref("scene", "left"))
    hand.wait(3.0)
    hand.do(Verb.GO, ref=made[-1].ref)
    hand.wait(1.0)
    assert hand.levels == [1.0, 1.0]


def test_stacks_that_play_each_other_light_all_that_is_not_of_the_ring():
    other = Ref("stack", "m")
    mine = stack(cue(1, Part(STACK), part("left"), Part(other)))
    ring = edits.replace(stack(cue(1, Part(STACK), part("right"))), id="m")
    hand = Hand(room(), mine, ring)
    hand.do(Verb.START, ref=Ref("scene", "right"))
    hand.wait(3.0)
    hand.go()
    hand.wait(1.0)
    assert hand.levels[1] == 1.0


def test_sixty_cues_that_follow_at_once_come_to_their_end():
    at_once = Follow(FollowKind.COMPLETE)
    them = [
        cue(n, part("left" if n % 2 else "right"), follow=at_once) for n in range(1, 61)
    ]
    hand = Hand(room(), stack(*them))
    hand.go()
    hand.wait(3.0)
    assert hand.cue == "q60"
    assert hand.levels == [0.0, 1.0]


@pytest.mark.parametrize("number", [999.0, -5.0, np.nan, np.inf])
def test_a_number_that_no_cue_has_leaves_the_light_as_it_is(number):
    hand = Hand(room(), stack(cue(1, part("left")), cue(2, part("right"))))
    hand.go()
    try:
        hand.do(Verb.STEP, number)
    except actions.NotTaken:
        assert not np.isfinite(number)
    hand.wait(0.1)
    assert (hand.cue, hand.levels) == ("q1", [1.0, 0.0])


def test_a_cue_taken_away_half_way_through_its_fade_makes_no_jump():
    first, last = cue(1, part("left")), cue(3)
    between = cue(2, part("right"), fade_in=4.0, fade_out=4.0)
    hand = Hand(room(), stack(first, between, last))
    hand.go()
    hand.go()
    hand.wait(2.0)
    was = hand.levels
    hand.edit(stack(first, last))

    for _ in range(40):
        hand.wait(0.025)
        assert np.abs(np.subtract(hand.levels, was)).max() < 0.05
        was = hand.levels

    hand.go()
    hand.wait(1.0)
    assert (hand.cue, hand.levels) == ("q3", [0.0, 0.0])


@pytest.mark.parametrize("through", [False, True])
def test_a_dial_of_phase_turns_what_a_cue_plays_and_what_the_next_one_begins(through):
    show = room()
    before = (cue(0, part("half", 0.0), fade_in=0.0),) if through else ()
    breath = cue(1, part("breath"), fade_in=0.0, fade_out=0.0)

    def levels(ahead: float) -> list[list[float]]:
        hand = Hand(show, breathing(show), stack(*before, breath))
        hand.go()
        hand.do(Verb.PHASE, ahead)
        if through:
            hand.wait(1.0)
            hand.go()

        seen = []
        for _ in range(8):
            hand.wait(0.5)
            seen.append(hand.levels)
        return seen

    plain, turned = levels(0.0), levels(0.25)
    assert turned[:-2] == plain[2:]  # a quarter of four seconds, in halves of one
    assert turned != plain
