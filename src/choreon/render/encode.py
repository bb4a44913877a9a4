"""Parameters → DMX bytes: emitters, virtual dimmers, ranges, channels of 8, 16 and 24
bits.

What a colour comes to, and on which of its ranges a channel stands, is remembered: only
where the inputs changed is it worked out anew.
"""

from __future__ import annotations

import math

import numpy as np

from choreon.language import tr
from choreon.render.channels import WIDTH
from choreon.render.colour import from_oklab_rows
from choreon.render.rig import Bytes, Floats, Ints, Rig

ROUND = 0.5 + 1e-6  # halves round up, whatever colour sums left in the last digits


class NoNumber(ArithmeticError):
    """A value has become none, or endless: nothing that could be sent."""


def encode(
    rig: Rig, values: Floats, driven: tuple[Floats, Floats] | None = None
) -> Bytes:
    """Returns the frame (U, 512) that shows `values` (P, in blending units).

    `driven`: for every channel (C) a raw value and its share, 0…1, laid over what the
    parameters make of it. Raises NoNumber where a channel comes to none.
    """
    raw = raw_values(rig, values)
    if driven is not None:
        raw += driven[1] * (driven[0] - raw)
        np.minimum(np.maximum(raw, rig.least, out=raw), rig.full, out=raw)

    if not math.isfinite(raw.sum()):
        raise NoNumber(
            tr("{sum} channels have no number", sum=int((~np.isfinite(raw)).sum()))
        )

    whole = (raw + ROUND).astype(np.uint32)
    frame = rig.blank()
    slots = whole.take(rig.byte_channel) >> rig.byte_shift
    frame.reshape(-1)[rig.byte_at] = slots.astype(np.uint8)

    return frame


def raw_values(rig: Rig, values: Floats, apart: bool = False) -> Floats:
    """Returns the raw value of every channel (C), in the resolution of its mode.
    `apart`: another thread may encode meanwhile.
    """
    encoder = Encoder(rig) if apart else rig.encoder
    raw = encoder.channels(values)
    raw *= rig.slope
    raw += rig.offset
    np.minimum(np.maximum(raw, rig.floor, out=raw), rig.top, out=raw)
    if len(rig.pieces):
        raw[rig.pieces.channel] = encoder.ranges(values)
    return raw


class Encoder:
    """What was encoded last on a rig. It follows from its inputs alone, so that the
    same values give the same bytes whatever was encoded before.
    """

    def __init__(self, rig: Rig) -> None:
        self._rig = rig
        # what channels are made of: the parameters, then the emitters, a line each
        self._sources = np.zeros(rig.size + rig.emitters)
        self._levels = self._sources[rig.size :].reshape(WIDTH, rig.colours)
        self._colours = np.full((3, rig.colours), np.nan)  # OKLab
        self._mix_of = np.full(rig.colours, -1)  # each colour's place among the mixes

        for kind, mix in enumerate(rig.mixes):
            self._mix_of[mix.colours] = kind

        # channels of emitters that a virtual dimmer scales, and its row
        scaled_by = np.full(len(self._sources), -1)
        scaled_by[rig.scaled] = rig.scaled_by
        by = scaled_by[rig.source] if len(scaled_by) else rig.source
        self._scaled = np.flatnonzero(by >= 0) if len(scaled_by) else by
        self._scaled_by = by[self._scaled]

        pieces = rig.pieces
        asked = [pieces.row, pieces.main, pieces.guard[pieces.guard >= 0]]
        self._asked = np.unique(np.concatenate(asked))
        self._asked_values = np.full(len(self._asked), np.nan)
        self._ranges = np.zeros(0)

    def channels(self, values: Floats) -> Floats:
        """Returns what every channel (C) is driven by, 0…1 or in its unit, for
        parameters `values` (P).
        """
        if not len(self._sources):
            return np.zeros(len(self._rig.source))
        self._sources[: self._rig.size] = values
        self._find_levels(values)
        driven = self._sources.take(self._rig.source)
        if len(self._scaled):
            driven[self._scaled] *= values.take(self._scaled_by)
        return driven

    def _find_levels(self, values: Floats) -> None:
        """Mix the target colours in `values` (P) that have changed."""
        wanted = values[self._rig.colour_rows].reshape(3, -1)
        changed = wanted != self._colours
        changed[0] |= changed[1]
        changed[0] |= changed[2]
        # NaN, which stands for “not yet”, differs from everything
        fresh = np.flatnonzero(changed[0])
        if len(fresh):
            colours = wanted.take(fresh, axis=1)
            self._mix(fresh, colours)
            self._colours[:, fresh] = colours

    def _mix(self, fresh: Ints, colours: Floats) -> None:
        """Work out the levels of the `fresh` (k) of the colours, `colours` (3, k)."""
        light = from_oklab_rows(colours)
        np.minimum(np.maximum(light, 0.0, out=light), 1.0, out=light)
        kinds = self._mix_of.take(fresh)

        for kind, mix in enumerate(self._rig.mixes):
            own = np.flatnonzero(kinds == kind)
            if not len(own):
                continue

            which, target = fresh.take(own), light.take(own, axis=1)
            if mix.mixer is not None:
                columns, levels = mix.columns, mix.mixer.mix_rows(target)
            else:
                columns = mix.columns[mix.columns < 3]
                levels = target[columns]

            for column, level in zip(columns, levels, strict=True):
                self._levels[column, which] = level

    def ranges(self, values: Floats) -> Floats:
        """Returns the raw values of the channels that have several ranges."""
        asked = values.take(self._asked)
        if not np.array_equal(asked, self._asked_values):
            self._ranges = self._rig.pieces.choose(values)[1]
            self._asked_values = asked
        return self._ranges
