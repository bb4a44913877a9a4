"""What the window knows: the show and its history, what plays, what is chosen; and the wires to engine and disk.

Every view listens to this one object and asks it for changes. It is the only part of the window that edits the show.
"""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec
from PySide6.QtCore import QObject, QSocketNotifier, QTimer, Signal

from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import playing, protocol
from choreon.engine.screen import ScreenReader
from choreon.formats.autosave import Autosave, Kept
from choreon.library import library, own
from choreon.model import attributes as at
from choreon.model import changes, choosing
from choreon.model.attributes import attribute
from choreon.model.checks import check_rig
from choreon.model.edits import filled, merge_looks
from choreon.model.fixture_type import FixtureType
from choreon.model.history import History
from choreon.model.problem import Problem
from choreon.model.show import Fixture, Look, Scene, Show, Value
from choreon.render import choice, commands, open_up
from choreon.render.capture import capture, given_values, lit
from choreon.render.colour import from_oklab
from choreon.render.decode import Decoder, Light, decoder_for
from choreon.render.frame import blend, levels, render
from choreon.render.players import PlayState, Ramp
from choreon.render.programme import Programme, compile_show
from choreon.render.rig import Bytes
from choreon.render.why import Why, explain
from choreon.ui.widgets import basics

GESTURE = 0.8  # seconds between touches of the draft that undo takes as one
REPLY = 4.0  # seconds an engine may take to answer before it counts as dead


