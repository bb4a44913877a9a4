"""Teaching a control: start from the target, move the control, done."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from choreon.engine import protocol
from choreon.model import edits
from choreon.ui import words
from choreon.ui.parts import Parts


class Learner(QObject):
    """Waits for a control to be moved and ties it to the target."""

    changed = Signal(str)  # the target being taught, empty when done

    def __init__(self, parts: Parts) -> None:
        super().__init__(parts)
        self.parts = parts
        self.target = ""
        parts.engine.control_moved.connect(self._moved)

    def start(self, target: str) -> None:
        """Wait for a control for `target`."""
        self.target = target
        self.changed.emit(target)

    def cancel(self) -> None:
        if self.target:
            self.target = ""
            self.changed.emit("")

    def forget(self, target: str) -> None:
        """Untie every control from a target."""
        name = words.target_name(self.parts.document.show, target)
        self.parts.document.edit(
            f"unlearn {name}", edits.unlearn(self.parts.document.show, target)
        )

    def _moved(self, control: protocol.Control) -> None:
        if not self.target or (control.kind == "note" and control.value == 0):
            return
        target, self.target = self.target, ""
        show = edits.learn(
            self.parts.document.show,
            control.port,
            control.kind,
            control.channel,
            control.number,
            target,
        )
        name = words.target_name(show, target)
        self.parts.document.edit(f"learn {name}", show)
        self.parts.notices.told.emit(
            f"{name} now follows {control_name(control)} of {control.port}.", "info"
        )
        self.changed.emit("")


def control_name(control) -> str:
    """What a control is called where its controller gives it no name."""
    what = "control" if control.kind == "cc" else "note"
    return f"{what} {control.number}" + (
        f" (channel {control.channel + 1})" if control.channel else ""
    )
