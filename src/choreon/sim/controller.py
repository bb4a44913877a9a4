"""The practice controller without its window: 8 faders, 8 knobs, 16 pads, and real MIDI
bytes on a local socket.
"""

from __future__ import annotations

import contextlib
import json
import os
import select
import socket
import threading
from collections.abc import Callable
from pathlib import Path

import mido

from choreon import folders
from choreon.wire.midi import to_bytes

NAME = "Practice controller"
FADERS, KNOBS, PADS = 8, 8, 16
FADER_CC, KNOB_CC, PAD_NOTE = 0, 16, 36  # all on channel 0


def announced(folder: Path, name: str) -> int:
    """The port on which a simulated controller says it is; 0 where there is none."""
    try:
        return int(json.loads((folder / f"{name}.json").read_text())["port"])
    except (OSError, ValueError, KeyError, TypeError):
        return 0


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
        self._server = socket.create_server(("127.0.0.1", 0))
        self._server.setblocking(False)
        self._clients: list[tuple[socket.socket, mido.Parser]] = []
        self._gate = threading.Lock()
        folder = folder or folders.runtime() / "midi"
        folder.mkdir(parents=True, exist_ok=True)
        self._file = folder / f"{name}.json"
        part = self._file.with_suffix(f".{os.getpid()}")
        part.write_text(json.dumps({"port": self._server.getsockname()[1]}))
        part.replace(self._file)
        self._ended = False
        self._thread = threading.Thread(
            target=self._run, name="controller", daemon=True
        )
        self._thread.start()

    @property
    def connected(self) -> bool:
        """Whether somebody listens."""
        return bool(self._clients)

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
        for client, _ in self._clients:
            client.close()
        self._server.close()

    def _send(self, data: bytes) -> None:
        self._welcome()  # one that has just opened this port hears what is moved now
        for client, _ in list(self._clients):
            with contextlib.suppress(
                OSError
            ):  # one that is gone is let go by the thread, which reads its end
                client.sendall(data)

    def _drop(self, pair: tuple[socket.socket, mido.Parser]) -> None:
        if pair in self._clients:
            self._clients.remove(pair)
            pair[0].close()

    def _welcome(self) -> None:
        """Take in whoever has opened this port. Both the thread and a hand that moves
        something come here: one waits until the other has put down whom it took in.
        """
        with self._gate, contextlib.suppress(BlockingIOError):
            while True:
                client, _ = self._server.accept()
                client.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                self._clients.append((client, mido.Parser()))

    def _run(self) -> None:
        while not self._ended:
            by_handle = {pair[0].fileno(): pair for pair in self._clients}
            ready, _, _ = select.select(
                [self._server.fileno(), *by_handle], [], [], 0.2
            )
            for handle in ready:
                if handle not in by_handle:
                    self._welcome()
                else:
                    self._read(by_handle[handle])
                self.told()

    def _read(self, pair: tuple[socket.socket, mido.Parser]) -> None:
        try:
            data = pair[0].recv(4096)
        except OSError:
            data = b""
        if not data:
            self._drop(pair)
            return
        pair[1].feed(data)
        for message in pair[1]:
            self._take(message)

    def _take(self, message: mido.Message) -> None:
        if message.type == "control_change":
            if FADER_CC <= message.control < FADER_CC + FADERS:
                self.faders[message.control - FADER_CC] = message.value
            elif KNOB_CC <= message.control < KNOB_CC + KNOBS:
                self.knobs[message.control - KNOB_CC] = message.value
        elif message.type == "note_on" and PAD_NOTE <= message.note < PAD_NOTE + PADS:
            self.lights[message.note - PAD_NOTE] = message.velocity
