"""What dark lamps that go ahead come to: right above home, below all that plays."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from choreon.render.pile import Pile
from choreon.render.rig import Flags, Floats, Ints, Rig
from choreon.render.state import PlayState, Ready

if TYPE_CHECKING:
    from choreon.render.compiled import CompiledShow


class ReadyRows(NamedTuple):
    """Rows (n) that go ahead, from where (n) to where (n), and which of them snap."""

    rows: Ints
    before: Floats
    after: Floats
    snaps: Flags

    def at(self, now: float, ready: Ready) -> Floats:
        """Returns where each of the rows stands at a time (n)."""
        come = ready.ramp.at(now)
        gone = self.before + come * (self.after - self.before)
        jumped = self.after if come > 0.0 else self.before
        return np.where(self.snaps, jumped, gone)


def rows_of(rig: Rig, ready: Ready) -> ReadyRows:
    """Returns what goes ahead on a rig, as far as it is there."""
    rows, before, after = [], [], []
    for fixture, values in ready.after.items():
        for name, value in values.items():
            places = rig.where.get(fixture, {}).get(name, ())
            start = ready.before.get(fixture, {}).get(name, value)
            if isinstance(value, float | int) and isinstance(start, float | int):
                for _, row in places:
                    rows.append(row)
                    before.append(float(start))
                    after.append(float(value))

    made = np.array(rows, np.int64)
    return ReadyRows(made, np.array(before), np.array(after), made >= rig.snaps_from)


def lay_ready(
    pile: Pile, compiled: CompiledShow, given: Flags, state: PlayState, now: float
) -> None:
    """Lay what goes ahead on what stands; `given` (P): rows that are given there."""
    for ready in state.ready:
        going = compiled.ready_rows(ready)
        free = ~given[going.rows]
        if free.any():
            pile.values[going.rows[free]] = going.at(now, ready)[free]
