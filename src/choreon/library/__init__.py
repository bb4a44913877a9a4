"""The fixture types that ship with Choreon: generic ones, and those of the sample
show's makers.
"""

from __future__ import annotations

from functools import cache

from choreon.library import bars, dimmers, effects, heads, pars
from choreon.model.fixture_type import FixtureType


@cache
def library() -> dict[str, FixtureType]:
    """Every shipped type by id, sorted by maker and name, the generic ones first."""
    found = [kind for shelf in (dimmers, pars, bars, heads, effects) for kind in shelf.types()]
    return {kind.id: kind for kind in sorted(found, key=lambda t: (t.maker != "Generic", t.maker, t.name))}
