"""Moving heads and scanners."""

from __future__ import annotations

import itertools

from choreon.library.gobos import colours, gobos
from choreon.library.parts import (
    DIMMER,
    channel,
    emitters,
    fixture,
    in_cells,
    in_grid,
    line,
    numbered,
    point,
    shutter,
    wheel,
    whole,
)
from choreon.model.fixture_type import Channel, FixtureType, Range, Slot, Wheel

MIDDLE_STROBE = shutter((0, 31), (32, 63), (64, 255), (1, 25))


def move(pan: float, tilt: float, fine: bool = False) -> list[Channel]:
    """Pan and tilt over full spans of so many degrees."""
    home, size = (32768, 2) if fine else (128, 1)
    return [
        channel("pan", "Pan", line("Pan", -pan / 2, pan / 2, 0, 256**size - 1), home=home, resolution=size),
        channel("tilt", "Tilt", line("Tilt", -tilt / 2, tilt / 2, 0, 256**size - 1), home=home, resolution=size),
    ]


HEAD_SPEED = whole("head-speed", "Head speed", "PositionMSpeed", 0, 8)
PRISM = channel("prism", "Prism", point("Prism1", 0, 0, 19, "Out"), point("Prism1", 1, 20, 255, "Three facets"))
FOCUS = whole("focus", "Focus", "Focus1", home=128)
IRIS = whole("iris", "Iris", "Iris", 1, 0)
FROST = whole("frost", "Frost", "Frost1")
GOBO_TURN = channel(
    "gobo-turn", "Gobo turn", line("Gobo1Pos", 0, 360, 0, 127, "Angle"),
    line("Gobo1PosRotate", -60, -1, 128, 189, "Turning backwards"), point("Gobo1PosRotate", 0, 190, 193, "Still"),
    line("Gobo1PosRotate", 1, 60, 194, 255, "Turning forwards"),
)  # fmt: skip
PRISM_TURN = channel(
    "prism-turn", "Prism turn", line("Prism1Pos", 0, 360, 0, 127, "Angle"),
    line("Prism1PosRotate", -30, 30, 128, 255, "Turning"),
)  # fmt: skip


def control(lamp: bool = False) -> Channel:
    """Commands: reset, and switching a lamp that has to be struck."""
    made = [point("NoFeature", 0, 0, 199, "None")]
    if lamp:
        made.append(point("LampControl", 1, 200, 209, "Lamp on", hold=3.0))
        made.append(point("FixtureGlobalReset", 1, 210, 219, "Reset", hold=5.0))
        made.append(point("LampControl", 0, 220, 229, "Lamp off", hold=3.0))
        made.append(point("PositionReset", 1, 230, 239, "Reset pan and tilt", hold=3.0))
        made.append(point("NoFeature", 0, 240, 255, "None"))
    else:
        made.append(point("FixtureGlobalReset", 1, 200, 219, "Reset", hold=5.0))
        made.append(point("PositionReset", 1, 220, 239, "Reset pan and tilt", hold=3.0))
        made.append(point("NoFeature", 0, 240, 255, "None"))
    return channel("control", "Control", *made)


def colour_wheel(*names: str, width: int = 10, splits: bool = False) -> tuple[Channel, Wheel]:
    """A colour wheel that can turn; with `splits` it also stops between two filters."""
    slots = colours(*names)
    if splits:
        pairs = list(itertools.pairwise(slots))
        slots += [Slot(name=f"{a.name} / {b.name}", colour=a.colour, split=b.colour) for a, b in pairs]
    end = len(slots) * width
    return wheel(
        "colour", "Colour wheel", "Color1", slots, width, line("Color1WheelSpin", 0.5, 30, end, 255, "Turning")
    )


def gobo_wheel(*names: str, width: int = 12, shake: bool = False, number: int = 1) -> tuple[Channel, Wheel]:
    """A gobo wheel that can turn, and whose gobos can shake."""
    slots, key = gobos(*names), "gobo" if number == 1 else f"gobo-{number}"
    end = len(slots) * width
    more: list[Range] = []
    if shake:
        for i in range(1, len(slots)):
            more.append(
                Range(start=end, end=end + 9, attribute=f"Gobo{number}SelectShake", low=0.5, high=8, slot=i,
                      name=f"{slots[i].name}, shaking")
            )  # fmt: skip
            end += 10
    more.append(line(f"Gobo{number}WheelSpin", 0.5, 30, end, 255, "Turning"))
    title = "Gobo wheel" if number == 1 else f"Gobo wheel {number}"
    return wheel(key, title, f"Gobo{number}", slots, width, *more)


