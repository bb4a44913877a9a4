"""The other side of the engine's socket: what a window, a test or a command uses to
speak with it.
"""

from __future__ import annotations

import contextlib
import os
import select
import socket
import subprocess
import sys
import time
from pathlib import Path
from typing import TypeVar

import msgspec

from choreon import folders
from choreon.engine import protocol, starter
from choreon.engine.do import Do
from choreon.engine.outbox import Outbox
from choreon.language import tr

M = TypeVar("M", bound=protocol.Message)


def socket_path(folder: Path | None = None) -> Path:
    """Where the engine of this runtime folder listens."""
    return (folder or folders.runtime()) / "engine.sock"


def screen_path(folder: Path | None = None) -> Path:
    """Where the engine of this runtime folder shows its frames."""
    return (folder or folders.runtime()) / "screen"


class Client:
    """A connection to the engine. Reading never blocks longer than asked."""

    def __init__(self, folder: Path | None = None, window: bool = True) -> None:
        """Raises OSError where no engine listens."""
        self._socket = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self._framer = protocol.Framer()
        self._waiting: list[protocol.FromEngine] = []
        self.sent = 0
        try:
            self._socket.connect(str(socket_path(folder)))
            self.send(protocol.Hello(window=window))
        except OSError:  # nobody is there, or is just going
            self._socket.close()
            raise

    def fileno(self) -> int:
        """The socket's number, to be waited for."""
        return self._socket.fileno()

    def push(self, outbox: Outbox) -> None:
        """Send what waits, as far as the line takes it now. Raises OSError where the
        engine is gone.
        """
        outbox.push(self._socket)

    def send(self, message: protocol.Message | Do) -> None:
        """Send a message. Raises OSError where the engine is gone."""
        self._socket.sendall(protocol.pack(message))
        self.sent += 1

    def receive(self, timeout: float = 0.0) -> list[protocol.FromEngine]:
        """The messages that are there, after waiting up to `timeout` seconds for the
        first. Raises ConnectionError where the engine is gone.
        """
        found = self._waiting
        self._waiting = []

        while not found or timeout == 0.0:
            ready, _, _ = select.select(
                [self._socket], [], [], 0.0 if found else timeout
            )
            if not ready:
                break

            data = self._socket.recv(1 << 20)
            if not data and found:
                break
            if not data:
                raise ConnectionError(tr("the engine is gone"))

            for body in self._framer.feed(data):
                message = _read(body)
                if message is not None:
                    found.append(message)

        return found

    def wait_for(self, kind: type[M], timeout: float = 30.0) -> M:
        """The next message of a kind; those before it are passed over. Raises
        TimeoutError.
        """
        end = time.monotonic() + timeout
        while (left := end - time.monotonic()) > 0:
            found = self.receive(left)
            for i, message in enumerate(found):
                if isinstance(message, kind):
                    self._waiting = found[i + 1 :] + self._waiting
                    return message
        raise TimeoutError(
            tr("no {name} within {timeout} s", name=kind.__name__, timeout=timeout)
        )

    def close(self) -> None:
        """Let the engine go; it plays on."""
        self._socket.close()


def _read(body: bytes) -> protocol.FromEngine | None:
    """A message; where it is the welcome of another version, that it is one. What else
    cannot be read is passed over.
    """
    try:
        return protocol.decode_from_engine(body)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        pass

    with contextlib.suppress(msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        plain = msgspec.msgpack.decode(body)
        if isinstance(plain, dict) and plain.get("t") == "welcome":
            version, pid = plain.get("version"), plain.get("pid")
            if isinstance(version, int) and isinstance(pid, int):
                return protocol.Mismatch(version, "", pid)

    return None


_started: list[
    subprocess.Popen[bytes]
] = []  # kept, so that those that ended are taken note of


def start_engine(show: Path | None) -> subprocess.Popen[bytes]:
    """Start an engine of its own session, so that it outlives the caller."""
    command = [
        sys.executable,
        "-m",
        "choreon",
        "engine",
        *([str(show)] if show else []),
    ]

    _started[:] = [process for process in _started if process.poll() is None]

    with folders.open_log("engine.log") as out:
        process = starter.start(
            lambda: subprocess.Popen(
                command,
                stdin=subprocess.DEVNULL,
                stdout=out,
                stderr=out,
                start_new_session=True,
                env={**os.environ, "OPENBLAS_NUM_THREADS": "1"},
            )
        )

    _started.append(process)
    return process


def connect(timeout: float, folder: Path | None = None, window: bool = True) -> Client:
    """Connect to an engine that may still be starting. Raises TimeoutError."""
    end = time.monotonic() + timeout
    while True:
        try:
            return Client(folder, window)
        except OSError:
            if time.monotonic() > end:
                raise TimeoutError(tr("no engine answered")) from None
            time.sleep(0.01)
