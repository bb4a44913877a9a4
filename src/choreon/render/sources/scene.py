"""Scenes as light: a look that stands still."""

from __future__ import annotations

from collections.abc import Mapping

from choreon.model.playables import Scene
from choreon.model.show import Show
from choreon.render.looks import Angles, CompiledLook, compile_look, followed
from choreon.render.rig import Rig
from choreon.render.state import AnyCursor


class SceneSource:
    """One look, whatever the time."""

    still = True

    def __init__(self, look: CompiledLook) -> None:
        self.look = look

    @property
    def uses(self) -> frozenset[str]:
        """The links that it follows."""
        return self.look.uses

    def followed(self, show: Show, moved: set[str]) -> SceneSource | None:
        """Returns the scene after marks moved; None where it is to be compiled anew."""
        look = followed(self.look, show, moved)
        return None if look is None else SceneSource(look)

    def at(self, cursor: AnyCursor, now: float) -> CompiledLook:
        """Returns the look."""
        return self.look


def compile_scene(
    show: Show, rig: Rig, scene: Scene, aims: Mapping[str, Angles]
) -> SceneSource:
    """Compile a scene."""
    return SceneSource(compile_look(rig, scene.look, show, aims))
