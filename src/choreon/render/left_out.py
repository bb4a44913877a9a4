"""What cannot be compiled is left out, and named, so that the rest plays."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from typing import TypeVar

from choreon.model.fixture_type import FixtureType
from choreon.model.show import Fixture
from choreon.render.rig import Rig, compile_rig

log = logging.getLogger(__name__)

Thing = TypeVar("Thing")


def compile_most(
    types: Mapping[str, FixtureType],
    fixtures: Mapping[str, Fixture],
    others: frozenset[int] = frozenset(),
) -> tuple[Rig, dict[str, str]]:
    """Compile all fixtures that can be. Returns the rig, and for each fixture that was
    left out why, in words. `others`: universes that are sent without any.
    """
    try:
        return compile_rig(types, fixtures, others), {}
    except Exception:
        log.exception("the rig cannot be compiled as it is")

    why: dict[str, str] = {}

    def works(some: Sequence[str]) -> bool:
        try:
            compile_rig(types, {i: fixtures[i] for i in some})
        except Exception as error:
            for i in some:
                why[i] = f"{type(error).__name__}: {error}"

            return False

        return True

    good = most(list(fixtures), works)
    rig = compile_rig(types, {i: fixtures[i] for i in good}, others)
    return rig, {i: why.get(i, "") for i in fixtures if i not in set(good)}


def most(
    things: Sequence[Thing], works: Callable[[Sequence[Thing]], bool]
) -> list[Thing]:
    """Returns as many of the things, in their order, as work together. `works` says of
    some of them whether they do; none at all always do.
    """
    if not things or works(things):
        return list(things)
    if len(things) == 1:
        return []

    half = len(things) // 2
    first, second = most(things[:half], works), most(things[half:], works)
    if not first or not second or works([*first, *second]):
        return [*first, *second]

    good = list(first)
    for one in second:  # each works, but not beside the others
        if works([*good, one]):
            good.append(one)

    return good
