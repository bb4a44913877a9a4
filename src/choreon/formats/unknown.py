"""What a show file holds of kinds that this Choreon does not know: taken in whole, and
written again as it was.
"""

from __future__ import annotations

from collections.abc import Callable, Container
from functools import partial
from typing import Any

import msgspec

from choreon.model.inputs import INPUTS
from choreon.model.motion import MOTIONS, UnknownMotion
from choreon.model.outputs import OUTPUTS
from choreon.model.playables import KINDS, Playable, kind_of
from choreon.model.show import Palette
from choreon.model.tiles import TILES, Page, Tile, UnknownTile

UNKNOWN = "unknown"  # the kind of all of them
COLLECTIONS: dict[str, Container[str]] = {
    "playables": KINDS,
    "inputs": INPUTS,
    "outputs": OUTPUTS,
}
WHOLE = ("look", "values", "each", "stored")  # are not looked through for motions
NOTHING = {"kind": "", "id": ""}  # a ref to nothing


def taken_in(document: dict[str, Any]) -> dict[str, Any]:
    """Returns a show as it is stored, with what is of no known kind in the one field
    that keeps it. What is not as it should be is left for the reader to refuse.
    """
    made = {**document}
    for name, kinds in COLLECTIONS.items():
        made[name] = _each(document.get(name, {}), partial(_thing, kinds=kinds))

    made["pages"] = _each(document.get("pages", {}), _page)
    for name in ("playables", "palettes"):
        made[name] = _each(made.get(name, {}), lambda _, thing: _motions(thing))

    return made


def _each(things: Any, make: Callable[[str, Any], Any]) -> Any:
    if not isinstance(things, dict):
        return things
    return {i: make(i, thing) for i, thing in things.items()}


def _is_unknown(thing: Any, kinds: Container[str]) -> bool:
    return isinstance(thing, dict) and thing.get("kind") not in kinds


def _thing(thing_id: str, thing: Any, *, kinds: Container[str]) -> Any:
    if not _is_unknown(thing, kinds):
        return thing

    made = {"kind": UNKNOWN, "id": thing_id, "stored": thing}
    if kinds is INPUTS:
        target = thing.get("target")
        is_ref = isinstance(target, dict) and target.keys() == NOTHING.keys()
        return {**made, "target": target if is_ref else NOTHING}
    return {**made, "name": str(thing.get("name", thing_id))}


def _page(_: str, page: Any) -> Any:
    tiles = page.get("tiles") if isinstance(page, dict) else None
    if not isinstance(tiles, list):
        return page
    return {**page, "tiles": [_tile(tile) for tile in tiles]}


def _tile(tile: Any) -> Any:
    """A tile lies where it did, under its name, whatever it is."""
    if not _is_unknown(tile, TILES):
        return tile
    common = {key: tile[key] for key in Tile.__struct_fields__ if key in tile}
    return {**common, "kind": UNKNOWN, "stored": tile}


def _motions(thing: Any) -> Any:
    if isinstance(thing, list):
        return [_motions(part) for part in thing]
    if not isinstance(thing, dict):
        return thing

    made = {
        key: part if key in WHOLE else _motions(part) for key, part in thing.items()
    }
    if _is_unknown(made.get("motion"), MOTIONS):
        made["motion"] = {"kind": UNKNOWN, "stored": thing["motion"]}
    return made


def given_back(thing: object) -> object:
    """Returns a thing of the show as it is to be written: the same object where all of
    it is known.
    """
    return _opened(msgspec.to_builtins(thing)) if _holds_unknown(thing) else thing


def _holds_unknown(thing: object) -> bool:
    if getattr(thing, "kind", "") == UNKNOWN:
        return True
    if isinstance(thing, Page):
        return any(isinstance(tile, UnknownTile) for tile in thing.tiles)
    if isinstance(thing, Palette):
        return isinstance(thing.motion, UnknownMotion)
    if isinstance(thing, Playable):
        effects = kind_of(thing).effects(thing)
        return any(isinstance(effect.motion, UnknownMotion) for effect in effects)
    return False


def _opened(thing: Any) -> Any:
    """What was kept takes its place again; what this Choreon changed of it (its name,
    where it lies) goes before that.
    """
    if isinstance(thing, list | tuple):
        return [_opened(part) for part in thing]
    if not isinstance(thing, dict):
        return thing
    if thing.get("kind") != UNKNOWN:
        return {key: _opened(part) for key, part in thing.items()}

    now = {key: part for key, part in thing.items() if key not in ("kind", "stored")}
    stored = thing.get("stored", {})
    if now.get("target") == NOTHING:
        del now["target"]

    if "name" in now and "name" not in stored and now["name"] == now.get("id"):
        del now["name"]

    return {**stored, **now}
