"""Effects compiled: what each moves on a rig, and what that comes to at a time."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from choreon.model import attributes as at
from choreon.model import effects as model_effects
from choreon.model.motion import (
    MOTIONS,
    By,
    ColourRoll,
    Effect,
    EffectMode,
    Effects,
    Motion,
    Path,
    Rate,
    Shape,
    Wave,
    title,
)
from choreon.model.show import Show
from choreon.render import choice, path_tables, rolls, waves
from choreon.render.choice import Item
from choreon.render.heads import Heads
from choreon.render.live import (
    AimChange,
    Change,
    Dimming,
    Followed,
    Given,
    LevelChange,
    Moved,
    ValueChange,
    around,
)
from choreon.render.looks import (
    Angles,
    CompiledLook,
    find_heads,
)
from choreon.render.path_tables import PathTable
from choreon.render.paths import SAMPLES, shape_of
from choreon.render.rig import Flags, Floats, Ints, Rig
from choreon.render.state import FRAME, Pace, Time

USUAL_BPM = 120.0  # at which beats are taken for seconds where those are asked for


@dataclass(frozen=True)
class Lacking:
    """Lamps that an effect is for and that have not got what it moves."""

    effect: str
    fixtures: tuple[str, ...]


def row_of(show: Show, rig: Rig, effect: Effect) -> list[Item]:
    """Returns what takes part in an effect, one by one and in order."""
    ids = model_effects.fixtures_of(show, effect)
    each_cell = effect.by != By.FIXTURES
    return choice.items(rig, ids, effect.cells, each_cell)


def lacking(show: Show, rig: Rig, effect: Effect) -> list[str]:
    """Returns the fixtures that an effect is for and that lack what it moves."""
    motion = model_effects.motion_of(show, effect)
    names = MOTIONS[motion.kind].needs(motion)
    if not names:
        return []

    ids = model_effects.fixtures_of(show, effect)
    return [i for i in ids if not any(rig.takes(i, name) for name in names)]


def phases(items: list[Item], effect: Effect, motion: Motion) -> tuple[Floats, Ints]:
    """Returns the phase (n, cycles) of each of a row and whom it moves with."""
    if effect.by != By.EACH:
        return waves.places(len(items), motion.spread)
    phase, group = np.zeros(len(items)), np.zeros(len(items), np.int64)
    own: dict[str, list[int]] = {}
    for place, (fixture, _) in enumerate(items):
        own.setdefault(fixture, []).append(place)
    for those in own.values():
        phase[those], group[those] = waves.places(len(those), motion.spread)
    return phase, group


# one effect


@dataclass
class Running:
    """An effect's place in time."""

    id: str
    name: str
    rate: Rate
    start: float

    @cached_property
    def _speed(self) -> tuple[float, bool]:
        return self.rate.speed, self.rate.by_tempo

    def position(self, time: Time, offsets: Mapping[str, float]) -> float:
        """Returns where it is, in cycles."""
        speed, by_tempo = self._speed
        gone = speed * (time.beats if by_tempo else time.seconds)
        return gone + self.start + offsets.get(self.id, 0.0)

    @property
    def seconds(self) -> float:
        """Seconds that a cycle takes, about."""
        speed = self.speed_at(Pace(bpm=USUAL_BPM))
        return 1.0 / speed if speed > 0 else 1e9

    def speed_at(self, pace: Pace) -> float:
        """Returns how many cycles go by in a second."""
        speed, by_tempo = self._speed
        return speed * pace.rate * (pace.bpm / 60.0 if by_tempo else 1.0)


class PathBegin(NamedTuple):
    """Where heads (h) begin on a path in the room: pan and tilt (h, 2), and the points
    that they look at there (h, 3).
    """

    heads: Ints
    angles: Floats
    points: Floats


class HeadWays(NamedTuple):
    """The ways of heads (h): pan and tilt all along (h, n, 2), and where each is now
    (h, 2).
    """

    heads: Ints
    lines: Floats
    here: Floats


