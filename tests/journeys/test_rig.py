"""The Rig place: hanging, addresses, the list, the room, strips, why, outputs."""

from __future__ import annotations

from pathlib import Path

import pypdf
import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QColor, QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLineEdit

from choreon.engine.protocol import FindNodes
from choreon.formats import showfile
from choreon.library import library
from choreon.model import edits, patch
from choreon.model.outputs import ArtnetOutput
from choreon.model.refs import Ref
from choreon.model.show import Place
from choreon.ui.rig.output_fields import numbers, spans_of
from choreon.ui.rig.type_list import MIME
from choreon.ui.widgets.values import ValueField
from tests.conftest import until, values
from tests.journeys.conftest import missed, mostly, pick

CTRL = Qt.KeyboardModifier.ControlModifier


def dropped(widget, type_id: str, point: QPointF) -> None:
    """Let a dragged type go over a widget."""
    data = QMimeData()
    data.setData(MIME, type_id.encode())
    held = Qt.MouseButton.LeftButton
    widget.dropEvent(
        QDropEvent(
            point, Qt.DropAction.CopyAction, data, held, Qt.KeyboardModifier.NoModifier
        )
    )


@pytest.fixture
def rig(hands):
    place = hands.place("rig")
    place.go(0)
    return place


# hanging


def test_a_run_that_does_not_fit_goes_on_in_the_next_universe(hands, rig):
    rig.hang.search.setText("tarnby par 7")
    rig.hang.choose_type("tarnby-par-7")
    rig.hang.universe.setValue(7)
    rig.hang.count.setValue(70)
    assert rig.hang.preview.text() == "Universe 7, 1–512 · Universe 8, 1–48: free."
    rig.hang.gap.setValue(2)
    rig.hang.name.setText("Ring # out")
    rig.hang.first.setValue(40)
    assert {s[0] for s in rig.ribbon.ribbon.ghost.spans} == {7, 8}
    hands.click(hands.button(rig.hang, "Hang 70"))
    made = [hands.parts.document.show.fixtures[i] for i in hands.parts.selection.chosen]
    assert (made[0].name, made[-1].name) == ("Ring 40 out", "Ring 109 out")
    assert (made[1].universe, made[1].address) == (7, 11)
    assert made[-1].universe == 8
    assert patch.clashes(hands.parts.document.show) == []
    assert rig.hang.types.item(0).text().startswith("Tarnby Par 7")
    rig.hang.search.setText("")
    assert (
        rig.hang.types.item(0).text().startswith("Tarnby Par 7")
    )  # the recently used come first


def test_the_channel_map_is_shown_before_hanging(rig):
    rig.hang.choose_type("ostrey-spot-160")
    assert rig.hang.map.toolTip().startswith(
        "1–2 Pan · 3–4 Tilt · 5 Head speed · 6 Dimmer"
    )
    rig.hang.mode.highlighted.emit(1)  # the pointer is over the other mode
    assert rig.hang.map.toolTip().startswith("1 Pan · 2 Tilt")
    rig.hang.choose_type("pellow-bar-8")
    assert "and so on for 8 cells" in rig.hang.map.toolTip()


def test_a_pack_as_one_and_as_six_look_different(hands, rig):
    from choreon.ui.rig import bodies

    rig.hang.choose_type("holmwick-6-way")
    rig.hang.mode.setCurrentIndex(1)
    hands.click(hands.button(rig.hang, "Hang"))
    pack = hands.parts.document.show.fixtures[hands.parts.selection.chosen[0]]
    rig.hang.mode.setCurrentIndex(0)
    rig.hang.count.setValue(6)
    hands.click(hands.button(rig.hang, "Hang 6"))
    one = hands.parts.document.show.fixtures[hands.parts.selection.chosen[0]]
    kind = hands.parts.document.show.types["holmwick-6-way"]
    assert (bodies.body_of(kind, pack.mode), bodies.body_of(kind, one.mode)) == (
        "pack",
        "profile",
    )
    assert patch.footprint(hands.parts.document.show, pack) == 6
    assert one.pack == "6-way pack"


