"""Words for Qt's models of items."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex

AnyIndex = QModelIndex | QPersistentModelIndex
NO_PARENT = QModelIndex()
"""What a list's lines hang on: nothing."""
