"""A scene's times: in and out, and for single families a delay and a fade
of their own.
"""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QWidget

from choreon.language import capital, tr
from choreon.model import attributes as at
from choreon.model.playables import Playable, Times
from choreon.terms import term
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.values import ValueField

FAMILIES = (at.Family.INTENSITY, at.Family.COLOUR, at.Family.POSITION, at.Family.BEAM)


class TimesDialog(Dialog):
    """All times of one scene."""

    def __init__(self, parent: QWidget, scene: Playable) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Times of {name}", name=scene.name))
        self.fade_in = ValueField(tr("In"), 0, 60, "s", 1, bar=False)
        self.fade_out = ValueField(tr("Out"), 0, 60, "s", 1, bar=False)
        self.fade_in.set_value(scene.fade_in)
        self.fade_out.set_value(scene.fade_out)
        self.rows: dict[str, tuple[ValueField, ValueField]] = {}
        lines = []

        for family in FAMILIES:
            own = scene.times.get(family)
            delay = ValueField(tr("waits"), 0, 60, "s", 1, bar=False)
            fade = ValueField(tr("takes"), 0, 60, "s", 1, bar=False)
            delay.set_value(own.delay if own else 0.0)
            fade.set_value(own.fade if own else scene.fade_in)
            self.rows[family] = (delay, fade)
            title = basics.label(capital(term(family)), "soft")
            title.setFixedWidth(90)
            lines.append(basics.row(title, delay, fade))

        self.fade_in.changed.connect(self._follow)
        self._given = dict(scene.times)
        note = tr(
            "A family that waits comes up later than the rest: position and "
            "colour can be there before the light."
        )

        basics.stack(
            self,
            basics.row(self.fade_in, self.fade_out),
            basics.label(note, "small", wrap=True),
            *lines,
            basics.row(
                1,
                basics.button(tr("Cancel"), self.reject, "quiet"),
                basics.button(tr("Keep"), self.accept, "main"),
            ),
            margins=20,
            spacing=10,
        )

        self.setMinimumWidth(420)

    def _follow(self, seconds: float) -> None:
        """Families without times of their own show the scene's."""
        for family, (_, fade) in self.rows.items():
            if family not in self._given:
                fade.set_value(seconds)

    def answer(self) -> dict[str, Any]:
        """The scene's fields that say its times; families that are as the scene are
        left out.
        """
        fade_in, fade_out = self.fade_in.value or 0.0, self.fade_out.value or 0.0
        times = {}
        for family, (delay, fade) in self.rows.items():
            own = Times(delay.value or 0.0, fade.value or 0.0)
            if own != Times(0.0, fade_in):
                times[str(family)] = own
        return {"fade_in": fade_in, "fade_out": fade_out, "times": times}


def ask_times(parent: QWidget, scene: Playable) -> dict[str, Any] | None:
    """Ask for a scene's times; None where they stay."""
    dialog = TimesDialog(parent, scene)
    answer = dialog.answer() if dialog.exec() else None
    discard(dialog)
    return answer
