"""Teaching a control: start from the target, move the control, done. Several targets
may wait in a row: each control that is moved goes to the next.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from PySide6.QtCore import QObject, Signal

from choreon.engine import protocol
from choreon.engine.inputs.layers import Layers
from choreon.language import plural, tr
from choreon.model import edits
from choreon.model.inputs import Control, called, is_key
from choreon.model.inputs.watching import Learnt, Seen, judge
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.ui import words
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics

LOOK = 50  # milliseconds between two looks at what was moved
REST = 0.15  # seconds in which the control that was learnt last is passed over


class Learner(QObject):
    """Watches what a control sends until it is known, and ties it to the target."""

    changed = Signal(object)  # what is to be learnt, or None
    """The Ref that is being taught; None when done."""
    found = Signal(object)
    """A `Learnt`, where a control is watched for its own sake."""

    def __init__(self, parts: Parts, layers: Layers | None = None) -> None:
        super().__init__()
        self.parts = parts
        self.layers = layers or Layers()
        self.target: Ref | None = None
        self.waiting: tuple[Ref, ...] = ()
        """What is taught after that."""
        self.watching = False
        """Whether controls are watched that nothing is to be tied to."""
        self.on_page = self.in_layer = ""
        """Where what is learnt holds: on a page, while a key is held; all, where empty.
        """

        self._held: Control | None = None
        """The key of a layer that is held meanwhile."""
        self._seen: list[Seen] = []
        self._last: tuple[Control | None, float] = (None, 0.0)
        self._tick = basics.once(self, LOOK, self._look)
        parts.engine.control_moved.connect(self._moved)

    # what is taught

    def start(self, target: Ref) -> None:
        """Wait for a control for `target`. Until then controls do nothing."""
        self.start_row([target])

    def start_row(self, targets: Sequence[Ref]) -> None:
        """Wait for a control for each, one after the other."""
        if not targets:
            return
        self.target, self.waiting = targets[0], tuple(targets[1:])
        self.watching = False
        self._begin()

    def watch(self, on: bool) -> None:
        """Find out what controls are, and tie them to nothing."""
        self.cancel()
        self.watching = on
        if on:
            self._begin()
        else:
            self.parts.engine.send(protocol.Learning(False))

    def skip(self) -> None:
        """Go on to the next target without a control for this one."""
        self._next()

    def cancel(self) -> None:
        """Wait for no control any more."""
        if self.target:
            self.target, self.waiting = None, ()
            self._end()

    def close(self) -> None:
        """The window closes: what was moved last is tied to nothing any more."""
        if self.watching:
            self.watch(False)
        self.cancel()
        self._seen.clear()
        self._tick.stop()

    def _begin(self) -> None:
        self._seen.clear()
        self._held = None
        self.parts.engine.send(protocol.Learning(True))
        self.changed.emit(self.target)

    def _end(self) -> None:
        self._seen.clear()
        self._tick.stop()
        self.parts.engine.send(protocol.Learning(False))
        self.changed.emit(None)

    def forget(self, target: Ref) -> None:
        """Untie every control from a target."""
        name = words.target_name(self.parts.document.show, target)
        self.parts.document.edit(
            tr("unlearn {name}", name=name),
            edits.unlearn(self.parts.document.show, target),
        )

    # what is moved

    def _moved(self, moved: protocol.ControlMoved) -> None:
        if self.target is None and not self.watching:
            return

        now, control = time.monotonic(), moved.control
        if self._is_of_layer(control):
            self._held = control if moved.value else None
            return
        last, at = self._last
        if control == last and now - at < REST:
            self._last = (control, now)  # the hand is still on it
            return
        if not self._seen and is_key(control) and moved.value == 0:
            return  # letting go begins nothing

        self._seen.append(Seen(control, moved.value, now))
        self._tick.start()

    def _is_of_layer(self, control: Control) -> bool:
        """Whether a key is held for others to do something else: it is not learnt, but
        what is moved while it is held is learnt for then.
        """
        ties = self.parts.document.show.inputs.values()
        return any(
            tie.shift == control.name and tie.control.device == control.device
            for tie in ties
        )

    def _layer_of(self, control: Control) -> str:
        """The key that is held while a control is learnt; else the layer asked for."""
        held = self._held
        if held is not None and held.device == control.device:
            return held.name
        return self.in_layer

    def _look(self) -> None:
        """Whether it is known by now what was moved."""
        now = time.monotonic()
        found = judge(self._seen, now)
        if found is None:
            if self._seen:
                self._tick.start()
            return

        self._seen.clear()
        self._last = (found.control, now)
        if self.watching:
            self.found.emit(found)
        elif self.target is not None:
            self.tie(found, self.target)
            self._next()

    def _next(self) -> None:
        """The next target, or the end."""
        if self.waiting:
            self.target, self.waiting = self.waiting[0], self.waiting[1:]
            self._seen.clear()
            self.changed.emit(self.target)
        else:
            self.target = None
            self._end()

    def tie_row(self, row: Sequence[tuple[Learnt, Ref]]) -> None:
        """Tie controls, each to its target, at one stroke."""
        if len(row) == 1:
            self.tie(*row[0])
        if len(row) <= 1:
            return

        document = self.parts.document
        show = document.show
        for found, target in row:
            show = self._learnt(show, found, target)
        document.edit(tr("learn a row"), show)
        told = tr(
            "{n} controls of {device} now follow {first} to {last}.",
            n=len(row),
            device=row[0][0].control.device,
            first=words.target_name(show, row[0][1]),
            last=words.target_name(show, row[-1][1]),
        )
        self.parts.notices.told.emit(told, "info")

    def _learnt(self, show: Show, found: Learnt, target: Ref) -> Show:
        return edits.learn(
            show,
            found.control,
            target,
            coding=found.coding,
            toggles=found.toggles,
            page=self.on_page,
            shift=self._layer_of(found.control),
        )

    def tie(self, found: Learnt, target: Ref) -> None:
        """Tie a control to a target."""
        document, control = self.parts.document, found.control
        show = self._learnt(document.show, found, target)
        name = words.target_name(show, target)
        document.edit(tr("learn {name}", name=name), show)

        told = tr(
            "{name} now follows {called} of {device}.",
            name=name,
            called=called(control),
            device=control.device,
        )
        left = len(self.waiting)
        if left:
            more = plural(left, "1 more to come.", "{n} more to come.")
            told = f"{told} {more}"
        self.parts.notices.told.emit(told, "info")