def test_types_are_dropped_on_the_plan_and_on_an_address(hands, rig):
    dropped(rig.plan, "tarnby-par-3", rig.plan.at(Place(2, 3)))
    made = hands.parts.document.show.fixtures[hands.parts.selection.chosen[0]]
    assert (made.type, made.place.x, made.place.y) == ("tarnby-par-3", 2.0, 3.0)
    assert (made.universe, made.address) == (1, 113)
    dropped(rig.front, "tarnby-par-3", rig.front.at(Place(1, 0, 2.5)))
    assert (
        hands.parts.document.show.fixtures[hands.parts.selection.chosen[0]].place.z
        == 2.5
    )
    ribbon = rig.ribbon.ribbon
    dropped(ribbon, "pellow-dot", ribbon.rect_of(400, 400)[0].center())
    made = hands.parts.document.show.fixtures[hands.parts.selection.chosen[0]]
    assert (made.type, made.universe, made.address) == ("pellow-dot", 1, 400)
    before = hands.parts.document.show
    dropped(ribbon, "pellow-dot", ribbon.rect_of(12, 12)[0].center())
    assert hands.parts.document.show is before
    assert "Par 1 already has slots there" in hands.window.notice.text.text()
    dropped(ribbon, "pellow-dot", ribbon.rect_of(511, 511)[0].center())
    assert "it would end past 512" in hands.window.notice.text.text()
    assert hands.parts.document.show is before


# addresses


def test_packing_moving_and_merging_leave_programming_alone(hands, rig, node):
    panel, scenes = rig.ribbon, hands.parts.document.show.playables
    panel.go(2)
    panel.pack()
    assert "their programming is as it was" in hands.window.notice.text.text()
    assert hands.parts.document.show.fixtures["spot-1"].address == 49
    hands.parts.selection.choose(["bar-1", "bar-2"])
    panel.move_to(4, chosen=True)
    assert [
        hands.parts.document.show.fixtures[b].universe for b in ("bar-1", "bar-2")
    ] == [
        4,
        4,
    ]
    assert panel.ribbon.universe == 4
    panel.go(3)
    panel.merge_into(1)
    assert patch.universes(hands.parts.document.show) == [1, 2, 4]
    assert hands.parts.document.show.playables is scenes
    hands.parts.engine.press("spring-tide-pad")
    until(
        lambda: (
            (QTest.qWait(20), values(node, 4)[:3])[1] != [0, 0, 0]
            and any(values(node, 4)[:3])
        )
    )
    hands.parts.document.undo()
    hands.parts.document.undo()
    hands.parts.document.undo()
    assert hands.parts.document.show.fixtures["spot-1"].address == 61


def test_what_does_not_fit_is_told_and_stays(hands, rig):
    show, _ = edits.hang(
        hands.parts.document.show, library()["pellow-dot"], "3 channel", 133, 1, 113
    )
    hands.parts.document.edit("fill", show)
    rig.ribbon.go(2)
    rig.ribbon.merge_into(1)
    assert "do not fit and stayed" in hands.window.notice.text.text()
    rig.ribbon.go(5)
    rig.ribbon.pack()
    assert (
        "Nothing had to move" in hands.window.notice.text.text()
        or hands.window.notice.kind == "alarm"
    )


def test_a_clash_is_found_hatched_and_put_right(hands, rig):
    hands.parts.document.edit(
        "x",
        edits.change_fixtures(hands.parts.document.show, {"par-2": {"address": 14}}),
    )
    assert (
        rig.ribbon.note.text() == "▲ Par 1 and Par 2 share 1.14–18 (and 0 more)"
        or "share 1.14–18" in rig.ribbon.note.text()
    )
    hands.parts.selection.choose(())
    hands.click(rig.ribbon.note)
    assert set(hands.parts.selection.chosen) == {"par-1", "par-2"}
    rect = rig.ribbon.ribbon.rect_of(14, 18)[0]
    picture = rig.ribbon.ribbon.grab(rect.toRect()).toImage()
    reds = sum(
        QColor(picture.pixel(x, y)).red() > 180
        for x in range(picture.width())
        for y in range(picture.height())
    )
    assert reds > 30
    hands.parts.selection.choose(["par-2"])
    rig.in_hand.go(0)
    hands.type(rig.in_hand.address, "19")
    assert "no clashes" in rig.ribbon.note.text()


def test_the_map_grows_and_shows_numbers(hands, rig):
    assert rig.ribbon.ribbon.per_row == 128
    rig.ribbon.whole.setChecked(True)
    QTest.qWait(50)
    assert not rig.centre.isVisible()
    assert rig.ribbon.ribbon.per_row == 32
    start = rig.ribbon.ribbon.rect_of(11, 11)[0].center()
    hands.drag(
        rig.ribbon.ribbon, start, rig.ribbon.ribbon.rect_of(150, 150)[0].center()
    )
    assert hands.parts.document.show.fixtures["par-1"].address == 150
    rig.ribbon.whole.setChecked(False)
    assert rig.centre.isVisible()


