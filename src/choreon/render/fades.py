"""Fades within one player: looks compiled together over the union of their rows, so
that a frame of a crossfade is a few array operations.

How a value goes from a look a to a look b at progress p (design: “who else lights this
lamp?”). A = (1 − p) · a's light, B = p · b's light, `others` the highest that anything
else gives the lamp:

- both give it, and both light the lamp: by p;
- both give it, and only a lights the lamp: by p · others / max(others, A), so that it
  goes out in its own colour;
- both give it, and only b lights the lamp: by 1 − (1 − p) · others / max(others, B), so
  that it comes up in its own;
- only a gives it: it stays by 1 − p · E / max(E, A), with E = max(others, B);
- only b gives it: it comes by 1 − (1 − p) · E / max(E, B), with E = max(others, A).

A fade that was interrupted stands as it was at that time, and is the a of the next one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from choreon.render.heads import on_the_way
from choreon.render.looks import (
    CompiledLook,
    colour_rows_of,
    families_of,
    lights_of,
)
from choreon.render.rig import FAMILIES, Flags, Floats, Ints, Rig

TINY = 1e-12

Crossed = Callable[[int, "Floats", "Floats"], None]


def part_of(light: Floats, whole: Floats) -> Floats:
    """Returns light / max(light, whole), elementwise; 0 where both are 0."""
    return light / np.maximum(np.maximum(light, whole), TINY)


class Reach(NamedTuple):
    """Some fixtures of a rig: which lamps (I + 1), and which rows, raw ones included,
    are theirs.
    """

    lamps: Flags
    rows: Flags


@dataclass(frozen=True)
class Move:
    """How far a step has come: levels that rise, levels that fall, and all else, by
    family (one number for all, or one for each of FAMILIES). `apart`: how far it has
    come on some lamps, each with who these are; the first one that has a lamp counts.
    """

    rise: float
    fall: float
    progress: float | Floats
    apart: tuple[tuple[Reach, Move], ...] = ()

    @property
    def plain(self) -> bool:
        """Whether it is one number for all families, and for all lamps."""
        return isinstance(self.progress, float) and not self.apart

    @property
    def by_family(self) -> Floats:
        """How far all else has come, one for each of FAMILIES."""
        return np.broadcast_to(self.progress, len(FAMILIES))

    def on_lamps(self, lamps: Ints) -> tuple[float | Floats, float | Floats]:
        """Returns how far levels that rise, and levels that fall, of lamps (m) have
        come: one number where it is the same for all of them.
        """
        if not self.apart:
            return self.rise, self.fall

        rise = np.full(len(lamps), self.rise)
        fall = np.full(len(lamps), self.fall)
        for reach, move in reversed(self.apart):
            own = reach.lamps.take(lamps)
            rise[own], fall[own] = move.rise, move.fall

        return rise, fall

    def on_rows(self, rows: Ints, families: Ints) -> Floats:
        """Returns how far all else has come on rows (n) of `families` (n)."""
        come = self.by_family[families]
        for reach, move in reversed(self.apart):
            own = reach.rows.take(rows)
            come[own] = move.by_family[families[own]]
        return come


class _Way(NamedTuple):
    """How a move goes, for each row (n): how far the next look has come where the ones
    before are there (`given`) and where they are not (`fresh`), and how far what only
    those give `stays`.
    """

    given: Floats
    fresh: Floats
    stays: Floats


@dataclass
class Outcome:
    """What a player puts out: `values` (n) by `presence` (n) of the fade's rows, and
    where its heads aim (h, 3; NaN for plain angles). `given`: for each look, how much
    of it is in each row (n); only where it was asked for.
    """

    values: Floats
    presence: Floats
    freed: Floats
    points: Floats | None
    given: list[Floats]


@dataclass
class Contents:
    """What the looks of a fade give, a line a look: `levels` (m) of its lamps, `light`
    (m) as which they count, `shine` (k) on its claims, `values` (n) and how far each is
    there, `has` (n), how far raw values are ended, `frees`, and `points` (h, 3).
    """

    levels: Floats
    light: Floats
    shine: Floats
    values: Floats
    has: Floats
    frees: Floats
    points: Floats | None

    def copy(self) -> Contents:
        """Returns the same once more, for looks that move."""
        points = None if self.points is None else self.points.copy()
        return Contents(
            self.levels.copy(),
            self.light.copy(),
            self.shine.copy(),
            self.values.copy(),
            self.has.copy(),
            self.frees.copy(),
            points,
        )


class Fade:
    """Looks that follow each other in one player, the first one lowest. `contents` is
    what they give where none of them moves.
    """

    def __init__(self, rig: Rig, looks: Sequence[CompiledLook]) -> None:
        self.rig, self.looks = rig, tuple(looks)
        self.lamps = _union(look.lamps for look in looks)
        self.rows = _union(look.rows for look in looks)
        lights = lights_of(rig, self.rows)
        self.claims, self.row_claim = np.unique(lights, return_inverse=True)

        self.families = families_of(rig, self.rows)
        self.first_snap = int(np.searchsorted(self.rows, rig.snaps_from))
        self.first_raw = int(np.searchsorted(self.rows, rig.size))
        self.snaps = slice(self.first_snap, self.first_raw)
        self.plain_rows = self.rows[: self.first_raw]

        self.freed = _union(look.freed for look in looks)
        self.freed_by = np.searchsorted(self.rows, colour_rows_of(rig, self.freed))
        levels = np.array(
            [_spread(self.lamps, look.lamps, look.levels) for look in looks]
        )
        self.shining = self._all_shining(levels)
        self._find_heads()

        self.contents = Contents(
            levels,
            self.shining[1],
            np.array([_shine(look, self.claims) for look in looks]),
            np.array([_spread(self.rows, look.rows, look.values) for look in looks]),
            np.array([_within(self.rows, look.rows) for look in looks], float),
            np.array([_within(self.freed, look.freed) for look in looks], float),
            self.points,
        )

        self.alike = self._are_alike()

    def _are_alike(self) -> bool:
        """Whether two looks light the same lamps and give the same rows, none of them
        aimed at a point: then all goes by the progress alone.
        """
        if len(self.looks) != 2 or self.points is not None:
            return False
        had = self.contents
        same = had.has.all() and had.frees.all()
        return bool(same and (had.shine > 0).all())

    def _all_shining(self, own_levels: Floats) -> tuple[Ints, Floats]:
        """The lamps that the looks light, and how strongly each does (looks, m)."""
        lamps = _union(look.shining[0] for look in self.looks)
        if len(lamps) == len(self.lamps) and (lamps == self.lamps).all():
            plain = all(look.shining[1] is look.levels for look in self.looks)
            if plain:
                return self.lamps, own_levels
        levels = [_spread(lamps, *look.shining) for look in self.looks]
        return lamps, np.array(levels)

    def _find_heads(self) -> None:
        heads = self.rig.heads
        self.heads = _union(look.heads for look in self.looks)
        self.head_rows = np.searchsorted(self.rows, heads.rows[self.heads])
        self.turns = np.array([_within(self.heads, look.heads) for look in self.looks])
        self.points: Floats | None = None
        if any(look.points is not None for look in self.looks):
            self.points = np.full((len(self.looks), len(self.heads), 3), np.nan)
            for points, look in zip(self.points, self.looks, strict=True):
                if look.points is not None:
                    points[np.searchsorted(self.heads, look.heads)] = look.points

    def outcome(
        self,
        moves: Sequence[Move],
        weight: float,
        others: Floats,
        explain: bool = False,
        contents: Contents | None = None,
        crossed: Crossed | None = None,
    ) -> Outcome:
        """Returns all but the intensities after `moves`. `weight`: how far the player
        is on, `others` (k): how strongly anything else lights the lamps of `claims`.
        `crossed`: changes the values after a move, given those before it.
        """
        had = self.contents if contents is None else contents
        together = self.alike and not moves[0].apart
        if together and contents is None and not explain:
            return self._outcome_alike(moves[0])

        values, presence = had.values[0].copy(), had.has[0].copy()
        freed = had.frees[0].copy()
        points = None if had.points is None else had.points[0].copy()
        given = [presence.copy()] if explain else []

        # what the looks so far have come to is the a of the next step, whatever its
        # own fade had come to when it was left
        for n, way in enumerate(self._ways(moves, weight, others, had), start=1):
            comes = presence * way.given + (1.0 - presence) * way.fresh
            snaps = comes[self.snaps]
            np.greater(snaps, 0.0, out=snaps)
            has = had.has[n]
            left = has * (1.0 - comes) + (1.0 - has) * way.stays

            added = has * comes
            # presence says how much of a row the player gives at all; values are what
            # it gives there, so they mix by what each brings
            new, after = _mixed(values, left * presence, had.values[n], added)
            if points is not None and had.points is not None:
                ends = had.points[n], had.values[n]
                points = self._turn(n, points, values, new, presence, comes, ends)

            if crossed is not None:
                crossed(n, values, new)

            values, presence = new, after
            if len(freed):
                freed = left[self.freed_by] * freed
                freed += had.frees[n] * comes[self.freed_by]

            if explain:
                given = [g * left for g in given] + [added]

        return Outcome(values, presence, freed, points, given)

    def _outcome_alike(self, move: Move) -> Outcome:
        """The same as `outcome` where the looks are alike."""
        way = np.empty(len(self.rows))
        p = move.progress
        way[:] = p if isinstance(p, float) else p[self.families]
        way[self.snaps] = way[self.snaps] > 0.0
        first, last = self.contents.values
        values = first + way * (last - first)
        return Outcome(values, np.ones(len(way)), np.ones(len(self.freed)), None, [])

    def _ways(
        self, moves: Sequence[Move], weight: float, others: Floats, had: Contents
    ) -> list[_Way]:
        """How each move goes, all worked out at once."""
        before, after = levels_before(had.shine, moves, self.claims), had.shine[1:]
        rise, fall = _rise_and_fall(moves, self.claims)
        light_a = before * ((1.0 - fall) * weight)
        light_b = after * (rise * weight)
        beside = _beside(light_b, others)

        rows: slice | Ints = slice(None)
        p = np.array([[move.progress] for move in moves if move.plain])
        if len(p) < len(moves):  # by family, or by lamp: one number a row
            p = np.array([move.on_rows(self.rows, self.families) for move in moves])
            rows = self.row_claim

        only_a = (before > 0) & (after <= 0)
        both = (before > 0) & (after > 0)
        in_a = part_of(beside, light_a)[:, rows]
        in_b = part_of(beside, light_b)[:, rows]
        e_b = part_of(np.maximum(beside, light_b), light_a)[:, rows]

        e_a = part_of(np.maximum(beside, light_a), light_b)[:, rows]
        given = np.where(only_a[:, rows], p * in_a, 1.0 - (1.0 - p) * in_b)
        given = np.where(both[:, rows], p, given)
        fresh = 1.0 - (1.0 - p) * e_a
        stays = 1.0 - p * e_b

        if isinstance(rows, slice):
            given = given.take(self.row_claim, axis=1)
            fresh = fresh.take(self.row_claim, axis=1)
            stays = stays.take(self.row_claim, axis=1)

        snaps = stays[:, self.snaps]
        np.greater_equal(snaps, 1.0, out=snaps)
        return list(map(_Way, given, fresh, stays))

    def _turn(
        self,
        n: int,
        points: Floats,
        before: Floats,
        after: Floats,
        presence: Floats,
        comes: Floats,
        next_look: tuple[Floats, Floats],
    ) -> Floats:
        """Turn heads that go from point to point along the line between, in `after`.
        `next_look`: its points (h, 3) and values (n). Returns the points (h, 3) that
        all aim at then.
        """
        pan = self.head_rows[:, 0]
        had, turned = presence[pan] > 0, self.turns[n]
        ends, ends_values = next_look
        both = np.flatnonzero(had & turned)
        share = comes[pan[both]]

        rows = self.head_rows[both]
        along, angles = self.rig.heads.between(
            self.heads[both],
            points[both],
            ends[both],
            before[rows],
            ends_values[rows],
            share,
        )

        after[rows[along]] = angles[along]
        made = points.copy()
        made[both] = on_the_way(points[both], ends[both], along, share)
        fresh = turned & ~had
        made[fresh] = ends[fresh]

        return made


def _beside(light: Floats, others: Floats) -> Floats:
    """How strongly others light lamps (k) at each step: to a fade that was interrupted
    the looks after it, which light them as `light` (steps, k), are others too, that
    keep the lamp lit.
    """
    beside = np.empty_like(light)
    beside[-1] = others
    for n in range(len(light) - 1, 0, -1):
        np.maximum(beside[n], light[n], out=beside[n - 1])
    return beside


def _mixed(
    before: Floats, kept: Floats, after: Floats, added: Floats
) -> tuple[Floats, Floats]:
    """Returns values (n) mixed by how much is `kept` of those before and `added` of
    those after, and how much that is together; those before where it is nothing.
    """
    whole = kept + added
    mixed = kept * before + added * after
    return np.divide(mixed, whole, out=before.copy(), where=whole > 0), whole


def _rise_and_fall(moves: Sequence[Move], lamps: Ints) -> tuple[Floats, Floats]:
    """How far levels that rise, and those that fall, have come by each move: one number
    each, (moves, 1), or one a lamp, (moves, m), where some have times of their own.
    """
    if not any(move.apart for move in moves):
        rise = np.array([[move.rise] for move in moves])
        fall = np.array([[move.fall] for move in moves])
        return rise, fall

    shape = (len(moves), len(lamps))
    rise, fall = np.empty(shape), np.empty(shape)
    for n, move in enumerate(moves):
        rise[n], fall[n] = move.on_lamps(lamps)
    return rise, fall


def levels_before(levels: Floats, moves: Sequence[Move], lamps: Ints) -> Floats:
    """Returns what levels (m) of lamps (m) have come to before each of the moves
    (moves, m): those of the first of `levels` (looks, m) move on to the next ones, by
    one move for each look but the first.
    """
    made = np.empty((len(moves), levels.shape[1]))
    made[0] = levels[0]
    for n in range(1, len(moves)):
        made[n] = moved(made[n - 1], levels[n], moves[n - 1], lamps)
    return made


def levels_after(levels: Floats, moves: Sequence[Move], lamps: Ints) -> Floats:
    """Returns what the same levels (m) have come to after all moves."""
    level = levels[0]
    for move, to in zip(moves, levels[1:], strict=True):
        level = moved(level, to, move, lamps)
    return level


def moved(level: Floats, to: Floats, move: Move, lamps: Ints) -> Floats:
    gain = to - level
    rise, fall = move.on_lamps(lamps)
    return level + gain * np.where(gain > 0, rise, fall)


def _shine(look: CompiledLook, claims: Ints) -> Floats:
    lamps, levels = look.shining
    return _spread(claims, lamps, levels)


def _union(parts: Iterable[Ints]) -> Ints:
    return np.unique(np.concatenate(list(parts)))


def _spread(into: Ints, at: Ints, numbers: Floats) -> Floats:
    """Numbers that belong `at` some of `into` (ascending), over all of it; else 0."""
    made = np.zeros(len(into))
    if len(into) and len(at):
        place = np.minimum(np.searchsorted(into, at), len(into) - 1)
        there = into[place] == at
        made[place[there]] = numbers[there]
    return made


def _within(into: Ints, at: Ints) -> Flags:
    return np.isin(into, at, assume_unique=True)