def filters() -> list[Channel]:
    """Cyan, magenta and yellow."""
    return [whole(n, n.capitalize(), f"ColorSub_{n[0].upper()}") for n in ("cyan", "magenta", "yellow")]


def blades() -> list[Channel]:
    """Four blades, each with its two ends, and the turn of them all."""
    found = [whole(f"blade-{n}{e.lower()}", f"Blade {n} {e}", f"Blade{n}{e}") for n in range(1, 5) for e in "AB"]
    return [*found, whole("blades-turn", "Blades, angle", "ShaperRot", -45, 45, home=128)]


def _spots() -> list[FixtureType]:
    names = ("Deep red", "Orange", "Yellow", "Green", "Sky", "Deep blue", "Violet", "Pink", "Warm white")
    hue, hues = colour_wheel(*names)
    gobo, pictures = gobo_wheel("Ripples", "Reeds", "Net", "Rain", "Slats", "Shoal")
    spot = fixture(
        "Ostrey", "Spot 160", "spot head",
        [*move(540, 270), DIMMER, MIDDLE_STROBE, hue, gobo, GOBO_TURN, PRISM, FOCUS, HEAD_SPEED, control(lamp=True)],
        [numbered("pan pan+ tilt tilt+ head-speed dimmer shutter colour gobo gobo-turn prism focus control"),
         numbered("pan tilt dimmer shutter colour gobo prism focus control")],
        beam=14, field=18, body="spot", lamp="discharge", wheels=(hues, pictures),
    )  # fmt: skip

    hue2, hues2 = colour_wheel("Rose", "Yellow", "Teal", "Deep blue", "Warm white", width=16)
    gobo2, pictures2 = gobo_wheel("Pebbles", "Ripples", "Stars", "Wreath", "Reeds", "Rain", "Branches", shake=True)
    second, more = gobo_wheel("Rings", "Fan", "Window", "Moon", number=2, width=20)
    spot250 = fixture(
        "Ostrey", "Spot 250", "spot head",
        [*move(540, 265, fine=True), DIMMER, MIDDLE_STROBE, *filters(), hue2, gobo2, GOBO_TURN, second, PRISM,
         PRISM_TURN, FOCUS, channel("zoom", "Zoom", line("Zoom", 40, 9), home=128), IRIS, FROST, HEAD_SPEED, control()],
        [numbered("pan pan+ tilt tilt+ dimmer dimmer+ shutter cyan magenta yellow colour gobo gobo-turn gobo-2 prism "
                  "prism-turn focus zoom iris frost head-speed control"),
         numbered("pan tilt dimmer shutter cyan magenta yellow colour gobo gobo-turn prism focus zoom control")],
        beam=16, field=22, body="spot", lamp="LED", wheels=(hues2, pictures2, more),
    )  # fmt: skip

    hue3, hues3 = colour_wheel("Deep red", "Yellow", "Green", "Deep blue", "Pink", width=20, splits=True)
    gobo3, pictures3 = gobo_wheel("Pebbles", "Beads", "Split", "Moon", width=20)
    small = fixture(
        "Ostrey", "Spot 60", "spot head", [*move(540, 180), DIMMER, OPENED, hue3, gobo3, HEAD_SPEED, control()],
        [numbered("pan tilt dimmer shutter colour gobo head-speed control"),
         numbered("pan pan+ tilt tilt+ head-speed dimmer shutter colour gobo control"),
         numbered("pan tilt dimmer colour gobo")],
        beam=12, body="spot", lamp="LED", wheels=(hues3, pictures3),
    )  # fmt: skip

    hue4, hues4 = colour_wheel("Deep red", "Orange", "Green", "Sky", "Deep blue", "Violet", width=12)
    gobo4, pictures4 = gobo_wheel("Ripples", "Net", "Shoal", "Rings", "Stars", width=14)
    rival = fixture(
        "Tarnby", "Turn 150", "spot head",
        [*move(630, 280, fine=True), DIMMER, shutter((0, 15), (16, 31), (32, 255), (0.5, 20)), hue4, gobo4, GOBO_TURN,
         PRISM, FOCUS, channel("zoom", "Zoom", line("Zoom", 12, 36), home=60), control(lamp=True)],
        [numbered("dimmer shutter pan pan+ tilt tilt+ gobo gobo-turn colour focus zoom prism control"),
         numbered("dimmer shutter pan tilt gobo colour control")],
        beam=18, body="spot", lamp="discharge", wheels=(hues4, pictures4),
    )  # fmt: skip
    return [spot, spot250, small, rival]


