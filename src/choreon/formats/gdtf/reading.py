"""A fixture type from a GDTF file."""

from __future__ import annotations

import contextlib
import io
import re
import zipfile
from collections.abc import Iterable
from typing import Any, NamedTuple
from xml.etree import ElementTree

import msgspec
import pygdtf

from choreon.formats import package, pictures, progress
from choreon.formats.gdtf.extra import EXTRA, Extra, alike, with_extra
from choreon.formats.gdtf.geometry import (
    all_geometries,
    belonging,
    layout,
    places_of,
)
from choreon.formats.gdtf.plain import make_plain
from choreon.formats.package import FormatError
from choreon.language import tr
from choreon.model import attributes as at
from choreon.model.colours import from_xyy, hex_of
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
MOST_SLOTS = 1000  # of one wheel
MOST_PICTURE = 64 << 20
MOST_FUNCTIONS = 200  # of one channel
replace = msgspec.structs.replace


class Imported(msgspec.Struct, frozen=True):
    """A type that was read, and what of the file has no place in it, in words."""

    kind: FixtureType
    notes: tuple[str, ...]


def read(data: bytes, name: str = tr("the file")) -> Imported:
    """The fixture type in a GDTF file. Raises FormatError."""
    with package.open_zip(data, name) as archive:
        root = package.parse_xml(
            package.member(archive, DESCRIPTION, name), DESCRIPTION, name
        )
        if root.find("{*}FixtureType") is None:
            raise FormatError(tr("{name} describes no fixture type.", name=name))
        if root.find(".//{*}DMXMode") is None:
            raise FormatError(
                tr(
                    "{name} describes no DMX mode, so there is nothing to hang. Ask "
                    "its maker for another.",
                    name=name,
                )
            )

        notes: dict[str, None] = {}
        try:
            make_plain(root, name, lambda text: notes.setdefault(text))
            plain = io.BytesIO(ElementTree.tostring(root, encoding="utf-8"))
            with contextlib.redirect_stdout(io.StringIO()):
                found = pygdtf.FixtureType(dsc_file=plain)

            return _GdtfReader(found, archive, name, notes).imported()
        except FormatError:
            raise
        # the library trusts its input; whatever a file makes it raise is the file's
        # fault
        except Exception as error:
            raise FormatError(
                tr(
                    "{name} does not keep to the standard: {fault}, {error}.",
                    name=name,
                    fault=type(error).__name__,
                    error=error,
                )
            ) from None


class _Beam(NamedTuple):
    """What a beam is like. `angle`, `field`: degrees; no field where it is as wide."""

    angle: float = 25.0
    field: float = 0.0
    lamp: str = ""
    kind: str = ""


