"""Several things as one: what a cue has on, composed as players of those levels would
be, so that a cue made of what is on gives the same light.

A thing of level w has of all but the intensities the share 1 − (1 − w) · others /
max(others, own), as a player has (see compositor.py); `others` are the other things of
the cue, and what lights the lamps beside it. How far a row is given at all comes of the
shares: after a share s of it what was there before is left by 1 − s.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from choreon.model import attributes as at
from choreon.model.edits import merge_looks
from choreon.model.motion import Effect
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.values import Look, Value
from choreon.render.crossing import Paints, paints_of
from choreon.render.effects import PathBegin
from choreon.render.fades import part_of
from choreon.render.heads import Trail
from choreon.render.live import (
    Change,
    Dimming,
    Followed,
    Given,
    LevelChange,
    Live,
    Moved,
)
from choreon.render.looks import NO_ROWS, CompiledLook, whole_of
from choreon.render.rig import Floats, Ints, Rig
from choreon.render.sources.base import Source
from choreon.render.sources.scene import MovingScene
from choreon.render.state import AnyCursor, Cued, Going, Pace, Time
from choreon.render.state import replace as replaced


class Thing(NamedTuple):
    """One of several things: its key, what it is (None: a look of their own), and how
    far it is on, 0…1.
    """

    key: str
    ref: Ref | None
    source: Source
    level: float


class Together:
    """Several things as one, the lowest first."""

    own_clock = False

    def __init__(self, rig: Rig, things: Sequence[Thing], words: str) -> None:
        self.rig, self.things, self.words = rig, tuple(things), words
        refs = {str(thing.ref) for thing in things if thing.ref is not None}
        self.uses = frozenset(refs).union(*(thing.source.uses for thing in things))
        self.still = all(thing.source.still for thing in things)
        self.modifies = any(thing.source.modifies for thing in things)

        looks = [_at_level(thing.source.look, thing.level) for thing in things]
        self.look = whole_of(rig, looks, self.uses)
        self._find_points()

    @cached_property
    def into(self) -> list[Into]:
        """Where the rows and lamps of each of them are."""
        return [Into(self.look, thing.source.look) for thing in self.things]

    @cached_property
    def own_light(self) -> Floats:
        """How strongly each thing lights the lamps of the claims (things, k)."""
        claims = self.look.claims[0]
        own = np.zeros((len(self.things), len(claims)))
        for n, thing in enumerate(self.things):
            # also those lamps of which it gives nothing but light
            lamps, light = thing.source.look.shining
            everywhere = np.zeros(self.rig.intensities + 1)
            everywhere[lamps] = light * thing.level
            own[n] = everywhere[claims]
        return own

    def _find_points(self) -> None:
        """Where heads aim that aim at points: at those of the highest thing."""
        points = np.full((len(self.rig.heads), 3), np.nan)
        for thing in self.things:
            look = thing.source.look
            points[look.heads] = np.nan if look.points is None else look.points
        if np.isfinite(points).any():
            self.look.points = points[self.look.heads]

    def followed(self, show: Show, moved: set[str]) -> Together | None:
        """It is compiled anew."""
        return None

    def length(self) -> Time:
        """Returns how long the longest of them takes."""
        lengths = [thing.source.length() for thing in self.things]
        return Time(
            max((time.seconds for time in lengths), default=0.0),
            max((time.beats for time in lengths), default=0.0),
        )

    def path_begins(self) -> Sequence[PathBegin]:
        """Returns where heads begin on paths in the room."""
        begins = [thing.source.path_begins() for thing in self.things]
        return [begin for own in begins for begin in own]

    def prepare(self, size: float) -> None:
        """Work out what they are at a size of their effects."""
        for thing in self.things:
            thing.source.prepare(size)

    def live(self, offsets: Mapping[str, float]) -> TogetherLive:
        """Returns what a layer asks."""
        return TogetherLive(self, offsets)

    def stored(self, time: Time) -> Look:
        """Returns what is stored of them, levels as they are here."""
        made: Look = {}
        for thing in self.things:
            own = thing.source.stored(time_of(thing, time))
            made = merge_looks(made, _dimmed(own, thing.level))
        return made

    def place(self, time: Time) -> str:
        """Returns which cue it is."""
        return self.words

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """Returns the effects of each of them as they run, by a clock that was never
        set: each thing has a time of its own, so its effects are ahead of that clock,
        or behind.
        """
        things = cursor.things if isinstance(cursor, Cued) else {}
        found: list[Effect] = []
        for thing in self.things:
            own = things.get(thing.key, Going())
            runs = thing.source.running(own, time_of(thing, time))
            found += [_by_plain_clock(thing.source, effect, own) for effect in runs]
        return found

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """Each of them goes on where it is."""
        if not isinstance(before, Together) or not isinstance(cursor, Cued):
            return cursor

        was = {thing.key: thing.source for thing in before.things}
        things = dict(cursor.things)
        for thing in self.things:
            going, old = things.get(thing.key), was.get(thing.key)
            if going is None or old is None or old is thing.source:
                continue

            there = thing.source.carried(old, going, time_of(thing, time))
            if isinstance(there, Going):
                things[thing.key] = there

        return cursor if things == cursor.things else replaced(cursor, things=things)

    def ends(self) -> Time | None:
        """It never ends: what follows a cue is the stack's."""
        return None