class Session(QObject):
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
    preview_changed = Signal(str)
    told = Signal(str, str)  # text, and its kind: info or alarm
    _kept = Signal(object)
    _compiled = Signal(object)

    def __init__(self, show: Show, path: Path, client: engine_client.Client | None = None) -> None:
        super().__init__()
        self.path = path
        self.history = History(show)
        self.state: PlayState = playing.blank()
        self.chosen: tuple[str, ...] = ()
        self.cells: dict[str, tuple[int, ...]] = {}  # of the chosen that are not chosen wholly
        self.each_cell = False  # whether the choice goes cell by cell
        self.pool: tuple[str, ...] = ()  # the choice that one is taken out of, while it is alone
        self.chosen_before: tuple[str, ...] = ()
        self.taken = ""  # what was taken into the draft: `scene:ID` or `palette:ID`
        self.preview = ""  # the scene that stage pictures show instead of the stage
        self.kept = Kept(time.time(), path)
        self.ports = protocol.Ports({})
        self.nodes = protocol.Nodes()
        self.own_types: dict[str, FixtureType] = {}
        self._problems: tuple[tuple[object, object], list[Problem]] | None = None
        self.alive = False
        self._pid = 0  # of the engine that was met last
        self._programme: Programme | None = None
        self._fresh = False  # whether it is that of the show as it is now
        self._decoder: Decoder | None = None
        self._told_engine = show
        self._client: engine_client.Client | None = None
        self._notifier: QSocketNotifier | None = None
        self._screen: ScreenReader | None = None
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
        self._compile_soon = basics.once(self, 1, self._compile_beside)
        self._compiling = False
        self._compiled.connect(self._on_compiled)
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
        if self._problems is None or any(a is not b for a, b in zip(self._problems[0], made_of, strict=True)):
            self._problems = (made_of, check_rig(self.show))
        return self._problems[1]

    def edit(self, name: str, show: Show, merge: bool = False, draft: Look | None = None) -> None:
        """Make an edit: `name` is what undo calls it, `merge` makes a drag one step, `draft` what it makes of that."""
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
        """An edit that stores the draft: the draft is let go with it, and comes back with undo."""
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
        """After a step back or forward: show it, and put the draft back where the step changed it."""
        self._changed()
        if draft is not None:
            self._put_draft(draft)
        self.told.emit(said, "info")

    def _changed(self) -> None:
        self._fresh = False
        self._autosave.keep(self.show)
        self._tell_engine()
        if self.preview not in self.show.scenes:
            self.set_preview("")
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
        """What can be hung: the library, the user's own types, and those of the show."""
        return {**library(), **self.own_types, **self.show.types}

    def keep_type(self, kind: FixtureType) -> bool:
        """Keep one of the user's types in the data folder; tells what is wrong where it cannot be."""
        try:
            own.keep(kind)
        except OSError as error:
            self.told.emit(
                f"{kind.label} could not be written among your types ({error.strerror}). It is kept in this show "
                "as long as it hangs here.",
                "alarm",
            )
            return False
        self.own_types = {**self.own_types, kind.id: kind}
        self.types_changed.emit()
        return True

    # choosing

    def choose(self, fixtures: Sequence[str], cells: Mapping[str, Sequence[int]] | None = None) -> None:
        """Choose fixtures, in this order; of those in `cells` only some of their cells."""
        chosen = tuple(dict.fromkeys(i for i in fixtures if i in self.show.fixtures))
        own = {i: tuple(dict.fromkeys(c)) for i, c in (cells or {}).items() if i in chosen and c}
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
            self.choose([*self.chosen, *fixtures], {i: c for i, c in self.cells.items() if i not in fixtures})

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

    # light

    @property
    def programme(self) -> Programme:
        if self._programme is None or not self._fresh:
            self._programme = compile_show(self.show, self._programme)
            self._fresh = True
            if self._decoder and self._decoder.rig is not self._programme.rig:
                self._decoder = None
        return self._programme

    def _compile_beside(self) -> None:
        """Work out the light of a changed rig in a thread of its own; the window goes on meanwhile."""
        show, before = self.show, self._programme
        if self._fresh or self._compiling:
            return
        if before is not None and before.show.fixtures is show.fixtures and before.show.types is show.types:
            _ = self.programme  # only what is programmed has changed: that takes no time
            return

        def work() -> None:
            made: tuple[Programme, Decoder] | None = None
            try:
                programme = compile_show(show)
                made = programme, decoder_for(programme.rig, show.types.values())
            finally:
                with contextlib.suppress(RuntimeError):  # the window has gone meanwhile
                    self._compiled.emit(made)

        self._compiling = True
        threading.Thread(target=work, name="compile", daemon=True).start()

    def _on_compiled(self, made: tuple[Programme, Decoder] | None) -> None:
        self._compiling = False
        if made is None or self._fresh:
            return  # it is worked out anew when it is next looked at
        show, seen = self.show, made[0].show
        if seen.fixtures is show.fixtures and seen.types is show.types:
            self._programme, self._decoder = made
            _ = self.programme

    @property
    def decoder(self) -> Decoder:
        programme = self.programme
        if self._decoder is None:
            self._decoder = decoder_for(programme.rig, self.show.types.values())
        return self._decoder

    def frame(self) -> tuple[int, dict[int, Bytes]] | None:
        """Number and slots by universe of the frame that went out last."""
        if self._screen is None:
            with contextlib.suppress(OSError, ValueError):
                self._screen = ScreenReader(engine_client.screen_path())
        found = self._screen.read() if self._screen else None
        return (found[0], found[2]) if found else None

    def light(self) -> tuple[int, Light] | None:
        """Number of the last frame, and what the lamps make of it."""
        found = self.frame()
        if found is None:
            return None
        if not self._fresh:  # compiling and drawing are two steps, so that neither holds the window up
            self._compile_soon.start()
            return None
        number, slots = found
        rig = self.programme.rig
        frame = rig.blank()
        for row, universe in enumerate(rig.universes):
            if universe in slots:
                frame[row] = slots[universe]
        return number, self.decoder.read(frame)

    def light_of(self, scene: Scene) -> Light:
        """What a scene lights by itself."""
        return self.light_of_look(scene.look)

    def light_of_look(self, look: Look) -> Light:
        """What a look lights by itself."""
        only = playing.touch(playing.blank(), look)
        return self.decoder.read(render(self.programme, only, 0.0))

    def seen(self) -> tuple[int, Light] | None:
        """What stage pictures show: the stage, or what is looked at without lighting it (number −1)."""
        if self.preview:
            scene = self.show.scenes.get(self.preview)
            return (-1, self.light_of(scene)) if scene is not None and self._fresh else self.light()
        if self.state.draft.blind and self.state.draft.look and self._fresh:
            draft = msgspec.structs.replace(self.state.draft, shown=Ramp())
            state = msgspec.structs.replace(self.state, draft=draft)
            return -1, self.decoder.read(render(self.programme, state, time.monotonic()))
        return self.light()

    def set_preview(self, scene_id: str) -> None:
        """Show a scene in the stage pictures without lighting it; empty for the stage again."""
        if scene_id != self.preview:
            self.preview = scene_id
            self.preview_changed.emit(scene_id)

    def value(self, fixture: str, attribute: str, without_draft: bool = False) -> float | None:
        """The value an attribute has now, in its unit; None where the fixture does not have it."""
        rig = self.programme.rig
        places = rig.where.get(fixture, {}).get(attribute)
        if not places:
            return None
        return self.values(without_draft)[places[0][1]]

    def values(self, without_draft: bool = False):
        """Every parameter's value now (P), colours as linear light, before the masters."""
        state = msgspec.structs.replace(self.state, masters=playing.blank().masters)
        if without_draft:
            state = msgspec.structs.replace(state, draft=playing.blank().draft)
        elif state.draft.blind:  # who sets values blind wants to see those
            state = msgspec.structs.replace(state, draft=msgspec.structs.replace(state.draft, shown=Ramp()))
        programme = self.programme
        values = blend(programme, state, time.monotonic())
        rows = programme.rig.colour_rows
        values[rows] = from_oklab(values[rows].reshape(-1, 3)).clip(0, 1).reshape(-1)
        return values

    def raw_levels(self):
        """Every channel's raw value now (C), before the masters."""
        state = msgspec.structs.replace(self.state, masters=playing.blank().masters)
        return levels(self.programme, state, time.monotonic())

    def levels(self) -> dict[str, dict[str, list[float]]]:
        """Fixture → channel key → raw values now, one for each cell that has it, before the masters."""
        rig, raw = self.programme.rig, self.raw_levels()
        found: dict[str, dict[str, list[float]]] = {}
        for fixture, names in rig.direct.items():
            bare = {n.removeprefix(at.RAW): places for n, places in names.items() if n.startswith(at.RAW)}
            found[fixture] = {key: [float(raw[c]) for _, c, *_ in places] for key, places in bare.items()}
        return found

    def why(self, universe: int, slot: int) -> list[Why]:
        """Why a slot has its value."""
        return explain(self.show, self.programme.rig, self.state, time.monotonic(), universe, slot)

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
            self._send(protocol.SendBytes(key, sent.universe, sent.address, sent.slots, seconds))

    def send_bytes(self, key: str, universe: int, address: int, slots: bytes, seconds: float) -> None:
        """Put bytes on slots past everything; 0 seconds ends it."""
        self._send(protocol.SendBytes(key, universe, address, slots, seconds))

    def blink(self, fixtures: Sequence[str], seconds: float = 8.0) -> None:
        """Have lamps blink above all else, for a while; nobody ends it."""
        self._send(protocol.Blink(tuple(fixtures), seconds))

    def find_nodes(self, on: bool) -> None:
        """Look for Art-Net nodes, or stop looking."""
        arts = [o for o in self.show.outputs.values() if o.protocol == "artnet" and o.host]
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
        self._predict(playing.turned(playing.touch(self.state, look), self._next_turn()))
        families = sorted({attribute(name).family for values in look.values() for name in values})
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
        self._predict(playing.turned(playing.untouch(self.state, lines), self._next_turn()))
        self.history.do("take values out of the draft", self.show, False, before, self.state.draft.look)
        self.history_changed.emit()
        self._send(protocol.Untouch(lines=lines, turn=self._turn))

    def clear_draft(self) -> None:
        """Let the whole draft go."""
        if self.state.draft.look:
            self.history.do("clear the draft", self.show, False, self.state.draft.look, {})
            self.history_changed.emit()
            self._let_go()

    def _let_go(self) -> None:
        self._send_waiting()
        self._touched_at = 0.0
        self.taken = ""
        self._predict(playing.turned(playing.clear_draft(self.state, time.monotonic()), self._next_turn()))
        self._send(protocol.ClearDraft(turn=self._turn))

    def set_blind(self, on: bool) -> None:
        """Take the draft off the stage, or bring it there."""
        self._send_waiting()
        self._predict(playing.turned(playing.set_blind(self.state, on, time.monotonic()), self._next_turn()))
        self._send(protocol.SetBlind(blind=on, turn=self._turn))

    def take(self, source: str, look: Look) -> None:
        """Take something stored into the draft, and remember what it was; its fixtures are chosen."""
        self.taken = source
        self.touch(look)
        self.choose([i for i in look if i in self.show.fixtures])

    def capture(self) -> Look:
        """Everything that is on stage now, before the masters."""
        return capture(self.programme, self.state, time.monotonic())

    def lit(self) -> list[str]:
        """The fixtures that shine now, before the masters."""
        return lit(self.programme, self.state, time.monotonic())

    def values_of(self, fixture: str) -> dict[str, Value]:
        """What a fixture's attributes that some layer gives have now; links where they are wholly on."""
        rig, values = self.programme.rig, self.values()
        made: dict[str, Value] = {}
        for name, (value, whole) in self.given().get(fixture, {}).items():
            rows = [row for _, row in rig.where.get(fixture, {}).get(name, ())]
            if (isinstance(value, str) and whole) or not rows:
                made[name] = value
            else:
                numbers = [float(values[row]) for row in rows]
                made[name] = numbers[0] if max(numbers) - min(numbers) < 1e-9 else tuple(numbers)
        return made

    def given(self) -> dict[str, dict[str, tuple[Value, bool]]]:
        """For each fixture and attribute, what the uppermost layer gives, draft included."""
        return given_values(self.programme, self.state, time.monotonic())

    def _put_draft(self, look: Look) -> None:
        self._send_waiting()
        self._touched_at = 0.0
        self._predict(playing.turned(playing.set_draft(self.state, look), self._next_turn()))
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
        self._screen = None
        self._notifier = QSocketNotifier(client.fileno(), QSocketNotifier.Type.Read, self)
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
            if state.draft.turn < self._turn:  # what this window changed last is still on its way
                ahead = msgspec.structs.replace(self.state.draft, leaving=state.draft.leaving)
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
            # The engine died and was started again: it gets back what this window last knew.
            self._told_engine = self.show
            self._send(protocol.PutShow(self.show, str(self.path)))
            self._send(protocol.Restore(self.state))
            self.told.emit("The engine had stopped and was started again; what played goes on.", "alarm")
        else:
            self._told_engine = message.show if message.show != self.show else self.show
            self._turn = message.state.draft.turn
            self._predict(message.state)
            self._tell_engine()
            if self._started and message.resumed and message.state.players:
                self.told.emit("What was on when the program ended is on again.", "info")
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
        if self._client is not None and time.monotonic() - self._heard > REPLY and not self._closing:
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
