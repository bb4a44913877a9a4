"""What plays with some of its lamps dark: a step between two looks that change in the
dark.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from choreon.model.motion import Effect
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.live import Change, Given, Live, Moved
from choreon.render.looks import CompiledLook
from choreon.render.rig import Flags, Floats, Ints
from choreon.render.sources.base import Source
from choreon.render.state import AnyCursor, Time


class Darkened:
    """Another source, but for the light of the intensity rows `dark`."""

    def __init__(self, source: Source, dark: Ints) -> None:
        self.source, self.dark = source, dark
        look = source.look
        levels = np.where(np.isin(look.lamps, dark), 0.0, look.levels)
        self.look: CompiledLook = replace(look, levels=levels)

    @property
    def still(self) -> bool:
        """Whether it never moves by itself."""
        return self.source.still

    @property
    def uses(self) -> frozenset[str]:
        """What it follows."""
        return self.source.uses

    def followed(self, show: Show, moved: set[str]) -> None:
        """It is compiled anew."""

    def live(self, offsets: Mapping[str, float]) -> Live | None:
        """Returns what a layer asks; None where it never moves."""
        live = self.source.live(offsets)
        return None if live is None else DarkLive(live, self.look, self.dark)

    def stored(self, time: Time) -> Look:
        """Returns what is stored of it."""
        return self.source.stored(time)

    def place(self, time: Time) -> str:
        """Returns where in it that is, in words."""
        return self.source.place(time)

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """Returns its effects as they run."""
        return self.source.running(cursor, time)

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """Returns the cursor with which it goes on after an edit."""
        was = before.source if isinstance(before, Darkened) else before
        return self.source.carried(was, cursor, time)

    def ends(self) -> Time | None:
        """It ends with what it is made of."""
        return self.source.ends()


class DarkLive:
    """Something that moves, but for the light of some lamps."""

    def __init__(self, live: Live, look: CompiledLook, dark: Ints) -> None:
        self._live, self.look = live, look
        self._lamps: Flags = np.isin(look.lamps, dark)
        self._shining: Flags = np.isin(look.shining[0], dark)
        self._claims: Flags = np.isin(look.claims[0], dark)
        self.modifies = live.modifies
        self.asks = live.asks

    @property
    def levels(self) -> Floats:
        """The intensities now."""
        return np.where(self._lamps, 0.0, self._live.levels)

    @property
    def light(self) -> Floats:
        """How strongly it counts as lighting its lamps."""
        return np.where(self._shining, 0.0, self._live.light)

    @property
    def shine(self) -> Floats:
        """The same for the lamps of its claims."""
        return np.where(self._claims, 0.0, self._live.shine)

    @property
    def size(self) -> float:
        """How far its effects go."""
        return self._live.size

    @size.setter
    def size(self, size: float) -> None:
        self._live.size = size

    def move(self, time: Time) -> None:
        """Go to a time."""
        self._live.move(time)

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities."""
        return self._live.give(weight, others)

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give."""
        return self._live.changes()

    def names(self) -> list[Moved]:
        """Returns its effects."""
        return self._live.names()
