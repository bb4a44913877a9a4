"""Parts of a controller, drawn: faders, dials, pads, keys, wheels, pedals."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from choreon.model.surfaces import PartSort
from choreon.ui import theme
from choreon.ui.widgets.labels import fit

BODY = "#17141A"
CAP = "#E3DBE0"
SMALLEST = 10  # pixels of letters on a part that is narrow
LETTERS = 12
RING_FROM, RING_SPAN = 225, 270  # degrees of a dial


class PartLook(NamedTuple):
    """How a part looks now. `place`: where it stands, 0…1. `light`: the colour that it
    shines in, empty while it is dark; `dim`: it shines faintly. `words`: what stands on
    it; `tied`: it does something. `pen`: its edge.
    """

    place: float = 0.0
    light: str = ""
    dim: bool = False
    words: str = ""
    tied: bool = False
    down: bool = False
    pen: QPen | None = None


def paint_part(painter: QPainter, sort: PartSort, rect: QRectF, look: PartLook) -> None:
    """Draw a part into its place."""
    _PAINTERS[sort](painter, rect, look)


def _edge(painter: QPainter, look: PartLook) -> None:
    painter.setPen(look.pen or QPen(QColor(theme.BATTEN), 1))


def _words(painter: QPainter, rect: QRectF, look: PartLook, middle: bool) -> None:
    """What stands on it, as much of it as there is room for."""
    if not look.words or rect.height() < SMALLEST:
        return
    painter.setPen(QColor(theme.TEXT if look.tied else theme.FAINT))
    fitted = fit(
        painter, look.words.split(), rect.width(), LETTERS, SMALLEST, strong=look.tied
    )
    upright = Qt.AlignmentFlag.AlignVCenter if middle else Qt.AlignmentFlag.AlignTop
    flags = Qt.AlignmentFlag.AlignHCenter | upright | Qt.TextFlag.TextWordWrap
    painter.save()
    painter.setClipRect(rect)
    painter.drawText(rect, flags, " ".join(fitted))
    painter.restore()


def _fader(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    foot = min(36.0, rect.height() * 0.3)
    track = QRectF(
        rect.center().x() - 3, rect.top() + 10, 6, max(12.0, rect.height() - foot - 20)
    )
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.BATTEN))
    painter.drawRoundedRect(track, 3, 3)

    y = track.bottom() - look.place * track.height()
    painter.setBrush(QColor(theme.LIVE if look.tied else theme.FAINT))
    painter.drawRoundedRect(QRectF(track.left(), y, 6, track.bottom() - y), 3, 3)

    _edge(painter, look)
    painter.setBrush(QColor(CAP if look.tied else theme.FLAT))
    wide = min(34.0, rect.width() - 6)
    cap = QRectF(track.center().x() - wide / 2, y - 8, wide, 16)
    painter.drawRoundedRect(cap, 4, 4)
    below = QRectF(rect.left() + 1, rect.bottom() - foot, rect.width() - 2, foot)
    _words(painter, below, look, middle=False)


def _dial(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    foot = min(30.0, rect.height() * 0.35) if look.words else 0.0
    size = max(8.0, min(rect.width() - 10, rect.height() - foot - 4, 44.0))
    circle = QRectF(rect.center().x() - size / 2, rect.top() + 2, size, size)
    _edge(painter, look)
    painter.setBrush(QColor(theme.FLAT))
    painter.drawEllipse(circle)

    painter.setPen(QPen(QColor(theme.LIVE if look.tied else theme.FAINT), 3))
    ring = circle.adjusted(4, 4, -4, -4)
    painter.drawArc(ring, RING_FROM * 16, int(-RING_SPAN * 16 * look.place))
    below = QRectF(rect.left() + 1, circle.bottom() + 3, rect.width() - 2, foot)
    _words(painter, below, look, middle=False)


def _endless(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    """A dial without an end: two arrows round it say so."""
    _dial(painter, rect, look)
    foot = min(30.0, rect.height() * 0.35) if look.words else 0.0
    size = max(8.0, min(rect.width() - 10, rect.height() - foot - 4, 44.0))
    middle = QPointF(rect.center().x(), rect.top() + 2 + size / 2)
    painter.setPen(QPen(QColor(theme.SOFT), 1.5))
    for side in (-1, 1):
        tip = middle + QPointF(side * size * 0.16, 0)
        painter.drawLine(tip, tip + QPointF(-side * 3, -3))
        painter.drawLine(tip, tip + QPointF(-side * 3, 3))


def _pad(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    inner = rect.adjusted(3, 3, -3, -3)
    _edge(painter, look)
    ground = QColor(look.light or (theme.FLAT if look.tied else "#1D1920"))
    ground.setAlphaF(0.18 if look.dim else 0.34 if look.light else 1.0)
    painter.setBrush(ground)
    round_ = min(8.0, inner.height() / 4)
    painter.drawRoundedRect(inner, round_, round_)

    if look.light and not look.dim:
        painter.setPen(QPen(QColor(look.light), 2.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(inner.adjusted(2, 2, -2, -2), round_, round_)
    if look.down:
        painter.setPen(QPen(QColor(theme.TEXT), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(inner, round_, round_)
    _words(painter, inner.adjusted(3, 2, -3, -2), look, middle=True)


def _wheel(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    inner = rect.adjusted(4, 4, -4, -4)
    _edge(painter, look)
    painter.setBrush(QColor(theme.FLAT))
    painter.drawRoundedRect(inner, inner.width() / 2, inner.width() / 2)
    y = inner.bottom() - 10 - look.place * max(1.0, inner.height() - 20)
    painter.setPen(QPen(QColor(theme.LIVE if look.tied else theme.SOFT), 3))
    painter.drawLine(QPointF(inner.left() + 5, y), QPointF(inner.right() - 5, y))


def _pedal(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    _pad(painter, rect, look)
    inner = rect.adjusted(10, 10, -10, -10)
    painter.setPen(QPen(QColor(theme.BATTEN), 1))
    for n in range(3):
        y = inner.top() + 4 * n
        painter.drawLine(QPointF(inner.left(), y), QPointF(inner.right(), y))


def _white(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    _note(painter, rect, look, "#4A434E")


def _black(painter: QPainter, rect: QRectF, look: PartLook) -> None:
    _note(painter, rect, look, "#0E0C10")


def _note(painter: QPainter, rect: QRectF, look: PartLook, ground: str) -> None:
    _edge(painter, look)
    lit = QColor(theme.LIVE) if look.down or look.light else QColor(ground)
    painter.setBrush(lit)
    painter.drawRoundedRect(rect.adjusted(0.5, 0, -0.5, 0), 3, 3)
    below = rect.adjusted(1, rect.height() * 0.6, -1, -2)
    _words(painter, below, look, middle=True)


_PAINTERS: dict[PartSort, Callable[[QPainter, QRectF, PartLook], None]] = {
    PartSort.FADER: _fader,
    PartSort.DIAL: _dial,
    PartSort.ENDLESS: _endless,
    PartSort.PAD: _pad,
    PartSort.KEY: _pad,
    PartSort.WHEEL: _wheel,
    PartSort.PEDAL: _pedal,
    PartSort.WHITE: _white,
    PartSort.BLACK: _black,
}
