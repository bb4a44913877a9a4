"""LED pars and floods of two to six emitters."""

from __future__ import annotations

from choreon.library.parts import (
    DIMMER,
    channel,
    emitters,
    fixture,
    line,
    numbered,
    point,
    shutter,
    whole,
)
from choreon.model.fixture_type import Channel, FixtureType, Range


def program(name: str = "Program") -> Channel:
    """Built-in programs and a sound mode: never chosen but on purpose."""
    return channel(
        "program", name, point("NoFeature", 0, 0, 15, "None"),
        Range(start=16, end=223, attribute="Effects1", low=1, high=26, name="Built-in programs", private=True),
        Range(start=224, end=255, attribute="Effects1", low=27, high=27, name="By sound", private=True),
    )  # fmt: skip


SPEED = whole("program-speed", "Program speed", "Effects1Rate")
SLOW_FIRST = shutter((0, 9), (240, 255), (10, 239), (1, 20))
OPEN_FIRST = shutter((248, 255), (0, 7), (8, 247), (0.5, 18))


def _par(
    maker: str,
    name: str,
    lights: str,
    beam: float,
    slow: bool = True,
    id: str = "",
    body: str = "par",
    zoom: bool = False,
) -> FixtureType:
    """A par in its usual modes: all there is, without programs, colours only, three of
    them.
    """
    strobe = SLOW_FIRST if slow else OPEN_FIRST
    channels = [DIMMER, *emitters(*lights.split()), strobe, program(), SPEED]
    lines = [f"dimmer {lights} shutter program program-speed", f"dimmer {lights} shutter", lights]
    if zoom:
        channels.append(channel("zoom", "Zoom", line("Zoom", 8, 48), home=128))
        lines = [f"{entry} zoom" if "dimmer" in entry else entry for entry in lines]
        lines.insert(0, f"dimmer dimmer+ {lights} shutter zoom program program-speed")
    if len(lights.split()) > 3:
        lines.append("red green blue")
    modes = [numbered(entry) for entry in lines]
    return fixture(maker, name, "LED par", channels, modes, beam=beam, body=body, lamp="LED", id=id)


def types() -> list[FixtureType]:
    """Pars and floods."""
    flood = fixture(
        "Tarnby", "Flood 6", "LED par", [DIMMER, *emitters("red", "green", "blue", "white", "amber", "uv"), OPEN_FIRST],
        [numbered("dimmer shutter red green blue white amber uv"), numbered("red green blue white amber uv"),
         numbered("dimmer red green blue white amber uv"), numbered("red green blue")],
        beam=42, body="flood", lamp="LED",
    )  # fmt: skip

    white = fixture(
        "Tarnby", "White 2", "LED par", [DIMMER, *emitters("warm", "cold"), SLOW_FIRST],
        [numbered("dimmer warm cold shutter"), numbered("dimmer warm cold"), numbered("warm cold")],
        beam=36, body="fresnel", lamp="LED",
    )  # fmt: skip

    temperature = channel("cct", "Colour temperature", line("CTC", 2700, 6500), home=128)
    tunable = fixture(
        "Tarnby", "Fresnel TW", "LED par", [DIMMER, temperature, OPEN_FIRST,
         channel("zoom", "Zoom", line("Zoom", 15, 60), home=100)],
        [numbered("dimmer cct shutter zoom"), numbered("dimmer dimmer+ cct shutter zoom"), numbered("dimmer cct")],
        beam=30, body="fresnel", lamp="LED",
    )  # fmt: skip
    return [
        _par("Tarnby", "Par 7", "red green blue white", 26),
        flood,
        _par("Tarnby", "Par 3", "red green blue", 24),
        _par("Tarnby", "Par 5", "red green blue white amber", 26),
        _par("Tarnby", "Par 6 UV", "red green blue white amber uv", 26),
        _par("Tarnby", "Par Z", "red green blue white", 20, zoom=True),
        _par("Tarnby", "Lime 5", "red green blue lime warm", 32, slow=False, body="fresnel"),
        _par("Pellow", "Floorlight 4", "red green blue amber", 60, slow=False, body="flood"),
        _par("Generic", "RGB par", "red green blue", 25),
        _par("Generic", "RGBA par", "red green blue amber", 25),
        _par("Generic", "RGBW par", "red green blue white", 25),
        _par("Generic", "RGBAW+UV par", "red green blue white amber uv", 25, slow=False),
        _par("Generic", "RGBLC flood", "red green blue lime cyan", 50, slow=False, body="flood"),
        white,
        tunable,
    ]
