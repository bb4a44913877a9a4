"""Faders, upright and lying."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from choreon.language import tr
from choreon.ui import theme
from choreon.ui.widgets.keys import HELD_WITH
from choreon.ui.widgets.spoken import Role, Spoken, tell


class FaderSlider(QWidget):
    """A level 0…1. Dragging moves it from where it stands: touching it never makes it
    jump.
    """

    moved = Signal(float)

    def __init__(
        self, name: str, upright: bool = True, token: str = theme.LIVE
    ) -> None:
        super().__init__()
        self.upright, self.token = upright, token
        self._level = 0.0
        self._drag: tuple[float, float] | None = None
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        fixed, free = QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding
        self.setSizePolicy(fixed if upright else free, free if upright else fixed)
        self.setToolTip(
            tr(
                "{name}: drag, wheel (Shift: fine), arrow keys, 0…9 for tenths, F for "
                "full",
                name=name,
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(48, 160) if self.upright else QSize(170, 32)

    @property
    def level(self) -> float:
        """How far it is up, 0…1."""
        return self._level

    @property
    def held(self) -> bool:
        """Whether a hand is on it."""
        return self._drag is not None

    def set_level(self, level: float) -> None:
        """Show a level that came from elsewhere; a hand on the fader wins."""
        if self._drag is None and level != self._level:
            self._level = level
            self.update()
            tell(self)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        return Spoken(
            Role.Slider, tr("{level:.0f} %", level=100 * self._level), self._level
        )

    def speak_value(self, value: float) -> None:
        """A screen reader sets it."""
        self._set(min(1.0, max(0.0, value)))

    def _set(self, level: float) -> None:
        level = min(1.0, max(0.0, level))
        if level != self._level:
            self._level = level
            self.update()
            self.moved.emit(level)

    def _along(self, point: QPointF) -> float:
        if self.upright:
            return -point.y() / max(1, self.height() - 28)
        return point.x() / max(1, self.width() - 28)

    def grip(self, point: QPointF) -> None:
        """Take hold of it where it stands."""
        self._drag = (self._along(point), self._level)
        self._start = self._level

    def pull(self, point: QPointF, fine: float = 1.0) -> None:
        """Move it by as much as what holds it has moved, or a part of that."""
        if self._drag is not None:
            self._set(self._drag[1] + fine * (self._along(point) - self._drag[0]))

    def drop(self) -> None:
        """Let it go."""
        self._drag = None
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of it."""
        if event.button() == Qt.MouseButton.LeftButton:
            self.grip(event.position())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move it by as much as the pointer, with Shift by a tenth."""
        shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        self.pull(event.position(), 0.1 if shift else 1.0)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        self.drop()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A step up or down, with Shift a small one."""
        step = 0.01 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.05
        self._set(
            self._level
            + step * (event.angleDelta().y() or event.angleDelta().x()) / 120
        )
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows step, digits are tenths, F is full, Escape takes a drag back."""
        key = event.key()
        if event.modifiers() & HELD_WITH:
            event.ignore()  # it belongs to whoever has keys for all that is on a page
            return

        more = (Qt.Key.Key_Up, Qt.Key.Key_Right)
        if key in more or key in (Qt.Key.Key_Down, Qt.Key.Key_Left):
            self._set(self._level + (0.05 if key in more else -0.05))
        elif Qt.Key.Key_0 <= key <= Qt.Key.Key_9:
            self._set((key - Qt.Key.Key_0) / 10)
        elif key == Qt.Key.Key_F:
            self._set(1.0)
        elif key == Qt.Key.Key_Escape and self._drag is not None:
            self._drag = None
            self._set(self._start)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        token = QColor(self.token if self._level > 0 else theme.FAINT)
        w, h = self.width(), self.height()

        painter.setBrush(QColor(theme.BATTEN))
        if self.upright:
            x, run = w / 2, h - 28
            painter.drawRoundedRect(QRectF(x - 3, 14, 6, run), 3, 3)
            y = 14 + run * (1 - self._level)
            painter.setBrush(token)
            painter.drawRoundedRect(QRectF(x - 3, y, 6, 14 + run - y), 3, 3)

            cap = QRectF(x - 18, y - 9, 36, 18)
            mark = (QRectF(x - 11, y - 1, 22, 2),)
        else:
            y, run = h / 2, w - 28
            painter.drawRoundedRect(QRectF(14, y - 3, run, 6), 3, 3)
            x = 14 + run * self._level
            painter.setBrush(token)
            painter.drawRoundedRect(QRectF(14, y - 3, x - 14, 6), 3, 3)

            cap = QRectF(x - 8, y - 12, 16, 24)
            mark = (QRectF(x - 1, y - 7, 2, 14),)

        painter.setBrush(QColor("#E3DBE0" if self.isEnabled() else theme.FAINT))
        if self.hasFocus():
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))

        painter.drawRoundedRect(cap, 4, 4)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.PIT))

        for line in mark:
            painter.drawRect(line)
