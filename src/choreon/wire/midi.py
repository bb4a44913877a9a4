"""MIDI controllers, in and out: found, opened, and opened again when they come back.

Real devices come through python-rtmidi. Simulated ones announce themselves by a file
`NAME.json` holding a TCP port on this machine and a token, which only their own user
can read: who says the token first, on a line of its own, is spoken to in MIDI bytes.
"""

from __future__ import annotations

import contextlib
import json
import logging
import math
import os
import re
import select
import socket
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

from choreon.language import sentences, tr
from choreon.wire.midi_bytes import LONGEST, SYSEX, Parser, Voice, message

log = logging.getLogger(__name__)

SCAN = 0.5  # seconds between looking for controllers


class Event(NamedTuple):
    """A control was moved: `kind` as the model's MidiMessage calls it, channel 0…15,
    number 0…127, value 0…1 (a note's 0 is its end).
    """

    port: str
    kind: str
    channel: int
    number: int
    value: float


Key = tuple[str, str, int, int]
FINER = 32  # the lower half of a value of 14 bits has the number of the upper and this
MOST = 16383  # of 14 bits


class Reader:
    """What controls of one device do, by its messages. Two control changes that are the
    halves of one value of 14 bits are told each by itself, and as the one.
    """

    def __init__(self, port: str) -> None:
        self.port = port
        self._upper: dict[tuple[int, int], int] = {}

    def read(self, voice: Voice | None) -> list[Event]:
        """The events in a message; none for messages that no control sends."""
        match voice:
            case Voice(0xB0, channel, number, value):
                return self._change(channel, number, value)
            case Voice(0x90, channel, number, value):
                return [Event(self.port, "note", channel, number, value / 127)]
            case Voice(0x80, channel, number, _):
                return [Event(self.port, "note", channel, number, 0.0)]
            case Voice(0xA0, channel, number, value):
                return [Event(self.port, "touch", channel, number, value / 127)]
            case Voice(0xD0, channel, value, _):
                return [Event(self.port, "pressure", channel, 0, value / 127)]
            case Voice(0xC0, channel, number, _):
                # it has no end of its own
                down = Event(self.port, "program", channel, number, 1.0)
                return [down, down._replace(value=0.0)]
            case Voice(0xE0, channel, low, high):
                value = (high << 7) | low
                return [Event(self.port, "bend", channel, 0, value / MOST)]
        return []

    def _change(self, channel: int, number: int, value: int) -> list[Event]:
        plain = Event(self.port, "cc", channel, number, value / 127)
        if number < FINER:
            self._upper[channel, number] = value
            return [plain]

        upper = self._upper.get((channel, number - FINER))
        if number >= 2 * FINER or upper is None:
            return [plain]
        whole = ((upper << 7) | value) / MOST
        return [plain, Event(self.port, "fine", channel, number - FINER, whole)]


def to_bytes(kind: str, channel: int, number: int, value: int) -> bytes:
    """Three MIDI bytes that set a control's light or motor to `value` 0…127."""
    status = 0xB0 if kind == "cc" else 0x90
    return bytes((status | (channel & 15), number & 127, value & 127))


def place_bytes(kind: str, channel: int, number: int, place: float) -> bytes:
    """The MIDI bytes that have a control be at a place, 0…1; empty for a kind that has
    none.
    """
    channel, number = channel & 15, number & 127
    fine = round(MOST * min(1.0, max(0.0, place)))
    if kind == "bend":
        return bytes((0xE0 | channel, fine & 127, fine >> 7))
    if kind == "fine":
        upper = to_bytes("cc", channel, number, fine >> 7)
        return upper + to_bytes("cc", channel, number + FINER, fine)
    if kind in ("cc", "note"):
        return to_bytes(kind, channel, number, round(127 * min(1.0, max(0.0, place))))
    return b""


class Shown(NamedTuple):
    """What a control shows: the message for it, or several that take turns; and the one
    that leaves it dark. `waits_for`: the control that says that a hand is on it.
    """

    turns: tuple[bytes, ...]
    dark: bytes = b""
    waits_for: Key | None = None


BLINK = 0.3  # seconds that a message stands that takes turns
OFTEN = 0.05  # seconds between two messages for one control at the least
ECHO = 0.03  # seconds in which what a device says is what it was told, if it is that
ECHO_TOLD = 5.0  # seconds for which that is told
ALONE = 0.4  # seconds after a hand has moved it in which a motor is left alone


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


