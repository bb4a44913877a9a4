"""What all tiles on a page have in common: a ground, a name, a state, and hands on it,
whether by mouse or by finger.
"""

from __future__ import annotations

import time
from collections.abc import Iterable
from typing import Any

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from choreon.engine.actions import tiles
from choreon.engine.do import Do
from choreon.language import in_a_row, tr
from choreon.model import givens
from choreon.model.playables import Playable
from choreon.model.refs import exists, find, name_of
from choreon.model.tiles import Page, Tile
from choreon.model.values import Look
from choreon.model.verbs import Edge, Verb
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets.focus_ring import BACK_AGAIN, BY_KEYS
from choreon.ui.widgets.keys import HELD_WITH, PRESSES
from choreon.ui.widgets.labels import fit
from choreon.ui.widgets.spoken import Role, Spoken, tell

GONE = tr("What it plays is gone")
LEAST = 48  # pixels that a target has at least
EDGE = 12  # pixels between the words of a tile and its edge
NARROW = 90  # pixels: a tile that has little room for its name
WHEEL = 0.05  # of a level, a notch
FINE = 0.01


class TileWidget(QWidget):
    """A tile as it is seen and played. `arranged`: it is being placed, and plays
    nothing. `guest`: whoever plays it edits nothing; its line of help is shown.
    """

    menu_wanted = Signal(str, object)
    """The tile's id, and where on the screen."""

    draws_ground = True
    plays_by_key = True

    def __init__(self, parts: Parts, minis: MiniStages, page: Page, tile: Any) -> None:
        super().__init__()
        self.parts, self.minis, self.page = parts, minis, page
        self.tile = tile
        self.level = 0.0
        self.weight = 0.0

        self.fading = False
        self.asking = False
        self.arranged = False
        self.guest = False
        self.allowed = True  # for guests: they may play it

        self.dims = True  # for guests: they may change its level
        self.key = ""  # shown while Alt is held
        self.taught = ""  # the key of the keyboard that plays it
        self.down = False
        self.by_keyboard = False  # the focus came to it by keys
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

        self.setAccessibleName(self.name)
        self.setAccessibleDescription(tile.note)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.trouble = ""
        """Why something of it can do nothing."""
        self.look_again()

    def look_again(self) -> None:
        """Find out whether what it plays can do anything."""
        self.trouble = self._trouble()
        self.setToolTip(self.trouble or self.tip())
        self.update()

    def _trouble(self) -> str:
        show = self.parts.document.show
        for ref in self.tile.leads_to:
            given = givens.given_of(show, ref)
            idle = "" if given is None else givens.idle(show, given)
            if idle:
                return idle
        return ""

    # what it is

    @property
    def playable(self) -> Playable | None:
        """The first thing that it plays; None where there is none."""
        for ref in self.tile.leads_to:
            found = find(self.parts.document.show, ref)
            if isinstance(found, Playable):
                return found
        return None

    @property
    def is_dead(self) -> bool:
        """Whether all that it acts on is gone."""
        show, leads_to = self.parts.document.show, self.tile.leads_to
        return bool(leads_to) and not any(exists(show, ref) for ref in leads_to)

    @property
    def name(self) -> str:
        """What stands on it."""
        if self.is_dead and not self.tile.name:
            return GONE
        return self.tile.name or name_of(self.parts.document.show, self.tile.ref)

    def tip(self) -> str:
        """What its tooltip says."""
        return self.tile.note or self.name

    def sizeHint(self) -> QSize:
        return QSize(158, 128)

    # what is on

    def show_state(self, state: PlayState) -> None:
        """Follow what plays."""
        show = self.parts.document.show
        level = tiles.level_of(show, state, self.page, self.tile)
        weight, fading = self.seen(state, level)
        asking = self.tile.id in state.asking
        now = (level, self._drawn(weight), fading, asking)

        before = (self.level, self._drawn(self.weight), self.fading, self.asking)
        self.level, self.weight, self.fading, self.asking = (
            level,
            weight,
            fading,
            asking,
        )

        if now != before:
            self.update()
            self.level_shown()
            tell(self)

    role = Role.Button
    """What a screen reader calls it."""

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: how far it is on."""
        level = tr("{level:.0f} %", level=100 * self.level)
        said = [level if self.level > 0 else tr("off")]
        if self.fading:
            said.append(tr("fading"))
        if self.asking:
            said.append(tr("asks once more"))
        return Spoken(self.role, in_a_row(said), is_on=self.level > 0)

    def speak_press(self) -> None:
        """A screen reader presses it."""
        if not self.arranged:
            self.key_down()
            self.key_up()

    def _drawn(self, weight: float) -> int:
        """How a weight is drawn: as so many pixels, of something that is on at least
        one.
        """
        return max(int(weight > 0), round(weight * self.width()))

    def seen(self, state: PlayState, level: float) -> tuple[float, bool]:
        """Returns how far it is to be seen on stage, 0…1, and whether that changes."""
        return level, False

    def level_shown(self) -> None:
        """For tiles with a control in them: follow the level."""

    def set_allowed(self, allowed: bool) -> None:
        """Have a guest play it, or only see it."""
        if allowed != self.allowed:
            self.allowed = allowed
            through = Qt.WidgetAttribute.WA_TransparentForMouseEvents
            self.setAttribute(through, not allowed)
            focus = Qt.FocusPolicy.StrongFocus if allowed else Qt.FocusPolicy.NoFocus
            for widget in (self, *self.controls()):
                widget.setFocusPolicy(focus)
            self.update()

    def controls(self) -> Iterable[QWidget]:
        """The controls in it that take the focus in its place."""
        proxy = self.focusProxy()
        return () if proxy is None else (proxy,)

    # hands: every way to the light leads through these

    def may(self, levels: bool = False) -> bool:
        """Whether whoever has it may play it, or change its level."""
        return self.allowed and (self.dims or not levels)

    def do(self, verb: Verb, value: float = 1.0, edge: Edge = Edge.DOWN) -> None:
        """Do something to the tile, after what was dragged before. What is held may
        always be let go.
        """
        if self.may() or edge == Edge.UP:
            self.parts.engine.flush()
            self.parts.engine.send(Do(self.tile.ref, verb, value, edge))

    def press(self) -> None:
        """Press it as a pad."""
        if self.may():
            self.parts.engine.press(self.tile.id)

    def dim(self, level: float) -> None:
        """Bring it to a level, 0…1."""
        if self.may(levels=True):
            self.parts.engine.set_level(self.tile.id, min(1.0, max(0.0, level)))
        else:
            self.level_shown()  # a control in it goes back to where it is

    def give_live(self, look: Look) -> None:
        """Have it give its lamps values."""
        if self.may(levels=True):
            self.parts.engine.set_live(self.tile.id, look)

    def hand_down(self, point: QPointF) -> None:
        """A finger, or the mouse, is put on it."""

    def hand_moved(self, point: QPointF, fine: bool = False) -> None:
        """It is moved."""

    def hand_up(self) -> None:
        """It is taken away."""

    def key_down(self) -> None:
        """A key that stands for it goes down."""
        self.hand_down(QPointF(self.rect().center()))

    def key_up(self) -> None:
        """The key goes up."""
        self.hand_up()

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Keys that play come only to a tile that was chosen by keys: whoever pressed
        it, or came to it since something else was gone, does not expect them.
        """
        super().focusInEvent(event)
        if event.reason() not in BACK_AGAIN:
            self.by_keyboard = event.reason() in BY_KEYS
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Play it."""
        self.by_keyboard = False
        if event.button() == Qt.MouseButton.LeftButton and not self.arranged:
            self.down = True
            self.hand_down(event.position())
            self.update()
        else:
            event.ignore()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Go along with the pointer."""
        if self.down:
            shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            self.hand_moved(event.position(), bool(shift))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        if self.down:
            self.down = False
            self.hand_up()
            self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A notch up or down, with Shift a small one."""
        shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        turned = event.angleDelta().y() or event.angleDelta().x()
        if (
            self.arranged
            or not self.dims
            or not self.turn((FINE if shift else WHEEL) * turned / 120)
        ):
            event.ignore()
        else:
            event.accept()

    def turn(self, by: float) -> bool:
        """Bring its level up or down; returns whether there is anything to turn."""
        return False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter and Space play it, arrows turn it, digits are tenths, F is full."""
        key = Qt.Key(event.key())
        if self.arranged or event.modifiers() & HELD_WITH:
            event.ignore()
        elif key in PRESSES:
            if self.by_keyboard and not event.isAutoRepeat():
                self.key_down()
        elif key in TURNS and self.dims:
            fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            if not self.turn(TURNS[key] * (FINE if fine else WHEEL)):
                event.ignore()
        elif not (self.takes_level and self.dims and self._typed(event)):
            event.ignore()

    takes_level = False

    def _typed(self, event: QKeyEvent) -> bool:
        key = event.key()
        if Qt.Key.Key_0 <= key <= Qt.Key.Key_9:
            self.dim((key - Qt.Key.Key_0) / 10)
        elif key == Qt.Key.Key_F:
            self.dim(1.0)
        else:
            return False
        return True

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """A key that played it goes up."""
        if Qt.Key(event.key()) not in PRESSES:
            event.ignore()
        elif self.by_keyboard and not event.isAutoRepeat():
            self.key_up()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Ask for what can be done with it."""
        if not self.guest:
            self.menu_wanted.emit(self.tile.id, event.globalPos())

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.palette().window())
        painter.setRenderHints(
            QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform
        )
        rect = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
        shape = QPainterPath()
        shape.addRoundedRect(rect, theme.RADIUS + 2, theme.RADIUS + 2)

        painter.setClipPath(shape)
        if self.draws_ground:
            painter.fillRect(rect, QColor(theme.LIFT if self.down else theme.FLAT))

        self.draw(painter, rect)
        if not self.allowed:
            painter.fillRect(rect, theme.colour(theme.PIT, 0.55))

        if self.tile.colour:
            strip = QRectF(rect.left(), rect.top(), 6, rect.height())
            painter.fillRect(strip, QColor(self.tile.colour))

        if getattr(self.tile, "protected", False):
            draw_tape(painter, rect)

        if self.trouble and not self.guest:
            draw_trouble(painter, rect)

        painter.setClipping(False)
        self._outline(painter, shape)
        if self.key:
            _draw_key(painter, rect, self.key)
        elif self.taught and not self.guest:
            _draw_taught(painter, rect, self.taught)

    def draw(self, painter: QPainter, rect: QRectF) -> None:
        """Draw its face."""

    def _outline(self, painter: QPainter, shape: QPainterPath) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.asking:
            pen = QPen(QColor(theme.ALARM), 3)
            pen.setDashPattern([3, 2])
            painter.setPen(pen)
            painter.drawPath(shape)
        elif self.level > 0 and self.outlined:
            painter.setPen(QPen(QColor(theme.LIVE), 2.5))
            painter.drawPath(shape)
        elif self.draws_ground:
            painter.setPen(QPen(QColor(theme.EDGE), 1))
            painter.drawPath(shape)

        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.CHOSEN), 1.5))
            painter.drawPath(shape)

    outlined = True

    def title_height(self) -> int:
        """How many pixels the name takes at its foot."""
        return 30 if self.height() < 110 else 36

    def foot(self) -> QRectF:
        """Where the name stands, and below it the line of help for guests."""
        height = self.title_height() + self.note_height()
        return QRectF(EDGE, self.height() - height - 2, self.width() - 2 * EDGE, height)

    def note_height(self) -> int:
        """How many pixels the line of help takes."""
        if not (self.guest and self.tile.note) or self.height() < 96:
            return 0
        return 20 if self.width() > 190 else 34

    def draw_foot(self, painter: QPainter, dot: bool = True) -> None:
        """Draw the name, with a dot where it is live, and the line of help."""
        foot = self.foot()
        line = QRectF(foot.left(), foot.top(), foot.width(), self.title_height())
        self.draw_title(painter, line, dot)
        if self.note_height():
            painter.setFont(theme.font(13))
            painter.setPen(QColor(theme.SOFT))
            below = QRectF(
                foot.left(), line.bottom() - 4, foot.width(), self.note_height()
            )
            flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
            painter.drawText(below, int(flags), self.tile.note)

    def draw_title(self, painter: QPainter, rect: QRectF, dot: bool = True) -> None:
        """Draw the name in the size that fits."""
        left = rect.left() + (4 if self.tile.colour else 0)
        if dot and self.weight > 0 and self.width() >= NARROW:
            draw_dot(painter, QPointF(left + 5, rect.center().y()))
            left += 17
        elif self.tile.sign:
            left += self._draw_sign(painter, left, rect.center().y()) + 6
        painter.setPen(QColor(theme.ALARM if self.is_dead else theme.TEXT))
        inner = QRectF(left, rect.top(), rect.right() - left, rect.height())
        text = tr("Press again to play") if self.asking else self.name
        draw_fitting(painter, inner, text, 20 if self.height() > 150 else 16)

    def _draw_sign(self, painter: QPainter, left: float, middle: float) -> float:
        """Draw an icon, or a few letters, before the name. Returns how wide it is."""
        if self.tile.sign in theme.icon_names():
            pixmap = theme.pixmap(self.tile.sign, theme.TEXT)
            painter.drawPixmap(
                QRectF(left, middle - 9, 18, 18), pixmap, QRectF(pixmap.rect())
            )
            return 18.0
        painter.setFont(theme.font(14, strong=True))
        painter.setPen(QColor(theme.SOFT))
        width = painter.fontMetrics().horizontalAdvance(self.tile.sign)
        spot = QRectF(left, middle - 12, width + 2, 24)
        painter.drawText(spot, Qt.AlignmentFlag.AlignVCenter, self.tile.sign)
        return float(width)

    def draw_stage(self, painter: QPainter, rect: QRectF, height: float) -> None:
        """Draw what it lights as a mini-stage at its head."""
        playable = self.playable
        if playable is None or height < 20:
            return
        mini = self.minis.picture(playable, int(rect.width()), int(height), self)
        painter.setOpacity(1.0 if self.weight > 0 else 0.82)
        painter.drawPixmap(rect.topLeft(), mini)
        painter.setOpacity(1.0)


TURNS = {
    Qt.Key.Key_Up: 1.0,
    Qt.Key.Key_Right: 1.0,
    Qt.Key.Key_Down: -1.0,
    Qt.Key.Key_Left: -1.0,
}


def progress(state: PlayState, player_id: str, now: float) -> tuple[float, bool]:
    """Returns how far a player is on, 0…1, and whether it fades."""
    player = state.player(player_id)
    if player is None:
        return 0.0, False
    weight = min(player.weight_at(now), player.steps[-1].progress.level(now))
    return weight, not player.settled(now)


def now() -> float:
    """Returns the time that players are counted in."""
    return time.monotonic()


def draw_dot(painter: QPainter, middle: QPointF, token: str = theme.LIVE) -> None:
    """Draw the sign of what is live."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(token))
    painter.drawEllipse(middle, 4.5, 4.5)


