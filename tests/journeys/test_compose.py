"""The Compose place: who, what, the draft and its ledger, palettes and scenes, the stage picture."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QHelpEvent, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QColorDialog, QPushButton, QToolTip

from choreon.formats import showfile
from choreon.model import edits, links, palettes
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.model.show import Area, Room
from choreon.render.colour import to_oklab
from choreon.ui import kinds, words
from choreon.ui.compose.times import TimesDialog
from choreon.ui.drags import carried, carry
from tests.conftest import values
from tests.journeys.conftest import missed, pick

LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton
SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier
RGB = ("ColorRGB_Red", "ColorRGB_Green", "ColorRGB_Blue")
SPOTS = [f"spot-{i}" for i in range(1, 5)]


@pytest.fixture
def compose(hands):
    place = hands.place("compose")
    place.stage.setFocus()
    return place


def draft(hands) -> dict:
    return hands.parts.engine.state.draft.look


def keys(hands, compose, text: str, enter: bool = True) -> None:
    """Type with the focus on the stage."""
    compose.stage.setFocus()
    QTest.keyClicks(compose.stage, text)
    if enter:
        QTest.keyClick(compose.stage, Qt.Key.Key_Return)


def points(hands, fixtures) -> list[np.ndarray]:
    """Where beams fall on the floor or the back wall, by what the frame says."""
    found = None
    hands.until(lambda: hands.parts.preview.light() is not None)
    found = hands.parts.preview.light()[1].direction
    made = []
    for lamp, way in zip(hands.parts.preview.decoder.lamps, found, strict=True):
        if lamp.fixture in fixtures:
            start = np.array([lamp.place.x, lamp.place.y, lamp.place.z])
            reach = [-start[2] / way[2] if way[2] < 0 else np.inf]
            if way[1] > 0:
                reach.append((hands.parts.document.show.room.depth - start[1]) / way[1])
            made.append(start + way * min(reach))
    return made


# who


def test_sweeping_over_lamps_chooses_them_in_that_order(hands, compose):
    stage = compose.stage
    stops = [stage.point_of(i) for i in ("spot-4", "spot-3", "spot-2", "spot-1")]
    QTest.mousePress(stage, LEFT, pos=stops[0].toPoint())
    for a, b in itertools.pairwise(stops):
        for part in (0.25, 0.5, 0.75, 1.0):
            QTest.mouseMove(stage, (a + (b - a) * part).toPoint())
    QTest.mouseRelease(stage, LEFT, pos=stops[-1].toPoint())
    assert [i for i in hands.parts.selection.chosen if i in SPOTS] == [
        "spot-4",
        "spot-3",
        "spot-2",
        "spot-1",
    ]
    assert hands.parts.selection.chosen[0] == "spot-4"


def test_a_fast_sweep_misses_nobody_on_its_way_and_takes_nobody_beside_it(
    hands, compose
):
    stage = compose.stage
    start, end = stage.point_of("par-1"), stage.point_of("par-4")
    hands.drag(stage, start, end)  # three reports of the mouse for four lamps
    assert hands.parts.selection.chosen == ("par-1", "par-2", "par-3", "par-4")


def test_a_lasso_chooses_what_lies_within(hands, compose):
    stage, tools = compose.stage, compose.tools
    hands.click(tools.lasso)
    dots = [stage.point_of(f"dot-{i}") for i in range(1, 21)]
    xs, ys = [p.x() for p in dots], [p.y() for p in dots]
    low, high = QPointF(min(xs) - 9, min(ys) - 9), QPointF(max(xs) + 9, max(ys) + 9)
    middle = QPointF((low.x() + high.x()) / 2, high.y())
    corners = [
        low,
        QPointF(high.x(), low.y()),
        QPointF(middle.x(), high.y()),
    ]  # a triangle
    QTest.mousePress(stage, LEFT, pos=low.toPoint())
    for a, b in zip(corners, [*corners[1:], low], strict=True):
        for part in (0.5, 1.0):
            QTest.mouseMove(stage, (a + (b - a) * part).toPoint())
    QTest.mouseRelease(stage, LEFT, pos=low.toPoint())
    top, bottom = sorted({round(y) for y in ys})[0], sorted({round(y) for y in ys})[-1]
    chosen = [
        stage.point_of(i) for i in hands.parts.selection.chosen if i.startswith("dot")
    ]
    assert sum(abs(p.y() - top) < 2 for p in chosen) == 5  # the wide side
    assert sum(abs(p.y() - bottom) < 2 for p in chosen) < 5  # the narrow end
    hands.click(tools.lasso)
    assert not stage.lasso


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("par3", ["par-3"]),
        ("par 1-4", [f"par-{i}" for i in range(1, 5)]),
        ("spot odd", ["spot-1", "spot-3"]),
        ("Uplights", [f"uplight-{i}" for i in range(1, 5)]),
    ],
)
def test_short_names_are_typed_with_the_focus_on_the_stage(
    hands, compose, text, expected
):
    keys(hands, compose, text, enter=False)
    assert compose.stage.typed == text
    assert list(hands.parts.selection.chosen) == expected  # as it is typed
    QTest.keyClick(compose.stage, Qt.Key.Key_Return)
    assert compose.stage.typed is None
    hands.parts.selection.choose([])
    hands.type(compose.who.typed, text)
    assert list(hands.parts.selection.chosen) == expected


def test_what_is_typed_wrongly_changes_nothing(hands, compose):
    hands.parts.selection.choose(["par-2"])
    keys(hands, compose, "nobody 7")
    assert hands.parts.selection.chosen == ("par-2",)
    assert "means no fixture" in hands.window.notice.text.text()
    keys(hands, compose, "spot", enter=False)
    QTest.keyClick(compose.stage, Qt.Key.Key_Backspace)
    assert compose.stage.typed == "spo"
    QTest.keyClick(compose.stage, Qt.Key.Key_Escape)
    assert hands.parts.selection.chosen == ("par-2",)
    hands.type(compose.who.typed, "xyz")
    assert hands.parts.selection.chosen == ("par-2",)


def test_which_and_in_which_order(hands, compose, monkeypatch):
    parts, who = hands.parts, compose.who
    parts.selection.choose(["spot-2"])
    pick(hands, lambda: hands.click(who.which), "All of the same type")
    assert set(parts.selection.chosen) == set(SPOTS)
    parts.selection.choose(SPOTS)
    pick(hands, lambda: hands.click(who.which), "Even ones")
    assert parts.selection.chosen == ("spot-2", "spot-4")
    pick(hands, lambda: hands.click(who.which), "The choice before this one")
    assert parts.selection.chosen == tuple(SPOTS)
    monkeypatch.setattr(
        "choreon.ui.compose.selection_panel.QInputDialog.getInt", lambda *_: (3, True)
    )
    pick(hands, lambda: hands.click(who.which), "Every nth")
    assert parts.selection.chosen == ("spot-1", "spot-4")
    parts.selection.choose(SPOTS)
    pick(hands, lambda: hands.click(who.order), "Turn round")
    assert parts.selection.chosen == tuple(reversed(SPOTS))
    pick(hands, lambda: hands.click(who.order), "Mirror")
    assert parts.selection.chosen == ("spot-4", "spot-1", "spot-3", "spot-2")
    pick(hands, lambda: hands.click(who.order), "Sort by place")
    assert parts.selection.chosen == tuple(SPOTS)
    pick(hands, lambda: hands.click(who.order), "Shuffle")
    assert set(parts.selection.chosen) == set(SPOTS)
    parts.selection.choose(SPOTS)
    QTest.keyClick(compose.stage, Qt.Key.Key_I, CTRL)
    assert not set(parts.selection.chosen) & set(SPOTS)
    assert len(parts.selection.chosen) == len(parts.document.show.fixtures) - 4
    QTest.keyClick(compose.stage, Qt.Key.Key_Backspace)  # the choice before
    assert parts.selection.chosen == tuple(SPOTS)


def test_one_of_the_choice_alone_and_back(hands, compose):
    parts, stage = hands.parts, compose.stage
    parts.selection.choose(["par-1", "spot-1", "wash-1"])
    QTest.keyClick(stage, Qt.Key.Key_Right)
    assert parts.selection.chosen == ("par-1",)
    QTest.keyClick(stage, Qt.Key.Key_Right)
    assert parts.selection.chosen == ("spot-1",)
    assert compose.who.count.text() == "1 of 3 alone"
    assert "2 of 3" in compose.what.title.text()
    hands.click(compose.who.back)
    assert parts.selection.chosen == ("par-1",)
    hands.click(compose.who.whole)
    assert parts.selection.chosen == ("par-1", "spot-1", "wash-1")


def test_cells_are_chosen_one_by_one_and_keep_apart(hands, compose, node):
    parts, stage = hands.parts, compose.stage
    hands.click(compose.who.cells)
    hands.click(stage, stage.point_of("bar-1", 3))
    assert (parts.selection.chosen, parts.selection.cells) == (
        ("bar-1",),
        {"bar-1": (3,)},
    )
    hands.click(stage, stage.point_of("bar-1", 5), keys=CTRL)
    assert parts.selection.cells == {"bar-1": (3, 5)}
    hands.click(stage, stage.point_of("bar-1", 3), keys=CTRL)
    assert parts.selection.cells == {"bar-1": (5,)}
    parts.draft.touch({"bar-1": {"Dimmer": 1.0}})
    hands.type(compose.what.colour_panel.hex, "#FF0000")
    hands.until(lambda: values(node, 2)[12] > 200)
    slots = values(node, 2)[:24]
    assert slots[12] > 5 * max(slots[13:15])
    assert (
        draft(hands)["bar-1"]["ColorRGB_Red"][:4] == (None,) * 4
    )  # the others are not touched
    hands.click(compose.who.cells)
    assert parts.selection.cells == {}


# what


def test_panels_fit_the_choice_and_say_who_has_what(hands, compose):
    what = compose.what
    hands.parts.selection.choose(["par-1"])
    assert not what.tabs["Aim"].isVisible()
    hands.parts.selection.choose(["par-1", "spot-1", "front-1"])
    assert what.tabs["Aim"].isVisible()
    hands.parts.draft.touch(
        {
            "par-1": {"Dimmer": 0.2},
            "spot-1": {"Dimmer": 0.7},
            "front-1": {"Dimmer": 0.7},
        }
    )
    hands.until(lambda: what.level.text() == "20 … 70 %")
    hands.click(what.tabs["Beam"])
    rows = what.beam_panel.more.rows
    assert (
        next(iter(rows)) == "Shutter1Strobe"
    )  # two of three have it, before what one has
    hands.until(lambda: rows["Gobo1"].who.text().startswith("Gobo"))
    texts = " ".join(row.who.text() for row in rows.values())
    assert "1 of 3: Spot 1" in texts
    hands.parts.draft.touch({"spot-1": {"Gobo1": 2.0}})
    hands.until(lambda: what.tabs["Beam"].drafted == 1)
    assert "Gobo" in what.tabs["Beam"].toolTip()
    assert what.tabs["Aim"].drafted == 0


def test_one_colour_on_four_makes_and_what_each_does(hands, compose, node):
    chosen = ["par-1", "uplight-1", "wash-1", "dot-1", "spot-1"]
    hands.parts.selection.choose(chosen)
    hands.parts.draft.touch({i: {"Dimmer": 1.0} for i in chosen})
    panel = compose.what.colour_panel
    hands.type(panel.hex, "#6080c0")
    assert panel.hex.text().upper() == "#6080C0" or panel.hex.hasFocus()

    def seen(fixture: str):
        found = hands.parts.preview.light()
        row = next(
            i
            for i, p in enumerate(hands.parts.preview.decoder.lamps)
            if p.fixture == fixture
        )
        rgb = found[1].rgb[row] if found else np.zeros(3)
        goal = np.array([draft(hands)[fixture][n] for n in RGB])
        return float(
            np.linalg.norm(
                to_oklab(rgb / max(rgb.max(), 1e-9)) - to_oklab(goal / goal.max())
            )
        )

    for fixture in chosen[:4]:
        hands.until(lambda f=fixture: seen(f) < 0.02)  # slots have 8 bits
    hands.until(
        lambda: panel.hex.text() == "#6080C0"
    )  # what was asked for, though a wheel shows something else
    hands.until(
        lambda: "nearest slot" in panel.answers.text()
    )  # the heads with a wheel
    assert "Par 7: exact" in panel.answers.text()
    assert "Flood 6: exact" in panel.answers.text()
    hands.parts.selection.choose(["dot-1"])
    hands.until(
        lambda: panel.answers.text() == "Dot: exact"
    )  # the same colour, another lamp
    hands.until(lambda: values(node, 2)[67] > 0)


def test_hue_strength_temperature_and_wrong_hex(hands, compose):
    hands.parts.selection.choose(["par-1"])
    panel = compose.what.colour_panel
    hands.type(panel.hex, "#00F")
    assert draft(hands)["par-1"]["ColorRGB_Blue"] == pytest.approx(1.0)
    hands.type(panel.strength, "50")
    red = draft(hands)["par-1"]["ColorRGB_Red"]
    assert 0.05 < red < 1.0
    hands.type(panel.kelvin, "3000")
    r, g, b = (draft(hands)["par-1"][n] for n in RGB)
    assert r == 1.0
    assert r > g > b > 0
    hands.until(lambda: panel.kelvin.value == pytest.approx(3000, rel=0.03))
    before = draft(hands)
    hands.type(panel.hex, "no colour")
    assert draft(hands) == before
    hands.click(panel.colour, QPoint(panel.colour.width() // 2, 10))
    assert draft(hands) != before


def test_heads_follow_a_mark_that_is_dragged(hands, compose, node):
    parts, stage, what = hands.parts, compose.stage, compose.what
    heads = [*SPOTS, "wash-1", "wash-2"]
    parts.draft.touch({i: {"Dimmer": 1.0} for i in heads})
    parts.selection.choose(heads)
    hands.click(what.tabs["Aim"])
    chips = what.aim_panel.chips
    hands.click(chips, chips.rect_of("on-cello").center())
    mark = parts.document.show.marks["cello"]
    hands.until(lambda: missed(hands, heads, (mark.x, mark.y, 0.0)) < 0.02)
    x, y, _ = stage.view().project([(mark.x, mark.y, 0.0)])[0]
    parts.selection.choose(
        ["par-1", *heads]
    )  # the marks can be taken hold of while the Aim tab is open
    hands.drag(stage, QPointF(x, y), QPointF(x - 90, y - 25))
    moved = parts.document.show.marks["cello"]
    assert (moved.x, moved.y) != (mark.x, mark.y)
    hands.until(lambda: missed(hands, heads, (moved.x, moved.y, 0.0)) < 0.03)
    assert (
        parts.document.show.playables["cello"].look["wash-1"]["Pan"]
        == "palette:on-cello"
    )
    parts.document.undo()
    assert parts.document.show.marks["cello"] == mark


def test_marks_are_set_named_placed_and_deleted(hands, compose, answers):
    parts, stage, panel = hands.parts, compose.stage, compose.what.aim_panel
    parts.selection.choose(SPOTS)
    hands.click(compose.what.tabs["Aim"])
    hands.click(panel.add_mark)
    assert stage.mode == "mark"
    answers.append("Boat")
    x, y, _ = stage.view().project([(1.0, 2.0, 0.0)])[0]
    hands.click(stage, QPointF(x, y))
    boat = parts.document.show.marks["boat"]
    assert (boat.x, boat.y, boat.z) == (
        pytest.approx(1.0, abs=0.03),
        pytest.approx(2.0, abs=0.06),
        0.0,
    )
    assert not panel.add_mark.isChecked()
    pick(hands, lambda: hands.click(panel.marks), "Boat", "Aim at it")
    assert draft(hands)["spot-1"]["Pan"] == "mark:boat"
    answers.append("Old boat")
    pick(hands, lambda: hands.click(panel.marks), "Boat", "Rename")
    assert parts.document.show.marks["boat"].name == "Old boat"
    assert any(p.name == "Old boat" for p in parts.document.show.palettes.values())
    answers += ["here", "-1 / 2.5 / 0,5"]
    pick(hands, lambda: hands.click(panel.marks), "Old boat", "Place by numbers")
    assert "is no place" in hands.window.notice.text.text()
    pick(hands, lambda: hands.click(panel.marks), "Old boat", "Place by numbers")
    hands.until(lambda: missed(hands, SPOTS, (-1.0, 2.5, 0.5)) < 0.02)
    pick(hands, lambda: hands.click(panel.marks), "Old boat", "Delete")
    assert "boat" not in parts.document.show.marks
    assert draft(hands)["spot-1"]["Pan"] == "point:-1,2.5,0.5"
    assert missed(hands, SPOTS, (-1.0, 2.5, 0.5)) < 0.02
    parts.document.undo()
    assert draft(hands)["spot-1"]["Pan"] == "mark:boat"


def test_nudging_flipping_and_limits(hands, compose, node):
    parts, panel = hands.parts, compose.what.aim_panel
    parts.draft.touch(
        {
            "spot-1": {"Pan": 20.0, "Tilt": 30.0, "Dimmer": 1.0},
            "spot-2": {"Pan": -40.0, "Tilt": 30.0},
        }
    )
    parts.selection.choose(["spot-1", "spot-2"])
    hands.click(compose.what.tabs["Aim"])
    hands.until(lambda: len(panel.pad.points) == 2)
    panel.pad.setFocus()
    QTest.keyClick(panel.pad, Qt.Key.Key_Right)
    assert (draft(hands)["spot-1"]["Pan"], draft(hands)["spot-2"]["Pan"]) == (
        25.0,
        -35.0,
    )
    QTest.qWait(300)
    before = points(hands, ["spot-1"])[0]
    hands.click(panel.flip)
    hands.until(lambda: draft(hands)["spot-1"]["Tilt"] == -30.0)
    assert draft(hands)["spot-1"]["Pan"] == -155.0
    assert draft(hands)["spot-2"]["Pan"] == 145.0
    hands.until(lambda: np.allclose(points(hands, ["spot-1"])[0], before, atol=0.02))
    hands.click(panel.limit)
    assert panel.limit_fields.isVisible()
    hands.type(panel.ends["Pan"][0], "-30")
    hands.type(panel.ends["Pan"][1], "60")
    assert parts.document.show.fixtures["spot-1"].limits.pan == (-30.0, 60.0)
    limited = parts.preview.value("spot-1", "Pan")
    assert limited is not None
    hands.until(lambda: parts.preview.value("spot-1", "Pan") == pytest.approx(-30.0))
    hands.until(lambda: values(node, 2)[60] == round((270 - 30) / 540 * 65535) >> 8)
    hands.click(panel.free)
    hands.until(lambda: parts.document.show.fixtures["spot-1"].limits.pan is None)
    hands.until(lambda: parts.preview.value("spot-1", "Pan") == pytest.approx(-155.0))


def test_who_shines_where_nobody_should_is_named(hands, compose):
    parts, panel = hands.parts, compose.what.aim_panel
    parts.draft.touch({"spot-1": {"Dimmer": 1.0}, "spot-2": {"Dimmer": 0.0}})
    parts.selection.choose(["spot-1", "spot-2"])
    hands.click(compose.what.tabs["Aim"])
    panel.send(links.to_point((0.0, -3.5, 1.2)))
    hands.until(lambda: panel.warn.isVisible())
    assert "Spot 1 shines into Audience" in panel.warn.text()
    assert "Spot 2" not in panel.warn.text()  # it is dark
    panel.send(links.to_mark("centre"))
    hands.until(lambda: not panel.warn.isVisible())
    room = edits.replace(
        parts.document.show.room,
        keep_out=(Area("Piano", -0.5, 2.5, 0.5, 3.5, 0.0, 1.2),),
    )
    parts.document.edit("piano", edits.replace(parts.document.show, room=room))
    hands.until(lambda: "shines into Piano" in panel.warn.text())


def test_beam_by_pictures_and_numbers(hands, compose, node):
    parts, what = hands.parts, compose.what
    parts.selection.choose(["spot-1", "wash-1"])
    hands.click(what.tabs["Beam"])
    rows = what.beam_panel.more.rows
    gobos = rows["Gobo1"].chips[0][0]
    hands.click(gobos, gobos.rect_at(3).center())
    assert draft(hands)["spot-1"]["Gobo1"] == 3.0
    assert "Gobo1" not in draft(hands).get("wash-1", {})
    prism = next(n for n in rows if n.startswith("Prism"))
    chips = rows[prism].chips[0][0]
    hands.click(chips, chips.rect_at(1).center())
    assert draft(hands)["spot-1"][prism] >= 0.5
    hands.type(what.fields["Zoom"], "500")
    span = parts.preview.compiled.rig.span("wash-1", "Zoom")
    assert (
        draft(hands)["wash-1"]["Zoom"] == span[1]
    )  # beyond the range: as far as it goes
    hands.click(what.beam_panel.shutter_closed)
    assert draft(hands)["wash-1"]["Shutter1"] == 0.0


def test_device_lines_are_hidden_and_moved_for_a_type(hands, compose):
    what = compose.what
    hands.parts.selection.choose(["hazer-1"])
    hands.click(what.tabs["Device"])
    more = what.device_panel.more
    assert list(more.rows) == ["Fog1", "Fan1"]
    more.move_row("Fan1", -1)
    assert list(more.rows) == ["Fan1", "Fog1"]
    pick(hands, lambda: more.row_menu(more.rows["Fog1"], QPoint(5, 5)), "Hide")
    assert list(more.rows) == ["Fan1"]
    hands.parts.selection.choose(["par-1"])
    hands.parts.selection.choose(["hazer-1"])
    assert list(more.rows) == ["Fan1"]
    assert more.hidden.text() == "Show 1 hidden"
    hands.click(more.hidden)
    assert list(more.rows) == ["Fan1", "Fog1"]
    hands.type(what.fields["Fan1"], "80")
    assert draft(hands)["hazer-1"]["Fan1"] == pytest.approx(0.8)


# spread


def test_a_gradient_over_sixteen_cells(hands, compose, node):
    parts, panel = hands.parts, compose.what.spread_panel
    parts.draft.touch({"bar-1": {"Dimmer": 1.0}, "bar-2": {"Dimmer": 1.0}})
    keys(hands, compose, "bars")
    hands.click(compose.who.cells)
    hands.click(compose.what.tabs["Spread"])
    panel.what.setCurrentIndex(panel.what.findText("Colour"))
    panel.colours[0].take((1.0, 0.0, 0.0))
    panel.colours[1].take((0.0, 0.0, 1.0))
    cells = [
        np.array([draft(hands)[bar][n][c] for n in RGB])
        for bar in ("bar-1", "bar-2")
        for c in range(8)
    ]
    assert np.allclose(cells[0], (1, 0, 0), atol=1e-6)
    assert np.allclose(cells[15], (0, 0, 1), atol=1e-6)
    steps = np.linalg.norm(np.diff([to_oklab(c) for c in cells], axis=0), axis=1)
    assert steps.max() < 1.6 * steps.min()  # even to the eye
    assert len(panel.bars.colours) == 16
    hands.until(lambda: values(node, 2)[0] == 255 and values(node, 2)[47] == 255)
    hands.click(panel.swap)
    hands.until(lambda: values(node, 2)[2] == 255 and values(node, 2)[45] == 255)


def test_spread_by_numbers_dragged_ends_and_shapes(hands, compose):
    parts, panel = hands.parts, compose.what.spread_panel
    pars = [f"par-{i}" for i in range(1, 6)]
    parts.selection.choose(pars)
    hands.click(compose.what.tabs["Spread"])
    panel.what.setCurrentIndex(panel.what.findData("Dimmer"))
    hands.type(panel.first, "0")
    hands.type(panel.last, "100")

    def given() -> list[float]:
        return [draft(hands)[i]["Dimmer"] for i in pars]

    assert given() == pytest.approx([0.0, 0.25, 0.5, 0.75, 1.0])
    hands.click(panel.shapes, panel.shapes.rect_at(1).center())
    assert given() == pytest.approx([1.0, 0.5, 0.0, 0.5, 1.0])  # from the middle out
    hands.click(panel.shapes, panel.shapes.rect_at(0).center())
    hands.type(panel.repeat, "2")
    assert given() == pytest.approx([0.0, 1.0, 0.0, 1.0, 0.0])
    hands.type(panel.repeat, "0")
    last = panel.bars.rect_of(4)
    hands.drag(
        panel.bars,
        QPointF(last.center().x(), 2),
        QPointF(last.center().x(), panel.bars.height() / 2),
    )
    assert given()[-1] == pytest.approx(0.5, abs=0.02)
    assert given()[2] == pytest.approx(0.25, abs=0.02)
    parts.selection.choose(["par-1"])
    assert panel.hint.isVisible()


def test_directions_are_spread_along_a_line(hands, compose):
    parts, panel = hands.parts, compose.what.spread_panel
    parts.selection.choose(SPOTS)
    hands.click(compose.what.tabs["Spread"])
    panel.what.setCurrentIndex(
        panel.what.findText("Direction", Qt.MatchFlag.MatchStartsWith)
    )
    for field, text in zip(
        [*panel.places[0], *panel.places[1]],
        ("-3", "2", "0", "3", "2", "0"),
        strict=True,
    ):
        hands.type(field, text)
    hands.until(
        lambda: (
            [round(float(p[0]), 1) for p in points(hands, SPOTS)]
            == [-3.0, -1.0, 1.0, 3.0]
        )
    )
    hands.until(lambda: all(abs(p[1] - 2.0) < 0.03 for p in points(hands, SPOTS)))


# copy and paste


def test_copy_and_paste_by_meaning_and_by_family(hands, compose):
    parts, copied = hands.parts, compose.what.copied
    parts.draft.touch(
        {
            "spot-1": {
                "Dimmer": 0.4,
                "Pan": "mark:cello",
                "Tilt": "mark:cello",
                "Gobo1": 2.0,
            }
        }
    )
    parts.selection.choose(["spot-1"])
    QTest.keyClick(compose.stage, Qt.Key.Key_C, CTRL)
    parts.selection.choose(["wash-1", "par-1"])
    QTest.keyClick(compose.stage, Qt.Key.Key_V, CTRL)
    look = draft(hands)
    assert (
        look["wash-1"]["Pan"] == "mark:cello"
    )  # by meaning: another make looks at the same point
    assert look["wash-1"]["Dimmer"] == look["par-1"]["Dimmer"] == pytest.approx(0.4)
    assert "Gobo1" not in look["wash-1"]
    assert "Pan" not in look["par-1"]
    parts.selection.choose(["spot-2"])
    copied.paste(["Gobo1"])
    assert draft(hands)["spot-2"] == {"Gobo1": 2.0}
    hands.parts.draft.untouch({"par-1": ("Dimmer",)})
    parts.selection.choose(["par-1"])
    QTest.qWait(150)
    pick(
        hands, lambda: hands.click(compose.what.copy_button), "Make these like that one"
    )
    assert compose.stage.mode == "like"
    hands.click(compose.stage, compose.stage.point_of("wash-1"))
    assert draft(hands)["par-1"]["Dimmer"] == pytest.approx(0.4)
    assert compose.stage.mode == ""


# draft and ledger


def test_one_accidental_nudge_is_found_and_taken_out(hands, compose, node):
    """A look is set; somebody nudges a head; the ledger shows it, and what it covers."""
    parts, ledger = hands.parts, hands.window.ledger
    parts.document.edit(
        "quick",
        edits.change(
            parts.document.show, Ref("scene", "slack-water"), fade_in=0.2, fade_out=0.2
        ),
    )
    parts.engine.press("slack-water-pad")
    hands.until(lambda: values(node, 1)[10] == 140)
    parts.draft.touch({"par-1": {"Dimmer": 0.9}})
    parts.selection.choose(["spot-2"])
    hands.click(compose.what.tabs["Aim"])
    compose.what.aim_panel.pad.setFocus()
    QTest.keyClick(compose.what.aim_panel.pad, Qt.Key.Key_Up)
    hands.click(ledger.open)
    lines = ledger.list.lines
    texts = [lines.index(row).data() for row in range(lines.rowCount())]
    tilt = next(i for i, text in enumerate(texts) if text.startswith("Spot 2 Tilt"))
    assert "covers" in texts[tilt]
    hands.take_out(ledger, "Spot 2", "Tilt")
    assert "Tilt" not in draft(hands)["spot-2"]
    assert draft(hands)["par-1"] == {"Dimmer": 0.9}
    hands.until(lambda: lines.rowCount() == len(texts) - 1)
    position = [
        b
        for b in ledger.by_family.findChildren(QPushButton)
        if b.text().startswith("position")
    ]
    hands.click(position[0])  # the pan went along with it
    assert "spot-2" not in draft(hands)
    parts.draft.touch(
        {"par-1": {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.0, "ColorRGB_Blue": 0.0}}
    )
    hands.until(lambda: not lines.line(0).alone)
    hands.take_out(ledger, "Par 1", "Colour", whole=True)
    assert draft(hands) == {}
    assert not ledger.isVisible()


def test_lines_of_the_ledger_are_taken_out_by_key(hands, compose):
    parts, ledger = hands.parts, hands.window.ledger
    parts.draft.touch({"spot-1": {"Dimmer": 0.5, "Zoom": 20.0}})
    parts.draft.touch({"par-1": {"Dimmer": 0.3}})
    hands.until(ledger.open.isEnabled)
    hands.click(ledger.open)
    ledger.list.setFocus()
    ledger.list.setCurrentIndex(ledger.list.lines.index(1))
    QTest.keyClick(ledger.list, Qt.Key.Key_Delete)
    assert draft(hands)["spot-1"] == {"Dimmer": 0.5}
    hands.until(lambda: ledger.list.lines.rowCount() == 2)
    ledger.list.setCurrentIndex(ledger.list.lines.index(0))
    QTest.keyClick(ledger.list, Qt.Key.Key_Delete, SHIFT)
    assert draft(hands) == {"par-1": {"Dimmer": 0.3}}


def test_a_blind_draft_stays_off_the_stage(hands, compose, node):
    parts, ledger = hands.parts, hands.window.ledger
    parts.selection.choose(["par-1"])
    parts.draft.touch({"par-1": {"Dimmer": 0.2}})
    hands.until(lambda: values(node, 1)[10] == 51)
    heading = hands.window.heading
    hands.place("surfaces")
    assert heading.draft.text() == "◌ draft · 1"  # wherever one is
    hands.click(heading.draft)
    assert hands.window.place == "compose"
    hands.click(ledger.blind)
    hands.until(lambda: values(node, 1)[10] == 0)
    assert "blind draft" in ledger.summary.text()
    hands.click(hands.button(compose.what, "Full"))
    QTest.qWait(120)
    assert values(node, 1)[10] == 0
    assert parts.preview.value("par-1", "Dimmer") == 1.0  # who sets it sees it
    seen = parts.preview.seen()
    row = next(
        i for i, p in enumerate(parts.preview.decoder.lamps) if p.fixture == "par-1"
    )
    assert seen is not None
    assert seen[1].rgb[row].max() > 0.5
    hands.click(ledger.blind)
    hands.until(lambda: values(node, 1)[10] == 255)


def test_the_draft_is_kept_as_a_scene_with_parts_of_it(hands, compose):
    parts, ledger = hands.parts, hands.window.ledger
    parts.engine.press("front-wash-fader")
    parts.engine.set_level("front-wash-fader", 1.0)
    parts.draft.touch(
        {
            "par-1": {"Dimmer": 0.5, "Pan": 1.0},
            "par-2": {"Dimmer": 0.5, **dict.fromkeys(RGB, 0.5)},
        }
    )
    hands.until(lambda: parts.preview.lit() and "front-1" in parts.preview.lit())
    QTest.keyClick(hands.window, Qt.Key.Key_S, CTRL)
    form = ledger.form
    assert "Par" in form.name.text()  # a name is suggested
    hands.click(form.families["colour"])
    form.name.setText("Half")
    hands.type(form.fade_in, "3.5")
    form.folder.setCurrentText("Low Tide")
    hands.click(form.confirm)
    kept = parts.document.show.playables["half"]
    assert (kept.fade_in, kept.folder) == (3.5, "Low Tide")
    assert RGB[0] not in kept.look["par-2"]
    assert "front-1" not in kept.look
    assert draft(hands) == {}
    parts.draft.touch({"par-1": {"Dimmer": 0.3}})
    hands.click(ledger.keep_button)
    form.all_lit.setChecked(True)
    form.name.setText("All of it")
    hands.click(form.confirm)
    whole = parts.document.show.playables["all-of-it"]
    assert whole.look["front-1"]["Dimmer"] == pytest.approx(0.85)
    assert whole.look["par-1"]["Dimmer"] == pytest.approx(0.3)


def test_one_palette_changed_and_all_its_scenes_with_it(hands, compose, node):
    parts, ledger = hands.parts, hands.window.ledger
    hands.click(compose.shelf.tabs["palettes"])
    card = compose.shelf.strip.cards.card("lantern")
    assert card.uses == len(palettes.users(parts.document.show, "lantern")) >= 4
    parts.engine.press("cello-pad")
    hands.until(lambda: values(node, 2)[126] > 0)
    hands.card(compose.shelf, "lantern")
    hands.click(compose.shelf.deeds.take)
    assert parts.draft.taken == Ref("palette", "lantern")
    hands.type(compose.what.colour_panel.hex, "#0040FF")
    assert ledger.candidates()[0] == Ref("palette", "lantern")
    assert "scenes with it" in ledger.difference(Ref("palette", "lantern"))
    ledger.ask_update(Ref("palette", "lantern"))
    assert "Update <b>Lantern</b>?" in ledger.change.text()
    hands.click(ledger.confirm_update)
    assert parts.document.show.palettes["lantern"].values[
        "ColorRGB_Blue"
    ] == pytest.approx(1.0)
    assert draft(hands) == {}

    def blue() -> bool:
        found = parts.preview.light()
        row = next(
            i
            for i, p in enumerate(parts.preview.decoder.lamps)
            if p.fixture == "wash-1"
        )
        return found is not None and found[1].rgb[row][2] > 2 * found[1].rgb[row][0] > 0

    hands.until(blue)
    parts.document.undo()
    assert parts.document.show.palettes["lantern"].values["ColorRGB_Red"] == 1.0


def test_a_scene_is_taken_changed_and_updated(hands, compose):
    parts, ledger = hands.parts, hands.window.ledger
    hands.card(compose.shelf, "slack-water")
    hands.click(compose.shelf.deeds.take)
    assert compose.shelf.strip.cards.card("slack-water").drafted
    parts.selection.choose(["par-1"])
    hands.click(hands.button(compose.what, "25"))
    assert ledger.candidates()[0] == Ref("scene", "slack-water")
    ledger.ask_update(Ref("scene", "slack-water"))
    assert "1 value changed" in ledger.change.text()
    assert "Par 1, Intensity: 55 % → 25 %" in ledger.change.text()
    hands.click(hands.button(ledger, "Cancel"))
    assert parts.document.show.playables["slack-water"].look["par-1"]["Dimmer"] == 0.55
    ledger.ask_update(Ref("scene", "slack-water"))
    hands.click(ledger.confirm_update)
    scene = parts.document.show.playables["slack-water"]
    assert scene.look["par-1"]["Dimmer"] == 0.25
    assert scene.look["par-2"]["ColorRGB_Red"] == "palette:moon"  # links are kept


def test_the_stage_is_captured_as_it_is(hands, compose, answers, node):
    parts = hands.parts
    parts.document.edit(
        "quick",
        edits.change(
            parts.document.show, Ref("scene", "slack-water"), fade_in=0.2, fade_out=0.2
        ),
    )
    parts.engine.press("slack-water-pad")
    hands.until(lambda: values(node, 1)[10] == 140)
    parts.draft.touch({"par-1": {"Dimmer": 1.0}})
    hands.until(lambda: values(node, 1)[10] == 255)
    before = values(node, 1), values(node, 2)
    answers.append("Now")
    hands.click(compose.shelf.capture)
    kept = parts.document.show.playables["now"]
    assert kept.look["par-1"]["Dimmer"] == 1.0
    assert kept.look["spot-2"]["Pan"] == "palette:on-cello"
    parts.draft.clear()
    parts.engine.release()
    hands.until(lambda: values(node, 1)[10] == 0)
    show, tile = edits.add_tile(
        parts.document.show, "low-tide", Ref("scene", "now"), "pad"
    )
    parts.document.edit("tile", show)
    parts.engine.press(tile)
    hands.until(lambda: (values(node, 1), values(node, 2)) == before)


# palettes and scenes


def test_a_palette_kept_by_meaning_reaches_other_makes(hands, compose, answers):
    parts, what = hands.parts, compose.what
    parts.selection.choose(["par-1"])
    hands.type(what.colour_panel.hex, "#20FF80")
    answers.append("Weed")
    hands.click(what.colour_panel.findChildren(type(hands.window.more))[0])
    weed = parts.document.show.palettes["weed"]
    assert set(weed.values) == set(RGB)
    assert weed.each == {}
    parts.selection.choose(["wash-1", "bar-1"])
    chips = what.colour_panel.chips
    hands.click(chips, chips.rect_of("weed").center())
    assert draft(hands)["wash-1"]["ColorRGB_Red"] == "palette:weed"
    weed_is = chips.rect_of("weed").center().toPoint()
    asked = QHelpEvent(QEvent.Type.ToolTip, weed_is, chips.mapToGlobal(weed_is))
    QApplication.sendEvent(chips.viewport(), asked)
    hands.until(lambda: "Weed: used by no scene" in QToolTip.text())


def test_palettes_are_dragged_into_the_order_one_wants(hands, compose, demo_path):
    parts, chips = hands.parts, compose.what.colour_panel.chips

    def order():
        return [p.name for p in chips.palettes()]

    before = order()
    ids = [p.id for p in chips.palettes()]
    parts.selection.choose(["par-1"])
    hands.until(lambda: chips.isVisible() and chips.width() > 200)
    hands.drag(
        chips,
        chips.rect_of(ids[0]).center(),
        chips.rect_of(ids[2]).center() + QPointF(8, 0),
    )
    assert order() == [before[1], before[2], before[0], *before[3:]]
    assert draft(hands) == {}  # carrying one does not give it
    chips.setFocus()
    QTest.keyClick(chips, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert order() == [before[1], before[0], *before[2:]]
    QTest.keyClick(chips, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert order() == [before[0], *before[1:]]
    QTest.keyClick(chips, Qt.Key.Key_Right)
    QTest.keyClick(chips, Qt.Key.Key_Return)
    assert draft(hands)["par-1"]["ColorRGB_Red"] == f"palette:{ids[1]}"
    for _ in range(3):  # the giving and the two moves by key
        parts.document.undo()
    assert order() == [before[1], before[2], before[0], *before[3:]]
    hands.until(
        lambda: (
            [
                p.name
                for p in showfile.read(demo_path).palettes.values()
                if p.family == "colour"
            ]
            == order()
        )
    )


def test_a_shelf_of_hundreds_is_walked_through_and_searched(hands, compose):
    parts, shelf = hands.parts, compose.shelf
    made = [
        Scene(id=f"n{i}", name=f"Night {i}", look={"par-1": {"Dimmer": 0.5}})
        for i in range(300)
    ]
    parts.document.edit("many", edits.put(parts.document.show, "playables", *made))
    cards, bar = shelf.strip.cards, shelf.strip.horizontalScrollBar()
    hands.until(lambda: bar.maximum() > 250 * 150)
    shelved = kinds.on_shelf(parts.document.show.playables.values())
    ids = [playable.id for playable in reversed(shelved)]  # the newest stand first
    assert cards.ids() == ids
    assert ids[0] == "n299"
    hands.card(shelf, "slack-water")
    assert shelf.chosen == "slack-water"
    assert bar.value() > bar.maximum() / 2
    QTest.keyClick(shelf.strip, Qt.Key.Key_Left)
    assert shelf.chosen == ids[ids.index("slack-water") - 1]
    QTest.keyClick(shelf.strip, Qt.Key.Key_Right)
    assert shelf.chosen == "slack-water"
    shelf.search.setText("night 29")
    assert set(cards.ids()) == {"n29", *(f"n29{i}" for i in range(10))}
    shelf.search.setText("")
    # an edit of one scene draws its card anew, and no other
    drawn: list[int] = []
    cards.dataChanged.connect(lambda first, last: drawn.append(first.row()))
    parts.document.edit(
        "rename",
        edits.change(parts.document.show, Ref("scene", "n299"), name="Last night"),
    )
    assert drawn == [0]
    assert cards.index(0).data() == "Last night"


def test_a_card_is_carried_to_a_page(hands, compose):
    cards = compose.shelf.strip.cards
    assert carried(cards.mimeData([cards.index_of("cello")])) == Ref("scene", "cello")
    compose.shelf.show_kind("palettes")
    lantern = cards.index_of("lantern")
    assert carried(cards.mimeData([lantern])) == Ref("palette", "lantern")


def test_a_palette_deleted_while_used_leaves_its_values(hands, compose, node):
    parts, shelf = hands.parts, compose.shelf
    parts.engine.press("stage-rose")
    show, tile = edits.add_tile(
        parts.document.show, "low-tide", Ref("scene", "stage-rose"), "pad"
    )
    parts.document.edit("tile", show)
    parts.engine.press(tile)
    parts.draft.touch(
        {"uplight-1": {"Dimmer": 1.0, **dict.fromkeys(RGB, "palette:rose")}}
    )
    hands.until(lambda: values(node, 1)[10] == 204)
    before = values(node, 1)
    hands.click(shelf.tabs["palettes"])
    hands.card(shelf, "rose")
    hands.click(shelf.deeds.delete)
    assert "keep" in hands.window.notice.text.text()
    assert "rose" not in parts.document.show.palettes
    assert (
        parts.document.show.playables["stage-rose"].look["par-1"]["ColorRGB_Red"] == 1.0
    )
    assert draft(hands)["uplight-1"]["ColorRGB_Red"] == 1.0
    QTest.qWait(150)
    assert values(node, 1) == before
    parts.document.undo()
    assert (
        parts.document.show.playables["stage-rose"].look["par-1"]["ColorRGB_Red"]
        == "palette:rose"
    )
    assert draft(hands)["uplight-1"]["ColorRGB_Red"] == "palette:rose"


def test_scenes_are_filed_tagged_doubled_merged_and_unlinked(
    hands, compose, answers, monkeypatch
):
    parts, shelf = hands.parts, compose.shelf
    hands.card(shelf, "mudlight")
    answers.append("By day")
    pick(hands, lambda: hands.click(shelf.deeds.more), "Folder", "New")
    assert parts.document.show.playables["mudlight"].folder == "By day"
    answers.append("sand, #wet,, sand")
    pick(hands, lambda: hands.click(shelf.deeds.more), "Tags")
    assert parts.document.show.playables["mudlight"].tags == ("sand", "wet")
    monkeypatch.setattr(
        QColorDialog,
        "getColor",
        lambda *_: __import__("PySide6.QtGui").QtGui.QColor("#336699"),
    )
    pick(hands, lambda: hands.click(shelf.deeds.more), "Colour mark")
    assert parts.document.show.playables["mudlight"].colour == "#336699"
    pick(hands, lambda: hands.click(shelf.deeds.more), "Unlink from the palette Mud")
    assert (
        parts.document.show.playables["mudlight"].look["par-1"]["ColorRGB_Red"] == 0.8
    )
    pick(hands, lambda: hands.click(shelf.deeds.more), "Duplicate")
    assert shelf.chosen != "mudlight"
    assert (
        parts.document.show.playables[shelf.chosen].look
        == parts.document.show.playables["mudlight"].look
    )
    pick(hands, lambda: hands.click(shelf.deeds.more), "Merge with", "Cello")
    assert parts.document.show.playables[shelf.chosen].look["front-4"]["Dimmer"] == 0.75
    shelf.folder.setCurrentIndex(shelf.folder.findText("By day"))
    assert {
        parts.document.show.playables[i].folder for i in shelf.strip.cards.ids()
    } == {"By day"}
    shelf.folder.setCurrentIndex(0)
    hands.type(shelf.search, "wet", enter=False)
    assert "mudlight" in shelf.strip.cards.ids()
    assert "cello" not in shelf.strip.cards.ids()


def test_position_comes_before_the_light(hands, compose, node):
    """A scene's families have times of their own."""
    parts, shelf = hands.parts, compose.shelf
    hands.card(shelf, "cello")

    def timed(dialog: TimesDialog) -> None:
        hands.type(dialog.rows["intensity"][0], "4")
        hands.type(dialog.rows["intensity"][1], "0.2")
        hands.type(dialog.rows["position"][1], "0")
        hands.click(hands.button(dialog, "Keep"))

    hands.in_dialog(lambda: hands.click(shelf.deeds.times), timed)
    parts.engine.press("cello-pad")
    mark = parts.document.show.marks["cello"]
    at_mark = (mark.x, mark.y, 0.0)
    hands.until(
        lambda: (
            missed(hands, ["wash-1", "wash-2"], at_mark) < 0.03
            and values(node, 1)[3] == 0
        )
    )  # still dark
    hands.until(lambda: values(node, 1)[3] == round(0.75 * 255))


