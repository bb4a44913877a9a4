"""Strobes, blinders, panels, hazers, fans, mirrors and effects of many beams."""

from __future__ import annotations

from typing import Any

from choreon.library.gobos import colours
from choreon.library.heads import OPENED, colour_wheel, move
from choreon.library.pars import OPEN_FIRST, SPEED, program
from choreon.library.parts import (
    DIMMER,
    channel,
    emitters,
    fixture,
    in_cells,
    in_grid,
    in_line,
    line,
    mode,
    numbered,
    point,
    shutter,
    wheel,
    whole,
)
from choreon.model.fixture_type import Channel, FixtureType

RGB = "red green blue"
FLASH = shutter(None, (0, 5), (6, 255), (0.5, 25), name="Strobe")


def _blinder(cells: int, columns: int, rows: int) -> FixtureType:
    modes = [numbered("dimmer"), numbered(in_cells("dimmer", cells), in_grid(columns, rows, 0.2))]
    name = f"Blinder {cells}"
    return fixture("Holmwick", name, "blinder", [DIMMER], modes, beam=60, body="blinder", lamp="tungsten")


def _strobes() -> list[FixtureType]:
    cells = in_grid(6, 2, 0.1)
    length = channel("length", "Flash length", line("StrobeDuration", 0.01, 0.65))
    return [
        fixture("Tarnby", "Panel", "strobe", [DIMMER, FLASH, *emitters("red", "green", "blue")],
                [numbered("dimmer shutter red green blue"), numbered("dimmer shutter")],
                beam=90, body="panel", lamp="LED"),
        fixture("Tarnby", "Panel 12", "strobe", [DIMMER, FLASH, *emitters("red", "green", "blue", "white"), length],
                [numbered(f"dimmer shutter length {in_cells(RGB, 12)} white", cells),
                 numbered(f"dimmer shutter {RGB} white length"), numbered("dimmer shutter")],
                beam=110, body="panel", lamp="LED"),
        fixture("Holmwick", "Flash 1500", "strobe", [DIMMER, FLASH, length],
                [numbered("shutter dimmer length"), numbered("shutter dimmer")],
                beam=120, body="strobe", lamp="discharge"),
        fixture("Generic", "LED strobe", "strobe", [DIMMER, FLASH], [numbered("dimmer shutter"), numbered("dimmer")],
                beam=100, body="strobe", lamp="LED"),
    ]  # fmt: skip


def _panels() -> list[FixtureType]:
    soft = [DIMMER, *emitters("warm", "cold")]
    return [
        fixture("Tarnby", "Soft 60", "panel", soft, [numbered("dimmer warm cold"), numbered("warm cold")],
                beam=110, body="panel", lamp="LED"),
        fixture("Tarnby", "Cyc 4", "panel", [DIMMER, *emitters("red", "green", "blue", "amber"), OPEN_FIRST],
                [numbered("dimmer red green blue amber shutter"), numbered("red green blue amber"),
                 numbered(in_cells("red green blue amber", 3), in_line(3, 0.9))],
                beam=100, body="flood", lamp="LED"),
    ]  # fmt: skip


def _air() -> list[FixtureType]:
    haze, fan = whole("haze", "Haze", "Fog1"), whole("fan", "Fan", "Fan1")
    burst = channel("fog", "Fog", point("Fog1", 0, 0, 9, "Off"), line("Fog1", 0.05, 1, 10, 255, "Output"))
    turn = channel("swing", "Swing", point("Effects1", 0, 0, 127, "Still"),
                   line("Effects1PosRotate", 1, 12, 128, 255, "Swinging"))  # fmt: skip
    no_light: dict[str, Any] = {"beam": 0.0, "body": "hazer"}
    return [
        fixture("Holmwick", "Mist", "hazer", [haze, fan], [numbered("haze fan")], **no_light),
        fixture("Holmwick", "Bank", "fogger", [burst], [numbered("fog")], **no_light),
        fixture("Generic", "Hazer", "hazer", [haze, fan], [numbered("haze fan"), numbered("haze")], **no_light),
        fixture("Holmwick", "Breeze", "fan", [fan, turn], [numbered("fan"), numbered("fan swing")],
                beam=0, body="fan"),
        fixture("Generic", "Fan", "fan", [fan], [numbered("fan")], beam=0, body="fan"),
    ]  # fmt: skip


def _mirrors() -> list[FixtureType]:
    """One channel is the mirror's position in its lower half and its free turning in
    its upper.
    """
    mirror = channel(
        "mirror", "Mirror", line("Effects1Pos", 0, 360, 0, 127, "Position"),
        line("Effects1PosRotate", -40, -2, 128, 187, "Turning backwards"),
        point("Effects1PosRotate", 0, 188, 195, "Still"),
        line("Effects1PosRotate", 2, 40, 196, 255, "Turning forwards"),
    )  # fmt: skip

    hue, hues = colour_wheel("Deep red", "Yellow", "Teal", "Deep blue", width=20)
    drum, drums = wheel("hue", "Colour", "Color1", colours("Rose", "Green", "Sky"), 64)
    tumble = channel("drum", "Drum", point("Effects1PosRotate", 0, 0, 9, "Still"),
                     line("Effects1PosRotate", 1, 30, 10, 255, "Turning"))  # fmt: skip
    return [
        fixture("Tarnby", "Turnmirror", "mirror effect", [DIMMER, hue, mirror, FLASH],
                [numbered("dimmer shutter colour mirror"), numbered("colour mirror dimmer")],
                beam=10, body="mirror", lamp="LED", wheels=(hues,)),
        fixture("Holmwick", "Ballspot", "mirror effect", [DIMMER, drum, tumble],
                [mode("3 channel", "dimmer hue drum"), mode("1 channel", "dimmer")],
                beam=8, body="mirror", lamp="LED", wheels=(drums,)),
    ]  # fmt: skip


def _multi() -> list[FixtureType]:
    tilts = channel("tilt", "Tilt", line("Tilt", -95, 95), home=128)
    beams = in_line(4, 0.9)
    head = [*move(540, 190)[:1], tilts, DIMMER, OPENED, *emitters("red", "green", "blue", "white"), program(), SPEED]
    each = in_cells("tilt red green blue white", 4)
    derby: list[Channel] = [DIMMER, *emitters("red", "green", "blue"), FLASH, program(), SPEED,
                            channel("turn", "Turn", point("Effects1PosRotate", 0, 0, 7, "Still"),
                                    line("Effects1PosRotate", -20, 20, 8, 255, "Turning"))]  # fmt: skip

    return [
        fixture("Pellow", "Comb 4", "multi-beam effect", head,
                [numbered(f"dimmer shutter {each}", beams),
                 numbered(f"pan dimmer shutter {each} program program-speed", beams),
                 numbered("tilt dimmer shutter red green blue white")],
                beam=6, body="multi", lamp="LED"),
        fixture("Pellow", "Burr", "multi-beam effect", derby,
                [numbered("dimmer red green blue shutter turn program program-speed"), numbered("red green blue turn")],
                beam=70, body="multi", lamp="LED"),
    ]  # fmt: skip


def types() -> list[FixtureType]:
    """Effects, and what makes air."""
    blinders = [_blinder(2, 2, 1), _blinder(4, 2, 2), _blinder(8, 4, 2)]
    return [*_strobes(), *blinders, *_panels(), *_air(), *_mirrors(), *_multi()]
