"""Outputs: which universes go where, by which protocol, and whether they arrive."""

from __future__ import annotations

import re
import time
from functools import partial

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PySide6.QtNetwork import QAbstractSocket, QNetworkInterface
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from choreon.engine.protocol import FoundNode, Nodes, Pulse
from choreon.model import edits, patch
from choreon.model.checks import sent_nowhere
from choreon.model.outputs import OUTPUTS, AnyOutput, ArtnetOutput, SacnOutput
from choreon.model.show import MAX_UNIVERSE
from choreon.ui import renaming, theme, words
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.numbers import NumberField

PROTOCOLS = {"sacn": "sACN", "artnet": "Art-Net 4"}
FIRST_SHIFT = {"sacn": 0, "artnet": -1}  # port-addresses count from 0
RATES = (0, 44, 40, 30, 25, 20)
MOST_LISTED = 2000
PATIENCE = 6500  # milliseconds in which every node that is there has been asked twice


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


def listed(universes: tuple[int, ...]) -> str:
    """(1, 2, 3, 7) → `1–3, 7`; () → `all`."""
    if not universes:
        return "all"
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


ROOMY, NARROW = 560, 360  # pixels of width for three fields side by side, and for two


class OutputCard(QWidget):
    """One output: what it is, how it does, and its fields."""

    def __init__(self, parts: Parts, output_id: str) -> None:
        super().__init__()
        self.parts, self.id = parts, output_id
        self._busy = False
        self._before: tuple[float, int, int] | None = None
        self.on = QCheckBox()
        self.on.setAccessibleName("On")
        self.on.setToolTip("Send by this output, or not")
        self.on.toggled.connect(lambda on: self._put(on=on))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the output")
        self.name.setToolTip("What this output is called here")
        self.name.setPlaceholderText("Name")
        self.name.editingFinished.connect(self._rename)
        self.protocol = QComboBox()
        self.protocol.setAccessibleName("Protocol")
        self.protocol.setToolTip("How the universes are sent: sACN or Art-Net")
        for key, title in PROTOCOLS.items():
            self.protocol.addItem(title, key)
        self.protocol.activated.connect(lambda _: self._protocol_changed())
        self.state = basics.label("", "small")
        self.trouble = basics.label("", "alarm", wrap=True)
        self.silence = basics.label("", "soft", wrap=True)
        self.silence.hide()
        self.remove = basics.tool("trash", "Remove this output", self._remove)
        self._make_fields()
        self.titles: dict[str, QWidget] = {}
        self._grid = QGridLayout()
        self._grid.setSpacing(6)
        for title, _ in self.lines:
            self.titles[title] = basics.label(title, "soft")
        self._columns = 0
        self._lay_fields(3)
        fields = QWidget()
        fields.setLayout(self._grid)
        head = basics.row(self.on, self.name, self.protocol, 1, self.state, self.remove)
        ticks = basics.row(self.rest, self.art_sync, 1)
        panel = basics.panel(head, self.trouble, self.silence, fields, ticks, spacing=6)
        panel.setStyleSheet(
            f"QFrame[panel='true'] {{ border: 1px solid {theme.BATTEN}; }}"
        )
        self.trouble.hide()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)
        self.fill()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow, fewer fields stand side by side."""
        super().resizeEvent(event)
        self._lay_fields(3 if event.size().width() >= ROOMY else 2)

    def minimumSizeHint(self) -> QSize:
        """As wide as two fields side by side."""
        return QSize(NARROW, super().minimumSizeHint().height())

    def _lay_fields(self, columns: int) -> None:
        if columns == self._columns:
            return
        self._columns = columns
        for i, (title, widget) in enumerate(self.lines):
            row, column = divmod(i, columns)
            self._grid.addWidget(self.titles[title], row, 2 * column)
            self._grid.addWidget(widget, row, 2 * column + 1)

    def _make_fields(self) -> None:
        self.host = QLineEdit()
        self.host.setAccessibleName("To")
        self.host.setToolTip("Address of the receiver; empty: to everybody")
        self.host.editingFinished.connect(self._host_typed)
        self.universes = QLineEdit()
        self.universes.setAccessibleName("Universes")
        self.universes.setToolTip("Which universes, as 1-4, 7; or all")
        self.universes.editingFinished.connect(self._universes_typed)
        self.interface = QComboBox()
        self.interface.setAccessibleName("Network")
        self.interface.setToolTip("The network that it is sent from")
        self.interface.activated.connect(
            lambda _: self._put(interface=self.interface.currentData())
        )
        self.rate = QComboBox()
        self.rate.setAccessibleName("Rate")
        self.rate.setToolTip("How many frames a second it is sent")
        for rate in RATES:
            self.rate.addItem(f"{rate}/s" if rate else "44/s (all)", float(rate))
        self.rate.activated.connect(lambda _: self._put(rate=self.rate.currentData()))
        self.port = NumberField("Port", 0, 65535, 0, none="usual")
        self.priority = NumberField("Priority", 0, 200, 100)
        self.sync = NumberField(
            "Synchronisation universe", 0, MAX_UNIVERSE, 0, none="none"
        )
        self.rest = QCheckBox("Rest when nothing changes")
        self.rest.setToolTip(
            "Send the same three times, then about once a second, until something "
            "changes, as E1.31 allows. Off: the full rate, always."
        )
        self.rest.toggled.connect(lambda on: self._put(rest=on))
        self.art_sync = QCheckBox("ArtSync")
        self.art_sync.setToolTip("Have the nodes put out together what they were sent")
        self.art_sync.toggled.connect(lambda on: self._put(sync=on))
        self.shift = NumberField("Shift", -1000, 1000, 0)
        self.shift.setToolTip(
            "Added to a universe's number. Art-Net counts from 0: −1 makes "
            "universe 1 its 0"
        )
        for field, key in (
            (self.port, "port"),
            (self.priority, "priority"),
            (self.sync, "sync"),
            (self.shift, "shift"),
        ):
            field.editingFinished.connect(
                lambda f=field, k=key: self._put(**{k: f.value()})
            )
            field.returnPressed.connect(
                lambda f=field, k=key: self._put(**{k: f.value()})
            )
        self.lines = [
            ("To", self.host),
            ("Universes", self.universes),
            ("Network", self.interface),
            ("Rate", self.rate),
            ("Shift", self.shift),
            ("Port", self.port),
            ("Priority", self.priority),
            ("Sync", self.sync),
        ]

    @property
    def output(self) -> AnyOutput:
        """The output that the card is of."""
        return self.parts.document.show.outputs[self.id]

    def fill(self) -> None:
        """Show the output as it is."""
        o = self.output
        self._busy = True
        art = isinstance(o, ArtnetOutput)
        self.on.setChecked(o.on)
        self.name.setText(o.name)
        self.protocol.setCurrentIndex(self.protocol.findData(o.kind))
        self.host.setText(o.host)
        self.host.setPlaceholderText(
            "everybody (broadcast)" if art else "everybody (multicast)"
        )
        self.universes.setText(listed(o.universes))
        self._fill_interfaces(o.interface)
        rate = self.rate.findData(o.rate)
        self.rate.setCurrentIndex(max(0, rate))
        for field, value in (
            (self.port, o.port),
            (self.priority, o.priority if isinstance(o, SacnOutput) else 100),
            (self.sync, o.sync if isinstance(o, SacnOutput) else 0),
            (self.shift, o.shift),
        ):
            field.setValue(value)
        self.art_sync.setChecked(bool(art and o.sync))
        self.rest.setChecked(o.rest)
        self.art_sync.setVisible(art)
        for widget in (
            self.priority,
            self.sync,
            self.titles["Priority"],
            self.titles["Sync"],
        ):
            widget.setVisible(not art)
        self._busy = False

    def _fill_interfaces(self, chosen: str) -> None:
        self.interface.clear()
        self.interface.addItem("the system's choice", "")
        for address, name in interfaces():
            self.interface.addItem(f"{name} · {address}", address)
        if self.interface.findData(chosen) < 0:
            self.interface.addItem(f"{chosen} (not there)", chosen)
        self.interface.setCurrentIndex(self.interface.findData(chosen))

    def _rename(self) -> None:
        """Call it by another name, or by none."""
        name, outputs = self.name.text().strip(), self.parts.document.show.outputs
        others = [o.name for o in outputs.values() if o.id != self.id and o.name]
        called = edits.free_name(name, others)
        self._put(name=called)
        renaming.tell(self.parts, name, called)

    def _put(self, **fields: object) -> None:
        if self._busy or self.id not in self.parts.document.show.outputs:
            return
        self._store(edits.replace(self.output, **fields))

    def _store(self, changed: AnyOutput) -> None:
        if changed != self.output:
            title = changed.name or PROTOCOLS[changed.kind]
            self.parts.document.edit(
                f"change the output {title}",
                edits.put(self.parts.document.show, "outputs", changed),
            )

    def _protocol_changed(self) -> None:
        protocol = self.protocol.currentData()
        old = self.output
        if protocol == old.kind or self._busy:
            return
        made = OUTPUTS[protocol](
            id=old.id,
            name=old.name,
            host=old.host,
            shift=FIRST_SHIFT[protocol],
            interface=old.interface,
            rate=old.rate,
            rest=old.rest,
            universes=old.universes,
            on=old.on,
        )
        self._store(made)

    def _host_typed(self) -> None:
        text = self.host.text().strip()
        if text and not re.fullmatch(r"(\d{1,3}\.){3}\d{1,3}", text):
            self.parts.notices.told.emit(
                f"“{text}” is no network address, such as 10.0.0.20; it stays "
                "as it was.",
                "alarm",
            )
            self.fill()
        else:
            self._put(host=text)

    def _universes_typed(self) -> None:
        found = numbers(self.universes.text())
        if found is None:
            self.parts.notices.told.emit(
                "Universes are written as 1-4, 7, or all; they stay as they were.",
                "alarm",
            )
            self.fill()
        else:
            self._put(universes=found)

    def _remove(self) -> None:
        name = self.output.name or PROTOCOLS[self.output.kind]
        self.parts.document.edit(
            f"remove the output {name}",
            edits.drop(self.parts.document.show, "outputs", [self.id]),
        )

    def tell(self, sent: int, errors: int, trouble: str) -> None:
        """What it has done by now, from the engine."""
        now = time.monotonic()
        if self._before and sent >= self._before[1] and now - self._before[0] > 0.3:
            span = now - self._before[0]
            bad = (errors - self._before[2]) / span
            more = f" · {bad:.0f} errors/s" if bad > 0 else ""
            self.state.setText(f"{(sent - self._before[1]) / span:.0f} packets/s{more}")
        self._before = (now, sent, errors)
        self.trouble.setText(
            f"▲ {trouble} It is tried again every two seconds; the other outputs go on."
            if trouble
            else ""
        )
        self.trouble.setVisible(bool(trouble))

    def tell_answers(self, hosts: set[str]) -> None:
        """Which Art-Net nodes answer; one that this output sends to and that does not
        is told.
        """
        o = self.output
        gone = (
            o.on
            and isinstance(o, ArtnetOutput)
            and bool(o.host)
            and o.host not in hosts
        )
        text = (
            f"◌ {o.host} does not answer: it may be off, or away. It is sent to "
            "all the same."
            if gone
            else ""
        )
        self.silence.setText(text)
        self.silence.setVisible(gone)

    def tell_off(self) -> None:
        """Say that nothing is sent."""
        self.state.setText("off")
        self.trouble.hide()


ASKED = (
    "None has answered yet. Asked every few seconds: this computer, and the addresses "
    "of the outputs above."
)
ASKED_EVERYWHERE = (
    "None has answered yet. Everybody on the network is asked every few seconds."
)


class OutputsView(QWidget):
    """All outputs, the universes that go nowhere, and the Art-Net nodes that answer."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.cards: dict[str, OutputCard] = {}
        self.warning = basics.label("", "alarm", wrap=True)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(8)
        self.nodes = QVBoxLayout()
        self.nodes_note = basics.label("", "soft", wrap=True)
        self.searching = False
        self.search_button = basics.button(
            "Search the network",
            self.search,
            "",
            "search",
            "Ask everybody on the network which Art-Net nodes there are",
        )
        add_sacn = basics.button(
            "sACN", lambda: self.add("sacn"), "", "plus", "Another output by sACN"
        )
        add_art = basics.button(
            "Art-Net",
            lambda: self.add("artnet"),
            "",
            "plus",
            "Another output by Art-Net",
        )
        inner = QWidget()
        box = basics.stack(
            inner,
            basics.row(basics.label("Outputs", "heading"), 1, add_sacn, add_art),
            self.warning,
            margins=12,
        )
        box.addLayout(self.rows)
        heading = basics.label("Art-Net nodes that answer", "heading")
        box.addWidget(basics.row(heading, 1, self.search_button))
        box.addWidget(self.nodes_note)
        box.addLayout(self.nodes)
        box.addStretch(1)
        panel = basics.panel(basics.scroller(inner), margins=0)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(panel)
        parts.document.show_changed.connect(lambda _: self._fill())
        parts.engine.pulse.connect(self._pulse)
        parts.engine.nodes_changed.connect(self._fill_nodes)
        self._patience = basics.once(self, PATIENCE, self._silent)
        self._fill()
        self._fill_nodes(parts.engine.nodes)

    def showEvent(self, event: QShowEvent) -> None:
        self.parts.engine.find_nodes(True)
        self._patience.start()
        for card in self.cards.values():
            card.fill()

    def hideEvent(self, event: QHideEvent) -> None:
        self.searching = False
        self.parts.engine.find_nodes(False)
        self._patience.stop()

    def search(self) -> None:
        """Ask all the network from now on, until this is hidden."""
        self.searching = True
        self.parts.engine.find_nodes(True, everywhere=True)
        self._fill_nodes(self.parts.engine.nodes)

    def _silent(self) -> None:
        """By now every node that is there has answered."""
        hosts = {node.host for node in self.parts.engine.nodes.nodes}
        for card in self.cards.values():
            card.tell_answers(hosts)

    def _fill(self) -> None:
        show = self.parts.document.show
        if list(show.outputs) != list(self.cards):
            basics.clear(self.rows)
            self.cards = {i: OutputCard(self.parts, i) for i in show.outputs}
            for card in self.cards.values():
                self.rows.addWidget(card)
        for card in self.cards.values():
            card.fill()
        nowhere = sent_nowhere(show)
        which = listed(tuple(nowhere))
        dark = f"▲ Universe {which} is sent nowhere: its fixtures stay dark."
        text = dark if nowhere else ""
        self.warning.setText(text)
        self.warning.setVisible(bool(nowhere))

    def _pulse(self, pulse: Pulse) -> None:
        told = {s.id: s for s in pulse.outputs}
        for i, card in self.cards.items():
            if i in told:
                card.tell(told[i].sent, told[i].errors, told[i].trouble)
            else:
                card.tell_off()

    def add(
        self,
        protocol: str,
        host: str = "",
        universes: tuple[int, ...] = (),
        name: str = "",
    ) -> None:
        """One more output."""
        show = self.parts.document.show
        made = OUTPUTS[protocol](
            id=edits.fresh_id(name or protocol, show.outputs),
            name=name,
            host=host,
            shift=FIRST_SHIFT[protocol],
            universes=universes,
        )
        self.parts.document.edit(
            f"add an output by {PROTOCOLS[protocol]}", edits.put(show, "outputs", made)
        )

    def _fill_nodes(self, nodes: Nodes) -> None:
        """One line a node that has answered."""
        if self.isVisible() and not self._patience.isActive():
            self._silent()
        basics.clear(self.nodes)
        note = nodes.trouble
        if not note and not nodes.nodes:
            note = ASKED_EVERYWHERE if self.searching else ASKED
        self.nodes_note.setText(note)
        self.nodes_note.setVisible(bool(note))
        for node in nodes.nodes:
            self.nodes.addWidget(self._node_line(node))

    def _node_line(self, node: FoundNode) -> QWidget:
        """A node, and a button that makes an output to it."""
        ports = listed(tuple(node.outputs)) if node.outputs else "nothing"
        about = f"<b>{node.name}</b>  {node.host} · puts out {ports}"
        text = basics.label(about, wrap=True)
        text.setTextFormat(Qt.TextFormat.RichText)
        used = patch.universes(self.parts.document.show)
        fits = tuple(u for u in used if u - 1 in node.outputs)
        tip = "None of its port-addresses belongs to a universe in use"
        if fits:
            universes = words.some([f"universe {u}" for u in fits])
            tip = f"An output to {node.name} with {universes}"
        act = partial(self.add, "artnet", node.host, fits, node.name)
        send = basics.button("Send here", act, tip=tip)
        send.setEnabled(bool(fits))
        line = basics.row(text, 1, send)
        basics.grow(line, 0)
        return line
