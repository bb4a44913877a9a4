"""The type editor, swapping, and a whole rig from nothing."""

from __future__ import annotations

import os

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QLineEdit,
    QPushButton,
    QToolButton,
)

from choreon.demo import low_tide
from choreon.formats import gdtf
from choreon.library import library
from choreon.model import edits, patch
from choreon.model.outputs import SacnOutput
from choreon.ui.app import empty_show
from choreon.ui.rig.swap import SwapDialog
from choreon.ui.rig.types.range_table import TO
from choreon.ui.slots import slot_picture
from choreon.ui.widgets.numbers import NumberField
from tests.conftest import values
from tests.journeys.conftest import end, mostly, open_window, pick


@pytest.fixture
def rig(hands):
    place = hands.place("rig")
    place.go(0)
    return place


@pytest.fixture
def editor(hands, rig):
    """A new type in the editor."""
    pick(hands, lambda: hands.click(rig.hang.more), "New type…")
    return rig.editor


def chosen_channel(hands, editor, label: str) -> None:
    """Click a channel of the mode."""
    hands.click(
        next(
            b
            for b in editor.modes.findChildren(QPushButton)
            if b.text().rstrip(" *") == label
        )
    )


def fill(hands, editor, label: str, row: int, *texts: str) -> None:
    """Type into a channel's table of ranges, from where a row's range ends on; Enter after each."""
    chosen_channel(hands, editor, label)
    table = editor.channel.table
    table.setFocus()
    table.setCurrentCell(row, TO)
    for text in texts:
        for key in text:
            QTest.keyClicks(QApplication.focusWidget(), key)
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)


def checks(editor) -> list[str]:
    return [editor.checks.item(i).text() for i in range(editor.checks.count())]


def spans(editor, key: str) -> list[tuple]:
    return [
        (r.start, r.end, r.attribute, r.low, r.high, r.name)
        for r in editor.kind.channel(key).ranges
    ]


def type_from_table(hands, editor) -> None:
    """A printed table: 1 dimmer, 2–3 red 16 bit, 4 green, 5 blue, 6 shutter: 0–9 closed, 10–19 open, 20–255 1–18 Hz."""
    hands.type(editor.maker, "Holmwick")
    editor.name.selectAll()
    hands.type(editor.name, "Quay 3")
    hands.type(editor.modes.add, "1 Dimmer, 2 Red, Red fine, Green, Blue, 6 Shutter")
    fill(
        hands,
        editor,
        "Shutter",
        0,
        "9",
        "",
        "Closed",
        "",
        "19",
        "shutter",
        "Open",
        "open",
        "255",
        "strobe",
        "",
        "1",
        "18",
    )
    hands.type(editor.channel.home, "15")


def test_a_type_from_a_printed_table_is_typed_checked_tried_and_hung(
    hands, rig, editor, node
):
    type_from_table(hands, editor)
    kind = editor.kind
    assert [(u.channel, u.slots) for u, _ in kind.used(kind.modes[0])] == [
        ("dimmer", (1,)), ("red", (2, 3)), ("green", (4,)), ("blue", (5,)), ("shutter", (6,))
    ]  # fmt: skip
    assert [kind.channel(k).ranges[0].attribute for k in ("dimmer", "red", "blue")] == [
        "Dimmer", "ColorAdd_R", "ColorAdd_B"
    ]  # fmt: skip
    assert spans(editor, "shutter") == [
        (0, 9, "Shutter1", 0, 0, "Closed"), (10, 19, "Shutter1", 1, 1, "Open"), (20, 255, "Shutter1Strobe", 1, 18, "")
    ]  # fmt: skip
    assert [m.name for m in kind.modes] == [
        "6 channel"
    ]  # named after its slots while nobody names it
    assert checks(editor) == []
    editor.on.setCurrentIndex(editor.on.findData("par-1"))
    editor.trial.setChecked(True)
    line = editor.channel.line
    QTest.mouseMove(line, QPointF(line.x_of(200.5), 50).toPoint())
    hands.until(lambda: values(node, 1)[10:16] == [255, 255, 0, 255, 255, 200])
    assert "Shutter at 200" in editor.tried.text()
    hands.click(editor.keep_button)
    hands.until(
        lambda: values(node, 1)[15] == 247
    )  # the trial ended: the par's own shutter is open again
    assert kind.id in hands.parts.document.own_types
    rig.hang.search.setText("quay")
    assert rig.hang.types.item(0).text() == "Holmwick Quay 3 · own"
    rig.hang.choose_type(kind.id)
    hands.click(hands.button(rig.hang, "Hang"))
    made = hands.parts.document.show.fixtures[hands.parts.selection.chosen[0]]
    hands.parts.draft.open_up()
    first = made.address - 1
    hands.until(
        lambda: values(node, 1)[first : first + 6] == [255, 255, 255, 255, 255, 15]
    )


