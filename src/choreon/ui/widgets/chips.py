"""Chips: names, colours or pictures side by side, in as many lines as they need; hit by
mouse or by keys, carried to another place.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from typing import NamedTuple

from PySide6.QtCore import (
    QAbstractListModel,
    QItemSelectionModel,
    QPoint,
    QPointF,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import (
    QColor,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFrame,
    QListView,
    QSizePolicy,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from choreon.ui import theme
from choreon.ui.widgets.items import NO_PARENT, AnyIndex

TALL = 32  # pixels of a chip
GAP = 4  # pixels between chips, to the right and below
NARROW = 44  # pixels that a name has at least
COLOURS = 6  # colours in a line

CHIP = Qt.ItemDataRole.UserRole
IS_ON = Qt.ItemDataRole.UserRole + 1


class Chip(NamedTuple):
    """One chip. Drawn is its picture, or else its colour, or else its name.

    `program`: it makes a lamp play something of its own, which is marked.
    """

    id: str
    name: str
    picture: QPixmap | None = None
    colour: QColor | None = None
    program: bool = False


class ChipModel(QAbstractListModel):
    """The chips in their order, and which are on. `about` says what one is."""

    def __init__(self, about: Callable[[Chip], str]) -> None:
        super().__init__()
        self.about = about
        self.chips: list[Chip] = []
        self.on: frozenset[int] = frozenset()
        self.drafted = False

    def show_chips(self, chips: Sequence[Chip]) -> None:
        """Show these in the place of the ones before."""
        self.beginResetModel()
        self.chips = list(chips)
        self.endResetModel()

    def show_on(self, on: Collection[int], drafted: bool = False) -> None:
        """Say which are on, by their places, and whether that is by the draft."""
        if (frozenset(on), drafted) == (self.on, self.drafted):
            return
        self.on, self.drafted = frozenset(on), drafted
        if self.chips:
            self.dataChanged.emit(self.index(0), self.index(len(self.chips) - 1))

    def place(self, chip_id: str) -> int:
        """Returns the place of a chip. Raises ValueError."""
        return [chip.id for chip in self.chips].index(chip_id)

    def rowCount(self, parent: AnyIndex = NO_PARENT) -> int:
        return 0 if parent.isValid() else len(self.chips)

    def data(self, index: AnyIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        chip = self.chips[index.row()]

        if role in (
            Qt.ItemDataRole.DisplayRole,
            Qt.ItemDataRole.AccessibleTextRole,
        ):
            return chip.name

        if role == Qt.ItemDataRole.ToolTipRole:
            return self.about(chip)
        if role == CHIP:
            return chip
        if role == IS_ON:
            return index.row() in self.on
        return None


class ChipDelegate(QStyledItemDelegate):
    """Draws a chip, with an outline where it is on or the keys are on it."""

    def __init__(self, chips: ChipList) -> None:
        super().__init__(chips)
        self.chips = chips

    def sizeHint(self, option: QStyleOptionViewItem, index: AnyIndex) -> QSize:
        chip: Chip = index.data(CHIP)
        room = self.chips.viewport().width()
        if chip.picture is not None:
            wide = TALL
        elif chip.colour is not None:
            wide = max(TALL, (room - 2) // COLOURS - GAP)
        else:
            words = QFontMetrics(self.chips.words_font).horizontalAdvance(chip.name)
            wide = max(NARROW, words + 20)
        return QSize(min(wide + GAP, max(TALL, room)), TALL + GAP)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: AnyIndex
    ) -> None:
        chip: Chip = index.data(CHIP)
        on = bool(index.data(IS_ON))
        rect = QRectF(option.rect).adjusted(0, 0, -GAP, -GAP)
        has_keys = bool(option.state & QStyle.StateFlag.State_HasFocus)
        under = bool(option.state & QStyle.StateFlag.State_MouseOver)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setOpacity(0.4 if index.row() == self.chips.carrying else 1.0)
        self._draw_face(painter, rect, chip, raised=on or under)
        if on or has_keys:
            self._draw_outline(painter, rect, chip, on)
        painter.restore()

    def _draw_face(
        self, painter: QPainter, rect: QRectF, chip: Chip, raised: bool
    ) -> None:
        painter.setPen(Qt.PenStyle.NoPen)
        if chip.picture is not None:
            painter.drawPixmap(rect.adjusted(2, 2, -2, -2).toRect(), chip.picture)
        elif chip.colour is not None:
            painter.setBrush(chip.colour)
            painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        else:
            painter.setBrush(QColor(theme.LIFT if raised else theme.FLAT))
            painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
            painter.setPen(QColor(theme.TEXT))
            painter.setFont(self.chips.words_font)
            name = painter.fontMetrics().elidedText(
                chip.name, Qt.TextElideMode.ElideRight, int(rect.width() - 10)
            )
            painter.drawText(rect, Qt.AlignmentFlag.AlignCenter, name)

        if chip.program:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.KEEP))
            line = QRectF(rect.left() + 6, rect.bottom() - 3, rect.width() - 12, 2)
            painter.drawRect(line)

    def _draw_outline(
        self, painter: QPainter, rect: QRectF, chip: Chip, on: bool
    ) -> None:
        inner = rect.adjusted(1, 1, -1, -1)
        bend = TALL / 2 if chip.picture is not None else float(theme.RADIUS)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if chip.colour is not None:  # so that the outline is seen on any colour
            painter.setPen(QPen(QColor(theme.PIT), 4))
            painter.drawRoundedRect(inner, bend, bend)
        drafted = self.chips.chips.drafted
        token = theme.CHOSEN if not on else theme.DRAFT if drafted else theme.TEXT
        painter.setPen(QPen(QColor(token), 2))
        painter.drawRoundedRect(inner, bend, bend)


class ChipList(QListView):
    """Chips as they stand in their model. Where `movable`, one can be carried to
    another place: by mouse, or by Ctrl and the arrows.
    """

    picked = Signal(int)
    carried = Signal(int, int)  # from where, to where

    def __init__(
        self,
        title: str,
        about: Callable[[Chip], str] = lambda chip: chip.name,
        font_size: int = 13,
        movable: bool = False,
    ) -> None:
        super().__init__()
        self.words_font = theme.font(font_size)
        self.movable = movable
        self._pressed = -1
        self._pressed_at = QPoint()
        self._gap = -1  # where a chip that is carried would go
        self.chips = ChipModel(about)
        self.setModel(self.chips)
        self.setItemDelegate(ChipDelegate(self))
        self.setFlow(QListView.Flow.LeftToRight)
        self.setWrapping(True)
        self.setResizeMode(QListView.ResizeMode.Adjust)
        self.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setMouseTracking(True)
        self.setAccessibleName(title)
        self.setToolTip(title)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.chips.modelReset.connect(self.fit)

    @property
    def carrying(self) -> int:
        """The place of the chip that is carried; -1 for none."""
        return self._pressed if self._gap >= 0 else -1

    # where things are

    def sizeHint(self) -> QSize:
        return QSize(200, self.height())

    def fit(self) -> None:
        """Make the list as tall as its lines."""
        self.doItemsLayout()
        rects = self._rects()
        tall = int(max((rect.bottom() for rect in rects), default=0)) + GAP
        if self.height() != tall:
            self.setFixedHeight(tall)
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.fit()

    def rect_at(self, place: int) -> QRectF:
        """Where a chip is drawn."""
        rect = QRectF(self.visualRect(self.chips.index(place)))
        return rect.adjusted(0, 0, -GAP, -GAP)

    def rect_of(self, chip_id: str) -> QRectF:
        """Where a chip is drawn. Raises ValueError."""
        return self.rect_at(self.chips.place(chip_id))

    def _rects(self) -> list[QRectF]:
        return [self.rect_at(place) for place in range(self.chips.rowCount())]

    def place_under(self, point: QPoint) -> int:
        """Returns the place of the chip at a point; -1 for none."""
        index = self.indexAt(point)
        return index.row() if index.isValid() else -1

    def _gap_at(self, point: QPoint) -> int:
        """Returns the gap that a point is nearest to, 0 to the number of chips."""
        rects = self._rects()
        line = [
            r for r in rects if r.top() - GAP / 2 <= point.y() < r.bottom() + GAP / 2
        ] or rects
        before = [r for r in line if r.center().x() < point.x()]
        return rects.index(before[-1]) + 1 if before else rects.index(line[0])

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        rects = self._rects()
        if self._gap < 0 or not rects:
            return
        beside = rects[min(self._gap, len(rects) - 1)]
        at_end = self._gap == len(rects)
        x = beside.right() + GAP / 2 if at_end else beside.left() - GAP / 2
        painter = QPainter(self.viewport())
        painter.setPen(QPen(QColor(theme.TEXT), 2))
        painter.drawLine(QPointF(x, beside.top()), QPointF(x, beside.bottom()))

    # hands

    def _go_to(self, place: int) -> None:
        flag = QItemSelectionModel.SelectionFlag.NoUpdate
        self.selectionModel().setCurrentIndex(self.chips.index(place), flag)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Press a chip."""
        super().mousePressEvent(event)
        place = self.place_under(event.position().toPoint())
        if place >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._pressed_at = place, event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Carry the chip that is pressed."""
        point = event.position().toPoint()
        if self._pressed < 0 or not self.movable:
            super().mouseMoveEvent(event)
            return
        away = (point - self._pressed_at).manhattanLength()
        if self._gap >= 0 or away >= QApplication.startDragDistance():
            self._gap = self._gap_at(point)
            self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Pick the chip, or leave it where it was carried."""
        super().mouseReleaseEvent(event)
        pressed, gap = self._pressed, self._gap
        self._pressed = self._gap = -1
        self.viewport().update()
        if event.button() != Qt.MouseButton.LeftButton or pressed < 0:
            return
        if gap >= 0:
            self._carry(pressed, gap - (gap > pressed))
        elif self.place_under(event.position().toPoint()) == pressed:
            self.picked.emit(pressed)

    def _carry(self, place: int, to: int) -> None:
        if to != place:
            self.carried.emit(place, to)
        self._go_to(to)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from chip to chip, with Ctrl they carry it."""
        key, place = Qt.Key(event.key()), self.currentIndex().row()
        if key == Qt.Key.Key_Escape and self._gap >= 0:
            self._pressed = self._gap = -1
            self.viewport().update()
        elif place < 0:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            to = (place + step) % self.chips.rowCount()
            control = event.modifiers() & Qt.KeyboardModifier.ControlModifier
            if control and self.movable:
                self._carry(place, to)
            else:
                self._go_to(to)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.picked.emit(place)
        else:
            super().keyPressEvent(event)