def test_why_on_a_slot_and_the_way_to_each_layer(hands, rig):
    hands.parts.engine.set_level("front-wash-fader", 1.0)
    hands.parts.draft.touch({"front-1": {"Dimmer": 0.25}})
    pick(
        hands,
        lambda: rig.ribbon.ribbon.slot_menu(1, rig.mapToGlobal(QPoint(200, 200))),
        "Why is 1.1",
    )
    why = rig.in_hand.why
    assert rig.in_hand.stack.currentIndex() == 2
    hands.until(lambda: "1.1 is at 64" in why.title.text())
    from PySide6.QtWidgets import QLabel, QToolButton

    def text_of() -> str:
        return " ".join(label.text() for label in why.rows.findChildren(QLabel))

    hands.until(lambda: "scene Front wash" in text_of())
    text = text_of()
    assert "Front 1 · Dimmer" in text
    assert text.index("draft") < text.index("scene Front wash") < text.index("home")
    hands.click(
        next(
            b
            for b in why.rows.findChildren(QToolButton)
            if "out of the draft" in b.toolTip()
        )
    )
    hands.until(lambda: "1.1 is at 217" in why.title.text())
    hands.until(
        lambda: any(
            "Fade out" in b.toolTip() for b in why.rows.findChildren(QToolButton)
        )
    )
    hands.click(
        next(b for b in why.rows.findChildren(QToolButton) if "Fade out" in b.toolTip())
    )
    hands.until(lambda: "1.1 is at 0" in why.title.text())
    rig.in_hand.show_why(1, 500)
    assert "No fixture uses this slot" in why.what.text()


# the list


def test_the_list_edits_many_sorts_filters_and_renumbers(hands, rig):
    rig.go(2)
    table = rig.table
    table.filter.setText("spot")
    assert table.proxy.rowCount() == 4
    table.view.selectAll()
    assert set(hands.parts.selection.chosen) == {f"spot-{i}" for i in range(1, 5)}
    height = table.proxy.index(0, 10)
    assert table.proxy.setData(height, "3,5")
    assert {
        hands.parts.document.show.fixtures[f"spot-{i}"].place.z for i in range(1, 5)
    } == {3.5}
    table.proxy.setData(table.proxy.index(0, 6), "5.201")
    spots = [hands.parts.document.show.fixtures[f"spot-{i}"] for i in range(1, 5)]
    assert [(s.universe, s.address) for s in spots] == [
        (5, 201),
        (5, 214),
        (5, 227),
        (5, 240),
    ]
    table.renumber(60)
    assert [
        hands.parts.document.show.fixtures[f"spot-{i}"].number for i in range(1, 5)
    ] == [
        60,
        61,
        62,
        63,
    ]
    table.proxy.setData(table.proxy.index(0, 1), "Head #")
    assert hands.parts.document.show.fixtures["spot-3"].name == "Head 3"
    assert not table.proxy.setData(table.proxy.index(0, 6), "700")
    assert "is not within 1…512" in hands.window.notice.text.text()
    table.filter.setText("")
    table.view.sortByColumn(1, Qt.SortOrder.DescendingOrder)
    assert table.proxy.index(0, 1).data() == "Wash 2"
    hands.parts.selection.choose(["par-3"])
    assert [table.model.ids[i.row()] for i in table.chosen_rows()] == ["par-3"]
    place = table.proxy.mapFromSource(table.model.index(8, 1))
    assert table.proxy.setData(place, "Par 2")  # that another one has
    called = hands.parts.document.show.fixtures[table.model.ids[8]].name
    assert called == edits.free_name("Par 2", [f"Par {i}" for i in range(2, 9)])
    table.show_column(14, True)
    assert not table.view.isColumnHidden(14)
    assert "14" in table.settings.value("list/columns")


def test_a_clash_typed_in_the_list_is_told(hands, rig):
    rig.go(2)
    hands.parts.selection.choose(["par-2"])
    row = rig.table.model.ids.index("par-2")
    rig.table.model.setData(rig.table.model.index(row, 6), "12")
    assert "There is a clash now" in hands.window.notice.text.text()
    assert rig.table.model.clashing == {"par-1", "par-2"}


# the room


