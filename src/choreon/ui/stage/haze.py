"""Beams, pools and glows in the haze, added up in linear light.

Each lamp's shape is drawn once into a small mask, and again only when it turns; a
picture is then the sum of the lamps' light through their masks. That is what lets the
stage run at thirty pictures a second beside the window.
"""

from __future__ import annotations

import time

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QImage,
    QLinearGradient,
    QPainter,
    QPolygonF,
    QRadialGradient,
    QTransform,
)

from choreon.model.show import Room
from choreon.render.colour import to_screen
from choreon.render.decode import Lamp, Light
from choreon.ui.stage.camera import View

Array = npt.NDArray[np.float64]
Soft = npt.NDArray[np.float32]

GLOWS = ("dot", "bar")  # bodies whose cells are looked into rather than throw a beam
# change of direction, as a length on the unit sphere, that is worth a new mask
TURN = 1.5e-3
SHAPE = 8  # numbers that a mask is drawn by
SHAKE = 10.0  # degrees to either side by which a shaking gobo is drawn
# numbers in all masks together; hundreds of lamps are drawn the more softly
MOST = 18_000_000
PIXELS = 72_000  # of the whole picture; it is drawn larger, softly
FLOOR = 0.0075  # how light the dark room is

_UNIT = QRectF(-1, -1, 2, 2)
# Light → screen: a shoulder so that many beams together glow rather than clip, then the
# sRGB curve.
_STEPS = 2048
_REACH = 4.0
# Its steps go by the root of the light, close together where it is dark and steps would
# show as bands.
_CURVE = (
    255 * to_screen(1.0 - np.exp(-2.0 * _REACH * np.linspace(0, 1, _STEPS) ** 2)) + 0.5
).astype(np.uint8)


