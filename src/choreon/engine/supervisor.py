"""The engine's parent: a small process that starts it, watches its heartbeat, and
starts it again when it dies or hangs. It knows no show and needs no window.

The engine watches its supervisor too: one that dies is replaced by the engine, and the
new one adopts the engine as it plays.
"""

from __future__ import annotations

import contextlib
import fcntl
import logging
import os
import select
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from choreon import folders
from choreon.engine import instance_lock, logs
from choreon.engine.beat import Heartbeat, Phase
from choreon.engine.sound_keeper import SoundKeeper
from choreon.engine.watched import Watched
from choreon.language import tr

log = logging.getLogger("choreon.supervisor")

LOOK = 0.05  # seconds between two looks at the heartbeat
MISSING = 1.0  # seconds without a beat after which an engine counts as hung
PATIENCE = 2.0  # seconds that may go by beside that while others have the processors
STARTING = 30.0  # seconds an engine may take to its first frame
ENDING = 3.0  # seconds an engine that was told to end may take beyond its fade
STEADY = 3.0  # seconds of playing after which a death is not counted with others
WAITS = (0.0, 0.0, 0.5, 1.0, 2.0)  # seconds before the nth new start, and all after
BRIEF = 3  # deaths in a row after which what played is left out at the next start
FORSAKEN = 10.0  # seconds without its folder, and with nobody there, until it ends
NOT_AGAIN = (0, 3, 4)  # exit codes: it ended, another one plays, it cannot play here


class Patience:
    """Counts the time in which no beat came. Time in which this process itself did not
    run, while the machine slept or stood still, is not counted, nor is time in which
    the engine wanted to run and others had the processors. A phase begins anew: how
    long a start took is not held against the first frame.
    """

    def __init__(self, now: float, waited: Callable[[], float] = float) -> None:
        self._seen: tuple[int, Phase] | None = None
        self._looked = now
        self._read_waited, self._waited = waited, 0.0
        self._counted = self._excused = 0.0

    def look(self, frames: int, phase: Phase, now: float) -> float:
        """Returns for how many seconds no beat has come."""
        step, self._looked = now - self._looked, now
        if (frames, phase) != self._seen:
            self._seen = (frames, phase)
            self._counted = self._excused = 0.0
            self._waited = self._read_waited()
            return 0.0
        before, self._waited = self._waited, self._read_waited()
        step = min(step, 2 * LOOK)
        excused = min(step, max(0.0, self._waited - before), PATIENCE - self._excused)
        self._excused += excused
        self._counted += step - excused
        return self._counted


class Supervisor:
    """Starts an engine by `start(why, deaths)`, and again as often as it is needed."""

    def __init__(
        self,
        start: Callable[[Heartbeat, str, int], subprocess.Popen[bytes]],
        beat: Heartbeat | None = None,
    ) -> None:
        self.starts = start
        self.heartbeat = beat or Heartbeat.make()
        self.sound = SoundKeeper(self.heartbeat)
        self.ending = False
        self._wake_in, self._wake_out = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        self._parent = os.getppid()
        self._alone_since = 0.0
        self._deaths: list[float] = []
        self.played = 0.0  # seconds that the engine that died last has played

    def run(self, engine: Watched | None = None) -> int:
        """Watch until the engine ends as it was told. Returns the exit code. `engine`:
        one that plays already.
        """
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, self._told)

        signal.set_wakeup_fd(self._wake_out, warn_on_full_buffer=False)
        why = ""

        while True:
            if engine is None:
                self.heartbeat.enter(Phase.STARTING)
                self.heartbeat.beat(0)  # not where the one before it stood
                child = self.starts(self.heartbeat, why, len(self._deaths))
                engine = Watched(child.pid, child)

            code, why = self.watch(engine)
            engine.close()
            engine = None
            self._end_if_forsaken()
            ended = self.ending or self.heartbeat.phase == Phase.ENDING

            if ended or code in NOT_AGAIN:
                self.sound.end()
                return 0 if ended and code not in NOT_AGAIN else code

            log.error("The engine %s. It is started again.", why)
            self.pause()
            if self.ending:
                self.sound.end()
                return 0

    def _told(self, *_: object) -> None:
        self.ending = True

    def watch(self, engine: Watched) -> tuple[int, str]:
        """Watch one engine until it is gone. Returns its exit code, and why."""
        playing_since = 0.0
        patience = Patience(time.monotonic(), engine.waited)
        told = self.played = 0.0
        poll = select.poll()
        poll.register(engine.handle, select.POLLIN)

        poll.register(self._wake_in, select.POLLIN)
        while True:
            poll.poll(1000 * LOOK)
            with contextlib.suppress(BlockingIOError):
                os.read(self._wake_in, 4096)

            self.sound.look()
            now = time.monotonic()
            code = engine.over()
            if code is not None:
                return code, _fate(code)

            phase = self.heartbeat.phase
            if phase == Phase.PLAYING:
                playing_since = playing_since or now
                self.played = now - playing_since

            missing = patience.look(self.heartbeat.frames, phase, now)
            self._end_if_forsaken()
            if self.ending and not told:
                told = now
                engine.tell(signal.SIGTERM)

            patient = STARTING if phase == Phase.STARTING else MISSING
            if missing > patient or (told and now - told > ENDING):
                log.error("The engine hangs: no frame for %.1f s.", missing)
                engine.kill()
                return 1, tr("hung for {missing:.1f} s and was ended", missing=missing)

    def _end_if_forsaken(self) -> None:
        """End where nobody can find the engine any more: its runtime folder is gone,
        no window is connected, and who started it has gone as well.
        """
        known = self._parent > 1 and os.getppid() == self._parent
        found = known or self.heartbeat.clients or _has_lock()
        now = time.monotonic()
        if found:
            self._alone_since = 0.0
            return
        self._alone_since = self._alone_since or now
        if now - self._alone_since > FORSAKEN and not self.ending:
            log.error("Its folder is gone, and nobody is there: the engine ends.")
            self.ending = True

    def pause(self) -> None:
        """Let time go by before the next start, the longer the more often it died. One
        that never came to a frame counts with those before it, however long it took.
        """
        now = time.monotonic()
        if self.played > STEADY:
            self._deaths = []
        elif self.played > 0.0:
            self._deaths = [t for t in self._deaths if now - t < 60.0]

        self._deaths.append(now)
        wait = WAITS[min(len(self._deaths), len(WAITS)) - 1]
        if wait:
            log.error("It has died %d times; waiting %.1f s.", len(self._deaths), wait)

        end = now + wait
        while not self.ending and (left := end - time.monotonic()) > 0:
            select.select([self._wake_in], [], [], min(left, LOOK))
            self.sound.look()
            self._end_if_forsaken()
            with contextlib.suppress(BlockingIOError):
                os.read(self._wake_in, 4096)


