"""The engine's heartbeat, and that of the process that sounds: a few bytes of memory
that they and their supervisor share, and that lie in no folder.
"""

from __future__ import annotations

import mmap
import os
import struct
from enum import IntEnum

NAME = "choreon-beat"
SIZE = 64
_FRAMES = struct.Struct("<Q")
PHASE_AT = 8
CLIENTS_AT = 9
WANTED_AT = 10
_PID = struct.Struct("<I")
PID_AT = 16
SOUNDED_AT = 24


class Phase(IntEnum):
    """What an engine is about. One that ends is not started again."""

    STARTING = 0
    PLAYING = 1
    ENDING = 2


class Heartbeat:
    """One heartbeat. `handle` is that of a file in memory, to be passed on."""

    def __init__(self, handle: int) -> None:
        """Raises OSError or ValueError where that is no heartbeat."""
        self.handle = handle
        self._map = mmap.mmap(handle, SIZE)

    @classmethod
    def make(cls) -> Heartbeat:
        """Returns a new heartbeat. Raises OSError."""
        handle = os.memfd_create(NAME)
        os.ftruncate(handle, SIZE)
        return cls(handle)

    @property
    def frames(self) -> int:
        """How often it has beaten."""
        return int(_FRAMES.unpack_from(self._map)[0])

    @property
    def phase(self) -> Phase:
        """What the engine is about."""
        number = self._map[PHASE_AT]
        return Phase(number) if number in list(Phase) else Phase.STARTING

    def beat(self, frames: int) -> None:
        """The engine has come to another frame."""
        _FRAMES.pack_into(self._map, 0, frames)

    def enter(self, phase: Phase) -> None:
        """The engine is about something else now."""
        self._map[PHASE_AT] = phase

    @property
    def clients(self) -> int:
        """How many windows and others are connected to the engine, 255 at the most."""
        return self._map[CLIENTS_AT]

    @clients.setter
    def clients(self, number: int) -> None:
        self._map[CLIENTS_AT] = min(255, max(0, number))

    @property
    def wants_sound(self) -> bool:
        """Whether there has to be a process that sounds."""
        return bool(self._map[WANTED_AT])

    @wants_sound.setter
    def wants_sound(self, wanted: bool) -> None:
        self._map[WANTED_AT] = wanted

    @property
    def sound_pid(self) -> int:
        """The process that sounds; 0 for none."""
        return int(_PID.unpack_from(self._map, PID_AT)[0])

    @sound_pid.setter
    def sound_pid(self, pid: int) -> None:
        _PID.pack_into(self._map, PID_AT, pid)

    @property
    def sound_beats(self) -> int:
        """How often the process that sounds has come round."""
        return int(_FRAMES.unpack_from(self._map, SOUNDED_AT)[0])

    def sounded(self) -> None:
        """The process that sounds has come round."""
        _FRAMES.pack_into(self._map, SOUNDED_AT, self.sound_beats + 1)

    def close(self) -> None:
        """Let the memory go."""
        self._map.close()
        os.close(self.handle)
