"""A dry run: a stack played by itself, by a clock of its own, while the stage stays as
it is. The same functions play it as play the stage.
"""

from __future__ import annotations

import msgspec

from choreon.engine import actions
from choreon.engine.actions import cues, housekeeping, motion
from choreon.engine.actions.following import Wall
from choreon.engine.do import Do
from choreon.model.refs import Ref
from choreon.model.verbs import Verb
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import render
from choreon.render.rig import Bytes
from choreon.render.state import BeatClock, PlayState

replace = msgspec.structs.replace

STEP = 1 / 44  # seconds, as the engine looks at what follows


class DryRun:
    """One stack of a compiled show. `now`: the seconds that have gone by since it
    began; `wall`: what the clock on the wall showed then.
    """

    def __init__(
        self, compiled: CompiledShow, stack: Ref, clock: BeatClock, wall: float
    ) -> None:
        self.compiled, self.stack = compiled, stack
        self.now, self._wall = 0.0, wall
        self.state = PlayState(clock=BeatClock(bpm=clock.bpm, bar=clock.bar, first=0))

    def adopt(self, compiled: CompiledShow) -> None:
        """Go on with the show as it is after an edit."""
        if compiled is not self.compiled:
            before, self.compiled = self.compiled, compiled
            self.state = motion.carried(before, compiled, self.state, self.now)

    def do(self, verb: Verb, value: float = 1.0, ref: Ref | None = None) -> None:
        """As a hand would do it to the stack; masters and all else that a cue does
        besides are the dry run's own.
        """
        do = Do(ref or self.stack, verb, value)
        self.state = actions.perform(
            self.compiled.show, self.state, do, self.now, {}, "dry run"
        )

    def advance(self, seconds: float) -> None:
        """Let time go by: what follows comes."""
        end = self.now + max(0.0, seconds)
        while self.now < end:
            step = min(STEP, end - self.now)
            before = self._wall + self.now
            self.now += step
            wall = Wall(self._wall + self.now, before)
            followed = motion.follow(self.compiled, self.state, self.now, wall)
            self.state = housekeeping.prune(followed, self.now)

    def to_the_end(self) -> None:
        """Have all fades that are under way be over."""
        ends = [player.settles for player in self.state.players]
        last = max((end for end in ends if end < self.now + 86_400.0), default=0.0)
        self.now = max(self.now, last)
        self.state = housekeeping.prune(self.state, self.now)

    @property
    def frame(self) -> Bytes:
        """What the lamps would get."""
        return render(self.compiled, self.state, self.now)

    @property
    def cue(self) -> str:
        """The cue that it is at."""
        for player in self.state.players:
            cursor = cues.cursor_of(player)
            if player.ref == self.stack and cursor is not None:
                return cursor.cue
        return ""
