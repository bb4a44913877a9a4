"""Perform: pages that are arranged and played by mouse, fingers and keys."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QImage, QPointingDevice, QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit

from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.do import Do
from choreon.model import attributes as at
from choreon.model import edits, pages
from choreon.model.inputs import midi_control
from choreon.model.masters import Override
from choreon.model.offers import As, Sort
from choreon.model.refs import FIXTURE, GROUP, PALETTE, Ref, to_deed, to_tile
from choreon.model.tiles import (
    Choice,
    Fader,
    Flash,
    LabelTile,
    Pad,
    Page,
    Spot,
    Start,
    parts,
)
from choreon.model.verbs import Edge, Verb
from choreon.ui.drags import DragsOut, carry
from choreon.ui.lamp_marks import ASIDE, GRIPPED
from choreon.ui.rig.table import COLUMNS
from tests.conftest import values
from tests.journeys.conftest import end, leave, open_window, pick


@pytest.fixture
def perform(hands):
    return hands.place("perform")


@pytest.fixture
def band(hands, perform):
    perform.go("band")
    return perform


def spot_of(hands, tile_id: str) -> Spot:
    page, _ = hands.parts.document.show.tile(tile_id)
    return pages.all_spots(page)[tile_id]


def state(hands):
    return hands.parts.engine.state


def playing(hands) -> list[str]:
    """What is on, and is not on its way out."""
    return [p.ref.id for p in state(hands).players if not (p.releasing or p.lifts)]


def centre(grid, tile_id: str) -> QPointF:
    return QPointF(grid.rect_of(grid.spots[tile_id]).center())


# arranging


def test_tiles_are_dragged_sized_and_nudged_and_nothing_plays_meanwhile(hands, perform):
    hands.click(perform.arrange_button)
    assert perform.banner.isVisible()
    pane, grid = perform.arranger.panes[0], perform.view.grids[""]
    wide, tall = grid.cell
    start = centre(grid, "dots-pad")
    hands.drag(pane, start, start + QPointF(2 * wide, 2 * tall))
    assert spot_of(hands, "dots-pad") == Spot(2, 4, 2, 2)
    # whoever lay there made room
    assert spot_of(hands, "safe-look").y >= 6
    assert not state(hands).players
    hands.parts.document.undo()
    assert spot_of(hands, "dots-pad") == Spot(0, 2, 2, 2)
    pane, grid = perform.arranger.panes[0], perform.view.grids[""]
    corner = QPointF(grid.rect_of(grid.spots["cello-pad"]).bottomRight()) - QPointF(
        5, 5
    )
    hands.click(pane, centre(grid, "cello-pad"))
    hands.drag(pane, corner, corner + QPointF(0, tall))
    assert spot_of(hands, "cello-pad") == Spot(10, 0, 2, 3)
    pane = perform.arranger.panes[0]
    QTest.keyClick(pane, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert spot_of(hands, "cello-pad") == Spot(10, 0, 1, 3)
    QTest.keyClick(perform.arranger.panes[0], Qt.Key.Key_Right)
    assert spot_of(hands, "cello-pad") == Spot(11, 0, 1, 3)
    QTest.keyClick(perform.arranger.panes[0], Qt.Key.Key_Escape)
    assert not perform.banner.isVisible()
    hands.click(perform.tiles["cello-pad"])
    hands.until(lambda: playing(hands) == ["cello"])


def test_a_drag_is_taken_back_by_escape(hands, perform):
    perform.arrange(True)
    pane, grid = perform.arranger.panes[0], perform.view.grids[""]
    start, before = centre(grid, "dots-pad"), hands.parts.document.show
    hands.drag(pane, start, start + QPointF(300, 200), release=False)
    QTest.keyClick(pane, Qt.Key.Key_Escape)
    QTest.mouseRelease(pane, Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
    assert hands.parts.document.show is before
    assert perform.banner.isVisible()


def test_several_are_aligned_made_alike_copied_and_taken_off(hands, perform):
    perform.arrange(True)
    arranger = perform.arranger
    pane, grid = arranger.panes[0], perform.view.grids[""]
    hands.click(pane, centre(grid, "cello-pad"))
    hands.click(
        pane, centre(grid, "haze-fader"), keys=Qt.KeyboardModifier.ControlModifier
    )
    assert arranger.chosen == ("cello-pad", "haze-fader")
    hands.press(perform.inspector, "As large as the first")
    assert spot_of(hands, "haze-fader").h == 2
    hands.press(perform.inspector, "To the left edge")
    left = {spot_of(hands, tile).x for tile in ("cello-pad", "haze-fader")}
    assert len(left) == 1
    count = len(perform.tiles)
    QTest.keyClick(arranger.panes[0], Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert len(perform.tiles) == count + 2
    assert set(arranger.chosen).isdisjoint({"cello-pad", "haze-fader"})
    QTest.keyClick(arranger.panes[0], Qt.Key.Key_Delete)
    assert len(perform.tiles) == count
    hands.click(perform.tidy_button)
    page = hands.parts.document.show.pages["low-tide"]
    spots = list(pages.all_spots(page).values())
    assert not any(a.overlaps(b) for n, a in enumerate(spots) for b in spots[:n])


def test_a_frame_chooses_and_the_keys_go_from_tile_to_tile(hands, perform):
    perform.arrange(True)
    pane, arranger = perform.arranger.panes[0], perform.arranger
    QTest.keyClick(pane, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert set(arranger.chosen) == set(perform.tiles)
    QTest.keyClick(pane, Qt.Key.Key_Tab)
    assert len(arranger.chosen) == 1
    grid = perform.view.grids[""]
    low = QPointF(grid.width() - 4, grid.height() - 4)
    hands.drag(pane, low, QPointF(grid.rect_of(grid.spots["haze-fader"]).center()))
    assert arranger.chosen == ("haze-fader",)


def test_what_is_said_of_a_tile_is_changed(hands, perform):
    perform.arrange(True)
    perform.arranger.choose(("cello-pad",))
    fields, form = perform.inspector.fields, perform.inspector

    def tile():
        return hands.parts.document.show.tile("cello-pad")[1]

    hands.type(fields["name"], "Solo")
    assert perform.tiles["cello-pad"].name == "Solo"
    hands.type(form.fields["note"], "One cello")
    hands.type(form.fields["fade_in"], "7.5")
    assert (tile().fade_in, tile().fade_out) == (7.5, None)
    hands.click(form.fields["ask"], QPoint(8, 8))
    hands.click(form.fields["protected"], QPoint(8, 8))
    hands.select(form.fields["action"], "On only")
    hands.click(form.fields["add part"])
    perform.shelf.list.choose(Ref("scene", "dots"))
    hands.click(perform.shelf.join_button)
    assert [part.ref.id for part in tile().plays] == ["cello", "dots"]
    assert (tile().ask, tile().protected, tile().action) == (True, True, "on")
    perform.arrange(False)
    hands.click(perform.tiles["cello-pad"])
    hands.until(lambda: perform.tiles["cello-pad"].asking)
    hands.click(perform.tiles["cello-pad"])
    hands.until(lambda: set(playing(hands)) == {"cello", "dots"})
    assert state(hands).player("tile:cello-pad").fades.fade_in == 7.5


def test_the_page_says_what_it_opens_with_and_the_show_too(hands, perform, node):
    hands.click(perform.tiles["cello-pad"])
    hands.until(lambda: playing(hands) == ["cello"])
    perform.arrange(True)
    takes = [
        b
        for b in perform.page_form.findChildren(type(perform.arrange_button))
        if b.text() == "As it is on now" and b.isVisible()
    ]
    hands.click(takes[0])
    page = hands.parts.document.show.pages["low-tide"]
    assert page.opens == (Start(to_tile("cello-pad")),)
    hands.click(hands.button(perform.page_form, "Add a section"))
    assert [s.name for s in hands.parts.document.show.pages["low-tide"].sections] == [
        "Section"
    ]
    hands.type(perform.page_form.columns, "8")
    assert hands.parts.document.show.pages["low-tide"].columns == 8
    spots = pages.all_spots(hands.parts.document.show.pages["low-tide"])
    assert max(s.x + s.w for s in spots.values()) <= 8
    perform.arrange(False)
    perform.open("open-mic")
    hands.parts.engine.release()
    hands.until(lambda: not playing(hands))
    perform.open("low-tide")
    hands.until(lambda: playing(hands) == ["cello"])


def test_a_section_folds_and_opens(hands, band):
    head = band.view.heads["moving"]
    tile = band.tiles["band-swell"]
    assert tile.isVisible()
    hands.click(head)
    assert not tile.isVisible()
    QTest.keyClick(head, Qt.Key.Key_Space)
    assert tile.isVisible()


def test_an_event_is_made_from_another(hands, perform, answers):
    answers.append("Harbour day")
    perform.event_name = "Open mic hour"
    perform.fill_events()
    index = perform.events.findText("New event…")
    perform.events.setCurrentIndex(index)
    perform.events.activated.emit(index)
    show = hands.parts.document.show
    copied = pages.pages_of(show, "Harbour day")
    assert [page.name for page in copied] == ["Open mic", "Band"]
    assert len(set(pages.tile_ids(show))) == len(pages.tile_ids(show))
    assert perform.page_id == copied[0].id
    assert [page.name for page in perform.pages()] == ["Open mic", "Band"]


# adding and dropping


def test_every_kind_of_tile_is_put_on_a_page_and_drawn(hands, perform):
    """The first of each sort on the shelf, as all that it can be."""
    perform.new_page()
    hands.click(perform.add_button)
    shelf = perform.shelf
    hands.until(shelf.isVisible)
    stack = Ref("stack", "last-ferry")
    assert stack in [offer.ref for offer in shelf.list.offers.offers]

    first: dict[Sort, Ref] = {}
    for offer in shelf.list.offers.offers:
        first.setdefault(offer.sort, offer.ref)
    plain = [Ref("plain", key) for key in ("tempo", "clock", "label")]
    groups = [Ref(GROUP, "pars"), Ref(GROUP, "spots")]
    for ref in (*first.values(), *groups, stack, *plain):
        shelf.list.choose(ref)
        for _, way in list(shelf.way.entries):
            shelf.way.pick(way)
            before = len(perform.tiles)
            hands.click(shelf.put_button)
            hands.until(lambda n=before: len(perform.tiles) > n)
    kinds = {widget.tile.kind for widget in perform.tiles.values()}
    assert kinds >= {"pad", "flash", "fader", "choice", "dial", "colour", "aim"}
    assert kinds >= {"master", "tempo", "clock", "label", "deed"}
    for widget in perform.tiles.values():
        assert not widget.grab().isNull()
        assert widget.name


def put(hands, perform, ref: Ref, way: As = As.FIT) -> None:
    """Put something on the page from the shelf."""
    if not perform.arranger.on:
        perform.arrange(True)
    perform.arranger.choose(())
    shelf = perform.shelf
    hands.until(shelf.isVisible)
    shelf.list.choose(ref)
    shelf.way.pick(way)
    hands.click(shelf.put_button)


def drop(hands, perform, ref: Ref, point: QPointF) -> None:
    data: QMimeData = carry(ref)
    there = QPointF(perform.view.body.mapTo(perform, point.toPoint()))
    event = QDropEvent(
        there,
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    perform.dropEvent(event)


def test_what_is_dropped_becomes_the_tile_that_fits(hands, perform):
    perform.new_page()
    show = hands.parts.document.show
    palette = next(p for p in show.palettes.values() if p.family == "colour")
    pars = next(g for g in show.groups.values() if g.name == "Pars")
    front = next(g for g in show.groups.values() if g.name == "Front")
    point = QPointF(300, 200)
    for ref in (
        Ref("scene", "cello"),
        Ref(PALETTE, palette.id),
        Ref(GROUP, pars.id),
        Ref(GROUP, front.id),
        Ref(FIXTURE, "spot-1"),
    ):
        drop(hands, perform, ref, point)
    kinds = [widget.tile.kind for widget in perform.tiles.values()]
    assert kinds == ["pad", "pad", "colour", "master", "colour"]
    by_palette = list(perform.tiles.values())[1].tile
    given = hands.parts.document.show.playables[by_palette.plays[0].ref.id]
    assert (given.kind, given.palette) == ("given", palette.id)
    first = next(iter(perform.tiles.values()))
    assert first.tile.spot is not None
    assert first.tile.spot.x > 0


# playing


def test_a_choice_goes_to_what_is_pressed_and_by_arrows(hands, band):
    tile = band.tiles["band-looks"]

    def cell(number: int) -> QPointF:
        return dict(tile.cells())[number].center()

    hands.click(tile, cell(1))
    hands.until(lambda: tile.index == 1)
    assert playing(hands) == ["stage-blue"]
    QTest.keyClick(tile, Qt.Key.Key_Right)
    hands.until(lambda: tile.index == 2)
    hands.click(tile, cell(-1))
    hands.until(lambda: tile.index is None and not playing(hands))
    assert tile.accessibleName() == "Stage"


def test_a_flash_is_on_while_it_is_held_by_mouse_or_key(hands, band):
    tile = band.tiles["band-front"]
    QTest.mousePress(tile, Qt.MouseButton.LeftButton)
    hands.until(lambda: playing(hands) == ["front-wash"])
    assert state(hands).players[0].held
    QTest.mouseRelease(tile, Qt.MouseButton.LeftButton)
    hands.until(lambda: not state(hands).players)
    key = tile.property("key")
    alt = Qt.KeyboardModifier.AltModifier
    QTest.keyPress(hands.window, Qt.Key.Key_Alt)
    assert {w.key for w in band.tiles.values() if w.plays_by_key} == {
        w.property("key") for w in band.tiles.values() if w.plays_by_key
    }
    QTest.keyPress(hands.window, Qt.Key(ord(key)), alt)
    hands.until(lambda: playing(hands) == ["front-wash"])
    QTest.keyRelease(hands.window, Qt.Key(ord(key)), alt)
    hands.until(lambda: not state(hands).players)
    QTest.keyRelease(hands.window, Qt.Key.Key_Alt)
    assert not any(w.key for w in band.tiles.values())


def test_a_flash_ends_when_its_page_changes_or_its_window_dies(hands, band):
    tile = band.tiles["band-front"]
    QTest.mousePress(tile, Qt.MouseButton.LeftButton)
    hands.until(lambda: playing(hands) == ["front-wash"])
    band.go("low-tide")
    hands.until(lambda: not playing(hands))
    other = engine_client.Client()
    other.wait_for(protocol.Welcome, 60.0)
    other.send(Do(to_tile("band-front"), Verb.PRESS, 1.0, Edge.DOWN))
    hands.until(lambda: playing(hands) == ["front-wash"])
    other.close()  # as a window that is killed
    hands.until(lambda: not playing(hands))


def test_a_flash_on_a_controller_ends_with_it(hands, band, controller):
    control = midi_control("Practice controller", "note", 0, 47)
    show = edits.learn(hands.parts.document.show, control, to_tile("band-front"))
    hands.parts.document.edit("learn", show)
    hands.until(lambda: any(hands.parts.engine.ports.ports.values()))
    hands.heeded()
    controller.hit_pad(47 - 36)
    hands.until(lambda: playing(hands) == ["front-wash"])
    controller.close()
    hands.until(lambda: not playing(hands))


def test_a_dial_is_dragged_typed_and_put_back(hands, band):
    swell, dial = band.tiles["band-swell"], band.tiles["band-rate"]
    hands.until(lambda: not dial.drives)
    hands.click(swell)
    hands.until(lambda: dial.drives and dial.figures() == "×1")
    middle = QPointF(dial.rect().center())
    hands.drag(dial, middle, middle - QPointF(0, 45))

    def rate() -> float:
        return next(p.rate for p in state(hands).players if p.ref.id == "swell")

    hands.until(lambda: rate() > 1.5)
    assert dial.figures() == f"×{rate():.2f}".rstrip("0").rstrip(".")
    dial.setFocus()
    QTest.keyClicks(dial, "3")
    editor = dial.findChild(QLineEdit)
    QTest.keyClick(editor, Qt.Key.Key_Return)
    hands.until(lambda: rate() == pytest.approx(3.0))
    QTest.mouseDClick(dial, Qt.MouseButton.LeftButton)
    hands.until(lambda: rate() == 1.0)


def test_a_dial_of_lamps_shows_what_they_have_until_it_is_turned(hands, band):
    dial = band.tiles["band-strobe"]
    hands.until(lambda: dial.stage_value is not None)
    assert dial.figures() == "0.0 Hz"
    dial.setFocus()
    QTest.keyClick(dial, Qt.Key.Key_Up)
    hands.until(lambda: state(hands).live)
    assert dial.stage_value is None
    hands.until(lambda: dial.figures() != "0.0 Hz")
    dial.do(Verb.STORED)
    hands.until(lambda: not state(hands).live)


def test_a_colour_and_an_aim_are_given_live_and_let_go(hands, band):
    colour, aim = band.tiles["band-colour"], band.tiles["band-aim"]
    hands.click(colour, QPoint(30, 30))
    hands.until(lambda: [h.id for h in state(hands).live] == ["band-colour"])
    assert set(state(hands).live[0].look) == {f"par-{n}" for n in range(1, 9)}
    mark = hands.parts.document.show.marks["centre"]
    spot = aim.pad.to_screen(mark.x, mark.y) + QPointF(aim.pad.pos())
    hands.click(aim, spot)
    hands.until(lambda: len(state(hands).live) == 2)
    given = {h.id: h.look for h in state(hands).live}["band-aim"]
    assert {v["Pan"] for v in given.values()} == {"mark:centre"}
    for tile in (colour, aim):
        tile.do(Verb.RELEASE)
    hands.until(lambda: not state(hands).live)


def test_two_fingers_play_two_tiles_at_once(hands, band):
    """One holds a flash down while the other pushes a fader up."""
    body, flash, fader = (
        band.view.body,
        band.tiles["band-front"],
        band.tiles["band-faces"],
    )
    screen = QTest.createTouchDevice(QPointingDevice.DeviceType.TouchScreen)

    def on(widget, x: int, y: int) -> QPoint:
        return widget.mapTo(body, QPoint(x, y))

    low, high = on(fader, 30, 250), on(fader, 30, 160)
    QTest.touchEvent(body, screen).press(0, on(flash, 40, 40), body).commit()
    hands.until(lambda: playing(hands) == ["front-wash"])
    QTest.touchEvent(body, screen).stationary(0).press(1, low, body).commit()
    QTest.touchEvent(body, screen).stationary(0).move(1, high, body).commit()
    hands.until(lambda: fader.level > 0.3)
    assert len(state(hands).players) == 2
    event = QTest.touchEvent(body, screen)
    event.release(0, on(flash, 40, 40), body).release(1, high, body).commit()
    hands.until(lambda: [p.id for p in state(hands).players] == ["tile:band-faces"])


def test_an_override_takes_hold_in_mid_show_and_lets_go(hands, perform, node):
    """House lights at a fifth below a blackout; the override has them at .6 at once,
    and lets them go back to dark.
    """
    show = hands.parts.document.show
    override = show.masters["house-override"]
    assert isinstance(override, Override)
    perform.go("band")
    tile = perform.tiles["band-house"]
    hands.parts.engine.set_blackout(True)
    tile.fader.setFocus()
    QTest.keyClick(tile.fader, Qt.Key.Key_6)
    hands.until(lambda: perform.parts.engine.state.masters.grips)
    hands.until(lambda: tile.weight == 1.0)
    heading = hands.window.heading
    assert heading.held.isVisible()
    assert "1 override" in heading.held.text()
    house = next(f for f in show.fixtures.values() if f.name.startswith("House"))
    hands.until(lambda: node_level(node, house) == 153)
    QTest.mouseDClick(tile, Qt.MouseButton.LeftButton, pos=QPoint(20, 10))
    hands.until(lambda: not state(hands).masters.grips)
    hands.until(lambda: node_level(node, house) == 0)
    assert not heading.held.isVisible()


def node_level(node, fixture) -> int:
    return values(node, fixture.universe)[fixture.address - 1]


def test_a_singers_two_lamps_go_aside_and_come_back(hands, perform, node):
    """Chosen in the picture, taken aside, dimmed; a look reaches them no more; marked
    and counted; kept as a tile; back.
    """
    show = hands.parts.document.show
    hands.click(perform.tiles["front-wash-fader"].fader)
    hands.parts.engine.set_level("front-wash-fader", 1.0)
    lamps = ["front-3", "front-4"]
    spot = perform.stage.point_of("front-3")
    hands.click(perform.stage, spot)
    hands.until(lambda: "front-3" in hands.parts.selection.chosen)
    hands.until(
        lambda: [x.source for x in perform.lamp.layers()] == ["scene Front wash"]
    )
    hands.parts.selection.choose(lamps)
    hands.click(perform.lamp.take)
    hands.until(lambda: set(state(hands).aside) == set(lamps))
    assert perform.aside.isVisible()
    assert "2 aside" in hands.window.heading.held.text()
    assert set(perform.stage.held.lamps) == set(lamps)
    hands.type(perform.aside.level, "40")
    third = show.fixtures["front-3"]
    hands.until(lambda: node_level(node, third) == 102)
    hands.parts.engine.set_level("front-wash-fader", 0.2)
    first = show.fixtures["front-1"]
    wash = show.playables["front-wash"].look
    low = round(255 * 0.2 * wash["front-1"]["Dimmer"])
    hands.until(lambda: abs(node_level(node, first) - low) <= 1)
    assert node_level(node, third) == 102
    hands.parts.draft.touch({"front-3": {"Dimmer": 0.5}})
    hands.until(lambda: node_level(node, third) == 128)
    assert not hands.parts.draft.look
    hands.click(perform.aside.keep)
    kept = [w for w in perform.tiles.values() if w.tile.kind == "aside"]
    assert set(kept[0].tile.look) == set(lamps)
    hands.click(perform.aside.back)
    hands.until(lambda: not state(hands).asides)
    low = round(255 * 0.2 * wash["front-3"]["Dimmer"])
    hands.until(lambda: abs(node_level(node, third) - low) <= 1)
    hands.click(kept[0])
    hands.until(lambda: set(state(hands).aside) == set(lamps))


def test_what_lights_a_lamp_leads_to_its_tile(hands, perform):
    perform.go("open-mic")
    hands.parts.engine.press("cello-pad")
    hands.until(lambda: playing(hands) == ["cello"])
    lit = next(iter(hands.parts.document.show.playables["cello"].look))
    hands.parts.selection.choose([lit])
    hands.until(lambda: perform.lamp.layers())
    perform.lamp.wanted.emit(perform.lamp.layers()[0].target)
    assert perform.page_id == "low-tide"
    hands.until(lambda: perform.tiles["cello-pad"].hasFocus())


def test_what_is_on_is_ordered_dimmed_and_taken_back(hands, perform):
    for tile in ("cello-pad", "dots-pad"):
        hands.click(perform.tiles[tile])
        hands.until(lambda t=tile: f"tile:{t}" in perform.on_now.rows)
    assert list(perform.on_now.rows) == ["tile:dots-pad", "tile:cello-pad"]
    row = perform.on_now.rows["tile:cello-pad"]
    next(a for a in row.menu().actions() if a.text() == "Up by one").trigger()
    hands.until(lambda: next(iter(perform.on_now.rows)) == "tile:cello-pad")
    hands.type(perform.on_now.rows["tile:cello-pad"].level, "30")
    hands.until(lambda: state(hands).player("tile:cello-pad").level == 0.3)
    hands.click(perform.on_now.all)
    hands.until(lambda: not playing(hands))
    hands.click(perform.on_now.back)
    hands.until(lambda: set(playing(hands)) == {"cello", "dots"})


def test_one_key_brings_the_safe_look(hands, perform):
    hands.click(perform.tiles["spring-tide-pad"])
    hands.until(lambda: playing(hands) == ["spring-tide"])
    keys = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(hands.window, Qt.Key.Key_Home, keys)
    hands.until(lambda: set(playing(hands)) == {"stage-warm", "front-wash"})
    QTest.keyClick(hands.window, Qt.Key.Key_Backspace, keys)
    hands.until(lambda: not playing(hands))
    QTest.keyClick(
        hands.window, Qt.Key.Key_Backspace, Qt.KeyboardModifier.ControlModifier
    )
    hands.until(lambda: set(playing(hands)) == {"stage-warm", "front-wash"})


def test_a_page_in_a_second_window_plays_the_same(hands, perform):
    window = perform.open_window("open-mic")
    QTest.qWaitForWindowExposed(window)
    hands.click(window.view.tiles["mic-warm"])
    hands.until(lambda: playing(hands) == ["stage-warm"])
    hands.until(lambda: window.view.tiles["mic-warm"].level == 1.0)
    perform.go("open-mic")
    hands.until(lambda: perform.tiles["mic-warm"].level == 1.0)
    show = edits.drop(hands.parts.document.show, "pages", ["open-mic"])
    hands.parts.document.edit("delete the page", show)
    hands.until(lambda: not window.isVisible())
    assert perform.page_id == "low-tide"


def test_a_page_too_large_for_the_window_scrolls(hands, perform):
    tiles = tuple(
        Pad(
            id=f"many-{n}", plays=parts(Ref("scene", "dots")), spot=Spot(0, 4 * n, 2, 4)
        )
        for n in range(12)
    )
    page = edits.replace(hands.parts.document.show.pages["low-tide"], tiles=tiles)
    show = edits.put(hands.parts.document.show, "pages", page)
    hands.parts.document.edit("many tiles", show)
    hands.until(lambda: "many-11" in perform.tiles)
    hands.until(lambda: perform.view.verticalScrollBar().maximum() > 0)
    assert min(w.height() for w in perform.tiles.values()) >= 48


def test_the_page_that_was_played_is_there_after_the_window_was_closed(demo_path, node):
    """Tiles of every kind come back with the state of the engine that went on."""
    hands = open_window(demo_path)
    perform = hands.place("perform")
    perform.go("band")
    hands.click(perform.tiles["band-singer"])
    hands.until(lambda: len(state(hands).aside) == 2)
    perform.tiles["band-size"].set_share(0.4)
    leave(hands)
    client = engine_client.connect(60)
    again = open_window(demo_path, client)
    try:
        assert len(state(again).aside) == 2
        assert again.window.heading.held.isVisible()
    finally:
        end(again)


def test_the_menu_of_a_tile_sets_its_fade_and_drives_it(hands, band):
    hands.click(band.tiles["band-swell"])
    hands.until(lambda: playing(hands) == ["swell"])
    menu = band.tile_menu("band-swell")
    next(a for a in menu.actions() if a.text() == "Twice as fast").trigger()
    hands.until(lambda: state(hands).players[0].rate == 2.0)
    next(a for a in menu.actions() if a.text() == "As it is kept").trigger()
    hands.until(lambda: state(hands).players[0].rate == 1.0)
    hands.parts.engine.send(Do(to_tile("band-swell"), Verb.FADE, 0.0))
    hands.until(lambda: state(hands).fade_times == {"band-swell": 0.0})
    pick(hands, lambda: menu.popup(QPoint(10, 10)), "Let it go")
    hands.until(lambda: not state(hands).players)


def test_a_tile_keeps_its_kind_of_ground(hands, perform):
    """A choice takes another look in; a fader plays one thing more."""
    perform.new_page()
    perform.add(
        Choice(id="c", plays=parts(Ref("scene", "cello")), spot=Spot(0, 0, 6, 2))
    )
    perform.add(Fader(id="f", plays=parts(Ref("scene", "dots")), spot=Spot(6, 0, 2, 4)))
    perform.add(Flash(id="z", plays=parts(Ref("scene", "dots")), spot=Spot(8, 0, 2, 2)))
    QApplication.processEvents()
    grid = perform.view.grids[""]
    drop(hands, perform, Ref("scene", "haze"), centre(grid, "c"))
    assert len(perform.tiles["c"].tile.plays) == 2
    drop(hands, perform, Ref("scene", "haze"), centre(perform.view.grids[""], "f"))
    assert [w.tile.kind for w in perform.tiles.values()].count("fader") == 1
    plays = [part.ref.id for part in perform.tiles["f"].tile.plays]
    assert plays == ["dots", "haze"]


def test_a_control_that_is_to_be_learnt_does_not_do_its_old_deed(
    hands, perform, controller
):
    """The pad that presses Slack Water is taught to another tile: nothing is pressed
    meanwhile.
    """
    hands.until(lambda: any(hands.parts.engine.ports.ports.values()))
    hands.window.learner.start(to_tile("dots-pad"))
    hands.heeded()
    controller.hit_pad(0)
    hands.until(lambda: hands.window.learner.target is None)
    hands.heeded()
    assert not state(hands).players
    controller.let_pad(0)
    controller.hit_pad(0)
    hands.until(lambda: playing(hands) == ["dots"])


def test_groups_lamps_and_palettes_are_dragged_out_of_their_lists(hands, monkeypatch):
    carried: list[list[Ref]] = []
    monkeypatch.setattr(DragsOut, "begin", lambda _, refs: carried.append(list(refs)))
    compose = hands.place("compose")
    who = compose.who
    item = who.groups.item(0)
    point = QPointF(who.groups.visualItemRect(item).center())
    hands.drag(who.groups, point, point + QPointF(60, 0))
    hands.parts.selection.choose(["par-1", "par-2"])
    row = next(
        who.fixtures.item(n)
        for n in range(who.fixtures.count())
        if who.fixtures.item(n).isSelected()
    )
    who.fixtures.scrollToItem(row)
    point = QPointF(who.fixtures.visualItemRect(row).center())
    hands.drag(who.fixtures, point, point + QPointF(60, 0))
    first = next(iter(hands.parts.document.show.groups))
    assert carried == [
        [Ref(GROUP, first)],
        [Ref(FIXTURE, "par-1"), Ref(FIXTURE, "par-2")],
    ]


def test_a_group_and_a_tile_go_aside(hands, perform):
    menu = perform.aside_menu()
    next(a for a in menu.actions() if a.text() == "Washes").trigger()
    hands.until(lambda: len(state(hands).aside) == 2)
    menu = perform.tile_menu("dots-pad")
    next(a for a in menu.actions() if a.text() == "Take its fixtures aside").trigger()
    hands.until(lambda: len(state(hands).aside) == 22)
    next(
        a for a in perform.aside_menu().actions() if a.text() == "Bring all back"
    ).trigger()
    hands.until(lambda: not state(hands).asides)


def test_a_label_gets_a_picture_from_a_file(hands, perform, tmp_path):
    image = QImage(40, 30, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.red)
    image.save(str(tmp_path / "poster.png"))
    (tmp_path / "no.png").write_text("no picture")
    tile = perform.add(LabelTile(id="poster"))
    perform.arrange(True)
    perform.arranger.choose((tile,))
    before = hands.parts.document.show
    perform.inspector.take_picture(tmp_path / "no.png")
    hands.until(lambda: not perform.inspector.work.busy)
    assert hands.parts.document.show is before
    perform.inspector.take_picture(tmp_path / "poster.png")
    hands.until(lambda: hands.parts.document.show.pictures)
    assert not perform.tiles[tile].picture.isNull()
    middle = perform.tiles[tile].grab().toImage()
    assert middle.pixelColor(middle.width() // 2, middle.height() // 2).red() > 200


def test_a_master_shows_where_its_level_lands(hands, perform):
    """The pars at .8 below a group master at half land at .4; below an override at .3
    the house lands there.
    """
    perform.go("band")
    pars = perform.tiles["band-pars"]
    hands.parts.draft.touch({f"par-{n}": {"Dimmer": 0.8} for n in range(1, 9)})
    hands.until(lambda: pars.landed is not None and abs(pars.landed - 0.8) < 0.02)
    hands.parts.engine.set_level("band-pars", 0.5)
    hands.until(lambda: abs(pars.landed - 0.4) < 0.02)
    hands.parts.engine.set_level("band-house", 0.3)
    house = perform.tiles["band-house"]
    hands.until(lambda: house.landed is not None and abs(house.landed - 0.3) < 0.02)


def test_everything_for_all_that_plays_can_be_learnt(hands, controller):
    surfaces = hands.place("surfaces")
    hands.until(lambda: any(hands.parts.engine.ports.ports.values()))
    deed = to_deed("safe")
    hands.until(lambda: deed in surfaces.targets)
    hands.click(surfaces.targets[deed].learn)
    hands.until(lambda: hands.window.learner.target == deed)
    hands.heeded()
    controller.hit_pad(13)
    hands.until(lambda: hands.window.learner.target is None)
    hands.heeded()
    controller.let_pad(13)
    controller.hit_pad(13)
    hands.until(lambda: set(playing(hands)) == {"stage-warm", "front-wash"})


def test_a_page_for_an_unknown_band_from_a_rig_with_nothing_programmed(
    hands, perform, node
):
    """Three looks kept, dropped on a new page as a choice; a flash, a colour, masters and
    the tempo from the menu; tidied; played.
    """
    show = hands.parts.document.show
    bare = edits.replace(show, playables={}, pages={}, inputs={}, opens=(), safe=())
    hands.parts.document.edit("nothing programmed", bare)
    hands.until(lambda: not perform.tiles)
    looks = {"Warm": (1.0, 0.6, 0.2), "Cold": (0.2, 0.5, 1.0), "Red": (1.0, 0.0, 0.0)}
    pars = [f"par-{n}" for n in range(1, 9)]
    for name, rgb in looks.items():
        colour = dict(zip(at.TARGET_COLOUR, rgb, strict=True))
        hands.parts.draft.touch({lamp: {"Dimmer": 0.9, **colour} for lamp in pars})
        made, ref = edits.keep_scene(
            hands.parts.document.show, name, hands.parts.draft.look, 1.0, 1.0
        )
        hands.parts.draft.store(f"keep {name}", made)
        assert ref.id == name.lower()
    hands.press(perform, "New page")
    drop(hands, perform, Ref("scene", "warm"), QPointF(60, 60))
    warm = next(iter(perform.tiles))
    put(hands, perform, Ref("scene", "cold"), As.CHOICE)
    choice = list(perform.tiles)[-1]
    for scene in ("warm", "red"):
        grid = perform.view.grids[""]
        drop(hands, perform, Ref("scene", scene), centre(grid, choice))
    put(hands, perform, Ref("scene", "red"), As.FLASH)
    put(hands, perform, Ref("group", "pars"), As.COLOUR)
    put(hands, perform, Ref("group", "pars"), As.MASTER)
    put(hands, perform, Ref("plain", "tempo"))
    perform.arranger.choose((warm,))
    QTest.keyClick(perform.arranger.panes[0], Qt.Key.Key_Delete)
    hands.click(perform.tidy_button)
    perform.arrange(False)
    kinds = [w.tile.kind for w in perform.tiles.values()]
    assert kinds == ["choice", "flash", "colour", "master", "tempo"]
    tile = perform.tiles[choice]
    hands.click(tile, dict(tile.cells())[1].center())
    hands.until(lambda: playing(hands) == ["warm"])
    first = hands.parts.document.show.fixtures["par-1"]
    hands.until(lambda: node_level(node, first) == 230)


def test_lamps_in_the_hand_are_marked_wherever_lamps_are(hands, perform):
    """In the picture, the plan, the list of lamps and the hang list."""
    hands.parts.engine.take_aside(["par-1"])
    hands.parts.engine.set_level("band-house", 0.5)
    hands.until(lambda: len(perform.stage.held.lamps) == 3)
    marks = perform.stage.held.lamps
    assert marks == {"par-1": ASIDE, "house-1": GRIPPED, "house-2": GRIPPED}
    compose = hands.place("compose")
    assert compose.who.fixtures.itemDelegate().held.lamps == marks
    rig = hands.place("rig")
    assert rig.plan.held.lamps == marks
    rig.go(2)
    model = rig.table.model
    name = [title for title, *_ in COLUMNS].index("Name")
    row = model.ids.index("par-1")
    picture = model.data(model.index(row, name), Qt.ItemDataRole.DecorationRole)
    assert not picture.isNull()
    other = model.index(model.ids.index("par-2"), name)
    assert model.data(other, Qt.ItemDataRole.DecorationRole) is None
    hands.parts.engine.bring_back()
    hands.until(lambda: "par-1" not in rig.plan.held.lamps)


def test_twelve_pages_are_reached_by_arrows_wheel_and_a_list(hands):
    """However many there are, *New page* is in sight, and so is the page that is
    seen.
    """
    show = hands.parts.document.show
    more = [Page(id=f"more-{n}", name=f"A page of the evening, {n}") for n in range(12)]
    hands.parts.document.edit("more", edits.put(show, "pages", *more))
    perform = hands.place("perform")
    tabs = perform.tabs
    hands.until(tabs.after.isVisible, 5.0, "no arrow where not all tabs fit")
    new = perform.new_button
    assert not new.visibleRegion().isEmpty()
    assert tabs.geometry().right() <= new.geometry().left()

    last = tabs.by_page["more-11"]
    assert last.visibleRegion().isEmpty()
    for _ in range(20):
        hands.click(tabs.after)
    hands.until(lambda: not last.visibleRegion().isEmpty())
    assert not tabs.after.isEnabled()
    wheel = QWheelEvent(
        QPointF(5, 5),
        QPointF(5, 5),
        QPoint(0, 0),
        QPoint(0, 120),
        Qt.MouseButton.NoButton,
        Qt.KeyboardModifier.NoModifier,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    for _ in range(20):
        QApplication.sendEvent(tabs, wheel)
    assert last.visibleRegion().isEmpty()

    names = [action.text() for action in tabs.menu().actions()]
    assert names == [page.name for page in perform.pages()]
    next(a for a in tabs.menu().actions() if a.text().endswith(", 11")).trigger()
    assert perform.page_id == "more-11"
    hands.until(lambda: not last.visibleRegion().isEmpty())
