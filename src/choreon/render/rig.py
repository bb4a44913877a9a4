"""Compiling the rig: fixtures and their types become a table with one row a parameter.

Rows stand in the order intensity, target colour (all red parts, then green, then blue),
other interpolating, snapping, so that each kind is a slice. Colour rows hold OKLab
while they are blended.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import numpy.typing as npt

from choreon.model import attributes as at
from choreon.model.colours import of_halves
from choreon.model.fixture_type import FixtureType, Mode, Wheel
from choreon.model.show import SLOTS, Fixture
from choreon.render import aim
from choreon.render.channels import EMITTER_AT, WIDTH, Channels, Pieces, Ready
from choreon.render.colour import to_oklab
from choreon.render.heads import NO_HEADS, Heads
from choreon.render.mixing import Mixer, light_at_full
from choreon.render.recent import Recent

if TYPE_CHECKING:
    from choreon.render.encode import Encoder

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bytes = npt.NDArray[np.uint8]
Flags = npt.NDArray[np.bool_]

AIMS = 256  # points for which the angles of all heads are kept
WHITE = to_oklab([1.0, 1.0, 1.0])


@dataclass
class CellRows:
    """One cell of one fixture (cell 0: the fixture itself) and the rows that
    light it.
    """

    fixture: str
    cell: int
    rows: dict[str, int] = field(default_factory=dict)
    virtual: bool = False


@dataclass(frozen=True)
class Mix:
    """Colours that are mixed alike: which of the K, with which of the emitters (columns
    of the WIDTH), and how.

    `mixer` is None where the emitters span too little: each then follows the part of
    the target that it is.
    """

    colours: Ints
    columns: Ints
    mixer: Mixer | None
    light: Floats


@dataclass(frozen=True)
class ColourWheel:
    """How a fixture that does not mix comes near a colour: the S slots of a wheel."""

    attribute: str
    row: int
    names: tuple[str, ...]
    light: Floats  # S, 3
    lab: Floats  # S, 3
    known: dict[tuple[float, ...], int] = field(default_factory=dict, compare=False)

    def nearest_to(self, rgb: tuple[float, ...]) -> int:
        """As `nearest`; what was asked before is remembered."""
        slot = self.known.get(rgb)
        if slot is None:
            if len(self.known) > 256:
                self.known.clear()
            slot = self.known[rgb] = self.nearest(rgb)
        return slot

    def nearest(self, rgb: npt.ArrayLike) -> int:
        """The slot whose colour is nearest to linear light (3) in OKLab; how bright
        either is does not count.
        """
        wanted = np.asarray(rgb, float)
        wanted = (
            wanted / max(float(wanted.max()), 1e-9) if wanted.max() > 0 else np.ones(3)
        )
        return int(np.linalg.norm(self.lab - to_oklab(wanted), axis=1).argmin())


@dataclass
class Rig:
    """The compiled rig. P parameters, I intensities, K target colours, C channels, U
    universes.
    """

    fixtures: dict[str, Fixture]
    parts: list[CellRows]
    names: list[str]  # P: attribute of each row
    intensities: int
    colours: int
    snaps_from: int
    home: Floats  # P, in blending units
    low: Floats  # P
    high: Floats  # P
    # P: the intensity row that shows this parameter; I stands for “always lit”
    light: Ints
    where: dict[
        str, dict[str, list[tuple[int, int]]]
    ]  # fixture → attribute → [(cell, row)]
    universes: tuple[int, ...]
    # fixture → raw attribute → [(cell, channel, slope, offset)]: values that go
    # straight to a channel
    direct: dict[str, dict[str, list[tuple[int, int, float, float]]]] = field(
        default_factory=dict
    )
    mixing: dict[int, list[int]] = field(
        default_factory=dict
    )  # colour → the channels that mix it
    # virtual dimmers, over sources
    scaled: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    scaled_by: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    shaded: Ints = field(
        default_factory=lambda: np.zeros(0, np.int64)
    )  # channels whose raw value the masters scale
    shaded_by: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    # channels: raw = clip(source × slope + offset, floor, top)
    source: Ints = field(
        default_factory=lambda: np.zeros(0, np.int64)
    )  # C, into P parameters and the emitters
    slope: Floats = field(default_factory=lambda: np.zeros(0))
    offset: Floats = field(default_factory=lambda: np.zeros(0))
    floor: Floats = field(default_factory=lambda: np.zeros(0))
    top: Floats = field(default_factory=lambda: np.zeros(0))
    full: Floats = field(
        default_factory=lambda: np.zeros(0)
    )  # the highest value its slots can show
    pieces: Pieces = field(default_factory=lambda: Pieces.of_list([]))
    # bytes
    byte_channel: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    byte_shift: npt.NDArray[np.uint32] = field(
        default_factory=lambda: np.zeros(0, np.uint32)
    )
    byte_at: Ints = field(
        default_factory=lambda: np.zeros(0, np.int64)
    )  # into the flat frame
    mixes: list[Mix] = field(default_factory=list)
    families: Ints = field(
        default_factory=lambda: np.zeros(0, np.int64)
    )  # P: place in `FAMILIES`
    wheels: dict[str, ColourWheel] = field(
        default_factory=dict
    )  # of fixtures that do not mix
    axes: dict[str, Floats] = field(
        default_factory=dict
    )  # fixture that has pan and tilt → its axes in the room
    heads: Heads = field(default_factory=lambda: NO_HEADS)
    least: Floats = field(
        default_factory=lambda: np.zeros(0)
    )  # C: the lowest raw value, as `full` is the highest

    # What the raw values of channels (C) light, and which intensity a channel dims and
    # which target colour it mixes (−1: none): a channel driven past all meaning is a
    # row like any other, after P.
    channel_light: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    channel_dims: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    channel_colour: Ints = field(default_factory=lambda: np.zeros(0, np.int64))

    @property
    def size(self) -> int:
        """P: how many parameters there are."""
        return len(self.home)

    @property
    def channels(self) -> int:
        """C: how many channels there are."""
        return len(self.source)

    @cached_property
    def encoder(self) -> Encoder:
        """What was encoded last."""
        from choreon.render.encode import Encoder  # it needs the rig

        return Encoder(self)

    @cached_property
    def owners(self) -> list[str]:
        """The fixture of each parameter's row."""
        found = [""] * self.size
        for fixture, names in self.where.items():
            for cells in names.values():
                for _, row in cells:
                    found[row] = fixture
        return found

    def prepare(self) -> None:
        """Make ahead what the first frame would have to make."""
        self.encoder.channels(self.home)

    def aims_at(self, point: tuple[float, float, float]) -> Floats:
        """Returns pan and tilt (H, 2, degrees) that send each head to a point, the way
        nearest to home.
        """
        return self._aims.get(point, lambda: self._solved(point))

    @cached_property
    def _aims(self) -> Recent[tuple[float, float, float], Floats]:
        return Recent(AIMS)

    def _solved(self, point: tuple[float, float, float]) -> Floats:
        which = np.arange(len(self.heads))
        points = np.broadcast_to(np.array(point), (len(which), 3))
        return self.heads.solve(which, points, self.home[self.heads.rows])[0]

    @property
    def emitters(self) -> int:
        """How many emitters there may be: WIDTH for each target colour."""
        return WIDTH * self.colours

    @property
    def colour_rows(self) -> slice:
        """The rows of the target colours: three blocks of K."""
        return slice(self.intensities, self.intensities + 3 * self.colours)

    def blank(self) -> Bytes:
        """A frame of zeros, (U, 512)."""
        return np.zeros((len(self.universes), SLOTS), np.uint8)

    def has(self, fixture: str, name: str) -> bool:
        """Whether a fixture can be given a value for an attribute, raw ones
        included.
        """
        return name in self.where.get(fixture, {}) or name in self.direct.get(
            fixture, {}
        )

    def takes(self, fixture: str, name: str) -> bool:
        """Whether a value for an attribute means something to a fixture; wheels take
        target colours.
        """
        return self.has(fixture, name) or (
            name in at.TARGET_COLOUR and fixture in self.wheels
        )

    def span(self, fixture: str, name: str) -> tuple[float, float]:
        """Lowest and highest value of an attribute that the fixture has a row for,
        limits included.
        """
        rows = [row for _, row in self.where[fixture][name]]
        return float(self.low[rows].min()), float(self.high[rows].max())


