"""A real window on a real engine, driven as a user would."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QPushButton, QWidget

from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.sim.controller import PracticeController
from choreon.ui import theme
from choreon.ui.app import App, load
from choreon.ui.window import MainWindow


class Hands:
    """What a user does with a window."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.session = window.session

    def until(self, what: Callable[[], object], seconds: float = 10.0) -> None:
        """Let the window live until `what()` holds."""
        end = time.monotonic() + seconds
        while not what():
            assert time.monotonic() < end, "it did not come to that in time"
            QTest.qWait(10)

    def click(self, widget: QWidget, at: QPointF | QPoint | None = None, **held) -> None:
        point = at.toPoint() if isinstance(at, QPointF) else at or widget.rect().center()
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, held.get("keys", Qt.KeyboardModifier.NoModifier), point)
        QApplication.processEvents()

    def drag(self, widget: QWidget, start: QPointF, end: QPointF, release: bool = True) -> None:
        """Press, move in steps, let go."""
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(widget, left, pos=start.toPoint())
        for part in (0.3, 0.6, 1.0):
            QTest.mouseMove(widget, (start + (end - start) * part).toPoint())
            QTest.qWait(20)
        if release:
            QTest.mouseRelease(widget, left, pos=end.toPoint())
        QApplication.processEvents()

    def button(self, inside: QWidget, text: str) -> QPushButton:
        """The button with a text, which must be there, visible and enabled."""
        found = [b for b in inside.findChildren(QPushButton) if b.text() == text and b.isVisible()]
        assert found, f"no button “{text}”"
        assert found[0].isEnabled(), f"“{text}” is disabled"
        return found[0]

    def type(self, widget: QWidget, text: str, enter: bool = True) -> None:
        widget.setFocus()
        for key in text:
            QTest.keyClicks(QApplication.focusWidget() or widget, key)
        if enter:
            QTest.keyClick(QApplication.focusWidget() or widget, Qt.Key.Key_Return)
        QApplication.processEvents()

    def place(self, name: str) -> QWidget:
        """Go to a place by its button on the rail."""
        names = ("rig", "compose", "perform", "surfaces")
        self.click(self.window.buttons.button(names.index(name)))
        assert self.window.place == name
        QTest.qWait(30)
        return self.window.places[name]


def open_window(path: Path, client: engine_client.Client | None = None) -> Hands:
    """Open a show in a window and wait for its engine."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    if app.font().family() != theme.FAMILY:
        theme.apply(app)
    holder = App(load(path), client)
    holder.window.resize(1280, 800)
    holder.window.show()
    QTest.qWaitForWindowExposed(holder.window)
    holder.window.activateWindow()
    assert QTest.qWaitForWindowActive(holder.window)
    hands = Hands(holder.window)
    hands.holder = holder  # type: ignore[attr-defined]
    hands.until(lambda: hands.session.alive and hands.session.light())
    return hands


def end(hands: Hands) -> None:
    """Close the window and stop the engine."""
    window = hands.holder.window  # type: ignore[attr-defined]
    window.finish(stop=True, fade=0.0)
    window.close()
    window.deleteLater()
    QApplication.processEvents()
    stop_engine()


def stop_engine() -> None:
    try:
        client = engine_client.Client(window=False)
    except OSError:
        return
    try:
        client.send(protocol.Stop(0.0))
        for _ in range(100):
            client.receive(0.1)
    except OSError:
        pass
    client.close()


@pytest.fixture
def hands(qapp, demo_path: Path, node) -> Iterator[Hands]:
    """The sample show in a window."""
    made = open_window(demo_path)
    yield made
    end(made)


@pytest.fixture
def controller() -> Iterator[PracticeController]:
    made = PracticeController()
    yield made
    made.close()
