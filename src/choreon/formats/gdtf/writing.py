"""A fixture type as a GDTF file."""

from __future__ import annotations

import io
import re
import unicodedata
import uuid
import zipfile
from collections.abc import Callable, Iterable
from typing import Any
from xml.etree import ElementTree as StandardTree

import msgspec
import pygdtf
from pygdtf.utils.attribute_definitions_data import ANNEX_ATTRIBUTE_DEFINITIONS

from choreon.formats.gdtf.extra import EXTRA, extra_of
from choreon.formats.gdtf.reading import DESCRIPTION
from choreon.model import attributes as at
from choreon.model.colours import luminance_of, of_hex, to_xy
from choreon.model.fixture_type import (
    Channel,
    Emitter,
    FixtureType,
    Mode,
    Range,
    Use,
    Wheel,
    main_attribute,
)


def write(kind: FixtureType) -> bytes:
    """The type as a GDTF file, version 1.2."""
    made = _Writer(kind).fixture()
    buffer = io.BytesIO()
    xml = pygdtf.FixtureTypeWriter(made).xml_root
    StandardTree.indent(xml)

    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(
            DESCRIPTION,
            StandardTree.tostring(xml, encoding="UTF-8", xml_declaration=True),
        )
        archive.writestr(EXTRA, msgspec.json.encode(extra_of(kind)))

        for wheel in kind.wheels:
            for i, slot in enumerate(wheel.slots):
                if slot.picture:
                    archive.writestr(
                        f"wheels/{_file(wheel, i)}.png",
                        slot.picture,
                    )

    return buffer.getvalue()


def _file(wheel: Wheel, number: int) -> str:
    return f"{wheel.key}-{number}"


ODD = re.compile(r"[^A-Za-z0-9 ()*+/:;<=>@_#%-]+")


def plain_name(text: str, or_else: str = "Name") -> str:
    """A name of the characters that the standard allows (DIN SPEC 15800, annex C):
    accents go, what else there is becomes a hyphen.
    """
    bare = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
    return ODD.sub("-", bare).strip("- ") or or_else


def plain_names(texts: Iterable[str], or_else: str) -> list[str]:
    """Plain names of things that have to differ, in their order. `or_else`: what one
    without a name is called, with its number.
    """
    names: list[str] = []
    for number, text in enumerate(texts, 1):
        name = base = plain_name(text, f"{or_else} {number}")
        i = 2
        while name in names:
            name, i = f"{base} ({i})", i + 1
        names.append(name)
    return names


class _Writer:
    """Puts a type into pygdtf's words."""

    def __init__(self, kind: FixtureType) -> None:
        self.kind = kind
        self.functions = 0
        wheels = plain_names((wheel.name for wheel in kind.wheels), "Wheel")
        self.wheel_names = {
            wheel.key: name for wheel, name in zip(kind.wheels, wheels, strict=True)
        }

    def fixture(self) -> pygdtf.FixtureType:
        """Returns the type in the standard's terms."""
        kind, made = self.kind, pygdtf.FixtureType()
        made.data_version = "1.2"
        made.name, made.long_name = plain_name(kind.name, "Fixture"), kind.name
        made.short_name = kind.name[:16]
        made.manufacturer = kind.maker or "Generic"

        made.description = kind.notes
        own_id = uuid.uuid5(uuid.NAMESPACE_URL, f"choreon:{kind.id}")
        made.fixture_type_id = str(own_id).upper()
        made.feature_groups = _feature_groups(kind)
        made.attributes = [_attribute(name) for name in sorted(kind.attributes)]

        made.wheels = [self._wheel(wheel) for wheel in kind.wheels]
        made.emitters = [_emitter(emitter) for emitter in kind.emitters]
        names = plain_names((mode.name for mode in kind.modes), "Mode")
        made.dmx_modes = [
            self._mode(i, mode, name, made.geometries)
            for i, (mode, name) in enumerate(zip(kind.modes, names, strict=True), 1)
        ]

        return made

    def _wheel(self, wheel: Wheel) -> pygdtf.Wheel:
        slots = []
        names = plain_names((slot.name for slot in wheel.slots), "Slot")
        for i, slot in enumerate(wheel.slots):
            light = of_hex(slot.colour or "#FFFFFF")
            colour = pygdtf.value.ColorCIE(*to_xy(light), 100 * luminance_of(light))
            file = pygdtf.value.Resource(_file(wheel, i)) if slot.picture else None
            slots.append(
                pygdtf.WheelSlot(name=names[i], color=colour, media_file_name=file)
            )
        return pygdtf.Wheel(name=self.wheel_names[wheel.key], wheel_slots=slots)

    def _mode(
        self, number: int, mode: Mode, name: str, geometries: list[object]
    ) -> pygdtf.DmxMode:
        base = f"Base {number}"
        cells = [
            cell if number == 1 else f"{cell} in {number}"
            for cell in plain_names((cell.name for cell in mode.cells), "Cell")
        ]
        beams = [
            self._beam(cell, c.x, c.y)
            for cell, c in zip(cells, mode.cells, strict=True)
        ]

        inside: list[object] = beams or [self._beam(f"Beam {number}", 0.0, 0.0)]
        links = {at.PAN: base, at.TILT: base}

        for attribute, axis in (
            (at.TILT, f"Head {number}"),
            (at.PAN, f"Yoke {number}"),
        ):
            if attribute in self.kind.attributes:
                inside = [pygdtf.geometries.GeometryAxis(name=axis, geometries=inside)]
                links[attribute] = axis

        geometries.append(pygdtf.geometries.Geometry(name=base, geometries=inside))
        channels = [
            self._channel(use, channel, base, cells, links)
            for use, channel in self.kind.used(mode)
        ]

        return pygdtf.DmxMode(
            name=name, description="", geometry=base, _dmx_channels=channels
        )

    def _beam(self, name: str, x: float, y: float) -> pygdtf.GeometryBeam:
        kind = self.kind
        lamp = {"LED": "LED", "discharge": "Discharge", "tungsten": "Tungsten"}.get(
            kind.lamp, "LED"
        )

        sort = {
            "wash": "Wash",
            "fresnel": "Fresnel",
            "spot": "Spot",
            "profile": "Spot",
            "beam": "Spot",
        }.get(kind.body, "Wash")

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
        self,
        use: Use,
        channel: Channel,
        base: str,
        cells: list[str],
        links: dict[str, str],
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
        functions = [
            self._function(group, channel, raw)
            for group in _runs(channel.ranges, channel.top)
        ]

        made = pygdtf.DmxChannel(
            dmx_break=1,
            offset=list(use.slots),
            default=raw(channel.home),
            highlight=raw(channel.open) if channel.open is not None else None,
            geometry=geometry,
            initial_function=pygdtf.value.NodeLink(
                "DMXChannel", f"{geometry}_{main}.{main}.{functions[0].name}"
            ),
            logical_channels=[
                pygdtf.LogicalChannel(
                    attribute=pygdtf.value.NodeLink("Attributes", main),
                    channel_functions=functions,
                )
            ],
        )

        made._has_highlight_attr = channel.open is not None
        for function in functions:
            function.default = raw(channel.home)

        return made

    def _function(
        self, group: list[Range], channel: Channel, raw: Callable[..., Any]
    ) -> pygdtf.ChannelFunction:
        """Ranges that belong together, as one function with a set for each."""
        first, link = group[0], pygdtf.value.NodeLink
        wheel = self.kind.wheel(channel.wheel) if channel.wheel else None
        turns = first.attribute.startswith(main_attribute(channel))
        is_slot = at.attribute(first.attribute).kind == "slot" and wheel is not None
        physical = pygdtf.value.PhysicalValue

        sets = [_channel_set(span, is_slot, raw) for span in group]
        named = len(group) > 1 or first.name or sets[0].wheel_slot_index
        emitters = {
            emitter.attribute: link("EmitterCollect", emitter.attribute)
            for emitter in self.kind.emitters
        }

        self.functions += 1

        return pygdtf.ChannelFunction(
            name=f"{first.attribute} {self.functions}",
            attribute=link("Attributes", first.attribute),
            original_attribute="",
            dmx_from=raw(first.start),
            physical_from=physical(first.low),
            physical_to=physical(group[-1].high),
            real_fade=first.travel,
            wheel=link("WheelCollect", self.wheel_names[wheel.key])
            if wheel and turns
            else None,
            emitter=emitters.get(first.attribute),
            channel_sets=sets if named else [],
        )


