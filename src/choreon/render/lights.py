"""How strongly each layer lights each lamp, and how strongly the others do."""

from __future__ import annotations

import numpy as np

from choreon.render.fades import Fade
from choreon.render.looks import CompiledLook
from choreon.render.rig import Floats, Ints, Rig


class Lights:
    """How strongly layers light each lamp (I + 1; the last one stands for “always
    lit”): the highest and the second highest; and the intensities (I + 1) that come of
    it. Layers may tell again and again, as the time goes on; each tells of the same
    lamps every time.
    """

    def __init__(self, rig: Rig, layers: int, below: Lights | None = None) -> None:
        """`layers`: how many there are to tell. `below`: what lights the lamps already,
        a stranger to all of them.
        """
        count = rig.intensities + 1
        self.lit: Floats = np.zeros((layers + 1, count))
        self._given = self.lit  # intensities; apart only where raw values drive dimmers
        # not made anew each frame
        self._top, self._second, self._lower = np.empty((3, count))

        if below is None:
            self._below: Floats = np.zeros(count)
            self.lit[-1, -1] = 1.0
        else:
            self._below = below.level
            self.lit[-1] = below.top

        self.level: Floats = self._below
        self.top: Floats = self.lit[-1]
        self.second = np.zeros(count)

    def tell(
        self, who: int, look: CompiledLook | Fade, light: Floats, level: Floats
    ) -> None:
        """A layer lights its lamps (m): `light`, where that differs `level` as its
        intensities.
        """
        row = self.lit[who]
        row[look.shining[0]] = light
        if level is not light and self._given is self.lit:
            self._given = self.lit.copy()
        if self._given is not self.lit:
            self._given[who, :] = 0.0
            self._given[who, look.lamps] = level

    def tell_all(self, places: Ints, light: Floats) -> None:
        """Many layers tell at once: `light` (m) at `places` (m) of `lit`, counted
        through row by row.
        """
        self.lit.reshape(-1)[places] = light
        if self._given is not self.lit:
            self._given.reshape(-1)[places] = light

    def done(self) -> None:
        """All layers have told: find out how strong the two strongest are."""
        top, second, lower = self._top, self._second, self._lower
        np.copyto(top, 0.0)
        np.copyto(second, 0.0)

        # row by row: the weaker of a row and the strongest so far is the candidate for
        # the second place; two that are alike fill both
        for row in self.lit[:-1]:
            np.minimum(top, row, out=lower)
            np.maximum(second, lower, out=second)
            np.maximum(top, row, out=top)

        # intensities come of the layers alone; what lights below them is told already
        if len(self.lit) > 1:
            given = top if self._given is self.lit else self._given[:-1].max(axis=0)
            self.level = np.maximum(self._below, given)

        np.minimum(top, self.lit[-1], out=lower)
        np.maximum(second, lower, out=second)
        np.maximum(top, self.lit[-1], out=top)
        self.top, self.second = top, second

    def given(self, who: int) -> Floats:
        """Returns the intensities (I + 1) that a layer gives."""
        return self._given[who]

    def others(self, lamps: Ints, own: Floats) -> Floats:
        """Returns the highest light (k) that any layer but one, which gives them `own`
        (k), gives lamps (k).
        """
        top = self.top.take(lamps)
        # whoever is the strongest itself has the second strongest beside it
        return np.where(own >= top, self.second.take(lamps), top)

    def others_into(
        self, into: tuple[Floats, Floats], lamps: Ints, own: Floats
    ) -> Floats:
        """Returns the same as `others`, in arrays (k) that are there already."""
        others = self.top.take(lamps, out=into[0], mode="clip")
        second = self.second.take(lamps, out=into[1], mode="clip")
        np.copyto(others, second, where=own >= others)
        return others
