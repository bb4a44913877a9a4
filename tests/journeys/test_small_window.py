"""A window on a small screen: nothing is cut."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QMainWindow,
    QScrollArea,
    QWidget,
)

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
    """Whether it lies in a part of the window that scrolls; that the whole window would
    scroll if it were too small does not count.
    """
    parent = widget.parentWidget()
    while parent is not None and not (
        isinstance(parent, QScrollArea)
        and not isinstance(parent.parentWidget(), QMainWindow)
    ):
        parent = parent.parentWidget()
    return parent is not None


def whole(widget: QWidget) -> bool:
    """Whether all of a widget lies within everything that it lies in."""
    parent = widget.parentWidget()
    while parent is not None:
        corner = widget.mapTo(parent, QPoint(0, 0))
        if not parent.rect().contains(widget.rect().translated(corner)):
            return False
        above = parent.parentWidget()
        if parent.isWindow() or isinstance(above, QMainWindow):
            break  # what scrolls the whole window may cut what can be scrolled to
        parent = above if not _is_viewport(above) else None
    return True


def _is_viewport(widget: QWidget | None) -> bool:
    """Whether it is what the whole window scrolls in."""
    area = widget.parentWidget() if widget is not None else None
    return isinstance(area, QScrollArea) and isinstance(
        area.parentWidget(), QMainWindow
    )


@pytest.mark.parametrize("size", [(1024, 700), (1280, 756)])
def test_nothing_is_cut_on_a_small_screen(hands, size):
    hands.window.resize(*size)
    QTest.qWait(100)
    for name in ("compose", "perform", "surfaces"):
        place = hands.place(name)
        assert cut(place) == [], name
    assert whole(hands.window.surfaces.drawing)
    rig = hands.place("rig")
    for view in range(4):
        rig.go(view)
        QTest.qWait(50)
        assert cut(rig) == [], view
    shown = hands.window.width(), hands.window.height()
    assert shown == size
    bars = hands.window.scroller
    assert not bars.horizontalScrollBar().isVisible()
    assert not bars.verticalScrollBar().isVisible()


def test_the_window_and_its_frame_fit_the_screen(hands):
    free = QApplication.primaryScreen().availableSize()
    usual = hands.window.usual_size()
    assert usual.width() + FRAME_SIDES <= max(free.width(), 0)
    assert usual.height() + FRAME_TOP <= max(free.height(), 0)


def test_a_screen_that_is_too_small_for_the_size_scrolls_and_loses_nothing(hands):
    """As at 150 % on a small laptop: 853 × 533 points are left."""
    window = hands.window
    window.resize(853, 533)
    hands.until(lambda: window.width() == 853 and window.height() == 533)
    bars = window.scroller
    hands.until(bars.horizontalScrollBar().isVisible)
    assert bars.verticalScrollBar().isVisible()
    for name in ("rig", "compose", "perform", "surfaces"):
        hands.place(name)
        assert cut(hands.window.places[name]) == [], name
    blackout = window.heading.blackout
    view = bars.viewport()

    def seen() -> bool:
        corner = blackout.mapTo(view, QPoint(0, 0))
        return view.rect().contains(blackout.rect().translated(corner))

    assert not seen()
    bars.horizontalScrollBar().setValue(bars.horizontalScrollBar().maximum())
    assert seen()
    hands.click(blackout)
    hands.until(lambda: hands.parts.engine.state.masters.blackout)
    hands.click(blackout)
    bars.horizontalScrollBar().setValue(0)
    window.find_button.setFocus()  # what gets the keys is brought into sight
    blackout.setFocus(Qt.FocusReason.TabFocusReason)
    bars.ensureWidgetVisible(blackout)
    assert seen()


def test_the_fixture_in_hand_is_whole_on_a_small_screen(hands):
    """Its fields and switches too, not only what is pressed."""
    hands.window.resize(1024, 700)
    hands.parts.selection.choose(["par-1"])
    hand = hands.place("rig").in_hand
    areas = [a for a in hand.findChildren(QScrollArea) if a.isVisible()]
    assert areas
    for area in areas:
        inside = area.widget()
        hands.until(
            lambda area=area, inside=inside: inside.width() <= area.viewport().width()
        )


def test_what_is_on_now_can_be_let_go_whatever_its_name(hands):
    """A long name gives way: nothing that can be pressed is cut."""
    perform = hands.place("perform")
    for tile in ("lanterns-home-pad", "tide-turns-pad", "cello-pad"):
        hands.parts.engine.press(tile)
    hands.until(lambda: len(perform.on_now.rows) == 3)
    for row in perform.on_now.rows.values():
        hands.until(lambda row=row: row.go.visibleRegion().boundingRect().isValid())
        shown = row.go.visibleRegion().boundingRect()
        assert shown == row.go.rect()


def test_nothing_in_the_heading_lies_over_another_while_there_is_a_draft(hands):
    window, heading = hands.window, hands.window.heading
    window.resize(1024, 700)
    hands.place("compose")
    hands.parts.draft.touch({"par-1": {"Dimmer": 1.0}})
    hands.until(lambda: heading.draft.isVisible())
    tempo = heading.tempo
    hands.until(lambda: tempo.width() >= tempo.minimumSizeHint().width())
    parts = [
        w
        for w in heading.findChildren(QWidget)
        if w.isVisible() and not w.findChildren(QWidget)
    ]
    places = {w: w.rect().translated(w.mapTo(heading, QPoint(0, 0))) for w in parts}
    for i, one in enumerate(parts):
        assert heading.rect().contains(places[one])
        for other in parts[i + 1 :]:
            assert not places[one].intersects(places[other]), (one, other)
    window.resize(1280, 800)
    hands.until(lambda: heading.grand_name.isVisible())