def test_heads_are_sent_to_a_place_on_the_plan_and_to_a_mark(hands, rig):
    parts = hands.parts
    parts.selection.choose(["spot-1", "spot-2", "wash-1", "par-1"])
    spot = rig.plan.at(Place(0.4, 2.2, 0.0))
    assert rig.plan.fixture_at(spot) is None
    floor = (
        *rig.plan.place_of(QPointF(spot.toPoint())),
        0.0,
    )  # what the pressed pixel shows
    pick(
        hands,
        lambda: QTest.mouseClick(
            rig.plan, Qt.MouseButton.RightButton, pos=spot.toPoint()
        ),
        "Aim here",
    )
    assert "par-1" not in parts.engine.state.draft.look
    hands.until(lambda: missed(hands, ["spot-1", "spot-2", "wash-1"], floor) < 0.03)
    mark = parts.document.show.marks["cello"]
    seen = rig.plan.at(Place(mark.x, mark.y)).toPoint()
    drawn = rig.plan.grab().toImage().pixelColor(seen)
    assert drawn.red() > 90  # the cross that the mark is on the plan
    assert drawn.red() > drawn.blue() + 30
    pick(
        hands,
        lambda: QTest.mouseClick(
            rig.plan, Qt.MouseButton.RightButton, pos=spot.toPoint()
        ),
        "Aim at",
        "Cello",
    )
    assert parts.engine.state.draft.look["spot-1"] == {
        "Pan": "mark:cello",
        "Tilt": "mark:cello",
    }
    hands.until(
        lambda: (
            missed(hands, ["spot-1", "spot-2", "wash-1"], (mark.x, mark.y, mark.z))
            < 0.03
        )
    )


def test_the_front_view_moves_across_and_up(hands, rig):
    rig.go(1)
    QTest.qWait(30)
    start = rig.front.at(hands.parts.document.show.fixtures["bar-1"].place)
    scale, _ = rig.front.metre_and_middle()
    hands.drag(rig.front, start, start + QPointF(0.5 * scale, -0.4 * scale))
    place = hands.parts.document.show.fixtures["bar-1"].place
    assert (place.x, place.y, place.z) == (pytest.approx(-1.5), 5.7, pytest.approx(3.8))


def test_the_room_in_numbers_and_lamps_snap_to_its_bars(hands, rig):
    bare = edits.replace(hands.parts.document.show.room, bars=(), keep_out=())
    hands.parts.document.edit(
        "clear the room", edits.replace(hands.parts.document.show, room=bare)
    )
    hands.click(rig.room_button)
    room = rig.room
    hands.press(room, "Another bar")
    bar = hands.parts.document.show.room.bars[0]
    for number in (1, 3):  # where it begins and ends upstage
        fields = [
            f
            for f in room.findChildren(ValueField)
            if f.isVisible() and f.label in ("x", "y", "to x", "height")
        ]
        hands.type(fields[number], "2.55")
    name = next(f for f in room.findChildren(QLineEdit) if f.text() == "Bar 1")
    name.selectAll()
    hands.type(name, "First")
    QTest.qWait(30)
    hands.type(room.fields[1][0], "7")
    assert hands.parts.document.show.room.depth == 7
    hands.press(room, "Another area")
    hands.press(room, "A screen")
    rooms = hands.parts.document.show.room
    assert (
        bar.name,
        rooms.bars[0].name,
        len(rooms.keep_out),
        rooms.screen is not None,
    ) == ("Bar 1", "First", 1, True)
    start = rig.plan.at(hands.parts.document.show.fixtures["par-1"].place)
    scale, _ = rig.plan.metre_and_middle()
    hands.drag(rig.plan, start, start + QPointF(0, -0.85 * scale))
    assert hands.parts.document.show.fixtures["par-1"].place.y == 2.55
    rig.hang.choose_type("tarnby-par-3")
    rig.hang.count.setValue(2)
    assert [p.y for p in rig.hang.places_of(2)] != [
        2.55,
        2.55,
    ]  # the bar is taken by then
    hands.press(room, "Remove First")
    hands.parts.document.undo()
    assert hands.parts.document.show.room.bars[0].name == "First"
    hands.click(hands.button(room, "Done"))
    assert rig.right.currentWidget() is rig.in_hand


