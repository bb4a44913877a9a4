"""What a show file holds of kinds that this Choreon does not know: taken in whole, and
written again as it was, but for what was changed of it here (its name, its place).
"""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Container
from typing import Any

import msgspec

from choreon.model.inputs import INPUTS, UnknownInput
from choreon.model.motion import MOTIONS, UnknownMotion
from choreon.model.outputs import OUTPUTS, UnknownOutput
from choreon.model.playables import KINDS, Playable, Unknown, kind_of
from choreon.model.refs import Ref
from choreon.model.show import Palette
from choreon.model.tiles import TILES, Page, UnknownTile

AnyUnknown = Unknown | UnknownInput | UnknownOutput | UnknownTile

COLLECTIONS: dict[str, tuple[Container[str], type[AnyUnknown]]] = {
    "playables": (KINDS, Unknown),
    "inputs": (INPUTS, UnknownInput),
    "outputs": (OUTPUTS, UnknownOutput),
}
"""Collection → the kinds that are known, and what one of another is kept as."""

WHOLE = ("look", "values", "each", "stored")  # are not looked through for motions


# in


def taken_in(document: dict[str, Any]) -> dict[str, Any]:
    """Returns a show as it is stored, with what is of no known kind in the one field
    that keeps it. What is not as it should be is left for the reader to refuse.
    """
    made = {**document}
    for name, (kinds, kept_as) in COLLECTIONS.items():
        made[name] = _each(document.get(name, {}), _Taker(kinds, kept_as))

    made["pages"] = _each(document.get("pages", {}), _page)
    for name in ("playables", "palettes"):
        made[name] = _each(made.get(name, {}), lambda _, thing: _motions(thing))

    return made


class _Taker:
    """Takes in things of one sort."""

    def __init__(self, kinds: Container[str], kept_as: type[AnyUnknown]) -> None:
        self.kinds, self.kept_as = kinds, kept_as

    def __call__(self, thing_id: str, thing: Any) -> Any:
        if not isinstance(thing, dict) or thing.get("kind") in self.kinds:
            return thing
        return msgspec.to_builtins(_kept(self.kept_as, thing_id, thing))


def _each(things: Any, make: Callable[[str, Any], Any]) -> Any:
    if not isinstance(things, dict):
        return things
    return {i: make(i, thing) for i, thing in things.items()}


def _kept(kept_as: type[AnyUnknown], thing_id: str, stored: dict[str, Any]) -> Any:
    """A thing as it is kept: what all of its sort have is read of it, as far as it
    fits.
    """
    fields: dict[str, Any] = {"id": thing_id}
    if kept_as is Unknown:
        fields["name"] = thing_id
    elif kept_as is UnknownInput:
        fields["target"] = Ref("", "")

    for field in msgspec.structs.fields(kept_as.__mro__[1]):
        if field.name in stored and field.name != "id":
            with contextlib.suppress(msgspec.ValidationError):
                value = msgspec.convert(stored[field.name], field.type)
                fields[field.name] = value

    return kept_as(**fields, stored=stored)


def _page(_: str, page: Any) -> Any:
    tiles = page.get("tiles") if isinstance(page, dict) else None
    if not isinstance(tiles, list):
        return page

    take = _Taker(TILES, UnknownTile)
    taken = [
        take(str(tile.get("id", "")) if isinstance(tile, dict) else "", tile)
        for tile in tiles
    ]
    return {**page, "tiles": taken}


def _motions(thing: Any) -> Any:
    if isinstance(thing, list):
        return [_motions(part) for part in thing]
    if not isinstance(thing, dict):
        return thing

    made = {
        key: part if key in WHOLE else _motions(part) for key, part in thing.items()
    }
    motion = thing.get("motion")
    if isinstance(motion, dict) and motion.get("kind") not in MOTIONS:
        made["motion"] = {"kind": UnknownMotion.kind, "stored": motion}
    return made


# out


def given_back(thing: object) -> object:
    """Returns a thing of the show as it is to be written: the same object where all of
    it is known.
    """
    if isinstance(thing, AnyUnknown):
        return _again(thing)
    if isinstance(thing, Page):
        return _page_back(thing)
    if isinstance(thing, Palette) and isinstance(thing.motion, UnknownMotion):
        return _motions_back(msgspec.to_builtins(thing))

    if isinstance(thing, Playable):
        effects = kind_of(thing).effects(thing)
        if any(isinstance(effect.motion, UnknownMotion) for effect in effects):
            return _motions_back(msgspec.to_builtins(thing))

    return thing


def _again(thing: AnyUnknown) -> dict[str, Any]:
    """What was stored, with what is not as it was read."""
    read: Any = _kept(type(thing), thing.id, thing.stored)
    changed = {
        name: msgspec.to_builtins(getattr(thing, name))
        for name in thing.__struct_fields__
        if getattr(thing, name) != getattr(read, name)
    }
    if "id" in thing.stored:
        changed["id"] = thing.id  # a copy has another
    return {**thing.stored, **changed}


def _page_back(page: Page) -> object:
    if not any(isinstance(tile, UnknownTile) for tile in page.tiles):
        return page

    tiles = [
        _again(tile) if isinstance(tile, UnknownTile) else msgspec.to_builtins(tile)
        for tile in page.tiles
    ]
    return {**msgspec.to_builtins(page), "tiles": tiles}


def _motions_back(thing: Any) -> Any:
    if isinstance(thing, list | tuple):
        return [_motions_back(part) for part in thing]
    if not isinstance(thing, dict):
        return thing
    if thing.get("kind") == UnknownMotion.kind:
        return thing.get("stored", {})
    return {key: _motions_back(part) for key, part in thing.items()}
