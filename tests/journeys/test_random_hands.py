"""Hands that press, type and drag anything, in any order: nothing fails, the light goes
on, and undo brings the show back as it was. CHOREON_HANDS=7 tries seven other pairs.
"""

from __future__ import annotations

import os
import random

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QApplication,
    QColorDialog,
    QComboBox,
    QDialog,
    QFileDialog,
    QInputDialog,
    QMenu,
    QMessageBox,
    QWidget,
)
from shiboken6 import isValid

from choreon.ui.rig.plan import PlanView
from choreon.ui.stage.picture import StagePicture
from choreon.ui.tiles import TileWidget
from choreon.ui.widgets.faders import FaderSlider
from choreon.ui.widgets.menu import Menu
from choreon.ui.widgets.values import ValueField
from tests.journeys import walking

PAIRS = int(os.environ.get("CHOREON_HANDS", "1"))
ACTS = 250
LEAVES = ("guest", "Guest", "Hand over", "Quit", "Close", "End", "window")
"""What leads away from the window is let be."""

KEYS = [getattr(Qt.Key, f"Key_{name}") for name in "ABDEFKOSTUXZ1245"]
KEYS += [Qt.Key.Key_Tab, Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Escape]
KEYS += [Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down]
KEYS += [Qt.Key.Key_Delete, Qt.Key.Key_Backspace, Qt.Key.Key_Home, Qt.Key.Key_PageDown]

PLAIN = Qt.KeyboardModifier.NoModifier
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
HELD = [PLAIN, PLAIN, PLAIN, CTRL, SHIFT, Qt.KeyboardModifier.AltModifier, CTRL | SHIFT]
WORDS = ("", "x", "Ebb & flow", "{n}", "12", "-3", "a" * 60, "0.5", "1e9", "٣")
SIZES = ((1280, 800), (1024, 700), (853, 533))
DRAGGED = (PlanView, StagePicture, ValueField, FaderSlider, TileWidget)


class RandomHands:
    """Acts at random on whatever is there; the same seed does the same."""

    def __init__(self, seed: int) -> None:
        self.rnd = random.Random(seed)
        self.done: list[str] = []

    def act(self, root: QWidget) -> None:
        """One press, key or drag somewhere."""
        if not isValid(root):
            return
        if self.rnd.random() < 0.35:
            self._key(root)
            return

        there = [w for w in root.findChildren(QWidget) if self._reached(w, root)]
        if not there:
            return
        widget = self.rnd.choice(there)
        label = walking.label_of(widget)
        if any(word in label for word in LEAVES):
            return

        self.done.append(label)
        if isinstance(widget, DRAGGED) and self.rnd.random() < 0.5:
            self._drag(widget)
        elif isinstance(widget, QComboBox) and widget.count():
            place = self.rnd.randrange(widget.count())
            widget.setCurrentIndex(place)
            widget.activated.emit(place)
        else:
            button = self.rnd.choice(
                [Qt.MouseButton.LeftButton] * 5 + [Qt.MouseButton.RightButton]
            )
            QTest.mouseClick(widget, button, self.rnd.choice(HELD), self._point(widget))

    @staticmethod
    def _reached(widget: QWidget, root: QWidget) -> bool:
        return (
            widget.isVisible()
            and widget.isEnabled()
            and widget.window() is root.window()
        )

    def _point(self, widget: QWidget) -> QPoint:
        x = self.rnd.randrange(max(1, widget.width()))
        return QPoint(x, self.rnd.randrange(max(1, widget.height())))

    def _key(self, root: QWidget) -> None:
        focus = QApplication.focusWidget()
        inside = focus is not None and focus.window() is root.window()
        key, held = self.rnd.choice(KEYS), self.rnd.choice(HELD)
        self.done.append(f"{key} {held}")
        QTest.keyClick(focus if inside and focus else root, key, held)

    def _drag(self, widget: QWidget) -> None:
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=self._point(widget))
        for _ in range(3):
            if isValid(widget):
                QTest.mouseMove(widget, self._point(widget))
        if isValid(widget):
            QTest.mouseRelease(
                widget, Qt.MouseButton.LeftButton, pos=self._point(widget)
            )

    # what stops the window until it is answered

    def answer(self, monkeypatch: pytest.MonkeyPatch) -> None:
        """Answer all questions at random."""
        rnd = self.rnd
        monkeypatch.setattr(Menu, "exec", lambda menu, *_: self._menu(menu))
        monkeypatch.setattr(QDialog, "exec", lambda dialog: self._dialog(dialog))
        monkeypatch.setattr(QMessageBox, "exec", lambda *_: 0)
        answers = {
            (QInputDialog, "getText"): lambda: (rnd.choice(WORDS), rnd.random() < 0.8),
            (QInputDialog, "getItem"): lambda: (rnd.choice(WORDS), rnd.random() < 0.8),
            (QInputDialog, "getInt"): lambda: (rnd.randint(1, 8), rnd.random() < 0.8),
            (QInputDialog, "getDouble"): lambda: (rnd.uniform(0, 9), True),
            (QFileDialog, "getOpenFileName"): lambda: ("", ""),
            (QFileDialog, "getSaveFileName"): lambda: ("", ""),
            (QFileDialog, "getExistingDirectory"): lambda: "",
            (QColorDialog, "getColor"): lambda: QColor(
                rnd.choice(("#ff0000", "#00ff80"))
            ),
        }
        for (kind, name), say in answers.items():
            monkeypatch.setattr(kind, name, lambda *_, say=say, **__: say())

    def _menu(self, menu: QMenu) -> None:
        lines = [a for a in menu.actions() if a.isEnabled() and not a.isSeparator()]
        if not lines:
            return
        chosen = self.rnd.choice(lines)
        if chosen.menu() is not None:
            self._menu(chosen.menu())
        elif (
            not any(word in chosen.text() for word in LEAVES)
            and self.rnd.random() < 0.7
        ):
            self.done.append(chosen.text())
            chosen.trigger()

    def _dialog(self, dialog: QDialog) -> int:
        dialog.show()
        QApplication.processEvents()
        for _ in range(self.rnd.randrange(6)):
            self.act(dialog)
        if not isValid(dialog):
            return 0
        self.rnd.choice((dialog.accept, dialog.reject))()
        return dialog.result()


@pytest.mark.parametrize("seed", range(PAIRS))
def test_random_hands_break_nothing_and_undo_brings_the_show_back(
    hands, monkeypatch, seed
):
    window, document = hands.window, hands.parts.document
    before = document.show
    random_hands = RandomHands(seed)
    random_hands.answer(monkeypatch)

    for step in range(ACTS):
        if step % 30 == 0:
            window.go(
                random_hands.rnd.choice(
                    ("rig", "compose", "score", "perform", "surfaces")
                )
            )
            window.resize(*random_hands.rnd.choice(SIZES))
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()

        random_hands.act(window)
        QApplication.processEvents()
        assert not window.is_guest, random_hands.done[-3:]

    hands.until(lambda: hands.parts.engine.alive, 15.0)
    hands.heeded()
    while document.history.undo_name:
        document.undo()
    assert document.show == before
    assert len(random_hands.done) > ACTS / 2