OPENED = shutter(None, (0, 9), (10, 255), (0.5, 15), name="Strobe")


def _washes() -> list[FixtureType]:
    rgbw = emitters("red", "green", "blue", "white")
    wash90 = fixture(
        "Ostrey", "Wash 90", "wash head",
        [*move(300, 220), DIMMER, MIDDLE_STROBE, *rgbw, channel("zoom", "Zoom", line("Zoom", 10, 50), home=128),
         HEAD_SPEED],
        [numbered("pan pan+ tilt tilt+ head-speed dimmer shutter red green blue white zoom"),
         numbered("pan tilt dimmer shutter red green blue white zoom")],
        beam=30, body="wash", lamp="LED",
    )  # fmt: skip

    ring = in_grid(3, 2, 0.09)
    wash150 = fixture(
        "Ostrey", "Wash 150", "wash head",
        [*move(540, 220, fine=True), DIMMER, MIDDLE_STROBE, *rgbw,
         channel("zoom", "Zoom", line("Zoom", 60, 8), home=100), HEAD_SPEED, control(),
         channel("cct", "White point", line("CTC", 2700, 8000), home=170)],
        [numbered("pan pan+ tilt tilt+ dimmer dimmer+ shutter red green blue white cct zoom head-speed control"),
         numbered(f"pan pan+ tilt tilt+ dimmer shutter zoom {in_cells('red green blue white', 6)} control", ring),
         numbered("pan tilt dimmer shutter red green blue white zoom")],
        beam=30, body="wash", lamp="LED",
    )  # fmt: skip

    wash5 = fixture(
        "Tarnby", "Turn Wash", "wash head",
        [*move(540, 190), DIMMER, shutter((0, 15), (16, 31), (32, 255), (0.5, 20)),
         *emitters("red", "green", "blue", "white", "amber"), channel("zoom", "Zoom", line("Zoom", 6, 44), home=90)],
        [numbered("dimmer shutter pan pan+ tilt tilt+ red green blue white amber zoom"),
         numbered("dimmer pan tilt red green blue white")],
        beam=28, body="wash", lamp="LED",
    )  # fmt: skip

    wash_cmy = fixture(
        "Ostrey", "Wash 700", "wash head",
        [*move(540, 250, fine=True), DIMMER, MIDDLE_STROBE, *filters(), channel("cto", "Warm filter",
         line("CTO", 6500, 2800)), channel("zoom", "Zoom", line("Zoom", 12, 62), home=90), FROST, control(lamp=True)],
        [numbered("pan pan+ tilt tilt+ dimmer shutter cyan magenta yellow cto zoom frost control"),
         numbered("pan tilt dimmer shutter cyan magenta yellow zoom control")],
        beam=34, body="wash", lamp="discharge",
    )  # fmt: skip

    small = fixture(
        "Generic", "Small wash head", "wash head", [*move(540, 180), DIMMER, OPENED, *rgbw, HEAD_SPEED],
        [numbered("pan tilt dimmer shutter red green blue white head-speed"),
         numbered("pan pan+ tilt tilt+ head-speed dimmer shutter red green blue white"),
         numbered("pan tilt red green blue white")],
        beam=25, body="wash", lamp="LED",
    )  # fmt: skip
    return [wash90, wash150, wash5, wash_cmy, small]


