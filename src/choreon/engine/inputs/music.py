"""Live music: its bands as controls, and its tempo as the tempo. What listens is a
process of its own.
"""

from __future__ import annotations

import contextlib
import os
import select
import subprocess
import sys
import threading
import time

from choreon.engine.do import Do
from choreon.engine.inputs.asking import ControlMove
from choreon.engine.inputs.base import InputDevice, Surroundings, hand_of
from choreon.engine.inputs.feedback import Feedback
from choreon.model.inputs import Control, MusicInput, MusicSettings
from choreon.model.inputs.music import BANDS, MUSIC, music_control
from choreon.model.refs import TEMPO
from choreon.model.show import Show
from choreon.model.verbs import Verb
from choreon.render.state import PlayState
from choreon.sound.asked import Lines
from choreon.sound.music import SURE, Music, read_line

LOOK = 0.2  # seconds between two looks while nothing is heard
LEAST = 0.01  # of full, below which a level has not moved
SILENT = 3.0  # seconds without a word after which what listens is started anew
AGAIN = 1.0  # seconds until the next start
NOTHING = MusicSettings()


class MusicDevice(InputDevice):
    """What is heard in the room, while the show wants that."""

    kind = MusicInput.kind

    def __init__(self, around: Surroundings) -> None:
        super().__init__(around)
        self.heard = Music()
        self._wanted = NOTHING
        self._process: subprocess.Popen[bytes] | None = None
        self._levels: dict[str, float] = {}
        self._came = self._began = 0.0
        self._ended = False
        self._beat = time.monotonic()
        self._wake_in, self._wake_out = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        self._thread: threading.Thread | None = None
        self._idle = threading.Thread(name="music", daemon=True)  # it never begins

    def show(self, lights: dict[Control, Feedback]) -> None:
        """Music has no lights."""

    def follow(self, show: Show, state: PlayState) -> None:
        """Listen, where the show wants it; in the frames' thread, which never waits."""
        super().follow(show, state)
        if show.music is self._wanted:
            return
        self._wanted = show.music
        if self._wanted.on and self._thread is None:
            self._thread = threading.Thread(target=self._run, name="music", daemon=True)
            self._thread.start()
        with contextlib.suppress(OSError):
            os.write(self._wake_out, b"w")

    @property
    def thread(self) -> threading.Thread:
        """What listens; one that never begins while nothing does."""
        return self._thread or self._idle

    @property
    def beat(self) -> float:
        """When that thread last came round, monotonic seconds."""
        return time.monotonic() if self._thread is None else self._beat

    def abandon(self) -> None:
        """Give the thread up, which hangs."""
        self._ended = True
        self._end_process()

    def close(self) -> None:
        """Listen no more."""
        self.abandon()
        with contextlib.suppress(OSError):
            os.write(self._wake_out, b"w")

    # its own thread

    def _run(self) -> None:
        running, lines = NOTHING, Lines()
        while not self._ended:
            self._beat = now = time.monotonic()
            wanted = self._wanted
            stuck = self._process is not None and now - self._came > SILENT
            if stuck or (wanted.on, wanted.source) != (running.on, running.source):
                self._end_process()
                running = NOTHING
            if wanted.on and self._process is None and now - self._began > AGAIN:
                self._start(wanted.source)
                running, lines = wanted, Lines()
            self._wait(lines)
        self._end_process()

    def _start(self, source: str) -> None:
        self._began = self._came = time.monotonic()
        with contextlib.suppress(OSError):
            self._process = subprocess.Popen(
                [*(sys.executable, "-m", "choreon", "listen"), "--source", source],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
            )

    def _end_process(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.wait()
            for pipe in (process.stdin, process.stdout):
                if pipe is not None:
                    pipe.close()
        for band in [band for band, level in self._levels.items() if level > 0.0]:
            self._level(band, 0.0)
        self.heard = Music()
        self.around.heard(self.heard)

    def _wait(self, lines: Lines) -> None:
        """Hear what is said, or that something else is wanted."""
        process = self._process
        out = None if process is None else process.stdout
        reads = [self._wake_in, *([out.fileno()] if out is not None else [])]
        ready, _, _ = select.select(reads, [], [], LOOK)
        if self._wake_in in ready:
            with contextlib.suppress(BlockingIOError):
                os.read(self._wake_in, 4096)
        if out is None or out.fileno() not in ready:
            return
        data = os.read(out.fileno(), 1 << 16)
        if not data:
            self._end_process()
            return
        with contextlib.suppress(ValueError):
            for line in lines.feed(data):
                music = read_line(line)
                if music is not None:
                    self._hear(music)

    def _hear(self, music: Music) -> None:
        self._came = time.monotonic()
        before = self.heard
        if not music.bpm:  # the tempo is as it was told last
            told = (before.bpm, before.at, before.sure)
            music = Music(music.levels, *told, music.sources, music.trouble)
        elif music.sure >= SURE and self._wanted.tempo:
            self._ask_tempo(music)
        self.heard = music
        self.around.heard(music)
        for band, level in zip(BANDS, music.levels, strict=False):
            self._level(band, level)

    def _ask_tempo(self, music: Music) -> None:
        """It pulls as taps do: the beat never jumps."""
        dos = [Do(TEMPO, Verb.BPM, music.bpm), Do(TEMPO, Verb.ALIGN, music.at)]
        self.around.asked(dos, lambda show, state: dos, hand_of(self.kind, MUSIC))

    def _level(self, band: str, level: float) -> None:
        """A band is that loud; only those that do something are asked after."""
        control = music_control(band)
        tied = any(t.control == control for t in self.around.newest().inputs.values())
        if not tied or self.learning:
            return
        if abs(level - self._levels.get(band, 0.0)) >= LEAST or level == 0.0:
            self._levels[band] = level
            self.moved(ControlMove(control, level))
