"""An evening with the made-up kinds, engine and window in one process: what is on the
page is rung for, plays, is stepped, ends, and is seen. Prints what came of it, as JSON.
"""

from __future__ import annotations

import json
import socket
import sys
import threading
from pathlib import Path

from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

import tests.seams.made_up as made_up
import tests.seams.windowed  # noqa: F401
from choreon import folders
from choreon.demo import low_tide
from choreon.engine import client as engine_client
from choreon.engine.do import Do
from choreon.engine.engine import Engine
from choreon.engine.openings import Opening
from choreon.formats import showfile
from choreon.model import edits, pages
from choreon.model.motion import Effect
from choreon.model.playables import Scene
from choreon.model.refs import Ref, to_tile
from choreon.model.tiles import parts
from choreon.model.verbs import Verb
from choreon.ui import theme
from choreon.ui.app import App, load
from tests.conftest import until

TURN = 0.6  # seconds


def made_show(ledger: Path):
    """The demo show with one of each made-up kind."""
    show = low_tide(port=9)
    show = edits.drop(show, "outputs", list(show.outputs))
    swell = Effect(id="s", motion=made_up.Swell(top=0.5), fixtures=("par-2",))
    show = edits.put(
        show,
        "playables",
        made_up.Beacon(
            id="beacon", name="Beacon", lamps=("par-1",), turns=50, seconds=TURN
        ),
        made_up.Beacon(
            id="short", name="Short", lamps=("par-3",), turns=1, seconds=4 * TURN
        ),
        Scene(id="swelling", name="Swelling", effects=(swell,)),
    )
    bells = [
        made_up.BellPull(id=i, name=i, plays=parts(Ref("beacon", i)))
        for i in ("beacon", "short")
    ]
    page = next(iter(show.pages.values()))
    for bell in bells:
        show, _ = pages.add(show, page.id, bell)
    doors = [
        made_up.Doorbell(id=f"door-{b.id}", target=b.ref, door=b.id) for b in bells
    ]
    show = edits.put(show, "inputs", *doors)
    return edits.put(show, "outputs", made_up.Ledger(id="l", file=str(ledger)))


def slot(show, fixture: str) -> int:
    """The place of a fixture's first channel in a frame of its universe."""
    hung = show.fixtures[fixture]
    return hung.address - 1


def evening(folder: Path) -> dict[str, object]:
    said: dict[str, object] = {}
    ledger, path = folder / "ledger", folder / "Evening.choreon"
    show = made_show(ledger)
    showfile.write(path, show)
    said["same when read"] = showfile.read(path) == show

    engine = Engine(Opening(showfile.read(path), str(path)), real_midi=False)
    threading.Thread(target=engine.run, daemon=True).start()
    client = engine_client.connect(60)

    app = QApplication(sys.argv[:1])
    theme.apply(app)
    window = App(load(path), client).window
    window.show()

    def live(what) -> None:
        until(lambda: QTest.qWait(5) or what(), 20.0)

    def last(fixture: str) -> int:
        rows = len({f.universe for f in show.fixtures.values()})
        data = ledger.read_bytes()[-512 * rows :]
        place = sorted({f.universe for f in show.fixtures.values()}).index(
            show.fixtures[fixture].universe
        )
        return data[512 * place + slot(show, fixture)]

    def state():
        return window.parts.engine.state

    def player(i: str):
        return state().player(f"tile:{i}")

    def ring(door: str) -> None:
        with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as bell:
            bell.sendto(door.encode(), str(folders.runtime() / "doorbells"))

    # the bell starts it: input, tile, what plays, effect and output all are made up
    live(lambda: ledger.exists() and ledger.stat().st_size > 5120)
    dark = last("par-1")
    ring("beacon")
    live(lambda: player("beacon"))
    live(lambda: last("par-1") > dark + 100)
    live(lambda: last("par-1") < dark + 30)
    said["swells"] = True
    live(lambda: "front door" in window.parts.engine.ports.ports)

    # it is stepped, and goes on from there
    window.parts.engine.send(Do(Ref("player", "tile:beacon"), Verb.STEP, 40.0))
    live(lambda: player("beacon").steps[-1].cursor.seconds >= 40 * TURN)
    said["stepped"] = player("beacon").steps[-1].cursor.seconds / TURN

    window.parts.engine.send(Do(Ref("player", "tile:beacon"), Verb.GO))
    live(lambda: player("beacon").steps[-1].cursor.seconds >= 41 * TURN)
    window.parts.engine.send(Do(Ref("player", "tile:beacon"), Verb.HOLD))
    live(lambda: player("beacon").level == 0.5)
    said["goes and holds in its own way"] = True

    # one that has an end ends by itself
    ring("short")
    live(lambda: player("short"))
    live(lambda: player("short") is None)
    said["ends"] = True

    # one that hangs is replaced by its own kind
    made_up.Doorbells.made[0].stuck.set()
    live(lambda: len(made_up.Doorbells.made) == 2)
    ring("short")
    live(lambda: player("short"))
    said["replaced"] = True

    # the window has each
    window.go("perform")
    live(lambda: "beacon" in window.perform.view.tiles)
    said["tile"] = type(window.perform.view.tiles["beacon"]).__name__
    window.go("rig")
    window.rig.go(3)
    live(lambda: "l" in window.rig.outputs.cards)
    said["fields"] = sorted(window.rig.outputs.cards["l"].fields)
    live(lambda: "packets/s" in window.rig.outputs.cards["l"].state.text())
    window.go("surfaces")
    row = window.surfaces.targets[to_tile("beacon")]
    said["control"] = row.tied.text()
    window.go("compose")
    window.parts.draft.take(
        Ref("scene", "swelling"), {}, show.playables["swelling"].effects
    )
    window.parts.selection.choose(["par-2"])
    live(lambda: last("par-2") > 60)
    said["moved by the draft"] = True

    window.finish(stop=True)
    return said


if __name__ == "__main__":
    print(json.dumps(evening(Path(sys.argv[1]))), flush=True)
