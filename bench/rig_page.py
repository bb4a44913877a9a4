"""A page from the rig: how soon it stands there, a press on its way to the wire, what
arranging 96 tiles costs, and the window at rest beside it.
"""

from __future__ import annotations

import statistics
import time
from typing import Any

from bench.pages import TILES, _press, _used
from bench.room import room
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.formats import showfile
from choreon.model import edits, givens
from choreon.model.refs import GROUP, Ref
from choreon.model.show import Group, Show
from choreon.model.tiles import Flash, LabelTile, Page, Spot, parts

PRESSES = 60
MOVES = 90  # of the mouse, while tiles are dragged
LOOKED = 10.0  # seconds that a page at rest is looked at


def bare(show: Show) -> Show:
    """The show without anything that is programmed, and two empty pages, one of which
    holds 96 labels.
    """
    show = edits.replace(show, playables={}, inputs={}, opens=(), safe=(), sends={})
    labels = tuple(
        LabelTile(id=f"l{n}", name=f"{n}", spot=Spot(n % 12, n // 12, 1, 1))
        for n in range(TILES)
    )
    pages = {
        "empty": Page(id="empty", name="Empty"),
        "many": Page(id="many", name="Many", tiles=labels),
    }
    return edits.replace(show, pages=pages)


def to_the_wire() -> None:
    """From a press on a group's flash to the packet that shows it, at rest."""
    with room() as place:
        show = bare(showfile.read(place.path))
        lamp = next(f for f in show.fixtures.values() if f.name.startswith("House"))
        group = Group(id="one", name="One", fixtures=(lamp.id,))
        show = edits.put(show, "groups", group)
        show, ref = givens.give_values(show, Ref(GROUP, "one"), "full", {"Dimmer": 1.0})
        flash = Flash(id="hit", plays=parts(ref))
        page = Page(id="hits", name="Hits", tiles=(flash,))
        showfile.write(place.path, edits.put(show, "pages", page))

        engine_client.start_engine(place.path)
        client = engine_client.connect(10.0)
        client.wait_for(protocol.Welcome)
        place.packet(10.0)
        time.sleep(3.0)
        took = [_press(place, client, lamp.address - 1, n) for n in range(PRESSES)]
        print(
            f"{'press on a tile of a group → wire, at rest':52}"
            f"{statistics.median(took):9.2f} periods, worst {max(took):.2f}  "
            "(goal 0.15)"
        )
        client.close()


def in_the_window() -> None:
    """The page, arranging 96 tiles, and the window at rest."""
    with room() as place:
        from PySide6.QtWidgets import QApplication

        from choreon.ui import theme
        from choreon.ui.app import App, load, steady
        from choreon.ui.screenshots import settle, wait_until

        app = QApplication.instance() or QApplication(["bench"])
        assert isinstance(app, QApplication)
        theme.apply(app)
        showfile.write(place.path, bare(showfile.read(place.path)))
        window = App(load(place.path), None).window
        window.resize(1280, 800)
        window.show()
        wait_until(lambda: window.parts.engine.alive)
        window.go("perform")
        window.perform.go("empty")
        settle(3.0)

        _make_page(window, app)
        settle(6.0)
        steady()
        begin, used = time.perf_counter(), _used()
        settle(LOOKED)
        share = 100 * (_used() - used) / (time.perf_counter() - begin)
        print(f"{'window at rest beside it':52}{share:9.1f} % of a core  (goal 1)")

        _arrange(window, app)
        window.finish(stop=True, fade=0.0)
        window.close()


def _make_page(window: Any, app: Any) -> None:
    """From the dialog's answer to a page that is drawn."""
    from choreon.ui.perform.rig_page_dialog import RigPageDialog

    document = window.parts.document
    dialog = RigPageDialog(document.show, "empty", window)
    took = []
    for _ in range(5):
        begin = time.perf_counter()
        made = dialog.made_of(document.show)
        document.edit("a page from the rig", made)
        app.processEvents()
        window.perform.grab()
        took.append(1000 * (time.perf_counter() - begin))
        tiles = len(window.perform.tiles)
        document.undo()
        app.processEvents()
    document.redo()
    print(
        f"{f'dialog → page of {tiles} tiles, drawn':52}"
        f"{statistics.median(took):9.0f} ms, worst {max(took):.0f}  (goal 500)"
    )


def _arrange(window: Any, app: Any) -> None:
    """Tiles dragged, sized and moved, on a page of 96."""
    from PySide6.QtCore import QEvent, QObject, QPointF, Qt
    from PySide6.QtTest import QTest

    class Drawn(QObject):
        """Whether something was drawn."""

        def __init__(self, on: Any) -> None:
            super().__init__(on)
            self.drawn = False
            on.installEventFilter(self)

        def eventFilter(self, watched: QObject, event: QEvent) -> bool:
            self.drawn = self.drawn or event.type() == QEvent.Type.Paint
            return False

    def seen(watch: Drawn) -> None:
        """Let it be drawn."""
        end = time.perf_counter() + 1.0
        while not watch.drawn and time.perf_counter() < end:
            app.processEvents()
        watch.drawn = False

    perform = window.perform
    perform.go("many")
    perform.arrange(True)
    app.processEvents()
    perform.arranger.choose(list(perform.tiles)[:12])
    pane = perform.arranger.panes[0]
    pictures = Drawn(pane)
    seen(pictures)
    start = QPointF(pane.grid_below.rect_of(Spot(0, 0, 1, 1)).center())

    def drag() -> list[float]:
        QTest.mousePress(pane, Qt.MouseButton.LeftButton, pos=start.toPoint())
        took = []
        for n in range(MOVES):
            # a cell further with every move: each is another picture
            there = start + QPointF(0.0, pane.grid_below.cell[1] * (n % 6))
            begin = time.perf_counter()
            QTest.mouseMove(pane, there.toPoint())
            seen(pictures)
            took.append(1000 * (time.perf_counter() - begin))
        begin = time.perf_counter()
        QTest.mouseRelease(pane, Qt.MouseButton.LeftButton, pos=there.toPoint())
        seen(Drawn(perform.arranger.panes[0]))
        dropped.append(1000 * (time.perf_counter() - begin))
        return took

    dropped: list[float] = []
    took = drag()
    rate = 1000 / statistics.median(took)
    slow = 1000 / max(took)
    print(
        f"{'96 tiles, twelve dragged':52}{rate:9.0f} pictures a second, slowest "
        f"{slow:.0f}  (goal 30)"
    )
    begin = time.perf_counter()
    for n in range(10):
        for act in (perform.arranger.grow, perform.arranger.move):
            act(0, 1 if n % 2 == 0 else -1)
            seen(Drawn(perform.arranger.panes[0]))
    each = 1000 * (time.perf_counter() - begin) / 20
    print(
        f"{'moved or sized, laid anew':52}{each:9.0f} ms, let go "
        f"{statistics.median(dropped):.0f}  (goal 33)"
    )


def main() -> None:
    to_the_wire()
    in_the_window()
