"""The fixture in hand: its name, its address with the switches to set, where it hangs;
its channels; and why.
"""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QShowEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from choreon.language import plural, sentences, tr
from choreon.model import edits, patch
from choreon.model.colours import read_hex
from choreon.model.show import MAX_UNIVERSE, SLOTS, Fixture
from choreon.render.commands import commands_of
from choreon.terms import term
from choreon.ui import renaming, theme, words
from choreon.ui.parts import Parts
from choreon.ui.rig.plan import take_down
from choreon.ui.rig.slip import Slip
from choreon.ui.rig.strips import Strips
from choreon.ui.rig.why import WhyCard
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import flow
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.tick import Tick
from choreon.ui.widgets.values import ValueField

PLACE = (
    (tr("Across"), "x", -40, 40),
    (tr("Upstage"), "y", -40, 40),
    (tr("Height"), "z", 0, 30),
)
TURN = (
    (tr("Yaw"), "yaw", -180, 180),
    (tr("Pitch"), "pitch", -180, 180),
    (tr("Roll"), "roll", -180, 180),
)
TABS = (tr("Fixture"), tr("Channels"), tr("Why"))

SEVERAL = tr("several")


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
            tr(
                "Nothing in hand. Press a fixture on the plan, or a block in the "
                "addresses below."
            ),
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
        self.setMinimumWidth(258)
        parts.selection.changed.connect(lambda _: self._fill())
        parts.document.show_changed.connect(lambda _: self._fill())
        self._fill()

    def _make_tabs(self) -> QWidget:
        self.tabs = QButtonGroup(self)
        made = []
        tips = (
            tr("Name, address, place"),
            tr("Every channel, live"),
            tr("Why a slot has its value (the right button on a slot)"),
        )

        for i, (name, tip) in enumerate(zip(TABS, tips, strict=True)):
            button = basics.button(name, partial(self.go, i), "quiet", tip=tip)
            button.setCheckable(True)
            button.setStyleSheet("padding: 5px 10px; min-width: 20px;")
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
        self.gel.setPlaceholderText(tr("none"))
        self.gel.setToolTip(
            tr(
                "The colour of the filter in front of a fixture without colours of its "
                "own, as #RRGGBB"
            )
        )

        self.gel.setAccessibleName(tr("Gel"))
        self.gel.editingFinished.connect(self._set_gel)
        self.gel_colour = basics.button(
            "", self._pick_gel, "quiet", tip=tr("Pick the gel's colour")
        )

        self.gel_colour.setFixedSize(34, 28)
        self.number = NumberField(tr("Number"), 0, 999_999, 0, none=tr("none"))
        self.universe = NumberField(tr("Universe"), 1, MAX_UNIVERSE, 1)
        self.address = NumberField(tr("Address"), 1, SLOTS, 1)
        self.slip = Slip()
        lines = (
            (self.name, tr("Name"), "name", tr("What it is called everywhere")),
            (
                self.short,
                tr("Short name"),
                "short",
                tr("Typed on the stage, it chooses the fixture; it stands on the plan"),
            ),
            (
                self.note,
                tr("Note"),
                "note",
                tr("For yourself; it is printed on the hang list"),
            ),
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

        self.reversed = Tick(tr("Cells from the other end"))
        self.reversed.setToolTip(
            tr(
                "Its first cell is where its last was: for a bar that hangs the other "
                "way round"
            )
        )

        self.reversed.toggled.connect(lambda on: self._flag("reversed", on))
        self.lamp_on = Tick(tr("Lamp on when the show opens"))
        self.lamp_on.setToolTip(tr("Lamp on is sent to it when the show opens"))
        self.lamp_on.toggled.connect(lambda on: self._flag("lamp_on", on))
        self.identify = basics.button(
            tr("Identify"),
            lambda: parts.engine.blink(parts.selection.chosen),
            "",
            "identify",
            tr("Blinks for 8 seconds, above all else (I)"),
        )

        self.swap = basics.button(
            tr("Swap…"),
            self.swap_asked.emit,
            "",
            "swap",
            tr("Another mode or type; programming is kept"),
        )

        self.down = basics.button(
            tr("Take down"), lambda: take_down(parts), "quiet", "trash"
        )

    def _make_lamp(self) -> QWidget:
        self.details = QWidget()
        self.gel_line = basics.row(self._soft(tr("Gel")), self.gel, self.gel_colour)
        basics.stack(
            self.details,
            self.title,
            self.kind,
            self.trouble,
            basics.row(self.identify, self.swap, 1, spacing=4),
            self._line(tr("Name"), self.name),
            basics.row(
                self._soft(tr("Short")),
                self.short,
                basics.label(tr("No"), "soft"),
                self.number,
            ),
            basics.label(tr("Set on the fixture"), "heading"),
            flow(
                basics.row(basics.label(tr("Universe"), "soft"), self.universe),
                basics.row(basics.label(tr("Address"), "soft"), self.address),
            ),
            self.slip,
            basics.label(tr("Place"), "heading"),
            *(self.fields[k] for _, k, *_ in PLACE),
            basics.label(tr("Hanging"), "heading"),
            *(self.fields[k] for _, k, *_ in TURN),
            self.reversed,
            self.lamp_on,
            self.gel_line,
            self._line(tr("Note"), self.note),
            basics.row(1, self.down),
            spacing=6,
        )

        page = QWidget()
        basics.stack(page, self.empty, self.details)
        return page

    def _soft(self, text: str) -> QWidget:
        title = basics.name_label(text, "soft")
        title.setFixedWidth(40)
        return title

    def _line(self, text: str, widget: QWidget) -> QWidget:
        return basics.row(self._soft(text), widget)

    def showEvent(self, event: QShowEvent) -> None:
        self._fill()

    def _fill(self) -> None:
        if not self.isVisible():
            return  # it is filled when it is looked at
        known = self.parts.document.show.fixtures
        fixtures = [known[i] for i in self.parts.selection.chosen if i in known]
        self.empty.setVisible(not fixtures)
        self.details.setVisible(bool(fixtures))

        if not fixtures:
            return
        self._busy = True
        self._fill_names(fixtures)
        self._fill_flags(fixtures)
        self._fill_gel(fixtures)
        self._fill_address(fixtures)

        for _, key, *_ in (*PLACE, *TURN):
            part = "place" if key in "xyz" else "hanging"
            values = [getattr(getattr(f, part), key) for f in fixtures]
            low, high = min(values), max(values)
            if high - low < 1e-6:
                self.fields[key].set_value(low, None)
            else:
                self.fields[key].set_value(None, (low, high))

        self._busy = False

    def _fill_names(self, fixtures: list[Fixture]) -> None:
        """What they are called, what they are, and what is wrong with them."""
        first, alone = fixtures[0], len(fixtures) == 1
        self.title.setText(
            first.name
            if alone
            else plural(len(fixtures), "{n} fixture", "{n} fixtures")
        )
        kinds = sorted({self._kind_of(fixture) for fixture in fixtures})
        self.kind.setText("\n".join(kinds[:3]))
        self._tell_trouble(fixtures)

        for widget, text in ((self.name, first.name), (self.short, first.short)):
            widget.setEnabled(alone)
            widget.setText(text if alone else "")
            widget.setPlaceholderText("" if alone else SEVERAL)

        self.number.setValue(first.number)
        notes = {fixture.note for fixture in fixtures}
        self.note.setText(first.note if len(notes) == 1 else "")

    def _tell_trouble(self, fixtures: list[Fixture]) -> None:
        wanted = tuple(f"fixtures/{fixture.id}/" for fixture in fixtures)
        known = self.parts.document.rig_problems()
        problems = [p for p in known if p.path.startswith(wanted)]
        self.trouble.setText("\n".join(f"▲ {p.text}" for p in problems[:3]))
        self.trouble.setVisible(bool(problems))

    def _kind_of(self, fixture: Fixture) -> str:
        kind = self.parts.document.show.types.get(fixture.type)
        if kind is None:
            return tr("Unknown type “{type}”", type=fixture.type)
        return tr("{label} · {mode}", label=kind.label, mode=fixture.mode)

    def _fill_flags(self, fixtures: list[Fixture]) -> None:
        """Ticks for those that have cells, and for those with a lamp to be lit."""
        types = self.parts.document.show.types
        modes = [patch.mode_of(types, fixture) for fixture in fixtures]
        celled = any(mode is not None and len(mode.cells) > 1 for mode in modes)
        self.reversed.setVisible(celled)
        self.reversed.setChecked(all(fixture.reversed for fixture in fixtures))
        lamps = [fixture for fixture in fixtures if self._has_lamp(fixture)]
        self.lamp_on.setVisible(bool(lamps))
        self.lamp_on.setChecked(bool(lamps) and all(f.lamp_on for f in lamps))

    def _has_lamp(self, fixture: Fixture) -> bool:
        """Whether a fixture has a lamp that is lit by a command."""
        kind = self.parts.document.show.types.get(fixture.type)
        if kind is None:
            return False
        return any(command.lamp_on for command in commands_of(kind, fixture.mode))

    def _fill_address(self, fixtures: list[Fixture]) -> None:
        first, alone = fixtures[0], len(fixtures) == 1
        self.universe.setValue(first.universe)
        self.address.setValue(first.address)
        what = tr("Its first slot")
        if not alone:
            what = tr("The first one's address; the others follow in their order")
        self.address.setToolTip(
            tr(
                "{what}, 1 to {slots}: type it, or turn the wheel",
                what=what,
                slots=SLOTS,
            )
        )
        self.slip.show_address(first.address, first.mode if alone else "")

    def _text(self, field: str, text: str) -> None:
        """A name, a short name or a note was typed."""
        chosen, document = self.parts.selection.chosen, self.parts.document
        text = text.strip()
        if field == "note" and chosen and not self._busy:
            self._flag("note", text)
            return

        if self._busy or len(chosen) != 1 or not text:
            return
        fixture = document.show.fixtures[chosen[0]]

        if getattr(fixture, field) == text:
            return
        called = edits.name_for(document.show, fixture.id, field, text)
        changes = {fixture.id: {field: called}}
        changed = edits.change_fixtures(document.show, changes)
        document.edit(tr("rename {name}", name=fixture.name), changed)
        renaming.tell(self.parts, text, called)

    def _readdress(self) -> None:
        """Give the chosen addresses that follow each other, where there is room."""
        show, chosen = self.parts.document.show, self.parts.selection.chosen
        universe, address = self.universe.value(), self.address.value()
        first = show.fixtures[chosen[0]] if chosen else None

        if self._busy or first is None:
            return
        if (universe, address) == (first.universe, first.address):
            return
        changes, spans = {}, []

        for fixture in chosen:
            changes[fixture] = {"universe": universe, "address": address}
            slots = patch.footprint(show, show.fixtures[fixture])
            spans.append((address, address + slots - 1))
            address += slots

        inside = [span for span in spans if span[0] <= SLOTS]
        taken = patch.taken_by(show, universe, inside, changes)
        if spans[-1][1] > SLOTS:
            why = tr("It would end on slot {spans}, past 512.", spans=spans[-1][1])
        elif taken:
            why = plural(
                len(taken),
                "{names} is there already.",
                "{names} are there already.",
                names=words.fixtures_named(show, taken),
            )
        else:
            changed = edits.change_fixtures(show, changes)
            self.parts.document.edit(tr("readdress {n}", n=len(changes)), changed)
            return

        self.parts.notices.told.emit(
            sentences(why, tr("The address stays as it was.")), "alarm"
        )

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
            plural(
                len(changes),
                "{what} of {n} fixture",
                "{what} of {n} fixtures",
                what=term(part),
            ),
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
                plural(
                    len(changes),
                    "{what} of {n} fixture",
                    "{what} of {n} fixtures",
                    what=term(field),
                ),
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
        self.gel.setPlaceholderText(SEVERAL if gels else tr("none"))
        ground = gel or "transparent"
        self.gel_colour.setStyleSheet(
            f"background: {ground}; border: 1px solid {theme.BATTEN};"
        )

    def _set_gel(self) -> None:
        text = self.gel.text().strip()
        if (
            self._busy
            or not self.parts.selection.chosen
            or (not text and self.gel.placeholderText() == SEVERAL)
        ):
            return

        found = read_hex(text) if text else ""
        if found is None:
            self.parts.notices.told.emit(
                tr("“{text}” is no colour; the gel stays. Try #FFC864", text=text),
                "alarm",
            )
            self._fill()
        else:
            self._flag("gel", found)

    def _pick_gel(self) -> None:
        found = QColorDialog.getColor(
            QColor(self.gel.text() or "#FFFFFF"), self, tr("Gel")
        )
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
                tr("renumber {n}", n=len(chosen)),
                edits.renumber(show, chosen, self.number.value()),
            )
