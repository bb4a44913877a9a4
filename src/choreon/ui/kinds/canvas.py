"""Canvases, in the window."""

from __future__ import annotations

from choreon.language import plural, tr
from choreon.model.canvases import title
from choreon.model.figures import STILL
from choreon.model.playables import Canvas
from choreon.model.playables.canvas import (
    FigureLayer,
    PictureLayer,
    Runs,
    WordsLayer,
    fixtures_of,
)
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.ui.kinds.base import UiKind


def _look(canvas: Canvas) -> Look:
    return {}


def _about(show: Show, canvas: Canvas) -> str:
    lamps = len(fixtures_of(show, canvas.layout))
    return tr(
        "{name}: {layers} on {lamps}",
        name=canvas.name,
        layers=layers_in_words(canvas),
        lamps=plural(lamps, "{n} fixture", "{n} fixtures"),
    )


def layers_in_words(canvas: Canvas) -> str:
    """Returns what is painted on a canvas, in words."""
    on = [layer for layer in canvas.layers if layer.on]
    if not on:
        return tr("nothing painted")
    if len(on) == 1:
        return title(on[0])
    return plural(len(on), "{n} layer", "{n} layers")


def _tail(canvas: Canvas) -> str:
    return layers_in_words(canvas)


def _moves(canvas: Canvas) -> bool:
    if canvas.strobe > 0.0:
        return True
    return any(_layer_moves(layer) for layer in canvas.layers if layer.on)


def _layer_moves(layer: object) -> bool:
    if isinstance(layer, FigureLayer):
        return layer.figure not in STILL or bool(layer.spin or layer.swell)
    if isinstance(layer, WordsLayer):
        return layer.runs != Runs.STILL
    return isinstance(layer, PictureLayer) or len(getattr(layer, "frames", ())) > 1


CANVAS = UiKind(
    "canvas",
    "canvas",
    _look,
    _about,
    _tail,
    takes=False,
    moves=_moves,
    opens=True,
)
