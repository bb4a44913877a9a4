"""A stack of 1,000 cues over 300 lamps: GO, jumps, edits, the check, and its list."""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Callable

from bench.frames import big_show
from bench.rig import shown_window
from bench.room import room
from choreon.engine import actions
from choreon.engine.actions import cues as running
from choreon.engine.actions import housekeeping, motion
from choreon.engine.actions.following import Wall
from choreon.engine.do import Do
from choreon.engine.precompiler import Precompiler
from choreon.formats import showfile
from choreon.model import edits
from choreon.model.changes import apply, difference
from choreon.model.playables import Stack
from choreon.model.playables.stack import Cue, Follow, FollowKind
from choreon.model.refs import Ref
from choreon.model.show import Show
from choreon.model.tiles import Part
from choreon.model.verbs import Verb
from choreon.render.compiled import CompiledShow, compile_show
from choreon.render.compositor import render
from choreon.render.cue_checks import check
from choreon.render.state import PlayState

CUES, PERIOD = 1000, 1 / 44
STACK = Ref("stack", "k")


def stack_show() -> Show:
    """A rig of seven universes, and a stack of cues of one to three scenes."""
    dice = random.Random(3)
    show = big_show(7, scenes=60)
    made = tuple(
        Cue(
            id=f"q{n}",
            number=float(n + 1),
            plays=tuple(
                Part(Ref("scene", f"s{i}"), dice.choice([1.0, 1.0, 0.6]))
                for i in dice.sample(range(60), dice.randint(1, 3))
            ),
            fade_in=dice.uniform(0, 5),
            follow=Follow(FollowKind.BEGUN, 4.0) if dice.random() < 0.2 else Follow(),
        )
        for n in range(CUES)
    )
    return edits.put(show, "playables", Stack(id="k", name="K", cues=made, guard=0.0))


def timed(act: Callable[[], object]) -> float:
    begin = time.perf_counter()
    act()
    return time.perf_counter() - begin


def reference() -> float:
    """A loop beside it, to know how fast the machine is just now."""
    return timed(lambda: sum(range(2_000_000)))


class Stage:
    """The stack at play, as the engine plays it."""

    def __init__(self, show: Show) -> None:
        self.show, self.state, self.now = show, PlayState(), 10.0
        self.compiled: CompiledShow = compile_show(show)
        self.ahead = Precompiler(self.compiled, lambda: self.state, lambda: self.now)

    def do(self, verb: Verb, value: float = 1.0) -> tuple[float, float]:
        """Returns the seconds before the frame, in the link's thread, and within it."""
        do = Do(STACK, verb, value)
        begin = time.perf_counter()
        ways = self.ahead.ask([do])[do.ref]
        asked = time.perf_counter() - begin
        begin = time.perf_counter()
        self.state = actions.perform(self.show, self.state, do, self.now, ways)
        self.state = motion.follow(self.compiled, self.state, self.now, Wall(0.0))
        render(self.compiled, self.state, self.now)
        return asked, time.perf_counter() - begin


def _row(name: str, numbers: list[float], goal: float, unit: str = "ms") -> None:
    middle, worst = statistics.median(numbers) * 1000, max(numbers) * 1000
    print(f"{name:44} {middle:7.2f} {unit}  worst {worst:7.2f}  goal {goal:g}")


def main() -> None:
    """Print the measures."""
    show = stack_show()
    print(
        f"{len(show.fixtures)} fixtures, {CUES} cues; a loop beside it: "
        f"{1000 * reference():.0f} ms"
    )
    stage = Stage(show)
    stage.do(Verb.GO)
    goes = [_go(stage) for _ in range(60)]
    _row("GO: asked for, in the link's thread", [a for a, _ in goes], 50)
    _row("GO: its frame", [b for _, b in goes], 1000 * PERIOD)
    rests = [_go_at_rest(stage) for _ in range(40)]
    _row("GO at rest: asked for, and its frame", [a + b for a, b in rests], 3.4)
    dice = random.Random(5)
    jumps = [stage.do(Verb.STEP, float(dice.randrange(CUES))) for _ in range(60)]
    _row("a jump to any cue: its frame", [b for _, b in jumps], 1000 * PERIOD)

    frames = []
    for _ in range(200):
        stage.now += PERIOD
        frames.append(timed(lambda: render(stage.compiled, stage.state, stage.now)))
    _row("a frame in a fade of cues", frames, 1000 * PERIOD)
    _row("one cue edited, told and compiled", [_edit(stage, n) for n in range(30)], 20)
    compiled = CompiledShow(show, stage.compiled.rig)
    compiled.sources.update(stage.compiled.sources)
    stack = show.playables["k"]
    assert isinstance(stack, Stack)
    _row("the whole check", [timed(lambda: check(compiled, stack))], 1000)
    _shown(show)
    print(f"a loop beside it: {1000 * reference():.0f} ms")


def _go(stage: Stage) -> tuple[float, float]:
    stage.now += 1.3
    return stage.do(Verb.GO)


def _go_at_rest(stage: Stage) -> tuple[float, float]:
    """All fades are over, and the engine has had a moment."""
    stage.now += 60.0
    stage.state = housekeeping.prune(stage.state, stage.now)
    player = next(p for p in stage.state.players if p.ref == STACK)
    place = running.stack_of(stage.show, player).place_of(player.steps[-1].cursor.cue)  # type: ignore[union-attr]
    if place is None or place > CUES - 3:
        stage.do(Verb.STEP, 0.0)
    stage.ahead.foresee()
    return stage.do(Verb.GO)


def _edit(stage: Stage, n: int) -> float:
    """An edit of one cue: told as a difference, taken, compiled, gone over to."""
    stack = stage.show.playables["k"]
    assert isinstance(stack, Stack)
    player = next(p for p in stage.state.players if p.ref == STACK)
    cursor = running.cursor_of(player)
    assert cursor is not None
    place = stack.place_of(cursor.cue) or 0
    plays = (Part(Ref("scene", f"s{n % 60}")), *stack.cues[place].plays[:1])
    changed = edits.replace(stack.cues[place], plays=plays)
    cues = (*stack.cues[:place], changed, *stack.cues[place + 1 :])
    after = edits.put(stage.show, "playables", edits.replace(stack, cues=cues))

    def tell() -> None:
        told = apply(stage.show, difference(stage.show, after))
        before = stage.compiled
        stage.compiled = stage.ahead.adopt(told)
        stage.state = motion.carried(before, stage.compiled, stage.state, stage.now)
        stage.show = told

    return timed(tell)


def _shown(show: Show) -> None:
    """The list in a window, gone to from an empty stack."""
    with room() as place:
        empty = edits.put(show, "playables", Stack(id="none", name="None"))
        showfile.write(place.path, edits.replace(empty, outputs={}))
        window = shown_window(place)
        window.go("score")
        hand = window.score.hand

        def look() -> None:
            hand.open("k")
            window.score.table.grab()

        times = []
        for _ in range(8):
            hand.open("none")
            window.score.table.grab()
            times.append(timed(look))

        _row("the list shown", times[1:], 100)
        window.finish(stop=True, fade=0.0)
        window.close()
