"""Tiles: the controls on a page."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from choreon.model.refs import Ref, to_tile


class Tile(
    msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, tag_field="kind"
):
    """A control that plays something. `name` empty: it is called after that."""

    kind: ClassVar[str] = ""

    id: str
    plays: Ref
    name: str = ""

    @property
    def ref(self) -> Ref:
        """Points at this tile."""
        return to_tile(self.id)


class Pad(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="pad"):
    """On and off. Pads that name the same `choice` exclude each other and crossfade."""

    kind: ClassVar[str] = "pad"

    choice: str = ""


class Fader(Tile, frozen=True, kw_only=True, omit_defaults=True, tag="fader"):
    """Brings something in by hand."""

    kind: ClassVar[str] = "fader"


AnyTile = Pad | Fader

TILES: dict[str, type[Pad] | type[Fader]] = {t.kind: t for t in (Pad, Fader)}


class Page(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Tiles that are played together, in reading order."""

    id: str
    name: str
    tiles: tuple[AnyTile, ...] = ()
