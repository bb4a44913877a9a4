"""The place Score, driven as an operator does: cues typed, timed, placed in the text,
checked, run dry, and played with one hand on the space bar.
"""

from __future__ import annotations

import csv
import io
import time

import pypdf
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit

from choreon.model import cues, edits
from choreon.model.playables.stack import Cue, FollowKind
from choreon.model.refs import Ref
from choreon.model.script import TextPlace
from choreon.ui.drags import carry
from choreon.ui.score.cue_table import Column
from choreon.ui.score.files import ColumnsDialog
from choreon.ui.score.place import ScorePlace
from tests.conftest import PATIENCE
from tests.journeys.conftest import Hands

CTRL = Qt.KeyboardModifier.ControlModifier
ALT = Qt.KeyboardModifier.AltModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def score(hands: Hands) -> ScorePlace:
    place = hands.place("score")
    assert isinstance(place, ScorePlace)
    return place


@pytest.fixture
def fresh(hands: Hands, score: ScorePlace) -> ScorePlace:
    """An empty stack of one's own."""
    score.hand.new_stack("Dusk")
    score.table.setFocus()
    return score


def until(what, seconds: float = PATIENCE) -> None:
    """Let the window live until something holds."""
    end = time.monotonic() + max(seconds, PATIENCE)
    while not what():
        assert time.monotonic() < end, "it did not come to that"
        QTest.qWait(5)


def names(score: ScorePlace) -> list[str]:
    return [cue.name for cue in score.hand.cues]


def go_to_cell(score: ScorePlace, row: int, column: Column) -> None:
    score.table.setFocus()
    score.table.setCurrentIndex(score.table.cues.index(row, column))


def type_cell(score: ScorePlace, row: int, column: Column, text: str) -> None:
    """Type over a cell, by keys alone."""
    go_to_cell(score, row, column)
    QTest.keyClick(score.table, Qt.Key.Key_F2)
    editor = QApplication.focusWidget()
    assert isinstance(editor, QLineEdit)
    editor.selectAll()
    QTest.keyClicks(editor, text)
    finish(editor)


def finish(editor: QLineEdit) -> None:
    """Enter, which is taken a moment later."""
    QTest.keyClick(editor, Qt.Key.Key_Return)
    until(lambda: QApplication.focusWidget() is not editor)


def press(score: ScorePlace, key: Qt.Key, modifiers=Qt.KeyboardModifier.NoModifier):
    QTest.keyClick(QApplication.focusWidget() or score.table, key, modifiers)


def guard_is_over(score: ScorePlace) -> None:
    """A GO would be taken again."""
    until(lambda: time.monotonic() - score.hand.cursor.went > 0.3)


# typing


def test_cues_are_typed_and_timed_by_keys_alone(hands, fresh):
    score = fresh
    for row, (name, what) in enumerate(
        [("Doors", "House lights 60%"), ("Water", "Slack Water, Cello"), ("Dark", "")]
    ):
        type_cell(score, row, Column.NAME, name)
        if what:
            type_cell(score, row, Column.PLAYS, what)
    assert names(score) == ["Doors", "Water", "Dark"]
    first, second, third = score.hand.cues
    assert [part.level for part in first.plays] == [0.6]
    assert [part.ref.id for part in second.plays] == ["slack-water", "cello"]
    assert third.plays == ()

    type_cell(score, 1, Column.TIMES, "1+2/4")
    type_cell(score, 2, Column.COMES, "done 3")
    type_cell(score, 2, Column.NOTE, "when the door shuts")
    _, second, third = score.hand.cues
    assert (second.delay_in, second.fade_in, second.fade_out) == (1.0, 2.0, 4.0)
    assert third.follow.kind == FollowKind.COMPLETE
    assert third.note == "when the door shuts"

    type_cell(score, 2, Column.NUMBER, "1.5")
    assert names(score) == ["Doors", "Dark", "Water"]
    hands.window.history.undo()
    assert names(score) == ["Doors", "Water", "Dark"]


