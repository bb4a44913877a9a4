"""Undo and redo: where the show, and the draft beside it, have been, with the name of
the step that led there.
"""

from __future__ import annotations

import msgspec

from choreon.model.motion import Effects
from choreon.model.show import Show
from choreon.model.values import Look

replace = msgspec.structs.replace

MOST_BYTES = 64 << 20
ENTRY = 100  # bytes that an entry of a collection takes each time that one is copied
SPREAD = 8  # bytes that objects take for each byte of them encoded


class Held(msgspec.Struct, frozen=True):
    """What a draft held: values, and effects."""

    look: Look = {}
    effects: Effects = ()


class UndoStep(msgspec.Struct, frozen=True):
    """A step and the show after it. Steps that changed the draft hold it as it was
    before and after. `gesture`: what hands did in one go, None for each by itself.
    `cost`: about how many bytes it holds that the step before it does not.
    """

    name: str
    show: Show
    before: Held | None = None
    after: Held | None = None
    gesture: int | None = None
    cost: int = 0


def cost_of(before: Show, after: Show) -> int:
    """About how many bytes a show takes beside the one before it, with which it shares
    what did not change.
    """
    bytes_ = 500
    for name in Show.__struct_fields__:
        old, new = getattr(before, name), getattr(after, name)
        if old is new:
            continue

        if not isinstance(new, dict):
            bytes_ += SPREAD * len(msgspec.msgpack.encode(new))
            continue

        bytes_ += ENTRY * len(new)
        known = old if isinstance(old, dict) else {}
        fresh = [thing for key, thing in new.items() if known.get(key) is not thing]
        bytes_ += SPREAD * sum(len(msgspec.msgpack.encode(thing)) for thing in fresh)

    return bytes_


def same(one: Show, other: Show) -> bool:
    """Returns whether two shows are alike, the order of things included. What they
    share is not looked at.
    """
    for name in Show.__struct_fields__:
        old, new = getattr(one, name), getattr(other, name)
        if old is new:
            continue

        if not (isinstance(old, dict) and isinstance(new, dict)):
            if not _alike(old, new):
                return False
            continue

        if list(old) != list(new):
            return False
        if not all(_alike(thing, new[key]) for key, thing in old.items()):
            return False

    return True


def _alike(one: object, other: object) -> bool:
    """Whether two things are alike, to the order of what is in them."""
    if one is other:
        return True
    return msgspec.msgpack.encode(one) == msgspec.msgpack.encode(other)


class History:
    """Shows share what did not change, so a long evening costs little; beyond `most`
    bytes the oldest steps are forgotten.
    """

    def __init__(self, show: Show, most: int | None = None) -> None:
        self._done = [UndoStep("", show)]
        self._undone: list[UndoStep] = []
        self._most = MOST_BYTES if most is None else most

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
        entry, becomes one step; what changes nothing is none.
        """
        if before == after and same(self.show, show):
            return

        last = self._done[-1]
        again = gesture is not None and last.gesture == gesture and not self._undone
        if again and len(self._done) > 1:
            if last.before is not None:
                before = last.before
                after = last.after if after is None else after

            self._done.pop()
            if before == after and same(self.show, show):
                return  # it is as it was before the gesture

        cost = cost_of(self.show, show)
        if after is not None:
            cost += SPREAD * len(msgspec.msgpack.encode(after))

        self._done.append(UndoStep(name, show, before, after, gesture, cost))
        self._undone.clear()
        self._forget()

    @property
    def bytes_held(self) -> int:
        """About how many bytes the steps take that can be taken back."""
        return sum(step.cost for step in self._done)

    def _forget(self) -> None:
        """Forget the oldest steps, of which at least one can be taken back."""
        held, drop = self.bytes_held, 0
        while held > self._most and drop < len(self._done) - 2:
            drop += 1
            held -= self._done[drop].cost
        if drop:
            first = replace(self._done[drop], name="", before=None, after=None, cost=0)
            self._done[: drop + 1] = [first]

    def undo(self) -> UndoStep | None:
        """Take the last step back; gives it, or None where there is none."""
        if len(self._done) < 2:
            return None
        self._undone.append(self._done.pop())
        return self._undone[-1]

    def redo(self) -> UndoStep | None:
        """Do again what was taken back last; gives it, or None where there is
        nothing.
        """
        if not self._undone:
            return None
        self._done.append(self._undone.pop())
        return self._done[-1]
