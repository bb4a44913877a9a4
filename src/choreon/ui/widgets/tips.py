"""Tooltips that say names as they are: one that looks like HTML is none."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QHelpEvent
from PySide6.QtWidgets import QAbstractItemView, QToolTip, QWidget


def show_tip(watched: QObject, event: QHelpEvent) -> bool:
    """Show the tooltip of a widget, or of an item in a list, where it would be taken
    for HTML. Returns whether it did.
    """
    if event.type() != QEvent.Type.ToolTip or not isinstance(watched, QWidget):
        return False
    text = tip_at(watched, event)
    if "<" not in text and "&" not in text:
        return False
    QToolTip.showText(event.globalPos(), plain(text), watched)
    return True


def tip_at(widget: QWidget, event: QHelpEvent) -> str:
    """Returns what the tooltip at a point of a widget says."""
    view = widget.parentWidget()
    if isinstance(view, QAbstractItemView) and view.viewport() is widget:
        return str(view.indexAt(event.pos()).data(Qt.ItemDataRole.ToolTipRole) or "")
    return widget.toolTip()


def plain(text: str) -> str:
    """Returns HTML that says a text as it is, line by line, and wraps it."""
    return "<qt>" + escape(text).replace("\n", "<br>") + "</qt>"
