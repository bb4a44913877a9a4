"""A real window on a real engine, driven as a user would."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import shiboken6
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import (
    QAbstractScrollArea,
    QApplication,
    QComboBox,
    QDialog,
    QInputDialog,
    QMenu,
    QPushButton,
    QToolButton,
    QWidget,
)

from choreon import folders
from choreon.engine import client as engine_client
from choreon.engine import protocol
from choreon.engine.instance_lock import holder
from choreon.engine.supervisor import is_supervised
from choreon.sim.controller import PracticeController
from choreon.ui import theme
from choreon.ui.app import App, load
from choreon.ui.ledger_lines import cross_rect, whole_rect
from choreon.ui.window import MainWindow
from tests.conftest import PATIENCE
from tests.journeys.zygote import Zygote


def inner(widget: QWidget) -> QWidget:
    """What takes the mouse: of a list the part that scrolls."""
    return widget.viewport() if isinstance(widget, QAbstractScrollArea) else widget


def in_window_of(widget: QWidget, other: QWidget | None) -> bool:
    """Whether another widget lies in the same window."""
    return other is not None and other.window() is widget.window()


class Hands:
    """What a user does with a window."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.parts = window.parts

    def until(
        self,
        what: Callable[[], object],
        seconds: float = PATIENCE,
        else_: str = "it did not come to that",
    ) -> None:
        """Let the window live until `what()` holds."""
        end = time.monotonic() + max(seconds, PATIENCE)
        while not what():
            assert time.monotonic() < end, else_
            QTest.qWait(10)

    def heeded(self) -> None:
        """Wait until the engine goes by all it was told: it takes one thing after the
        other, so what was said before this has been done.
        """
        self.parts.engine.find_nodes(False)
        self.until(lambda: self.parts.engine.up_to_date)

    def click(
        self, widget: QWidget, at: QPointF | QPoint | None = None, **held
    ) -> None:
        widget = inner(widget)
        point = (
            at.toPoint() if isinstance(at, QPointF) else at or widget.rect().center()
        )
        QTest.mouseClick(
            widget,
            Qt.MouseButton.LeftButton,
            held.get("keys", Qt.KeyboardModifier.NoModifier),
            point,
        )
        QApplication.processEvents()

    def drag(
        self, widget: QWidget, start: QPointF, end: QPointF, release: bool = True
    ) -> None:
        """Press, move in steps, let go."""
        widget = inner(widget)
        left = Qt.MouseButton.LeftButton
        QTest.mousePress(widget, left, pos=start.toPoint())
        for part in (0.3, 0.6, 1.0):
            QTest.mouseMove(widget, (start + (end - start) * part).toPoint())
            QTest.qWait(20)
        if release:
            QTest.mouseRelease(widget, left, pos=end.toPoint())
        QApplication.processEvents()

    def card(self, shelf: QWidget, thing: str) -> None:
        """Press a card on the shelf."""
        index = shelf.strip.cards.index_of(thing)
        self.until(index.isValid, 5.0, f"no card {thing}")
        shelf.strip.scrollTo(index)
        self.click(shelf.strip, shelf.strip.visualRect(index).center())

    def take_out(
        self, ledger: QWidget, who: str, what: str, whole: bool = False
    ) -> None:
        """Press the cross of a line of the ledger, or “all of it”."""
        lines = ledger.list.lines

        def row() -> int:
            for place in range(lines.rowCount()):
                if lines.index(place).data().startswith(f"{who} {what} "):
                    return place
            return -1

        self.until(lambda: row() >= 0, 5.0, f"no line of {who} {what}")
        rect = ledger.list.visualRect(lines.index(row()))
        where = whole_rect(rect) if whole else cross_rect(rect)
        self.click(ledger.list, where.center())

    def button(self, inside: QWidget, text: str) -> QPushButton:
        """The button with a text, once it is there, visible and enabled."""

        def there() -> list[QPushButton]:
            return [
                b
                for b in inside.findChildren(QPushButton)
                if b.text() == text and b.isVisible()
            ]

        self.until(
            lambda: any(b.isEnabled() for b in there()),
            5.0,
            f"no button “{text}” to press",
        )
        return there()[0]

    def tool(self, inside: QWidget, tip: str) -> QToolButton:
        """The button that is an icon and tells what it does in a tip that begins so,
        once it can be pressed.
        """

        def there() -> list[QToolButton]:
            return [
                b
                for b in inside.findChildren(QToolButton)
                if b.toolTip().startswith(tip) and b.isVisible()
            ]

        self.until(
            lambda: any(b.isEnabled() for b in there()),
            5.0,
            f"no button that would “{tip}”",
        )
        return there()[0]

    def press(self, inside: QWidget, tip: str) -> None:
        """Press a button that is an icon."""
        self.click(self.tool(inside, tip))

    def select(self, box: QComboBox, text: str) -> None:
        """Open a list and choose the line that begins with a text."""
        box.showPopup()
        view = box.view()
        self.until(view.isVisible, 5.0, "no list opened")
        row = next(i for i in range(box.count()) if box.itemText(i).startswith(text))
        view.setCurrentIndex(
            box.model().index(row, box.modelColumn(), box.rootModelIndex())
        )
        QTest.keyClick(view, Qt.Key.Key_Return)
        QApplication.processEvents()

    def type(self, widget: QWidget, text: str, enter: bool = True) -> None:
        """Type into a widget, once the keys go to its window."""
        if not widget.isActiveWindow():
            widget.activateWindow()  # a list that closed may have left none active
        widget.setFocus()
        self.until(lambda: in_window_of(widget, QApplication.focusWidget()))
        for key in text:
            QTest.keyClicks(QApplication.focusWidget() or widget, key)
        if enter:
            QTest.keyClick(QApplication.focusWidget() or widget, Qt.Key.Key_Return)
        QApplication.processEvents()

    def in_dialog(
        self, act: Callable[[], object], do: Callable[[QWidget], None]
    ) -> None:
        """Do something that asks in a window of its own, and answer there."""
        trouble: list[BaseException] = []
        asked: list[QDialog] = []
        watch = QTimer()  # of nobody: the window may go meanwhile

        def answer() -> None:
            dialog = QApplication.activeModalWidget()
            if not isinstance(dialog, QDialog) or not dialog.isVisible():
                return
            watch.stop()
            asked.append(dialog)
            QTest.qWaitForWindowActive(dialog)  # else keys go to the window below
            QTest.qWait(50)
            try:
                do(dialog)
            except BaseException as error:
                trouble.append(error)
            if dialog.isVisible():
                dialog.reject()

        watch.timeout.connect(answer)
        watch.start(20)
        act()
        self.until(lambda: asked, 5.0, "nothing asked")
        watch.deleteLater()
        if trouble:
            raise trouble[0]

    def place(self, name: str) -> QWidget:
        """Go to a place by its button on the rail."""
        names = ("rig", "compose", "score", "perform", "surfaces")
        self.click(self.window.buttons.button(names.index(name)))
        assert self.window.place == name
        QTest.qWait(30)
        return self.window.places[name]


