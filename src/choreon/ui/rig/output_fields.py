"""The fields of an output, and which of them each kind of output has."""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from PySide6.QtNetwork import QAbstractSocket, QNetworkInterface
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QWidget

from choreon.language import tr
from choreon.model.outputs import (
    ArtnetOutput,
    SacnOutput,
    SerialOutput,
    UnknownOutput,
)
from choreon.model.show import MAX_UNIVERSE
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.tick import Tick
from choreon.wire.outputs.serial_line import adapters

RATES = (0, 44, 40, 30, 25, 20)
MOST_LISTED = 2000

Put = Callable[..., None]
"""Takes what was entered, by the name of the field."""

Refused = Callable[[str], None]
"""Takes why what was entered is not taken."""


class OutputField(ABC):
    """One field of an output's card: `key` is its name in the model, `title` stands
    before it.
    """

    widget: QWidget

    def __init__(self, key: str, title: str, put: Put, refused: Refused) -> None:
        self.key, self.title = key, title
        self._put_all, self.refused = put, refused

    def put(self, value: object) -> None:
        """Hand on what was entered."""
        self._put_all(**{self.key: value})

    @abstractmethod
    def fill(self, value: Any) -> None:
        """Show what the output has."""


class HostField(OutputField):
    """The address of the receiver. `everybody`: what an empty one means."""

    def __init__(self, put: Put, refused: Refused, everybody: str) -> None:
        super().__init__("host", tr("To"), put, refused)
        self.widget: QLineEdit = QLineEdit()
        self.widget.setAccessibleName(tr("To"))
        self.widget.setToolTip(tr("Address of the receiver; empty: to everybody"))
        self.widget.setPlaceholderText(everybody)
        self.widget.editingFinished.connect(self._typed)

    def _typed(self) -> None:
        text = self.widget.text().strip()
        if text and not re.fullmatch(r"(\d{1,3}\.){3}\d{1,3}", text):
            why = tr("“{text}” is no network address, such as 10.0.0.20", text=text)
            self.refused(tr("{why}; it stays as it was.", why=why))
        else:
            self.put(text)

    def fill(self, value: str) -> None:
        """Show the address."""
        self.widget.setText(value)


class UniversesField(OutputField):
    """Which universes it sends."""

    def __init__(self, put: Put, refused: Refused) -> None:
        super().__init__("universes", tr("Universes"), put, refused)
        self.widget: QLineEdit = QLineEdit()
        self.widget.setAccessibleName(tr("Universes"))
        self.widget.setToolTip(tr("Which universes, as 1-4, 7; or all"))
        self.widget.editingFinished.connect(self._typed)

    def _typed(self) -> None:
        found = numbers(self.widget.text())
        if found is None:
            why = tr("Universes are written as 1-4, 7, or all")
            self.refused(tr("{why}; they stay as they were.", why=why))
        else:
            self.put(found)

    def fill(self, value: tuple[int, ...]) -> None:
        """Show the universes."""
        self.widget.setText(spans_of(value))


class NetworkField(OutputField):
    """The network card that it is sent from."""

    def __init__(self, put: Put, refused: Refused) -> None:
        super().__init__("interface", tr("Network"), put, refused)
        self.widget: QComboBox = QComboBox()
        self.widget.setAccessibleName(tr("Network"))
        self.widget.setToolTip(tr("The network that it is sent from"))
        self.widget.activated.connect(lambda _: self.put(self.widget.currentData()))

    def fill(self, value: str) -> None:
        """Show the networks there are, and which it is."""
        self.widget.clear()
        self.widget.addItem(tr("the system's choice"), "")
        for address, name in interfaces():
            self.widget.addItem(
                tr("{name} · {address}", name=name, address=address), address
            )
        if self.widget.findData(value) < 0:
            self.widget.addItem(tr("{value} (not there)", value=value), value)
        self.widget.setCurrentIndex(self.widget.findData(value))


class AdapterField(OutputField):
    """The serial adapter. A path that is not listed can be typed."""

    def __init__(self, put: Put, refused: Refused) -> None:
        super().__init__("device", tr("Adapter"), put, refused)
        self.widget: QComboBox = QComboBox()
        self.widget.setEditable(True)
        self.widget.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.widget.setAccessibleName(tr("Adapter"))
        self.widget.setToolTip(tr("The serial adapter that the lamps hang on"))
        self.widget.activated.connect(lambda _: self.put(self.widget.currentData()))
        line = self.widget.lineEdit()
        assert line is not None
        line.setAccessibleName(tr("Adapter"))
        line.editingFinished.connect(self._typed)

    def _typed(self) -> None:
        text = self.widget.currentText().strip()
        known = self.widget.findText(text)
        self.put(self.widget.itemData(known) if known >= 0 else text)

    def fill(self, value: str) -> None:
        """Show the adapters there are, and which it is."""
        self.widget.clear()
        self.widget.addItem(tr("the first that is found"), "")
        for path in adapters():
            self.widget.addItem(path.rsplit("/", 1)[-1], path)
        if self.widget.findData(value) < 0:
            self.widget.addItem(value, value)
        self.widget.setCurrentIndex(self.widget.findData(value))


