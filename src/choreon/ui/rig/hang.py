"""Hang fixtures: which type and mode, how many, from which address; clashes are told before anything is placed."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from choreon.library import library
from choreon.model import edits, patch
from choreon.model.fixture_type import FixtureType
from choreon.model.show import MAX_UNIVERSE, SLOTS, Hanging, Place
from choreon.ui import words
from choreon.ui.rig.ghost import Ghost
from choreon.ui.session import Session
from choreon.ui.widgets import basics
from choreon.ui.widgets.numbers import NumberField

ID = Qt.ItemDataRole.UserRole
MOST = 200


class HangPanel(QWidget):
    """Types above, the run to hang below."""

    planned = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._own_address = False
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find a type")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._fill)
        self.types = QListWidget()
        self.types.setAccessibleName("Fixture types")
        self.types.currentItemChanged.connect(lambda *_: self._type_changed())
        self.mode = QComboBox()
        self.mode.setAccessibleName("Mode")
        self.count = NumberField("How many", 1, MOST, 1)
        self.universe = NumberField("Universe", 1, MAX_UNIVERSE, 1)
        self.address = NumberField("Address", 1, SLOTS, 1)
        self.name = QLineEdit()
        self.name.setAccessibleName("Name")
        self.preview = basics.label("", "small", wrap=True)
        self.preview.setMinimumHeight(52)
        self.preview.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.next_free = basics.button("Next free", self._to_free, "quiet", tip="The next address where all of it fits")
        self.go = basics.button("Hang", self.hang, "main", "plus")
        self.mode.currentIndexChanged.connect(lambda _: self._replan(find=True))
        self.count.valueChanged.connect(lambda _: self._replan(find=True))
        self.universe.valueChanged.connect(lambda _: self._replan(find=True))
        self.address.valueChanged.connect(self._address_typed)
        self.address.returnPressed.connect(self._replan)
        form = [
            self._line("Mode", self.mode),
            self._line("How many", self.count),
            basics.row(self._short("Universe"), self.universe, basics.label("Address", "soft"), self.address),
            self._line("Name", self.name),
            self.preview,
            basics.row(self.next_free, 1, self.go),
        ]
        panel = basics.panel(basics.label("Hang", "heading"), self.search, self.types, *form)
        panel.layout().setStretch(2, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        self.setMinimumWidth(268)
        session.show_changed.connect(lambda _: self._replan(find=not self._own_address))
        self._fill()

    def _short(self, text: str) -> QWidget:
        made = basics.label(text, "soft")
        made.setFixedWidth(74)
        return made

    def _line(self, text: str, widget: QWidget) -> QWidget:
        row = basics.row(self._short(text), widget)
        row.layout().setStretch(1, 1)
        return row

    # types

    def kinds(self) -> dict[str, FixtureType]:
        """What can be hung: the library, and the show's own types."""
        return {**library(), **self.session.show.types}

    def _fill(self, _=None) -> None:
        wanted = self.search.text().lower().split()
        now = self.types.currentItem().data(ID) if self.types.currentItem() else ""
        self.types.clear()
        for kind in self.kinds().values():
            text = f"{kind.label} {kind.kind}".lower()
            if all(w in text for w in wanted):
                item = QListWidgetItem(f"{kind.label}  ·  {kind.kind}")
                item.setData(ID, kind.id)
                item.setToolTip(", ".join(f"{m.name} ({m.footprint})" for m in kind.modes))
                self.types.addItem(item)
                if kind.id == now:
                    self.types.setCurrentItem(item)
        if self.types.currentItem() is None and wanted and self.types.count():
            self.types.setCurrentRow(0)
        self._type_changed()

    @property
    def kind(self) -> FixtureType | None:
        item = self.types.currentItem()
        return self.kinds().get(item.data(ID)) if item else None

    def choose_type(self, type_id: str) -> None:
        """Choose a type in the list."""
        for i in range(self.types.count()):
            if self.types.item(i).data(ID) == type_id:
                self.types.setCurrentRow(i)

    def _type_changed(self) -> None:
        kind = self.kind
        self.mode.blockSignals(True)
        self.mode.clear()
        for mode in kind.modes if kind else ():
            slots = mode.footprint
            plain = mode.name.split()[0] == str(slots)
            self.mode.addItem(mode.name if plain else f"{mode.name} ({slots})", mode.name)
        self.mode.blockSignals(False)
        self.name.setPlaceholderText(edits.stem_for(self.session.show, kind) if kind else "")
        self._replan(find=True)

    # the run

    def _slots(self) -> int:
        kind = self.kind
        mode = kind.mode(self.mode.currentData()) if kind and self.mode.currentData() else None
        return mode.footprint if mode else 0

    def set_universe(self, universe: int) -> None:
        """Follow the universe that the addresses below show."""
        self.universe.setValue(universe)

    def _address_typed(self, _: int) -> None:
        self._own_address = True
        self._replan()

    def _to_free(self) -> None:
        self._own_address = False
        self._replan(find=True)

    def _replan(self, find: bool = False) -> None:
        """Work out where the run would stand and tell what is in its way."""
        slots, count = self._slots(), self.count.value()
        self.go.setText(f"Hang {count}" if count > 1 else "Hang")
        if not slots:
            self.preview.setText("Choose a type above; the next free address is found for it.")
            self._tell("", False)
            self.planned.emit(None)
            return
        universe = self.universe.value()
        if find:
            self._own_address = False
            free = patch.next_free(self.session.show, universe, slots * count)
            self.address.blockSignals(True)
            self.address.setValue(free or 1)
            self.address.blockSignals(False)
        spans = patch.run_of(count, slots, self.address.value())
        self._plan(universe, spans)

    def _plan(self, universe: int, spans: list[tuple[int, int]]) -> None:
        show = self.session.show
        first, last = spans[0][0], spans[-1][1]
        where = f"Universe {universe}, {first}–{last}" if last > first else f"Universe {universe}, {first}"
        taken = patch.taken_by(show, universe, [s for s in spans if s[0] <= SLOTS])
        if last > SLOTS:
            fit = sum(1 for s in spans if s[1] <= SLOTS)
            self._tell(f"{where}: ends past 512. {fit or 'None'} would fit from here.", True)
        elif taken:
            names = words.some([show.fixtures[i].name for i in taken])
            self._tell(f"{where}: {names} already {'has' if len(taken) == 1 else 'have'} slots here.", True)
        else:
            self._tell(f"{where}: free.", False)
        self.planned.emit(Ghost(universe, spans, last > SLOTS or bool(taken), self._places(len(spans))))

    def _tell(self, text: str, wrong: bool) -> None:
        if text:
            self.preview.setText(f"▲ {text}" if wrong else text)
        basics.set_role(self.preview, "alarm" if wrong else "small")
        self.go.setEnabled(bool(self._slots()) and not wrong)

    def _places(self, count: int) -> list[Place]:
        """A row across the stage, at a depth where nothing hangs yet."""
        room = self.session.show.room
        used = [f.place.y for f in self.session.show.fixtures.values() if f.place.z > 0.6 * room.height]
        depths = [room.depth * part for part in (0.45, 0.25, 0.65, 0.1, 0.85)]
        y = max(depths, key=lambda d: min((abs(d - u) for u in used), default=9.0))
        wide = 0.8 * room.width
        step = wide / max(1, count - 1)
        xs = [0.0] if count == 1 else [-wide / 2 + step * i for i in range(count)]
        return [Place(round(x, 2), round(y, 2), room.height) for x in xs]

    def hang(self) -> None:
        """Hang the run, and choose what was hung."""
        kind = self.kind
        if kind is None or not self.go.isEnabled():
            return
        count = self.count.value()
        show, made = edits.hang(
            self.session.show,
            kind,
            self.mode.currentData(),
            count,
            self.universe.value(),
            self.address.value(),
            name=self.name.text().strip(),
            places=self._places(count),
            hanging=Hanging(),
        )
        self._own_address = False
        self.session.edit(f"hang {count} × {kind.name}", show)
        self.session.choose(made)
        self.session.told.emit(f"{words.some([show.fixtures[i].name for i in made])} hang.", "info")
