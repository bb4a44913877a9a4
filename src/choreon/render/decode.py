"""DMX bytes → light: what the lamps make of a frame, read back through the fixture
types.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from choreon.model import attributes as at
from choreon.model.colours import of_halves, of_hex
from choreon.model.fixture_type import FixtureType, main_attribute
from choreon.model.show import Place
from choreon.render import aim
from choreon.render.channels import WIDTH
from choreon.render.mixing import USUAL
from choreon.render.rig import Bytes, CellRows, Floats, Ints, Rig, hanging_matrices


def _is_slot(name: str) -> bool:
    return at.attribute(name).kind == "slot"


@dataclass(frozen=True)
class Lamp:
    """What is drawn for one part of a fixture, apart from its light: where it is and
    what it looks like.
    """

    fixture: str
    cell: int
    body: str
    beam: float
    place: Place


@dataclass(frozen=True)
class Light:
    """What N lamps put out: linear light (N, 3) with intensity in it, beam directions
    (N, 3), strobe in Hz (N), beam angle in degrees (N), and whether a gobo and a prism
    are in it (their slots, N each; 0: none). `motion` (N, 5) says how these stand and
    move: the gobo's angle in degrees, its turning in rpm, its shaking in Hz, the
    prism's angle and turning.
    """

    rgb: Floats
    direction: Floats
    strobe: Floats
    beam: Floats = field(default_factory=lambda: np.zeros(0))
    gobo: Floats = field(default_factory=lambda: np.zeros(0))
    prism: Floats = field(default_factory=lambda: np.zeros(0))
    motion: Floats = field(default_factory=lambda: np.zeros((0, 5)))

    @property
    def moving(self) -> bool:
        """Whether something in a lit beam turns or shakes, so that the picture changes
        though the frame does not.
        """
        if not len(self.motion):
            return False
        turns = (self.motion[:, [1, 2]].any(axis=1) & (self.gobo >= 1)) | (
            (self.motion[:, 4] != 0) & (self.prism >= 1)
        )
        return bool((turns & (self.rgb.max(axis=1) > 0)).any())


class Decoder:
    """Reads frames of one compiled rig. `lamps` lists what it gives light for, in the
    order of its arrays.
    """

    TUNGSTEN = np.array(
        [1.0, 0.78, 0.52]
    )  # about 3200 K beside D65, for lamps without colour of their own

    def __init__(self, rig: Rig, types: Mapping[str, FixtureType]) -> None:
        self.rig = rig
        self.parts = [p for p in rig.parts if _lights(rig, p.fixture, p.cell)]
        fixtures = [rig.fixtures[p.fixture] for p in self.parts]
        self.hanging = hanging_matrices(fixtures)
        self.lamps = []

        for part, fixture, turn in zip(self.parts, fixtures, self.hanging, strict=True):
            kind = types[fixture.type]
            mode = kind.mode(fixture.mode)
            place = fixture.place

            if part.cell and mode is not None:
                cell = mode.cells[part.cell - 1]
                x, y, z = turn @ np.array([cell.x, cell.y, 0.0])
                place = Place(place.x + x, place.y + y, place.z + z)

            self.lamps.append(
                Lamp(part.fixture, part.cell, kind.body, kind.beam, place)
            )

        self.plain = np.array(
            [of_hex(f.gel) if f.gel else (1.0, 1.0, 1.0) for f in fixtures]
        ).reshape(-1, 3)
        self.plain = self.plain * self.TUNGSTEN
        self._index()
        self._wheels([types[f.type] for f in fixtures])

    def _index(self) -> None:
        """For each lamp, the sources that say what it does; one past the last stands
        for “not there”.
        """
        rig, count = self.rig, len(self.parts)
        self.absent = absent = rig.size + rig.emitters
        rows = [self._rows_of(part) for part in self.parts]

        def sources(names: Sequence[str]) -> Ints:
            found = [[own.get(name, absent) for name in names] for own in rows]
            return np.array(found, np.int64).reshape(count, len(names))

        driven = {*rig.source[rig.slope != 0].tolist(), *rig.pieces.row.tolist()}
        dimmers = [own.get(at.DIMMER, absent) for own in rows]
        self.dimmer = np.array(
            [row if row in driven else absent for row in dimmers], np.int64
        )

        self.direct = sources((*at.DIRECT_EMITTERS, at.EMITTERS[3]))
        self.aim = sources((at.PAN, at.TILT))

        self.shutter = sources((at.SHUTTER, at.STROBE))
        self.shape = sources(SHAPE)
        self._find_emitters(rows)
        self.coloured = np.any(np.hstack([self.emitters, self.direct]) < absent, axis=1)
        opens = [n.startswith("Shutter") and _is_slot(n) for n in rig.names]
        self.opened = np.array(opens, bool)

    def _rows_of(self, part: CellRows) -> dict[str, int]:
        """The rows of a part: its own, else those of the whole fixture."""
        whole = {
            name: row
            for name, places in self.rig.where[part.fixture].items()
            for cell, row in places
            if cell == 0
        }
        return whole | part.rows

    def _find_emitters(self, rows: list[dict[str, int]]) -> None:
        """The emitters of each lamp's target colour, and their light at full."""
        rig, count = self.rig, len(self.parts)
        self.emitters = np.full((count, WIDTH), self.absent)
        self.light = np.zeros((count, WIDTH, 3))
        mixes = {int(colour): mix for mix in rig.mixes for colour in mix.colours}
        for lamp, own in enumerate(rows):
            if at.RED not in own:
                continue
            colour = own[at.RED] - rig.intensities
            mix = mixes[colour]
            at_column = rig.size + rig.colours * mix.columns
            self.emitters[lamp, mix.columns] = at_column + colour
            self.light[lamp, mix.columns] = mix.light

    def _wheels(self, kinds: list[FixtureType]) -> None:
        """The colours that wheels put into the beam: for each lamp with a colour wheel,
        its row and its slots.
        """
        self.wheels: list[tuple[int, int, Floats]] = []
        of_kind: dict[str, list[tuple[str, Floats]]] = {}

        for i, (part, kind) in enumerate(zip(self.parts, kinds, strict=True)):
            if kind.id not in of_kind:
                of_kind[kind.id] = _coloured_wheels(kind)

            for name, light in of_kind[kind.id]:
                rows = [
                    r
                    for c, r in self.rig.where[part.fixture].get(name, ())
                    if c in (0, part.cell)
                ]
                if rows:
                    self.wheels.append((i, rows[0], light))

    def read(self, frame: Bytes) -> Light:
        """What a frame (U, 512) lights."""
        value = self.sources_of(frame)
        dimmer = np.where(self.dimmer == self.absent, 1.0, value[self.dimmer])
        mixed = (
            np.einsum("nw,nwc->nc", value[self.emitters], self.light)
            + value[self.direct] @ DIRECT_LIGHT
        )

        np.maximum(mixed, 0.0, out=mixed)
        rgb = np.where(self.coloured[:, None], mixed, self.plain) * dimmer[:, None]

        for lamp, row, slots in self.wheels:
            rgb[lamp] *= slots[int(min(max(value[row], 0), len(slots) - 1))]

        has = self.shutter[:, 0] < self.absent
        rgb[has & (value[self.shutter[:, 0]] < 0.5)] = 0.0
        pan, tilt = value[self.aim].T
        zoom, iris, gobo, prism = value[self.shape[:, :4]].T
        (
            stand,
            turn,
            spin,
            select,
            shake,
            in_place,
            wheel_shake,
            prism_at,
            prism_turn,
        ) = value[self.shape[:, 4:]].T

        turn = turn + spin + select

        gobo = np.where(
            spin != 0, np.maximum(gobo, 1.0), gobo
        )  # a wheel that turns has some gobo in the beam

        shakes = np.maximum(np.maximum(shake, in_place), wheel_shake)
        motion = np.column_stack([stand, turn, shakes, prism_at, prism_turn])
        beam = np.where(
            self.shape[:, 0] < self.absent, zoom, [lamp.beam for lamp in self.lamps]
        )

        beam = np.where(
            self.shape[:, 1] < self.absent, beam * np.clip(iris, 0.15, 1.0), beam
        )

        return Light(
            rgb,
            aim.beam(self.hanging, pan, tilt),
            value[self.shutter[:, 1]],
            beam,
            gobo,
            prism,
            motion,
        )

    def sources_of(self, frame: Bytes) -> Floats:
        """What the bytes mean for each source; what no channel says is 0, a shutter
        that is not shut is open.
        """
        rig = self.rig
        raw = np.zeros(len(rig.source))
        np.add.at(
            raw, rig.byte_channel, frame.reshape(-1)[rig.byte_at] * 2.0**rig.byte_shift
        )
        value = np.zeros(self.absent + 1)
        value[: rig.size][self.opened] = 1.0

        line = np.flatnonzero(rig.slope != 0)[
            ::-1
        ]  # the first channel of a source says what it does

        value[rig.source[line]] = (raw[line] - rig.offset[line]) / rig.slope[line]
        pieces = rig.pieces

        if len(pieces):
            now = raw[pieces.channel][pieces.of]
            inside = (now >= pieces.start) & (now <= pieces.end)
            inside &= np.concatenate(
                ([True], ~(inside[:-1] & (pieces.of[:-1] == pieces.of[1:])))
            )
            slope = pieces.slope[inside]
            meant = np.divide(
                now[inside] - pieces.offset[inside],
                slope,
                out=pieces.low[inside],
                where=slope != 0,
            )
            value[pieces.row[inside]] = meant

            tied = np.flatnonzero(
                inside & (pieces.slot >= 0) & (pieces.main != pieces.row)
            )
            value[pieces.main[tied]] = pieces.slot[
                tied
            ]  # shaking, or turning, with one slot of the wheel

        return value


