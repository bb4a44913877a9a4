"""Sound cards: those of this machine, one that is only played by time where there is
none, and practice cards.
"""

from __future__ import annotations

import contextlib
import json
import os
import random
import threading
import time
from collections.abc import Callable, Generator, Iterator
from pathlib import Path
from typing import Protocol

import miniaudio
import msgspec
import numpy as np

from choreon import folders
from choreon.sound.mixer import RATE
from choreon.sound.samples import Sound

PERIOD, PERIODS = 20, 3  # milliseconds that a card asks for at once, and holds
BLOCK = 960  # frames of a call of the cards that are played by time
NOWHERE = b"null\0"  # the device that ALSA has for what nobody shall hear
GONE = 1.0  # seconds without a call after which a card counts as gone

Ask = Callable[[int, float], Sound]
"""`ask(count, now)` gives the next frames, (count, 2)."""


class Card(Protocol):
    """Something that asks for frames as it plays them."""

    name: str
    latency: float
    """Seconds from its call until what it was given is heard."""
    silent: bool
    called: float
    """When it asked last."""

    def start(self, ask: Ask) -> None:
        """Begin to play. Raises CardGone."""

    def lives(self, now: float) -> bool:
        """Whether it still plays."""
        ...

    def close(self) -> None:
        """Play no more."""


class CardGone(Exception):
    """A card that is not there, or does not take anything."""


class RealCard:
    """A card of this machine, or what is its usual one."""

    silent = False

    def __init__(self, name: str, device: object | None) -> None:
        self.name = name
        self.latency = PERIOD * PERIODS / 1000.0
        self.called = time.monotonic()
        self._id = device
        self._made: miniaudio.PlaybackDevice | None = None

    def start(self, ask: Ask) -> None:
        """Begin to play. Raises CardGone."""
        try:
            with quiet():
                self._made = miniaudio.PlaybackDevice(
                    output_format=miniaudio.SampleFormat.FLOAT32,
                    nchannels=2,
                    sample_rate=RATE,
                    buffersize_msec=PERIOD,
                    device_id=self._id,
                    callback_periods=PERIODS,
                    app_name="Choreon",
                )
            if self._made.backend == "Null":
                raise CardGone(self.name)
            calls = self._calls(ask)
            next(calls)
            self._made.start(calls)
        except miniaudio.MiniaudioError as error:
            raise CardGone(str(error)) from None

    def _calls(self, ask: Ask) -> Generator[Sound, int, None]:
        block = np.zeros((0, 2), np.float32)
        while True:
            count = yield block
            self.called = time.monotonic()
            block = ask(count, self.called)

    def lives(self, now: float) -> bool:
        """Whether it still asks."""
        return now - self.called < GONE

    def close(self) -> None:
        """Play no more; one that hangs is left to itself."""
        made, self._made = self._made, None
        if made is not None:
            threading.Thread(target=made.close, name="closing", daemon=True).start()


class TimedCard:
    """A card that is played by time: it asks as a real one would."""

    latency = 0.0
    silent = True

    def __init__(self, name: str = "") -> None:
        self.name = name
        self.called = time.monotonic()
        self._ended = threading.Event()

    def start(self, ask: Ask) -> None:
        """Begin to play."""
        threading.Thread(
            target=self._run, args=(ask,), name="card", daemon=True
        ).start()

    def _run(self, ask: Ask) -> None:
        began, frame = time.monotonic(), 0
        while not self._ended.is_set():
            self.called = now = time.monotonic()
            self._give(ask(BLOCK, now))
            frame += BLOCK
            due = began + frame / self._rate()
            self._ended.wait(max(0.0, due - time.monotonic() + self._late()))

    def _rate(self) -> float:
        return RATE

    def _late(self) -> float:
        return 0.0

    def _give(self, block: Sound) -> None:
        """What it is given goes nowhere."""

    def lives(self, now: float) -> bool:
        """It does, always."""
        return True

    def close(self) -> None:
        """Play no more."""
        self._ended.set()


class Practice(msgspec.Struct, frozen=True):
    """How a practice card is: by how many millionths its clock is fast, how late its
    calls are at most (seconds), its latency, and where what it is given is kept.
    """

    fast: float = 0.0
    jitter: float = 0.0
    latency: float = 0.06
    keeps: str = ""


class PracticeCard(TimedCard):
    """A card that is not there: it is plugged in while its file lies in its folder.
    What it is given can be kept, as 32-bit floats of two channels.
    """

    silent = False

    def __init__(self, path: Path) -> None:
        super().__init__(path.stem)
        self._path = path
        self._is = msgspec.json.decode(path.read_bytes(), type=Practice)
        self.latency = self._is.latency
        self._chance = random.Random(1)
        self._kept = Path(self._is.keeps) if self._is.keeps else None

    def _rate(self) -> float:
        return RATE * (1.0 + self._is.fast / 1e6)

    def _late(self) -> float:
        return self._chance.random() * self._is.jitter

    def _give(self, block: Sound) -> None:
        if self._kept is not None and not self._ended.is_set():
            with self._kept.open("ab") as file:
                file.write(block.tobytes())

    def lives(self, now: float) -> bool:
        """Whether it is plugged in."""
        return self._path.exists()


def practice_folder() -> Path:
    """Where the files of practice cards lie."""
    return folders.runtime() / "cards"


def plug(name: str, practice: Practice) -> Path:
    """Plug a practice card in. Returns its file; it is unplugged when that is taken
    away. Raises OSError.
    """
    folder = practice_folder()
    folder.mkdir(mode=0o700, exist_ok=True)
    path = folder / f"{name}.json"
    folders.write_whole(path, json.dumps(msgspec.to_builtins(practice)).encode())
    return path


class Cards:
    """The cards that there are. To look for those of this machine takes a moment."""

    def __init__(self, real: bool = True) -> None:
        self._real = real and not os.environ.get("CHOREON_NO_CARDS")
        self._found: dict[str, object] = {}

    def look(self) -> tuple[str, ...]:
        """Look for them. Returns their names."""
        if self._real:
            self._found = of_machine()
        return (*self._found, *(path.stem for path in _practice()))

    def get(self, name: str) -> Card:
        """Returns a card by its name; for "" the usual one. Raises CardGone."""
        for path in _practice():
            if name == path.stem or (not name and not self._found):
                with contextlib.suppress(OSError, msgspec.DecodeError):
                    return PracticeCard(path)
        if name in self._found:
            return RealCard(name, self._found[name])
        if not name and self._found:
            return RealCard(next(iter(self._found)), None)
        raise CardGone(name)


def _practice() -> list[Path]:
    return sorted(practice_folder().glob("*.json"))


def of_machine(hears: bool = False) -> dict[str, object]:
    """Returns the cards of this machine, by their names; the usual one first. `hears`:
    those that something is heard by.
    """
    try:
        with quiet():
            devices = miniaudio.Devices()
            found = devices.get_captures() if hears else devices.get_playbacks()
    except miniaudio.MiniaudioError:
        return {}
    if devices.backend == "Null":
        return {}
    alsa = devices.backend == "ALSA"
    return {
        str(one["name"]): one["id"]
        for one in found
        if not (alsa and _begin_of(one["id"]) == NOWHERE)
    }


def _begin_of(device: object) -> bytes:
    """The first letters of what ALSA calls a device."""
    ffi = miniaudio.ffi
    return bytes(ffi.buffer(ffi.cast("char *", device), len(NOWHERE)))


@contextlib.contextmanager
def quiet() -> Iterator[None]:
    """What a library prints of each card that is not there goes nowhere."""
    kept, nowhere = os.dup(2), os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)
