"""What can be set of a motion: lists of fields, from which its form is built."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import msgspec

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.motion import (
    AnyMotion,
    ColourRoll,
    EffectMode,
    KeepOut,
    Order,
    Path,
    PathShape,
    Plane,
    Shape,
    Wave,
)

replace = msgspec.structs.replace

When = Callable[[Any], bool]


def _always(motion: Any) -> bool:
    return True


class Number(NamedTuple):
    """A number: which field of the motion (or of its rate or spread), between which
    ends, in which unit; `times` what is stored makes what is shown.
    """

    field: str
    label: str
    low: float
    high: float
    unit: str = ""
    digits: int = 0
    times: float = 1.0
    when: When = _always


class ChoiceField(NamedTuple):
    """One of several: (value, words)."""

    field: str
    label: str
    options: tuple[tuple[Any, str], ...]
    when: When = _always


class Toggle(NamedTuple):
    """On or off."""

    field: str
    label: str
    tip: str
    when: When = _always


Entry = Number | ChoiceField | Toggle


def read(motion: AnyMotion, field: str) -> Any:
    """Returns a field of a motion; `rate.seconds` is one of its rate."""
    found: Any = motion
    for name in field.split("."):
        found = getattr(found, name)
    return found


def changed(motion: AnyMotion, field: str, value: Any) -> AnyMotion:
    """Returns a motion with a field changed."""
    whole, _, part = field.partition(".")
    if part:
        value = replace(getattr(motion, whole), **{part: value})
    return replace(motion, **{whole: value})


def _shape_is(*shapes: object) -> When:
    return lambda motion: motion.shape in shapes


def _replaces(motion: Wave) -> bool:
    return motion.mode == EffectMode.REPLACES


def _goes_on(motion: Wave) -> bool:
    return motion.shape != Shape.RANDOM


def wave_ends(motion: Wave) -> tuple[Number, Number]:
    """Returns the fields of the lowest and the highest value, in the attribute's unit,
    as factors, or as what is added.
    """
    known = at.attribute(motion.attribute)
    if motion.mode == EffectMode.SCALES:
        return (
            Number("low", tr("Down to"), 0, 100, "%", 0, 100.0),
            Number("high", tr("Up to"), 0, 100, "%", 0, 100.0),
        )

    low, high = known.low, known.high
    if motion.mode == EffectMode.ADDS:
        low, high = -(known.high - known.low), known.high - known.low

    times = 100.0 if known.unit == "%" else 1.0
    digits = 0 if times > 1 else 1
    unit = known.unit

    return (
        Number("low", tr("Low"), low * times, high * times, unit, digits, times),
        Number("high", tr("High"), low * times, high * times, unit, digits, times),
    )


def middle_and_size(motion: Wave) -> tuple[Number, Number]:
    """Returns the fields that stand in the place of wave_ends where the middle of a
    wave is given, and how far it is from its lowest to its highest value.
    """
    end = wave_ends(motion)[0]
    return (
        end._replace(field="middle", label=tr("Middle")),
        end._replace(field="size", label=tr("Size"), low=0.0, high=end.high - end.low),
    )


def with_middle(motion: Wave, middle: float) -> Wave:
    """Returns a wave about another middle, as large, as far as its ends allow."""
    low, high = _ends_of(motion)
    half = (motion.high - motion.low) / 2
    middle = min(high - abs(half), max(low + abs(half), middle))
    return replace(motion, low=middle - half, high=middle + half)


def with_size(motion: Wave, size: float) -> Wave:
    """Returns a wave about the same middle that is so large, as far as its ends
    allow.
    """
    low, high = _ends_of(motion)
    middle = (motion.low + motion.high) / 2
    half = min(abs(size) / 2, middle - low, high - middle)
    return replace(motion, low=middle - half, high=middle + half)


def _ends_of(motion: Wave) -> tuple[float, float]:
    """How low and how high a wave may go."""
    end = wave_ends(motion)[0]
    return end.low / end.times, end.high / end.times


SHAPES = ChoiceField(
    "shape",
    tr("Shape"),
    (
        (Shape.SINE, tr("Sine")),
        (Shape.TRIANGLE, tr("Triangle")),
        (Shape.UP, tr("Ramp up")),
        (Shape.DOWN, tr("Ramp down")),
        (Shape.PULSE, tr("Pulse")),
        (Shape.STEPS, tr("Steps")),
        (Shape.RANDOM, tr("Random")),
        (Shape.OWN, tr("Own curve")),
    ),
)

MODES = ChoiceField(
    "mode",
    tr("What it does"),
    (
        (EffectMode.REPLACES, tr("Replaces")),
        (EffectMode.SCALES, tr("Scales")),
        (EffectMode.ADDS, tr("Adds")),
    ),
)

WAVE: tuple[Entry, ...] = (
    Number("width", tr("Up for"), 1, 100, "%", 0, 100.0, _shape_is(Shape.PULSE)),
    Number("steps", tr("Steps"), 2, 32, "", 0, 1.0, _shape_is(Shape.STEPS)),
    Number("active", tr("Active for"), 1, 100, "%", 0, 100.0, _goes_on),
    Toggle("smooth", tr("Round"), tr("Round the curve"), _shape_is(Shape.OWN)),
    Toggle(
        "there_and_back", tr("There and back"), tr("Go back the same way"), _goes_on
    ),
    Toggle("backward", tr("Backward"), tr("Run the other way")),
)

ROLL: tuple[Entry, ...] = (
    Number("length", tr("Length"), 0, 64, "fixtures", 1),
    Number("gap", tr("Gap"), 0, 64, "fixtures", 1),
    Toggle(
        "hard", tr("Hard edges"), tr("From one colour to the next without going over")
    ),
    Toggle(
        "brightness", tr("Dark colours dim"), tr("Brightness is part of the colours")
    ),
    Toggle(
        "across",
        tr("Across the stage"),
        tr("By where fixtures hang, not by their order"),
    ),
    Toggle("there_and_back", tr("There and back"), tr("Roll back the same way")),
    Toggle("backward", tr("Backward"), tr("Roll the other way")),
)

PATHS = ChoiceField(
    "shape",
    tr("Shape"),
    (
        (PathShape.CIRCLE, tr("Circle")),
        (PathShape.ELLIPSE, tr("Ellipse")),
        (PathShape.LINE, tr("Line")),
        (PathShape.EIGHT, tr("Eight")),
        (PathShape.POLYGON, tr("Polygon")),
        (PathShape.WANDER, tr("Wander")),
        (PathShape.FREE, tr("Free")),
    ),
)

SPACES = ChoiceField(
    "in_room",
    tr("Where"),
    ((False, tr("Around its aim")), (True, tr("In the room"))),
)


def _in_room(motion: Path) -> bool:
    return motion.in_room


def _around(motion: Path) -> bool:
    return not motion.in_room


PATH: tuple[Entry, ...] = (
    Number("size", tr("Size"), 0.1, 90, "°", 1, 1.0, _around),
    Number("size", tr("Size"), 0.05, 8, "m", 2, 1.0, _in_room),
    Number("stretch", tr("Height"), 5, 300, "%", 0, 100.0),
    Number("turn", tr("Turn"), -180, 180, "°", 0),
    Number("sides", tr("Corners"), 3, 12, "", 0, 1.0, _shape_is(PathShape.POLYGON)),
    Number("seed", tr("Way number"), 1, 99, "", 0, 1.0, _shape_is(PathShape.WANDER)),
    ChoiceField(
        "plane",
        tr("Plane"),
        ((Plane.FLOOR, tr("Flat")), (Plane.WALL, tr("Upright"))),
        _in_room,
    ),
    ChoiceField(
        "keep_out",
        tr("Over areas to keep out of"),
        ((KeepOut.BEND, tr("Path bends")), (KeepOut.DARK, tr("Goes dark"))),
    ),
    Toggle("smooth", tr("Round"), tr("Round the corners"), _shape_is(PathShape.FREE)),
    Toggle("closed", tr("Closed"), tr("Join the ends"), _shape_is(PathShape.FREE)),
    Toggle("backward", tr("Backward"), tr("Go the other way round")),
)

PHASE: tuple[Entry, ...] = (
    Number("spread.amount", tr("Phase"), 0, 1440, "°", 0),
    Number("spread.parts", tr("Mirrored in"), 1, 16, "parts", 0),
    Number("spread.together", tr("Together"), 1, 32, "", 0),
    Number("spread.repeats", tr("Repeats"), 1, 16, "×", 0),
    ChoiceField(
        "spread.order",
        tr("Order"),
        (
            (Order.CHOSEN, tr("As chosen")),
            (Order.ACROSS, tr("Across")),
            (Order.NAME, tr("By name")),
            (Order.SHUFFLED, tr("Shuffled")),
        ),
    ),
    Toggle("spread.backward", tr("From the last"), tr("The last one goes first")),
)

FORMS: dict[str, tuple[Entry, ...]] = {
    Wave.kind: (*WAVE, *PHASE),
    ColourRoll.kind: (*ROLL, *PHASE),
    Path.kind: (*PATH, *PHASE),
}
"""Kind of motion → its fields. One that is not here cannot be changed."""

WHOLE_NUMBERS = ("steps", "sides", "seed", "parts", "together", "repeats")
"""Fields that hold whole numbers."""
