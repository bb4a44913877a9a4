"""Rigs in MVR files (DIN SPEC 15801), through pymvr: places, addresses and types."""

from __future__ import annotations

import contextlib
import io
import math
import os
import re
import tempfile
import uuid
import zipfile
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import msgspec
import pymvr

from choreon.formats import gdtf, package, progress
from choreon.formats.package import FormatError
from choreon.language import tr
from choreon.model import edits, patch
from choreon.model.fixture_type import FixtureType
from choreon.model.show import MAX_UNIVERSE, SLOTS, Fixture, Place, Show
from choreon.model.turns import Rows, hanging_of, matrix_of

SCENE = "GeneralSceneDescription.xml"
MILLI = 1000.0

Matrix = tuple[Rows, tuple[float, float, float]]  # turn, and place in millimetres
HERE: Matrix = (((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)), (0.0, 0.0, 0.0))


class Rigged(msgspec.Struct, frozen=True):
    """What a file makes of a show, and what of it has no place here, in words."""

    show: Show
    added: tuple[str, ...]
    changed: tuple[str, ...]
    notes: tuple[str, ...]


def write(show: Show) -> bytes:
    """The rig as an MVR file, with the types as GDTF in it."""
    writer = pymvr.GeneralSceneDescriptionWriter()
    writer.provider, writer.provider_version = "Choreon", "1"
    writer.xml_root.set("provider", "Choreon")
    writer.xml_root.set("providerVersion", "1")
    files = {
        i: f"{re.sub(r'[^A-Za-z0-9@._ -]', '_', k.label)}@{i}.gdtf"
        for i, k in show.types.items()
    }
    fixtures = [
        _fixture(show, f, files.get(f.type, f.type)) for f in show.fixtures.values()
    ]

    children = pymvr.ChildList(fixtures=fixtures)
    layer = pymvr.Layer(
        name=show.name or "Rig", uuid=_uuid("layer", show.id), child_list=children
    )

    writer.serialize_scene(pymvr.Scene(layers=pymvr.Layers(layers=[layer])))

    with tempfile.TemporaryDirectory() as folder:
        for i in {f.type for f in show.fixtures.values()} & set(files):
            path = os.path.join(folder, f"{len(writer.files_list)}.gdtf")
            Path(path).write_bytes(gdtf.write(show.types[i]))
            writer.files_list.append((path, files[i]))

        target = os.path.join(folder, "rig.mvr")
        writer.write_mvr(target)
        return Path(target).read_bytes()


def _uuid(sort: str, name: str) -> str:
    return str(uuid.uuid5(uuid.NAMESPACE_URL, f"choreon:{sort}:{name}")).upper()


def _fixture(show: Show, fixture: Fixture, file: str) -> pymvr.Fixture:
    turn, place = matrix_of(fixture.hanging), fixture.place
    columns = [[turn[i][j] for i in range(3)] for j in range(3)]
    matrix = pymvr.Matrix(
        [*columns, [MILLI * place.x, MILLI * place.y, MILLI * place.z]]
    )

    address = pymvr.Address(
        dmx_break=0, universe=fixture.universe, address=fixture.address
    )

    number = str(fixture.number) if fixture.number else fixture.short

    return pymvr.Fixture(
        name=fixture.name,
        uuid=_uuid(show.id, fixture.id),
        gdtf_spec=file,
        gdtf_mode=fixture.mode,
        matrix=matrix,
        fixture_id=number,
        fixture_id_numeric=fixture.number,
        addresses=pymvr.Addresses(addresses=[address]),
    )


