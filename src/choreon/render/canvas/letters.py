"""Letters as pictures: small ones of 4, 5 and 7 rows by our own drawing, and those of
the font that ships.
"""

from __future__ import annotations

import itertools
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import numpy.typing as npt

from choreon.model.playables.canvas import Letters

Floats = npt.NDArray[np.float64]

PLAIN_HIGH = 32  # pixels that a letter of the font is drawn high

# rows of a letter are parted by a slash, what shines is a hash
_TINY = {
    "A": ".#./#.#/###/#.#",
    "B": "##./###/#.#/###",
    "C": ".##/#../#../.##",
    "D": "##./#.#/#.#/##.",
    "E": "###/##./#../###",
    "F": "###/##./#../#..",
    "G": ".##/#../#.#/.##",
    "H": "#.#/###/#.#/#.#",
    "I": "#/#/#/#",
    "J": "..#/..#/#.#/.#.",
    "K": "#.#/##./##./#.#",
    "L": "#../#../#../###",
    "M": "#...#/##.##/#.#.#/#...#",
    "N": "#..#/##.#/#.##/#..#",
    "O": ".#./#.#/#.#/.#.",
    "P": "##./#.#/##./#..",
    "Q": ".#./#.#/#.#/.##",
    "R": "##./#.#/##./#.#",
    "S": ".##/##./..#/##.",
    "T": "###/.#./.#./.#.",
    "U": "#.#/#.#/#.#/###",
    "V": "#.#/#.#/#.#/.#.",
    "W": "#...#/#.#.#/##.##/#...#",
    "X": "#.#/.#./.#./#.#",
    "Y": "#.#/#.#/.#./.#.",
    "Z": "###/.##/#../###",
    "0": "###/#.#/#.#/###",
    "1": ".#/##/.#/.#",
    "2": "##./..#/.#./###",
    "3": "###/.##/..#/###",
    "4": "#.#/#.#/###/..#",
    "5": "###/##./..#/##.",
    "6": "#../###/#.#/###",
    "7": "###/..#/.#./.#.",
    "8": "###/###/#.#/###",
    "9": "###/#.#/###/..#",
    ".": "./././#",
    ",": "./././#",
    "!": "#/#/./#",
    "?": "##./..#/.../.#.",
    "-": ".../.../###/...",
    "+": ".../.#./###/.#.",
    ":": "./#/./#",
    "/": "..#/.#./.#./#..",
    "'": "#/#/./.",
    "&": ".##/.#./#.#/###",
}
_SMALL = {
    "A": ".#./#.#/###/#.#/#.#",
    "B": "##./#.#/##./#.#/##.",
    "C": ".##/#../#../#../.##",
    "D": "##./#.#/#.#/#.#/##.",
    "E": "###/#../##./#../###",
    "F": "###/#../##./#../#..",
    "G": ".##/#../#.#/#.#/.##",
    "H": "#.#/#.#/###/#.#/#.#",
    "I": "#/#/#/#/#",
    "J": "..#/..#/..#/#.#/.#.",
    "K": "#.#/#.#/##./#.#/#.#",
    "L": "#../#../#../#../###",
    "M": "#...#/##.##/#.#.#/#...#/#...#",
    "N": "#..#/##.#/#.##/#..#/#..#",
    "O": ".#./#.#/#.#/#.#/.#.",
    "P": "##./#.#/##./#../#..",
    "Q": ".#./#.#/#.#/.#./..#",
    "R": "##./#.#/##./#.#/#.#",
    "S": ".##/#../.#./..#/##.",
    "T": "###/.#./.#./.#./.#.",
    "U": "#.#/#.#/#.#/#.#/###",
    "V": "#.#/#.#/#.#/#.#/.#.",
    "W": "#...#/#...#/#.#.#/##.##/#...#",
    "X": "#.#/#.#/.#./#.#/#.#",
    "Y": "#.#/#.#/.#./.#./.#.",
    "Z": "###/..#/.#./#../###",
    "0": "###/#.#/#.#/#.#/###",
    "1": ".#/##/.#/.#/.#",
    "2": "##./..#/.#./#../###",
    "3": "##./..#/.#./..#/##.",
    "4": "#.#/#.#/###/..#/..#",
    "5": "###/#../##./..#/##.",
    "6": ".##/#../###/#.#/###",
    "7": "###/..#/.#./.#./.#.",
    "8": "###/#.#/###/#.#/###",
    "9": "###/#.#/###/..#/##.",
    ".": "././././#",
    ",": "./././#/#",
    "!": "#/#/#/./#",
    "?": "##./..#/.#./.../.#.",
    "-": ".../.../###/.../...",
    "+": ".../.#./###/.#./...",
    ":": "./#/./#/.",
    "/": "..#/..#/.#./#../#..",
    "'": "#/#/././.",
    "&": ".#./#.#/.#./#.#/.##",
}
_LARGE = {
    "A": ".###./#...#/#...#/#####/#...#/#...#/#...#",
    "B": "####./#...#/#...#/####./#...#/#...#/####.",
    "C": ".###./#...#/#..../#..../#..../#...#/.###.",
    "D": "####./#...#/#...#/#...#/#...#/#...#/####.",
    "E": "#####/#..../#..../####./#..../#..../#####",
    "F": "#####/#..../#..../####./#..../#..../#....",
    "G": ".###./#...#/#..../#.###/#...#/#...#/.###.",
    "H": "#...#/#...#/#...#/#####/#...#/#...#/#...#",
    "I": "###/.#./.#./.#./.#./.#./###",
    "J": "..###/...#./...#./...#./...#./#..#./.##..",
    "K": "#...#/#..#./#.#../##.../#.#../#..#./#...#",
    "L": "#..../#..../#..../#..../#..../#..../#####",
    "M": "#...#/##.##/#.#.#/#.#.#/#...#/#...#/#...#",
    "N": "#...#/##..#/##..#/#.#.#/#..##/#..##/#...#",
    "O": ".###./#...#/#...#/#...#/#...#/#...#/.###.",
    "P": "####./#...#/#...#/####./#..../#..../#....",
    "Q": ".###./#...#/#...#/#...#/#.#.#/#..#./.##.#",
    "R": "####./#...#/#...#/####./#.#../#..#./#...#",
    "S": ".####/#..../#..../.###./....#/....#/####.",
    "T": "#####/..#../..#../..#../..#../..#../..#..",
    "U": "#...#/#...#/#...#/#...#/#...#/#...#/.###.",
    "V": "#...#/#...#/#...#/#...#/#...#/.#.#./..#..",
    "W": "#...#/#...#/#...#/#.#.#/#.#.#/##.##/#...#",
    "X": "#...#/#...#/.#.#./..#../.#.#./#...#/#...#",
    "Y": "#...#/#...#/.#.#./..#../..#../..#../..#..",
    "Z": "#####/....#/...#./..#../.#.../#..../#####",
    "0": ".###./#...#/#..##/#.#.#/##..#/#...#/.###.",
    "1": ".#./##./.#./.#./.#./.#./###",
    "2": ".###./#...#/....#/..##./.#.../#..../#####",
    "3": "####./....#/....#/.###./....#/....#/####.",
    "4": "...#./..##./.#.#./#..#./#####/...#./...#.",
    "5": "#####/#..../####./....#/....#/#...#/.###.",
    "6": ".###./#..../#..../####./#...#/#...#/.###.",
    "7": "#####/....#/...#./..#../.#.../.#.../.#...",
    "8": ".###./#...#/#...#/.###./#...#/#...#/.###.",
    "9": ".###./#...#/#...#/.####/....#/....#/.###.",
    ".": "././././././#",
    ",": "../../../../../.#/#.",
    "!": "#/#/#/#/#/./#",
    "?": ".###./#...#/....#/..##./..#../...../..#..",
    "-": ".../.../.../###/.../.../...",
    "+": "...../..#../..#../#####/..#../..#../.....",
    ":": "./#/#/./#/#/.",
    "/": "....#/....#/...#./..#../.#.../#..../#....",
    "'": "#/#/././././.",
    "&": ".##../#..#./#.#../.#.../#.#.#/#..#./.##.#",
}