def test_checks_run_as_one_types_and_lead_to_the_place(hands, rig, editor):
    assert "New mode has no channels" in checks(editor)[0]
    hands.until(editor.modes.add.hasFocus)  # the paper can be typed at once
    hands.type(editor.modes.add, "Dimmer, Shutter, Thing")
    assert any("has no open range" in line for line in checks(editor))
    assert any("0…255 of Thing has no meaning yet" in line for line in checks(editor))
    assert "1 error, 1 warning" in editor.verdict.text()
    row = next(i for i, line in enumerate(checks(editor)) if "no open range" in line)
    hands.click(
        editor.checks.viewport(),
        editor.checks.visualItemRect(editor.checks.item(row)).center(),
    )
    assert editor.key == "shutter"
    hands.click(editor.keep_button)
    rig.hang.choose_type(editor.kind.id)
    assert "cannot be hung yet" in rig.hang.preview.text()
    assert not rig.hang.go.isEnabled()


def test_ranges_are_typed_as_a_table(hands, editor):
    hands.type(editor.modes.add, "Zoom, Strobe, Pan 16 bit")
    assert [(u.channel, u.slots) for u in editor.kind.modes[0].uses] == [
        ("zoom", (1,)),
        ("strobe", (2,)),
        ("pan", (3, 4)),
    ]
    table = editor.channel.table
    fill(hands, editor, "Zoom", 0, "+0", "", "", "45", "8°")
    assert spans(editor, "zoom") == [
        (0, 255, "Zoom", 45, 8, "")
    ]  # descending, as some lamps count
    fill(hands, editor, "Zoom", 0, "many")
    assert "“many” is no number. To: 255, as it was." in hands.window.notice.text.text()
    fill(
        hands,
        editor,
        "Strobe",
        0,
        "49",
        "shutter",
        "Open",
        "1",
        "255",
        "strobe at random",
        "Wild",
        "2",
        "12 Hz",
    )
    assert spans(editor, "strobe") == [
        (0, 49, "Shutter1", 1, 1, "Open"), (50, 255, "Shutter1StrobeRandom", 2, 12, "Wild")
    ]  # fmt: skip
    table.setCurrentCell(1, 0)
    QTest.keyClick(table, Qt.Key.Key_Delete)
    assert spans(editor, "strobe") == [(0, 255, "Shutter1", 1, 1, "Open")]
    chosen_channel(hands, editor, "Pan")
    bits = editor.channel.resolution
    bits.setFocus()
    QTest.keyClick(bits, Qt.Key.Key_Down)
    assert editor.kind.channel("pan").ranges[0].end == 65535
    assert editor.kind.modes[0].uses[2].slots == (3, 4)  # it had both bytes already
    chosen_channel(hands, editor, "Zoom")
    QTest.keyClick(bits, Qt.Key.Key_Down)
    assert [u.slots for u in editor.kind.modes[0].uses] == [(1, 2), (3,), (4, 5)]
    assert [m.name for m in editor.kind.modes] == ["5 channel"]


def test_a_wheel_gives_its_channel_its_ranges(hands, editor):
    hands.type(editor.modes.add, "Gobo")
    form = editor.channel
    form.wheel.setFocus()
    QTest.keyClick(form.wheel, Qt.Key.Key_End)
    wheel = editor.wheels
    assert wheel.wheel.name == "Gobo"
    for name in ("Reeds", "Net"):
        hands.click(hands.button(wheel, "Another slot"))
        field = wheel.rows.itemAt(wheel.rows.count() - 1).widget().findChild(QLineEdit)
        field.selectAll()
        hands.type(field, name)
    chosen_channel(hands, editor, "Gobo")
    hands.click(form.spread)
    assert spans(editor, "gobo") == [
        (0, 84, "Gobo1", 0, 0, "Open"), (85, 170, "Gobo1", 1, 1, "Reeds"), (171, 255, "Gobo1", 2, 2, "Net")
    ]  # fmt: skip


