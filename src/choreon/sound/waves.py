"""The waveform of a sound file, small enough to be drawn, kept in the cache."""

from __future__ import annotations

import contextlib
from pathlib import Path

import numpy as np
import numpy.typing as npt

from choreon import folders
from choreon.sound.pcm import key_of
from choreon.sound.samples import RATE, Sound

Wave = npt.NDArray[np.uint8]

A_SECOND = 150  # values a second
SAMPLES = RATE // A_SECOND  # samples that a value is the loudest of


class WaveMaker:
    """Makes a waveform out of blocks of any length."""

    def __init__(self) -> None:
        self._rest = np.zeros(0, np.float32)
        self._made: list[Wave] = []

    def hear(self, block: Sound) -> None:
        """Take a block: mono, −1…1."""
        whole = np.concatenate([self._rest, np.nan_to_num(block)])
        count = len(whole) // SAMPLES
        self._rest = whole[count * SAMPLES :]
        loud = np.abs(whole[: count * SAMPLES].reshape(count, SAMPLES)).max(axis=1)
        self._made.append((255.0 * np.minimum(1.0, loud)).astype(np.uint8))

    def made(self) -> Wave:
        """Returns how loud it is, A_SECOND values a second, 0…255."""
        return np.concatenate([np.zeros(0, np.uint8), *self._made])


def _path_of(file: Path) -> Path:
    return folders.cache() / "sound" / f"{key_of(file)}.wave"


def keep(file: Path, wave: Wave) -> None:
    """Keep the waveform of a file; where the cache is full it is made anew."""
    with contextlib.suppress(OSError):
        path = _path_of(file)
        path.parent.mkdir(parents=True, exist_ok=True)
        folders.write_whole(path, wave.tobytes())


def known(file: Path) -> Wave | None:
    """Returns the waveform of a file; None where it has not been made."""
    try:
        return np.frombuffer(_path_of(file).read_bytes(), np.uint8)
    except OSError:
        return None
