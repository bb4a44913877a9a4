"""Steps of a chase as a strip of small stages: each is as wide as it takes time."""

from __future__ import annotations

from bisect import bisect_right
from itertools import accumulate

from PySide6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QFrame

from choreon.language import facts, in_a_row, plural, tr
from choreon.model.chases import to_step
from choreon.model.playables import Chase
from choreon.model.playables.chase import ChaseStep
from choreon.model.refs import Ref, find
from choreon.render.decode import Light
from choreon.render.sources.chase import step_name
from choreon.ui import theme
from choreon.ui.drags import carried
from choreon.ui.parts import Parts
from choreon.ui.stage.mini import MiniStages
from choreon.ui.widgets.spoken import Role, Spoken

NARROW, WIDE = 54, 320  # pixels of a step
USUAL = 112  # pixels of a step that takes the time which most take
GAP = 4
STAGE = 74  # pixels that the small stage is tall
TALL = STAGE + 26


class StepStrip(QAbstractScrollArea):
    """The steps side by side. Choosing some lights nothing; they are dragged to another
    place, and scenes are dropped between them.
    """

    chosen_changed = Signal()
    moved = Signal(int)  # the chosen, to before the step at an index
    dropped = Signal(Ref, int)
    pressed_twice = Signal(int)
    deleted = Signal()

    def __init__(self, parts: Parts, minis: MiniStages) -> None:
        super().__init__()
        self.parts, self.minis = parts, minis
        self.chase: Chase | None = None
        self.steps: tuple[ChaseStep, ...] = ()
        self.chosen: list[str] = []
        self.current = -1
        self.anchor = -1  # where a span began that Shift stretches
        self.playing: tuple[int, int, float] = (-1, -1, 1.0)
        self._ends: list[int] = []
        self._widths: list[int] = []
        self._press: QPointF | None = None
        self._pressed_on = -1
        self._gap = -1
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFixedHeight(TALL + 18)
        self.viewport().setAutoFillBackground(False)
        self.setStyleSheet("background: transparent;")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAcceptDrops(True)
        self.viewport().setAcceptDrops(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(tr("Steps of the chase"))
        self.setToolTip(
            tr(
                "Steps: press to choose, Shift and Ctrl for several, drag to order; "
                "drop scenes here; press twice to change one"
            )
        )

    # what is shown

    def show_steps(self, chase: Chase, steps: tuple[ChaseStep, ...]) -> None:
        """Show the steps of a chase."""
        self.chase, self.steps = chase, steps
        lengths = [chase.length_of(step) for step in steps]
        usual = sorted(lengths)[len(lengths) // 2] if lengths else 1.0
        per = USUAL / max(usual, 1e-6)
        self._widths = [int(min(WIDE, max(NARROW, per * t))) for t in lengths]
        self._ends = list(accumulate(w + GAP for w in self._widths))
        known = {step.id for step in steps}
        kept = [i for i in self.chosen if i in known]
        if kept != self.chosen:
            self.chosen = kept
            self.chosen_changed.emit()
        self.current = min(self.current, len(steps) - 1)
        self._fit()
        self.viewport().update()

    def show_playing(self, before: int, step: int, share: float) -> None:
        """Show where the chase is: on its way from a step to a step."""
        if (before, step, share) != self.playing:
            self.playing = (before, step, share)
            self.viewport().update()

    def _fit(self) -> None:
        bar = self.horizontalScrollBar()
        whole = self._ends[-1] if self._ends else 0
        bar.setRange(0, max(0, whole - self.viewport().width()))
        bar.setPageStep(self.viewport().width())
        bar.setSingleStep(40)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self.viewport().update()

    def rect_of(self, index: int) -> QRect:
        """Where a step is drawn."""
        left = self._ends[index] - self._widths[index] - GAP
        shift = self.horizontalScrollBar().value()
        return QRect(left - shift, 2, self._widths[index], TALL - 4)

    def step_at(self, point: QPoint) -> int:
        """Returns the step at a point; -1 for none."""
        x = point.x() + self.horizontalScrollBar().value()
        index = bisect_right(self._ends, x)
        return index if 0 <= index < len(self.steps) else -1

    def gap_at(self, point: QPoint) -> int:
        """Returns the gap that a point is nearest to, 0 to the number of steps."""
        index = self.step_at(point)
        if index < 0:
            return len(self.steps) if point.x() > 0 else 0
        return index + (point.x() > self.rect_of(index).center().x())

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shift = self.horizontalScrollBar().value()
        first = bisect_right(self._ends, shift)
        for index in range(first, len(self.steps)):
            rect = self.rect_of(index)
            if rect.left() > self.viewport().width():
                break
            self._draw(painter, index, rect)
        if self._gap >= 0:
            painter.setPen(QPen(QColor(theme.TEXT), 2))
            x = self._x_of_gap(self._gap)
            painter.drawLine(QPointF(x, 2), QPointF(x, TALL - 2))

    def _x_of_gap(self, gap: int) -> float:
        if not self.steps:
            return 4.0
        if gap >= len(self.steps):
            return self.rect_of(len(self.steps) - 1).right() + GAP / 2
        return self.rect_of(gap).left() - GAP / 2

    def _draw(self, painter: QPainter, index: int, rect: QRect) -> None:
        assert self.chase is not None
        step = self.steps[index]
        shape = QPainterPath()
        shape.addRoundedRect(QRectF(rect), theme.RADIUS, theme.RADIUS)
        painter.save()
        painter.setClipPath(shape)
        painter.fillRect(rect, QColor(theme.FLAT))
        picture = self._picture(step)
        here = QRect(rect.left(), rect.top(), rect.width(), STAGE)
        wide = picture.width() / picture.devicePixelRatioF()
        left = rect.left() + (rect.width() - wide) / 2
        painter.fillRect(here, QColor("#000000"))
        painter.drawPixmap(QPointF(left, rect.top()), picture)
        self._draw_fade(painter, step, here)
        before, on, share = self.playing

        if index in (before, on):
            level = share if index == on else 1.0 - share
            bar = QRectF(rect.left(), here.bottom() - 3, rect.width() * level, 4)
            painter.fillRect(bar, QColor(theme.LIVE))

        painter.restore()
        self._draw_words(painter, index, rect)
        chosen = step.id in self.chosen

        if chosen or (index == self.current and self.hasFocus()):
            painter.setPen(QPen(QColor(theme.CHOSEN), 2 if chosen else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(shape)

    def _draw_fade(self, painter: QPainter, step: ChaseStep, here: QRect) -> None:
        """A slope over the part of the step in which it comes in."""
        assert self.chase is not None
        length = self.chase.length_of(step)
        part = self.chase.fade_of(step) / length if length > 0 else 0.0
        x = here.left() + part * here.width()
        painter.setPen(QPen(theme.colour(theme.TEXT, 0.55), 1.5))
        painter.drawLine(
            QPointF(here.left(), here.bottom() - 5), QPointF(x, here.top() + 4)
        )

    def _draw_words(self, painter: QPainter, index: int, rect: QRect) -> None:
        assert self.chase is not None
        step = self.steps[index]
        low = QRectF(rect.left() + 6, rect.top() + STAGE, rect.width() - 12, 22)
        painter.setFont(theme.font(12))
        time = tr("{length:.3g}", length=self.chase.length_of(step))
        painter.setPen(QColor(theme.SOFT))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(low, right, time)
        room = low.width() - painter.fontMetrics().horizontalAdvance(time) - 6
        name = step_name(self.parts.document.show, step) or "look"
        painter.setPen(QColor(theme.TEXT))
        text = painter.fontMetrics().elidedText(
            tr("{index} {name}", index=index + 1, name=name),
            Qt.TextElideMode.ElideRight,
            int(room),
        )

        painter.drawText(low, Qt.AlignmentFlag.AlignVCenter, text)

    def _picture(self, step: ChaseStep) -> QPixmap:
        assert self.chase is not None
        show = self.parts.document.show
        ref = to_step(self.chase.ref, step.id)
        plays = None if step.plays is None else find(show, step.plays)
        made_of: tuple[object, ...] = (step.look, plays, show.palettes, show.marks)

        def light() -> Light:
            found = self.parts.preview.light_of_ref(ref)
            if found is None:
                return self.parts.preview.light_of_look({})
            return found

        name = f"step {ref.id}"
        return self.minis.made(name, made_of, light, USUAL, STAGE, self.viewport())

    # hands

    def choose(self, ids: list[str]) -> None:
        """Choose steps."""
        if ids != self.chosen:
            self.chosen = ids
            self.viewport().update()
            self.chosen_changed.emit()

    def _choose_at(self, index: int, more: bool, span: bool) -> None:
        step, self.current = self.steps[index].id, index
        if span and 0 <= self.anchor < len(self.steps):
            low, high = sorted((self.anchor, index))
            self.choose([s.id for s in self.steps[low : high + 1]])
            return
        self.anchor = index
        if more:
            rest = [i for i in self.chosen if i != step]
            self.choose(rest if step in self.chosen else [*self.chosen, step])
        else:
            self.choose([step])

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a step; one that is chosen already may be dragged with the others."""
        self.setFocus()
        index = self.step_at(event.position().toPoint())
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if index < 0:
            self.choose([])
            return
        self._press, self._pressed_on = event.position(), index
        keys = event.modifiers()
        more = bool(keys & Qt.KeyboardModifier.ControlModifier)
        span = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        if more or span or self.steps[index].id not in self.chosen:
            self._choose_at(index, more, span)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the chosen to another place."""
        if self._press is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        if (event.position() - self._press).manhattanLength() > 8:
            self._gap = self.gap_at(event.position().toPoint())
            self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let them go there."""
        gap, pressed = self._gap, self._pressed_on
        self._press, self._gap, self._pressed_on = None, -1, -1
        if gap >= 0:
            self.moved.emit(gap)
        elif pressed >= 0 and event.modifiers() == Qt.KeyboardModifier.NoModifier:
            self.choose([self.steps[pressed].id])
        self.viewport().update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Change a step."""
        index = self.step_at(event.position().toPoint())
        if index >= 0:
            self.pressed_twice.emit(index)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        places = [n + 1 for n, step in enumerate(self.steps) if step.id in self.chosen]
        chosen = in_a_row(map(str, places)) or tr("none")
        steps = plural(len(self.steps), "{n} step", "{n} steps")
        return Spoken(Role.List, facts(steps, tr("chosen: {which}", which=chosen)))

    def event(self, event: QEvent) -> bool:
        """Ctrl+A chooses steps here, whatever it does around."""
        asked = isinstance(event, QKeyEvent) and event.matches(
            QKeySequence.StandardKey.SelectAll
        )
        if asked and event.type() == QEvent.Type.ShortcutOverride:
            event.accept()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from step to step, Ctrl and arrows carry, Del deletes."""
        key, keys = event.key(), event.modifiers()
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(key), 0)
        if by and self.steps:
            if keys & Qt.KeyboardModifier.ControlModifier:
                self._carry(by)
            else:
                self._go(by, bool(keys & Qt.KeyboardModifier.ShiftModifier))
        elif key == Qt.Key.Key_Delete and self.chosen:
            self.deleted.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.current >= 0:
            self.pressed_twice.emit(self.current)
        elif event.matches(QKeySequence.StandardKey.SelectAll):
            self.choose([step.id for step in self.steps])
        else:
            super().keyPressEvent(event)

    def _carry(self, by: int) -> None:
        """Take the chosen a place to the left or to the right."""
        places = [n for n, s in enumerate(self.steps) if s.id in self.chosen]
        if places:
            self.moved.emit(places[0] - 1 if by < 0 else places[-1] + 2)

    def _go(self, by: int, span: bool) -> None:
        index = min(len(self.steps) - 1, max(0, self.current + by))
        self._choose_at(index, False, span)
        self._into_sight(index)

    def _into_sight(self, index: int) -> None:
        rect, bar = self.rect_of(index), self.horizontalScrollBar()
        if rect.left() < 0:
            bar.setValue(bar.value() + rect.left())
        elif rect.right() > self.viewport().width():
            bar.setValue(bar.value() + rect.right() - self.viewport().width())

    # scenes dropped between steps

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self._played(event) is not None:
            event.acceptProposedAction()

    def _played(self, event: QDropEvent) -> Ref | None:
        """What is dragged, where that plays."""
        ref = carried(event.mimeData())
        is_played = ref is not None and ref.id in self.parts.document.show.playables
        return ref if is_played else None

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        self._gap = self.gap_at(event.position().toPoint())
        self.viewport().update()
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """What plays becomes a step."""
        ref = self._played(event)
        gap, self._gap = self.gap_at(event.position().toPoint()), -1
        if ref is not None:
            event.acceptProposedAction()
            self.dropped.emit(ref, gap)
        self.viewport().update()
