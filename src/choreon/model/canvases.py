"""Edits of canvases: shows in, shows out."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import msgspec

from choreon.language import tr
from choreon.model import edits
from choreon.model.figures import FIGURE_NAMES
from choreon.model.images import Image
from choreon.model.playables import Canvas
from choreon.model.playables.canvas import (
    AnyLayer,
    FigureLayer,
    Frame,
    Layout,
    PaintedLayer,
    WordsLayer,
    fixtures_of,
)
from choreon.model.refs import IMAGE, Ref
from choreon.model.show import Show

replace = msgspec.structs.replace

__all__ = ["Frame", "Layout", "add", "canvas_of", "title"]


def canvas_of(show: Show, ref: Ref) -> Canvas | None:
    """Returns the canvas that a ref points at; None where it is gone."""
    found = show.playables.get(ref.id)
    return found if isinstance(found, Canvas) and found.ref == ref else None


def title(layer: AnyLayer) -> str:
    """Returns what a layer is called, or what it shows where it has no name."""
    if layer.name:
        return layer.name
    if isinstance(layer, FigureLayer):
        return FIGURE_NAMES.get(layer.figure, layer.figure)
    if isinstance(layer, WordsLayer):
        return layer.text or tr("Words")
    if isinstance(layer, PaintedLayer):
        return tr("Painted")
    return tr("Picture")


def add(
    show: Show, name: str, fixtures: Sequence[str] = (), group: str = "", **of_it: Any
) -> tuple[Show, Ref]:
    """A show with a new canvas over fixtures, or those of a group."""
    called = edits.fresh_name(name, edits.names_in(show, "playables"))
    canvas_id = edits.fresh_id(called, show.playables)
    layout = Layout(fixtures=tuple(fixtures), group=group)
    made = Canvas(id=canvas_id, name=called, **{"layout": layout, **of_it})
    return edits.put(show, "playables", made), made.ref


def change(show: Show, ref: Ref, **fields: Any) -> Show:
    """A show in which fields of a canvas are others; the same where none is."""
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show
    made = replace(canvas, **fields)
    return show if made == canvas else edits.put(show, "playables", made)


def change_layout(show: Show, ref: Ref, **fields: Any) -> Show:
    """A show in which a canvas lies otherwise."""
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show
    return change(show, ref, layout=replace(canvas.layout, **fields))


# layers


def fresh_layer_id(canvas: Canvas) -> str:
    """Returns an id that no layer of a canvas has."""
    return edits.fresh_id("layer", [layer.id for layer in canvas.layers])


def add_layer(show: Show, ref: Ref, layer: AnyLayer) -> tuple[Show, str]:
    """A show with a layer above those of a canvas."""
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show, ""
    made = replace(layer, id=fresh_layer_id(canvas))
    return change(show, ref, layers=(*canvas.layers, made)), made.id


def change_layer(show: Show, ref: Ref, layer_id: str, **fields: Any) -> Show:
    """A show in which fields of a layer are others."""

    def changed(layer: AnyLayer) -> AnyLayer:
        own = {k: v for k, v in fields.items() if k in layer.__struct_fields__}
        return replace(layer, **own)

    return _with_layer(show, ref, layer_id, changed)


def _with_layer(
    show: Show, ref: Ref, layer_id: str, make: Callable[[AnyLayer], AnyLayer]
) -> Show:
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show
    layers = tuple(make(x) if x.id == layer_id else x for x in canvas.layers)
    return change(show, ref, layers=layers)


def take_layer(show: Show, ref: Ref, layer_id: str) -> Show:
    """A show without a layer of a canvas."""
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show
    return change(show, ref, layers=tuple(x for x in canvas.layers if x.id != layer_id))


def move_layer(show: Show, ref: Ref, layer_id: str, by: int) -> Show:
    """A show in which a layer lies so many places higher."""
    canvas = canvas_of(show, ref)
    layer = None if canvas is None else canvas.layer(layer_id)
    if canvas is None or layer is None:
        return show
    others = [x for x in canvas.layers if x.id != layer_id]
    place = min(len(others), max(0, canvas.layers.index(layer) + by))
    others.insert(place, layer)
    return change(show, ref, layers=tuple(others))


def copy_layer(show: Show, ref: Ref, layer_id: str) -> tuple[Show, str]:
    """A show with a layer once more, right above itself."""
    canvas = canvas_of(show, ref)
    layer = None if canvas is None else canvas.layer(layer_id)
    if canvas is None or layer is None:
        return show, ""
    made = replace(layer, id=fresh_layer_id(canvas))
    place = canvas.layers.index(layer) + 1
    layers = (*canvas.layers[:place], made, *canvas.layers[place:])
    return change(show, ref, layers=layers), made.id


# cells


def leave_out(
    show: Show, ref: Ref, cells: Sequence[tuple[str, int]], out: bool
) -> Show:
    """A show in which cells of a canvas take no part, or take part again."""
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show
    left = {fixture: set(own) for fixture, own in canvas.layout.left_out.items()}
    for fixture, cell in cells:
        own = left.setdefault(fixture, set())
        if out:
            own.add(cell)
        else:
            own.discard(cell)
    made = {fixture: tuple(sorted(own)) for fixture, own in left.items() if own}
    return change_layout(show, ref, left_out=made)


def add_fixtures(show: Show, ref: Ref, fixtures: Sequence[str]) -> Show:
    """A show in which a canvas has fixtures beside its own. One that follows a group
    keeps that group's as its own from then on.
    """
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show
    own = fixtures_of(show, canvas.layout)
    more = [fixture for fixture in fixtures if fixture not in own]
    if not more:
        return show
    return change_layout(show, ref, group="", fixtures=(*own, *more))


def take_fixtures(show: Show, ref: Ref, fixtures: Sequence[str]) -> Show:
    """A show in which a canvas has fixtures no more."""
    canvas = canvas_of(show, ref)
    if canvas is None:
        return show
    own = fixtures_of(show, canvas.layout)
    left = tuple(fixture for fixture in own if fixture not in fixtures)
    if left == own:
        return show
    out = {k: v for k, v in canvas.layout.left_out.items() if k in left}
    places = {k: v for k, v in canvas.layout.places.items() if k in left}
    return change_layout(
        show, ref, group="", fixtures=left, left_out=out, places=places
    )


def beside(show: Show, canvas: Canvas, on: Iterable[Ref]) -> list[Canvas]:
    """Returns the other canvases among what is on that have fixtures of a canvas."""
    own = set(fixtures_of(show, canvas.layout))
    found = []
    for ref in dict.fromkeys(on):
        other = canvas_of(show, ref)
        if other is None or other.ref == canvas.ref:
            continue
        if own & set(fixtures_of(show, other.layout)):
            found.append(other)
    return found


# images


def add_image(show: Show, image: Image) -> tuple[Show, Ref]:
    """A show with an image; the one that it has where it has the same already."""
    for known in show.images.values():
        if (known.data, known.key) == (image.data, image.key):
            return show, Ref(IMAGE, known.id)
    called = edits.fresh_name(image.name, edits.names_in(show, "images"))
    image_id = edits.fresh_id(called, show.images)
    made = replace(image, id=image_id, name=called)
    return edits.put(show, "images", made), Ref(IMAGE, image_id)
