"""Rolls: colours that move along a row, as tables in OKLab."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from choreon.model.motion import ColourRoll, colour_of_stop
from choreon.model.show import Show
from choreon.render.colour import from_oklab, to_oklab

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

SIZE = 240  # colours in a table: 2 to 6, and 8, colours fill it evenly


@dataclass(frozen=True)
class Table:
    """A roll's colours from the beginning of its length to the end: OKLab (3, SIZE) and
    levels (SIZE). Beyond `colours`, a part of the whole, lies the gap, of colour
    `gap_lab` (3) and level `gap_level`. `whole`: lamps from one repeat to the next.
    `hard`: colours do not go over into each other.
    """

    lab: Floats
    level: Floats
    colours: float
    whole: float
    gap_lab: Floats
    gap_level: float
    hard: bool = False

    def light(self) -> Floats:
        """Returns the colours (SIZE, 3) as linear light."""
        return np.clip(from_oklab(self.lab.T), 0.0, 1.0)


def table_of(show: Show, roll: ColourRoll, count: int) -> Table:
    """Returns the table of a roll over a row of `count`."""
    stops = [colour_of_stop(show, stop) for stop in roll.stops] or [(1.0, 1.0, 1.0)]
    light = np.array(stops, float)
    level = np.ones(len(stops))

    if roll.brightness:
        level = light.max(axis=1)
        dark = level < 1e-9
        light = light / np.where(dark, 1.0, level)[:, None]

        if dark.any():
            light[dark] = _near_dark(light, dark)

    lab = to_oklab(light)
    place = (np.arange(SIZE) + 0.5) / SIZE * len(stops)
    first = place.astype(np.int64) % len(stops)

    if roll.hard:
        own_lab, own_level = lab[first], level[first]
    else:
        # a stop is pure in the middle of its part, and they close to a ring
        place = place - 0.5
        first = np.floor(place).astype(np.int64)
        share = place - first
        here, there = first % len(stops), (first + 1) % len(stops)
        own_lab = lab[here] + share[:, None] * (lab[there] - lab[here])

        own_level = level[here] + share * (level[there] - level[here])

    length = roll.length if roll.length > 0 else float(max(1, count))
    gap = max(0.0, roll.gap)
    whole = length + gap

    return Table(
        np.ascontiguousarray(own_lab.T),
        own_level,
        length / whole,
        whole,
        lab[-1],
        0.0 if roll.brightness else 1.0,
        roll.hard,
    )


def _near_dark(light: Floats, dark: npt.NDArray[np.bool_]) -> Floats:
    """A dark stop takes the colour of the one before it, so that what goes dark does so
    in its own colour.
    """
    count = len(light)
    made = []
    for i in np.flatnonzero(dark):
        before = [(i - back) % count for back in range(1, count + 1)]
        lit = next((j for j in before if not dark[j]), None)
        made.append(np.ones(3) if lit is None else light[lit])
    return np.array(made)


def _between(table: Table, along: Floats) -> tuple[Floats, Floats]:
    """OKLab (3, n) and levels (n) between the colours of a table, each of which is that
    of the middle of its part; a slow roll so goes on without steps.
    """
    place = along * SIZE - 0.5
    first = np.floor(place)
    share = place - first
    before = first.astype(np.int64)
    after = before + 1

    if table.colours < 1.0:  # the gap is between the last and the first
        before, after = (np.clip(n, 0, SIZE - 1) for n in (before, after))

    start = table.lab.take(before, axis=1, mode="wrap")
    lab = start + share * (table.lab.take(after, axis=1, mode="wrap") - start)
    dim = table.level.take(before, mode="wrap")
    level = dim + share * (table.level.take(after, mode="wrap") - dim)

    return lab, level


def read(table: Table, position: Floats) -> tuple[Floats, Floats, Ints]:
    """Returns OKLab (3, n), levels (n) and places in the table (n; −1 in the gap) at
    positions (n) in whole repeats.
    """
    within = position - np.floor(position)
    along = within / table.colours
    in_gap = along >= 1.0
    place = np.minimum((along * SIZE).astype(np.int64), SIZE - 1)

    if table.hard:
        lab = table.lab.take(place, axis=1)
        level = table.level.take(place)
    else:
        lab, level = _between(table, along)

    if table.colours < 1.0:
        lab = np.where(in_gap, table.gap_lab[:, None], lab)
        level = np.where(in_gap, table.gap_level, level)
        place = np.where(in_gap, -1, place)

    return lab, level, place
