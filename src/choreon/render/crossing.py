"""Pictures that follow each other on the same cells: they are gone over in linear
light, as one picture fades into another.

At a move n from canvas a to canvas b, f the part that falling levels have come, r that
of rising ones, each cell that both paint has the light

    before · (1 − f) + b · r

with `before` what it has come to until then: its level is the strongest part of that,
its colour the rest. Half-way from red to green it is (0.5, 0.5, 0).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from choreon.render.colour import from_oklab_rows, to_oklab_rows
from choreon.render.fades import Fade, Move
from choreon.render.live import Live
from choreon.render.rig import Floats, Ints

TINY = 1e-9

Paints = tuple[Ints, Ints, Floats]
"""Colours (k), the lamps that dim them alone (k; −1 for none), their light (3, k)."""


def paints_of(live: Live | None) -> Paints | None:
    """Returns what something that moves paints; None for what is no picture."""
    found: Paints | None = getattr(live, "paints", None)
    return found


@dataclass(eq=False)
class _Shared:
    """The cells (s) that two pictures share: where they are in what each paints, among
    the fade's lamps, and the first of their rows (3, s) among the fade's.
    """

    before: Ints
    after: Ints
    lamps: Ints
    lamp_rows: Ints
    rows: Ints
    was: Floats  # the level before the move
    come: tuple[Floats, Floats, Floats] | None = None  # 1 − f, r, the light that comes
    mixed: Floats | None = None  # the colour (3, s) after it


class Crossing:
    """The moves of a fade that lead from one picture to another."""

    def __init__(self, fade: Fade, lives: Sequence[Live | None]) -> None:
        self.fade, self.lives = fade, tuple(lives)
        self.shared: dict[int, _Shared] = {}
        for n in range(1, len(lives)):
            one, other = paints_of(lives[n - 1]), paints_of(lives[n])
            if one is not None and other is not None:
                found = self._shared(one, other)
                if found is not None:
                    self.shared[n] = found

    def _shared(self, one: Paints, other: Paints) -> _Shared | None:
        colours, before, after = np.intersect1d(one[0], other[0], return_indices=True)
        alone = (one[1][before] >= 0) & (other[1][after] == one[1][before])
        if not alone.any():
            return None

        fade, rig = self.fade, self.fade.rig
        colours, before, after = colours[alone], before[alone], after[alone]
        lamps = one[1][before]
        thirds = rig.intensities + rig.colours * np.arange(3)[:, None]
        rows = np.searchsorted(fade.rows, thirds + colours[None, :])
        nothing = np.zeros(len(lamps))
        places = np.searchsorted(fade.lamps, lamps)
        return _Shared(before, after, places, lamps, rows, nothing)

    def levels(
        self, n: int, move: Move, before: Floats, after: Floats, left: float
    ) -> None:
        """Find the levels of shared cells after the n-th move, in `after` (m), from
        those `before` (m). `left`: what masters leave of the picture that comes.
        """
        here = self.shared.get(n)
        if here is None:
            return
        one, other = paints_of(self.lives[n - 1]), paints_of(self.lives[n])
        if one is None or other is None:
            return

        rise, fall = move.on_lamps(here.lamp_rows)
        stays = np.broadcast_to(1.0 - np.asarray(fall), len(here.lamps))
        comes = np.broadcast_to(np.asarray(rise), len(here.lamps))
        light = left * other[2].take(here.after, axis=1)

        was = one[2].take(here.before, axis=1)
        earlier = self.shared.get(n - 1)
        unit = was / np.maximum(was.max(axis=0), TINY)
        unit[:, was.max(axis=0) < TINY] = 1.0
        if earlier is not None and earlier.mixed is not None:
            unit = self._carried(earlier, here, unit)

        here.was = before.take(here.lamps)
        here.come = stays, comes, light
        mixed = unit * here.was * stays + light * comes
        strongest = mixed.max(axis=0)
        here.mixed = mixed / np.maximum(strongest, TINY)
        here.mixed[:, strongest < TINY] = 1.0
        after[here.lamps] = strongest

    def _carried(self, earlier: _Shared, here: _Shared, unit: Floats) -> Floats:
        """The colours that the move before has come to, where it had the same cells."""
        assert earlier.mixed is not None
        place = np.searchsorted(earlier.lamp_rows, here.lamp_rows)
        place = np.minimum(place, len(earlier.lamp_rows) - 1)
        same = earlier.lamp_rows[place] == here.lamp_rows
        return np.where(same, earlier.mixed.take(place, axis=1), unit)

    def colours(self, n: int, before: Floats, after: Floats) -> None:
        """Find the colours of shared cells after the n-th move, in `after` (rows of the
        fade), from those `before`.
        """
        here = self.shared.get(n)
        if here is None or here.come is None:
            return
        stays, comes, light = here.come
        was = np.clip(from_oklab_rows(before[here.rows]), 0.0, 1.0)
        strongest = was.max(axis=0)
        mixed = was / np.maximum(strongest, TINY) * here.was * stays + light * comes

        top = mixed.max(axis=0)
        lit = top > TINY
        whole = (1.0 - comes) * strongest + comes
        made = to_oklab_rows(mixed / np.maximum(top, TINY) * whole)
        after[here.rows[:, lit]] = made[:, lit]
