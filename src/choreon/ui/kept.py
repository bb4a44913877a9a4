"""Pictures that are kept."""

from __future__ import annotations

from PySide6.QtGui import QPixmap


def kept(picture: QPixmap) -> QPixmap:
    """A picture to keep, without what drew it: a painter leaves with a picture what it
    needed for it, which is several times as large as a small one.
    """
    return picture.copy()