class RateField(OutputField):
    """How often it is sent."""

    def __init__(self, put: Put, refused: Refused) -> None:
        super().__init__("rate", tr("Rate"), put, refused)
        self.widget: QComboBox = QComboBox()
        self.widget.setAccessibleName(tr("Rate"))
        self.widget.setToolTip(tr("How many frames a second it is sent"))
        for rate in RATES:
            self.widget.addItem(
                tr("{rate}/s", rate=rate) if rate else tr("44/s (all)"), float(rate)
            )
        self.widget.activated.connect(lambda _: self.put(self.widget.currentData()))

    def fill(self, value: float) -> None:
        """Show the rate."""
        self.widget.setCurrentIndex(max(0, self.widget.findData(value)))


class WholeField(OutputField):
    """A whole number; `none` is the word for the lowest where that means none."""

    def __init__(
        self,
        put: Put,
        refused: Refused,
        key: str,
        title: str,
        bounds: tuple[int, int],
        name: str = "",
        none: str = "",
        tip: str = "",
    ) -> None:
        super().__init__(key, title, put, refused)
        low, high = bounds
        self.widget: NumberField = NumberField(name or title, low, high, low, none=none)

        if tip:
            self.widget.setToolTip(tip)

        self.widget.editingFinished.connect(self._typed)
        self.widget.returnPressed.connect(self._typed)

    def _typed(self) -> None:
        self.put(self.widget.value())

    def fill(self, value: int) -> None:
        """Show the number."""
        self.widget.setValue(value)


class TickField(OutputField):
    """Something that is done or not. Its title stands in it."""

    def __init__(
        self, put: Put, refused: Refused, key: str, title: str, tip: str
    ) -> None:
        super().__init__(key, title, put, refused)
        self.widget: QCheckBox = Tick(title)
        self.widget.setToolTip(tip)
        self.widget.toggled.connect(self.put)

    def fill(self, value: bool) -> None:
        """Show whether it is done."""
        self.widget.setChecked(value)


Make = Callable[[Put, Refused], OutputField]

SHIFT = partial(
    WholeField,
    key="shift",
    title=tr("Shift"),
    bounds=(-1000, 1000),
    tip=tr(
        "Added to a universe's number. Art-Net counts from 0: −1 makes universe 1 its 0"
    ),
)
PORT = partial(
    WholeField, key="port", title=tr("Port"), bounds=(0, 65535), none=tr("usual")
)
PRIORITY = partial(WholeField, key="priority", title=tr("Priority"), bounds=(0, 200))
SYNC = partial(
    WholeField,
    key="sync",
    title=tr("Sync"),
    bounds=(0, MAX_UNIVERSE),
    name=tr("Synchronisation universe"),
    none=tr("none"),
)
REST = partial(
    TickField,
    key="rest",
    title=tr("Rest when nothing changes"),
    tip=tr(
        "Send the same three times, then about once a second, until something changes, "
        "as E1.31 allows. Off: the full rate, always."
    ),
)
ART_SYNC = partial(
    TickField,
    key="sync",
    title="ArtSync",
    tip=tr("Have the nodes put out together what they were sent"),
)


@dataclass(frozen=True)
class OutputForm:
    """The fields of a kind of output, and what is ticked below them."""

    fields: tuple[Make, ...] = ()
    ticks: tuple[Make, ...] = ()
    added: str = ""
    """What stands on the button for another one; empty where none can be made here."""


def _network(everybody: str) -> tuple[Make, ...]:
    host = partial(
        HostField, everybody=tr("everybody ({everybody})", everybody=everybody)
    )
    return (host, UniversesField, NetworkField, RateField, SHIFT, PORT)


FORMS: dict[str, OutputForm] = {
    SacnOutput.kind: OutputForm(
        (*_network("multicast"), PRIORITY, SYNC), (REST,), added="sACN"
    ),
    ArtnetOutput.kind: OutputForm(
        _network("broadcast"), (REST, ART_SYNC), added=tr("Art-Net")
    ),
    SerialOutput.kind: OutputForm((AdapterField, UniversesField), added=tr("Serial")),
    UnknownOutput.kind: OutputForm(),
}
"""Kind of output → its form."""


def numbers(text: str) -> tuple[int, ...] | None:
    """`1-3, 7` → (1, 2, 3, 7); empty or `all` → (); None where it is no list of
    universes.
    """
    text = text.strip().lower()
    if text in ("", "all"):
        return ()

    found: list[int] = []
    for part in re.split(r"[,;\s]+", text):
        match = re.fullmatch(r"(\d{1,5})(?:[-–](\d{1,5}))?", part)
        if match is None:
            return None

        first, last = int(match.group(1)), int(match.group(2) or match.group(1))
        if not 1 <= first <= last <= MAX_UNIVERSE or last - first > MOST_LISTED:
            return None

        found += range(first, last + 1)

    return tuple(dict.fromkeys(found))


def spans_of(universes: tuple[int, ...]) -> str:
    """(1, 2, 3, 7) → `1–3, 7`; () → `all`."""
    if not universes:
        return tr("all")

    parts: list[list[int]] = []
    for number in sorted(universes):
        if parts and number == parts[-1][1] + 1:
            parts[-1][1] = number
        else:
            parts.append([number, number])

    return ", ".join(str(a) if a == b else f"{a}–{b}" for a, b in parts)


def interfaces() -> list[tuple[str, str]]:
    """The machine's network interfaces: address and name."""
    found = []
    for one in QNetworkInterface.allInterfaces():
        for entry in one.addressEntries():
            if (
                entry.ip().protocol()
                == QAbstractSocket.NetworkLayerProtocol.IPv4Protocol
            ):
                found.append((entry.ip().toString(), one.humanReadableName()))
    return found
