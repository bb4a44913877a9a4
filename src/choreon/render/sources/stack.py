"""Stacks as light: a cue is what it has on, composed as one. What plays a whole stack
as a part of itself has it go on by what follows alone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from choreon.model.attributes import Family
from choreon.model.playables import Priority, Stack
from choreon.model.playables.chase import SHORTEST, Chase, ChaseStep, Run
from choreon.model.playables.nesting import DEEPEST, contains, too_deep
from choreon.model.playables.stack import (
    Cue,
    CueTimes,
    FollowKind,
    called,
    contents,
    key_of,
    seconds,
    times_of,
)
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.effects import compile_effects
from choreon.render.fades import Move
from choreon.render.looks import Angles, compile_look
from choreon.render.rig import FAMILIES, Floats, Rig
from choreon.render.sources.base import CompileContext, Source
from choreon.render.sources.chase import ChaseSource, LiveChase, Rounds
from choreon.render.sources.scene import MovingScene, StillScene
from choreon.render.sources.together import Thing, Together
from choreon.render.state import Cued, Step


def step_at(stack: Stack, cue: Cue) -> Step:
    """Returns a step that is at a cue."""
    return Step(ref=stack.ref, cursor=Cued(cue=cue.id, number=cue.number))


OWN = ""
"""The key of a look of a cue's own."""


def compile_stack(
    context: CompileContext, stack: Stack, aims: Mapping[str, Angles]
) -> Source:
    """Compile a cue of a stack; without one, the whole stack as it plays by itself."""
    part = context.part
    if part is None:
        return _compile_whole(context, stack, aims)

    # a cue before an edit is called by its id and a number
    cue_id = part[0] if isinstance(part, tuple) else part
    cue = stack.cue(str(cue_id))
    if cue is None:
        return Together(context.rig, (), "")
    return compile_cue(context, stack, cue, aims)


def compile_cue(
    context: CompileContext, stack: Stack, cue: Cue, aims: Mapping[str, Angles]
) -> Together:
    """Compile what a cue has on. What is gone, or is the stack itself, gives nothing;
    what plays goes by its priority, then by its place.
    """
    show, rig = context.show, context.rig
    on = contents(stack, cue)

    things = []
    for part in on.plays:
        dark = _too_deep(show, stack, part.ref)
        source = None if dark else context.source_of(part.ref, part.only)
        if source is not None:
            level = min(1.0, max(0.0, part.level))
            things.append(Thing(key_of(part), part.ref, source, level))

    things.sort(key=lambda thing: _priority(show, thing.ref))
    if on.look or on.effects:
        look = compile_look(rig, on.look, show, aims)
        own: Source = StillScene(look, on.look)
        if any(effect.on for effect in on.effects):
            moving = compile_effects(show, rig, look, on.effects, aims)
            own = MovingScene(moving, on.effects, on.look)
        things.append(Thing(OWN, None, own, 1.0))

    return Together(rig, things, called(cue))


def _too_deep(show: Show, stack: Stack, ref: Ref) -> bool:
    itself = ref == stack.ref or contains(show, ref, stack.ref)
    return itself or bool(too_deep(show, ref, DEEPEST - 1))


def _priority(show: Show, ref: Ref | None) -> int:
    playable = None if ref is None else show.playables.get(ref.id)
    return Priority.NORMAL if playable is None else playable.priority


# a stack that plays by itself


def _compile_whole(
    context: CompileContext, stack: Stack, aims: Mapping[str, Angles]
) -> StackSource:
    cues = _by_themselves(stack)
    sources: list[Source] = [compile_cue(context, stack, cue, aims) for cue in cues]
    return StackSource(context.rig, stack, cues, sources)


def _by_themselves(stack: Stack) -> list[Cue]:
    """The first cue, and those that come after it by themselves, seconds after it."""
    found = list(stack.cues[:1])
    for cue in stack.cues[1:]:
        if cue.follow.kind not in (FollowKind.BEGUN, FollowKind.COMPLETE):
            break
        found.append(cue)
    return found


def complete_after(times: CueTimes) -> float:
    """Returns how many seconds after it was gone to a cue is complete at the latest."""
    families = [own.delay + own.fade for own in times.families.values()]
    rising = times.delay_in + times.fade_in
    return max([rising, times.delay_out + times.fade_out, *families])


class StackSource(ChaseSource):
    """A stack that goes from cue to cue by itself, as a chase goes from step to step;
    what comes before another cue is complete waits for that.
    """

    def __init__(
        self, rig: Rig, stack: Stack, cues: Sequence[Cue], sources: list[Source]
    ) -> None:
        self.times = [times_of(stack, cue) for cue in cues]
        fades = [complete_after(times) for times in self.times]
        lengths = list(fades)

        for n, cue in enumerate(cues[1:]):
            wait = seconds(cue.follow.after)
            begun = cue.follow.kind == FollowKind.BEGUN
            lengths[n] = max(fades[n], wait) if begun else fades[n] + wait

        if lengths:
            lengths[-1] = max(lengths[-1], SHORTEST)  # it stays at the last one
        steps = tuple(
            ChaseStep(id=cue.id, fade=fade, hold=length - fade)
            for cue, fade, length in zip(cues, fades, lengths, strict=True)
        )
        chase = Chase(id=stack.id, name=stack.name, steps=steps, rounds=1)
        super().__init__(rig, chase, steps, sources, [called(cue) for cue in cues])
        refs = frozenset(str(part.ref) for cue in stack.cues for part in cue.plays)
        self.uses = self.uses | refs
        self.sequence = Rounds(fades, lengths, Run.FORWARD, 1, 0, 1)

    def live(self, offsets: Mapping[str, float]) -> LiveStack:
        """Returns what a layer asks."""
        return LiveStack(self, offsets)


class LiveStack(LiveChase):
    """A stack that plays by itself, in one layer."""

    @property
    def _moves(self) -> list[Move]:
        """How far a cue has come, by its own times."""
        source = self.source
        assert isinstance(source, StackSource)
        spot = self._spot
        times = source.times[spot.step]
        passed = spot.share * source.sequence.fades[spot.step]
        rise = _come(passed, times.delay_in, times.fade_in)
        fall = _come(passed, times.delay_out, times.fade_out)

        if not times.families:
            return [Move(rise, fall, rise)]

        progress: Floats = np.full(len(FAMILIES), rise)
        for n, family in enumerate(FAMILIES):
            own = times.families.get(family)
            if own is not None:
                progress[n] = _come(passed, own.delay, own.fade)

        own = times.families.get(Family.INTENSITY)
        if own is not None:
            rise = _come(passed, own.delay, own.fade)
        return [Move(rise, fall, progress)]


def _come(passed: float, delay: float, fade: float) -> float:
    """How far something has come that waits for `delay` and takes `fade` seconds."""
    if passed >= delay + fade:
        return 1.0
    return max(0.0, (passed - delay) / fade) if fade > 0.0 else 0.0