def mostly(levels: list[int], *which: int) -> bool:
    """Whether emitters are lit by these alone, but for the traces that a true colour
    takes of others.
    """
    lit = [level for i, level in enumerate(levels) if i in which]
    rest = [level for i, level in enumerate(levels) if i not in which]
    return (
        bool(levels) and max(lit) == 255 and min(lit) > 90 and max(rest, default=0) < 40
    )


def missed(hands, heads: list[str], goal) -> float:
    """By how many metres the beams of heads miss a point, by what the frame says."""
    found = hands.parts.preview.light()
    if found is None:
        return 9.0
    worst = 0.0
    for lamp, way in zip(
        hands.parts.preview.decoder.lamps, found[1].direction, strict=True
    ):
        if lamp.fixture in heads:
            to = np.array(goal) - [lamp.place.x, lamp.place.y, lamp.place.z]
            worst = max(worst, float(np.linalg.norm(to - way * (way @ to))))
    return worst


def pick(hands, act, *texts: str) -> None:
    """Open a menu and choose the line that begins with a text; more texts go on in the
    menus below it.
    """

    chosen: list[str] = []
    watch = QTimer()  # of nobody: the window may go meanwhile

    def choose() -> None:
        menu = QApplication.activePopupWidget()
        if not isinstance(menu, QMenu):
            return
        watch.stop()
        here = menu
        for text in texts[:-1]:
            here = next(a.menu() for a in here.actions() if a.text().startswith(text))
        found = [
            a
            for a in here.actions()
            if a.text().startswith(texts[-1]) and a.isEnabled()
        ]
        menu.close()
        chosen.extend(a.text() for a in found[:1])
        if found:
            found[0].trigger()

    watch.timeout.connect(choose)
    watch.start(50)
    act()
    hands.until(lambda: not watch.isActive(), 5.0, "no menu opened")
    watch.deleteLater()
    assert chosen, f"no line “{texts[-1]}” to choose"
    QTest.qWait(20)
    if shiboken6.isValid(hands.window):
        hands.until(lambda: not hands.window.places["rig"].files.work.busy)


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
    hands.until(lambda: hands.parts.engine.alive and hands.parts.preview.light())
    return hands


