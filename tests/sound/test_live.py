"""Live music, as it comes: tempo and beats by the clock, bands, and what is not sure."""

from __future__ import annotations

import itertools
import random

import numpy as np
import pytest

from choreon.sound.live import LiveListener, Tempo, beats_apart
from choreon.sound.music import SURE
from choreon.sound.samples import RATE
from tests.sound.music import made


def listened(sound: np.ndarray, late: float = 0.0, block: int = 512, seed: int = 1):
    """What is told, by the time at which it is, while sound comes in blocks."""
    listener, dice = LiveListener(), random.Random(seed)
    told: list[tuple[float, Tempo]] = []
    levels = []
    for begin in range(0, len(sound), block):
        part = sound[begin : begin + block].astype(np.float32)
        end = 1000.0 + (begin + len(part)) / RATE
        now = end + dice.random() * late
        listener.hear(part, now)
        found = listener.tempo(now)
        if found is not None:
            told.append((now, found))
        levels.append(listener.levels)
    return told, np.array(levels)


@pytest.mark.parametrize("bpm", [70, 96, 120, 150])
def test_the_tempo_and_the_beats_of_steady_music(bpm):
    music = made(bpm, seconds=24.0)
    told, _ = listened(music.sound, late=0.01)
    sure = [one for _, one in told if one.sure >= SURE]
    assert len(sure) >= len(told) - 4
    for one in sure[2:]:
        assert (
            min(abs(one.bpm * factor / bpm - 1.0) for factor in (0.5, 1.0, 2.0)) < 0.02
        )
    last = sure[-1]
    beats = 1000.0 + music.beats
    off = [abs(beats_apart(last, at)) * 60.0 / last.bpm for at in beats[-6:]]
    assert np.median(off) < 0.05 or np.median(off) > 60.0 / last.bpm / 2 - 0.05


def test_noise_and_silence_are_not_gone_by():
    noise = np.random.default_rng(3).uniform(-0.3, 0.3, 20 * RATE)
    for sound in (noise, np.zeros(20 * RATE)):
        told, _ = listened(sound)
        assert all(one.sure < SURE for _, one in told)


def test_another_tempo_is_not_sure_before_it_has_been_heard_twice():
    sound = np.concatenate(
        [made(90, seconds=15.0).sound, made(140, seconds=20.0).sound]
    )
    told, _ = listened(sound)
    for (_, before), (_, one) in itertools.pairwise(told):
        if abs(one.bpm / before.bpm - 1.0) > 0.05:
            assert one.sure < SURE
    assert abs(told[-1][1].bpm / 140 - 1) < 0.03
    assert told[-1][1].sure >= SURE


def test_bands_follow_what_is_heard_in_them():
    at = np.arange(2 * RATE) / RATE
    for band, hertz in enumerate((80.0, 300.0, 1200.0, 5000.0)):
        sound = 0.4 * np.sin(2 * np.pi * hertz * at)
        _, levels = listened(
            np.concatenate([np.zeros(RATE), sound, np.zeros(2 * RATE)])
        )
        loud = levels[int(2.5 * RATE / 512)]
        assert loud[band] > 0.9
        assert all(level < 0.5 for n, level in enumerate(loud) if n != band) or (
            loud.argmax() == band
        )
        assert levels[-1].max() < 0.05  # and silence is dark again
        assert ((levels >= 0.0) & (levels <= 1.0)).all()


def test_memory_is_bounded_however_long_it_listens():
    listener = LiveListener()
    block = np.random.default_rng(1).uniform(-0.1, 0.1, 4096).astype(np.float32)
    for n in range(400):
        listener.hear(block, 1000.0 + n * 4096 / RATE)
    assert len(listener._flux) <= 12.1 * 22050 / 256