def test_a_scene_is_looked_at_without_lighting_it(hands, compose, node):
    parts, shelf = hands.parts, compose.shelf
    quiet = values(node, 1)
    hands.card(shelf, "spring-tide")
    hands.click(shelf.deeds.look_at)
    hands.until(lambda: parts.preview.shown == Ref("scene", "spring-tide"))
    row = next(
        i for i, p in enumerate(parts.preview.decoder.lamps) if p.fixture == "par-1"
    )
    hands.until(
        lambda: (
            (seen := parts.preview.seen()) is not None and seen[1].rgb[row].max() > 0.8
        )
    )
    QTest.qWait(100)
    assert values(node, 1) == quiet
    compose.stage.setFocus()
    QTest.keyClick(compose.stage, Qt.Key.Key_Escape)
    assert parts.preview.shown is None
    hands.until(
        lambda: (
            (seen := parts.preview.seen()) is not None and seen[1].rgb[row].max() < 0.01
        )
    )


def test_a_scene_is_dragged_to_a_page(hands, compose):
    perform = hands.place("perform")

    def let_go(scene: str, widget) -> None:
        at = QPointF(widget.mapTo(perform, widget.rect().center()))
        data = carry(Ref("scene", scene))
        drop = QDropEvent(
            at, Qt.DropAction.CopyAction, data, LEFT, Qt.KeyboardModifier.NoModifier
        )
        perform.dropEvent(drop)
        QTest.qWait(50)

    let_go("stage-blue", perform.tiles["haze-fader"])
    let_go("stage-rose", perform.tiles["mudlight-pad"])
    let_go("no such scene", perform.tiles["mudlight-pad"])
    # a fader plays one thing more, beside a pad of a choice there is one more of it
    show = hands.parts.document.show
    fader = show.tile("haze-fader")[1]
    assert [part.ref.id for part in fader.plays] == ["haze", "stage-blue"]
    pad = show.pages["low-tide"].tiles[-1]
    assert (pad.plays[0].ref.id, pad.kind, pad.choice) == (
        "stage-rose",
        "pad",
        "parts",
    )


