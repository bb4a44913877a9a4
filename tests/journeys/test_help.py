"""Help for what is under the hand, all keys, and the first evening."""

from __future__ import annotations

import importlib
import pkgutil
import re

import pytest
from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from choreon import ui
from choreon.ui.help import keys, pages, under_hand, window
from choreon.ui.help.window import HelpWindow
from choreon.ui.perform.guest_dialog import GuestDialog
from tests.journeys.conftest import pick


def help_of(hands) -> HelpWindow:
    """The window of the help, once it is open."""
    hands.until(lambda: hands.window.findChildren(HelpWindow))
    return hands.window.findChildren(HelpWindow)[0]


@pytest.mark.parametrize("topic", pages.TOPICS[:-1])
def test_every_page_is_there_and_its_links_lead_somewhere(topic):
    text = pages.read(topic)
    assert text.startswith("# ")
    assert len(text.split()) > 40
    links = re.findall(r"\]\(([^)]*)\)", text)
    assert set(links) <= set(pages.TOPICS)


def test_f1_tells_about_what_has_the_focus_or_lies_under_the_mouse(hands, monkeypatch):
    rig = hands.place("rig")
    compose = hands.window.places["compose"]
    expected = [
        (rig.plan, "hang"),
        (rig.hang, "hang"),
        (rig.ribbon, "addresses"),
        (hands.window.heading.tempo.bpm, "tempo"),
        (compose.who, "choose"),
        (compose.stage, "choose"),
        (compose.what, "values"),
        (compose.shelf, "draft"),
        (hands.window.perform, "perform"),
        (hands.window.places["surfaces"], "surfaces"),
    ]
    for widget, topic in expected:
        monkeypatch.setattr(QApplication, "widgetAt", lambda *_, w=widget: w)
        QTest.keySequence(hands.window, QKeySequence("F1"))
        opened = help_of(hands)
        assert opened.topic == topic, widget
        assert opened.text.toPlainText().startswith(pages.titles()[topic])
        opened.hide()
        hands.window.activateWindow()
        hands.until(lambda: QApplication.activeWindow() is hands.window)


def test_f1_in_a_dialog_tells_about_the_dialog(hands):
    hands.place("perform")

    def answer(dialog) -> None:
        assert isinstance(dialog, GuestDialog)
        QTest.keyClick(dialog, Qt.Key.Key_F1)
        found = dialog.findChildren(HelpWindow)
        assert found[0].isVisible()
        assert found[0].topic == "guest"
        found[0].go("keys")  # it is not shut out by the dialog
        assert "Ctrl+K" in found[0].text.toPlainText()
        found[0].close()

    hands.in_dialog(hands.window.ask_guest, answer)


def test_pages_are_found_by_their_words_and_links_lead_on(hands):
    pick(hands, hands.window.more.click, "Help")
    opened = help_of(hands)
    hands.type(opened.line, "switches", enter=False)
    shown = [
        opened.list.item(i).text()
        for i in range(opened.list.count())
        if not opened.list.item(i).isHidden()
    ]
    assert shown == ["Addresses"]
    assert opened.topic == "addresses"
    assert opened.text.extraSelections()  # the word is marked in the page
    opened.line.clear()
    assert not any(opened.list.item(i).isHidden() for i in range(opened.list.count()))
    opened.text.anchorClicked.emit(QUrl("outputs"))
    assert opened.topic == "outputs"


def test_all_keys_are_in_one_list(hands):
    """Every key that the window itself listens to is told of."""
    for name in ("rig", "compose", "score", "perform", "surfaces"):
        hands.place(name)
    pick(hands, hands.window.more.click, "All keys")
    said = help_of(hands).text.toPlainText()
    listened = {s.key().toString() for s in hands.window.findChildren(QShortcut)}
    listened |= {c.key for c in hands.window.commands() if c.key}
    assert {"Ctrl+K", "Ctrl+E", "Ctrl+I", "F1"} <= listened
    words = set(re.split(r"[\s,]+", said)) | {"Ctrl+,"}
    assert {key for key in listened if key} <= words
    for _, place in keys.OF_PLACES:
        assert place in said


def test_a_page_that_is_missing_says_so_and_nothing_else_is_lost(hands, monkeypatch):
    monkeypatch.setattr(window.pages, "read", lambda topic: pages.MISSING)
    hands.window.tell("outputs")
    opened = help_of(hands)
    assert "This page is missing" in opened.text.toPlainText()
    opened.text.anchorClicked.emit(QUrl("keys"))
    assert "Ctrl+Backspace" in opened.text.toPlainText()
    assert pages.read("no such page") == pages.MISSING


def test_every_kind_that_has_a_page_is_there():
    """What a page is about is a class of the interface, and the page exists."""
    assert set(under_hand.PAGE_OF.values()) <= set(pages.TOPICS)
    known: set[str] = set()
    for found in pkgutil.walk_packages(ui.__path__, "choreon.ui."):
        known |= set(vars(importlib.import_module(found.name)))
    assert set(under_hand.PAGE_OF) <= known


def test_the_first_evening_watches_what_is_done(hands):
    pick(hands, hands.window.more.click, "The first evening")
    evening = hands.window.evening
    assert evening.isVisible()
    assert "1 of 5" in evening.count.text()
    hands.click(evening.there)
    rig = hands.window.places["rig"]
    assert hands.window.place == "rig"
    rig.hang.choose_type("pellow-dot")
    hands.click(hands.button(rig.hang, "Hang"))
    hands.until(lambda: evening.at >= 1)
    hands.parts.selection.choose([])
    hands.click(evening.there)
    assert hands.window.place == "compose"
    hands.parts.selection.choose(["par-1"])
    hands.until(lambda: evening.at == 2)
    assert "light" in evening.title.text()
    stage = hands.window.places["compose"].stage
    stage.setFocus()
    hands.until(stage.hasFocus)
    QTest.keySequence(stage, QKeySequence("Ctrl+U"))
    hands.until(lambda: evening.at == 3)

    ledger = hands.window.ledger
    QTest.keySequence(hands.window, QKeySequence("Ctrl+S"))
    hands.until(ledger.form.isVisible)
    hands.type(ledger.form.name, "My first")
    hands.until(lambda: evening.at == 4)
    hands.click(evening.there)
    assert hands.window.place == "perform"
    hands.parts.engine.press("cello-pad")
    hands.until(lambda: evening.at == 5)
    assert "All five" in evening.count.text()
    hands.click(evening.there)
    assert not evening.isVisible()


def test_a_step_of_the_first_evening_is_skipped_and_told_more_about(hands):
    evening = hands.window.evening
    evening.begin()
    hands.click(evening.more)
    assert help_of(hands).topic == "hang"
    help_of(hands).hide()
    hands.click(evening.skip)
    assert "2 of 5" in evening.count.text()
    hands.press(evening, "Leave the first evening")
    assert not evening.isVisible()
    hands.parts.selection.choose(["par-1"])
    assert evening.at == 1  # it watches no more
