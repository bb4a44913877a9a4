"""Masters, tempo, clock, labels, and what is done to all that plays."""

from __future__ import annotations

import time

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPen

from choreon.language import tr
from choreon.model.lamps import fixtures_of
from choreon.model.masters import Blackout, GrandMaster, GroupMaster, Override
from choreon.model.refs import DEEDS
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState
from choreon.ui import pixmaps, theme
from choreon.ui.beat import Beat
from choreon.ui.tiles.base import TileWidget, draw_fitting
from choreon.ui.tiles.playing import FaderTile
from choreon.ui.widgets.spoken import Role, Spoken

LOOKS = 150  # milliseconds between looks at the light of a master's lamps


class MasterWidget(FaderTile):
    """A master: a fader; a blackout is a key. What it would leave of the light is drawn
    beside it: one that scales as a share of what plays, one that overrides as a line
    across it.
    """

    token = theme.TEXT

    def __init__(self, *parts: object) -> None:
        self.landed: float | None = None  # the most light of its lamps, 0…1
        super().__init__(*parts)  # type: ignore[arg-type]
        self._light = QTimer(self, interval=LOOKS)
        self._light.timeout.connect(self._follow_light)
        if self.is_blackout:
            self.fader.hide()
            self.setFocusProxy(None)  # type: ignore[arg-type]
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @property
    def master(self) -> object | None:
        """The master that it stands for."""
        return self.parts.document.show.masters.get(self.tile.drives.id)

    @property
    def is_blackout(self) -> bool:
        """Whether it is a key, not a fader."""
        return isinstance(self.master, Blackout)

    @property
    def is_override(self) -> bool:
        """Whether it holds lamps absolutely."""
        return isinstance(self.master, Override)

    def tip(self) -> str:
        """How it is played."""
        if self.tile.note:
            return str(self.tile.note)
        if self.is_override:
            return tr(
                "{name}: holds its fixtures at this level, above all that plays; "
                "double-click lets them go",
                name=self.name,
            )
        return tr(
            "{name}: scales what plays; drag, wheel (Shift: fine), digits",
            name=self.name,
        )

    def show_state(self, state: PlayState) -> None:
        """Follow the master, and whether an override has a grip."""
        super().show_state(state)
        grip = state.masters.grip(self.tile.drives.id)
        held = 0.0 if grip is None or grip.held.end == 0.0 else 1.0
        if held != self.weight and self.is_override:
            self.weight = held
            self.update()

    def showEvent(self, event: object) -> None:
        """Follow the light while it is seen."""
        self._follow_light()
        self._light.start()

    def hideEvent(self, event: object) -> None:
        """What is not seen does not tick."""
        self._light.stop()

    def _follow_light(self) -> None:
        landed = self._landing()
        if landed != self.landed:
            self.landed = landed
            self.update()

    def _landing(self) -> float | None:
        """How bright the brightest of its lamps is now, of all that plays and holds it:
        there its level has landed. None where it has no lamps of its own.
        """
        over, preview = getattr(self.master, "over", ()), self.parts.preview
        if not over or not preview.ready:
            return None
        level = preview.brightest(fixtures_of(self.parts.document.show, over))
        return None if level is None else round(level, 2)

    def seen(self, state: PlayState, level: float) -> tuple[float, bool]:
        """A master that scales is no light; an override is on while it has a grip."""
        if self.is_override:
            return self.weight, False
        return (level if self.is_blackout else 0.0), False

    outlined = False

    def picture_height(self) -> int:
        """It has no picture."""
        return 0

    def hand_down(self, point: QPointF) -> None:
        """A blackout answers a press."""
        if self.is_blackout:
            self.do(Verb.PRESS)
        else:
            super().hand_down(point)

    def turn(self, by: float) -> bool:
        """A blackout has no level."""
        return not self.is_blackout and super().turn(by)

    def dim(self, level: float) -> None:
        """Bring the master to a level; a blackout has none."""
        if not self.is_blackout:
            super().dim(level)

    def key_down(self) -> None:
        """Its key takes the fader in hand, or presses the blackout."""
        if self.is_blackout:
            self.do(Verb.PRESS)
        else:
            super().key_down()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """An override lets its lamps go; a master is full again."""
        if self.arranged or self.is_blackout:
            return
        if self.is_override:
            self.do(Verb.RELEASE)
        else:
            self.dim(1.0)

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The level, and what kind of master it is: by its sign."""
        if self.is_blackout:
            self._draw_blackout(painter, rect)
            return
        super().draw(painter, rect)
        self._draw_reach(painter)

    def _draw_blackout(self, painter: QPainter, rect: QRectF) -> None:
        on = self.level > 0
        painter.fillRect(rect, QColor(theme.ALARM if on else theme.FLAT))
        painter.setPen(QColor(theme.PIT if on else theme.TEXT))
        text = tr("Blackout is on") if on else self.name
        inner = rect.adjusted(10, 0, -10, 0)
        draw_fitting(painter, inner, text, 20, Qt.AlignmentFlag.AlignHCenter)

    def _draw_reach(self, painter: QPainter) -> None:
        """Beside the fader: a wedge for what scales, a clamp for what holds; and a dot
        where the light of its lamps has come to.
        """
        if not self.upright:
            return

        box = self.fader.geometry()
        left = max(13.0, box.center().x() - 14.0)
        top, run = box.top() + 14.0, box.height() - 28.0
        y = top + run * (1.0 - self.level)

        if self.landed is not None:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.LIVE if self.landed > 0 else theme.FAINT))
            spot = QPointF(box.center().x() + 20.0, top + run * (1.0 - self.landed))
            painter.drawEllipse(spot, 4, 4)

        if self.is_override:
            token = theme.KEEP if self.weight > 0 else theme.FAINT
            painter.setPen(QPen(QColor(token), 3))
            painter.drawLine(QPointF(left - 9, y), QPointF(left, y))
            painter.drawLine(QPointF(left - 9, y - 5), QPointF(left - 9, y + 5))

            if self.weight > 0:
                painter.setFont(theme.font(12))
                painter.setPen(QColor(theme.KEEP))
                painter.drawText(QRectF(8, 4, 60, 18), tr("holds"))

            return

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.BATTEN))
        foot = top + run
        painter.drawPolygon(
            [QPointF(left, foot), QPointF(left, y), QPointF(left - 9 * self.level, y)]
        )

    def figures(self) -> str:
        """An override that holds nothing says so."""
        if self.is_override and self.weight == 0.0:
            return "–"
        return super().figures()


class TempoWidget(TileWidget):
    """The tempo, with a light on the beat: press on the beat to tap."""

    outlined = False

    def __init__(self, *parts: object) -> None:
        super().__init__(*parts)  # type: ignore[arg-type]
        self.bpm = 120.0
        self.beat = Beat(self.parts, self)
        self.beat.changed.connect(self.update)

    def tip(self) -> str:
        """How it is played."""
        return str(self.tile.note) or tr("Press on the beat; wheel: beats a minute")

    def showEvent(self, event: object) -> None:
        """Follow the beat while it is seen."""
        self.beat.start()

    def hideEvent(self, event: object) -> None:
        """What is not seen does not tick."""
        self.beat.stop()

    def show_state(self, state: PlayState) -> None:
        """Show the tempo."""
        super().show_state(state)
        if state.clock.bpm != self.bpm:
            self.bpm = state.clock.bpm
            self.update()

    def hand_down(self, point: QPointF) -> None:
        """One beat."""
        self.do(Verb.TAP)

    def turn(self, by: float) -> bool:
        """A little faster or slower."""
        self.do(Verb.NUDGE, 20.0 * by)
        return True

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: beats a minute."""
        return Spoken(Role.Button, tr("{bpm:.0f} a minute", bpm=self.bpm))

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The number, and dots for the beats of the bar."""
        foot = self.foot()
        painter.setPen(QColor(theme.TEXT))
        number = QRectF(10, 6, self.width() - 20, foot.top() - 26)
        middle = Qt.AlignmentFlag.AlignHCenter
        draw_fitting(painter, number, tr("{bpm:.0f}", bpm=self.bpm), 34, middle)

        bar = max(1, self.parts.engine.state.clock.bar)
        step = min(20.0, (self.width() - 20) / bar)
        left = self.width() / 2 - step * bar / 2
        painter.setPen(Qt.PenStyle.NoPen)

        for n in range(bar):
            on, lit = n == self.beat.beat, self.beat.lit
            token = theme.LIVE if on and lit else theme.BATTEN
            painter.setBrush(QColor(token if not on or lit else theme.FAINT))
            spot = QPointF(left + step * (n + 0.5), foot.top() - 10)
            radius = 5.5 if n == 0 else 4.0
            painter.drawEllipse(spot, radius, radius)

        self.draw_foot(painter, dot=False)

    @property
    def name(self) -> str:
        """What stands on it."""
        return str(self.tile.name) or tr("Tap")


class ClockWidget(TileWidget):
    """The time of day."""

    outlined = False
    plays_by_key = False

    def __init__(self, *parts: object) -> None:
        super().__init__(*parts)  # type: ignore[arg-type]
        self.text = ""
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._tick = QTimer(self, interval=1000)
        self._tick.timeout.connect(self._follow)

    def tip(self) -> str:
        """What it is."""
        return str(self.tile.note) or tr("The time of day")

    def showEvent(self, event: object) -> None:
        """Follow the time while it is seen."""
        self._follow()
        self._tick.start()

    def hideEvent(self, event: object) -> None:
        """What is not seen does not tick."""
        self._tick.stop()

    def _follow(self) -> None:
        text = time.strftime("%H:%M:%S" if self.width() > 150 else "%H:%M")
        if text != self.text:
            self.text = text
            self.update()

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: the hour."""
        return Spoken(Role.Clock, self.text)

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The hour, large."""
        painter.setPen(QColor(theme.TEXT))
        room = rect.adjusted(10, 4, -10, -4 if not self.tile.name else -32)
        draw_fitting(painter, room, self.text, 34, Qt.AlignmentFlag.AlignHCenter)
        if self.tile.name:
            self.draw_foot(painter, dot=False)


class LabelWidget(TileWidget):
    """Words, or a picture of the show."""

    outlined = False
    draws_ground = False
    plays_by_key = False

    def __init__(self, *parts: object) -> None:
        super().__init__(*parts)  # type: ignore[arg-type]
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        picture = self.parts.document.show.pictures.get(self.tile.picture)
        self.picture = pixmaps.pixmap(picture.data if picture else b"")

    @property
    def name(self) -> str:
        """The words."""
        return str(self.tile.name)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: nothing but its words."""
        return Spoken(Role.StaticText)

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """The picture as large as it fits, the words in the rest."""
        below = rect
        if not self.picture.isNull():
            room = rect.adjusted(4, 4, -4, -34 if self.tile.name else -4)
            size = self.picture.size().scaled(
                room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio
            )
            spot = QRectF(0, 0, size.width(), size.height())
            spot.moveCenter(room.center())
            painter.drawPixmap(spot, self.picture, QRectF(self.picture.rect()))

            below = QRectF(rect.left(), rect.bottom() - 32, rect.width(), 30)

        painter.setPen(QColor(theme.TEXT))
        text = self.name or ("" if not self.picture.isNull() else tr("Words"))
        draw_fitting(painter, below.adjusted(8, 0, -8, 0), text, 24)

        if self.guest and self.tile.note and below is rect:
            painter.setFont(theme.font(14))
            painter.setPen(QColor(theme.SOFT))
            low = below.adjusted(8, below.height() / 2 + 14, -8, 0)
            flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            painter.drawText(low, int(flags), self.tile.note)


