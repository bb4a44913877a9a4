"""MIDI controllers, in and out: found, opened, and opened again when they come back.

Real devices come through python-rtmidi. Simulated ones announce themselves by a file
`NAME.json` holding a TCP port on this machine and a token, which only their own user
can read: who says the token first, on a line of its own, is spoken to in MIDI bytes.
"""

from __future__ import annotations

import contextlib
import json
import logging
import os
import re
import select
import socket
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal, NamedTuple

from choreon.language import tr
from choreon.wire.midi_bytes import Parser, Voice, message

log = logging.getLogger(__name__)

SCAN = 0.5  # seconds between looking for controllers


class Event(NamedTuple):
    """A control was moved: `kind` is `cc` or `note`, channel 0…15, number 0…127, value
    0…1 (a note's 0 is its end).
    """

    port: str
    kind: Literal["cc", "note"]
    channel: int
    number: int
    value: float


Key = tuple[str, str, int, int]


def to_event(port: str, voice: Voice | None) -> Event | None:
    """The event in a message; None for messages that no control sends."""
    match voice:
        case Voice(0xB0, channel, number, value):
            return Event(port, "cc", channel, number, value / 127)
        case Voice(0x90, channel, number, value):
            return Event(port, "note", channel, number, value / 127)
        case Voice(0x80, channel, number, _):
            return Event(port, "note", channel, number, 0.0)
    return None


def to_bytes(kind: str, channel: int, number: int, value: int) -> bytes:
    """Three MIDI bytes that set a control's light or motor to `value` 0…127."""
    status = 0xB0 if kind == "cc" else 0x90
    return bytes((status | (channel & 15), number & 127, value & 127))


def announced(file: Path) -> tuple[int, str]:
    """The port and the token that a simulated controller says in its file. Raises
    OSError or ValueError where it says nothing of the kind.
    """
    flags = os.O_RDONLY | os.O_NONBLOCK | os.O_NOFOLLOW | os.O_CLOEXEC
    with os.fdopen(os.open(file, flags), "rb") as opened:
        data = opened.read(1024) or b""
    try:
        said = json.loads(data)
        return int(said["port"]), str(said.get("token", ""))
    except (KeyError, TypeError, AttributeError, RecursionError) as error:
        raise ValueError(tr("{name} announces no port", name=file.name)) from error


class LocalPort:
    """A simulated controller on a TCP port of this machine."""

    def __init__(self, name: str, port: int, token: str = "") -> None:
        """Raises OSError where nothing listens."""
        self.name = name
        if not 0 < port < 65536:
            raise OSError(tr("{port} is no port", port=port))
        self._socket = socket.create_connection(("127.0.0.1", port), timeout=0.5)
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._socket.sendall(token.encode() + b"\n")
        self._socket.setblocking(False)
        self._parser = Parser()
        self._rest = b""  # of a message that was taken in part

    def fileno(self) -> int:
        """The socket's number, to be waited for."""
        return self._socket.fileno()

    def read(self) -> list[Event]:
        """Events that have come; bytes that are no MIDI are passed over. Raises
        ConnectionError when it is gone.
        """
        try:
            data = self._socket.recv(4096)
        except BlockingIOError:
            return []

        if not data:
            raise ConnectionError(self.name)

        return [
            event
            for voice in self._parser.feed(data)
            if (event := to_event(self.name, voice))
        ]

    def send(self, data: bytes) -> bool:
        """Send a message to the device. Returns whether it took it: one that does not
        read is not waited for. Raises OSError when it is gone.
        """
        try:
            while self._rest:
                self._rest = self._rest[self._socket.send(self._rest) :]
            self._rest = data[self._socket.send(data) :]
        except BlockingIOError:
            return False
        return True

    def close(self) -> None:
        """Let the device go."""
        self._socket.close()


def _is_device(name: str) -> bool:
    """Whether a port is that of a device, and not our own or a loop of the system."""
    return not any(word in name.lower() for word in ("through", "choreon"))


class RtPorts:
    """Real controllers through python-rtmidi. `trouble` says why this machine has none
    to offer.
    """

    def __init__(self, moved: Callable[[Event], None]) -> None:
        self.trouble = ""
        self._moved = moved
        self._open: dict[str, tuple[Any, Any]] = {}
        try:
            import rtmidi

            self._rtmidi = rtmidi
            self._finder_in, self._finder_out = rtmidi.MidiIn(), rtmidi.MidiOut()
        except Exception as error:
            self.trouble = tr(
                "MIDI devices cannot be used on this machine ({short}).",
                short=_short(error),
            )

    def scan(self) -> dict[str, bool]:
        """Open what is new, forget what is gone. Returns name → open."""
        if self.trouble:
            return {}

        try:
            inputs = {_plain(n): i for i, n in enumerate(self._finder_in.get_ports())}
            outputs = {_plain(n): i for i, n in enumerate(self._finder_out.get_ports())}
        except Exception as error:
            self.trouble = tr(
                "MIDI devices cannot be listed ({short}).", short=_short(error)
            )
            return {}

        for name in [n for n in self._open if n not in inputs]:
            self._shut(name)

        for name, index in inputs.items():
            if name not in self._open and _is_device(name):
                with contextlib.suppress(Exception):
                    self._open[name] = self._pair(name, index, outputs.get(name))

        return {name: name in self._open for name in inputs}

    def _pair(self, name: str, index: int, out: int | None) -> tuple[Any, Any]:
        midi_in = self._rtmidi.MidiIn()
        midi_in.open_port(index, name=tr("choreon in"))
        midi_in.set_callback(lambda data, _=None: self._got(name, data[0]))
        midi_out = None
        if out is not None:
            midi_out = self._rtmidi.MidiOut()
            midi_out.open_port(out, name=tr("choreon out"))
        return midi_in, midi_out

    def _got(self, name: str, data: list[int]) -> None:
        with contextlib.suppress(ValueError):
            event = to_event(name, message(data))
            if event:
                self._moved(event)

    def send(self, name: str, data: bytes) -> None:
        """Send a message to a device; one that is gone is passed over."""
        _, out = self._open.get(name, (None, None))
        if out is not None:
            with contextlib.suppress(Exception):
                out.send_message(list(data))

    def _shut(self, name: str) -> None:
        for port in self._open.pop(name):
            if port is not None:
                with contextlib.suppress(Exception):
                    port.close_port()

    def close(self) -> None:
        """Let all devices go."""
        for name in list(self._open):
            self._shut(name)


