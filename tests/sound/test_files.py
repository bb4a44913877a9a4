"""Sound files: read as they are, in any rate; damaged and foreign ones in words; in a
process of its own.
"""

from __future__ import annotations

import subprocess
import sys
import wave
from pathlib import Path

import numpy as np
import pytest

from choreon.sound import files
from choreon.sound.files import NotHeard, blocks
from choreon.sound.samples import RATE
from choreon.sound.told import read_line
from tests.sound.music import f_measure, made


def write_wav(path: Path, sound: np.ndarray, rate: int = RATE, channels: int = 1):
    data = np.repeat((32_000 * sound).astype("<i2"), channels)
    with wave.open(str(path), "wb") as file:
        file.setnchannels(channels)
        file.setsampwidth(2)
        file.setframerate(rate)
        file.writeframes(data.tobytes())
    return path


@pytest.mark.parametrize(
    ("rate", "channels"), [(8_000, 1), (44_100, 2), (192_000, 1), (22_050, 6)]
)
def test_any_rate_and_number_of_channels(tmp_path, rate, channels):
    t = np.arange(2 * rate) / rate
    path = write_wav(
        tmp_path / "a.wav", 0.5 * np.sin(2 * np.pi * 440 * t), rate, channels
    )
    told: list[float] = []
    sound = np.concatenate(list(blocks(path, told.append)))
    assert len(sound) / RATE == pytest.approx(2.0, abs=0.02)
    spectrum = np.abs(np.fft.rfft(sound))
    assert np.argmax(spectrum) * RATE / len(sound) == pytest.approx(440.0, abs=2.0)
    assert told == sorted(told)
    assert told[-1] == pytest.approx(1.0, abs=0.02)


def test_what_cannot_be_read_is_told_in_words(tmp_path):
    (tmp_path / "torn.flac").write_bytes(b"fLaC" + b"\x00" * 40)
    (tmp_path / "text.mp3").write_text("no sound at all\n" * 50)
    (tmp_path / "empty.ogg").write_bytes(b"")
    write_wav(tmp_path / "none.wav", np.zeros(0))
    for name in ("torn.flac", "text.mp3", "empty.ogg", "none.wav", "gone.wav"):
        with pytest.raises(NotHeard, match=name):
            list(blocks(tmp_path / name))


def test_what_is_torn_in_the_middle_is_heard_so_far(tmp_path):
    path = write_wav(tmp_path / "a.wav", made(120, seconds=10.0).sound)
    data = path.read_bytes()
    path.write_bytes(data[: len(data) // 2])
    sound = np.concatenate(list(blocks(path)))
    assert 4.0 < len(sound) / RATE < 6.0


def test_what_is_far_too_long_is_refused(tmp_path, monkeypatch):
    monkeypatch.setattr(files, "LONGEST", 3.0)
    path = write_wav(tmp_path / "long.wav", np.zeros(5 * RATE))
    with pytest.raises(NotHeard, match="longer"):
        list(blocks(path))


def test_a_process_finds_them_and_says_how_far_it_is(tmp_path):
    music = made(104, seconds=30.0)
    path = write_wav(tmp_path / "song.wav", music.sound)
    done = subprocess.run(
        [sys.executable, "-m", "choreon", "beats", str(path)],
        capture_output=True,
        timeout=120,
        check=True,
    )
    told = [read_line(line) for line in done.stdout.splitlines()]
    assert all(line is not None for line in told)
    parts = [line.done for line in told]
    assert parts == sorted(parts)
    last = told[-1]
    assert (last.done, last.seconds) == (1.0, pytest.approx(30.0, abs=0.05))
    assert f_measure(last.found.beats, music.beats) > 0.95

    gone = subprocess.run(
        [sys.executable, "-m", "choreon", "beats", str(tmp_path / "gone.wav")],
        capture_output=True,
        timeout=60,
        check=False,
    )
    assert gone.returncode == 1
    assert "gone.wav" in read_line(gone.stdout.splitlines()[-1]).error
    assert read_line(b"nonsense") is None
