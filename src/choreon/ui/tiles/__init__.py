"""Tiles as they are seen and played: a registry entry a kind."""

from __future__ import annotations

from choreon.model.tiles import TILES
from choreon.ui.tiles.base import TileWidget, named
from choreon.ui.tiles.dial import DialTile
from choreon.ui.tiles.lamps import AimTile, AsideTile, ColourTile
from choreon.ui.tiles.others import (
    ClockTile,
    DeedTile,
    LabelTile,
    MasterTile,
    TempoTile,
)
from choreon.ui.tiles.playing import ChoiceTile, FaderTile, FlashTile, PadTile

WIDGETS: dict[str, type[TileWidget]] = {
    "pad": PadTile,
    "flash": FlashTile,
    "fader": FaderTile,
    "choice": ChoiceTile,
    "dial": DialTile,
    "colour": ColourTile,
    "aim": AimTile,
    "aside": AsideTile,
    "master": MasterTile,
    "tempo": TempoTile,
    "clock": ClockTile,
    "label": LabelTile,
    "deed": DeedTile,
}
"""Kind of tile → its widget."""

assert set(WIDGETS) == set(TILES)

__all__ = ["WIDGETS", "TileWidget", "named"]
