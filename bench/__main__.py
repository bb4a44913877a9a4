"""`python -m bench [NAME …]`: print the measures."""

from __future__ import annotations

import sys
from collections.abc import Callable

from bench import (
    cadence,
    canvases,
    compose,
    cues,
    dark,
    evening,
    frames,
    lives,
    motion,
    mutated,
    pages,
    presses,
    rig,
    rig_page,
    sound,
    stage,
    surfaces,
    timelines,
    walks,
    window,
)

BENCHES = {
    "frames": frames.main,
    "cadence": cadence.main,
    "lives": lives.main,
    "presses": presses.main,
    "stage": stage.main,
    "rig": rig.main,
    "compose": compose.main,
    "motion": motion.main,
    "pages": pages.main,
    "rig-page": rig_page.main,
    "cues": cues.main,
    "surfaces": surfaces.main,
    "timelines": timelines.main,
    "sound": sound.main,
    "evening": evening.main,
    "canvases": canvases.main,
    "dark": dark.main,
    "window": window.main,
}
# only when asked for; a number after the name says how long, or how many
LONG = {
    "walks": walks.main,
    "mutated": mutated.main,
    "kills": dark.kills,
    "soak": dark.soak,
}


def _is_number(word: str) -> bool:
    return word.replace(".", "", 1).isdigit()


def main() -> int:
    names = sys.argv[1:] or list(BENCHES)
    known: dict[str, Callable[..., None]] = {**BENCHES, **LONG}
    for i, name in enumerate(names):
        if _is_number(name):
            continue
        if name not in known:
            print(
                f"There is no bench “{name}”; there are {', '.join(known)}.",
                file=sys.stderr,
            )
            return 2
        print(f"— {name}")
        numbers = [float(n) for n in names[i + 1 : i + 2] if _is_number(n)]
        known[name](*numbers)
    return 0


if __name__ == "__main__":
    sys.exit(main())
