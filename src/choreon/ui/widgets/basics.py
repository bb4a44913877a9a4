"""Small helpers that keep the places' code about the places."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtWidgets import (
    QBoxLayout,
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from choreon.ui import theme
from choreon.ui.widgets.discard import discard
from choreon.ui.widgets.elided import Elided


def once(parent: QObject, milliseconds: int, act: Callable[[], object]) -> QTimer:
    """A timer that, each time it is started, acts once."""
    made = QTimer(parent)
    made.setInterval(milliseconds)
    made.timeout.connect(made.stop)
    made.timeout.connect(act)
    return made


def label(text: str, role: str = "", wrap: bool = False, rich: bool = False) -> QLabel:
    """A line of words in one of the style sheet's roles. `rich`: it is HTML, in which
    names are escaped; else a name that looks like HTML is shown as it is.
    """
    made = QLabel(text)
    if not rich:
        made.setTextFormat(Qt.TextFormat.PlainText)
    if role:
        made.setProperty("role", role)
    made.setWordWrap(wrap)
    return made


def name_label(text: str = "", role: str = "") -> Elided:
    """A name in one line, which ends in dots where it is too long."""
    made = Elided(text)
    if role:
        made.setProperty("role", role)
    return made


def say(words: QLabel, text: str) -> None:
    """Have a line say something; it is laid out and drawn anew where that is new."""
    if words.text() != text:
        words.setText(text)


def set_role(words: QLabel, role: str) -> None:
    """Give words another of the style sheet's roles."""
    if words.property("role") != role:
        words.setProperty("role", role)
        words.style().unpolish(words)
        words.style().polish(words)


def set_kind(made: QWidget, kind: str) -> None:
    """Give a button another of the style sheet's kinds."""
    if (made.property("kind") or "") != kind:
        made.setProperty("kind", kind)
        made.style().unpolish(made)
        made.style().polish(made)


def scroller(inside: QWidget, sideways: bool = False) -> QScrollArea:
    """Let something scroll, up and down or sideways."""
    made = QScrollArea()
    made.setWidgetResizable(True)
    made.setWidget(inside)
    off = Qt.ScrollBarPolicy.ScrollBarAlwaysOff
    if sideways:
        made.setVerticalScrollBarPolicy(off)
    else:
        made.setHorizontalScrollBarPolicy(off)
    return made


def literal(text: str) -> str:
    """Returns words for a button or a menu as they are: an & in a name is no key."""
    return text.replace("&", "&&")


def button(
    text: str, act: Callable[[], object], kind: str = "", icon: str = "", tip: str = ""
) -> QPushButton:
    """A button; `kind` is main, quiet or nothing."""
    made = QPushButton(literal(text))
    if kind:
        made.setProperty("kind", kind)
    if icon:
        made.setIcon(theme.icon(icon, theme.PIT if kind == "main" else theme.SOFT))
        made.setIconSize(theme.ICON)
    made.setToolTip(tip or text)
    made.setAccessibleName(text or tip)
    made.clicked.connect(lambda *_: act())
    return made


def tool(
    icon: str, tip: str, act: Callable[[], object], checkable: bool = False
) -> QToolButton:
    """A button that is only an icon."""
    made = QToolButton()
    made.setIcon(theme.icon(icon))
    made.setIconSize(theme.ICON)
    made.setToolTip(tip)
    made.setAccessibleName(tip)
    made.setCheckable(checkable)
    made.setProperty("kind", "quiet")
    made.clicked.connect(lambda *_: act())
    return made


def panel(*widgets: QWidget | int, margins: int = 12, spacing: int = 8) -> QFrame:
    """A panel with widgets one below the other; a number stretches."""
    frame = QFrame()
    frame.setProperty("panel", "true")
    stack(frame, *widgets, margins=margins, spacing=spacing)
    return frame


def stack(
    parent: QWidget, *widgets: QWidget | int, margins: int = 0, spacing: int = 8
) -> QVBoxLayout:
    """Lay widgets one below the other; a number stretches. In a dialog Enter presses
    the main button.
    """
    box = QVBoxLayout(parent)
    box.setContentsMargins(margins, margins, margins, margins)
    box.setSpacing(spacing)
    _fill(box, widgets)
    if isinstance(parent, QDialog):
        for found in parent.findChildren(QPushButton):
            if found.property("kind") == "main":
                found.setDefault(True)
    return box


def put_into(parent: QWidget, widget: QWidget) -> None:
    """Put a widget at the end of what a parent lays out."""
    layout = parent.layout()
    assert layout is not None
    layout.addWidget(widget)


def row(*widgets: QWidget | int, spacing: int = 8) -> QWidget:
    """Widgets side by side; a number stretches."""
    made = QWidget()
    box = QHBoxLayout(made)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(spacing)
    _fill(box, widgets)
    return made


def _fill(box: QVBoxLayout | QHBoxLayout, widgets: tuple[QWidget | int, ...]) -> None:
    for widget in widgets:
        if isinstance(widget, int):
            box.addStretch(widget)
        else:
            box.addWidget(widget)


def grow(box: QWidget, index: int, share: int = 1) -> None:
    """Let one widget of a row or a panel take its share of the room that is left."""
    layout = box.layout()
    assert isinstance(layout, QBoxLayout)
    layout.setStretch(index, share)


def align_top(box: QWidget, widget: QWidget) -> None:
    """Let a widget of a row or a panel keep its own height, at the top."""
    layout = box.layout()
    assert layout is not None
    layout.setAlignment(widget, Qt.AlignmentFlag.AlignTop)


def clear(box: QLayout) -> None:
    """Take everything out of a layout."""
    while (item := box.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()  # taken from its parent it would be styled anew
            discard(widget)
