"""Chases as light: steps that follow each other, in closed form."""

from __future__ import annotations

import math
import random
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from itertools import accumulate
from typing import NamedTuple

import numpy as np

from choreon.language import tr
from choreon.model.edits import merge_looks
from choreon.model.motion import Effect
from choreon.model.playables import Chase
from choreon.model.playables.chase import ChaseStep, Run, Unit, steps_of
from choreon.model.playables.nesting import DEEPEST, contains, too_deep
from choreon.model.refs import name_of
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.effects import CompiledEffects, PathBegin, compile_effects
from choreon.render.fades import Fade, Move
from choreon.render.live import Change, Dimming, Followed, Given, Live, Moved
from choreon.render.looks import Angles, CompiledLook, compile_look, whole_of
from choreon.render.mixed import Mixed
from choreon.render.recent import Recent
from choreon.render.rig import Floats, Rig
from choreon.render.sources.base import CompileContext, Source
from choreon.render.sources.scene import MovingScene, StillScene
from choreon.render.state import FRAME, AnyCursor, Going, Pace, Time, replace

PAIRS = 256  # crossfades from step to step that are kept
FOREVER = float("inf")


class ChasePlace(NamedTuple):
    """Where a chase is: on its way from a step (−1: from nothing) to a step, `share` of
    it done; `begin`: the own time at which it set out; `number`: how many it went to
    before.
    """

    before: int
    step: int
    share: float
    begin: float
    number: int


