"""Sections of music whose sections are known."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

import numpy as np
import pytest

from choreon.sound.beats import find_beats
from choreon.sound.files import blocks
from choreon.sound.onsets import Heard, listen
from choreon.sound.samples import RATE
from choreon.sound.sections import find_sections
from tests.sound.music import made


@pytest.fixture(scope="module")
def song() -> Heard:
    """The song that ships: intro 4 bars, verse 8, chorus 8, both again, outro 4."""
    path = files("choreon.sound").joinpath("shipped", "lanterns-home.ogg")
    return listen(blocks(Path(str(path))))


BAR = 4 * 60.0 / 96.0
BEGINS = [BAR * n for n in (0, 4, 12, 20, 28, 36)]


def test_the_sections_of_the_song_that_ships_begin_on_their_bars(song):
    found = find_beats(song)
    assert found.bpm == pytest.approx(96.0, abs=0.2)
    sections = find_sections(song, found.beats, found.bar, found.first)
    assert [s.begin for s in sections] == pytest.approx(BEGINS, abs=0.1)
    intro, verse, chorus, verse_again, chorus_again, outro = (s.which for s in sections)
    assert verse == verse_again != chorus == chorus_again
    assert intro not in (verse, chorus)
    assert outro not in (verse, chorus)
    energy = [s.energy for s in sections]
    assert max(energy[2], energy[4]) == 1.0
    assert min(energy) == energy[5]
    assert energy[0] < energy[1] < energy[2]


def test_without_beats_they_are_found_by_time(song):
    begins = [s.begin for s in find_sections(song)]
    assert begins == pytest.approx(BEGINS, abs=2.1)


def test_what_is_the_same_throughout_or_short_or_silent_has_none():
    assert len(find_sections(listen([made(100, seconds=60.0).sound]))) <= 2
    assert find_sections(listen([made(100, seconds=10.0).sound])) == ()
    silence = np.zeros(60 * RATE, np.float32)
    assert len(find_sections(listen([silence]))) <= 1
    noise = np.random.default_rng(1).uniform(-0.5, 0.5, 60 * RATE).astype(np.float32)
    assert all(0.0 <= s.energy <= 1.0 for s in find_sections(listen([noise])))
