"""A stand-in for one who speaks OSC: says what is typed, and shows what it is told."""

from __future__ import annotations

import select
import socket
import sys
from collections.abc import Callable
from typing import TextIO

from choreon.language import tr
from choreon.wire.osc import Address, NotOsc, read, write

HELLO = "/choreon/hello"


class PracticeOsc:
    """Speaks to a port of this machine, and keeps what it is told by address."""

    def __init__(self, port: int, told: Callable[[str, float], None]) -> None:
        self._to: Address = ("127.0.0.1", port)
        self._told = told
        self.values: dict[str, float] = {}
        self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._socket.bind(("127.0.0.1", 0))
        self._socket.setblocking(False)
        self.say(HELLO)

    def fileno(self) -> int:
        """The socket's number, to be waited for."""
        return self._socket.fileno()

    def say(self, address: str, *values: float) -> None:
        """Say something."""
        self._socket.sendto(write(address, *values), self._to)

    def hear(self) -> None:
        """Take what waits."""
        while True:
            try:
                data = self._socket.recv(65_507)
            except OSError:
                return
            try:
                messages = read(data)
            except NotOsc:
                continue
            for message in messages:
                self._keep(message.address, message.values)

    def _keep(self, address: str, values: tuple[object, ...]) -> None:
        first = values[0] if values else 0.0
        if isinstance(first, int | float):
            self.values[address] = float(first)
            self._told(address, float(first))

    def close(self) -> None:
        """Stop listening."""
        self._socket.close()


def parse(line: str) -> tuple[str, tuple[float, ...]] | None:
    """Returns the address and the numbers of a typed line; None where it is none."""
    address, *words = line.split()[:9] or [""]
    if not address.startswith("/"):
        return None
    try:
        return address, tuple(float(word) for word in words)
    except ValueError:
        return None


def run(port: int, typed: TextIO | None = None) -> int:
    """Say each line that is typed, until there is no more; gives the exit code."""
    lines = typed or sys.stdin
    ear = PracticeOsc(port, lambda a, v: print(f"{a} {v:g}", flush=True))
    print(
        tr("Type an address and a number, as /choreon/master/grand-master 0.5"),
        flush=True,
    )
    try:
        while True:
            ready, _, _ = select.select([ear.fileno(), lines], [], [])
            if ear.fileno() in ready:
                ear.hear()
            if lines in ready:
                line = lines.readline()
                if not line:
                    return 0
                said = parse(line)
                if said is None:
                    print(tr("That is no address and number."), flush=True)
                else:
                    ear.say(said[0], *said[1])
    except KeyboardInterrupt:
        return 0
    finally:
        ear.close()
