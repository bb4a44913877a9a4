"""What keys have in common, wherever they are pressed."""

from __future__ import annotations

from PySide6.QtCore import Qt

HELD_WITH = (
    Qt.KeyboardModifier.AltModifier
    | Qt.KeyboardModifier.ControlModifier
    | Qt.KeyboardModifier.MetaModifier
)
"""A key with one of these is a command, and no digit of a value or name of a level."""

PRESSES = (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)
"""Keys that press what has the focus."""
