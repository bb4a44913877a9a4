"""The engine, as the window sees it: the process, the wire to it, and what plays, shown
ahead where this window changed it.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

import msgspec
from PySide6.QtCore import QObject, QSocketNotifier, QTimer, Signal

from choreon import __version__
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.actions import EVERYTHING, housekeeping
from choreon.engine.do import Do
from choreon.engine.outbox import Outbox
from choreon.engine.supervisor import is_supervised
from choreon.language import sentences, tr
from choreon.model import changes
from choreon.model.edits import merge_looks
from choreon.model.outputs import ArtnetOutput
from choreon.model.refs import BLACKOUT, GRAND, PLAYER, TEMPO, Ref, to_deed, to_tile
from choreon.model.show import Fixture, Show
from choreon.model.values import Look
from choreon.model.verbs import Edge, Verb
from choreon.render import commands
from choreon.render.state import PlayState
from choreon.ui.parts.document import Document
from choreon.ui.widgets import basics

REPLY = 4.0  # seconds an engine may take to come before another one is started
LAST = 1.0  # seconds a window that closes waits for the engine to take the rest
LOOK = 250  # milliseconds between two looks at how the engine is
GONE = 1.5  # seconds without an engine after which that is said
SILENT = 3.0  # seconds after which it is said that one does not answer
SOON = 12  # milliseconds in which moves are put together before they are sent
RETRY = 15  # milliseconds between attempts to reach an engine that is starting
ART_PORT = 6454


class EngineLink(QObject):
    """One engine. Levels that are dragged are sent together, the newest of
    each thing.
    """

    state_changed = Signal(PlayState)
    pulse = Signal(protocol.Pulse)
    ports_changed = Signal(protocol.Ports)
    control_moved = Signal(protocol.ControlMoved)
    timed = Signal(protocol.TimeCodeAt)
    sounded = Signal(protocol.SoundIs)
    music_heard = Signal(protocol.MusicIs)
    nodes_changed = Signal(protocol.Nodes)
    engine_changed = Signal(bool)
    met = Signal()
    """Another engine plays: its frames are found anew."""
    flushing = Signal()
    """What waits to be told is to be sent now."""
    told = Signal(str, str)
    mended = Signal(str)
    """What was told of the engine does not hold any more."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.state: PlayState = housekeeping.blank()
        self.ports = protocol.Ports({})
        self.nodes = protocol.Nodes()
        self.sound = protocol.SoundIs()
        self.music = protocol.MusicIs()

        self.alive = False
        self.revision = 0  # of the last change of the draft
        self._pid = 0  # of the engine that was met last
        self._told_show, self._told_edits = document.show, document.edits
        self._client: engine_client.Client | None = None

        self._notifier: QSocketNotifier | None = None
        self._outbox = Outbox()
        self._writable: QSocketNotifier | None = None
        self._serial = 0  # of the state that was heard last
        self._faults: tuple[str, ...] = ()

        self._bare = 0  # engines that failed again and again, of late
        self._gone = 0.0  # since when no engine answers; 0 while one does
        self._told_gone = ""  # what was told of an engine that is gone, or silent
        self._waiting: dict[Ref, Do] = {}
        self._live: dict[str, Look] = {}

        self._aside: Look = {}
        self._closing = False
        self._started = 0.0
        self._heard = time.monotonic()
        self._send_timer = basics.once(self, SOON, self.flush)

        self._retry = basics.once(self, RETRY, self._reach)
        self._watch = QTimer(self, interval=LOOK)
        self._watch.timeout.connect(self._watch_engine)
        document.show_changed.connect(lambda _: self._tell_show())

    def begin(self, client: engine_client.Client | None) -> None:
        """Meet the engine that plays, or start one."""
        if client is not None:
            self._take(client)
        else:
            self._start()
        self._watch.start()

    # acting

    def press(self, tile: str) -> None:
        """Press a tile."""
        self.send(Do(to_tile(tile), Verb.PRESS))

    def set_level(self, tile: str, level: float) -> None:
        """Bring a tile to a level, 0…1."""
        self._later(Do(to_tile(tile), Verb.LEVEL, level, Edge.TURN))

    def set_live(self, tile: str, look: Look) -> None:
        """Have a tile give lamps values."""
        self._live[tile] = merge_looks(self._live.get(tile, {}), look)
        self.soon()

    def take_aside(self, fixtures: Sequence[str]) -> None:
        """Take lamps out of what plays, as they are."""
        self.send(protocol.TakeAside(tuple(fixtures)))

    def set_aside(self, look: Look) -> None:
        """Give lamps that are aside other values."""
        self._aside = merge_looks(self._aside, look)
        self.soon()

    def bring_back(self, fixtures: Sequence[str] = (), seconds: float = 2.0) -> None:
        """Bring lamps that are aside back; none named: all of them."""
        self.flush()
        self.send(protocol.BringBack(tuple(fixtures), seconds))

    def deed(self, deed: str) -> None:
        """Do something to all that plays."""
        self.send(Do(to_deed(deed), Verb.PRESS))

    def set_grand(self, level: float) -> None:
        """Set the grand master, 0…1."""
        self._later(Do(GRAND, Verb.LEVEL, level, Edge.TURN))

    def set_blackout(self, on: bool) -> None:
        """Switch blackout on or off."""
        self.send(Do(BLACKOUT, Verb.SWITCH, float(on)))

    def tempo(self, verb: Verb, value: float = 1.0) -> None:
        """Do something to the tempo."""
        self.send(Do(TEMPO, verb, value))

    def release(self, player: str = "") -> None:
        """Fade out a player, or everything."""
        ref = Ref(PLAYER, player) if player else EVERYTHING
        self.send(Do(ref, Verb.RELEASE))

    def send_command(self, fixture: Fixture, command: commands.Command) -> None:
        """Send a command to a lamp, for as long as its type says."""
        seconds = commands.hold_of(command)
        for sent in commands.send(fixture, command, 0.0):
            key = f"{sent.key}/{sent.address}"
            self.send_bytes(key, sent.universe, sent.address, sent.slots, seconds)

    def send_bytes(
        self, key: str, universe: int, address: int, slots: bytes, seconds: float
    ) -> None:
        """Put bytes on slots past everything; 0 seconds ends it."""
        self.send(protocol.SendBytes(key, universe, address, slots, seconds))

    def blink(self, fixtures: Sequence[str], seconds: float = 8.0) -> None:
        """Have lamps blink above all else, for a while; nobody ends it."""
        self.send(protocol.Blink(tuple(fixtures), seconds))

    def find_nodes(self, on: bool, everywhere: bool = False) -> None:
        """Look for Art-Net nodes at the addresses that were entered, or everywhere; or
        stop looking.
        """
        outputs = self._document.show.outputs.values()
        arts = [o for o in outputs if isinstance(o, ArtnetOutput) and o.host]
        hosts = tuple(dict.fromkeys([*(o.host for o in arts), "127.0.0.1"]))
        port = next((o.port for o in arts if o.port), ART_PORT)
        self.send(protocol.FindNodes(on, hosts, port, everywhere))

    def set_sound(self, device: str, by_ear: float) -> None:
        """Sound by a card, which is heard so many seconds later than it says."""
        self.send(protocol.SetSound(device, by_ear))

    def click_at(self, at: float) -> None:
        """Have a click heard at a time of this machine's clock."""
        self.send(protocol.ClickAt(at))

    # telling

    def send(self, message: protocol.Message | Do) -> None:
        """Tell the engine something, after all that waits. It never waits for the
        engine: what that does not take now it is told later, or the next one is.
        """
        self._outbox.put(message)
        self._push()

    def _push(self) -> None:
        """Send what the line takes now, the rest when it takes more."""
        if self._client is None or not self.alive:
            return
        try:
            self._client.push(self._outbox)
        except OSError:
            self._lost()
            return
        if self._writable is not None:
            self._writable.setEnabled(self._outbox.stuck)

    def soon(self) -> None:
        """Something waits: send it in a moment, together with what comes meanwhile."""
        if not self._send_timer.isActive():
            self._send_timer.start()

    def _later(self, do: Do) -> None:
        self._waiting[do.ref] = do
        self.soon()

    def flush(self) -> None:
        """Send what waits."""
        self.flushing.emit()
        waiting, self._waiting = self._waiting, {}
        for do in waiting.values():
            self.send(do)
        live, self._live = self._live, {}
        for tile, look in live.items():
            self.send(protocol.SetLive(tile, look))
        if self._aside:
            look, self._aside = self._aside, {}
            self.send(protocol.SetAside(look))

    def _tell_show(self) -> None:
        show = self._document.show
        if self._told_show is not show:
            self._outbox.put(self._edit)
            self._push()

    def _edit(self) -> protocol.Message | None:
        """What changed in the show since the engine was told last, made when it can be
        sent: of a hundred edits it then takes one.
        """
        before, self._told_show = self._told_show, self._document.show
        if before is self._told_show:
            return None
        delta = changes.difference(before, self._told_show)
        base, self._told_edits = self._told_edits, self._document.edits
        return protocol.Edit(delta, self._told_edits, self._told_show.id, base)

    def predict(self, state: PlayState) -> None:
        """Show a state as it will be."""
        self.state = state
        self.state_changed.emit(state)

    def next_revision(self) -> int:
        """Returns the number of the next change of the draft."""
        self.revision += 1
        return self.revision

    # the process and the wire

    def _start(self) -> None:
        """Have an engine: a supervisor that lives starts it, else it is started
        here.
        """
        if not is_supervised():
            path = self._document.path
            try:
                engine_client.start_engine(path if path.exists() else None)
            except OSError as error:
                self.told.emit(
                    tr("No engine can be started: {error}.", error=error), "alarm"
                )
        self._started = time.monotonic()
        self._retry.start()

    def _reach(self) -> None:
        if self._client is not None or self._closing:
            return
        try:
            client = engine_client.Client()
        except OSError:
            if time.monotonic() - self._started > REPLY:
                self._start()
            else:
                self._retry.start()
            return
        self._take(client)

    def _take(self, client: engine_client.Client) -> None:
        self._client = client
        self._outbox.renew(client.sent)
        self.met.emit()
        kinds = QSocketNotifier.Type
        self._notifier = QSocketNotifier(client.fileno(), kinds.Read, self)
        self._notifier.activated.connect(self._read)
        self._writable = QSocketNotifier(client.fileno(), kinds.Write, self)
        self._writable.setEnabled(False)
        self._writable.activated.connect(self._push)
        self._heard = time.monotonic()
        self._read()

    def _read(self) -> None:
        if self._client is None:
            return

        try:
            messages = self._client.receive()
        except OSError:
            self._lost()
            return

        if messages:
            self._heard = time.monotonic()
            self._is_back()

        state: PlayState | None = None
        for message in messages:
            if isinstance(message, protocol.State):
                state, self._serial = message.state, message.serial
                continue

            if isinstance(message, protocol.Welcome):
                state = None  # it brings a newer one

            self._hear(message)

        if state is not None:
            self.predict(self._with_mine(state))

    def _with_mine(self, state: PlayState) -> PlayState:
        """A state with the draft as this window changed it last, while that is still on
        its way.
        """
        if state.draft.revision >= self.revision:
            return state
        draft = msgspec.structs.replace(self.state.draft, leaving=state.draft.leaving)
        return msgspec.structs.replace(state, draft=draft)

    def _hear(self, message: protocol.FromEngine) -> None:
        match message:
            case protocol.Welcome():
                self._welcomed(message)
            case protocol.Taken(count):
                self._outbox.taken(count)
            case protocol.Resend():
                self._note_told()
                self._outbox.first(self._whole())
                self._push()
            case protocol.Pulse():
                self._hear_faults(message.faults)
                self.pulse.emit(message)
            case protocol.Nodes():
                self.nodes = message
                self.nodes_changed.emit(message)
            case protocol.Ports():
                self.ports = message
                self.ports_changed.emit(message)
            case protocol.ControlMoved():
                self.control_moved.emit(message)
            case protocol.TimeCodeAt():
                self.timed.emit(message)
            case protocol.SoundIs():
                self.sound = message
                self.sounded.emit(message)
            case protocol.MusicIs():
                self.music = message
                self.music_heard.emit(message)
            case protocol.Mismatch():
                self._mismatched(message)

    def _welcomed(self, message: protocol.Welcome) -> None:
        if message.version != protocol.VERSION:
            found = protocol.Mismatch(message.version, "", message.pid)
            self._mismatched(found)
            return

        again, another = self._pid != 0, self._pid not in (0, message.pid)
        self._pid, self._gone = message.pid, 0.0
        self._is_back()
        self.alive = True

        if not again and self._knows_newer(message):
            self._document.take(message.show, message.edits)

        first = self._show_for(message)
        if again:
            first += self._mine(message)
        else:
            self.revision = message.state.draft.revision

        older = another and (message.held or message.serial < self._serial)
        self._serial = message.serial
        if message.bare or not older:
            self.predict(self._with_mine(message.state))

        self._outbox.first(*first)
        self._say(message, another)
        self._push()
        self.engine_changed.emit(True)

    def _show_for(self, message: protocol.Welcome) -> list[protocol.Message]:
        """The whole show for an engine that has another. One that came up bare for the
        second time does not get again what made it fail.
        """
        show = self._document.show
        self._bare = self._bare + 1 if message.bare else 0

        if self._bare < 2 and (message.held or message.show != show):
            whole = self._whole()
            self._note_told()
            return [whole]

        self._told_show, self._told_edits = show, message.edits
        return []

    def _knows_newer(self, message: protocol.Welcome) -> bool:
        """Whether an engine that was met has a newer state of the show that was opened:
        the window before this one died before it could write it.
        """
        document = self._document
        same = message.show.id == document.show.id and message.path == str(
            document.path
        )
        return same and not message.held and message.edits > document.edits

    def _note_told(self) -> None:
        """The engine is told of all that the document holds."""
        self._told_show = self._document.show
        self._told_edits = self._document.edits

    def _whole(self) -> protocol.PutShow:
        document = self._document
        return protocol.PutShow(document.show, str(document.path), document.edits)

    def _mine(self, message: protocol.Welcome) -> list[protocol.Message]:
        """What an engine that came after another is told of what this window knows
        better: what played, where it knows of less; the draft, where it has an older
        one.
        """
        if message.bare:
            return []
        if message.held or message.serial < self._serial:
            return [protocol.Restore(self.state)]
        if message.state.draft.revision >= self.revision:
            return []

        draft, revision = self.state.draft, self.revision
        return [
            protocol.SetDraft(look=draft.look, revision=revision),
            protocol.SetEffects(effects=draft.effects, revision=revision),
        ]

    def _say(self, message: protocol.Welcome, another: bool) -> None:
        """Tell what must be known of an engine that was met."""
        if another:
            self.told.emit(
                tr(
                    "The engine had stopped and was started again; what played goes on."
                ),
                "alarm",
            )
        elif self._started and message.resumed and message.state.players:
            text = tr("What was on when the program ended is on again.")
            self.told.emit(text, "info")
        if message.note:
            self.told.emit(message.note, "alarm")

    def _hear_faults(self, faults: tuple[str, ...]) -> None:
        """Tell what is wrong, once; and once when it is well again."""
        before, self._faults = self._faults, faults
        for text in faults:
            if text not in before:
                self.told.emit(text, "alarm")
        if before and not faults:
            self.told.emit(tr("What was wrong with the engine is mended."), "info")

    def _mismatched(self, message: protocol.Mismatch) -> None:
        """The engine that plays is of another version: it goes on, and is let be."""
        self._pid = message.pid
        self.alive = False
        self.told.emit(
            tr(
                "The engine that plays is of another version of Choreon ({release}) "
                "than this window ({version}). It plays on as it is, and this window "
                "cannot change it. To go on with this version: let it go out with "
                "“choreon stop”, then open the show again. Edits are kept meanwhile.",
                release=message.choreon or "?",
                version=__version__,
            ),
            "alarm",
        )

        self.engine_changed.emit(False)
        self._drop()

    def _drop(self) -> None:
        """Let the wire go."""
        for notifier in (self._notifier, self._writable):
            if notifier is not None:
                notifier.setEnabled(False)
        self._notifier = self._writable = None
        if self._client is not None:
            self._client.close()
            self._client = None

    def _lost(self) -> None:
        if self._client is None:
            return
        self._drop()
        self.alive = False
        if not self._closing:
            self._gone = time.monotonic()
            self.engine_changed.emit(False)
            self._start()

    def _watch_engine(self) -> None:
        """Say so where there is no engine, or it does not answer, and what is done."""
        now = time.monotonic()
        if self._closing or self._told_gone:
            return

        told = ""
        if self._client is None and now - (self._gone or self._started) > GONE:
            told = sentences(
                tr("No engine is running, so no light is sent."),
                tr("Its supervisor starts it again.")
                if is_supervised()
                else tr("It is started from here."),
                tr("What you do meanwhile is kept and told to it."),
            )
        elif self._client is not None and now - self._heard > SILENT:
            if not is_supervised():
                self._start()  # a supervisor that watches it from now on

            told = tr(
                "The engine does not answer. The fixtures keep what was sent last; "
                "what you do meanwhile is kept and told to it when it does."
            )

        if told:
            self._told_gone = told
            self.told.emit(told, "alarm")

    def _is_back(self) -> None:
        """It is there and answers: what was told of it is over."""
        if self._told_gone:
            told, self._told_gone = self._told_gone, ""
            self.mended.emit(told)

    def close(self, stop: bool, fade: float) -> None:
        """Stop the engine, or leave it playing. What it did not take yet it has a
        moment for.
        """
        self.flush()
        if stop:
            self.send(protocol.Stop(fade))

        end = time.monotonic() + LAST
        while self._client is not None and self._outbox.stuck:
            if time.monotonic() > end:
                break

            time.sleep(0.005)
            self._push()

        self._closing = True
        self._watch.stop()
        self._drop()

    @property
    def show(self) -> Show:
        """The show that the engine was told last."""
        return self._told_show

    @property
    def up_to_date(self) -> bool:
        """Whether the engine has taken all that this window has to tell it."""
        moves = self._waiting or self._live or self._aside
        return self.alive and not moves and not self._outbox
