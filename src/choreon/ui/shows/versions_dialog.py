"""The earlier versions of the show, with pictures, dates and what changed since."""

from __future__ import annotations

import time
from pathlib import Path

import msgspec
from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPixmap
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QSplitter,
    QWidget,
)

from choreon.formats import cleaning, showfile
from choreon.formats.versions import VERSIONS, keep_version, kept_at
from choreon.language import capital, plural, sentences, tr
from choreon.model import changes
from choreon.model.show import Show
from choreon.ui import theme
from choreon.ui.parts import Parts
from choreon.ui.shows import begin
from choreon.ui.shows.reading import Version, read_versions
from choreon.ui.stage.painter import StagePainter
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog

PICTURE = QSize(144, 81)
DAY = 86400.0  # seconds
PATIENCE = 5.0  # seconds for the disk to take the show as it is now


class VersionsDialog(Dialog):
    """`opened(path)`: a version was written as a show of its own, to be opened."""

    opened = Signal(Path)

    def __init__(self, parts: Parts, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.parts = parts
        self.found: list[Version] = []
        self.setWindowTitle(tr("Earlier versions"))
        self.resize(860, 560)

        self.list = QListWidget()
        self.list.setAccessibleName(tr("Earlier versions, the newest first"))
        self.list.setIconSize(PICTURE)
        self.list.setSpacing(2)
        self.list.setWordWrap(True)

        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda _: self._show())
        self.title = basics.label("", "big")
        self.since = QPlainTextEdit()
        self.since.setReadOnly(True)

        self.since.setAccessibleName(tr("What has changed since"))
        self.hint = basics.label("", "soft", wrap=True)
        self.take = basics.button(
            tr("Take it back"),
            self.take_back,
            "main",
            tip=tr("Have the show be as it was then; Ctrl+Z undoes it"),
        )

        self.beside = basics.button(
            tr("Open as a show of its own"),
            self.open_beside,
            tip=tr("Write it to a file beside this show, and open that"),
        )

        right = QWidget()
        basics.stack(
            right,
            self.title,
            self.hint,
            self.since,
            basics.row(1, self.beside, self.take),
        )

        halves = QSplitter()
        halves.addWidget(self.list)
        halves.addWidget(right)
        halves.setSizes([360, 460])
        halves.setChildrenCollapsible(False)

        basics.stack(
            self,
            halves,
            basics.row(1, basics.button(tr("Done"), self.accept, "quiet")),
            margins=16,
            spacing=12,
        )
        basics.grow(self, 0)
        document = parts.document
        self._end = read_versions(self, document.path, document.show, self._arrived)
        self._show()

    def done(self, result: int) -> None:
        """What is still being read is let be."""
        self._end()
        super().done(result)

    def _arrived(self, version: Version) -> None:
        self.found.append(version)
        item = QListWidgetItem(_icon(version), _told(version))
        self.list.addItem(item)
        if self.list.currentRow() < 0:
            self.list.setCurrentRow(0)

    @property
    def chosen(self) -> Version | None:
        """The version that is marked."""
        row = self.list.currentRow()
        return self.found[row] if 0 <= row < len(self.found) else None

    def _show(self) -> None:
        version = self.chosen
        whole = version is not None and version.show is not None
        self.take.setEnabled(whole)
        self.beside.setEnabled(whole)
        self.since.setVisible(whole)

        if version is None:
            self.title.setText("")
            self.hint.setText(
                tr(
                    "A version is kept every few minutes while the show is worked on, "
                    "the last {n} of them. There is none yet.",
                    n=VERSIONS,
                )
            )
            return

        self.title.setText(capital(when(version.path)))
        if not whole:
            self.hint.setText(
                tr(
                    "It cannot be read: {wrong} The others are as they were.",
                    wrong=version.wrong,
                )
            )
            return

        self.hint.setText(tr("What has changed from then to now:"))
        self.since.setPlainText("\n".join(version.since) or tr("Nothing."))

    def take_back(self) -> None:
        """Have the show be as it was then, as one step that can be undone."""
        version, document = self.chosen, self.parts.document
        if version is None or version.show is None:
            return

        document.flush(PATIENCE)
        keep_version(document.path, due=True)  # as it is now
        clean, lost = cleaning.clean(version.show)
        then = changes.shared(document.show, _as(clean, document.show))
        at = when(version.path)
        document.edit(tr("take back the version of {at}", at=at), then)

        self.parts.notices.told.emit(
            sentences(
                tr("The show is as it was {at}. Ctrl+Z undoes that.", at=at), lost
            ),
            "info",
        )

        self.accept()

    def open_beside(self) -> None:
        """Write the version to a file of its own, and have it opened."""
        version, document = self.chosen, self.parts.document
        if version is None or version.show is None:
            return

        stamp = time.strftime("%d %B %H.%M", time.localtime(kept_at(version.path)))
        name = tr("{stem}, {stamp}", stem=document.path.stem, stamp=stamp)
        path = begin.free_path(name, document.path.parent)
        show = msgspec.structs.replace(
            version.show,
            id=begin.fresh_id(),
            name=tr("{name}, {stamp}", name=version.show.name, stamp=stamp),
        )

        try:
            showfile.write(path, show, versions=False)
        except OSError as error:
            why = error.strerror or str(error)
            self.hint.setText(
                tr(
                    "{path} cannot be written: {why}. Nothing was changed.",
                    path=path,
                    why=why,
                )
            )
            return

        self.accept()
        self.opened.emit(path)


def _as(show: Show, now: Show) -> Show:
    """A show under the id of the one that is open."""
    return msgspec.structs.replace(show, id=now.id)


def when(version: Path) -> str:
    """Returns when a version was kept: “today at 14:05”, “on 25 November at 14:05”."""
    kept = kept_at(version)
    at = time.strftime("%H:%M", time.localtime(kept))
    for ago, word in (
        (0.0, tr("today at {at}", at=at)),
        (DAY, tr("yesterday at {at}", at=at)),
    ):
        if time.localtime(kept)[:3] == time.localtime(time.time() - ago)[:3]:
            return word
    return tr(
        "on {day} at {at}", day=time.strftime("%d %B", time.localtime(kept)), at=at
    )


def _told(version: Version) -> str:
    at = capital(when(version.path))
    if version.show is None:
        return "\n".join((at, tr("Cannot be read")))
    what = plural(len(version.show.fixtures), "{n} fixture", "{n} fixtures")
    differs = plural(len(version.since), "{n} difference", "{n} differences")
    return "\n".join((at, what, differs if version.since else tr("As it is now")))


def _icon(version: Version) -> QIcon:
    """A picture of what was worked on last in it."""
    made = QPixmap(PICTURE)
    made.fill(Qt.GlobalColor.black)
    painter = QPainter(made)
    show = version.show
    if show is None:
        painter.setPen(QColor(theme.ALARM))
        painter.drawText(made.rect(), Qt.AlignmentFlag.AlignCenter, "▲")
    elif version.decoder is not None and version.light is not None:
        stage = StagePainter(version.decoder.lamps, show.room)
        stage.paint(painter, QRectF(made.rect()), version.light, bodies=False)
    painter.end()
    return QIcon(made)
