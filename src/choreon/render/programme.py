"""The compiled show: the rig, and its scenes compiled when first needed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from choreon.model.show import Look, Show, Times
from choreon.render.looks import Compiled, compile_look, stack
from choreon.render.players import Step
from choreon.render.rig import Floats, Rig, compile_rig


@dataclass(frozen=True)
class Content:
    """What one player puts out at a moment, dense: intensity (I + 1), values and their
    presence (P), and the points that heads aim at (H, 3; NaN for plain angles, None
    where all are).
    """

    intensity: Floats
    values: Floats
    presence: Floats
    points: Floats | None = None


@dataclass
class Programme:
    """A show ready to be rendered. The caches hold what follows from the show alone;
    they change no result.
    """

    show: Show
    rig: Rig
    scenes: dict[str, Compiled] = field(default_factory=dict)
    looks: dict[int, tuple[Look, Compiled]] = field(default_factory=dict)
    frozen: dict[tuple[Step, ...], Content] = field(default_factory=dict)
    stacks: dict[tuple[str, ...], Compiled] = field(default_factory=dict)

    def scene(self, scene_id: str) -> Compiled | None:
        """The compiled scene; None where the show has none of that id."""
        found = self.scenes.get(scene_id)
        if found is None and (scene := self.show.scenes.get(scene_id)) is not None:
            found = self.scenes[scene_id] = compile_look(
                self.rig, scene.look, self.show
            )
        return found

    def look(self, look: Look) -> Compiled:
        """A draft's look, compiled once for as long as it stays the same object."""
        found = self.looks.get(id(look))
        if found is None or found[0] is not look:
            if len(self.looks) > 16:
                self.looks.clear()
            found = self.looks[id(look)] = (
                look,
                compile_look(self.rig, look, self.show),
            )
        return found[1]

    def merged(self, scene_ids: tuple[str, ...]) -> Compiled:
        """Scenes that are wholly on, the first lowest, as one look: highest intensity,
        the last of all else.
        """
        found = self.stacks.get(scene_ids)
        if found is None:
            if len(self.stacks) > 16:
                self.stacks.clear()
            found = self.stacks[scene_ids] = stack(
                self.rig, [c for i in scene_ids if (c := self.scene(i))]
            )
        return found

    def times(self, scene_id: str) -> dict[str, Times]:
        """How families of a scene come up in their own time; empty for most."""
        scene = self.show.scenes.get(scene_id)
        return scene.times if scene else {}

    def warm(self, scene_ids: Iterable[str]) -> None:
        """Compile scenes ahead of their use."""
        for scene_id in scene_ids:
            self.scene(scene_id)


def compile_show(show: Show, before: Programme | None = None) -> Programme:
    """Compile a show, taking over from `before` what did not change."""
    if (
        before
        and before.show.types is show.types
        and before.show.fixtures is show.fixtures
    ):
        old = before.show.scenes
        still = (
            before.show.palettes is show.palettes and before.show.marks is show.marks
        )
        same = {
            i: c
            for i, c in before.scenes.items()
            if i in old and show.scenes.get(i) is old[i] and (still or not c.linked)
        }
        return Programme(show, before.rig, same)
    return Programme(show, compile_rig(show.types, show.fixtures))
