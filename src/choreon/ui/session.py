"""What the window knows: the show and its history, what plays, what is chosen; and the
wires to engine and disk.

Every view listens to this one object and asks it for changes. It is the only part of
the window that edits the show.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec
from PySide6.QtCore import QSocketNotifier, QTimer, Signal

from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import playing, protocol
from choreon.formats.autosave import Autosave, Kept
from choreon.library import library, own
from choreon.model import changes, choosing
from choreon.model.attributes import attribute
from choreon.model.checks import check_rig
from choreon.model.edits import filled, merge_looks
from choreon.model.fixture_type import FixtureType
from choreon.model.history import History
from choreon.model.problem import Problem
from choreon.model.show import Fixture, Show
from choreon.model.values import Look
from choreon.render import choice, commands, open_up
from choreon.render.players import PlayState
from choreon.ui.lighting import Lighting
from choreon.ui.widgets import basics

GESTURE = 0.8  # seconds between touches of the draft that undo takes as one
REPLY = 4.0  # seconds an engine may take to answer before it counts as dead


class Session(Lighting):
    """One show, open in a window."""

    show_changed = Signal(object)
    history_changed = Signal()
    state_changed = Signal(object)
    chosen_changed = Signal(object)
    kept_changed = Signal(object)
    pulse = Signal(object)
    ports_changed = Signal(object)
    control_moved = Signal(object)
    engine_changed = Signal(bool)
    nodes_changed = Signal(object)
    types_changed = Signal()
    working = Signal(str)  # what goes on beside the window; empty when it is over
    told = Signal(str, str)  # text, and its kind: info or alarm
    _kept = Signal(object)

    def __init__(
        self, show: Show, path: Path, client: engine_client.Client | None = None
    ) -> None:
        super().__init__()
        self.path = path
        self.history = History(show)
        self.chosen: tuple[str, ...] = ()
        self.cells: dict[
            str, tuple[int, ...]
        ] = {}  # of the chosen that are not chosen wholly
        self.each_cell = False  # whether the choice goes cell by cell
        self.pool: tuple[
            str, ...
        ] = ()  # the choice that one is taken out of, while it is alone
        self.chosen_before: tuple[str, ...] = ()
        self.taken = ""  # what was taken into the draft: `scene:ID` or `palette:ID`
        self.kept = Kept(time.time(), path)
        self.ports = protocol.Ports({})
        self.nodes = protocol.Nodes()
        self.own_types: dict[str, FixtureType] = {}
        self._problems: tuple[tuple[object, object], list[Problem]] | None = None
        self.alive = False
        self._pid = 0  # of the engine that was met last
        self._told_engine = show
        self._client: engine_client.Client | None = None
        self._notifier: QSocketNotifier | None = None
        self._turn = 0  # of the last change of the draft
        self._touched: Look = {}
        self._touched_at = 0.0
        self._levels: dict[str, float] = {}
        self._grand: float | None = None
        self._closing = False
        self._started = 0.0
        self._kept.connect(self._on_kept)
        self._autosave = Autosave(path, self._kept.emit)
        self._send_timer = basics.once(self, 12, self._send_waiting)
        self._retry = basics.once(self, 15, self._reach_engine)
        self._watch = QTimer(self, interval=1000)
        self._watch.timeout.connect(self._watch_engine)
        self._heard = time.monotonic()
        self.types_trouble = self.read_types()
        if client is not None:
            self._take_client(client)
        else:
            self._start_engine()
        self._watch.start()

    # the show

    @property
    def show(self) -> Show:
        return self.history.show

    def problems(self) -> list[Problem]:
        """What is wrong with the rig."""
        made_of = (self.show.fixtures, self.show.types)
        if self._problems is None or any(
            a is not b for a, b in zip(self._problems[0], made_of, strict=True)
        ):
            self._problems = (made_of, check_rig(self.show))
        return self._problems[1]

    def edit(
        self, name: str, show: Show, merge: bool = False, draft: Look | None = None
    ) -> None:
        """Make an edit: `name` is what undo calls it, `merge` makes a drag one step,
        `draft` what it makes of that.
        """
        if show is self.show:
            return
        before = self.state.draft.look
        if draft is None or draft == before:
            self.history.do(name, show, merge)
            self._changed()
        else:
            self.history.do(name, show, merge, before, draft)
            self._put_draft(draft)
            self._changed()

    def store(self, name: str, show: Show) -> None:
        """An edit that stores the draft: the draft is let go with it, and comes back
        with undo.
        """
        self.history.do(name, show, before=self.state.draft.look, after={})
        self._changed()
        self._let_go()

    def undo(self) -> None:
        step = self.history.undo()
        if step is not None:
            self._went(step.before, f"Undone: {step.name}")

    def redo(self) -> None:
        step = self.history.redo()
        if step is not None:
            self._went(step.after, f"Done again: {step.name}")

    def _went(self, draft: Look | None, said: str) -> None:
        """After a step back or forward: show it, and put the draft back where the step
        changed it.
        """
        self._changed()
        if draft is not None:
            self._put_draft(draft)
        self.told.emit(said, "info")

    def _changed(self) -> None:
        self.relight()
        self._autosave.keep(self.show)
        self._tell_engine()
        gone = [i for i in self.chosen if i not in self.show.fixtures]
        self.show_changed.emit(self.show)
        if gone:
            self.choose([i for i in self.chosen if i not in gone])

    def _on_kept(self, kept: Kept) -> None:
        fresh = kept.trouble and kept.trouble != self.kept.trouble
        self.kept = kept
        self.kept_changed.emit(kept)
        if fresh:
            self.told.emit(kept.trouble, "alarm")

    # types

    def read_types(self) -> list[str]:
        """Read the user's own types anew; gives what could not be read, in words."""
        self.own_types, trouble = own.own_types()
        self.types_changed.emit()
        return trouble

    def kinds(self) -> dict[str, FixtureType]:
        """What can be hung: the library, the user's own types, and those of the
        show.
        """
        return {**library(), **self.own_types, **self.show.types}

    def keep_type(self, kind: FixtureType) -> bool:
        """Keep one of the user's types in the data folder; tells what is wrong where it
        cannot be.
        """
        try:
            own.keep(kind)
        except OSError as error:
            self.told.emit(
                f"{kind.label} could not be written among your types "
                f"({error.strerror}). It is kept in this show "
                "as long as it hangs here.",
                "alarm",
            )
            return False
        self.own_types = {**self.own_types, kind.id: kind}
        self.types_changed.emit()
        return True

    # choosing

    def choose(
        self, fixtures: Sequence[str], cells: Mapping[str, Sequence[int]] | None = None
    ) -> None:
        """Choose fixtures, in this order; of those in `cells` only some of their
        cells.
        """
        chosen = tuple(dict.fromkeys(i for i in fixtures if i in self.show.fixtures))
        own = {
            i: tuple(dict.fromkeys(c))
            for i, c in (cells or {}).items()
            if i in chosen and c
        }
        if chosen != self.chosen or own != self.cells:
            if len(self.chosen) and set(self.chosen) != set(chosen):
                self.chosen_before = self.chosen
            self.chosen, self.cells, self.pool = chosen, own, ()
            self.chosen_changed.emit(chosen)

    def toggle(self, fixtures: Sequence[str]) -> None:
        """Add fixtures to the choice, or take them away where all are in it."""
        if all(i in self.chosen for i in fixtures):
            self.choose([i for i in self.chosen if i not in fixtures], self.cells)
        else:
            self.choose(
                [*self.chosen, *fixtures],
                {i: c for i, c in self.cells.items() if i not in fixtures},
            )

    def toggle_cell(self, fixture: str, cell: int) -> None:
        """Add one cell to the choice, or take it away."""
        count = choice.cell_count(self.programme.rig, fixture)
        whole = tuple(range(1, count + 1))
        own = self.cells.get(fixture, whole if fixture in self.chosen else ())
        own = tuple(c for c in own if c != cell) if cell in own else (*own, cell)
        others = {i: c for i, c in self.cells.items() if i != fixture}
        if not own:
            self.choose([i for i in self.chosen if i != fixture], others)
        else:
            part = {} if set(own) == set(whole) else {fixture: own}
            self.choose([*self.chosen, fixture], others | part)

    def choose_alone(self, step: int) -> None:
        """One of the choice alone: the next one, or the one before."""
        pool = self.pool or self.chosen
        alone = self.chosen[0] if self.pool and len(self.chosen) == 1 else None
        one = choosing.next_of(pool, alone, step)
        if one is not None and len(pool) > 1:
            self.choose([one])
            self.pool = pool
            self.chosen_changed.emit(self.chosen)

    def choose_pool(self) -> None:
        """The whole choice again, after one of it was alone."""
        if self.pool:
            self.choose(self.pool)

    def set_each_cell(self, on: bool) -> None:
        """Have the choice go cell by cell, or fixture by fixture."""
        if on != self.each_cell:
            self.each_cell = on
            if not on:
                self.cells = {}
            self.chosen_changed.emit(self.chosen)

    def items(self) -> list[choice.Item]:
        """The choice one by one: fixtures, or cells."""
        return choice.items(self.programme.rig, self.chosen, self.cells, self.each_cell)

    def takes(self, fixture: str, name: str) -> bool:
        """Whether a value for an attribute means something to a fixture."""
        return self.programme.rig.takes(fixture, name)

    # at once

    def open_up(self) -> None:
        """Make the chosen shine."""
        look, lamps = {}, 0
        for i in self.chosen:
            fixture = self.show.fixtures[i]
            kind = self.show.types.get(fixture.type)
            if kind is not None:
                look[i] = open_up.opened(self.programme.rig, kind, fixture)
                for command in commands.commands_of(kind, fixture.mode):
                    if command.lamp_on:
                        self.send_command(fixture, command)
                        lamps += 1
        if look:
            self.touch(look)
        if lamps:
            self.told.emit(f"Lamp on was sent to {lamps}.", "info")

    def home(self) -> None:
        """Put the chosen at home, dark."""
        look = {i: open_up.home(self.programme.rig, i) for i in self.chosen}
        look = {i: values for i, values in look.items() if values}
        if look:
            self.touch(look)

    def send_command(self, fixture: Fixture, command: commands.Command) -> None:
        """Send a command to a lamp, for as long as its type says."""
        for sent in commands.send(fixture, command, 0.0):
            seconds = commands.hold_of(command)
            key = f"{sent.key}/{sent.address}"
            self._send(
                protocol.SendBytes(
                    key, sent.universe, sent.address, sent.slots, seconds
                )
            )

    def send_bytes(
        self, key: str, universe: int, address: int, slots: bytes, seconds: float
    ) -> None:
        """Put bytes on slots past everything; 0 seconds ends it."""
        self._send(protocol.SendBytes(key, universe, address, slots, seconds))

    def blink(self, fixtures: Sequence[str], seconds: float = 8.0) -> None:
        """Have lamps blink above all else, for a while; nobody ends it."""
        self._send(protocol.Blink(tuple(fixtures), seconds))

    def find_nodes(self, on: bool) -> None:
        """Look for Art-Net nodes, or stop looking."""
        arts = [
            o for o in self.show.outputs.values() if o.protocol == "artnet" and o.host
        ]
        hosts = tuple(dict.fromkeys([*(o.host for o in arts), "127.0.0.1"]))
        port = next((o.port for o in arts if o.port), 6454)
        self._send(protocol.FindNodes(on, hosts, port))

    # playing

    def press(self, tile: str) -> None:
        self._send(protocol.Press(tile))

    def set_level(self, tile: str, level: float) -> None:
        self._levels[tile] = level
        self._soon()

    def set_grand(self, level: float) -> None:
        self._grand = level
        self._soon()

    def set_blackout(self, on: bool) -> None:
        self._send(protocol.SetMasters(blackout=on))

    def release(self, player: str = "") -> None:
        """Fade out a player, or everything."""
        self._send(protocol.Release(player))

    def touch(self, look: Look) -> None:
        """Put values into the draft; they are on stage in the next frame."""
        look = filled(self.show, self.state.draft.look, look)
        self._touched = merge_looks(self._touched, look)
        before = self.state.draft.look
        self._predict(
            playing.turned(playing.touch(self.state, look), self._next_turn())
        )
        families = sorted(
            {attribute(name).family for values in look.values() for name in values}
        )
        now = time.monotonic()
        name, goes_on = f"draft {', '.join(families)}", now - self._touched_at < GESTURE
        self.history.do(name, self.show, goes_on, before, self.state.draft.look)
        self._touched_at = now
        self.history_changed.emit()
        self._soon()

    def untouch(self, lines: dict[str, tuple[str, ...]]) -> None:
        """Remove values from the draft."""
        self._send_waiting()
        before = self.state.draft.look
        self._predict(
            playing.turned(playing.untouch(self.state, lines), self._next_turn())
        )
        self.history.do(
            "take values out of the draft",
            self.show,
            False,
            before,
            self.state.draft.look,
        )
        self.history_changed.emit()
        self._send(protocol.Untouch(lines=lines, turn=self._turn))

    def clear_draft(self) -> None:
        """Let the whole draft go."""
        if self.state.draft.look:
            self.history.do(
                "clear the draft", self.show, False, self.state.draft.look, {}
            )
            self.history_changed.emit()
            self._let_go()

    def _let_go(self) -> None:
        self._send_waiting()
        self._touched_at = 0.0
        self.taken = ""
        self._predict(
            playing.turned(
                playing.clear_draft(self.state, time.monotonic()), self._next_turn()
            )
        )
        self._send(protocol.ClearDraft(turn=self._turn))

    def set_blind(self, on: bool) -> None:
        """Take the draft off the stage, or bring it there."""
        self._send_waiting()
        self._predict(
            playing.turned(
                playing.set_blind(self.state, on, time.monotonic()), self._next_turn()
            )
        )
        self._send(protocol.SetBlind(blind=on, turn=self._turn))

    def take(self, source: str, look: Look) -> None:
        """Take something stored into the draft, and remember what it was; its fixtures
        are chosen.
        """
        self.taken = source
        self.touch(look)
        self.choose([i for i in look if i in self.show.fixtures])

    def _put_draft(self, look: Look) -> None:
        self._send_waiting()
        self._touched_at = 0.0
        self._predict(
            playing.turned(playing.set_draft(self.state, look), self._next_turn())
        )
        self._send(protocol.SetDraft(look=look, turn=self._turn))

    def _next_turn(self) -> int:
        """The number of the next change of the draft."""
        self._turn += 1
        return self._turn

    def _predict(self, state: PlayState) -> None:
        self.state = state
        self.state_changed.emit(state)

    def _soon(self) -> None:
        if not self._send_timer.isActive():
            self._send_timer.start()

    def _send_waiting(self) -> None:
        if self._touched:
            look, self._touched = self._touched, {}
            self._send(protocol.Touch(look=look, turn=self._turn))
        levels, self._levels = self._levels, {}
        for tile, level in levels.items():
            self._send(protocol.SetLevel(tile, level))
        if self._grand is not None:
            grand, self._grand = self._grand, None
            self._send(protocol.SetMasters(grand=grand))

    # the engine

    def _send(self, message: protocol.Message) -> None:
        if self._client is None:
            return
        try:
            self._client.send(message)
        except OSError:
            self._lost()

    def _tell_engine(self) -> None:
        if self._client is not None and self._told_engine is not self.show:
            before, self._told_engine = self._told_engine, self.show
            self._send(protocol.Edit(changes.difference(before, self.show)))

    def _start_engine(self) -> None:
        self._autosave.flush(1.0)
        engine_client.start_engine(self.path if self.path.exists() else None)
        self._started = time.monotonic()
        self._retry.start()

    def _reach_engine(self) -> None:
        if self._client is not None or self._closing:
            return
        try:
            client = engine_client.Client()
        except OSError:
            if time.monotonic() - self._started > REPLY:
                self._start_engine()
            else:
                self._retry.start()
            return
        self._take_client(client)

    def _take_client(self, client: engine_client.Client) -> None:
        self._client = client
        self.look_again()
        self._notifier = QSocketNotifier(
            client.fileno(), QSocketNotifier.Type.Read, self
        )
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
        state = None
        for message in messages:
            if isinstance(message, protocol.State):
                state = message.state
            else:
                if isinstance(message, protocol.Welcome):
                    state = None  # it brings a newer one
                self._hear(message)
        if state is not None:
            if (
                state.draft.turn < self._turn
            ):  # what this window changed last is still on its way
                ahead = msgspec.structs.replace(
                    self.state.draft, leaving=state.draft.leaving
                )
                state = msgspec.structs.replace(state, draft=ahead)
            self._predict(state)

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
            case protocol.Trouble(text):
                self.told.emit(text, "alarm")

    def _welcomed(self, message: protocol.Welcome) -> None:
        anew = self._pid not in (0, message.pid)
        self._pid = message.pid
        self.alive = True
        if anew:
            # The engine died and was started again: it gets back what this window last
            # knew.
            self._told_engine = self.show
            self._send(protocol.PutShow(self.show, str(self.path)))
            self._send(protocol.Restore(self.state))
            self.told.emit(
                "The engine had stopped and was started again; what played goes on.",
                "alarm",
            )
        else:
            self._told_engine = message.show if message.show != self.show else self.show
            self._turn = message.state.draft.turn
            self._predict(message.state)
            self._tell_engine()
            if self._started and message.resumed and message.state.players:
                self.told.emit(
                    "What was on when the program ended is on again.", "info"
                )
        if message.note:
            self.told.emit(message.note, "alarm")
        self.engine_changed.emit(True)

    def _lost(self) -> None:
        if self._client is None:
            return
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier = None
        self._client.close()
        self._client = None
        if not self._closing:
            self.engine_changed.emit(False)
            self._start_engine()

    def _watch_engine(self) -> None:
        if (
            self._client is not None
            and time.monotonic() - self._heard > REPLY
            and not self._closing
        ):
            self.told.emit("The engine does not answer.", "alarm")
            self._heard = time.monotonic()

    # the end

    def close(self, stop: bool, fade: float = 2.0) -> None:
        """Write everything; stop the engine, or leave it playing."""
        self._closing = True
        self._send_waiting()
        if stop:
            self._send(protocol.Stop(fade))
        self._watch.stop()
        self._autosave.close()
        if self._client is not None:
            if self._notifier is not None:
                self._notifier.setEnabled(False)
            self._client.close()
            self._client = None


def settings_file() -> Path:
    """Where the window keeps how it was arranged."""
    return folders.state() / "window.ini"
