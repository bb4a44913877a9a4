"""The window in a language of which every text is marked where it begins and ends, and
longer than ours: run by test_language.py, in a process of its own, since a language holds
from start to end.

What is seen is one text of the catalogue, whole; or a name out of the show, or figures.
What is joined from two texts, or does not come out of the catalogue, is found.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from html import unescape

from PySide6.QtCore import QAbstractItemModel, QModelIndex, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QColorDialog,
    QComboBox,
    QDialog,
    QFileDialog,
    QGroupBox,
    QHeaderView,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QMessageBox,
    QTableView,
    QTreeView,
    QWidget,
)
from shiboken6 import isValid

from choreon.library import library
from choreon.model.cue_plays import plays_in_words
from choreon.model.cue_words import follow_as_typed, times_in_words
from choreon.model.playables.stack import number_in_words
from choreon.ui.help.window import HelpWindow
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.spoken import Speaks
from tests.journeys import walking
from tests.journeys.marks import BEGIN, END, plain

MOST_ROWS = 40  # of a list
SIZE = (1280, 800)


def texts_of(root: QWidget) -> Iterator[tuple[str, str]]:
    """What can be read of each widget that is seen, and whose it is."""
    for widget in [root, *root.findChildren(QWidget)]:
        if not widget.isVisible() or widget.property("names"):
            continue
        who = f"{type(widget).__name__} “{plain(walking.label_of(widget))}”"
        for text in _of_widget(widget):
            if text:
                yield who, text


def _of_widget(widget: QWidget) -> Iterator[str]:
    yield widget.toolTip()
    yield widget.accessibleName()
    if isinstance(widget, Speaks):
        yield widget.spoken().value

    if isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    elif isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    elif isinstance(widget, QGroupBox):
        yield widget.title()
    elif isinstance(widget, QComboBox):
        yield from (widget.itemText(i) for i in range(widget.count()))
    elif isinstance(widget, QAbstractItemView) and not isinstance(widget, QHeaderView):
        yield from _of_model(widget)


def _of_model(view: QAbstractItemView) -> Iterator[str]:
    model: QAbstractItemModel = view.model()
    top = QModelIndex()
    columns = model.columnCount(top) if isinstance(view, QTableView | QTreeView) else 1
    for column in range(columns):
        if isinstance(view, QTableView | QTreeView):
            head = model.headerData(column, Qt.Orientation.Horizontal)
            yield str(head or "")
        for row in range(min(MOST_ROWS, model.rowCount(top))):
            index = model.index(row, column, top)
            for role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
                yield str(index.data(role) or "")


def names_of(show) -> set[str]:
    """All that the show's maker wrote."""
    found = {show.name, show.room.name}
    kinds = [*show.types.values(), *library().values()]
    things = [*show.fixtures.values(), *kinds, *show.groups.values()]
    things += [*show.playables.values(), *show.palettes.values(), *show.pages.values()]
    things += [*show.masters.values(), *show.marks.values(), *show.outputs.values()]
    things += show.images.values()
    things += [*show.room.bars, *show.room.keep_out]
    for kind in kinds:
        things += [*kind.modes, *kind.channels, *kind.wheels]
        found |= {kind.label, kind.maker}
        for channel in kind.channels:
            things += channel.ranges
            found |= {channel.label}
        for wheel in kind.wheels:
            things += wheel.slots
    for page in show.pages.values():
        things += [*page.tiles, *page.sections]
    for playable in show.playables.values():
        found |= {playable.folder, *playable.tags}
        things += getattr(playable, "steps", ())
        things += getattr(playable, "layers", ())
        texts = (
            getattr(layer, "text", "") for layer in getattr(playable, "layers", ())
        )
        found |= set(texts)
        things += getattr(playable, "cues", ())
        for cue in getattr(playable, "cues", ()):
            # what is typed again as it stands there is no text
            found |= {number_in_words(cue.number), plays_in_words(show, cue)}
            found |= {times_in_words(playable, cue), follow_as_typed(cue.follow)}
        found |= set(getattr(playable, "text", ()))
    for thing in things:
        found |= {getattr(thing, "name", ""), getattr(thing, "short", "")}
        found |= {getattr(thing, "note", ""), getattr(thing, "choice", "")}
        found |= {getattr(thing, "event", "")}
    found |= {"cue", "title", "up", "colour", "Doors  ·  No", "red  ·  blue"}  # a table
    return {text for text in found if text} | STANDARDS


STANDARDS = {"sACN", "Art-Net", "ArtSync", "Practice controller", walking.NOTICE}
"""Names that are the same in every language, and what the walk itself says."""


def faults(text: str, names: set[str]) -> list[str]:
    """What of a text does not come out of the catalogue as one. Lines are texts of their
    own.
    """
    if re.match(r"/|#[0-9a-f]{6}$|\d+ \S+ \d{4}, ", text):
        return []  # a path, a colour, a date
    text = unescape(re.sub(r"<[^>]+>", "", re.sub(r"<br ?/?>", "\n", text)))
    found = []
    for line in _lines(text):
        depth, wholes, outside = 0, 0, ""
        for letter in line:
            if letter == BEGIN:
                wholes += depth == 0
                depth += 1
            elif letter == END:
                depth -= 1
            elif depth == 0:
                outside += letter

        said = outside.strip(" &▲●○◌·→✓…")
        if wholes > 1:
            found.append(f"joined: {line}")
        elif wholes and re.search(r"[^\W\d_]{2}", said):
            found.append(f"partly: {line}")
        elif not wholes and not _is_named(said, names):
            found.append(f"not said: {line}")
    return found


