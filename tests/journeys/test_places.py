"""The places in detail."""

from __future__ import annotations

import gc

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QContextMenuEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QScrollArea,
    QScrollBar,
    QWidget,
)

from choreon.engine import protocol
from choreon.model import edits, links
from choreon.model.inputs import midi_control
from choreon.model.playables import Times
from choreon.model.refs import Ref, to_tile
from choreon.ui import kinds
from choreon.ui.app import Opened, empty_show
from choreon.ui.compose.times import TimesDialog
from choreon.ui.heading import SEEN, Stutter
from choreon.ui.preparing import turns
from choreon.ui.stage import mini
from choreon.ui.stage.painter import StagePainter
from choreon.ui.widgets import basics
from tests.conftest import values
from tests.journeys.conftest import menu_of, missed, mostly, pick

SHIFT = Qt.KeyboardModifier.ShiftModifier
CTRL = Qt.KeyboardModifier.ControlModifier


def offered(hands, act) -> list[str]:
    """The lines of the menu that an act opens; the menu is shut again."""
    seen: list[str] = []

    def read() -> None:
        menu = QApplication.activePopupWidget()
        if isinstance(menu, QMenu):
            seen.extend(a.text() for a in menu.actions() if a.text())
            menu.close()

    basics.once(hands.window, 150, read).start()
    act()
    return seen


def test_every_control_has_a_name_and_says_what_it_does(hands):
    for name in ("rig", "compose", "score", "perform", "surfaces"):
        hands.place(name)
        hands.parts.selection.choose(["spot-1", "par-1"])
        hands.parts.draft.touch({"par-1": {"Dimmer": 0.5}})
        QTest.qWait(50)
        assert unsaid(hands.window) == []
    rig = hands.place("rig")
    for view in range(4):
        rig.go(view)
        assert unsaid(hands.window) == []
    rig.edit_type(hands.parts.document.show.types["ostrey-spot-160"])
    assert unsaid(hands.window) == []
    hands.select(rig.editor.pieces, "Wheel: Gobo")
    assert unsaid(hands.window) == []
    compose = hands.place("compose")
    hands.click(hands.window.ledger.open)
    for tab in ("Colour", "Aim", "Beam", "Device", "Spread"):
        compose.what.open_tab(tab)
        QTest.qWait(50)
        assert unsaid(hands.window) == []


def unsaid(window) -> list[str]:
    """The controls in sight that have no name, or do not say what they do."""
    found = []
    for one in window.findChildren(QWidget):
        control = (
            isinstance(one, QAbstractButton)
            or one.focusPolicy() != Qt.FocusPolicy.NoFocus
        )
        part = isinstance(
            one, QScrollBar | QScrollArea | QHeaderView
        ) or one.objectName().startswith("qt_")
        if control and not part and one.isVisible():
            name = one.accessibleName() or (
                one.text() if isinstance(one, QAbstractButton) else ""
            )
            if not name or not one.toolTip():
                found.append(f"{type(one).__name__} {name}")
    return found


def test_nothing_is_cut_off_at_the_usual_size(hands):
    """Every button is as wide as its words want, in every place."""
    for name in ("rig", "compose", "score", "perform", "surfaces"):
        hands.place(name)
        hands.parts.selection.choose(["spot-1"])
        QTest.qWait(50)
        for button in hands.window.findChildren(QAbstractButton):
            if (
                button.isVisible()
                and button.text()
                and button.objectName() != "qt_toolbar_ext_button"
            ):
                room = button.width() - button.fontMetrics().horizontalAdvance(
                    button.text()
                )
                assert room >= 0, f"{button.text()} in {name}"


def test_places_by_key_and_the_last_one_is_remembered(hands):
    for i, name in enumerate(("rig", "compose", "score", "perform", "surfaces")):
        QTest.keyClick(hands.window, str(i + 1), CTRL)
        assert hands.window.place == name
    assert hands.window.settings.value("place") == "surfaces"
    hands.window.go("no such place")
    assert hands.window.place == "rig"


def test_groups_are_made_changed_and_deleted(hands, answers):
    who = hands.place("compose").who
    hands.parts.selection.choose(["par-3", "par-1"])
    answers.append("Corners")
    hands.click(who.make_group)
    assert hands.parts.document.show.groups["corners"].fixtures == ("par-3", "par-1")
    assert who.groups.findItems("Corners", Qt.MatchFlag.MatchStartsWith)[0].isSelected()
    hands.parts.selection.choose(["par-2"])
    item = who.groups.findItems("Corners", Qt.MatchFlag.MatchStartsWith)[0]
    spot = who.groups.visualItemRect(item).center()
    pick(
        hands,
        lambda: who.groups.customContextMenuRequested.emit(spot),
        "Set to the chosen",
    )
    assert hands.parts.document.show.groups["corners"].fixtures == ("par-2",)
    hands.parts.document.undo()
    hands.parts.document.undo()
    assert "corners" not in hands.parts.document.show.groups


