"""A fixture type: what channels a make of lamp has and what each value on
them means.
"""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from choreon.model import attributes as at
from choreon.model.numbers import Number, Whole


class Range(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A span of a channel's values with one meaning.

    `start`…`end` (inclusive) count in the channel's own resolution. They map linearly
    onto `low`…`high` in the attribute's unit; descending spans have `low > high`,
    discrete ones `low == high`. `slot` (from 0) ties a turning or shaking range to one
    slot of the channel's wheel. `private` marks what nothing may choose by itself:
    built-in programs, sound modes. `hold`: seconds that a command must stand. `travel`:
    seconds that the lamp takes from the one end to the other; 0 where that is not
    known.
    """

    start: Whole
    end: Whole
    attribute: str
    low: Number = 0.0
    high: Number = 1.0
    name: str = ""
    slot: Whole = -1
    private: bool = False
    hold: Number = 0.0
    travel: Number = 0.0

    @property
    def discrete(self) -> bool:
        """Whether it stands for one value alone."""
        return self.low == self.high

    @property
    def on_purpose(self) -> bool:
        """Whether it is only ever reached on purpose."""
        return self.private or at.attribute(self.attribute).program

    def value_at(self, raw: float) -> float:
        """What a value on the channel, in the channel's own resolution, means."""
        if self.end <= self.start or self.discrete:
            return self.low
        return self.low + (self.high - self.low) * (raw - self.start) / (
            self.end - self.start
        )

    def raw_at(self, value: float) -> int:
        """The channel's value, in its own resolution, for a meaning; the middle of a
        discrete range.
        """
        if self.discrete:
            return (self.start + self.end) // 2
        part = (value - self.low) / (self.high - self.low)
        return int(
            self.start + min(1.0, max(0.0, part)) * (self.end - self.start) + 0.5
        )


class Channel(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One channel's definition, shared by the modes that use it.

    `home`, `open` and the ranges count in `resolution` bytes (1: 0…255, 2: 0…65535, 3:
    0…16777215). A mode may give the channel more or fewer slots than that; the numbers
    are then scaled. `open`: its value when the fixture is opened up, where that is not
    its home. `rest`: leave alone; it stays at home and is not offered anywhere.
    `wheel`: key of the wheel that its slots belong to.
    """

    key: str
    ranges: tuple[Range, ...]
    name: str = ""
    home: Whole = 0
    resolution: Whole = 1
    open: int | None = None
    rest: bool = False
    wheel: str = ""

    @property
    def label(self) -> str:
        """What it is called: its name, else its key."""
        return self.name or self.key

    @property
    def top(self) -> int:
        """The highest value."""
        return int(256**self.resolution - 1)

    def at(self, raw: float) -> Range | None:
        """The range that a value, in the channel's own resolution, lies in."""
        return next((r for r in self.ranges if r.start <= raw < r.end + 1), None)


class Slot(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A slot of a wheel: `colour` as #RRGGBB (sRGB), `picture` a PNG or SVG, white
    where light passes.

    `split`: the colour of its other half, where the wheel stops between two filters.
    """

    name: str
    colour: str = ""
    split: str = ""
    picture: bytes = b""


class Wheel(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A wheel; an attribute's value 0 is its first slot."""

    key: str
    name: str
    slots: tuple[Slot, ...]


class Emitter(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A light source that colour is mixed with: its attribute, CIE 1931 chromaticity,
    and strength against the others (luminous flux at full, any one unit).
    """

    attribute: str
    x: Number
    y: Number
    strength: Number = 1.0


class Use(msgspec.Struct, frozen=True, omit_defaults=True):
    """A channel in a mode: its slots (from 1, coarse byte first) and the cell it
    belongs to (0: the whole fixture).
    """

    channel: str
    slots: tuple[Whole, ...]
    cell: Whole = 0


class Cell(msgspec.Struct, frozen=True, omit_defaults=True):
    """A part of a fixture that lights by itself, at `x`, `y` metres from the fixture's
    middle.
    """

    name: str
    x: Number = 0.0
    y: Number = 0.0


class Mode(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One personality of a type: which channels stand in which slots. `overrides`:
    definitions that differ here.
    """

    name: str
    uses: tuple[Use, ...]
    cells: tuple[Cell, ...] = ()
    overrides: tuple[Channel, ...] = ()

    @property
    def footprint(self) -> int:
        """How many slots the mode takes."""
        return max((slot for use in self.uses for slot in use.slots), default=0)


class FixtureType(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A make of lamp. `beam` is its full beam angle in degrees (0: it glows rather than
    beams), `field` its field angle where known, `lamp` what makes the light: LED,
    discharge, tungsten or nothing.
    """

    id: str
    maker: str
    name: str
    kind: str
    channels: tuple[Channel, ...]
    modes: tuple[Mode, ...]
    beam: Number = 25.0
    field: Number = 0.0
    body: str = "par"
    lamp: str = ""
    wheels: tuple[Wheel, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    notes: str = ""

    @property
    def label(self) -> str:
        """Maker and name."""
        return f"{self.maker} {self.name}".strip()

    def mode(self, name: str) -> Mode | None:
        """Returns the mode of a name; None where there is none."""
        return next((mode for mode in self.modes if mode.name == name), None)

    def channel(self, key: str, mode: Mode | None = None) -> Channel | None:
        """The channel called `key`, as `mode` has it."""
        for channel in (*(mode.overrides if mode else ()), *self.channels):
            if channel.key == key:
                return channel
        return None

    def wheel(self, key: str) -> Wheel | None:
        """Returns the wheel of a key; None where there is none."""
        return next((wheel for wheel in self.wheels if wheel.key == key), None)

    def used(self, mode: Mode) -> Iterator[tuple[Use, Channel]]:
        """The uses of a mode in the order of their slots, with their channels; unknown
        channels are left out.
        """
        for use in sorted(mode.uses, key=lambda u: u.slots[:1]):
            channel = self.channel(use.channel, mode)
            if channel is not None:
                yield use, channel

    @property
    def attributes(self) -> set[str]:
        """Every attribute of every range."""
        channels = (*self.channels, *(c for mode in self.modes for c in mode.overrides))
        return {r.attribute for c in channels for r in c.ranges}


BODIES: tuple[str, ...] = (
    "par",
    "profile",
    "fresnel",
    "flood",
    "bar",
    "dot",
    "panel",
    "spot",
    "wash",
    "beam",
)
BODIES += (
    "scanner",
    "mirror",
    "strobe",
    "blinder",
    "hazer",
    "fan",
    "multi",
    "tape",
    "pack",
)
LAMPS: tuple[str, ...] = ("", "LED", "discharge", "tungsten")


def main_attribute(channel: Channel) -> str:
    """What a channel of several meanings is about in the first place: `Color1` rather
    than `Color1WheelSpin`.
    """
    names = [r.attribute for r in channel.ranges if _drives(r)]
    plain = [n for n in names if not at.attribute(n).program] or names
    return min(dict.fromkeys(plain), key=len, default="")


def _drives(span: Range) -> bool:
    return span.attribute != at.NOTHING and not at.attribute(span.attribute).command


def bytes_of(raw: int, resolution: int, slots: int) -> bytes:
    """A channel's value, in its own resolution, as the bytes of `slots` slots, coarse
    first.
    """
    shift = 8 * (slots - resolution)
    value = raw << shift if shift >= 0 else raw >> -shift
    return int(value).to_bytes(slots, "big")
