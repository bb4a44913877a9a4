"""The slab below: what is on, what comes next, and GO."""

from __future__ import annotations

import time

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import QFrame, QSizePolicy, QWidget

from choreon.engine.actions import cues as running
from choreon.engine.actions import following
from choreon.engine.actions.following import Wall
from choreon.language import facts, listed, tr
from choreon.model.cue_words import clock_in_words, times_in_words
from choreon.model.playables.stack import Cue, FollowKind, called, number_in_words
from choreon.model.script import words_around
from choreon.render.sources.stack import step_at
from choreon.render.state import Cued, Player
from choreon.ui import theme
from choreon.ui.score.hand import ScoreHand
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets import basics
from choreon.ui.widgets.spoken import tell
from choreon.ui.widgets.values import ValueField

TICK = 60  # milliseconds between looks at fades
CALM = 200  # milliseconds between looks at what is waited for
WIDE, TALL = 150, 96  # points of a small picture
WITH_NEXT, WITH_THEN = 1080, 860  # points of the slab in which these have room


class CuePicture(QWidget):
    """A cue as a small picture, with its number and name, and how far its fade is."""

    def __init__(self, hand: ScoreHand, minis: MiniStages, title: str) -> None:
        super().__init__()
        self.hand, self.minis, self.title = hand, minis, title
        self.cue: Cue | None = None
        self.share: float | None = None
        """How much of its fade is done; None where it stands."""
        self.tail = ""
        self.setFixedWidth(WIDE)
        self.setMinimumHeight(TALL + 40)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)

    def show_cue(self, cue: Cue | None, share: float | None, tail: str) -> None:
        """Show a cue, or none."""
        if (cue, share, tail) != (self.cue, self.share, self.tail):
            self.cue, self.share, self.tail = cue, share, tail
            words = self.words()
            self.setAccessibleName(words)
            self.setToolTip(words)
            self.update()

    def words(self) -> str:
        """What it shows, in words."""
        if self.cue is None:
            return tr("{title}: nothing", title=self.title)
        name = called(self.cue)
        if not self.tail:
            return tr("{title}: {name}", title=self.title, name=name)
        return tr(
            "{title}: {name}, {tail}", title=self.title, name=name, tail=self.tail
        )

    def _pixmap(self, cue: Cue) -> QPixmap | None:
        stack = self.hand.stack
        if stack is None:
            return None
        preview, show = self.hand.parts.preview, self.hand.show
        made_of = (cue, stack, show.palettes, show.marks, show.groups, show.playables)
        return self.minis.made(
            f"cue {stack.id}/{cue.id}",
            made_of,
            lambda: preview.light_of_step(step_at(stack, cue)),
            WIDE - 2,
            TALL - 2,
            self,
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(12))
        painter.setPen(QColor(theme.SOFT))
        painter.drawText(QRectF(0, 0, WIDE, 18), 0, self.title)

        top = 20
        frame = QRectF(0.5, top + 0.5, WIDE - 1, TALL - 1)
        painter.fillRect(frame, QColor(theme.STAGE_BLACK))
        cue = self.cue
        if cue is not None:
            picture = self._pixmap(cue)
            if picture is not None:
                painter.drawPixmap(1, top + 1, picture)
        painter.setPen(QPen(QColor(theme.BATTEN), 1))
        painter.drawRect(frame)

        if self.share is not None:
            line = QRectF(0, top + TALL + 2, WIDE, 4)
            painter.fillRect(line, QColor(theme.BATTEN))
            done = QRectF(line.x(), line.y(), WIDE * self.share, line.height())
            painter.fillRect(done, QColor(theme.LIVE))

        if cue is not None:
            self._draw_name(painter, cue, top + TALL + 8)

    def _draw_name(self, painter: QPainter, cue: Cue, top: float) -> None:
        """Its number and name, and a word behind them."""
        painter.setFont(theme.font(14, strong=True))
        painter.setPen(QColor(theme.TEXT))
        room = WIDE
        if self.tail:
            metrics = painter.fontMetrics()
            wide = metrics.horizontalAdvance(self.tail)
            room -= wide + 8
            where = QRectF(WIDE - wide, top, wide, 20)
            painter.drawText(where, Qt.AlignmentFlag.AlignRight, self.tail)

        right = Qt.TextElideMode.ElideRight
        name = painter.fontMetrics().elidedText(called(cue), right, int(room))
        painter.drawText(QRectF(0, top, room, 20), 0, name)


