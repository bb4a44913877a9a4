"""The engine: takes what is asked of it, renders a frame when one is due, sends it, and
tells what it did.
"""

from __future__ import annotations

import contextlib
import gc
import logging
import os
import queue
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, cast

import msgspec
import numpy as np

from choreon import __version__, folders
from choreon.engine import actions, faults, protocol, session
from choreon.engine.actions import cues, housekeeping, motion, opening, timelines
from choreon.engine.actions.following import Wall
from choreon.engine.beat import Phase
from choreon.engine.client import screen_path, socket_path
from choreon.engine.clock import PERIOD, RATE, Clock
from choreon.engine.culprits import Culprits
from choreon.engine.do import Do
from choreon.engine.evening.log import EveningLog
from choreon.engine.film_keeper import FilmKeeper
from choreon.engine.inputs import (
    DEVICES,
    ControlMove,
    DmxDevice,
    InputDevice,
    KeysDevice,
    MidiDevice,
    Surroundings,
)
from choreon.engine.inputs.base import Resolve, is_hand_of
from choreon.engine.inputs.time_code import Running
from choreon.engine.instance_lock import AlreadyRunning, lock_of
from choreon.engine.last_frame import LastFrame, held_light
from choreon.engine.link import WINDOW, Link, Peer
from choreon.engine.looking_after import Helper, Nurse
from choreon.engine.openings import Opening
from choreon.engine.parent import Parent, heed_signals
from choreon.engine.precompiler import Precompiler
from choreon.engine.run_log import RunLog
from choreon.engine.screen import SharedFrame
from choreon.engine.sending import sender_of
from choreon.engine.sends import Sends
from choreon.engine.session import NOTHING
from choreon.engine.sounding import Sounding
from choreon.engine.window_messages import Act, act_of
from choreon.language import listed, plural, sentences, tr
from choreon.memory import Tidier
from choreon.model import changes
from choreon.model.show import Show
from choreon.render.commands import lamps_on
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import render
from choreon.render.rig import Bytes
from choreon.render.state import PlayState, Ramp
from choreon.sound.music import Music
from choreon.wire.artnet import Finder, Reply
from choreon.wire.outputs import Sender
from choreon.wire.time_code import Place

log = logging.getLogger(__name__)

replace = msgspec.structs.replace

PULSE = 0.5  # seconds between messages on how the engine is
COMPLAIN = 10.0  # seconds between log lines on what goes on failing
COPY = 1.0  # seconds between two copies of a show that is edited
LATE = 3.0  # seconds beyond its fade after which an engine that ends is let go
TOO_LONG, ENOUGH = 0.5, 0.25  # of a frame that sending may take
TIDY = 60.0  # seconds until memory that was let go is given back


@dataclass(frozen=True)
class NewShow:
    """Another show for the frame loop, where it goes where that changed, and what
    plays in it where that is not what plays now.
    """

    compiled: CompiledShow
    sender: Sender | None
    state: PlayState | None = None