def test_what_cannot_be_is_told_and_changes_nothing(hands, fresh):
    score = fresh
    type_cell(score, 0, Column.NAME, "Doors")
    before = score.hand.cues
    for column, text in (
        (Column.TIMES, "soon"),
        (Column.COMES, "26:00"),
        (Column.PLAYS, "Nobody"),
        (Column.NUMBER, "x"),
    ):
        type_cell(score, 0, column, text)
        hands.until(hands.window.notice.isVisible)
        hands.window.notice.dismiss.click()
        assert score.hand.cues == before


def test_a_check_that_ends_takes_nothing_away_that_is_being_typed(fresh):
    score = fresh
    type_cell(score, 0, Column.NAME, "Doors")
    go_to_cell(score, 0, Column.NUMBER)
    QTest.keyClick(score.table, Qt.Key.Key_F2)
    editor = QApplication.focusWidget()
    assert isinstance(editor, QLineEdit)
    editor.selectAll()
    QTest.keyClicks(editor, "7")
    score.table.cues.show_problems({score.hand.cues[0].id: ["it changes nothing"]})
    assert editor.text() == "7"
    finish(editor)
    assert score.hand.cues[0].number == 7.0


def test_what_is_typed_is_for_all_that_are_chosen(fresh):
    score = fresh
    for row in range(3):
        type_cell(score, row, Column.NAME, f"C{row}")
    score.hand.choose([cue.id for cue in score.hand.cues[:2]])
    type_times = score.table.cues.index(0, Column.TIMES)
    score.table.cues.setData(type_times, "7")
    assert [cue.fade_in for cue in score.hand.cues] == [7.0, 7.0, None]


def test_cut_copy_paste_repeat_move_and_remove_by_keys(fresh):
    score = fresh
    for row in range(3):
        type_cell(score, row, Column.NAME, f"C{row}")
    score.hand.choose([score.hand.cues[0].id])
    go_to_cell(score, 0, Column.NAME)
    press(score, Qt.Key.Key_D, CTRL)
    assert names(score) == ["C0", "C0", "C1", "C2"]
    press(score, Qt.Key.Key_Down, ALT)
    assert names(score) == ["C0", "C1", "C0", "C2"]
    press(score, Qt.Key.Key_X, CTRL)
    assert names(score) == ["C0", "C1", "C2"]
    press(score, Qt.Key.Key_V, CTRL)
    assert sorted(names(score)) == ["C0", "C0", "C1", "C2"]
    press(score, Qt.Key.Key_Delete)
    assert names(score) == ["C0", "C1", "C2"]
    numbers = [cue.number for cue in score.hand.cues]
    assert numbers == sorted(set(numbers))


