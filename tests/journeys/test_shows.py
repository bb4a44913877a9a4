"""Shows as files: a new one, another one, copies, and earlier versions."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from choreon import folders
from choreon.formats import showfile
from choreon.formats.versions import keep_version, versions
from choreon.model import edits
from choreon.ui.shows import begin
from tests.journeys.conftest import pick


def ask(hands, line: str, do) -> None:
    """Choose a line of the window's menu, and answer in the dialog that it opens."""
    hands.in_dialog(lambda: pick(hands, hands.window.more.click, line), do)


def opened(hands):
    """The window that is open now, once its engine plays."""
    window = hands.holder.window
    hands.until(lambda: window.parts.engine.alive)
    return window


@pytest.mark.parametrize("sample", [False, True])
def test_a_new_show_begins_empty_or_with_the_sample(hands, sample):
    def answer(dialog) -> None:
        hands.type(dialog.name, "Summer / Fair", enter=False)
        if sample:
            dialog.sample.click()
        assert "Summer Fair.choreon" in dialog.hint.text()
        hands.click(dialog.begin)

    ask(hands, "New show", answer)
    window = opened(hands)
    path = folders.shows() / "Summer Fair.choreon"
    assert window.parts.document.path == path
    hands.until(path.exists)
    show = window.parts.document.show
    assert show.name == "Summer / Fair"
    assert bool(show.fixtures) is sample
    assert show.palettes
    assert show.id not in ("", "low-tide")
    assert begin.recent_shows(window.settings)[0] == path


def test_a_new_show_never_takes_the_place_of_a_file(hands):
    taken = folders.shows() / "Matinee.choreon"
    taken.write_bytes(b"mine")
    hands.parts.engine.press("cello-pad")
    hands.until(lambda: hands.parts.engine.state.players)

    def answer(dialog) -> None:
        assert "Low Tide is on stage: its light goes out" in dialog.warning.text()
        hands.type(dialog.name, "Matinee", enter=False)
        assert "“Matinee 2” is free" in dialog.hint.text()
        assert not dialog.begin.isEnabled()
        QTest.keyClick(dialog.name, Qt.Key.Key_Return)
        assert dialog.isVisible()
        hands.type(dialog.name, " ", enter=False)
        dialog.name.clear()
        assert "Give the show a name" in dialog.hint.text()
        hands.click(hands.button(dialog, "Stay here"))

    ask(hands, "New show", answer)
    assert taken.read_bytes() == b"mine"
    assert hands.holder.window is hands.window


def test_a_show_of_late_is_found_by_its_name_and_opened(hands):
    folder = folders.shows()
    for name in ("Matinee", "Workshop"):
        showfile.write(folder / f"{name}.choreon", begin.empty_show(name))
    begin.remember_show(hands.window.settings, folder / "Gone.choreon")

    def answer(dialog) -> None:
        rows = [dialog.list.topLevelItem(i) for i in range(4)]
        names = {row.text(0): row for row in rows}
        assert set(names) == {"Gone", "Low Tide (open now)", "Matinee", "Workshop"}
        assert names["Gone"].text(1) == "not there now"
        assert names["Gone"].isDisabled()
        hands.type(dialog.line, "work")

    hands.in_dialog(
        lambda: QTest.keySequence(hands.window, QKeySequence("Ctrl+O")), answer
    )
    assert opened(hands).parts.document.show.name == "Workshop"


def test_a_show_that_cannot_be_read_leaves_this_one_open(hands, monkeypatch, tmp_path):
    path = tmp_path / "Broken.choreon"
    path.write_bytes(b"PK no more")
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", lambda *_, **__: (str(path), "")
    )
    ask(hands, "Open a show", lambda d: hands.click(d.elsewhere))
    assert hands.holder.window is hands.window
    assert "This show stays open" in hands.window.notice.text.text()
    assert path.read_bytes() == b"PK no more"


def test_a_copy_holds_everything_and_trouble_is_told(hands, monkeypatch, tmp_path):
    path = tmp_path / "Low Tide, copy"
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), "")
    )
    pick(hands, hands.window.more.click, "Copy the show")
    written = tmp_path / "Low Tide, copy.choreon"
    hands.until(lambda: str(written) in hands.window.notice.text.text())