class Haze:
    """The soft picture of a set of lamps, seen through `view`, which is fitted to
    `width` × `height` pixels.
    """

    def __init__(
        self, lamps: list[Lamp], room: Room, view: View, width: int, height: int
    ) -> None:
        self.lamps, self.room, self.view, self.size = lamps, room, view, (width, height)
        self.places = np.array(
            [[p.place.x, p.place.y, p.place.z] for p in lamps]
        ).reshape(-1, 3)
        self._beam = np.array([p.beam for p in lamps], float)
        # What each lamp lights: the corner (row, column) of the part of the picture
        # that it reaches, and how strongly.
        self._masks: list[tuple[int, int, Soft]] = [
            (0, 0, np.zeros((0, 0), np.float32))
        ] * len(lamps)
        self._drawn = np.full((len(lamps), SHAPE), np.nan)
        self._was_lit = np.zeros(len(lamps), bool)
        self._picture = 0
        self._drawn_in = np.zeros(
            len(lamps), np.int64
        )  # the picture that each mask was last drawn in
        self._phase = np.zeros(
            (len(lamps), 2)
        )  # how far gobo and prism have turned, degrees
        self._clock: float | None = None
        self._base = self._dark_room()
        self.behind = False  # masks are still to be drawn: another picture is wanted

    def image(
        self, light: Light, now: float | None = None, budget: float | None = None
    ) -> QImage:
        """What the lamps put into the room; what turns has turned by time `now`
        (seconds).

        With a `budget` (seconds) masks are drawn until it is used up, those first that
        have waited longest; the picture is `behind` then. What has just been lit waits
        for its mask in the dark.
        """
        lit = light.rgb.max(axis=1) > 1e-4
        shape = self._shapes(light, now)
        waits = lit & ~(np.abs(shape - self._drawn).max(axis=1, initial=0.0) < TURN)
        self._picture += 1
        if waits.any():
            which = np.flatnonzero(waits)
            waits[
                self._draw(
                    which[np.argsort(self._drawn_in[which], kind="stable")],
                    shape,
                    budget,
                )
            ] = False
        self.behind = bool(waits.any())
        shown = lit & ~(waits & ~self._was_lit)
        self._was_lit = shown
        width, height = self.size
        sums = self._base.copy()
        rgb = light.rgb.astype(np.float32)[:, :, None, None]
        for lamp in np.flatnonzero(shown).tolist():
            row, column, mask = self._masks[lamp]
            sums[:, row : row + mask.shape[0], column : column + mask.shape[1]] += (
                rgb[lamp] * mask
            )
        sums *= (_STEPS - 1) ** 2 / _REACH
        np.sqrt(sums, out=sums)
        np.minimum(sums, _STEPS - 1, out=sums)
        screen = _CURVE[sums.astype(np.int16)]
        data = np.full((height, width, 4), 255, np.uint8)
        for i, plane in enumerate((2, 1, 0)):  # blue first in memory
            data[..., i] = screen[plane]
        return QImage(
            data.data, width, height, 4 * width, QImage.Format.Format_RGB32
        ).copy()

    # masks

    def _shapes(self, light: Light, now: float | None) -> Array:
        """What masks are drawn by (N, SHAPE): direction, width (tangent of half the
        angle), gobo and prism, and how these have turned (radians).
        """
        count = len(self.lamps)
        beam = light.beam if len(light.beam) == count else self._beam
        gobo, prism = (
            x if len(x) == count else np.zeros(count) for x in (light.gobo, light.prism)
        )
        motion = light.motion if len(light.motion) == count else np.zeros((count, 5))
        if now is not None:
            passed = (
                min(max(now - self._clock, 0.0), 1.0)
                if self._clock is not None
                else 0.0
            )
            self._clock = now
            self._phase = np.where(
                motion[:, [1, 4]] != 0,
                self._phase + 6.0 * passed * motion[:, [1, 4]],
                0.0,
            )
        shaken = SHAKE * np.sin(2 * np.pi * motion[:, 2] * (now or 0.0))
        turned = np.radians(
            (motion[:, [0, 3]] + self._phase + np.column_stack([shaken, 0 * shaken]))
            % 360.0
        )
        turned *= np.column_stack([gobo, prism]) >= 1
        return np.column_stack(
            [
                light.direction,
                np.tan(np.radians(np.clip(beam, 4.0, 120.0) / 2)),
                gobo,
                prism,
                turned,
            ]
        )

    def _draw(
        self, which: npt.NDArray[np.int64], shape: Array, budget: float | None
    ) -> npt.NDArray[np.int64]:
        """Draw the masks of lamps, as many as the budget (seconds) allows and at least
        one; gives which.
        """
        begin = time.perf_counter()
        start, way = self.places[which], shape[which, :3]
        spread, gobo, prism, gobo_turn, prism_turn = shape[which, 3:].T
        length, normal = reach(self.room, start, way)
        end = start + way * length[:, None]
        radius = np.maximum(0.08, length * spread)
        across, along = footprint(way, normal, radius)
        a, b = self.view.project(start), self.view.project(end)
        one, two = self.view.project(end + across), self.view.project(end + along)
        width, height = self.size
        canvas = QImage(width, height, QImage.Format.Format_ARGB32_Premultiplied)
        done = 0
        for i, lamp in enumerate(which):
            if i and budget is not None and time.perf_counter() - begin > budget:
                break
            done = i + 1
            canvas.fill(0)
            painter = QPainter(canvas)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Plus)
            painter.setPen(Qt.PenStyle.NoPen)
            body = self.lamps[lamp].body
            if body in GLOWS:
                near = (0.34, 0.62) if body == "dot" else (0.95, 0.62)
                _disc(painter, a[i], near[0] * self.view.focal / a[i, 2], near[1])
            else:
                parts = _parts(
                    int(gobo[i]),
                    prism[i] >= 1,
                    float(gobo_turn[i]),
                    float(prism_turn[i]),
                )
                slant = float(
                    np.abs((way[i] * normal[i]).sum())
                )  # Lambert: a grazing beam lights a surface less
                strong = 0.92 * slant**0.7 / (1.0 + 0.10 * float(radius[i]) ** 2)
                for x, y, size, share in parts:
                    end = b[i] + x * (one[i] - b[i]) + y * (two[i] - b[i])
                    self._throw(
                        painter, body, a[i], end, float(radius[i]) * size, share
                    )
                    if normal[i].any():
                        reach_one, reach_two = (
                            end + (one[i] - b[i]) * size,
                            end + (two[i] - b[i]) * size,
                        )
                        _pool(
                            painter,
                            end,
                            reach_one,
                            reach_two,
                            strong * min(1.0, 1.6 * share),
                        )
                _disc(painter, a[i], max(2.0, 0.30 * self.view.focal / a[i, 2]), 0.75)
            painter.end()
            grey = np.frombuffer(canvas.constBits(), np.uint8).reshape(height, -1)[
                :, 3 : 4 * width : 4
            ]
            self._masks[lamp] = _cut(grey)
        self._drawn[which[:done]] = shape[which[:done]]
        self._drawn_in[which[:done]] = self._picture
        return which[:done]

    def _throw(
        self,
        painter: QPainter,
        body: str,
        a: Array,
        b: Array,
        radius: float,
        power: float = 1.0,
    ) -> None:
        if body == "panel":
            return
        near = 0.07 * self.view.focal / a[2]
        far = radius * self.view.focal / b[2]
        strength = 0.46 * power / (1.0 + 0.45 * radius)
        for part, share in ((1.0, 0.5), (0.72, 0.3), (0.42, 0.3)):
            _cone(painter, a, b, near * part, far * part, strength * share)

    def _dark_room(self) -> Soft:
        """Floor and back wall as they show with no lamp lit: (3, height, width)."""
        width, height = self.size
        w, d, h = self.room.width / 2, self.room.depth, self.room.height
        points = self.view.project(
            [(-w, 0, 0), (w, 0, 0), (w, d, 0), (-w, d, 0), (-w, d, h), (w, d, h)]
        )
        at = [QPointF(x, y) for x, y, _ in points]
        canvas = QImage(width, height, QImage.Format.Format_Grayscale8)
        canvas.fill(0)
        painter = QPainter(canvas)
        painter.setPen(Qt.PenStyle.NoPen)
        for shade, corners in ((150, (0, 1, 2, 3)), (205, (3, 2, 5, 4))):
            painter.setBrush(QColor(shade, shade, shade))
            painter.drawPolygon(QPolygonF([at[i] for i in corners]))
        painter.end()
        grey = np.frombuffer(canvas.constBits(), np.uint8).reshape(height, -1)[
            :, :width
        ]
        room = np.float32(0.0025) + np.float32(FLOOR / 255) * grey.astype(np.float32)
        return np.repeat(room[None], 3, axis=0)