def draw_trouble(painter: QPainter, rect: QRectF) -> None:
    """A sign in the lower right corner, where no name begins and no level stands:
    something of it can do nothing.
    """
    left, top = rect.right() - 21, rect.bottom() - 19
    sign = QPainterPath(QPointF(left + 7, top))
    sign.lineTo(left + 14, top + 12)
    sign.lineTo(left, top + 12)
    sign.closeSubpath()
    painter.fillPath(sign, QColor(theme.ALARM))


def draw_tape(painter: QPainter, rect: QRectF) -> None:
    """Draw a corner of tape: what is held, protected or aside."""
    corner = QPainterPath()
    corner.moveTo(rect.right() - 20, rect.top())
    corner.lineTo(rect.right(), rect.top())
    corner.lineTo(rect.right(), rect.top() + 20)
    corner.closeSubpath()
    painter.fillPath(corner, QColor(theme.KEEP))


def draw_fitting(
    painter: QPainter,
    rect: QRectF,
    text: str,
    largest: int,
    align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
) -> None:
    """Draw words in one line, in the largest size down to 12 pixels that fits; what
    does not is cut.
    """
    least = 12 if rect.width() > NARROW - 20 else 11
    (text,) = fit(painter, [text], rect.width(), largest, least)
    painter.drawText(rect, Qt.AlignmentFlag.AlignVCenter | align, text)


