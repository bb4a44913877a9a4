"""A palette held as a brush: whatever it touches takes it."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest

from choreon.model import edits, links
from choreon.model.refs import PALETTE, Ref
from choreon.ui.compose.palette_chips import PaletteChips

LEFT = Qt.MouseButton.LeftButton


def hold(hands, family: str = "colour"):
    """A palette of a family, held."""
    palettes = hands.parts.document.show.palettes.values()
    palette = next(p for p in palettes if p.family == family)
    hands.parts.brush.hold(palette)
    hands.until(hands.window.ledger.isVisible)  # so that nothing moves under the hand
    QTest.qWait(30)
    return palette


def taken(hands, palette) -> set[str]:
    """The fixtures that the draft gives the palette to."""
    link = links.to_palette(palette.id)
    look = hands.parts.engine.state.draft.look
    return {i for i, values in look.items() if link in values.values()}


def test_a_stroke_over_the_stage_is_one_undo_and_chooses_nobody(hands, node):
    stage = hands.place("compose").stage
    palette = hold(hands)
    lamps = ["par-1", "par-2", "par-3", "par-4"]
    points = [stage.point_of(lamp) for lamp in lamps]
    QTest.mousePress(stage, LEFT, pos=points[0].toPoint())
    for point in points[1:]:
        QTest.mouseMove(stage, point.toPoint())
    QTest.mouseRelease(stage, LEFT, pos=points[-1].toPoint())
    hands.until(lambda: set(lamps) <= taken(hands, palette))
    assert hands.parts.selection.chosen == ()
    steps = hands.parts.document.history.undo_name
    assert "colour" in steps
    hands.parts.document.undo()
    assert taken(hands, palette) == set()
    hands.parts.document.redo()
    assert set(lamps) <= taken(hands, palette)


def test_each_stroke_is_an_undo_of_its_own(hands):
    stage = hands.place("compose").stage
    palette = hold(hands)
    for lamp in ("par-1", "par-3"):
        hands.click(stage, stage.point_of(lamp))
    assert taken(hands, palette) == {"par-1", "par-3"}
    hands.parts.document.undo()
    assert taken(hands, palette) == {"par-1"}


def test_the_plan_takes_it_and_moves_no_lamp(hands):
    plan = hands.place("rig").plan
    palette = hold(hands)
    show = hands.parts.document.show
    places = {i: f.place for i, f in show.fixtures.items()}
    at = {i: plan.at(places[i]) for i in ("par-1", "par-2")}
    hands.drag(plan, at["par-1"], at["par-2"])
    assert {"par-1", "par-2"} <= taken(hands, palette)
    now = hands.parts.document.show.fixtures
    assert {i: f.place for i, f in now.items()} == places


def test_the_lists_take_it_group_by_group_and_lamp_by_lamp(hands):
    who = hands.place("compose").who
    palette = hold(hands)
    row = list(hands.parts.document.show.fixtures).index("par-1")
    item = who.fixtures.item(row)
    who.fixtures.scrollToItem(item)
    hands.click(who.fixtures, who.fixtures.visualItemRect(item).center())
    assert taken(hands, palette) == {"par-1"}
    assert hands.parts.selection.chosen == ()
    groups = list(hands.parts.document.show.groups.values())
    row = next(i for i, g in enumerate(groups) if "par-2" in g.fixtures)
    item = who.groups.item(row)
    who.groups.scrollToItem(item)
    hands.click(who.groups, who.groups.visualItemRect(item).center())
    assert set(groups[row].fixtures) <= taken(hands, palette)
    assert hands.parts.selection.chosen == ()


def test_who_does_not_have_it_is_left_alone(hands):
    stage = hands.place("compose").stage
    palette = hold(hands)
    hands.click(stage, stage.point_of("front-1"))  # a dimmer with no colour
    assert "front-1" not in taken(hands, palette)
    hands.click(stage, QPoint(3, 3))  # nobody hangs there
    assert taken(hands, palette) == set()


def test_escape_puts_it_down_and_presses_choose_again(hands):
    stage = hands.place("compose").stage
    palette = hold(hands)
    QTest.keySequence(hands.window, QKeySequence("Esc"))
    hands.until(lambda: hands.parts.brush.palette is None)
    hands.click(stage, stage.point_of("par-1"))
    assert hands.parts.selection.chosen == ("par-1",)
    assert taken(hands, palette) == set()


def test_it_is_held_by_menu_by_key_and_on_the_shelf(hands):
    compose = hands.place("compose")
    hands.parts.selection.choose(["par-1"])
    brush = hands.parts.brush

    def chips_shown() -> list[PaletteChips]:
        found = compose.what.findChildren(PaletteChips)
        return [c for c in found if c.isVisible() and len(c.palettes()) > 1]

    hands.until(chips_shown)
    chips = chips_shown()[0]
    chips.setCurrentIndex(chips.chips.index(0))
    QTest.keyClick(chips, Qt.Key.Key_B)
    assert brush.palette is chips.palettes()[0]
    QTest.keyClick(chips, Qt.Key.Key_B)
    assert brush.palette is None
    palette = chips.palettes()[1]
    compose.shelf.show_kind("palettes")
    compose.shelf.choose(palette.id)
    hands.press(compose.shelf, "Brush with it")
    assert brush.palette is palette
    hands.press(compose.shelf, "Brush with it")
    assert brush.palette is None


def test_what_is_deleted_falls_out_of_the_hand(hands):
    palette = hold(hands)
    document = hands.parts.document
    document.edit("x", edits.remove(document.show, Ref(PALETTE, palette.id)))
    assert hands.parts.brush.palette is None


def test_it_is_put_down_where_there_is_nothing_to_draw_over(hands):
    hold(hands)
    hands.place("rig")
    assert hands.parts.brush.palette is not None
    hands.place("perform")
    assert hands.parts.brush.palette is None
