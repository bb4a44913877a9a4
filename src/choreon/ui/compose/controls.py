"""Controls for attributes by what kind they are: amounts, slots of wheels, named
choices; and who has them.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import QPoint, QSettings, Qt
from PySide6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from choreon.language import facts, tr
from choreon.model import attributes as at
from choreon.model.fixture_type import Channel, Wheel
from choreon.ui import words
from choreon.ui.compose.hand import Hand
from choreon.ui.slots import slot_picture
from choreon.ui.widgets import basics
from choreon.ui.widgets.chips import TALL, Chip, ChipList
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField


class AttributeControl(QWidget):
    """One attribute: its name, who has it where not all do, and what to move."""

    def __init__(self, hand: Hand, name: str) -> None:
        super().__init__()
        self.hand, self.name = hand, name
        self.known = at.attribute(name)
        self.scale = 100.0 if self.known.unit == "%" else 1.0
        self.field: ValueField | None = None
        self.chips: list[tuple[ChipList, list[float], list[str]]] = []
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(3)
        self.who = basics.name_label("", "small")
        self.shape: object = None

    def build(self) -> None:
        """Make what fits the types that are chosen."""
        kinds = self.hand.kinds(self.name)
        shape = tuple((kind.id, channel) for kind, channel, _, _ in kinds)
        if self.shape == shape and self.shape:
            return

        self.shape = shape
        basics.clear(self.box)
        self.field, self.chips = None, []
        self.who = basics.name_label("", "small")
        self.who.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

        self.box.addWidget(self.who)
        if kinds and all(_named(c, wheel, self.name) for _, c, wheel, _ in kinds):
            for kind, channel, wheel, ids in kinds:
                if len(kinds) > 1:
                    self.box.addWidget(basics.label(kind.label, "small"))

                self.box.addWidget(self._chips(channel, wheel, ids))
        else:
            self.field = self._make_field()
            self.box.addWidget(self.field)

    def _make_field(self) -> ValueField:
        low, high = self.hand.span(self.name)
        scale = self.scale
        digits = 0 if scale == 100 or high - low > 60 else 1
        label, unit, home = self.known.label, self.known.unit, self._home()
        field = ValueField(label, low * scale, high * scale, unit, digits, home)
        field.changed.connect(self._moved)
        return field

    def _home(self) -> float | None:
        rig = self.hand.rig
        rows = [
            row
            for i, _ in self.hand.items(self.name)
            for _, row in rig.where.get(i, {}).get(self.name, ())
        ]
        return float(rig.home[rows[0]]) * self.scale if rows else None

    def _moved(self, value: float) -> None:
        given = {self.name: value / self.scale}
        if (
            self.name.startswith("Shutter")
            and self.name != at.SHUTTER
            and at.SHUTTER in self.hand.names()
        ):
            given[at.SHUTTER] = 1.0
        self.hand.give(given)

    def _chips(self, channel: Channel, wheel: Wheel | None, ids: list[str]) -> ChipList:
        chips: list[Chip] = []
        values: list[float] = []

        for span in channel.ranges:
            if span.attribute != self.name or span.slot >= 0 or not span.discrete:
                continue

            slot = None
            if wheel is not None and 0 <= int(span.low) < len(wheel.slots):
                slot = wheel.slots[int(span.low)]

            name = span.name or (
                slot.name if slot else words.number(self.name, span.low)
            )
            picture = slot_picture(slot, TALL - 4) if slot is not None else None
            chips.append(Chip(name, name, picture, program=span.on_purpose))
            values.append(span.low)

        made = ChipList(self.known.label, _about)
        made.chips.show_chips(chips)
        made.picked.connect(lambda i, v=values, own=ids: self._pick(v[i], own))
        self.chips.append((made, values, ids))

        return made

    def _pick(self, value: float, ids: list[str]) -> None:
        items = [i for i in self.hand.items(self.name) if i[0] in ids]
        self.hand.give_each({self.name: [value] * len(items)}, items)

    def part(self, names: dict[str, int], total: int) -> str:
        """Who has it, where not all do."""
        has = names.get(self.name, 0)
        some = words.some([f.name for f in self.hand.fixtures(self.name)], 2)
        return (
            tr("{has} of {total}: {names}", has=has, total=total, names=some)
            if has < total
            else ""
        )

    def show_values(self, part: str) -> None:
        """Show what the choice has now; `part` says who it is, where that needs
        saying.
        """
        title = self.known.label if self.field is None else ""
        caution = tr("▲ the fixture's own program") if self.known.program else ""
        self.who.setText(facts(title, caution, part))
        self.who.setVisible(bool(self.who.text()))
        drafted = self.hand.drafted(self.name)

        if self.field is not None:
            show_span(self.field, self.hand.numbers(self.name), self.scale, drafted)

        for chips, values, ids in self.chips:
            now = self._values_of(ids)
            on = [place for place, v in enumerate(values) if round(v, 3) in now]
            chips.chips.show_on(on, drafted)

    def _values_of(self, ids: list[str]) -> set[float]:
        """What some of the chosen fixtures have, rounded."""
        items = [item for item in self.hand.items(self.name) if item[0] in ids]
        return {round(value, 3) for value in self.hand.numbers(self.name, items)}


def _about(chip: Chip) -> str:
    return (
        tr("{name} ▲ the fixture's own program", name=chip.name)
        if chip.program
        else chip.name
    )


def show_span(
    field: ValueField, found: Sequence[float], scale: float, drafted: bool
) -> None:
    """Show values in a field: one, or the span of those that differ."""
    if field.drafted != drafted:
        field.drafted = drafted
        field.update()
    if found:
        low, high = scale * min(found), scale * max(found)
        same = high - low < 10.0**-field.digits / 2
        field.set_value(
            (low + high) / 2 if same else None, None if same else (low, high)
        )


def _named(channel: Channel, wheel: Wheel | None, name: str) -> bool:
    """Whether an attribute is a choice among names or slots rather than an amount."""
    own = [r for r in channel.ranges if r.attribute == name and r.slot < 0]
    return (
        bool(own)
        and all(r.discrete for r in own)
        and (wheel is not None or len(own) > 1)
    )


class Controls(QWidget):
    """The controls of a set of attributes: what all share first. Types may hide and
    reorder theirs.
    """

    def __init__(self, hand: Hand, order: ControlOrder | None = None) -> None:
        super().__init__()
        self.hand, self.order = hand, order
        self.rows: dict[str, AttributeControl] = {}
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(6)
        self.hidden = basics.button(
            "", self._show_hidden, "quiet", "", tr("Show what was hidden here")
        )
        self.hidden.hide()
        self.box.addWidget(self.hidden)
        self._names: list[str] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set_names(self, names: list[str], counts: dict[str, int]) -> None:
        """The attributes to show; those that most have come first."""
        self._names = list(names)
        names = sorted(names, key=lambda n: -counts.get(n, 0))
        away: list[str] = []

        if self.order is not None:
            kinds = self._kinds()
            names = self.order.sorted(kinds, names)
            away = [name for name in names if self.order.is_hidden(kinds, name)]
            names = [name for name in names if name not in away]

        self.hidden.setText(tr("Show {n} hidden", n=len(away)))
        self.hidden.setVisible(bool(away))
        if list(self.rows) != names:
            self._lay_rows(names)

        for row in self.rows.values():
            row.build()
            row.show()

    def _lay_rows(self, names: list[str]) -> None:
        """One row an attribute, in this order; those that are there are used again."""
        old = self.rows
        self.rows = {n: old.get(n) or self._make_row(n) for n in names}
        while self.box.takeAt(0) is not None:
            pass
        for name, row in old.items():
            if name not in self.rows:
                row.hide()
                discard(row)
        for row in self.rows.values():
            self.box.addWidget(row)
        self.box.addWidget(self.hidden)

    def _make_row(self, name: str) -> AttributeControl:
        row = AttributeControl(self.hand, name)
        if self.order is not None:
            row.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            row.customContextMenuRequested.connect(partial(self.row_menu, row))
        return row

    def show_values(self, counts: dict[str, int], total: int) -> None:
        """Show what the choice has now."""
        before = ""
        for row in (
            self.rows.values()
        ):  # who has it is said once for those that the same ones have
            part = row.part(counts, total)
            row.show_values(part if part != before else "")
            before = part

    # order

    def _kinds(self) -> tuple[str, ...]:
        return tuple(sorted({f.type for f in self.hand.fixtures()}))

    def row_menu(self, row: AttributeControl, point: QPoint) -> None:
        """Show what can be done with a row."""
        menu = Menu(self)
        menu.addAction(
            tr("Hide {label} for these types", label=row.known.label),
            lambda: self.hide_row(row.name),
        )
        menu.addAction(tr("Further up"), lambda: self.move_row(row.name, -1))
        menu.addAction(tr("Further down"), lambda: self.move_row(row.name, 1))
        menu.exec(row.mapToGlobal(point))

    def hide_row(self, name: str) -> None:
        """Hide an attribute for the chosen types."""
        if self.order is not None:
            self.order.set_hidden(self._kinds(), name, True)
            self.set_names(self._names, self.hand.names())

    def move_row(self, name: str, step: int) -> None:
        """Move an attribute up or down for the chosen types."""
        if self.order is None:
            return
        now = list(self.rows)
        index = now.index(name)
        to = min(len(now) - 1, max(0, index + step))
        now.insert(to, now.pop(index))
        self.order.set_order(self._kinds(), now)
        self.set_names(self._names, self.hand.names())

    def _show_hidden(self) -> None:
        if self.order is not None:
            for name in self._names:
                self.order.set_hidden(self._kinds(), name, False)
            self.set_names(self._names, self.hand.names())


class ControlOrder:
    """How the user arranged the attributes of types; kept with the window."""

    def __init__(self, settings: QSettings) -> None:
        self.settings = settings

    def _read(self, kind: str, what: str) -> list[str]:
        text = str(self.settings.value(f"{what}/{kind}") or "")
        return text.split("|") if text else []

    def sorted(self, kinds: tuple[str, ...], names: list[str]) -> list[str]:
        """Returns attributes in the user's order."""
        wanted = {
            n: i for kind in kinds for i, n in enumerate(self._read(kind, "order"))
        }
        return sorted(names, key=lambda n: wanted.get(n, len(wanted)))

    def set_order(self, kinds: tuple[str, ...], names: list[str]) -> None:
        """Keep an order of attributes for types."""
        for kind in kinds:
            self.settings.setValue(f"order/{kind}", "|".join(names))

    def is_hidden(self, kinds: tuple[str, ...], name: str) -> bool:
        """Whether an attribute is hidden for all of these types."""
        return bool(kinds) and all(name in self._read(kind, "hidden") for kind in kinds)

    def set_hidden(self, kinds: tuple[str, ...], name: str, hidden: bool) -> None:
        """Hide an attribute for types, or show it again."""
        for kind in kinds:
            now = [n for n in self._read(kind, "hidden") if n != name]
            self.settings.setValue(
                f"hidden/{kind}", "|".join([*now, name] if hidden else now)
            )