def _parts_of(fixture: Fixture, mode: Mode, channels: list[Ready]) -> list[CellRows]:
    """The parts and the attributes (rows still −1) of each."""
    parts = [CellRows(fixture.id, cell) for cell in range(len(mode.cells) + 1)]
    others: list[tuple[int, str]] = []

    for ready in channels:
        cell = ready.use.cell
        if ready.channel.rest or cell >= len(parts):
            continue

        if ready.emitter in _PRIMARIES:
            parts[cell].rows.update(_COLOUR_ROWS)
        elif ready.emitter:
            others.append((cell, ready.emitter))
        else:
            parts[cell].rows.update(dict.fromkeys(ready.names, -1))

    # without red, green or blue beside them emitters are driven one by one
    for cell, name in others:
        if at.RED not in parts[cell].rows:
            parts[cell].rows[name] = -1

    _dimmers(parts)
    return [part for part in parts if part.rows]


_PRIMARIES = {*at.EMITTERS[:3], *at.FILTERS}
_COLOUR_ROWS = dict.fromkeys(at.TARGET_COLOUR, -1)


def _dimmers(parts: list[CellRows]) -> None:
    """Give parts that mix light without a dimmer a virtual one. A master over cells
    that dim themselves stays open.
    """
    if any(at.DIMMER in part.rows for part in parts[1:]):
        parts[0].rows.pop(at.DIMMER, None)
    master = at.DIMMER in parts[0].rows
    for part in parts:
        mixes = at.RED in part.rows or any(n in part.rows for n in at.ALL_EMITTERS)
        if mixes and at.DIMMER not in part.rows and not master:
            part.rows[at.DIMMER] = -1
            part.virtual = True


