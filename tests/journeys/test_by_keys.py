"""An evening without a mouse: a rig, a look, a chase, a page, a guest. Only keys are
pressed, and only where the focus is; lines of menus, which are Qt's own, are taken by
their names.
"""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from choreon.model.playables import Chase, Scene
from tests.journeys.conftest import Hands, pick

CTRL = Qt.KeyboardModifier.ControlModifier
MOST = 150  # presses of Tab until it is found that something cannot be reached


class Keys:
    """Fingers on a keyboard."""

    def __init__(self, hands: Hands) -> None:
        self.hands = hands

    @property
    def focus(self) -> QWidget:
        """What has the focus: keys go there and nowhere else."""
        found = QApplication.focusWidget()
        return found if found is not None else self.hands.window

    def press(
        self,
        key: Qt.Key,
        held: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
        times: int = 1,
    ) -> None:
        """Press a key, so many times."""
        for _ in range(times):
            QTest.keyClick(self.focus, key, held)
        QApplication.processEvents()

    def type(self, text: str) -> None:
        """Type a text where the focus is."""
        for letter in text:
            QTest.keyClicks(self.focus, letter)  # the first may open a line
        QApplication.processEvents()

    def tab_to(self, widget: QWidget) -> None:
        """Press Tab until something has the focus."""
        seen = []
        for _ in range(MOST):
            if QApplication.focusWidget() is widget:
                return
            self.press(Qt.Key.Key_Tab)
            seen.append(self.focus.accessibleName() or type(self.focus).__name__)
        raise AssertionError(
            f"Tab does not reach {widget.accessibleName()}: {seen[-8:]}"
        )


def test_an_evening_without_a_mouse(hands, answers):
    keys, window, parts = Keys(hands), hands.window, hands.parts
    window.setFocus()

    # hang two lamps: find their type, say how many
    keys.press(Qt.Key.Key_1, CTRL)
    hang = window.rig.hang
    before = set(parts.document.show.fixtures)
    keys.tab_to(hang.search)
    keys.type("tarnby par")
    keys.tab_to(hang.types)
    keys.press(Qt.Key.Key_Down)
    keys.tab_to(hang.count)
    keys.press(Qt.Key.Key_A, CTRL)
    keys.type("2")
    keys.tab_to(hang.go)
    hands.until(hang.go.isEnabled)
    keys.press(Qt.Key.Key_Space)
    fresh = [i for i in parts.document.show.fixtures if i not in before]
    assert len(fresh) == 2
    assert parts.selection.chosen == tuple(fresh)

    # a look for them, kept as a scene
    keys.press(Qt.Key.Key_2, CTRL)
    intensity = window.compose.what.level
    keys.tab_to(intensity)
    keys.type("80")
    keys.press(Qt.Key.Key_Return)
    hands.until(lambda: parts.draft.look)
    assert parts.draft.look[fresh[0]]["Dimmer"] == 0.8
    keys.press(Qt.Key.Key_S, CTRL)
    keys.type("By hand")
    keys.press(Qt.Key.Key_Return)
    hands.until(lambda: parts.engine.state.draft.empty)
    scenes = [p for p in parts.document.show.playables.values() if p.name == "By hand"]
    assert [type(scene) for scene in scenes] == [Scene]

    # a chase of it
    shelf = window.compose.shelf
    keys.tab_to(shelf.chase)
    pick(hands, lambda: keys.press(Qt.Key.Key_Space), "Empty")
    steps = window.compose.steps
    hands.until(steps.isVisible)
    keys.tab_to(steps.add)
    pick(hands, lambda: keys.press(Qt.Key.Key_Space), "A scene", "By hand")
    (chase,) = [
        p
        for p in parts.document.show.playables.values()
        if isinstance(p, Chase) and p.id == steps.ref.id
    ]
    assert [step.plays for step in chase.steps] == [scenes[0].ref]
    keys.press(Qt.Key.Key_Escape)
    hands.until(lambda: not steps.isVisible())

    # a page with the scene on it; its tile gets a line of help
    keys.press(Qt.Key.Key_4, CTRL)
    perform = window.perform
    keys.tab_to(perform.new_button)
    keys.press(Qt.Key.Key_Space)
    page_id = perform.page_id
    keys.press(Qt.Key.Key_E, CTRL)
    keys.tab_to(perform.shelf.search)
    keys.type("by hand")
    keys.press(Qt.Key.Key_Return)
    assert keys.focus is perform.shelf.list
    keys.press(Qt.Key.Key_Return)
    (tile_id,) = perform.tiles
    keys.tab_to(perform.arranger.panes[0])
    assert perform.arranger.chosen == (tile_id,)
    keys.press(Qt.Key.Key_Return)
    assert perform.inspector.isAncestorOf(keys.focus)
    keys.tab_to(perform.inspector.fields["note"])
    keys.type("Both lamps")
    keys.press(Qt.Key.Key_Tab)
    tile = parts.document.show.tile(tile_id)[1]
    assert tile.note == "Both lamps"
    keys.press(Qt.Key.Key_Escape)
    assert not perform.arranger.on

    # it is played, and taken back
    keys.tab_to(perform.tiles[tile_id])
    keys.press(Qt.Key.Key_Space)
    hands.until(lambda: [p.ref for p in parts.engine.state.players] == [scenes[0].ref])
    keys.press(Qt.Key.Key_Backspace, CTRL)
    hands.until(lambda: all(p.releasing for p in parts.engine.state.players))

    # the pages go to a guest, who plays it and leaves
    keys.press(Qt.Key.Key_K, CTRL)
    keys.type("guest")

    def hand_over(dialog: QWidget) -> None:
        keys.tab_to(dialog.pages[page_id])
        if not dialog.pages[page_id].isChecked():
            keys.press(Qt.Key.Key_Space)
        keys.tab_to(dialog.start)
        keys.press(Qt.Key.Key_Return)

    hands.in_dialog(lambda: keys.press(Qt.Key.Key_Return), hand_over)
    hands.until(lambda: window.is_guest)
    guest = window.guest
    keys.tab_to(guest.tabs.by_page[guest.view.page_id])
    keys.press(Qt.Key.Key_Right)  # from tab to tab
    assert guest.view.page_id == page_id
    keys.tab_to(guest.view.tiles[tile_id])
    keys.press(Qt.Key.Key_Space)
    hands.until(lambda: [p for p in parts.engine.state.players if not p.releasing])
    keys.tab_to(guest.lock)
    keys.press(Qt.Key.Key_Space)
    hands.until(lambda: not window.is_guest)
