"""What is on now: the latest on top, each with its level, where it is, how long it
still takes, and ways to drive it and to let it go.
"""

from __future__ import annotations

import time

from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import QFrame, QMenu, QSizePolicy, QVBoxLayout, QWidget

from choreon.engine.do import Do
from choreon.language import tr
from choreon.model.refs import PLAYER, Ref
from choreon.model.verbs import Edge, Verb
from choreon.render.state import Cued, Player, PlayState
from choreon.ui import kinds, theme
from choreon.ui.kinds.base import StepsInWords
from choreon.ui.parts import Parts
from choreon.ui.perform.page_view import moves
from choreon.ui.widgets import basics
from choreon.ui.widgets.counter import Counter
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField

TICK = 100  # milliseconds between looks at what fades, told in tenths of a second
SOON = 25  # milliseconds after a press in which the list follows
FASTER = 2 ** (1 / 4)  # times as fast by one press


class OnNow(QFrame):
    """The list of what is on, the latest on top."""

    def __init__(self, parts: Parts) -> None:
        super().__init__()
        self.parts = parts
        self.setProperty("panel", "true")
        self.rows: dict[str, OnRow] = {}
        self.title = basics.label(tr("On now"), "heading")

        self.back = basics.tool(
            "undo",
            tr("Back to before: as it was before the last press (Ctrl+Backspace)"),
            lambda: parts.engine.deed("undo"),
        )

        self.all = basics.button(
            tr("Let all go"),
            lambda: parts.engine.release(),
            "quiet",
            tip=tr(
                "Fade out everything that is on, but what is protected "
                "(Ctrl+Shift+Backspace)"
            ),
        )

        self.empty = basics.label(
            tr("Nothing is on. Press a tile, or push a fader up."), "soft", True
        )

        inside = QWidget()
        self.list = QVBoxLayout(inside)
        self.list.setContentsMargins(0, 0, 6, 0)
        self.list.setSpacing(6)

        self.list.addStretch(1)
        box = basics.stack(
            self,
            basics.row(self.title, 1, self.back, self.all, spacing=2),
            self.empty,
            basics.scroller(inside),
            margins=12,
            spacing=6,
        )

        box.setStretch(2, 1)
        self._tick = QTimer(self, interval=TICK)
        self._tick.timeout.connect(self.animate)
        self._soon = basics.once(self, SOON, self._follow)
        parts.engine.state_changed.connect(self._state)

        self._follow()

    def _state(self, state: PlayState) -> None:
        """The tile that was pressed is drawn first."""
        if not self._soon.isActive():
            self._soon.start()

    def _follow(self) -> None:
        state = self.parts.engine.state
        players = [p for p in state.players if not p.lifts]
        players.sort(key=lambda p: _height(state, p), reverse=True)
        ids = [p.id for p in players]
        if ids != list(self.rows):
            self._set_rows(ids)
        self.empty.setVisible(not players)
        self.all.setEnabled(bool(players))
        self.back.setEnabled(bool(state.past))
        for player in players:
            self.rows[player.id].follow(player)
        if self.isVisible() and _goes_on(state):
            self._tick.start()

    def _set_rows(self, ids: list[str]) -> None:
        """Have a row for each, in their order; those that stay are the same."""
        for gone in set(self.rows) - set(ids):
            row = self.rows.pop(gone)
            row.hide()
            self.list.removeWidget(row)
            discard(row)
        rows = {i: self.rows.get(i) or OnRow(self.parts, i) for i in ids}
        for place, row in enumerate(rows.values()):
            if self.list.indexOf(row) != place:
                self.list.insertWidget(place, row)
        self.rows = rows

    def animate(self) -> None:
        """Follow fades that are under way, and what moves."""
        state = self.parts.engine.state
        for player in state.players:
            if player.id in self.rows:
                self.rows[player.id].follow(player)
        if not self.isVisible() or not _goes_on(state):
            self._tick.stop()


