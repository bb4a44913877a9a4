"""Stacks in and out: the text of the play, tables, and the cue sheet on paper."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from importlib.resources import as_file, files
from pathlib import Path
from typing import Any

import msgspec
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QRectF, Qt
from PySide6.QtGui import QImage, QImageWriter, QPainter
from PySide6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QMenu, QWidget

from choreon.formats import apart, cue_list
from choreon.formats.apart import Apart
from choreon.formats.cue_list import Read, Table
from choreon.formats.package import FormatError
from choreon.language import plural, sentences, tr
from choreon.model.playables import Stack
from choreon.model.script import Paragraphs
from choreon.render.sources.stack import step_at
from choreon.ui.score.hand import ScoreHand
from choreon.ui.stage.painter import StagePainter
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog
from choreon.ui.widgets.work import Work

log = logging.getLogger(__name__)

FONTS = (
    "AtkinsonHyperlegibleNext_400Regular.ttf",
    "AtkinsonHyperlegibleNext_600SemiBold.ttf",
)
PICTURE = (256, 160)  # pixels of a picture on the sheet
MOST_PICTURES = 200  # cues whose pictures are printed: each takes a moment

COLUMNS = {
    "": tr("leave it out"),
    "cue": tr("number"),
    "name": tr("name"),
    "on": tr("what is on"),
    "in": tr("in"),
    "out": tr("out"),
    "wait in": tr("wait in"),
    "wait out": tr("wait out"),
    "comes": tr("what it waits for"),
    "words": tr("words"),
    "note": tr("note"),
}


class ScoreFiles:
    """Reads and writes for Score; what goes wrong is told, and nothing is changed
    then. `take_text`: what to do with a text that was read.
    """

    def __init__(
        self, hand: ScoreHand, parent: QWidget, take_text: Callable[[Paragraphs], None]
    ) -> None:
        self.hand, self.parent, self.take_text = hand, parent, take_text
        self.work = Work(parent)
        self.work.told.connect(hand.parts.notices.working)
        hand.parts.notices.stopped.connect(self.work.stop)

    def fill(self, menu: QMenu) -> None:
        """Offer what there is to read, write and print."""
        menu.addAction(tr("Read the text of the play…"), self.ask_text)
        menu.addSeparator()
        menu.addAction(
            tr("Print the cue sheet as PDF…"), lambda: self._ask_sheet(False)
        )
        menu.addAction(
            tr("Print the cue sheet in large print…"), lambda: self._ask_sheet(True)
        )
        menu.addAction(tr("Write the cues as CSV…"), lambda: self._ask_write("csv"))
        menu.addAction(
            tr("Write the cues as plain text…"), lambda: self._ask_write("txt")
        )
        menu.addAction(tr("Read cues from a table…"), self._ask_table)

    # the text

    def ask_text(self) -> None:
        """Ask for the file with the text."""
        name, _ = QFileDialog.getOpenFileName(
            self.parent,
            tr("Read the text of the play"),
            "",
            tr("Texts (*.txt *.md *.markdown *.docx *.pdf)"),
        )
        if name:
            self.read_text(Path(name))

    def read_text(self, path: Path) -> None:
        """Read a text, apart from the window."""
        job: list[Apart] = []

        def act() -> Paragraphs:
            reading = Apart(apart.ReadText(path.read_bytes(), path.name), self.work.far)
            job.append(reading)
            return tuple(msgspec.msgpack.decode(reading.run(), type=list[str]))

        self.work.run(
            tr("Reading {name}", name=path.name),
            act,
            self.take_text,
            lambda error: self._failed(
                error, tr("{name} could not be read", name=path.name)
            ),
            lambda: job[0].kill() if job else None,
        )

    # paper

    def _ask_sheet(self, large: bool) -> None:
        path = self._ask_path(tr("Print the cue sheet"), "pdf", tr("PDF (*.pdf)"))
        if path is not None:
            self.print(path, large)

    def print(self, path: Path, large: bool = False) -> None:
        """Write the cue sheet as PDF."""
        stack = self.hand.stack
        if stack is None:
            return
        folder = files("choreon.ui").joinpath("fonts")
        with (
            as_file(folder.joinpath(FONTS[0])) as plain,
            as_file(folder.joinpath(FONTS[1])) as bold,
        ):
            fonts = (str(plain), str(bold))

        pictures = self._pictures(stack)
        job = Apart(apart.PrintCues(self.hand.show, stack.id, pictures, large, fonts))
        self._write(path, lambda: path.write_bytes(job.run()), job.kill)

    def _pictures(self, stack: Stack) -> dict[str, bytes]:
        """A small picture of each cue, as PNG; each look is drawn once."""
        preview = self.hand.parts.preview
        painter = StagePainter(preview.decoder.lamps, self.hand.show.room)
        made: dict[str, bytes] = {}
        drawn: dict[Any, bytes] = {}
        for cue in stack.cues[:MOST_PICTURES]:
            key = (cue.plays, str(cue.look), cue.leaves and cue.id)
            if key not in drawn:
                light = preview.light_of_step(step_at(stack, cue))
                drawn[key] = _png(painter, light)
            made[cue.id] = drawn[key]
        return made

    # tables

    def _ask_write(self, sort: str) -> None:
        path = self._ask_path(tr("Write the cues"), sort, f"*.{sort}")
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the stack as CSV, or as plain text with tabs."""
        stack, show = self.hand.stack, self.hand.show
        if stack is not None:
            tabs = path.suffix.lower() != ".csv"
            text = cue_list.write(show, stack, tabs)
            self._write(path, lambda: path.write_bytes(text.encode()))

    def _ask_table(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self.parent, tr("Read cues"), "", tr("Tables (*.csv *.tsv *.txt)")
        )
        if name:
            self.read_table(Path(name))

    def read_table(self, path: Path) -> None:
        """Read a table, and ask what its columns are."""
        self.work.run(
            tr("Reading {name}", name=path.name),
            lambda: cue_list.read_table(path.read_bytes()),
            lambda table: self._ask_columns(path.name, table),
            lambda error: self._failed(
                error, tr("{name} could not be read", name=path.name)
            ),
        )

    def _ask_columns(self, name: str, table: Table) -> None:
        stack = self.hand.stack
        if stack is None:
            self.hand.new_stack(Path(name).stem)
            stack = self.hand.stack
        if stack is None:
            return
        dialog = ColumnsDialog(self.hand, stack, name, table, self.parent)
        if dialog.exec():
            self.take(dialog.read)

    def take(self, read: Read) -> None:
        """Put cues that were read behind those that are there; what was left out is
        told.
        """
        self.hand.add(read.cues, self.hand.cues[-1].id if self.hand.cues else "")
        text = plural(len(read.cues), "{n} cue was read.", "{n} cues were read.")
        if read.wrong:
            first = read.wrong[0]
            text = sentences(
                text,
                plural(
                    len(read.wrong),
                    "{n} line was left out.",
                    "{n} lines were left out.",
                ),
                tr("Line {line}: {why}", line=first.line, why=first.why),
            )
        self.hand.parts.notices.told.emit(text, "alarm" if read.wrong else "info")

    # what both need

    def _ask_path(self, title: str, sort: str, pattern: str) -> Path | None:
        stack = self.hand.stack
        if stack is None:
            return None
        name, _ = QFileDialog.getSaveFileName(
            self.parent, title, f"{stack.name}.{sort}", pattern
        )
        return Path(name) if name else None

    def _write(
        self,
        path: Path,
        act: Callable[[], object],
        cancel: Callable[[], None] = lambda: None,
    ) -> None:
        told = self.hand.parts.notices.told
        self.work.run(
            tr("Writing {name}", name=path.name),
            act,
            lambda _: told.emit(tr("{name} was written.", name=path.name), "info"),
            lambda error: self._failed(
                error, tr("{name} could not be written", name=path.name)
            ),
            cancel,
        )

    def _failed(self, error: Exception, what: str) -> None:
        why = str(error)
        if not isinstance(error, FormatError):
            if not isinstance(error, OSError):
                log.error("%s", what, exc_info=error)
            reason = error.strerror if isinstance(error, OSError) else why
            why = tr("{what}: {why}. Nothing was changed.", what=what, why=reason)
        self.hand.parts.notices.told.emit(why, "alarm")


