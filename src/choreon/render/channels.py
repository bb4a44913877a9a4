"""How channels are encoded: straight lines, and channels of several ranges of which the
wanted one is found.

A channel of several meanings is driven by its main attribute (a gobo, a shutter that is
open or closed) unless one of the others is given, that is, is not 0 (a speed, a strobe
rate, a program).
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import numpy.typing as npt

from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, Range, Use, main_attribute
from choreon.model.show import SLOTS

if TYPE_CHECKING:
    from choreon.render.rig import Rig

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

EMITTER_AT = {name: i for i, name in enumerate(at.MIXED)}
WIDTH = len(
    at.MIXED
)  # sources that each target colour has, one for every emitter there may be
_FILTER_AT = {name: i for i, name in enumerate(at.FILTERS)}


class Span:
    """A channel's range in raw units of the mode's resolution, mapping `low`…`high`
    onto `start`…`end`.
    """

    __slots__ = ("end", "high", "low", "offset", "slope", "start")

    def __init__(self, start: float, end: float, low: float, high: float) -> None:
        self.start, self.end, self.low, self.high = start, end, low, high
        self.slope = (end - start) / (high - low) if high != low else 0.0
        self.offset = start - self.slope * low if self.slope else (start + end) // 2


def span_of(found: Range, channel: Channel, use: Use) -> Span:
    """The range scaled to the number of slots that the mode gives the channel."""
    scale = 256.0 ** (len(use.slots) - channel.resolution)
    start = float(math.floor(found.start * scale))
    return Span(
        start,
        max(start, math.ceil((found.end + 1) * scale) - 1.0),
        found.low,
        found.high,
    )


def _idle(channel: Channel) -> Range | None:
    """The range in which the channel does nothing: the one it rests in, else
    the first.
    """
    idle = [r for r in channel.ranges if r.attribute == at.NOTHING]
    return next(
        (r for r in idle if r.start <= channel.home <= r.end), idle[0] if idle else None
    )


class RangePiece(NamedTuple):
    """One range of a channel of several: the row that drives it, and when."""

    channel: int
    row: int
    span: Span
    second: bool  # it has to be asked for by a value that is not 0
    guard: int  # a row that must be on (a shutter that is open), or −1
    slot: float  # the slot that `main` must stand on, or −1
    main: int
    stand: float  # the raw value of a discrete piece

    @property
    def offset(self) -> float:
        """The raw value of a value of 0."""
        return self.span.offset if self.span.slope else self.stand


@dataclass(frozen=True)
class Pieces:
    """All pieces as arrays (N), those of a channel side by side; `starts` and `channel`
    have one entry a channel.
    """

    row: Ints
    low: Floats
    high: Floats
    slope: Floats
    offset: Floats
    start: Floats
    end: Floats
    second: npt.NDArray[np.bool_]
    guard: Ints
    slot: Floats
    main: Ints
    of: Ints  # N: which of the channels
    starts: Ints
    channel: Ints

    @classmethod
    def of_list(cls, pieces: list[RangePiece]) -> Pieces:
        """Returns pieces as arrays, those of a channel one after the other."""

        def ints(numbers: Iterable[int]) -> Ints:
            return np.array(list(numbers), np.int64)

        def floats(numbers: Iterable[float]) -> Floats:
            return np.array(list(numbers), float)

        channel, starts, of = np.unique(
            ints(p.channel for p in pieces), return_index=True, return_inverse=True
        )
        return cls(
            row=ints(p.row for p in pieces),
            low=floats(min(p.span.low, p.span.high) for p in pieces),
            high=floats(max(p.span.low, p.span.high) for p in pieces),
            slope=floats(p.span.slope for p in pieces),
            offset=floats(p.offset for p in pieces),
            start=floats(p.span.start for p in pieces),
            end=floats(p.span.end for p in pieces),
            second=np.array([p.second for p in pieces], bool),
            guard=ints(p.guard for p in pieces),
            slot=floats(p.slot for p in pieces),
            main=ints(p.main for p in pieces),
            of=of.astype(np.int64),
            starts=starts.astype(np.int64),
            channel=channel,
        )

    def __len__(self) -> int:
        return len(self.row)

    @cached_property
    def unguarded(self) -> npt.NDArray[np.bool_]:
        """Which pieces ask for no other row."""
        return self.guard < 0

    @cached_property
    def unasked(self) -> Floats:
        """What a piece that has to be asked for loses where it is not."""
        return np.where(self.second, -1e12, 0.0)

    @cached_property
    def tied(self) -> Floats:
        """What a piece that belongs to a slot loses for each slot that `main` is away
        from it.
        """
        return np.where(self.slot >= 0, 1e4, 0.0)

    def choose(self, values: Floats) -> tuple[Ints, Floats]:
        """The piece that each channel stands on, and its raw value, for parameters
        (P).
        """
        wanted = values.take(self.row)
        held = np.minimum(np.maximum(wanted, self.low), self.high)
        score = -np.abs(wanted - held)
        asked = (
            self.second
            & (np.abs(wanted) > 1e-9)
            & (self.unguarded | (values.take(self.guard) >= 0.5))
        )

        score += np.where(asked, 1e9, self.unasked)
        score -= self.tied * np.abs(values.take(self.main) - self.slot)
        best = np.maximum.reduceat(score, self.starts)
        hits = np.flatnonzero(score == best[self.of])
        first = hits[np.concatenate(([True], self.of[hits][1:] != self.of[hits][:-1]))]

        return first, self.slope[first] * held[first] + self.offset[first]


class Ready:
    """What there is to know of a channel in a mode, worked out once for all fixtures of
    the type.
    """

    def __init__(self, use: Use, channel: Channel) -> None:
        self.use, self.channel = use, channel
        scale = 256.0 ** (len(use.slots) - channel.resolution)
        self.full = 256.0 ** len(use.slots) - 1
        self.home = float(np.floor(channel.home * scale))
        self.names = meanings(channel)

        self.spans = [(r, span_of(r, channel, use)) for r in channel.ranges]
        self.main = main_attribute(channel)
        self.idle = _idle(channel)
        self.emitter = next(
            (n for n in self.names if n in EMITTER_AT or n in _FILTER_AT), None
        )
        self.raw = (f"{at.RAW}{channel.key}", 256.0 ** (len(use.slots) - 1), 0.0)

        self.shutter = (
            self.main
            if self.main.startswith("Shutter")
            and at.attribute(self.main).kind == "slot"
            else ""
        )

        self.rests = self._rests()

    def _rests(self) -> tuple[str, float] | None:
        """The attribute that the channel's home gives a value to, and the value."""
        found = self.channel.at(self.channel.home)
        if (
            found is None
            or found.attribute == at.DIMMER
            or found.attribute in at.ALL_EMITTERS
        ):
            return None

        if (
            found.attribute.startswith("Shutter")
            and at.attribute(found.attribute).kind == "slot"
        ):
            return None

        span = next(s for r, s in self.spans if r is found)
        raw = self.channel.home * 256.0 ** (
            len(self.use.slots) - self.channel.resolution
        )
        return found.attribute, (
            raw - span.offset
        ) / span.slope if span.slope else span.low