def _fate(code: int) -> str:
    if code >= 0:
        return tr("ended by itself (exit code {code})", code=code)
    try:
        return tr("was ended by {name}", name=signal.Signals(-code).name)
    except ValueError:
        return tr("was ended by signal {code}", code=-code)


def command(
    words: Sequence[str], beat: Heartbeat, why: str = "", deaths: int = 0
) -> list[str]:
    """Returns the command that starts an engine, supervised. `words`: what the user
    asked for; `why`, `deaths`: how the one before it ended, and how many did of late.
    """
    again = ["--why", why] if why else []
    if deaths >= BRIEF:
        again.append("--bare")
    return [
        *(sys.executable, "-m", "choreon", "engine", *words),
        *("--beat", str(beat.handle), *again),
    ]


def start(
    words: Sequence[str], beat: Heartbeat, why: str, deaths: int
) -> subprocess.Popen[bytes]:
    """Start an engine as a child."""
    return subprocess.Popen(
        command(words, beat, why, deaths),
        stdin=subprocess.DEVNULL,
        stderr=logs.outside(),
        pass_fds=(beat.handle,),
        env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
    )


def run(words: Sequence[str], adopt: int = 0, handle: int = -1) -> int:
    """Supervise an engine until it ends; returns the exit code. `adopt`: the process of
    one that plays already, and `handle` that of its heartbeat.
    """
    engine: Watched | None = None
    beat: Heartbeat | None = None
    if adopt:
        try:
            engine, beat = Watched(adopt), Heartbeat(handle)
        except (OSError, ValueError):
            return 0  # it has gone meanwhile

    _never_first()
    try:
        alone = _hold_lock() is not None
        found = (
            instance_lock.heartbeat(folders.runtime()) if alone and not adopt else None
        )
        if found is not None:  # an engine that nobody watches, and that may hang
            engine, beat = Watched(found[0]), found[1]
    except OSError as error:
        print(error, file=sys.stderr)
        return 4

    supervisor = Supervisor(lambda *how: start(words, *how), beat)
    return supervisor.run(engine)


def lock_path() -> Path:
    """The file that a supervisor holds locked while it lives."""
    return folders.runtime() / "supervisor.lock"


def is_supervised() -> bool:
    """Whether a supervisor lives, which starts an engine where there is none."""
    try:
        handle = folders.open_own(lock_path(), os.O_RDWR)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
        return False
    except OSError:
        return True
    finally:
        os.close(handle)


def _has_lock() -> bool:
    """Whether the lock that this process holds, if it does, lies where others look."""
    if _held is None:
        return True
    path, handle = _held
    try:
        return os.stat(path).st_ino == os.fstat(handle).st_ino
    except OSError:
        return False


_held: tuple[Path, int] | None = None
"""Where the lock lies, and its handle."""


def _hold_lock() -> int | None:
    """Take the lock for life; None where another supervisor has it, whose engine then
    has the place as well. Raises folders.FolderRefused.
    """
    handle = folders.open_own(lock_path())
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        os.close(handle)
        return None
    global _held
    _held = (lock_path(), handle)
    return handle


def _never_first() -> None:
    """Memory that runs out takes windows before engines."""
    with contextlib.suppress(OSError), open("/proc/self/oom_score_adj", "w") as file:
        file.write("0")
