"""Frame cost: render, encode and send for 16 and 64 universes with 100 players."""

from __future__ import annotations

import random
import statistics
import time

from choreon.library import library
from choreon.model import edits
from choreon.model.outputs import Output
from choreon.model.playables import Scene
from choreon.model.show import Show
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.state import Player, PlayState, Ramp, Step
from choreon.wire.outputs import Sender

HANG = (
    ("tarnby-par-7", "8 channel", 30),
    ("ostrey-spot-160", "13 channel", 10),
    ("pellow-bar-8", "24 channel", 5),
)


def big_show(universes: int, scenes: int = 100) -> Show:
    """A full rig and scenes, each giving intensity, colour and position to a random
    third of the fixtures.
    """
    dice = random.Random(7)
    show = Show(id="bench", name="Bench")
    for universe in range(1, universes + 1):
        address = 1
        for kind, mode, count in HANG:
            show, _ = edits.hang(show, library()[kind], mode, count, universe, address)
            address += count * library()[kind].mode(mode).footprint  # type: ignore[union-attr]
    ids = list(show.fixtures)
    made = []
    for i in range(scenes):
        look = {
            fixture: {
                "Dimmer": dice.random(),
                "ColorRGB_Red": dice.random(),
                "ColorRGB_Green": dice.random(),
                "ColorRGB_Blue": dice.random(),
                "Pan": dice.uniform(-270, 270),
                "Tilt": dice.uniform(-135, 135),
            }
            for fixture in dice.sample(ids, len(ids) // 3)
        }
        made.append(Scene(id=f"s{i}", name=f"S{i}", look=look))
    return edits.put(show, "playables", *made)


def state_of(players: int, fading: int, now: float) -> PlayState:
    """`players` scenes on; the last `fading` of them on their way in for an hour, so
    that they never settle.
    """
    made = []
    for i in range(players):
        ramp = Ramp(0.0, 1.0, now, 3600.0) if i >= players - fading else Ramp()
        made.append(Player(f"p{i}", "", (Step(f"s{i}", 0.0, 0.0, 0.0),), ramp, order=i))
    return PlayState(tuple(made), started=players)


def cost(universes: int, fading: int, rounds: int = 150) -> tuple[float, float]:
    """Median and 95th percentile of a frame in milliseconds."""
    show = big_show(universes)
    programme = compile_show(show)
    programme.warm(show.playables)
    now = time.monotonic()
    state = state_of(100, fading, now)
    output = Output(id="o", host="127.0.0.1", port=45568)
    sender = Sender("bench", bytes(16), [output], programme.rig.universes)
    took = []
    for i in range(rounds):
        begin = time.perf_counter()
        sender.send(render(programme, state, now + i / 44), now + i / 44)
        took.append(1000 * (time.perf_counter() - begin))
    sender.close()
    took = sorted(took[10:])
    return statistics.median(took), took[int(0.95 * len(took))]


def main() -> None:
    for universes, goal in ((16, 2.0), (64, 8.0)):
        for fading in (0, 10, 100):
            median, worst = cost(universes, fading)
            note = f"(goal ≤ {goal:g})" if fading == 10 else ""
            what = f"frame, {universes} universes, 100 players, {fading} of them fading"
            print(f"{what:66}{median:7.2f} ms median{worst:8.2f} ms 95 %  {note}")
