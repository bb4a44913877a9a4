"""Menus whose entries are shown as they are: an & in a name is no key."""

from __future__ import annotations

from typing import Any

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from choreon.ui.widgets.basics import literal


class Menu(QMenu):
    """A menu of names and deeds."""

    def __init__(self, *args: Any) -> None:
        super().__init__(*(_literal(one) for one in args))
        self.setToolTipsVisible(True)

    def addAction(self, *args: Any) -> QAction:  # type: ignore[override]
        """Add a line that does something."""
        return super().addAction(*(_literal(one) for one in args))

    def addMenu(self, *args: Any) -> Any:
        """Add a line that opens another menu."""
        if not isinstance(args[0], str):
            return super().addMenu(*args)
        made = Menu(args[0], self)
        super().addMenu(made)
        return made


def _literal(one: Any) -> Any:
    return literal(one) if isinstance(one, str) else one
