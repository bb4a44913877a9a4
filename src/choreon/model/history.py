"""Undo and redo: where the show, and the draft beside it, have been, with the name of
the step that led there.
"""

from __future__ import annotations

import msgspec

from choreon.model.motion import Effects
from choreon.model.show import Show
from choreon.model.values import Look

replace = msgspec.structs.replace


class Held(msgspec.Struct, frozen=True):
    """What a draft held: values, and effects."""

    look: Look = {}
    effects: Effects = ()


class Step(msgspec.Struct, frozen=True):
    """A step and the show after it. Steps that changed the draft hold it as it was
    before and after. `gesture`: what hands did in one go, None for each by itself.
    """

    name: str
    show: Show
    before: Held | None = None
    after: Held | None = None
    gesture: int | None = None


class History:
    """Shows share what did not change, so a long evening costs little."""

    def __init__(self, show: Show) -> None:
        self._done = [Step("", show)]
        self._undone: list[Step] = []

    @property
    def show(self) -> Show:
        """The show as it is now."""
        return self._done[-1].show

    @property
    def undo_name(self) -> str:
        """Name of the step that undo would take back; empty where there is none."""
        return self._done[-1].name if len(self._done) > 1 else ""

    @property
    def redo_name(self) -> str:
        """What the step forward is called; empty where there is none."""
        return self._undone[-1].name if self._undone else ""

    def do(
        self,
        name: str,
        show: Show,
        gesture: int | None = None,
        before: Held | None = None,
        after: Held | None = None,
    ) -> None:
        """Go on to `show`. What one gesture does, from press to release or in one typed
        entry, becomes one step.
        """
        if show is self.show and before == after:
            return
        last = self._done[-1]
        again = gesture is not None and last.gesture == gesture and not self._undone
        if again and len(self._done) > 1:
            if last.before is not None:
                before = last.before
                after = last.after if after is None else after
            self._done[-1] = Step(name, show, before, after, gesture)
        else:
            self._done.append(Step(name, show, before, after, gesture))
        self._undone.clear()

    def undo(self) -> Step | None:
        """Take the last step back; gives it, or None where there is none."""
        if len(self._done) < 2:
            return None
        self._undone.append(self._done.pop())
        return self._undone[-1]

    def redo(self) -> Step | None:
        """Do again what was taken back last; gives it, or None where there is
        nothing.
        """
        if not self._undone:
            return None
        self._done.append(self._undone.pop())
        return self._done[-1]
