"""A window on a small screen: nothing is cut."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QScrollArea, QWidget

from choreon.ui.window import FRAME_SIDES, FRAME_TOP


def cut(inside: QWidget) -> list[str]:
    """The buttons whose words have less room than they need, or that reach beyond what
    they lie in.
    """
    found = []
    for button in inside.findChildren(QAbstractButton):
        if not button.isVisible() or button.visibleRegion().isEmpty():
            continue
        need = button.fontMetrics().horizontalAdvance(button.text().split("\n")[0])
        icon = 0 if button.icon().isNull() or not button.text() else 20
        scrolls = in_scroller(button)
        beyond = not scrolls and not whole(button)
        if (button.text() and button.width() < need + icon) or beyond:
            found.append(button.text() or button.toolTip())
    return found


def in_scroller(widget: QWidget) -> bool:
    parent = widget.parentWidget()
    while parent is not None and not isinstance(parent, QScrollArea):
        parent = parent.parentWidget()
    return parent is not None


def whole(widget: QWidget) -> bool:
    """Whether all of a widget lies within everything that it lies in."""
    parent = widget.parentWidget()
    while parent is not None:
        corner = widget.mapTo(parent, QPoint(0, 0))
        if not parent.rect().contains(widget.rect().translated(corner)):
            return False
        parent = parent.parentWidget() if not parent.isWindow() else None
    return True


@pytest.mark.parametrize("size", [(1024, 700), (1280, 756)])
def test_nothing_is_cut_on_a_small_screen(hands, size):
    hands.window.resize(*size)
    QTest.qWait(100)
    for name in ("compose", "perform", "surfaces"):
        place = hands.place(name)
        assert cut(place) == [], name
    rig = hands.place("rig")
    for view in range(4):
        rig.go(view)
        QTest.qWait(50)
        assert cut(rig) == [], view
    shown = hands.window.width(), hands.window.height()
    assert shown == size


def test_the_window_and_its_frame_fit_the_screen(hands):
    free = QApplication.primaryScreen().availableSize()
    usual = hands.window.usual_size()
    assert usual.width() + FRAME_SIDES <= max(free.width(), 0)
    assert usual.height() + FRAME_TOP <= max(free.height(), 0)
