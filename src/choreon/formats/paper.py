"""The rig on paper, black on white: hang list, universes, address slips to cut out,
plan. PDF, A4.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path

from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfbase.ttfonts import TTFError, TTFont
from reportlab.pdfgen.canvas import Canvas

from choreon.formats.apart import PARTS
from choreon.language import listed, tr
from choreon.model import patch
from choreon.model.show import SLOTS, Fixture, Show

MARGIN = 14 * mm
COLUMNS, TALL = 16, 19.0  # slots in a line of a universe, points of its height


class Paper:
    """Writes PDFs of a show. `fonts`: regular and bold TTF files; without them the
    PDF's own Helvetica.
    """

    def __init__(self, show: Show, fonts: tuple[Path, Path] | None = None) -> None:
        self.show = show
        self.plain, self.bold = "Helvetica", "Helvetica-Bold"
        if fonts:
            try:
                for name, path in zip(("Choreon", "Choreon-Bold"), fonts, strict=True):
                    pdfmetrics.registerFont(TTFont(name, str(path)))
                self.plain, self.bold = "Choreon", "Choreon-Bold"
            except (TTFError, OSError):
                pass

    def write(self, parts: Sequence[str] = PARTS) -> bytes:
        """The parts asked for, in one file, each from a page of its own."""
        buffer = io.BytesIO()
        self.canvas = Canvas(buffer, pagesize=A4, invariant=True)
        self.canvas.setTitle(f"{self.show.name}: {', '.join(parts)}")
        self.canvas.setCreator("Choreon")
        for part in parts:
            {
                "hang list": self._hang_list,
                "universes": self._universes,
                "slips": self._slips,
                "plan": self._plan,
            }[part]()
        self.canvas.save()
        return buffer.getvalue()

    # words

    def _text(
        self,
        x: float,
        y: float,
        text: str,
        size: float = 9,
        bold: bool = False,
        width: float = 0.0,
    ) -> None:
        """One line, cut short with an ellipsis where it is wider than `width`."""
        font = self.bold if bold else self.plain
        if width and stringWidth(text, font, size) > width:
            while text and stringWidth(text + "…", font, size) > width:
                text = text[:-1]
            text += "…"
        self.canvas.setFont(font, size)
        self.canvas.drawString(x, y, text)

    def _centre(
        self, x: float, y: float, text: str, size: float, bold: bool = False
    ) -> None:
        self.canvas.setFont(self.bold if bold else self.plain, size)
        self.canvas.drawCentredString(x, y, text)

    def _page(self, title: str, size: tuple[float, float] = A4) -> float:
        """Begin a page; gives the height at which its content begins."""
        self.canvas.setPageSize(size)
        width, height = size
        top = height - MARGIN
        room = f" · {self.show.room.name}" if self.show.room.name else ""
        self._text(
            MARGIN,
            top - 4,
            f"{self.show.name}{room}",
            13,
            True,
            width - 2 * MARGIN - 60 * mm,
        )

        self._text(
            width - MARGIN - stringWidth(title, self.plain, 11), top - 4, title, 11
        )

        self.canvas.setLineWidth(0.8)
        self.canvas.line(MARGIN, top - 10, width - MARGIN, top - 10)
        self._text(
            MARGIN,
            MARGIN - 18,
            tr("Page {number}", number=self.canvas.getPageNumber()),
            8,
        )

        return top - 26

    def _type(self, fixture: Fixture) -> str:
        kind = self.show.types.get(fixture.type)
        return kind.label if kind else tr("unknown: {type}", type=fixture.type)

    # the hang list

    def _hang_list(self) -> None:
        columns: tuple[tuple[str, int], ...] = (
            (tr("No"), 0),
            (tr("Name"), 24),
            (tr("Short"), 118),
            (tr("Type"), 168),
            (tr("Mode"), 284),
            (tr("Address"), 358),
        )

        columns += ((tr("Slots"), 404), (tr("Across, upstage, height"), 440))
        y = 0.0
        for fixture in sorted(
            self.show.fixtures.values(), key=lambda f: (f.universe, f.address, f.name)
        ):
            if y < MARGIN + 14:
                if y:
                    self.canvas.showPage()
                y = self._page(tr("Hang list"))
                for title, x in columns:
                    self._text(MARGIN + x, y, title, 8, True)
                y -= 14
            slots = patch.footprint(self.show, fixture)
            place = f"{fixture.place.x:g}, {fixture.place.y:g}, {fixture.place.z:g} m"
            cells: tuple[str, ...] = (
                str(fixture.number or ""),
                fixture.name,
                fixture.short,
                self._type(fixture),
                fixture.mode,
            )
            cells += (f"{fixture.universe}.{fixture.address}", str(slots), place)
            for (_, x), (_, after), cell in zip(
                columns, (*columns[1:], ("", 530)), cells, strict=True
            ):
                self._text(MARGIN + x, y, cell, 8.5, x == 358, after - x - 4)
            self.canvas.setLineWidth(0.2)
            self.canvas.line(MARGIN, y - 3, A4[0] - MARGIN, y - 3)
            y -= 13

        if not self.show.fixtures:
            self._text(MARGIN, self._page(tr("Hang list")), tr("Nothing hangs yet."))
        self.canvas.showPage()

    # a page for each universe

    def _universes(self) -> None:
        for universe in patch.universes(self.show) or [1]:
            self._universe(universe)

    def _universe(self, universe: int) -> None:
        """A sheet of the 512 slots, and what clashes."""
        top = self._page(tr("Universe {universe}", universe=universe))
        taken = patch.occupied(self.show, universe)
        self.canvas.setLineWidth(0.3)

        for slot in range(1, SLOTS + 1):
            self._slot_box(slot, taken.get(slot, []), top)
        y = top - SLOTS // COLUMNS * TALL - 12
        self._text(
            MARGIN, y, tr("{n} of {slots} slots taken.", n=len(taken), slots=SLOTS), 9
        )

        clashes = [c for c in patch.clashes(self.show) if c.universe == universe]
        for clash in clashes[:3]:
            names = (self.show.fixtures[i].name for i in (clash.one, clash.other))
            text = tr(
                "Clash: {names} on {first}–{last}.",
                names=listed(names),
                first=clash.first,
                last=clash.last,
            )
            y -= 11
            self._text(MARGIN, y, text, 9, True)

        self.canvas.showPage()

    def _slot_box(self, slot: int, here: list[str], top: float) -> None:
        """One slot, with the fixtures that begin there."""
        wide = (A4[0] - 2 * MARGIN) / COLUMNS
        row, column = divmod(slot - 1, COLUMNS)
        x, y = MARGIN + column * wide, top - (row + 1) * TALL
        if len(here) > 1:
            self._hatch(x, y, wide, TALL)
        self.canvas.rect(x, y, wide, TALL)
        self._text(x + 2, y + TALL - 7, str(slot), 5.5)
        fixtures = [self.show.fixtures[i] for i in here]
        first = [fixture.short for fixture in fixtures if fixture.address == slot]
        if first:
            self._text(x + 2, y + 3, " / ".join(first), 8, True, wide - 3)
        elif here:
            self.canvas.line(x + 3, y + 6, x + wide - 3, y + 6)

    def _hatch(self, x: float, y: float, wide: float, tall: float) -> None:
        self.canvas.saveState()
        path = self.canvas.beginPath()
        path.rect(x, y, wide, tall)
        self.canvas.clipPath(path, stroke=0)
        for i in range(0, int(wide + tall), 4):
            self.canvas.line(x + i - tall, y, x + i, y + tall)
        self.canvas.restoreState()

    # slips

    def _slips(self) -> None:
        columns, rows = 2, 5
        wide, tall = (A4[0] - 2 * MARGIN) / columns, (A4[1] - 2 * MARGIN - 30) / rows
        fixtures = sorted(
            self.show.fixtures.values(), key=lambda f: (f.universe, f.address, f.name)
        )

        for i, fixture in enumerate(fixtures):
            at = i % (columns * rows)
            if at == 0:
                if i:
                    self.canvas.showPage()
                top = self._page(tr("Address slips"))
            self._slip(
                fixture,
                MARGIN + (at % columns) * wide,
                top + 8 - (at // columns + 1) * tall,
                wide,
                tall,
            )

        if not fixtures:
            self._text(
                MARGIN, self._page(tr("Address slips")), tr("Nothing hangs yet.")
            )

        self.canvas.showPage()

    def _slip(
        self, fixture: Fixture, x: float, y: float, wide: float, tall: float
    ) -> None:
        self.canvas.setLineWidth(0.4)
        self.canvas.setDash(3, 3)
        self.canvas.rect(x, y, wide, tall)
        self.canvas.setDash()
        left, top = x + 10, y + tall - 20
        self._text(left, top, fixture.name, 14, True, wide - 70)
        number = (
            tr("No {number}", number=fixture.number)
            if fixture.number
            else fixture.short
        )

        self._text(x + wide - 12 - stringWidth(number, self.plain, 10), top, number, 10)
        self._text(
            left,
            top - 15,
            f"{self._type(fixture)} · {fixture.mode}",
            9,
            False,
            wide - 20,
        )

        self._text(left, top - 34, tr("Universe"), 8)
        self._text(left + 42, top - 37, str(fixture.universe), 18, True)
        self._text(left + 92, top - 34, tr("Address"), 8)
        self._text(left + 130, top - 37, f"{fixture.address:03d}", 22, True)
        place = tr(
            "{x:g} m across, {y:g} m upstage, {z:g} m up",
            x=fixture.place.x,
            y=fixture.place.y,
            z=fixture.place.z,
        )

        self._text(left, y + 10, fixture.note or place, 7.5, False, wide - 20)
        self._switches(fixture.address, left, y + 24, wide - 20)

    def _switches(self, address: int, x: float, y: float, wide: float) -> None:
        """Ten switches; the first nine count 1, 2, 4 … 256, up is on."""
        step = min(22.0, wide / 10)
        self.canvas.setLineWidth(0.6)
        self.canvas.setFillGray(0)

        for i in range(10):
            on = i < 9 and bool(address >> i & 1)
            left = x + i * step + 3
            self.canvas.rect(left, y + 10, step - 8, 24)
            self.canvas.rect(
                left + 1.5,
                y + (22.5 if on else 11.5),
                step - 11,
                10,
                stroke=1,
                fill=1 if on else 0,
            )
            self._centre(left + (step - 8) / 2, y + 1, str(i + 1), 7, on)

        self._text(x + 10 * step + 4, y + 26, "on", 7)

    # the plan

    def _plan(self) -> None:
        size = landscape(A4)
        top = self._page(tr("Plan from above"), size)
        room = self.show.room
        wide, deep = room.width + 2.4, room.depth + room.house + 1.4
        scale = min((size[0] - 2 * MARGIN) / wide, (top - MARGIN - 14) / deep)
        middle = size[0] / 2
        base = MARGIN + 14 + scale * (room.house + 0.2)

        def at(x: float, y: float) -> tuple[float, float]:
            return middle + scale * x, base + scale * y

        canvas = self.canvas
        canvas.setLineWidth(1.2)
        left, low = at(-room.width / 2, 0)
        canvas.rect(left, low, scale * room.width, scale * room.depth)
        self._centre(middle, low - 10, tr("front edge of the stage"), 7)
        for bar in room.bars:
            canvas.setLineWidth(2.0)
            canvas.line(*at(bar.x1, bar.y1), *at(bar.x2, bar.y2))
            end = at(max(bar.x1, bar.x2), bar.y1 if bar.x1 > bar.x2 else bar.y2)
            self._text(end[0] + 4, end[1] - 3, f"{bar.name}, {bar.z:g} m", 7)
        self._furniture(at, scale)
        for fixture in self.show.fixtures.values():
            x, y = at(fixture.place.x, fixture.place.y)
            self._symbol(fixture, x, y)

        canvas.setLineWidth(1)
        canvas.line(MARGIN, MARGIN, MARGIN + scale, MARGIN)
        for i in (0, 1):
            canvas.line(MARGIN + i * scale, MARGIN - 3, MARGIN + i * scale, MARGIN + 3)

        self._text(MARGIN + scale + 5, MARGIN - 3, "1 m", 8)
        canvas.showPage()

    def _furniture(self, at, scale: float) -> None:  # type: ignore[no-untyped-def]
        room, canvas = self.show.room, self.canvas
        canvas.setLineWidth(0.4)
        for i in range(room.seats.rows):
            y = -(room.seats.distance + i * room.seats.spacing)
            canvas.line(*at(-room.seats.width / 2, y), *at(room.seats.width / 2, y))

        if room.screen:
            canvas.setLineWidth(3)
            half = room.screen.width / 2
            canvas.line(
                *at(room.screen.x - half, room.screen.y),
                *at(room.screen.x + half, room.screen.y),
            )

        for area in room.keep_out:
            x, y = at(min(area.x1, area.x2), min(area.y1, area.y2))
            wide, tall = scale * abs(area.x2 - area.x1), scale * abs(area.y2 - area.y1)
            canvas.setLineWidth(0.4)
            self._hatch(x, y, wide, tall)
            canvas.rect(x, y, wide, tall)
            self._text(x + 2, y + 2, area.name, 6)

    def _symbol(self, fixture: Fixture, x: float, y: float) -> None:
        canvas, kind = self.canvas, self.show.types.get(fixture.type)
        body = kind.body if kind else "unknown"
        canvas.saveState()
        canvas.translate(x, y)
        canvas.rotate(fixture.hanging.yaw)
        canvas.setLineWidth(0.8)
        canvas.setFillGray(1)

        if body in ("bar", "tape", "multi"):
            canvas.rect(-17, -3, 34, 6, fill=1)
        elif body in ("spot", "wash", "beam", "scanner", "mirror"):
            canvas.rect(-7, -7, 14, 14, fill=1)
            canvas.circle(0, 0, 4.5)
        elif body in ("panel", "strobe", "blinder", "hazer", "fan", "pack"):
            canvas.rect(-9, -5, 18, 10, fill=1)
        elif body == "dot":
            canvas.rect(-2.5, -2.5, 5, 5, fill=1)
        elif body in ("profile", "fresnel"):
            path = canvas.beginPath()
            path.moveTo(-4, -7)
            for px, py in ((4, -7), (6, 6), (-6, 6)):
                path.lineTo(px, py)
            path.close()
            canvas.drawPath(path, fill=1)
        else:
            canvas.circle(0, 0, 6.5, fill=1)

        canvas.restoreState()
        canvas.setFillGray(0)
        if body != "dot":
            self._centre(x, y - 16, fixture.short, 6.5, True)
            self._centre(x, y - 23, f"{fixture.universe}.{fixture.address}", 6)
