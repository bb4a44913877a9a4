"""What acting must know of each kind that plays: a registry entry a kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from choreon.model.playables import Chase, Scene
from choreon.model.playables.chase import End
from choreon.model.refs import Ref
from choreon.render.state import AnyCursor, BeatClock, Going, Still


@dataclass(frozen=True)
class PlayableActions:
    """`start`: the cursor with which one begins at a time, by a clock. `at_end`: what
    follows when it has come to its end: it is released, something else begins, or
    nothing, None.
    """

    start: Callable[[Any, float, BeatClock], AnyCursor]
    at_end: Callable[[Any], Ref | None]
    steps: bool = False


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


def _scene_ends(scene: Scene) -> None:
    return None


def _chase_ends(chase: Chase) -> Ref | None:
    if chase.end == End.RELEASE:
        return RELEASED
    return chase.then if chase.end == End.START else None


KINDS: dict[str, PlayableActions] = {
    Scene.kind: PlayableActions(_start_scene, _scene_ends),
    Chase.kind: PlayableActions(_start_chase, _chase_ends, steps=True),
}
"""A kind that is not here cannot be started."""
