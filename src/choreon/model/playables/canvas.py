"""A canvas: many cells painted as one picture, layer on layer."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from enum import StrEnum
from typing import TYPE_CHECKING, ClassVar

import msgspec

from choreon.language import listed, plural, tr
from choreon.model import attributes as at
from choreon.model.motion import PALETTE, ColourStop, Rate, colour_of_stop
from choreon.model.numbers import Count, Number
from choreon.model.playables.base import Playable, PlayableKind
from choreon.model.problem import Problem
from choreon.model.refs import GROUP, IMAGE, Ref

if TYPE_CHECKING:
    from choreon.model.show import Show

replace = msgspec.structs.replace

XY = tuple[Number, Number]

MOST_SIDE = 64  # cells of painted frames, a side
MOST_FRAMES = 256  # that one layer holds
MOST_LETTERS = 2000  # of one layer of words
FASTEST_STROBE = 20.0  # flashes a second


# where the cells are


class View(StrEnum):
    """From where the cells are looked at: how their places in the room become places on
    a flat ground.
    """

    FRONT = "from the front"
    ABOVE = "from above"
    LINE = "along a line"
    GRID = "own grid"


class Along(StrEnum):
    """In which order cells make a line."""

    CHOSEN = "as chosen"
    NEAREST = "from one to the nearest"
    ROUND = "round the middle"


class Corner(StrEnum):
    """In which corner a grid begins."""

    UPPER_LEFT = "upper left"
    UPPER_RIGHT = "upper right"
    LOWER_LEFT = "lower left"
    LOWER_RIGHT = "lower right"


class Frame(msgspec.Struct, frozen=True, omit_defaults=True):
    """What the picture covers of the ground: its middle and its size, metres (of a grid
    of one's own: cells).
    """

    x: Number = 0.0
    y: Number = 0.0
    width: Number = 1.0
    height: Number = 1.0


class Layout(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Which cells there are, and where they lie.

    `fixtures` in an order, or those of a `group`, which is followed. `along`: the
    order of a line; `even`: its cells are as far from each other wherever they hang.
    `left_out`: cells, from 1, that take no part; of a fixture of one piece (0,).
    `places`: for fixtures that do not move along with the plan, where their cells lie
    on the ground instead.

    `turn`: degrees, counter-clockwise; `mirrored`: left and right change places;
    `flipped`: up and down. `wide`, `tall`: how many times as large as they are the
    cells are laid out below the picture. `bend`: degrees of the arc that a straight
    line becomes. `columns`: of a grid, 0 for about as many as rows; `snake`: every
    other row runs back; `by_columns`: it goes down first. `frame`: what the picture
    covers; None for all of it.
    """

    fixtures: tuple[str, ...] = ()
    group: str = ""
    left_out: dict[str, tuple[Count, ...]] = {}
    view: View = View.FRONT
    along: Along = Along.CHOSEN
    even: bool = False
    places: dict[str, tuple[XY, ...]] = {}
    turn: Number = 0.0
    mirrored: bool = False
    flipped: bool = False
    wide: Number = 1.0
    tall: Number = 1.0
    bend: Number = 0.0
    columns: Count = 0
    snake: bool = False
    by_columns: bool = False
    corner: Corner = Corner.UPPER_LEFT
    frame: Frame | None = None


# what is painted


class Mode(StrEnum):
    """How a layer comes to what is below it."""

    COVER = "cover"
    ADD = "add"
    MULTIPLY = "multiply"
    MASK = "mask"


class Layer(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What all layers have.

    `rate`: how long it takes until it is as at the beginning; `start`: cycles by which
    it is ahead; `backward`: it runs the other way; `once`: it stands when it has come
    to its end. Where it lies: `zoom` times as large, turned by `turn` degrees, moved by
    `x` to the right and `y` up, parts of the frame. `pan_x`, `pan_y`: frames by which
    it moves in a cycle; `spin`: turns that it makes in one; `swell`: how much larger
    and smaller it becomes.
    """

    kind: ClassVar[str] = ""

    id: str
    name: str = ""
    on: bool = True
    mode: Mode = Mode.COVER
    opacity: Number = 1.0
    rate: Rate = Rate()
    start: Number = 0.0
    backward: bool = False
    once: bool = False
    zoom: Number = 1.0
    turn: Number = 0.0
    x: Number = 0.0
    y: Number = 0.0
    pan_x: Count = 0
    pan_y: Count = 0
    spin: Count = 0
    swell: Number = 0.0


TEAL_TO_BLUE = (ColourStop((0.0, 0.62, 0.5)), ColourStop((0.01, 0.06, 0.95)))
WHITE = (ColourStop((1.0, 1.0, 1.0)),)


class FigureLayer(
    Layer,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="figure",
):
    """A ready figure, by rule. `count`: how many of it there are. `width`: how much of
    the room of each is filled, 0…1; `soft`: how soft its edges are, 0…1. `hard`:
    colours do not go over into each other. `seed`: of what looks random.
    """

    kind: ClassVar[str] = "figure"

    figure: str = "slope"
    stops: tuple[ColourStop, ...] = TEAL_TO_BLUE
    hard: bool = False
    count: Number = 2.0
    width: Number = 0.5
    soft: Number = 0.3
    seed: Count = 1


class Fit(StrEnum):
    """How a picture comes to lie in the frame."""

    FIT = "fit"
    FILL = "fill"
    STRETCH = "stretch"


class PictureLayer(
    Layer,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="picture",
):
    """An image of the show: still, moving, or a film. `tiled`: it goes on beside
    itself.
    """

    kind: ClassVar[str] = "picture"

    image: str = ""
    fit: Fit = Fit.FILL
    tiled: bool = False


class Letters(StrEnum):
    """How letters look: of so many rows of cells, or those of the program."""

    AUTO = "as fits"
    TINY = "4 rows"
    SMALL = "5 rows"
    LARGE = "7 rows"
    PLAIN = "plain"


class Runs(StrEnum):
    """What words do."""

    STILL = "still"
    SCROLL = "scroll"
    SPELL = "letter by letter"


class WordsLayer(
    Layer,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="words",
):
    """Words. Their colours lie along them."""

    kind: ClassVar[str] = "words"

    text: str = ""
    letters: Letters = Letters.AUTO
    runs: Runs = Runs.SCROLL
    stops: tuple[ColourStop, ...] = WHITE
    hard: bool = False


class PaintedFrame(msgspec.Struct, frozen=True, omit_defaults=True):
    """A frame: RGBA bytes, row by row from the upper left, colours as on screens
    (sRGB). `lasts`: how long it is shown, in parts of an even share.
    """

    cells: bytes
    lasts: Number = 1.0


class PaintedLayer(
    Layer,
    frozen=True,
    kw_only=True,
    omit_defaults=True,
    tag_field="kind",
    tag="painted",
):
    """Frames painted by hand on a ground of `columns` × `rows`. `fades`: each goes over
    into the next.
    """

    kind: ClassVar[str] = "painted"

    columns: Count = 8
    rows: Count = 8
    frames: tuple[PaintedFrame, ...] = ()
    fades: bool = False


AnyLayer = FigureLayer | PictureLayer | WordsLayer | PaintedLayer


# what becomes of it


class Drives(StrEnum):
    """What of the lamps a canvas drives."""

    LIGHT = "colour and level"
    COLOUR = "colour"
    LEVEL = "level"
    ATTRIBUTE = "attribute"


class Channel(StrEnum):
    """What of a picture drives an attribute."""

    BRIGHTNESS = "brightness"
    RED = "red"
    GREEN = "green"
    BLUE = "blue"


class Canvas(Playable, frozen=True, kw_only=True, omit_defaults=True, tag="canvas"):
    """Layers over cells, the first one lowest.

    `drives`: what of the lamps; of an `attribute` that goes from `low` to `high`, in
    its unit, by one `channel` of the picture. `brightness` and `tint` lie above all
    layers, and so does `strobe`, flashes a second, 0 for none.
    """

    kind: ClassVar[str] = "canvas"

    layout: Layout = Layout()
    layers: tuple[AnyLayer, ...] = ()
    drives: Drives = Drives.LIGHT
    attribute: str = at.TILT
    channel: Channel = Channel.BRIGHTNESS
    low: Number = 0.0
    high: Number = 1.0
    brightness: Number = 1.0
    tint: ColourStop | None = None
    strobe: Number = 0.0

    def layer(self, layer_id: str) -> AnyLayer | None:
        """Returns the layer of an id, if there is one."""
        return next((layer for layer in self.layers if layer.id == layer_id), None)


def stops_of(layer: Layer) -> tuple[ColourStop, ...]:
    """Returns the colours of a layer that has some of its own."""
    return layer.stops if isinstance(layer, FigureLayer | WordsLayer) else ()


def fixtures_of(show: Show, layout: Layout) -> tuple[str, ...]:
    """Returns the fixtures of a layout, in their order, those that do not hang among
    them.
    """
    if not layout.group:
        return layout.fixtures
    group = show.groups.get(layout.group)
    return () if group is None else group.fixtures


def links_of(canvas: Canvas) -> Iterator[str]:
    """Returns what a canvas follows: groups, palettes, images."""
    if canvas.layout.group:
        yield str(Ref(GROUP, canvas.layout.group))

    tint = () if canvas.tint is None else (canvas.tint,)
    stops = [stop for layer in canvas.layers for stop in stops_of(layer)]
    for stop in (*stops, *tint):
        if stop.palette:
            yield f"{PALETTE}{stop.palette}"

    for layer in canvas.layers:
        if isinstance(layer, PictureLayer) and layer.image:
            yield str(Ref(IMAGE, layer.image))


def _check(show: Show, canvas: Canvas) -> Iterator[Problem]:
    path = f"playables/{canvas.id}"
    fixtures = fixtures_of(show, canvas.layout)
    hanging = [fixture for fixture in fixtures if fixture in show.fixtures]
    if not hanging:
        text = tr("{name} has no cells: it gives no light", name=canvas.name)
        yield Problem(f"{path}/layout", text, "warning")

    away = [fixture for fixture in fixtures if fixture not in show.fixtures]
    if away and hanging:
        text = plural(
            len(away),
            "{fixtures} of {name} does not hang; its place is kept",
            "{fixtures} of {name} do not hang; their places are kept",
            fixtures=listed(away, 1),
            name=canvas.name,
        )
        yield Problem(f"{path}/layout", text, "warning")

    if not any(layer.on for layer in canvas.layers):
        text = tr("{name} has nothing painted: it gives no light", name=canvas.name)
        yield Problem(f"{path}/layers", text, "warning")

    palettes = (link.partition(":")[2] for link in links_of(canvas) if PALETTE in link)
    if any(palette not in show.palettes for palette in palettes):
        text = tr(
            "A palette of {name} is gone: its last colour stands", name=canvas.name
        )
        yield Problem(f"{path}/layers", text, "warning")

    for layer in canvas.layers:
        gone = isinstance(layer, PictureLayer) and layer.image not in show.images
        if gone:
            text = tr("A picture of {name} is gone", name=canvas.name)
            yield Problem(f"{path}/layers/{layer.id}", text, "warning")


def _light(canvas: Canvas) -> tuple[object, ...]:
    how = (canvas.drives, canvas.attribute, canvas.channel, canvas.low, canvas.high)
    above = (canvas.brightness, canvas.tint, canvas.strobe)
    return (canvas.layout, canvas.layers, how, above)


def _clocks(canvas: Canvas) -> tuple[str, ...]:
    return tuple(layer.id for layer in canvas.layers)


def _only(canvas: Canvas, families: Sequence[str]) -> Canvas:
    """A canvas that drives those of some families alone."""
    level = at.Family.INTENSITY in families
    colour = at.Family.COLOUR in families
    own = {
        Drives.LIGHT: (level, colour),
        Drives.LEVEL: (level, False),
        Drives.COLOUR: (False, colour),
    }.get(canvas.drives)
    if own is None:
        there = at.attribute(canvas.attribute).family in families
        return canvas if there else replace(canvas, layers=())
    if not any(own):
        return replace(canvas, layers=())
    drives = {(True, True): Drives.LIGHT, (True, False): Drives.LEVEL}
    return replace(canvas, drives=drives.get(own, Drives.COLOUR))


def _unlinked(canvas: Canvas, show: Show, link: str) -> Canvas:
    """A canvas with what a link comes to now in its place."""
    if link not in links_of(canvas):
        return canvas

    def plain(stop: ColourStop) -> ColourStop:
        if f"{PALETTE}{stop.palette}" != link:
            return stop
        return ColourStop(colour_of_stop(show, stop))

    layout = canvas.layout
    if layout.group and str(Ref(GROUP, layout.group)) == link:
        layout = replace(layout, group="", fixtures=fixtures_of(show, layout))

    layers = tuple(
        replace(layer, stops=tuple(plain(stop) for stop in layer.stops))
        if isinstance(layer, FigureLayer | WordsLayer)
        else layer
        for layer in canvas.layers
    )
    tint = None if canvas.tint is None else plain(canvas.tint)
    return replace(canvas, layout=layout, layers=layers, tint=tint)


def _own_fixtures(show: Show, canvas: Canvas) -> tuple[str, ...]:
    return fixtures_of(show, canvas.layout)


CANVAS = PlayableKind(
    title="canvas",
    type=Canvas,
    check=_check,
    light=_light,
    clocks=_clocks,
    only=_only,
    links=links_of,
    unlinked=_unlinked,
    fixtures=_own_fixtures,
)
