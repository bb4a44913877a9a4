"""Small parts of the window that need no show."""

from __future__ import annotations

import ast
import itertools
import random
import subprocess
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QRectF, Qt
from PySide6.QtGui import QFontMetrics, QIcon, QPainter, QPixmap, QRawFont
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QListWidget

from choreon import starter
from choreon.model import edits
from choreon.model.playables import Scene
from choreon.model.refs import Ref
from choreon.ui import awake, drags, theme
from choreon.ui.compose.cards import Card, CardModel
from choreon.ui.compose.selection_panel import runs
from choreon.ui.pixmaps import kept
from choreon.ui.tiles.base import draw_fitting
from choreon.ui.widgets.counter import Counter
from choreon.ui.widgets.labels import Labels


def test_the_screen_is_held_awake_only_where_a_desktop_agrees(monkeypatch, qapp):
    """Without a bus nothing is held; with one that answers, held once and let go."""
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere")
    keeper = awake.Awake()
    assert keeper.hold("a test") in (True, False)
    keeper.release()

    asked: list[tuple] = []

    class Bus:
        @staticmethod
        def sessionBus():
            return Bus()

        def isConnected(self):
            return True

    class Reply:
        def type(self):
            return awake.QDBusMessage.MessageType.ReplyMessage

        def arguments(self):
            return [7]

    class Interface:
        def __init__(self, *_):
            pass

        def call(self, *words):
            asked.append(words)
            return Reply()

    monkeypatch.setattr(awake, "QDBusConnection", Bus)
    monkeypatch.setattr(awake, "QDBusInterface", Interface)
    assert keeper.hold("a guest plays")
    assert keeper.hold("once more")
    keeper.release()
    keeper.release()
    assert asked == [("Inhibit", "Choreon", "a guest plays"), ("UnInhibit", 7)]


@pytest.mark.parametrize("name", ["Low Tide.choreon", 'a "b" $c`d\\e %f.choreon'])
def test_a_starter_quotes_whatever_a_show_is_called(tmp_path, name):
    """Exec read back by the specification's rules: string escapes first, then quotes
    as a shell has them; %% is one %.
    """
    text = starter.entry(tmp_path / name, "Show")
    line = next(x for x in text.splitlines() if x.startswith("Exec="))
    value = line.removeprefix("Exec=").replace("\\\\", "\\")
    said = subprocess.run(
        ["sh", "-c", f"printf '%s\\n' {value}"], capture_output=True, text=True
    )
    words = [word.replace("%%", "%") for word in said.stdout.splitlines()]
    assert words[-2:] == ["guest", str(tmp_path / name)]


def test_what_is_pulled_away_is_dragged_and_what_is_pressed_is_not(qtbot, monkeypatch):
    begun: list[list[Ref]] = []
    monkeypatch.setattr(drags.DragsOut, "begin", lambda _, refs: begun.append(refs))
    rows = QListWidget()
    rows.addItems(["one", "two"])
    qtbot.addWidget(rows)
    rows.show()
    ref = Ref("group", "g")
    drags.DragsOut(rows.viewport(), lambda _: [ref])
    left, view = Qt.MouseButton.LeftButton, rows.viewport()
    QTest.mouseClick(view, left, pos=QPoint(5, 5))
    assert begun == []
    QTest.mousePress(view, left, pos=QPoint(5, 5))
    QTest.mouseMove(view, QPoint(60, 9))
    QTest.mouseRelease(view, left, pos=QPoint(60, 9))
    assert begun == [[ref]]
    both = drags.carry(ref, Ref("fixture", "a"))
    assert drags.all_carried(both) == [ref, Ref("fixture", "a")]
    assert drags.carried(both) == ref


@pytest.mark.parametrize("mode", [QIcon.Mode.Normal, QIcon.Mode.Active])
@pytest.mark.parametrize("state", [QIcon.State.Off, QIcon.State.On])
def test_the_sign_of_a_light_button_stays_dark_under_the_pointer(qapp, mode, state):
    picture = theme.icon("check", theme.PIT).pixmap(24, 24, mode, state).toImage()
    inked = [
        picture.pixelColor(x, y)
        for x in range(picture.width())
        for y in range(picture.height())
        if picture.pixelColor(x, y).alpha() > 200
    ]
    assert inked
    assert max(colour.lightness() for colour in inked) < 80


def test_rows_that_follow_each_other_are_one_run():
    assert list(runs([])) == []
    assert list(runs([4])) == [(4, 4)]
    assert list(runs([0, 1, 2, 5, 7, 8])) == [(0, 2), (5, 5), (7, 8)]