class _GdtfReader:
    def __init__(  # type: ignore[no-untyped-def]
        self, found, archive: zipfile.ZipFile, name: str, notes: dict[str, None]
    ) -> None:
        self.found, self.archive, self.name = found, archive, name
        self.notes = notes
        self.channels: dict[str, Channel] = {}
        self.emitters: dict[str, Emitter] = {}
        self.wheel_keys: dict[str, str] = {}
        self.keys: list[list[str]] = []

    def note(self, text: str) -> None:
        """Note what was passed over, once."""
        self.notes[text] = None

    def imported(self) -> Imported:
        """Returns the type, and what of the file was left out."""
        found = self.found
        wheels = tuple(self._wheels())
        count = len(found.dmx_modes)
        modes = [
            self._mode(mode) for mode in progress.each(found.dmx_modes, "mode", count)
        ]

        beam = self._beam()

        maker, name = found.manufacturer or "", found.name or ""
        emitters = [self.emitters.get(emitter.name) for emitter in found.emitters]
        kind = FixtureType(
            id=fresh_id(f"{maker} {name or 'fixture'}", ()),
            maker=maker.strip(),
            name=(found.long_name or name or "Fixture").strip(),
            kind="",
            channels=tuple(self.channels.values()),
            modes=_named_apart(modes),
            beam=beam.angle,
            field=beam.field,
            lamp=beam.lamp,
            wheels=wheels,
            emitters=tuple(e for e in emitters if e is not None),
        )

        kind = replace(kind, kind=_kind_of(kind))
        kind = replace(kind, body=_body_of(kind, beam.kind))
        self._note_what_is_passed_over()
        kind = self._with_extra(kind)

        return Imported(kind, tuple(self.notes))

    def _beam(self) -> _Beam:
        """The first beam of the file; a usual one where it has none."""
        geometries = all_geometries(self.found.geometries)
        beams = [g for g in geometries if isinstance(g, pygdtf.GeometryBeam)]
        if not beams:
            return _Beam()
        beam = beams[0]
        wider = beam.field_angle != beam.beam_angle
        return _Beam(
            round(beam.beam_angle, 3),
            round(beam.field_angle, 3) if wider else 0.0,
            _LAMPS.get(str(beam.lamp_type), ""),
            str(beam.beam_type),
        )

    def _note_what_is_passed_over(self) -> None:
        for mode in self.found.dmx_modes:
            if mode.relations:
                count = len(mode.relations)
                text = tr(
                    "{count} relations between channels were left out.", count=count
                )
                self.note(f"{mode.name}: {text}")
            if mode.ft_macros:
                count = len(mode.ft_macros)
                self.note(
                    tr(
                        "{name}: {count} macros were left out.",
                        name=mode.name,
                        count=count,
                    )
                )

    # wheels

    def _wheels(self) -> Iterable[Wheel]:
        """The wheels, each with a key that is noted for the channels that turn it."""
        for wheel in self.found.wheels:
            key = fresh_id(wheel.name or "wheel", self.wheel_keys.values())
            self.wheel_keys[wheel.name] = key
            slots = tuple(
                self._slot(slot, number)
                for number, slot in enumerate(wheel.wheel_slots[:MOST_SLOTS], 1)
            )
            yield Wheel(key=key, name=wheel.name or key, slots=slots)

    def _slot(self, slot, number: int) -> Slot:  # type: ignore[no-untyped-def]
        file = slot.media_file_name.name if slot.media_file_name else ""
        picture = self._picture(file) if file else b""
        colour = _hex(slot.color) if slot.color is not None else ""
        if picture and colour == "#FFFFFF":
            colour = ""  # a gobo in plain light
        return Slot(
            name=slot.name or tr("Slot {number}", number=number),
            colour=colour,
            picture=picture,
        )

    def _picture(self, file: str) -> bytes:
        for path in (f"wheels/{file}.png", f"wheels/{file}.svg", f"wheels/{file}"):
            if path in self.archive.namelist():
                try:
                    data = package.member(self.archive, path, self.name, MOST_PICTURE)
                    return pictures.small(data, pictures.SLOT_SIZE, path)
                except FormatError as error:
                    self.note(str(error))
                    return b""
        self.note(tr("The picture {file} is not in the file.", file=file))
        return b""

    # modes

    def _mode(self, mode) -> Mode:  # type: ignore[no-untyped-def]
        placed = self._placed(mode)
        cells = self._cells(mode, [channel for _, channel in placed])
        numbers = belonging(self.found.geometries, [name for name, _ in cells])
        uses: list[Use] = []
        overrides: list[Channel] = []

        taken: set[tuple[str, int]] = set()
        for slots, channel in sorted(placed, key=lambda place: place[0]):
            cell = numbers.get(channel.geometry, 0)
            made = self._channel(channel, len(slots))
            key = _free_key(made.key, cell, taken)
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

    def _placed(self, mode) -> list[tuple[tuple[int, ...], Any]]:  # type: ignore[no-untyped-def]
        """The channels of a mode with their slots; several start addresses one behind
        the other. Raises FormatError where they take too many.
        """
        if len(mode.dmx_breaks) > 1:
            self.note(
                tr(
                    "{name} has {n} start addresses; its parts were put one behind the "
                    "other.",
                    name=mode.name,
                    n=len(mode.dmx_breaks),
                )
            )

        if mode.virtual_channels:
            count = len(mode.virtual_channels)
            self.note(
                tr(
                    "{name}: {count} virtual channels were left out.",
                    name=mode.name,
                    count=count,
                )
            )

        placed = []
        for channel in mode.dmx_channels:
            if channel.offset:
                first = _before_break(mode, channel.dmx_break)
                placed.append((tuple(o + first for o in channel.offset), channel))

        if any(max(slots) > SLOTS for slots, _ in placed):
            raise FormatError(
                tr(
                    "{name}: the mode {mode} takes more than {slots} slots.",
                    name=self.name,
                    mode=mode.name,
                    slots=SLOTS,
                )
            )

        return placed

    def _share(self, made: Channel) -> Channel | None:
        """Keep one definition for all modes; gives what this mode has instead, where it
        differs.
        """
        known = self.channels.get(made.key)
        if known is None:
            self.channels[made.key] = made
            return None
        if not alike(known, made):
            return made
        if made.resolution > known.resolution:
            self.channels[made.key] = made
        return None

    def _cells(self, mode, channels) -> list[tuple[str, Cell]]:  # type: ignore[no-untyped-def]
        """The parts that light by themselves: several geometries with the same kind of
        light.
        """
        coloured: dict[str, None] = {}
        dimmed: dict[str, None] = {}

        for channel in channels:
            name = str(channel.attribute)
            if name.startswith("ColorAdd_"):
                coloured[channel.geometry] = None
            elif name == at.DIMMER:
                dimmed[channel.geometry] = None

        parts = list(coloured or dimmed)
        if len(parts) > 2 and mode.geometry in parts:  # the whole beside its cells
            parts.remove(mode.geometry)

        if len(parts) < 2:
            return []

        spots = layout(parts, places_of(self.found.geometries))
        return [(g, Cell(g, x, y)) for g, (x, y) in zip(parts, spots, strict=True)]

    # channels

    def _channel(self, channel, count: int) -> Channel:  # type: ignore[no-untyped-def]
        """A channel of `count` slots."""
        ranges: list[Range] = []
        wheel = ""

        for logical in channel.logical_channels:
            functions = logical.channel_functions
            begins = [_raw(function.dmx_from, count) for function in functions]

            for begin, function in list(zip(begins, functions, strict=True))[
                :MOST_FUNCTIONS
            ]:
                later = [other for other in begins if other > begin]
                end = min(later, default=256**count) - 1
                ranges += self._ranges(function, count, end)
                linked = function.wheel.str_link if function.wheel else None
                wheel = wheel or self.wheel_keys.get(linked or "", "")

                self._emitter(function)

        ranges = _clean(ranges)
        made = Channel(key="", ranges=tuple(ranges), resolution=count, wheel=wheel)
        main = main_attribute(made) or str(channel.attribute)
        made = _named_by(made, main)
        home, highlight = 0, None

        if channel.default is not None:
            home = _raw(channel.default, count)

        if channel.highlight is not None:
            highlight = _raw(channel.highlight, count)

        return replace(made, home=home, open=highlight if highlight != home else None)

    def _ranges(self, function, count: int, end: int) -> list[Range]:  # type: ignore[no-untyped-def]
        """The ranges of a channel function that ends at `end`: one for each of its
        sets, or one for all of it.
        """
        name = str(function.attribute)
        if not at.known(name):
            self.note(
                tr(
                    "The attribute {name} has no meaning here; it is kept as a raw "
                    "channel.",
                    name=name,
                )
            )

        start = _raw(function.dmx_from, count)
        low, high = function.physical_from.value or 0.0, function.physical_to.value
        whole = Range(
            start=start,
            end=end,
            attribute=name,
            low=low,
            high=1.0 if high is None else high,
            travel=max(0.0, function.real_fade or 0.0),
        )

        begins = [(_raw(s.dmx_from, count), s) for s in function.channel_sets]
        sets = [(begin, s) for begin, s in begins if start <= begin <= end]
        ranges = []

        for begin, one in sets:
            if not _says_something(one, name):
                continue

            later = [other for other, _ in sets if other > begin]
            last = min(later, default=end + 1) - 1
            ranges.append(_set_of(whole, one, begin, last))

        return ranges or [whole]

    def _emitter(self, function) -> None:  # type: ignore[no-untyped-def]
        linked = function.emitter.str_link if function.emitter else None
        name = str(function.attribute)
        for emitter in self.found.emitters:
            if linked and emitter.name == linked and emitter.color is not None:
                c = emitter.color
                self.emitters[emitter.name] = Emitter(
                    attribute=name, x=c.x, y=c.y, strength=c.Y
                )

    # what only Choreon says

    def _with_extra(self, kind: FixtureType) -> FixtureType:
        """The type with what a file of ours says beside the standard."""
        if EXTRA not in self.archive.namelist():
            return kind
        try:
            extra = msgspec.json.decode(
                package.member(self.archive, EXTRA, self.name, 8 << 20), type=Extra
            )
        except (FormatError, msgspec.DecodeError):
            self.note(
                tr("{file} in it could not be read and was left out.", file=EXTRA)
            )
            return kind
        return with_extra(kind, extra, self.keys)


