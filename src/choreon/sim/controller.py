"""The practice controller without its window: 8 faders, 8 knobs, 16 pads, and real MIDI
bytes on a local socket.
"""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import select
import socket
import threading
from collections.abc import Callable
from pathlib import Path

from choreon import folders
from choreon.wire import midi
from choreon.wire.midi import to_bytes
from choreon.wire.midi_bytes import Parser, Voice

NAME = "Practice controller"
FADERS, KNOBS, PADS = 8, 8, 16
FADER_CC, KNOB_CC, PAD_NOTE = 0, 16, 36  # all on channel 0


MOST_OUT = 4096  # bytes that wait for a client; one that reads less is let go
MOST_CLIENTS = 16


def announced(folder: Path, name: str) -> int:
    """The port on which a simulated controller says it is; 0 where there is none."""
    try:
        return midi.announced(folder / f"{name}.json")[0]
    except (OSError, ValueError):
        return 0


class ControllerClient:
    """Somebody who opened the port. It is spoken to once it has said the token."""

    def __init__(self, line: socket.socket) -> None:
        line.setblocking(False)
        line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self.line = line
        self.parser = Parser()
        self.known = False
        self.said = b""  # before it is known
        self.out = bytearray()

    def read(self, token: bytes) -> list[Voice]:
        """What it says. Raises ConnectionError where it is gone, or said no token."""
        try:
            data = self.line.recv(4096)
        except BlockingIOError:
            return []

        if not data:
            raise ConnectionError

        if not self.known:
            self.said += data
            token_said, end, data = self.said.partition(b"\n")
            if not end and len(self.said) <= len(token):
                return []
            if not secrets.compare_digest(token_said, token):
                raise ConnectionError

            self.known = True

        return self.parser.feed(data)

    def write(self, data: bytes = b"") -> None:
        """Say something, as far as it is heard now. Raises OSError where it is gone, or
        does not listen.
        """
        self.out += data
        if len(self.out) > MOST_OUT:
            raise ConnectionError
        with contextlib.suppress(BlockingIOError):
            while self.out:
                del self.out[: self.line.send(self.out)]


class PracticeController:
    """Announces itself as a port, sends what is moved, and keeps what its lights and
    motors were told.

    `faders` and `knobs` hold 0…127, `lights` 0…127 a pad. `told` is called from a
    thread when one of them is set from outside.
    """

    def __init__(self, folder: Path | None = None, name: str = NAME) -> None:
        self.faders = [0] * FADERS
        self.knobs = [64] * KNOBS
        self.lights = [0] * PADS
        self.told: Callable[[], None] = lambda: None
        self.server = socket.create_server(("127.0.0.1", 0))

        self.server.setblocking(False)
        self._token = secrets.token_hex(16).encode()
        self._clients: list[ControllerClient] = []
        self._gate = threading.Lock()
        folder = folder or folders.runtime() / "midi"
        folder.mkdir(parents=True, exist_ok=True)

        self._file = folder / f"{name}.json"
        part = self._file.with_suffix(f".{os.getpid()}")
        said = {"port": self.server.getsockname()[1], "token": self._token.decode()}
        flags = os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_NOFOLLOW

        with os.fdopen(os.open(part, flags, 0o600), "w") as file:
            json.dump(said, file)

        part.replace(self._file)
        self._ended = False
        self._thread = threading.Thread(
            target=self._run, name="controller", daemon=True
        )
        self._thread.start()

    @property
    def connected(self) -> bool:
        """Whether somebody listens."""
        return any(client.known for client in self._clients)

    def move_fader(self, index: int, value: int) -> None:
        """Move a fader to 0…127."""
        self.faders[index] = value
        self._send(to_bytes("cc", 0, FADER_CC + index, value))

    def turn_knob(self, index: int, value: int) -> None:
        """Turn a knob to a value, 0…127."""
        self.knobs[index] = value
        self._send(to_bytes("cc", 0, KNOB_CC + index, value))

    def hit_pad(self, index: int, velocity: int = 100) -> None:
        """Press a pad; `let_pad` lets it go."""
        self._send(to_bytes("note", 0, PAD_NOTE + index, velocity))

    def let_pad(self, index: int) -> None:
        """Let a pad go."""
        self._send(to_bytes("note", 0, PAD_NOTE + index, 0))

    def send_raw(self, data: bytes) -> None:
        """Send any bytes at all."""
        self._send(data)

    def close(self) -> None:
        """Put the controller away."""
        self._ended = True
        with contextlib.suppress(OSError):
            self._file.unlink()
        self._thread.join(1)
        for client in self._clients:
            client.line.close()
        self.server.close()

    def _send(self, data: bytes) -> None:
        self._welcome()  # one that has just opened this port hears what is moved now
        with self._gate:
            for client in list(self._clients):
                if not client.known:
                    self._hear(client)
                if client.known:
                    self._say(client, data)

    def _say(self, client: ControllerClient, data: bytes = b"") -> None:
        try:
            client.write(data)
        except OSError:  # the thread reads its end, and lets it go
            with contextlib.suppress(OSError):
                client.line.shutdown(socket.SHUT_RDWR)

    def _welcome(self) -> None:
        """Take in whoever has opened this port. Both the thread and a hand that moves
        something come here: one waits until the other has put down whom it took in.
        """
        with self._gate:
            with contextlib.suppress(BlockingIOError):
                while True:
                    client = ControllerClient(self.server.accept()[0])
                    self._clients.append(client)
                    self._hear(client)
            strange = [client for client in self._clients if not client.known]
            for client in strange[:-MOST_CLIENTS]:
                self._drop(client)

    def _drop(self, client: ControllerClient) -> None:
        if client in self._clients:
            self._clients.remove(client)
            client.line.close()

    def _run(self) -> None:
        while not self._ended:
            clients = {client.line.fileno(): client for client in self._clients}
            full = [handle for handle, client in clients.items() if client.out]
            ready, free, _ = select.select(
                [self.server.fileno(), *clients], full, [], 0.2
            )

            for handle in ready:
                if handle not in clients:
                    self._welcome()
                    continue

                with self._gate:
                    self._hear(clients[handle])

            for handle in free:
                with self._gate:
                    self._say(clients[handle])

            if ready:
                self.told()

    def _hear(self, client: ControllerClient) -> None:
        if client not in self._clients:
            return
        try:
            for voice in client.read(self._token):
                self._take(voice)
        except OSError:
            self._drop(client)

    def _take(self, voice: Voice) -> None:
        match voice:
            case Voice(0xB0, _, number, value):
                if FADER_CC <= number < FADER_CC + FADERS:
                    self.faders[number - FADER_CC] = value
                elif KNOB_CC <= number < KNOB_CC + KNOBS:
                    self.knobs[number - KNOB_CC] = value
            case Voice(0x90, _, number, value):
                if PAD_NOTE <= number < PAD_NOTE + PADS:
                    self.lights[number - PAD_NOTE] = value
