"""Draws the lit room: haze and pools softly at a lower resolution, the room's edges and
the lamps sharp on top.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from choreon.model.show import Room
from choreon.render.colour import to_screen
from choreon.render.decode import Lamp, Light
from choreon.ui import theme
from choreon.ui.pixmaps import kept
from choreon.ui.stage.camera import HOUSE, View, Viewpoint, look
from choreon.ui.stage.haze import Haze, doublings

TURNED = 0.03  # seconds for the beams of a view that was turned
DARK_LENS, RIM = QColor("#1f1e22"), QColor("#47454c")


class StagePainter:
    """Draws what a set of lamps put out."""

    def __init__(self, lamps: list[Lamp], room: Room) -> None:
        self.lamps, self.room = lamps, room
        self.places = np.array(
            [[p.place.x, p.place.y, p.place.z] for p in lamps]
        ).reshape(-1, 3)
        high = self.places[self.places[:, 2] > 0.7 * room.height]
        # where lamps hang in a row
        self._bars = sorted(set(np.round(high[:, 1], 1).tolist()))
        self.viewpoint = HOUSE

        self.own: dict[str, list[int]] = {}
        """Fixture → its lamps."""
        for i, lamp in enumerate(lamps):
            self.own.setdefault(lamp.fixture, []).append(i)

        self._view: tuple[QRectF, Viewpoint, View] | None = None
        self._fronts: tuple[View, list[_Front]] | None = None
        self._dark: tuple[View, float, QPixmap] | None = None
        self._haze: Haze | None = None
        # of another size, and that size, while this is behind
        self._haze_before: tuple[Haze, QRectF] | None = None

        self._haze_seen: tuple[float, float, Viewpoint] | None = None

    @property
    def behind(self) -> bool:
        """Whether the last picture still lacks something, for want of time."""
        return self._haze is not None and self._haze.behind

    @property
    def stretched(self) -> bool:
        """Whether the last picture was one of another size, made to fit."""
        return self._haze_before is not None

    def view(self, rect: QRectF) -> View:
        """The view fitted to a rectangle."""
        if (
            self._view is None
            or self._view[0] != rect
            or self._view[1] != self.viewpoint
        ):
            self._view = (
                QRectF(rect),
                self.viewpoint,
                look(self.room, rect, self.viewpoint),
            )
        return self._view[2]

    def paint(
        self,
        painter: QPainter,
        rect: QRectF,
        light: Light | None,
        chosen: Collection[str] = (),
        bodies: bool = True,
        cells: Mapping[str, Collection[int]] | None = None,
        now: float | None = None,
        budget: float | None = None,
    ) -> None:
        """Draw into `rect`; `light` None shows the dark room. Without `bodies` only
        lamps that are lit are drawn. `cells`: those that are chosen of fixtures not
        chosen wholly. `now` and `budget` as in `Haze.image`.
        """
        painter.save()
        painter.setClipRect(rect)
        view = self.view(rect)

        if light is None:
            light = Light(
                np.zeros((len(self.lamps), 3)),
                np.zeros((len(self.lamps), 3)),
                np.zeros(len(self.lamps)),
            )

        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        ratio = painter.device().devicePixelRatioF()
        self._draw_haze(painter, rect, ratio, light, now, budget)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

        if not bodies:
            self._edges(painter, view)

        self._bodies(painter, rect, view, light, chosen, bodies, cells or {})
        painter.restore()

    def _draw_haze(
        self,
        painter: QPainter,
        rect: QRectF,
        ratio: float,
        light: Light,
        now: float | None,
        budget: float | None,
    ) -> None:
        """The soft picture. Of a size that is new the one before is stretched to it
        until all beams have been drawn; of another view all are drawn at once.
        """
        last = self._haze_seen
        haze = self._haze_for(rect, ratio)
        if last is not None and last[2] != self.viewpoint and budget is not None:
            budget = max(budget, TURNED)

        image = haze.image(light, now, budget)
        if not haze.lacks:
            self._haze_before = None

        if self._haze_before is not None:
            before, size = self._haze_before
            painter.drawImage(rect, before.image(light, now, 0.0), size)
            return

        image.setDevicePixelRatio(ratio)
        painter.drawImage(rect.topLeft(), image)

    def _haze_for(self, rect: QRectF, ratio: float) -> Haze:
        """The soft picture for a rectangle of this size, at so many pixels a point; its
        view begins at its own corner.
        """
        wide, tall = rect.width() * ratio, rect.height() * ratio
        seen = (wide, tall, self.viewpoint)
        if self._haze is None or self._haze_seen != seen:
            last, self._haze_seen = self._haze_seen, seen
            if last is None or self._haze is None or last[2] != self.viewpoint:
                self._haze_before = None
            elif not self._haze.lacks:
                self._haze_before = self._haze, QRectF(0, 0, last[0], last[1])

            count = doublings(wide, tall, len(self.lamps))
            # doubled, the middle of a pixel comes to lie in the first of those it fills
            shift = 0.5 - 0.5 / 2**count
            own = QRectF(shift, shift, wide / 2**count, tall / 2**count)
            view = look(self.room, own, self.viewpoint)
            width, height = (max(2, math.ceil(s)) for s in (own.width(), own.height()))
            self._haze = Haze(self.lamps, self.room, view, width, height, count)

        return self._haze

    def _edges(self, painter: QPainter, view: View) -> None:
        w, d, h = self.room.width / 2, self.room.depth, self.room.height
        points = view.project(
            [(-w, 0, 0), (w, 0, 0), (w, d, 0), (-w, d, 0), (-w, d, h), (w, d, h)]
        )

        at = [QPointF(x, y) for x, y, _ in points]
        painter.setPen(QPen(QColor(255, 255, 255, 26), 1))

        for a, b in ((0, 3), (1, 2), (3, 2), (0, 1), (4, 5), (3, 4), (2, 5)):
            painter.drawLine(at[a], at[b])

        painter.setPen(QPen(QColor(255, 255, 255, 20), 1))
        for y in self._bars:
            ends = view.project([(-w, y, h + 0.12), (w, y, h + 0.12)])
            painter.drawLine(
                QPointF(ends[0, 0], ends[0, 1]), QPointF(ends[1, 0], ends[1, 1])
            )

    def _house(self, painter: QPainter, view: View) -> None:
        """The rows of seats, as the tops of their backs; and the screen."""
        seats = self.room.seats
        painter.setPen(QPen(QColor(255, 255, 255, 20), 1))

        for i in range(seats.rows):
            y, z = -seats.distance - i * seats.spacing, 0.85 + i * seats.rise
            ends = view.project([(-seats.width / 2, y, z), (seats.width / 2, y, z)])
            if ends[:, 2].min() > 0.6:
                painter.drawLine(
                    QPointF(ends[0, 0], ends[0, 1]), QPointF(ends[1, 0], ends[1, 1])
                )

        if self.room.screen is not None:
            s = self.room.screen
            half = s.width / 2
            corners = [
                (s.x - half, s.y, s.z),
                (s.x + half, s.y, s.z),
                (s.x + half, s.y, s.z + s.height),
            ]

            points = view.project([*corners, (s.x - half, s.y, s.z + s.height)])
            painter.setPen(QPen(QColor(255, 255, 255, 40), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y, _ in points]))

    def _bodies(
        self,
        painter: QPainter,
        rect: QRectF,
        view: View,
        light: Light,
        chosen: Collection[str],
        bodies: bool,
        cells: Mapping[str, Collection[int]],
    ) -> None:
        strength = light.rgb.max(axis=1)
        hue = light.rgb / np.maximum(strength, 1e-6)[:, None]
        glow = np.minimum(1.0, np.sqrt(strength))[:, None]
        screen = np.clip(to_screen(hue) * 255 * glow, 0, 255).astype(int)
        colours, strobes = (screen >> 3).tolist(), light.strobe.tolist()

        ratio = painter.device().devicePixelRatioF()
        fronts = self._fronts_in(view)
        if bodies:
            self._draw_dark(painter, rect, view, ratio)

        for i in np.flatnonzero(screen.max(axis=1) > 30).tolist():
            front = fronts[i]
            painter.drawPixmap(
                front.corner(ratio), front.lens(tuple(colours[i]), ratio)
            )
            if strobes[i] > 0:
                _strobe_mark(painter, front.x, front.y - front.tall / 4 - 7)

        for fixture in chosen:
            for i in self.own.get(fixture, ()):
                if fixture not in cells or self.lamps[i].cell in cells[fixture]:
                    front = fronts[i]
                    _put(painter, front, _outline(front.wide, front.tall, ratio))

    def _fronts_in(self, view: View) -> list[_Front]:
        """The fronts of all lamps as they are seen; the same while the view is."""
        if self._fronts is None or self._fronts[0] is not view:
            at = view.project(self.places).tolist()
            fronts = [
                _front(lamp.body, x, y, view.focal / depth)
                for lamp, (x, y, depth) in zip(self.lamps, at, strict=True)
            ]
            self._fronts = view, fronts
        return self._fronts[1]

    def _draw_dark(
        self, painter: QPainter, rect: QRectF, view: View, ratio: float
    ) -> None:
        """The room's edges and all lamps dark, drawn once for a view; those that are
        lit lie above.
        """
        known = self._dark
        if known is not None and known[0] is not view and self._haze_before is not None:
            # it is stretched with the soft picture, until that is whole
            painter.drawPixmap(rect, known[2], QRectF(known[2].rect()))
            return

        if known is None or known[0] is not view or known[1] != ratio:
            size = rect.size() * ratio
            made = QPixmap(math.ceil(size.width()), math.ceil(size.height()))
            made.setDevicePixelRatio(ratio)
            made.fill(Qt.GlobalColor.transparent)
            layer = QPainter(made)
            layer.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)

            layer.setRenderHint(QPainter.RenderHint.Antialiasing)
            layer.translate(-rect.topLeft())
            self._edges(layer, view)
            self._house(layer, view)

            for front in self._fronts_in(view):
                layer.drawPixmap(front.corner(ratio), front.lens(None, ratio))

            layer.end()
            known = self._dark = view, ratio, made

        painter.drawPixmap(rect.topLeft(), known[2])


class _Front(NamedTuple):
    """A lamp's front: the middle of it, and its size in half points."""

    square: bool
    x: float
    y: float
    wide: int
    tall: int

    def corner(self, ratio: float) -> QPointF:
        """Where its lens is drawn."""
        wide, tall = _lens_size(self.wide, self.tall, ratio)
        return QPointF(self.x - wide / ratio / 2, self.y - tall / ratio / 2)

    def lens(self, colour: tuple[int, ...] | None, ratio: float) -> QPixmap:
        """How it looks in a colour; None: dark."""
        return _lens(self.square, self.wide, self.tall, colour, ratio)


