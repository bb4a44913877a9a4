"""What is said between the engine and the process that sounds: JSON, a line a message.

What shall be heard is told whole each time, so that one that has just been started
needs to know nothing of what was before.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import msgspec

from choreon import folders


def socket_path() -> Path:
    """Returns where the process that sounds listens."""
    return folders.runtime() / "sound.sock"


class Voice(msgspec.Struct, frozen=True, array_like=True):
    """A file that sounds from `start` on for `length` seconds of its line, entered at
    `entry`; after `repeat` seconds of its own it begins anew, 0 for never. `points`:
    its level line, (seconds after its begin, level).
    """

    file: str
    start: float
    length: float
    entry: float = 0.0
    repeat: float = 0.0
    fade_in: float = 0.0
    fade_out: float = 0.0
    level: float = 1.0
    points: tuple[tuple[float, float], ...] = ()

    @property
    def end(self) -> float:
        """When it is over."""
        return self.start + self.length


class Line(msgspec.Struct, frozen=True):
    """Something that plays. At `at`, of this machine's clock, it stood at `own`; it
    goes on from there where it `runs`. `turn` counts up with each leap. What is played
    again and again is `loop`; at `over` it ends.
    """

    key: str
    turn: int
    at: float
    own: float
    runs: bool
    over: float
    voices: tuple[Voice, ...]
    loop: tuple[float, float] | None = None


class Shall(msgspec.Struct, frozen=True, tag="shall"):
    """What shall be heard. `device`: the card, by its name; "" for the usual one.
    `by_ear`: seconds that it is heard later than the card says. `ahead`: files that
    may be asked for. `anew`: whoever tells this has told nothing before.
    """

    lines: tuple[Line, ...] = ()
    device: str = ""
    by_ear: float = 0.0
    ahead: tuple[str, ...] = ()
    anew: bool = False


class Levels(msgspec.Struct, frozen=True, tag="levels"):
    """How loud each line is, 0…1."""

    of: dict[str, float]


class Click(msgspec.Struct, frozen=True, tag="click"):
    """A click is to be heard at a time, to set by ear when it is."""

    at: float


class HeardLine(msgspec.Struct, frozen=True, array_like=True):
    """Where a line is heard to be: at `at` it stood at `own`."""

    key: str
    turn: int
    own: float
    at: float


class Heard(msgspec.Struct, frozen=True, tag="heard"):
    """What is heard, and by what. `silent`: no card is there, time alone goes on."""

    lines: tuple[HeardLine, ...] = ()
    device: str = ""
    silent: bool = True
    latency: float = 0.0
    devices: tuple[str, ...] = ()
    trouble: str = ""


ToSound = Shall | Levels | Click
MOST = 16 << 20  # bytes of a line


class Lines:
    """Makes lines out of what comes in pieces."""

    def __init__(self) -> None:
        self._rest = b""

    def feed(self, data: bytes) -> Iterator[bytes]:
        """Yields the lines that are whole. Raises ValueError where one never ends."""
        *whole, self._rest = (self._rest + data).split(b"\n")
        if len(self._rest) > MOST:
            raise ValueError("a line without an end")
        yield from whole


def pack(message: ToSound | Heard) -> bytes:
    """Returns a message as a line."""
    return msgspec.json.encode(message) + b"\n"


def to_sound(line: bytes) -> ToSound | None:
    """Returns what the engine says; None where it says nothing of the kind."""
    try:
        return msgspec.json.decode(line, type=ToSound)
    except msgspec.DecodeError:
        return None


def from_sound(line: bytes) -> Heard | None:
    """Returns what the process says; None where it says nothing of the kind."""
    try:
        return msgspec.json.decode(line, type=Heard)
    except msgspec.DecodeError:
        return None