def _data(event: Event) -> int:
    """The value of a control as it was sent, 0…127."""
    return round(127 * event.value)


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
        self._parser = Parser(self._tell, self._tick, self._tell)
        self._reader = Reader(name)
        self.said: list[bytes] = []
        """Messages of no channel that have come since they were looked at."""
        self._rest = b""  # of a message that was taken in part

    def _tick(self, byte: int) -> None:
        self.said.append(bytes((byte,)))

    def _tell(self, message: bytes) -> None:
        self.said.append(message)

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

        voices = self._parser.feed(data)
        return [event for voice in voices for event in self._reader.read(voice)]

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

    def __init__(
        self, moved: Callable[[Event], None], told: Callable[[str, bytes], None]
    ) -> None:
        self.trouble = ""
        self._moved, self._told = moved, told
        self._open: dict[str, tuple[Any, Any]] = {}
        self._readers: dict[str, Reader] = {}
        self._names: dict[str, str] = {}  # port → what it is called here
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
            found_in = self._finder_in.get_ports()
            found_out = self._finder_out.get_ports()
        except Exception as error:
            self.trouble = tr(
                "MIDI devices cannot be listed ({short}).", short=_short(error)
            )
            return {}

        self._names = told_apart(found_in, self._names)
        inputs = {self._names[port]: i for i, port in enumerate(found_in)}
        by_port = told_apart(found_out, self._names)
        outputs = {by_port[port]: i for i, port in enumerate(found_out)}
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
        midi_in.ignore_types(sysex=False, timing=False, active_sense=True)
        midi_in.set_callback(lambda data, _=None: self._got(name, data[0]))
        midi_out = None
        if out is not None:
            midi_out = self._rtmidi.MidiOut()
            midi_out.open_port(out, name=tr("choreon out"))
        return midi_in, midi_out

    def _got(self, name: str, data: list[int]) -> None:
        if data and data[0] >= SYSEX:
            if len(data) <= LONGEST:
                self._told(name, bytes(byte & 0xFF for byte in data))
            return
        with contextlib.suppress(ValueError):
            reader = self._readers.setdefault(name, Reader(name))
            for event in reader.read(message(data)):
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


def told_apart(ports: list[str], known: dict[str, str]) -> dict[str, str]:
    """Returns what ports are called: without the numbers that change, and of two alike
    the second with a number of ours. One that is there already keeps its name.
    """
    names = {port: known[port] for port in ports if port in known}
    for port in ports:
        if port in names:
            continue
        plain, free, n = _plain(port), _plain(port), 1
        while free in names.values():
            n += 1
            free = f"{plain} · {n}"
        names[port] = free
    return names


def _short(error: Exception) -> str:
    return str(error).split("\n")[0][:120] or type(error).__name__


