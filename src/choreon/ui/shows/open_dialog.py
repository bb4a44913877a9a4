"""Asks which show to open: those of late, those in the folder of shows, or any file."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import QSettings, QSize, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from choreon import folders
from choreon.formats.versions import SUFFIX
from choreon.language import tr
from choreon.ui import theme
from choreon.ui.shows import begin
from choreon.ui.shows.warning import goes_out
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog

PATH = Qt.ItemDataRole.UserRole
ROW, BESIDE = 32, 24  # pixels: of a line, and beside its words


class OpenShowDialog(Dialog):
    """`now`: the show that is open. `on_stage`: its name, where it plays."""

    def __init__(
        self,
        parent: QWidget | None,
        settings: QSettings,
        now: Path,
        on_stage: str = "",
    ) -> None:
        super().__init__(parent)
        self.chosen: Path | None = None
        self._now = now
        self.setWindowTitle(tr("Open a show"))
        self.resize(640, 420)

        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("Find a show by its name"))
        self.line.setAccessibleName(tr("Find a show"))
        self.line.textChanged.connect(self._find)
        self.list = QTreeWidget()

        self.list.setAccessibleName(tr("Shows"))
        self.list.setHeaderLabels([tr("Show"), tr("Changed"), tr("Folder")])
        self.list.setRootIsDecorated(False)
        self.list.setUniformRowHeights(True)
        self.list.setAllColumnsShowFocus(True)

        header = self.list.header()
        header.setStretchLastSection(True)
        for column in (0, 1):
            mode = QHeaderView.ResizeMode.ResizeToContents
            header.setSectionResizeMode(column, mode)

        self.list.itemActivated.connect(lambda *_: self._take())
        self.list.currentItemChanged.connect(lambda *_: self._marked())
        self.opens = basics.button(tr("Open"), self._take, "main")
        self.elsewhere = basics.button(tr("From elsewhere…"), self._browse)
        self.warning = goes_out(on_stage)

        cancel = basics.button(tr("Cancel"), self.reject, "quiet")
        basics.stack(
            self,
            self.line,
            self.list,
            self.warning,
            basics.row(self.elsewhere, 1, cancel, self.opens),
            margins=20,
            spacing=12,
        )

        for path in begin.shows_at_hand(settings):
            self.list.addTopLevelItem(self._item(path))

        self._find("")

    def _item(self, path: Path) -> QTreeWidgetItem:
        changed = begin.changed_at(path)
        when = time.strftime("%d %B %Y, %H:%M", time.localtime(changed))
        open_now = path == self._now
        name = tr("{stem} (open now)", stem=path.stem) if open_now else path.stem
        item = QTreeWidgetItem(
            [name, when if changed else tr("not there now"), str(path.parent)]
        )
        item.setData(0, PATH, str(path))

        item.setToolTip(0, str(path))
        if not changed or open_now:
            item.setDisabled(True)
            item.setForeground(0, QColor(theme.FAINT))

        for column in (0, 1, 2):
            wide = self.list.fontMetrics().horizontalAdvance(item.text(column))
            item.setSizeHint(column, QSize(wide + BESIDE, ROW))
            if column:
                item.setForeground(column, QColor(theme.SOFT))

        return item

    def _find(self, text: str) -> None:
        """Show those whose name holds all the words, and mark the first."""
        words = text.casefold().split()
        first = None

        for row in range(self.list.topLevelItemCount()):
            item = self.list.topLevelItem(row)
            if item is None:
                continue

            name = item.text(0).casefold()
            item.setHidden(not all(word in name for word in words))
            if first is None and not item.isHidden() and not item.isDisabled():
                first = item

        if first is None:
            self.list.clearSelection()
        else:
            self.list.setCurrentItem(first)

        self._marked()

    def _path(self) -> Path | None:
        item = self.list.currentItem()
        if item is None or item.isDisabled() or item.isHidden():
            return None
        return Path(item.data(0, PATH))

    def _marked(self) -> None:
        self.opens.setEnabled(self._path() is not None)

    def _take(self) -> None:
        path = self._path()
        if path is not None:
            self.chosen = path
            self.accept()

    def _browse(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("Open a show"),
            str(folders.shows()),
            tr("Shows (*{suffix})", suffix=SUFFIX),
        )
        if name:
            self.chosen = Path(name)
            self.accept()