def test_all_none_and_adding_on_the_stage(hands):
    compose = hands.place("compose")
    hands.click(hands.button(compose.who, "All"))
    assert len(hands.parts.selection.chosen) == len(hands.parts.document.show.fixtures)
    hands.click(hands.button(compose.who, "None"))
    assert hands.parts.selection.chosen == ()
    assert compose.what.empty.isVisible()
    for fixture in ("wash-1", "wash-2"):
        hands.click(compose.stage, compose.stage.point_of(fixture), keys=SHIFT)
    assert hands.parts.selection.chosen == ("wash-1", "wash-2")
    hands.click(compose.stage, compose.stage.point_of("wash-1"), keys=CTRL)
    assert hands.parts.selection.chosen == ("wash-2",)
    hands.click(compose.stage, QPoint(5, compose.stage.height() - 5))
    assert hands.parts.selection.chosen == ()


def test_open_up_swatches_and_sliders(hands, node):
    compose = hands.place("compose")
    hands.parts.selection.choose(["par-1", "par-2"])
    hands.click(compose.what.open_up)
    hands.until(lambda: values(node, 1)[10] == 255 and values(node, 1)[18] == 255)
    hands.type(compose.what.colour_panel.hex, "#0000FF")
    hands.until(lambda: mostly(values(node, 1)[11:15], 2))
    hands.type(compose.what.fields["ColorRGB_Red"], "100")
    hands.until(lambda: mostly(values(node, 1)[11:15], 0, 2))
    hands.until(lambda: compose.what.colour_panel.hex.text() == "#FF00FF")
    hands.click(hands.button(compose.what, "50"))
    hands.until(lambda: values(node, 1)[10] == 128)
    hands.parts.draft.touch({"par-2": {"Dimmer": 1.0}})
    hands.until(lambda: compose.what.fields["Dimmer"].text() == "50 … 100 %")
    assert compose.what.fields["Dimmer"].drafted
    hands.click(compose.what.tabs["Beam"])
    assert compose.what.fields["Shutter1Strobe"].isVisible()


def test_one_part_of_a_colour_leaves_the_others_cell_by_cell(hands):
    compose = hands.place("compose")
    hands.parts.draft.touch(
        {
            "bar-1": {
                "ColorRGB_Red": (1.0, 0.5) + (0.0,) * 6,
                "ColorRGB_Green": 0.2,
                "ColorRGB_Blue": 0.0,
            }
        }
    )
    hands.parts.selection.choose(["bar-1"])
    QTest.qWait(50)
    compose.what.colour_panel.set_part("ColorRGB_Blue", 0.7)
    look = hands.parts.engine.state.draft.look["bar-1"]
    assert look["ColorRGB_Blue"] == 0.7
    assert look["ColorRGB_Red"] == pytest.approx((1.0, 0.5) + (0.0,) * 6, abs=1e-6)
    assert look["ColorRGB_Green"] == pytest.approx(0.2)


def test_amber_and_uv_where_the_lamp_has_them(hands, node):
    what = hands.place("compose").what
    hands.parts.selection.choose(["par-1"])
    assert "ColorAdd_UV" not in what.fields
    hands.parts.selection.choose(["uplight-1"])
    assert what.fields["ColorAdd_UV"].isVisible()
    hands.type(what.fields["ColorAdd_UV"], "60")
    hands.until(lambda: values(node, 1)[87] == 153)


def test_cards_show_what_is_on_and_can_be_found(hands):
    shelf = hands.place("compose").shelf
    hands.parts.engine.press("cello-pad")
    hands.until(lambda: shelf.strip.cards.card("cello").on)
    hands.type(shelf.search, "stage", enter=False)
    assert set(shelf.strip.cards.ids()) == {"stage-warm", "stage-blue", "stage-rose"}
    shelf.search.clear()
    shelved = kinds.on_shelf(hands.parts.document.show.playables.values())
    assert len(shelf.strip.cards.ids()) == len(shelved)