def _raw(value, count: int) -> int:  # type: ignore[no-untyped-def]
    """A DMXValue in `count` bytes; its bytes are repeated where it has fewer (DIN SPEC
    15800, type DMXValue).
    """
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
    return (
        value.value if value.value is not None and str(value.source) == "Set" else None
    )


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


def _key(attribute: str) -> str:
    short = {
        "ColorAdd_R": "red",
        "ColorAdd_G": "green",
        "ColorAdd_B": "blue",
        "ColorAdd_W": "white",
        at.AMBER: "amber",
    }

    short |= {
        at.UV: "uv",
        "ColorSub_C": "cyan",
        "ColorSub_M": "magenta",
        "ColorSub_Y": "yellow",
        "Shutter1": "shutter",
    }

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
            (
                max(c.offset)
                for c in mode.dmx_channels
                if c.offset and c.dmx_break == part.dmx_break
            ),
            default=0,
        )

    return total


_LAMPS = {
    "LED": "LED",
    "Discharge": "discharge",
    "Tungsten": "tungsten",
    "Halogen": "tungsten",
}


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
    if kind.kind == "wash head" or (
        kind.kind == "spot head" and beam_type in ("Wash", "Fresnel")
    ):
        return "wash"
    return {
        "spot head": "spot",
        "LED bar": "bar",
        "hazer": "hazer",
        "dimmer": "profile",
    }.get(kind.kind, "par")


