"""What is told to others when something starts, ends, or goes on."""

from __future__ import annotations

import contextlib
import logging
import math
import socket
import time
from collections.abc import Callable, Iterator, Mapping

from choreon.engine.actions import cues, timelines
from choreon.engine.inputs.time_code import Running
from choreon.language import tr
from choreon.model.playables import Timeline
from choreon.model.refs import Ref, name_of
from choreon.model.sends import (
    NotAMessage,
    Send,
    SendOn,
    as_midi,
    as_osc,
    osc_host,
    time_code_in,
)
from choreon.model.show import Show
from choreon.render.state import Player, PlayState
from choreon.wire.osc import write
from choreon.wire.time_code import RATES, Rate

log = logging.getLogger(__name__)

MOST, WITHIN = 20, 1.0  # as often as that in so many seconds: else it comes of itself
PULLED = 0.04  # seconds that a timeline may be pulled before it is told where it is
QUIET = 3.0  # seconds after which one that was stopped may go out again

Mark = tuple[bool, tuple[object, ...]]
"""Whether a thing is on, and at which cues."""
Marks = dict[Ref, Mark]


class Sends:
    """Looks at what plays from frame to frame. `say` sends to a MIDI device; `run` has
    such devices be told the time since something began.
    """

    def __init__(
        self,
        say: Callable[[str, bytes], None],
        run: Callable[[Mapping[str, Running]], None] = lambda running: None,
    ) -> None:
        self._say, self._run = say, run
        self._began: dict[Ref, float] = {}
        self._marks: Marks = {}
        self._times: dict[str, list[float]] = {}
        self._stopped: dict[str, float] = {}
        self._show: Show | None = None
        self._socket: socket.socket | None = None

    def follow(self, show: Show, state: PlayState) -> None:
        """Tell what changed since the frame before. Never waits."""
        if not show.sends:
            self._marks = {}
            self._run({})
            return

        self._show = show
        before, self._marks = self._marks, marks(show, state)
        for send in due(show, before, self._marks):
            if self._may(show, send):
                self._out(send)
        self._run(self._running(show, state))

    def _running(self, show: Show, state: PlayState) -> dict[str, Running]:
        """Who is told the time, and since when: what is on runs on to its end, and a
        timeline is where it is on its line.
        """
        on = {ref for ref, mark in self._marks.items() if mark[0]}
        self._began = {ref: at for ref, at in self._began.items() if ref in on}
        for player in state.players:
            if player.ref in on and not player.releasing:
                self._note_begin(show, player)

        found: dict[str, Running] = {}
        for send in show.sends.values():
            rate = _rate_of(send.message)
            began = self._began.get(send.of)
            if rate is not None and began is not None:
                found[send.to] = Running(began, rate)
        return found

    def _note_begin(self, show: Show, player: Player) -> None:
        """When the time began that somebody is told."""
        ref, cursor = player.ref, timelines.cursor_of(player)
        if cursor is None:
            self._began.setdefault(ref, min(step.at for step in player.steps))
            return
        if cursor.rate != 1.0:
            self._began.pop(ref, None)  # it stands, and is not told
            return

        begun = cursor.at - cursor.seconds - _offset(show, ref)
        if abs(self._began.get(ref, -math.inf) - begun) > PULLED:
            self._began[ref] = begun

    def _may(self, show: Show, send: Send) -> bool:
        """Whether it goes out: not one that calls forth itself again and again."""
        now = time.monotonic()
        if now - self._stopped.get(send.id, -QUIET) < QUIET:
            self._stopped[send.id] = now
            return False

        self._stopped.pop(send.id, None)
        times = [at for at in self._times.get(send.id, ()) if now - at < WITHIN]
        self._times[send.id] = [*times, now]
        stops = len(times) >= MOST
        if stops:
            self._stopped[send.id] = now
        return not stops

    @property
    def faults(self) -> list[str]:
        """What is not sent just now, in words."""
        now, show = time.monotonic(), self._show
        stopped = [i for i, at in self._stopped.items() if now - at < QUIET]
        if show is None or not stopped:
            return []
        return [
            tr(
                "What {name} sends to {to} comes back and calls it again: it is not "
                "sent for now.",
                name=name_of(show, show.sends[i].of),
                to=show.sends[i].to,
            )
            for i in stopped
            if i in show.sends
        ]

    def _out(self, send: Send) -> None:
        try:
            if _rate_of(send.message) is not None:
                return  # it runs while that is on
            if send.is_osc:
                address, values = as_osc(send.message)
                self._datagram(write(address, *values), osc_host(send.to))
            else:
                self._say(send.to, as_midi(send.message))
        except NotAMessage as error:
            log.warning("a message was not sent: %s", error)

    def _datagram(self, data: bytes, to: tuple[str, int]) -> None:
        if self._socket is None:
            self._socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            self._socket.setblocking(False)
        with contextlib.suppress(OSError):
            self._socket.sendto(data, to)

    def close(self) -> None:
        """Send no more."""
        if self._socket is not None:
            self._socket.close()
            self._socket = None


def marks(show: Show, state: PlayState) -> Marks:
    """Returns what is on of the things that anything is told of."""
    found: Marks = {}
    for ref in {send.of for send in show.sends.values()}:
        on = [p for p in state.players if p.ref == ref and not p.releasing]
        cursors = (cues.cursor_of(player) for player in on)
        at = tuple((c.cue, c.going.at) for c in cursors if c is not None and c.cue)
        found[ref] = (bool(on), at)
    return found


def due(show: Show, before: Marks, after: Marks) -> Iterator[Send]:
    """Yields what is to be told, in the order of the show."""
    for send in show.sends.values():
        was, now = before.get(send.of), after.get(send.of)
        # what nobody has looked at before did not change
        if was is not None and now is not None and _is_due(send.when, was, now):
            yield send


def _is_due(when: SendOn, was: Mark, now: Mark) -> bool:
    """Whether something has started, ended, or gone on."""
    if when == SendOn.START:
        return now[0] and not was[0]
    if when == SendOn.END:
        return was[0] and not now[0]
    return bool(now[1]) and now[1] != was[1]


def _offset(show: Show, ref: Ref) -> float:
    """The time of a clock at which a timeline begins."""
    found = show.playables.get(ref.id)
    return found.offset if isinstance(found, Timeline) else 0.0


def _rate_of(message: str) -> Rate | None:
    """The frames of time code that a message asks for; None where it is another."""
    called = time_code_in(message)
    return None if called is None else RATES[called]