def test_a_plan_below_is_scaled_by_two_points(hands, rig, tmp_path, monkeypatch):
    picture = QImage(400, 300, QImage.Format.Format_RGB32)
    picture.fill(QColor("white"))
    picture.save(str(tmp_path / "boathouse.png"))
    hands.click(rig.room_button)
    rig.room.take_picture(tmp_path / "boathouse.png")
    hands.until(lambda: hands.parts.document.show.room.underlay)
    under = hands.parts.document.show.room.underlay
    assert hands.parts.document.show.pictures[under.picture].data.startswith(b"\x89PNG")
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_, **__: (3.0, True))
    rig.ask_scale()
    a, b = rig.plan.at(Place(-2, 4)), rig.plan.at(Place(-1, 4))
    hands.click(rig.plan, a)
    hands.click(rig.plan, b)
    scaled = hands.parts.document.show.room.underlay
    assert scaled.scale == pytest.approx(
        3 * under.scale, rel=0.03
    )  # a click falls on a whole pixel
    one = rig.plan.place_of(a)
    assert (scaled.x - one[0]) / (under.x - one[0]) == pytest.approx(
        scaled.scale / under.scale, rel=0.01
    )
    (tmp_path / "no.png").write_text("no picture")
    rig.room.take_picture(tmp_path / "no.png")
    said = hands.window.notice.text
    hands.until(lambda: "is no picture that can be read" in said.text())
    hands.until(
        lambda: showfile.read(hands.parts.document.path).room.underlay == scaled
    )


def test_arranging_in_numbers_with_a_preview(hands, rig):
    ids = ["par-1", "par-2", "par-3"]
    hands.parts.selection.choose(ids)
    pick(hands, lambda: hands.click(rig.arrange_button), "In a line")
    for field, value in zip(rig.arrange.fields, (-2, 5, 2, 3), strict=True):
        hands.type(field, str(value))
    assert rig.plan.shown_places["par-2"].x == 0
    assert hands.parts.document.show.fixtures["par-2"].place.x != 0
    hands.click(hands.button(rig.arrange, "Place them"))
    assert [
        (f.place.x, f.place.y) for f in map(hands.parts.document.show.fixtures.get, ids)
    ] == [(-2, 5), (0, 4), (2, 3)]
    pick(hands, lambda: hands.click(rig.arrange_button), "In a grid")
    hands.click(hands.button(rig.arrange, "Cancel"))
    assert rig.plan.shown_places == {}
    pick(hands, lambda: hands.click(rig.arrange_button), "On an arc")
    hands.click(hands.button(rig.arrange, "Place them"))
    assert hands.parts.document.show.fixtures["par-1"].place.x == pytest.approx(
        -2, abs=0.1
    )
    pick(hands, lambda: hands.click(rig.arrange_button), "Mirror to the other side")
    assert hands.parts.document.show.fixtures["par-1"].place.x == pytest.approx(
        2, abs=0.1
    )


def test_groups_suggest_themselves(hands, rig):
    hands.parts.document.edit("x", edits.replace(hands.parts.document.show, groups={}))
    pick(hands, lambda: hands.click(rig.group_button), "Make all")
    assert "spot-160" in hands.parts.document.show.groups
    hands.parts.selection.choose(["spot-2", "par-1"])
    rig.make_groups([("Mine", hands.parts.selection.chosen)])
    assert hands.parts.document.show.groups["mine"].fixtures == ("spot-2", "par-1")


# finding


def test_identify_blinks_the_real_lamp_above_blackout(hands, rig, node):
    hands.parts.engine.set_blackout(True)
    hands.parts.selection.choose(["par-1"])
    rig.plan.setFocus()
    QTest.keyClick(rig.plan, Qt.Key.Key_I)
    hands.until(lambda: values(node, 1)[10] == 255)
    hands.until(lambda: values(node, 1)[10] == 0)
    hands.until(lambda: values(node, 1)[10] == 255)
    hands.parts.engine.blink(())
    hands.until(lambda: hands.parts.engine.state.identify is None)
    hands.until(lambda: values(node, 1)[10] == 0)