def read(
    data: bytes,
    show: Show,
    kinds: Mapping[str, FixtureType],
    name: str = tr("the file"),
) -> Rigged:
    """Hang what an MVR file holds. A fixture that came from this show before is
    changed, by its UUID.

    Raises FormatError.
    """
    with package.open_zip(data, name) as archive:
        package.parse_xml(package.member(archive, SCENE, name), SCENE, name)
        try:
            with contextlib.redirect_stdout(io.StringIO()):
                found = pymvr.GeneralSceneDescription(io.BytesIO(data))
                fixtures = (
                    list(_fixtures(found.scene))
                    if getattr(found, "scene", None)
                    else []
                )
        except RecursionError:
            raise FormatError(
                tr("{name} has groups within groups without end.", name=name)
            ) from None
        except (
            Exception
        ) as error:  # whatever a file makes the library raise is the file's fault
            raise FormatError(
                tr(
                    "{name} does not keep to the standard: {fault}, {error}.",
                    name=name,
                    fault=type(error).__name__,
                    error=error,
                )
            ) from None

        if not fixtures:
            raise FormatError(tr("{name} holds no fixtures.", name=name))

        return _MvrReader(show, kinds, archive, name).take(fixtures)


def _fixtures(scene: Any) -> Iterator[tuple[Any, Matrix]]:
    for layer in scene.layers:
        if layer.child_list:
            yield from _children(
                layer.child_list, _times(HERE, _matrix(layer.matrix)), 0
            )


def _children(children: Any, at: Matrix, depth: int) -> Iterator[tuple[Any, Matrix]]:
    if depth > 60:
        raise RecursionError

    for fixture in children.fixtures:
        here = _times(at, _matrix(fixture.matrix))
        yield fixture, here
        if fixture.child_list:
            yield from _children(fixture.child_list, here, depth + 1)

    for sort in (
        children.group_objects,
        children.trusses,
        children.scene_objects,
        children.supports,
    ):
        for one in sort:
            if one.child_list:
                yield from _children(
                    one.child_list, _times(at, _matrix(one.matrix)), depth + 1
                )


def _matrix(found: Any) -> Matrix:
    u, v, w, o = ([float(x) for x in line[:3]] for line in found.matrix)
    if not all(math.isfinite(x) for line in (u, v, w, o) for x in line):
        raise FormatError(
            tr("The place of a fixture in the file is not given in numbers.")
        )
    return ((u[0], v[0], w[0]), (u[1], v[1], w[1]), (u[2], v[2], w[2])), (
        o[0],
        o[1],
        o[2],
    )


def _times(a: Matrix, b: Matrix) -> Matrix:
    (r, t), (s, q) = a, b
    turn = tuple(
        tuple(sum(r[i][k] * s[k][j] for k in range(3)) for j in range(3))
        for i in range(3)
    )
    place = tuple(t[i] + sum(r[i][k] * q[k] for k in range(3)) for i in range(3))
    return turn, place  # type: ignore[return-value]


