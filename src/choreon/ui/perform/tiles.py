"""Tiles: pads and faders as they are played, with a mini-stage and their live state."""

from __future__ import annotations

import time

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
)
from PySide6.QtWidgets import QMenu, QVBoxLayout, QWidget

from choreon.engine.actions import tiles
from choreon.model.playables import Playable
from choreon.model.refs import find
from choreon.model.tiles import Fader as FaderModel
from choreon.model.tiles import Pad, Page, Tile
from choreon.render.state import PlayState
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets.faders import Fader

GONE = "What it plays is gone"
PAD = (158, 128)
PICTURE = 90  # pixels of a pad that show the stage
FADER_WIDTH = 124


class TileWidget(QWidget):
    """What pads and faders share: a name, a state, a menu."""

    wants = Signal(str, str)  # what is wanted, and the tile's id

    def __init__(self, parts: Parts, minis: MiniStages, page: Page, tile: Tile) -> None:
        super().__init__()
        self.parts, self.minis, self.page, self.tile = parts, minis, page, tile
        self.level = 0.0
        self.weight = 0.0
        self.fading = False
        self.tied = any(
            known.target == tile.ref for known in parts.document.show.inputs.values()
        )
        self.setAccessibleName(self.name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    @property
    def playable(self) -> Playable | None:
        """What it plays; None where that is gone."""
        found = find(self.parts.document.show, self.tile.plays)
        return found if isinstance(found, Playable) else None

    @property
    def name(self) -> str:
        """What stands on it."""
        return self.tile.name or (self.playable.name if self.playable else GONE)

    def show_state(self, state: PlayState) -> None:
        """Follow what plays."""
        player = state.player(tiles.player_id(self.page, self.tile))
        level = tiles.level_of(state, self.page, self.tile)
        now = time.monotonic()
        weight, fading = 0.0, False
        if player is not None and player.ref == self.tile.plays:
            weight = player.weight_at(now)
            fading = not player.settled(now)
            weight = min(weight, player.steps[-1].progress.level(now))
        if (level, weight, fading) != (self.level, self.weight, self.fading):
            self.level, self.weight, self.fading = level, weight, fading
            self.update()
            self.level_shown()

    def level_shown(self) -> None:
        """For faders: follow the level."""

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Open what can be done with it."""
        menu = QMenu(self)
        menu.addAction(
            theme.icon("link"),
            "Learn a control…",
            lambda: self.wants.emit("learn", self.tile.id),
        )
        if self.tied:
            menu.addAction(
                theme.icon("unlink"),
                "Unlearn",
                lambda: self.wants.emit("unlearn", self.tile.id),
            )
        menu.addSeparator()
        menu.addAction("Move earlier", lambda: self.wants.emit("earlier", self.tile.id))
        menu.addAction("Move later", lambda: self.wants.emit("later", self.tile.id))
        if isinstance(self.tile, Pad):
            menu.addAction(
                "One at a time with…", lambda: self.wants.emit("choice", self.tile.id)
            )
        menu.addAction(
            theme.icon("trash"),
            "Take off the page",
            lambda: self.wants.emit("remove", self.tile.id),
        )
        menu.exec(event.globalPos())

    def _ground(
        self, painter: QPainter, picture: int, token: str
    ) -> tuple[QRectF, QPainterPath]:
        """The tile's ground with the scene's mini-stage on top, `picture` pixels high;
        clips to its shape.
        """
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
        shape = QPainterPath()
        shape.addRoundedRect(rect, theme.RADIUS + 2, theme.RADIUS + 2)
        painter.setClipPath(shape)
        painter.fillRect(rect, QColor(token))
        if self.playable is not None:
            mini = self.minis.picture(self.playable, int(rect.width()), picture, self)
            painter.setOpacity(1.0 if self.weight > 0 else 0.82)
            painter.drawPixmap(rect.topLeft(), mini)
            painter.setOpacity(1.0)
        return rect, shape

    def _outline(self, painter: QPainter, shape: QPainterPath) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.level > 0:
            painter.setPen(QPen(QColor(theme.LIVE), 2.5))
            painter.drawPath(shape)
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.CHOSEN), 1.5))
            painter.drawPath(shape)

    def _title(self, painter: QPainter, rect: QRectF, size: int = 15) -> None:
        left = rect.left()
        if self.weight > 0:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.LIVE))
            painter.drawEllipse(QRectF(left, rect.center().y() - 4.5, 9, 9))
            left += 15
        painter.setFont(theme.font(size, strong=True))
        painter.setPen(QColor(theme.TEXT if self.playable else theme.ALARM))
        inner = QRectF(left, rect.top(), rect.right() - left, rect.height())
        text = painter.fontMetrics().elidedText(
            self.name, Qt.TextElideMode.ElideRight, int(inner.width())
        )
        painter.drawText(
            inner, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text
        )


class PadTile(TileWidget):
    """A pad: press for on, again for off; within a choice, the others go out."""

    def __init__(self, parts: Parts, minis: MiniStages, page: Page, tile: Tile) -> None:
        super().__init__(parts, minis, page, tile)
        self._down = False
        self.setFixedSize(*PAD)
        self.setToolTip(
            f"{self.name}: press to switch on or off. Right-click: learn a "
            "control, move, take off."
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        rect, shape = self._ground(
            painter, PICTURE, theme.BATTEN if self._down else theme.FLAT
        )
        if self.weight > 0:
            painter.fillRect(
                QRectF(rect.left(), PICTURE - 2, rect.width() * self.weight, 4),
                QColor(theme.LIVE),
            )
        painter.setClipping(False)
        self._title(painter, QRectF(12, PICTURE + 4, self.width() - 24, 32))
        self._outline(painter, shape)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Press it."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._down = True
            self.parts.engine.press(
                self.tile.id
            )  # on the way down: a pad answers at once
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        self._down = False
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter and Space press it."""
        if (
            event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return)
            and not event.isAutoRepeat()
        ):
            self.parts.engine.press(self.tile.id)
        else:
            super().keyPressEvent(event)


class FaderTile(TileWidget):
    """A fader that brings a scene in by hand."""

    def __init__(self, parts: Parts, minis: MiniStages, page: Page, tile: Tile) -> None:
        super().__init__(parts, minis, page, tile)
        self.setFixedWidth(FADER_WIDTH)
        self.setMinimumHeight(190)
        self.fader = Fader(self.name)
        self.fader.moved.connect(lambda level: parts.engine.set_level(tile.id, level))
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 74, 12, 36)
        box.addWidget(self.fader, 1, Qt.AlignmentFlag.AlignHCenter)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def level_shown(self) -> None:
        """Have the fader follow the level."""
        self.fader.set_level(self.level)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        _, shape = self._ground(painter, 66, theme.FLAT)
        painter.setClipping(False)
        painter.setFont(theme.font(13))
        painter.setPen(QColor(theme.TEXT if self.level > 0 else theme.FAINT))
        painter.drawText(
            QRectF(self.width() - 58, 78, 46, 20),
            Qt.AlignmentFlag.AlignRight,
            f"{100 * self.level:.0f}",
        )
        self._title(painter, QRectF(12, self.height() - 36, self.width() - 24, 32), 14)
        self._outline(painter, shape)


WIDGETS: dict[str, type[PadTile] | type[FaderTile]] = {
    Pad.kind: PadTile,
    FaderModel.kind: FaderTile,
}
"""Kind of tile → its widget."""
