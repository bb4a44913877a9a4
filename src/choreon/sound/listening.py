"""The process that listens to live music: a microphone, a line, or a practice source;
what it hears it prints, line by line.
"""

from __future__ import annotations

import contextlib
import json
import os
import queue
import signal
import sys
import threading
import time
from collections.abc import Generator, Iterator
from pathlib import Path
from typing import Protocol

import miniaudio
import msgspec
import numpy as np

from choreon import folders
from choreon.language import tr
from choreon.sound.cards import of_machine, quiet
from choreon.sound.files import NotHeard, blocks
from choreon.sound.live import LiveListener
from choreon.sound.music import Music
from choreon.sound.samples import RATE, Sound

TELL = 0.05  # seconds between two lines
PERIOD = 20  # milliseconds of a block
BLOCK = RATE * PERIOD // 1000
MOST_WAITING = 200  # blocks that wait to be listened to
GONE = 2.0  # seconds without sound after which a source counts as gone


class SourceGone(Exception):
    """A source that is not there, or gives nothing; the text says so."""


class MusicSource(Protocol):
    """Something that gives blocks, each with the time at which it ended."""

    def next(self) -> tuple[Sound, float]:
        """Returns the next block. Raises SourceGone."""
        ...


class Microphone:
    """A source of this machine."""

    def __init__(self, name: str, device: object | None) -> None:
        """Raises SourceGone."""
        self._name = name
        self._waiting: queue.Queue[tuple[Sound, float]] = queue.Queue(MOST_WAITING)
        try:
            with quiet():
                self._made = miniaudio.CaptureDevice(
                    input_format=miniaudio.SampleFormat.FLOAT32,
                    nchannels=1,
                    sample_rate=RATE,
                    buffersize_msec=PERIOD,
                    device_id=device,
                    app_name="Choreon",
                )
            if self._made.backend == "Null":
                raise SourceGone(_not_there(name))
            taking = self._take()
            next(taking)
            self._made.start(taking)
        except miniaudio.MiniaudioError:
            raise SourceGone(_not_there(name)) from None

    def _take(self) -> Generator[None, bytes, None]:
        while True:
            data = yield
            block = np.frombuffer(data, np.float32).copy()
            with contextlib.suppress(queue.Full):
                self._waiting.put_nowait((block, time.monotonic()))

    def next(self) -> tuple[Sound, float]:
        """Returns the next block. Raises SourceGone."""
        try:
            return self._waiting.get(timeout=GONE)
        except queue.Empty:
            raise SourceGone(_not_there(self._name)) from None


class PracticeSource:
    """A file, heard again and again as if it was played in the room; it is there while
    its own file lies in its folder.
    """

    def __init__(self, path: Path) -> None:
        """Raises SourceGone."""
        self._path = path
        try:
            self._file = Path(json.loads(path.read_text())["file"])
        except (OSError, ValueError, KeyError, TypeError):
            raise SourceGone(_not_there(path.stem)) from None
        self._sound = self._again()
        self._rest = np.zeros(0, np.float32)
        self._began = time.monotonic()
        self._given = 0

    def _again(self) -> Iterator[Sound]:
        while True:
            yield from blocks(self._file)

    def next(self) -> tuple[Sound, float]:
        """Returns the next block, when it is due. Raises SourceGone."""
        try:
            while len(self._rest) < BLOCK:
                self._rest = np.concatenate([self._rest, next(self._sound)])
        except NotHeard as error:
            raise SourceGone(str(error)) from None
        if not self._path.exists():
            raise SourceGone(_not_there(self._path.stem))
        block, self._rest = self._rest[:BLOCK], self._rest[BLOCK:]
        self._given += BLOCK
        due = self._began + self._given / RATE
        time.sleep(max(0.0, due - time.monotonic()))
        return block, due


def practice_folder() -> Path:
    """Where the files of practice sources lie."""
    return folders.runtime() / "music"


def plug(name: str, file: Path) -> Path:
    """Have a file be a source. Returns what is taken away to unplug it. Raises
    OSError.
    """
    folder = practice_folder()
    folder.mkdir(mode=0o700, exist_ok=True)
    path = folder / f"{name}.json"
    folders.write_whole(path, json.dumps({"file": str(file)}).encode())
    return path


def _practice() -> dict[str, Path]:
    return {path.stem: path for path in sorted(practice_folder().glob("*.json"))}


def _microphones() -> dict[str, object]:
    return {} if os.environ.get("CHOREON_NO_CARDS") else of_machine(hears=True)


def source_of(name: str) -> tuple[MusicSource, tuple[str, ...]]:
    """Returns a source by its name, for "" the usual one, and the names of all. Raises
    SourceGone.
    """
    practice, real = _practice(), _microphones()
    names = (*real, *practice)
    if not name and not names:
        raise SourceGone(tr("There is nothing to listen to: no microphone, no line."))
    wanted = name or names[0]
    if wanted in practice:
        return PracticeSource(practice[wanted]), names
    if wanted not in real:
        raise SourceGone(_not_there(wanted))
    return Microphone(wanted, real[wanted] if name else None), names


def _not_there(name: str) -> str:
    return tr("{name} is not there, or gives no sound.", name=name)


def run(name: str) -> int:
    """Listen until told to stop, or until nobody reads. Returns the exit status."""
    signal.signal(signal.SIGTERM, lambda *_: os._exit(0))
    _end_with_parent()
    while True:
        try:
            _listen(*source_of(name))
        except SourceGone as gone:
            names = (*_microphones(), *_practice())
            _say(Music(sources=names, trouble=str(gone)))
            time.sleep(1.0)


def _listen(source: MusicSource, names: tuple[str, ...]) -> None:
    """Listen to a source. Raises SourceGone."""
    listener = LiveListener()
    told = 0.0
    while True:
        block, ended = source.next()
        listener.hear(block, ended)
        tempo = listener.tempo(ended)
        if tempo is None and ended - told < TELL:
            continue
        told = ended
        levels = tuple(round(level, 3) for level in listener.levels)
        if tempo is None:
            _say(Music(levels, sources=names))
        else:
            _say(Music(levels, *tempo, names))


def _say(music: Music) -> None:
    try:
        sys.stdout.buffer.write(msgspec.json.encode(music) + b"\n")
        sys.stdout.buffer.flush()
    except OSError:
        os._exit(0)


def _end_with_parent() -> None:
    """Whoever started it closes its input, or has died: it ends."""

    def wait() -> None:
        with contextlib.suppress(OSError, ValueError):
            while sys.stdin.buffer.read(1):
                pass
        os._exit(0)

    threading.Thread(target=wait, name="parent", daemon=True).start()
