"""What every layer gave: what *why*, capture and the ledger read."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from choreon.model.motion import Effect
from choreon.model.refs import Ref
from choreon.model.values import Look
from choreon.render.live import Moved
from choreon.render.rig import Floats, Ints, Rig
from choreon.render.state import Player


@dataclass
class TracePart:
    """One look in one layer. `rows` (n) it gives `values` (n) with a share (n) of what
    is there after it; `lamps` (m) with `levels` (m), as strongly as they come out.
    """

    source: Ref
    player: Player | None
    look: Look
    rows: Ints
    values: Floats
    share: Floats
    lamps: Ints
    levels: Floats
    on: float = 1.0  # how far its levels are on
    replaces: float = 0.0  # how far its levels replace those below; 0: highest wins
    effects: list[Moved] = field(default_factory=list)
    running: list[Effect] = field(default_factory=list)
    """The effects that it has, as they run now."""
    place: str = ""
    """Where in its source it is: the step of a chase."""


@dataclass
class Trace:
    """All parts of all layers, lowest first. `turning`, `clear`: what is left of
    intensities (I + 1) where heads turn back, and where their beams come near to what
    is to be kept out of; None where no path is on.
    """

    rig: Rig
    parts: list[TracePart] = field(default_factory=list)
    turning: Floats | None = None
    clear: Floats | None = None
    changing: Floats | None = None

    def weights(self, row: int) -> list[float]:
        """Returns for each part how much of it is in what comes out on a row that is no
        intensity. What is missing to 1 is home.
        """
        found: list[float] = []
        left = 1.0
        for part in reversed(self.parts):
            place = int(np.searchsorted(part.rows, row))
            there = place < len(part.rows) and part.rows[place] == row
            share = float(part.share[place]) if there else 0.0
            found.append(left * share)
            left *= 1.0 - share
        return found[::-1]

    def strengths(self, lamp: int) -> list[float | None]:
        """Returns for each part the level that it brings a lamp, as it comes out; None
        where it gives it none.
        """
        found: list[float | None] = []
        for part in self.parts:
            there = np.flatnonzero(part.lamps == lamp)
            found.append(float(part.levels[there[0]]) if len(there) else None)
        return found