def test_an_emitter_has_a_colour_and_a_strength(hands, editor):
    hands.type(editor.modes.add, "Dimmer, Lime")
    chosen_channel(hands, editor, "Lime")
    form = editor.channel
    assert form.emitter.isVisible()
    assert form.emitter_x.value is None
    for field, text in (
        (form.emitter_x, "0.4"),
        (form.emitter_y, "0.56"),
        (form.strength, "3"),
    ):
        hands.type(field, text)
    (lime,) = editor.kind.emitters
    assert (lime.attribute, lime.x, lime.y, lime.strength) == (
        "ColorAdd_GY",
        0.4,
        0.56,
        3.0,
    )
    chosen_channel(hands, editor, "Dimmer")
    assert not form.emitter.isVisible()


def test_how_fast_a_head_turns_is_said_at_its_pan(hands, editor):
    hands.type(editor.modes.add, "Pan, Tilt")
    chosen_channel(hands, editor, "Pan")
    travel = editor.channel.travel
    assert travel.isVisible()
    assert travel.value is None
    hands.type(travel, "2.5")
    (span,) = editor.kind.channel("pan").ranges
    assert span.travel == 2.5
    editor.undo()
    assert editor.channel.travel.value is None
    chosen_channel(hands, editor, "Tilt")
    assert not editor.channel.travel.isVisible()


def test_editing_is_undone_within_the_editor(hands, editor):
    before = editor.kind
    hands.type(editor.modes.add, "Pan")
    hands.type(editor.channel.home, "128")
    assert editor.kind.channel("pan").home == 128
    hands.type(editor.modes.add, "Tilt, Zoom")
    assert editor.mode_name == "3 channel"
    chosen_channel(hands, editor, "Zoom")
    editor.undo()
    assert (editor.mode_name, editor.key) == (
        "1 channel",
        "pan",
    )  # what was at hand is gone: the first is
    assert editor.channel.isEnabled()
    editor.undo()
    editor.undo()
    assert editor.kind == before
    editor.redo()
    assert editor.kind.channel("pan") is not None
    shows = hands.parts.document.show
    hands.click(hands.button(editor, "Cancel"))
    assert hands.parts.document.show is shows
    assert editor.kind.id not in hands.parts.document.kinds()


