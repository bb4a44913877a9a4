"""A sound file listened to in a process of its own: what it prints, line by line, is
read by whoever started it.
"""

from __future__ import annotations

import hashlib
import sys
from pathlib import Path

import msgspec

from choreon.sound import waves
from choreon.sound.beats import find_beats
from choreon.sound.files import NotHeard, blocks
from choreon.sound.onsets import Listener
from choreon.sound.sections import find_sections
from choreon.sound.told import Told
from choreon.sound.waves import WaveMaker

EVERY = 0.02  # of the whole, after which it is told how far it is
FINDING = 0.9  # of the work that reading is


def run(path: Path) -> int:
    """Listen to a file, and print what is found in it. Returns the exit status."""
    told = 0.0

    def progress(part: float) -> None:
        nonlocal told
        if part - told >= EVERY:
            told = part
            _say(Told(FINDING * part))

    listener, wave = Listener(), WaveMaker()
    try:
        for block in blocks(path, progress):
            listener.hear(block)
            wave.hear(block)
        waves.keep(path, wave.made())
        heard = listener.heard()
        _say(Told(FINDING))
        with path.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        found = find_beats(heard)
        sections = find_sections(heard, found.beats, found.bar, found.first)
        size = path.stat().st_size
        _say(Told(1.0, found, digest, size, heard.seconds, sections))
    except NotHeard as error:
        _say(Told(1.0, error=str(error)))
        return 1
    return 0


def _say(told: Told) -> None:
    sys.stdout.buffer.write(msgspec.json.encode(told) + b"\n")
    sys.stdout.buffer.flush()
