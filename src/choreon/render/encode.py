"""Parameters → DMX bytes: emitters, virtual dimmers, ranges, channels of 8, 16 and 24
bits.

What a colour comes to, and on which of its ranges a channel stands, is remembered: only
where the inputs changed is it worked out anew.
"""

from __future__ import annotations

import numpy as np

from choreon.render.channels import WIDTH
from choreon.render.colour import from_oklab_rows
from choreon.render.rig import Bytes, Flags, Floats, Rig

ROUND = 0.5 + 1e-6  # halves round up, whatever colour sums left in the last digits


def encode(
    rig: Rig, values: Floats, driven: tuple[Floats, Floats] | None = None
) -> Bytes:
    """Returns the frame (U, 512) that shows `values` (P, in blending units).

    `driven`: for every channel (C) a raw value and its share, 0…1, laid over what the
    parameters make of it.
    """
    raw = raw_values(rig, values)
    if driven is not None:
        raw += driven[1] * (driven[0] - raw)
        np.minimum(np.maximum(raw, rig.least, out=raw), rig.full, out=raw)
    whole = (raw + ROUND).astype(np.int32)
    frame = rig.blank()
    slots = whole.take(rig.byte_channel) >> rig.byte_shift
    frame.reshape(-1)[rig.byte_at] = slots.astype(np.uint8)
    return frame


def raw_values(rig: Rig, values: Floats) -> Floats:
    """Returns the raw value of every channel (C), in the resolution of its mode."""
    size, emitters = rig.size, rig.emitters
    sources = np.empty(size + emitters)
    sources[:size] = values
    if emitters:
        sources[size:] = rig.encoder.emitters(values)
    if len(rig.scaled):
        sources[rig.scaled] *= values[rig.scaled_by]
    raw = sources.take(rig.source) if len(sources) else np.zeros(len(rig.source))
    raw *= rig.slope
    raw += rig.offset
    np.minimum(np.maximum(raw, rig.floor, out=raw), rig.top, out=raw)
    if len(rig.pieces):
        raw[rig.pieces.channel] = rig.encoder.ranges(values)
    return raw


class Encoder:
    """What was encoded last on a rig. It follows from its inputs alone, so that the
    same values give the same bytes whatever was encoded before.
    """

    def __init__(self, rig: Rig) -> None:
        self._rig = rig
        self._colours = np.full((3, rig.colours), np.nan)  # OKLab
        self._levels = np.zeros((WIDTH, rig.colours))
        pieces = rig.pieces
        asked = [pieces.row, pieces.main, pieces.guard[pieces.guard >= 0]]
        self._asked = np.unique(np.concatenate(asked))
        self._asked_values = np.full(len(self._asked), np.nan)
        self._ranges = np.zeros(0)

    def emitters(self, values: Floats) -> Floats:
        """Returns the levels (WIDTH × K, flat) of the emitters for the target colours
        in `values` (P).
        """
        wanted = values[self._rig.colour_rows].reshape(3, -1)
        fresh = (wanted != self._colours).any(axis=0)
        if fresh.any():
            self._mix(wanted, fresh)
            self._colours = wanted.copy()
        return self._levels.reshape(-1)

    def _mix(self, wanted: Floats, fresh: Flags) -> None:
        """Work out the levels of the colours that are `fresh` (K)."""
        for mix in self._rig.mixes:
            colours = mix.colours[fresh.take(mix.colours)]
            if not len(colours):
                continue
            target = from_oklab_rows(wanted.take(colours, axis=1))
            np.minimum(np.maximum(target, 0.0, out=target), 1.0, out=target)
            if mix.mixer is not None:
                columns, levels = mix.columns, mix.mixer.mix_rows(target)
            else:
                columns = mix.columns[mix.columns < 3]
                levels = target[columns]
            for column, level in zip(columns, levels, strict=True):
                self._levels[column, colours] = level

    def ranges(self, values: Floats) -> Floats:
        """Returns the raw values of the channels that have several ranges."""
        asked = values.take(self._asked)
        if not np.array_equal(asked, self._asked_values):
            self._ranges = self._rig.pieces.choose(values)[1]
            self._asked_values = asked
        return self._ranges