def _runs(ranges: tuple[Range, ...], top: int) -> list[list[Range]]:
    """Ranges as channel functions: slots side by side are one, all else each its own;
    gaps say nothing.
    """
    runs: list[list[Range]] = []
    reached = -1

    for span in sorted(ranges, key=lambda r: r.start):
        if span.start > reached + 1:
            runs.append([_gap(reached + 1, span.start - 1)])

        beside = span.start == reached + 1
        if beside and runs and _goes_on(runs[-1][-1], span):
            runs[-1].append(span)
        else:
            runs.append([span])

        reached = span.end

    if reached < top:
        runs.append([_gap(reached + 1, top)])

    return runs


def _gap(start: int, end: int) -> Range:
    return Range(start=start, end=end, attribute=at.NOTHING, low=0, high=0)


def _goes_on(last: Range, span: Range) -> bool:
    """Whether two ranges are slots of one function."""
    same = last.attribute == span.attribute
    slots = at.attribute(span.attribute).kind == "slot"
    return same and slots and last.discrete and span.discrete


def _feature(name: str) -> tuple[str, str]:
    """Feature group and feature of an attribute, after the standard's annex."""
    found = _ANNEX.get(at.template(name)) or _ANNEX.get(name)
    group, _, feature = (found["feature"] if found else "Control.Control").partition(
        "."
    )
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


def _feature_groups(kind: FixtureType) -> list[pygdtf.FeatureGroup]:
    """The features that its attributes belong to, by group."""
    features = {_feature(name) for name in kind.attributes}
    groups = []
    for group in sorted({group for group, _ in features}):
        names = sorted(name for other, name in features if other == group)
        own = [pygdtf.Feature(name=name) for name in names]
        groups.append(pygdtf.FeatureGroup(name=group, pretty=group, features=own))
    return groups


def _emitter(emitter: Emitter) -> pygdtf.Emitter:
    colour = pygdtf.value.ColorCIE(emitter.x, emitter.y, emitter.strength)
    return pygdtf.Emitter(name=emitter.attribute, color=colour)


def _channel_set(
    span: Range, is_slot: bool, raw: Callable[..., Any]
) -> pygdtf.ChannelSet:
    """A range as a set. Slots count from 1; 0 is none."""
    physical = pygdtf.value.PhysicalValue
    slot = int(span.low) + 1 if is_slot and span.discrete else span.slot + 1
    return pygdtf.ChannelSet(
        name=plain_name(span.name, ""),
        dmx_from=raw(span.start),
        physical_from=physical(span.low),
        physical_to=physical(span.high),
        wheel_slot_index=max(0, slot),
    )
