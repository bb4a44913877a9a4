"""Copying values from one fixture to the others that are chosen, and what of them."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QMenu

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model import copying
from choreon.model.effects import beside, fixtures_of, replace
from choreon.model.motion import Effects
from choreon.model.values import Value
from choreon.terms import term
from choreon.ui import words
from choreon.ui.parts import Parts

FAMILIES = (
    at.Family.INTENSITY,
    at.Family.COLOUR,
    at.Family.POSITION,
    at.Family.BEAM,
    at.Family.DEVICE,
)


class Copied(QObject):
    """What was copied, and from whom."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.source = ""
        self.values: dict[str, Value] = {}
        self.effects: Effects = ()

    def copy(self, fixture: str = "") -> None:
        """Copy what a fixture has now; the first of the choice without one."""
        fixture = fixture or next(iter(self.parts.selection.chosen), "")
        if not fixture:
            self.parts.notices.told.emit(tr("Choose a fixture to copy from."), "alarm")
            return

        values = self.parts.preview.values_of(fixture)
        effects = self._effects_on(fixture)
        name = self.parts.document.show.fixtures[fixture].name

        if not values and not effects:
            self.parts.notices.told.emit(
                tr(
                    "{name} is at home: nothing gives it a value that could be copied.",
                    name=name,
                ),
                "alarm",
            )
            return

        self.source, self.values, self.effects = fixture, values, effects
        look = {fixture: values} if values else {}
        self.parts.notices.told.emit(
            tr(
                "Copied from {name}: {summary}.",
                name=name,
                summary=words.summary(look, effects),
            ),
            "info",
        )

    def _effects_on(self, fixture: str) -> Effects:
        """Returns what moves a fixture now, in the draft or by what plays."""
        show = self.parts.document.show
        return tuple(
            effect
            for effect in self.parts.preview.capture_effects()
            if effect.on and fixture in fixtures_of(show, effect)
        )

    def paste_effects(self) -> None:
        """Have the chosen move as the one that was copied from."""
        chosen = self.parts.selection.chosen
        moved = tuple(
            replace(effect, fixtures=chosen, group="", cells={}, start=effect.start)
            for effect in self.effects
        )
        if moved and chosen:
            effects = beside(self.parts.draft.effects, moved)
            self.parts.draft.set_effects(tr("paste effects"), effects)

    def paste(self, only: list[str] | None = None) -> None:
        """Give the choice what was copied, or some attributes of it."""
        show = self.parts.document.show
        if only is None and self.effects:
            self.paste_effects()
        if self.effects and not self.values:
            return
        if self.source not in show.fixtures or not self.values:
            self.parts.notices.told.emit(
                tr("Nothing is copied yet: choose a fixture and copy it first."),
                "alarm",
            )
            return

        look = copying.pasted(
            show,
            self.source,
            self.values,
            self.parts.selection.chosen,
            self.parts.preview.takes,
            only,
        )

        if look:
            self.parts.draft.touch(look)
        elif not self.effects:
            self.parts.notices.told.emit(
                tr("None of the chosen has what was copied."), "alarm"
            )

    def make_like(self, fixture: str) -> None:
        """Make the choice like a fixture."""
        self.copy(fixture)
        if self.source == fixture and self.values:
            self.paste()

    def fill(self, menu: QMenu) -> None:
        """The ways to paste."""
        menu.addAction(tr("Copy from the first\tCtrl+C"), self.copy).setEnabled(
            bool(self.parts.selection.chosen)
        )
        some = bool(self.values or self.effects)
        ready = some and bool(self.parts.selection.chosen)
        menu.addAction(tr("Paste everything\tCtrl+V"), self.paste).setEnabled(ready)
        for family in FAMILIES:
            own = copying.of_families(self.values, {family})
            if own:
                menu.addAction(
                    tr("Paste {family}", family=term(family)), partial(self.paste, own)
                ).setEnabled(ready)

        moving = menu.addAction(tr("Paste effects"), self.paste_effects)
        moving.setEnabled(ready and bool(self.effects))
        single = menu.addMenu(tr("Paste one attribute"))
        single.setEnabled(ready)
        alone = [name for name in self.values if name not in at.TARGET_COLOUR]

        if len(alone) < len(self.values):
            colour = partial(self.paste, list(at.TARGET_COLOUR))
            single.addAction(tr("Colour"), colour)

        for name in alone:
            single.addAction(at.attribute(name).label, partial(self.paste, [name]))