def test_a_scene_whose_fixtures_are_gone_is_kept_and_comes_back(hands, compose, node):
    parts = hands.parts
    parts.engine.press("stage-blue")
    look = parts.document.show.playables["stage-blue"].look
    parts.document.edit(
        "take down", edits.drop(parts.document.show, "fixtures", ["par-1", "par-2"])
    )
    QTest.qWait(50)
    assert parts.document.show.playables["stage-blue"].look == look
    blue = compose.shelf.strip.cards.index_of("stage-blue")
    tip = blue.data(Qt.ItemDataRole.ToolTipRole)
    assert "2 of its fixtures do not hang" in tip
    compose.shelf.choose("stage-blue")
    compose.shelf.deeds.put_on("low-tide", "pad")
    parts.engine.press(parts.document.show.pages["low-tide"].tiles[-1].id)
    hands.until(lambda: values(node, 1)[26] == 204)
    parts.engine.release()
    hands.until(lambda: not parts.engine.state.players)
    parts.document.undo()
    parts.document.undo()
    show, tile = edits.add_tile(
        parts.document.show, "low-tide", Ref("scene", "stage-blue"), "pad"
    )
    parts.document.edit("tile", show)
    parts.engine.press(tile)
    hands.until(lambda: values(node, 1)[10] == 204)
    QTest.qWait(500)
    assert values(node, 1)[10] == 204  # and it stays


