"""The attributes a fixture can have, by their GDTF names (DIN SPEC 15800, annex on
attributes), and how each behaves.

A *type* speaks of emitters (`ColorAdd_R`); a *show* speaks of the target colour
(`ColorRGB_Red` …), which every fixture translates into the emitters it has. Names with
a number, as `Gobo2`, follow their template, `Gobo(n)`.
"""

from __future__ import annotations

import re
from enum import StrEnum
from functools import cache

import msgspec

from choreon.language import tr


class Family(StrEnum):
    """What an attribute is about; it decides how values merge and fade."""

    INTENSITY = "intensity"
    COLOUR = "colour"
    POSITION = "position"
    BEAM = "beam"
    DEVICE = "device"


class Attribute(msgspec.Struct, frozen=True):
    """One attribute. `snap` ones never interpolate; `low`/`high` are the usual span in
    `unit`.

    `kind` tells how a value is to be read: a plain amount, a slot of a wheel, a speed
    that is off at 0, one of the lamp's own programs, or a command that is sent on
    purpose and never stored.
    """

    name: str
    label: str
    family: Family
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    snap: bool = False
    kind: str = ""

    @property
    def command(self) -> bool:
        """Whether it tells the fixture to do something, and shows nothing."""
        return self.kind == "command"

    @property
    def program(self) -> bool:
        """One of the lamp's own programs, which nothing may choose by itself."""
        return self.kind == "program"


DIMMER = "Dimmer"
RED, GREEN, BLUE = TARGET_COLOUR = ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue")
EMITTERS = ("ColorAdd_R", "ColorAdd_G", "ColorAdd_B", "ColorAdd_W")
AMBER, UV = "ColorAdd_RY", "ColorAdd_UV"
DIRECT_EMITTERS = (
    AMBER,
    UV,
    "ColorAdd_GY",
    "ColorAdd_C",
    "ColorAdd_WW",
    "ColorAdd_CW",
    "ColorAdd_M",
    "ColorAdd_Y",
    "ColorAdd_GC",
    "ColorAdd_BC",
    "ColorAdd_BM",
    "ColorAdd_RM",
)
ALL_EMITTERS = (*EMITTERS, *DIRECT_EMITTERS)
MIXED = tuple(name for name in ALL_EMITTERS if name != UV)
"""The emitters that a target colour is mixed with; UV is driven directly, for it is
hardly seen.
"""
FILTERS = ("ColorSub_C", "ColorSub_M", "ColorSub_Y")
PAN, TILT = "Pan", "Tilt"
SHUTTER, STROBE = "Shutter1", "Shutter1Strobe"
NOTHING = "NoFeature"
RAW = "dmx:"
"""Before a channel's key, in a look: the channel's raw value, 0…255 whatever its
resolution, over all else.
"""

