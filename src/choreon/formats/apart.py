"""Files from strangers in a process of their own, so that the window stays quick and a
file that means no good takes nothing along: a job goes in by stdin, the answer comes
back by stdout, both MessagePack; how far it has come, in words, a line each, by stderr.
"""

from __future__ import annotations

import contextlib
import resource
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import IO

import msgspec

from choreon.formats import progress
from choreon.formats.package import FormatError
from choreon.language import tr
from choreon.model.fixture_type import FixtureType
from choreon.model.images import Image
from choreon.model.show import Show

MEMORY = 4 << 30  # bytes that such a process may take
PARTS = ("hang list", "universes", "slips", "plan")  # of what can be printed
MARK = b"progress: "  # a line of stderr that begins so is meant for the user


class Job(msgspec.Struct, tag_field="t"):
    """Base of all jobs."""


class ReadType(Job, tag="read-type"):
    """GDTF → gdtf.Imported."""

    data: bytes
    name: str


class ReadRig(Job, tag="read-rig"):
    """MVR → mvr.Rigged."""

    data: bytes
    name: str
    show: Show
    kinds: dict[str, FixtureType]


class ReadList(Job, tag="read-list"):
    """CSV → hang_list.HangList."""

    data: bytes
    name: str
    show: Show
    kinds: dict[str, FixtureType]


class ReadPictures(Job, tag="read-pictures"):
    """Pictures of any kind → Drawn. `sizes`: the most pixels a side of each."""

    pictures: tuple[bytes, ...]
    sizes: tuple[int, ...]
    name: str = tr("the picture")


class Drawn(msgspec.Struct, frozen=True):
    """PNGs of our own; empty for a picture that cannot be read. `wrong`: why, of the
    first such one.
    """

    pictures: tuple[bytes, ...]
    wrong: str = ""


class ReadImage(Job, tag="read-image"):
    """A picture, still or moving → images.Image."""

    data: bytes
    name: str


class ReadFilm(Job, tag="read-film"):
    """A film, where it lies → images.Image."""

    path: str


class WriteType(Job, tag="write-type"):
    """Type → GDTF."""

    kind: FixtureType


class WriteRig(Job, tag="write-rig"):
    """Show → MVR."""

    show: Show


class Print(Job, tag="print"):
    """Show → PDF."""

    show: Show
    parts: tuple[str, ...]
    fonts: tuple[str, ...]


class ReadText(Job, tag="read-text"):
    """TXT, Markdown, DOCX, PDF → paragraphs."""

    data: bytes
    name: str


class PrintCues(Job, tag="print-cues"):
    """Stack → PDF. `pictures`: PNGs by cue."""

    show: Show
    stack: str
    pictures: dict[str, bytes]
    large: bool
    fonts: tuple[str, ...]


AnyJob = (
    ReadType
    | ReadRig
    | ReadList
    | ReadPictures
    | ReadText
    | ReadImage
    | ReadFilm
    | WriteType
    | WriteRig
    | Print
    | PrintCues
)


class ApartAnswer(msgspec.Struct):
    """What came of a job: its result, encoded; or what is wrong with the file, in
    words.
    """

    result: bytes = b""
    wrong: str = ""


class Apart:
    """Does one job in a process of its own. `run` may be called in any thread, `kill`
    in another.
    """

    def __init__(
        self, job: AnyJob, told: Callable[[str], None] = lambda text: None
    ) -> None:
        """`told`: called from a thread with how far it has come, in words."""
        self._job, self._told = job, told
        self.child: subprocess.Popen[bytes] | None = None
        self._killed = False

    def run(self) -> bytes:
        """The job's encoded result. Raises FormatError with the file's fault, or where
        it asked for more memory than there is.
        """
        command = [sys.executable, "-m", "choreon.formats.apart"]
        pipe = subprocess.PIPE
        self.child = subprocess.Popen(command, stdin=pipe, stdout=pipe, stderr=pipe)

        if self._killed:
            self.child.kill()

        process = self.child
        assert process.stdin is not None
        assert process.stdout is not None
        assert process.stderr is not None
        say = threading.Thread(target=self._hear, args=(process.stderr,), daemon=True)

        put = threading.Thread(target=self._put, args=(process.stdin,), daemon=True)
        say.start()
        put.start()

        try:
            out = process.stdout.read()
            process.wait()
            for thread in (say, put):
                thread.join()
        finally:
            self._close_pipes()

        try:
            answer = msgspec.msgpack.decode(out, type=ApartAnswer)
        except msgspec.DecodeError:
            raise FormatError(
                tr(
                    "Reading it took more memory than any honest file needs, and was "
                    "stopped."
                )
            ) from None

        if answer.wrong:
            raise FormatError(answer.wrong)

        return answer.result

    def _put(self, pipe: IO[bytes]) -> None:
        with contextlib.suppress(OSError, ValueError), pipe:
            pipe.write(msgspec.msgpack.encode(self._job))

    def _hear(self, pipe: IO[bytes]) -> None:
        with contextlib.suppress(OSError, ValueError):
            while line := pipe.readline(4096):
                if line.startswith(MARK):
                    text = line.removeprefix(MARK).decode(errors="replace")
                    self._told(text.strip())

    def _close_pipes(self) -> None:
        """Close the pipes of a process that ended, the way in too where it was killed
        before it had read all.
        """
        if self.child is None:
            return
        process = self.child
        for pipe in (process.stdin, process.stdout, process.stderr):
            if pipe is not None:
                with contextlib.suppress(OSError):
                    pipe.close()

    def kill(self) -> None:
        """Let it go; `run` then raises."""
        self._killed = True
        if self.child is not None:
            with contextlib.suppress(OSError):
                self.child.kill()


