"""The fixture types that ship with Choreon: one JSON file a type in types/."""

from __future__ import annotations

from functools import cache
from importlib.resources import files

import msgspec

from choreon.model.fixture_type import FixtureType


@cache
def library() -> dict[str, FixtureType]:
    """Every shipped type by id, sorted by maker and name. Raises msgspec.ValidationError naming file and path."""
    found = []
    for file in files(__name__).joinpath("types").iterdir():
        if file.name.endswith(".json"):
            try:
                found.append(msgspec.json.decode(file.read_bytes(), type=FixtureType))
            except msgspec.ValidationError as error:
                raise msgspec.ValidationError(f"{file.name}: {error}") from None
    return {kind.id: kind for kind in sorted(found, key=lambda t: (t.maker != "Generic", t.maker, t.name))}
