"""What the show lights: compiled as it changes, read back from the frames that went
out; each value, and why.
"""

from __future__ import annotations

import contextlib
import math
import threading
import time
from collections.abc import Callable, Iterable
from typing import NamedTuple

import msgspec
from PySide6.QtCore import QObject, Signal

from choreon.engine import client as engine_client
from choreon.engine.actions import housekeeping
from choreon.engine.actions.draft import set_draft
from choreon.engine.screen import ScreenReader
from choreon.model import attributes as at
from choreon.model.chases import find_step, own_step
from choreon.model.edits import put
from choreon.model.motion import Effects
from choreon.model.playables import Chase, Playable
from choreon.model.refs import Ref, exists
from choreon.model.show import Show
from choreon.model.values import Look, Value
from choreon.render.capture import (
    Given,
    capture,
    capture_effects,
    given_values,
    lit,
    not_alike,
    with_light,
)
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import blend, levels, render
from choreon.render.decode import Decoder, Light, decoder_for
from choreon.render.explain import Why, explain
from choreon.render.rig import Bytes, Floats
from choreon.render.state import (
    DraftState,
    Going,
    Masters,
    Player,
    PlayState,
    Ramp,
    Step,
    Time,
)
from choreon.ui import kinds
from choreon.ui.parts.document import Document
from choreon.ui.parts.engine_link import EngineLink
from choreon.ui.widgets import basics, beside

MOMENTS = 6  # of something that moves, among which the most telling is looked for
NOT_ON_STAGE = -1  # the number of a frame that nobody sent
Made = tuple[CompiledShow, Decoder]

MOMENT = 0.1  # seconds for which levels of all lamps are kept


class Blended(NamedTuple):
    """All values at a time, what they were made of, and until when they count."""

    made_of: tuple[CompiledShow, PlayState]
    until: float
    values: Floats


