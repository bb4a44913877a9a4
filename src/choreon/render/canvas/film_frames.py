"""Films, as frames that were made ready: a file in memory that another process fills.

Its head says how many frames are ready; those who look at it copy nothing and wait for
nobody. Where a frame is due that is not ready, the last one that is stands.
"""

from __future__ import annotations

import contextlib

import numpy as np
import numpy.typing as npt

from choreon.frames_file import HEAD_SIZE, FilmHead, frames_file, read_head
from choreon.model.images import Image, pixels_of

Bytes = npt.NDArray[np.uint8]

LOOK_EVERY = 16  # frames between two looks for a file that was not there


class Film:
    """The frames of one film, as far as they are ready."""

    def __init__(self, image: Image) -> None:
        self.image = image
        self._map: Bytes | None = None
        self._asked = 0
        self._poster: Bytes | None = None
        pixels = np.frombuffer(pixels_of(image), np.uint8)
        if len(pixels):
            self._poster = pixels.reshape(-1, image.height, image.width, 4)[0]

    def head(self) -> FilmHead | None:
        """Returns how it stands; None where nothing was made ready."""
        data = self._data()
        return None if data is None else read_head(data[:HEAD_SIZE].tobytes())

    def head_now(self) -> FilmHead | None:
        """Returns the same, looking for a file that was not there."""
        self._asked = 0
        return self.head()

    def frame_at(self, seconds: float) -> int:
        """Returns the frame at a time, or the last one that is ready; −1 where none
        is.
        """
        head = self.head()
        if head is None or not head.ready:
            return -1
        return min(int(seconds * head.rate + 1e-6), head.ready - 1)

    def pixels(self, frame: int) -> Bytes | None:
        """Returns the pixels (h, w, 3 or 4) of a frame; the picture that the show keeps
        of it for −1.
        """
        head = self.head() if frame >= 0 else None
        if head is None or self._map is None:
            return self._poster
        size = head.width * head.height * 3
        first = HEAD_SIZE + frame * size
        if first + size > len(self._map):
            self._map, self._asked = None, 0  # it has grown since it was looked at
            return self._poster
        return self._map[first : first + size].reshape(head.height, head.width, 3)

    def _data(self) -> Bytes | None:
        if self._map is None:
            self._asked += 1
            if self._asked % LOOK_EVERY == 1 and frames_file(self.image.key).exists():
                with contextlib.suppress(OSError, ValueError):
                    path = frames_file(self.image.key)
                    self._map = np.memmap(path, np.uint8, "r")
        return self._map


_films: dict[str, Film] = {}


def film_of(image: Image) -> Film:
    """Returns the frames of a film, looked at by all that show it."""
    known = _films.get(image.key)
    if known is None or known.image.data != image.data:
        known = _films[image.key] = Film(image)
    return known


def forget() -> None:
    """Let all films go: their files may be replaced."""
    _films.clear()
