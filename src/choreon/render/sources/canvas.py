"""Canvases as light: what is painted on their cells at a time, given to lamps."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.canvases import title
from choreon.model.motion import Effect, colour_of_stop
from choreon.model.playables.canvas import (
    FASTEST_STROBE,
    AnyLayer,
    Canvas,
    Channel,
    Drives,
    Mode,
    links_of,
)
from choreon.model.show import Show
from choreon.model.values import Look
from choreon.render import choice
from choreon.render.canvas.blending import lay
from choreon.render.canvas.layers import Placed, depends_on, place_layer
from choreon.render.canvas.layout import CanvasCells, cells_of
from choreon.render.canvas.sane import within
from choreon.render.colour import to_oklab_rows
from choreon.render.effects import PathBegin
from choreon.render.live import Change, Dimming, Followed, Given, Moved
from choreon.render.looks import Angles, CompiledLook, find_heads
from choreon.render.rig import ColourWheel, Floats, Ints, Rig
from choreon.render.sources.base import CompileContext, Source
from choreon.render.state import AnyCursor, Going, Pace, Time, replace

TINY = 1e-9
HOLD = 0.25
"""The part of others' light below which the colour of a cell gives way to theirs."""

KEPT_LAYERS = 96  # over the same cells, as they were before edits
MOST_NAMED = 600  # cells that are told one by one
WHEEL_TURNS = 0.02  # of light, below which a wheel stays where it is
SEEN = 0.02  # of a cell that a layer covers, for it to be told
DARK_PART = 0.5  # of a flash of the strobe


@dataclass(frozen=True, eq=False)
class Targets:
    """What the cells (n) of a canvas drive.

    `lamps` (m): intensity rows, ascending; `lamp_cells`: the cells that light them, in
    the order of the lamps, `lamp_first` (m): the first of each; `shared` (m): whether a
    lamp is lit by several cells. `colours` (k): target colours, ascending;
    `colour_cells` (k): the cell of each; `colour_lamp` (k): the place of the lamp that
    dims it among `lamps`, −1 for none. `rows` (r): rows of an attribute, ascending, and
    the cell of each. `wheels`: colour wheels, by their rows, and the cell of each.
    """

    lamps: Ints
    lamp_cells: Ints
    lamp_first: Ints
    shared: Floats
    colours: Ints
    colour_cells: Ints
    colour_lamp: Ints
    rows: Ints
    row_cells: Ints
    wheels: tuple[tuple[ColourWheel, int], ...] = ()

    @cached_property
    def shares(self) -> bool:
        """Whether any lamp is lit by several cells."""
        return bool(self.shared.any())

    @cached_property
    def in_order(self) -> bool:
        """Whether the cells of the colours are all cells, in their order."""
        count = len(self.colour_cells)
        return bool((self.colour_cells == np.arange(count)).all())


def targets_of(rig: Rig, cells: CanvasCells, drives: Drives, name: str) -> Targets:
    """Returns what cells drive on a rig."""
    levels = drives in (Drives.LIGHT, Drives.LEVEL)
    colours = drives in (Drives.LIGHT, Drives.COLOUR)

    lamps = _cells_by_row(rig, cells, at.DIMMER) if levels else {}
    reds = _first_by_row(rig, cells, at.RED) if colours else {}
    rows = _first_by_row(rig, cells, name) if drives == Drives.ATTRIBUTE else {}

    order = sorted(lamps)
    counts = [len(lamps[row]) for row in order]
    begins = np.concatenate([[0], np.cumsum(counts)[:-1]]) if counts else np.zeros(0)

    # each colour, and the lamp whose light is that of the colour
    red_rows = sorted(reds)
    place = {row: n for n, row in enumerate(order)}
    lit_by = rig.light[np.array(red_rows, np.int64)]

    return Targets(
        np.array(order, np.int64),
        np.array([n for row in order for n in lamps[row]], np.int64),
        begins.astype(np.int64),
        np.array([count > 1 for count in counts], float),
        np.array([row - rig.intensities for row in red_rows], np.int64),
        np.array([reds[row] for row in red_rows], np.int64),
        np.array([place.get(int(row), -1) for row in lit_by], np.int64),
        np.array(sorted(rows), np.int64),
        np.array([rows[row] for row in sorted(rows)], np.int64),
        _wheels_of(rig, cells) if colours else (),
    )


