"""Layers laid over each other, in linear light."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from choreon.model.playables.canvas import Mode

Floats = npt.NDArray[np.float64]


def lay(below: Floats, layer: Floats, mode: Mode, opacity: float) -> None:
    """Lay a layer (4, n) over what is `below` (4, n), in place: light multiplied by
    what covers, and what covers.

    With a the cover of the layer and o its opacity:

    - cover: light · o + below · (1 − a · o);
    - add: below + light · o, no more than 1;
    - multiply: below · (1 − a · o + light · o): where nothing covers it stays;
    - mask: below · (1 − o + m · o), with m the strongest part of the light.
    """
    if mode == Mode.MASK:
        strongest = layer[:3].max(axis=0)
        below *= 1.0 - opacity * (1.0 - strongest)
        return

    cover = layer[3] * opacity
    if mode == Mode.MULTIPLY:
        below[:3] *= layer[:3] * opacity + (1.0 - cover)
        return

    if mode == Mode.ADD:
        below[:3] += layer[:3] * opacity
        np.minimum(below[:3], 1.0, out=below[:3])
    else:
        below[:3] *= 1.0 - cover
        below[:3] += layer[:3] * opacity
    below[3] += cover * (1.0 - below[3])
