"""Teaching a control: start from the target, move the control, done."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from choreon.engine import protocol
from choreon.language import tr
from choreon.model import edits
from choreon.model.inputs import called, is_key
from choreon.model.refs import Ref
from choreon.ui import words
from choreon.ui.parts import Parts


class Learner(QObject):
    """Waits for a control to be moved and ties it to the target."""

    changed = Signal(object)  # what is to be learnt, or None
    """The Ref that is being taught; None when done."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.target: Ref | None = None
        parts.engine.control_moved.connect(self._moved)

    def start(self, target: Ref) -> None:
        """Wait for a control for `target`. Until then controls do nothing."""
        self.target = target
        self.parts.engine.send(protocol.Learning(True))
        self.changed.emit(target)

    def cancel(self) -> None:
        """Wait for no control any more."""
        if self.target:
            self.target = None
            self.parts.engine.send(protocol.Learning(False))
            self.changed.emit(None)

    def forget(self, target: Ref) -> None:
        """Untie every control from a target."""
        name = words.target_name(self.parts.document.show, target)
        self.parts.document.edit(
            tr("unlearn {name}", name=name),
            edits.unlearn(self.parts.document.show, target),
        )

    def _moved(self, moved: protocol.ControlMoved) -> None:
        control = moved.control
        let_go = is_key(control) and moved.value == 0
        if self.target is None or let_go:
            return

        target, self.target = self.target, None
        self.parts.engine.send(protocol.Learning(False))
        show = edits.learn(self.parts.document.show, control, target)
        name = words.target_name(show, target)
        self.parts.document.edit(tr("learn {name}", name=name), show)

        self.parts.notices.told.emit(
            tr(
                "{name} now follows {called} of {device}.",
                name=name,
                called=called(control),
                device=control.device,
            ),
            "info",
        )

        self.changed.emit(None)