def _cells_by_row(rig: Rig, cells: CanvasCells, name: str) -> dict[int, list[int]]:
    """The cells of each row of an attribute."""
    found: dict[int, list[int]] = {}
    for n, item in enumerate(cells.items):
        for row in choice.rows(rig, [item], name):
            found.setdefault(row, []).append(n)
    return found


def _first_by_row(rig: Rig, cells: CanvasCells, name: str) -> dict[int, int]:
    """The first cell of each row of an attribute."""
    return {row: own[0] for row, own in _cells_by_row(rig, cells, name).items()}


def _wheels_of(rig: Rig, cells: CanvasCells) -> tuple[tuple[ColourWheel, int], ...]:
    """The colour wheels of fixtures, each with its cell, in the order of their rows."""
    cell_of = {fixture: n for n, (fixture, _) in enumerate(cells.items)}
    turned = [(rig.wheels[i], n) for i, n in cell_of.items() if i in rig.wheels]
    return tuple(sorted(turned, key=lambda one: one[0].row))


def _placed(show: Show, layer: AnyLayer, cells: CanvasCells) -> Placed | None:
    """A layer over cells; the one that there was for the same one before an edit."""
    depends = (*depends_on(show, layer),)
    known: list[tuple[AnyLayer, tuple[object, ...], Placed | None]]
    known = cells.kept.get(("layers",), list)
    for before, those, made in known:
        same = before is layer or before == layer
        if same and those == depends:
            return made
    made = place_layer(show, layer, cells)
    if len(known) >= KEPT_LAYERS:
        del known[0]
    known.append((layer, depends, made))
    return made


