"""Heavy files in a process of their own, so that the window stays quick and a file that
means no good takes nothing along: a job goes in by stdin, the answer comes back by
stdout, both MessagePack.
"""

from __future__ import annotations

import contextlib
import resource
import subprocess
import sys
from pathlib import Path

import msgspec

from choreon.formats.package import FormatError
from choreon.model.fixture_type import FixtureType
from choreon.model.show import Show

MEMORY = 4 << 30  # bytes that such a process may take
PATIENCE = 120.0  # seconds


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


AnyJob = ReadType | ReadRig | WriteType | WriteRig | Print


class Answer(msgspec.Struct):
    """What came of a job: its result, encoded; or what is wrong with the file, in
    words.
    """

    result: bytes = b""
    wrong: str = ""


class Apart:
    """Does one job in a process of its own. `run` may be called in any thread, `kill`
    in another.
    """

    def __init__(self, job: AnyJob) -> None:
        self._job = job
        self._process: subprocess.Popen[bytes] | None = None
        self._killed = False

    def run(self) -> bytes:
        """The job's encoded result. Raises FormatError with the file's fault, or where
        it took beyond all measure.
        """
        command = [sys.executable, "-m", "choreon.formats.apart"]
        pipe = subprocess.PIPE
        self._process = subprocess.Popen(
            command, stdin=pipe, stdout=pipe, stderr=subprocess.DEVNULL
        )
        if self._killed:
            self._process.kill()
        try:
            out, _ = self._process.communicate(
                msgspec.msgpack.encode(self._job), PATIENCE
            )
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.communicate()
            raise FormatError(
                f"It took more than {PATIENCE:.0f} seconds and was given up. "
                "Nothing was changed."
            ) from None
        finally:
            self._close_pipes()
        try:
            answer = msgspec.msgpack.decode(out, type=Answer)
        except msgspec.DecodeError:
            raise FormatError(
                "It asked for more memory than can be sensible, and was given up."
            ) from None
        if answer.wrong:
            raise FormatError(answer.wrong)
        return answer.result

    def _close_pipes(self) -> None:
        """Close the pipes of a process that ended, the way in too where it was killed
        before it had read all.
        """
        if self._process is None:
            return
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                with contextlib.suppress(OSError):
                    pipe.close()

    def kill(self) -> None:
        """Let it go; `run` then raises."""
        self._killed = True
        if self._process is not None:
            with contextlib.suppress(OSError):
                self._process.kill()


def do(job: AnyJob) -> bytes:
    """Do a job here and now; gives its encoded result. Raises FormatError."""
    from choreon.formats import gdtf, mvr
    from choreon.formats.paper import Paper

    match job:
        case ReadType(data, name):
            return msgspec.msgpack.encode(gdtf.read(data, name))
        case ReadRig(data, name, show, kinds):
            return msgspec.msgpack.encode(mvr.read(data, show, kinds, name))
        case WriteType(kind):
            return gdtf.write(kind)
        case WriteRig(show):
            return mvr.write(show)
        case Print(show, parts, fonts):
            paths = (Path(fonts[0]), Path(fonts[1])) if len(fonts) == 2 else None
            return Paper(show, paths).write(parts)


def main() -> int:
    """Take a job from stdin and answer on stdout."""
    with contextlib.suppress(OSError, ValueError):
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    answer = Answer()
    try:
        answer.result = do(msgspec.msgpack.decode(sys.stdin.buffer.read(), type=AnyJob))
    except FormatError as error:
        answer.wrong = str(error)
    except MemoryError:
        answer.wrong = (
            "It asked for more memory than can be sensible, and was "
            "given up. Nothing was changed."
        )
    sys.stdout.buffer.write(msgspec.msgpack.encode(answer))
    return 0


if __name__ == "__main__":
    sys.exit(main())