def test_walking_the_rig_by_key_button_and_controller(hands, rig, controller, node):
    hands.until(lambda: controller.connected)
    hands.parts.selection.choose(())
    walk = rig.walk
    assert not rig.isAncestorOf(
        QApplication.focusWidget()
    )  # the hand was on the rail last
    hands.click(rig.walk_button)
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_PageDown)
    assert walk.name.text() == "Front 2"
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
    rig.plan.setFocus()
    QTest.keyClick(rig.plan, Qt.Key.Key_W)
    assert (walk.name.text(), walk.where.text(), walk.count.text()) == (
        "Front 1",
        "1 · 001",
        "1 of 50",
    )
    hands.until(lambda: values(node, 1)[0] == 255)
    hands.click(walk.next)
    assert hands.parts.selection.chosen == ("front-2",)
    hands.until(lambda: values(node, 1)[:2] == [0, 255])
    QTest.keyClick(walk.next, Qt.Key.Key_PageUp)
    QTest.keyClick(rig.plan, Qt.Key.Key_PageUp)
    assert walk.name.text() == "Panel 1"
    learner = hands.window.learner
    learner.start(Ref("walk", "next"))
    hands.heeded()
    controller.hit_pad(9)
    hands.until(
        lambda: any(
            m.target == Ref("walk", "next")
            for m in hands.parts.document.show.inputs.values()
        )
    )
    controller.let_pad(9)
    assert "Walk: next fixture now follows" in hands.window.notice.text.text()
    hands.heeded()
    walk.show_fixture()
    controller.hit_pad(9)
    hands.until(lambda: walk.name.text() == "Front 1")
    hands.parts.document.edit(
        "x", edits.take_down(hands.parts.document.show, ["front-1"])
    )
    assert walk.name.text() == "Front 2"
    hands.click(walk.stop)
    hands.until(lambda: hands.parts.engine.state.identify is None)
    assert not walk.isVisible()


# control at once


def strip(rig, key: str, cell: int = 0):
    return rig.in_hand.strips.strips[(key, cell)]


def test_strips_drive_every_channel_by_meaning_and_bare(hands, rig, node):
    hands.parts.selection.choose(["spot-1", "spot-2"])
    rig.in_hand.go(1)
    gobo = strip(rig, "gobo")
    QTest.qWait(30)
    hands.click(gobo, gobo.chip_rect(3).center())
    hands.until(lambda: values(node, 2)[68] == 41 and values(node, 2)[81] == 41)
    assert hands.parts.engine.state.draft.look["spot-1"] == {
        "Gobo1WheelSpin": 0.0,
        "Gobo1": 3.0,
    }
    hands.until(lambda: gobo.raw == 41 and gobo.drafted)
    hands.click(gobo, QPointF(gobo.x_of(200), 30))
    hands.until(lambda: values(node, 2)[68] in (199, 200, 201))
    assert hands.parts.engine.state.draft.look["spot-1"]["Gobo1WheelSpin"] > 0
    gobo.setFocus()
    QTest.keyClicks(gobo, "77")
    QTest.keyClick(gobo, Qt.Key.Key_Return)
    hands.until(lambda: values(node, 2)[68] == 77)
    assert hands.parts.engine.state.draft.look["spot-2"]["dmx:gobo"] == 77
    hands.click(gobo, gobo.chip_rect(0).center())
    hands.until(lambda: values(node, 2)[68] == 0)
    hands.until(lambda: "dmx:gobo" not in hands.parts.engine.state.draft.look["spot-2"])
    dimmer = strip(rig, "dimmer")
    hands.click(dimmer, QPointF(dimmer.width() - 9, 30))
    hands.until(lambda: values(node, 2)[65] >= 253)
    QTest.keyClick(dimmer, Qt.Key.Key_Left)
    from choreon.ui.rig.strips import value_text

    kind = hands.parts.document.show.types["ostrey-spot-160"]
    assert value_text(kind.channel("shutter").at(255), 255) == "Strobe 25.0 Hz"
    assert value_text(kind.channel("gobo").at(30), 30) == "Reeds"


def test_a_strip_of_one_cell_leaves_the_others(hands, rig, node):
    hands.parts.selection.choose(["bar-1"])
    hands.parts.draft.open_up()
    hands.until(lambda: mostly(values(node, 2)[:3], 0, 1, 2))
    white = values(node, 2)[:3]
    rig.in_hand.go(1)
    QTest.qWait(30)
    red = strip(rig, "red", 3)
    red.moved.emit(0.0)
    hands.until(lambda: values(node, 2)[6] == 0)
    assert values(node, 2)[:6] == white * 2
    assert values(node, 2)[7:24] == (white * 6)[1:]


