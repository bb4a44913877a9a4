"""Outputs: which universes go where, by which protocol, and whether they arrive."""

from __future__ import annotations

import time
from functools import partial
from html import escape
from typing import cast

from PySide6.QtCore import QSize
from PySide6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLineEdit,
    QVBoxLayout,
    QWidget,
)

from choreon.engine.protocol import FoundNode, Nodes, Pulse
from choreon.language import facts, plural, sentences, tr
from choreon.model import edits, patch
from choreon.model.checks import sent_nowhere
from choreon.model.outputs import (
    OUTPUTS,
    AnyOutput,
    ArtnetOutput,
    as_kind,
    called,
    new_output,
)
from choreon.ui import renaming, theme, words
from choreon.ui.parts import Parts
from choreon.ui.rig.output_fields import FORMS, OutputField, spans_of
from choreon.ui.widgets import basics
from choreon.ui.widgets.flow import FlowLayout, flow
from choreon.ui.widgets.tick import Tick
from choreon.wire.outputs.base import UNTIL_CHANGED

PATIENCE = 6500  # milliseconds in which every node that is there has been asked twice
FRAME = 26  # pixels of a card around its fields
ROOMY, NARROW = 560, 430  # pixels of width for three fields side by side, and for two
LEAST = 300


TRIED_AGAIN = tr("It is tried again every two seconds; the other outputs go on.")