DRAWN = {Letters.TINY: _TINY, Letters.SMALL: _SMALL, Letters.LARGE: _LARGE}
ROWS = {Letters.TINY: 4, Letters.SMALL: 5, Letters.LARGE: 7}


@dataclass(frozen=True, eq=False)
class Glyph:
    """A letter: how far it covers (rows, columns), the first row uppermost."""

    letter: str
    cover: Floats


@dataclass(frozen=True, eq=False)
class Strip:
    """A text in one line: its letters, and the column each begins at. `unknown`:
    letters that no font here has; they are boxes.
    """

    glyphs: tuple[Glyph, ...]
    starts: tuple[int, ...]
    cover: Floats
    unknown: tuple[str, ...] = ()

    @property
    def high(self) -> int:
        """How many rows it has."""
        return int(self.cover.shape[0])

    @property
    def wide(self) -> int:
        """How many columns it has."""
        return int(self.cover.shape[1])


def letters_for(rows: int) -> Letters:
    """Returns the largest small letters that so many rows carry."""
    if rows >= ROWS[Letters.LARGE]:
        return Letters.LARGE
    return Letters.SMALL if rows >= ROWS[Letters.SMALL] else Letters.TINY


@lru_cache(64)
def strip_of(text: str, letters: Letters) -> Strip:
    """Returns a text in one line, in small letters or in those of the font. What small
    letters have no drawing of is drawn smaller from the font.
    """
    glyphs: list[Glyph] = []
    unknown: list[str] = []
    gap = 1 if letters in ROWS else 2
    for letter in _clusters(text):
        glyph = _glyph(letter, letters)
        if glyph is None:
            unknown.append(letter)
            glyph = _box(letter, ROWS.get(letters, PLAIN_HIGH))
        glyphs.append(glyph)

    high = ROWS.get(letters, PLAIN_HIGH)
    starts, wide = [], 0
    for glyph in glyphs:
        starts.append(wide)
        wide += glyph.cover.shape[1] + gap
    cover = np.zeros((high, max(1, wide - gap)))
    for start, glyph in zip(starts, glyphs, strict=True):
        cover[:, start : start + glyph.cover.shape[1]] = glyph.cover
    return Strip(tuple(glyphs), tuple(starts), cover, tuple(dict.fromkeys(unknown)))


