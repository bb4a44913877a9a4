"""Other ways in, and out, than a controller on a cable: OSC, the DMX of another desk,
and what others are told.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from choreon.language import tr
from choreon.model import edits
from choreon.model.inputs import Desk, Lost, Merge
from choreon.model.osc import space
from choreon.model.sends import Send, SendOn, fault_of
from choreon.ui.parts import Parts
from choreon.ui.surfaces.music_panel import MusicPanel
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.numbers import NumberField
from choreon.ui.widgets.tick import Tick

ADDRESS = re.compile(r"(\d{1,3}\.){3}\d{1,3}")
MOST_PORT = 65_535
MOST_NUMBER = 63_999
SHOWN = 150  # points of the list of addresses

MERGES = {
    Merge.CONTROLS: tr("its slots are controls"),
    Merge.WHOLE: tr("it takes the universe over"),
    Merge.HIGHEST: tr("of levels the higher counts"),
    Merge.TOUCHED: tr("it takes over while it is touched"),
}
LOSTS = {
    Lost.HOLD: tr("hold what it sent"),
    Lost.FADE: tr("fade to ours"),
    Lost.GO_ON: tr("go on with ours"),
}
WHENS = {
    SendOn.START: tr("starts"),
    SendOn.END: tr("ends"),
    SendOn.GO: tr("goes to a cue"),
}
PROTOCOLS = {"sacn": "sACN", "artnet": "Art-Net"}


class WaysDialog(Dialog):
    """What is changed here holds at once."""

    def __init__(self, parts: Parts, parent: QWidget) -> None:
        super().__init__(parent)
        self.parts = parts
        self.setWindowTitle(
            tr("OSC, live music, other desks, and what others are told")
        )
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 12, 0)
        column.setSpacing(10)
        column.addWidget(basics.label(tr("OSC"), "heading"))
        column.addWidget(self._make_osc())
        column.addWidget(basics.label(tr("Live music"), "heading"))
        self.music = MusicPanel(parts)
        column.addWidget(self.music)
        column.addWidget(basics.label(tr("DMX of another desk"), "heading"))
        column.addWidget(
            basics.label(
                tr(
                    "A house desk's universe comes in by sACN or Art-Net: its faders "
                    "become controls here, or it is laid over a universe of this show."
                ),
                "soft",
                wrap=True,
            )
        )
        self.desks = QVBoxLayout()
        self.desks.setSpacing(8)
        column.addLayout(self.desks)
        self.add = basics.button(tr("Another desk"), self._add, "", "plus")
        column.addWidget(basics.row(self.add, 1))
        column.addWidget(basics.label(tr("What others are told"), "heading"))
        column.addWidget(
            basics.label(
                tr(
                    "A MIDI or OSC message goes out when something starts, ends, or "
                    "goes on: note 60 127 ch 1, cc 7 100, program 5, start, F0 … F7; "
                    "time 25 for time code while it is on; or an OSC address with "
                    "numbers, such as /clip/3 1."
                ),
                "soft",
                wrap=True,
            )
        )
        self.sends = QVBoxLayout()
        self.sends.setSpacing(8)
        column.addLayout(self.sends)
        self.tell = basics.button(tr("Tell others…"), self._add_send, "", "plus")
        column.addWidget(basics.row(self.tell, 1))
        column.addStretch(1)

        done = basics.button(tr("Done"), self.accept, "main")
        basics.stack(
            self, self.scrolled(inside), basics.row(1, done), margins=20, spacing=14
        )
        self.resize(620, 640)
        self.rows: dict[str, DeskRow] = {}
        self.send_rows: dict[str, SendRow] = {}
        parts.document.show_changed.connect(lambda _: self.fill())
        self.fill()

    # OSC

    def _make_osc(self) -> QWidget:
        osc = self.parts.document.show.osc
        self.on = Tick(tr("Listen"))
        self.on.setToolTip(tr("Nothing is listened to until this is on"))
        self.port = NumberField(tr("Port"), 1, MOST_PORT, osc.port)
        self.allow = QLineEdit()
        self.allow.setAccessibleName(tr("Heard are"))
        self.allow.setPlaceholderText(tr("this machine alone"))
        self.allow.setToolTip(
            tr("Network addresses of those who are heard, with commas between them")
        )
        self.reply = NumberField(
            tr("Told on port"), 0, MOST_PORT, osc.reply, none=tr("the one they use")
        )
        self.addresses = QPlainTextEdit()
        self.addresses.setReadOnly(True)
        self.addresses.setAccessibleName(tr("Addresses"))
        self.addresses.setToolTip(tr("What can be asked, by the names of things"))
        self.addresses.setFixedHeight(SHOWN)

        self.on.toggled.connect(lambda on: self._osc(on=on))
        self.port.editingFinished.connect(lambda: self._osc(port=self.port.value()))
        self.reply.editingFinished.connect(lambda: self._osc(reply=self.reply.value()))
        self.allow.editingFinished.connect(self._allowed)
        made = QWidget()
        form = _form(made)
        form.addRow("", self.on)
        form.addRow(tr("Port"), self.port)
        form.addRow(tr("Heard are"), self.allow)
        form.addRow(tr("Told on port"), self.reply)
        form.addRow(tr("Addresses"), self.addresses)
        return made

    def _osc(self, **fields: Any) -> None:
        document = self.parts.document
        made = edits.replace(document.show.osc, **fields)
        if made != document.show.osc:
            show = edits.replace(document.show, osc=made)
            document.edit(tr("change what is heard by OSC"), show)

    def _allowed(self) -> None:
        words = [word for word in re.split(r"[,;\s]+", self.allow.text()) if word]
        wrong = [word for word in words if not ADDRESS.fullmatch(word)]
        if wrong:
            text = tr(
                "“{text}” is no network address, such as 10.0.0.20; it stays as it "
                "was.",
                text=wrong[0],
            )
            self.parts.notices.told.emit(text, "problem")
            self.fill()
        else:
            self._osc(allow=tuple(dict.fromkeys(words)))

    # desks

    def _add(self) -> None:
        document = self.parts.document
        desk_id = edits.fresh_id("desk", document.show.desks)
        desk = Desk(id=desk_id, name=tr("House desk"))
        show = edits.put(document.show, "desks", desk)
        document.edit(tr("add another desk"), show)

    def _add_send(self) -> None:
        document = self.parts.document
        show = document.show
        first = next(iter(show.playables.values()), None)
        if first is None:
            text = tr("There is nothing yet that could start: make a scene first.")
            self.parts.notices.told.emit(text, "info")
            return
        send = Send(
            id=edits.fresh_id("send", show.sends),
            of=first.ref,
            to=next(iter(self.parts.engine.ports.ports), ""),
            message="note 60",
        )
        document.edit(tr("tell others"), edits.put(show, "sends", send))

    def fill(self) -> None:
        """Show what holds now."""
        show = self.parts.document.show
        self.music.fill()
        self.on.setChecked(show.osc.on)
        self.port.setValue(show.osc.port)
        self.reply.setValue(show.osc.reply)
        self.allow.setText(", ".join(show.osc.allow))
        self.addresses.setPlainText("\n".join(space(show)))
        if list(self.rows) != list(show.desks):
            basics.clear(self.desks)
            self.rows = {i: DeskRow(self.parts, i) for i in show.desks}
            for row in self.rows.values():
                self.desks.addWidget(row)
        for desk_id, row in self.rows.items():
            row.fill(show.desks[desk_id])

        if list(self.send_rows) != list(show.sends):
            basics.clear(self.sends)
            self.send_rows = {i: SendRow(self.parts, i) for i in show.sends}
            for line in self.send_rows.values():
                self.sends.addWidget(line)
        for send_id, line in self.send_rows.items():
            line.fill(show.sends[send_id])


class DeskRow(QWidget):
    """One desk that is listened to."""

    def __init__(self, parts: Parts, desk_id: str) -> None:
        super().__init__()
        self.parts, self.desk_id = parts, desk_id
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name"))
        self.name.editingFinished.connect(
            lambda: self._change(name=self.name.text().strip())
        )
        self.on = Tick(tr("Listen"))
        self.on.toggled.connect(lambda on: self._change(on=on))
        self.remove = basics.tool("close", tr("Listen to it no more"), self._remove)

        self.protocol = _box(tr("By"), PROTOCOLS, self._protocol)
        self.number = NumberField(tr("Its universe"), 0, MOST_NUMBER, 1)
        self.number.editingFinished.connect(
            lambda: self._change(number=self.number.value())
        )
        self.merge = _box(tr("What it does"), MERGES, lambda v: self._change(merge=v))
        self.universe = NumberField(tr("Over universe"), 1, MOST_NUMBER, 1)
        self.universe.editingFinished.connect(
            lambda: self._change(universe=self.universe.value())
        )
        self.lost = _box(tr("When it is lost"), LOSTS, lambda v: self._change(lost=v))

        fields = QWidget()
        form = _form(fields)
        form.addRow(tr("By"), self.protocol)
        form.addRow(tr("Its universe"), self.number)
        form.addRow(tr("What it does"), self.merge)
        form.addRow(tr("Over universe"), self.universe)
        form.addRow(tr("When it is lost"), self.lost)
        head = basics.row(self.name, self.on, self.remove)
        basics.grow(head, 0)
        basics.stack(self, head, fields, margins=8, spacing=6)

    def fill(self, desk: Desk) -> None:
        """Show how it is listened to."""
        self.name.setText(desk.name)
        self.on.setChecked(desk.on)
        self.number.setValue(desk.number)
        self.universe.setValue(desk.universe)
        for box, value in (
            (self.protocol, desk.protocol),
            (self.merge, desk.merge),
            (self.lost, desk.lost),
        ):
            box.setCurrentIndex(max(0, box.findData(value)))
        over = desk.merge != Merge.CONTROLS
        for widget in (self.universe, self.lost):
            widget.setEnabled(over)

    def _protocol(self, protocol: str) -> None:
        self._change(protocol=protocol)

    def _change(self, **fields: Any) -> None:
        document = self.parts.document
        desk = document.show.desks.get(self.desk_id)
        if desk is None:
            return
        made = edits.replace(desk, **fields)
        if made != desk:
            show = edits.put(document.show, "desks", made)
            document.edit(tr("change how a desk is heard"), show)

    def _remove(self) -> None:
        document = self.parts.document
        show = edits.drop(document.show, "desks", [self.desk_id])
        document.edit(tr("listen to a desk no more"), show)


class SendRow(QWidget):
    """One message to others."""

    def __init__(self, parts: Parts, send_id: str) -> None:
        super().__init__()
        self.parts, self.send_id = parts, send_id
        self.of = _box(tr("Of"), {}, lambda ref: self._change(of=ref))
        self.when = _box(tr("When it"), WHENS, lambda v: self._change(when=v))
        self.to = QComboBox()
        self.to.setEditable(True)
        self.to.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.to.setAccessibleName(tr("To"))
        self.to.setToolTip(
            tr("A controller, or for OSC an address such as 10.0.0.20:9000")
        )
        self.to.activated.connect(lambda _: self._typed_to())
        line = self.to.lineEdit()
        assert line is not None
        line.setAccessibleName(tr("To"))
        line.editingFinished.connect(self._typed_to)

        self.message = QLineEdit()
        self.message.setAccessibleName(tr("Message"))
        self.message.setPlaceholderText(tr("note 60"))
        self.message.editingFinished.connect(
            lambda: self._change(message=self.message.text().strip())
        )
        self.fault = basics.label("", "small", wrap=True)
        self.remove = basics.tool("close", tr("Tell it no more"), self._remove)
        first = basics.row(self.of, self.when, self.remove, spacing=6)
        second = basics.row(self.to, self.message, spacing=6)
        for row, index in ((first, 0), (second, 0), (second, 1)):
            basics.grow(row, index)
        basics.stack(self, first, second, self.fault, margins=8, spacing=4)

    def fill(self, send: Send) -> None:
        """Show what is told."""
        show = self.parts.document.show
        names = {p.ref: p.name for p in show.playables.values()}
        names.setdefault(send.of, tr("gone"))
        self.of.clear()
        for ref, name in names.items():
            self.of.addItem(name, ref)
        self.of.setCurrentIndex(list(names).index(send.of))
        self.when.setCurrentIndex(self.when.findData(send.when))

        self.to.clear()
        self.to.addItems(list(self.parts.engine.ports.ports))
        self.to.setCurrentText(send.to)
        self.message.setText(send.message)
        fault = fault_of(send)
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    def _typed_to(self) -> None:
        self._change(to=self.to.currentText().strip())

    def _change(self, **fields: Any) -> None:
        document = self.parts.document
        send = document.show.sends.get(self.send_id)
        if send is None:
            return
        made = edits.replace(send, **fields)
        if made != send:
            show = edits.put(document.show, "sends", made)
            document.edit(tr("change what others are told"), show)

    def _remove(self) -> None:
        document = self.parts.document
        show = edits.drop(document.show, "sends", [self.send_id])
        document.edit(tr("tell others no more"), show)


def _form(of: QWidget) -> QFormLayout:
    form = QFormLayout(of)
    form.setContentsMargins(0, 0, 0, 0)
    form.setHorizontalSpacing(16)
    form.setVerticalSpacing(6)
    return form


def _box(
    name: str, options: dict[Any, str], chosen: Callable[[Any], None]
) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
    for key, text in options.items():
        box.addItem(text, key)
    box.activated.connect(lambda index: chosen(box.itemData(index)))
    return box
