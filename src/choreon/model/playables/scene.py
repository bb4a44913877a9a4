"""A scene: one look."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, ClassVar

import msgspec

from choreon.language import listed, plural
from choreon.model.motion import Effects
from choreon.model.playables.base import Playable, PlayableKind
from choreon.model.problem import Problem
from choreon.model.values import Look

if TYPE_CHECKING:
    from choreon.model.show import Show


class Scene(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="scene"):
    """A stored look, and the effects that move it."""

    kind: ClassVar[str] = "scene"

    look: Look = {}
    effects: Effects = ()


def _check(show: Show, scene: Scene) -> Iterator[Problem]:
    away = [fixture for fixture in scene.look if fixture not in show.fixtures]
    if away:
        path = f"playables/{scene.id}/look/{away[0]}"
        text = plural(
            len(away),
            "{fixtures} of {name} does not hang; its values are kept",
            "{fixtures} of {name} do not hang; their values are kept",
            fixtures=listed(away, 1),
            name=scene.name,
        )
        yield Problem(path, text, "warning")


def _looks(scene: Scene) -> tuple[Look, ...]:
    return (scene.look,)


def _with_looks(scene: Scene, change: Callable[[Look], Look]) -> Scene:
    look = change(scene.look)
    return scene if look is scene.look else msgspec.structs.replace(scene, look=look)


def _effects(scene: Scene) -> Effects:
    return scene.effects


def _with_effects(scene: Scene, change: Callable[[Effects], Effects]) -> Scene:
    effects = change(scene.effects)
    same = effects is scene.effects
    return scene if same else msgspec.structs.replace(scene, effects=effects)


def _light(scene: Scene) -> tuple[object, ...]:
    return (scene.look, scene.effects)


SCENE = PlayableKind(
    light=_light,
    title="scene",
    type=Scene,
    check=_check,
    looks=_looks,
    with_looks=_with_looks,
    effects=_effects,
    with_effects=_with_effects,
)
