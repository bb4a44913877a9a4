"""What the window knows: the show and its history, what plays, what is chosen; and the wires to engine and disk.

Every view listens to this one object and asks it for changes. It is the only part of the window that edits the show.
"""

from __future__ import annotations

import contextlib
import time
from collections.abc import Sequence
from pathlib import Path

import msgspec
from PySide6.QtCore import QObject, QSocketNotifier, QTimer, Signal

from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import playing, protocol
from choreon.engine.screen import ScreenReader
from choreon.formats.autosave import Autosave, Kept
from choreon.model import changes
from choreon.model.attributes import attribute
from choreon.model.edits import merge_looks
from choreon.model.history import History
from choreon.model.show import Look, Scene, Show
from choreon.render.colour import from_oklab
from choreon.render.decode import Decoder, Light, decoder_for
from choreon.render.frame import blend, render
from choreon.render.players import PlayState
from choreon.render.programme import Programme, compile_show
from choreon.render.rig import Bytes
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
    told = Signal(str, str)  # text, and its kind: info or alarm
    _kept = Signal(object)

    def __init__(self, show: Show, path: Path, client: engine_client.Client | None = None) -> None:
        super().__init__()
        self.path = path
        self.history = History(show)
        self.state: PlayState = playing.blank()
        self.chosen: tuple[str, ...] = ()
        self.kept = Kept(time.time(), path)
        self.ports = protocol.Ports({})
        self.alive = False
        self._pid = 0  # of the engine that was met last
        self._programme: Programme | None = None
        self._decoder: Decoder | None = None
        self._told_engine = show
        self._client: engine_client.Client | None = None
        self._notifier: QSocketNotifier | None = None
        self._screen: ScreenReader | None = None
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
        if client is not None:
            self._take_client(client)
        else:
            self._start_engine()
        self._watch.start()

    # the show

    @property
    def show(self) -> Show:
        return self.history.show

    def edit(self, name: str, show: Show, merge: bool = False) -> None:
        """Make an edit: `name` is what undo calls it, `merge` makes a drag one step."""
        if show is not self.show:
            self.history.do(name, show, merge)
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
        self._programme = compile_show(self.show, self._programme) if self._programme else None
        if self._decoder and self._programme and self._decoder.rig is not self._programme.rig:
            self._decoder = None
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

    # choosing

    def choose(self, fixtures: Sequence[str]) -> None:
        """Choose fixtures, in this order."""
        chosen = tuple(dict.fromkeys(i for i in fixtures if i in self.show.fixtures))
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit(chosen)

    def toggle(self, fixtures: Sequence[str]) -> None:
        """Add fixtures to the choice, or take them away where all are in it."""
        if all(i in self.chosen for i in fixtures):
            self.choose([i for i in self.chosen if i not in fixtures])
        else:
            self.choose([*self.chosen, *fixtures])

    # light

    @property
    def programme(self) -> Programme:
        if self._programme is None:
            self._programme = compile_show(self.show)
        return self._programme

    @property
    def decoder(self) -> Decoder:
        if self._decoder is None:
            self._decoder = decoder_for(self.programme.rig, self.show.types.values())
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
        number, slots = found
        rig = self.programme.rig
        frame = rig.blank()
        for row, universe in enumerate(rig.universes):
            if universe in slots:
                frame[row] = slots[universe]
        return number, self.decoder.read(frame)

    def light_of(self, scene: Scene) -> Light:
        """What a scene lights by itself."""
        programme = self.programme
        only = playing.touch(playing.blank(), scene.look)
        return self.decoder.read(render(programme, only, 0.0))

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
        programme = self.programme
        values = blend(programme, state, time.monotonic())
        rows = programme.rig.colour_rows
        values[rows] = from_oklab(values[rows].reshape(-1, 3)).clip(0, 1).reshape(-1)
        return values

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
        self._touched = merge_looks(self._touched, look)
        before = self.state.draft.look
        self._predict(playing.touch(self.state, look))
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
        self._predict(playing.untouch(self.state, lines))
        self.history.do("take values out of the draft", self.show, False, before, self.state.draft.look)
        self.history_changed.emit()
        self._send(protocol.Untouch(lines))

    def clear_draft(self) -> None:
        """Let the whole draft go."""
        if self.state.draft.look:
            self.history.do("clear the draft", self.show, False, self.state.draft.look, {})
            self.history_changed.emit()
            self._let_go()

    def _let_go(self) -> None:
        self._send_waiting()
        self._touched_at = 0.0
        self._send(protocol.ClearDraft())

    def _put_draft(self, look: Look) -> None:
        self._send_waiting()
        self._touched_at = 0.0
        self._predict(playing.set_draft(self.state, look))
        self._send(protocol.SetDraft(look))

    def _predict(self, state: PlayState) -> None:
        self.state = state
        self.state_changed.emit(state)

    def _soon(self) -> None:
        if not self._send_timer.isActive():
            self._send_timer.start()

    def _send_waiting(self) -> None:
        if self._touched:
            look, self._touched = self._touched, {}
            self._send(protocol.Touch(look))
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
                self._hear(message)
        if state is not None:
            if self._touched:
                state = playing.touch(state, self._touched)
            self._predict(state)

    def _hear(self, message: protocol.FromEngine) -> None:
        match message:
            case protocol.Welcome():
                self._welcomed(message)
            case protocol.Pulse():
                self.pulse.emit(message)
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
