"""Frames for the screen: a file in shared memory that the engine writes and any number
of readers map.

Layout, little-endian: magic 4 s, frame number u64 (odd while being written), monotonic
time f64, count u32 of universes; at 64 their numbers as u32; at 2048 the slots, 512
bytes each.
"""

from __future__ import annotations

import errno
import logging
import mmap
import os
import stat
import struct
from pathlib import Path

import numpy as np
import numpy.typing as npt

from choreon import folders
from choreon.language import tr

log = logging.getLogger(__name__)

MAGIC = b"CHF1"
MOST = 256
NUMBERS_AT, SLOTS_AT = 64, 2048
SIZE = SLOTS_AT + MOST * 512
_HEAD = struct.Struct("<4s4xQdI")

Bytes = npt.NDArray[np.uint8]


def _shared(path: Path) -> mmap.mmap:
    """Map the file, with all its room taken: a folder that is full later on must not
    end a process that writes there. Raises OSError.
    """
    try:
        handle = folders.open_own(path)
    except OSError:
        # something else lies there: out of the way with it, once
        folders.put_aside(path)
        handle = folders.open_own(path)

    try:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise OSError(errno.EINVAL, "it is no file")

        os.posix_fallocate(handle, 0, SIZE)
        os.ftruncate(handle, SIZE)
        return mmap.mmap(handle, SIZE)
    finally:
        os.close(handle)


class SharedFrame:
    """The engine's side."""

    def __init__(self, path: Path) -> None:
        """Never raises: where there is no room for the file, or it cannot be had,
        frames are not shown, and `trouble` says why in words.
        """
        self.trouble = ""
        try:
            self._map = _shared(path)
        except OSError as error:
            why = error.strerror or str(error)
            self.trouble = tr(
                "{path} cannot be written ({why}): no frames are shown.",
                path=path,
                why=why,
            )
            log.warning("%s The light goes on.", self.trouble)
            self._map = mmap.mmap(-1, SIZE)

        self._slots = np.frombuffer(self._map, np.uint8)[SLOTS_AT:].reshape(MOST, 512)
        self._numbers = np.frombuffer(self._map, np.uint32)[
            NUMBERS_AT // 4 : NUMBERS_AT // 4 + MOST
        ]

        number = _HEAD.unpack_from(self._map)[1] if self._map[:4] == MAGIC else 0
        self._serial = (number + 1) & ~1

    def publish(self, universes: tuple[int, ...], frame: Bytes, now: float) -> None:
        """Show a frame (U, 512); universes beyond the 256th are not shown."""
        count = min(len(universes), MOST)
        _HEAD.pack_into(self._map, 0, MAGIC, self._serial + 1, now, count)
        self._numbers[:count] = universes[:count]
        self._slots[:count] = frame[:count]
        self._serial += 2
        _HEAD.pack_into(self._map, 0, MAGIC, self._serial, now, count)


class ScreenReader:
    """A window's side."""

    def __init__(self, path: Path) -> None:
        """Raises OSError or ValueError where no engine has shown a frame."""
        self._seen = b""  # universes and slots of the frame that was read last
        self._serial = 0
        self._fresh: tuple[int, dict[int, Bytes]] | None = None
        handle = folders.open_own(path, os.O_RDONLY)
        try:
            if os.fstat(handle).st_size < SIZE:
                raise ValueError(f"{path} is not whole")
            self._map = mmap.mmap(handle, SIZE, access=mmap.ACCESS_READ)
        finally:
            os.close(handle)

    def changed(self) -> tuple[int, dict[int, Bytes]] | None:
        """A number that is another one for each frame that differs from the one before
        it, and universe → slots (512); None as in `read`. Frames alike are the very
        same: nothing is made of them anew.
        """
        for _ in range(4):
            magic, before, _, count = _HEAD.unpack_from(self._map)
            if magic != MAGIC or before & 1 or count > MOST:
                continue
            if before == self._serial and self._fresh is not None:
                return self._fresh

            numbers = self._map[NUMBERS_AT : NUMBERS_AT + 4 * count]
            slots = self._map[SLOTS_AT : SLOTS_AT + 512 * count]
            if _HEAD.unpack_from(self._map)[1] != before:
                continue

            self._serial = before
            if numbers + slots != self._seen or self._fresh is None:
                self._seen = numbers + slots
                universes = np.frombuffer(numbers, np.uint32).tolist()
                frame = np.frombuffer(slots, np.uint8).reshape(count, 512)
                self._fresh = before // 2, dict(zip(universes, frame, strict=True))

            return self._fresh

        return None

    def read(self) -> tuple[int, float, dict[int, Bytes]] | None:
        """Frame number, its time, and universe → slots (512); None where there is none,
        or one is being written.
        """
        for _ in range(4):
            magic, before, when, count = _HEAD.unpack_from(self._map)
            if magic != MAGIC or before & 1 or count > MOST:
                continue

            numbers = np.frombuffer(self._map, np.uint32, count, NUMBERS_AT).copy()
            slots = (
                np.frombuffer(self._map, np.uint8, count * 512, SLOTS_AT)
                .reshape(count, 512)
                .copy()
            )

            if _HEAD.unpack_from(self._map)[1] == before:
                return (
                    before // 2,
                    when,
                    dict(zip(numbers.tolist(), slots, strict=True)),
                )

        return None
