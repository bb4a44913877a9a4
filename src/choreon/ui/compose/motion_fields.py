"""What can be set of a motion: lists of fields, from which its form is built."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import msgspec

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
            Number("low", "Down to", 0, 100, "%", 0, 100.0),
            Number("high", "Up to", 0, 100, "%", 0, 100.0),
        )

    low, high = known.low, known.high
    if motion.mode == EffectMode.ADDS:
        low, high = -(known.high - known.low), known.high - known.low

    times = 100.0 if known.unit == "%" else 1.0
    digits = 0 if times > 1 else 1
    unit = known.unit

    return (
        Number("low", "Low", low * times, high * times, unit, digits, times),
        Number("high", "High", low * times, high * times, unit, digits, times),
    )


def middle_and_size(motion: Wave) -> tuple[Number, Number]:
    """Returns the fields that stand in the place of wave_ends where the middle of a
    wave is given, and how far it is from its lowest to its highest value.
    """
    end = wave_ends(motion)[0]
    return (
        end._replace(field="middle", label="Middle"),
        end._replace(field="size", label="Size", low=0.0, high=end.high - end.low),
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
    "Shape",
    (
        (Shape.SINE, "Sine"),
        (Shape.TRIANGLE, "Triangle"),
        (Shape.UP, "Ramp up"),
        (Shape.DOWN, "Ramp down"),
        (Shape.PULSE, "Pulse"),
        (Shape.STEPS, "Steps"),
        (Shape.RANDOM, "Random"),
        (Shape.OWN, "Own curve"),
    ),
)

MODES = ChoiceField(
    "mode",
    "What it does",
    (
        (EffectMode.REPLACES, "Replaces"),
        (EffectMode.SCALES, "Scales"),
        (EffectMode.ADDS, "Adds"),
    ),
)

WAVE: tuple[Entry, ...] = (
    Number("width", "Up for", 1, 100, "%", 0, 100.0, _shape_is(Shape.PULSE)),
    Number("steps", "Steps", 2, 32, "", 0, 1.0, _shape_is(Shape.STEPS)),
    Number("active", "Active for", 1, 100, "%", 0, 100.0, _goes_on),
    Toggle("smooth", "Round", "Round the curve", _shape_is(Shape.OWN)),
    Toggle("there_and_back", "There and back", "Go back the same way", _goes_on),
    Toggle("backward", "Backward", "Run the other way"),
)

ROLL: tuple[Entry, ...] = (
    Number("length", "Length", 0, 64, "fixtures", 1),
    Number("gap", "Gap", 0, 64, "fixtures", 1),
    Toggle("hard", "Hard edges", "From one colour to the next without going over"),
    Toggle("brightness", "Dark colours dim", "Brightness is part of the colours"),
    Toggle("across", "Across the stage", "By where fixtures hang, not by their order"),
    Toggle("there_and_back", "There and back", "Roll back the same way"),
    Toggle("backward", "Backward", "Roll the other way"),
)

PATHS = ChoiceField(
    "shape",
    "Shape",
    (
        (PathShape.CIRCLE, "Circle"),
        (PathShape.ELLIPSE, "Ellipse"),
        (PathShape.LINE, "Line"),
        (PathShape.EIGHT, "Eight"),
        (PathShape.POLYGON, "Polygon"),
        (PathShape.WANDER, "Wander"),
        (PathShape.FREE, "Free"),
    ),
)

SPACES = ChoiceField(
    "in_room",
    "Where",
    ((False, "Around its aim"), (True, "In the room")),
)


def _in_room(motion: Path) -> bool:
    return motion.in_room


def _around(motion: Path) -> bool:
    return not motion.in_room


PATH: tuple[Entry, ...] = (
    Number("size", "Size", 0.1, 90, "°", 1, 1.0, _around),
    Number("size", "Size", 0.05, 8, "m", 2, 1.0, _in_room),
    Number("stretch", "Height", 5, 300, "%", 0, 100.0),
    Number("turn", "Turn", -180, 180, "°", 0),
    Number("sides", "Corners", 3, 12, "", 0, 1.0, _shape_is(PathShape.POLYGON)),
    Number("seed", "Way number", 1, 99, "", 0, 1.0, _shape_is(PathShape.WANDER)),
    ChoiceField(
        "plane",
        "Plane",
        ((Plane.FLOOR, "Flat"), (Plane.WALL, "Upright")),
        _in_room,
    ),
    ChoiceField(
        "keep_out",
        "Over areas to keep out of",
        ((KeepOut.BEND, "Path bends"), (KeepOut.DARK, "Goes dark")),
    ),
    Toggle("smooth", "Round", "Round the corners", _shape_is(PathShape.FREE)),
    Toggle("closed", "Closed", "Join the ends", _shape_is(PathShape.FREE)),
    Toggle("backward", "Backward", "Go the other way round"),
)

PHASE: tuple[Entry, ...] = (
    Number("spread.amount", "Phase", 0, 1440, "°", 0),
    Number("spread.parts", "Mirrored in", 1, 16, "parts", 0),
    Number("spread.together", "Together", 1, 32, "", 0),
    Number("spread.repeats", "Repeats", 1, 16, "×", 0),
    ChoiceField(
        "spread.order",
        "Order",
        (
            (Order.CHOSEN, "As chosen"),
            (Order.ACROSS, "Across"),
            (Order.NAME, "By name"),
            (Order.SHUFFLED, "Shuffled"),
        ),
    ),
    Toggle("spread.backward", "From the last", "The last one goes first"),
)

FORMS: dict[str, tuple[Entry, ...]] = {
    Wave.kind: (*WAVE, *PHASE),
    ColourRoll.kind: (*ROLL, *PHASE),
    Path.kind: (*PATH, *PHASE),
}
"""Kind of motion → its fields. One that is not here cannot be changed."""

WHOLE_NUMBERS = ("steps", "sides", "seed", "parts", "together", "repeats")
"""Fields that hold whole numbers."""
