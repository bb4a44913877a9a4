"""Engines for journeys, from one process that has loaded their modules once: it forks
for each supervisor, and that for its engine. All that runs is the program's own.

Starting Python and loading an engine takes half a second of a processor, which some
four hundred journeys would spend. Tests of the engine itself, and of trouble with it,
start it as the program does.
"""

from __future__ import annotations

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from choreon import folders

ROOT = Path(__file__).parents[2]


class Zygote:
    """The tests' side."""

    def __init__(self) -> None:
        ours, theirs = socket.socketpair()
        with theirs:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "tests.journeys.zygote", str(theirs.fileno())],
                cwd=ROOT,
                pass_fds=(theirs.fileno(),),
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
            )
        self._line = ours.makefile("rw")
        ours.close()

    def start(self, show: Path | None) -> Forked:
        """Start a supervisor and its engine, as `engine_client.start_engine` does."""
        asked = {
            "words": ["engine", *([str(show)] if show else [])],
            "environment": dict(os.environ),
        }
        self._line.write(f"{json.dumps(asked)}\n")
        self._line.flush()
        return Forked(int(self._line.readline()))

    def close(self) -> None:
        """End it; what it started goes on."""
        self._line.close()
        self.process.wait(60)


class Forked:
    """A process that was forked elsewhere, as far as the program asks after it."""

    def __init__(self, pid: int) -> None:
        self.pid = pid

    def poll(self) -> int | None:
        """Whether it has ended: its parent takes note of that."""
        return None if Path(f"/proc/{self.pid}").exists() else 0


class Child:
    """A child of this process, with what a Popen has that a supervisor asks for."""

    def __init__(self, pid: int) -> None:
        self.pid, self.returncode = pid, None

    def poll(self) -> int | None:
        """Returns its exit code once it has ended."""
        return self._look(os.WNOHANG)

    def wait(self, timeout: float | None = None) -> int | None:
        """Returns its exit code when it has ended; it has been killed."""
        return self._look(0)

    def _look(self, how: int) -> int | None:
        if self.returncode is None:
            with contextlib.suppress(ChildProcessError):
                pid, status = os.waitpid(self.pid, how)
                if pid:
                    self.returncode = os.waitstatus_to_exitcode(status)
        return self.returncode


def forked(words: Sequence[str], keep: Sequence[int], **begun: Any) -> int:
    """Fork a process that runs `choreon` with words, with none of the handles of this
    one but those to keep. Returns its number.
    """
    sys.stdout.flush()
    sys.stderr.flush()
    pid = os.fork()
    if pid:
        return pid

    code = 1
    try:
        _as_if_begun(keep, **begun)
        code = _main(list(words))
    except SystemExit as error:
        code = error.code if isinstance(error.code, int) else 1
    except BaseException:
        import traceback

        traceback.print_exc()
    finally:
        with contextlib.suppress(Exception):
            sys.stderr.flush()
        os._exit(code)


def _as_if_begun(
    keep: Sequence[int],
    environment: Mapping[str, str] | None = None,
    session: bool = False,
) -> None:
    """Leave behind what a process that was started anew would not have."""
    signal.set_wakeup_fd(-1)
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP, signal.SIGCHLD):
        signal.signal(number, signal.SIG_DFL)
    signal.signal(signal.SIGINT, signal.default_int_handler)

    if environment is not None:
        os.environ.clear()
        os.environ.update(environment)

    with open(os.devnull, "rb") as nothing:
        os.dup2(nothing.fileno(), 0)
    if session:
        os.setsid()
        with folders.open_log("engine.log") as out:
            os.dup2(out.fileno(), 1)
            os.dup2(out.fileno(), 2)

    low = 3
    for handle in sorted(keep):
        os.closerange(low, handle)
        low = handle + 1
    os.closerange(low, os.sysconf("SC_OPEN_MAX") if low > 4096 else 4096)


def _main(words: list[str]) -> int:
    from choreon import cli
    from choreon.engine import logs, supervisor

    if "--beat" not in words:  # a supervisor: with no thread, so that it may fork
        begin, logs.begin = logs.begin, lambda: None

        def start(
            given: Sequence[str], beat: Any, why: str, deaths: int
        ) -> subprocess.Popen[bytes]:
            logs.begin = begin
            try:
                own = supervisor.command(given, beat, why, deaths)[3:]
                child: Any = Child(forked(own, [beat.handle]))
                return child
            finally:
                logs.begin = lambda: None

        supervisor.start = start
    return cli.main(words)


def main(handle: int) -> None:
    """Fork for whoever asks, until nobody does."""
    import choreon.cli
    import choreon.demo
    import choreon.engine.engine
    import choreon.engine.logs
    import choreon.engine.openings
    import choreon.engine.supervisor  # noqa: F401

    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for what it forks
    line = socket.socket(fileno=handle).makefile("rw")
    with contextlib.suppress(ConnectionError):  # whoever asked has gone
        for asked in line:
            wanted = json.loads(asked)
            pid = forked(
                wanted["words"],
                (),
                environment=wanted["environment"],
                session=True,
            )
            line.write(f"{pid}\n")
            line.flush()


if __name__ == "__main__":
    main(int(sys.argv[1]))
