"""Pictures and moving pictures of strangers, made into small images of our own. This is
work for a process of its own (`apart`).
"""

from __future__ import annotations

import io

from choreon.formats import pictures
from choreon.formats.package import FormatError
from choreon.language import tr
from choreon.model.images import HIGH, MOVING, WIDE, Image, packed

MOST_FRAMES = 600  # of a moving picture that are kept
MOST_LOOKED = 20_000  # of its frames that are looked at
SHORTEST, USUAL = 0.02, 0.1  # seconds of a frame: the least, and where none is said
MOST_PIXELS = 40_000_000  # of a frame of one that moves
MOST_WORK = 2_000_000_000  # pixels of all frames that are looked at


def read(data: bytes, name: str) -> Image:
    """Returns a picture as an image: PNG, JPEG, WebP, SVG, BMP, TIFF, and GIF, APNG,
    WebP that move. Raises FormatError.
    """
    if b"<svg" in data[:4096]:
        return _still(data, name)
    from PIL import Image as Pictures

    try:
        Pictures.MAX_IMAGE_PIXELS = pictures.MOST_PIXELS
        with Pictures.open(io.BytesIO(data), formats=pictures.KINDS) as found:
            moves = getattr(found, "n_frames", 1) > 1 and found.format != "TIFF"
            wide, high = found.size
    except Exception as error:  # decoders raise whatever they like
        raise _unreadable(name, error) from None

    if not moves:
        return _still(data, name)
    if wide * high > MOST_PIXELS:
        raise FormatError(
            tr(
                "{name} moves, and has {wide} by {high} pixels: more than can be read. "
                "Nothing was changed.",
                name=name,
                wide=wide,
                high=high,
            )
        )
    try:
        return _moving(data, name)
    except (FormatError, MemoryError):
        raise
    except Exception as error:
        raise _unreadable(name, error) from None


def _unreadable(name: str, error: Exception) -> FormatError:
    return FormatError(
        tr(
            "{name} is no picture that can be read ({fault}). Nothing was changed.",
            name=name,
            fault=type(error).__name__,
        )
    )


def _still(data: bytes, name: str) -> Image:
    from PIL import Image as Pictures

    png = pictures.small(data, max(WIDE, HIGH), name)
    with Pictures.open(io.BytesIO(png), formats=("PNG",)) as found:
        found.thumbnail((WIDE, HIGH))
        plain = found.convert("RGBA")
    return Image(
        id="",
        name=_stem(name),
        width=plain.width,
        height=plain.height,
        data=packed(plain.tobytes()),
    )


def _stem(name: str) -> str:
    return name.rpartition(".")[0] or name


def _moving(data: bytes, name: str) -> Image:
    """All frames, small; of more than are kept every second, third … one, each for as
    long as those that it stands for.
    """
    from PIL import Image as Pictures

    frames: list[bytes] = []
    times: list[float] = []
    with Pictures.open(io.BytesIO(data), formats=pictures.KINDS) as found:
        most = max(1, MOST_WORK // (found.width * found.height))
        count = min(getattr(found, "n_frames", 1), MOST_LOOKED, most)
        every = -(-count // MOST_FRAMES)
        size = _fitting(*found.size)
        for n in range(count):
            try:
                found.seek(n)
                found.load()  # some say only then how long a frame is shown
                lasts = float(found.info.get("duration") or 0.0) / 1000.0
                kept = n % every == 0
                pixels = b""
                if kept:
                    plain = found.convert("RGBA").resize(size)
                    pixels = plain.tobytes()
            except (EOFError, OSError, SyntaxError):
                break  # damaged from here on: what there is stays
            lasts = max(SHORTEST, lasts) if lasts > 0.0 else USUAL
            if kept:
                frames.append(pixels)
                times.append(lasts)
            else:
                times[-1] += lasts

    if not frames:
        raise FormatError(tr("{name} has no frames. Nothing was changed.", name=name))
    return Image(
        id="",
        name=_stem(name),
        width=size[0],
        height=size[1],
        times=tuple(times),
        data=packed(b"".join(frames)),
    )


def _fitting(wide: int, high: int) -> tuple[int, int]:
    by = min(1.0, MOVING / max(wide, high))
    return max(1, round(wide * by)), max(1, round(high * by))
