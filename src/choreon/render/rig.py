"""Compiling the rig: fixtures and their types become a table with one row a parameter.

Rows stand in the order intensity, target colour (three in a row), other interpolating, snapping, so that each kind
is a slice. Colour rows hold OKLab while they are blended.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, FixtureType, Mode, Range, Use
from choreon.model.show import SLOTS, Fixture
from choreon.render import aim
from choreon.render.colour import to_oklab

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bytes = npt.NDArray[np.uint8]

WHITE = to_oklab([1.0, 1.0, 1.0])


@dataclass(frozen=True)
class Span:
    """A channel's range in raw units of the mode's resolution, mapping `low`…`high` onto `start`…`end`."""

    start: float
    end: float
    low: float
    high: float

    @property
    def slope(self) -> float:
        return (self.end - self.start) / (self.high - self.low) if self.high != self.low else 0.0

    @property
    def offset(self) -> float:
        return self.start - self.slope * self.low if self.slope else (self.start + self.end) // 2


def span_of(found: Range, channel: Channel, use: Use) -> Span:
    """The range scaled to the number of slots that the mode gives the channel."""
    scale = 256.0 ** (len(use.slots) - channel.resolution)
    start = np.floor(found.start * scale)
    return Span(start, max(start, np.ceil((found.end + 1) * scale) - 1), found.low, found.high)


@dataclass
class Part:
    """One cell of one fixture (cell 0: the fixture itself) and the rows that light it."""

    fixture: str
    cell: int
    rows: dict[str, int] = field(default_factory=dict)
    virtual: bool = False


@dataclass
class Rig:
    """The compiled rig. P parameters, I intensities, K target colours, C channels, U universes."""

    fixtures: dict[str, Fixture]
    parts: list[Part]
    names: list[str]  # P: attribute of each row
    intensities: int
    colours: int
    snaps_from: int
    home: Floats  # P, in blending units
    low: Floats  # P
    high: Floats  # P
    light: Ints  # P: the intensity row that shows this parameter; I stands for “always lit”
    where: dict[str, dict[str, list[tuple[int, int]]]]  # fixture → attribute → [(cell, row)]
    universes: tuple[int, ...]
    # virtual dimmers, over sources
    scaled: Ints
    scaled_by: Ints
    # channels: raw = clip(source × slope + offset, floor, top)
    source: Ints  # C, into the sources: P parameters, 4K emitters, then shutters
    slope: Floats
    offset: Floats
    floor: Floats
    top: Floats
    shutters: Floats  # n × 8, see encode
    shutter_rows: Ints  # n × 2: shutter and strobe row
    # bytes
    byte_channel: Ints
    byte_shift: npt.NDArray[np.int32]
    byte_at: Ints  # into the flat frame
    white: Ints  # the colours that have a white emitter

    @property
    def size(self) -> int:
        return len(self.home)

    @property
    def colour_rows(self) -> slice:
        return slice(self.intensities, self.intensities + 3 * self.colours)

    def blank(self) -> Bytes:
        """A frame of zeros, (U, 512)."""
        return np.zeros((len(self.universes), SLOTS), np.uint8)


_EMITTER_AT = {name: i for i, name in enumerate(at.EMITTERS)}


def _meaning(kind: FixtureType, mode: Mode) -> list[tuple[Use, Channel, set[str]]]:
    found = []
    for use in mode.uses:
        channel = kind.channel(use.channel)
        if channel is not None:
            found.append((use, channel, {r.attribute for r in channel.ranges}))
    return found


def _parts_of(fixture: Fixture, kind: FixtureType, mode: Mode) -> list[Part]:
    """The parts and the attributes (rows still −1) of each."""
    uses = _meaning(kind, mode)
    parts = [Part(fixture.id, cell) for cell in range(len(mode.cells) + 1)]
    for use, _, meanings in uses:
        rows = parts[use.cell].rows
        if meanings & set(at.EMITTERS[:3]):
            rows.update(dict.fromkeys(at.TARGET_COLOUR, -1))
        elif meanings <= {at.SHUTTER, at.STROBE} and meanings:
            rows.update({at.SHUTTER: -1, at.STROBE: -1})
        elif not (meanings & set(at.EMITTERS)):
            known = [m for m in meanings if m in at.ATTRIBUTES and m not in (at.SHUTTER, at.STROBE)]
            rows[known[0] if len(known) == 1 == len(meanings) else device_attribute(use, meanings)] = -1
    master = at.DIMMER in parts[0].rows
    for part in parts:
        mixes = at.RED in part.rows or at.AMBER in part.rows or at.UV in part.rows
        if mixes and at.DIMMER not in part.rows and not master:
            part.rows[at.DIMMER] = -1
            part.virtual = True
    return [part for part in parts if part.rows]


def device_attribute(use: Use, meanings: set[str]) -> str:
    """The name under which a channel without a meaning here is driven: its one attribute, else the channel's key."""
    return next(iter(meanings)) if len(meanings) == 1 else use.channel


