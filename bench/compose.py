"""The Compose place: choosing, colouring, aiming and spreading many at once; palettes
and marks that scenes follow.

Each act is done in a real window on a real engine with the sample show and 200 more
pars. “longest” is the longest time that the window's thread did not get to its next
event.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from bench.rig import Beat, line, shown_window
from bench.room import Room, room
from choreon.demo import low_tide
from choreon.library import library
from choreon.model import edits, links
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.render.compiled import compile_show
from choreon.render.state import Step


def followed(scenes: int = 100) -> Show:
    """The sample show with many scenes whose heads look at one mark, and whose pars
    share one palette.
    """
    show = low_tide()
    look = {
        i: {"Dimmer": 0.8, **links.aim("mark:cello")}
        for i in ("spot-1", "spot-2", "wash-1")
    }
    colour = dict.fromkeys(
        ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue"), "palette:moon"
    )
    look |= {f"par-{i}": {"Dimmer": 0.8, **colour} for i in range(1, 9)}
    first = edits.replace(show.playables["cello"], look=look)
    return edits.put(
        show,
        "playables",
        *(edits.replace(first, id=f"f{i}", name=f"F{i}") for i in range(scenes)),
    )


def compiling(rounds: int = 20) -> None:
    """What it takes until the scenes in use follow a mark that moves."""
    show = followed()
    for what, used in (("one scene on", 1), ("100 scenes on", 100)):
        took, bare = [], []
        compiled = compile_show(show)
        for i in range(rounds):
            moved = edits.put(
                show, "marks", edits.replace(show.marks["cello"], x=0.1 * i)
            )
            begin = time.perf_counter()
            compiled = compile_show(moved, compiled)
            for n in range(used):
                compiled.source(Step(ref=Ref("scene", f"f{n}")))
            took.append(1000 * (time.perf_counter() - begin))
            begin = time.perf_counter()
            sum(range(100_000))
            bare.append(1000 * (time.perf_counter() - begin))
        ratio = statistics.median(took) / statistics.median(bare)
        print(
            f"{'a mark moved, ' + what:52}{statistics.median(took):9.1f} ms   "
            f"({ratio:.1f} × adding up 100,000)"
        )


def large(show: Show) -> Show:
    """The show with 960 more pars in 16 universes, and 2,000 scenes of 60 of them each
    that follow a palette.
    """
    kind = library()["tarnby-par-7"]
    for universe in range(20, 36):
        show, _ = edits.hang(show, kind, "8 channel", 60, universe, 1)
    pars = [i for i, f in show.fixtures.items() if f.type == kind.id]
    colour = dict.fromkeys(
        ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue"), "palette:moon"
    )
    scenes = [
        Scene(
            id=f"l{n}",
            name=f"L{n}",
            look={
                pars[(7 * n + i) % len(pars)]: {"Dimmer": 0.5, **colour}
                for i in range(60)
            },
        )
        for n in range(2000)
    ]
    return edits.put(show, "playables", *scenes)


def main() -> None:
    compiling()
    with room() as place:
        _run(place)
    with room() as place:
        _run_large(place)


def _run_large(place: Room) -> None:
    """Edits of a show with some 1,000 fixtures and 2,000 scenes."""
    window = shown_window(place)
    parts = window.parts
    window.go("compose")
    parts.document.edit("large", large(parts.document.show))
    QTest.qWait(4000)
    beat = Beat()
    print(
        f"{len(parts.document.show.fixtures)} fixtures, "
        f"{len(parts.document.show.playables)} scenes:"
    )

    def rename(n: int) -> None:
        document = parts.document
        renamed = edits.rename(document.show, Ref("scene", "l5"), f"Again {n}")
        document.edit("rename", renamed)

    def move(n: int) -> None:
        cello = edits.replace(parts.document.show.marks["cello"], x=0.1 * n)
        parts.document.edit("move", edits.put(parts.document.show, "marks", cello))

    shelf = window.places["compose"].shelf
    _each("a scene renamed", beat, [lambda n=n: rename(n) for n in range(5)])
    _each("a mark moved", beat, [lambda n=n: move(n) for n in range(5)])
    _each(
        "scenes sought",
        beat,
        [lambda t=t: shelf.search.setText(t) for t in ("L1", "L19", "L199", "")],
    )
    _each(
        "palettes, scenes",
        beat,
        [lambda k=k: shelf.show_kind(k) for k in ("palettes", "scenes") * 2],
    )
    bar = shelf.strip.horizontalScrollBar()
    _each(
        "the shelf scrolled",
        beat,
        [lambda v=v: bar.setValue(v * bar.maximum() // 5) for v in range(6)],
    )
    window.finish(stop=True, fade=0.0)
    window.close()


def _each(
    what: str, beat: Beat, acts: list[Callable[[], object]], note: str = ""
) -> None:
    took = [beat.around(act, 60) for act in acts]
    line(what, statistics.median(t for t, _ in took), max(p for _, p in took), note)


def _run(place: Room) -> None:
    window = shown_window(place)
    parts = window.parts
    window.go("compose")
    QTest.qWait(2500)
    picture = window.places["compose"].stage.cost
    print(
        f"{'the stage picture in the window, a frame':52}{1000 * picture:9.1f} ms  "
        " (goal ≤ 12)"
    )
    show, _ = edits.hang(
        parts.document.show, library()["tarnby-par-7"], "8 channel", 60, 11, 1
    )
    for universe in (12, 13, 14):
        show, _ = edits.hang(
            show, library()["tarnby-par-7"], "8 channel", 47, universe, 1
        )
    parts.document.edit("more", show)
    compose = window.places["compose"]
    QTest.qWait(1000)
    beat = Beat()
    everybody = list(parts.document.show.fixtures)
    line("reference: nothing to do", *beat.around(lambda: None, 1000))
    _each(
        "choose all, and one",
        beat,
        [lambda n=n: parts.selection.choose(everybody[:n]) for n in (258, 1, 258, 1)],
    )
    parts.selection.choose(everybody)
    compose.what.open_tab("Colour")
    QTest.qWait(300)
    field = compose.what.colour_panel.colour
    spots = [QPointF(10 + 8 * i, 20 + 2 * i) for i in range(24)]
    left = Qt.MouseButton.LeftButton
    QTest.mousePress(field, left, pos=spots[0].toPoint())
    drags = [lambda p=p: QTest.mouseMove(field, p.toPoint()) for p in spots]
    _each("a colour dragged over 258, each move", beat, drags, "(longest: goal ≤ 100)")
    QTest.mouseRelease(field, left, pos=spots[-1].toPoint())
    parts.selection.choose([i for i in everybody if i.startswith("par")])
    compose.what.open_tab("Spread")
    QTest.qWait(300)
    panel = compose.what.spread_panel
    _each(
        "a spread over 209, each step",
        beat,
        [lambda v=v: panel._number(1, v) for v in range(10, 100, 9)],
    )
    ledger = window.ledger
    line("the ledger opened on all of it", *beat.around(ledger._toggle))
    line("the ledger shut", *beat.around(ledger._toggle))
    line("the draft cleared", *beat.around(parts.draft.clear))
    parts.selection.choose(["spot-1", "spot-2", "wash-1"])
    compose.what.open_tab("Aim")
    compose.what.aim_panel.send(links.to_mark("cello"))
    QTest.qWait(300)
    aim = compose.what.aim_panel
    moves = [
        lambda i=i: aim.move_mark("cello", (0.05 * i, 1.0, 0.0)) for i in range(24)
    ]
    _each("a mark dragged that scenes aim at, each move", beat, moves)
    parts.draft.clear()
    _each(
        "scenes, palettes",
        beat,
        [lambda k=k: compose.shelf.show_kind(k) for k in ("palettes", "scenes") * 2],
    )
    window.finish(stop=True, fade=0.0)
    window.close()