# name | plain words | family | unit | span | kind. Units: % °, Hz, rpm, K, m, s; a span
# of 0…1 goes unsaid.
_TABLE = """
Dimmer|Intensity|intensity|%
Pan|Pan|position|°|-270 270
Tilt|Tilt|position|°|-135 135
PanRotate|Pan, turning on and on|position|rpm|-30 30|speed
TiltRotate|Tilt, turning on and on|position|rpm|-30 30|speed
PositionEffect|Movement program|position||0 255|program
PositionEffectRate|Movement program, speed|position|%
PositionEffectFade|Movement program, fade|position|%
XYZ_X|Place across|position|m|-20 20
XYZ_Y|Place upstage|position|m|-20 20
XYZ_Z|Place, height|position|m|0 20
Gobo(n)|Gobo|beam||0 20|slot
Gobo(n)SelectSpin|Gobo, chosen and turning|beam|rpm|-60 60|speed
Gobo(n)SelectShake|Gobo, shaking|beam|Hz|0 10|speed
Gobo(n)SelectEffects|Gobo, chosen with a program|beam||0 255|program
Gobo(n)WheelIndex|Gobo wheel, angle|beam|°|0 360
Gobo(n)WheelSpin|Gobo wheel, turning|beam|rpm|-60 60|speed
Gobo(n)WheelShake|Gobo wheel, shaking|beam|Hz|0 10|speed
Gobo(n)WheelRandom|Gobo wheel, at random|beam|Hz|0 10|program
Gobo(n)WheelAudio|Gobo wheel, by sound|beam||0 1|program
Gobo(n)Pos|Gobo, angle|beam|°|0 360
Gobo(n)PosRotate|Gobo, turning|beam|rpm|-60 60|speed
Gobo(n)PosShake|Gobo, shaking in place|beam|Hz|0 10|speed
AnimationWheel(n)|Animation wheel|beam||0 20|slot
AnimationWheel(n)Audio|Animation wheel, by sound|beam||0 1|program
AnimationWheel(n)Macro|Animation wheel, program|beam||0 255|program
AnimationWheel(n)Pos|Animation wheel, angle|beam|°|0 360
AnimationWheel(n)PosRotate|Animation wheel, turning|beam|rpm|-60 60|speed
AnimationWheel(n)PosShake|Animation wheel, shaking|beam|Hz|0 10|speed
MediaFolder(n)|Media folder|beam||0 255|slot
MediaContent(n)|Media content|beam||0 255|slot
Playmode|Play mode|beam||0 255|slot
PlaySpeed|Play speed|beam|%
ColorEffects(n)|Colour program|colour||0 255|program
Color(n)|Colour wheel|colour||0 20|slot
Color(n)WheelIndex|Colour wheel, angle|colour|°|0 360
Color(n)WheelSpin|Colour wheel, turning|colour|rpm|-60 60|speed
Color(n)WheelRandom|Colour wheel, at random|colour|Hz|0 10|program
Color(n)WheelAudio|Colour wheel, by sound|colour||0 1|program
ColorAdd_R|Red emitter|colour|%
ColorAdd_G|Green emitter|colour|%
ColorAdd_B|Blue emitter|colour|%
ColorAdd_C|Cyan emitter|colour|%
ColorAdd_M|Magenta emitter|colour|%
ColorAdd_Y|Yellow emitter|colour|%
ColorAdd_RY|Amber|colour|%
ColorAdd_GY|Lime|colour|%
ColorAdd_GC|Blue-green emitter|colour|%
ColorAdd_BC|Light blue emitter|colour|%
ColorAdd_BM|Violet emitter|colour|%
ColorAdd_RM|Pink emitter|colour|%
ColorAdd_W|White emitter|colour|%
ColorAdd_WW|Warm white|colour|%
ColorAdd_CW|Cold white|colour|%
ColorAdd_UV|UV|colour|%
ColorSub_R|Red filter|colour|%
ColorSub_G|Green filter|colour|%
ColorSub_B|Blue filter|colour|%
ColorSub_C|Cyan filter|colour|%
ColorSub_M|Magenta filter|colour|%
ColorSub_Y|Yellow filter|colour|%
ColorMacro(n)|Colour preset of the lamp|colour||0 255|program
ColorMacro(n)Rate|Colour preset, speed|colour|%
CTO|Warm filter|colour|K|2500 6500
CTC|Colour temperature|colour|K|2500 10000
CTB|Cold filter|colour|K|6500 12000
Tint|Tint, green to magenta|colour||-1 1
HSB_Hue|Hue|colour|°|0 360
HSB_Saturation|Saturation|colour|%
HSB_Brightness|Brightness|colour|%
CIE_X|Chromaticity x|colour
CIE_Y|Chromaticity y|colour
ColorRGB_Red|Red|colour|%
ColorRGB_Green|Green|colour|%
ColorRGB_Blue|Blue|colour|%
StrobeDuration|Flash length|beam|s
StrobeRate|Strobe rate|beam|%
StrobeFrequency|Strobe rate in Hz|beam|Hz|0 25|speed
StrobeModeShutter|Strobe mode: shutter|beam||0 1|mode
StrobeModeStrobe|Strobe mode: strobe|beam||0 1|mode
StrobeModePulse|Strobe mode: pulse|beam||0 1|mode
StrobeModeRandom|Strobe mode: random|beam||0 1|mode
StrobeModeEffect|Strobe mode: program|beam||0 1|program
Shutter(n)|Shutter|beam||0 1|slot
Shutter(n)Strobe|Strobe|beam|Hz|0 25|speed
Shutter(n)StrobePulse|Strobe, pulsing|beam|Hz|0 25|speed
Shutter(n)StrobePulseClose|Strobe, closing softly|beam|Hz|0 25|speed
Shutter(n)StrobePulseOpen|Strobe, opening softly|beam|Hz|0 25|speed
Shutter(n)StrobeRandom|Strobe at random|beam|Hz|0 25|speed
Shutter(n)StrobeRandomPulse|Strobe at random, pulsing|beam|Hz|0 25|speed
Shutter(n)StrobeEffect|Strobe program|beam|Hz|0 25|program
Iris|Iris|beam|%
IrisStrobe|Iris, pulsing|beam|Hz|0 10|speed
IrisPulseClose|Iris, pulsing shut|beam|Hz|0 10|speed
IrisPulseOpen|Iris, pulsing open|beam|Hz|0 10|speed
Frost(n)|Frost|beam|%
Frost(n)PulseOpen|Frost, pulsing|beam|Hz|0 10|speed
Prism(n)|Prism|beam||0 20|slot
Prism(n)SelectSpin|Prism, chosen and turning|beam|rpm|-60 60|speed
Prism(n)Macro|Prism, program|beam||0 255|program
Prism(n)Pos|Prism, angle|beam|°|0 360
Prism(n)PosRotate|Prism, turning|beam|rpm|-60 60|speed
Effects(n)|Built-in program|beam||0 255|program
Effects(n)Rate|Built-in program, speed|beam|%
Effects(n)Fade|Built-in program, fade|beam|%
Effects(n)Pos|Effect, angle|beam|°|0 360
Effects(n)PosRotate|Effect, turning|beam|rpm|-60 60|speed
EffectsSync|Programs in step|beam||0 1
BeamShaper|Beam shaper|beam|%
BeamShaperPos|Beam shaper, angle|beam|°|0 360
BeamShaperPosRotate|Beam shaper, turning|beam|rpm|-60 60|speed
Zoom|Zoom|beam|°|5 60
ZoomModeSpot|Zoom as a spot|beam|°|5 60
ZoomModeBeam|Zoom as a beam|beam|°|1 10
Focus(n)|Focus|beam|%
Focus(n)Distance|Focus distance|beam|m|0 50
Blade(n)A|Blade, one end|beam|%
Blade(n)B|Blade, other end|beam|%
Blade(n)Rot|Blade, angle|beam|°|-45 45
ShaperRot|Blades together, angle|beam|°|-60 60
ShaperMacros|Blades, program|beam||0 255|program
Control(n)|Control|device||0 255|slot
DimmerMode|Dimmer mode|device||0 255|mode
DimmerCurve|Dimmer curve|device||0 255|mode
BlackoutMode|Blackout mode|device||0 255|mode
LEDFrequency|LED frequency|device|Hz|0 30000
LEDZoneMode|LED zones|device||0 255|mode
PixelMode|Pixel mode|device||0 255|mode
PanMode|Pan mode|device||0 255|mode
TiltMode|Tilt mode|device||0 255|mode
ColorMixMode|Colour mixing mode|device||0 255|mode
ColorCalibrationMode|Colour calibration|device||0 255|mode
CRIMode|Colour rendering mode|device||0 255|mode
CustomColor|Own colour of the lamp|device||0 255|mode
StrobeMode|Strobe mode|device||0 255|mode
ZoomMode|Zoom mode|device||0 255|mode
FocusMode|Focus mode|device||0 255|mode
FanMode|Fan mode|device||0 255|mode
IntensityMSpeed|Intensity, speed of change|device|s|0 60
PositionMSpeed|Movement, speed|device|s|0 60
ColorMixMSpeed|Colour, speed of change|device|s|0 60
GoboWheel(n)MSpeed|Gobo wheel, speed of change|device|s|0 60
FocusMSpeed|Focus, speed of change|device|s|0 60
ZoomMSpeed|Zoom, speed of change|device|s|0 60
GlobalMSpeed|Everything, speed of change|device|s|0 60
FixtureGlobalReset|Reset everything|device||0 1|command
DimmerReset|Reset the dimmer|device||0 1|command
ShutterReset|Reset the shutter|device||0 1|command
BeamReset|Reset the beam|device||0 1|command
ColorMixReset|Reset the colour mixing|device||0 1|command
ColorWheelReset|Reset the colour wheel|device||0 1|command
FocusReset|Reset the focus|device||0 1|command
FrameReset|Reset the blades|device||0 1|command
GoboWheelReset|Reset the gobo wheel|device||0 1|command
IrisReset|Reset the iris|device||0 1|command
PositionReset|Reset pan and tilt|device||0 1|command
PanReset|Reset pan|device||0 1|command
TiltReset|Reset tilt|device||0 1|command
ZoomReset|Reset the zoom|device||0 1|command
FixtureCalibrationReset|Calibrate|device||0 1|command
LampControl|Lamp on and off|device||0 1|command
LampPowerMode|Lamp power|device||0 255|mode
DisplayIntensity|Display brightness|device|%
Function|Function|device||0 255|slot
Blower(n)|Blower|device|%
Fan(n)|Fan|device|%
Fog(n)|Fog|device|%
Haze(n)|Haze|device|%
NoFeature|Nothing|device||0 255
"""


