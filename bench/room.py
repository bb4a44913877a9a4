"""A room of its own for a measure: folders, a sample show, a socket where its universes
arrive.
"""

from __future__ import annotations

import contextlib
import os
import socket
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from choreon.demo import low_tide
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.formats import showfile
from choreon.wire import sacn


class Room:
    """The sample show at `path`; `packet()` gives what arrives."""

    def __init__(self, home: Path) -> None:
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 1 << 22)
        self.socket.bind(("127.0.0.1", 0))
        self.path = home / "Low Tide.choreon"
        showfile.write(self.path, low_tide(port=self.socket.getsockname()[1]))

    def packet(self, timeout: float = 5.0) -> tuple[float, sacn.SacnPacket]:
        """The next packet with data and when it was read. Raises TimeoutError."""
        self.socket.settimeout(timeout)
        while True:
            data = self.socket.recv(2048)
            now = time.monotonic()
            found = sacn.read(data)
            if found is not None:
                return now, found

    def drain(self) -> list[sacn.SacnPacket]:
        """All that has arrived by now."""
        self.socket.setblocking(False)
        found = []
        with contextlib.suppress(BlockingIOError):
            while True:
                packet = sacn.read(self.socket.recv(2048))
                if packet is not None:
                    found.append(packet)
        return found

    def stop_engine(self) -> None:
        """Stop the engine, if one runs."""
        try:
            client = engine_client.Client(window=False)
            client.send(protocol.Stop(0.0))
            while True:
                client.receive(1.0)
        except OSError:
            pass


@contextlib.contextmanager
def room() -> Iterator[Room]:
    """A room that leaves nothing behind."""
    before = dict(os.environ)
    with tempfile.TemporaryDirectory() as home:
        for name in (
            "RUNTIME_DIR",
            "STATE_HOME",
            "DATA_HOME",
            "CONFIG_HOME",
            "CACHE_HOME",
        ):
            folder = Path(home) / name[:2].lower()
            folder.mkdir(mode=0o700)
            os.environ[f"XDG_{name}"] = str(folder)
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
        made = Room(Path(home))
        try:
            yield made
        finally:
            made.stop_engine()
            made.socket.close()
            os.environ.clear()
            os.environ.update(before)
