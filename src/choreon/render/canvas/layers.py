"""Layers of a canvas, compiled: what each gives its cells at a place in its cycle."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable
from itertools import accumulate
from typing import Any

import numpy as np

from choreon.model.figures import STILL
from choreon.model.images import Image, pixels_of
from choreon.model.motion import colour_of_stop
from choreon.model.playables.canvas import (
    MOST_LETTERS,
    AnyLayer,
    FigureLayer,
    Fit,
    Layer,
    Letters,
    PaintedLayer,
    PictureLayer,
    Runs,
    WordsLayer,
    stops_of,
)
from choreon.model.show import Show
from choreon.render.canvas.figures import FIGURES, Dials, Ground
from choreon.render.canvas.film_frames import Film, film_of
from choreon.render.canvas.layout import CanvasCells
from choreon.render.canvas.letters import ROWS, Strip, letters_for, strip_of
from choreon.render.canvas.sampling import (
    Bytes,
    Overlaps,
    Sums,
    from_bytes,
    planes_of,
)
from choreon.render.canvas.sane import within
from choreon.render.canvas.stops import Stops
from choreon.render.recent import Recent
from choreon.render.rig import Floats

KEPT = 48  # frames that are kept as cells see them
LEAST_SIZE, MOST_SIZE = 0.05, 50.0  # of what is stored
FAR = 50.0  # frames from the middle
TURNS = 36_000.0  # degrees
MOST_COUNT = 64.0  # of what a figure has many of
NEARLY = math.nextafter(1.0, 0.0)  # where a layer stands that has come to its end


class Placed(ABC):
    """A layer over cells."""

    still = False
    """Whether it never changes."""

    def __init__(self, layer: Layer, cells: CanvasCells) -> None:
        self.layer, self.cells = layer, cells
        moves = layer.spin or layer.swell
        self.lies_still = not moves
        self._usual: tuple[Floats, Floats] | None = None

    @abstractmethod
    def paint(self, t: float, size: float) -> Floats:
        """Returns light, multiplied by what covers, and cover (4, n) at a part of a
        cycle, 0…1. `size`: how large all of it is. Not to be changed.
        """

    def part_of_cycle(self, position: float) -> float:
        """Returns the part of a cycle at a position in cycles."""
        if self.layer.once:
            position = min(max(position, 0.0), NEARLY)
        if not math.isfinite(position):
            return 0.0
        t = position - math.floor(position)
        if self.layer.backward:
            t = 1.0 - t if t > 0.0 else 0.0
        return min(t, NEARLY)

    def where(self, t: float, size: float) -> tuple[Floats, Floats]:
        """Returns where cells lie on the layer: places (2, n) from its middle, circles
        round, and half of their sizes (2, n).
        """
        if self.lies_still and size == 1.0:
            if self._usual is None:
                self._usual = self._where(0.0, 1.0)
            return self._usual
        return self._where(t, size)

    def _where(self, t: float, size: float) -> tuple[Floats, Floats]:
        layer, cells = self.layer, self.cells
        wide, high = cells.reach
        reach = np.array([[wide], [high]])
        zoom = within(layer.zoom, LEAST_SIZE, MOST_SIZE, 1.0) * max(LEAST_SIZE, size)
        swell = within(layer.swell, -1.0, 1.0, 0.0)
        zoom *= max(LEAST_SIZE, 1.0 + swell * math.sin(2.0 * math.pi * t))

        x, y = (within(part, -FAR, FAR, 0.0) for part in (layer.x, layer.y))
        places = cells.round - 2.0 * reach * np.array([[x], [y]])
        turn = math.radians(within(layer.turn, -TURNS, TURNS, 0.0))
        turn += 2.0 * math.pi * layer.spin * t
        if turn:
            cos, sin = math.cos(turn), math.sin(turn)
            places = np.array([[cos, sin], [-sin, cos]]) @ places
        return places / zoom, cells.half * 2.0 * reach / zoom


class PlacedFigure(Placed):
    """A ready figure."""

    def __init__(self, show: Show, layer: FigureLayer, cells: CanvasCells) -> None:
        super().__init__(layer, cells)
        self.figure = FIGURES.get(layer.figure) or FIGURES["slope"]
        usual = self.figure.dials
        self.dials = Dials(
            within(layer.count, 0.01, MOST_COUNT, usual.count),
            within(layer.width, 0.0, 1.0, usual.width),
            within(layer.soft, 0.0, 1.0, usual.soft),
            layer.seed,
        )
        self.stops = Stops(show, layer.stops, self.figure.ring, layer.hard)
        self.still = self.lies_still and layer.figure in STILL
        self._ground: Ground | None = None

    def ground(self, t: float, size: float) -> Ground:
        """Returns where the cells lie on it; what is found out of that once is kept
        where it stays.
        """
        stays = self.lies_still and size == 1.0
        if stays and self._ground is not None:
            return self._ground
        (x, y), _ = self.where(t, size)
        made = Ground(x, y, *self.cells.reach)
        if stays:
            self._ground = made
        return made

    def paint(self, t: float, size: float) -> Floats:
        """Work it out at the cells."""
        seen = self.figure.paint(self.ground(t, size), t, self.dials)
        made = np.empty((4, len(seen.cover)))
        np.multiply(self.stops.at(seen.along), seen.cover, out=made[:3])
        made[3] = seen.cover
        return made


class PlacedPicture(Placed):
    """Something of pixels: a picture, one that moves, a film, painted frames.

    `size`: pixels. `frame_at`: what is seen at a part of a cycle, frames and how much
    of the second there is; `sums_of`: a frame as sums.
    """

    fit = Fit.STRETCH
    tiled = False

    def __init__(self, layer: Layer, cells: CanvasCells) -> None:
        super().__init__(layer, cells)
        self._seen: Recent[int, Floats] = Recent(KEPT)
        self._nothing = np.zeros((4, len(cells.items)))
        self._overlaps: tuple[tuple[int, int], Overlaps] | None = None

    @property
    @abstractmethod
    def shape(self) -> tuple[int, int]:
        """Pixels to the side and up."""

    @abstractmethod
    def frames_at(self, t: float) -> tuple[int, int, float]:
        """Returns the frame at a part of a cycle, the one that it goes over into, and
        how far it has.
        """

    @abstractmethod
    def sums_of(self, frame: int) -> Sums | None:
        """Returns a frame as sums; None for nothing."""

    def pixels_of(self, frame: int) -> Bytes | None:
        """Returns a frame as pixels (h, w, 3 or 4), where it has some; those of all
        frames lie alike.
        """
        return None

    @property
    def pans(self) -> bool:
        """Whether it moves over the cells."""
        return bool(self.layer.pan_x or self.layer.pan_y)

    def paint(self, t: float, size: float) -> Floats:
        """Have the cells see it."""
        one, other, share = self.frames_at(t)
        seen = self._see(one, t, size)
        if share > 0.0 and other != one:
            seen = seen + share * (self._see(other, t, size) - seen)
        return seen

    def _see(self, frame: int, t: float, size: float) -> Floats:
        if not self.lies_still or self.pans or size != 1.0:
            return self._look(frame, t, size)
        return self._seen.get(frame, lambda: self._look(frame, t, size))

    def _look(self, frame: int, t: float, size: float) -> Floats:
        if self.lies_still and not self.pans and size == 1.0 and not self.tiled:
            quick = self._look_quickly(frame)
            if quick is not None:
                return quick
        sums = self.sums_of(frame)
        if sums is None or not len(self.cells.items):
            return self._nothing
        middle, half = self.on_picture(t, size)
        return sums.average(middle, half)

    def _look_quickly(self, frame: int) -> Floats | None:
        """What the cells see where they stay where they are on all frames; None where
        each lies over many pixels.
        """
        pixels = self.pixels_of(frame)
        if pixels is None:
            return None
        shape = pixels.shape[1], pixels.shape[0]
        if self._overlaps is None or self._overlaps[0] != shape:
            self._overlaps = shape, Overlaps(*self.on_picture(0.0, 1.0), *shape)
        overlaps = self._overlaps[1]
        if not overlaps.fits:
            return None
        seen = overlaps.average(planes_of(pixels))
        return seen if len(seen) == 4 else np.concatenate([seen, overlaps.cover[None]])

    def on_picture(self, t: float, size: float) -> tuple[Floats, Floats]:
        """Returns where cells (2, n) lie on the picture, parts of it from its lower
        left corner, and half of their sizes.
        """
        places, half = self.where(t, size)
        wide, high = self.cells.reach
        frame = np.array([[2.0 * wide], [2.0 * high]])
        part = np.array(self._part())[:, None]
        middle = places / frame / part + 0.5
        if self.pans:
            # what is not tiled leaves the frame wholly, and comes back
            period = np.ones((2, 1)) if self.tiled else 1.0 / part + 1.0
            pan = np.array([[self.layer.pan_x], [self.layer.pan_y]])
            middle = middle - pan * t * period
            if not self.tiled:
                start = 0.5 - period / 2.0
                middle = start + (middle - start) % period
        return middle, half / frame / part

    def _part(self) -> tuple[float, float]:
        """Which parts of the frame's width and height the picture takes."""
        if self.fit == Fit.STRETCH:
            return 1.0, 1.0
        columns, rows = self.shape
        by = columns / max(1, rows) / self.cells.aspect
        if self.fit == Fit.FIT:
            return min(1.0, by), min(1.0, 1.0 / by)
        return max(1.0, by), max(1.0, 1.0 / by)


