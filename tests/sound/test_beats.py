"""Beats in music that is made here: against the beats that were meant, and what is no
music.
"""

from __future__ import annotations

import numpy as np
import pytest

from choreon.model.tempo_map import (
    TempoMap,
    doubled,
    halved,
    shifted,
    steadied,
    with_beat,
)
from choreon.sound.beats import NOTHING, find_beats, track
from choreon.sound.onsets import FRAMES, Listener, listen, strength
from choreon.sound.samples import RATE
from choreon.sound.told import WELL
from tests.sound.music import f_measure, made

STEADY = [{"bpm": bpm} for bpm in (60, 72, 96, 118, 128, 150, 180)]
OTHERS = [
    {"bpm": 74, "swing": 0.66},
    {"bpm": 132, "swing": 0.66},
    {"bpm": 84, "rubato": 0.03},
    {"bpm": 126, "rubato": 0.03},
    {"bpm": 66, "triplets": True},
    {"bpm": 121, "triplets": True},
    {"bpm": 88, "break_bars": (5, 13), "seconds": 55.0},
    {"bpm": 140, "break_bars": (6, 14), "seconds": 40.0},
    {"bpm": 100, "fade_in": 12.0},
    {"bpm": 116, "noise": 0.08},
    {"bpm": 92, "bar": 3},
    {"bpm": 150, "bar": 3},
]


def found_in(**how):
    music = made(seed=round(how["bpm"]), **how)
    return music, find_beats(listen([music.sound]))


def firsts(found) -> list[float]:
    return list(found.beats[found.first :: found.bar])


def test_beats_of_steady_music():
    """F-measure at 70 ms; the first of the bar in most."""
    right = 0
    for how in STEADY:
        music, found = found_in(**how)
        assert f_measure(found.beats, music.beats) >= 0.95, how
        assert abs(found.bpm / how["bpm"] - 1.0) < 0.01
        right += found.bar == 4 and f_measure(firsts(found), music.firsts) > 0.8
    assert right / len(STEADY) >= 0.8


def test_beats_of_music_that_is_not_steady():
    right = 0
    for how in OTHERS:
        music, found = found_in(**how)
        assert f_measure(found.beats, music.beats) >= 0.85, how
        bar = how.get("bar", 4)
        right += found.bar == bar and f_measure(firsts(found), music.firsts) > 0.8
    assert right / len(OTHERS) >= 0.8


def test_they_lie_within_a_few_milliseconds():
    music, found = found_in(bpm=110)
    off = [min(abs(at - beat) for beat in music.beats) for at in found.beats[4:-4]]
    assert float(np.median(off)) < 0.015


def test_silence_and_what_is_too_short_have_no_beats():
    assert find_beats(listen([])) == NOTHING
    assert find_beats(listen([np.zeros(10, np.float32)])) == NOTHING
    assert find_beats(listen([np.zeros(20 * RATE, np.float32)])) == NOTHING
    odd = np.full(20 * RATE, np.nan, np.float32)
    assert find_beats(listen([odd])) == NOTHING


def test_of_noise_it_is_not_sure():
    for seed in range(4):
        dice = np.random.default_rng(seed)
        noise = (0.3 * dice.standard_normal(20 * RATE)).astype(np.float32)
        assert find_beats(listen([noise])).sure < WELL
    _, found = found_in(bpm=120)
    assert found.sure > WELL


def test_blocks_of_any_length_sound_the_same():
    sound = made(100, seconds=12.0).sound
    whole = listen([sound])
    listener = Listener()
    dice = np.random.default_rng(1)
    begin = 0
    while begin < len(sound):
        size = int(dice.integers(1, 20_000))
        listener.hear(sound[begin : begin + size])
        begin += size
    parts = listener.heard()
    assert parts.flux.shape == whole.flux.shape
    assert np.allclose(parts.flux, whole.flux)
    assert parts.seconds == pytest.approx(12.0)


def test_a_click_is_where_it_is():
    sound = np.zeros(6 * RATE, np.float32)
    for at in (1.0, 2.5, 4.0):
        sound[int(at * RATE) : int(at * RATE) + 50] = 0.8
    onsets = strength(listen([sound]).flux, (1.0, 1.0, 1.0))
    tops = np.argsort(onsets)[-3:] / FRAMES
    assert sorted(tops) == pytest.approx([1.0, 2.5, 4.0], abs=0.025)


def test_tracking_by_hand():
    """Pulses each twenty looks, one of them left out: its place is kept."""
    onsets = np.zeros(400)
    places = [n for n in range(10, 400, 20) if n != 210]
    onsets[places] = 1.0
    beats = np.rint(track(onsets, 20.0)).astype(int).tolist()
    assert set(places) <= set(beats)
    assert any(abs(beat - 210) <= 2 for beat in beats)


# correcting them


def test_half_double_shift_and_steady():
    tempo = TempoMap(beats=(1.0, 1.5, 2.0, 2.5, 3.0), first=1, bar=4)
    assert halved(tempo).beats == (1.5, 2.5)
    assert halved(tempo).first == 0
    assert doubled(tempo).beats == (1.0, 1.25, 1.5, 1.75, 2.0, 2.25, 2.5, 2.75, 3.0)
    assert doubled(tempo).first == 2
    assert [shifted(TempoMap(first=n)).first for n in range(4)] == [1, 2, 3, 0]
    steady = steadied(tempo)
    assert (steady.bpm, steady.start) == (pytest.approx(120.0), pytest.approx(1.0))
    assert steady.beats == ()
    assert halved(TempoMap(bpm=100.0)).bpm == 50.0
    assert doubled(TempoMap(bpm=100.0)).bpm == 200.0
    assert steadied(TempoMap(bpm=77.0)).bpm == 77.0


def test_one_beat_goes_elsewhere_between_those_beside_it():
    tempo = TempoMap(beats=(1.0, 1.5, 2.0))
    assert with_beat(tempo, 1, 1.6).beats == (1.0, 1.6, 2.0)
    assert with_beat(tempo, 1, 9.0).beats == (1.0, pytest.approx(1.94), 2.0)
    assert with_beat(tempo, 0, -1.0).beats == (0.0, 1.5, 2.0)
    assert with_beat(tempo, 2, 5.0).beats == (1.0, 1.5, 5.0)
    assert with_beat(tempo, 7, 5.0) == tempo
    assert with_beat(TempoMap(), 0, 5.0) == TempoMap()
