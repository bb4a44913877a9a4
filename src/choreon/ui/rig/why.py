"""Why a slot has the value it has: the layers that touch it, the one that wins, and the
way to each.
"""

from __future__ import annotations

from functools import partial
from html import escape

from PySide6.QtCore import QTimer
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QToolButton, QVBoxLayout, QWidget

from choreon.language import facts, in_a_row, tr
from choreon.model import attributes as at
from choreon.model.effects import fixtures_of, motion_of, without_effect
from choreon.model.motion import names
from choreon.model.refs import GRAND, THE_DRAFT
from choreon.render.explain import Why, WhyLayer
from choreon.ui import kinds, theme, words
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics


class WhyCard(QWidget):
    """One slot explained, kept up to date while it is looked at."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.asked: tuple[int, int] | None = None
        self._shown: object = None
        self.title = basics.label("", "big", wrap=True)

        self.what = basics.label(
            tr(
                "Press the right button on a slot of the addresses below: here stands "
                "which layers touch it, and which one wins."
            ),
            "soft",
            wrap=True,
        )

        self.rows = QWidget()
        self.box = QVBoxLayout(self.rows)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(6)

        basics.stack(self, self.title, self.what, self.rows, 1)
        self._timer = QTimer(self, interval=250)
        self._timer.timeout.connect(self._fill)
        self.title.hide()

    def showEvent(self, event: QShowEvent) -> None:
        self._timer.start()
        self._fill()

    def hideEvent(self, event: QHideEvent) -> None:
        self._timer.stop()

    def ask(self, universe: int, slot: int) -> None:
        """Explain a slot."""
        self.asked, self._shown = (universe, slot), None
        self._fill()

    def _fill(self) -> None:
        if self.asked is None:
            return

        universe, slot = self.asked
        found = self.parts.preview.why(universe, slot)
        frame = self.parts.preview.frame()
        slots = frame[1].get(universe) if frame else None
        now = int(slots[slot - 1]) if slots is not None else 0
        state = (found, now)

        if state == self._shown:
            return

        self._shown = state
        self.title.setText(
            tr("{universe}.{slot} is at {now}", universe=universe, slot=slot, now=now)
        )
        self.title.show()
        basics.clear(self.box)
        self.what.setText("" if found else tr("No fixture uses this slot; it is 0."))

        self.what.setVisible(not found)
        for why in found:
            for line in self._lines(why):
                self.box.addWidget(line)

    def _lines(self, why: Why) -> list[QWidget]:
        what = [why.channel.label]
        if why.use.cell:
            what.append(tr("cell {cell}", cell=why.use.cell))
        if len(why.use.slots) > 1:
            what.append(
                tr("byte {byte} of {n}", byte=why.byte + 1, n=len(why.use.slots))
            )
        text = facts(why.fixture.name, in_a_row(what))
        head = basics.label(text, "heading", wrap=True)
        note = basics.label(
            tr("from above to below; the marked ones decide"), "small", wrap=True
        )
        return [head, note, *(self._layer(layer) for layer in reversed(why.layers))]

    def _layer(self, layer: WhyLayer) -> QWidget:
        """A layer in words, and a way to change it."""
        mark = f'<span style="color:{theme.LIVE}">●</span> ' if layer.wins else "○ "
        weight = (
            tr("{weight:.0f} % of it", weight=100 * layer.weight)
            if layer.weight < 1
            else ""
        )
        value = tr("{value:.0f}", value=layer.value)

        if layer.attribute:
            number = words.value(layer.attribute, layer.value)
            if layer.how == "scales":
                number = tr("scaled to {value:.0f} %", value=100 * layer.value)
            elif layer.how:
                number = tr("{number} added", number=number)

            value = tr(
                "{label} {number}",
                label=at.attribute(layer.attribute).label,
                number=number,
            )

        said = escape(facts(value, weight))
        text = f"{mark}<b>{escape(layer.source)}</b><br>{said}"
        widgets: list[QWidget | int] = [basics.label(text, wrap=True, rich=True)]
        button = self._deed(layer)

        if button is not None:
            widgets.append(button)

        row = basics.row(*widgets)
        basics.grow(row, 0)
        return row

    def _deed(self, layer: WhyLayer) -> QToolButton | None:
        """The button that takes a layer's part away; None where there is no way."""
        target = layer.target
        if target == THE_DRAFT and self.asked:
            fixture = next(w.fixture.id for w in self.parts.preview.why(*self.asked))
            if layer.moves:
                out = partial(self._take_out, fixture, layer.attribute)
                return basics.tool("close", tr("Take the effect out of the draft"), out)

            lines: dict[str, tuple[str, ...]] = {fixture: (layer.attribute,)}
            act = partial(self.parts.draft.untouch, lines)
            return basics.tool("close", tr("Take it out of the draft"), act)

        if target is not None and target.kind in kinds.KINDS:
            players = self.parts.engine.state.players
            ids = [player.id for player in players if player.ref == target]
            act = partial(self._release, ids)

            return basics.tool(
                "stop", tr("Fade out {source}", source=layer.source), act
            )

        if target == GRAND:
            return basics.tool("sun", tr("Grand master full, blackout off"), self._full)

        return None

    def _take_out(self, fixture: str, attribute: str) -> None:
        """Take what moves an attribute of a fixture out of the draft."""
        show, effects = self.parts.document.show, self.parts.draft.effects
        for effect in effects:
            moves = attribute in names(motion_of(show, effect))
            if moves and fixture in fixtures_of(show, effect):
                effects = without_effect(effects, effect.id)
        self.parts.draft.set_effects(tr("take an effect out"), effects)

    def _release(self, players: list[str]) -> None:
        for player in players:
            self.parts.engine.release(player)

    def _full(self) -> None:
        self.parts.engine.set_grand(1.0)
        self.parts.engine.set_blackout(False)