class Op(ABC):
    """One effect on the rows that it moves. A kind that changes nothing of what others
    give, and leads no heads, need not say so.
    """

    running: Running

    @abstractmethod
    def move(self, live: LiveEffects, position: float) -> None:
        """Change what a look gives, at a position in cycles."""

    def target(self, look: CompiledLook) -> None:
        """Find its rows among what a look gives."""
        return None

    def moved(self, live: LiveEffects) -> list[Moved]:
        """Returns the rows of the look that it moves, and their values."""
        return []

    @property
    def reaches_others(self) -> bool:
        """Whether it changes what others give."""
        return False

    def prepare(self, size: float) -> None:
        """Work out what it needs at a size, ahead of its use."""
        return None

    def begins(self) -> PathBegin | None:
        """Returns where its heads begin on a path in the room; None where there is
        none.
        """
        return None

    def points(self, position: float) -> Floats:
        """Returns where in the room its heads look (h, 3), at a position in cycles."""
        return np.zeros((0, 3))

    def ways(
        self, heads: Heads, values: Floats, position: float, every: int = 1
    ) -> HeadWays | None:
        """Returns the ways of its heads over what is on stage, by every so many samples
        of them, at a position in cycles; None where it leads none.
        """
        return None


@dataclass
class WaveOp(Op):
    """A wave on rows (n): intensities, or others. What becomes of it is said by
    targets: `own` are places (n) among what the look gives, −1 for rows of others.
    """

    running: Running
    motion: Wave
    rows: Ints
    phase: Floats
    group: Ints
    curve: Floats | None
    slope: Floats
    offset: Floats
    rounded: bool
    is_level: bool
    own: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    here: Flags = field(default_factory=lambda: np.zeros(0, bool))
    _drawn: tuple[Floats, Floats, Floats] | None = None

    def values(self, position: float, speed: float = 0.0) -> Floats:
        """Returns the wave (n) in the unit of its rows. `speed`: cycles a second; a
        pulse is up for a frame at least.
        """
        motion = self.motion
        within, number = waves.cycle(position + self.phase, *self._cycle)
        if motion.shape == Shape.RANDOM:
            found = self._random(within, number)
        else:
            least = min(0.5, speed * FRAME / max(self._cycle[1], 1e-6))
            found = waves.wave(motion, within, number, self.group, self.curve, least)

        found *= motion.high - motion.low
        found += motion.low
        if self.rounded:
            found = np.round(found)

        return found * self.slope + self.offset if self.is_raw else found

    @cached_property
    def resting(self) -> float | Floats:
        """What the wave comes to at no size at all: its middle, or what changes nothing
        of others.
        """
        motion = self.motion
        if motion.mode != EffectMode.REPLACES:
            return 1.0 if motion.mode == EffectMode.SCALES else 0.0
        middle = (motion.low + motion.high) / 2.0
        return middle * self.slope + self.offset if self.is_raw else middle

    @cached_property
    def _cycle(self) -> tuple[bool, float, bool]:
        """Whether it goes backward, its active share, whether it turns back: what is
        random goes on and on, it neither turns back nor rests.
        """
        motion = self.motion
        if motion.shape == Shape.RANDOM:
            return motion.backward, 1.0, False
        return motion.backward, motion.active, motion.there_and_back

    def _random(self, within: Floats, number: Floats) -> Floats:
        """What is random, drawn anew only when one of its cycles is over."""
        drawn = self._drawn
        if drawn is None or not np.array_equal(drawn[0], number):
            ends = waves.drawn(number, self.group, self.motion.seed)
            drawn = self._drawn = number, *ends
        return waves.between(within, *drawn[1:])

    @cached_property
    def is_raw(self) -> bool:
        """Whether its values become raw ones of channels."""
        return bool((self.slope != 1.0).any() or self.offset.any())

    @cached_property
    def is_own(self) -> bool:
        """Whether all its rows are what the look itself gives."""
        return bool(self.here.all())

    def target(self, look: CompiledLook) -> None:
        """Find its rows among what a look gives."""
        among = look.lamps if self.is_level else look.rows
        self.own = np.searchsorted(among, self.rows[self.here])

    def move(self, live: LiveEffects, position: float) -> None:
        """Change what a look gives, at a position in cycles."""
        values = self.values(position, self.running.speed_at(live.pace))
        mode = self.motion.mode
        if live.size < 1.0:
            values = self.resting + live.size * (values - self.resting)

        target = live.levels if self.is_level else live.values
        own = values if self.is_own else values[self.here]
        if mode == EffectMode.REPLACES:
            target[self.own] = own
        elif mode == EffectMode.SCALES:
            target[self.own] *= own
        else:
            target[self.own] += own

        if self.is_level:
            if mode == EffectMode.ADDS:
                target[self.own] = np.clip(target[self.own], 0.0, 1.0)
        elif len(self.own):
            live.clip(self.rows if self.is_own else self.rows[self.here], self.own)

        if not self.is_own:
            rows, rest = self.rows[~self.here], values[~self.here]
            kind = LevelChange if self.is_level else ValueChange
            live.made.append(kind(self.running.name, rows, mode, rest))

    def moved(self, live: LiveEffects) -> list[Moved]:
        """Returns the rows of the look that it moves, and their values."""
        source = live.levels if self.is_level else live.values
        return [Moved(self.running.name, self.rows[self.here], source[self.own])]

    @property
    def reaches_others(self) -> bool:
        """Whether it changes what others give."""
        return self.motion.mode != EffectMode.REPLACES and not self.is_own