class CanvasSource:
    """A canvas, its layers compiled over its cells."""

    modifies = False
    own_clock = True

    def __init__(self, show: Show, rig: Rig, canvas: Canvas) -> None:
        self.rig, self.canvas = rig, canvas
        self.cells = cells_of(show, rig, canvas.layout)
        self.uses = frozenset(links_of(canvas))
        on = [layer for layer in canvas.layers if layer.on]
        placed = [(layer, _placed(show, layer, self.cells)) for layer in on]
        self.layers: list[tuple[AnyLayer, Placed]] = [
            (layer, made) for layer, made in placed if made is not None
        ]
        self.still = self.strobe <= 0.0 and all(made.still for _, made in self.layers)
        drives = canvas.drives if self.layers else Drives.ATTRIBUTE
        name = canvas.attribute if self.layers else ""
        self.targets = self.cells.kept.get(
            ("targets", drives, name),
            lambda: targets_of(rig, self.cells, drives, name),
        )
        tint = (1.0, 1.0, 1.0)
        if canvas.tint is not None:
            tint = colour_of_stop(show, canvas.tint)
        self.tint = np.clip(np.array(tint, float), 0.0, 1.0)[:, None]
        self.bright = within(canvas.brightness, 0.0, 1.0, 1.0)
        self.look = self.cells.kept.get(
            (canvas.id, id(self.targets), self.bright, self.uses), self._look
        )

    @property
    def strobe(self) -> float:
        """Flashes a second."""
        return within(self.canvas.strobe, 0.0, FASTEST_STROBE, 0.0)

    def _look(self) -> CompiledLook:
        """All that it ever gives."""
        rig, aims = self.rig, self.targets
        if self.canvas.drives == Drives.ATTRIBUTE:
            rows = aims.rows
        else:
            thirds = rig.colours * np.arange(3)[:, None]
            rows = (rig.intensities + thirds + aims.colours[None, :]).reshape(-1)
            slots = np.array([wheel.row for wheel, _ in aims.wheels], np.int64)
            rows = np.concatenate([rows, slots])

        levels = aims.rows[aims.rows < rig.intensities]
        lamps = aims.lamps if len(aims.lamps) else levels
        rows = rows[rows >= rig.intensities]
        freed = sorted(
            channel
            for colour in aims.colours.tolist()
            for channel in rig.mixing.get(colour, ())
        )
        look = CompiledLook(
            rig,
            lamps,
            np.full(len(lamps), self.bright),
            rows,
            rig.home[rows].copy(),
            rig.size + np.array(freed, np.int64),
            uses=self.uses,
        )
        find_heads(look, {})
        return look

    # what is painted

    def paint(
        self, time: Time, offsets: Mapping[str, float], size: float = 1.0
    ) -> Floats:
        """Returns light and cover (4, n) of all layers at a time of its own, below
        brightness, tint and strobe.
        """
        made = np.zeros((4, len(self.cells.items)))
        for layer, placed in self.layers:
            part = placed.part_of_cycle(self.position(layer, time, offsets))
            seen = placed.paint(part, size)
            lay(made, seen, layer.mode, within(layer.opacity, 0.0, 1.0, 1.0))
        return made

    @staticmethod
    def position(layer: AnyLayer, time: Time, offsets: Mapping[str, float]) -> float:
        """Returns where a layer is, in cycles, at a time of the canvas."""
        gone = layer.rate.cycles(*time[:2])
        return gone + layer.start + offsets.get(layer.id, 0.0)

    def seen(
        self, time: Time, offsets: Mapping[str, float], size: float = 1.0
    ) -> Floats:
        """Returns the same with what lies above all layers."""
        made = self.paint(time, offsets, size)
        made[:3] *= self.tint * (self.bright * self.open_at(time))
        return made

    def open_at(self, time: Time) -> float:
        """Returns 1 where the strobe lets light through, 0 where not."""
        flashes = self.strobe * time.seconds
        dark = self.strobe > 0.0 and flashes - math.floor(flashes) >= DARK_PART
        return 0.0 if dark else 1.0

    # what a source is asked

    def followed(self, show: Show, moved: set[str]) -> CanvasSource | None:
        """It is compiled anew."""
        return None

    def length(self) -> Time:
        """Returns a cycle of the slowest of its layers."""
        rates = [x.rate for x, made in self.layers if not made.still]
        rates = [rate for rate in rates if rate.speed > 0.0]
        slowest = min(rates, key=lambda rate: rate.speed, default=None)
        if slowest is None:
            return Time()
        cycle = 1.0 / slowest.speed
        return Time(0.0, cycle) if slowest.by_tempo else Time(cycle, 0.0)

    def path_begins(self) -> Sequence[PathBegin]:
        """It leads no heads along paths."""
        return ()

    def prepare(self, size: float) -> None:
        """Have its layers be seen once, so that tables are there."""
        self.paint(Time(), {}, size)

    def live(self, offsets: Mapping[str, float]) -> LiveCanvas:
        """Returns what a layer asks."""
        return LiveCanvas(self, offsets)

    def stored(self, time: Time) -> Look:
        """Returns which attributes of whom it gives; what each of them comes to is said
        by what it puts out.
        """
        return {
            fixture: dict.fromkeys(own, 0.0) for fixture, own in self._given.items()
        }

    @cached_property
    def _given(self) -> dict[str, list[str]]:
        """The attributes that it gives each fixture."""
        names = {
            Drives.LIGHT: (at.DIMMER, *at.TARGET_COLOUR),
            Drives.COLOUR: at.TARGET_COLOUR,
            Drives.LEVEL: (at.DIMMER,),
            Drives.ATTRIBUTE: (self.canvas.attribute,),
        }[self.canvas.drives]
        found: dict[str, list[str]] = {}
        if self.layers:
            for fixture in dict.fromkeys(fixture for fixture, _ in self.cells.items):
                has = self.rig.where.get(fixture, {})
                found[fixture] = [name for name in names if name in has]
                wheel = self.rig.wheels.get(fixture)
                if wheel is not None and at.RED in names:
                    found[fixture].append(wheel.attribute)
        return found

    def place(self, time: Time) -> str:
        """Returns which of its layers are painted, in words."""
        names = [title(layer) for layer, _ in self.layers]
        return names[-1] if len(names) == 1 else tr("{n} layers", n=len(names))

    def running(self, cursor: AnyCursor, time: Time) -> list[Effect]:
        """It has no effects."""
        return []

    def carried(self, before: Source, cursor: AnyCursor, time: Time) -> AnyCursor:
        """Layers whose rate was changed go on where they were."""
        if not isinstance(before, CanvasSource) or not isinstance(cursor, Going):
            return cursor
        old = {layer.id: layer.rate for layer, _ in before.layers}
        offsets = dict(cursor.offsets)
        for layer, _ in self.layers:
            was = old.get(layer.id)
            if was is not None and was != layer.rate:
                gained = was.cycles(*time[:2]) - layer.rate.cycles(*time[:2])
                offsets[layer.id] = offsets.get(layer.id, 0.0) + gained
        if offsets == cursor.offsets:
            return cursor
        return replace(cursor, offsets=offsets)

    def ends(self) -> Time | None:
        """It never ends."""
        return None


