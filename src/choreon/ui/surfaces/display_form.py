"""What a part of one's own drawing shows, and by which bytes: the values of a light, a
table of colours, a message with fields.
"""

from __future__ import annotations

import re
from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QWidget

from choreon.language import tr
from choreon.model import edits
from choreon.model.surfaces import Display, Shade, Shows, template_fits
from choreon.ui.widgets import basics
from choreon.ui.widgets.numbers import NumberField

TOP = 127
BY_ITSELF = -1  # it is switched on and off to blink
_SHADE = re.compile(r"(\d{1,3})\s+#?([0-9A-Fa-f]{6})")


class NoTable(ValueError):
    """What was typed is no table of colours; the text says which part of it."""


def shades_of(text: str) -> tuple[Shade, ...]:
    """Returns the table in “0 #000000, 5 #FF0000”. Raises NoTable."""
    found: list[Shade] = []
    for part in filter(None, (part.strip() for part in re.split(r"[,;\n]", text))):
        match = _SHADE.fullmatch(part)
        if match is None or int(match.group(1)) > TOP:
            raise NoTable(
                tr(
                    "“{part}” is no value of 0 to 127 with its colour, such as 5 "
                    "#FF0000",
                    part=part[:40],
                )
            )
        found.append(Shade(int(match.group(1)), f"#{match.group(2).upper()}"))
    return tuple(found)


def as_table(shades: tuple[Shade, ...]) -> str:
    """Returns a table as it is typed."""
    return ", ".join(f"{shade.value} {shade.colour}" for shade in shades)


class DisplayForm(QWidget):
    """The bytes of one display; only those that count for how it shows are seen."""

    changed = Signal(object)
    """The Display as it is now."""
    spread = Signal()
    """All parts of the sort shall show the same way."""

    def __init__(self, tell: Callable[[str], None]) -> None:
        """`tell` says what is wrong with what was typed."""
        super().__init__()
        self._display = Display()
        self._tell = tell
        self.values = {
            "off": _value(tr("Value when off"), 0),
            "there": _value(tr("Value when there, and not on"), 0),
            "on": _value(tr("Value when on"), TOP),
            "blink": NumberField(
                tr("Value at which it blinks"),
                BY_ITSELF,
                TOP,
                BY_ITSELF,
                tr("on and off"),
            ),
        }
        for name, field in self.values.items():
            field.valueChanged.connect(
                lambda value, name=name: self._change(**{name: int(value)})
            )

        self.table = _line(tr("Colours by value"), "0 #000000, 5 #FF0000")
        self.table.editingFinished.connect(self._table_typed)
        self.message = _line(tr("Message"), "F0 7D 01 {r} {g} {b} F7")
        self.message.setToolTip(
            tr(
                "Bytes in hexadecimal; {fields} stand for a colour and for letters",
                fields="{r} {g} {b} {text}",
            )
        )
        self.message.editingFinished.connect(self._message_typed)
        self.all = basics.button(
            tr("All of its sort"),
            self.spread.emit,
            "quiet",
            tip=tr("Have all parts of this sort show the same way"),
        )

        words = {
            "off": tr("off"),
            "there": tr("there"),
            "on": tr("on"),
            "blink": tr("blinks at"),
        }
        self._rows = {
            name: basics.row(basics.label(words[name], "small"), field, spacing=4)
            for name, field in self.values.items()
        }
        line = basics.row(
            *self._rows.values(), self.table, self.message, self.all, spacing=8
        )
        basics.grow(line, len(self._rows), 4)
        basics.grow(line, len(self._rows) + 1, 4)
        basics.stack(self, line)
        self.show_display(Display())

    def show_display(self, display: Display) -> None:
        """Show what can be said of a display."""
        self._display = display
        seen = _FIELDS.get(display.how, frozenset())
        for name, row in self._rows.items():
            row.setVisible(name in seen)
            self.values[name].setValue(getattr(display, name))
        self.table.setVisible("shades" in seen)
        self.table.setText(as_table(display.shades))
        self.table.setCursorPosition(0)
        self.message.setVisible("bytes" in seen)
        self.message.setText(display.bytes)
        self.message.setCursorPosition(0)
        self.all.setVisible(display.how != Shows.NOTHING)

    def _change(self, **fields: object) -> None:
        made = edits.replace(self._display, **fields)
        if made != self._display:
            self._display = made
            self.changed.emit(made)

    def _table_typed(self) -> None:
        try:
            self._change(shades=shades_of(self.table.text()))
        except NoTable as error:
            self._tell(tr("{error}; it stays as it was.", error=error))
            self.table.setText(as_table(self._display.shades))

    def _message_typed(self) -> None:
        text = self.message.text().strip()
        if template_fits(text):
            self._change(bytes=text)
        else:
            self._tell(
                tr(
                    "“{text}” is no message in hexadecimal; it stays as it was.",
                    text=text[:40],
                )
            )
            self.message.setText(self._display.bytes)


_FIELDS: dict[Shows, frozenset[str]] = {
    Shows.LIGHT: frozenset(("off", "there", "on", "blink")),
    Shows.LEVELS: frozenset(("off", "there", "on")),
    Shows.COLOURS: frozenset(("off", "shades")),
    Shows.MIX: frozenset(("bytes",)),
    Shows.TEXT: frozenset(("bytes",)),
}
"""What counts of a display, by how it shows."""


def _value(name: str, value: int) -> NumberField:
    return NumberField(name, 0, TOP, value)


def _line(name: str, example: str) -> QLineEdit:
    line = QLineEdit()
    line.setAccessibleName(name)
    line.setToolTip(name)
    line.setPlaceholderText(example)
    return line
