"""Slots of wheels as small pictures."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, FixtureType, Range, Slot
from choreon.ui import pixmaps, theme
from choreon.ui.pixmaps import kept

MOST = 600  # pictures that are kept

_pictures: dict[tuple[bytes, int], QPixmap] = {}


def slot_picture(slot: Slot, size: int) -> QPixmap:
    """A slot as a small disc: its picture, or its colour."""
    key = (slot.picture or f"{slot.colour}{slot.split}".encode() or b"-", size)
    if key not in _pictures:
        made = QPixmap(size, size)
        made.fill(Qt.GlobalColor.transparent)
        painter = QPainter(made)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        picture = pixmaps.pixmap(slot.picture)

        if not picture.isNull():
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawPixmap(
                QRectF(0, 0, size, size), picture, QRectF(picture.rect())
            )
        else:
            painter.setPen(QPen(QColor(theme.FAINT), 1))
            painter.setBrush(QColor(slot.colour or "#FFFFFF"))
            painter.drawEllipse(QRectF(1, 1, size - 2, size - 2))

            if slot.split:  # the two filters that the wheel stops between
                painter.setBrush(QColor(slot.split))
                painter.drawPie(QRectF(1, 1, size - 2, size - 2), -90 * 16, 180 * 16)

        painter.end()
        if len(_pictures) > MOST:
            _pictures.clear()

        _pictures[key] = kept(made)

    return _pictures[key]


def forget() -> None:
    """Draw all pictures anew."""
    _pictures.clear()


def slot_of(kind: FixtureType, channel: Channel, span: Range) -> Slot | None:
    """The slot of a wheel that a range stands for."""
    wheel = kind.wheel(channel.wheel) if channel.wheel else None
    if wheel is None:
        return None
    slot_like = at.attribute(span.attribute).kind == "slot" and span.discrete
    number = int(span.low) if slot_like else span.slot
    return wheel.slots[number] if 0 <= number < len(wheel.slots) else None