def _coloured_wheels(kind: FixtureType) -> list[tuple[str, Floats]]:
    """The attributes of a type that turn a wheel with colours, and the light of its
    slots (S, 3).
    """
    found = []
    for channel in kind.channels:
        wheel = kind.wheel(channel.wheel) if channel.wheel else None
        if wheel is not None and any(slot.colour for slot in wheel.slots):
            light = np.array(
                [of_halves(slot.colour, slot.split) for slot in wheel.slots]
            )
            found.append((main_attribute(channel), light))
    return found


SHAPE = (
    *("Zoom", "Iris", "Gobo1", "Prism1"),
    *("Gobo1Pos", "Gobo1PosRotate", "Gobo1WheelSpin", "Gobo1SelectSpin"),
    *(
        "Gobo1SelectShake",
        "Gobo1PosShake",
        "Gobo1WheelShake",
        "Prism1Pos",
        "Prism1PosRotate",
    ),
)

DIRECT_LIGHT = np.array([USUAL[name] for name in (*at.DIRECT_EMITTERS, at.EMITTERS[3])])
"""Light of the emitters that are driven one by one, in their order, then a white that
stands alone.
"""


def _lights(rig: Rig, fixture: str, cell: int) -> bool:
    """A part is a lamp where it has light of its own: a colour, or an intensity with no
    coloured cells below it.
    """
    has = rig.where[fixture]

    def here(name: str) -> bool:
        return any(c == cell for c, _ in has.get(name, ()))

    colour = any(here(name) for name in (at.RED, *at.ALL_EMITTERS))
    return colour or (
        here(at.DIMMER) and not any(name in has for name in (at.RED, *at.ALL_EMITTERS))
    )


def decoder_for(rig: Rig, types: Iterable[FixtureType]) -> Decoder:
    """A decoder of a rig whose fixtures are of these types."""
    return Decoder(rig, {kind.id: kind for kind in types})
