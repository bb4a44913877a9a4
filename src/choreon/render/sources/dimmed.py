"""What plays at less than its own light: a look that is stored at a level, or a step
between two looks whose lamps change in the dark.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from choreon.model.motion import Effect
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render.effects import PathBegin
from choreon.render.live import Change, Dimming, Followed, Given, Live, Moved
from choreon.render.looks import CompiledLook
from choreon.render.rig import Floats
from choreon.render.sources.base import Source
from choreon.render.state import AnyCursor, Pace, Time


class Dimmed:
    """Another source, of whose light `scale` (I + 1), 0…1, is left on each lamp."""

    def __init__(self, source: Source, scale: Floats) -> None:
        self.source, self.scale = source, scale
        look = source.look
        left = look.levels * scale.take(look.lamps)
        self.look: CompiledLook = replace(look, levels=left)
        lamps, light = look.shining
        if light is not look.levels:
            # of what moves that is how strong it ever gets
            self.look.__dict__["shining"] = (lamps, light * scale.take(lamps))

    @property
    def still(self) -> bool:
        """Whether it never moves by itself."""
        return self.source.still

    @property
    def modifies(self) -> bool:
        """Whether it ever changes what others give."""
        return self.source.modifies

    @property
    def own_clock(self) -> bool:
        """Whether it begins anew with each step that plays it."""
        return self.source.own_clock

    def length(self) -> Time:
        """Returns the own time in which it has shown all that it does."""
        return self.source.length()

    @property
    def uses(self) -> frozenset[str]:
        """What it follows."""
        return self.source.uses

    def followed(self, show: Show, moved: set[str]) -> None:
        """It is compiled anew."""

    def path_begins(self) -> Sequence[PathBegin]:
        """Returns where heads begin on the paths that it begins with."""
        return self.source.path_begins()

    def prepare(self, size: float) -> None:
        """Work out what it is at a size of its effects."""
        self.source.prepare(size)

    def live(self, offsets: Mapping[str, float]) -> Live | None:
        """Returns what a layer asks; None where it never moves."""
        live = self.source.live(offsets)
        return None if live is None else DimmedLive(live, self.look, self.scale)

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
        was = before.source if isinstance(before, Dimmed) else before
        return self.source.carried(was, cursor, time)

    def ends(self) -> Time | None:
        """It ends with what it is made of."""
        return self.source.ends()


class DimmedLive:
    """Something that moves, at less than its own light."""

    def __init__(self, live: Live, look: CompiledLook, scale: Floats) -> None:
        self._live, self.look = live, look
        self._of_lamps = scale.take(look.lamps)
        self._of_shining = scale.take(look.shining[0])
        self._of_claims = scale.take(look.claims[0])
        self.modifies = live.modifies
        self.asks = live.asks

    @property
    def levels(self) -> Floats:
        """The intensities now."""
        return self._live.levels * self._of_lamps

    @property
    def light(self) -> Floats:
        """How strongly it counts as lighting its lamps."""
        return self._live.light * self._of_shining

    @property
    def shine(self) -> Floats:
        """The same for the lamps of its claims."""
        return self._live.shine * self._of_claims

    @property
    def size(self) -> float:
        """How far its effects go."""
        return self._live.size

    @size.setter
    def size(self, size: float) -> None:
        self._live.size = size

    @property
    def pace(self) -> Pace:
        """How fast it goes."""
        return self._live.pace

    @pace.setter
    def pace(self, pace: Pace) -> None:
        self._live.pace = pace

    def dim(self, masters: Dimming) -> None:
        """Have masters scale what it plays."""
        self._live.dim(masters)

    def move(self, time: Time) -> None:
        """Go to a time."""
        self._live.move(time)

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities."""
        return self._live.give(weight, others)

    def changes(self) -> list[tuple[Change, float]]:
        """Returns what it does to what others give."""
        return self._live.changes()

    def followed(self) -> list[Followed]:
        """Returns the heads that paths move."""
        return self._live.followed()

    def names(self) -> list[Moved]:
        """Returns its effects."""
        return self._live.names()
