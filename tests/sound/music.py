"""Music made for tests: drums, a bass and chords, by rule; with the beats that are
meant.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from choreon.sound.samples import RATE

CHORDS = ((0, 4, 7), (9, 12, 16), (5, 9, 12), (7, 11, 14))


class Music(NamedTuple):
    """Sound, and when its beats, and the first ones of bars, are."""

    sound: np.ndarray
    beats: np.ndarray
    firsts: np.ndarray


def _decay(seconds: float, fall: float) -> np.ndarray:
    return np.exp(-np.arange(int(seconds * RATE)) / (fall * RATE))


def _put(sound: np.ndarray, at: float, part: np.ndarray, level: float) -> None:
    begin = int(at * RATE)
    end = min(len(sound), begin + len(part))
    if 0 <= begin < end:
        sound[begin:end] += level * part[: end - begin]


def _drum(low: float, dice) -> np.ndarray:
    t = np.arange(int(0.18 * RATE)) / RATE
    sweep = np.sin(2 * np.pi * (low * t + 40.0 * (1 - np.exp(-t / 0.02)) * 0.02))
    return sweep * np.exp(-t / 0.06)


def made(
    bpm: float,
    seed: int = 0,
    seconds: float = 26.0,
    bar: int = 4,
    swing: float = 0.5,
    rubato: float = 0.0,
    triplets: bool = False,
    break_bars: tuple[int, int] | None = None,
    fade_in: float = 0.0,
    noise: float = 0.0,
) -> Music:
    """A piece. `swing`: where the second eighth lies in its beat; `rubato`: the part by
    which the tempo goes up and down; `break_bars`: bars without drums.
    """
    dice = np.random.default_rng(seed)
    beats, at = [], 0.3 + dice.uniform(0.0, 0.4)
    n = 0
    while at < seconds - 0.5:
        beats.append(at)
        at += 60.0 / (bpm * (1.0 + rubato * np.sin(2 * np.pi * n / 24.0)))
        n += 1

    sound = np.zeros(int(seconds * RATE))
    kick = _drum(55.0, dice)
    snare = dice.standard_normal(int(0.15 * RATE)) * _decay(0.15, 0.04)
    hat = np.diff(dice.standard_normal(int(0.05 * RATE) + 1)) * _decay(0.05, 0.012)
    for k, at in enumerate(beats):
        place, number = k % bar, k // bar
        next_at = beats[k + 1] if k + 1 < len(beats) else at + 60.0 / bpm
        quiet = break_bars is not None and break_bars[0] <= number < break_bars[1]
        root = CHORDS[number % len(CHORDS)]
        if place == 0:
            length = (next_at - at) * bar
            t = np.arange(int(length * RATE)) / RATE
            chord = sum(np.sin(2 * np.pi * 220.0 * 2 ** (s / 12) * t) for s in root)
            _put(sound, at, chord * np.minimum(1.0, t / 0.03) * np.exp(-t), 0.10)
        if quiet:
            continue
        tone = np.sin(
            2 * np.pi * 55.0 * 2 ** (root[0] / 12) * np.arange(int(0.3 * RATE)) / RATE
        )
        _put(sound, at, tone * _decay(0.3, 0.12), 0.25 if place == 0 else 0.12)
        strong = place in (0, 2) if bar == 4 else place == 0
        _put(sound, at, kick if strong else snare, 0.8 if place == 0 else 0.5)
        between = (1 / 3, 2 / 3) if triplets else (swing,)
        for share in (0.0, *between):
            _put(sound, at + share * (next_at - at), hat, 0.12)

    if fade_in:
        sound *= np.minimum(1.0, np.arange(len(sound)) / (fade_in * RATE))
    sound += noise * dice.standard_normal(len(sound))
    return Music(
        (0.5 * sound / np.abs(sound).max()).astype(np.float32),
        np.array(beats),
        np.array(beats[::bar]),
    )


def f_measure(found, meant, near: float = 0.07) -> float:
    """The F-measure of found beats, each meant one counted once; the first five seconds
    do not count (as it is usually done).
    """
    found = [t for t in found if t >= 5.0]
    left = [t for t in meant if t >= 5.0]
    total, hits = len(left), 0
    for at in found:
        close = min(left, key=lambda t: abs(t - at), default=None)
        if close is not None and abs(close - at) <= near:
            left.remove(close)
            hits += 1
    return 2.0 * hits / max(1, len(found) + total)
