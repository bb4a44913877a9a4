"""The find box: a line above everything, and below it what its words lead to."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QColor, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QFrame,
    QHeaderView,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from choreon.language import sentences, tr
from choreon.terms import term
from choreon.ui import theme
from choreon.ui.find import entries
from choreon.ui.find.search import Entry, find
from choreon.ui.parts import Parts
from choreon.ui.widgets import basics

WIDTH, ROWS, ROW = 640, 10, 32  # pixels; lines that are seen at once
EMPTY = tr("Type what you look for, or what you want: “par 3 red”, “front wash 50%”.")


class FindBox(QFrame):
    """Opens over the window with `begin`. `commands()` gives what the window can do,
    `go(path)` leads to a thing of the show.
    """

    def __init__(
        self,
        parent: QWidget,
        parts: Parts,
        commands: Callable[[], Iterable[Entry]],
        go: Callable[[str], object],
    ) -> None:
        super().__init__(parent)
        self.parts, self._commands, self._go = parts, commands, go
        self.setProperty("panel", "true")
        self.setObjectName("find")
        self.setStyleSheet(
            f"#find {{ background: {theme.DECK}; border: 1px solid {theme.CHOSEN}; "
            f"border-radius: {theme.RADIUS}px; }} "
            f"#find QTreeWidget {{ background: transparent; border: none; }} "
            f"#find QTreeWidget::item {{ height: {ROW}px; padding: 0 8px; }} "
            f"#find QTreeWidget::item:selected {{ background: {theme.LIFT}; "
            f"color: {theme.TEXT}; }}"
        )

        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Find, or say what you want"))
        self.line.setAccessibleName(tr("Find"))
        self.line.textChanged.connect(self._search)
        self.hint = basics.label(EMPTY, "soft", wrap=True)
        self.list = QTreeWidget()
        self.list.setColumnCount(3)
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.setAccessibleName(tr("What was found"))
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.setUniformRowHeights(True)
        self.list.itemActivated.connect(lambda *_: self.take())
        self.list.itemClicked.connect(lambda *_: self.take())
        header = self.list.header()
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)

        for column in (1, 2):
            mode = QHeaderView.ResizeMode.ResizeToContents
            header.setSectionResizeMode(column, mode)

        basics.stack(self, self.line, self.hint, self.list, margins=12, spacing=8)
        self.found: list[Entry] = []
        self._all: list[Entry] = []
        self.hide()

    def begin(self) -> None:
        """Open, with the words that were typed last chosen, to be typed over."""
        self._all = [*self._commands(), *entries.of_show(self.parts, self._go)]
        self.show()
        self.raise_()
        if (application := QApplication.instance()) is not None:
            application.installEventFilter(self)
        self.line.selectAll()
        self.line.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self._search(self.line.text())

    def end(self) -> None:
        """Close; the keys go back to the window."""
        self._shut()
        parent = self.parentWidget()
        if parent is not None:
            parent.setFocus()

    def _search(self, text: str) -> None:
        self.found = [*entries.wishes(self.parts, text), *find(self._all, text)]
        self.list.clear()
        for entry in self.found:
            item = QTreeWidgetItem([entry.title, term(entry.sort), entry.key])
            for column in (1, 2):
                item.setForeground(column, QColor(theme.SOFT))
            self.list.addTopLevelItem(item)
        self._mark(0)
        nothing = sentences(tr("Nothing is called that."), EMPTY)
        self.hint.setText(nothing if text.strip() else EMPTY)
        self.hint.setVisible(not self.found)
        self.list.setVisible(bool(self.found))
        self._fit()

    def _fit(self) -> None:
        """As tall as what was found, within the window."""
        parent = self.parentWidget()
        if parent is None:
            return
        width = min(WIDTH, parent.width() - 32)
        rows = min(ROWS, len(self.found)) * ROW + 8 if self.found else 56
        height = min(rows + self.line.sizeHint().height() + 36, parent.height() - 96)
        self.setGeometry((parent.width() - width) // 2, 56, width, height)

    def _mark(self, row: int) -> None:
        item = self.list.topLevelItem(max(0, min(row, len(self.found) - 1)))
        if item is not None:
            self.list.setCurrentItem(item)

    def take(self) -> None:
        """Do what the line that is marked stands for."""
        at = self.list.currentIndex().row()
        if not 0 <= at < len(self.found):
            return
        self.end()
        self.found[at].act()

    def _shut(self) -> None:
        if (application := QApplication.instance()) is not None:
            application.removeEventFilter(self)
        self.hide()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """A press elsewhere closes it; the arrows walk through what was found while the
        line is typed in.
        """
        if event.type() == QEvent.Type.MouseButtonPress:
            outside = isinstance(watched, QWidget) and not (
                watched is self or self.isAncestorOf(watched)
            )
            if outside:
                self._shut()
            return False
        if watched is self.line and isinstance(event, QKeyEvent):
            pressed = event.type() == QEvent.Type.KeyPress
            return pressed and self._key(Qt.Key(event.key()))
        return False

    def _key(self, key: Qt.Key) -> bool:
        """Returns whether a key was for the list, or the box."""
        if key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if key == Qt.Key.Key_Down else -1
            self._mark(self.list.currentIndex().row() + step)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.take()
        elif key == Qt.Key.Key_Escape:
            self.end()
        else:
            return False
        return True
