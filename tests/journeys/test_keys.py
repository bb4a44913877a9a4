"""Keys that never surprise: every command in every kind of field and place."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractItemView,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QLineEdit,
    QPushButton,
    QWidget,
)

from choreon.model import edits
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.model.tiles import Pad, Page, Spot, parts
from choreon.ui.commands import COMMANDS, Where
from choreon.ui.widgets.values import ValueField
from tests.journeys.conftest import Hands

PLACES = ("rig", "compose", "score", "perform", "surfaces")
PLAIN = Qt.KeyboardModifier.NoModifier
ALT = Qt.KeyboardModifier.AltModifier
TAB = Qt.FocusReason.TabFocusReason


class Played:
    """Which of the window's keys did something."""

    def __init__(self, hands: Hands) -> None:
        self.keys: list[str] = []
        for name in PLACES:
            hands.place(name)
        for shortcut in hands.window.findChildren(QShortcut):
            shortcut.activated.disconnect()
            key = shortcut.key().toString()
            shortcut.activated.connect(lambda key=key: self.keys.append(key))

    def press(self, field: QWidget, key: str) -> list[str]:
        """Press a key in a field; returns what it did in the window."""
        self.keys.clear()
        sequence = QKeySequence(key)[0]
        QTest.keyClick(field, sequence.key(), sequence.keyboardModifiers())
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()  # Space opens a choice
        return list(self.keys)


def fields(inside: QWidget) -> list[QWidget]:
    """All that can be typed into, where it is to be seen."""
    kinds = (QLineEdit, QAbstractSpinBox, QComboBox, ValueField, QAbstractItemView)
    return [
        widget
        for kind in kinds
        for widget in inside.findChildren(kind)
        if widget.isVisible()
        and widget.isEnabled()
        and widget.focusPolicy() != Qt.FocusPolicy.NoFocus
    ]


def is_text(widget: QWidget) -> bool:
    if isinstance(widget, QComboBox):
        return widget.isEditable()
    return isinstance(widget, QLineEdit | QAbstractSpinBox)


def test_no_command_is_done_by_what_is_typed_anywhere(hands):
    """Every command × every field of every place: a text keeps its keys but for those
    that are said to be alive; elsewhere each command of the place is alive.
    """
    played, tried = Played(hands), 0
    for place in PLACES:
        inside = hands.place(place)
        if place == "compose":
            hands.parts.selection.choose(["par-1", "spot-1"])
            hands.window.ledger.ask_name()  # the form for keeping is a text as well
            QTest.qWait(30)

        for field in [*fields(inside), *fields(hands.window.ledger)]:
            field.setFocus()
            if QApplication.focusWidget() is not field:
                continue
            for command in COMMANDS:
                here = command.where in (Where.EVERYWHERE, place)
                for key in command.keys:
                    letter = len(key) == 1
                    dead = is_text(field) if not letter else True
                    alive = here and (command.typing or not dead)
                    done = played.press(field, key)
                    name = field.accessibleName() or type(field).__name__
                    assert done == ([key] if alive else []), (place, name, key)
                    field.setFocus()
                    tried += 1

    assert tried > 700


def test_the_walk_begins_by_its_letter_but_not_while_a_number_is_typed(hands):
    rig = hands.place("rig")
    hands.parts.selection.choose(["par-1"])
    hands.until(lambda: rig.findChildren(ValueField))
    number = next(f for f in rig.in_hand.findChildren(ValueField) if f.isVisible())
    number.setFocus()
    QTest.keyClick(number, Qt.Key.Key_W)
    assert not rig.walk.walking
    rig.plan.setFocus()
    QTest.keyClick(rig.plan, Qt.Key.Key_W)
    assert rig.walk.walking


