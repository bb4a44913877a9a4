"""Where something begins to sound: spectral flux in three bands, block by block."""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from scipy.ndimage import maximum_filter1d, uniform_filter1d

from choreon.sound.samples import RATE, Floats, Sound

WINDOW, HOP = 1024, 256  # samples of a look, and from one to the next
FRAMES = RATE / HOP  # looks a second
EDGES = (30.0, 180.0, 2000.0, 10_000.0)  # hertz between the bands
CHROMA = (65.0, 1050.0)  # hertz in which chords are listened for
TONES = 12
LOUDER = 100.0  # times that magnitudes count before their logarithm is taken
SPREAD = 1  # bins over which a partial may move and still be the same
AROUND = 0.4  # seconds of what is taken for the usual


class Heard(NamedTuple):
    """What was heard, a line a look (t): `flux` (t, 3), how much begins in the low, the
    middle and the high band; `tones` (t, 12), how strong each tone of the octave is;
    `seconds`: how long it is.
    """

    flux: Floats
    tones: Floats
    seconds: float


class Listener:
    """Listens to sound that comes in blocks of any length: mono, RATE samples a second,
    −1…1.

    The flux is the half-wave rectified difference of log magnitudes, against the
    largest of the bins beside before: S. Böck, G. Widmer, “Maximum filter vibrato
    suppression for onset detection”, DAFx 2013.
    """

    def __init__(self) -> None:
        self._rest = np.zeros(WINDOW // 2, np.float32)  # the first look is at time 0
        self._before: Floats | None = None
        self._flux: list[Floats] = []
        self._tones: list[Floats] = []
        self._samples = 0
        self._window = np.hanning(WINDOW)
        hertz = np.fft.rfftfreq(WINDOW, 1.0 / RATE).astype(np.float64)
        self._bands = [
            (hertz >= low) & (hertz < high) for low, high in itertools.pairwise(EDGES)
        ]
        self._chroma = _chroma_matrix(hertz)

    def hear(self, block: Sound) -> None:
        """Listen to a block; what is no number in it is silence."""
        clean = np.nan_to_num(np.asarray(block, np.float32), posinf=0.0, neginf=0.0)
        self._samples += len(clean)
        self._look(np.concatenate([self._rest, clean]))

    def _look(self, sound: Sound) -> None:
        count = max(0, 1 + (len(sound) - WINDOW) // HOP)
        self._rest = sound[count * HOP :]
        if not count:
            return
        views = np.lib.stride_tricks.sliding_window_view(sound, WINDOW)[::HOP][:count]
        size = np.abs(np.fft.rfft(views * self._window, axis=1))
        logs = np.log1p(LOUDER * size / WINDOW)
        before = logs[:1] if self._before is None else self._before
        earlier = np.concatenate([before, logs[:-1]])
        highest = maximum_filter1d(earlier, 2 * SPREAD + 1, axis=1)
        rises = np.maximum(0.0, logs - highest)
        self._flux.append(
            np.stack([rises[:, band].mean(axis=1) for band in self._bands], axis=1)
        )
        self._tones.append(size @ self._chroma)
        self._before = logs[-1:]

    def taken(self) -> tuple[Floats, Floats]:
        """Returns flux and tones of what was heard since this was asked last, and
        forgets them.
        """
        flux = np.concatenate([np.zeros((0, len(self._bands))), *self._flux])
        tones = np.concatenate([np.zeros((0, TONES)), *self._tones])
        self._flux, self._tones = [], []
        return flux, tones

    def heard(self) -> Heard:
        """Returns what was heard so far; behind its end there is silence."""
        self._look(np.concatenate([self._rest, np.zeros(WINDOW // 2, np.float32)]))
        nothing = np.zeros((0, len(self._bands)))
        flux = np.concatenate([nothing, *self._flux])
        tones = np.concatenate([np.zeros((0, TONES)), *self._tones])
        return Heard(flux, tones, self._samples / RATE)


def listen(blocks: Iterable[Sound]) -> Heard:
    """Returns what is heard in sound that comes in blocks."""
    listener = Listener()
    for block in blocks:
        listener.hear(block)
    return listener.heard()


def _chroma_matrix(hertz: Floats) -> Floats:
    """How much each bin (b) belongs to each tone (b, 12)."""
    made = np.zeros((len(hertz), TONES))
    low, high = CHROMA
    for n, at in enumerate(hertz):
        if low <= at <= high:
            tone = round(12.0 * np.log2(at / 440.0)) % TONES
            made[n, tone] = 1.0
    return made


def strength(flux: Floats, weights: tuple[float, ...]) -> Floats:
    """Returns how strongly something begins at each look (t): bands by their weights,
    each by its own spread, above what is usual around it.
    """
    if not len(flux):
        return np.zeros(0)
    spread = flux.std(axis=0)
    even = flux / np.where(spread > 1e-9, spread, 1.0)
    whole = even @ np.array(weights)
    around = uniform_filter1d(whole, max(1, round(AROUND * FRAMES)), mode="nearest")
    above = np.maximum(0.0, whole - around)
    # as loud as it is around: a fade-in begins as strongly as the middle
    loud = uniform_filter1d(above, round(4.0 * FRAMES), mode="nearest")
    floor = 0.1 * max(1e-9, float(loud.mean()))
    return np.asarray(above / (loud + floor))