# What such channels are called on lamps and in their papers; the first attribute that
# has a name wins.
_CALLED = """
Dimmer: dimmer, master dimmer, master, intensity, brightness, total dimming, level
ColorAdd_R: red, r
ColorAdd_G: green, g
ColorAdd_B: blue, b
ColorAdd_W: white, w
ColorAdd_WW: warm white, ww
ColorAdd_CW: cold white, cool white, cw
ColorAdd_RY: amber, a, orange
ColorAdd_GY: lime
ColorAdd_UV: uv, ultraviolet, ultra violet, purple
ColorAdd_C: cyan emitter
ColorAdd_BM: violet, indigo
ColorSub_C: cyan, c
ColorSub_M: magenta, m
ColorSub_Y: yellow, y
CTO: cto, warm filter
CTC: ctc, cct, colour temperature, correction
CTB: ctb
Pan: pan, pan movement, x axis
Tilt: tilt, tilt movement, y axis
PositionMSpeed: pan/tilt speed, pan tilt speed, p/t speed, movement speed, speed pan/tilt, vector speed
Shutter(n): shutter, shutter/strobe, shutter strobe, strobe/shutter
Shutter(n)Strobe: strobe, strobe speed, strobe rate, flash rate, flash
Color(n): colour wheel, colour, colours
ColorMacro(n): colour macro, colour macros, colour preset, colour presets
Gobo(n): gobo, gobo wheel, gobos, static gobo, rotating gobo
Gobo(n)PosRotate: gobo rotation, gobo turn, rotation, gobo spin
Gobo(n)Pos: gobo index, gobo angle
AnimationWheel(n): animation wheel, animation, effect wheel
Prism(n): prism, prism insert
Prism(n)PosRotate: prism rotation, prism turn, prism spin
Focus(n): focus
Zoom: zoom
Iris: iris
Frost(n): frost, diffusion
Effects(n): program, programs, programme, auto, auto program, built in program, auto/sound, sound, macro, macros, effect
Effects(n)Rate: program speed, auto speed, speed, macro speed, effect speed
FixtureGlobalReset: reset
LampControl: lamp, lamp on/off, lamp control
DimmerCurve: dimmer curve, dimming curve, dimmer speed, dimmer mode
Fan(n): fan, fan speed, blower
Fog(n): fog, smoke
Haze(n): haze, haze output, pump
NoFeature: reserved, no function, empty, unused
"""


