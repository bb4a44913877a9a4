"""Beats in music: the tempo by autocorrelation, the beats by dynamic programming, the
first of a bar by accents and changes of harmony.

D. Ellis, “Beat tracking by dynamic programming”, J. of New Music Research 36, 2007.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.ndimage import gaussian_filter1d

from choreon.sound.onsets import FRAMES, Heard, strength
from choreon.sound.samples import Floats
from choreon.sound.told import Found

SLOWEST, FASTEST = 48.0, 215.0  # beats a minute that are looked for
USUAL, OCTAVES = 115.0, 0.9  # the tempo that is likeliest, and how far others may be
WEIGHTS = (1.0, 0.8, 0.35)  # of the low, the middle and the high band
TIGHT = 120.0  # how much a beat keeps its distance to the one before
LOOK = 30.0  # seconds that the tempo is looked for in at once
BARS = (4, 3)  # beats that a bar may have, the likelier first
SAMPLE = 45.0  # seconds by which a tempo is chosen among its relatives
FEWEST = 8  # beats that say anything
SURE = 0.12  # of the score, by which another bar must be better
BY_CHANCE = 0.12  # how alike noise is to itself a beat later
CLEAR = 2.5  # how well beats fit that stand out clearly
RELATIVES = (1.0, 2.0, 0.5, 1.5, 2.0 / 3.0, 3.0, 1.0 / 3.0)


NOTHING = Found(())


def find_beats(heard: Heard) -> Found:
    """Returns the beats in what was heard; none where nothing goes by a beat."""
    onsets = strength(heard.flux, WEIGHTS)
    bpm, beats, sure = tempo_and_beats(gaussian_filter1d(onsets, 1.5))
    if not len(beats):
        return NOTHING

    times = beats / FRAMES
    bar, first = bar_of(heard, beats)
    return Found(tuple(float(t) for t in times), bar, first, bpm, sure)


def tempo_and_beats(onsets: Floats) -> tuple[float, Floats, float]:
    """Returns the tempo by how strongly something begins at each look, the looks at
    which beats are, and how sure that is, 0…1; no beats where nothing goes by one.
    """
    nothing = 0.0, np.zeros(0), 0.0
    if len(onsets) < 4.0 * FRAMES or onsets.max(initial=0.0) <= 0.0:
        return nothing
    base, clear = _tempo(onsets)
    if clear <= 0.0:
        return nothing

    score, bpm = _best_of(onsets, base)
    beats = track(onsets, 60.0 * FRAMES / bpm)
    if score <= 0.0 or len(beats) < FEWEST:
        return nothing

    bpm = 60.0 * FRAMES / float(np.median(np.diff(beats)))
    sure = float(np.clip(score / CLEAR, 0.0, 1.0) * np.clip(clear, 0.0, 1.0))
    return bpm, beats, sure


def _best_of(onsets: Floats, base: float) -> tuple[float, float]:
    """Returns how well the best of a tempo and its relatives fits, and which it is. The
    liveliest minute says so: half or double, it is the same everywhere.
    """
    size = int(SAMPLE * FRAMES)
    sums = np.concatenate([[0.0], np.cumsum(onsets)])
    begin = 0
    if len(onsets) > size:
        begin = int(np.argmax(sums[size:] - sums[:-size]))
    part = onsets[begin : begin + size]
    best = (0.0, base)
    for factor in RELATIVES:
        bpm = base * factor
        if SLOWEST <= bpm <= FASTEST:
            fits = _fits(part, track(part, 60.0 * FRAMES / bpm))
            best = max(best, (fits * _likely(bpm) ** 0.25, bpm))
    return best


def _likely(bpm: float) -> float:
    """How likely a tempo is, before anything was heard."""
    away = np.log2(bpm / USUAL) / OCTAVES
    return float(np.exp(-0.5 * away * away))


def _tempo(onsets: Floats) -> tuple[float, float]:
    """The tempo, and how clearly it stands out, to 1: by the autocorrelation of
    stretches, each by itself, so that a break between them does not count.
    """
    lags = np.arange(int(60.0 * FRAMES / FASTEST), int(60.0 * FRAMES / SLOWEST) + 1)
    whole, parts = np.zeros(len(lags)), 0
    size = int(LOOK * FRAMES)
    for begin in range(0, max(1, len(onsets) - size // 3), size // 2):
        part = onsets[begin : begin + size]
        if len(part) < 3 * lags[-1] and len(onsets) > size:
            continue
        whole += _autocorrelation(part - part.mean(), lags)
        parts += 1
    if whole.max(initial=0.0) <= 0.0:
        return USUAL, 0.0

    likely = np.array([_likely(60.0 * FRAMES / lag) for lag in lags])
    place = int(np.argmax(whole * likely))
    lag = float(lags[place])
    if 0 < place < len(lags) - 1:  # between looks, by a parabola
        a, b, c = whole[place - 1 : place + 2]
        under = a - 2.0 * b + c
        if under < 0.0:
            lag += 0.5 * (a - c) / under
    alike = float(whole[place]) / max(1, parts)
    return 60.0 * FRAMES / lag, (alike - BY_CHANCE) / (1.0 - BY_CHANCE)


def _autocorrelation(part: Floats, lags: np.ndarray) -> Floats:
    """How alike a stretch (t) is to itself some looks later, by its own strength."""
    size = 1 << int(np.ceil(np.log2(2 * len(part))))
    spectrum = np.fft.rfft(part, size)
    alike = np.fft.irfft(spectrum * np.conj(spectrum), size)
    if alike[0] <= 0.0:
        return np.zeros(len(lags))
    found: Floats = alike[np.minimum(lags, size - 1)] / alike[0]
    return found


def track(onsets: Floats, period: float) -> Floats:
    """Returns the looks (n, in parts) at which beats are that lie about `period` looks
    apart and where much begins.
    """
    near, far = max(1, round(period / 2.0)), max(2, round(2.0 * period))
    back = np.arange(-far, -near + 1)
    cost = -TIGHT * np.log(-back / period) ** 2
    scaled = onsets / max(1e-9, float(onsets.std()))

    score = scaled.copy()
    link = np.full(len(scaled), -1)
    for n in range(near, len(scaled)):
        begin = max(0, n - far)
        ahead = cost[begin - n + far :] + score[begin : n - near + 1]
        best = int(np.argmax(ahead))
        if ahead[best] > 0.0:
            score[n] += ahead[best]
            link[n] = begin + best

    last = max(0, len(score) - far)
    place = last + int(np.argmax(score[last:]))
    found: list[int] = []
    while place >= 0:
        found.append(place)
        place = int(link[place])
    return _between(onsets, np.array(found[::-1], float))


def _between(onsets: Floats, beats: Floats) -> Floats:
    """Beats a little finer than looks are: at the top of a parabola through three."""
    made = beats.copy()
    for k, at in enumerate(beats.astype(int)):
        if 0 < at < len(onsets) - 1:
            a, b, c = onsets[at - 1 : at + 2]
            under = a - 2.0 * b + c
            if under < 0.0 and b >= a and b >= c:
                made[k] += 0.5 * (a - c) / under
    return made


def _at(onsets: Floats, places: Floats) -> Floats:
    """The strongest of the looks about some places."""
    near = np.rint(places).astype(int)[:, None] + np.arange(-2, 3)
    found: Floats = onsets[np.clip(near, 0, len(onsets) - 1)].max(axis=1)
    return found


def _fits(onsets: Floats, beats: Floats) -> float:
    """How well beats fit: much begins on them, on each second as on the others, and
    less half-way between.
    """
    if len(beats) < FEWEST:
        return 0.0
    own = _at(onsets, beats)
    halves = _at(onsets, (beats[1:] + beats[:-1]) / 2.0)
    thirds = _at(onsets, beats[:-1] + np.diff(beats) / 3.0)
    two = _at(onsets, beats[:-1] + np.diff(beats) * 2.0 / 3.0)
    even, odd = own[0::2].mean(), own[1::2].mean()
    weakest = min(even, odd)
    between = max(halves.mean(), 0.5 * (thirds.mean() + two.mean()))
    mean = 0.5 * own.mean() + 0.5 * weakest
    return max(0.0, float(mean - 0.8 * between) / (float(onsets.std()) + 1e-9))


def bar_of(heard: Heard, beats: Floats) -> tuple[int, int]:
    """Returns how many beats a bar has, and which beat is the first of one: where the
    low ones are strong, and the harmony changes.
    """
    low = strength(heard.flux, (1.0, 0.3, 0.0))
    accents = _even(_at(low, beats))
    changes = _even(_changes(heard, beats))
    weight = accents + 1.3 * changes
    best = (BARS[0], 0, -np.inf)
    for n, bar in enumerate(BARS):
        scores = [_stands_out(weight, bar, first) for first in range(bar)]
        first = int(np.argmax(scores))
        better = scores[first] - (SURE if n else 0.0)
        if better > best[2]:
            best = (bar, first, better)
    return best[0], best[1]


def _stands_out(weight: Floats, bar: int, first: int) -> float:
    """By how much the first beats of bars are stronger than the others."""
    others = np.delete(weight, np.arange(first, len(weight), bar))
    return float(weight[first::bar].mean() - others.mean())


def _even(values: Floats) -> Floats:
    spread = float(values.std())
    found: Floats = (values - values.mean()) / (spread if spread > 1e-9 else 1.0)
    return found


def _changes(heard: Heard, beats: Sequence[float] | Floats) -> Floats:
    """How much the harmony is another from each beat on than before it."""
    places = np.clip(np.rint(beats).astype(int), 0, len(heard.tones))
    ends = [*places[1:], len(heard.tones)]
    chords = []
    for begin, end in zip(places, ends, strict=True):
        part = heard.tones[begin : max(begin + 1, end)]
        chord = part.mean(axis=0) if len(part) else np.zeros(12)
        size = float(np.linalg.norm(chord))
        chords.append(chord / size if size > 1e-9 else chord)
    made = np.array(chords)
    before = np.concatenate([made[:1], made[:-1]])
    found: Floats = 1.0 - (made * before).sum(axis=1)
    return found
