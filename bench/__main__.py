"""`python -m bench [NAME …]`: print the measures."""

from __future__ import annotations

import sys

from bench import cadence, compose, frames, lives, rig, stage

BENCHES = {
    "frames": frames.main,
    "cadence": cadence.main,
    "lives": lives.main,
    "stage": stage.main,
    "rig": rig.main,
    "compose": compose.main,
}


def main() -> int:
    names = sys.argv[1:] or list(BENCHES)
    for name in names:
        if name not in BENCHES:
            print(
                f"There is no bench “{name}”; there are {', '.join(BENCHES)}.",
                file=sys.stderr,
            )
            return 2
        print(f"— {name}")
        BENCHES[name]()
    return 0


if __name__ == "__main__":
    sys.exit(main())