def test_undo_is_alive_in_the_type_editor_and_goes_back_there(hands):
    rig = hands.place("rig")
    kind = hands.parts.document.show.types["tarnby-par-7"]
    rig.editor.open(kind, "")
    rig.setCurrentIndex(1)
    before = hands.parts.document.show
    rig.editor.name.setFocus()
    rig.editor.name.selectAll()
    QTest.keyClicks(rig.editor.name, "Otherwise")
    rig.editor.sort.setFocus()
    hands.until(lambda: rig.editor.kind.name == "Otherwise")

    QTest.keyClick(rig.editor.sort, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert rig.editor.kind.name == kind.name
    QTest.keyClick(rig.editor.sort, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
    assert rig.editor.kind.name == "Otherwise"
    assert hands.parts.document.show is before


def test_undo_after_channels_were_typed_takes_the_channels_back(hands):
    """The field that they were typed into has nothing left to undo."""
    rig = hands.place("rig")
    rig.editor.open(hands.parts.document.show.types["tarnby-par-7"], "")
    rig.setCurrentIndex(1)
    before, field = rig.editor.kind, rig.editor.modes.add
    field.setFocus()
    QTest.keyClicks(field, "Zoom, Iris")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert rig.editor.kind != before

    ctrl = Qt.KeyboardModifier.ControlModifier
    QTest.keyClick(field, Qt.Key.Key_Z, ctrl)
    assert rig.editor.kind == before
    assert field.text() == ""
    QTest.keyClick(field, Qt.Key.Key_Y, ctrl)
    assert rig.editor.kind != before


def test_undo_in_a_text_never_goes_on_into_the_show(hands):
    """However often it is pressed."""
    compose, document = hands.place("compose"), hands.parts.document
    document.edit("a group", edits.keep_group(document.show, "Odd", ["par-1"])[0])
    edited = document.show
    ctrl, search = Qt.KeyboardModifier.ControlModifier, compose.shelf.search
    search.setFocus()
    QTest.keyClicks(search, "ebb")
    for _ in range(6):
        QTest.keyClick(search, Qt.Key.Key_Z, ctrl)
    assert search.text() == ""
    assert document.show is edited
    shift = Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(search, Qt.Key.Key_Z, ctrl | shift)
    assert search.text() == "ebb"
    assert document.show is edited


# keys of a page


@pytest.fixture
def page(hands):
    """A page of two pads, one of them with an & in its name, and a tab with one."""
    show = hands.parts.document.show
    scenes = [Scene(id=i, name=i, fade_in=0.0, fade_out=0.0) for i in ("one", "two")]
    show = edits.put(show, "playables", *scenes)
    tiles = (
        Pad(
            id="p1",
            plays=parts(Ref("scene", "one")),
            name="R&2 <b>x</b>",
            spot=Spot(0, 0, 2, 2),
        ),
        Pad(id="p2", plays=parts(Ref("scene", "two")), spot=Spot(2, 0, 2, 2)),
    )
    pages = (Page(id="k", name="R&2 night", tiles=tiles), Page(id="l", name="Other"))
    hands.parts.document.edit("keys", edits.put(show, "pages", *pages))
    perform = hands.place("perform")
    perform.go("k")
    hands.heeded()
    return perform


def on(hands) -> set[str]:
    hands.heeded()
    return {p.ref.id for p in hands.parts.engine.state.players if not p.releasing}


def key_of(tile) -> Qt.Key:
    return Qt.Key(ord(str(tile.property("key"))))


def test_alt_plays_a_tile_whatever_has_the_focus_but_a_text(hands, page):
    others = [
        page.events,
        hands.window.heading.tempo.bpm,
        hands.window.heading.grand,
        page.new_button,
        hands.window.buttons.button(2),
    ]
    for turn, widget in enumerate(others):
        widget.setFocus()
        focus = QApplication.focusWidget()
        QTest.keyClick(focus, key_of(page.tiles["p2"]), ALT)
        wanted = {"two"} if turn % 2 == 0 else set()
        name = widget.accessibleName()
        hands.until(lambda w=wanted: on(hands) == w, 5.0, f"nothing by Alt from {name}")
        # nothing was opened to type into
        assert not isinstance(QApplication.focusWidget(), QLineEdit)

    # in a text it is typed, or nothing
    field = QLineEdit(page)
    field.show()
    field.setFocus()
    was = on(hands)
    QTest.keyClick(field, key_of(page.tiles["p2"]), ALT)
    assert on(hands) == was


def test_an_ampersand_in_a_name_is_no_key_and_is_seen(hands, page):
    page.go("l")
    shown = page.tabs.by_page["k"]
    assert shown.shortcut().isEmpty()
    QTest.keyClick(page, Qt.Key.Key_2, ALT)
    QTest.keyClick(hands.window, Qt.Key.Key_2, ALT)
    assert page.page_id == "l"
    menus = page.page_menu(hands.parts.document.show.pages["k"])
    assert all(action.shortcut().isEmpty() for action in menus.actions())
    for action in page.tabs.menu().actions():
        assert "R&&2" in action.text() or "&" not in action.text()


def test_a_pressed_tab_keeps_the_focus_and_space_plays_nothing(hands, page):
    hands.click(page.tabs.by_page["l"])
    assert QApplication.focusWidget() is page.tabs.by_page["l"]
    hands.click(page.tabs.by_page["k"])
    assert QApplication.focusWidget() is page.tabs.by_page["k"]
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Space)
    assert not on(hands)


@pytest.mark.parametrize("key", [Qt.Key.Key_Space, Qt.Key.Key_Return])
def test_space_and_enter_play_a_tile_only_when_it_was_chosen_by_keys(hands, page, key):
    tile = page.tiles["p1"]
    hands.click(tile)
    hands.until(lambda: on(hands) == {"one"})
    hands.click(tile)
    hands.until(lambda: not on(hands))
    for reason in (Qt.FocusReason.MouseFocusReason, Qt.FocusReason.OtherFocusReason):
        tile.clearFocus()
        tile.setFocus(reason)
        QTest.keyClick(tile, key)
        assert not on(hands), reason

    tile.clearFocus()
    tile.setFocus(TAB)
    QTest.keyClick(tile, key)
    hands.until(lambda: on(hands) == {"one"})


def test_a_level_is_not_full_by_a_command_that_is_mistyped(hands, page):
    grand = hands.window.heading.grand
    hands.parts.engine.set_grand(0.5)
    hands.until(lambda: hands.parts.engine.state.masters.grand == 0.5)
    grand.setFocus()
    for key in (Qt.Key.Key_F, Qt.Key.Key_7):
        QTest.keyClick(grand, key, Qt.KeyboardModifier.ControlModifier)
    hands.heeded()
    assert hands.parts.engine.state.masters.grand == 0.5


def test_names_are_never_taken_for_html(hands, page):
    """A lamp that is called <b>one</b> is called so in labels and in tooltips."""
    from choreon.ui.widgets import tips

    show = hands.parts.document.show
    name = "<b>one</b> & <i>two</i>"
    hands.parts.document.edit(
        "name", edits.change_fixtures(show, {"par-1": {"name": name}})
    )
    rig = hands.place("rig")
    hands.parts.selection.choose(["par-1"])
    hands.until(lambda: rig.in_hand.title.text() == name)
    assert rig.in_hand.title.textFormat() == Qt.TextFormat.PlainText
    assert tips.plain(name) == (
        "<qt>&lt;b&gt;one&lt;/b&gt; &amp; &lt;i&gt;two&lt;/i&gt;</qt>"
    )
    for button in hands.window.findChildren(QPushButton):
        assert button.shortcut().isEmpty(), button.text()


def test_the_addresses_are_walked_and_changed_by_keys(hands):
    """From fixture to fixture by address; with Ctrl by a slot, where that is free."""
    rig = hands.place("rig")
    ribbon = rig.ribbon.ribbon
    rig.ribbon.go(1)
    show = hands.parts.document.show
    here = [f for f in show.fixtures.values() if f.universe == 1]
    order = [f.id for f in sorted(here, key=lambda f: f.address)]
    ribbon.setFocus()
    hands.parts.selection.choose([])
    for wanted in order[:3]:
        QTest.keyClick(ribbon, Qt.Key.Key_Right)
        assert hands.parts.selection.chosen == (wanted,)
    QTest.keyClick(ribbon, Qt.Key.Key_Left)
    assert hands.parts.selection.chosen == (order[1],)

    # the last one has room behind it, the one before it has not
    ctrl = Qt.KeyboardModifier.ControlModifier
    hands.parts.selection.choose([order[-1]])
    was = show.fixtures[order[-1]].address
    QTest.keyClick(ribbon, Qt.Key.Key_Right, ctrl)
    assert hands.parts.document.show.fixtures[order[-1]].address == was + 1
    QTest.keyClick(ribbon, Qt.Key.Key_Left, ctrl)
    assert hands.parts.document.show.fixtures[order[-1]].address == was


def test_a_controller_is_walked_by_keys(hands, controller):
    surfaces = hands.place("surfaces")
    drawing = surfaces.drawing
    hands.until(lambda: drawing.drawn(), 10.0, "no controller is drawn")
    drawing.setFocus()
    QTest.keyClick(drawing, Qt.Key.Key_Right)
    first = drawing.chosen
    assert first is not None
    rects = drawing.drawn()
    seen = {first}
    for key in (Qt.Key.Key_Right, Qt.Key.Key_Down, Qt.Key.Key_Down, Qt.Key.Key_Left):
        before = rects[drawing.chosen].center()
        QTest.keyClick(drawing, key)
        after = rects[drawing.chosen].center()
        moved = after - before
        if key == Qt.Key.Key_Right:
            assert moved.x() > 0
        elif key == Qt.Key.Key_Down:
            assert moved.y() > 0
        else:
            assert moved.x() < 0
        seen.add(drawing.chosen)
    assert len(seen) == 5
    QTest.keyClick(drawing, Qt.Key.Key_Return)
    focus = QApplication.focusWidget()
    assert focus in [row.learn for row in surfaces.targets.values()]


def test_enter_in_a_dialog_says_what_the_filled_button_does_or_nothing(hands):
    from choreon.ui.compose.only_dialog import OnlyDialog
    from choreon.ui.compose.pattern_dialog import PatternDialog
    from choreon.ui.perform.guest_dialog import GuestDialog

    hands.place("compose")
    show = hands.parts.document.show
    hands.parts.selection.choose(list(show.groups["pars"].fixtures))

    guest = GuestDialog(hands.parts, hands.window)
    guest.show()
    for box in (*guest.pages.values(), *guest.may.values(), guest.power):
        box.setFocus()
        QTest.keyClick(box, Qt.Key.Key_Return)
        assert guest.isVisible()
    guest.pin.setFocus()
    QTest.keyClicks(guest.pin, "1234")
    QTest.keyClick(guest.pin, Qt.Key.Key_Return)
    assert guest.isVisible()
    assert guest.focusWidget() is guest.again
    assert not guest.hands_over
    guest.reject()

    hand = hands.window.compose.what.hand
    pattern = PatternDialog(hands.parts, hand, hands.window)
    pattern.show()
    pattern.words.setFocus()
    QTest.keyClicks(pattern.words, "snake")
    QTest.keyClick(pattern.words, Qt.Key.Key_Return)
    assert pattern.isVisible()
    assert pattern.kept is None
    pattern.reject()

    scene = next(p for p in show.playables.values() if p.kind == "scene" and p.look)
    only = OnlyDialog(hands.parts, scene, hands.window)
    only.show()
    only.name.setFocus()
    only.name.selectAll()
    QTest.keyClicks(only.name, "Half of it")
    QTest.keyClick(only.name, Qt.Key.Key_Return)
    assert not only.isVisible()
    assert only.keeps
    assert only.name.text() == "Half of it"


def test_the_type_editor_asks_before_what_was_changed_is_let_go_by_escape(hands):
    rig = hands.place("rig")
    kind = hands.parts.document.show.types["tarnby-par-7"]
    rig.edit_type(kind)
    QTest.keyClick(rig.editor.sort, Qt.Key.Key_Escape)
    assert not rig.edits_type

    rig.edit_type(kind)
    rig.editor.name.setFocus()
    rig.editor.name.selectAll()
    QTest.keyClicks(rig.editor.name, "Otherwise")
    rig.editor.sort.setFocus()
    hands.until(lambda: rig.editor.kind.name == "Otherwise")
    QTest.keyClick(rig.editor.sort, Qt.Key.Key_Escape)
    assert rig.edits_type
    assert "not kept" in rig.editor.warning_text.text()
    hands.click(rig.editor.back)
    assert rig.editor.kind.name == "Otherwise"
    QTest.keyClick(rig.editor.sort, Qt.Key.Key_Escape)
    hands.click(rig.editor.go_on)
    assert not rig.edits_type
    assert hands.parts.document.show.types["tarnby-par-7"].name == kind.name


def test_a_channel_of_32_bits_is_moved_and_tried(hands):
    """The value of a channel goes up to 2³² − 1."""
    rig = hands.place("rig")
    rig.edit_type(hands.parts.document.show.types["ostrey-spot-160"])
    rig.editor.modes.chosen.emit("pan")
    box = rig.editor.channel.resolution
    box.setCurrentIndex(box.findText("32 bit"))
    box.activated.emit(box.currentIndex())
    assert rig.editor.channel.channel.resolution == 4
    line = rig.editor.channel.line
    hands.click(line, line.rect().center())
    hands.drag(line, line.rect().center().toPointF(), line.rect().topRight().toPointF())
    top = rig.editor.channel.home
    top.setFocus()
    top.selectAll()
    QTest.keyClicks(top, str(2**32 - 1))
    QTest.keyClick(top, Qt.Key.Key_Return)
    hands.until(lambda: rig.editor.channel.channel.home == 2**32 - 1)
