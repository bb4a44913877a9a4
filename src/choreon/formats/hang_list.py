"""The hang list as CSV, out and in. Columns are found by their names; a bad row is
told, the good ones are taken.
"""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Mapping
from typing import Any

import msgspec

from choreon.formats import progress
from choreon.formats.package import FormatError
from choreon.language import in_a_row, tr
from choreon.model import edits, patch
from choreon.model.fixture_type import FixtureType
from choreon.model.show import MAX_UNIVERSE, SLOTS, Fixture, Hanging, Place, Show

WHOLE = (("universe", 1, MAX_UNIVERSE), ("address", 1, SLOTS), ("number", 0, 999_999))
PLACES = {"place": ("x", "y", "z"), "hanging": ("yaw", "pitch", "roll")}
_UNIVERSE_AND_ADDRESS = re.compile(r"(\d+)\s*[./:\-]\s*(0*[1-9]\d*)")
COLUMNS: tuple[str, ...] = (
    "number",
    "name",
    "short",
    "type",
    "mode",
    "universe",
    "address",
    "x",
    "y",
    "z",
    "yaw",
    "pitch",
    "roll",
)
COLUMNS += ("note", "id")
# What else a column may be called, in lower case and without signs.
ALSO = {
    "number": ("no", "nr", "fixture", "fixtureid", "fid", "unit", "channelnumber"),
    "name": ("label", "fixturename"),
    "short": ("shortname", "tag"),
    "type": ("fixturetype", "kind", "model", "instrument", "lamp"),
    "mode": ("dmxmode", "personality"),
    "universe": ("univ", "uni", "dmxuniverse", "u"),
    "address": (
        "addr",
        "dmx",
        "start",
        "startaddress",
        "dmxaddress",
        "dmxstart",
        "patch",
    ),
    "x": ("xm", "posx", "positionx", "across"),
    "y": ("ym", "posy", "positiony", "upstage", "depth"),
    "z": ("zm", "posz", "positionz", "height", "trim"),
    "yaw": ("rotz",),
    "pitch": ("rotx",),
    "roll": ("roty",),
    "note": ("notes", "comment", "comments", "remark"),
    "id": ("choreonid",),
}


class Row(msgspec.Struct, frozen=True):
    """A row that was not taken: its line in the file, and why."""

    line: int
    reason: str


class HangList(msgspec.Struct, frozen=True):
    """What a list makes of a show."""

    show: Show
    added: tuple[str, ...]
    changed: tuple[str, ...]
    bad: tuple[Row, ...]
    unknown: tuple[str, ...]  # columns that say nothing here


