"""A cue sheet on paper, black on white: numbers, words, what is on, times, notes, and a
small picture of each. PDF, A4, in letters that can be read in the dark.
"""

from __future__ import annotations

import io
from collections.abc import Mapping
from pathlib import Path

from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader, simpleSplit
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas

from choreon.language import in_a_row, tr
from choreon.model.cue_plays import plays_in_words
from choreon.model.cue_words import follow_as_typed, times_in_words
from choreon.model.playables import Stack
from choreon.model.playables.stack import Cue, number_in_words
from choreon.model.script import words_around
from choreon.model.show import Show

MARGIN = 14 * mm
PICTURE = (32 * mm, 20 * mm)
SIZES = {"usual": (12.0, 10.0, 9.0), "large": (18.0, 14.0, 12.0)}
"""Points of number and name, of words and notes, and of the rest."""


class CueSheet:
    """Writes the PDF of a stack. `pictures`: PNGs by cue. `fonts`: regular and bold TTF
    files; without them the PDF's own Helvetica.
    """

    def __init__(
        self,
        show: Show,
        stack: Stack,
        pictures: Mapping[str, bytes],
        large: bool,
        fonts: tuple[Path, Path] | None = None,
    ) -> None:
        self.show, self.stack, self.pictures = show, stack, pictures
        self.first, self.second, self.third = SIZES["large" if large else "usual"]
        self.plain, self.bold = "Helvetica", "Helvetica-Bold"
        if fonts:
            try:
                for name, path in zip(("Choreon", "Choreon-Bold"), fonts, strict=True):
                    pdfmetrics.registerFont(TTFont(name, str(path)))
                self.plain, self.bold = "Choreon", "Choreon-Bold"
            except (TTFError, OSError):
                pass

    def write(self) -> bytes:
        """Returns the PDF."""
        buffer = io.BytesIO()
        self.canvas = Canvas(buffer, pagesize=A4, invariant=True)
        self.canvas.setTitle(f"{self.show.name}: {self.stack.name}")
        self.canvas.setCreator("Choreon")
        y = self._begin_page()

        for cue in self.stack.cues:
            lines = self._lines(cue)
            height = self._height(lines)
            if y - height < MARGIN + 14:
                self.canvas.showPage()
                y = self._begin_page()
            self._draw(cue, lines, y)
            y -= height

        if not self.stack.cues:
            self._say(MARGIN, y - 14, tr("There are no cues yet."), self.second)
        self.canvas.showPage()
        self.canvas.save()
        return buffer.getvalue()

    def _begin_page(self) -> float:
        """The head of a page; gives where its content begins."""
        width, height = A4
        top = height - MARGIN
        title = f"{self.show.name}  ·  {self.stack.name}"
        self._say(MARGIN, top - 6, title, 13, True)
        page = tr("Page {number}", number=self.canvas.getPageNumber())
        self.canvas.setFont(self.plain, 9)
        self.canvas.drawRightString(width - MARGIN, top - 6, page)
        self.canvas.setLineWidth(0.8)
        self.canvas.line(MARGIN, top - 12, width - MARGIN, top - 12)
        return top - 16

    def _lines(self, cue: Cue) -> list[tuple[str, float, bool]]:
        """What is said of a cue, line by line: text, points, whether it is bold."""
        room = A4[0] - 2 * MARGIN - PICTURE[0] - 8
        rows: list[tuple[str, float, bool]] = []

        def add(text: str, size: float, bold: bool = False) -> None:
            font = self.bold if bold else self.plain
            rows.extend(
                (line, size, bold) for line in simpleSplit(text, font, size, room)
            )

        number = number_in_words(cue.number)
        follow = follow_as_typed(cue.follow) or tr("GO")
        add(f"{number}   {cue.name}".rstrip(), self.first, True)
        if cue.at is not None:
            add(words_around(self.stack.text, cue.at, 10, 4), self.second)
        if cue.note:
            add(cue.note, self.second, True)

        plays = plays_in_words(self.show, cue)
        if cue.look or cue.effects:
            own = tr("its own look")
            plays = in_a_row([plays, own]) if plays else own
        if not plays:
            plays = tr("dark")
        if cue.leaves:
            plays = tr("+ {what}", what=plays)
        times = tr("in/out {times} s", times=times_in_words(self.stack, cue))
        add(f"{follow}   ·   {times}   ·   {plays}", self.third)
        return rows

    def _height(self, lines: list[tuple[str, float, bool]]) -> float:
        text = sum(size * 1.3 for _, size, _ in lines)
        return max(text, PICTURE[1]) + 10

    def _draw(self, cue: Cue, lines: list[tuple[str, float, bool]], top: float) -> None:
        picture = self.pictures.get(cue.id)
        if picture:
            wide, tall = PICTURE
            self.canvas.drawImage(
                ImageReader(io.BytesIO(picture)),
                MARGIN,
                top - tall - 4,
                wide,
                tall,
                preserveAspectRatio=True,
            )

        y = top - 4
        for text, size, bold in lines:
            y -= size * 1.3
            self._say(MARGIN + PICTURE[0] + 8, y + size * 0.3, text, size, bold)

        low = top - self._height(lines) + 2
        self.canvas.setLineWidth(0.2)
        self.canvas.line(MARGIN, low, A4[0] - MARGIN, low)

    def _say(
        self, x: float, y: float, text: str, size: float, bold: bool = False
    ) -> None:
        self.canvas.setFont(self.bold if bold else self.plain, size)
        self.canvas.drawString(x, y, text)
