"""Films: what is kept of one in a show, and its frames made ready, small, ahead of
their use. Both are work for processes of their own: decoders of strangers' files.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import math
import os
import resource
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from choreon import folders
from choreon.formats.package import FormatError
from choreon.frames_file import (
    DONE,
    FAILED,
    HEAD,
    HEAD_SIZE,
    MAGIC,
    MAKING,
    MOST_FRAMES,
    FilmHead,
    frames_file,
    read_head,
)
from choreon.language import tr
from choreon.model.images import FILM_HIGH, FILM_WIDE, Image, packed

RATE, LEAST_RATE = 25.0, 10.0  # frames a second that are made ready
MOST_SIDE = 8192  # pixels of a film, a side
MEMORY = 6 << 30  # bytes that such a process may take
PART = 1 << 20  # bytes of a file that are looked at, three times, to know it again
MOST_KEPT = 2 << 30  # bytes of frames of all films
SHIPPED = Path(__file__).parent / "shipped"
"""Where the film lies that ships with the program."""
FORMATS = "mov,mp4,matroska,webm,avi,mpeg,mpegts,ogg"  # as FFmpeg calls them
KINDS = (".mp4", ".m4v", ".mov", ".mkv", ".webm", ".avi", ".mpg", ".mpeg", ".ogv")


def key_of(path: Path) -> str:
    """Returns what tells a film from others by its content: its size, and how it
    begins, ends and is in the middle. A whole one is long to read. Raises OSError.
    """
    size = path.stat().st_size
    found = hashlib.sha256(str(size).encode())
    with path.open("rb") as file:
        for place in (0, max(0, size // 2 - PART // 2), max(0, size - PART)):
            file.seek(place)
            found.update(file.read(PART))
    return found.hexdigest()


def read(path: Path) -> Image:
    """Returns what a show keeps of a film: its first frame, and how it is found again.
    Raises FormatError, OSError.
    """
    with _opened(path) as (container, stream):
        for frame in _decoded(container, stream):
            size = _fitting(frame.width, frame.height)
            small = frame.reformat(*size, format="rgba").to_ndarray()
            seconds = _seconds(container, stream)
            if seconds <= 0.0:
                raise FormatError(
                    tr("{name} has no length. Nothing was changed.", name=path.name)
                )
            return Image(
                id="",
                name=path.stem,
                width=size[0],
                height=size[1],
                data=packed(small.tobytes()),
                path=str(path),
                key=key_of(path),
                size=path.stat().st_size,
                seconds=seconds,
            )
    raise FormatError(
        tr("No frame of {name} can be read. Nothing was changed.", name=path.name)
    )


@contextlib.contextmanager
def _opened(path: Path) -> Iterator[tuple[Any, Any]]:
    import av

    av.logging.set_level(av.logging.PANIC)
    try:
        # lists that lead to other files, or out into a network, are no films
        options = {"protocol_whitelist": "file", "format_whitelist": FORMATS}
        container = av.open(str(path), metadata_errors="ignore", options=options)
    except OSError:
        if not path.exists():
            raise
        raise _no_film(path) from None
    except Exception:
        raise _no_film(path) from None

    with container:
        if not container.streams.video:
            raise FormatError(
                tr(
                    "{name} has no picture in it, perhaps sound alone. Nothing was "
                    "changed.",
                    name=path.name,
                )
            )
        stream = container.streams.video[0]
        stream.thread_type = "AUTO"
        wide, high = stream.codec_context.width, stream.codec_context.height
        if max(wide, high) > MOST_SIDE:
            raise FormatError(
                tr(
                    "{name} has {wide} by {high} pixels, more than can be read. "
                    "Nothing was changed.",
                    name=path.name,
                    wide=wide,
                    high=high,
                )
            )
        yield container, stream


def _no_film(path: Path) -> FormatError:
    return FormatError(
        tr("{name} is no film that can be read. Nothing was changed.", name=path.name)
    )


def _decoded(container: Any, stream: Any) -> Iterator[Any]:
    """Its frames, as far as they can be read."""
    import av

    try:
        yield from container.decode(stream)
    except (av.FFmpegError, EOFError, ValueError, MemoryError):
        return  # damaged from here on: what came before stays


def _seconds(container: Any, stream: Any) -> float:
    """How long it is, as it says itself; else by its frames, or its rate."""
    if stream.duration and stream.time_base:
        return float(stream.duration * stream.time_base)
    if container.duration:
        return float(container.duration) / 1e6
    rate = stream.average_rate or stream.base_rate
    if stream.frames and rate:
        return float(stream.frames / rate)
    return 0.0


def _fitting(wide: int, high: int) -> tuple[int, int]:
    by = min(1.0, FILM_WIDE / max(1, wide), FILM_HIGH / max(1, high))
    return max(2, round(wide * by)), max(2, round(high * by))


def rate_for(seconds: float) -> float:
    """Returns how many frames a second are made ready of a film so long."""
    return min(RATE, max(LEAST_RATE, MOST_FRAMES / max(seconds, 1e-6)))


def limit_memory() -> None:
    """Have this process take no more memory than any honest film needs, and be the
    first to go where there is none left.
    """
    with contextlib.suppress(OSError, ValueError):
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    with contextlib.suppress(OSError), open("/proc/self/oom_score_adj", "w") as file:
        file.write("1000")
    with contextlib.suppress(OSError):
        os.nice(10)


def make_ready(path: Path, key: str) -> int:
    """Make the frames of a film ready, at a steady rate whatever its own is. Returns
    the exit status. What is there already is not made anew; one that another process is
    at is left to it.
    """
    target = frames_file(key)
    target.parent.mkdir(parents=True, exist_ok=True)
    make_room(target.parent)
    with open(os.open(target, os.O_RDWR | os.O_CREAT, 0o600), "r+b", 0) as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return 0
        head = read_head(file.read(HEAD_SIZE))
        if head is not None and head.state == DONE:
            os.utime(target)
            return 0
        maker = _Maker(file, head)
        try:
            return maker.run(path)
        except (FormatError, OSError, MemoryError) as error:
            print(error)
            with contextlib.suppress(OSError):
                maker.fail()
            return 1


class _Maker:
    """Writes frames, and what is said of them, into a file."""

    def __init__(self, file: Any, before: FilmHead | None = None) -> None:
        self.file, self.before = file, before
        self.wide = self.high = 2
        self.rate, self.whole, self.ready = RATE, 1, 0

    def run(self, path: Path) -> int:
        with _opened(path) as (container, stream):
            seconds = _seconds(container, stream)
            if not math.isfinite(seconds) or seconds <= 0.0:
                raise FormatError(tr("{name} has no length.", name=path.name))
            self.rate = rate_for(seconds)
            self.whole = max(1, min(MOST_FRAMES, math.ceil(seconds * self.rate)))
            first: float | None = None
            for n, frame in enumerate(_decoded(container, stream)):
                if not n:
                    self._begin(*_fitting(frame.width, frame.height))
                at = frame.time if frame.time is not None else n / RATE
                first = at if first is None else first
                if not self._put(frame, at - first):
                    break
        if not self.ready:
            raise FormatError(tr("No frame of {name} can be read.", name=path.name))
        self._say(DONE)
        return 0

    def fail(self) -> None:
        """Say that nothing comes of it."""
        self._say(FAILED)

    def _begin(self, wide: int, high: int) -> None:
        self.wide, self.high = wide, high
        before = self.before
        if before is not None and before.state == MAKING:
            same = (before.width, before.height, before.rate, before.whole)
            if same == (wide, high, self.rate, self.whole):
                self.ready = before.ready  # one that was ended got so far
        whole = HEAD_SIZE + self.whole * wide * high * 3
        if os.fstat(self.file.fileno()).st_size < whole:
            os.ftruncate(self.file.fileno(), whole)
        self._say(MAKING)

    def _put(self, frame: Any, at: float) -> bool:
        """Write a frame for all times up to its own. Returns whether to go on."""
        until = min(self.whole, math.floor(at * self.rate + 1e-6) + 1)
        if until <= self.ready:
            return True
        small = frame.reformat(self.wide, self.high, format="rgb24").to_ndarray()
        data = small.tobytes()
        place = HEAD_SIZE + self.ready * len(data)
        os.pwrite(self.file.fileno(), data * (until - self.ready), place)
        self.ready = until
        self._say(MAKING)
        return self.ready < self.whole

    def _say(self, state: int) -> None:
        now = time.monotonic()
        head = (self.wide, self.high, self.rate, state, self.whole, self.ready, now)
        os.pwrite(self.file.fileno(), HEAD.pack(MAGIC, *head), 0)


def make_room(folder: Path) -> None:
    """Let the frames go that were not used for longest, where all are too many."""
    with contextlib.suppress(OSError):
        found = sorted(
            (path.stat().st_mtime, path.stat().st_blocks * 512, path)
            for path in folder.glob("*.frames")
        )
        whole = sum(size for _, size, _ in found)
        for _, size, path in found:
            if whole <= MOST_KEPT:
                return
            path.unlink()
            whole -= size


def find(image: Image, show: Path | None) -> Path | None:
    """Returns where a film lies: as it is said, or beside the show; None where it is
    nowhere, or another one lies there.
    """
    said = Path(image.path)
    beside = [said]
    if show is not None:
        beside += [show.parent / said, show.parent / said.name]
    beside.append(SHIPPED / said.name)
    for path in beside:
        with contextlib.suppress(OSError):
            alike = path.is_file() and path.stat().st_size == image.size
            if alike and key_of(path) == image.key:
                return path
    return None


def folder() -> Path:
    """Returns where the frames of films lie."""
    return folders.cache() / "films"
