"""What journeys through motion have in common."""

from __future__ import annotations

from PySide6.QtCore import Qt

from tests.journeys.conftest import pick


def motion_of(hands):
    """Compose, with the tab Motion open on those chosen."""
    place = hands.place("compose")
    hands.click(place.what.tabs["Motion"])
    return place, place.what.motion_panel


def chip(hands, chips, name: str) -> None:
    """Press a chip by its name."""
    place = [c.name for c in chips.chips.chips].index(name)
    hands.click(chips, chips.rect_at(place).center())


def drafted(hands):
    return hands.parts.engine.state.draft


def new_chase(hands, place, text: str) -> None:
    pick(hands, lambda: hands.click(place.shelf.chase), text)


def chase_of_four(hands):
    place = hands.place("compose")
    strip = place.shelf.strip
    for n, scene in enumerate(
        ("slack-water", "mudlight", "the-groynes", "spring-tide")
    ):
        index = strip.cards.index_of(scene)
        keys = Qt.KeyboardModifier.ControlModifier
        held = {"keys": keys} if n else {}
        hands.click(strip, strip.visualRect(index).center(), **held)
    new_chase(hands, place, "Chase of the 4 chosen scenes")
    hands.until(place.steps.isVisible)
    return place, place.steps
