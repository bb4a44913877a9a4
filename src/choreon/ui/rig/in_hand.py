"""The fixture in hand: its name, its address with the switches to set, and where it hangs."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from choreon.model import edits, patch
from choreon.model.checks import check
from choreon.model.show import MAX_UNIVERSE, SLOTS
from choreon.ui import theme, words
from choreon.ui.rig.plan import take_down
from choreon.ui.session import Session
from choreon.ui.widgets import basics
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.values import ValueField

PLACE = (("Across", "x", -20, 20), ("Upstage", "y", -20, 20), ("Height", "z", 0, 20))
TURN = (("Yaw", "yaw", -180, 180), ("Pitch", "pitch", -180, 180), ("Roll", "roll", -180, 180))


class InHand(QWidget):
    """One fixture, or what several have in common."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._busy = False
        self.title = basics.label("", "big", wrap=True)
        self.kind = basics.label("", "soft", wrap=True)
        self.trouble = basics.label("", "alarm", wrap=True)
        self.name = QLineEdit()
        self.short = QLineEdit()
        self.universe = NumberField("Universe", 1, MAX_UNIVERSE, 1)
        self.address = NumberField("Address", 1, SLOTS, 1)
        self.slip = Slip()
        self.name.setAccessibleName("Name")
        self.short.setAccessibleName("Short name")
        self.name.editingFinished.connect(lambda: self._text("name", self.name.text()))
        self.short.editingFinished.connect(lambda: self._text("short", self.short.text()))
        for number in (self.universe, self.address):
            number.editingFinished.connect(self._readdress)
        self.fields: dict[str, ValueField] = {}
        for title, key, low, high in (*PLACE, *TURN):
            unit, digits, home = ("m", 2, None) if key in "xyz" else ("°", 0, 0.0)
            field = ValueField(title, low, high, unit, digits, home, bar=False)
            field.changed.connect(lambda value, k=key: self._set(k, value))
            self.fields[key] = field
        self.down = basics.button("Take down", lambda: take_down(session), "quiet", "trash")
        self.empty = basics.label(
            "Nothing in hand. Click a lamp on the plan, or a block in the addresses below.", "soft", wrap=True
        )
        self.details = QWidget()
        basics.stack(
            self.details,
            self.title,
            self.kind,
            self.trouble,
            self._line("Name", self.name),
            self._line("Short", self.short),
            basics.label("Set on the lamp", "heading"),
            basics.row(basics.label("Universe", "soft"), self.universe, basics.label("address", "soft"), self.address),
            self.slip,
            basics.label("Place", "heading"),
            *(self.fields[k] for _, k, *_ in PLACE),
            basics.label("Hanging", "heading"),
            *(self.fields[k] for _, k, *_ in TURN),
            basics.row(1, self.down),
            spacing=6,
        )
        inner = QWidget()
        basics.stack(inner, self.empty, self.details, 1, margins=12)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(basics.panel(basics.scroller(inner), margins=0))
        self.setMinimumWidth(220)
        session.chosen_changed.connect(lambda _: self._fill())
        session.show_changed.connect(lambda _: self._fill())
        self._fill()

    def _line(self, text: str, widget: QWidget) -> QWidget:
        title = basics.label(text, "soft")
        title.setFixedWidth(48)
        return basics.row(title, widget)

    def _fill(self) -> None:
        show, chosen = self.session.show, [i for i in self.session.chosen if i in self.session.show.fixtures]
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
            f"{show.types[f.type].label} · {f.mode}" if f.type in show.types else f"Unknown type “{f.type}”"
            for f in fixtures
        }
        self.kind.setText("\n".join(sorted(kinds)[:3]))
        problems = [p for p in check(show) if any(p.path.startswith(f"fixtures/{i}/") for i in chosen)]
        self.trouble.setText("\n".join(f"▲ {p.text}" for p in problems[:3]))
        self.trouble.setVisible(bool(problems))
        for widget, text in ((self.name, one.name), (self.short, one.short)):
            widget.setEnabled(alone)
            widget.setText(text if alone else words.some([f.name for f in fixtures], 2))
        self.universe.setValue(one.universe)
        self.address.setValue(one.address)
        self.address.setToolTip("" if alone else "The first one's address; the others follow in their order")
        self.slip.show_address(one.address, one.mode if alone else "")
        for _, key, *_ in (*PLACE, *TURN):
            values = [getattr(f.place if key in "xyz" else f.hanging, key) for f in fixtures]
            same = max(values) - min(values) < 1e-6
            self.fields[key].set_value(values[0] if same else None, None if same else (min(values), max(values)))
        self._busy = False

    def _text(self, field: str, text: str) -> None:
        chosen = self.session.chosen
        if self._busy or len(chosen) != 1 or not text.strip():
            return
        fixture = self.session.show.fixtures[chosen[0]]
        if getattr(fixture, field) == text.strip():
            return
        others = [f for f in self.session.show.fixtures.values() if f.id != fixture.id]
        if any(getattr(f, field) == text.strip() for f in others):
            self.session.told.emit(f"Another fixture is called {text.strip()}; the name stays {fixture.name}.", "alarm")
            self._fill()
            return
        changed = edits.change_fixtures(self.session.show, {fixture.id: {field: text.strip()}})
        self.session.edit(f"rename {fixture.name}", changed)

    def _readdress(self) -> None:
        show = self.session.show
        universe, address = self.universe.value(), self.address.value()
        first = show.fixtures[self.session.chosen[0]] if self.session.chosen else None
        if self._busy or first is None or (universe, address) == (first.universe, first.address):
            return
        changes, spans = {}, []
        for i in self.session.chosen:
            changes[i] = {"universe": universe, "address": address}
            slots = patch.footprint(show, show.fixtures[i])
            spans.append((address, address + slots - 1))
            address += slots
        taken = patch.taken_by(show, universe, [s for s in spans if s[0] <= SLOTS], changes)
        if spans[-1][1] > SLOTS:
            self.session.told.emit(
                f"It would end on slot {spans[-1][1]}, past 512. The address stays as it was.", "alarm"
            )
        elif taken:
            names = words.some([show.fixtures[i].name for i in taken])
            self.session.told.emit(f"{names} already there. The address stays as it was.", "alarm")
        else:
            self.session.edit(f"readdress {len(changes)}", edits.change_fixtures(show, changes))
            return
        self._fill()

    def _set(self, key: str, value: float) -> None:
        if self._busy:
            return
        show = self.session.show
        part = "place" if key in "xyz" else "hanging"
        changes = {
            i: {part: edits.replace(getattr(show.fixtures[i], part), **{key: value})} for i in self.session.chosen
        }
        self.session.edit(f"{part} of {len(changes)}", edits.change_fixtures(show, changes), merge=True)