def test_scenes_are_renamed_timed_put_on_pages_and_deleted(hands, answers):
    shelf = hands.place("compose").shelf
    shelf.choose("cello")
    answers += ["Cello alone"]
    hands.click(shelf.deeds.rename)
    assert hands.parts.document.show.playables["cello"].name == "Cello alone"

    def timed(dialog: TimesDialog) -> None:
        hands.type(dialog.fade_in, "1.5")
        hands.type(dialog.fade_out, "4")
        assert (
            dialog.rows["position"][1].value == 1.5
        )  # families follow the scene until they get their own
        hands.type(dialog.rows["intensity"][0], "3")
        hands.type(dialog.rows["position"][1], "0")
        hands.click(hands.button(dialog, "Keep"))

    hands.in_dialog(lambda: hands.click(shelf.deeds.times), timed)
    cello = hands.parts.document.show.playables["cello"]
    assert (cello.fade_in, cello.fade_out) == (1.5, 4.0)
    assert cello.times == {"intensity": Times(3.0, 1.5), "position": Times(0.0, 0.0)}
    hands.in_dialog(
        lambda: hands.click(shelf.deeds.times),
        lambda d: hands.click(hands.button(d, "Cancel")),
    )
    assert hands.parts.document.show.playables["cello"] is cello
    shelf.deeds.put_on("open-mic", "fader")
    assert (
        hands.parts.document.show.pages["open-mic"].tiles[-1].plays[0].ref.id == "cello"
    )
    hands.click(shelf.deeds.delete)
    assert "cello" not in hands.parts.document.show.playables
    perform = hands.place("perform")
    assert perform.tiles["cello-pad"].name == "What it plays is gone"
    hands.parts.document.undo()
    assert perform.tiles["cello-pad"].name == "Cello alone"


def test_taking_a_scene_into_the_draft_lights_it_and_stores_nothing(hands, node):
    compose = hands.place("compose")
    before = hands.parts.document.show
    hands.card(compose.shelf, "stage-blue")
    hands.click(compose.shelf.deeds.take)
    hands.until(lambda: values(node, 1)[10] == 204)
    assert hands.parts.document.show is before
    assert set(hands.parts.selection.chosen) == set(before.playables["stage-blue"].look)
    minis, cello = compose.shelf.minis, before.playables["cello"]
    hands.until(
        lambda: (
            minis.picture(cello, 100, 60, compose)
            is minis.picture(cello, 100, 60, compose)
        )
    )


def test_of_many_small_pictures_the_last_are_kept(hands, monkeypatch):
    """Two thousand cards that were scrolled past do not fill the memory."""
    monkeypatch.setattr(mini, "MOST", 5)
    compose = hands.place("compose")
    minis, cello = (
        compose.shelf.minis,
        hands.parts.document.show.playables["cello"],
    )

    def is_made(width: int) -> bool:
        one, other = (minis.picture(cello, width, 40, compose) for _ in range(2))
        return one is other

    def painters() -> int:
        return sum(isinstance(one, StagePainter) for one in gc.get_objects())

    before = painters()
    for width in range(60, 90):
        hands.until(lambda width=width: is_made(width))
    assert minis.count <= 5
    assert is_made(89)
    # nor does a page whose tiles become wider and wider
    assert painters() <= before + mini.SIZES


def test_the_draft_is_undone_and_comes_back_as_the_show_does(hands, node):
    """Touching, clearing and keeping: each is one step back, and one forward."""
    hands.place("compose")
    parts, ledger = hands.parts, hands.window.ledger
    heading = hands.window.heading
    QTest.mousePress(heading, Qt.MouseButton.LeftButton)
    for level in (0.2, 0.4, 0.6):  # one gesture: from press to release
        parts.draft.touch({"par-1": {"Dimmer": level}})
    QTest.mouseRelease(heading, Qt.MouseButton.LeftButton)
    hands.until(lambda: values(node, 1)[10] == 153)
    hands.until(lambda: parts.document.gestures.now is None)
    parts.draft.touch({"par-1": {"Dimmer": 1.0}})
    hands.until(lambda: values(node, 1)[10] == 255)
    assert "draft intensity" in hands.window.heading.undo.toolTip()
    parts.document.undo()
    hands.until(lambda: values(node, 1)[10] == 153)
    hands.click(ledger.clear_button)
    hands.until(lambda: values(node, 1)[10] == 0)
    parts.document.undo()
    hands.until(lambda: values(node, 1)[10] == 153 and ledger.isVisible())
    ledger.ask_name()
    ledger.name.setText("One par")
    ledger.keep()
    hands.until(lambda: values(node, 1)[10] == 0 and not ledger.isVisible())
    parts.document.undo()
    assert "one-par" not in parts.document.show.playables
    hands.until(lambda: values(node, 1)[10] == 153 and ledger.isVisible())
    parts.document.redo()
    assert "one-par" in parts.document.show.playables
    hands.until(lambda: values(node, 1)[10] == 0)
    parts.document.undo()
    parts.document.undo()
    hands.until(lambda: values(node, 1)[10] == 0 and not parts.engine.state.draft.look)
    assert parts.document.history.undo_name == ""