class PlacedImage(PlacedPicture):
    """A picture of the show, still or moving."""

    def __init__(self, layer: PictureLayer, image: Image, cells: CanvasCells) -> None:
        super().__init__(layer, cells)
        self.image, self.fit, self.tiled = image, layer.fit, layer.tiled
        pixels = np.frombuffer(pixels_of(image), np.uint8)
        count = len(image.times)
        shape = (count, image.height, image.width, 4)
        self._frames = pixels.reshape(shape) if len(pixels) else None
        times = [max(0.0, t) for t in image.times]
        whole = sum(times) or 1.0
        self._ends = [end / whole for end in accumulate(times)]
        self.still = self.lies_still and not self.pans and count == 1
        self._sums: Recent[int, Sums] = Recent(8)

    @property
    def shape(self) -> tuple[int, int]:
        """Its pixels."""
        return self.image.width, self.image.height

    def frames_at(self, t: float) -> tuple[int, int, float]:
        """Returns one of its frames: they do not go over into each other."""
        last = len(self._ends) - 1
        frame = next((n for n, end in enumerate(self._ends) if t < end), last)
        return frame, frame, 0.0

    def sums_of(self, frame: int) -> Sums | None:
        """Returns a frame."""
        if self._frames is None:
            return None
        frames = self._frames
        return self._sums.get(
            frame, lambda: Sums(from_bytes(frames[frame]), self.tiled)
        )