def _front(kind: str, x: float, y: float, unit: float) -> _Front:
    """The front of a body at a point, drawn at so many points a metre."""
    wide, tall = SIZES.get(kind, (0.18, 0.18))
    w, h = max(3.0, wide * unit), max(3.0, tall * unit)
    return _Front(kind in ("bar", "dot", "panel"), x, y, round(2 * w), round(2 * h))


def _put(painter: QPainter, front: _Front, picture: QPixmap) -> None:
    """Draw a picture with its middle on that of a front."""
    size = picture.deviceIndependentSize()
    at = QPointF(front.x - size.width() / 2, front.y - size.height() / 2)
    painter.drawPixmap(at, picture)


def _lens_size(wide: int, tall: int, ratio: float) -> tuple[int, int]:
    """Pixels across and down of the picture of a front."""
    return math.ceil((wide / 2 + 2) * ratio), math.ceil((tall / 2 + 2) * ratio)


@lru_cache(maxsize=1024)  # 2 kB each
def _lens(
    square: bool, wide: int, tall: int, colour: tuple[int, ...] | None, ratio: float
) -> QPixmap:
    """A lamp's front, `wide` × `tall` half points: dark with a rim, or lit in a colour
    of 32 steps a channel.
    """
    made = QPixmap(*_lens_size(wide, tall, ratio))
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    fill, rim = DARK_LENS, RIM
    if colour is not None:
        fill = rim = QColor(*(c << 3 | c >> 2 for c in colour))

    painter.setPen(QPen(rim, 1))
    painter.setBrush(fill)
    size = made.deviceIndependentSize()
    rect = QRectF(
        (size.width() - wide / 2) / 2,
        (size.height() - tall / 2) / 2,
        wide / 2,
        tall / 2,
    )

    if square:
        painter.drawRoundedRect(rect, 1.5, 1.5)
    else:
        painter.drawEllipse(rect)

    painter.end()
    return kept(made)