def _png(painter: StagePainter, light: Any) -> bytes:
    """Light as a small picture."""
    image = QImage(*PICTURE, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.black)
    brush = QPainter(image)
    painter.paint(brush, QRectF(0, 0, *PICTURE), light, bodies=False)
    brush.end()
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    QImageWriter(buffer, b"png").write(image)
    return bytes(data.data())


class ColumnsDialog(Dialog):
    """What the columns of a table are: guessed, to be set right; and what comes of
    it.
    """

    def __init__(
        self, hand: ScoreHand, stack: Stack, name: str, table: Table, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.hand, self.stack, self.table = hand, stack, table
        self.setWindowTitle(tr("Read cues from {name}", name=name))
        self.read = Read((), ())
        self.choices: list[QComboBox] = []

        grid = QWidget()
        lines = QGridLayout(grid)
        lines.setContentsMargins(0, 0, 0, 0)
        for row, title in enumerate(table.titles):
            lines.addWidget(basics.name_label(title or tr("(no title)")), row, 0)
            samples = [line[row] for line in table.lines[:3] if row < len(line)]
            seen = "  ·  ".join(sample for sample in samples if sample)
            lines.addWidget(basics.name_label(seen, "soft"), row, 1)
            lines.addWidget(self._choice(title, table.fields[row]), row, 2)
        lines.setColumnStretch(1, 1)

        self.told = basics.label("", "", wrap=True)
        self.wrong = basics.label("", "small", wrap=True)
        self.go = basics.button(tr("Read them"), self.accept, "main", "check")
        scroller = basics.scroller(grid)
        scroller.setMinimumHeight(220)
        basics.stack(
            self,
            basics.label(tr("What are the columns?"), "big"),
            scroller,
            self.told,
            self.wrong,
            basics.row(1, basics.button(tr("Cancel"), self.reject, "quiet"), self.go),
            margins=20,
            spacing=12,
        )
        self.resize(620, 460)
        self._look()

    def _choice(self, title: str, field: str) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(tr("Column {title}", title=title))
        for word, said in COLUMNS.items():
            made.addItem(said, word)
        made.setCurrentIndex(made.findData(field))
        made.currentIndexChanged.connect(lambda _: self._look())
        self.choices.append(made)
        return made

    @property
    def fields(self) -> Sequence[str]:
        """What each column is."""
        return [choice.currentData() for choice in self.choices]

    def _look(self) -> None:
        """Show what comes of it."""
        self.read = cue_list.cues_of(
            self.hand.show, self.stack, self.table, self.fields
        )
        count, wrong = len(self.read.cues), self.read.wrong
        self.told.setText(
            plural(count, "{n} cue can be read.", "{n} cues can be read.")
        )
        lines = [
            tr("Line {line}: {why}", line=one.line, why=one.why) for one in wrong[:4]
        ]
        if len(wrong) > 4:
            lines.append(plural(len(wrong) - 4, "and {n} more", "and {n} more"))
        self.wrong.setText("\n".join(lines))
        self.go.setEnabled(count > 0)
