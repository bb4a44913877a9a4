"""Signs for lamps seen from above, and from the house: one for each body, facing the
audience.
"""

from __future__ import annotations

from functools import cache, lru_cache
from typing import NamedTuple

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QIcon,
    QPainter,
    QPen,
    QPixmap,
    QPolygonF,
    QRadialGradient,
)

from choreon.model.fixture_type import FixtureType
from choreon.ui import theme
from choreon.ui.pixmaps import kept


def _box(p: QPainter, w: float, h: float, round_: float = 3) -> None:
    p.drawRoundedRect(QRectF(-w / 2, -h / 2, w, h), round_, round_)


def _bar(p: QPainter) -> None:
    _box(p, 48, 8, 2)


def _tape(p: QPainter) -> None:
    _box(p, 48, 4, 1)


def _dot(p: QPainter) -> None:
    _box(p, 8, 8, 0)


def _panel(p: QPainter) -> None:
    _box(p, 28, 12, 2)


def _head(p: QPainter) -> None:
    _box(p, 20, 20, 4)
    p.drawEllipse(QPointF(0, 0), 5.5, 5.5)


def _wash(p: QPainter) -> None:
    _box(p, 20, 20, 10)
    p.drawEllipse(QPointF(0, 0), 6.5, 6.5)


def _beam(p: QPainter) -> None:
    _box(p, 18, 18, 4)
    p.drawEllipse(QPointF(0, 0), 2.5, 2.5)


def _profile(p: QPainter) -> None:
    p.drawPolygon(
        QPolygonF([QPointF(-6, 9), QPointF(6, 9), QPointF(8, -8), QPointF(-8, -8)])
    )


def _fresnel(p: QPainter) -> None:
    p.drawPolygon(
        QPolygonF([QPointF(-8, 8), QPointF(8, 8), QPointF(7, -7), QPointF(-7, -7)])
    )
    p.drawLine(QPointF(-8, 3), QPointF(8, 3))


def _flood(p: QPainter) -> None:
    p.drawPolygon(
        QPolygonF([QPointF(-10, 6), QPointF(10, 6), QPointF(5, -6), QPointF(-5, -6)])
    )


def _scanner(p: QPainter) -> None:
    _box(p, 12, 22, 3)
    p.drawLine(QPointF(-8, 8), QPointF(8, 14))


def _mirror(p: QPainter) -> None:
    p.drawEllipse(QPointF(0, 0), 9, 9)
    p.drawLine(QPointF(-6, 6), QPointF(6, -6))


def _strobe(p: QPainter) -> None:
    _box(p, 26, 12, 2)
    p.drawPolyline([QPointF(2, -5), QPointF(-2, 0), QPointF(2, 0), QPointF(-2, 5)])


def _blinder(p: QPainter) -> None:
    _box(p, 24, 14, 3)
    for x in (-6, 6):
        p.drawEllipse(QPointF(x, 0), 4, 4)


def _hazer(p: QPainter) -> None:
    _box(p, 18, 14)
    p.drawLine(QPointF(-4, 0), QPointF(4, 0))


def _fan(p: QPainter) -> None:
    p.drawEllipse(QPointF(0, 0), 9, 9)
    for a, b in ((QPointF(-6, -6), QPointF(6, 6)), (QPointF(6, -6), QPointF(-6, 6))):
        p.drawLine(a, b)


def _multi(p: QPainter) -> None:
    _box(p, 40, 9, 3)
    for x in (-14, -5, 5, 14):
        p.drawEllipse(QPointF(x, 0), 2.5, 2.5)


def _pack(p: QPainter) -> None:
    _box(p, 30, 16, 2)
    for i in range(6):
        p.drawLine(QPointF(-10 + 4 * i, -4), QPointF(-10 + 4 * i, 4))


def _unknown(p: QPainter) -> None:
    p.drawPolygon(
        QPolygonF([QPointF(0, -10), QPointF(10, 0), QPointF(0, 10), QPointF(-10, 0)])
    )


def _par(p: QPainter) -> None:
    p.drawEllipse(QPointF(0, 0), 9, 9)


SIGNS = {
    "bar": _bar,
    "tape": _tape,
    "dot": _dot,
    "panel": _panel,
    "spot": _head,
    "wash": _wash,
    "beam": _beam,
    "profile": _profile,
    "fresnel": _fresnel,
    "flood": _flood,
    "scanner": _scanner,
    "mirror": _mirror,
    "strobe": _strobe,
    "blinder": _blinder,
    "hazer": _hazer,
    "fan": _fan,
    "multi": _multi,
    "pack": _pack,
    "unknown": _unknown,
}


def draw(painter: QPainter, body: str) -> None:
    """Draw a body's sign about the origin, in the painter's pen and brush."""
    SIGNS.get(body, _par)(painter)


class Look(NamedTuple):
    """How a sign is drawn: filled in `fill`, outlined in `line`, turned by so many
    degrees. `ratio`: pixels a point.
    """

    body: str
    fill: str
    line: str
    thick: float
    turn: float
    reversed: bool  # a small arrow: its cells count from the other end
    ratio: float


REACH = 30  # points from the middle of a sign to the edge of its picture


@lru_cache(maxsize=384)  # 14 kB each
def sign(look: Look) -> QPixmap:
    """A sign with all that is about it, to be put down as often as it is needed."""
    made = _clear(2 * REACH, look.ratio)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(look.line), look.thick))
    painter.setBrush(QColor(look.fill))

    painter.translate(REACH, REACH)
    painter.rotate(look.turn)
    draw(painter, look.body)

    if look.reversed:
        painter.drawLine(QPointF(6, -8), QPointF(-6, -8))
        painter.drawLine(QPointF(-6, -8), QPointF(-3, -11))

    painter.end()
    return kept(made)


@lru_cache(maxsize=96)  # 40 kB each
def pool(colour: str, radius: int, ratio: float) -> QPixmap:
    """The light about a lamp, to be put down with its middle on it."""
    made = _clear(2 * radius, ratio)
    gradient = QRadialGradient(radius, radius, radius)
    for at, strength in ((0, 120), (1, 0)):
        light = QColor(colour)
        light.setAlpha(strength)
        gradient.setColorAt(at, light)
    painter = QPainter(made)
    painter.fillRect(0, 0, 2 * radius, 2 * radius, gradient)
    painter.end()
    return kept(made)


def _clear(size: int, ratio: float) -> QPixmap:
    made = QPixmap(round(size * ratio), round(size * ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    return made


@cache
def icon(body: str) -> QIcon:
    """A body's sign as an icon."""
    size = 60
    made = QPixmap(size, size)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    painter.translate(size / 2, size / 2)
    wide = body in ("bar", "tape", "multi")
    painter.scale(1.05 if wide else 1.9, 1.05 if wide else 1.9)
    painter.setPen(QPen(QColor(theme.SOFT), 1.6))
    painter.setBrush(QColor(theme.FLAT))

    draw(painter, body)
    painter.end()
    return QIcon(made)


def body_of(kind: FixtureType | None, mode: str = "") -> str:
    """The body to draw for a fixture: a pack that is hung as one looks like a pack."""
    if kind is None:
        return "unknown"
    found = kind.mode(mode) if mode else None
    if kind.kind == "dimmer" and found is not None and found.cells:
        return "pack"
    return kind.body
