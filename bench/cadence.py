"""Lateness of the engine's frames beside a bare loop that runs at the same time, quiet
and with a busy window.
"""

from __future__ import annotations

import multiprocessing
import statistics
import time
from multiprocessing.connection import Connection

from bench.room import Room, room
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.clock import Clock
from choreon.engine.do import Do
from choreon.model.refs import to_tile
from choreon.model.verbs import Verb

SECONDS = 12.0


def reference(seconds: float, out: Connection) -> None:
    """The same clock with nothing to do: what this machine makes of any loop."""
    clock = Clock()
    end = time.monotonic() + seconds
    medians, worst = [], []
    while time.monotonic() < end:
        for _ in range(22):
            clock.wait()
        median, most = clock.read_lateness()
        medians.append(median)
        worst.append(most)
    out.send((1000 * statistics.median(medians), 1000 * max(worst)))


def busy_window(path: str, seconds: float) -> None:
    """A real window on the running engine: crossfades, a dragged fader, the stage
    picture, as fast as it will go.
    """
    from pathlib import Path

    from PySide6.QtWidgets import QApplication

    from choreon.ui import theme
    from choreon.ui.app import App, load, steady

    app = QApplication([])
    theme.apply(app)
    window = App(load(Path(path)), engine_client.Client()).window
    window.show()
    steady()
    window.go("compose")
    parts = window.parts
    pads = ("slack-water-pad", "mudlight-pad", "spring-tide-pad", "lanterns-home-pad")
    end, next_pad, i = time.monotonic() + seconds, 0.0, 0
    while (now := time.monotonic()) < end:
        if now > next_pad:
            parts.engine.press(pads[i % 4])
            next_pad, i = now + 1.0, i + 1
        parts.draft.touch({"par-1": {"Dimmer": (now * 0.7) % 1.0}})
        parts.engine.set_level("front-wash-fader", (now * 0.5) % 1.0)
        window.places["compose"].stage.update()
        app.processEvents()
    window.finish(stop=False)
    window.close()


def measure(place: Room, busy: bool) -> None:
    ours, theirs = multiprocessing.Pipe(False)
    work = multiprocessing.get_context("spawn")
    client = engine_client.connect(10.0)
    helper = (
        work.Process(target=busy_window, args=(str(place.path), SECONDS + 3))
        if busy
        else None
    )
    if helper:
        helper.start()
        time.sleep(2.0)
    loop = work.Process(target=reference, args=(SECONDS, theirs))
    loop.start()
    end = time.monotonic() + SECONDS
    medians, worst = [], []
    first: protocol.Pulse | None = None
    pulse = client.wait_for(protocol.Pulse)
    while time.monotonic() < end:
        pulse = client.wait_for(protocol.Pulse)
        first = first or pulse
        medians.append(pulse.typical)
        worst.append(pulse.lateness)
        place.drain()
    loop.join()
    if helper:
        helper.join()
    client.close()
    bare, bare_worst = ours.recv()
    mine = statistics.median(medians)
    assert first is not None
    what = "busy window" if busy else "quiet"
    print(
        f"lateness, {what:12} engine median {mine:6.3f} ms (worst "
        f"{max(worst):6.1f}), bare loop {bare:6.3f} ms "
        f"(worst {bare_worst:6.1f}), difference {mine - bare:+6.3f} ms  (goal < 0.3); "
        f"{pulse.frames - first.frames} frames, {pulse.late - first.late} late, "
        f"{pulse.missed - first.missed} skipped"
    )


def main() -> None:
    with room() as place:
        engine_client.start_engine(place.path)
        client = engine_client.connect(10.0)
        client.send(Do(to_tile("spring-tide-pad"), Verb.PRESS))
        client.close()
        measure(place, busy=False)
        measure(place, busy=True)
