"""The window's entries of the made-up kinds: one each."""

from __future__ import annotations

from choreon.ui import kinds, tiles
from choreon.ui.compose import motion_fields
from choreon.ui.compose.motion_fields import Number
from choreon.ui.kinds.base import UiKind
from choreon.ui.rig import output_fields
from choreon.ui.rig.output_fields import OutputForm, RateField, UniversesField
from choreon.ui.tiles.playing import PadTile

kinds.KINDS["beacon"] = UiKind(
    "Beacon",
    "sun",
    look=lambda beacon: {},
    about=lambda show, beacon: f"{beacon.turns} turns",
    tail=lambda beacon: "swells",
    takes=False,
    moves=lambda beacon: True,
)
motion_fields.FORMS["swell"] = (Number("top", "Top", 0, 100, "%", 0, 100.0),)
tiles.WIDGETS["bell"] = PadTile
output_fields.FORMS["ledger"] = OutputForm((UniversesField, RateField), added="Ledger")
