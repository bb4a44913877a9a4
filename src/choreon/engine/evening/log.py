"""Keeps the evening while it plays: each state as it comes, by a thread that nobody
waits for.
"""

from __future__ import annotations

import contextlib
import logging
import threading
import time
from collections import deque
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

import msgspec

from choreon import __version__, folders
from choreon.engine.evening.records import (
    Begin,
    Edited,
    Kind,
    OnNow,
    Record,
    Stream,
    block,
    encode,
    fields_of,
    packed,
)
from choreon.language import tr
from choreon.model.changes import difference
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.state import Player, PlayState

log = logging.getLogger(__name__)

replace = msgspec.structs.replace

OFTEN = 0.2  # seconds between two states that differ only by what is dragged
STILL = 10.0  # seconds after which it is kept that nothing has changed
WRITE = 1.0  # seconds between two looks of the thread
ANEW = 60.0  # seconds after which a state is kept whole
MOST_WAITING = 20_000  # states that wait to be written
MOST_FILES, MOST_BYTES = 40, 400 << 20  # of all evenings together
AGAIN = 30.0  # seconds until the next attempt where nothing could be written
SUFFIX = ".evening"
DRAGGED = ("draft", "live", "asides", "outside", "masters", "clock")


class Moment(NamedTuple):
    """A state as it was shown."""

    at: float
    show: Show
    state: PlayState
    left_out: tuple[str, ...]


def folder() -> Path:
    """Where evenings are kept."""
    return folders.data() / "evenings"


class EveningLog:
    """Takes what is shown, frame by frame. `clock`, `wall`: as in `RunLog`."""

    def __init__(
        self,
        clock: Callable[[], float] = time.monotonic,
        wall: Callable[[], float] = time.time,
    ) -> None:
        self._clock, self._wall = clock, wall
        self._last: Moment | None = None
        self._held: Moment | None = None
        self._waiting: deque[Moment] = deque(maxlen=MOST_WAITING)
        self._writer = Writer(clock, wall)
        self._wake = threading.Event()
        self._ended = False
        self._thread: threading.Thread | None = None

    @property
    def trouble(self) -> str:
        """Why the evening is not kept, in words; empty while it is."""
        return self._writer.trouble

    # the frame loop's thread

    def note(
        self, show: Show, state: PlayState, now: float, left_out: tuple[str, ...] = ()
    ) -> None:
        """Keep a state, where it is another one. What is dragged is kept five times a
        second, and as it is left at last.
        """
        last = self._held or self._last
        if last is not None and last.state is state and last.show is show:
            if self._held is not None and now - self._before >= OFTEN:
                self._put(self._held)
            elif now - self._before >= STILL:
                self._put(last._replace(at=now))  # it is still so
            return

        moment = Moment(now, show, state, left_out)
        if last is None or self._matters(last, moment):
            if self._held is not None:
                self._put(self._held)
            self._put(moment)
        elif now - self._before >= OFTEN:
            self._put(moment)
        else:
            self._held = moment

    @property
    def _before(self) -> float:
        return self._last.at if self._last is not None else -OFTEN

    def _put(self, moment: Moment) -> None:
        self._held, self._last = None, moment
        self._waiting.append(moment)
        if self._thread is None:
            self._thread = threading.Thread(
                target=self._run, name="evening", daemon=True
            )
            self._thread.start()

    @staticmethod
    def _matters(last: Moment, moment: Moment) -> bool:
        """Whether more differs than what is dragged."""
        before, state = last.state, moment.state
        if moment.show is not last.show or moment.left_out != last.left_out:
            return True
        others = ("identify", "sent", "ready", "fade_times")
        if any(getattr(before, n) is not getattr(state, n) for n in others):
            return True
        if before.draft.effects is not state.draft.effects:
            return True
        if before.masters.blackout != state.masters.blackout:
            return True
        return not _alike(before.players, state.players)

    def close(self) -> None:
        """Write what waits, and no more."""
        if self._held is not None:
            self._put(self._held)
        self._ended = True
        self._wake.set()
        if self._thread is not None:
            self._thread.join(1.0)

    # its own thread

    def _run(self) -> None:
        while not self._ended:
            self._wake.wait(WRITE)
            moments = []
            with contextlib.suppress(IndexError):
                while True:
                    moments.append(self._waiting.popleft())
            if moments:
                self._writer.write(moments)


def _alike(before: tuple[Player, ...], after: tuple[Player, ...]) -> bool:
    """Whether players differ by no more than their levels, and how far they have been
    pulled along.
    """
    if len(before) != len(after):
        return False
    for one, other in zip(before, after, strict=True):
        if one is other:
            continue
        steps = one.steps[-1]
        same = replace(steps, cursor=other.steps[-1].cursor)
        if len(one.steps) != len(other.steps) or same != other.steps[-1]:
            return False
        if replace(one, level=other.level, steps=other.steps) != other:
            return False
        if type(steps.cursor) is not type(other.steps[-1].cursor):
            return False
        if _goes(one) != _goes(other):
            return False
    return True


