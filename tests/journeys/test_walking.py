"""The whole window, walked: whatever is opened in walking.py is looked at here."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import QApplication, QWidget

from choreon.ui.widgets import spoken
from tests.journeys import walking

# as it is opened, a small laptop where everything has a long name, and 150 % on
# 1280 × 800
USUAL = (1280, 800)
WALKS = ((USUAL, "short"), ((1024, 700), "long"), ((853, 533), "short"))


@pytest.mark.parametrize(("size", "names"), WALKS)
def test_all_is_whole_and_large_enough(hands, size, names):
    """Nothing is cut without dots and a tooltip, nothing lies over another or is out of
    reach, nothing that is pressed is smaller than it should be; Esc closes what is
    open.
    """
    if names == "long":
        show = walking.with_long_names(hands.parts.document.show)
        hands.parts.document.edit("long names", show)
    hands.window.resize(*size)
    hands.until(lambda: (hands.window.width(), hands.window.height()) == size)

    found: dict[str, str] = {}
    closed = []
    by_keys = ByKeys()
    for state in walking.states(hands):
        for problem in walking.problems(state.root, size):
            found.setdefault(problem, state.name)
        if size == USUAL:
            found |= dict.fromkeys(walking.cut_ticks(state.root), state.name)
            found |= dict.fromkeys(by_keys.problems(state.root), state.name)
        if state.is_open:
            walking.press_escape(state)
            assert not state.is_open(), f"Esc does not close {state.name}"
            closed.append(state.name)
    assert len(closed) > 20
    if size == USUAL:
        assert len(by_keys.tried) > 200
    assert not found, "\n".join(f"{where}: {what}" for what, where in found.items())


class ByKeys:
    """Whatever Tab stops at shows the focus, lets it go on, and has a name and a role;
    what shows a value says it to a screen reader.
    """

    def __init__(self) -> None:
        self.looked_at: set[QWidget] = set()
        self.tried: set[QWidget] = set()

    def problems(self, root: QWidget) -> list[str]:
        """What is wrong in a state of the window; the focus stays where it is."""
        focus = QApplication.focusWidget()
        unseen = walking.without_focus_seen(root, self.looked_at)
        stuck = walking.traps(root, self.tried)
        if focus is not None:
            focus.setFocus()
        return [
            *(f"no focus seen: {problem}" for problem in unseen),
            *(f"Tab does not leave: {problem}" for problem in stuck),
            *walking.unspoken(root),
        ]


def test_a_screen_reader_hears_what_changes_and_plays_what_it_presses(
    hands, monkeypatch
):
    """The grand master's level as it goes, a tile as it comes on; both can be set."""
    perform = hands.place("perform")
    heard = []
    monkeypatch.setattr(spoken.QAccessible, "isActive", lambda: True)
    monkeypatch.setattr(
        spoken.QAccessible, "updateAccessibility", lambda event: heard.append(event)
    )

    def said_of(widget) -> str:
        known = QAccessible.queryAccessibleInterface(widget)
        return known.text(QAccessible.Text.Value)

    grand = hands.window.heading.grand
    hands.parts.engine.set_grand(0.5)
    hands.until(lambda: said_of(grand) == "50 %")
    assert any(event.object() is grand for event in heard)
    QAccessible.queryAccessibleInterface(grand).valueInterface().setCurrentValue(0.25)
    hands.until(lambda: hands.parts.engine.state.masters.grand == 0.25)

    tile = next(t for t in perform.tiles.values() if t.tile.kind == "pad")
    known = QAccessible.queryAccessibleInterface(tile)
    assert said_of(tile) == "off"
    known.actionInterface().doAction(spoken.PRESS)
    hands.until(lambda: said_of(tile) != "off")
    assert known.state().checked
    assert any(event.object() is tile for event in heard)
