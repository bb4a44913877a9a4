"""A fixture type from a GDTF file."""

from __future__ import annotations

import contextlib
import io
import re
import zipfile
from collections.abc import Iterable

import msgspec
import pygdtf

from choreon.formats import package
from choreon.formats.gdtf.extra import EXTRA, Extra, alike, with_extra
from choreon.formats.gdtf.geometry import all_geometries, layout, places_of
from choreon.formats.package import FormatError
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
MOST_MODES = 500
MOST_PICTURE = 4 << 20
replace = msgspec.structs.replace


class Imported(msgspec.Struct, frozen=True):
    """A type that was read, and what of the file has no place in it, in words."""

    kind: FixtureType
    notes: tuple[str, ...]


def read(data: bytes, name: str = "the file") -> Imported:
    """The fixture type in a GDTF file. Raises FormatError."""
    with package.open_zip(data, name) as archive:
        root = package.parse_xml(
            package.member(archive, DESCRIPTION, name), DESCRIPTION, name
        )
        modes = root.findall(".//DMXMode")
        if root.find("FixtureType") is None:
            raise FormatError(f"{name} describes no fixture type.")
        if not modes:
            raise FormatError(
                f"{name} describes no DMX mode, so there is nothing to hang. Ask "
                "its maker for another."
            )
        if len(modes) > MOST_MODES:
            raise FormatError(
                f"{name} has {len(modes)} modes; more than {MOST_MODES} are not read."
            )
        _check_sizes(root, name)
        try:
            with contextlib.redirect_stdout(io.StringIO()):
                found = pygdtf.FixtureType(io.BytesIO(data))
            return _Reader(found, archive, name).imported()
        except FormatError:
            raise
        except RecursionError:
            raise FormatError(
                f"{name} has geometry that refers to itself without end."
            ) from None
        # the library trusts its input; whatever a file makes it raise is the file's
        # fault
        except Exception as error:
            raise FormatError(
                f"{name} does not keep to the standard: {type(error).__name__}, "
                f"{error}."
            ) from None