def write(show: Show) -> str:
    """The hang list: UTF-8 text with commas, a line for each fixture, metres and
    degrees.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")  # RFC 4180
    writer.writerow(COLUMNS)

    for f in show.fixtures.values():
        kind = show.types.get(f.type)
        turns = (f.hanging.yaw, f.hanging.pitch, f.hanging.roll)
        numbers = [f"{v:g}" for v in (f.place.x, f.place.y, f.place.z, *turns)]
        what = [
            f.number or "",
            _plain(f.name),
            _plain(f.short),
            _plain(kind.label if kind else f.type),
            _plain(f.mode),
        ]

        writer.writerow([*what, f.universe, f.address, *numbers, _plain(f.note), f.id])

    return out.getvalue()


FORMULA = "=+-@＝＋－＠\t\r\n"  # what a spreadsheet may begin a formula with


def _plain(text: str) -> str:
    """Text that a spreadsheet takes for text, not for a formula; what begins with the
    mark that says so gets another.
    """
    bare = text.lstrip("'")
    return f"'{text}" if bare[:1] and bare[0] in FORMULA else text


def _unmarked(text: str) -> str:
    """Text without the mark that keeps a spreadsheet from taking it for a formula."""
    bare = text.lstrip("'")
    return text[1:] if bare != text and bare[:1] and bare[0] in FORMULA else text


def read(
    data: bytes,
    show: Show,
    kinds: Mapping[str, FixtureType],
    name: str = tr("the list"),
) -> HangList:
    """Take a hang list into the show. Rows are matched with fixtures by id, else by
    name; others are hung.

    Comma, semicolon and tab part the columns; UTF-8, UTF-16 and Windows-1252 are read.
    Raises FormatError where the whole is no list of fixtures.
    """
    text = _decode(data)
    if not text.strip("\ufeff \r\n\t"):
        raise FormatError(tr("{name} is empty.", name=name))

    rows = list(_rows(text, name))
    columns, unknown = _columns(rows[0][1])
    if not {"type", "name", "id"} & set(columns) or len(columns) < 2:
        known = ", ".join(COLUMNS)
        raise FormatError(
            tr(
                "{name} has no columns that are known here. Its first line has to name "
                "them, as: {known}.",
                name=name,
                known=known,
            )
        )

    return _ListReader(show, kinds).take(columns, rows[1:], unknown)


def _decode(data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _rows(text: str, name: str) -> list[tuple[int, list[str]]]:
    text = text.replace("\0", "")
    first, _, rest = text.partition("\n" if "\n" in text else "\r")
    said = re.fullmatch(r"\ufeff?\s*sep=(.)\s*", first, re.IGNORECASE)
    lines_before = 0

    if said:  # spreadsheets write it before the columns
        text, lines_before = rest, 1
        first = next((line for line in rest.splitlines() if line.strip()), "")

    comma = said[1] if said else max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=comma)
    found = []

    try:
        for row in reader:
            if any(cell.strip() for cell in row):
                found.append((reader.line_num + lines_before, row))
    except csv.Error as error:
        raise FormatError(
            tr(
                "{name} cannot be read as a list from line {line} on ({error}).",
                name=name,
                line=reader.line_num,
                error=error,
            )
        ) from None

    if not found:
        raise FormatError(tr("{name} is empty.", name=name))

    return found


def _columns(header: list[str]) -> tuple[dict[str, int], tuple[str, ...]]:
    names = {
        alias: column
        for column, aliases in ALSO.items()
        for alias in (column, *aliases)
    }

    found: dict[str, int] = {}
    unknown = []

    for i, cell in enumerate(header):
        column = names.get(re.sub(r"\(.*\)|[^a-z]", "", cell.strip("\ufeff").lower()))
        if column and column not in found:
            found[column] = i
        elif cell.strip():
            unknown.append(cell.strip())

    return found, tuple(unknown)


class _Bad(Exception):
    pass


def _usual_mode(kind: FixtureType, known: Fixture | None) -> str:
    """The mode of a line that names none: that which hangs, else the type's first."""
    if known is not None and known.type == kind.id:
        return known.mode
    return kind.modes[0].name if kind.modes else ""


