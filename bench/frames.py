"""Frame cost: render, encode and send for 16 and 64 universes with 100 players."""

from __future__ import annotations

import random
import statistics
import time

import numpy as np

from choreon.library import library
from choreon.model import edits
from choreon.model.outputs import SacnOutput
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.model.show import Mark, Show
from choreon.render.compiled import compile_show
from choreon.render.compositor import render
from choreon.render.state import Envelope, Player, PlayState, Ramp, Step
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
        moving = i >= players - fading
        ramp = Ramp(0.0, 1.0, now, 3600.0) if moving else Ramp()
        step = Step(ref=Ref("scene", f"s{i}"))
        made.append(Player(f"p{i}", "", (step,), Envelope(ramp), order=i))
    return PlayState(tuple(made), started=players)


def with_choice(show: Show, state: PlayState, now: float) -> tuple[Show, PlayState]:
    """And a choice that crossfades for an hour between two scenes of eight pars."""
    pars = [f.id for f in show.fixtures.values() if "par" in f.type][:8]
    for name, level in (("a", 0.2), ("b", 0.9)):
        look = {i: {"Dimmer": level, "ColorRGB_Red": level} for i in pars}
        show = edits.put(show, "playables", Scene(id=name, name=name, look=look))
    hour = Ramp(0.0, 1.0, now, 3600.0)
    steps = (
        Step(ref=Ref("scene", "a")),
        Step(ref=Ref("scene", "b"), at=now, progress=Envelope(hour), fall=hour),
    )
    choice = Player("choice", "", steps, order=state.started + 1)
    return show, PlayState((*state.players, choice), started=choice.order)


def reference(rounds: int = 60) -> float:
    """Milliseconds of a fixed sum of arrays: how fast this machine is at the moment."""
    numbers = np.arange(20_000, dtype=float)
    took = []
    for _ in range(rounds):
        begin = time.perf_counter()
        for _ in range(10):
            (numbers * 1.5 + 2.0).take(np.arange(0, 20_000, 2)).sum()
        took.append(1000 * (time.perf_counter() - begin))
    return statistics.median(took)


class Frames:
    """Frames of one state: render, encode and send, timed one by one."""

    def __init__(self, show: Show, state: PlayState, now: float) -> None:
        self.state, self.now = state, now
        self.compiled = compile_show(show)
        self.compiled.warm(state)
        output = SacnOutput(id="o", host="127.0.0.1", port=45568)
        universes = self.compiled.rig.universes
        self.sender = Sender("bench", bytes(16), [output], universes)
        self.took: list[float] = []

    def next(self) -> None:
        """One frame more."""
        now = self.now + len(self.took) / 44
        begin = time.perf_counter()
        self.sender.send(render(self.compiled, self.state, now), now)
        self.took.append(1000 * (time.perf_counter() - begin))

    def close(self) -> tuple[float, float]:
        """Median and 95th percentile in milliseconds, the first frames left out."""
        self.sender.close()
        took = sorted(self.took[10:])
        return statistics.median(took), took[int(0.95 * len(took))]


def cost(
    show: Show, state: PlayState, now: float, rounds: int = 150
) -> tuple[float, float]:
    """Median and 95th percentile of a frame in milliseconds."""
    frames = Frames(show, state, now)
    for _ in range(rounds):
        frames.next()
    return frames.close()


def choice_cost(universes: int, now: float, rounds: int = 300) -> float:
    """Milliseconds that a small choice that crossfades costs more, its frames and
    those without it in turns: the machine runs now faster, now slower.
    """
    show, state = big_show(universes), state_of(100, 0, now)
    bare = Frames(show, state, now)
    more = Frames(*with_choice(show, state, now), now)
    for _ in range(rounds):
        bare.next()
        more.next()
    pairs = zip(more.took[10:], bare.took[10:], strict=True)
    difference = statistics.median(one - other for one, other in pairs)
    bare.close()
    more.close()
    return difference


GOALS = {
    (16, 0): 0.9,
    (16, 10): 1.6,
    (16, 100): 5,
    (64, 0): 3,
    (64, 10): 4.5,
    (64, 100): 12,
}
CHOICE_GOALS = {16: 0.1, 64: 0.2}  # milliseconds more


def main() -> None:
    for universes in (16, 64):
        show = big_show(universes)
        now = time.monotonic()
        for fading in (0, 10, 100):
            median, worst = cost(show, state_of(100, fading, now), now)
            goal = GOALS[universes, fading]
            what = f"frame, {universes} universes, 100 players, {fading} of them fading"
            print(
                f"{what:60}{median:7.2f} ms median{worst:8.2f} ms 95 %"
                f"  (goal ≤ {goal:g}; reference {reference():.2f})"
            )
        more = choice_cost(universes, now)
        what = f"and a small choice that crossfades, {universes} universes"
        goal = CHOICE_GOALS[universes]
        print(
            f"{what:60}{more:+7.2f} ms  (goal ≤ {goal:g}; reference {reference():.2f})"
        )
    compiling()


def compiling() -> None:
    """1,010 fixtures and 2,014 scenes, from the show to what can be rendered."""
    show = edits.replace(big_show(23, scenes=0), fixtures={})
    kind = library()["tarnby-par-7"]
    for universe in range(1, 21):
        show, _ = edits.hang(
            show, kind, "8 channel", 60 if universe > 1 else 10, universe, 1
        )
    dice = random.Random(3)
    ids = list(show.fixtures)[:1010]
    looks = [
        {
            i: {"Dimmer": 1.0, "ColorRGB_Red": 0.5, "ColorRGB_Blue": 1.0}
            for i in dice.sample(ids, 30)
        }
        for _ in range(2014)
    ]
    scenes = (Scene(id=f"s{n}", name=f"S{n}", look=k) for n, k in enumerate(looks))
    show = edits.put(show, "playables", *scenes)
    begin = time.perf_counter()
    compiled = compile_show(show)
    for playable in compiled.show.playables.values():
        compiled.source(Step(ref=playable.ref))
    took = time.perf_counter() - begin
    count = len(show.fixtures)
    print(f"{count} fixtures and 2,014 scenes compiled in {took:.2f} s  (goal ≤ 2)")
    marked_show()


def marked_show() -> None:
    """100 scenes on that aim at a mark, and the mark moved."""
    show = big_show(16)
    mark = Mark(id="m", name="M", x=1.0, y=2.0)
    show = edits.put(show, "marks", mark)
    heads = [f.id for f in show.fixtures.values() if "spot" in f.type]
    look = {i: dict.fromkeys(("Pan", "Tilt"), "mark:m") for i in heads}
    scenes = (Scene(id=f"s{i}", name=f"S{i}", look=look) for i in range(100))
    show = edits.put(show, "playables", *scenes)
    state = state_of(100, 0, 0.0)
    compiled = compile_show(show)
    compiled.warm(state)
    took = []
    for n in range(12):
        moved = edits.put(show, "marks", edits.replace(mark, x=1.0 + n / 10))
        begin = time.perf_counter()
        compiled = compile_show(moved, compiled)
        compiled.warm(state)
        took.append(1000 * (time.perf_counter() - begin))
    print(
        f"100 scenes on and their mark moved: {statistics.median(took):.1f} ms, beside "
        "the frames  (goal ≤ 20)"
    )
