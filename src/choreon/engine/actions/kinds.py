"""What acting must know of each kind that plays: a registry entry a kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from choreon.engine.do import Do
from choreon.model.effects import rate_of
from choreon.model.playables import Canvas, Chase, Given, Scene, Stack, Timeline
from choreon.model.playables.chase import End
from choreon.model.playables.given import effects_of
from choreon.model.playables.timeline import LineEnd
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.verbs import Verb
from choreon.render.looks import Angles
from choreon.render.state import (
    AnyCursor,
    BeatClock,
    Cued,
    Going,
    Player,
    PlayState,
    Running,
    Still,
)

HeadRoutes = Mapping[str, Angles]
"""The way in which heads of something that starts reach their points."""

RoutesByRef = Mapping[Ref, HeadRoutes]
"""The same for each of the things that may start."""


class Wanted(NamedTuple):
    """Which step is wanted: so many on, or back, or a certain one, from 0."""

    by: int = 0
    step: int | None = None


class Stepped(NamedTuple):
    """Where something stands that was brought to a step by hand, as its cursor would
    be now, and in how many seconds it goes over there as stored.
    """

    cursor: AnyCursor
    fade: float


Stepper = Callable[[Show, Any, AnyCursor, BeatClock, float, Wanted], Stepped | None]
"""Brings something to another of its steps; None where it has no such one."""


Drive = Callable[[Show, PlayState, Player, Do, float], PlayState]
"""Returns the state after something that is on was driven."""

OwnDrive = Callable[[Show, PlayState, Player, Do, float, RoutesByRef], PlayState]
"""The same of one kind, with the ways by which heads reach the points of what comes."""


def _never(playable: Any) -> None:
    return None


def _beat_of_effects(show: Show, playable: Any, clock: BeatClock) -> float | None:
    """The seconds that a cycle of the first of its effects takes as stored."""
    for effect in getattr(playable, "effects", ()):
        rate = rate_of(show, effect, playable.effects)
        cycles = rate.cycles(1.0, clock.bpm / 60.0)
        if effect.on and cycles > 0.0:
            return float(1.0 / cycles)
    return None


@dataclass(frozen=True)
class PlayableActions:
    """`start`: the cursor with which one begins at a time, by a clock. `at_end`: what
    follows when it has come to its end: it is released, something else begins, or
    nothing, None. `stepper`: how it is brought from step to step by hand, where it has
    steps. `beat`: the seconds that a beat of it takes as stored, by which it is tapped
    to time; None where nothing moves. `acts`: what it does otherwise than all do, when
    it is on and driven by a verb.
    """

    start: Callable[[Any, float, BeatClock], AnyCursor]
    at_end: Callable[[Any], Ref | None] = _never
    stepper: Stepper | None = None
    beat: Callable[[Show, Any, BeatClock], float | None] = _beat_of_effects
    acts: Mapping[Verb, OwnDrive] = field(default_factory=dict)


RELEASED = Ref("", "released")
"""What at_end says where a player is let go."""


def _start_scene(scene: Scene, now: float, clock: BeatClock) -> AnyCursor:
    if not any(effect.on for effect in scene.effects):
        return Still()
    # effects by the beat go with the bar, whenever they begin
    beat = clock.beat_at(now)
    return Going(now, beat, 0.0, beat - clock.first)


def _start_chase(chase: Chase, now: float, clock: BeatClock) -> AnyCursor:
    # its steps fall on the beat that was nearest when it was started
    beat = clock.beat_at(now)
    return Going(now, beat, 0.0, beat - round(beat))


def _chase_ends(chase: Chase) -> Ref | None:
    if chase.end == End.RELEASE:
        return RELEASED
    return chase.then if chase.end == End.START else None


def _step_chase(*what: Any) -> Stepped | None:
    from choreon.engine.actions.chase_steps import step_chase  # it knows this

    return step_chase(*what)


def _beat_of_chase(show: Show, chase: Chase, clock: BeatClock) -> float | None:
    from choreon.engine.actions.chase_steps import beat_of_chase

    return beat_of_chase(show, chase, clock)


def _start_stack(stack: Stack, now: float, clock: BeatClock) -> AnyCursor:
    return Cued()  # before its first cue, to which it is brought at once


def _drive_cues(verb: Verb) -> OwnDrive:
    def drive(*what: Any) -> PlayState:
        from choreon.engine.actions import cues  # it knows this

        return cues.DRIVES[verb](*what)

    return drive


def _start_timeline(timeline: Timeline, now: float, clock: BeatClock) -> AnyCursor:
    return Running(now)


def _timeline_ends(timeline: Timeline) -> Ref | None:
    return RELEASED if timeline.end == LineEnd.RELEASE else None


def _drive_timeline(verb: Verb) -> OwnDrive:
    def drive(*what: Any) -> PlayState:
        from choreon.engine.actions import timelines  # it knows this

        return timelines.DRIVES[verb](*what)

    return drive


def _start_canvas(canvas: Canvas, now: float, clock: BeatClock) -> AnyCursor:
    # what goes by the beat goes with the bar, whenever it begins
    beat = clock.beat_at(now)
    return Going(now, beat, 0.0, beat - clock.first)


def _start_given(given: Given, now: float, clock: BeatClock) -> AnyCursor:
    if not given.moves:
        return Still()
    beat = clock.beat_at(now)
    return Going(now, beat, 0.0, beat - clock.first)


def _beat_of_given(show: Show, given: Given, clock: BeatClock) -> float | None:
    """The seconds that a cycle of its motion takes as stored."""
    effects = effects_of(show, given)
    for effect in effects:
        cycles = rate_of(show, effect, effects).cycles(1.0, clock.bpm / 60.0)
        if cycles > 0.0:
            return float(1.0 / cycles)
    return None


def _beat_of_canvas(show: Show, canvas: Canvas, clock: BeatClock) -> float | None:
    """The seconds that a cycle of its first layer takes as stored."""
    for layer in canvas.layers:
        cycles = layer.rate.cycles(1.0, clock.bpm / 60.0)
        if layer.on and cycles > 0.0:
            return float(1.0 / cycles)
    return None


_LINE_VERBS = (Verb.GO, Verb.NEXT, Verb.BACK, Verb.STEP)
_CUE_VERBS = (Verb.GO, Verb.NEXT, Verb.BACK, Verb.STEP, Verb.READY)

KINDS: dict[str, PlayableActions] = {
    Scene.kind: PlayableActions(_start_scene),
    Chase.kind: PlayableActions(_start_chase, _chase_ends, _step_chase, _beat_of_chase),
    Stack.kind: PlayableActions(
        _start_stack,
        acts={verb: _drive_cues(verb) for verb in _CUE_VERBS},
    ),
    Timeline.kind: PlayableActions(
        _start_timeline,
        _timeline_ends,
        acts={verb: _drive_timeline(verb) for verb in _LINE_VERBS},
    ),
    Canvas.kind: PlayableActions(_start_canvas, beat=_beat_of_canvas),
    Given.kind: PlayableActions(_start_given, beat=_beat_of_given),
}
"""A kind that is not here cannot be started."""