class Preview(QObject):
    """The light of one show, for all views."""

    changed = Signal()
    """Another thing, or the stage again, is shown in the stage pictures."""

    def __init__(self, document: Document, engine: EngineLink) -> None:
        super().__init__()
        self._blended: Blended | None = None
        self._document, self._engine = document, engine
        self.shown: Ref | None = None
        """What stage pictures show instead of the stage."""

        self._since = 0.0
        self.trial: Effects = ()
        """Effects that stage pictures show though nobody has them."""
        self.dry: Callable[[], Light | None] | None = None
        """What a dry run lights, which stage pictures show instead of the stage."""
        self.tried: Chase | None = None
        """A chase that stage pictures show though it is not stored."""

        self._tried_in: CompiledShow | None = None
        self._compiled: CompiledShow | None = None
        self._fresh = False  # whether it is that of the show as it is now
        self._decoder: Decoder | None = None
        self._screen: ScreenReader | None = None

        # what read the last frame, the frame, and what it came to
        self._decoded: tuple[Decoder, dict[int, Bytes], tuple[int, Light]] | None = None
        self._compiling = False
        self._compile_soon = basics.once(self, 1, self._compile_beside)
        document.show_changed.connect(self._follow)
        engine.met.connect(self._look_again)

    @property
    def _show(self) -> Show:
        return self._document.show

    @property
    def _state(self) -> PlayState:
        return self._engine.state

    def _follow(self, show: Show) -> None:
        """The show has changed: its light is worked out anew when it is next looked
        at.
        """
        self._fresh = False
        shown = self.shown
        if shown is None:
            return
        if not exists(show, shown) and find_step(show, shown) is None:
            self.look_at(None)

    def _look_again(self) -> None:
        self._screen = None

    # the compiled show

    @property
    def compiled(self) -> CompiledShow:
        """The show as it is now, ready to be rendered."""
        if self._compiled is None or not self._fresh:
            self._compiled = compile_show(self._show, self._compiled)
            self._fresh = True
            if self._decoder and self._decoder.rig is not self._compiled.rig:
                self._decoder = None
        return self._compiled

    def compile_soon(self) -> None:
        """Have the show be ready to be rendered, as soon as that can be without holding
        the window up.
        """
        if not (self._fresh or self._compiling):
            self._compile_soon.start()

    def _compile_beside(self) -> None:
        """Work out the light of a changed rig in a thread of its own; the window goes
        on meanwhile.
        """
        show, before = self._show, self._compiled
        if self._fresh or self._compiling:
            return

        if before is not None and _same_rig(before.show, show):
            _ = self.compiled  # only what is programmed has changed: it takes no time
            return

        hand_over = beside.post(self, self._on_made)

        def work() -> None:
            made: Made | None = None
            try:
                compiled = compile_show(show)
                made = compiled, decoder_for(compiled.rig, show.types.values())
            finally:
                hand_over(made)

        self._compiling = True
        threading.Thread(target=work, name="compile", daemon=True).start()

    def _on_made(self, made: Made | None) -> None:
        self._compiling = False
        if made is None or self._fresh:
            return  # it is worked out anew when it is next looked at
        if _same_rig(made[0].show, self._show):
            self._compiled, self._decoder = made
            _ = self.compiled

    @property
    def decoder(self) -> Decoder:
        """What reads frames of the show's rig."""
        compiled = self.compiled
        if self._decoder is None:
            self._decoder = decoder_for(compiled.rig, self._show.types.values())
        return self._decoder

    def takes(self, fixture: str, name: str) -> bool:
        """Returns whether a value for an attribute means something to a fixture."""
        return self.compiled.rig.takes(fixture, name)

    # light

    def frame(self) -> tuple[int, dict[int, Bytes]] | None:
        """Returns number and slots by universe of the frame that went out last; as long
        as frames are alike, the same number.
        """
        if self._screen is None:
            with contextlib.suppress(OSError, ValueError):
                self._screen = ScreenReader(engine_client.screen_path())
        return self._screen.changed() if self._screen else None

    def light(self) -> tuple[int, Light] | None:
        """Returns the number of the last frame, and what the lamps make of it; as long
        as frames are alike, the very same.
        """
        found = self.frame()
        if found is None:
            return None

        if not self._fresh:
            # Compiling and drawing are two steps, so that neither holds the window up.
            self.compile_soon()
            return None

        number, slots = found
        decoder = self.decoder
        known = self._decoded

        if known is not None and known[0] is decoder and known[1] is slots:
            return known[2]

        rig = self.compiled.rig
        frame = rig.blank()
        for row, universe in enumerate(rig.universes):
            if universe in slots:
                frame[row] = slots[universe]

        made = number, decoder.read(frame)
        self._decoded = decoder, slots, made
        return made

    @property
    def ready(self) -> bool:
        """Whether the show as it is now is ready to be rendered."""
        return self._fresh

    def light_of(self, playable: Playable) -> Light:
        """Returns what something that plays lights by itself; of what moves, the moment
        that shows most of it.
        """
        if not kinds.kind_of(playable).moves(playable):
            return self.light_at(playable, 0.0)
        length = self.length_of(playable)
        moments = [length * (n + 0.5) / MOMENTS for n in range(MOMENTS)]
        lights = [self.light_at(playable, moment) for moment in moments]
        return max(lights, key=_telling)

    def length_of(self, playable: Playable) -> float:
        """Returns how long something takes until it has shown all that it does, in
        seconds; a beat counts as half of one.
        """
        source = self.compiled.source_of(playable.ref)
        length = Time() if source is None else source.length()
        return length.seconds + length.beats / 2.0 or 1.0

    def light_at(self, playable: Playable, seconds: float) -> Light:
        """Returns what something that plays lights by itself after so many seconds, two
        beats a second.
        """
        going = Going(0.0, 0.0, seconds, 2.0 * seconds, 0.0)
        step = Step(ref=playable.ref, cursor=going)
        only = PlayState((Player("preview", "", (step,)),))
        return self.decoder.read(render(self.compiled, only, 0.0))

    def light_of_step(self, step: Step) -> Light:
        """Returns what a step of a player lights by itself, wholly there."""
        only = PlayState((Player("preview", "", (step,)),))
        return self.decoder.read(render(self.compiled, only, 0.0))

    def light_of_look(self, look: Look) -> Light:
        """Returns what a look lights by itself."""
        only = set_draft(housekeeping.blank(), look)
        return self.decoder.read(render(self.compiled, only, 0.0))

    def seen(self) -> tuple[int, Light] | None:
        """Returns what stage pictures show: the stage, or what is looked at without
        lighting it (number −1).
        """
        tried = self._light_tried() if self._fresh else None
        if tried is not None:
            return NOT_ON_STAGE, tried

        dry = None if self.dry is None else self.dry()
        if dry is not None:
            return NOT_ON_STAGE, dry

        if self.shown is not None:
            if self._fresh:
                found = self.light_of_ref(self.shown)
                if found is not None:
                    return NOT_ON_STAGE, found

            return self.light()

        draft = self._state.draft
        blind = draft.blind and not draft.empty
        if (blind or self.trial) and self._fresh:
            state = _unblinded(self._state)
            if self.trial:
                held = msgspec.structs.replace(
                    state.draft, effects=(*draft.effects, *self.trial)
                )
                state = msgspec.structs.replace(state, draft=held)

            frame = render(self.compiled, state, time.monotonic())
            return NOT_ON_STAGE, self.decoder.read(frame)

        return self.light()

    def light_of_ref(self, ref: Ref) -> Light | None:
        """Returns what something that plays lights as it goes, or what one step of a
        chase does; None where it is gone.
        """
        found = find_step(self._show, ref)
        if found is not None:
            own = own_step(self._show, found[1])
            if own.plays is not None:
                return self.light_of_ref(own.plays)

            held = set_draft(housekeeping.blank(), own.look)
            draft = msgspec.structs.replace(held.draft, effects=own.effects)
            state = msgspec.structs.replace(held, draft=draft)

            return self.decoder.read(render(self.compiled, state, time.monotonic()))

        playable = self._show.playables.get(ref.id)
        if playable is None:
            return None

        return self.light_at(playable, time.monotonic() - self._since)

    def try_chase(self, chase: Chase | None) -> None:
        """Show a chase in the stage pictures that is not stored; None ends it."""
        self.tried, self._tried_in = chase, None
        if chase is not None:
            show = put(self._show, "playables", chase)
            self._tried_in = compile_show(show, self.compiled)
        self.changed.emit()

    def _light_tried(self) -> Light | None:
        if self.tried is None or self._tried_in is None:
            return None
        now = time.monotonic()
        going = Going(0.0, 0.0, now, self._state.beat(now), 0.0)
        step = Step(ref=self.tried.ref, cursor=going)
        only = PlayState((Player("tried", "", (step,)),))
        return self.decoder.read(render(self._tried_in, only, 0.0))

    def try_effects(self, effects: Effects) -> None:
        """Show effects in the stage pictures as if the draft had them; none ends it."""
        if effects != self.trial:
            self.trial = effects
            self.changed.emit()

    def look_at(self, ref: Ref | None) -> None:
        """Show something in the stage pictures without lighting it; None for the stage
        again.
        """
        if ref != self.shown:
            self.shown, self._since = ref, time.monotonic()
            self.changed.emit()

    # values

    def value(
        self, fixture: str, attribute: str, without_draft: bool = False
    ) -> float | None:
        """Returns the value an attribute has now, in its unit; None where the fixture
        does not have it.
        """
        places = self.compiled.rig.where.get(fixture, {}).get(attribute)
        if not places:
            return None
        return float(self.values(without_draft)[places[0][1]])

    def values(self, without_draft: bool = False) -> Floats:
        """Returns every parameter's value now (P), colours as linear light, before the
        masters. Who sets values blind sees those.
        """
        state = msgspec.structs.replace(self._state, masters=Masters(), identify=None)
        # hands set what lies below their own effects, and see that
        plain = msgspec.structs.replace(state.draft, effects=())
        state = msgspec.structs.replace(state, draft=plain)
        if without_draft:
            state = msgspec.structs.replace(state, draft=DraftState())
        elif state.draft.blind:
            state = _unblinded(state)
        values = blend(self.compiled, state, time.monotonic())
        return with_light(self.compiled.rig, values)

    def brightest(self, fixtures: Iterable[str]) -> float | None:
        """Returns the highest level, 0…1, that lamps have now after all masters; None
        where none of them has one. What is asked within a moment is worked out once.
        """
        where, values = self.compiled.rig.where, self._blend()
        rows = [
            row
            for fixture in fixtures
            for _, row in where.get(fixture, {}).get(at.DIMMER, ())
        ]
        return float(values[rows].max()) if rows else None

    def on_stage(self, fixture: str, attribute: str) -> float | None:
        """Returns the value an attribute has now, after all masters, in its unit; None
        where the fixture does not have it. What is asked within a moment is worked out
        once.
        """
        if attribute in at.TARGET_COLOUR:
            return self.value(fixture, attribute)
        places = self.compiled.rig.where.get(fixture, {}).get(attribute)
        return float(self._blend()[places[0][1]]) if places else None

    def _blend(self) -> Floats:
        """All values now: what they were a moment ago, or where nothing moves."""
        now, compiled, state = time.monotonic(), self.compiled, self._state
        known = self._blended
        same = (
            known is not None
            and known.made_of[0] is compiled
            and known.made_of[1] is state
        )

        if known is not None and same and now < known.until:
            return known.values

        settled = now >= compiled.settles(state)
        until = math.inf if settled else now + MOMENT
        values = blend(compiled, state, now)
        self._blended = Blended((compiled, state), until, values)

        return values

    def raw_levels(self) -> Floats:
        """Returns every channel's raw value now (C), before the masters."""
        state = msgspec.structs.replace(self._state, masters=Masters())
        return levels(self.compiled, state, time.monotonic())

    def levels(self) -> dict[str, dict[str, list[float]]]:
        """Returns fixture → channel key → raw values now, one for each cell that has
        it, before the masters.
        """
        raw = self.raw_levels()
        return {
            fixture: {
                name.removeprefix(at.RAW): [float(raw[c]) for _, c, *_ in places]
                for name, places in names.items()
                if name.startswith(at.RAW)
            }
            for fixture, names in self.compiled.rig.direct.items()
        }

    def why(self, universe: int, slot: int) -> list[Why]:
        """Returns why a slot has its value."""
        return explain(self.compiled, self._state, time.monotonic(), universe, slot)

    def capture(self) -> Look:
        """Returns everything that is on stage now, before the masters."""
        return capture(self.compiled, self._state, time.monotonic())

    def not_alike(self, look: Look, effects: Effects) -> list[str]:
        """Returns the fixtures that what was captured would not light as they are lit,
        now and in the next ten seconds.
        """
        now = time.monotonic()
        return not_alike(self.compiled, self._state, now, look, effects)

    def capture_effects(self) -> Effects:
        """Returns the effects of all that is on stage now."""
        return capture_effects(self.compiled, self._state, time.monotonic())

    def lit(self) -> list[str]:
        """Returns the fixtures that shine now, before the masters."""
        return lit(self.compiled, self._state, time.monotonic())

    def given(self) -> Given:
        """Returns for each fixture and attribute what the uppermost layer gives, draft
        included.
        """
        return given_values(self.compiled, self._state, time.monotonic())

    def values_of(self, fixture: str) -> dict[str, Value]:
        """Returns what a fixture's attributes that some layer gives have now; links
        where they are wholly on.
        """
        where, values = self.compiled.rig.where.get(fixture, {}), self.values()
        made: dict[str, Value] = {}
        for name, (value, whole) in self.given().get(fixture, {}).items():
            numbers = [float(values[row]) for _, row in where.get(name, ())]
            if (isinstance(value, str) and whole) or not numbers:
                made[name] = value
            else:
                alike = max(numbers) - min(numbers) < 1e-9
                made[name] = numbers[0] if alike else tuple(numbers)
        return made


def _telling(light: Light) -> float:
    """How much a moment shows: how bright it is, and how much lamps differ."""
    level = light.rgb.max(axis=1)
    return float(level.sum() + 2.0 * level.std() * len(level))


def _same_rig(before: Show, after: Show) -> bool:
    return before.fixtures is after.fixtures and before.types is after.types


def _unblinded(state: PlayState) -> PlayState:
    draft = msgspec.structs.replace(state.draft, shown=Ramp())
    return msgspec.structs.replace(state, draft=draft)
