"""What the show lights: compiled as it changes, read back from the frames that went
out; each value, and why.
"""

from __future__ import annotations

import contextlib
import threading
import time
from abc import abstractmethod

import msgspec
from PySide6.QtCore import QObject, Signal

from choreon.engine import client as engine_client
from choreon.engine import playing
from choreon.engine.screen import ScreenReader
from choreon.model import attributes as at
from choreon.model.playables import Scene
from choreon.model.show import Show
from choreon.model.values import Look, Value
from choreon.render.capture import capture, given_values, lit
from choreon.render.colour import from_oklab
from choreon.render.decode import Decoder, Light, decoder_for
from choreon.render.frame import blend, levels, render
from choreon.render.players import PlayState, Ramp
from choreon.render.programme import Programme, compile_show
from choreon.render.rig import Bytes, Floats
from choreon.render.why import Why, explain
from choreon.ui.widgets import basics


class Lighting(QObject):
    """The light of one show, for all views. Whoever holds the show says with
    `relight()` that it has changed.
    """

    preview_changed = Signal(str)
    _compiled = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.state: PlayState = playing.blank()
        self.preview = ""  # the scene that stage pictures show instead of the stage
        self._programme: Programme | None = None
        self._fresh = False  # whether it is that of the show as it is now
        self._decoder: Decoder | None = None
        self._screen: ScreenReader | None = None
        self._compiling = False
        self._compile_soon = basics.once(self, 1, self._compile_beside)
        self._compiled.connect(self._on_compiled)

    @property
    @abstractmethod
    def show(self) -> Show:
        """The show as it is now."""

    def relight(self) -> None:
        """The show has changed: its light is worked out anew when it is next
        looked at.
        """
        self._fresh = False
        if self.preview not in self.show.scenes:
            self.set_preview("")

    def look_again(self) -> None:
        """Another engine plays: its frames are found anew."""
        self._screen = None

    # the programme

    @property
    def programme(self) -> Programme:
        if self._programme is None or not self._fresh:
            self._programme = compile_show(self.show, self._programme)
            self._fresh = True
            if self._decoder and self._decoder.rig is not self._programme.rig:
                self._decoder = None
        return self._programme

    def _compile_beside(self) -> None:
        """Work out the light of a changed rig in a thread of its own; the window goes
        on meanwhile.
        """
        show, before = self.show, self._programme
        if self._fresh or self._compiling:
            return
        if (
            before is not None
            and before.show.fixtures is show.fixtures
            and before.show.types is show.types
        ):
            _ = (
                self.programme
            )  # only what is programmed has changed: that takes no time
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

    # light

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
        if (
            not self._fresh
        ):  # compiling and drawing are two steps, so that neither holds the window up
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
        """What stage pictures show: the stage, or what is looked at without lighting it
        (number −1).
        """
        if self.preview:
            scene = self.show.scenes.get(self.preview)
            return (
                (-1, self.light_of(scene))
                if scene is not None and self._fresh
                else self.light()
            )
        if self.state.draft.blind and self.state.draft.look and self._fresh:
            draft = msgspec.structs.replace(self.state.draft, shown=Ramp())
            state = msgspec.structs.replace(self.state, draft=draft)
            return -1, self.decoder.read(
                render(self.programme, state, time.monotonic())
            )
        return self.light()

    def set_preview(self, scene_id: str) -> None:
        """Show a scene in the stage pictures without lighting it; empty for the stage
        again.
        """
        if scene_id != self.preview:
            self.preview = scene_id
            self.preview_changed.emit(scene_id)

    # values

    def value(
        self, fixture: str, attribute: str, without_draft: bool = False
    ) -> float | None:
        """The value an attribute has now, in its unit; None where the fixture does not
        have it.
        """
        rig = self.programme.rig
        places = rig.where.get(fixture, {}).get(attribute)
        if not places:
            return None
        return self.values(without_draft)[places[0][1]]

    def values(self, without_draft: bool = False) -> Floats:
        """Every parameter's value now (P), colours as linear light, before the
        masters.
        """
        state = msgspec.structs.replace(self.state, masters=playing.blank().masters)
        if without_draft:
            state = msgspec.structs.replace(state, draft=playing.blank().draft)
        elif state.draft.blind:  # who sets values blind wants to see those
            state = msgspec.structs.replace(
                state, draft=msgspec.structs.replace(state.draft, shown=Ramp())
            )
        programme = self.programme
        values = blend(programme, state, time.monotonic())
        rows = programme.rig.colour_rows
        values[rows] = from_oklab(values[rows].reshape(-1, 3)).clip(0, 1).reshape(-1)
        return values

    def raw_levels(self) -> Floats:
        """Every channel's raw value now (C), before the masters."""
        state = msgspec.structs.replace(self.state, masters=playing.blank().masters)
        return levels(self.programme, state, time.monotonic())

    def levels(self) -> dict[str, dict[str, list[float]]]:
        """Fixture → channel key → raw values now, one for each cell that has it, before
        the masters.
        """
        rig, raw = self.programme.rig, self.raw_levels()
        found: dict[str, dict[str, list[float]]] = {}
        for fixture, names in rig.direct.items():
            bare = {
                n.removeprefix(at.RAW): places
                for n, places in names.items()
                if n.startswith(at.RAW)
            }
            found[fixture] = {
                key: [float(raw[c]) for _, c, *_ in places]
                for key, places in bare.items()
            }
        return found

    def why(self, universe: int, slot: int) -> list[Why]:
        """Why a slot has its value."""
        return explain(
            self.show, self.programme.rig, self.state, time.monotonic(), universe, slot
        )

    def capture(self) -> Look:
        """Everything that is on stage now, before the masters."""
        return capture(self.programme, self.state, time.monotonic())

    def lit(self) -> list[str]:
        """The fixtures that shine now, before the masters."""
        return lit(self.programme, self.state, time.monotonic())

    def values_of(self, fixture: str) -> dict[str, Value]:
        """What a fixture's attributes that some layer gives have now; links where they
        are wholly on.
        """
        rig, values = self.programme.rig, self.values()
        made: dict[str, Value] = {}
        for name, (value, whole) in self.given().get(fixture, {}).items():
            rows = [row for _, row in rig.where.get(fixture, {}).get(name, ())]
            if (isinstance(value, str) and whole) or not rows:
                made[name] = value
            else:
                numbers = [float(values[row]) for row in rows]
                made[name] = (
                    numbers[0] if max(numbers) - min(numbers) < 1e-9 else tuple(numbers)
                )
        return made

    def given(self) -> dict[str, dict[str, tuple[Value, bool]]]:
        """For each fixture and attribute, what the uppermost layer gives, draft
        included.
        """
        return given_values(self.programme, self.state, time.monotonic())
