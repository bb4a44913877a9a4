"""Timelines with sound: tells the process that sounds what shall be heard, and has the
light follow what is.
"""

from __future__ import annotations

import contextlib
import logging
import os
import select
import socket
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import msgspec

from choreon import folders
from choreon.engine.actions import players
from choreon.engine.actions.timelines import cursor_of, timeline_of
from choreon.engine.clock import PERIOD
from choreon.engine.voices import voices_of
from choreon.formats import sounds
from choreon.language import tr
from choreon.model.playables import Timeline
from choreon.model.playables.timeline import loop_of, over_at
from choreon.model.show import Show
from choreon.model.sounds import in_use
from choreon.render.state import Player, PlayState, Running
from choreon.sound.asked import (
    Click,
    Heard,
    HeardLine,
    Levels,
    Line,
    Lines,
    Shall,
    ToSound,
    Voice,
    from_sound,
    pack,
    socket_path,
)

log = logging.getLogger(__name__)

replace = msgspec.structs.replace

SILENT = "CHOREON_SILENT"  # a variable around an engine that starts no such process
STALE = 0.25  # seconds without a word after which the light goes on by the clock
OFF, NEAR = 0.004, 0.0005  # seconds off at which it is pulled, and until which
FAR = 0.05  # seconds off beyond which it is there within half a second
PULL, FAST = 0.05, 0.1  # of what it is off, in a frame
LEAP = 0.0005  # seconds beyond which another place is a leap
LED_LEAP = 0.04  # the same, of one that is pulled by another's clock
MOST_BY_EAR = 1.0  # seconds
AGAIN = 0.1  # seconds between two attempts to reach the process
LOOK = 5.0  # seconds between two looks for files that are not there


class Settings(msgspec.Struct, frozen=True):
    """How this machine sounds: its card, "" for the usual one; and by card how many
    seconds later it is heard than that says.
    """

    device: str = ""
    by_ear: dict[str, float] = {}


def settings_path() -> Path:
    """Where the settings of this machine lie."""
    return folders.state() / "sound.json"


def read_settings() -> Settings:
    """Returns how this machine sounds; as usual where nothing is known."""
    with contextlib.suppress(OSError, msgspec.DecodeError):
        return msgspec.json.decode(settings_path().read_bytes(), type=Settings)
    return Settings()


class _Told(NamedTuple):
    """A line as it was told: its cursor, how often it has leapt, whether it goes on,
    and whether another's clock leads it.
    """

    cursor: Running
    turn: int
    runs: bool
    led: bool


