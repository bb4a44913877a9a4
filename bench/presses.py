"""An engine at rest, and the gap that the first press of a scene leaves between
packets, beside a bare loop that runs at the same time.
"""

from __future__ import annotations

import itertools
import multiprocessing
import os
import statistics
import time
from multiprocessing.connection import Connection

from bench.frames import big_show
from bench.room import Room, room
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.clock import PERIOD, Clock
from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.outputs import SacnOutput
from choreon.model.refs import to_tile
from choreon.model.tiles import Pad, Page, parts
from choreon.model.verbs import Verb

SCENES = 100
EVERY = 0.15  # seconds from press to press
AT_REST = 10.0  # seconds that the engine is looked at


def bare_gaps(seconds: float, out: Connection) -> None:
    """The longest gap of a loop with nothing to do, in periods."""
    clock = Clock()
    end = last = time.monotonic()
    end += seconds
    worst = 0.0
    while last < end:
        clock.wait()
        now = time.monotonic()
        worst, last = max(worst, now - last), now
    out.send(worst / PERIOD)


def pads(place: Room) -> None:
    """Write a show of 100 scenes of 240 fixtures, each on a pad."""
    show = big_show(16, SCENES)
    tiles = tuple(
        Pad(id=f"t{n}", plays=parts(scene.ref))
        for n, scene in enumerate(show.playables.values())
    )
    show = edits.put(show, "pages", Page(id="p", name="Page", tiles=tiles))
    port = place.socket.getsockname()[1]
    output = SacnOutput(id="o", host="127.0.0.1", port=port)
    showfile.write(place.path, edits.put(show, "outputs", output))


def first_presses() -> None:
    """Press each pad once and look at the packets of one universe."""
    with room() as place:
        pads(place)
        engine_client.start_engine(place.path)
        client = engine_client.connect(20.0)
        place.packet(20.0)
        ours, theirs = multiprocessing.Pipe(False)
        seconds = SCENES * EVERY
        work = multiprocessing.get_context("spawn")
        loop = work.Process(target=bare_gaps, args=(seconds, theirs))
        loop.start()
        arrived: list[float] = []
        begin = time.monotonic()
        for n in range(SCENES):
            client.send(Do(to_tile(f"t{n}"), Verb.PRESS))
            if n > 2:  # three at a time
                client.send(Do(to_tile(f"t{n - 3}"), Verb.PRESS))
            while time.monotonic() < begin + (n + 1) * EVERY:
                now, packet = place.packet()
                if packet.universe == 1:
                    arrived.append(now)
        loop.join()
        bare = ours.recv()
        client.close()
    gaps = [(b - a) / PERIOD for a, b in itertools.pairwise(arrived)]
    print(
        f"first press of {SCENES} scenes of 240 fixtures: longest gap {max(gaps):.2f} "
        f"periods, of the bare loop {bare:.2f}  (goal ≤ 1.5 more)"
    )


def rest() -> None:
    """How much of a core the engine takes while nothing moves."""
    with room() as place:
        engine_client.start_engine(place.path)
        client = engine_client.connect(10.0)
        pid = client.wait_for(protocol.Welcome).pid
        client.send(Do(to_tile("front-wash-fader"), Verb.LEVEL, 1.0))
        client.close()
        time.sleep(3.0)
        shares = []
        for _ in range(3):
            before = _seconds(pid)
            time.sleep(AT_REST / 3)
            shares.append(100 * (_seconds(pid) - before) / (AT_REST / 3))
    share = statistics.median(shares)
    print(f"engine at rest: {share:.1f} % of a core  (goal ≤ 1)")


def _seconds(pid: int) -> float:
    """The processor time that a process has used."""
    with open(f"/proc/{pid}/stat") as file:
        fields = file.read().rpartition(")")[2].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def main() -> None:
    first_presses()
    rest()
