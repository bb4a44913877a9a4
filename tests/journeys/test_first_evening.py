"""What a new user does on the first evening, from pressing a pad to teaching a fader."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from choreon.formats import showfile
from choreon.model import patch
from choreon.model.inputs import midi_control
from choreon.model.refs import Ref, to_tile
from choreon.ui import theme
from tests.conftest import values
from tests.journeys.conftest import menu_of, mostly, pick


def test_press_a_pad_and_the_stage_fades_to_another_scene(hands, node):
    perform = hands.place("perform")
    hands.click(perform.tiles["slack-water-pad"])
    hands.until(lambda: 0 < values(node, 1)[10] < 140)  # on its way: 4 s
    hands.until(lambda: values(node, 1)[10] == 140)  # par 1 at .55
    assert perform.tiles["slack-water-pad"].level == 1.0
    hands.click(perform.tiles["spring-tide-pad"])
    seen = []
    hands.until(lambda: seen.append(values(node, 1)[10]) or seen[-1] == 255)
    assert min(seen) >= 140, "the crossfade dipped"
    assert len(set(seen)) > 10
    hands.until(lambda: perform.tiles["spring-tide-pad"].level == 1.0)
    assert perform.tiles["slack-water-pad"].level == 0.0
    rows = perform.on_now.rows.values()
    assert [row.name.text() for row in rows] == ["● Spring Tide"]


def test_faders_grand_master_and_blackout(hands, node):
    perform = hands.place("perform")
    fader = perform.tiles["front-wash-fader"].fader
    middle = fader.width() / 2
    hands.drag(fader, QPointF(middle, fader.height() - 14), QPointF(middle, 14))
    hands.until(lambda: values(node, 1)[0] == 217)
    grand = hands.window.heading.grand
    hands.drag(grand, QPointF(grand.width() - 14, 16), QPointF(grand.width() / 2, 16))
    hands.until(lambda: 100 < values(node, 1)[0] < 117)
    hands.click(hands.window.heading.blackout)
    hands.until(lambda: values(node, 1)[0] == 0)
    hands.until(lambda: hands.window.heading.blackout.text() == "Blackout is on")
    QTest.keyClick(hands.window, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    hands.until(lambda: values(node, 1)[0] > 100)
    hands.click(hands.button(perform, "Let all go"))
    hands.until(lambda: values(node, 1)[0] == 0)
    hands.until(lambda: not perform.on_now.rows)


def test_a_fader_on_the_controller_moves_the_light_and_the_screen(
    hands, node, controller
):
    perform = hands.place("perform")
    hands.until(lambda: controller.connected)
    controller.move_fader(1, 10)
    controller.move_fader(1, 127)
    hands.until(lambda: values(node, 1)[0] == 217)
    hands.until(lambda: perform.tiles["front-wash-fader"].fader.level == 1.0)
    controller.hit_pad(0)
    hands.until(lambda: perform.tiles["slack-water-pad"].level == 1.0)
    hands.until(lambda: controller.lights[0] == 127)


def test_hang_colour_keep_tile_and_teach(hands, node, controller, demo_path):
    """The whole slice: four more pars, chosen, coloured, kept as a scene, on a page, on
    a controller's fader.
    """
    rig = hands.place("rig")
    hands.type(rig.hang.search, "par 7", enter=False)
    assert rig.hang.kind.id == "tarnby-par-7"
    rig.hang.count.setValue(4)
    assert rig.hang.address.value() == 113
    assert "free" in rig.hang.preview.text()
    hands.click(hands.button(rig, "Hang 4"))
    new = ["par-9", "par-10", "par-11", "par-12"]
    assert hands.parts.selection.chosen == tuple(new)
    assert rig.ribbon.ribbon.on_slot(113) == ["par-9"]
    assert (
        rig.plan.fixture_at(
            rig.plan.at(hands.parts.document.show.fixtures["par-11"].place)
        )
        == "par-11"
    )

    compose = hands.place("compose")
    stage = compose.stage
    hands.parts.selection.choose(())
    first = stage.point_of("par-9")
    hands.click(stage, first)
    assert len(hands.parts.selection.chosen) == 1
    for fixture in new:
        if fixture not in hands.parts.selection.chosen:
            item = next(
                i
                for i in compose.who.fixtures.findItems(
                    "Par " + fixture[4:], Qt.MatchFlag.MatchExactly
                )
            )
            item.setSelected(True)
    hands.parts.selection.choose(new)
    level = compose.what.fields["Dimmer"]
    hands.type(level, "80")
    hands.until(lambda: values(node, 1)[112:113] == [204])
    field = compose.what.colour
    hands.click(field, QPointF(1, 1))  # red at full strength
    hands.until(lambda: mostly(values(node, 1)[113:117], 0))
    assert hands.window.ledger.isVisible()
    assert "4 fixtures · intensity, colour" in hands.window.ledger.summary.text()

    ledger = hands.window.ledger
    hands.click(ledger.keep_button)
    ledger.name.selectAll()
    hands.type(ledger.name, "Red line", enter=False)
    ledger.page.setCurrentIndex(ledger.page.findText("as a fader on Low Tide"))
    hands.click(ledger.confirm)
    hands.until(lambda: not ledger.isVisible())
    scene = hands.parts.document.show.playables["red-line"]
    assert set(scene.look) == set(new)
    hands.until(lambda: values(node, 1)[112] == 0)

    hands.until(lambda: controller.connected)
    surfaces = hands.place("surfaces")
    target = next(t for t in surfaces.targets if "red-line" in t.id)
    hands.click(surfaces.targets[target].learn)
    assert "Red line" in hands.window.notice.text.text()
    controller.move_fader(5, 30)
    hands.until(
        lambda: any(
            m.target == target for m in hands.parts.document.show.inputs.values()
        )
    )
    hands.heeded()
    for value in (60, 127):
        controller.move_fader(5, value)
    hands.until(lambda: values(node, 1)[112] == 204)

    hands.until(
        lambda: showfile.read(demo_path).inputs == hands.parts.document.show.inputs
    )
    kept = showfile.read(demo_path)
    assert kept.fixtures["par-12"].address == 137
    assert any(m.target == target for m in kept.inputs.values())
    assert not patch.clashes(kept)


def test_undo_and_redo_by_name(hands, demo_path):
    rig = hands.place("rig")
    rig.hang.choose_type("pellow-dot")
    hands.click(hands.button(rig, "Hang"))
    assert "hang 1 × Dot" in hands.window.heading.undo.toolTip()
    assert "dot-21" in hands.parts.document.show.fixtures
    QTest.keyClick(hands.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert "dot-21" not in hands.parts.document.show.fixtures
    assert hands.parts.selection.chosen == ()
    assert "hang 1 × Dot" in hands.window.heading.redo.toolTip()
    hands.click(hands.window.heading.redo)
    assert "dot-21" in hands.parts.document.show.fixtures
    hands.until(lambda: "dot-21" in showfile.read(demo_path).fixtures)


def test_ledger_lines_say_what_they_replace_and_can_be_removed(hands, node):
    hands.place("compose")
    hands.parts.engine.set_level("front-wash-fader", 1.0)
    hands.until(lambda: values(node, 1)[0] == 217)
    hands.parts.draft.touch(
        {"front-1": {"Dimmer": 0.2}, "par-1": {"Dimmer": 0.6, "ColorRGB_Red": 0.0}}
    )
    ledger = hands.window.ledger
    hands.until(lambda: values(node, 1)[0] == 51)
    hands.click(ledger.open)
    lines = ledger.list.lines
    hands.until(lambda: lines.rowCount() > 1)
    texts = [lines.index(row).data() for row in range(lines.rowCount())]
    assert "Front 1 Intensity 20 % covers 85 %" in texts
    assert any(text.startswith("Par 1 Colour #") for text in texts)
    hands.take_out(ledger, "Front 1", "Intensity")
    hands.until(lambda: values(node, 1)[0] == 217)
    assert "front-1" not in hands.parts.engine.state.draft.look
    hands.click(ledger.clear_button)
    hands.until(lambda: not ledger.isVisible())


def test_nothing_is_stored_by_looking_at_a_scene(hands, node):
    compose = hands.place("compose")
    before = hands.parts.document.show
    hands.card(compose.shelf, "spring-tide")
    assert compose.shelf.chosen == "spring-tide"
    QTest.qWait(150)
    assert values(node, 1)[10] == 0
    assert hands.parts.document.show is before
    assert not hands.parts.engine.state.draft.look


def test_update_a_scene_from_the_draft(hands):
    hands.place("compose")
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.11}})
    hands.until(lambda: hands.window.ledger.isVisible())
    hands.window.ledger.update_scene(Ref("scene", "slack-water"))
    scene = hands.parts.document.show.playables["slack-water"]
    assert scene.look["par-1"]["Dimmer"] == 0.11
    assert scene.look["par-2"]["Dimmer"] == 0.55
    assert hands.parts.document.history.undo_name == "update Slack Water"


def test_choose_on_the_stage_with_a_box_and_by_group(hands):
    compose = hands.place("compose")
    stage = compose.stage
    a, b = stage.point_of("dot-1"), stage.point_of("dot-20")
    low, high = (
        QPointF(min(a.x(), b.x()), min(a.y(), b.y())),
        QPointF(max(a.x(), b.x()), max(a.y(), b.y())),
    )
    hands.drag(stage, low - QPointF(9, 9), high + QPointF(9, 9))
    dots = {f"dot-{i}" for i in range(1, 21)}
    assert dots <= set(hands.parts.selection.chosen)
    item = compose.who.groups.findItems("Bars", Qt.MatchFlag.MatchStartsWith)[0]
    rect = compose.who.groups.visualItemRect(item)
    QTest.mouseClick(
        compose.who.groups.viewport(), Qt.MouseButton.LeftButton, pos=rect.center()
    )
    assert hands.parts.selection.chosen == ("bar-1", "bar-2")
    assert not compose.what.tabs["Aim"].isVisible()


def test_aim_strobe_and_raw_channels_of_a_head(hands, node):
    compose = hands.place("compose")
    hands.parts.selection.choose(["spot-1"])
    what = compose.what
    hands.click(what.tabs["Aim"])
    hands.type(what.fields["Pan"], "-135")
    hands.until(lambda: values(node, 2)[60:62] == [0x40, 0x00])
    pad = what.aim_panel.pad
    hands.until(
        lambda: pad.points and pad.points[0][0] == pytest.approx(-135.0, abs=0.1)
    )
    hands.drag(pad, QPointF(20, 60), QPointF(20 + pad.width() / 4, 60))
    hands.until(lambda: values(node, 2)[60:61] in ([127], [128]))
    hands.click(what.tabs["Beam"])
    hands.type(what.fields["Shutter1Strobe"], "25")
    hands.until(lambda: values(node, 2)[66] == 255)
    hands.click(what.beam_panel.shutter_closed)
    hands.until(lambda: values(node, 2)[66] == 15)
    gobos = what.beam_panel.more.rows["Gobo1"].chips[0][0]
    hands.click(gobos, gobos.rect_at(2).center())
    hands.until(lambda: values(node, 2)[68] == 29)


def test_tiles_are_arranged_and_taken_off(hands):
    perform = hands.place("perform")
    pick(hands, menu_of(hands, perform.tiles["slack-water-pad"]), "Move later")
    assert [t.id for t in hands.parts.document.show.pages["low-tide"].tiles][:2] == [
        "mudlight-pad",
        "slack-water-pad",
    ]
    pick(hands, menu_of(hands, perform.tiles["cello-pad"]), "Take off the page")
    assert "cello-pad" not in perform.tiles
    assert not any(
        m.target == to_tile("cello-pad")
        for m in hands.parts.document.show.inputs.values()
    )
    perform.add_tile(Ref("scene", "cello"), "pad")
    assert "cello-pad" in perform.tiles
    perform.go("open-mic")
    assert set(perform.tiles) == {
        "mic-warm",
        "mic-blue",
        "mic-rose",
        "mic-front",
        "mic-house",
        "mic-break",
        "mic-clock",
        "mic-back",
    }


def test_learn_from_the_tile_escape_and_unlearn(hands, controller):
    perform = hands.place("perform")
    hands.until(lambda: controller.connected)
    pick(hands, menu_of(hands, perform.tiles["dots-pad"]), "Learn a control…")
    assert hands.window.notice.isVisible()
    QTest.keyClick(hands.window, Qt.Key.Key_Escape)
    assert hands.window.learner.target is None
    before = hands.parts.document.show.inputs
    controller.hit_pad(12)
    QTest.qWait(150)
    assert hands.parts.document.show.inputs is before
    pick(hands, menu_of(hands, perform.tiles["dots-pad"]), "Learn a control…")
    controller.hit_pad(12)
    hands.until(lambda: hands.window.learner.target is None)
    tie = next(
        m
        for m in hands.parts.document.show.inputs.values()
        if m.target == to_tile("dots-pad")
    )
    assert (tie.message, tie.number) == ("note", 48)
    surfaces = hands.place("surfaces")
    hands.click(surfaces.targets[to_tile("dots-pad")].unlearn)
    assert not any(
        m.target == to_tile("dots-pad")
        for m in hands.parts.document.show.inputs.values()
    )


def test_the_drawing_finds_what_a_part_does(hands, controller):
    surfaces = hands.place("surfaces")
    hands.until(lambda: hands.parts.engine.ports.ports.get("Practice controller"))
    parts = surfaces.drawing.drawn()
    assert len(parts) == 32
    pad = midi_control("Practice controller", "note", 0, 36)
    hands.click(surfaces.drawing, parts[pad].center())
    assert surfaces.drawing.chosen == pad
    edges = {
        target.id: row.grab().toImage().pixelColor(row.width() // 2, 0).name().upper()
        for target, row in surfaces.targets.items()
    }
    assert [i for i, edge in edges.items() if edge == theme.CHOSEN.upper()] == [
        "slack-water-pad"
    ]
