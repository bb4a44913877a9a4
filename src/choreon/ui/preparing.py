"""What will be needed is got ready while nobody does anything: so no place takes long
when it is opened for the first time.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from importlib import import_module
from typing import Protocol

from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QWidget
from shiboken6 import isValid

from choreon.ui.gestures import gestures

EVERY = 120  # milliseconds between turns
REST = 1.5  # seconds without a key, a press, or a move of the mouse before one
POLISHED = 12  # widgets that are dressed in a turn

Turn = Callable[[], object]

NEEDED = (
    "choreon.ui.perform.place",
    "choreon.ui.compose.hand",
    "choreon.ui.compose.selection_panel",
    "choreon.ui.compose.attribute_panel",
    "choreon.ui.compose.shelf",
    "choreon.ui.compose.steps",
    "choreon.ui.compose.pattern_dialog",
    "choreon.ui.compose.place",
    "choreon.ui.rig.hang",
    "choreon.ui.rig.plan",
    "choreon.ui.rig.ribbon",
    "choreon.ui.rig.types.editor",
    "choreon.ui.rig.place",
    "choreon.ui.surfaces.place",
    "choreon.ui.score.place",
    "choreon.ui.perform.inspector",
    "choreon.ui.perform.page_form",
)
"""Modules that places are made of, each loaded in a turn of its own."""


class HasPlaces(Protocol):
    """A window of places, which are made when they are first asked for."""

    def build_place(self, name: str) -> None:
        """Build a place, unless it is there."""

    def make_place(self, name: str) -> QWidget:
        """Take a place into the window, unless it is there; build it first, unless it
        is built.
        """


def turns(window: HasPlaces, names: tuple[str, ...]) -> Iterator[Turn]:
    """Returns what is to be done, one after the other."""
    for module in NEEDED:
        yield partial(import_module, module)

    for name in names:
        yield partial(window.build_place, name)
        yield partial(window.make_place, name)
        place = window.make_place(name)
        for part in getattr(place, "LATER", ()):
            yield partial(getattr, place, part)
        inside = place.findChildren(QWidget)
        while inside:
            now, inside = inside[:POLISHED], inside[POLISHED:]
            yield partial(_dress, now)


def _dress(widgets: list[QWidget]) -> None:
    """Have widgets look as the style sheet says, before they are shown."""
    for widget in widgets:
        if isValid(widget):
            widget.ensurePolished()


class Preparer(QObject):
    """Does turns, one after the other, while hands rest."""

    def __init__(self, parent: QObject, todo: Iterator[Turn]) -> None:
        super().__init__(parent)
        self._todo = todo
        self.done = False
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self._go_on)
        self._timer.start()

    def _go_on(self) -> None:
        if gestures().resting < REST:
            return
        turn = next(self._todo, None)
        if turn is None:
            self.done = True
            self._timer.stop()
        else:
            turn()
