"""The check of a stack, made anew beside the window after each edit."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from choreon.language import tr
from choreon.model.playables import Stack
from choreon.render.compiled import CompiledShow
from choreon.render.cue_checks import CueProblem, check
from choreon.ui.score.hand import ScoreHand
from choreon.ui.widgets import basics
from choreon.ui.widgets.work import Work

SOON = 500  # milliseconds after an edit


class Checking(QObject):
    """What is to be looked at in the stack in hand: `found`, and `changed` when that is
    another.
    """

    changed = Signal()

    def __init__(self, hand: ScoreHand, place: QWidget) -> None:
        super().__init__(place)
        self.hand, self._place = hand, place
        self.found: list[CueProblem] = []
        self._of: tuple[object, ...] = ()
        self._work = Work(self)
        self._soon = basics.once(self, SOON, self._begin)
        hand.changed.connect(self._soon.start)
        self._soon.start()

    def soon(self) -> None:
        """Check it in a moment."""
        self._soon.start()

    @property
    def is_up_to_date(self) -> bool:
        """Whether `found` is of the stack as it is now."""
        return len(self._of) > 0 and self._of == self._made_of()

    def _made_of(self) -> tuple[object, ...]:
        show = self.hand.show
        parts = (show.playables, show.palettes, show.marks, show.groups, show.fixtures)
        return (self.hand.stack_id, *(id(part) for part in parts))

    def _begin(self) -> None:
        stack, preview = self.hand.stack, self.hand.parts.preview
        if stack is None or self.is_up_to_date or not self._place.isVisible():
            return  # it is checked when it is looked at
        if not preview.ready:
            preview.compile_soon()
            self._soon.start()
            return

        made_of = self._made_of()
        going = [True]
        # compiled for itself: the window draws with its own meanwhile
        ready = preview.compiled
        compiled = CompiledShow(self.hand.show, ready.rig)
        compiled.sources.update(ready.sources)  # nothing changes a compiled scene

        def act() -> tuple[tuple[object, ...], list[CueProblem]]:
            return made_of, _checked(compiled, stack, going)

        def stop() -> None:
            going[0] = False

        self._work.run(tr("Checking the cues"), act, self._take, self._failed, stop)

    def _take(self, result: tuple[tuple[object, ...], list[CueProblem]]) -> None:
        self._of, self.found = result
        self.changed.emit()

    def _failed(self, error: Exception) -> None:
        raise error  # it is ours, and is logged


def _checked(
    compiled: CompiledShow, stack: Stack, going: list[bool]
) -> list[CueProblem]:
    return check(compiled, stack, lambda: going[0])