def test_cards_become_cues_where_they_are_dropped(fresh):
    score = fresh
    for row in range(2):
        type_cell(score, row, Column.NAME, f"C{row}")
    refs = [Ref("scene", "mudlight"), Ref("scene", "cello")]
    room = score.table.visualRect(score.table.cues.index(0, 0))
    point = QPointF(room.center() + QPoint(0, room.height() // 3))
    data = carry(*refs)  # the event does not keep it
    drop = QDropEvent(
        point,
        Qt.DropAction.CopyAction,
        data,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    score.table.dropEvent(drop)
    assert names(score) == ["C0", "Mudlight", "Cello", "C1"]


def test_a_cue_of_what_is_on_and_of_the_draft(hands, fresh):
    score = fresh
    hands.parts.engine.press("mudlight-pad")
    hands.until(lambda: hands.parts.engine.state.players)
    hands.parts.draft.touch({"par-1": {"Dimmer": 0.3}})
    score.hand.add_on_now()
    cue = score.hand.cues[0]
    assert [part.ref.id for part in cue.plays] == ["mudlight"]
    assert cue.look == {"par-1": {"Dimmer": 0.3}}
    score.hand.add_draft()
    assert score.hand.cues[1].plays == ()
    assert score.hand.cues[1].look == cue.look


# playing


def test_a_show_is_played_with_one_hand_on_the_space_bar(hands, score):
    score.hand.open("last-ferry")
    go_to_cell(score, 0, Column.NUMBER)
    press(score, Qt.Key.Key_Space)
    hands.until(lambda: score.hand.now is not None)
    assert score.hand.now.name == "Doors"
    assert score.slab.now.cue is score.hand.now
    assert "House down" in score.slab.go.text()

    press(score, Qt.Key.Key_Space)  # within the guard time: not two
    guard_is_over(score)
    press(score, Qt.Key.Key_Space)
    hands.until(lambda: score.hand.now.name == "House down")
    guard_is_over(score)
    press(score, Qt.Key.Key_Space)
    hands.until(lambda: score.hand.now.name == "Ada alone")
    press(score, Qt.Key.Key_Space, SHIFT)
    hands.until(lambda: score.hand.now.name == "House down")


def test_space_is_go_in_score_and_nowhere_else(hands, score):
    score.hand.open("last-ferry")
    for place in ("rig", "compose", "perform", "surfaces"):
        inside = hands.place(place)
        inside.setFocus()
        QTest.keyClick(hands.window, Qt.Key.Key_Space)
        hands.heeded()
        assert score.hand.player is None, place

    hands.place("score")
    score.things.show()
    score.things.filter.setFocus()
    QTest.keyClicks(score.things.filter, "a b")
    hands.heeded()
    assert score.things.filter.text() == "a b"
    assert score.hand.player is None
    score.text.begin()
    QTest.keyClicks(score.text.editor, " ")
    hands.heeded()
    assert score.hand.player is None
    score.text.cancel()


def test_space_while_a_button_has_the_focus_is_go_and_not_the_button(hands, score):
    score.hand.open("last-ferry")
    score.from_stage.setFocus()
    QTest.keyClick(score.from_stage, Qt.Key.Key_Space)
    hands.until(lambda: score.hand.now is not None)
    assert len(score.hand.cues) == 24


def test_hold_back_skip_and_going_anywhere(hands, score):
    hand = score.hand
    hand.open("last-ferry")
    hands.click(score.slab.go)
    hands.until(lambda: hand.now is not None)
    hands.click(score.slab.hold)
    hands.until(lambda: hand.player.paused)
    hands.click(score.slab.hold)
    hands.until(lambda: not hand.player.paused)
    hands.click(score.slab.skip)
    hands.until(lambda: hand.next.name == "Ada alone")
    hand.go_to(hand.cues[10].id)
    hands.until(lambda: hand.now.name == "It goes out")
    hands.click(score.slab.back)
    hands.until(lambda: hand.now.name == "Lamp on the water")
    hands.click(score.slab.let_go)
    hands.until(lambda: hand.player is None)


def test_a_cue_that_comes_by_itself_comes_while_all_stands(hands, fresh):
    """The engine is at rest then."""
    score = fresh
    type_cell(score, 0, Column.NAME, "One")
    type_cell(score, 0, Column.TIMES, "0")
    type_cell(score, 1, Column.NAME, "Two")
    type_cell(score, 1, Column.COMES, "+1.5")
    score.hand.go()
    hands.until(lambda: score.hand.now is not None)
    assert "comes by itself" in score.slab.go.waits
    hands.until(lambda: score.hand.now.name == "Two")


def test_an_edit_in_the_middle_is_of_what_is_on(hands, score):
    hand = score.hand
    hand.open("last-ferry")
    hand.go_to(hand.cues[3].id)
    hands.until(lambda: hand.now is not None and hand.now.name == "She listens")
    on = hand.now.id
    hand.choose([on])
    score.table.cues.setData(score.table.cues.index(3, Column.NAME), "Otherwise")
    assert hand.now.name == "Otherwise"
    hand.remove()
    hands.heeded()
    hands.until(lambda: hand.player is not None and hand.now is None)
    guard_is_over(score)
    hand.go()
    hands.until(lambda: hand.now is not None and hand.now.name == "The bell")


# dry, and checked


def test_a_dry_run_leaves_the_stage_alone(hands, score):
    hand = score.hand
    hand.open("last-ferry")
    hand.choose([hand.cues[6].id])
    hands.click(score.run_dry)
    assert hand.now.name == "Tom comes"
    assert hands.parts.preview.seen()[0] == -1
    before = hands.parts.engine.state
    hands.click(score.slab.go)
    assert hand.now.name == "They laugh"
    hand.end_dry_fades()
    hands.until(lambda: any("Front" in one.lamp for one in score.dry.values.lines))
    assert all(one.changed for one in score.dry.values.lines)
    hand.back()
    assert hand.now.name == "Tom comes"
    assert hands.parts.engine.state is before
    assert not hands.parts.engine.state.players
    QTest.keyClick(hands.window, Qt.Key.Key_Escape)
    assert hand.dry is None


def test_what_the_check_finds_leads_to_its_cue(hands, score):
    score.hand.open("last-ferry")
    hands.until(lambda: score.checking.is_up_to_date)
    moving = [one for one in score.checking.found if "seen moving" in one.text]
    assert moving
    same = score.hand.cues[0]
    score.hand.choose([same.id])
    score.hand.repeat()
    hands.until(lambda: score.checking.is_up_to_date)
    told = [one.text for one in score.checking.found if one.cue in score.hand.chosen]
    assert any("changes nothing" in text for text in told)


# the text


def test_cues_are_set_at_words_by_a_press(hands, fresh):
    score = fresh
    for row in range(2):
        type_cell(score, row, Column.NAME, f"C{row}")
    if not score.panes["text"].isChecked():
        hands.click(score.panes["text"])
    score.text.begin()
    score.text.editor.setPlainText("First words here.\nThe second line of it.")
    hands.click(score.text.take)
    score.hand.choose([score.hand.cues[0].id])

    script = score.text.script
    block = script.document().findBlockByNumber(1)
    room = script.blockBoundingGeometry(block).translated(script.contentOffset())
    wide = script.fontMetrics().horizontalAdvance("The sec")
    point = QPoint(int(room.x() + wide), int(room.center().y()))
    QTest.mouseClick(script.viewport(), Qt.MouseButton.LeftButton, pos=point)
    place = score.hand.cues[0].at
    assert (place.paragraph, place.word) == (1, 1)
    # the next one that stands nowhere is chosen
    assert score.hand.chosen == (score.hand.cues[1].id,)

    score.text.begin()
    score.text.editor.setPlainText("New.\nFirst words here.\nThe second line, of it.")
    hands.click(score.text.take)
    assert score.hand.cues[0].at.paragraph == 2
    score.text.begin()
    score.text.editor.setPlainText("New.\nFirst words here.")
    hands.click(score.text.take)
    assert score.hand.cues[0].at.lost
    assert "gone" in score.text.told.text()


def test_the_line_to_watch_for_stands_at_one_height(hands, score):
    hand, script = score.hand, score.text.script
    hand.open("last-ferry")
    heights = []
    for place in (5, 9, 14):
        hand.go_to(hand.cues[place].id)
        wanted = hand.cues[place + 1].id
        hands.until(lambda w=wanted: script.next_id == w)
        script.aim(glide=False)
        seen = {cue.id: point.y() for cue, point in script.in_sight()}
        heights.append(seen[wanted])
    assert max(heights) - min(heights) <= script.fontMetrics().lineSpacing()


def test_cues_far_down_a_long_text_stand_at_their_words_when_one_comes_there(
    hands, fresh
):
    hand, script = fresh.hand, fresh.text.script
    text = tuple(f"Line number {n}." for n in range(2_000))
    made = tuple(
        Cue(id=f"q{n}", number=n + 1.0, at=TextPlace(2 * n, 1)) for n in range(1_000)
    )
    stack = edits.replace(hand.stack, text=text, cues=made)
    document = hands.parts.document
    document.edit("Long", edits.put(document.show, "playables", stack))
    until(lambda: script.shown == text)

    bar = script.verticalScrollBar()
    for value in (bar.maximum() - 20, 0, bar.maximum() // 2):
        bar.setValue(value)
        until(script.in_sight)
        marked = {mark.cursor.selectedText() for mark in script.extraSelections()}
        starts = {mark.cursor.blockNumber() for mark in script.extraSelections()}
        assert marked == {"number"}
        assert {cue.at.paragraph for cue, _ in script.in_sight()} <= starts


# in and out


def test_a_text_is_read_from_a_file(hands, fresh, tmp_path):
    import docx

    document = docx.Document()
    document.add_paragraph("ADA: Listen.")
    document.add_paragraph("TOM: To what?")
    path = tmp_path / "play.docx"
    document.save(path)
    fresh.files.read_text(path)
    stack = fresh.hand.stack
    hands.until(lambda: fresh.hand.stack.text)
    assert fresh.hand.stack.text == ("ADA: Listen.", "TOM: To what?")
    assert stack.text == ()
    (tmp_path / "broken.pdf").write_bytes(b"%PDF-1.4 nothing of it")
    fresh.files.read_text(tmp_path / "broken.pdf")
    hands.until(lambda: hands.window.notice.isVisible())
    assert fresh.hand.stack.text == ("ADA: Listen.", "TOM: To what?")


def test_the_cue_sheet_is_printed(hands, score, tmp_path, monkeypatch):
    score.hand.open("last-ferry")
    path = tmp_path / "sheet.pdf"
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *_, **__: (str(path), "")
    )
    score.files._ask_sheet(True)
    hands.until(lambda: "was written" in hands.window.notice.text.text())
    text = "".join(page.extract_text() for page in pypdf.PdfReader(path).pages)
    assert "Tom comes" in text
    assert "Missed it again?" in text


def test_cues_go_out_as_a_table_and_come_in_from_another_one(hands, score, tmp_path):
    score.hand.open("last-ferry")
    path = tmp_path / "cues.csv"
    score.files.write(path)
    hands.until(lambda: path.exists() and path.read_text().count("\n") == 25)
    rows = list(csv.DictReader(io.StringIO(path.read_text())))
    assert rows[6]["name"] == "Tom comes"
    assert rows[5]["comes"] == "done 1.5"

    score.hand.new_stack("Read")
    table = b"Q;Label;Up;Down\n1;Doors;2,5;3\n2;Dark;x;1\n3;End;0;\n"
    other = tmp_path / "other.csv"
    other.write_bytes(table)
    from choreon.formats import cue_list

    dialog = ColumnsDialog(
        score.hand, score.hand.stack, "other.csv", cue_list.read_table(table), score
    )
    assert list(dialog.fields) == ["cue", "name", "in", "out"]
    assert "Line 3" in dialog.wrong.text()
    score.files.take(dialog.read)
    assert names(score) == ["Doors", "End"]
    assert score.hand.cues[0].fade_in == 2.5
    assert "1 line was left out" in hands.window.notice.text.text()
    dialog.deleteLater()


def test_without_a_stack_it_says_what_one_is_and_begins_one(hands, score):
    hands.parts.document.edit(
        "x", cues.edits.remove(hands.parts.document.show, Ref("stack", "last-ferry"))
    )
    assert score.empty.isVisible()
    assert not score.slab.isVisible()
    score.begin()
    assert score.hand.stack is not None
    assert score.slab.isVisible()
    editor = QApplication.focusWidget()
    assert isinstance(editor, QLineEdit)
    QTest.keyClicks(editor, "First")
    finish(editor)
    assert names(score) == ["First"]


def test_a_stack_that_is_gone_through_by_hand_has_its_times_from_then_on(hands, fresh):
    score = fresh
    for row, name in enumerate(("One", "Two", "Three")):
        type_cell(score, row, Column.NAME, name)
    score.hand.take_times(True)
    assert score.hand.takes_times
    went = []
    for _ in range(3):
        score.hand.go()
        count = len(went)
        hands.until(
            lambda count=count: (
                score.hand.cursor is not None
                and score.hand.cursor.cue == score.hand.cues[count].id
            )
        )
        went.append(score.hand.cursor.went)
        guard_is_over(score)
    assert score.taking.isVisible()
    hands.click(score.taking)
    first, second, third = score.hand.cues
    assert first.follow.kind == FollowKind.GO
    for cue, gap in ((second, went[1] - went[0]), (third, went[2] - went[1])):
        assert cue.follow.kind == FollowKind.BEGUN
        assert cue.follow.after == pytest.approx(gap, abs=1e-6)
    assert not score.taking.isVisible()
