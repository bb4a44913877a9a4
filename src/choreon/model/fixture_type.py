"""A fixture type: what channels a make of lamp has and what each value on them means."""

from __future__ import annotations

import msgspec


class Range(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A span of a channel's values with one meaning.

    `start`…`end` (inclusive) count in the channel's own resolution. They map linearly onto `low`…`high` in the
    attribute's unit; descending spans have `low > high`.
    """

    start: int
    end: int
    attribute: str
    low: float = 0.0
    high: float = 1.0
    name: str = ""


class Channel(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One channel's definition, shared by the modes that use it.

    `home` and the ranges count in `resolution` bytes (1: 0…255, 2: 0…65535). A mode may give the channel more or
    fewer slots than that; the numbers are then scaled.
    """

    key: str
    ranges: tuple[Range, ...]
    name: str = ""
    home: int = 0
    resolution: int = 1

    @property
    def label(self) -> str:
        return self.name or self.key


class Use(msgspec.Struct, frozen=True, omit_defaults=True):
    """A channel in a mode: its slots (from 1, coarse byte first) and the cell it belongs to (0: the whole fixture)."""

    channel: str
    slots: tuple[int, ...]
    cell: int = 0


class Cell(msgspec.Struct, frozen=True, omit_defaults=True):
    """A part of a fixture that lights by itself, at `x`, `y` metres from the fixture's middle."""

    name: str
    x: float = 0.0
    y: float = 0.0


class Mode(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """One personality of a type: which channels stand in which slots."""

    name: str
    uses: tuple[Use, ...]
    cells: tuple[Cell, ...] = ()

    @property
    def footprint(self) -> int:
        """How many slots the mode takes."""
        return max((slot for use in self.uses for slot in use.slots), default=0)


class FixtureType(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """A make of lamp. `beam` is its full beam angle in degrees (0: it glows rather than beams)."""

    id: str
    maker: str
    name: str
    kind: str
    channels: tuple[Channel, ...]
    modes: tuple[Mode, ...]
    beam: float = 25.0
    body: str = "par"

    @property
    def label(self) -> str:
        return f"{self.maker} {self.name}".strip()

    def mode(self, name: str) -> Mode | None:
        return next((mode for mode in self.modes if mode.name == name), None)

    def channel(self, key: str) -> Channel | None:
        return next((channel for channel in self.channels if channel.key == key), None)