class LiveCanvas:
    """A canvas in one layer of what plays."""

    modifies = False
    size = 1.0
    pace = Pace()

    def __init__(self, source: CanvasSource, offsets: Mapping[str, float]) -> None:
        self.source, self.offsets = source, offsets
        self.look = source.look
        self.light = self.look.shining[1]
        self.shine = self.look.claims[2]
        self.levels = self.look.levels.copy()
        self.asks = source.canvas.drives != Drives.LEVEL
        self.picture = np.zeros((4, len(source.cells.items)))
        self._strongest = np.zeros(len(source.cells.items))
        self._when: tuple[Time, Mapping[str, float]] = (Time(), offsets)
        self._values = self.look.values.copy()
        self._whole = np.ones(len(self.look.rows)), np.ones(len(self.look.freed))

    def dim(self, masters: Dimming) -> None:
        """It plays nothing but itself."""

    def move(self, time: Time) -> None:
        """Go to a time."""
        source = self.source
        self._when = time, self.offsets
        self.picture = source.seen(time, self.offsets, self.size)
        self._strongest = self.picture[:3].max(axis=0, initial=0.0)
        if source.canvas.drives == Drives.ATTRIBUTE:
            self._move_attribute()
            return

        aims = source.targets
        if len(aims.lamps):
            self.levels = self._strongest.take(aims.lamp_cells)
            if aims.shares:
                self.levels = np.maximum.reduceat(self.levels, aims.lamp_first)
        if len(aims.colours):
            self._values[: 3 * len(aims.colours)] = to_oklab_rows(
                self._colours()
            ).reshape(-1)
        self._turn_wheels()

    def _colours(self) -> Floats:
        """The colours (3, k) of the cells: light by what dims it. Cells that share a
        dimmer are as much darker than that as they are darker than the brightest.
        """
        aims = self.source.targets
        light, by = self.picture[:3], self._strongest
        if not aims.in_order or len(aims.colours) != len(by):
            light = light.take(aims.colour_cells, axis=1)
            by = by.take(aims.colour_cells)
        if aims.shares:
            there = np.maximum(aims.colour_lamp, 0)
            shared = (aims.colour_lamp >= 0) & (aims.shared.take(there) > 0.0)
            by = np.where(shared, self.levels.take(there), by)
        made = light / np.maximum(by, TINY)
        dark = by < TINY
        if dark.any():
            made[:, dark] = 1.0
        return np.minimum(made, 1.0, out=made)

    def _turn_wheels(self) -> None:
        """Wheels turn to the slot that is nearest; those whose cell is dark stay."""
        aims = self.source.targets
        for n, (wheel, cell) in enumerate(aims.wheels, start=3 * len(aims.colours)):
            strongest = float(self._strongest[cell])
            if strongest > WHEEL_TURNS:
                rgb = self.picture[:3, cell] / strongest
                self._values[n] = wheel.nearest_to(tuple(rgb.tolist()))

    def _move_attribute(self) -> None:
        source, aims = self.source, self.source.targets
        canvas = source.canvas
        seen = {
            Channel.RED: self.picture[0],
            Channel.GREEN: self.picture[1],
            Channel.BLUE: self.picture[2],
        }.get(canvas.channel, self._strongest)
        values = canvas.low + (canvas.high - canvas.low) * seen.take(aims.row_cells)
        plain = aims.rows < source.rig.intensities
        self.levels = np.clip(values[plain], 0.0, 1.0)

        rows = aims.rows[~plain]
        low, high = source.rig.low[rows], source.rig.high[rows]
        kind = at.attribute(canvas.attribute).kind
        if kind in ("slot", "mode", "program"):
            values = np.round(values)
        self._values = np.minimum(np.maximum(values[~plain], low), high)

    def give(self, weight: float, others: Floats) -> Given:
        """Returns all but the intensities. Where others light a cell more than four
        times as strongly its colour leaves it to them; where nothing is painted, an
        attribute.
        """
        source, aims = self.source, self.source.targets
        if source.canvas.drives == Drives.ATTRIBUTE:
            plain = aims.rows >= source.rig.intensities
            cover = self.picture[3].take(aims.row_cells)[plain]
            return Given(self._values, cover)
        if not len(self.look.rows):
            return Given(self._values)

        cells = np.array([cell for _, cell in aims.wheels], np.int64)
        own = self._strongest.take(np.concatenate([aims.colour_cells, cells]))
        if source.canvas.drives == Drives.COLOUR:
            there = own / HOLD
        else:
            claim = self.look.claims[1]
            claim = np.concatenate(
                [claim[: len(aims.colours)], claim[3 * len(aims.colours) :]]
            )
            beside = HOLD * others.take(claim)
            if beside.max(initial=0.0) <= TINY:
                return Given(self._values, *self._whole)  # nobody else lights them
            there = own * weight / np.maximum(beside, TINY)
            there[beside <= TINY] = 1.0
        presence = np.minimum(there, 1.0)
        mixed, turned = np.split(presence, [len(aims.colours)])
        freed = np.ones(0)
        if len(self.look.freed):
            freed = mixed.take(self.look.freed_by % len(aims.colours))
        return Given(self._values, np.concatenate([np.tile(mixed, 3), turned]), freed)

    def changes(self) -> list[tuple[Change, float]]:
        """It changes nothing of others."""
        return []

    def followed(self) -> list[Followed]:
        """It leads no heads."""
        return []

    def names(self) -> list[Moved]:
        """Returns what paints each cell: the highest of its layers that covers it, and
        where in the picture that is; of very many cells, the highest layer of all.
        """
        rows = np.concatenate([self.look.lamps, self.look.rows])
        values = np.concatenate([self.levels, self._values])
        source, cells = self.source, self.source.cells
        if not source.layers:
            return []
        if len(cells.items) > MOST_NAMED:
            return [Moved(title(source.layers[-1][0]), rows, values)]

        of_row = self._cells_of_rows()
        highest = self._highest()
        column = np.clip(cells.at[0] * cells.columns, 0, cells.columns - 1).astype(int)
        row = np.clip((1.0 - cells.at[1]) * cells.rows, 0, cells.rows - 1).astype(int)
        found = []
        for n in range(len(cells.items)):
            own = np.flatnonzero(of_row == n)
            where = tr(
                "{layer}, column {column} of {columns}, row {row} of {rows}",
                layer=title(source.layers[highest[n]][0]),
                column=column[n] + 1,
                columns=cells.columns,
                row=row[n] + 1,
                rows=cells.rows,
            )
            found.append(Moved(where, rows[own], values[own]))
        return found

    def _cells_of_rows(self) -> Ints:
        """For each lamp and row of the look the cell that gives it; of a lamp that
        several share, the brightest.
        """
        aims = self.source.targets
        if len(aims.rows):
            return aims.row_cells
        lamps = np.full(len(aims.lamps), -1)
        parts = np.split(aims.lamp_cells, aims.lamp_first[1:])
        for n, cells in enumerate(parts[: len(lamps)]):
            lamps[n] = cells[self._strongest[cells].argmax()]
        wheels = np.array([cell for _, cell in aims.wheels], np.int64)
        return np.concatenate([lamps, np.tile(aims.colour_cells, 3), wheels])

    def _highest(self) -> Ints:
        """For each cell the highest layer that covers it."""
        source = self.source
        found = np.zeros(len(source.cells.items), np.int64)
        for n, (layer, placed) in enumerate(source.layers):
            if layer.mode in (Mode.COVER, Mode.ADD):
                part = placed.part_of_cycle(source.position(layer, *self._when))
                cover = placed.paint(part, self.size)[3] * layer.opacity
                found[cover > SEEN] = n
        return found

    # two canvases that follow each other

    @property
    def paints(self) -> tuple[Ints, Ints, Floats] | None:
        """Where it gives colours and levels: its colours (k), ascending, the lamps (k)
        that dim them alone, −1 where a dimmer is shared, and their light (3, k).
        """
        aims = self.source.targets
        if self.source.canvas.drives != Drives.LIGHT or not len(aims.colours):
            return None
        place = np.maximum(aims.colour_lamp, 0)
        alone = (aims.colour_lamp >= 0) & (aims.shared.take(place) == 0.0)
        lamps = np.where(alone, aims.lamps.take(place), -1)
        return aims.colours, lamps, self.picture[:3].take(aims.colour_cells, axis=1)


def compile_canvas(
    context: CompileContext, canvas: Canvas, aims: Mapping[str, Angles]
) -> CanvasSource:
    """Compile a canvas. What does not hang, and pictures that are gone, is left out."""
    return CanvasSource(context.show, context.rig, canvas)
