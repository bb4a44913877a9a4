"""No lit lamp jumps: random shows and random presses, looked at every few
milliseconds. The tests walk through some dozens, this through thousands.
"""

from __future__ import annotations

import random
import time

from tests.render import wander

WALKS = 2000
STEP = 0.004  # seconds from look to look
FIRST = 100_000  # seeds of their own
KINDS = (wander.Walk, wander.PlayedWalk, wander.GivenWalk, wander.PlayedWalk)


def main(walks: float = WALKS) -> None:
    begin = time.monotonic()
    worst = 0.0
    broken: list[str] = []
    for seed in range(FIRST, FIRST + int(walks)):
        walk = KINDS[seed % len(KINDS)]
        found = walk(random.Random(seed)).scan(STEP)
        worst = max(worst, found.step / found.allowed)
        if found.step > found.allowed:
            broken.append(f"  {seed}: {found.story}")
    minutes = (time.monotonic() - begin) / 60
    print(
        f"{walks:.0f} random shows and hands, every {1000 * STEP:.0f} ms: "
        f"{len(broken)} jump, the quickest value moves {worst:.2f} of what "
        f"its fades explain (goal ≤ 1; {minutes:.0f} min)"
    )
    print("\n".join(broken))