def test_open_up_home_and_commands(hands, rig, node):
    hands.parts.selection.choose(["spot-1"])
    rig.plan.setFocus()
    QTest.keyClick(rig.plan, Qt.Key.Key_O)
    hands.until(lambda: values(node, 2)[65] == 255 and values(node, 2)[72] == 204)
    assert "Lamp on was sent to 1" in hands.window.notice.text.text()
    assert not any(
        "Fixture" in n for n in hands.parts.engine.state.draft.look["spot-1"]
    )
    QTest.keyClick(rig.plan, Qt.Key.Key_H)
    hands.until(lambda: values(node, 2)[65] == 0)
    hands.until(lambda: values(node, 2)[72] == 0)
    rig.in_hand.go(1)
    pick(
        hands,
        lambda: hands.click(hands.button(rig.in_hand.strips, "Send…")),
        "Reset (5 s)",
    )
    hands.until(lambda: values(node, 2)[72] == 214)
    assert "Reset was sent to Spot 1" in hands.window.notice.text.text()


def test_lamp_on_and_reversed_cells_are_kept_with_the_fixture(hands, rig):
    hands.parts.selection.choose(["spot-1"])
    assert not rig.in_hand.reversed.isVisible()
    rig.in_hand.lamp_on.click()
    hands.parts.selection.choose(["bar-1"])
    assert not rig.in_hand.lamp_on.isVisible()
    rig.in_hand.reversed.click()
    hands.type(rig.in_hand.note, "needs a long cable")
    fixtures = hands.parts.document.show.fixtures
    assert (
        fixtures["spot-1"].lamp_on,
        fixtures["bar-1"].reversed,
        fixtures["bar-1"].note,
    ) == (
        True,
        True,
        "needs a long cable",
    )
    hands.until(
        lambda: showfile.read(hands.parts.document.path).fixtures["bar-1"].reversed
    )


# outputs


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("all", ()),
        ("", ()),
        ("1-3, 7", (1, 2, 3, 7)),
        ("5;2", (5, 2)),
        ("0", None),
        ("3-1", None),
        ("x", None),
        ("1-99999", None),
    ],
)
def test_universes_as_they_are_written(text, found):
    assert numbers(text) == found


def test_outputs_are_added_changed_and_watched(hands, rig, node):
    assert spans_of((1, 2, 3, 7)) == "1–3, 7"
    rig.go(3)
    view = rig.outputs
    view.add("artnet", "127.0.0.1", (2,))
    card = view.cards["artnet"]
    hands.type(card.fields["port"].widget, str(node.art_port))
    hands.until(lambda: node.reports("artnet"))
    assert node.reports("artnet")[0].universe == 1
    hands.until(
        lambda: (
            "packets/s" in card.state.text() and not card.state.text().startswith("0 ")
        )
    )
    before = node.reports()[0].jumps
    card.fields["universes"].widget.selectAll()
    hands.type(card.fields["universes"].widget, "2-3")
    hands.until(lambda: [r.universe for r in node.reports("artnet")] == [1, 2])
    card.fields["universes"].widget.selectAll()
    hands.type(card.fields["universes"].widget, "nonsense")
    assert "Universes are written as" in hands.window.notice.text.text()
    assert card.fields["universes"].widget.text() == "2–3"
    hands.type(card.fields["host"].widget, "example")
    assert "is no network address" in hands.window.notice.text.text()
    network = card.fields["interface"].widget
    network.addItem("gone", "203.0.113.9")
    network.setCurrentIndex(network.count() - 1)
    network.activated.emit(network.count() - 1)
    hands.until(lambda: "203.0.113.9 is not there" in card.trouble.text())
    assert card.trouble.isVisible()
    assert node.reports()[0].jumps == before  # the other one was not disturbed
    hands.click(card.on)
    hands.until(lambda: card.state.text() == "off")
    node_card = next(c for i, c in view.cards.items() if i != "artnet")
    node_card.fields["universes"].widget.selectAll()
    hands.type(node_card.fields["universes"].widget, "1")
    assert "universes 2–3 are sent nowhere" in view.warning.text()
    node_card.fields["universes"].widget.selectAll()
    hands.type(node_card.fields["universes"].widget, "all")
    assert not view.warning.isVisible()
    hands.press(card, "Remove this output")
    assert "artnet" not in view.cards


