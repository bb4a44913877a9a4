"""The pad for pan and tilt: where the chosen heads stand within their spans, moved
together, and their limits.
"""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from choreon.language import facts, tr
from choreon.ui import theme
from choreon.ui.widgets.spoken import Role, Spoken

Span = tuple[float, float]
EDGE = 7.0  # pixels within which a limit's edge is taken hold of


class AimPad(QWidget):
    """Pan across, tilt up. `nudged` tells by how many degrees all heads are moved;
    `limited` new limits.
    """

    sized = Signal(float)  # how many times as large the ways are to be
    nudged = Signal(float, float)
    limited = Signal(tuple, tuple)

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(132)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.SizeAllCursor)
        self.setAccessibleName(tr("Pan and tilt"))
        self.setToolTip(
            tr(
                "Drag, or use the arrow keys: all the chosen heads move together "
                "(Shift: fine)"
            )
        )

        self.spans: tuple[Span, Span] = (
            (-270.0, 270.0),
            (-135.0, 135.0),
        )  # what the types can do

        self.limits: tuple[Span, Span] | None = None  # what they may, where it is less
        self.editing = False
        self.points: list[tuple[float, float]] = []
        self.paths: list[list[tuple[float, float]]] = []
        self._grip: QPointF | None = None
        self._edge: tuple[int, int] | None = None

    def show_points(
        self,
        points: list[tuple[float, float]],
        spans: tuple[Span, Span],
        limits: tuple[Span, Span] | None = None,
    ) -> None:
        """Where each chosen head stands, in degrees."""
        if self._edge is None and (points, spans, limits) != (
            self.points,
            self.spans,
            self.limits,
        ):
            self.points, self.spans, self.limits = points, spans, limits
            self.update()

    def show_paths(self, paths: list[list[tuple[float, float]]]) -> None:
        """Show the ways, in degrees, that heads go."""
        if paths != self.paths:
            self.paths = paths
            self.update()

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        places = [
            tr("{pan:.0f}°, {tilt:.0f}°", pan=pan, tilt=tilt)
            for pan, tilt in self.points[:4]
        ]
        return Spoken(Role.Graphic, facts(*places) or tr("no head chosen"))

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Make the ways larger or smaller."""
        if self.paths:
            self.sized.emit(1.1 ** (event.angleDelta().y() / 120))
            event.accept()
        else:
            super().wheelEvent(event)

    @property
    def held(self) -> bool:
        """Whether a hand drags something on it."""
        return self._grip is not None or self._edge is not None

    def edit_limits(self, on: bool) -> None:
        """Have drags move the edges of the limits."""
        self.editing = on
        self.update()

    def _to_screen(self, pan: float, tilt: float) -> QPointF:
        (a, b), (c, d) = self.spans
        return QPointF(
            (pan - a) / (b - a) * self.width(), (d - tilt) / (d - c) * self.height()
        )

    def limit_rect(self) -> QRectF:
        """The limits on the screen."""
        (a, b), (c, d) = self.limits or self.spans
        return QRectF(self._to_screen(a, d), self._to_screen(b, c))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.FLAT))
        painter.drawRoundedRect(self.rect(), theme.RADIUS, theme.RADIUS)

        if self.limits is not None or self.editing:
            rect = self.limit_rect()
            painter.save()
            painter.setClipRect(self.rect())
            outside = [
                QRectF(0, 0, self.width(), rect.top()),
                QRectF(0, rect.bottom(), self.width(), self.height() - rect.bottom()),
                QRectF(0, rect.top(), rect.left(), rect.height()),
                QRectF(
                    rect.right(), rect.top(), self.width() - rect.right(), rect.height()
                ),
            ]
            painter.setBrush(QColor(theme.PIT))
            for part in outside:
                painter.drawRect(part)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.KEEP), 2 if self.editing else 1))
            painter.drawRect(rect.adjusted(0.5, 0.5, -0.5, -0.5))
            painter.restore()

        painter.setPen(QPen(QColor(theme.BATTEN), 1))
        painter.setClipRect(self.rect())
        home = self._to_screen(0, 0)
        painter.drawLine(QPointF(home.x(), 0), QPointF(home.x(), self.height()))
        painter.drawLine(QPointF(0, home.y()), QPointF(self.width(), home.y()))
        pen = QPen(QColor(theme.DRAFT), 1.5)
        pen.setDashPattern([4, 3])
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)

        for path in self.paths:
            painter.drawPolyline(QPolygonF([self._to_screen(*at) for at in path]))
        painter.setPen(QPen(QColor(theme.PIT), 1))
        painter.setBrush(QColor(theme.TEXT))

        for pan, tilt in self.points:
            painter.drawEllipse(self._to_screen(pan, tilt), 6, 6)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(theme.CHOSEN), 1))
            painter.drawRoundedRect(
                QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5),
                theme.RADIUS,
                theme.RADIUS,
            )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the points, or of a limit."""
        self.setFocus()
        at = event.position()
        if self.editing:
            rect = self.limit_rect()
            across = {0: abs(at.x() - rect.left()), 1: abs(at.x() - rect.right())}
            down = {1: abs(at.y() - rect.top()), 0: abs(at.y() - rect.bottom())}
            near = [(v, (0, i)) for i, v in across.items()] + [
                (v, (1, i)) for i, v in down.items()
            ]
            best = min(near)
            self._edge = best[1] if best[0] <= 3 * EDGE else None
        elif self.points:
            self._grip = at

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move what is held."""
        (a, b), (c, d) = self.spans
        at = event.position()
        if self._edge is not None:
            axis, end = self._edge
            spans = [list(s) for s in (self.limits or self.spans)]
            value = (
                a + (b - a) * at.x() / self.width()
                if axis == 0
                else d - (d - c) * at.y() / self.height()
            )
            low, high = self.spans[axis]
            value = min(high, max(low, value))
            other = spans[axis][1 - end]
            spans[axis][end] = (
                min(value, other - 1.0) if end == 0 else max(value, other + 1.0)
            )
            self.limits = ((spans[0][0], spans[0][1]), (spans[1][0], spans[1][1]))
            self.update()
        elif self._grip is not None:
            fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            away, self._grip = at - self._grip, at
            self._move(
                fine * away.x() / self.width() * (b - a),
                -fine * away.y() / self.height() * (d - c),
            )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go; limits are told then."""
        self._grip = None
        if self._edge is not None:
            self._edge = None
            if self.limits is not None:
                self.limited.emit(*self.limits)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows move the points, with Shift in small steps."""
        step = 0.5 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 5.0
        ways = {
            Qt.Key.Key_Left: (-step, 0.0),
            Qt.Key.Key_Right: (step, 0.0),
            Qt.Key.Key_Up: (0.0, step),
            Qt.Key.Key_Down: (0.0, -step),
        }
        key = Qt.Key(event.key())
        if key in ways and self.points:
            self._move(*ways[key])
        else:
            super().keyPressEvent(event)

    def _move(self, pan: float, tilt: float) -> None:
        """Move all by as much; shown at once, before the heads are known to have
        moved.
        """
        (a, b), (c, d) = self.limits or self.spans
        self.points = [
            (min(b, max(a, p + pan)), min(d, max(c, t + tilt))) for p, t in self.points
        ]
        self.update()
        self.nudged.emit(pan, tilt)