def test_keeping_suggests_a_name_and_can_be_left(hands):
    hands.place("compose")
    ledger = hands.window.ledger
    ledger.ask_name()
    assert not ledger.form.isVisible()  # nothing to keep
    hands.parts.draft.touch(
        {
            i: {"Dimmer": 1.0}
            for i in hands.parts.document.show.groups["washes"].fixtures
        }
    )
    hands.until(lambda: ledger.isVisible())
    QTest.keyClick(hands.window, Qt.Key.Key_S, CTRL)
    assert ledger.name.text() == "Washes look"
    QTest.keyClick(ledger, Qt.Key.Key_Escape)
    assert not ledger.form.isVisible()
    assert "washes-look" not in hands.parts.document.show.playables
    QTest.keyClick(hands.window, Qt.Key.Key_X, CTRL | SHIFT)
    hands.until(lambda: not ledger.isVisible())


@pytest.mark.parametrize(
    "name", ["", "   ", "Cello", "x" * 300, "مشهد أزرق", "<b>&amp;"]
)
def test_odd_names_make_scenes_all_the_same(hands, name):
    hands.place("compose")
    hands.parts.draft.touch({"par-1": {"Dimmer": 1.0}})
    ledger = hands.window.ledger
    hands.until(lambda: ledger.isVisible())
    ledger.ask_name()
    ledger.name.setText(name)
    count = len(hands.parts.document.show.playables)
    ledger.keep()
    assert len(hands.parts.document.show.playables) == count + 1
    made = list(hands.parts.document.show.playables.values())[-1]
    assert made.name.strip()
    assert [s.name for s in hands.parts.document.show.playables.values()].count(
        made.name
    ) == 1


def test_the_update_menu_tells_the_difference_before_it_stores(hands):
    hands.place("compose")
    hands.parts.engine.press("cello-pad")
    hands.parts.draft.touch({"front-4": {"Dimmer": 0.1}, "par-1": {"Dimmer": 0.4}})
    hands.until(
        lambda: hands.window.ledger.isVisible() and hands.parts.engine.state.players
    )
    seen = offered(
        hands, lambda: hands.click(hands.button(hands.window.ledger, "Update…"))
    )
    assert seen[0] == "● Cello: 1 value changed, 1 value added"
    assert "Front wash: 1 value changed, 1 value added" in seen
    assert "Dots: 2 values added" in seen


def test_pages_are_made_named_and_deleted(hands, answers):
    perform = hands.place("perform")
    hands.press(perform, "New page")
    page = perform.page_id
    assert "An empty page" in " ".join(
        label.text() for label in perform.body.findChildren(QLabel)
    )
    answers.append("Encore")
    perform.rename_page(hands.parts.document.show.pages[page])
    assert hands.parts.document.show.pages[page].name == "Encore"
    perform.add_tile(Ref("scene", "dots"), "pad")
    assert list(perform.tiles) == ["dots-pad-2"]
    hands.parts.document.edit(
        "delete the page", edits.drop(hands.parts.document.show, "pages", [page])
    )
    assert perform.page_id in hands.parts.document.show.pages


def test_a_choice_is_made_of_pads(hands, answers, node):
    perform = hands.place("perform")
    answers += ["pair", "pair"]
    for pad in ("cello-pad", "dots-pad"):
        pick(hands, menu_of(hands, perform.tiles[pad]), "One at a time with…")
    hands.parts.engine.press("cello-pad")
    hands.until(
        lambda: [p.ref.id for p in hands.parts.engine.state.players] == ["cello"]
    )
    hands.parts.engine.press("dots-pad")
    hands.until(
        lambda: [p.ref.id for p in hands.parts.engine.state.players] == ["dots"]
    )
    pads = [perform.tiles[pad].tile for pad in ("cello-pad", "dots-pad")]
    assert [pad.choice for pad in pads] == ["pair", "pair"]


def test_pads_and_list_by_keyboard(hands):
    perform = hands.place("perform")
    slow = edits.change(
        hands.parts.document.show, Ref("scene", "cello"), fade_in=0.0, fade_out=5.0
    )  # seen on its way out
    hands.parts.document.edit("slow", slow)
    pad = perform.tiles["cello-pad"]
    pad.setFocus(Qt.FocusReason.TabFocusReason)
    QTest.keyClick(pad, Qt.Key.Key_Space)
    hands.until(lambda: "tile:cello-pad" in perform.on_now.rows)
    hands.click(perform.on_now.rows["tile:cello-pad"].go)
    hands.until(lambda: "○" in perform.on_now.rows["tile:cello-pad"].name.text())
    hands.until(lambda: not perform.on_now.rows)


def test_the_tile_menu_offers_what_can_be_done(hands):
    perform = hands.place("perform")
    seen = []
    for tile in ("cello-pad", "front-wash-fader"):
        event = QContextMenuEvent(
            QContextMenuEvent.Reason.Mouse, QPoint(5, 5), QPoint(5, 5)
        )
        seen.append(
            offered(
                hands,
                lambda t=tile, e=event: QApplication.sendEvent(perform.tiles[t], e),
            )
        )
    assert seen[0] == [
        "Half as fast",
        "Twice as fast",
        "Fade time…",
        "As it is kept",
        "Let it go",
        "Learn a control…",
        "Unlearn",
        "Take its fixtures aside",
        "Arrange…",
        "Move earlier",
        "Move later",
        "One at a time with…",
        "Take off the page",
    ]
    assert "One at a time with…" not in seen[1]


