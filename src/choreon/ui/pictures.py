"""Pictures that are taken into a show."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, Qt
from PySide6.QtGui import QImage

from choreon.model import edits
from choreon.model.show import Picture, Show

MOST_PIXELS = 2400  # along the longer side
KINDS = "Pictures (*.png *.jpg *.jpeg *.bmp *.webp)"


def read(path: Path, show: Show) -> tuple[Picture, QImage] | None:
    """Returns a picture file as a picture for a show, made smaller where it is very
    large; None where it cannot be read.
    """
    image = QImage(str(path))
    if image.isNull():
        return None
    if max(image.width(), image.height()) > MOST_PIXELS:
        image = image.scaled(
            MOST_PIXELS,
            MOST_PIXELS,
            Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")  # type: ignore[call-overload]
    picture = Picture(
        id=edits.fresh_id(path.stem, show.pictures),
        name=path.name,
        data=bytes(data.data()),
    )
    return picture, image
