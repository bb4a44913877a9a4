"""Fixture types from GDTF files (DIN SPEC 15800), through pygdtf.

What is not understood is listed and kept: an attribute without a meaning here stays a bare channel under its name.
"""

from __future__ import annotations

import contextlib
import io
import re
import uuid
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from xml.etree import ElementTree as StandardTree

import msgspec
import numpy as np
import numpy.typing as npt
import pygdtf
from pygdtf.utils.attribute_definitions_data import ANNEX_ATTRIBUTE_DEFINITIONS

from choreon.formats import package
from choreon.formats.package import FormatError
from choreon.model import attributes as at
from choreon.model.colours import from_xyy, hex_of, luminance_of, of_hex, to_xy
from choreon.model.edits import fresh_id
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
    main_attribute,
)
from choreon.model.show import SLOTS

DESCRIPTION = "description.xml"
EXTRA = "choreon.json"
MOST_MODES = 500
FURTHEST = 100.0  # metres of a cell from its fixture's middle
MOST_PICTURE = 4 << 20
Turned = npt.NDArray[np.float64]
replace = msgspec.structs.replace


class Imported(msgspec.Struct, frozen=True):
    """A type that was read, and what of the file has no place in it, in words."""

    kind: FixtureType
    notes: tuple[str, ...]


class Extra(msgspec.Struct, omit_defaults=True):
    """What GDTF has no words for, in a file that others pass over. `channels`: for each mode, the keys in the order of
    their slots; `splits`: for each wheel the second colours of its slots; `cells`: their names; `marks`: key → what
    differs from what GDTF says of the channel."""

    id: str = ""
    kind: str = ""
    body: str = ""
    notes: str = ""
    lamp: str = ""
    wheels: list[str] = []
    splits: list[list[str]] = []
    channels: list[list[str]] = []
    cells: list[list[str]] = []
    marks: dict[str, Mark] = {}


class Mark(msgspec.Struct, omit_defaults=True):
    """A channel: its name, whether it is left alone, and for each range its name, slot, hold and privacy."""

    name: str = ""
    rest: bool = False
    resolution: int = 1
    ranges: list[tuple[str, int, float, bool]] = []


def read(data: bytes, name: str = "the file") -> Imported:
    """The fixture type in a GDTF file. Raises FormatError."""
    with package.open_zip(data, name) as archive:
        root = package.parse_xml(package.member(archive, DESCRIPTION, name), DESCRIPTION, name)
        modes = root.findall(".//DMXMode")
        if root.find("FixtureType") is None:
            raise FormatError(f"{name} describes no fixture type.")
        if not modes:
            raise FormatError(f"{name} describes no DMX mode, so there is nothing to hang. Ask its maker for another.")
        if len(modes) > MOST_MODES:
            raise FormatError(f"{name} has {len(modes)} modes; more than {MOST_MODES} are not read.")
        _check_sizes(root, name)
        try:
            with contextlib.redirect_stdout(io.StringIO()):
                found = pygdtf.FixtureType(io.BytesIO(data))
            return _Reader(found, archive, name).imported()
        except FormatError:
            raise
        except RecursionError:
            raise FormatError(f"{name} has geometry that refers to itself without end.") from None
        except Exception as error:  # the library trusts its input; whatever a file makes it raise is the file's fault
            raise FormatError(f"{name} does not keep to the standard: {type(error).__name__}, {error}.") from None


def _check_sizes(root, name: str) -> None:  # type: ignore[no-untyped-def]
    references = len(root.findall(".//GeometryReference"))
    channels = len(root.findall(".//DMXChannel"))
    if references * channels > 2_000_000:
        raise FormatError(f"{name} multiplies {channels} channels by {references} parts; that is not a real lamp.")
    for channel in root.iter("DMXChannel"):
        for number in re.findall(r"-?\d+", channel.get("Offset") or ""):
            if len(number) > 6 or not 0 <= int(number) <= SLOTS:
                raise FormatError(f"{name} puts a channel on slot {number[:12]}; a universe has {SLOTS}.")


