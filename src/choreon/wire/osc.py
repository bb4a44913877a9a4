"""OSC 1.0 over UDP: datagrams to messages, and back; parsing by python-osc."""

from __future__ import annotations

import socket
from typing import NamedTuple

from pythonosc.osc_message_builder import OscMessageBuilder
from pythonosc.osc_packet import OscPacket

LARGEST = 65_507  # bytes of a UDP datagram
DEEPEST = 16  # bundles within bundles that are read
MOST_MESSAGES = 512  # of one datagram
BUNDLE = b"#bundle\0"
HEAD = 16  # bytes of a bundle before what it holds: its name and its time

Address = tuple[str, int]


class OscMessage(NamedTuple):
    """What a message says: its address, and its arguments."""

    address: str
    values: tuple[object, ...]


class NotOsc(ValueError):
    """A datagram that is none, or is nested beyond all measure."""


def read(data: bytes) -> list[OscMessage]:
    """Returns the messages in a datagram, those in bundles too, without their times:
    what comes is done now. Raises NotOsc.
    """
    if _depth(data) > DEEPEST:
        raise NotOsc("it is nested beyond all measure")
    try:
        found = [one.message for one in OscPacket(data).messages]
    except Exception as error:  # whatever a stranger sends
        raise NotOsc(str(error)) from None
    return [
        OscMessage(message.address, tuple(message.params))
        for message in found[:MOST_MESSAGES]
    ]


def _depth(data: bytes) -> int:
    """How deep bundles lie within each other, without descending into them by calls."""
    deepest, waiting = 0, [(data, 1)]
    while waiting and deepest <= DEEPEST:
        inner, depth = waiting.pop()
        if not inner.startswith(BUNDLE):
            continue
        deepest = max(deepest, depth)
        place = HEAD
        while place + 4 <= len(inner):
            size = int.from_bytes(inner[place : place + 4], "big")
            waiting.append((inner[place + 4 : place + 4 + size], depth + 1))
            place += 4 + max(size, 1)
    return deepest


def write(address: str, *values: float | int | str | bool) -> bytes:
    """Returns a message as a datagram."""
    builder = OscMessageBuilder(address=address)
    for value in values:
        builder.add_arg(value)
    return builder.build().dgram


class OscPort:
    """A UDP port of this machine. Never waits."""

    def __init__(self, host: str, port: int) -> None:
        """Raises OSError where it is taken, or may not be opened."""
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        try:
            self._socket.setblocking(False)
            self._socket.bind((host, port))
        except OSError:
            self._socket.close()
            raise
        self.port: int = self._socket.getsockname()[1]

    def fileno(self) -> int:
        """The socket's number, to be waited for."""
        return self._socket.fileno()

    def receive(self) -> tuple[bytes, Address] | None:
        """Returns a datagram and who sent it; None where none waits."""
        try:
            data, sender = self._socket.recvfrom(LARGEST)
        except OSError:
            return None
        return data, (sender[0], sender[1])

    def send(self, data: bytes, to: Address) -> bool:
        """Returns whether a datagram went out."""
        try:
            return self._socket.sendto(data, to) == len(data)
        except (OSError, OverflowError):
            return False

    def close(self) -> None:
        """Let the port go."""
        self._socket.close()
