"""Controllers in the window: an unknown one is drawn and learnt, in a row, from the tile
and from the control; the chosen are turned without the mouse; keys of the keyboard.
"""

from __future__ import annotations

import json
import socket
import time

import pytest
from msgspec.structs import astuple
from PySide6.QtCore import QMimeData, QPointF, Qt
from PySide6.QtGui import QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit

from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.model import edits
from choreon.model.inputs import (
    Answer,
    Coding,
    Merge,
    Pickup,
    key_control,
    midi_control,
)
from choreon.model.inputs.watching import QUIET
from choreon.model.osc import slug
from choreon.model.pages import as_read
from choreon.model.refs import BLACKOUT, CHOOSE, CHOSEN, EDIT, GRAND, TURN, Ref, to_tile
from choreon.model.surfaces import PartSort, Shows
from choreon.model.tiles import Flash, parts
from choreon.model.verbs import Verb
from choreon.sim.controller import PracticeController
from choreon.sim.osc import PracticeOsc
from choreon.sound.listening import plug
from choreon.ui.drags import carry_controls
from choreon.ui.surfaces.place import SurfacesPlace
from choreon.ui.surfaces.ways_dialog import WaysDialog
from choreon.wire.time_code import Rate, TimeCode, full_frame
from tests.journeys.conftest import Hands
from tests.sound.music import made
from tests.sound.test_files import write_wav

STRANGE = "Strange desk"


@pytest.fixture
def strange(hands: Hands):
    """A controller with a layout that nobody has described."""
    made = PracticeController(name=STRANGE, layout="rings-16")
    hands.until(lambda: hands.parts.engine.ports.ports.get(STRANGE))
    yield made
    made.close()


@pytest.fixture
def surfaces(hands: Hands) -> SurfacesPlace:
    place = hands.place("surfaces")
    assert isinstance(place, SurfacesPlace)
    return place


def choose_port(surfaces: SurfacesPlace, name: str) -> None:
    for row in range(surfaces.ports.count()):
        if surfaces.ports.item(row).text().endswith(name):
            surfaces.ports.setCurrentRow(row)
    assert surfaces.port == name


def tie_of(hands: Hands, control):
    ties = hands.parts.document.show.inputs.values()
    return next((tie for tie in ties if tie.control == control), None)


def learn(hands: Hands, control, target: Ref, **how) -> None:
    document = hands.parts.document
    document.edit("learn", edits.learn(document.show, control, target, **how))


def press(strange: PracticeController, part: str) -> None:
    strange.press(part)
    strange.let_go(part)


def test_an_unknown_controller_is_drawn_part_by_part(hands, surfaces, strange):
    choose_port(surfaces, STRANGE)
    hands.click(surfaces.draw)
    dial = midi_control(STRANGE, "cc", 0, 0)
    # in one go: on a machine that stands still between them they were several hands
    strange.send_raw(bytes((0xB0, 0, 1, 0xB0, 0, 126)) * 4)
    hands.until(lambda: surfaces.drawing.surface.part(dial.name))
    for n in (1, 2):
        press(strange, f"push {n}")
        name = midi_control(STRANGE, "note", 0, n - 1).name
        hands.until(lambda name=name: surfaces.drawing.surface.part(name))

    own = hands.parts.document.show.surfaces[STRANGE]
    assert [part.sort for part in own.parts] == [
        PartSort.ENDLESS,
        PartSort.PAD,
        PartSort.PAD,
    ]
    assert own.parts[0].coding == Coding.TWOS
    assert own.parts[2].x == own.parts[1].x + 1  # beside the one before

    # it is put where it lies on the table, named, and undone like all else
    drawing, form = surfaces.drawing, surfaces.drawing_form
    control = own.control(own.parts[2])
    middle = drawing.drawn()[control].center()
    unit = drawing.drawn()[control].width()
    hands.drag(drawing, middle, middle + QPointF(unit, 0))
    moved = hands.parts.document.show.surfaces[STRANGE].parts[2]
    assert moved.x > own.parts[2].x
    form.name.setText("Rain")
    form.name.editingFinished.emit()
    assert hands.parts.document.show.surfaces[STRANGE].parts[2].name == "Rain"
    hands.parts.document.undo()
    assert hands.parts.document.show.surfaces[STRANGE].parts[2].name == ""
    hands.click(surfaces.draw)
    assert not surfaces.learner.watching


