"""A universe over a plain serial adapter: ANSI E1.11 (DMX512-A), 250 kbit/s, 8N2, each
packet after a break and a mark.

A thread of its own writes, so that breaks come steadily and no frame waits for a line.
"""

from __future__ import annotations

import contextlib
import errno
import glob
import logging
import threading
import time
from collections.abc import Sequence
from typing import Any, Protocol

import numpy as np

from choreon.language import tr
from choreon.wire.outputs.base import AGAIN, Destination, Packet, Stream

log = logging.getLogger(__name__)

BAUD = 250_000
SLOTS = 512
BREAK = 0.000_2  # seconds; E1.11, 8.9: at least 92 µs
MARK = 0.000_02  # seconds; at least 12 µs
PERIOD = 1 / 40  # seconds from break to break; a whole packet takes 22.7 ms
PATIENCE = 1.0  # seconds that a line may take for a packet
START = 0  # the start code of levels


class SerialDestination(Destination, Protocol):
    """Where a universe goes over a serial line."""

    @property
    def device(self) -> str:
        """The adapter: its path, or empty for the first that is found."""


def adapters() -> list[str]:
    """Returns the serial adapters that are plugged in, by paths that stay the same in
    another socket where the system has such.
    """
    by_id = sorted(glob.glob("/dev/serial/by-id/*"))
    return by_id or sorted(glob.glob("/dev/ttyUSB*") + glob.glob("/dev/ttyACM*"))


def trouble_of(device: str, error: Exception) -> str:
    """Returns why a line cannot be used, and what to do, in words."""
    causes = (error, error.__context__)
    number = next(filter(None, (getattr(e, "errno", None) for e in causes)), None)
    if isinstance(error, PermissionError) or number in (errno.EACCES, errno.EPERM):
        return tr(
            "There is no right to use {device}. Add yourself to the group dialout "
            "(sudo usermod -aG dialout $USER), and log in anew.",
            device=device,
        )
    if number in (errno.ENOENT, errno.ENODEV, errno.ENXIO, errno.EIO):
        return tr(
            "{device} is not plugged in. It is opened again when it comes back.",
            device=device,
        )
    if number == errno.EBUSY:
        return tr("{device} is in use by another program.", device=device)
    return tr("{device} cannot be used: {error}.", device=device, error=error)


class SerialLine:
    """The thread that writes. `slots` is what it sends, over and over."""

    def __init__(self, device: str, slots: bytes) -> None:
        self.device, self.slots = device, slots
        self.fault = ""
        self.is_open = False
        self.packets = 0
        """How many have gone out."""
        self._ending = threading.Event()
        self.thread = threading.Thread(target=self._run, name="serial", daemon=True)
        self.thread.start()

    def end(self) -> None:
        """Let the line go, after the packet that goes out now. Never waits."""
        self._ending.set()

    def _run(self) -> None:
        while not self._ending.is_set():
            device = self.device or next(iter(adapters()), "")
            if not device:
                self.fault = tr("No serial adapter is plugged in.")
            else:
                try:
                    self._send_on(device)
                except Exception as error:
                    self.fault = trouble_of(device, error)
            self.is_open = False
            self._ending.wait(AGAIN)

    def _send_on(self, device: str) -> None:
        """Send until the line is gone, or it is to end. Raises what goes wrong."""
        import serial  # type: ignore[import-untyped]  # slow, and few need it

        with serial.Serial(
            device,
            BAUD,
            bytesize=serial.EIGHTBITS,
            parity=serial.PARITY_NONE,
            stopbits=serial.STOPBITS_TWO,
            write_timeout=PATIENCE,
            exclusive=True,
        ) as line:
            self.fault, self.is_open = "", True
            due = time.monotonic()
            while not self._ending.is_set():
                write_packet(line, self.slots)
                self.packets += 1
                due = max(due + PERIOD, time.monotonic())
                self._ending.wait(max(0.0, due - time.monotonic()))
            write_packet(line, self.slots)  # what it was told last


def write_packet(line: Any, slots: bytes) -> None:
    """Write one packet: break, mark, start code, slots."""
    line.break_condition = True
    time.sleep(BREAK)
    line.break_condition = False
    time.sleep(MARK)
    line.write(bytes((START,)) + slots)
    line.flush()


class SerialStream(Stream):
    """One universe by a serial adapter."""

    destination: SerialDestination

    def __init__(
        self,
        source: str,
        cid: bytes,
        destination: SerialDestination,
        universes: Sequence[int],
    ) -> None:
        self._line: SerialLine | None = None
        self._built = False
        super().__init__(source, cid, destination, universes)

    def build(self, universe: int, row: int) -> Packet | None:
        """Returns the packet of the first universe; a line carries one."""
        if self._built:
            return None
        self._built = True
        data = bytearray(SLOTS)
        return Packet(data, np.frombuffer(data, np.uint8), row, self._device, universe)

    @property
    def _device(self) -> str:
        return self.destination.device

    @property
    def is_open(self) -> bool:
        """Whether the line is open. One that is gone opens anew by itself."""
        return self._line is not None and self._line.is_open

    def open(self) -> None:
        """Have the line be opened. Raises OSError until it is."""
        if self._line is None:
            self._line = SerialLine(self._device, bytes(SLOTS))
        if not self._line.is_open:
            fault = self._line.fault or tr("The serial line is being opened.")
            raise OSError(fault)

    def write(self, packet: Packet) -> None:
        """Have the line send this from its next packet on."""
        if self._line is not None:
            self._line.slots = bytes(packet.data)
            self.trouble = ""

    def shut(self) -> None:
        """Let the line go without waiting for it."""
        if self._line is not None:
            self._line.end()
            self._line = None

    def follow(self, before: Stream) -> None:
        """Go on with the line of a stream that had the same adapter."""
        if isinstance(before, SerialStream) and before._device == self._device:
            self._line, before._line = before._line, None
            self.sent, self.errors = before.sent, before.errors
            self.trouble = before.trouble
            return
        super().follow(before)

    def mark_ended(self, packet: Packet) -> None:
        """DMX512 has no word for it: the last packet is dark."""
        packet.slots[:] = 0

    def close(self) -> None:
        """Leave the lamps dark, and let the line go when that is out."""
        line = self._line
        super().close()
        if line is not None:
            with contextlib.suppress(RuntimeError):
                line.thread.join(4 * PERIOD)

    @property
    def receiver(self) -> str:
        """What it goes to."""
        return self._device or tr("The serial adapter")