def test_borders_are_dragged_and_esc_leaves_them(hands, rig):
    rig.edit_type(library()["ostrey-spot-160"])
    editor = rig.editor
    chosen_channel(hands, editor, "Shutter")
    line = editor.channel.line
    QTest.qWait(30)
    hands.drag(line, QPointF(line.x_of(32), 50), QPointF(line.x_of(45.5), 50))
    assert [(r.start, r.end) for r in editor.kind.channel("shutter").ranges] == [
        (0, 44),
        (45, 63),
        (64, 255),
    ]
    hands.drag(
        line, QPointF(line.x_of(45), 50), QPointF(line.x_of(55), 50), release=False
    )
    QTest.keyClick(line, Qt.Key.Key_Escape)
    QTest.mouseRelease(
        line, Qt.MouseButton.LeftButton, pos=QPointF(line.x_of(55), 50).toPoint()
    )
    assert editor.kind.channel("shutter").ranges[0].end == 44
    line.setFocus()
    editor.channel.choose(1)
    QTest.keyClick(line, Qt.Key.Key_Delete)
    assert [(r.start, r.end) for r in editor.kind.channel("shutter").ranges] == [
        (0, 63),
        (64, 255),
    ]
    hands.click(editor.channel.own, QPoint(8, editor.channel.own.height() // 2))
    assert editor.kind.modes[0].overrides[0].key == "shutter"


def test_modes_cells_and_slots(hands, editor):
    hands.type(editor.modes.add, "Red, Green")
    modes = editor.modes
    hands.type(modes.columns, "4")
    hands.type(modes.lines, "1")
    hands.click(hands.button(modes, "Lay out"))
    for name in ("Red", "Green"):
        cell = next(
            f
            for f in modes.findChildren(NumberField)
            if f.accessibleName() == f"Cell of {name}"
        )
        hands.type(cell, "1")
    hands.click(hands.button(modes, "Same for every cell"))
    mode = editor.kind.modes[0]
    assert [use.cell for use in mode.uses] == [1, 1, 2, 2, 3, 3, 4, 4]
    assert (mode.footprint, mode.name) == (8, "8 channel")
    grid = modes.cells
    hands.drag(grid, grid.at(0), grid.at(0) + QPointF(12, 8))
    moved = editor.kind.modes[0].cells[0]
    assert moved.x > mode.cells[0].x
    assert moved.y < mode.cells[0].y
    slots_typed(hands, modes, 0, "9, 10")
    assert editor.kind.modes[0].uses[0].slots == (9, 10)
    slots_typed(hands, modes, 0, "x")
    assert "Slots are one to three numbers" in hands.window.notice.text.text()
    hands.select(editor.which, "New mode, as a copy")
    assert len(editor.kind.modes) == 2
    assert any("are alike" in line for line in checks(editor))
    modes.name.selectAll()
    hands.type(modes.name, editor.kind.modes[0].name)
    assert "already; this one is called" in hands.window.notice.text.text()
    hands.select(editor.which, "New mode, empty")
    hands.type(modes.add, "red")  # by its name, a channel that the type has already
    assert [u.channel for u in editor.kind.modes[2].uses] == ["red"]
    assert [m.name for m in editor.kind.modes][2] == "1 channel"
    hands.click(modes.findChild(QToolButton, "remove mode"))
    assert len(editor.kind.modes) == 2


def slots_typed(hands, modes, row: int, text: str) -> None:
    """Type where a channel of the mode stands."""
    field = next(
        f
        for f in modes.rows.itemAt(row).widget().findChildren(QLineEdit)
        if "Slots" in f.accessibleName()
    )
    field.selectAll()
    hands.type(field, text)


def test_wheels_have_slots_with_pictures_and_colours(hands, editor, tmp_path):
    hands.select(editor.pieces, "New wheel")
    wheel = editor.wheels
    assert wheel.wheel.name == "Wheel"
    hands.click(hands.button(wheel, "Another slot"))
    wheel.change(1, name="Tide", colour="#114488")
    (tmp_path / "tide.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 4 4">'
        '<rect width="4" height="4" fill="#f00"/></svg>'
    )
    wheel.take_picture(1, tmp_path / "tide.svg")
    hands.until(lambda: editor.kind.wheels[0].slots[1].picture)
    slot = editor.kind.wheels[0].slots[1]
    assert (slot.name, slot.colour, slot.picture[:4]) == ("Tide", "#114488", b"\x89PNG")
    assert slot_picture(slot, 20).toImage().pixelColor(10, 10).red() > 250
    said = hands.window.notice.text
    (tmp_path / "no.png").write_text("no")
    wheel.take_picture(1, tmp_path / "no.png")
    hands.until(lambda: "is no picture that can be read" in said.text())
    wheel.take_picture(1, tmp_path / "gone.png")
    hands.until(lambda: "could not be read" in said.text())
    os.mkfifo(tmp_path / "pipe.png")
    wheel.take_picture(1, tmp_path / "pipe.png")
    hands.until(lambda: "it is no file" in said.text())
    assert editor.kind.wheels[0].slots[1] == slot
    hands.press(wheel, "Remove slot 0")
    assert len(editor.kind.wheels[0].slots) == 1
    hands.press(wheel, "Remove the wheel")
    assert editor.kind.wheels == ()


def test_a_type_in_use_reaches_its_lamps_and_tells_what_is_lost_first(hands, rig, node):
    rig.edit_type(hands.parts.document.show.types["ostrey-spot-160"], "13 channel")
    editor = rig.editor
    assert "Spot 1, Spot 2, Spot 3 and Spot 4" in editor.users.text()
    chosen_channel(hands, editor, "Gobo wheel")
    hands.press(editor.channel, "Remove the channel")
    hands.click(editor.keep_button)
    assert editor.warning.isVisible()
    assert "Gobo: the new fixture has no Reeds" in editor.warning_text.text()
    assert (
        hands.parts.document.show.types["ostrey-spot-160"].channel("gobo") is not None
    )
    hands.click(hands.button(editor, "Keep it so"))
    assert hands.parts.document.show.types["ostrey-spot-160"].channel("gobo") is None
    hands.parts.engine.press(
        "groynes-pad"
        if hands.parts.document.show.tile("groynes-pad")
        else "the-groynes-pad"
    )
    hands.until(lambda: values(node, 2)[65] > 200)
    hands.parts.document.undo()
    assert (
        hands.parts.document.show.types["ostrey-spot-160"].channel("gobo") is not None
    )
    rig.edit_type(hands.parts.document.show.types["ostrey-spot-160"])
    chosen_channel(hands, editor, "Shutter")
    for _ in range(2):  # all but the range that shuts it
        editor.channel.table.setCurrentCell(1, TO)
        QTest.keyClick(editor.channel.table, Qt.Key.Key_Delete)
    hands.click(editor.keep_button)
    assert "would go dark" in hands.window.notice.text.text()


def test_gdtf_is_read_written_and_refused_in_words(hands, rig, tmp_path, monkeypatch):
    path = tmp_path / "lamp.gdtf"
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), "")
    )
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), "")
    )
    rig.hang.choose_type("ostrey-profile-300")
    pick(hands, lambda: hands.click(rig.hang.more), "Write this type as GDTF")
    assert gdtf.read(path.read_bytes()).kind == library()["ostrey-profile-300"]
    path.write_bytes(
        gdtf.write(
            edits.replace(
                library()["ostrey-profile-300"], id="mine", name="Lamp of mine"
            )
        )
    )
    pick(hands, lambda: hands.click(rig.hang.more), "Read a type from GDTF")
    assert "Ostrey Lamp of mine was read: 2 modes" in hands.window.notice.text.text()
    assert rig.hang.kind.id == "mine"
    pick(hands, lambda: hands.click(rig.hang.more), "Delete from my types")
    assert "mine" not in hands.parts.document.kinds()
    pick(hands, lambda: hands.click(rig.hang.more), "Bring back Ostrey Lamp of mine")
    assert rig.hang.kind.id == "mine"
    path.write_bytes(b"PK not at all")
    pick(hands, lambda: hands.click(rig.hang.more), "Read a type from GDTF")
    assert "is not a zip file" in hands.window.notice.text.text()
    assert rig.currentIndex() == 0


