"""The waveforms of a show's sounds: those that are known at once, the others one after
the other, by a process of their own.
"""

from __future__ import annotations

from collections import deque
from pathlib import Path

import numpy as np
from PySide6.QtCore import QLineF, QObject, QRectF, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from choreon.formats import sounds
from choreon.model.playables.timeline import Clip
from choreon.model.show import Sound
from choreon.sound import waves
from choreon.sound.told import Told
from choreon.sound.waves import A_SECOND, Wave
from choreon.ui.parts import Parts
from choreon.ui.score.beat_reader import BeatReader


class Waves(QObject):
    """Asked for a sound's waveform, which may still be coming."""

    came = Signal()
    """Another waveform is there."""
    heard = Signal(str, object)
    """A sound was listened to: its id, and what was heard (`Told`)."""

    def __init__(self, parts: Parts, parent: QObject) -> None:
        super().__init__(parent)
        self._parts = parts
        self._known: dict[str, tuple[Sound, Wave | None]] = {}
        self._waiting: deque[str] = deque()
        self._now = ""
        self.elsewhere = ""
        """A sound that somebody else listens to just now."""
        self._reader = BeatReader(self)
        self._reader.found.connect(self._found)
        self._reader.failed.connect(lambda _: self._next())

    def path(self, sound: Sound) -> Path | None:
        """Where a sound lies; None where it is nowhere."""
        return sounds.find(sound, self._parts.document.path)

    def of(self, sound: Sound) -> Wave | None:
        """Returns the waveform of a sound, as far as it is there."""
        known = self._known.get(sound.id)
        if known is not None and known[0].path == sound.path:
            return known[1]
        path = self.path(sound)
        wave = None if path is None else waves.known(path)
        if wave is None and sound.id == self.elsewhere:
            return None
        self._known[sound.id] = sound, wave
        if path is not None and (wave is None or not sound.digest):
            self._waiting.append(sound.id)
            self._next()
        return wave

    def forget(self, sound_id: str) -> None:
        """Look for a waveform anew: it may have been made, or its file be back."""
        self._known.pop(sound_id, None)
        self.came.emit()

    def _next(self) -> None:
        if self._reader.is_on:
            return
        self._now = ""
        while self._waiting and not self._now:
            sound = self._parts.document.show.sounds.get(self._waiting.popleft())
            path = None if sound is None else self.path(sound)
            if sound is not None and path is not None:
                self._now = sound.id
                self._reader.begin(path)

    def _found(self, told: Told) -> None:
        sound_id = self._now
        self.forget(sound_id)
        self.heard.emit(sound_id, told)
        self._next()


def paint_wave(
    painter: QPainter, wave: Wave, clip: Clip, rect: QRectF, wide: float, colour: QColor
) -> None:
    """Draw what is heard of a clip, as loud as it is there. `wide`: points a second."""
    left, right = max(rect.left(), 0.0), min(rect.right(), painter.window().right())
    xs = np.arange(np.ceil(left), np.floor(right))
    if not len(xs) or not len(wave):
        return
    after = (xs - rect.left()) / wide
    own = clip.entry + after
    if clip.repeat > 0.0:
        own = own % clip.repeat
    begin = np.clip((own * A_SECOND).astype(int), 0, len(wave))
    count = max(1, int(np.ceil(A_SECOND / wide)))
    # the loudest of what a point stands for
    padded = np.concatenate([wave, np.zeros(count, np.uint8)])
    loud = np.max([padded[np.minimum(begin + n, len(wave))] for n in _some(count)], 0)
    high = loud / 255.0 * _gains(clip, after) * (rect.height() / 2.0 - 3.0)

    middle = rect.center().y()
    painter.setPen(QPen(colour, 1))
    painter.drawLines(
        [
            QLineF(x, middle - h, x, middle + h)
            for x, h in zip(xs.tolist(), np.maximum(high, 0.5).tolist(), strict=True)
        ]
    )


def _some(count: int, most: int = 24) -> list[int]:
    """Which of so many values are looked at: all, or some that are spread evenly."""
    return np.unique(np.linspace(0, count - 1, min(count, most)).astype(int)).tolist()


def _gains(clip: Clip, after: np.ndarray) -> np.ndarray:
    """How loud a clip is, by seconds after its begin."""
    gains = np.full(len(after), min(1.0, max(0.0, clip.level)))
    if clip.line:
        xs = [point.at for point in clip.line]
        ys = [point.level for point in clip.line]
        gains *= np.clip(np.interp(after, xs, ys), 0.0, 1.0)
    if clip.fade_in > 0.0:
        gains *= np.clip(after / clip.fade_in, 0.0, 1.0)
    if clip.fade_out > 0.0:
        gains *= np.clip((clip.length - after) / clip.fade_out, 0.0, 1.0)
    return gains