class Engine:
    """One show on its way to the lamps. `run` blocks until it is stopped."""

    def __init__(self, known: Opening, real_midi: bool = True) -> None:
        """Raises AlreadyRunning and FolderRefused. Nothing else that lies on disk keeps
        it from starting.
        """
        self._folder = folders.runtime()
        self._lock = lock_of(self._folder, known.beat)
        self._beat = known.beat
        self._path, self._note, self._bare = known.path, known.note, known.bare
        self._edits = known.edits

        self._cid = folders.source_id()
        self._serial = 0
        show = known.show or Show(id=NOTHING, name="")
        self._take_up(show, known)
        self._sender = self._new_sender(self._compiled)

        self._held = self._what_is_held(known)
        self._saved: PlayState | None = None
        self._copied: Show | None = None
        self._copy_due = 0.0
        self._inbox: queue.SimpleQueue[Act | NewShow] = queue.SimpleQueue()

        self._closing: Ramp | None = None
        self._ended = False
        self._shown: tuple[CompiledShow, PlayState] | None = (
            None  # on the wire, at rest
        )
        self._frame_sent: Bytes | None = None
        self._last_slots = known.last.frame if known.last is not None else {}

        self._wall = Wall(time.time())
        self._run_log = RunLog()
        self._evening = EveningLog()
        self._screen = SharedFrame(screen_path(self._folder))
        self._clock = Clock()
        self._cost = 0.0
        self._disk = ""
        self._faults = faults.for_tests()

        self._culprits = Culprits(lambda state: self._draw(state, time.monotonic()))
        self._complain_due = self._refuse_due = 0.0
        self._ports: dict[str, protocol.Ports] = {}  # by kind of input
        self._nodes = protocol.Nodes()
        self._finder: Finder | None = None

        self._is_crowded = False

        self._abandoned: set[threading.Thread] = set()
        self._nurse = Nurse()
        self._tidier = Tidier(TIDY)
        self._parent = Parent(known.beat, known.supervised)
        self._real_midi = real_midi
        self._front = ""  # the page on the screen
        self._desks_shown = 0  # which state of other desks was sent last

        self._link = self._new_link()
        self._devices = [kind(self._surroundings()) for kind in DEVICES.values()]
        self._sends = Sends(self._say, self._run_times)
        self._films = FilmKeeper()
        self._sounding = Sounding(
            lambda: self._link.notice(self._sound()),
            self._want_sound,
            lambda: self._path,
        )

    def _take_up(self, show: Show, known: Opening) -> None:
        """Go on with what played last with a show, as far as it can be."""
        found = session.know(show.id) if known.show else session.Known()
        kept = found.state
        self._note = sentences(self._note, found.told)
        self._resumed = kept is not None

        if kept is not None and found.session is not None:
            self._serial = found.session.serial

        state = kept or _safely_opened(show)
        if kept is not None and not kept.started:
            # nothing was on since it was opened last, or it was told to end: it opens
            # anew, with the draft that there was
            state = replace(_safely_opened(show), draft=kept.draft)

        self._state = state
        self._ahead = Precompiler(compile_show(show), lambda: self._state)
        self._compiled = self._ahead.compiled
        self._state = self._with_lamps_on(show, state)

        try:
            self._ahead.restore(self._state)
        except Exception:
            log.exception("what played cannot be compiled ahead")

    def _what_is_held(self, known: Opening) -> LastFrame | None:
        """What goes on being sent where there is no show to play."""
        if known.show is not None or known.last is None:
            return None
        held = held_light(known.last, self._cid)
        if held is not None:
            self._sender = held.sender
        return held

    def _new_link(self) -> Link:
        return Link(
            socket_path(self._folder),
            self._handle,
            self._tell_state,
            self._keep_house,
            self._hand_gone,
        )

    def _surroundings(self) -> Surroundings:
        return Surroundings(
            asked=self._asked,
            newest=lambda: self._ahead.show,
            moved=self._moved,
            ports_changed=self._ports_changed,
            gone=self._hand_gone,
            timed=self._timed,
            heard=self._music,
            folder=self._folder,
            real=self._real_midi,
        )

    # the frame loop

    def run(self) -> None:
        """Play until stopped."""
        sys.setswitchinterval(0.0005)
        self._rehearse()
        self._link.start()
        gc.collect()
        gc.freeze()

        wake = self._clock.wake
        self._clock = Clock()
        self._clock.wake = wake  # what was asked meanwhile sets this one
        pulse_due = 0.0
        self._beat.enter(Phase.PLAYING)

        while not self._ended:
            now = self._clock.wait()
            begin = time.perf_counter()
            self._beat.beat(self._clock.frames)

            try:
                self._frame(now)
            except Exception:
                self._complain(now, tr("a frame failed beside its light"))

            self._cost = max(self._cost, time.perf_counter() - begin)
            if now >= pulse_due:
                pulse_due = now + PULSE
                self._look_round(now)

        self._shut_down()

    def _rehearse(self) -> None:
        """Draw a frame that is not sent. What is loaded and made only once then costs
        no time of the first that is: on a slow machine that was a second, and the
        supervisor took the engine for one that hangs.
        """
        now = time.monotonic()
        with contextlib.suppress(Exception):  # a frame that is due says what is wrong
            self._draw(self._scaled(now), now)

    def _refuse(self, now: float, error: actions.NotTaken) -> None:
        """Say that something was asked of a thing that does not take it; of a fader
        that is moved on not each time.
        """
        if now >= self._refuse_due:
            self._refuse_due = now + COMPLAIN / 10
            log.warning("refused: %s", error)

    def _complain(self, now: float, text: str) -> None:
        """Log a fault, with what caused it; of what goes on failing now and then."""
        if now >= self._complain_due:
            log.exception(text)
            self._complain_due = now + COMPLAIN

    def _frame(self, now: float) -> None:
        before = self._state
        self._faults.frame()
        self._drain(now)
        self._state = self._led(now)
        self._state = housekeeping.calmed(self._state, before, now)
        self._wall = Wall(time.time(), self._wall.now)
        if self._held is not None or self._rests(now):
            self._sender.repeat(now)
        else:
            self._play(now)
        if self._state is not before:
            self._serial += 1
            self._link.state_changed()
        for way in self._devices:
            way.follow(self._compiled.show, self._state)
        try:
            self._sends.follow(self._compiled.show, self._state)
        except Exception:
            self._complain(now, tr("what others are told could not be found"))
        try:
            self._sounding.follow(self._compiled.show, self._state, now)
        except Exception:
            self._complain(now, tr("what shall be heard could not be found"))
        self._look_outside()
        if not self._showless and self._closing is None:
            left_out = tuple(self._compiled.left_out)
            self._evening.note(self._compiled.show, self._state, now, left_out)

    def _led(self, now: float) -> PlayState:
        """The state with timelines that follow another's clock where that is."""
        places: dict[str, Place] = {}
        for way in self._devices:
            if isinstance(way, MidiDevice):
                places |= way.places(now)
        show, state = self._compiled.show, self._state
        if places:
            state = timelines.led(show, state, places, now)
        state = self._sounding.led(show, state, now)
        return timelines.beaten(show, state, now)

    def _look_outside(self) -> None:
        """Keep what other desks lay over ours, for those who ask why."""
        outside = self._dmx.outside
        if outside != self._state.outside:
            self._state = replace(self._state, outside=outside)
            self._serial += 1
            self._link.state_changed()

    def _play(self, now: float) -> None:
        """Send a new frame. Where none can be made, the last one goes on, and what is
        at fault is looked for.
        """
        state = self._state
        try:
            followed = motion.follow(self._compiled, state, now, self._wall)
            calm = housekeeping.calmed(followed, state, now)
            self._state = state = housekeeping.prune(calm, now)
            harmless = self._culprits.harmless(self._scaled(now))

            if harmless is not None:
                self._render(harmless, now)
                return
        except Exception as error:
            self._complain(now, tr("a frame failed; the last good one goes on"))
            self._compiled.forget_frames()
            self._culprits.failed(self._scaled(now), error)

        self._shown = None
        self._sender.repeat(now)
        self._culprits.search()

    def _look_round(self, now: float) -> None:
        """Twice a second: say how the engine is, and look after its helpers."""
        self._link.notice(self._pulse())
        self._beat.clients = self._link.clients
        self._parent.look(self._ended)
        try:
            for helper in self._nurse.unwell([self._link, *self._devices], now):
                self._replace(helper)
        except Exception:
            self._complain(now, tr("a helper could not be replaced"))

    def _replace(self, helper: Helper) -> None:
        """Put another in the place of a helper that died or hangs. What the old one
        still does, should it ever wake, is not taken.
        """
        self._abandoned.add(helper.thread)
        if helper is self._link:
            self._link.abandon()
            # what it was compiling stays locked with it
            self._ahead = Precompiler(self._compiled, lambda: self._state)
            self._ahead.adopt_draft(self._state)
            self._link = self._new_link()
            self._link.start()

            self._note = tr("The line to the engine had stood still and was made anew.")
        else:
            hung = cast("InputDevice", helper)
            self._devices = [way for way in self._devices if way is not hung]
            hung.abandon()
            made = type(hung)(self._surroundings())
            made.layers.front = self._front
            self._devices.append(made)

    def _rests(self, now: float) -> bool:
        """Whether nothing is to be done: all stands, and nothing follows by itself."""
        if not self._at_rest():
            return False
        return now < motion.next_due(self._compiled, self._state, now, self._wall)

    def _at_rest(self) -> bool:
        """Whether what was sent last is what is on now, and stays so by itself."""
        shown = self._shown
        return (
            shown is not None
            and shown[0] is self._compiled
            and shown[1] is self._state
            and self._closing is None
            and self._desks_shown == self._dmx.version
        )

    def _say(self, port: str, data: bytes) -> None:
        """Send a message to a MIDI device."""
        for way in self._devices:
            if isinstance(way, MidiDevice):
                way.say(port, data)

    def _run_times(self, running: Mapping[str, Running]) -> None:
        """Tell MIDI devices the time since something began."""
        for way in self._devices:
            if isinstance(way, MidiDevice):
                way.run_times(running)

    @property
    def _dmx(self) -> DmxDevice:
        """The desks that are listened to."""
        return next(way for way in self._devices if isinstance(way, DmxDevice))

    def _draw(self, state: PlayState, now: float) -> Bytes:
        """A frame of a state."""
        self._faults.draw(state)
        return render(self._compiled, state, now)

    def _render(self, state: PlayState, now: float) -> None:
        drawn = self._draw(state, now)
        desks = self._dmx
        # one that is still on its way is drawn once more when it is there
        self._desks_shown = -1 if desks.stirs() else desks.version
        universes = self._compiled.rig.universes
        frame = desks.laid_over(self._compiled.show, universes, drawn)
        self._sender.send(frame, now)
        self._frame_sent = frame
        self._screen.publish(self._compiled.rig.universes, frame, now)
        self._clock.changed(now)
        settled = now >= self._compiled.settles(state)
        self._shown = (self._compiled, self._state) if settled else None

    def _drain(self, now: float) -> None:
        while True:
            try:
                item = self._inbox.get_nowait()
            except queue.Empty:
                return

            if isinstance(item, NewShow):
                self._change(item, now)
                continue

            if self._held is not None:
                continue  # there is nothing yet that could be done

            try:
                self._state = item(self._state, now)
            except actions.NotTaken as error:
                log.warning("refused: %s", error)
            except Exception:
                log.exception("an action failed")

    def _change(self, change: NewShow, now: float) -> None:
        try:
            self._state = change.state or motion.carried(
                self._compiled, change.compiled, self._state, now
            )
        except Exception:
            log.exception("what moves could not be carried over")
        self._compiled, self._held = change.compiled, None
        if change.sender is not None:
            change.sender.take_over(self._sender)
            self._sender, self._shown = change.sender, None

    def _put(self, item: Act | NewShow) -> None:
        """Hand something to the frame loop. Callable from any thread; of one that was
        given up nothing is taken.
        """
        if threading.current_thread() in self._abandoned:
            return
        self._inbox.put(item)
        self._clock.wake.set()

    def _scaled(self, now: float) -> PlayState:
        """The state to render: with the fade-out of a stop on top."""
        if self._closing is None:
            return self._state
        if self._closing.done(now):
            self._ended = True
        masters = replace(self._state.masters, closing=self._closing.at(now))
        return replace(self._state, masters=masters)

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
            faults=self._faulty(),
        )

    def _faulty(self) -> tuple[str, ...]:
        """What is wrong, in words, for as long as it is."""
        found = [
            self._culprits.told(),
            self._disk,
            self._screen.trouble,
            self._crowded(),
            *self._sends.faults,
            *self._sounding.faults(self._compiled.show),
            *self._films.faults(),
            self._evening.trouble,
        ]

        names = [_named(self._compiled.show, i) for i in self._compiled.left_out]
        if names:
            found.append(
                plural(
                    len(names),
                    "{names} cannot be played and is left out; the rest plays.",
                    "{names} cannot be played and are left out; the rest plays.",
                    names=listed(names, 4),
                )
            )

        if self._held is not None:
            found.append(
                tr(
                    "There is no show to play: the fixtures keep what was sent last "
                    "until one is opened."
                )
            )

        return tuple(text for text in found if text)

    def _crowded(self) -> str:
        """What is told where sending takes so long that frames come too late."""
        # once it is told it has to be much better before it is taken back
        self._is_crowded = self._sender.effort > PERIOD * (
            ENOUGH if self._is_crowded else TOO_LONG
        )

        if not self._is_crowded:
            return ""
        return plural(
            len(self._sender.streams),
            "Sending to {n} output takes most of each frame, so the light may stutter. "
            "Turn off outputs that are not needed, or send several by one broadcast or "
            "multicast.",
            "Sending to {n} outputs takes most of each frame, so the light may "
            "stutter. Turn off outputs that are not needed, or send several by one "
            "broadcast or multicast.",
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
        signal. A frame loop that hangs is not waited for.
        """
        if self._closing is None:
            self._beat.enter(Phase.ENDING)
            self._parent.end_within(max(0.0, seconds) + LATE)
            if self._held is not None:
                self._ended = True
            length = max(seconds, PERIOD / 2)
            self._closing = Ramp(1.0, 0.0, time.monotonic(), length)

    def _shut_down(self) -> None:
        if self._held is None:
            dark = np.zeros_like(self._compiled.rig.blank())
            self._sender.send(dark, float("inf"))
        self._sender.close()
        self._sounding.close()
        self._films.end()
        self._evening.close()
        for way in self._devices:
            way.close()
        if self._finder is not None:
            self._finder.close()
        self._link.close()
        if self._held is None:
            kept = PlayState(draft=self._state.draft)
            session.save(self._ahead.show.id, kept, self._state, self._serial)
        os.close(self._lock)

    # the link's thread

    def _handle(self, peer: Peer, message: protocol.ToEngine) -> None:
        handlers: dict[type, Callable[[Peer, Any], None]] = {
            protocol.Hello: self._greet,
            protocol.Stop: lambda peer, stop: self.stop(stop.seconds),
            protocol.PutShow: lambda peer, put: self._put_show(put),
            protocol.Edit: self._edit,
            protocol.FindNodes: lambda peer, find: self._find_nodes(find),
            Do: self._do,
            protocol.Learning: self._learn,
            protocol.MoveControl: self._move_control,
            protocol.Front: self._come_to_front,
            protocol.SetSound: self._set_sound,
            protocol.ClickAt: lambda peer, click: self._sounding.click(click.at),
            protocol.Fault: lambda peer, fault: self._faults.make(fault.kind),
        }
        if peer.stranger and not isinstance(message, protocol.Hello | protocol.Stop):
            return  # of another version: what it means is not known

        handler = handlers.get(type(message))
        if handler is not None:
            handler(peer, message)
            return

        assert not isinstance(message, Do)
        act = act_of(message, self._ahead, lambda: self._compiled.show)
        if act is not None:
            self._put(act)

    def _do(self, peer: Peer, do: Do) -> None:
        """A window does something."""
        self._asked([do], lambda show, state: [do], peer.hand)

    def _learn(self, peer: Peer, learning: protocol.Learning) -> None:
        """Controls are only told, or do things again."""
        for way in self._devices:
            way.learning = learning.on

    def _set_sound(self, peer: Peer, wanted: protocol.SetSound) -> None:
        """This machine sounds otherwise."""
        try:
            self._sounding.set(wanted.device, wanted.by_ear)
        except OSError as error:
            log.warning("how this machine sounds cannot be kept: %s", error)
        self._link.notice(self._sound())

    def _come_to_front(self, peer: Peer, front: protocol.Front) -> None:
        """Another page is in front: controllers follow it."""
        self._front = front.page
        for way in self._devices:
            way.layers.front = front.page

    def _move_control(self, peer: Peer, message: protocol.MoveControl) -> None:
        """A control was moved that only the window sees."""
        value = min(1.0, max(0.0, message.value))
        for way in self._devices:
            if isinstance(way, KeysDevice) and way.kind == message.control.kind:
                way.moved(ControlMove(message.control, value))

    def _edit(self, peer: Peer, edit: protocol.Edit) -> None:
        own = self._ahead.show.id, self._edits
        if own[0] == NOTHING or (edit.show and (edit.show, edit.base) != own):
            log.warning("an edit of another state of the show: all of it is asked for")
            self._link.reply(peer, protocol.Resend())
            return
        try:
            show = changes.apply(self._ahead.show, edit.delta)
        except Exception as error:
            log.warning("an edit does not fit (%s): the whole show is asked for", error)
            self._link.reply(peer, protocol.Resend())
            return
        self._edits = edit.edits
        self._adopt(show)

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
                self._serial,
                self._showless,
                self._bare,
                self._edits,
            ),
        )

        self._link.reply(peer, self._all_ports())
        self._link.reply(peer, self._nodes)
        self._link.reply(peer, self._sound())
        self._note = ""

    def _put_show(self, message: protocol.PutShow) -> None:
        self._path, self._edits = message.path, message.edits
        show = message.show
        held = self._showless
        if not held and show.id == self._ahead.show.id:
            self._adopt(show)
            return
        known = session.load(show.id) if held and not self._bare else None
        self._ahead.touch({}, ())
        self._adopt(show, known or _safely_opened(show))

    @property
    def _showless(self) -> bool:
        """Whether there is no show: what it has is nobody's, and never to be kept."""
        return self._held is not None or self._ahead.show.id == NOTHING

    def _adopt(self, show: Show, state: PlayState | None = None) -> None:
        """Take another show, or an edit of the same one. `state`: what shall play in
        it, instead of what plays now; until both are compiled nothing changes.
        """
        before = self._ahead.compiled
        after = self._ahead.adopt(show)
        if state is not None:
            state = self._with_lamps_on(show, state)
            self._ahead.restore(state)

        same = (
            before.rig.universes == after.rig.universes
            and before.show.outputs == show.outputs
            and before.show.name == show.name
        )
        sender = None if same else self._new_sender(after)
        self._put(NewShow(after, sender, state))

    def _asked(self, likely: Sequence[Do], resolve: Resolve, hand: str) -> None:
        """Something was moved or pressed. What it may start is compiled here; what it
        does is decided in the frame that shows it.
        """
        ways = self._ahead.ask(likely)

        def act(state: PlayState, now: float) -> PlayState:
            show = self._compiled.show
            for do in resolve(show, state):
                try:
                    state = actions.perform(
                        show, state, do, now, ways.get(do.ref), hand
                    )
                except actions.NotTaken as error:
                    self._refuse(now, error)  # what else was asked for is done
            return state

        self._put(act)

    def _hand_gone(self, hand: str) -> None:
        """A window or a controller went away: what it held on goes out, and what it
        wanted to learn it does not.
        """
        for way in self._devices:
            way.learning = False
            if isinstance(way, KeysDevice) and is_hand_of(hand, WINDOW):
                way.window_gone()
        self._put(lambda s, t: actions.hands_off(self._compiled.show, s, hand, t))

    def _find_nodes(self, message: protocol.FindNodes) -> None:
        if self._finder is not None:
            self._finder.close()
            self._finder = None
        if message.on:
            try:
                self._finder = Finder(
                    self._nodes_found, message.hosts, message.port, message.everywhere
                )
            except OSError as error:
                text = tr(
                    "No nodes can be looked for: {strerror}.", strerror=error.strerror
                )
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
        name, outputs = f"Choreon {show.name}", show.outputs.values()
        return sender_of(name, self._cid, outputs, compiled.rig.universes)

    def _tell_state(self) -> protocol.State:
        return protocol.State(self._state, self._serial)

    def _keep_house(self) -> None:
        """In the link's thread, whenever it has a moment."""
        self._ahead.foresee()
        self._ahead.foresee_lines()
        self._get_ready()
        self._run_log.look(self._ahead.show, self._state)
        self._keep_session()
        on = {player.ref for player in self._state.players}
        self._films.want(self._ahead.show, self._path, on)
        self._tidier.look()

    def _get_ready(self) -> None:
        """Have dark lamps go ahead to where the next cues want them."""
        basis = self._state
        ready = None if self._showless else self._ahead.ready(basis)
        if ready is None:
            return

        def act(state: PlayState, now: float) -> PlayState:
            # what came in between may have lit them
            names = housekeeping.DISTURBS
            same = all(getattr(state, n) is getattr(basis, n) for n in names)
            return replace(state, ready=ready) if same else state

        self._put(act)

    def _keep_session(self) -> None:
        if self._closing is not None or self._showless:
            return

        state, show, now = self._state, self._ahead.show, time.monotonic()
        if show is not self._copied and now >= self._copy_due:
            self._copied, self._copy_due = show, now + COPY
            self._disk = session.save_show(self._path, show, self._edits)

        if state is not self._saved:
            self._saved = state
            compiled, frame = self._compiled, self._frame_sent
            slots = self._last_slots

            if frame is not None and len(frame) == len(compiled.rig.universes):
                universes = compiled.rig.universes
                slots = {u: frame[i].tobytes() for i, u in enumerate(universes)}

            self._disk = session.save(
                *(show.id, state, None, self._serial, f"Choreon {show.name}"),
                *(tuple(show.outputs.values()), slots),
            )

    # the controllers' threads

    def _moved(self, move: ControlMove) -> None:
        moved = protocol.ControlMoved(move.control, move.value, move.steps)
        self._link.notice(moved)

    def _timed(self, device: str, place: Place) -> None:
        self._link.notice(protocol.TimeCodeAt(device, *place))

    def _music(self, music: Music) -> None:
        self._link.notice(
            protocol.MusicIs(
                *(music.levels, music.bpm, music.sure, music.sources, music.trouble)
            )
        )

    def _ports_changed(self, kind: str, ports: dict[str, bool], trouble: str) -> None:
        self._ports = {**self._ports, kind: protocol.Ports(ports, trouble)}
        self._link.notice(self._all_ports())

    def _want_sound(self, wanted: bool) -> None:
        self._beat.wants_sound = wanted

    def _sound(self) -> protocol.SoundIs:
        """How this machine sounds."""
        sounding = self._sounding
        heard = sounding.heard
        return protocol.SoundIs(
            heard.device,
            sounding.settings.device,
            heard.devices,
            heard.silent,
            heard.latency,
            sounding.by_ear,
            heard.trouble,
            tuple(sounding.missing),
        )

    def _all_ports(self) -> protocol.Ports:
        """The devices of all kinds."""
        known = self._ports.values()
        ports = {
            name: is_open for told in known for name, is_open in told.ports.items()
        }
        return protocol.Ports(ports, sentences(*(t.trouble for t in known)))


def opened(show: Show) -> PlayState:
    """Returns what is on when a show opens."""
    now = time.monotonic()
    return cues.begun(show, opening.opened(show, housekeeping.blank(show), now), now)


def _safely_opened(show: Show) -> PlayState:
    try:
        return opened(show)
    except Exception:
        log.exception("what is on when the show opens cannot be started")
        return housekeeping.blank()


def _named(show: Show, thing: str) -> str:
    found = show.fixtures.get(thing) or show.playables.get(thing)
    return found.name if found is not None else thing


def run(known: Opening) -> int:
    """Run an engine until it is told to stop; returns the exit code."""
    try:
        engine = Engine(known)
    except AlreadyRunning as error:
        print(error, file=sys.stderr)
        return 3
    except folders.FolderRefused as error:
        print(error, file=sys.stderr)
        return 4

    heed_signals(engine.stop)
    with contextlib.suppress(OSError):
        os.nice(-5)  # only where the user may

    threading.current_thread().name = "frames"
    log.info(
        "Choreon %s engine %d plays %s",
        __version__,
        os.getpid(),
        known.path or "a show",
    )

    engine.run()
    return 0
