"""What is known before the frames know it: the newest show, the newest draft, and all
that is asked for, compiled before it is handed to the frame loop.
"""

from __future__ import annotations

import contextlib
import logging
import threading
import time
from collections.abc import Callable, Iterable, Sequence

from choreon.engine import actions
from choreon.engine.actions import players
from choreon.engine.actions.players import HeadRoutes, RoutesByRef
from choreon.engine.do import Do
from choreon.model.motion import Effects
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.approach import approach, onto_paths
from choreon.render.capture import frozen
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.state import PlayState, Step

log = logging.getLogger(__name__)


class Precompiler:
    """Compiles ahead of the frame loop. `playing()` gives what the loop last had,
    `clock()` the time.
    """

    def __init__(
        self,
        compiled: CompiledShow,
        playing: Callable[[], PlayState],
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._playing, self._clock = playing, clock
        self._lock = threading.Lock()
        self.compiled = compiled
        self.draft: Look = {}
        self.effects: Effects = ()

    @property
    def show(self) -> Show:
        """The newest show."""
        return self.compiled.show

    def adopt(self, show: Show) -> CompiledShow:
        """Compile another show, or an edit of the same one, and all that plays in
        it.
        """
        with self._lock:
            made = compile_show(show, self.compiled)
            self.compiled = made
            try:
                made.warm(self._playing())
                made.draft(self.draft, self.effects)
            except Exception:  # the frame that needs it says so too
                log.exception("what plays cannot be compiled ahead")
            return made

    def adopt_draft(self, state: PlayState) -> None:
        """Take a draft that is compiled already."""
        self.draft, self.effects = state.draft.look, state.draft.effects

    def restore(self, state: PlayState) -> None:
        """Compile all that plays in a state before it takes effect."""
        with self._lock:
            self.draft, self.effects = state.draft.look, state.draft.effects
            self.compiled.warm(state)

    def touch(self, look: Look, effects: Effects | None = None) -> Look:
        """Take another draft and compile it; its effects stay where none are given.
        Returns its look.
        """
        with self._lock:
            self.draft = look
            if effects is not None:
                self.effects = effects
            self.compiled.draft(look, self.effects)
            return look

    def ask(self, dos: Iterable[Do]) -> dict[Ref, RoutesByRef]:
        """Compile what doing things now may start. Returns, for each thing that is
        acted on, how the heads of what it would play come to their points.
        """
        with self._lock:
            return {do.ref: self._prepared(do) for do in dos}

    def frozen(self, fixtures: Sequence[str]) -> Look:
        """Returns what fixtures have now, compiled."""
        with self._lock:
            look = frozen(self.compiled, self._playing(), self._clock(), fixtures)
            self.compiled.draft(look)
            return look

    def _prepared(self, do: Do) -> RoutesByRef:
        compiled, state = self.compiled, self._playing()
        now = self._clock()
        ways = {
            ref: self._way(ref, do, now)
            for ref in actions.plays(compiled.show, state, do)
        }

        if not ways:
            return {}

        with contextlib.suppress(actions.NotTaken):
            after = actions.perform(compiled.show, state, do, now, ways)
            known = set(map(id, state.players))
            for player in after.players:
                if id(player) not in known:
                    compiled.warm_player(player)

        return ways

    def _way(self, plays: Ref, do: Do, now: float) -> HeadRoutes:
        compiled = self.compiled
        if players.playable_of(compiled.show, plays) is None:
            return {}
        step = Step(ref=plays)
        look, source = compiled.look_of(step), compiled.source(step)
        others = [
            compiled.look_of(Step(ref=other))
            for other in actions.exclusive(compiled.show, do.ref)
        ]
        playing = self._playing()
        ways = approach(compiled, playing, now, look, others)
        return ways | onto_paths(compiled, playing, now, source)