def _beams() -> list[FixtureType]:
    hue, hues = colour_wheel("Deep red", "Orange", "Green", "Teal", "Deep blue", "Pink", "UV", width=9)
    gobo, pictures = gobo_wheel("Beads", "Rings", "Fan", "Stars", width=10, shake=True)
    beam = fixture(
        "Ostrey", "Beam 230", "beam head",
        [*move(540, 270, fine=True), DIMMER, MIDDLE_STROBE, hue, gobo, PRISM, PRISM_TURN, FROST, FOCUS, control(True)],
        [numbered("pan pan+ tilt tilt+ dimmer shutter colour gobo prism prism-turn frost focus control"),
         numbered("pan tilt dimmer shutter colour gobo prism frost control")],
        beam=3, field=4, body="beam", lamp="discharge", wheels=(hues, pictures),
    )  # fmt: skip

    led = fixture(
        "Pellow", "Needle", "beam head",
        [*move(540, 220), DIMMER, OPENED, *emitters("red", "green", "blue", "white"), HEAD_SPEED],
        [numbered("pan pan+ tilt tilt+ dimmer shutter red green blue white head-speed"),
         numbered("pan tilt dimmer shutter red green blue white")],
        beam=5, body="beam", lamp="LED",
    )  # fmt: skip
    return [beam, led]


def _profiles() -> list[FixtureType]:
    hue, hues = colour_wheel("Deep red", "Orange", "Green", "Deep blue", "Warm white", width=14)
    gobo, pictures = gobo_wheel("Branches", "Window", "Ripples", "Reeds", "Pebbles", "Moon", shake=True)
    profile = fixture(
        "Ostrey", "Profile 300", "profile head",
        [*move(540, 270, fine=True), DIMMER, MIDDLE_STROBE, *filters(), channel("cto", "Warm filter",
         line("CTO", 6500, 2800)), hue, gobo, GOBO_TURN, PRISM, PRISM_TURN, FOCUS,
         channel("zoom", "Zoom", line("Zoom", 6, 46), home=100), IRIS, FROST, *blades(), HEAD_SPEED, control()],
        [numbered("pan pan+ tilt tilt+ dimmer dimmer+ shutter cyan magenta yellow cto colour gobo gobo-turn prism "
                  "prism-turn focus focus+ zoom zoom+ iris frost blade-1a blade-1b "
                  "blade-2a blade-2b blade-3a blade-3b "
                  "blade-4a blade-4b blades-turn head-speed control"),
         numbered("pan tilt dimmer shutter cyan magenta yellow colour gobo gobo-turn focus zoom iris blade-1a blade-1b "
                  "blade-2a blade-2b blade-3a blade-3b blade-4a blade-4b blades-turn control")],
        beam=20, field=24, body="spot", lamp="LED", wheels=(hues, pictures),
    )  # fmt: skip

    fixed = fixture(
        "Holmwick", "Profile C", "profile",
        [DIMMER, OPENED, *emitters("red", "green", "blue", "lime", "amber"),
         channel("zoom", "Zoom", line("Zoom", 15, 50), home=80)],
        [numbered("dimmer dimmer+ red green blue lime amber shutter zoom"),
         numbered("dimmer red green blue lime amber"),
         numbered("red green blue")],
        beam=26, body="profile", lamp="LED",
    )  # fmt: skip
    return [profile, fixed]


def _scanners() -> list[FixtureType]:
    hue, hues = colour_wheel("Deep red", "Yellow", "Green", "Deep blue", "Violet", "Pink", width=14)
    gobo, pictures = gobo_wheel("Ripples", "Stars", "Rings", "Split", "Shoal", width=16)
    scanner = fixture(
        "Tarnby", "Glance 50", "scanner", [*move(180, 90), DIMMER, MIDDLE_STROBE, hue, gobo, GOBO_TURN],
        [numbered("pan tilt colour gobo gobo-turn shutter dimmer"), numbered("pan tilt colour gobo dimmer")],
        beam=13, body="scanner", lamp="LED", wheels=(hues, pictures),
    )  # fmt: skip

    old = fixture(
        "Holmwick", "Glance 250", "scanner",
        [*move(150, 60), DIMMER, MIDDLE_STROBE, hue, gobo,
         channel("control", "Control", point("NoFeature", 0, 0, 199, "None"),
                 point("LampControl", 1, 200, 227, "Lamp on", hold=3.0),
                 point("LampControl", 0, 228, 255, "Lamp off", hold=3.0))],
        [numbered("shutter dimmer pan pan+ tilt tilt+ colour gobo control"),
         numbered("pan tilt shutter dimmer colour gobo")],
        beam=15, body="scanner", lamp="discharge", wheels=(hues, pictures),
    )  # fmt: skip
    return [scanner, old]


def types() -> list[FixtureType]:
    """Heads and scanners."""
    return [*_spots(), *_washes(), *_beams(), *_profiles(), *_scanners()]