def _clusters(text: str) -> list[str]:
    """The letters of a text, accents with what they stand on; line ends are spaces."""
    found: list[str] = []
    for letter in unicodedata.normalize("NFC", " ".join(text.split())):
        if found and unicodedata.combining(letter):
            found[-1] += letter
        else:
            found.append(letter)
    return found


def _glyph(letter: str, letters: Letters) -> Glyph | None:
    drawn = DRAWN.get(letters)
    if letter == " ":
        wide = 2 if letters in ROWS else PLAIN_HIGH // 4
        return Glyph(letter, np.zeros((ROWS.get(letters, PLAIN_HIGH), wide)))
    if drawn is None:
        return _of_font(letter, PLAIN_HIGH)
    plain = _without_accents(letter).upper()
    rows = drawn.get(plain)
    if rows is not None:
        lines = [[float(mark == "#") for mark in row] for row in rows.split("/")]
        return Glyph(letter, np.array(lines))
    large = _of_font(letter, PLAIN_HIGH)
    return None if large is None else _smaller(large, ROWS[letters])


def _without_accents(letter: str) -> str:
    return unicodedata.normalize("NFD", letter)[:1]


def _box(letter: str, high: int) -> Glyph:
    wide = max(3, high // 2)
    cover = np.ones((high, wide))
    cover[1:-1, 1:-1] = 0.0
    return Glyph(letter, cover)


def _smaller(glyph: Glyph, high: int) -> Glyph:
    """A letter of the font on fewer rows: how much of each small field it covers."""
    every = glyph.cover.shape[0] / high
    wide = max(1, round(glyph.cover.shape[1] / every))
    rows = np.linspace(0, glyph.cover.shape[0], high + 1).astype(int)
    columns = np.linspace(0, glyph.cover.shape[1], wide + 1).astype(int)
    cover = [
        [
            glyph.cover[top:below, left : max(right, left + 1)].mean()
            for left, right in itertools.pairwise(columns)
        ]
        for top, below in itertools.pairwise(rows)
    ]
    return Glyph(glyph.letter, np.array(cover))


@lru_cache(1024)
def _of_font(letter: str, high: int) -> Glyph | None:
    """A letter of the font that ships; None where it has it not."""
    from PIL import Image, ImageDraw

    font = _font(high)
    missing = font.getmask("￿").getbbox(), bytes(font.getmask("￿"))
    mask = font.getmask(letter)
    if not mask.getbbox() or (mask.getbbox(), bytes(mask)) == missing:
        return None

    wide = max(1, round(font.getlength(letter)))
    picture = Image.new("L", (wide, high))
    draw = ImageDraw.Draw(picture)
    draw.text((0, high * 0.82), letter, fill=255, font=font, anchor="ls")
    return Glyph(letter, np.asarray(picture, float) / 255.0)


@lru_cache(2)
def _font(high: int):  # type: ignore[no-untyped-def]
    from PIL import ImageFont

    path = FONTS / "AtkinsonHyperlegibleNext_600SemiBold.ttf"
    return ImageFont.truetype(str(path), round(high * 0.86))


FONTS = Path(__file__).parents[2] / "ui" / "fonts"
"""Where the font lies that ships. It is read as a file: nothing of the interface is
loaded."""