def test_an_unknown_controller_is_drawn_from_what_moves(hands):
    surfaces = hands.place("surfaces")
    moved = hands.parts.engine.control_moved
    hands.parts.engine.ports = protocol.Ports({"Night desk": True})
    hands.parts.engine.ports_changed.emit(hands.parts.engine.ports)
    for i in range(surfaces.ports.count()):
        if surfaces.ports.item(i).text().endswith("Night desk"):
            surfaces.ports.setCurrentRow(i)
    assert surfaces.port == "Night desk"
    assert surfaces.drawing.drawn() == {}
    fader, pad = (
        midi_control("Night desk", *of) for of in (("cc", 0, 21), ("note", 9, 40))
    )
    moved.emit(protocol.ControlMoved(fader, 0.5))
    moved.emit(protocol.ControlMoved(pad, 1.0))
    parts = surfaces.drawing.drawn()
    assert set(parts) == {fader, pad}
    assert parts[fader].height() > parts[pad].height()
    surfaces.drawing.grab()
    hands.click(surfaces.targets[to_tile("dots-pad")].learn)
    moved.emit(protocol.ControlMoved(pad, 0.0))
    assert hands.window.learner.target  # letting go teaches nothing
    moved.emit(protocol.ControlMoved(pad, 1.0))
    moved.emit(protocol.ControlMoved(pad, 0.0))
    hands.until(lambda: hands.window.learner.target is None)
    assert (
        "Dots now follows note 40 ch 10 of Night desk."
        in hands.window.notice.text.text()
    )
    row = surfaces.targets[to_tile("dots-pad")]
    assert (row.tied.text(), row.tied.toolTip()) == (
        "pad 7 +1",
        "pad 7, note 40 ch 10",
    )


def test_a_controller_that_is_away_is_shown_with_what_it_does(hands):
    surfaces = hands.place("surfaces")
    assert surfaces.port == "Practice controller"
    assert surfaces.hint.text() == "not connected; what it does is kept"
    assert (
        "MIDI devices cannot be used" in surfaces.trouble.text()
        or surfaces.parts.engine.ports.trouble == ""
    )


def test_several_fixtures_in_hand(hands):
    rig = hands.place("rig")
    hand = rig.in_hand
    hands.parts.selection.choose(["par-1", "par-2"])
    assert hand.title.text() == "2 fixtures"
    assert not hand.name.isEnabled()
    assert hand.fields["x"].text() == "-3.00 … -1.00 m"
    hands.type(hand.fields["z"], "3.5")
    assert {
        hands.parts.document.show.fixtures[i].place.z for i in ("par-1", "par-2")
    } == {3.5}
    hands.type(hand.fields["pitch"], "20")
    assert hands.parts.document.show.fixtures["par-2"].hanging.pitch == 20
    hands.type(hand.address, "")
    hand.address.setValue(300)
    hand.address.editingFinished.emit()
    assert [
        hands.parts.document.show.fixtures[i].address for i in ("par-1", "par-2")
    ] == [
        300,
        308,
    ]
    assert hands.parts.document.history.undo_name == "readdress 2"


def test_names_in_hand_are_kept_apart(hands):
    hand = hands.place("rig").in_hand
    told: list[str] = []
    hands.parts.notices.told.connect(lambda text, _: told.append(text))
    hands.parts.selection.choose(["par-1"])
    hand.name.selectAll()
    hands.type(hand.name, "Moon")
    assert hands.parts.document.show.fixtures["par-1"].name == "Moon"
    hand.short.selectAll()
    hands.type(hand.short, "par2")
    assert told == ["There is a par2 already; this one is called par9."]
    assert hands.parts.document.show.fixtures["par-1"].short == "par9"
    hand.name.selectAll()
    hands.type(hand.name, "Par 2")
    assert hands.parts.document.show.fixtures["par-1"].name == "Par 9"
    assert "switches 1, 2, 4 on" in hand.slip.toolTip()


def test_an_address_in_hand_that_does_not_fit_is_told(hands):
    hand = hands.place("rig").in_hand
    hands.parts.selection.choose(["par-1"])
    for address, words in ((20, "there already"), (508, "past 512")):
        hand.address.setValue(address)
        hand.address.editingFinished.emit()
        assert words in hands.window.notice.text.text()
        assert hands.parts.document.show.fixtures["par-1"].address == 11
        assert hand.address.value() == 11
    hand.universe.setValue(7)
    hand.universe.editingFinished.emit()
    assert hands.parts.document.show.fixtures["par-1"].universe == 7