def _by_plain_clock(source: Source, effect: Effect, going: Going) -> Effect:
    """An effect as it runs by a clock that stood at nought at time 0."""
    rates = source.moving.rates if isinstance(source, MovingScene) else {}
    rate = rates.get(effect.id)
    if rate is None:
        return effect
    ahead = rate.cycles(going.seconds - going.at, going.beats - going.beat)
    return replaced(effect, start=effect.start + ahead)


def time_of(thing: Thing, time: Time) -> Time:
    """Returns the own time of a thing: one that has none goes with the whole."""
    own = time.within.get(thing.key)
    return time if own is None else Time(*own)


def _at_level(look: CompiledLook, level: float) -> CompiledLook:
    """A look at less than its light, as far as what it lights is concerned."""
    if level == 1.0:
        return look
    made = replace(look, levels=look.levels * level)
    lamps, light = look.shining
    made.__dict__["shining"] = (lamps, light * level)
    return made


def _dimmed(look: Look, level: float) -> Look:
    """A stored look whose levels are as high as something gives them that is half
    up.
    """
    if level == 1.0:
        return look
    return {
        fixture: {
            name: _scaled(value, level) if name == at.DIMMER else value
            for name, value in values.items()
        }
        for fixture, values in look.items()
    }


def _scaled(value: Value, level: float) -> Value:
    if isinstance(value, tuple):
        return tuple(None if v is None else v * level for v in value)
    return value if isinstance(value, str) else value * level


class Into:
    """Where among what several things give the rows and lamps of one of them are."""

    def __init__(self, whole: CompiledLook, part: CompiledLook) -> None:
        self.lamps = np.searchsorted(whole.lamps, part.lamps)
        self.claims = np.searchsorted(whole.claims[0], part.claims[0])
        self.rows = np.searchsorted(whole.rows, part.rows)
        self.freed = np.searchsorted(whole.freed, part.freed)
        # raw values of others that it ends: not all that could be are given
        place = np.searchsorted(whole.rows, part.freed)
        place = np.minimum(place, max(0, len(whole.rows) - 1))
        there = np.zeros(len(part.freed), bool)
        if len(whole.rows):
            there = whole.rows[place] == part.freed
        self.ended, self.ended_by = place[there], part.freed_by[there]