@lru_cache(maxsize=512)
def _outline(wide: int, tall: int, ratio: float) -> QPixmap:
    """What is drawn round a chosen lamp of `wide` × `tall` half points."""
    made = QPixmap(
        math.ceil((wide / 2 + 12) * ratio), math.ceil((tall / 2 + 12) * ratio)
    )
    made.setDevicePixelRatio(ratio)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    painter.setPen(QPen(QColor(theme.CHOSEN), 1.8))
    size = made.deviceIndependentSize()
    painter.drawRoundedRect(
        QRectF(0, 0, size.width(), size.height()).adjusted(2, 2, -2, -2), 5, 5
    )
    painter.end()

    return kept(made)


SIZES = {
    "bar": (0.11, 0.10),
    "dot": (0.16, 0.16),
    "panel": (0.55, 0.26),
    "spot": (0.24, 0.24),
    "wash": (0.24, 0.24),
}
"""Metres across and up by which bodies are drawn."""


def _strobe_mark(painter: QPainter, x: float, y: float) -> None:
    """Strobing is told by a mark, never by flashing the screen."""
    painter.setPen(QPen(QColor(theme.TEXT), 1.4))
    for step in (-5, 0, 5):
        painter.drawLine(QPointF(x + step, y - 3), QPointF(x + step, y + 3))