class MidiDevices:
    """All controllers. Calls `moved` from its own threads, `changed` when ports come or
    go, and `told` with messages of no channel.
    """

    def __init__(
        self,
        folder: Path,
        moved: Callable[[Event], None],
        changed: Callable[[dict[str, bool], str], None],
        real: bool = True,
        told: Callable[[str, bytes], None] = lambda port, message: None,
    ) -> None:
        self._folder = folder
        self._moved, self._changed, self._told = moved, changed, told
        self._local: dict[str, LocalPort] = {}
        self._rt = RtPorts(self._heard, told) if real else None
        self._ports: dict[str, bool] | None = None
        self._trouble_told = ""

        self._want: dict[Key, Shown] = {}
        self._shown: dict[Key, bytes] = {}
        self._dark: dict[Key, bytes] = {}  # of what has been lit
        self._sent_at: dict[Key, float] = {}
        self._moved_at: dict[Key, float] = {}
        self._touched: set[Key] = set()
        self._echoes: dict[str, float] = {}  # when a device last said ours again
        self._later = math.inf  # when something is to be shown that waits
        self._saying = threading.Lock()
        self._said: list[tuple[str, bytes]] = []  # to be sent by the thread
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

    def show(self, want: dict[Key, Shown]) -> None:
        """What the controllers' lights and motors shall show, by (port, kind, channel,
        number).
        """
        self._want = want
        with contextlib.suppress(OSError):
            self._wake_out.send(b"w")

    def close(self) -> None:
        """Let all devices go."""
        if self._wake_out.fileno() < 0:
            return  # they are gone

        self._ended = True
        self._wake_out.send(b"q")
        self.thread.join(2)
        self._darken()
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
                [self._wake_in.fileno(), *ports],
                [],
                [],
                max(0.0, min(due, self._later) - now),
            )

            for handle in ready:
                if handle in ports:
                    self._read(ports[handle])
                else:
                    self._wake_in.recv(4096)

            self._say_waiting()
            self._light()

    def _read(self, port: LocalPort) -> None:
        try:
            events = port.read()
            said, port.said = port.said, []
            for message in said:
                self._told(port.name, message)
            for event in events:
                self._heard(event)
        except OSError:
            self._lose(port)

    def _heard(self, event: Event) -> None:
        """A control was moved. What it shows of itself may be another thing by now."""
        key = event[:4]
        if self._is_echo(key, event):
            return
        self._shown.pop(key, None)
        self._moved_at[key] = time.monotonic()
        if event.kind == "note":
            (self._touched.add if event.value else self._touched.discard)(key)
        self._moved(event)

    def _is_echo(self, key: Key, event: Event) -> bool:
        """Whether a device only says again what it was told: taken for a hand's, it
        would press what it shows, and so on for ever.
        """
        told = self._shown.get(key)
        if told is None or event.kind not in ("note", "cc"):
            return False
        since = time.monotonic() - self._sent_at.get(key, -math.inf)
        same = told == to_bytes(event.kind, event.channel, event.number, _data(event))
        if not same or since >= ECHO:
            return False
        self._echoes[event.port] = time.monotonic()
        return True

    def _lose(self, port: LocalPort) -> None:
        port.close()
        self._local.pop(port.name, None)
        self._forget(port.name)
        self._tell({**(self._ports or {}), port.name: False})

    def say(self, port: str, data: bytes) -> None:
        """Send a message to a device; one that is gone is passed over. Callable from
        any thread.
        """
        with self._saying:
            self._said.append((port, data))
        with contextlib.suppress(OSError):
            self._wake_out.send(b"s")

    def _say_waiting(self) -> None:
        with self._saying:
            said, self._said = self._said, []
        for port, data in said:
            self._send((port, "", 0, 0), data)

    def _forget(self, name: str) -> None:
        self._shown = {
            key: value for key, value in self._shown.items() if key[0] != name
        }
        self._touched = {key for key in self._touched if key[0] != name}

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
        trouble = self._trouble()
        if (found, trouble) != (self._ports, self._trouble_told):
            self._ports, self._trouble_told = found, trouble
            self._changed(found, trouble)

    def _trouble(self) -> str:
        """What is wrong, in words."""
        now = time.monotonic()
        echoes = [
            tr(
                "{name} sends back what it is told: that is passed over.",
                name=name,
            )
            for name, at in self._echoes.items()
            if now - at < ECHO_TOLD
        ]
        return sentences(self._rt.trouble if self._rt else "", *echoes)

    def _light(self) -> None:
        """Send what is not shown yet, as far as it may be sent now."""
        now = time.monotonic()
        self._later = math.inf
        want = self._want
        for key in [key for key in self._dark if key not in want]:
            if self._send(key, self._dark.pop(key)):
                self._shown.pop(key, None)

        for key, shown in want.items():
            data = self._turn_of(shown, now)
            if data and self._shown.get(key) != data:
                self._tell_one(key, shown, data, now)

    def _turn_of(self, shown: Shown, now: float) -> bytes:
        """The message whose turn it is; empty where there is none."""
        if not shown.turns:
            return b""
        if len(shown.turns) > 1:
            self._later = min(self._later, (int(now / BLINK) + 1) * BLINK)
        return shown.turns[int(now / BLINK) % len(shown.turns)]

    def _tell_one(self, key: Key, shown: Shown, data: bytes, now: float) -> None:
        """Tell a control what it shows, or later where it may not be told yet."""
        free = self._free_at(key, shown)
        if free > now:
            self._later = min(self._later, free)
        elif self._send(key, data):
            self._shown[key] = data
            self._sent_at[key] = now
            if shown.dark:
                self._dark[key] = shown.dark

    def _free_at(self, key: Key, shown: Shown) -> float:
        """When a control may be told something: not too often, and a motor not while a
        hand is on it.
        """
        free = self._sent_at.get(key, -math.inf) + OFTEN
        if shown.waits_for in self._touched:
            return math.inf
        if key[1] == "note":
            return free
        return max(free, self._moved_at.get(key, -math.inf) + ALONE)

    def _send(self, key: Key, data: bytes) -> bool:
        """Returns whether a device took a message."""
        port = key[0]
        local = self._local.get(port)
        if local is not None:
            try:
                return local.send(data)
            except OSError:
                self._lose(local)
                return False
        if self._rt and (self._ports or {}).get(port):
            self._rt.send(port, data)
            return True
        return False

    def _darken(self) -> None:
        """Leave no light on behind."""
        for key, data in self._dark.items():
            with contextlib.suppress(Exception):
                self._send(key, data)
