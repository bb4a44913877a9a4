"""Walls of lamps, and what canvases give them, in few words, for tests."""

from __future__ import annotations

import itertools

import numpy as np

from choreon.engine import actions
from choreon.engine.do import Do
from choreon.library import library
from choreon.model import canvases, edits
from choreon.model.images import Image, packed
from choreon.model.motion import ColourStop, Rate
from choreon.model.playables import Scene
from choreon.model.playables.canvas import (
    FigureLayer,
    PaintedFrame,
    PaintedLayer,
    PictureLayer,
)
from choreon.model.refs import Ref
from choreon.model.show import Place, Show
from choreon.model.verbs import Verb
from choreon.render.compiled import CompiledShow
from choreon.render.compositor import render
from tests import play

RED, GREEN, BLUE, WHITE, BLACK = (
    (255, 0, 0),
    (0, 255, 0),
    (0, 0, 255),
    (255, 255, 255),
    (0, 0, 0),
)
PITCH = 0.5  # metres from dot to dot


def stop(r: float, g: float, b: float) -> ColourStop:
    return ColourStop((r, g, b))


def hang(show: Show, kind_id: str, mode: str, count: int, address: int) -> Show:
    # emitters that are the primaries themselves: bytes are light
    kind = edits.replace(library()[kind_id], emitters=())
    show, _ = edits.hang(show, kind, mode, count, 1, address)
    return show


def at(show: Show, fixture: str, **place: float) -> Show:
    lamp = show.fixtures[fixture]
    return edits.put(show, "fixtures", edits.replace(lamp, place=Place(**place)))


def wall(columns: int, rows: int) -> Show:
    """RGB dots from the lower left on, row by row upwards, three slots each."""
    show = hang(Show(id="w", name="Wall"), "pellow-dot", "3 channel", columns * rows, 1)
    places = itertools.product(range(rows), range(columns))
    for fixture, (row, column) in zip(show.fixtures, places, strict=True):
        show = at(show, fixture, x=column * PITCH, y=3.0, z=1.0 + row * PITCH)
    return show


def painted(columns: int, rows: int, *frames, fades: bool = False, **more):
    """A layer of frames, each given as colours from the upper left, row by row; four
    numbers where a colour covers only in part.
    """
    made = []
    for frame in frames:
        assert len(frame) == columns * rows
        fields = (bytes((*colour, 255)[:4]) for colour in frame)
        made.append(PaintedFrame(b"".join(fields)))
    fields = {"id": "p", "rate": Rate(len(frames) * 1.0), **more}
    return PaintedLayer(
        columns=columns, rows=rows, frames=tuple(made), fades=fades, **fields
    )


def plain(*colour: float, **more) -> FigureLayer:
    """One colour, linear light, everywhere."""
    fields = {"id": "c", "figure": "still", "stops": (stop(*colour),), **more}
    return FigureLayer(**fields)


def image(show: Show, pixels, times=(0.0,)) -> tuple[Show, Ref]:
    """A picture of the show; `pixels` (frames, h, w, 3 or 4), bytes."""
    data = np.array(pixels, np.uint8)
    if data.ndim == 3:
        data = data[None]
    if data.shape[3] == 3:
        data = np.concatenate([data, np.full((*data.shape[:3], 1), 255, np.uint8)], 3)
    made = Image(
        id="",
        name="Picture",
        width=data.shape[2],
        height=data.shape[1],
        times=times,
        data=packed(data.tobytes()),
    )
    return canvases.add_image(show, made)


def picture(ref: Ref, **more) -> PictureLayer:
    return PictureLayer(**{"id": "i", "image": ref.id, **more})


def with_canvas(show: Show, *layers, name: str = "Canvas", fixtures=None, **fields):
    """A show with a canvas over its fixtures."""
    fixtures = list(show.fixtures) if fixtures is None else fixtures
    return canvases.add(
        show, name, fixtures, layers=layers, fade_in=0.0, fade_out=0.0, **fields
    )


def scene(show: Show, name: str, **looks) -> tuple[Show, Ref]:
    made = Scene(id=name, name=name, look=looks, fade_in=0.0, fade_out=0.0)
    return edits.put(show, "playables", made), made.ref


def lit(compiled: CompiledShow, *refs: Ref, after: float = 0.0, begun: float = 100.0):
    """Frame of what was pressed, one after the other, so long after."""
    state = play.blank()
    for ref in refs:
        state = actions.perform(compiled.show, state, Do(ref, Verb.PRESS), begun)
    return render(compiled, state, begun + after)[0]


def dots(frame, count: int):
    """The bytes (n, 3) of so many dots."""
    return frame[: 3 * count].reshape(-1, 3).tolist()
