"""Surfaces: a controller as it lies on the table, what each part of it sends, and what
each can show.
"""

from __future__ import annotations

import re
from enum import StrEnum

import msgspec

from choreon.language import tr
from choreon.model.inputs import Coding, Control, MidiInput
from choreon.model.inputs.midi import midi_parts
from choreon.model.numbers import Count, Number

MOST_PARTS = 1024
MOST_BYTES = 256  # of a message that a part is shown something by
LARGEST = 1000.0


class PartSort(StrEnum):
    """What a part looks like, and how it is moved."""

    FADER = "fader"
    DIAL = "dial"
    ENDLESS = "endless"
    PAD = "pad"
    KEY = "key"
    WHEEL = "wheel"
    PEDAL = "pedal"
    WHITE = "white key"
    BLACK = "black key"


class Shows(StrEnum):
    """How a part shows something."""

    NOTHING = "nothing"
    LIGHT = "light"
    """Off, there, on: three values."""
    LEVELS = "levels"
    """A light that is as bright as its value."""
    COLOURS = "colours"
    """The value out of a table whose colour lies nearest."""
    MIX = "mix"
    """Red, green and blue, in a message of its own."""
    RING = "ring"
    """Lights about a dial: how far it is."""
    MOTOR = "motor"
    """A fader that moves by itself."""
    TEXT = "text"
    """A line of letters, in a message of its own."""


class Shade(msgspec.Struct, frozen=True, array_like=True):
    """The value by which a light shows a colour (#RRGGBB)."""

    value: Count
    colour: str


class Display(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a part shows, and by which bytes.

    `by`: the control whose message sets it, where that is another than it sends.
    `off`, `there`, `on`: the values of a light, 0…127. `blink`: a value at which it
    blinks by itself; below 0 it is switched on and off. `shades`: values by colour.
    `bytes`: a message in hexadecimal, in which {r}, {g}, {b} stand for a colour's parts
    (0…127), {v} for a value, {text} for letters.
    """

    how: Shows = Shows.NOTHING
    by: str = ""
    off: Count = 0
    there: Count = 20
    on: Count = 127
    blink: Count = -1
    shades: tuple[Shade, ...] = ()
    bytes: str = ""


class SurfacePart(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A part of a controller: where it lies, in units of the drawing, what it sends,
    and what it shows.

    `sends`: its control, as the kind of input calls it. `touch`: the key that says that
    a hand is on it.
    """

    id: str
    sort: PartSort
    x: Number
    y: Number
    w: Number = 1.0
    h: Number = 1.0
    name: str = ""
    sends: str = ""
    coding: Coding = Coding.PLACE
    toggles: bool = False
    touch: str = ""
    shows: Display = Display()


class Surface(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A controller. `id`: the device that it is. `own_pages`: it does not follow the
    page on the screen.
    """

    id: str
    name: str
    parts: tuple[SurfacePart, ...] = ()
    kind: str = MidiInput.kind
    own_pages: bool = False

    def part(self, sends: str) -> SurfacePart | None:
        """Returns the part that sends something."""
        return next((part for part in self.parts if part.sends == sends), None)

    def control(self, part: SurfacePart) -> Control:
        """Returns the control that a part is."""
        return Control(self.kind, self.id, part.sends)

    @property
    def extent(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of all parts; a unit where there are none."""
        if not self.parts:
            return 0.0, 0.0, 1.0, 1.0
        return (
            min(part.x for part in self.parts),
            min(part.y for part in self.parts),
            max(part.x + part.w for part in self.parts),
            max(part.y + part.h for part in self.parts),
        )


def faults(surface: Surface) -> list[str]:
    """Returns what is wrong with a surface, in words; nothing where it can be used."""
    found = []
    if len(surface.parts) > MOST_PARTS:
        n = len(surface.parts)
        found.append(tr("it has {n} parts, more than {most}", n=n, most=MOST_PARTS))
    seen: set[str] = set()
    for part in surface.parts[:MOST_PARTS]:
        fault = _fault(part)
        if part.id in seen:
            fault = tr("there are two of its name")
        seen.add(part.id)
        if fault:
            found.append(tr("part {part}: {fault}", part=part.id, fault=fault))
    return found


def _fault(part: SurfacePart) -> str:
    """What is wrong with a part; empty where nothing is."""
    places = (part.x, part.y, part.w, part.h)
    if not all(abs(place) <= LARGEST for place in places) or min(part.w, part.h) <= 0:
        return tr("its place cannot be drawn")
    for name in (part.sends, part.touch, part.shows.by):
        if name and not _is_control(name):
            return tr("“{name}” is no control", name=name)
    return "" if template_fits(part.shows.bytes) else tr("its bytes are no message")


def _is_control(name: str) -> bool:
    try:
        _, channel, number = midi_parts(name)
    except ValueError:
        return False
    return 0 <= channel < 16 and 0 <= number < 128


_TEMPLATE = re.compile(r"(?:[0-9A-Fa-f]{2}|\{(?:r|g|b|v|text)\}|\s)*")


def template_fits(template: str) -> bool:
    """Returns whether a message in hexadecimal, with its fields, can be sent."""
    return len(template) <= 4 * MOST_BYTES and bool(_TEMPLATE.fullmatch(template))
