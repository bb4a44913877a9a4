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
from choreon.model.show import Place
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


def test_the_words_on_an_empty_plan_lie_over_no_mark(hands, own_folders):
    show = begin.empty_show("Bare")
    hands.holder.begin(show, own_folders / "Bare.choreon")
    window = opened(hands)
    window.go("rig")
    plan = window.places["rig"].plan
    for size in ((1280, 800), (1024, 700), (1600, 1000)):
        window.resize(*size)
        QTest.qWait(50)
        plate = plan.hint_plate(min(460, plan.width() - 24), 48)
        assert plan.rect().toRectF().contains(plate)
        points = [plan.at(Place(m.x, m.y, m.z)) for m in show.marks.values()]
        assert points
        assert not any(plate.contains(point) for point in points)


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
        hands.click(hands.button(dialog, "Cancel"))

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
        words = dialog.list.fontMetrics()
        for row in rows:  # nothing is cut
            for column in range(2):
                need = words.horizontalAdvance(row.text(column))
                assert dialog.list.columnWidth(column) > need
        hands.type(dialog.line, "work")

    # the show that is open is among them as soon as its window stands
    hands.until(lambda: len(begin.recent_shows(hands.window.settings)) > 1)
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
    told: list[str] = []
    hands.parts.notices.told.connect(lambda text, _: told.append(text))
    pick(hands, hands.window.more.click, "Copy the show")
    written = tmp_path / "Low Tide, copy.choreon"
    hands.until(lambda: any(str(written) in text for text in told))
    assert showfile.read(written) == showfile.read(hands.parts.document.path)
    assert hands.parts.document.path.stem == "Low Tide"  # that is still what is edited
    hands.window.shows.copy_to(tmp_path / "nowhere" / "x.choreon")
    hands.until(lambda: "cannot be written" in told[-1])
    hands.window.shows.copy_to(hands.parts.document.path)
    assert "is this show itself" in told[-1]


def three_versions(hands) -> None:
    """The show is changed three times, and kept each time as it was before."""
    document = hands.parts.document
    for name in ("One", "Two", "Three"):
        keep_version(document.path, due=True)
        document.edit("page", edits.add_page(document.show, name)[0])
        document.flush(5.0)


def test_earlier_versions_have_pictures_dates_and_say_what_changed(hands):
    three_versions(hands)
    document = hands.parts.document

    def answer(dialog) -> None:
        hands.until(lambda: dialog.list.count() == 3)
        texts = [dialog.list.item(i).text() for i in range(3)]
        assert all(text.startswith(("Today at ", "Yesterday at")) for text in texts)
        assert {text.splitlines()[2] for text in texts} == {"1 difference"}
        assert [v.since for v in dialog.found] == [
            ("1 page added: Three",),
            ("2 pages added: Two and Three",),
            ("3 pages added: One, Two and Three",),
        ]
        picture = dialog.list.item(0).icon().pixmap(dialog.list.iconSize()).toImage()
        colours = {
            picture.pixelColor(x, y).rgb()
            for x in range(0, picture.width(), 4)
            for y in range(0, picture.height(), 4)
        }
        assert len(colours) > 10  # a lit room, no plain ground
        dialog.list.setCurrentRow(1)
        assert dialog.since.toPlainText() == "2 pages added: Two and Three"
        hands.click(dialog.take)

    ask(hands, "Earlier versions", answer)
    names = [page.name for page in document.show.pages.values()]
    assert "One" in names
    assert "Two" not in names
    newest = showfile.read(versions(document.path)[0])
    assert "Three" in [p.name for p in newest.pages.values()]  # what was there is kept
    assert document.history.undo_name.startswith("take back the version of ")
    document.undo()
    assert "Three" in [page.name for page in document.show.pages.values()]


def test_taking_back_lets_the_light_go_on(hands, node):
    keep_version(hands.parts.document.path, due=True)
    document = hands.parts.document
    hands.parts.engine.press("cello-pad")
    hands.until(lambda: hands.parts.engine.state.players)
    document.edit("page", edits.add_page(document.show, "One")[0])

    def answer(dialog) -> None:
        hands.until(lambda: dialog.chosen is not None)
        hands.click(dialog.take)

    ask(hands, "Earlier versions", answer)
    hands.heeded()
    assert hands.parts.engine.state.players
    assert all(r.jumps == 0 for r in node.reports())


def test_a_version_is_opened_as_a_show_of_its_own(hands):
    three_versions(hands)
    before = hands.parts.document.path.read_bytes()

    def answer(dialog) -> None:
        hands.until(lambda: dialog.list.count() == 3)
        dialog.list.setCurrentRow(2)
        hands.click(dialog.beside)

    old = hands.parts.document.path
    ask(hands, "Earlier versions", answer)
    window = opened(hands)
    document = window.parts.document
    assert document.path.parent == old.parent
    assert document.path != old
    assert document.show.id != "low-tide"
    assert "One" not in [page.name for page in document.show.pages.values()]
    assert old.read_bytes() == before


def test_a_damaged_version_says_so_and_the_others_are_there(hands):
    three_versions(hands)
    versions(hands.parts.document.path)[1].write_bytes(b"PK no more")

    def answer(dialog) -> None:
        hands.until(lambda: dialog.list.count() == 3)
        dialog.list.setCurrentRow(1)
        assert "Cannot be read" in dialog.list.item(1).text()
        assert "It cannot be read" in dialog.hint.text()
        assert not dialog.take.isEnabled()
        assert not dialog.beside.isEnabled()
        dialog.list.setCurrentRow(2)
        assert dialog.take.isEnabled()

    ask(hands, "Earlier versions", answer)


def test_without_a_version_the_dialog_says_when_there_is_one(hands):
    for version in versions(hands.parts.document.path):
        version.unlink()
    ask(
        hands,
        "Earlier versions",
        lambda d: hands.until(lambda: "There is none yet" in d.hint.text()),
    )
