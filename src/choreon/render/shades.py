"""Lamps that go dark while something is changed in them that would be seen on its way:
wheels, gobos, places. Whatever lights them is shaded, and comes back by itself.
"""

from __future__ import annotations

import numpy as np

from choreon.render.masters import dimmer_rows
from choreon.render.rig import Floats, Rig
from choreon.render.state import PlayState


def left_of(rig: Rig, state: PlayState, now: float) -> Floats | None:
    """Returns what is left of the light (I), 0…1; None where nothing is shaded. Of two
    that shade a lamp at once each leaves its part, so that none of it jumps.
    """
    shades = [shade for shade in state.shades if not shade.done(now)]
    if not shades:
        return None

    left = np.ones(rig.intensities)
    for shade in shades:
        left[dimmer_rows(rig, shade.fixtures)] *= shade.left(now)
    return left
