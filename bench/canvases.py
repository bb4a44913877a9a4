"""Canvases at size: five thousand cells with layers and a film, beside scenes; a film
of 4K to its first picture; canvases that are off; an edit to the wire.
"""

from __future__ import annotations

import math
import random
import statistics
import sys
import tempfile
import time
import tracemalloc
from pathlib import Path

import av
import numpy as np

from bench.frames import big_show, reference
from choreon.formats import films
from choreon.frames_file import frames_file
from choreon.library import library
from choreon.model import canvases, edits
from choreon.model.images import Image
from choreon.model.motion import Rate
from choreon.model.playables import Canvas, Scene
from choreon.model.playables.canvas import (
    FigureLayer,
    Layout,
    Mode,
    PictureLayer,
    View,
    fixtures_of,
)
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import render
from choreon.render.state import Envelope, Going, Player, PlayState, Ramp, Step

CELLS, SIDE = 5000, 100
PERIOD = 1000.0 / 44.0
FRAMES, EDITS = 400, 40
WALL = Ref("canvas", "wall")


def film(folder: Path, wide: int, high: int, count: int) -> Path:
    """A film of noise that moves."""
    path = folder / f"{wide}.mp4"
    dice = np.random.default_rng(1)
    noise = dice.integers(0, 256, (high // 8, wide // 8, 3), dtype=np.uint8)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mpeg4", rate=25)
        stream.width, stream.height, stream.pix_fmt = wide, high, "yuv420p"
        for n in range(count):
            pixels = np.roll(noise, n, axis=1).repeat(8, axis=0).repeat(8, axis=1)
            frame = av.VideoFrame.from_ndarray(pixels, format="rgb24")
            for packet in stream.encode(frame):
                container.mux(packet)
        for packet in stream.encode():
            container.mux(packet)
    return path


def layers(image: Image) -> tuple[PictureLayer | FigureLayer, ...]:
    """A film, and two figures above it."""
    return (
        PictureLayer(id="film", image=image.id, rate=Rate(image.seconds)),
        FigureLayer(id="rings", figure="rings", mode=Mode.MULTIPLY, rate=Rate(4.0)),
        FigureLayer(id="rain", figure="rain", mode=Mode.ADD, rate=Rate(3.0)),
    )


def wall_of(kind_id: str, mode: str, image: Image, beside: Show) -> Show:
    """Five thousand cells beside a rig, as one canvas."""
    kind = library()[kind_id]
    slots = kind.mode(mode).footprint  # type: ignore[union-attr]
    each = 512 // slots
    first = 1 + max((f.universe for f in beside.fixtures.values()), default=0)
    show, ids = beside, []
    for n in range(math.ceil(CELLS / each)):
        count = min(each, CELLS - n * each)
        show, made = edits.hang(show, kind, mode, count, first + n, 1)
        ids += made
    layout = Layout(fixtures=tuple(ids), view=View.GRID, columns=SIDE)
    wall = Canvas(id="wall", name="Wall", layout=layout, layers=layers(image))
    show = edits.put(show, "images", image)
    return edits.put(show, "playables", wall)


def playing(scenes: int, canvas: bool) -> PlayState:
    """Scenes of which some come in for an hour, and the canvas."""
    players = []
    for n in range(scenes):
        ramp = Ramp(0.0, 1.0, 0.0, 3600.0) if n % 4 == 0 else Ramp()
        step = Step(ref=Ref("scene", f"s{n}"))
        players.append(Player(f"p{n}", "", (step,), Envelope(ramp), order=n))
    if canvas:
        step = Step(ref=WALL, cursor=Going(0.0))
        players.append(Player("wall", "", (step,), order=scenes))
    return PlayState(tuple(players), started=len(players))


def frame_cost(compiled: CompiledShow, state: PlayState) -> float:
    """Milliseconds of a frame, the middle of many."""
    compiled.warm(state)
    took = []
    for n in range(FRAMES):
        begin = time.perf_counter()
        render(compiled, state, 100.0 + n / 44.0)
        took.append(1000.0 * (time.perf_counter() - begin))
    return statistics.median(took)


def cost(image: Image) -> None:
    """What a canvas adds to a frame."""
    beside = big_show(16, scenes=20)
    for name, kind, mode, goal in (
        ("RGB", "pellow-dot", "3 channel", 2.0),
        ("4-emitter", "tarnby-par-7", "4 channel", 4.0),
    ):
        show = wall_of(kind, mode, image, beside)
        compiled = compile_show(show)
        begin = time.perf_counter()
        compiled.source(Step(ref=WALL))
        made = 1000.0 * (time.perf_counter() - begin)
        alone = frame_cost(compiled, playing(20, canvas=False))
        both = frame_cost(compiled, playing(20, canvas=True))
        painted = _painted(compiled)
        print(
            f"{CELLS:,} {name} cells, 2 layers over a film: {both - alone:.1f} ms a "
            f"frame more than {alone:.1f} alone (goal ≤ {goal:g}; {painted:.1f} of it "
            f"painting); compiled in {made:.0f} ms"
        )


def _painted(compiled: CompiledShow) -> float:
    """Milliseconds of painting alone."""
    live = compiled.live_of(Step(ref=WALL, cursor=Going(0.0)))
    assert live is not None
    took = []
    for n in range(FRAMES):
        time_ = Going(0.0).time(100.0 + n / 44.0, 0.0)
        begin = time.perf_counter()
        live.move(time_)
        took.append(1000.0 * (time.perf_counter() - begin))
    return statistics.median(took)


def edited(image: Image) -> None:
    """A figure added, and a dial turned, to light."""
    show = wall_of("pellow-dot", "3 channel", image, big_show(4, scenes=4))
    compiled = compile_show(show)
    state = playing(4, canvas=True)
    render(compiled, state, 100.0)
    took = []
    dice = random.Random(3)
    for n in range(EDITS):
        if n % 2:
            show = canvases.change_layer(show, WALL, "rings", count=dice.uniform(1, 9))
        else:
            show, _ = canvases.add_layer(show, WALL, FigureLayer(id="", figure="bands"))
        begin = time.perf_counter()
        compiled = compile_show(show, compiled)
        compiled.source(Step(ref=WALL))
        took.append(1000.0 * (time.perf_counter() - begin))
        render(compiled, state, 100.0 + n)
        if not n % 2:
            made = canvases.canvas_of(show, WALL)
            assert made is not None
            show = canvases.take_layer(show, WALL, made.layers[-1].id)
    middle = statistics.median(took)
    print(
        f"an edit compiled: {middle:.2f} ms, {middle / PERIOD:.2f} periods  "
        f"(goal ≤ 0.15)"
    )


def off(image: Image) -> None:
    """A hundred canvases that are off."""
    show = big_show(16, scenes=20)
    state = playing(20, canvas=False)
    without = frame_cost(compile_show(show), state)
    ids = tuple(show.fixtures)
    many = [
        Canvas(
            id=f"c{n}", name=f"C{n}", layout=Layout(fixtures=ids), layers=layers(image)
        )
        for n in range(100)
    ]
    crowd = edits.put(edits.put(show, "images", image), "playables", *many)
    compiled = compile_show(crowd)
    with_them = frame_cost(compiled, state)
    print(
        f"100 canvases that are off: {with_them:.2f} ms a frame, {without:.2f} without"
    )

    tracemalloc.start()
    for canvas in many:
        compiled.source(Step(ref=canvas.ref))
    now, _ = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    print(f"  all of them compiled: {now / 2**20:.1f} MB")


def of_4k(folder: Path) -> None:
    """A film of 4K: to its first picture, and made ready; frames of light meanwhile."""
    path = film(folder, 3840, 2160, 75)
    begin = time.perf_counter()
    image = films.read(path)
    first = time.perf_counter() - begin
    begin = time.perf_counter()
    films.make_ready(path, image.key)
    whole = time.perf_counter() - begin
    size = frames_file(image.key).stat().st_blocks * 512
    print(f"4K to its first picture: {first:.2f} s  (goal ≤ 1)")
    print(
        f"  made ready: {image.seconds / whole:.1f} times as fast as it plays; "
        f"{size / 2**20 / image.seconds:.2f} MB a second on disk"
    )


def pictures(folder: Path) -> Image:
    """The film of the other measures, made ready."""
    path = film(folder, 320, 180, 100)
    image = edits.replace(films.read(path), id="film")
    films.make_ready(path, image.key)
    return image


def still(image: Image) -> None:
    """A scene over the same cells, to compare with."""
    show = wall_of("pellow-dot", "3 channel", image, Show(id="b", name="B"))
    ids = fixtures_of(show, canvases.canvas_of(show, WALL).layout)  # type: ignore[union-attr]
    look = {i: {"Dimmer": 0.5, "ColorRGB_Red": 1.0, "ColorRGB_Green": 0.2} for i in ids}
    show = edits.put(show, "playables", Scene(id="s0", name="S", look=look))
    alone = frame_cost(compile_show(show), playing(1, canvas=False))
    print(f"the same cells by one scene that fades: {alone:.1f} ms a frame")


def main() -> int:
    """Print the measures."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        print(f"reference: {reference():.2f} ms")
        image = pictures(folder)
        cost(image)
        still(image)
        edited(image)
        off(image)
        of_4k(folder)
    return 0


if __name__ == "__main__":
    sys.exit(main())
