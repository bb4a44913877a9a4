"""The tempo in the heading: beats a minute, tapped, nudged, halved and doubled; a light
that shows where the beat is.
"""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QHideEvent,
    QPainter,
    QPaintEvent,
    QShowEvent,
)
from PySide6.QtWidgets import QMenu, QPushButton, QWidget

from choreon.engine.actions.tempo import FASTEST, SLOWEST
from choreon.language import tr
from choreon.model import edits
from choreon.model.refs import TEMPO
from choreon.model.verbs import Verb
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.beat import Beat
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.spoken import Role, Spoken
from choreon.ui.widgets.values import ValueField


class BeatLight(QWidget):
    """One dot for each beat of the bar; that of the beat lights up on it."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.beat = Beat(parts, self)
        self.beat.changed.connect(self.update)
        self.setFixedSize(14 * 4 + 4, 24)
        self.setAccessibleName(tr("The beat"))
        self.setToolTip(
            tr("Where the beat is in the bar: press on the first one of a bar")
        )

    def showEvent(self, event: QShowEvent) -> None:
        """Follow the beat while it is seen."""
        self.beat.start()

    def hideEvent(self, event: QHideEvent) -> None:
        """What is not seen does not blink."""
        self.beat.stop()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        bar = max(1, self.parts.engine.state.clock.bar)
        step = min(14.0, (self.width() - 4) / bar)
        for n in range(bar):
            on, lit = n == self.beat.beat, self.beat.lit
            token = theme.LIVE if on and lit else theme.BATTEN
            painter.setBrush(QColor(token if not on or lit else theme.FAINT))
            size = 10.0 if n == 0 else 7.0
            size = min(size, step - 1)
            middle = 2 + step * (n + 0.5)
            painter.drawEllipse(QRectF(middle - size / 2, 12 - size / 2, size, size))

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        bpm = self.parts.engine.state.clock.bpm
        return Spoken(Role.Indicator, tr("{bpm:.0f} a minute", bpm=bpm))

    def mousePressEvent(self, event: object) -> None:
        """The nearest beat is the first of a bar."""
        self.parts.engine.tempo(Verb.BAR)


class TempoBox(QWidget):
    """Tempo, tap and beat."""

    learning = Signal()
    """A control is to be tied to the tempo."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.light = BeatLight(parts)
        self.bpm = ValueField("", SLOWEST, FASTEST, "bpm", 1, 120.0, bar=False)
        self.bpm.setAccessibleName(tr("Tempo, beats a minute"))
        self.bpm.setFixedWidth(96)
        self.bpm.setToolTip(
            tr(
                "Tempo: drag, turn the wheel or type; the right button: half, double, "
                "keep it for the opening of the show"
            )
        )

        self.bpm.changed.connect(lambda v: parts.engine.tempo(Verb.BPM, v))
        self.tap = QPushButton(tr("Tap"))
        self.tap.setToolTip(tr("Press on the beat (Ctrl+T)"))
        self.tap.setAccessibleName(tr("Tap the tempo"))
        self.tap.setProperty("kind", "quiet")
        self.tap.setProperty("played", True)
        self.tap.pressed.connect(self.tap_now)
        row = basics.row(self.light, self.bpm, self.tap, spacing=2)
        basics.stack(self, row)
        parts.engine.state_changed.connect(self._state)
        self._state(parts.engine.state)

    def tap_now(self) -> None:
        """One beat, now."""
        self.parts.engine.tempo(Verb.TAP)

    def _state(self, state: PlayState) -> None:
        self.bpm.set_value(state.clock.bpm)

    def menu(self) -> QMenu:
        """What else can be done with the tempo."""
        engine = self.parts.engine
        menu = Menu(self)
        menu.addAction(tr("Half as fast"), lambda: engine.tempo(Verb.HALF))
        menu.addAction(tr("Twice as fast"), lambda: engine.tempo(Verb.DOUBLE))
        menu.addAction(tr("A little slower"), lambda: engine.tempo(Verb.NUDGE, -0.5))
        menu.addAction(tr("A little faster"), lambda: engine.tempo(Verb.NUDGE, 0.5))
        menu.addSeparator()
        menu.addAction(tr("A bar begins now"), lambda: engine.tempo(Verb.BAR))
        menu.addAction(tr("Open the show with this tempo"), self.keep)
        menu.addAction(tr("Learn a control for it…"), self.learning.emit)
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open the menu."""
        self.menu().exec(event.globalPos())

    def keep(self) -> None:
        """Have the show open with the tempo as it is now."""
        document = self.parts.document
        bpm = round(self.parts.engine.state.clock.bpm, 1)
        document.edit(tr("keep the tempo"), edits.change(document.show, TEMPO, bpm=bpm))
        text = tr("The show opens with {bpm:g} beats a minute from now on.", bpm=bpm)
        self.parts.notices.told.emit(text, "info")