def do(job: AnyJob) -> bytes:
    """Do a job here and now; gives its encoded result. Raises FormatError."""
    # each job loads what it needs: some of it takes a while
    if isinstance(job, ReadPictures):
        return msgspec.msgpack.encode(_drawn(job))
    if isinstance(job, ReadText):
        from choreon.formats import play_text

        return msgspec.msgpack.encode(play_text.read(job.data, job.name))
    if isinstance(job, PrintCues):
        return _print_cues(job)
    if isinstance(job, ReadImage):
        from choreon.formats import images

        return msgspec.msgpack.encode(images.read(job.data, job.name))
    if isinstance(job, ReadFilm):
        return msgspec.msgpack.encode(_film(job))

    from choreon.formats import gdtf, hang_list, mvr
    from choreon.formats.paper import Paper

    match job:
        case ReadType(data, name):
            return msgspec.msgpack.encode(gdtf.read(data, name))
        case ReadRig(data, name, show, kinds):
            return msgspec.msgpack.encode(mvr.read(data, show, kinds, name))
        case ReadList(data, name, show, kinds):
            return msgspec.msgpack.encode(hang_list.read(data, show, kinds, name))
        case WriteType(kind):
            return gdtf.write(kind)
        case WriteRig(show):
            return mvr.write(show)
        case Print(show, parts, fonts):
            paths = (Path(fonts[0]), Path(fonts[1])) if len(fonts) == 2 else None
            return Paper(show, paths).write(parts)


def _print_cues(job: PrintCues) -> bytes:
    from choreon.formats.cue_sheet import CueSheet
    from choreon.model.cues import stack_of
    from choreon.model.refs import Ref

    stack = stack_of(job.show, Ref("stack", job.stack))
    paths = (Path(job.fonts[0]), Path(job.fonts[1])) if len(job.fonts) == 2 else None
    return CueSheet(job.show, stack, job.pictures, job.large, paths).write()


def _film(job: ReadFilm) -> Image:
    from choreon.formats import films

    try:
        return films.read(Path(job.path))
    except OSError as error:
        raise FormatError(
            tr(
                "{name} could not be read ({why}). Nothing was changed.",
                name=Path(job.path).name,
                why=error.strerror or error,
            )
        ) from None


def _drawn(job: ReadPictures) -> Drawn:
    from choreon.formats import pictures

    made, wrong = [], ""
    for data, size in zip(job.pictures, job.sizes, strict=True):
        try:
            made.append(pictures.small(data, size, job.name))
        except FormatError as error:
            made.append(b"")
            wrong = wrong or str(error)
    return Drawn(tuple(made), wrong)


def _tell(text: str) -> None:
    with contextlib.suppress(OSError):
        sys.stderr.buffer.write(MARK + text.encode() + b"\n")
        sys.stderr.buffer.flush()


def main() -> int:
    """Take a job from stdin and answer on stdout."""
    with contextlib.suppress(OSError, ValueError):
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))

    with contextlib.suppress(OSError), open("/proc/self/oom_score_adj", "w") as file:
        file.write("1000")

    progress.tell = _tell
    answer = ApartAnswer()

    try:
        answer.result = do(msgspec.msgpack.decode(sys.stdin.buffer.read(), type=AnyJob))
    except FormatError as error:
        answer.wrong = str(error)
    except MemoryError:
        answer.wrong = tr(
            "Reading it took more memory than any honest file needs, and was "
            "stopped. Nothing was changed."
        )

    sys.stdout.buffer.write(msgspec.msgpack.encode(answer))
    return 0


if __name__ == "__main__":
    sys.exit(main())