def compile_rig(
    types: Mapping[str, FixtureType],
    fixtures: Mapping[str, Fixture],
    others: Iterable[int] = (),
) -> Rig:
    """Compile the fixtures whose type and mode are known; slots outside 1…512 are left
    out of the frame. `others`: universes that are sent though no fixture lies there.
    """
    known = _known(types, fixtures)
    parts = [part for one in known for part in one.parts]
    numbers = _number_rows(parts)
    rig = Rig(
        fixtures={one.fixture.id: one.fixture for one in known},
        parts=parts,
        where=_where(parts),
        universes=tuple(sorted({*others, *(one.fixture.universe for one in known)})),
        **numbers,
    )

    _fill(rig, known)
    rig.mixes = _mixes(rig, known, types)
    families = [FAMILIES.index(at.attribute(name).family) for name in rig.names]
    rig.families = np.array(families, np.int64)
    rig.wheels = _wheels(rig, known, types)

    heads = [one.fixture for one in known if _turns(rig, one.fixture.id)]
    matrices = hanging_matrices(heads)
    rig.axes = {head.id: turn for head, turn in zip(heads, matrices, strict=True)}
    rig.heads = _heads(rig, heads, _pan_speeds(known))

    return rig


class _Known(NamedTuple):
    """A fixture that can be lit: its mode, its channels, and the parts of it."""

    fixture: Fixture
    mode: Mode
    ready: list[Ready]
    parts: list[CellRows]


def _known(
    types: Mapping[str, FixtureType], fixtures: Mapping[str, Fixture]
) -> list[_Known]:
    """The fixtures whose type and mode are known. Fixtures of one mode share its
    channels.
    """
    modes: dict[tuple[str, str], tuple[Mode, list[Ready]] | None] = {}
    known = []

    for fixture in fixtures.values():
        key = (fixture.type, fixture.mode)
        if key not in modes:
            modes[key] = _ready(types.get(fixture.type), fixture.mode)

        found = modes[key]
        if found is not None and fixture.universe > 0:
            known.append(_Known(fixture, *found, _parts_of(fixture, *found)))

    return known