def _read_names() -> dict[str, str]:
    found: dict[str, str] = {}
    for line in _CALLED.strip().splitlines():
        name, _, called = line.partition(": ")
        for words in called.split(", "):
            found.setdefault(words, name)
    return found


def _read_table() -> dict[str, Attribute]:
    found = {}
    for line in _TABLE.strip().splitlines():
        name, label, family, unit, span, kind = (line.split("|") + [""] * 3)[:6]
        low, high = (float(v) for v in span.split()) if span else (0.0, 1.0)
        snap = (
            kind in ("slot", "speed", "program", "command", "mode") or name == NOTHING
        )
        found[name] = Attribute(
            name, tr(label), Family(family), unit, low, high, snap, kind
        )
    return found


TEMPLATES: dict[str, Attribute] = _read_table()
"""The attributes with a meaning here, by template."""

_NAMES = _read_names()

ATTRIBUTES: dict[str, Attribute] = {
    a.name: a for a in TEMPLATES.values() if "(" not in a.name
} | {
    name: msgspec.structs.replace(TEMPLATES[name.replace("1", "(n)")], name=name)
    for name in (SHUTTER, STROBE)
}


def template(name: str) -> str:
    """`Gobo2WheelSpin` → `Gobo(n)WheelSpin`; names without a number stay."""
    return re.sub(r"\d+", "(n)", name, count=1)