class _Reader:
    def __init__(self, found, archive: zipfile.ZipFile, name: str) -> None:  # type: ignore[no-untyped-def]
        self.found, self.archive, self.name = found, archive, name
        self.notes: dict[str, None] = {}
        self.channels: dict[str, Channel] = {}
        self.emitters: dict[str, Emitter] = {}
        self.wheel_keys: dict[str, str] = {}
        self.keys: list[list[str]] = []

    def note(self, text: str) -> None:
        self.notes[text] = None

    def imported(self) -> Imported:
        found = self.found
        wheels = tuple(self._wheels())
        modes = [self._mode(mode) for mode in found.dmx_modes]
        beams = [g for g in _all_geometries(found.geometries) if isinstance(g, pygdtf.GeometryBeam)]
        beam = beams[0] if beams else None
        kind = FixtureType(
            id=fresh_id(f"{found.manufacturer or ''} {found.name or 'fixture'}", ()),
            maker=(found.manufacturer or "").strip(),
            name=(found.long_name or found.name or "Fixture").strip(),
            kind="",
            channels=tuple(self.channels.values()),
            modes=_named_apart(modes),
            beam=round(beam.beam_angle, 3) if beam else 25.0,
            field=round(beam.field_angle, 3) if beam and beam.field_angle != beam.beam_angle else 0.0,
            lamp=_LAMPS.get(str(beam.lamp_type), "") if beam else "",
            wheels=wheels,
            emitters=tuple(self.emitters[e.name] for e in found.emitters if e.name in self.emitters),
        )
        kind = replace(kind, kind=_kind_of(kind))
        kind = replace(kind, body=_body_of(kind, str(beam.beam_type) if beam else ""))
        for mode in found.dmx_modes:
            if mode.relations:
                self.note(f"{mode.name}: {len(mode.relations)} relations between channels were passed over.")
            if mode.ft_macros:
                self.note(f"{mode.name}: {len(mode.ft_macros)} macros were passed over.")
        kind = self._with_extra(kind)
        return Imported(kind, tuple(self.notes))

    # wheels

    def _wheels(self) -> Iterable[Wheel]:
        for wheel in self.found.wheels:
            key = fresh_id(wheel.name or "wheel", self.wheel_keys.values())
            self.wheel_keys[wheel.name] = key
            slots: list[Slot] = []
            for slot in wheel.wheel_slots:
                file = slot.media_file_name.name if slot.media_file_name else ""
                picture = self._picture(file) if file else b""
                colour = _hex(slot.color) if slot.color is not None else ""
                plain = picture and colour == "#FFFFFF"
                slots.append(
                    Slot(name=slot.name or f"Slot {len(slots) + 1}", colour="" if plain else colour, picture=picture)
                )
            yield Wheel(key=key, name=wheel.name or key, slots=tuple(slots))

    def _picture(self, file: str) -> bytes:
        for path in (f"wheels/{file}.png", f"wheels/{file}.svg", f"wheels/{file}"):
            if path in self.archive.namelist():
                try:
                    return package.member(self.archive, path, self.name, MOST_PICTURE)
                except FormatError as error:
                    self.note(str(error))
                    return b""
        self.note(f"The picture {file} is not in the file.")
        return b""

    # modes

    def _mode(self, mode) -> Mode:  # type: ignore[no-untyped-def]
        if len(mode.dmx_breaks) > 1:
            count = len(mode.dmx_breaks)
            self.note(f"{mode.name} has {count} start addresses; its parts were put one behind the other.")
        placed = []
        for channel in mode.dmx_channels:
            if channel.offset:
                first = _before_break(mode, channel.dmx_break)
                placed.append((tuple(o + first for o in channel.offset), channel))
        if any(slot > SLOTS for slots, _ in placed for slot in slots):
            raise FormatError(f"{self.name}: the mode {mode.name} takes more than {SLOTS} slots.")
        if len(mode.virtual_channels):
            self.note(f"{mode.name}: {len(mode.virtual_channels)} virtual channels were passed over.")
        cells = self._cells(mode, [channel for _, channel in placed])
        numbers = {geometry: i for i, (geometry, _) in enumerate(cells, 1)}
        uses, overrides, taken = [], [], set()
        for slots, channel in sorted(placed, key=lambda p: p[0]):
            cell = numbers.get(channel.geometry, 0)
            made = self._channel(channel, len(slots))
            key = next(
                k for i in range(1, 9999) if (k := made.key if i == 1 else f"{made.key}-{i}") and (k, cell) not in taken
            )
            taken.add((key, cell))
            override = self._share(replace(made, key=key))
            if override is not None and override not in overrides:
                overrides.append(override)
            uses.append(Use(key, slots, cell))
        self.keys.append([use.channel for use in uses])
        return Mode(
            name=(mode.name or "Mode").strip(),
            uses=tuple(uses),
            cells=tuple(cell for _, cell in cells),
            overrides=tuple(overrides),
        )

    def _share(self, made: Channel) -> Channel | None:
        """Keep one definition for all modes; gives what this mode has instead, where it differs."""
        known = self.channels.get(made.key)
        if known is None:
            self.channels[made.key] = made
            return None
        if not _same(known, made):
            return made
        if made.resolution > known.resolution:
            self.channels[made.key] = made
        return None

    def _cells(self, mode, channels) -> list[tuple[str, Cell]]:  # type: ignore[no-untyped-def]
        """The parts that light by themselves: several geometries with the same kind of light."""
        light: dict[str, set[str]] = {}
        for channel in channels:
            name = str(channel.attribute)
            if name.startswith("ColorAdd_") or name == at.DIMMER:
                light.setdefault(channel.geometry, set()).add(name)
        coloured = [g for g, names in light.items() if any(n != at.DIMMER for n in names)]
        if len(coloured) > 2 and mode.geometry in coloured:  # the whole beside its cells
            coloured.remove(mode.geometry)
        parts = coloured if len(coloured) > 1 else [] if coloured else [g for g, n in light.items() if at.DIMMER in n]
        if len(parts) > 2 and mode.geometry in parts:
            parts.remove(mode.geometry)
        if len(parts) < 2:
            return []
        spots = _layout(parts, _places(self.found.geometries))
        return [(g, Cell(g, x, y)) for g, (x, y) in zip(parts, spots, strict=True)]

    # channels

    def _channel(self, channel, count: int) -> Channel:  # type: ignore[no-untyped-def]
        ranges: list[Range] = []
        wheel = ""
        for logical in channel.logical_channels:
            functions = [f for f in logical.channel_functions if not (f.mode_master and f.mode_master.str_link)]
            depending = len(logical.channel_functions) - len(functions)
            if depending:
                self.note(f"{channel.name}: {depending} functions depend on another channel and were passed over.")
            for i, function in enumerate(functions):
                later = [
                    _raw(f.dmx_from, count)
                    for f in functions
                    if _raw(f.dmx_from, count) > _raw(function.dmx_from, count)
                ]
                end = min(later, default=256**count) - 1
                ranges += self._ranges(function, count, end)
                linked = function.wheel.str_link if function.wheel else None
                wheel = wheel or self.wheel_keys.get(linked or "", "")
                self._emitter(function)
                if i > 200:
                    break
        ranges = _clean(ranges)
        made = Channel(key="", ranges=tuple(ranges), resolution=count, wheel=wheel)
        main = main_attribute(made) or str(channel.attribute)
        home = _raw(channel.default, count) if channel.default is not None else 0
        highlight = _raw(channel.highlight, count) if channel.highlight is not None else None
        return replace(
            made,
            key=re.sub(r"[^a-z0-9]+", "-", _key(main).lower()).strip("-") or "channel",
            name=at.attribute(main).label if at.known(main) else main.replace("_", " "),
            home=home,
            open=highlight if highlight is not None and highlight != home else None,
        )

    def _ranges(self, function, count: int, end: int) -> list[Range]:  # type: ignore[no-untyped-def]
        name = str(function.attribute)
        if not at.known(name):
            self.note(f"The attribute {name} has no meaning here; it is kept as a bare channel.")
        start = _raw(function.dmx_from, count)
        low, high = function.physical_from.value or 0.0, function.physical_to.value
        high = 1.0 if high is None else high
        sets = [s for s in function.channel_sets if start <= _raw(s.dmx_from, count) <= end]
        named = [s for s in sets if s.name or s.wheel_slot_index]
        if not named:
            return [Range(start=start, end=end, attribute=name, low=low, high=high)]
        found = []
        slot_like = at.attribute(name).kind == "slot"
        for one in named:
            first = _raw(one.dmx_from, count)
            after = [_raw(s.dmx_from, count) for s in sets if _raw(s.dmx_from, count) > first]
            last = min(after, default=end + 1) - 1
            turns = one.wheel_slot_index - 1 if one.wheel_slot_index and not slot_like else -1
            if one.wheel_slot_index and slot_like:
                bottom = top = float(one.wheel_slot_index - 1)
            else:
                slope = (high - low) / max(1, end - start)
                own = _physical(one.physical_from), _physical(one.physical_to)
                bottom = low + slope * (first - start) if own[0] is None else own[0]
                top = low + slope * (last - start) if own[1] is None else own[1]
            made = Range(start=first, end=last, attribute=name, low=bottom, high=top, name=one.name or "", slot=turns)
            found.append(made)
        return found

    def _emitter(self, function) -> None:  # type: ignore[no-untyped-def]
        linked = function.emitter.str_link if function.emitter else None
        name = str(function.attribute)
        for emitter in self.found.emitters:
            if linked and emitter.name == linked and emitter.color is not None:
                c = emitter.color
                self.emitters[emitter.name] = Emitter(attribute=name, x=c.x, y=c.y, strength=c.Y)

    # what only Choreon says

    def _with_extra(self, kind: FixtureType) -> FixtureType:
        """The type with what a file of ours says beside the standard, as far as the two still agree."""
        if EXTRA not in self.archive.namelist():
            return kind
        try:
            extra = msgspec.json.decode(package.member(self.archive, EXTRA, self.name, 8 << 20), type=Extra)
        except (FormatError, msgspec.DecodeError):
            self.note(f"{EXTRA} in it could not be read and was passed over.")
            return kind
        sizes = [len(keys) for keys in self.keys]
        if [len(keys) for keys in extra.channels] == sizes and len(extra.cells) == len(sizes):
            kind = _renamed(kind, extra)
        if len(extra.wheels) == len(kind.wheels):
            kind = _wheels_renamed(kind, extra.wheels)
        if [len(halves) for halves in extra.splits] == [len(w.slots) for w in kind.wheels]:
            kind = replace(kind, wheels=tuple(map(_split, kind.wheels, extra.splits)))
        fields = {n: v for n in ("id", "kind", "body", "notes") if (v := getattr(extra, n))}
        return replace(kind, lamp=extra.lamp, **fields)