def _ready(kind: FixtureType | None, name: str) -> tuple[Mode, list[Ready]] | None:
    mode = kind.mode(name) if kind is not None else None
    if kind is None or mode is None:
        return None
    return mode, [Ready(use, channel) for use, channel in kind.used(mode)]


def _where(parts: list[CellRows]) -> dict[str, dict[str, list[tuple[int, int]]]]:
    """For each fixture and attribute the cells that have it, and their rows."""
    where: dict[str, dict[str, list[tuple[int, int]]]] = {}
    for part in parts:
        own = where.setdefault(part.fixture, {})
        for name, row in part.rows.items():
            own.setdefault(name, []).append((part.cell, row))
    return where


def _turns(rig: Rig, fixture: str) -> bool:
    """Whether a fixture has pan and tilt."""
    has = rig.where.get(fixture, {})
    return at.PAN in has and at.TILT in has


PAN_SPEED = 300.0  # degrees a second that a head turns where its type does not say


def _pan_speeds(known: list[_Known]) -> dict[str, float]:
    """How fast heads turn whose type says so, degrees a second."""
    found: dict[str, float] = {}
    for one in known:
        for ready in one.ready:
            for span in ready.channel.ranges:
                if span.attribute == at.PAN and span.travel > 0.0:
                    found[one.fixture.id] = abs(span.high - span.low) / span.travel
    return found


def _heads(rig: Rig, heads: list[Fixture], pan_speeds: Mapping[str, float]) -> Heads:
    rows = np.array(
        [[rig.where[f.id][n][0][1] for n in (at.PAN, at.TILT)] for f in heads], np.int64
    ).reshape(-1, 2)
    place = np.array([[f.place.x, f.place.y, f.place.z] for f in heads], float).reshape(
        -1, 3
    )

    hanging = np.array([rig.axes[f.id] for f in heads]).reshape(-1, 3, 3)

    return Heads(
        {f.id: i for i, f in enumerate(heads)},
        rows,
        place,
        hanging,
        rig.low[rows],
        rig.high[rows],
        np.array([pan_speeds.get(f.id) or PAN_SPEED for f in heads]),
    )


def _number_rows(parts: list[CellRows]) -> dict[str, Any]:
    """Give each attribute of each part its row; returns what is known of the rows."""
    intensity = [(part, at.DIMMER) for part in parts if at.DIMMER in part.rows]
    coloured = [part for part in parts if at.RED in part.rows]
    order = [*intensity, *_after_intensities(parts, coloured)]

    for row, (part, name) in enumerate(order):
        part.rows[name] = row

    # the row of the intensity that lights each; of what has none, one that is always 1
    always = len(intensity)
    lit = _lit_by([part for part, _ in intensity])
    light = [p.rows.get(at.DIMMER, lit.get(p.fixture, always)) for p, _ in order]

    # colours rest at white, whatever each emitter rests at
    mixing = {part.fixture for part in coloured}
    home = np.array([_home_of(part, name, mixing) for part, name in order])
    first_rest = always + 3 * len(coloured)
    home[always:first_rest] = np.repeat(WHITE, len(coloured))

    known = [at.attribute(name) for _, name in order]
    snaps = sum(attribute.snap for attribute in known[first_rest:])

    return {
        "names": [name for _, name in order],
        "intensities": always,
        "colours": len(coloured),
        "snaps_from": len(order) - snaps,
        "home": home,
        "low": np.array([attribute.low for attribute in known]),
        "high": np.array([attribute.high for attribute in known]),
        "light": np.array(light, np.int64),
    }


def _after_intensities(
    parts: list[CellRows], coloured: list[CellRows]
) -> list[tuple[CellRows, str]]:
    """The target colours in three blocks, then all else, what snaps last."""
    colours = [(part, name) for name in at.TARGET_COLOUR for part in coloured]
    first = {at.DIMMER, *at.TARGET_COLOUR}
    rest = [(part, name) for part in parts for name in part.rows if name not in first]
    return colours + sorted(rest, key=lambda place: at.attribute(place[1]).snap)