def _hex(colour) -> str:  # type: ignore[no-untyped-def]
    return hex_of(from_xyy(colour.x, colour.y, max(0.0, colour.Y) / 100))


def _free_key(key: str, cell: int, taken: set[tuple[str, int]]) -> str:
    """A channel's key that no other channel of its cell has."""
    number, free = 1, key
    while (free, cell) in taken:
        number += 1
        free = f"{key}-{number}"
    return free


def _says_something(one: pygdtf.ChannelSet, attribute: str) -> bool:
    """Whether a set is more than a gap: it has a name, or stands for a slot."""
    if one.name or one.wheel_slot_index:
        return True
    is_slot = at.attribute(attribute).kind == "slot"
    return is_slot and _physical(one.physical_from) is not None


def _set_of(whole: Range, one: pygdtf.ChannelSet, start: int, end: int) -> Range:
    """A named part of a function's range: a slot of a wheel, or what lies between the
    function's ends where it does not say its own.
    """
    is_slot = at.attribute(whole.attribute).kind == "slot"
    slot = one.wheel_slot_index - 1 if one.wheel_slot_index else -1
    made = replace(whole, start=start, end=end, name=one.name or "")

    if is_slot and 0 <= slot < MOST_SLOTS:
        return replace(made, low=float(slot), high=float(slot))

    slope = (whole.high - whole.low) / max(1, whole.end - whole.start)
    low, high = _physical(one.physical_from), _physical(one.physical_to)
    if low is None:
        low = whole.low + slope * (start - whole.start)

    if high is None:
        high = whole.low + slope * (end - whole.start)

    return replace(made, low=low, high=high, slot=slot)


def _named_by(channel: Channel, main: str) -> Channel:
    """A channel with the key and the name of its main attribute."""
    key = re.sub(r"[^a-z0-9]+", "-", _key(main).lower()).strip("-") or "channel"
    name = at.attribute(main).label if at.known(main) else main.replace("_", " ")
    return replace(channel, key=key, name=name)