def compile_rig(types: Mapping[str, FixtureType], fixtures: Mapping[str, Fixture]) -> Rig:
    """Compile the fixtures whose type and mode are known; slots outside 1…512 are left out of the frame."""
    known = []
    for fixture in fixtures.values():
        kind = types.get(fixture.type)
        mode = kind.mode(fixture.mode) if kind else None
        if kind and mode and fixture.universe > 0:
            known.append((fixture, kind, mode, _parts_of(fixture, kind, mode)))
    parts = [part for *_, its in known for part in its]
    rows = _number_rows(parts)
    where: dict[str, dict[str, list[tuple[int, int]]]] = {}
    for part in parts:
        for name, row in part.rows.items():
            where.setdefault(part.fixture, {}).setdefault(name, []).append((part.cell, row))
    rig = Rig(
        fixtures={f.id: f for f, *_ in known},
        parts=parts,
        where=where,
        universes=tuple(sorted({f.universe for f, *_ in known})),
        **rows,
    )
    _Channels(rig).fill(known)
    return rig


def _number_rows(parts: list[Part]) -> dict[str, Any]:
    intensity = [(p, at.DIMMER) for p in parts if at.DIMMER in p.rows]
    coloured = [p for p in parts if at.RED in p.rows]
    rest = [(p, n) for p in parts for n in p.rows if n != at.DIMMER and n not in at.TARGET_COLOUR]
    rest.sort(key=lambda pn: at.attribute(pn[1]).snap)
    order = intensity + [(p, n) for p in coloured for n in at.TARGET_COLOUR] + rest
    for row, (part, name) in enumerate(order):
        part.rows[name] = row
    lit: dict[str, int] = {}
    for row, (part, _) in reversed(list(enumerate(intensity))):
        if part.cell == 0 or part.fixture not in lit:
            lit[part.fixture] = row
    always = len(intensity)
    light = [p.rows.get(at.DIMMER, lit.get(p.fixture, always)) for p, _ in order]
    known = [at.attribute(name) for _, name in order]
    home = np.zeros(len(order))
    colours = slice(always, always + 3 * len(coloured))
    home[colours] = np.tile(WHITE, len(coloured))
    for row, (_, name) in enumerate(order):
        if name == at.SHUTTER:
            home[row] = 1.0
    return {
        "names": [name for _, name in order],
        "intensities": always,
        "colours": len(coloured),
        "snaps_from": next((i for i, a in enumerate(known) if a.snap and i >= colours.stop), len(order)),
        "home": home,
        "low": np.array([a.low for a in known]),
        "high": np.array([a.high for a in known]),
        "light": np.array(light, np.int64),
        **dict.fromkeys(("source", "slope", "offset", "floor", "top"), np.zeros(0)),
        **dict.fromkeys(
            ("scaled", "scaled_by", "byte_channel", "byte_shift", "byte_at", "white"), np.zeros(0, np.int64)
        ),
        "shutters": np.zeros((0, 8)),
        "shutter_rows": np.zeros((0, 2), np.int64),
    }


