"""Live music: its tempo, where its beats are, and how loud it is in four bands, as it
comes.
"""

from __future__ import annotations

import itertools
from typing import NamedTuple

import numpy as np
from scipy.ndimage import gaussian_filter1d

from choreon.sound.beats import WEIGHTS, tempo_and_beats
from choreon.sound.clock import CardClock
from choreon.sound.music import SURE
from choreon.sound.onsets import FRAMES, HOP, WINDOW, Listener, strength
from choreon.sound.samples import RATE, Sound

LISTENED = 12.0  # seconds by which the tempo is found
FIRST = 5.0  # seconds until it is told for the first time
EVERY = 1.0  # seconds from one look for the tempo to the next
STEADY = 0.04  # of the tempo, by which two in a row may differ
EDGES = (30.0, 150.0, 600.0, 2500.0, 10_000.0)  # hertz between the bands
BANDS = ("low", "low mid", "high mid", "high")
RISE, FALL = 0.03, 0.25  # seconds in which a level comes and goes by two thirds
LOUDEST = 8.0  # seconds in which what is the loudest is forgotten by two thirds
QUIET = 1e-3  # of full, below which all is silence


class Tempo(NamedTuple):
    """Beats a minute, when one of them was, in seconds of this machine's clock, and how
    sure that is, 0…1.
    """

    bpm: float
    at: float
    sure: float


class LiveListener:
    """Listens to blocks of any length, mono, RATE samples a second, −1…1."""

    def __init__(self) -> None:
        self._listener = Listener()
        self._flux = np.zeros((0, 3))
        self._first = 0  # the look that the kept ones begin with
        self._samples = 0
        self._clock = CardClock(RATE)
        self._rest = np.zeros(0, np.float32)
        self._levels = np.zeros(len(BANDS))
        self._loudest = np.full(len(BANDS), QUIET)
        hertz = np.fft.rfftfreq(WINDOW, 1.0 / RATE)
        self._bins = [
            (hertz >= low) & (hertz < high) for low, high in itertools.pairwise(EDGES)
        ]
        self._before: Tempo | None = None
        self._looked = 0.0

    def hear(self, block: Sound, now: float) -> None:
        """Take a block that has just been played to its end."""
        self._clock.called(self._samples + len(block), now)
        self._samples += len(block)
        self._listener.hear(block)
        flux, _ = self._listener.taken()
        self._flux = np.concatenate([self._flux, flux])
        most = int(LISTENED * FRAMES)
        gone = max(0, len(self._flux) - most)
        self._flux, self._first = self._flux[gone:], self._first + gone
        self._measure(block)

    def _measure(self, block: Sound) -> None:
        """How loud it is in each band, beside the loudest of late."""
        whole = np.concatenate([self._rest, np.nan_to_num(block)])
        self._rest = whole[-WINDOW:]
        if len(whole) < WINDOW:
            return
        size = np.abs(np.fft.rfft(self._rest * np.hanning(WINDOW))) / WINDOW
        passed = len(block) / RATE
        now = np.array([float(np.sqrt((size[bins] ** 2).sum())) for bins in self._bins])
        self._loudest *= np.exp(-passed / LOUDEST)
        self._loudest = np.maximum(self._loudest, np.maximum(now, QUIET))
        wanted = np.where(now < QUIET / 4, 0.0, now / self._loudest)
        rising = wanted > self._levels
        part = 1.0 - np.exp(-passed / np.where(rising, RISE, FALL))
        self._levels += part * (wanted - self._levels)

    @property
    def levels(self) -> tuple[float, ...]:
        """How loud each of BANDS is, 0…1."""
        return tuple(float(min(1.0, level)) for level in self._levels)

    def tempo(self, now: float) -> Tempo | None:
        """Returns the tempo, where it is time to look and one is there; how sure it is
        says whether to go by it.
        """
        if now - self._looked < EVERY or len(self._flux) < FIRST * FRAMES:
            return None
        self._looked = now
        onsets = gaussian_filter1d(strength(self._flux, WEIGHTS), 1.5)
        bpm, beats, sure = tempo_and_beats(onsets)
        if not len(beats):
            self._before = None
            return None
        look = self._first + float(beats[-1])
        at = self._clock.time_of(look * HOP)
        found = self._held_against(Tempo(bpm, at, sure))
        self._before = Tempo(bpm, at, sure)
        return found

    def _held_against(self, found: Tempo) -> Tempo:
        """One that is another than the one before is not sure as yet."""
        before = self._before
        if before is None or abs(found.bpm / before.bpm - 1.0) > STEADY:
            return found._replace(sure=0.5 * min(SURE, found.sure))
        return found


def beats_apart(tempo: Tempo, at: float) -> float:
    """Returns by how much of a beat a time lies off the nearest one, −0.5…0.5."""
    beats = (at - tempo.at) * tempo.bpm / 60.0
    return beats - round(beats)