def test_the_plan_by_box_keys_and_several_at_once(hands):
    plan = hands.place("rig").plan
    a = plan.at(hands.parts.document.show.fixtures["par-1"].place)
    b = plan.at(hands.parts.document.show.fixtures["par-4"].place)
    hands.drag(plan, a - QPointF(14, 14), b + QPointF(14, 14))
    assert set(hands.parts.selection.chosen) == {"par-1", "par-2", "par-3", "par-4"}
    before = {
        i: hands.parts.document.show.fixtures[i].place
        for i in hands.parts.selection.chosen
    }
    for _ in range(3):
        QTest.keyClick(plan, Qt.Key.Key_Right)
    for i, place in before.items():
        assert hands.parts.document.show.fixtures[i].place.x == pytest.approx(
            place.x + 0.3
        )
    hands.parts.document.undo()  # three nudges are one step
    assert hands.parts.document.show.fixtures["par-1"].place == before["par-1"]
    grip = plan.at(before["par-2"])
    hands.drag(plan, grip, grip + QPointF(0, 40))
    shift = [
        hands.parts.document.show.fixtures[i].place.y - before[i].y for i in before
    ]
    assert max(shift) - min(shift) < 1e-9
    assert shift[0] < 0
    QTest.keyClick(plan, Qt.Key.Key_A, CTRL)
    assert len(hands.parts.selection.chosen) == len(hands.parts.document.show.fixtures)


def test_the_ribbon_names_the_channel_under_the_pointer_and_follows_the_choice(hands):
    rig = hands.place("rig")
    ribbon = rig.ribbon.ribbon
    spot = hands.parts.document.show.fixtures["spot-1"]
    assert ribbon.channel_name(spot, 1) == "Pan"
    assert ribbon.channel_name(spot, 2) == "Pan, fine"
    bar = hands.parts.document.show.fixtures["bar-1"]
    assert ribbon.channel_name(bar, 5) == "Green, cell 2"
    hands.parts.selection.choose(["dot-1"])
    assert ribbon.universe == 3
    rig.ribbon.go(2)
    assert rig.hang.universe.value() == 2
    hands.click(ribbon, ribbon.rect_of(62, 62)[0].center())
    assert hands.parts.selection.chosen == ("spot-1",)
    hands.click(ribbon, ribbon.rect_of(75, 75)[0].center(), keys=SHIFT)
    assert hands.parts.selection.chosen == ("spot-1", "spot-2")
    hands.click(ribbon, ribbon.rect_of(500, 500)[0].center())
    assert hands.parts.selection.chosen == ()
    assert len(ribbon.rect_of(120, 140)) == 2  # a run over the end of a line


def test_types_are_found_by_maker_kind_and_name(hands):
    hang = hands.place("rig").hang
    for text, first, least in (
        ("pellow dot", "Pellow Dot", 2),
        ("spot head", "Ostrey Spot 160", 4),
        ("tarnby par 7", "Tarnby Par 7", 1),
        ("13ch ostrey spot", "Ostrey Spot 160", 1),
        ("mirror", "Tarnby Turnmirror", 2),
    ):
        hang.search.setText(text)
        assert hang.types.count() >= least
        assert hang.types.item(0).text() == first
    hang.search.setText("nothing like it")
    assert hang.types.count() == 0
    hang.search.setText("nothing like it")
    assert not hang.go.isEnabled()
    hang.search.setText("pellow bar 8 led")
    modes = [hang.mode.itemText(i) for i in range(hang.mode.count())]
    assert modes == ["24 channel", "26 channel", "3 channel", "7 channel"]
    hang.mode.setCurrentIndex(1)
    hang.universe.setValue(9)
    assert hang.address.value() == 1
    hang.name.setText("Batten")
    hands.click(hands.button(hang, "Hang"))
    made = hands.parts.document.show.fixtures["batten-1"]
    assert (made.mode, made.universe, made.address) == ("26 channel", 9, 1)


def test_the_heading_tells_how_the_engine_is(hands):
    heading = hands.window.heading
    hands.until(lambda: "packets sent, 0 failed" in heading.health.toolTip())
    frames = protocol.Pulse(10**6, 10**6, 10**6, 44.0, 2.0, 0.1, 30.0, 5, 0)
    hands.parts.engine.pulse.emit(frames)
    assert "light stutters" in heading.health.text()
    assert "Close what else runs on it" in heading.health.toolTip()
    heading.show_engine(False)
    assert "starting the engine" in heading.health.text()


def test_frames_that_nobody_sees_are_not_spoken_of():
    stutter = Stutter()
    assert stutter.look(900, 0.0) == 0  # before the window
    assert stutter.look(902, 1.0) == 2
    assert stutter.look(906, 20.0) == 6
    assert stutter.look(906, 31.5) == 4
    assert stutter.look(3, 32.0) == 4  # another engine
    assert stutter.look(4, 60.0) == 1
    assert 6 < SEEN < 44


