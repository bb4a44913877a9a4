"""The attributes a fixture can have, by their GDTF names (DIN SPEC 15800, annex on attributes), and how each behaves.

A *type* speaks of emitters (`ColorAdd_R`); a *show* speaks of the target colour (`ColorRGB_Red` …), which every
fixture translates into the emitters it has.
"""

from __future__ import annotations

from enum import StrEnum

import msgspec


class Family(StrEnum):
    """What an attribute is about; it decides how values merge and fade."""

    INTENSITY = "intensity"
    COLOUR = "colour"
    POSITION = "position"
    BEAM = "beam"
    DEVICE = "device"


class Attribute(msgspec.Struct, frozen=True):
    """One attribute. `snap` ones never interpolate; `low`/`high` are the usual span in `unit`."""

    name: str
    label: str
    family: Family
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    snap: bool = False


DIMMER = "Dimmer"
RED, GREEN, BLUE = TARGET_COLOUR = ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue")
EMITTERS = ("ColorAdd_R", "ColorAdd_G", "ColorAdd_B", "ColorAdd_W")
AMBER, UV = DIRECT_EMITTERS = ("ColorAdd_RY", "ColorAdd_UV")
PAN, TILT = "Pan", "Tilt"
SHUTTER, STROBE = "Shutter1", "Shutter1Strobe"

ATTRIBUTES: dict[str, Attribute] = {
    a.name: a
    for a in (
        Attribute(DIMMER, "Intensity", Family.INTENSITY, "%"),
        Attribute(RED, "Red", Family.COLOUR, "%"),
        Attribute(GREEN, "Green", Family.COLOUR, "%"),
        Attribute(BLUE, "Blue", Family.COLOUR, "%"),
        Attribute(AMBER, "Amber", Family.COLOUR, "%"),
        Attribute(UV, "UV", Family.COLOUR, "%"),
        Attribute(PAN, "Pan", Family.POSITION, "°", -270, 270),
        Attribute(TILT, "Tilt", Family.POSITION, "°", -135, 135),
        Attribute(SHUTTER, "Shutter", Family.BEAM, "", snap=True),
        Attribute(STROBE, "Strobe", Family.BEAM, "Hz", 0, 25, snap=True),
    )
}


def attribute(name: str) -> Attribute:
    """The attribute called `name`; one without a meaning here belongs to the device family and is driven raw, 0…255."""
    known = ATTRIBUTES.get(name)
    return known or Attribute(name, name.replace("_", " "), Family.DEVICE, "", 0, 255, snap=True)
