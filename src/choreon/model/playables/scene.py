"""A scene: one look."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, ClassVar

import msgspec

from choreon.model.playables.base import Playable, PlayableKind
from choreon.model.problem import Problem
from choreon.model.refs import Ref
from choreon.model.values import Look

if TYPE_CHECKING:
    from choreon.model.show import Show


class Scene(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="scene"):
    """A stored look."""

    kind: ClassVar[str] = "scene"

    look: Look = {}


def _check(show: Show, scene: Scene) -> Iterator[Problem]:
    away = [fixture for fixture in scene.look if fixture not in show.fixtures]
    if away:
        path = f"playables/{scene.id}/look/{away[0]}"
        more = f" and {len(away) - 1} more" if len(away) > 1 else ""
        text = f"{away[0]}{more} of {scene.name} does not hang; its values are kept"
        yield Problem(path, text, "warning")


def _looks(scene: Scene) -> tuple[Look, ...]:
    return (scene.look,)


def _with_looks(scene: Scene, change: Callable[[Look], Look]) -> Scene:
    look = change(scene.look)
    return scene if look is scene.look else msgspec.structs.replace(scene, look=look)


def _plays(scene: Scene) -> tuple[Ref, ...]:
    return ()


def _replaced(scene: Scene, old: Ref, new: Ref) -> Scene:
    return scene


SCENE = PlayableKind("scene", Scene, _check, _looks, _with_looks, _plays, _replaced)