def meanings(channel: Channel) -> list[str]:
    """The attributes that a channel's value can be given by, in the order of its
    ranges: no commands, no nothing.
    """
    names = dict.fromkeys(r.attribute for r in channel.ranges)
    return [n for n in names if n != at.NOTHING and not at.attribute(n).command]


class Channels:
    """Collects how each channel is encoded, then lays it into the rig as arrays."""

    def __init__(self, size: int, intensities: int, colours: int) -> None:
        self.size, self.intensities, self.colours = size, intensities, colours
        self.lines: list[tuple[int, float, float, float, float]] = []
        self.full: list[float] = []
        self.shaded: list[
            tuple[int, int]
        ] = []  # channel, the virtual dimmer's row; or −1 where it dims itself
        self.bytes: list[tuple[int, int, int]] = []
        self.scaled: list[tuple[int, int]] = []
        self.pieces: list[RangePiece] = []
        self.limits: dict[int, tuple[float, float]] = {}
        self.homes: dict[int, float] = {}

    def add(
        self, ready: Ready, rows: dict[str, int], virtual: bool
    ) -> tuple[int, list[tuple[str, float, float]]]:
        """Add a channel. Returns its number, and the attributes that reach it raw, with
        slope and offset.
        """
        number = len(self.lines)
        self.full.append(ready.full)
        if ready.channel.rest:
            self.lines.append((0, 0.0, ready.home, 0.0, ready.full))
            return number, []

        raw = [ready.raw]
        if ready.emitter and at.RED in rows:
            raw.append(self._mixed(ready, rows, virtual))
        else:
            self._add_spans(number, ready, rows, virtual)

        if ready.rests and ready.rests[0] in rows:
            self.homes.setdefault(rows[ready.rests[0]], ready.rests[1])

        return number, raw

    def _add_spans(
        self, number: int, ready: Ready, rows: dict[str, int], virtual: bool
    ) -> None:
        """A channel that is driven by its attributes, by one range or by several."""
        spans = [pair for pair in ready.spans if pair[0].attribute in rows]
        if len(spans) == 1 and not ready.idle:
            self._line(spans[0], rows, virtual)
            return

        stands = 0.0
        if not spans:
            # a master over cells that dim themselves stays open, all else at home
            stands = ready.full if ready.names == [at.DIMMER] else ready.home

        self.lines.append((0, 0.0, stands, 0.0, ready.full))
        if spans:
            self._several(number, spans, rows, ready)

    def _mixed(
        self, ready: Ready, rows: dict[str, int], virtual: bool
    ) -> tuple[str, float, float]:
        """An emitter, or a filter, of a target colour."""
        emitter = ready.emitter
        assert emitter is not None
        colour = rows[at.RED] - self.intensities
        span = next(s for r, s in ready.spans if r.attribute == emitter)
        low, high = min(span.start, span.end), max(span.start, span.end)

        known = EMITTER_AT if emitter in EMITTER_AT else _FILTER_AT
        source = self.size + self.colours * known[emitter] + colour
        if emitter in _FILTER_AT:  # subtractive: cyan is what is taken from red
            self.lines.append(
                (source, -span.slope, span.offset + span.slope, low, high)
            )
        else:
            self.lines.append((source, span.slope, span.offset, low, high))
            if virtual:
                self.shaded.append((len(self.lines) - 1, rows[at.DIMMER]))
                self.scaled.append((source, rows[at.DIMMER]))

        return emitter, float(span.slope), float(span.offset)

    def _line(
        self, found: tuple[Range, Span], rows: dict[str, int], virtual: bool
    ) -> None:
        name, span = found[0].attribute, found[1]
        row = rows[name]
        low, high = min(span.start, span.end), max(span.start, span.end)
        self.lines.append((row, span.slope, span.offset, low, high))
        self._limit(row, span)
        if row < self.intensities:
            self.shaded.append((len(self.lines) - 1, -1))
        if virtual and name in at.ALL_EMITTERS:
            self.shaded.append((len(self.lines) - 1, rows[at.DIMMER]))
            self.scaled.append((row, rows[at.DIMMER]))

    def _several(
        self,
        number: int,
        spans: list[tuple[Range, Span]],
        rows: dict[str, int],
        ready: Ready,
    ) -> None:
        main, home, idle = ready.main, ready.home, ready.idle
        if (
            idle is not None
        ):  # a range that means nothing: there it stands while nothing is asked for
            span = span_of(idle, ready.channel, ready.use)
            stand = (
                home if span.start <= home <= span.end else (span.start + span.end) // 2
            )
            nought = Span(span.start, span.end, 0.0, 0.0)
            self.pieces.append(
                RangePiece(
                    number,
                    rows[spans[0][0].attribute],
                    nought,
                    False,
                    -1,
                    -1.0,
                    0,
                    stand,
                )
            )

        for found, span in spans:
            row = rows[found.attribute]
            second = found.attribute != main or idle is not None
            guard = rows.get(ready.shutter, -1) if second else -1
            stand = (
                home if span.start <= home <= span.end else (span.start + span.end) // 2
            )
            self.pieces.append(
                RangePiece(
                    number,
                    row,
                    span,
                    second,
                    guard,
                    float(found.slot),
                    rows.get(main, row),
                    stand,
                )
            )

            self._limit(row, span, 0.0 if second else None)

    def _limit(self, row: int, span: Span, also: float | None = None) -> None:
        low, high = self.limits.get(row, (np.inf, -np.inf))
        low, high = min(low, span.low, span.high), max(high, span.low, span.high)
        self.limits[row] = (
            (low, high) if also is None else (min(low, also), max(high, also))
        )

    def put_bytes(self, number: int, use: Use, base: int, address: int) -> None:
        """Where the channel's bytes stand in the frame."""
        for i, slot in enumerate(use.slots):
            at_slot = address + slot - 2
            if 0 <= at_slot < SLOTS:
                self.bytes.append(
                    (number, 8 * (len(use.slots) - 1 - i), base + at_slot)
                )

    def into(self, rig: Rig) -> None:
        """Lay all that was collected into the rig."""
        table = np.array(self.lines, float).reshape(-1, 5).T
        rig.source, rig.slope, rig.offset = (
            table[0].astype(np.int64),
            table[1],
            table[2],
        )

        rig.floor, rig.top, rig.full = table[3], table[4], np.array(self.full)
        rig.byte_channel, shifts, rig.byte_at = (
            np.array(self.bytes, np.int64).reshape(-1, 3).T
        )
        rig.byte_shift = shifts.astype(np.uint32)
        # Two channels of one emitter share a source: it is scaled once.
        rig.scaled, rig.scaled_by = (
            np.array(list(dict.fromkeys(self.scaled)), np.int64).reshape(-1, 2).T
        )
        rig.shaded, rig.shaded_by = np.array(self.shaded, np.int64).reshape(-1, 2).T

        rig.pieces = Pieces.of_list(self.pieces)
        for row, (low, high) in self.limits.items():
            rig.low[row], rig.high[row] = low, high

        for row, home in self.homes.items():
            rig.home[row] = min(max(home, rig.low[row]), rig.high[row])
