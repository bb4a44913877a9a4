"""Tiles as they are seen and played: a registry entry a kind."""

from __future__ import annotations

from choreon.ui.tiles.base import TileWidget, named
from choreon.ui.tiles.cues import CueWidget
from choreon.ui.tiles.dial import DialTile
from choreon.ui.tiles.lamps import AimWidget, AsideWidget, ColourWidget
from choreon.ui.tiles.others import (
    ClockWidget,
    DeedWidget,
    LabelWidget,
    MasterWidget,
    TempoWidget,
    UnknownWidget,
)
from choreon.ui.tiles.playing import ChoiceTile, FaderTile, FlashTile, PadTile

WIDGETS: dict[str, type[TileWidget]] = {
    "pad": PadTile,
    "flash": FlashTile,
    "fader": FaderTile,
    "choice": ChoiceTile,
    "dial": DialTile,
    "colour": ColourWidget,
    "aim": AimWidget,
    "aside": AsideWidget,
    "master": MasterWidget,
    "tempo": TempoWidget,
    "clock": ClockWidget,
    "label": LabelWidget,
    "deed": DeedWidget,
    "cue": CueWidget,
    "unknown": UnknownWidget,
}
"""Kind of tile → its widget."""

__all__ = ["WIDGETS", "TileWidget", "named"]