def test_surfaces_keeps_its_rows_as_long_as_they_are_of_the_same_things(hands):
    surfaces = hands.place("surfaces")
    document = hands.parts.document
    target = to_tile("cello-pad")
    row = surfaces.targets[target]
    scene = document.show.playables["cello"]
    dimmed = {i: {**v, "Dimmer": 0.3} for i, v in scene.look.items()}
    changed = edits.replace(scene, look=dimmed)
    document.edit("dim", edits.put(document.show, "playables", changed))
    assert surfaces.targets[target] is row
    named = edits.rename(document.show, Ref("scene", "cello"), "Cellist")
    document.edit("rename", named)
    assert surfaces.targets[target] is row  # and says so
    assert "Cellist" in row.name_text


def test_notices_lie_over_the_place_and_move_nothing(hands):
    perform = hands.place("perform")
    before = perform.tiles["cello-pad"].mapTo(hands.window, QPoint(0, 0))
    hands.parts.notices.told.emit("The boat is late. " * 12, "alarm")
    notice = hands.window.notice
    assert notice.isVisible()
    assert perform.tiles["cello-pad"].mapTo(hands.window, QPoint(0, 0)) == before
    hands.parts.notices.told.emit("Small talk", "info")
    assert "boat" in notice.text.text()  # an alarm is not talked over
    hands.window.resize(1100, 700)
    QTest.qWait(30)
    assert hands.window.place_scroller.rect().contains(notice.geometry())
    for name in ("surfaces", "rig", "compose"):  # also over places that are made anew
        hands.place(name)
        at = notice.mapTo(hands.window, notice.rect().center())
        assert notice.isAncestorOf(hands.window.childAt(at)), name
    hands.parts.notices.told.emit("The tide is early.", "alarm")
    assert "early" in notice.text.text()
    hands.parts.notices.working.emit("Reading it")
    hands.parts.notices.working.emit("")
    assert "early" in notice.text.text()  # work that is over hides no alarm
    hands.click(notice.dismiss)
    assert "boat" in notice.text.text()  # nor does another one, for good
    hands.click(notice.dismiss)
    assert not notice.isVisible()


def test_another_show_is_opened_in_the_same_window(hands, own_folders, node):
    hands.parts.engine.press("cello-pad")
    hands.until(lambda: hands.parts.engine.state.players)
    holder = hands.holder
    holder.play(Opened(empty_show("Workshop"), own_folders / "Workshop.choreon"))
    window = holder.window
    hands.until(lambda: window.parts.engine.alive)
    assert window.windowTitle().startswith("Workshop")
    hands.until(lambda: window.parts.engine.state.players == ())
    assert (own_folders / "Workshop.choreon").exists()
    window.go("rig")
    rig = window.places["rig"]
    rig.hang.choose_type("pellow-dot")
    rig.hang.hang()
    assert list(window.parts.document.show.fixtures) == ["dot-1"]
    for name in ("compose", "score", "perform", "surfaces"):
        window.go(name)
        QTest.qWait(30)
    assert "No scenes yet" in window.places["compose"].shelf.empty.text()
    assert window.places["compose"].shelf.empty.isVisible() or window.place != "compose"


def test_the_stage_picture_follows_the_light_and_rests_when_nothing_changes(hands):
    stage = hands.place("compose").stage
    hands.parts.draft.touch({"par-1": {"Dimmer": 1.0}})
    hands.until(
        lambda: stage.shown_light is not None and stage.shown_light.rgb.max() > 0.9
    )
    QTest.qWait(200)
    before = stage.grab().toImage()
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.0}})
    hands.until(lambda: stage.shown_light.rgb.max() < 0.05)
    assert stage.grab().toImage() != before
    assert stage.lamp_at(stage.point_of("par-1")) == "par-1"
    assert stage.lamp_at(QPointF(3, stage.height() - 3)) is None
    assert stage.point_of("hazer-1") is None


def test_all_widgets_of_the_window_can_be_reached_by_tab(hands):
    """Tab goes round through every place and comes back."""
    for name in ("rig", "compose", "score", "perform", "surfaces"):
        hands.place(name)
        seen: set[QWidget] = set()
        start = hands.window.buttons.button(0)
        start.setFocus()
        for _ in range(400):
            QTest.keyClick(QApplication.focusWidget() or hands.window, Qt.Key.Key_Tab)
            here = QApplication.focusWidget()
            if here is None or here in seen:
                break
            seen.add(here)
        lines = [
            w
            for w in hands.window.places[name].findChildren(QLineEdit)
            if w.isVisible() and w.isEnabled()
        ]
        assert all(w in seen for w in lines)
        assert len(seen) > 5