class GoButton(QWidget):
    """GO: what it brings stands on it. Pressing it anywhere is a GO."""

    pressed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.number, self.name, self.below, self.waits = "", "", "", ""
        self.alive = self.dry = False
        self._down = False
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setMinimumSize(260, 132)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(420, 150)

    def say(self, number: str, name: str, below: str, waits: str, alive: bool) -> None:
        """Show what GO brings: its number and name, times and notes, what it waits for.
        `alive`: there is something that it brings.
        """
        shown = (number, name, below, waits, alive)
        if shown != (self.number, self.name, self.below, self.waits, self.alive):
            self.number, self.name, self.below, self.waits, self.alive = shown
            cue = tr("{number} {name}", number=number, name=name)
            words = facts(tr("GO"), cue if name else number, below, waits)
            self.setAccessibleName(words)
            self.setToolTip(tr("{words} (Space)", words=words))
            self.setEnabled(alive)
            self.update()
            tell(self)

    def text(self) -> str:
        """What stands on it."""
        return self.accessibleName()

    def press(self) -> None:
        """As if it was pressed."""
        if self.alive:
            self.pressed.emit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """It acts on the way down: nothing comes later than the hand."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._down = True
            self.press()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._down = False
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        event.ignore()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        ground = theme.FLAT
        if self.alive:
            ground = theme.DRAFT if self.dry else theme.LIVE
        ink = theme.PIT if self.alive else theme.SOFT
        painter.setBrush(theme.colour(ground, 0.75 if self._down else 1.0))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawRoundedRect(room, 10, 10)
        painter.setPen(QColor(ink))

        high = room.height()
        painter.setFont(theme.font(int(min(76, max(44, high * 0.44))), strong=True))
        word = tr("GO")
        wide = painter.fontMetrics().horizontalAdvance(word) + 40
        painter.drawText(
            QRectF(room.x(), room.y(), wide, high), Qt.AlignmentFlag.AlignCenter, word
        )

        rest = QRectF(
            room.x() + wide, room.y() + 8, room.width() - wide - 14, high - 16
        )
        self._draw_next(painter, rest)

    def _draw_next(self, painter: QPainter, room: QRectF) -> None:
        """What it brings: number and name, then what is to be watched for."""
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        right = Qt.TextElideMode.ElideRight
        painter.setFont(theme.font(26, strong=True))
        title = f"{self.number}  {self.name}".strip()
        shown = painter.fontMetrics().elidedText(title, right, int(room.width()))
        first = QRectF(room.x(), room.y(), room.width(), 36)
        painter.drawText(first, left, shown)

        last = QRectF(room.x(), room.bottom() - 22, room.width(), 22)
        painter.setFont(theme.font(14, strong=bool(self.waits)))
        foot = painter.fontMetrics().elidedText(self.waits, right, int(room.width()))
        painter.drawText(last, left, foot)

        painter.setFont(theme.font(22))
        between = QRectF(room.x(), first.bottom(), room.width(), 0)
        between.setBottom(last.top())
        wrap = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(between, wrap, self.below)


class GoSlab(QFrame):
    """Back, hold and rate; what is on, GO with what comes, and the one behind."""

    def __init__(self, hand: ScoreHand, minis: MiniStages) -> None:
        super().__init__()
        self.hand = hand
        self.setProperty("panel", "true")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

        self.back = basics.button(
            tr("Back"),
            hand.back,
            icon="before",
            tip=tr("To the cue before, in its times (Shift+Space)"),
        )
        self.hold = basics.button(
            tr("Hold"),
            hand.hold,
            icon="pause",
            tip=tr("Have fades and waits stand, or go on (Pause)"),
        )
        self.hold.setCheckable(True)
        self.skip = basics.button(
            tr("Skip"),
            hand.skip,
            icon="after",
            tip=tr("Have the cue after the next one come next"),
        )
        self.rate = ValueField(tr("Rate"), 0.25, 4.0, "×", 2, 1.0, bar=False)
        self.rate.setToolTip(tr("How fast fades and waits go; double-click for ×1"))
        self.rate.changed.connect(hand.set_rate)
        self.let_go = basics.button(
            tr("Let go"), hand.let_go, "quiet", tip=tr("Fade the whole stack out")
        )
        for button in (self.back, self.hold, self.skip, self.let_go):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)

        keys = QWidget()
        basics.stack(
            keys, self.back, self.hold, self.skip, self.rate, self.let_go, 1, spacing=2
        )
        keys.setFixedWidth(124)

        self.now = CuePicture(hand, minis, tr("Now"))
        self.then = CuePicture(hand, minis, tr("After that"))
        self.coming = CuePicture(hand, minis, tr("Next"))
        self.go = GoButton()
        self.go.pressed.connect(hand.go)

        whole = basics.row(keys, self.now, self.coming, self.go, self.then, spacing=12)
        basics.grow(whole, 3, 1)
        basics.stack(self, whole, margins=10)

        self._tick = QTimer(self, interval=TICK)
        self._tick.timeout.connect(self.follow)
        hand.went.connect(self.follow)
        hand.changed.connect(self.follow)
        self.follow()

    def showEvent(self, event: QShowEvent) -> None:
        """What went on while it was out of sight is shown."""
        super().showEvent(event)
        self.follow()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is little room GO has it, on which the next one stands."""
        self.coming.setVisible(self.width() >= WITH_NEXT)
        self.then.setVisible(self.width() >= WITH_THEN)
        super().resizeEvent(event)

    def follow(self) -> None:
        """Show what is on and what comes."""
        hand, player = self.hand, self.hand.player
        now, coming = hand.now, hand.next
        moment = hand.moment
        share, tail = (None, "") if player is None else _fading(player, moment)

        self.now.show_cue(now, share, tail)
        self.coming.show_cue(coming, None, "")
        self.then.show_cue(hand.after_next, None, "")

        if self.go.dry != (hand.dry is not None):
            self.go.dry = hand.dry is not None
            self.go.update()
        self._show_go(coming, player, moment)

        self._show_keys(player)
        self._pace(coming, player, moment)

    def _show_keys(self, player: Player | None) -> None:
        """What the keys beside GO do now, and where they stand."""
        for widget in (self.back, self.hold, self.skip, self.rate, self.let_go):
            widget.setEnabled(player is not None)

        self.hold.setChecked(player is not None and player.paused)
        self.rate.set_value(1.0 if player is None else player.rate)

    def _pace(self, coming: Cue | None, player: Player | None, moment: float) -> None:
        """Look again as often as what is shown changes by itself; never at rest."""
        fades = player is not None and _goes_on(player, moment)
        comes = coming is not None and bool(self._waits(coming, player, moment))
        pace = TICK if fades else CALM
        if self._tick.interval() != pace:
            self._tick.setInterval(pace)

        goes_on = self.isVisible() and player is not None and (fades or comes)
        if goes_on != self._tick.isActive():
            if goes_on:
                self._tick.start()
            else:
                self._tick.stop()

    def _show_go(self, cue: Cue | None, player: Player | None, now: float) -> None:
        stack = self.hand.stack
        if cue is None or stack is None:
            words = tr("The last cue is on") if player is not None else ""
            self.go.say("", words, "", "", False)
            return

        number = number_in_words(cue.number)
        waits = self._waits(cue, player, now) or self._seen_of(cue, player, now)
        times = tr("in/out {times} s", times=times_in_words(stack, cue))
        words = "" if cue.at is None else words_around(stack.text, cue.at)
        self.go.say(number, cue.name, words or cue.note or times, waits, True)

    def _seen_of(self, cue: Cue, player: Player | None, now: float) -> str:
        """What is being got ready in the dark for it, or what of it will be seen
        moving.
        """
        state, known = self.hand.state, self.hand.show.fixtures
        for ready in state.ready:
            mine = player is not None and ready.player == player.id
            if mine and ready.cue == cue.id and not ready.ramp.done(now):
                lamps = [known[i].name for i in ready.moves if i in known]
                return tr("getting ready in the dark: {lamps}", lamps=listed(lamps, 4))
        return self.hand.moving.get(cue.id, "")

    def _usually(self, cursor: Cued, now: float) -> str:
        """When it came in the last runs, in words; empty where nobody knows."""
        gap = None if self.hand.dry is not None else self.hand.usual_gap
        if gap is None:
            return ""
        left = gap - (now - cursor.went)
        if left >= 0.0:
            return tr("comes in about {time}", time=_minutes(left))
        return tr("came {time} ago in the last runs", time=_minutes(-left))

    def _waits(self, cue: Cue, player: Player | None, now: float) -> str:
        """What the next cue waits for, in words; empty for GO alone."""
        cursor = None if player is None else running.cursor_of(player)
        if player is None or cursor is None:
            return ""
        if cue.follow.kind == FollowKind.GO:
            return self._usually(cursor, now)
        if cursor.missed:
            return tr(
                "It was to come by itself, and its time was over: it waits for GO"
            )
        if player.paused:
            return tr("held")
        if cursor.waits:
            return tr("It waits for GO")
        if cue.follow.kind == FollowKind.CLOCK:
            return tr("comes at {time}", time=clock_in_words(cue.follow.after))

        state, show = self.hand.state, self.hand.show
        due = following.due_at(state, show, player, now, Wall(time.time()))
        if due is None:
            return ""
        return tr("comes by itself in {seconds:.1f} s", seconds=max(0.0, due - now))


def _minutes(seconds: float) -> str:
    """“1:20”."""
    whole = round(seconds)
    return f"{whole // 60}:{whole % 60:02d}"


def _fading(player: Player, now: float) -> tuple[float | None, str]:
    """How much of the fade to its cue a player has done, and the time that is left."""
    step = player.steps[-1]
    if step.done(now):
        return None, ""

    moment = now if step.until is None else min(now, step.until)
    ends = [step.progress.until, step.fall.until]
    ends += [max(one.progress.until, one.fall.until) for one in step.lamps]
    whole = max(ends) - step.at
    left = max(0.0, max(ends) - moment)
    share = 1.0 - left / whole if whole > 0.0 else 1.0
    return share, tr("{seconds:.1f} s", seconds=left)


def _goes_on(player: Player, now: float) -> bool:
    """Whether something of it is shown that changes by itself."""
    return not player.steps[-1].done(now)
