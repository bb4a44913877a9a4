"""Stacks as tables: CSV, or plain text with tabs, out and in. Columns of other programs
are guessed by their titles; whoever reads one can say otherwise.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence

import msgspec

from choreon.language import tr
from choreon.model.cue_plays import parse_plays, plays_in_words
from choreon.model.cue_words import (
    NotUnderstood,
    follow_as_typed,
    parse_follow,
    parse_seconds,
    parse_times,
)
from choreon.model.playables import Stack
from choreon.model.playables.stack import ON_GO, Cue, number_in_words, times_of
from choreon.model.script import words_around
from choreon.model.show import Show

MOST_LINES = 20_000  # cues that are taken of a table
MOST_TOLD = 200  # lines of which it is told that they are wrong

FIELDS = (
    "cue",
    "name",
    "on",
    "in",
    "out",
    "wait in",
    "wait out",
    "comes",
    "words",
    "note",
)
"""The columns as they are written."""

SYNONYMS: dict[str, tuple[str, ...]] = {
    "cue": (
        "cue",
        "no",
        "no.",
        "nr",
        "nr.",
        "number",
        "#",
        "q",
        "cue number",
        "cue no",
    ),
    "name": ("name", "label", "title", "cue name", "scene", "description"),
    "on": ("on", "plays", "looks", "scenes", "content"),
    "in": (
        "in",
        "up",
        "fade in",
        "fade",
        "time",
        "time in",
        "up time",
        "in time",
        "fade time",
    ),
    "out": ("out", "down", "fade out", "time out", "down time", "out time"),
    "wait in": ("wait in", "delay", "delay in", "up delay", "wait"),
    "wait out": ("wait out", "delay out", "down delay"),
    "comes": (
        "comes",
        "follow",
        "trigger",
        "link",
        "auto",
        "follow time",
        "autofollow",
    ),
    "words": ("words", "text", "line", "cue line"),
    "note": ("note", "notes", "comment", "comments", "remark", "page", "standby"),
}
"""Titles by which a column is known."""


class Wrong(msgspec.Struct, frozen=True):
    """A line that could not be taken, counted from 1, and why."""

    line: int
    why: str


class Table(msgspec.Struct, frozen=True):
    """A table as it was read: its titles, its lines, and which field each column was
    taken for (empty: none).
    """

    titles: tuple[str, ...]
    lines: tuple[tuple[str, ...], ...]
    fields: tuple[str, ...]


class Read(msgspec.Struct, frozen=True):
    """The cues of a table, and the lines that were left out."""

    cues: tuple[Cue, ...]
    wrong: tuple[Wrong, ...]


# out


def write(show: Show, stack: Stack, tabs: bool = False) -> str:
    """Returns a stack as CSV, or with tabs."""
    out = io.StringIO()
    table = csv.writer(out, delimiter="\t" if tabs else ",", lineterminator="\n")
    table.writerow(FIELDS)
    for cue in stack.cues:
        times = times_of(stack, cue)
        table.writerow(
            [
                number_in_words(cue.number),
                cue.name,
                plays_in_words(show, cue),
                f"{times.fade_in:g}",
                f"{times.fade_out:g}",
                f"{times.delay_in:g}" if times.delay_in else "",
                f"{times.delay_out:g}" if times.delay_out else "",
                follow_as_typed(cue.follow),
                "" if cue.at is None else words_around(stack.text, cue.at),
                _one_line(cue.note) if tabs else cue.note,
            ]
        )
    return out.getvalue()


def _one_line(text: str) -> str:
    return " ".join(text.split())


# in


def read_table(data: bytes) -> Table:
    """Read a table: commas, semicolons or tabs, whichever splits its first line most
    often. What its columns are is guessed by their titles; where none is known, that
    there are none, and they are number, name, in, out.
    """
    text = _decoded(data)
    first = text.partition("\n")[0]
    delimiter = max("\t;,", key=first.count)
    rows = csv.reader(io.StringIO(text), delimiter=delimiter)
    lines: list[tuple[str, ...]] = []
    for row in rows:
        if len(lines) > MOST_LINES:
            break
        lines.append(tuple(cell.strip() for cell in row))

    titles = lines[0] if lines else ()
    fields = guessed(titles)
    if not any(fields):
        width = max((len(line) for line in lines), default=0)
        usual = ("cue", "name", "in", "out")
        titles = tuple(tr("column {n}", n=n + 1) for n in range(width))
        fields = tuple(usual[n] if n < len(usual) else "" for n in range(width))
        return Table(titles, tuple(lines), fields)

    return Table(titles, tuple(lines[1:]), fields)


def _decoded(data: bytes) -> str:
    for encoding in (
        "utf-8-sig",
        "utf-16" if data[:2] in UTF16 else "cp1252",
        "latin-1",
    ):
        try:
            return data.decode(encoding).replace("\0", "")
        except UnicodeDecodeError:
            continue
    return ""


UTF16 = (b"\xff\xfe", b"\xfe\xff")


def guessed(titles: Sequence[str]) -> tuple[str, ...]:
    """Returns the field that each column is taken for, by its title; each once."""
    taken: set[str] = set()
    found = []
    for title in titles:
        plain = " ".join(title.casefold().replace("_", " ").split())
        plain = plain.removesuffix("(s)").removesuffix("[s]").strip()
        field = next((f for f, names in SYNONYMS.items() if plain in names), "")
        if field in taken:
            field = ""
        taken.add(field)
        found.append(field)
    return tuple(found)


def cues_of(show: Show, stack: Stack, table: Table, fields: Sequence[str]) -> Read:
    """Returns the cues of a table whose columns are `fields`; lines that cannot be
    understood are left out, and told by number.
    """
    cues: list[Cue] = []
    wrong: list[Wrong] = []
    numbers: set[float] = set()
    # counted as an editor counts them: the titles are the first line
    first = 1 if table.titles and table.lines and table.titles != table.lines[0] else 0

    for n, line in enumerate(table.lines):
        if not any(line):
            continue
        cells = {
            field: line[column]
            for column, field in enumerate(fields)
            if field and column < len(line)
        }
        try:
            cue = _cue_of(show, stack, cells, len(cues))
            if cue.number in numbers:
                number = number_in_words(cue.number)
                raise NotUnderstood(
                    tr("there is a cue {number} already", number=number)
                )
        except (NotUnderstood, ValueError) as error:
            wrong.append(Wrong(n + 1 + first, str(error)))
            continue

        numbers.add(cue.number)
        cues.append(cue)

    cues.sort(key=lambda cue: cue.number)
    return Read(tuple(cues), tuple(wrong))


def _cue_of(show: Show, stack: Stack, cells: Mapping[str, str], count: int) -> Cue:
    """One line as a cue."""
    number = float(count + 1)
    if cells.get("cue"):
        text = cells["cue"].casefold().removeprefix("q").strip()
        try:
            number = round(float(text.replace(",", ".")), 3)
        except ValueError:
            raise NotUnderstood(
                tr("“{text}” is no number of a cue", text=cells["cue"])
            ) from None
        if not 0.0 <= number <= 99_999.0:
            raise NotUnderstood(tr("“{text}” is no number of a cue", text=cells["cue"]))

    rise, fall = _times(cells)
    plays = parse_plays(show, cells.get("on", ""), (), stack.ref)
    follow = ON_GO
    if cells.get("comes"):
        follow = parse_follow(cells["comes"])

    notes = [cells.get("note", ""), cells.get("words", "")]
    return Cue(
        id=f"cue-{number_in_words(number)}",
        number=number,
        name=cells.get("name", ""),
        note=" · ".join(text for text in notes if text),
        plays=plays,
        fade_in=rise,
        fade_out=fall,
        delay_in=_seconds(cells.get("wait in", "")) or 0.0,
        delay_out=_seconds(cells.get("wait out", "")) or 0.0,
        follow=follow,
    )


def _times(cells: Mapping[str, str]) -> tuple[float | None, float | None]:
    """In and out; of one that is “2/3”, both."""
    text = cells.get("in", "")
    if "/" in text:
        typed = parse_times(text)
        return typed.fade_in, typed.fade_out
    return _seconds(text), _seconds(cells.get("out", ""))


def _seconds(text: str) -> float | None:
    plain = text.strip().rstrip("sS").strip()
    return parse_seconds(plain, text) if plain else None
