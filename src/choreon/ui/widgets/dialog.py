"""What all dialogs have in common: F1 tells about them."""

from __future__ import annotations

from typing import Protocol, runtime_checkable

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)


@runtime_checkable
class Tells(Protocol):
    """A window that has help."""

    def tell_of(self, widget: QWidget) -> None:
        """Open the page of the help about a widget."""


SEARCH = "search"
"""The property of a field in which one looks for something."""

SPARE = 12  # pixels, for what becomes higher as it is dressed
BAR = 14  # pixels of a bar that scrolls
LEAST = 160  # pixels of something that scrolls in it
ASIDE = 160  # pixels of a dialog, and of the screen, beside what scrolls in it


class Scrolled(QScrollArea):
    """As high as what is in it, or as the screen has room for."""

    def sizeHint(self) -> QSize:
        """The whole of it, where that can be."""
        hint = super().sizeHint()
        inside = self.widget()
        whole = hint.height() if inside is None else inside.sizeHint().height() + SPARE
        room = self.screen().availableSize().height() - ASIDE
        return QSize(hint.width(), min(whole, room))


class Dialog(QDialog):
    """A dialog over a window that has help."""

    def scrolled(self, inside: QWidget) -> QScrollArea:
        """Returns what is in it as something that scrolls where the screen has no room
        for all of it.
        """
        made = Scrolled()
        made.setWidgetResizable(True)
        made.setWidget(inside)
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        made.setMinimumWidth(inside.sizeHint().width() + BAR)
        made.setMinimumHeight(min(inside.sizeHint().height(), LEAST))
        return made

    def enters(self, field: QLineEdit) -> bool:
        """Returns whether Enter in a field does what the filled button says: not where
        one looks for something, nor where something is left half typed. A dialog may do
        something else instead.
        """
        return not field.property(SEARCH)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """F1 tells about it; Enter does what the filled button says, or the button that
        has the focus, and nothing from a tick, a list or a number.
        """
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            field = self.focusWidget()
            typed = isinstance(field, QLineEdit) and self.enters(field)
            if typed or field is None or isinstance(field, QPushButton):
                super().keyPressEvent(event)
            else:
                event.accept()
            return

        if event.key() != Qt.Key.Key_F1:
            super().keyPressEvent(event)
            return
        above = self.parentWidget()
        while above is not None and not isinstance(above, Tells):
            above = above.parentWidget()

        if above is not None:
            above.tell_of(self)
