"""MIDI time code: hours, minutes, seconds and frames, as quarter frames on the way and
as one message where it stands (MIDI Manufacturers Association, RP-004/008).
"""

from __future__ import annotations

from enum import IntEnum
from typing import NamedTuple

QUARTER = 0xF1  # a piece of a time: number of the piece, and four bits of it
PIECES = 8  # of a time: they take as long as two frames
FULL = bytes((0xF0, 0x7F, 0x7F, 0x01, 0x01))
"""What a whole time begins with; the third byte is the device, 7F all of them."""
DAY = 24 * 3600


class Rate(IntEnum):
    """Frames a second, as time code numbers them."""

    FILM = 0
    EUROPE = 1
    DROP = 2
    """30 in 1.001 seconds; two numbers are left out of each minute but every tenth."""
    THIRTY = 3

    @property
    def frames(self) -> int:
        """Numbers a second."""
        return (24, 25, 30, 30)[self]

    @property
    def seconds(self) -> float:
        """How long a frame is."""
        return 1.001 / 30.0 if self == Rate.DROP else 1.0 / self.frames


RATES = {"24": Rate.FILM, "25": Rate.EUROPE, "29.97": Rate.DROP, "30": Rate.THIRTY}
"""What a rate is called → the rate."""


class TimeCode(NamedTuple):
    """A time of day, as frames are numbered."""

    hours: int
    minutes: int
    seconds: int
    frames: int
    rate: Rate

    def __str__(self) -> str:
        hours, minutes, seconds, frames = self[:4]
        return f"{hours:02}:{minutes:02}:{seconds:02}:{frames:02}"

    @property
    def is_right(self) -> bool:
        """Whether there is such a time."""
        rest = self.minutes < 60 and self.seconds < 60
        return self.hours < 24 and rest and self.frames < self.rate.frames

    @property
    def at(self) -> float:
        """Seconds since midnight, by a clock on the wall."""
        minutes = 60 * self.hours + self.minutes
        number = (60 * minutes + self.seconds) * self.rate.frames + self.frames
        if self.rate == Rate.DROP:
            number -= 2 * (minutes - minutes // 10)
        return number * self.rate.seconds


def time_code(at: float, rate: Rate) -> TimeCode:
    """Returns the time of a frame, `at` seconds after midnight: the frame that has
    begun by then.
    """
    return of_number(int(max(0.0, at) / rate.seconds + 1e-6), rate)


def typed(text: str, rate: Rate = Rate.EUROPE) -> float:
    """Returns the seconds after midnight in “1:00:00:12”, “0:05:30”, “5:30”, “90.5”.
    Raises ValueError where it says no time.
    """
    parts = text.strip().split(":")
    if len(parts) == 4:
        hours, minutes, seconds, frames = (int(part) for part in parts)
        code = TimeCode(hours, minutes, seconds, frames, rate)
        if min(code[:4]) < 0 or not code.is_right:
            raise ValueError(text)
        return code.at
    if len(parts) > 4:
        raise ValueError(text)
    found = 0.0
    for part in parts:
        found = 60.0 * found + float(part)
    if not 0.0 <= found < DAY:
        raise ValueError(text)
    return found


def of_number(number: int, rate: Rate) -> TimeCode:
    """Returns the time of the frame of a number, counted from midnight."""
    if rate == Rate.DROP:
        # of ten minutes the first has 1800 numbers, each other 1798
        tens, rest = divmod(number, 17_982)
        number += 18 * tens
        if rest >= 1800:
            number += 2 * (1 + (rest - 1800) // 1798)

    seconds, frames = divmod(number, rate.frames)
    seconds %= DAY
    hours, rest = divmod(seconds, 3600)
    return TimeCode(hours, rest // 60, rest % 60, frames, rate)


class Place(NamedTuple):
    """Where another's clock was at a time: `at` seconds after midnight, at `since` on
    the clock of this machine; whether it runs, and in what frames it counts.
    """

    at: float
    since: float
    runs: bool
    rate: Rate

    def now(self, now: float) -> float:
        """Returns where it is."""
        return self.at + (now - self.since if self.runs else 0.0)

    def code(self, now: float) -> TimeCode:
        """Returns where it is, in frames."""
        return time_code(self.now(now), self.rate)


def quarter_frame(code: TimeCode, piece: int) -> bytes:
    """Returns a piece, 0…7, of a time."""
    hours = code.hours | (code.rate << 5)
    values = (code.frames, code.seconds, code.minutes, hours)
    value = values[piece // 2]
    bits = value >> 4 if piece % 2 else value & 15
    return bytes((QUARTER, (piece << 4) | bits))


def full_frame(code: TimeCode) -> bytes:
    """Returns a whole time in one message."""
    hours = code.hours | (code.rate << 5)
    return FULL + bytes((hours, code.minutes, code.seconds, code.frames, 0xF7))


class Read(NamedTuple):
    """A time that was told. `stands`: it was told whole, and does not run by that."""

    code: TimeCode
    stands: bool

    @property
    def at(self) -> float:
        """Seconds since midnight at which it is now: the last of the pieces comes two
        frames less a quarter after the first, which the time is of.
        """
        late = 0.0 if self.stands else 1.75 * self.code.rate.seconds
        return self.code.at + late


class TimeCodeReader:
    """Puts pieces together. Those that come out of turn make no time."""

    def __init__(self) -> None:
        self._pieces: list[int] = []

    def read(self, message: bytes) -> Read | None:
        """Returns the time that a message completes; None while there is none."""
        if message[:1] == FULL[:1]:
            return _whole(message)
        if len(message) != 2 or message[0] != QUARTER:
            return None

        piece, bits = message[1] >> 4, message[1] & 15
        if piece != len(self._pieces):
            self._pieces.clear()
            if piece:
                return None  # it is waited for the first one

        self._pieces.append(bits)
        if len(self._pieces) < PIECES:
            return None

        low, high = self._pieces[0::2], self._pieces[1::2]
        told = bytes(a | b << 4 for a, b in zip(low, high, strict=True))
        self._pieces.clear()
        return _right(told[::-1], stands=False)


def _whole(message: bytes) -> Read | None:
    """The time in a message of its own; None where it is another message."""
    same = message[:2] == FULL[:2] and message[3:5] == FULL[3:5]
    if not same or len(message) != len(FULL) + 5:
        return None
    return _right(message[5:9], stands=True)


def _right(told: bytes, stands: bool) -> Read | None:
    """A time in its four bytes, the hours first; None where there is no such time."""
    hours, minutes, seconds, frames = told
    rate = Rate((hours >> 5) & 3)
    code = TimeCode(hours & 31, minutes & 63, seconds & 63, frames & 31, rate)
    return Read(code, stands) if code.is_right else None
