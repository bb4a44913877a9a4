"""The whole window, walked: whatever is opened in walking.py is looked at here."""

from __future__ import annotations

import pytest
from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import QWidget

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
    for state in walking.states(hands):
        for problem in walking.problems(state.root, size):
            found.setdefault(problem, state.name)
        if size == USUAL:
            found |= dict.fromkeys(walking.cut_ticks(state.root), state.name)
        if state.is_open:
            walking.press_escape(state)
            assert not state.is_open(), f"Esc does not close {state.name}"
            closed.append(state.name)
    assert len(closed) > 20
    assert not found, "\n".join(f"{where}: {what}" for what, where in found.items())


def test_the_focus_is_seen_goes_on_and_a_screen_reader_is_told(hands):
    """Whatever Tab stops at shows the focus, lets it go on, and has a name and a role;
    what shows a value says it.
    """
    found: dict[str, str] = {}
    looked_at: set[QWidget] = set()
    tried: set[QWidget] = set()
    for state in walking.states(hands):
        for problem in walking.without_focus_seen(state.root, looked_at):
            found.setdefault(f"no focus seen: {problem}", state.name)
        for problem in walking.traps(state.root, tried):
            found.setdefault(f"Tab does not leave: {problem}", state.name)
        for problem in walking.unspoken(state.root):
            found.setdefault(problem, state.name)
    assert len(tried) > 200
    assert not found, "\n".join(f"{where}: {what}" for what, where in found.items())


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
