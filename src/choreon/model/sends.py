"""What is told to other programs and machines when something of the show starts, ends,
or goes on.
"""

from __future__ import annotations

import re
from enum import StrEnum

import msgspec

from choreon.language import tr
from choreon.model.refs import Ref

MOST_BYTES = 512
MOST_PORT = 65_535


class SendOn(StrEnum):
    """When it is told."""

    START = "start"
    END = "end"
    GO = "go"


class Send(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A message to another. `of`: what it is about. `to`: the name of a MIDI device, or
    HOST:PORT for OSC. `message`: as it is typed, see `as_midi` and `as_osc`.
    """

    id: str
    of: Ref
    when: SendOn = SendOn.START
    to: str = ""
    message: str = ""

    @property
    def is_osc(self) -> bool:
        """Whether it is an address with numbers, and no MIDI."""
        return self.message.lstrip().startswith("/")


class NotAMessage(ValueError):
    """What was typed cannot be sent; the text says why."""


_STATUS = {"note": 0x90, "off": 0x80, "cc": 0xB0, "program": 0xC0}
_SINGLE = {"start": 0xFA, "continue": 0xFB, "stop": 0xFC}


def as_midi(text: str) -> bytes:
    """Returns the MIDI bytes of what was typed: “note 60 127 ch 1”, “off 60”, “cc 7
    100”, “program 5”, “start”, “stop”, “continue”, or bytes in hexadecimal from F0 to
    F7. Channels count from 1. Raises NotAMessage.
    """
    words = text.casefold().split()
    if not words:
        raise NotAMessage(tr("Nothing is to be sent"))
    if words[0] in _SINGLE and len(words) == 1:
        return bytes((_SINGLE[words[0]],))
    if words[0] in _STATUS:
        return _voice(words)
    return _exclusive("".join(words), text)


def _voice(words: list[str]) -> bytes:
    """A message of a channel."""
    kind, *rest = words
    channel = 1
    if len(rest) >= 2 and rest[-2] == "ch":
        channel = _number(rest[-1], 1, 16)
        rest = rest[:-2]

    wanted = 1 if kind in ("program", "off") else 2
    if kind == "note" and len(rest) == 1:
        rest = [*rest, "127"]
    if len(rest) != wanted:
        raise NotAMessage(
            tr("“{kind}” takes {n} numbers of 0 to 127", kind=kind, n=wanted)
        )
    data = [_number(word, 0, 127) for word in rest]
    if kind == "off":
        data.append(0)
    return bytes((_STATUS[kind] | (channel - 1), *data))


def _number(word: str, low: int, high: int) -> int:
    if not word.isdecimal() or not low <= int(word) <= high:
        raise NotAMessage(
            tr(
                "“{word}” is no number of {low} to {high}",
                word=word,
                low=low,
                high=high,
            )
        )
    return int(word)


def _exclusive(digits: str, text: str) -> bytes:
    """Bytes in hexadecimal."""
    if not re.fullmatch(r"([0-9a-f]{2})+", digits):
        raise NotAMessage(
            tr("“{text}” is no message, such as note 60 or cc 7 100", text=text[:40])
        )
    data = bytes.fromhex(digits)
    whole = data[0] == 0xF0 and data[-1] == 0xF7 and len(data) <= MOST_BYTES
    if not whole or any(byte > 127 for byte in data[1:-1]):
        raise NotAMessage(tr("Bytes go from F0 to F7, and between them up to 7F"))
    return data


TIME_CODE = re.compile(r"time(?: (24|25|29\.97|30))?", re.IGNORECASE)
USUAL_RATE = "25"


def time_code_in(text: str) -> str | None:
    """Returns at how many frames a second time code is asked for: “time 30”, or “time”
    for 25. None where it is another message.
    """
    match = TIME_CODE.fullmatch(text.strip())
    return None if match is None else match.group(1) or USUAL_RATE


def as_osc(text: str) -> tuple[str, tuple[float, ...]]:
    """Returns the address and the numbers of what was typed: “/clip/3 1”. Raises
    NotAMessage.
    """
    address, *words = text.split()
    if not re.fullmatch(r"(/[^\s#*,?\[\]{}]+)+", address):
        raise NotAMessage(tr("“{address}” is no address of OSC", address=address))
    try:
        return address, tuple(float(word) for word in words)
    except ValueError:
        raise NotAMessage(tr("Behind an address come numbers")) from None


def osc_host(to: str) -> tuple[str, int]:
    """Returns host and port of who is told by OSC. Raises NotAMessage."""
    match = re.fullmatch(r"((?:\d{1,3}\.){3}\d{1,3}):(\d{1,5})", to.strip())
    if match is None or not 1 <= int(match.group(2)) <= MOST_PORT:
        raise NotAMessage(
            tr("“{to}” is no address with a port, such as 10.0.0.20:9000", to=to[:40])
        )
    return match.group(1), int(match.group(2))


def fault_of(send: Send) -> str:
    """Returns why a message cannot be sent; empty where it can."""
    try:
        if time_code_in(send.message) is not None:
            if send.when != SendOn.START:
                return tr("Time code runs from the start to the end")
        elif send.is_osc:
            as_osc(send.message)
            osc_host(send.to)
        else:
            as_midi(send.message)
        if not send.to:
            return tr("It goes to nobody yet")
    except NotAMessage as error:
        return str(error)
    return ""