class UnknownWidget(TileWidget):
    """A tile of a kind that this Choreon does not know. It keeps its place."""

    plays_by_key = False

    def __init__(self, *parts: object) -> None:
        super().__init__(*parts)  # type: ignore[arg-type]
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def tip(self) -> str:
        """What it is."""
        kind = self.tile.stored.get("kind", "")
        return tr(
            "A tile of the kind “{kind}”: this Choreon does not know it. It is kept.",
            kind=kind,
        )

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """Its name, and that it is not known."""
        painter.setPen(QColor(theme.SOFT))
        half = rect.height() / 2
        if self.tile.name:
            draw_fitting(painter, rect.adjusted(8, 0, -8, -half), self.name, 20)

        painter.setPen(QColor(theme.FAINT))
        draw_fitting(painter, rect.adjusted(8, half, -8, 0), tr("Not known here"), 14)


class DeedWidget(TileWidget):
    """Something done to all that plays."""

    outlined = False

    @property
    def name(self) -> str:
        """What it does."""
        return str(self.tile.name) or DEEDS.get(self.tile.deed, self.tile.deed)

    def hand_down(self, point: QPointF) -> None:
        """Do it."""
        self.do(Verb.PRESS, 1.0, Edge.DOWN)

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """Its sign and its name."""
        sign = self.tile.sign if self.tile.sign in theme.icon_names() else ""
        pixmap = theme.pixmap(sign or SIGNS.get(self.tile.deed, "stop"), theme.TEXT)
        foot = self.foot()
        size = min(40.0, max(16.0, foot.top() - 16))
        if foot.top() > 34:
            spot = QRectF(rect.center().x() - size / 2, 0, size, size)
            spot.moveTop((foot.top() - size) / 2 + 2)
            painter.drawPixmap(spot, pixmap, QRectF(pixmap.rect()))
        self.draw_foot(painter, dot=False)


SIGNS = {"release": "clear", "safe": "sun", "undo": "undo", "normal": "home"}


def kind_of(master: object) -> str:
    """Returns what a master does, in words."""
    if isinstance(master, Override):
        return tr("holds its fixtures, above all")
    if isinstance(master, GroupMaster | GrandMaster):
        return tr("scales what plays")
    return tr("all intensity to zero") if isinstance(master, Blackout) else ""
