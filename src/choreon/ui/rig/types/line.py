"""A channel's line of values with its ranges, whose borders are dragged."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from choreon.language import in_a_row, tr
from choreon.model import attributes as at
from choreon.model import type_edits
from choreon.model.fixture_type import Channel, FixtureType, Range, Slot
from choreon.ui import theme
from choreon.ui.rig.types.meaning import said
from choreon.ui.slots import slot_of, slot_picture
from choreon.ui.widgets.spoken import Role, Spoken

GRIP = 5.0  # pixels within which a border is taken
BAND = (28.0, 46.0)  # from, height


class RangeLine(QWidget):
    """Click chooses a range, dragging a border moves it, double click parts a range,
    Delete removes it.
    """

    chosen = Signal(int)
    edited = Signal(Channel)  # the channel as it is now
    pointed = Signal(object)  # a raw value to try, of up to 32 bits

    def __init__(self) -> None:
        super().__init__()
        self.kind: FixtureType | None = None
        self.channel: Channel | None = None
        self.index = 0
        self._border: int | None = None
        self._began: Channel | None = None
        self.setMinimumHeight(98)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Ranges of the channel"))
        self.setToolTip(
            tr(
                "Click a range to edit it below; drag a border; double click parts a "
                "range; Delete removes it.\n"
                "With Try it on, the value under the pointer goes to the fixture."
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(600, 98)

    def show_channel(
        self, kind: FixtureType, channel: Channel | None, index: int
    ) -> None:
        """Show a channel, one of its ranges chosen."""
        self.kind, self.channel, self.index = kind, channel, index
        self.update()

    # geometry

    def x_of(self, raw: float) -> float:
        """Where a raw value is drawn."""
        assert self.channel is not None
        return 10 + (self.width() - 20) * raw / (self.channel.top + 1)

    def raw_at(self, x: float) -> int:
        """Returns the raw value at a place, in points from the left."""
        assert self.channel is not None
        raw = int((x - 10) / max(1, self.width() - 20) * (self.channel.top + 1))
        return min(self.channel.top, max(0, raw))

    def _border_at(self, x: float) -> int | None:
        """The range whose end is at a point."""
        if self.channel is None:
            return None
        near = [
            (abs(self.x_of(r.end + 1) - x), i)
            for i, r in enumerate(self.channel.ranges)
            if r.end < self.channel.top
        ]
        best = min(near, default=(99.0, -1))
        return best[1] if best[0] <= GRIP else None

    def _range_at(self, x: float) -> int | None:
        raw = self.raw_at(x)
        for i, span in enumerate(self.channel.ranges if self.channel else ()):
            if span.start <= raw <= span.end:
                return i
        return None

    # drawing

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        ranges = () if self.channel is None else self.channel.ranges
        names = [span.name or said(span.attribute) for span in ranges]
        return Spoken(Role.Graphic, in_a_row(names) or tr("no range"))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.PIT))
        painter.drawRoundedRect(QRectF(self.rect()), theme.RADIUS, theme.RADIUS)
        if self.channel is None or self.kind is None:
            return
        painter.setFont(theme.font(11))
        for place, span in enumerate(self.channel.ranges):
            slot = slot_of(self.kind, self.channel, span)
            self._paint_range(painter, place, span, slot)
        self._scale(painter)

    def _paint_range(
        self, painter: QPainter, place: int, span: Range, slot: Slot | None
    ) -> None:
        """A range as a block: its name, its slot, whether it is reached on purpose."""
        top, tall = BAND
        left, right = self.x_of(span.start), self.x_of(span.end + 1)
        rect = QRectF(left + 0.5, top, max(1.5, right - left - 1), tall)
        ground = theme.LIFT if place % 2 else theme.FLAT
        if span.attribute in (at.NOTHING, ""):
            ground = theme.DECK
        painter.setPen(Qt.PenStyle.NoPen)

        if place == self.index:
            painter.setPen(QPen(QColor(theme.CHOSEN), 2))
        painter.setBrush(QColor(ground))
        painter.drawRoundedRect(rect, 3, 3)

        if span.on_purpose:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.KEEP))
            wide = max(1.0, rect.width() - 4)
            painter.drawRect(QRectF(rect.left() + 2, rect.bottom() - 4, wide, 2))

        if slot is not None and rect.width() > 18:
            x, y = int(rect.center().x() - 9), int(rect.top() + 5)
            painter.drawPixmap(x, y, slot_picture(slot, 18))

        if rect.width() > 26:
            painter.setPen(QColor(theme.TEXT))
            text = span.name or at.attribute(span.attribute).label
            room = rect.adjusted(3, 24 if slot else 4, -3, -4)
            text = painter.fontMetrics().elidedText(
                text, Qt.TextElideMode.ElideRight, int(room.width())
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)

    def _scale(self, painter: QPainter) -> None:
        assert self.channel is not None
        top, tall = BAND
        painter.setFont(theme.font(10))
        painter.setPen(QColor(theme.FAINT))
        last = -99.0

        for span in self.channel.ranges:
            x = self.x_of(span.start)
            if x - last > 34:
                painter.drawText(
                    QRectF(x, top + tall + 3, 60, 14),
                    Qt.AlignmentFlag.AlignLeft,
                    str(span.start),
                )
                last = x

        for raw, sign, token in (
            (self.channel.home, "home", theme.LIVE),
            (self.channel.open, "open", theme.DRAFT),
        ):
            if raw is not None:
                x = self.x_of(raw + 0.5)
                painter.setPen(QPen(QColor(token), 2))
                painter.drawLine(int(x), 14, int(x), int(top + tall))
                flags = Qt.AlignmentFlag.AlignHCenter
                painter.drawText(
                    QRectF(max(0.0, min(x - 24, self.width() - 50)), 0, 48, 14),
                    flags,
                    sign,
                )

    # hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a range, or take hold of a border."""
        if self.channel is None:
            return
        self.setFocus()
        x = event.position().x()
        self._border = self._border_at(x)
        self._began = self.channel
        found = self._range_at(x)
        if self._border is None and found is not None:
            self.index = found
            self.chosen.emit(found)
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the border that is held."""
        if self.channel is None:
            return
        x = event.position().x()
        over = self._border is not None or self._border_at(x) is not None
        self.setCursor(
            Qt.CursorShape.SplitHCursor if over else Qt.CursorShape.ArrowCursor
        )

        if self._border is not None and self._began is not None:
            span = self._began.ranges[self._border]
            end = max(span.start, self.raw_at(x) - 1)
            after = self._began.ranges[self._border + 1 :]
            if after and after[0].start == span.end + 1:
                end = min(end, after[0].end - 1)
            elif after:
                end = min(end, after[0].start - 1)
            self.channel = type_edits.put_range(self._began, self._border, end=end)
            self.update()

        self.pointed.emit(self.raw_at(x))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let the border go where it was moved to."""
        if self._border is not None and self.channel is not self._began:
            self.edited.emit(self.channel)
        self._border = self._began = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Part the range where it is pressed."""
        if self.channel is not None:
            channel, index = type_edits.split(
                self.channel, self.raw_at(event.position().x())
            )
            self._border = self._began = None
            self.index = index
            self.edited.emit(channel)
            self.chosen.emit(index)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go from range to range, Del removes one."""
        channel = self.channel
        if channel is None:
            return
        if (
            event.key() == Qt.Key.Key_Delete
            and len(channel.ranges) > 1
            and self.index < len(channel.ranges)
        ):
            self.edited.emit(type_edits.remove_range(channel, self.index))
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and channel.ranges:
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self.index = (self.index + step) % len(channel.ranges)
            self.chosen.emit(self.index)
            self.update()
        elif event.key() == Qt.Key.Key_Escape and self._began is not None:
            self.channel, self._border, self._began = self._began, None, None
            self.update()
        else:
            super().keyPressEvent(event)
