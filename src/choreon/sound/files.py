"""Sound files: WAV, FLAC, Ogg Vorbis and MP3, as blocks of mono sound."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator
from pathlib import Path

import miniaudio
import numpy as np

from choreon.language import tr
from choreon.sound.samples import RATE, Sound

BLOCK = 1 << 16  # samples of a block
LONGEST = 4 * 3600.0  # seconds of what is listened to


class NotHeard(ValueError):
    """A file that cannot be listened to; the text says why, and what to do."""


def blocks(
    path: Path, tell: Callable[[float], None] = lambda part: None
) -> Iterator[Sound]:
    """Yields the sound of a file, RATE samples a second; `tell` is told how much of it
    has been read, 0…1. Raises NotHeard.
    """
    whole = _samples(path)
    if whole > LONGEST * RATE:
        raise NotHeard(tr("{name} is longer than four hours.", name=path.name))
    read = 0
    try:
        stream = miniaudio.stream_file(
            os.fspath(path),
            output_format=miniaudio.SampleFormat.FLOAT32,
            nchannels=1,
            sample_rate=RATE,
            frames_to_read=BLOCK,
        )
        for block in stream:
            sound = np.frombuffer(block, np.float32)
            read += len(sound)
            if read > LONGEST * RATE:
                raise NotHeard(tr("{name} is longer than four hours.", name=path.name))
            tell(min(1.0, read / whole) if whole else 0.0)
            yield sound
    except (miniaudio.MiniaudioError, OSError) as error:
        raise NotHeard(_why(path, error)) from None
    if not read:
        raise NotHeard(tr("There is no sound in {name}.", name=path.name))


def seconds_of(path: Path) -> float:
    """Returns how long a file says that it is. Raises NotHeard."""
    try:
        info = miniaudio.get_file_info(os.fspath(path))
    except (miniaudio.MiniaudioError, OSError, ValueError) as error:
        raise NotHeard(_why(path, error)) from None
    if info.duration <= 0.0:
        raise NotHeard(tr("There is no sound in {name}.", name=path.name))
    if info.duration > LONGEST:
        raise NotHeard(tr("{name} is longer than four hours.", name=path.name))
    return float(info.duration)


def _samples(path: Path) -> float:
    """How many samples a file will give, as far as it says so; else 0."""
    try:
        info = miniaudio.get_file_info(os.fspath(path))
    except (miniaudio.MiniaudioError, OSError, ValueError):
        return 0.0
    return float(info.duration) * RATE


def _why(path: Path, error: Exception) -> str:
    if isinstance(error, OSError) and error.strerror:
        return tr(
            "{name} cannot be read: {error}.", name=path.name, error=error.strerror
        )
    return tr(
        "{name} is no sound that can be read; WAV, FLAC, Ogg Vorbis and MP3 can.",
        name=path.name,
    )
