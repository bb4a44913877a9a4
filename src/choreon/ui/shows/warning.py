"""What another show means for the light."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel

from choreon.language import tr
from choreon.ui.widgets import basics


def goes_out(on_stage: str) -> QLabel:
    """A line that says whose light goes out when another show is opened; hidden where
    nothing is on. `on_stage`: the name of the show that plays, or nothing.
    """
    said = (
        tr("{show} is on stage: its light goes out.", show=on_stage) if on_stage else ""
    )
    made = basics.label(said, "alarm", wrap=True)
    if not on_stage:
        made.hide()
    return made
