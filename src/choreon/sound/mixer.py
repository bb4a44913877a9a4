"""Mixes what shall be heard, block by block. Where a line is follows from the frame
alone: nothing adds up, so a loop closes to the sample however often it goes round.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from typing import NamedTuple, Protocol

import numpy as np

from choreon.sound.asked import HeardLine, Line, Shall, Voice
from choreon.sound.limiter import Limiter
from choreon.sound.samples import Sound

RATE = 48_000  # frames a second
WAITS = 1.0  # seconds that a line waits for a file that is still being made ready
FRESH = 0.3  # seconds in which a line that has begun is heard from its begin on
SAME = 0.25  # seconds off within which a line that is told anew is left as it is
EDGE = 96  # frames in which a line comes or goes that begins or stops amid a sound
GRAIN = 0.12  # seconds that are heard where a line that stands is put elsewhere
CLICK = 0.004  # seconds


class Source(Protocol):
    """A file's sound."""

    def read(self, begin: int, count: int) -> Sound:
        """Returns frames (count, 2), silence where there are none."""
        ...

    def ready(self, begin: int) -> bool:
        """Whether it can be read from a frame on, or never will be."""
        ...


Sources = Callable[[str], Source]


class _Laid(NamedTuple):
    """A voice in frames."""

    voice: Voice
    start: int
    end: int
    entry: int
    repeat: int


class _Score:
    """The voices of a line, by when they begin."""

    def __init__(self, line: Line) -> None:
        self.line = line
        self.laid = [_laid(voice) for voice in line.voices]
        self._starts = np.array([one.start for one in self.laid], np.int64)
        self._ends = np.array([one.end for one in self.laid], np.int64)

    def between(self, begin: int, end: int) -> Iterator[_Laid]:
        """Yields the voices that are there in a stretch."""
        there = (self._starts < end) & (self._ends > begin)
        yield from (self.laid[n] for n in np.flatnonzero(there))

    def stretches(self, own: float, count: int) -> Iterator[tuple[int, int, int]]:
        """Yields what comes of `count` frames that begin at `own`, in frames: how many
        have gone by, where it is then, how many follow there.
        """
        done = 0
        while done < count:
            place, room = self._place(own + done)
            length = count - done
            if room < length:
                length = max(1, math.ceil(room))
            yield done, round(place), length
            done += length

    def _place(self, own: float) -> tuple[float, float]:
        """Where it is, and for how many frames it goes on there."""
        loop = self.line.loop
        if loop is None:
            return own, max(0.0, self.line.over * RATE - own) or math.inf
        begin, end = loop[0] * RATE, loop[1] * RATE
        if own >= end:
            own = begin + math.fmod(own - begin, end - begin)
        return own, end - own


def _laid(voice: Voice) -> _Laid:
    start = round(voice.start * RATE)
    end = start + round(max(0.0, voice.length) * RATE)
    return _Laid(
        voice, start, end, round(voice.entry * RATE), round(voice.repeat * RATE)
    )


class _Playing:
    """A line that is heard: at `frame` of the card it stood at `own`, in frames."""

    def __init__(self, score: _Score, frame: int, own: float, comes: bool) -> None:
        self.score, self.frame, self.own = score, frame, own
        self.level: float | None = None
        self._comes = frame if comes else frame - EDGE  # when it begins to come
        self.goes = math.inf  # when it begins to go

    @property
    def line(self) -> Line:
        """What was asked."""
        return self.score.line

    def own_at(self, frame: float) -> float:
        """Returns how long it has run, in frames."""
        return self.own + frame - self.frame

    def over(self, frame: int) -> bool:
        """Whether nothing more of it is heard."""
        return frame >= self.goes + EDGE

    def add(self, out: Sound, frame: int, level: float, sources: Sources) -> None:
        """Put what it gives into a block that begins at a frame."""
        count = len(out)
        own = self.own_at(frame)
        block = np.zeros_like(out)
        over = math.inf if self.line.loop else self.line.over * RATE
        for done, place, length in self.score.stretches(own, count):
            if own + done >= over:
                break
            for laid in self.score.between(place, place + length):
                _add(block[done : done + length], laid, place, sources)

        before = level if self.level is None else self.level
        self.level = level
        out += block * self._gains(frame, count, before, level)

    def _gains(self, frame: int, count: int, before: float, level: float) -> Sound:
        """Its level, and what is left of it while it comes and goes: (n, 1)."""
        at = np.arange(frame, frame + count)
        gains = np.linspace(before, level, count, endpoint=False)
        if frame < self._comes + EDGE:
            gains = gains * np.clip((at - self._comes) / EDGE, 0.0, 1.0)
        if frame + count > self.goes:
            gains = gains * np.clip(1.0 - (at - self.goes) / EDGE, 0.0, 1.0)
        return gains.astype(np.float32)[:, None]


def _add(out: Sound, laid: _Laid, place: int, sources: Sources) -> None:
    """Put what a voice gives into a stretch that begins at a place."""
    begin = max(place, laid.start)
    end = min(place + len(out), laid.end)
    after = begin - laid.start
    source = sources(laid.voice.file)
    for own, at, count in _rounds(laid, after, end - begin):
        sound = source.read(own, count) * _envelope(laid.voice, after + at, count)
        out[begin - place + at : begin - place + at + count] += sound


def _rounds(laid: _Laid, after: int, count: int) -> Iterator[tuple[int, int, int]]:
    """What is read of a file: from where, after how many frames, how many."""
    if laid.repeat <= 0:
        yield laid.entry + after, 0, count
        return
    done = 0
    while done < count:
        own = (laid.entry + after + done) % laid.repeat
        length = min(count - done, laid.repeat - own)
        yield own, done, length
        done += length


