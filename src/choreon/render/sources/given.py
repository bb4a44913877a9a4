"""What groups are given from tiles, as light: as a scene of the same would be."""

from __future__ import annotations

from collections.abc import Mapping

from choreon.model.playables import Given, Scene, kind_of
from choreon.model.playables.given import effects_of, look_of
from choreon.model.show import Show
from choreon.render.looks import Angles
from choreon.render.sources.base import CompileContext
from choreon.render.sources.scene import MovingScene, StillScene, compile_scene


class StillGiven(StillScene):
    """Values of a group: it follows that, and a palette."""

    def __init__(self, scene: StillScene, links: frozenset[str]) -> None:
        super().__init__(scene.look, scene.stored_look)
        self._links = links

    @property
    def uses(self) -> frozenset[str]:
        """What it follows."""
        return self.look.uses | self._links

    def followed(self, show: Show, moved: set[str]) -> None:
        """It is compiled anew."""


class MovingGiven(MovingScene):
    """A motion of a group."""

    def __init__(self, scene: MovingScene, links: frozenset[str]) -> None:
        super().__init__(scene.moving, scene.effects, scene.stored_look)
        self._links = links

    @property
    def uses(self) -> frozenset[str]:
        """What it follows."""
        return self.moving.look.uses | self._links


def compile_given(
    context: CompileContext, given: Given, aims: Mapping[str, Angles]
) -> StillGiven | MovingGiven:
    """Compile what a group is given."""
    show = context.show
    scene = Scene(
        id=given.id,
        name=given.name,
        look=look_of(show, given),
        effects=effects_of(show, given),
    )
    links = frozenset(kind_of(given).links(given))
    made = compile_scene(context, scene, aims)
    if isinstance(made, MovingScene):
        return MovingGiven(made, links)
    return StillGiven(made, links)
