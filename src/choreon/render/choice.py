"""A choice of fixtures or of their cells, in its order, and the looks that give it
values.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from choreon.model.values import Look, Value
from choreon.render.rig import Rig

Item = tuple[str, int]
"""A fixture, and the cell that is meant (from 1); 0 is the whole of it."""


def items(
    rig: Rig, chosen: Sequence[str], cells: Mapping[str, Sequence[int]], each: bool
) -> list[Item]:
    """The choice one by one. `cells`: those chosen of fixtures that are not chosen
    wholly; `each`: go cell by cell.
    """
    found: list[Item] = []
    for fixture in chosen:
        count = cell_count(rig, fixture) if each or fixture in cells else 0
        own = [c for c in cells.get(fixture, ()) if c <= count]
        if own:
            found += [(fixture, c) for c in own]
        elif each and count:
            found += [(fixture, c) for c in range(1, count + 1)]
        else:
            found.append((fixture, 0))

    return found


def cell_count(rig: Rig, fixture: str) -> int:
    """How many cells a fixture has that something can be given to; 0 where it
    is one.
    """
    return max(
        (c for places in rig.where.get(fixture, {}).values() for c, _ in places),
        default=0,
    )


def rows(rig: Rig, chosen: Sequence[Item], name: str) -> list[int]:
    """The rows of an attribute that a choice means."""
    found: list[int] = []
    for fixture, cell in chosen:
        places = rig.where.get(fixture, {}).get(name, ())
        own = [row for c, row in places if not cell or c == cell]
        found += own or [row for c, row in places if c == 0]
    return list(dict.fromkeys(found))


def give(
    rig: Rig, chosen: Sequence[Item], values: Mapping[str, Sequence[Value]]
) -> Look:
    """Returns a look that gives each of a choice its value: attribute → one value for
    each of them.

    Cells that are not of the choice are left alone. What only the whole fixture has is
    given to it: the last of its cells decides. Fixtures that do not take an attribute
    are passed over.
    """
    look: Look = {}
    for name, each in values.items():
        for (fixture, cell), value in zip(chosen, each, strict=True):
            if not rig.takes(fixture, name):
                continue

            own = look.setdefault(fixture, {})
            places = rig.where.get(fixture, {}).get(name, ())
            last = max((own_cell for own_cell, _ in places), default=0)

            if cell and last and not isinstance(value, str):
                own[name] = _with_cell(own.get(name), cell, last, value)
            else:
                own[name] = value

    return {
        fixture: {name: _plainer(value) for name, value in own.items()}
        for fixture, own in look.items()
        if own
    }


def _with_cell(
    held: Value | None, cell: int, last: int, value: float | tuple[float | None, ...]
) -> Value:
    """What is held for cells 1 to `last`, with another value for one of them."""
    cells: list[float | None] = [None] * last
    if isinstance(held, tuple):
        cells = list(held)
    if not isinstance(value, tuple):
        cells[cell - 1] = value
    else:
        cells[cell - 1] = value[min(cell, len(value)) - 1] if value else None
    return tuple(cells)


def _plainer(value: Value) -> Value:
    """One value where all cells are given the same."""
    if (
        isinstance(value, tuple)
        and value
        and value[0] is not None
        and all(v == value[0] for v in value)
    ):
        return value[0]
    return value


def same(chosen: Sequence[Item], value: Value) -> list[Value]:
    """The same value for all of a choice."""
    return [value] * len(chosen)
