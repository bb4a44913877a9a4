"""The shelf beside a page that is arranged, and a show that is young, by hand."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from choreon.engine.do import Do
from choreon.formats import showfile
from choreon.model import edits, givens, offers, pages
from choreon.model.arrange import By, grouped
from choreon.model.offers import As, Sort
from choreon.model.refs import GROUP, PALETTE, Ref, to_tile
from choreon.model.tiles import Choice, ColourTile, Fader, Flash, LabelTile, Pad
from choreon.model.verbs import Verb
from choreon.ui.drags import TILES, carried_tiles
from choreon.ui.perform.putting import Carried
from choreon.ui.settings import open_settings
from choreon.ui.shows.begin import empty_show
from tests.conftest import values
from tests.journeys.conftest import end, open_window, pick

PARS, SPOTS = Ref(GROUP, "pars"), Ref(GROUP, "spots")
CELLO, DOTS, HAZE = (Ref("scene", name) for name in ("cello", "dots", "haze"))
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def perform(hands):
    """An empty page that is arranged, with the shelf beside it."""
    place = hands.place("perform")
    hands.click(place.new_button)
    hands.click(place.add_button)
    hands.until(lambda: place.arranger.on and place.shelf.isVisible())
    return place


def page_of(hands):
    place = hands.window.perform
    return hands.parts.document.show.pages[place.page_id]


def press(hands, shelf, ref: Ref, held=Qt.KeyboardModifier.NoModifier) -> None:
    """Press a line of the shelf."""
    row = shelf.list.offers.row_of(ref)
    index = shelf.list.offers.index(row)
    shelf.list.scrollTo(index)
    where = shelf.list.visualRect(index).center()
    QTest.mouseClick(shelf.list.viewport(), Qt.MouseButton.LeftButton, held, where)
    QApplication.processEvents()


def let_go(perform, point: QPointF, moves: bool = True) -> None:
    """Let what is chosen on the shelf go over a point of the page."""
    data = perform.shelf.carried()
    there = QPointF(perform.view.body.mapTo(perform, point.toPoint()))
    event = QDropEvent(
        there,
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    if moves:
        carried = perform.putting.carried(data)
        assert carried is not None
        perform.arranger.show_ghosts(*perform.putting.ghosts(carried, point))
    perform.dropEvent(event)
    QApplication.processEvents()


def cell(perform, x: float, y: float, section: str = "") -> QPointF:
    """The middle of a cell of the page."""
    grid = perform.view.grids[section]
    wide, tall = grid.cell
    return QPointF(grid.x() + (x + 0.5) * wide, grid.y() + (y + 0.5) * tall)


def over(perform, tile_id: str) -> QPointF:
    widget = perform.tiles[tile_id]
    middle = widget.rect().center()
    return QPointF(widget.mapTo(perform.view.body, middle))


# one at a time and several


def test_several_land_where_they_fall_in_the_order_in_which_they_were_chosen(
    hands, perform
):
    shelf = perform.shelf
    for ref, held in (
        (HAZE, Qt.KeyboardModifier.NoModifier),
        (CELLO, CTRL),
        (DOTS, CTRL),
    ):
        press(hands, shelf, ref, held)
    assert shelf.list.refs() == [HAZE, CELLO, DOTS]
    assert carried_tiles(shelf.carried())[0] == [HAZE, CELLO, DOTS]

    let_go(perform, cell(perform, 4, 1))
    page = page_of(hands)
    spots = pages.all_spots(page)
    assert [t.leads_to for t in page.tiles] == [(HAZE,), (CELLO,), (DOTS,)]
    lie = [(spots[t.id].x, spots[t.id].y) for t in page.tiles]
    assert lie == [(4, 1), (6, 1), (8, 1)]
    assert perform.arranger.chosen == tuple(t.id for t in page.tiles)

    # one edit, taken back by one
    hands.parts.document.undo()
    assert not page_of(hands).tiles


def test_what_is_found_by_words_is_put_by_keys_alone(hands, perform):
    shelf = perform.shelf
    shelf.search.setFocus()
    hands.until(shelf.search.hasFocus)
    QTest.keyClicks(shelf.search, "cello")
    QTest.keyClick(shelf.search, Qt.Key.Key_Return)
    assert shelf.list.hasFocus()
    QTest.keyClick(shelf.list, Qt.Key.Key_Return)
    hands.until(lambda: len(perform.tiles) == 1)
    assert page_of(hands).tiles[0].leads_to == (CELLO,)

    # Escape ends the arranging from there, and the shelf goes
    QTest.keyClick(shelf.list, Qt.Key.Key_Escape)
    hands.until(lambda: not perform.arranger.on)
    assert not shelf.isVisible()


def test_a_finger_chooses_several_and_puts_them(hands, perform):
    shelf = perform.shelf
    hands.click(shelf.several, QPoint(8, 8))
    for ref in (CELLO, DOTS, HAZE, DOTS):
        press(hands, shelf, ref)
    assert shelf.list.refs() == [CELLO, HAZE]
    hands.click(shelf.put_button)
    hands.until(lambda: len(perform.tiles) == 2)


def test_a_sort_and_a_folder_show_only_what_is_of_them(hands, perform):
    shelf = perform.shelf
    for sort in Sort:
        shelf.show_sort(sort)
        assert {offer.sort for offer in shelf.list.offers.offers} == {sort}
    shelf.show_sort(Sort.PALETTES, "Colour")
    show = hands.parts.document.show
    shown = [show.palettes[o.ref.id].family for o in shelf.list.offers.offers]
    assert set(shown) == {"colour"}
    hands.type(shelf.search, "no such thing", enter=False)
    assert shelf.none.isVisible()
    assert not shelf.list.offers.offers


# onto tiles that are there


def test_what_is_let_go_over_a_tile_joins_it(hands, perform):
    shelf = perform.shelf
    perform.add(Fader(id="f"))
    perform.add(ColourTile(id="c", of=(PARS,)))
    perform.add(LabelTile(id="l", name="Words"))
    hands.until(lambda: len(perform.tiles) == 3)

    shelf.list.choose(CELLO, DOTS)
    let_go(perform, over(perform, "f"))
    assert perform.tiles["f"].tile.leads_to == (CELLO, DOTS)
    shelf.list.choose(SPOTS)
    let_go(perform, over(perform, "c"))
    assert perform.tiles["c"].tile.leads_to == (PARS, SPOTS)
    assert len(perform.tiles) == 3

    # a label takes nothing: it lies there, and the label makes room
    let_go(perform, over(perform, "l"))
    assert len(perform.tiles) == 4


def test_the_tile_in_hand_takes_what_is_chosen_by_a_button(hands, perform):
    shelf = perform.shelf
    perform.add(Choice(id="c", plays=()))
    perform.arranger.choose(("c",))
    shelf.list.choose(CELLO, DOTS)
    hands.click(shelf.join_button)
    assert perform.tiles["c"].tile.leads_to == (CELLO, DOTS)

    perform.add(LabelTile(id="l", name="Words"))
    perform.arranger.choose(("l",))
    before = hands.parts.document.show
    hands.click(shelf.join_button)
    assert hands.parts.document.show is before
    assert hands.window.notice.isVisible()


def test_palettes_of_a_group_land_as_one_strip_and_play(hands, perform, node):
    shelf, show = perform.shelf, hands.parts.document.show
    own = [Ref(PALETTE, p.id) for p in givens.palettes_for(show, PARS, "colour")]
    shelf.show_sort(Sort.PALETTES, "Colour")
    shelf.list.choose(*own)
    shelf.of.pick(PARS)
    shelf.way.pick(As.CHOICE)
    let_go(perform, cell(perform, 0, 0))
    (strip,) = page_of(hands).tiles
    assert isinstance(strip, Choice)
    assert len(strip.plays) == len(own)

    shelf.show_sort(Sort.GROUPS)
    shelf.list.choose(PARS)
    shelf.way.pick(As.STEPS)
    hands.click(shelf.put_button)
    steps = page_of(hands).tiles[-1]
    perform.arrange(False)
    engine = hands.parts.engine
    engine.send(Do(to_tile(steps.id), Verb.STEP, 1.0))
    rust = strip.names.index("Rust")
    engine.send(Do(to_tile(strip.id), Verb.STEP, float(rust)))

    lamp = show.fixtures["par-1"]
    first = lamp.address - 1
    at_half: list[int] = []

    def is_half() -> bool:
        frame = values(node, lamp.universe)
        at_half[:] = frame[first : first + 8]
        return at_half[0] == 128  # half of 255, the dimmer of this type

    hands.until(is_half)
    engine.send(Do(to_tile(steps.id), Verb.STEP, 3.0))
    hands.until(lambda: values(node, lamp.universe)[first] == 255)


def test_a_palette_that_the_group_cannot_do_is_told_with_what_is_nearest(
    hands, perform
):
    shelf, show = perform.shelf, hands.parts.document.show
    aim = Ref(PALETTE, givens.palettes_for(show, SPOTS, "position")[0].id)
    shelf.list.choose(aim)
    shelf.of.pick(PARS)
    hands.click(shelf.put_button)
    assert hands.parts.document.show is show
    told = hands.window.notice.text.text()
    assert "Pars" in told
    assert "colour" in told


def test_what_is_dragged_from_elsewhere_and_is_no_tile_does_nothing(hands, perform):
    before = hands.parts.document.show
    for told in (
        b"",
        b"[1]",
        b"{",
        b'{"refs": [5], "way": "pad", "of": ""}',
        b'{"refs": ["scene:gone"], "way": "pad", "of": ""}',
        b'{"refs": ["scene:cello"], "way": "nothing", "of": ""}',
        b'{"refs": "scene:cello", "way": "pad", "of": "x"}',
        bytes(range(256)),
    ):
        data = QMimeData()
        data.setData(TILES, told)
        assert perform.putting.carried(data) is None, told
    assert hands.parts.document.show is before


def test_of_several_palettes_those_that_the_group_cannot_do_are_named(hands, perform):
    shelf, show = perform.shelf, hands.parts.document.show
    colour = givens.palettes_for(show, PARS, "colour")[0]
    aim = givens.palettes_for(show, SPOTS, "position")[0]
    shelf.list.choose(Ref(PALETTE, colour.id), Ref(PALETTE, aim.id))
    shelf.of.pick(PARS)
    hands.click(shelf.put_button)
    (pad,) = page_of(hands).tiles
    assert pad.name == colour.name
    told = hands.window.notice.text.text()
    assert aim.name in told
    assert colour.name not in told


def test_what_would_not_lie_where_it_is_shown_is_shown_where_it_will(hands, perform):
    """One thing from elsewhere moves nothing: over a tile that takes it not, it is
    shown, and lies, where there is room.
    """
    perform.add(LabelTile(id="l", name="Words"))
    data = Carried((CELLO,))
    section, spots = perform.putting.ghosts(data, over(perform, "l"))
    perform.putting.drop(data, over(perform, "l"))
    page = page_of(hands)
    made = page.tiles[-1]
    assert (section, spots) == ("", [pages.all_spots(page)[made.id]])
    assert pages.all_spots(page)["l"].y == 0


# several tiles at once


def test_several_tiles_change_kind_and_size_at_once_and_become_one_choice(
    hands, perform
):
    shelf = perform.shelf
    shelf.list.choose(CELLO, DOTS, HAZE)
    hands.click(shelf.put_button)
    hands.until(lambda: len(perform.tiles) == 3)
    fields = perform.inspector.fields
    hands.select(fields["kind"], "Flash")
    assert [type(t) for t in page_of(hands).tiles] == [Flash, Flash, Flash]
    hands.type(perform.inspector.fields["wide"], "3")
    hands.type(perform.inspector.fields["high"], "1")
    spots = pages.all_spots(page_of(hands)).values()
    assert {(spot.w, spot.h) for spot in spots} == {(3, 1)}

    hands.click(perform.inspector.fields["gather"])
    (strip,) = page_of(hands).tiles
    assert isinstance(strip, Choice)
    assert strip.leads_to == (CELLO, DOTS, HAZE)
    assert perform.arranger.chosen == (strip.id,)


def test_a_page_and_a_section_are_copied_for_another_group(hands, perform):
    show = hands.parts.document.show
    show, section = pages.add_section(show, perform.page_id, "Pars")
    show, tiles = offers.tiles_for(show, [PARS], As.STRIPS)
    show, _ = offers.put(show, perform.page_id, tiles, None, section)
    hands.parts.document.edit("strips", show)
    hands.until(lambda: len(perform.tiles) == len(tiles))

    def instead(dialog) -> None:
        assert not dialog.go.isEnabled()
        dialog.boxes[PARS].pick(SPOTS)
        hands.click(dialog.go)

    copy = hands.tool(perform.page_form, "Copy Pars for another group…")
    hands.in_dialog(lambda: hands.click(copy), instead)
    page = page_of(hands)
    made = page.sections[-1].id
    own = [tile for tile in page.tiles if tile.section == made]
    assert offers.groups_on(hands.parts.document.show, own) == [SPOTS]

    menu = perform.page_menu(page)
    hands.in_dialog(
        lambda: pick(hands, lambda: menu.popup(QPoint(5, 5)), "Copy for another group"),
        instead,
    )
    copied = page_of(hands)
    assert copied.id != page.id
    assert offers.groups_on(hands.parts.document.show, copied.tiles) == [SPOTS]


def test_a_page_that_plays_elsewhere_goes_on_while_tiles_are_let_go_on_it(
    hands, perform
):
    perform.arrange(False)
    perform.add(Pad(id="solo", plays=offers.parts(CELLO)))
    hands.until(lambda: "solo" in perform.tiles)
    other = perform.open_window(perform.page_id)
    hands.until(lambda: "solo" in other.view.tiles)
    hands.click(other.view.tiles["solo"])
    engine = hands.parts.engine
    hands.until(lambda: [p.ref for p in engine.state.players] == [CELLO])

    perform.arrange(True)
    perform.shelf.list.choose(DOTS, HAZE)
    let_go(perform, cell(perform, 6, 2))
    hands.until(lambda: len(other.view.tiles) == 3)
    hands.heeded()
    assert [p.ref for p in engine.state.players] == [CELLO]
    assert not any(p.releasing for p in engine.state.players)
    other.close()


def test_a_tile_let_go_below_the_last_one_is_in_sight(hands, perform):
    shelf = perform.shelf
    show = hands.parts.document.show
    scenes = [o.ref for o in offers.offers(show) if o.sort == Sort.PLAYS]
    shelf.list.choose(*scenes)
    shelf.way.pick(As.FADER)
    hands.click(shelf.put_button)
    hands.until(lambda: len(perform.tiles) == len(scenes))
    shelf.list.choose(CELLO)
    shelf.way.pick(As.FADER)
    hands.click(shelf.put_button)
    hands.until(lambda: len(perform.tiles) == len(scenes) + 1)
    last = perform.tiles[perform.arranger.chosen[0]]
    hands.until(lambda: not last.visibleRegion().isEmpty())


# a young show


@pytest.fixture
def empty(qapp, demo_path, node, quick_engines):
    """A new show in which nothing hangs, in a window."""
    path = demo_path.with_name("New.choreon")
    showfile.write(path, empty_show("New"))
    open_settings().setValue("place", "perform")  # where it was left
    made = open_window(path)
    yield made
    end(made)


def test_a_show_in_which_nothing_hangs_opens_in_the_rig_with_ways_to_begin(empty):
    # wherever it was left: nothing can be played while nothing hangs
    window = empty.window
    assert window.place == "rig"
    bar = window.rig.begin
    assert bar.isVisible()
    empty.click(bar.evening)
    assert window.evening.isVisible()
    window.evening.end()

    def sample(dialog) -> None:
        assert dialog.sample.isChecked()
        assert dialog.made().fixtures

    empty.in_dialog(lambda: empty.click(bar.sample), sample)
    empty.in_dialog(lambda: empty.click(bar.open), lambda dialog: None)


def test_from_an_empty_show_to_four_pars_and_two_heads_that_are_played(empty, node):
    """Hung, grouped by one press, and played by a page that lays itself out; nothing
    is typed but how many.
    """
    rig = empty.window.rig
    for kind, many in (("tarnby-par-7", 4), ("ostrey-spot-160", 2)):
        rig.hang.choose_type(kind)
        empty.type(rig.hang.count, str(many))
        empty.click(rig.hang.go)
    show = empty.parts.document.show
    assert len(show.fixtures) == 6
    assert rig.begin.isVisible()

    empty.click(rig.begin.groupings[By.KIND])
    groups = list(empty.parts.document.show.groups.values())
    assert sorted(len(group.fixtures) for group in groups) == [2, 4]
    # other groups are offered yet, and closed by a press
    if rig.begin.isVisible():
        empty.click(rig.begin.close_it)
    assert not rig.begin.isVisible()

    perform = empty.place("perform")
    empty.in_dialog(
        lambda: empty.click(perform.rig_button),
        lambda dialog: empty.click(dialog.go),
    )
    page = empty.parts.document.show.pages[perform.page_id]
    empty.until(lambda: len(perform.tiles) == len(page.tiles))
    fader = next(t for t in page.tiles if isinstance(t, Fader) and t.section)
    widget = perform.tiles[fader.id].fader
    middle = widget.width() / 2
    empty.drag(widget, QPointF(middle, widget.height() - 14), QPointF(middle, 14))
    state = empty.parts.engine
    empty.until(lambda: any(p.level > 0.9 for p in state.state.players))


def test_fixtures_without_groups_are_chosen_by_kind_bar_and_side_with_a_press(hands):
    parts = hands.parts
    show = parts.document.show
    parts.document.edit("no groups", edits.drop(show, "groups", list(show.groups)))
    compose = hands.place("compose")
    panel = compose.who
    hands.until(lambda: panel.groups.count() > 3)
    wanted = dict(grouped(parts.document.show, By.SIDE))
    lines = {
        panel.groups.item(n).text().split("  ·")[0]: n
        for n in range(panel.groups.count())
    }
    for name, fixtures in wanted.items():
        item = panel.groups.item(lines[name])
        panel.groups.scrollToItem(item)
        middle = panel.groups.visualItemRect(item).center()
        hands.click(panel.groups.viewport(), middle)
        assert set(parts.selection.chosen) == set(fixtures)

    # the menu keeps one
    at = panel.groups.visualItemRect(panel.groups.item(0)).center()
    pick(hands, lambda: panel.group_menu(at), "Keep as a group")
    assert len(parts.document.show.groups) == 1


def test_a_finger_chooses_moves_and_sizes_tiles_and_plays_nothing(hands, perform):
    """The whole life of a tile by touch: put, taken in hand, moved, sized, taken off."""
    shelf = perform.shelf
    shelf.list.choose(CELLO)
    hands.click(shelf.put_button)
    hands.until(lambda: len(perform.tiles) == 1)
    (tile_id,) = perform.tiles
    perform.arranger.choose(())
    screen = QTest.createTouchDevice()
    window = hands.window

    def stroke(start: QPointF, end: QPointF) -> None:
        pane = perform.arranger.panes[0]
        places = [
            pane.mapTo(window, (start + (end - start) * part).toPoint())
            for part in (0.0, 0.4, 0.8, 1.0)
        ]
        QTest.touchEvent(window, screen).press(0, places[0], window).commit()
        for place in places[1:]:
            QTest.touchEvent(window, screen).move(0, place, window).commit()
        QTest.touchEvent(window, screen).release(0, places[-1], window).commit()
        QApplication.processEvents()

    grid = perform.view.grids[""]
    wide, tall = grid.cell
    rect = grid.rect_of(grid.spots[tile_id])
    middle = QPointF(rect.center())
    stroke(middle, middle + QPointF(4 * wide, 2 * tall))
    spot = pages.all_spots(page_of(hands))[tile_id]
    assert (spot.x, spot.y) == (4, 2)
    assert perform.arranger.chosen == (tile_id,)

    rect = grid.rect_of(grid.spots[tile_id])
    corner = QPointF(rect.bottomRight()) - QPointF(6, 6)
    stroke(corner, corner + QPointF(2 * wide, tall))
    spot = pages.all_spots(page_of(hands))[tile_id]
    assert (spot.w, spot.h) == (4, 3)

    assert not hands.parts.engine.state.players
    hands.click(hands.tool(perform.inspector, "Take off the page (Delete)"))
    hands.until(lambda: not perform.tiles)
