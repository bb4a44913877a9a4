"""Copying values from one fixture to others, across makes by what they mean."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

from choreon.model import attributes as at
from choreon.model.patch import mode_of
from choreon.model.show import Fixture, Show
from choreon.model.swap import carry
from choreon.model.values import Look, Value


def pasted(
    show: Show,
    source: str,
    values: dict[str, Value],
    targets: Sequence[str],
    takes: Callable[[str, str], bool],
    only: Collection[str] | None = None,
) -> Look:
    """Returns what `targets` get of a fixture's values: all of them, or those of some
    attributes.

    Slots of wheels go over by name, then by colour; what means nothing to the other
    make is left out. `takes` tells whether a fixture has an attribute.
    """
    wanted = {n: v for n, v in values.items() if only is None or n in only}
    look: Look = {}

    for target in targets:
        if target == source:
            continue

        given = _translated(show, show.fixtures[source], wanted, target)
        own = {name: value for name, value in given.items() if takes(target, name)}
        if own:
            look[target] = own

    return look


def _translated(
    show: Show, here: Fixture, values: dict[str, Value], target: str
) -> dict[str, Value]:
    """A fixture's values in the terms of another; none where its type is unknown."""
    there = show.fixtures.get(target)
    kind = show.types.get(there.type) if there else None
    if there is None or kind is None or mode_of(show.types, there) is None:
        return {}
    if (there.type, there.mode) == (here.type, here.mode):
        return values
    return carry(show, here.id, values, kind, there.mode)


def of_families(names: Collection[str], families: Collection[str]) -> list[str]:
    """Those of the attributes that belong to some families."""
    return [n for n in names if at.attribute(n).family in families]