def test_who_leaves_the_drawing_has_controls_do_again_what_they_do(
    hands, surfaces, strange
):
    learn(hands, midi_control(STRANGE, "note", 0, 0), BLACKOUT)
    choose_port(surfaces, STRANGE)
    hands.click(surfaces.draw)
    hands.place("perform")
    assert not surfaces.draw.isChecked()
    strange.press("push 1")
    hands.until(lambda: hands.parts.engine.state.masters.blackout)


def test_a_drawing_is_kept_read_and_refused_in_words(
    hands, surfaces, strange, tmp_path
):
    choose_port(surfaces, STRANGE)
    surfaces.template.setCurrentIndex(surfaces.template.findData("wing-10"))
    surfaces.template.activated.emit(surfaces.template.currentIndex())
    drawn = hands.parts.document.show.surfaces[STRANGE]
    assert len(drawn.parts) == 32
    path = tmp_path / "mine.surface.json"
    surfaces.write(path)

    wrong = json.loads(path.read_text())
    wrong["parts"][3]["sends"] = "cc 99 1"
    (tmp_path / "wrong.json").write_text(json.dumps(wrong))
    (tmp_path / "foreign.json").write_bytes(b"\x00" * 100)
    for name in ("wrong.json", "foreign.json", "nowhere.json"):
        surfaces.read(tmp_path / name)
        assert name in hands.window.notice.text.text()
        assert hands.parts.document.show.surfaces[STRANGE] == drawn

    surfaces.template.setCurrentIndex(0)
    surfaces.template.activated.emit(0)
    assert STRANGE not in hands.parts.document.show.surfaces
    surfaces.read(path)
    assert hands.parts.document.show.surfaces[STRANGE] == drawn


def test_a_window_that_closes_ties_nothing_that_was_moved_just_before(hands):
    key = midi_control(STRANGE, "note", 0, 9)
    learner = hands.window.learner
    learner.start(GRAND)
    hands.parts.engine.control_moved.emit(protocol.ControlMoved(key, 1.0))
    hands.parts.engine.control_moved.emit(protocol.ControlMoved(key, 0.0))
    learner.close()
    moved_at = time.monotonic()
    hands.until(lambda: time.monotonic() - moved_at > 3 * QUIET)
    assert learner.target is None
    assert tie_of(hands, key) is None


def test_a_row_of_tiles_is_learnt_one_control_after_the_other(hands, surfaces, strange):
    page = next(iter(hands.parts.document.show.pages.values()))
    tiles = [tile.ref for tile in page.tiles][:4]
    assert all(ref in surfaces.targets for ref in tiles)
    learner = surfaces.learner
    learner.start_row(tiles)
    assert surfaces.skip.isVisible()
    for n, ref in enumerate(tiles):
        hands.until(lambda ref=ref: learner.target == ref)
        if n == 1:
            hands.click(surfaces.skip)
            continue
        press(strange, f"push {n + 1}")
        hands.until(lambda ref=ref: learner.target != ref)
    assert learner.target is None
    found = [
        getattr(tie_of(hands, midi_control(STRANGE, "note", 0, n)), "target", None)
        for n in range(4)
    ]
    assert found == [tiles[0], None, tiles[2], tiles[3]]


