"""All that plays, in the window: a file a kind, one registry."""

from __future__ import annotations

from collections.abc import Iterable

from choreon.model.playables import (
    AnyPlayable,
    Canvas,
    Chase,
    Given,
    Playable,
    Scene,
    Stack,
    Timeline,
    Unknown,
)
from choreon.model.values import Look
from choreon.ui.kinds.base import UiKind
from choreon.ui.kinds.canvas import CANVAS
from choreon.ui.kinds.chase import CHASE
from choreon.ui.kinds.given import GIVEN
from choreon.ui.kinds.scene import SCENE
from choreon.ui.kinds.stack import STACK
from choreon.ui.kinds.timeline import TIMELINE
from choreon.ui.kinds.unknown import UNKNOWN

KINDS: dict[str, UiKind] = {
    Scene.kind: SCENE,
    Chase.kind: CHASE,
    Stack.kind: STACK,
    Timeline.kind: TIMELINE,
    Canvas.kind: CANVAS,
    Given.kind: GIVEN,
    Unknown.kind: UNKNOWN,
}


def kind_of(playable: Playable) -> UiKind:
    """Returns what the window knows of the kind of `playable`."""
    return KINDS[playable.kind]


def on_shelf(playables: Iterable[AnyPlayable]) -> list[AnyPlayable]:
    """Returns what of all that plays lies on the shelf: what tiles give groups by
    themselves does not.
    """
    return [one for one in playables if kind_of(one).shelved]


def look_of(playable: Playable) -> Look:
    """Returns the look stored in something that plays; nothing for what has many."""
    return kind_of(playable).look(playable)