def _check_sizes(root, name: str) -> None:  # type: ignore[no-untyped-def]
    references = len(root.findall(".//GeometryReference"))
    channels = len(root.findall(".//DMXChannel"))
    if references * channels > 2_000_000:
        raise FormatError(
            f"{name} multiplies {channels} channels by {references} parts; that is "
            "not a real lamp."
        )
    for channel in root.iter("DMXChannel"):
        for number in re.findall(r"-?\d+", channel.get("Offset") or ""):
            if len(number) > 6 or not 0 <= int(number) <= SLOTS:
                raise FormatError(
                    f"{name} puts a channel on slot {number[:12]}; a universe has "
                    f"{SLOTS}."
                )


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
        beams = [
            g
            for g in all_geometries(found.geometries)
            if isinstance(g, pygdtf.GeometryBeam)
        ]
        beam = beams[0] if beams else None
        kind = FixtureType(
            id=fresh_id(f"{found.manufacturer or ''} {found.name or 'fixture'}", ()),
            maker=(found.manufacturer or "").strip(),
            name=(found.long_name or found.name or "Fixture").strip(),
            kind="",
            channels=tuple(self.channels.values()),
            modes=_named_apart(modes),
            beam=round(beam.beam_angle, 3) if beam else 25.0,
            field=round(beam.field_angle, 3)
            if beam and beam.field_angle != beam.beam_angle
            else 0.0,
            lamp=_LAMPS.get(str(beam.lamp_type), "") if beam else "",
            wheels=wheels,
            emitters=tuple(
                self.emitters[e.name] for e in found.emitters if e.name in self.emitters
            ),
        )
        kind = replace(kind, kind=_kind_of(kind))
        kind = replace(kind, body=_body_of(kind, str(beam.beam_type) if beam else ""))
        for mode in found.dmx_modes:
            if mode.relations:
                self.note(
                    f"{mode.name}: {len(mode.relations)} relations between "
                    "channels were passed over."
                )
            if mode.ft_macros:
                self.note(
                    f"{mode.name}: {len(mode.ft_macros)} macros were passed over."
                )
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
                    Slot(
                        name=slot.name or f"Slot {len(slots) + 1}",
                        colour="" if plain else colour,
                        picture=picture,
                    )
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
            self.note(
                f"{mode.name} has {count} start addresses; its parts were put one "
                "behind the other."
            )
        placed = []
        for channel in mode.dmx_channels:
            if channel.offset:
                first = _before_break(mode, channel.dmx_break)
                placed.append((tuple(o + first for o in channel.offset), channel))
        if any(slot > SLOTS for slots, _ in placed for slot in slots):
            raise FormatError(
                f"{self.name}: the mode {mode.name} takes more than {SLOTS} slots."
            )
        if len(mode.virtual_channels):
            self.note(
                f"{mode.name}: {len(mode.virtual_channels)} virtual channels were "
                "passed over."
            )
        cells = self._cells(mode, [channel for _, channel in placed])
        numbers = {geometry: i for i, (geometry, _) in enumerate(cells, 1)}
        uses, overrides, taken = [], [], set()
        for slots, channel in sorted(placed, key=lambda p: p[0]):
            cell = numbers.get(channel.geometry, 0)
            made = self._channel(channel, len(slots))
            key = next(
                k
                for i in range(1, 9999)
                if (k := made.key if i == 1 else f"{made.key}-{i}")
                and (k, cell) not in taken
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
        light: dict[str, set[str]] = {}
        for channel in channels:
            name = str(channel.attribute)
            if name.startswith("ColorAdd_") or name == at.DIMMER:
                light.setdefault(channel.geometry, set()).add(name)
        coloured = [
            g for g, names in light.items() if any(n != at.DIMMER for n in names)
        ]
        if (
            len(coloured) > 2 and mode.geometry in coloured
        ):  # the whole beside its cells
            coloured.remove(mode.geometry)
        parts = (
            coloured
            if len(coloured) > 1
            else []
            if coloured
            else [g for g, n in light.items() if at.DIMMER in n]
        )
        if len(parts) > 2 and mode.geometry in parts:
            parts.remove(mode.geometry)
        if len(parts) < 2:
            return []
        spots = layout(parts, places_of(self.found.geometries))
        return [(g, Cell(g, x, y)) for g, (x, y) in zip(parts, spots, strict=True)]

    # channels

    def _channel(self, channel, count: int) -> Channel:  # type: ignore[no-untyped-def]
        ranges: list[Range] = []
        wheel = ""
        for logical in channel.logical_channels:
            functions = self._standing(logical.channel_functions, channel.name)
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
        highlight = (
            _raw(channel.highlight, count) if channel.highlight is not None else None
        )
        return replace(
            made,
            key=re.sub(r"[^a-z0-9]+", "-", _key(main).lower()).strip("-") or "channel",
            name=at.attribute(main).label if at.known(main) else main.replace("_", " "),
            home=home,
            open=highlight if highlight is not None and highlight != home else None,
        )

    def _standing(self, functions, name: str):  # type: ignore[no-untyped-def]
        """The functions that count: those that always do; where these say nothing, the
        first that go together while another channel stands at some value.
        """
        always: list[pygdtf.ChannelFunction] = []
        by_master: dict[tuple[str, int, int], list[pygdtf.ChannelFunction]] = {}
        for one in functions:
            master = one.mode_master.str_link if one.mode_master else None
            if master:
                condition = str(master), one.mode_from.value, one.mode_to.value
                by_master.setdefault(condition, []).append(one)
            else:
                always.append(one)
        if not by_master:
            return always
        if any(str(one.attribute) != at.NOTHING for one in always):
            passed = len(functions) - len(always)
            self.note(
                f"{name}: {passed} functions depend on another channel and were "
                "passed over."
            )
            return always
        (master, low, high), found = next(iter(by_master.items()))
        self.note(
            f"{name} depends on another channel: it is read as it is while "
            f"{master} is at {low}…{high}."
        )
        return found

    def _ranges(self, function, count: int, end: int) -> list[Range]:  # type: ignore[no-untyped-def]
        name = str(function.attribute)
        if not at.known(name):
            self.note(
                f"The attribute {name} has no meaning here; it is kept as a bare "
                "channel."
            )
        start = _raw(function.dmx_from, count)
        low, high = function.physical_from.value or 0.0, function.physical_to.value
        high = 1.0 if high is None else high
        sets = [
            s for s in function.channel_sets if start <= _raw(s.dmx_from, count) <= end
        ]
        named = [s for s in sets if s.name or s.wheel_slot_index]
        if not named:
            return [Range(start=start, end=end, attribute=name, low=low, high=high)]
        found = []
        slot_like = at.attribute(name).kind == "slot"
        for one in named:
            first = _raw(one.dmx_from, count)
            after = [
                _raw(s.dmx_from, count) for s in sets if _raw(s.dmx_from, count) > first
            ]
            last = min(after, default=end + 1) - 1
            turns = (
                one.wheel_slot_index - 1
                if one.wheel_slot_index and not slot_like
                else -1
            )
            if one.wheel_slot_index and slot_like:
                bottom = top = float(one.wheel_slot_index - 1)
            else:
                slope = (high - low) / max(1, end - start)
                own = _physical(one.physical_from), _physical(one.physical_to)
                bottom = low + slope * (first - start) if own[0] is None else own[0]
                top = low + slope * (last - start) if own[1] is None else own[1]
            made = Range(
                start=first,
                end=last,
                attribute=name,
                low=bottom,
                high=top,
                name=one.name or "",
                slot=turns,
            )
            found.append(made)
        return found

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
            self.note(f"{EXTRA} in it could not be read and was passed over.")
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
