"""Format 4 knew no effects, no chases and no tempo. All it holds stays as it is; the
tempo is put beside its masters.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from choreon.model.fixture_type import FixtureType

TEMPO = {"kind": "tempo", "id": "tempo", "name": "Tempo"}


def migrate(show: dict[str, Any], types: Mapping[str, FixtureType]) -> dict[str, Any]:
    """Returns the show in format 5."""
    masters = show.get("masters")
    if not isinstance(masters, dict):
        return show
    return {**show, "masters": {**masters, "tempo": TEMPO}}
