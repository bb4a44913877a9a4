"""Sound files as frames that can be read from anywhere: decoded once into the cache,
ahead and by a thread of its own, and read from there while that still goes on.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import threading
from collections import deque
from collections.abc import Iterable
from pathlib import Path
from typing import IO

import miniaudio
import numpy as np

from choreon import folders
from choreon.language import tr
from choreon.sound.mixer import RATE
from choreon.sound.samples import Sound

BLOCK = 1 << 15  # frames that are decoded at once
FRAME = 4  # bytes: two channels of 16 bits
LONGEST = 4 * 3600  # seconds of a file
MOST_KEPT = 4 << 30  # bytes of the cache
SILENCE = np.zeros((0, 2), np.float32)


def key_of(path: Path) -> str:
    """Returns what a file is called in the cache: another one after each change.
    Raises OSError where it is not there.
    """
    found = path.stat()
    told = f"{path.resolve()}|{found.st_size}|{found.st_mtime_ns}"
    return hashlib.sha256(told.encode()).hexdigest()[:32]


class Pcm:
    """One file, decoded as far as it has come."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self.trouble = ""
        self.whole = False
        """Whether all of it has been decoded."""
        self._handle = -1

    def open(self, cached: Path) -> None:
        """Read from a file of the cache. Raises OSError."""
        self._handle = os.open(cached, os.O_RDONLY | os.O_CLOEXEC)

    def read(self, begin: int, count: int) -> Sound:
        """Returns frames (count, 2); silence before the begin, after the end, and where
        it has not yet been decoded.
        """
        out = np.zeros((count, 2), np.float32)
        skipped = min(count, max(0, -begin))
        wanted = count - skipped
        if self._handle < 0 or wanted <= 0:
            return out
        try:
            data = os.pread(self._handle, wanted * FRAME, max(0, begin) * FRAME)
        except OSError:
            return out
        whole = len(data) // FRAME
        sound = np.frombuffer(data, np.int16, 2 * whole).reshape(whole, 2)
        out[skipped : skipped + whole] = sound
        out *= 1.0 / 32768.0
        return out

    def ready(self, begin: int) -> bool:
        """Whether half a second can be read from a frame on, or never will be."""
        if self.trouble or self.whole:
            return True
        if self._handle < 0:
            return False
        there = os.fstat(self._handle).st_size // FRAME
        return there >= max(0, begin) + RATE // 2

    def close(self) -> None:
        """Read no more."""
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1


class Store:
    """The files that may be heard. What is asked for first is decoded first."""

    def __init__(self, folder: Path | None = None) -> None:
        self._folder = folder or folders.cache() / "sound"
        self._known: dict[str, Pcm] = {}
        self._waiting: deque[Pcm] = deque()
        self._changed = threading.Condition()
        self._thread: threading.Thread | None = None
        with contextlib.suppress(OSError):
            self._folder.mkdir(parents=True, exist_ok=True)
            self._tidy()

    def get(self, file: str) -> Pcm:
        """Returns a file's sound, which may still be coming."""
        known = self._known.get(file)
        return known if known is not None else self._begin(file, first=True)

    def want(self, files: Iterable[str]) -> None:
        """Decode these ahead."""
        for file in files:
            if file not in self._known:
                self._begin(file, first=False)

    def look(self) -> None:
        """Try once more what could not be read: it may have come back."""
        for file, one in list(self._known.items()):
            if one.trouble and one.path.exists():
                del self._known[file]

    def close(self) -> None:
        """Read no more."""
        for one in list(self._known.values()):
            one.close()

    @property
    def troubles(self) -> list[str]:
        """What cannot be heard, in words."""
        return [one.trouble for one in list(self._known.values()) if one.trouble]

    def _begin(self, file: str, first: bool) -> Pcm:
        made = self._known[file] = Pcm(Path(file))
        with self._changed:
            if first:
                self._waiting.appendleft(made)
            else:
                self._waiting.append(made)
            if self._thread is None:
                self._thread = threading.Thread(
                    target=self._run, name="decoder", daemon=True
                )
                self._thread.start()
            self._changed.notify()
        return made

    def _run(self) -> None:
        while True:
            with self._changed:
                while not self._waiting:
                    self._changed.wait()
                one = self._waiting.popleft()
            try:
                self._decode(one)
            except (OSError, ValueError, miniaudio.MiniaudioError) as error:
                one.trouble = _why(one.path, error)

    def _decode(self, one: Pcm) -> None:
        """Read what lies in the cache; else put it there, readable all the while."""
        whole = self._folder / f"{key_of(one.path)}.pcm"
        if whole.exists():
            one.open(whole)
            one.whole = True
            os.utime(whole)
            return

        part = whole.with_suffix(f".{os.getpid()}.part")
        stream = miniaudio.stream_file(
            os.fspath(one.path),
            output_format=miniaudio.SampleFormat.FLOAT32,  # other rates come out finer
            nchannels=2,
            sample_rate=RATE,
            frames_to_read=BLOCK,
        )
        try:
            with part.open("wb", buffering=0) as file:
                one.open(part)
                self._copy(stream, file)
            part.replace(whole)
            one.whole = True
        except BaseException:
            with contextlib.suppress(OSError):
                part.unlink()
            raise

    @staticmethod
    def _copy(stream: Iterable[bytes], file: IO[bytes]) -> None:
        done = 0
        for block in stream:
            sound = np.nan_to_num(np.frombuffer(block, np.float32))
            done += len(sound) // 2
            if done > LONGEST * RATE:
                raise ValueError(tr("it is longer than four hours"))
            sound = np.clip(np.rint(sound * 32768.0), -32768, 32767)
            file.write(sound.astype(np.int16).tobytes())
        if not done:
            raise ValueError(tr("there is no sound in it"))

    def _tidy(self) -> None:
        """Let go of what was heard longest ago, where all is too much, and of what was
        left half done.
        """
        kept = 0
        found = [(p.stat(), p) for p in self._folder.iterdir()]
        for about, path in sorted(found, key=lambda one: -one[0].st_mtime):
            kept += about.st_size
            if kept > MOST_KEPT or path.suffix == ".part":
                path.unlink()


def _why(path: Path, error: Exception) -> str:
    reason = getattr(error, "strerror", None) or str(error)
    if isinstance(error, miniaudio.MiniaudioError):
        reason = tr("it is no sound that can be read")
    return tr("{name} is not heard: {reason}.", name=path.name, reason=reason)
