"""An evening of six hours and 50,000 acts: what it takes on disk, and how soon any
moment of it is shown.
"""

from __future__ import annotations

import random
import statistics
import time

from bench.room import room
from choreon.demo.low_tide import low_tide
from choreon.engine import actions
from choreon.engine.actions import housekeeping
from choreon.engine.do import Do
from choreon.engine.evening.book import Evening
from choreon.engine.evening.log import EveningLog, Moment, Writer
from choreon.model import edits
from choreon.model.verbs import Verb
from choreon.render.compiled import compile_show
from choreon.render.compositor import render

HOURS, ACTS, EDITS, LOOKS = 6.0, 50_000, 200, 30
VERBS = (Verb.START, Verb.START, Verb.RELEASE, Verb.PAUSE, Verb.GO)


def main() -> None:
    """Print it."""
    with room():
        _main()


def _main() -> None:
    dice, now = random.Random(1), [1000.0]
    show, state = low_tide(), housekeeping.blank()
    writer = Writer(lambda: now[0], lambda: 1_900_000_000.0 + now[0])
    waiting: list[Moment] = []
    log = EveningLog()
    log._put = lambda moment: (setattr(log, "_last", moment), waiting.append(moment))  # type: ignore[method-assign, func-returns-value, assignment]
    things = [p.ref for p in show.playables.values()]
    begun, noting, writing = time.perf_counter(), 0.0, 0.0
    for n in range(ACTS):
        now[0] += HOURS * 3600.0 / ACTS
        if n % (ACTS // EDITS) == 0:
            scene = next(p for p in show.playables.values() if p.kind == "scene")
            show = edits.change(show, scene.ref, fade_in=1.0 + n / ACTS)
        do = Do(dice.choice(things), dice.choice(VERBS), 1.0)
        state = actions.perform(show, state, do, now[0])
        state = housekeeping.prune(state, now[0])
        if len(state.players) > 12:
            state = edits.replace(state, players=state.players[-6:])
        at = time.perf_counter()
        log.note(show, state, now[0])
        noting += time.perf_counter() - at
        if len(waiting) >= 50:
            at = time.perf_counter()
            writer.write(waiting)
            writing += time.perf_counter() - at
            waiting.clear()
    writer.write(waiting)
    whole = time.perf_counter() - begun
    assert writer.path is not None
    size = writer.path.stat().st_size / 1e6
    print(
        f"an evening of {HOURS:.0f} h, {ACTS} acts, {EDITS} edits: {size:.1f} MB "
        f"(goal 20); a frame's part {1e6 * noting / ACTS:.0f} µs, the thread's "
        f"{1e6 * writing / ACTS:.0f} µs an act ({whole:.0f} s in all)"
    )
    _read(writer, dice)


def _read(writer: Writer, dice: random.Random) -> None:
    assert writer.path is not None
    at = time.perf_counter()
    evening = Evening(writer.path)
    opened = time.perf_counter() - at
    at = time.perf_counter()
    bars = len(evening.stretches())
    listed = time.perf_counter() - at
    compiled = None
    found = []
    for _ in range(LOOKS):
        moment = dice.uniform(evening.begin, evening.end)
        at = time.perf_counter()
        then = evening.at(moment)
        if compiled is None or compiled.show is not then.show:
            compiled = compile_show(then.show)
        render(compiled, then.state, then.at)
        found.append(time.perf_counter() - at)
    print(
        f"opened in {opened:.2f} s, {bars} bars in {listed:.2f} s; any moment in "
        f"{1000 * statistics.median(found):.0f} ms, worst {1000 * max(found):.0f} "
        "(goal 500)"
    )