def _height(state: PlayState, player: Player) -> tuple[int, int]:
    """Where a player lies, or will when it has been brought to the top."""
    lifts = [p.order for p in state.players if p.lifts == player.id]
    return player.priority, max([player.order, *lifts])


def _goes_on(state: PlayState) -> bool:
    now = time.monotonic()
    return any(not p.settled(now) or moves(p) for p in state.players)


class Called(QWidget):
    """What is on, by its name: behind a dot in a colour, hollow while it goes out. It
    takes the room that is left, so that what can be pressed is never cut.
    """

    def __init__(self) -> None:
        super().__init__()
        self._shown = ("", theme.LIVE, False)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)

    def say(self, name: str, token: str, goes_out: bool) -> None:
        """Show a name, and a dot in the colour of a token."""
        if (name, token, goes_out) != self._shown:
            self._shown = name, token, goes_out
            self.setToolTip(name)
            self.setAccessibleName(name)
            self.update()

    def text(self) -> str:
        """What stands there, where there is room for it."""
        name, _, goes_out = self._shown
        return f"{'○' if goes_out else '●'} {name}"

    def paintEvent(self, event: QPaintEvent) -> None:
        name, token, goes_out = self._shown
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.FLAT))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(token), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush if goes_out else QColor(token))
        painter.drawEllipse(QPointF(6, self.height() / 2), 4.5, 4.5)
        painter.setPen(QColor(theme.TEXT))
        room = self.rect().adjusted(18, 0, 0, 0)
        right = Qt.TextElideMode.ElideRight
        shown = painter.fontMetrics().elidedText(name, right, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, shown)


ROOMY = 250  # pixels in which a name, a time, a level and a way out have room