def _envelope(voice: Voice, after: int, count: int) -> Sound | np.float32:
    """How loud a voice is: its level, its level line, its fades."""
    level = min(1.0, max(0.0, voice.level))
    if not voice.points and voice.fade_in <= 0.0 and voice.fade_out <= 0.0:
        return np.float32(level)
    at = (after + np.arange(count)) / RATE
    gains = np.full(count, level)
    if voice.points:
        xs, ys = zip(*voice.points, strict=True)
        gains = gains * np.clip(np.interp(at, xs, ys), 0.0, 1.0)
    if voice.fade_in > 0.0:
        gains = gains * np.clip(at / voice.fade_in, 0.0, 1.0)
    if voice.fade_out > 0.0:
        gains = gains * np.clip((voice.length - at) / voice.fade_out, 0.0, 1.0)
    return gains.astype(np.float32)[:, None]


class Mixer:
    """What is heard of what shall be. `shall` and `levels` are set from any thread;
    `mix` is called by the one that the card calls.
    """

    def __init__(self, sources: Sources) -> None:
        self._sources = sources
        self.shall = Shall()
        self.levels: dict[str, float] = {}
        self.clicks: tuple[float, ...] = ()
        self._taken = self.shall
        self._on: dict[str, _Playing] = {}
        self._stand: dict[str, tuple[int, float]] = {}  # by turn, and where
        self._waits: dict[str, int] = {}  # since which frame
        self._tails: list[_Playing] = []
        self._limiter = Limiter(RATE)

    def mix(self, frame: int, count: int, heard: float) -> Sound:
        """Returns the block (count, 2) that begins at a frame of the card, which is
        heard at a time of this machine's clock.
        """
        if self.shall is not self._taken or self._waits:
            self._taken = self.shall
            self._take(self._taken, frame, heard)

        out = np.zeros((count, 2), np.float32)
        for key, one in self._on.items():
            one.add(out, frame, self.levels.get(key, 1.0), self._sources)
        for tail in self._tails:
            tail.add(out, frame, tail.level or 0.0, self._sources)
        self._tails = [one for one in self._tails if not one.over(frame + count)]
        self._click(out, heard)
        return self._limiter.limit(out)

    def _take(self, shall: Shall, frame: int, heard: float) -> None:
        """Change over to what shall be from a frame on."""
        wanted = {line.key: line for line in shall.lines}
        for key in [key for key in self._on if key not in wanted]:
            self._let_go(key, frame)
        self._stand = {k: at for k, at in self._stand.items() if k in wanted}
        self._waits = {k: at for k, at in self._waits.items() if k in wanted}
        for line in shall.lines:
            if line.runs:
                self._run(line, frame, heard, shall.anew)
            else:
                self._waits.pop(line.key, None)
                self._stop(line, frame)

    def _run(self, line: Line, frame: int, heard: float, anew: bool) -> None:
        self._stand.pop(line.key, None)
        score = _Score(line)
        late = heard - line.at
        waited = line.key in self._waits
        fresh = waited or -FRESH < late < FRESH
        own = line.own if fresh else line.own + late
        known = self._on.get(line.key)
        if known is not None:
            same = known.line.turn == line.turn and not anew
            near = abs(known.own_at(frame) / RATE - (line.own + late)) < SAME
            if same or (anew and near):
                known.score = score
                return
            self._let_go(line.key, frame)
        elif fresh and not self._is_ready(score, own, line.key, frame):
            return
        self._waits.pop(line.key, None)
        comes = own > 0.0 or known is not None
        self._on[line.key] = _Playing(score, frame, own * RATE, comes)

    def _is_ready(self, score: _Score, own: float, key: str, frame: int) -> bool:
        """Whether a line that begins can be heard from its first sample on; a file that
        takes too long is not waited for.
        """
        since = self._waits.setdefault(key, frame)
        if frame - since > WAITS * RATE:
            return True
        place = round(own * RATE)
        return all(
            self._sources(one.voice.file).ready(one.entry + max(0, place - one.start))
            for one in score.between(place, place + RATE // 2)
        )

    def _stop(self, line: Line, frame: int) -> None:
        """A line that stands; where it is put elsewhere meanwhile, a grain of what is
        there is heard.
        """
        self._let_go(line.key, frame)
        before, self._stand[line.key] = (
            self._stand.get(line.key),
            (line.turn, line.own),
        )
        if before is not None and before[0] != line.turn and before[1] != line.own:
            grain = _Playing(_Score(line), frame, line.own * RATE, True)
            grain.level = self.levels.get(line.key, 1.0)
            grain.goes = frame + GRAIN * RATE
            self._tails = [*self._tails[-3:], grain]

    def _let_go(self, key: str, frame: int) -> None:
        known = self._on.pop(key, None)
        if known is not None:
            known.goes = frame
            self._tails.append(known)

    def _click(self, out: Sound, heard: float) -> None:
        """Clicks that are heard in a block; those that are over are forgotten."""
        for at in self.clicks:
            begin = round((at - heard) * RATE)
            if 0 <= begin < len(out):
                time = np.arange(min(len(out) - begin, int(CLICK * RATE))) / RATE
                click = 0.5 * np.sin(2 * np.pi * 2000.0 * time) * (1.0 - time / CLICK)
                out[begin : begin + len(time)] += click.astype(np.float32)[:, None]
        end = heard + len(out) / RATE
        if self.clicks:
            self.clicks = tuple(at for at in self.clicks if at >= end)

    def heard(self, frame: float, now: float) -> tuple[HeardLine, ...]:
        """Returns where each line is heard to be, while a frame is heard."""
        found = []
        for key, one in list(self._on.items()):
            own = max(one.own_at(frame), one.own) / RATE
            found.append(HeardLine(key, one.line.turn, own, now))
        return tuple(found)
