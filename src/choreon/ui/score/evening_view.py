"""An evening, drawn: what was on, a row each, along the clock on the wall; a stretch of
it is chosen by dragging, a moment by a press.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QApplication, QWidget

from choreon.engine.evening.book import Evening, Stretch
from choreon.language import tr
from choreon.model.refs import Ref
from choreon.ui import theme
from choreon.ui.score.line_scale import GUTTER, RULER, LineScale
from choreon.ui.widgets.spoken import Role, Spoken, tell

ROW, GAP = 26, 3  # points of a row, and between two
ZOOM = 1.25
STEP, FAR = 1.0, 10.0  # seconds that the arrows go, and with Shift


class EveningView(QWidget):
    """What was on. Times are seconds after the evening began."""

    went = Signal(float)
    """A moment is looked at."""
    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.scale = LineScale()
        self.evening: Evening | None = None
        self.rows: list[tuple[Ref, str, str]] = []
        """What has a row: what it is, its name, its colour."""
        self.head = 0.0
        self.chosen: tuple[float, float] | None = None
        """The stretch that is chosen."""
        self._bars: dict[Ref, list[Stretch]] = {}
        self._pressed: QPointF | None = None
        self.setMinimumSize(300, 150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(tr("Evening"))
        self.setToolTip(
            tr("Press to look at a moment, drag to choose a stretch, Ctrl and wheel")
        )

    def sizeHint(self) -> QSize:
        return QSize(640, 320)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        return Spoken(Role.Graphic, self.clock(self.head))

    def show_evening(
        self, evening: Evening | None, rows: list[tuple[Ref, str, str]]
    ) -> None:
        """Show another one, whole."""
        self.evening, self.rows = evening, rows
        self.head, self.chosen = 0.0, None
        self._bars = {}
        for one in [] if evening is None else evening.stretches():
            self._bars.setdefault(one.ref, []).append(one)
        self.fit()
        self.chosen_changed.emit()

    @property
    def length(self) -> float:
        """How many seconds it is long."""
        return 0.0 if self.evening is None else self.evening.end - self.evening.begin

    def fit(self) -> None:
        """Show all of it."""
        self.scale.fit(0.0, max(10.0, self.length), self.width())
        self.scale.top = 0.0
        self.update()

    def clock(self, at: float) -> str:
        """Returns what the clock on the wall showed."""
        if self.evening is None:
            return ""
        return f"{self.evening.began + timedelta(seconds=at):%H:%M:%S}"

    def go_to(self, at: float) -> None:
        """Look at a moment."""
        self.head = min(self.length, max(0.0, at))
        self.went.emit(self.head)
        tell(self)
        self.update()

    def choose(self, begin: float, end: float) -> None:
        """Choose a stretch; none where it is too short."""
        begin, end = sorted((begin, end))
        begin, end = max(0.0, begin), min(self.length, end)
        self.chosen = (begin, end) if end - begin > 0.1 else None
        self.chosen_changed.emit()
        self.update()

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.PIT))
        if self.evening is None:
            return
        painter.setFont(theme.font(13))
        for n, (ref, name, colour) in enumerate(self.rows):
            self._paint_row(painter, n, ref, name, colour)
        self._paint_chosen(painter)
        self._paint_ruler(painter)
        x = self.scale.x(self.head)
        if x >= GUTTER:
            painter.setPen(QPen(QColor(theme.DRAFT), 2))
            painter.drawLine(QPointF(x, 4), QPointF(x, self.height()))

    def _row(self, number: int) -> QRectF:
        y = RULER + GAP - self.scale.top + number * (ROW + GAP)
        return QRectF(GUTTER, y, max(0.0, self.width() - GUTTER), ROW)

    def _paint_row(
        self, painter: QPainter, number: int, ref: Ref, name: str, colour: str
    ) -> None:
        row = self._row(number)
        if row.bottom() < RULER or row.top() > self.height():
            return
        painter.fillRect(row, QColor(theme.DECK))
        painter.setPen(Qt.PenStyle.NoPen)
        fill = QColor(colour or theme.EDGE)
        fill.setAlpha(170)
        painter.setBrush(fill)
        begin = self.evening.begin if self.evening is not None else 0.0
        for one in self._bars.get(ref, []):
            left = max(GUTTER, self.scale.x(one.begin - begin))
            right = self.scale.x(one.end - begin)
            if right > GUTTER and left < self.width():
                wide = max(2.0, right - left)
                painter.drawRoundedRect(
                    QRectF(left, row.y() + 2, wide, row.height() - 4), 3, 3
                )
        label = QRectF(0, row.y(), GUTTER - 4, row.height())
        painter.fillRect(label, QColor(theme.DECK))
        painter.setPen(QColor(theme.TEXT))
        room = label.adjusted(10, 0, -6, 0)
        said = painter.fontMetrics().elidedText(
            name, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, said)

    def _paint_chosen(self, painter: QPainter) -> None:
        if self.chosen is None:
            return
        left, right = (max(GUTTER, self.scale.x(at)) for at in self.chosen)
        fill = QColor(theme.CHOSEN)
        fill.setAlpha(50)
        painter.fillRect(QRectF(left, RULER, right - left, self.height()), fill)
        painter.setPen(QPen(QColor(theme.CHOSEN), 1))
        for x in (left, right):
            painter.drawLine(QPointF(x, RULER), QPointF(x, self.height()))

    def _paint_ruler(self, painter: QPainter) -> None:
        painter.fillRect(QRectF(0, 0, self.width(), RULER), QColor(theme.DECK))
        painter.setPen(QColor(theme.SOFT))
        painter.setFont(theme.font(12))
        for at in self.scale.ticks(self.width()):
            x = self.scale.x(at)
            if x >= GUTTER and at <= self.length:
                words = self.clock(at)
                painter.drawText(QPointF(x + 4, 16), words)
                painter.drawLine(QPointF(x, 20), QPointF(x, RULER))
        painter.fillRect(QRectF(0, 0, GUTTER - 4, RULER), QColor(theme.DECK))
        painter.setPen(QColor(theme.TEXT))
        painter.setFont(theme.font(13, strong=True))
        painter.drawText(
            QRectF(10, 0, GUTTER - 14, RULER),
            Qt.AlignmentFlag.AlignVCenter,
            self.clock(self.head),
        )

    # hands

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.oldSize().width() <= 0:
            self.fit()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Look at a moment; a drag chooses a stretch from there on."""
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()
            self.go_to(self.scale.seconds(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Choose a stretch; above, in the times, go along."""
        if self._pressed is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        here = self.scale.seconds(event.position().x())
        if self._pressed.y() < RULER:
            self.go_to(here)
        elif (
            abs(event.position().x() - self._pressed.x())
            > QApplication.startDragDistance()
        ):
            self.choose(self.scale.seconds(self._pressed.x()), here)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._pressed = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl nearer or farther about the pointer; with Shift along, else across
        the rows.
        """
        delta = event.angleDelta().y() or event.angleDelta().x()
        steps = delta / 120
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.scale.zoom(ZOOM**steps, event.position().x())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            by = 80 * steps / self.scale.per_second
            self.scale.left = max(0.0, self.scale.left - by)
        else:
            high = RULER + GAP + len(self.rows) * (ROW + GAP)
            most = max(0.0, high - self.height())
            self.scale.top = min(most, max(0.0, self.scale.top - 40 * steps))
        event.accept()
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go along, with Shift farther; with Alt they choose a stretch. Home,
        End, plus, minus and F as on a timeline.
        """
        far = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        chooses = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        step = FAR if far else STEP
        ways = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}
        key = Qt.Key(event.key())
        middle = (GUTTER + self.width()) / 2
        acts: dict[Qt.Key, Callable[[], None]] = {
            Qt.Key.Key_Home: lambda: self.go_to(0.0),
            Qt.Key.Key_End: lambda: self.go_to(self.length),
            Qt.Key.Key_F: self.fit,
            Qt.Key.Key_Plus: lambda: self.scale.zoom(ZOOM, middle),
            Qt.Key.Key_Minus: lambda: self.scale.zoom(1 / ZOOM, middle),
        }
        if key in ways:
            begin = self.head if self.chosen is None else self.chosen[0]
            self.go_to(self.head + ways[key])
            if chooses:
                self.choose(begin, self.head)
        elif key in acts:
            acts[key]()
        else:
            super().keyPressEvent(event)
        self.update()