class _Channels:
    """Collects how each channel is encoded, then lays it into the rig as arrays."""

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.channels: list[tuple[int, float, float, float, float]] = []
        self.bytes: list[tuple[int, int, int]] = []
        self.scaled: list[tuple[int, int]] = []
        self.shutters: list[tuple[float, ...]] = []
        self.white: list[int] = []
        self.shutter_rows: list[tuple[int, int]] = []

    def fill(self, known: list[tuple[Fixture, FixtureType, Mode, list[Part]]]) -> None:
        rig = self.rig
        index = {universe: i for i, universe in enumerate(rig.universes)}
        for fixture, kind, mode, parts in known:
            by_cell = {part.cell: part for part in parts}
            base = index[fixture.universe] * SLOTS
            for use, channel, meanings in _meaning(kind, mode):
                self._channel(by_cell[use.cell], use, channel, meanings)
                for i, slot in enumerate(use.slots):
                    at_slot = fixture.address + slot - 2
                    if 0 <= at_slot < SLOTS:
                        shift = 8 * (len(use.slots) - 1 - i)
                        self.bytes.append((len(self.channels) - 1, shift, base + at_slot))
        table = np.array(self.channels, float).reshape(-1, 5).T
        rig.source, rig.slope, rig.offset = table[0].astype(np.int64), table[1], table[2]
        rig.floor, rig.top = table[3], table[4]
        rig.byte_channel, shifts, rig.byte_at = np.array(self.bytes, np.int64).reshape(-1, 3).T
        rig.scaled, rig.scaled_by = np.array(self.scaled, np.int64).reshape(-1, 2).T
        rig.byte_shift = shifts.astype(np.int32)
        rig.white = np.array(self.white, np.int64)
        rig.shutters = np.array(self.shutters).reshape(-1, 8)
        rig.shutter_rows = np.array(self.shutter_rows, np.int64).reshape(-1, 2)

    def _channel(self, part: Part, use: Use, channel: Channel, meanings: set[str]) -> None:
        rig = self.rig
        full = 256.0 ** len(use.slots) - 1
        spans = [(r, span_of(r, channel, use)) for r in channel.ranges]
        emitter = next((m for m in meanings if m in _EMITTER_AT), None)
        shutter = bool(meanings) and meanings <= {at.SHUTTER, at.STROBE}
        if emitter and at.RED in part.rows:
            colour = (part.rows[at.RED] - rig.intensities) // 3
            source = rig.size + 4 * colour + _EMITTER_AT[emitter]
            self._linear(source, spans[0][1])
            self._scale(part, source)
            if emitter == at.EMITTERS[3]:
                self.white.append(colour)
        elif shutter:
            self.channels.append((rig.size + 4 * rig.colours + len(self.shutters), 1.0, 0.0, 0.0, full))
            self.shutters.append(_shutter(spans))
            self.shutter_rows.append((part.rows[at.SHUTTER], part.rows[at.STROBE]))
        elif len(meanings) == 1 and (name := next(iter(meanings))) in at.ATTRIBUTES and name in part.rows:
            row = part.rows[name]
            span = spans[0][1]
            self._linear(row, span)
            rig.low[row], rig.high[row] = min(span.low, span.high), max(span.low, span.high)
            if name not in (at.DIMMER, *at.DIRECT_EMITTERS) and span.slope:
                home = channel.home * 256.0 ** (len(use.slots) - channel.resolution)
                rig.home[row] = np.clip((home - span.offset) / span.slope, rig.low[row], rig.high[row])
            if name in at.DIRECT_EMITTERS:
                self._scale(part, row)
        else:
            row = part.rows.get(device_attribute(use, meanings), -1)
            if row < 0:  # a lone white emitter, say: rests at home
                self.channels.append((0, 0.0, float(channel.home), 0.0, full))
                return
            # A device value counts 0…255 whatever the resolution, so that it survives a change of mode.
            self.channels.append((row, 256.0 ** (len(use.slots) - 1), 0.0, 0.0, full))
            rig.home[row] = channel.home / 256.0 ** (channel.resolution - 1)

    def _linear(self, source: int, span: Span) -> None:
        low, high = min(span.start, span.end), max(span.start, span.end)
        self.channels.append((source, span.slope, span.offset, low, high))

    def _scale(self, part: Part, source: int) -> None:
        if part.virtual:
            self.scaled.append((source, part.rows[at.DIMMER]))


def _shutter(spans: list[tuple[Range, Span]]) -> tuple[float, ...]:
    """Raw for closed and open, then the strobe span: raw ends, Hz ends, raw slope and offset.

    Where the type has no closed or no open range, the nearest there is stands in for it.
    """
    plain = [(r.low, s) for r, s in spans if r.attribute == at.SHUTTER]
    strobes = [s for r, s in spans if r.attribute == at.STROBE]
    opened = next((s for low, s in plain if low >= 0.5), None)
    closed = next((s for low, s in plain if low < 0.5), None)
    open_raw = (opened.start + opened.end) // 2 if opened else 0.0
    closed_raw = (closed.start + closed.end) // 2 if closed else open_raw
    if not strobes:
        return (closed_raw, open_raw, open_raw, open_raw, 0.0, 0.0, 0.0, open_raw)
    s = strobes[0]
    return (closed_raw, open_raw, s.start, s.end, min(s.low, s.high), max(s.low, s.high), s.slope, s.offset)


def hanging_matrices(fixtures: list[Fixture]) -> Floats:
    """The fixtures' own axes in the room, (n, 3, 3)."""
    angles = np.array([[f.hanging.yaw, f.hanging.pitch, f.hanging.roll] for f in fixtures], float).reshape(-1, 3)
    return aim.hanging_matrix(*angles.T)