class _MvrReader:
    def __init__(
        self,
        show: Show,
        kinds: Mapping[str, FixtureType],
        archive: zipfile.ZipFile,
        name: str,
    ) -> None:
        self.show, self.archive, self.name = show, archive, name
        self.kinds = {**kinds, **show.types}
        self.files: dict[str, FixtureType | None] = {}
        self.notes: dict[str, None] = {}
        self.known = {_uuid(show.id, i): i for i in show.fixtures}
        self.added: list[str] = []
        self.changed: list[str] = []

    def take(self, fixtures: list[tuple[Any, Matrix]]) -> Rigged:
        """Hang the fixtures, or change those that hang; returns what was done."""
        for fixture, at in progress.each(fixtures, "fixture", len(fixtures)):
            self._fixture(fixture, at)
        return Rigged(
            self.show, tuple(self.added), tuple(self.changed), tuple(self.notes)
        )

    def _fixture(self, found: Any, at: Matrix) -> None:
        """Hang a fixture of the file, or change the one that it is."""
        spec = (found.gdtf_spec or "").strip()
        kind = self._kind(spec)
        name = (found.name or spec or "Fixture").strip()
        universe, address = self._address(found, name)
        turn, place = at
        fields: dict[str, Any] = {
            "type": kind.id if kind else spec.removesuffix(".gdtf") or "unknown",
            "mode": self._mode(kind, (found.gdtf_mode or "").strip(), name),
            "universe": universe,
            "address": address,
            "place": Place(*(round(v / MILLI, 4) for v in place)),
            "hanging": hanging_of(turn),
            "number": max(0, int(found.fixture_id_numeric or 0)),
        }

        if kind is not None and self.show.types.get(kind.id) != kind:
            self.show = edits.put(self.show, "types", kind)

        own = self.known.get(str(found.uuid).upper())
        if own is None:
            made = self._new(name, fields)
            self.added.append(made.id)
        else:
            before = self.show.fixtures[own]
            made = edits.replace(before, **fields)
            self.changed += [own] if made != before else []

        self.show = edits.put(self.show, "fixtures", made)

    def _new(self, name: str, fields: dict[str, Any]) -> Fixture:
        """A fixture that does not hang yet, under names that are free."""
        fixtures = self.show.fixtures
        called = edits.fresh_name(name, {f.name for f in fixtures.values()})
        stem = re.sub(r"[^a-z0-9]", "", called.lower())[:12] or "f"
        short = edits.fresh_name(stem, {f.short for f in fixtures.values()})
        return Fixture(
            id=edits.fresh_id(called, fixtures),
            name=called,
            short=short.replace(" ", "-"),
            **fields,
        )

    def _kind(self, spec: str) -> FixtureType | None:
        """The type that a fixture names: of the file, else of the show or the
        library.
        """
        if spec not in self.files:
            names = {n.lower(): n for n in self.archive.namelist()}
            path = names.get(spec.lower()) or names.get(f"{spec.lower()}.gdtf")
            self.files[spec] = self._in_file(path) if path else self._at_hand(spec)
        return self.files[spec]

    def _in_file(self, path: str) -> FixtureType | None:
        """A type that lies in the file; None where it cannot be read."""
        try:
            data = package.member(self.archive, path, self.name)
            imported = gdtf.read(data, path)
            known = self.kinds.get(imported.kind.id)
            found = known if known == imported.kind else self._apart(imported.kind)
        except FormatError as error:
            self.notes[f"The type {path} could not be read: {error}"] = None
            return None
        self.notes.update(dict.fromkeys(f"{path}: {note}" for note in imported.notes))
        return found

    def _at_hand(self, spec: str) -> FixtureType | None:
        """A type of the show or the library; None where there is none."""
        stem = spec.removesuffix(".gdtf").casefold()
        label = stem.replace("@", " ")
        for kind in self.kinds.values():
            if kind.label.casefold() == label or kind.id == stem:
                return kind
        text = tr("is not in the file; its fixtures cannot be lit yet.")
        self.notes[f"The type {spec or 'of some fixtures'} {text}"] = None
        return None

    def _apart(self, kind: FixtureType) -> FixtureType:
        """A type of the same id that differs from ours gets an id of its own."""
        if kind.id in self.kinds:
            kind = edits.replace(kind, id=edits.fresh_id(kind.id, self.kinds))
        self.kinds[kind.id] = kind
        return kind

    def _mode(self, kind: FixtureType | None, wanted: str, name: str) -> str:
        if kind is None or kind.mode(wanted) is not None:
            return wanted
        self.notes[
            f"{name}: {kind.label} has no mode “{wanted}”; {kind.modes[0].name} "
            "was taken."
        ] = None
        return kind.modes[0].name

    def _address(self, found: Any, name: str) -> tuple[int, int]:
        addresses = found.addresses.addresses if found.addresses else []
        if not addresses:
            free = patch.next_free(self.show, 1, 1)
            self.notes[
                f"{name} has no address; it was put on the first free slot of "
                "universe 1."
            ] = None
            return 1, free or 1

        addresses = sorted(addresses, key=lambda one: int(one.dmx_break or 0))
        first = addresses[0]
        if len(addresses) > 1:
            others = ", ".join(f"{a.universe}.{a.address}" for a in addresses[1:])
            self.notes[
                f"{name} has {len(addresses)} addresses. It hangs at the first, "
                f"{first.universe}.{first.address}, and its parts follow one behind "
                f"the other; in the file the others are at {others}."
            ] = None

        universe, address = int(first.universe or 1), int(first.address or 1)
        if not (1 <= universe <= MAX_UNIVERSE and 1 <= address <= SLOTS):
            self.notes[
                f"{name}: the address {universe}.{address} does not exist; it was "
                "put on 1.1."
            ] = None
            return 1, 1

        return universe, address