class Sounding:
    """`told()` is called in a thread of its own when the process says something new;
    `wanted(on)` says whether there has to be one.
    """

    def __init__(
        self,
        told: Callable[[], None],
        wanted: Callable[[bool], None],
        show_path: Callable[[], str],
    ) -> None:
        self._tell, self._want, self._show_path = told, wanted, show_path
        self.settings = read_settings()
        self.heard = Heard()
        self._heard_at = 0.0
        self._places: dict[str, HeardLine] = {}
        self._lines: dict[str, _Told] = {}
        self._pulled: set[str] = set()
        self._voices: dict[str, tuple[Timeline, Show, tuple[Voice, ...]]] = {}
        self._seen: tuple[object, ...] = ()
        self._levels: dict[str, float] = {}
        self._known: Show | None = None
        self._on = False
        self._ended = False

        self._lock = threading.Lock()
        self._lines_due: tuple[Show, tuple[Line, ...]] | None = None
        self._due: list[ToSound] = []
        self._last: tuple[Show, tuple[Line, ...]] | None = None
        self._found: dict[str, tuple[object, str, float]] = {}
        self._wake_in, self._wake_out = os.pipe2(os.O_NONBLOCK | os.O_CLOEXEC)
        self._thread: threading.Thread | None = None

    # the frame loop's thread

    def led(self, show: Show, state: PlayState, now: float) -> PlayState:
        """Returns the state with timelines that sound where they are heard to be."""
        if not self._places or now - self._heard_at > STALE:
            return state

        for player in state.players:
            place, told = self._places.get(player.id), self._lines.get(player.id)
            cursor = cursor_of(player)
            if place is None or told is None or cursor is None or told.led:
                continue
            if place.turn != told.turn or not told.runs or cursor != told.cursor:
                continue
            there = self._to(player.id, cursor, place, now)
            if there is not cursor:
                self._lines[player.id] = told._replace(cursor=there)
                state = players.put(state, _put(player, there))
        return state

    def _to(self, key: str, cursor: Running, place: HeardLine, now: float) -> Running:
        """A cursor that goes nearer to what is heard; never back."""
        wanted = place.own + now - place.at
        here = cursor.time(now, 0.0).seconds
        off = wanted - here
        if abs(off) <= (NEAR if key in self._pulled else OFF):
            self._pulled.discard(key)
            return cursor
        self._pulled.add(key)
        step = off * (FAST if abs(off) > FAR else PULL)
        return replace(cursor, at=now, seconds=here + max(-0.9 * PERIOD, step))

    def follow(self, show: Show, state: PlayState, now: float) -> None:
        """Have heard what shall be, of what is on now."""
        if not show.sounds and not self._on:
            return
        on = self._on
        if show is not self._known:
            self._known = show
            on = bool(in_use(show)) and not os.environ.get(SILENT)
        if on != self._on:
            self._on = on
            self._want(on)
            self._begin()

        self._tell_levels(state, now)
        self._note_turns(show, state, now)

    def _note_turns(self, show: Show, state: PlayState, now: float) -> None:
        """Tell all lines where one came, went, leapt, stood, or sounds otherwise."""
        lines: dict[str, _Told] = {}
        sounding: dict[str, tuple[Player, Timeline, tuple[Voice, ...]]] = {}
        for player in state.players:
            timeline, cursor = timeline_of(show, player), cursor_of(player)
            if timeline is None or cursor is None or player.lifts:
                continue
            voices = self._voices_of(show, player.id, timeline)
            if voices:
                led = bool(timeline.follows)
                lines[player.id] = self._told(player, cursor, led, now)
                sounding[player.id] = player, timeline, voices
        self._lines = lines
        self._voices = {k: v for k, v in self._voices.items() if k in lines}

        turns = tuple((key, one.turn, one.runs) for key, one in lines.items())
        parts = tuple((id(t), id(v)) for _, t, v in sounding.values())
        seen = (show.sounds, self.settings, turns, parts)
        if seen == self._seen:
            return
        self._seen = seen
        made = tuple(
            _line(key, lines[key], timeline, voices, now)
            for key, (_, timeline, voices) in sounding.items()
        )
        with self._lock:
            self._lines_due = show, made
        self._wake()

    def _told(self, player: Player, cursor: Running, led: bool, now: float) -> _Told:
        """How a line is told: with another turn where it leapt, or goes on. One that is
        led by another's clock is pulled by that, and has leapt when it is far off.
        """
        runs = not player.paused and cursor.rate == 1.0
        before = self._lines.get(player.id)
        if before is None:
            return _Told(cursor, 1, runs, led)
        was = before.cursor.time(now, 0.0).seconds
        leapt = abs(cursor.time(now, 0.0).seconds - was) > (LED_LEAP if led else LEAP)
        again = leapt or runs != before.runs
        if led and not again:
            cursor = before.cursor
        return _Told(cursor, before.turn + again, runs, led)

    def _voices_of(self, show: Show, key: str, timeline: Timeline) -> tuple[Voice, ...]:
        known = self._voices.get(key)
        if known is not None and known[0] is timeline and known[1] is show:
            return known[2]
        made = voices_of(show, timeline)
        if known is not None and known[2] == made:
            made = known[2]
        self._voices[key] = timeline, show, made
        return made

    def _tell_levels(self, state: PlayState, now: float) -> None:
        levels = {}
        for player in state.players:
            if player.id in self._lines:
                going = player.weight.level(now) if player.releasing else 1.0
                levels[player.id] = round(player.level * going, 4)
        if levels != self._levels:
            self._levels = levels
            self._send(Levels(levels))

    @property
    def by_ear(self) -> float:
        """The seconds that the card is heard later than it says."""
        name = self.settings.device or self.heard.device
        return self.settings.by_ear.get(name, 0.0)

    def set(self, device: str, by_ear: float) -> None:
        """Sound otherwise from now on. Raises OSError where that cannot be kept."""
        by_ear = min(MOST_BY_EAR, max(-MOST_BY_EAR, by_ear))
        name = device or self.heard.device
        known = {**self.settings.by_ear, name: by_ear}
        settings = self.settings = Settings(device, known)
        folders.write_whole(settings_path(), msgspec.json.encode(settings))

    def click(self, at: float) -> None:
        """Have a click heard at a time."""
        self._send(Click(at))

    def close(self) -> None:
        """Have nothing heard any more."""
        self._ended = True
        self._want(False)
        self._wake()

    def _send(self, message: ToSound) -> None:
        with self._lock:
            self._due.append(message)
        self._wake()

    def _wake(self) -> None:
        with contextlib.suppress(OSError):
            os.write(self._wake_out, b"w")

    # its own thread

    def _begin(self) -> None:
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="sound", daemon=True)
            self._thread.start()

    def _run(self) -> None:
        while not self._ended:
            try:
                with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as line:
                    line.connect(str(socket_path()))
                    self._talk(line)
            except (OSError, ValueError):
                pass
            except Exception:
                log.exception("what the sound process said was not understood")
            self._places = {}
            time.sleep(AGAIN)

    def _talk(self, line: socket.socket) -> None:
        """Tell and hear, until one of both has gone. Raises OSError."""
        lines = Lines()
        with self._lock:
            self._lines_due = self._lines_due or self._last
        anew, looked = True, time.monotonic()
        line.settimeout(1.0)
        line.sendall(pack(Levels(self._levels)))
        while not self._ended:
            anew = self._push(line, anew)
            ready, _, _ = select.select([line.fileno(), self._wake_in], [], [], 1.0)
            if self._wake_in in ready:
                with contextlib.suppress(BlockingIOError):
                    os.read(self._wake_in, 4096)
            if line.fileno() in ready:
                data = line.recv(1 << 18)
                if not data:
                    raise ConnectionError
                for one in lines.feed(data):
                    self._hear(one)
            now = time.monotonic()
            if now - looked > LOOK:
                looked = now
                if any(not found for _, found, _ in self._found.values()):
                    self._found = {k: v for k, v in self._found.items() if v[1]}
                    with self._lock:
                        self._lines_due = self._lines_due or self._last
        line.sendall(pack(Shall()))

    def _push(self, line: socket.socket, anew: bool) -> bool:
        """Say what is due. Returns whether nothing was told as yet."""
        with self._lock:
            due, self._due = self._due, []
            lines, self._lines_due = self._lines_due, None
        if lines is not None:
            self._last = lines
            line.sendall(pack(self._shall(*lines, anew)))
            anew = False
        for message in due:
            line.sendall(pack(message))
        return anew

    def _shall(self, show: Show, lines: tuple[Line, ...], anew: bool) -> Shall:
        """What shall be heard, with files where they lie now."""
        told = []
        for line in lines:
            known = self._lines.get(line.key)
            if known is not None and known.turn == line.turn:
                now = time.monotonic()
                line = replace(line, at=now, own=known.cursor.time(now, 0.0).seconds)
            voices = (
                replace(voice, file=self._file(show, voice.file))
                for voice in line.voices
            )
            told.append(replace(line, voices=tuple(v for v in voices if v.file)))
        ahead = [self._file(show, sound.id) for sound in in_use(show)]
        files = tuple(file for file in ahead if file)
        return Shall(tuple(told), self.settings.device, self.by_ear, files, anew)

    def _file(self, show: Show, sound_id: str) -> str:
        """Where a sound lies; "" where it is nowhere."""
        sound = show.sounds.get(sound_id)
        if sound is None:
            return ""
        known = self._found.get(sound_id)
        if known is not None and known[0] == sound:
            return known[1]
        path = self._show_path()
        found = sounds.find(sound, Path(path) if path else None)
        self._found[sound_id] = sound, str(found or ""), time.monotonic()
        return str(found or "")

    def faults(self, show: Show) -> list[str]:
        """What is wrong with what sounds just now, in words."""
        found = [self.heard.trouble] if self._lines and self._on else []
        wanted = {v.file for _, _, voices in self._voices.values() for v in voices}
        for sound_id in sorted(wanted & set(self.missing)):
            sound = show.sounds.get(sound_id)
            name = sound.name if sound is not None else sound_id
            found.append(
                tr("The file of {name} is not there: it is not heard.", name=name)
            )
        return found

    @property
    def missing(self) -> list[str]:
        """The ids of sounds that are nowhere."""
        return [key for key, found in list(self._found.items()) if not found[1]]

    def _hear(self, line: bytes) -> None:
        heard = from_sound(line)
        if heard is None:
            return
        self._places = {one.key: one for one in heard.lines}
        self._heard_at = time.monotonic()
        before, self.heard = self.heard, heard
        if before.device != heard.device:
            with self._lock:  # another card: another correction by ear
                self._lines_due = self._lines_due or self._last
        if replace(before, lines=()) != replace(heard, lines=()):
            self._tell()


def _line(
    key: str, told: _Told, timeline: Timeline, voices: tuple[Voice, ...], now: float
) -> Line:
    own = told.cursor.time(now, 0.0).seconds
    return Line(
        *(key, told.turn, now, own, told.runs, over_at(timeline), voices),
        loop_of(timeline),
    )


def _put(player: Player, cursor: Running) -> Player:
    last = replace(player.steps[-1], cursor=cursor)
    return replace(player, steps=(*player.steps[:-1], last))