@dataclass
class RollOp(Op):
    """Colours that roll: `which` of the target colours (n), of wheels their rows, of
    levels theirs, each with the place in the row that it follows.
    """

    running: Running
    motion: ColourRoll
    table: rolls.Table
    phase: Floats
    colours: Ints
    colour_item: Ints
    wheels: Ints
    wheel_item: Ints
    slots: Floats  # wheels, SIZE
    lamps: Ints
    lamp_item: Ints
    own: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    own_wheels: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    own_lamps: Ints = field(default_factory=lambda: np.zeros(0, np.int64))

    def read(self, position: float) -> tuple[Floats, Floats, Ints]:
        """Returns OKLab (3, n), levels (n) and places in the table (n) of the row."""
        at_ = position + self.phase
        if self.motion.there_and_back:
            within = position - math.floor(position)
            at_ = 1.0 - abs(2.0 * within - 1.0) + self.phase
        return rolls.read(self.table, -at_ if self.motion.backward else at_)

    def target(self, look: CompiledLook) -> None:
        """Find its rows among what a look gives."""
        rows = _colour_rows(look.rig, self.colours)
        self.own = np.searchsorted(look.rows, rows.reshape(-1)).reshape(3, -1)
        self.own_wheels = np.searchsorted(look.rows, self.wheels)
        self.own_lamps = np.searchsorted(look.lamps, self.lamps)

    def move(self, live: LiveEffects, position: float) -> None:
        """Change what a look gives, at a position in cycles."""
        lab, level, place = self.read(position)
        live.values[self.own] = lab.take(self.colour_item, axis=1)
        if len(self.wheels):
            own = place[self.wheel_item]
            own = np.where(own < 0, rolls.SIZE - 1, own)
            slots = self.slots[np.arange(len(own)), own]
            live.values[self.own_wheels] = slots
        if len(self.lamps):
            live.levels[self.own_lamps] = level[self.lamp_item]

    def moved(self, live: LiveEffects) -> list[Moved]:
        """Returns the rows of the look that it moves, and their values."""
        name, rows = self.running.name, live.look.rows
        places = np.concatenate([self.own.reshape(-1), self.own_wheels])
        return [
            Moved(name, rows[places], live.values[places]),
            Moved(name, self.lamps, live.levels[self.own_lamps]),
        ]


SIZES = 8  # steps of its size at which a path is worked out; between them it is mixed


