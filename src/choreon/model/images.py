"""Images of a show: pictures, moving pictures and films that canvases show.

What is kept of one is small: its pixels as RGBA bytes, compressed, frame by frame; of a
film only its first frame, and by what it is found again.
"""

from __future__ import annotations

import zlib
from typing import TYPE_CHECKING

import msgspec

from choreon.model.numbers import Count, Number

if TYPE_CHECKING:
    from choreon.model.show import Show

WIDE, HIGH = 320, 180  # pixels at the most of a still picture
MOVING = 96  # pixels at the most, a side, of one that moves
MOST_BYTES = 24 << 20  # of all frames of one, as pixels
FILM_WIDE, FILM_HIGH = 96, 54  # pixels at the most of a film


class Image(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """An image. `width`, `height`: pixels. `times`: seconds that each frame is shown,
    one for a still picture. `data`: RGBA of all frames, compressed by zlib.

    Of a film: `path`: where it lies, or lay; `key`: what tells it from others by its
    content; `size`: its bytes; `seconds`: how long it is.
    """

    id: str
    name: str
    width: Count = 0
    height: Count = 0
    times: tuple[Number, ...] = (0.0,)
    data: bytes = b""
    path: str = ""
    key: str = ""
    size: Count = 0
    seconds: Number = 0.0

    @property
    def is_film(self) -> bool:
        """Whether its frames are made ready from a film."""
        return bool(self.key)

    @property
    def lasts(self) -> float:
        """Seconds that it takes once through; 0 for a still picture."""
        if self.is_film:
            return max(0.0, self.seconds)
        return sum(max(0.0, t) for t in self.times) if len(self.times) > 1 else 0.0


def pixels_of(image: Image) -> bytes:
    """Returns the RGBA bytes of an image's frames, one after the other; nothing where
    they are damaged or more than an image may have.
    """
    whole = len(image.times) * image.width * image.height * 4
    if not 0 < whole <= MOST_BYTES:
        return b""
    unpack = zlib.decompressobj()
    try:
        found = unpack.decompress(image.data, whole)
    except zlib.error:
        return b""
    return found if len(found) == whole else b""


def packed(pixels: bytes) -> bytes:
    """Returns pixels as an image keeps them."""
    return zlib.compress(pixels, 6)


def in_use(show: Show) -> list[Image]:
    """Returns the images that canvases show, in their order in the show."""
    from choreon.model.playables.canvas import Canvas, PictureLayer

    used = {
        layer.image
        for one in show.playables.values()
        if isinstance(one, Canvas)
        for layer in one.layers
        if isinstance(layer, PictureLayer)
    }
    return [image for image in show.images.values() if image.id in used]
