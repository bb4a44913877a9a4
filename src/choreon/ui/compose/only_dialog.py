"""Asks which part of a scene is wanted: some families, the chosen fixtures."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit, QPushButton, QWidget

from choreon.language import plural, tr
from choreon.model import attributes as at
from choreon.model.motion import Effects, family
from choreon.model.only import only
from choreon.model.playables import Scene
from choreon.model.values import Look
from choreon.terms import term
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.tick import Tick


class OnlyDialog(Dialog):
    """`keeps`: whether the part is to be a scene of its own, rather than to go into the
    draft.
    """

    def __init__(self, parts: Parts, scene: Scene, parent: QWidget) -> None:
        super().__init__(parent)
        self.parts, self.scene = parts, scene
        self.keeps = False
        self.setWindowTitle(tr("Of {name}, only…", name=scene.name))
        self.setMinimumWidth(460)
        self.families: dict[str, QPushButton] = {}

        for name in self._families():
            said = term(name)
            tip = tr("What it has of {family}", family=said)
            button = basics.button(said, self._look, "", "", tip)
            button.setCheckable(True)
            button.setChecked(True)
            self.families[name] = button

        count = len(parts.selection.chosen)
        self.chosen = Tick(
            plural(count, "for the one fixture chosen", "for the {n} fixtures chosen")
        )

        self.chosen.setEnabled(bool(count))
        self.chosen.setChecked(bool(self._part(True)[0]))
        if not count:
            self.chosen.setText(tr("for the chosen fixtures: none is chosen now"))
        self.chosen.toggled.connect(lambda _: self._look())
        self.name = QLineEdit(tr("{name}, part", name=scene.name))
        self.name.setAccessibleName(tr("Name of the new scene"))
        self.what = basics.label("", "soft", wrap=True)
        self.take = basics.button(tr("Into the draft"), self.accept, "main")
        self.keep = basics.button(tr("Keep as a scene of its own"), self._keep)
        basics.stack(
            self,
            basics.row(*self.families.values(), 1, spacing=4),
            self.chosen,
            self.what,
            basics.row(basics.label(tr("Name, where it is kept"), "soft"), self.name),
            basics.row(
                basics.button(tr("Cancel"), self.reject, "quiet"),
                1,
                self.keep,
                self.take,
            ),
            margins=20,
            spacing=14,
        )

        self._look()

    def _families(self) -> list[str]:
        """The families that the scene has something of, in their usual order."""
        moved = {family(effect.motion) for effect in self.scene.effects}
        held = {*words.families(self.scene.look), *moved}
        return [str(name) for name in at.Family if name in held]

    def _part(self, of_chosen: bool) -> tuple[Look, Effects]:
        wanted = [name for name, button in self.families.items() if button.isChecked()]
        return only(
            self.parts.document.show,
            self.scene.look,
            self.scene.effects,
            wanted,
            self.parts.selection.chosen if of_chosen else None,
        )

    def part(self) -> tuple[Look, Effects]:
        """Returns what was asked for."""
        return self._part(self.chosen.isChecked())

    def _look(self) -> None:
        """Say what it comes to."""
        look, effects = self.part()
        there = bool(look or effects)
        nothing = tr("Nothing: the scene has none of it.")
        self.what.setText(words.summary(look, effects) if there else nothing)
        self.take.setEnabled(there)
        self.keep.setEnabled(there)

    def enters(self, field: QLineEdit) -> bool:
        """Whoever types a name wants to keep it so, and not to lose the name."""
        if self.keep.isEnabled():
            self._keep()
        return False

    def _keep(self) -> None:
        self.keeps = True
        self.accept()