@dataclass
class PathOp(Op):
    """Heads (h) on a path. `table_at`: makes the table of the path at a size, 0…1 of
    its own.
    """

    running: Running
    motion: Path
    table: PathTable
    phase: Floats
    rows: Ints  # h, 2
    table_at: Callable[[float], PathTable]
    own: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    tables: dict[int, PathTable] = field(default_factory=dict)

    def tables_at(self, size: float) -> list[PathTable]:
        """Returns the tables between which a size lies, the smaller one first; made
        when they are first asked for.
        """
        step = min(1.0, max(0.0, size)) * SIZES
        around = {math.floor(step), math.ceil(step)}
        for number in around - {SIZES, *self.tables}:
            self.tables[number] = self.table_at(number / SIZES)
        known = {**self.tables, SIZES: self.table}
        return [known[number] for number in sorted(around)]

    def at(
        self, position: float, size: float, speed: float
    ) -> tuple[Floats, Floats | None]:
        """Returns pan and tilt (h, 2), and how far each head may shine (h; None: all
        wholly), at a position and a size. `speed`: cycles a second.
        """
        tables = self.tables_at(size)
        angles, light = tables[-1].at(position + self.phase, speed)
        if len(tables) == 1:
            return angles, light

        smaller, dimmer = tables[0].at(position + self.phase, speed)
        share = size * SIZES - math.floor(size * SIZES)
        # one that goes another way about at the smaller size goes over when it is there
        apart = angles - smaller
        alike = np.abs(apart).max(axis=1, keepdims=True) < ALIKE
        angles = np.where(alike, smaller + share * apart, angles)

        if light is None or dimmer is None:
            return angles, dimmer if light is None else light

        return angles, np.minimum(light, dimmer)

    def begins(self) -> PathBegin | None:
        """Returns where each head begins; None for paths in degrees."""
        points = self.table.points
        if not self.motion.in_room or points is None:
            return None

        begin = np.mod(self.running.start + self.phase, 1.0)
        sample = (begin * SAMPLES).astype(np.int64)
        every = np.arange(len(sample))
        angles = self.table.angles[every, sample]
        return PathBegin(self.table.heads, angles, points[every, sample])

    def ways(
        self, heads: Heads, values: Floats, position: float, every: int = 1
    ) -> HeadWays | None:
        """Returns the ways of its heads."""
        here, _ = self.table.at(position + self.phase)
        return HeadWays(self.table.heads, self.table.angles[:, ::every], here)

    def points(self, position: float) -> Floats:
        """Returns where in the room the heads look (h, 3); none for paths in
        degrees.
        """
        if self.table.points is None:
            return np.zeros((0, 3))
        at_ = position + self.phase
        place = ((at_ - np.floor(at_)) * SAMPLES).astype(np.int64)
        return self.table.points[np.arange(len(place)), place]

    def target(self, look: CompiledLook) -> None:
        """Find its rows among what a look gives."""
        self.own = np.searchsorted(look.rows, self.rows.reshape(-1))

    def move(self, live: LiveEffects, position: float) -> None:
        """Change what a look gives, at a position in cycles."""
        speed = self.running.speed_at(live.pace)
        angles, light = self.at(position, live.size, speed)
        live.values[self.own] = angles.reshape(-1)

        back = None if light is None else 1.0 - light
        live.led.append(Followed(self.table.heads, 1.0, back))

    def moved(self, live: LiveEffects) -> list[Moved]:
        """Returns the rows of the look that it moves, and their values."""
        rows = live.look.rows[self.own]
        return [Moved(self.running.name, rows, live.values[self.own])]

    def prepare(self, size: float) -> None:
        """Work out what it needs at a size, ahead of its use."""
        self.tables_at(size)


ALIKE = 60.0  # degrees by which a head may be elsewhere on a path an eighth smaller


