"""Format 3 knew scenes as the only thing that plays; tiles, controls and outputs said
by a field what kind they are.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from choreon.model.fixture_type import FixtureType

Thing = dict[str, Any]


def migrate(show: Thing, types: Mapping[str, FixtureType]) -> Thing:
    """Returns the show in format 4."""
    made = dict(show)
    scenes = made.pop("scenes", {})
    mappings = made.pop("mappings", {})
    made["playables"] = {i: {"kind": "scene", **scene} for i, scene in scenes.items()}
    made["inputs"] = {i: _input(mapping) for i, mapping in mappings.items()}
    made["pages"] = {i: _page(page) for i, page in show.get("pages", {}).items()}
    outputs = show.get("outputs", {})
    made["outputs"] = {i: _output(output) for i, output in outputs.items()}
    return made


def _page(page: Thing) -> Thing:
    return {**page, "tiles": [_tile(tile) for tile in page.get("tiles", [])]}


def _tile(tile: Thing) -> Thing:
    made = dict(tile)
    made["plays"] = {"kind": "scene", "id": made.pop("scene", "")}
    if made.get("kind") == "fader":
        made.pop("choice", None)  # it never had an effect there
    return made


def _input(mapping: Thing) -> Thing:
    made = dict(mapping)
    made["message"] = made.pop("kind", "cc")
    made["kind"] = "midi"
    kind, colon, thing_id = made.get("target", "").partition(":")
    known = {"kind": kind, "id": thing_id} if colon else {"kind": "master", "id": kind}
    made["target"] = known
    return made


def _output(output: Thing) -> Thing:
    made = dict(output)
    made["kind"] = made.pop("protocol", "sacn")
    if made["kind"] == "artnet":
        made.pop("priority", None)
        made["sync"] = bool(made.get("sync", 0))
    return made