def _lit_by(dimmed: list[CellRows]) -> dict[str, int]:
    """The intensity row that shows what a fixture's parts without one do: that of the
    whole, else of its first cell.
    """
    lit: dict[str, int] = {}
    for row, part in reversed(list(enumerate(dimmed))):
        if part.cell == 0 or part.fixture not in lit:
            lit[part.fixture] = row
    return lit


def _home_of(part: CellRows, name: str, mixing: set[str]) -> float:
    """The home of an attribute that is no target colour. `mixing`: the fixtures that
    mix one, in whatever part.
    """
    if name.startswith("Shutter") and at.attribute(name).kind == "slot":
        return 1.0  # open, whatever the type says: intensity alone shall light a lamp
    if name in at.ALL_EMITTERS and part.fixture not in mixing:
        return 1.0  # it is all the light there is; beside a mixed colour it stays off
    return 0.0


def _fill(rig: Rig, known: list[_Known]) -> None:
    """How each channel is encoded."""
    index = {universe: i for i, universe in enumerate(rig.universes)}
    channels = Channels(rig.size, rig.intensities, rig.colours)
    lights: list[int] = []

    for one in known:
        fixture = one.fixture
        by_cell = {part.cell: part for part in one.parts}
        base = index[fixture.universe] * SLOTS

        for ready in one.ready:
            cell = ready.use.cell
            if fixture.reversed and cell:
                # the last cell's channels light the first cell
                cell = len(one.mode.cells) + 1 - cell

            part = by_cell.get(cell) or CellRows(fixture.id, cell)
            number, raw = channels.add(ready, part.rows, part.virtual)
            lights.append(_light_of(rig, part))
            channels.put_bytes(number, ready.use, base, fixture.address)
            _note_raw(rig, part, number, raw)

    channels.into(rig)
    _find_channel_lights(rig, lights)
    rig.least = np.zeros(len(rig.full))

    for fixture in rig.fixtures.values():
        limits = {at.PAN: fixture.limits.pan, at.TILT: fixture.limits.tilt}
        for name, span in limits.items():
            if span is not None:
                _limit(rig, fixture.id, name, *span)


def _note_raw(
    rig: Rig, part: CellRows, number: int, raw: list[tuple[str, float, float]]
) -> None:
    """Note which channel raw values of attributes go to."""
    direct = rig.direct.setdefault(part.fixture, {})
    for name, slope, offset in raw:
        direct.setdefault(name, []).append((part.cell, number, slope, offset))
    if len(raw) > 1 and raw[1][0] in at.ALL_EMITTERS:
        colour = part.rows[at.RED] - rig.intensities
        rig.mixing.setdefault(colour, []).append(number)


def _find_channel_lights(rig: Rig, lights: list[int]) -> None:
    """Which lamp shows each channel, which it dims, which colour it is part of."""
    rig.channel_light = np.array(lights, np.int64)
    dims = (rig.source < rig.intensities) & (rig.slope != 0)
    rig.channel_dims = np.where(dims, rig.source, -1)
    rig.channel_light[dims] = rig.intensities  # a dimmer is not lit by itself
    rig.channel_colour = np.full(rig.channels, -1)
    for colour, mixed in rig.mixing.items():
        rig.channel_colour[mixed] = colour


def _light_of(rig: Rig, part: CellRows) -> int:
    """The intensity row that shows what a part's channels do; I where none does."""
    if part.rows:
        return int(rig.light[next(iter(part.rows.values()))])
    dimmers = rig.where.get(part.fixture, {}).get(at.DIMMER)
    return dimmers[0][1] if dimmers else rig.intensities


