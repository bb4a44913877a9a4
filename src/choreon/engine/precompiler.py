"""What is known before the frames know it: the newest show, the newest draft, and all
that is asked for, compiled before it is handed to the frame loop.
"""

from __future__ import annotations

import contextlib
import logging
import math
import threading
import time
from collections.abc import Callable, Iterable, Sequence

import msgspec

from choreon.engine import actions
from choreon.engine.actions import (
    cues,
    following,
    foreseen,
    housekeeping,
    players,
    timelines,
)
from choreon.engine.actions.following import Wall
from choreon.engine.actions.players import HeadRoutes, RoutesByRef
from choreon.engine.do import Do
from choreon.model.motion import Effects
from choreon.model.playables import Stack
from choreon.model.refs import Ref, find
from choreon.model.show import Show
from choreon.model.tiles import CueDeed, CueTile
from choreon.model.values import Look
from choreon.model.verbs import Verb
from choreon.render.approach import approach, onto_paths
from choreon.render.capture import frozen
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.dark_moves import planned
from choreon.render.looks import Angles, CompiledLook
from choreon.render.sources.stack import step_at
from choreon.render.state import Cued, Player, PlayState, Ready, Running, Step

log = logging.getLogger(__name__)

WAIT = 2.0  # seconds after a cue is there in which dark lamps stay where they are
AHEAD = 2.0  # seconds before something on a timeline, in which it is made ready
FORESEEN = 3  # cues that come by themselves, one after the other


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
        self._foreseen: PlayState | None = None
        self._readied: PlayState | None = None
        self._lined: dict[str, tuple[Running, float]] = {}  # until when it is prepared

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
            self.compiled, self._foreseen, self._readied = made, None, None
            self._lined = {}
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

    def foresee(self) -> None:
        """Compile the next cues that come by themselves, and the one that waits for GO,
        with the fades they meet, and how heads reach their points in them: frames never
        compile.
        """
        with self._lock:
            state, compiled = self._playing(), self.compiled
            if state is self._foreseen or not any(
                cues.cursor_of(player) for player in state.players
            ):
                return

            self._foreseen = state
            now, wall = self._clock(), Wall(time.time())
            routes: dict[tuple[str, str], dict[str, Angles]] = {}
            state = following.armed(compiled, state, now, wall)
            for player in state.players:
                self._foresee(state, player, now, wall, routes)
            compiled.routes = routes

    def foresee_lines(self) -> None:
        """Compile what the timelines that are on will start before long."""
        state, now = self._playing(), self._clock()
        on = {p.id: c for p in state.players if (c := timelines.cursor_of(p))}
        self._lined = {i: known for i, known in self._lined.items() if i in on}
        for player in state.players:
            cursor = on.get(player.id)
            if cursor is None:
                continue
            ran = cursor.time(now, 0.0).seconds
            known, until = self._lined.get(player.id, (None, 0.0))
            if known is cursor and until > ran + AHEAD:
                continue
            self._lined[player.id] = cursor, ran + 2.0 * AHEAD
            acts = timelines.coming(self.show, player, ran, ran + 2.0 * AHEAD)
            for act in dict.fromkeys(acts):
                self.ask([Do(act.ref, act.verb, act.value)])

    def ready(self, state: PlayState) -> tuple[Ready, ...] | None:
        """Returns how dark lamps shall go ahead to where the next cues want them; None
        where nothing is to be changed. It begins when a cue has been there for a
        while, and nothing is on its way.
        """
        now = self._clock()
        stacks = [p for p in state.players if cues.cursor_of(p) is not None]
        if not stacks or any(not one.ramp.done(now) for one in state.ready):
            return None
        if state is self._readied:
            return None

        with self._lock:
            wanted = {one.player: one for one in state.ready}
            changed = False
            for player in sorted(stacks, key=lambda one: one.place):
                made = self._ready_of(state, player, now)
                if made is not None:
                    wanted[player.id], changed = made, True

            if all(player.steps[-1].over + WAIT <= now for player in stacks):
                self._readied = state  # until something changes
            return tuple(wanted.values()) if changed else None

    def _ready_of(self, state: PlayState, player: Player, now: float) -> Ready | None:
        compiled = self.compiled
        stack, cursor = cues.stack_of(compiled.show, player), cues.cursor_of(player)
        if stack is None or cursor is None or player.releasing or player.lifts:
            return None
        if not stack.dark_moves or player.steps[-1].over + WAIT > now:
            return None

        cue = cues.next_cue(stack, cursor)
        if cue is None or cursor.missed:
            return None

        step = step_at(stack, cue)
        known = compiled.routes.get((player.id, cue.id), {})
        step = msgspec.structs.replace(step, ref=player.ref, aims=dict(known))
        return planned(compiled, state, now, player.id, step)

    def _foresee(
        self,
        state: PlayState,
        player: Player,
        now: float,
        wall: Wall,
        routes: dict[tuple[str, str], dict[str, Angles]],
    ) -> None:
        """The same of one player."""
        compiled = self.compiled
        for _ in range(FORESEEN):
            known = state.player(player.id)
            stack = None if known is None else cues.stack_of(compiled.show, known)
            cursor = None if known is None else cues.cursor_of(known)
            if known is None or stack is None or cursor is None:
                return

            due = following.due_at(state, compiled.show, known, now, wall)
            cue = cues.next_cue(stack, cursor)
            if cue is None:
                return

            # one that waits for GO is made ready as if that came when all is there, and
            # with it what GO would have compiled: the cue after it
            then = max(now, _settled(known) if due is None else due)
            step = step_at(stack, cue)
            after = self._cue_after(stack, Cued(cue=cue.id, number=cue.number))
            way = self._to_step(step, state, then, after)
            routes[player.id, cue.id] = way
            known = housekeeping.prune(players.put(state, known), then).player(known.id)
            if known is None:
                return
            on = cues.over_to_cue(compiled.show, state, known, cue, then, None, way)
            compiled.warm_player(on)
            for act in cue.does:
                self._warm_ref(act.ref)

            if due is None:
                return

            state = housekeeping.prune(players.put(state, on), then)
            state = following.armed(compiled, state, then, wall)
            now = then

    def _warm_ref(self, ref: Ref) -> None:
        """Compile something that a cue may start."""
        for played in foreseen.may_start(
            self.show, self._playing(), Do(ref, Verb.PRESS)
        ):
            self.compiled.look_of(self._first_step(played))

    def _prepared(self, do: Do) -> RoutesByRef:
        compiled, state = self.compiled, self._playing()
        now = self._clock()
        ways = {
            ref: self._way(ref, do, now)
            for ref in foreseen.may_start(compiled.show, state, do)
        }

        for player in foreseen.driven(compiled.show, state, do):
            ways |= self._to_cue(player, do, now)

        if not ways:
            return {}

        with contextlib.suppress(actions.NotTaken):
            after = actions.perform(compiled.show, state, do, now, ways)
            known = set(map(id, state.players))
            for player in after.players:
                if id(player) not in known:
                    compiled.warm_player(player)

        return ways

    def _to_cue(self, player: Player, do: Do, now: float) -> RoutesByRef:
        """How heads reach their points in the cue that a player would be brought to."""
        show, state = self.compiled.show, self._playing()
        stack = cues.stack_of(show, player)
        if stack is None:
            return {}
        step = cues.upcoming_step(show, state, player, stack, _of_tile(show, do))
        cursor = None if step is None else step.cursor
        if step is None or not isinstance(cursor, Cued):
            return {}

        ref = cues.to_cue(stack.ref, cursor.cue)
        way = self._to_step(step, state, now, self._cue_after(stack, cursor))
        return {ref: self._as_readied(state, player, cursor.cue, way)}

    def _as_readied(
        self, state: PlayState, player: Player, cue: str, way: dict[str, Angles]
    ) -> dict[str, Angles]:
        """The ways by which heads that went ahead in the dark reach their points: those
        by which they went, not by another turn of pan.
        """
        went = next(
            (one for one in state.ready if (one.player, one.cue) == (player.id, cue)),
            None,
        )
        if went is None:
            return way
        own = self.compiled.routes.get((player.id, cue), {})
        rest = {f: angles for f, angles in way.items() if f not in went.after}
        return rest | {f: angles for f, angles in own.items() if f in went.after}

    def _cue_after(self, stack: Stack, cursor: Cued) -> Sequence[CompiledLook]:
        """What a stack can go to from a cue."""
        cue = cues.next_cue(stack, cursor)
        if cue is None:
            return ()
        return (self.compiled.look_of(step_at(stack, cue)),)

    def _way(self, plays: Ref, do: Do, now: float) -> HeadRoutes:
        compiled = self.compiled
        if players.playable_of(compiled.show, plays) is None:
            return {}
        others = [
            compiled.look_of(Step(ref=other))
            for other in foreseen.exclusive(compiled.show, do.ref)
        ]
        return self._to_step(self._first_step(plays), self._playing(), now, others)

    def _first_step(self, plays: Ref) -> Step:
        """The step with which something begins."""
        found = self.show.playables.get(plays.id)
        if isinstance(found, Stack) and found.cues:
            return step_at(found, found.cues[0])
        return Step(ref=plays)

    def _to_step(
        self, step: Step, state: PlayState, now: float, others: Sequence[CompiledLook]
    ) -> dict[str, Angles]:
        """How heads reach the points of a step, from what is on at a time."""
        compiled = self.compiled
        look, source = compiled.look_of(step), compiled.source(step)
        ways = approach(compiled, state, now, look, others)
        return ways | onto_paths(compiled, state, now, source)


def _settled(player: Player) -> float:
    """When nothing of a player fades any more; now where it is held."""
    return player.settles if math.isfinite(player.settles) else 0.0


def _of_tile(show: Show, do: Do) -> Do:
    """What is done to a stack by doing something to a tile of it."""
    tile = find(show, do.ref)
    if isinstance(tile, CueTile) and tile.does == CueDeed.BACK:
        return msgspec.structs.replace(do, ref=tile.of, verb=Verb.BACK)
    return do
