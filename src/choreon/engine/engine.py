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
from dataclasses import dataclass

import msgspec
import numpy as np

from choreon import __version__, folders
from choreon.engine import actions, protocol, session
from choreon.engine.actions import draft, lasting, motion
from choreon.engine.ahead import Ahead
from choreon.engine.client import screen_path, socket_path
from choreon.engine.clock import PERIOD, RATE, Clock
from choreon.engine.do import Do
from choreon.engine.inputs import MidiWay, Way
from choreon.engine.inputs.base import Resolve
from choreon.engine.link import Link, Peer
from choreon.engine.screen import Screen
from choreon.model import changes
from choreon.model.refs import Ref, to_tile
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.model.verbs import Verb
from choreon.render.commands import lamps_on
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import render
from choreon.render.state import PlayState, Ramp
from choreon.wire.artnet import Finder, Reply
from choreon.wire.midi import Event
from choreon.wire.outputs import Sender

log = logging.getLogger(__name__)

replace = msgspec.structs.replace

Act = Callable[[PlayState, float], PlayState]

PULSE = 0.5  # seconds between messages on how the engine is
COMPLAIN = 10.0  # seconds between log lines on frames that fail


class AlreadyRunning(Exception):
    """Another engine holds this runtime folder."""


@dataclass(frozen=True)
class Change:
    """Another show for the frame loop, and where it goes where that changed."""

    compiled: CompiledShow
    sender: Sender | None


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
        self._lock = open(self._folder / "engine.lock", "a")  # noqa: SIM115 - for life
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._lock.close()
            raise AlreadyRunning(
                f"An engine is already running in {self._folder}."
            ) from None
        self._path, self._note = path, note
        self._cid = folders.source_id()
        kept = session.load(show.id)
        self._resumed = kept is not None
        self._state = kept or lasting.blank(show)
        self._ahead = Ahead(show, lambda: self._state)
        self._compiled = self._ahead.compiled
        if kept is None:
            self._open(show, opening)
        self._state = self._with_lamps_on(show, self._state)
        self._ahead.restore(self._state)
        self._sender = self._new_sender(self._compiled)
        self._saved: PlayState | None = None
        self._inbox: queue.SimpleQueue[Act | Change] = queue.SimpleQueue()
        self._closing: Ramp | None = None
        self._ended = False
        self._shown: tuple[CompiledShow, PlayState] | None = (
            None  # on the wire, at rest
        )
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
        self._ways: list[Way] = [
            MidiWay(
                self._asked,
                lambda: self._ahead.show,
                self._moved,
                self._ports_changed,
                self._folder / "midi",
                real_midi,
            )
        ]

    def _open(self, show: Show, opening: Sequence[str]) -> None:
        """What is on when nothing is known of what played last."""
        for tile in opening:
            do = Do(to_tile(tile), Verb.PRESS)
            self._state = actions.perform(show, self._state, do, time.monotonic())

    # the frame loop

    def run(self) -> None:
        """Play until stopped."""
        sys.setswitchinterval(0.0005)
        self._link.start()
        gc.collect()
        gc.freeze()
        wake = self._clock.wake
        self._clock = Clock()
        self._clock.wake = wake  # what was asked meanwhile sets this one
        pulse_due = complain_due = 0.0
        while not self._ended:
            now = self._clock.wait()
            begin = time.perf_counter()
            try:
                self._frame(now)
            except Exception:
                if now >= complain_due:
                    log.exception("frames fail; the lamps hold the last good one")
                    complain_due = now + COMPLAIN
            self._cost = max(self._cost, time.perf_counter() - begin)
            if now >= pulse_due:
                self._link.notice(self._pulse())
                pulse_due = now + PULSE
        self._shut_down()

    def _frame(self, now: float) -> None:
        before = self._state
        self._drain(now)
        if self._at_rest():
            self._sender.repeat(now)
        else:
            followed = motion.follow(self._compiled, self._state, now)
            self._state = lasting.prune(followed, now)
            self._render(now)
        if self._state is not before:
            self._link.state_changed()
        for way in self._ways:
            way.follow(self._compiled.show, self._state)

    def _at_rest(self) -> bool:
        """Whether what was sent last is what is on now, and stays so by itself."""
        shown = self._shown
        return (
            shown is not None
            and shown[0] is self._compiled
            and shown[1] is self._state
            and self._closing is None
        )

    def _render(self, now: float) -> None:
        state = self._scaled(now)
        frame = render(self._compiled, state, now)
        self._sender.send(frame, now)
        self._screen.publish(self._compiled.rig.universes, frame, now)
        self._clock.changed(now)
        settled = now >= self._compiled.settles(self._state)
        self._shown = (self._compiled, self._state) if settled else None

    def _drain(self, now: float) -> None:
        while True:
            try:
                item = self._inbox.get_nowait()
            except queue.Empty:
                return
            if isinstance(item, Change):
                self._state = motion.carried(
                    self._compiled, item.compiled, self._state, now
                )
                self._compiled = item.compiled
                if item.sender is not None:
                    item.sender.take_over(self._sender)
                    self._sender, self._shown = item.sender, None
                continue
            try:
                self._state = item(self._state, now)
            except actions.NotTaken as error:
                log.warning("refused: %s", error)
            except Exception:
                log.exception("an action failed")

    def _put(self, item: Act | Change) -> None:
        """Hand something to the frame loop. Callable from any thread."""
        self._inbox.put(item)
        self._clock.wake.set()

    def _scaled(self, now: float) -> PlayState:
        """The state to render: with the fade-out of a stop on top."""
        if self._closing is None:
            return self._state
        if self._closing.done(now):
            self._ended = True
        masters = self._state.masters
        grand = masters.grand * self._closing.at(now)
        return replace(self._state, masters=replace(masters, grand=grand))

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
        return replace(state, sent=(*state.sent, *sent)) if sent else state

    def stop(self, seconds: float = 0.0) -> None:
        """Fade out within `seconds`, then end. Callable from any thread, and from a
        signal.
        """
        if self._closing is None:
            length = max(seconds, PERIOD / 2)
            self._closing = Ramp(1.0, 0.0, time.monotonic(), length)

    def _shut_down(self) -> None:
        dark = np.zeros_like(self._compiled.rig.blank())
        self._sender.send(dark, float("inf"))
        self._sender.close()
        for way in self._ways:
            way.close()
        if self._finder is not None:
            self._finder.close()
        self._link.close()
        kept = PlayState(draft=self._state.draft)
        session.save(self._ahead.show.id, kept)
        self._lock.close()

    # the link's thread

    def _handle(self, peer: Peer, message: protocol.ToEngine) -> None:
        if isinstance(message, protocol.Hello):
            self._greet(peer, message)
        elif isinstance(message, protocol.Stop):
            self.stop(message.seconds)
        elif peer.stranger:
            return  # of another version: what it means is not known
        elif isinstance(message, protocol.PutShow):
            self._put_show(message)
        elif isinstance(message, protocol.Edit):
            self._adopt(changes.apply(self._ahead.show, message.delta))
        elif isinstance(message, protocol.FindNodes):
            self._find_nodes(message)
        elif isinstance(message, Do):
            self._asked([message.ref], lambda show, state: [message])
        else:
            act = self._draft_act(message) or self._other_act(message)
            if act is not None:
                self._put(act)

    def _greet(self, peer: Peer, hello: protocol.Hello) -> None:
        peer.stranger = hello.version != protocol.VERSION
        if peer.stranger:
            peer.window = False
            mismatch = protocol.Mismatch(protocol.VERSION, __version__, os.getpid())
            self._link.reply(peer, mismatch)
            log.warning("a client of version %d is not served", hello.version)
            return
        self._link.reply(
            peer,
            protocol.Welcome(
                protocol.VERSION,
                os.getpid(),
                self._path,
                self._ahead.show,
                self._state,
                self._note,
                self._resumed,
            ),
        )
        self._link.reply(peer, self._ports)
        self._link.reply(peer, self._nodes)
        self._note = ""

    def _put_show(self, message: protocol.PutShow) -> None:
        self._path = message.path
        show = message.show
        another = show.id != self._ahead.show.id
        if another:
            self._ahead.touch({}, ())
            self._put(lambda s, t: lasting.blank(show))
        self._adopt(show)
        if another:
            self._put(lambda s, t: self._with_lamps_on(show, s))

    def _adopt(self, show: Show) -> None:
        before = self._ahead.compiled
        after = self._ahead.adopt(show)
        same = (
            before.rig.universes == after.rig.universes
            and before.show.outputs == show.outputs
            and before.show.name == show.name
        )
        self._put(Change(after, None if same else self._new_sender(after)))

    def _asked(self, targets: Sequence[Ref], resolve: Resolve) -> None:
        """Something was moved or pressed. What it may start is compiled here; what it
        does is decided in the frame that shows it.
        """
        aims = self._ahead.ask(targets)

        def act(state: PlayState, now: float) -> PlayState:
            show = self._compiled.show
            for do in resolve(show, state):
                state = actions.perform(show, state, do, now, aims.get(do.ref))
            return state

        self._put(act)

    def _draft_act(self, message: protocol.ToEngine) -> Act | None:
        """What a message does to the draft; the look after it is compiled here."""
        look: Look
        match message:
            case protocol.Touch(look=more):
                look = draft.with_values(self._ahead.draft, more)
            case protocol.Untouch(lines=lines):
                look = draft.without_values(self._ahead.draft, lines)
            case protocol.SetDraft(look=whole):
                look = whole
            case protocol.SetEffects(effects=effects, revision=revision):
                self._ahead.touch(self._ahead.draft, effects)
                return lambda s, t: draft.revised(
                    draft.set_effects(self._compiled.show, s, effects, t), revision
                )
            case protocol.ClearDraft(seconds=seconds, revision=revision):
                self._ahead.touch({}, ())
                return lambda s, t: draft.revised(draft.clear(s, t, seconds), revision)
            case protocol.SetBlind(blind=blind, revision=revision):
                return lambda s, t: draft.revised(
                    draft.set_blind(s, blind, t), revision
                )
            case _:
                return None
        revision = message.revision
        self._ahead.touch(look)
        return lambda s, t: draft.revised(draft.set_draft(s, look), revision)

    def _other_act(self, message: protocol.ToEngine) -> Act | None:
        match message:
            case protocol.Blink(fixtures, seconds):
                return lambda s, t: lasting.blink(s, fixtures, t, seconds)
            case protocol.SendBytes(key, universe, address, slots, seconds):
                return lambda s, t: lasting.send_bytes(
                    s, key, universe, address, slots, t, seconds
                )
            case protocol.Restore(state):
                self._ahead.restore(state)
                return lambda s, t: lasting.prune(state, t)
        return None

    def _find_nodes(self, message: protocol.FindNodes) -> None:
        if self._finder is not None:
            self._finder.close()
            self._finder = None
        if message.on:
            try:
                self._finder = Finder(self._nodes_found, message.hosts, message.port)
            except OSError as error:
                text = f"No nodes can be looked for: {error.strerror}."
                self._nodes = protocol.Nodes((), text)
                self._link.notice(self._nodes)

    def _nodes_found(self, replies: list[Reply]) -> None:
        found = tuple(
            protocol.FoundNode(r.host, r.name, r.outputs, r.report) for r in replies
        )
        self._nodes = protocol.Nodes(found)
        self._link.notice(self._nodes)

    def _new_sender(self, compiled: CompiledShow) -> Sender:
        show = compiled.show
        return Sender(
            f"Choreon {show.name}",
            self._cid,
            show.outputs.values(),
            compiled.rig.universes,
        )

    def _tell_state(self) -> protocol.State:
        return protocol.State(self._state)

    def _keep_session(self) -> None:
        state = self._state
        if state is not self._saved and self._closing is None:
            session.save(self._ahead.show.id, state)
            self._saved = state

    # the controllers' threads

    def _moved(self, event: Event) -> None:
        self._link.notice(
            protocol.Control(
                event.port, event.kind, event.channel, event.number, event.value
            )
        )

    def _ports_changed(self, ports: dict[str, bool], trouble: str) -> None:
        self._ports = protocol.Ports(ports, trouble)
        self._link.notice(self._ports)


def run(show: Show, path: str, note: str = "", opening: Sequence[str] = ()) -> int:
    """Run an engine until it is told to stop; returns the exit code."""
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
