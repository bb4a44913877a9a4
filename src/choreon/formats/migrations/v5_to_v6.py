"""In format 5 a tile played one thing; now it plays several, each with a level."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from choreon.model.fixture_type import FixtureType


def migrate(show: dict[str, Any], types: Mapping[str, FixtureType]) -> dict[str, Any]:
    """Returns the show in format 6."""
    pages = show.get("pages")
    if not isinstance(pages, dict):
        return show
    return {**show, "pages": {i: _page(page) for i, page in pages.items()}}


def _page(page: Any) -> Any:
    if not isinstance(page, dict) or not isinstance(page.get("tiles"), list):
        return page
    return {**page, "tiles": [_tile(tile) for tile in page["tiles"]]}


def _tile(tile: Any) -> Any:
    if not isinstance(tile, dict) or not isinstance(tile.get("plays"), dict):
        return tile
    return {**tile, "plays": [{"ref": tile["plays"]}]}
