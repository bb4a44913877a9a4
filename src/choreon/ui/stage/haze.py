"""Beams, pools and glows in the haze, added up in linear light.

Each lamp's shape is drawn once into a small mask, and again only when it turns; a
picture is then the sum of the lamps' light through their masks. Lamps that shine alike
are added up once. That is what lets the stage run at thirty pictures a second beside
the window.
"""

from __future__ import annotations

import time

import numpy as np
import numpy.typing as npt
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPolygonF

from choreon.model.show import Room
from choreon.render.colour import to_screen
from choreon.render.decode import Lamp, Light
from choreon.ui.stage.camera import View
from choreon.ui.stage.enlarge import Twice
from choreon.ui.stage.masks import NOTHING, Array, Beams, Mask, MaskCanvas, Soft

# change of direction, as a length on the unit sphere, that is worth a new mask
TURN = 1.5e-3
SHAPE = 8  # numbers that a mask is drawn by
SHAKE = 10.0  # degrees to either side by which a shaking gobo is drawn
# numbers in all masks together, were they as large as the picture; hundreds of lamps
# are drawn the more softly
MOST = 40_000_000
PIXELS = 60_000  # of the whole picture; it is doubled until it is as large as wanted
MOST_DOUBLED = 4
AT_ONCE = 64  # masks that are drawn for a picture where there is little time
TOGETHER = 24  # sets of lamps of one colour whose masks are kept added up
FLOOR = 0.0075  # how light the dark room is

# Light → screen: a shoulder so that many beams together glow rather than clip, then the
# sRGB curve.
_STEPS = 2048
_REACH = 4.0
# Its steps go by the root of the light, close together where it is dark and steps would
# show as bands.
_SCALE = np.float32((_STEPS - 1) ** 2 / _REACH)
_CURVE = (
    255 * to_screen(1.0 - np.exp(-2.0 * _REACH * np.linspace(0, 1, _STEPS) ** 2)) + 0.5
).astype(np.uint32)
# The curve where red, green and blue lie in a pixel; the first is opaque.
_PIXEL = (_CURVE << 16 | 0xFF000000, _CURVE << 8, _CURVE)


