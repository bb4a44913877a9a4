"""Bars, tape, dots and other fixtures of many cells."""

from __future__ import annotations

from choreon.library.pars import OPEN_FIRST, SPEED, program
from choreon.library.parts import (
    DIMMER,
    emitters,
    fixture,
    in_cells,
    in_grid,
    in_line,
    numbered,
)
from choreon.model.fixture_type import FixtureType


def _bar(
    maker: str,
    name: str,
    cells: int,
    length: float,
    lights: str = "red green blue",
    beam: float = 50,
    head: str = "dimmer shutter",
    first: str = "",
) -> FixtureType:
    """A bar as a whole, by cells, and by cells with a master."""
    row = in_line(cells, length)
    modes = [
        numbered(in_cells(lights, cells), row),
        numbered(f"{head} {in_cells(lights, cells)}", row),
        numbered(lights),
        numbered(f"{head} {lights} program program-speed"),
    ]
    channels = [DIMMER, *emitters(*lights.split()), OPEN_FIRST, program(), SPEED]
    return fixture(maker, name, "LED bar", channels, modes, beam=beam, body="bar", lamp="LED")


def _tape(name: str, pixels: int, pitch: float, lights: str) -> FixtureType:
    row = in_line(pixels, pixels * pitch)
    modes = [numbered(in_cells(lights, pixels), row), numbered(lights)]
    return fixture("Pellow", name, "pixel tape", emitters(*lights.split()), modes, beam=0, body="tape", lamp="LED")


def _grid(name: str, columns: int, rows: int, pitch: float, lights: str, kind: str, body: str) -> FixtureType:
    cells = in_grid(columns, rows, pitch)
    each = in_cells(lights, columns * rows)
    modes = [numbered(each, cells), numbered(f"dimmer shutter {each}", cells), numbered(f"dimmer shutter {lights}")]
    channels = [DIMMER, *emitters(*lights.split()), OPEN_FIRST]
    return fixture("Pellow", name, kind, channels, modes, beam=25, body=body, lamp="LED")


def types() -> list[FixtureType]:
    """Fixtures of many cells."""
    dot = emitters("red", "green", "blue")
    return [
        _bar("Pellow", "Bar 4", 4, 0.5),
        _bar("Pellow", "Bar 8", 8, 1.0),
        _bar("Pellow", "Bar 16", 16, 1.0),
        _bar("Pellow", "Bar 8 W", 8, 1.0, "red green blue white"),
        _bar("Pellow", "Bar 12 A", 12, 1.2, "red green blue white amber", 20),
        _bar("Generic", "LED bar, 4 cells", 4, 1.0),
        _bar("Generic", "LED bar, 8 cells", 8, 1.0),
        _bar("Generic", "LED bar, 16 cells", 16, 1.0),
        fixture("Pellow", "Dot", "pixel", dot, [numbered("red green blue")], beam=0, body="dot", lamp="LED"),
        fixture("Pellow", "Dot W", "pixel", emitters("red", "green", "blue", "white"),
                [numbered("red green blue white"), numbered("green red blue white", note=", green first")],
                beam=0, body="dot", lamp="LED"),
        _tape("Tape 30", 30, 1 / 30, "red green blue"),
        _tape("Tape 60", 60, 1 / 60, "green red blue"),
        _tape("Tape 30 W", 30, 1 / 30, "green red blue white"),
        _grid("Grid 25", 5, 5, 0.12, "red green blue", "pixel panel", "panel"),
        _grid("Grid 36 warm", 6, 6, 0.1, "warm", "pixel panel", "panel"),
    ]  # fmt: skip