class OnRow(QFrame):
    """One thing that is on. What moves shows its step and the next one, its rate, and
    ways to drive it.
    """

    def __init__(self, parts: Parts, player_id: str) -> None:
        super().__init__()
        self.parts, self.player_id = parts, player_id
        self.name = Called()
        self.left = Counter(theme.FLAT)
        self.level = ValueField("", 0, 100, "%", 0, 100.0, bar=False)

        self.level.setFixedWidth(66)
        self.level.setAccessibleName(tr("Level"))
        self.level.setToolTip(tr("Level: drag, wheel or type"))
        self.level.changed.connect(self._set_level)
        self.go = basics.tool(
            "close", tr("Let it go"), lambda: parts.engine.release(player_id)
        )

        self.go.setMinimumSize(40, 40)
        self.where = basics.name_label("", "small")
        self.rate = basics.label("", "small")
        self.pause = basics.tool(
            "pause", tr("Stand still, or go on"), self._pause, True
        )
        self.back = basics.tool("before", tr("The step before"), self._back)

        self.next = basics.tool("after", tr("The next step"), self._next)
        self.tap = basics.button(
            tr("Tap"), lambda: self._do(Verb.TAP), "quiet", tip=tr("Tap it to time")
        )

        self.tap.setFixedHeight(34)
        self.slower = basics.tool("minus", tr("Slower"), self._slower)
        self.faster = basics.tool("plus", tr("Faster"), self._faster)

        for button in (self.pause, self.back, self.next, self.slower, self.faster):
            button.setFixedSize(34, 34)

        self.drive = basics.row(
            self.back,
            self.pause,
            self.next,
            1,
            self.tap,
            self.slower,
            self.rate,
            self.faster,
            spacing=0,
        )

        self._steps: tuple[object, StepsInWords | None] | None = None
        self._rate = 1.0
        self._has_cues = False  # which are not tapped to time
        first = basics.row(self.name, self.left, self.level, self.go, spacing=4)
        basics.grow(first, 0)

        basics.stack(
            self,
            first,
            self.where,
            self.drive,
            margins=4,
            spacing=0,
        ).setContentsMargins(10, 2, 2, 2)

        self.where.hide()
        self.drive.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room it is the name that stays; the tile shows how far
        a fade is.
        """
        roomy = self.width() >= ROOMY
        self.tap.setVisible(roomy and not self._has_cues)
        self.left.setVisible(roomy)
        self.level.setFixedWidth(66 if roomy else 52)
        super().resizeEvent(event)

    def _do(self, verb: Verb, value: float = 1.0, edge: Edge = Edge.DOWN) -> None:
        self.parts.engine.send(Do(Ref(PLAYER, self.player_id), verb, value, edge))

    def _set_level(self, level: float) -> None:
        self._do(Verb.LEVEL, max(0.01, level / 100.0), Edge.TURN)

    def _pause(self) -> None:
        self._do(Verb.PAUSE)

    def _next(self) -> None:
        self._do(Verb.NEXT)

    def _back(self) -> None:
        self._do(Verb.BACK)

    def _slower(self) -> None:
        self._do(Verb.RATE, self._rate / FASTER)

    def _faster(self) -> None:
        self._do(Verb.RATE, self._rate * FASTER)

    def menu(self) -> QMenu:
        """What else can be done with it."""
        menu = Menu(self)
        menu.addAction(tr("Up by one"), lambda: self._do(Verb.RAISE))
        menu.addAction(tr("Down by one"), lambda: self._do(Verb.LOWER))
        menu.addAction(tr("To the top"), lambda: self._do(Verb.RAISE, 1000.0))
        menu.addSeparator()
        menu.addAction(tr("Hold, or go on"), self._pause)
        menu.addAction(tr("Half as fast"), lambda: self._do(Verb.HALF))
        menu.addAction(tr("Twice as fast"), lambda: self._do(Verb.DOUBLE))
        menu.addAction(tr("As it is kept"), lambda: self._do(Verb.STORED))
        menu.addSeparator()
        menu.addAction(
            tr("Let it go"), lambda: self.parts.engine.release(self.player_id)
        )
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open what can be done with it."""
        self.menu().exec(event.globalPos())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """To the top."""
        self._do(Verb.RAISE, 1000.0)

    def follow(self, player: Player) -> None:
        """Show how far a player is on, and where it is."""
        now = time.monotonic()
        token = theme.KEEP if player.protected else theme.LIVE
        self.name.say(player.name, token, player.releasing)
        self.level.set_value(100.0 * player.level)
        self.left.setText(_time_left(player, now))
        self._follow_motion(player, now)

    def _follow_motion(self, player: Player, now: float) -> None:
        cursor = player.steps[-1].cursor
        self.drive.setVisible(cursor.runs)
        if not cursor.runs:
            self.where.hide()
            return

        self._rate = player.rate
        self._has_cues = isinstance(cursor, Cued)
        self.tap.setVisible(not self._has_cues and self.width() >= ROOMY)
        self.rate.setText(tr("×{rate:.3g}", rate=player.rate))
        self.pause.setChecked(player.paused)
        steps = self._steps_of(player)

        for widget in (self.back, self.next, self.where):
            widget.setVisible(steps is not None)

        if steps is not None:
            beat = self.parts.engine.state.beat(now)
            self.where.setText(steps(cursor, cursor.time(now, beat)))

    def _steps_of(self, player: Player) -> StepsInWords | None:
        """What tells where in its steps something is, worked out once."""
        show = self.parts.document.show
        playable = show.playables.get(player.ref.id)
        if playable is None:
            return None

        if self._steps is None or self._steps[0] is not playable:
            make = kinds.kind_of(playable).steps
            self._steps = (playable, None if make is None else make(show, playable))
        return self._steps[1]


def _time_left(player: Player, now: float) -> str:
    """How long a player still fades, in words; empty where it stands."""
    if player.releasing:
        return tr("out {seconds:.1f} s", seconds=max(0.0, player.weight.until - now))
    if not player.settled(now):
        return tr("in {seconds:.1f} s", seconds=max(0.0, player.settles - now))
    return ""
