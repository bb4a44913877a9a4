"""What comes: the stage as it will be in some seconds, while a timeline plays."""

from __future__ import annotations

import time

from PySide6.QtCore import QTimer
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from choreon.engine.actions import timelines as running
from choreon.language import tr
from choreon.model.playables.timeline import over_at
from choreon.render.compositor import render
from choreon.render.state import PlayState, replace
from choreon.ui.score.line_hand import LineHand
from choreon.ui.score.stage_then import StageThen
from choreon.ui.stage.painter import StagePainter
from choreon.ui.widgets import basics

AHEAD = 4.0  # seconds
HIGH = 116  # points of the picture
TICK = 250  # milliseconds between two pictures


class Ghost(QWidget):
    """The stage in AHEAD seconds: by what is on, as time alone changes it; where the
    line stands, by its own light behind the playhead.
    """

    def __init__(self, hand: LineHand) -> None:
        super().__init__()
        self.hand = hand
        self.stage = StageThen()
        self.stage.setMinimumSize(120, HIGH)
        self.stage.setMaximumHeight(HIGH)
        self.stage.setAccessibleName(tr("The stage in some seconds"))
        self.words = basics.label("", "small", wrap=True)
        basics.stack(self, self.words, self.stage, spacing=4)
        self._painter: tuple[object, StagePainter] | None = None
        self._tick = QTimer(self, interval=TICK)
        self._tick.timeout.connect(self.look)
        hand.went.connect(self.look)

    def showEvent(self, event: QShowEvent) -> None:
        """Look ahead while it is seen."""
        self._tick.start()
        self.look()

    def hideEvent(self, event: QHideEvent) -> None:
        """What is not seen is not worked out."""
        self._tick.stop()

    def look(self) -> None:
        """Show what comes."""
        if not self.isVisible():
            return
        state, then = self._then()
        preview = self.hand.parts.preview
        if state is None or not preview.ready:
            self.stage.show_light(None, None)
            basics.say(self.words, tr("What comes is seen here while it plays"))
            return
        light = preview.decoder.read(render(preview.compiled, state, then))
        self.stage.show_light(self._made(), light)
        basics.say(self.words, tr("In {seconds:.0f} seconds", seconds=AHEAD))

    def _then(self) -> tuple[PlayState | None, float]:
        """What is on, and when, if time alone goes on."""
        line, player = self.hand.line, self.hand.player
        now = time.monotonic()
        cursor = None if player is None else running.cursor_of(player)
        if line is None or player is None or cursor is None:
            return None, now
        state = self.hand.parts.engine.state
        if cursor.pauses:
            place = min(over_at(line), cursor.seconds + AHEAD)
            last = player.steps[-1]
            there = replace(last, cursor=replace(cursor, seconds=place))
            put = replace(player, steps=(*player.steps[:-1], there))
            others = tuple(put if p.id == put.id else p for p in state.players)
            return replace(state, players=others), now
        return state, now + AHEAD

    def _made(self) -> StagePainter:
        preview = self.hand.parts.preview
        decoder, room = preview.decoder, self.hand.show.room
        key = (decoder, room)
        if self._painter is None or self._painter[0] != key:
            self._painter = key, StagePainter(decoder.lamps, room)
        return self._painter[1]
