"""What acting must know of each kind that plays: a registry entry a kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from choreon.model.playables import Scene
from choreon.render.state import AnyCursor, Player, Still


@dataclass(frozen=True)
class PlayableActions:
    """`start`: the cursor with which one begins at a time. `next_due`: when it next
    does something by itself; None for never.
    """

    start: Callable[[Any, float], AnyCursor]
    next_due: Callable[[Player, float], float | None]


def _start_scene(scene: Scene, now: float) -> Still:
    return Still()


def _scene_never(player: Player, now: float) -> None:
    return None


KINDS: dict[str, PlayableActions] = {
    Scene.kind: PlayableActions(_start_scene, _scene_never),
}
"""A kind that is not here cannot be started."""
