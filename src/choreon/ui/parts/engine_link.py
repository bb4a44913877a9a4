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
from choreon.engine.actions import EVERYTHING, lasting
from choreon.engine.do import Do
from choreon.model import changes
from choreon.model.outputs import ArtnetOutput
from choreon.model.refs import BLACKOUT, GRAND, PLAYER, TEMPO, Ref, to_tile
from choreon.model.show import Fixture, Show
from choreon.model.verbs import Edge, Verb
from choreon.render import commands
from choreon.render.state import PlayState
from choreon.ui.parts.document import Document
from choreon.ui.widgets import basics

REPLY = 4.0  # seconds an engine may take to answer before it counts as dead
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
    control_moved = Signal(protocol.Control)
    nodes_changed = Signal(protocol.Nodes)
    engine_changed = Signal(bool)
    met = Signal()
    """Another engine plays: its frames are found anew."""
    flushing = Signal()
    """What waits to be told is to be sent now."""
    told = Signal(str, str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.state: PlayState = lasting.blank()
        self.ports = protocol.Ports({})
        self.nodes = protocol.Nodes()
        self.alive = False
        self.revision = 0  # of the last change of the draft
        self._pid = 0  # of the engine that was met last
        self._told_show = document.show
        self._client: engine_client.Client | None = None
        self._notifier: QSocketNotifier | None = None
        self._waiting: dict[Ref, Do] = {}
        self._closing = False
        self._started = 0.0
        self._heard = time.monotonic()
        self._send_timer = basics.once(self, SOON, self.flush)
        self._retry = basics.once(self, RETRY, self._reach)
        self._watch = QTimer(self, interval=1000)
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

    def find_nodes(self, on: bool) -> None:
        """Look for Art-Net nodes, or stop looking."""
        outputs = self._document.show.outputs.values()
        arts = [o for o in outputs if isinstance(o, ArtnetOutput) and o.host]
        hosts = tuple(dict.fromkeys([*(o.host for o in arts), "127.0.0.1"]))
        port = next((o.port for o in arts if o.port), ART_PORT)
        self.send(protocol.FindNodes(on, hosts, port))

    # telling

    def send(self, message: protocol.Message | Do) -> None:
        """Tell the engine something, after all that waits."""
        if self._client is None:
            return
        try:
            self._client.send(message)
        except OSError:
            self._lost()

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

    def _tell_show(self) -> None:
        show = self._document.show
        if self._client is not None and self._told_show is not show:
            before, self._told_show = self._told_show, show
            self.send(protocol.Edit(changes.difference(before, show)))

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
        self._document.flush(1.0)
        path = self._document.path
        engine_client.start_engine(path if path.exists() else None)
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
        self.met.emit()
        read = QSocketNotifier.Type.Read
        self._notifier = QSocketNotifier(client.fileno(), read, self)
        self._notifier.activated.connect(self._read)
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
        state: PlayState | None = None
        for message in messages:
            if isinstance(message, protocol.State):
                state = message.state
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
            case protocol.Pulse():
                self.pulse.emit(message)
            case protocol.Nodes():
                self.nodes = message
                self.nodes_changed.emit(message)
            case protocol.Ports():
                self.ports = message
                self.ports_changed.emit(message)
            case protocol.Control():
                self.control_moved.emit(message)
            case protocol.Mismatch():
                self._mismatched(message)

    def _welcomed(self, message: protocol.Welcome) -> None:
        if message.version != protocol.VERSION:
            found = protocol.Mismatch(message.version, "", message.pid)
            self._mismatched(found)
            return
        another = self._pid not in (0, message.pid)
        self._pid = message.pid
        self.alive = True
        show = self._document.show
        if another:
            # The engine died and was started again: it gets back what this window last
            # knew.
            self._told_show = show
            self.send(protocol.PutShow(show, str(self._document.path)))
            self.send(protocol.Restore(self.state))
            self.told.emit(
                "The engine had stopped and was started again; what played goes on.",
                "alarm",
            )
        else:
            self._told_show = message.show if message.show != show else show
            self.revision = message.state.draft.revision
            self.predict(message.state)
            self._tell_show()
            if self._started and message.resumed and message.state.players:
                text = "What was on when the program ended is on again."
                self.told.emit(text, "info")
        if message.note:
            self.told.emit(message.note, "alarm")
        self.engine_changed.emit(True)

    def _mismatched(self, message: protocol.Mismatch) -> None:
        """The engine that plays is of another version: it goes on, and is let be."""
        self._pid = message.pid
        self.alive = False
        release = f" ({message.choreon})" if message.choreon else ""
        self.told.emit(
            f"The engine that plays is of another version of Choreon{release} "
            "than this "
            f"window ({__version__}). It plays on as it is, and this window cannot "
            "change it. To go on with this version: let it go out with “choreon stop”, "
            "then open the show again. Edits are kept meanwhile.",
            "alarm",
        )
        self.engine_changed.emit(False)
        self._drop()

    def _drop(self) -> None:
        """Let the wire go."""
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier = None
        if self._client is not None:
            self._client.close()
            self._client = None

    def _lost(self) -> None:
        if self._client is None:
            return
        self._drop()
        if not self._closing:
            self.engine_changed.emit(False)
            self._start()

    def _watch_engine(self) -> None:
        silent = time.monotonic() - self._heard > REPLY
        if self._client is not None and silent and not self._closing:
            self.told.emit("The engine does not answer.", "alarm")
            self._heard = time.monotonic()

    def close(self, stop: bool, fade: float) -> None:
        """Stop the engine, or leave it playing."""
        self._closing = True
        self.flush()
        if stop:
            self.send(protocol.Stop(fade))
        self._watch.stop()
        self._drop()

    @property
    def show(self) -> Show:
        """The show that the engine was told last."""
        return self._told_show
