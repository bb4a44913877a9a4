"""The help in a window of its own, beside the work: pages on the left, and one open."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QTextBlockFormat,
    QTextCharFormat,
    QTextCursor,
)
from PySide6.QtWidgets import (
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QTextBrowser,
    QWidget,
)

from choreon.language import tr
from choreon.ui import theme
from choreon.ui.help import keys, pages
from choreon.ui.widgets import basics

TOPIC = Qt.ItemDataRole.UserRole
PROPORTIONAL = QTextBlockFormat.LineHeightTypes.ProportionalHeight.value
LINE = 130  # per cent of a line's own height, from line to line
APART = 10  # pixels between paragraphs


class HelpWindow(QWidget):
    """Pages of the help, and what is found in them. `walk()` begins the first
    evening.
    """

    def __init__(
        self,
        parent: QWidget,
        walk: Callable[[], object],
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Help — Choreon"))
        self.resize(760, 600)
        self.topic = ""
        self.texts = {name: pages.read(name) for name in pages.TOPICS[:-1]}
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Find in the help"))
        self.line.setAccessibleName(tr("Find in the help"))
        self.line.setClearButtonEnabled(True)
        self.line.textChanged.connect(self._find)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Pages of the help"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        self.text = QTextBrowser()
        self.text.setOpenLinks(False)
        self.text.setTabChangesFocus(True)
        self.text.document().setDocumentMargin(20)
        self.text.anchorClicked.connect(self._follow)
        self.text.setAccessibleName(tr("Help"))
        self.walk = basics.button(tr("The first evening, in five steps"), walk)
        left = QWidget()
        basics.stack(left, self.line, self.list, self.walk)
        halves = QSplitter()
        halves.addWidget(left)
        halves.addWidget(self.text)
        halves.setSizes([240, 520])
        halves.setChildrenCollapsible(False)
        basics.stack(self, halves, margins=16)

        for name in pages.TOPICS:
            text = self.texts.get(name, tr("# All keys"))
            item = QListWidgetItem(pages.title_of(name, text))
            item.setData(TOPIC, name)
            self.list.addItem(item)

    def open(self, topic: str) -> None:
        """Show a page, in front."""
        self.line.clear()
        self.go(topic)
        self.show()
        self.raise_()
        self.activateWindow()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc closes it."""
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def go(self, topic: str) -> None:
        """Show a page; one that is not there leads to the first."""
        names = list(pages.TOPICS)
        self.list.setCurrentRow(names.index(topic) if topic in names else 0)

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        self.topic = item.data(TOPIC)
        if self.topic == pages.KEYS:
            self.text.setHtml(keys.page())
        else:
            self.text.setMarkdown(self.texts[self.topic])
            self._space()
        self._mark()

    def _space(self) -> None:
        """Give the page's lines and paragraphs room."""
        block = self.text.document().begin()
        while block.isValid():
            form = block.blockFormat()
            form.setLineHeight(LINE, PROPORTIONAL)
            item = block.textList() is not None
            form.setBottomMargin(APART / 2 if item else APART)
            QTextCursor(block).setBlockFormat(form)
            block = block.next()

    def _text(self, topic: str) -> str:
        if topic == pages.KEYS:
            return keys.page()
        return self.texts[topic]

    def _follow(self, link: QUrl) -> None:
        self.go(link.toString())

    def _find(self, text: str) -> None:
        """Show the pages that hold all the words, and mark these in the page."""
        words = text.casefold().split()
        first = -1
        for row, name in enumerate(pages.TOPICS):
            page = self._text(name).casefold()
            held = all(word in page for word in words)
            self.list.item(row).setHidden(not held)
            if held and first < 0:
                first = row
        now = self.list.currentItem()
        if first >= 0 and (now is None or now.isHidden()):
            self.list.setCurrentRow(first)
        self._mark()

    def _mark(self) -> None:
        """Mark the words that are looked for."""
        found = []
        look = QTextCharFormat()
        look.setBackground(QColor(theme.LIFT))
        look.setForeground(QColor(theme.DRAFT))
        for word in self.line.text().split():
            at = QTextCursor(self.text.document())
            while not (at := self.text.document().find(word, at)).isNull():
                mark = QTextBrowser.ExtraSelection()
                mark.cursor, mark.format = at, look
                found.append(mark)
        self.text.setExtraSelections(found)