def _split(wheel: Wheel, halves: list[str]) -> Wheel:
    """A wheel with the second colours of its slots."""
    slots = tuple(replace(slot, split=half) for slot, half in zip(wheel.slots, halves, strict=True))
    return replace(wheel, slots=slots)


def _wheels_renamed(kind: FixtureType, keys: list[str]) -> FixtureType:
    new = dict(zip([w.key for w in kind.wheels], keys, strict=True))

    def fit(channels: tuple[Channel, ...]) -> tuple[Channel, ...]:
        return tuple(replace(c, wheel=new.get(c.wheel, "")) if c.wheel else c for c in channels)

    modes = tuple(replace(m, overrides=fit(m.overrides)) for m in kind.modes)
    wheels = tuple(replace(w, key=new[w.key]) for w in kind.wheels)
    return replace(kind, wheels=wheels, channels=fit(kind.channels), modes=modes)


def _renamed(kind: FixtureType, extra: Extra) -> FixtureType:
    """Channels under the keys, and with the marks, that the extra file gives them."""
    channels: dict[str, Channel] = {}
    modes = []
    for mode, theirs, cells in zip(kind.modes, extra.channels, extra.cells, strict=True):
        overrides: dict[str, Channel] = {}
        uses = []
        for use, key in zip(sorted(mode.uses, key=lambda u: u.slots), theirs, strict=True):
            channel = kind.channel(use.channel, mode)
            assert channel is not None
            made = _marked(replace(channel, key=key), extra.marks.get(f"{mode.name}/{key}") or extra.marks.get(key))
            known = channels.setdefault(key, made)
            if not _same(known, made):
                overrides[key] = made
            elif made.resolution > known.resolution:
                channels[key] = made
            uses.append(Use(key, use.slots, use.cell))
        named = tuple(replace(c, name=n) for c, n in zip(mode.cells, cells, strict=False))
        mode = replace(mode, cells=named if len(named) == len(mode.cells) else mode.cells)
        modes.append(replace(mode, uses=tuple(uses), overrides=tuple(overrides.values())))
    fitted = {key: _fitted(channel, extra.marks.get(key)) for key, channel in channels.items()}
    order = [key for key in extra.marks if key in fitted] + [key for key in fitted if key not in extra.marks]
    return replace(kind, channels=tuple(fitted[key] for key in order), modes=tuple(modes))


