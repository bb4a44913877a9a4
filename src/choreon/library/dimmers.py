"""Dimmers and packs, and the lamps that hang on them."""

from __future__ import annotations

from typing import Any

from choreon.library.parts import (
    DIMMER,
    channel,
    fixture,
    in_cells,
    in_line,
    line,
    mode,
    point,
)
from choreon.model.fixture_type import FixtureType, Mode, Use


def _pack(count: int) -> FixtureType:
    """Hung one lamp an output, or as one fixture with a cell for each output."""
    modes = [mode("One output", "dimmer")]
    if count > 1:
        words = {4: "Four", 6: "Six", 12: "Twelve"}[count]
        modes.append(mode(f"{words} outputs", in_cells("dimmer", count), in_line(count, 0.3 * count)))
    fields: dict[str, Any] = {"beam": 24.0, "body": "profile", "lamp": "tungsten"}
    return fixture("Holmwick", f"{count}-way pack", "dimmer", [DIMMER], modes, id=f"holmwick-{count}-way", **fields)


def _lamp(name: str, beam: float, body: str) -> FixtureType:
    modes = [mode("1 channel", "dimmer"), Mode(name="2 channel, fine", uses=(Use("dimmer", (1, 2)),))]
    return fixture("Generic", name, "dimmer", [DIMMER], modes, beam=beam, body=body, lamp="tungsten")


def types() -> list[FixtureType]:
    """Dimmers."""
    switch = channel("switch", "Switch", point("Dimmer", 0, 0, 127, "Off"), point("Dimmer", 1, 128, 255, "On"))
    curve = channel(
        "curve", "Curve", point("DimmerCurve", 0, 0, 63, "Linear"), point("DimmerCurve", 1, 64, 127, "Square"),
        point("DimmerCurve", 2, 128, 255, "Switched"),
    )  # fmt: skip

    preheat = channel("preheat", "Preheat", line("DimmerMode", 0, 1), rest=True)
    return [
        fixture("Generic", "Dimmer", "dimmer", [DIMMER], [mode("1 channel", "dimmer")], beam=30, body="fresnel",
                lamp="tungsten"),
        _lamp("Fresnel", 35, "fresnel"),
        _lamp("Profile", 24, "profile"),
        _lamp("Par can", 20, "par"),
        _lamp("Flood", 90, "flood"),
        fixture("Generic", "Switch", "dimmer", [switch], [mode("1 channel", "switch")], beam=0, body="pack"),
        _pack(1), _pack(4), _pack(6), _pack(12),
        fixture("Holmwick", "Profile LED", "profile", [DIMMER, curve, preheat],
                [mode("1 channel", "dimmer"), mode("2 channel, fine", "dimmer dimmer+"),
                 mode("4 channel", "dimmer dimmer+ curve preheat")],
                beam=26, body="profile", lamp="LED"),
    ]  # fmt: skip