class Slip(QWidget):
    """Ten switches as they stand on the lamp for a start address: the first nine count 1, 2, 4 … 256."""

    def __init__(self) -> None:
        super().__init__()
        self._address = 1
        self.setFixedHeight(66)
        self.setAccessibleName("DIP switches")

    def sizeHint(self) -> QSize:
        return QSize(220, 66)

    def show_address(self, address: int, mode: str) -> None:
        self._address = address
        on = ", ".join(str(i + 1) for i in range(9) if address >> i & 1)
        self.setToolTip(f"Address {address}: switches {on} on" + (f"; mode {mode}" if mode else ""))
        self.update()

    def paintEvent(self, event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)
        step = (self.width() - 16) / 10
        painter.setFont(theme.font(11))
        for i in range(10):
            on = i < 9 and bool(self._address >> i & 1)
            x = 8 + i * step
            well = QRectF(x + step * 0.18, 8, step * 0.64, 34)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.PIT))
            painter.drawRoundedRect(well, 3, 3)
            painter.setBrush(QColor(theme.TEXT if on else theme.FAINT))
            top = well.top() + 2 if on else well.bottom() - 17
            painter.drawRoundedRect(QRectF(well.left() + 2, top, well.width() - 4, 15), 2, 2)
            painter.setPen(QColor(theme.TEXT if on else theme.FAINT))
            painter.drawText(QRectF(x, 44, step, 16), Qt.AlignmentFlag.AlignHCenter, str(i + 1))
