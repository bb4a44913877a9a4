"""Format 2 had no links, palettes, marks and pictures; nothing in it has to change."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from choreon.model.fixture_type import FixtureType


def migrate(show: dict[str, Any], types: Mapping[str, FixtureType]) -> dict[str, Any]:
    """Returns the show in format 3."""
    return show
