"""The frames of a painted layer, side by side: pressed, added, moved, timed."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from choreon.language import plural, tr
from choreon.ui import theme
from choreon.ui.compose.canvas.canvas_hand import CanvasHand
from choreon.ui.compose.canvas.view import frame_image
from choreon.ui.widgets.spoken import Role, Spoken, tell

TALL, GAP = 44, 4


class FramesStrip(QWidget):
    """Frames as they are painted; the one in hand is framed."""

    chosen = Signal(int)

    def __init__(self, hand: CanvasHand) -> None:
        super().__init__()
        self.hand = hand
        self.first = 0
        self.setFixedHeight(TALL)
        self.setMinimumWidth(80)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Frames"))
        self.setToolTip(tr("Frames: press one to paint on it; arrows go along"))
        hand.changed.connect(self.follow)

    def sizeHint(self) -> QSize:
        return QSize(300, TALL)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it: the frame in hand."""
        painted = self.hand.painted
        count = 0 if painted is None else len(painted.frames)
        value = tr("frame {n} of {count}", n=self.hand.frame + 1, count=count)
        return Spoken(
            Role.List, value if count else plural(0, "{n} frame", "{n} frames")
        )

    def follow(self) -> None:
        """There are others, or another one is in hand."""
        shown = self.room
        if self.hand.frame < self.first:
            self.first = self.hand.frame
        elif self.hand.frame >= self.first + shown:
            self.first = self.hand.frame - shown + 1
        self.update()
        tell(self)

    @property
    def room(self) -> int:
        """How many frames are seen at once."""
        return max(1, int(self.width() // (self._wide + GAP)))

    @property
    def _wide(self) -> float:
        painted = self.hand.painted
        if painted is None:
            return 48.0
        wide = (TALL - 6) * painted.columns / painted.rows
        return min(90.0, max(26.0, wide))

    def rect_of(self, frame: int) -> QRectF:
        """Returns where a frame is drawn."""
        left = (frame - self.first) * (self._wide + GAP) + 2
        return QRectF(left, 3, self._wide, TALL - 6)

    def paintEvent(self, event: QPaintEvent) -> None:
        painted = self.hand.painted
        painter = QPainter(self)
        if painted is None:
            return
        for n in range(len(painted.frames)):
            rect = self.rect_of(n)
            if rect.right() < 0 or rect.left() > self.width():
                continue
            painter.fillRect(rect, QColor(theme.STAGE_BLACK))
            painter.drawImage(rect, frame_image(painted, n))
            in_hand = n == self.hand.frame
            token = theme.CHOSEN if in_hand else theme.BATTEN
            painter.setPen(QPen(QColor(token), 2 if in_hand else 1))
            painter.drawRect(rect)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a frame in hand."""
        painted = self.hand.painted
        count = 0 if painted is None else len(painted.frames)
        for n in range(count):
            if self.rect_of(n).contains(event.position()):
                self.chosen.emit(n)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from frame to frame."""
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        painted = self.hand.painted
        if by is None or painted is None:
            super().keyPressEvent(event)
            return
        self.chosen.emit(min(len(painted.frames) - 1, max(0, self.hand.frame + by)))
