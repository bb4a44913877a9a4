"""The find box, in the real window."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from choreon.model import attributes as at
from choreon.model import edits
from choreon.ui.find.search import Entry, find
from tests.conftest import values
from tests.journeys.conftest import mostly

CTRL = Qt.KeyboardModifier.ControlModifier


def opened(hands):
    """The box, opened by its key."""
    box = hands.window.find_box
    QTest.keyClick(hands.window, Qt.Key.Key_K, CTRL)
    hands.until(box.isVisible)
    hands.until(box.line.hasFocus)
    return box


def shown(box) -> list[tuple[str, str, str]]:
    """The lines that are shown."""
    rows = [box.list.topLevelItem(i) for i in range(box.list.topLevelItemCount())]
    return [(r.text(0), r.text(1), r.text(2)) for r in rows]


def look_for(hands, text: str):
    box = opened(hands)
    QTest.keyClicks(box.line, text)
    return box


def nothing() -> None:
    """Do nothing."""


ENTRIES = [
    Entry("Par 1", "lamp", nothing, words="choose p1 1 1.11"),
    Entry("Par 11", "lamp", nothing, words="choose p11 11 1.91"),
    Entry("Undo", "command", nothing, "Ctrl+Z", "back edit"),
    Entry("Blackout", "command", nothing, "Ctrl+B", "dark all off"),
    Entry("All pars", "group", nothing, words="choose"),
]


@pytest.mark.parametrize(
    ("text", "first", "count"),
    [
        ("par 1", "Par 1", 1),  # a number is a whole one: not that of Par 11
        ("par 11", "Par 11", 1),
        ("par", "Par 1", 3),
        ("how do I undo", "Undo", 1),
        ("go back", "Undo", 0),
        ("dark", "Blackout", 1),
        ("BLACK", "Blackout", 1),
        ("", "", 0),
        ("zebra", "", 0),
    ],
)
def test_every_word_has_to_fit_and_the_best_comes_first(text, first, count):
    found = find(ENTRIES, text)
    assert len(found) == count
    if count:
        assert found[0].title == first


def test_a_new_user_makes_lamp_3_red_by_the_find_box_alone(hands, node):
    """As the question is said: the lamp numbered 3 shines red, in the draft."""
    show = hands.parts.document.show
    (lamp,) = [f for f in show.fixtures.values() if f.name == "Par 3"]
    others = {f.id: {"number": 0} for f in show.fixtures.values() if f.number == 3}
    changed = edits.change_fixtures(show, {**others, lamp.id: {"number": 3}})
    hands.parts.document.edit("number", changed)
    box = look_for(hands, "how do I make lamp 3 red")
    titles = [title for title, _, _ in shown(box)]
    assert "Make Par 3 red" in titles
    while box.list.currentItem().text(0) != "Make Par 3 red":
        QTest.keyClick(box.line, Qt.Key.Key_Down)
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    assert not box.isVisible()
    assert hands.parts.selection.chosen == (lamp.id,)
    look = hands.parts.engine.state.draft.look[lamp.id]
    assert look[at.DIMMER] == 1.0
    assert [look[name] for name in at.TARGET_COLOUR] == [1.0, 0.0, 0.0]
    kind = show.types[lamp.type]
    slots = {use.channel: use.slots[0] for use in kind.mode(lamp.mode).uses}

    def levels() -> list[int]:
        frame = values(node, lamp.universe)
        names = ("red", "green", "blue")
        return [frame[lamp.address + slots[n] - 2] for n in names] if frame else []

    hands.until(lambda: mostly(levels(), 0), 10.0, f"it is {levels()}")


def test_levels_and_palettes_and_groups_are_asked_for_in_words(hands):
    show = hands.parts.document.show
    group = next(g for g in show.groups.values() if len(g.fixtures) > 2)
    palette = next(p for p in show.palettes.values() if p.family == "colour")
    box = look_for(hands, f"{group.name} 40% {palette.name}")
    title = f"Make {group.name} 40 % and {palette.name}"
    assert shown(box)[0][:2] == (title, "into the draft")
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    look = hands.parts.engine.state.draft.look
    assert set(look) == set(group.fixtures)
    for values_ in look.values():
        assert values_[at.DIMMER] == pytest.approx(0.4)
    assert f"palette:{palette.id}" in look[group.fixtures[0]].values()


def test_commands_tell_their_keys_and_are_done(hands):
    box = look_for(hands, "black")
    assert ("Blackout", "command", "Ctrl+B") in shown(box)
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    hands.until(lambda: hands.parts.engine.state.masters.blackout)
    box = look_for(hands, "go to rig")
    assert shown(box)[0] == ("Rig", "place", "Ctrl+1")
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    assert hands.window.place == "rig"


def test_things_of_the_show_are_led_to(hands):
    show = hands.parts.document.show
    page = list(show.pages.values())[-1]
    box = look_for(hands, f"page {page.name}")
    rows = [title for title, sort, _ in shown(box) if sort == "page"]
    assert rows[0] == page.name
    scene = next(p for p in show.playables.values() if p.kind == "scene")
    box.line.clear()
    QTest.keyClicks(box.line, scene.name)
    at_row = shown(box).index((scene.name, "scene", ""))
    for _ in range(at_row):
        QTest.keyClick(box.line, Qt.Key.Key_Down)
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    assert hands.window.place == "compose"
    assert hands.window.compose.shelf.chosen == scene.id


def test_escape_and_a_click_elsewhere_close_it(hands):
    box = look_for(hands, "zebra")
    assert "Nothing is called that" in box.hint.text()
    QTest.keyClick(box.line, Qt.Key.Key_Escape)
    assert not box.isVisible()
    hands.press(hands.window.rail, "Find")
    hands.until(box.isVisible)
    assert box.line.selectedText() == "zebra"  # to be typed over
    hands.place("perform")
    hands.until(lambda: not box.isVisible())
