"""The practice controller without its window: the parts of any surface, and real MIDI
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
from choreon.formats.surface_file import PRACTICE, STANDARD, named
from choreon.model.inputs import Coding
from choreon.model.inputs.midi import MidiMessage, midi_parts
from choreon.model.surfaces import PartSort, Shows, Surface, SurfacePart
from choreon.wire import midi
from choreon.wire.midi import FINER, place_bytes, to_bytes
from choreon.wire.midi_bytes import Parser, Voice

NAME = PRACTICE
PLACES = (PartSort.FADER, PartSort.DIAL, PartSort.WHEEL)
"""Sorts of parts that stand somewhere between two ends."""
TOP, MIDDLE, MOST = 127, 64, 16383
HARD = 100  # velocity of a pad that is hit


MOST_OUT = 4096  # bytes that wait for a client; one that reads less is let go
MOST_CLIENTS = 16


def name_of(layout: str) -> str:
    """Returns what a practice controller of a layout is called."""
    return NAME if layout == STANDARD else f"{NAME} {layout}"


def announced(folder: Path, name: str) -> int:
    """The port on which a simulated controller says it is; 0 where there is none."""
    try:
        return midi.announced(folder / f"{name}.json")[0]
    except (OSError, ValueError):
        return 0


class ControllerClient:
    """Somebody who opened the port. It is spoken to once it has said the token."""

    def __init__(
        self,
        line: socket.socket,
        exclusive: Callable[[bytes], None],
        real_time: Callable[[int], None],
    ) -> None:
        line.setblocking(False)
        line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self.line = line
        self.parser = Parser(exclusive, real_time, exclusive)
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

    `data`: where each part is that stands somewhere, 0…1; `lit`: what its light was
    told, 0…127; `colours` and `texts`: what was told it by a message of its own.
    `told` is called from a thread when one of them is set from outside.
    """

    def __init__(
        self, folder: Path | None = None, name: str = NAME, layout: str = STANDARD
    ) -> None:
        self.surface: Surface = named(layout, name)
        parts = self.surface.parts
        self.data = {
            part.id: MIDDLE / TOP if part.sort == PartSort.DIAL else 0.0
            for part in parts
            if part.sort in PLACES
        }
        self.lit = {part.id: 0 for part in parts}
        self.colours: dict[str, tuple[int, int, int]] = {}
        self.texts: dict[str, str] = {}
        self.held: set[str] = set()
        self.ticks: list[int] = []
        """Real-time messages that came."""
        self.said: list[bytes] = []
        """Other messages of no channel that came."""
        self._upper: dict[tuple[int, int], int] = {}
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

    # what hands do

    def part(self, part_id: str) -> SurfacePart:
        """Returns a part. Raises KeyError."""
        found = next((p for p in self.surface.parts if p.id == part_id), None)
        if found is None:
            raise KeyError(part_id)
        return found

    def move(self, part_id: str, place: float) -> None:
        """Move a part that stands somewhere to 0…1."""
        part = self.part(part_id)
        self.data[part_id] = min(1.0, max(0.0, place))
        message, channel, number = midi_parts(part.sends)
        self._send(place_bytes(str(message), channel, number, place))

    def touch(self, part_id: str, is_on: bool) -> None:
        """Lay a hand on a part that feels it, or take it off."""
        part = self.part(part_id)
        if part.touch:
            _, channel, number = midi_parts(part.touch)
            self._send(to_bytes("note", channel, number, TOP * is_on))

    def turn(self, part_id: str, steps: int) -> None:
        """Turn a dial without an end by so many of its steps."""
        part = self.part(part_id)
        _, channel, number = midi_parts(part.sends)
        self._send(to_bytes("cc", channel, number, _turned(part.coding, steps)))

    def press(self, part_id: str, velocity: int = HARD) -> None:
        """Press a pad or a key; `let_go` lets it go."""
        self.held.add(part_id)
        self._key(part_id, velocity)

    def let_go(self, part_id: str) -> None:
        """Let a pad or a key go."""
        self.held.discard(part_id)
        self._key(part_id, 0)

    def _key(self, part_id: str, value: int) -> None:
        message, channel, number = midi_parts(self.part(part_id).sends)
        if message == MidiMessage.CONTROL_CHANGE:
            value = TOP * (value > 0)
        self._send(to_bytes(str(message), channel, number, value))

    # the same of the usual one, by number

    def move_fader(self, index: int, value: int) -> None:
        """Move a fader to 0…127."""
        self.move(f"fader {index + 1}", value / TOP)

    def turn_knob(self, index: int, value: int) -> None:
        """Turn a dial to a value, 0…127."""
        self.move(f"dial {index + 1}", value / TOP)

    def hit_pad(self, index: int, velocity: int = HARD) -> None:
        """Press a pad; `let_pad` lets it go."""
        self.press(f"pad {index + 1}", velocity)

    def let_pad(self, index: int) -> None:
        """Let a pad go."""
        self.let_go(f"pad {index + 1}")

    @property
    def faders(self) -> list[int]:
        """Where the faders are, 0…127."""
        return self._all("fader")

    @property
    def knobs(self) -> list[int]:
        """Where the dials are, 0…127."""
        return self._all("dial")

    @property
    def lights(self) -> list[int]:
        """What the pads were told, 0…127."""
        return [lit for name, lit in self.lit.items() if name.startswith("pad ")]

    def _all(self, sort: str) -> list[int]:
        named = (at for name, at in self.data.items() if name.startswith(f"{sort} "))
        return [round(TOP * at) for at in named]

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
                    client = ControllerClient(
                        self.server.accept()[0],
                        self._take_exclusive,
                        self._tick,
                    )
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

    # what it is told

    def _take(self, voice: Voice) -> None:
        """A light, a ring, or a motor."""
        events = []
        match voice:
            case Voice(0xB0, channel, number, value):
                events.append((f"cc {channel} {number}", value / TOP))
                if number < FINER:
                    self._upper[channel, number] = value
                else:
                    upper = self._upper.get((channel, number - FINER), 0)
                    fine = (upper << 7 | value) / MOST
                    events.append((f"fine {channel} {number - FINER}", fine))
            case Voice(0x90, channel, number, value):
                events.append((f"note {channel} {number}", value / TOP))
            case Voice(0xE0, channel, low, high):
                events.append((f"bend {channel} 0", (high << 7 | low) / MOST))

        for name, place in events:
            for part in self.surface.parts:
                if (part.shows.by or part.sends) == name:
                    self._set(part, place)

    def _set(self, part: SurfacePart, place: float) -> None:
        if part.shows.how == Shows.NOTHING:
            return
        self.lit[part.id] = round(TOP * place)
        if part.id in self.data and part.shows.how in (Shows.MOTOR, Shows.RING):
            self.data[part.id] = place

    def _tick(self, byte: int) -> None:
        self.ticks.append(byte)

    def _take_exclusive(self, data: bytes) -> None:
        """A colour that is mixed, or a line of letters; or something else."""
        self.said.append(data)
        for part in self.surface.parts:
            template = part.shows.bytes
            if not template:
                continue
            head = bytes.fromhex(template.partition("{")[0])
            if not data.startswith(head):
                continue
            body = data[len(head) : -1]
            if part.shows.how == Shows.TEXT:
                self.texts[part.id] = body.decode("ascii", "replace").rstrip()
            elif len(body) == 3:
                self.colours[part.id] = (body[0], body[1], body[2])


def _turned(coding: Coding, steps: int) -> int:
    """What a dial sends that is turned by so many steps."""
    steps = max(-MIDDLE + 1, min(MIDDLE - 1, steps))
    if coding == Coding.MIDDLE:
        return MIDDLE + steps
    if coding == Coding.SIGNED:
        return steps if steps >= 0 else MIDDLE - steps
    return steps % (TOP + 1)
