"""Looks on their way from one to the next, of which some move by themselves: the fade
is compiled once, what it goes between is new at every time.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from choreon.render.crossing import Crossing
from choreon.render.fades import Contents, Fade, Move, Outcome, levels_after, moved
from choreon.render.live import Change, Followed, Live, Moved
from choreon.render.looks import CompiledLook
from choreon.render.rig import POSITION, Floats
from choreon.render.state import Time


class _Places:
    """Where among the lines of a fade the rows and lamps of one look are."""

    def __init__(self, fade: Fade, look: CompiledLook) -> None:
        self.lamps = np.searchsorted(fade.lamps, look.lamps)
        self.claims = np.searchsorted(fade.claims, look.claims[0])
        self.rows = np.searchsorted(fade.rows, look.rows)
        self.freed = np.searchsorted(fade.freed, look.freed)
        self.heads = np.searchsorted(fade.heads, look.heads)


class Mixed:
    """A fade between looks, `lives` are those that move (None: it stands)."""

    def __init__(self, fade: Fade, lives: Sequence[Live | None]) -> None:
        self.fade, self.lives = fade, tuple(lives)
        self.contents: Contents = fade.contents
        self.left: Floats | None = None
        """What masters leave of the light of each look (l); None where all of it."""
        self._places: dict[int, _Places] = {}
        if any(live is not None for live in lives):
            self.contents = fade.contents.copy()
        for n, live in enumerate(self.lives):
            if live is not None:
                self._places[n] = _Places(fade, live.look)
        self._crossing = Crossing(fade, self.lives)

    @property
    def moves_itself(self) -> bool:
        """Whether any of its looks moves."""
        return bool(self._places)

    def move(self, times: Sequence[Time]) -> None:
        """Have all that moves go to its time."""
        had = self.contents
        for n, places in self._places.items():
            live = self.lives[n]
            assert live is not None
            live.move(times[n])
            had.levels[n][places.lamps] = live.levels

    def level(self, moves: Sequence[Move]) -> Floats:
        """Returns the intensities (m) of the fade's lamps after `moves`."""
        levels = self.contents.levels
        if self.left is not None:
            levels = levels * self.left[:, None]
        if not self._crossing.shared:
            return levels_after(levels, moves, self.fade.lamps)

        level = levels[0]
        for n, move in enumerate(moves, start=1):
            after = moved(level, levels[n], move, self.fade.lamps)
            left = 1.0 if self.left is None else float(self.left[n])
            self._crossing.levels(n, move, level, after, left)
            level = after
        return level

    def light(self, moves: Sequence[Move]) -> Floats:
        """Returns how strongly the lamps of its `shining` (m) count after `moves`."""
        lamps = self.fade.shining[0]
        return levels_after(self.contents.light, moves, lamps)

    def light_on_claims(self, moves: Sequence[Move]) -> Floats:
        """Returns the same for the lamps of its claims (k)."""
        return levels_after(self.contents.shine, moves, self.fade.claims)

    @property
    def level_is_light(self) -> bool:
        """Whether what lamps count as is what they have."""
        return self.contents.light is self.contents.levels

    def outcome(
        self,
        moves: Sequence[Move],
        weight: float,
        others: Floats,
        explain: bool = False,
    ) -> Outcome:
        """Returns all but the intensities after `moves`, as Fade does."""
        if not self._places:
            return self.fade.outcome(moves, weight, others, explain)

        had = self.contents
        for n, places in self._places.items():
            live = self.lives[n]
            assert live is not None
            beside = self._beside(n, moves, weight, others)
            given = live.give(weight, beside[places.claims])
            had.values[n][places.rows] = given.values

            if given.presence is not None:
                had.has[n][places.rows] = given.presence

            if given.freed is not None:
                had.frees[n][places.freed] = given.freed

            if had.points is not None and given.points is not None:
                had.points[n][places.heads] = given.points

        crossed = self._crossing.colours if self._crossing.shared else None
        return self.fade.outcome(moves, weight, others, explain, had, crossed)

    def _beside(
        self, n: int, moves: Sequence[Move], weight: float, others: Floats
    ) -> Floats:
        """How strongly all but the n-th look light the lamps of the claims (k)."""
        light = others
        for m, shine in enumerate(self.contents.shine):
            if m != n:
                light = np.maximum(light, shine * (portion(m, moves) * weight))
        return light

    def changes(self, moves: Sequence[Move]) -> list[tuple[Change, float]]:
        """Returns what its looks do to what others give, and how far each is on. What
        several of them do, for they play the same, is done once: at the level it has
        come to.
        """
        count = len(self.lives)
        found: dict[int, tuple[Change, list[float]]] = {}
        for n in self._places:
            live = self.lives[n]
            assert live is not None
            for change, on in live.changes():
                _, each = found.setdefault(id(change), (change, [0.0] * count))
                each[n] = on
        return [(change, _level_after(each, moves)) for change, each in found.values()]

    def followed(self, moves: Sequence[Move]) -> list[Followed]:
        """Returns the heads that paths of its looks move, and how far each is on: as
        far as its light or its place is, for heads that come from the dark are there at
        once.
        """
        found = []
        for n in self._places:
            live = self.lives[n]
            assert live is not None
            entries = live.followed()
            if entries:
                own = max(portion(n, moves), portion_of_place(n, moves))
                found += [entry.scaled(own) for entry in entries]
        return found

    def names(self) -> list[tuple[int, list[Moved]]]:
        """Returns the effects of each of its looks that moves."""
        found = []
        for n in self._places:
            live = self.lives[n]
            assert live is not None
            found.append((n, live.names()))
        return found


def _level_after(levels: Sequence[float], moves: Sequence[Move]) -> float:
    """What the level of something has come to that each look has at one of `levels`."""
    level = levels[0]
    for to, move in zip(levels[1:], moves, strict=True):
        gain = to - level
        level += gain * (move.rise if gain > 0.0 else move.fall)
    return level


def portion(n: int, moves: Sequence[Move]) -> float:
    """Returns how much of the light of the n-th look is left, and has come."""
    come = moves[n - 1].rise if n else 1.0
    left = 1.0
    for move in moves[n:]:
        left *= 1.0 - move.fall
    return come * left


def portion_of_place(n: int, moves: Sequence[Move]) -> float:
    """Returns the same for where its heads look."""
    come = [1.0, *(float(move.by_family[POSITION]) for move in moves)]
    return come[n] * math.prod(1.0 - later for later in come[n + 1 :])