def test_heads_of_two_makes_are_sent_to_a_place_on_the_stage(hands):
    """Press on the floor, then on the back wall: all beams meet there, by what the frame says."""
    compose = hands.place("compose")
    heads = ["spot-1", "spot-4", "wash-1", "wash-2"]
    hands.parts.selection.choose(heads)
    hands.click(compose.what.tabs["Aim"])
    hands.click(compose.what.aim_at)
    assert compose.stage.aiming
    for wanted in ([0.5, 2.5, 0.0], [-1.0, hands.parts.document.show.room.depth, 1.5]):
        x, y, _ = compose.stage.view().project([wanted])[0]
        hands.click(compose.stage, QPointF(x, y))
        hands.until(
            lambda goal=wanted: missed(hands, heads, goal) < 0.06
        )  # a click falls on a whole pixel
    assert not compose.what.reach.isVisible()
    compose.what.aim_panel.send(links.to_point([0.0, -6.0, 9.0]))
    assert "cannot reach there" in compose.what.reach.text()
    compose.stage.setFocus()
    QTest.keyClick(compose.stage, Qt.Key.Key_Escape)
    assert not compose.stage.aiming
    assert not compose.what.aim_at.isChecked()
    hands.click(compose.stage, compose.stage.point_of("par-1"))
    assert hands.parts.selection.chosen == ("par-1",)


def test_nothing_ticks_in_a_place_that_is_not_shown(hands):
    """Timers that go on and on belong to what is seen; all else rests."""
    for name in ("rig", "compose", "score", "perform", "surfaces", "rig"):
        hands.place(name)
        QTest.qWait(50)

    def ticking(place) -> list[QTimer]:
        return [timer for timer in place.findChildren(QTimer) if timer.isActive()]

    for shown in ("rig", "compose", "score", "perform", "surfaces"):
        hands.place(shown)
        away = [p for n, p in hands.window.places.items() if n != shown]
        # what was begun may come to its end first: a row that is filled, say
        hands.until(lambda away=away: not any(ticking(place) for place in away))
    hands.window.hide()
    places = list(hands.window.places.values())
    hands.until(lambda: not any(ticking(place) for place in places))
    hands.window.show()


def test_light_that_stands_is_decoded_once(hands, node):
    stage = hands.place("compose").stage
    hands.parts.engine.set_level("front-wash-fader", 1.0)
    hands.until(lambda: values(node, 1)[:1] == [217])
    preview = hands.parts.preview

    def rests() -> bool:
        before = preview.light()
        QTest.qWait(150)
        return before is not None and preview.light() is before

    hands.until(rests)
    packets, light = preview.frame(), preview.light()
    QTest.qWait(300)  # a dozen frames
    assert preview.frame() is packets
    assert preview.light() is light  # what is decoded anew is another object
    assert stage.isVisible()


def test_the_ribbon_draws_what_changed_as_if_all_were_drawn_anew(hands):
    """Only a part is drawn when the light changes; on the screen stands the whole."""
    ribbon = hands.place("rig").ribbon.ribbon
    window = hands.window

    def on_screen():
        at = ribbon.mapTo(window, QPoint(0, 0))
        size = ribbon.size()
        grabbed = window.screen().grabWindow(
            window.winId(), at.x(), at.y(), size.width(), size.height()
        )
        return grabbed.toImage().convertToFormat(QImage.Format.Format_RGB32)

    def whole():
        return ribbon.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)

    before = on_screen()
    for level in (1.0, 0.4, 0.7):
        hands.parts.engine.set_level("front-wash-fader", level)
        hands.parts.draft.touch({"par-8": {"Dimmer": level}})
        hands.heeded()
        hands.until(lambda: window.notice.hide() or on_screen() == whole())
    assert on_screen() != before
    narrow = ribbon.area_of(np.array([0, 1, 2]))
    assert narrow.height() < ribbon.height() / ribbon.rows + 8
    assert narrow.width() < 8 * ribbon.width() / ribbon.per_row
    across = ribbon.area_of(np.array([5, 511]))
    assert across.contains(ribbon.rect().adjusted(0, 0, -3, -3))


def test_places_are_got_ready_in_turns_before_anybody_needs_them(hands):
    """A place is built in one turn and taken into the window in the next; a window may
    close between the two.
    """
    window = hands.window
    window.build_place("surfaces")
    window.build_place("surfaces")
    assert "surfaces" not in window.places
    built = window.stack.count()
    surfaces = hands.place("surfaces")
    assert window.stack.count() == built + 1
    assert surfaces.window() is window

    for turn in turns(window, ("compose", "score", "perform", "surfaces")):
        turn()
    assert {"compose", "score", "perform", "surfaces"} <= set(window.places)
    assert window.surfaces is surfaces

    window.build_place("rig")
    assert "rig" not in window.places  # and the window closes
