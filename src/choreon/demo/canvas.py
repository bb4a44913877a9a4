"""Canvases of *Low Tide*: the dots behind the dancers as a wall, uplights and bars as
one line round the room, and a film behind it all.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import msgspec

from choreon.formats import films
from choreon.language import tr
from choreon.model import edits, painting
from choreon.model.images import Image, packed
from choreon.model.motion import ColourStop, Rate
from choreon.model.playables import Canvas
from choreon.model.playables.canvas import (
    AnyLayer,
    FigureLayer,
    Fit,
    Layout,
    Letters,
    Mode,
    PictureLayer,
    Runs,
    View,
    WordsLayer,
)
from choreon.model.show import Show
from choreon.model.tiles import Dial, Fader, Pad, Page, Spot, Turns, parts

FOLDER = tr("The wall")
CHOICE = "wall"

EMBER = (255, 150, 40, 255)
GLOW = (190, 70, 10, 255)
FAINT = (70, 18, 4, 255)
NIGHT = (4, 6, 24, 255)
LANTERN = (
    ("..o..", ".oOo.", ".oOo.", "..o.."),
    (".o...", "oOo..", "oOo..", ".o..."),
    ("...o.", "..oOo", "..oOo", "...o."),
)
"""A lantern that swings: three frames of the wall, row by row."""
NAMES = {Turns.RATE: tr("How fast"), Turns.SIZE: tr("How large")}
FIELDS = {".": NIGHT, "o": GLOW, "O": EMBER}


def with_canvases(show: Show) -> Show:
    """The show with its canvases, and a page to play them."""
    show = edits.put(show, "images", estuary(), _moon())
    dots = show.groups["dots"].fixtures
    room = (*show.groups["uplights"].fixtures, *show.groups["bars"].fixtures)
    all_of_it = (*dots, *show.groups["bars"].fixtures)
    made = [
        _canvas("tide-wall", tr("Tide on the wall"), dots, _tide(show)),
        _canvas("words-wall", tr("LOW TIDE"), dots, _words(show)),
        _canvas("lantern-wall", tr("Lantern that swings"), dots, (_lantern(),)),
        _canvas("moon-wall", tr("Moon over the water"), dots, (_moonlight(),)),
        _canvas(
            "round-room",
            tr("Round the room"),
            room,
            _roll(show),
            layout=Layout(fixtures=room, view=View.LINE, even=True),
        ),
        _canvas("estuary-film", tr("Estuary, the film"), all_of_it, (_film(),)),
    ]
    show = edits.put(show, "playables", *made)
    return edits.put(show, "pages", _page(made))


def _canvas(
    canvas_id: str,
    name: str,
    fixtures: Sequence[str],
    layers: Sequence[AnyLayer],
    **more: Any,
) -> Canvas:
    fields = {"layout": Layout(fixtures=tuple(fixtures)), **more}
    return Canvas(
        id=canvas_id,
        name=name,
        layers=tuple(layers),
        fade_in=1.5,
        fade_out=1.5,
        folder=FOLDER,
        **fields,
    )


def _colours(show: Show, *names: str) -> tuple[ColourStop, ...]:
    """Stops that follow the palettes of the evening."""
    known = {palette.name: palette for palette in show.palettes.values()}
    return tuple(ColourStop(palette=known[name].id) for name in names)


def _tide(show: Show) -> list[AnyLayer]:
    water = FigureLayer(
        id="water",
        figure="tide",
        stops=_colours(show, "Deep", "Teal"),
        count=1.0,
        soft=0.5,
        rate=Rate(8.0),
    )
    foam = FigureLayer(
        id="foam",
        figure="stars",
        name=tr("Foam"),
        stops=(ColourStop((0.7, 0.9, 1.0)),),
        width=0.4,
        mode=Mode.ADD,
        opacity=0.35,
        rate=Rate(3.0),
    )
    return [water, foam]


def _words(show: Show) -> list[AnyLayer]:
    ground = FigureLayer(
        id="ground",
        figure="plasma",
        name=tr("Dim water"),
        stops=_colours(show, "Deep", "Sea"),
        opacity=0.15,
        rate=Rate(12.0),
    )
    words = WordsLayer(
        id="words",
        text="LOW TIDE",
        letters=Letters.TINY,
        runs=Runs.SCROLL,
        stops=_colours(show, "Lantern", "Moon"),
        rate=Rate(9.0),
    )
    return [ground, words]


def _lantern() -> AnyLayer:
    layer = painting.layer_of(5, 4, len(LANTERN))
    for n, rows in enumerate(LANTERN):
        for row, line in enumerate(rows):
            for column, letter in enumerate(line):
                colour = FIELDS[letter]
                layer = painting.painted(layer, n, [(column, row)], colour)
    # it hangs in the middle, swings out, comes back, swings out the other way
    middle, left, right = layer.frames
    frames = (middle, left, middle, right)
    return msgspec.structs.replace(
        layer,
        id="frames",
        name=tr("Lantern"),
        frames=frames,
        fades=True,
        rate=Rate(beats=8.0),
    )


def _moon() -> Image:
    """A moon over the horizon, drawn by rule: 40 × 32 pixels."""
    wide, high = 40, 32
    pixels = bytearray()
    for row in range(high):
        for column in range(wide):
            away = math.hypot((column - 24) / 9.0, (row - 10) / 9.0)
            water = row > 21
            path = water and abs(column - 24) < 3 + 0.4 * (row - 21)
            bright = max(0.0, 1.0 - away) ** 0.5 if away < 1.0 else 0.0
            glow = 0.35 * max(0.0, 1.6 - away)
            light = max(bright, glow, 0.55 if path else 0.0)
            red, green, blue = 250 * light, 232 * light, 190 * light + 36
            if water and not path:
                red, green, blue = 4.0, 26.0, 66.0
            pixels += bytes(min(255, int(part)) for part in (red, green, blue, 255))
    return Image(
        id="moon", name=tr("Moon"), width=wide, height=high, data=packed(bytes(pixels))
    )


def _moonlight() -> AnyLayer:
    return PictureLayer(id="moon", name=tr("Moon"), image="moon", fit=Fit.FILL)


def _roll(show: Show) -> list[AnyLayer]:
    return [
        FigureLayer(
            id="roll",
            figure="slope",
            stops=_colours(show, "Teal", "Deep", "Dusk", "Rose"),
            count=2.0,
            rate=Rate(beats=16.0),
        )
    ]


def _film() -> AnyLayer:
    film = estuary()
    return PictureLayer(
        id="film", name=film.name, image=film.id, rate=Rate(film.seconds)
    )


def estuary() -> Image:
    """Returns what a show keeps of the film that ships: light on the water."""
    stored = (films.SHIPPED / "estuary.json").read_bytes()
    return msgspec.json.decode(stored, type=Image)


def _page(made: Sequence[Canvas]) -> Page:
    """The pictures of the wall, of which one is on at a time; what goes round the room
    and the film by faders; and how fast and how large it all is.
    """
    tiles: list[Any] = []
    for n, canvas in enumerate(made[:4]):
        spot = Spot(3 * (n % 2), 2 * (n // 2), 3, 2)
        tiles.append(
            Pad(
                id=f"{canvas.id}-pad", plays=parts(canvas.ref), choice=CHOICE, spot=spot
            )
        )
    for n, canvas in enumerate(made[4:]):
        spot = Spot(6 + 2 * n, 0, 2, 4)
        tiles.append(Fader(id=f"{canvas.id}-fader", plays=parts(canvas.ref), spot=spot))
    for n, turns in enumerate((Turns.RATE, Turns.SIZE)):
        of = tuple(canvas.ref for canvas in made[:4])
        spot = Spot(10, 2 * n, 2, 2)
        dial = Dial(
            id=f"wall-{turns}", name=NAMES[turns], of=of, turns=turns, spot=spot
        )
        tiles.append(dial)
    return Page(id="the-wall", name=tr("The wall"), tiles=tuple(tiles))
