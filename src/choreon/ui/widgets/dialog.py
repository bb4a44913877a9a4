"""What all dialogs have in common: F1 tells about them."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QWidget


@runtime_checkable
class Tells(Protocol):
    """A window that has help."""

    def tell_of(self, widget: QWidget) -> None:
        """Open the page of the help about a widget."""


class Dialog(QDialog):
    """A dialog over a window that has help."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """F1 tells about it."""
        if event.key() != Qt.Key.Key_F1:
            super().keyPressEvent(event)
            return
        above = self.parentWidget()
        while above is not None and not isinstance(above, Tells):
            above = above.parentWidget()
        if above is not None:
            above.tell_of(self)