class PlacedFilm(PlacedPicture):
    """A film: its frames are made ready by a process of their own."""

    def __init__(self, layer: PictureLayer, image: Image, cells: CanvasCells) -> None:
        super().__init__(layer, cells)
        self.image, self.fit, self.tiled = image, layer.fit, layer.tiled
        self.film: Film = film_of(image)

    @property
    def shape(self) -> tuple[int, int]:
        """Its pixels."""
        return self.image.width, self.image.height

    def frames_at(self, t: float) -> tuple[int, int, float]:
        """Returns the frame that is due, or the last one that is ready."""
        frame = self.film.frame_at(t * self.image.lasts)
        return frame, frame, 0.0

    def pixels_of(self, frame: int) -> Bytes | None:
        """Returns a frame; the first one of all where none is ready as yet."""
        return self.film.pixels(frame)

    def sums_of(self, frame: int) -> Sums | None:
        """Returns the same as sums."""
        pixels = self.film.pixels(frame)
        return None if pixels is None else Sums(from_bytes(pixels), self.tiled)


class PlacedFrames(PlacedPicture):
    """Frames that were painted by hand."""

    def __init__(self, layer: PaintedLayer, cells: CanvasCells) -> None:
        super().__init__(layer, cells)
        self.painted = layer
        whole = layer.columns * layer.rows * 4
        self._frames = [f for f in layer.frames if len(f.cells) == whole and whole]
        lasts = [max(0.0, f.lasts) for f in self._frames]
        total = sum(lasts) or 1.0
        self._ends = [end / total for end in accumulate(lasts)]
        self.still = self.lies_still and not self.pans and len(self._frames) < 2

    @property
    def shape(self) -> tuple[int, int]:
        """Its fields."""
        return self.painted.columns, self.painted.rows

    def frames_at(self, t: float) -> tuple[int, int, float]:
        """Returns the frame at a part of the cycle, and how far the next has come."""
        last = len(self._ends) - 1
        frame = next((n for n, end in enumerate(self._ends) if t < end), max(0, last))
        if not self.painted.fades or last < 1:
            return frame, frame, 0.0
        begin = self._ends[frame - 1] if frame else 0.0
        whole = self._ends[frame] - begin
        share = (t - begin) / whole if whole > 0.0 else 0.0
        return frame, (frame + 1) % len(self._ends), share

    def sums_of(self, frame: int) -> Sums | None:
        """Returns a frame."""
        if frame >= len(self._frames):
            return None
        shape = (self.painted.rows, self.painted.columns, 4)
        pixels = np.frombuffer(self._frames[frame].cells, np.uint8).reshape(shape)
        return Sums(from_bytes(pixels))