def test_from_the_control_to_what_it_shall_do(hands, surfaces, strange):
    choose_port(surfaces, STRANGE)
    surfaces.template.setCurrentIndex(surfaces.template.findData("rings-16"))
    surfaces.template.activated.emit(surfaces.template.currentIndex())
    dial = midi_control(STRANGE, "cc", 0, 2)
    hands.click(surfaces.drawing, surfaces.drawing.drawn()[dial].center())
    assert "Nothing is tied to it" in surfaces.form.why.text()
    hands.click(surfaces.targets[GRAND].tie)
    tie = tie_of(hands, dial)
    assert (tie.target, tie.coding) == (GRAND, Coding.TWOS)  # as its drawing says

    # it does it at once, and the monitor says so
    strange.turn("dial 3", -20)
    state = hands.parts.engine
    hands.until(lambda: state.state.masters.grand < 0.9)
    hands.until(lambda: any("Grand master" in line for line in surfaces.monitor.lines))


def drawn_as(surfaces: SurfacesPlace, name: str, layout: str) -> None:
    choose_port(surfaces, name)
    surfaces.template.setCurrentIndex(surfaces.template.findData(layout))
    surfaces.template.activated.emit(surfaces.template.currentIndex())


def let_go(surfaces: SurfacesPlace, controls, target: Ref) -> None:
    """Drag controls onto a row, and let them go there."""
    data = carry_controls(controls)
    at = QPointF(surfaces.targets[target].geometry().center())
    actions, buttons = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    none = Qt.KeyboardModifier.NoModifier
    move = QDragMoveEvent(at.toPoint(), actions, data, buttons, none)
    surfaces.list.dragMoveEvent(move)
    assert move.isAccepted()
    surfaces.list.dropEvent(QDropEvent(at, actions, data, buttons, none))


def test_a_row_of_faders_is_let_go_on_a_row_of_tiles(hands, surfaces, strange):
    drawn_as(surfaces, STRANGE, "wing-10")
    drawing = surfaces.drawing
    drawn = drawing.drawn()
    faders = [p for p in drawing.surface.parts if p.sort == PartSort.FADER][:4]
    controls = [drawing.surface.control(part) for part in faders]

    # a frame about them, from beside the first
    first, last = drawn[controls[0]], drawn[controls[-1]]
    start = QPointF(first.left() - 6, first.center().y() - 8)
    pulled = []
    drawing.carried.connect(pulled.append)
    hands.drag(drawing, start, QPointF(last.center().x(), last.center().y() + 8))
    assert list(drawing.row) == controls
    assert "4 in hand" in surfaces.form.title.text()
    assert drawing.drawn() == drawn  # nothing moves away under the hand

    page = next(iter(hands.parts.document.show.pages.values()))
    tiles = [t.ref for t in as_read(page) if t.ref in surfaces.targets]
    before = hands.parts.document.show
    let_go(surfaces, drawing.row, tiles[1])
    assert [tie_of(hands, c).target for c in controls] == tiles[1:5]
    hands.parts.document.undo()  # at one stroke
    assert hands.parts.document.show.inputs == before.inputs

    # more than there are: those that are left are told of
    let_go(surfaces, drawing.row, tiles[-2])
    assert [tie_of(hands, c) is not None for c in controls] == [
        True,
        True,
        False,
        False,
    ]
    assert "nothing left" in hands.window.notice.text.text()


def test_a_row_is_taken_by_shift_with_the_mouse_and_with_keys(hands, surfaces, strange):
    drawn_as(surfaces, STRANGE, "wing-10")
    drawing = surfaces.drawing
    drawn = drawing.drawn()
    parts = drawing.surface.parts
    faders = [drawing.surface.control(p) for p in parts if p.sort == PartSort.FADER]
    shift = Qt.KeyboardModifier.ShiftModifier
    left = Qt.MouseButton.LeftButton
    hands.click(drawing, drawn[faders[1]].center())
    QTest.mouseClick(drawing, left, shift, drawn[faders[4]].center().toPoint())
    assert list(drawing.row) == faders[1:5]

    # one of them that is pressed is alone again; one that is pulled takes all along
    hands.click(drawing, drawn[faders[2]].center())
    assert drawing.row == (faders[2],)
    drawing.setFocus()
    for _ in range(2):
        QTest.keyClick(drawing, Qt.Key.Key_Right, shift)
    assert list(drawing.row) == faders[2:5]
    groups = list(hands.parts.document.show.groups)[:3]
    hands.click(surfaces.targets[Ref(CHOOSE, groups[0])].tie)
    assert [tie_of(hands, c).target.id for c in faders[2:5]] == groups


