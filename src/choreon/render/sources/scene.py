"""Scenes as light: a look, and the effects that move it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from choreon.model.motion import Effect, Effects
from choreon.model.playables import Scene
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.effects import (
    CompiledEffects,
    LiveEffects,
    PathBegin,
    compile_effects,
)
from choreon.render.live import Live
from choreon.render.looks import Angles, CompiledLook, compile_look, followed
from choreon.render.sources.base import CompileContext, Source
from choreon.render.state import AnyCursor, Going, Time, replace


class StillScene:
    """One look, whatever the time."""

    still = True
    modifies = False
    own_clock = False

    def __init__(self, look: CompiledLook, stored: Look) -> None:
        self.look, self.stored_look = look, stored

    def stored(self, time: Time) -> Look:
        """Returns its look as it is stored."""
        return self.stored_look

    def place(self, time: Time) -> str:
        """It is one thing."""
        return ""

    @property
    def uses(self) -> frozenset[str]:
        """The links that it follows."""
        return self.look.uses

    def followed(self, show: Show, moved: set[str]) -> StillScene | None:
        """Returns the scene after marks moved; None where it is to be compiled anew."""
        look = followed(self.look, show, moved)
        return None if look is None else StillScene(look, self.stored_look)

    def length(self) -> Time:
        """It takes no time."""
        return Time()

    def path_begins(self) -> Sequence[PathBegin]:
        """It has none."""
        return ()

    def prepare(self, size: float) -> None:
        """It has no effects."""

    def live(self, offsets: Mapping[str, float]) -> Live | None:
        """It never moves."""
        return None

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """It has no effects."""
        return []

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """It stands wherever it was."""
        return cursor

    def ends(self) -> Time | None:
        """It never ends."""
        return None


class MovingScene:
    """A look and its effects."""

    still = False
    own_clock = False

    def __init__(self, moving: CompiledEffects, effects: Effects, stored: Look) -> None:
        self.moving, self.effects, self.stored_look = moving, effects, stored

    def stored(self, time: Time) -> Look:
        """Returns its look as it is stored."""
        return self.stored_look

    def place(self, time: Time) -> str:
        """It is one thing."""
        return ""

    @property
    def look(self) -> CompiledLook:
        """All that it ever gives."""
        return self.moving.look

    @property
    def modifies(self) -> bool:
        """Whether its effects change what others give."""
        return self.moving.modifies

    @property
    def uses(self) -> frozenset[str]:
        """The links that it follows."""
        return self.moving.look.uses

    def followed(self, show: Show, moved: set[str]) -> MovingScene | None:
        """It is compiled anew."""
        return None

    def length(self) -> Time:
        """Returns a cycle of the slowest of its effects."""
        rates = [rate for rate in self.moving.rates.values() if rate.speed > 0.0]
        slowest = min(rates, key=lambda rate: rate.speed, default=None)
        if slowest is None:
            return Time()
        cycle = 1.0 / slowest.speed
        return Time(0.0, cycle) if slowest.by_tempo else Time(cycle, 0.0)

    def path_begins(self) -> Sequence[PathBegin]:
        """Returns where its heads begin."""
        begins = (op.begins() for op in self.moving.ops)
        return [begin for begin in begins if begin is not None]

    def prepare(self, size: float) -> None:
        """Work out its paths at a size."""
        self.moving.prepare(size)

    def live(self, offsets: Mapping[str, float]) -> LiveEffects:
        """Returns what a layer asks."""
        return self.moving.live(offsets)

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """Returns its effects, ahead by as much as they are now."""
        return running(self.effects, cursor)

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """Effects whose rate was changed go on where they were."""
        if not isinstance(before, MovingScene) or not isinstance(cursor, Going):
            return cursor
        return carried(before.moving, self.moving, cursor, time)

    def ends(self) -> Time | None:
        """It never ends."""
        return None


def running(effects: Effects, cursor: AnyCursor) -> list[Effect]:
    """Returns effects that are ahead by what a cursor says."""
    offsets = cursor.ahead
    return [
        replace(effect, start=effect.start + offsets.get(effect.id, 0.0))
        for effect in effects
    ]


def carried(
    before: CompiledEffects, after: CompiledEffects, cursor: Going, time: Time
) -> Going:
    """Returns the cursor with which effects whose rate was changed go on where they
    were.
    """
    old, offsets = before.rates, dict(cursor.offsets)
    for effect, rate in after.rates.items():
        was = old.get(effect)
        if was is not None and was != rate:
            gained = was.cycles(*time[:2]) - rate.cycles(*time[:2])
            offsets[effect] = offsets.get(effect, 0.0) + gained

    if offsets == cursor.offsets:
        return cursor

    return replace(cursor, offsets=offsets)


def compile_scene(
    context: CompileContext, scene: Scene, aims: Mapping[str, Angles]
) -> StillScene | MovingScene:
    """Compile a scene."""
    look = compile_look(context.rig, scene.look, context.show, aims)
    if not any(effect.on for effect in scene.effects):
        return StillScene(look, scene.look)
    moving = compile_effects(context.show, context.rig, look, scene.effects, aims)
    return MovingScene(moving, scene.effects, scene.look)
