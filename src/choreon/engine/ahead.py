"""What is known before the frames know it: the newest show, the newest draft, and all
that is asked for, compiled before it is handed to the frame loop.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable

from choreon.engine import actions
from choreon.engine.actions import players
from choreon.engine.actions.players import Aims
from choreon.engine.do import Do
from choreon.model.motion import Effects
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.model.verbs import Verb
from choreon.render.approach import approach
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.state import PlayState, Step


class Ahead:
    """Compiles ahead of the frame loop. `playing()` gives what the loop last had,
    `clock()` the time.
    """

    def __init__(
        self,
        show: Show,
        playing: Callable[[], PlayState],
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._playing, self._clock = playing, clock
        self._lock = threading.Lock()
        self.compiled = compile_show(show)
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
            made.warm(self._playing())
            made.draft(self.draft, self.effects)
            self.compiled = made
            return made

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

    def ask(self, refs: Iterable[Ref]) -> dict[Ref, Aims]:
        """Compile what acting on things may start, as if they were pressed now.
        Returns, for what each would play, how its heads come to their points.
        """
        with self._lock:
            return {ref: self._prepared(ref) for ref in refs}

    def _prepared(self, ref: Ref) -> Aims:
        compiled, state = self.compiled, self._playing()
        plays = actions.plays(compiled.show, ref)
        playable = players.playable_of(compiled.show, plays) if plays else None
        if playable is None:
            return {}
        now = self._clock()
        look = compiled.look_of(Step(ref=playable.ref))
        others = [
            compiled.look_of(Step(ref=other))
            for other in actions.exclusive(compiled.show, ref)
        ]
        aims = approach(compiled, state, now, look, others)
        after = actions.perform(compiled.show, state, Do(ref, Verb.PRESS), now, aims)
        known = set(map(id, state.players))
        for player in after.players:
            if id(player) not in known:
                compiled.warm_player(player)
        return aims
