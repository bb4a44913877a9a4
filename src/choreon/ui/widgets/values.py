"""Value fields: drag, wheel, type; double-click for home; Esc leaves
without a change.
"""

from __future__ import annotations

import re

from PySide6.QtCore import QEvent, QObject, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QEnterEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from choreon.language import number, tr
from choreon.terms import term
from choreon.ui import theme
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.keys import HELD_WITH
from choreon.ui.widgets.spoken import Role, Spoken, tell

_TYPED = re.compile(
    r"^\s*([+*/]|)\s*(-?\d+(?:[.,]\d+)?)\s*(%|s|hz|°|bpm|m)?\s*$", re.IGNORECASE
)


STEPS = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
BEGINS = "0123456789+-*/."  # what a value that is typed begins with


def parse(text: str, now: float | None) -> float | None:
    """What was typed into a field that shows `now`: `50`, `+10`, `/2`, `*1.5`, `3.5s`;
    None where it is no value.
    """
    match = _TYPED.match(text)
    if match is None:
        return None
    sign, number = match.group(1), float(match.group(2).replace(",", "."))
    base = now or 0.0
    if sign == "+":
        return base + number
    if sign == "*":
        return base * number
    if sign == "/":
        return base / number if number else None
    return number


class ValueField(QWidget):
    """A number with a name. `changed` gives it while it is dragged or typed."""

    changed = Signal(float)
    homed = Signal()
    types_in = True
    """Digits mean something to it."""

    def __init__(
        self,
        label: str,
        low: float,
        high: float,
        unit: str = "",
        digits: int = 0,
        home: float | None = None,
        bar: bool = True,
    ) -> None:
        super().__init__()
        self.label, self.low, self.high, self.unit, self.digits, self.home = (
            label,
            low,
            high,
            unit,
            digits,
            home,
        )

        self.bar = bar
        self.short = ""  # what it is called where its name has no room
        self.none = (
            ""  # what its lowest value is called, where that means that there is none
        )

        self._value: float | None = low
        self._spread: tuple[float, float] | None = None
        self.drafted = False
        self._drag: tuple[QPointF, float, float | None] | None = None
        self._moved = False
        self._edit: QLineEdit | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        self.setAccessibleName(label)
        self.setToolTip(
            tr(
                "{label}: drag or turn the wheel (Shift: fine), type a value, +10 or "
                "/2; double-click for home.",
                label=label,
            )
        )

    def sizeHint(self) -> QSize:
        return QSize(150, 34)

    def minimumSizeHint(self) -> QSize:
        return QSize(60, 34)

    @property
    def value(self) -> float | None:
        """None where the chosen fixtures differ."""
        return self._value

    def set_value(
        self, value: float | None, spread: tuple[float, float] | None = None
    ) -> None:
        """Show a value, or, with None, the span of values that differ. Tells nobody."""
        if self._drag is not None and self._moved:
            return
        if (value, spread) != (self._value, self._spread):
            self._value, self._spread = value, spread
            self.update()
            tell(self)

    def text(self) -> str:
        """The value, or the span of several, with the unit."""
        if self._value is None:
            if self._spread is None:
                return "—"
            low, high = (number(end, self.digits) for end in self._spread)
            return self._with_unit(tr("{low} … {high}", low=low, high=high))
        if self.none and self._value == self.low:
            return self.none
        return self._with_unit(number(self._value, self.digits))

    def _with_unit(self, value: str) -> str:
        if not self.unit:
            return value
        if self.unit == "°":
            return tr("{value}°", value=value)
        return tr("{value} {unit}", value=value, unit=term(self.unit))

    def _set(self, value: float) -> None:
        value = min(self.high, max(self.low, round(value, self.digits + 2)))
        self._value, self._spread = value, None
        self.update()
        tell(self)
        self.changed.emit(value)

    def spoken(self) -> Spoken:
        """Returns what a screen reader says of it."""
        step = 10.0**-self.digits
        number = self.low if self._value is None else self._value
        return Spoken(Role.SpinBox, self.text(), number, self.low, self.high, step)

    def speak_value(self, value: float) -> None:
        """A screen reader sets it."""
        self._set(value)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rect = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        hover = self.underMouse() and self.isEnabled()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.LIFT if hover else theme.FLAT))
        painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)
        if self.bar:
            accent = QColor(theme.DRAFT if self.drafted else theme.SOFT)
            self._paint_bar(painter, rect, accent)
        self._paint_frame(painter, rect)
        inner = rect.adjusted(10, 0, -10, -2 if self.bar else 0)
        room = self._paint_value(painter, inner)
        self._paint_label(painter, inner, room)

    def _paint_frame(self, painter: QPainter, rect: QRectF) -> None:
        """An outline where the keys are, a dashed one where the draft has it."""
        if self.hasFocus():
            pen = QPen(QColor(theme.CHOSEN), 1)
        elif self.drafted:
            pen = QPen(QColor(theme.DRAFT), 1)
            pen.setDashPattern([3, 2])
        else:
            pen = QPen(QColor(theme.EDGE if self.isEnabled() else theme.BATTEN), 1)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(rect, theme.RADIUS, theme.RADIUS)

    def _paint_value(self, painter: QPainter, inner: QRectF) -> float:
        """The value, as far as there is room; returns the room that it leaves."""
        painter.setFont(theme.font(14, strong=True))
        painter.setPen(QColor(theme.TEXT if self.isEnabled() else theme.FAINT))
        wide = painter.fontMetrics().horizontalAdvance
        text = self.text()
        if "…" in text and wide(text) + wide(self.label) + 6 > inner.width():
            text = text.replace(" ", "")
        if wide(text) > inner.width():
            text = text.removesuffix(term(self.unit)).replace(" ", "")
        if wide(text) > inner.width():
            painter.setFont(theme.font(12, strong=True))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(inner, right, text)
        return inner.width() - painter.fontMetrics().horizontalAdvance(text) - 6

    def _paint_label(self, painter: QPainter, inner: QRectF, room: float) -> None:
        """The name, or the short one where even the widest value would leave no room
        for it: so it does not change with the value.
        """
        strong = QFontMetrics(theme.font(14, strong=True))
        widest = self._with_unit(number(self.high, self.digits))
        least = inner.width() - strong.horizontalAdvance(widest) - 6
        painter.setFont(theme.font(13))
        painter.setPen(QColor(theme.SOFT if self.isEnabled() else theme.FAINT))
        metrics = painter.fontMetrics()
        tight = metrics.horizontalAdvance(self.label) + 1 > min(room, least)
        name = self.short if self.short and tight else self.label
        if room > 10:
            text = metrics.elidedText(name, Qt.TextElideMode.ElideRight, int(room))
            left = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
            painter.drawText(inner, left, text)

    def _paint_bar(self, painter: QPainter, rect: QRectF, accent: QColor) -> None:
        span = self.high - self.low
        ends = (
            self._spread
            if self._value is None
            else (self.low if self.low >= 0 else 0.0, self._value)
        )

        if ends is None or span <= 0:
            return
        track = QRectF(rect.left() + 8, rect.bottom() - 5, rect.width() - 16, 2)
        painter.setBrush(
            theme.colour(theme.BATTEN if not self.underMouse() else theme.FAINT)
        )
        painter.drawRect(track)
        a, b = sorted(min(1.0, max(0.0, (e - self.low) / span)) for e in ends)
        painter.setBrush(accent)
        painter.drawRect(
            QRectF(
                track.left() + a * track.width(),
                track.top(),
                max(2.0, (b - a) * track.width()),
                2,
            )
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take hold of the value."""
        if event.button() == Qt.MouseButton.LeftButton:
            start = (
                self._value
                if self._value is not None
                else (sum(self._spread) / 2 if self._spread else self.low)
            )
            self._drag = (event.position(), start, self._value)
            self._moved = False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag it; with Shift in small steps."""
        if self._drag is None:
            return
        away = event.position().x() - self._drag[0].x()
        if not self._moved and abs(away) < 3:
            return
        self._moved = True
        fine = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        self._set(self._drag[1] + fine * away * (self.high - self.low) / 240)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go; a press without a drag puts the keys on it."""
        clicked = self._drag is not None and not self._moved
        self._drag, self._moved = None, False
        if clicked:
            self.setFocus()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Go home."""
        self._drag = None
        if self.home is not None:
            self._set(self.home)
        self.homed.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """A step up or down, with Shift a small one."""
        ticks = event.angleDelta().y() / 120 or event.angleDelta().x() / 120
        fine = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        step = (
            10.0**-self.digits
            if fine
            else max(10.0**-self.digits, (self.high - self.low) / 40)
        )
        start = (
            self._value
            if self._value is not None
            else (sum(self._spread) / 2 if self._spread else self.low)
        )
        self._set(start + ticks * step)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows step, digits open a line, Escape takes a drag back."""
        key, typed = Qt.Key(event.key()), event.text()
        if event.modifiers() & HELD_WITH:
            super().keyPressEvent(event)
        elif key == Qt.Key.Key_Escape and self._drag is not None and self._moved:
            before = self._drag[2] if self._drag[2] is not None else self._drag[1]
            self._drag, self._moved = None, False
            self._set(before)
        elif key in STEPS and self._value is not None:
            step = max(10.0**-self.digits, (self.high - self.low) / 100)
            self._set(self._value + STEPS[key] * step)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._open("")
        elif typed and typed in BEGINS:
            self._open(typed)
        else:
            super().keyPressEvent(event)

    def _open(self, first: str) -> None:
        self._edit = edit = QLineEdit(self)
        edit.setGeometry(self.rect())
        edit.setText(
            first
            or (number(self._value, self.digits) if self._value is not None else "")
        )
        if not first:
            edit.selectAll()
        edit.editingFinished.connect(self._shut)
        edit.installEventFilter(self)
        edit.show()
        edit.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is not self._edit or not isinstance(event, QKeyEvent):
            return False
        if event.type() != QEvent.Type.KeyPress:
            return False
        if event.key() == Qt.Key.Key_Escape:
            self._shut()
            return True
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # Kept from the line editor, which would pass it on and so have the editor
            # opened again.
            self._typed()
            self._shut()
            return True
        return False

    def _typed(self) -> None:
        if self._edit is not None:
            value = parse(self._edit.text(), self._value)
            if value is not None:
                self._set(value)

    def _shut(self) -> None:
        if self._edit is not None:
            edit, self._edit = self._edit, None
            edit.hide()
            discard(edit)
            self.setFocus()

    def enterEvent(self, event: QEnterEvent) -> None:
        self.update()

    def leaveEvent(self, event: QEvent) -> None:
        self.update()
