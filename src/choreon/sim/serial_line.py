"""A stand-in for a serial adapter and the lamps behind it, on a pseudo terminal: it
checks how the line is set, and that packets are whole and steady. A break cannot be
seen there.
"""

from __future__ import annotations

import contextlib
import os
import pty
import select
import termios
import threading
import time
import tty
from pathlib import Path

from choreon import folders
from choreon.language import tr

NAME = "practice-line"
PACKET = 513  # bytes: the start code, and 512 slots
GAP = 0.004  # seconds without a byte that end a packet, whole or not
KEPT = 400  # times between packets that are kept
# BOTHER, of <asm/termbits.h>: the speed stands beside the flags
CUSTOM = 0o010000


class PracticeLine:
    """A pseudo terminal. `path` is what an output is given.

    `packets`: how many whole ones came; `broken`: how many bytes came that belong to
    none. `slots`: what the last one held. `periods`: seconds from packet to packet.
    """

    def __init__(self, folder: Path | None = None, name: str = NAME) -> None:
        self.packets = self.broken = 0
        self.slots = bytes(PACKET - 1)
        self.start_code = -1
        self.periods: list[float] = []
        self._master, self._slave = pty.openpty()
        tty.setraw(self._slave)

        folder = folder or folders.runtime() / "serial"
        folder.mkdir(parents=True, exist_ok=True)
        self.path = folder / name
        with contextlib.suppress(FileNotFoundError):
            self.path.unlink()
        self.path.symlink_to(os.ttyname(self._slave))

        self._data = bytearray()
        self._last = self._packet_at = 0.0
        self._ended = False
        self._thread = threading.Thread(target=self._run, name="line", daemon=True)
        self._thread.start()

    @property
    def stop_bits(self) -> int:
        """How the line is set: stop bits."""
        return 2 if termios.tcgetattr(self._slave)[2] & termios.CSTOPB else 1

    @property
    def data_bits(self) -> int:
        """How the line is set: data bits."""
        size = termios.tcgetattr(self._slave)[2] & termios.CSIZE
        return 8 if size == termios.CS8 else 7

    @property
    def has_parity(self) -> bool:
        """How the line is set: whether there is a parity bit."""
        return bool(termios.tcgetattr(self._slave)[2] & termios.PARENB)

    @property
    def has_own_speed(self) -> bool:
        """Whether its speed is none of the usual ones, as 250 kbit/s is not."""
        return bool(termios.tcgetattr(self._slave)[2] & CUSTOM)

    def close(self) -> None:
        """Pull the plug."""
        if self._ended:
            return
        self._ended = True
        with contextlib.suppress(OSError):
            self.path.unlink()
        self._thread.join(1.0)
        for handle in (self._master, self._slave):
            with contextlib.suppress(OSError):
                os.close(handle)

    def told(self) -> str:
        """What it has had, in a line."""
        usual = sorted(self.periods[-KEPT:])
        rate = 1.0 / usual[len(usual) // 2] if usual else 0.0
        lit = sum(1 for slot in self.slots if slot)
        return tr(
            "{packets} packets, {rate:.1f} a second, {broken} bytes too many, "
            "{lit} slots lit; 8 data bits, {stops} stop bits",
            packets=self.packets,
            rate=rate,
            broken=self.broken,
            lit=lit,
            stops=self.stop_bits,
        )

    def _run(self) -> None:
        while not self._ended:
            ready, _, _ = select.select([self._master], [], [], 0.05)
            if not ready:
                continue
            try:
                data = os.read(self._master, 4096)
            except OSError:
                continue
            self._take(data, time.monotonic())

    def _take(self, data: bytes, now: float) -> None:
        """Bytes came. What has waited for its rest too long is no packet."""
        if self._data and now - self._last > GAP * 10:
            self.broken += len(self._data)
            self._data.clear()
        self._last = now
        self._data += data
        while len(self._data) >= PACKET:
            whole, self._data = self._data[:PACKET], self._data[PACKET:]
            self._whole(bytes(whole), now)

    def _whole(self, packet: bytes, now: float) -> None:
        self.start_code, self.slots = packet[0], packet[1:]
        self.packets += 1
        before, self._packet_at = self._packet_at, now
        if before:
            self.periods = [*self.periods[-KEPT:], now - before]


def run() -> int:
    """Show what the practice line gets, until Ctrl+C; gives the exit code."""
    line = PracticeLine()
    print(tr("Give an output this adapter: {path}", path=line.path), flush=True)
    try:
        while True:
            time.sleep(1.0)
            print(line.told(), flush=True)
    except KeyboardInterrupt:
        return 0
    finally:
        line.close()