def test_a_swap_tells_before_and_keeps_the_scenes_right(hands, rig, node):
    hands.parts.engine.press("spring-tide-pad")
    hands.until(lambda: values(node, 2)[65] == 255)
    spots = [f"spot-{i}" for i in range(1, 5)]
    hands.parts.selection.choose(spots)
    before = hands.parts.preview.light()[1].direction[
        [
            i
            for i, p in enumerate(hands.parts.preview.decoder.lamps)
            if p.fixture in spots
        ]
    ]
    dialog = SwapDialog(hands.parts, rig)
    assert not dialog.go.isEnabled()  # nothing would change
    dialog.choose("tarnby-turn-150", "13 channel")
    lines = [text for text, _ in dialog.lines_of(dialog.plan)]
    assert any("Gobo: Reeds becomes Net" in text for text in lines)
    assert any("Intensity" in text for text in lines)
    dialog.go.click()
    assert {hands.parts.document.show.fixtures[i].type for i in spots} == {
        "tarnby-turn-150"
    }
    hands.until(lambda: values(node, 2)[60] == 255)  # its dimmer comes first
    hands.until(lambda: hands.parts.preview.light() is not None)

    def aims():
        lamps = hands.parts.preview.decoder.lamps
        return hands.parts.preview.light()[1].direction[
            [i for i, p in enumerate(lamps) if p.fixture in spots]
        ]

    hands.until(
        lambda: abs(aims() - before).max() < 0.002
    )  # they point where they did, with other spans