def test_what_is_dragged_over_the_list_is_no_control(hands, surfaces):
    before = hands.parts.document.show
    for data in (QMimeData(), carry_controls([])):
        data.setText("x")
        at = QPointF(surfaces.targets[GRAND].geometry().center())
        event = QDropEvent(
            at,
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
        surfaces.list.dropEvent(event)
    assert hands.parts.document.show is before


def test_colours_and_values_of_a_drawing_of_ones_own(hands, surfaces, strange):
    drawn_as(surfaces, STRANGE, "wing-10")
    hands.click(surfaces.draw)
    drawing, form = surfaces.drawing, surfaces.drawing_form
    keys = [p for p in drawing.surface.parts if p.sort == PartSort.KEY]
    drawing.choose(drawing.surface.control(keys[0]))

    def shows(part_id: str):
        own = hands.parts.document.show.surfaces[STRANGE]
        return next(p for p in own.parts if p.id == part_id).shows

    index = form.shows.findData(Shows.COLOURS)
    form.shows.setCurrentIndex(index)
    form.shows.activated.emit(index)
    table = form.display.table
    assert table.isVisible()
    assert not form.display.message.isVisible()
    table.setText("0 #000000, 5 ff0000; 21 #00FF00")
    table.editingFinished.emit()
    assert [tuple(shade) for shade in map(astuple, shows(keys[0].id).shades)] == [
        (0, "#000000"),
        (5, "#FF0000"),
        (21, "#00FF00"),
    ]
    for wrong in ("128 #000000", "red", "5 #12345"):
        table.setText(wrong)
        table.editingFinished.emit()
        assert wrong in hands.window.notice.text.text()
        assert len(shows(keys[0].id).shades) == 3

    hands.click(form.display.all)
    assert shows(keys[3].id).shades == shows(keys[0].id).shades
    surfaces.drawing_form.display.values["off"].setValue(7)
    assert shows(keys[0].id).off == 7

    index = form.shows.findData(Shows.MIX)
    form.shows.setCurrentIndex(index)
    form.shows.activated.emit(index)
    message = form.display.message
    assert message.isVisible()
    message.setText("F0 7D 09 {r} {g} {b} F7")
    message.editingFinished.emit()
    assert shows(keys[0].id).bytes == "F0 7D 09 {r} {g} {b} F7"
    message.setText("colour please")
    message.editingFinished.emit()
    assert shows(keys[0].id).bytes == "F0 7D 09 {r} {g} {b} F7"
    hands.click(surfaces.draw)


def test_time_code_of_a_controller_is_read_on_its_drawing(hands, surfaces, strange):
    choose_port(surfaces, STRANGE)
    strange.send_raw(full_frame(TimeCode(1, 2, 3, 4, Rate.EUROPE)))
    hands.until(lambda: "01:02:03:04" in surfaces.hint.text())
    assert "stands" in surfaces.hint.text()
    strange.close()
    hands.until(lambda: "not connected" in surfaces.hint.text())


def test_what_a_control_does_is_set_in_its_form(hands, surfaces, strange):
    fader = midi_control(STRANGE, "cc", 0, 9)
    learn(hands, fader, GRAND)
    choose_port(surfaces, STRANGE)
    surfaces.drawing.choose(fader)
    form = surfaces.form
    form.low.changed.emit(20.0)
    form.high.changed.emit(80.0)
    index = form.pickup.findData(Pickup.JUMP)
    form.pickup.setCurrentIndex(index)
    form.pickup.activated.emit(index)
    answer = tie_of(hands, fader).answer
    assert answer == Answer(low=0.2, high=0.8, pickup=Pickup.JUMP)
    strange.send_raw(bytes((0xB0, 9, 0)))
    hands.until(lambda: abs(hands.parts.engine.state.masters.grand - 0.2) < 1e-6)
    hands.click(form.untie)
    assert tie_of(hands, fader) is None


def test_unplugged_in_mid_show_and_back_it_goes_on(hands, surfaces, strange):
    key = midi_control(STRANGE, "note", 0, 0)
    learn(hands, key, BLACKOUT)
    strange.close()
    hands.until(lambda: not hands.parts.engine.ports.ports.get(STRANGE))
    choose_port(surfaces, STRANGE)
    surfaces.drawing.choose(key)
    assert "not connected" in surfaces.form.why.text()

    again = PracticeController(name=STRANGE, layout="rings-16")
    hands.until(lambda: hands.parts.engine.ports.ports.get(STRANGE))
    again.press("push 1")
    hands.until(lambda: hands.parts.engine.state.masters.blackout)
    hands.until(lambda: again.lit["push 1"] == 127)  # and its light is on
    again.close()


# through the window


def test_the_chosen_are_turned_by_faders_without_the_mouse(hands, strange):
    show = hands.parts.document.show
    group = next(g for g in show.groups.values() if g.fixtures)
    dimmer = midi_control(STRANGE, "cc", 0, 20)
    key = midi_control(STRANGE, "note", 0, 5)
    learn(hands, dimmer, Ref(CHOSEN, "Dimmer"), answer=Answer(pickup=Pickup.JUMP))
    learn(hands, key, Ref(CHOOSE, group.id))

    strange.send_raw(bytes((0xB0, 20, 64)))
    hands.until(lambda: "Nobody is chosen" in hands.window.notice.text.text())
    press(strange, "push 6")
    hands.until(lambda: list(hands.parts.selection.chosen) == list(group.fixtures))

    before = hands.parts.document.show
    for value in (30, 80, 127):
        strange.send_raw(bytes((0xB0, 20, value)))
    draft = hands.parts.draft
    hands.until(
        lambda: all(draft.look.get(i, {}).get("Dimmer") == 1.0 for i in group.fixtures)
    )
    assert hands.parts.document.show is before  # only the draft

    hands.until(lambda: hands.parts.document.gestures.now is None)
    hands.parts.document.undo()
    assert not any("Dimmer" in draft.look.get(i, {}) for i in group.fixtures)


def test_hue_and_a_dial_without_an_end_go_through_the_draft(hands, strange):
    show = hands.parts.document.show
    lamp = next(i for i in show.fixtures if i.startswith("par"))
    hands.parts.selection.choose([lamp])
    hue = midi_control(STRANGE, "cc", 0, 21)
    learn(hands, hue, Ref(CHOSEN, "hue"), answer=Answer(pickup=Pickup.JUMP))
    strange.send_raw(bytes((0xB0, 21, 40)))
    draft = hands.parts.draft
    hands.until(lambda: "ColorRGB_Red" in draft.look.get(lamp, {}))

    dial = midi_control(STRANGE, "cc", 0, 0)
    learn(hands, dial, Ref(CHOSEN, "Dimmer"), coding=Coding.TWOS)
    for _ in range(40):
        strange.turn("dial 1", 2)
    hands.until(lambda: draft.look.get(lamp, {}).get("Dimmer", 0.0) > 0.55)
    assert draft.look[lamp]["Dimmer"] == pytest.approx(80 / 127, abs=0.02)


def test_a_key_of_a_controller_turns_to_a_page_and_lights(hands, strange):
    perform = hands.place("perform")
    second = list(hands.parts.document.show.pages)[1]
    first = perform.page_id
    learn(hands, midi_control(STRANGE, "note", 0, 3), Ref(TURN, second))
    learn(hands, midi_control(STRANGE, "note", 0, 4), Ref(TURN, "back"))
    press(strange, "push 4")
    hands.until(lambda: perform.page_id == second)
    hands.until(lambda: strange.lit["push 4"] == 127)
    press(strange, "push 5")
    hands.until(lambda: perform.page_id == first)
    hands.until(lambda: strange.lit["push 4"] < 127)


def test_a_guest_turns_nothing_of_the_draft_by_a_controller(hands, strange):
    lamp = next(iter(hands.parts.document.show.fixtures))
    hands.parts.selection.choose([lamp])
    learn(hands, midi_control(STRANGE, "cc", 0, 20), Ref(CHOSEN, "Dimmer"))
    before = hands.parts.draft.look
    moved = hands.parts.engine.control_moved
    seen = []
    moved.connect(seen.append)
    hands.window.begin_guest()
    strange.send_raw(bytes((0xB0, 20, 99)))
    hands.until(lambda: seen)
    assert hands.parts.draft.look == before
    hands.window.end_guest()


# the keyboard


def test_a_key_is_learnt_shown_on_its_tile_and_plays_it(hands):
    perform = hands.place("perform")
    tile = next(w for w in perform.tiles.values() if w.tile.kind == "pad")
    learner = hands.window.learner
    learner.start(tile.tile.ref)
    perform.view.body.setFocus()
    QTest.keyClick(hands.window.focusWidget() or hands.window, Qt.Key.Key_F7)
    hands.until(lambda: learner.target is None)
    assert tie_of(hands, key_control("F7")).target == tile.tile.ref
    hands.until(lambda: perform.tiles[tile.tile.id].taught == "F7")

    engine = hands.parts.engine
    before = len(engine.state.players)
    QTest.keyClick(hands.window.focusWidget() or hands.window, Qt.Key.Key_F7)
    hands.until(lambda: len(engine.state.players) != before)


def test_a_taught_letter_is_typed_where_something_is_typed(hands):
    learn(hands, key_control("Y"), BLACKOUT)
    place = hands.place("compose")
    field = next(f for f in place.findChildren(QLineEdit) if f.isVisible())
    field.setFocus()
    QTest.keyClicks(field, "yyy")
    assert field.text().endswith("yyy")
    assert not hands.parts.engine.state.masters.blackout
    field.clear()

    hands.window.setFocus()
    QTest.keyClick(hands.window, Qt.Key.Key_Y)
    hands.until(lambda: hands.parts.engine.state.masters.blackout)


def test_a_key_that_is_held_is_let_go_when_one_goes_on_to_type(hands):
    show = hands.parts.document.show
    scene = next(iter(show.playables.values()))
    flash = Flash(id="boom", plays=parts(scene.ref), fade_in=0.0, fade_out=0.0)
    page = next(iter(show.pages.values()))
    made = edits.replace(page, tiles=(*page.tiles, flash))
    document = hands.parts.document
    document.edit("flash", edits.put(show, "pages", made))
    learn(hands, key_control("F8"), flash.ref)
    hands.window.setFocus()
    QTest.keyPress(hands.window, Qt.Key.Key_F8)
    engine = hands.parts.engine
    hands.until(lambda: any(p.held for p in engine.state.players))

    place = hands.place("compose")
    field = next(f for f in place.findChildren(QLineEdit) if f.isVisible())
    field.setFocus()
    hands.until(lambda: not any(p.held for p in engine.state.players))
    QTest.keyRelease(field, Qt.Key.Key_F8)


def test_keys_that_lead_through_the_window_are_refused_in_words(hands):
    learner = hands.window.learner
    hands.place("perform").view.body.setFocus()
    learner.start(GRAND)
    focus = hands.window.focusWidget() or hands.window
    QTest.keyClick(focus, Qt.Key.Key_Delete)
    assert "leads through the window" in hands.window.notice.text.text()
    assert learner.target == GRAND
    QTest.keyClick(focus, Qt.Key.Key_Delete, Qt.KeyboardModifier.KeypadModifier)
    hands.until(lambda: learner.target is None)
    assert tie_of(hands, key_control("Num Del")).target == GRAND


def test_a_key_of_a_command_is_not_taken(hands):
    learner = hands.window.learner
    hands.place("perform").view.body.setFocus()
    learner.start(GRAND)
    QTest.keyClick(hands.window.focusWidget() or hands.window, Qt.Key.Key_F1)
    assert learner.target == GRAND or "F1" in hands.window.notice.text.text()
    learner.cancel()
    assert tie_of(hands, key_control("F1")) is None


# more ways in and out


def test_osc_is_switched_on_in_its_dialog_and_speaks(hands, surfaces):
    dialog = WaysDialog(hands.parts, hands.window)
    dialog.show()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    dialog.port.setValue(port)
    dialog.port.editingFinished.emit()
    dialog.on.click()
    assert "/choreon/master/grand-master" in dialog.addresses.toPlainText()
    hands.until(lambda: hands.parts.engine.ports.ports.get("OSC"))

    ear = PracticeOsc(port, lambda address, value: None)
    ear.say("/choreon/master/grand-master", 0.25)
    hands.until(lambda: hands.parts.engine.state.masters.grand == 0.25)
    ear.say("/choreon/hello")
    hands.until(
        lambda: ear.hear() or "/choreon/master/grand-master" in ear.values, 10.0
    )
    second = list(hands.parts.document.show.pages.values())[1]
    perform = hands.place("perform")
    ear.say(f"/choreon/page/{slug(second.name)}", 1.0)
    hands.until(lambda: perform.page_id == second.id)

    dialog.allow.setText("10.0.0.7, house")
    dialog.allow.editingFinished.emit()
    assert "house" in hands.window.notice.text.text()
    assert hands.parts.document.show.osc.allow == ()
    ear.close()
    dialog.reject()


def test_a_desk_and_what_others_are_told_are_set_and_undone(hands, surfaces, strange):
    dialog = WaysDialog(hands.parts, hands.window)
    dialog.show()
    hands.click(dialog.add)
    desk_id = next(iter(hands.parts.document.show.desks))
    row = dialog.rows[desk_id]
    index = row.merge.findData(Merge.HIGHEST)
    row.merge.setCurrentIndex(index)
    row.merge.activated.emit(index)
    row.number.setValue(7)
    row.number.editingFinished.emit()
    desk = hands.parts.document.show.desks[desk_id]
    assert (desk.merge, desk.number) == (Merge.HIGHEST, 7)
    assert row.lost.isEnabled()
    hands.click(row.remove)
    assert hands.parts.document.show.desks == {}

    hands.click(dialog.tell)
    send_id = next(iter(hands.parts.document.show.sends))
    line = dialog.send_rows[send_id]
    line.message.setText("note 999")
    line.message.editingFinished.emit()
    assert "999" in line.fault.text()
    line.message.setText("cc 9 3")
    line.message.editingFinished.emit()
    line.to.setCurrentText(STRANGE)
    line.to.lineEdit().editingFinished.emit()
    assert not line.fault.isVisibleTo(line)

    send = hands.parts.document.show.sends[send_id]
    hands.parts.engine.send(Do(send.of, Verb.START))
    hands.until(lambda: strange.lit["dial 10"] == 3)
    hands.click(line.remove)
    assert hands.parts.document.show.sends == {}
    dialog.reject()


def test_the_tempo_of_a_controller_is_followed(hands, surfaces, strange):
    choose_port(surfaces, STRANGE)
    surfaces.follow_clock(True)
    assert hands.parts.document.show.midi.clock_from == STRANGE
    before = hands.parts.engine.state.clock.bpm

    def ticked() -> bool:
        strange.send_raw(bytes((0xF8,)))
        return hands.parts.engine.state.clock.bpm != before

    hands.until(ticked, 20.0)
    surfaces.send_clock(True)
    surfaces.follow_clock(False)
    hands.until(lambda: strange.ticks.count(0xF8) > 5)
    surfaces.send_clock(False)
    hands.until(lambda: 0xFC in strange.ticks)


def test_an_edit_is_taken_back_by_a_pedal_and_not_by_a_guest(hands, strange):
    document = hands.parts.document
    learn(hands, midi_control(STRANGE, "note", 0, 6), Ref(EDIT, "undo"))
    learn(hands, midi_control(STRANGE, "note", 0, 7), Ref(EDIT, "redo"))
    before = document.show
    document.edit("another name", edits.replace(before, name="Ebb"))
    press(strange, "push 7")
    hands.until(lambda: document.show.name == before.name)
    press(strange, "push 8")
    hands.until(lambda: document.show.name == "Ebb")

    seen = []
    hands.parts.engine.control_moved.connect(seen.append)
    hands.window.begin_guest()
    press(strange, "push 7")
    hands.until(lambda: len(seen) == 2)
    assert document.show.name == "Ebb"
    hands.window.end_guest()


def test_live_music_is_set_up_and_drives_a_fader(hands, tmp_path, monkeypatch):
    monkeypatch.setenv("CHOREON_NO_CARDS", "1")
    plug("Band", write_wav(tmp_path / "song.wav", made(100, seconds=20.0).sound))
    dialog = WaysDialog(hands.parts, hands.window)
    dialog.show()
    panel = dialog.music
    try:
        assert "Nothing is listened to" in panel.state.text()
        panel.on.click()
        hands.until(lambda: "Band" in hands.parts.engine.music.sources)
        hands.until(lambda: any(m.level > 0.2 for m in panel.meters.values()))
        hands.until(lambda: "a minute" in panel.state.text())
        box = panel.drives["low"]
        place = next(
            n
            for n in range(box.count())
            if box.itemData(n) == to_tile("front-wash-fader")
        )
        box.setCurrentIndex(place)
        box.activated.emit(place)
        (tie,) = [
            t for t in hands.parts.document.show.inputs.values() if t.kind == "music"
        ]
        assert (tie.target, tie.band) == (to_tile("front-wash-fader"), "low")
        hands.until(
            lambda: any(
                p.ref.id == "front-wash" and p.level > 0.1
                for p in hands.parts.engine.state.players
            )
        )
        box.setCurrentIndex(0)
        box.activated.emit(0)
        assert not [
            t for t in hands.parts.document.show.inputs.values() if t.kind == "music"
        ]
        panel.on.click()
        hands.until(lambda: not hands.parts.engine.music.levels)
    finally:
        dialog.close()


def test_what_is_moved_while_the_key_of_a_layer_is_held_is_learnt_for_that_layer(
    hands, surfaces, strange
):
    """Once a key is a layer's, it is held and not learnt; let go, all is as before."""
    key, other, dial = (
        midi_control(STRANGE, *name)
        for name in (("note", 0, 0), ("note", 0, 1), ("cc", 0, 2))
    )
    show = hands.parts.document.show
    show = edits.learn(show, other, to_tile("dots-pad"), shift=key.name)
    hands.parts.document.edit("a layer", show)

    learner = surfaces.learner
    learner.start(to_tile("cello-pad"))
    strange.press("push 1")
    strange.turn("dial 3", -20)
    hands.until(lambda: learner.target is None)
    strange.let_go("push 1")
    tie = tie_of(hands, dial)
    assert (tie.target, tie.shift) == (to_tile("cello-pad"), key.name)
    assert tie_of(hands, key) is None

    # without it, for always
    learner.start(GRAND)
    strange.turn("dial 4", -20)
    hands.until(lambda: learner.target is None)
    assert tie_of(hands, midi_control(STRANGE, "cc", 0, 3)).shift == ""