@cache
def attribute(name: str) -> Attribute:
    """The attribute called `name`; one without a meaning here belongs to the device
    family and is driven raw, 0…255.
    """
    if name.startswith(RAW):
        return Attribute(
            name,
            name[len(RAW) :].replace("-", " ").capitalize(),
            Family.DEVICE,
            "",
            0,
            255,
        )

    known = ATTRIBUTES.get(name) or TEMPLATES.get(template(name))
    if known is None:
        return Attribute(
            name, name.replace("_", " "), Family.DEVICE, "", 0, 255, snap=True
        )

    number = re.search(r"\d+", name)
    label = (
        tr("{label} {number}", label=known.label, number=number.group())
        if number and number.group() != "1"
        else known.label
    )

    return msgspec.structs.replace(known, name=name, label=label)


def known(name: str) -> bool:
    """Whether the attribute has a meaning here."""
    return name in ATTRIBUTES or template(name) in TEMPLATES


def alias(words: str) -> str:
    """The template of the attribute that channels of this very name have, or
    nothing.
    """
    return _NAMES.get(words.lower(), "")


def find(words: str) -> list[Attribute]:
    """The attributes whose plain words, names or usual names hold every word of
    `words`, numbered ones with 1; best first.
    """
    wanted = words.lower().split()
    called: dict[str, str] = {}
    for usual, name in _NAMES.items():
        called[name] = f"{called.get(name, '')} {usual}"

    found = []
    for a in TEMPLATES.values():
        text = (
            f"{a.label} {a.name} {a.family} {a.unit} {called.get(a.name, '')}".lower()
        )
        if all(w in text for w in wanted):
            exact = (
                a.label.lower() == " ".join(wanted) or alias(" ".join(wanted)) == a.name
            )
            starts = bool(wanted) and a.label.lower().startswith(wanted[0])
            found.append((not exact, not starts, attribute(a.name.replace("(n)", "1"))))

    return [a for *_, a in sorted(found, key=lambda f: f[:2])]