class Rounds:
    """The order of steps, and where one is at a time; `fades` and `lengths` in the
    chase's unit.
    """

    def __init__(
        self,
        fades: Sequence[float],
        lengths: Sequence[float],
        run: Run,
        rounds: int,
        first: int,
        seed: int,
    ) -> None:
        self.fades, self.lengths = list(fades), list(lengths)
        self.run, self.rounds, self.seed = run, max(0, rounds), seed
        self.count = len(self.fades)
        self._order = self._make_order(first)
        self._ends = list(accumulate(self.lengths[k] for k in self._order))

        self.round = self._ends[-1] if self._ends else 0.0
        self._shortest = min(self.lengths, default=0.0)

    def _make_order(self, first: int) -> list[int]:
        count = self.count
        steps = list(range(count))
        if self.run == Run.BACKWARD:
            start = first if 0 < first < count else count - 1
            return [(start - i) % count for i in range(count)]
        if self.run == Run.BOUNCE:
            steps = [*steps, *steps[-2:0:-1]]
        start = first if 0 < first < count else 0
        return [*steps[start:], *steps[:start]]

    def order(self, number: int) -> list[int]:
        """Returns the steps of a round in their order."""
        if self.run != Run.SHUFFLE or self.count < 3:
            return self._order
        own = self._shuffled(number)
        # never the same one twice running
        if number > 0 and own[0] == self._shuffled(number - 1)[-1]:
            own[0], own[1] = own[1], own[0]
        return own

    def _shuffled(self, number: int) -> list[int]:
        own = list(range(self.count))
        random.Random(f"{self.seed} {number}").shuffle(own)
        return own

    @property
    def total(self) -> float:
        """When it is at its end, in the chase's unit."""
        if not self.rounds or not self.count:
            return FOREVER
        back = 0.0
        if self.run == Run.BOUNCE and self.count > 1:
            back = self.lengths[self._order[0]]  # and to where it began
        return self.rounds * self.round + back

    def at(self, own: float, least: float = 0.0) -> ChasePlace:
        """Returns where it is at an own time; it stands at its end. Steps that are
        shorter than `least` are shown for so long, where those after them leave room.
        """
        total = self.total
        if own >= total:
            last = self._at(total - 1e-9, 0.0)
            return last._replace(share=1.0)
        return self._at(own, least)

    def _at(self, own: float, least: float) -> ChasePlace:
        own = max(0.0, own)
        number = int(own // self.round) if self.round > 0 else 0
        within = own - number * self.round
        order = self.order(number)
        ends = self._ends

        if order is not self._order:
            ends = list(accumulate(self.lengths[k] for k in order))

        shown = ends
        if least > self._shortest:
            shown = _prolonged(ends, least)

        place = min(bisect_right(shown, within), len(order) - 1)
        step = order[place]
        begin = ends[place] - self.lengths[step]

        if place:
            before = order[place - 1]
        else:
            before = self.order(number - 1)[-1] if number else -1

        fade = self.fades[step]
        # one that is shown late is there wholly when it would have been
        late = shown[place - 1] - begin if place else 0.0
        left = fade - late
        share = min(1.0, (within - begin - late) / left) if left > 0 else 1.0

        if before in (-1, step):
            share = 1.0  # nothing is before it: the whole chase comes in

        count = number * len(order) + place
        return ChasePlace(before, step, share, number * self.round + begin, count)

    def own_time(self, number: int) -> float:
        """Returns the own time at which it has just gone over to the step that comes
        after `number` others.
        """
        step = self.step_at(number)
        fade = self.fades[step] if number > 0 else 0.0
        return self.begin_of(number) + min(fade, self.lengths[step])

    def begin_of(self, number: int) -> float:
        """Returns the own time at which it sets out for the step that comes after
        `number` others.
        """
        round_, place = divmod(max(0, number), len(self._order))
        order = self.order(round_)
        return round_ * self.round + sum(self.lengths[k] for k in order[:place])

    def step_at(self, number: int) -> int:
        """Returns the step that comes after `number` others."""
        round_, place = divmod(max(0, number), len(self._order))
        return self.order(round_)[place]


def _prolonged(ends: Sequence[float], least: float) -> list[float]:
    """The ends of steps of which none is shorter than `least`: each is as late as those
    before it make it, none later than those after it allow. Where there is no room for
    all, the ends as they are.
    """
    if ends[-1] < least * len(ends):
        return list(ends)

    prolonged: list[float] = []
    begin = 0.0
    for end in ends:
        begin = max(end, begin + least)
        prolonged.append(begin)

    latest = ends[-1]
    for place in reversed(range(len(prolonged))):
        prolonged[place] = min(prolonged[place], latest)
        latest = prolonged[place] - least

    return prolonged


def rounds_of(chase: Chase, steps: Sequence[ChaseStep]) -> Rounds:
    """Returns the order and the times of a chase that has these steps."""
    return Rounds(
        [chase.fade_of(step) for step in steps],
        [chase.length_of(step) for step in steps],
        chase.run,
        chase.rounds,
        chase.first,
        chase.seed,
    )


def own_time(chase: Chase, time: Time) -> float:
    """Returns a time in the unit of a chase."""
    return time.beats if chase.unit == Unit.BEATS else time.seconds


class ChaseSource:
    """A chase, its steps compiled."""

    still = False
    own_clock = True

    def __init__(
        self,
        rig: Rig,
        chase: Chase,
        steps: Sequence[ChaseStep],
        sources: list[Source],
        names: Sequence[str],
    ) -> None:
        self.rig, self.chase, self.sources = rig, chase, sources
        self.names = list(names)
        self.ids = [step.id for step in steps]
        self.plays = [step.plays for step in steps]
        self.sequence = rounds_of(chase, steps)

        plays = {str(step.plays) for step in steps if step.plays is not None}
        pattern = chase.pattern
        if pattern is not None:
            ends = (pattern.on_scene, pattern.off_scene)
            plays |= {str(ref) for ref in ends if ref is not None}

        self.uses = frozenset(plays).union(*(source.uses for source in sources))
        self.modifies = any(source.modifies for source in sources)
        self.look = whole_of(rig, [source.look for source in sources], self.uses)
        self.pairs: Recent[tuple[int, int], Fade] = Recent(PAIRS)

        for spot in range(min(len(sources) * 2, PAIRS // 2)):
            here = self.sequence.step_at(spot)
            self.pair(here, self.sequence.step_at(spot + 1))

    def own(self, time: Time) -> float:
        """Returns its own time, in its own unit."""
        return own_time(self.chase, time)

    def pair(self, before: int, after: int) -> Fade:
        """Returns the crossfade from one step to another, compiled."""
        looks = (self.sources[before].look, self.sources[after].look)
        return self.pairs.get((before, after), lambda: Fade(self.rig, looks))

    def followed(self, show: Show, moved: set[str]) -> ChaseSource | None:
        """It is compiled anew."""
        return None

    def length(self) -> Time:
        """Returns how long a round takes."""
        whole = self.sequence.round
        beats = self.chase.unit == Unit.BEATS
        return Time(0.0, whole) if beats else Time(whole, 0.0)

    def path_begins(self) -> Sequence[PathBegin]:
        """Returns the paths in the room of its first step, where that is its own."""
        if not self.sources:
            return ()
        first = self.sequence.step_at(0)
        return () if self.plays[first] else self.sources[first].path_begins()

    def prepare(self, size: float) -> None:
        """Work out what its steps are at a size of their effects."""
        for source in dict.fromkeys(self.sources):
            source.prepare(size)

    def live(self, offsets: Mapping[str, float]) -> LiveChase:
        """Returns what a layer asks."""
        return LiveChase(self, offsets)

    def stored(self, time: Time) -> Look:
        """Returns the look of the step that it is at; on the way from one to the other
        both, without their links.
        """
        if not self.sources:
            return {}

        spot = self.sequence.at(self.own(time))
        here = self.sources[spot.step].stored(time)
        if spot.share >= 1.0:
            return here

        both = merge_looks(self.sources[spot.before].stored(time), here)
        return {
            i: {n: 0.0 if isinstance(v, str) else v for n, v in values.items()}
            for i, values in both.items()
        }

    def place(self, time: Time) -> str:
        """Returns which step it is at, in words."""
        if not self.sources:
            return ""
        spot = self.sequence.at(self.own(time))
        called = self.names[spot.step]
        step, count = spot.step + 1, len(self.ids)
        if not called:
            return tr("step {step} of {n}", step=step, n=count)
        return tr("step {step} of {n}: {name}", step=step, n=count, name=called)

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """Returns the effects of the step that it is at."""
        if not self.sources:
            return []
        spot = self.sequence.at(self.own(time))
        return self.sources[spot.step].running(cursor, time)

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """It goes on at the same step: on the way to it as far as it was, or as far on
        in what the step stands for.
        """
        if not isinstance(before, ChaseSource) or not isinstance(cursor, Going):
            return cursor
        if not before.ids or not self.ids:
            return cursor

        was = before.sequence
        spot = was.at(before.own(time))
        same_order = before.ids == self.ids and was.run == self.sequence.run
        number = spot.number

        if not same_order or was._order != self.sequence._order:
            number = self._nearest(before.ids[spot.step], spot.number)

        within = before.own(time) - spot.begin
        own = self.sequence.begin_of(number) + _as_far(
            was, spot.step, within, self.sequence, self.sequence.step_at(number)
        )
        if abs(own - self.own(time)) < 1e-12 and before.chase.unit == self.chase.unit:
            return cursor

        return moved_to(self.chase, cursor, time, own)

    def _nearest(self, step_id: str, number: int) -> int:
        """The number of a step that is called so, not far from a number."""
        if step_id not in self.ids:
            return min(number, max(0, len(self.ids) - 1))
        wanted = self.ids.index(step_id)
        size = max(1, len(self.sequence.order(0)))
        base = number - number % size
        near = range(base, base + 2 * size)
        return next((n for n in near if self.sequence.step_at(n) == wanted), 0)

    def ends(self) -> Time | None:
        """Returns when its last round is over."""
        total = self.sequence.total
        if total == FOREVER:
            return None
        if self.chase.unit == Unit.BEATS:
            return Time(FOREVER, total)
        return Time(total, FOREVER)


def _as_far(before: Rounds, step: int, within: float, after: Rounds, now: int) -> float:
    """How long a step has been gone to (in its unit) where it is as far on as another,
    `step` of `before`, that has been gone to for `within`: on the way by the share that
    has come, then by that of what it stands for.
    """
    old_fade, new_fade = before.fades[step], after.fades[now]
    old_way = min(old_fade, before.lengths[step])
    new_way = min(new_fade, after.lengths[now])
    if within < old_way:
        return min(new_way, within / old_fade * new_fade)

    old_rest = before.lengths[step] - old_way
    stood = min(1.0, (within - old_way) / max(old_rest, 1e-9))
    return new_way + stood * (after.lengths[now] - new_way)


def moved_to(chase: Chase, cursor: Going, time: Time, own: float) -> Going:
    """Returns a cursor whose own time, in the chase's unit, is `own` where it is `time`
    now.
    """
    if chase.unit == Unit.BEATS:
        return replace(cursor, beats=cursor.beats + own - time.beats)
    return replace(cursor, seconds=cursor.seconds + own - time.seconds)


class InWhole:
    """Where among what something gives the rows and lamps of a part of it are."""

    def __init__(self, whole: CompiledLook, part: CompiledLook | Fade) -> None:
        self.lamps = np.searchsorted(whole.lamps, part.lamps)
        claims = part.claims if isinstance(part, Fade) else part.claims[0]
        self.claims = np.searchsorted(whole.claims[0], claims)
        self.rows = np.searchsorted(whole.rows, part.rows)
        self.freed = np.searchsorted(whole.freed, part.freed)


class LiveChase:
    """A chase in one layer."""

    asks = True
    size = 1.0
    pace = Pace()

    def __init__(self, source: ChaseSource, offsets: Mapping[str, float]) -> None:
        self.source, self.look, self.offsets = source, source.look, offsets
        look = self.look
        self.levels = np.zeros(len(look.lamps))
        # it counts as lighting all that any of its steps lights: no rule changes as it
        # goes from one to the next
        self.light, self.shine = look.shining[1], look.claims[2]
        self._values = look.values.copy()

        self._presence = np.zeros(len(look.rows))
        self._freed = np.zeros(len(look.freed))
        # by what a step plays, and whether it is left for the same once more
        self._lives: dict[tuple[int, bool], Live | None] = {}
        self._mixed: dict[tuple[int, int], tuple[Mixed, InWhole]] = {}
        self._into: dict[int, InWhole] = {}

        self._spot = ChasePlace(-1, -1, 1.0, 0.0, 0)
        self._masters: Dimming = ()
        self._left: dict[int, float] = {}  # what masters leave of steps
        self.modifies = source.modifies

    def _live(self, step: int, left: bool = False) -> Live | None:
        """What a step asks. Steps that play the same share it: where it stands follows
        from the time alone. `left`: the step goes over into one that plays the same.
        """
        source = self.source.sources[step]
        key = (id(source), left)
        if key not in self._lives:
            live = source.live(self.offsets)
            if live is not None:
                live.size, live.pace = self.size, self.pace
                live.dim(self._beyond(step))
            self._lives[key] = live
        return self._lives[key]

    def dim(self, masters: Dimming) -> None:
        """Have masters scale those steps that play what they are over."""
        if masters == self._masters:
            return
        self._masters = masters
        self._left = {}
        for step, source in enumerate(self.source.sources):
            for left in (False, True):
                live = self._lives.get((id(source), left))
                if live is not None:
                    live.dim(self._beyond(step))

    def _beyond(self, step: int) -> Dimming:
        """The masters that are not over a step itself: they may be over what that
        plays.
        """
        plays = self.source.plays[step]
        return [(refs, level) for refs, level in self._masters if plays not in refs]

    def _left_of(self, step: int) -> float:
        """What masters leave of the light of a step, 0…1."""
        if not self._masters:
            return 1.0
        if step not in self._left:
            plays = self.source.plays[step]
            levels = [level for refs, level in self._masters if plays in refs]
            self._left[step] = math.prod(levels)
        return self._left[step]

    def _pair(self, before: int, after: int) -> tuple[Mixed, InWhole]:
        found = self._mixed.get((before, after))
        if found is None:
            fade = self.source.pair(before, after)
            sources = self.source.sources
            same = sources[before] is sources[after]
            lives = (self._live(before, same), self._live(after))
            found = Mixed(fade, lives), InWhole(self.look, fade)
            if len(self._mixed) >= PAIRS:
                self._mixed.clear()
            self._mixed[before, after] = found
        return found

    def _alone(self, step: int) -> InWhole:
        if step not in self._into:
            self._into[step] = InWhole(self.look, self.source.sources[step].look)
        return self._into[step]

    @property
    def _moves(self) -> list[Move]:
        share = self._spot.share
        return [Move(share, share, share)]

    def _time_in(self, step: int, time: Time, begin: float) -> Time:
        """The time of a step: what has a clock of its own begins anew with it."""
        if not self.source.sources[step].own_clock:
            return time
        if self.source.chase.unit == Unit.BEATS:
            return Time(time.seconds, time.beats - begin)
        return Time(time.seconds - begin, time.beats)

    def move(self, time: Time) -> None:
        """Go to a time."""
        self.levels[:] = 0.0
        if not self.source.sources:
            return

        sequence = self.source.sequence
        spot = self._spot = sequence.at(self.source.own(time), self._least)
        here = self._time_in(spot.step, time, spot.begin)

        if spot.share >= 1.0:
            self._move_alone(spot.step, here)
            return

        mixed, into = self._pair(spot.before, spot.step)
        left = self._begin_before(spot)
        mixed.move([self._time_in(spot.before, time, left), here])
        lefts = self._left_of(spot.before), self._left_of(spot.step)
        mixed.left = None if lefts == (1.0, 1.0) else np.array(lefts)

        self.levels[into.lamps] = mixed.level(self._moves)

    @property
    def _least(self) -> float:
        """How long a frame takes, in its own unit."""
        beats = self.source.chase.unit == Unit.BEATS
        return FRAME * self.pace.rate * (self.pace.bpm / 60.0 if beats else 1.0)

    def _begin_before(self, spot: ChasePlace) -> float:
        """When the step before began."""
        return spot.begin - self.source.sequence.lengths[spot.before]

    def _move_alone(self, step: int, time: Time) -> None:
        look, live = self.source.sources[step].look, self._live(step)
        into = self._alone(step)
        if live is not None:
            live.move(time)
        levels = look.levels if live is None else live.levels
        self.levels[into.lamps] = levels * self._left_of(step)

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities."""
        self._presence[:] = 0.0
        self._freed[:] = 0.0
        spot = self._spot

        if spot.step < 0:
            return Given(self._values, self._presence, self._freed)

        if spot.share >= 1.0:
            self._give_alone(spot.step, weight, others)
        else:
            mixed, into = self._pair(spot.before, spot.step)
            outcome = mixed.outcome(self._moves, weight, others[into.claims])
            self._values[into.rows] = outcome.values
            self._presence[into.rows] = outcome.presence
            self._freed[into.freed] = outcome.freed

        return Given(self._values, self._presence, self._freed)

    def _give_alone(self, step: int, weight: float, others: Floats) -> None:
        look, live = self.source.sources[step].look, self._live(step)
        into = self._alone(step)
        values, presence, freed = look.values, None, None
        if live is not None:
            given = live.give(weight, others[into.claims])
            values, presence, freed = given.values, given.presence, given.freed
        self._values[into.rows] = values
        self._presence[into.rows] = 1.0 if presence is None else presence
        self._freed[into.freed] = 1.0 if freed is None else freed

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what its steps do to what others give."""
        spot = self._spot
        if spot.step < 0:
            return []
        if spot.share < 1.0:
            return self._pair(spot.before, spot.step)[0].changes(self._moves)
        live = self._live(spot.step)
        return [] if live is None else live.changes()

    def followed(self) -> list[Followed]:
        """Returns the heads that paths of its steps move."""
        spot = self._spot
        if spot.step < 0:
            return []
        if spot.share < 1.0:
            return self._pair(spot.before, spot.step)[0].followed(self._moves)
        live = self._live(spot.step)
        return [] if live is None else live.followed()

    def names(self) -> list[Moved]:
        """Returns the effects of the step that it is at."""
        live = self._live(self._spot.step) if self._spot.step >= 0 else None
        return [] if live is None else live.names()


def compile_chase(
    context: CompileContext, chase: Chase, aims: Mapping[str, Angles]
) -> ChaseSource:
    """Compile a chase. Steps that play what is gone, or the chase itself, stay dark."""
    show, rig = context.show, context.rig
    steps = steps_of(show, chase)
    sources = [_source_of(context, chase, step, aims) for step in steps]
    names = [step_name(show, step) for step in steps]
    return ChaseSource(rig, chase, steps, sources, names)


def step_name(show: Show, step: ChaseStep) -> str:
    """Returns what a step is called: its own name, or that of what it plays."""
    if step.name or step.plays is None:
        return step.name
    return name_of(show, step.plays)


def _source_of(
    context: CompileContext, chase: Chase, step: ChaseStep, aims: Mapping[str, Angles]
) -> Source:
    show, rig = context.show, context.rig
    if step.plays is not None:
        itself = step.plays == chase.ref or contains(show, step.plays, chase.ref)
        dark = itself or too_deep(show, step.plays, DEEPEST - 1)
        found = None if dark else context.source_of(step.plays)
        return StillScene(CompiledLook(rig), {}) if found is None else found
    look = compile_look(rig, step.look, show, aims)
    if not any(effect.on for effect in step.effects):
        return StillScene(look, step.look)
    moving: CompiledEffects = compile_effects(show, rig, look, step.effects, aims)
    return MovingScene(moving, step.effects, step.look)
