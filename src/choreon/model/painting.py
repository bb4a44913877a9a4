"""Painting on frames: fields in, fields out. A frame is RGBA bytes, row by row from the
upper left.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import msgspec

from choreon.model.playables.canvas import (
    MOST_FRAMES,
    MOST_SIDE,
    PaintedFrame,
    PaintedLayer,
)

replace = msgspec.structs.replace

Field = tuple[int, int]
"""Column and row, from the upper left."""

Colour = tuple[int, int, int, int]
"""Red, green, blue as on screens, and how far it covers, 0…255."""

CLEAR: Colour = (0, 0, 0, 0)


def blank(columns: int, rows: int) -> PaintedFrame:
    """Returns a frame on which nothing is painted."""
    return PaintedFrame(bytes(4 * columns * rows))


def layer_of(columns: int, rows: int, frames: int = 1) -> PaintedLayer:
    """Returns a layer of blank frames."""
    columns = min(MOST_SIDE, max(1, columns))
    rows = min(MOST_SIDE, max(1, rows))
    made = tuple(blank(columns, rows) for _ in range(frames))
    return PaintedLayer(id="", columns=columns, rows=rows, frames=made)


def colour_at(layer: PaintedLayer, frame: int, field: Field) -> Colour:
    """Returns the colour of a field; nothing beside the frame."""
    column, row = field
    if not _within(layer, field) or frame >= len(layer.frames):
        return CLEAR
    place = 4 * (row * layer.columns + column)
    r, g, b, a = layer.frames[frame].cells[place : place + 4].ljust(4, b"\0")
    return r, g, b, a


def _within(layer: PaintedLayer, field: Field) -> bool:
    column, row = field
    return 0 <= column < layer.columns and 0 <= row < layer.rows


def painted(
    layer: PaintedLayer, frame: int, fields: Iterable[Field], colour: Colour
) -> PaintedLayer:
    """Returns a layer with fields of a frame in a colour."""
    if not 0 <= frame < len(layer.frames):
        return layer
    before = layer.frames[frame].cells
    cells = bytearray(before.ljust(4 * layer.columns * layer.rows, b"\0"))
    for column, row in fields:
        if _within(layer, (column, row)):
            place = 4 * (row * layer.columns + column)
            cells[place : place + 4] = bytes(colour)
    if bytes(cells) == before:
        return layer
    return _with_frame(layer, frame, replace(layer.frames[frame], cells=bytes(cells)))


def _with_frame(layer: PaintedLayer, n: int, frame: PaintedFrame) -> PaintedLayer:
    return replace(layer, frames=(*layer.frames[:n], frame, *layer.frames[n + 1 :]))


# what a hand draws


def line(begin: Field, end: Field) -> list[Field]:
    """Returns the fields of a straight line (J. E. Bresenham, 1965)."""
    x, y = begin
    across, down = abs(end[0] - x), -abs(end[1] - y)
    step_x = 1 if x < end[0] else -1
    step_y = 1 if y < end[1] else -1
    found, error = [(x, y)], across + down
    while (x, y) != end:
        twice = 2 * error
        if twice >= down:
            error += down
            x += step_x
        if twice <= across:
            error += across
            y += step_y
        found.append((x, y))
    return found


def rectangle(begin: Field, end: Field) -> list[Field]:
    """Returns the fields of a filled rectangle between two corners."""
    left, right = sorted((begin[0], end[0]))
    top, below = sorted((begin[1], end[1]))
    return [(x, y) for y in range(top, below + 1) for x in range(left, right + 1)]


def alike(layer: PaintedLayer, frame: int, field: Field) -> list[Field]:
    """Returns the fields of one colour around a field, side by side with it."""
    if not _within(layer, field):
        return []
    colour = colour_at(layer, frame, field)
    found, asked = {field}, [field]
    while asked:
        for beside in _beside(asked.pop()):
            fresh = _within(layer, beside) and beside not in found
            if fresh and colour_at(layer, frame, beside) == colour:
                found.add(beside)
                asked.append(beside)
    return sorted(found)


def _beside(field: Field) -> Iterator[Field]:
    x, y = field
    yield from ((x + 1, y), (x - 1, y), (x, y + 1), (x, y - 1))


# parts


class Clipping(msgspec.Struct, frozen=True):
    """A part of a frame that was copied: so many columns, and its colours."""

    columns: int
    colours: tuple[Colour, ...]


def part_of(layer: PaintedLayer, frame: int, begin: Field, end: Field) -> Clipping:
    """Returns what lies in a rectangle."""
    fields = rectangle(begin, end)
    columns = abs(end[0] - begin[0]) + 1
    return Clipping(columns, tuple(colour_at(layer, frame, field) for field in fields))


def with_part(
    layer: PaintedLayer, frame: int, field: Field, part: Clipping
) -> PaintedLayer:
    """Returns a layer with a part laid on a frame, its upper left corner on a field.
    What was clear in it leaves what is there.
    """
    made = layer
    for n, colour in enumerate(part.colours):
        if colour[3]:
            place = (field[0] + n % part.columns, field[1] + n // part.columns)
            made = painted(made, frame, [place], colour)
    return made


# frames


def with_new_frame(layer: PaintedLayer, after: int, copy: bool) -> PaintedLayer:
    """Returns a layer with a frame more, blank or a copy, after another."""
    if len(layer.frames) >= MOST_FRAMES:
        return layer
    frame = blank(layer.columns, layer.rows)
    if copy and 0 <= after < len(layer.frames):
        frame = layer.frames[after]
    at = after + 1
    frames = (*layer.frames[:at], frame, *layer.frames[at:])
    return replace(layer, frames=frames)


def without_frame(layer: PaintedLayer, n: int) -> PaintedLayer:
    """Returns a layer without a frame; the last one there is stays."""
    if len(layer.frames) < 2:
        return layer
    return replace(layer, frames=(*layer.frames[:n], *layer.frames[n + 1 :]))


def with_frame_moved(layer: PaintedLayer, n: int, by: int) -> PaintedLayer:
    """Returns a layer with a frame so many places later."""
    frames = list(layer.frames)
    if not 0 <= n < len(frames):
        return layer
    frame = frames.pop(n)
    frames.insert(min(len(frames), max(0, n + by)), frame)
    return replace(layer, frames=tuple(frames))


def with_time(layer: PaintedLayer, n: int, lasts: float) -> PaintedLayer:
    """Returns a layer with a frame that is shown so many times as long as others."""
    if not 0 <= n < len(layer.frames):
        return layer
    return _with_frame(layer, n, replace(layer.frames[n], lasts=max(0.01, lasts)))


def resized(layer: PaintedLayer, columns: int, rows: int) -> PaintedLayer:
    """Returns a layer on another ground: what is painted stays in its upper left."""
    columns = min(MOST_SIDE, max(1, columns))
    rows = min(MOST_SIDE, max(1, rows))
    if (columns, rows) == (layer.columns, layer.rows):
        return layer
    made = replace(
        layer,
        columns=columns,
        rows=rows,
        frames=tuple(
            replace(blank(columns, rows), lasts=f.lasts) for f in layer.frames
        ),
    )
    for n in range(len(layer.frames)):
        whole = part_of(layer, n, (0, 0), (layer.columns - 1, layer.rows - 1))
        made = with_part(made, n, (0, 0), whole)
    return made
