"""`python -m bench [NAME …]`: print the measures."""

from __future__ import annotations

import sys

from bench import (
    cadence,
    compose,
    frames,
    lives,
    motion,
    pages,
    presses,
    rig,
    stage,
    walks,
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
}
LONG = {"walks": walks.main}  # only when asked for


def main() -> int:
    names = sys.argv[1:] or list(BENCHES)
    for name in names:
        known = BENCHES | LONG
        if name not in known:
            print(
                f"There is no bench “{name}”; there are {', '.join(known)}.",
                file=sys.stderr,
            )
            return 2
        print(f"— {name}")
        known[name]()
    return 0


if __name__ == "__main__":
    sys.exit(main())
