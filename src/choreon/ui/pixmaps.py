"""Pictures as Qt draws them: of a show, and kept without what painted them."""

from __future__ import annotations

from PySide6.QtGui import QPixmap

from choreon.formats import cleaning


def pixmap(data: bytes) -> QPixmap:
    """A picture of a show, to be drawn; a null one where it was not made here."""
    made = QPixmap()
    if data and cleaning.is_own(data):
        made.loadFromData(data, "PNG")
    return made


def kept(picture: QPixmap) -> QPixmap:
    """A picture to keep, without what drew it: a painter leaves with a picture what it
    needed for it, which is several times as large as a small one.
    """
    return picture.copy()
