"""The process that sounds: it takes from the engine what shall be heard, gives it to a
sound card, and tells where that is.

It outlives engine and window. Where the card goes away, time goes on by itself, and the
card is found again when it comes back.
"""

from __future__ import annotations

import contextlib
import logging
import os
import select
import signal
import socket
import sys
import threading
import time
from pathlib import Path

import numpy as np

from choreon.language import sentences, tr
from choreon.sound.asked import (
    Click,
    Heard,
    HeardLine,
    Levels,
    Lines,
    Shall,
    pack,
    socket_path,
    to_sound,
)
from choreon.sound.cards import Card, CardGone, Cards, TimedCard
from choreon.sound.clock import CardClock
from choreon.sound.mixer import RATE, Mixer
from choreon.sound.pcm import Store
from choreon.sound.samples import Sound

log = logging.getLogger(__name__)

TELL = 0.05  # seconds between two messages
LOOK = 2.0  # seconds between two looks for a card that is not there
ALONE = 10.0  # seconds without an engine after which nothing is to be heard any more
FORSAKEN = 30.0  # and after which it ends
BACKLOG = 1 << 20  # bytes that an engine may leave unread


class SoundProcess:
    """Plays what it is told until it is stopped."""

    def __init__(self, beat: object = None) -> None:
        self.store = Store()
        self.mixer = Mixer(self.store.get)
        self.cards = Cards()
        self.ended = False
        self._names = self.cards.look()
        self._clock = CardClock(RATE)
        self._frame = 0
        self._card: Card = TimedCard()
        self._wanted = ""
        self._wrong = ""
        self._lock = threading.Lock()
        self._looked = 0.0
        self._alone_since = time.monotonic()
        self._client: socket.socket | None = None
        self._lines = Lines()
        self._out = b""
        self._beats = beat
        self._server = _listen(socket_path())
        self._choose("")

    # the card's thread

    def ask(self, card: Card, count: int, now: float) -> Sound:
        """Give a card its next frames; one that was left gets silence."""
        with self._lock:
            if card is not self._card:
                return np.zeros((count, 2), np.float32)
            frame = self._frame
            self._clock.called(frame, now)
            self._frame += count
            return self.mixer.mix(frame, count, self._heard_at(frame))

    def _heard_at(self, frame: float) -> float:
        return self._clock.time_of(frame) + self._late

    @property
    def _late(self) -> float:
        """Seconds from a card's call until it is heard."""
        by_ear = self.mixer.shall.by_ear
        return max(0.0, self._card.latency + by_ear)

    # which card

    def _choose(self, name: str) -> None:
        """Play by a card; where it is not there, by time alone."""
        self._wanted = name
        try:
            self._play_by(self.cards.get(name))
            self._wrong = ""
            return
        except CardGone:
            pass
        self._wrong = _no_card(name)
        if not self._card.silent or not self._clock.runs:
            self._play_by(TimedCard())

    def _play_by(self, card: Card) -> None:
        """Go on by another card, where the one before would be by now. Raises
        CardGone.
        """
        before = self._card
        with self._lock:
            now = time.monotonic()
            if self._clock.runs:
                self._frame = max(self._frame, round(self._clock.frame_at(now)))
            self._clock = CardClock(RATE)
            self._card = card
        try:
            card.start(lambda count, now: self.ask(card, count, now))
        except CardGone:
            self._card = before
            raise
        before.close()

    def _look_at_card(self, now: float) -> None:
        if not self._card.lives(now):
            log.warning("the sound card %s has gone", self._card.name)
            self._names = tuple(n for n in self._names if n != self._card.name)
            self._wrong = _no_card(self._card.name)
            self._play_by(TimedCard())
            self._looked = now
        if now - self._looked < LOOK:
            return
        self._looked = now
        if self._card.silent:
            self._names = self.cards.look()
            if self._names and (not self._wanted or self._wanted in self._names):
                self._choose(self._wanted)
        self.store.look()

    # the engine's line

    def run(self) -> None:
        """Play until it is stopped."""
        told = 0.0
        while not self.ended:
            reads = [self._server, *([self._client] if self._client else [])]
            writes = [self._client] if self._client and self._out else []
            ready, _, _ = select.select(reads, writes, [], TELL / 2)
            if self._server in ready:
                self._accept()
            if self._client in ready:
                self._read()
            now = time.monotonic()
            if now - told >= TELL:
                told = now
                self._look(now)
        self._close()

    def _close(self) -> None:
        self._card.close()
        self._server.close()
        if self._client is not None:
            self._client.close()
        self.store.close()

    def _look(self, now: float) -> None:
        if self._beats is not None:
            self._beats.sounded()  # type: ignore[attr-defined]
        self._look_at_card(now)
        self._tell(now)
        if self._client is not None:
            self._alone_since = now
        alone = now - self._alone_since
        if alone > ALONE and self.mixer.shall.lines:
            self.mixer.shall = Shall(device=self._wanted)
        if alone > FORSAKEN:
            self.ended = True

    def _accept(self) -> None:
        """The engine that came last is heard."""
        client, _ = self._server.accept()
        client.setblocking(False)
        if self._client is not None:
            self._client.close()
        self._client, self._lines, self._out = client, Lines(), b""

    def _read(self) -> None:
        client = self._client
        assert client is not None
        try:
            data = client.recv(1 << 20)
            if not data:
                raise ConnectionError
            for line in self._lines.feed(data):
                self._take(line)
        except BlockingIOError:
            return
        except (OSError, ValueError):
            client.close()
            self._client = None

    def _take(self, line: bytes) -> None:
        message = to_sound(line)
        if isinstance(message, Shall):
            self.store.want(v.file for one in message.lines for v in one.voices)
            self.store.want(message.ahead)
            self.mixer.shall = message
            if message.device != self._wanted:
                self._names = self.cards.look()
                self._choose(message.device)
        elif isinstance(message, Levels):
            self.mixer.levels = message.of
        elif isinstance(message, Click):
            self.mixer.clicks = (*self.mixer.clicks[-16:], message.at)

    def _tell(self, now: float) -> None:
        if self._client is None:
            return
        lines: tuple[HeardLine, ...] = ()
        with self._lock:
            if self._clock.runs:
                frame = self._clock.frame_at(now - self._late)
                lines = self.mixer.heard(frame, now)
        heard = Heard(
            lines,
            self._card.name,
            self._card.silent,
            self._card.latency,
            self._names,
            sentences(self._wrong, *self.store.troubles[:3]),
        )
        self._out += pack(heard)
        try:
            sent = self._client.send(self._out)
            self._out = self._out[sent:]
        except BlockingIOError:
            if len(self._out) > BACKLOG:
                self._out = b""
        except OSError:
            self._client.close()
            self._client = None


def _no_card(name: str) -> str:
    if not name:
        return tr("There is no sound card: timelines go by the clock.")
    return tr(
        "The sound card {name} is not there: timelines go by the clock, and sound goes "
        "on when it comes back.",
        name=name,
    )


def _listen(path: Path) -> socket.socket:
    with contextlib.suppress(FileNotFoundError):
        path.unlink()
    made = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
    mask = os.umask(0o177)
    try:
        made.bind(str(path))
    finally:
        os.umask(mask)
    made.listen(4)
    made.setblocking(False)
    return made


def run(beat: object = None) -> int:
    """Play until told to stop. Returns the exit status."""
    sys.setswitchinterval(0.001)
    process = SoundProcess(beat)

    def stop(*_: object) -> None:
        process.ended = True

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, stop)
    process.run()
    return 0