def doublings(width: float, height: float, lamps: int) -> int:
    """How often a picture of so many lamps is doubled to be of a size in pixels."""
    pixels, count = min(PIXELS, MOST // max(1, lamps)), 0
    while width * height > 4**count * pixels and count < MOST_DOUBLED:
        count += 1
    return count


class Haze:
    """The soft picture of a set of lamps, seen through `view`, which is fitted to
    `width` × `height` pixels; it is `doubled` so often at the end.
    """

    def __init__(
        self,
        lamps: list[Lamp],
        room: Room,
        view: View,
        width: int,
        height: int,
        doubled: int = 0,
    ) -> None:
        self.lamps, self.room, self.view, self.size = lamps, room, view, (width, height)
        self._larger = [Twice(width << i, height << i) for i in range(doubled)]
        self.places = np.array(
            [[p.place.x, p.place.y, p.place.z] for p in lamps]
        ).reshape(-1, 3)
        self._beam = np.array([p.beam for p in lamps], float)
        self._masks: list[Mask] = [NOTHING] * len(lamps)  # what each lamp lights

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
        # lamps that shone alike in the last picture, and their masks added up
        self._alike: dict[tuple[int, ...], Mask | None] = {}
        self._canvas = MaskCanvas(width, height)
        self._base = self._dark_room() * _SCALE
        # kept from picture to picture, so that no memory is asked for
        self._sums = np.empty((3, height, width), np.float32)

        self._part = np.empty((height, width), np.float32)
        self._steps = np.empty((height, width), np.intp)
        self._plane = np.empty((height, width), np.uint32)
        self._pixels = np.empty((height, width), np.uint32)
        self.behind = False  # masks are still to be drawn: another picture is wanted

        self.lacks = False  # something that is lit was not drawn yet at all

    def image(
        self, light: Light, now: float | None = None, budget: float | None = None
    ) -> QImage:
        """What the lamps put into the room; what turns has turned by time `now`
        (seconds). The next picture is drawn over it.

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
            oldest = which[np.argsort(self._drawn_in[which], kind="stable")]
            waits[self._draw(oldest, shape, budget)] = False

        self.behind = bool(waits.any())
        self.lacks = bool((waits & (self._drawn_in == 0)).any())
        shown = lit & ~(waits & ~self._was_lit)
        self._was_lit = shown
        np.copyto(self._sums, self._base)

        self._add(shown, light.rgb.astype(np.float32) * _SCALE)
        np.sqrt(self._sums, out=self._sums)

        for i, curve in enumerate(_PIXEL):
            np.copyto(self._steps, self._sums[i], casting="unsafe")
            to = self._plane if i else self._pixels
            np.take(curve, self._steps, out=to, mode="clip")

            if i:
                self._pixels |= self._plane

        pixels = self._pixels
        for twice in self._larger:
            pixels = twice(pixels)

        height, width = pixels.shape
        form = QImage.Format.Format_RGB32
        return QImage(pixels.data, width, height, 4 * width, form)

    def _add(self, shown: npt.NDArray[np.bool_], rgb: Soft) -> None:
        """Add the light of lamps through their masks."""
        sets: dict[tuple[float, ...], list[int]] = {}
        for lamp in np.flatnonzero(shown).tolist():
            sets.setdefault(tuple(rgb[lamp].tolist()), []).append(lamp)
        before, self._alike = self._alike, {}
        for colour, lamps in sets.items():
            for mask in self._masks_of(tuple(lamps), before):
                part = self._part[: mask.light.shape[0], : mask.light.shape[1]]
                for plane, share in zip(self._sums, colour, strict=True):
                    if share:
                        lit = plane[mask.place]
                        np.multiply(mask.light, share, out=part)
                        np.add(lit, part, out=lit)

    def _masks_of(
        self, lamps: tuple[int, ...], before: dict[tuple[int, ...], Mask | None]
    ) -> list[Mask]:
        """The masks of lamps that shine alike; as one, once they have done so in the
        picture `before` too.
        """
        masks = [self._masks[lamp] for lamp in lamps]
        if len(lamps) == 1 or len(self._alike) >= TOGETHER:
            return masks

        stood = not (self._drawn_in[list(lamps)] == self._picture).any()
        if lamps not in before or not stood:
            self._alike[lamps] = None
            return masks

        whole = before[lamps] or _added(masks)
        self._alike[lamps] = whole
        return [whole]

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
        if budget is not None:
            which = which[:AT_ONCE]

        beams = Beams(self.room, self.view, self.places[which], shape[which])
        done = 0

        for i, lamp in enumerate(which.tolist()):
            if i and budget is not None and time.perf_counter() - begin > budget:
                break

            done = i + 1
            beams.draw(self._canvas, i, self.lamps[lamp].body)
            self._masks[lamp] = self._canvas.cut()

        self._drawn[which[:done]] = shape[which[:done]]
        self._drawn_in[which[:done]] = self._picture
        return which[:done]

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


def _added(masks: list[Mask]) -> Mask:
    """Masks added up."""
    masks = [m for m in masks if m.light.size]
    if not masks:
        return NOTHING
    rows, columns = zip(*(m.place for m in masks), strict=True)
    top, left = min(r.start for r in rows), min(c.start for c in columns)
    size = max(r.stop for r in rows) - top, max(c.stop for c in columns) - left
    whole = Mask(top, left, np.zeros(size, np.float32))
    for mask in masks:
        row, column = mask.row - top, mask.column - left
        tall, wide = mask.light.shape
        whole.light[row : row + tall, column : column + wide] += mask.light
    return whole