class OutputCard(QWidget):
    """One output: what it is, how it does, and its fields."""

    def __init__(self, parts: Parts, output_id: str) -> None:
        super().__init__()
        self.parts, self.id = parts, output_id
        self._busy = False
        self._before: tuple[float, int, int] | None = None
        self._make_head()

        self.trouble = basics.label("", "alarm", wrap=True)
        self.silence = basics.label("", "soft", wrap=True)
        self.trouble.hide()
        self.silence.hide()

        self.fields: dict[str, OutputField] = {}
        self._of = ""  # the kind that the fields are of
        self._columns = 3
        self._grid = QGridLayout()
        self._ticks = FlowLayout()

        self._grid.setSpacing(6)

        head = flow(self.on, self.name, self.protocol, 1, self.state, self.remove)
        panel = basics.panel(head, self.trouble, self.silence, spacing=6)
        panel.setStyleSheet(
            f"QFrame[panel='true'] {{ border: 1px solid {theme.BATTEN}; }}"
        )
        inside = cast("QVBoxLayout", panel.layout())
        inside.addLayout(self._grid)

        inside.addLayout(self._ticks)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(panel)

        self.fill()

    def _make_head(self) -> None:
        """What all outputs have."""
        self.on = Tick()
        self.on.setAccessibleName(tr("On"))
        self.on.setToolTip(tr("Send by this output, or not"))
        self.on.toggled.connect(lambda on: self._put(on=on))

        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name of the output"))
        self.name.setToolTip(tr("What this output is called here"))
        self.name.setPlaceholderText(tr("Name"))
        self.name.editingFinished.connect(self._rename)

        self.protocol = QComboBox()
        self.protocol.setAccessibleName(tr("Protocol"))
        self.protocol.setToolTip(tr("How the universes are sent"))

        for kind, form in FORMS.items():
            if form.added or kind == self.output.kind:
                self.protocol.addItem(OUTPUTS[kind].title, kind)

        self.protocol.activated.connect(lambda _: self._protocol_changed())

        self.state = basics.label("", "small")
        self.remove = basics.tool("trash", tr("Remove this output"), self._remove)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where it is narrow, fewer fields stand side by side."""
        super().resizeEvent(event)
        wide = event.size().width()
        most = 3 if wide >= ROOMY else 2 if wide >= NARROW else 1
        for columns in range(most, 0, -1):
            self._lay_fields(columns)
            if self._grid.minimumSize().width() + FRAME <= wide:
                break  # the words of any language have room

    def minimumSizeHint(self) -> QSize:
        """As wide as one field."""
        return QSize(LEAST, super().minimumSizeHint().height())

    def _make_fields(self) -> None:
        """The fields of its kind, instead of those of the one before."""
        self._of = self.output.kind
        form = FORMS[self._of]
        basics.clear(self._grid)
        basics.clear(self._ticks)

        made = [make(self._put, self._refused) for make in form.fields]
        ticks = [make(self._put, self._refused) for make in form.ticks]
        self.fields = {field.key: field for field in (*made, *ticks)}
        self._titles = {field.key: basics.label(field.title, "soft") for field in made}
        self._place_fields()

        for tick in ticks:
            self._ticks.addWidget(tick.widget)

    def _lay_fields(self, columns: int) -> None:
        if columns != self._columns:
            self._columns = columns
            self._place_fields()

    def _place_fields(self) -> None:
        for i, (key, title) in enumerate(self._titles.items()):
            row, column = divmod(i, self._columns)
            self._grid.addWidget(title, row, 2 * column)
            self._grid.addWidget(self.fields[key].widget, row, 2 * column + 1)

    @property
    def output(self) -> AnyOutput:
        """The output that the card is of."""
        return self.parts.document.show.outputs[self.id]

    def fill(self) -> None:
        """Show the output as it is."""
        output = self.output
        if output.kind != self._of:
            self._make_fields()

        self._busy = True
        self.on.setChecked(output.on)
        self.name.setText(output.name)
        self.protocol.setCurrentIndex(self.protocol.findData(output.kind))
        for field in self.fields.values():
            field.fill(getattr(output, field.key))
        self._busy = False

    def _refused(self, why: str) -> None:
        """What was entered is not taken."""
        self.parts.notices.told.emit(why, "alarm")
        self.fill()

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
            self.parts.document.edit(
                tr("change the output {called}", called=called(changed)),
                edits.put(self.parts.document.show, "outputs", changed),
            )

    def _protocol_changed(self) -> None:
        kind = self.protocol.currentData()
        if kind != self.output.kind and not self._busy:
            self._store(as_kind(self.output, kind))

    def _remove(self) -> None:
        self.parts.document.edit(
            tr("remove the output {called}", called=called(self.output)),
            edits.drop(self.parts.document.show, "outputs", [self.id]),
        )

    def tell(self, sent: int, errors: int, trouble: str) -> None:
        """What it has done by now, from the engine."""
        now = time.monotonic()
        if self._before and sent >= self._before[1] and now - self._before[0] > 0.3:
            span = now - self._before[0]
            bad = (errors - self._before[2]) / span
            rate = (sent - self._before[1]) / span
            self.state.setText(
                facts(
                    tr("{rate:.0f} packets/s", rate=rate),
                    tr("{bad:.0f} errors/s", bad=bad) if bad > 0 else "",
                )
            )

        self._before = (now, sent, errors)
        again = "" if trouble.endswith(UNTIL_CHANGED) else TRIED_AGAIN
        told = sentences(trouble, again)
        self.trouble.setText(tr("▲ {told}", told=told) if trouble else "")
        self.trouble.setVisible(bool(trouble))

    def tell_answers(self, hosts: set[str]) -> None:
        """Which Art-Net nodes answer; one that this output sends to and that does not
        is told.
        """
        output = self.output
        gone = (
            isinstance(output, ArtnetOutput)
            and output.on
            and bool(output.host)
            and output.host not in hosts
        )

        text = ""
        if gone and isinstance(output, ArtnetOutput):
            text = tr(
                "◌ {host} does not answer: it may be off, or away. It is sent to all "
                "the same.",
                host=output.host,
            )

        self.silence.setText(text)
        self.silence.setVisible(gone)

    def tell_off(self) -> None:
        """Say that nothing is sent."""
        self.state.setText(tr("off"))
        self.trouble.hide()


ASKED = tr(
    "None has answered yet. Asked every few seconds: this computer, and the addresses "
    "of the outputs above."
)
ASKED_EVERYWHERE = tr(
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
            tr("Search the network"),
            self.search,
            "",
            "search",
            tr("Ask everybody on the network which Art-Net nodes there are"),
        )

        add = [
            basics.button(
                *(form.added, partial(self.add, kind), "", "plus"),
                tr("Another output by {added}", added=form.added),
            )
            for kind, form in FORMS.items()
            if form.added
        ]

        inner = QWidget()
        box = basics.stack(
            inner,
            basics.row(basics.label(tr("Outputs"), "heading"), 1, *add),
            self.warning,
            margins=12,
        )

        box.addLayout(self.rows)
        heading = basics.label(tr("Art-Net nodes that answer"), "heading")
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
        parts.engine.nodes_changed.connect(self.fill_nodes)
        self.patience = basics.once(self, PATIENCE, self._silent)
        self._fill()

        self.fill_nodes(parts.engine.nodes)

    def showEvent(self, event: QShowEvent) -> None:
        self.parts.engine.find_nodes(True)
        self.patience.start()
        for card in self.cards.values():
            card.fill()

    def hideEvent(self, event: QHideEvent) -> None:
        self.searching = False
        self.parts.engine.find_nodes(False)
        self.patience.stop()

    def search(self) -> None:
        """Ask all the network from now on, until this is hidden."""
        self.searching = True
        self.parts.engine.find_nodes(True, everywhere=True)
        self.fill_nodes(self.parts.engine.nodes)

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
        dark = plural(
            len(nowhere),
            "▲ Universe {which} is sent nowhere: its fixtures stay dark.",
            "▲ The universes {which} are sent nowhere: their fixtures stay dark.",
            which=spans_of(tuple(nowhere)),
        )
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
        kind: str,
        host: str = "",
        universes: tuple[int, ...] = (),
        name: str = "",
    ) -> None:
        """One more output."""
        show = self.parts.document.show
        output_id = edits.fresh_id(name or kind, show.outputs)
        made = new_output(kind, id=output_id, name=name, universes=universes)

        if host:
            made = edits.replace(made, host=host)

        self.parts.document.edit(
            tr("add an output by {title}", title=OUTPUTS[kind].title),
            edits.put(show, "outputs", made),
        )

    def fill_nodes(self, nodes: Nodes) -> None:
        """One line a node that has answered."""
        if self.isVisible() and not self.patience.isActive():
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
        ports = spans_of(tuple(node.outputs)) if node.outputs else tr("nothing")
        about = facts(
            f"<b>{escape(node.name)}</b>  {escape(node.host)}",
            escape(tr("puts out {ports}", ports=ports)),
        )

        text = basics.label(about, wrap=True, rich=True)
        used = patch.universes(self.parts.document.show)
        fits = tuple(u for u in used if u - 1 in node.outputs)

        tip = tr("None of its port-addresses belongs to a universe in use")
        if fits:
            universes = words.some([tr("universe {u}", u=u) for u in fits])
            tip = tr(
                "An output to {name} with {universes}",
                name=node.name,
                universes=universes,
            )

        act = partial(self.add, ArtnetOutput.kind, node.host, fits, node.name)
        send = basics.button(tr("Send here"), act, tip=tip)
        send.setEnabled(bool(fits))
        line = basics.row(text, 1, send)
        basics.grow(line, 0)

        return line
