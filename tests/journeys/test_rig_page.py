"""A page from the rig, and palettes of a group on tiles, by hand."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF
from PySide6.QtWidgets import QApplication

from choreon.engine.do import Do
from choreon.model import edits, givens, pages
from choreon.model.offers import Sort
from choreon.model.refs import GROUP, PALETTE, Ref, name_of, to_tile
from choreon.model.tiles import Choice, Fader, Pad
from choreon.model.verbs import Verb
from tests.conftest import values

PARS = Ref(GROUP, "pars")


def page_of(hands):
    perform = hands.window.perform
    return hands.parts.document.show.pages[perform.page_id]


def empty_page(hands):
    perform = hands.place("perform")
    hands.click(perform.new_button)
    hands.until(lambda: not perform.tiles)
    return perform


def par(hands, node) -> list[int]:
    lamp = hands.parts.document.show.fixtures["par-1"]
    return values(node, lamp.universe)[lamp.address - 1 : lamp.address + 7]


def row_of(shelf, n: int) -> QPoint:
    """The middle of a line of the shelf."""
    return shelf.list.visualRect(shelf.list.offers.index(n)).center()


def test_from_an_empty_page_to_playing_by_it(hands, node):
    perform = empty_page(hands)
    before = len(hands.parts.document.show.playables)

    def answer(dialog) -> None:
        assert len(dialog.picture.page.tiles) > 30
        hands.click(dialog.flashes)
        hands.click(dialog.groups[Ref(GROUP, "house")])
        hands.click(dialog.go)

    hands.in_dialog(lambda: hands.click(perform.rig_button), answer)
    page = page_of(hands)
    hands.until(lambda: len(perform.tiles) == len(page.tiles))
    assert not perform.rig_button.isVisible()
    assert not [tile for tile in page.tiles if tile.section == "house"]
    kinds = {
        p.kind for p in list(hands.parts.document.show.playables.values())[before:]
    }
    assert kinds == {"given"}

    own = [tile for tile in page.tiles if tile.section == "pars"]
    level = next(tile for tile in own if isinstance(tile, Fader))
    colour = next(tile for tile in own if isinstance(tile, Choice))
    hands.parts.engine.send(Do(to_tile(level.id), Verb.LEVEL, 1.0))
    hands.until(lambda: any(par(hands, node)))
    rust = colour.names.index("Rust")
    hands.parts.engine.send(Do(to_tile(colour.id), Verb.STEP, float(rust)))
    hands.until(lambda: (p := par(hands, node)) and p[1] > 200 and p[3] < 30)
    deep = colour.names.index("Deep")
    hands.parts.engine.send(Do(to_tile(colour.id), Verb.STEP, float(deep)))
    hands.until(lambda: par(hands, node)[3] > 200 and par(hands, node)[1] < 60)
    # back to before
    hands.parts.engine.deed("undo")
    hands.until(lambda: par(hands, node)[1] > 200)

    # undo of the edit takes the whole page back
    hands.parts.document.undo()
    hands.until(lambda: not perform.tiles)
    assert len(hands.parts.document.show.playables) == before


def test_what_became_of_the_show_while_it_was_asked_is_kept(hands):
    perform = empty_page(hands)
    document = hands.parts.document

    def answer(dialog) -> None:
        show, _ = edits.keep_group(document.show, "Meanwhile", ["par-1"])
        document.edit("a group meanwhile", edits.remove(show, PARS))
        hands.click(dialog.go)

    hands.in_dialog(lambda: hands.click(perform.rig_button), answer)
    assert any(group.name == "Meanwhile" for group in document.show.groups.values())
    assert "pars" not in document.show.groups
    sections = {tile.section for tile in page_of(hands).tiles}
    assert "spots" in sections
    assert "pars" not in sections

    # and a page that is gone by then stays gone
    perform = empty_page(hands)
    gone = perform.page_id

    def late(dialog) -> None:
        document.edit("no page", edits.remove(document.show, Ref("page", gone)))
        hands.click(dialog.go)

    hands.in_dialog(lambda: hands.click(perform.rig_button), late)
    assert gone not in document.show.pages


def test_palettes_of_a_group_from_the_shelf_and_one_more_by_dropping(hands):
    perform = empty_page(hands)
    show = hands.parts.document.show
    hands.click(perform.add_button)
    shelf = perform.shelf
    hands.until(shelf.isVisible)
    shelf.show_sort(Sort.PALETTES, "Colour")
    hands.click(shelf.list.viewport(), row_of(shelf, 0))
    shelf.list.selectAll()
    shelf.of.pick(PARS)
    hands.click(shelf.put_button)
    perform.arrange(False)
    pads = page_of(hands).tiles
    own = givens.palettes_for(show, PARS, "colour")
    assert [tile.name for tile in pads] == [palette.name for palette in own]
    assert {tile.choice for tile in pads if isinstance(tile, Pad)} == {
        "group:pars colour"
    }

    look = {"any": {"ColorRGB_Red": 1.0, "ColorRGB_Green": 0.9, "ColorRGB_Blue": 0.1}}
    from choreon.model import palettes

    changed, _ = palettes.keep_palette(
        hands.parts.document.show, "Straw", "colour", look
    )
    hands.parts.document.edit("straw", changed)
    hands.until(lambda: len(perform.tiles) == len(pads))
    QApplication.processEvents()
    widget = perform.tiles[pads[0].id]
    middle = widget.mapTo(perform.view.body, widget.rect().center())
    perform.drop([Ref(PALETTE, "straw")], QPointF(middle))
    tile = page_of(hands).tiles[-1]
    given = givens.given_of(hands.parts.document.show, tile.plays[0].ref)
    assert (given.group, given.palette) == ("pars", "straw")
    assert tile.choice == "group:pars colour"

    # what is of a group lies on no shelf, and goes with its last tile
    shelf = hands.place("compose").shelf
    assert given.id not in shelf.strip.cards.ids()
    gone = edits.remove(hands.parts.document.show, tile.ref)
    assert given.id not in gone.playables


def test_from_a_rig_with_nothing_programmed_to_playing_all_that_it_can(hands, node):
    """Level, colour, aim, movement, a picture in the dark, strobe, and back to before:
    by the tiles of one page, pressed by hand; no scene is there at any time.
    """
    document = hands.parts.document
    show = document.show
    bare = edits.replace(show, playables={}, pages={}, inputs={}, opens=(), safe=())
    document.edit("nothing programmed", bare)
    perform = empty_page(hands)

    def answer(dialog) -> None:
        for ref, tick in dialog.groups.items():
            if ref.id not in ("spots",):
                tick.setChecked(False)
        hands.click(dialog.dark, QPoint(8, 8))
        hands.click(dialog.go)

    hands.in_dialog(lambda: hands.click(perform.rig_button), answer)
    page = page_of(hands)
    hands.until(lambda: len(perform.tiles) == len(page.tiles))
    own = {t.name: perform.tiles[t.id] for t in page.tiles if t.section == "spots"}
    lamp = document.show.fixtures["spot-1"]
    kind = document.show.types[lamp.type]
    slots = {
        channel.ranges[0].attribute: lamp.address - 1 + use.slots[0] - 1
        for use, channel in kind.used(kind.mode(lamp.mode))
    }

    def byte(attribute: str) -> int:
        return values(node, lamp.universe)[slots[attribute]]

    def press_look(strip: str, look: int) -> None:
        widget = own[strip]
        perform.view.ensureWidgetVisible(widget)
        QApplication.processEvents()
        hands.click(widget, dict(widget.cells())[look].center())

    fader = own["Level"].fader
    middle = fader.width() / 2
    hands.drag(fader, QPointF(middle, fader.height() - 14), QPointF(middle, 14))
    hands.until(lambda: byte("Dimmer") > 240)

    dark, lit = byte("Color1"), byte("Pan")
    press_look("Colour", 3)
    hands.until(lambda: byte("Color1") != dark)
    press_look("Position", 0)
    hands.until(lambda: byte("Pan") != lit)

    # the picture turns in the dark, and the light is back
    strip = own["Gobo"].tile
    long_dark = edits.replace(strip.change, dark=4.0)  # however slow this machine is
    show = pages.change(document.show, strip.id, change=long_dark)
    document.edit("a long dark", show)
    hands.until(lambda: perform.tiles[strip.id].tile.change == long_dark)
    own["Gobo"] = perform.tiles[strip.id]
    hands.heeded()

    picture = byte("Gobo1")
    press_look("Gobo", 2)
    hands.until(lambda: byte("Gobo1") != picture)
    assert byte("Dimmer") == 0
    hands.until(lambda: byte("Dimmer") > 240)
    assert byte("Gobo1") != picture

    open_ = byte("Shutter1")
    press_look("Strobe", 2)
    hands.until(lambda: byte("Shutter1") != open_)
    press_look("Strobe", -1)
    hands.until(lambda: byte("Shutter1") == open_)

    motions = set(own["Motion"].tile.leads_to)

    def moves() -> bool:
        return any(player.ref in motions for player in players_of(hands))

    assert not moves()
    press_look("Motion", 0)
    hands.until(moves)
    hands.parts.engine.deed("undo")
    hands.until(lambda: not moves())
    kinds = {p.kind for p in document.show.playables.values()}
    assert kinds == {"given"}


def players_of(hands):
    """What is on, and is not on its way out."""
    return [p for p in hands.parts.engine.state.players if not p.releasing]


def test_where_there_are_no_groups_only_those_that_are_wanted_are_kept(hands):
    document = hands.parts.document
    show = document.show
    document.edit("no groups", edits.drop(show, "groups", list(show.groups)))
    perform = empty_page(hands)

    def answer(dialog) -> None:
        names = [name_of(dialog.base, ref) for ref in dialog.groups]
        assert {"Left side", "Right side"} <= set(names)
        for ref, tick in dialog.groups.items():
            tick.setChecked(name_of(dialog.base, ref) in ("Par 7", "Left side"))
        hands.click(dialog.go)

    hands.in_dialog(lambda: hands.click(perform.rig_button), answer)
    kept = {group.name for group in document.show.groups.values()}
    assert kept == {"Par 7", "Left side"}
    sections = {section.name for section in page_of(hands).sections}
    assert {"Par 7", "Left side"} <= sections