def _cut(grey: npt.NDArray[np.uint8]) -> tuple[int, int, Soft]:
    """The part of a picture (height, width; 0…255) where there is something, and its
    corner.

    It was drawn by eye, so its square is the light.
    """
    rows, columns = np.flatnonzero(grey.any(axis=1)), np.flatnonzero(grey.any(axis=0))
    if not len(rows):
        return 0, 0, np.zeros((0, 0), np.float32)
    top, left = int(rows[0]), int(columns[0])
    part = grey[top : rows[-1] + 1, left : columns[-1] + 1]
    return top, left, np.square(part.astype(np.float32) / 255)


def _parts(
    slot: int, prism: bool, turn: float, prism_turn: float
) -> list[tuple[float, float, float, float]]:
    """What a beam is broken into: places across and along it, in its radii, size and
    share of light. A gobo gives patches, more of them in later slots; a prism three of
    everything. Both are turned by radians.
    """
    parts = [(0.0, 0.0, 1.0, 1.0)]
    if slot >= 1:
        count = 3 + slot % 4
        turns = 2 * np.pi * (np.arange(count) / count + 0.13 * slot) + turn
        parts = [
            (0.62 * float(np.cos(t)), 0.62 * float(np.sin(t)), 0.30, 0.62)
            for t in turns
        ]
        parts.append((0.0, 0.0, 0.26, 0.62))
    if prism:
        thirds = 2 * np.pi * np.arange(3) / 3 + 0.5 + prism_turn
        parts = [
            (
                x + 0.95 * float(np.cos(t)),
                y + 0.95 * float(np.sin(t)),
                size * 0.85,
                share * 0.55,
            )
            for t in thirds
            for x, y, size, share in parts
        ]
    return parts