class _ListReader:
    def __init__(self, show: Show, kinds: Mapping[str, FixtureType]) -> None:
        self.show = show
        self.kinds = {**kinds, **show.types}
        self.by_label = {k.label.casefold(): k for k in self.kinds.values()}
        self.by_label |= {
            k.name.casefold(): k
            for k in self.kinds.values()
            if k.name.casefold() not in self.by_label
        }
        self.by_name = {f.name.casefold(): f.id for f in show.fixtures.values()}
        self.added: list[str] = []
        self.changed: list[str] = []

    def take(
        self,
        columns: dict[str, int],
        rows: list[tuple[int, list[str]]],
        unknown: tuple[str, ...],
    ) -> HangList:
        """Take the lines that can be read; returns the show with them and the rest."""
        bad = []
        for line, cells in progress.each(rows, "row", len(rows)):
            given = {
                c: _unmarked(cells[i].strip())
                for c, i in columns.items()
                if i < len(cells) and cells[i].strip()
            }
            try:
                self._row(given)
            except _Bad as error:
                bad.append(Row(line, str(error)))

        return HangList(
            self.show, tuple(self.added), tuple(self.changed), tuple(bad), unknown
        )

    def _row(self, given: dict[str, str]) -> None:
        known = given.get("id", "") if given.get("id") in self.show.fixtures else ""
        known = known or self.by_name.get(given.get("name", "").casefold(), "")
        kind, mode = self._type(given, self.show.fixtures.get(known))
        fields = self._fields(given)

        if known:
            before = self.show.fixtures[known]
            fields |= {
                "type": kind.id if kind else before.type,
                "mode": mode or before.mode,
            }
            made = self._with(before, fields)

            if made != before:
                self.changed.append(known)
        else:
            if kind is None:
                raise _Bad(tr("it names no type, and no fixture that hangs"))

            made = self._new(kind, mode, fields)
            self.added.append(made.id)

        if kind is not None and self.show.types.get(kind.id) is not kind:
            self.show = edits.put(self.show, "types", kind)

        self.show = edits.put(self.show, "fixtures", made)
        self.by_name[made.name.casefold()] = made.id

    def _type(
        self, given: dict[str, str], known: Fixture | None
    ) -> tuple[FixtureType | None, str]:
        """The type and the mode that a line names, or else those that hang."""
        kind = self.kinds.get(known.type) if known else None
        if "type" in given:
            label = given["type"].casefold()
            kind = self.kinds.get(given["type"]) or self.by_label.get(label)
            if kind is None:
                raise _Bad(
                    tr("the type “{given}” is not in the library", given=given["type"])
                )

        if kind is None:
            return None, ""

        if "mode" not in given:
            return kind, _usual_mode(kind, known)

        wanted = given["mode"].casefold()
        for mode in kind.modes:
            if wanted in (mode.name.casefold(), str(mode.footprint)):
                return kind, mode.name

        names = in_a_row(mode.name for mode in kind.modes)
        raise _Bad(
            tr(
                "{label} has no mode “{given}”; it has {names}",
                label=kind.label,
                given=given["mode"],
                names=names,
            )
        )

    def _fields(self, given: dict[str, str]) -> dict[str, Any]:
        """What a line says of a fixture. Raises _Bad for what cannot be read."""
        fields: dict[str, Any] = {
            name: given[name] for name in ("name", "short", "note") if name in given
        }
        both = _UNIVERSE_AND_ADDRESS.fullmatch(given.get("address", ""))
        if both:
            given = {**given, "universe": both.group(1), "address": both.group(2)}
        for name, low, high in WHOLE:
            if name in given:
                fields[name] = self._whole(name, given[name], low, high)
        for field, names in PLACES.items():
            fields[field] = {n: self._metres(n, given[n]) for n in names if n in given}
        return fields

    def _whole(self, name: str, text: str, low: int, high: int) -> int:
        if (
            not re.fullmatch(r"\d{1,9}(\.0+)?", text)
            or not low <= int(float(text)) <= high
        ):
            raise _Bad(
                tr(
                    "the {name} “{text}” is not a whole number within {low}…{high}",
                    name=name,
                    text=text[:40],
                    low=low,
                    high=high,
                )
            )
        return int(float(text))

    def _metres(self, name: str, text: str) -> float:
        try:
            value = float(
                text.replace(",", ".").removesuffix("m").removesuffix("°").strip()
            )
        except ValueError:
            raise _Bad(
                tr("{name} “{text}” is not a number", name=name, text=text[:40])
            ) from None

        if not math.isfinite(value) or abs(value) > 1000:
            raise _Bad(
                tr(
                    "{name} “{text}” is farther than any room reaches",
                    name=name,
                    text=text[:40],
                )
            )

        return value

    def _with(self, before: Fixture, fields: dict[str, Any]) -> Fixture:
        place, hanging = fields.pop("place"), fields.pop("hanging")
        return edits.replace(
            before,
            **fields,
            place=edits.replace(before.place, **place),
            hanging=edits.replace(before.hanging, **hanging),
        )

    def _new(self, kind: FixtureType, mode: str, fields: dict[str, Any]) -> Fixture:
        found = kind.mode(mode)
        slots = found.footprint if found else 1
        universe = fields.get("universe", 1)
        address = fields.get("address") or patch.next_free(self.show, universe, slots)

        if address is None:
            raise _Bad(
                tr(
                    "universe {universe} has no room for another {label}",
                    universe=universe,
                    label=kind.label,
                )
            )

        place = Place(**{"z": self.show.room.height, **fields["place"]})
        show, (made,) = edits.hang(
            self.show, kind, mode, 1, universe, address, places=[place]
        )
        one = show.fixtures[made]
        plain = {
            n: v
            for n, v in fields.items()
            if n not in ("place", "hanging", "universe", "address")
        }

        if "name" in plain:
            plain["id"] = edits.fresh_id(plain["name"], self.show.fixtures)

        if plain.get("short") in {f.short for f in self.show.fixtures.values()}:
            plain.pop("short")

        return edits.replace(one, **plain, hanging=Hanging(**fields["hanging"]))
