"""Keeps the process that sounds: starts it where it is wanted, and again where it dies
or hangs.
"""

from __future__ import annotations

import logging
import os
import subprocess
import sys
import time

from choreon.engine import logs
from choreon.engine.beat import Heartbeat
from choreon.engine.watched import Watched

log = logging.getLogger("choreon.supervisor")

MISSING = 1.5  # seconds without a beat after which it counts as hung
STARTING = 15.0  # seconds that it may take to its first beat
STEADY = 5.0  # seconds of sounding after which a death is not counted with others
WAITS = (0.0, 0.2, 1.0, 3.0)  # seconds before the nth new start, and all after
ALREADY = 3  # exit code: another one sounds here


class SoundKeeper:
    """Looks after one process. It is called again and again, and never waits."""

    def __init__(self, beat: Heartbeat) -> None:
        self._heartbeat = beat
        self._process: Watched | None = None
        self._deaths = 0
        self._due = self._began = self._seen_at = 0.0
        self._beats = 0
        self._adopt()

    def _adopt(self) -> None:
        """Watch one that sounds already: who watched it before has gone."""
        pid = self._heartbeat.sound_pid
        if pid:
            try:
                self._process = Watched(pid)
                self._began = self._seen_at = time.monotonic()
            except OSError:
                self._heartbeat.sound_pid = 0

    def look(self) -> None:
        """Start it, end it, or start it again."""
        now = time.monotonic()
        if self._process is None:
            if self._heartbeat.wants_sound and now >= self._due:
                self._start(now)
            return
        code = self._process.over()
        if code is None and self._hangs(now):
            log.error("The process that sounds hangs, and is ended.")
            self._process.kill()
            code = 1
        if code is not None:
            self._bury(code, now)
        elif not self._heartbeat.wants_sound:
            self.end()

    def _start(self, now: float) -> None:
        handle = self._heartbeat.handle
        try:
            child = subprocess.Popen(
                [*(sys.executable, "-m", "choreon", "sound"), "--beat", str(handle)],
                stdin=subprocess.DEVNULL,
                stderr=logs.outside(),
                pass_fds=(handle,),
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
            )
            self._process = Watched(child.pid, child)
        except OSError as error:
            log.error("The process that sounds cannot be started: %s", error)
            self._deaths += 1
            self._due = now + WAITS[-1]
            return
        self._heartbeat.sound_pid = child.pid
        self._began = self._seen_at = now
        self._beats = self._heartbeat.sound_beats

    def _hangs(self, now: float) -> bool:
        beats = self._heartbeat.sound_beats
        if beats != self._beats:
            if now - self._began > STEADY:
                self._deaths = 0
            self._beats, self._seen_at = beats, now
            return False
        # one that never beat is still starting
        patience = MISSING if self._seen_at > self._began else STARTING
        return now - self._seen_at > patience

    def _bury(self, code: int, now: float) -> None:
        """It is gone: another one comes, the later the more often they die."""
        assert self._process is not None
        self._process.close()
        self._process = None
        self._heartbeat.sound_pid = 0
        if now - self._began > STEADY:
            self._deaths = 0
        wait = WAITS[min(self._deaths, len(WAITS) - 1)]
        self._deaths += 1
        self._due = now + (WAITS[-1] if code == ALREADY else wait)
        if self._heartbeat.wants_sound:
            log.error("The process that sounds has ended (%d).", code)

    def end(self) -> None:
        """End it; it is quick about that, and not waited for long."""
        process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        process.close()
        self._heartbeat.sound_pid = 0
