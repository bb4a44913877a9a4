"""The draft, as the window has it: on stage at once, stored by nobody but the user."""

from __future__ import annotations

import time

from PySide6.QtCore import QObject, Signal

from choreon.engine import protocol
from choreon.engine.actions import draft as actions
from choreon.engine.do import Do
from choreon.language import in_a_row, tr
from choreon.model import effects as model_effects
from choreon.model.attributes import attribute
from choreon.model.edits import filled, merge_looks
from choreon.model.history import Held
from choreon.model.motion import Effect, Effects
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.model.verbs import Verb
from choreon.render import commands, open_up
from choreon.render.state import PlayState
from choreon.terms import term
from choreon.ui.parts.document import Document
from choreon.ui.parts.engine_link import EngineLink
from choreon.ui.parts.preview import Preview
from choreon.ui.parts.selection import Selection


class Draft(QObject):
    """What is touched and not stored. What is done here is seen here at once, and told
    to the engine a moment later.
    """

    told = Signal(str, str)

    def __init__(
        self,
        document: Document,
        engine: EngineLink,
        preview: Preview,
        selection: Selection,
    ) -> None:
        super().__init__()
        self._document, self._engine = document, engine
        self._preview, self._selection = preview, selection
        self._waiting: Look = {}  # touched, and not told to the engine yet
        self.taken: Ref | None = None
        """The stored thing that was taken into it."""
        engine.flushing.connect(self._send_waiting)

    @property
    def look(self) -> Look:
        """The values that it holds."""
        return self._engine.state.draft.look

    @property
    def effects(self) -> Effects:
        """The effects that it holds."""
        return self._engine.state.draft.effects

    @property
    def held(self) -> Held:
        """All that it holds."""
        return Held(self.look, self.effects)

    # values

    def touch(self, look: Look) -> None:
        """Put values into it; they are on stage in the next frame. Lamps that are aside
        take theirs there: nothing else reaches them.
        """
        look = self._but_aside(look)
        if not look:
            return

        before = self.held
        look = filled(self._document.show, before.look, look)
        self._waiting = merge_looks(self._waiting, look)
        values = actions.with_values(before.look, look)
        self._ahead(actions.set_draft(self._engine.state, values))

        families = {attribute(n).family for values in look.values() for n in values}
        self._note(
            tr(
                "draft {families}",
                families=in_a_row(term(f) for f in sorted(families)),
            ),
            before,
        )

        self._engine.soon()

    def _but_aside(self, look: Look) -> Look:
        """Give lamps that are aside their values. Returns those of the others."""
        aside = self._engine.state.aside
        own = {fixture: v for fixture, v in look.items() if fixture in aside}
        if not own:
            return look
        self._engine.set_aside(own)
        return {fixture: v for fixture, v in look.items() if fixture not in own}

    def untouch(self, lines: dict[str, tuple[str, ...]]) -> None:
        """Remove values: fixture → attributes."""
        self.flush()
        before = self.held
        look = actions.without_values(before.look, lines)
        self._ahead(actions.set_draft(self._engine.state, look))
        self._note(tr("take values out of the draft"), before)
        revision = self._engine.revision
        self._engine.send(protocol.RemoveValues(lines=lines, revision=revision))

    # effects

    def set_effects(self, name: str, effects: Effects) -> None:
        """Give it other effects; they are on stage in the next frame. `name` is what
        undo calls it.
        """
        before = self.held
        if effects == before.effects:
            return
        self._put_effects(effects)
        self._note(name, before)

    def set_effect(self, name: str, effect: Effect) -> None:
        """Put one effect into it, or change the one of its id."""
        self.set_effects(name, model_effects.with_effect(self.effects, effect))

    def show_effects(self, effects: Effects) -> None:
        """Have other effects on stage for a moment; undo knows nothing of it."""
        if effects != self.effects:
            self._put_effects(effects)

    def _put_effects(self, effects: Effects) -> None:
        self.flush()
        show, now = self._document.show, time.monotonic()
        self._ahead(actions.set_effects(show, self._engine.state, effects, now))
        revision = self._engine.revision
        self._engine.send(protocol.SetEffects(effects=effects, revision=revision))

    # all of it

    def clear(self) -> None:
        """Let all of it go."""
        before = self.held
        if before != Held():
            self._let_go()
            self._note(tr("clear the draft"), before)

    def store(self, name: str, show: Show, instead: Ref | None = None) -> None:
        """An edit that stores it: it is let go with that, and comes back with undo.
        `instead`: what is on at once in its place, so that no light changes.
        """
        before = self.held
        if instead is not None:
            self._document.edit(name, show, before, Held())
            self._engine.send(Do(instead, Verb.START))
            self._let_go()
            return
        self._let_go()
        self._document.edit(name, show, before, Held())

    def edit(
        self, name: str, show: Show, look: Look, effects: Effects | None = None
    ) -> None:
        """An edit that changes it too, as a swap of lamps does."""
        before = self.held
        after = Held(look, before.effects if effects is None else effects)
        if after == before:
            self._document.edit(name, show)
            return
        self.put(after)
        self._document.edit(name, show, before, after)

    def put(self, held: Held) -> None:
        """Replace it."""
        self.flush()
        self._ahead(actions.set_draft(self._engine.state, held.look))
        revision = self._engine.revision
        self._engine.send(protocol.SetDraft(look=held.look, revision=revision))
        if held.effects != self.effects:
            self._put_effects(held.effects)

    def take(self, source: Ref | None, look: Look, effects: Effects = ()) -> None:
        """Take something stored into it, and remember what it was; None where it is
        only a part of something. Its fixtures are chosen.
        """
        self.taken = source
        if effects:
            held = model_effects.merged(self.effects, effects)
            self.set_effects(tr("take effects into the draft"), held)
        if look:
            self.touch(look)
        hung = self._document.show.fixtures
        moved = [i for effect in effects for i in effect.fixtures]
        self._selection.choose([i for i in (*look, *moved) if i in hung])

    def set_blind(self, on: bool) -> None:
        """Take it off the stage, or bring it there."""
        self.flush()
        now = time.monotonic()
        self._ahead(actions.set_blind(self._engine.state, on, now))
        revision = self._engine.revision
        self._engine.send(protocol.SetBlind(blind=on, revision=revision))

    def _let_go(self) -> None:
        self.flush()
        self.taken = None
        self._ahead(actions.clear(self._engine.state, time.monotonic()))
        self._engine.send(protocol.ClearDraft(revision=self._engine.revision))

    def _ahead(self, state: PlayState) -> None:
        """Show a state as it will be, and number the change that leads there."""
        revision = self._engine.next_revision()
        self._engine.predict(actions.revised(state, revision))

    def _note(self, name: str, before: Held) -> None:
        """Take the change down for undo."""
        self._document.edit(name, self._document.show, before, self.held)

    def flush(self) -> None:
        """Tell the engine what still waits."""
        self._engine.flush()

    def _send_waiting(self) -> None:
        if self._waiting:
            look, self._waiting = self._waiting, {}
            revision = self._engine.revision
            self._engine.send(protocol.SetValues(look=look, revision=revision))

    # at once

    def open_up(self) -> None:
        """Make the chosen shine."""
        show, rig = self._document.show, self._preview.compiled.rig
        look, lamps = {}, 0
        lights: dict[tuple[str, str], list[commands.Command]] = {}

        for i in self._selection.chosen:
            fixture = show.fixtures[i]
            kind = show.types.get(fixture.type)
            if kind is None:
                continue

            look[i] = open_up.opened(rig, kind, fixture)
            alike = (fixture.type, fixture.mode)
            if alike not in lights:
                known = commands.commands_of(kind, fixture.mode)
                lights[alike] = [command for command in known if command.lamp_on]

            for command in lights[alike]:
                self._engine.send_command(fixture, command)
                lamps += 1

        if look:
            self.touch(look)

        if lamps:
            self.told.emit(tr("Lamp on was sent to {lamps}.", lamps=lamps), "info")

    def home(self) -> None:
        """Put the chosen at home, dark."""
        rig = self._preview.compiled.rig
        look = {i: open_up.home(rig, i) for i in self._selection.chosen}
        look = {i: values for i, values in look.items() if values}
        if look:
            self.touch(look)
