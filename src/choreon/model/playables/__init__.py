"""All that can be on: a file a kind, one registry."""

from __future__ import annotations

from choreon.model.playables.base import Playable, PlayableKind, Priority, Times
from choreon.model.playables.canvas import CANVAS, Canvas
from choreon.model.playables.chase import CHASE, Chase
from choreon.model.playables.given import GIVEN, Given
from choreon.model.playables.scene import SCENE, Scene
from choreon.model.playables.stack import STACK, Stack
from choreon.model.playables.timeline import TIMELINE, Timeline
from choreon.model.playables.unknown import UNKNOWN, Unknown

AnyPlayable = Scene | Chase | Stack | Timeline | Canvas | Given | Unknown

KINDS: dict[str, PlayableKind] = {
    kind.type.kind: kind
    for kind in (
        SCENE,
        CHASE,
        STACK,
        TIMELINE,
        CANVAS,
        GIVEN,
        UNKNOWN,
    )
}


def kind_of(playable: Playable) -> PlayableKind:
    """Returns what the model knows of the kind of `playable`."""
    return KINDS[playable.kind]


__all__ = [
    "KINDS",
    "AnyPlayable",
    "Canvas",
    "Chase",
    "Given",
    "Playable",
    "PlayableKind",
    "Priority",
    "Scene",
    "Stack",
    "Timeline",
    "Times",
    "Unknown",
    "kind_of",
]