# the stage picture


def test_the_view_is_turned_kept_and_put_on_a_second_screen(hands, compose):
    stage, tools = compose.stage, compose.tools
    house = stage.point_of("spot-1")
    hands.click(tools.views[1])
    above = stage.point_of("spot-1")
    assert above != house
    rows = [stage.point_of(i).y() for i in ("front-1", "par-1", "spot-1")]
    assert rows == sorted(rows, reverse=True)  # from above, upstage is up
    QTest.mousePress(stage, RIGHT, pos=QPoint(300, 200))
    QTest.mouseMove(stage, QPoint(340, 220))
    QTest.mouseRelease(stage, RIGHT, pos=QPoint(340, 220))
    turned = stage.viewpoint
    assert turned.side != 0.0
    centre = QPointF(stage.rect().center())
    wheel = QWheelEvent(
        centre, stage.mapToGlobal(centre), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
    )  # fmt: skip
    stage.wheelEvent(wheel)
    assert stage.viewpoint.zoom > turned.zoom
    kept = stage.viewpoint
    tools.keep(2)
    hands.click(tools.views[0])
    assert stage.point_of("spot-1") == house
    hands.click(tools.views[2])
    assert stage.viewpoint.zoom == pytest.approx(kept.zoom, rel=1e-4)
    hands.click(tools.second)
    window = tools.window_
    assert window.isVisible()
    assert window.picture.viewpoint == stage.viewpoint
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not window.isVisible()
    hands.click(stage, stage.point_of("wash-2"))
    assert hands.parts.selection.chosen == ("wash-2",)  # lamps are where they are drawn


