"""Whole numbers that are typed: universe, address, how many."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QLineEdit

from choreon.ui.widgets.values import parse


class NumberField(QLineEdit):
    """A whole number within bounds. Arrow keys and the wheel step; `+10` and the like count from what stands there."""

    valueChanged = Signal(int)

    def __init__(self, name: str, low: int, high: int, value: int) -> None:
        super().__init__(str(value))
        self.low, self.high = low, high
        self._value = value
        self._fresh = False
        self.setAccessibleName(name)
        self.setMinimumWidth(48)
        self.setToolTip(f"{name}, {low} to {high}: type it, or turn the wheel")
        self.editingFinished.connect(self._typed)
        self.textEdited.connect(self._typing)

    def value(self) -> int:
        return self._value

    def setValue(self, value: int) -> None:
        """Set the number, kept within its bounds."""
        value = max(self.low, min(self.high, value))
        self.setText(str(value))
        if value != self._value:
            self._value = value
            self.valueChanged.emit(value)

    def _typing(self, text: str) -> None:
        """While it is typed: take what is a number within the bounds."""
        if text.isdecimal() and self.low <= int(text) <= self.high and int(text) != self._value:
            self._value = int(text)
            self.valueChanged.emit(self._value)

    def _typed(self) -> None:
        found = parse(self.text(), self._value)
        self.setValue(self._value if found is None else round(found))

    def focusInEvent(self, event) -> None:
        """What stands there is replaced by what is typed."""
        super().focusInEvent(event)
        self._fresh = event.reason() == Qt.FocusReason.MouseFocusReason
        self.selectAll()

    def mousePressEvent(self, event) -> None:
        super().mousePressEvent(event)
        if self._fresh:  # the click that brought it here
            self.selectAll()
        self._fresh = False

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.setValue(self._value + (1 if event.angleDelta().y() > 0 else -1))
        event.accept()

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.setValue(self._value + (1 if event.key() == Qt.Key.Key_Up else -1))
        elif event.key() == Qt.Key.Key_Escape:
            self.setText(str(self._value))
        else:
            super().keyPressEvent(event)
