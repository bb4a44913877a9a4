"""A tick with words."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QSizePolicy,
    QStyle,
    QStyleOptionButton,
    QStylePainter,
    QWidget,
)

LEAST = 72  # pixels that it takes at least


class Tick(QCheckBox):
    """A tick whose words end in dots where there is no room for them; the tooltip says
    them whole then (`tips.py`).
    """

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        # else the whole of its words is the least room that a layout gives it
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def minimumSizeHint(self) -> QSize:
        """The box, and the beginning of the words."""
        usual = super().sizeHint()
        return QSize(min(LEAST, usual.width()), usual.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        option = QStyleOptionButton()
        self.initStyleOption(option)
        contents = QStyle.SubElement.SE_CheckBoxContents
        room = self.style().subElementRect(contents, option, self).width()
        right = Qt.TextElideMode.ElideRight
        option.text = self.fontMetrics().elidedText(self.text(), right, room)

        painter = QStylePainter(self)
        painter.drawControl(QStyle.ControlElement.CE_CheckBox, option)