def test_a_node_that_is_gone_is_told_and_one_that_comes_back_too(
    hands, rig, node, monkeypatch
):
    from choreon.engine.protocol import FoundNode, Nodes
    from choreon.ui.rig import outputs

    monkeypatch.setattr(outputs, "PATIENCE", 100)
    rig.outputs.patience.setInterval(100)
    rig.go(3)
    rig.outputs.add("artnet", "127.0.0.77", (1,))
    rig.outputs.patience.start()
    card = rig.outputs.cards["artnet"]
    hands.until(lambda: card.silence.isVisible())
    assert "127.0.0.77 does not answer" in card.silence.text()
    rig.outputs.parts.engine.nodes = Nodes((FoundNode("127.0.0.77", "Back", (0,)),))
    rig.outputs.fill_nodes(rig.outputs.parts.engine.nodes)
    assert not card.silence.isVisible()


def test_the_network_is_searched_only_when_asked(hands, rig, node, monkeypatch):
    """What is sent to the engine, kept here: nothing goes out."""
    told: list[FindNodes] = []
    engine, send = hands.parts.engine, hands.parts.engine.send

    def kept(message) -> None:
        if not isinstance(message, FindNodes):
            send(message)
        else:
            told.append(message)

    monkeypatch.setattr(engine, "send", kept)
    rig.go(3)
    hands.until(lambda: told)
    assert told[-1].on
    assert not told[-1].everywhere
    hands.click(rig.outputs.search_button)
    assert told[-1].on
    assert told[-1].everywhere
    assert "Everybody on the network" in rig.outputs.nodes_note.text()
    rig.go(0)
    assert not told[-1].on
    rig.go(3)
    assert told[-1].on
    assert not told[-1].everywhere


def test_nodes_that_answer_are_offered(hands, rig, node):
    show = hands.parts.document.show
    art = ArtnetOutput(
        id="a", name="Art", host="127.0.0.1", port=node.art_port, shift=-1
    )
    hands.parts.document.edit("x", edits.put(show, "outputs", art))
    rig.go(3)
    hands.until(
        lambda: any(n.name == "Practice node" for n in hands.parts.engine.nodes.nodes)
    )
    QTest.qWait(60)
    hands.click(hands.button(rig.outputs, "Send here"))
    made = hands.parts.document.show.outputs["practice-node"]
    assert (made.kind, made.host, made.universes, made.shift) == (
        "artnet",
        "127.0.0.1",
        (1, 2, 3),
        -1,
    )


# files


def test_paper_lists_and_rigs_out_and_in(hands, rig, tmp_path, monkeypatch):
    def saves(name: str) -> None:
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / name), "")
        )

    def opens(name: str) -> None:
        monkeypatch.setattr(
            QFileDialog, "getOpenFileName", lambda *_, **__: (str(tmp_path / name), "")
        )

    for words, name in (("Print all", "all.pdf"), ("Print the address slips", "slips.pdf"), ("Write the hang list", "l.csv"),
                        ("Write the rig", "r.mvr")):  # fmt: skip
        saves(name)
        pick(hands, lambda: hands.click(rig.file_button), words)
        assert f"{name} was written" in hands.window.notice.text.text()
    assert len(pypdf.PdfReader(tmp_path / "all.pdf").pages) == 10
    assert len(pypdf.PdfReader(tmp_path / "slips.pdf").pages) == 5
    kept = hands.parts.document.show
    hands.parts.document.edit("x", edits.take_down(kept, list(kept.fixtures)))
    opens("l.csv")
    pick(hands, lambda: hands.click(rig.file_button), "Read a hang list")
    assert "50 hung, 0 changed" in hands.window.notice.text.text()
    assert {f.name for f in hands.parts.document.show.fixtures.values()} == {
        f.name for f in kept.fixtures.values()
    }
    hands.parts.document.undo()
    QTest.qWait(300)
    opens("r.mvr")
    pick(hands, lambda: hands.click(rig.file_button), "Read a rig")
    assert "50 hung" in hands.window.notice.text.text()
    (tmp_path / "bad.csv").write_text("name,type\nA,Nowhere\n")
    opens("bad.csv")
    before = hands.parts.document.show
    pick(hands, lambda: hands.click(rig.file_button), "Read a hang list")
    assert (
        "line 2: the type “Nowhere” is not in the library"
        in hands.window.notice.text.text()
    )
    assert hands.parts.document.show == before
    opens("missing.mvr")
    pick(hands, lambda: hands.click(rig.file_button), "Read a rig")
    assert "could not be read" in hands.window.notice.text.text()
    rig.files.print(Path("/nowhere/at/all.pdf"))
    hands.until(lambda: not rig.files.work.busy)
    assert "could not be written" in hands.window.notice.text.text()
    assert hands.parts.document.show == before