def test_cards_say_what_plays_and_what_the_draft_has_and_only_those_are_drawn(qapp):
    scenes = [Scene(id=f"s{n}", name=f"S {n}") for n in range(5)]
    model, drawn = CardModel(None), []
    model.dataChanged.connect(lambda first, last: drawn.append(first.row()))
    model.show_things(scenes, {})
    model.show_state({"s1", "s3", "gone"}, {"s3"})
    assert sorted(drawn) == [1, 3]
    drawn.clear()
    model.show_state({"s1", "s3"}, {"s3"})  # nothing of what is shown is new
    assert drawn == []
    model.show_state({"s3"}, set())
    assert sorted(drawn) == [1, 3]
    assert [model.card(s.id).on for s in scenes] == [False, False, False, True, False]
    # what comes later, and what changes, says it too
    late = Scene(id="late", name="Late")
    model.show_state({"s3", "late"}, {"late"})
    changed = [edits.replace(s, name="New") if s.id == "s3" else s for s in scenes]
    model.show_things([*changed, late], {"s3": 2})
    assert model.card("s3") == Card(changed[3], 2, on=True)
    assert model.card("late") == Card(late, on=True, drafted=True)
    model.show_state(set(), set())
    assert not any(model.card(i).on or model.card(i).drafted for i in model.ids())


def test_words_that_change_often_are_laid_out_anew_only_when_they_get_longer(qapp):
    counter = Counter("#252028")
    assert counter.sizeHint().width() == 0
    counter.setText("in 3.2 s")
    wide = counter.width()
    for text in ("in 1.1 s", "in 0.0 s", "in 8.8 s"):
        counter.setText(text)
        assert counter.width() == wide
        assert counter.text() == text
    before = counter.grab().toImage()
    counter.setText("in 7.8 s")
    assert counter.grab().toImage() != before
    counter.setText("out 13.4 s")
    assert counter.width() > wide
    counter.setText("")
    assert counter.width() == 0


def test_a_picture_that_is_kept_is_the_same_picture(qapp):
    drawn = QPixmap(30, 20)
    drawn.setDevicePixelRatio(2.0)
    drawn.fill(Qt.GlobalColor.transparent)
    painter = QPainter(drawn)
    painter.drawEllipse(2, 1, 9, 7)
    painter.end()
    held = kept(drawn)
    assert held.toImage() == drawn.toImage()
    assert held.devicePixelRatio() == 2.0
    painter = QPainter(drawn)
    painter.eraseRect(0, 0, 15, 10)
    painter.end()
    assert held.toImage() != drawn.toImage()


@pytest.mark.parametrize("text", ["100 %", "not on", "0.0 Hz", "Slack Water"])
def test_words_that_fit_in_a_smaller_size_are_never_cut(qapp, text):
    class Canvas:
        """Notes what is drawn on it."""

        def setFont(self, font):
            self.font = font

        def fontMetrics(self):
            return QFontMetrics(self.font)

        def drawText(self, rect, flags, words):
            self.words = words

    canvas = Canvas()
    smallest = QFontMetrics(theme.font(11, strong=True)).horizontalAdvance(text)
    for width in range(2 * smallest + 40):
        draw_fitting(canvas, QRectF(0, 0, width + 0.4, 20), text, 20)
        if width > smallest + 12:
            assert canvas.words == text, (width, canvas.words)
        elif width < smallest - 2:
            assert canvas.words != text


@pytest.mark.parametrize("seed", range(8))
def test_words_on_a_picture_never_run_into_each_other(seed):
    """Each gets the first of its places that is free, and none only where none is."""
    dice, labels, lying = random.Random(seed), Labels(), []
    for _ in range(150):
        rooms = [
            QRectF(
                dice.uniform(-300, 900),
                dice.uniform(-60, 300),
                dice.uniform(5, 200),
                dice.uniform(5, 20),
            )
            for _ in range(3)
        ]
        free = [r for r in rooms if not any(r.intersects(o) for o in lying)]
        assert labels.place(rooms) == (free[0] if free else None)
        lying += free[:1]
    assert len(lying) > 30
    assert not any(a.intersects(b) for a, b in itertools.combinations(lying, 2))


def test_every_sign_that_is_shown_is_in_a_font_that_ships(qapp):
    """Where a machine has no fonts of its own there are boxes else."""
    folder = Path(theme.__file__).parent
    fonts = [QRawFont(str(file), 12.0) for file in (folder / "fonts").glob("*.ttf")]
    assert len(fonts) == 3
    strange = set()
    for file in folder.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                for letter in set(node.value) - set("\n\u2028"):
                    if not any(font.supportsCharacter(ord(letter)) for font in fonts):
                        strange.add((letter, file.name))
    assert not strange
