"""Parameters → DMX bytes: emitters, virtual dimmers, ranges, channels of 8, 16 and 24
bits.
"""

from __future__ import annotations

import numpy as np

from choreon.render.channels import WIDTH
from choreon.render.colour import from_oklab
from choreon.render.rig import Bytes, Floats, Rig


def encode(
    rig: Rig, values: Floats, bare: tuple[Floats, Floats] | None = None
) -> Bytes:
    """The frame (U, 512) that shows `values` (P, in blending units).

    `bare`: for every channel (C) a raw value and its weight, 0…1, laid over what the
    parameters make of it.
    """
    raw = raw_values(rig, values)
    if bare is not None:
        raw += bare[1] * (bare[0] - raw)
        np.minimum(np.maximum(raw, rig.least, out=raw), rig.full, out=raw)
    whole = (raw + (0.5 + 1e-6)).astype(
        np.int32
    )  # halves round up, whatever the colour sums left in the last digits
    frame = rig.blank()
    frame.reshape(-1)[rig.byte_at] = (
        whole.take(rig.byte_channel) >> rig.byte_shift
    ).astype(np.uint8)
    return frame


def raw_values(rig: Rig, values: Floats) -> Floats:
    """The raw value of every channel (C), in the resolution of its mode."""
    size, emitters = rig.size, rig.emitters
    sources = np.empty(size + emitters)
    sources[:size] = values
    if emitters:
        rgb = from_oklab(values[rig.colour_rows].reshape(-1, 3))
        np.minimum(np.maximum(rgb, 0.0, out=rgb), 1.0, out=rgb)
        sources[size:] = _emitters(rig, rgb).ravel()
    if len(rig.scaled):
        sources[rig.scaled] *= values[rig.scaled_by]
    raw = sources.take(rig.source) if len(sources) else np.zeros(len(rig.source))
    raw *= rig.slope
    raw += rig.offset
    np.minimum(np.maximum(raw, rig.floor, out=raw), rig.top, out=raw)
    if len(rig.pieces):
        raw[rig.pieces.channel] = rig.pieces.choose(values)[1]
    return raw


def _emitters(rig: Rig, rgb: Floats) -> Floats:
    """Levels of the emitters (K, WIDTH) for target colours (K, 3)."""
    mixed = np.zeros((len(rgb), WIDTH))
    for mix in rig.mixes:
        wanted = rgb[mix.colours]
        if mix.mixer is not None:
            mixed[mix.colours[:, None], mix.columns] = mix.mixer.mix(wanted)
        else:
            plain = mix.columns[mix.columns < 3]
            mixed[mix.colours[:, None], plain] = wanted[:, plain]
    return mixed
