"""Asks for a new show: its name, where it is kept, and what it begins with."""

from __future__ import annotations

import os
from pathlib import Path

from PySide6.QtWidgets import (
    QFileDialog,
    QFormLayout,
    QLineEdit,
    QRadioButton,
    QWidget,
)

from choreon import folders
from choreon.formats.versions import SUFFIX
from choreon.language import tr
from choreon.model.show import Show
from choreon.ui.shows import begin
from choreon.ui.shows.warning import goes_out
from choreon.ui.widgets import basics
from choreon.ui.widgets.dialog import Dialog


class NewShowDialog(Dialog):
    """`on_stage`: the name of the show that plays, whose light goes out. `sample`:
    begin with the sample show, if nothing else is said.
    """

    def __init__(
        self, parent: QWidget | None, on_stage: str = "", sample: bool = False
    ) -> None:
        super().__init__(parent)
        self.folder = folders.shows()
        self.setWindowTitle(tr("New show"))
        self.setMinimumWidth(520)
        usual = begin.SAMPLE if sample else begin.UNTITLED
        self.name = QLineEdit(begin.free_path(usual).stem)

        self.name.setAccessibleName(tr("Name of the show"))
        self.name.selectAll()
        self.name.textChanged.connect(self._look)
        self.where = basics.label("", "", wrap=True)
        self.elsewhere = basics.button(tr("Elsewhere…"), self._choose_folder)

        self.empty = QRadioButton(tr("An empty stage, with palettes to begin with"))
        self.sample = QRadioButton(
            tr("The sample show: a small room and what plays in it")
        )

        (self.sample if sample else self.empty).setChecked(True)
        self.hint = basics.label("", "soft", wrap=True)
        self.begin = basics.button(tr("Begin the show"), self.accept, "main")

        form = QFormLayout()
        form.setHorizontalSpacing(20)
        form.setVerticalSpacing(12)
        form.addRow(tr("Name"), self.name)
        place = basics.row(self.where, self.elsewhere)
        basics.grow(place, 0)

        form.addRow(tr("Kept in"), place)
        form.addRow(tr("Begins with"), self.empty)
        form.addRow("", self.sample)
        inside = QWidget()
        inside.setLayout(form)

        self.warning = goes_out(on_stage)
        cancel = basics.button(tr("Cancel"), self.reject, "quiet")
        basics.stack(
            self,
            inside,
            self.hint,
            self.warning,
            basics.row(1, cancel, self.begin),
            margins=20,
            spacing=14,
        )

        self._look()

    @property
    def path(self) -> Path:
        """The file that the show is kept in."""
        return self.folder / f"{begin.stem_of(self.name.text())}{SUFFIX}"

    def made(self) -> Show:
        """Returns the show that was asked for."""
        name = self.name.text().strip() or self.path.stem
        if self.sample.isChecked():
            return begin.sample_show(name)
        return begin.empty_show(name)

    def enters(self, field: QLineEdit) -> bool:
        """Enter in the name begins the show, or nothing while that cannot be."""
        return self.begin.isEnabled()

    def _choose_folder(self) -> None:
        found = QFileDialog.getExistingDirectory(
            self, tr("Where the show is kept"), str(self.folder)
        )
        if found:
            self.folder = Path(found)
            self._look()

    def _look(self) -> None:
        """Say where it will be, or why it cannot be there."""
        self.where.setText(str(self.folder))
        wrong = self._wrong()
        said = tr(
            "Every change is written to {name} within a second.", name=self.path.name
        )
        self.hint.setText(wrong or said)
        self.begin.setEnabled(not wrong)

    def _wrong(self) -> str:
        if not self.name.text().strip():
            return tr("Give the show a name.")
        if os.path.lexists(self.path):
            free = begin.free_path(self.name.text(), self.folder).stem
            return tr(
                "There is a {name} here already. “{free}” is free.",
                name=self.path.name,
                free=free,
            )

        if not os.access(self.folder, os.W_OK | os.X_OK):
            return tr(
                "Nothing can be written in {folder}. Choose another folder.",
                folder=self.folder,
            )

        return ""
