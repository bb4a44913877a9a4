"""DMX bytes → light: what the lamps make of a frame, read back through the fixture types."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from choreon.model import attributes as at
from choreon.model.fixture_type import FixtureType
from choreon.model.show import Place
from choreon.render import aim
from choreon.render.rig import Bytes, Floats, Ints, Rig, hanging_matrices


@dataclass(frozen=True)
class Lamp:
    """What is drawn for one part of a fixture, apart from its light: where it is and what it looks like."""

    fixture: str
    cell: int
    body: str
    beam: float
    place: Place


@dataclass(frozen=True)
class Light:
    """What N lamps put out: linear light (N, 3) with intensity in it, beam directions (N, 3), strobe in Hz (N)."""

    rgb: Floats
    direction: Floats
    strobe: Floats


class Decoder:
    """Reads frames of one compiled rig. `lamps` lists what it gives light for, in the order of its arrays."""

    AMBER = np.array([1.0, 0.42, 0.02])
    ULTRAVIOLET = np.array([0.16, 0.02, 0.55])
    TUNGSTEN = np.array([1.0, 0.78, 0.52])  # about 3200 K beside D65, for lamps without colour of their own

    def __init__(self, rig: Rig, bodies: dict[str, tuple[str, float, tuple[tuple[float, float], ...]]]) -> None:
        """`bodies`: `type/mode` → body, beam angle in degrees, and the cells' places in metres."""
        self.rig = rig
        self.parts = [p for p in rig.parts if _lights(rig, p.fixture, p.cell)]
        fixtures = [rig.fixtures[p.fixture] for p in self.parts]
        self.hanging = hanging_matrices(fixtures)
        self.lamps = []
        for part, fixture, turn in zip(self.parts, fixtures, self.hanging, strict=True):
            body, angle, cells = bodies[f"{fixture.type}/{fixture.mode}"]
            place = fixture.place
            if part.cell:
                x, y, z = turn @ np.array([*cells[part.cell - 1], 0.0])
                place = Place(place.x + x, place.y + y, place.z + z)
            self.lamps.append(Lamp(part.fixture, part.cell, body, angle, place))
        self._index()

    def _index(self) -> None:
        rig, n = self.rig, len(self.parts)
        of_source = {int(source): i for i, source in reversed(list(enumerate(rig.source)))}
        always = len(rig.source)  # a channel that is not there

        def channel(source: int | None) -> int:
            return always if source is None else of_source.get(source, always)

        self.dimmer = np.full(n, always)
        self.emitters = np.full((n, 4), always)
        self.direct = np.full((n, 2), always)
        self.aim = np.full((n, 2), always)
        self.shutter = np.full(n, -1)
        shutter_of = {int(row): i for i, (row, _) in enumerate(rig.shutter_rows)}
        for i, part in enumerate(self.parts):
            whole = {name: row for name, places in rig.where[part.fixture].items() for c, row in places if c == 0}
            rows = whole | part.rows
            if at.DIMMER in rows:
                self.dimmer[i] = channel(rows[at.DIMMER])
            if at.RED in rows:
                first = rig.size + 4 * ((rows[at.RED] - rig.intensities) // 3)
                self.emitters[i] = [channel(first + e) for e in range(4)]
            self.direct[i] = [channel(rows.get(name)) for name in at.DIRECT_EMITTERS]
            self.aim[i] = [channel(rows.get(name)) for name in (at.PAN, at.TILT)]
            self.shutter[i] = shutter_of.get(rows.get(at.SHUTTER, -1), -1)
        self.coloured = np.any(np.hstack([self.emitters, self.direct]) < always, axis=1)
        self.shutter_channel: Ints = np.array(
            [channel(rig.size + 4 * rig.colours + int(s)) if s >= 0 else always for s in self.shutter], np.int64
        )

    def read(self, frame: Bytes) -> Light:
        """What a frame (U, 512) lights."""
        raw, value = self._channels(frame)
        dimmer = value[self.dimmer]
        dimmer = np.where(self.dimmer == len(self.rig.source), 1.0, dimmer)
        four = value[self.emitters]
        direct = value[self.direct]
        mixed = four[:, :3] + four[:, 3:4] + direct[:, :1] * self.AMBER + direct[:, 1:] * self.ULTRAVIOLET
        rgb = np.where(self.coloured[:, None], mixed, self.TUNGSTEN) * dimmer[:, None]
        strobe = self._shutter(raw, rgb)
        pan, tilt = value[self.aim].T
        return Light(rgb, aim.beam(self.hanging, pan, tilt), strobe)

    def _channels(self, frame: Bytes) -> tuple[Floats, Floats]:
        """Raw and decoded value of each channel, with one more at the end that is 0."""
        rig = self.rig
        raw = np.zeros(len(rig.source) + 1)
        np.add.at(raw, rig.byte_channel, frame.reshape(-1)[rig.byte_at] * 2.0**rig.byte_shift)
        slope = np.append(rig.slope, 0.0)
        offset = np.append(rig.offset, 0.0)
        value = np.divide(raw - offset, slope, out=np.zeros_like(raw), where=slope != 0)
        return raw, value

    def _shutter(self, raw: Floats, rgb: Floats) -> Floats:
        """Darken what is closed, in place; the strobe rates."""
        strobe = np.zeros(len(self.parts))
        has = self.shutter >= 0
        if not has.any():
            return strobe
        closed, opened, start, end, _, _, slope, offset = self.rig.shutters[self.shutter[has]].T
        now = raw[self.shutter_channel[has]]
        rgb[has] *= np.where((now == closed) & (closed != opened), 0.0, 1.0)[:, None]
        inside = (slope != 0) & (now >= np.minimum(start, end)) & (now <= np.maximum(start, end))
        strobe[has] = np.divide(now - offset, slope, out=np.zeros_like(now), where=inside)
        return strobe


def _lights(rig: Rig, fixture: str, cell: int) -> bool:
    """A part is a lamp where it has light of its own: a colour, or an intensity with no coloured cells below it."""
    has = rig.where[fixture]

    def here(name: str) -> bool:
        return any(c == cell for c, _ in has.get(name, ()))

    colour = any(here(name) for name in (at.RED, *at.DIRECT_EMITTERS))
    return colour or (here(at.DIMMER) and not any(name in has for name in (at.RED, *at.DIRECT_EMITTERS)))


def decoder_for(rig: Rig, types: Iterable[FixtureType]) -> Decoder:
    """A decoder whose bodies come from the fixture types."""
    bodies = {
        f"{kind.id}/{mode.name}": (kind.body, kind.beam, tuple((c.x, c.y) for c in mode.cells))
        for kind in types
        for mode in kind.modes
    }
    return Decoder(rig, bodies)
