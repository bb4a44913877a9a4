"""Put the chosen in a line, on an arc, in a grid: in numbers, shown on the plan while
they are set.
"""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame

from choreon.language import tr
from choreon.model import arrange, edits
from choreon.model.show import Place
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.values import ValueField

COLUMNS = tr("Columns")
FIELDS = {
    "line": ((tr("From x"), -4.0), ("y", 2.0), (tr("to x"), 4.0), ("y ", 2.0)),
    "arc": (
        (tr("Middle x"), 0.0),
        ("y", 2.0),
        (tr("Radius"), 3.0),
        (tr("from °"), 0.0),
        (tr("to °"), 180.0),
    ),
    "grid": (
        (tr("From x"), -2.0),
        ("y", 1.0),
        (COLUMNS, 4.0),
        (tr("Step across"), 1.0),
        (tr("Step up"), 1.0),
    ),
}
TITLES = {"line": tr("In a line"), "arc": tr("On an arc"), "grid": tr("In a grid")}


class ArrangeBar(QFrame):
    """A bar over the plan with the numbers of an arrangement."""

    previewed = Signal(dict)

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.how = ""
        self.setObjectName("arrange")
        self.setStyleSheet(
            f"#arrange {{ background: {theme.DECK}; border: 1px dashed {theme.DRAFT};"
            f" border-radius: {theme.RADIUS}px; }}"
        )

        self.title = basics.label("", "heading")
        self.fields: list[ValueField] = []
        self.box = basics.row(spacing=4)
        line = self.box.layout()
        assert line is not None
        self.line = line
        take = basics.button(tr("Place them"), self.take, "main", "check")
        leave = basics.button(
            tr("Cancel"), self.leave, "quiet", tip=tr("Leave them where they are (Esc)")
        )

        basics.stack(
            self, basics.row(self.title, 1, leave, take), self.box, spacing=6
        ).setContentsMargins(12, 8, 8, 8)

        parts.selection.changed.connect(lambda _: self.leave())
        self.hide()

    def begin(self, how: str) -> None:
        """Offer an arrangement; its numbers begin where the chosen are."""
        chosen = self._chosen()
        if not chosen:
            return
        self.how = how
        self.title.setText(tr("{how}: {n}", how=TITLES[how], n=len(chosen)))
        basics.clear(self.line)
        self.fields = []
        starts = self._starts(how, list(chosen.values()))

        for (title, _), value in zip(FIELDS[how], starts, strict=True):
            low, high, digits = (
                (1, 50, 0)
                if title == COLUMNS
                else (-360, 360, 1)
                if "°" in title
                else (-40, 40, 2)
            )
            field = ValueField(
                title.strip(),
                low,
                high,
                "" if digits < 2 else "m",
                digits,
                None,
                bar=False,
            )
            field.set_value(value)
            field.changed.connect(lambda _: self._preview())
            self.fields.append(field)
            self.line.addWidget(field)

        self.show()
        self._preview()

    def _starts(self, how: str, places: list[Place]) -> list[float]:
        xs, ys = [p.x for p in places], [p.y for p in places]
        if how == "line":
            return [places[0].x, places[0].y, places[-1].x, places[-1].y]
        if how == "arc":
            return [
                sum(xs) / len(xs),
                sum(ys) / len(ys),
                max(1.0, (max(xs) - min(xs)) / 2),
                180.0,
                0.0,
            ]
        columns = max(1, round(len(places) ** 0.5))
        return [min(xs), min(ys), columns, 1.0, 1.0]

    def _chosen(self) -> dict[str, Place]:
        fixtures = self.parts.document.show.fixtures
        return {
            i: fixtures[i].place for i in self.parts.selection.chosen if i in fixtures
        }

    def places(self) -> dict[str, Place]:
        """Where the numbers put the chosen."""
        chosen = self._chosen()
        now = list(chosen.values())
        v = [f.value or 0.0 for f in self.fields]
        if self.how == "line":
            made = arrange.in_line(now, (v[0], v[1]), (v[2], v[3]))
        elif self.how == "arc":
            made = arrange.on_arc(now, (v[0], v[1]), v[2], v[3], v[4])
        else:
            made = arrange.in_grid(now, (v[0], v[1]), int(v[2]), v[3], v[4])
        return dict(zip(chosen, made, strict=True))

    def _preview(self) -> None:
        self.previewed.emit(self.places())

    def take(self) -> None:
        """Place them so."""
        if self.how:
            put(self.parts, TITLES[self.how], self.places())
        self.leave()

    def leave(self) -> None:
        """Put the bar away; what was shown is not kept."""
        if self.how:
            self.how = ""
            self.previewed.emit({})
            self.hide()


def put(parts: Parts, name: str, places: dict[str, Place]) -> None:
    """Give fixtures places, as one step."""
    changes = {i: {"place": p} for i, p in places.items()}
    parts.document.edit(
        tr("{name}: {n}", name=name, n=len(changes)),
        edits.change_fixtures(parts.document.show, changes),
    )