def end(hands: Hands) -> None:
    """Close the window and stop the engine."""
    leave(hands, stop=True)
    stop_engine()


def leave(hands: Hands, stop: bool = False) -> None:
    """Close the window; the engine plays on, or stops."""
    window = hands.holder.window  # type: ignore[attr-defined]
    window.finish(stop=stop, fade=0.0)
    window.close()
    window.deleteLater()
    QApplication.processEvents()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def stop_engine() -> None:
    """Stop the engine; one that is just being started again as well."""
    end = time.monotonic() + PATIENCE
    while is_supervised() or holder(folders.runtime())[0]:
        assert time.monotonic() < end, "the engine does not end"
        with (
            contextlib.suppress(OSError),
            contextlib.closing(engine_client.Client(window=False)) as client,
        ):
            client.send(protocol.Stop(0.0))
            for _ in range(100):
                client.receive(0.1)
        time.sleep(0.02)


@pytest.fixture(scope="session")
def zygote() -> Iterator[Zygote]:
    made = Zygote()
    yield made
    made.close()


@pytest.fixture
def quick_engines(
    request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Engines are forked where nothing is asked of how they start."""
    if request.module.__name__.rpartition(".")[2] not in STARTED_AS_EVER:
        started: Zygote = request.getfixturevalue("zygote")
        monkeypatch.setattr(engine_client, "start_engine", started.start)


STARTED_AS_EVER = ("test_trouble", "test_standing", "test_hours", "test_guest")


@pytest.fixture
def hands(qapp, demo_path: Path, node, quick_engines) -> Iterator[Hands]:
    """The sample show in a window."""
    made = open_window(demo_path)
    yield made
    end(made)


@pytest.fixture
def controller() -> Iterator[PracticeController]:
    made = PracticeController()
    yield made
    made.close()


def menu_of(hands, widget: QWidget) -> Callable[[], None]:
    """What opens the menu that a right click on a widget brings."""

    def act() -> None:
        at = widget.rect().center()
        event = QContextMenuEvent(
            QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at)
        )
        QApplication.sendEvent(widget, event)

    return act


@pytest.fixture
def answers(monkeypatch):
    """What the user types when asked for a text."""
    given: list[str] = []
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (given.pop(0), True))
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_, **__: (given.pop(0), True))
    return given
