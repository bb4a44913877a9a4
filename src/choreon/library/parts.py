"""What types are put together from: channels, ranges and modes in few words."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import Any

from choreon.model.fixture_type import (
    Cell,
    Channel,
    Emitter,
    FixtureType,
    Mode,
    Range,
    Slot,
    Use,
    Wheel,
)

# CIE 1931 chromaticity and strength against red, of usual LEDs.
EMITTERS = {
    "red": Emitter(attribute="ColorAdd_R", x=0.690, y=0.309, strength=1.0),
    "green": Emitter(attribute="ColorAdd_G", x=0.172, y=0.726, strength=2.2),
    "blue": Emitter(attribute="ColorAdd_B", x=0.140, y=0.045, strength=0.4),
    "white": Emitter(attribute="ColorAdd_W", x=0.3127, y=0.329, strength=3.6),
    "amber": Emitter(attribute="ColorAdd_RY", x=0.570, y=0.428, strength=1.4),
    "uv": Emitter(attribute="ColorAdd_UV", x=0.167, y=0.009, strength=0.02),
    "lime": Emitter(attribute="ColorAdd_GY", x=0.402, y=0.561, strength=3.4),
    "cyan": Emitter(attribute="ColorAdd_C", x=0.090, y=0.430, strength=1.6),
    "warm": Emitter(attribute="ColorAdd_WW", x=0.458, y=0.410, strength=3.0),
    "cold": Emitter(attribute="ColorAdd_CW", x=0.313, y=0.329, strength=3.6),
}
NAMES = {"warm": "Warm white", "cold": "Cold white", "uv": "UV"}


def channel(key: str, name: str, *ranges: Range, home: int | None = None, resolution: int = 1, **more: Any) -> Channel:
    """A channel; without a home it rests at the beginning of its first range."""
    return Channel(
        key=key, name=name, ranges=ranges, home=ranges[0].start if home is None else home, resolution=resolution, **more
    )


def line(attribute: str, low: float = 0.0, high: float = 1.0, start: int = 0, end: int = 255, name: str = "") -> Range:
    """A continuous range, descending where `low` is above `high`."""
    return Range(start=start, end=end, attribute=attribute, low=low, high=high, name=name)


def point(attribute: str, value: float, start: int, end: int, name: str, **more: Any) -> Range:
    """A range of one meaning."""
    return Range(start=start, end=end, attribute=attribute, low=value, high=value, name=name, **more)


def whole(key: str, name: str, attribute: str, low: float = 0.0, high: float = 1.0, home: int = 0) -> Channel:
    """A channel of one continuous meaning from end to end."""
    return channel(key, name, line(attribute, low, high), home=home)


DIMMER = whole("dimmer", "Dimmer", "Dimmer")


def emitters(*names: str) -> list[Channel]:
    """A channel for each colour of light."""
    return [whole(n, NAMES.get(n, n.capitalize()), EMITTERS[n].attribute) for n in names]


def shutter(
    closed: tuple[int, int] | None,
    opened: tuple[int, int],
    strobe: tuple[int, int],
    hertz: tuple[float, float],
    name: str = "Shutter",
) -> Channel:
    """Closed, open, and strobing from one rate to another."""
    made = [
        point("Shutter1", 1, *opened, "Open"),
        line("Shutter1Strobe", hertz[0], hertz[1], strobe[0], strobe[1], "Strobe"),
    ]
    if closed:
        made.append(point("Shutter1", 0, *closed, "Closed"))
    made.sort(key=lambda r: r.start)
    return channel("shutter", name, *made, home=(opened[0] + opened[1]) // 2)


def steps(attribute: str, names: Sequence[str], width: int, start: int = 0, first: int = 0) -> list[Range]:
    """Slots side by side, `width` values each."""
    return [
        point(attribute, first + i, start + i * width, start + (i + 1) * width - 1, name)
        for i, name in enumerate(names)
    ]


def wheel(
    key: str, name: str, attribute: str, slots: Sequence[Slot], width: int, *more: Range
) -> tuple[Channel, Wheel]:
    """A wheel and the channel that chooses its slots; `more` ranges follow the slots.
    """
    ranges = [*steps(attribute, [s.name for s in slots], width), *more]
    return channel(key, name, *ranges, wheel=key), Wheel(key=key, name=name, slots=tuple(slots))


def mode(name: str, slots: str, cells: Sequence[Cell] = ()) -> Mode:
    """A mode from a line of channels in the order of their slots.

    `pan+` is a further byte of `pan`, `red@3` belongs to the third cell, `-` leaves a
    slot empty.
    """
    uses: dict[tuple[str, int], list[int]] = {}
    for slot, word in enumerate(slots.split(), 1):
        if word != "-":
            key, _, cell = word.partition("@")
            uses.setdefault((key.rstrip("+"), int(cell or 0)), []).append(slot)
    return Mode(name=name, uses=tuple(Use(k, tuple(s), c) for (k, c), s in uses.items()), cells=tuple(cells))


def numbered(slots: str, cells: Sequence[Cell] = (), note: str = "") -> Mode:
    """A mode that is called after how many slots it has."""
    made = mode("", slots, cells)
    return Mode(name=f"{made.footprint} channel{note}", uses=made.uses, cells=made.cells)


def in_cells(channels: str, count: int) -> str:
    """The channels once for each cell."""
    return " ".join(f"{c}@{i}" for i in range(1, count + 1) for c in channels.split())


def in_line(count: int, length: float) -> list[Cell]:
    """Cells side by side over a length in metres."""
    step = length / count
    return [Cell(str(i + 1), round(-length / 2 + step * (i + 0.5), 4)) for i in range(count)]


def in_grid(columns: int, rows: int, pitch: float) -> list[Cell]:
    """Cells in rows from the upper left, `pitch` metres apart."""
    return [
        Cell(
            str(r * columns + c + 1), round((c - (columns - 1) / 2) * pitch, 4), round(((rows - 1) / 2 - r) * pitch, 4)
        )
        for r in range(rows)
        for c in range(columns)
    ]


def fixture(
    maker: str, name: str, kind: str, channels: Iterable[Channel], modes: Iterable[Mode], *, id: str = "", **more: Any
) -> FixtureType:
    """A type; its emitters follow from its channels."""
    channels = tuple(channels)
    used = [e for n, e in EMITTERS.items() if any(r.attribute == e.attribute for c in channels for r in c.ranges)]
    made = id or re.sub(r"[^a-z0-9]+", "-", f"{maker} {name}".lower()).strip("-")
    return FixtureType(
        id=made, maker=maker, name=name, kind=kind, channels=channels, modes=tuple(modes), emitters=tuple(used), **more
    )