def _draw_key(painter: QPainter, rect: QRectF, key: str) -> None:
    """Draw the key that plays a tile."""
    spot = QRectF(rect.left() + 6, rect.top() + 6, 26, 26)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.CHOSEN))
    painter.drawRoundedRect(spot, 5, 5)
    painter.setPen(QColor(theme.PIT))
    painter.setFont(theme.font(16, strong=True))
    painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, key)


def _draw_taught(painter: QPainter, rect: QRectF, key: str) -> None:
    """Draw the key of the keyboard that a tile was taught."""
    painter.setFont(theme.font(12, strong=True))
    wide = painter.fontMetrics().horizontalAdvance(key) + 10
    spot = QRectF(rect.right() - wide - 5, rect.top() + 5, wide, 18)
    painter.setPen(QPen(QColor(theme.SOFT), 1))
    painter.setBrush(theme.colour(theme.PIT, 0.75))
    painter.drawRoundedRect(spot, 3, 3)
    painter.setPen(QColor(theme.TEXT))
    painter.drawText(spot, Qt.AlignmentFlag.AlignCenter, key)


def named(tile: Tile) -> str:
    """Returns the kind of a tile, in words."""
    return KIND_NAMES.get(tile.kind, tile.kind)


KIND_NAMES = {
    "pad": tr("Pad"),
    "flash": tr("Flash"),
    "fader": tr("Fader"),
    "choice": tr("Choice"),
    "dial": tr("Dial"),
    "colour": tr("Colour"),
    "aim": tr("Aim"),
    "aside": tr("Aside"),
    "master": tr("Master"),
    "tempo": tr("Tempo"),
    "clock": tr("Clock"),
    "label": tr("Label"),
    "deed": tr("For all"),
}
