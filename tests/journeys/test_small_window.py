"""A window on a small screen. (That nothing is cut: test_walking.py.)"""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import (
    QApplication,
    QScrollArea,
    QWidget,
)

from choreon.model import edits
from choreon.ui.surfaces.place import TargetRow
from choreon.ui.window import FRAME_SIDES, FRAME_TOP
from tests.journeys import walking


def test_the_window_and_its_frame_fit_the_screen(hands):
    free = QApplication.primaryScreen().availableSize()
    usual = hands.window.usual_size()
    assert usual.width() + FRAME_SIDES <= max(free.width(), 0)
    assert usual.height() + FRAME_TOP <= max(free.height(), 0)


def test_at_150_per_cent_on_a_small_laptop_what_must_be_at_hand_stays_in_sight(hands):
    """853 × 533 points are left: blackout, grand master, the ways to the places and the
    draft are all there, whatever else scrolls. Perform does not scroll.
    """
    window = hands.window
    window.resize(853, 533)
    hands.until(lambda: window.width() == 853 and window.height() == 533)
    hands.parts.selection.choose(["par-1"])
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.4}})
    heading, ledger = window.heading, window.ledger
    for name in ("rig", "compose", "surfaces", "perform"):
        place = hands.place(name)
        hands.until(lambda p=place: not walking.hidden(p), 5.0, f"cut: {name}")
        assert not walking.hidden(heading)
        hands.until(lambda: not walking.overlapping(heading))
        at_hand = [heading.blackout, heading.grand, heading.undo, heading.draft]
        at_hand += [ledger.keep_button, *window.buttons.buttons(), window.find_button]
        for widget in at_hand:
            there = widget.rect().translated(widget.mapTo(window, QPoint(0, 0)))
            assert window.rect().contains(there), f"{name}: {walking.label_of(widget)}"

    bars = window.place_scroller
    hands.until(lambda: not bars.horizontalScrollBar().isVisible())
    hands.click(heading.blackout)
    hands.until(lambda: hands.parts.engine.state.masters.blackout)
    hands.click(heading.blackout)
    hands.until(lambda: not hands.parts.engine.state.masters.blackout)


def test_a_place_that_is_larger_than_the_window_scrolls_to_what_gets_the_keys(hands):
    window = hands.window
    window.resize(853, 533)
    rig = hands.place("rig")
    bars = window.place_scroller
    hands.until(bars.horizontalScrollBar().isVisible)
    field = rig.in_hand.note
    hands.parts.selection.choose(["par-1"])
    hands.until(field.isVisible)
    bars.horizontalScrollBar().setValue(0)
    field.setFocus(Qt.FocusReason.TabFocusReason)
    bars.ensureWidgetVisible(field)
    there = field.mapTo(bars.viewport(), QPoint(0, 0))
    assert bars.viewport().rect().contains(there)


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


def test_what_is_on_now_is_named_while_it_fades(hands):
    """In the narrow panel of a small window the time of a fade makes room for the
    name.
    """
    hands.window.resize(1024, 700)
    perform = hands.place("perform")
    hands.parts.engine.press("spring-tide-pad")
    hands.until(lambda: perform.on_now.rows)
    (row,) = perform.on_now.rows.values()
    needed = row.name.fontMetrics().horizontalAdvance("● Spring Tide")
    hands.until(lambda: row.name.width() >= needed)
    assert not row.left.isVisible()
    hands.window.resize(1280, 800)
    hands.until(lambda: row.left.isVisible())
    hands.until(lambda: row.name.width() >= needed)


def test_rows_of_surfaces_are_never_squeezed_while_more_of_them_come(hands):
    surfaces = hands.place("surfaces")
    squeezed = []

    def all_there() -> bool:
        for line in surfaces.findChildren(TargetRow):
            if line.isVisible() and line.height() < line.minimumSizeHint().height():
                squeezed.append(line.name_text)
        return surfaces.is_listed

    hands.until(all_there)
    assert not squeezed


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


@pytest.mark.parametrize("size", [(1280, 800), (1100, 700), (1024, 700), (853, 533)])
def test_the_heading_has_room_for_all_that_can_stand_there_at_once(hands, size):
    """A long name, a draft, lamps aside, something wrong with the show: words give way
    to signs, and all is told by tooltips and names.
    """
    parts, heading = hands.parts, hands.window.heading
    show = edits.replace(parts.document.show, name=walking.LONG)
    clash = {"par-3": {"universe": 1, "address": 1}}
    parts.document.edit("odd", edits.change_fixtures(show, clash))
    parts.draft.touch({i: {"Dimmer": 0.4} for i in ("spot-1", "spot-2")})
    parts.engine.take_aside(["par-2"])
    hands.until(lambda: heading.held.isVisible() and heading.draft.isVisible())
    hands.until(heading.troubles.isVisible)

    hands.window.resize(*size)
    hands.until(lambda: (hands.window.width(), hands.window.height()) == size)
    hands.until(lambda: not walking.overlapping(heading), 5.0, "lies over another")
    hands.until(lambda: not walking.squeezed(heading), 5.0, "has too little room")
    assert not walking.hidden(heading)
    assert "aside" in heading.held.accessibleName()
    assert "2" in heading.draft.text()
    assert "draft" in heading.draft.accessibleName()

    # what was short for want of room is written out again
    hands.window.resize(1280, 800)
    parts.draft.clear()
    hands.until(
        lambda: "frames" in heading.health.text() or "▲" in heading.health.text()
    )
    hands.until(lambda: heading.grand_text.isVisible())