def _goes(player: Player) -> object:
    """What of a cursor no pull changes."""
    cursor = player.steps[-1].cursor
    return getattr(cursor, "rate", None), getattr(cursor, "cue", None)


class Writer:
    """Writes moments to the file of the evening; each show has its own."""

    def __init__(self, clock: Callable[[], float], wall: Callable[[], float]) -> None:
        self._clock, self._wall = clock, wall
        self.trouble = ""
        self.path: Path | None = None
        self._show: Show | None = None
        self._state: PlayState | None = None
        self._on: tuple[tuple[str, Ref], ...] | None = None
        self._stream = Stream()
        self._whole_at = 0.0
        self._again = 0.0

    def write(self, moments: list[Moment]) -> None:
        """Write some; where that cannot be it is told, and tried again later."""
        now = self._clock()
        if self.trouble and now < self._again:
            return
        try:
            self._write(moments)
            self.trouble = ""
        except OSError as error:
            if not self.trouble:
                log.warning("the evening cannot be kept: %s", error)
            self.trouble = tr(
                "This evening is not kept: {error}.", error=error.strerror or error
            )
            self._again = now + AGAIN
            self.path = None  # another file, when there is room

    def _write(self, moments: list[Moment]) -> None:
        data = bytearray()
        rest: list[Record] = []
        names: list[OnNow] = []
        for moment in moments:
            another = self._show is None or moment.show.id != self._show.id
            if self.path is None or another:
                self._flush(data, rest, names)
                self._begin(moment)
            self._note_show(moment, data, rest, names)
            anew = self._state is None or moment.at - self._whole_at > ANEW
            if anew:
                self._flush(data, rest, names)
                self._stream, self._state = Stream(), None
                self._whole_at = moment.at

            fields = fields_of(self._state, moment.state)
            rest.append(Record(moment.at, fields, moment.left_out))
            self._state = moment.state
            on = _on(moment.state)
            if on != self._on:
                self._on = on
                names.append(OnNow(moment.at, on))
            if anew:
                self._flush(data, rest, names, Kind.WHOLE)
        self._flush(data, rest, names)

    def _flush(
        self,
        data: bytearray,
        rest: list[Record],
        names: list[OnNow],
        kind: Kind = Kind.MORE,
    ) -> None:
        """Write what has come together."""
        if names:
            data += block(Kind.NAMES, names[0].at, packed(names))
        if rest:
            data += block(kind, rest[0].at, self._stream.pack(rest))
        if data and self.path is not None:
            with self.path.open("ab") as file:
                file.write(data)
        data.clear()
        rest.clear()
        names.clear()

    def _note_show(
        self,
        moment: Moment,
        data: bytearray,
        rest: list[Record],
        names: list[OnNow],
    ) -> None:
        if moment.show is self._show:
            return
        if self._show is None:
            edited = Edited(moment.at, encode(moment.show))
        else:
            edited = Edited(moment.at, b"", difference(self._show, moment.show))
        self._show = moment.show
        self._flush(data, rest, names)
        data += block(Kind.SHOW, moment.at, packed(edited))

    def _begin(self, moment: Moment) -> None:
        """Another file."""
        place = folder()
        place.mkdir(parents=True, exist_ok=True)
        tidy(place)
        wall = self._wall() - (self._clock() - moment.at)
        stamp = datetime.fromtimestamp(wall).strftime("%Y-%m-%d %H.%M.%S")
        number = 1
        while (path := place / f"{stamp} {number}{SUFFIX}").exists():
            number += 1
        begin = Begin(__version__, moment.show.id, moment.show.name, wall, moment.at)
        path.write_bytes(block(Kind.BEGIN, moment.at, encode(begin)))
        self.path, self._show, self._state, self._on = path, None, None, None


def _on(state: PlayState) -> tuple[tuple[str, Ref], ...]:
    """What is on, and does not go."""
    return tuple(
        (player.id, player.ref)
        for player in state.players
        if not player.releasing and not player.lifts
    )


def tidy(place: Path) -> None:
    """Let go of the evenings that are longest ago, where there are too many."""
    found = sorted(place.glob(f"*{SUFFIX}"), reverse=True)
    kept = 0
    for number, path in enumerate(found):
        with contextlib.suppress(OSError):
            kept += path.stat().st_size
            if number >= MOST_FILES - 1 or kept > MOST_BYTES:
                path.unlink()