def _marked(channel: Channel, mark: Mark | None) -> Channel:
    if mark is None:
        return channel
    ranges = channel.ranges
    if len(mark.ranges) == len(ranges):
        ranges = tuple(
            replace(r, name=name, slot=slot, hold=hold, private=private)
            for r, (name, slot, hold, private) in zip(ranges, mark.ranges, strict=True)
        )
    return replace(channel, name=mark.name or channel.name, rest=mark.rest, ranges=ranges)


def _fitted(channel: Channel, mark: Mark | None) -> Channel:
    """The channel in the resolution it was written from: a coarse definition that some mode uses fine."""
    if mark is None or mark.resolution >= channel.resolution:
        return channel
    step = 256 ** (channel.resolution - mark.resolution)
    ranges = tuple(replace(r, start=r.start // step, end=r.end // step) for r in channel.ranges)
    opened = None if channel.open is None else channel.open // step
    return replace(channel, resolution=mark.resolution, ranges=ranges, home=channel.home // step, open=opened)


def _raw(value, count: int) -> int:  # type: ignore[no-untyped-def]
    """A DMXValue in `count` bytes; its bytes are repeated where it has fewer (DIN SPEC 15800, type DMXValue)."""
    size, number = max(1, min(8, value.byte_count)), int(value.value)
    number = max(0, min(256**size - 1, number))
    if size == count:
        return number
    if size > count:
        return number >> 8 * (size - count)
    data = number.to_bytes(size, "big")
    return int.from_bytes((data * count)[:count], "big")


def _physical(value) -> float | None:  # type: ignore[no-untyped-def]
    """A channel set's own physical value; None where the function's is meant."""
    return value.value if value.value is not None and str(value.source) == "Set" else None


def _clean(ranges: list[Range]) -> list[Range]:
    """In order, without overlaps; what lies below another is cut."""
    found: list[Range] = []
    for one in sorted(ranges, key=lambda r: (r.start, r.end)):
        if found and one.start <= found[-1].end:
            if one.start <= found[-1].start:
                continue
            found[-1] = replace(found[-1], end=one.start - 1)
        found.append(one)
    return found


def _same(one: Channel, other: Channel) -> bool:
    """Whether two definitions mean the same, whatever their resolution."""

    def coarse(c: Channel) -> list[tuple[object, ...]]:
        scale = 256 ** (c.resolution - 1)
        return [
            (r.start // scale, r.end // scale, r.attribute, round(r.low, 6), round(r.high, 6), r.name) for r in c.ranges
        ]

    def home(c: Channel) -> tuple[int, int | None]:
        scale = 256 ** (c.resolution - 1)
        return c.home // scale, None if c.open is None else c.open // scale

    return coarse(one) == coarse(other) and home(one) == home(other) and one.rest == other.rest


def _key(attribute: str) -> str:
    short = {"ColorAdd_R": "red", "ColorAdd_G": "green", "ColorAdd_B": "blue", "ColorAdd_W": "white", at.AMBER: "amber"}
    short |= {at.UV: "uv", "ColorSub_C": "cyan", "ColorSub_M": "magenta", "ColorSub_Y": "yellow", "Shutter1": "shutter"}
    return short.get(attribute, re.sub(r"(?<=[a-z])(?=[A-Z0-9])", "-", attribute))


def _named_apart(modes: list[Mode]) -> tuple[Mode, ...]:
    """Modes whose names differ."""
    found: list[Mode] = []
    for mode in modes:
        names = {m.name for m in found}
        name, i = mode.name, 2
        while name in names:
            name, i = f"{mode.name} ({i})", i + 1
        found.append(replace(mode, name=name))
    return tuple(found)


def _before_break(mode, number: int) -> int:  # type: ignore[no-untyped-def]
    """How many slots the breaks before this one take."""
    total = 0
    for part in mode.dmx_breaks:
        if part.dmx_break == number:
            break
        total += max(
            (max(c.offset) for c in mode.dmx_channels if c.offset and c.dmx_break == part.dmx_break), default=0
        )
    return total


def _all_geometries(found, depth: int = 0) -> Iterable[object]:  # type: ignore[no-untyped-def]
    for one in found:
        yield one
        if depth < 40:
            yield from _all_geometries(getattr(one, "geometries", ()), depth + 1)


def _places(found, parent: Turned | None = None, depth: int = 0) -> dict[str, Turned]:  # type: ignore[no-untyped-def]
    """Geometry name → its frame in the fixture's (4, 4; metres), the turns of all it hangs on taken along."""
    places: dict[str, Turned] = {}
    for one in found:
        matrix = np.array(one.position.matrix, float)
        own = matrix if matrix.shape == (4, 4) and np.isfinite(matrix).all() else np.eye(4)
        own = np.clip(own if parent is None else parent @ own, -FURTHEST, FURTHEST)
        places[one.name] = own
        if depth < 40:
            places |= _places(getattr(one, "geometries", ()), own, depth + 1)
    return places


def _layout(names: Sequence[str], places: Mapping[str, Turned]) -> list[tuple[float, float]]:
    """Where cells lie (metres) as seen by who looks at them: across and along the face of the fixture, or, where they
    stand one above the other, across and up."""
    spots = np.array([places[n][:3, 3] if n in places else np.zeros(3) for n in names]).reshape(-1, 3)
    extent = np.ptp(spots, axis=0) if len(spots) else np.zeros(3)
    up = 2 if extent[2] > 1e-4 and extent[1] <= 1e-4 else 1
    return [(round(float(s[0]), 5), round(float(s[up]), 5)) for s in spots]


_LAMPS = {"LED": "LED", "Discharge": "discharge", "Tungsten": "tungsten", "Halogen": "tungsten"}


def _kind_of(kind: FixtureType) -> str:
    """What it is called among the kinds of the library."""
    names = kind.attributes
    if at.PAN in names or at.TILT in names:
        return "spot head" if any(n.startswith("Gobo") for n in names) else "wash head"
    if any(mode.cells for mode in kind.modes):
        return "LED bar"
    if names & set(at.ALL_EMITTERS):
        return "LED par"
    if any(n.startswith(("Fog", "Haze")) for n in names):
        return "hazer"
    return "dimmer" if at.DIMMER in names else "other"


def _body_of(kind: FixtureType, beam_type: str) -> str:
    if kind.kind == "wash head" or (kind.kind == "spot head" and beam_type in ("Wash", "Fresnel")):
        return "wash"
    return {"spot head": "spot", "LED bar": "bar", "hazer": "hazer", "dimmer": "profile"}.get(kind.kind, "par")


def _hex(colour) -> str:  # type: ignore[no-untyped-def]
    return hex_of(from_xyy(colour.x, colour.y, max(0.0, colour.Y) / 100))


# writing


def write(kind: FixtureType) -> bytes:
    """The type as a GDTF file, version 1.2."""
    made = _Writer(kind).fixture()
    buffer = io.BytesIO()
    xml = pygdtf.FixtureTypeWriter(made).xml_root
    StandardTree.indent(xml)
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(DESCRIPTION, StandardTree.tostring(xml, encoding="UTF-8", xml_declaration=True))
        archive.writestr(EXTRA, msgspec.json.encode(_extra(kind)))
        for wheel in kind.wheels:
            for i, slot in enumerate(wheel.slots):
                if slot.picture:
                    archive.writestr(f"wheels/{_file(wheel, i)}.{_suffix(slot.picture)}", slot.picture)
    return buffer.getvalue()


def _file(wheel: Wheel, number: int) -> str:
    return f"{wheel.key}-{number}"


def _suffix(picture: bytes) -> str:
    return "png" if picture.startswith(b"\x89PNG") else "svg"


def _extra(kind: FixtureType) -> Extra:
    def mark(c: Channel) -> Mark:
        ranges = [(r.name, r.slot, r.hold, r.private) for r in c.ranges]
        return Mark(c.name, c.rest, c.resolution, ranges)

    marks = {c.key: mark(c) for c in kind.channels}
    marks |= {f"{m.name}/{c.key}": mark(c) for m in kind.modes for c in m.overrides}
    channels = [[use.channel for use, _ in kind.used(mode)] for mode in kind.modes]
    cells = [[cell.name for cell in mode.cells] for mode in kind.modes]
    wheels = [wheel.key for wheel in kind.wheels]
    splits = [[slot.split for slot in wheel.slots] for wheel in kind.wheels]
    return Extra(kind.id, kind.kind, kind.body, kind.notes, kind.lamp, wheels, splits, channels, cells, marks)


class _Writer:
    """Puts a type into pygdtf's words."""

    def __init__(self, kind: FixtureType) -> None:
        self.kind = kind
        self.beams = 0

    def fixture(self) -> pygdtf.FixtureType:
        kind, made = self.kind, pygdtf.FixtureType()
        made.data_version = "1.2"
        made.name = made.long_name = kind.name
        made.short_name = kind.name[:16]
        made.manufacturer = kind.maker or "Generic"
        made.description = kind.notes
        made.fixture_type_id = str(uuid.uuid5(uuid.NAMESPACE_URL, f"choreon:{kind.id}")).upper()
        features = {_feature(name) for name in kind.attributes}
        made.feature_groups = [
            pygdtf.FeatureGroup(
                name=g, pretty=g, features=[pygdtf.Feature(name=f) for f in sorted(s for h, s in features if h == g)]
            )
            for g in sorted({g for g, _ in features})
        ]
        made.attributes = [_attribute(name) for name in sorted(kind.attributes)]
        made.wheels = [self._wheel(w) for w in kind.wheels]
        made.emitters = [
            pygdtf.Emitter(name=e.attribute, color=pygdtf.value.ColorCIE(e.x, e.y, e.strength)) for e in kind.emitters
        ]
        made.dmx_modes = [self._mode(i, mode, made.geometries) for i, mode in enumerate(kind.modes, 1)]
        return made

    def _wheel(self, wheel: Wheel) -> pygdtf.Wheel:
        slots = []
        for i, slot in enumerate(wheel.slots):
            light = of_hex(slot.colour or "#FFFFFF")
            colour = pygdtf.value.ColorCIE(*to_xy(light), 100 * luminance_of(light))
            file = pygdtf.value.Resource(_file(wheel, i)) if slot.picture else None
            slots.append(pygdtf.WheelSlot(name=slot.name, color=colour, media_file_name=file))
        return pygdtf.Wheel(name=wheel.name, wheel_slots=slots)

    def _mode(self, number: int, mode: Mode, geometries: list[object]) -> pygdtf.DmxMode:
        base = f"Base {number}"
        cells = [f"{c.name}" if number == 1 else f"{c.name} ({number})" for c in mode.cells]
        beams = [self._beam(name, c.x, c.y) for name, c in zip(cells, mode.cells, strict=True)]
        inside: list[object] = beams or [self._beam(f"Beam {number}", 0.0, 0.0)]
        links = {at.PAN: base, at.TILT: base}
        for name, axis in ((at.TILT, f"Head {number}"), (at.PAN, f"Yoke {number}")):
            if name in self.kind.attributes:
                inside = [pygdtf.geometries.GeometryAxis(name=axis, geometries=inside)]
                links[name] = axis
        geometries.append(pygdtf.geometries.Geometry(name=base, geometries=inside))
        channels = [self._channel(use, channel, base, cells, links) for use, channel in self.kind.used(mode)]
        return pygdtf.DmxMode(name=mode.name, description="", geometry=base, _dmx_channels=channels)

    def _beam(self, name: str, x: float, y: float) -> pygdtf.GeometryBeam:
        kind = self.kind
        lamp = {"LED": "LED", "discharge": "Discharge", "tungsten": "Tungsten"}.get(kind.lamp, "LED")
        sort = {"wash": "Wash", "fresnel": "Fresnel", "spot": "Spot", "profile": "Spot", "beam": "Spot"}.get(
            kind.body, "Wash"
        )
        matrix = pygdtf.value.Matrix(0)
        matrix.matrix[0][3], matrix.matrix[1][3] = x, y
        return pygdtf.GeometryBeam(
            name=name,
            position=matrix,
            lamp_type=pygdtf.value.LampType(lamp),
            beam_angle=kind.beam,
            field_angle=kind.field or kind.beam,
            beam_type=pygdtf.value.BeamType("Glow" if kind.beam == 0 else sort),
        )

    def _channel(
        self, use: Use, channel: Channel, base: str, cells: list[str], links: dict[str, str]
    ) -> pygdtf.DmxChannel:
        count = len(use.slots)
        main = main_attribute(channel) or at.NOTHING
        value = pygdtf.value.DmxValue

        def raw(number: int, last: bool = False) -> pygdtf.value.DmxValue:
            scale = 256 ** abs(count - channel.resolution)
            if count >= channel.resolution:
                number = number * scale + (scale - 1 if last else 0)
            else:
                number //= scale
            return value(f"{number}/{count}")

        geometry = cells[use.cell - 1] if use.cell else links.get(main, base)
        functions = [self._function(group, channel, raw) for group in _runs(channel.ranges, channel.top)]
        made = pygdtf.DmxChannel(
            dmx_break=1,
            offset=list(use.slots),
            default=raw(channel.home),
            highlight=raw(channel.open) if channel.open is not None else None,
            geometry=geometry,
            initial_function=pygdtf.value.NodeLink("DMXChannel", f"{geometry}_{main}.{main}.{functions[0].name}"),
            logical_channels=[
                pygdtf.LogicalChannel(attribute=pygdtf.value.NodeLink("Attributes", main), channel_functions=functions)
            ],
        )
        made._has_highlight_attr = channel.open is not None
        for function in functions:
            function.default = raw(channel.home)
        return made

    def _function(self, group: list[Range], channel: Channel, raw) -> pygdtf.ChannelFunction:  # type: ignore[no-untyped-def]
        first, link = group[0], pygdtf.value.NodeLink
        wheel = self.kind.wheel(channel.wheel) if channel.wheel else None
        on_wheel = wheel is not None and first.attribute.startswith(main_attribute(channel))
        slot_like = at.attribute(first.attribute).kind == "slot" and wheel is not None
        physical = pygdtf.value.PhysicalValue
        sets = []
        for one in group:
            index = int(one.low) + 1 if slot_like and one.discrete else one.slot + 1
            sets.append(
                pygdtf.ChannelSet(
                    name=one.name,
                    dmx_from=raw(one.start),
                    physical_from=physical(one.low),
                    physical_to=physical(one.high),
                    wheel_slot_index=max(0, index),
                )
            )
        named = len(group) > 1 or group[0].name or sets[0].wheel_slot_index
        emitter = next((e for e in self.kind.emitters if e.attribute == first.attribute), None)
        self.beams += 1
        return pygdtf.ChannelFunction(
            name=f"{first.attribute} {self.beams}",
            attribute=link("Attributes", first.attribute),
            original_attribute="",
            dmx_from=raw(first.start),
            physical_from=physical(group[0].low),
            physical_to=physical(group[-1].high),
            wheel=link("WheelCollect", wheel.name) if wheel is not None and on_wheel else None,
            emitter=link("EmitterCollect", emitter.attribute) if emitter else None,
            channel_sets=sets if named else [],
        )


def _runs(ranges: tuple[Range, ...], top: int) -> list[list[Range]]:
    """Ranges as channel functions: slots side by side are one, all else each its own; gaps say nothing."""
    found: list[list[Range]] = []
    reached = -1
    for one in sorted(ranges, key=lambda r: r.start):
        if one.start > reached + 1:
            found.append([Range(start=reached + 1, end=one.start - 1, attribute=at.NOTHING, low=0, high=0)])
        last = found[-1][-1] if found else None
        run = last is not None and last.attribute == one.attribute and last.discrete and one.discrete
        if run and at.attribute(one.attribute).kind == "slot" and one.start == reached + 1:
            found[-1].append(one)
        else:
            found.append([one])
        reached = one.end
    if reached < top:
        found.append([Range(start=reached + 1, end=top, attribute=at.NOTHING, low=0, high=0)])
    return found


def _feature(name: str) -> tuple[str, str]:
    """Feature group and feature of an attribute, after the standard's annex."""
    found = _ANNEX.get(at.template(name)) or _ANNEX.get(name)
    group, _, feature = (found["feature"] if found else "Control.Control").partition(".")
    return group, feature


def _attribute(name: str) -> pygdtf.Attribute:
    group, feature = _feature(name)
    found = _ANNEX.get(at.template(name)) or _ANNEX.get(name) or {}
    return pygdtf.Attribute(
        name=name,
        pretty=at.attribute(name).label,
        feature=pygdtf.value.NodeLink("FeatureGroups", f"{group}.{feature}"),
        physical_unit=pygdtf.value.PhysicalUnit(found.get("physical_unit") or "None"),
    )


_ANNEX = {a["name"]: a for a in ANNEX_ATTRIBUTE_DEFINITIONS["attributes"]}
