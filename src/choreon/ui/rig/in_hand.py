"""The fixture in hand: its name, its address with the switches to set, where it hangs;
its channels; and why.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QColorDialog,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from choreon.model import edits, patch
from choreon.model.colours import read_hex
from choreon.model.show import MAX_UNIVERSE, SLOTS, Fixture
from choreon.render.commands import commands_of
from choreon.ui import theme, words
from choreon.ui.parts import Parts
from choreon.ui.rig.plan import take_down
from choreon.ui.rig.slip import Slip
from choreon.ui.rig.strips import Strips
from choreon.ui.rig.why import WhyCard
from choreon.ui.widgets import basics
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.values import ValueField

PLACE = (("Across", "x", -40, 40), ("Upstage", "y", -40, 40), ("Height", "z", 0, 30))
TURN = (
    ("Yaw", "yaw", -180, 180),
    ("Pitch", "pitch", -180, 180),
    ("Roll", "roll", -180, 180),
)
TABS = ("Lamp", "Channels", "Why")


class InHand(QWidget):
    """One fixture, or what several have in common."""

    swap_asked = Signal()

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self._busy = False
        self.title = basics.label("", "big", wrap=True)
        self.kind = basics.label("", "soft", wrap=True)
        self.trouble = basics.label("", "alarm", wrap=True)
        self._make_fields()
        self.empty = basics.label(
            "Nothing in hand. Click a lamp on the plan, or a block in the "
            "addresses below.",
            "soft",
            wrap=True,
        )
        self.lamp = self._make_lamp()
        self.strips = Strips(parts)
        self.why = WhyCard(parts)
        self.stack = QStackedWidget()
        for page in (self.lamp, self.strips, self.why):
            inner = QWidget()
            basics.stack(inner, page, 1, margins=12)
            self.stack.addWidget(basics.scroller(inner))
        panel = basics.panel(self._make_tabs(), self.stack, margins=0, spacing=0)
        basics.grow(panel, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        self.setMinimumWidth(232)
        parts.selection.changed.connect(lambda _: self._fill())
        parts.document.show_changed.connect(lambda _: self._fill())
        self._fill()

    def _make_tabs(self) -> QWidget:
        self.tabs = QButtonGroup(self)
        made = []
        tips = (
            "Name, address, place",
            "Every channel, live",
            "Why a slot has its value (right click on a slot)",
        )
        for i, (name, tip) in enumerate(zip(TABS, tips, strict=True)):
            button = basics.button(name, partial(self.go, i), "quiet", tip=tip)
            button.setCheckable(True)
            button.setStyleSheet("padding: 5px 10px;")
            self.tabs.addButton(button, i)
            made.append(button)
        self.tabs.button(0).setChecked(True)
        row = basics.row(*made, 1, spacing=2)
        row.setContentsMargins(8, 8, 8, 0)
        return row

    def go(self, page: int) -> None:
        """Show the lamp, its channels, or why."""
        self.stack.setCurrentIndex(page)
        self.tabs.button(page).setChecked(True)

    def show_why(self, universe: int, slot: int) -> None:
        """Tell why a slot has its value."""
        self.why.ask(universe, slot)
        self.go(2)

    def _make_fields(self) -> None:
        parts = self.parts
        self.name, self.short, self.note = QLineEdit(), QLineEdit(), QLineEdit()
        self.gel = QLineEdit()
        self.gel.setPlaceholderText("none")
        self.gel.setToolTip(
            "The colour of the filter in front of a lamp without colours of its "
            "own, as #RRGGBB"
        )
        self.gel.setAccessibleName("Gel")
        self.gel.editingFinished.connect(self._set_gel)
        self.gel_colour = basics.button(
            "", self._pick_gel, "quiet", tip="Pick the gel's colour"
        )
        self.gel_colour.setFixedSize(34, 28)
        self.number = NumberField("Number", 0, 999_999, 0, none="none")
        self.universe = NumberField("Universe", 1, MAX_UNIVERSE, 1)
        self.address = NumberField("Address", 1, SLOTS, 1)
        self.slip = Slip()
        lines = (
            (self.name, "Name", "name", "What it is called everywhere"),
            (
                self.short,
                "Short name",
                "short",
                "Typed on the stage, it chooses the fixture; it stands on the plan",
            ),
            (self.note, "Note", "note", "For yourself; it is printed on the hang list"),
        )
        for widget, title, key, tip in lines:
            widget.setAccessibleName(title)
            widget.setToolTip(tip)
            widget.editingFinished.connect(
                lambda w=widget, k=key: self._text(k, w.text())
            )
        self.number.editingFinished.connect(self._renumber)
        for number in (self.universe, self.address):
            number.editingFinished.connect(self._readdress)
        self.fields: dict[str, ValueField] = {}
        for title, key, low, high in (*PLACE, *TURN):
            unit, digits, home = ("m", 2, None) if key in "xyz" else ("°", 0, 0.0)
            field = ValueField(title, low, high, unit, digits, home, bar=False)
            field.changed.connect(lambda value, k=key: self._set(k, value))
            self.fields[key] = field
        self.reversed = QCheckBox("Cells from the other end")
        self.reversed.setToolTip(
            "Its first cell is where its last was: for a bar that hangs the other "
            "way round"
        )
        self.reversed.toggled.connect(lambda on: self._flag("reversed", on))
        self.lamp_on = QCheckBox("Lamp on when the show opens")
        self.lamp_on.setToolTip("Lamp on is sent to it when the show opens")
        self.lamp_on.toggled.connect(lambda on: self._flag("lamp_on", on))
        self.identify = basics.button(
            "Identify",
            lambda: parts.engine.blink(parts.selection.chosen),
            "",
            "identify",
            "Blinks for 8 seconds, above all else (I)",
        )
        self.swap = basics.button(
            "Swap…",
            self.swap_asked.emit,
            "",
            "swap",
            "Another mode or type; programming is kept",
        )
        self.down = basics.button(
            "Take down", lambda: take_down(parts), "quiet", "trash"
        )

    def _make_lamp(self) -> QWidget:
        self.details = QWidget()
        self.gel_line = basics.row(self._soft("Gel"), self.gel, self.gel_colour)
        basics.stack(
            self.details,
            self.title,
            self.kind,
            self.trouble,
            basics.row(self.identify, self.swap, 1, spacing=4),
            self._line("Name", self.name),
            basics.row(
                self._soft("Short"), self.short, basics.label("No", "soft"), self.number
            ),
            basics.label("Set on the lamp", "heading"),
            basics.row(
                basics.label("Universe", "soft"),
                self.universe,
                basics.label("address", "soft"),
                self.address,
            ),
            self.slip,
            basics.label("Place", "heading"),
            *(self.fields[k] for _, k, *_ in PLACE),
            basics.label("Hanging", "heading"),
            *(self.fields[k] for _, k, *_ in TURN),
            self.reversed,
            self.lamp_on,
            self.gel_line,
            self._line("Note", self.note),
            basics.row(1, self.down),
            spacing=6,
        )
        page = QWidget()
        basics.stack(page, self.empty, self.details)
        return page

    def _soft(self, text: str) -> QWidget:
        title = basics.label(text, "soft")
        title.setFixedWidth(40)
        return title

    def _line(self, text: str, widget: QWidget) -> QWidget:
        return basics.row(self._soft(text), widget)

    def showEvent(self, event: QShowEvent) -> None:
        self._fill()

    def _fill(self) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at
        show, chosen = (
            self.parts.document.show,
            [
                i
                for i in self.parts.selection.chosen
                if i in self.parts.document.show.fixtures
            ],
        )
        self.empty.setVisible(not chosen)
        self.details.setVisible(bool(chosen))
        if not chosen:
            return
        self._busy = True
        fixtures = [show.fixtures[i] for i in chosen]
        one = fixtures[0]
        alone = len(fixtures) == 1
        self.title.setText(one.name if alone else f"{len(fixtures)} fixtures")
        kinds = {
            f"{show.types[f.type].label} · {f.mode}"
            if f.type in show.types
            else f"Unknown type “{f.type}”"
            for f in fixtures
        }
        self.kind.setText("\n".join(sorted(kinds)[:3]))
        wanted = tuple(f"fixtures/{i}/" for i in chosen)
        problems = [
            p for p in self.parts.document.rig_problems() if p.path.startswith(wanted)
        ]
        self.trouble.setText("\n".join(f"▲ {p.text}" for p in problems[:3]))
        self.trouble.setVisible(bool(problems))
        for widget, text in ((self.name, one.name), (self.short, one.short)):
            widget.setEnabled(alone)
            widget.setText(text if alone else "")
            widget.setPlaceholderText("" if alone else "several")
        self.number.setValue(one.number)
        self.note.setText(one.note if len({f.note for f in fixtures}) == 1 else "")
        sorts = {(f.type, f.mode): show.types.get(f.type) for f in fixtures}
        self.reversed.setVisible(
            any(
                k and (m := k.mode(mode)) and len(m.cells) > 1
                for (_, mode), k in sorts.items()
            )
        )
        self.reversed.setChecked(all(f.reversed for f in fixtures))
        lit_on = {
            sort
            for sort, k in sorts.items()
            if k and any(c.lamp_on for c in commands_of(k, sort[1]))
        }
        lamps = [f for f in fixtures if (f.type, f.mode) in lit_on]
        self.lamp_on.setVisible(bool(lamps))
        self.lamp_on.setChecked(bool(lamps) and all(f.lamp_on for f in lamps))
        self._fill_gel(fixtures)
        self.universe.setValue(one.universe)
        self.address.setValue(one.address)
        first = (
            "Its first slot"
            if alone
            else "The first one's address; the others follow in their order"
        )
        self.address.setToolTip(f"{first}, 1 to {SLOTS}: type it, or turn the wheel")
        self.slip.show_address(one.address, one.mode if alone else "")
        for _, key, *_ in (*PLACE, *TURN):
            values = [
                getattr(f.place if key in "xyz" else f.hanging, key) for f in fixtures
            ]
            same = max(values) - min(values) < 1e-6
            self.fields[key].set_value(
                values[0] if same else None,
                None if same else (min(values), max(values)),
            )
        self._busy = False

    def _text(self, field: str, text: str) -> None:
        chosen = self.parts.selection.chosen
        if field == "note" and chosen and not self._busy:
            self._flag("note", text.strip())
            return
        if self._busy or len(chosen) != 1 or not text.strip():
            return
        fixture = self.parts.document.show.fixtures[chosen[0]]
        if getattr(fixture, field) == text.strip():
            return
        others = [
            f for f in self.parts.document.show.fixtures.values() if f.id != fixture.id
        ]
        if any(getattr(f, field) == text.strip() for f in others):
            self.parts.notices.told.emit(
                f"Another fixture is called {text.strip()}; the name stays "
                f"{fixture.name}.",
                "alarm",
            )
            self._fill()
            return
        changed = edits.change_fixtures(
            self.parts.document.show, {fixture.id: {field: text.strip()}}
        )
        self.parts.document.edit(f"rename {fixture.name}", changed)

    def _readdress(self) -> None:
        show = self.parts.document.show
        universe, address = self.universe.value(), self.address.value()
        first = (
            show.fixtures[self.parts.selection.chosen[0]]
            if self.parts.selection.chosen
            else None
        )
        if (
            self._busy
            or first is None
            or (universe, address) == (first.universe, first.address)
        ):
            return
        changes, spans = {}, []
        for i in self.parts.selection.chosen:
            changes[i] = {"universe": universe, "address": address}
            slots = patch.footprint(show, show.fixtures[i])
            spans.append((address, address + slots - 1))
            address += slots
        taken = patch.taken_by(
            show, universe, [s for s in spans if s[0] <= SLOTS], changes
        )
        if spans[-1][1] > SLOTS:
            self.parts.notices.told.emit(
                f"It would end on slot {spans[-1][1]}, past 512. The address stays "
                "as it was.",
                "alarm",
            )
        elif taken:
            names = words.some([show.fixtures[i].name for i in taken])
            self.parts.notices.told.emit(
                f"{names} already there. The address stays as it was.", "alarm"
            )
        else:
            self.parts.document.edit(
                f"readdress {len(changes)}", edits.change_fixtures(show, changes)
            )
            return
        self._fill()

    def _set(self, key: str, value: float) -> None:
        if self._busy:
            return
        show = self.parts.document.show
        part = "place" if key in "xyz" else "hanging"
        changes = {
            i: {part: edits.replace(getattr(show.fixtures[i], part), **{key: value})}
            for i in self.parts.selection.chosen
        }
        self.parts.document.edit(
            f"{part} of {len(changes)}",
            edits.change_fixtures(show, changes),
        )

    def _flag(self, field: str, value: object) -> None:
        if self._busy or not self.parts.selection.chosen:
            return
        show = self.parts.document.show
        changes = {
            i: {field: value}
            for i in self.parts.selection.chosen
            if getattr(show.fixtures[i], field) != value
        }
        if changes:
            self.parts.document.edit(
                f"{field.replace('_', ' ')} of {len(changes)}",
                edits.change_fixtures(show, changes),
            )

    def _fill_gel(self, fixtures: list[Fixture]) -> None:
        """Gels are for lamps that cannot colour themselves."""
        sorts = {(f.type, f.mode): f for f in fixtures}.values()
        self.gel_line.setVisible(
            not any(patch.colours_itself(self.parts.document.show, f) for f in sorts)
        )
        gels = {f.gel for f in fixtures}
        gel = gels.pop() if len(gels) == 1 else ""
        self.gel.setText(gel)
        self.gel.setPlaceholderText("several" if gels else "none")
        ground = gel or "transparent"
        self.gel_colour.setStyleSheet(
            f"background: {ground}; border: 1px solid {theme.BATTEN};"
        )

    def _set_gel(self) -> None:
        text = self.gel.text().strip()
        if (
            self._busy
            or not self.parts.selection.chosen
            or (not text and self.gel.placeholderText() == "several")
        ):
            return
        found = read_hex(text) if text else ""
        if found is None:
            self.parts.notices.told.emit(
                f"“{text}” is no colour; the gel stays. Try #FFC864", "alarm"
            )
            self._fill()
        else:
            self._flag("gel", found)

    def _pick_gel(self) -> None:
        found = QColorDialog.getColor(QColor(self.gel.text() or "#FFFFFF"), self, "Gel")
        if found.isValid():
            self._flag("gel", found.name().upper())

    def _renumber(self) -> None:
        show, chosen = self.parts.document.show, self.parts.selection.chosen
        if (
            not self._busy
            and chosen
            and show.fixtures[chosen[0]].number != self.number.value()
        ):
            self.parts.document.edit(
                f"renumber {len(chosen)}",
                edits.renumber(show, chosen, self.number.value()),
            )
