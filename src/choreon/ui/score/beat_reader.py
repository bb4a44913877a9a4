"""Beats out of a sound file: found by a process of its own, with progress, and ended at
a press.
"""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from choreon.language import tr
from choreon.sound.told import Told, read_line


class BeatReader(QObject):
    """Listens to one file at a time."""

    went_on = Signal(float)
    """How much of it is done, 0…1."""
    found = Signal(object)
    """What was found: the last `Told`."""
    failed = Signal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._process: QProcess | None = None
        self._held: list[QProcess] = []
        self.path = Path()
        held = self._held  # what it holds is ended with it
        self.destroyed.connect(lambda: _end(held))

    @property
    def is_on(self) -> bool:
        """Whether it listens."""
        return self._process is not None

    def begin(self, path: Path) -> None:
        """Listen to a file; to another one no more."""
        self.stop()
        self.path = path
        process = self._process = QProcess(self)
        self._held[:] = [process]
        process.readyReadStandardOutput.connect(self._read)
        process.finished.connect(self._ended)
        process.errorOccurred.connect(lambda _: self._ended())
        process.start(sys.executable, ["-m", "choreon", "beats", str(path)])
        self.went_on.emit(0.0)

    def stop(self) -> None:
        """Listen no more."""
        process, self._process = self._process, None
        self._held.clear()
        if process is not None:
            process.kill()
            process.waitForFinished(1000)
            process.deleteLater()

    def _read(self) -> None:
        process = self._process
        while process is not None and process.canReadLine():
            told = read_line(bytes(process.readLine().data()))
            if told is not None:
                self._hear(told)
            process = self._process

    def _hear(self, told: Told) -> None:
        if told.error:
            self._give_up(told.error)
        elif told.found is not None:
            self.stop()
            self.found.emit(told)
        else:
            self.went_on.emit(told.done)

    def _ended(self) -> None:
        """The process is gone: it has said all that it will."""
        self._read()
        if self._process is not None:
            self._give_up(
                tr("Listening to {name} was broken off.", name=self.path.name)
            )

    def _give_up(self, why: str) -> None:
        self.stop()
        self.failed.emit(why)


def _end(held: list[QProcess]) -> None:
    """End processes whose reader goes, without a word of it."""
    for process in held:
        process.blockSignals(True)
        process.kill()
        process.waitForFinished(1000)