def reach(room: Room, start: Array, way: Array) -> tuple[Array, Array]:
    """How far beams go (n, metres) and the normal (n, 3) of what they meet: floor, back
    wall, or nothing.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        floor = np.where(way[:, 2] < -1e-6, -start[:, 2] / way[:, 2], np.inf)
        wall = np.where(
            way[:, 1] > 1e-6, (room.depth - start[:, 1]) / way[:, 1], np.inf
        )
    floor = np.where(floor < 0.02, np.inf, floor)
    wall = np.where(wall < 0.02, np.inf, wall)
    length = np.minimum(np.minimum(floor, wall), 7.0)
    normal = np.zeros_like(start)
    normal[(floor <= wall) & (floor <= 7.0), 2] = 1.0
    normal[(wall < floor) & (wall <= 7.0), 1] = -1.0
    return length, normal


def footprint(way: Array, normal: Array, radius: Array) -> tuple[Array, Array]:
    """Half axes (n, 3) of the ellipse that a cone leaves on a surface: across the beam,
    and along its slope.
    """
    across = np.cross(way, normal)
    size = np.linalg.norm(across, axis=1, keepdims=True)
    across = np.where(
        size > 1e-3, across / np.maximum(size, 1e-9), np.array([1.0, 0.0, 0.0])
    )
    along = np.cross(normal, across)
    slope = np.abs((way * normal).sum(axis=1))
    stretch = radius / np.maximum(slope, 0.28)
    return across * radius[:, None], along * stretch[:, None]


def _white(alpha: float) -> QColor:
    return QColor(255, 255, 255, max(0, min(255, round(255 * alpha))))


def _cone(
    painter: QPainter, a: Array, b: Array, near: float, far: float, alpha: float
) -> None:
    dx, dy = b[0] - a[0], b[1] - a[1]
    long = float(np.hypot(dx, dy)) or 1.0
    nx, ny = -dy / long, dx / long
    gradient = QLinearGradient(a[0], a[1], b[0], b[1])
    gradient.setColorAt(0.0, _white(alpha))
    gradient.setColorAt(0.45, _white(alpha * 0.60))
    gradient.setColorAt(0.85, _white(alpha * 0.26))
    gradient.setColorAt(1.0, _white(alpha * 0.04))
    painter.setBrush(QBrush(gradient))
    painter.drawPolygon(
        QPolygonF(
            [
                QPointF(a[0] + nx * near, a[1] + ny * near),
                QPointF(b[0] + nx * far, b[1] + ny * far),
                QPointF(b[0] - nx * far, b[1] - ny * far),
                QPointF(a[0] - nx * near, a[1] - ny * near),
            ]
        )
    )


def _pool(painter: QPainter, at: Array, one: Array, two: Array, alpha: float) -> None:
    painter.setTransform(
        QTransform(
            one[0] - at[0], one[1] - at[1], two[0] - at[0], two[1] - at[1], at[0], at[1]
        )
    )
    painter.setBrush(_round(alpha, 0.5, 0.72))
    painter.drawEllipse(_UNIT)
    painter.resetTransform()


def _disc(painter: QPainter, at: Array, size: float, alpha: float) -> None:
    painter.setTransform(QTransform(size, 0, 0, size, at[0], at[1]))
    painter.setBrush(_round(alpha, 0.2, 0.55))
    painter.drawEllipse(_UNIT)
    painter.resetTransform()


def _round(alpha: float, core: float, at_core: float) -> QBrush:
    gradient = QRadialGradient(0, 0, 1)
    gradient.setColorAt(0.0, _white(alpha))
    gradient.setColorAt(core, _white(alpha * at_core))
    gradient.setColorAt((1 + core) / 2, _white(alpha * at_core * 0.42))
    gradient.setColorAt(1.0, _white(0.0))
    return QBrush(gradient)
