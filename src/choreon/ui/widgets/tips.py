"""Tooltips: they say names as they are, and whole where there is no room for them."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import QEvent, QObject, QPoint, Qt
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QComboBox,
    QLabel,
    QLineEdit,
    QStyle,
    QStyleOptionComboBox,
    QStyleOptionFrame,
    QToolButton,
    QToolTip,
    QWidget,
)

FRAME = 14  # pixels of a tool button beside what stands on it


def show_tip(watched: QObject, event: QHelpEvent) -> bool:
    """Show the tooltip of a widget, or of an item in a list, where Qt would say
    something else. Returns whether it did.
    """
    if event.type() != QEvent.Type.ToolTip or not isinstance(watched, QWidget):
        return False
    said, own = tip_at(watched, event.pos()), watched.toolTip()
    if not said or (said == own and "<" not in said):
        return False
    QToolTip.showText(event.globalPos(), plain(said), watched)
    return True


def plain(text: str) -> str:
    """Returns HTML that says a text as it is, line by line, and wraps it."""
    return "<qt>" + escape(text).replace("\n", "<br>") + "</qt>"


def tip_at(widget: QWidget, point: QPoint) -> str:
    """Returns what the tooltip at a point of a widget says: its own; before it the
    words that stand there, where there is no room for all of them.
    """
    view = widget.parentWidget()
    if isinstance(view, QAbstractItemView) and view.viewport() is widget:
        return _of_item(view, point)

    words, room = words_of(widget)
    need = max((_width(widget, line) for line in words.split("\n")), default=0)
    return _with(words if need > room else "", widget.toolTip())


def _of_item(view: QAbstractItemView, point: QPoint) -> str:
    """What is said of an item in a list or a table."""
    index = view.indexAt(point)
    own = str(index.data(Qt.ItemDataRole.ToolTipRole) or "")
    words = str(index.data(Qt.ItemDataRole.DisplayRole) or "")
    cut = view.sizeHintForIndex(index).width() > view.visualRect(index).width()
    return _with(words if cut else "", own)


def _with(words: str, tip: str) -> str:
    if not words or words in tip:
        return tip
    return f"{words}\n{tip}" if tip else words


def _width(widget: QWidget, line: str) -> int:
    return widget.fontMetrics().horizontalAdvance(line)


def words_of(widget: QWidget) -> tuple[str, int]:
    """Returns the words that stand on a widget in one line, and how many pixels there
    are for them; none where it has no such words.
    """
    if isinstance(widget, QComboBox):
        return widget.currentText(), _combo_room(widget)
    if isinstance(widget, QLineEdit):
        said = widget.displayText() or widget.placeholderText()
        return said, _line_room(widget)
    if isinstance(widget, QLabel):
        wraps = widget.wordWrap() or widget.textFormat() != Qt.TextFormat.PlainText
        return "" if wraps else widget.text(), widget.contentsRect().width()
    if isinstance(widget, QAbstractButton):
        return widget.text().replace("&&", "&"), _button_room(widget)
    return "", 0


def _combo_room(box: QComboBox) -> int:
    option = QStyleOptionComboBox()
    box.initStyleOption(option)
    field = QStyle.SubControl.SC_ComboBoxEditField
    kind = QStyle.ComplexControl.CC_ComboBox
    return box.style().subControlRect(kind, option, field, box).width()


def _line_room(line: QLineEdit) -> int:
    option = QStyleOptionFrame()
    line.initStyleOption(option)
    inside = QStyle.SubElement.SE_LineEditContents
    return line.style().subElementRect(inside, option, line).width() - 4


def _button_room(button: QAbstractButton) -> int:
    """What a button has beside the least of a frame around its words."""
    if isinstance(button, QToolButton):
        under = Qt.ToolButtonStyle.ToolButtonTextUnderIcon
        beside = button.toolButtonStyle() != under and not button.icon().isNull()
        return button.width() - FRAME - (button.iconSize().width() if beside else 0)

    hint = button.sizeHint().width()
    words = max(_width(button, line) for line in button.text().split("\n"))
    return button.width() - max(0, hint - words)