@dataclass
class AroundOp(Op):
    """Heads (h) around wherever they aim."""

    running: Running
    motion: Path
    flat: Floats  # SAMPLES + 1, 2
    phase: Floats
    which: Ints

    @cached_property
    def quickest(self) -> float:
        """How fast it goes at its fastest, degrees a cycle."""
        steps = np.linalg.norm(np.diff(self.flat, axis=0), axis=1)
        return float(steps.max(initial=0.0)) * (len(self.flat) - 1)

    @cached_property
    def outline(self) -> Floats:
        """Some places (OUTLINE, 2) of it, by which is seen how far it goes."""
        return self.flat[:: (len(self.flat) - 1) // OUTLINE][:OUTLINE]

    def away(self, position: float) -> Floats:
        """Returns how far each is away (h, 2), degrees at the beam."""
        at_ = position + self.phase
        place = (at_ - np.floor(at_)) * SAMPLES
        index = np.minimum(place.astype(np.int64), SAMPLES - 1)
        share = (place - index)[:, None]
        here = self.flat[index]
        return here + share * (self.flat[index + 1] - here)

    def move(self, live: LiveEffects, position: float) -> None:
        """Change what a look gives, at a position in cycles."""
        speed = self.running.speed_at(live.pace)
        live.made.append(
            AimChange(
                self.running.name,
                live.rig.heads,
                self.which,
                live.size * self.away(position),
                live.size * self.outline,
                live.size * self.quickest * speed,
            )
        )
        live.led.append(Followed(self.which))

    def ways(
        self, heads: Heads, values: Floats, position: float, every: int = 1
    ) -> HeadWays | None:
        """Returns the ways of its heads, around wherever they aim."""
        base, hanging = values[heads.rows[self.which]], heads.hanging[self.which]
        shape = self.flat[::every]
        line = np.broadcast_to(shape, (len(base), *shape.shape))
        lines = base[:, None] + around(base, hanging, line, LEAST_LEAN)

        away = self.away(position)[:, None]
        here = base + around(base, hanging, away, LEAST_LEAN)[:, 0]
        return HeadWays(self.which, lines, here)

    @property
    def reaches_others(self) -> bool:
        """Whether it changes what others give."""
        return True


LEAST_LEAN = 3.0  # degrees from straight down, nearer to which a drawn way has no pan
OUTLINE = 16


# many effects over a look


class EffectBuilder:
    """Gathers what a look and its effects give, row by row, in the order of the
    effects.
    """

    def __init__(
        self,
        show: Show,
        rig: Rig,
        static: CompiledLook,
        aims: Mapping[str, Angles],
    ) -> None:
        self.show, self.rig, self.static = show, rig, static
        self.aims = aims
        size = rig.size + rig.channels
        self.values = np.zeros(size)
        self.given = np.zeros(size, bool)

        self.level = np.zeros(rig.intensities)

        self.most = np.zeros(rig.intensities)
        self.lit = np.zeros(rig.intensities, bool)
        self.added = np.zeros(rig.intensities)  # that others' lamps get at the most
        self.freed = np.zeros(size, bool)
        self.values[: rig.size] = rig.home

        self.values[static.rows], self.given[static.rows] = static.values, True
        self.level[static.lamps] = self.most[static.lamps] = static.levels
        self.lit[static.lamps] = True
        self.freed[static.freed] = True
        self.moved_heads: set[int] = set()

        self.ops: list[Op] = []
        self.lacking: list[Lacking] = []
        self.troubles: dict[str, dict[str, str]] = {}

    def add(self, effect: Effect, rate: Rate) -> None:
        """Compile one effect; one of a kind that is not known moves nothing."""
        motion = model_effects.motion_of(self.show, effect)
        compile_it = COMPILERS.get(motion.kind)
        if compile_it is None:
            return

        missing = lacking(self.show, self.rig, effect)
        if missing:
            self.lacking.append(Lacking(effect.id, tuple(missing)))

        items = [
            item
            for item in row_of(self.show, self.rig, effect)
            if item[0] not in missing
        ]
        if not items:
            return

        running = Running(effect.id, title(motion), rate, effect.start)
        compile_it(self, running, motion, items, effect)

    def add_wave(
        self, running: Running, motion: Wave, items: list[Item], effect: Effect
    ) -> None:
        """Compile a wave."""
        rig, name = self.rig, motion.attribute
        if name in at.TARGET_COLOUR:
            return  # colours roll: a part of one means nothing by itself

        rows, which, slope, offset = _rows(rig, items, name)
        if not len(rows):
            return

        phase, group = phases(items, effect, motion)
        is_level = bool(rows[0] < rig.intensities)
        if is_level:
            low, high = _within_levels(motion)
            motion = model_effects.replace(motion, low=low, high=high)

        op = WaveOp(
            running,
            motion,
            rows,
            phase[which],
            group[which],
            waves.own_curve(motion),
            slope,
            offset,
            at.attribute(name).kind in ("slot", "mode", "program"),
            is_level,
        )
        there = self.lit if is_level else self.given
        if motion.mode == EffectMode.REPLACES:
            there[rows] = True

        op.here = there[rows].copy()
        if is_level:
            self._expect(op)

        self.ops.append(op)

    def _expect(self, op: WaveOp) -> None:
        """How strong a wave makes lamps at the most."""
        rows, high = op.rows[op.here], max(op.motion.low, op.motion.high)
        if op.motion.mode == EffectMode.REPLACES:
            self.most[rows] = np.maximum(self.most[rows], high)
        elif op.motion.mode == EffectMode.ADDS:
            self.most[rows] = np.minimum(1.0, self.most[rows] + max(0.0, high))
            others = op.rows[~op.here]
            self.added[others] = np.maximum(self.added[others], high)

    def add_roll(
        self, running: Running, motion: ColourRoll, items: list[Item], effect: Effect
    ) -> None:
        """Compile a roll of colours."""
        rig = self.rig
        table = rolls.table_of(self.show, motion, len(items))
        phase = self._roll_phase(motion, items, effect) / table.whole
        colours: dict[int, int] = {}
        wheels: dict[int, int] = {}

        lamps: dict[int, int] = {}
        slots = []

        for place, item in enumerate(items):
            for row in choice.rows(rig, [item], at.RED):
                colours.setdefault(row - rig.intensities, place)

            wheel = rig.wheels.get(item[0])
            if wheel is not None and wheel.row not in wheels:
                wheels[wheel.row] = place
                light = [tuple(rgb) for rgb in table.light().tolist()]
                slots.append([wheel.nearest_to(rgb) for rgb in light])

            for row in choice.rows(rig, [item], at.DIMMER) if motion.brightness else ():
                lamps.setdefault(row, place)

        op = RollOp(
            running,
            motion,
            table,
            phase,
            *_columns(colours),
            *_columns(wheels),
            np.array(slots, float).reshape(-1, rolls.SIZE),
            *_columns(lamps),
        )
        rows = _colour_rows(rig, op.colours)
        self.given[rows.reshape(-1)] = True
        self.given[op.wheels] = True
        self.lit[op.lamps] = True

        self.most[op.lamps] = np.maximum(self.most[op.lamps], table.level.max())
        for colour in op.colours.tolist():
            channels = np.array(rig.mixing.get(colour, ()), np.int64)
            self.freed[rig.size + channels] = True

        self.ops.append(op)

    def _roll_phase(
        self, motion: ColourRoll, items: list[Item], effect: Effect
    ) -> Floats:
        """By how many lamps each of a row is behind."""
        if not motion.across:
            return phases(items, effect, motion)[0] * len(items)
        rig, count = self.rig, len(items)
        x = np.array([_across(rig, item) for item in items])
        wide = float(np.ptp(x))
        behind = (x - x.min()) / wide * (count - 1) if wide > 0 else np.zeros(count)
        return behind if motion.spread.backward else -behind

    def add_path(
        self, running: Running, motion: Path, items: list[Item], effect: Effect
    ) -> None:
        """Compile a path of heads."""
        rig, heads = self.rig, self.rig.heads
        fixtures = list(dict.fromkeys(i for i, _ in items if i in heads.of))
        if not fixtures:
            return

        which = np.array([heads.of[i] for i in fixtures], np.int64)
        phase, _ = phases([(i, 0) for i in fixtures], effect, motion)
        show, seconds = self.show, running.seconds

        if motion.in_room:
            home = rig.home[heads.rows[which]]
            near = [self.aims.get(i, tuple(home[n])) for n, i in enumerate(fixtures)]
            come_from, begins = np.array(near, float), running.start + phase

            def table_at(size: float) -> PathTable:
                return path_tables.in_room(
                    show, heads, which, motion, come_from, seconds, size, begins
                )

        else:
            # those that the look does not aim go around wherever others aim them
            based = np.asarray(self.given[heads.rows[which]].all(axis=1))
            self._add_around(running, motion, phase[~based], which[~based])
            which, phase = which[based], phase[based]
            fixtures = [i for n, i in enumerate(fixtures) if based[n]]

            if not fixtures:
                return

            base, begins = self.values[heads.rows[which]], running.start + phase

            def table_at(size: float) -> PathTable:
                return path_tables.around(
                    show, heads, which, motion, base, seconds, size, begins
                )

        self._add_table(running, motion, table_at, phase, fixtures)

    def _add_around(
        self, running: Running, motion: Path, phase: Floats, which: Ints
    ) -> None:
        if len(which):
            flat = shape_of(motion)
            self.ops.append(AroundOp(running, motion, flat, phase, which))

    def _add_table(
        self,
        running: Running,
        motion: Path,
        table_at: Callable[[float], PathTable],
        phase: Floats,
        fixtures: list[str],
    ) -> None:
        """Heads of fixtures follow a path."""
        heads, table = self.rig.heads, table_at(1.0)
        told = {i: table.told(heads.of[i]) for i in fixtures}
        own = {i: text for i, text in told.items() if text}

        if own:
            self.troubles[running.id] = {**self.troubles.get(running.id, {}), **own}

        rows = heads.rows[table.heads]
        self.given[rows.reshape(-1)] = True
        self.moved_heads.update(table.heads.tolist())

        self.ops.append(PathOp(running, motion, table, phase, rows, table_at))

    def finish(self, uses: frozenset[str]) -> CompiledEffects:
        """Returns the look and its effects, ready to run."""
        rig = self.rig
        rows = np.flatnonzero(self.given)
        rows = rows[rows >= rig.intensities]
        lamps = np.flatnonzero(self.lit)
        freed = np.flatnonzero(self.freed & ~self.given)
        look = CompiledLook(
            rig,
            lamps,
            self.most[lamps],
            rows,
            self.values[rows],
            freed,
            uses=self.static.uses | uses,
        )

        if self.added.any():
            # what it adds to others' lamps lights them as well
            light = self.added.copy()
            light[lamps] = np.maximum(light[lamps], look.levels)
            shining = np.flatnonzero(self.lit | (light > 0.0))
            look.__dict__["shining"] = (shining, light[shining])

        find_heads(look, {})
        self._aim(look)
        for op in self.ops:
            op.target(look)

        levels = self.level[lamps]
        return CompiledEffects(look, levels, self.ops, self.lacking, self.troubles)

    def _aim(self, look: CompiledLook) -> None:
        """Heads that no effect moves aim where the look says."""
        static = self.static
        if static.points is None:
            return
        points = np.full((len(self.rig.heads), 3), np.nan)
        points[static.heads] = static.points
        points[list(self.moved_heads)] = np.nan
        if np.isfinite(points[look.heads]).any():
            look.points = points[look.heads]


def _within_levels(motion: Wave) -> tuple[float, float]:
    """Low and high of a wave on levels: what replaces or scales stays within 0…1, so
    that a scale never brightens; what adds within −1…1.
    """
    least = -1.0 if motion.mode == EffectMode.ADDS else 0.0
    low, high = (min(1.0, max(least, v)) for v in (motion.low, motion.high))
    return low, high


def _columns(found: Mapping[int, int]) -> tuple[Ints, Ints]:
    """Keys and values of a mapping as two arrays, ascending by key."""
    keys = sorted(found)
    return np.array(keys, np.int64), np.array([found[k] for k in keys], np.int64)


def _colour_rows(rig: Rig, colours: Ints) -> Ints:
    """The rows (3, n) of target colours (n)."""
    parts = rig.intensities + rig.colours * np.arange(3)[:, None]
    return np.asarray(parts + colours[None, :], np.int64)


def _across(rig: Rig, item: Item) -> float:
    """Where across the stage something hangs, metres; the cells of a bar lie along a
    metre.
    """
    fixture, cell = item
    x = rig.fixtures[fixture].place.x if fixture in rig.fixtures else 0.0
    count = choice.cell_count(rig, fixture)
    return x + ((cell - 0.5) / count - 0.5 if cell and count else 0.0)


def _rows(rig: Rig, items: list[Item], name: str) -> tuple[Ints, Ints, Floats, Floats]:
    """The rows (n) of an attribute over a row of items, which item each follows, and
    how a value becomes a raw one (1 and 0 for parameters).
    """
    found: dict[int, tuple[int, float, float]] = {}
    for place, item in enumerate(items):
        for row in choice.rows(rig, [item], name):
            found.setdefault(row, (place, 1.0, 0.0))

        if name in rig.where.get(item[0], {}):
            continue

        for cell, channel, slope, offset in rig.direct.get(item[0], {}).get(name, ()):
            if not item[1] or cell in (0, item[1]):
                found.setdefault(rig.size + channel, (place, slope, offset))

    rows = np.array(sorted(found), np.int64)
    which = np.array([found[r][0] for r in rows.tolist()], np.int64)
    slopes = np.array([found[r][1] for r in rows.tolist()], float)
    offsets = np.array([found[r][2] for r in rows.tolist()], float)

    return rows, which, slopes, offsets


Compile = Callable[[EffectBuilder, Running, Any, list[Item], Effect], None]

COMPILERS: dict[str, Compile] = {
    Wave.kind: EffectBuilder.add_wave,
    ColourRoll.kind: EffectBuilder.add_roll,
    Path.kind: EffectBuilder.add_path,
}
"""Kind of motion → what adds its `Op`s for a row of lamps."""


@dataclass
class CompiledEffects:
    """A look with effects on a rig: `look` is what it is made of, `levels` (m) what its
    lamps have without them. `lacking`, `troubles`: what is to be told, effect by
    effect.
    """

    look: CompiledLook
    levels: Floats
    ops: list[Op]
    lacking: list[Lacking]
    troubles: dict[str, dict[str, str]]

    @cached_property
    def modifies(self) -> bool:
        """Whether any of its effects changes what others give."""
        return any(op.reaches_others for op in self.ops)

    def prepare(self, size: float) -> None:
        """Work out its paths at a size, ahead of their use."""
        for op in self.ops:
            op.prepare(size)

    @property
    def rates(self) -> dict[str, Rate]:
        """How fast each effect goes."""
        return {op.running.id: op.running.rate for op in self.ops}

    def live(self, offsets: Mapping[str, float]) -> LiveEffects:
        """Returns what a layer asks."""
        return LiveEffects(self, offsets)


def compile_effects(
    show: Show,
    rig: Rig,
    static: CompiledLook,
    effects: Effects,
    aims: Mapping[str, Angles],
) -> CompiledEffects:
    """Returns a compiled look with its effects. What does not hang, and what lacks what
    an effect moves, is left out of it and named.
    """
    build = EffectBuilder(show, rig, static, aims)
    for effect in effects:
        if effect.on:
            build.add(effect, model_effects.rate_of(show, effect, effects))

    uses = set(model_effects.links_of(show, effects))
    if any(MOTIONS[model_effects.motion_of(show, e).kind].in_room for e in effects):
        uses.add(ROOM)

    return build.finish(frozenset(uses))


ROOM = "room:"
"""Stands for what paths keep out of, among the links that something follows."""


class LiveEffects:
    """A look with effects in one layer."""

    asks = False
    size = 1.0
    pace = Pace()

    def __init__(self, moving: CompiledEffects, offsets: Mapping[str, float]) -> None:
        self.moving, self.look = moving, moving.look
        self.offsets = offsets
        self.levels = moving.levels.copy()
        self.light = self.look.shining[1]
        self.shine = self.look.claims[2]
        self.values = self.look.values.copy()
        self.made: list[Change] = []
        self.led: list[Followed] = []
        self.rig = self.look.rig
        self.modifies = moving.modifies

    def dim(self, masters: Dimming) -> None:
        """It plays nothing but itself."""

    def move(self, time: Time) -> None:
        """Go to a time."""
        np.copyto(self.levels, self.moving.levels)
        np.copyto(self.values, self.look.values)
        self.made, self.led = [], []

        for op in self.moving.ops:
            op.move(self, op.running.position(time, self.offsets))

    def clip(self, rows: Ints, places: Ints) -> None:
        """Keep values within what their rows can be."""
        rig = self.rig
        if rows[-1] < rig.size:
            here = self.values[places]
            low, high = rig.low[rows], rig.high[rows]
            self.values[places] = np.minimum(np.maximum(here, low), high)

    def followed(self) -> list[Followed]:
        """Returns the heads that its paths move."""
        return self.led

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities."""
        return Given(self.values, points=self.look.points)

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give."""
        return [(change, 1.0) for change in self.made]

    def names(self) -> list[Moved]:
        """Returns its effects, the rows that each moves, and their values."""
        found: list[Moved] = []
        for op in self.moving.ops:
            found.extend(op.moved(self))

        for change in self.made:
            if isinstance(change, LevelChange):
                rows, values, how = change.lamps, change.values, str(change.mode)
            elif isinstance(change, ValueChange):
                rows, values, how = change.rows, change.values, str(change.mode)
            else:
                rows, values, how = change.rows, change.away.reshape(-1), "adds"

            found.append(Moved(change.name, rows, values, how))

        return [entry for entry in found if len(entry.rows)]