class PlacedWords(PlacedPicture):
    """Words: a strip that stands, moves by, or shows letter by letter. Of the small
    letters a row is a row of cells.
    """

    def __init__(self, show: Show, layer: WordsLayer, cells: CanvasCells) -> None:
        super().__init__(layer, cells)
        self.words = layer
        letters = layer.letters
        if letters == Letters.AUTO:
            letters = letters_for(cells.rows)
        self.small = letters in ROWS
        self.strip: Strip = strip_of(layer.text[:MOST_LETTERS], letters)
        self.still = self.lies_still and layer.runs == Runs.STILL
        self._stops = Stops(show, layer.stops, False, layer.hard)
        spells = layer.runs == Runs.SPELL
        self._sums = {} if spells else {0: self._picture(self.strip.cover)}

    @property
    def shape(self) -> tuple[int, int]:
        """Fields of the strip."""
        return self.strip.wide, self.strip.high

    @property
    def row(self) -> float:
        """How high a row of the letters is, in parts of the frame's height."""
        rows = max(self.cells.rows, self.strip.high) if self.small else self.strip.high
        return 1.0 / rows

    def _picture(self, cover: Floats, first: int = 0) -> Sums:
        """How far letters cover, in their colours, which lie along the whole strip."""
        columns = first + np.arange(cover.shape[1]) + 0.5
        light = self._stops.at(columns / max(1, self.strip.wide))
        picture = np.empty((*cover.shape, 4))
        picture[..., :3] = cover[..., None] * light.T
        picture[..., 3] = cover
        return Sums(picture)

    def frames_at(self, t: float) -> tuple[int, int, float]:
        """Returns the letter that is due, where it goes by letters."""
        if self.words.runs != Runs.SPELL:
            return 0, 0, 0.0
        letter = int(t * max(1, len(self.strip.glyphs)))
        return letter, letter, 0.0

    def sums_of(self, frame: int) -> Sums | None:
        """Returns the strip, or a letter of it."""
        if self.words.runs != Runs.SPELL:
            return self._sums[0]
        if frame >= len(self.strip.glyphs):
            return None
        if frame not in self._sums:
            glyph, start = self.strip.glyphs[frame], self.strip.starts[frame]
            self._sums[frame] = self._picture(glyph.cover, start)
        return self._sums[frame]

    @property
    def pans(self) -> bool:
        """Whether it moves over the cells."""
        return self.words.runs == Runs.SCROLL

    def on_picture(self, t: float, size: float) -> tuple[Floats, Floats]:
        """Returns where cells lie on the strip, or on the letter that is due."""
        places, half = self.where(t, size)
        wide, high = self.cells.reach
        frame = np.array([[2.0 * wide], [2.0 * high]])
        columns, rows = self.shape
        if self.words.runs == Runs.SPELL and self.strip.glyphs:
            letter = min(self.frames_at(t)[0], len(self.strip.glyphs) - 1)
            columns = self.strip.glyphs[letter].cover.shape[1]

        # fields of letters are square: so wide, in parts of the frame's width
        field = self.row / self.cells.aspect
        scale = 1.0
        if self.words.runs == Runs.STILL:
            scale = min(1.0, 1.0 / max(1e-9, columns * field))
        part = np.array([[columns * field], [rows * self.row]]) * scale
        middle = places / frame / part + 0.5
        if self.words.runs == Runs.SCROLL:
            middle[0] += self._scrolled(t, columns, field)
        return middle, half / frame / part

    def _scrolled(self, t: float, columns: int, field: float) -> float:
        """How far the strip has moved to the left, in its widths: from beyond the right
        end of the frame to beyond its left. Small letters go from field to field.
        """
        travel = columns + 1.0 / field
        gone = travel * t
        if self.small:
            gone = math.floor(gone + 1e-9)
        return (gone - travel / 2.0) / columns


def depends_on(show: Show, layer: AnyLayer) -> tuple[object, ...]:
    """Returns what of the show a layer looks like: its colours as palettes say, its
    image.
    """
    if isinstance(layer, PictureLayer):
        image = show.images.get(layer.image)
        return () if image is None else (image.data, image.key, image.times)
    return tuple(colour_of_stop(show, stop) for stop in stops_of(layer))


def place_layer(show: Show, layer: AnyLayer, cells: CanvasCells) -> Placed | None:
    """Returns a layer over cells; None where it shows nothing."""
    return _PLACED[layer.kind](show, layer, cells)


def _picture(show: Show, layer: PictureLayer, cells: CanvasCells) -> Placed | None:
    image = show.images.get(layer.image)
    if image is None or not image.width or not image.height:
        return None
    if image.is_film:
        return PlacedFilm(layer, image, cells)
    return PlacedImage(layer, image, cells)


def _words(show: Show, layer: WordsLayer, cells: CanvasCells) -> Placed | None:
    return PlacedWords(show, layer, cells) if layer.text.strip() else None


_PLACED: dict[str, Callable[[Show, Any, CanvasCells], Placed | None]] = {
    FigureLayer.kind: PlacedFigure,
    PictureLayer.kind: _picture,
    WordsLayer.kind: _words,
    PaintedLayer.kind: lambda show, layer, cells: PlacedFrames(layer, cells),
}
