"""Pictures of a show as they are drawn: only such as were made here."""

from __future__ import annotations

from PySide6.QtGui import QPixmap

from choreon.formats import cleaning


def pixmap(data: bytes) -> QPixmap:
    """A picture of a show, to be drawn; a null one where it was not made here."""
    made = QPixmap()
    if data and cleaning.is_own(data):
        made.loadFromData(data, "PNG")
    return made
