"""What the window takes: at rest on every place and hidden, in a crossfade, at its
start, and when much is chosen for the first time.
"""

from __future__ import annotations

import os
import socket
import statistics
import subprocess
import sys
import time
from collections.abc import Callable

from PySide6.QtCore import QEventLoop, QTimer

from bench.compose import large
from bench.rig import Beat, shown_window
from bench.room import Room, room
from choreon import folders
from choreon.engine.do import Do
from choreon.model import edits, history
from choreon.model.refs import to_tile
from choreon.model.verbs import Verb
from choreon.ui.window import PLACES, MainWindow

SECONDS = 4.0  # for which a state is looked at
STARTS = 5
CHOSEN = 258


def let_live(seconds: float) -> None:
    """Let the window live, without looking after it."""
    loop = QEventLoop()
    timer = QTimer(loop, interval=int(1000 * seconds))
    timer.timeout.connect(loop.quit)
    timer.start()
    loop.exec()


def share(seconds: float = SECONDS) -> float:
    """How much of a core this process takes, per cent."""
    begin, before = time.monotonic(), time.process_time()
    let_live(seconds)
    return 100 * (time.process_time() - before) / (time.monotonic() - begin)


def _told(what: str, value: float, unit: str, goal: str) -> None:
    print(f"{what:52}{value:9.1f} {unit}   (goal ≤ {goal})")


def rest(window: MainWindow) -> None:
    """Nothing moves, nobody touches anything."""
    for place in PLACES:
        window.go(place)
        let_live(2.0)
        _told(f"at rest, {place}", share(), "%", "1")
    window.go("compose")
    window.hide()
    let_live(1.0)
    _told("hidden", share(), "%", "1")
    window.show()


def crossfade(window: MainWindow) -> None:
    """One scene fades into another, for as long as it is looked at."""
    parts = window.parts
    show = parts.document.show
    scenes = [p for p in show.playables.values() if p.kind == "scene"]
    slow = [edits.replace(p, fade_in=3 * SECONDS, fade_out=3 * SECONDS) for p in scenes]
    parts.document.edit("slow", edits.put(show, "playables", *slow))
    for place in ("compose", "perform"):
        window.go(place)
        parts.engine.release()
        let_live(4.0)
        for tile in ("mudlight-pad", "slack-water-pad"):
            if parts.document.show.tile(tile):
                parts.engine.press(tile)
                let_live(1.0)
        _told(f"in a crossfade, {place}", share(), "%", "12")
    parts.engine.release()


def starts(place: Room) -> None:
    """From the command to a window that stands and answers; with bytecode."""
    environment = {k: v for k, v in os.environ.items() if "BYTECODE" not in k}
    took = []
    for _ in range(STARTS + 1):
        begin = time.monotonic()
        process = subprocess.Popen(
            [sys.executable, "-m", "choreon", "open", str(place.path)],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env=environment,
        )
        while not _answers() and time.monotonic() < begin + 30:
            time.sleep(0.005)
        took.append(time.monotonic() - begin)
        process.terminate()
        process.wait()
        place.stop_engine()
    _told("the window shown, after", statistics.median(took[1:]), "s", "0.9")


def _answers() -> bool:
    path = folders.runtime() / "window.sock"
    with socket.socket(socket.AF_UNIX) as probe:
        return probe.connect_ex(str(path)) == 0


def much(window: MainWindow) -> None:
    """Some 1,000 fixtures and 2,000 scenes: the longest hold of each."""
    parts = window.parts
    window.go("compose")
    let_live(2.0)
    beat = Beat()
    parts.document.edit("large", large(parts.document.show))
    held = beat.around(lambda: None, 4000)[1]
    _told("2,000 scenes come", held, "ms", "60")
    lamps = list(parts.document.show.fixtures)[:CHOSEN]

    def hold(what: str, act: Callable[[], object]) -> None:
        _told(what, beat.around(act, 1500)[1], "ms", "60")

    hold(f"{CHOSEN} fixtures chosen", lambda: parts.selection.choose(lamps))
    hold("opened up", parts.draft.open_up)
    hold("the ledger on all of it", window.ledger.open.click)
    hold("and closed", window.ledger.open.click)


def undo(window: MainWindow) -> None:
    """How much a step of undo holds, in a show of 2,000 scenes."""
    document = window.parts.document
    scene = next(p for p in document.show.playables.values() if p.kind == "scene")
    before = document.history.bytes_held
    for n in range(100):
        changed = edits.replace(scene, name=f"Step {n}")
        document.edit(f"step {n}", edits.put(document.show, "playables", changed))
    grown = (document.history.bytes_held - before) / 100
    print(
        f"{'a step of undo among 2,000 scenes':52}{grown / 1000:9.1f} kB   "
        f"(bounded to {history.MOST_BYTES >> 20} MB)"
    )


def main() -> None:
    with room() as place:
        starts(place)
        window = shown_window(place)
        window.parts.engine.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
        let_live(2.0)
        rest(window)
        crossfade(window)
        much(window)
        undo(window)
        window.finish(stop=True, fade=0.0)
        window.close()