def test_a_whole_rig_from_an_empty_show(qapp, own_folders, node):
    """From nothing: the sample rig on three universes, a clash, another universe, another make; then the light."""
    from choreon.formats import showfile

    path = own_folders / "New.choreon"
    show = edits.put(
        empty_show("New"),
        "outputs",
        SacnOutput(id="sacn", host="127.0.0.1", port=node.port),
    )
    showfile.write(path, show)
    hands = open_window(path)
    try:
        rig = hands.place("rig")
        wanted = [("holmwick-6-way", "One output", 6, 1, "Front"), ("generic-dimmer", "1 channel", 2, 1, "House"),
                  ("tarnby-par-7", "8 channel", 8, 1, "Par"), ("tarnby-flood-6", "8 channel", 4, 1, "Uplight"),
                  ("pellow-bar-8", "24 channel", 2, 2, "Bar"), ("ostrey-spot-160", "13 channel", 4, 2, "Spot"),
                  ("ostrey-wash-90", "12 channel", 2, 2, "Wash"), ("pellow-dot", "3 channel", 20, 3, "Dot"),
                  ("holmwick-mist", "2 channel", 1, 3, "Hazer"), ("tarnby-panel", "5 channel", 1, 3, "Panel")]  # fmt: skip
        for type_id, mode, count, universe, name in wanted:
            rig.hang.choose_type(type_id)
            rig.hang.mode.setCurrentIndex(rig.hang.mode.findData(mode))
            rig.hang.universe.setValue(universe)
            rig.hang.count.setValue(count)
            rig.hang.name.setText(name)
            assert rig.hang.preview.text().endswith("free.")
            hands.click(rig.hang.go)
        parts = hands.parts
        plan = {f.name: f.type for f in low_tide().fixtures.values()}
        assert {f.name: f.type for f in parts.document.show.fixtures.values()} == plan
        assert patch.clashes(parts.document.show) == []
        parts.selection.choose(["spot-2"])
        rig.go(2)
        row = rig.table.model.ids.index("spot-2")
        rig.table.model.setData(rig.table.model.index(row, 6), "1")
        assert "share 2." in rig.ribbon.note.text()
        hands.click(rig.ribbon.note)
        assert "spot-2" in parts.selection.chosen
        parts.selection.choose(["spot-2"])
        rig.ribbon.go(2)
        rig.hang.choose_type("ostrey-spot-160")
        free = patch.next_free(parts.document.show, 2, 13)
        hands.type(rig.in_hand.address, str(free))
        assert patch.clashes(parts.document.show) == []
        parts.selection.choose([f"bar-{i}" for i in (1, 2)])
        rig.ribbon.move_to(4, chosen=True)
        spots = [f"spot-{i}" for i in range(1, 5)]
        parts.selection.choose(spots)
        parts.draft.touch(
            {i: {"Dimmer": 0.8, "Pan": 20.0, "Tilt": -40.0} for i in spots}
        )
        show, scene = edits.keep_scene(
            parts.document.show, "Jetty", parts.engine.state.draft.look, 0.0, 0.0
        )
        parts.draft.store("keep", show)
        dialog = SwapDialog(parts, rig)
        dialog.choose("tarnby-turn-150", "13 channel")
        dialog.go.click()
        assert parts.document.show.playables[scene.id].look["spot-1"] == {
            "Dimmer": 0.8,
            "Pan": 20.0,
            "Tilt": -40.0,
        }
        rig.files.print(own_folders / "slips.pdf", ("slips",))
        hands.until(lambda: not rig.files.work.busy)
        assert (own_folders / "slips.pdf").stat().st_size > 5000
        show, tile = edits.add_tile(parts.document.show, "page-1", scene)
        parts.document.edit("tile", show)
        parts.engine.press(tile)
        first = parts.document.show.fixtures["spot-1"].address - 1
        # 20° of 630° about the middle: (315 + 20) / 630 · 65535 = 34848.0 = 0x8820; −40° of 280°: 23405.4 = 0x5B6D
        hands.until(
            lambda: (
                values(node, 2)[first : first + 6] == [204, 23, 0x88, 0x20, 0x5B, 0x6D]
            )
        )
        parts.selection.choose(["bar-1"])
        parts.draft.open_up()
        hands.until(lambda: mostly(values(node, 4)[:24], *range(24)))
    finally:
        end(hands)
