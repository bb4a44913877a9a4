"""Parameters → DMX bytes: emitters, virtual dimmers, shutters, 8- and 16-bit channels."""

from __future__ import annotations

import numpy as np

from choreon.render.colour import from_oklab, mix_white
from choreon.render.rig import Bytes, Floats, Rig


def encode(rig: Rig, values: Floats) -> Bytes:
    """The frame (U, 512) that shows `values` (P, in blending units)."""
    size, emitters = rig.size, 4 * rig.colours
    sources = np.empty(size + emitters + len(rig.shutters))
    sources[:size] = values
    if emitters:
        rgb = from_oklab(values[rig.colour_rows].reshape(-1, 3))
        np.minimum(np.maximum(rgb, 0.0, out=rgb), 1.0, out=rgb)
        sources[size : size + emitters] = _emitters(rig, rgb).ravel()
    if len(rig.scaled):
        sources[rig.scaled] *= values[rig.scaled_by]
    if len(rig.shutters):
        sources[size + emitters :] = _shutters(rig, values)
    raw = sources[rig.source]
    raw *= rig.slope
    raw += rig.offset
    np.minimum(np.maximum(raw, rig.floor, out=raw), rig.top, out=raw)
    whole = (raw + (0.5 + 1e-6)).astype(np.int32)  # halves round up, whatever the colour sums left in the last digits
    frame = rig.blank()
    frame.reshape(-1)[rig.byte_at] = (whole[rig.byte_channel] >> rig.byte_shift).astype(np.uint8)
    return frame


def _emitters(rig: Rig, rgb: Floats) -> Floats:
    """Red, green, blue and white (K, 4); fixtures without a white emitter make the colour with the first three."""
    mixed = np.zeros((len(rgb), 4))
    mixed[:, :3] = rgb
    if len(rig.white):
        mixed[rig.white] = mix_white(rgb[rig.white])
    return mixed


def _shutters(rig: Rig, values: Floats) -> Floats:
    closed, opened, _, _, low, high, slope, offset = rig.shutters.T
    state, rate = values[rig.shutter_rows].T
    strobing = (rate > 0) & (slope != 0)
    raw = np.where(strobing, np.clip(rate, low, high) * slope + offset, opened)
    return np.where(state < 0.5, closed, raw)