class TogetherLive:
    """Several things in one layer."""

    def __init__(self, source: Together, offsets: Mapping[str, float]) -> None:
        self.source, self.look = source, source.look
        self.on = [thing.level for thing in source.things]
        """How far each thing is on, 0…1."""
        self.offsets = [_own_offsets(thing.key, offsets) for thing in source.things]
        self.lives: list[Live | None] = [
            thing.source.live(own)
            for thing, own in zip(source.things, self.offsets, strict=True)
        ]

        look = self.look
        self.levels = np.zeros(len(look.lamps))
        # it counts as lighting all that it ever lights, as strongly as it ever does
        self.light, self.shine = look.shining[1], look.claims[2]
        self.modifies = source.modifies
        wholly = all(thing.level == 1.0 for thing in source.things)
        self.asks = not wholly or any(live.asks for live in self._moving)

        self._values = look.values.copy()
        self._presence = np.zeros(len(look.rows))
        self._freed = np.zeros(len(look.freed))
        self._left = [1.0] * len(source.things)
        self._own = source.own_light
        self._given_once: Given | None = None
        self._heads_on = np.ones((len(source.things), len(source.rig.heads)))
        self._size, self._pace = 1.0, Pace()

    @property
    def _moving(self) -> list[Live]:
        return [live for live in self.lives if live is not None]

    def share_lives(
        self, known: dict[tuple[str, int, tuple[tuple[str, float], ...]], Live]
    ) -> None:
        """Take what another cue of the same fade has of the same thing, which is at the
        same time: what it does to others is done once.
        """
        for n, thing in enumerate(self.source.things):
            live = self.lives[n]
            if live is not None:
                ahead = tuple(sorted(self.offsets[n].items()))
                key = (thing.key, id(thing.source), ahead)
                self.lives[n] = known.setdefault(key, live)

    @property
    def size(self) -> float:
        """How far effects go."""
        return self._size

    @size.setter
    def size(self, size: float) -> None:
        self._size = size
        for live in self._moving:
            live.size = size

    @property
    def pace(self) -> Pace:
        """How fast it goes: what a cue plays goes at its own rate."""
        return self._pace

    @pace.setter
    def pace(self, pace: Pace) -> None:
        self._pace = pace
        for live in self._moving:
            live.pace = pace._replace(rate=1.0)

    def dim(self, masters: Dimming) -> None:
        """Have masters scale those things that they are over, and what these play."""
        for n, thing in enumerate(self.source.things):
            over = [level for refs, level in masters if thing.ref in refs]
            self._left[n] = math.prod(over)
            live = self.lives[n]
            if live is not None:
                live.dim([one for one in masters if thing.ref not in one[0]])

    def move(self, time: Time) -> None:
        """Go to a time."""
        for thing, live in zip(self.source.things, self.lives, strict=True):
            if live is not None:
                live.move(time_of(thing, time))

        if self.modifies:
            self._move_changed()
            return

        self.levels[:] = 0.0
        for n, _ in enumerate(self.source.things):
            places = self.source.into[n].lamps
            self.levels[places] = np.maximum(self.levels[places], self._levels_of(n))

    def _levels_of(self, n: int) -> Floats:
        """The intensities that the n-th thing gives now."""
        thing, live = self.source.things[n], self.lives[n]
        levels = thing.source.look.levels if live is None else live.levels
        return levels * (self.on[n] * self._left[n])

    def _move_changed(self) -> None:
        """The intensities where things change those below them."""
        level = np.zeros(self.source.rig.intensities + 1)
        for n, thing in enumerate(self.source.things):
            live = self.lives[n]
            on = self.on[n] * self._left[n]
            for change, own in [] if live is None else live.changes():
                if isinstance(change, LevelChange):
                    change.apply(level, own * on)

            lamps = thing.source.look.lamps
            level[lamps] = np.maximum(level[lamps], self._levels_of(n))

        self.levels[:] = level[self.look.lamps]

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities; where all stands wholly, always the same."""
        if self.asks or self._moving:
            return self._composed(weight, others)
        if self._given_once is None:
            self._given_once = self._composed(weight, others)
        return self._given_once

    def _composed(self, weight: float, others: Floats) -> Given:
        values, presence, freed = self._values, self._presence, self._freed
        presence[:] = 0.0
        freed[:] = 0.0
        self._heads_on[:] = 1.0
        trail = Trail(self.source.rig.heads)

        for n, thing in enumerate(self.source.things):
            into, look = self.source.into[n], thing.source.look
            beside = self._beside(n, weight, others)
            given = self._given(n, weight, beside)
            self._change_values(n)

            share = self._share(n, weight, beside)
            if given.presence is not None:
                share = share * given.presence
            snaps = slice(look.first_snap, look.first_raw)
            share[snaps] = share[snaps] > 0.0

            self._end_raw(n, share, given.freed)
            here = presence[into.rows]
            after = share + here * (1.0 - share)
            comes = np.divide(share, after, out=np.zeros(len(share)), where=after > 0)
            before = values[into.rows]
            turned = self._turn(trail, n, given, before, share)

            moved = before + comes * (given.values - before)
            if turned is not None:
                moved[np.searchsorted(look.rows, turned[0])] = turned[1]
            values[into.rows], presence[into.rows] = moved, after
            self._cover_heads(n, share)

        points = None if trail.points is None else trail.points[self.look.heads]
        return Given(values, presence if self.asks else None, freed, points)

    @property
    def paints(self) -> Paints | None:
        """What pictures among its things paint where nothing else gives a colour."""
        found: list[Paints] = []
        for n, live in enumerate(self.lives):
            own = paints_of(live) if self.on[n] * self._left[n] == 1.0 else None
            if own is not None:
                colours, lamps = self._of_others(n)
                alone = np.isin(own[0], colours, invert=True)
                alone &= np.isin(own[1], lamps, invert=True)
                found.append((own[0][alone], own[1][alone], own[2][:, alone]))
        if not found:
            return None

        colours = np.concatenate([one[0] for one in found])
        order = colours.argsort(kind="stable")
        lamps = np.concatenate([one[1] for one in found])
        light = np.concatenate([one[2] for one in found], axis=1)
        return colours[order], lamps[order], light[:, order]

    def _of_others(self, n: int) -> tuple[Ints, Ints]:
        """The colours and the lamps that all but the n-th of its things give."""
        looks = [thing.source.look for thing in self.source.things]
        others = [look for m, look in enumerate(looks) if m != n]
        colours = np.concatenate([NO_ROWS, *(look.colours for look in others)])
        return colours, np.concatenate([NO_ROWS, *(look.lamps for look in others)])

    def _beside(self, n: int, weight: float, others: Floats) -> Floats:
        """How strongly all but the n-th thing light the lamps of its claims."""
        if not self.asks:
            return np.zeros(len(self.source.into[n].claims))
        rest = np.delete(self._own, n, axis=0) * weight
        beside = np.maximum(others, rest.max(axis=0, initial=0.0))
        return beside[self.source.into[n].claims]

    def _given(self, n: int, weight: float, beside: Floats) -> Given:
        thing, live = self.source.things[n], self.lives[n]
        look = thing.source.look
        if live is None:
            return Given(look.values, points=look.points)
        return live.give(weight * self.on[n], beside)

    def _share(self, n: int, weight: float, beside: Floats) -> Floats:
        """The share of the rows of the n-th thing."""
        look = self.source.things[n].source.look
        if self.on[n] == 1.0:
            return np.ones(len(look.rows))
        own = self._own[n, self.source.into[n].claims] * weight
        share = 1.0 - (1.0 - self.on[n]) * part_of(beside, own)
        return share.take(look.claims[1])

    def _end_raw(self, n: int, share: Floats, freed: Floats | None) -> None:
        """A target colour ends the raw values that emitters had below it."""
        look, into = self.source.things[n].source.look, self.source.into[n]
        if not len(look.freed):
            return

        ended = share[look.freed_by]
        if freed is not None:
            ended = ended * freed

        self._presence[into.ended] *= 1.0 - share[into.ended_by]
        rest = (1.0 - self._freed[into.freed]) * (1.0 - ended)
        self._freed[into.freed] = 1.0 - rest

    def _turn(
        self, trail: Trail, n: int, given: Given, before: Floats, share: Floats
    ) -> tuple[Ints, Floats] | None:
        """Heads on a line between points take their angles from it. Only what aims a
        head wholly has it aim at a point, whatever lies below the cue.
        """
        look = self.source.things[n].source.look
        if not len(look.heads):
            return None
        return trail.blend(
            look.heads,
            given.points,
            before[look.head_rows],
            given.values[look.head_rows],
            share[look.head_rows[:, 0]],
        )

    def _change_values(self, n: int) -> None:
        """A thing changes what those below it give."""
        live = self.lives[n]
        if live is None or not live.modifies:
            return

        rig, rows = self.source.rig, self.look.rows
        for change, on in live.changes():
            if isinstance(change, LevelChange):
                continue

            here = np.concatenate([rig.home, np.zeros(rig.channels)])
            here[rows] = np.where(self._presence > 0, self._values, here[rows])
            added = np.zeros(rig.size + rig.channels)
            added[change.rows] = change.offset(here, np.zeros(rig.size))
            low, high = rig.low, rig.high
            here[: rig.size] += added[: rig.size] * (on * self.on[n])
            changed = here.copy()
            changed[: rig.size] = np.minimum(np.maximum(here[: rig.size], low), high)
            moved = added[rows] != 0.0
            self._values[moved] = changed[rows][moved]

    def _cover_heads(self, n: int, share: Floats) -> None:
        """What is above turns heads away from the paths of what is below."""
        look = self.source.things[n].source.look
        if len(look.heads):
            on = share[look.head_rows[:, 0]]
            self._heads_on[:n, look.heads] *= 1.0 - on
            self._heads_on[n, look.heads] = on

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give."""
        return [
            (change, on * own * left)
            for own, live, left in zip(self.on, self.lives, self._left, strict=True)
            if live is not None
            for change, on in live.changes()
        ]

    def followed(self) -> list[Followed]:
        """Returns the heads that paths move, and how far each path is on."""
        return [
            entry.scaled(self._heads_on[n, entry.heads])
            for n, live in enumerate(self.lives)
            if live is not None
            for entry in live.followed()
        ]

    def names(self) -> list[Moved]:
        """Returns the effects of all of them."""
        return [moved for live in self._moving for moved in live.names()]


def _own_offsets(key: str, offsets: Mapping[str, float]) -> dict[str, float]:
    """What a cursor says of the effects of one thing."""
    begin = f"{key} "
    return {
        name.removeprefix(begin): cycles
        for name, cycles in offsets.items()
        if name.startswith(begin)
    }


def share_things(lives: Iterable[Live | None]) -> None:
    """Have cues that go over into each other share what both of them play."""
    known: dict[tuple[str, int, tuple[tuple[str, float], ...]], Live] = {}
    for live in lives:
        if isinstance(live, TogetherLive):
            live.share_lives(known)