def _lines(text: str) -> list[str]:
    """The lines of a text; one text of the catalogue may have several."""
    lines, depth = [""], 0
    for letter in text:
        depth += (letter == BEGIN) - (letter == END)
        if letter == "\n" and depth == 0:
            lines.append("")
        else:
            lines[-1] += letter
    return lines


def _is_named(text: str, names: set[str]) -> bool:
    """Whether a text is made of names and figures alone."""
    for name in sorted(names, key=len, reverse=True):
        text = text.replace(name, "")
    return not re.search(r"[^\W\d_]{2}", text)


def lasting_problems(root: QWidget) -> list[str]:
    """What is cut, hidden or lies over another, and does so a moment later, too."""
    found = walking.problems(root, SIZE)
    if found:
        QTest.qWait(200)
        found = [
            problem for problem in walking.problems(root, SIZE) if problem in found
        ]
    return found


def test_every_text_is_one_of_the_catalogue_and_has_room(hands):
    """Whatever is seen in a place, a form or a dialog."""
    hands.window.resize(*SIZE)
    names = names_of(hands.parts.document.show)
    found: dict[str, str] = {}
    seen = 0
    states = walking.states(hands)
    for state in states:
        if isinstance(state.root, HelpWindow):
            continue  # its pages are files of a language
        for who, text in texts_of(state.root):
            seen += 1
            for fault in faults(text, names):
                found.setdefault(f"{who}: {fault}", state.name)
        for problem in lasting_problems(state.root):
            found.setdefault(plain(problem), state.name)
        if state.is_open:
            walking.press_escape(state)
    assert seen > 1000
    assert not found, "\n".join(f"{where}: {what}" for what, where in found.items())


ASKS = {  # what stops the window until it is answered, and an answer that leaves all as it is
    (QInputDialog, "getText"): ("", False),
    (QInputDialog, "getInt"): (0, False),
    (QInputDialog, "getDouble"): (0.0, False),
    (QInputDialog, "getItem"): ("", False),
    (QFileDialog, "getOpenFileName"): ("", ""),
    (QFileDialog, "getSaveFileName"): ("", ""),
    (QFileDialog, "getExistingDirectory"): "",
    (QColorDialog, "getColor"): QColor(),
}


def test_every_menu_question_and_answer_is_one_of_the_catalogue(hands, monkeypatch):
    """What pressing each button of the places asks, tells, and calls its step."""
    said: list[tuple[str, str]] = []
    pressed = "nothing"

    def hear(*texts: str) -> None:
        said.extend((pressed, text) for text in texts if text)

    def menu_shown(menu: QMenu, *_: object) -> None:
        for action in menu.actions():
            hear(action.text().replace("&&", "&"), action.toolTip())
            if action.menu() is not None:
                menu_shown(action.menu())

    def asked(answer: object):
        def ask(*given: object, **named: object) -> object:
            hear(*(text for text in (*given, *named.values()) if isinstance(text, str)))
            return answer

        return ask

    def dialog_shown(dialog: QDialog) -> int:
        hear(*(text for _, text in texts_of(dialog)))
        return 0

    monkeypatch.setattr(Menu, "exec", menu_shown)
    monkeypatch.setattr(QDialog, "exec", dialog_shown)
    monkeypatch.setattr(QMessageBox, "exec", dialog_shown)
    for (kind, name), answer in ASKS.items():
        monkeypatch.setattr(kind, name, asked(answer))
    hands.parts.notices.told.connect(lambda text, _: hear(text))

    document = hands.parts.document
    names = names_of(document.show)
    presses = 0
    for arranging, place in PLACES:
        root = hands.place(place)
        hands.parts.selection.choose(list(document.show.fixtures)[:3])
        if arranging:
            hands.window.perform.arrange(True)

        for button in root.findChildren(QAbstractButton):
            usable = isValid(button) and button.isVisible() and button.isEnabled()
            if not usable or button.window() is not hands.window:
                continue
            pressed = f"{place}: {plain(walking.label_of(button))}"
            button.click()
            QApplication.processEvents()
            presses += 1
            hear(document.history.undo_name or "")
            if hands.window.place != place:
                hands.place(place)

    assert presses > 70
    names |= names_of(document.show)
    found = {}
    for where, text in said:
        text = text.partition("\t")[0]  # what follows is a key
        for fault in faults(text, names):
            found.setdefault(fault, where)
    assert len(said) > 300
    assert not found, "\n".join(f"{where}: {what}" for what, where in found.items())


PLACES = (
    (False, "rig"),
    (False, "compose"),
    (False, "score"),
    (False, "perform"),
    (True, "perform"),
    (False, "surfaces"),
)
