"""The engine: takes what is asked of it, renders a frame when one is due, sends it, and
tells what it did.
"""

from __future__ import annotations

import contextlib
import fcntl
import gc
import logging
import os
import queue
import signal
import sys
import threading
import time
from collections.abc import Callable, Sequence

import msgspec
import numpy as np

from choreon import __version__, folders
from choreon.engine import controls, playing, protocol, session
from choreon.engine.client import screen_path, socket_path
from choreon.engine.clock import PERIOD, RATE, Clock
from choreon.engine.link import Link, Peer
from choreon.engine.screen import Screen
from choreon.model import changes
from choreon.model.show import Show
from choreon.render.commands import lamps_on
from choreon.render.frame import render
from choreon.render.players import PlayState, Ramp
from choreon.render.programme import Programme, compile_show
from choreon.wire.artnet import Finder, Reply
from choreon.wire.midi import Event, Hub
from choreon.wire.sending import Sender

log = logging.getLogger(__name__)

Act = Callable[[PlayState, float], PlayState]


class AlreadyRunning(Exception):
    """Another engine holds this runtime folder."""


class Engine:
    """One show on its way to the lamps. `run` blocks until it is stopped."""

    def __init__(
        self,
        show: Show,
        path: str,
        note: str = "",
        real_midi: bool = True,
        opening: Sequence[str] = (),
    ) -> None:
        """`opening`: tiles to press where nothing is known of what played last. Raises
        AlreadyRunning.
        """
        self._folder = folders.runtime()
        self._lock = open(self._folder / "engine.lock", "a")  # noqa: SIM115 - held for life
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._lock.close()
            raise AlreadyRunning(
                f"An engine is already running in {self._folder}."
            ) from None
        self._path, self._note = path, note
        self._cid = folders.source_id()
        self._programme = compile_show(show)
        self._sender = self._new_sender(self._programme)
        kept = session.load(show.id)
        self._resumed = kept is not None
        self._state = kept or playing.blank()
        for tile in opening if kept is None else ():
            self._state = playing.press(show, self._state, tile, time.monotonic())
        self._state = self._with_lamps_on(show, self._state)
        self._programme.warm(p.scene for p in self._state.players)
        # The link's thread compiles ahead of the frame loop; this is the newest show it
        # knows.
        self._newest = self._programme
        self._saved: PlayState | None = None
        self._inbox: queue.SimpleQueue[Act | tuple[Programme, Sender | None]] = (
            queue.SimpleQueue()
        )
        self._closing: Ramp | None = None
        self._ended = False
        self._controls = controls.Controls()
        self._lights_of: tuple[Show, PlayState] | None = None
        self._screen = Screen(screen_path(self._folder))
        self._clock = Clock()
        self._cost = 0.0
        self._ports = protocol.Ports({})
        self._nodes = protocol.Nodes()
        self._finder: Finder | None = None
        self._link = Link(
            socket_path(self._folder),
            self._handle,
            self._tell_state,
            self._keep_session,
        )
        self._hub = Hub(
            self._folder / "midi", self._moved, self._ports_changed, real_midi
        )

    # the frame loop

    def run(self) -> None:
        """Play until stopped."""
        sys.setswitchinterval(0.0005)
        self._link.start()
        gc.collect()
        gc.freeze()
        self._clock = Clock()
        pulse_due = complain_due = 0.0
        while not self._ended:
            now = self._clock.wait()
            begin = time.perf_counter()
            try:
                self._frame(now)
            except Exception:
                if now >= complain_due:
                    log.exception("frames fail; the lamps hold the last good one")
                    complain_due = now + 10.0
            self._cost = max(self._cost, time.perf_counter() - begin)
            if now >= pulse_due:
                self._link.notice(self._pulse())
                pulse_due = now + 0.5
        self._shut_down()

    def _frame(self, now: float) -> None:
        before = self._state
        self._drain(now)
        self._state = playing.prune(self._state, now)
        frame = render(self._programme, self._scaled(now), now)
        self._sender.send(frame, now)
        self._screen.publish(self._programme.rig.universes, frame, now)
        if self._state is not before:
            self._link.state_changed()
        seen = (self._programme.show, self._state)
        if (
            self._lights_of is None
            or seen[0] is not self._lights_of[0]
            or seen[1] is not self._lights_of[1]
        ):
            self._lights_of = seen
            self._hub.show(controls.lights(*seen))

    def _drain(self, now: float) -> None:
        while True:
            try:
                item = self._inbox.get_nowait()
            except queue.Empty:
                return
            if isinstance(item, tuple):
                self._programme, sender = item
                if sender is not None:
                    sender.take_over(self._sender)
                    self._sender = sender
            else:
                try:
                    self._state = item(self._state, now)
                except Exception:
                    log.exception("an action failed")

    def _scaled(self, now: float) -> PlayState:
        """The state to render: with the fade-out of a stop on top."""
        if self._closing is None:
            return self._state
        if self._closing.done(now):
            self._ended = True
        masters = self._state.masters
        grand = masters.grand * self._closing.at(now)
        return msgspec.structs.replace(
            self._state, masters=msgspec.structs.replace(masters, grand=grand)
        )

    def _pulse(self) -> protocol.Pulse:
        clock = self._clock
        median, worst = clock.read_lateness()
        cost, self._cost = self._cost, 0.0
        return protocol.Pulse(
            frames=clock.frames,
            late=clock.late,
            missed=clock.missed,
            rate=RATE,
            cost=1000 * cost,
            typical=1000 * median,
            lateness=1000 * worst,
            sent=self._sender.sent,
            errors=self._sender.errors,
            outputs=tuple(protocol.Sending(*tally) for tally in self._sender.tallies()),
        )

    @staticmethod
    def _with_lamps_on(show: Show, state: PlayState) -> PlayState:
        """The state in which the lamps that shall be lit when a show opens are
        told so.
        """
        sent = lamps_on(show, time.monotonic())
        return (
            msgspec.structs.replace(state, sent=(*state.sent, *sent)) if sent else state
        )

    def stop(self, seconds: float = 0.0) -> None:
        """Fade out within `seconds`, then end. Callable from any thread, and from a
        signal.
        """
        if self._closing is None:
            self._closing = Ramp(1.0, 0.0, time.monotonic(), max(seconds, PERIOD / 2))

    def _shut_down(self) -> None:
        dark = np.zeros_like(self._programme.rig.blank())
        self._sender.send(dark, float("inf"))
        self._sender.close()
        self._hub.close()
        if self._finder is not None:
            self._finder.close()
        self._link.close()
        session.save(self._newest.show.id, PlayState(draft=self._state.draft))
        self._lock.close()

    # the link's thread

    def _handle(self, peer: Peer, message: protocol.ToEngine) -> None:
        if isinstance(message, protocol.Hello):
            self._welcome(peer)
        elif isinstance(message, protocol.PutShow):
            self._path = message.path
            another = message.show.id != self._newest.show.id
            if another:
                self._inbox.put(lambda s, t: playing.blank())
            self._adopt(message.show)
            if another:
                show = message.show
                self._inbox.put(lambda s, t: self._with_lamps_on(show, s))
        elif isinstance(message, protocol.Edit):
            self._adopt(changes.apply(self._newest.show, message.delta))
        elif isinstance(message, protocol.FindNodes):
            self._find_nodes(message)
        elif isinstance(message, protocol.Stop):
            self.stop(message.seconds)
        else:
            act = self._act_for(message)
            if act is not None:
                self._inbox.put(act)

    def _welcome(self, peer: Peer) -> None:
        state = self._state
        show, path = self._newest.show, self._path
        welcome = protocol.Welcome(
            protocol.VERSION, os.getpid(), path, show, state, self._note, self._resumed
        )
        self._link.reply(peer, welcome)
        self._link.reply(peer, self._ports)
        self._link.reply(peer, self._nodes)
        self._note = ""

    def _adopt(self, show: Show) -> None:
        before, self._newest = self._newest, compile_show(show, self._newest)
        self._newest.warm(p.scene for p in self._state.players)
        same = (
            before.rig.universes == self._newest.rig.universes
            and before.show.outputs == show.outputs
            and before.show.name == show.name
        )
        self._inbox.put(
            (self._newest, None if same else self._new_sender(self._newest))
        )

    def _find_nodes(self, message: protocol.FindNodes) -> None:
        if self._finder is not None:
            self._finder.close()
            self._finder = None
        if message.on:
            try:
                self._finder = Finder(self._nodes_found, message.hosts, message.port)
            except OSError as error:
                self._nodes = protocol.Nodes(
                    (), f"No nodes can be looked for: {error.strerror}."
                )
                self._link.notice(self._nodes)

    def _nodes_found(self, replies: list[Reply]) -> None:
        found = tuple(
            protocol.FoundNode(r.host, r.name, r.outputs, r.report) for r in replies
        )
        self._nodes = protocol.Nodes(found)
        self._link.notice(self._nodes)

    def _new_sender(self, programme: Programme) -> Sender:
        show = programme.show
        return Sender(
            f"Choreon {show.name}",
            self._cid,
            show.outputs.values(),
            programme.rig.universes,
        )

    def _act_for(self, message: protocol.ToEngine) -> Act | None:
        match message:
            case protocol.Press(tile):
                return lambda s, t: playing.press(self._programme.show, s, tile, t)
            case protocol.SetLevel(tile, level):
                return lambda s, t: playing.set_level(
                    self._programme.show, s, tile, level, t
                )
            case protocol.SetMasters(grand, blackout):
                return lambda s, t: playing.set_masters(s, grand, blackout)
            case protocol.Release(""):
                return lambda s, t: playing.release_all(self._programme.show, s, t)
            case protocol.Release(player):
                return lambda s, t: playing.release(self._programme.show, s, player, t)
            case protocol.Touch(look=look, turn=turn):
                return lambda s, t: playing.turned(playing.touch(s, look), turn)
            case protocol.Untouch(lines=lines, turn=turn):
                return lambda s, t: playing.turned(playing.untouch(s, lines), turn)
            case protocol.ClearDraft(seconds=seconds, turn=turn):
                return lambda s, t: playing.turned(
                    playing.clear_draft(s, t, seconds), turn
                )
            case protocol.SetDraft(look=whole, turn=turn):
                return lambda s, t: playing.turned(playing.set_draft(s, whole), turn)
            case protocol.SetBlind(blind=blind, turn=turn):
                return lambda s, t: playing.turned(playing.set_blind(s, blind, t), turn)
            case protocol.Blink(fixtures, seconds):
                return lambda s, t: playing.blink(s, fixtures, t, seconds)
            case protocol.SendBytes(key, universe, address, slots, seconds):
                return lambda s, t: playing.send_bytes(
                    s, key, universe, address, slots, t, seconds
                )
            case protocol.Restore(state):
                return lambda s, t: playing.prune(state, t)
        return None

    def _tell_state(self) -> protocol.State:
        return protocol.State(self._state)

    def _keep_session(self) -> None:
        state = self._state
        if state is not self._saved and self._closing is None:
            session.save(self._newest.show.id, state)
            self._saved = state

    # the controllers' threads

    def _moved(self, event: Event) -> None:
        self._inbox.put(
            lambda s, t: self._controls.apply(self._programme.show, s, event, t)
        )
        self._link.notice(
            protocol.Control(
                event.port, event.kind, event.channel, event.number, event.value
            )
        )

    def _ports_changed(self, ports: dict[str, bool], trouble: str) -> None:
        for name, is_open in ports.items():
            if not is_open:
                self._controls.takeover.forget(name)
        self._ports = protocol.Ports(ports, trouble)
        self._link.notice(self._ports)


def run(show: Show, path: str, note: str = "", opening: Sequence[str] = ()) -> int:
    """Run an engine until it is told to stop; gives the exit code."""
    logging.basicConfig(
        level=logging.INFO, format="%(asctime)s %(levelname)s %(message)s"
    )
    try:
        engine = Engine(show, path, note, opening=opening)
    except AlreadyRunning as error:
        print(error, file=sys.stderr)
        return 3
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: engine.stop())
    with contextlib.suppress(OSError):
        os.nice(-5)  # only where the user may
    threading.current_thread().name = "frames"
    log.info(
        "Choreon %s engine %d plays %s", __version__, os.getpid(), path or show.name
    )
    engine.run()
    return 0