def _plain(name: str) -> str:
    """A port's name without the numbers that change when it is plugged in again."""
    return re.sub(r"\s+\d+:\d+$", "", name).strip()


def _short(error: Exception) -> str:
    return str(error).split("\n")[0][:120] or type(error).__name__


class MidiDevices:
    """All controllers. Calls `moved` from its own threads, and `changed` when ports
    come or go.
    """

    def __init__(
        self,
        folder: Path,
        moved: Callable[[Event], None],
        changed: Callable[[dict[str, bool], str], None],
        real: bool = True,
    ) -> None:
        self._folder = folder
        self._moved, self._changed = moved, changed
        self._local: dict[str, LocalPort] = {}
        self._rt = RtPorts(moved) if real else None
        self._ports: dict[str, bool] | None = None

        self._want: dict[Key, int] = {}
        self._shown: dict[Key, int] = {}
        self._wake_in, self._wake_out = socket.socketpair()
        self._wake_in.setblocking(False)
        self._ended = False

        with contextlib.suppress(OSError):  # then no simulated ones are found
            folder.mkdir(parents=True, exist_ok=True)

        self.beat = time.monotonic()
        """When the thread last came round."""
        self.thread = threading.Thread(
            target=self._run, name="controllers", daemon=True
        )
        self.thread.start()

    def show(self, want: dict[Key, int]) -> None:
        """What the controllers' lights and motors shall show: (port, kind, channel,
        number) → 0…127.
        """
        self._want = want
        with contextlib.suppress(OSError):
            self._wake_out.send(b"w")

    def close(self) -> None:
        """Let all devices go."""
        self._ended = True
        self._wake_out.send(b"q")
        self.thread.join(2)
        for port in self._local.values():
            port.close()
        if self._rt:
            self._rt.close()
        self._wake_in.close()
        self._wake_out.close()

    def abandon(self) -> None:
        """Give the thread up, which hangs. Never blocks."""
        self._ended = True
        for port in list(self._local.values()):
            with contextlib.suppress(OSError):
                port.close()
        if self._rt:
            threading.Thread(target=self._rt.close, daemon=True).start()

    def _run(self) -> None:
        due = 0.0
        while not self._ended:
            self.beat = now = time.monotonic()
            if getattr(self.thread, "hang", False):  # a fault on purpose
                time.sleep(3600.0)

            if now >= due:
                self._scan()
                due = now + SCAN

            ports = {port.fileno(): port for port in self._local.values()}
            ready, _, _ = select.select(
                [self._wake_in.fileno(), *ports], [], [], max(0.0, due - now)
            )

            for handle in ready:
                if handle in ports:
                    self._read(ports[handle])
                else:
                    self._wake_in.recv(4096)

            self._light()

    def _read(self, port: LocalPort) -> None:
        try:
            for event in port.read():
                self._shown.pop(event[:4], None)
                self._moved(event)
        except OSError:
            self._lose(port)

    def _lose(self, port: LocalPort) -> None:
        port.close()
        self._local.pop(port.name, None)
        self._forget(port.name)
        self._tell({**(self._ports or {}), port.name: False})

    def _forget(self, name: str) -> None:
        self._shown = {
            key: value for key, value in self._shown.items() if key[0] != name
        }

    def _scan(self) -> None:
        found: dict[str, bool] = {}
        for file in sorted(self._folder.glob("*.json")):
            name = file.stem
            if name not in self._local:
                with contextlib.suppress(OSError, ValueError):
                    self._local[name] = LocalPort(name, *announced(file))
                    self._forget(name)

            found[name] = name in self._local

        if self._rt:
            before = set(self._ports or {})
            real = self._rt.scan()
            for name in set(real) - before:
                self._forget(name)

            found |= real

        self._tell(found)

    def _tell(self, found: dict[str, bool]) -> None:
        if found != self._ports:
            self._ports = found
            self._changed(found, self._rt.trouble if self._rt else "")

    def _light(self) -> None:
        for key, value in list(self._want.items()):
            if self._shown.get(key) == value:
                continue

            port, kind, channel, number = key
            data = to_bytes(kind, channel, number, value)
            local = self._local.get(port)

            if local is not None:
                try:
                    if not local.send(data):
                        continue  # it is told later
                except OSError:
                    self._lose(local)
                    continue
            elif self._rt and (self._ports or {}).get(port):
                self._rt.send(port, data)
            else:
                continue

            self._shown[key] = value