def test_a_strobe_is_a_mark_and_does_not_flash_the_screen(hands, compose):
    parts, stage = hands.parts, compose.stage
    parts.draft.touch({"panel-1": {"Dimmer": 1.0, "Shutter1Strobe": 10.0}})
    row = next(
        i for i, p in enumerate(parts.preview.decoder.lamps) if p.fixture == "panel-1"
    )
    hands.until(
        lambda: (
            (found := parts.preview.light()) is not None and found[1].strobe[row] > 5
        )
    )
    QTest.qWait(150)
    shots = []
    for _ in range(6):
        QTest.qWait(35)
        shots.append(stage.grab().toImage())
    assert all(shot == shots[0] for shot in shots)


def test_an_empty_room_without_width_is_still_drawn(hands, compose):
    parts = hands.parts
    parts.document.edit(
        "no room",
        edits.replace(parts.document.show, room=Room("Nowhere", 0.5, 0.5, 0.5)),
    )
    QTest.qWait(80)
    assert not compose.stage.grab().isNull()


@pytest.mark.parametrize("after", ["let go", "stays", "goes on"])
def test_what_becomes_of_the_light_when_the_draft_is_kept(hands, node, after):
    """Chosen once, it is chosen again; undo brings the draft back and takes the rest."""
    hands.place("compose")
    parts, ledger = hands.parts, hands.window.ledger
    parts.draft.touch({"par-1": {"Dimmer": 0.6}})
    address = parts.document.show.fixtures["par-1"].address

    def level() -> int:
        return (values(node, 1) or [0] * 512)[address - 1]

    hands.until(lambda: level() == 153)
    hands.click(ledger.keep_button)
    form = ledger.form
    hands.until(form.isVisible)
    place = form.after.findData(after)
    hands.select(form.after, form.after.itemText(place))
    form.name.setText("Kept light")
    hands.click(ledger.confirm)
    hands.until(lambda: "kept-light" in parts.document.show.playables)
    playing = [p.ref.id for p in parts.engine.state.players]
    if after == "goes on":
        assert "par-1" in parts.engine.state.draft.look
        assert playing == []
    else:
        assert parts.engine.state.draft.empty
    if after == "stays":
        hands.until(
            lambda: [p.ref.id for p in parts.engine.state.players] == ["kept-light"]
        )
    hands.heeded()
    hands.until(lambda: level() == (0 if after == "let go" else 153))
    QTest.keyClick(hands.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    hands.until(lambda: "kept-light" not in parts.document.show.playables)
    hands.until(lambda: "par-1" in parts.engine.state.draft.look)
    hands.until(lambda: level() == 153)
    hands.click(ledger.keep_button)
    hands.until(form.isVisible)
    assert form.after.currentData() == after
    form.kind.setCurrentIndex(1)  # a palette does not shine by itself
    assert form.after.findData("stays") == -1


def test_only_a_part_of_a_scene_goes_into_the_draft_or_is_kept(hands):
    """What concerns the chosen, and some families only."""
    compose = hands.place("compose")
    show = hands.parts.document.show
    scene = next(
        p
        for p in show.playables.values()
        if p.kind == "scene" and len(words.families(p.look)) > 1 and len(p.look) > 3
    )
    lamp = next(i for i, v in scene.look.items() if len(words.families({i: v})) > 1)
    hands.parts.selection.choose([lamp])
    hands.card(compose.shelf, scene.id)
    deeds = compose.shelf.deeds
    family = str(words.families({lamp: scene.look[lamp]})[0])

    def answer(dialog) -> None:
        assert dialog.chosen.isChecked()
        for name, button in dialog.families.items():
            if name != family:
                hands.click(button)
        assert dialog.what.text().startswith("1 fixture · ")
        hands.click(dialog.take)

    hands.in_dialog(lambda: pick(hands, deeds.open_menu, "Only for these"), answer)
    held = hands.parts.engine.state.draft.look
    assert list(held) == [lamp]
    assert [str(f) for f in words.families(held)] == [family]
    assert hands.parts.draft.taken is None  # updating the scene by it loses nothing
    hands.parts.draft.clear()

    def keep(dialog) -> None:
        dialog.chosen.setChecked(False)
        hands.click(dialog.families[family])
        dialog.name.clear()
        hands.type(dialog.name, "The rest of it", enter=False)
        hands.click(dialog.keep)

    hands.card(compose.shelf, scene.id)
    hands.in_dialog(lambda: pick(hands, deeds.open_menu, "Only for these"), keep)
    made = next(
        p
        for p in hands.parts.document.show.playables.values()
        if p.name.startswith("The rest")
    )
    assert family not in [str(f) for f in words.families(made.look)]
    assert hands.parts.document.show.playables[scene.id] is scene
    hands.parts.document.undo()
    assert made.id not in hands.parts.document.show.playables
