"""What cells can carry of what is painted on them, in words: letters that do not come
out, pictures that are finer than the cells, what lies outside.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from choreon.language import listed, plural, tr
from choreon.model.playables.canvas import Letters, Runs, WordsLayer
from choreon.render.canvas.layers import Placed, PlacedPicture, PlacedWords
from choreon.render.canvas.layout import CanvasCells
from choreon.render.canvas.letters import ROWS

FINE = 0.5  # of a picture's contrast, below which what is left of it is told
SIDE = 64  # points to a side at which a picture is looked at
MOST_NAMED = 3  # letters that are named


def of_cells(cells: CanvasCells) -> list[str]:
    """Returns what is to be told of where cells lie."""
    if not cells.items:
        return [tr("No cells as yet: choose fixtures, and add them.")]
    found = []
    outside = int(cells.outside.sum())
    if outside:
        text = plural(
            outside,
            "{n} cell lies outside of the picture",
            "{n} cells lie outside of the picture",
        )
        found.append(text)
    spot = np.round(cells.ground, 6)
    if len(cells.items) > 1 and bool((spot == spot[:, :1]).all()):
        found.append(tr("All cells lie in one place: they all see the same."))
    return found


def of_layer(placed: Placed) -> list[str]:
    """Returns what is to be told of a layer on its cells."""
    if not placed.cells.items:
        return []
    if isinstance(placed, PlacedWords):
        return _of_words(placed)
    if isinstance(placed, PlacedPicture) and placed.lies_still:
        return _of_picture(placed)
    return []


def fitting(starts: Sequence[int], widths: Sequence[int], columns: int) -> int:
    """Returns how many letters, from the first on, so many columns carry."""
    ends = [start + width for start, width in zip(starts, widths, strict=True)]
    return sum(end <= columns for end in ends)


def _of_words(placed: PlacedWords) -> list[str]:
    cells, strip, found = placed.cells, placed.strip, []
    if strip.unknown:
        names = listed([f"“{letter}”" for letter in strip.unknown], MOST_NAMED)
        found.append(tr("No letters for {names}: boxes stand for them", names=names))

    layer = placed.words
    assert isinstance(layer, WordsLayer)
    least = ROWS[Letters.TINY]
    if cells.rows < least:
        text = plural(
            cells.rows,
            "{n} row of cells carries no letters: they need {least}",
            "{n} rows of cells carry no letters: they need {least}",
            least=least,
        )
        return [*found, text]
    if strip.high > cells.rows and layer.letters in ROWS:
        text = plural(
            cells.rows,
            "{n} row of cells carries smaller letters only: choose “{fits}”",
            "{n} rows of cells carry smaller letters only: choose “{fits}”",
            fits=tr("as fits"),
        )
        found.append(text)

    widths = [glyph.cover.shape[1] for glyph in strip.glyphs]
    if layer.runs == Runs.STILL and placed.small and strip.wide > cells.columns:
        carried = fitting(strip.starts, widths, cells.columns)
        text = plural(
            len(cells.items),
            "{n} cell carries {letters}: let them scroll, or come one by one",
            "{n} cells carry {letters}: let them scroll, or come one by one",
            letters=plural(carried, "{n} letter", "{n} letters"),
        )
        found.append(text)
    if layer.runs == Runs.SPELL and max(widths, default=0) > cells.columns:
        text = plural(
            cells.columns,
            "{n} column of cells is too narrow for some letters",
            "{n} columns of cells are too narrow for some letters",
        )
        found.append(text)
    return found


def contrast_left(placed: PlacedPicture) -> float:
    """Returns how much of the contrast of a picture is left as its cells see it, 0…1:
    by the spread of its light about its mean.
    """
    sums = placed.sums_of(placed.frames_at(0.0)[0])
    if sums is None:
        return 1.0
    middle, half = placed.on_picture(0.0, 1.0)
    seen = sums.average(middle, half)[:3].mean(axis=0)

    # the same places of the picture, seen as finely as they are there
    inside = (np.abs(middle - 0.5) <= 0.5 + half).all(axis=0)
    if not inside.any():
        return 1.0
    low = (middle - half)[:, inside].min(axis=1)
    high = (middle + half)[:, inside].max(axis=1)
    low, high = np.clip(low, 0.0, 1.0), np.clip(high, 0.0, 1.0)
    steps = (np.arange(SIDE) + 0.5) / SIDE
    x, y = np.meshgrid(
        low[0] + steps * (high[0] - low[0]), low[1] + steps * (high[1] - low[1])
    )
    points = np.array([x.reshape(-1), y.reshape(-1)])
    fine = np.full(points.shape, 0.5 / max(sums.wide, sums.high))
    there = sums.average(points, fine)[:3].mean(axis=0)

    whole = float(there.std())
    if whole < 0.01:
        return 1.0
    return min(1.0, float(seen[inside].std()) / whole)


def _of_picture(placed: PlacedPicture) -> list[str]:
    left = contrast_left(placed)
    if left >= FINE:
        return []
    text = plural(
        len(placed.cells.items),
        "{n} cell shows {part} % of the contrast of this picture: what is fine in it "
        "is lost. What is seen is the nearest that it can show.",
        "{n} cells show {part} % of the contrast of this picture: what is fine in it "
        "is lost. What is seen is the nearest that they can show.",
        part=round(100.0 * left),
    )
    return [text]
