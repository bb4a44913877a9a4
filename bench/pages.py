"""Pages: a press on its way to the wire and to the tile, a page full of moving faces,
and how soon a guest's page is lit.
"""

from __future__ import annotations

import os
import resource
import signal
import statistics
import subprocess
import sys
import time

from bench.room import Room, room
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.clock import PERIOD
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.refs import to_tile
from choreon.model.show import Show
from choreon.model.tiles import Flash, Guest, Pad, Page, Spot, Start, parts
from choreon.model.verbs import Edge, Verb

TILES, MOVING = 96, 20
LOOKED = 8.0  # seconds that a page is looked at


def many(show: Show) -> Show:
    """The show with a page of 96 tiles, 20 of which play what moves."""
    moving = [p for p in show.playables.values() if getattr(p, "effects", ())]
    still = [p for p in show.playables.values() if not getattr(p, "effects", ())]
    made = []
    for n in range(TILES):
        group = moving if n < MOVING else still
        playable = group[n % len(group)]
        if n < MOVING:  # each a picture of its own
            playable = edits.replace(playable, id=f"m{n}", name=f"M{n}")
            show = edits.put(show, "playables", playable)
        spot = Spot(n % 12, n // 12, 1, 1)
        made.append(Pad(id=f"t{n}", plays=parts(playable.ref), spot=spot))
    page = Page(id="many", name="Many", tiles=tuple(made))
    rest = {i: p for i, p in show.pages.items() if i != "many"}
    return edits.replace(show, pages={"many": page, **rest})


def to_the_wire(rounds: int = 60) -> None:
    """From a press to the packet that shows it, at rest and beside eight that play: a
    flash without fades on the house lights, which nothing else lights.
    """
    with room() as place:
        show = showfile.read(place.path)
        flash = Flash(id="hit", plays=parts(show.playables["house-lights"].ref))
        page = Page(id="hits", name="Hits", tiles=(flash,))
        showfile.write(place.path, edits.put(show, "pages", page))
        lamps = (f for f in show.fixtures.values() if f.name.startswith("House"))
        slot = next(lamps).address - 1
        engine_client.start_engine(place.path)
        client = engine_client.connect(10.0)
        client.wait_for(protocol.Welcome)
        place.packet(10.0)
        for what, playing in (("at rest", ()), ("in play", MOVERS)):
            for tile in playing:
                client.send(Do(to_tile(tile), Verb.PRESS))
            time.sleep(3.0)
            took = [_press(place, client, slot, n) for n in range(rounds)]
            print(
                f"{'press → wire, ' + what:52}{statistics.median(took):9.2f} periods, "
                f"worst {max(took):.2f}  (goal {'0.15' if not playing else '1'})"
            )
        client.close()


MOVERS = (
    "swell-fader",
    "gulls-fader",
    "embers-fader",
    "on-the-beat-pad",
    "sway-pad",
    "tide-turns-pad",
    "oars-pad",
    "spray-pad",
)


def _press(place: Room, client: engine_client.Client, slot: int, n: int) -> float:
    """Periods from a press to the packet in which a slot is another."""
    time.sleep(0.11 + 0.003 * (n % 7))
    client.receive(0.0)
    place.drain()
    edge = Edge.DOWN if n % 2 == 0 else Edge.UP
    begin = time.monotonic()
    client.send(Do(to_tile("hit"), Verb.PRESS, 1.0, edge))
    while True:
        now, packet = place.packet()
        lit = packet.universe == 1 and packet.slots[slot] > 0
        if packet.universe == 1 and lit == (edge == Edge.DOWN):
            return (now - begin) / PERIOD


def on_screen() -> None:
    """What 96 tiles with 20 moving faces cost, and how soon a press is drawn."""
    with room() as place:
        from PySide6.QtCore import QEvent, QEventLoop, QObject
        from PySide6.QtWidgets import QApplication

        from choreon.ui import theme
        from choreon.ui.app import App, load, steady
        from choreon.ui.screenshots import settle, wait_until

        class Painted(QObject):
            """When a tile was first drawn lit."""

            def __init__(self, tile) -> None:
                super().__init__(tile)
                self.tile, self.drawn = tile, 0.0
                tile.installEventFilter(self)

            def eventFilter(self, watched: QObject, event: QEvent) -> bool:
                paints = event.type() == QEvent.Type.Paint
                if paints and self.tile.level > 0.0 and not self.drawn:
                    self.drawn = time.perf_counter()
                return False

        app = QApplication.instance() or QApplication(["bench"])
        assert isinstance(app, QApplication)
        theme.apply(app)
        showfile.write(place.path, many(showfile.read(place.path)))
        window = App(load(place.path), None).window
        window.resize(1280, 800)
        window.show()
        wait_until(lambda: window.parts.engine.alive)
        window.go("perform")
        window.perform.go("many")
        settle(6.0)
        steady()
        begin, used = time.perf_counter(), _used()
        settle(LOOKED)
        share = 100 * (_used() - used) / (time.perf_counter() - begin)
        print(
            f"{'a page of 96 tiles, 20 faces moving':52}{share:9.1f} % of a core  "
            "(goal 20)"
        )
        took = []
        for n in range(MOVING + 1, MOVING + 31):
            tile = window.perform.tiles[f"t{n}"]
            watch = Painted(tile)
            settle(0.3)
            begin = time.perf_counter()
            window.parts.engine.press(f"t{n}")
            while not watch.drawn:
                app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents, 5)
            took.append(1000 * (watch.drawn - begin))
        print(
            f"{'press → tile drawn':52}{statistics.median(took):9.1f} ms, worst "
            f"{max(took):.1f}  (goal 50)"
        )
        window.finish(stop=True, fade=0.0)
        window.close()


def _used() -> float:
    own = resource.getrusage(resource.RUSAGE_SELF)
    return own.ru_utime + own.ru_stime


def guest_start() -> None:
    """From the guest command to the first packet in which the page's light shows."""
    with room() as place:
        show = showfile.read(place.path)
        guest = Guest(pages=("open-mic",))
        opens = (Start(to_tile("mic-front")),)
        scene = edits.replace(show.playables["front-wash"], fade_in=0.0)
        show = edits.put(show, "playables", scene)
        showfile.write(place.path, edits.replace(show, guest=guest, opens=opens))
        command = [sys.executable, "-m", "choreon", "guest", str(place.path)]
        environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
        environment.pop("PYTHONDONTWRITEBYTECODE", None)
        took = []
        for _ in range(3):
            begin = time.monotonic()
            # asked to end it would stand: who has no PIN does not get past it
            with subprocess.Popen(
                command, env=environment, start_new_session=True
            ) as window:
                while True:
                    now, packet = place.packet(20.0)
                    if packet.universe == 1 and packet.slots[0] > 0:
                        break
                took.append(now - begin)
                os.killpg(window.pid, signal.SIGKILL)
                window.wait()
            place.stop_engine()
            place.drain()
        print(
            f"{'guest start → lit page':52}{statistics.median(took):9.2f} s  (goal 2)"
        )


def main() -> None:
    to_the_wire()
    on_screen()
    guest_start()
