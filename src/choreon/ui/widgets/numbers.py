"""Whole numbers that are typed: universe, address, how many."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QLineEdit

from choreon.language import tr
from choreon.ui.widgets.values import parse


class NumberField(QLineEdit):
    """A whole number within bounds. Arrow keys and the wheel step; `+10` and the like
    count from what stands there.

    `none` is the word that stands for the lowest number where that means that there is
    none; emptied, it says so.
    """

    valueChanged = Signal(object)  # of up to 32 bits

    def __init__(
        self, name: str, low: int, high: int, value: int, none: str = ""
    ) -> None:
        super().__init__()
        self.low, self.high, self.none = low, high, none
        self._value = value
        self._fresh = False
        self.setText(self._words(value))
        self.setAccessibleName(name)
        self.setMinimumWidth(48)
        self.setToolTip(
            tr(
                "{name}, {low} to {high}: type it, or turn the wheel",
                name=name,
                low=low,
                high=high,
            )
        )

        self.editingFinished.connect(self._typed)
        self.textEdited.connect(self._typing)

    def value(self) -> int:
        """The number; None where nothing is typed."""
        return self._value

    def setValue(self, value: int) -> None:
        """Set the number, kept within its bounds."""
        value = max(self.low, min(self.high, value))
        self.setText(self._words(value))
        if value != self._value:
            self._value = value
            self.valueChanged.emit(value)

    def _words(self, value: int) -> str:
        return self.none if self.none and value == self.low else str(value)

    def _typing(self, text: str) -> None:
        """While it is typed: take what is a number within the bounds."""
        if (
            text.isdecimal()
            and self.low <= int(text) <= self.high
            and int(text) != self._value
        ):
            self._value = int(text)
            self.valueChanged.emit(self._value)

    def _typed(self) -> None:
        if self.none and self.text().strip() in ("", self.none):
            self.setValue(self.low)
            return
        found = parse(self.text(), self._value)
        self.setValue(self._value if found is None else round(found))

    def focusInEvent(self, event: QFocusEvent) -> None:
        """What stands there is replaced by what is typed."""
        super().focusInEvent(event)
        self._fresh = event.reason() == Qt.FocusReason.MouseFocusReason
        self.selectAll()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """All of it is marked when it is gone to."""
        super().mousePressEvent(event)
        if self._fresh:  # the click that brought it here
            self.selectAll()
        self._fresh = False

    def wheelEvent(self, event: QWheelEvent) -> None:
        """One up or down."""
        self.setValue(self._value + (1 if event.angleDelta().y() > 0 else -1))
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go one up or down, Escape forgets what was typed."""
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.setValue(self._value + (1 if event.key() == Qt.Key.Key_Up else -1))
        elif event.key() == Qt.Key.Key_Escape:
            self.setText(self._words(self._value))
        else:
            super().keyPressEvent(event)