def _limit(rig: Rig, fixture: str, name: str, low: float, high: float) -> None:
    """Keep a fixture's attribute, and the channels that it drives, within limits."""
    for _, row in rig.where.get(fixture, {}).get(name, ()):
        low, high = (
            max(min(low, high), rig.low[row]),
            min(max(low, high), rig.high[row]),
        )
        if low > high:
            continue  # the type has changed since: nothing is left of the span

        rig.low[row], rig.high[row] = low, high
        rig.home[row] = min(max(rig.home[row], low), high)

        for channel in np.flatnonzero((rig.source == row) & (rig.slope != 0)):
            ends = sorted(
                float(rig.slope[channel] * v + rig.offset[channel]) for v in (low, high)
            )
            rig.floor[channel] = max(rig.floor[channel], np.ceil(ends[0] - 1e-6))
            rig.top[channel] = min(rig.top[channel], np.floor(ends[1] + 1e-6))
            rig.least[channel], rig.full[channel] = rig.floor[channel], rig.top[channel]


FAMILIES = tuple(at.Family)
COLOUR = FAMILIES.index(at.Family.COLOUR)
POSITION = FAMILIES.index(at.Family.POSITION)
BEAM = FAMILIES.index(at.Family.BEAM)


def _wheels(
    rig: Rig, known: list[_Known], types: Mapping[str, FixtureType]
) -> dict[str, ColourWheel]:
    """The colour wheel of each fixture that has one and does not mix."""
    found: dict[str, ColourWheel] = {}
    for one in known:
        has = rig.where.get(one.fixture.id, {})
        kind = types[one.fixture.type]

        for ready in one.ready if at.RED not in has else ():
            wheel = kind.wheel(ready.channel.wheel) if ready.channel.wheel else None
            by_colour = at.template(ready.main) == "Color(n)" and ready.main in has
            if wheel is None or not by_colour:
                continue

            if any(slot.colour for slot in wheel.slots):
                row = has[ready.main][0][1]
                found.setdefault(one.fixture.id, _colour_wheel(ready.main, row, wheel))

    return found


def _colour_wheel(name: str, row: int, wheel: Wheel) -> ColourWheel:
    light = np.array([of_halves(slot.colour, slot.split) for slot in wheel.slots])
    lab = to_oklab(light / np.maximum(light.max(axis=1, keepdims=True), 1e-9))
    # two colours side by side are near to none
    lab[[bool(slot.split) for slot in wheel.slots]] = np.inf
    names = tuple(slot.name for slot in wheel.slots)
    return ColourWheel(name, row, names, light, lab)


def _mixes(
    rig: Rig, known: list[_Known], types: Mapping[str, FixtureType]
) -> list[Mix]:
    """The colours of the rig, together with those that are mixed alike."""
    alike: dict[tuple[str, tuple[str, ...]], list[int]] = {}
    for one in known:
        names = _emitters_of(one)
        for part in one.parts:
            if at.RED in part.rows:
                # filters take from white
                own = names.get(part.cell) or at.EMITTERS[:3]
                colour = part.rows[at.RED] - rig.intensities
                alike.setdefault((one.fixture.type, own), []).append(colour)

    mixes = []
    for (type_id, own), colours in alike.items():
        light = light_at_full(own, {e.attribute: e for e in types[type_id].emitters})
        mixer = Mixer(light)
        columns = np.array([EMITTER_AT[name] for name in own], np.int64)
        which = np.array(colours, np.int64)
        mixes.append(Mix(which, columns, mixer if mixer.spans() else None, light))

    return mixes


def _emitters_of(one: _Known) -> dict[int, tuple[str, ...]]:
    """The emitters of each cell, in the order of its channels."""
    names: dict[int, tuple[str, ...]] = {}
    for ready in one.ready:
        emitter, cell = ready.emitter, ready.use.cell
        own = names.get(cell, ())
        if emitter in EMITTER_AT and not ready.channel.rest and emitter not in own:
            names[cell] = (*own, emitter)
    return names


def hanging_matrices(fixtures: list[Fixture]) -> Floats:
    """The fixtures' own axes in the room, (n, 3, 3)."""
    angles = np.array(
        [[f.hanging.yaw, f.hanging.pitch, f.hanging.roll] for f in fixtures], float
    ).reshape(-1, 3)
    return aim.hanging_matrix(*angles.T)
