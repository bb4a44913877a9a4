"""The sections of a piece: where it becomes another, which parts are the same again,
and how lively each is.

J. Foote, “Automatic audio segmentation using a measure of audio novelty”, ICME 2000: a
checkerboard along the diagonal of the similarity of each moment to each other.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np
from scipy.ndimage import gaussian_filter1d

from choreon.sound.onsets import FRAMES, Heard
from choreon.sound.samples import Floats
from choreon.sound.told import Section

STEP = 2.0  # seconds of a moment where nothing goes by bars
AROUND = 8  # moments on either side that are held against each other
SHORTEST = 4  # moments of a section
CLEAR = 0.35  # of the clearest border, from which on another one counts
LEAST = 0.2  # of all that could be, that the clearest border has at least
ALIKE = 0.9  # from which on two sections are the same again
FEWEST = 3 * SHORTEST  # moments of a piece that has sections at all
MOST_MOMENTS = 1200


def find_sections(
    heard: Heard, beats: Sequence[float] = (), bar: int = 4, first: int = 0
) -> tuple[Section, ...]:
    """Returns the sections of what was heard: they begin on bars, where there are
    beats. None of a piece that is too short, or the same throughout.
    """
    edges = _edges(heard, beats, bar, first)
    moments = len(edges) - 1
    if moments < FEWEST:
        return ()
    features, loud = _features(heard, edges)
    borders = _borders(features)
    begins = [0, *borders]
    ends = [*borders, moments]
    means = [features[a:b].mean(axis=0) for a, b in zip(begins, ends, strict=True)]
    energy = np.array([loud[a:b].mean() for a, b in zip(begins, ends, strict=True)])
    span = float(energy.max() - energy.min())
    even = (energy - energy.min()) / span if span > 1e-6 else np.full(len(energy), 0.5)
    which = _which(means)
    return tuple(
        Section(float(edges[begin]), which[n], float(even[n]))
        for n, begin in enumerate(begins)
    )


def _edges(heard: Heard, beats: Sequence[float], bar: int, first: int) -> Floats:
    """Where moments begin, and the last one ends: at bars, else every STEP."""
    bars = np.array(beats[first::bar], float)
    if len(bars) < FEWEST:
        bars = np.arange(0.0, heard.seconds, STEP)
    thin = max(1, -(-len(bars) // MOST_MOMENTS))
    bars = bars[::thin]
    if len(bars) and bars[0] > 0.0:
        bars[0] = 0.0  # what comes before the first bar belongs to it
    return np.array([*bars, heard.seconds])


def _features(heard: Heard, edges: Floats) -> tuple[Floats, Floats]:
    """What each moment sounds like (n, 15), and how loud it is (n)."""
    places = np.clip(np.rint(edges * FRAMES).astype(int), 0, len(heard.tones))
    tones, flux = [], []
    for begin, end in itertools.pairwise(places):
        part = slice(begin, max(begin + 1, end))
        tones.append(_mean(heard.tones[part], 12))
        flux.append(_mean(heard.flux[part], heard.flux.shape[1]))
    sound, rhythm = np.array(tones), np.array(flux)
    loud = np.log1p(sound.sum(axis=1)) + 2.0 * np.log1p(50.0 * rhythm.sum(axis=1))

    # harmony over some moments, for a chord alone is no section
    chords = gaussian_filter1d(np.log1p(sound), 2.0, axis=0)
    beaten = gaussian_filter1d(np.log1p(50.0 * rhythm), 0.7, axis=0)
    made = np.concatenate([0.4 * _even(chords), _even(beaten)], axis=1)
    return made, loud


def _mean(part: Floats, width: int) -> Floats:
    return part.mean(axis=0) if len(part) else np.zeros(width)


def _even(values: Floats) -> Floats:
    """Each column by its spread; what hardly changes beside the others says little."""
    spread = values.std(axis=0)
    return (values - values.mean(axis=0)) / (spread + 0.1 * float(spread.max()) + 1e-9)


def _borders(features: Floats) -> list[int]:
    """The moments at which it becomes another."""
    alike = _alike(features)
    count = len(features)
    reach = min(AROUND, count // 3)
    at = np.arange(-reach, reach) + 0.5
    taper = np.exp(-((at / (0.6 * reach)) ** 2))
    board = np.outer(taper * np.sign(at), taper * np.sign(at))
    padded = np.pad(alike, reach, mode="edge")
    novelty = np.array(
        [
            float((padded[n : n + 2 * reach, n : n + 2 * reach] * board).sum())
            for n in range(count)
        ]
    )
    novelty /= np.abs(board).sum()
    novelty[:SHORTEST] = novelty[count - SHORTEST + 1 :] = 0.0
    if novelty.max(initial=0.0) <= LEAST:
        return []

    found: list[int] = []
    for n in np.argsort(-novelty):
        if novelty[n] < CLEAR * novelty.max():
            break
        if all(abs(n - other) >= SHORTEST for other in found):
            found.append(int(n))
    return sorted(found)


def _alike(features: Floats) -> Floats:
    """How alike moments are to each other, 0…1 (n, n)."""
    squares = (features * features).sum(axis=1)
    apart = np.maximum(0.0, squares[:, None] + squares - 2.0 * features @ features.T)
    usual = float(np.median(apart[apart > 1e-9])) if (apart > 1e-9).any() else 1.0
    return np.asarray(np.exp(-apart / usual))


def _which(means: list[Floats]) -> list[int]:
    """Sections that sound alike have the same number, counted as they come."""
    alike = _alike(np.array(means))
    found: list[int] = []
    firsts: list[int] = []  # the first section of each number
    for n in range(len(means)):
        near = [float(alike[n, first]) for first in firsts]
        if near and max(near) >= ALIKE:
            found.append(int(np.argmax(near)))
        else:
            found.append(len(firsts))
            firsts.append(n)
    return found
